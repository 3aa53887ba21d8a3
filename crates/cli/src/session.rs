//! One run: streams, the workspace that is looked for, stage timings, progress, and what was written.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError, mpsc};
use std::time::{Duration, Instant};

use anyhow::anyhow;
use cognomen_core::{
    ACCEPTED_FILE, Address, Archives, Catalog, ChangeSet, EDITIONS, FolderSource, KindId, LayerId, NOTES_FILE, Place,
    Source, WORKSPACE_FILE, World, WriteError, Written, nearest,
};

use crate::args::Global;
use crate::commands::Failure;
use crate::output::{ERROR, paint, visible};

/// Files written by this process, for the panic hook.
static WRITTEN: Mutex<Vec<String>> = Mutex::new(Vec::new());

/// Says on a panic what was written and what was not.
pub fn install_panic_hook() {
    std::panic::set_hook(Box::new(|panic| {
        let written = WRITTEN.lock().unwrap_or_else(PoisonError::into_inner);
        let place = panic.location().map(|place| format!(" at {}:{}", place.file(), place.line())).unwrap_or_default();
        let reason = panic.payload().downcast_ref::<&str>().map(|text| (*text).to_owned());
        let reason = reason.or_else(|| panic.payload().downcast_ref::<String>().cloned()).unwrap_or_default();
        eprintln!("cognomen stopped because of a fault of its own{place}: {reason}");
        match written.as_slice() {
            [] => eprintln!("Nothing was written."),
            files => eprintln!("Written completely before that: {}. Nothing else was written.", files.join(", ")),
        }
        eprintln!("Please report this, with the command and the file that was read.");
    }));
}

/// The streams and the folder of one run.
pub struct Session {
    folder: PathBuf,
    out: Box<dyn Write>,
    err: Box<dyn Write>,
    watched: bool,
    stages: Vec<(String, Duration)>,
}

/// An opened workspace.
pub(crate) struct Opened {
    pub(crate) root: PathBuf,
    pub(crate) source: Archives<FolderSource>,
    pub(crate) world: World,
}

impl Session {
    /// A run in a folder. `watched`: a person reads `err` as it is written.
    pub fn new(folder: PathBuf, out: Box<dyn Write>, err: Box<dyn Write>, watched: bool) -> Session {
        Session { folder, out, err, watched, stages: Vec::new() }
    }

    pub(crate) fn folder(&self) -> &Path {
        &self.folder
    }

    /// A line of the result. A reader that is gone is no fault of ours.
    pub(crate) fn say(&mut self, line: impl AsRef<str>) {
        let _ = writeln!(self.out, "{}", line.as_ref());
    }

    /// A line beside the result.
    pub(crate) fn remark(&mut self, line: impl AsRef<str>) {
        let _ = writeln!(self.err, "{}", line.as_ref());
    }

    pub(crate) fn json(&mut self, value: &serde_json::Value) {
        let text = serde_json::to_string_pretty(value).unwrap_or_default();
        self.say(text);
    }

    pub(crate) fn flush(&mut self) {
        let _ = self.out.flush();
        let _ = self.err.flush();
    }

    pub(crate) fn fail(&mut self, failure: &Failure) {
        let _ = self.out.flush();
        self.remark(format!("{}: {failure}", paint(ERROR, "error")));
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
        let _ = write!(self.err, "{question}");
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
        if let Some(folder) = &global.workspace {
            let folder = self.folder.join(folder);
            return match folder.join(WORKSPACE_FILE).is_file() {
                true => Ok(folder),
                false => Err(anyhow!("there is no {WORKSPACE_FILE} in {}", visible(&folder.to_string_lossy())).into()),
            };
        }
        let found = self.folder.ancestors().find(|folder| folder.join(WORKSPACE_FILE).is_file());
        found.map(Path::to_owned).ok_or_else(|| {
            anyhow!(
                "there is no {WORKSPACE_FILE} here or in a folder above\n  help: `cognomen init` starts a workspace, `cognomen demo` writes one to try"
            )
            .into()
        })
    }

