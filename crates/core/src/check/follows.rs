//! What only follows from another finding: it is not told by itself, so that one cause is one finding.

use rustc_hash::{FxHashMap, FxHashSet};

use super::context::Context;
use super::file_not_read;
use super::finding::Finding;
use crate::catalog::{Address, Catalog, DefId, Definition, FileRole, Harvest, LayerId};
use crate::document::{Document, FieldPath, Node, NodeId, NodeRef, find};
use crate::names::Sym;
use crate::nearest::nearest;
use crate::rulebook::{Reading, TypeId, Wrong};
use crate::settle::family;
use crate::source::{FileId, Span};

/// What is wrong in what the view shows, from which other things follow.
#[derive(Debug, Default)]
pub(crate) struct Causes {
    /// The unknown fields of a table: each with the field that it is meant to be, and where it stands.
    misspelt: FxHashMap<(FileId, NodeId), Vec<Misspelt>>,
    /// The values of unknown fields.
    unknown: Vec<NodeRef>,
    /// The values of definitions that are of another sort than their fields take.
    unfit: FxHashMap<DefId, Vec<NodeId>>,
    /// The files that are seen and could be read only in parts.
    broken: Vec<FileId>,
    /// The files of which the game does not look at something that was meant to be read.
    unread: Vec<FileId>,
    /// The words of each of these, and those of unknown fields.
    broken_words: std::sync::OnceLock<Vec<(FileId, Option<FxHashSet<String>>)>>,
    unknown_words: std::sync::OnceLock<FxHashMap<String, NodeRef>>,
    /// How much was not told, since it follows from a finding.
    followed: std::sync::Mutex<FxHashMap<Cause, usize>>,
}

/// A field that nobody knows.
#[derive(Debug)]
struct Misspelt {
    word: String,
    /// The field that it is meant to be.
    meant: Option<String>,
    /// Whether it is one that the table would have with another word in it, and lacks its own for that.
    otherwise: bool,
    cause: Cause,
}

/// A finding from which others follow, by what it is about.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub(super) enum Cause {
    /// What a definition lacks or inherits in vain.
    Definition(Address),
    /// A field that nobody knows.
    Field(FileId, u32),
    /// A file that cannot be read whole.
    File(FileId),
}

impl Causes {
    /// Remembers that something is not told, since it follows from a finding.
    pub(super) fn follow(&self, cause: Cause) {
        let mut followed = self.followed.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        *followed.entry(cause).or_default() += 1;
    }

    /// Tells each finding what follows from it.
    pub(super) fn count(&self, findings: &mut [Finding]) {
        let mut followed = self.followed.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        for finding in findings {
            let cause = match (finding.check.code, finding.about) {
                ("field-lacking" | "parent-lacking" | "parent-circle", Some(about)) => Cause::Definition(about),
                ("field-not-known", _) => Cause::Field(finding.place.file, finding.place.span.start),
                ("file-broken" | "file-not-read", _) => Cause::File(finding.place.file),
                _ => continue,
            };
            // of several findings of one cause, the first says it
            finding.follows = followed.remove(&cause).unwrap_or(0);
        }
    }

    pub(super) fn new(context: &Context<'_>) -> Causes {
        let names = &context.catalog.names;
        let mut out = Causes::default();
        let mut nearest_of = FxHashMap::default();
        let ill = context.shared.ill.get_or_init(|| ill(context.catalog));
        for file in ill.iter().copied().filter(|file| context.view.has(*file)) {
            let (Some(document), Some(harvest)) = (context.catalog.document(file), context.catalog.harvest_of(file))
            else {
                continue;
            };
            if document.faults().iter().any(|fault| !fault.repeated_key) {
                out.broken.push(file);
            } else if is_unread(harvest) {
                out.unread.push(file);
            }
            for fault in &harvest.faults {
                let sort = match fault.what {
                    Wrong::Mismatch { .. } | Wrong::Shape { .. } => true,
                    // what a mark means that is no word of it nobody knows
                    Wrong::NotAChoice { want } => context.rulebook.is_of_mark(want),
                    _ => false,
                };
                if sort && let Some((made, _)) = context.catalog.definition_of(file, fault.from) {
                    out.unfit.entry(made).or_default().push(fault.at);
                }
                let Wrong::NotKnown { table } = fault.what else { continue };
                let node = document.node(fault.at);
                let (Some(key), Some(parent)) = (node.key(), node.parent()) else { continue };
                let Reading::Table(fields) = &context.rulebook.field_type(table).reading else { continue };
                let key = names.text(key);
                let near = *nearest_of
                    .entry((table, key))
                    .or_insert_with(|| nearest(key, fields.fields.iter().map(|(name, _)| names.text(*name))));
                let place = Cause::Field(file, node.key_span().start);
                let otherwise = node.key().and_then(|key| with_other_words(context, table, key)).is_some();
                let meant = Misspelt { word: key.to_owned(), meant: near.map(str::to_owned), otherwise, cause: place };
                out.misspelt.entry((file, parent.id())).or_default().push(meant);
                out.unknown.push(node.at());
            }
        }
        out
    }

