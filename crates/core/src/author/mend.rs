//! `check --fix`: the findings that have one answer only are mended, round by round, each read back.

use std::collections::{BTreeMap, BTreeSet};

use super::emptied::with_emptied;
use super::read_back::Before;
use super::requirement::{require, said_in, writable};
use super::rewrites::only_word;
use super::set::SetError;
use super::texts::{Languages, NewText, add_texts};
use crate::catalog::{Catalog, LayerId};
use crate::check::{CheckReport, Finding, Mend, check_watched};
use crate::document::{Document, Edit, FieldPath, Splice, apply, edit, find};
use crate::effective::World;
use crate::names::Names;
use crate::rulebook::Severity;
use crate::said::Said;
use crate::source::{ChangeSet, FileChange, FileId, Lines, MemorySource, Overlay, Source};

/// What is mended shows what lay behind it; so often it is looked at again.
const ROUNDS: usize = 24;

/// What does not hold together with the rest is tried alone, so often in a round.
const ALONE: usize = 48;

/// While one of these is told, nobody knows what else shows, and nothing is taken out.
const UNSURE: [&str; 7] = [
    "rulebook-fault",
    "workspace-fault",
    "manifest-fault",
    "file-broken",
    "requirement-lacking",
    "requirement-circle",
    "requirement-undeclared",
];

/// A finding that was mended.
#[derive(Clone, Debug)]
pub struct Mended {
    /// Its code.
    pub code: String,
    /// The file it was in, below the workspace.
    pub path: String,
    /// Its line, counted from 1.
    pub line: u32,
    /// The definition it was about.
    pub address: Option<String>,
    /// What was wrong.
    pub message: Said,
    /// What was done.
    pub what: String,
}

/// What came of it.
pub struct MendReport {
    /// The files to write.
    pub changes: ChangeSet,
    /// What is mended by them, in the order of doing.
    pub mended: Vec<Mended>,
    /// Everything as it is then, and what is found in it; nothing if it is as it was.
    pub after: Option<(World, CheckReport)>,
}

/// Plans all safe mends of one mod, from what is found in a workspace. `wanted` says of which findings; nothing is written to disk.
///
/// # Errors
/// The mod cannot be written to, or the workspace can no longer be read.
pub fn mend(
    source: &dyn Source,
    world: &World,
    report: &CheckReport,
    layer: LayerId,
    wanted: &dyn Fn(&Catalog, &Finding) -> bool,
) -> Result<MendReport, SetError> {
    writable(&world.catalog, layer)?;
    let id = world.catalog.layer(layer).id.clone();
    let mut work = Work {
        source,
        id,
        state: State::default(),
        before: (world, report),
        after: None,
        mended: Vec::new(),
        refused: BTreeSet::new(),
    };
    for _ in 0..ROUNDS {
        if !work.round(wanted)? {
            break;
        }
    }
    Ok(MendReport { changes: work.changes(), mended: work.mended, after: work.after })
}

/// Files as they will be.
#[derive(Clone, Default)]
struct State {
    above: MemorySource,
    /// The files that are written, each with its text before.
    before: BTreeMap<String, Option<String>>,
    /// Files that went, and where to.
    moved: BTreeMap<String, String>,
}

struct Work<'s> {
    source: &'s dyn Source,
    id: String,
    state: State,
    before: (&'s World, &'s CheckReport),
    after: Option<(World, CheckReport)>,
    mended: Vec<Mended>,
    /// What could not be mended, though it seemed so.
    refused: BTreeSet<String>,
}

/// A finding and what mends it.
#[derive(Clone)]
struct Task {
    mend: Mend,
    told: Mended,
    /// What tells it from others, before and after.
    sign: String,
}

