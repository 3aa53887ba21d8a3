//! `type-mismatch`.

use super::registry::Check;
use crate::document::Shape;
use crate::rulebook::{Reading, Severity, Wrong};
use crate::said::{Said, said};

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
                _ if ty.is_of_keys() => said!("`{value}`", value = ty.said_at(node)),
                Shape::Number => said!("the number {value}", value = raw),
                Shape::Text if ty.written.is_some() => said!("`{value}`", value = node.text()),
                shape => shape.words().into(),
            };
            let help = match (&ty.reading, node.shape()) {
                _ if ty.written.is_some() || ty.is_of_keys() => None,
                (Reading::Integer | Reading::Number, Shape::Text)
                    if crate::document::decimal(&node.text()).is_some() =>
                {
                    Some(said!("without quotes it is a number: {value}", value = node.text()))
                }
                (Reading::Boolean, Shape::Text) if matches!(&*node.text(), "true" | "false") => {
                    Some(said!("without quotes: {value}", value = node.text()))
                }
                (Reading::Boolean, Shape::Text) if matches!(raw, "yes" | "on" | "Yes" | "On") => {
                    Some(said!("`{value}` is a word like others here: `true`", value = raw))
                }
                (Reading::Boolean, Shape::Text) if matches!(raw, "no" | "off" | "No" | "Off") => {
                    Some(said!("`{value}` is a word like others here: `false`", value = raw))
                }
                (Reading::Text | Reading::Choice(_), Shape::Number | Shape::Boolean) => {
                    Some(said!("in quotes: \"{value}\"", value = raw))
                }
                _ => None,
            };
            let name: Said = if ty.pattern.is_empty() { "this".into() } else { said!("`{field}`", field = ty.pattern) };
            let message =
                said!("{name} takes {wanted}, not {found}", name, wanted = context.rulebook.describe(want), found);
            Some((ty.place_at(node), message, help))
        });
    },
};
