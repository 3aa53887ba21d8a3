//! The edits that make another value of what stands in a file, where both say the same left as it is written.

use crate::catalog::Catalog;
use crate::document::{Draft, Edit, FieldPath, Node, Step};
use crate::effective::same;
use crate::rulebook::TypeId;

/// The edits that make another value of what stands somewhere, as far as they differ in what they mean; the other one as
/// it is to be read.
pub(crate) fn differences(
    catalog: &Catalog,
    (stands, after): (Node<'_>, &Draft),
    ty: Option<TypeId>,
    at: &FieldPath,
    edits: &mut Vec<Edit>,
) {
    differing(catalog, (&Draft::of(stands, &catalog.names), stands, after), ty, at, edits);
}

fn differing(
    catalog: &Catalog,
    (before, stands, after): (&Draft, Node<'_>, &Draft),
    ty: Option<TypeId>,
    at: &FieldPath,
    edits: &mut Vec<Edit>,
) {
    let (rulebook, names) = (&catalog.rulebook, &catalog.names);
    let equal = match ty {
        Some(ty) => before == after || same(before, after, ty, rulebook, names),
        None => before == after,
    };
    if equal {
        return;
    }
    let packed = ty.is_some_and(|ty| {
        let written = rulebook.field_type(ty).written.as_ref();
        written.is_some_and(|written| written.is_another_shape())
    });
    let within = |step: Step, whole: &Draft| -> Option<TypeId> {
        let word = |key| whole.get(names.text(key)).and_then(Draft::word);
        let ty = rulebook.case_of(ty?, whole.shape(), &word);
        rulebook.type_at(ty, &vec![step].into(), names).ok()
    };
    match (before, after) {
        (Draft::Table(old), Draft::Table(new)) if !packed => {
            for (key, value) in new {
                let step = Step::Key(key.clone());
                let ty = within(step.clone(), after);
                let at = at.with(step);
                // of repeated keys the last one counts
                let of_key = |child: &Node<'_>| child.key().is_some_and(|known| names.text(known) == key);
                match (before.get(key), stands.children().rfind(of_key)) {
                    (Some(known), Some(stands)) => differing(catalog, (known, stands, value), ty, &at, edits),
                    _ => edits.push(Edit::Set { at, to: written(catalog, value, ty, None) }),
                }
            }
            for (key, _) in old.iter().filter(|(key, _)| after.get(key).is_none()) {
                edits.push(Edit::Remove { at: at.with(Step::Key(key.clone())) });
            }
        }
        (Draft::List(old), Draft::List(new)) if !packed && !old.is_empty() && new.len() >= old.len() => {
            let entry = |nth: usize| within(Step::Index(nth), after);
            // entries that stay, changed or not, and those that come behind them
            // what is passed over has a place in the file, too
            for (nth, ((was, is), (place, stands))) in old.iter().zip(new).zip(stands.entries()).enumerate() {
                differing(catalog, (was, stands, is), entry(nth), &at.with(Step::Index(place)), edits);
            }
            for (nth, value) in new.iter().enumerate().skip(old.len()) {
                let value = written(catalog, value, entry(nth), None);
                edits.push(Edit::Insert { into: at.clone(), before: None, key: None, value });
            }
        }
        _ => edits.push(Edit::Set { at: at.clone(), to: written(catalog, after, ty, Some(stands)) }),
    }
}

fn written(catalog: &Catalog, value: &Draft, ty: Option<TypeId>, stands: Option<Node<'_>>) -> Draft {
    match ty {
        Some(ty) => catalog.rulebook.written_over(value.clone(), ty, stands, &catalog.names),
        None => value.clone(),
    }
}
