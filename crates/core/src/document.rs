//! One file as a tree with spans: the arena, and borrowed views of its nodes.
//!
//! A document knows nothing of the game. What a scalar means is read later, against a field's type,
//! from the notation that is kept here. The readers are one module per format.

mod arena;
mod builder;
mod csv;
mod described;
mod draft;
mod edit;
mod json;
mod kept;
mod notation;
mod number;
mod path;
mod po;
mod recast;
mod records;
mod script;
mod shape;
mod toml;
mod xml;
mod yaml;

#[cfg(test)]
mod tests;

use std::borrow::Cow;
use std::sync::Arc;

pub use draft::Draft;
pub use edit::{Edit, EditError, Splice, edit, json_line, splice};
pub(crate) use edit::{apply, begins_line, comments_above, edit_like, find, line_break, line_start, splices, whole};
pub use notation::{Format, Notation};
pub(crate) use notation::{Marks, Rows, Tags};
pub use number::Number;
pub(crate) use number::{decimal, float, is_whole, round};
pub(crate) use path::is_called;
pub use path::{FieldPath, PathError, Step};
pub(crate) use recast::{KeyAt, Recast};
pub(crate) use records::Records;
pub(crate) use script::Words as ScriptWords;
pub use shape::Shape;

use self::arena::{Arena, RawKey, RawNode};
use self::kept::Kept;
use crate::names::{NameCache, Names, Sym};
use crate::said::{Said, said};
pub use crate::source::SIZE_LIMIT;
use crate::source::{FileId, Place, Span, to_u32};

/// Nesting beyond this is a fault; what lies below is not read.
pub const DEPTH_LIMIT: usize = 256;

/// A node of one document.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct NodeId(pub(crate) u32);

/// A node anywhere in the workspace.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct NodeRef {
    /// The file.
    pub file: FileId,
    /// The node in its document.
    pub node: NodeId,
}

/// What only few nodes have.
#[derive(Clone, Debug, Default)]
struct Rare {
    /// Tables that TOML writes in several places: the spans of the places, in file order.
    pieces: Vec<(NodeId, Vec<Span>)>,
    /// Comments and trailing commas: read, though strict readers of the format refuse them.
    lenient: Vec<(Span, Lenient)>,
    /// Contents of texts that cannot be told from their own bytes in passing: folded, or with entities.
    kept: String,
    /// Where each of them ends there.
    ends: Vec<u32>,
    /// What YAML's aliases may name.
    anchors: Vec<Anchor>,
}

/// A node with a name that aliases repeat.
#[derive(Clone, Debug)]
pub(crate) struct Anchor {
    /// The name with its `&`.
    pub(crate) span: Span,
    /// The node, once it is finished: an alias inside it would never end.
    pub(crate) node: Option<NodeId>,
}

/// Notation that this tool reads and a strict reader of the format does not.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Lenient {
    /// A comment in JSON.
    Comment,
    /// A comma behind the last entry in JSON.
    TrailingComma,
}

/// A fault in a file's notation.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Fault {
    /// Where.
    pub span: Span,
    /// What is wrong: a lower-case phrase.
    pub message: Said,
    /// A second place that helps, and what is there.
    pub second: Option<(Span, Said)>,
    /// Whether this is a repeated key: the rest of the file reads well.
    pub repeated_key: bool,
}

/// One file, read. Immutable; shared between threads.
#[derive(Clone, Debug)]
pub struct Document {
    file: FileId,
    notation: Notation,
    text: Arc<str>,
    arena: Arena,
    root: NodeId,
    /// A table of words that patterns find in the text, beside the content.
    words: Option<NodeId>,
    rare: Option<Box<Rare>>,
    faults: Vec<Fault>,
    /// Whether this is the tree as the rulebook reads it, and not as it is written.
    as_read: bool,
    /// What is made of the rest when it is first asked for.
    kept: Kept,
}

const SHAPES: [Shape; 8] =
    [Shape::Null, Shape::Boolean, Shape::Number, Shape::Text, Shape::List, Shape::Table, Shape::Broken, Shape::Alias];
