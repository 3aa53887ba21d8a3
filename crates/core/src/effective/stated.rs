//! What a definition has to state so that a list that is joined with what lies below shows as wanted.

use std::sync::Arc;

use super::lay::{Keep, lay};
use super::native::native;
use super::same::same;
use super::value::{Content, How, Origin, Value};
use super::view::{Own, View};
use crate::catalog::{Catalog, Definition};
use crate::document::{Draft, FieldPath, Shape, Step};
use crate::rulebook::{ListShape, Reading, TypeId};

const TAKEN: &str = "this list is joined with what lower layers and parents state, so their entries cannot be taken out";
const MOVED: &str = "this list is joined with what lower layers and parents state, so their entries stay as they are";

/// The entries that a joined list of a type must state over `was`, what shows without it, so that it shows as `shows`.
///
/// # Errors
/// Why the game's notation cannot say it.
pub(crate) fn joined_statement(
    catalog: &Catalog,
    ty: TypeId,
    shows: &Value,
    was: Option<&Value>,
) -> Result<Value, &'static str> {
    let field = catalog.rulebook.field_type(ty);
    let Reading::List(list) = &field.reading else { return Ok(shows.clone()) };
    let written = field.written.as_deref();
    let (plus, minus) = (written.and_then(|w| w.plus.first()), written.and_then(|w| w.minus.first()));
    let before: Vec<Value> = was.map(|was| was.items(catalog)).unwrap_or_default();
    let items = shows.items(catalog);
    let key = |value: &Value| -> Vec<Option<String>> {
        list.by.iter().map(|key| value.get(catalog, *key).and_then(|v| v.word(catalog))).collect()
    };
    let equal =
        |a: &Value, b: &Value| same(&a.draft(catalog), &b.draft(catalog), list.entry, &catalog.rulebook, &catalog.names);
    let mut gone: Vec<&Value> = Vec::new();
    let mut new: Vec<&Value> = Vec::new();
    if matches!(list.shape, ListShape::Set | ListShape::Keyed) {
        let known = |a: &Value, b: &Value| if list.shape == ListShape::Keyed { key(a) == key(b) } else { equal(a, b) };
        gone.extend(before.iter().filter(|old| !items.iter().any(|item| known(item, old))));
        new.extend(items.iter().filter(|item| !before.iter().any(|old| equal(old, item))));
    } else {
        // each entry counts, and stands for one below
        let mut left: Vec<&Value> = items.iter().collect();
        for old in &before {
            match left.iter().position(|item| equal(item, old)) {
                Some(at) => drop(left.remove(at)),
                None => gone.push(old),
            }
        }
        new = left;
    }
    // the game's own signs for what comes and goes
    let signed = |sign: Option<&String>, item: &Value| {
        let word = item.word(catalog).filter(|_| !matches!(item.shape(catalog), Shape::Table | Shape::List))?;
        Some(Value::new(Content::Made(Arc::new(Draft::Text(format!("{}{word}", sign?)))), item.origin))
    };
    let stated = |items: Vec<Value>| Value::new(Content::List(items), shows.origin);
    let taken: Option<Vec<Value>> = gone.iter().map(|old| signed(minus, old)).collect();
    let statement = match taken {
        Some(taken) => {
            let new = new.into_iter().map(|item| signed(plus, item).unwrap_or_else(|| item.clone()));
            stated(new.chain(taken).collect())
        }
        // without a sign it counts alone, where additions have one
        None if plus.is_some() => stated(items),
        None => return Err(TAKEN),
    };
    let Some(was) = was.filter(|_| list.shape != ListShape::Keyed) else { return Ok(statement) };
    let comes_to = lay(catalog, was.clone(), statement.clone(), Some(ty), Keep::All).draft(catalog);
    match same(&comes_to, &shows.draft(catalog), ty, &catalog.rulebook, &catalog.names) {
        true => Ok(statement),
        false => Err(MOVED),
    }
}

/// A value that stands nowhere, as a layer would state it.
pub(crate) fn made(value: Draft, definition: &Definition) -> Value {
    let origin = Origin { place: None, layer: definition.layer, how: How::Own, from: None, carried: None };
    Value::new(Content::Made(Arc::new(value)), origin)
}

impl View<'_> {
    /// What shows at a path of keys if the definition of the topmost layer did not state it.
    pub(crate) fn without(&self, definition: &Definition, path: &FieldPath) -> Option<Value> {
        let catalog = self.catalog;
        let address = catalog.address_of(definition)?;
        let below = self.of(self.layers.iter().filter(|layer| *layer < definition.layer).collect());
        let mut state = below.own(address);
        let mut own: Vec<&Definition> = self.stack(address).map(|(_, made)| made).collect();
        own.reverse();
        for made in own.into_iter().filter(|made| made.layer == definition.layer && !made.removes) {
            let mut value = native(catalog, made.kind, Value::written(catalog, made.at(), made.layer));
            if made.at() == definition.at() {
                taken_away(catalog, &mut value, path.steps());
            }
            state = self.laid(state, made, value);
        }
        let state = state?;
        let states = |at| if at == address { Some(state.clone()) } else { self.own(at) };
        self.compose(address, &states)?.value.at(catalog, path)
    }

    /// A definition's value laid over the state below it, as its kind and its own marks have it.
    pub(super) fn laid(&self, state: Option<Own>, definition: &Definition, mut upper: Value) -> Option<Own> {
        let catalog = self.catalog;
        let kind = catalog.rulebook.kind(definition.kind);
        let Some(lower) = state else { return Some(Own { kind: definition.kind, value: upper }) };
        let continues = definition.continues();
        if continues && let Some(parent) = kind.parent {
            let entries = upper.entries(catalog).into_iter().filter(|(key, _)| *key != parent).collect();
            upper = Value::new(Content::Table(entries), upper.origin);
        }
        let keep = if continues || definition.again == crate::rulebook::Again::Merge { Keep::All } else { Keep::Nothing };
        Some(Own { kind: definition.kind, value: lay(catalog, lower.value, upper, Some(kind.root), keep) })
    }
}

/// A table without the field at a path of keys.
fn taken_away(catalog: &Catalog, value: &mut Value, steps: &[Step]) {
    let Some((Step::Key(key), rest)) = steps.split_first() else { return };
    let Some(key) = catalog.names.get(key) else { return };
    let mut entries = value.entries(catalog);
    match entries.iter().position(|(known, _)| *known == key) {
        Some(at) if rest.is_empty() => drop(entries.remove(at)),
        Some(at) => {
            if let Some((_, inner)) = entries.get_mut(at) {
                taken_away(catalog, inner, rest);
            }
        }
        None => return,
    }
    value.content = Content::Table(entries);
}
