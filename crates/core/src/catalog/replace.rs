//! Other texts for files that were read, and files that are not on disk yet.

use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::harvest::{as_read, asset_globs, harvest, notation_of, role_of};
use super::{Catalog, File, FileRole, Harvest, LayerId};
use crate::document::Document;
use crate::source::FileId;

/// A file read anew.
type ReadAgain = (Arc<Document>, Arc<Harvest>);

impl Catalog {
    /// Takes in another text for one file of definitions, texts or amendments, as if everything had been
    /// read anew with it.
    ///
    /// Returns whether the file is one that can be replaced so; workspace file, rulebook and manifests are
    /// not, since they change what every other file means.
    pub fn replace(&mut self, file: FileId, text: Arc<str>) -> bool {
        self.retake(&[(file, text)])
    }

    /// Whether a text could be read as what a file holds, without faults of notation.
    pub fn can_read(&self, file: FileId, text: &str) -> bool {
        let known = self.file(file);
        let notation = notation_of(&known.relative, &known.role, &self.rulebook);
        notation.is_none_or(|notation| !Document::parse(file, notation, text.into(), &self.names).is_broken())
    }

    /// As [`Catalog::replace`], for several files at once: all of them, or none.
    pub(crate) fn retake(&mut self, texts: &[(FileId, Arc<str>)]) -> bool {
        let can = |(file, _): &(FileId, Arc<str>)| {
            let known = self.files.get(file.0 as usize);
            known.is_some_and(|known| {
                known.role.is_harvested()
                    && !self.rulebook.is_manifest(&known.relative)
                    && notation_of(&known.relative, &known.role, &self.rulebook).is_some()
            })
        };
        if !texts.iter().all(can) {
            return false;
        }
        let again = |(file, text): &(FileId, Arc<str>)| Some((*file, self.read_again(*file, text.clone())?));
        let read: Vec<(FileId, ReadAgain)> = texts.par_iter().filter_map(again).collect();
        for (file, read) in read {
            self.put(file, read);
        }
        self.join();
        true
    }

    /// Takes in other texts for files and new files, as [`Catalog::replace`], all at once. Paths are those below
    /// the workspace; a new file lies below the folder of the layer.
    ///
    /// Returns the files, or the first path that cannot be taken in so.
    pub(crate) fn take_in_texts(&mut self, layer: LayerId, texts: &[(&str, &str)]) -> Result<Vec<FileId>, String> {
        let mut files = Vec::new();
        let mut assets = None;
        // as `file_named` finds them
        let harvested = self.files().filter(|(_, file)| file.role.is_harvested());
        let known: FxHashMap<&str, FileId> = harvested.map(|(id, file)| (file.path.as_str(), id)).collect();
        let again = |(path, text): &(&str, &str)| {
            let file = *known.get(path)?;
            Some((file, self.read_again(file, (*text).into())))
        };
        let read: Vec<Option<(FileId, Option<ReadAgain>)>> = texts.par_iter().map(again).collect();
        for ((path, text), read) in texts.iter().zip(read) {
            let done = match read {
                Some((file, Some(read))) => self.put(file, read).then_some(file),
                Some((_, None)) => None,
                None => self.add(layer, path, (*text).into(), &mut assets),
            };
            files.push(done.ok_or_else(|| (*path).to_owned())?);
        }
        self.join();
        Ok(files)
    }

    /// What a file holds with another text; it is not joined yet.
    fn read_again(&self, file: FileId, text: Arc<str>) -> Option<ReadAgain> {
        let known = self.files.get(file.0 as usize)?;
        if !known.role.is_harvested() || matches!(known.role, FileRole::Manifest) {
            return None;
        }
        let notation = notation_of(&known.relative, &known.role, &self.rulebook)?;
        let document = Document::parse(file, notation, text, &self.names);
        let document = as_read(document, &known.relative, &known.role, &self.rulebook, &self.names);
        let made = harvest(&document, known, &self.rulebook, &self.names);
        Some((Arc::new(document), Arc::new(made)))
    }

    /// Puts what a file holds in the place of what it held.
    fn put(&mut self, file: FileId, (document, harvest): ReadAgain) -> bool {
        let at = file.0 as usize;
        let (Some(old), Some(slot)) = (self.documents.get_mut(at), self.harvests.get_mut(at)) else { return false };
        (*old, *slot) = (Some(document), Some(harvest));
        true
    }

    /// Takes in a file of a layer that is not on disk yet, as one that would be found there. It is not joined yet.
    fn add(
        &mut self,
        layer: LayerId,
        path: &str,
        text: Arc<str>,
        assets: &mut Option<globset::GlobSet>,
    ) -> Option<FileId> {
        let relative = path.strip_prefix(&self.layer(layer).folder)?.strip_prefix('/')?.to_owned();
        let assets = assets.get_or_insert_with(|| asset_globs(&self.rulebook));
        let ground = self.layer(layer).ground.with(layer);
        let stands_on = |id: &str| ground.iter().any(|at| self.layer(at).id == id);
        let role = role_of(&relative, true, &self.rulebook, assets, &stands_on);
        let id = FileId(crate::source::to_u32(self.files.len()));
        let file = File {
            path: path.to_owned(),
            relative,
            layer: Some(layer),
            role,
            hidden_by: Vec::new(),
            owner: self.owner_id(layer),
        };
        let mut made = (None, None);
        if file.role.is_harvested() {
            let notation = notation_of(&file.relative, &file.role, &self.rulebook)?;
            let document = Document::parse(id, notation, text, &self.names);
            let document = as_read(document, &file.relative, &file.role, &self.rulebook, &self.names);
            let harvest = harvest(&document, &file, &self.rulebook, &self.names);
            made = (Some(Arc::new(document)), Some(Arc::new(harvest)));
        }
        self.documents.push(made.0);
        self.harvests.push(made.1);
        self.files.push(file);
        Some(id)
    }
}
