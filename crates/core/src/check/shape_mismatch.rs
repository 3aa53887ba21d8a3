//! `shape-mismatch`.

use super::registry::Check;
use crate::document::Shape;
use crate::rulebook::{Reading, Severity, Wrong};
use crate::said::{Said, said};

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
                Shape::Number => said!("the number {value}", value = raw),
                Shape::List => said!("a list of {count}", count = node.len()),
                shape => shape.words().into(),
            };
            let single = (shape == Shape::List && node.len() == 1).then(|| node.children().next()).flatten();
            let help = match &ty.reading {
                Reading::List(_) | Reading::Flags(_) if shape != Shape::Table => {
                    Some(said!("in brackets: [{value}]", value = raw))
                }
                Reading::Table(_) | Reading::Map { .. } | Reading::Tuple { .. } => None,
                _ => single.map(|one| said!("without brackets: {value}", value = one.raw())),
            };
            let name: Said = if ty.pattern.is_empty() { "this".into() } else { said!("`{field}`", field = ty.pattern) };
            let place = node.place();
            let message =
                said!("{name} takes {wanted}, not {found}", name, wanted = context.rulebook.describe(want), found);
            Some((place, message, help))
        });
    },
};