impl Work<'_> {
    fn world(&self) -> &World {
        self.after.as_ref().map_or(self.before.0, |(world, _)| world)
    }

    fn report(&self) -> &CheckReport {
        self.after.as_ref().map_or(self.before.1, |(_, report)| report)
    }

    fn layer(&self) -> Result<LayerId, SetError> {
        let gone = || SetError::Problem(format!("the mod `{}` would no longer be read", self.id));
        self.world().catalog.layer_named(&self.id).ok_or_else(gone)
    }

    /// Mends what one sort of change can; whether anything was done or tried.
    fn round(&mut self, wanted: &dyn Fn(&Catalog, &Finding) -> bool) -> Result<bool, SetError> {
        let layer = self.layer()?;
        let all = self.tasks(layer, wanted);
        let Some(sort) = all.iter().map(|task| sort(&task.mend)).min() else { return Ok(false) };
        let tasks: Vec<Task> = all.into_iter().filter(|task| self::sort(&task.mend) == sort).collect();
        if !self.take_in(&tasks, layer)? {
            let one_by_one = tasks.len() > 1;
            for (nth, task) in tasks.into_iter().enumerate() {
                let done = one_by_one && nth < ALONE && self.take_in(std::slice::from_ref(&task), layer)?;
                if !done {
                    self.refused.insert(task.sign);
                }
                if done {
                    // places moved: the rest is looked up anew
                    return Ok(true);
                }
            }
        }
        Ok(true)
    }

    fn tasks(&self, layer: LayerId, wanted: &dyn Fn(&Catalog, &Finding) -> bool) -> Vec<Task> {
        let catalog = &self.world().catalog;
        let mut lines: BTreeMap<FileId, Lines<'_>> = BTreeMap::new();
        let mut out = Vec::new();
        // a file of the mod itself that cannot be read says nothing of what it stands on
        let own = |finding: &Finding| finding.code == "file-broken" && finding.layer(catalog) == Some(layer);
        let unsure = |finding: &Finding| UNSURE.contains(&&*finding.code) && !own(finding);
        let unsure = self.report().findings.iter().any(unsure);
        for finding in self.report().findings.iter().filter(|finding| wanted(catalog, finding)) {
            let Some(mend) = finding.mend.as_deref().filter(|mend| mend.layer(catalog) == Some(layer)) else {
                continue;
            };
            if unsure && matches!(mend, Mend::TakeOut { .. }) {
                continue;
            }
            let sign = sign(catalog, finding);
            if self.refused.contains(&sign) {
                continue;
            }
            let file = finding.place.file;
            let lines = lines.entry(file).or_insert_with(|| Lines::new(catalog.text(file)));
            let told = Mended {
                code: finding.code.to_string(),
                path: catalog.file(file).path.clone(),
                line: lines.position(finding.place.span.start).line,
                address: finding.about.map(|about| catalog.show_address(about)),
                message: finding.message.clone(),
                what: mend.to_string(),
            };
            out.push(Task { mend: mend.clone(), told, sign });
        }
        out
    }

    /// Takes some mends in, if all of them hold: the findings are gone, no definition comes or goes, and nothing
    /// that could be read no longer can.
    fn take_in(&mut self, tasks: &[Task], layer: LayerId) -> Result<bool, SetError> {
        let mut state = self.state.clone();
        let done = state.apply(self.source, &self.world().catalog, layer, tasks);
        if done.is_empty() {
            return Ok(false);
        }
        let mut above = Overlay::new(self.source, state.above.clone());
        for path in state.moved.keys() {
            above = above.without(path);
        }
        let Ok(mut world) = World::load(&above) else { return Ok(false) };
        world.take_in_editions(&above);
        let Some(now) = world.catalog.layer_named(&self.id) else { return Ok(false) };
        let moves = tasks.iter().any(|task| matches!(task.mend, Mend::Move { .. }));
        if !moves && Before::of(self.world(), layer, None).read_back(&world, now, &[], &[]).is_err() {
            return Ok(false);
        }
        let report = check_watched(&world, false, &|_, _| {});
        let errors = |report: &CheckReport| report.findings.iter().filter(|f| f.severity == Severity::Error).count();
        let left: BTreeSet<String> = report.findings.iter().map(|finding| sign(&world.catalog, finding)).collect();
        // what a file says that was not read comes to light with its faults
        let worse = !moves && errors(&report) > errors(self.report());
        if worse || done.iter().any(|task| left.contains(&task.sign)) {
            return Ok(false);
        }
        // what cannot be written is left to a person
        let skipped = tasks.iter().filter(|task| !done.iter().any(|done| done.sign == task.sign));
        self.refused.extend(skipped.map(|task| task.sign.clone()));
        // the name of a column is told of every row
        self.mended.extend(done.into_iter().map(|task| task.told));
        self.mended.dedup_by(|a, b| (a.line, &a.path, &a.what, &a.message) == (b.line, &b.path, &b.what, &b.message));
        self.state = state;
        self.after = Some((world, report));
        Ok(true)
    }

    fn changes(&self) -> ChangeSet {
        let mut files = Vec::new();
        let text = |path: &str| {
            let bytes = self.state.above.files().get(path)?;
            Some(String::from_utf8_lossy(bytes).into_owned())
        };
        for (from, to) in &self.state.moved {
            let (before, after) = (self.source.read(from).ok(), self.state.above.files().get(to));
            if before.as_ref() == after {
                files.push(FileChange::Move { path: from.clone(), to: to.clone() });
            } else if let (Some(before), Some(text)) = (before, text(to)) {
                // moved and changed
                let before = String::from_utf8_lossy(&before).into_owned();
                files.push(FileChange::Delete { path: from.clone(), before });
                files.push(FileChange::Create { path: to.clone(), text });
            }
        }
        for (path, before) in &self.state.before {
            if let Some(text) = text(path).filter(|text| before.as_ref() != Some(text)) {
                files.push(FileChange::written(path.clone(), before.clone(), text));
            }
        }
        files.into()
    }
}

