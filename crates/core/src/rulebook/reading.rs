//! The typed walk: reads a tree against its type, and notes faults and mentions of other definitions.
//!
//! This is the hottest loop of a check. Nothing is allocated for clean data but the mentions.

use rustc_hash::FxHashMap;

use super::demands::Demands;
use super::operations::Native;
use super::types::{FieldType, Reading, Rulebook, SupplementId, TypeId, Words};
use crate::document::{Node, NodeId, Number, Shape, is_whole};
use crate::names::Sym;

/// A value that names another definition or a file; not looked up yet.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Mention {
    /// The definition of the file in which it stands, by number in the file.
    pub(crate) from: u32,
    /// The value; of a map's key, the value under it.
    pub(crate) at: NodeId,
    /// Its type. A map's key type is never a value's.
    pub(crate) wants: TypeId,
}

/// Something that does not fit its type.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) struct TypeFault {
    pub(crate) from: u32,
    pub(crate) at: NodeId,
    pub(crate) what: Wrong,
}

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Wrong {
    /// A key that the table's type does not know.
    NotKnown {
        table: TypeId,
    },
    /// A field that must be there and is not.
    Lacking {
        table: TypeId,
        field: Sym,
    },
    /// A value of another shape or notation.
    Mismatch {
        want: TypeId,
    },
    /// A list, table or single value where another of them belongs.
    Shape {
        want: TypeId,
    },
    OutOfRange {
        want: TypeId,
    },
    /// Beyond what is reliable.
    Unreliable {
        want: TypeId,
    },
    /// A text that does not look as it must.
    Form {
        want: TypeId,
    },
    /// A range that runs downwards.
    Reversed {
        want: TypeId,
    },
    /// Too few or too many entries.
    Count {
        want: TypeId,
    },
    /// Words that are missing from a set that must be complete.
    Incomplete {
        want: TypeId,
    },
    /// A field that should not be used any more.
    Retired {
        want: TypeId,
    },
    NotAChoice {
        want: TypeId,
    },
    /// An entry of a set or keyed list that is there already.
    EntryTwice {
        first: NodeId,
        list: TypeId,
    },
}

/// The numbers that stand in one field.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(crate) struct NumberRange {
    pub(crate) least: f64,
    pub(crate) most: f64,
    pub(crate) count: u32,
}

impl Default for NumberRange {
    fn default() -> Self {
        NumberRange { least: f64::INFINITY, most: f64::NEG_INFINITY, count: 0 }
    }
}

impl NumberRange {
    pub(crate) fn add(&mut self, value: f64) {
        self.join(NumberRange { least: value, most: value, count: 1 });
    }

    pub(crate) fn join(&mut self, other: NumberRange) {
        self.least = self.least.min(other.least);
        self.most = self.most.max(other.most);
        self.count = self.count.saturating_add(other.count);
    }
}

/// One walk over one file.
pub(crate) struct Walk<'r> {
    pub(crate) rulebook: &'r Rulebook,
    pub(crate) from: u32,
    pub(crate) mentions: Vec<Mention>,
    pub(crate) faults: Vec<TypeFault>,
    /// Values of fields, and words, that mods bring along.
    pub(crate) brought: Vec<(u32, NodeId, SupplementId)>,
    /// The numbers of each type, by the type's number.
    ranges: Vec<NumberRange>,
}

impl<'r> Walk<'r> {
    pub(crate) fn new(rulebook: &'r Rulebook) -> Self {
        Walk { rulebook, from: 0, mentions: Vec::new(), faults: Vec::new(), brought: Vec::new(), ranges: Vec::new() }
    }

    /// The numbers that were met, by type.
    pub(crate) fn ranges(&self) -> Vec<(TypeId, NumberRange)> {
        let all = self.ranges.iter().zip(0u32..).filter(|(range, _)| range.count > 0);
        all.map(|(range, at)| (TypeId(at), *range)).collect()
    }

    fn fault(&mut self, at: Node<'_>, what: Wrong) {
        self.faults.push(TypeFault { from: self.from, at: at.id(), what });
    }

