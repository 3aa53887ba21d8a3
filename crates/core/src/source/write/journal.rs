//! What is written down of a change before its first file changes, so that it ends old or new as a whole, and so
//! that it can be taken back.
//!
//! Each change has a numbered folder in `.cognomen/changes`. While the change is prepared, the folder holds the
//! new contents (`0.new`, …) and the old ones (`0.old`, …). With `journal.json` in it, the change is decided: it
//! is finished, by the next start if need be. Its last step gives that file the name `done.json`; of what can be
//! taken back the newest such folders stay. What takes a change back is a change itself and says of which; taking that
//! back brings the first one again. A folder with neither was cut off before anything had changed.

use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::{Bounds, Disk, FileChange, Stamp};
use crate::source::RelPath;
use crate::source::folder::read_regular;
use crate::source::workbook::is_workbook;

/// The folder for what a workspace remembers.
pub(crate) const STORE: &str = ".cognomen";
pub(super) const DECIDED: &str = "journal.json";
pub(super) const DONE: &str = "done.json";

/// A change as it is written down. Paths are relative to the folder that the journal stands in.
#[derive(Serialize, Deserialize, Debug)]
pub(super) struct Journal {
    pub(super) format: u32,
    /// What it does, for people.
    pub(super) what: String,
    pub(super) steps: Vec<Noted>,
    /// Folders that it makes, outer ones first.
    pub(super) folders: Vec<String>,
    /// Whether it can be taken back by `undo`.
    pub(super) undoable: bool,
    /// Where it may write; empty for everything below.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(super) allowed: Vec<String>,
    /// The number of the change that it takes back.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) takes_back: Option<u64>,
}

/// One step as it is written down; contents stand beside it, under its number.
#[derive(Serialize, Deserialize, Debug)]
#[serde(tag = "do", rename_all = "lowercase")]
pub(super) enum Noted {
    Put { path: String, before: Option<String>, after: String },
    Take { path: String, before: String },
    Move { from: String, to: String },
}

/// Where a step stands.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Stands {
    /// Not made yet, and it can be.
    Open,
    Made,
    /// Somebody else has changed what it is about.
    Astray,
}

/// A change in its folder.
#[derive(Debug)]
pub(super) struct Entry {
    pub(super) folder: PathBuf,
    pub(super) journal: Journal,
}

/// Why a step could not be made.
#[derive(Debug)]
pub(super) struct StepError {
    pub(super) path: String,
    pub(super) reason: String,
    /// Whether somebody else changed the file.
    pub(super) astray: bool,
}

impl Entry {
    /// The change in a folder, if its journal has this name and can be read.
    pub(super) fn read(folder: &Path, name: &str) -> Option<Entry> {
        let bytes = read_regular(&folder.join(name)).ok()?;
        let journal: Journal = serde_json::from_slice(&bytes).ok()?;
        (journal.format == 1).then(|| Entry { folder: folder.to_owned(), journal })
    }

    pub(super) fn old(&self, nth: usize) -> PathBuf {
        self.folder.join(format!("{nth}.old"))
    }

    pub(super) fn new_content(&self, nth: usize) -> PathBuf {
        self.folder.join(format!("{nth}.new"))
    }

    /// Makes all steps that are not made yet. A step over which somebody else wrote stops it.
    pub(super) fn forward(&self, root: &Path, bounds: &Bounds, disk: &dyn Disk) -> Result<(), StepError> {
        for folder in &self.journal.folders {
            // a folder on the way to what may be written to
            let path = place(root, &Bounds { allowed: Vec::new(), ..bounds.clone() }, folder)?;
            disk.make_folder(&path).map_err(|error| fail(folder, &error))?;
        }
        for nth in 0..self.journal.steps.len() {
            match self.stands(nth, root, bounds)? {
                Stands::Made => {}
                Stands::Open => self.make(nth, root, bounds, disk)?,
                Stands::Astray => return Err(self.astray(nth)),
            }
        }
        for step in &self.journal.steps {
            if let Noted::Take { path, .. } | Noted::Move { from: path, .. } = step {
                empty_folders(root, path, bounds, disk);
            }
        }
        Ok(())
    }

