//! Reads a whole workspace: its file, the rulebook, manifests, load order, then all files in parallel.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use rayon::prelude::*;

use super::harvest::{as_read, asset_globs, is_supplement, notation_of, places_of, role_of};
use super::mods_named::behind_both;
use super::pictures::sizes;
use super::{Catalog, CodedFault, File, FileRole, Harvest, Layer, LayerId, LayerSet, harvest};
use crate::document::{Document, Format, Notation};
use crate::names::{NameCache, Names};
use crate::own::{self, OwnFault};
use crate::rulebook::{Rulebook, load_rulebook, load_with_supplements};
use crate::said::said;
use crate::source::{FileId, Place, Source, SourceError, Span};
use crate::workspace::{
    ACCEPTED_FILE, Acceptance, MadeManifest, Manifest, NOTES_FILE, Note, Orderable, WORKSPACE_FILE, WorkspaceFile,
    load_order, read_accepted, read_notes, read_workspace_file,
};

/// Why a workspace could not be read at all.
#[derive(Debug, thiserror::Error)]
pub enum LoadError {
    /// A file or folder cannot be read.
    #[error(transparent)]
    Source(#[from] SourceError),
    /// The workspace file does not say enough to go on.
    #[error("{path}:{line}: {message}{}", .help.as_ref().map(|help| format!(" ({help})")).unwrap_or_default())]
    Workspace {
        /// The workspace file.
        path: String,
        /// The line.
        line: u32,
        /// What is wrong.
        message: String,
        /// What to do.
        help: Option<String>,
    },
    /// A folder that the workspace file names is not there.
    #[error("the {what} `{path}` is not there; {WORKSPACE_FILE} names it under `{key}`")]
    Missing {
        /// Rulebook, base or mods.
        what: &'static str,
        /// Its path.
        path: String,
        /// The key in the workspace file.
        key: &'static str,
    },
}

pub(super) struct Loader<'s> {
    pub(super) source: &'s dyn Source,
    pub(super) names: Arc<Names>,
    pub(super) files: Vec<File>,
    pub(super) documents: Vec<Option<Arc<Document>>>,
    pub(super) faults: Vec<CodedFault>,
    /// Ids and folders of mods whose manifest is no good.
    pub(super) unloaded: Vec<String>,
}

