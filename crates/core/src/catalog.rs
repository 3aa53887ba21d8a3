//! The definitions of all layers, indexed by address.
//!
//! Each file is read and harvested by itself, in parallel; one thread then joins the harvests in load
//! order, so that numbers and output do not depend on threads.

mod amendment;
mod file_texts;
mod harvest;
mod instead;
mod language;
mod layers;
mod load;
mod mods_found;
mod mods_named;
mod orders;
mod parents;
mod pictures;
mod pieces;
mod replace;
mod resolve;
mod seen;
mod stacks;

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

pub use amendment::amendments_reference;
pub use layers::{Layer, LayerId, LayerSet};
pub use load::LoadError;
pub use seen::Seen;

pub(crate) use amendment::{Amendment, Op, OpKind, Target};
pub(crate) use harvest::{
    AMENDMENT, FileRole, Harvest, Harvested, NO_DEFINITION, as_read, harvest, is_data, notation_of,
};
pub(crate) use language::language_in;
pub(crate) use parents::{IN_TURN, means_parent, parent_meant};
pub(crate) use resolve::{ALONE, Beside, Sought};

use self::stacks::Stacks;
use crate::document::{Document, Node, NodeRef};
use crate::names::{Names, Sym};
use crate::own::OwnFault;
use crate::rulebook::{Again, KindId, Rulebook, SpaceId};
use crate::source::{FileId, Lines, Place, Source};
use crate::workspace::{Acceptance, MadeFor, Note, WorkspaceFile, made_for};

/// A definition, numbered in load order.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct DefId(pub(crate) u32);

/// An amendment, numbered in load order.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct AmendId(pub(crate) u32);

/// What makes definitions of several layers the same one.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct Address {
    pub(crate) space: SpaceId,
    pub(crate) id: Sym,
}

/// One definition as one layer writes it.
#[derive(Clone, Copy, Debug)]
pub struct Definition {
    /// The file.
    pub file: FileId,
    /// The definition in it.
    pub node: crate::document::NodeId,
    /// Its id; some kinds have none.
    pub id: Option<Sym>,
    /// Its kind.
    pub kind: KindId,
    /// The layer that writes it.
    pub layer: LayerId,
    /// The definition of the same address below it.
    pub below: Option<DefId>,
    /// The id of its parent; of several the strongest.
    pub(crate) parent: Option<Sym>,
    /// Whether its parent is its own id: it continues what lies below it.
    pub(crate) continues: bool,
    /// What it means for those below it.
    pub(crate) again: Again,
    /// Whether it takes away what lies below it.
    pub(crate) removes: bool,
    /// Whether it is only there to be inherited from.
    pub(crate) is_abstract: bool,
}

impl Definition {
    /// The node in the workspace.
    pub fn at(&self) -> NodeRef {
        NodeRef { file: self.file, node: self.node }
    }
}

/// A file of the workspace.
#[derive(Clone, Debug)]
pub struct File {
    /// Path below the workspace, with forward slashes.
    pub path: String,
    /// Path below its layer.
    pub(crate) relative: String,
    /// The layer it belongs to.
    pub layer: Option<LayerId>,
    /// The id of the mod it belongs to, as it stands in ids.
    pub(crate) owner: std::sync::Arc<str>,
    pub(crate) role: FileRole,
    /// The higher layers with a file at the same path that stands for this one.
    pub(crate) hidden_by: Vec<LayerId>,
}

impl File {
    /// The folder it lies in, below its layer; empty where that is the layer's own.
    pub(crate) fn folder(&self) -> &str {
        folder(&self.relative)
    }
}

