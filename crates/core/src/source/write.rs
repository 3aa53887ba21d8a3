//! Writing: change sets, made whole or not at all.
//!
//! What is to be written is a [`ChangeSet`]. It is made ready against the disk (every path confined, every file
//! still as it was when it was read, sheets put into their workbooks); a [`Writer`], of which there is one at a
//! time in a workspace, then writes it down before the first file changes. Where writing may go is in `bounds`,
//! what a disk does in `disk`, what is written down and how it is finished or taken back in `journal`.

mod bounds;
mod disk;
mod failing;
mod journal;
mod writer;

#[cfg(test)]
mod tests;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

pub use bounds::{Bounds, entangled, settled};
pub use disk::{Disk, RealDisk};
pub use failing::FailingDisk;
pub(crate) use journal::STORE;
pub use journal::{Recorded, StepMade, Steps};
pub use writer::{CutOff, Keep, Writer, Written};

use super::folder::read_regular;
use super::rel_path::{PathFault, RelPath};
use super::workbook::{Formulas, Refused, SheetEdit, holds_just, new_workbook, patched, sheet_in};

/// What a file held when it was read.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Stamp(u64, usize);

impl Stamp {
    /// The stamp of a content.
    pub fn of(bytes: &[u8]) -> Stamp {
        use std::hash::Hasher;
        let mut hasher = rustc_hash::FxHasher::default();
        hasher.write(bytes);
        Stamp(hasher.finish(), bytes.len())
    }

    /// As a word, and back with [`Stamp::parse`].
    pub fn word(&self) -> String {
        format!("{:016x}-{}", self.0, self.1)
    }

    /// The stamp of a word.
    pub fn parse(word: &str) -> Option<Stamp> {
        let (hash, len) = word.split_once('-')?;
        Some(Stamp(u64::from_str_radix(hash, 16).ok()?, len.parse().ok()?))
    }
}

/// What happens to one file.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum FileChange {
    /// A new file.
    Create {
        /// Path below the workspace, with forward slashes.
        path: String,
        /// Its content.
        text: String,
    },
    /// Another content for a file that was read.
    Edit {
        /// Path below the workspace, with forward slashes.
        path: String,
        /// What the file held when it was read.
        seen: Stamp,
        /// The text before, for showing the difference.
        before: String,
        /// The text after.
        text: String,
    },
    /// A file goes.
    Delete {
        /// Path below the workspace, with forward slashes.
        path: String,
        /// What it held.
        before: String,
    },
    /// A file of whatever content, or a folder with all that is in it, goes to another place.
    Move {
        /// Path below the workspace, with forward slashes.
        path: String,
        /// Its path afterwards.
        to: String,
    },
    /// A file that is no text (an archive, a workbook) comes, changes or goes.
    Bytes {
        /// Path below the workspace, with forward slashes.
        path: String,
        /// What it held; nothing if it is new.
        before: Option<Stamp>,
        /// What it holds; nothing if it goes.
        after: Option<Arc<[u8]>>,
    },
}

impl FileChange {
    /// The file's path below the workspace.
    pub fn path(&self) -> &str {
        match self {
            FileChange::Create { path, .. }
            | FileChange::Edit { path, .. }
            | FileChange::Delete { path, .. }
            | FileChange::Move { path, .. }
            | FileChange::Bytes { path, .. } => path,
        }
    }

    /// The text before and after.
    pub fn texts(&self) -> (&str, &str) {
        match self {
            FileChange::Create { text, .. } => ("", text),
            FileChange::Edit { before, text, .. } => (before, text),
            FileChange::Delete { before, .. } => (before, ""),
            FileChange::Move { .. } | FileChange::Bytes { .. } => ("", ""),
        }
    }

    /// Another content for a file whose text is known.
    pub fn edit(path: impl Into<String>, before: impl Into<String>, text: impl Into<String>) -> FileChange {
        let before = before.into();
        FileChange::Edit { path: path.into(), seen: Stamp::of(before.as_bytes()), before, text: text.into() }
    }

    /// A file whose text is known gets another one; without a text before, it is new.
    pub fn written(path: impl Into<String>, before: Option<String>, text: impl Into<String>) -> FileChange {
        match before {
            Some(before) => FileChange::edit(path, before, text),
            None => FileChange::Create { path: path.into(), text: text.into() },
        }
    }
}

/// Changes that belong together.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct ChangeSet {
    /// The files.
    pub files: Vec<FileChange>,
    /// Whether a cell of a workbook is changed that holds a formula.
    pub over_formulas: bool,
}

impl From<Vec<FileChange>> for ChangeSet {
    fn from(files: Vec<FileChange>) -> ChangeSet {
        ChangeSet { files, ..ChangeSet::default() }
    }
}

