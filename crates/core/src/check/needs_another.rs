//! `needs-another`.

use super::composed::grouped;
use super::finding::Finding;
use super::registry::Check;
use crate::document::FieldPath;
use crate::effective::Amiss;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "needs-another",
    severity: Severity::Error,
    since: "0.1",
    summary: "a field that means nothing without another one",
    finds: "A field that needs another one beside it, which is not there.",
    matters: "The game ignores the field, or refuses the definition.",
    example: "\"smell\": { \"strength\": 3 }      # of what kind?",
    mend: "State the other one as well, or take this one out.",
    accept: "If the game does without it, the rulebook is too narrow.",
    run: |context, findings| {
        grouped(context, findings, |composed, table, amiss| {
            let Amiss::Alone(first, lacking) = amiss else { return None };
            // what is misspelt there is told as that
            let misspelt = |path: &FieldPath| {
                let mut fields = vec![path.to_string()];
                context.causes().without_misspelt_at(context, composed.address, &table.path, &mut fields);
                fields.is_empty()
            };
            let lacking: Vec<_> = lacking.into_iter().filter(|path| !misspelt(path)).collect();
            if lacking.is_empty() {
                return None;
            }
            let place = table.place_of(context.catalog, first).unwrap_or_else(|| table.place(composed.place));
            let message = Amiss::Alone(first, lacking).said(context.catalog, composed.address, table, first);
            Some(Finding::new(&CHECK, place, message).path(Some(table.path.join(first))))
        });
    },
};
