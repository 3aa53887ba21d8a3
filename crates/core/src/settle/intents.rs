//! What a layer means: all that it states, and for whole copies the smallest set of changes that gives what it
//! ships.

use std::sync::Arc;

use super::apply::State;
use super::cells::{Sort, cells, entries_of};
use super::change::{Change, ChangeOp};
use super::difference::difference_beside;
use crate::catalog::{Address, AmendId, Catalog, Definition, LayerId, Op, OpKind, Target};
use crate::document::{Draft, FieldPath, NodeRef, Shape};
use crate::effective::{Built, Content, Value, World};
use crate::rulebook::{Again, ListShape, Reading, TypeId};
use crate::source::FileId;

/// The changes that a layer means to make to what it stands on, in the order in which they apply.
pub fn intents(world: &World, layer: LayerId) -> Vec<Change> {
    intents_at(world, layer, &|_| true)
}

/// The intents at some definitions.
pub(super) fn intents_at(world: &World, layer: LayerId, asked: &dyn Fn(Address) -> bool) -> Vec<Change> {
    // what it means is what it changes in the edition it was made for
    intents_in(world.made_on(layer), layer, asked)
}

/// The intents at some definitions, taken against the base that a world has.
pub(super) fn intents_in(world: &World, layer: LayerId, asked: &dyn Fn(Address) -> bool) -> Vec<Change> {
    let catalog = &world.catalog;
    let mut state = State::of(world.ground(layer));
    let mut out = Vec::new();
    let own = catalog.definitions_of(layer).map(|(_, definition)| definition);
    // one that counts beside others changes none of them
    let own = own.filter(|made| made.again != Again::Variant);
    let own: Vec<&Definition> = own.filter(|made| catalog.address_of(made).is_some_and(asked)).collect();
    for definition in &own {
        let stated = stated(world, &state, definition);
        state.apply(&stated);
        out.extend(stated);
    }
    let mut built = None;
    for (id, amendment) in catalog.amendments_of(layer) {
        let Some(file) = catalog.amendment(id).map(|(_, at)| at.file) else { continue };
        let all = match &amendment.target {
            Target::Of { id } => catalog.address(amendment.kind, id).into_iter().collect(),
            Target::Which { .. } => {
                // sorted once for all that select
                let built = built.get_or_insert_with(|| world.builds.of_layer(catalog, layer));
                selected(built, id)
            }
        };
        for at in all.into_iter().filter(|at| asked(*at)) {
            // what cannot be done or built is a finding, and no intent
            for (_, op) in amendment.ops.iter().enumerate().filter(|(nth, _)| world.builds.works(id, *nth, at)) {
                let changes = of_op(&state, at, op, file);
                let changes: Vec<Change> =
                    changes.into_iter().map(|change| Change { why: amendment.why.clone(), ..change }).collect();
                state.apply(&changes);
                out.extend(changes);
            }
        }
    }
    let stated: Vec<Address> = out.iter().map(|change| change.at).collect();
    state.load(&stated);
    let mut over: Vec<Address> = own.iter().filter_map(|definition| catalog.address_of(definition)).collect();
    catalog.sort_by_name(&mut over);
    over.dedup();
    out.extend(difference_beside(&state, &State::of(world.with_ground(layer)), &over, &stated));
    out
}

/// The definitions that an amendment selects, of what its layer builds.
fn selected(built: &[(Address, Arc<Built>)], id: AmendId) -> Vec<Address> {
    built.iter().filter(|(_, made)| made.is_made_by(id)).map(|(at, _)| *at).collect()
}

