//! One run: streams, the workspace that is looked for, stage timings, progress, and what was written.

use std::io::Write;
use std::mem::ManuallyDrop;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError, mpsc};
use std::time::{Duration, Instant};

use anyhow::anyhow;
use cognomen_core::{
    ACCEPTED_FILE, Address, Archives, Bounds, Catalog, ChangeSet, Disk, Document, EDITIONS, FileId, FolderSource,
    Format, Keep, NOTES_FILE, Names, Place, RealDisk, Source, TRANSLATIONS_FILE, WORKSPACE_FILE, World, WriteError,
    Writer, read_workspace_file,
};

use crate::answers::{ErrorAnswer, ErrorSaid, Numbered, One};
use crate::args::Global;
use crate::commands::{BUILDING, Failure};
use crate::output::{ERROR, FAINT, clean, few, json, paint, visible};
use crate::written::commit;

/// The streams and the folder of one run.
pub struct Session {
    folder: PathBuf,
    out: Box<dyn Write>,
    err: Box<dyn Write>,
    watched: bool,
    stages: Vec<(String, Duration)>,
    disk: Arc<dyn Disk>,
    /// Why a part of the answer was not written.
    unwritten: Option<std::io::Error>,
}

/// An opened workspace.
pub(crate) struct Opened {
    pub(crate) root: PathBuf,
    pub(crate) source: Archives<FolderSource>,
    /// Not taken apart at the end of a run, which frees its memory at once: that costs a tenth of a look's time.
    pub(crate) world: ManuallyDrop<World>,
    /// The right to write, which nobody else has meanwhile.
    writer: Option<Writer>,
}

impl Session {
    /// A run in a folder. `watched`: a person reads `err` as it is written.
    pub fn new(folder: PathBuf, out: Box<dyn Write>, err: Box<dyn Write>, watched: bool) -> Session {
        Session { folder, out, err, watched, stages: Vec::new(), disk: Arc::new(RealDisk), unwritten: None }
    }

    /// This run, writing to another disk: one that fails, for trials.
    pub fn on_disk(mut self, disk: Arc<dyn Disk>) -> Session {
        self.disk = disk;
        self
    }

    pub(crate) fn disk(&self) -> Arc<dyn Disk> {
        self.disk.clone()
    }

    pub(crate) fn folder(&self) -> &Path {
        &self.folder
    }

    /// A line of the result.
    pub(crate) fn say(&mut self, line: impl AsRef<str>) {
        let done = writeln!(self.out, "{}", clean(line.as_ref()));
        self.heard(done);
    }

    /// Says which files were written: of many the first.
    pub(crate) fn written<T: AsRef<str>>(&mut self, paths: &[T]) {
        let many = if paths.len() > 6 { format!("{} files: ", paths.len()) } else { String::new() };
        self.say(paint(FAINT, &format!("written: {many}{}", few(paths, 6))));
    }

    /// Remembers why a part of the answer was not written. A reader that is gone is no fault of ours.
    fn heard(&mut self, done: std::io::Result<()>) {
        if let Err(error) = done
            && error.kind() != std::io::ErrorKind::BrokenPipe
        {
            self.unwritten.get_or_insert(error);
        }
    }

    /// A line beside the result.
    pub(crate) fn remark(&mut self, line: impl AsRef<str>) {
        let _ = writeln!(self.err, "{}", clean(line.as_ref()));
    }

    /// An answer for programs.
    pub(crate) fn json<T: serde::Serialize>(&mut self, answer: &T) {
        let text = json(&Numbered { format: One, answer }).unwrap_or_default();
        let done = writeln!(self.out, "{text}");
        self.heard(done);
    }

    /// An answer for programs, on one line.
    pub(crate) fn json_line<T: serde::Serialize>(&mut self, answer: &T) {
        let text = serde_json::to_string(&Numbered { format: One, answer }).unwrap_or_default();
        let done = writeln!(self.out, "{text}");
        self.heard(done);
    }

