//! Faults that exist only together: clean on every mod's own ground, and there in the load order
//! (`docs/INTENTS.md`).

use rustc_hash::{FxHashMap, FxHashSet};

use super::finding::{Finding, Whose};
use super::reach::Reach;
use super::registry::Check;
use super::told::{Spot, Views, spot};
use super::{change_undone, copy_leftover, left_hanging};
use crate::catalog::{AMENDMENT, Address, Catalog, LayerId, LayerSet};
use crate::effective::World;
use crate::rulebook::Severity;
use crate::settle::family;
use crate::source::Place;

/// Of more mods than this it is not looked for the two that are enough.
const PAIRS_OF: usize = 6;

/// A fault that none of the mods has by itself.
#[derive(Clone, Debug)]
pub struct Together {
    /// The fault.
    pub finding: Finding,
    /// The mods that it takes, each with a place where it does its part.
    pub parts: Vec<(LayerId, Option<Place>)>,
}

/// Says of findings that exist only with all mods which of these it takes; and gives those that are faults.
pub(super) fn together(views: &Views<'_, '_>, found: &mut [Finding]) -> Vec<Together> {
    if found.is_empty() {
        return Vec::new();
    }
    let world = views.shared.world;
    let catalog = &world.catalog;
    let touched = Touched(world.writers());
    let mut tried = Tried { views, found: FxHashMap::default() };
    let mut out = Vec::new();
    for finding in found.iter_mut() {
        let involved = touched.by(catalog, finding);
        let tops: Vec<LayerId> = involved.iter().filter(|layer| is_top(catalog, &involved, *layer)).collect();
        if !may_be(finding) {
            finding.whose = Whose::Together(tops);
            continue;
        }
        let mut enough = tops.clone();
        if tops.len() <= PAIRS_OF {
            let pairs = tops.iter().enumerate().flat_map(|(at, a)| tops.iter().skip(at + 1).map(move |b| [*a, *b]));
            if let Some(pair) = pairs.into_iter().find(|pair| tried.has(&stack(catalog, pair), finding)) {
                enough = pair.to_vec();
            }
        }
        finding.whose = Whose::Together(enough.clone());
        let parts = enough.into_iter().map(|layer| (layer, touched.place(world, layer, finding))).collect();
        out.push(Together { finding: finding.clone(), parts });
    }
    out
}

/// Whether it is a fault of what shows, not a remark on what mods undo of each other.
fn may_be(finding: &Finding) -> bool {
    let between = [&change_undone::CHECK, &left_hanging::CHECK, &copy_leftover::CHECK];
    finding.severity != Severity::Note && finding.about.is_some() && !between.contains(&finding.check)
}

/// Whether no other of these layers stands on it.
fn is_top(catalog: &Catalog, of: &LayerSet, layer: LayerId) -> bool {
    !of.iter().any(|other| catalog.layer(other).ground.contains(layer))
}

/// Layers with all that they stand on.
fn stack(catalog: &Catalog, layers: &[LayerId]) -> LayerSet {
    let mut all = LayerSet::default();
    for layer in layers {
        all.extend(&catalog.layer(*layer).ground);
        all.insert(*layer);
    }
    all
}

/// What each check finds with fewer layers.
struct Tried<'t, 'w> {
    views: &'t Views<'t, 'w>,
    found: FxHashMap<(LayerSet, &'static str), FxHashSet<Spot>>,
}

impl Tried<'_, '_> {
    /// Whether a finding is there with some of the layers only.
    fn has(&mut self, layers: &LayerSet, finding: &Finding) -> bool {
        let check: &'static Check = finding.check;
        let marks = self.found.entry((layers.clone(), check.code)).or_insert_with(|| {
            let (world, users) = (self.views.shared.world, &self.views.shared.users);
            let there = self.views.mods.iter().filter(|of| layers.contains(of.layer));
            let reaches: Vec<(LayerId, Reach)> = there.map(|of| (of.layer, of.reach.clone())).collect();
            let reach = users.shared(world, &reaches);
            let fewer = self.views.context(layers.clone(), LayerSet::default(), reach).with_astray();
            let mut found = Vec::new();
            (check.run)(&fewer, &mut found);
            found.iter().map(spot).collect()
        });
        marks.contains(&spot(finding))
    }
}

/// Which mods write which definitions.
struct Touched(FxHashMap<Address, LayerSet>);

impl Touched {
    /// The mods that have a part in a finding: that write the definition, what it inherits from or names, or one
    /// of its places.
    fn by(&self, catalog: &Catalog, finding: &Finding) -> LayerSet {
        let mut out = LayerSet::default();
        for layer in finding.places().filter_map(|place| catalog.file(place.file).layer) {
            if !catalog.layer(layer).is_base() {
                out.insert(layer);
            }
        }
        let Some(about) = finding.about else { return out };
        let family = family(catalog, about);
        let named = family.iter().flat_map(|at| named_by(catalog, *at));
        for at in family.iter().copied().chain(named.collect::<Vec<_>>()) {
            self.0.get(&at).into_iter().for_each(|layers| out.extend(layers));
        }
        out
    }

    /// Where a mod does its part: a place of the finding in it, its definition, or its amendment.
    fn place(&self, world: &World, layer: LayerId, finding: &Finding) -> Option<Place> {
        let catalog = &world.catalog;
        let own = finding.places().find(|place| catalog.file(place.file).layer == Some(layer));
        own.or_else(|| {
            let about = finding.about?;
            let near = std::iter::once(about).chain(family(catalog, about)).chain(named_by(catalog, about));
            let mut there = near.filter(|at| self.0.get(at).is_some_and(|layers| layers.contains(layer)));
            there.find_map(|at| place_at(world, layer, at))
        })
    }
}

/// Where a mod writes or amends a definition.
fn place_at(world: &World, layer: LayerId, at: Address) -> Option<Place> {
    let catalog = &world.catalog;
    let amended = || {
        let built = world.builds.of(at).iter().find(|(other, _)| *other == layer)?;
        let by = catalog.amendments_of(layer).find(|(id, _)| built.1.is_made_by(*id))?;
        Some(by.1.target_place)
    };
    let defined = || Some(catalog.definition_place(catalog.defined_in(at, layer)?.at()));
    amended().or_else(defined)
}

/// The definitions that those of an address name.
pub(super) fn named_by(catalog: &Catalog, at: Address) -> Vec<Address> {
    let all = catalog.seen();
    let mut out = Vec::new();
    for (id, made) in catalog.stack(at) {
        let (Some(harvest), Some(document)) = (catalog.harvest_of(made.file), catalog.document(made.file)) else {
            continue;
        };
        let own = harvest.mentions.iter().filter(|mention| {
            mention.from & AMENDMENT == 0
                && catalog.definition_of(made.file, mention.from).is_some_and(|(other, _)| other == id)
        });
        out.extend(own.flat_map(|mention| all.targets_of(document, harvest, mention)));
    }
    out
}
