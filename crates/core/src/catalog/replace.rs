//! Other texts for files that were read, and files that are not on disk yet.

use std::sync::Arc;

use super::harvest::{as_read, asset_globs, harvest, notation_of, role_of};
use super::{Catalog, File, FileRole, LayerId};
use crate::document::Document;
use crate::source::FileId;

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
        for (file, text) in texts {
            self.reread(*file, text.clone());
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
        for (path, text) in texts {
            let known = self.file_named(path).filter(|file| self.file(*file).role.is_harvested());
            let done = match known {
                Some(file) => self.reread(file, (*text).into()).then_some(file),
                None => self.add(layer, path, (*text).into(), &mut assets),
            };
            files.push(done.ok_or_else(|| (*path).to_owned())?);
        }
        self.join();
        Ok(files)
    }

    /// Reads and harvests one file anew; it is not joined yet.
    fn reread(&mut self, file: FileId, text: Arc<str>) -> bool {
        let Some(known) = self.files.get(file.0 as usize) else { return false };
        if !known.role.is_harvested() || matches!(known.role, FileRole::Manifest) {
            return false;
        }
        let Some(notation) = notation_of(&known.relative, &known.role, &self.rulebook) else { return false };
        let document = Document::parse(file, notation, text, &self.names);
        let document = as_read(document, &known.relative, &known.role, &self.rulebook, &self.names);
        let made = harvest(&document, known, &self.rulebook, &self.names);
        if let (Some(old), Some(slot)) =
            (self.documents.get_mut(file.0 as usize), self.harvests.get_mut(file.0 as usize))
        {
            *old = Some(Arc::new(document));
            *slot = Some(Arc::new(made));
        }
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
