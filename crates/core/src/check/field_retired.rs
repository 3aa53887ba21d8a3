//! `field-retired`.

use super::registry::Check;
use crate::rulebook::{Severity, Wrong};
use crate::said::{Said, said};

pub(super) static CHECK: Check = Check {
    code: "field-retired",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a field that should not be used any more",
    finds: "A field that the game still reads for old mods, though another one has taken its place.",
    matters: "The next version of the game may drop it without a word.",
    example: "\"stack\": 20      # retired: use `carry.most`",
    mend: "Use what the finding names instead.",
    accept: "While the mod has to work with an older version of the game, too.",
    run: |context, findings| {
        let wanted = |what| match what {
            Wrong::Retired { want } => Some(want),
            _ => None,
        };
        context.local_findings(&CHECK, findings, wanted, |node, _, ty| {
            let place = context.key_place(node);
            let message = said!("`{field}` is retired", field = ty.pattern);
            let help = ty.retired().map(|instead| Said::from(instead.to_owned()));
            Some((place, message, help))
        });
    },
};
