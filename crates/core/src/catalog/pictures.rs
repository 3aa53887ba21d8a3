//! How large pictures are, where a field demands something of it.

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::{File, FileRole};
use crate::rulebook::Rulebook;
use crate::source::{FileId, Source};

/// The width and height of pictures, in pixels, by file. A file that is no picture is not in it; nothing is read
/// where the rulebook demands nothing.
pub(super) fn sizes(
    source: &dyn Source,
    files: &[(FileId, &File)],
    rulebook: &Rulebook,
) -> FxHashMap<FileId, (usize, usize)> {
    let demanded = |ty: &crate::rulebook::FieldType| ty.demands().is_some_and(|demands| demands.picture.is_some());
    if !rulebook.types.iter().any(demanded) {
        return FxHashMap::default();
    }
    let size = |(id, file): &(FileId, &File)| {
        if !matches!(file.role, FileRole::Asset | FileRole::Ignored) {
            return None;
        }
        let size = imagesize::blob_size(&source.read(&file.path).ok()?).ok()?;
        Some((*id, (size.width, size.height)))
    };
    files.par_iter().filter_map(size).collect()
}
