//! What a mod changes, in the terms of the game.

use std::collections::BTreeSet;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::apply::State;
use super::cells::{Cell, Cells, Sort, differing, same_draft};
use super::change::{Change, ChangeOp};
use super::intents::intents_in;
use super::said::{TextChange, texts};
use crate::catalog::{Address, Catalog, LayerId, LayerSet};
use crate::document::{Draft, FieldPath};
use crate::effective::{View, World};
use crate::names::Sym;
use crate::rulebook::{Again, KindId, TypeId};
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
    /// Where it is stated, in a file of the workspace.
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

impl ChangedDefinition {
    /// `kind/id`, as people name it.
    pub fn address(&self, catalog: &Catalog) -> String {
        format!("{}/{}", catalog.rulebook.kind(self.kind).name(), catalog.names.text(self.at.id))
    }
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
    /// Definitions that count beside others of their id, or have none, by kind and id.
    pub beside: Vec<Beside>,
    /// Texts that are said otherwise, or in more languages.
    pub texts: Vec<TextChange>,
}

/// Definitions without an address of their own: of a kind that accumulates, or without an id.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Beside {
    /// Their kind.
    pub kind: KindId,
    /// The id that they share, if they have one.
    pub id: Option<Sym>,
    /// How many come.
    pub more: usize,
    /// How many go.
    pub fewer: usize,
}

