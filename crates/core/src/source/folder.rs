//! Where bytes come from: a folder, memory, or unsaved texts laid over another source.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// A file that a source has.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Listed {
    /// Path below the source's top, with forward slashes.
    pub path: String,
    /// Why it is never read, if it is not.
    pub refused: Option<Refusal>,
}

/// Why a file is never read.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Refusal {
    /// A symbolic link, which is not followed.
    Link,
    /// A name that leads out of its archive.
    Outside,
    /// A workbook that is none, is damaged, or unpacks to too much.
    Workbook,
    /// A device, a pipe or the like.
    NoFile,
    /// A folder that the system does not let anybody look into.
    Unreadable,
    /// A folder deeper than any game's data.
    TooDeep,
}

/// Why files could not be listed or read.
#[derive(Debug, thiserror::Error)]
#[error("cannot read `{path}`: {reason}")]
pub struct SourceError {
    /// The file or folder.
    pub path: String,
    /// What the system said.
    pub reason: String,
    /// Whether there is just nothing.
    pub lacking: bool,
}

impl SourceError {
    /// A file or folder that is there and cannot be read.
    pub(crate) fn new(path: impl Into<String>, reason: impl Into<String>) -> SourceError {
        SourceError { path: path.into(), reason: reason.into(), lacking: false }
    }
}

/// A place that files are read from. Paths are relative, with forward slashes.
pub trait Source: Sync + Send {
    /// All files below a folder (empty for the top), sorted by the bytes of their paths.
    ///
    /// # Errors
    /// The folder cannot be read.
    fn list(&self, below: &str) -> Result<Vec<Listed>, SourceError>;

    /// The bytes of a file.
    ///
    /// # Errors
    /// The file cannot be read.
    fn read(&self, path: &str) -> Result<Vec<u8>, SourceError>;

    /// Whether there is a folder of this name.
    fn has_folder(&self, path: &str) -> bool {
        self.list(path).is_ok_and(|files| !files.is_empty())
    }
}

/// A folder on disk. A path may begin with `..` or be absolute where the workspace names it so.
#[derive(Debug)]
pub struct FolderSource {
    root: PathBuf,
}

impl FolderSource {
    /// The files below a folder.
    pub fn new(root: &Path) -> FolderSource {
        FolderSource { root: root.to_owned() }
    }

    fn fail(path: &str, error: &std::io::Error) -> SourceError {
        let lacking = error.kind() == std::io::ErrorKind::NotFound;
        SourceError { path: path.to_owned(), reason: error.to_string(), lacking }
    }
}

/// How deep folders are looked into.
const DEPTH: usize = 64;

/// The bytes of an ordinary file: of a pipe or a device nothing is read, and of none more than a file may hold.
///
/// # Errors
/// There is none, it is something else or too large, or the system refuses.
pub(crate) fn read_regular(path: &Path) -> std::io::Result<Vec<u8>> {
    use std::io::Read;
    let known = std::fs::metadata(path)?;
    if !known.is_file() {
        return Err(std::io::Error::other("it is no ordinary file"));
    }
    let limit = super::SIZE_LIMIT as u64;
    let mut bytes = Vec::with_capacity(usize::try_from(known.len().min(limit)).unwrap_or(0));
    std::fs::File::open(path)?.take(limit + 1).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > limit {
        return Err(std::io::Error::other(format!("it is larger than {} MiB", limit >> 20)));
    }
    Ok(bytes)
}

/// A path that leads down from somewhere, with forward slashes.
pub fn slashed(path: &Path) -> String {
    let parts: Vec<_> = path.components().map(|part| part.as_os_str().to_string_lossy()).collect();
    parts.join("/")
}

impl Source for FolderSource {
    fn list(&self, below: &str) -> Result<Vec<Listed>, SourceError> {
        let top = self.root.join(below);
        let mut files = Vec::new();
        // hidden files and folders (`.git`, editors' own) are no game data
        let visible =
            |entry: &walkdir::DirEntry| entry.depth() == 0 || !entry.file_name().to_string_lossy().starts_with('.');
        let below_top = |path: &Path| Some(slashed(path.strip_prefix(&top).ok()?));
        for entry in walkdir::WalkDir::new(&top).max_depth(DEPTH).into_iter().filter_entry(visible) {
            let (path, refused) = match &entry {
                Ok(entry) => {
                    let kind = entry.file_type();
                    let refused = match entry.depth() {
                        DEPTH.. if kind.is_dir() => Some(Refusal::TooDeep),
                        _ if kind.is_dir() => continue,
                        _ if kind.is_symlink() => Some(Refusal::Link),
                        _ if kind.is_file() => None,
                        _ => Some(Refusal::NoFile),
                    };
                    (Some(entry.path()), refused)
                }
                // what cannot be looked into costs just itself
                Err(error) if error.depth() > 0 => (error.path(), Some(Refusal::Unreadable)),
                Err(error) => {
                    return Err(match error.io_error() {
                        Some(error) => Self::fail(below, error),
                        None => SourceError::new(below, error.to_string()),
                    });
                }
            };
            files.extend(path.and_then(below_top).map(|path| Listed { path, refused }));
        }
        files.sort_by(|a, b| a.path.as_bytes().cmp(b.path.as_bytes()));
        Ok(files)
    }