    /// Reads a value against a type.
    pub(crate) fn value(&mut self, node: Node<'_>, want: TypeId) {
        let rulebook = self.rulebook;
        let ty = rulebook.field_type(want);
        let shape = node.shape();
        let nothing = || ty.written.as_ref().is_some_and(|written| !written.none.is_empty());
        if shape == Shape::Broken || (shape == Shape::Null && nothing()) {
            return;
        }
        if let Some(from) = ty.from {
            self.brought.push((self.from, node.id(), from));
        }
        if let Some((native, content)) = rulebook.marked(node, want) {
            return self.change(native, content, want);
        }
        if let Some((mark, words, content)) = rulebook.marked_astray(node, want) {
            self.value(mark, words);
            return self.value(content, want);
        }
        let fits = match &ty.reading {
            Reading::Any => true,
            Reading::Integer | Reading::Number => {
                return self.number(node, want, ty);
            }
            Reading::Boolean => shape == Shape::Boolean,
            Reading::Text => shape == Shape::Text,
            Reading::Choice(words) => {
                self.words_brought(node, words);
                let bare = |word: &str| ty.link.as_ref().is_some_and(|said| words.set.contains(said.unsigned(word)));
                if shape == Shape::Text && !words.set.contains(&*node.text()) && !bare(&node.text()) {
                    self.fault(node, Wrong::NotAChoice { want });
                }
                shape == Shape::Text
            }
            Reading::Flags(words) => {
                if shape == Shape::List {
                    for item in node.children() {
                        self.words_brought(item, words);
                        if item.shape() != Shape::Text || !words.set.contains(&*item.text()) {
                            self.fault(item, Wrong::NotAChoice { want });
                        }
                    }
                    self.entries_once(node, want, |item, other| item.text() == other.text());
                }
                shape == Shape::List
            }
            Reading::Link(_) | Reading::File(_) | Reading::Key(_) | Reading::Path(_) | Reading::Word { .. } => {
                let number = shape == Shape::Number && !matches!(ty.reading, Reading::Key(_) | Reading::Path(_));
                let word = shape == Shape::Text || number;
                if word {
                    self.mentions.push(Mention { from: self.from, at: node.id(), wants: want });
                }
                word
            }
            Reading::Parent(kind) => {
                let texts = || node.children().all(|item| item.shape() == Shape::Text);
                shape == Shape::Text || shape == Shape::List && rulebook.kind(*kind).several_parents && texts()
            }
            Reading::Formula { .. } => {
                if shape == Shape::Text {
                    self.mentions.push(Mention { from: self.from, at: node.id(), wants: want });
                }
                matches!(shape, Shape::Text | Shape::Number)
            }
            Reading::Tuple { places, needed } => {
                for (item, place) in node.children().zip(places).filter(|_| shape == Shape::List) {
                    self.value(item, *place);
                }
                self.reversed(node, want, ty);
                shape == Shape::List && (*needed..=places.len()).contains(&node.len())
            }
            Reading::List(list) => {
                if shape == Shape::List {
                    for item in node.children() {
                        self.value(item, list.entry);
                    }
                    self.list_once(node, want);
                }
                shape == Shape::List
            }
            Reading::Table(_) => {
                if shape == Shape::Table {
                    self.table(node, want, true);
                }
                shape == Shape::Table
            }
            Reading::Choose { by, cases, other, .. } => {
                if shape == Shape::Table {
                    let word = node.get(*by);
                    match (word.and_then(|word| cases.get(&*word.text())), word) {
                        (Some(case), _) => self.table(node, *case, true),
                        (None, Some(word)) => {
                            if let Reading::Table(table) = &rulebook.field_type(*other).reading {
                                table.get(*by).into_iter().for_each(|ty| self.value(word, ty));
                            }
                        }
                        // what tells the case may be inherited: then each field is read as all cases that have it do
                        (None, None) => self.untold(node, *other, cases),
                    }
                }
                shape == Shape::Table
            }
            Reading::Either { table, single } => {
                self.value(node, if shape == Shape::Table { *table } else { *single });
                true
            }
            Reading::Map { key, value } => {
                if shape == Shape::Table {
                    for entry in node.children() {
                        if let Some(key) = key {
                            self.key(entry, *key);
                        }
                        self.value(entry, *value);
                    }
                }
                shape == Shape::Table
            }
        };
        if !fits {
            let many = |shape| matches!(shape, Shape::List | Shape::Table);
            let wants_many = matches!(
                ty.reading,
                Reading::List(_)
                    | Reading::Flags(_)
                    | Reading::Tuple { .. }
                    | Reading::Table(_)
                    | Reading::Map { .. }
                    | Reading::Choose { .. }
            );
            let wrong = if many(shape) || wants_many { Wrong::Shape { want } } else { Wrong::Mismatch { want } };
            self.fault(node, wrong);
        } else if let Some(demands) = ty.demands() {
            self.demanded(node, want, demands);
        }
    }

