//! What is around a copy: what its original owns, what both name, and where it could start.

use super::{CopyOptions, StartingPoint, remove, stated, unique_fields, unname};
use crate::author::assign::Assignment;
use crate::author::rename::reworded;
use crate::author::set::SetError;
use crate::author::texts::NewText;
use crate::author::usable::usable_id;
use crate::catalog::{Address, Catalog, LayerId, Seen};
use crate::document::{Draft, FieldPath};
use crate::effective::{Effective, How, Value, World, reach};
use crate::nearest::nearest;
use crate::rulebook::{KindId, Pattern, Reading, TypeId};

/// Copies what the original owns through a field, and lets the new one name the copies.
pub(super) fn along(
    world: &World,
    options: &CopyOptions,
    effective: &Effective,
    field: &FieldPath,
    draft: &mut Draft,
    others: &mut Vec<(KindId, String, Draft, Address)>,
) -> Result<(), SetError> {
    let catalog = &world.catalog;
    let rulebook = &catalog.rulebook;
    let root = rulebook.kind(effective.kind).root();
    let links: Vec<TypeId> = rulebook
        .fields_below(root)
        .into_iter()
        .map(|(_, ty)| ty)
        .filter(|ty| matches!(rulebook.field_type(*ty).reading, Reading::Link(_)))
        .collect();
    let below = |pattern: &str| {
        let word = field.to_string();
        pattern == word || pattern.strip_prefix(&word).is_some_and(|rest| rest.starts_with(['.', '[', '{']))
    };
    let patterns: Vec<&str> = links.iter().map(|ty| rulebook.field_type(*ty).pattern.as_str()).collect();
    let chosen: Vec<TypeId> = links.iter().copied().filter(|ty| below(&rulebook.field_type(*ty).pattern)).collect();
    if chosen.is_empty() {
        let near = nearest(&field.to_string(), patterns.iter().copied()).map(str::to_owned);
        let near = near.or_else(|| patterns.first().map(|pattern| (*pattern).to_owned()));
        let help =
            near.map_or(String::new(), |near| format!("\n  help: fields that name others are `{near}` and the like"));
        return Err(SetError::Problem(format!("`{field}` names no other definitions{help}")));
    }
    let seen = world.with_ground(options.layer);
    let whole = effective.value.at(catalog, field).ok_or_else(|| {
        SetError::Problem(format!("`{field}` is not there in `{}`", catalog.show_address(effective.address)))
    })?;
    let mut changed = whole.draft(catalog);
    for ty in chosen {
        let Ok(pattern) = Pattern::parse(&rulebook.field_type(ty).pattern) else { continue };
        let kinds = rulebook.link_kinds(ty);
        for value in reach(catalog, effective.value.clone(), &pattern.0) {
            let Some(word) = value.word(catalog) else { continue };
            let Some(target) = seen.named(&word, &kinds) else { continue };
            let id = format!("{}-{word}", options.id);
            replace_words(&mut changed, &word, &id);
            if others.iter().any(|(_, known, ..)| *known == id) {
                continue;
            }
            let Some(owned) = seen.effective(target) else { continue };
            usable_id(world, options.layer, (owned.kind, &id), false)?;
            let parent = rulebook.kind(owned.kind).parent.map(|parent| catalog.names.text(parent));
            let mut copied = stated(catalog, &owned, parent);
            for path in unique_fields(catalog, owned.kind) {
                remove(&mut copied, &path);
            }
            unname(catalog, owned.kind, &mut copied);
            others.push((owned.kind, id, copied, target));
        }
    }
    draft.put_at(field.steps(), changed);
    Ok(())
}

