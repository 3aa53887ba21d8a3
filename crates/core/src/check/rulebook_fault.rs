//! `rulebook-fault`.

use super::finding::Finding;
use super::registry::{CHECKS, Check};
use crate::nearest::nearest;
use crate::rulebook::Severity;
use crate::said::said;

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
    run: |context, findings| {
        context.own_faults(&CHECK, findings);
        let rules = context.rulebook.kinds().flat_map(|(_, kind)| kind.rules());
        let codes: Vec<&str> =
            CHECKS.iter().map(|check| check.code).chain(rules.filter_map(|rule| rule.code())).collect();
        let of_game = context.rulebook.game_does.iter().map(|(code, _, place)| (code, place));
        let severities = context.rulebook.severities.iter().map(|rule| (&rule.code.0, &rule.code.1));
        for (code, place) in of_game.chain(severities) {
            if !codes.contains(&code.as_str()) {
                let help = nearest(code, codes.iter().copied())
                    .map(|near| said!("the nearest known code is `{nearest}`", nearest = near));
                findings.push(Finding::new(&CHECK, *place, said!("there is no finding `{code}`", code)).help(help));
            }
        }
    },
};