/// What a definition states of one that is there below it. A whole copy states nothing.
fn stated(world: &World, state: &State<'_>, definition: &Definition) -> Vec<Change> {
    let catalog = &world.catalog;
    let Some(at) = catalog.address_of(definition) else { return Vec::new() };
    let continues = definition.continues;
    let partial = definition.again == Again::Merge || continues;
    if !partial || definition.removes || state.own(at).is_none() {
        return Vec::new();
    }
    let place = Some(catalog.node(definition.at()).place());
    let here = |change: Change, place| Change { stated: place, ..change };
    let mut out = vec![here(Change::new(at, FieldPath::default(), ChangeOp::Exists), place)];
    let view = state.alone(definition.layer);
    let Some(own) = view.over(None, definition) else { return out };
    let kind = catalog.rulebook.kind(definition.kind);
    let named = continues.then_some(kind.parent).flatten();
    for (key, value) in own.value.entries(catalog).into_iter().filter(|(key, _)| Some(*key) != named) {
        let path = FieldPath::key(catalog.names.text(key));
        let ids = kind.name_from.iter().flat_map(|from| from.fields()).any(|(field, _)| *field == path);
        if !ids && !catalog.rulebook.tells_itself(definition.kind, catalog.names.text(key)) {
            of_value(state, at, &path, &value, &mut out);
        }
    }
    out
}

/// The changes that a written value means.
fn of_value(state: &State<'_>, at: Address, path: &FieldPath, value: &Value, out: &mut Vec<Change>) {
    let catalog = state.catalog();
    let place = value.origin().place;
    let made = |path: &FieldPath, op| Change { stated: place, ..Change::new(at, path.clone(), op) };
    let mut push = |path: &FieldPath, op| out.push(made(path, op));
    match value.content() {
        Content::Pending(steps) => {
            for (multiply, by) in steps.iter() {
                push(path, if *multiply { ChangeOp::Scale(*by) } else { ChangeOp::Shift(*by) });
            }
        }
        Content::Hidden => push(path, ChangeOp::Hide),
        Content::Joining(change) => {
            change.remove.iter().for_each(|item| push(path, ChangeOp::Part(item.draft(catalog))));
            change.add.iter().for_each(|item| push(path, ChangeOp::Join(item.draft(catalog))));
        }
        _ if value.shape(catalog) == Shape::Table => {
            for (key, inner) in value.entries(catalog) {
                of_value(state, at, &path.join(&FieldPath::key(catalog.names.text(key))), &inner, out);
            }
        }
        _ => {
            let ty = super::change::type_at(catalog, at, path);
            match entries_of(catalog, ty) {
                Some(list) => {
                    let signs = ty.and_then(|ty| catalog.rulebook.field_type(ty).written.as_deref());
                    let items: Vec<Draft> = value.items(catalog).iter().map(|item| item.draft(catalog)).collect();
                    let sign = |item: &Draft| signs?.signed(item);
                    let signed: Vec<(bool, Draft)> =
                        items.iter().map(|item| sign(item).unwrap_or((true, item.clone()))).collect();
                    let joins = list.join
                        && (signs.is_none_or(|signs| signs.plus.is_empty()) || items.iter().any(|i| sign(i).is_some()));
                    if !joins {
                        parted(state, at, path, &items).into_iter().for_each(|item| push(path, ChangeOp::Part(item)));
                    }
                    // an entry that is there is laid over, field by field
                    let there = state.effective(at).and_then(|effective| effective.value.at(catalog, path));
                    let there = |item: &Draft| {
                        let step = super::cells::step_to(catalog, list, item);
                        let known = there.as_ref().is_some_and(|list_value| {
                            let mut items = list_value.items(catalog).into_iter();
                            items.any(|other| super::cells::step_to(catalog, list, &other.draft(catalog)) == step)
                        });
                        (known && joins && list.shape == ListShape::Keyed).then_some(step)
                    };
                    let values = value.items(catalog);
                    for (nth, (joins, item)) in signed.into_iter().enumerate() {
                        match (joins, there(&item), &item) {
                            (true, Some(step), Draft::Table(fields)) => {
                                let keys: Vec<&str> = list.by.iter().map(|key| catalog.names.text(*key)).collect();
                                // it is stated to be there, whatever becomes of what it was inherited from
                                let named = fields.iter().filter(|(key, _)| keys.contains(&key.as_str())).cloned();
                                out.push(made(path, ChangeOp::Join(Draft::Table(named.collect()))));
                                let inner = values.get(nth).map(|item| item.entries(catalog)).unwrap_or_default();
                                for (key, value) in inner.into_iter().filter(|(key, _)| !list.by.contains(key)) {
                                    let field = FieldPath::key(catalog.names.text(key));
                                    of_value(state, at, &path.with(step.clone()).join(&field), &value, out);
                                }
                            }
                            (true, ..) => out.push(made(path, ChangeOp::Join(item))),
                            (false, ..) => out.push(made(path, ChangeOp::Part(item))),
                        }
                    }
                }
                None => of_whole(catalog, ty, value).into_iter().for_each(|op| push(path, op)),
            }
        }
    }
}

