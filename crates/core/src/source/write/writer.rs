//! The one that writes. There is one at a time in a workspace; it first finishes or takes back what another one
//! left that was cut off.

use std::collections::BTreeSet;
use std::fs::{File, TryLockError};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, Instant};

use super::journal::{DECIDED, DONE, Entry, Journal, Noted, Recorded, STORE, Steps};
use super::{Bounds, ChangeSet, Disk, Ready, Stamp, Step, WriteError};
use crate::source::folder::read_regular;

/// How long a writer waits for another one.
const PATIENCE: Duration = Duration::from_secs(5);

/// Whether a change can be taken back afterwards.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Keep {
    /// By `undo`; it is the last change then.
    ForUndo,
    /// It takes the change with this number back, and can be taken back itself.
    TakesBack(u64),
    /// It can be made anew at any time, as a build can; it need not last through a power cut, either.
    Nothing,
}

impl Keep {
    /// Whether it lasts through a power cut, and can be taken back.
    fn lasts(self) -> bool {
        self != Keep::Nothing
    }
}

/// So many changes can be taken back one after the other, as long as their contents are not more than [`KEPT_BYTES`].
const KEPT: usize = 100;
const KEPT_BYTES: u64 = 256 << 20;

/// What was written.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Written {
    /// Paths below the root.
    pub paths: Vec<String>,
}

/// A change that an earlier run was cut off in.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct CutOff {
    /// What it did.
    pub what: String,
    /// What became of it now.
    pub now: &'static str,
}

/// The one that writes below a folder.
pub struct Writer {
    root: PathBuf,
    disk: Arc<dyn Disk>,
    /// Released by the system when it is dropped, or when the process ends in whatever way.
    lock: File,
    /// Changes of earlier runs that were finished or taken back.
    pub cut_off: Vec<CutOff>,
}

impl std::fmt::Debug for Writer {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Writer({})", self.root.display())
    }
}

fn store(root: &Path) -> PathBuf {
    root.join(STORE)
}

fn changes(root: &Path) -> PathBuf {
    store(root).join("changes")
}

/// Small files of our own that were cut off before they had their names.
fn unnamed(root: &Path) -> Vec<PathBuf> {
    let store = store(root);
    let listed = [store.join("builds"), store].into_iter().flat_map(std::fs::read_dir).flatten().flatten();
    listed.map(|entry| entry.path()).filter(|path| path.extension().is_some_and(|ending| ending == "new")).collect()
}

/// How much a change's folder holds.
fn size(folder: &Path) -> u64 {
    let listed = std::fs::read_dir(folder).into_iter().flatten().flatten();
    listed.filter_map(|entry| entry.metadata().ok()).map(|meta| meta.len()).sum()
}

/// The numbered folders of changes, in order.
fn folders(root: &Path) -> Vec<(u64, PathBuf)> {
    let listed = std::fs::read_dir(changes(root)).into_iter().flatten().flatten();
    let numbered = listed.filter_map(|entry| Some((entry.file_name().to_str()?.parse().ok()?, entry.path())));
    let mut all: Vec<(u64, PathBuf)> = numbered.filter(|(_, path): &(u64, PathBuf)| path.is_dir()).collect();
    all.sort_unstable();
    all
}

impl Writer {
    /// Becomes the one that writes below a folder, and finishes or takes back what was cut off. `who` is what
    /// others are told meanwhile; `bounds` hold for what was cut off.
    ///
    /// # Errors
    /// Another one is at it for longer than a few seconds, or nothing can be recorded there.
    pub fn lock(root: &Path, who: &str, bounds: &Bounds, disk: Arc<dyn Disk>) -> Result<Writer, WriteError> {
        Writer::lock_within(root, who, bounds, disk, PATIENCE)
    }

    /// As [`Writer::lock`], for what can be left out where another one is at it.
    ///
    /// # Errors
    /// As of [`Writer::lock`].
    pub fn lock_if_free(root: &Path, who: &str, bounds: &Bounds, disk: Arc<dyn Disk>) -> Result<Writer, WriteError> {
        Writer::lock_within(root, who, bounds, disk, Duration::ZERO)
    }

