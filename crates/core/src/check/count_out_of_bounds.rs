//! `count-out-of-bounds`.

use super::registry::Check;
use crate::rulebook::{Demands, Severity, Wrong};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "count-out-of-bounds",
    severity: Severity::Error,
    since: "0.1",
    summary: "too few or too many entries",
    finds: "A list or map with fewer or more entries than the game takes.",
    matters: "The game drops what is too much, or refuses the definition.",
    example: "\"drops\": [ ... ]      # nine entries, at most eight are read",
    mend: "Take entries out, or add what is missing.",
    accept: "If the game takes more, the rulebook should say so.",
    run: |context, findings| {
        let wanted = |what| match what {
            Wrong::Count { want } => Some(want),
            _ => None,
        };
        context.local_findings(&CHECK, findings, wanted, |node, _, ty| {
            let (least, most) = ty.demands().map_or((None, None), |d| (d.min_count, d.max_count));
            let wanted = Demands::count_words(least, most);
            let there = match node.len() {
                0 => "none".into(),
                1 => "1 entry".into(),
                count => said!("{count} entries", count),
            };
            let place = context.definition_place(node.at());
            let message = said!("`{field}` has {there}, where {wanted} are taken", field = ty.pattern, there, wanted);
            let help = match most {
                Some(most) if node.len() > most => Some(said!("take {count} out", count = node.len() - most)),
                _ => least.map(|least| said!("add {count} more", count = least.saturating_sub(node.len()))),
            };
            Some((place, message, help))
        });
    },
};
