//! Entries of a list in the game's own notation, put into a list of a definition.

use super::assign::{Assignment, Assigns, typed};
use super::paste::{PasteError, PasteFault};
use super::set::{SetError, SetOptions, SetReport, set};
use crate::catalog::{Address, Catalog, LayerId};
use crate::document::{Document, Draft, FieldPath, Format, Notation, Shape, Step, json_line};
use crate::effective::World;
use crate::rulebook::{Reading, TypeId};
use crate::source::FileId;

/// Reads a fragment as entries of a list of a definition and puts them into it, as `+=` does. Nothing is written; the
/// world is of no more use after an error.
///
/// # Errors
/// The fragment cannot be read, or its entries cannot stand in that list.
pub fn paste_entries(
    world: &mut World,
    layer: LayerId,
    address: Address,
    path: &FieldPath,
    text: &str,
) -> Result<SetReport, PasteError> {
    let catalog = &world.catalog;
    let shown = catalog.show_address(address);
    let view = world.with_ground(layer);
    let effective = view.effective(address).ok_or_else(|| problem(format!("`{shown}` is not there")))?;
    let ty = effective.type_at(catalog, path);
    let Some(list) = ty.and_then(|ty| match &catalog.rulebook.field_type(ty).reading {
        Reading::List(list) => Some(list),
        _ => None,
    }) else {
        let takes = ty.map_or(String::new(), |ty| format!(": it takes {}", catalog.rulebook.describe(ty)));
        return Err(problem(format!("`{path}` of `{shown}` is no list{takes}")));
    };
    let (_, made) = catalog.stack(address).last().ok_or_else(|| problem(format!("`{shown}` is not there")))?;
    let notation = catalog.node(made.at()).document().notation().clone();
    let key = match path.steps().last() {
        Some(Step::Key(key)) => key.as_str(),
        _ => "",
    };
    let entries = entries_in(catalog, &notation, key, text)?;
    if entries.is_empty() {
        let message = "there is no entry in the fragment".to_owned();
        return Err(PasteError::Faults(vec![PasteFault { line: None, message, help: None }]));
    }
    let lenient = notation.format().needs_reading();
    let entry = |draft: Draft| if lenient { as_typed(catalog, draft, list.entry) } else { draft };
    let all: Vec<Draft> = entries.into_iter().map(entry).collect();
    let value = json_line(&Draft::List(all));
    let (kind, id) = (effective.kind, catalog.names.text(address.id).to_owned());
    let assignments = vec![Assignment { path: path.clone(), assigns: Assigns::Add, value }];
    let options = SetOptions { layer, kind, id, assignments, why: None, at_anchor: false };
    Ok(set(world, &options)?)
}

fn problem(message: String) -> PasteError {
    PasteError::Set(SetError::Problem(message))
}

/// The entries in a fragment: those of a list, of what stands under the list's own key, or the one that it is.
fn entries_in(catalog: &Catalog, notation: &Notation, key: &str, text: &str) -> Result<Vec<Draft>, PasteError> {
    let bare = text.trim().trim_end_matches(',');
    let forms = match notation.format() {
        Format::Json => vec![(format!("[\n{bare}\n]"), 1), (text.to_owned(), 0), (format!("{{\n{bare}\n}}"), 1)],
        Format::Xml => vec![(format!("<pasted>\n{text}\n</pasted>"), 1)],
        Format::Toml => vec![(text.to_owned(), 0), (format!("{key} = [\n{bare}\n]\n"), 1)],
        _ => vec![(text.to_owned(), 0)],
    };
    // told are the faults of the form that fits best
    let mut best: Option<(Document, usize)> = None;
    for (form, above) in forms {
        let document = Document::parse(FileId(u32::MAX), notation.clone(), form.into(), &catalog.names);
        if document.faults().is_empty() {
            let mut value = Draft::of(document.root(), &catalog.names);
            if notation.format() == Format::Xml {
                value = value.get("pasted").cloned().unwrap_or(Draft::Null);
            }
            return Ok(listed(key, value));
        }
        if best.as_ref().is_none_or(|(known, _)| document.faults().len() < known.faults().len()) {
            best = Some((document, above));
        }
    }
    let faults = best.into_iter().flat_map(|(document, above)| {
        let one = |fault: &crate::document::Fault| {
            let before = document.text().get(..fault.span.start as usize).unwrap_or("").matches('\n').count() + 1;
            PasteFault {
                line: Some(before.saturating_sub(above).max(1)),
                message: fault.message.to_string(),
                help: None,
            }
        };
        document.faults().iter().map(one).collect::<Vec<_>>()
    });
    Err(PasteError::Faults(faults.collect()))
}

fn listed(key: &str, value: Draft) -> Vec<Draft> {
    match value {
        Draft::Null => Vec::new(),
        Draft::List(items) => match items.as_slice() {
            // a whole list in the brackets that were put around it
            [Draft::List(inner)] => inner.clone(),
            [one @ Draft::Table(_)] => listed(key, one.clone()),
            _ => items,
        },
        Draft::Table(entries) => match entries.as_slice() {
            [(only, inner)] if only == key => listed("", inner.clone()),
            _ => vec![Draft::Table(entries)],
        },
        single => vec![single],
    }
}

/// A value of a notation that does not tell numbers from texts, as its type reads it.
fn as_typed(catalog: &Catalog, draft: Draft, ty: TypeId) -> Draft {
    match (&catalog.rulebook.field_type(ty).reading, draft) {
        (Reading::List(list), Draft::List(items)) => {
            Draft::List(items.into_iter().map(|item| as_typed(catalog, item, list.entry)).collect())
        }
        (Reading::List(list), single) if single.shape() != Shape::Text => {
            Draft::List(vec![as_typed(catalog, single, list.entry)])
        }
        (Reading::Table(table), Draft::Table(entries)) => {
            let field = |key: &str| table.get(catalog.names.get(key)?);
            let entry = |(key, value): (String, Draft)| {
                let value = match field(&key) {
                    Some(ty) => as_typed(catalog, value, ty),
                    None => value,
                };
                (key, value)
            };
            Draft::Table(entries.into_iter().map(entry).collect())
        }
        (_, Draft::Text(word)) => typed(catalog, &word, ty).unwrap_or(Draft::Text(word)),
        (_, other) => other,
    }
}
