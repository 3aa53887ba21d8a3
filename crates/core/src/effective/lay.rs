//! Laying one state over another, and a child over what it inherits.

use std::sync::Arc;

use super::native::{Mark, joined, same_entry};
use super::value::{Content, Value};
use crate::catalog::Catalog;
use crate::document::{Draft, Shape};
use crate::names::Sym;
use crate::rulebook::{ListShape, Reading, TypeId, Written};

/// What becomes of things that only the lower value has.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Keep {
    /// They stay: fields are merged, joined lists joined.
    All,
    /// They go: the upper value counts alone. What it took the place of is remembered.
    Nothing,
}

/// The upper value laid over the lower one.
pub(crate) fn lay(catalog: &Catalog, lower: Value, upper: Value, ty: Option<TypeId>, keep: Keep) -> Value {
    // what tells the case may be stated below
    let ty = ty.map(|ty| cased(catalog, ty, &lower, &upper));
    let reading = ty.map(|ty| &catalog.rulebook.field_type(ty).reading);
    if let Content::Pending(ops) = &upper.content {
        return super::operate::pending(catalog, lower, ops, &upper);
    }
    let list_type = match reading {
        Some(Reading::List(list)) => Some(list),
        _ => None,
    };
    if let Content::Joining(change) = &upper.content {
        return joined(catalog, lower, change, &upper, list_type);
    }
    match (&lower.content, &upper.content) {
        // it hides what comes further below, too
        (_, Content::Marked(Mark::Replace, _)) => return upper.instead_of(lower),
        (_, Content::Marked(Mark::Keep, inner)) => {
            let kept = kept(catalog, lower, inner);
            let laid = lay(catalog, kept, (**inner).clone(), ty, keep);
            let origin = laid.origin;
            return Value::new(Content::Marked(Mark::Keep, Arc::new(laid)), origin);
        }
        (_, Content::Marked(Mark::Remove, _)) => {
            return Value::new(Content::Hidden, upper.origin).instead_of(lower);
        }
        (_, Content::Marked(Mark::IfThere, inner)) => {
            let lower = match upper.earlier.as_deref() {
                Some(beside) => lay(catalog, lower, beside.clone(), ty, keep),
                None => lower,
            };
            return lay(catalog, lower, (**inner).clone(), ty, keep);
        }
        (Content::Marked(mark @ (Mark::Replace | Mark::Keep), inner), _) => {
            let laid = lay(catalog, (**inner).clone(), upper, ty, keep);
            let origin = laid.origin;
            return Value::new(Content::Marked(*mark, Arc::new(laid)), origin);
        }
        _ => {}
    }
    match (lower.shape(catalog), upper.shape(catalog), reading) {
        (Shape::Table, Shape::Table, _) => tables(catalog, lower, upper, ty, keep),
        (Shape::List, Shape::List, Some(Reading::List(list)))
            if list.join && keep == Keep::All && joins(catalog, &upper, ty) =>
        {
            let mut items = lower.items(catalog);
            let key = |value: &Value| -> Vec<Option<String>> {
                let field = |key: &Sym| value.get(catalog, *key).and_then(|value| value.word(catalog));
                list.by.iter().map(field).collect()
            };
            let written = ty.and_then(|ty| catalog.rulebook.field_type(ty).written.as_deref());
            for item in upper.items(catalog) {
                let item = unmarked(catalog, item, written);
                if let Some(gone) = taken_out(catalog, &item, written) {
                    let before = items.len();
                    items.retain(|other| !is_entry(catalog, other, &gone));
                    if items.len() == before {
                        // a parent may have it
                        items.push(item);
                    }
                    continue;
                }
                if let Content::Marked(mark, entry) = &item.content {
                    let at = items.iter().position(|other| same_entry(catalog, Some(list), other, entry));
                    match (mark, at) {
                        (Mark::Remove, Some(at)) => drop(items.remove(at)),
                        (Mark::IfThere, Some(at)) | (Mark::Replace | Mark::Keep, Some(at)) => {
                            if let Some(other) = items.get_mut(at) {
                                lay_over(catalog, other, item, Some(list.entry), keep);
                            }
                        }
                        // a parent may have it
                        (Mark::Remove | Mark::IfThere | Mark::Replace | Mark::Keep, None) => items.push(item),
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
                    Some(other) => lay_over(catalog, other, item, Some(list.entry), keep),
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

/// The upper value laid over the lower one, in its place.
fn lay_over(catalog: &Catalog, lower: &mut Value, upper: Value, ty: Option<TypeId>, keep: Keep) {
    let below = std::mem::replace(lower, Value::new(Content::Hidden, upper.origin));
    *lower = lay(catalog, below, upper, ty, keep);
}

/// The type that counts for two values that are laid over each other.
fn cased(catalog: &Catalog, ty: TypeId, lower: &Value, upper: &Value) -> TypeId {
    let word = |key: Sym| upper.get(catalog, key).or_else(|| lower.get(catalog, key)).and_then(|v| v.word(catalog));
    catalog.rulebook.case_of(ty, upper.shape(catalog), &word)
}

/// Whether a list is joined with what lies below it: always, unless the game marks what it adds.
fn joins(catalog: &Catalog, upper: &Value, ty: Option<TypeId>) -> bool {
    let written = ty.and_then(|ty| catalog.rulebook.field_type(ty).written.as_deref());
    let Some(written) = written.filter(|written| !written.plus.is_empty()) else { return true };
    upper.items(catalog).iter().any(|item| written.signed(&item.draft(catalog)).is_some())
}

/// What an entry takes out of the list, without its mark.
pub(super) fn taken_out(catalog: &Catalog, item: &Value, written: Option<&Written>) -> Option<Draft> {
    let written = written.filter(|written| !written.minus.is_empty())?;
    written.signed(&item.draft(catalog)).filter(|(added, _)| !added).map(|(_, gone)| gone)
}

/// Whether an entry is the one that is named: words and numbers by how they are written.
fn is_entry(catalog: &Catalog, item: &Value, named: &Draft) -> bool {
    match named {
        Draft::List(_) => item.draft(catalog) == *named,
        single => item.word(catalog) == single.word(),
    }
}

/// An entry without the mark that adds it.
pub(super) fn unmarked(catalog: &Catalog, item: Value, written: Option<&Written>) -> Value {
    let Some(written) = written.filter(|written| !written.plus.is_empty()) else { return item };
    match written.signed(&item.draft(catalog)) {
        Some((true, entry)) => Value { content: Content::Made(Arc::new(entry)), ..item },
        _ => item,
    }
}

/// The fields of a table that another one has, too.
fn kept(catalog: &Catalog, lower: Value, named: &Value) -> Value {
    let named = named.entries(catalog);
    let entries = lower.entries(catalog).into_iter().filter(|(key, _)| named.iter().any(|(other, _)| other == key));
    Value { content: Content::Table(entries.collect()), ..lower }
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
            Some((_, known)) => lay_over(catalog, known, value, field(key), keep),
            None => entries.push((key, value)),
        }
    }
    Value::new(Content::Table(entries), origin)
}
