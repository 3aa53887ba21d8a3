//! `rulebook-fault`.

use super::registry::Check;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "rulebook-fault",
    severity: Severity::Error,
    since: "0.1",
    summary: "a fault in the rulebook",
    finds: "A key, type, pattern or expression in the rulebook that cannot be read.",
    matters: "What it was to describe is not checked, or checked wrongly.",
    example: "\"value\" = { type = \"integr\" }",
    mend: "Follow the help of the finding; `docs/RULEBOOK.md` lists everything a rulebook can say.",
    accept: "Never.",
    run: |context, findings| context.own_faults(&CHECK, findings),
};
