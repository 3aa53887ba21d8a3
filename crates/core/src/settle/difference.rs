//! The smallest set of changes that makes one state show what another shows.

use rustc_hash::FxHashSet;

use super::apply::State;
use super::cells::{Cell, Cells, Sort, same_draft};
use super::change::{Change, ChangeOp, Defined};
use crate::catalog::{Address, Catalog};
use crate::document::{Draft, FieldPath};
use crate::effective::Own;
use crate::rulebook::{ListShape, Reading};

/// Changes of `x` with which it shows what `y` shows, at these addresses.
pub fn difference(x: &State<'_>, y: &State<'_>, over: &[Address]) -> Vec<Change> {
    difference_beside(x, y, over, &[])
}

/// As [`difference`], where the same layer changes these definitions besides, so that they are loaded with it.
pub(super) fn difference_beside(x: &State<'_>, y: &State<'_>, over: &[Address], loaded: &[Address]) -> Vec<Change> {
    let mut changes = Vec::new();
    let mut now = x.clone();
    let own: FxHashSet<Address> = over.iter().copied().collect();
    // only where parents count as they are when a child is loaded does it matter
    let early = x.catalog().rulebook.binds_early();
    let loaded: FxHashSet<Address> = loaded.iter().copied().filter(|_| early).collect();
    let all: Vec<Address> = own.union(&loaded).copied().collect();
    for at in parents_first([x, y], if early { &all } else { over }) {
        if loaded.contains(&at) {
            now.load(&[at]);
        }
        if !own.contains(&at) {
            continue;
        }
        let mut step = |now: &mut State<'_>, change: Change| {
            now.apply([&change]);
            changes.push(change);
        };
        match (x.own(at), y.own(at)) {
            (Some(_), None) => step(&mut now, Change::new(at, FieldPath::default(), ChangeOp::Delete)),
            (None, Some(own)) => {
                step(&mut now, Change::new(at, FieldPath::default(), ChangeOp::Define(Box::new(Defined(own)))));
            }
            (None, None) => {}
            (Some(before), Some(after)) => {
                let wanted = y.cells(at).unwrap_or_default();
                let early = y.catalog().rulebook.kind(after.kind).early;
                // a parent that is no longer named stays, so that alone loads nothing
                let parent = if early { super::change::parent_path(y.catalog(), at) } else { None };
                let beside_parent = |mut cells: Cells| {
                    let is_parent = |cell: &Cell| {
                        parent.as_ref().is_some_and(|parent| cell.path.steps().starts_with(parent.steps()))
                    };
                    cells.retain(|_, cell| !is_parent(cell));
                    cells
                };
                let there = early.then(|| beside_parent(now.cells(at).unwrap_or_default()));
                let there = there.filter(|there| !shows_same(there, &beside_parent(wanted.clone()), &now));
                if there.is_some() {
                    // whatever changes it, it takes its parents as they are now
                    now.load(&[at]);
                }
                let found = of_definition(&mut now, y, at, (&before, &after), &wanted);
                let loads = |there: &Cells| !shows_same(there, &beside_parent(now.cells(at).unwrap_or_default()), &now);
                if found.is_empty() && there.as_ref().is_some_and(loads) {
                    changes.push(Change::new(at, FieldPath::default(), ChangeOp::Exists));
                }
                changes.extend(found);
            }
        }
    }
    changes
}

/// The changes of one definition that is there in both.
fn of_definition(
    now: &mut State<'_>,
    y: &State<'_>,
    at: Address,
    (before, after): (&Own, &Own),
    wanted: &Cells,
) -> Vec<Change> {
    let catalog = y.catalog();
    let mut changes = Vec::new();
    let mut step = |now: &mut State<'_>, change: Change| {
        now.apply([&change]);
        changes.push(change);
    };
    // a parent named is meant; one that is missing is a flattened copy
    if let Some(key) = catalog.rulebook.kind(after.kind).parent
        && let Some(named) = after.value.get(catalog, key)
        && before.value.get(catalog, key).map(|old| old.draft(catalog)) != Some(named.draft(catalog))
    {
        let path = FieldPath::key(catalog.names.text(key));
        step(now, Change::new(at, path, ChangeOp::Set(named.draft(catalog))));
    }
    let early = catalog.rulebook.kind(after.kind).early;
    let mut there = now.cells(at).unwrap_or_default();
    let keys: Vec<String> = wanted.keys().chain(there.keys()).cloned().collect();
    for key in keys.into_iter().collect::<std::collections::BTreeSet<_>>() {
        // what is empty now, or a text, becomes a table when it gets fields
        let (want, have) = (wanted.get(&key), there.get(&key));
        let within = |cell: &Cell| wanted.values().any(|other| other.path.steps().starts_with(cell.path.steps()));
        if want.is_none() && have.is_some_and(|have| have.sort != Sort::Member && within(have)) {
            continue;
        }
        let here = cell_change(now, y, at, want, have);
        if here.is_empty() {
            continue;
        }
        let cell = want.or(have).map(|cell| cell.path.clone());
        for change in here {
            step(now, change);
        }
        // only what lies below the same field can have changed with it
        match cell.as_ref().and_then(FieldPath::first_key).filter(|_| !early) {
            Some(field) => {
                there.retain(|_, cell| cell.path.first_key() != Some(field));
                there.extend(now.cells_of(at, field));
            }
            None => there = now.cells(at).unwrap_or_default(),
        }
    }
    changes
}

