//! `range-reversed`.

use super::changed::{ChangedValue, changed_values};
use super::composed::grouped;
use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::Address;
use crate::effective::{Amiss, Content, Table};
use crate::rulebook::{Severity, Wrong};
use crate::said::said;
use crate::source::Place;

pub(super) static CHECK: Check = Check {
    code: "range-reversed",
    severity: Severity::Error,
    since: "0.1",
    summary: "a range whose upper end lies below the lower one",
    finds: "Two numbers that say from where to where, the second below the first.",
    matters: "The game takes nothing, one of the ends, or stops.",
    example: "\"amount\": [5, 2]      # from 5 to 2",
    mend: "Put the lower number first.",
    accept: "If the game reads such ranges, say `down = true` of the field in the rulebook.",
    run: |context, findings| {
        let out = context.locals().filter(|local| matches!(local.fault.what, Wrong::OutOfRange { .. }));
        let beyond: Vec<Place> = out.map(|local| local.node.place()).collect();
        for local in context.locals() {
            let Wrong::Reversed { want } = local.fault.what else { continue };
            let (about, path) = context.whose(local.file, local.fault.from, local.node);
            // an end that is refused by itself says it
            let within = |place: &Place| place.file == local.file && local.node.span().contains(place.span);
            if beyond.iter().any(within) {
                continue;
            }
            let ends: Vec<String> = local.node.children().map(|end| end.text().into_owned()).collect();
            let message = said!(
                "`{field}` runs from {range}",
                field = context.rulebook.field_type(want).pattern,
                range = ends.join(" to ")
            );
            let finding = Finding::new(&CHECK, local.node.place(), message).about(about).path(Some(path));
            findings.push(finding.help(Some("the lower number stands first")));
        }
        changed_values(context, &mut |changed| findings.extend(turned(context, &changed)));
        grouped(context, findings, |composed, table, amiss| apart(context, composed.address, table, &amiss));
    },
};

/// Two fields that are the ends of a range, told where the one stands that is stated last.
fn apart(context: &Context<'_>, address: Address, table: &Table, amiss: &Amiss<'_>) -> Option<Finding> {
    let Amiss::Reversed([(low, least), (high, most)]) = amiss else { return None };
    // what is inherited as it is, is told there
    if least.origin().from.is_some() && most.origin().from.is_some() {
        return None;
    }
    let of_least =
        (most.origin().from.is_some(), least.origin().layer) > (least.origin().from.is_some(), most.origin().layer);
    let (path, last, first) = if of_least { (low, least, most) } else { (high, most, least) };
    let place = last.origin().place.or(first.origin().place)?;
    let message = amiss.said(context.catalog, address, table, path);
    let mut finding = Finding::new(&CHECK, place, message).path(Some(table.path.join(path)));
    if let Some(other) = first.origin().place.filter(|other| *other != place) {
        finding = finding.related(other, "the other end");
    }
    Some(finding)
}

/// A range of which an amendment moved one end past the other.
fn turned(context: &Context<'_>, changed: &ChangedValue<'_>) -> Option<Finding> {
    let field = context.rulebook.field_type(changed.ty);
    let written = field.written.as_ref().filter(|written| written.range && !written.down)?;
    let ends = changed.value.items(context.catalog);
    // one that is set as a whole is told where it is written
    let place = ends.iter().find_map(|end| changed.place(context, end))?;
    let whole =
        changed.place(context, changed.value).filter(|_| matches!(changed.value.content(), Content::Written(_)));
    let number = |nth: usize| crate::document::float(&ends.get(nth)?.word(context.catalog)?);
    let (low, high) = (number(0)?, number(1)?);
    if whole.is_some() || !written.range || low <= high {
        return None;
    }
    let ends: Vec<String> = ends.iter().filter_map(|end| end.word(context.catalog)).collect();
    let shown = context.show(changed.address);
    let message = said!(
        "for `{definition}` `{field}` comes to run from {range}",
        definition = shown,
        field = field.pattern,
        range = ends.join(" to ")
    );
    let finding = Finding::new(&CHECK, place, message).about(Some(changed.address)).path(Some(changed.path.clone()));
    Some(finding.help(Some("the lower number stands first")))
}
