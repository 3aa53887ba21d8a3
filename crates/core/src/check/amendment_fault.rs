//! `amendment-fault`.

use super::registry::Check;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "amendment-fault",
    severity: Severity::Error,
    since: "0.1",
    summary: "an amendment that cannot be read or applied",
    finds: "An amendment file whose keys or paths are wrong, an operation that does not suit its field, or one that the values below do not allow.",
    matters: "An amendment with a fault is left out as a whole, so the game sees the old values.",
    example: "[[amend]]\nof = \"item/lamp-oil\"\nmultiply = { tags = 2 }     # tags is a list",
    mend: "Follow the help of the finding; `docs/AMENDMENTS.md` lists the keys.",
    accept: "Never: take the amendment out instead.",
    run: |context, findings| {
        context.own_faults(&CHECK, findings);
        super::amends_nothing::faults_of_operations(context, &CHECK, findings);
    },
};
