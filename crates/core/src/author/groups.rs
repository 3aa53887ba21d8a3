//! Groups: who is put in, who is taken out, and a group in the place of one of its members.

use std::cell::OnceCell;

use rustc_hash::FxHashSet;

use super::assign::{Assignment, AssignmentError, Assigns};
use super::copy::{NewOptions, new_definition};
use super::rename::files_of;
use super::requirement::writable;
use super::rewrites::Rewrites;
use super::set::{ManyOptions, SetError};
use super::taken::Taken;
use crate::catalog::{Address, LayerId};
use crate::document::{Draft, FieldPath, NodeId, Step, json_line};
use crate::effective::{MemberField, Membership, View, World, members_are};
use crate::look::{End, LinkHow, Subject, links};
use crate::rulebook::{KindId, Pattern, PatternStep, Reading, TypeId};
use crate::source::{ChangeSet, FileId, Place};

/// Whether members come or go.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Join {
    /// They come.
    In,
    /// They go.
    Out,
}

/// How a definition is named in a field, so that it leads to it.
pub(super) fn word_for(view: &View<'_>, ty: TypeId, address: Address) -> Option<String> {
    let catalog = view.catalog;
    let id = catalog.names.text(address.id);
    let kind = view.kind_of(address)?;
    let link = catalog.rulebook.field_type(ty).link.as_ref();
    let formed = link.and_then(|link| link.decorated(kind, id));
    let words = [Some(id.to_owned()), formed].into_iter().flatten();
    words.into_iter().find(|word| view.named_in(word, ty) == Some(address))
}

/// A list that says a membership.
struct Listing {
    /// The definition that states it.
    of: Address,
    /// The list, and the field of its entries that names the other.
    path: FieldPath,
    inner: Option<String>,
    word: String,
    /// Whether lists of several layers are put together.
    joins: bool,
    by_member: bool,
}

/// The list that a pattern leads to, and the field of its entries.
fn list_of(pattern: &Pattern) -> Option<(FieldPath, Option<String>)> {
    let at = pattern.0.iter().position(|step| *step == PatternStep::Entries)?;
    let keys = |steps: &[PatternStep]| -> Option<Vec<Step>> {
        let key = |step: &PatternStep| match step {
            PatternStep::Key(key) => Some(Step::Key(key.clone())),
            _ => None,
        };
        steps.iter().map(key).collect()
    };
    let path = FieldPath::from(keys(pattern.0.get(..at)?)?);
    match pattern.0.get(at + 1..)? {
        [] => Some((path, None)),
        [PatternStep::Key(key)] => Some((path, Some(key.clone()))),
        _ => None,
    }
}

/// The ways in which it can be said that something belongs to a group: by itself, or by the group.
fn ways(view: &View<'_>, membership: &Membership, group: Address, member: Address) -> Vec<Listing> {
    let catalog = view.catalog;
    let rulebook = &catalog.rulebook;
    let mut out = Vec::new();
    let mut way = |field: &MemberField, (of, other): (Address, Address)| {
        let Some((path, inner)) = list_of(&field.pattern) else { return };
        let Some(word) = word_for(view, field.ty, other) else { return };
        let list = rulebook.type_at(rulebook.kind(field.kind).root, &path, &catalog.names).ok();
        let joins = list.is_some_and(|ty| matches!(&rulebook.field_type(ty).reading, Reading::List(list) if list.join));
        out.push(Listing { of, path, inner, word, joins, by_member: of == member });
    };
    let (of_member, of_group) = (view.kind_of(member), view.kind_of(group));
    of_member.into_iter().flat_map(|kind| membership.joining(kind)).for_each(|field| way(field, (member, group)));
    of_group.into_iter().flat_map(|kind| membership.listing(kind)).for_each(|field| way(field, (group, member)));
    out
}

/// The kind that the members of a group have to be of, as it states it or by default.
fn kind_of_members(view: &View<'_>, group: Address) -> Option<String> {
    let catalog = view.catalog;
    let default = || {
        let kind = catalog.rulebook.kind(view.kind_of(group)?);
        let path = kind.members.as_ref()?.are.as_ref()?;
        let ty = catalog.rulebook.type_at(kind.root, path, &catalog.names).ok()?;
        catalog.rulebook.field_type(ty).default.as_ref().and_then(Draft::word)
    };
    members_are(view, group).map(|(word, _)| word).or_else(default)
}

/// The definitions from which others of a view inherit.
fn named_as_parents(view: &View<'_>) -> FxHashSet<Address> {
    let catalog = view.catalog;
    let named = catalog.definitions().filter(|(_, made)| made.parent.is_some() && view.seen.has(made.file));
    named.flat_map(|(id, _)| view.parents_at(id)).collect()
}

