//! Quantities within what is typed for a list or a table, written with the units that they are typed with.

use super::assign::in_brackets;
use crate::catalog::Catalog;
use crate::document::{Draft, Shape};
use crate::names::Sym;
use crate::rulebook::{Reading, TypeId};

/// A value with the quantities in it as they were typed, where it was typed in brackets.
pub(super) fn with_units(catalog: &Catalog, ty: TypeId, value: Draft, typed: &str) -> Draft {
    let brackets = typed.trim_start().starts_with(['[', '{']);
    match in_brackets(catalog, typed).filter(|_| brackets) {
        Some(document) => within(catalog, ty, value, &Draft::of(document.root(), &catalog.names)),
        None => value,
    }
}

fn within(catalog: &Catalog, ty: TypeId, value: Draft, typed: &Draft) -> Draft {
    let (rulebook, names) = (&catalog.rulebook, &catalog.names);
    match (value, typed) {
        (Draft::Number(number), Draft::Text(text)) => {
            let written = rulebook.field_type(ty).written.as_ref().filter(|written| !written.units.is_empty());
            let said = written.and_then(|written| written.quantity_typed(&number, text, None));
            said.map_or(Draft::Number(number), Draft::Text)
        }
        (value @ Draft::Table(_), Draft::Table(_)) => {
            let word = |by: Sym| value.get(names.text(by)).and_then(Draft::word);
            let reading = &rulebook.field_type(rulebook.case_of(ty, Shape::Table, &word)).reading;
            let Draft::Table(entries) = value else { return Draft::Null };
            let entry = |(key, value): (String, Draft)| {
                let ty = match reading {
                    Reading::Table(table) => names.get(&key).and_then(|key| table.get(key)),
                    Reading::Map { value, .. } => Some(*value),
                    _ => None,
                };
                match (ty, typed.get(&key)) {
                    (Some(ty), Some(typed)) => (key, within(catalog, ty, value, typed)),
                    _ => (key, value),
                }
            };
            Draft::Table(entries.into_iter().map(entry).collect())
        }
        (Draft::List(items), Draft::List(typed)) if items.len() == typed.len() => {
            let reading = &rulebook.field_type(ty).reading;
            let of = |nth: usize| match reading {
                Reading::List(list) => Some(list.entry),
                Reading::Tuple { places, .. } => places.get(nth).copied(),
                _ => None,
            };
            let one = |(nth, (value, typed)): (usize, (Draft, &Draft))| match of(nth) {
                Some(ty) => within(catalog, ty, value, typed),
                None => value,
            };
            Draft::List(items.into_iter().zip(typed).enumerate().map(one).collect())
        }
        // one entry stands for a list of it
        (Draft::List(items), Draft::Table(_)) if items.len() == 1 => {
            let entry = match &rulebook.field_type(ty).reading {
                Reading::List(list) => Some(list.entry),
                _ => None,
            };
            let one = |value| entry.map_or(Draft::Null, |entry| within(catalog, entry, value, typed));
            Draft::List(if entry.is_some() { items.into_iter().map(one).collect() } else { items })
        }
        (value, _) => value,
    }
}
