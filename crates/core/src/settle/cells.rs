//! A value as the parts of it that change by themselves: single values, members of sets, entries of keyed lists
//! and the fields in them.

use std::collections::{BTreeMap, BTreeSet};

use crate::catalog::Catalog;
use crate::document::{Draft, FieldPath, Shape, Step};
use crate::effective::{Content, Value, same};
use crate::names::Sym;
use crate::rulebook::{ListShape, ListType, Reading, TypeId};
use crate::source::Place;

/// What a part is.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub(super) enum Sort {
    /// A value that is replaced as a whole.
    Single,
    /// An entry of a list that is known by its value or its key.
    Member,
}

#[derive(Clone, Debug)]
pub(super) struct Cell {
    pub(super) sort: Sort,
    /// Where it stands; of a member, the way to the entry.
    pub(super) path: FieldPath,
    /// Of a member, the list's path.
    pub(super) list: FieldPath,
    pub(super) value: Draft,
    pub(super) ty: Option<TypeId>,
    /// Where it is written.
    pub(super) place: Option<Place>,
}

impl Cell {
    /// Whether two cells at one place mean the same.
    pub(super) fn same(&self, other: &Cell, catalog: &Catalog) -> bool {
        // a member is its key; its fields are cells of their own
        self.sort == Sort::Member && other.sort == Sort::Member
            || same_draft(catalog, &self.value, &other.value, self.ty)
    }
}

pub(super) fn same_draft(catalog: &Catalog, a: &Draft, b: &Draft, ty: Option<TypeId>) -> bool {
    match ty {
        Some(ty) => same(a, b, ty, &catalog.rulebook, &catalog.names),
        None => a == b,
    }
}

/// Cells by path.
pub(super) type Cells = BTreeMap<String, Cell>;

/// The cells that differ, in the order of their paths: one of the two, and both as far as they are there.
pub(super) fn differing<'c>(
    a: &'c Cells,
    b: &'c Cells,
    catalog: &Catalog,
) -> Vec<(&'c Cell, Option<&'c Cell>, Option<&'c Cell>)> {
    let keys: BTreeSet<&String> = a.keys().chain(b.keys()).collect();
    let pairs = keys.into_iter().map(|key| (a.get(key), b.get(key)));
    let other = |(one, two): &(Option<&Cell>, Option<&Cell>)| match (one, two) {
        (Some(one), Some(two)) => !one.same(two, catalog),
        _ => true,
    };
    pairs.filter(other).filter_map(|(one, two)| Some((one.or(two)?, one, two))).collect()
}

/// All cells of a value of a type.
pub(super) fn cells(catalog: &Catalog, value: &Value, ty: TypeId) -> Cells {
    let mut out = Cells::new();
    open(catalog, value, Some(ty), &FieldPath::default(), &mut out);
    out
}

/// The cells of one field of a value of a type.
pub(super) fn cells_below(catalog: &Catalog, value: &Value, ty: TypeId, field: &str) -> Cells {
    let mut out = Cells::new();
    let path = FieldPath::key(field);
    let key = catalog.names.get(field);
    if let Some(inner) = key.and_then(|key| value.get(catalog, key)).filter(|inner| !is_hidden(inner)) {
        let ty = catalog.rulebook.type_at(ty, &path, &catalog.names).ok();
        open(catalog, &inner, ty, &path, &mut out);
    }
    out
}

/// How a list's entries are told apart; none where it is one value.
pub(super) fn entries_of(catalog: &Catalog, ty: Option<TypeId>) -> Option<&ListType> {
    match ty.map(|ty| &catalog.rulebook.field_type(ty).reading) {
        Some(Reading::List(list)) if matches!(list.shape, ListShape::Set | ListShape::Keyed) => Some(list),
        _ => None,
    }
}

/// The step to an entry of a list.
pub(crate) fn step_to(catalog: &Catalog, list: &ListType, entry: &Draft) -> Step {
    if list.shape == ListShape::Keyed {
        let word = |key: &Sym| {
            let key = catalog.names.text(*key);
            let word = match entry {
                Draft::Table(_) => entry.get(key).and_then(Draft::word),
                other => other.word(),
            };
            (key.to_owned(), word.unwrap_or_default())
        };
        return Step::Match(list.by.iter().map(word).collect());
    }
    Step::Match(vec![(String::new(), entry.word().unwrap_or_else(|| entry.short()))])
}

fn is_hidden(value: &Value) -> bool {
    matches!(value.content(), Content::Hidden)
}

fn open(catalog: &Catalog, value: &Value, ty: Option<TypeId>, path: &FieldPath, out: &mut Cells) {
    let single = |out: &mut Cells| {
        let cell = Cell {
            sort: Sort::Single,
            path: path.clone(),
            list: FieldPath::default(),
            value: value.draft(catalog),
            ty,
            place: value.origin().place,
        };
        out.insert(path.to_string(), cell);
    };
    match value.shape(catalog) {
        Shape::Table => {
            let entries = value.entries(catalog);
            if entries.is_empty() && !path.is_empty() {
                // a table or a map without anything in it states nothing; of what was laid together nothing may be left
                let described = ty.is_some_and(|ty| {
                    matches!(catalog.rulebook.field_type(ty).reading, Reading::Table(_) | Reading::Map { .. })
                });
                if !described && !matches!(value.content(), Content::Table(_)) {
                    single(out);
                }
                return;
            }
            for (key, inner) in entries.into_iter().filter(|(_, inner)| !is_hidden(inner)) {
                let name = catalog.names.text(key);
                let ty = ty.and_then(|ty| catalog.rulebook.type_of_key(ty, key));
                open(catalog, &inner, ty, &path.with(Step::Key(name.to_owned())), out);
            }
        }
        Shape::List => {
            let Some(list) = entries_of(catalog, ty) else { return single(out) };
            let items = value.items(catalog);
            let steps: Vec<Step> = items.iter().map(|item| step_to(catalog, list, &item.draft(catalog))).collect();
            // a key that repeats tells nothing apart
            if steps.iter().enumerate().any(|(at, step)| steps.iter().take(at).any(|other| other == step)) {
                return single(out);
            }
            for (item, step) in items.iter().zip(steps) {
                let here = path.with(step);
                let draft = item.draft(catalog);
                let entry = Some(list.entry);
                let place = item.origin().place;
                let sort = Sort::Member;
                let cell = Cell { sort, path: here.clone(), list: path.clone(), value: draft, ty: entry, place };
                out.insert(here.to_string(), cell);
                if list.shape == ListShape::Keyed && item.shape(catalog) == Shape::Table {
                    let shown = |(key, inner): &(Sym, Value)| !list.by.contains(key) && !is_hidden(inner);
                    for (key, inner) in item.entries(catalog).into_iter().filter(shown) {
                        let name = catalog.names.text(key);
                        let ty = catalog.rulebook.type_of_key(list.entry, key);
                        open(catalog, &inner, ty, &here.with(Step::Key(name.to_owned())), out);
                    }
                }
            }
        }
        // a null is nothing stated, like an empty table
        Shape::Null => {}
        _ => single(out),
    }
}
