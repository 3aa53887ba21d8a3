//! A state: the definitions of a view, some of them changed.

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::cells::{Cells, cells, same_draft, step_to};
use super::change::{Change, ChangeOp, list_at};
use crate::catalog::{Address, AmendId, Catalog, LayerId};
use crate::document::{Draft, FieldPath, Shape, Step};
use crate::effective::{Content, Effective, How, Joining, Obstacle, Operator, Origin, Own, OwnStates, Value, View};
use crate::rulebook::ListShape;
use crate::source::FileId;

/// The definitions of a view with changes applied to them.
#[derive(Clone)]
pub struct State<'w> {
    view: View<'w>,
    over: FxHashMap<Address, Option<Own>>,
    /// Of changed definitions that take their parents as they are when they are loaded, what they took.
    early: FxHashMap<Address, Arc<FxHashMap<Address, Option<Own>>>>,
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

    /// The view of one layer alone.
    pub(super) fn alone(&self, layer: LayerId) -> View<'w> {
        self.view.of([layer].into_iter().collect())
    }

    /// The parents that a definition names.
    pub(super) fn parents_of(&self, at: Address) -> Vec<Address> {
        self.own(at).map(|own| self.view.parents_of(&own)).unwrap_or_default()
    }

    /// Whether what a change is about is there.
    pub(super) fn has_ground_for(&self, change: &Change) -> bool {
        match change.op {
            ChangeOp::Exists | ChangeOp::Define(_) => return true,
            _ => {}
        }
        if self.own(change.at).is_none() {
            return false;
        }
        let entry = change.path.steps().iter().rposition(|step| matches!(step, Step::Match(_)));
        let Some(entry) = entry else { return true };
        let way = FieldPath::from(change.path.steps().iter().take(entry + 1).cloned().collect::<Vec<_>>());
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

    /// Definitions that are loaded with a layer take their parents as they are now, where the game does so.
    pub(super) fn load(&mut self, touched: &[Address]) {
        let rulebook = &self.catalog().rulebook;
        if !rulebook.kinds().any(|(_, kind)| kind.early) {
            return;
        }
        for at in touched {
            let Some(own) = self.own(*at).filter(|own| rulebook.kind(own.kind).early) else { continue };
            let mut taken = FxHashMap::default();
            self.taken(&own, &mut taken);
            self.early.insert(*at, Arc::new(taken));
        }
    }

    /// What a definition's parents are now, and what these took when they were loaded.
    fn taken(&self, child: &Own, taken: &mut FxHashMap<Address, Option<Own>>) {
        for parent in self.view.parents_of(child) {
            if taken.contains_key(&parent) {
                continue;
            }
            let own = self.own(parent);
            taken.insert(parent, own.clone());
            let Some(own) = own else { continue };
            match self.early.get(&parent) {
                Some(earlier) => {
                    for (at, own) in earlier.iter() {
                        taken.entry(*at).or_insert_with(|| own.clone());
                    }
                }
                None => State::of(self.view.up_to(own.value.origin().layer)).taken(&own, taken),
            }
        }
    }

    /// One change of a layer; [`State::load`] comes when the layer is through.
    pub(super) fn apply_one(&mut self, change: &Change) {
        let catalog = self.catalog();
        let at = change.at;
        match &change.op {
            ChangeOp::Define(defined) => drop(self.over.insert(at, Some(defined.0.clone()))),
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
                let root = catalog.rulebook.kind(own.kind).root;
                let through_list = change.path.steps().iter().any(|step| !matches!(step, Step::Key(_)));
                let needs_inherited = through_list || matches!(change.op, ChangeOp::Join(_) | ChangeOp::Part(_));
                let inherited = needs_inherited.then(|| {
                    let leading = change.path.leading_keys();
                    self.effective(at).and_then(|effective| effective.value.at(catalog, &leading))
                });
                let operator =
                    Operator { catalog, layer: LayerId::BASE, amendment: AmendId(u32::MAX), file: FileId::default() };
                let made = |old: Option<Value>| self.changed(change, old, inherited.clone().flatten());
                let done = operator.change(
                    &mut own.value,
                    change.path.steps(),
                    root,
                    inherited.clone().flatten().as_ref(),
                    &made,
                );
                match done {
                    Ok(()) => drop(self.over.insert(at, Some(own))),
                    // a field of an entry that is only inherited: the entry joins with it
                    Err(_) => {
                        if let Some(joining) = self.joining(change) {
                            self.apply_one(&joining);
                        }
                    }
                }
            }
        }
    }

    /// A change inside an inherited entry of a joined list, as the entry that joins.
    fn joining(&self, change: &Change) -> Option<Change> {
        let catalog = self.catalog();
        let ChangeOp::Set(value) = &change.op else { return None };
        let nth = change.path.steps().iter().position(|step| matches!(step, Step::Match(_)))?;
        let list = FieldPath::from(change.path.steps().iter().take(nth).cloned().collect::<Vec<_>>());
        let way = FieldPath::from(change.path.steps().iter().take(nth + 1).cloned().collect::<Vec<_>>());
        list_at(catalog, change.at, &list).filter(|(list, _)| list.join)?;
        let mut entry = self.effective(change.at)?.value.at(catalog, &way)?.draft(catalog);
        put(&mut entry, change.path.steps().get(nth + 1..)?, value)?;
        Some(Change { path: list, op: ChangeOp::Join(entry), ..change.clone() })
    }

    fn origin(&self, change: &Change) -> Origin {
        Origin { place: change.stated, layer: LayerId::BASE, how: How::Own, from: None, carried: None }
    }

    /// The new value in the place of an old one.
    fn changed(
        &self,
        change: &Change,
        old: Option<Value>,
        inherited: Option<Value>,
    ) -> Result<Option<Value>, Obstacle> {
        let catalog = self.catalog();
        let origin = self.origin(change);
        let made = |draft: &Draft| Value::new(Content::Made(Arc::new(draft.clone())), origin);
        Ok(match &change.op {
            ChangeOp::Set(draft) => Some(made(draft)),
            ChangeOp::Hide => Some(Value::new(Content::Hidden, origin)),
            ChangeOp::Scale(by) | ChangeOp::Shift(by) => {
                let step = (matches!(change.op, ChangeOp::Scale(_)), *by);
                Some(Operator::stepped(catalog, old, step, origin)?)
            }
            ChangeOp::Join(entry) | ChangeOp::Part(entry) => {
                let joins = matches!(change.op, ChangeOp::Join(_));
                let list = list_at(catalog, change.at, &change.path).map(|(list, _)| list);
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
                let place = |items: &mut Vec<Value>| match (items.iter().position(is_it), joins) {
                    (Some(at), true) => {
                        if let Some(slot) = items.get_mut(at) {
                            // where lists are joined, so are the fields of their entries
                            let joined = list.is_some_and(|list| list.join && list.shape == ListShape::Keyed);
                            *slot = made(&if joined { merged(slot.draft(catalog), entry) } else { entry.clone() });
                        }
                    }
                    (Some(at), false) => drop(items.remove(at)),
                    (None, true) => items.push(made(entry)),
                    (None, false) => {}
                };
                if list.is_some_and(|list| list.join) {
                    // what is inherited joins it: what comes and what goes is kept apart
                    let mut change = match old.as_ref().map(Value::content) {
                        Some(Content::Joining(change)) => (**change).clone(),
                        Some(_) => Joining {
                            add: old.as_ref().map(|old| old.items(catalog)).unwrap_or_default(),
                            ..Joining::default()
                        },
                        None => Joining::default(),
                    };
                    place(&mut change.add);
                    change.remove.retain(|item| !is_it(item));
                    if !joins {
                        change.remove.push(made(entry));
                    }
                    return Ok(Some(Value::new(Content::Joining(Arc::new(change)), origin)));
                }
                // a list that is only inherited is taken over as it is
                let whole = old.or(inherited);
                let mut items = whole.map(|list| list.items(catalog)).unwrap_or_default();
                place(&mut items);
                Some(Value::new(Content::List(items), origin))
            }
            _ => None,
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

/// Puts a value at a path of keys, with the tables on the way.
fn put(here: &mut Draft, steps: &[Step], value: &Draft) -> Option<()> {
    let Some((Step::Key(key), rest)) = steps.split_first() else {
        *here = value.clone();
        return steps.is_empty().then_some(());
    };
    let Draft::Table(entries) = here else { return None };
    if !entries.iter().any(|(known, _)| known == key) {
        entries.push((key.clone(), Draft::Table(Vec::new())));
    }
    let (_, inner) = entries.iter_mut().rev().find(|(known, _)| known == key)?;
    put(inner, rest, value)
}