/// The changes that make one cell show what is wanted: one, but of lists whose entries count singly.
fn cell_change(
    now: &mut State<'_>,
    y: &State<'_>,
    at: Address,
    want: Option<&Cell>,
    have: Option<&Cell>,
) -> Vec<Change> {
    let catalog = now.catalog();
    match (want, have) {
        (Some(want), Some(have)) if want.sort == have.sort && want.same(have, catalog) => return Vec::new(),
        _ => {}
    }
    let Some(cell) = want.or(have) else { return Vec::new() };
    // what names the parent has been seen to
    if super::change::parent_path(catalog, at).is_some_and(|parent| cell.path == parent) {
        return Vec::new();
    }
    if cell.sort == Sort::Member {
        let op = match want {
            Some(want) => ChangeOp::Join(want.value.clone()),
            None => ChangeOp::Part(cell.value.clone()),
        };
        return vec![Change::new(at, cell.list.clone(), op)];
    }
    let unset = Change::new(at, cell.path.clone(), ChangeOp::Unset);
    let mut after_unset = |key: &FieldPath| now.tried(&unset).remove(&key.to_string());
    match want {
        None => vec![match after_unset(&cell.path) {
            None => unset,
            Some(_) => Change::new(at, cell.path.clone(), ChangeOp::Hide),
        }],
        Some(want) => {
            let taken_back = !y.writes(at, &want.path)
                && after_unset(&want.path).is_some_and(|shown| shown.sort == want.sort && want.same(&shown, catalog));
            if taken_back {
                return vec![unset];
            }
            let ops = have.and_then(|have| entries_that_change(catalog, have, want));
            let ops = ops.unwrap_or_else(|| vec![ChangeOp::Set(want.value.clone())]);
            ops.into_iter().map(|op| Change::new(at, want.path.clone(), op)).collect()
        }
    }
}

/// A list that only grew at its end, or in which equal entries count, as the entries that come and go.
fn entries_that_change(catalog: &Catalog, have: &Cell, want: &Cell) -> Option<Vec<ChangeOp>> {
    let Reading::List(list) = &catalog.rulebook.field_type(want.ty?).reading else { return None };
    let (Draft::List(old), Draft::List(new)) = (&have.value, &want.value) else { return None };
    let same = |a: &Draft, b: &Draft| same_draft(catalog, a, b, Some(list.entry));
    match list.shape {
        ListShape::Sequence => {
            let grew = old.len() < new.len() && old.iter().zip(new).all(|(a, b)| same(a, b));
            let more: Vec<Draft> = new.iter().skip(old.len()).cloned().collect();
            // what stands there already is not seen to come once more
            let there = old.len() >= more.len() && old.iter().rev().zip(more.iter().rev()).all(|(a, b)| same(a, b));
            (grew && !old.is_empty() && (list.join || !there)).then(|| vec![ChangeOp::Append(more)])
        }
        ListShape::Bag => {
            let mut come: Vec<Draft> = new.clone();
            let mut ops = Vec::new();
            for item in old {
                match come.iter().position(|other| same(other, item)) {
                    Some(at) => drop(come.remove(at)),
                    None => ops.push(ChangeOp::Part(item.clone())),
                }
            }
            ops.extend(come.into_iter().map(ChangeOp::Join));
            Some(ops)
        }
        ListShape::Set | ListShape::Keyed => None,
    }
}

/// Addresses so that what is inherited from, in either state, comes before what inherits.
fn parents_first(states: [&State<'_>; 2], over: &[Address]) -> Vec<Address> {
    let wanted: FxHashSet<Address> = over.iter().copied().collect();
    let (mut out, mut seen) = (Vec::new(), FxHashSet::default());
    for start in over {
        let mut todo = vec![(*start, false)];
        while let Some((at, ready)) = todo.pop() {
            if ready {
                if wanted.contains(&at) {
                    out.push(at);
                }
                continue;
            }
            if !seen.insert(at) {
                continue;
            }
            todo.push((at, true));
            let parents = states.iter().flat_map(|state| state.parents_of(at));
            todo.extend(parents.map(|parent| (parent, false)));
        }
    }
    out
}

/// Whether two sets of cells show the same.
pub(super) fn shows_same(a: &Cells, b: &Cells, state: &State<'_>) -> bool {
    let catalog = state.catalog();
    let same = |(key, cell): (&String, &Cell)| b.get(key).is_some_and(|other| cell.same(other, catalog));
    a.len() == b.len() && a.iter().all(same)
}
