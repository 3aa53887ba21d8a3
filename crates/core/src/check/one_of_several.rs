//! `one-of-several`.

use super::composed::grouped;
use super::finding::Finding;
use super::registry::Check;
use crate::effective::Amiss;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "one-of-several",
    severity: Severity::Error,
    since: "0.1",
    summary: "too many or too few of several fields that exclude each other",
    finds: "Fields of which exactly one, at most one or at least one must be there, and another number of them is.",
    matters: "The game takes one of them by its own lights, or refuses the definition.",
    example: "\"at\": \"hearth\", \"by_hand\": true      # one or the other",
    mend: "Keep the one that is meant.",
    accept: "If the game takes several, the rulebook is too narrow.",
    run: |context, findings| {
        grouped(context, findings, |composed, table, amiss| {
            let Amiss::Several(there, _) = &amiss else { return None };
            let place = there.last().and_then(|path| table.place_of(context.catalog, path));
            let place = place.unwrap_or_else(|| table.place(composed.place));
            let message = amiss.said(context.catalog, composed.address, table, &table.path);
            Some(Finding::new(&CHECK, place, message).path(Some(table.path.clone())))
        });
    },
};
