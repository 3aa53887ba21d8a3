//! Many layers together: what is meant, what is undone, what contradicts, what hangs.

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::apply::State;
use super::cells::{Cell, Cells, differing};
use super::change::{Change, ChangeOp, commute};
use super::difference::shows_same;
use super::intents::intents_at;
use super::stale::{Stale, stale};
use crate::catalog::{Address, Catalog, LayerId, LayerSet, Target};
use crate::document::{Draft, FieldPath, Node};
use crate::effective::{Built, World, rounds};
use crate::rulebook::Again;
use crate::source::Place;

/// Two changes of layers neither of which stands on the other, whose order matters.
#[derive(Clone, Debug)]
pub struct Contradiction {
    /// The lower layer and what it means.
    pub first: (LayerId, Change),
    /// The higher one, which wins.
    pub second: (LayerId, Change),
}

/// A change that is not there in the end, though nobody meant to take it back.
#[derive(Clone, Debug)]
pub struct Undone {
    /// The definition.
    pub at: Address,
    /// The value.
    pub path: FieldPath,
    /// The layer that changed it, and its change.
    pub by: (LayerId, Change),
    /// What was meant; nothing if it was to be gone.
    pub meant: Option<Draft>,
    /// What shows.
    pub shows: Option<Draft>,
    /// The layer that carries the other value without meaning to, and where.
    pub culprit: Option<(LayerId, Option<Place>)>,
    /// Whether that layer changes the value itself, and reckons with what its own ground has.
    pub reckons: bool,
}

/// A change that has nothing under it: another layer took away what it is about.
#[derive(Clone, Debug)]
pub struct Hanging {
    /// The layer and its change.
    pub by: (LayerId, Change),
    /// The layer that took it away, and its change.
    pub gone: Option<(LayerId, Change)>,
}

/// Everything that goes wrong only between layers.
#[derive(Clone, Debug, Default)]
pub struct Clashes {
    /// In load order of the lower layer.
    pub contradictions: Vec<Contradiction>,
    /// By definition and path.
    pub undone: Vec<Undone>,
    /// In load order.
    pub hanging: Vec<Hanging>,
    /// Copies of definitions of an older edition, in load order.
    pub stale: Vec<Stale>,
}

/// What each layer means, in load order.
type Means = Vec<(LayerId, Vec<Change>)>;

/// The changes of each definition, in load order.
type ByAddress<'c> = FxHashMap<Address, Vec<(LayerId, &'c Change)>>;

/// A change that hangs, with its number among those of its layer.
type Left = (usize, (LayerId, Change));

/// So many definitions, at least, are looked at in one piece.
const AT_ONCE: usize = 64;

/// The base with what every layer means, in load order; and each layer's intents.
pub fn meant(world: &World) -> (State<'_>, Means) {
    let means = means(world, world.view().layers(), &|_| true);
    let mut state = base_of(world);
    for (_, own) in &means {
        state.apply(own);
    }
    (state, means)
}

/// The base, with nothing changed.
fn base_of(world: &World) -> State<'_> {
    State::of(world.view().of(world.catalog.base()))
}

fn means(world: &World, layers: &LayerSet, asked: &(dyn Fn(Address) -> bool + Sync)) -> Means {
    let mods: Vec<LayerId> = layers.iter().filter(|layer| !world.catalog.layer(*layer).is_base()).collect();
    // each from its own ground, so that none waits for another
    mods.into_par_iter().map(|layer| (layer, intents_at(world, layer, asked))).collect()
}

fn stands_on(catalog: &Catalog, upper: LayerId, lower: LayerId) -> bool {
    catalog.layer(upper).ground.contains(lower)
}

