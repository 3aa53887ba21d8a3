//! `beyond-reliable`.

use super::registry::Check;
use crate::rulebook::{Severity, Wrong};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "beyond-reliable",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a number beyond what the game is reliable with",
    finds: "A number that the game takes, though beyond the bounds within which it works reliably. Numbers that it refuses are `out-of-range`.",
    matters: "It may work here and fail on another machine, another map, or after an hour.",
    example: "\"crew\": 40      # reliable up to 24",
    mend: "Stay within the bounds that the finding names.",
    accept: "If you have tried it and know why it holds.",
    run: |context, findings| {
        let wanted = |what| match what {
            Wrong::Unreliable { want } => Some(want),
            _ => None,
        };
        context.local_findings(&CHECK, findings, wanted, |node, _, ty| {
            let demands = ty.demands();
            let bounds = (demands.and_then(|d| d.safe_min.as_ref()), demands.and_then(|d| d.safe_max.as_ref()));
            let reliable = match bounds {
                (Some(min), Some(max)) => {
                    said!("from {least} to {most}", least = min.number, most = max.number)
                }
                (Some(min), None) => said!("from {least} on", least = min.number),
                (None, Some(max)) => said!("up to {most}", most = max.number),
                (None, None) => return None,
            };
            let unit = ty.unit.as_ref().map(|unit| said!(" {unit}", unit));
            let place = node.place();
            let message = said!(
                "`{field}` is {value}{unit}; the game is reliable {reliable}",
                field = ty.pattern,
                value = node.raw(),
                unit,
                reliable
            );
            let help = None;
            Some((place, message, help))
        });
    },
};
