//! A kind as a table: definitions down, fields across, and what a changed cell means.

use super::assign::{Assignment, AssignmentError, Assigns, typed};
use super::read::field_at;
use crate::catalog::{Address, Catalog, LayerId};
use crate::document::{Draft, FieldPath, Number, Step, json_line};
use crate::effective::{View, World};
use crate::rulebook::{KindId, Reading, TypeId};

/// A column of a table.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct SheetColumn {
    /// The field.
    pub path: FieldPath,
    /// What it takes, its unit, what it means.
    pub about: String,
    /// What may stand there, where that is known: words, or ids.
    pub choices: Vec<String>,
}

/// A cell: the text in it, and whether that is a number.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct SheetCell {
    /// As it would be typed after `=`; nothing where nothing is stated.
    pub text: String,
    /// Whether it is a number.
    pub number: bool,
}

/// What stands in a cell for a text that is empty, and not absent.
const EMPTY: &str = "\"\"";

/// So many ids are worth a list to choose from.
const CHOICES: usize = 2_000;

/// The columns of a kind: the fields that are named, else all that hold one value, or a list of such, at one place.
///
/// # Errors
/// A field is not known; the nearest one.
pub fn sheet_columns(
    world: &World,
    layer: LayerId,
    kind: KindId,
    fields: &[String],
) -> Result<Vec<SheetColumn>, AssignmentError> {
    let catalog = &world.catalog;
    let rulebook = &catalog.rulebook;
    let view = world.with_ground(layer);
    let mut paths: Vec<FieldPath> = Vec::new();
    for field in fields {
        // one column for each entry
        if let Some(list) = field.strip_suffix("[]") {
            let list = FieldPath::parse(list).map_err(|error| AssignmentError::new(error.to_string(), None))?;
            let longest = longest(&view, kind, &list);
            paths.extend((0..longest.max(1)).map(|nth| list.with(Step::Index(nth))));
            continue;
        }
        paths.push(FieldPath::parse(field).map_err(|error| AssignmentError::new(error.to_string(), None))?);
    }
    if fields.is_empty() {
        for (_, ty) in rulebook.fields_below(rulebook.kind(kind).root) {
            let field = rulebook.field_type(ty);
            let plain = !field.pattern.contains(['[', '{']);
            let is_table = |ty: TypeId| {
                matches!(
                    rulebook.field_type(ty).reading,
                    Reading::Table(_) | Reading::Map { .. } | Reading::Choose { .. } | Reading::Either { .. }
                )
            };
            let tables = match &field.reading {
                Reading::List(list) => is_table(list.entry),
                _ => is_table(ty),
            };
            if let (true, false, Ok(path)) = (plain, tables, FieldPath::parse(&field.pattern))
                && !paths.contains(&path)
                && field_at(catalog, kind, &nothing_at(path.clone())).is_ok()
            {
                paths.push(path);
            }
        }
    }
    let column = |path: FieldPath| {
        let assignment = nothing_at(path);
        let ty = field_at(catalog, kind, &assignment)?;
        let field = rulebook.field_type(ty);
        let mut about = rulebook.describe(ty);
        if let Some(unit) = field.unit() {
            about.push_str(&format!(", {unit}"));
        }
        if let Some(default) = &field.default {
            about.push_str(&format!("; {} if left out", default.short()));
        }
        if let Some(said) = &field.about {
            about.push_str(&format!("\n{said}"));
        }
        let choices = match &field.reading {
            Reading::Choice(_) => field.words().to_vec(),
            Reading::Boolean => vec!["true".to_owned(), "false".to_owned()],
            Reading::Link(kinds) => {
                let spaces = kinds.iter().map(|kind| rulebook.kind(*kind).space);
                let mut ids: Vec<String> = spaces.flat_map(|space| view.ids_of(space)).map(str::to_owned).collect();
                ids.sort_unstable();
                ids.dedup();
                if ids.len() > CHOICES || field.link.as_ref().is_some_and(|link| !link.forms.is_empty()) {
                    ids.clear();
                }
                ids
            }
            _ => Vec::new(),
        };
        Ok(SheetColumn { path: assignment.path, about, choices })
    };
    paths.into_iter().map(column).collect()
}

/// The most entries that a list has in any definition of a kind.
fn longest(view: &View<'_>, kind: KindId, list: &FieldPath) -> usize {
    let catalog = view.catalog;
    let all = view.addresses().into_iter().filter(|address| view.kind_of(*address) == Some(kind));
    let length = |address: Address| Some(view.effective(address)?.get(catalog, list)?.items(catalog).len());
    all.filter_map(length).max().unwrap_or_default()
}

