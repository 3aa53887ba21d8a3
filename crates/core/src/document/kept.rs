//! What is made of a document when it is first asked for, and kept: for ways to nodes, and for edits.

use std::sync::OnceLock;

use rustc_hash::FxHashMap;

use super::{Document, Node, NodeId, Shape};
use crate::names::{Names, Sym};
use crate::source::to_u32;

/// A table with so many entries is looked up by an index where it is edited.
const LONG: usize = 64;

/// The root's parent.
const NO_PARENT: u32 = u32::MAX;

#[derive(Clone, Debug, Default)]
pub(super) struct Kept {
    /// The parent of each node, made when the way to a node is first asked for.
    parents: OnceLock<Box<[u32]>>,
    /// The entries of its long tables by key, made when it is first edited.
    keyed: OnceLock<FxHashMap<(NodeId, Sym), NodeId>>,
    /// The tree as it is written, where this one is as the rulebook reads it, made when it is first edited.
    written: OnceLock<Box<Document>>,
    /// The tree without tags that are values, made when it is first edited.
    bare: OnceLock<Box<Document>>,
    /// The text with its comments over several lines covered, made when it is first edited.
    covered: OnceLock<Box<str>>,
}

impl Document {
    /// The text in which comments with an end of their own are comments of a line, or blanks; each byte in its place.
    pub(crate) fn covered(&self) -> &str {
        match self.notation.text_marks().filter(|marks| !marks.blocks.is_empty()) {
            Some(marks) => self.kept.covered.get_or_init(|| marks.covered(&self.text).into()),
            None => &self.text,
        }
    }

    /// The tree as it is written, if this one is as the rulebook reads it.
    pub(crate) fn as_written(&self, names: &Names) -> Option<&Document> {
        let read = || Document::parse(self.file, self.notation.clone(), self.text.clone(), names);
        self.as_read.then(|| &**self.kept.written.get_or_init(|| Box::new(read())))
    }

    /// The same text as a tree in which tags are no values.
    pub(crate) fn without_tags(&self, names: &Names) -> &Document {
        self.kept.bare.get_or_init(|| {
            let notation = self.notation.clone().without_tags();
            Box::new(Document::parse(self.file, notation, self.text.clone(), names))
        })
    }

    /// The node of which another one is an entry; none of the root.
    pub(super) fn parent_of(&self, id: NodeId) -> Option<NodeId> {
        let parents = self.kept.parents.get_or_init(|| {
            let mut parents = vec![NO_PARENT; self.arena.len()];
            for (at, node) in self.arena.iter().enumerate() {
                let (first, count) = (node.first as usize, node.count as usize);
                parents.get_mut(first..first + count).unwrap_or_default().fill(to_u32(at));
            }
            parents.into()
        });
        parents.get(id.0 as usize).filter(|parent| **parent != NO_PARENT).map(|parent| NodeId(*parent))
    }

    /// The entries of tables with many; of repeated keys the last one.
    fn entries_of_long_tables(&self) -> FxHashMap<(NodeId, Sym), NodeId> {
        let all = (0..self.arena.len()).map(|at| self.node(NodeId(to_u32(at))));
        let long = all.filter(|node| node.len() >= LONG && node.shape() == Shape::Table);
        let entries =
            long.flat_map(|table| table.children().filter_map(move |entry| Some(((table.id, entry.key()?), entry.id))));
        entries.collect()
    }
}

impl<'d> Node<'d> {
    /// As [`Node::get_named`], for who looks up many entries of a long table.
    pub(crate) fn get_keyed(self, key: &str, names: &Names) -> Option<Node<'d>> {
        if self.len() < LONG || self.shape() != Shape::Table {
            return self.get_named(key, names);
        }
        let keyed = self.document.kept.keyed.get_or_init(|| self.document.entries_of_long_tables());
        keyed.get(&(self.id, names.get(key)?)).map(|id| self.document.node(*id))
    }
}