/// The definitions that several mods touch, themselves or where they inherit from, and what those inherit from:
/// nothing else can clash.
fn shared(world: &World) -> FxHashSet<Address> {
    let catalog = &world.catalog;
    let mut by = world.writers();
    // also where it comes to nothing on the mod's own ground
    for (layer, _) in catalog.layers() {
        for (_, amendment) in catalog.amendments_of(layer) {
            if let Target::Of { id } = &amendment.target
                && let Some(at) = catalog.address(amendment.kind, id)
            {
                by.entry(at).or_default().insert(layer);
            }
        }
    }
    let mut out = FxHashSet::default();
    for (start, own) in &by {
        let mut layers = own.clone();
        let family = family(catalog, *start);
        family.iter().filter_map(|at| by.get(at)).for_each(|more| layers.extend(more));
        if layers.iter().nth(1).is_some() {
            out.extend(family);
        }
    }
    out
}

/// A definition and all that it inherits from, whatever layer says so: also a parent that a higher one left out.
pub(crate) fn family(catalog: &Catalog, start: Address) -> FxHashSet<Address> {
    let seen = catalog.seen();
    with_all_above(vec![start], |at, todo| todo.extend(catalog.stack(at).flat_map(|(id, _)| seen.parents_at(id))))
}

/// Some definitions and all above them: what is above each one is put behind what is still to be looked at.
fn with_all_above(mut todo: Vec<Address>, above: impl Fn(Address, &mut Vec<Address>)) -> FxHashSet<Address> {
    let mut all = FxHashSet::default();
    while let Some(at) = todo.pop() {
        if all.insert(at) {
            above(at, &mut todo);
        }
    }
    all
}

/// What clashes in the whole load order; of alternatives, in one for each.
pub fn clashes(world: &World) -> Clashes {
    let shared = shared(world);
    let orders = world.catalog.orders(|| world.writers());
    if let [all] = orders.as_slice() {
        let mut found = clashes_in(world, all, &shared);
        found.contradictions.sort_by_key(|clash| (clash.first.0, clash.second.0));
        return Clashes { stale: stale(world), ..found };
    }
    let mut out = Clashes { stale: stale(world), ..Clashes::default() };
    for layers in orders {
        let more = clashes_in(world, &layers, &shared);
        // what has no part in the alternatives is found in each order
        let known = |a: &(LayerId, Change), b: &(LayerId, Change)| {
            a.0 == b.0 && a.1.at == b.1.at && a.1.path == b.1.path && a.1.stated == b.1.stated
        };
        for one in more.contradictions {
            let twice = |old: &Contradiction| known(&old.first, &one.first) && known(&old.second, &one.second);
            if !out.contradictions.iter().any(twice) {
                out.contradictions.push(one);
            }
        }
        for one in more.undone {
            let twice = |old: &Undone| known(&old.by, &one.by) && old.path == one.path && old.at == one.at;
            if !out.undone.iter().any(twice) {
                out.undone.push(one);
            }
        }
        for one in more.hanging {
            if !out.hanging.iter().any(|old| known(&old.by, &one.by)) {
                out.hanging.push(one);
            }
        }
    }
    out.contradictions.sort_by_key(|clash| (clash.first.0, clash.second.0));
    out
}

/// What clashes among some layers.
fn clashes_in(world: &World, layers: &LayerSet, shared: &FxHashSet<Address>) -> Clashes {
    let catalog = &world.catalog;
    let all = means(world, layers, &|at| shared.contains(&at));
    let mut by_address: ByAddress<'_> = FxHashMap::default();
    for (layer, changes) in &all {
        for change in changes {
            by_address.entry(change.at).or_default().push((*layer, change));
        }
    }
    let mut touched: Vec<Address> = by_address.keys().copied().collect();
    touched.sort_by(|a, b| (a.space, catalog.names.text(a.id)).cmp(&(b.space, catalog.names.text(b.id))));
    let mut out = Clashes::default();
    let mut hanging = Vec::new();
    let some = (touched.len() / (4 * rayon::current_num_threads())).max(AT_ONCE);
    let found: Vec<_> =
        touched.par_chunks(some).map(|some| clashes_of(world, layers, &all, &by_address, some)).collect();
    for (found, left) in found {
        out.contradictions.extend(found.contradictions);
        out.undone.extend(found.undone);
        hanging.extend(left);
    }
    hanging.sort_by_key(|(nth, (layer, _))| (*layer, *nth));
    out.hanging = hanging.into_iter().map(|(_, by)| hanging_on(catalog, by, &by_address)).collect();
    out
}