    fn words_brought(&mut self, node: Node<'_>, words: &Words) {
        if let Some((_, from)) = words.from.iter().find(|(word, _)| *word == *node.text()) {
            self.brought.push((self.from, node.id(), *from));
        }
    }

    /// Reads what a mark on an element does to a single value or list.
    fn change(&mut self, native: Native, content: Option<Node<'_>>, want: TypeId) {
        let number = self.rulebook.field_type(want).is_number();
        let calculates = matches!(native, Native::Shift | Native::Multiply);
        match content {
            // what is calculated with has no limits
            Some(content) if number && calculates && content.shape() == Shape::Number => {}
            Some(content) if number && calculates => self.fault(content, Wrong::Mismatch { want }),
            Some(content) => self.value(content, want),
            None => {}
        }
    }

    /// What is demanded beyond the type, of a value that has the type.
    fn demanded(&mut self, node: Node<'_>, want: TypeId, demands: &Demands) {
        if demands.is_of_text() && demands.refuses(&node.text()) {
            self.fault(node, Wrong::Form { want });
        }
        let count = node.len();
        if demands.min_count.is_some_and(|least| count < least) || demands.max_count.is_some_and(|most| count > most) {
            self.fault(node, Wrong::Count { want });
        }
        if demands.complete && !self.rulebook.words_missing(node, want).is_empty() {
            self.fault(node, Wrong::Incomplete { want });
        }
        if demands.retired.is_some() {
            self.fault(node, Wrong::Retired { want });
        }
    }

    /// Reads the fields of a table. `whole` asks for those that must be there.
    pub(crate) fn table(&mut self, node: Node<'_>, want: TypeId, whole: bool) {
        let rulebook = self.rulebook;
        let Reading::Table(table) = &rulebook.field_type(want).reading else { return };
        let mut seen = 0u128;
        for entry in node.children() {
            let Some(key) = entry.key() else { continue };
            match table.index.get(&key).and_then(|at| Some((*at, table.fields.get(*at as usize)?))) {
                Some((at, (_, ty))) => {
                    seen |= 1u128.checked_shl(at).unwrap_or(0);
                    self.value(entry, *ty);
                }
                None if table.open => {}
                None => self.fault(entry, Wrong::NotKnown { table: want }),
            }
        }
        if whole {
            for (field, _) in table.needed_behind().filter(|(field, _)| node.get(*field).is_none()) {
                self.fault(node, Wrong::Lacking { table: want, field: *field });
            }
        }
        if !whole || seen & table.needed == table.needed {
            return;
        }
        // where a list is its entries one by one, none is an empty list
        let by_entry = node.document().notation().lists_by_entry();
        for (at, (field, ty)) in table.fields.iter().enumerate().take(128) {
            let empty = by_entry && matches!(rulebook.field_type(*ty).reading, Reading::List(_));
            if !empty && table.needed & !seen & (1 << at) != 0 {
                self.fault(node, Wrong::Lacking { table: want, field: *field });
            }
        }
    }

