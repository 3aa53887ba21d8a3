//! `amendment-without-effect`.

use rayon::prelude::*;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use super::told::op_place;
use crate::catalog::{AmendId, Amendment, LayerId, Target};
use crate::document::Draft;
use crate::effective::{Value, View, same};
use crate::rulebook::Severity;
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "amendment-without-effect",
    severity: Severity::Warning,
    since: "0.1",
    summary: "an amendment that changes nothing",
    finds: "An operation of an amendment after which the value is what it was on the ground of the mod.",
    matters: "Nothing is wrong in the game; but what was meant is not what is written, or an update of the base has made it pointless.",
    example: "[[amend]]\nof = \"item/lamp-oil\"\nset = { burn_minutes = 40 }      # it is 40 already",
    mend: "Take it out, or state the value that was meant.",
    accept: "If it is to hold the value against later updates of the base.",
    run: |context, findings| {
        let catalog = context.catalog;
        for layer in context.own.iter() {
            let views = (context.world.ground(layer), context.world.with_ground(layer));
            let all: Vec<_> = catalog.amendments_of(layer).collect();
            let found = all.par_iter().flat_map_iter(|(id, amendment)| {
                without_effect(context, layer, &views, *id, amendment).unwrap_or_default()
            });
            findings.extend(found.collect::<Vec<Finding>>());
        }
    },
};

/// The operations of one amendment after which everything is as it was.
fn without_effect(
    context: &Context<'_>,
    layer: LayerId,
    (ground, with): &(View<'_>, View<'_>),
    id: AmendId,
    amendment: &Amendment,
) -> Option<Vec<Finding>> {
    let catalog = context.catalog;
    let Target::Of { id: word } = &amendment.target else { return None };
    let address = catalog.address(amendment.kind, word)?;
    let own = catalog.defined_in(address, layer).is_some();
    if own || context.world.builds.problems.iter().any(|problem| problem.amendment == id) {
        return None;
    }
    let shown = |view: &View<'_>| view.effective_at(address, amendment.ops.iter().map(|op| &op.path));
    let (before, after) = (shown(ground)?, shown(with)?);
    let mut found = Vec::new();
    for (nth, op) in amendment.ops.iter().enumerate() {
        let (old, new) = (before.get(catalog, &op.path), after.get(catalog, &op.path));
        let draft = |value: &Option<Value>| value.as_ref().map_or(Draft::Null, |value| value.draft(catalog));
        if !same(&draft(&old), &draft(&new), op.ty, context.rulebook, &catalog.names) {
            continue;
        }
        let is = old.as_ref().map_or("not stated".to_owned(), |old| old.draft(catalog).short());
        let message = said!(
            "this changes nothing: `{field}` of `{definition}` is {value} already",
            field = op.path,
            definition = context.show(address),
            value = is
        );
        let Some(place) = op_place(context.catalog, id, nth) else { continue };
        let finding = Finding::new(&CHECK, place, message).about(Some(address)).path(Some(op.path.clone()));
        found.push(match old.and_then(|old| old.origin().place) {
            Some(place) => finding.related(place, "it stands here"),
            None => finding,
        });
    }
    Some(found)
}
