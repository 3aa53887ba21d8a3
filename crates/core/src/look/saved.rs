//! Ids that somebody still holds and that nothing defines any more: in saved games, and in what went out earlier.

use std::collections::BTreeMap;

use crate::catalog::{Address, Catalog};
use crate::document::{Document, Format};
use crate::effective::{View, World, reach};
use crate::names::Names;
use crate::nearest::nearest;
use crate::rulebook::{KindId, PatternStep, Reached, SavedIds, SavedRule};
use crate::source::{FileId, Lines};

/// An id that was defined once and is not any more.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Vanished {
    /// Kind and id.
    pub address: String,
    /// What most likely took its place.
    pub likely: Option<String>,
}

/// Of what was defined then, what is not defined in a view now.
///
/// What most likely took its place is the nearest of what is new since; else, where only one of the kind went and one
/// came, that.
pub fn vanished(view: &View<'_>, catalog: &Catalog, then: &[String]) -> Vec<Vanished> {
    let kind_of = |address: &str| address.split_once('/').map_or("", |(kind, _)| kind).to_owned();
    let stands = |shown: &String| {
        let found = shown.split_once('/').and_then(|(kind, id)| {
            let kind = catalog.rulebook.kind_named(kind)?;
            catalog.address(kind, id)
        });
        found.is_some_and(|address| view.stands(view.current(address)))
    };
    let gone: Vec<&String> = then.iter().filter(|shown| !stands(shown)).collect();
    if gone.is_empty() {
        return Vec::new();
    }
    let new = view.definitions().filter(|(_, made)| !catalog.layer(made.layer).is_base());
    let new = new.filter_map(|(_, made)| Some(catalog.show_address(catalog.address_of(made)?)));
    let new: Vec<String> = new.filter(|shown| !then.contains(shown)).collect();
    let likely = |shown: &String| {
        let same = |other: &&String| kind_of(other) == kind_of(shown);
        let near = nearest(shown, new.iter().filter(same).map(String::as_str)).map(str::to_owned);
        near.or_else(|| {
            let mut came: Vec<&String> = new.iter().filter(same).collect();
            came.dedup();
            let alone = gone.iter().copied().filter(|other| same(other)).count() == 1 && came.len() == 1;
            came.first().filter(|_| alone).map(|only| (*only).clone())
        })
    };
    gone.iter().map(|shown| Vanished { address: (*shown).clone(), likely: likely(shown) }).collect()
}

/// What a saved game holds.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct SavedReport {
    /// How many ids stand in it.
    pub ids: usize,
    /// Those that nothing defines, the most used first.
    pub lost: Vec<Lost>,
    /// What the game does with them, where the rulebook says it.
    pub game_does: Option<String>,
}

/// An id of a saved game that nothing defines.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Lost {
    /// Kind and id, or a field and its value.
    pub what: String,
    /// Where it stands, as paths and lines.
    pub uses: Vec<(String, u32)>,
    /// The mod that defines it, where that is not looked at.
    pub elsewhere: Option<String>,
    /// The nearest that there is.
    pub likely: Option<String>,
    /// The field of that definition which would keep the earlier id, where the rulebook knows one.
    pub alias: Option<String>,
}

/// Why a saved game says nothing.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
pub enum SavedError {
    /// The rulebook does not say where ids stand in it.
    #[error("the rulebook does not say where ids stand in `{0}`\n  help: `[[saved]]` in the rulebook{1}")]
    NoRule(String, String),
    /// It cannot be read.
    #[error("`{file}`:{line}: {message}")]
    Broken {
        /// The file.
        file: String,
        /// The line, from 1.
        line: u32,
        /// What is wrong.
        message: String,
    },
    /// It is in no format that is known.
    #[error("`{0}` is in no format that is known\n  help: `format` in `[[saved]]` of the rulebook")]
    Format(String),
}

/// Whether a file below the game's folder is a saved game.
pub fn is_saved_game(catalog: &Catalog, path: &str) -> bool {
    catalog.rulebook.saved.iter().any(|rule| rule.globs.is_match(path))
}

/// The folders below the game's in which saved games can lie, as far as their patterns name them; empty for the game's
/// own.
pub fn saved_game_folders(catalog: &Catalog) -> impl Iterator<Item = &str> {
    let mut all: Vec<&str> =
        catalog.rulebook.saved.iter().flat_map(|rule| &rule.files).map(|p| plain_folder(p)).collect();
    all.sort_unstable();
    all.dedup();
    all.into_iter()
}

/// The part of a file's pattern before the first folder or name that is not plain.
fn plain_folder(pattern: &str) -> &str {
    let plain = pattern.find(['*', '?', '[', '{', '\\']).unwrap_or(pattern.len());
    pattern.get(..plain).and_then(|plain| plain.rsplit_once('/')).map_or("", |(folder, _)| folder)
}

