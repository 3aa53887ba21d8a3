//! Byte spans and the ids of files. Line and column are made at the edges only, in [`crate::Lines`].

/// A file of the workspace, numbered in load order, then by path.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug, Default)]
pub struct FileId(pub(crate) u32);

/// A range of bytes in a file's text.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug, Default)]
pub struct Span {
    /// Offset of the first byte.
    pub start: u32,
    /// Offset behind the last byte.
    pub end: u32,
}

impl Span {
    /// The span between two offsets.
    pub fn new(start: usize, end: usize) -> Span {
        Span { start: to_u32(start), end: to_u32(end.max(start)) }
    }

    /// The span as a range for slicing.
    pub fn range(self) -> std::ops::Range<usize> {
        self.start as usize..self.end as usize
    }

    /// The text of the span; empty if it does not lie in the text.
    pub fn of(self, text: &str) -> &str {
        text.get(self.range()).unwrap_or("")
    }

    pub(crate) fn contains(self, other: Span) -> bool {
        self.start <= other.start && other.end <= self.end
    }
}

/// Files are at most 256 MiB, so offsets fit; anything else is clamped.
pub(crate) fn to_u32(offset: usize) -> u32 {
    u32::try_from(offset).unwrap_or(u32::MAX)
}

/// A span in a file.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug, Default)]
pub struct Place {
    /// The file.
    pub file: FileId,
    /// The bytes in it.
    pub span: Span,
}
