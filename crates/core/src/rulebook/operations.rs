//! How a game itself writes changes of inherited values: below certain fields, or by a mark on an element.
//!
//! Loading gives the fields and marks types, so that what stands there is read and checked; what they do to a
//! value is the business of `effective`.

use rustc_hash::FxHashSet;

use super::keys;
use super::load::Loader;
use super::types::{FieldType, KindId, Reading, Rulebook, TableType, TypeId, Words};
use crate::document::{Format, Node, Shape};
use crate::names::{Names, Sym};
use crate::nearest::nearest;
use crate::own;
use crate::said::{listed, said};

/// What becomes of an inherited value.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Native {
    /// A number is added.
    Shift,
    /// It is multiplied.
    Multiply,
    /// Entries are added to a list.
    Add,
    /// Entries are taken out of it.
    Remove,
    /// It counts alone, nothing of what is inherited stays.
    Replace,
    /// It is taken away.
    Unset,
    /// Of what is inherited only the fields or entries that are named stay.
    Keep,
    /// It only counts where something is inherited.
    IfThere,
}

const WORDS: [(&str, Native); 8] = [
    ("shift", Native::Shift),
    ("multiply", Native::Multiply),
    ("add", Native::Add),
    ("remove", Native::Remove),
    ("replace", Native::Replace),
    ("unset", Native::Unset),
    ("keep", Native::Keep),
    ("if_there", Native::IfThere),
];

/// The words of a mark, with what they mean.
type MarkWords = Vec<(String, Native)>;

/// Fields or attributes that say what an element does to what is inherited.
#[derive(Clone, Debug)]
pub(crate) struct Marker {
    /// The field with the value, where that is no table.
    pub(crate) content: Sym,
    /// The field, the type of its words, and these.
    marks: Vec<(Sym, TypeId, MarkWords)>,
}

impl Marker {
    /// What an element does, if it is marked.
    pub(crate) fn of(&self, node: Node<'_>) -> Option<Native> {
        let table = node.shape() == Shape::Table;
        self.means(|key| node.get(key).filter(|_| table).map(|word| word.text().into_owned()))
    }

    /// The mark and the word in it that stand for an operation.
    pub(crate) fn word_of(&self, native: Native) -> Option<(Sym, &str)> {
        let mut all = self.marks.iter().flat_map(|(key, _, words)| words.iter().map(move |word| (*key, word)));
        all.find(|(_, (_, known))| *known == native).map(|(key, (word, _))| (key, word.as_str()))
    }

    /// Whether a field is one of the marks.
    pub(crate) fn is_mark(&self, field: Sym) -> bool {
        self.marks.iter().any(|(key, ..)| *key == field)
    }

    /// What an element with these words in its marks does. Of several operations on one element what takes away all
    /// that is inherited counts before what changes it, and that before what only asks whether there is any.
    pub(crate) fn means(&self, word: impl Fn(Sym) -> Option<String>) -> Option<Native> {
        let said = self.marks.iter().filter_map(|(key, _, words)| {
            let word = word(*key)?;
            words.iter().find(|(known, _)| *known == word).map(|(_, native)| *native)
        });
        said.min_by_key(|native| match native {
            Native::Unset => 0,
            Native::Replace => 1,
            Native::IfThere => 3,
            _ => 2,
        })
    }
}

/// The game's notation for changes of one kind's inherited values.
#[derive(Clone, Debug, Default)]
pub(crate) struct Operations {
    /// Fields below which the changed fields stand.
    pub(crate) under: Vec<(Sym, Native)>,
    pub(crate) marker: Option<Marker>,
}

impl Operations {
    pub(crate) fn under(&self, key: Sym) -> Option<Native> {
        self.under.iter().find(|(known, _)| *known == key).map(|(_, native)| *native)
    }

    /// The field below which an operation is written, where there is one.
    pub(crate) fn field_of(&self, native: Native) -> Option<Sym> {
        self.under.iter().find(|(_, known)| *known == native).map(|(key, _)| *key)
    }

    /// Whether an operation can be written at all.
    pub(crate) fn says(&self, native: Native) -> bool {
        self.field_of(native).is_some() || self.marker.as_ref().is_some_and(|marker| marker.word_of(native).is_some())
    }
}

