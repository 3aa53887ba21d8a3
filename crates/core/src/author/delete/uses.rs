//! What names the definitions that are to go, and how much goes with each reference.

use crate::author::assign::{Assignment, Assigns};
use crate::author::rename::{LeftUse, files_of};
use crate::catalog::{Address, Catalog, Harvest, LayerId, Target};
use crate::document::{Document, Draft, FieldPath, NodeId, NodeRef, Step, json_line};
use crate::effective::World;
use crate::expression::quotes;
use crate::names::Sym;
use crate::rulebook::{ListShape, Mention, Reading, TypeId};
use crate::source::{FileId, Place};

/// Something of the mod that names what is to go.
pub(super) struct Use {
    pub(super) place: Place,
    /// The definition it stands in, or that is amended.
    pub(super) about: Option<Address>,
    pub(super) target: Address,
    /// How it can go.
    pub(super) goes: Goes,
}

/// How a reference can go.
pub(super) enum Goes {
    /// By this assignment.
    By(Assignment),
    /// It must be there.
    Needed(String),
    /// It says something else, too.
    Says(String),
}

/// All that names some definitions in a layer, but for what stands in these themselves.
pub(super) fn uses(world: &World, layer: LayerId, targets: &[Address]) -> Vec<Use> {
    uses_in(world, (layer, layer), targets)
}

/// All that names some definitions on the ground of a layer and shows with it, as it can be changed there.
pub(super) fn uses_below(world: &World, layer: LayerId, targets: &[Address]) -> Vec<Use> {
    let ground = &world.catalog.layer(layer).ground;
    let below = world.catalog.layers().map(|(below, _)| below).filter(|below| ground.contains(*below));
    below.flat_map(|below| uses_in(world, (below, layer), targets)).collect()
}

/// What names some definitions in the files of a layer, as another sees it.
fn uses_in(world: &World, (of, layer): (LayerId, LayerId), targets: &[Address]) -> Vec<Use> {
    let (catalog, view) = (&world.catalog, world.with_ground(layer));
    let mut out = Vec::new();
    for (file, harvest, document) in files_of(catalog, of) {
        for mention in &harvest.mentions {
            let node = document.node(mention.at);
            let is_formula = matches!(catalog.rulebook.field_type(mention.wants).reading, Reading::Formula { .. });
            let target = match is_formula {
                true => {
                    let text = node.text();
                    targets.iter().find(|address| quotes(&text, catalog.names.text(address.id))).copied()
                }
                false => {
                    let named = view.targets_of(document, harvest, mention);
                    named.into_iter().find(|target| targets.contains(target))
                }
            };
            let Some(target) = target else { continue };
            let (about, path, root) = whose(catalog, file, harvest, document, mention);
            if about.is_some_and(|about| targets.contains(&about)) {
                continue;
            }
            if is_formula {
                let goes = Goes::Says(format!("`{}`", node.text()));
                out.push(Use { place: node.place(), about, target, goes });
                continue;
            }
            if of != layer && !about.is_some_and(|about| view.shows(about, &path, node)) {
                continue;
            }
            let own = of == layer && catalog.definition_of(file, mention.from).is_some();
            let goes = about.and_then(|about| goes(world, layer, (about, own), &path, (node.at(), root), document));
            let goes = goes.unwrap_or_else(|| Goes::Says(format!("`{}`", catalog.mentioned(document, mention))));
            out.push(Use { place: node.place(), about, target, goes });
        }
    }
    for (id, made) in catalog.definitions().filter(|(_, made)| made.layer == of && made.parent.is_some()) {
        let about = catalog.address_of(made);
        if of != layer && about.is_none_or(|about| view.top(about).is_none_or(|(top, _)| top != id)) {
            continue;
        }
        let parent = view.parents_at(id).into_iter().find(|parent| targets.contains(parent));
        if let Some(target) = parent.filter(|_| !about.is_some_and(|about| targets.contains(&about))) {
            let shown = about.map_or(String::new(), |about| catalog.show_address(about));
            let goes = Goes::Says(format!("{shown} inherits from it"));
            // said once, as what it is
            let key = catalog.rulebook.kind(made.kind).parent;
            let field = key.map(|key| FieldPath::key(catalog.names.text(key)));
            let is_parent = |goes: &Goes| matches!(goes, Goes::By(by) if Some(&by.path) == field.as_ref());
            out.retain(|found| found.about != about || found.target != target || !is_parent(&found.goes));
            let said = key.and_then(|key| catalog.node(made.at()).get(key)).map(|node| node.place());
            out.push(Use { place: said.unwrap_or_else(|| catalog.definition_place(made.at())), about, target, goes });
        }
    }
    if of != layer {
        return out;
    }
    for (_, amendment) in catalog.amendments_of(layer) {
        let (place, target) = match &amendment.target {
            Target::Of { id } => (amendment.target_place, catalog.address(amendment.kind, id)),
            Target::Which { condition: Some((text, place)) } => {
                (*place, targets.iter().copied().find(|target| quotes(text, catalog.names.text(target.id))))
            }
            Target::Which { condition: None } => continue,
        };
        if let Some(target) = target.filter(|target| targets.contains(target)) {
            let goes = Goes::Says("an amendment is about it".to_owned());
            out.push(Use { place, about: None, target, goes });
        }
    }
    out
}

