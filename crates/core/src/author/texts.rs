//! Texts of new definitions, put into the mod's own text files.

use std::collections::BTreeMap;

use super::read_back::Before;
use super::requirement::{made_with, writable};
use super::set::SetError;
use super::taken::Taken;
use crate::catalog::{Catalog, FileRole, LayerId, language_in};
use crate::document::{
    Document, Draft, Edit, FieldPath, Format, Node, NodeRef, Notation, Shape, Step, edit, find, whole,
};
use crate::effective::World;
use crate::names::Names;
use crate::rulebook::{PatternStep, TextsRule};
use crate::source::{ChangeSet, FileChange, FileId};

/// A text to be written: key, language, text.
pub type NewText = (String, String, String);

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

/// What becomes of a language that a table of texts has no column for.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Languages {
    /// It is left to a person.
    Known,
    /// It gets a column.
    All,
}

/// Adds texts: to the files of the mod that have some, or to a new one made of the rulebook's first pattern.
///
/// # Errors
/// The rulebook says nothing of texts, or a file cannot be edited.
pub(crate) fn add_texts(
    catalog: &Catalog,
    layer: LayerId,
    texts: &[NewText],
    languages: Languages,
) -> Result<Vec<FileChange>, SetError> {
    if texts.is_empty() {
        return Ok(Vec::new());
    }
    let rule = catalog.rulebook.texts.as_ref();
    let pattern = rule.and_then(|rule| rule.files.first()).map(|(_, pattern)| pattern.clone());
    let (Some(rule), Some(pattern)) = (rule, pattern) else {
        return Err(SetError::Problem("the rulebook does not say where texts stand".to_owned()));
    };
    let main_file = |key: &str| {
        let all = catalog.texts.get(key).into_iter().flatten();
        let own = all.filter(|(language, at)| *language == rule.main && catalog.file(at.file).layer == Some(layer));
        own.map(|(_, at)| at.file).next_back()
    };
    // one file for all languages, or one for each
    let mut files: BTreeMap<(Option<String>, String), Vec<&NewText>> = BTreeMap::new();
    for text in texts {
        let language = pattern.contains("{language}").then(|| text.1.clone());
        let path = path_for(catalog, layer, rule, language.as_deref(), main_file(&text.0));
        files.entry((language, path)).or_default().push(text);
    }
    let mut changes = Vec::new();
    let form = Form::of(catalog, rule);
    for ((language, path), texts) in files {
        let known = catalog.file_named(&path);
        let document = known.and_then(|id| catalog.document(id));
        let before = document.map(|document| &**document.text());
        let notation = document
            .map(|document| document.notation().clone())
            .or_else(|| rule.notation.clone())
            .or_else(|| Notation::of(&path));
        let text = match notation {
            Some(notation) if notation.format() == Format::Csv => {
                let text = language.is_some().then(|| catalog.names.text(rule.text));
                let columns = Columns { key: catalog.names.text(rule.key), text, main: &rule.main };
                rows(before, notation, &columns, &texts, languages)?
            }
            Some(notation) => match document {
                Some(document) => edit(document, &form.added(document, &texts), &catalog.names)?,
                None => {
                    // an empty file of which one text after the other becomes what stands in it
                    let mut draft = Draft::Table(Vec::new());
                    for text in &texts {
                        form.put(&mut draft, &way_to(rule, &text.1), text, |_| None);
                    }
                    let original = texts.iter().find_map(|text| main_file(&text.0));
                    let any = || {
                        let mut all = catalog.files().filter(|(_, file)| matches!(file.role, FileRole::Texts(_)));
                        all.find(|(_, file)| Notation::of(&file.relative).as_ref() == Some(&notation)).map(|(id, _)| id)
                    };
                    let original = original.or_else(any).and_then(|file| catalog.document(file));
                    let models: Vec<&Document> = original.into_iter().map(|document| &**document).collect();
                    whole(&notation, &models, &draft, &catalog.names)?
                }
            },
            None => return Err(SetError::Problem(format!("texts cannot be written into `{path}`"))),
        };
        changes.push(match before {
            Some(before) => FileChange::edit(path, before, text),
            None => FileChange::Create { path, text },
        });
    }
    Ok(changes)
}

/// Where a text of a language stands in a file: the table, or the list of which it is a row.
fn way_to(rule: &TextsRule, language: &str) -> FieldPath {
    let step = |step: &PatternStep| match step {
        PatternStep::Key(key) => Some(Step::Key(key.clone())),
        PatternStep::Values | PatternStep::Keys => Some(Step::Key(language.to_owned())),
        PatternStep::Entries | PatternStep::At(_) => None,
    };
    rule.cut.0.iter().filter_map(step).collect::<Vec<_>>().into()
}

