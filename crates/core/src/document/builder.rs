//! Puts nodes into the arena so that the children of one parent lie together.

use std::sync::Arc;

use super::arena::{Arena, RawKey, RawNode};
use super::kept::Kept;
use super::{Anchor, DEPTH_LIMIT, Document, ESCAPED, Fault, Lenient, NodeId, Notation, Rare, Shape};
use crate::names::Sym;
use crate::said::{Said, said};
use crate::source::{FileId, Span, to_u32};

/// Children wait on a stack until their parent is closed, then move into the arena together.
pub(super) struct Builder {
    arena: Arena,
    open: Vec<(RawKey, RawNode)>,
    rare: Rare,
    faults: Vec<Fault>,
    /// Anchored nodes that still wait on the stack: their place there, and the anchor's number.
    anchored: Vec<(usize, usize)>,
}

/// Faults of one file that are kept; a binary file would give millions.
const FAULT_LIMIT: usize = 50;

impl Builder {
    pub(super) fn new(bytes: usize) -> Self {
        // real data has 20 to 30 bytes of text a node
        let guess = bytes / 20 + 8;
        Builder {
            arena: Arena::with_capacity(guess),
            open: Vec::with_capacity(64),
            rare: Rare::default(),
            faults: Vec::new(),
            anchored: Vec::new(),
        }
    }

    /// Where the children of a container begin that is being opened now.
    pub(super) fn mark(&self) -> usize {
        self.open.len()
    }

    pub(super) fn leaf(&mut self, key: Sym, key_start: usize, shape: Shape, escaped: bool, start: usize, end: usize) {
        let head = shape as u32 | if escaped { ESCAPED } else { 0 };
        self.open.push((
            RawKey { sym: key, start: to_u32(key_start) },
            RawNode { start: to_u32(start), len: to_u32(end - start), head, count: 0, first: 0 },
        ));
    }

    /// Takes back the leaf that was pushed last.
    pub(super) fn take_back(&mut self) {
        self.open.pop();
    }

    /// A text whose content is not told by its own bytes in passing.
    pub(super) fn kept(&mut self, key: Sym, key_start: usize, content: &str, start: usize, end: usize) {
        self.kept_as((key, key_start), Shape::Text, content, start, end);
    }

    /// A scalar whose content is not told by its own bytes.
    pub(super) fn kept_as(&mut self, key: super::recast::KeyAt, shape: Shape, content: &str, start: usize, end: usize) {
        self.leaf(key.0, key.1, shape, true, start, end);
        self.rare.kept.push_str(content);
        self.rare.ends.push(to_u32(self.rare.kept.len()));
        if let Some((_, node)) = self.open.last_mut() {
            node.first = to_u32(self.rare.ends.len());
        }
    }

    /// An alias of an anchor.
    pub(super) fn alias(&mut self, key: Sym, key_start: usize, anchor: usize, start: usize, end: usize) {
        self.leaf(key, key_start, Shape::Alias, false, start, end);
        if let Some((_, node)) = self.open.last_mut() {
            node.first = to_u32(anchor);
        }
    }

    /// A new anchor. Returns its number.
    pub(super) fn anchor(&mut self, span: Span) -> usize {
        self.rare.anchors.push(Anchor { span, node: None });
        self.rare.anchors.len() - 1
    }

    /// Whether what an anchor names is finished.
    pub(super) fn is_anchored(&self, anchor: usize) -> bool {
        self.anchored.iter().any(|(_, known)| *known == anchor)
            || self.rare.anchors.get(anchor).is_some_and(|anchor| anchor.node.is_some())
    }

    /// The node that was pushed or closed last is what an anchor names.
    pub(super) fn anchored(&mut self, anchor: usize) {
        self.anchored.push((self.open.len().saturating_sub(1), anchor));
    }

    /// Gives a waiting node another key.
    pub(super) fn rekey(&mut self, at: usize, sym: Sym) {
        if let Some((key, _)) = self.open.get_mut(at) {
            key.sym = sym;
        }
    }

