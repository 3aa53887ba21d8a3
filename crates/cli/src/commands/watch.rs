//! `watch`: checks, builds and installs again whenever a file changes.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::time::{Duration, Instant};

use anyhow::anyhow;
use cognomen_core::{
    ACCEPTED_FILE, Finding, FolderSource, LayerId, NOTES_FILE, Said, Severity, Source, WORKSPACE_FILE, slashed,
};
use notify::{Config, PollWatcher, RecursiveMode, Watcher};

use super::build::build_now;
use super::install::install_now;
use super::{Done, Failure};
use crate::answers::{FindingAnswer, WatchAnswer};
use crate::args::Global;
use crate::output::{
    CHANGE, ERROR, FAINT, GOOD, Places, count, few, finding_answer, paint, severity_style, summary, visible,
};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen watch                       check the mod that is edited whenever a file changes
  cognomen watch --build               and write what the game reads
  cognomen watch --install             and put it into the game, as long as it has no errors
  cognomen watch --format json         a line for each change, for editors and scripts

Only files that changed are read again. What is told is what is new and what is gone since the last change; Ctrl-C ends
it.")]
pub(crate) struct WatchArgs {
    /// Build after each change
    #[arg(long)]
    build: bool,
    /// Install after each change, as long as there are no errors
    #[arg(long)]
    install: bool,
    /// Look at the files every so many milliseconds, where the system does not say what changes (network drives)
    #[arg(long, value_name = "MS")]
    poll: Option<u64>,
}

/// Nothing is done before files have been left alone for so long.
const QUIET: Duration = Duration::from_millis(30);
/// But no longer than this after the first change.
const PATIENCE: Duration = Duration::from_millis(1500);
/// A file that is gone or broken now may be in the middle of being written.
const MOMENT: Duration = Duration::from_millis(150);

/// What is told of at most, of each sort.
const SHOWN: usize = 12;

pub(crate) fn watch(args: &WatchArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let mut opened = session.open_with_editions(global)?;
    let chosen = global.edited.is_some() || opened.catalog().workspace().edit.is_some();
    if !chosen && (args.build || args.install) {
        opened.edited(global)?;
    }
    let (send, changes) = channel();
    let _watcher = looking(args, &opened, send)?;
    let mut watch = Watch { args, global, last: None, behind: false };
    watch.round(&mut opened, Vec::new(), session);
    if !global.json() {
        session.remark(paint(FAINT, "waiting for changes; Ctrl-C ends it"));
    }
    loop {
        let Some(paths) = next_changes(&changes) else { return Ok(Done::Well) };
        let Some(changed) = watch.taken_in(&mut opened, &paths, session) else { continue };
        watch.round(&mut opened, changed, session);
    }
}

/// What came of a change: paths, or that some were missed.
type Change = Result<Vec<PathBuf>, ()>;

/// Begins to look at the files.
fn looking(args: &WatchArgs, opened: &Opened, send: Sender<Change>) -> Result<Box<dyn Watcher>, Failure> {
    let heard = move |event: notify::Result<notify::Event>| {
        let change = match event {
            Ok(event) if event.need_rescan() => Err(()),
            Ok(event) if event.kind.is_access() => return,
            Ok(event) => Ok(event.paths),
            Err(_) => Err(()),
        };
        let _ = send.send(change);
    };
    let said = |error: notify::Error| {
        anyhow!("the files cannot be watched: {error}\n  help: `--poll 1000` looks at them every second")
    };
    let mut watcher: Box<dyn Watcher> = match args.poll {
        Some(every) => {
            let config = Config::default().with_poll_interval(Duration::from_millis(every.max(50)));
            Box::new(PollWatcher::new(heard, config.with_compare_contents(true)).map_err(said)?)
        }
        None => Box::new(notify::recommended_watcher(heard).map_err(said)?),
    };
    watcher.watch(&opened.root, RecursiveMode::NonRecursive).map_err(said)?;
    for folder in watched(opened).map(|folder| opened.root.join(folder)).filter(|folder| folder.exists()) {
        watcher.watch(&folder, RecursiveMode::Recursive).map_err(said)?;
    }
    Ok(watcher)
}