    /// The fields of a definition, or of what it inherits from, with values of another sort than they take.
    pub(super) fn unfit(&self, context: &Context<'_>, address: Address) -> Vec<String> {
        let all = self.unfit_values(context, address);
        all.into_iter().filter_map(|(made, at)| way(context, made, at)?.first_key().map(str::to_owned)).collect()
    }

    /// Whether a value of another sort than its field takes stands where a table would have to stand, or around it.
    pub(super) fn is_unfit_at(&self, context: &Context<'_>, address: Address, path: &FieldPath) -> bool {
        // of what is wrong through and through, each part is told
        let all = Some(self.unfit_values(context, address)).filter(|all| all.len() <= 64).unwrap_or_default();
        let mut ways = all.into_iter().filter_map(|(made, at)| way(context, made, at));
        ways.any(|unfit| !unfit.is_empty() && path.steps().starts_with(unfit.steps()))
    }

    /// The values of a definition, or of what it inherits from, that are of another sort than their fields take.
    fn unfit_values<'w>(&self, context: &Context<'w>, address: Address) -> Vec<(&'w Definition, NodeId)> {
        if self.unfit.is_empty() {
            return Vec::new();
        }
        let all = std::iter::once(address).chain(family(context.catalog, address));
        let made = all.flat_map(|at| context.view.stack(at).map(|(id, _)| id).collect::<Vec<_>>());
        let nodes = made.filter_map(|id| Some((context.catalog.definition(id), self.unfit.get(&id)?)));
        nodes.flat_map(|(made, all)| all.iter().map(move |at| (made, *at))).collect()
    }

    /// Whether the value of a field that nobody knows names an id: the field would have led there.
    pub(super) fn may_lead(&self, catalog: &Catalog, id: &str) -> bool {
        let all = self.unknown_words.get_or_init(|| {
            let words =
                |at: &NodeRef| words_of(catalog.node(*at).raw()).map(|word| (word.to_owned(), *at)).collect::<Vec<_>>();
            self.unknown.iter().flat_map(words).collect()
        });
        let Some(at) = all.get(last_word(id)).filter(|at| holds_word(catalog.node(**at).raw(), id)) else {
            return false;
        };
        self.follow(Cause::Field(at.file, catalog.node(*at).key_span().start));
        true
    }

    /// Whether a file that could not be read whole may define a word: what lacks then follows from that.
    pub(super) fn may_define(&self, catalog: &Catalog, word: &str) -> bool {
        let all = self.broken_words.get_or_init(|| {
            let one = |file: &FileId| {
                // of what is no text at all nothing is known
                (*file, (!catalog.text(*file).is_empty()).then(|| unread_words(catalog, *file)))
            };
            self.broken.iter().chain(&self.unread).map(one).collect()
        });
        // the id may stand behind a prefix
        let id = word.rsplit([':', '/', '^', '#', '@', '$']).next().filter(|id| !id.is_empty()).unwrap_or(word);
        let defines = |(file, words): &&(FileId, Option<FxHashSet<String>>)| match words {
            None => true,
            Some(words) => words.contains(last_word(id)) && holds_word(catalog.text(*file), id),
        };
        // of one that is a definition as a whole, the path may be what it is called by
        let is_called = |file: &&FileId| {
            let nothing = catalog.harvest_of(**file).is_none_or(|harvest| harvest.definitions.is_empty());
            nothing && holds_word(&catalog.file(**file).relative, id)
        };
        let file = all.iter().find(defines).map(|(file, _)| file);
        let Some(file) = file.or_else(|| self.broken.iter().find(is_called)) else { return false };
        self.follow(Cause::File(*file));
        true
    }

    /// Whether a file could not be read whole.
    pub(super) fn is_broken(&self, file: FileId) -> bool {
        self.broken.contains(&file)
    }

    /// Takes out what a table lacks only since it is misspelt there.
    pub(super) fn without_misspelt(&self, node: Node<'_>, fields: &mut Vec<String>) {
        fields.retain(|field| {
            let meant = self.misspelt_in(node, field);
            meant.into_iter().for_each(|cause| self.follow(cause));
            meant.is_none()
        });
    }

    /// The unknown field of a table that is meant to be this one.
    fn misspelt_in(&self, node: Node<'_>, field: &str) -> Option<Cause> {
        let all = self.misspelt.get(&(node.document().file(), node.id()))?;
        // where a field lacks, one letter is near enough for the shortest names, too
        let name = field.strip_prefix('@').unwrap_or(field);
        let close = |word: &str| strsim::damerau_levenshtein(word.strip_prefix('@').unwrap_or(word), name) <= 1;
        let mut meant = all.iter().filter(|one| one.meant.as_deref() == Some(field) || close(&one.word));
        meant.next().or_else(|| all.iter().find(|one| one.otherwise)).map(|one| one.cause)
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

/// With which words a table that is told by one would have a field: the field with the word, and the words.
pub(super) fn with_other_words<'w>(context: &Context<'w>, table: TypeId, key: Sym) -> Option<(Sym, Vec<&'w str>)> {
    let cases = context.shared.cases.get_or_init(|| context.rulebook.cases());
    context.rulebook.words_with(*cases.get(&table)?, key)
}

