//! A state: the definitions of a view, some of them changed.

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::cells::{Cells, cells, cells_below, same_draft, step_to};
use super::change::{Change, ChangeOp, list_at, only_named};
use crate::catalog::{Address, AmendId, Catalog, LayerId};
use crate::document::{Draft, FieldPath, Shape, Step};
use crate::effective::{
    Content, Effective, How, Joining, Keep, Mark, Obstacle, Operator, Origin, Own, OwnStates, Patch, Taken, Value,
    View, lay,
};
use crate::rulebook::{Again, ListShape};
use crate::source::FileId;

/// The definitions of a view with changes applied to them.
#[derive(Clone)]
pub struct State<'w> {
    view: View<'w>,
    over: FxHashMap<Address, Option<Own>>,
    /// Of changed definitions that take their parents as they are when they are loaded, what they took.
    early: FxHashMap<Address, Arc<Taken>>,
}

impl OwnStates for State<'_> {
    fn own(&self, at: Address) -> Option<Own> {
        match self.over.get(&at) {
            Some(changed) => changed.clone(),
            None => self.view.own(at),
        }
    }

    fn early(&self, child: Address, parent: Address) -> Option<Option<Own>> {
        self.early.get(&child)?.get(&parent).cloned()
    }
}

impl<'w> State<'w> {
    /// What shows in a view.
    pub fn of(view: View<'w>) -> State<'w> {
        State { view, over: FxHashMap::default(), early: FxHashMap::default() }
    }

    pub(super) fn catalog(&self) -> &'w Catalog {
        self.view.catalog
    }

    pub(super) fn own(&self, at: Address) -> Option<Own> {
        OwnStates::own(self, at)
    }

    /// Something of a definition's own state, which is not copied for that.
    fn ask<T>(&self, at: Address, about: impl FnOnce(&Own) -> T) -> Option<T> {
        match self.over.get(&at) {
            Some(changed) => changed.as_ref().map(about),
            None => self.view.own(at).as_ref().map(about),
        }
    }

    /// A definition as it shows in this state.
    pub fn effective(&self, at: Address) -> Option<Effective> {
        self.view.compose(at, self)
    }

    /// The cells of a definition as it shows.
    pub(super) fn cells(&self, at: Address) -> Option<Cells> {
        let effective = self.effective(at)?;
        let catalog = self.catalog();
        Some(cells(catalog, &effective.value, catalog.rulebook.kind(effective.kind).root))
    }

    /// The cells of one field of a definition as it shows.
    pub(super) fn cells_of(&self, at: Address, field: &str) -> Cells {
        let catalog = self.catalog();
        let Some(effective) = self.effective(at) else { return Cells::new() };
        cells_below(catalog, &effective.value, catalog.rulebook.kind(effective.kind).root, field)
    }

