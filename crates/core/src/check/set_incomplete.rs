//! `set-incomplete`.

use super::follows::is_misspelt;
use super::registry::Check;
use crate::rulebook::{Severity, Wrong};
use crate::said::{listed, said};

pub(super) static CHECK: Check = Check {
    code: "set-incomplete",
    severity: Severity::Error,
    since: "0.1",
    summary: "a set that must be complete and is not",
    finds: "A list or map in which every word of a choice must come up once, and some do not.",
    matters: "The game looks the missing one up when it needs it, and stops or takes something by chance.",
    example: "\"yields\": { \"spring\": 2, \"summer\": 4, \"autumn\": 3 }      # what of winter?",
    mend: "Add what is missing.",
    accept: "If the game has a value of its own for what is missing, the rulebook is too strict.",
    run: |context, findings| {
        let wanted = |what| match what {
            Wrong::Incomplete { want } => Some(want),
            _ => None,
        };
        context.local_findings(&CHECK, findings, wanted, |node, want, ty| {
            let mut missing = context.rulebook.words_missing(node, want);
            missing.retain(|word| !is_misspelt(context, node, want, word));
            if missing.is_empty() {
                return None;
            }
            let place = context.definition_place(node.at());
            let message = said!(
                "`{field}` must have every word, and lacks `{lacking}`",
                field = ty.pattern,
                lacking = listed(missing)
            );
            let help = None;
            Some((place, message, help))
        });
    },
};
