//! One value through the layers.

use super::intents::intents_at;
use crate::catalog::{Address, LayerId};
use crate::document::{Draft, FieldPath};
use crate::effective::{View, World};
use crate::source::Place;

/// What one layer does to one value.
#[derive(Clone, Debug)]
pub struct HistoryStep {
    /// The layer.
    pub layer: LayerId,
    /// What it was below.
    pub before: Option<Draft>,
    /// What it is with the layer.
    pub after: Option<Draft>,
    /// Where it is stated.
    pub place: Option<Place>,
    /// The reason that is given.
    pub why: Option<String>,
    /// The definition that it inherits the change from; nothing where it is its own.
    pub from: Option<Address>,
    /// Whether the layer defines the whole anew, so that it may carry what it does not mean.
    pub is_copy: bool,
    /// Whether the layer means it, or only carries an old copy along.
    pub is_meant: bool,
    /// The layer whose change is undone by that.
    pub undoes: Option<LayerId>,
}

/// One value through the layers, from the lowest: those that change it, and those that carry another one.
pub fn history(world: &World, at: Address, path: &FieldPath) -> Vec<HistoryStep> {
    let catalog = &world.catalog;
    let all = world.view();
    // nothing else has a part in what it shows
    let family = super::clash::family(catalog, at);
    let value = |view: &View<'_>| {
        let effective = view.effective(at)?;
        Some(effective.get(catalog, path)?.draft(catalog))
    };
    let mut out = Vec::new();
    let mut before: Option<Draft> = None;
    let mut begun = false;
    for (layer, found) in catalog.layers() {
        let view = all.up_to(layer);
        let after = value(&view);
        let means = match found.is_base() {
            true => Vec::new(),
            false => intents_at(world, layer, &|other| family.contains(&other)),
        };
        let own = means.iter().rev().find(|change| change.at == at && change.touches(catalog, path));
        // what it inherits is changed at its parent
        let parents = || view.effective(at).map(|effective| effective.parents).unwrap_or_default();
        let inherited = || {
            let touching = |at: &Address| means.iter().rev().find(|c| c.at == *at && c.touches(catalog, path));
            parents().iter().find_map(touching)
        };
        let by = own.or_else(inherited);
        let ty = super::change::type_at(catalog, at, path);
        let same = match (&before, &after) {
            (Some(a), Some(b)) => super::cells::same_draft(catalog, a, b, ty),
            (None, None) => true,
            _ => false,
        };
        if !same || own.is_some() {
            let effective = view.effective(at);
            let stated = effective.and_then(|effective| effective.value.at(catalog, path)?.origin().place);
            let place = by.and_then(|change| change.stated).or(stated);
            out.push(HistoryStep {
                layer,
                before: before.clone().filter(|_| begun),
                after: after.clone(),
                place,
                why: by.and_then(|change| change.why.clone()),
                from: by.map(|change| change.at).filter(|from| *from != at),
                is_copy: catalog.defined_in(at, layer).is_some(),
                is_meant: by.is_some() || found.is_base(),
                undoes: by.is_none().then(|| last_meant(world, &out)).flatten(),
            });
            begun = true;
        }
        before = after;
    }
    out
}

/// The mod that last meant another value.
fn last_meant(world: &World, steps: &[HistoryStep]) -> Option<LayerId> {
    let meant = |step: &&HistoryStep| step.is_meant && !world.catalog.layer(step.layer).is_base();
    steps.iter().rev().find(meant).map(|step| step.layer)
}
