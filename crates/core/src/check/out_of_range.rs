//! `out-of-range`.

use super::changed::{ChangedValue, changed_values};
use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::effective::Content;
use crate::rulebook::{FieldType, Reading, Severity, Wrong};
use crate::said::{Said, said};

pub(super) static CHECK: Check = Check {
    code: "out-of-range",
    severity: Severity::Error,
    since: "0.1",
    summary: "a number beyond its limits",
    finds: "A number below the least or above the greatest that the rulebook allows, written or reached by an amendment.",
    matters: "The game clamps it, wraps it around, or refuses the definition.",
    example: "\"chance\": 30      # at most 1",
    mend: "Use a number within the limits; `cognomen kinds KIND` shows them.",
    accept: "If the game takes the number, widen the limit in the rulebook.",
    run: |context, findings| {
        for local in context.locals() {
            let Wrong::OutOfRange { want } = local.fault.what else { continue };
            let (about, path) = context.whose(local.file, local.fault.from, local.node);
            let ty = context.rulebook.field_type(want);
            let number = ty.said_at(local.node);
            let message = said!("{number} is {limit}", number = with_unit(&number, ty), limit = limit(&number, ty));
            findings.push(Finding::new(&CHECK, ty.place_at(local.node), message).about(about).path(Some(path)));
        }
        changed_values(context, &mut |changed| findings.extend(beyond(context, &changed)));
    },
};

/// In which way a number is beyond what its field allows.
fn limit(number: &str, ty: &FieldType) -> Said {
    let value = crate::document::float(number).unwrap_or(f64::NAN);
    match (&ty.min, &ty.max) {
        (Some(min), _) if value < min.value => {
            said!("less than {least}, the least that `{field}` allows", least = min.number, field = ty.pattern)
        }
        (_, Some(max)) => {
            said!("more than {most}, the most that `{field}` allows", most = max.number, field = ty.pattern)
        }
        _ => said!("beyond the limits of `{field}`", field = ty.pattern),
    }
}

fn with_unit(number: &str, ty: &FieldType) -> Said {
    match &ty.unit {
        Some(unit) => said!("{number} {unit}", number, unit),
        None => said!("{number}", number),
    }
}

/// A number that multiplying and shifting came to, beyond what its field allows.
fn beyond(context: &Context<'_>, changed: &ChangedValue<'_>) -> Option<Finding> {
    let field = context.rulebook.field_type(changed.ty);
    if !matches!(field.reading, Reading::Integer | Reading::Number) {
        return None;
    }
    let Content::Made(draft) = changed.value.content() else { return None };
    let (word, place) = (draft.word()?, changed.place(context, changed.value)?);
    let number = crate::document::float(&word)?;
    if !field.is_beyond(number) {
        return None;
    }
    let was = changed.value.earlier().and_then(|earlier| earlier.draft(context.catalog).word());
    // it was beyond before, which is told there
    let before = was.as_deref().and_then(crate::document::float);
    if before.is_some_and(|before| field.is_beyond(before)) {
        return None;
    }
    let was = was.map(|was| said!(" (it was {was})", was));
    let shown = context.show(changed.address);
    let message = said!(
        "for `{definition}` this comes to {number}, {limit}{was}",
        definition = shown,
        number = with_unit(&word, field),
        limit = limit(&word, field),
        was
    );
    Some(Finding::new(&CHECK, place, message).about(Some(changed.address)).path(Some(changed.path.clone())))
}
