//! What a mod reaches: the definitions and references that can be other than they are without it.
//!
//! Everything else is in its view as it is on its ground, and need not be looked at to say what the mod does.

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::together::named_by;
use super::words::{Word, Words};
use crate::catalog::{AMENDMENT, Address, Catalog, DefId, Harvest, LayerId, LayerSet, Target};
use crate::document::Document;
use crate::effective::World;
use crate::names::Sym;
use crate::rulebook::{KindId, Mention, Reading, fits};
use crate::source::FileId;

/// A reference: the file, and the number among its mentions.
pub(crate) type MentionAt = (FileId, u32);

/// Some definitions, and some references outside of the files that are looked at anyway.
#[derive(Debug, Default, Clone)]
pub(crate) struct Reach {
    pub(crate) addresses: FxHashSet<Address>,
    pub(crate) mentions: FxHashMap<FileId, Vec<u32>>,
}

impl Reach {
    fn put(&mut self, (file, nth): MentionAt) {
        self.mentions.entry(file).or_default().push(nth);
    }

    fn sorted(mut self) -> Reach {
        for all in self.mentions.values_mut() {
            all.sort_unstable();
            all.dedup();
        }
        self
    }
}

/// What belongs to each of many addresses, in one piece.
#[derive(Debug)]
struct Grouped<T> {
    all: Vec<(Address, T)>,
    ranges: FxHashMap<Address, std::ops::Range<u32>>,
}

impl<T> Default for Grouped<T> {
    fn default() -> Self {
        Grouped { all: Vec::new(), ranges: FxHashMap::default() }
    }
}

impl<T: Send> Grouped<T> {
    /// Those of one address keep their order.
    fn new(mut all: Vec<(Address, T)>) -> Self {
        all.par_sort_by_key(|(at, _)| *at);
        let mut ranges: FxHashMap<Address, std::ops::Range<u32>> = FxHashMap::default();
        for ((at, _), nth) in all.iter().zip(0u32..) {
            ranges.entry(*at).or_insert(nth..nth).end = nth + 1;
        }
        Grouped { all, ranges }
    }

    fn of(&self, at: Address) -> &[(Address, T)] {
        let range = self.ranges.get(&at).and_then(|range| self.all.get(range.start as usize..range.end as usize));
        range.unwrap_or_default()
    }
}

/// Who uses what mods touch.
#[derive(Debug, Default)]
pub(crate) struct Users {
    /// What each mod defines, amends or takes away.
    touched: Vec<FxHashSet<Address>>,
    /// The references to what mods touch.
    named_by: Grouped<MentionAt>,
    /// Definitions that state a parent, in some layer.
    children: Grouped<DefId>,
    /// What amendments give another parent.
    given: FxHashMap<Address, Vec<Address>>,
    /// The words of references, by file and number.
    words: Words,
}

impl Users {
    /// Looks them up for all mods at once.
    pub(crate) fn new(world: &World) -> Users {
        let catalog = &world.catalog;
        let mut users = Users { touched: vec![FxHashSet::default(); catalog.layers.len()], ..Users::default() };
        for (at, layers) in world.writers() {
            layers.iter().for_each(|layer| users.touch(layer, at));
        }
        for (old, all) in &catalog.renamed {
            let of_mods = all.iter().filter(|(layer, _)| !catalog.layer(*layer).is_base());
            of_mods.for_each(|(layer, _)| users.touch(*layer, *old));
        }
        users.families(world);
        users.words = Words::new(catalog);
        if users.touched.iter().all(FxHashSet::is_empty) {
            return users;
        }
        let any = users.with_heirs(catalog, users.touched.iter().flatten().copied());
        let files: Vec<FileId> = catalog.files().map(|(file, _)| file).collect();
        let in_file = |file: &FileId| named_in_file(catalog, *file, &users.words, &any);
        users.named_by = Grouped::new(files.par_iter().flat_map_iter(in_file).collect());
        users
    }

    /// The words of references, where they were looked up.
    pub(super) fn words(&self) -> &Words {
        &self.words
    }