/// How texts stand in files of tables and lists.
#[derive(Clone, Copy)]
struct Form<'c> {
    catalog: &'c Catalog,
    rule: &'c TextsRule,
    /// Whether each has a row of its own, with its key in a field.
    rows: bool,
    /// Whether a row has a field for each language.
    columns: bool,
}

impl<'c> Form<'c> {
    /// As the texts that are there stand, otherwise as the rulebook looks for them.
    fn of(catalog: &'c Catalog, rule: &'c TextsRule) -> Form<'c> {
        let of_file = |file: FileId| {
            let first = catalog.harvest_of(file)?.texts.first()?;
            let node = catalog.node(first.at);
            let plain = node.document().format() != Format::Csv;
            plain.then(|| entry_of_text(catalog, node).1.map(|_| node.key() != Some(rule.text)))
        };
        let seen = catalog.files().find_map(|(file, _)| of_file(file));
        let said = rule.cut.0.contains(&PatternStep::Entries).then_some(false);
        let columns = seen.unwrap_or(said);
        Form { catalog, rule, rows: columns.is_some(), columns: columns == Some(true) }
    }

    /// Puts a text into what a file is to hold at a way; `stands` says of a way from there whether a table stands on it
    /// already.
    fn put(
        &self,
        draft: &mut Draft,
        way: &FieldPath,
        (key, language, text): &NewText,
        stands: impl Fn(&FieldPath) -> Option<bool>,
    ) {
        if !self.rows {
            let new = |at: &FieldPath| draft.at(&way.join(at)).map(|here| matches!(here, Draft::Table(_)));
            let there = |at: &FieldPath| stands(at).or_else(|| new(at));
            let at = way.join(&self.steps_of(key, there));
            return draft.put_at(at.steps(), Draft::Text(text.clone()));
        }
        let word = |name| self.catalog.names.text(name).to_owned();
        let column = if self.columns { language.clone() } else { word(self.rule.text) };
        let cell = (column, Draft::Text(text.clone()));
        let named = (word(self.rule.key), Draft::Text(key.clone()));
        if !matches!(draft.at(way), Some(Draft::List(_))) {
            draft.put_at(way.steps(), Draft::List(Vec::new()));
        }
        let Some(Draft::List(rows)) = draft.at_mut(way) else { return };
        let same = rows.iter_mut().filter_map(|row| match row {
            Draft::Table(cells) if self.columns && cells.contains(&named) => Some(cells),
            _ => None,
        });
        match same.last() {
            Some(cells) => cells.push(cell),
            None => rows.push(Draft::Table(vec![named, cell])),
        }
    }

    /// The way to a text among tables that stand in each other, as far as no text stands on it: `there` says of a way
    /// whether a table does.
    fn steps_of(&self, key: &str, there: impl Fn(&FieldPath) -> Option<bool>) -> FieldPath {
        let (mut at, mut rest) = (FieldPath::default(), key);
        while let Some((head, tail)) = self.rule.nested.as_ref().and_then(|mark| rest.split_once(mark.as_str())) {
            let next = at.with(Step::Key(head.to_owned()));
            if head.is_empty() || tail.is_empty() || there(&next) == Some(false) {
                break;
            }
            (at, rest) = (next, tail);
        }
        at.with(Step::Key(rest.to_owned()))
    }

    /// The edits that add texts to a file, each where the rulebook looks for it.
    fn added(&self, document: &Document, texts: &[&NewText]) -> Vec<Edit> {
        let names = &self.catalog.names;
        let mut ways: BTreeMap<String, (FieldPath, Draft)> = BTreeMap::new();
        for text in texts {
            let way = way_to(self.rule, &text.1);
            let (way, draft) = ways.entry(way.to_string()).or_insert_with(|| (way, Draft::Null));
            // where no tables stand in each other, none are begun
            let table = find(document.root(), way, names);
            let is_table = |node: Node<'_>| node.shape() == Shape::Table;
            let flat = || table.is_some_and(|table| !table.is_empty() && !table.children().any(is_table));
            let there = |at: &FieldPath| match find(document.root(), &way.join(at), names) {
                Some(node) => Some(is_table(node)),
                None => flat().then_some(false),
            };
            self.put(draft, &FieldPath::default(), text, there);
        }
        let mut edits = Vec::new();
        for (way, draft) in ways.into_values() {
            match (find(document.root(), &way, names).map(Node::shape), draft) {
                (Some(Shape::List), Draft::List(rows)) => {
                    let insert = |value| Edit::Insert { into: way.clone(), before: None, key: None, value };
                    edits.extend(rows.into_iter().map(insert));
                }
                (Some(Shape::Table | Shape::Null), draft @ Draft::Table(_)) => {
                    grown(document, &way, draft, names, &mut edits);
                }
                // what is not there yet comes whole
                (_, draft) => edits.push(made_with(document, way, draft, names)),
            }
        }
        edits
    }
}

