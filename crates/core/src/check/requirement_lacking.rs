//! `requirement-lacking`.

use super::registry::Check;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "requirement-lacking",
    severity: Severity::Error,
    since: "0.1",
    summary: "a required mod that is not there",
    finds: "A manifest that requires a mod which is not among the workspace's mods.",
    matters: "The game does not load the mod.",
    example: "\"needs\": [\"long-nigth\"]      # the mod is long-night",
    mend: "Correct the id, put the mod into the mods' folder, or take the requirement out.",
    accept: "While the other mod is kept elsewhere; references to it cannot be checked then.",
    run: |context, findings| context.own_faults(&CHECK, findings),
};