/// The way to a value from its definition.
fn way(context: &Context<'_>, made: &Definition, at: NodeId) -> Option<FieldPath> {
    let document = context.catalog.document(made.file)?;
    let above = document.path_to(made.node, &context.catalog.names).steps().len();
    Some(document.path_to(at, &context.catalog.names).skip(above))
}

/// The words of a file that are no references, so that they may be names of what could not be read.
fn unread_words(catalog: &Catalog, file: FileId) -> FxHashSet<String> {
    let text = catalog.text(file);
    let mut read: Vec<Span> = Vec::new();
    if let (Some(harvest), Some(document)) = (catalog.harvest_of(file), catalog.document(file)) {
        let nodes = harvest.mentions.iter().map(|mention| document.node(mention.at));
        read.extend(nodes.flat_map(|node| [node.span(), node.key_span()]));
        for made in &harvest.definitions {
            let parent = catalog.rulebook.kind(made.kind).parent.and_then(|key| document.node(made.node).get(key));
            read.extend(parent.map(|node| node.span()));
        }
    }
    // words and references come in the same order
    read.sort_unstable_by_key(|span| span.start);
    let mut read = read.into_iter().peekable();
    let (start, mut until) = (text.as_ptr() as usize, 0);
    let mut is_read = |word: &&str| {
        let at = crate::source::to_u32(word.as_ptr() as usize - start);
        while let Some(span) = read.next_if(|span| span.start <= at) {
            until = span.end.max(until);
        }
        at < until
    };
    words_of(text).filter(|word| !is_read(word)).map(str::to_owned).collect()
}