/// What clashes at some definitions.
fn clashes_of(
    world: &World,
    layers: &LayerSet,
    all: &Means,
    by_address: &ByAddress<'_>,
    some: &[Address],
) -> (Clashes, Vec<Left>) {
    let catalog = &world.catalog;
    // what they inherit from has its part in what they show
    let family = families(world, some);
    let own: FxHashSet<Address> = some.iter().copied().collect();
    let mut state = base_of(world);
    let mut without = FxHashSet::default();
    for (layer, changes) in all {
        let mut at = Vec::new();
        for (nth, change) in changes.iter().enumerate().filter(|(_, change)| family.contains(&change.at)) {
            if own.contains(&change.at) && !state.has_ground_for(change) {
                without.insert((*layer, nth));
            }
            state.apply_one(change);
            at.push(change.at);
        }
        state.load(&at);
    }
    let mut out = Clashes::default();
    for at in some {
        out.contradictions.extend(contradictions(catalog, by_address.get(at).map_or(&[][..], Vec::as_slice)));
        out.undone.extend(undone(world, layers, &state, *at, by_address));
    }
    let left = left_hanging(&state, all, &own, &without, by_address);
    (out, left)
}

/// The contradictions among the changes of one definition. Changes of different fields have none, so that only those
/// of one field, and those of the whole, are held against each other.
fn contradictions(catalog: &Catalog, changes: &[(LayerId, &Change)]) -> Vec<Contradiction> {
    let field = |change: &Change| change.path.first_key().map(str::to_owned);
    let mut by_field: FxHashMap<Option<String>, Vec<usize>> = FxHashMap::default();
    for (nth, (_, change)) in changes.iter().enumerate() {
        by_field.entry(field(change)).or_default().push(nth);
    }
    let whole = by_field.get(&None).cloned().unwrap_or_default();
    let mut out = Vec::new();
    for (nth, (first, x)) in changes.iter().enumerate() {
        let own = field(x);
        let others: Vec<usize> = match own {
            None => (nth + 1..changes.len()).collect(),
            own => {
                let beside = by_field.get(&own).map_or(&[][..], Vec::as_slice);
                let mut all: Vec<usize> = whole.iter().chain(beside).copied().filter(|other| *other > nth).collect();
                all.sort_unstable();
                all
            }
        };
        for (second, y) in others.into_iter().filter_map(|other| changes.get(other)).filter(|(l, _)| l != first) {
            let apart = !stands_on(catalog, *second, *first) && !stands_on(catalog, *first, *second);
            if apart && !commute(catalog, x, y) {
                let (first, second) = ((*first, (*x).clone()), (*second, (*y).clone()));
                out.push(Contradiction { first, second });
            }
        }
    }
    out
}

/// Some definitions and all that they inherit from, by whatever any layer says, with and without the mods.
fn families(world: &World, some: &[Address]) -> FxHashSet<Address> {
    let catalog = &world.catalog;
    let views = [world.view(), world.view().of(catalog.base())];
    with_all_above(some.to_vec(), |at, todo| {
        for view in &views {
            todo.extend(catalog.stack(at).flat_map(|(id, _)| view.parents_at(id)));
            todo.extend(world.builds.of(at).iter().flat_map(|(_, own)| view.parents_in(own.kind, &own.value)));
        }
    })
}