    /// Reads a table that does not say which case it is.
    fn untold(&mut self, node: Node<'_>, other: TypeId, cases: &FxHashMap<String, TypeId>) {
        let rulebook = self.rulebook;
        let Reading::Table(shared) = &rulebook.field_type(other).reading else { return };
        let mut words: Vec<(&String, &TypeId)> = cases.iter().collect();
        words.sort_unstable();
        for entry in node.children() {
            let Some(key) = entry.key() else { continue };
            let of_case = |(_, case): &(&String, &TypeId)| match &rulebook.field_type(**case).reading {
                Reading::Table(table) => table.get(key),
                _ => None,
            };
            let all: Vec<TypeId> = match shared.get(key) {
                Some(ty) => vec![ty],
                None => words.iter().filter_map(of_case).collect(),
            };
            match all.as_slice() {
                [] if shared.open => {}
                [] => self.fault(entry, Wrong::NotKnown { table: other }),
                [ty] => self.value(entry, *ty),
                // of several nobody knows which is meant
                _ => {}
            }
        }
        for (at, (field, _)) in shared.fields.iter().enumerate() {
            if shared.needs(at) && node.get(*field).is_none() {
                self.fault(node, Wrong::Lacking { table: other, field: *field });
            }
        }
    }

    /// The key of an entry of a map.
    pub(crate) fn key(&mut self, entry: Node<'_>, want: TypeId) {
        let ty = self.rulebook.field_type(want);
        match &ty.reading {
            Reading::Link(_) | Reading::Word { .. } | Reading::File(_) => {
                self.mentions.push(Mention { from: self.from, at: entry.id(), wants: want });
            }
            Reading::Choice(words) if !words.set.contains(&entry.key_text()) => {
                self.fault(entry, Wrong::NotAChoice { want });
            }
            Reading::Integer | Reading::Number => {
                let key = entry.key_text();
                match Number::parse(&key).filter(|_| !matches!(ty.reading, Reading::Integer) || is_whole(&key)) {
                    None => self.fault(entry, Wrong::Mismatch { want }),
                    Some(_) if crate::document::float(&key).is_some_and(|value| ty.is_beyond(value)) => {
                        self.fault(entry, Wrong::OutOfRange { want });
                    }
                    Some(_) => {}
                }
            }
            Reading::Text if ty.demands().is_some_and(|demands| demands.refuses(&entry.key_text())) => {
                self.fault(entry, Wrong::Form { want });
            }
            _ => {}
        }
    }

    fn number(&mut self, node: Node<'_>, want: TypeId, ty: &FieldType) {
        let raw = &*node.text();
        match node.shape() {
            Shape::Number if !matches!(ty.reading, Reading::Integer) || is_whole(raw) => {}
            Shape::List | Shape::Table => return self.fault(node, Wrong::Shape { want }),
            _ => return self.fault(node, Wrong::Mismatch { want }),
        }
        if let Some(demands) = ty.demands() {
            self.reliable(node, want, demands);
        }
        let Some(value) = raw.parse::<f64>().ok().or_else(|| crate::document::float(raw)) else { return };
        let at = want.0 as usize;
        if self.ranges.len() <= at {
            self.ranges.resize(self.rulebook.types.len(), NumberRange::default());
        }
        if let Some(range) = self.ranges.get_mut(at) {
            range.add(value);
        }
        if ty.is_beyond(value) {
            self.fault(node, Wrong::OutOfRange { want });
        } else if let Some(narrow) = &ty.narrow
            && (narrow.min.as_ref().is_some_and(|min| value < min.value)
                || narrow.max.as_ref().is_some_and(|max| value > max.value))
            && ty.called(raw).is_none()
        {
            self.brought.push((self.from, node.id(), narrow.from));
        }
    }

    fn reliable(&mut self, node: Node<'_>, want: TypeId, demands: &Demands) {
        if demands.retired.is_some() {
            self.fault(node, Wrong::Retired { want });
        }
        let Some(value) = crate::document::float(&node.text()) else { return };
        let low = demands.safe_min.as_ref().is_some_and(|min| value < min.value);
        let high = demands.safe_max.as_ref().is_some_and(|max| value > max.value);
        let refused = self.rulebook.field_type(want);
        if (low || high) && !refused.is_beyond(value) && refused.called_at(value).is_none() {
            self.fault(node, Wrong::Unreliable { want });
        }
    }

