//! Zip archives read as if they were folders, `packs/isles.zip/goods/salt.json`, and workbooks as folders of
//! sheets, `tables/goods.xlsx/Prices`, also inside an archive.
//!
//! Archives are only read. A member whose name leads out of the archive, or that is a symbolic link, is
//! listed as refused and never read; what a member unpacks to is bounded like a file.

use std::io::{Cursor, Read, Write};
use std::sync::{Arc, Mutex, PoisonError};

use rustc_hash::{FxHashMap, FxHashSet};
use zip::ZipArchive;
use zip::write::{SimpleFileOptions, ZipWriter};

use super::folder::{Listed, Refusal, Source, SourceError};
use super::workbook::{self, Workbook, is_workbook, sheet_in};

/// Members of one archive that are listed; more are a sign of a bomb.
const MEMBER_LIMIT: usize = 500_000;

type Zip = ZipArchive<Cursor<Arc<[u8]>>>;

/// One archive with its members by path.
#[derive(Debug)]
struct Archive {
    zip: Zip,
    members: FxHashMap<String, usize>,
    listed: Vec<Listed>,
    /// Its own size in bytes.
    packed: usize,
    /// The bytes that members may still unpack to, and the members that were unpacked before.
    left: Mutex<(u64, FxHashSet<usize>)>,
}

/// The bytes that what is packed may come to: far more than data does, far less than a bomb.
pub(super) fn unpacked_limit(packed: usize) -> u64 {
    (packed as u64).saturating_mul(60).clamp(32 << 20, 1 << 30)
}

/// Another source, with its zip archives and workbooks opened.
#[derive(Debug)]
pub struct Archives<S> {
    below: S,
    /// What was opened, or could not be and why, by path.
    opened: Mutex<Opened<Archive>>,
    books: Mutex<Opened<Workbook>>,
}

type Opened<T> = FxHashMap<String, Result<Arc<T>, String>>;

/// What stands at a path: as it was made before, or made now.
fn once<T>(opened: &Mutex<Opened<T>>, path: &str, make: impl FnOnce() -> Result<T, String>) -> Result<Arc<T>, String> {
    let mut opened = opened.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(known) = opened.get(path) {
        return known.clone();
    }
    let made = make().map(Arc::new);
    opened.insert(path.to_owned(), made.clone());
    made
}

/// Whether a path's last part names a zip archive.
pub(crate) fn is_archive(path: &str) -> bool {
    path.rsplit_once('.').is_some_and(|(_, ending)| ending.eq_ignore_ascii_case("zip"))
}

impl<S: Source> Archives<S> {
    /// Opens archives over a source as they are asked for.
    pub fn new(below: S) -> Archives<S> {
        Archives { below, opened: Mutex::default(), books: Mutex::default() }
    }

    fn workbook(&self, path: &str) -> Result<Arc<Workbook>, String> {
        let bytes = || self.bytes(path).map_err(|error| error.reason);
        once(&self.books, path, || workbook::read(&bytes()?))
    }

    /// Puts sheets in place of the workbooks in a list of files below a folder.
    fn with_sheets(&self, below: &str, listed: Vec<Listed>) -> Vec<Listed> {
        let mut out = Vec::with_capacity(listed.len());
        for file in listed {
            if file.refused.is_some() || !is_workbook(&file.path) {
                out.push(file);
                continue;
            }
            let full = if below.is_empty() { file.path.clone() } else { format!("{below}/{}", file.path) };
            match self.workbook(&full) {
                Ok(book) => out.extend(
                    book.sheets.iter().map(|(name, _)| Listed { path: format!("{}/{name}", file.path), refused: None }),
                ),
                Err(_) => out.push(Listed { path: file.path, refused: Some(Refusal::Workbook) }),
            }
        }
        out.sort_by(|a, b| a.path.as_bytes().cmp(b.path.as_bytes()));
        out
    }

    /// The bytes of a file, or of a member of an archive.
    fn bytes(&self, path: &str) -> Result<Vec<u8>, SourceError> {
        match self.inside(path) {
            Some((archive, inner)) if !inner.is_empty() => {
                archive.read(inner).map_err(|reason| SourceError::new(path, reason))
            }
            _ => self.below.read(path),
        }
    }

    fn archive(&self, path: &str) -> Result<Arc<Archive>, SourceError> {
        once(&self.opened, path, || self.below.read(path).map_err(|error| error.reason).and_then(open))
            .map_err(|reason| SourceError::new(path, reason))
    }

