//! Where a definition goes: the file, and its content with the fields that name it.

mod original;
mod whereabouts;

use std::borrow::Cow;

pub(crate) use self::original::Original;
use self::whereabouts::Lies;
pub(crate) use self::whereabouts::folder_and_name;
pub use self::whereabouts::site;
pub(crate) use self::whereabouts::{key_of, moved, new_file, path_of, path_of_one, says_where};
use super::set::SetError;
use crate::catalog::{Catalog, FileRole, LayerId};
use crate::document::{
    Document, Draft, Edit, EditError, FieldPath, NodeRef, Notation, Number, Step, edit_like, find, whole,
};
use crate::names::{Names, Sym};
use crate::rulebook::{KindId, NameFrom, PatternStep, Wanted, Where, Which, Word};
use crate::source::FileChange;

/// A definition as it is written, with the fields that name it and tell its kind before its others.
pub(crate) fn named(catalog: &Catalog, draft: Draft, kind: KindId, id: &str, place: &Where) -> Draft {
    let draft = with_names(catalog, draft, kind, id, place);
    catalog.rulebook.written(draft, catalog.rulebook.kind(kind).root, &catalog.names)
}

/// A definition with the fields that name it, tell its kind, and are read by the test of its place or by what its kind
/// asks of a repeated id, put before its others.
pub(crate) fn with_names(catalog: &Catalog, mut draft: Draft, kind: KindId, id: &str, place: &Where) -> Draft {
    let lowest = catalog.address(kind, id).and_then(|address| catalog.stack(address).last()).map(|(_, below)| below);
    let (_, id) = folder_and_name(catalog, kind, id);
    let below = |path: &FieldPath| find(catalog.node(lowest?.at()), path, &catalog.names);
    let mut lead: Vec<(FieldPath, Draft)> = Vec::new();
    match catalog.rulebook.kind(kind).name_from.first() {
        Some(NameFrom::Field(path) | NameFrom::Fields(path)) => {
            // an id can be a number
            let root = catalog.rulebook.kind(kind).root;
            let ty = catalog.rulebook.type_at(root, path, &catalog.names).ok();
            let number = ty.is_some_and(|ty| catalog.rulebook.field_type(ty).is_number());
            let number = Number::parse(id).filter(|_| number).map(Draft::Number);
            lead.push((path.clone(), number.unwrap_or_else(|| Draft::Text(id.to_owned()))));
        }
        Some(from) => {
            // the fields that make the id together are those of what it changes, or follow from it
            let said = from.words_of(id).unwrap_or_default();
            let root = catalog.rulebook.kind(kind).root;
            for (path, _) in from.fields() {
                let known = below(path).map(|node| Draft::of(node, &catalog.names));
                let said = || {
                    let of = |(word, _): &&(Cow<'_, Word>, String)| matches!(&word.from, NameFrom::Field(field) if field == path);
                    let text = &said.iter().find(of)?.1;
                    let ty = catalog.rulebook.type_at(root, path, &catalog.names).ok();
                    let number = ty.is_some_and(|ty| catalog.rulebook.field_type(ty).is_number());
                    let number = Number::parse(text).filter(|_| number).map(Draft::Number);
                    Some(number.unwrap_or_else(|| Draft::Text(text.clone())))
                };
                let stated = draft.at(path).is_some();
                lead.extend(known.or_else(said).filter(|_| !stated).map(|value| (path.clone(), value)));
            }
        }
        None => {}
    }
    if lowest.is_none() {
        let again = catalog.rulebook.kind(kind).repeats_id.iter().filter(|path| draft.at(path).is_none());
        lead.extend(again.map(|path| (path.clone(), Draft::Text(id.to_owned()))));
    }
    if let Which::By { from: NameFrom::Field(field), words, .. } = &place.which
        && let Some((word, _)) = words.iter().filter(|(_, known)| **known == kind).min()
    {
        lead.push((field.clone(), Draft::Text(word.clone())));
    }
    let described = catalog.rulebook.kind(kind);
    let again = described.again_if.iter().map(|(test, _)| test).chain(&described.is_abstract);
    for part in place.test.iter().chain(again).flat_map(|test| &test.0).filter(|part| !part.of_whole) {
        let known = lead.iter().any(|(path, _)| *path == part.path);
        let value = below(&part.path).map(|node| Draft::of(node, &catalog.names));
        // a new definition says the word by which its place knows it
        let word = || match &part.wanted {
            Wanted::OneOf(words) if lowest.is_none() => words.first().cloned().map(Draft::Text),
            _ => None,
        };
        let of_place = place.test.iter().any(|test| test.0.iter().any(|other| std::ptr::eq(other, part)));
        let value = value.or_else(|| word().filter(|_| of_place));
        lead.extend(value.filter(|_| !known).map(|value| (part.path.clone(), value)));
    }
    for (path, value) in lead.into_iter().rev() {
        if draft.at(&path).is_none() {
            draft.lay_in(path.steps(), value, true);
        }
    }
    draft
}

/// The fields that name a definition before its others, where a copy as it stands has lost them.
fn with_lead(mut draft: Draft, lead: Draft) -> Draft {
    if let (Draft::Table(entries), Draft::Table(lead)) = (&mut draft, lead) {
        for (key, value) in lead.into_iter().rev() {
            if !entries.iter().any(|(known, _)| *known == key) {
                entries.insert(0, (key, value));
            }
        }
    }
    draft
}

/// Definitions with their ids, put together as a place cuts them.
pub(crate) fn uncut(cut: &[PatternStep], definitions: &[(String, Draft)]) -> Draft {
    let inner = match cut.last() {
        Some(PatternStep::Values | PatternStep::Keys) => Draft::Table(definitions.to_vec()),
        Some(PatternStep::Entries) => Draft::List(definitions.iter().map(|(_, draft)| draft.clone()).collect()),
        Some(PatternStep::Key(_) | PatternStep::At(_)) | None => {
            definitions.first().map_or(Draft::Table(Vec::new()), |(_, draft)| draft.clone())
        }
    };
    let above = match cut.last() {
        Some(PatternStep::Key(_)) => cut,
        _ => cut.split_last().map_or(&[][..], |(_, above)| above),
    };
    above.iter().rev().fold(inner, |inner, step| match step {
        PatternStep::Key(key) => Draft::Table(vec![(key.clone(), inner)]),
        PatternStep::Entries => Draft::List(vec![inner]),
        _ => Draft::Table(vec![("all".to_owned(), inner)]),
    })
}

/// A new definition.
pub(crate) struct New {
    pub(crate) id: String,
    /// As it is read, without what names it.
    pub(crate) draft: Draft,
    /// What it is a copy of.
    pub(crate) original: Option<Original>,
}

fn nowhere(catalog: &Catalog, kind: KindId) -> SetError {
    let name = catalog.rulebook.kind(kind).name();
    SetError::Problem(format!("the rulebook names no file in which a new {name} could stand"))
}

/// The place in whose files new definitions of a kind stand.
fn new_place(catalog: &Catalog, kind: KindId) -> Result<&Where, SetError> {
    catalog.rulebook.places.iter().find(|place| place.writes(kind)).ok_or_else(|| nowhere(catalog, kind))
}

/// Refuses kinds whose ids come from where a definition stands, in a way that leads back nowhere.
fn by_hand(catalog: &Catalog, kind: KindId) -> Result<(), SetError> {
    let described = catalog.rulebook.kind(kind);
    let made = |from: &NameFrom| matches!(from, NameFrom::Nothing);
    if !described.name_from.is_empty() && described.name_from.iter().all(made) {
        let (article, name) = (crate::rulebook::article(&described.name), &described.name);
        let message = format!(
            "the id of {article} {name} is not written but made of other things, so it has to be written by hand"
        );
        return Err(SetError::Problem(message));
    }
    Ok(())
}

/// Puts new definitions of one kind into the mod: into a file that has such definitions already, or a new one; where ids
/// hold within a folder, in that.
///
/// # Errors
/// The rulebook names no file in which they could stand, or the file cannot be edited.
pub(crate) fn put(
    catalog: &Catalog,
    layer: LayerId,
    kind: KindId,
    definitions: &[New],
) -> Result<Vec<FileChange>, SetError> {
    let lies = |new: &New| {
        Lies::of(catalog, kind, &new.id).map(|lies| {
            (lies.folder.map(str::to_owned), lies.words.into_iter().map(|(_, text)| text).collect::<Vec<_>>())
        })
    };
    let together = |one: &New, other: &New| lies(one) == lies(other);
    let mut all = Vec::new();
    for within in definitions.chunk_by(together) {
        all.extend(put_in_one(catalog, layer, kind, within)?);
    }
    Ok(all)
}

/// As [`put`], of definitions whose ids hold within one folder.
fn put_in_one(
    catalog: &Catalog,
    layer: LayerId,
    kind: KindId,
    definitions: &[New],
) -> Result<Vec<FileChange>, SetError> {
    let lies = definitions.first().and_then(|new| Lies::of(catalog, kind, &new.id));
    let rulebook = &catalog.rulebook;
    let own = catalog.layer(layer);
    let described = rulebook.kind(kind);
    // what has no id at all, as a record, stands wherever there are several
    let nameless = described.name_from.iter().all(|from| matches!(from, NameFrom::Nothing))
        && !described.name_from.is_empty()
        && definitions.iter().all(|new| new.id.is_empty());
    if !nameless || new_place(catalog, kind)?.holds_one() {
        by_hand(catalog, kind)?;
    }
    let name = rulebook.kind(kind).name();
    if let Some(NameFrom::Field(path)) = described.name_from.first()
        && let Ok(ty) = rulebook.type_at(described.root, path, &catalog.names)
        && rulebook.field_type(ty).is_number()
        && let Some(New { id, .. }) = definitions.iter().find(|new| Number::parse(&new.id).is_none())
    {
        let takes = rulebook.describe(ty);
        return Err(SetError::Problem(format!("`{path}`, which names a {name}, takes {takes}, not `{id}`")));
    }
    let drafts = |place: &Where, all: &[New]| -> Vec<(String, Draft)> {
        let draft = |new: &New| {
            let written = named(catalog, new.draft.clone(), kind, &new.id, place);
            let kept = match &new.original {
                Some(original) => original.kept(&new.draft, written),
                None => written,
            };
            (
                key_of(catalog, kind, &new.id),
                with_lead(kept, named(catalog, Draft::Table(Vec::new()), kind, &new.id, place)),
            )
        };
        all.iter().map(draft).collect()
    };
    // a single copy keeps the comments that stand in its original
    let stood = |place: &Where, notation: &Notation, before: Option<&str>, text: String| -> String {
        let original = match definitions {
            [New { original: Some(original), .. }] => original.at,
            _ => None,
        };
        let alike = |at: &NodeRef| catalog.document(at.file).is_some_and(|document| document.notation() == notation);
        match original.filter(alike) {
            Some(at) => super::stood::copied(catalog, place, at, before, text),
            None => text,
        }
    };
    let edited = |place: &Where, document: &Document, like: Option<&Document>, edits: &[Edit]| {
        let text = edit_like(document, like, edits, &catalog.names)?;
        Ok::<String, EditError>(stood(place, document.notation(), Some(document.text()), text))
    };
    // a file of the mod with definitions of this kind, where several stand in one; else one with others that
    // could hold them too
    for with_such in [true, false] {
        for (id, file) in catalog.files().filter(|(_, file)| file.layer == Some(layer)) {
            let FileRole::Definitions(places) = &file.role else { continue };
            if lies.as_ref().is_some_and(|lies| !lies.fits(&file.relative)) {
                continue;
            }
            let has =
                catalog.harvest_of(id).is_some_and(|harvest| harvest.definitions.iter().any(|made| made.kind == kind));
            let place = places.iter().filter_map(|at| rulebook.places.get(*at)).find(|place| place.writes(kind));
            let several = |place: &&Where| has == with_such && !place.holds_one();
            let (Some(place), Some(document)) = (place.filter(several), catalog.document(id)) else {
                continue;
            };
            let drafts = drafts(place, definitions);
            let lead = if with_such { Lead::There } else { Lead::Below };
            let Some(edits) = insertions(document, place, &drafts, &catalog.names, lead) else { continue };
            let text = edited(place, document, model(catalog, kind, document.notation()), &edits)?;
            return Ok(vec![FileChange::edit(file.path.clone(), &**document.text(), text)]);
        }
    }
    let place = new_place(catalog, kind)?;
    let none = || nowhere(catalog, kind);
    let write = |path: String, definitions: &[New]| -> Result<FileChange, SetError> {
        let hidden = hidden_by(catalog, layer, &path);
        let path = format!("{}/{path}", own.folder);
        let drafts = drafts(place, definitions);
        if let Some(id) = catalog.file_named(&path) {
            let writes = |at: &usize| rulebook.places.get(*at).is_some_and(|place| place.writes(kind));
            let reads = matches!(&catalog.file(id).role, FileRole::Definitions(all) if all.iter().any(writes));
            // definitions of another kind stand in it, and there is room beside them
            let beside = catalog.document(id).filter(|_| reads).and_then(|document| {
                Some((document, insertions(document, place, &drafts, &catalog.names, Lead::Anywhere)?))
            });
            let Some((document, edits)) = beside else {
                return Err(SetError::Problem(format!("`{path}` is there already, with something else in it")));
            };
            let text = edited(place, document, model(catalog, kind, document.notation()), &edits)?;
            return Ok(FileChange::edit(path, &**document.text(), text));
        }
        // a file that would hide a lower one begins with all that that one has
        if let Some(document) = hidden
            && let Some(edits) = laid_over(catalog, document, place, kind, (definitions, &drafts))
        {
            return Ok(FileChange::Create { path, text: edited(place, document, None, &edits)? });
        }
        let notation = place.notation_of(&path).ok_or_else(none)?;
        let models: Vec<&Document> = model(catalog, kind, &notation).into_iter().collect();
        let text = whole(&notation, &models, &uncut(&place.cut.0, &drafts), &catalog.names)?;
        Ok(FileChange::Create { path, text: stood(place, &notation, None, text) })
    };
    let path = |id: &str| new_file(catalog, place, kind, id, &own.id);
    if place.holds_one() {
        return definitions.iter().map(|one| write(path(&one.id)?, std::slice::from_ref(one))).collect();
    }
    Ok(vec![write(path(definitions.first().map_or("", |new| &new.id))?, definitions)?])
}

/// The edits that put definitions into a copy of a lower file: in the place of what has their id there, else at the end.
fn laid_over(
    catalog: &Catalog,
    document: &Document,
    place: &Where,
    kind: KindId,
    (definitions, drafts): (&[New], &[(String, Draft)]),
) -> Option<Vec<Edit>> {
    let harvest = catalog.harvest_of(document.file())?;
    let (mut edits, mut new) = (Vec::new(), Vec::new());
    for (definition, draft) in definitions.iter().zip(drafts) {
        let is_it = |id: Sym| catalog.names.text(id) == definition.id;
        match harvest.definitions.iter().find(|made| made.kind == kind && made.id.is_some_and(is_it)) {
            Some(made) => {
                edits.push(Edit::Set { at: document.path_to(made.node, &catalog.names), to: draft.1.clone() });
            }
            None => new.push(draft.clone()),
        }
    }
    edits.extend(insertions(document, place, &new, &catalog.names, Lead::There)?);
    Some(edits)
}

/// The definitions that come along when a file is made that begins with all that a lower one has.
pub(crate) fn coming_along(catalog: &Catalog, layer: LayerId, changes: &[FileChange]) -> Vec<(KindId, String)> {
    let hidden = hidden_ones(catalog, layer, changes).map(|(_, document)| document);
    let made = hidden.flat_map(|document| catalog.harvest_of(document.file())).flat_map(|harvest| &harvest.definitions);
    made.map(|made| (made.kind, made.id.map_or("", |id| catalog.names.text(id)).to_owned())).collect()
}

/// The paths of new files of a layer that hide a lower one.
pub(crate) fn hiding<'f>(catalog: &Catalog, layer: LayerId, changes: &'f [FileChange]) -> Vec<&'f str> {
    hidden_ones(catalog, layer, changes).map(|(path, _)| path).collect()
}

