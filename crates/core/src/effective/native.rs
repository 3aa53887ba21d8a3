//! The game's own notation for changes of inherited values: what a definition writes becomes a state in which
//! the changes wait for what they change.

use std::sync::Arc;

use rust_decimal::Decimal;

use super::operate::pending;
use super::value::{Content, Value};
use crate::catalog::Catalog;
use crate::document::{Draft, FieldPath, Number, Shape, Step};
use crate::names::Sym;
use crate::rulebook::{KindId, ListShape, ListType, Native, Operations};

/// What happens to a list that is not known yet.
#[derive(Clone, Debug, Default)]
pub struct Joining {
    /// Entries of which only those stay that are named here.
    pub(crate) keep: Option<Vec<Value>>,
    pub(crate) remove: Vec<Value>,
    /// Fields of entries, which count where the entry is there.
    pub(crate) patch: Vec<Patch>,
    pub(crate) add: Vec<Value>,
}

/// Fields that are laid over an entry of a list.
#[derive(Clone, Debug)]
pub(crate) struct Patch {
    /// The words of the fields by which the entry is known.
    pub(crate) of: Vec<(String, String)>,
    pub(crate) fields: Value,
}

/// How a value counts over what is inherited.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Mark {
    /// Nothing of what is inherited stays.
    Replace,
    /// Of what is inherited only the fields stay that it has, too.
    Keep,
    /// It counts only where something is inherited.
    IfThere,
    /// As an entry of a list: it takes out the one like it.
    Remove,
}

/// What a definition of a kind writes, with its operations.
pub(super) fn native(catalog: &Catalog, kind: KindId, value: Value) -> Value {
    let Some(operations) = &catalog.rulebook.kind(kind).operations else { return value };
    let reader = Reader { catalog, operations };
    let mut entries: Vec<(Sym, Value)> = Vec::new();
    let mut changes = Vec::new();
    for (key, entry) in value.entries(catalog) {
        match operations.under(key) {
            Some(native) => changes.push((native, entry)),
            None => entries.push((key, reader.marked(entry))),
        }
    }
    for (native, below) in changes {
        match native {
            Native::Unset => reader.unset(&mut entries, &below),
            _ => reader.spread(&mut entries, &below, native),
        }
    }
    Value { content: Content::Table(entries), ..value }
}

/// A state as a definition of a kind writes it: what waits for inherited values is written by the kind's operations.
/// The inverse of [`native`].
pub(crate) fn notated(catalog: &Catalog, kind: KindId, value: &Value) -> Draft {
    let Some(operations) = &catalog.rulebook.kind(kind).operations else { return value.draft(catalog) };
    let mut below: Vec<(Sym, FieldPath, Draft)> = Vec::new();
    let mut whole = plainly(catalog, operations, value, &FieldPath::default(), &mut below);
    for (key, path, draft) in below {
        whole.lay_in(FieldPath::key(catalog.names.text(key)).join(&path).steps(), draft, false);
    }
    whole
}

/// An entry of a list as a definition of a kind writes it, with the mark that takes it out, where it is one to go.
pub(crate) fn notated_entry(catalog: &Catalog, kind: KindId, entry: &Value) -> Draft {
    match &catalog.rulebook.kind(kind).operations {
        Some(operations) => plainly(catalog, operations, entry, &FieldPath::default(), &mut Vec::new()),
        None => entry.draft(catalog),
    }
}

