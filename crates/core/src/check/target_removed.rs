//! `target-removed`.

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::{Address, Catalog, Definition, Harvest};
use crate::document::{Document, FieldPath, Node};
use crate::rulebook::{Mention, Reading, Severity};
use crate::source::FileId;

pub(super) static CHECK: Check = Check {
    code: "target-removed",
    severity: Severity::Error,
    since: "0.1",
    summary: "a reference to something that a mod takes away",
    finds: "A reference whose target is there for the layer that states it, and that a mod which loads later removes, where the reference still shows.",
    matters: "The game meets a reference that leads nowhere, for everybody who has that mod.",
    example: "# one mod removes the item reed-rope; a recipe of the base, or of another mod, still uses it",
    mend: "Change what uses it as well; or leave it there and take away the ways to get it. `cognomen links` shows what uses it.",
    accept: "If the game passes over the reference without harm.",
    run: |context, findings| {
        let catalog = context.catalog;
        // hardly any mod removes anything
        let gone = catalog.definitions().filter(|(_, made)| made.removes);
        let gone: FxHashMap<Address, &Definition> = gone
            .filter_map(|(_, made)| Some((catalog.address_of(made)?, made)))
            .filter(|(at, _)| !catalog.is_there(*at))
            .collect();
        if gone.is_empty() {
            return;
        }
        let harvests: Vec<_> = context.harvests().collect();
        let found = harvests.into_par_iter().flat_map_iter(|(file, harvest, document)| {
            let each = |mention| finding(context, &gone, (file, harvest, document), mention);
            harvest.mentions.iter().filter_map(each).collect::<Vec<_>>()
        });
        findings.extend(found.collect::<Vec<Finding>>());
    },
};

fn finding(
    context: &Context<'_>,
    gone: &FxHashMap<Address, &Definition>,
    (file, harvest, document): (FileId, &Harvest, &Document),
    mention: &Mention,
) -> Option<Finding> {
    let catalog = context.catalog;
    let ty = context.rulebook.field_type(mention.wants);
    let Reading::Link(_) = &ty.reading else { return None };
    let layer = context.layer_of(file);
    let ground = context.seen.get(layer.0 as usize)?;
    let node = document.node(mention.at);
    let targets = targets(catalog, document, harvest, mention);
    let target = targets.iter().copied().find(|target| catalog.stands_in(*target, ground))?;
    // another one that stands is as good
    let removed = gone.get(&target).filter(|_| !targets.iter().any(|other| catalog.is_there(*other)))?;
    let of_key = ty.pattern.ends_with("{key}");
    let (about, path) = context.whose(file, mention.from, node);
    let about = about?;
    if !still_shows(context, about, &path, node) {
        return None;
    }
    let by = &catalog.layer(removed.layer).id;
    let used = if of_key { context.key_place(node) } else { node.place() };
    let taken = context.definition_place(removed.at());
    let target = context.show(target);
    // the mod that stands on what it breaks could have known
    let knows = catalog.layer(removed.layer).ground.contains(layer);
    let found = match knows {
        true => {
            let message = format!("`{by}` takes away {target}, which {} still names at `{path}`", context.show(about));
            Finding::new(&CHECK, taken, message).related(used, "named here")
        }
        false => {
            let message = format!("`{by}` takes away {target}, which is named here");
            Finding::new(&CHECK, used, message).related(taken, "taken away here")
        }
    };
    let mut found = found.about(Some(about)).path(Some(path));
    found.severity = ty.link.as_ref().and_then(|link| link.lacking).unwrap_or(found.severity);
    Some(found)
}

/// What a reference could name.
pub(super) fn targets(catalog: &Catalog, document: &Document, harvest: &Harvest, mention: &Mention) -> Vec<Address> {
    catalog.targets(&catalog.sought_by(document, harvest, mention))
}

/// Whether the game still sees a value where it is written.
fn still_shows(context: &Context<'_>, about: Address, path: &FieldPath, node: Node<'_>) -> bool {
    let Some(effective) = context.view.effective(about) else { return false };
    // the entries of what was laid together have other numbers than in the file
    let here = path.leading_keys();
    let Some(value) = effective.value.at(context.catalog, &here) else { return false };
    holds(context.catalog, &value, node)
}

/// Whether a value, or one in it, is the one that is written at a node.
fn holds(catalog: &Catalog, value: &crate::effective::Value, node: Node<'_>) -> bool {
    let is_it = |place: crate::source::Place| place.file == node.document().file() && place.span == node.span();
    value.origin().place.is_some_and(is_it)
        || value.items(catalog).iter().any(|item| holds(catalog, item, node))
        || value.entries(catalog).iter().any(|(_, inner)| holds(catalog, inner, node))
}
