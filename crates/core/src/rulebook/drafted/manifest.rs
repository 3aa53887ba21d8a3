//! What a mod says of itself, as the rulebook has to say it: found in the folder of a mod, or of the base.

use super::fields::quoted;
use crate::document::{Document, Format, Node, Shape};
use crate::names::Names;
use crate::source::{FileId, Source, SourceError};

/// Where a manifest stands and what its fields mean.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct DraftedManifest {
    /// Its name in the folder.
    pub file: String,
    /// The id that it says.
    pub id: String,
    /// `[manifest]` of a rulebook.
    pub text: String,
    /// How well it looks like one.
    fits: usize,
}

/// Keys with the words that fields are called by, without `_` and `-`, the likeliest first.
const MEANT: [(&str, &[&str]); 4] = [
    ("id", &["id", "modid", "ident", "identifier", "packageid", "uniqueid", "key", "name"]),
    ("name", &["title", "displayname", "name", "label"]),
    ("version", &["version", "modversion"]),
    ("made_for", &["madefor", "gameversion", "supportedversions", "targetversion"]),
];

/// As [`MEANT`], for lists of other mods.
const LISTS: [(&str, &[&str]); 3] = [
    ("requires", &["requires", "needs", "dependencies", "depends", "dependson", "requirements"]),
    ("after", &["after", "loadafter", "loadsafter"]),
    ("excludes", &["excludes", "incompatible", "incompatiblewith", "conflicts", "notwith"]),
];

/// The manifest in a folder, if one of the files at its top looks like it.
///
/// # Errors
/// The folder cannot be read.
pub fn drafted_manifest(source: &dyn Source, folder: &str) -> Result<Option<DraftedManifest>, SourceError> {
    let mut best: Option<DraftedManifest> = None;
    for file in source.list(folder)?.into_iter().filter(|file| file.refused.is_none() && !file.path.contains('/')) {
        let Some(format) = Format::of(&file.path).filter(|format| !matches!(format, Format::Csv | Format::Po)) else {
            continue;
        };
        let path = if folder.is_empty() { file.path.clone() } else { format!("{folder}/{}", file.path) };
        let text = String::from_utf8_lossy(&source.read(&path)?).into_owned();
        let found = manifest(&file.path, format, &text);
        if found.as_ref().is_some_and(|found| best.as_ref().is_none_or(|best| best.fits < found.fits)) {
            best = found;
        }
    }
    Ok(best)
}

fn manifest(file: &str, format: Format, text: &str) -> Option<DraftedManifest> {
    let names = Names::new();
    let document = Document::parse(FileId(0), format, text.into(), &names);
    let mut node = document.root();
    let mut below = String::new();
    // the one element of a file of XML
    if format == Format::Xml {
        let only = node.children().next()?;
        below = format!("{}.", names.text(only.key()?));
        node = only;
    }
    if document.is_broken() || node.shape() != Shape::Table {
        return None;
    }
    let plain = |word: &str| word.to_lowercase().replace(['_', '-', '@'], "");
    let fields: Vec<(&str, Node<'_>)> =
        node.children().filter_map(|child| Some((names.text(child.key()?), child))).collect();
    let is_value = |child: &Node<'_>| matches!(child.shape(), Shape::Text | Shape::Number);
    let called = |words: &[&str], is: &dyn Fn(&Node<'_>) -> bool, taken: &[&str]| {
        let mut all = words.iter().filter_map(|word| {
            fields.iter().find(|(key, child)| plain(key) == **word && is(child) && !taken.contains(key)).copied()
        });
        all.next()
    };
    let mut said: Vec<(&str, String)> = Vec::new();
    let mut taken: Vec<&str> = Vec::new();
    let mut id = None;
    for (key, words) in MEANT {
        let Some((field, child)) = called(words, &is_value, &taken) else { continue };
        if key == "id" {
            id = Some(child.text().trim().to_owned());
        }
        taken.push(field);
        said.push((key, format!("{below}{field}")));
    }
    // what says no id of its own says at least what it is called, and is no definition among many
    let id = id.filter(|id| !id.is_empty() && id.len() <= 80 && !id.contains('\n'))?;
    let has = |key: &str| said.iter().any(|(known, _)| *known == key);
    let name = file.rsplit_once('.').map_or(file, |(stem, _)| stem).to_lowercase();
    let looks = ["mod", "manifest", "about", "info", "package", "descriptor"].iter().any(|word| name.contains(word));
    if !has("version") && !looks {
        return None;
    }
    for (key, words) in LISTS {
        let Some((field, child)) = called(words, &|_| true, &taken) else { continue };
        let entry = child.children().next();
        let inner = |entry: Node<'_>| {
            let found =
                entry.children().find(|value| value.key().is_some_and(|key| plain(names.text(key)).ends_with("id")));
            found.and_then(|value| value.key()).map(|key| names.text(key).to_owned())
        };
        let way = match (child.shape(), entry.map(|entry| (entry.shape(), entry))) {
            (Shape::List, Some((Shape::Table, entry))) => inner(entry).map(|key| format!("[].{key}")),
            (Shape::List, _) => Some("[]".to_owned()),
            (Shape::Table, Some((Shape::List, entry))) => entry.key().map(|key| format!(".{}[]", names.text(key))),
            (Shape::Table, Some((_, entry))) if format == Format::Xml => {
                entry.key().map(|key| format!(".{}[]", names.text(key)))
            }
            (Shape::Table, _) => Some("{key}".to_owned()),
            (Shape::Text, _) if format == Format::Xml => Some("[]".to_owned()),
            _ => None,
        };
        if let Some(way) = way {
            taken.push(field);
            said.push((key, format!("{below}{field}{way}")));
        }
    }
    let mut text = format!("[manifest]\nfile = {}\n", quoted(file));
    for (key, path) in &said {
        text.push_str(&format!("{key} = {}\n", quoted(path)));
    }
    let others = fields
        .iter()
        .filter(|(key, child)| !taken.contains(key) && (is_value(child) || child.shape() == Shape::Boolean));
    let others: Vec<String> = others
        .filter(|(key, _)| key.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | '@')))
        .map(|(key, child)| {
            let ty = match child.shape() {
                Shape::Boolean => "boolean",
                Shape::Number => "number",
                _ => "text",
            };
            format!("{} = {{ type = \"{ty}\", optional = true }}\n", quoted(&format!("{below}{key}")))
        })
        .collect();
    if !others.is_empty() {
        text.push_str(&format!("\n[manifest.fields]\n{}", others.concat()));
    }
    let fits = said.len() + usize::from(looks) * 4;
    Some(DraftedManifest { file: file.to_owned(), id, text, fits })
}