/// The folders whose files count, as the workspace file names them.
fn watched(opened: &Opened) -> impl Iterator<Item = &str> {
    let workspace = opened.catalog().workspace();
    let folders = [&workspace.mods, &workspace.rulebook].into_iter().chain(&workspace.base);
    folders.map(|folder| folder.trim_end_matches('/'))
}

/// The paths that changed, once they have been left alone; all of them where some were missed. None when nobody watches
/// any more.
fn next_changes(changes: &Receiver<Change>) -> Option<Result<BTreeSet<PathBuf>, ()>> {
    let mut out = Ok(BTreeSet::new());
    let add = |change: Change, out: &mut Result<BTreeSet<PathBuf>, ()>| match (change, out) {
        (Ok(paths), Ok(all)) => all.extend(paths),
        (_, out) => *out = Err(()),
    };
    add(changes.recv().ok()?, &mut out);
    let start = Instant::now();
    while start.elapsed() < PATIENCE {
        match changes.recv_timeout(QUIET) {
            Ok(change) => add(change, &mut out),
            Err(RecvTimeoutError::Timeout) => break,
            Err(RecvTimeoutError::Disconnected) => return None,
        }
    }
    Some(out)
}

/// A finding as it is told apart from others, wherever lines have gone.
type Told = (Severity, String, String, Said);

struct Watch<'a> {
    args: &'a WatchArgs,
    global: &'a Global,
    /// The findings of the last round, each with how many there were and how it was told.
    last: Option<BTreeMap<Told, (usize, FindingAnswer)>>,
    /// Whether what is on disk could not be read the last time.
    behind: bool,
}

