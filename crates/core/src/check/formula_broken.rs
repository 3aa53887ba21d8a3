//! `formula-broken`.

use super::finding::Finding;
use super::registry::Check;
use crate::catalog::AMENDMENT;
use crate::expression::Expression;
use crate::rulebook::{Reading, Severity};
use crate::source::{Place, Span};

pub(super) static CHECK: Check = Check {
    code: "formula-broken",
    severity: Severity::Error,
    since: "0.1",
    summary: "a formula that cannot be calculated",
    finds: "A formula that is no expression, names a field or function that is not there, or does not give a number.",
    matters: "The game shows an error, or takes the value as zero.",
    example: "\"reach\": \"stride * 2 + swimm\"      # the field is `swim`",
    mend: "Correct the name; `cognomen kinds KIND` lists the fields.",
    accept: "If the game knows further names there, the rulebook should list them under `names`.",
    run: |context, findings| {
        for (file, harvest, document) in context.harvests() {
            for mention in &harvest.mentions {
                let Reading::Formula { over, names } = &context.rulebook.field_type(mention.wants).reading else {
                    continue;
                };
                let amended = harvest.amendments.get((mention.from & !AMENDMENT) as usize).map(|a| a.kind);
                let own = match context.catalog.definition_of(file, mention.from) {
                    Some((_, definition)) => Some(definition.kind),
                    None => amended,
                };
                let Some(kind) = over.or(own) else { continue };
                let node = document.node(mention.at);
                let text = node.text();
                let Err(errors) =
                    Expression::check_formula(&text, kind, names, context.rulebook, &context.catalog.names)
                else {
                    continue;
                };
                for error in errors {
                    // behind the opening quote, if nothing in the text is escaped
                    let start = node.span().start as usize + 1;
                    let (from, to) = error.range;
                    let place = match node.raw().len() == text.len() + 2 {
                        true => Place { file, span: Span::new(start + from, start + to.max(from + 1)) },
                        false => node.place(),
                    };
                    let (about, path) = context.whose(file, mention.from, node);
                    let finding = Finding::new(&CHECK, place, error.message).help(error.help);
                    findings.push(finding.about(about).path(Some(path)));
                }
            }
        }
    },
};
