//! What a mod changes, in the terms of the game; and one value through the layers.

use std::collections::BTreeSet;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::apply::State;
use super::cells::{Cell, Cells, Sort};
use super::change::{Change, ChangeOp};
use super::intents::{intents, intents_at};
use crate::catalog::{Address, Catalog, LayerId};
use crate::document::{Draft, FieldPath};
use crate::effective::{View, World};
use crate::rulebook::{KindId, TypeId};
use crate::source::Place;

/// A value that is another one.
#[derive(Clone, Debug)]
pub struct ChangeLine {
    /// The value; of an entry that comes or goes, the list.
    pub path: FieldPath,
    /// Its type.
    pub ty: Option<TypeId>,
    /// Whether it is an entry of a list that comes or goes.
    pub is_entry: bool,
    /// What it was; nothing if there was none.
    pub before: Option<Draft>,
    /// What it is.
    pub after: Option<Draft>,
    /// Where it is stated.
    pub place: Option<Place>,
    /// The reason that is given.
    pub why: Option<String>,
}

/// What becomes of one definition.
#[derive(Clone, Debug)]
pub struct ChangedDefinition {
    /// The definition.
    pub at: Address,
    /// Its kind.
    pub kind: KindId,
    /// The name that players see.
    pub name: Option<String>,
    /// Its values, by path; nothing for a definition that is removed.
    pub lines: Vec<ChangeLine>,
}

/// What a mod, or one view against another, changes.
#[derive(Clone, Debug, Default)]
pub struct ChangesReport {
    /// Definitions that are new, by kind and id.
    pub added: Vec<ChangedDefinition>,
    /// Those that are other than they were.
    pub changed: Vec<ChangedDefinition>,
    /// Those that are gone.
    pub removed: Vec<ChangedDefinition>,
    /// Those that change because they inherit from others that do.
    pub inheriting: Vec<ChangedDefinition>,
    /// Values that the mod states though they are so anyway.
    pub repeated: usize,
}

/// What a layer changes of what it stands on, or of what another view shows.
pub fn changes(world: &World, layer: LayerId, against: Option<LayerId>) -> ChangesReport {
    let catalog = &world.catalog;
    let means = intents(world, layer);
    let world = world.made_on(layer);
    let (before, after) = match against {
        // what differs from another mod, each with what it stands on
        Some(other) => (State::of(world.with_ground(other)), State::of(world.with_ground(layer))),
        None => (State::of(world.ground(layer)), State::of(world.with_ground(layer))),
    };
    let mut touched: BTreeSet<Address> = means.iter().map(|change| change.at).collect();
    if let Some(other) = against {
        touched.extend(intents(world, other).into_iter().map(|change| change.at));
    }
    let mut by_address: FxHashMap<Address, Vec<&Change>> = FxHashMap::default();
    means.iter().for_each(|change| by_address.entry(change.at).or_default().push(change));
    let mut report = ChangesReport::default();
    let all: Vec<Address> = touched.iter().copied().collect();
    let told: Vec<Option<Told>> = all
        .par_iter()
        .map(|at| {
            let own = by_address.get(at).map_or(&[][..], Vec::as_slice);
            let (old, new) = (before.cells(*at), after.cells(*at));
            if old.is_none() && new.is_none() {
                return None;
            }
            // what is gone is told by its name
            let lines = new.as_ref().map(|new| lines(catalog, old.as_ref(), Some(new), own)).unwrap_or_default();
            let repeated = own.iter().filter(|change| repeats(catalog, change, old.as_ref())).count();
            Some(Told { was: old.is_some(), is: new.is_some(), lines, repeated })
        })
        .collect();
    for (at, told) in all.iter().zip(told) {
        let Some(told) = told else { continue };
        report.repeated += told.repeated;
        let nothing = told.lines.is_empty();
        let made = definition(catalog, *at, told.lines);
        match (told.was, told.is) {
            (false, _) => report.added.push(made),
            (true, false) => report.removed.push(made),
            (true, true) if nothing => {}
            (true, true) => report.changed.push(made),
        }
    }
    let heirs = descendants(&world.with_ground(layer), &touched);
    let inheriting = heirs.par_iter().filter_map(|at| {
        let (old, new) = (before.cells(*at)?, after.cells(*at)?);
        let lines = lines(catalog, Some(&old), Some(&new), &[]);
        (!lines.is_empty()).then(|| definition(catalog, *at, lines))
    });
    report.inheriting = inheriting.collect();
    for list in [&mut report.added, &mut report.changed, &mut report.removed, &mut report.inheriting] {
        list.sort_by(|a, b| {
            let id = |one: &ChangedDefinition| catalog.names.text(one.at.id).to_owned();
            (a.kind, id(a)).cmp(&(b.kind, id(b)))
        });
    }
    report
}

