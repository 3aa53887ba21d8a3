//! `set-incomplete`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::{Severity, Wrong};

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
        for local in context.locals() {
            let Wrong::Incomplete { want } = local.fault.what else { continue };
            let (about, path) = context.whose(local.file, local.fault.from, local.node);
            let ty = context.rulebook.field_type(want);
            let missing = context.rulebook.words_missing(local.node, want);
            let place = context.definition_place(local.node.at());
            let message = format!("`{}` must have every word, and lacks `{}`", ty.pattern, missing.join("`, `"));
            let help = None;
            findings.push(Finding::new(&CHECK, place, message).about(about).path(Some(path)).help(help));
        }
    },
};