/// The folder of a path; empty where it has none.
pub(crate) fn folder(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// A fault in one of our own files, or in what belongs to the workspace as a whole.
#[derive(Clone, Debug)]
pub(crate) struct CodedFault {
    pub(crate) code: &'static str,
    pub(crate) fault: OwnFault,
}

/// A text that players see.
#[derive(Clone, Debug)]
pub(crate) struct TextEntry {
    pub(crate) key: String,
    pub(crate) language: String,
    pub(crate) at: NodeRef,
}

impl TextEntry {
    fn new(key: &str, language: &str, node: Node<'_>) -> TextEntry {
        TextEntry { key: key.to_owned(), language: language.to_owned(), at: node.at() }
    }
}

/// All layers, read and indexed.
#[derive(Debug)]
pub struct Catalog {
    pub(crate) names: Arc<Names>,
    pub(crate) rulebook: Arc<Rulebook>,
    pub(crate) workspace: WorkspaceFile,
    pub(crate) accepted: Vec<(Acceptance, Place)>,
    pub(crate) notes: std::collections::BTreeMap<String, Note>,
    pub(crate) files: Vec<File>,
    pub(crate) documents: Vec<Option<Arc<Document>>>,
    pub(crate) harvests: Vec<Option<Arc<Harvest>>>,
    pub(crate) layers: Vec<Layer>,
    /// The layers that apply where all mods are loaded, in no mode.
    pub(crate) usual: LayerSet,
    pub(crate) faults: Vec<CodedFault>,
    /// Ids and folders of mods whose manifest is no good, so that they are not loaded.
    pub(crate) unloaded: Vec<String>,
    pub(crate) definitions: Vec<Definition>,
    /// Where each file's definitions and amendments begin.
    pub(crate) starts: Vec<(u32, u32)>,
    pub(crate) stacks: Stacks,
    /// Whether any file stands for a lower one.
    pub(crate) shadowing: bool,
    /// Whether an id may stand for another address: by a record that renames, or in the folders around it.
    pub(crate) moving: bool,
    pub(crate) amendments: Vec<AmendmentAt>,
    pub(crate) texts: FxHashMap<String, Vec<(String, NodeRef)>>,
    /// All parents of definitions that have several, in the order in which they are laid over each other.
    pub(crate) parents: FxHashMap<DefId, Vec<Sym>>,
    /// Old ids and what they are called now.
    pub(crate) renamed: FxHashMap<Address, Vec<(LayerId, Sym)>>,
    /// The width and height of pictures in pixels, where the rulebook demands something of them.
    pub(crate) pictures: FxHashMap<FileId, (usize, usize)>,
}

/// Where an amendment stands.
#[derive(Clone, Copy, Debug)]
pub(crate) struct AmendmentAt {
    pub(crate) file: FileId,
    pub(crate) index: u32,
    pub(crate) layer: LayerId,
}

impl Catalog {
    /// Reads a workspace.
    ///
    /// # Errors
    /// The workspace file cannot be read, or names no rulebook or base that is there.
    pub fn load(source: &dyn Source) -> Result<Catalog, LoadError> {
        load::load(source, &|_| {})
    }

    /// As [`Catalog::load`], telling which stage begins.
    ///
    /// # Errors
    /// As [`Catalog::load`].
    pub fn load_watched(source: &dyn Source, stage: &(dyn Fn(&'static str) + Sync)) -> Result<Catalog, LoadError> {
        load::load(source, stage)
    }

    /// Numbers the definitions of all harvests in load order and indexes them.
    pub(crate) fn join(&mut self) {
        let count = self.harvests.iter().flatten().map(|harvest| harvest.definitions.len()).sum();
        self.definitions = Vec::with_capacity(count);
        self.stacks = Stacks::default();
        self.amendments.clear();
        self.texts.clear();
        self.renamed.clear();
        self.parents.clear();
        let shadowing = self.harvests.iter().flatten().any(|harvest| harvest.shadows);
        self.files.iter_mut().for_each(|file| file.hidden_by.clear());
        self.shadowing = shadowing;
        let mut at_path: FxHashMap<String, Vec<(FileId, std::ops::Range<usize>)>> = FxHashMap::default();
        let harvests = std::mem::take(&mut self.harvests);
        // files are numbered by layer and path, but for those that were taken in later
        let mut order: Vec<usize> = (0..harvests.len()).collect();
        order.sort_by_key(|at| self.files.get(*at).map(|file| (file.layer, file.path.as_bytes())));
        self.starts = vec![(0, 0); harvests.len()];
        for at in order {
            let starts = (self.definitions.len(), self.amendments.len());
            if let Some(slot) = self.starts.get_mut(at) {
                *slot = (crate::source::to_u32(starts.0), crate::source::to_u32(starts.1));
            }
            let Some(harvest) = harvests.get(at).and_then(Option::as_ref) else { continue };
            let file = FileId(crate::source::to_u32(at));
            let Some(layer) = self.files.get(at).and_then(|file| file.layer) else { continue };
            for made in &harvest.definitions {
                let id = DefId(crate::source::to_u32(self.definitions.len()));
                let space = self.rulebook.kind(made.kind).space;
                let below = made.id.and_then(|name| {
                    self.stacks.put(Address { space, id: name }, id, (!made.removes).then_some(layer))
                });
                self.definitions.push(Definition {
                    file,
                    node: made.node,
                    id: made.id,
                    kind: made.kind,
                    layer,
                    below,
                    parent: made.parent,
                    continues: made.continues,
                    again: made.again,
                    removes: made.removes,
                    is_abstract: made.is_abstract,
                });
            }
            for index in 0..harvest.amendments.len() {
                self.amendments.push(AmendmentAt { file, index: crate::source::to_u32(index), layer });
            }
            if shadowing && let Some(path) = self.files.get(at).map(|file| file.relative.clone()) {
                let below = at_path.entry(path).or_default();
                if harvest.shadows {
                    self.shadow(file, layer, starts.0, below);
                }
                below.push((file, starts.0..self.definitions.len()));
            }
            for (from, parents) in &harvest.parents {
                self.parents.insert(DefId(crate::source::to_u32(starts.0) + from), parents.clone());
            }
            for (kind, old, new) in &harvest.renames {
                let old = Address { space: self.rulebook.kind(*kind).space, id: *old };
                self.renamed.entry(old).or_default().push((layer, *new));
            }
            for text in &harvest.texts {
                self.texts.entry(text.key.clone()).or_default().push((text.language.clone(), text.at));
            }
        }
        self.harvests = harvests;
        self.moving = !self.renamed.is_empty() || self.rulebook.kinds().any(|(_, kind)| kind.scoped);
    }

    /// A file takes away what the files at its path in lower layers define, unless it defines that itself.
    fn shadow(&mut self, file: FileId, layer: LayerId, start: usize, below: &[(FileId, std::ops::Range<usize>)]) {
        for (other, _) in below {
            if let Some(other) = self.files.get_mut(other.0 as usize).filter(|other| other.layer < Some(layer)) {
                other.hidden_by.push(layer);
            }
        }
        let Some(root) = self.document(file).map(|document| document.root().id()) else { return };
        let own: FxHashSet<Option<Address>> =
            self.definitions.iter().skip(start).map(|definition| self.address_of(definition)).collect();
        let hidden = below.iter().flat_map(|(_, range)| self.definitions.get(range.clone()).unwrap_or_default());
        let lower = hidden.filter(|other| other.layer < layer && !own.contains(&self.address_of(other)));
        let gone: Vec<Definition> = lower.copied().collect();
        for definition in self.definitions.iter_mut().skip(start) {
            definition.again = Again::Replace;
        }
        // also what a layer between them hides: that one need not be looked at
        let mut told = FxHashSet::default();
        for other in gone {
            let Some(address) = self.address_of(&other).filter(|address| told.insert(*address)) else { continue };
            let id = DefId(crate::source::to_u32(self.definitions.len()));
            let below = self.stacks.put(address, id, None);
            let gone = Definition { file, node: root, layer, below, parent: None, removes: true, ..other };
            self.definitions.push(gone);
        }
    }

    /// The rulebook.
    pub fn rulebook(&self) -> &Rulebook {
        &self.rulebook
    }

    /// The table of words.
    pub fn names(&self) -> &Names {
        &self.names
    }

    /// The layers in load order, the base first.
    pub fn layers(&self) -> impl Iterator<Item = (LayerId, &Layer)> {
        self.layers.iter().zip(0u16..).map(|(layer, at)| (LayerId(at), layer))
    }

    /// What all layers hold that apply where all mods are loaded, in no mode.
    pub fn seen(&self) -> Seen<'_> {
        Seen { catalog: self, layers: self.usual.clone() }
    }

    /// What some layers hold.
    pub(crate) fn seen_in(&self, layers: LayerSet) -> Seen<'_> {
        Seen { catalog: self, layers }
    }

    /// The layers of the base.
    pub(crate) fn base(&self) -> LayerSet {
        self.layers().filter(|(_, layer)| layer.is_base()).map(|(id, _)| id).collect()
    }

    /// The highest layer of the base.
    pub fn last_base(&self) -> LayerId {
        self.layers().take_while(|(_, layer)| layer.is_base()).last().map_or(LayerId::BASE, |(id, _)| id)
    }

    /// A layer.
    pub fn layer(&self, id: LayerId) -> &Layer {
        self.layers.get(id.0 as usize).expect("layer ids are made with the catalog's own table")
    }

    /// The layer of an id.
    pub fn layer_named(&self, id: &str) -> Option<LayerId> {
        self.layers().find(|(_, layer)| layer.id == id).map(|(at, _)| at)
    }

    /// The version of the base: as the workspace says, else the one that the rulebook was written for.
    pub fn edition(&self) -> Option<&str> {
        self.workspace.edition.as_deref().or(self.rulebook.game.edition.as_deref())
    }

    /// Whether a mod is there by this id or folder, with a manifest that is no good.
    pub fn is_unloaded(&self, id: &str) -> bool {
        self.unloaded.iter().any(|known| known == id)
    }

    /// The edition of the base that a layer was made for.
    pub(crate) fn made_for(&self, layer: &Layer) -> MadeFor {
        let said = layer.manifest.as_ref().map_or(&[][..], |manifest| &manifest.made_for);
        let kept = self.workspace.editions.iter().map(|edition| edition.name.as_str());
        made_for(said, self.edition(), kept)
    }

    /// The workspace file's content.
    pub fn workspace(&self) -> &WorkspaceFile {
        &self.workspace
    }

    /// All remarks, by what they are about.
    pub fn notes(&self) -> impl Iterator<Item = (&str, &Note)> {
        self.notes.iter().map(|(about, note)| (about.as_str(), note))
    }

    /// The remark on a definition.
    pub fn note_on(&self, address: Address) -> Option<&str> {
        self.notes.get(&self.show_address(address)).map(|note| note.text.as_str())
    }

    /// The remark on a field of a kind, by its pattern.
    pub fn note_on_field(&self, kind: KindId, pattern: &str) -> Option<&str> {
        let about = format!("{}.{pattern}", self.rulebook.kind(kind).name());
        self.notes.get(&about).map(|note| note.text.as_str())
    }

    /// The remark on a field of a definition; entries and keys on the way do not count.
    pub fn note_at(&self, address: Address, path: &crate::document::FieldPath) -> Option<&str> {
        let kind = self.kind_of(address)?;
        let ty = self.rulebook.type_at(self.rulebook.kind(kind).root, path, &self.names).ok()?;
        self.note_on_field(kind, &self.rulebook.field_type(ty).pattern)
    }

    /// All files.
    pub fn files(&self) -> impl Iterator<Item = (FileId, &File)> {
        self.files.iter().zip(0u32..).map(|(file, at)| (FileId(at), file))
    }

    /// A file.
    pub fn file(&self, id: FileId) -> &File {
        self.files.get(id.0 as usize).expect("file ids are made with the catalog's own table")
    }

    /// Whether the rulebook has faults, so that less may be read than there is.
    pub fn has_rulebook_faults(&self) -> bool {
        self.faults.iter().any(|coded| coded.code == "rulebook-fault")
    }

    /// A file by its path below the workspace.
    pub fn file_named(&self, path: &str) -> Option<FileId> {
        let mut found = self.files().filter(|(_, file)| file.path == path);
        let first = found.next().map(|(id, _)| id);
        // definitions in a manifest are read from it a second time
        found.next().map_or(first, |(id, _)| Some(id))
    }

    /// The document of a file, if it was read.
    pub fn document(&self, file: FileId) -> Option<&Arc<Document>> {
        self.documents.get(file.0 as usize)?.as_ref()
    }

    /// The text of a place's file.
    pub fn text(&self, file: FileId) -> &str {
        self.document(file).map_or("", |document| document.text())
    }

    /// A node anywhere in the workspace.
    pub fn node(&self, at: NodeRef) -> Node<'_> {
        self.document(at.file).expect("nodes are made from documents that are kept").node(at.node)
    }

    /// The place that stands for a whole definition: its key, or its first line.
    pub fn definition_place(&self, at: NodeRef) -> Place {
        let node = self.node(at);
        let span = if node.key().is_some() { node.key_span() } else { crate::own::first_line(node) };
        Place { file: at.file, span }
    }

    /// All definitions in load order.
    pub fn definitions(&self) -> impl Iterator<Item = (DefId, &Definition)> {
        self.definitions.iter().zip(0u32..).map(|(definition, at)| (DefId(at), definition))
    }

    /// The definitions that a layer writes, in load order.
    pub(crate) fn definitions_of(&self, layer: LayerId) -> impl Iterator<Item = (DefId, &Definition)> {
        let start = self.definitions.partition_point(|made| made.layer < layer);
        let end = self.definitions.partition_point(|made| made.layer <= layer);
        let all = self.definitions.get(start..end).unwrap_or_default();
        all.iter().zip(crate::source::to_u32(start)..).map(|(made, at)| (DefId(at), made))
    }

    /// A definition.
    pub fn definition(&self, id: DefId) -> &Definition {
        self.definitions.get(id.0 as usize).expect("definition ids are made with the catalog's own table")
    }

    /// The definitions of an address from the highest layer down.
    pub fn stack(&self, address: Address) -> impl Iterator<Item = (DefId, &Definition)> {
        let mut next = self.stacks.get(address);
        std::iter::from_fn(move || {
            let id = next?;
            let definition = self.definition(id);
            next = definition.below;
            Some((id, definition))
        })
    }

    /// Whether the base defines anything that is read.
    pub fn has_base(&self) -> bool {
        self.definitions.iter().any(|made| self.layer(made.layer).is_base())
    }

    /// What a layer itself defines at an address.
    pub fn defined_in(&self, address: Address, layer: LayerId) -> Option<&Definition> {
        self.stack(address).map(|(_, definition)| definition).find(|definition| definition.layer == layer)
    }

    /// The ids of a definition's parents, in the order in which they are laid over each other.
    pub(crate) fn parent_ids(&self, id: DefId) -> &[Sym] {
        self.parents.get(&id).map_or(self.definition(id).parent.as_slice(), Vec::as_slice)
    }

    /// The address of a definition; none if it has no id.
    pub fn address_of(&self, definition: &Definition) -> Option<Address> {
        Some(Address { space: self.rulebook.kind(definition.kind).space, id: definition.id? })
    }

    /// The address that a kind and an id make, whether anything stands there or not.
    pub fn address(&self, kind: KindId, id: &str) -> Option<Address> {
        Some(Address { space: self.rulebook.kind(kind).space, id: self.names.get(id)? })
    }

    /// The kind of an address: that of its highest definition.
    pub fn kind_of(&self, address: Address) -> Option<KindId> {
        self.stack(address).next().map(|(_, definition)| definition.kind)
    }

    /// `path:line`, as people name a place.
    pub(crate) fn line_of(&self, place: Place) -> String {
        let line = Lines::new(self.text(place.file)).position(place.span.start).line;
        format!("{}:{line}", self.file(place.file).path)
    }

    /// The id at an address.
    pub fn id_of(&self, address: Address) -> &str {
        self.names.text(address.id)
    }

    /// `kind/id`, as people name it.
    pub fn show_address(&self, address: Address) -> String {
        let kind = self.kind_of(address).unwrap_or_else(|| self.rulebook.kind_in(address.space));
        format!("{}/{}", self.rulebook.kind(kind).name(), self.names.text(address.id))
    }

    /// All addresses, by kind and id.
    pub fn addresses(&self) -> Vec<Address> {
        let mut all: Vec<Address> = self.stacks.addresses().collect();
        self.sort_by_name(&mut all);
        all
    }

    /// Puts addresses in the order of kinds and ids: that of the addresses themselves hangs on which file was read first.
    pub(crate) fn sort_by_name(&self, all: &mut [Address]) {
        all.sort_by(|a, b| a.space.cmp(&b.space).then_with(|| self.names.text(a.id).cmp(self.names.text(b.id))));
    }

    pub(crate) fn harvest_of(&self, file: FileId) -> Option<&Arc<Harvest>> {
        self.harvests.get(file.0 as usize)?.as_ref()
    }

    pub(crate) fn amendment(&self, id: AmendId) -> Option<(&Amendment, &AmendmentAt)> {
        let at = self.amendments.get(id.0 as usize)?;
        Some((self.harvest_of(at.file)?.amendments.get(at.index as usize)?, at))
    }

    /// The reason that an amendment gives.
    pub fn reason(&self, id: AmendId) -> Option<&str> {
        self.amendment(id)?.0.why.as_deref()
    }

    /// The amendments of a layer in the order in which they apply.
    pub(crate) fn amendments_of(&self, layer: LayerId) -> impl Iterator<Item = (AmendId, &Amendment)> {
        let all = self.amendments.iter().zip(0u32..).filter(move |(at, _)| at.layer == layer);
        all.filter_map(|(_, id)| Some((AmendId(id), self.amendment(AmendId(id))?.0)))
    }

    /// The definition that a fault or mention of a file belongs to.
    pub(crate) fn definition_of(&self, file: FileId, from: u32) -> Option<(DefId, &Definition)> {
        if from & AMENDMENT != 0 {
            return None;
        }
        // a file without definitions, as a manifest, has faults all the same
        self.harvest_of(file)?.definitions.get(from as usize)?;
        let (start, _) = self.starts.get(file.0 as usize)?;
        let id = DefId(start + from);
        Some((id, self.definitions.get(id.0 as usize)?))
    }
}
