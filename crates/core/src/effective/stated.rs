//! What a definition has to state so that, over what lies below it, it shows as wanted.

use std::sync::Arc;

use rust_decimal::Decimal;

use super::lay::{Keep, lay};
use super::native::{Joining, Mark, native, same_entry};
use super::operate::rounded;
use super::same::same;
use super::value::{Content, How, Origin, Value};
use super::view::View;
use crate::catalog::{Catalog, Definition};
use crate::document::{Draft, FieldPath, Shape, Step};
use crate::names::Sym;
use crate::rulebook::{KindId, ListShape, ListType, Native, Reading, TypeId};

const TAKEN: &str =
    "this list is joined with what lower layers and parents state, so their entries cannot be taken out";
const MOVED: &str = "this list is joined with what lower layers and parents state, so their entries stay as they are";

/// The entries that a joined list of a type must state over `was`, what shows without it, so that it shows as `shows`.
///
/// # Errors
/// Why the game's notation cannot say it.
pub(crate) fn joined_statement(
    catalog: &Catalog,
    (kind, ty): (KindId, TypeId),
    shows: &Value,
    was: Option<&Value>,
) -> Result<Value, &'static str> {
    let field = catalog.rulebook.field_type(ty);
    let Reading::List(list) = &field.reading else { return Ok(shows.clone()) };
    let written = field.written.as_deref();
    let (plus, minus) = (written.and_then(|w| w.plus.first()), written.and_then(|w| w.minus.first()));
    let Difference { new, gone } = Difference::of(catalog, list, shows, was);
    // the game's own signs for what comes and goes
    let is_single = |item: &Value| !matches!(item.shape(catalog), Shape::Table | Shape::List);
    let signed = |sign: Option<&String>, item: &Value| {
        let made = match item.draft(catalog) {
            // before the first of its own entries
            Draft::List(inner) => {
                let (first, rest) = inner.split_first()?;
                let first = Draft::Text(format!("{}{}", sign?, first.word()?));
                Draft::List(std::iter::once(first).chain(rest.iter().cloned()).collect())
            }
            single if is_single(item) => Draft::Text(format!("{}{}", sign?, single.word()?)),
            _ => return None,
        };
        Some(Value::new(Content::Made(Arc::new(made)), item.origin))
    };
    let operations = catalog.rulebook.kind(kind).operations.as_ref();
    let mark = operations.filter(|operations| operations.field_of(Native::Remove).is_none());
    let mark = mark.and_then(|operations| operations.marker.as_ref()?.word_of(Native::Remove));
    let marked = |item: &Value| {
        let named = |(key, _): &(Sym, Value)| list.shape != ListShape::Keyed || list.by.contains(key);
        let fields = item.entries(catalog).into_iter().filter(named).collect();
        let inner = Value::new(Content::Table(fields), item.origin);
        let value = Value::new(Content::Marked(Mark::Remove, Arc::new(inner)), item.origin);
        (mark.is_some() && item.shape(catalog) == Shape::Table).then_some(value)
    };
    let stated = |items: Vec<Value>| Value::new(Content::List(items), shows.origin);
    let only_goes = new.is_empty() && !gone.is_empty();
    let taken: Option<Vec<Value>> = gone.iter().map(|old| signed(minus, old).or_else(|| marked(old))).collect();
    let statement = match taken {
        Some(taken) => {
            let new = new.into_iter().map(|item| signed(plus, &item).unwrap_or(item));
            stated(new.chain(taken).collect())
        }
        // without a sign it counts alone, where additions have one
        None if plus.is_some() => stated(shows.items(catalog)),
        // or by a mark on the whole of what goes
        None => {
            let change = was.filter(|_| only_goes).and_then(|was| coming_and_going(catalog, (kind, ty), shows, was));
            return change.ok_or(TAKEN);
        }
    };
    let Some(was) = was.filter(|_| list.shape != ListShape::Keyed) else { return Ok(statement) };
    comes_to(catalog, ty, was, &statement, shows).then_some(statement).ok_or(MOVED)
}

/// Entries that come to a list and that go from it, in the game's operations for that, where it has them and they say
/// the same.
pub(crate) fn coming_and_going(
    catalog: &Catalog,
    (kind, ty): (KindId, TypeId),
    shows: &Value,
    was: &Value,
) -> Option<Value> {
    let operations = catalog.rulebook.kind(kind).operations.as_ref()?;
    let Reading::List(list) = &catalog.rulebook.field_type(ty).reading else { return None };
    let Difference { new, gone } = Difference::of(catalog, list, shows, Some(was));
    // a mark says one thing of a list
    let one = (new.is_empty() || gone.is_empty()) && catalog.rulebook.marks_lists(kind);
    let by_mark = |native| one && operations.marker.as_ref().is_some_and(|marker| marker.word_of(native).is_some());
    let sayable =
        |entries: &[Value], native| entries.is_empty() || operations.field_of(native).is_some() || by_mark(native);
    if !sayable(&new, Native::Add) || !sayable(&gone, Native::Remove) {
        return None;
    }
    let change = Joining { add: new, remove: gone, ..Joining::default() };
    let change = Value::new(Content::Joining(Arc::new(change)), shows.origin);
    comes_to(catalog, ty, was, &change, shows).then_some(change)
}

/// What is calculated with a number, in the game's operations for that, where it has them and they say the same.
pub(crate) fn calculated(
    catalog: &Catalog,
    (kind, ty): (KindId, TypeId),
    steps: &[(bool, Decimal)],
    shows: &Value,
    was: &Value,
) -> Option<Value> {
    let operations = catalog.rulebook.kind(kind).operations.as_ref()?;
    let (multiplies, _) = *steps.first()?;
    let native = if multiplies { Native::Multiply } else { Native::Shift };
    if !operations.says(native) || steps.iter().any(|(other, _)| *other != multiplies) {
        return None;
    }
    let change = Value::new(Content::Pending(Arc::new(steps.to_vec())), shows.origin);
    comes_to(catalog, ty, was, &change, shows).then_some(change)
}

/// Whether a statement over what lies below it shows as wanted.
fn comes_to(catalog: &Catalog, ty: TypeId, was: &Value, statement: &Value, shows: &Value) -> bool {
    let laid = rounded(catalog, lay(catalog, was.clone(), statement.clone(), Some(ty), Keep::All), Some(ty));
    same(&laid.draft(catalog), &shows.draft(catalog), ty, &catalog.rulebook, &catalog.names)
}

/// What comes to a list, and what goes from it.
struct Difference {
    new: Vec<Value>,
    gone: Vec<Value>,
}

impl Difference {
    fn of(catalog: &Catalog, list: &ListType, shows: &Value, was: Option<&Value>) -> Difference {
        let before: Vec<Value> = was.map(|was| was.items(catalog)).unwrap_or_default();
        let mut items = shows.items(catalog);
        let draft = |value: &Value| value.draft(catalog);
        let equal = |a: &Value, b: &Value| same(&draft(a), &draft(b), list.entry, &catalog.rulebook, &catalog.names);
        let mut gone = before.clone();
        if matches!(list.shape, ListShape::Set | ListShape::Keyed) {
            gone.retain(|old| !items.iter().any(|item| same_entry(catalog, Some(list), item, old) || equal(item, old)));
            items.retain(|item| !before.iter().any(|old| equal(old, item)));
        } else {
            // each entry counts, and stands for one below
            gone.retain(|old| match items.iter().position(|item| equal(item, old)) {
                Some(at) => {
                    items.remove(at);
                    false
                }
                None => true,
            });
        }
        Difference { new: items, gone }
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