/// What became of one definition.
struct Told {
    was: bool,
    is: bool,
    lines: Vec<ChangeLine>,
    repeated: usize,
}

/// Whether a change states what is so anyway.
fn repeats(catalog: &Catalog, change: &Change, old: Option<&Cells>) -> bool {
    let ChangeOp::Set(value) = &change.op else { return false };
    let was = old.and_then(|cells| cells.get(&change.path.to_string()));
    change.stated.is_some() && was.is_some_and(|cell| super::cells::same_draft(catalog, &cell.value, value, cell.ty))
}

fn definition(catalog: &Catalog, at: Address, lines: Vec<ChangeLine>) -> ChangedDefinition {
    let kind = catalog.kind_of(at).unwrap_or_else(|| catalog.rulebook.kind_in(at.space));
    ChangedDefinition { at, kind, name: catalog.readable_name(at), lines }
}

fn lines(catalog: &Catalog, old: Option<&Cells>, new: Option<&Cells>, own: &[&Change]) -> Vec<ChangeLine> {
    let empty = Cells::new();
    let (old, new) = (old.unwrap_or(&empty), new.unwrap_or(&empty));
    let keys: BTreeSet<&String> = old.keys().chain(new.keys()).collect();
    let mut out: Vec<ChangeLine> = Vec::new();
    // an entry that comes or goes is told whole
    let mut whole: Option<&FieldPath> = None;
    for key in keys {
        let (was, is) = (old.get(key), new.get(key));
        if let (Some(was), Some(is)) = (was, is)
            && was.same(is, catalog)
        {
            continue;
        }
        let Some(cell) = is.or(was) else { continue };
        if whole.is_some_and(|whole| cell.path.steps().starts_with(whole.steps())) {
            continue;
        }
        let is_entry = cell.sort == Sort::Member;
        if is_entry {
            whole = Some(&cell.path);
        }
        let about = |change: &&&Change| {
            let spot = change.spot(catalog);
            !matches!(change.op, ChangeOp::Exists) && cell.path.steps().starts_with(spot.steps())
        };
        let by = own.iter().rev().find(about);
        let value = |cell: Option<&Cell>| cell.map(|cell| cell.value.clone());
        out.push(ChangeLine {
            path: if is_entry { cell.list.clone() } else { cell.path.clone() },
            ty: cell.ty,
            is_entry,
            before: value(was),
            after: value(is),
            place: by.and_then(|change| change.stated),
            why: by.and_then(|change| change.why.clone()),
        });
    }
    out
}

/// The definitions that inherit from these, and from those again, without these themselves.
fn descendants(view: &View<'_>, of: &BTreeSet<Address>) -> Vec<Address> {
    let catalog = view.catalog;
    let mut children: FxHashMap<Address, Vec<Address>> = FxHashMap::default();
    for (id, definition) in catalog.definitions().filter(|(_, made)| made.parent.is_some()) {
        let Some(at) = catalog.address_of(definition).filter(|_| view.layers().contains(definition.layer)) else {
            continue;
        };
        for parent in catalog.parents_of(id) {
            children.entry(parent).or_default().push(at);
        }
    }
    let mut seen: FxHashSet<Address> = of.iter().copied().collect();
    let mut todo: Vec<Address> = seen.iter().copied().collect();
    let mut out = Vec::new();
    while let Some(at) = todo.pop() {
        for child in children.get(&at).into_iter().flatten() {
            if seen.insert(*child) {
                out.push(*child);
                todo.push(*child);
            }
        }
    }
    out
}

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
    /// Whether the layer means it, or only carries an old copy along.
    pub is_meant: bool,
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
        let by = means.iter().rev().find(|change| change.at == at && change.touches(catalog, path));
        let ty = super::change::type_at(catalog, at, path);
        let same = match (&before, &after) {
            (Some(a), Some(b)) => super::cells::same_draft(catalog, a, b, ty),
            (None, None) => true,
            _ => false,
        };
        if !same || by.is_some() {
            let effective = view.effective(at);
            let stated = effective.and_then(|effective| effective.value.at(catalog, path)?.origin().place);
            let place = by.and_then(|change| change.stated).or(stated);
            out.push(HistoryStep {
                layer,
                before: before.clone().filter(|_| begun),
                after: after.clone(),
                place,
                why: by.and_then(|change| change.why.clone()),
                is_meant: by.is_some() || found.is_base(),
            });
            begun = true;
        }
        before = after;
    }
    out
}
