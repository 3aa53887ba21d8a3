//! Requirements in a mod's manifest: which one touching a definition needs, and adding it.

use super::set::SetError;
use crate::catalog::{Address, Catalog, LayerId};
use crate::document::{Document, Draft, Edit, FieldPath, Shape, Step, edit, find};
use crate::effective::World;
use crate::names::Names;
use crate::rulebook::{KindId, Pattern, PatternStep};
use crate::source::{FileChange, FileId, Stamp};
use crate::workspace::WORKSPACE_FILE;

/// The mod that has to be required before a definition may be touched, and the file with that requirement. After writing
/// it (or laying it over the source), the workspace is read anew.
///
/// # Errors
/// Nothing says where requirements stand, or the file cannot be edited.
pub fn requirement_for(
    world: &World,
    layer: LayerId,
    kind: KindId,
    id: &str,
) -> Result<Option<(String, FileChange)>, SetError> {
    let catalog = &world.catalog;
    let Some(address) = catalog.address(kind, id) else { return Ok(None) };
    let Some(other) = outside(world, layer, address) else { return Ok(None) };
    let said = said_in(catalog, layer).and_then(|(file, pattern)| Some((file, pattern, catalog.document(file)?)));
    let Some((file, pattern, document)) = said else { return Err(SetError::NoRequirements) };
    let text = require(document, &pattern, &other, catalog)?;
    let before = document.text().to_string();
    let path = catalog.file(file).path.clone();
    Ok(Some((other, FileChange::Edit { path, seen: Stamp::of(before.as_bytes()), before, text })))
}

/// Where it is said what a mod stands on, the file and the list in it: in its manifest, or in the workspace's own file
/// where that cannot say it.
pub(crate) fn said_in(catalog: &Catalog, layer: LayerId) -> Option<(FileId, Pattern)> {
    let rule = catalog.rulebook.manifest.as_ref().and_then(|manifest| manifest.requires.as_ref());
    if let (Some(pattern), Some(file)) = (rule, catalog.layer(layer).manifest_file) {
        return Some((file, pattern.clone()));
    }
    let key = |key: &str| PatternStep::Key(key.to_owned());
    let list = vec![key("stands_on"), key(&catalog.layer(layer).id), PatternStep::Entries];
    Some((catalog.file_named(WORKSPACE_FILE)?, Pattern(list)))
}

/// Whether a layer can be written to.
///
/// # Errors
/// It is the base, or lies in an archive.
pub(super) fn writable(catalog: &Catalog, layer: LayerId) -> Result<(), SetError> {
    let layer = catalog.layer(layer);
    if layer.is_base() {
        return Err(SetError::Base);
    }
    if layer.is_packed() { Err(SetError::Packed(layer.folder.clone())) } else { Ok(()) }
}

/// Refuses what the layer, or one that it stands on, takes away.
pub(super) fn there(world: &World, layer: LayerId, address: Address) -> Result<(), SetError> {
    match world.gone(&world.with_ground(layer), address) {
        Some(gone) => Err(SetError::Problem(gone)),
        None => Ok(()),
    }
}

/// The mod that defines an address, if the layer does not stand on any that does.
pub(super) fn outside(world: &World, layer: LayerId, address: Address) -> Option<String> {
    let catalog = &world.catalog;
    let view = world.with_ground(layer);
    if view.stands(address) || view.remover(address).is_some() {
        return None;
    }
    let (_, definition) = catalog.stack(address).last()?;
    Some(catalog.layer(catalog.owner_of(definition.layer)).id.clone())
}

/// Sets a path, with the tables on the way that are not there yet.
pub(super) fn made_with(document: &Document, mut at: FieldPath, mut value: Draft, names: &Names) -> Edit {
    while let Some((above, Step::Key(key))) = at.split_last() {
        let there = |path: &FieldPath| find(document.root(), path, names).is_some();
        if there(&at) || there(&above) {
            break;
        }
        value = Draft::Table(vec![(key.clone(), value)]);
        at = above;
    }
    Edit::Set { at, to: value }
}

/// The manifest's text with one requirement more.
pub(crate) fn require(document: &Document, pattern: &Pattern, id: &str, catalog: &Catalog) -> Result<String, SetError> {
    let keys = |steps: &[PatternStep]| -> Vec<Step> {
        let key = |step: &PatternStep| match step {
            PatternStep::Key(key) => Some(Step::Key(key.clone())),
            _ => None,
        };
        steps.iter().filter_map(key).collect()
    };
    let at = pattern.0.iter().position(|step| *step == PatternStep::Entries).unwrap_or(pattern.0.len());
    let list = FieldPath::from(keys(pattern.0.get(..at).unwrap_or_default()));
    let inner = keys(pattern.0.get(at + 1..).unwrap_or_default());
    let mut value = Draft::Text(id.to_owned());
    for step in inner.into_iter().rev() {
        if let Step::Key(key) = step {
            value = Draft::Table(vec![(key, value)]);
        }
    }
    let edit_ = match find(document.root(), &list, &catalog.names) {
        Some(node) if node.shape() == Shape::List => Edit::Insert { into: list, before: None, key: None, value },
        Some(node) => {
            let known = Draft::of(node, &catalog.names);
            Edit::Set { at: list, to: Draft::List(vec![known, value]) }
        }
        None => made_with(document, list, Draft::List(vec![value]), &catalog.names),
    };
    Ok(edit(document, &[edit_], &catalog.names)?)
}
