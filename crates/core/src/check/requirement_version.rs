//! `requirement-version`.

use super::registry::Check;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "requirement-version",
    severity: Severity::Error,
    since: "0.1",
    summary: "a required mod in another version",
    finds: "A manifest that requires a version of a mod, or of one that it loads behind, which is not the one that is here; or that cannot be compared.",
    matters: "The game does not load the mod, or what it builds on is not there as it was meant.",
    example: "\"needs\": [{ \"id\": \"long-night\", \"version\": \">=2\" }]      # 1.1.0 is here",
    mend: "Take the version that is required, or require one that is here.",
    accept: "While the other version is kept elsewhere.",
    run: |context, findings| context.own_faults(&CHECK, findings),
};
