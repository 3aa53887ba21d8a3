//! `contradicts-itself`.

use rustc_hash::FxHashMap;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use super::told::op_place;
use crate::catalog::{Address, LayerId, OpKind, Target};
use crate::document::{Draft, NodeRef};
use crate::effective::same;
use crate::rulebook::Severity;
use crate::said::said;
use crate::source::Place;

pub(super) static CHECK: Check = Check {
    code: "contradicts-itself",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a mod sets one value to two different ones",
    finds: "Two amendments of one mod that set the same field of the same definition to different values.",
    matters: "One of the two has no effect, and which one hangs on the names of the files.",
    example: "# amendments/lamps.toml\nset = { burn_minutes = 55 }\n# amendments/winter.toml, the same item\nset = { burn_minutes = 70 }",
    mend: "Keep the one that is meant. An exception from an amendment with `each` is no contradiction.",
    accept: "Never.",
    run: |context, findings| {
        for layer in context.own.iter() {
            of_layer(context, layer, findings);
        }
    },
};

/// What was set before: to what, and where.
type Known = FxHashMap<(Address, String), (Draft, Place)>;

fn of_layer(context: &Context<'_>, layer: LayerId, findings: &mut Vec<Finding>) {
    let catalog = context.catalog;
    let mut known = Known::default();
    for (id, amendment) in catalog.amendments_of(layer) {
        let Target::Of { id: word } = &amendment.target else { continue };
        let Some(at) = catalog.address(amendment.kind, word) else { continue };
        let Some((_, stands)) = catalog.amendment(id) else { continue };
        for (nth, op) in amendment.ops.iter().enumerate().filter(|(_, op)| op.kind == OpKind::Set) {
            let Some(place) = op_place(context.catalog, id, nth) else { continue };
            let value = Draft::of(catalog.node(NodeRef { file: stands.file, node: op.value }), &catalog.names);
            let before = known.insert((at, op.path.to_string()), (value.clone(), place));
            let Some((other, there)) = before else { continue };
            if same(&other, &value, op.ty, context.rulebook, &catalog.names) {
                continue;
            }
            let mod_id = &catalog.layer(layer).id;
            let message = said!(
                "`{own}` sets `{field}` of `{definition}` to {value}, and before that to {other_value}",
                own = mod_id,
                field = op.path,
                definition = context.show(at),
                value = value.short(),
                other_value = other.short()
            );
            let finding = Finding::new(&CHECK, place, message).about(Some(at)).path(Some(op.path.clone()));
            findings.push(finding.related(there, "stated here"));
        }
    }
}
