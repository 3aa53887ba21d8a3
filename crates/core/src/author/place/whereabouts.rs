//! The file in which a definition lies, as its id and the rulebook's place say it.

use std::borrow::Cow;

use super::{by_hand, new_place};
use crate::author::set::SetError;
use crate::catalog::{Catalog, LayerId};
use crate::rulebook::{KindId, NameFrom, Where, Which, Word};
use crate::source::{FileId, path_for, sheet_in};

/// The folder that an id begins with and what is written of it there, where ids hold within a folder; else all of it.
pub(crate) fn folder_and_name<'i>(catalog: &Catalog, kind: KindId, id: &'i str) -> (Option<&'i str>, &'i str) {
    match (catalog.rulebook.kind(kind).scoped, id.rsplit_once('/')) {
        (false, _) => (None, id),
        (true, None) => (Some(""), id),
        (true, Some((folder, name))) => (Some(folder), name),
    }
}

/// The key under which a definition with an id stands in a table.
pub(crate) fn key_of(catalog: &Catalog, kind: KindId, id: &str) -> String {
    let (_, name) = folder_and_name(catalog, kind, id);
    let words = match catalog.rulebook.kind(kind).name_from.first() {
        Some(from @ NameFrom::Template(_)) => from.words_of(name).unwrap_or_default(),
        _ => Vec::new(),
    };
    let key = words.into_iter().find(|(word, _)| word.from == NameFrom::Key);
    key.map_or_else(|| name.to_owned(), |(_, key)| key)
}

/// Where the file of a definition goes that gets another id, if the id says something of that.
pub(crate) fn moved(catalog: &Catalog, kind: KindId, id: &str, relative: &str) -> Option<String> {
    let lies = Lies::of(catalog, kind, id)?;
    let there = lies.instead(relative);
    (lies.fits(&there) && there != relative).then_some(there)
}

/// Whether an id says something of the file in which its definition lies, beside that file's own name.
pub(crate) fn says_where(catalog: &Catalog, kind: KindId, id: &str) -> bool {
    Lies::of(catalog, kind, id).is_some_and(|lies| lies.folder.is_some() || !lies.words.is_empty())
}

/// What an id says of the file that its definition lies in.
pub(super) struct Lies<'c> {
    /// The folder in which ids hold.
    pub(super) folder: Option<&'c str>,
    /// Words that come from the file's path, with what they are in the id.
    pub(super) words: Vec<(Cow<'c, Word>, String)>,
}

impl<'c> Lies<'c> {
    /// Nothing where the id cannot be one of the kind.
    pub(super) fn of(catalog: &'c Catalog, kind: KindId, id: &'c str) -> Option<Lies<'c>> {
        let (folder, name) = folder_and_name(catalog, kind, id);
        let words = match catalog.rulebook.kind(kind).name_from.first() {
            Some(from @ (NameFrom::Template(_) | NameFrom::Folder)) => from.words_of(name)?,
            _ => Vec::new(),
        };
        Some(Lies { folder, words: words.into_iter().filter(|(word, _)| word.is_of_path()).collect() })
    }

    /// Whether a definition with the id can lie in a file.
    pub(super) fn fits(&self, relative: &str) -> bool {
        let lies = relative.rsplit_once('/').map_or("", |(folder, _)| folder);
        self.folder.is_none_or(|folder| folder == lies)
            && self.words.iter().all(|(word, text)| word.of_path(relative).as_deref() == Some(text))
    }

    /// A path as that of another file, with its words in place of that one's.
    fn instead(&self, relative: &str) -> String {
        let mut path = relative.to_owned();
        for (word, text) in &self.words {
            let Some(old) = word.of_path(relative).filter(|old| old != text) else { continue };
            let text = path_for(text);
            // letters of another size stand for the same
            let (small, old) = (path.to_ascii_lowercase(), old.to_ascii_lowercase());
            path = match (small.rfind(&old), small.find(&old), &word.from) {
                (Some(at), _, NameFrom::Stem) | (_, Some(at), _) => {
                    let (before, behind) = (path.get(..at), path.get(at + old.len()..));
                    format!("{}{text}{}", before.unwrap_or_default(), behind.unwrap_or_default())
                }
                _ => path,
            };
        }
        path
    }
}

/// The path of a file that holds one definition: where its path is its id, that; else the place's first pattern with
/// the id for its `*`, in the folder that tells the kind, where one does.
pub(crate) fn path_of_one(catalog: &Catalog, place: &Where, kind: KindId, id: &str) -> String {
    let pattern = place.patterns.iter().find(|pattern| place.notation_of(pattern).is_some()).map_or("", String::as_str);
    let ending = pattern.rsplit('/').next().and_then(|name| name.split_once("*.")).map(|(_, ending)| ending);
    if let (Some(NameFrom::Path), Some(ending)) = (catalog.rulebook.kind(kind).name_from.first(), ending) {
        let path = format!("{}.{ending}", path_for(id));
        if place.files.is_match(&path) {
            return path;
        }
    }
    if let (Some(folder), name) = folder_and_name(catalog, kind, id) {
        return within(folder, &path_of(place, name));
    }
    let path = path_of(place, id);
    if let (Which::By { from: NameFrom::Folder, words, .. }, Some((folder, name))) =
        (&place.which, path.rsplit_once('/'))
        && let Some((word, _)) = words.iter().filter(|(_, known)| **known == kind).min()
        && folder.rsplit('/').next() != Some(word)
        && pattern.contains("**/")
    {
        let within = format!("{folder}/{}/{name}", path_for(word));
        if place.files.is_match(&within) {
            return within;
        }
    }
    path
}