    /// The archive that a path leads into, and the way inside it.
    fn inside<'p>(&self, path: &'p str) -> Option<(Arc<Archive>, &'p str)> {
        let ends = path.match_indices('/').map(|(at, _)| at).chain([path.len()]);
        for end in ends {
            let (outer, inner) = path.split_at(end);
            let known = || {
                let opened = self.opened.lock().unwrap_or_else(PoisonError::into_inner);
                matches!(opened.get(outer), Some(Ok(_)))
            };
            if (known() || (is_archive(outer) && !self.below.has_folder(outer)))
                && let Ok(archive) = self.archive(outer)
            {
                return Some((archive, inner.trim_start_matches('/')));
            }
        }
        None
    }
}

fn open(bytes: Vec<u8>) -> Result<Archive, String> {
    let packed = bytes.len();
    let limit = unpacked_limit(packed);
    let mut zip = Zip::new(Cursor::new(bytes.into())).map_err(|error| format!("it is no zip archive: {error}"))?;
    if zip.len() > MEMBER_LIMIT {
        return Err(format!("it has {} members; at most {MEMBER_LIMIT} are read", zip.len()));
    }
    let mut members = FxHashMap::default();
    let mut listed: Vec<Listed> = Vec::new();
    for at in 0..zip.len() {
        let Ok(member) = zip.by_index_raw(at) else { continue };
        if member.is_dir() {
            continue;
        }
        let Ok(name) = member.name() else { continue };
        let path = name.replace('\\', "/");
        let outside = path.starts_with('/')
            || path.contains(':')
            || path.split('/').any(|part| part == ".." || part.is_empty() || part.contains('\0'));
        let refused = match (outside, member.is_symlink()) {
            (true, _) => Some(Refusal::Outside),
            (_, true) => Some(Refusal::Link),
            _ => None,
        };
        if path.split('/').any(|part| part.starts_with('.')) && refused.is_none() {
            // hidden files are no game data, in archives as in folders
            continue;
        }
        if refused.is_none() {
            members.insert(path.clone(), at);
        }
        listed.push(Listed { path, refused });
    }
    listed.sort_by(|a, b| a.path.as_bytes().cmp(b.path.as_bytes()));
    listed.dedup_by(|a, b| a.path == b.path);
    Ok(Archive { zip, members, listed, packed, left: Mutex::new((limit, FxHashSet::default())) })
}

impl Archive {
    fn read(&self, member: &str) -> Result<Vec<u8>, String> {
        let at = self.members.get(member).ok_or("no such file in the archive")?;
        let mut zip = self.zip.clone();
        let mut file = zip.by_index(*at).map_err(|error| error.to_string())?;
        let limit = super::SIZE_LIMIT as u64;
        let left = || self.left.lock().unwrap_or_else(PoisonError::into_inner);
        let may = left().0;
        let known = left().1.contains(at);
        let most = if known { limit } else { limit.min(may) };
        let mut bytes = Vec::new();
        file.by_ref().take(most + 1).read_to_end(&mut bytes).map_err(|error| error.to_string())?;
        if bytes.len() as u64 > limit {
            return Err(format!("it unpacks to more than {} MiB", limit >> 20));
        }
        let mut left = left();
        if left.1.insert(*at) {
            left.0 = left.0.checked_sub(bytes.len() as u64).ok_or_else(|| {
                let all = unpacked_limit(self.packed) >> 20;
                format!("the archive unpacks to more than {all} MiB, which is too much for its size")
            })?;
        }
        Ok(bytes)
    }
}

impl<S: Source> Source for Archives<S> {
    fn list(&self, below: &str) -> Result<Vec<Listed>, SourceError> {
        if is_workbook(below) && !self.below.has_folder(below) {
            let book = self.workbook(below).map_err(|reason| SourceError::new(below, reason))?;
            return Ok(book.sheets.iter().map(|(name, _)| Listed { path: name.clone(), refused: None }).collect());
        }
        if !below.is_empty() && !self.below.has_folder(below) {
            let inside = match self.inside(below) {
                Some(inside) => inside,
                // whatever its name, as it is asked for as a folder
                None => (self.archive(below)?, ""),
            };
            let (archive, inner) = inside;
            if inner.is_empty() {
                return Ok(self.with_sheets(below, archive.listed.clone()));
            }
            let prefix = format!("{inner}/");
            let within = archive.listed.iter().filter_map(|file| {
                Some(Listed { path: file.path.strip_prefix(&prefix)?.to_owned(), refused: file.refused })
            });
            return Ok(self.with_sheets(below, within.collect()));
        }
        Ok(self.with_sheets(below, self.below.list(below)?))
    }

    fn read(&self, path: &str) -> Result<Vec<u8>, SourceError> {
        let Some((book, sheet)) = sheet_in(path).filter(|(book, _)| !self.below.has_folder(book)) else {
            return self.bytes(path);
        };
        let fail = |reason: String| SourceError::new(path, reason);
        let book = self.workbook(book).map_err(fail)?;
        let found = book.sheets.iter().find(|(name, _)| name == sheet);
        let (_, text) = found.ok_or_else(|| fail("the workbook has no such sheet".to_owned()))?;
        Ok(text.as_bytes().to_vec())
    }