const ESCAPED: u32 = 8;

impl Document {
    /// Reads a text. Never fails: faults are kept in the document, with all that could be read.
    pub fn parse(file: FileId, notation: impl Into<Notation>, text: Arc<str>, names: &Names) -> Document {
        let mut cache = NameCache::new(names);
        Self::parse_cached(file, notation.into(), text, &mut cache)
    }

    pub(crate) fn parse_cached(
        file: FileId,
        notation: Notation,
        text: Arc<str>,
        names: &mut NameCache<'_>,
    ) -> Document {
        if text.len() > SIZE_LIMIT {
            let message = format!("the file is larger than {} MiB and is not read", SIZE_LIMIT >> 20);
            return Self::unread(file, notation, Span::default(), message);
        }
        let mut builder = builder::Builder::new(text.len());
        if notation.is_block() {
            Self::read_blocks(&notation, &text, names, &mut builder);
        } else {
            Self::read_into(&notation, &text, names, &mut builder);
        }
        builder.finish(file, notation, text)
    }

    /// Reads the blocks of a file: one as the content itself, several as a list, none as null.
    fn read_blocks(notation: &Notation, text: &str, names: &mut NameCache<'_>, builder: &mut builder::Builder) {
        let (blocks, open) = notation.blocks(text);
        if let Some(span) = open {
            builder.fault(span, "what begins here is never closed, and is not read".to_owned());
        }
        let mark = builder.mark();
        for block in &blocks {
            let before = builder.counts();
            Self::read_into(notation, block.of(text), names, builder);
            builder.shift(&before, block.start);
        }
        match blocks.len() {
            0 => builder.leaf(Sym::NONE, 0, Shape::Null, false, 0, 0),
            1 => {}
            _ => builder.close(mark, (Sym::NONE, 0), Shape::List, 0, text.len()),
        }
    }

    fn read_into(notation: &Notation, text: &str, names: &mut NameCache<'_>, builder: &mut builder::Builder) {
        match notation.format() {
            Format::Json => json::read(text, names, builder),
            Format::Toml => toml::read(text, names, builder),
            Format::Yaml => yaml::read(text, notation.tags(), names, builder),
            Format::Xml => xml::read(text, names, builder),
            Format::Csv => csv::read(text, notation.rows(), names, builder),
            Format::Po => po::read(text, names, builder),
            Format::Records => match notation.patterns() {
                Some(records) => records::read(text, records, names, builder),
                None => builder.leaf(Sym::NONE, 0, Shape::Null, false, 0, 0),
            },
            Format::Script => match notation.words() {
                Some(words) => script::read(text, words, names, builder),
                None => builder.leaf(Sym::NONE, 0, Shape::Null, false, 0, 0),
            },
            Format::Described => match notation.text_marks() {
                Some(marks) => described::read(text, marks, names, builder),
                None => builder.leaf(Sym::NONE, 0, Shape::Null, false, 0, 0),
            },
        }
    }

    /// Reads bytes; bytes that are not UTF-8 give a document with one fault and no content.
    pub(crate) fn parse_bytes(file: FileId, notation: Notation, bytes: Vec<u8>, names: &mut NameCache<'_>) -> Document {
        match String::from_utf8(bytes) {
            Ok(text) => Self::parse_cached(file, notation, text.into(), names),
            Err(error) => {
                let at = error.utf8_error().valid_up_to();
                let before = error.as_bytes().get(..at).unwrap_or_default();
                let line = memchr::memchr_iter(b'\n', before).count() + 1;
                let message = said!(
                    "not UTF-8: the byte at offset {at} (line {line}) begins no character; save the file as UTF-8",
                    at,
                    line
                );
                Self::unread(file, notation, Span::default(), message)
            }
        }
    }

    pub(crate) fn unread(file: FileId, notation: Notation, span: Span, message: impl Into<Said>) -> Document {
        let mut builder = builder::Builder::new(0);
        builder.fault(span, message);
        builder.leaf(Sym::NONE, 0, Shape::Broken, false, 0, 0);
        builder.finish(file, notation, "".into())
    }