    /// A range whose upper end lies below the lower one.
    fn reversed(&mut self, node: Node<'_>, want: TypeId, ty: &FieldType) {
        let Some(written) = ty.written.as_ref().filter(|written| written.range && !written.down) else { return };
        let mut ends = node.children().map(|end| crate::document::float(&end.text()));
        if let (Some(Some(low)), Some(Some(high))) = (ends.next(), ends.next())
            && written.range
            && low > high
        {
            self.fault(node, Wrong::Reversed { want });
        }
    }

    fn list_once(&mut self, node: Node<'_>, want: TypeId) {
        let rulebook = self.rulebook;
        let Reading::List(list) = &rulebook.field_type(want).reading else { return };
        match list.shape {
            super::types::ListShape::Set => {
                self.entries_once(node, want, |a, b| {
                    a.shape() == b.shape() && a.shape() != Shape::Null && a.text() == b.text()
                });
            }
            super::types::ListShape::Keyed => {
                let by = &list.by;
                // what has no key at all is no twin
                let is_keyed = |item: Node<'_>| by.iter().any(|key| item.get(*key).is_some());
                self.entries_once(node, want, |a, b| {
                    by.iter().all(|key| match (a.get(*key), b.get(*key)) {
                        (Some(a), Some(b)) => a.text() == b.text(),
                        (None, None) => true,
                        _ => false,
                    }) && is_keyed(a)
                });
            }
            _ => {}
        }
    }

    fn entries_once(&mut self, node: Node<'_>, list: TypeId, same: impl Fn(Node<'_>, Node<'_>) -> bool) {
        // longer lists of ids do occur; quadratic work on them does not pay
        if node.len() > 64 {
            return self.many_entries_once(node, list);
        }
        for (at, item) in node.children().enumerate().skip(1) {
            if let Some(first) = node.children().take(at).find(|other| same(item, *other)) {
                self.fault(item, Wrong::EntryTwice { first: first.id(), list });
            }
        }
    }

    /// As [`Self::entries_once`] for long lists: entries are compared by their words.
    fn many_entries_once(&mut self, node: Node<'_>, list: TypeId) {
        let rulebook = self.rulebook;
        let by: &[Sym] = match &rulebook.field_type(list).reading {
            Reading::List(list) => &list.by,
            _ => &[],
        };
        let mut seen = rustc_hash::FxHashMap::default();
        for item in node.children() {
            let word = match by {
                [] if item.shape() == Shape::Null => continue,
                // a number and a text are two
                [] => (item.shape(), item.text().into_owned()),
                by if by.iter().all(|key| item.get(*key).is_none()) => continue,
                by => {
                    let part = |key: &Sym| item.get(*key).map_or(String::new(), |node| node.text().into_owned());
                    (Shape::Table, by.iter().map(part).collect::<Vec<_>>().join("\u{1f}"))
                }
            };
            match seen.entry(word) {
                std::collections::hash_map::Entry::Occupied(first) => {
                    self.fault(item, Wrong::EntryTwice { first: *first.get(), list });
                }
                std::collections::hash_map::Entry::Vacant(free) => {
                    free.insert(item.id());
                }
            }
        }
    }
}

impl Rulebook {
    /// All words of a set that must be complete.
    pub(crate) fn all_words(&self, want: TypeId) -> &[String] {
        let reading = |id: TypeId| Some(&self.field_type(id).reading);
        self.field_type(want).all_words(&reading).map_or(&[], |words| words.listed.as_slice())
    }

    /// The words that a value lacks which must have all of them.
    pub(crate) fn words_missing(&self, node: Node<'_>, want: TypeId) -> Vec<String> {
        let ty = self.field_type(want);
        let reading = |id: TypeId| Some(&self.field_type(id).reading);
        let Some(words) = ty.all_words(&reading) else { return Vec::new() };
        let word = |item: Node<'_>| match &ty.reading {
            Reading::Map { .. } => Some(item.key_text()),
            Reading::List(list) if !list.by.is_empty() => {
                list.by.first().and_then(|key| item.get(*key)).map(|node| node.text().into_owned())
            }
            _ => Some(item.text().into_owned()),
        };
        let there: Vec<String> = node.children().filter_map(word).collect();
        words.listed.iter().filter(|word| !there.contains(word)).cloned().collect()
    }
}
