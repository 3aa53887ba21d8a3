//! Writing: change sets, made whole or not at all.
//!
//! Each file is written beside its place and renamed over it. A file that changed on disk since it was
//! read is not overwritten, and nothing outside the workspace's writable folders is touched. Several files
//! are first all prepared, then renamed; what a crash between two renames leaves is said by the caller.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

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
    /// A file, of whatever content, goes to another place.
    Move {
        /// Path below the workspace, with forward slashes.
        path: String,
        /// Its path afterwards.
        to: String,
    },
    /// A new archive.
    Pack {
        /// Path below the workspace, with forward slashes.
        path: String,
        /// Its content.
        bytes: Arc<[u8]>,
    },
    /// An archive goes that was written before.
    Unpack {
        /// Path below the workspace, with forward slashes.
        path: String,
        /// What it held.
        seen: Stamp,
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
            | FileChange::Pack { path, .. }
            | FileChange::Unpack { path, .. } => path,
        }
    }

    /// The text before and after.
    pub fn texts(&self) -> (&str, &str) {
        match self {
            FileChange::Create { text, .. } => ("", text),
            FileChange::Edit { before, text, .. } => (before, text),
            FileChange::Delete { before, .. } => (before, ""),
            FileChange::Move { .. } | FileChange::Pack { .. } | FileChange::Unpack { .. } => ("", ""),
        }
    }

    /// Another content for a file whose text is known.
    pub fn edit(path: impl Into<String>, before: impl Into<String>, text: impl Into<String>) -> FileChange {
        let before = before.into();
        FileChange::Edit { path: path.into(), seen: Stamp::of(before.as_bytes()), before, text: text.into() }
    }

    /// The change that takes this one back. An archive that is gone does not come back.
    fn inverse(&self) -> Option<FileChange> {
        Some(match self.clone() {
            FileChange::Create { path, text } => FileChange::Delete { path, before: text },
            FileChange::Edit { path, before, text, .. } => FileChange::edit(path, text, before),
            FileChange::Delete { path, before } => FileChange::Create { path, text: before },
            FileChange::Move { path, to } => FileChange::Move { path: to, to: path },
            FileChange::Pack { path, bytes } => FileChange::Unpack { path, seen: Stamp::of(&bytes) },
            FileChange::Unpack { .. } => return None,
        })
    }
}

/// Changes that belong together.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct ChangeSet {
    /// The files.
    pub files: Vec<FileChange>,
    /// Whether a cell of a workbook is changed that holds a formula.
    pub over_formulas: bool,
    /// Formulas of workbooks that come back where their cells change.
    pub restored: Vec<Formula>,
}

impl From<Vec<FileChange>> for ChangeSet {
    fn from(files: Vec<FileChange>) -> ChangeSet {
        ChangeSet { files, ..ChangeSet::default() }
    }
}

/// A formula of a workbook whose place a value has taken.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Formula {
    /// Workbook and sheet, as a path below the workspace.
    pub path: String,
    /// Its cell, such as `C4`.
    pub cell: String,
    /// The cell as it stood in the sheet's part.
    pub xml: String,
}

/// What was written.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Written {
    /// Paths below the workspace.
    pub paths: Vec<String>,
    /// Formulas of workbooks that are gone.
    pub formulas: Vec<Formula>,
}

/// Why nothing was written.
#[derive(Debug, thiserror::Error)]
pub enum WriteError {
    /// The path leads out of where writing is allowed.
    #[error("`{0}` lies outside the folders that Cognomen may write to")]
    Outside(String),
    /// The file changed since it was read.
    #[error("`{0}` was changed on disk meanwhile; nothing was written")]
    Changed(String),
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
    /// The system refused.
    #[error("cannot write `{path}`: {reason}; {done}")]
    System {
        /// The file.
        path: String,
        /// What the system said.
        reason: String,
        /// What had been written until then.
        done: String,
    },
}

