//! The nodes and keys of one document, packed: 8 bytes a node, 8 bytes a key, and 12 bytes more for what has
//! children or does not fit. Everybody else sees them unpacked.

use super::NodeId;
use crate::names::Sym;
use crate::source::to_u32;

/// A node as it is put in and got out. `head` holds the shape and the escaped flag. `first` is the first of
/// `count` children; of a text whose content is kept apart, 1 + its number there; of an alias, its anchor's number.
#[derive(Clone, Copy, Debug)]
pub(super) struct RawNode {
    pub(super) start: u32,
    pub(super) len: u32,
    pub(super) head: u32,
    pub(super) count: u32,
    pub(super) first: u32,
}

/// Parallel to the nodes; list entries have none.
#[derive(Clone, Copy, Debug)]
pub(super) struct RawKey {
    pub(super) sym: Sym,
    pub(super) start: u32,
}

/// The bits of a head: a shape, and whether the text has escapes.
pub(super) const HEAD: u32 = 0b1111;
/// Set where the rest of a packed node is the number of its `Aside`, not its length.
const ASIDE: u32 = 0b1_0000;
const REST_SHIFT: u32 = 5;
const REST_LIMIT: u32 = 1 << (32 - REST_SHIFT);

#[derive(Clone, Copy, Debug)]
struct Packed {
    start: u32,
    /// Head, `ASIDE`, and the length or the number of the `Aside`.
    head_and_rest: u32,
}

/// What only lists, tables, aliases and a few scalars have.
#[derive(Clone, Copy, Debug)]
struct Aside {
    len: u32,
    count: u32,
    first: u32,
}

#[derive(Clone, Debug, Default)]
pub(super) struct Arena {
    nodes: Vec<Packed>,
    keys: Vec<RawKey>,
    asides: Vec<Aside>,
}

impl Arena {
    pub(super) fn with_capacity(nodes: usize) -> Arena {
        Arena {
            nodes: Vec::with_capacity(nodes),
            keys: Vec::with_capacity(nodes),
            asides: Vec::with_capacity(nodes / 4),
        }
    }

    pub(super) fn push(&mut self, key: RawKey, node: RawNode) {
        let plain = node.count == 0 && node.first == 0 && node.len < REST_LIMIT;
        // no text within the size limit has as many nodes as would not fit into the rest
        let rest = if plain {
            node.len << REST_SHIFT
        } else {
            self.asides.push(Aside { len: node.len, count: node.count, first: node.first });
            to_u32(self.asides.len() - 1) << REST_SHIFT | ASIDE
        };
        self.nodes.push(Packed { start: node.start, head_and_rest: rest | node.head & HEAD });
        self.keys.push(key);
    }

    fn unpack(&self, packed: Packed) -> RawNode {
        let Packed { start, head_and_rest } = packed;
        let (head, rest) = (head_and_rest & HEAD, head_and_rest >> REST_SHIFT);
        let plain = Aside { len: rest, count: 0, first: 0 };
        let aside = (head_and_rest & ASIDE != 0).then(|| self.asides.get(rest as usize)).flatten().unwrap_or(&plain);
        RawNode { start, len: aside.len, head, count: aside.count, first: aside.first }
    }

    #[inline]
    pub(super) fn get(&self, id: NodeId) -> Option<RawNode> {
        self.nodes.get(id.0 as usize).map(|packed| self.unpack(*packed))
    }

    /// Shape and flags, without what lies aside.
    #[inline]
    pub(super) fn head(&self, id: NodeId) -> Option<u32> {
        self.nodes.get(id.0 as usize).map(|packed| packed.head_and_rest & HEAD)
    }

    #[inline]
    pub(super) fn key(&self, id: NodeId) -> Option<RawKey> {
        self.keys.get(id.0 as usize).copied()
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = RawNode> {
        self.nodes.iter().map(|packed| self.unpack(*packed))
    }

    pub(super) fn len(&self) -> usize {
        self.nodes.len()
    }

    /// Bytes that all this takes.
    pub(super) fn bytes(&self) -> usize {
        size_of_val(&*self.nodes) + size_of_val(&*self.keys) + size_of_val(&*self.asides)
    }

    /// Moves all nodes and keys from the given one on: they were read from a part of the text.
    pub(super) fn shift(&mut self, since: usize, by: u32) {
        self.nodes.iter_mut().skip(since).for_each(|node| node.start += by);
        self.keys.iter_mut().skip(since).for_each(|key| key.start += by);
    }

    pub(super) fn shrink_to_fit(&mut self) {
        self.nodes.shrink_to_fit();
        self.keys.shrink_to_fit();
        self.asides.shrink_to_fit();
    }
}