/// The edits that put what is new into a table, and into those in it.
fn grown(document: &Document, way: &FieldPath, draft: Draft, names: &Names, edits: &mut Vec<Edit>) {
    let Draft::Table(entries) = draft else { return };
    for (key, value) in entries {
        let at = way.with(Step::Key(key));
        let is_table = || find(document.root(), &at, names).is_some_and(|node| node.shape() == Shape::Table);
        match value {
            value @ Draft::Table(_) if is_table() => grown(document, &at, value, names, edits),
            to => edits.push(Edit::Set { at, to }),
        }
    }
}

/// The file of a mod for a text in a language: the one that stands beside the file of its original, as the pattern names
/// it; else one that is there; else a new one.
fn path_for(
    catalog: &Catalog,
    layer: LayerId,
    rule: &TextsRule,
    language: Option<&str>,
    main: Option<FileId>,
) -> String {
    let folder = &catalog.layer(layer).folder;
    let beside = main.and_then(|file| {
        let path = &catalog.file(file).path;
        let Some(language) = language else { return Some(path.to_string()) };
        let relative = path.strip_prefix(&format!("{folder}/"))?;
        let at = |(at, _): (usize, &str)| {
            let (before, after) = relative.split_at_checked(at)?;
            Some(format!("{before}{language}{}", after.strip_prefix(rule.main.as_str())?))
        };
        let is_its = |candidate: &String| {
            let mut its = rule.files.iter().filter(|(glob, _)| glob.is_match(candidate));
            its.any(|(_, pattern)| language_in(pattern, candidate).as_deref() == Some(language))
        };
        relative.match_indices(rule.main.as_str()).filter_map(at).find(is_its).map(|path| format!("{folder}/{path}"))
    });
    let there = || {
        let found = catalog.files().find(|(_, file)| {
            file.layer == Some(layer) && matches!(&file.role, FileRole::Texts(found) if found.as_deref() == language)
        });
        found.map(|(_, file)| file.path.to_string())
    };
    beside.or_else(there).unwrap_or_else(|| {
        let pattern = rule.files.first().map_or("", |(_, pattern)| pattern);
        let star = pattern.replace("{language}", language.unwrap_or("")).replace("**/", "");
        format!("{folder}/{}", star.replace('*', "names"))
    })
}

/// What was said.
#[derive(Clone, Debug)]
pub struct SaidTexts {
    /// The files to write.
    pub changes: ChangeSet,
    /// Key, language, the text before and after.
    pub rows: Vec<(String, String, Option<String>, String)>,
}

/// Says texts of a mod: where it says them already, or in a file of its own. Nothing is written to disk.
///
/// # Errors
/// The rulebook says nothing of texts, a file has no room for a language, or what would stand there would not be read.
pub fn say_texts(world: &mut World, layer: LayerId, texts: &[NewText]) -> Result<SaidTexts, SetError> {
    writable(&world.catalog, layer)?;
    let problem = |message: &str| SetError::Problem(message.to_owned());
    let Some(rule) = &world.catalog.rulebook.texts else {
        return Err(problem("the rulebook does not say where texts stand"));
    };
    let one_language = |pattern: &str| !pattern.contains("{language}");
    let in_columns = |notation: Option<Notation>| notation.is_some_and(|notation| notation.format() == Format::Csv);
    let main = rule.main.clone();
    let tables = rule.cut.0.contains(&PatternStep::Values) || Form::of(&world.catalog, rule).columns;
    let holds = rule.files.first().is_some_and(|(_, pattern)| {
        !one_language(pattern) || tables || in_columns(rule.notation.clone().or_else(|| Notation::of(pattern)))
    });
    let mut last: BTreeMap<(&str, &str), &str> = BTreeMap::new();
    for (key, language, text) in texts {
        if text.is_empty() {
            return Err(problem(&format!("an empty text for `{key}` would be none at all")));
        }
        if *language != main && !holds {
            return Err(problem(&format!("the text files of this game hold `{main}` alone, not `{language}`")));
        }
        last.insert((key, language), text);
    }
    let shown = |world: &World, key: &str, language: &str| {
        let found = world.with_ground(layer).text(key, language);
        found.map(|at| world.catalog.node(at).text().into_owned())
    };
    let before: Vec<Option<String>> = last.keys().map(|(key, language)| shown(world, key, language)).collect();
    let state = Before::of(world, layer, None);
    let mut taken = Taken::default();
    // first what stands already, then what is to be added
    let (edits, new) = places(&world.catalog, layer, &last);
    let mut texts_of_files: Vec<(String, String)> = Vec::new();
    for (file, edits) in edits {
        let Some(document) = world.catalog.document(file) else { continue };
        let text = edit(document, &edits, &world.catalog.names)?;
        texts_of_files.push((world.catalog.file(file).path.to_string(), text));
    }
    taken.take_in(world, layer, &texts_of_files)?;
    let added = add_texts(&world.catalog, layer, &new, Languages::All)?;
    taken.take_in_changes(world, layer, &added.into())?;
    let changes = taken.changes(world);
    state.read_back(world, layer, &[], &[])?;
    let mut rows = Vec::new();
    for (((key, language), text), before) in last.into_iter().zip(before) {
        let after = shown(world, key, language);
        if after.as_deref() != Some(text) {
            let shows = after.map_or("nothing".to_owned(), |after| format!("\"{after}\""));
            let message = format!("`{key}` in `{language}` would show {shows}, and not \"{text}\"");
            return Err(problem(&message));
        }
        rows.push((key.to_owned(), language.to_owned(), before, text.to_owned()));
    }
    Ok(SaidTexts { changes, rows })
}

