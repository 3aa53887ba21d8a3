//! `amendment-fault`.

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use super::told::op_place;
use crate::catalog::Op;
use crate::effective::value_words;
use crate::rulebook::{Severity, TestPart};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "amendment-fault",
    severity: Severity::Error,
    since: "0.1",
    summary: "an amendment that cannot be read or applied",
    finds: "An amendment file whose keys or paths are wrong, an operation that does not suit its field, or one that the values below do not allow.",
    matters: "An amendment with a fault is left out as a whole, so the game sees the old values.",
    example: "[[amend]]\nof = \"item/lamp-oil\"\nmultiply = { tags = 2 }     # tags is a list",
    mend: "Follow the help of the finding; `docs/AMENDMENTS.md` lists the keys.",
    accept: "Never: take the amendment out instead.",
    run: |context, findings| {
        context.own_faults(&CHECK, findings);
        super::amends_nothing::faults_of_operations(context, &CHECK, findings);
        removing(context, findings);
    },
};

/// Amendments that set what the game takes as the word for a definition to go.
fn removing(context: &Context<'_>, findings: &mut Vec<Finding>) {
    let catalog = context.catalog;
    for layer in context.own.iter() {
        for (address, built) in context.world.builds.of_layer(catalog, layer) {
            let Some(test) = &context.rulebook.kind(built.kind).removes else { continue };
            let words = |part: &TestPart| Some(value_words(catalog, &built.value.at(catalog, &part.path)?));
            if !test.holds(words) {
                continue;
            }
            for (id, amendment) in catalog.amendments_of(layer).filter(|(id, _)| built.is_made_by(*id)) {
                let says = |op: &Op| test.0.iter().any(|part| part.path == op.path);
                let Some(nth) = amendment.ops.iter().position(says) else { continue };
                let Some(place) = op_place(catalog, id, nth) else { continue };
                let shown = context.show(address);
                let message = said!(
                    "this would take `{definition}` away, and an amendment changes only values",
                    definition = shown
                );
                let help = "write a definition that says so in the game's own files".to_owned();
                findings.push(Finding::new(&CHECK, place, message).about(Some(address)).help(Some(help)));
            }
        }
    }
}
