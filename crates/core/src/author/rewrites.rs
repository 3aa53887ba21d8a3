//! Words, keys and files that change together: what each file comes to, and the workspace as it is then.

use std::collections::{BTreeMap, BTreeSet};

use super::set::SetError;
use crate::catalog::{Catalog, LayerId};
use crate::document::{Document, Draft, Edit, FieldPath, Node, Splice, apply, edit, find};
use crate::effective::World;
use crate::source::{ChangeSet, FileChange, FileId, MemorySource, Overlay, Place, Source, SourceError, Span, sheet_in};

/// What is to change in one file.
#[derive(Clone, Default)]
struct OfFile {
    words: Vec<Splice>,
    edits: Vec<Edit>,
}

/// Changes of many files.
pub(super) struct Rewrites<'c> {
    catalog: &'c Catalog,
    files: BTreeMap<FileId, OfFile>,
    /// Files that go elsewhere, by their path below the workspace.
    pub(super) moved: BTreeMap<String, String>,
    /// Files that go.
    pub(super) gone: BTreeSet<FileId>,
}

impl<'c> Rewrites<'c> {
    pub(super) fn new(catalog: &'c Catalog) -> Rewrites<'c> {
        Rewrites { catalog, files: BTreeMap::new(), moved: BTreeMap::new(), gone: BTreeSet::new() }
    }

    /// Another word for a single value.
    pub(super) fn value(&mut self, node: Node<'_>, written: &str, to: &str) {
        // where a word needs no other marks than it has, those around it stay as they are
        let at = node.document().path_to(node.id(), &self.catalog.names);
        let alone = plain(to, written) || is_piece(node, &at, self.catalog);
        if !(alone && self.word(node.place(), written, to)) {
            self.edit(node.document().file(), Edit::Set { at, to: Draft::Text(to.to_owned()) });
        }
    }

    /// Another key for an entry.
    pub(super) fn key(&mut self, node: Node<'_>, to: &str) {
        let at = node.document().path_to(node.id(), &self.catalog.names);
        self.edit(node.document().file(), Edit::Rename { at, to: to.to_owned() });
    }

    /// Another word in a place where it stands once; whether it does.
    pub(super) fn word(&mut self, place: Place, word: &str, to: &str) -> bool {
        let splice = only_word(self.catalog.text(place.file), place, word, to);
        splice.is_some_and(|splice| {
            self.splice(place.file, splice);
            true
        })
    }

    /// Another word wherever it stands in quotation marks; how often it does.
    pub(super) fn quoted(&mut self, place: Place, word: &str, to: &str) -> usize {
        let text = self.catalog.text(place.file);
        let within = place.span.of(text);
        let mut found = 0;
        for (at, _) in within.match_indices(word) {
            let mark =
                |letter: Option<char>| letter.is_some_and(|letter| matches!(letter, '\'' | '"' | '\\' | ';' | '&'));
            let before = within.get(..at).and_then(|before| before.chars().next_back());
            let after = within.get(at + word.len()..).and_then(|after| after.chars().next());
            if mark(before) && mark(after) {
                let start = place.span.start + crate::source::to_u32(at);
                let span = Span { start, end: start + crate::source::to_u32(word.len()) };
                self.splice(place.file, Splice { span, text: to.to_owned() });
                found += 1;
            }
        }
        found
    }

    pub(super) fn edit(&mut self, file: FileId, edit: Edit) {
        let edits = &mut self.files.entry(file).or_default().edits;
        if !edits.contains(&edit) {
            edits.push(edit);
        }
    }

    fn splice(&mut self, file: FileId, splice: Splice) {
        let words = &mut self.files.entry(file).or_default().words;
        if !words.contains(&splice) {
            words.push(splice);
        }
    }

    /// The files as they will be.
    ///
    /// # Errors
    /// A file cannot be edited so, or two files would come to one place.
    pub(super) fn changes(&self) -> Result<ChangeSet, SetError> {
        let catalog = self.catalog;
        let mut out = Vec::new();
        let mut to: BTreeSet<String> = BTreeSet::new();
        for (from, there) in &self.moved {
            let taken = catalog.file_named(there).is_some_and(|other| !self.gone.contains(&other));
            let only_case = from.to_lowercase() == there.to_lowercase();
            if taken && !only_case || !to.insert(there.to_lowercase()) {
                return Err(SetError::Problem(format!("`{from}` would become `{there}`, which is there already")));
            }
            out.push(FileChange::Move { path: from.clone(), to: there.clone() });
        }
        for (file, changed) in &self.files {
            let known = catalog.file(*file);
            let Some(document) = catalog.document(*file).filter(|_| !self.gone.contains(file)) else { continue };
            let text = changed.text(document, catalog)?;
            let path = self.moved.get(&known.path).unwrap_or(&known.path).clone();
            if text != **document.text() {
                out.push(FileChange::edit(path, &**document.text(), text));
            }
        }
        for file in &self.gone {
            let before = catalog.text(*file).to_owned();
            out.push(FileChange::Delete { path: catalog.file(*file).path.clone(), before });
        }
        Ok(out.into())
    }
}

impl OfFile {
    fn text(&self, document: &Document, catalog: &Catalog) -> Result<String, SetError> {
        let mut text = document.text().to_string();
        let mut words = self.words.clone();
        words.sort_by_key(|splice| splice.span);
        if words.windows(2).any(|pair| matches!(pair, [a, b] if a.span.end > b.span.start)) {
            let path = &catalog.file(document.file()).path;
            return Err(SetError::Problem(format!("{path}: two changes fall upon one word")));
        }
        apply(&mut text, &words);
        if self.edits.is_empty() {
            return Ok(text);
        }
        let names = &catalog.names;
        // from the end, so that the ways to what stands before stay right
        let start = |edit: &Edit| find(document.root(), edit.at(), names).map_or(0, |node| node.span().start);
        let mut edits = self.edits.clone();
        edits.sort_by_key(|edit| std::cmp::Reverse(start(edit)));
        if words.is_empty() {
            return Ok(edit(document, &edits, names)?);
        }
        let again = Document::parse(document.file(), document.notation().clone(), text.into(), names);
        Ok(edit(&again, &edits, names)?)
    }
}

/// The splice that puts one word in the place of another, where that stands once.
pub(super) fn only_word(text: &str, place: Place, word: &str, to: &str) -> Option<Splice> {
    let mut found = place.span.of(text).match_indices(word);
    let (Some((at, _)), None) = (found.next(), found.next()) else { return None };
    let start = place.span.start + u32::try_from(at).unwrap_or(0);
    let end = start + u32::try_from(word.len()).unwrap_or(0);
    Some(Splice { span: Span { start, end }, text: to.to_owned() })
}

/// Whether a value is a part of a text in its file.
fn is_piece(node: Node<'_>, at: &FieldPath, catalog: &Catalog) -> bool {
    let written = node.document().as_written(&catalog.names);
    written
        .is_some_and(|written| find(written.root(), at, &catalog.names).is_none_or(|found| found.span() != node.span()))
}

/// Whether a word can stand where another one does: it has no letters that mean something in some notation, but for those
/// that the other has, and is nothing but a word there.
fn plain(word: &str, other: &str) -> bool {
    let letter = |c: char| c.is_ascii_alphanumeric() || matches!(c, '_' | '-' | '.' | '/') || other.contains(c);
    let starts = |c: char| c.is_ascii_alphabetic() || other.starts_with(c);
    let means_more = ["true", "false", "yes", "no", "on", "off", "null", "y", "n", "nan", "inf"];
    word.chars().all(letter) && word.starts_with(starts) && !means_more.contains(&word.to_lowercase().as_str())
}

/// The workspace as changes leave it.
///
/// # Errors
/// It can no longer be read.
pub(super) fn afterwards(source: &dyn Source, layer: &str, changes: &ChangeSet) -> Result<World, SetError> {
    let unread = |error: String| SetError::Problem(format!("the workspace could no longer be read: {error}"));
    let mut above = MemorySource::default();
    let mut without: Vec<String> = Vec::new();
    let mut sheets = Vec::new();
    for change in &changes.files {
        match change {
            FileChange::Create { path, .. } | FileChange::Edit { path, .. } if sheet_in(path).is_some() => {
                sheets.push(change.clone());
            }
            FileChange::Create { path, text } | FileChange::Edit { path, text, .. } => above.put(path, text.clone()),
            FileChange::Delete { path, .. } => without.push(path.clone()),
            FileChange::Move { path, to } => {
                let lost = |error: SourceError| unread(error.to_string());
                let single = above.take(path).map_or_else(|| source.read(path), Ok);
                match single {
                    Ok(bytes) => above.put(to, bytes),
                    Err(_) => {
                        // a folder goes with all that is in it, as it is by now
                        let known = source.list(path).map_err(lost)?;
                        let new = above.list(path).map_err(lost)?;
                        let all = known.into_iter().chain(new).filter(|file| file.refused.is_none());
                        for file in all.map(|file| file.path).collect::<BTreeSet<String>>() {
                            let from = format!("{path}/{file}");
                            // what went before does not go along
                            if without.contains(&from) && above.read(&from).is_err() {
                                continue;
                            }
                            let bytes = above.take(&from).map_or_else(|| source.read(&from), Ok);
                            above.put(&format!("{to}/{file}"), bytes.map_err(lost)?);
                            without.push(from);
                        }
                    }
                }
                without.push(path.clone());
            }
            FileChange::Bytes { .. } => {}
        }
    }
    let mut source = Overlay::new(source, above);
    for path in &without {
        source = source.without(path);
    }
    let mut world = World::load(&source).map_err(|error| unread(error.to_string()))?;
    if !sheets.is_empty() {
        let layer = world.catalog.layer_named(layer).ok_or_else(|| unread(format!("`{layer}` is gone")))?;
        world.take_in(layer, &sheets.into()).map_err(super::set::unread)?;
    }
    Ok(world)
}

/// The layer of a name in a workspace that was read anew.
///
/// # Errors
/// It is not there.
pub(super) fn layer_again(world: &World, id: &str) -> Result<LayerId, SetError> {
    let gone = || SetError::Problem(format!("the mod `{id}` would no longer be read"));
    world.catalog.layer_named(id).ok_or_else(gone)
}