    /// A clear screen for what comes next, where a person looks at one.
    pub(crate) fn clear_screen(&mut self) {
        use std::io::IsTerminal;
        if self.watched && std::io::stdout().is_terminal() {
            let _ = write!(self.out, "\x1b[2J\x1b[H");
        }
    }

    /// Ends the answer.
    ///
    /// # Errors
    /// It could not be written.
    pub(crate) fn flush(&mut self) -> Result<(), Failure> {
        let done = self.out.flush();
        self.heard(done);
        let _ = self.err.flush();
        self.unwritten.take().map_or(Ok(()), |error| Err(anyhow!("the answer could not be written: {error}").into()))
    }

    pub(crate) fn fail(&mut self, failure: &Failure, global: &Global) {
        let _ = self.out.flush();
        if !global.json() {
            self.remark(format!("{}: {failure}", paint(ERROR, "error")));
            return;
        }
        // that nothing was written is what the exit code says
        let said = failure.to_string().replace("\n  nothing was written", "");
        let (message, help) = said.split_once("\n  help: ").map_or((said.as_str(), None), |(m, h)| (m, Some(h)));
        let one = |text: &str| text.lines().map(str::trim).collect::<Vec<_>>().join("; ");
        let error = ErrorSaid { message: one(message), help: help.map(one), exit: failure.code() };
        let text = json(&Numbered { format: One, answer: &ErrorAnswer { error } }).unwrap_or_default();
        let _ = writeln!(self.err, "{text}");
    }

    /// Runs another command in another folder with the same result stream; for `demo`.
    pub(crate) fn within<T>(&mut self, folder: &Path, work: impl FnOnce(&mut Session) -> T) -> T {
        let own = std::mem::replace(&mut self.folder, folder.to_owned());
        let result = work(self);
        self.folder = own;
        result
    }

    /// Whether questions can be asked: a person sits at both ends.
    pub(crate) fn asks(&self) -> bool {
        use std::io::IsTerminal;
        self.watched && std::io::stdin().is_terminal()
    }

    /// A line that a person types; nothing at the end of what can be read.
    pub(crate) fn answer(&mut self, question: &str) -> Option<String> {
        let _ = write!(self.err, "{}", clean(question));
        let _ = self.err.flush();
        let mut line = String::new();
        let read = std::io::stdin().read_line(&mut line).ok()?;
        let answer = line.trim();
        if !std::io::IsTerminal::is_terminal(&std::io::stdin()) {
            self.remark(answer);
        }
        (read > 0 && !answer.is_empty()).then(|| answer.to_owned())
    }

    pub(crate) fn stage(&mut self, name: impl Into<String>, took: Duration) {
        self.stages.push((name.into(), took));
    }

    /// The stages' times, if they are wanted.
    pub(crate) fn timings(&mut self, global: &Global) {
        if !global.verbose {
            return;
        }
        for (name, took) in std::mem::take(&mut self.stages) {
            self.remark(format!("{:>9.1} ms  {name}", took.as_secs_f64() * 1e3));
        }
        if let Some(kilobytes) = peak_memory() {
            self.remark(format!("{:>9.1} MB  most memory used", kilobytes as f64 / 1e3));
        }
    }

    /// The folder with the workspace file: as told, or the nearest upwards.
    pub(crate) fn root(&self, global: &Global) -> Result<PathBuf, Failure> {
        workspace_at(&self.folder, global.workspace.as_deref()).ok_or_else(|| {
            match &global.workspace {
                Some(folder) => {
                    anyhow!("there is no {WORKSPACE_FILE} in {}", visible(&self.folder.join(folder).to_string_lossy()))
                }
                None => anyhow!(
                    "there is no {WORKSPACE_FILE} here or in a folder above\n  help: `cognomen init` starts a workspace, `cognomen demo` writes one to try"
                ),
            }
            .into()
        })
    }

    /// Reads the workspace, whose rulebook must be readable.
    pub(crate) fn open(&mut self, global: &Global) -> Result<Opened, Failure> {
        known(usable(self.open_any(global)?)?, global)
    }