    fn touch(&mut self, layer: LayerId, at: Address) {
        if let Some(all) = self.touched.get_mut(layer.0 as usize) {
            all.insert(at);
        }
    }

    fn families(&mut self, world: &World) {
        let (catalog, view) = (&world.catalog, world.view());
        let mut children: Vec<(Address, DefId)> = Vec::new();
        for (id, made) in catalog.definitions().filter(|(_, made)| made.parent.is_some()) {
            let Some(own) = catalog.address_of(made) else { continue };
            for parent in catalog.parent_ids(id) {
                // looked for in the folders around it, and in several kinds or folders, too
                let kind = catalog.rulebook.kind(made.kind);
                let wide = catalog.rulebook.is_scoped(own.space) || kind.has_parents_in_turn();
                let parent = match wide {
                    true => view.parent(made.kind, *parent),
                    false => Address { space: own.space, id: *parent },
                };
                children.push((parent, id));
            }
        }
        self.children = Grouped::new(children);
        // amendments may name other parents
        for at in world.builds.addresses() {
            for (_, built) in world.builds.of(at) {
                for parent in view.parents_in(built.kind, &built.value) {
                    self.given.entry(parent).or_default().push(at);
                }
            }
        }
    }

    /// What a mod defines, amends or takes away.
    pub(crate) fn touched(&self, layer: LayerId) -> &FxHashSet<Address> {
        self.touched.get(layer.0 as usize).expect("there is one for each layer")
    }

    /// The references to something that a mod touches, whatever layer has them.
    pub(crate) fn named_by(&self, at: Address) -> impl Iterator<Item = MentionAt> {
        self.named_by.of(at).iter().map(|(_, mention)| *mention)
    }

    /// The definitions that state a definition as their parent.
    pub(crate) fn children(&self, at: Address) -> impl Iterator<Item = DefId> {
        self.children.of(at).iter().map(|(_, id)| *id)
    }

    /// Some definitions and all that inherit from them.
    fn with_heirs(&self, catalog: &Catalog, some: impl Iterator<Item = Address>) -> FxHashSet<Address> {
        let mut all = FxHashSet::default();
        let mut todo: Vec<Address> = some.collect();
        while let Some(at) = todo.pop() {
            if all.insert(at) {
                todo.extend(self.children(at).filter_map(|id| catalog.address_of(catalog.definition(id))));
                todo.extend(self.given.get(&at).into_iter().flatten());
            }
        }
        all
    }

    /// What a mod reaches in a set of layers.
    pub(crate) fn reach(&self, world: &World, layer: LayerId, within: &LayerSet) -> Reach {
        let catalog = &world.catalog;
        let mut reach =
            Reach { addresses: self.with_heirs(catalog, self.touched(layer).iter().copied()), ..Reach::default() };
        // what a group lists is led to by it
        let is_group = |at: &&Address| catalog.kind_of(**at).is_some_and(|kind| catalog.rulebook.kind(kind).is_group());
        let groups = self.touched(layer).iter().filter(is_group);
        let members: Vec<Address> = groups.flat_map(|at| named_by(catalog, *at)).collect();
        reach.addresses.extend(members);
        let follows = follows(world);
        let mut asking: Vec<Address> = Vec::new();
        for at in &reach.addresses {
            for (file, nth) in self.named_by(*at) {
                let stands = catalog.file(file).layer.is_some_and(|other| within.contains(other));
                if !stands {
                    continue;
                }
                reach.mentions.entry(file).or_default().push(nth);
                asking.extend(owner(catalog, (file, nth)).filter(|_| follows));
            }
        }
        self.declared(world, Some(layer), within, &mut reach);
        self.said(world, layer, within, &mut reach);
        reach.addresses.extend(self.with_heirs(catalog, asking.into_iter()));
        reach.sorted()
    }