    /// Takes all steps back that are made, the last first; those over which somebody else wrote stay.
    pub(super) fn back(&self, root: &Path, bounds: &Bounds, disk: &dyn Disk) -> Result<(), StepError> {
        for nth in (0..self.journal.steps.len()).rev() {
            if self.stands(nth, root, bounds)? != Stands::Made {
                continue;
            }
            match self.journal.steps.get(nth) {
                Some(Noted::Put { path, before, .. }) => {
                    let target = place(root, bounds, path)?;
                    let done = match before {
                        None => disk.remove(&target),
                        Some(_) => over(disk, &self.old(nth), &target),
                    };
                    done.map_err(|error| fail(path, &error))?;
                }
                Some(Noted::Take { path, .. }) => {
                    let target = place(root, bounds, path)?;
                    let parent = target.parent().unwrap_or(root);
                    std::fs::create_dir_all(parent)
                        .and_then(|()| fresh(disk, &self.old(nth), &target))
                        .map_err(|error| fail(path, &error))?;
                }
                Some(Noted::Move { from, to }) => {
                    let (target, goal) = (place(root, bounds, from)?, place(root, bounds, to)?);
                    disk.rename(&goal, &target).map_err(|error| fail(from, &error))?;
                }
                None => {}
            }
        }
        for folder in self.journal.folders.iter().rev() {
            if let Ok(path) = place(root, &Bounds { allowed: Vec::new(), ..bounds.clone() }, folder) {
                let _ = disk.remove_folder(&path);
            }
        }
        Ok(())
    }

    fn stands(&self, nth: usize, root: &Path, bounds: &Bounds) -> Result<Stands, StepError> {
        let Some(step) = self.journal.steps.get(nth) else { return Ok(Stands::Made) };
        Ok(match step {
            Noted::Put { path, before, after } => {
                let now = held(&place(root, bounds, path)?).map_err(|error| fail(path, &error))?;
                match (now.map(|stamp| stamp.word()), before) {
                    (Some(now), _) if now == *after => Stands::Made,
                    (Some(now), Some(before)) if now == *before => Stands::Open,
                    (None, None) => Stands::Open,
                    _ => Stands::Astray,
                }
            }
            Noted::Take { path, before } => {
                let now = held(&place(root, bounds, path)?).map_err(|error| fail(path, &error))?;
                match now {
                    None if self.old(nth).symlink_metadata().is_ok() => Stands::Made,
                    Some(now) if now.word() == *before => Stands::Open,
                    _ => Stands::Astray,
                }
            }
            Noted::Move { from, to } => {
                let there = |path: &String| Ok(place(root, bounds, path)?.symlink_metadata().is_ok());
                match (there(from)?, there(to)?) {
                    (true, false) => Stands::Open,
                    (false, true) => Stands::Made,
                    _ => Stands::Astray,
                }
            }
        })
    }

    fn make(&self, nth: usize, root: &Path, bounds: &Bounds, disk: &dyn Disk) -> Result<(), StepError> {
        match self.journal.steps.get(nth) {
            Some(Noted::Put { path, before, .. }) => {
                let (target, content) = (place(root, bounds, path)?, self.new_content(nth));
                let done = match before {
                    None => fresh(disk, &content, &target),
                    Some(_) => over(disk, &content, &target),
                };
                done.map_err(|error| match error.kind() {
                    std::io::ErrorKind::AlreadyExists => self.astray(nth),
                    _ => fail(path, &error),
                })
            }
            Some(Noted::Take { path, .. }) => {
                let target = place(root, bounds, path)?;
                let done = match disk.rename(&target, &self.old(nth)) {
                    Err(error) if error.kind() == std::io::ErrorKind::CrossesDevices => {
                        let bytes = read_regular(&target).map_err(|error| fail(path, &error))?;
                        disk.write_new(&self.old(nth), &bytes, None, true).and_then(|()| disk.remove(&target))
                    }
                    other => other,
                };
                done.map_err(|error| fail(path, &error))
            }
            Some(Noted::Move { from, to }) => {
                let (target, goal) = (place(root, bounds, from)?, place(root, bounds, to)?);
                disk.rename(&target, &goal).map_err(|error| fail(from, &error))
            }
            None => Ok(()),
        }
    }

