//! Numbers that definitions are known by: which are taken, which are free, which somebody else claims.

use std::collections::{BTreeMap, BTreeSet};

use crate::catalog::{Address, Catalog, LayerId};
use crate::effective::{World, reach};
use crate::rulebook::{KindId, Pattern, Reading, in_ranges};

/// Numbers of one kind: its ids, or a field that no two definitions may share.
#[derive(Clone, Debug)]
pub struct NumberSpace {
    /// The kind.
    pub kind: KindId,
    /// The field's pattern; nothing where it is the id.
    pub field: Option<String>,
    /// The numbers that may be taken, both ends included; none where nothing is said.
    pub ranges: Vec<(i64, i64)>,
    /// The numbers that the game gives itself, both ends included.
    pub chosen: Vec<(i64, i64)>,
    /// What has each number, in any layer that is here.
    pub taken: BTreeMap<i64, Vec<(Address, LayerId)>>,
}

impl NumberSpace {
    /// As people name it.
    pub fn name(&self, catalog: &Catalog) -> String {
        let kind = catalog.rulebook.kind(self.kind).name();
        self.field.as_ref().map_or_else(|| kind.to_owned(), |field| format!("{kind}.{field}"))
    }

    /// The next free numbers for a mod: behind its own highest, as far as the ranges go, then from their start. `claimed` are
    /// those that others keep for themselves.
    pub fn free(&self, layer: LayerId, count: usize, claimed: &dyn Fn(i64) -> bool) -> Vec<i64> {
        let is_free =
            |number: &i64| !self.taken.contains_key(number) && !claimed(*number) && !in_ranges(&self.chosen, *number);
        let own = |(number, all): (&i64, &Vec<(Address, LayerId)>)| {
            all.iter().any(|(_, found)| *found == layer).then_some(*number)
        };
        let open = match self.ranges.is_empty() {
            true => vec![(self.taken.keys().next().copied().unwrap_or(1), i64::MAX)],
            false => self.ranges.clone(),
        };
        let highest = self.taken.iter().filter_map(own).filter(|number| in_ranges(&open, *number)).max();
        // without ranges, what is new comes behind all that is there
        let start = match self.ranges.is_empty() {
            true => highest.max(self.taken.keys().next_back().copied()),
            false => highest,
        };
        let mut out: Vec<i64> = Vec::new();
        let passes = [start.map(|start| start.saturating_add(1)), None];
        for from in passes {
            for (low, high) in &open {
                let low = from.map_or(*low, |from| from.max(*low));
                // a range may be as wide as all numbers; no more than what is taken or claimed is passed over in it
                let more = (low..=*high).take(self.taken.len() + count + WIDE).filter(is_free);
                let more: Vec<i64> = more.filter(|number| !out.contains(number)).take(count - out.len()).collect();
                out.extend(more);
                if out.len() == count {
                    return out;
                }
            }
        }
        out
    }
}

/// So many claimed numbers in a row are passed over.
const WIDE: usize = 100_000;

/// The numbers by which definitions are known: ids where the rulebook gives ranges or all of them are numbers, and integer
/// fields that no two definitions may share.
pub fn number_spaces(world: &World) -> Vec<NumberSpace> {
    let catalog = &world.catalog;
    let rulebook = &catalog.rulebook;
    let view = world.view();
    let mut out = Vec::new();
    for (kind, described) in rulebook.kinds() {
        let ranges = described.ids.as_ref().map(|ids| ids.ranges.clone()).unwrap_or_default();
        let mut taken: BTreeMap<i64, Vec<(Address, LayerId)>> = BTreeMap::new();
        let mut others = 0;
        for (_, made) in catalog.definitions().filter(|(_, made)| made.kind == kind && !made.removes) {
            let Some(address) = catalog.address_of(made) else { continue };
            match catalog.names.text(address.id).parse::<i64>() {
                Ok(number) => taken.entry(number).or_default().push((address, made.layer)),
                Err(_) => others += 1,
            }
        }
        if !ranges.is_empty() || (!taken.is_empty() && others == 0) {
            out.push(NumberSpace { kind, field: None, ranges, chosen: Vec::new(), taken });
        }
        for (_, ty) in rulebook.fields_below(described.root) {
            let field = rulebook.field_type(ty);
            let unique = field.demands().is_some_and(|demands| demands.unique);
            if !unique || !matches!(field.reading, Reading::Integer) {
                continue;
            }
            let Ok(pattern) = Pattern::parse(&field.pattern) else { continue };
            let number = |word: Option<String>, none: i64| word.and_then(|word| word.parse().ok()).unwrap_or(none);
            let low = number(field.min.as_ref().map(|limit| limit.number.to_string()), 1);
            let high = number(field.max.as_ref().map(|limit| limit.number.to_string()), i64::MAX);
            let mut taken: BTreeMap<i64, Vec<(Address, LayerId)>> = BTreeMap::new();
            for address in view.standing().into_iter().filter(|at| view.kind_of(*at) == Some(kind)) {
                let Some(effective) = view.effective(address) else { continue };
                for value in reach(catalog, effective.value.clone(), &pattern.0) {
                    let layer = value.origin().layer;
                    if let Some(number) = value.word(catalog).and_then(|word| word.parse::<i64>().ok()) {
                        taken.entry(number).or_default().push((address, layer));
                    }
                }
            }
            let chosen = field.demands().map(|demands| demands.chosen.clone()).unwrap_or_default();
            let field = Some(field.pattern.clone());
            out.push(NumberSpace { kind, field, ranges: vec![(low, high)], chosen, taken });
        }
    }
    out
}

