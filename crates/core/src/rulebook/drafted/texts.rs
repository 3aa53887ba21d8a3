//! Texts that players see: tables of keys and texts in files, folders or columns that are called as languages are.

use std::collections::{BTreeMap, BTreeSet};

use super::fields::quoted;
use super::{Found, Group, stem};
use crate::document::{Document, Format, Node, Shape};
use crate::names::Names;

/// Where a game's texts stand.
#[derive(Clone, Debug, Default)]
pub(super) struct Texts {
    patterns: Vec<String>,
    /// The name of their notation, where the ending of the files does not tell it.
    pub(super) notation: Option<String>,
    cut: String,
    /// Whether tables of texts stand in each other.
    nested: bool,
    /// The column with the key.
    column: Option<String>,
    main: String,
    pub(super) keys: BTreeSet<String>,
    /// How many files hold them.
    pub(super) files: usize,
}

/// So many ids are looked for in keys.
const SOME: usize = 40;

/// Languages by the names that files have.
const LANGUAGES: [&str; 16] = [
    "english",
    "french",
    "german",
    "spanish",
    "italian",
    "polish",
    "russian",
    "portuguese",
    "chinese",
    "japanese",
    "korean",
    "turkish",
    "dutch",
    "czech",
    "swedish",
    "ukrainian",
];

/// Whether a word is one as languages are called: `en`, `pt-BR`, `german`.
fn is_language(word: &str) -> bool {
    let (language, region) = word.split_once(['-', '_']).unwrap_or((word, ""));
    let letters = |text: &str| text.chars().all(|c| c.is_ascii_alphabetic());
    let short = (2..=3).contains(&language.len()) && letters(language) && region.len() <= 4 && letters(region);
    short || LANGUAGES.contains(&word.to_lowercase().as_str())
}

/// The one in which the game was written, as far as that can be told.
fn main_of<'w>(languages: impl Iterator<Item = &'w str> + Clone) -> Option<&'w str> {
    let english = |word: &&str| word.to_lowercase().starts_with("en");
    languages.clone().find(english).or(languages.clone().next())
}

/// Texts in columns: one has keys, and all others are called as languages are.
pub(super) fn in_columns(group: &Group, pattern: &str, names: &Names) -> Option<Texts> {
    let (_, document) = group.files.first()?;
    let row = (document.format() == Format::Csv).then(|| document.root().children().next()).flatten()?;
    let mut columns = row.children().filter_map(|cell| Some(names.text(cell.key()?)));
    let key = columns.next().filter(|key| ["key", "id", "name", "text"].contains(&key.to_lowercase().as_str()))?;
    let all: Vec<&str> = columns.collect();
    let main = main_of(all.iter().copied())?.to_owned();
    let rows = group.files.iter().flat_map(|(_, document)| document.root().children());
    let keys = rows.filter_map(|row| Some(row.get_named(key, names)?.text().into_owned())).collect();
    let (patterns, column, files) = (vec![pattern.to_owned()], Some(key.to_owned()), group.files.len());
    all.iter().all(|word| is_language(word)).then_some(Texts {
        patterns,
        column,
        main,
        keys,
        files,
        ..Texts::default()
    })
}

/// What a document holds that is a table of texts, or of such tables.
struct OfDocument {
    cut: String,
    nested: bool,
    keys: BTreeSet<String>,
}

fn of_document(document: &Document, names: &Names) -> Option<OfDocument> {
    let (mut table, mut cut) = (document.root(), String::new());
    if document.format() == Format::Xml {
        table = table.children().next()?;
        names.text(table.key()?).clone_into(&mut cut);
    }
    let mut keys = BTreeSet::new();
    let fits = !document.is_broken() && table.shape() == Shape::Table && keys_below(table, "", names, &mut keys);
    let nested = table.children().any(|child| child.shape() == Shape::Table);
    (fits && !keys.is_empty()).then_some(OfDocument { cut, nested, keys })
}

/// The keys of all texts below a table; whether nothing else is there.
fn keys_below(table: Node<'_>, above: &str, names: &Names, out: &mut BTreeSet<String>) -> bool {
    table.children().all(|child| {
        let key = format!("{above}{}", child.key().map_or("", |key| names.text(key)));
        match child.shape() {
            Shape::Text => {
                out.insert(key);
                true
            }
            Shape::Null => true,
            Shape::Table => keys_below(child, &format!("{key}."), names, out),
            _ => false,
        }
    })
}

/// A document that is called as a language is: that, and the folder and ending that it stands in.
type Called<'g> = (String, &'g Document, &'g (String, String));

