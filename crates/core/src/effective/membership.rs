//! Groups of definitions, like tags: who belongs to which, by the group's own list and by fields that join.

use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::value::Value;
use super::view::View;
use crate::catalog::{Address, Catalog};
use crate::rulebook::{KindId, Pattern, PatternStep, SpaceId, TypeId};
use crate::source::Place;

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

/// A field by which definitions join groups, or groups list their members.
#[derive(Debug)]
pub(crate) struct MemberField {
    pub(crate) kind: KindId,
    pub(crate) pattern: Pattern,
    pub(crate) ty: TypeId,
}

/// The fields of a rulebook that make groups.
#[derive(Debug, Default)]
struct Fields {
    listing: Vec<MemberField>,
    joining: Vec<MemberField>,
}

/// One membership as it is stated: the other end, and where.
type Stated = (Address, Option<Place>);

/// Who belongs to which group, in one view. Only what is stated counts: members of a group within a group
/// are reached by going on.
#[derive(Debug, Default, Clone)]
pub(crate) struct Membership {
    /// Looked up once, and shared with those of other views.
    fields: Arc<Fields>,
    /// What each definition states: the members that it lists, the groups that it joins.
    stated: FxHashMap<Address, (Vec<Stated>, Vec<Stated>)>,
    members: FxHashMap<Address, Vec<Address>>,
    groups: FxHashMap<Address, Vec<Address>>,
}

impl Fields {
    fn of(catalog: &Catalog) -> Fields {
        let rulebook = &catalog.rulebook;
        let mut fields = Fields { listing: Vec::new(), joining: Vec::new() };
        for (kind, described) in rulebook.kinds() {
            if let Some(members) = &described.members
                && let Some(ty) = rulebook.type_below(described.root, &members.field, &catalog.names)
            {
                fields.listing.push(MemberField { kind, pattern: members.field.clone(), ty });
            }
            for (_, ty) in rulebook.fields_below(described.root) {
                let field = rulebook.field_type(ty);
                if field.demands().is_some_and(|demands| demands.joins)
                    && let Ok(pattern) = Pattern::parse(&field.pattern)
                {
                    fields.joining.push(MemberField { kind, pattern, ty });
                }
            }
        }
        fields
    }

    fn is_empty(&self) -> bool {
        self.listing.is_empty() && self.joining.is_empty()
    }

    /// The members that a definition lists, and the groups that it joins.
    fn stated(&self, view: &View<'_>, address: Address) -> Option<(Vec<Stated>, Vec<Stated>)> {
        let kind = view.kind_of(address)?;
        if !self.listing.iter().chain(&self.joining).any(|field| field.kind == kind) {
            return None;
        }
        let effective = view.effective(address)?;
        let named = |fields: &[MemberField]| {
            let mut found: Vec<Stated> = Vec::new();
            for field in fields.iter().filter(|field| field.kind == kind) {
                for value in reach(view.catalog, effective.value.clone(), &field.pattern.0) {
                    let target = value.word(view.catalog).and_then(|word| view.named_in(&word, field.ty));
                    if let Some(target) = target.filter(|target| !found.iter().any(|(known, _)| known == target)) {
                        found.push((target, value.origin().place));
                    }
                }
            }
            found
        };
        let (listed, joined) = (named(&self.listing), named(&self.joining));
        (!listed.is_empty() || !joined.is_empty()).then_some((listed, joined))
    }
}

impl Membership {
    /// Looks all groups of a view up.
    pub(crate) fn new(view: &View<'_>) -> Membership {
        let fields = Arc::new(Fields::of(view.catalog));
        let mut out = Membership { fields: fields.clone(), ..Membership::default() };
        if fields.is_empty() {
            return out;
        }
        let found = view.standing().into_par_iter().filter_map(|at| Some((at, fields.stated(view, at)?)));
        out.stated = found.collect::<Vec<_>>().into_iter().collect();
        out.join();
        out
    }

    /// The same in another view, in which only these definitions may be other than they were.
    pub(crate) fn with(self: &Arc<Self>, view: &View<'_>, changed: &FxHashSet<Address>) -> Arc<Membership> {
        let fields = &self.fields;
        if fields.is_empty() || changed.is_empty() {
            return self.clone();
        }
        let mut changed: Vec<Address> = changed.iter().copied().collect();
        changed.sort_unstable();
        // what names something that comes or goes is other, too
        let touches = |(at, _): &Stated| changed.binary_search(at).is_ok();
        let naming = self.stated.iter().filter(|(_, (listed, joined))| listed.iter().chain(joined).any(touches));
        let naming: Vec<Address> = naming.map(|(at, _)| *at).collect();
        let now = changed.iter().chain(&naming).map(|at| (*at, fields.stated(view, *at)));
        let now: Vec<_> = now.filter(|(at, now)| self.stated.get(at) != now.as_ref()).collect();
        if now.is_empty() {
            return self.clone();
        }
        let mut out = Membership { fields: fields.clone(), stated: self.stated.clone(), ..Membership::default() };
        for (at, stated) in now {
            match stated {
                Some(stated) => drop(out.stated.insert(at, stated)),
                None => drop(out.stated.remove(&at)),
            }
        }
        out.join();
        Arc::new(out)
    }

    fn join(&mut self) {
        let mut all: Vec<Address> = self.stated.keys().copied().collect();
        all.sort_unstable();
        for address in all {
            let Some((listed, joined)) = self.stated.get(&address).cloned() else { continue };
            for (member, _) in listed {
                self.put(address, member);
            }
            for (group, _) in joined {
                self.put(group, address);
            }
        }
    }

    fn put(&mut self, group: Address, member: Address) {
        let members = self.members.entry(group).or_default();
        if !members.contains(&member) {
            members.push(member);
            self.groups.entry(member).or_default().push(group);
        }
    }

    /// The fields by which definitions of a kind join groups.
    pub(crate) fn joining(&self, kind: KindId) -> impl Iterator<Item = &MemberField> {
        self.fields.joining.iter().filter(move |field| field.kind == kind)
    }

    /// The fields in which groups of a kind list their members.
    pub(crate) fn listing(&self, kind: KindId) -> impl Iterator<Item = &MemberField> {
        self.fields.listing.iter().filter(move |field| field.kind == kind)
    }

    /// Where a membership is stated, and whether the member does so.
    pub(crate) fn place(&self, group: Address, member: Address) -> Option<(Place, bool)> {
        let of = |all: &[Stated], other: Address| all.iter().find(|(at, _)| *at == other).and_then(|(_, place)| *place);
        let joins = self.stated.get(&member).and_then(|(_, joined)| of(joined, group)).map(|place| (place, true));
        joins.or_else(|| Some((of(&self.stated.get(&group)?.0, member)?, false)))
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

/// The word for the kind of a group's members, as the group states it, and where.
pub(crate) fn members_are(view: &View<'_>, group: Address) -> Option<(String, Option<Place>)> {
    let rulebook = &view.catalog.rulebook;
    let path = rulebook.kind(view.kind_of(group)?).members.as_ref()?.are.as_ref()?;
    let value = view.effective(group)?.get(view.catalog, path)?;
    Some((value.word(view.catalog)?, value.origin().place))
}

impl Catalog {
    /// The types of the fields by which something leads to a definition of a space.
    pub(crate) fn led_types_of(&self, space: SpaceId) -> impl Iterator<Item = TypeId> {
        let kinds = self.rulebook.kinds().filter(move |(_, described)| described.space == space);
        kinds.flat_map(|(kind, _)| self.led_types(kind))
    }

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
