//! Which layers players can have together: what alternatives, parts of mods and modes leave.

use rustc_hash::FxHashMap;

use super::{Address, Catalog, Layer, LayerId, LayerSet};
use crate::rulebook::Condition;

impl Layer {
    /// Whether it is a part of a mod that applies only under a condition.
    pub fn is_part(&self) -> bool {
        self.condition().is_some()
    }

    /// Of a part of a mod, when it applies.
    pub fn condition(&self) -> Option<&Condition> {
        self.manifest.as_ref()?.part_of.as_ref().map(|(_, condition)| condition)
    }
}

impl Catalog {
    /// The layers that apply where these mods are loaded, in a mode of the game or in none: the mods with what they
    /// stand on, and the parts of them whose conditions hold.
    pub fn applying(&self, mods: &LayerSet, mode: Option<&str>) -> LayerSet {
        let mut all = self.base();
        for layer in mods.iter() {
            all.extend(&self.layer(layer).ground.with(layer));
        }
        let loaded = all.clone();
        let is_loaded = |id: &str| self.layer_named(id).is_some_and(|layer| loaded.contains(layer));
        for (id, layer) in self.layers() {
            let Some(condition) = layer.condition() else { continue };
            let applies = match condition {
                Condition::With(other) => is_loaded(other),
                Condition::Without(other) => !is_loaded(other),
                Condition::In(wanted) => mode == Some(wanted.as_str()),
            };
            if applies && loaded.contains(self.owner_of(id)) {
                all.insert(id);
            }
        }
        all
    }

    /// The load orders that players can have, as far as they differ in what comes together: all mods, but of
    /// alternatives only one, and nothing that stands on the others, in no mode. Each alternative and each part is in
    /// one of them; so are two of these that define or change the same.
    pub(crate) fn orders(&self, writers: impl FnOnce() -> FxHashMap<Address, LayerSet>) -> Vec<LayerSet> {
        let Some(usual) = self.having(&[]) else { return vec![self.usual.clone()] };
        let mut all = vec![usual];
        let mut also = |wanted: &[LayerId]| {
            if all.iter().any(|order| wanted.iter().all(|layer| order.contains(*layer))) {
                return;
            }
            all.extend(self.having(wanted));
        };
        let named = |id: &str| self.layer_named(id);
        let alternatives = self.workspace.alternatives.iter().flatten().filter_map(|(id, _)| named(id));
        let parts = self.layers().filter(|(_, layer)| layer.is_part()).map(|(id, _)| id);
        let choices: LayerSet = alternatives.chain(parts).collect();
        choices.iter().for_each(|layer| also(&[layer]));
        if choices.iter().nth(1).is_none() {
            return all;
        }
        let mut together: Vec<[LayerId; 2]> = Vec::new();
        for layers in writers().values() {
            let met: Vec<LayerId> = choices.iter().filter(|layer| layers.contains(*layer)).collect();
            let pairs = met.iter().enumerate().flat_map(|(at, a)| met.iter().skip(at + 1).map(move |b| [*a, *b]));
            together.extend(pairs);
        }
        together.sort_unstable();
        together.dedup();
        together.iter().for_each(|pair| also(pair));
        all
    }

    /// The layers of players who have some, and otherwise all that goes with them; nothing where these cannot come
    /// together.
    fn having(&self, wanted: &[LayerId]) -> Option<LayerSet> {
        let mut needed = LayerSet::default();
        let (mut out, mut mode) = (LayerSet::default(), None);
        for layer in wanted {
            needed.extend(&self.layer(*layer).ground.with(*layer));
            match self.layer(*layer).condition() {
                Some(Condition::Without(other)) => self.layer_named(other).into_iter().for_each(|id| out.insert(id)),
                Some(Condition::In(wanted)) if mode.is_some_and(|mode| mode != wanted) => return None,
                Some(Condition::In(wanted)) => mode = Some(wanted),
                Some(Condition::With(_)) | None => {}
            }
        }
        for group in &self.workspace.alternatives {
            let group: Vec<LayerId> = group.iter().filter_map(|(id, _)| self.layer_named(id)).collect();
            let here = group.iter().find(|layer| needed.contains(**layer));
            let here = here.or_else(|| group.iter().find(|layer| !out.contains(**layer)));
            group.iter().filter(|layer| Some(*layer) != here).for_each(|layer| out.insert(*layer));
        }
        let is_out = |layer: LayerId| out.contains(layer);
        let stands =
            |(id, layer): &(LayerId, &Layer)| !layer.is_part() && !is_out(*id) && !layer.ground.iter().any(is_out);
        let mods = self.layers().filter(stands).map(|(id, _)| id).collect();
        let all = self.applying(&mods, mode.map(String::as_str));
        needed.iter().all(|layer| all.contains(layer)).then_some(all)
    }
}