/// What somebody keeps for a mod of their own.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Claim {
    /// The first and the last number.
    pub numbers: Option<(i64, i64)>,
    /// An id.
    pub id: Option<String>,
    /// Whose it is.
    pub by: Option<String>,
    /// What it is for.
    pub about: Option<String>,
}

/// How a claim meets a mod.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Meets {
    /// A definition of the mod has a claimed number.
    Number(Address, i64),
    /// A definition of the mod has a claimed id.
    Id(Address),
    /// Words of what it is for are words of what the mod's definitions are called.
    Words(Vec<(String, Address)>),
}

/// What claims of others have in common with a mod: numbers, ids, and themes by their words.
pub fn compared_with_claims(
    world: &World,
    layer: LayerId,
    space: &NumberSpace,
    claims: &[Claim],
) -> Vec<(usize, Meets)> {
    let catalog = &world.catalog;
    let view = world.with_ground(layer);
    let own = catalog.layer(layer);
    let name = own.manifest.as_ref().and_then(|manifest| manifest.name.clone()).unwrap_or_default();
    let is_own = |claim: &Claim| {
        claim.by.as_ref().is_some_and(|by| by.eq_ignore_ascii_case(&own.id) || by.eq_ignore_ascii_case(&name))
    };
    let new: Vec<Address> = {
        let made = catalog.definitions().filter(|(_, made)| made.layer == layer && view.is_new(made));
        made.filter(|(_, made)| made.kind == space.kind).filter_map(|(_, made)| catalog.address_of(made)).collect()
    };
    let mut words: BTreeMap<String, Address> = BTreeMap::new();
    for address in &new {
        let named = view.readable_name(*address).unwrap_or_default();
        for word in words_of(&named).into_iter().chain(words_of(catalog.names.text(address.id))) {
            words.entry(word).or_insert(*address);
        }
    }
    let mut out = Vec::new();
    for (nth, claim) in claims.iter().enumerate().filter(|(_, claim)| !is_own(claim)) {
        if let Some((low, high)) = claim.numbers.filter(|(low, high)| low <= high) {
            for (number, all) in space.taken.range(low..=high) {
                let ours = all.iter().filter(|(address, found)| *found == layer && new.contains(address));
                out.extend(ours.map(|(address, _)| (nth, Meets::Number(*address, *number))));
            }
        }
        if let Some(id) = &claim.id {
            let same = new.iter().find(|address| catalog.names.text(address.id).eq_ignore_ascii_case(id));
            out.extend(same.map(|address| (nth, Meets::Id(*address))));
        }
        let said = claim.about.as_ref().map(|about| words_of(about)).unwrap_or_default();
        let shared: Vec<(String, Address)> =
            said.into_iter().filter_map(|word| words.get(&word).map(|at| (word, *at))).collect();
        if !shared.is_empty() {
            out.push((nth, Meets::Words(shared)));
        }
    }
    out
}

/// The words of a text that say something: four letters and more.
fn words_of(text: &str) -> BTreeSet<String> {
    let words = text.split(|c: char| !c.is_alphanumeric()).map(str::to_lowercase);
    words.filter(|word| word.chars().count() > 3).collect()
}
