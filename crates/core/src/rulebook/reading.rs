//! The typed walk: reads a tree against its type, and notes faults and mentions of other definitions.
//!
//! This is the hottest loop of a check. Nothing is allocated for clean data but the mentions.

use super::types::{FieldType, Reading, Rulebook, TypeId};
use crate::document::{Node, NodeId, Shape, is_whole};
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
    OutOfRange {
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

/// One walk over one file.
pub(crate) struct Walk<'r> {
    pub(crate) rulebook: &'r Rulebook,
    pub(crate) from: u32,
    pub(crate) mentions: Vec<Mention>,
    pub(crate) faults: Vec<TypeFault>,
}

impl<'r> Walk<'r> {
    pub(crate) fn new(rulebook: &'r Rulebook) -> Self {
        Walk { rulebook, from: 0, mentions: Vec::new(), faults: Vec::new() }
    }

    fn fault(&mut self, at: Node<'_>, what: Wrong) {
        self.faults.push(TypeFault { from: self.from, at: at.id(), what });
    }

    /// Reads a value against a type.
    pub(crate) fn value(&mut self, node: Node<'_>, want: TypeId) {
        let rulebook = self.rulebook;
        let ty = rulebook.field_type(want);
        let shape = node.shape();
        if shape == Shape::Broken {
            return;
        }
        let fits = match &ty.reading {
            Reading::Any => true,
            Reading::Integer | Reading::Number => {
                return self.number(node, want, ty);
            }
            Reading::Boolean => shape == Shape::Boolean,
            Reading::Text => shape == Shape::Text,
            Reading::Choice(words) => {
                if shape == Shape::Text && !words.set.contains(&*node.text()) {
                    self.fault(node, Wrong::NotAChoice { want });
                }
                shape == Shape::Text
            }
            Reading::Flags(words) => {
                if shape == Shape::List {
                    for item in node.children() {
                        if item.shape() != Shape::Text || !words.set.contains(&*item.text()) {
                            self.fault(item, Wrong::NotAChoice { want });
                        }
                    }
                    self.entries_once(node, want, |item, other| item.text() == other.text());
                }
                shape == Shape::List
            }
            Reading::Link(_) | Reading::File(_) => {
                let word = matches!(shape, Shape::Text | Shape::Number);
                if word {
                    self.mentions.push(Mention { from: self.from, at: node.id(), wants: want });
                }
                word
            }
            Reading::Parent(_) => shape == Shape::Text,
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
            self.fault(node, Wrong::Mismatch { want });
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
        if !whole || seen & table.needed == table.needed {
            return;
        }
        for (at, (field, _)) in table.fields.iter().enumerate().take(128) {
            if table.needed & !seen & (1 << at) != 0 {
                self.fault(node, Wrong::Lacking { table: want, field: *field });
            }
        }
    }

    fn key(&mut self, entry: Node<'_>, want: TypeId) {
        match &self.rulebook.field_type(want).reading {
            Reading::Link(_) => self.mentions.push(Mention { from: self.from, at: entry.id(), wants: want }),
            Reading::Choice(words) => {
                let raw = entry.key_span().of(entry.document().text());
                let word = raw.trim_matches('"');
                if !words.set.contains(word) {
                    self.fault(entry, Wrong::NotAChoice { want });
                }
            }
            _ => {}
        }
    }

    fn number(&mut self, node: Node<'_>, want: TypeId, ty: &FieldType) {
        let raw = node.raw();
        if node.shape() != Shape::Number || (matches!(ty.reading, Reading::Integer) && !is_whole(raw)) {
            return self.fault(node, Wrong::Mismatch { want });
        }
        if ty.min.is_none() && ty.max.is_none() {
            return;
        }
        let Some(value) = raw.parse::<f64>().ok().or_else(|| crate::document::float(raw)) else { return };
        let low = ty.min.as_ref().is_some_and(|min| value < min.value);
        let high = ty.max.as_ref().is_some_and(|max| value > max.value);
        if low || high {
            self.fault(node, Wrong::OutOfRange { want });
        }
    }

    fn list_once(&mut self, node: Node<'_>, want: TypeId) {
        let rulebook = self.rulebook;
        let Reading::List(list) = &rulebook.field_type(want).reading else { return };
        match list.shape {
            super::types::ListShape::Set => {
                self.entries_once(node, want, |a, b| a.shape() == b.shape() && a.text() == b.text());
            }
            super::types::ListShape::Keyed => {
                let by = &list.by;
                self.entries_once(node, want, |a, b| {
                    by.iter().all(|key| match (a.get(*key), b.get(*key)) {
                        (Some(a), Some(b)) => a.text() == b.text(),
                        (None, None) => true,
                        _ => false,
                    })
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
                [] => item.text().into_owned(),
                by => {
                    let part = |key: &Sym| item.get(*key).map_or(String::new(), |node| node.text().into_owned());
                    by.iter().map(part).collect::<Vec<_>>().join("\u{1f}")
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