    /// Where a mod changes what declares words, all uses of words are looked at.
    fn declared(&self, world: &World, layer: Option<LayerId>, within: &LayerSet, reach: &mut Reach) {
        let catalog = &world.catalog;
        if catalog.rulebook.vocabularies.is_empty() {
            return;
        }
        let word = |mention: &Mention, declaring: bool| match &catalog.rulebook.field_type(mention.wants).reading {
            Reading::Word { declares, .. } => *declares == declaring,
            _ => false,
        };
        let lower = |file: FileId| catalog.file(file).layer.is_some_and(|l| Some(l) != layer && within.contains(l));
        let harvests = || catalog.files().filter_map(|(file, _)| Some((file, catalog.harvest_of(file)?)));
        let changes = harvests().filter(|(file, _)| lower(*file)).any(|(file, harvest)| {
            let mut all = harvest.mentions.iter().zip(0u32..).filter(|(mention, _)| word(mention, true));
            all.any(|(_, nth)| owner(catalog, (file, nth)).is_some_and(|at| reach.addresses.contains(&at)))
        });
        for (file, harvest) in harvests().filter(|(file, _)| changes && lower(*file)) {
            let uses = harvest.mentions.iter().zip(0u32..).filter(|(mention, _)| word(mention, false));
            uses.for_each(|(_, nth)| reach.put((file, nth)));
        }
    }

    /// Where a mod is the first to say something in the main language, or has a file in the place of a lower one with
    /// texts, everything that has texts is looked at.
    fn said(&self, world: &World, layer: LayerId, within: &LayerSet, reach: &mut Reach) {
        let catalog = &world.catalog;
        let Some(rule) = &catalog.rulebook.texts else { return };
        let has_main = |file: FileId| {
            let texts = catalog.harvest_of(file).map_or(&[][..], |harvest| &harvest.texts);
            texts.iter().any(|text| text.language == rule.main)
        };
        let with_texts = |of: &dyn Fn(LayerId) -> bool| {
            let mut files = catalog.files().filter(|(_, file)| file.layer.is_some_and(of));
            files.any(|(file, _)| has_main(file))
        };
        let hides = |(file, found): (FileId, &crate::catalog::File)| found.hidden_by.contains(&layer) && has_main(file);
        // on its ground; with all mods, what one says is new to those that do not stand on it
        let ground = &catalog.layer(layer).ground;
        let first = || with_texts(&|of| of == layer) && !with_texts(&|of| ground.contains(of));
        if !(catalog.files().any(hides) || first()) {
            return;
        }
        let seen = catalog.seen_in(within.clone());
        reach.addresses.extend(seen.standing());
        for (file, found) in catalog.files() {
            let Some(harvest) = catalog.harvest_of(file) else { continue };
            if found.layer.is_some_and(|of| within.contains(of)) {
                let key =
                    |mention: &Mention| matches!(catalog.rulebook.field_type(mention.wants).reading, Reading::Key(_));
                let keys = harvest.mentions.iter().zip(0u32..).filter(|(mention, _)| key(mention));
                keys.for_each(|(_, nth)| reach.put((file, nth)));
            }
        }
    }

    /// What can be other with all mods than with each on its own ground: what several of them reach.
    pub(crate) fn shared(&self, world: &World, reaches: &[(LayerId, Reach)]) -> Reach {
        let catalog = &world.catalog;
        let mut times: FxHashMap<Address, u32> = FxHashMap::default();
        for (_, reach) in reaches {
            reach.addresses.iter().for_each(|at| *times.entry(*at).or_default() += 1);
        }
        let follows = follows(world);
        let mut all = Reach::default();
        all.addresses.extend(times.iter().filter(|(_, times)| **times > 1).map(|(at, _)| *at));
        for at in self.named_by.ranges.keys() {
            let by = times.get(at).copied().unwrap_or_default();
            for (_, mention) in self.named_by.of(*at) {
                let own = catalog.file(mention.0).layer.filter(|layer| !catalog.layer(*layer).is_base());
                let others = by > u32::from(own.is_some_and(|own| self.touched(own).contains(at)));
                let owner = owner(catalog, *mention);
                let holder = owner.and_then(|at| times.get(&at)).copied().unwrap_or_default();
                if by > 1 || own.is_some() && others || own.is_none() && holder > 0 && by > 0 {
                    all.put(*mention);
                    all.addresses.extend(owner.filter(|_| follows));
                }
            }
        }
        let everything = catalog.seen().layers().clone();
        for (layer, _) in reaches {
            self.said(world, *layer, &everything, &mut all);
        }
        let mut words = Reach { addresses: times.keys().copied().collect(), ..Reach::default() };
        self.declared(world, None, &everything, &mut words);
        words.mentions.into_iter().for_each(|(file, some)| all.mentions.entry(file).or_default().extend(some));
        all.addresses = self.with_heirs(catalog, all.addresses.iter().copied());
        all.sorted()
    }
}