/// What stands in its own place; what stands below an operation's field goes to `below`, with its path.
fn plainly(
    catalog: &Catalog,
    operations: &Operations,
    value: &Value,
    path: &FieldPath,
    below: &mut Vec<(Sym, FieldPath, Draft)>,
) -> Draft {
    match &value.content {
        Content::Table(entries) => {
            let mut out = Vec::new();
            for (key, entry) in entries.iter().filter(|(_, entry)| !matches!(entry.content, Content::Hidden)) {
                let name = catalog.names.text(*key);
                let at = path.with(Step::Key(name.to_owned()));
                let before = below.len();
                let draft = plainly(catalog, operations, entry, &at, below);
                // a table of nothing but changes that stand elsewhere
                let elsewhere = below.len() > before && matches!(&draft, Draft::Table(inner) if inner.is_empty());
                let waits = matches!(entry.content, Content::Pending(_) | Content::Joining(_) | Content::Marked(..));
                if !(elsewhere || waits && draft == Draft::Null) {
                    out.push((name.to_owned(), draft));
                }
            }
            Draft::Table(out)
        }
        Content::List(items) => {
            Draft::List(items.iter().map(|item| plainly(catalog, operations, item, path, below)).collect())
        }
        Content::Pending(steps) => {
            let mut here = Draft::Null;
            let first = steps.first().is_some_and(|(multiplies, _)| *multiplies);
            for multiplies in [first, !first] {
                let mut of_sort = steps.iter().filter(|(sort, _)| *sort == multiplies).peekable();
                if of_sort.peek().is_none() {
                    continue;
                }
                let number = of_sort.try_fold(Decimal::from(u8::from(multiplies)), |sum, (_, by)| match multiplies {
                    true => sum.checked_mul(*by),
                    false => sum.checked_add(*by),
                });
                let number = number.map_or(Draft::Null, |sum| Draft::Number(Number::from_decimal(sum.normalize())));
                let native = if multiplies { Native::Multiply } else { Native::Shift };
                here = changed(catalog, operations, (native, number), path, below);
            }
            here
        }
        Content::Joining(change) => {
            let list = |items: &[Value]| Draft::List(items.iter().map(|item| item.draft(catalog)).collect());
            let mut here = Draft::Null;
            for (native, items) in [(Native::Remove, &change.remove), (Native::Add, &change.add)] {
                if !items.is_empty() {
                    here = changed(catalog, operations, (native, list(items)), path, below);
                }
            }
            if let Some(kept) = &change.keep {
                here = changed(catalog, operations, (Native::Keep, list(kept)), path, below);
            }
            here
        }
        Content::Marked(mark, inner) => {
            let native = match mark {
                Mark::Replace => Native::Replace,
                Mark::Keep => Native::Keep,
                Mark::IfThere => Native::IfThere,
                Mark::Remove => Native::Remove,
            };
            let here = changed(catalog, operations, (native, inner.draft(catalog)), path, below);
            let beside = value.earlier.as_ref().filter(|_| *mark == Mark::IfThere && here == Draft::Null);
            beside.map_or(here, |beside| plainly(catalog, operations, beside, path, below))
        }
        _ => value.draft(catalog),
    }
}

/// A change below the operation's field; where it has none, in its place with the operation's mark.
fn changed(
    catalog: &Catalog,
    operations: &Operations,
    (native, draft): (Native, Draft),
    path: &FieldPath,
    below: &mut Vec<(Sym, FieldPath, Draft)>,
) -> Draft {
    if let Some(key) = operations.field_of(native) {
        below.push((key, path.clone(), draft));
        return Draft::Null;
    }
    let Some((marker, word)) = operations.marker.as_ref().and_then(|m| Some((m, m.word_of(native)?))) else {
        return draft;
    };
    let (key, word) = word;
    let mut marked = vec![(catalog.names.text(key).to_owned(), Draft::Text(word.to_owned()))];
    match draft {
        Draft::Table(entries) => marked.extend(entries),
        other => marked.push((catalog.names.text(marker.content).to_owned(), other)),
    }
    Draft::Table(marked)
}

struct Reader<'c> {
    catalog: &'c Catalog,
    operations: &'c Operations,
}