/// New files of a layer that hide a lower one, by their paths: what they hide.
fn hidden_ones<'c, 'f>(
    catalog: &'c Catalog,
    layer: LayerId,
    changes: &'f [FileChange],
) -> impl Iterator<Item = (&'f str, &'c Document)> {
    let folder = format!("{}/", catalog.layer(layer).folder);
    changes.iter().filter_map(move |change| match change {
        FileChange::Create { path, .. } => {
            Some((path.as_str(), hidden_by(catalog, layer, path.strip_prefix(folder.as_str())?)?))
        }
        _ => None,
    })
}

/// The highest file below a layer that one of its own at the same path would hide.
fn hidden_by<'c>(catalog: &'c Catalog, layer: LayerId, relative: &str) -> Option<&'c Document> {
    let ground = &catalog.layer(layer).ground;
    let all = catalog.files().filter(|(_, file)| file.layer.is_some_and(|layer| ground.contains(layer)));
    let there = all.filter(|(_, file)| file.relative == relative).max_by_key(|(_, file)| file.layer)?.0;
    let shadows = catalog.harvest_of(there).is_some_and(|harvest| harvest.shadows);
    catalog.document(there).filter(|_| shadows).map(|document| &**document)
}

/// What leads to where definitions are put in a file.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Lead {
    /// All of it is there.
    There,
    /// What is missing is made, below something on the way that is there.
    Below,
    /// What is missing is made, also just at the top of the file.
    Anywhere,
}