    /// The file that was read.
    pub fn file(&self) -> FileId {
        self.file
    }

    /// The format it is written in.
    pub fn format(&self) -> Format {
        self.notation.format()
    }

    /// The format and what is special in it.
    pub fn notation(&self) -> &Notation {
        &self.notation
    }

    /// What aliases may name, in file order.
    pub(crate) fn anchors(&self) -> &[Anchor] {
        self.rare.as_ref().map_or(&[], |rare| &rare.anchors)
    }

    /// The text, equal to the file's bytes.
    pub fn text(&self) -> &Arc<str> {
        &self.text
    }

    /// The faults of notation, in order of place.
    pub fn faults(&self) -> &[Fault] {
        &self.faults
    }

    /// Notation that a strict reader of the format refuses, in order of place.
    pub fn lenient(&self) -> &[(Span, Lenient)] {
        self.rare.as_ref().map_or(&[], |rare| &rare.lenient)
    }

    /// Whether anything but a repeated key is wrong with the notation.
    pub fn is_broken(&self) -> bool {
        self.faults.iter().any(|fault| !fault.repeated_key)
    }

    /// The number of nodes.
    pub fn size(&self) -> usize {
        self.arena.len()
    }

    /// Bytes that the tree takes beside the text.
    pub fn tree_bytes(&self) -> usize {
        let kept = self.rare.as_ref().map_or(0, |rare| rare.kept.len() + rare.ends.len() * 4);
        self.arena.bytes() + kept
    }

    /// The whole content.
    pub fn root(&self) -> Node<'_> {
        Node { document: self, id: self.root }
    }

    /// The words that patterns find in the text, each under its pattern's number, beside the content: they stand at no
    /// path.
    pub(crate) fn words(&self) -> Option<Node<'_>> {
        self.words.map(|id| Node { document: self, id })
    }

    /// The document with the words that patterns find in its text.
    pub(crate) fn with_words(mut self, words: &script::Words, names: &Names) -> Document {
        let found = script::found(&self.text, words);
        let first = to_u32(self.arena.len());
        let mut rare = self.rare.take().unwrap_or_default();
        for (start, end, nth) in &found {
            rare.kept.push_str(self.text.get(*start..*end).unwrap_or_default());
            rare.ends.push(to_u32(rare.kept.len()));
            let key = RawKey { sym: names.intern(&nth.to_string()), start: to_u32(*start) };
            let head = Shape::Text as u32 | ESCAPED;
            let (start, len) = (to_u32(*start), to_u32(end - start));
            self.arena.push(key, RawNode { start, len, head, count: 0, first: to_u32(rare.ends.len()) });
        }
        let key = RawKey { sym: Sym::NONE, start: 0 };
        let (len, count) = (to_u32(self.text.len()), to_u32(found.len()));
        self.words = Some(NodeId(to_u32(self.arena.len())));
        self.arena.push(key, RawNode { start: 0, len, head: Shape::Table as u32, count, first });
        self.rare = Some(rare);
        self.kept = Kept::default();
        self
    }

    /// The view of a node of this document.
    pub fn node(&self, id: NodeId) -> Node<'_> {
        Node { document: self, id }
    }

    fn raw(&self, id: NodeId) -> RawNode {
        let broken = RawNode { start: 0, len: 0, head: Shape::Broken as u32, count: 0, first: 0 };
        self.arena.get(id).unwrap_or(broken)
    }

    fn pieces(&self, id: NodeId) -> &[Span] {
        let Some(rare) = &self.rare else { return &[] };
        match rare.pieces.binary_search_by_key(&id, |(node, _)| *node) {
            Ok(at) => rare.pieces.get(at).map_or(&[], |(_, spans)| spans),
            Err(_) => &[],
        }
    }

    /// The way from the root to a node, for messages.
    pub fn path_to(&self, target: NodeId, names: &Names) -> FieldPath {
        let mut steps = Vec::new();
        let mut here = target;
        while let Some(parent) = self.parent_of(here) {
            let key = || Node { document: self, id: here }.key().unwrap_or(Sym::NONE);
            steps.push(match (Node { document: self, id: parent }).shape() {
                Shape::Table => Step::Key(names.text(key()).to_owned()),
                _ => Step::Index((here.0 - self.raw(parent).first) as usize),
            });
            here = parent;
        }
        if Some(here) == self.words {
            // nothing can be edited there
            steps.push(Step::Index(usize::MAX));
        }
        steps.reverse();
        steps.into()
    }
}

