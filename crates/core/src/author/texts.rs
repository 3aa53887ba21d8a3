//! Texts of new definitions, put into the mod's own text files.

use std::collections::BTreeMap;

use super::set::SetError;
use crate::catalog::{Catalog, FileRole, LayerId};
use crate::document::{Document, Draft, Edit, FieldPath, Format, Node, Notation, edit, whole};
use crate::names::Names;
use crate::source::{FileChange, FileId};

/// A text to be written: key, language, text.
pub(crate) type NewText = (String, String, String);

/// The entry of a file that says a text: the row that it stands in, with the cell of its key; otherwise what has its key,
/// which is a list where several texts have the same.
pub(super) fn entry_of_text<'c>(catalog: &'c Catalog, text: Node<'c>) -> (Node<'c>, Option<Node<'c>>) {
    let key = catalog.rulebook.texts.as_ref().map(|rule| rule.key);
    match text.parent() {
        Some(above) => match key.and_then(|key| above.get(key)) {
            Some(cell) => (above, Some(cell)),
            None if text.key().is_none() => (above, None),
            None => (text, None),
        },
        None => (text, None),
    }
}

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
        let notation = document.map(|document| document.notation().clone()).or_else(|| Notation::of(&path));
        let text = match notation {
            Some(notation) if notation.format() == Format::Csv => {
                let text = language.is_some().then(|| catalog.names.text(rule.text));
                let columns = Columns { key: catalog.names.text(rule.key), text, main: &rule.main };
                rows(before, notation, &columns, &texts)?
            }
            Some(notation) => {
                let edits: Vec<Edit> = texts
                    .iter()
                    .map(|(key, _, text)| Edit::Set { at: FieldPath::key(key), to: Draft::Text(text.clone()) })
                    .collect();
                match document {
                    Some(document) => edit(document, &edits, &catalog.names)?,
                    None => {
                        let entry = |(key, _, text): &&NewText| (key.clone(), Draft::Text(text.clone()));
                        whole(&notation, &[], &Draft::Table(texts.iter().map(entry).collect()), &catalog.names)?
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

/// The columns of a text file, for a new one: the key's, then those of the texts.
struct Columns<'c> {
    key: &'c str,
    /// The column with the text, where the file's name tells the language.
    text: Option<&'c str>,
    main: &'c str,
}

/// Rows behind those that are there. A language without a column is left to a person.
fn rows(
    before: Option<&str>,
    notation: Notation,
    columns: &Columns<'_>,
    texts: &[&NewText],
) -> Result<String, SetError> {
    let names = Names::new();
    let mut languages: Vec<&str> = texts.iter().map(|(_, language, _)| language.as_str()).collect();
    languages.sort_by_key(|language| (*language != columns.main, *language));
    languages.dedup();
    let separator = char::from(notation.rows().separator).to_string();
    let header = match columns.text {
        Some(text) => format!("{}{separator}{text}\n", columns.key),
        None => format!("{}{separator}{}\n", columns.key, languages.join(&separator)),
    };
    let text = before.map_or(header, str::to_owned);
    let document = Document::parse(FileId::default(), notation, text.as_str().into(), &names);
    let there: Vec<&str> = text.trim_start_matches('\u{feff}').lines().next().unwrap_or("").split(&separator).collect();
    let has = |column: &str| there.iter().any(|cell| cell.trim().trim_matches('"') == column);
    let mut rows: Vec<(&str, Vec<(String, Draft)>)> = Vec::new();
    for (key, language, text) in texts {
        let column = columns.text.unwrap_or(language);
        let cell = has(column).then(|| (column.to_owned(), Draft::Text(text.clone())));
        match rows.iter_mut().find(|(known, _)| known == key) {
            Some((_, cells)) => cells.extend(cell),
            None => {
                let named = (columns.key.to_owned(), Draft::Text(key.clone()));
                rows.push((key, std::iter::once(named).chain(cell).collect()));
            }
        }
    }
    let insert =
        |(_, cells)| Edit::Insert { into: FieldPath::default(), before: None, key: None, value: Draft::Table(cells) };
    let edits: Vec<Edit> = rows.into_iter().map(insert).collect();
    Ok(edit(&document, &edits, &names)?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_follow_the_columns_and_line_ends_that_are_there() {
        let text = |key: &str, language: &str, text: &str| (key.to_owned(), language.to_owned(), text.to_owned());
        let all = [text("a.name", "en", "Eel, smoked"), text("a.name", "fy", "Iel"), text("b.name", "en", "Bee")];
        let all: Vec<&NewText> = all.iter().collect();
        let columns = Columns { key: "key", text: None, main: "en" };
        let new = rows(None, Format::Csv.into(), &columns, &all).unwrap();
        assert_eq!(new, "key,en,fy\na.name,\"Eel, smoked\",Iel\nb.name,Bee,\n");
        let before = "\u{feff}key,fy,en\r\nx,1,2";
        let added = rows(Some(before), Format::Csv.into(), &columns, &all).unwrap();
        assert_eq!(added, format!("{before}\r\na.name,Iel,\"Eel, smoked\"\r\nb.name,,Bee"));
        let one = rows(
            None,
            Format::Csv.into(),
            &Columns { key: "id", text: Some("words"), main: "en" },
            all.get(..1).unwrap(),
        )
        .unwrap();
        assert_eq!(one, "id,words\na.name,\"Eel, smoked\"\n");
        // a language that the file does not have yet stays out
        let only = rows(Some("key,en\n"), Format::Csv.into(), &columns, &all).unwrap();
        assert_eq!(only, "key,en\na.name,\"Eel, smoked\"\nb.name,Bee\n");
    }
}