/// Why nothing was written.
#[derive(Debug, thiserror::Error)]
pub enum WriteError {
    /// The path leads out of where writing is allowed.
    #[error("`{0}` lies outside the folders that Cognomen may write to")]
    Outside(String),
    /// A link, or no ordinary file, stands where something is to be written.
    #[error("`{0}` is a link or no ordinary file, and nothing is written through that")]
    Link(String),
    /// The path cannot name a file on every system.
    #[error("`{path}` cannot be written: {fault}")]
    Name {
        /// The path.
        path: String,
        /// Why not.
        fault: PathFault,
    },
    /// The file changed since it was read.
    #[error("`{0}` was changed on disk meanwhile; nothing was written")]
    Changed(String),
    /// The file to change is no longer there.
    #[error("`{0}` is not there any more; nothing was written")]
    Gone(String),
    /// The file to create is there already.
    #[error("`{0}` is there already; nothing was written")]
    There(String),
    /// A cell holds a formula, and the change set may not replace any.
    #[error("{cell} of `{path}` holds a formula; nothing was written")]
    Formula {
        /// The workbook.
        path: String,
        /// The cell.
        cell: String,
    },
    /// The workbook cannot be changed so.
    #[error("cannot change `{path}`: {reason}; nothing was written")]
    Workbook {
        /// The workbook.
        path: String,
        /// Why not.
        reason: String,
    },
    /// Somebody else is writing.
    #[error("{who} is writing here and has not finished; nothing was written\n  help: try again when it has")]
    Busy {
        /// What it said of itself.
        who: String,
    },
    /// The change cannot be written down first, so it is not made.
    #[error("the change cannot be recorded in `{path}`: {reason}; nothing was written")]
    Record {
        /// Where it would be recorded.
        path: String,
        /// What the system said.
        reason: String,
    },
    /// The system refused.
    #[error("cannot write `{path}`: {reason}; {done}")]
    System {
        /// The file.
        path: String,
        /// What the system said.
        reason: String,
        /// What became of the rest.
        done: &'static str,
    },
}

/// One step of a change on disk.
#[derive(Debug)]
enum Step<'c> {
    /// A file gets a content; what it held before, nothing if it is new.
    Put { path: RelPath, before: Option<Stamp>, bytes: std::borrow::Cow<'c, [u8]> },
    /// A file goes that held this.
    Take { path: RelPath, before: Stamp },
    /// A file or folder goes to where nothing is.
    Move { from: RelPath, to: RelPath },
}

/// A change set made ready: what is to be done, and the empty folders that stay behind.
#[derive(Debug)]
pub(crate) struct Ready<'c> {
    root: PathBuf,
    bounds: &'c Bounds,
    steps: Vec<Step<'c>>,
}

/// Where a path still stands before something went from one place to another; none if it does not go along.
fn moved_from(path: &str, from: &str, to: &str) -> Option<String> {
    let rest = path.strip_prefix(to)?;
    (rest.is_empty() || rest.starts_with('/')).then(|| format!("{from}{rest}"))
}

fn rel(path: &str) -> Result<RelPath, WriteError> {
    RelPath::parse(path).map_err(|fault| match fault {
        PathFault::Up(_) | PathFault::Root => WriteError::Outside(path.to_owned()),
        fault => WriteError::Name { path: path.to_owned(), fault },
    })
}

impl ChangeSet {
    /// Whether these changes could be written as things stand, without writing anything.
    ///
    /// # Errors
    /// A path lies outside the bounds, a file is not as it was when it was read, or a workbook cannot be changed so.
    pub fn rehearse(&self, root: &Path, bounds: &Bounds) -> Result<(), WriteError> {
        self.ready(root, bounds).map(|_| ())
    }

    fn ready<'c>(&'c self, root: &Path, bounds: &'c Bounds) -> Result<Ready<'c>, WriteError> {
        let mut steps = Vec::new();
        for book in self.workbooks(root, bounds)? {
            steps.push(match (book.bytes, book.before) {
                (Some(bytes), before) => Step::Put { path: book.path, before, bytes: bytes.into() },
                (None, Some(before)) => Step::Take { path: book.path, before },
                (None, None) => continue,
            });
        }
        // where a folder has gone before, files are looked for where they still are
        let mut moved: Vec<(&str, &str)> = Vec::new();
        for change in self.files.iter().filter(|change| sheet_in(change.path()).is_none()) {
            let path = rel(change.path())?;
            let target = bounds.confined(root, &path)?;
            let back = moved.iter().find_map(|(from, to)| moved_from(path.as_str(), from, to));
            let now = back.map_or_else(|| target.clone(), |path| root.join(path));
            let there = |path: &Path| path.symlink_metadata().is_ok();
            let held = || {
                let bytes = read_regular(&now).map_err(|error| match error.kind() {
                    std::io::ErrorKind::NotFound => WriteError::Gone(change.path().to_owned()),
                    _ => system(change.path(), &error),
                })?;
                Ok::<Stamp, WriteError>(Stamp::of(&bytes))
            };
            let unchanged = |seen: &Stamp| match held()? == *seen {
                true => Ok(()),
                false => Err(WriteError::Changed(change.path().to_owned())),
            };
            let free = || match there(&now) {
                true => Err(WriteError::There(change.path().to_owned())),
                false => Ok(()),
            };
            steps.push(match change {
                FileChange::Create { text, .. } => {
                    free()?;
                    Step::Put { path, before: None, bytes: text.as_bytes().into() }
                }
                FileChange::Edit { seen, text, .. } => {
                    unchanged(seen)?;
                    Step::Put { path, before: Some(seen.clone()), bytes: text.as_bytes().into() }
                }
                FileChange::Delete { before, .. } => {
                    let before = Stamp::of(before.as_bytes());
                    unchanged(&before)?;
                    Step::Take { path, before }
                }
                FileChange::Bytes { before, after, .. } => {
                    before.as_ref().map_or_else(free, &unchanged)?;
                    match (before, after) {
                        (_, Some(bytes)) => Step::Put { path, before: before.clone(), bytes: bytes.as_ref().into() },
                        (Some(before), None) => Step::Take { path, before: before.clone() },
                        (None, None) => continue,
                    }
                }
                FileChange::Move { to, .. } => {
                    let goal = rel(to)?;
                    if there(&bounds.confined(root, &goal)?) {
                        return Err(WriteError::There(to.clone()));
                    }
                    now.symlink_metadata().map_err(|error| system(change.path(), &error))?;
                    moved.push((change.path(), to));
                    Step::Move { from: path, to: goal }
                }
            });
        }
        Ok(Ready { root: root.to_owned(), bounds, steps })
    }

