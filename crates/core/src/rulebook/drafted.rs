//! A rulebook to begin with, made of the data of a game that nobody has described yet: which files hold which kinds, what
//! tells their definitions apart, which fields they have, and which of these name others.

mod fields;
mod folders;
mod lines;
mod manifest;
mod pieces;
mod tags;
mod texts;

use std::collections::btree_map::Entry;
use std::collections::{BTreeMap, BTreeSet};

use crate::document::{Document, Format, Marks, Node, Notation, Shape, Tags};
use crate::names::Names;
use crate::source::{FileId, Source, SourceError};

use self::fields::{Seen, as_lists, is_text_only, look_at, quoted, said};
use self::folders::{apart, telling, with_siblings};
use self::lines::{LINES, sniffed};
use self::pieces::pieces;
use self::tags::{tagged_name, tags_in};
use self::texts::{Texts, by_language, in_columns};

pub(crate) use self::tags::tag_on;

pub use self::manifest::{DraftedManifest, drafted_manifest};

/// A drafted rulebook.
#[derive(Clone, Debug, Default)]
pub struct Drafted {
    /// The file.
    pub text: String,
    /// The kinds, each with how many definitions and files it has.
    pub kinds: Vec<(String, usize, usize)>,
    /// How many texts there are, by their keys, and in how many files.
    pub texts: Option<(usize, usize)>,
    /// How many files of data it does not account for.
    pub left: usize,
}

/// So many files of a folder are looked into.
const FILES: usize = 400;
/// So many definitions of a kind are looked into.
const DEFINITIONS: usize = 20_000;
/// An id has no more letters than this.
const LONGEST: usize = 64;
/// How deep fields are described.
const DEPTH: usize = 4;
/// So many fields of a kind are described; the rest is left open.
const FIELDS: usize = 60;
/// Fields that tell definitions apart, the likeliest first.
const IDS: [&str; 8] = ["id", "key", "name", "code", "ident", "identifier", "slug", "type"];

/// Fields that name what a definition is made after.
const PARENTS: [&str; 8] = ["parent", "basedon", "inherits", "inheritsfrom", "extends", "like", "template", "copyof"];

/// What a file says of itself rather than of a definition.
const OF_FILES: [&str; 8] = ["version", "format", "schema", "$schema", "author", "comment", "generator", "game"];

/// Fields that are left out of a draft: the kind, and the names on the way to the field.
pub type LeftOut = BTreeSet<(String, String)>;

/// The data of a game that nobody has described yet, read once.
pub struct RawData {
    groups: BTreeMap<(String, String), Group>,
    /// How many files of data there are.
    files: usize,
    names: Names,
    manifest: Option<DraftedManifest>,
}

