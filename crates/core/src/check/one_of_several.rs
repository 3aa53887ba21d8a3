//! `one-of-several`.

use super::composed::grouped;
use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::{Counted, Severity};
use crate::said::{all_of, either, said};

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
            let all = either(&group.fields);
            let message = match (group.counted, there.as_slice()) {
                (Counted::ExactlyOne | Counted::AtLeastOne, []) => {
                    said!("one of `{fields}` must be there", fields = all)
                }
                (Counted::ExactlyOne | Counted::AtMostOne, [_, _, ..]) => {
                    said!("only one of `{fields}` can be there, not `{there}`", fields = all, there = all_of(&there))
                }
                _ => return None,
            };
            let place = there.last().and_then(|path| table.place_of(context, path));
            let place = place.unwrap_or_else(|| table.place(tables.place));
            let whose = table.whose(context, tables.address);
            Some(
                Finding::new(&CHECK, place, said!("{whose}: {message}", whose, message)).path(Some(table.path.clone())),
            )
        });
    },
};
