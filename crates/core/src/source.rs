//! Files: where their bytes come from, spans and lines in them, and atomic writing.

mod archive;
mod cells;
mod folder;
mod lines;
mod rel_path;
mod span;
mod workbook;
mod write;

pub use archive::Archives;
pub(crate) use archive::{is_archive, packed};
pub use cells::cell_at;
pub(crate) use cells::{cell_end, cell_text, is_typed, quoted_end};
pub use folder::{FolderSource, Listed, MemorySource, Overlay, Refusal, Source, SourceError, slashed};
pub use lines::{Lines, Position};
pub(crate) use span::to_u32;

/// Larger files are not read, so that offsets in a file fit 32 bits with room to spare.
pub const SIZE_LIMIT: usize = 256 << 20;

pub(crate) use folder::read_regular;
pub use rel_path::{PathFault, RelPath};
pub(crate) use rel_path::{can_be_named, is_relative};
pub(crate) use rel_path::{file_name_for, named as file_named, path_for};
pub use span::{FileId, Place, Span};
pub use workbook::changed_workbook;
pub(crate) use workbook::new_workbook;
pub use workbook::sheet_in;
pub(crate) use write::STORE;
pub use write::{
    Bounds, ChangeSet, CutOff, Disk, FailingDisk, FileChange, Keep, RealDisk, Recorded, Stamp, StepMade, Steps,
    WriteError, Writer, Written, entangled, settled,
};
