//! `kind-closed`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::Severity;
use crate::said::{one, said};

pub(super) static CHECK: Check = Check {
    code: "kind-closed",
    severity: Severity::Error,
    since: "0.1",
    summary: "a new definition of a kind that nothing can be added to",
    finds: "A definition of a mod under an id that nothing below it has, of a kind that the rulebook calls `closed`.",
    matters: "The game knows its own of that kind, and reads past others.",
    example: "[kinds.season]\nclosed = \"the game knows four\"\n\n\"fifth\": { ... }",
    mend: "Change one that is there, or do what the rulebook says instead.",
    accept: "Never: it does not reach the game.",
    run: |context, findings| {
        let catalog = context.catalog;
        for (_, definition) in context.written_by_own() {
            let kind = context.rulebook.kind(definition.kind);
            let Some(closed) = kind.closed.as_ref().filter(|_| !context.is_game(definition.layer)) else { continue };
            let new = context.view.is_new(definition);
            let Some(address) = catalog.address_of(definition).filter(|_| new) else { continue };
            let message = said!(
                "`{definition}` cannot be added: {kind} is the game's own",
                definition = context.show(address),
                kind = one(kind.name())
            );
            let place = context.definition_place(definition.at());
            let help = (!closed.is_empty()).then(|| closed.clone());
            findings.push(Finding::new(&CHECK, place, message).about(Some(address)).help(help));
        }
    },
};