    /// As [`Session::open`], with the kept editions of the base that mods were made for.
    pub(crate) fn open_with_editions(&mut self, global: &Global) -> Result<Opened, Failure> {
        let mut opened = self.open(global)?;
        opened.take_in_editions(self);
        Ok(opened)
    }

    /// Reads the workspace, whatever its rulebook looks like.
    pub(crate) fn open_any(&mut self, global: &Global) -> Result<Opened, Failure> {
        let root = self.root(global)?;
        if Writer::is_open(&root) || Writer::remembered(&root, BUILDING).is_some() {
            // a reader waits for who is writing, and finishes what was cut off; it can do without either
            match self.lock(&root, "a look") {
                Ok(writer) => drop(writer),
                Err(error) => self.remark(format!("a change is not finished: {error}")),
            }
        }
        self.opened(root, None, global)
    }

    /// As [`Session::open_any`], with the right to write, which nobody else has meanwhile. `who` is what others
    /// are told.
    pub(crate) fn open_to_write(&mut self, global: &Global, who: &str) -> Result<Opened, Failure> {
        known(usable(self.open_broken(global, who, false)?)?, global)
    }

    /// As [`Session::open_for`], whatever the rulebook looks like.
    pub(crate) fn open_broken(&mut self, global: &Global, who: &str, dry_run: bool) -> Result<Opened, Failure> {
        if dry_run {
            return self.open_any(global);
        }
        let root = self.root(global)?;
        let writer = self.lock(&root, who)?;
        self.opened(root, Some(writer), global)
    }

    /// For a command that writes unless only the change is to be shown.
    pub(crate) fn open_for(&mut self, global: &Global, who: &str, dry_run: bool) -> Result<Opened, Failure> {
        if dry_run { self.open(global) } else { self.open_to_write(global, who) }
    }

    fn opened(&mut self, root: PathBuf, writer: Option<Writer>, global: &Global) -> Result<Opened, Failure> {
        let source = Archives::new(FolderSource::new(&root));
        let world = ManuallyDrop::new(self.load(&source, global)?);
        Ok(Opened { root, source, world, writer })
    }

    /// The right to write in a workspace, if nobody has it: for what can be left out.
    pub(crate) fn lock_if_free(&self, root: &Path, who: &str) -> Option<Writer> {
        Writer::lock_if_free(root, who, &all_but_base(root), self.disk()).ok()
    }

    fn cut_off(&mut self, writer: &Writer) {
        for cut in &writer.cut_off {
            self.remark(format!("{}: an earlier run was cut off; {}", visible(&cut.what), cut.now));
        }
    }

    /// Finishes a build into a folder elsewhere that was cut off. What is done there, that folder says itself.
    fn finish_elsewhere(&mut self, root: &Path, writer: &Writer) {
        let Some(folder) = Writer::remembered(root, BUILDING).and_then(|bytes| String::from_utf8(bytes).ok()) else {
            return;
        };
        let folder = PathBuf::from(folder);
        if folder.join(".cognomen").is_dir()
            && !folder.join(WORKSPACE_FILE).exists()
            && let Ok(there) = Writer::lock_if_free(&folder, "build", &all_but_base(root), self.disk())
        {
            self.cut_off(&there);
            there.leave_nothing();
        }
        writer.forget(BUILDING);
    }

    /// Writes into a folder that is no workspace, whole or not at all; nothing of ours is left there but what was
    /// written. Cut off, the next run finishes it or takes it back.
    pub(crate) fn elsewhere(
        &mut self,
        opened: &Opened,
        folder: &Path,
        who: &str,
        bounds: &Bounds,
        work: impl FnOnce(&Writer) -> Result<(), Failure>,
    ) -> Result<(), Failure> {
        let home = opened.writer().ok_or_else(|| anyhow!("nothing was opened to write to"))?;
        if folder == cognomen_core::settled(&opened.root) {
            return work(home);
        }
        home.remember(BUILDING, folder.to_string_lossy().as_bytes())?;
        let writer = Writer::lock(folder, who, bounds, self.disk())?;
        self.cut_off(&writer);
        let done = work(&writer);
        writer.leave_nothing();
        // what could not be cleared away is, by the next run
        if !folder.join(".cognomen").exists() {
            home.forget(BUILDING);
        }
        done
    }