impl RawData {
    /// Reads a folder. What a mod says of itself is as in `manifest`; a file of that name at its top is no data.
    ///
    /// # Errors
    /// The folder cannot be read.
    pub fn read(source: &dyn Source, folder: &str, manifest: Option<DraftedManifest>) -> Result<RawData, SourceError> {
        let names = Names::new();
        let mut groups: BTreeMap<(String, String), Group> = BTreeMap::new();
        let mut data = 0;
        for file in source.list(folder)?.into_iter().filter(|file| file.refused.is_none()) {
            if manifest.as_ref().is_some_and(|manifest| manifest.file == file.path) {
                continue;
            }
            let (below, name) = file.path.rsplit_once('/').unwrap_or(("", &file.path));
            let ending = name.rsplit_once('.').map_or("", |(_, ending)| ending).to_owned();
            let known = Format::of(&file.path).filter(|format| *format != Format::Po);
            if known.is_none() && !LINES.contains(&ending.to_lowercase().as_str()) {
                continue;
            }
            let path = if folder.is_empty() { file.path.clone() } else { format!("{folder}/{}", file.path) };
            let group = groups.entry((below.to_owned(), ending)).or_default();
            if group.texts.len() >= FILES {
                data += 1;
                continue;
            }
            let text = String::from_utf8_lossy(&source.read(&path)?).into_owned();
            if known.is_none() {
                let Some(marks) = sniffed(&text) else {
                    group.others += 1;
                    continue;
                };
                // one notation is enough for what lies together
                match &mut group.marks {
                    Some(known) => known.add(marks),
                    None => group.marks = Some(marks),
                }
            }
            data += 1;
            group.texts.push((file.path.clone(), known, text));
        }
        // what is written alike is of one notation, whatever one file of it has not
        let mut alike: BTreeMap<(String, Vec<String>), (usize, Marks)> = BTreeMap::new();
        for group in groups.values() {
            let Some(marks) = group.marks.clone().filter(|marks| !marks.comments.is_empty()) else { continue };
            match alike.entry((marks.assign.clone(), marks.comments.clone())) {
                Entry::Occupied(mut known) => {
                    let (files, known) = known.get_mut();
                    *files += group.texts.len();
                    known.add(marks);
                }
                Entry::Vacant(new) => drop(new.insert((group.texts.len(), marks))),
            }
        }
        // what has no comments is taken for what most are
        for marks in groups.values_mut().filter_map(|group| group.marks.as_mut()).filter(|one| one.comments.is_empty())
        {
            let same = alike.values_mut().filter(|(_, known)| known.assign == marks.assign);
            match same.max_by_key(|(files, _)| *files) {
                Some((_, known)) => {
                    marks.comments.clone_from(&known.comments);
                    known.add(marks.clone());
                }
                None => marks.comments.push("#".to_owned()),
            }
        }
        for group in groups.values_mut() {
            let key = group.marks.as_ref().map(|marks| (marks.assign.clone(), marks.comments.clone()));
            group.marks = key.and_then(|key| Some(alike.get(&key)?.1.clone())).or(group.marks.take());
            let lines = group.marks.clone().unwrap_or_else(Marks::plain);
            group.tags = tags_in(&group.texts);
            for (path, known, text) in std::mem::take(&mut group.texts) {
                let notation = match (known, &group.tags) {
                    (Some(Format::Yaml), Some(tags)) => Notation::tagged(tags.clone()),
                    (Some(format), _) => Notation::from(format),
                    (None, _) => Notation::described(lines.clone()),
                };
                group.files.push((path, Document::parse(FileId(0), notation, text.into(), &names)));
            }
        }
        // a few lines that look like values among many other files say nothing
        groups.retain(|_, group| group.files.len() > group.others);
        Ok(RawData { groups, files: data, names, manifest })
    }

    /// Drafts a rulebook, without some fields of which is known that they are not as they seem.
    pub fn drafted(&self, without: &LeftOut) -> Drafted {
        let names = &self.names;
        let mut kinds: Vec<Found<'_>> = Vec::new();
        let mut texts: Vec<Texts> = Vec::new();
        let mut languages = by_language(&self.groups, names);
        let mut notations: Vec<&Marks> = Vec::new();
        for ((below, ending), group) in &self.groups {
            let files = &group.files;
            let lines = group.marks.as_ref().map(|marks| match notations.iter().position(|known| *known == marks) {
                Some(at) => at,
                None => {
                    notations.push(marks);
                    notations.len() - 1
                }
            });
            let notation = lines.map(notation_name).or(group.tags.as_ref().map(tagged_name));
            let key = (below.clone(), ending.clone());
            if let Some((of, _)) = languages.iter_mut().find(|(_, groups)| groups.contains(&&key)) {
                of.notation.clone_from(&notation);
                continue;
            }
            let pattern = if below.is_empty() { format!("*.{ending}") } else { format!("{below}/*.{ending}") };
            if let Some(columns) = in_columns(group, &pattern, names) {
                texts.push(columns);
                continue;
            }
            let mut of_group: Vec<Found<'_>> = Vec::new();
            for (path, document) in files.iter().filter(|(_, document)| !document.is_broken()) {
                for found in pieces(path, document, names) {
                    // files of one folder that are alike hold one kind
                    match of_group.iter_mut().find(|other| other.is_like(&found)) {
                        Some(other) => {
                            other.files.extend(found.files);
                            other.definitions.extend(found.definitions);
                        }
                        None => of_group.push(found),
                    }
                }
            }
            let alone = of_group.len() == 1;
            for mut found in of_group {
                let one_each = found.cut.is_empty() && found.files.len() > 1;
                // the elements say which files are meant
                let by_element = ending.eq_ignore_ascii_case("xml") || lines.is_some() && found.word.is_some();
                // one that looks like none of them may be one all the same
                let mixed = group.others * 10 > files.len();
                found.patterns =
                    match !mixed && (by_element || (found.files.len() == files.len() && (alone || one_each))) {
                        true => vec![pattern.clone()],
                        false => found.files.clone(),
                    };
                // what lies in a folder of its own is called by it, and else by its list or file
                let word = match (&found.word, below.rsplit('/').next().filter(|word| !word.is_empty())) {
                    (Some(word), _) => word.clone(),
                    (None, Some(_)) if alone => telling(below).to_owned(),
                    _ => stem(found.files.first().map_or("", String::as_str)).to_owned(),
                };
                found.kind = singular(&word);
                found.notation.clone_from(&notation);
                kinds.push(found);
            }
        }
        let mut kinds = apart(with_siblings(kinds));
        kinds.retain_mut(|found| found.name_it(names));
        let mut taken = BTreeSet::new();
        for found in &mut kinds {
            let mut word = found.kind.clone();
            let mut nth = 2;
            while !taken.insert(word.clone()) {
                word = format!("{}-{nth}", found.kind);
                nth += 1;
            }
            found.kind = word;
        }
        texts.extend(languages.into_iter().map(|(of, _)| of));
        // those that there are most of come first
        texts.sort_by_key(|of| std::cmp::Reverse(of.files));
        let texts = Texts::join(texts);
        let of_texts = texts.as_ref().map_or(0, |texts| texts.files);
        let read: usize = of_texts + kinds.iter().flat_map(|found| &found.files).collect::<BTreeSet<_>>().len();
        let mut tagged: Vec<&Tags> = self.groups.values().filter_map(|group| group.tags.as_ref()).collect();
        tagged.sort_unstable_by_key(|tags| &tags.field);
        tagged.dedup();
        let text = written(&kinds, (&notations, &tagged), texts.as_ref(), (self.manifest.as_ref(), without), names);
        let told = kinds.iter().map(|found| (found.kind.clone(), found.definitions.len(), found.files.len())).collect();
        let texts = texts.map(|texts| (texts.keys.len(), texts.files));
        Drafted { text, kinds: told, texts, left: self.files - read.min(self.files) }
    }
}

