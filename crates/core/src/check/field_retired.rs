//! `field-retired`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::{Severity, Wrong};

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
        for local in context.locals() {
            let Wrong::Retired { want } = local.fault.what else { continue };
            let (about, path) = context.whose(local.file, local.fault.from, local.node);
            let ty = context.rulebook.field_type(want);
            let place = context.key_place(local.node);
            let message = format!("`{}` is retired", ty.pattern);
            let help = ty.retired().map(str::to_owned);
            findings.push(Finding::new(&CHECK, place, message).about(about).path(Some(path)).help(help));
        }
    },
};