/// Plans that definitions come into a group, or go from it: in what the mod itself defines, else where lists of several
/// mods are put together, else by the member, so that two mods can do the same; where nothing that inherits from the
/// member comes along, if there is such a way. Those of which it is said already are left out.
///
/// # Errors
/// The rulebook knows no way to say it.
pub fn join_group(
    world: &World,
    layer: LayerId,
    group: Address,
    members: &[Address],
    join: Join,
) -> Result<ManyOptions, SetError> {
    let catalog = &world.catalog;
    let view = world.with_ground(layer);
    let membership = Membership::new(&view);
    let mut options = ManyOptions::none(layer);
    let own = |address: Address| catalog.stack(address).any(|(_, made)| made.layer == layer);
    let refused = |member: Address, why: &str| {
        let (group, member) = (catalog.show_address(group), catalog.show_address(member));
        SetError::Problem(format!("`{member}` cannot belong to `{group}`: {why}"))
    };
    let parents: OnceCell<FxHashSet<Address>> = OnceCell::new();
    for member in members {
        if join == Join::In && (*member == group || membership.groups_of(group).contains(member)) {
            return Err(refused(*member, "that would be a circle"));
        }
        let inner = kind_of_members(&view, *member);
        let is = inner.or_else(|| Some(catalog.rulebook.kind(view.kind_of(*member)?).name().to_owned()));
        if let (Join::In, Some(wanted)) = (join, kind_of_members(&view, group))
            && is.as_ref().is_some_and(|is| *is != wanted)
        {
            return Err(refused(*member, &format!("that is for {wanted}")));
        }
        let belongs = membership.members(group).contains(member);
        if belongs == (join == Join::In) {
            continue;
        }
        let mut all = ways(&view, &membership, group, *member);
        if join == Join::Out {
            let by_member = membership.place(group, *member).map(|(_, by_member)| by_member);
            all.retain(|way| Some(way.by_member) == by_member);
        }
        // what inherits from a member inherits what that says of itself
        let heirs = |way: &Listing| way.by_member && parents.get_or_init(|| named_as_parents(&view)).contains(&way.of);
        let best = all.into_iter().min_by_key(|way| {
            let mine = own(way.of);
            (!(mine || way.joins), heirs(way), !mine, !way.joins, !way.by_member)
        });
        let Some(way) = best else {
            let (group, member) = (catalog.show_address(group), catalog.show_address(*member));
            let message = format!("the rulebook knows no list that says that `{member}` belongs to `{group}`");
            let help = "a kind's `members` names such a list, a field with `joins = true` is one".to_owned();
            return Err(AssignmentError::new(message, Some(help)).into());
        };
        let value = match &way.inner {
            Some(inner) => json_line(&Draft::List(vec![Draft::Table(vec![(inner.clone(), Draft::Text(way.word))])])),
            None => json_line(&Draft::List(vec![Draft::Text(way.word)])),
        };
        let assigns = if join == Join::In { Assigns::Add } else { Assigns::Remove };
        let value = match (&way.inner, join) {
            // an entry goes by its name
            (Some(_), Join::Out) => value.trim_matches(['[', ']']).to_owned(),
            _ => value,
        };
        options.assign(way.of, vec![Assignment { path: way.path, assigns, value }]);
    }
    Ok(options)
}

/// Where something stands alone that a group could stand for.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Single {
    /// The definition that names it.
    pub of: Address,
    /// The field.
    pub path: FieldPath,
    /// Where.
    pub place: Option<Place>,
    /// The layer that says so.
    pub layer: LayerId,
    /// Whether the field takes groups, too.
    pub takes_group: bool,
}

/// What came of a group in the place of its member.
#[derive(Clone, Debug)]
pub struct InsteadReport {
    /// The files to write.
    pub changes: ChangeSet,
    /// Where the group now stands: the definition, the field, the word.
    pub put: Vec<(Address, FieldPath, String)>,
    /// Where the single one still stands.
    pub left: Vec<Single>,
}

/// A place in a mod's file that names something.
#[derive(Clone)]
struct Named {
    file: FileId,
    node: NodeId,
    by_key: bool,
    /// The word for the group.
    word: String,
    of: Option<Address>,
    path: Option<FieldPath>,
}

/// Where a mod names a member in fields that take its group.
fn places(world: &World, layer: LayerId, group: Address, member: Address) -> Vec<Named> {
    let catalog = &world.catalog;
    let view = world.with_ground(layer);
    let mut out = Vec::new();
    for (file, harvest, document) in files_of(catalog, layer) {
        for mention in &harvest.mentions {
            let field = catalog.rulebook.field_type(mention.wants);
            let joins = field.demands().is_some_and(|demands| demands.joins);
            if joins || !matches!(field.reading, Reading::Link(_)) {
                continue;
            }
            let of = catalog.definition_of(file, mention.from).and_then(|(_, made)| catalog.address_of(made));
            // what makes it a member stays
            if of == Some(group) || view.target_of(document, harvest, mention) != Some(member) {
                continue;
            }
            let Some(word) = word_for(&view, mention.wants, group) else { continue };
            let at = document.path_to(mention.at, &catalog.names);
            let made = harvest.definitions.get(mention.from as usize).filter(|_| of.is_some());
            let path = made.and_then(|made| {
                let above = document.path_to(made.node, &catalog.names).steps().len();
                Some(FieldPath::from(at.steps().get(above..)?.to_vec()))
            });
            let by_key = field.is_of_keys();
            out.push(Named { file, node: mention.at, by_key, word, of, path });
        }
    }
    out
}