    fn astray(&self, nth: usize) -> StepError {
        let path = match self.journal.steps.get(nth) {
            Some(Noted::Put { path, .. } | Noted::Take { path, .. } | Noted::Move { from: path, .. }) => path.clone(),
            None => String::new(),
        };
        StepError { path, reason: "it was changed on disk meanwhile".to_owned(), astray: true }
    }

    /// Takes the folder of the change away, whatever is in it.
    pub(super) fn forget(folder: &Path, disk: &dyn Disk) -> std::io::Result<()> {
        // without its journal it is one that never was decided
        for name in [DECIDED, DONE] {
            if folder.join(name).symlink_metadata().is_ok() {
                disk.remove(&folder.join(name))?;
            }
        }
        for entry in std::fs::read_dir(folder)?.flatten() {
            disk.remove(&entry.path())?;
        }
        disk.remove_folder(folder)
    }
}

/// A path that was written down, on disk and within bounds.
fn place(root: &Path, bounds: &Bounds, path: &str) -> Result<PathBuf, StepError> {
    let confined = RelPath::parse(path).map_err(|fault| fault.to_string());
    let confined = confined.and_then(|path| bounds.confined(root, &path).map_err(|error| error.to_string()));
    confined.map_err(|reason| StepError { path: path.to_owned(), reason, astray: false })
}

fn fail(path: &str, error: &std::io::Error) -> StepError {
    StepError { path: path.to_owned(), reason: error.to_string(), astray: false }
}

/// What a file holds; nothing if there is none.
fn held(path: &Path) -> std::io::Result<Option<Stamp>> {
    match read_regular(path) {
        Ok(bytes) => Ok(Some(Stamp::of(&bytes))),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
    }
}

/// Puts a content where a file is, from another disk by way of a file beside it.
fn over(disk: &dyn Disk, content: &Path, target: &Path) -> std::io::Result<()> {
    match disk.rename(content, target) {
        Err(error) if error.kind() == std::io::ErrorKind::CrossesDevices => {
            let beside = beside(target);
            let _ = std::fs::remove_file(&beside);
            disk.write_new(&beside, &read_regular(content)?, Some(target), true)?;
            disk.rename(&beside, target).inspect_err(|_| {
                let _ = disk.remove(&beside);
            })
        }
        other => other,
    }
}

/// Puts a content where nothing is.
fn fresh(disk: &dyn Disk, content: &Path, target: &Path) -> std::io::Result<()> {
    match disk.rename_new(content, target) {
        Err(error) if error.kind() == std::io::ErrorKind::CrossesDevices => {
            let beside = beside(target);
            let _ = std::fs::remove_file(&beside);
            disk.write_new(&beside, &read_regular(content)?, None, true)?;
            disk.rename_new(&beside, target).inspect_err(|_| {
                let _ = disk.remove(&beside);
            })
        }
        other => other,
    }
}

/// A hidden file beside another one: never read as data, and replaced by the next that is written there.
fn beside(target: &Path) -> PathBuf {
    let name = target.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    target.with_file_name(format!(".{name}.cognomen"))
}

/// Takes the folders away that a file leaves empty, up to the first folder that may be written to.
fn empty_folders(root: &Path, path: &str, bounds: &Bounds, disk: &dyn Disk) {
    let mut path = path;
    while let Some((folder, _)) = path.rsplit_once('/') {
        let top = bounds.allowed.iter().any(|allowed| allowed == folder);
        let Some(place) = place(root, bounds, folder).ok().filter(|_| !top) else { break };
        // looked at first, so that nothing is tried on a full one
        let empty = std::fs::read_dir(&place).is_ok_and(|mut entries| entries.next().is_none());
        if !empty || disk.remove_folder(&place).is_err() {
            break;
        }
        path = folder;
    }
}

/// A change that was made, as it is taken back.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Recorded {
    /// What it did.
    pub what: String,
    /// The changes that take it back.
    pub back: Vec<FileChange>,
}