impl Rulebook {
    /// Whether a list can stand behind a mark in all files where definitions of a kind stand: elements of XML and cells
    /// hold none.
    pub(crate) fn marks_lists(&self, kind: KindId) -> bool {
        let mut places = self.places.iter().filter(|place| place.which.has(kind));
        places.all(|place| {
            let notation = place.patterns.first().and_then(|pattern| place.notation_of(pattern));
            notation.is_some_and(|notation| match notation.format() {
                Format::Json | Format::Toml => true,
                Format::Yaml => notation.tags().is_none_or(|tags| tags.content.is_some()),
                _ => false,
            })
        })
    }

    /// What a mark does to a single value, and the value, if an element is such a one.
    pub(crate) fn marked<'d>(&self, node: Node<'d>, want: TypeId) -> Option<(Native, Option<Node<'d>>)> {
        if self.markers.is_empty() || node.shape() != Shape::Table || self.is_of_tables(want) {
            return None;
        }
        // one element may be the one entry of a list
        let entry = match &self.field_type(want).reading {
            Reading::List(list) => self.is_of_tables(list.entry),
            _ => false,
        };
        let of = |marker: &Marker| {
            let content = node.get(marker.content);
            let whole = !entry || content.is_some() || node.len() == 1;
            marker.of(node).filter(|_| whole).map(|native| (native, content))
        };
        self.markers.iter().find_map(of)
    }

    /// The mark on a single value whose word means nothing, with the type of its words, and the value.
    pub(crate) fn marked_astray<'d>(&self, node: Node<'d>, want: TypeId) -> Option<(Node<'d>, TypeId, Node<'d>)> {
        if self.markers.is_empty() || node.shape() != Shape::Table || self.is_of_tables(want) {
            return None;
        }
        self.markers.iter().find_map(|marker| {
            let content = node.get(marker.content)?;
            let (mark, ty) = marker.marks.iter().find_map(|(key, ty, _)| Some((node.get(*key)?, *ty)))?;
            Some((mark, ty, content)).filter(|_| marker.of(node).is_none())
        })
    }

    /// Whether a type is that of the words of a mark.
    pub(crate) fn is_of_mark(&self, ty: TypeId) -> bool {
        self.markers.iter().any(|marker| marker.marks.iter().any(|(_, of, _)| *of == ty))
    }

    /// Whether values of a type are tables.
    fn is_of_tables(&self, ty: TypeId) -> bool {
        let reading = &self.field_type(ty).reading;
        matches!(reading, Reading::Table(_) | Reading::Choose { .. } | Reading::Map { .. } | Reading::Either { .. })
    }
}

impl<'d> Loader<'d> {
    /// Reads `[kinds.NAME.operations]`, and gives its fields and marks types. `since` is the first of the kind's types.
    pub(super) fn operations(&mut self, node: Node<'d>, root: TypeId, since: usize) -> Operations {
        let table = own::Reading::new(node, &keys::OPERATIONS, self.names, &mut self.faults);
        let mut out = Operations::default();
        let fields = match &self.rulebook.field_type(root).reading {
            Reading::Table(table) => table.fields.clone(),
            _ => Vec::new(),
        };
        let under = table.get("under").into_iter().flat_map(|under| under.children());
        for (name, native) in under.filter_map(|entry| self.native(entry)).collect::<Vec<_>>() {
            let key = self.names.intern(&name);
            let ty = match native {
                Native::Unset => self.type_like(root, &name, Reading::Any),
                _ => self.relaxed_table(root, &fields, &name, native, &mut FxHashSet::default()),
            };
            self.field(root, key, ty);
            out.under.push((key, native));
        }
        let words = self.mark_words(table.get("words"));
        let mut marks: Vec<(String, MarkWords)> = Vec::new();
        match (table.text("marker"), words.is_empty()) {
            (Some(name), false) => marks.push((name, words)),
            (None, true) => {}
            _ => self.faults.push(own::fault(node.place(), "`marker` and `words` are said together")),
        }
        for entry in table.get("markers").into_iter().flat_map(|markers| markers.children()) {
            let words = self.mark_words(Some(entry));
            // words that mean no operation are told by themselves
            if words.is_empty() && entry.shape() == Shape::Table && !entry.is_empty() {
                continue;
            }
            if words.is_empty() {
                let message = "a mark has words, each with an operation: `{ no = \"replace\" }`";
                self.faults.push(own::fault(entry.place(), message));
                continue;
            }
            marks.push((entry.key().map_or("", |key| self.names.text(key)).to_owned(), words));
        }
        // elements and attributes are found by their plain names
        for (name, _) in &mut marks {
            *name = name.trim_start_matches('@').to_owned();
        }
        let until = self.rulebook.types.len();
        let mut made = Vec::new();
        for (name, words) in marks {
            let choice = Reading::Choice(Words::new(words.iter().map(|(word, _)| word.clone()).collect()));
            let ty = self.type_like(root, &name, choice);
            let key = self.names.intern(&name);
            let all = (since..until).map(|at| TypeId(crate::source::to_u32(at)));
            all.filter(|at| *at != root).for_each(|at| self.field(at, key, ty));
            made.push((key, ty, words));
        }
        if !made.is_empty() {
            let content = self.names.intern(&table.text("content").unwrap_or_else(|| "#text".to_owned()));
            out.marker = Some(Marker { content, marks: made });
            self.rulebook.markers.extend(out.marker.clone());
        }
        out
    }

