//! A definition as rows: each value with where it comes from and what it replaced.

use crate::catalog::{Address, Catalog, LayerId};
use crate::document::{Draft, FieldPath, Shape, Step as PathStep};
use crate::effective::{Content, Effective, How, Value, View};
use crate::names::Sym;
use crate::rulebook::{Again, Reading, TypeId};
use crate::source::Place;

/// One state of a value.
#[derive(Clone, Debug)]
pub struct Step {
    /// Whether it is taken away here, though something states it.
    pub gone: bool,
    /// The value.
    pub value: Draft,
    /// Where it is stated; a default stands nowhere.
    pub place: Option<Place>,
    /// The layer that states it.
    pub layer: LayerId,
    /// How it came to be.
    pub how: How,
    /// The definition it was inherited from.
    pub from: Option<Address>,
    /// The layer whose whole copy carries it along.
    pub carried: Option<LayerId>,
}

/// One value of a definition.
#[derive(Clone, Debug)]
pub struct Row {
    /// The field.
    pub path: FieldPath,
    /// Its type, if the rulebook describes it.
    pub ty: Option<TypeId>,
    /// The value and its origin.
    pub now: Step,
    /// What it took the place of, newest first.
    pub earlier: Vec<Step>,
}

/// A definition, whole.
#[derive(Clone, Debug)]
pub struct Shown {
    /// Its address.
    pub address: Address,
    /// Its parents, nearest first.
    pub parents: Vec<Address>,
    /// Whether it names several, so that the nearest are not each other's.
    pub several_parents: bool,
    /// The layers that define or amend it, in load order.
    pub layers: Vec<LayerId>,
    /// Where the others of its id stand, highest first, in kinds of which all count side by side.
    pub beside: Vec<Place>,
    /// Its values.
    pub rows: Vec<Row>,
}

/// Shows a definition in a view.
pub fn show(view: &View<'_>, address: Address) -> Option<Shown> {
    let catalog = view.catalog;
    let effective = view.effective(address)?;
    let whole = effective.whole(catalog);
    let mut layers: Vec<LayerId> = view.stack(address).map(|(_, definition)| definition.layer).collect();
    layers.extend(view.builds.of(address).iter().map(|(layer, _)| *layer));
    layers.retain(|layer| view.layers().contains(*layer));
    layers.sort();
    layers.dedup();
    let rows = rows(catalog, &effective, &whole);
    let several_parents = view.stack(address).any(|(id, _)| catalog.parent_ids(id).len() > 1);
    let others = view.stack(address).skip(1).map(|(_, made)| catalog.definition_place(made.at()));
    let variants = view.top(address).is_some_and(|(_, made)| made.again == Again::Variant);
    let beside = if variants { others.collect() } else { Vec::new() };
    Some(Shown { address, parents: effective.parents, several_parents, layers, beside, rows })
}

/// The rows of a value of a definition.
pub(crate) fn rows(catalog: &Catalog, effective: &Effective, value: &Value) -> Vec<Row> {
    let root = catalog.rulebook.kind(effective.kind).root;
    let mut out = Vec::new();
    open(catalog, value, Some(root), &FieldPath::default(), &mut out);
    out
}

fn step(catalog: &Catalog, value: &Value) -> Step {
    let origin = value.origin();
    Step {
        value: value.draft(catalog),
        gone: matches!(value.content(), Content::Hidden),
        place: origin.place,
        layer: origin.layer,
        how: origin.how,
        from: origin.from,
        carried: origin.carried,
    }
}

fn open(catalog: &Catalog, value: &Value, ty: Option<TypeId>, path: &FieldPath, out: &mut Vec<Row>) {
    let ty = ty.map(|ty| value.case_of(catalog, ty));
    let reading = ty.map(|ty| &catalog.rulebook.field_type(ty).reading);
    match (value.shape(catalog), reading) {
        (Shape::Table, _) => {
            let mut entries = value.entries(catalog);
            let field = |key: Sym| match reading {
                Some(Reading::Table(table)) => table.get(key),
                Some(Reading::Map { value, .. }) => Some(*value),
                _ => None,
            };
            // in the order of the rulebook; what it does not describe follows
            if let Some(Reading::Table(table)) = reading {
                let rank = |key: Sym| table.fields.iter().position(|(known, _)| *known == key).unwrap_or(usize::MAX);
                entries.sort_by_key(|(key, _)| rank(*key));
            }
            if entries.is_empty() && !path.is_empty() {
                out.push(row(catalog, value, ty, path));
            }
            for (key, inner) in entries {
                let path = path.with(PathStep::Key(catalog.names.text(key).to_owned()));
                open(catalog, &inner, field(key), &path, out);
            }
        }
        (Shape::List, Some(Reading::List(list))) => {
            let items = value.items(catalog);
            if !items.iter().any(|item| item.shape(catalog) == Shape::Table) {
                out.push(row(catalog, value, ty, path));
                return;
            }
            for (at, item) in items.iter().enumerate() {
                let keys = list.by.iter().filter_map(|key| {
                    Some((catalog.names.text(*key).to_owned(), item.get(catalog, *key)?.word(catalog)?))
                });
                let keys: Vec<(String, String)> = keys.collect();
                let name = if keys.is_empty() { PathStep::Index(at) } else { PathStep::Match(keys) };
                out.push(row(catalog, item, Some(list.entry), &path.with(name)));
            }
        }
        _ => out.push(row(catalog, value, ty, path)),
    }
}

fn row(catalog: &Catalog, value: &Value, ty: Option<TypeId>, path: &FieldPath) -> Row {
    let mut earlier = Vec::new();
    let mut before = value.earlier();
    while let Some(value) = before {
        earlier.push(step(catalog, value));
        before = value.earlier();
    }
    // an opened entry is as new as the newest of its values
    let mut now = step(catalog, value);
    if value.shape(catalog) == Shape::Table {
        let stated = value.entries(catalog).into_iter().map(|(_, value)| *value.origin());
        let newest = stated.filter(|origin| origin.place.is_some()).max_by_key(|origin| origin.layer);
        if let Some(newest) = newest.filter(|newest| newest.layer > now.layer) {
            (now.place, now.layer, now.how) = (newest.place, newest.layer, newest.how);
        }
    }
    Row { path: path.clone(), ty, now, earlier }
}
