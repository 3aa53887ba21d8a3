//! `one-of-several`.

use super::composed::{grouped, joined};
use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::{Counted, Severity};

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
        grouped(context, findings, |tables, group, table| {
            let there: Vec<_> = group.fields.iter().filter(|path| table.has(context, path)).collect();
            let all = joined(group.fields.iter(), "or");
            let message = match (group.counted, there.as_slice()) {
                (Counted::ExactlyOne | Counted::AtLeastOne, []) => format!("one of {all} must be there"),
                (Counted::ExactlyOne | Counted::AtMostOne, [_, _, ..]) => {
                    format!("only one of {all} can be there, not {}", joined(there.iter().copied(), "and"))
                }
                _ => return None,
            };
            let place = there.last().and_then(|path| table.place_of(context, path));
            let place = place.unwrap_or_else(|| table.place(tables.place));
            let whose = table.whose(context, tables.address);
            Some(Finding::new(&CHECK, place, format!("{whose}: {message}")).path(Some(table.path.clone())))
        });
    },
};
