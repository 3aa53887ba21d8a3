//! What is written for a definition of a kind that merges: only what the layer's amendments change.

use std::sync::Arc;

use super::{Builder, Built, Loading, ProblemKind};
use crate::catalog::{Address, AmendId, Catalog, Definition, Op, OpKind};
use crate::document::{Draft, FieldPath, NodeRef, Shape, Step};
use crate::effective::stated::{calculated, coming_and_going, joined_statement};
use crate::effective::value::{Content, How, Origin, Value};
use crate::effective::view::{Effective, Own};
use crate::rulebook::{KindId, TypeId};

impl Builder<'_> {
    /// Whether a list of elements has no entries left: elements that are not there say nothing.
    fn emptied_without_notation(&self, address: Address, ty: Option<TypeId>, shows: &Value) -> bool {
        let catalog = self.catalog;
        let packed = ty.and_then(|ty| catalog.rulebook.field_type(ty).written.as_ref());
        let packed = packed.is_some_and(|written| !written.split.is_empty());
        let lacks_it = |(_, made): (_, &Definition)| catalog.node(made.at()).document().notation().lists_by_entry();
        let empty = shows.shape(catalog) == Shape::List && shows.items(catalog).is_empty();
        empty && !packed && self.ground.stack(address).next().is_some_and(lacks_it)
    }

    /// A change relative to what shows below, where the game has operations for it that say the same.
    fn relative(
        &self,
        address: Address,
        (kind, ty): (KindId, TypeId),
        path: &FieldPath,
        (shows, was): (&Value, &Value),
    ) -> Option<Value> {
        let catalog = self.catalog;
        catalog.rulebook.kind(kind).operations.as_ref()?;
        let mut steps = Vec::new();
        let mut entries = false;
        for (id, _, op) in self.working(address).filter(|(.., op)| op.path.is_on_one_way(path)) {
            match op.kind {
                _ if op.path != *path => return None,
                OpKind::Multiply | OpKind::Shift => {
                    let file = catalog.amendment(id)?.1.file;
                    let number = op.by(&catalog.rulebook, catalog.node(NodeRef { file, node: op.value }))?;
                    steps.push((op.kind == OpKind::Multiply, number));
                }
                OpKind::Add | OpKind::Remove => entries = true,
                OpKind::Set | OpKind::Replace | OpKind::Unset => return None,
            }
        }
        match entries {
            false => calculated(catalog, (kind, ty), &steps, shows, was),
            true => coming_and_going(catalog, (kind, ty), shows, was),
        }
    }

    /// In kinds that merge, only what is changed is written.
    pub(super) fn partial(&self, address: Address, state: &Own, shown: &Effective) -> Built {
        let catalog = self.catalog;
        let mut own: Vec<_> = catalog.stack(address).map(|(_, d)| d).filter(|d| d.layer == self.layer).collect();
        own.reverse();
        let mut part: Option<Own> = None;
        for definition in own {
            part = self.ground.over(part, definition);
        }
        let origin = Origin { place: None, layer: self.layer, how: How::Own, from: None, carried: None };
        let mut value = part.map_or_else(|| Value::new(Content::Table(Vec::new()), origin), |part| part.value);
        // what shows without this layer's changes of it, but with those of its parents
        let below = self.ground.own(address);
        let before = below.and_then(|own| self.ground.compose(address, &Loading::new(self, address, own)));
        self.no_numbers(address, state, shown);
        let mut relative: Vec<FieldPath> = Vec::new();
        let working: Vec<_> = self.working(address).collect();
        for (id, nth, op) in working.iter().copied() {
            let not_sayable = |reason| self.problem(id, Some(address), ProblemKind::NotSayable(nth, reason));
            // lists are written whole
            let path = op.path.leading_keys();
            if relative.contains(&path) {
                continue;
            }
            let was = before.as_ref().and_then(|before| before.value.at(catalog, &path));
            let Some(shows) = shown.value.at(catalog, &path) else {
                if was.is_some() {
                    not_sayable("this kind merges fields, so what a lower layer states cannot be taken away");
                }
                continue;
            };
            let root = catalog.rulebook.kind(state.kind).root;
            let ty = catalog.rulebook.type_at(root, &path, &catalog.names).ok();
            let joined = ty.filter(|ty| catalog.rulebook.is_joined(*ty));
            let said = joined.map(|ty| joined_statement(catalog, (state.kind, ty), &shows, was.as_ref()));
            // a list that is joined says by itself what comes to it
            if let Some(Ok(statement)) = said {
                put(catalog, &mut value, path.steps(), statement);
                continue;
            }
            if let (Some(ty), Some(was)) = (ty, &was)
                && value.at(catalog, &path).is_none()
                && let Some(change) = self.relative(address, (state.kind, ty), &path, (&shows, was))
            {
                put(catalog, &mut value, path.steps(), change);
                relative.push(path);
                continue;
            }
            if let Some(Err(reason)) = said {
                // told of what takes away, if something does
                let same = |other: &&(AmendId, usize, &Op)| other.2.path.leading_keys() == path;
                let takes = |other: &&(AmendId, usize, &Op)| matches!(other.2.kind, OpKind::Remove | OpKind::Unset);
                let mut all = working.iter().filter(same);
                let blamed = all.clone().find(takes).or(all.next());
                if blamed.is_some_and(|(other, at, _)| (*other, *at) == (id, nth)) {
                    not_sayable(reason);
                }
                continue;
            }
            if self.emptied_without_notation(address, ty, &shows) && was.is_some() {
                not_sayable(
                    "its files have no notation for a list without entries, so those of a lower layer would stay",
                );
                continue;
            }
            if op.kind == OpKind::Replace
                && shows.shape(catalog) == Shape::Table
                && let Some(was) = &was
                && was.entries(catalog).iter().any(|(key, _)| shows.get(catalog, *key).is_none())
            {
                not_sayable("this kind merges tables field by field, so fields of a lower layer cannot be taken away");
            }
            put(catalog, &mut value, path.steps(), shows);
        }
        Built { kind: state.kind, whole: false, value, by: self.selecting(address) }
    }
}

/// Puts a value at a path of keys, with the tables on the way.
fn put(catalog: &Catalog, here: &mut Value, steps: &[Step], value: Value) {
    let Some((Step::Key(key), rest)) = steps.split_first() else { return };
    let key = catalog.names.intern(key);
    let mut entries = here.entries(catalog);
    let at = entries.iter().position(|(known, _)| *known == key);
    if rest.is_empty() {
        match at.and_then(|at| entries.get_mut(at)) {
            Some((_, slot)) => *slot = value,
            None => entries.push((key, value)),
        }
    } else {
        let at = at.unwrap_or_else(|| {
            entries.push((key, Value::new(Content::Made(Arc::new(Draft::Table(Vec::new()))), here.origin)));
            entries.len() - 1
        });
        if let Some((_, inner)) = entries.get_mut(at) {
            put(catalog, inner, rest, value);
        }
    }
    here.content = Content::Table(entries);
}