impl Reader<'_> {
    /// The fields below an operation's field, each as a change in its place.
    fn spread(&self, into: &mut Vec<(Sym, Value)>, below: &Value, native: Native) {
        for (key, value) in below.entries(self.catalog) {
            let known = into.iter().position(|(known, _)| *known == key);
            let whole = matches!(native, Native::Replace | Native::Keep | Native::IfThere);
            if value.shape(self.catalog) == Shape::Table && !whole {
                let here = match known.and_then(|at| into.get_mut(at)) {
                    Some((_, here)) => here,
                    None => {
                        into.push((key, Value::new(Content::Table(Vec::new()), value.origin)));
                        let Some((_, here)) = into.last_mut() else { continue };
                        here
                    }
                };
                let mut inner = here.entries(self.catalog);
                self.spread(&mut inner, &value, native);
                here.content = Content::Table(inner);
                continue;
            }
            let change = self.change(value, native);
            match known.and_then(|at| into.get_mut(at)) {
                Some((_, here)) => *here = over(self.catalog, here.clone(), change),
                None => into.push((key, change)),
            }
        }
    }

    /// Takes the named fields away.
    fn unset(&self, into: &mut Vec<(Sym, Value)>, names: &Value) {
        let several = names.items(self.catalog);
        for name in several.iter().chain(several.is_empty().then_some(names)) {
            let Some(Ok(path)) = name.word(self.catalog).map(|word| FieldPath::parse(&word)) else { continue };
            hide(self.catalog, into, path.steps(), name);
        }
    }

    /// A value with the changes that marks in it mean.
    fn marked(&self, value: Value) -> Value {
        let catalog = self.catalog;
        let Some(marker) = &self.operations.marker else { return value };
        match value.shape(catalog) {
            Shape::Table => {
                let native = marker.means(|key| value.get(catalog, key)?.word(catalog));
                let entries = value.entries(catalog);
                // a mark whose word means nothing changes nothing
                let only = entries.iter().all(|(key, _)| *key == marker.content || marker.is_mark(*key));
                let astray = only && entries.len() > 1;
                let single = value.get(catalog, marker.content).filter(|_| native.is_some() || astray);
                let entries = entries.into_iter().filter(|(key, _)| !marker.is_mark(*key));
                let entries = entries.map(|(key, entry)| (key, self.marked(entry))).collect();
                let inner = single.unwrap_or(Value { content: Content::Table(entries), ..value });
                match native {
                    Some(native) => self.change(inner, native),
                    None => inner,
                }
            }
            Shape::List => {
                let items = value.items(catalog).into_iter().map(|item| self.marked(item)).collect();
                Value { content: Content::List(items), ..value }
            }
            _ => value,
        }
    }

    /// A value as a change of what is inherited in its place.
    fn change(&self, value: Value, native: Native) -> Value {
        let catalog = self.catalog;
        let items = |value: &Value| match value.shape(catalog) {
            Shape::List => value.items(catalog),
            _ => vec![value.clone()],
        };
        let origin = value.origin;
        let is_table = value.shape(catalog) == Shape::Table;
        let marked = |mark: Mark, value: Value| Content::Marked(mark, Arc::new(value));
        let content = match native {
            Native::Shift | Native::Multiply if is_table => {
                let mut entries = Vec::new();
                self.spread(&mut entries, &value, native);
                Content::Table(entries)
            }
            Native::Shift | Native::Multiply => {
                let number = value.word(catalog).and_then(|word| crate::document::decimal(&word));
                // what is no number is a finding elsewhere
                let Some(number) = number else { return value };
                Content::Pending(Arc::new(vec![(native == Native::Multiply, number)]))
            }
            Native::Remove | Native::Unset if is_table => marked(Mark::Remove, value),
            Native::Add => Content::Joining(Arc::new(Joining { add: items(&value), ..Joining::default() })),
            Native::Remove => Content::Joining(Arc::new(Joining { remove: items(&value), ..Joining::default() })),
            Native::Keep if !is_table => {
                Content::Joining(Arc::new(Joining { keep: Some(items(&value)), ..Joining::default() }))
            }
            Native::Keep => marked(Mark::Keep, value),
            Native::Replace => marked(Mark::Replace, value),
            Native::IfThere => marked(Mark::IfThere, value),
            Native::Unset => Content::Hidden,
        };
        Value::new(content, origin)
    }
}

/// A change over another value or change of the same definition.
fn over(catalog: &Catalog, lower: Value, upper: Value) -> Value {
    match (&lower.content, &upper.content) {
        (_, Content::Pending(steps)) => pending(catalog, lower.clone(), steps, &upper),
        (Content::Joining(below), Content::Joining(above)) => {
            Value::new(both(catalog, None, below, above), upper.origin)
        }
        // what is stated beside it counts in any case
        (Content::Marked(..) | Content::Pending(_) | Content::Joining(_), _) => upper,
        (_, Content::Marked(Mark::IfThere, _)) => upper.instead_of(lower),
        _ => upper,
    }
}

fn hide(catalog: &Catalog, into: &mut Vec<(Sym, Value)>, steps: &[Step], name: &Value) {
    let Some((Step::Key(key), rest)) = steps.split_first() else { return };
    let key = catalog.names.intern(key);
    let at = into.iter().position(|(known, _)| *known == key);
    let mut here = match at.and_then(|at| into.get(at)) {
        Some((_, here)) => here.clone(),
        None => Value::new(Content::Table(Vec::new()), name.origin),
    };
    if rest.is_empty() {
        here = Value::new(Content::Hidden, name.origin);
    } else {
        let mut inner = here.entries(catalog);
        hide(catalog, &mut inner, rest, name);
        here.content = Content::Table(inner);
    }
    match at.and_then(|at| into.get_mut(at)) {
        Some((_, slot)) => *slot = here,
        None => into.push((key, here)),
    }
}