/// Edits of the mod's files that say a text already, or have a row for its key; and the texts that are new.
fn places(
    catalog: &Catalog,
    layer: LayerId,
    texts: &BTreeMap<(&str, &str), &str>,
) -> (Vec<(FileId, Vec<Edit>)>, Vec<NewText>) {
    let mut edits: Vec<(FileId, Vec<Edit>)> = Vec::new();
    let mut new = Vec::new();
    for ((key, language), text) in texts {
        let own = catalog.texts.get(*key).into_iter().flatten();
        let own: Vec<_> = own.filter(|(_, at)| catalog.file(at.file).layer == Some(layer)).collect();
        let same = own.iter().rfind(|(known, _)| known == language);
        // a row for the key, in which this language has no cell yet
        let in_row = |at: NodeRef| entry_of_text(catalog, catalog.node(at)).1.is_some();
        let row =
            || own.iter().rfind(|(_, at)| matches!(catalog.file(at.file).role, FileRole::Texts(None)) && in_row(*at));
        let place = same.or_else(row).and_then(|(_, at)| {
            let document = catalog.document(at.file)?;
            let path = document.path_to(at.node, &catalog.names);
            let to = match (same, path.split_last()) {
                (Some(_), _) => path,
                (None, Some((row, _))) if !row.is_empty() => row.with(Step::Key((*language).to_owned())),
                _ => return None,
            };
            Some((at.file, Edit::Set { at: to, to: Draft::Text((*text).to_owned()) }))
        });
        match place {
            Some((file, edit)) => match edits.iter_mut().find(|(known, _)| *known == file) {
                Some((_, known)) => known.push(edit),
                None => edits.push((file, vec![edit])),
            },
            None => new.push(((*key).to_owned(), (*language).to_owned(), (*text).to_owned())),
        }
    }
    (edits, new)
}

/// The columns of a text file, for a new one: the key's, then those of the texts.
struct Columns<'c> {
    key: &'c str,
    /// The column with the text, where the file's name tells the language.
    text: Option<&'c str>,
    main: &'c str,
}

/// Rows behind those that are there.
fn rows(
    before: Option<&str>,
    notation: Notation,
    columns: &Columns<'_>,
    texts: &[&NewText],
    all: Languages,
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
        let takes = all == Languages::All || has(column);
        let cell = takes.then(|| (column.to_owned(), Draft::Text(text.clone())));
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
        let new = rows(None, Format::Csv.into(), &columns, &all, Languages::Known).unwrap();
        assert_eq!(new, "key,en,fy\na.name,\"Eel, smoked\",Iel\nb.name,Bee,\n");
        let before = "\u{feff}key,fy,en\r\nx,1,2";
        let added = rows(Some(before), Format::Csv.into(), &columns, &all, Languages::Known).unwrap();
        assert_eq!(added, format!("{before}\r\na.name,Iel,\"Eel, smoked\"\r\nb.name,,Bee"));
        let one = rows(
            None,
            Format::Csv.into(),
            &Columns { key: "id", text: Some("words"), main: "en" },
            all.get(..1).unwrap(),
            Languages::Known,
        )
        .unwrap();
        assert_eq!(one, "id,words\na.name,\"Eel, smoked\"\n");
        // a language that the file does not have yet stays out, unless it is meant
        let only = |languages| rows(Some("key,en\n"), Format::Csv.into(), &columns, &all, languages).unwrap();
        assert_eq!(only(Languages::Known), "key,en\na.name,\"Eel, smoked\"\nb.name,Bee\n");
        assert_eq!(only(Languages::All), "key,en,fy\na.name,\"Eel, smoked\",Iel\nb.name,Bee,\n");
    }
}
