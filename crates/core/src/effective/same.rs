//! Equality of values as their type reads them, never as they are written.

use super::value::{Content, Value};
use super::view::View;
use crate::catalog::{Address, Catalog};
use crate::document::{Draft, Node, Number, Shape, is_whole};
use crate::names::Names;
use crate::rulebook::{ListShape, Reading, Rulebook, TypeId};

/// Whether two values mean the same for a field of this type.
pub(crate) fn same(a: &Draft, b: &Draft, ty: TypeId, rulebook: &Rulebook, names: &Names) -> bool {
    let word = |key| a.get(names.text(key)).and_then(Draft::word);
    let ty = rulebook.case_of(ty, a.shape(), &word);
    match (&rulebook.field_type(ty).reading, a, b) {
        (_, Draft::Number(a), Draft::Number(b)) => {
            Number::compare(a.notation(), b.notation()) == Some(std::cmp::Ordering::Equal)
        }
        // ids may be written as numbers
        (Reading::Link(_) | Reading::File(_), a, b) if a.word().is_some() => a.word() == b.word(),
        (Reading::List(list), Draft::List(a), Draft::List(b)) => {
            let equal = |a: &Draft, b: &Draft| same(a, b, list.entry, rulebook, names);
            if a.len() != b.len() {
                return false;
            }
            match list.shape {
                ListShape::Sequence => a.iter().zip(b).all(|(a, b)| equal(a, b)),
                _ => in_any_order(a, b, equal),
            }
        }
        (Reading::Flags(_), Draft::List(a), Draft::List(b)) => a.len() == b.len() && in_any_order(a, b, |a, b| a == b),
        (Reading::Table(table), Draft::Table(a), Draft::Table(b)) => {
            let field = |key: &str| names.get(key).and_then(|key| table.get(key));
            a.len() == b.len()
                && a.iter().all(|(key, value)| {
                    let other = b.iter().find(|(k, _)| k == key).map(|(_, v)| v);
                    other.is_some_and(|other| match field(key) {
                        Some(ty) => same(value, other, ty, rulebook, names),
                        None => value == other,
                    })
                })
        }
        (Reading::Map { value: ty, .. }, Draft::Table(a), Draft::Table(b)) => {
            a.len() == b.len()
                && a.iter().all(|(key, value)| {
                    let other = b.iter().find(|(k, _)| k == key).map(|(_, v)| v);
                    other.is_some_and(|other| same(value, other, *ty, rulebook, names))
                })
        }
        _ => a == b,
    }
}

/// Whether two values mean the same for a field of this type. Single values are compared where they are written.
pub(crate) fn means_same(a: &Value, b: &Value, ty: TypeId, catalog: &Catalog) -> bool {
    let node = |value: &Value| match value.content() {
        Content::Written(at) => Some(catalog.node(*at)),
        _ => None,
    };
    let written = node(a).zip(node(b)).and_then(|(a, b)| nodes_mean_same(a, b, ty, &catalog.rulebook));
    written.unwrap_or_else(|| same(&a.draft(catalog), &b.draft(catalog), ty, &catalog.rulebook, &catalog.names))
}

/// As [`same`], of what is written; `None` where it has to be taken out of its files to be compared.
pub(crate) fn nodes_mean_same(a: Node<'_>, b: Node<'_>, ty: TypeId, rulebook: &Rulebook) -> Option<bool> {
    match (a.shape(), b.shape(), &rulebook.field_type(ty).reading) {
        (Shape::Number, Shape::Number, _) => {
            Some(Number::compare(&a.text(), &b.text()) == Some(std::cmp::Ordering::Equal))
        }
        (Shape::Text, Shape::Text, _) => Some(a.text() == b.text()),
        (Shape::List, Shape::List, Reading::List(list)) => {
            let entries = |node: Node<'_>| node.entries().count();
            if entries(a) != entries(b) {
                return Some(false);
            }
            if list.shape != ListShape::Sequence {
                return None;
            }
            let mut pairs = a.entries().zip(b.entries());
            pairs.try_fold(true, |same, ((_, a), (_, b))| Some(same && nodes_mean_same(a, b, list.entry, rulebook)?))
        }
        _ => None,
    }
}

/// Whether each entry of one list has its own equal entry in the other.
fn in_any_order(a: &[Draft], b: &[Draft], equal: impl Fn(&Draft, &Draft) -> bool) -> bool {
    let mut left: Vec<&Draft> = b.iter().collect();
    a.iter().all(|item| match left.iter().position(|other| equal(item, other)) {
        Some(at) => {
            left.remove(at);
            true
        }
        None => false,
    })
}

/// Whether a number has to be rounded to fit a type.
pub(crate) fn rounds(ty: TypeId, rulebook: &Rulebook, notation: &str) -> bool {
    matches!(rulebook.field_type(ty).reading, Reading::Integer) && !is_whole(notation)
}

/// Whether a definition shows the same in two views.
pub(crate) fn shows_as(ours: &View<'_>, theirs: &View<'_>, address: Address) -> bool {
    let catalog = ours.catalog;
    let draft = |view: &View<'_>| {
        let effective = view.effective(address)?;
        Some((effective.kind, effective.value.draft(view.catalog)))
    };
    match (draft(ours), draft(theirs)) {
        (Some((kind, a)), Some((_, b))) => {
            same(&a, &b, catalog.rulebook.kind(kind).root, &catalog.rulebook, &catalog.names)
        }
        (a, b) => a.is_none() && b.is_none(),
    }
}
