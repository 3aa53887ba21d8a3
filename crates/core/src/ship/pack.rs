//! One archive of a build, the same bytes each time, read back as the game would read it.

use std::collections::BTreeMap;

use super::build::BuildReport;
use crate::catalog::{Address, Catalog, FileRole, LayerId};
use crate::effective::{World, shows_as};
use crate::source::{Archives, MemorySource, file_named, packed};

/// An archive.
#[derive(Clone, Debug)]
pub struct Pack {
    /// Its name, as the rulebook makes it.
    pub name: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// Paths in it, sorted, and how many bytes each file has.
    pub files: Vec<(String, usize)>,
    /// Files of the mod that are not in it, and why.
    pub left_out: Vec<(String, &'static str)>,
}

/// Why no archive was made.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
pub enum PackError {
    /// A name that not every system can have.
    #[error("`{path}` cannot be unpacked on every system: {reason}\n  help: give the file another name")]
    Name {
        /// The path in the archive.
        path: String,
        /// Why not.
        reason: String,
    },
    /// Two names that differ in capitals only.
    #[error("`{0}` and `{1}` are one file where capitals do not count\n  help: give one of them another name")]
    Same(String, String),
    /// It cannot be made, or not be read again.
    #[error("the archive cannot be read again: {0}")]
    Unread(String),
    /// What is read from it is not what was meant.
    #[error("read from the archive, `{0}` would show other values than here; please report this")]
    Other(String),
}

/// Packs a build of a mod, as [`archive`]. It is read back in the mod's place, and each definition is compared.
///
/// # Errors
/// As of [`archive`]; or what is read back is something else.
pub fn pack(world: &World, layer: LayerId, build: &BuildReport) -> Result<Pack, PackError> {
    let made = archive(world, layer, build)?;
    read_back(world, layer, &made.bytes)?;
    Ok(made)
}

/// A build of a mod as an archive: in the folder and under the name that the rulebook gives, else as `ID.zip` without one.
///
/// # Errors
/// A file's name is not safe everywhere.
pub fn archive(world: &World, layer: LayerId, build: &BuildReport) -> Result<Pack, PackError> {
    let catalog = &world.catalog;
    let own = catalog.layer(layer);
    let version = own.manifest.as_ref().and_then(|manifest| manifest.version.clone()).unwrap_or_default();
    let filled = |text: &str| text.replace("{id}", &own.id).replace("{version}", &version);
    let rule = &catalog.rulebook.pack;
    let folder = rule.folder.as_deref().map(filled).unwrap_or_default();
    let name = rule.name.as_deref().map_or_else(|| format!("{}.zip", own.id), filled);
    if let Err(reason) = file_named(&name) {
        return Err(PackError::Name { path: name, reason: reason.to_string() });
    }
    let mut files: Vec<(String, Vec<u8>)> = Vec::new();
    let mut known: BTreeMap<String, String> = BTreeMap::new();
    for file in &build.files {
        let path = match folder.trim_matches('/') {
            "" => file.path.clone(),
            folder => format!("{folder}/{}", file.path),
        };
        for part in path.split('/') {
            if let Err(reason) = file_named(part) {
                return Err(PackError::Name { path, reason: reason.to_string() });
            }
        }
        if let Some(other) = known.insert(path.to_lowercase(), path.clone()) {
            return Err(PackError::Same(other, path));
        }
        files.push((path, file.bytes.clone()));
    }
    files.sort();
    let bytes = packed(&files).map_err(PackError::Unread)?;
    let sizes = files.iter().map(|(path, bytes)| (path.clone(), bytes.len())).collect();
    let left_out = build.left_out.iter().map(|path| (path.clone(), because(catalog, layer, path))).collect();
    Ok(Pack { name, bytes, files: sizes, left_out })
}

/// Why a file of a mod is nothing for the game.
fn because(catalog: &Catalog, layer: LayerId, relative: &str) -> &'static str {
    let path = format!("{}/{relative}", catalog.layer(layer).folder);
    match catalog.file_named(&path).map(|file| &catalog.file(file).role) {
        Some(FileRole::Amendments) => "it is built into what the game reads",
        Some(FileRole::Own) => "it is for Cognomen",
        Some(FileRole::Ignored) => "the rulebook passes it over",
        Some(FileRole::Refused(_)) => "it is never read",
        _ => "the game reads no such file",
    }
}

/// Where the archive lies while it is read back.
const PACKED: &str = "packed-by-cognomen.zip";

fn read_back(world: &World, layer: LayerId, bytes: &[u8]) -> Result<(), PackError> {
    let source = Archives::new(MemorySource::new([(PACKED, bytes.to_vec())]));
    let folder = world.mod_folder(&source, PACKED).unwrap_or_else(|| PACKED.to_owned());
    let other = world.with_mod(&source, layer, &folder).map_err(|error| PackError::Unread(error.to_string()))?;
    let (ours, theirs) = (world.with_ground(layer), other.with_ground(layer));
    let mut all: Vec<Address> = world.touched_by(layer);
    all.extend(other.touched_by(layer));
    all.sort_unstable();
    all.dedup();
    match all.into_iter().find(|address| !shows_as(&ours, &theirs, *address)) {
        Some(address) => Err(PackError::Other(world.catalog.show_address(address))),
        None => Ok(()),
    }
}