    fn has_folder(&self, path: &str) -> bool {
        self.below.has_folder(path)
            || (is_workbook(path) && self.workbook(path).is_ok())
            || match self.inside(path) {
                Some((archive, inner)) => {
                    inner.is_empty() || archive.listed.iter().any(|file| file.path.starts_with(inner))
                }
                None => self.archive(path).is_ok(),
            }
    }
}

/// A new archive of files, the same for the same files, that can be read again.
pub(crate) fn packed(files: &[(String, Vec<u8>)]) -> Result<Vec<u8>, String> {
    let all: usize = files.iter().map(|(_, bytes)| bytes.len()).sum();
    let small = zipped(files, zip::CompressionMethod::Deflated)?;
    // what looks like a bomb is left as large as it is
    if unpacked_limit(small.len()) >= all as u64 { Ok(small) } else { zipped(files, zip::CompressionMethod::Stored) }
}

fn zipped(files: &[(String, Vec<u8>)], method: zip::CompressionMethod) -> Result<Vec<u8>, String> {
    let level = (method == zip::CompressionMethod::Deflated).then_some(9);
    let options = SimpleFileOptions::default()
        .compression_method(method)
        .compression_level(level)
        .last_modified_time(zip::DateTime::default());
    let mut out = ZipWriter::new(Cursor::new(Vec::new()));
    for (path, bytes) in files {
        out.start_file(path, options).map_err(|error| error.to_string())?;
        out.write_all(bytes).map_err(|error| error.to_string())?;
    }
    Ok(out.finish().map_err(|error| error.to_string())?.into_inner())
}

#[cfg(test)]
mod tests {
    use super::super::folder::MemorySource;
    use super::*;

    fn packed(files: &[(&str, &str)]) -> Vec<u8> {
        let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
        for (path, text) in files {
            zip.start_file(*path, SimpleFileOptions::default()).unwrap();
            zip.write_all(text.as_bytes()).unwrap();
        }
        zip.add_symlink("away", "/etc/passwd", SimpleFileOptions::default()).unwrap();
        zip.finish().unwrap().into_inner()
    }

    #[test]
    fn an_archive_is_read_like_a_folder_and_nothing_leads_out_of_it() {
        let zip =
            packed(&[("goods/salt.json", "{}"), ("goods/far/oil.json", "[]"), ("../out.json", "1"), (".hid", "")]);
        let source =
            MemorySource::new([("packs/isles.zip", zip.clone()), ("base.pak", zip), ("packs/bad.zip", b"x".to_vec())]);
        let source = Archives::new(source);
        let paths = |below: &str| -> Vec<(String, Option<Refusal>)> {
            source.list(below).unwrap().into_iter().map(|file| (file.path, file.refused)).collect()
        };
        let all = [
            ("../out.json".to_owned(), Some(Refusal::Outside)),
            ("away".to_owned(), Some(Refusal::Link)),
            ("goods/far/oil.json".to_owned(), None),
            ("goods/salt.json".to_owned(), None),
        ];
        assert_eq!(paths("packs/isles.zip"), all);
        assert_eq!(paths("base.pak"), all);
        assert_eq!(paths("packs/isles.zip/goods").len(), 2);
        assert_eq!(source.read("packs/isles.zip/goods/far/oil.json").unwrap(), b"[]");
        assert_eq!(source.read("base.pak/goods/salt.json").unwrap(), b"{}");
        assert!(source.has_folder("packs/isles.zip/goods") && !source.has_folder("packs/isles.zip/none"));
        for path in ["packs/isles.zip/../out.json", "packs/isles.zip/away", "packs/isles.zip/none.json"] {
            assert!(source.read(path).is_err(), "{path}");
        }
        assert!(source.list("packs/bad.zip").unwrap_err().to_string().contains("it is no zip archive"));
        assert_eq!(paths("packs").len(), 2);
    }

    #[test]
    fn an_archive_that_unpacks_to_far_more_than_its_size_costs_what_it_may() {
        let text = "[0,0,0,0],".repeat(1 << 20);
        let members: Vec<String> = (0..8).map(|nth| format!("{nth}.json")).collect();
        let members: Vec<(&str, &str)> = members.iter().map(|name| (name.as_str(), text.as_str())).collect();
        let source = Archives::new(MemorySource::new([("bomb.zip", packed(&members))]));
        let read = |name: &str| source.read(&format!("bomb.zip/{name}"));
        assert!(read("0.json").is_ok() && read("1.json").is_ok() && read("2.json").is_ok());
        let error = read("3.json").unwrap_err().to_string();
        assert!(error.contains("unpacks to more than 32 MiB, which is too much for its size"), "{error}");
        // what was read before stays readable
        assert!(read("0.json").is_ok());
    }
}
