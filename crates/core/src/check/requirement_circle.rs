//! `requirement-circle`.

use super::registry::Check;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "requirement-circle",
    severity: Severity::Error,
    since: "0.1",
    summary: "mods that require each other in a circle",
    finds: "A mod whose requirements lead back to itself.",
    matters: "There is no order in which they could be loaded; most games load none of them.",
    example: "reeds/mod.json: \"needs\": [\"boats\"]\nboats/mod.json: \"needs\": [\"reeds\"]",
    mend: "Take one requirement out, or move what both use into a third mod.",
    accept: "Never.",
    run: |context, findings| context.own_faults(&CHECK, findings),
};