/// The files in which something is wrong from which other things follow, in whatever layers.
fn ill(catalog: &Catalog) -> Vec<FileId> {
    let is_ill = |file: FileId| {
        let (document, harvest) = (catalog.document(file)?, catalog.harvest_of(file)?);
        let broken = document.faults().iter().any(|fault| !fault.repeated_key);
        let cause = |fault: &crate::rulebook::TypeFault| match fault.what {
            Wrong::NotKnown { .. } | Wrong::Mismatch { .. } | Wrong::Shape { .. } => true,
            Wrong::NotAChoice { want } => catalog.rulebook.is_of_mark(want),
            _ => false,
        };
        (broken || harvest.faults.iter().any(cause) || is_unread(harvest)).then_some(file)
    };
    let read = catalog.files().filter(|(_, found)| found.role.is_harvested() || found.role == FileRole::Manifest);
    read.filter_map(|(file, _)| is_ill(file)).collect()
}

/// Whether the game does not read all that a file was meant to say.
fn is_unread(harvest: &Harvest) -> bool {
    harvest.own_faults.iter().any(|coded| coded.code == file_not_read::CHECK.code)
}

/// Whether a value stands behind a slip that lost an opening bracket, so that it ends where another one was meant to: then
/// something is left over behind the end of all.
pub(super) fn is_shifted(document: &Document, node: Node<'_>) -> bool {
    // faults stand in order
    let ends = document.faults().first().zip(document.faults().last());
    let end = document.root().span().end;
    ends.is_some_and(|(first, last)| last.span.start >= end && first.span.start < node.span().start)
}

/// Whether a letter is one of those of which ids are made.
fn part(letter: char) -> bool {
    letter.is_alphanumeric() || matches!(letter, '-' | '_')
}

/// The words of a text.
fn words_of(text: &str) -> impl Iterator<Item = &str> {
    text.split(|letter| !part(letter)).filter(|word| !word.is_empty())
}

/// The last word of an id that is made of several.
fn last_word(id: &str) -> &str {
    words_of(id).last().unwrap_or(id)
}

/// Whether a text holds a word that is not a part of a longer one.
fn holds_word(text: &str, word: &str) -> bool {
    text.match_indices(word).any(|(at, _)| {
        let before = text.get(..at).and_then(|text| text.chars().next_back());
        let after = text.get(at + word.len()..).and_then(|text| text.chars().next());
        !before.is_some_and(part) && !after.is_some_and(part)
    })
}

/// Whether a definition, or one that it inherits from, names a parent that is not there, or itself, or names it in a
/// field that is misspelt: what it would have given lacks. What that is told as.
pub(super) fn orphaned_by(context: &Context<'_>, address: Address) -> Option<Cause> {
    let mut seen = FxHashSet::default();
    let mut todo = vec![address];
    while let Some(here) = todo.pop() {
        if !seen.insert(here) {
            continue;
        }
        for (id, made) in context.view.stack(here) {
            let field = context.rulebook.kind(made.kind).parent.map(|key| context.catalog.names.text(key));
            let misspelt = |field| context.causes().misspelt_in(context.catalog.node(made.at()), field);
            if let Some(cause) = field.filter(|_| made.parent.is_none()).and_then(misspelt) {
                return Some(cause);
            }
            for parent in context.view.parents_at(id) {
                // its own id is the word for going on with what lies below
                let goes_on = parent == here && !context.view.is_new(made);
                if !goes_on && (parent == address || !context.view.stands(parent)) {
                    return Some(Cause::Definition(here));
                }
                todo.push(parent);
            }
        }
    }
    None
}

/// Whether a mod cannot stand on one that it requires and that is here: they require each other, which is told, and
/// nobody knows what it changes.
pub(super) fn lacks_ground(catalog: &Catalog, layer: LayerId) -> bool {
    let layer = catalog.layer(layer);
    let required = layer.manifest.iter().flat_map(|manifest| &manifest.requires);
    required.filter_map(|(id, _)| catalog.layer_named(id)).any(|other| !layer.ground.contains(other))
}

/// Whether a word of a complete set lacks only since it is misspelt there.
pub(super) fn is_misspelt(context: &Context<'_>, node: Node<'_>, want: TypeId, missing: &str) -> bool {
    let known = context.rulebook.all_words(want);
    let word = |item: Node<'_>| if item.key().is_some() { item.key_text() } else { item.text().into_owned() };
    let unknown = node.children().map(word).filter(|word| !known.contains(word));
    unknown.into_iter().any(|word| nearest(&word, known.iter().map(String::as_str)) == Some(missing))
}