/// The changes of some definitions that have nothing under them: already when they are applied, or in the end, as what
/// an entry was inherited from has changed.
fn left_hanging(
    state: &State<'_>,
    all: &Means,
    some: &FxHashSet<Address>,
    found: &FxHashSet<(LayerId, usize)>,
    by_address: &ByAddress<'_>,
) -> Vec<Left> {
    let catalog = state.catalog();
    let mut out = Vec::new();
    for (layer, own) in all {
        for (nth, change) in own.iter().enumerate().filter(|(_, change)| some.contains(&change.at)) {
            let in_the_end = || {
                // what another mod means at the same place is a contradiction, or that mod's own business
                let mut others = by_address.get(&change.at).into_iter().flatten().filter(|(other, _)| other != layer);
                change.entry().is_some()
                    && others.all(|(_, other)| commute(catalog, change, other))
                    && !state.has_ground_for(change)
            };
            if found.contains(&(*layer, nth)) || in_the_end() {
                out.push((nth, (*layer, change.clone())));
            }
        }
    }
    out
}

/// Values of one definition that are meant and do not show.
fn undone(world: &World, layers: &LayerSet, state: &State<'_>, at: Address, by_address: &ByAddress<'_>) -> Vec<Undone> {
    let catalog = &world.catalog;
    let shown = State::of(world.view().of(layers.clone()));
    let (wanted, there) = (state.cells(at).unwrap_or_default(), shown.cells(at).unwrap_or_default());
    if shows_same(&wanted, &there, state) {
        return Vec::new();
    }
    let changes = by_address.get(&at).map_or(&[][..], Vec::as_slice);
    let inherited = inherited(&[state, &shown], at, by_address);
    // what the parents are meant to show, and show
    let above: std::cell::OnceCell<Vec<(Option<Cells>, Option<Cells>)>> = std::cell::OnceCell::new();
    let mut out: Vec<Undone> = Vec::new();
    for (cell, want, have) in differing(&wanted, &there, catalog) {
        // a flattened copy has no parent to name
        if have.is_none() && super::change::parent_path(catalog, at).as_ref() == Some(&cell.path) {
            continue;
        }
        // a part where the game takes whole numbers is told where it stands
        if let Some(Cell { value: Draft::Number(number), ty: Some(ty), .. }) = have
            && rounds(*ty, &catalog.rulebook, number.notation())
        {
            continue;
        }
        // the last who meant something here is the one whose change is lost
        let by = changes.iter().rev().find(|(_, change)| change.touches(catalog, &cell.path));
        // what is only inherited is told where it is lost
        let lost_above = || {
            let key = cell.path.to_string();
            let cells = || {
                let both = |parent: Address| (state.cells(parent), shown.cells(parent));
                shown.parents_of(at).into_iter().map(both).collect::<Vec<_>>()
            };
            above.get_or_init(cells).iter().any(|(want, have)| {
                match (want.as_ref().and_then(|c| c.get(&key)), have.as_ref().and_then(|c| c.get(&key))) {
                    (Some(want), Some(have)) => !want.same(have, catalog),
                    (None, None) => false,
                    _ => true,
                }
            })
        };
        if by.is_none() && lost_above() {
            continue;
        }
        let by = by.or_else(|| inherited.iter().rev().find(|(_, change)| change.touches(catalog, &cell.path)));
        // what the base has changed since a copy was made is told of the copy
        if by.is_none() && catalog.stack(at).any(|(_, made)| world.edition_of(made.layer).is_some()) {
            continue;
        }
        // a change of the parent can change anything
        let by = by.or_else(|| changes.iter().rev().find(|(_, change)| !matches!(change.op, ChangeOp::Exists)));
        let Some(by) = by else { continue };
        let (layer, change) = by;
        // an entry and its fields are told once
        if out.last().is_some_and(|last| cell.path.steps().starts_with(last.path.steps())) {
            continue;
        }
        let meaning: Vec<LayerId> =
            changes.iter().filter(|(_, other)| other.touches(catalog, &cell.path)).map(|(layer, _)| *layer).collect();
        // what is laid over others says only what it states; another parent can change anything
        let says = |key: &str| cell.path.first_key().is_none_or(|first| first == key);
        let parent = super::change::parent_path(catalog, at);
        let parent = parent.as_ref().and_then(|path| path.first_key());
        let keys = |node: Node<'_>| {
            node.children()
                .filter_map(Node::key)
                .map(|key| catalog.names.text(key))
                .any(|key| says(key) || Some(key) == parent)
        };
        let of_order = |layer: LayerId| layers.contains(layer);
        let written = catalog
            .stack(at)
            .filter(|(_, made)| of_order(made.layer) && (made.again != Again::Merge || keys(catalog.node(made.at()))));
        let written = written.map(|(_, made)| (made.layer, Some(catalog.definition_place(made.at()))));
        let states = |built: &Built| {
            built.whole
                || built.value.entries(catalog).iter().any(|(key, _)| {
                    let key = catalog.names.text(*key);
                    says(key) || Some(key) == parent
                })
        };
        let built = world.builds.of(at).iter().rev().filter(|(layer, built)| of_order(*layer) && states(built));
        let built = built.map(|(layer, _)| (*layer, None));
        let other = |other: &LayerId| !meaning.contains(other) && other != layer && !catalog.layer(*other).is_base();
        let culprit = built.chain(written).find(|(layer, _)| other(layer));
        // better than the definition is the value in it
        let culprit = culprit.map(|(other, place)| {
            let exact = have.and_then(|cell| cell.place).filter(|at| catalog.file(at.file).layer == Some(other));
            (other, exact.or(place))
        });
        // both reckon with what lies below: what the later one comes to on its own ground is all that shows
        let is_relative = matches!(change.op, ChangeOp::Scale(_) | ChangeOp::Shift(_));
        let earlier = || changes.iter().rev().find(|(other, c)| other != layer && c.touches(catalog, &cell.path));
        let ((layer, change), culprit, reckons) = match (culprit, earlier().filter(|_| is_relative)) {
            (None, Some(lost)) => (lost, Some((*layer, change.stated)), true),
            (culprit, _) => (by, culprit, false),
        };
        out.push(Undone {
            at,
            path: cell.path.clone(),
            by: (*layer, (*change).clone()),
            meant: want.map(|cell| cell.value.clone()),
            shows: have.map(|cell| cell.value.clone()),
            culprit,
            reckons,
        });
    }
    out
}