/// Files of one folder and ending.
#[derive(Default)]
struct Group {
    /// How many files of that ending hold something else.
    others: usize,
    texts: Vec<(String, Option<Format>, String)>,
    files: Vec<(String, Document)>,
    /// How they are written, where their ending does not tell.
    marks: Option<Marks>,
    /// The tags of YAML in them.
    tags: Option<Tags>,
}

fn notation_name(nth: usize) -> String {
    if nth == 0 { "lines".to_owned() } else { format!("lines-{}", nth + 1) }
}

/// Definitions of one sort.
struct Found<'d> {
    files: Vec<String>,
    patterns: Vec<String>,
    kind: String,
    /// The way to the definitions in a file.
    cut: String,
    /// The key or element that they stand under.
    word: Option<String>,
    definitions: Vec<(&'d str, Node<'d>)>,
    /// The name of its notation, where the ending of its files does not tell it.
    notation: Option<String>,
    /// Their top fields.
    keys: BTreeSet<String>,
    /// What tells them apart: `key`, `stem`, or a field.
    name: String,
    ids: BTreeSet<String>,
}

impl Found<'_> {
    /// Whether a file holds one of them.
    fn is_one_each(&self) -> bool {
        !self.cut.ends_with("[]") && !self.cut.ends_with("{}")
    }

    /// Whether another file holds the same: it is cut alike, and shares many fields.
    fn is_like(&self, other: &Self) -> bool {
        let shared = self.keys.intersection(&other.keys).count();
        let fewer = self.keys.len().min(other.keys.len());
        // what lies in a folder, one in each file, is of one kind even where little is stated
        let enough = if self.cut.is_empty() { shared > 0 } else { shared * 2 >= fewer.max(1) };
        self.cut == other.cut && enough
    }

    /// Finds what tells the definitions apart; whether anything does.
    fn name_it(&mut self, names: &Names) -> bool {
        let field = |key: &str| -> Option<BTreeSet<String>> {
            let all = self.definitions.iter().map(|(_, node)| {
                let value = node.get_named(key, names)?;
                matches!(value.shape(), Shape::Text | Shape::Number).then(|| value.text().trim().to_owned())
            });
            let all: Option<Vec<String>> = all.collect();
            let all = all?;
            let ids: BTreeSet<String> = all.iter().cloned().collect();
            // what is changed further down may stand twice
            let apart = ids.len() * 20 >= all.len() * 19 && !ids.contains("");
            // sentences are no ids
            let short = |id: &String| id.chars().count() <= LONGEST && !id.contains('\n');
            (apart && ids.iter().all(short)).then_some(ids)
        };
        if self.cut.ends_with("{}") {
            self.name = "key".to_owned();
            let key = |node: &Node<'_>| node.key().map_or(String::new(), |key| names.text(key).to_owned());
            self.ids = self.definitions.iter().map(|(_, node)| key(node)).collect();
            return true;
        }
        let lower: BTreeMap<String, &String> = self.keys.iter().map(|key| (key.to_lowercase(), key)).collect();
        let likely = IDS.iter().filter_map(|id| lower.get(*id).map(|key| (*key).clone()));
        let ending = self.keys.iter().filter(|key| key.to_lowercase().ends_with("id")).cloned();
        let one_each = self.is_one_each();
        // a file's own name says more than one for people
        let likely = likely.filter(|key| !one_each || !matches!(key.to_lowercase().as_str(), "name" | "type"));
        let wanted: Vec<String> = likely.chain(ending).collect();
        // a field that only happens to differ says something where there are enough of them
        let others = self.keys.iter().filter(|_| !one_each && self.definitions.len() > 3).cloned();
        let candidates: Vec<String> = wanted.into_iter().chain(others).collect();
        for key in candidates {
            if let Some(ids) = field(&key) {
                (self.name, self.ids) = (key, ids);
                return true;
            }
        }
        if one_each {
            self.ids = self.definitions.iter().map(|(path, _)| stem(path).to_owned()).collect();
            let apart = self.ids.len() == self.definitions.len();
            self.name = if apart { "stem" } else { "path" }.to_owned();
        }
        one_each
    }
}

