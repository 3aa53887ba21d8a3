//! `count-out-of-bounds`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::{Demands, Severity, Wrong};

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
        for local in context.locals() {
            let Wrong::Count { want } = local.fault.what else { continue };
            let (about, path) = context.whose(local.file, local.fault.from, local.node);
            let ty = context.rulebook.field_type(want);
            let (least, most) = ty.demands().map_or((None, None), |d| (d.min_count, d.max_count));
            let wanted = Demands::count_words(least, most);
            let there = match local.node.len() {
                0 => "none".to_owned(),
                1 => "1 entry".to_owned(),
                count => format!("{count} entries"),
            };
            let place = context.definition_place(local.node.at());
            let message = format!("`{}` has {there}, where {wanted} are taken", ty.pattern);
            let help = match most {
                Some(most) if local.node.len() > most => Some(format!("take {} out", local.node.len() - most)),
                _ => least.map(|least| format!("add {} more", least.saturating_sub(local.node.len()))),
            };
            findings.push(Finding::new(&CHECK, place, message).about(about).path(Some(path)).help(help));
        }
    },
};
