//! `mods-exclude`.

use super::registry::Check;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "mods-exclude",
    severity: Severity::Error,
    since: "0.1",
    summary: "mods that cannot be loaded together",
    finds: "A mod whose manifest excludes another mod that is here, where the workspace does not say that players have only one of them.",
    matters: "The game loads only one of them, or neither.",
    example: "\"not_with\": [\"lean-winter\"]",
    mend: "Take one of them out of the workspace, or list both under `alternatives` in cognomen.toml.",
    accept: "Never; `alternatives` says it better.",
    run: |context, findings| context.own_faults(&CHECK, findings),
};
