//! Texts of new definitions, put into the mod's own text files.

use std::collections::BTreeMap;

use super::set::SetError;
use crate::catalog::{Catalog, FileRole, LayerId};
use crate::document::{Draft, Edit, FieldPath, Format, edit, json_like};
use crate::source::FileChange;

/// A text to be written: key, language, text.
pub(crate) type NewText = (String, String, String);

/// Adds texts: to the files of the mod that have some, or to a new one made of the rulebook's first pattern.
///
/// # Errors
/// The rulebook says nothing of texts, or a file cannot be edited.
pub(crate) fn add_texts(catalog: &Catalog, layer: LayerId, texts: &[NewText]) -> Result<Vec<FileChange>, SetError> {
    if texts.is_empty() {
        return Ok(Vec::new());
    }
    let rule = catalog.rulebook.texts.as_ref();
    let pattern = rule.and_then(|rule| rule.files.first()).map(|(_, pattern)| pattern.clone());
    let (Some(rule), Some(pattern)) = (rule, pattern) else {
        return Err(SetError::Problem("the rulebook does not say where texts stand".to_owned()));
    };
    let by_language = pattern.contains("{language}");
    // one file for all languages, or one for each
    let mut files: BTreeMap<Option<String>, Vec<&NewText>> = BTreeMap::new();
    for text in texts {
        files.entry(by_language.then(|| text.1.clone())).or_default().push(text);
    }
    let own = catalog.layer(layer);
    let mut changes = Vec::new();
    for (language, texts) in files {
        let known = catalog.files().find(|(_, file)| {
            file.layer == Some(layer) && matches!(&file.role, FileRole::Texts(found) if *found == language)
        });
        let path = match known {
            Some((_, file)) => file.path.clone(),
            None => {
                let star = pattern.replace("{language}", language.as_deref().unwrap_or("")).replace("**/", "");
                format!("{}/{}", own.folder, star.replace('*', "names"))
            }
        };
        let document = known.and_then(|(id, _)| catalog.document(id));
        let before = document.map(|document| &**document.text());
        let text = match Format::of(&path) {
            Some(Format::Csv) => {
                let (key, text) = (catalog.names.text(rule.key), catalog.names.text(rule.text));
                csv(before, key, text, language.is_some(), &rule.main, &texts)
            }
            Some(_) => {
                let edits: Vec<Edit> = texts
                    .iter()
                    .map(|(key, _, text)| Edit::Set { at: FieldPath::key(key), to: Draft::Text(text.clone()) })
                    .collect();
                match document {
                    Some(document) => edit(document, &edits, &catalog.names)?,
                    None => {
                        let entry = |(key, _, text): &&NewText| (key.clone(), Draft::Text(text.clone()));
                        json_like(None, &Draft::Table(texts.iter().map(entry).collect()))
                    }
                }
            }
            None => return Err(SetError::Problem(format!("texts cannot be written into `{path}`"))),
        };
        changes.push(match before {
            Some(before) => FileChange::edit(path, before, text),
            None => FileChange::Create { path, text },
        });
    }
    Ok(changes)
}

/// Rows behind those that are there. A language without a column is left to a person.
fn csv(before: Option<&str>, key: &str, text: &str, named: bool, main: &str, texts: &[&NewText]) -> String {
    let languages: Vec<&str> = match (before.and_then(|before| before.lines().next()), named) {
        (Some(header), _) => {
            header.trim_start_matches('\u{feff}').split(',').map(|cell| cell.trim_matches('"')).collect()
        }
        (None, true) => vec![key, text],
        (None, false) => {
            let mut all: Vec<&str> = texts.iter().map(|(_, language, _)| language.as_str()).collect();
            all.sort_by_key(|language| (*language != main, *language));
            all.dedup();
            std::iter::once(key).chain(all).collect()
        }
    };
    let ending = if before.is_some_and(|before| before.contains("\r\n")) { "\r\n" } else { "\n" };
    let mut out = before.map_or_else(|| format!("{}{ending}", languages.join(",")), str::to_owned);
    if !out.ends_with('\n') {
        out.push_str(ending);
    }
    let mut rows: Vec<(&str, Vec<&NewText>)> = Vec::new();
    for text in texts {
        match rows.iter_mut().find(|(key, _)| *key == text.0) {
            Some((_, row)) => row.push(text),
            None => rows.push((&text.0, vec![text])),
        }
    }
    for (row_key, row) in rows {
        let cell = |column: &&str| {
            if *column == key {
                return quoted(row_key);
            }
            let is = |entry: &&&NewText| entry.1 == **column || (named && **column == *text);
            row.iter().find(is).map_or(String::new(), |entry| quoted(&entry.2))
        };
        out.push_str(&languages.iter().map(cell).collect::<Vec<_>>().join(","));
        out.push_str(ending);
    }
    out
}

/// A cell of a CSV row (RFC 4180, section 2).
fn quoted(text: &str) -> String {
    match text.contains([',', '"', '\n', '\r']) {
        true => format!("\"{}\"", text.replace('"', "\"\"")),
        false => text.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_follow_the_columns_and_line_ends_that_are_there() {
        let text = |key: &str, language: &str, text: &str| (key.to_owned(), language.to_owned(), text.to_owned());
        let all = [text("a.name", "en", "Eel, smoked"), text("a.name", "fy", "Iel"), text("b.name", "en", "Bee")];
        let all: Vec<&NewText> = all.iter().collect();
        let new = csv(None, "key", "text", false, "en", &all);
        assert_eq!(new, "key,en,fy\na.name,\"Eel, smoked\",Iel\nb.name,Bee,\n");
        let before = "\u{feff}key,fy,en\r\nx,1,2";
        let added = csv(Some(before), "key", "text", false, "en", &all);
        assert_eq!(added, format!("{before}\r\na.name,Iel,\"Eel, smoked\"\r\nb.name,,Bee\r\n"));
        let one = csv(None, "id", "words", true, "en", all.get(..1).unwrap());
        assert_eq!(one, "id,words\na.name,\"Eel, smoked\"\n");
    }
}
