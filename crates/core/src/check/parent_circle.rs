//! `parent-circle`.

use rustc_hash::{FxHashMap, FxHashSet};

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::{Address, Definition};
use crate::effective::How;
use crate::rulebook::{Again, Severity};
use crate::said::{chain, said};

pub(super) static CHECK: Check = Check {
    code: "parent-circle",
    severity: Severity::Error,
    since: "0.1",
    summary: "definitions that inherit from each other in a circle",
    finds: "A definition whose parents lead back to itself.",
    matters: "The game stops while loading, or drops all of them.",
    example: "\"peat\": { \"based_on\": \"turf\" }, \"turf\": { \"based_on\": \"peat\" }",
    mend: "Take one of the parents out.",
    accept: "Never.",
    run: |context, findings| {
        let inherits =
            |at: &Address| context.view.kind_of(*at).is_some_and(|k| context.rulebook.kind(k).parent.is_some());
        let addresses: Vec<Address> = context.standing().iter().copied().filter(inherits).collect();
        let mut links: FxHashMap<Address, Address> = FxHashMap::default();
        let mut todo = addresses.clone();
        while let Some(here) = todo.pop() {
            if !links.contains_key(&here)
                && let Some(parent) = parent(context, here)
            {
                links.insert(here, parent);
                todo.push(parent);
            }
        }
        let looked_at: FxHashSet<Address> = addresses.iter().copied().collect();
        let mut done: FxHashSet<Address> = FxHashSet::default();
        let mut path: Vec<Address> = Vec::new();
        for start in addresses {
            path.clear();
            let mut here = start;
            while done.insert(here) {
                path.push(here);
                match links.get(&here) {
                    Some(next) => here = *next,
                    None => break,
                }
            }
            let closes = links.contains_key(&here).then(|| path.iter().position(|known| *known == here)).flatten();
            if let Some(mut circle) = closes.and_then(|from| path.get(from..)).map(<[Address]>::to_vec) {
                // one that only others go in is theirs
                if !circle.iter().any(|at| looked_at.contains(at)) {
                    continue;
                }
                // begun by name: how words are numbered depends on which thread met them first
                let first = circle.iter().enumerate().min_by_key(|(_, address)| context.show(**address));
                let first = first.map_or(0, |(at, _)| at);
                circle.rotate_left(first);
                if !bound_in_turn(context, &circle) {
                    findings.extend(finding(context, &circle));
                }
            }
        }
    },
};

/// The definition that states an address's parent, highest first.
fn stating<'c>(context: &Context<'c>, address: Address) -> Option<&'c Definition> {
    for (_, definition) in context.view.stack(address) {
        let continues = definition.continues;
        if definition.parent.is_some() && !continues {
            return Some(definition);
        }
        if !continues && definition.again != Again::Merge {
            return None;
        }
    }
    None
}

fn parent(context: &Context<'_>, address: Address) -> Option<Address> {
    if !context.world.builds.of(address).is_empty() {
        let own = context.view.own(address)?;
        let parent = context.view.parents_of(&own).last().copied()?;
        // its own id is the word for going on with what lies below it, unless an amendment says so
        let key = context.rulebook.kind(own.kind).parent?;
        let amended = || own.value.get(context.catalog, key).map(|field| matches!(field.origin().how, How::Amended(_)));
        return (parent != address || amended() == Some(true)).then_some(parent);
    }
    let made = stating(context, address)?;
    Some(context.view.parent(made.kind, made.parent?))
}

/// Whether some of these took their parents before others were loaded: then the first ones took what was there below.
fn bound_in_turn(context: &Context<'_>, circle: &[Address]) -> bool {
    let mut layers = circle.iter().filter_map(|at| {
        let made = stating(context, *at)?;
        context.rulebook.kind(made.kind).early.then_some(made.layer)
    });
    let first = layers.next();
    layers.any(|layer| Some(layer) != first)
}

/// Reported at the member of the highest layer: that one closed the circle.
fn finding(context: &Context<'_>, circle: &[Address]) -> Option<Finding> {
    let catalog = context.catalog;
    let mut members: Vec<(Address, &Definition)> = circle
        .iter()
        .filter_map(|a| Some((*a, stating(context, *a).or_else(|| context.view.top(*a).map(|(_, d)| d))?)))
        .collect();
    let top = members.iter().enumerate().max_by_key(|(at, (_, d))| (d.layer, std::cmp::Reverse(*at)))?.0;
    members.rotate_left(top);
    let (address, definition) = *members.first()?;
    let parent_place = |definition: &Definition| {
        let key = context.rulebook.kind(definition.kind).parent?;
        Some(catalog.node(definition.at()).get(key)?.place())
    };
    let place = parent_place(definition).unwrap_or_else(|| context.definition_place(definition.at()));
    let mut circle: Vec<String> = members.iter().map(|(a, _)| catalog.names.text(a.id).to_owned()).collect();
    circle.extend(circle.first().cloned());
    let message = match members.len() {
        1 => said!("`{definition}` inherits from itself", definition = context.show(address)),
        _ => said!(
            "`{definition}` inherits in a circle: {circle}",
            definition = context.show(address),
            circle = chain(circle)
        ),
    };
    let mut finding = Finding::new(&CHECK, place, message).about(Some(address));
    for (_, other) in members.iter().skip(1) {
        if let Some(place) = parent_place(other) {
            finding = finding.related(place, said!("`{id}` inherits from here on", id = catalog.names.text(other.id?)));
        }
    }
    Some(finding.help(Some("take one of these parents out")))
}