impl Watch<'_> {
    /// Takes in what changed; the paths of it, or nothing where nothing of ours did.
    fn taken_in(
        &mut self,
        opened: &mut Opened,
        paths: &Result<BTreeSet<PathBuf>, ()>,
        session: &mut Session,
    ) -> Option<Vec<String>> {
        let Ok(paths) = paths else { return self.anew(opened, vec!["everything".to_owned()], session) };
        let mut changed = Vec::new();
        for path in paths {
            if let Some(path) = self.ours(opened, path) {
                changed.push(path);
            }
        }
        if changed.is_empty() {
            return None;
        }
        for again in [true, false] {
            let (mut texts, mut anew, mut broken) = (Vec::new(), false, false);
            let mut differ = Vec::new();
            for path in &changed {
                let now = std::fs::read(opened.root.join(path)).ok();
                let file = opened.catalog().file_named(path);
                let document = file.and_then(|file| opened.catalog().document(file));
                match (now.map(String::from_utf8), file, document) {
                    (Some(Ok(now)), Some(file), Some(document)) => {
                        let text = now.trim_start_matches('\u{feff}');
                        if text == document.text().trim_start_matches('\u{feff}') {
                            continue;
                        }
                        broken |= text.is_empty() || (!document.is_broken() && !opened.catalog().can_read(file, &now));
                        texts.push((file, Arc::from(now.as_str())));
                    }
                    // a folder that came, or went, with all that is in it
                    (None, None, _) if folder_differs(opened, path) => anew = true,
                    // neither there before nor now: somebody's passing file
                    (None, None, _) => continue,
                    (gone, known, _) => {
                        broken |= gone.is_none() && known.is_some();
                        anew = true;
                    }
                }
                differ.push(path.clone());
            }
            if differ.is_empty() {
                return None;
            }
            if broken && again {
                std::thread::sleep(MOMENT);
                continue;
            }
            if !anew && !self.behind && opened.world.retake(&texts) {
                return Some(differ);
            }
            return self.anew(opened, differ, session);
        }
        None
    }

    /// Reads everything anew.
    fn anew(&mut self, opened: &mut Opened, changed: Vec<String>, session: &mut Session) -> Option<Vec<String>> {
        let new = session.open_with_editions(self.global);
        self.behind = new.is_err();
        match new {
            Ok(new) => {
                std::mem::replace(opened, new).free();
                Some(changed)
            }
            Err(failure) => {
                session.fail(&failure, self.global);
                None
            }
        }
    }

    /// A path of the workspace that means something, below it with forward slashes.
    fn ours(&self, opened: &Opened, path: &Path) -> Option<String> {
        let below = |folder: &Path| {
            let (plain, real) = (std::path::absolute(folder).ok()?, cognomen_core::settled(folder));
            let below = path.strip_prefix(folder).or_else(|_| path.strip_prefix(&plain));
            below.or_else(|_| path.strip_prefix(&real)).ok().map(slashed)
        };
        // the base, the rulebook or the mods may lie elsewhere
        let elsewhere = |folder: &str| Some(format!("{folder}/{}", below(&opened.root.join(folder))?));
        let path = below(&opened.root).or_else(|| watched(opened).find_map(elsewhere))?;
        // editors' own files, and what we remember
        let hidden = |part: &str| (part.starts_with('.') && part != "..") || part.ends_with('~');
        if path.split('/').any(hidden) {
            return None;
        }
        let path = path.trim_end_matches('/').to_owned();
        let own = [WORKSPACE_FILE, ACCEPTED_FILE, NOTES_FILE].contains(&path.as_str());
        let within =
            |folder: &str| path == folder || path.strip_prefix(folder).is_some_and(|rest| rest.starts_with('/'));
        (own || watched(opened).any(within)).then_some(path)
    }

    /// Builds, checks, installs and tells.
    fn round(&mut self, opened: &mut Opened, changed: Vec<String>, session: &mut Session) {
        let start = Instant::now();
        let layer = opened.edited(self.global).ok();
        let mut answer = WatchAnswer { changed, ..WatchAnswer::default() };
        let mut built = None;
        if let Some(layer) = layer.filter(|_| self.args.build || self.args.install) {
            match self.built(opened, layer, &mut answer, session) {
                Ok(report) => built = report,
                Err(failure) => answer.failed = Some(failure.to_string()),
            }
        }
        let findings = cognomen_core::check(&opened.world);
        crate::record::checked(opened, &findings, session);
        let told: Vec<&Finding> =
            findings.iter().filter(|finding| layer.is_none_or(|layer| finding.is_told_of(layer))).collect();
        let number = |severity| told.iter().filter(|finding| finding.severity == severity).count();
        (answer.errors, answer.warnings, answer.notes) =
            (number(Severity::Error), number(Severity::Warning), number(Severity::Note));
        answer.layer = layer.map(|layer| opened.catalog().layer(layer).id.clone());
        self.compared(opened, &told, &mut answer);
        if let (Some(layer), Some(report), true, 0) = (layer, &built, self.args.install, answer.errors) {
            let done = opened.take_lock(session, "watch").and_then(|()| install_now(opened, layer, report, session));
            opened.give_up_lock();
            match done {
                Ok(games) => answer.installed = games,
                Err(failure) => answer.failed = Some(failure.to_string()),
            }
        }
        answer.milliseconds = u64::try_from(start.elapsed().as_millis()).unwrap_or(u64::MAX);
        match self.global.json() {
            true => session.json_line(&answer),
            false => self.said(&answer, &told, session),
        }
        let _ = session.flush();
    }

    fn built(
        &self,
        opened: &mut Opened,
        layer: LayerId,
        answer: &mut WatchAnswer,
        session: &mut Session,
    ) -> Result<Option<cognomen_core::BuildReport>, Failure> {
        if !self.args.build {
            let report = cognomen_core::build(&opened.world, &opened.source, layer).map_err(anyhow::Error::from)?;
            return Ok(Some(report));
        }
        opened.take_lock(session, "watch")?;
        let done = build_now(opened, layer, session);
        opened.give_up_lock();
        let (report, out, written) = done?;
        answer.build = Some(out);
        answer.built = written;
        Ok(Some(report))
    }

    /// What is new and what is gone since the last round.
    fn compared(&mut self, opened: &Opened, told: &[&Finding], answer: &mut WatchAnswer) {
        let catalog = opened.catalog();
        let places = Places::new(catalog);
        let mut now: BTreeMap<Told, (usize, FindingAnswer)> = BTreeMap::new();
        for finding in told {
            let file = catalog.file(finding.place.file).path.clone();
            let said = (finding.severity, finding.code.to_string(), file, finding.message.clone());
            now.entry(said).or_insert_with(|| (0, finding_answer(catalog, &places, finding))).0 += 1;
        }
        if let Some(last) = &self.last {
            let more = |one: &BTreeMap<Told, (usize, FindingAnswer)>,
                        other: &BTreeMap<Told, (usize, FindingAnswer)>| {
                let fewer = |said: &Told, number: usize| other.get(said).is_none_or(|(there, _)| *there < number);
                let found = one.iter().filter(|(said, (number, _))| fewer(said, *number));
                found.map(|(_, (_, answer))| answer.clone()).collect::<Vec<_>>()
            };
            (answer.new, answer.gone) = (more(&now, last), more(last, &now));
        }
        self.last = Some(now);
    }

    fn said(&self, answer: &WatchAnswer, told: &[&Finding], session: &mut Session) {
        session.clear_screen();
        let id = answer.layer.as_deref().map_or("the workspace".to_owned(), visible);
        let verdict = match told.is_empty() {
            true => paint(GOOD, "no findings"),
            false => summary(told),
        };
        session.say(format!("{id}: {verdict}"));
        if let Some(failed) = &answer.failed {
            session.say(format!("  {}: {}", paint(ERROR, "not done"), visible(failed)));
        }
        if !answer.changed.is_empty() {
            session.say(paint(FAINT, &format!("  changed: {}", few(&answer.changed, 3))));
        }
        for (sign, what, findings) in [("+", "new", &answer.new), ("-", "gone", &answer.gone)] {
            for finding in findings.iter().take(SHOWN) {
                session.say(format!("  {sign} {}", line(finding)));
            }
            if let Some(rest) = findings.len().checked_sub(SHOWN).filter(|rest| *rest > 0) {
                session.say(paint(FAINT, &format!("  {sign} and {rest} more that are {what}")));
            }
        }
        if self.last.is_some() && answer.changed.is_empty() && !told.is_empty() {
            session.say(paint(FAINT, "  `cognomen check` shows them"));
        }
        if let Some(out) = &answer.build {
            let files = count(answer.built.len(), "file", "files");
            let text = if answer.built.is_empty() { "as it was".to_owned() } else { format!("{files} written") };
            session.say(format!("  {} into {}: {text}", paint(GOOD, "built"), visible(out)));
        }
        for game in &answer.installed {
            let at = visible(&format!("{}/{}", game.game.trim_end_matches('/'), game.at));
            let files = game.written.len() + game.removed.len();
            let text =
                if files == 0 { "as it was".to_owned() } else { format!("{} changed", count(files, "file", "files")) };
            session.say(format!("  {} into {at}: {text}", paint(GOOD, "installed")));
        }
        if self.args.install && answer.errors > 0 {
            session.say(paint(CHANGE, "  not installed while there are errors"));
        }
    }
}

/// Whether there are files below a path that are not known, or none any more where some are.
fn folder_differs(opened: &Opened, path: &str) -> bool {
    let catalog = opened.catalog();
    let full = opened.root.join(path);
    if !full.is_dir() {
        let below = format!("{path}/");
        return catalog.files().any(|(_, file)| file.path.starts_with(&below));
    }
    let files = FolderSource::new(&opened.root).list(path).unwrap_or_default().into_iter();
    files.filter(|file| file.refused.is_none()).any(|file| {
        let path = format!("{path}/{}", file.path);
        catalog.file_named(&path).is_none() && !is_packed(Path::new(&path))
    })
}

/// Whether a file is known by what is in it rather than by its own name: an archive or a workbook.
fn is_packed(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ["zip", "xlsx"].contains(&ending.to_string_lossy().to_lowercase().as_str()))
}

/// A finding in one line.
fn line(finding: &FindingAnswer) -> String {
    let style = match finding.severity {
        "error" => severity_style(Severity::Error),
        "warning" => severity_style(Severity::Warning),
        _ => severity_style(Severity::Note),
    };
    let place = visible(&format!("{}:{}", finding.place.file, finding.place.line));
    format!("{place}: {}: {}", paint(style, &finding.code), visible(&finding.message))
}