/// What the cells of a row ask for, of which some have changed: entries of one list in columns of their own become the
/// list that is left of them.
///
/// # Errors
/// An entry does not fit its list.
pub fn row_assignments(
    catalog: &Catalog,
    kind: KindId,
    cells: &[(&SheetColumn, &str)],
    changed: &[usize],
) -> Result<Vec<Assignment>, AssignmentError> {
    let mut out: Vec<Assignment> = Vec::new();
    let list_of = |column: &SheetColumn| {
        let (list, Step::Index(nth)) = column.path.split_last()? else { return None };
        let ty = field_at(catalog, kind, &nothing_at(list.clone())).ok()?;
        match &catalog.rulebook.field_type(ty).reading {
            Reading::List(of) if !catalog.rulebook.holds_tables(of.entry) => Some((list, *nth, of.entry)),
            _ => None,
        }
    };
    for (column, text) in changed.iter().filter_map(|at| cells.get(*at)) {
        let Some((list, ..)) = list_of(column) else {
            out.push(cell_assignment(column, text));
            continue;
        };
        if out.iter().any(|known| known.path == list) {
            continue;
        }
        let mut entries: Vec<(usize, Draft)> = Vec::new();
        for (column, text) in cells.iter().filter(|(_, text)| !text.is_empty()) {
            if let Some((_, nth, entry)) = list_of(column).filter(|(of, ..)| *of == list) {
                entries.push((nth, typed(catalog, text, entry)?));
            }
        }
        entries.sort_by_key(|(nth, _)| *nth);
        let value = Draft::List(entries.into_iter().map(|(_, entry)| entry).collect());
        out.push(Assignment { path: list, assigns: Assigns::Set, value: json_line(&value) });
    }
    Ok(out)
}

/// The cells of a definition, as it shows in a view without what counts by default.
pub fn sheet_row(view: &View<'_>, address: Address, columns: &[SheetColumn]) -> Vec<SheetCell> {
    let catalog = view.catalog;
    let Some(effective) = view.effective(address) else { return vec![SheetCell::default(); columns.len()] };
    let cell = |column: &SheetColumn| {
        let value = effective.get(catalog, &column.path)?;
        let ty = effective.type_at(catalog, &column.path)?;
        Some(cell(catalog, &value.draft(catalog), ty))
    };
    columns.iter().map(|column| cell(column).unwrap_or_default()).collect()
}

/// A value as a cell: in the game's packing where it has one, and always so that it is read back as itself.
fn cell(catalog: &Catalog, value: &Draft, ty: TypeId) -> SheetCell {
    let field = catalog.rulebook.field_type(ty);
    let text = |text: String| SheetCell { text, number: false };
    match value {
        Draft::Null => return SheetCell::default(),
        Draft::Text(word) if word.is_empty() => return text(EMPTY.to_owned()),
        _ => {}
    }
    // as the game packs it, with all that is in it
    let packed = catalog.rulebook.written(value.clone(), ty, &catalog.names);
    let mut forms: Vec<String> = match (&packed, value) {
        (Draft::Text(packed), Draft::List(_) | Draft::Table(_)) => vec![packed.clone()],
        _ => Vec::new(),
    };
    match value {
        Draft::List(items) => {
            let words: Option<Vec<String>> = items.iter().map(Draft::word).collect();
            if let Some(words) = words.filter(|words| !words.is_empty()) {
                let marks = field.written.iter().flat_map(|written| written.split.first());
                forms.extend(marks.map(|mark| words.join(mark)));
                forms.push(words.join(", "));
            }
        }
        scalar => forms.extend(scalar.word()),
    }
    let back = |form: &String| typed(catalog, form, ty).is_ok_and(|back| back == *value);
    // as a number that needs its unit
    let with_unit = || catalog.rulebook.written(value.clone(), ty, &catalog.names).word().filter(back);
    let number = matches!(value, Draft::Number(_));
    let form = forms.into_iter().find(back).or_else(|| number.then(with_unit)?);
    let form = form.unwrap_or_else(|| json_line(value));
    SheetCell { number: number && Number::parse(&form).is_some(), text: form }
}

fn nothing_at(path: FieldPath) -> Assignment {
    Assignment { path, assigns: Assigns::Set, value: String::new() }
}

/// What a cell's text asks for.
fn cell_assignment(column: &SheetColumn, text: &str) -> Assignment {
    let (assigns, value) = match text {
        "" => (Assigns::Unset, ""),
        EMPTY => (Assigns::Set, ""),
        text => (Assigns::Set, text),
    };
    Assignment { path: column.path.clone(), assigns, value: value.to_owned() }
}
