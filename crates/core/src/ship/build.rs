//! `build`: what the game reads for one mod, with its amendments turned into the game's own notation.

use std::collections::BTreeMap;

use super::carve::{Kept, carved};
use crate::author::{
    Lead, differences, insertions, key_of, new_file, path_of, path_of_one, says_where, uncut, with_names,
};
use crate::catalog::{Address, Catalog, Definition, FileRole, LayerId};
use crate::document::{Document, Draft, EditError, edit_like, whole};
use crate::effective::{Built, World, derived, notated};
use crate::rulebook::{KindId, NameFrom, Where};
use crate::source::{
    FileId, PathFault, RelPath, Source, SourceError, changed_workbook, file_name_for, new_workbook, path_for, sheet_in,
};

/// One file of a build.
#[derive(Clone, Debug)]
pub struct BuiltFile {
    /// Path below the build, with forward slashes.
    pub path: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// Definitions that amendments put into it.
    pub amended: Vec<String>,
    /// The file of a lower layer that it begins with, below the workspace.
    pub from: Option<String>,
}

/// What a build comes to.
#[derive(Clone, Debug, Default)]
pub struct BuildReport {
    /// The files to write, sorted by path.
    pub files: Vec<BuiltFile>,
    /// Files of the mod that the game does not read, and so are left out.
    pub left_out: Vec<String>,
}

