//! `workspace-fault`.

use super::registry::Check;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "workspace-fault",
    severity: Severity::Error,
    since: "0.1",
    summary: "a fault in the workspace file",
    finds: "A key of `cognomen.toml` that is not known, a mod that is named there and not there, an order that contradicts requirements.",
    matters: "The workspace is not what its file says, so findings may be wrong.",
    example: "order = [\"long-nigth\"]",
    mend: "Follow the help of the finding; `docs/WORKSPACE.md` lists the keys.",
    accept: "Never.",
    run: |context, findings| context.own_faults(&CHECK, findings),
};