/// Lets fields that name the original's own texts name those of the copy.
pub(super) fn own_keys(catalog: &Catalog, effective: &Effective, id: &str, texts: &[NewText], draft: &mut Draft) {
    let rulebook = &catalog.rulebook;
    let kind = rulebook.kind(effective.kind);
    let original = catalog.names.text(effective.address.id);
    let keys = kind.texts.iter().map(|rule| (kind.filled(&rule.template, original), kind.filled(&rule.template, id)));
    let keys: Vec<(String, String)> = keys.filter(|(_, new)| texts.iter().any(|(key, ..)| key == new)).collect();
    if keys.is_empty() {
        return;
    }
    for (_, ty) in rulebook.fields_below(kind.root()) {
        let field = rulebook.field_type(ty);
        let Reading::Key(template) = &field.reading else { continue };
        let (Ok(pattern), Some(path)) = (Pattern::parse(&field.pattern), leading(&field.pattern)) else { continue };
        let names = |text: &str, key: &str| field.names_in(text).into_iter().any(|word| template.fill(word) == key);
        for value in reach(catalog, effective.value.clone(), &pattern.0) {
            let Some(word) = value.word(catalog) else { continue };
            let Some((_, new)) = keys.iter().find(|(old, _)| names(&word, old)) else { continue };
            let Some(other) = reworded(&word, original, id, |text| names(text, new)) else { continue };
            let stands = draft.at(&path).cloned().or_else(|| Some(effective.value.at(catalog, &path)?.draft(catalog)));
            let Some(mut changed) = stands else { continue };
            replace_words(&mut changed, &word, &other);
            draft.put_at(path.steps(), changed);
        }
    }
}

fn replace_words(draft: &mut Draft, from: &str, to: &str) {
    match draft {
        Draft::Text(text) if text == from => to.clone_into(text),
        Draft::List(items) => items.iter_mut().for_each(|item| replace_words(item, from, to)),
        Draft::Table(entries) => entries.iter_mut().for_each(|(_, value)| replace_words(value, from, to)),
        _ => {}
    }
}

/// What the new definition still names together with its original, files aside.
pub(super) fn shared(
    seen: &Seen<'_>,
    effective: &Effective,
    draft: &Draft,
    assignments: &[Assignment],
) -> Vec<(FieldPath, Address)> {
    let catalog = seen.catalog;
    let rulebook = &catalog.rulebook;
    let mut out = Vec::new();
    for (_, ty) in rulebook.fields_below(rulebook.kind(effective.kind).root()) {
        let field = rulebook.field_type(ty);
        let Reading::Link(kinds) = &field.reading else { continue };
        let (Ok(pattern), Some(path)) = (Pattern::parse(&field.pattern), leading(&field.pattern)) else { continue };
        if assignments.iter().any(|assignment| assignment.path.leading_keys() == path) {
            continue;
        }
        for value in reach(catalog, effective.value.clone(), &pattern.0) {
            let Some(word) = value.word(catalog) else { continue };
            // one that was copied along is its own by now
            if draft.at(&path).is_some_and(|draft| !holds(draft, &word)) {
                continue;
            }
            if let Some(target) = seen.named(&word, kinds)
                && !out.contains(&(path.clone(), target))
            {
                out.push((path.clone(), target));
            }
        }
    }
    out
}

/// The keys before the first list or map of a pattern.
fn leading(pattern: &str) -> Option<FieldPath> {
    let end = pattern.find(['[', '{']).unwrap_or(pattern.len());
    FieldPath::parse(pattern.get(..end)?).ok()
}

fn holds(draft: &Draft, word: &str) -> bool {
    match draft {
        Draft::Text(text) => text == word,
        Draft::List(items) => items.iter().any(|item| holds(item, word)),
        Draft::Table(entries) => entries.iter().any(|(_, value)| holds(value, word)),
        _ => false,
    }
}

/// The definitions that a copy could inherit from, and what each leaves to state to be as the original is.
pub(super) fn starts(world: &World, layer: LayerId, effective: &Effective) -> Vec<StartingPoint> {
    let catalog = &world.catalog;
    let kind = catalog.rulebook.kind(effective.kind);
    let view = world.with_ground(layer);
    let rows = |effective: &Effective| crate::look::rows(catalog, effective, &effective.value);
    let original: Vec<_> = rows(effective)
        .into_iter()
        .filter(|row| !matches!(row.now.how, How::Default(_)))
        .filter(|row| kind.parent.is_none_or(|parent| row.path != FieldPath::key(catalog.names.text(parent))))
        .collect();
    let mut out = Vec::new();
    if kind.parent.is_some() {
        for parent in std::iter::once(effective.address).chain(effective.parents.iter().copied()) {
            let Some(other) = view.effective(parent) else { continue };
            let same = |row: &crate::look::Row| {
                let there = other.get(catalog, &row.path).map(|value: Value| value.draft(catalog));
                there.as_ref() == Some(&row.now.value)
            };
            let to_state = original.iter().filter(|row| !same(row)).map(|row| row.path.clone()).collect();
            out.push(StartingPoint { parent: Some(parent), to_state });
        }
    }
    out.push(StartingPoint { parent: None, to_state: original.into_iter().map(|row| row.path).collect() });
    out
}