impl ChangeSet {
    /// Writes all files below `root`, none of them outside the folders `allowed` (relative; empty for
    /// everything below the root).
    ///
    /// # Errors
    /// A path lies elsewhere, a file is not as it was when it was read, or the system refuses. Up to the
    /// renames nothing is changed; a failing rename says what had been written.
    pub fn write(&self, root: &Path, allowed: &[&str]) -> Result<Written, WriteError> {
        let mut prepared = Vec::new();
        let mut gone: Vec<(&str, PathBuf, Option<PathBuf>)> = Vec::new();
        let mut written = Written::default();
        let system = |path: &str, error: std::io::Error| WriteError::System {
            path: path.to_owned(),
            reason: error.to_string(),
            done: "nothing was written".to_owned(),
        };
        for book in self.workbooks(root, allowed)? {
            written.formulas.extend(book.formulas);
            match book.bytes {
                Some(bytes) => {
                    let file = beside(root, &book.target, &bytes).map_err(|error| system(book.path, error))?;
                    prepared.push((book.path, book.target, file));
                }
                None => gone.push((book.path, book.target, None)),
            }
        }
        for change in self.files.iter().filter(|change| sheet_in(change.path()).is_none()) {
            let target = confined(root, change.path(), allowed)?;
            let system = |error: std::io::Error| system(change.path(), error);
            match change {
                FileChange::Create { path, .. } | FileChange::Pack { path, .. } if target.exists() => {
                    return Err(WriteError::There(path.clone()));
                }
                FileChange::Edit { path, seen, .. } => {
                    let now = std::fs::read(&target).map_err(system)?;
                    if Stamp::of(&now) != *seen {
                        return Err(WriteError::Changed(path.clone()));
                    }
                }
                FileChange::Delete { path, before } => {
                    if Stamp::of(&std::fs::read(&target).map_err(system)?) != Stamp::of(before.as_bytes()) {
                        return Err(WriteError::Changed(path.clone()));
                    }
                    gone.push((change.path(), target, None));
                    continue;
                }
                FileChange::Move { to, .. } => {
                    let there = confined(root, to, allowed)?;
                    if there.exists() {
                        return Err(WriteError::There(to.clone()));
                    }
                    std::fs::metadata(&target).map_err(system)?;
                    gone.push((change.path(), target, Some(there)));
                    continue;
                }
                FileChange::Unpack { path, seen } => {
                    if Stamp::of(&std::fs::read(&target).map_err(system)?) != *seen {
                        return Err(WriteError::Changed(path.clone()));
                    }
                    gone.push((change.path(), target, None));
                    continue;
                }
                FileChange::Create { .. } | FileChange::Pack { .. } => {}
            }
            let content = match change {
                FileChange::Pack { bytes, .. } => bytes,
                _ => change.texts().1.as_bytes(),
            };
            let file = beside(root, &target, content).map_err(system)?;
            prepared.push((change.path(), target, file));
        }
        let failed = |path: &str, reason: String, written: &Written| WriteError::System {
            path: path.to_owned(),
            reason,
            done: match written.paths.as_slice() {
                [] => "nothing was written".to_owned(),
                done => format!("written before that: {}", done.join(", ")),
            },
        };
        for (path, target, file) in prepared {
            file.persist(&target).map_err(|error| failed(path, error.error.to_string(), &written))?;
            written.paths.push(path.to_owned());
        }
        for (path, target, to) in gone {
            let done = match &to {
                Some(to) => {
                    let folder = to.parent().unwrap_or(root);
                    std::fs::create_dir_all(folder).and_then(|()| std::fs::rename(&target, to))
                }
                None => std::fs::remove_file(&target),
            };
            done.map_err(|error| failed(path, error.to_string(), &written))?;
            written.paths.push(path.to_owned());
            // folders that are empty now go, too
            let mut folder = target.parent();
            while let Some(here) = folder.filter(|here| *here != root && std::fs::remove_dir(here).is_ok()) {
                folder = here.parent();
            }
        }
        Ok(written)
    }

    /// What the changes of sheets come to in their workbooks, without writing anything.
    ///
    /// # Errors
    /// As of [`ChangeSet::write`].
    pub fn rehearse(&self, root: &Path, allowed: &[&str]) -> Result<(), WriteError> {
        self.workbooks(root, allowed).map(|_| ())
    }