    pub(super) fn lock_within(
        root: &Path,
        who: &str,
        bounds: &Bounds,
        disk: Arc<dyn Disk>,
        patience: Duration,
    ) -> Result<Writer, WriteError> {
        let record = |error: &std::io::Error| WriteError::Record { path: STORE.to_owned(), reason: error.to_string() };
        let folder = store(root);
        if folder.symlink_metadata().is_ok_and(|meta| !meta.is_dir()) {
            return Err(WriteError::Link(STORE.to_owned()));
        }
        disk.make_folder(&folder).map_err(|error| record(&error))?;
        let path = folder.join("lock");
        if path.symlink_metadata().is_ok_and(|meta| !meta.is_file()) {
            return Err(WriteError::Link(format!("{STORE}/lock")));
        }
        let lock = File::options().read(true).write(true).create(true).truncate(false).open(&path);
        let lock = lock.map_err(|error| record(&error))?;
        let start = Instant::now();
        let named = folder.join("writer");
        loop {
            match lock.try_lock() {
                Ok(()) => break,
                Err(TryLockError::WouldBlock) if start.elapsed() < patience => {
                    std::thread::sleep(Duration::from_millis(10));
                }
                Err(TryLockError::WouldBlock) => {
                    let who = read_regular(&named).ok().and_then(|bytes| String::from_utf8(bytes).ok());
                    let who = who.unwrap_or_else(|| "somebody else".to_owned());
                    return Err(WriteError::Busy { who: who.trim_end().to_owned() });
                }
                Err(TryLockError::Error(error)) => return Err(record(&error)),
            }
        }
        let mut writer = Writer { root: root.to_owned(), disk, lock, cut_off: Vec::new() };
        for path in unnamed(root) {
            let _ = writer.disk.remove(&path);
        }
        let said = format!("`cognomen {who}` (process {})\n", std::process::id());
        writer.put(&named, said.as_bytes()).map_err(|error| record(&error))?;
        // nothing of this is for anybody else
        let ignored = folder.join(".gitignore");
        if ignored.symlink_metadata().is_err() {
            writer.put(&ignored, b"*\n").map_err(|error| record(&error))?;
        }
        writer.recover(bounds);
        Ok(writer)
    }

    /// Whether an earlier run may have been cut off below a folder, or another one is writing.
    pub fn is_open(root: &Path) -> bool {
        folders(root).iter().any(|(_, folder)| folder.join(DONE).symlink_metadata().is_err())
            || !unnamed(root).is_empty()
    }

    /// Writes a small file of our own, whole or not at all.
    fn put(&self, path: &Path, bytes: &[u8]) -> std::io::Result<()> {
        let new = path.with_extension("new");
        if new.symlink_metadata().is_ok() {
            self.disk.remove(&new)?;
        }
        self.disk.write_new(&new, bytes, None, false)?;
        self.disk.rename(&new, path)
    }

    /// Remembers something under a name, in the folder for what a workspace remembers.
    ///
    /// # Errors
    /// The system refuses.
    pub fn remember(&self, name: &str, bytes: &[u8]) -> Result<(), WriteError> {
        let path = store(&self.root).join(name);
        let folder = path.parent().filter(|folder| *folder != store(&self.root));
        let made = folder.map_or(Ok(()), |folder| self.disk.make_folder(folder));
        made.and_then(|()| self.put(&path, bytes))
            .map_err(|error| WriteError::Record { path: format!("{STORE}/{name}"), reason: error.to_string() })
    }

    /// Forgets what was remembered under a name.
    pub fn forget(&self, name: &str) {
        let _ = self.disk.remove(&store(&self.root).join(name));
    }

    /// What is remembered under a name.
    pub fn remembered(root: &Path, name: &str) -> Option<Vec<u8>> {
        read_regular(&store(root).join(name)).ok()
    }

    /// The changes that can be taken back, and those that can be brought again.
    pub fn steps(root: &Path) -> Steps {
        let done = folders(root).into_iter().filter_map(|(number, folder)| Some((number, Entry::read(&folder, DONE)?)));
        Steps::of(done)
    }

    /// How a change is taken back, or brought again.
    ///
    /// # Errors
    /// Its record cannot be read.
    pub fn recorded(root: &Path, number: u64) -> std::io::Result<Recorded> {
        let folder = changes(root).join(format!("{number:06}"));
        let entry = Entry::read(&folder, DONE).ok_or_else(|| std::io::Error::other("its record cannot be read"))?;
        entry.recorded(root)
    }