    /// Puts the entries of one key that were pushed since `mark` into one list, where the first stands.
    /// `whole` tells the bytes of an entry from the start of its key and the span of its value.
    pub(super) fn gather(&mut self, mark: usize, whole: impl Fn(usize, Span) -> Span) {
        if !self.may_repeat(mark) {
            return;
        }
        let waiting: Vec<(RawKey, RawNode)> = self.open.drain(mark..).collect();
        if waiting.len() <= 32 {
            return self.gather_few(&waiting, whole);
        }
        let mut groups: Vec<Vec<(RawKey, RawNode)>> = Vec::new();
        let mut place = rustc_hash::FxHashMap::default();
        for (key, node) in waiting {
            let at = *place.entry(key.sym).or_insert(groups.len());
            match groups.get_mut(at) {
                Some(group) => group.push((key, node)),
                None => groups.push(vec![(key, node)]),
            }
        }
        for group in groups {
            let mark = self.open.len();
            self.open.extend(group);
            self.close_gathered(mark, &whole);
        }
    }

    fn gather_few(&mut self, waiting: &[(RawKey, RawNode)], whole: impl Fn(usize, Span) -> Span) {
        let mut taken = 0u64;
        for (at, (key, _)) in waiting.iter().enumerate() {
            if taken & (1 << at) != 0 {
                continue;
            }
            let mark = self.open.len();
            for (other, entry) in waiting.iter().enumerate().skip(at).filter(|(_, (other, _))| other.sym == key.sym) {
                taken |= 1 << other;
                self.open.push(*entry);
            }
            self.close_gathered(mark, &whole);
        }
    }

    /// Makes a list of the entries since `mark`, if there are several.
    fn close_gathered(&mut self, mark: usize, whole: &impl Fn(usize, Span) -> Span) {
        let Some([first, .., last]) = self.open.get(mark..) else { return };
        let span = |(key, node): &(RawKey, RawNode)| {
            whole(key.start as usize, Span { start: node.start, end: node.start + node.len })
        };
        let (key, start, end) = (first.0, span(first).start, span(last).end);
        self.close(mark, (key.sym, key.start as usize), Shape::List, start as usize, end as usize);
    }

    /// Closes a list or table whose children were pushed since `mark`.
    pub(super) fn close(&mut self, mark: usize, key: (Sym, usize), shape: Shape, start: usize, end: usize) {
        let count = to_u32(self.open.len() - mark);
        let first = if count == 0 { 0 } else { to_u32(self.arena.len()) };
        while let Some((at, anchor)) = self.anchored.pop_if(|(at, _)| *at >= mark) {
            let node = NodeId(first + to_u32(at - mark));
            if let Some(anchor) = self.rare.anchors.get_mut(anchor) {
                anchor.node = Some(node);
            }
        }
        for (key, node) in self.open.drain(mark..) {
            self.arena.push(key, node);
        }
        self.open.push((
            RawKey { sym: key.0, start: to_u32(key.1) },
            RawNode { start: to_u32(start), len: to_u32(end - start), head: shape as u32, count, first },
        ));
    }

    /// The keys of the entries pushed since `mark`, with the starts of the keys.
    pub(super) fn keys_since(&self, mark: usize) -> impl Iterator<Item = (Sym, u32)> {
        self.open.get(mark..).unwrap_or_default().iter().map(|(key, _)| (key.sym, key.start))
    }

    /// Whether a key may stand more than once since `mark`. Never false if one does, and soon known.
    pub(super) fn may_repeat(&self, mark: usize) -> bool {
        let mut seen = 0u64;
        self.keys_since(mark).any(|(sym, _)| {
            let before = seen;
            seen |= 1 << (sym.0 & 63);
            seen == before
        })
    }

    /// The number that the `nth` child since `mark` gets once its parent is closed.
    pub(super) fn future_id(&self, nth: usize) -> NodeId {
        NodeId(to_u32(self.arena.len() + nth))
    }

    pub(super) fn pieces(&mut self, node: NodeId, pieces: Vec<Span>) {
        self.rare.pieces.push((node, pieces));
    }

    pub(super) fn lenient(&mut self, span: Span, what: Lenient) {
        self.rare.lenient.push((span, what));
    }

    pub(super) fn fault(&mut self, span: Span, message: impl Into<Said>) {
        self.push_fault(Fault { span, message: message.into(), second: None, repeated_key: false });
    }

    /// How much there is of everything that has a place in the text.
    pub(super) fn counts(&self) -> [usize; 6] {
        let Rare { pieces, lenient, anchors, .. } = &self.rare;
        [self.arena.len(), self.open.len(), pieces.len(), lenient.len(), anchors.len(), self.faults.len()]
    }

