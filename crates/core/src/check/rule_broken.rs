//! `rule-broken`, or the rule's own code.

use rayon::prelude::*;

use super::context::Context;
use super::finding::Finding;
use super::follows::orphaned_by;
use super::registry::Check;
use crate::document::{FieldPath, Shape, Step};
use crate::effective::{CompiledRule, Effective, EffectiveScope, MessagePart};
use crate::expression::{Expression, Outcome, Use, told};
use crate::names::Sym;
use crate::rulebook::{Rule, Severity};
use crate::said::{Said, said};
use crate::source::Place;

pub(super) static CHECK: Check = Check {
    code: "rule-broken",
    severity: Severity::Error,
    since: "0.1",
    summary: "a rule of the rulebook that does not hold",
    finds: "A definition, as the game would see it, for which an expression of the rulebook does not hold. Rules may have codes of their own; `explain` knows them, too.",
    matters: "The rulebook's author knows why; the message says it.",
    example: "[[kinds.unit.rules]]\nrequire = \"wake <= flee\"\nmessage = \"it would flee before it wakes\"",
    mend: "Change one of the fields that the rule speaks of.",
    accept: "If the rule is too strict, change the rulebook.",
    run: |context, findings| {
        for (kind, described) in context.rulebook.kinds() {
            let Some(rules) = context.world.rules.get(kind.0 as usize).filter(|rules| !rules.is_empty()) else {
                continue;
            };
            let expressions = rules.iter().flat_map(|rule| rule.when.iter().chain([&rule.require]));
            let fields: Vec<Sym> = expressions.flat_map(Expression::fields).collect();
            let mut addresses = context.standing().to_vec();
            addresses.retain(|address| address.space == described.space && !context.is_abstract(*address));
            let found: Vec<Finding> = addresses
                .par_iter()
                .flat_map_iter(|address| {
                    // what the rules read is enough to see that they hold
                    let read = context.view.effective_of(*address, &fields).filter(|read| read.kind == kind);
                    let left: Vec<&CompiledRule> = match &read {
                        Some(read) => {
                            let scope = EffectiveScope::new(&context.view, read);
                            rules.iter().filter(|rule| failing(rule, &scope).is_some()).collect()
                        }
                        None => Vec::new(),
                    };
                    let effective = (!left.is_empty()).then(|| context.view.effective(*address)).flatten();
                    effective.into_iter().flat_map(move |effective| {
                        let unfit = context.causes().unfit(context, *address);
                        let broken = left.iter().filter_map(|rule| {
                            let said =
                                described.rules.get(rule.nth).filter(|said| context.brings(said.from, *address))?;
                            tried(context, (said, rule), &effective, &unfit)
                        });
                        broken.collect::<Vec<_>>()
                    })
                })
                .collect();
            findings.extend(found);
        }
    },
};

/// What a rule that does not hold of a definition comes to; nothing where it holds, or says nothing.
fn failing(rule: &CompiledRule, scope: &EffectiveScope<'_>) -> Option<Outcome> {
    let required = match rule.when.as_ref().map(|when| when.eval(scope)) {
        Some(Outcome::Failed(reason)) => Outcome::Failed(reason),
        Some(when) if when.truth() != Some(true) => return None,
        _ => rule.require.eval(scope),
    };
    match required {
        Outcome::Absent => None,
        Outcome::Value(value) if value.is_true() => None,
        failing => Some(failing),
    }
}

fn tried(
    context: &Context<'_>,
    (rule, compiled): (&Rule, &CompiledRule),
    effective: &Effective,
    unfit: &[String],
) -> Option<Finding> {
    // a field with a value of another sort says nothing, and is told by itself
    if unfit
        .iter()
        .any(|field| mentions(&rule.require, field) || rule.when.as_ref().is_some_and(|when| mentions(when, field)))
    {
        return None;
    }
    let scope = EffectiveScope::new(&context.view, effective);
    let required = failing(compiled, &scope)?;
    // what a parent that is not there would have given lacks
    if matches!(required, Outcome::Value(_))
        && let Some(cause) = orphaned_by(context, effective.address)
        && fields_of(compiled).any(|path| effective.get(context.catalog, path).is_none())
    {
        context.causes().follow(cause);
        return None;
    }
    let (message, place) = match required {
        Outcome::Absent => return None,
        Outcome::Value(_) => {
            let entry = entry_place(context, compiled, &scope, effective);
            let place = entry.or_else(|| value_place(context, compiled, effective));
            (filled(context, compiled, effective, &scope).into(), place)
        }
        Outcome::Failed(reason) => {
            let message = said!("the rule `{rule}` cannot be tried: {reason}", rule = rule.require, reason);
            (message, value_place(context, compiled, effective))
        }
    };
    let top = context.view.top(effective.address)?.1;
    let (place, path) = place.unwrap_or_else(|| (context.definition_place(top.at()), FieldPath::default()));
    let mut finding = Finding::new(
        &CHECK,
        place,
        said!("`{definition}`: {demand}", definition = context.show(effective.address), demand = message),
    );
    finding.severity = rule.severity;
    if let Some(code) = &rule.code {
        finding.code = code.clone().into();
    }
    let mut finding = finding.about(Some(effective.address)).path(Some(path.clone()));
    for (at, told) in compared_with(context, compiled, effective, (place, &path)) {
        finding = finding.related(at, told);
    }
    Some(finding.related(rule.place, "the rulebook demands this"))
}