/// Texts with a file or a folder for each language, and the folders and endings that they stand in.
pub(super) fn by_language<'g>(
    groups: &'g BTreeMap<(String, String), Group>,
    names: &Names,
) -> Vec<(Texts, Vec<&'g (String, String)>)> {
    let mut found: BTreeMap<String, Vec<Called<'g>>> = BTreeMap::new();
    for (key, group) in groups {
        let (below, ending) = key;
        let stems: Vec<&str> = group.files.iter().map(|(path, _)| stem(path)).collect();
        if !stems.is_empty() && stems.iter().all(|word| is_language(word)) {
            let folder = if below.is_empty() { String::new() } else { format!("{below}/") };
            let all = found.entry(format!("{folder}{{language}}.{ending}")).or_default();
            all.extend(stems.iter().zip(&group.files).map(|(word, (_, document))| ((*word).to_owned(), document, key)));
            continue;
        }
        let parts: Vec<&str> = below.split('/').collect();
        let Some(at) = parts.iter().rposition(|part| is_language(part)) else { continue };
        let folder: Vec<&str> =
            parts.iter().enumerate().map(|(nth, part)| if nth == at { "{language}" } else { *part }).collect();
        let word = parts.get(at).copied().unwrap_or_default();
        let all = found.entry(format!("{}/*.{ending}", folder.join("/"))).or_default();
        all.extend(group.files.iter().map(|(_, document)| (word.to_owned(), document, key)));
    }
    let one = |(pattern, all): (String, Vec<Called<'g>>)| {
        let mut keys: BTreeMap<&str, BTreeSet<String>> = BTreeMap::new();
        let mut cuts: BTreeSet<String> = BTreeSet::new();
        let mut nested = false;
        for (language, document, _) in &all {
            let of = of_document(document, names)?;
            cuts.insert(of.cut);
            nested |= of.nested;
            keys.entry(language).or_default().extend(of.keys);
        }
        let main = main_of(keys.keys().copied())?.to_owned();
        let known = keys.remove(main.as_str())?;
        // what says the same in another language has the same keys
        let alike = |other: &BTreeSet<String>| other.intersection(&known).count() * 2 >= other.len().max(1);
        let (single, several) = (main.to_lowercase().starts_with("en"), keys.values().all(alike));
        let cut = (cuts.len() == 1).then(|| cuts.pop_first()).flatten()?;
        let mut groups: Vec<&'g (String, String)> = all.iter().map(|(.., key)| *key).collect();
        groups.dedup();
        let (patterns, files) = (vec![pattern], all.len());
        let texts = Texts { patterns, cut, nested, main, keys: known, files, ..Texts::default() };
        (if keys.is_empty() { single } else { several }).then_some((texts, groups))
    };
    found.into_iter().filter_map(one).collect()
}

impl Texts {
    /// What several places say, where they are written alike.
    pub(super) fn join(all: Vec<Texts>) -> Option<Texts> {
        let mut all = all.into_iter();
        let mut first = all.next()?;
        for more in all {
            let like = |texts: &Texts| (texts.notation.clone(), texts.cut.clone(), texts.nested, texts.column.clone());
            if like(&first) == like(&more) {
                first.patterns.extend(more.patterns);
                first.keys.extend(more.keys);
                first.files += more.files;
            }
        }
        Some(first)
    }

    /// `[texts]` of a rulebook.
    pub(super) fn written(&self) -> String {
        let files: Vec<String> = self.patterns.iter().map(|pattern| quoted(pattern)).collect();
        let about = match &self.column {
            Some(_) => "a column with the key, one for each language",
            None => "a table of keys and texts for each language",
        };
        let mut out = format!("\n# Texts that players see: {about}.\n[texts]\nfiles = [{}]\n", files.join(", "));
        for (key, value) in [("notation", self.notation.as_deref()), ("key", self.column.as_deref())] {
            out.extend(value.map(|value| format!("{key} = {}\n", quoted(value))));
        }
        if !self.cut.is_empty() {
            out.push_str(&format!("cut = {}\n", quoted(&self.cut)));
        }
        if self.nested {
            out.push_str("nested = \".\"\n");
        }
        out.push_str(&format!("main = {}\n", quoted(&self.main)));
        out
    }

    /// The template of the keys that most definitions have, made of their ids; whether all have one.
    pub(super) fn template(&self, found: &Found<'_>) -> Option<(String, bool)> {
        let mut templates: BTreeMap<String, usize> = BTreeMap::new();
        let some: Vec<&String> = found.ids.iter().filter(|id| id.len() > 1).take(SOME).collect();
        for id in &some {
            let bounded = |text: Option<char>| text.is_none_or(|letter| !letter.is_alphanumeric());
            for key in &self.keys {
                let Some(at) = key.find(id.as_str()) else { continue };
                let (before, after) = (key.get(..at)?, key.get(at + id.len()..)?);
                if bounded(before.chars().next_back()) && bounded(after.chars().next()) {
                    *templates.entry(format!("{before}{{id}}{after}")).or_default() += 1;
                }
            }
        }
        // of several, what is called so, and the shortest
        let named = |template: &str| template.to_lowercase().contains("name");
        let best = templates.into_iter().filter(|(_, number)| *number > 1 || some.len() == 1);
        let best = best.filter(|(_, number)| number * 10 >= some.len() * 7);
        let (template, _) =
            best.max_by_key(|(template, number)| (named(template), *number, std::cmp::Reverse(template.len())))?;
        let key = |id: &String| template.replace("{id}", id);
        let all = found.ids.iter().all(|id| self.keys.contains(&key(id)));
        Some((template, all))
    }

    /// Whether nearly all words are keys of texts.
    pub(super) fn are_keys(&self, words: &[&str]) -> bool {
        let known = words.iter().filter(|word| self.keys.contains(**word)).count();
        known > 0 && known * 10 >= words.len() * 9
    }
}