/// The changes of all that a definition inherits from, in either state.
fn inherited<'c>(states: &[&State<'_>], at: Address, by_address: &ByAddress<'c>) -> Vec<(LayerId, &'c Change)> {
    let (mut todo, mut seen, mut out) = (vec![at], FxHashSet::default(), Vec::new());
    while let Some(here) = todo.pop() {
        if seen.insert(here) {
            out.extend(by_address.get(&here).into_iter().flatten().filter(|(_, change)| change.at != at).copied());
            todo.extend(states.iter().flat_map(|state| state.parents_of(here)));
        }
    }
    out.sort_by_key(|(layer, _)| *layer);
    out
}

/// Who took away what a change is about.
fn hanging_on(catalog: &Catalog, by: (LayerId, Change), by_address: &ByAddress<'_>) -> Hanging {
    let way = by.1.entry();
    let takes = |change: &Change| match change.op {
        ChangeOp::Delete => true,
        ChangeOp::Part(_) | ChangeOp::Hide => way.as_ref() == Some(&change.spot(catalog)),
        _ => false,
    };
    let all = by_address.get(&by.1.at).map_or(&[][..], Vec::as_slice);
    let gone = all.iter().rev().find(|(layer, change)| *layer != by.0 && takes(change));
    Hanging { gone: gone.map(|(layer, change)| (*layer, (*change).clone())), by }
}