/// The files with the group in some places.
fn written(world: &World, places: &[Named]) -> Result<ChangeSet, SetError> {
    let catalog = &world.catalog;
    let mut rewrites = Rewrites::new(catalog);
    for place in places {
        let Some(document) = catalog.document(place.file) else { continue };
        let node = document.node(place.node);
        match place.by_key {
            true => rewrites.key(node, &place.word),
            false => rewrites.value(node, &node.text(), &place.word),
        }
    }
    rewrites.changes()
}

/// Plans a new group with its members, takes it into the world, and reads it back there. Nothing is written to disk.
///
/// # Errors
/// As of [`new_definition`].
pub fn new_group(
    world: &mut World,
    layer: LayerId,
    (kind, id): (KindId, &str),
    members: &[Address],
) -> Result<ChangeSet, SetError> {
    let catalog = &world.catalog;
    let described = catalog.rulebook.kind(kind);
    let view = world.with_ground(layer);
    let mut assignments = Vec::new();
    let mut say = |path: FieldPath, value: String| assignments.push(Assignment { path, assigns: Assigns::Set, value });
    if let Some(rule) = &described.members
        && let Some((path, inner)) = list_of(&rule.field)
    {
        let mut entry = path.with(Step::Index(0));
        if let Some(inner) = &inner {
            entry = entry.with(Step::Key(inner.clone()));
        }
        let ty = catalog.rulebook.type_at(described.root, &entry, &catalog.names).ok();
        let word = |member: &Address| word_for(&view, ty?, *member);
        let entry = |word: String| match &inner {
            Some(inner) => Draft::Table(vec![(inner.clone(), Draft::Text(word))]),
            None => Draft::Text(word),
        };
        let all = members.iter().filter_map(word).map(entry).collect();
        say(path, json_line(&Draft::List(all)));
        let of_member = members.first().and_then(|member| view.kind_of(*member));
        if let (Some(are), Some(of)) = (&rule.are, of_member) {
            say(are.clone(), catalog.rulebook.kind(of).name().to_owned());
        }
    }
    let options = NewOptions { layer, kind, id: id.to_owned(), assignments, like: None, name: None };
    Ok(new_definition(world, &options)?.changes)
}

/// How much is at fault in a mod's files and its amendments.
fn faults(world: &World, layer: LayerId) -> usize {
    let of_files: usize = files_of(&world.catalog, layer)
        .map(|(_, harvest, document)| harvest.faults.len() + harvest.own_faults.len() + document.faults().len())
        .sum();
    of_files + world.problems_of(layer).count()
}

/// Lets a group take the place of one of its members wherever the mod itself names that and a field takes the group; and
/// lists where the single one still stands. Nothing is written to disk.
///
/// # Errors
/// A file cannot be edited so, or what would stand there is at fault.
pub fn group_instead(
    world: &mut World,
    layer: LayerId,
    group: Address,
    member: Address,
) -> Result<InsteadReport, SetError> {
    writable(&world.catalog, layer)?;
    let all = places(world, layer, group, member);
    let before = faults(world, layer);
    let mut taken = Taken::default();
    let mut put = all.clone();
    taken.take_in_changes(world, layer, &written(world, &put)?)?;
    if faults(world, layer) > before {
        // where the group stands beside already, the single one stays: which these are is found one by one
        taken.take_back(world, layer, "")?;
        put.clear();
        for one in all {
            put.push(one);
            taken.take_in_changes(world, layer, &written(world, &put)?)?;
            let worse = faults(world, layer) > before;
            taken.take_back(world, layer, "")?;
            if worse {
                put.pop();
            }
        }
        taken.take_in_changes(world, layer, &written(world, &put)?)?;
    }
    let changes = taken.changes(world);
    let put = put.into_iter().filter_map(|place| Some((place.of?, place.path?, place.word))).collect();
    let view = world.with_ground(layer);
    let mut left = Vec::new();
    for link in links(world, &Subject::Definition(member)).used_by {
        let (End::Definition(of), Some(path), LinkHow::Names) = (link.end, link.path, link.how) else { continue };
        if of == group {
            continue;
        }
        let ty = view.effective(of).and_then(|effective| effective.type_at(&world.catalog, &path));
        let takes_group = ty.is_some_and(|ty| word_for(&view, ty, group).is_some());
        left.push(Single { of, path, place: link.place, layer: link.layer, takes_group });
    }
    Ok(InsteadReport { changes, put, left })
}