    fn workbooks(&self, root: &Path, bounds: &Bounds) -> Result<Vec<ChangedBook>, WriteError> {
        let mut books: BTreeMap<&str, Vec<(&str, &FileChange)>> = BTreeMap::new();
        for change in &self.files {
            if let Some((book, sheet)) = sheet_in(change.path()) {
                books.entry(book).or_default().push((sheet, change));
            }
        }
        let mut out = Vec::new();
        for (path, changes) in books {
            let name = rel(path)?;
            let target = bounds.confined(root, &name)?;
            let fail = |reason: String| WriteError::Workbook { path: path.to_owned(), reason };
            let known = target.exists().then(|| read_regular(&target)).transpose();
            let known = known.map_err(|error| fail(error.to_string()))?;
            let all = |wanted: fn(&FileChange) -> bool| changes.iter().all(|(_, change)| wanted(change));
            let before = known.as_deref().map(Stamp::of);
            let bytes = match known {
                None if all(|change| matches!(change, FileChange::Create { .. })) => {
                    let sheets: Vec<_> = changes.iter().map(|(sheet, change)| (*sheet, change.texts().1)).collect();
                    Some(new_workbook(&sheets).map_err(fail)?)
                }
                None => return Err(fail("it is not there".to_owned())),
                Some(known) if all(|change| matches!(change, FileChange::Delete { .. })) => {
                    let sheets: Vec<_> = changes.iter().map(|(sheet, change)| (*sheet, change.texts().0)).collect();
                    if !holds_just(&known, &sheets).map_err(fail)? {
                        return Err(fail("a sheet is taken out of a workbook in a spreadsheet only".to_owned()));
                    }
                    None
                }
                Some(known) => {
                    let mut edits = Vec::new();
                    for (sheet, change) in &changes {
                        let FileChange::Edit { before, text, .. } = change else {
                            return Err(fail(format!("add the sheet `{sheet}` in a spreadsheet first")));
                        };
                        edits.push(SheetEdit { path: change.path(), before, after: text });
                    }
                    let rule = if self.over_formulas { Formulas::Replace } else { Formulas::Keep };
                    let made = patched(&known, &edits, rule).map_err(|refused| match refused {
                        Refused::Because(reason) => fail(reason),
                        Refused::Formula(cell) => WriteError::Formula { path: path.to_owned(), cell },
                    })?;
                    Some(made)
                }
            };
            out.push(ChangedBook { path: name, before, bytes });
        }
        Ok(out)
    }

    /// These changes and then further ones, which start from the texts that these leave.
    pub fn then(mut self, more: ChangeSet) -> ChangeSet {
        for change in more.files {
            let known = self.files.iter_mut().find(|known| known.path() == change.path());
            match (known, change) {
                (Some(known), FileChange::Delete { path, .. }) if matches!(known, FileChange::Edit { .. }) => {
                    let before = known.texts().0.to_owned();
                    *known = FileChange::Delete { path, before };
                }
                (Some(FileChange::Create { text, .. } | FileChange::Edit { text, .. }), change) => {
                    change.texts().1.clone_into(text);
                }
                (_, change) => self.files.push(change),
            }
        }
        self
    }
}

/// A workbook with its changes in it.
struct ChangedBook {
    path: RelPath,
    /// What it held; nothing if it is new.
    before: Option<Stamp>,
    /// None where it goes.
    bytes: Option<Vec<u8>>,
}

fn system(path: &str, error: &std::io::Error) -> WriteError {
    WriteError::System { path: path.to_owned(), reason: error.to_string(), done: "nothing was written" }
}