    /// The right to write in a workspace. What an earlier run was cut off in is finished or taken back, and said.
    pub(crate) fn lock(&mut self, root: &Path, who: &str) -> Result<Writer, Failure> {
        let writer = Writer::lock(root, who, &all_but_base(root), self.disk())?;
        self.cut_off(&writer);
        self.finish_elsewhere(root, &writer);
        Ok(writer)
    }

    /// Reads a workspace from a source, with progress when it takes long.
    pub(crate) fn load(&mut self, source: &dyn Source, global: &Global) -> Result<World, Failure> {
        let stages: Arc<Mutex<Vec<(&'static str, Instant)>>> = Arc::default();
        let (done, waits) = mpsc::channel::<()>();
        let shown = (self.watched && !global.quiet).then(|| {
            let stages = stages.clone();
            std::thread::spawn(move || {
                // only what takes long is worth a line
                if waits.recv_timeout(Duration::from_millis(500)).is_err() {
                    let bar = indicatif::ProgressBar::new_spinner();
                    while let Err(mpsc::RecvTimeoutError::Timeout) = waits.recv_timeout(Duration::from_millis(100)) {
                        let stage = stages.lock().unwrap_or_else(PoisonError::into_inner).last().map(|(name, _)| *name);
                        bar.set_message(format!("reading: {}", stage.unwrap_or("")));
                        bar.tick();
                    }
                    bar.finish_and_clear();
                }
            })
        });
        let start = |stage: &'static str| {
            stages.lock().unwrap_or_else(PoisonError::into_inner).push((stage, Instant::now()));
        };
        let world = World::load_watched(source, &start);
        drop(done);
        if let Some(thread) = shown {
            let _ = thread.join();
        }
        let begun = std::mem::take(&mut *stages.lock().unwrap_or_else(PoisonError::into_inner));
        let ends = begun.iter().skip(1).map(|(_, at)| *at).chain([Instant::now()]);
        let took: Vec<_> = begun.iter().zip(ends).map(|((name, at), end)| ((*name).to_owned(), end - *at)).collect();
        self.stages.extend(took);
        Ok(world.map_err(anyhow::Error::from)?)
    }
}

impl Opened {
    /// Takes it apart, where a run goes on without it.
    pub(crate) fn free(self) {
        drop(ManuallyDrop::into_inner(self.world));
    }

    pub(crate) fn catalog(&self) -> &Catalog {
        self.world.catalog()
    }

    /// Where the lowest layer defines an address.
    pub(crate) fn definition_place(&self, address: Address) -> Option<Place> {
        let (_, definition) = self.catalog().stack(address).last()?;
        let node = self.catalog().node(definition.at());
        Some(Place { file: definition.file, span: node.key_span() })
    }

    /// Carries a change out, or only makes sure that it could be, where it is just to be shown.
    pub(crate) fn carry_out(&self, changes: &ChangeSet, what: &str, dry_run: bool) -> Result<(), Failure> {
        let bounds = self.bounds();
        if dry_run {
            return Ok(changes.rehearse(&self.root, &bounds)?);
        }
        let writer = self.writer.as_ref().ok_or_else(|| anyhow!("nothing was opened to write to"))?;
        commit(writer, changes, &bounds, what, Keep::ForUndo)
    }

    /// Where a workspace's own files and those of its mods lie: all that is ever written to, but for builds.
    pub(crate) fn bounds(&self) -> Bounds {
        let workspace = self.catalog().workspace();
        let own = [workspace.mods.as_str(), WORKSPACE_FILE, ACCEPTED_FILE, NOTES_FILE, TRANSLATIONS_FILE, EDITIONS];
        Bounds { allowed: own.map(str::to_owned).to_vec(), never: self.bases() }
    }

    /// Where the base lies.
    pub(crate) fn bases(&self) -> Vec<PathBuf> {
        self.catalog().workspace().base.iter().map(|base| self.root.join(base)).collect()
    }

