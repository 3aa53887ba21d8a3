//! A catalog with other files in the place of some layers': an older edition of the base, another version of a
//! mod, or fewer layers.
//!
//! Everything else is shared, so files, layers and words have the same numbers in both.

use super::harvest::{asset_globs, is_supplement};
use super::load::{Loader, ground_of, read_files};
use super::pictures::sizes;
use super::{Catalog, FileRole, LayerId, LoadError};
use crate::source::{FileId, Source};
use crate::workspace::read_manifest;

impl Catalog {
    /// This catalog with another base. Of parts beyond those that the base has, the last layer takes all.
    ///
    /// # Errors
    /// A folder or archive is not there, or cannot be read.
    pub(crate) fn with_base(&self, source: &dyn Source, folders: &[String]) -> Result<Catalog, LoadError> {
        let base = self.base();
        let mut other = self.without(|layer| base.contains(layer));
        let mut layers = base.iter().peekable();
        let mut at = LayerId::BASE;
        for folder in folders {
            at = layers.next().unwrap_or(at);
            if let Some(layer) = other.layers.get_mut(at.0 as usize) {
                layer.folder.clone_from(folder);
            }
            other.take_in(source, folder, at)?;
        }
        other.join();
        Ok(other)
    }

    /// This catalog with another version of one mod.
    ///
    /// # Errors
    /// The folder or archive is not there, or cannot be read.
    pub(crate) fn with_mod(&self, source: &dyn Source, layer: LayerId, folder: &str) -> Result<Catalog, LoadError> {
        let mut other = self.without(|one| one == layer);
        let base = self.base();
        let rule = self.rulebook.manifest.as_ref();
        let first = other.files.len();
        other.take_in(source, folder, layer)?;
        // what it stands on is said in its own manifest
        let manifest = other.files.iter().skip(first).position(|file| matches!(file.role, FileRole::Manifest));
        let document = manifest.and_then(|at| other.documents.get(first + at)?.clone());
        if let (Some(rule), Some(document)) = (rule, document) {
            let manifest = read_manifest(&document, rule, &self.layer(layer).id, &self.names).manifest;
            let below = other.layers.get(..layer.0 as usize).unwrap_or_default();
            let ground = ground_of(&manifest, below, &base);
            if let Some(known) = other.layers.get_mut(layer.0 as usize) {
                folder.clone_into(&mut known.folder);
                known.manifest = Some(manifest);
                known.manifest_file = Some(document.file());
                known.ground = ground;
            }
        }
        other.join();
        Ok(other)
    }

    /// This catalog with some of its layers only: what a view of them must be like.
    #[cfg(test)]
    pub(crate) fn only(&self, layers: &super::LayerSet) -> Catalog {
        let mut other = self.without(|layer| !layers.contains(layer));
        other.join();
        other
    }

    /// A copy that does not read the files of some layers. It is not joined yet.
    fn without(&self, gone: impl Fn(LayerId) -> bool) -> Catalog {
        let mut files = self.files.clone();
        let mut harvests = self.harvests.clone();
        for (file, harvest) in files.iter_mut().zip(&mut harvests) {
            if file.layer.is_some_and(&gone) {
                *harvest = None;
                file.role = FileRole::Ignored;
            }
        }
        Catalog {
            names: self.names.clone(),
            rulebook: self.rulebook.clone(),
            workspace: self.workspace.clone(),
            accepted: self.accepted.clone(),
            notes: self.notes.clone(),
            files,
            documents: self.documents.clone(),
            harvests,
            usual: self.usual.clone(),
            layers: self.layers.clone(),
            faults: Vec::new(),
            unloaded: Vec::new(),
            definitions: Vec::new(),
            starts: Vec::new(),
            stacks: Default::default(),
            shadowing: false,
            moving: false,
            amendments: Vec::new(),
            texts: Default::default(),
            renamed: Default::default(),
            parents: Default::default(),
            pictures: self.pictures.clone(),
        }
    }

    /// Reads the files of a folder or archive as those of a layer.
    fn take_in(&mut self, source: &dyn Source, folder: &str, layer: LayerId) -> Result<(), LoadError> {
        let rulebook = self.rulebook.clone();
        let is_base = self.layer(layer).is_base();
        let first = self.files.len();
        let mut loader = Loader {
            source,
            names: self.names.clone(),
            files: std::mem::take(&mut self.files),
            documents: std::mem::take(&mut self.documents),
            faults: Vec::new(),
            unloaded: Vec::new(),
        };
        let assets = asset_globs(&rulebook);
        let listed = source.list(folder);
        for file in listed.as_deref().unwrap_or_default() {
            if !is_base && rulebook.is_manifest(&file.path) {
                let path = format!("{folder}/{}", file.path);
                loader.add(path, file.path.clone(), Some(layer), FileRole::Manifest);
            }
            if !is_supplement(&file.path) || is_base {
                let layers = (!is_base).then_some(self.layers.as_slice());
                loader.layer_file(folder, file.clone(), layer, &rulebook, &assets, layers);
            }
        }
        (self.files, self.documents) = (loader.files, loader.documents);
        listed?;
        self.name_owners();
        let new = self.files.iter().enumerate().skip(first);
        let new = new.map(|(at, file)| (FileId(crate::source::to_u32(at)), file, None)).collect();
        self.documents.truncate(first);
        for (document, harvest) in read_files(source, new, &rulebook, &self.names) {
            self.documents.push(document);
            self.harvests.push(harvest);
        }
        let new: Vec<(FileId, &super::File)> = self.files().skip(first).collect();
        let pictures = sizes(source, &new, &rulebook);
        self.pictures.extend(pictures);
        Ok(())
    }
}