/// Why a mod cannot be built.
#[derive(Debug, thiserror::Error)]
pub enum BuildError {
    /// A file cannot be read.
    #[error(transparent)]
    Source(#[from] SourceError),
    /// A file of the mod cannot take in its amendments.
    #[error("cannot put the amendments of `{address}` into `{path}`: {reason}")]
    Edit {
        /// The definition.
        address: String,
        /// The file.
        path: String,
        /// Why not.
        reason: EditError,
    },
    /// A workbook cannot take in what is to stand in it.
    #[error("cannot write the workbook `{path}`: {reason}")]
    Workbook {
        /// The workbook.
        path: String,
        /// Why not.
        reason: String,
    },
    /// A file cannot have its name on every system.
    #[error("`{path}` cannot be built: {fault}\n  help: give the file another name")]
    Name {
        /// The file.
        path: String,
        /// Why not.
        fault: PathFault,
    },
    /// There is no place for an amended definition.
    #[error("the rulebook names no file in which a changed {0} could stand")]
    NoPlace(String),
}

/// Works out the files of a build, with those of all its parts that apply under a condition; writes nothing.
///
/// # Errors
/// A file cannot be read, or an amended definition has no place to stand in.
pub fn build(world: &World, source: &dyn Source, layer: LayerId) -> Result<BuildReport, BuildError> {
    build_with(world, source, layer, &world.catalog.parts_of(layer))
}

/// As [`build`], with some of its parts only.
///
/// # Errors
/// As [`build`].
pub fn build_with(
    world: &World,
    source: &dyn Source,
    layer: LayerId,
    parts: &[LayerId],
) -> Result<BuildReport, BuildError> {
    let catalog = &world.catalog;
    let mut report = build_layer(world, source, layer)?;
    for part in parts.iter().copied() {
        let folder = &catalog.layer(layer).folder;
        let below = catalog.layer(part).folder.strip_prefix(folder.as_str()).unwrap_or_default().trim_matches('/');
        let of_part = build_layer(world, source, part)?;
        let within = |path: String| format!("{below}/{path}");
        let files = of_part.files.into_iter();
        report.files.extend(files.map(|file| BuiltFile { path: within(file.path), ..file }));
        report.left_out.extend(of_part.left_out.into_iter().map(within));
    }
    report.files.sort_by(|one, other| one.path.cmp(&other.path));
    report.left_out.sort();
    Ok(report)
}

fn build_layer(world: &World, source: &dyn Source, layer: LayerId) -> Result<BuildReport, BuildError> {
    let catalog = &world.catalog;
    let mut report = BuildReport::default();
    let mut in_place: BTreeMap<FileId, Vec<(Address, Definition, std::sync::Arc<Built>)>> = BTreeMap::new();
    let mut added: Vec<(Address, std::sync::Arc<Built>)> = Vec::new();
    for (address, built) in world.builds.of_layer(catalog, layer) {
        let own = catalog.defined_in(address, layer).copied();
        match own {
            Some(definition) => in_place.entry(definition.file).or_default().push((address, definition, built)),
            None => added.push((address, built)),
        }
    }
    let named = catalog.files_named(&std::iter::once(layer).collect());
    for (id, file) in catalog.files().filter(|(_, file)| file.layer == Some(layer)) {
        match &file.role {
            // in which definitions stand, it is read a second time, for these
            FileRole::Manifest if catalog.file_named(&file.path) != Some(id) => {}
            FileRole::Manifest
            | FileRole::Definitions(_)
            | FileRole::Texts(_)
            | FileRole::Scripts(_)
            | FileRole::Asset => {
                let mut built = BuiltFile {
                    path: file.relative.clone(),
                    bytes: source.read(&file.path)?,
                    amended: Vec::new(),
                    from: None,
                };
                if let (Some(changed), Some(document)) = (in_place.get(&id), catalog.document(id)) {
                    let (text, amended) = amended(catalog, document, changed)?;
                    built.bytes = text.into_bytes();
                    built.amended = amended;
                }
                report.files.push(built);
            }
            // what a field names goes along, whatever is passed over
            FileRole::Ignored if named.contains(&file.relative.to_lowercase()) => {
                let bytes = source.read(&file.path)?;
                report.files.push(BuiltFile { path: file.relative.clone(), bytes, amended: Vec::new(), from: None });
            }
            _ => report.left_out.push(file.relative.clone()),
        }
    }
    let mut places: BTreeMap<String, Vec<Place<'_>>> = BTreeMap::new();
    let (ground, whole_view) = (world.ground(layer), world.with_ground(layer));
    for (address, built) in added {
        let below = ground.top(address).map(|(_, made)| *made);
        let taken = |path: &str| report.files.iter().any(|file| file.path == path);
        let (path, place) = place_for(world, layer, address, &built, below.as_ref(), &taken)?;
        let id = catalog.names.text(address.id);
        // in a file that hides the one below it, the definition stands as a whole
        let hides = below.is_some_and(|made| catalog.harvest_of(made.file).is_some_and(|harvest| harvest.shadows));
        let whole = whole_view.own(address).filter(|_| hides && !built.whole);
        let value = whole.as_ref().map_or(&built.value, |own| &own.value);
        let after = with_names(catalog, notated(catalog, built.kind, value), built.kind, id, place);
        let parts = places.entry(path).or_default();
        let file = below.map(|made| made.file);
        let at = parts.iter().position(|part| std::ptr::eq(part.place, place) && part.file == file);
        let at = at.unwrap_or_else(|| {
            parts.push(Place { place, file, definitions: Vec::new() });
            parts.len() - 1
        });
        if let Some(part) = parts.get_mut(at) {
            part.definitions.push(Changed { address, kind: built.kind, below, after });
        }
    }
    for (path, parts) in places {
        let all = parts.iter().flat_map(|part| &part.definitions);
        let amended: Vec<String> = all.map(|one| catalog.show_address(one.address)).collect();
        let fail = |reason| BuildError::Edit {
            address: amended.first().cloned().unwrap_or_default(),
            path: path.clone(),
            reason,
        };
        if let Some(own) = report.files.iter_mut().find(|file| file.path == path) {
            own.bytes = put_beside(catalog, &own.bytes, &path, &parts, &fail)?.into_bytes();
            own.amended.extend(amended);
            continue;
        }
        let text = match taken_over(catalog, &parts).map_err(fail)? {
            Some(text) => text,
            None => written_anew(catalog, &path, &parts, &fail)?,
        };
        let from = parts.first().and_then(|part| part.file).map(|file| catalog.file(file).path.clone());
        report.files.push(BuiltFile { path, bytes: text.into_bytes(), amended, from });
    }
    report.files.sort_by(|a, b| a.path.cmp(&b.path));
    pack_sheets(&mut report, &catalog.layer(layer).folder, source)?;
    for file in &report.files {
        RelPath::parse(&file.path).map_err(|fault| BuildError::Name { path: file.path.clone(), fault })?;
    }
    // what follows from definitions is written anew, whatever the mod ships
    for made in derived(world, layer) {
        report.files.retain(|file| file.path != made.path);
        let (path, bytes) = (made.path, made.text.into_bytes());
        report.files.push(BuiltFile { path, bytes, amended: Vec::new(), from: None });
    }
    report.files.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(report)
}

/// Puts the sheets of each workbook back into it.
fn pack_sheets(report: &mut BuildReport, folder: &str, source: &dyn Source) -> Result<(), BuildError> {
    let mut books: BTreeMap<String, Vec<BuiltFile>> = BTreeMap::new();
    let files = std::mem::take(&mut report.files);
    for file in files {
        match sheet_in(&file.path) {
            Some((book, _)) => books.entry(book.to_owned()).or_default().push(file),
            None => report.files.push(file),
        }
    }
    for (path, sheets) in books {
        let fail = |reason: String| BuildError::Workbook { path: path.clone(), reason };
        let texts = sheets.iter().map(|sheet| {
            let name = sheet_in(&sheet.path).map_or("", |(_, name)| name);
            std::str::from_utf8(&sheet.bytes).map(|text| (name, text)).map_err(|error| fail(error.to_string()))
        });
        let texts = texts.collect::<Result<Vec<_>, _>>()?;
        // a workbook that hides a lower one is that one, changed
        let lower = sheets.iter().find_map(|sheet| sheet.from.as_deref()).and_then(sheet_in).map(|(book, _)| book);
        let own = format!("{folder}/{path}");
        let full = if source.has_folder(&own) { own } else { lower.map_or(own, str::to_owned) };
        let bytes = match source.has_folder(&full) {
            false => new_workbook(&texts).map_err(fail)?,
            true => {
                let known = source.read(&full)?;
                let mut before = Vec::new();
                for (name, _) in &texts {
                    let path = format!("{full}/{name}");
                    let text = source.read(&path)?;
                    before.push((path, String::from_utf8_lossy(&text).into_owned()));
                }
                let edits = before.iter().zip(&texts).map(|((path, before), (_, after))| (&**path, &**before, *after));
                let edits: Vec<_> = edits.filter(|(_, before, after)| before != after).collect();
                match edits.is_empty() {
                    true => known,
                    false => changed_workbook(&known, &edits).map_err(fail)?,
                }
            }
        };
        let amended = sheets.into_iter().flat_map(|sheet| sheet.amended).collect();
        report.files.push(BuiltFile { path, bytes, amended, from: None });
    }
    // a workbook goes along whole, whatever of its sheets is read
    let files = &report.files;
    let goes_along = |book: &str| files.iter().any(|file| file.path == book);
    report.left_out.retain(|path| !sheet_in(path).is_some_and(|(book, _)| goes_along(book)));
    report.files.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(())
}

/// Changed definitions that one place of the rulebook finds in one file.
struct Place<'w> {
    place: &'w Where,
    /// The file in which they stand below.
    file: Option<FileId>,
    definitions: Vec<Changed>,
}