/// The ids of a saved game that nothing defines in a view.
///
/// # Errors
/// The rulebook knows no such file, or it cannot be read.
pub fn saved(world: &World, view: &View<'_>, path: &str, text: &str) -> Result<SavedReport, SavedError> {
    let catalog = &world.catalog;
    let rule = rule_of(catalog, path)?;
    let format = rule.format.or_else(|| Format::of(path)).ok_or_else(|| SavedError::Format(path.to_owned()))?;
    let names = Names::new();
    let document = Document::parse(FileId(0), format, text.into(), &names);
    let lines = Lines::new(text);
    if let Some(fault) = document.faults().iter().find(|fault| !fault.repeated_key) {
        let line = lines.position(fault.span.start).line;
        return Err(SavedError::Broken { file: path.to_owned(), line, message: fault.message.to_string() });
    }
    let mut report = SavedReport { game_does: rule.lost.clone(), ..SavedReport::default() };
    let mut lost: BTreeMap<String, Lost> = BTreeMap::new();
    for ids in &rule.ids {
        let known = ids.field.as_ref().map(|field| values_of(view, catalog, ids, &field.0));
        for reached in ids.at.reached(document.root(), &names) {
            let Some((word, span)) = word_at(&reached, &names) else { continue };
            report.ids += 1;
            let (what, likely) = match &known {
                Some(known) if known.contains_key(&word) => continue,
                Some(known) => {
                    let shown = shown_field(catalog, ids);
                    (format!("{shown} {word}"), nearest(&word, known.keys().map(String::as_str)).map(str::to_owned))
                }
                None if defined(view, catalog, &word, &ids.kinds) => continue,
                None => {
                    let kinds = || ids.kinds.iter().map(|kind| catalog.rulebook.kind(*kind));
                    let shown = kinds().next().map_or("", |kind| kind.name());
                    let near = kinds().find_map(|kind| {
                        let near = nearest(&word, view.ids_of(kind.space))?;
                        Some(format!("{}/{near}", kind.name()))
                    });
                    (format!("{shown}/{word}"), near)
                }
            };
            let alias = ids.kinds.first().filter(|_| known.is_none() && likely.is_some());
            let alias = alias.and_then(|kind| catalog.rulebook.kind(*kind).aliases.first()).map(ToString::to_string);
            let line = lines.position(span).line;
            let elsewhere = ids.kinds.iter().filter(|_| known.is_none()).find_map(|kind| {
                let address = catalog.address(*kind, &word)?;
                let (_, made) = catalog.seen().top(address)?;
                Some(catalog.layer(made.layer).id.clone())
            });
            let likely = likely.filter(|_| elsewhere.is_none());
            let entry = || Lost { what: what.clone(), uses: Vec::new(), elsewhere, likely, alias };
            lost.entry(what.clone()).or_insert_with(entry).uses.push((reached.way, line));
        }
    }
    report.lost = lost.into_values().collect();
    report.lost.sort_by_key(|lost| std::cmp::Reverse(lost.uses.len()));
    Ok(report)
}

/// The rule of a saved game: by its path, else by its name, else the only one.
fn rule_of<'c>(catalog: &'c Catalog, path: &str) -> Result<&'c SavedRule, SavedError> {
    let all = &catalog.rulebook.saved;
    let name = |path: &str| path.rsplit('/').next().unwrap_or(path).to_owned();
    let file = name(path);
    let called = |rule: &&SavedRule| {
        let globs = rule.files.iter().filter_map(|pattern| globset::Glob::new(&name(pattern)).ok());
        globs.into_iter().any(|glob| glob.compile_matcher().is_match(&file))
    };
    let found = all.iter().find(|rule| rule.globs.is_match(path)).or_else(|| all.iter().find(called));
    found.or_else(|| all.first().filter(|_| all.len() == 1)).ok_or_else(|| {
        let patterns: Vec<String> = all.iter().flat_map(|rule| &rule.files).map(|p| format!("`{p}`")).collect();
        let known = if patterns.is_empty() { String::new() } else { format!(" has {}", patterns.join(", ")) };
        SavedError::NoRule(path.to_owned(), known)
    })
}

/// Whether a word names a definition of one of these kinds, also by an earlier id or with its kind in front.
fn defined(view: &View<'_>, catalog: &Catalog, word: &str, kinds: &[KindId]) -> bool {
    let at = |kind: &KindId, word: &str| catalog.address(*kind, word).map(|address| view.current(address));
    let is = |address: Option<Address>| address.is_some_and(|address| view.stands(address));
    kinds.iter().any(|kind| {
        let bare = word.strip_prefix(catalog.rulebook.kind(*kind).name()).and_then(|rest| rest.strip_prefix('/'));
        is(at(kind, word)) || bare.is_some_and(|bare| is(at(kind, bare)))
    })
}

fn shown_field(catalog: &Catalog, ids: &SavedIds) -> String {
    let kind = ids.kinds.first().map_or("", |kind| catalog.rulebook.kind(*kind).name());
    let field = ids.field.as_ref().map(ToString::to_string).unwrap_or_default();
    format!("{kind}.{field}")
}

/// The values of a field in all definitions of a kind.
fn values_of(view: &View<'_>, catalog: &Catalog, ids: &SavedIds, field: &[PatternStep]) -> BTreeMap<String, Address> {
    let mut out = BTreeMap::new();
    let of_kind = |at: &Address| view.kind_of(*at).is_some_and(|kind| ids.kinds.contains(&kind));
    for address in view.standing().into_iter().filter(of_kind) {
        let Some(effective) = view.effective(address) else { continue };
        for value in reach(catalog, effective.value.clone(), field) {
            if let Some(word) = value.word(catalog) {
                out.insert(word, address);
            }
        }
    }
    out
}

/// The word that stands at a place, and where it begins: a text with attributes beside it, too.
fn word_at(reached: &Reached<'_>, names: &Names) -> Option<(String, u32)> {
    let inner = reached.node.get_named("#text", names).filter(|_| !reached.is_key);
    match (reached.text(names), inner) {
        (Some(text), _) if reached.is_key => Some((text, reached.place().span.start)),
        (Some(text), _) => Some((text.trim().to_owned(), reached.place().span.start)),
        (None, Some(text)) => Some((text.text().trim().to_owned(), text.span().start)),
        (None, None) => None,
    }
}
