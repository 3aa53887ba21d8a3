//! `out-of-range`.

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::Address;
use crate::document::{FieldPath, Step};
use crate::effective::{Content, How, Value};
use crate::rulebook::{FieldType, Reading, Severity, TypeId, Wrong};

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
            let message = message(&local.node.text(), context.rulebook.field_type(want));
            findings.push(Finding::new(&CHECK, local.node.place(), message).about(about).path(Some(path)));
        }
        let mut addresses: Vec<Address> = context.world.builds.addresses().collect();
        addresses.sort_unstable();
        for address in addresses {
            for (_, built) in context.world.builds.of(address).iter().filter(|(by, _)| context.own.contains(*by)) {
                let root = context.rulebook.kind(built.kind).root;
                calculated(context, address, &built.value, root, &FieldPath::default(), findings);
            }
        }
    },
};

fn message(number: &str, ty: &FieldType) -> String {
    let value = crate::document::float(number).unwrap_or(f64::NAN);
    let unit = ty.unit.as_ref().map(|unit| format!(" {unit}")).unwrap_or_default();
    match (&ty.min, &ty.max) {
        (Some(min), _) if value < min.value => {
            format!("{number}{unit} is less than {}, the least that `{}` allows", min.number, ty.pattern)
        }
        (_, Some(max)) => format!("{number}{unit} is more than {}, the most that `{}` allows", max.number, ty.pattern),
        _ => format!("{number}{unit} is beyond the limits of `{}`", ty.pattern),
    }
}

/// Numbers that multiplying and shifting came to.
fn calculated(
    context: &Context<'_>,
    address: Address,
    value: &Value,
    ty: TypeId,
    path: &FieldPath,
    findings: &mut Vec<Finding>,
) {
    let field = context.rulebook.field_type(ty);
    match (value.content(), &field.reading) {
        (Content::Table(entries), Reading::Table(table)) => {
            for (key, inner) in entries {
                let Some(ty) = table.get(*key) else { continue };
                let path = path.with(Step::Key(context.catalog.names.text(*key).to_owned()));
                calculated(context, address, inner, ty, &path, findings);
            }
        }
        (Content::Made(draft), Reading::Integer | Reading::Number) => {
            let (Some(word), Some(place), How::Amended(_)) = (draft.word(), value.origin().place, value.origin().how)
            else {
                return;
            };
            // what a layer below makes of it is told of that
            if !context.own.contains(context.layer_of(place.file)) {
                return;
            }
            let Some(number) = crate::document::float(&word) else { return };
            let low = field.min.as_ref().is_some_and(|min| number < min.value);
            let high = field.max.as_ref().is_some_and(|max| number > max.value);
            if low || high {
                let was = value.earlier().and_then(|earlier| earlier.draft(context.catalog).word());
                let was = was.map(|was| format!(" (it was {was})")).unwrap_or_default();
                let shown = context.show(address);
                let message = format!("for {shown} this comes to {}{was}", message(&word, field));
                findings.push(Finding::new(&CHECK, place, message).about(Some(address)).path(Some(path.clone())));
            }
        }
        _ => {}
    }
}