/// Two changes of a list, one upon the other.
fn both(catalog: &Catalog, list: Option<&ListType>, below: &Joining, above: &Joining) -> Content {
    let is_in = |all: &[Value], item: &&Value| all.iter().any(|other| same_entry(catalog, list, other, item));
    let keep = above.keep.clone().or_else(|| below.keep.clone());
    let stays = |item: &&Value| {
        let kept = above.keep.as_ref().is_none_or(|keep| is_in(keep, item));
        kept && !is_in(&above.remove, item)
    };
    let mut add: Vec<Value> = below.add.iter().filter(stays).cloned().collect();
    patched(catalog, list, &mut add, &above.patch);
    added(catalog, list, &mut add, &above.add);
    let remove = below.remove.iter().chain(&above.remove).cloned().collect();
    let gone = |patch: &&Patch| above.remove.iter().any(|item| item.matches(catalog, &patch.of));
    let mut patch: Vec<Patch> = below.patch.iter().filter(|patch| !gone(patch)).cloned().collect();
    for more in &above.patch {
        match patch.iter_mut().find(|known| known.of == more.of) {
            Some(known) => known.fields = over(catalog, known.fields.clone(), more.fields.clone()),
            None => patch.push(more.clone()),
        }
    }
    Content::Joining(Arc::new(Joining { keep, remove, patch, add }))
}

/// Whether two entries are the same one: by the fields that tell entries apart, else by all.
pub(super) fn same_entry(catalog: &Catalog, list: Option<&ListType>, a: &Value, b: &Value) -> bool {
    let key = |value: &Value, by: &[Sym]| -> Vec<Option<String>> {
        by.iter().map(|key| value.get(catalog, *key).and_then(|field| field.word(catalog))).collect()
    };
    match list {
        Some(list) if list.shape == ListShape::Keyed => {
            // an entry can be named by its key alone
            let word = |value: &Value| value.word(catalog).map(|word| vec![Some(word)]);
            let of = |value: &Value| word(value).unwrap_or_else(|| key(value, &list.by));
            of(a) == of(b)
        }
        _ => a.draft(catalog) == b.draft(catalog),
    }
}

/// Puts entries into a list. As in any joined list, one that is there keeps the fields that the new one does not state.
fn added(catalog: &Catalog, list: Option<&ListType>, items: &mut Vec<Value>, new: &[Value]) {
    let once = list.is_none_or(|list| matches!(list.shape, ListShape::Set | ListShape::Keyed));
    for item in new {
        match items.iter_mut().find(|other| once && same_entry(catalog, list, other, item)) {
            Some(other) => {
                let below = std::mem::replace(other, item.clone());
                let entry = list.map(|list| list.entry);
                *other = super::lay::lay(catalog, below, item.clone(), entry, super::lay::Keep::All);
            }
            None => items.push(item.clone()),
        }
    }
}

/// Lays fields over the entries that are there.
fn patched(catalog: &Catalog, list: Option<&ListType>, items: &mut [Value], patches: &[Patch]) {
    let entry = list.map(|list| list.entry);
    for patch in patches {
        if let Some(item) = items.iter_mut().find(|item| item.matches(catalog, &patch.of)) {
            let below = item.clone();
            *item = super::lay::lay(catalog, below, patch.fields.clone(), entry, super::lay::Keep::All);
        }
    }
}

/// A change of a list over what it changes.
pub(super) fn joined(
    catalog: &Catalog,
    lower: Value,
    change: &Joining,
    upper: &Value,
    list: Option<&ListType>,
) -> Value {
    if let Content::Joining(below) = &lower.content {
        return Value::new(both(catalog, list, below, change), upper.origin);
    }
    let is_in = |all: &[Value], item: &Value| all.iter().any(|other| same_entry(catalog, list, other, item));
    let mut items = lower.items(catalog);
    if let Some(keep) = &change.keep {
        items.retain(|item| is_in(keep, item));
    }
    if list.is_some_and(|list| list.shape == ListShape::Bag) {
        // equal entries count
        for gone in &change.remove {
            if let Some(at) = items.iter().position(|item| same_entry(catalog, list, item, gone)) {
                items.remove(at);
            }
        }
    } else {
        items.retain(|item| !is_in(&change.remove, item));
    }
    patched(catalog, list, &mut items, &change.patch);
    added(catalog, list, &mut items, &change.add);
    Value::new(Content::List(items), upper.origin).instead_of(lower)
}

/// What a change comes to where nothing is inherited.
pub(super) fn without_base(value: Value) -> Value {
    match &value.content {
        Content::Joining(change) => {
            let content = Content::List(change.add.clone());
            Value { content, ..value }
        }
        Content::Marked(Mark::Replace | Mark::Keep, inner) => {
            let inner = Value { earlier: value.earlier.clone().or_else(|| inner.earlier.clone()), ..(**inner).clone() };
            without_base(inner)
        }
        Content::Marked(Mark::IfThere, _) if value.earlier.is_some() => {
            value.earlier.as_deref().cloned().map_or(value, without_base)
        }
        Content::Marked(..) => Value { content: Content::Hidden, ..value },
        Content::List(items) => {
            let items = items.iter().cloned().map(without_base);
            let items = items.filter(|item| !matches!(item.content, Content::Hidden)).collect();
            Value { content: Content::List(items), ..value }
        }
        _ => value,
    }
}
