//! Groups of definitions, like tags: who belongs to which, by the group's own list and by fields that join.

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::value::Value;
use super::view::View;
use crate::catalog::{Address, Catalog};
use crate::rulebook::{KindId, Pattern, PatternStep, TypeId};

/// The values that a pattern leads to below a value; of a map's keys, the values under them.
pub(crate) fn reach(catalog: &Catalog, value: Value, steps: &[PatternStep]) -> Vec<Value> {
    let Some((step, rest)) = steps.split_first() else { return vec![value] };
    let next: Vec<Value> = match step {
        PatternStep::Key(key) => catalog.names.get(key).and_then(|key| value.get(catalog, key)).into_iter().collect(),
        PatternStep::Entries => value.items(catalog),
        PatternStep::Values | PatternStep::Keys => value.entries(catalog).into_iter().map(|(_, value)| value).collect(),
        PatternStep::At(at) => value.items(catalog).into_iter().nth(*at).into_iter().collect(),
    };
    next.into_iter().flat_map(|value| reach(catalog, value, rest)).collect()
}

/// A field by which definitions join groups.
struct Joining {
    kind: KindId,
    pattern: Pattern,
    ty: TypeId,
}

/// Who belongs to which group, in one view. Only what is stated counts: members of a group within a group
/// are reached by going on.
#[derive(Debug, Default)]
pub(crate) struct Membership {
    members: FxHashMap<Address, Vec<Address>>,
    groups: FxHashMap<Address, Vec<Address>>,
}

impl Membership {
    /// Looks all groups of a view up.
    pub(crate) fn new(view: &View<'_>) -> Membership {
        let catalog = view.catalog;
        let rulebook = &catalog.rulebook;
        let mut listing: Vec<Joining> = Vec::new();
        let mut joining: Vec<Joining> = Vec::new();
        for (kind, described) in rulebook.kinds() {
            if let Some(members) = &described.members
                && let Some(ty) = rulebook.type_below(described.root, &members.field, &catalog.names)
            {
                listing.push(Joining { kind, pattern: members.field.clone(), ty });
            }
            for (_, ty) in rulebook.fields_below(described.root) {
                let field = rulebook.field_type(ty);
                if field.demands().is_some_and(|demands| demands.joins)
                    && let Ok(pattern) = Pattern::parse(&field.pattern)
                {
                    joining.push(Joining { kind, pattern, ty });
                }
            }
        }
        let mut out = Membership::default();
        if listing.is_empty() && joining.is_empty() {
            return out;
        }
        let mut addresses: Vec<Address> = catalog.stacks.keys().copied().collect();
        addresses.par_sort_unstable();
        let named = |address: &Address, fields: &[Joining]| -> Vec<Address> {
            let Some(kind) = catalog.kind_of(*address) else { return Vec::new() };
            let fields: Vec<&Joining> = fields.iter().filter(|field| field.kind == kind).collect();
            if fields.is_empty() {
                return Vec::new();
            }
            let Some(effective) = view.effective(*address) else { return Vec::new() };
            let mut found = Vec::new();
            for field in fields {
                for value in reach(catalog, effective.value.clone(), &field.pattern.0) {
                    let target = value.word(catalog).and_then(|word| catalog.named_in(&word, field.ty));
                    found.extend(target.filter(|target| !found.contains(target)).into_iter().collect::<Vec<_>>());
                }
            }
            found
        };
        let found: Vec<(Address, Vec<Address>, Vec<Address>)> = addresses
            .into_par_iter()
            .map(|address| (address, named(&address, &listing), named(&address, &joining)))
            .filter(|(_, listed, joined)| !listed.is_empty() || !joined.is_empty())
            .collect();
        for (address, listed, joined) in found {
            for member in listed {
                out.put(address, member);
            }
            for group in joined {
                out.put(group, address);
            }
        }
        out
    }

    fn put(&mut self, group: Address, member: Address) {
        let members = self.members.entry(group).or_default();
        if !members.contains(&member) {
            members.push(member);
            self.groups.entry(member).or_default().push(group);
        }
    }

    /// The members of a group, as they are stated.
    pub(crate) fn members(&self, group: Address) -> &[Address] {
        self.members.get(&group).map_or(&[], Vec::as_slice)
    }

    /// The groups that a definition belongs to, nearest first, those around them after.
    pub(crate) fn groups_of(&self, member: Address) -> Vec<Address> {
        let mut found: Vec<Address> = Vec::new();
        let mut todo = vec![member];
        let mut at = 0;
        while let Some(here) = todo.get(at).copied() {
            at += 1;
            for group in self.groups.get(&here).into_iter().flatten() {
                if !found.contains(group) && *group != member {
                    found.push(*group);
                    todo.push(*group);
                }
            }
        }
        found
    }

    /// All groups with members, in order.
    pub(crate) fn all(&self) -> Vec<(Address, &[Address])> {
        let mut all: Vec<(Address, &[Address])> =
            self.members.iter().map(|(group, members)| (*group, members.as_slice())).collect();
        all.sort_unstable_by_key(|(group, _)| *group);
        all
    }
}

impl Catalog {
    /// The types of the fields that a kind's `led_to` names.
    pub(crate) fn led_types(&self, kind: KindId) -> Vec<TypeId> {
        let rulebook = &self.rulebook;
        let led = &rulebook.kind(kind).led_to;
        let types = led.iter().flat_map(|led| {
            let fields = rulebook.fields_below(rulebook.kind(led.kind).root);
            fields.into_iter().map(|(_, ty)| ty).filter(|ty| rulebook.field_type(*ty).pattern == led.pattern)
        });
        types.collect()
    }
}
