//! What only follows from another finding: it is not told by itself, so that one cause is one finding.

use rustc_hash::{FxHashMap, FxHashSet};

use super::context::Context;
use crate::catalog::{Address, Catalog, DefId, Definition, FileRole};
use crate::document::{FieldPath, Node, NodeId, NodeRef, find};
use crate::nearest::nearest;
use crate::rulebook::{Reading, TypeId, Wrong};
use crate::settle::family;
use crate::source::FileId;

/// What is wrong in what the view shows, from which other things follow.
#[derive(Debug, Default)]
pub(crate) struct Causes {
    /// The unknown fields of a table: each with the field that it is meant to be.
    misspelt: FxHashMap<(FileId, NodeId), Vec<(String, Option<String>)>>,
    /// The values of unknown fields.
    unknown: Vec<NodeRef>,
    /// The values of definitions that are of another sort than their fields take.
    unfit: FxHashMap<DefId, Vec<NodeId>>,
    /// The files that are seen and could be read only in parts.
    broken: Vec<FileId>,
}

impl Causes {
    pub(super) fn new(context: &Context<'_>) -> Causes {
        let names = &context.catalog.names;
        let mut out = Causes::default();
        for (file, found) in context.catalog.files() {
            let harvested = found.role.is_harvested() || matches!(found.role, FileRole::Manifest);
            let (Some(document), Some(harvest)) = (context.catalog.document(file), context.catalog.harvest_of(file))
            else {
                continue;
            };
            if !harvested || !context.view.has(file) {
                continue;
            }
            if document.faults().iter().any(|fault| !fault.repeated_key) {
                out.broken.push(file);
            }
            for fault in &harvest.faults {
                if matches!(fault.what, Wrong::Mismatch { .. } | Wrong::Shape { .. })
                    && let Some((made, _)) = context.catalog.definition_of(file, fault.from)
                {
                    out.unfit.entry(made).or_default().push(fault.at);
                }
                let Wrong::NotKnown { table } = fault.what else { continue };
                let node = document.node(fault.at);
                let (Some(key), Some(parent)) = (node.key(), node.parent()) else { continue };
                let Reading::Table(fields) = &context.rulebook.field_type(table).reading else { continue };
                let key = names.text(key);
                let near = nearest(key, fields.fields.iter().map(|(name, _)| names.text(*name)));
                let meant = (key.to_owned(), near.map(str::to_owned));
                out.misspelt.entry((file, parent.id())).or_default().push(meant);
                out.unknown.push(node.at());
            }
        }
        out
    }

    /// The fields of a definition, or of what it inherits from, with values of another sort than they take.
    pub(super) fn unfit(&self, context: &Context<'_>, address: Address) -> Vec<String> {
        if self.unfit.is_empty() {
            return Vec::new();
        }
        let all = std::iter::once(address).chain(family(context.catalog, address));
        let made = all.flat_map(|at| context.view.stack(at).map(|(id, _)| id).collect::<Vec<_>>());
        let nodes = made.filter_map(|id| Some((context.catalog.definition(id), self.unfit.get(&id)?)));
        let field = |made: &Definition, at: NodeId| {
            let document = context.catalog.document(made.file)?;
            let path = document.path_to(at, &context.catalog.names);
            let above = document.path_to(made.node, &context.catalog.names).steps().len();
            match path.skip(above).steps().first() {
                Some(crate::document::Step::Key(key)) => Some(key.clone()),
                _ => None,
            }
        };
        nodes.flat_map(|(made, all)| all.iter().filter_map(|at| field(made, *at)).collect::<Vec<_>>()).collect()
    }

    /// Whether the value of a field that nobody knows names a word: the field would have led there.
    pub(super) fn may_lead(&self, catalog: &Catalog, word: &str) -> bool {
        self.unknown.iter().any(|at| holds_word(catalog.node(*at).raw(), word))
    }

    /// Whether a file that could not be read whole may define a word: what lacks then follows from that.
    pub(super) fn may_define(&self, catalog: &Catalog, word: &str) -> bool {
        self.broken.iter().any(|file| {
            let text = catalog.text(*file);
            // of what is no text at all nothing is known; the id may stand behind a prefix
            let id = word.rsplit([':', '/', '^', '#', '@', '$']).next().filter(|id| !id.is_empty()).unwrap_or(word);
            text.is_empty() || holds_word(text, word) || holds_word(text, id)
        })
    }

    /// Whether a file could not be read whole.
    pub(super) fn is_broken(&self, file: FileId) -> bool {
        self.broken.contains(&file)
    }

    /// Takes out what a table lacks only since it is misspelt there.
    pub(super) fn without_misspelt(&self, node: Node<'_>, fields: &mut Vec<String>) {
        let Some(all) = self.misspelt.get(&(node.document().file(), node.id())) else { return };
        // where a field lacks, one letter is near enough for the shortest names, too
        let close = |word: &str, field: &str| strsim::damerau_levenshtein(word, field) <= 1;
        let meant =
            |field: &String| all.iter().any(|(word, meant)| meant.as_ref() == Some(field) || close(word, field));
        fields.retain(|field| !meant(field));
    }

    /// The same for a table at a path of a definition, in whatever layer it is misspelt.
    pub(super) fn without_misspelt_at(
        &self,
        context: &Context<'_>,
        address: Address,
        path: &FieldPath,
        fields: &mut Vec<String>,
    ) {
        if self.misspelt.is_empty() {
            return;
        }
        for (_, made) in context.view.stack(address) {
            let node = context.catalog.node(made.at());
            let table = if path.is_empty() { Some(node) } else { find(node, path, &context.catalog.names) };
            table.into_iter().for_each(|table| self.without_misspelt(table, fields));
        }
    }
}

/// Whether a text holds a word that is not a part of a longer one.
fn holds_word(text: &str, word: &str) -> bool {
    let part = |letter: char| letter.is_alphanumeric() || matches!(letter, '-' | '_');
    text.match_indices(word).any(|(at, _)| {
        let before = text.get(..at).and_then(|text| text.chars().next_back());
        let after = text.get(at + word.len()..).and_then(|text| text.chars().next());
        !before.is_some_and(part) && !after.is_some_and(part)
    })
}

/// Whether a definition, or one that it inherits from, names a parent that is not there, or itself: what it would
/// have given lacks.
pub(super) fn is_orphan(context: &Context<'_>, address: Address) -> bool {
    let mut seen = FxHashSet::default();
    let mut todo = vec![address];
    while let Some(here) = todo.pop() {
        if !seen.insert(here) {
            continue;
        }
        for (id, made) in context.view.stack(here) {
            for parent in context.view.parents_at(id) {
                // its own id is the word for going on with what lies below
                let goes_on = parent == here && !context.view.is_new(made);
                if !goes_on && (parent == address || !context.view.stands(parent)) {
                    return true;
                }
                todo.push(parent);
            }
        }
    }
    false
}

/// Whether a word of a complete set lacks only since it is misspelt there.
pub(super) fn is_misspelt(context: &Context<'_>, node: Node<'_>, want: TypeId, missing: &str) -> bool {
    let known = context.rulebook.all_words(want);
    let word = |item: Node<'_>| if item.key().is_some() { item.key_text() } else { item.text().into_owned() };
    let unknown = node.children().map(word).filter(|word| !known.contains(word));
    unknown.into_iter().any(|word| nearest(&word, known.iter().map(String::as_str)) == Some(missing))
}
