//! `repeats-inherited`.

use rayon::prelude::*;

use super::context::Context;
use super::finding::Finding;
use super::mend::Mend;
use super::registry::Check;
use crate::catalog::{Address, Definition};
use crate::document::{Draft, FieldPath, Node, Shape, Step};
use crate::effective::{Value, View, same};
use crate::names::Sym;
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
        let own = context.written_by_own().map(|(_, definition)| definition);
        let all: Vec<&Definition> = own
            .filter(|made| !made.removes && !context.is_base(made.layer))
            .filter(|definition| definition.parent.is_some() || definition.below.is_some())
            .collect();
        let found: Vec<Finding> = all.par_iter().flat_map_iter(|definition| repeated(context, definition)).collect();
        findings.extend(found);
    },
};

fn repeated<'w>(context: &Context<'w>, definition: &'w Definition) -> Vec<Finding> {
    let catalog = context.catalog;
    let mut found = Vec::new();
    let Some(address) = catalog.address_of(definition) else { return found };
    let kind = context.rulebook.kind(definition.kind);
    // whatever layers are looked at besides, it is written over what its own stands on
    let view = context.world.with_ground(definition.layer);
    let new = view.is_new(definition);
    let changes = !new && definition.again == Again::Merge;
    if let Some(found) = plain(context, &view, definition, address) {
        return found;
    }
    let below = match definition.parent.filter(|parent| definition.id != Some(*parent)) {
        // what a changed definition inherits anyway is compared with what it is below
        _ if changes => context.world.ground(definition.layer).effective(address),
        Some(parent) if new => view.effective(Address { space: kind.space, id: parent }),
        _ => None,
    };
    let Some(below) = below else { return found };
    let own = Value::written(catalog, definition.at(), definition.layer);
    let mut repeats = Repeats { context, address, made: definition, found: &mut found };
    repeats.compare(&own, &below.value, kind.root, &FieldPath::default());
    found
}

/// As [`repeated`], looked up in what is written, where no amendment and no lower layer takes part: the usual
/// case, and many times faster than composing the parent.
fn plain(context: &Context<'_>, view: &View<'_>, definition: &Definition, address: Address) -> Option<Vec<Finding>> {
    let alone = view.is_new(definition) && definition.parent != definition.id;
    let parent = Address { space: address.space, id: definition.parent.filter(|_| alone)? };
    let (_, above) = context.written(parent)?;
    if !above.iter().all(|node| view.contains(context.layer_of(node.document().file()))) {
        return None;
    }
    let mut found = Vec::new();
    let root = context.rulebook.kind(definition.kind).root;
    let own = context.catalog.node(definition.at());
    in_written(context, address, own, &above, root, &FieldPath::default(), &mut found);
    Some(found)
}

fn in_written(
    context: &Context<'_>,
    address: Address,
    own: Node<'_>,
    above: &[Node<'_>],
    ty: TypeId,
    path: &FieldPath,
    found: &mut Vec<Finding>,
) {
    let (catalog, rulebook) = (context.catalog, context.rulebook);
    let Reading::Table(table) = &rulebook.field_type(ty).reading else { return };
    for node in own.children() {
        let Some((key, ty)) = node.key().and_then(|key| Some((key, table.get(key)?))) else { continue };
        if path.is_empty() && names_itself(context, address, key) {
            continue;
        }
        let Some(first) = above.iter().find_map(|above| above.get(key)) else { continue };
        let repeats = match &rulebook.field_type(ty).reading {
            Reading::Table(_) if node.shape() == Shape::Table => {
                let inner: Vec<Node<'_>> = above.iter().filter_map(|above| above.get(key)).collect();
                let path = path.with(Step::Key(catalog.names.text(key).to_owned()));
                in_written(context, address, node, &inner, ty, &path, found);
                false
            }
            Reading::List(list) if list.join => false,
            Reading::Parent(_) => false,
            Reading::Text | Reading::Choice(_) | Reading::Boolean => node.raw() == first.raw(),
            _ if node.raw() == first.raw() => true,
            _ if node.shape() != first.shape() => false,
            _ => {
                let draft = |node| Draft::of(node, &catalog.names);
                same(&draft(node), &draft(first), ty, rulebook, &catalog.names)
            }
        };
        if repeats && node.shape() != Shape::Null {
            let path = path.with(Step::Key(catalog.names.text(key).to_owned()));
            let message = format!("`{path}` repeats what {} has without it", context.show(address));
            let at = node.document().path_to(node.id(), &catalog.names);
            let mend = Mend::TakeOut { file: node.document().file(), at };
            let finding = Finding::new(&CHECK, node.place(), message).about(Some(address)).path(Some(path));
            let finding = finding.mend(Some(mend));
            found.push(finding.related(first.place(), "it stands here"));
        }
    }
}

/// Whether a field says which definition this is, so that it has to be repeated.
fn names_itself(context: &Context<'_>, address: Address, key: Sym) -> bool {
    let name = context.catalog.names.text(key);
    // the kind that it has somewhere: what is taken away elsewhere is written here all the same
    context.catalog.kind_of(address).is_some_and(|kind| context.rulebook.tells_itself(kind, name))
}

struct Repeats<'r, 'w> {
    context: &'r Context<'w>,
    address: Address,
    made: &'w Definition,
    found: &'r mut Vec<Finding>,
}

impl Repeats<'_, '_> {
    fn compare(&mut self, own: &Value, below: &Value, ty: TypeId, path: &FieldPath) {
        let (catalog, rulebook) = (self.context.catalog, self.context.rulebook);
        let Reading::Table(table) = &rulebook.field_type(ty).reading else { return };
        for (key, value) in own.entries(catalog) {
            let (Some(ty), Some(there)) = (table.get(key), below.get(catalog, key)) else { continue };
            if path.is_empty() && names_itself(self.context, self.address, key) {
                continue;
            }
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
        let document = self.context.catalog.document(self.made.file).filter(|_| place.file == self.made.file);
        let mend = document.map(|document| Mend::TakeOut {
            file: self.made.file,
            at: document.path_to(self.made.node, &self.context.catalog.names).join(path),
        });
        let finding = finding.mend(mend);
        self.found.push(match there.origin().place {
            Some(place) => finding.related(place, "it stands here"),
            None => finding,
        });
    }
}