/// What is mended first: requirements decide what is read, and where a file lies what it means.
fn sort(mend: &Mend) -> u8 {
    match mend {
        Mend::Require { .. } => 0,
        Mend::Move { .. } => 1,
        Mend::Word { .. } => 2,
        Mend::Key { .. } => 3,
        Mend::TakeOut { .. } => 4,
        Mend::Text { .. } => 5,
        // it follows from all the rest
        Mend::Whole { .. } => 6,
    }
}

fn sign(catalog: &Catalog, finding: &Finding) -> String {
    let about = finding.about.map(|about| catalog.show_address(about)).unwrap_or_default();
    let path = finding.path.as_ref().map(ToString::to_string).unwrap_or_default();
    format!("{}\n{about}\n{path}\n{}\n{}", finding.code, finding.message, catalog.file(finding.place.file).path)
}

impl State {
    /// Applies mends of one sort; those that could be applied.
    fn apply(&mut self, source: &dyn Source, catalog: &Catalog, layer: LayerId, tasks: &[Task]) -> Vec<Task> {
        let mut done = Vec::new();
        let mut by_file: BTreeMap<FileId, Vec<&Task>> = BTreeMap::new();
        let mut texts: Vec<(NewText, &Task)> = Vec::new();
        for task in tasks {
            match &task.mend {
                Mend::Word { place, .. } => by_file.entry(place.file).or_default().push(task),
                Mend::Key { file, .. } | Mend::TakeOut { file, .. } => by_file.entry(*file).or_default().push(task),
                Mend::Require { layer, .. } => {
                    let said = said_in(catalog, *layer).into_iter();
                    said.for_each(|(file, _)| by_file.entry(file).or_default().push(task));
                }
                Mend::Move { file, to } => {
                    let from = &catalog.file(*file).path;
                    let to = format!("{}/{to}", catalog.layer(layer).folder);
                    let free = catalog.file_named(&to).is_none_or(|there| there == *file)
                        && !self.moved.values().any(|other| *other == to);
                    let known = self.above.take(from).or_else(|| source.read(from).ok());
                    if let (true, Some(bytes)) = (free, known) {
                        self.above.put(&to, bytes);
                        self.moved.insert(from.clone(), to);
                        done.push(task.clone());
                    }
                }
                Mend::Whole { file, text } => {
                    self.put(&catalog.file(*file).path, Some(catalog.text(*file)), text.clone());
                    done.push(task.clone());
                }
                Mend::Text { key, text, .. } => {
                    let main = catalog.rulebook.texts.as_ref().map(|rule| rule.main.clone()).unwrap_or_default();
                    texts.push(((key.clone(), main, text.clone()), task));
                }
            }
        }
        for (file, tasks) in by_file {
            let Some(document) = catalog.document(file) else { continue };
            let (text, made) = changed(catalog, document, &tasks);
            if made.is_empty() {
                continue;
            }
            self.put(&catalog.file(file).path, Some(document.text()), text);
            done.extend(made.into_iter().cloned());
        }
        let new: Vec<NewText> = texts.iter().map(|(text, _)| text.clone()).collect();
        for change in add_texts(catalog, layer, &new, Languages::Known).unwrap_or_default() {
            let (before, text) = change.texts();
            let before = (!matches!(change, FileChange::Create { .. })).then_some(before);
            self.put(change.path(), before, text.to_owned());
            if done.is_empty() {
                done.extend(texts.iter().map(|(_, task)| (*task).clone()));
            }
        }
        done
    }

