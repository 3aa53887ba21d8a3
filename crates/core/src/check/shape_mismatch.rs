//! `shape-mismatch`.

use super::registry::Check;
use crate::document::Shape;
use crate::rulebook::{Reading, Severity, Wrong};

pub(super) static CHECK: Check = Check {
    code: "shape-mismatch",
    severity: Severity::Error,
    since: "0.1",
    summary: "a list, table or single value where another of them belongs",
    finds: "One value where a list belongs, a list where one value belongs, a table for a text; also a list with the wrong number of places.",
    matters: "The game refuses the definition, or reads nothing there.",
    example: "\"tags\": \"fuel\"      # a list: [\"fuel\"]",
    mend: "Write the value in the shape that the finding names; `cognomen kinds KIND` shows all shapes.",
    accept: "If the game takes both, the rulebook is too narrow.",
    run: |context, findings| {
        let wanted = |what| match what {
            Wrong::Shape { want } => Some(want),
            _ => None,
        };
        context.local_findings(&CHECK, findings, wanted, |node, want, ty| {
            let raw = node.raw();
            let shape = node.shape();
            let found = match shape {
                Shape::Number => format!("the number {raw}"),
                Shape::List => format!("a list of {}", node.len()),
                shape => shape.words().to_owned(),
            };
            let single = (shape == Shape::List && node.len() == 1).then(|| node.children().next()).flatten();
            let help = match &ty.reading {
                Reading::List(_) | Reading::Flags(_) if shape != Shape::Table => Some(format!("in brackets: [{raw}]")),
                Reading::Table(_) | Reading::Map { .. } | Reading::Tuple { .. } => None,
                _ => single.map(|one| format!("without brackets: {}", one.raw())),
            };
            let name = if ty.pattern.is_empty() { "this".to_owned() } else { format!("`{}`", ty.pattern) };
            let place = node.place();
            let message = format!("{name} takes {}, not {found}", context.rulebook.describe(want));
            Some((place, message, help))
        });
    },
};