/// A definition of a lower layer that the mod changes.
struct Changed {
    address: Address,
    kind: KindId,
    /// What stands below.
    below: Option<Definition>,
    /// What is to stand in the mod's file.
    after: Draft,
}

/// The lower file with only these definitions, as they are to be; those of further files behind them. Nothing where
/// that cannot be done with what stands there.
///
/// # Errors
/// It hides the lower file, and that cannot be edited so: what is left out would be gone.
fn taken_over(catalog: &Catalog, parts: &[Place<'_>]) -> Result<Option<String>, EditError> {
    let Some((first, rest)) = parts.split_first() else { return Ok(None) };
    let Some(document) = first.file.and_then(|file| catalog.document(file)) else { return Ok(None) };
    let same_file = |part: &&Place<'_>| part.file == first.file;
    let kept = |one: &Changed| Some(Kept { definition: one.below?, after: one.after.clone() });
    let here = std::iter::once(first).chain(rest.iter().filter(same_file));
    let kept: Option<Vec<Kept>> = here.flat_map(|part| &part.definitions).map(kept).collect();
    let shadows = catalog.harvest_of(document.file()).is_some_and(|harvest| harvest.shadows);
    let Some(kept) = kept else { return Ok(None) };
    match carved(catalog, document, &kept, shadows) {
        Ok(Some(text)) => Ok(with_others(catalog, document, text, (first, rest))),
        Err(error) if shadows => Err(error),
        _ => Ok(None),
    }
}

/// The text of a file with the definitions of further files behind those that stand in it.
fn with_others(
    catalog: &Catalog,
    document: &Document,
    mut text: String,
    (first, rest): (&Place<'_>, &[Place<'_>]),
) -> Option<String> {
    // what one place finds goes in together: the file is read once for all of it
    let mut others: Vec<(&Where, Vec<(String, Draft)>)> = Vec::new();
    for part in rest.iter().filter(|part| part.file != first.file) {
        let more = drafts(catalog, part);
        match others.last_mut().filter(|(place, _)| std::ptr::eq(*place, part.place)) {
            Some((_, known)) => known.extend(more),
            None => others.push((part.place, more)),
        }
    }
    for (place, definitions) in others {
        let parsed =
            Document::parse(document.file(), document.notation().clone(), text.as_str().into(), &catalog.names);
        let edits = insertions(&parsed, place, &definitions, &catalog.names, Lead::There)?;
        text = edit_like(&parsed, None, &edits, &catalog.names).ok()?;
    }
    Some(text)
}

