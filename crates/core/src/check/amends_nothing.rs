//! `amends-nothing`, and what else goes wrong when an amendment is applied.

use super::context::Context;
use super::finding::Finding;
use super::mend::Mend;
use super::registry::Check;
use super::told::op_place;
use crate::catalog::{Address, Target};
use crate::document::{FieldPath, Shape, Step};
use crate::effective::{Obstacle, Problem, ProblemKind};
use crate::rulebook::{Severity, TypeId};
use crate::said::{listed, said};

pub(super) static CHECK: Check = Check {
    code: "amends-nothing",
    severity: Severity::Error,
    since: "0.1",
    summary: "an amendment of something that is not there",
    finds: "An amendment of a definition that no layer defines, of a list entry that is not there, or with a condition that holds for nothing.",
    matters: "Nothing changes, and the game does not say so.",
    example: "[[amend]]\nof = \"item/lamp-oyl\"          # the item is lamp-oil\nset = { value = 12 }",
    mend: "Correct the address, the entry or the condition. `cognomen find` shows what there is.",
    accept: "Hardly ever; perhaps a condition that is to hold once another mod adds something.",
    run: |context, findings| {
        for problem in context.problems() {
            findings.extend(finding(context, problem));
        }
    },
};

fn finding(context: &Context<'_>, problem: &Problem) -> Option<Finding> {
    let catalog = context.catalog;
    let (amendment, _) = catalog.amendment(problem.amendment)?;
    match &problem.what {
        ProblemKind::NoTarget => {
            let Target::Of { id } = &amendment.target else { return None };
            let kind = context.rulebook.kind(amendment.kind).name();
            if context.causes().may_define(catalog, id) {
                return None;
            }
            let lost = context.lost(&context.view, id, &[amendment.kind]);
            let (help, there) = lost.help(id, kind);
            let mend = lost.only.as_deref().and_then(|near| Mend::word(amendment.target_place, id, near));
            let message = said!("there is no {kind} `{id}` to amend", kind, id);
            let mut finding = Finding::new(&CHECK, amendment.target_place, message).help(help).mend(mend);
            if let (Some(place), Some(there)) = (lost.place, there) {
                finding = finding.related(place, there);
            }
            Some(finding)
        }
        ProblemKind::NoMatch => {
            let kind = context.rulebook.kind(amendment.kind).name();
            let message = said!("this condition holds for no {kind} that this mod stands on", kind);
            Some(Finding::new(&CHECK, amendment.target_place, message))
        }
        ProblemKind::Op(nth, Obstacle::NoEntry(entry)) => {
            let op = amendment.ops.get(*nth)?;
            let address = problem.address?;
            let message = said!(
                "`{definition}` has no entry `{entry}` in `{field}`",
                definition = context.show(address),
                entry,
                field = op.path
            );
            let ground = context.world.ground(context.layer_of(amendment.target_place.file));
            let list = ground.effective(address).and_then(|e| e.get(catalog, &op.path.leading_keys()));
            // what is no list at all is told where it stands
            if list.as_ref().is_some_and(|list| list.shape(catalog) != Shape::List) {
                return None;
            }
            let entries = list.map(|list| {
                let entries: Vec<_> = list.items(catalog).iter().map(|item| item.draft(catalog).short()).collect();
                if entries.is_empty() {
                    "the list is empty".into()
                } else {
                    said!("its entries are {entries}", entries = listed(entries))
                }
            });
            let help = entries.or_else(|| Some("the list is not there at all".into()));
            let place = op_place(context.catalog, problem.amendment, *nth)?;
            Some(Finding::new(&CHECK, place, message).about(Some(address)).path(Some(op.path.clone())).help(help))
        }
        _ => None,
    }
}

/// Whether what an amendment is to calculate with lacks though it is needed, or is no number: then that is told of
/// the definition.
fn is_told_below(context: &Context<'_>, problem: &Problem, ty: TypeId, address: Address) -> bool {
    let Some((amendment, _)) = context.catalog.amendment(problem.amendment) else { return false };
    let Some((_, top)) = context.view.first(address) else { return false };
    let mut paths = amendment.ops.iter().filter(|op| op.ty == ty).map(|op| &op.path);
    let ground = context.world.ground(context.layer_of(amendment.target_place.file));
    let field = context.rulebook.field_type(ty);
    let needed = !field.optional && field.default.is_none() && !top.is_abstract;
    let effective = ground.effective(address);
    let value = |path: &FieldPath| effective.as_ref().and_then(|effective| effective.get(context.catalog, path));
    // what holds it is of another shape, which is told as well
    let unfit = |path: &FieldPath| {
        path.steps().iter().enumerate().skip(1).any(|(len, step)| {
            let above = value(&path.take(len));
            let shape = if matches!(step, Step::Key(_)) { Shape::Table } else { Shape::List };
            above.is_some_and(|above| above.shape(context.catalog) != shape)
        })
    };
    paths.any(|path| needed || value(path).is_some() || unfit(path))
}

/// Operations that what lies below does not allow, and conditions that are no good.
pub(super) fn faults_of_operations(context: &Context<'_>, check: &'static Check, findings: &mut Vec<Finding>) {
    for problem in context.problems() {
        if let ProblemKind::Condition(error, place) = &problem.what {
            findings.push(Finding::new(check, *place, error.message.clone()).help(error.help.clone()));
            continue;
        }
        let ProblemKind::Op(nth, obstacle) = &problem.what else { continue };
        let Some((amendment, _)) = context.catalog.amendment(problem.amendment) else { continue };
        let (Some(op), Some(address)) = (amendment.ops.get(*nth), problem.address) else { continue };
        // what a higher layer hides does not show, nor what is done to it
        if !context.view.stands(address) {
            continue;
        }
        let shown = context.show(address);
        let (message, help) = match obstacle {
            Obstacle::NoEntry(_) => continue,
            Obstacle::EntryThere(entry) => {
                let message = said!(
                    "`{definition}` has `{entry}` in `{field}` already",
                    definition = shown,
                    entry,
                    field = op.path
                );
                (message, "take it out here; to change an entry of a keyed list, set its fields".into())
            }
            Obstacle::Ambiguous(entry) => {
                let message = said!(
                    "`{definition}` has `{entry}` more than once in `{field}`, so entries cannot be told apart",
                    definition = shown,
                    entry,
                    field = op.path
                );
                (message, "say the whole list with `set`".into())
            }
            // what lacks there, or is none, is told where it is
            Obstacle::NoNumber if is_told_below(context, problem, op.ty, address) => continue,
            Obstacle::NoNumber => {
                let message = said!(
                    "`{definition}` has no number at `{field}`: nothing states, inherits or defaults it",
                    definition = shown,
                    field = op.path
                );
                (message, said!("use `set = {{ {field} = … }}`", field = op.path))
            }
            Obstacle::TooLarge => (
                said!("the result for `{definition}` is too large to calculate exactly", definition = shown),
                "use `set`".into(),
            ),
        };
        if let Some(place) = op_place(context.catalog, problem.amendment, *nth) {
            let finding = Finding::new(check, place, message).about(Some(address)).path(Some(op.path.clone()));
            findings.push(finding.help(Some(help)));
        }
    }
}
