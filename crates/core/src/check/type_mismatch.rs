//! `type-mismatch`.

use super::finding::Finding;
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
        for local in context.locals() {
            let Wrong::Mismatch { want } = local.fault.what else { continue };
            let (about, path) = context.whose(local.file, local.fault.from, local.node);
            let ty = context.rulebook.field_type(want);
            let raw = local.node.raw();
            let found = match local.node.shape() {
                Shape::Number => format!("the number {raw}"),
                shape => shape.words().to_owned(),
            };
            let help = match (&ty.reading, local.node.shape()) {
                (Reading::Integer | Reading::Number, Shape::Text)
                    if crate::document::decimal(&local.node.text()).is_some() =>
                {
                    Some(format!("without quotes it is a number: {}", local.node.text()))
                }
                (Reading::Boolean, Shape::Text) if matches!(&*local.node.text(), "true" | "false") => {
                    Some(format!("without quotes: {}", local.node.text()))
                }
                (Reading::Text | Reading::Choice(_), Shape::Number | Shape::Boolean) => {
                    Some(format!("in quotes: \"{raw}\""))
                }
                _ => None,
            };
            let name = if ty.pattern.is_empty() { "this".to_owned() } else { format!("`{}`", ty.pattern) };
            let message = format!("{name} takes {}, not {found}", context.rulebook.describe(want));
            findings.push(Finding::new(&CHECK, local.node.place(), message).about(about).path(Some(path)).help(help));
        }
    },
};
