//! Laying one state over another, and a child over what it inherits.

use super::value::{Content, Value};
use crate::catalog::Catalog;
use crate::document::Shape;
use crate::names::Sym;
use crate::rulebook::{ListShape, Reading, TypeId};

/// What becomes of things that only the lower value has.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Keep {
    /// They stay: fields are merged, joined lists joined.
    All,
    /// They go: the upper value counts alone. What it took the place of is remembered.
    Nothing,
}

/// The upper value laid over the lower one.
pub(super) fn lay(catalog: &Catalog, lower: Value, upper: Value, ty: Option<TypeId>, keep: Keep) -> Value {
    let reading = ty.map(|ty| &catalog.rulebook.field_type(ty).reading);
    if let Content::Pending(ops) = &upper.content {
        return super::operate::pending(catalog, lower, ops, &upper);
    }
    match (lower.shape(catalog), upper.shape(catalog), reading) {
        (Shape::Table, Shape::Table, _) => tables(catalog, lower, upper, ty, keep),
        (Shape::List, Shape::List, Some(Reading::List(list))) if list.join && keep == Keep::All => {
            let mut items = lower.items(catalog);
            let key = |value: &Value| -> Vec<Option<String>> {
                let field = |key: &Sym| value.get(catalog, *key).and_then(|value| value.word(catalog));
                list.by.iter().map(field).collect()
            };
            let written = ty.and_then(|ty| catalog.rulebook.field_type(ty).written.as_deref());
            for item in upper.items(catalog) {
                let word = item.word(catalog);
                if let Some(gone) = word.as_deref().and_then(|word| written?.taken_out(word)) {
                    let before = items.len();
                    items.retain(|other| other.word(catalog).as_deref() != Some(gone));
                    if items.len() == before {
                        // a parent may have it
                        items.push(item);
                    }
                    continue;
                }
                let known = match list.shape {
                    ListShape::Set => items.iter().position(|other| other.draft(catalog) == item.draft(catalog)),
                    ListShape::Keyed => items.iter().position(|other| key(other) == key(&item)),
                    ListShape::Bag | ListShape::Sequence => None,
                };
                match known.and_then(|at| items.get_mut(at)) {
                    Some(_) if list.shape == ListShape::Set => {}
                    Some(other) => {
                        let below = std::mem::replace(other, item.clone());
                        *other = lay(catalog, below, item, Some(list.entry), keep);
                    }
                    None => items.push(item),
                }
            }
            Value::new(Content::List(items), upper.origin).instead_of(lower)
        }
        // a whole copy carries it along as it was
        _ => match (&lower.content, &upper.content) {
            (Content::Written(below), Content::Written(above)) if below == above => {
                Value { earlier: lower.earlier.clone(), ..upper }
            }
            _ => upper.instead_of(lower),
        },
    }
}

fn tables(catalog: &Catalog, lower: Value, upper: Value, ty: Option<TypeId>, keep: Keep) -> Value {
    let field = |key: Sym| match ty.map(|ty| &catalog.rulebook.field_type(ty).reading) {
        Some(Reading::Table(table)) => table.get(key),
        Some(Reading::Map { value, .. }) => Some(*value),
        _ => None,
    };
    let origin = upper.origin;
    let mut entries = lower.entries(catalog);
    let above = upper.entries(catalog);
    if keep == Keep::Nothing {
        let entry = |(key, value): (Sym, Value)| {
            let below = entries.iter().find(|(known, _)| *known == key).map(|(_, value)| value.clone());
            let value = match below {
                Some(below) => lay(catalog, below, value, field(key), keep),
                None => value,
            };
            (key, value)
        };
        let entries = above.into_iter().map(entry).collect();
        return Value::new(Content::Table(entries), origin);
    }
    for (key, value) in above {
        match entries.iter_mut().find(|(known, _)| *known == key) {
            Some((_, known)) => {
                let below = std::mem::replace(known, value.clone());
                *known = lay(catalog, below, value, field(key), keep);
            }
            None => entries.push((key, value)),
        }
    }
    Value::new(Content::Table(entries), origin)
}
