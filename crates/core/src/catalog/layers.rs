//! Layers and sets of them.

use std::sync::Arc;

use smallvec::SmallVec;

use super::Catalog;
use crate::names::Sym;
use crate::rulebook::{KindId, NameFrom};
use crate::source::FileId;
use crate::workspace::Manifest;

/// A layer, numbered in load order; the base is 0.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct LayerId(pub(crate) u16);

impl LayerId {
    /// The base.
    pub const BASE: LayerId = LayerId(0);
}

/// The base, or one mod as a place in the load order; or a part of a mod that applies only with another one.
#[derive(Clone, Debug)]
pub struct Layer {
    /// `base`, or the mod's id.
    pub id: String,
    /// Its folder below the workspace, with forward slashes.
    pub folder: String,
    /// The mod's manifest; the base has none.
    pub manifest: Option<Manifest>,
    /// The manifest's file.
    pub manifest_file: Option<FileId>,
    /// The layers it stands on, in load order: the base and all it requires, directly or not.
    pub ground: LayerSet,
}

impl Layer {
    /// Whether it lies in an archive, so that it cannot be written to.
    pub fn is_packed(&self) -> bool {
        self.folder.split('/').any(crate::source::is_archive)
    }

    /// Whether it is the base game, or a part of it.
    pub fn is_base(&self) -> bool {
        self.manifest.is_none()
    }
}

/// A set of layers; of a view, those that are looked at.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default)]
pub struct LayerSet(SmallVec<[u64; 2]>);

impl LayerSet {
    /// All of `count` layers.
    pub fn all(count: usize) -> LayerSet {
        (0..count).map(|at| LayerId(u16::try_from(at).unwrap_or(u16::MAX))).collect()
    }

    /// Adds a layer.
    pub fn insert(&mut self, layer: LayerId) {
        let word = layer.0 as usize / 64;
        if self.0.len() <= word {
            self.0.resize(word + 1, 0);
        }
        if let Some(bits) = self.0.get_mut(word) {
            *bits |= 1 << (layer.0 % 64);
        }
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.iter().all(|bits| *bits == 0)
    }

    /// Whether a layer is in it.
    pub fn contains(&self, layer: LayerId) -> bool {
        self.0.get(layer.0 as usize / 64).is_some_and(|bits| bits & (1 << (layer.0 % 64)) != 0)
    }

    /// This set and one layer more.
    pub fn with(&self, layer: LayerId) -> LayerSet {
        let mut more = self.clone();
        more.insert(layer);
        more
    }

    /// Adds all layers of another set.
    pub fn extend(&mut self, other: &LayerSet) {
        for layer in other.iter() {
            self.insert(layer);
        }
    }

    /// The layers in load order.
    pub fn iter(&self) -> impl DoubleEndedIterator<Item = LayerId> {
        let count = u16::try_from(self.0.len() * 64).unwrap_or(u16::MAX);
        (0..count).map(LayerId).filter(|layer| self.contains(*layer))
    }
}

impl FromIterator<LayerId> for LayerSet {
    fn from_iter<I: IntoIterator<Item = LayerId>>(layers: I) -> Self {
        let mut set = LayerSet::default();
        for layer in layers {
            set.insert(layer);
        }
        set
    }
}

impl Catalog {
    /// The mod that a layer belongs to: itself, or the one that it is a part of.
    pub fn owner_of(&self, layer: LayerId) -> LayerId {
        let part = self.layer(layer).manifest.as_ref().and_then(|manifest| manifest.part_of.as_ref());
        part.and_then(|(own, _)| self.layer_named(own)).unwrap_or(layer)
    }

    /// The id of the mod that a layer belongs to, as it stands in ids.
    pub(crate) fn owner_id(&self, layer: LayerId) -> Arc<str> {
        let layer = self.layer(self.owner_of(layer));
        let of_game = self.rulebook.game.id.as_ref().filter(|_| layer.is_base());
        of_game.unwrap_or(&layer.id).as_str().into()
    }

    /// Whether an id of a kind names another mod than the one that a layer is, so that this cannot define it.
    pub(crate) fn is_of_another(&self, layer: LayerId, id: Sym, kind: KindId) -> bool {
        let from = self.rulebook.kind(kind).name_from.first();
        let words = from.and_then(|from| from.words_of(self.names.text(id))).unwrap_or_default();
        let owner = || self.owner_id(layer);
        words.iter().any(|(word, text)| word.from == NameFrom::Mod && word.changed(&owner()) != *text)
    }

    /// Says of each file in which mod it lies.
    pub(super) fn name_owners(&mut self) {
        let owners: Vec<Arc<str>> = self.layers().map(|(id, _)| self.owner_id(id)).collect();
        for file in &mut self.files {
            if let Some(owner) = file.layer.and_then(|layer| owners.get(layer.0 as usize)) {
                file.owner = owner.clone();
            }
        }
    }

    /// The parts of a mod that apply only under a condition, in load order.
    pub fn parts_of(&self, layer: LayerId) -> Vec<LayerId> {
        let id = &self.layer(layer).id;
        let is_part = |found: &Layer| {
            found.manifest.as_ref().and_then(|manifest| manifest.part_of.as_ref()).is_some_and(|(own, _)| own == id)
        };
        self.layers().filter(|(_, found)| is_part(found)).map(|(part, _)| part).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sets_hold_what_was_put_into_them_in_load_order() {
        let set: LayerSet = [LayerId(70), LayerId(0), LayerId(3)].into_iter().collect();
        assert_eq!(set.iter().collect::<Vec<_>>(), [LayerId(0), LayerId(3), LayerId(70)]);
        assert!(!set.contains(LayerId(69)) && set.with(LayerId(69)).contains(LayerId(69)));
        assert_eq!(LayerSet::all(3).iter().count(), 3);
    }
}
