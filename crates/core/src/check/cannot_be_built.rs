//! `cannot-be-built`.

use super::finding::Finding;
use super::registry::Check;
use super::told::op_place;
use crate::effective::ProblemKind;
use crate::rulebook::Severity;
use crate::said::{Said, said};

pub(super) static CHECK: Check = Check {
    code: "cannot-be-built",
    severity: Severity::Error,
    since: "0.1",
    summary: "an amendment for which the game has no notation",
    finds: "A change that the game's own files cannot express: taking away what a lower layer states in a kind that merges fields, changing a definition of a kind whose ids may not repeat, or one whose id is made of the id of another mod.",
    matters: "`build` cannot write it, so players would not get it.",
    example: "[[amend]]\nof = \"tag/fuel\"\nremove = { members = [\"peat\"] }    # lists of tags are joined with the base's",
    mend: "Set a value instead of taking one away, or define something of your own and refer to that.",
    accept: "Never: the change does not reach the game.",
    run: |context, findings| {
        for problem in context.problems() {
            let ProblemKind::NotSayable(nth, reason) = &problem.what else { continue };
            let Some((amendment, _)) = context.catalog.amendment(problem.amendment) else { continue };
            let path = amendment.ops.get(*nth).map(|op| op.path.clone());
            let place = op_place(context.catalog, problem.amendment, *nth).unwrap_or(amendment.target_place);
            let message = match (&path, problem.address) {
                (Some(path), Some(address)) => {
                    said!(
                        "the game has no notation for this change of `{field}` in `{definition}`",
                        field = path,
                        definition = context.show(address)
                    )
                }
                _ => "the game has no notation for this change".into(),
            };
            let finding = Finding::new(&CHECK, place, message).about(problem.address).path(path);
            findings.push(finding.help(Some(Said::from(*reason))));
        }
    },
};