/// Whether rules look at what definitions name.
fn follows(world: &World) -> bool {
    let kinds = world.catalog.rulebook.kinds();
    let asks = |source: &str| source.contains("ref(");
    kinds.flat_map(|(_, kind)| &kind.rules).any(|rule| asks(&rule.require) || rule.when.as_deref().is_some_and(asks))
}

/// The definition that a reference is in.
pub(crate) fn owner(catalog: &Catalog, (file, nth): MentionAt) -> Option<Address> {
    let harvest = catalog.harvest_of(file)?;
    let from = harvest.mentions.get(nth as usize)?.from;
    if from & AMENDMENT == 0 {
        return catalog.address_of(catalog.definition_of(file, from)?.1);
    }
    let amendment = harvest.amendments.get((from & !AMENDMENT) as usize)?;
    match &amendment.target {
        Target::Of { id } => catalog.address(amendment.kind, id),
        Target::Which { .. } => None,
    }
}

fn named_in_file(
    catalog: &Catalog,
    file: FileId,
    words: &Words,
    wanted: &FxHashSet<Address>,
) -> Vec<(Address, MentionAt)> {
    let (Some(harvest), Some(document)) = (catalog.harvest_of(file), catalog.document(file)) else {
        return Vec::new();
    };
    let mut out = Vec::new();
    for (mention, nth) in harvest.mentions.iter().zip(0u32..) {
        let word = words.of((file, nth));
        let mut all = || wanted.iter().copied().collect();
        may_name(catalog, (document, harvest, mention), word, &mut all, &mut |at| {
            if wanted.contains(&at) {
                out.push((at, (file, nth)));
            }
        });
    }
    out.dedup();
    out
}

/// All addresses that a reference may name in some layers, whether anything stands there or not. `all` gives those
/// that `*` in an id can stand for, `word` what was looked up of it.
pub(super) fn may_name(
    catalog: &Catalog,
    (document, harvest, mention): (&Document, &Harvest, &Mention),
    word: Word,
    all: &mut dyn FnMut() -> Vec<Address>,
    call: &mut dyn FnMut(Address),
) {
    let mut put = |at: Address| {
        call(at);
        let renamed = catalog.renamed.get(&at).into_iter().flatten();
        renamed.for_each(|(_, id)| call(Address { id: *id, ..at }));
    };
    let ty = catalog.rulebook.field_type(mention.wants);
    let Reading::Link(kinds) = &ty.reading else { return };
    if word.id != Sym::NONE {
        let space = |kind: &KindId| catalog.rulebook.kind(*kind).space;
        word.kinds(ty, kinds).iter().for_each(|kind| put(Address { space: space(kind), id: word.id }));
        return;
    }
    if catalog.plain_kinds(mention.wants).is_some() {
        return;
    }
    let sought = catalog.sought_by(document, harvest, mention);
    for (kind, id) in &sought.ids {
        let space = catalog.rulebook.kind(*kind).space;
        if sought.wildcards && id.contains('*') {
            let fitting = all().into_iter().filter(|at| at.space == space && fits(id, catalog.names.text(at.id)));
            fitting.for_each(&mut put);
        } else if let Some(address) = catalog.address(*kind, id) {
            put(address);
        }
    }
}