/// A file's name in a folder.
fn within(folder: &str, path: &str) -> String {
    let name = folder_and_file(path).1;
    match folder.is_empty() {
        true => name.to_owned(),
        false => format!("{folder}/{name}"),
    }
}

/// The folder of a file, and what it is called there: of a sheet, with its workbook.
fn folder_and_file(path: &str) -> (&str, &str) {
    let named = sheet_in(path).map_or(path, |(book, _)| book);
    let at = named.rfind('/').map_or(0, |at| at + 1);
    (path.get(..at.saturating_sub(1)).unwrap_or_default(), path.get(at..).unwrap_or(path))
}

/// A path made of a place's first pattern: `name` for its `*`, as far as a file can be called so.
pub(crate) fn path_of(place: &Where, name: &str) -> String {
    let name = &path_for(name);
    let pattern = place.patterns.iter().find(|pattern| place.notation_of(pattern).is_some()).map_or("", String::as_str);
    let flat = pattern.replace("**/", "");
    let star = if folder_and_file(&flat).1.contains('*') { name } else { "" };
    flat.replace('*', star)
}

/// The file, below a mod's folder, in which a new definition of a kind stands; `ID` stands for its id. A mod that has
/// such a file with several already adds to that one.
///
/// # Errors
/// Why none can be written.
pub fn site(catalog: &Catalog, kind: KindId, layer: LayerId) -> Result<String, SetError> {
    by_hand(catalog, kind)?;
    let (place, own) = (new_place(catalog, kind)?, &catalog.layer(layer).id);
    let has_such = |file: FileId| {
        catalog.harvest_of(file).is_some_and(|harvest| harvest.definitions.iter().any(|made| made.kind == kind))
    };
    let of_mod = catalog.files().filter(|(_, file)| file.layer == Some(layer) && place.files.is_match(&file.relative));
    if let Some((_, file)) = of_mod.filter(|_| !place.holds_one()).find(|(id, _)| has_such(*id)) {
        return Ok(file.relative.clone());
    }
    let first = || new_file(catalog, place, kind, "ID", own);
    let known = catalog.definitions().find(|(_, made)| made.kind == kind && made.id.is_some());
    let known = known.and_then(|(_, made)| made.id).map(|id| catalog.names.text(id));
    let Some(known) = known.filter(|id| says_where(catalog, kind, id) || Lies::of(catalog, kind, "ID").is_none())
    else {
        return first();
    };
    // as one that is there, but for its last word
    let end = known.rfind(|letter: char| !letter.is_alphanumeric()).map_or(0, |at| at + 1);
    let before = known.get(..end).unwrap_or_default();
    let paths =
        ["ID", "id"].iter().filter_map(|word| new_file(catalog, place, kind, &format!("{before}{word}"), own).ok());
    paths.into_iter().next().map_or_else(first, Ok)
}

/// The path of a new file for a definition: of its own, or called as the mod is; at a place from which the id follows.
///
/// # Errors
/// No file there would be read, or give that id.
pub(crate) fn new_file(
    catalog: &Catalog,
    place: &Where,
    kind: KindId,
    id: &str,
    own: &str,
) -> Result<String, SetError> {
    let described = catalog.rulebook.kind(kind);
    let (article, name) = (crate::rulebook::article(&described.name), &described.name);
    let Some(lies) = Lies::of(catalog, kind, id) else {
        let made = catalog.definitions().find(|(_, made)| made.kind == kind && made.id.is_some());
        let made = made
            .and_then(|(_, made)| made.id)
            .map(|id| format!("\n  help: it is made of other words, as `{}`", catalog.names.text(id)));
        return Err(SetError::Problem(format!("`{id}` is no id of {article} {name}{}", made.unwrap_or_default())));
    };
    let usual = match (place.holds_one(), lies.folder) {
        (true, _) => path_of_one(catalog, place, kind, id),
        (false, Some(folder)) => within(folder, &path_of(place, own)),
        (false, None) => path_of(place, own),
    };
    let reads = |path: &str| lies.fits(path) && place.files.is_match(path);
    if reads(&usual) || (lies.folder.is_none() && lies.words.is_empty()) {
        return Ok(usual);
    }
    // where others of the kind lie, with what the id says in place of theirs
    let others = catalog.definitions().filter(|(_, made)| made.kind == kind);
    let others = others.map(|(_, made)| &catalog.file(made.file).relative).filter(|path| place.files.is_match(path));
    let in_folder = |path: &str| match folder_and_file(path).0 {
        "" => usual.clone(),
        folder => within(folder, &usual),
    };
    let mut tried = rustc_hash::FxHashSet::default();
    for other in others.filter(|path| tried.insert(path.as_str())) {
        let there = lies.instead(other);
        // a file of several is called as the mod's are
        let called = if place.holds_one() { there.clone() } else { in_folder(&there) };
        if let Some(path) = [called, there].into_iter().find(|path| reads(path)) {
            return Ok(path);
        }
    }
    let help = match lies.folder {
        Some(_) => {
            let such = catalog.definitions().find(|(_, made)| made.kind == kind);
            let such = such.and_then(|(_, made)| catalog.file(made.file).relative.rsplit_once('/'));
            let (_, name) = folder_and_name(catalog, kind, id);
            such.map(|(such, _)| format!("\n  help: an id begins with a folder, as in `{such}/{name}`"))
        }
        None => Some("\n  help: write the file by hand, at a path from which that id follows".to_owned()),
    };
    let message = format!("{article} {name} `{id}` would not be read from `{usual}`{}", help.unwrap_or_default());
    Err(SetError::Problem(message))
}
