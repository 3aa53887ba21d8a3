//! `repeats-inherited`.

use rayon::prelude::*;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::{Address, Definition, LayerId};
use crate::document::{Draft, FieldPath, Shape, Step};
use crate::effective::{Value, same};
use crate::rulebook::{Again, Reading, Severity, TypeId};

pub(super) static CHECK: Check = Check {
    code: "repeats-inherited",
    severity: Severity::Note,
    since: "0.1",
    summary: "a field that repeats what would show without it",
    finds: "A field of a mod’s definition that states the very value which the parent, or the definition that it changes, states already.",
    matters: "Nothing is wrong now; but when the parent changes, this stays behind.",
    example: "\"bog-sow\": { \"kin\": \"marsh-boar\", \"traits\": [\"thick-hide\"] }      # the boar has them",
    mend: "Take the field out.",
    accept: "If the value is to stay whatever becomes of the parent.",
    run: |context, findings| {
        let all: Vec<&Definition> = context
            .catalog
            .definitions
            .iter()
            .filter(|definition| definition.layer != LayerId::BASE)
            .filter(|definition| definition.parent.is_some() || definition.below.is_some())
            .collect();
        let found: Vec<Finding> = all.par_iter().flat_map_iter(|definition| repeated(context, definition)).collect();
        findings.extend(found);
    },
};

fn repeated(context: &Context<'_>, definition: &Definition) -> Vec<Finding> {
    let catalog = context.catalog;
    let mut found = Vec::new();
    let Some(address) = catalog.address_of(definition) else { return found };
    let kind = context.rulebook.kind(definition.kind);
    let changes = definition.below.is_some() && kind.again == Again::Merge;
    let below = match definition.parent.filter(|parent| definition.id != Some(*parent)) {
        // what a changed definition inherits anyway is compared with what it is below
        _ if changes => context.world.ground(definition.layer).effective(address),
        Some(parent) if definition.below.is_none() => {
            context.world.with_ground(definition.layer).effective(Address { space: kind.space, id: parent })
        }
        _ => None,
    };
    let Some(below) = below else { return found };
    let own = Value::written(catalog, definition.at(), definition.layer);
    let mut repeats = Repeats { context, address, found: &mut found };
    repeats.compare(&own, &below.value, kind.root, &FieldPath::default());
    found
}

struct Repeats<'r, 'w> {
    context: &'r Context<'w>,
    address: Address,
    found: &'r mut Vec<Finding>,
}

impl Repeats<'_, '_> {
    fn compare(&mut self, own: &Value, below: &Value, ty: TypeId, path: &FieldPath) {
        let (catalog, rulebook) = (self.context.catalog, self.context.rulebook);
        let Reading::Table(table) = &rulebook.field_type(ty).reading else { return };
        for (key, value) in own.entries(catalog) {
            let (Some(ty), Some(there)) = (table.get(key), below.get(catalog, key)) else { continue };
            let path = path.with(Step::Key(catalog.names.text(key).to_owned()));
            match &rulebook.field_type(ty).reading {
                Reading::Table(_) if value.shape(catalog) == Shape::Table => self.compare(&value, &there, ty, &path),
                // what is joined is one list in the end
                Reading::List(list) if list.join => {}
                Reading::Parent(_) => {}
                _ => {
                    let (mine, theirs) = (value.draft(catalog), there.draft(catalog));
                    if theirs != Draft::Null && same(&mine, &theirs, ty, rulebook, &catalog.names) {
                        self.repeats(&value, &there, &path);
                    }
                }
            }
        }
    }

    fn repeats(&mut self, value: &Value, there: &Value, path: &FieldPath) {
        let Some(place) = value.origin().place else { return };
        let message = format!("`{path}` repeats what {} has without it", self.context.show(self.address));
        let finding = Finding::new(&CHECK, place, message).about(Some(self.address)).path(Some(path.clone()));
        self.found.push(match there.origin().place {
            Some(place) => finding.related(place, "it stands here"),
            None => finding,
        });
    }
}