    /// Moves everything that came since by some bytes: it was read from a part of the text.
    pub(super) fn shift(&mut self, since: &[usize; 6], by: u32) {
        let [nodes, open, pieces, lenient, anchors, faults] = *since;
        let moved = |span: &mut Span| *span = Span { start: span.start + by, end: span.end + by };
        self.arena.shift(nodes, by);
        for (key, node) in self.open.iter_mut().skip(open) {
            key.start += by;
            node.start += by;
        }
        self.rare.pieces.iter_mut().skip(pieces).flat_map(|(_, spans)| spans).for_each(moved);
        self.rare.lenient.iter_mut().skip(lenient).for_each(|(span, _)| moved(span));
        self.rare.anchors.iter_mut().skip(anchors).for_each(|anchor| moved(&mut anchor.span));
        for fault in self.faults.iter_mut().skip(faults) {
            moved(&mut fault.span);
            if let Some((span, _)) = &mut fault.second {
                moved(span);
            }
        }
    }

    pub(super) fn has_faults(&self) -> bool {
        !self.faults.is_empty()
    }

    pub(super) fn push_fault(&mut self, fault: Fault) {
        if self.faults.len() < FAULT_LIMIT {
            self.faults.push(fault);
        }
    }

    pub(super) fn finish(mut self, file: FileId, notation: Notation, text: Arc<str>) -> Document {
        debug_assert_eq!(self.open.len(), 1, "exactly the root is left open");
        if self.open.is_empty() {
            self.leaf(Sym::NONE, 0, Shape::Broken, false, 0, 0);
        }
        let root = NodeId(to_u32(self.arena.len()));
        for (_, anchor) in self.anchored.drain(..) {
            if let Some(anchor) = self.rare.anchors.get_mut(anchor) {
                anchor.node = Some(root);
            }
        }
        for (key, node) in self.open.drain(..) {
            self.arena.push(key, node);
        }
        self.faults.sort_by_key(|fault| fault.span);
        let Rare { pieces, lenient, kept, ends, anchors } = &mut self.rare;
        pieces.sort_by_key(|(node, _)| *node);
        self.arena.shrink_to_fit();
        kept.shrink_to_fit();
        ends.shrink_to_fit();
        let plain = pieces.is_empty() && lenient.is_empty() && ends.is_empty() && anchors.is_empty();
        let rare = (!plain).then(|| Box::new(self.rare));
        Document {
            file,
            notation,
            text,
            arena: self.arena,
            root,
            words: None,
            rare,
            faults: self.faults,
            as_read: false,
            kept: Kept::default(),
        }
    }
}

/// Reports the keys that stand more than once in one table.
pub(super) fn report_repeated(builder: &mut Builder, mark: usize, text: &str, key_len: impl Fn(&str) -> usize) {
    if !builder.may_repeat(mark) {
        return;
    }
    let mut repeated = Vec::new();
    if builder.mark() - mark <= 32 {
        let keys: Vec<_> = builder.keys_since(mark).collect();
        for (at, (sym, start)) in keys.iter().enumerate() {
            if let Some((_, first)) = keys.iter().take(at).find(|(other, _)| other == sym) {
                repeated.push((*first, *start));
            }
        }
    } else {
        let mut first = rustc_hash::FxHashMap::default();
        for (sym, start) in builder.keys_since(mark) {
            if let Some(earlier) = first.insert(sym, start) {
                first.insert(sym, earlier);
                repeated.push((earlier, start));
            }
        }
    }
    let span = |start: u32| {
        let len = key_len(text.get(start as usize..).unwrap_or(""));
        Span::new(start as usize, start as usize + len)
    };
    for (earlier, start) in repeated {
        let key = span(start);
        let message = said!("the key {key} stands twice in this table", key = display_key(key.of(text)));
        let second = Some((span(earlier), "first here".into()));
        builder.push_fault(Fault { span: key, message, second, repeated_key: true });
    }
}

/// What is told of something that nobody nests so by hand.
pub(super) fn too_deep() -> Said {
    said!("nested deeper than {limit} levels; what is inside is not read", limit = DEPTH_LIMIT)
}

fn display_key(raw: &str) -> String {
    format!("`{}`", raw.trim_matches(['"', '\'']))
}