    /// Finishes what was decided, and takes away what was not.
    fn recover(&mut self, bounds: &Bounds) {
        for (number, folder) in folders(&self.root) {
            let has = |name: &str| folder.join(name).symlink_metadata().is_ok();
            if has(DONE) {
                continue;
            }
            if !has(DECIDED) {
                let _ = Entry::forget(&folder, &*self.disk);
                continue;
            }
            let Some(entry) = Entry::read(&folder, DECIDED) else {
                // what it holds may be needed
                let aside = store(&self.root).join(format!("unreadable-{number}"));
                let _ = self.disk.rename(&folder, &aside);
                let now = "its record cannot be read, and lies beside the others under `.cognomen`";
                self.cut_off.push(CutOff { what: "a change".to_owned(), now });
                continue;
            };
            let what = entry.journal.what.clone();
            let narrower = Bounds { allowed: entry.journal.allowed.clone(), never: bounds.never.clone() };
            let bounds = if bounds.allowed.is_empty() { &narrower } else { bounds };
            let now = match entry.forward(&self.root, bounds, &*self.disk) {
                Ok(()) => match self.finish(&entry) {
                    Ok(()) => "it is finished now",
                    Err(_) => "it is finished now, but cannot be recorded",
                },
                Err(_) => match entry.back(&self.root, bounds, &*self.disk) {
                    Ok(()) => {
                        let _ = Entry::forget(&folder, &*self.disk);
                        "a file of it was changed since, so the rest is taken back"
                    }
                    Err(_) => "it can be neither finished nor taken back now; the next start tries again",
                },
            };
            self.cut_off.push(CutOff { what, now });
        }
    }

    /// Makes a change whole, or not at all.
    ///
    /// # Errors
    /// It cannot be written; then everything is as it was.
    pub fn commit(
        &self,
        change_set: &ChangeSet,
        bounds: &Bounds,
        what: &str,
        keep: Keep,
    ) -> Result<Written, WriteError> {
        let ready = change_set.ready(&self.root, bounds)?;
        let paths = change_set.files.iter().map(|change| change.path().to_owned()).collect();
        if ready.steps.is_empty() {
            return Ok(Written { paths });
        }
        let entry = self.write_down(&ready, what, keep)?;
        let undone = |error: WriteError| match entry.back(&self.root, bounds, &*self.disk) {
            Ok(()) => {
                let _ = Entry::forget(&entry.folder, &*self.disk);
                error
            }
            Err(_) => match error {
                WriteError::System { path, reason, .. } => {
                    WriteError::System { path, reason, done: "the next start finishes the change or takes it back" }
                }
                error => error,
            },
        };
        if let Err(error) = entry.forward(&self.root, bounds, &*self.disk) {
            return Err(undone(match error.astray {
                true => WriteError::Changed(error.path),
                false => WriteError::System { path: error.path, reason: error.reason, done: "nothing was written" },
            }));
        }
        if let Err(error) = self.finish(&entry) {
            // everything is in its place; that it was done is cleared away by the next start
            if !entry.journal.undoable {
                return Ok(Written { paths });
            }
            let path = STORE.to_owned();
            return Err(undone(WriteError::Record { path, reason: error.to_string() }));
        }
        Ok(Written { paths })
    }

    /// Writes a change down, up to the point where it is decided.
    fn write_down(&self, ready: &Ready<'_>, what: &str, keep: Keep) -> Result<Entry, WriteError> {
        let number = folders(&self.root).last().map_or(1, |(number, _)| number + 1);
        let folder = changes(&self.root).join(format!("{number:06}"));
        let record = |error: std::io::Error| WriteError::Record { path: STORE.to_owned(), reason: error.to_string() };
        let mut entry = Entry {
            folder: folder.clone(),
            journal: Journal {
                format: 1,
                what: what.to_owned(),
                steps: Vec::new(),
                folders: Vec::new(),
                undoable: keep.lasts(),
                allowed: ready.bounds.allowed.clone(),
                takes_back: match keep {
                    Keep::TakesBack(number) => Some(number),
                    Keep::ForUndo | Keep::Nothing => None,
                },
            },
        };
        let prepared = self
            .disk
            .make_folder(&changes(&self.root))
            .and_then(|()| self.disk.make_folder(&folder))
            .map_err(record)
            .and_then(|()| self.prepare(ready, &mut entry, keep.lasts()));
        let decided = prepared.and_then(|()| {
            let text = serde_json::to_vec(&entry.journal).map_err(|error| record(error.into()))?;
            let (new, decided) = (folder.join("journal.new"), folder.join(DECIDED));
            self.disk.write_new(&new, &text, None, keep.lasts()).map_err(record)?;
            self.disk.rename(&new, &decided).map_err(record)?;
            if keep.lasts() {
                self.disk.settle(&folder);
                self.disk.settle(&changes(&self.root));
            }
            Ok(())
        });
        decided.inspect_err(|_| {
            let _ = Entry::forget(&folder, &*self.disk);
        })?;
        Ok(entry)
    }

