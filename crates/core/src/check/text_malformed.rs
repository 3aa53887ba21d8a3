//! `text-malformed`.

use super::registry::Check;
use crate::rulebook::{Severity, Wrong};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "text-malformed",
    severity: Severity::Error,
    since: "0.1",
    summary: "a text that does not look as it must",
    finds: "A text that does not match the pattern that its field asks for, or is too short or too long.",
    matters: "The game cuts it off, refuses it, or cannot use it as what it stands for.",
    example: "\"mark\": \"reed\"      # three capital letters",
    mend: "Write it as the finding says.",
    accept: "If the game takes it, the rulebook is too narrow.",
    run: |context, findings| {
        let wanted = |what| match what {
            Wrong::Form { want } => Some(want),
            _ => None,
        };
        context.local_findings(&CHECK, findings, wanted, |node, want, ty| {
            let found = if ty.is_of_keys() {
                said!("`{value}`", value = ty.said_at(node))
            } else {
                said!("{value}", value = node.raw())
            };
            let message = said!(
                "`{field}` takes {wanted}, not {found}",
                field = ty.pattern,
                wanted = context.rulebook.describe(want),
                found
            );
            Some((ty.place_at(node), message, None))
        });
    },
};