/// What a value means that has no entries to tell apart: of a joined list, what comes to it.
fn of_whole(catalog: &Catalog, ty: Option<TypeId>, value: &Value) -> Vec<ChangeOp> {
    let draft = value.draft(catalog);
    let list = ty.and_then(|ty| match &catalog.rulebook.field_type(ty).reading {
        Reading::List(list) if list.join => Some(list.shape),
        _ => None,
    });
    match (list, draft) {
        (Some(ListShape::Bag), Draft::List(items)) => items.into_iter().map(ChangeOp::Join).collect(),
        (Some(ListShape::Sequence), Draft::List(items)) if items.is_empty() => Vec::new(),
        (Some(ListShape::Sequence), Draft::List(items)) => vec![ChangeOp::Append(items)],
        (_, draft) => vec![ChangeOp::Set(draft)],
    }
}

/// The entries of the list at a path that are not among these.
fn parted(state: &State<'_>, at: Address, path: &FieldPath, items: &[Draft]) -> Vec<Draft> {
    let catalog = state.catalog();
    let Some((list, ty)) = super::change::list_at(catalog, at, path) else { return Vec::new() };
    // what is inherited stays in a joined list, whatever is stated
    let there = match list.join {
        true => state.own(at).and_then(|own| own.value.at(catalog, path)),
        false => state.effective(at).and_then(|effective| effective.value.at(catalog, path)),
    };
    let Some(there) = there else { return Vec::new() };
    let step = |item: &Draft| super::cells::step_to(catalog, list, item);
    let kept: Vec<_> = items.iter().map(step).collect();
    let members = cells(catalog, &there, ty).into_values().filter(|cell| cell.sort == Sort::Member);
    members.map(|cell| cell.value).filter(|value| !kept.contains(&step(value))).collect()
}

fn is_sequence(catalog: &Catalog, ty: TypeId) -> bool {
    matches!(&catalog.rulebook.field_type(ty).reading, Reading::List(list) if list.shape == ListShape::Sequence)
}

/// The changes that one operation of an amendment means.
fn of_op(state: &State<'_>, at: Address, op: &Op, file: FileId) -> Vec<Change> {
    let catalog: &Catalog = state.catalog();
    let node = catalog.node(NodeRef { file, node: op.value });
    let place = Some(node.place());
    let draft = Draft::of(node, &catalog.names);
    let items = match &draft {
        Draft::List(items) => items.clone(),
        other => vec![other.clone()],
    };
    let number = op.by(&catalog.rulebook, node);
    let ops: Vec<ChangeOp> = match op.kind {
        OpKind::Set | OpKind::Replace => match entries_of(catalog, Some(op.ty)) {
            Some(_) if matches!(draft, Draft::List(_)) => {
                let gone = parted(state, at, &op.path, &items).into_iter().map(ChangeOp::Part);
                gone.chain(items.into_iter().map(ChangeOp::Join)).collect()
            }
            _ => vec![ChangeOp::Set(draft)],
        },
        OpKind::Unset => vec![ChangeOp::Unset],
        OpKind::Add if is_sequence(catalog, op.ty) => vec![ChangeOp::Append(items)],
        OpKind::Add => items.into_iter().map(ChangeOp::Join).collect(),
        OpKind::Remove => items.into_iter().map(ChangeOp::Part).collect(),
        OpKind::Multiply => number.map(ChangeOp::Scale).into_iter().collect(),
        OpKind::Shift => number.map(ChangeOp::Shift).into_iter().collect(),
    };
    ops.into_iter().map(|kind| Change { stated: place, ..Change::new(at, op.path.clone(), kind) }).collect()
}