fn stem(path: &str) -> &str {
    let name = path.rsplit('/').next().unwrap_or(path);
    name.split_once('.').map_or(name, |(stem, _)| stem)
}

/// A word as the name of one: in small letters, without the ending of several.
fn singular(word: &str) -> String {
    let word: String = word.to_lowercase().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    let word = word.trim_matches('-');
    let cut = |end: &str| word.strip_suffix(end).filter(|rest| rest.len() > 1);
    let hissing = |rest: &&str| rest.ends_with(['x', 'h']) || rest.ends_with("ss");
    let out = match (cut("ies"), cut("es").filter(hissing), cut("s").filter(|rest| !rest.ends_with(['s', 'u', 'i']))) {
        (Some(rest), ..) => format!("{rest}y"),
        (_, Some(rest), _) | (.., Some(rest)) => rest.to_owned(),
        _ => word.to_owned(),
    };
    if out.is_empty() { "thing".to_owned() } else { out }
}

fn is_table(node: &Node<'_>) -> bool {
    node.shape() == Shape::Table
}

/// Where no manifest was found to look at.
const MANIFEST: &str = "[manifest]\nfile = \"mod.json\"\nid = \"id\"\nname = \"name\"\nrequires = \"requires[]\"\n";

/// The rulebook's text.
fn written(
    kinds: &[Found<'_>],
    (notations, tagged): (&[&Marks], &[&Tags]),
    texts: Option<&Texts>,
    (manifest, without): (Option<&DraftedManifest>, &LeftOut),
    names: &Names,
) -> String {
    let mut out = String::from(
        "rulebook = 1\n\n# Drafted from the game's data: which files hold which kinds, and what their fields look like. Look it\n# through: what is a list that is joined, what a number may be, what the game does with the same id twice,\n# only somebody who plays it knows (docs/RULEBOOK.md). `cognomen kinds --coverage` says what is not described yet.\n\n[game]\nname = \"The game's name\"\n\n# How a mod says what it is.\n",
    );
    out.push_str(manifest.map_or(MANIFEST, |manifest| &manifest.text));
    out.push_str("\n# What is no data of the game.\n[files]\nignore = [\"*.md\"]\n");
    out.extend(texts.map(Texts::written));
    for (nth, marks) in notations.iter().enumerate() {
        out.push_str(&format!("\n[notations.{}]\nformat = \"described\"\n", notation_name(nth)));
        let blocks = marks.blocks.iter().map(|(open, close)| quoted(&format!("{open} {close}")));
        let comments: Vec<String> = marks.comments.iter().map(|mark| quoted(mark)).chain(blocks).collect();
        out.push_str(&format!("comment = [{}]\nassign = {}\n", comments.join(", "), quoted(&marks.assign)));
        if let Some((open, close)) = &marks.section {
            out.push_str(&format!("section = [{}, {}]\n", quoted(open), quoted(close)));
        }
        if let Some((open, close)) = &marks.closing {
            out.push_str(&format!("closing = [{}, {}]\n", quoted(open), quoted(close)));
        }
        if marks.braces {
            out.push_str("braces = true\n");
        }
        if let Some(named) = &marks.named {
            out.push_str(&format!("named = {}\n", quoted(named)));
        }
        if let Some(include) = &marks.include {
            out.push_str(&format!("include = {}\n", quoted(include)));
        }
        if let Some(join) = &marks.join {
            out.push_str(&format!("join = {}\n", quoted(join)));
        }
        if let Some((open, close)) = &marks.headings {
            out.push_str(&format!("headings = [{}, {}]\n", quoted(open), quoted(close)));
        }
        if marks.long {
            out.push_str("long = true\n");
        }
        if marks.bare {
            out.push_str("bare = true\n");
        }
    }
    for tags in tagged {
        let field = quoted(&tags.field);
        out.push_str(&format!("\n[notations.{}]\nformat = \"yaml\"\ntags = {field}\n", tagged_name(tags)));
    }
    for found in kinds {
        let patterns: Vec<String> = found.patterns.iter().map(|pattern| quoted(pattern)).collect();
        let files = match patterns.as_slice() {
            [only] => only.clone(),
            several => format!("[{}]", several.join(", ")),
        };
        out.push_str(&format!("\n[[where]]\nfiles = {files}\n"));
        if let Some(notation) = &found.notation {
            out.push_str(&format!("notation = {}\n", quoted(notation)));
        }
        if !found.cut.is_empty() {
            out.push_str(&format!("cut = {}\n", quoted(&found.cut)));
        }
        out.push_str(&format!("kind = {}\n", quoted(&found.kind)));
    }
    for found in kinds {
        let number = found.definitions.len();
        out.push_str(&format!("\n[kinds.{}]  # {number} in the base\nname = {}\n", found.kind, quoted(&found.name)));
        if let Some((template, all)) = texts.and_then(|texts| texts.template(found)) {
            out.push_str(&match all {
                true => format!("texts = {{ name = {} }}\n", quoted(&template)),
                false => format!("texts = {{ name = {{ key = {}, optional = true }} }}\n", quoted(&template)),
            });
        }
        out.push_str("again = \"merge\"\nopen = true                 # take this out once all fields are described\n");
        let mut seen: BTreeMap<String, Seen> = BTreeMap::new();
        let mut order: Vec<String> = Vec::new();
        for (_, node) in &found.definitions {
            look_at(*node, "", 0, names, &mut seen, &mut order);
        }
        if found.definitions.first().is_some_and(|(_, node)| is_text_only(node.document().format())) {
            as_lists(&mut seen, &mut order);
        }
        // a field that names one of the same kind, and is called so
        let parent = order.iter().find(|path| {
            let words = seen.get(*path).map(|what| &what.words);
            PARENTS.contains(&path.to_lowercase().replace(['_', '-'], "").as_str())
                && words.is_some_and(|words| words.iter().any(|word| found.ids.contains(word)))
        });
        if let Some(parent) = parent {
            out.push_str(&format!("parent = {}\n", quoted(parent)));
        }
        out.push_str(&format!("\n[kinds.{}.fields]\n", found.kind));
        let total = number;
        for path in order.iter().take(FIELDS) {
            let Some(what) = seen.get(path) else { continue };
            let is_name = *path == found.name;
            // now one value, now a list of them: where elements repeat, that is a list; else a person has to say it
            let bare = path.replace("[]", "");
            let mut above =
                bare.match_indices('.').map(|(at, _)| bare.get(..at).unwrap_or_default()).chain([bare.as_str()]);
            if above.any(|way| without.contains(&(found.kind.clone(), way.to_owned()))) {
                continue;
            }
            let twins: Vec<&String> = order.iter().filter(|other| other.replace("[]", "") == bare).collect();
            // now a value, now a table
            let below = format!("{bare}.");
            if order.iter().any(|other| other.replace("[]", "").starts_with(&below)) {
                continue;
            }
            let longest = twins.iter().map(|twin| twin.len()).max();
            if twins.len() > 1 && (!what.format.is_some_and(is_text_only) || longest != Some(path.len())) {
                continue;
            }
            if parent == Some(path) {
                continue;
            }
            for (path, said) in said(path, what, total, is_name, (kinds, texts)) {
                out.push_str(&format!("{} = {{ {said} }}\n", quoted(&path)));
            }
        }
    }
    out
}
