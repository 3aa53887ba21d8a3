//! `retired-yet-used`.

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::{Address, LayerId, Target};
use crate::rulebook::Severity;
use crate::said::said;
use crate::source::Place;

pub(super) static CHECK: Check = Check {
    code: "retired-yet-used",
    severity: Severity::Warning,
    since: "0.1",
    summary: "something retired that a mod still names or changes",
    finds: "A mod that refers to, inherits from, overrides or amends a definition which the game keeps for old saved games only.",
    matters: "It may vanish with the next version, and nobody meets it in a new game.",
    example: "\"takes\": [ { \"what\": \"old-lamp\" } ]      # retired",
    mend: "Use what took its place.",
    accept: "While the mod has to work with an older version of the game, too.",
    run: |context, findings| {
        if context.rulebook.kinds().all(|(_, kind)| kind.retired.is_none()) {
            return;
        }
        let catalog = context.catalog;
        for (file, harvest, document) in context.harvests() {
            let layer = context.layer_of(file);
            if context.is_base(layer) {
                continue;
            }
            // whatever else is looked at, it is written on what its own layer stands on
            let view = context.world.with_ground(layer);
            for mention in &harvest.mentions {
                let Some(address) = view.target_of(document, harvest, mention) else { continue };
                let node = document.node(mention.at);
                let place = context.rulebook.field_type(mention.wants).place_at(node);
                let (about, path) = context.whose(file, mention.from, node);
                if let Some(finding) = retired(context, layer, address, place, "named here") {
                    findings.push(finding.about(about).path(Some(path)));
                }
            }
            for amendment in &harvest.amendments {
                let Target::Of { id } = &amendment.target else { continue };
                let Some(address) = catalog.address(amendment.kind, id) else { continue };
                findings.extend(retired(context, layer, address, amendment.target_place, "amended here"));
            }
        }
        let own = context.definitions().filter(|(_, made)| context.own.contains(made.layer));
        for (_, definition) in own {
            let Some(address) = catalog.address_of(definition).filter(|_| !context.is_base(definition.layer)) else {
                continue;
            };
            let place = context.definition_place(definition.at());
            if !context.world.with_ground(definition.layer).is_new(definition) {
                findings.extend(retired(context, definition.layer, address, place, "changed here"));
            }
            let parent = definition.parent.filter(|_| !definition.continues);
            let parent = parent.map(|id| context.view.parent(definition.kind, id));
            if let Some(parent) = parent {
                let finding = retired(context, definition.layer, parent, place, "inherited from here");
                findings.extend(finding.map(|finding| finding.about(Some(address))));
            }
        }
    },
};

/// A finding if a definition is retired already on the ground of the layer that uses it.
fn retired(context: &Context<'_>, layer: LayerId, address: Address, place: Place, how: &str) -> Option<Finding> {
    let target = context.world.ground(layer).effective(address)?;
    let test = context.rulebook.kind(target.kind).retired.as_ref()?;
    if !test.holds(|part| target.words_at(context.catalog, part)) {
        return None;
    }
    let message = said!("`{definition}` is retired, and {how} all the same", definition = context.show(address), how);
    let reason = test.0.first().and_then(|part| {
        let value = target.get(context.catalog, &part.path)?;
        Some((
            value.origin().place?,
            said!("`{field}` is `{value}`", field = part.path, value = value.draft(context.catalog).short()),
        ))
    });
    let finding = Finding::new(&CHECK, place, message).about(Some(address));
    Some(match reason {
        Some((place, text)) => finding.related(place, text),
        None => finding,
    })
}