    fn workbooks(&self, root: &Path, allowed: &[&str]) -> Result<Vec<ChangedBook<'_>>, WriteError> {
        let mut books: BTreeMap<&str, Vec<(&str, &FileChange)>> = BTreeMap::new();
        for change in &self.files {
            if let Some((book, sheet)) = sheet_in(change.path()) {
                books.entry(book).or_default().push((sheet, change));
            }
        }
        let mut out = Vec::new();
        for (path, changes) in books {
            let target = confined(root, path, allowed)?;
            let fail = |reason: String| WriteError::Workbook { path: path.to_owned(), reason };
            let known = target.exists().then(|| std::fs::read(&target)).transpose();
            let known = known.map_err(|error| fail(error.to_string()))?;
            let all = |wanted: fn(&FileChange) -> bool| changes.iter().all(|(_, change)| wanted(change));
            let mut formulas = Vec::new();
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
                    let rule = match (self.restored.as_slice(), self.over_formulas) {
                        ([], true) => Formulas::Replace,
                        ([], false) => Formulas::Keep,
                        (restored, _) => Formulas::Restore(restored),
                    };
                    let made = patched(&known, &edits, rule).map_err(|refused| match refused {
                        Refused::Because(reason) => fail(reason),
                        Refused::Formula(cell) => WriteError::Formula { path: path.to_owned(), cell },
                    })?;
                    formulas = made.replaced;
                    Some(made.bytes)
                }
            };
            out.push(ChangedBook { path, target, bytes, formulas });
        }
        Ok(out)
    }

    /// These changes and then further ones, which start from the texts that these leave.
    pub fn then(mut self, more: ChangeSet) -> ChangeSet {
        for change in more.files {
            let known = self.files.iter_mut().find(|known| known.path() == change.path());
            match (known, change) {
                (Some(FileChange::Create { text, .. } | FileChange::Edit { text, .. }), change) => {
                    change.texts().1.clone_into(text);
                }
                (_, change) => self.files.push(change),
            }
        }
        self
    }

    /// The changes that take these back, if that can be done.
    pub fn inverse(&self) -> Option<ChangeSet> {
        Some(self.files.iter().rev().map(FileChange::inverse).collect::<Option<Vec<_>>>()?.into())
    }
}

/// A workbook with its changes in it.
struct ChangedBook<'c> {
    path: &'c str,
    target: PathBuf,
    /// None where it goes.
    bytes: Option<Vec<u8>>,
    formulas: Vec<Formula>,
}

/// A file beside its place, ready to be renamed over it.
fn beside(root: &Path, target: &Path, bytes: &[u8]) -> std::io::Result<tempfile::NamedTempFile> {
    let folder = target.parent().unwrap_or(root);
    std::fs::create_dir_all(folder)?;
    let mut file = tempfile::NamedTempFile::new_in(folder)?;
    file.write_all(bytes)?;
    // new files get the rights that files usually get, edited ones keep theirs
    match std::fs::metadata(target) {
        Ok(known) => file.as_file().set_permissions(known.permissions())?,
        Err(_) => usual_rights(file.as_file())?,
    }
    file.as_file().sync_all()?;
    Ok(file)
}

#[cfg(unix)]
fn usual_rights(file: &std::fs::File) -> std::io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    file.set_permissions(std::fs::Permissions::from_mode(0o644))
}

#[cfg(not(unix))]
fn usual_rights(_: &std::fs::File) -> std::io::Result<()> {
    Ok(())
}

