//! A tree made of another one: the same text, with nodes as a reader who knows the game sees them.
//!
//! The tree as written never changes with the rulebook; what is read of it does. Spans stay those of the
//! file, so that findings point at what is written, and edits are made on the tree as written.

use super::builder::Builder;
use super::{Document, ESCAPED, Node, Shape};
use crate::names::Sym;
use crate::said::said;
use crate::source::Span;

/// Nodes to which the aliases of one document may expand.
pub(crate) const ALIAS_LIMIT: usize = 1_000_000;

/// A key with the place where it is written.
pub(crate) type KeyAt = (Sym, usize);

/// Puts the nodes of a document together anew.
pub(crate) struct Recast<'d> {
    document: &'d Document,
    builder: Builder,
    /// Nodes that aliases gave so far.
    expanded: usize,
    /// Aliases that are being followed.
    depth: usize,
}

impl<'d> Recast<'d> {
    pub(crate) fn new(document: &'d Document) -> Recast<'d> {
        Recast { document, builder: Builder::new(document.arena.len() * 20), expanded: 0, depth: 0 }
    }

    /// The key of a node as it stands.
    pub(crate) fn key(node: Node<'_>) -> KeyAt {
        let key = node.document.arena.key(node.id);
        key.map_or((Sym::NONE, 0), |key| (key.sym, key.start as usize))
    }

    /// What an alias stands for; the node itself if it is none. None past the bound.
    pub(crate) fn follow(&mut self, node: Node<'d>) -> Option<Node<'d>> {
        let Some(anchor) = node.anchor() else { return Some(node) };
        let target = anchor.node.map(|id| self.document.node(id))?;
        if self.expanded > ALIAS_LIMIT || self.depth > super::DEPTH_LIMIT {
            return None;
        }
        self.follow(target)
    }

    /// Enters what an alias stands for: the nodes in there are counted.
    pub(crate) fn enter(&mut self) {
        self.depth += 1;
    }

    /// Leaves it again.
    pub(crate) fn leave(&mut self) {
        self.depth -= 1;
    }

    /// Something that is not read, as aliases give too much.
    pub(crate) fn too_much(&mut self, key: KeyAt, node: Node<'_>) {
        let message = said!(
            "the aliases of this file expand to more than {limit} nodes; the rest is not read",
            limit = ALIAS_LIMIT
        );
        if !self.builder.has_faults() {
            self.builder.fault(node.span(), message);
        }
        self.scalar(key, node, Shape::Broken, node.span());
    }

    fn count(&mut self) {
        if self.depth > 0 {
            self.expanded += 1;
        }
    }

    /// A scalar under a key, as it stands.
    pub(crate) fn leaf(&mut self, key: KeyAt, node: Node<'_>) {
        self.count();
        let span = (node.span().start as usize, node.span().end as usize);
        match node.kept() {
            Some(content) => self.builder.kept_as(key, node.shape(), content, span.0, span.1),
            _ => {
                let escaped = self.document.raw(node.id).head & ESCAPED != 0;
                self.builder.leaf(key.0, key.1, node.shape(), escaped, span.0, span.1);
            }
        }
    }

    /// A scalar read as another shape, from some of its bytes.
    pub(crate) fn scalar(&mut self, key: KeyAt, node: Node<'_>, shape: Shape, span: Span) {
        debug_assert!(node.span().start <= span.start && span.end <= node.span().end);
        self.count();
        self.builder.leaf(key.0, key.1, shape, false, span.start as usize, span.end as usize);
    }

    /// An element that the game passes over: it has a place among the others, and is nothing.
    pub(crate) fn passed_over(&mut self, key: KeyAt, node: Node<'_>) {
        self.count();
        let span = node.span();
        self.builder.leaf(key.0, key.1, Shape::Broken, true, span.start as usize, span.end as usize);
    }

    /// A scalar whose content is not what its bytes say.
    pub(crate) fn kept(&mut self, key: KeyAt, shape: Shape, content: &str, span: Span) {
        self.count();
        self.builder.kept_as(key, shape, content, span.start as usize, span.end as usize);
    }

    /// Begins a list or table.
    pub(crate) fn open(&self) -> usize {
        self.builder.mark()
    }

    /// Ends a list or table.
    pub(crate) fn close(&mut self, mark: usize, key: KeyAt, shape: Shape, span: Span) {
        self.count();
        self.builder.close(mark, key, shape, span.start as usize, span.end as usize);
    }

    /// The document as read.
    pub(crate) fn finish(self) -> Document {
        let written = self.document;
        let mut read = self.builder.finish(written.file, written.notation.clone(), written.text.clone());
        read.faults.splice(0..0, written.faults.iter().cloned());
        read.as_read = true;
        read
    }
}
