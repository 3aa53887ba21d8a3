//! All matches of a search put into one list, or taken out of it.

use super::assign::{Assignment, AssignmentError, Assigns};
use super::groups::word_for;
use super::read::{field_at, keyed};
use crate::catalog::{ALONE, Address, LayerId};
use crate::document::{Document, Draft, FieldPath, Format, Step, json_line};
use crate::effective::World;
use crate::rulebook::{KindId, ListShape, Reading, TypeId};
use crate::source::FileId;

/// What stands for each match in the value of an assignment.
const EACH: &str = "-";

/// Whether an assignment speaks of the matches of a search: `goods+=-`, or `goods+={"what": "-", "amount": 3}`.
pub fn takes_matches(assignment: &Assignment) -> bool {
    let value = assignment.value.trim();
    matches!(assignment.assigns, Assigns::Add | Assigns::Remove) && (value == EACH || value.contains("\"-\""))
}

/// The assignment with an entry for each match.
///
/// # Errors
/// The field is no list, or its entries do not name such definitions.
pub fn with_matches(
    world: &World,
    layer: LayerId,
    of: (KindId, &str),
    assignment: &Assignment,
    matches: &[Address],
) -> Result<Assignment, AssignmentError> {
    let (kind, id) = of;
    let catalog = &world.catalog;
    let rulebook = &catalog.rulebook;
    let ty = field_at(catalog, kind, assignment)?;
    let Reading::List(list) = &rulebook.field_type(ty).reading else {
        let message = format!("`{}` is {}, which takes no matches", assignment.path, rulebook.describe(ty));
        return Err(AssignmentError::new(message, None));
    };
    let value = assignment.value.trim();
    let template = match value == EACH {
        true => match list.by.as_slice() {
            [by] if list.shape == ListShape::Keyed => {
                Draft::Table(vec![(catalog.names.text(*by).to_owned(), Draft::Text(EACH.to_owned()))])
            }
            _ => Draft::Text(EACH.to_owned()),
        },
        false => {
            let document = Document::parse(FileId(u32::MAX), Format::Json, value.into(), &catalog.names);
            match document.faults().first() {
                Some(fault) => return Err(AssignmentError::new(format!("`{value}`: {}", fault.message), None)),
                None => Draft::of(document.root(), &catalog.names),
            }
        }
    };
    let Some(at) = place_of(&template, &FieldPath::default()) else {
        return Err(AssignmentError::new(format!("`{value}` has no `\"-\"` for the matches"), None));
    };
    let inner: Option<TypeId> = match at.is_empty() {
        true => Some(list.entry),
        false => rulebook.type_at(list.entry, &at, &catalog.names).ok(),
    };
    let view = world.with_ground(layer);
    let entry = |address: &Address| {
        let word = inner.and_then(|ty| word_for(&view, ty, *address)).ok_or_else(|| {
            let shown = catalog.show_address(*address);
            let takes = inner.map_or(String::new(), |ty| format!(", which takes {}", rulebook.describe(ty)));
            AssignmentError::new(format!("`{shown}` cannot stand in `{}`{takes}", assignment.path), None)
        })?;
        // what tells an entry apart is enough to take it out
        let named = assignment.assigns == Assigns::Remove && list.shape == ListShape::Keyed;
        let mut entry = template.clone();
        match (named, entry.at_mut(&at)) {
            (true, _) => entry = Draft::Text(word),
            (false, Some(place)) => *place = Draft::Text(word),
            (false, None) => entry = Draft::Text(word),
        }
        Ok(entry)
    };
    // what is there already needs not to come, what is not there needs not to go
    let now = catalog.address(kind, id).and_then(|address| view.effective(address));
    let now = now.and_then(|effective| Some(effective.get(catalog, &assignment.path)?.draft(catalog)));
    let Some(Draft::List(now)) = now.or_else(|| Some(Draft::List(Vec::new()))) else {
        return Err(AssignmentError::new(format!("`{}` is no list here", assignment.path), None));
    };
    let told_apart = matches!(list.shape, ListShape::Keyed | ListShape::Set);
    let stands = |entry: &Draft| now.iter().any(|item| item == entry || keyed(world, ty, item, entry));
    let mut entries = matches.iter().map(entry).collect::<Result<Vec<_>, AssignmentError>>()?;
    let link = inner.filter(|ty| matches!(rulebook.field_type(*ty).reading, Reading::Link(_)));
    match (assignment.assigns == Assigns::Remove, link) {
        (false, _) => entries.retain(|entry| !told_apart || !stands(entry)),
        // in whatever form, and however often, they stand there
        (true, Some(link)) => {
            let named = |item: &Draft| {
                let word = item.at(&at)?.word()?;
                let target = view.targets(&catalog.sought(&word, link, ALONE)).first().copied();
                let entry = if list.shape == ListShape::Keyed { Draft::Text(word) } else { item.clone() };
                target.filter(|target| matches.contains(target)).map(|_| entry)
            };
            entries = now.iter().filter_map(named).collect();
        }
        (true, None) => entries.retain(stands),
    }
    let value = match assignment.assigns == Assigns::Remove && list.shape == ListShape::Keyed {
        true => entries.iter().filter_map(Draft::word).collect::<Vec<_>>().join(","),
        false => json_line(&Draft::List(entries)),
    };
    Ok(Assignment { path: assignment.path.clone(), assigns: assignment.assigns, value })
}

/// Where the word for each match stands.
fn place_of(template: &Draft, path: &FieldPath) -> Option<FieldPath> {
    match template {
        Draft::Text(word) if word == EACH => Some(path.clone()),
        Draft::Table(entries) => {
            entries.iter().find_map(|(key, value)| place_of(value, &path.with(Step::Key(key.clone()))))
        }
        _ => None,
    }
}