    /// The view of one layer alone.
    pub(super) fn alone(&self, layer: LayerId) -> View<'w> {
        self.view.of([layer].into_iter().collect())
    }

    /// The parents that a definition names.
    pub(super) fn parents_of(&self, at: Address) -> Vec<Address> {
        self.ask(at, |own| self.view.parents_of(own)).unwrap_or_default()
    }

    /// Whether what a change is about is there.
    pub(super) fn has_ground_for(&self, change: &Change) -> bool {
        match change.op {
            ChangeOp::Exists | ChangeOp::Define(_) => return true,
            _ => {}
        }
        if self.ask(change.at, |_| ()).is_none() {
            return false;
        }
        let Some(way) = change.entry() else { return true };
        self.effective(change.at).is_some_and(|effective| effective.value.at(self.catalog(), &way).is_some())
    }

    /// Applies the changes of one layer, one after the other. What has nothing under it has no effect.
    pub fn apply<'c>(&mut self, changes: impl IntoIterator<Item = &'c Change>) {
        let mut touched = Vec::new();
        for change in changes {
            self.apply_one(change);
            touched.push(change.at);
        }
        self.load(&touched);
    }

    /// What a definition would show with one change more, below the field that it changes.
    pub(super) fn tried(&mut self, change: &Change) -> Cells {
        let (over, early) = (self.over.get(&change.at).cloned(), self.early.get(&change.at).cloned());
        self.apply([change]);
        let cells = match change.path.first_key() {
            Some(field) => self.cells_of(change.at, field),
            None => self.cells(change.at).unwrap_or_default(),
        };
        match over {
            Some(over) => drop(self.over.insert(change.at, over)),
            None => drop(self.over.remove(&change.at)),
        }
        match early {
            Some(early) => drop(self.early.insert(change.at, early)),
            None => drop(self.early.remove(&change.at)),
        }
        cells
    }

    /// Definitions that are loaded with a layer take their parents as they are now, where the game does so.
    pub(super) fn load(&mut self, touched: &[Address]) {
        let rulebook = &self.catalog().rulebook;
        if !rulebook.binds_early() {
            return;
        }
        for at in touched {
            let Some(own) = self.own(*at).filter(|own| rulebook.kind(own.kind).early) else { continue };
            let mut taken = Taken::default();
            let before = |parent: Address, own: &Own, taken: &mut Taken| {
                if touched.contains(&parent) {
                    return false;
                }
                match self.early.get(&parent) {
                    Some(earlier) => earlier.iter().for_each(|(at, own)| {
                        taken.entry(*at).or_insert_with(|| own.clone());
                    }),
                    None => self.view.taken_in_layer(own, taken),
                }
                true
            };
            self.view.taken_now(&own, &|parent| self.own(parent), &before, &mut taken);
            self.early.insert(*at, Arc::new(taken));
        }
    }

    /// One change of a layer; [`State::load`] comes when the layer is through.
    pub(super) fn apply_one(&mut self, change: &Change) {
        let catalog = self.catalog();
        let at = change.at;
        match &change.op {
            ChangeOp::Define(defined) => {
                let new = defined.0.clone();
                let kind = catalog.rulebook.kind(new.kind);
                // where definitions merge, what another mod has defined there stays
                let own = match self.own(at).filter(|old| kind.again == Again::Merge && old.kind == new.kind) {
                    Some(old) => Own { value: lay(catalog, old.value, new.value, Some(kind.root), Keep::All), ..new },
                    None => new,
                };
                self.over.insert(at, Some(own));
            }
            ChangeOp::Delete => drop(self.over.insert(at, None)),
            ChangeOp::Exists => {
                if self.own(at).is_none() {
                    let kind = catalog.kind_of(at).unwrap_or_else(|| catalog.rulebook.kind_in(at.space));
                    let value = Value::new(Content::Table(Vec::new()), self.origin(change));
                    self.over.insert(at, Some(Own { kind, value }));
                }
            }
            _ => {
                let Some(mut own) = self.own(at) else { return };
                if catalog.rulebook.kind(own.kind).early {
                    self.load(&[at]);
                }
                let root = catalog.rulebook.kind(own.kind).root;
                let steps = change.path.steps();
                let entry = steps.iter().position(|step| !matches!(step, Step::Key(_)));
                let done = match entry.map(|nth| steps.split_at(nth)) {
                    Some((list, below)) if matches!(below.first(), Some(Step::Match(_))) => {
                        let made = |old: Option<Value>| self.in_entry(change, old, list.len());
                        Self::operator(catalog).change(&mut own.value, list, Some(root), None, &made)
                    }
                    numbered => {
                        // entries without a key are those of the list that is there
                        let shown = numbered.and_then(|(list, _)| {
                            self.effective(at)?.value.at(catalog, &FieldPath::from(list.to_vec()))
                        });
                        let made = |old: Option<Value>| self.changed(change, old);
                        Self::operator(catalog).change(&mut own.value, steps, Some(root), shown.as_ref(), &made)
                    }
                };
                if done.is_ok() {
                    self.over.insert(at, Some(own));
                }
            }
        }
    }

    fn operator(catalog: &Catalog) -> Operator<'_> {
        Operator { catalog, layer: LayerId::BASE, amendment: AmendId(u32::MAX), file: FileId::default() }
    }

    /// A list with a change in one of its entries. Of an entry that is only inherited, the change waits for it.
    fn in_entry(&self, change: &Change, old: Option<Value>, nth: usize) -> Result<Option<Value>, Obstacle> {
        let catalog = self.catalog();
        let steps = change.path.steps();
        let (Some(below), Some(Step::Match(parts))) = (steps.get(nth..), steps.get(nth)) else { return Ok(old) };
        let rest = below.get(1..).unwrap_or_default();
        let missing = || Obstacle::NoEntry(FieldPath::from(below.to_vec()).to_string());
        let path = change.path.take(nth);
        let (list, ty) = list_at(catalog, change.at, &path).ok_or_else(missing)?;
        let made = |old: Option<Value>| self.changed(change, old);
        if let Some(own) = old.as_ref().filter(|old| !waits(old)) {
            let mut whole = own.clone();
            match Self::operator(catalog).change(&mut whole, below, Some(ty), None, &made) {
                Ok(()) => return Ok(Some(whole)),
                Err(obstacle) if !list.join => return Err(obstacle),
                Err(_) => {}
            }
        }
        let origin = self.origin(change);
        let mut joining = waiting(catalog, old.as_ref());
        let within = |fields: &mut Value| Self::operator(catalog).change(fields, rest, Some(list.entry), None, &made);
        if rest.is_empty() {
            // the whole entry
            joining.add.retain(|item| !item.matches(catalog, parts));
            joining.patch.retain(|patch| patch.of != *parts);
            joining.add.extend(made(None)?.filter(|_| matches!(change.op, ChangeOp::Set(_))));
        } else if let Some(item) = joining.add.iter_mut().find(|item| item.matches(catalog, parts)) {
            within(item)?;
            Self::operator(catalog).start_from_default(item, rest, list.entry)?;
        } else if rest.iter().all(|step| matches!(step, Step::Key(_))) {
            match joining.patch.iter_mut().find(|patch| patch.of == *parts) {
                Some(patch) => within(&mut patch.fields)?,
                None => {
                    let mut fields = Value::new(Content::Table(Vec::new()), origin);
                    within(&mut fields)?;
                    joining.patch.push(Patch { of: parts.clone(), fields });
                }
            }
        } else {
            // what lies in further lists is taken over as it is
            let way = path.with(Step::Match(parts.clone()));
            let shown = self.effective(change.at).and_then(|shown| shown.value.at(catalog, &way));
            let mut entry = shown.ok_or_else(missing)?;
            within(&mut entry)?;
            joining.add.push(entry);
        }
        Ok(Some(Value::new(Content::Joining(Arc::new(joining)), origin)))
    }

    fn origin(&self, change: &Change) -> Origin {
        Origin { place: change.stated, layer: LayerId::BASE, how: How::Own, from: None, carried: None }
    }

    /// The new value in the place of an old one.
    fn changed(&self, change: &Change, old: Option<Value>) -> Result<Option<Value>, Obstacle> {
        let catalog = self.catalog();
        let origin = self.origin(change);
        let made = |draft: &Draft| Value::new(Content::Made(Arc::new(draft.clone())), origin);
        let instead = |value: Value| Value::new(Content::Marked(Mark::Replace, Arc::new(value)), origin);
        // a joined list that was set as a whole stays without what is inherited
        if let Some(Content::Marked(Mark::Replace, inner)) = old.as_ref().map(Value::content)
            && matches!(change.op, ChangeOp::Join(_) | ChangeOp::Part(_) | ChangeOp::Append(_))
        {
            let list = Value::new(Content::List(inner.items(catalog)), origin);
            return Ok(self.in_list(change, Some(list), false)?.map(instead));
        }
        let joined = || list_at(catalog, change.at, &change.path).is_some_and(|(list, _)| list.join);
        Ok(match &change.op {
            ChangeOp::Set(draft @ Draft::List(_)) if joined() => Some(instead(made(draft))),
            ChangeOp::Set(draft) => Some(made(draft)),
            ChangeOp::Hide => Some(Value::new(Content::Hidden, origin)),
            ChangeOp::Scale(by) | ChangeOp::Shift(by) => {
                let step = (matches!(change.op, ChangeOp::Scale(_)), *by);
                Some(Operator::stepped(catalog, old, step, origin)?)
            }
            ChangeOp::Append(_) | ChangeOp::Join(_) | ChangeOp::Part(_) => self.in_list(change, old, joined())?,
            _ => None,
        })
    }

    /// A list with entries that come or go. `join`: what is inherited comes to it.
    fn in_list(&self, change: &Change, old: Option<Value>, join: bool) -> Result<Option<Value>, Obstacle> {
        let catalog = self.catalog();
        let origin = self.origin(change);
        let made = |draft: &Draft| Value::new(Content::Made(Arc::new(draft.clone())), origin);
        let list = list_at(catalog, change.at, &change.path).map(|(list, _)| list);
        Ok(match &change.op {
            ChangeOp::Append(entries) => {
                let entry = list.map(|list| list.entry);
                let append = |items: &mut Vec<Value>| {
                    let last = items.iter().rev().zip(entries.iter().rev());
                    // equal changes agree, but where lists are joined, all that is stated counts
                    let there = list.is_none_or(|list| !list.join)
                        && items.len() >= entries.len()
                        && last.into_iter().all(|(a, b)| same_draft(catalog, &a.draft(catalog), b, entry));
                    if !there {
                        items.extend(entries.iter().map(made));
                    }
                };
                // also where it is joined, what is stated is the end of it
                if let Some(own) = old.as_ref().filter(|old| !waits(old)) {
                    let mut items = own.items(catalog);
                    append(&mut items);
                    return Ok(Some(Value::new(Content::List(items), origin)));
                }
                let mut change = waiting(catalog, old.as_ref());
                append(&mut change.add);
                Some(Value::new(Content::Joining(Arc::new(change)), origin))
            }
            ChangeOp::Join(entry) | ChangeOp::Part(entry) => {
                let joins = matches!(change.op, ChangeOp::Join(_));
                let is_it = |item: &Value| {
                    let draft = item.draft(catalog);
                    match list {
                        Some(list) if list.shape == ListShape::Keyed => {
                            step_to(catalog, list, &draft) == step_to(catalog, list, entry)
                        }
                        Some(list) => same_draft(catalog, &draft, entry, Some(list.entry)),
                        None => draft == *entry,
                    }
                };
                // in a bag equal entries count
                let counts = list.is_some_and(|list| list.shape == ListShape::Bag);
                let place = |items: &mut Vec<Value>| match (items.iter().position(is_it), joins) {
                    (Some(_), true) if counts => items.push(made(entry)),
                    (Some(at), true) => {
                        if let Some(slot) = items.get_mut(at) {
                            // where lists are joined, so are the fields of their entries; one that says nothing but
                            // that it is there leaves what is
                            let joined = list.is_some_and(|list| {
                                list.shape == ListShape::Keyed && (list.join || only_named(catalog, list, entry))
                            });
                            *slot = made(&if joined { merged(slot.draft(catalog), entry) } else { entry.clone() });
                        }
                    }
                    (Some(at), false) => drop(items.remove(at)),
                    (None, true) => items.push(made(entry)),
                    (None, false) => {}
                };
                if join || old.as_ref().is_none_or(waits) {
                    // what is inherited comes to it: what comes and what goes is kept apart
                    let mut change = waiting(catalog, old.as_ref());
                    if counts {
                        // one that goes and one that comes are none
                        let (this, other) = match joins {
                            true => (&mut change.add, &mut change.remove),
                            false => (&mut change.remove, &mut change.add),
                        };
                        match other.iter().position(is_it) {
                            Some(at) => drop(other.remove(at)),
                            None => this.push(made(entry)),
                        }
                        return Ok(Some(Value::new(Content::Joining(Arc::new(change)), origin)));
                    }
                    place(&mut change.add);
                    change.remove.retain(|item| !is_it(item));
                    if !joins {
                        if let Some(Step::Match(parts)) = list.map(|list| step_to(catalog, list, entry)) {
                            change.patch.retain(|patch| patch.of != parts);
                        }
                        change.remove.push(made(entry));
                    }
                    return Ok(Some(Value::new(Content::Joining(Arc::new(change)), origin)));
                }
                let mut items = old.map(|list| list.items(catalog)).unwrap_or_default();
                place(&mut items);
                Some(Value::new(Content::List(items), origin))
            }
            _ => old,
        })
    }

    /// Whether a definition itself writes a value.
    pub(super) fn writes(&self, at: Address, path: &FieldPath) -> bool {
        let own = self.own(at).and_then(|own| own.value.at(self.catalog(), path));
        own.is_some_and(|value| {
            !matches!(value.content(), Content::Pending(_)) && value.shape(self.catalog()) != Shape::Null
        })
    }
}

/// Whether a list waits for what is inherited.
fn waits(list: &Value) -> bool {
    matches!(list.content(), Content::Joining(_))
}

/// What a list has that comes to what is inherited.
fn waiting(catalog: &Catalog, list: Option<&Value>) -> Joining {
    match list.map(|list| (list, list.content())) {
        Some((_, Content::Joining(change))) => (**change).clone(),
        Some((list, _)) => Joining { add: list.items(catalog), ..Joining::default() },
        None => Joining::default(),
    }
}

/// One table over another, field by field.
fn merged(mut below: Draft, above: &Draft) -> Draft {
    if let (Draft::Table(entries), Draft::Table(fields)) = (&mut below, above) {
        for (key, value) in fields {
            match entries.iter_mut().find(|(known, _)| known == key) {
                Some((_, known)) => *known = value.clone(),
                None => entries.push((key.clone(), value.clone())),
            }
        }
        return below;
    }
    above.clone()
}