/// The definition in which a mention stands, or that an amendment changes there, with the way to it; and the node at which
/// what is written of that way begins.
fn whose(
    catalog: &Catalog,
    file: FileId,
    harvest: &Harvest,
    document: &Document,
    mention: &Mention,
) -> (Option<Address>, FieldPath, NodeId) {
    let node = document.node(mention.at);
    let whole = document.path_to(mention.at, &catalog.names);
    if let Some((_, made)) = catalog.definition_of(file, mention.from) {
        let above = document.path_to(made.node, &catalog.names);
        return (catalog.address_of(made), whole.skip(above.steps().len()), made.node);
    }
    for amendment in &harvest.amendments {
        let Target::Of { id } = &amendment.target else { continue };
        let op = amendment.ops.iter().find(|op| document.node(op.value).span().contains(node.span()));
        if let Some(op) = op {
            let above = document.path_to(op.value, &catalog.names);
            return (catalog.address(amendment.kind, id), op.path.join(&whole.skip(above.steps().len())), op.value);
        }
    }
    (None, whole, document.root().id())
}

/// The least that goes with a reference: an entry of a list or a map, or a field that may be left out.
fn goes(
    world: &World,
    layer: LayerId,
    (about, is_own): (Address, bool),
    path: &FieldPath,
    (at, root): (NodeRef, NodeId),
    document: &Document,
) -> Option<Goes> {
    let catalog = &world.catalog;
    let rulebook = &catalog.rulebook;
    let view = world.with_ground(layer);
    let effective = view.effective(about)?;
    // each step with the type of what it stands in, entries by what tells them
    let mut way: Vec<(TypeId, FieldPath)> = Vec::new();
    let mut here = FieldPath::default();
    // what is written on the way, from its end; what lies above that is as it shows
    let mut nodes = Vec::new();
    let mut node = Some(document.node(at.node)).filter(|node| node.id() != root);
    while let Some(here) = node {
        nodes.push(here.id());
        node = here.parent().filter(|above| above.id() != root);
    }
    let steps = path.steps().len();
    let written = |nth: usize| nodes.get(steps.checked_sub(nth + 1)?).map(|node| document.node(*node));
    let entry_at = |nth: usize, here: &FieldPath| match written(nth) {
        Some(node) => Some(Draft::of(node, &catalog.names)),
        None => Some(effective.get(catalog, here)?.draft(catalog)),
    };
    for (nth, step) in path.steps().iter().enumerate() {
        let ty = effective
            .type_at(catalog, &here)
            .or_else(|| here.is_empty().then(|| rulebook.kind(effective.kind).root))?;
        let step = match (step, &rulebook.field_type(ty).reading) {
            (Step::Index(_), Reading::List(list)) if list.shape == ListShape::Keyed => {
                let entry = entry_at(nth, &here.with(step.clone()))?;
                let key = |by: &Sym| {
                    let by = catalog.names.text(*by);
                    (by.to_owned(), entry.get(by).and_then(Draft::word).unwrap_or_default())
                };
                Step::Match(list.by.iter().map(key).collect())
            }
            _ => step.clone(),
        };
        here = here.with(step);
        way.push((ty, here.clone()));
    }
    for (nth, (ty, path)) in way.into_iter().enumerate().rev() {
        let unset = Assignment { path: path.clone(), assigns: Assigns::Unset, value: String::new() };
        let (above, last) = path.split_last()?;
        match (&rulebook.field_type(ty).reading, last) {
            (Reading::Table(table), Step::Key(key)) => {
                let name = catalog.names.get(key)?;
                let nth = table.fields.iter().position(|(known, _)| *known == name);
                if nth.is_some_and(|nth| !table.needs(nth)) {
                    return Some(Goes::By(unset));
                }
            }
            (Reading::Map { .. }, _) => return Some(Goes::By(unset)),
            // an entry by itself goes by its value: in what is joined it has another number than in its file
            (Reading::List(list), Step::Index(_))
                if nth + 1 == steps && (is_own || list.shape != ListShape::Sequence) =>
            {
                let value = document.node(at.node).text().into_owned();
                return Some(Goes::By(Assignment { path: above, assigns: Assigns::Remove, value }));
            }
            (Reading::List(_), Step::Match(keys)) => {
                let table = || keys.iter().map(|(key, word)| (key.clone(), Draft::Text(word.clone()))).collect();
                let value = match keys.as_slice() {
                    [(_, word)] => word.clone(),
                    _ => json_line(&Draft::Table(table())),
                };
                return Some(Goes::By(Assignment { path: above, assigns: Assigns::Remove, value }));
            }
            (Reading::List(list), _) if is_own && !list.join && list.shape == ListShape::Sequence => {
                return Some(Goes::By(unset));
            }
            // an entry with more in it, as all of it
            (Reading::List(list), Step::Index(_)) => {
                let entry = entry_at(nth, &path)?;
                if list.shape == ListShape::Sequence {
                    // entries whose order counts go by saying the whole list without them
                    let Draft::List(mut all) = effective.get(catalog, &above)?.draft(catalog) else { return None };
                    all.retain(|other| *other != entry);
                    let value = json_line(&Draft::List(all));
                    return Some(Goes::By(Assignment { path: above, assigns: Assigns::Set, value }));
                }
                let value = json_line(&Draft::List(vec![entry]));
                return Some(Goes::By(Assignment { path: above, assigns: Assigns::Remove, value }));
            }
            _ => {}
        }
    }
    Some(Goes::Needed(path.to_string()))
}

/// The uses in other mods.
pub(super) fn elsewhere(world: &World, layer: LayerId, targets: &[Address]) -> Vec<LeftUse> {
    let catalog = &world.catalog;
    let mut out = Vec::new();
    for (other, _) in catalog.layers().skip(1).filter(|(other, _)| *other != layer) {
        for found in uses(world, other, targets) {
            let what = found.about.map_or("an amendment".to_owned(), |about| catalog.show_address(about));
            out.push(LeftUse { place: found.place, what });
        }
    }
    out.sort_by_key(|left| left.place);
    out.dedup();
    out
}

/// The references of a layer that lead nowhere: where, and what is written.
pub(super) fn dangling(world: &World, layer: LayerId) -> Vec<(Place, String)> {
    let (catalog, view) = (&world.catalog, world.with_ground(layer));
    let mut out = Vec::new();
    for (_, harvest, document) in files_of(catalog, layer) {
        for mention in harvest.mentions.iter().filter(|mention| catalog.is_link(mention)) {
            if view.targets_of(document, harvest, mention).is_empty() {
                let node = document.node(mention.at);
                out.push((node.place(), catalog.mentioned(document, mention).into_owned()));
            }
        }
    }
    out
}
