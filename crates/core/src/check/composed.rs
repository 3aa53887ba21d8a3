//! Definitions as the game would see them, table by table, for checks of fields that depend on each other.

use rayon::prelude::*;

use super::context::Context;
use super::finding::Finding;
use super::follows::orphaned_by;
use crate::catalog::Address;
use crate::effective::{Amiss, Effective, Table};
use crate::rulebook::{Counted, Kind};
use crate::source::Place;

/// One definition with all its tables.
pub(super) struct Composed {
    pub(super) address: Address,
    pub(super) place: Place,
    pub(super) effective: Effective,
    pub(super) tables: Vec<Table>,
}

/// Tries something on every definition of the kinds that are asked for, in order.
pub(super) fn conditional(
    context: &Context<'_>,
    wanted: impl Fn(&Kind) -> bool,
    tried: impl Fn(&Composed) -> Vec<Finding> + Sync,
) -> Vec<Finding> {
    let kinds: Vec<_> = context.rulebook.kinds().filter(|(_, kind)| wanted(kind)).map(|(id, _)| id).collect();
    if kinds.is_empty() {
        return Vec::new();
    }
    let mut addresses = context.standing().to_vec();
    addresses.retain(|at| context.view.kind_of(*at).is_some_and(|kind| kinds.contains(&kind)));
    addresses
        .par_iter()
        .flat_map_iter(|address| {
            let composed = (|| {
                let effective = context.view.effective(*address)?;
                let (_, top) = context.view.top(*address)?;
                let tables = effective.tables(context.catalog);
                Some(Composed { address: *address, place: context.definition_place(top.at()), effective, tables })
            })();
            composed.map(|composed| tried(&composed)).unwrap_or_default()
        })
        .collect()
}

/// Tries something on what is wrong with each group of fields that depend on each other.
pub(super) fn grouped(
    context: &Context<'_>,
    findings: &mut Vec<Finding>,
    tried: impl Fn(&Composed, &Table, Amiss<'_>) -> Option<Finding> + Sync,
) {
    let catalog = context.catalog;
    let wanted = |kind: &Kind| !kind.groups.is_empty();
    findings.extend(conditional(context, wanted, |composed| {
        let groups = &context.rulebook.kind(composed.effective.kind).groups;
        let groups = groups.iter().filter(|group| context.brings(group.from, composed.address));
        let of_group = |group| {
            let tables = composed.tables.iter().filter(move |table| table.is_of(group));
            tables.map(move |table| (group, table))
        };
        let found = groups.flat_map(of_group).filter_map(|(group, table)| {
            let finding = tried(composed, table, table.amiss(catalog, group)?)?.about(Some(composed.address));
            // what a parent that is not there would have given lacks
            let there = group.fields.iter().filter(|path| table.has(catalog, path)).count();
            let lacks = there == 0 || group.counted == Counted::AllWithTheFirst && there < group.fields.len();
            if lacks && let Some(cause) = orphaned_by(context, composed.address) {
                context.causes().follow(cause);
                return None;
            }
            Some(finding.related(group.place, "the rulebook demands this"))
        });
        found.collect()
    }));
}
