//! Whole copies that were made for an older edition of the base, and carry along what has moved on since.

use rustc_hash::FxHashSet;

use super::apply::State;
use super::cells::differing;
use super::clash::family;
use super::intents::intents_at;
use crate::catalog::{Address, Catalog, Definition, LayerId};
use crate::document::{Draft, FieldPath};
use crate::effective::World;
use crate::rulebook::Again;
use crate::source::{FileId, Place};

/// A value that a copy carries along from the edition it was made for.
#[derive(Clone, Debug)]
pub struct MovedOn {
    /// The value.
    pub path: FieldPath,
    /// What the copy has.
    pub carries: Option<Draft>,
    /// What it would be now, with all that the mod means.
    pub now: Option<Draft>,
    /// Where the copy states it.
    pub place: Option<Place>,
    /// Where it comes from now.
    pub from: Option<Place>,
}

/// What is old about a copy.
#[derive(Clone, Debug)]
pub enum StaleWhat {
    /// Values have moved on.
    Values(Address, Vec<MovedOn>),
    /// The base no longer has the definition.
    Gone(Address),
    /// A file that stands for the base's file takes away what the base has added to that since.
    Hides(FileId, Vec<Address>),
}

/// A copy made for an older edition.
#[derive(Clone, Debug)]
pub struct Stale {
    /// The mod.
    pub layer: LayerId,
    /// What is old about it.
    pub what: StaleWhat,
}

/// All of them, in load order.
pub(super) fn stale(world: &World) -> Vec<Stale> {
    let catalog = &world.catalog;
    let mods = catalog.layers().map(|(layer, _)| layer).filter(|layer| world.edition_of(*layer).is_some());
    mods.flat_map(|layer| of_layer(world, layer)).collect()
}

fn of_layer(world: &World, layer: LayerId) -> Vec<Stale> {
    let catalog = &world.catalog;
    let old = State::of(world.made_on(layer).ground(layer));
    let present = State::of(world.ground(layer));
    let own = || catalog.definitions().map(|(_, made)| made).filter(|made| made.layer == layer);
    let copied = own().filter(|made| is_whole(made)).filter_map(|made| catalog.address_of(made));
    let mut seen = FxHashSet::default();
    let copies: Vec<Address> = copied.filter(|at| seen.insert(*at) && old.own(*at).is_some()).collect();
    let families: FxHashSet<Address> = copies.iter().flat_map(|at| family(catalog, *at)).collect();
    let means = intents_at(world, layer, &|at| families.contains(&at));
    let mut meant = present.clone();
    meant.apply(&means);
    let shown = State::of(world.with_ground(layer));
    let mut out = Vec::new();
    for at in copies {
        let what = if present.own(at).is_none() {
            StaleWhat::Gone(at)
        } else {
            let moved = moved_on(&meant, &shown, at);
            if moved.is_empty() {
                continue;
            }
            StaleWhat::Values(at, moved)
        };
        out.push(Stale { layer, what });
    }
    let mut hidden: Vec<(FileId, Vec<Address>)> = Vec::new();
    for made in own().filter(|made| made.removes && shadows(catalog, made.file)) {
        let Some(at) = catalog.address_of(made).filter(|at| old.own(*at).is_none()) else { continue };
        match hidden.iter_mut().find(|(file, _)| *file == made.file) {
            Some((_, all)) => all.push(at),
            None => hidden.push((made.file, vec![at])),
        }
    }
    out.extend(hidden.into_iter().map(|(file, all)| Stale { layer, what: StaleWhat::Hides(file, all) }));
    out
}

fn is_whole(made: &Definition) -> bool {
    made.again == Again::Replace && !made.continues && !made.removes
}

fn shadows(catalog: &Catalog, file: FileId) -> bool {
    catalog.harvest_of(file).is_some_and(|harvest| harvest.shadows)
}

/// The values of a copy that are other than what is meant by it now.
fn moved_on(meant: &State<'_>, shown: &State<'_>, at: Address) -> Vec<MovedOn> {
    let catalog = meant.catalog();
    let (wanted, there) = (meant.cells(at).unwrap_or_default(), shown.cells(at).unwrap_or_default());
    let parent = super::change::parent_path(catalog, at);
    let mut out: Vec<MovedOn> = Vec::new();
    for (cell, want, have) in differing(&wanted, &there, catalog) {
        // an entry is told whole; a flattened copy has no parent to name
        let told = out.last().is_some_and(|last| cell.path.steps().starts_with(last.path.steps()));
        if told || parent.as_ref() == Some(&cell.path) {
            continue;
        }
        out.push(MovedOn {
            path: cell.path.clone(),
            carries: have.map(|cell| cell.value.clone()),
            now: want.map(|cell| cell.value.clone()),
            place: have.and_then(|cell| cell.place),
            from: want.and_then(|cell| cell.place),
        });
    }
    out
}