/// A change that stands, or was taken back.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct StepMade {
    /// The number under which it is recorded how to take it back, or to bring it again.
    pub number: u64,
    /// What it did.
    pub what: String,
    /// The files that it wrote, moved or took away, below the root.
    pub paths: Vec<String>,
}

/// The changes of a workspace that can be taken back, and those that can be brought again.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Steps {
    /// The changes that stand, the oldest first.
    pub done: Vec<StepMade>,
    /// Those that were taken back; the next to be brought again is the last.
    pub undone: Vec<StepMade>,
}

impl Steps {
    /// From all records, in their order, each with its number.
    pub(super) fn of(all: impl Iterator<Item = (u64, Entry)>) -> Steps {
        let mut steps = Steps::default();
        for (number, entry) in all {
            let Steps { done, undone } = &mut steps;
            let last = |made: &[StepMade]| made.last().map(|made| made.number);
            match entry.journal.takes_back {
                // it is known by what it takes back, or brings again
                Some(back) if last(done) == Some(back) => {
                    undone.extend(done.pop().map(|first| StepMade { number, ..first }));
                }
                Some(back) if last(undone) == Some(back) => {
                    done.extend(undone.pop().map(|first| StepMade { number, ..first }));
                }
                // what it takes back is forgotten, and so is what lay before that
                Some(_) => steps = Steps::default(),
                None => {
                    undone.clear();
                    done.push(entry.made(number));
                }
            }
        }
        steps
    }
}

impl Entry {
    fn made(&self, number: u64) -> StepMade {
        let path = |step: &Noted| match step {
            Noted::Put { path, .. } | Noted::Take { path, .. } => path.clone(),
            Noted::Move { to, .. } => to.clone(),
        };
        let paths = self.journal.steps.iter().map(path).collect();
        StepMade { number, what: self.journal.what.clone(), paths }
    }

    /// The changes that take it back. What somebody else changed since is refused when they are made ready.
    pub(super) fn recorded(&self, root: &Path) -> std::io::Result<Recorded> {
        let mut back = Vec::new();
        for (nth, step) in self.journal.steps.iter().enumerate().rev() {
            let old = || read_regular(&self.old(nth));
            back.push(match step {
                Noted::Put { path, before, after } => {
                    let unreadable = || std::io::Error::other("its record cannot be read");
                    let seen = Stamp::parse(after).ok_or_else(unreadable)?;
                    let now = RelPath::parse(path).ok().and_then(|path| read_regular(&root.join(path.as_str())).ok());
                    let now = now.filter(|now| Stamp::of(now) == seen).and_then(|now| text(path, &now));
                    let before = before.is_some().then(old).transpose()?;
                    inverse(path.clone(), seen, now, before)
                }
                Noted::Take { path, .. } => {
                    let old = old()?;
                    match text(path, &old) {
                        Some(text) => FileChange::Create { path: path.clone(), text },
                        None => FileChange::Bytes { path: path.clone(), before: None, after: Some(old.into()) },
                    }
                }
                Noted::Move { from, to } => FileChange::Move { path: to.clone(), to: from.clone() },
            });
        }
        Ok(Recorded { what: self.journal.what.clone(), back })
    }
}

/// A content as a text, where it is one that can be shown.
fn text(path: &str, bytes: &[u8]) -> Option<String> {
    let plain = !is_workbook(path) && !crate::source::is_archive(path);
    plain.then(|| String::from_utf8(bytes.to_vec()).ok()).flatten()
}

/// The change that gives a file the content it had before; `now` is its text, if it is one and still as it was left.
fn inverse(path: String, seen: Stamp, now: Option<String>, before: Option<Vec<u8>>) -> FileChange {
    let shown = before.as_ref().map(|before| text(&path, before));
    match (now, shown) {
        (Some(now), None) => FileChange::Delete { path, before: now },
        (Some(now), Some(Some(text))) => FileChange::Edit { path, seen, before: now, text },
        _ => FileChange::Bytes { path, before: Some(seen), after: before.map(Into::into) },
    }
}
