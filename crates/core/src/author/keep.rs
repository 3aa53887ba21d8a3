//! Keeping an edition of the base: a compact archive of the files that are read of it.

use super::mods::{names_a_file, own_file};
use super::set::SetError;
use crate::catalog::{Catalog, File, LayerId};
use crate::document::{Document, Draft, Edit, FieldPath, Format};
use crate::effective::World;
use crate::source::{Archives, ChangeSet, FileChange, MemorySource, Source, packed, sheet_in};
use crate::workspace::WORKSPACE_FILE;

/// The folder for kept editions, below the workspace.
pub const EDITIONS: &str = "editions";

/// What keeping an edition comes to.
#[derive(Clone, Debug, Default)]
pub struct KeptEdition {
    /// The archive, and its name in the workspace file.
    pub changes: ChangeSet,
    /// Its version.
    pub name: String,
    /// The archive's path below the workspace.
    pub path: String,
    /// How many files are in it.
    pub files: usize,
    /// Their bytes together, and those of the archive.
    pub bytes: (usize, usize),
}

/// Plans to keep the base that a world has as an edition: the files that are read of it go into an archive,
/// which the workspace file names. Nothing is written.
///
/// `of` has the base; `home` is the workspace that keeps it, and may be the same world.
///
/// # Errors
/// An edition of that name is kept already, the name cannot be a file's, or a file cannot be read.
pub fn keep_edition(home: &World, of: &World, source: &dyn Source, name: &str) -> Result<KeptEdition, SetError> {
    let catalog = &home.catalog;
    let problem = |message: String| SetError::Problem(message);
    if !names_a_file(name) {
        return Err(problem(format!("`{name}` cannot name a file on every system: letters, digits, `-`, `_`, `.`")));
    }
    let known = catalog.workspace.editions.iter().find(|edition| edition.name == name);
    // one that is named and not there is put there
    if let Some(known) = known.filter(|known| known.base.iter().any(|folder| source.has_folder(folder))) {
        return Err(problem(format!("the edition `{name}` is kept already: `{}`", known.base.join("`, `"))));
    }
    let path = format!("{EDITIONS}/{name}.zip");
    let parts = parts(&of.catalog);
    let members = members(&of.catalog, &parts, source)?;
    if members.is_empty() {
        return Err(problem("there is no file in it that the rulebook reads".to_owned()));
    }
    let size = members.iter().map(|(_, bytes)| bytes.len()).sum();
    let files = members.len();
    let bytes = packed(&members).map_err(|reason| problem(format!("cannot pack `{path}`: {reason}")))?;
    // an edition is kept to be read again
    let again = Archives::new(MemorySource::new([(path.as_str(), bytes.clone())]));
    for (member, known) in &members {
        match again.read(&format!("{path}/{member}")) {
            Ok(read) if read == *known => {}
            Ok(_) => return Err(problem(format!("`{member}` would not be read again as it is"))),
            Err(error) => return Err(problem(format!("`{member}` would not be read again: {}", error.reason))),
        }
    }
    let value = match parts.as_slice() {
        [_] => Draft::Text(path.clone()),
        several => Draft::List(several.iter().map(|(_, part)| Draft::Text(format!("{path}/{part}"))).collect()),
    };
    let bytes_after = bytes.len();
    let mut changes = vec![FileChange::Bytes { path: path.clone(), before: None, after: Some(bytes.into()) }];
    changes.extend(match known {
        Some(_) => {
            let at = FieldPath::key("editions").join(&FieldPath::key(name));
            own_file(catalog, WORKSPACE_FILE, &[Edit::Set { at, to: value }])?
        }
        None => named(catalog, name, value)?,
    });
    Ok(KeptEdition { changes: changes.into(), name: name.to_owned(), path, files, bytes: (size, bytes_after) })
}

/// The workspace file with an edition more: in its table, or with a table of its own at the end.
fn named(catalog: &Catalog, name: &str, value: Draft) -> Result<Option<FileChange>, SetError> {
    let into = FieldPath::key("editions");
    if !catalog.workspace.editions.is_empty() {
        let edit = Edit::Insert { into, before: None, key: Some(name.to_owned()), value };
        return own_file(catalog, WORKSPACE_FILE, &[edit]);
    }
    let Some(document) = catalog.file_named(WORKSPACE_FILE).and_then(|file| catalog.document(file)) else {
        return Ok(None);
    };
    let before = document.text();
    let end = if before.contains("\r\n") { "\r\n" } else { "\n" };
    let last = if before.ends_with('\n') { "" } else { end };
    let text = format!("{before}{last}{end}[editions]{end}");
    let start = Document::parse(document.file(), Format::Toml, text.as_str().into(), &catalog.names);
    let edit = Edit::Insert { into, before: None, key: Some(name.to_owned()), value };
    let text = crate::document::edit(&start, &[edit], &catalog.names)?;
    Ok(Some(FileChange::edit(WORKSPACE_FILE, &**before, text)))
}

/// The parts of a base that have files, each with its folder in the archive.
fn parts(catalog: &Catalog) -> Vec<(LayerId, String)> {
    let has_files = |layer: &LayerId| catalog.files().any(|(_, file)| is_of(file, *layer));
    catalog.base().iter().filter(has_files).zip(1..).map(|(layer, nth)| (layer, format!("part-{nth}"))).collect()
}

fn is_of(file: &File, layer: LayerId) -> bool {
    file.role.is_harvested() && file.layer == Some(layer)
}

/// The files of the base that are read, with their places in the archive.
fn members(
    catalog: &Catalog,
    parts: &[(LayerId, String)],
    source: &dyn Source,
) -> Result<Vec<(String, Vec<u8>)>, SetError> {
    let mut out: Vec<(String, Vec<u8>)> = Vec::new();
    for (_, file) in catalog.files() {
        let Some((_, part)) = parts.iter().find(|(layer, _)| is_of(file, *layer)) else { continue };
        // of a workbook the sheets are files; it is kept whole
        let cut = |path: &str| sheet_in(path).map_or(path.to_owned(), |(book, _)| book.to_owned());
        let relative = cut(&file.relative);
        let place = if parts.len() == 1 { relative } else { format!("{part}/{relative}") };
        if out.last().is_some_and(|(known, _)| *known == place) {
            continue;
        }
        let bytes = source.read(&cut(&file.path)).map_err(|error| SetError::Problem(error.to_string()))?;
        out.push((place, bytes));
    }
    Ok(out)
}
