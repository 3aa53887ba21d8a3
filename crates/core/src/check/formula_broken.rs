//! `formula-broken`.

use super::context::Context;
use super::finding::Finding;
use super::reach::{MentionAt, owner};
use super::registry::Check;
use crate::catalog::{AMENDMENT, Catalog};
use crate::document::{FieldPath, Node, float};
use crate::expression::{Expression, divided_by_zero};
use crate::rulebook::{Mention, Reading, Severity};
use crate::said::said;
use crate::source::{Place, Span};

pub(super) static CHECK: Check = Check {
    code: "formula-broken",
    severity: Severity::Error,
    since: "0.1",
    summary: "a formula that cannot be calculated",
    finds: "A formula that is no expression, names a field or function that is not there, does not give a number, or divides by zero with the values that are there.",
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
                    let place = place_in(node, &text, error.range);
                    let (about, path) = context.whose(file, mention.from, node);
                    let finding = Finding::new(&CHECK, place, error.message).help(error.help);
                    findings.push(finding.about(about).path(Some(path)));
                }
            }
        }
        for at in context.shared.formulas.get_or_init(|| formulas(context.catalog)) {
            findings.extend(divided(context, *at));
        }
    },
};

/// All formulas, in whatever layers.
pub(super) fn formulas(catalog: &Catalog) -> Vec<MentionAt> {
    let is = |mention: &Mention| matches!(catalog.rulebook.field_type(mention.wants).reading, Reading::Formula { .. });
    let mut out = Vec::new();
    for (file, _) in catalog.files() {
        let mentions = catalog.harvest_of(file).map_or(&[][..], |harvest| &harvest.mentions);
        out.extend(mentions.iter().zip(0u32..).filter(|(mention, _)| is(mention)).map(|(_, nth)| (file, nth)));
    }
    out
}

/// A formula that divides by zero with the values that its definition shows.
fn divided(context: &Context<'_>, at: MentionAt) -> Option<Finding> {
    let catalog = context.catalog;
    let about = owner(catalog, at)?;
    if !context.is_own(at.0) && !context.reaches(about) {
        return None;
    }
    let (file, harvest, document) = context.harvest(at.0).filter(|(file, ..)| context.view.has(*file))?;
    let mention = harvest.mentions.get(at.1 as usize)?;
    let Reading::Formula { over, .. } = &context.rulebook.field_type(mention.wants).reading else { return None };
    let node = document.node(mention.at);
    let text = node.text();
    // most formulas divide by nothing
    if !text.contains(['/', '%', '*']) || !context.is_seen(file, mention, node) {
        return None;
    }
    let effective = context.view.effective(about)?;
    let number = |path: &FieldPath| {
        let value = effective.get(catalog, path).filter(|_| over.is_none_or(|kind| kind == effective.kind))?;
        float(&value.word(catalog)?)
    };
    let (from, to) = divided_by_zero(&text, &number)?;
    let part = text.get(from..to).unwrap_or_default();
    let (_, path) = context.whose(file, mention.from, node);
    let message = said!("`{text}` divides by zero: `{part}` is 0 here", text, part);
    let place = place_in(node, &text, (from, to));
    Some(Finding::new(&CHECK, place, message).about(Some(about)).path(Some(path)))
}

/// The place of a part of a text: behind the opening quote, if nothing in the text is escaped.
fn place_in(node: Node<'_>, text: &str, (from, to): (usize, usize)) -> Place {
    let start = node.span().start as usize + 1;
    match node.raw().len() == text.len() + 2 {
        true => Place { file: node.document().file(), span: Span::new(start + from, start + to.max(from + 1)) },
        false => node.place(),
    }
}