    fn mark_words(&mut self, node: Option<Node<'_>>) -> MarkWords {
        let all = node.into_iter().flat_map(|words| words.children());
        all.filter_map(|entry| self.native(entry)).collect()
    }

    /// The word in an entry's key, and the operation that it stands for.
    fn native(&mut self, entry: Node<'_>) -> Option<(String, Native)> {
        let said = entry.text();
        match WORDS.iter().find(|(word, _)| *word == said) {
            Some((_, native)) => Some((entry.key().map_or("", |key| self.names.text(key)).to_owned(), *native)),
            None => {
                let words = WORDS.map(|(word, _)| word);
                let help = match nearest(&said, words) {
                    Some(near) => said!("the nearest known operation is `{nearest}`", nearest = near),
                    None => said!("known are {known}", known = listed(words)),
                };
                let message = said!("there is no operation `{word}`", word = said);
                self.faults.push(own::fault(entry.place(), message).help(Some(help)));
                None
            }
        }
    }

    /// Adds a field that may be left out to a table.
    fn field(&mut self, table: TypeId, key: Sym, ty: TypeId) {
        if let Some(Reading::Table(table)) = self.rulebook.types.get_mut(table.0 as usize).map(|ty| &mut ty.reading)
            && table.get(key).is_none()
        {
            table.index.insert(key, crate::source::to_u32(table.fields.len()));
            table.fields.push((key, ty));
        }
    }

    fn type_like(&mut self, like: TypeId, pattern: &str, reading: Reading) -> TypeId {
        let about = self.rulebook.field_type(like).about.clone();
        let plain = FieldType::plain(reading);
        self.rulebook.types.push(FieldType { pattern: pattern.to_owned(), optional: true, about, ..plain });
        TypeId(crate::source::to_u32(self.rulebook.types.len() - 1))
    }

    /// A table with the same fields, all of which may be left out.
    fn relaxed_table(
        &mut self,
        like: TypeId,
        fields: &[(Sym, TypeId)],
        pattern: &str,
        native: Native,
        on_the_way: &mut FxHashSet<TypeId>,
    ) -> TypeId {
        let names: &Names = self.names;
        let open = matches!(&self.rulebook.field_type(like).reading, Reading::Table(table) if table.open);
        let mut relaxed = TableType { open, partial: true, ..TableType::default() };
        for (key, field) in fields {
            let below = format!("{pattern}.{}", names.text(*key));
            let field = self.relaxed(*field, &below, native, on_the_way);
            relaxed.index.insert(*key, crate::source::to_u32(relaxed.fields.len()));
            relaxed.fields.push((*key, field));
        }
        self.type_like(like, pattern, Reading::Table(relaxed))
    }

    /// A type of what stands in such a table: numbers that are calculated with have no limits.
    fn relaxed(&mut self, ty: TypeId, pattern: &str, native: Native, on_the_way: &mut FxHashSet<TypeId>) -> TypeId {
        let calculates = matches!(native, Native::Shift | Native::Multiply);
        match &self.rulebook.field_type(ty).reading {
            Reading::Table(table) if on_the_way.insert(ty) => {
                let fields = table.fields.clone();
                let relaxed = self.relaxed_table(ty, &fields, pattern, native, on_the_way);
                on_the_way.remove(&ty);
                relaxed
            }
            Reading::Integer | Reading::Number if calculates => {
                // what is added has a unit, what is multiplied has none
                let written = self.rulebook.field_type(ty).written.clone().filter(|_| native == Native::Shift);
                let relaxed = self.type_like(ty, pattern, Reading::Number);
                if let Some(made) = self.rulebook.types.get_mut(relaxed.0 as usize) {
                    made.written = written;
                }
                relaxed
            }
            // several values of it, or one
            Reading::List(_) | Reading::Flags(_) if native == Native::Keep => self.type_like(ty, pattern, Reading::Any),
            _ => ty,
        }
    }
}