    fn put(&mut self, path: &str, before: Option<&str>, text: String) {
        self.above.put(path, text);
        if !self.moved.values().any(|to| to == path) {
            self.before.entry(path.to_owned()).or_insert_with(|| before.map(str::to_owned));
        }
    }
}

/// A file's text with mends of one sort, and those that could be made.
fn changed<'t>(catalog: &Catalog, document: &Document, tasks: &[&'t Task]) -> (String, Vec<&'t Task>) {
    let mut text = document.text().to_string();
    let mut made: Vec<&Task> = Vec::new();
    let mut splices: Vec<Splice> = Vec::new();
    let mut edits: Vec<(u32, Edit, Vec<&Task>)> = Vec::new();
    let mut gone: Vec<&Task> = Vec::new();
    let mut required: BTreeSet<(LayerId, &str)> = BTreeSet::new();
    for task in tasks {
        match &task.mend {
            Mend::Word { place, word, to } => {
                let Some(splice) = only_word(&text, *place, word, to) else { continue };
                splices.push(splice);
                made.push(task);
            }
            Mend::Key { at, to, .. } => {
                edits.push((
                    start(catalog, document, at),
                    Edit::Rename { at: at.clone(), to: to.clone() },
                    vec![*task],
                ));
            }
            Mend::TakeOut { .. } => gone.push(*task),
            Mend::Require { layer, other } => {
                required.insert((*layer, other));
                made.push(task);
            }
            Mend::Move { .. } | Mend::Text { .. } | Mend::Whole { .. } => {}
        }
    }
    splices.sort_by_key(|splice| splice.span);
    splices.dedup();
    if splices.windows(2).any(|pair| matches!(pair, [a, b] if a.span.end > b.span.start)) {
        return (text, Vec::new());
    }
    apply(&mut text, &splices);
    for (at, tasks) in taken_out(document, &gone, &catalog.names) {
        edits.push((start(catalog, document, &at), Edit::Remove { at }, tasks));
    }
    // from the end, so that the ways to what stands before stay right
    edits.sort_by_key(|(start, ..)| std::cmp::Reverse(*start));
    let names = &catalog.names;
    let parsed = |text: &str| Document::parse(document.file(), document.notation().clone(), text.into(), names);
    let all: Vec<Edit> = edits.iter().map(|(_, edit, _)| edit.clone()).collect();
    match edit(document, &all, names) {
        _ if edits.is_empty() => {}
        Ok(edited) => {
            text = edited;
            made.extend(edits.iter().flat_map(|(.., tasks)| tasks));
        }
        Err(_) => {
            for (_, one, tasks) in &edits {
                if let Ok(edited) = edit(&parsed(&text), std::slice::from_ref(one), names) {
                    text = edited;
                    made.extend(tasks);
                }
            }
        }
    }
    for (layer, other) in required {
        let edited = said_in(catalog, layer).and_then(|(_, list)| require(&parsed(&text), &list, other, catalog).ok());
        match edited {
            Some(edited) => text = edited,
            None => made.retain(|task| !matches!(&task.mend, Mend::Require { other: id, .. } if id == other)),
        }
    }
    (text, made)
}

/// The ways to what goes, tables left empty as a whole, each with the mends that it is.
fn taken_out<'t>(document: &Document, tasks: &[&'t Task], names: &Names) -> BTreeMap<FieldPath, Vec<&'t Task>> {
    let all = tasks.iter().filter_map(|task| match &task.mend {
        Mend::TakeOut { at, definition, .. } => Some((at, *definition, *task)),
        _ => None,
    });
    let all: Vec<_> = all.collect();
    let definitions: BTreeSet<FieldPath> = all.iter().map(|(at, definition, _)| at.take(*definition)).collect();
    let gone = all.iter().map(|(at, ..)| (*at).clone());
    let gone = with_emptied(document, gone, names, |table| !definitions.contains(table));
    let mut out: BTreeMap<FieldPath, Vec<&Task>> = gone.into_iter().map(|at| (at, Vec::new())).collect();
    for (at, definition, task) in all {
        let whole = (definition..=at.steps().len()).rev().map(|steps| at.take(steps)).find(|at| out.contains_key(at));
        whole.and_then(|at| out.get_mut(&at)).into_iter().for_each(|tasks| tasks.push(task));
    }
    out
}

/// Where an entry begins.
fn start(catalog: &Catalog, document: &Document, at: &FieldPath) -> u32 {
    find(document.root(), at, &catalog.names).map_or(0, |node| node.span().start)
}

#[cfg(test)]
mod tests;
