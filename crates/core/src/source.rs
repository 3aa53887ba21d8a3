//! Files: where their bytes come from, spans and lines in them, and atomic writing.

mod archive;
mod folder;
mod lines;
mod span;
mod write;

pub use archive::Archives;
pub(crate) use archive::is_archive;
pub use folder::{FolderSource, Listed, MemorySource, Overlay, Refusal, Source, SourceError};
pub use lines::{Lines, Position};
pub(crate) use span::to_u32;

/// Larger files are not read, so that offsets in a file fit 32 bits with room to spare.
pub const SIZE_LIMIT: usize = 256 << 20;

pub use span::{FileId, Place, Span};
pub use write::{ChangeSet, FileChange, Stamp, WriteError, Written};