/// The other values that a rule reads are told up to this many.
const COMPARED: usize = 3;

/// The values that a rule compares beside the one that is told, and where they stand: of the definition, and of those
/// that it names.
fn compared_with(
    context: &Context<'_>,
    rule: &CompiledRule,
    effective: &Effective,
    (place, path): (Place, &FieldPath),
) -> Vec<(Place, Said)> {
    let catalog = context.catalog;
    let mut out: Vec<(Place, Said)> = Vec::new();
    let mut told = |at: Place, what: Said, value: &crate::effective::Value| {
        if at != place && out.len() < COMPARED && out.iter().all(|(known, _)| *known != at) {
            out.push((at, said!("{what} is {value}", what, value = value.draft(catalog).short())));
        }
    };
    for used in rule.require.uses() {
        match used {
            Use::Field { field, .. } if field.path != *path => {
                let Some(value) = effective.get(catalog, &field.path) else { continue };
                // of lists and tables it would say too much
                let single = !matches!(value.shape(catalog), Shape::List | Shape::Table);
                if let Some(at) = value.origin().place.filter(|_| single) {
                    told(at, said!("`{field}`", field = field.path), &value);
                }
            }
            Use::Ref { of, kinds, field, .. } => {
                let target = || {
                    let id = effective.get(catalog, &of.path)?.word(catalog)?;
                    kinds.iter().find_map(|kind| context.view.effective(catalog.address(*kind, &id)?))
                };
                let Some(target) = target() else { continue };
                let Some(value) = target.get(catalog, field) else { continue };
                if let Some(at) = value.origin().place {
                    told(
                        at,
                        said!("`{field}` of `{definition}`", field, definition = context.show(target.address)),
                        &value,
                    );
                }
            }
            _ => {}
        }
    }
    out
}

/// Where the entry of a list stands that a rule is broken by, where it demands something of every one.
fn entry_place(
    context: &Context<'_>,
    rule: &CompiledRule,
    scope: &EffectiveScope<'_>,
    effective: &Effective,
) -> Option<(Place, FieldPath)> {
    let (list, nth) = rule.require.failing_entry(scope)?;
    let value = effective.get(context.catalog, &list)?;
    let (key, entry) = value.listed(context.catalog).into_iter().nth(nth)?;
    let step = key.map_or(Step::Index(nth), |key| Step::Key(context.catalog.names.text(key).to_owned()));
    let origin = entry.origin();
    let place = origin.place.filter(|_| origin.from.is_none())?;
    Some((place, list.with(step)))
}

/// Whether an expression speaks of a field.
fn mentions(expression: &str, field: &str) -> bool {
    let part = |letter: char| letter.is_alphanumeric() || letter == '_';
    expression.split(|letter| !part(letter)).any(|word| word == field)
}

/// The fields that a rule reads.
fn fields_of(rule: &CompiledRule) -> impl Iterator<Item = &FieldPath> {
    rule.require.uses().iter().filter_map(|used| match used {
        Use::Field { field, .. } | Use::Ref { of: field, .. } => Some(&field.path),
        _ => None,
    })
}

/// The place of the field in the highest layer that the rule reads.
fn value_place(context: &Context<'_>, rule: &CompiledRule, effective: &Effective) -> Option<(Place, FieldPath)> {
    let fields = fields_of(rule);
    let mut best: Option<(crate::catalog::LayerId, Place, FieldPath)> = None;
    for path in fields {
        let Some(value) = effective.get(context.catalog, path) else { continue };
        let origin = value.origin();
        let Some(place) = origin.place.filter(|_| origin.from.is_none()) else { continue };
        if best.as_ref().is_none_or(|(layer, ..)| origin.layer > *layer) {
            best = Some((origin.layer, place, path.clone()));
        }
    }
    best.map(|(_, place, path)| (place, path))
}

fn filled(context: &Context<'_>, compiled: &CompiledRule, effective: &Effective, scope: &EffectiveScope<'_>) -> String {
    let catalog = context.catalog;
    let part = |part: &MessagePart| match part {
        MessagePart::Text(text) => text.clone(),
        MessagePart::Field(path) => match path.to_string().as_str() {
            "id" => catalog.names.text(effective.address.id).to_owned(),
            "kind" => context.rulebook.kind(effective.kind).name().to_owned(),
            _ => effective.get(catalog, path).map_or("nothing".to_owned(), |value| value.draft(catalog).short()),
        },
        MessagePart::Calculated(expression) => match expression.eval(scope) {
            Outcome::Value(value) => told(&value),
            Outcome::Absent | Outcome::Failed(_) => "nothing".to_owned(),
        },
    };
    compiled.message.iter().map(part).collect()
}
