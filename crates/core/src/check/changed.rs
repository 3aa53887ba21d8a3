//! What amendments come to, value by value, for checks of what is calculated.

use super::context::Context;
use crate::catalog::Address;
use crate::document::{FieldPath, Shape, Step};
use crate::effective::{Content, How, Value};
use crate::rulebook::{Reading, TypeId};
use crate::source::Place;

/// A value of a definition that amendments of a mod that is looked at change.
pub(super) struct ChangedValue<'v> {
    pub(super) address: Address,
    pub(super) path: FieldPath,
    pub(super) ty: TypeId,
    pub(super) value: &'v Value,
}

impl ChangedValue<'_> {
    /// Where one of its values was made, if an amendment of a mod that is looked at made it.
    pub(super) fn place(&self, context: &Context<'_>, value: &Value) -> Option<Place> {
        let place = value.origin().place.filter(|_| matches!(value.origin().how, How::Amended(_)))?;
        // what a layer below makes of it is told of that
        context.own.contains(context.layer_of(place.file)).then_some(place)
    }
}

/// Gives every value of the definitions that the amendments change, with all that stands around it.
pub(super) fn changed_values(context: &Context<'_>, found: &mut dyn FnMut(ChangedValue<'_>)) {
    let mut addresses: Vec<Address> = context.world.builds.addresses().collect();
    addresses.sort_unstable();
    for address in addresses {
        for (layer, built) in context.world.builds.of(address).iter().filter(|(by, _)| context.own.contains(*by)) {
            let kind = context.rulebook.kind(built.kind);
            // what the game itself calculates is looked at as it comes out
            let shown = kind.operations.is_some().then(|| context.world.with_ground(*layer).effective(address));
            let shown = shown.flatten().map(|effective| effective.value);
            let value = shown.as_ref().unwrap_or(&built.value);
            walk(context, address, (value, kind.root), &FieldPath::default(), found);
        }
    }
}

fn walk(
    context: &Context<'_>,
    address: Address,
    (value, ty): (&Value, TypeId),
    path: &FieldPath,
    found: &mut dyn FnMut(ChangedValue<'_>),
) {
    // what is inherited is told of the parent
    if value.origin().from.is_some() {
        return;
    }
    let ty = value.case_of(context.catalog, ty);
    found(ChangedValue { address, path: path.clone(), ty, value });
    match (value.content(), &context.rulebook.field_type(ty).reading) {
        (Content::Table(entries), reading) => {
            for (key, inner) in entries {
                let ty = match reading {
                    Reading::Table(table) => table.get(*key),
                    Reading::Map { value, .. } => Some(*value),
                    _ => None,
                };
                let path = path.with(Step::Key(context.catalog.names.text(*key).to_owned()));
                if let Some(ty) = ty {
                    walk(context, address, (inner, ty), &path, found);
                }
            }
        }
        (Content::List(items), reading) => {
            for (nth, item) in items.iter().enumerate() {
                let ty = match reading {
                    Reading::List(list) => Some(list.entry),
                    Reading::Tuple { places, .. } => places.get(nth).copied(),
                    _ => None,
                };
                if let Some(ty) = ty.filter(|_| item.shape(context.catalog) != Shape::Null) {
                    walk(context, address, (item, ty), &path.with(Step::Index(nth)), found);
                }
            }
        }
        _ => {}
    }
}
