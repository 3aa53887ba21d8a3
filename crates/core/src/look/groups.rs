//! Who belongs to which group, by which way; what is the same thing in another layer.

use rustc_hash::FxHashSet;

use crate::catalog::{Address, LayerId};
use crate::effective::{Membership, View, World};
use crate::nearest::nearest;
use crate::source::Place;

/// A membership that is stated, or reached through others.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Belonging {
    /// The other end: a group, or a member.
    pub other: Address,
    /// The groups between, nearest to what was asked about first.
    pub through: Vec<Address>,
    /// Where the last step is stated.
    pub place: Option<Place>,
    /// Whether that is said by the member, not by the group.
    pub by_member: bool,
}

/// What is known of groups around a definition.
#[derive(Clone, Debug, Default)]
pub struct GroupsReport {
    /// The groups that it belongs to.
    pub groups: Vec<Belonging>,
    /// Its members, those of groups within it included.
    pub members: Vec<Belonging>,
}

/// Looks up what belongs together around a definition, as a mod sees it on its ground.
pub fn groups_around(world: &World, layer: LayerId, address: Address) -> GroupsReport {
    let view = world.with_ground(layer);
    let membership = Membership::new(&view);
    let ups = |at: Address| {
        membership.groups_of(at).into_iter().filter(|group| membership.members(*group).contains(&at)).collect()
    };
    let downs = |at: Address| membership.members(at).to_vec();
    let up = |from: Address, to: Address| membership.place(to, from);
    let down = |from: Address, to: Address| membership.place(from, to);
    GroupsReport { groups: walk(address, &ups, &up), members: walk(address, &downs, &down) }
}

/// All that is reached from something step by step, nearest first.
fn walk(
    start: Address,
    next: &dyn Fn(Address) -> Vec<Address>,
    place: &dyn Fn(Address, Address) -> Option<(Place, bool)>,
) -> Vec<Belonging> {
    let mut out: Vec<Belonging> = Vec::new();
    let mut seen: FxHashSet<Address> = FxHashSet::from_iter([start]);
    let mut todo: Vec<(Address, Vec<Address>)> = vec![(start, Vec::new())];
    let mut at = 0;
    while let Some((here, way)) = todo.get(at).cloned() {
        at += 1;
        for other in next(here).into_iter().filter(|other| seen.insert(*other)) {
            let said = place(here, other);
            let by_member = said.is_some_and(|(_, by_member)| by_member);
            out.push(Belonging { other, through: way.clone(), place: said.map(|(place, _)| place), by_member });
            let further = way.iter().copied().chain([other]).collect();
            todo.push((other, further));
        }
    }
    out
}

/// All groups with members, as a mod sees them, and how many each has, those of groups within it included.
pub fn all_groups(world: &World, layer: LayerId) -> Vec<(Address, usize)> {
    let view = world.with_ground(layer);
    let membership = Membership::new(&view);
    let downs = |at: Address| membership.members(at).to_vec();
    let groups: Vec<Address> = membership.all().into_iter().map(|(group, _)| group).collect();
    let is_group = |at: &Address| groups.contains(at);
    let count = |group: Address| {
        let all = walk(group, &downs, &|_, _| None);
        all.iter().filter(|one| !is_group(&one.other)).count()
    };
    let mut out: Vec<(Address, usize)> = groups.iter().map(|group| (*group, count(*group))).collect();
    out.sort_by_key(|(group, _)| world.catalog.show_address(*group));
    out
}

/// Why two definitions may be the same thing.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum Alike {
    /// Players read the same name.
    Name,
    /// The ids are the same but for a prefix or a few letters.
    Id,
    /// They belong to the same groups.
    Groups,
}

/// A definition of another layer that may be the same thing.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Twin {
    /// The definition.
    pub address: Address,
    /// Why.
    pub why: Vec<Alike>,
    /// Groups that both belong to.
    pub shared: Vec<Address>,
}

/// The definitions of other layers that may be the same thing as one, likeliest first: those of its kind that players
/// read the same name of, or that have nearly the same id; what only shares its groups is none.
pub fn twins(world: &World, address: Address) -> Vec<Twin> {
    let catalog = &world.catalog;
    let view = world.view();
    let membership = Membership::new(&view);
    let own = membership.groups_of(address);
    let layers = |at: Address| -> Vec<LayerId> {
        catalog.stack(at).map(|(_, made)| made.layer).filter(|layer| view.contains(*layer)).collect()
    };
    let here = layers(address);
    // without the mod's own name in front
    let bare = |at: Address| {
        let id = plain(catalog.names.text(at.id));
        let mods = layers(at).into_iter().map(|layer| format!("{}-", plain(&catalog.layer(layer).id)));
        mods.filter_map(|name| id.strip_prefix(&name)).next().unwrap_or(&id).to_owned()
    };
    let (id, name) = (bare(address), named(&view, address));
    let mut out = Vec::new();
    for other in view.standing() {
        let elsewhere = other != address && other.space == address.space && layers(other) != here;
        if !elsewhere || view.kind_of(other) != view.kind_of(address) {
            continue;
        }
        let mut why = Vec::new();
        if name.is_some() && named(&view, other) == name {
            why.push(Alike::Name);
        }
        let theirs = bare(other);
        if words(&theirs) == words(&id) || nearest(&id, [theirs.as_str()]).is_some() {
            why.push(Alike::Id);
        }
        let shared: Vec<Address> = membership.groups_of(other).into_iter().filter(|at| own.contains(at)).collect();
        if why.is_empty() {
            continue;
        }
        if !shared.is_empty() {
            why.push(Alike::Groups);
        }
        out.push(Twin { address: other, why, shared });
    }
    out.sort_by_key(|twin| (std::cmp::Reverse(twin.why.len()), twin.why.clone(), catalog.show_address(twin.address)));
    out
}

fn named(view: &View<'_>, address: Address) -> Option<String> {
    view.readable_name(address).map(|name| name.trim().to_lowercase()).filter(|name| !name.is_empty())
}

/// The words of an id, in whatever order they stand.
fn words(id: &str) -> Vec<&str> {
    let mut words: Vec<&str> = id.split('-').collect();
    words.sort_unstable();
    words
}

/// An id as its letters count: without folders and prefixes in front of a colon, words parted by hyphens.
fn plain(id: &str) -> String {
    let last = id.rsplit(['/', ':']).next().unwrap_or(id);
    last.to_lowercase().replace(['_', ' ', '.'], "-")
}