    /// Reads the workspace, whose rulebook must be readable.
    pub(crate) fn open(&mut self, global: &Global) -> Result<Opened, Failure> {
        let opened = self.open_any(global)?;
        if opened.catalog().rulebook().is_broken() {
            return Err(anyhow!("the rulebook cannot be read\n  help: `cognomen check` says where").into());
        }
        Ok(opened)
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
        let source = Archives::new(FolderSource::new(&root));
        let world = self.load(&source, global)?;
        Ok(Opened { root, source, world })
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
    pub(crate) fn catalog(&self) -> &Catalog {
        self.world.catalog()
    }

    /// The mod that is edited: as told, else as the workspace file says.
    pub(crate) fn edited(&self, global: &Global) -> Result<LayerId, Failure> {
        let workspace = self.catalog().workspace();
        match (&global.edited, &workspace.edit) {
            (Some(id), _) | (None, Some((id, _))) => self.layer(id),
            (None, None) => Err(Failure::Usage(format!(
                "which mod is meant? Say `--mod ID`, or name it under `edit` in {WORKSPACE_FILE}"
            ))),
        }
    }

    /// A layer by its id.
    pub(crate) fn layer(&self, id: &str) -> Result<LayerId, Failure> {
        let catalog = self.catalog();
        catalog.layer_named(id).ok_or_else(|| {
            let near = nearest(id, catalog.layers().map(|(_, layer)| layer.id.as_str()));
            let help = match near {
                Some(near) => format!("the nearest one is `{near}`"),
                None => "`cognomen mods` lists them".to_owned(),
            };
            anyhow!("there is no mod `{}` here\n  help: {help}", visible(id)).into()
        })
    }

    /// A kind by its name.
    pub(crate) fn kind(&self, name: &str) -> Result<KindId, Failure> {
        let rulebook = self.catalog().rulebook();
        rulebook.kind_named(name).ok_or_else(|| {
            let near = nearest(name, rulebook.kinds().map(|(_, kind)| kind.name()));
            let help = match near {
                Some(near) => format!("the nearest one is `{near}`"),
                None => "`cognomen kinds` lists them".to_owned(),
            };
            anyhow!("there is no kind `{}`\n  help: {help}", visible(name)).into()
        })
    }

    /// Kind and id of an address as typed; an id alone is enough where only one kind has it.
    pub(crate) fn named(&self, text: &str) -> Result<(KindId, String), Failure> {
        if let Some((kind, id)) = text.split_once('/')
            && let Some(kind) = self.catalog().rulebook().kind_named(kind)
        {
            return Ok((kind, id.to_owned()));
        }
        let catalog = self.catalog();
        let kinds = catalog.rulebook().kinds().map(|(kind, _)| kind);
        let there = |kind: &KindId| catalog.address(*kind, text).is_some_and(|a| catalog.stack(a).next().is_some());
        let found: Vec<KindId> = kinds.filter(there).collect();
        match found.as_slice() {
            [kind] => Ok((*kind, text.to_owned())),
            [] if text.contains('/') => {
                self.kind(text.split('/').next().unwrap_or(""))?;
                Err(anyhow!("there is no definition `{}`", visible(text)).into())
            }
            [] => {
                let ids: Vec<String> = catalog.addresses().into_iter().map(|a| catalog.show_address(a)).collect();
                let bare = ids.iter().map(|id| id.split_once('/').map_or(id.as_str(), |(_, id)| id));
                let near = nearest(text, bare).and_then(|near| ids.iter().find(|id| id.ends_with(&format!("/{near}"))));
                let help = match near {
                    Some(near) => format!("the nearest known one is `{near}`"),
                    None => format!("`cognomen find {}` looks everywhere", visible(text)),
                };
                Err(anyhow!("there is no definition `{}`\n  help: {help}", visible(text)).into())
            }
            several => {
                let all = several.iter().map(|kind| format!("`{}/{text}`", catalog.rulebook().kind(*kind).name()));
                let all: Vec<_> = all.collect();
                Err(anyhow!("`{}` is the id of several definitions: {}", visible(text), all.join(", ")).into())
            }
        }
    }

    /// The address of a definition that is there.
    pub(crate) fn address(&self, text: &str) -> Result<Address, Failure> {
        let catalog = self.catalog();
        let (kind, id) = self.named(text)?;
        let address = catalog.address(kind, &id).filter(|address| catalog.stack(*address).next().is_some());
        address.ok_or_else(|| {
            let name = catalog.rulebook().kind(kind).name();
            let ids: Vec<String> = catalog.addresses().into_iter().map(|a| catalog.show_address(a)).collect();
            let own = ids.iter().filter_map(|shown| shown.strip_prefix(&format!("{name}/")));
            let help = match nearest(&id, own) {
                Some(near) => format!("the nearest known one is `{name}/{near}`"),
                None => format!("`cognomen find {}` looks everywhere", visible(&id)),
            };
            anyhow!("there is no {name} `{}`\n  help: {help}", visible(&id)).into()
        })
    }

    /// Where the lowest layer defines an address.
    pub(crate) fn definition_place(&self, address: Address) -> Option<Place> {
        let (_, definition) = self.catalog().stack(address).last()?;
        let node = self.catalog().node(definition.at());
        Some(Place { file: definition.file, span: node.key_span() })
    }

    /// Writes a change set below the mods' folder, and remembers how it is taken back.
    pub(crate) fn write(&self, changes: &ChangeSet, what: &str) -> Result<(), Failure> {
        let mods = self.catalog().workspace().mods.as_str();
        let written = write(&self.root, changes, &[mods])?;
        crate::record::wrote(&self.root, changes, &written, what);
        Ok(())
    }

    /// Whether a change set could be written, as far as workbooks go.
    pub(crate) fn rehearse(&self, changes: &ChangeSet) -> Result<(), Failure> {
        Ok(changes.rehearse(&self.root, &[&self.catalog().workspace().mods]).map_err(refused)?)
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

    /// As [`Opened::write`], the workspace's own files included.
    pub(crate) fn write_beside(&self, changes: &ChangeSet, what: &str) -> Result<(), Failure> {
        let written = write(&self.root, changes, &self.writable())?;
        crate::record::wrote(&self.root, changes, &written, what);
        Ok(())
    }

    /// The mods' folder, the workspace's own files and the editions that are kept.
    pub(crate) fn writable(&self) -> Vec<&str> {
        vec![self.catalog().workspace().mods.as_str(), WORKSPACE_FILE, ACCEPTED_FILE, NOTES_FILE, EDITIONS]
    }
}

/// The most memory this process used, in kB, where the system says.
fn peak_memory() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"))?;
    line.trim().trim_end_matches(" kB").trim().parse().ok()
}

fn refused(error: WriteError) -> anyhow::Error {
    match error {
        WriteError::Formula { .. } => anyhow!("{error}\n  help: `set --over-formula` puts the value in its place"),
        other => other.into(),
    }
}

/// Writes a change set below some folders of a root.
pub(crate) fn write(root: &Path, changes: &ChangeSet, allowed: &[&str]) -> Result<Written, Failure> {
    let written = changes.write(root, allowed).map_err(refused)?;
    WRITTEN.lock().unwrap_or_else(PoisonError::into_inner).extend(written.paths.iter().cloned());
    Ok(written)
}