/// A file of the mod with changed definitions behind those that stand in it.
fn put_beside(
    catalog: &Catalog,
    bytes: &[u8],
    path: &str,
    parts: &[Place<'_>],
    fail: &dyn Fn(EditError) -> BuildError,
) -> Result<String, BuildError> {
    let mut text = String::from_utf8_lossy(bytes).into_owned();
    for part in parts {
        let notation = part.place.notation_of(path).ok_or_else(|| BuildError::NoPlace(path.to_owned()))?;
        let parsed = Document::parse(FileId(u32::MAX), notation, text.as_str().into(), &catalog.names);
        let definitions = drafts(catalog, part);
        let edits = insertions(&parsed, part.place, &definitions, &catalog.names, Lead::Below);
        let edits = edits.ok_or_else(|| fail(EditError::Unusual(path.to_owned())))?;
        let model = part.definitions.first().and_then(|one| model(catalog, one.address));
        text = edit_like(&parsed, model, &edits, &catalog.names).map_err(fail)?;
    }
    Ok(text)
}

/// Definitions as they are written, by their ids.
fn drafts(catalog: &Catalog, part: &Place<'_>) -> Vec<(String, Draft)> {
    let one = |one: &Changed| {
        let root = catalog.rulebook.kind(one.kind).root;
        let draft = catalog.rulebook.written(one.after.clone(), root, &catalog.names);
        (key_of(catalog, one.kind, catalog.names.text(one.address.id)), draft)
    };
    part.definitions.iter().map(one).collect()
}

/// A file of nothing but these definitions, laid out as those are in which they stand below.
fn written_anew(
    catalog: &Catalog,
    path: &str,
    parts: &[Place<'_>],
    fail: &dyn Fn(EditError) -> BuildError,
) -> Result<String, BuildError> {
    let mut draft = Draft::Null;
    for part in parts {
        join(&mut draft, uncut(&part.place.cut.0, &drafts(catalog, part)));
    }
    let notation = parts.first().and_then(|part| part.place.notation_of(path));
    let notation = notation.ok_or_else(|| BuildError::NoPlace(path.to_owned()))?;
    let all = parts.iter().flat_map(|part| &part.definitions);
    let mut models: Vec<&Document> = all.filter_map(|one| model(catalog, one.address)).collect();
    let mut seen = std::collections::HashSet::new();
    models.retain(|model| seen.insert(model.file()));
    whole(&notation, &models, &draft, &catalog.names).map_err(fail)
}

/// Lays what another place finds into a file beside what is there.
fn join(into: &mut Draft, more: Draft) {
    match (into, more) {
        (Draft::Table(entries), Draft::Table(more)) => {
            for (key, value) in more {
                match entries.iter_mut().find(|(known, _)| *known == key) {
                    Some((_, known)) => join(known, value),
                    None => entries.push((key, value)),
                }
            }
        }
        (Draft::List(items), Draft::List(more)) => items.extend(more),
        (into, more) => *into = more,
    }
}

/// The document in which the lowest layer defines an address.
fn model(catalog: &Catalog, address: Address) -> Option<&Document> {
    let (_, definition) = catalog.stack(address).last()?;
    catalog.document(definition.file).map(|document| &**document)
}

/// The mod's own file with its own amendments in it.
fn amended(
    catalog: &Catalog,
    document: &Document,
    changed: &[(Address, Definition, std::sync::Arc<Built>)],
) -> Result<(String, Vec<String>), BuildError> {
    let mut edits = Vec::new();
    let mut names = Vec::new();
    for (address, definition, built) in changed {
        let at = document.path_to(definition.node, &catalog.names);
        let root = catalog.rulebook.kind(built.kind).root;
        differences(
            catalog,
            (document.node(definition.node), &notated(catalog, built.kind, &built.value)),
            Some(root),
            &at,
            &mut edits,
        );
        names.push(catalog.show_address(*address));
    }
    let model = changed.first().and_then(|(address, ..)| model(catalog, *address));
    let text = edit_like(document, model, &edits, &catalog.names).map_err(|reason| BuildError::Edit {
        address: names.join("`, `"),
        path: catalog.file(document.file()).path.clone(),
        reason,
    })?;
    Ok((text, names))
}

/// The place of the rulebook and the file in which a changed definition goes.
fn place_for<'w>(
    world: &'w World,
    layer: LayerId,
    address: Address,
    built: &Built,
    below: Option<&Definition>,
    taken: &dyn Fn(&str) -> bool,
) -> Result<(String, &'w Where), BuildError> {
    let catalog = &world.catalog;
    let rulebook = &catalog.rulebook;
    let kind = rulebook.kind(built.kind);
    let id = catalog.names.text(address.id);
    let lowest = below.map(|definition| catalog.file(definition.file).relative.as_str());
    // the place in which the definition stands below, so that it is read by the same rules
    let same = lowest.and_then(|path| rulebook.place_of(built.kind, path));
    let place = same
        .or_else(|| rulebook.places.iter().find(|place| place.writes(built.kind)))
        .ok_or_else(|| BuildError::NoPlace(kind.name.clone()))?;
    let by_file = place.holds_one();
    // a file that hides the one below it stands where that does
    let shadows = |made: &&Definition| catalog.harvest_of(made.file).is_some_and(|harvest| harvest.shadows);
    if let Some(lowest) = lowest.filter(|path| below.filter(shadows).is_some() && !taken(path)) {
        return Ok((lowest.to_owned(), place));
    }
    let own = &catalog.layer(layer).id;
    let path = match &place.built {
        Some(template) => template.replace("{mod}", &file_name_for(own)).replace("{id}", &path_for(id)),
        // one per file: under the very path of the definition below, where its name is its path
        None if by_file
            && lowest.is_some()
            && (kind.name_from.is_empty()
                || kind.name_from.iter().any(|n| matches!(n, NameFrom::Stem | NameFrom::Path | NameFrom::Folder))
                || says_where(catalog, built.kind, id)) =>
        {
            return Ok((lowest.unwrap_or_default().to_owned(), place));
        }
        None if by_file => path_of_one(catalog, place, built.kind, id),
        None => path_of(place, &format!("{}-changes", file_name_for(own))),
    };
    let path = match place.built.is_none() && says_where(catalog, built.kind, id) {
        true => {
            let name = format!("{}-changes", file_name_for(own));
            new_file(catalog, place, built.kind, id, &name).unwrap_or(path)
        }
        false => path,
    };
    let mut free = path.clone();
    for nth in 2..1000 {
        if !taken(&free) {
            break;
        }
        let (stem, ending) = path.rsplit_once('.').unwrap_or((&path, ""));
        free = format!("{stem}-{nth}.{ending}");
        // what is read from this one file alone goes into the mod's own
        if !place.files.is_match(&free) {
            return Ok((path, place));
        }
    }
    Ok((free, place))
}