/// The edits that put definitions into a file, at the end of where a place finds them.
pub(crate) fn insertions(
    document: &Document,
    place: &Where,
    definitions: &[(String, Draft)],
    names: &Names,
    lead: Lead,
) -> Option<Vec<Edit>> {
    let (last, above) = place.cut.0.split_last()?;
    // there is only one
    if matches!(last, PatternStep::Key(_)) {
        return None;
    }
    let keys = above.iter().map(|step| match step {
        PatternStep::Key(key) => Some(Step::Key(key.clone())),
        _ => None,
    });
    let into = FieldPath::from(keys.collect::<Option<Vec<Step>>>()?);
    if document.is_broken() {
        return None;
    }
    if find(document.root(), &into, names).is_some() {
        let by_key = matches!(last, PatternStep::Values);
        let insert = |(id, value): &(String, Draft)| Edit::Insert {
            into: into.clone(),
            before: None,
            key: by_key.then(|| id.clone()),
            value: value.clone(),
        };
        return Some(definitions.iter().map(insert).collect());
    }
    // the deepest thing on the way that is there
    let mut whole = uncut(&place.cut.0, definitions);
    let mut at = FieldPath::default();
    for step in into.steps() {
        let Step::Key(key) = step else { return None };
        let next = at.with(step.clone());
        let value = whole.get(key)?.clone();
        if find(document.root(), &next, names).is_none() {
            let fits = lead == Lead::Anywhere || lead == Lead::Below && !at.is_empty();
            return fits.then(|| vec![Edit::Set { at: next, to: value }]);
        }
        (at, whole) = (next, value);
    }
    None
}

/// A file with definitions of a kind, whose layout is followed.
pub(super) fn model<'c>(catalog: &'c Catalog, kind: KindId, notation: &Notation) -> Option<&'c Document> {
    let mut of_kind = catalog.definitions().filter(|(_, definition)| definition.kind == kind);
    of_kind.find_map(|(_, d)| catalog.document(d.file).map(|d| &**d).filter(|d| d.notation() == notation))
}