/// A borrowed view of one node.
#[derive(Clone, Copy)]
pub struct Node<'d> {
    document: &'d Document,
    id: NodeId,
}

impl std::fmt::Debug for Node<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{:?} {}", self.shape(), self.raw())
    }
}

impl<'d> Node<'d> {
    /// The node's number in its document.
    pub fn id(self) -> NodeId {
        self.id
    }

    /// The node's number in the workspace.
    pub fn at(self) -> NodeRef {
        NodeRef { file: self.document.file, node: self.id }
    }

    /// The list or table in which it stands.
    pub(crate) fn parent(self) -> Option<Node<'d>> {
        self.document.parent_of(self.id).map(|id| self.document.node(id))
    }

    /// The document it belongs to.
    pub fn document(self) -> &'d Document {
        self.document
    }

    /// What it is.
    pub fn shape(self) -> Shape {
        let head = self.document.arena.head(self.id);
        head.and_then(|head| SHAPES.get((head & 7) as usize)).copied().unwrap_or(Shape::Broken)
    }

    /// Its bytes; of a table written in several places, the first place.
    pub fn span(self) -> Span {
        let raw = self.document.raw(self.id);
        Span { start: raw.start, end: raw.start + raw.len }
    }

    /// File and bytes.
    pub fn place(self) -> Place {
        Place { file: self.document.file, span: self.span() }
    }

    /// Every place of a table that is written in several; otherwise its one span.
    pub fn pieces(self) -> Vec<Span> {
        let pieces = self.document.pieces(self.id);
        if pieces.is_empty() { vec![self.span()] } else { pieces.to_vec() }
    }

    /// The notation, as written.
    pub fn raw(self) -> &'d str {
        self.span().of(&self.document.text)
    }

    /// The content of a scalar: a text without its quotes and escapes, anything else as written.
    pub fn text(self) -> Cow<'d, str> {
        if let Some(kept) = self.kept() {
            return Cow::Borrowed(kept);
        }
        let raw = self.raw();
        if self.shape() != Shape::Text {
            return Cow::Borrowed(raw);
        }
        let escaped = self.document.raw(self.id).head & ESCAPED != 0;
        match self.document.format() {
            Format::Json => json::text(raw, escaped),
            Format::Toml => toml::text(raw, escaped),
            Format::Csv => crate::source::cell_text(raw, escaped),
            Format::Yaml => Cow::Borrowed(yaml::text(raw)),
            Format::Xml => Cow::Borrowed(raw),
            // a catalogue's texts are kept apart
            Format::Po | Format::Script | Format::Records => Cow::Borrowed(raw),
            Format::Described => Cow::Borrowed(described::text(raw)),
        }
    }

    /// The content that is kept apart, if the node's own bytes do not tell it.
    fn kept(self) -> Option<&'d str> {
        let raw = self.document.raw(self.id);
        let nth = raw.first.checked_sub(1).filter(|_| raw.head & ESCAPED != 0)?;
        let rare = self.document.rare.as_ref()?;
        let end = *rare.ends.get(nth as usize)?;
        let start = nth.checked_sub(1).and_then(|before| rare.ends.get(before as usize)).copied().unwrap_or(0);
        rare.kept.get(start as usize..end as usize)
    }

    /// Whether a boolean is true, in any of the format's spellings.
    pub(crate) fn is_true(self) -> bool {
        let raw = &*self.text();
        self.shape() == Shape::Boolean
            && (raw.starts_with(['t', 'T', 'y', 'Y']) || raw.eq_ignore_ascii_case("on") || raw == "1")
    }

    /// Whether it is an element that the game passes over: it has a place among the others, and is nothing.
    pub(crate) fn is_passed_over(self) -> bool {
        self.shape() == Shape::Broken && self.document.raw(self.id).head & ESCAPED != 0
    }

    /// The entries of a list without those that the game passes over, each with its place among all.
    pub(crate) fn entries(self) -> impl Iterator<Item = (usize, Node<'d>)> {
        self.children().enumerate().filter(|(_, entry)| !entry.is_passed_over())
    }

    /// Whether it is the value of an XML attribute: its quote stands before it.
    pub(crate) fn is_attribute(self) -> bool {
        if self.document.format() != Format::Xml || self.shape() != Shape::Text {
            return false;
        }
        let between = Span { start: self.key_span().end, end: self.span().start.max(self.key_span().end) };
        let between = between.of(&self.document.text);
        between.trim_start().starts_with('=') && between.ends_with(['"', '\''])
    }

    /// The anchor that an alias names.
    pub(crate) fn anchor(self) -> Option<&'d Anchor> {
        let nth = self.document.raw(self.id).first;
        self.document.anchors().get(nth as usize).filter(|_| self.shape() == Shape::Alias)
    }

    /// The number of children of a list or table, repeated keys included.
    pub fn len(self) -> usize {
        self.document.raw(self.id).count as usize
    }

    /// Whether it has no children.
    pub fn is_empty(self) -> bool {
        self.len() == 0
    }

    /// The values of a list or table in file order.
    pub fn children(self) -> impl DoubleEndedIterator<Item = Node<'d>> + ExactSizeIterator + use<'d> {
        let raw = self.document.raw(self.id);
        let document = self.document;
        (raw.first..raw.first + raw.count).map(move |id| Node { document, id: NodeId(id) })
    }

    /// The key under which it stands in its table.
    pub fn key(self) -> Option<Sym> {
        let key = self.document.arena.key(self.id)?;
        (key.sym != Sym::NONE).then_some(key.sym)
    }

    /// Its key as written, without quotes.
    pub(crate) fn key_text(self) -> String {
        self.key_span().of(&self.document.text).trim_matches(['"', '\'']).to_owned()
    }

    /// The bytes of its key; of an entry without one, its own.
    pub fn key_span(self) -> Span {
        let Some(key) = self.document.arena.key(self.id) else { return self.span() };
        if key.sym == Sym::NONE {
            return self.span();
        }
        let rest = self.document.text.get(key.start as usize..).unwrap_or("");
        let len = match self.document.format() {
            Format::Json => json::key_len(rest),
            Format::Toml => toml::key_len(rest),
            Format::Csv => csv::key_len(rest, self.document.notation.rows()),
            Format::Yaml => yaml::key_len(rest),
            Format::Xml => xml::key_len(rest),
            Format::Po => po::key_len(rest),
            Format::Script | Format::Records => 0,
            Format::Described => self.document.notation.text_marks().map_or(0, |marks| described::key_len(rest, marks)),
        };
        Span::new(key.start as usize, key.start as usize + len)
    }

    /// The entry under a key; of repeated keys the last one counts.
    pub fn get(self, key: Sym) -> Option<Node<'d>> {
        if self.shape() != Shape::Table {
            return None;
        }
        self.children().rev().find(|child| child.key() == Some(key))
    }

    /// The entry under a key given as a word.
    pub fn get_named(self, key: &str, names: &Names) -> Option<Node<'d>> {
        self.get(names.get(key)?)
    }

    /// An entry of a list by its number, from 0.
    pub fn item(self, index: usize) -> Option<Node<'d>> {
        let raw = self.document.raw(self.id);
        let nth = u32::try_from(index).ok().filter(|nth| *nth < raw.count)?;
        Some(self.document.node(NodeId(raw.first + nth)))
    }

    /// Whether a later entry of the same table has the same key, so that this one does not count.
    pub(crate) fn is_overridden_in(self, table: Node<'d>) -> bool {
        let key = self.key();
        key.is_some() && table.children().rev().take_while(|other| other.id != self.id).any(|o| o.key() == key)
    }
}