pub(super) fn load(source: &dyn Source, stage: &(dyn Fn(&'static str) + Sync)) -> Result<Catalog, LoadError> {
    let names = Arc::new(Names::new());
    let mut loader = Loader {
        source,
        names: names.clone(),
        files: Vec::new(),
        documents: Vec::new(),
        faults: Vec::new(),
        unloaded: Vec::new(),
    };
    stage("rulebook");
    let workspace = loader.workspace()?;
    let (rulebook, mods) = loader.rulebook(&workspace)?;
    let rulebook = Arc::new(rulebook);
    let (accepted, notes) = loader.beside();
    stage("layers");
    let layers = loader.layers(&workspace, &rulebook, &mods)?;
    let mut catalog = Catalog {
        names,
        rulebook,
        workspace,
        accepted,
        notes,
        files: loader.files,
        documents: loader.documents,
        harvests: Vec::new(),
        usual: LayerSet::default(),
        layers,
        faults: loader.faults,
        unloaded: loader.unloaded,
        definitions: Vec::new(),
        starts: Vec::new(),
        stacks: Default::default(),
        shadowing: false,
        moving: false,
        amendments: Vec::new(),
        texts: Default::default(),
        renamed: Default::default(),
        parents: Default::default(),
        pictures: Default::default(),
    };
    let mods = catalog.layers().filter(|(_, layer)| !layer.is_part()).map(|(id, _)| id).collect();
    catalog.usual = catalog.applying(&mods, None);
    catalog.name_owners();
    stage("files");
    read_all(source, &mut catalog);
    stage("index");
    catalog.join();
    Ok(catalog)
}

/// A file's document and what it gives, if it is read.
type Read = (Option<Arc<Document>>, Option<Arc<Harvest>>);

/// Reads and harvests every file that has a role, each by itself.
fn read_all(source: &dyn Source, catalog: &mut Catalog) {
    let known = std::mem::take(&mut catalog.documents);
    let files = catalog.files.iter().zip(known).zip(0u32..).map(|((file, known), at)| (FileId(at), file, known));
    (catalog.documents, catalog.harvests) =
        read_files(source, files.collect(), &catalog.rulebook, &catalog.names).into_iter().unzip();
    catalog.pictures = sizes(source, &catalog.files().collect::<Vec<_>>(), &catalog.rulebook);
}

/// Reads and harvests files, in parallel; those that were read before are only harvested.
pub(super) fn read_files(
    source: &dyn Source,
    files: Vec<(FileId, &File, Option<Arc<Document>>)>,
    rulebook: &Rulebook,
    names: &Names,
) -> Vec<Read> {
    let total = AtomicU64::new(0);
    let read = |cache: &mut NameCache<'_>, (id, file, known): (FileId, &File, Option<Arc<Document>>)| {
        if !file.role.is_harvested() {
            return (known, None);
        }
        let document = known.unwrap_or_else(|| {
            let notation = notation_of(&file.relative, &file.role, rulebook);
            // what came before is counted as it is read: past the bound nothing more is
            let document = match total.load(Ordering::Relaxed) > TOTAL_LIMIT {
                true => too_much(id, notation),
                false => read_document(source, id, &file.path, notation, cache),
            };
            total.fetch_add(document.text().len() as u64, Ordering::Relaxed);
            Arc::new(as_read(document, &file.relative, &file.role, rulebook, names))
        });
        let harvest = harvest(&document, file, rulebook, names);
        (Some(document), Some(Arc::new(harvest)))
    };
    files.into_par_iter().map_init(|| NameCache::new(names), read).collect()
}

/// The bytes of all files together that are read of a workspace.
const TOTAL_LIMIT: u64 = 1 << 30;

fn too_much(id: FileId, notation: Option<Notation>) -> Document {
    let notation = notation.unwrap_or(Notation::from(Format::Json));
    let reason =
        format!("it is not read: the files of the workspace hold more than {} MiB together", TOTAL_LIMIT >> 20);
    Document::unread(id, notation, Span::default(), reason)
}

fn read_document(
    source: &dyn Source,
    id: FileId,
    path: &str,
    notation: Option<Notation>,
    cache: &mut NameCache<'_>,
) -> Document {
    let notation = notation.unwrap_or(Notation::from(Format::Json));
    match source.read(path) {
        Ok(bytes) => Document::parse_bytes(id, notation, bytes, cache),
        Err(error) => Document::unread(id, notation, Span::default(), error.to_string()),
    }
}

impl Loader<'_> {
    pub(super) fn add(&mut self, path: String, relative: String, layer: Option<LayerId>, role: FileRole) -> FileId {
        let id = FileId(crate::source::to_u32(self.files.len()));
        self.files.push(File { path, relative, layer, role, hidden_by: Vec::new(), owner: "".into() });
        self.documents.push(None);
        id
    }

    /// Adds one of our own files and reads it at once.
    fn read_own(&mut self, path: &str) -> Arc<Document> {
        self.read_now(path, FileRole::Own, Notation::of(path), |document, _| document)
    }

    /// Adds a file and reads it at once, `as_read` with its words.
    pub(super) fn read_now(
        &mut self,
        path: &str,
        role: FileRole,
        notation: Option<Notation>,
        as_read: impl Fn(Document, &Names) -> Document,
    ) -> Arc<Document> {
        let id = self.add(path.to_owned(), path.to_owned(), None, role);
        let mut cache = NameCache::new(&self.names);
        let document = read_document(self.source, id, path, notation, &mut cache);
        let document = Arc::new(as_read(document, &self.names));
        if let Some(slot) = self.documents.get_mut(id.0 as usize) {
            *slot = Some(document.clone());
        }
        document
    }

    pub(super) fn push(&mut self, code: &'static str, faults: Vec<OwnFault>) {
        self.faults.extend(faults.into_iter().map(|fault| CodedFault { code, fault }));
    }

    fn workspace(&mut self) -> Result<WorkspaceFile, LoadError> {
        self.source.read(WORKSPACE_FILE)?;
        let document = self.read_own(WORKSPACE_FILE);
        let mut faults = Vec::new();
        let workspace = read_workspace_file(&document, &self.names, &mut faults);
        if workspace.rulebook.is_empty() || workspace.base.is_empty() || workspace.mods.is_empty() {
            let fault = faults.first().cloned();
            let lines = crate::source::Lines::new(document.text());
            let line = fault.as_ref().map_or(1, |fault| lines.position(fault.place.span.start).line);
            return Err(LoadError::Workspace {
                path: WORKSPACE_FILE.to_owned(),
                line,
                message: fault.as_ref().map_or("a path is empty".to_owned(), |fault| fault.message.to_string()),
                help: fault.and_then(|fault| fault.help).map(String::from),
            });
        }
        self.push("workspace-fault", faults);
        Ok(workspace)
    }

    /// Our own files beside the workspace file, where they are.
    fn beside(&mut self) -> (Vec<(Acceptance, Place)>, std::collections::BTreeMap<String, Note>) {
        let names = self.names.clone();
        let mut faults = Vec::new();
        let mut accepted = Vec::new();
        let mut there = |path: &str| match self.source.read(path) {
            Ok(_) => true,
            Err(error) => {
                if !error.lacking {
                    let message = said!("`{file}` cannot be read: {reason}", file = path, reason = error.reason);
                    faults.push(own::fault(Place::default(), message));
                }
                false
            }
        };
        let (has_accepted, has_notes) = (there(ACCEPTED_FILE), there(NOTES_FILE));
        if has_accepted {
            let document = self.read_own(ACCEPTED_FILE);
            accepted = read_accepted(&document, &names, &mut faults);
        }
        let mut notes = Default::default();
        if has_notes {
            let document = self.read_own(NOTES_FILE);
            notes = read_notes(&document, &names, &mut faults);
        }
        self.push("workspace-fault", faults);
        (accepted, notes)
    }

    /// The rulebook with what mods bring along, and the mods.
    fn rulebook(&mut self, workspace: &WorkspaceFile) -> Result<(Rulebook, Vec<Found>), LoadError> {
        let top = &workspace.rulebook;
        let paths: Vec<String> = if top.ends_with(".toml") {
            vec![top.clone()]
        } else {
            let listed = self.source.list(top).unwrap_or_default();
            let toml = listed.into_iter().filter(|file| file.refused.is_none() && file.path.ends_with(".toml"));
            toml.map(|file| format!("{top}/{}", file.path)).collect()
        };
        if paths.is_empty() || (top.ends_with(".toml") && self.source.read(top).is_err()) {
            return Err(LoadError::Missing { what: "rulebook", path: top.clone(), key: "rulebook" });
        }
        let documents: Vec<_> = paths.iter().map(|path| self.read_own(path)).collect();
        let documents: Vec<&Document> = documents.iter().map(|document| &**document).collect();
        let names = self.names.clone();
        let (mut rulebook, mut faults) = load_rulebook(&documents, &names);
        let mods = self.mods(workspace, &rulebook)?;
        let brought: Vec<(String, Vec<Arc<Document>>)> = mods
            .iter()
            .map(|found| (found.made.manifest.id.clone(), self.supplement(found)))
            .filter(|(_, documents)| !documents.is_empty())
            .collect();
        if !brought.is_empty() && !rulebook.broken {
            let brought: Vec<(String, Vec<&Document>)> = brought
                .iter()
                .map(|(id, all)| (id.clone(), all.iter().map(|document| &**document).collect()))
                .collect();
            let broken = brought.iter().flat_map(|(_, all)| all).flat_map(|document| own::syntax(document));
            let broken: Vec<OwnFault> = broken.collect();
            (rulebook, faults) = load_with_supplements(&documents, &brought, &names);
            faults.extend(broken);
        }
        self.push("rulebook-fault", faults);
        Ok((rulebook, mods))
    }

    /// The parts of the rulebook that a mod brings along.
    fn supplement(&mut self, found: &Found) -> Vec<Arc<Document>> {
        let listed = self.source.list(&found.folder).unwrap_or_default();
        let all = listed.into_iter().filter(|file| file.refused.is_none() && is_supplement(&file.path));
        all.map(|file| self.read_own(&format!("{}/{}", found.folder, file.path))).collect()
    }

    fn layers(
        &mut self,
        workspace: &WorkspaceFile,
        rulebook: &Rulebook,
        found_mods: &[Found],
    ) -> Result<Vec<Layer>, LoadError> {
        let assets = asset_globs(rulebook);
        let mut layers: Vec<Layer> = Vec::new();
        let mut base = LayerSet::default();
        for folder in &workspace.base {
            if !self.source.has_folder(folder) {
                return Err(LoadError::Missing { what: "base", path: folder.clone(), key: "base" });
            }
            let id = LayerId(u16::try_from(layers.len()).unwrap_or(u16::MAX));
            let name = folder.rsplit('/').next().unwrap_or(folder);
            let name = name.split_once('.').map_or(name, |(stem, _)| stem).to_owned();
            let taken = layers.iter().any(|layer| layer.id == name);
            layers.push(Layer {
                id: if layers.is_empty() {
                    "base".to_owned()
                } else if taken || name.is_empty() {
                    folder.clone()
                } else {
                    name
                },
                folder: folder.clone(),
                manifest: None,
                manifest_file: None,
                ground: base.clone(),
            });
            base.insert(id);
            for file in self.source.list(folder)? {
                self.layer_file(folder, file, id, rulebook, &assets, None);
            }
        }
        let parts = self.parts_of(rulebook, found_mods)?;
        let mods: Vec<&Found> = found_mods.iter().chain(&parts).collect();
        let orderable: Vec<Orderable> = mods
            .iter()
            .map(|found| Orderable {
                id: found.made.manifest.id.clone(),
                requires: found.made.manifest.requires.clone(),
                after: found.made.manifest.after.clone(),
            })
            .collect();
        self.requirement_faults(workspace, rulebook, found_mods);
        let (order, faults) = load_order(&orderable, &workspace.order);
        self.order_faults(faults, &mods);
        let order = behind_both(order, &mods);
        for at in order {
            let Some(found) = mods.get(at) else { continue };
            let id = LayerId(u16::try_from(layers.len()).unwrap_or(u16::MAX));
            let ground = ground_of(&found.made.manifest, &layers, &base);
            // the manifest was read before its layer had a number
            if let Some(file) = found.file.and_then(|file| self.files.get_mut(file.0 as usize)) {
                file.layer = Some(id);
            }
            layers.push(Layer {
                id: found.made.manifest.id.clone(),
                folder: found.folder.clone(),
                manifest: Some(found.made.manifest.clone()),
                manifest_file: found.file,
                ground,
            });
            let of_mod = |other: &&Found| {
                other.made.manifest.part_of.as_ref().is_some_and(|(of, _)| *of == found.made.manifest.id)
            };
            let own = parts.iter().filter(of_mod).filter_map(|part| {
                part.folder.strip_prefix(found.folder.as_str()).and_then(|rest| rest.strip_prefix('/'))
            });
            let own: Vec<&str> = own.collect();
            for file in self.source.list(&found.folder)? {
                // what applies only with another mod is a layer of its own
                if own.iter().any(|part| file.path.strip_prefix(part).is_some_and(|rest| rest.starts_with('/'))) {
                    continue;
                }
                if is_supplement(&file.path) {
                    let path = format!("{}/{}", found.folder, file.path);
                    let read = self.files.iter_mut().find(|known| known.path == path);
                    read.into_iter().for_each(|known| known.layer = Some(id));
                    continue;
                }
                self.layer_file(&found.folder, file, id, rulebook, &assets, Some(&layers));
            }
        }
        if !rulebook.broken && rulebook.manifest.is_some() {
            self.names_of_mods(workspace, &layers);
        }
        Ok(layers)
    }

    pub(super) fn layer_file(
        &mut self,
        folder: &str,
        file: crate::source::Listed,
        layer: LayerId,
        rulebook: &Rulebook,
        assets: &globset::GlobSet,
        layers: Option<&[Layer]>,
    ) {
        let ground = layers.and_then(|layers| Some((layers, layers.get(layer.0 as usize)?)));
        let stands_on = |id: &str| {
            ground.is_some_and(|(layers, own)| {
                own.id == id || own.ground.iter().any(|at| layers.get(at.0 as usize).is_some_and(|l| l.id == id))
            })
        };
        let role = match file.refused {
            Some(_) if rulebook.ignore.is_match(&file.path) => FileRole::Ignored,
            Some(refusal) => FileRole::Refused(refusal),
            // a manifest in which definitions stand is read a second time, for these
            None if layers.is_some() && rulebook.is_manifest(&file.path) => {
                let mut places = places_of(&file.path, rulebook, &stands_on);
                places.retain(|at| rulebook.places.get(*at).is_some_and(|place| place.names_file(&file.path)));
                if places.is_empty() {
                    return;
                }
                FileRole::Definitions(places)
            }
            None => role_of(&file.path, layers.is_some(), rulebook, assets, &stands_on),
        };
        self.add(format!("{folder}/{}", file.path), file.path, Some(layer), role);
    }
}

/// What a mod stands on, with these layers below it.
pub(super) fn ground_of(manifest: &Manifest, below: &[Layer], base: &LayerSet) -> LayerSet {
    let mut ground = base.clone();
    for (required, _) in &manifest.requires {
        let found = below.iter().zip(0u16..).find(|(layer, _)| !layer.is_base() && layer.id == *required);
        if let Some((layer, at)) = found {
            ground.insert(LayerId(at));
            ground.extend(&layer.ground);
        }
    }
    ground
}

/// A mod that was found.
pub(super) struct Found {
    pub(super) folder: String,
    /// Its manifest; none of a part, and of a mod that has none.
    pub(super) file: Option<FileId>,
    pub(super) made: MadeManifest,
}