    /// Puts old and new contents into the folder of a change.
    fn prepare(&self, ready: &Ready<'_>, entry: &mut Entry, lasting: bool) -> Result<(), WriteError> {
        let mut made: BTreeSet<String> = BTreeSet::new();
        for (nth, step) in ready.steps.iter().enumerate() {
            let goal = match step {
                Step::Put { path, .. } | Step::Take { path, .. } => path,
                Step::Move { to, .. } => to,
            };
            let fail = |error: std::io::Error| super::system(goal.as_str(), &error);
            entry.journal.steps.push(match step {
                Step::Put { path, before, bytes } => {
                    let target = ready.bounds.confined(&ready.root, path)?;
                    if let Some(seen) = before {
                        let source = entry.source(ready, nth, &target);
                        let now = read_regular(&source).map_err(fail)?;
                        if Stamp::of(&now) != *seen {
                            return Err(WriteError::Changed(path.to_string()));
                        }
                        self.disk.write_new(&entry.old(nth), &now, Some(&source), lasting).map_err(fail)?;
                    }
                    let like = before.is_some().then_some(target.as_path());
                    self.disk.write_new(&entry.new_content(nth), bytes, like, lasting).map_err(fail)?;
                    let before = before.as_ref().map(Stamp::word);
                    Noted::Put { path: path.to_string(), before, after: Stamp::of(bytes).word() }
                }
                Step::Take { path, before } => Noted::Take { path: path.to_string(), before: before.word() },
                Step::Move { from, to } => Noted::Move { from: from.to_string(), to: to.to_string() },
            });
            // folders on the way that are not there yet, and that no folder that goes there brings along
            for (at, _) in goal.as_str().match_indices('/') {
                let folder = goal.as_str().get(..at).unwrap_or_default();
                let comes = ready.steps.iter().any(|step| match step {
                    Step::Move { to, .. } => folder == to.as_str() || folder.starts_with(&format!("{to}/")),
                    _ => false,
                });
                if !comes && ready.root.join(folder).symlink_metadata().is_err() {
                    made.insert(folder.to_owned());
                }
            }
        }
        entry.journal.folders = made.into_iter().collect();
        Ok(())
    }

    /// Lets a change be done: the last one, where it can be taken back.
    fn finish(&self, entry: &Entry) -> std::io::Result<()> {
        if !entry.journal.undoable {
            return Entry::forget(&entry.folder, &*self.disk);
        }
        self.disk.rename(&entry.folder.join(DECIDED), &entry.folder.join(DONE))?;
        // of the changes before it, the newest can still be taken back
        let mut bytes = 0;
        for (nth, (_, folder)) in folders(&self.root).into_iter().rev().enumerate() {
            bytes += size(&folder);
            let kept = folder == entry.folder || (nth < KEPT && bytes <= KEPT_BYTES);
            if !kept && folder.join(DONE).symlink_metadata().is_ok() {
                let _ = Entry::forget(&folder, &*self.disk);
            }
        }
        Ok(())
    }

    /// Takes the folder for what is remembered away, where nobody is to find one: in a build.
    pub fn leave_nothing(self) {
        let folder = store(&self.root);
        drop(self.lock);
        for name in ["lock", "writer", ".gitignore"] {
            let _ = self.disk.remove(&folder.join(name));
        }
        let _ = self.disk.remove_folder(&folder.join("changes"));
        let _ = self.disk.remove_folder(&folder);
    }
}

impl Entry {
    /// Where the old content of a step is read: where it stands, or where the file or its folder stands that goes there
    /// first.
    fn source(&self, ready: &Ready<'_>, nth: usize, target: &Path) -> PathBuf {
        let Some(Step::Put { path, .. }) = ready.steps.get(nth) else { return target.to_owned() };
        let moved = ready.steps.iter().take(nth).find_map(|step| match step {
            Step::Move { from, to } => super::moved_from(path.as_str(), from.as_str(), to.as_str()),
            _ => None,
        });
        moved.map_or_else(|| target.to_owned(), |path| ready.root.join(path))
    }
}