/// What a layer is compared with.
#[derive(Clone, Copy)]
pub enum Against<'w> {
    /// What it stands on, in the edition it was made for.
    Ground,
    /// What it stands on, in the base that is here.
    Base,
    /// Another mod with what that stands on.
    Mod(LayerId),
    /// What it stands on in another edition of the base; of the base itself, that edition.
    Edition(&'w World),
    /// Another version of the same mod.
    Version(&'w World),
    /// What some players have without it, and what they have with it and the parts of it that apply then.
    Players(&'w LayerSet, &'w LayerSet),
}

/// What a layer changes of what it stands on, or of what something else shows.
pub fn changes(world: &World, layer: LayerId, against: Against<'_>) -> ChangesReport {
    let home = &world.catalog;
    let world = match against {
        Against::Ground => world.made_on(layer),
        _ => world,
    };
    let is_base = world.catalog.layer(layer).is_base();
    let other: &World = match against {
        Against::Edition(other) | Against::Version(other) => other,
        _ => world,
    };
    let (before, after) = match against {
        Against::Ground | Against::Base => (world.ground(layer), world.with_ground(layer)),
        Against::Mod(lower) => (world.with_ground(lower), world.with_ground(layer)),
        Against::Edition(_) if is_base => {
            (other.view().of(other.catalog.base()), world.view().of(world.catalog.base()))
        }
        Against::Edition(_) => (other.ground(layer), other.with_ground(layer)),
        Against::Version(_) => (other.with_ground(layer), world.with_ground(layer)),
        Against::Players(before, after) => (world.view().of(before.clone()), world.view().of(after.clone())),
    };
    let means = match against {
        _ if is_base => Vec::new(),
        Against::Players(_, after) => {
            let parts = world.catalog.parts_of(layer).into_iter().filter(|part| after.contains(*part));
            std::iter::once(layer).chain(parts).flat_map(|layer| intents_in(world, layer, &|_| true)).collect()
        }
        Against::Edition(_) => intents_in(other, layer, &|_| true),
        _ => intents_in(world, layer, &|_| true),
    };
    let mut touched: BTreeSet<Address> = means.iter().map(|change| change.at).collect();
    let lower = match against {
        Against::Mod(lower) => intents_in(world, lower, &|_| true),
        Against::Version(_) => intents_in(other, layer, &|_| true),
        _ => Vec::new(),
    };
    touched.extend(lower.into_iter().map(|change| change.at));
    if is_base {
        touched.extend([&before, &after].into_iter().flat_map(|view| view.catalog.stacks.addresses()));
    }
    let heirs = descendants(&after, &touched);
    let beside = beside(&before, &after);
    let mut speaking = world.catalog.parts_of(layer);
    speaking.push(layer);
    if let Against::Mod(lower) = against {
        speaking.push(lower);
    }
    let mut texts = texts(&before, &after, &speaking);
    let mut report = compared(&State::of(before), &State::of(after), touched, &heirs, &means);
    // files of another edition or version are none of this workspace
    let all = [&mut report.added, &mut report.changed, &mut report.removed, &mut report.inheriting];
    for line in all.into_iter().flatten().flat_map(|one| &mut one.lines) {
        line.place = line.place.filter(|place| home.document(place.file).is_some());
    }
    for text in &mut texts {
        text.place = text.place.filter(|place| home.document(place.file).is_some());
    }
    ChangesReport { beside, texts, ..report }
}

/// What definitions without an address of their own come and go between two views, equal ones counted.
fn beside(before: &View<'_>, after: &View<'_>) -> Vec<Beside> {
    type Bag = FxHashMap<(KindId, Option<Sym>, String), usize>;
    let bag = |view: &View<'_>, less: &View<'_>| {
        let mut bag = Bag::default();
        let shared = std::ptr::eq(view.catalog, less.catalog);
        for (_, made) in view.catalog.definitions().filter(|(_, made)| view.layers().contains(made.layer)) {
            let lasts = made.id.is_some() && made.again != Again::Variant;
            // what both have is no matter
            if lasts || (shared && less.layers().contains(made.layer)) {
                continue;
            }
            let content = Draft::of(view.catalog.node(made.at()), view.catalog.names()).short();
            *bag.entry((made.kind, made.id, content)).or_default() += 1;
        }
        bag
    };
    let (old, new) = (bag(before, after), bag(after, before));
    let mut found: FxHashMap<(KindId, Option<Sym>), (usize, usize)> = FxHashMap::default();
    for key in old.keys().chain(new.keys().filter(|key| !old.contains_key(*key))) {
        let many = |bag: &Bag| bag.get(key).copied().unwrap_or(0);
        let (more, fewer) = found.entry((key.0, key.1)).or_default();
        *more += many(&new).saturating_sub(many(&old));
        *fewer += many(&old).saturating_sub(many(&new));
    }
    let all = found.into_iter().filter(|(_, (more, fewer))| more + fewer > 0);
    let mut out: Vec<Beside> = all.map(|((kind, id), (more, fewer))| Beside { kind, id, more, fewer }).collect();
    let word = |one: &Beside| one.id.map(|id| after.catalog.names().text(id));
    out.sort_by(|a, b| (a.kind, word(a)).cmp(&(b.kind, word(b))));
    out
}

/// What differs between two states, at the definitions that are touched and at those that inherit from them.
fn compared(
    before: &State<'_>,
    after: &State<'_>,
    touched: BTreeSet<Address>,
    heirs: &[Address],
    means: &[Change],
) -> ChangesReport {
    let catalog = after.catalog();
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
        let made = definition(if told.is { catalog } else { before.catalog() }, *at, told.lines);
        match (told.was, told.is) {
            (false, _) => report.added.push(made),
            (true, false) => report.removed.push(made),
            (true, true) if nothing => {}
            (true, true) => report.changed.push(made),
        }
    }
    let inheriting = heirs.par_iter().filter_map(|at| {
        let (old, new) = (before.cells(*at)?, after.cells(*at)?);
        let lines = lines(catalog, Some(&old), Some(&new), &[]);
        (!lines.is_empty()).then(|| definition(catalog, *at, lines))
    });
    report.inheriting = inheriting.collect();
    for list in [&mut report.added, &mut report.changed, &mut report.removed, &mut report.inheriting] {
        list.sort_by(|a, b| (a.kind, catalog.names.text(a.at.id)).cmp(&(b.kind, catalog.names.text(b.at.id))));
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
    let Some(old) = old.filter(|_| change.stated.is_some()) else { return false };
    let of_kind = || {
        let root = catalog.rulebook.kind(catalog.kind_of(change.at)?).root;
        catalog.rulebook.type_at(root, &change.path, &catalog.names).ok()
    };
    let ty = old.get(&change.path.to_string()).map_or_else(of_kind, |cell| cell.ty);
    shown(catalog, old, &change.path, ty).is_some_and(|was| same_draft(catalog, &was, value, ty))
}

/// What a value is, stated or by default; nothing where even what it is in is not there.
fn shown(catalog: &Catalog, cells: &Cells, path: &FieldPath, ty: Option<TypeId>) -> Option<Draft> {
    if let Some(cell) = cells.get(&path.to_string()) {
        return Some(cell.value.clone());
    }
    let (above, _) = path.split_last()?;
    let above = above.to_string();
    let mut below = cells.range(above.clone()..).map_while(|(key, _)| key.strip_prefix(&above));
    // of a name that is longer it is only the beginning
    let around = below.any(|rest| above.is_empty() || rest.is_empty() || rest.starts_with(['.', '[']));
    let default = ty.and_then(|ty| catalog.rulebook.field_type(ty).default());
    default.filter(|_| around).cloned()
}

fn definition(catalog: &Catalog, at: Address, lines: Vec<ChangeLine>) -> ChangedDefinition {
    let kind = catalog.kind_of(at).unwrap_or_else(|| catalog.rulebook.kind_in(at.space));
    ChangedDefinition { at, kind, name: catalog.seen().readable_name(at), lines }
}

fn lines(catalog: &Catalog, old: Option<&Cells>, new: Option<&Cells>, own: &[&Change]) -> Vec<ChangeLine> {
    let empty = Cells::new();
    let (old, new) = (old.unwrap_or(&empty), new.unwrap_or(&empty));
    let mut out: Vec<ChangeLine> = Vec::new();
    // an entry that comes or goes is told whole
    let mut whole: Option<&FieldPath> = None;
    for (cell, is, was) in differing(new, old, catalog) {
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
        // of one that comes or goes as a whole, only what is stated
        let value = |there: Option<&Cell>, cells: &Cells| match there {
            Some(there) => Some(there.value.clone()),
            None if is_entry || old.is_empty() => None,
            None => shown(catalog, cells, &cell.path, cell.ty),
        };
        let (before, after) = (value(was, old), value(is, new));
        if before.as_ref().zip(after.as_ref()).is_some_and(|(a, b)| same_draft(catalog, a, b, cell.ty)) {
            continue;
        }
        let why = by.and_then(|change| change.why.clone());
        // what comes to the end of a list is told by itself
        if let Some((change, items)) = by.and_then(|change| match &change.op {
            ChangeOp::Append(items) if was.is_some() && is.is_some() => Some((change, items)),
            _ => None,
        }) {
            out.extend(items.iter().map(|item| ChangeLine {
                path: cell.path.clone(),
                ty: cell.ty,
                is_entry: true,
                before: None,
                after: Some(item.clone()),
                place: change.stated.or(is.and_then(|cell| cell.place)),
                why: why.clone(),
            }));
            continue;
        }
        out.push(ChangeLine {
            path: if is_entry { cell.list.clone() } else { cell.path.clone() },
            ty: cell.ty,
            is_entry,
            before,
            after,
            place: by.and_then(|change| change.stated).or(is.and_then(|cell| cell.place)),
            why,
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
        for parent in view.parents_at(id) {
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
