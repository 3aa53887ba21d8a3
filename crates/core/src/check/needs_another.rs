//! `needs-another`.

use super::composed::{conditional, joined};
use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::{Counted, Severity};

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
        let found = conditional(
            context,
            |kind| !kind.groups.is_empty(),
            |tables| {
                let mut found = Vec::new();
                for (group, table) in tables.groups().filter(|(group, _)| group.counted == Counted::AllWithTheFirst) {
                    let Some((first, needed)) = group.fields.split_first() else { continue };
                    if !table.has(context, first) {
                        continue;
                    }
                    let lacking: Vec<_> = needed.iter().filter(|path| !table.has(context, path)).collect();
                    if lacking.is_empty() {
                        continue;
                    }
                    let place = table.place_of(context, first).unwrap_or_else(|| table.place(tables.place));
                    let whose = table.whose(context, tables.address);
                    let message = format!("{whose}: `{first}` needs {} beside it", joined(lacking.into_iter(), "and"));
                    let finding = Finding::new(&CHECK, place, message).about(Some(tables.address));
                    found.push(
                        finding.path(Some(table.path.join(first))).related(group.place, "the rulebook demands this"),
                    );
                }
                found
            },
        );
        findings.extend(found);
    },
};