    /// Takes the right to write, for what was opened without.
    pub(crate) fn take_lock(&mut self, session: &mut Session, who: &str) -> Result<(), Failure> {
        self.writer = Some(session.lock(&self.root, who)?);
        Ok(())
    }

    /// The right to write, where it is held.
    pub(crate) fn writer(&self) -> Option<&Writer> {
        self.writer.as_ref()
    }

    /// Gives the right to write back.
    pub(crate) fn give_up_lock(&mut self) {
        self.writer = None;
    }

    /// Reads the kept editions of the base that mods were made for.
    pub(crate) fn take_in_editions(&mut self, session: &mut Session) {
        let start = Instant::now();
        self.world.take_in_editions(&self.source);
        if !self.catalog().workspace().editions.is_empty() {
            session.stage("editions", start.elapsed());
        }
    }

    /// A folder or archive as typed, seen from the workspace.
    pub(crate) fn place(&self, typed: &Path, session: &Session) -> Result<String, Failure> {
        let full = session.folder().join(typed);
        if !full.exists() {
            let shown = typed.to_string_lossy();
            return Err(anyhow!("there is no folder or archive `{}`", visible(&shown)).into());
        }
        let absolute = |path: &Path| std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
        let (full, root) = (absolute(&full), absolute(&self.root));
        let path = full.strip_prefix(&root).unwrap_or(&full);
        Ok(path.to_string_lossy().replace('\\', "/").trim_end_matches('/').to_owned())
    }
}

/// Refuses a mod that is not there, whatever a command does with it.
fn known(opened: Opened, global: &Global) -> Result<Opened, Failure> {
    if let Some(id) = global.edited.as_deref().filter(|id| !opened.catalog().is_unloaded(id)) {
        opened.layer(id)?;
    }
    Ok(opened)
}

/// Refuses a workspace whose rulebook cannot be read.
pub(crate) fn usable(opened: Opened) -> Result<Opened, Failure> {
    match opened.catalog().rulebook().is_broken() {
        true => Err(anyhow!("the rulebook cannot be read\n  help: `cognomen check` says where").into()),
        false => Ok(opened),
    }
}

/// Where a change that was cut off may be finished: anywhere but in the base, as the workspace file names it, before
/// anything else is read.
fn all_but_base(root: &Path) -> Bounds {
    let text = FolderSource::new(root).read(WORKSPACE_FILE).ok().and_then(|bytes| String::from_utf8(bytes).ok());
    let names = Names::new();
    let document = text.map(|text| Document::parse(FileId::default(), Format::Toml, text.into(), &names));
    let base = document.map(|document| read_workspace_file(&document, &names, &mut Vec::new()).base);
    let never = base.unwrap_or_default().into_iter().map(|base| root.join(base)).collect();
    Bounds { allowed: Vec::new(), never }
}

/// The most memory this process used, in kB, where the system says.
fn peak_memory() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"))?;
    line.trim().trim_end_matches(" kB").trim().parse().ok()
}

impl From<WriteError> for Failure {
    fn from(error: WriteError) -> Failure {
        match error {
            WriteError::Formula { .. } => {
                anyhow!("{error}\n  help: `set --over-formula` puts the value in its place").into()
            }
            other => anyhow::Error::from(other).into(),
        }
    }
}

/// The folder with the workspace file: the one that is told, or that the told file lies in, or the nearest upwards.
pub(crate) fn workspace_at(folder: &Path, told: Option<&Path>) -> Option<PathBuf> {
    let Some(told) = told else {
        return folder.ancestors().find(|folder| folder.join(WORKSPACE_FILE).is_file()).map(Path::to_owned);
    };
    let told = folder.join(told);
    // its file is as good as the folder
    let is_file = told.is_file() && told.file_name().is_some_and(|name| name == WORKSPACE_FILE);
    let told = told.parent().filter(|_| is_file).map_or(told.clone(), Path::to_owned);
    told.join(WORKSPACE_FILE).is_file().then_some(told)
}