    fn read(&self, path: &str) -> Result<Vec<u8>, SourceError> {
        read_regular(&self.root.join(path)).map_err(|error| Self::fail(path, &error))
    }

    fn has_folder(&self, path: &str) -> bool {
        self.root.join(path).is_dir()
    }
}

/// Files in memory, for tests and for texts that are not saved yet.
#[derive(Clone, Debug, Default)]
pub struct MemorySource {
    files: BTreeMap<String, Vec<u8>>,
}

impl MemorySource {
    /// Files by path.
    pub fn new<P: Into<String>, B: Into<Vec<u8>>>(files: impl IntoIterator<Item = (P, B)>) -> MemorySource {
        MemorySource { files: files.into_iter().map(|(path, bytes)| (path.into(), bytes.into())).collect() }
    }

    /// Adds or replaces one file.
    pub fn put(&mut self, path: &str, bytes: impl Into<Vec<u8>>) {
        self.files.insert(path.to_owned(), bytes.into());
    }

    /// Takes a file away.
    pub fn take(&mut self, path: &str) -> Option<Vec<u8>> {
        self.files.remove(path)
    }

    /// All files.
    pub fn files(&self) -> &BTreeMap<String, Vec<u8>> {
        &self.files
    }
}

impl Source for MemorySource {
    fn list(&self, below: &str) -> Result<Vec<Listed>, SourceError> {
        let prefix = if below.is_empty() { String::new() } else { format!("{below}/") };
        let files = self.files.keys().filter_map(|path| path.strip_prefix(&prefix));
        Ok(files.map(|path| Listed { path: path.to_owned(), refused: None }).collect())
    }

    fn read(&self, path: &str) -> Result<Vec<u8>, SourceError> {
        let missing = || SourceError { lacking: true, ..SourceError::new(path, "no such file") };
        self.files.get(path).cloned().ok_or_else(missing)
    }
}

/// Unsaved texts over another source.
pub struct Overlay<'s> {
    below: &'s dyn Source,
    above: MemorySource,
    without: BTreeSet<String>,
}

impl<'s> Overlay<'s> {
    /// Lays texts over a source.
    pub fn new(below: &'s dyn Source, above: MemorySource) -> Overlay<'s> {
        Overlay { below, above, without: BTreeSet::new() }
    }

    /// Takes a file away that lies below.
    #[must_use]
    pub fn without(mut self, path: &str) -> Overlay<'s> {
        self.without.insert(path.to_owned());
        self
    }
}

impl Source for Overlay<'_> {
    fn list(&self, below: &str) -> Result<Vec<Listed>, SourceError> {
        let mut files = self.above.list(below)?;
        match self.below.list(below) {
            Ok(more) => {
                let full = |path: &str| if below.is_empty() { path.to_owned() } else { format!("{below}/{path}") };
                files.extend(more.into_iter().filter(|file| !self.without.contains(&full(&file.path))));
            }
            Err(error) if files.is_empty() => return Err(error),
            Err(_) => {}
        }
        files.sort_by(|a, b| a.path.as_bytes().cmp(b.path.as_bytes()));
        files.dedup_by(|a, b| a.path == b.path);
        Ok(files)
    }

    fn read(&self, path: &str) -> Result<Vec<u8>, SourceError> {
        let gone = |path| SourceError { lacking: true, ..SourceError::new(path, "no such file") };
        self.above.read(path).or_else(|_| match self.without.contains(path) {
            true => Err(gone(path)),
            false => self.below.read(path),
        })
    }

    fn has_folder(&self, path: &str) -> bool {
        self.above.has_folder(path) || self.below.has_folder(path)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_no_ordinary_file_or_lies_too_deep_costs_just_itself() {
        let folder = tempfile::tempdir().unwrap();
        let mut deep = folder.path().join("goods");
        for _ in 0..70 {
            deep.push("d");
        }
        std::fs::create_dir_all(&deep).unwrap();
        std::fs::write(deep.join("x.json"), "{}").unwrap();
        std::fs::write(folder.path().join("goods/a.json"), "{}").unwrap();
        let source = FolderSource::new(folder.path());
        let listed = source.list("").unwrap();
        let read: Vec<&str> =
            listed.iter().filter(|file| file.refused.is_none()).map(|file| file.path.as_str()).collect();
        assert_eq!(read, ["goods/a.json"]);
        let refused: Vec<_> = listed.iter().filter_map(|file| file.refused).collect();
        assert_eq!(refused, [Refusal::TooDeep]);
        assert!(source.read("goods").unwrap_err().to_string().contains("it is no ordinary file"));
        let error = source.read("goods/none.json").unwrap_err();
        assert!(error.lacking, "{error}");
    }
}