/// The path on disk, if neither `..` nor a symbolic link leads it out of the allowed folders.
fn confined(root: &Path, path: &str, allowed: &[&str]) -> Result<PathBuf, WriteError> {
    let outside = || WriteError::Outside(path.to_owned());
    let relative = Path::new(path);
    let plain = relative.components().all(|part| matches!(part, Component::Normal(_)));
    let below = |folder: &&str| folder.is_empty() || path == *folder || path.starts_with(&format!("{folder}/"));
    if !plain || path.contains('\\') || !(allowed.is_empty() || allowed.iter().any(below)) {
        return Err(outside());
    }
    let target = root.join(relative);
    let top = root.canonicalize().map_err(|_| outside())?;
    // the nearest existing folder, links resolved, must lie below the root; the file must be no link
    let mut existing = target.as_path();
    while let Some(parent) = existing.parent() {
        existing = parent;
        if let Ok(real) = existing.canonicalize() {
            if !real.starts_with(&top) {
                return Err(outside());
            }
            break;
        }
    }
    if target.symlink_metadata().is_ok_and(|meta| meta.file_type().is_symlink()) {
        return Err(outside());
    }
    Ok(target)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn create(path: &str, text: &str) -> ChangeSet {
        vec![FileChange::Create { path: path.to_owned(), text: text.to_owned() }].into()
    }

    #[test]
    fn all_files_are_written_or_none() {
        let folder = tempfile::tempdir().unwrap();
        create("mods/a/one.json", "{}").write(folder.path(), &["mods"]).unwrap();
        let both = ChangeSet::from(vec![
            FileChange::Create { path: "mods/a/two.json".to_owned(), text: "2".to_owned() },
            FileChange::Edit {
                path: "mods/a/one.json".to_owned(),
                seen: Stamp::of(b"something else"),
                before: String::new(),
                text: "1".to_owned(),
            },
        ]);
        let error = both.write(folder.path(), &["mods"]).unwrap_err();
        assert!(matches!(error, WriteError::Changed(_)));
        assert!(!folder.path().join("mods/a/two.json").exists());
        assert_eq!(std::fs::read_to_string(folder.path().join("mods/a/one.json")).unwrap(), "{}");
        assert_eq!(std::fs::read_dir(folder.path().join("mods/a")).unwrap().count(), 1, "no temporary file stays");
    }

    #[test]
    fn a_change_set_and_its_inverse_leave_everything_as_it_was() {
        let folder = tempfile::tempdir().unwrap();
        let read = |path: &str| std::fs::read_to_string(folder.path().join(path)).ok();
        create("mods/a/one.json", "1").write(folder.path(), &["mods"]).unwrap();
        create("mods/a/two.json", "2").write(folder.path(), &["mods"]).unwrap();
        let changes = ChangeSet::from(vec![
            FileChange::edit("mods/a/one.json", "1", "one"),
            FileChange::Delete { path: "mods/a/two.json".to_owned(), before: "2".to_owned() },
            FileChange::Create { path: "mods/b/three.json".to_owned(), text: "3".to_owned() },
        ]);
        changes.write(folder.path(), &["mods"]).unwrap();
        assert_eq!((read("mods/a/one.json").as_deref(), read("mods/a/two.json")), (Some("one"), None));
        let moved = FileChange::Move { path: "mods/a/one.json".to_owned(), to: "mods/c/one.json".to_owned() };
        let moved = ChangeSet::from(vec![moved]);
        moved.write(folder.path(), &["mods"]).unwrap();
        assert!(!folder.path().join("mods/a").exists(), "empty folders go");
        moved.inverse().unwrap().write(folder.path(), &["mods"]).unwrap();
        changes.inverse().unwrap().write(folder.path(), &["mods"]).unwrap();
        assert_eq!((read("mods/a/one.json").as_deref(), read("mods/a/two.json").as_deref()), (Some("1"), Some("2")));
        assert!(!folder.path().join("mods/b").exists());
        assert!(changes.inverse().unwrap().write(folder.path(), &["mods"]).is_err(), "it is taken back already");
    }

    #[test]
    fn nothing_outside_the_allowed_folders_is_written() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::create_dir_all(folder.path().join("mods")).unwrap();
        for path in ["base/item.json", "mods/../base/item.json", "/etc/x", "../x", "mods\\..\\x"] {
            let error = create(path, "x").write(folder.path(), &["mods"]).unwrap_err();
            assert!(matches!(error, WriteError::Outside(_)), "{path}");
        }
        assert!(matches!(
            create("mods/a", "x")
                .write(folder.path(), &["mods"])
                .and_then(|_| create("mods/a", "y").write(folder.path(), &["mods"])),
            Err(WriteError::There(_))
        ));
    }

    #[cfg(unix)]
    #[test]
    fn symbolic_links_do_not_lead_out() {
        let folder = tempfile::tempdir().unwrap();
        let other = tempfile::tempdir().unwrap();
        std::os::unix::fs::symlink(other.path(), folder.path().join("mods")).unwrap();
        let error = create("mods/x.json", "x").write(folder.path(), &["mods"]).unwrap_err();
        assert!(matches!(error, WriteError::Outside(_)));
    }
}
