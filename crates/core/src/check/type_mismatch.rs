//! `type-mismatch`.

use super::registry::Check;
use crate::document::Shape;
use crate::rulebook::{Reading, Severity, Wrong};

pub(super) static CHECK: Check = Check {
    code: "type-mismatch",
    severity: Severity::Error,
    since: "0.1",
    summary: "a value of the wrong type",
    finds: "A value that its field cannot take: a text where a number belongs, a fraction where a whole number belongs. Another shape, as one value where a list belongs, is `shape-mismatch`.",
    matters: "The game refuses the definition, or reads the value as zero.",
    example: "\"weight\": \"2\"      # a number, without quotes",
    mend: "Write the value as the field takes it; `cognomen kinds KIND` shows how.",
    accept: "If the game takes both, the rulebook is too narrow.",
    run: |context, findings| {
        let wanted = |what| match what {
            Wrong::Mismatch { want } => Some(want),
            _ => None,
        };
        context.local_findings(&CHECK, findings, wanted, |node, want, ty| {
            let raw = node.raw();
            let found = match node.shape() {
                _ if ty.is_of_keys() => format!("`{}`", ty.said_at(node)),
                Shape::Number => format!("the number {raw}"),
                Shape::Text if ty.written.is_some() => format!("`{}`", node.text()),
                shape => shape.words().to_owned(),
            };
            let help = match (&ty.reading, node.shape()) {
                _ if ty.written.is_some() || ty.is_of_keys() => None,
                (Reading::Integer | Reading::Number, Shape::Text)
                    if crate::document::decimal(&node.text()).is_some() =>
                {
                    Some(format!("without quotes it is a number: {}", node.text()))
                }
                (Reading::Boolean, Shape::Text) if matches!(&*node.text(), "true" | "false") => {
                    Some(format!("without quotes: {}", node.text()))
                }
                (Reading::Boolean, Shape::Text) if matches!(raw, "yes" | "on" | "Yes" | "On") => {
                    Some(format!("`{raw}` is a word like others here: `true`"))
                }
                (Reading::Boolean, Shape::Text) if matches!(raw, "no" | "off" | "No" | "Off") => {
                    Some(format!("`{raw}` is a word like others here: `false`"))
                }
                (Reading::Text | Reading::Choice(_), Shape::Number | Shape::Boolean) => {
                    Some(format!("in quotes: \"{raw}\""))
                }
                _ => None,
            };
            let name = if ty.pattern.is_empty() { "this".to_owned() } else { format!("`{}`", ty.pattern) };
            let message = format!("{name} takes {}, not {found}", context.rulebook.describe(want));
            Some((ty.place_at(node), message, help))
        });
    },
};
