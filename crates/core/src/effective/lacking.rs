//! Fields that must be there and are not, in what a definition comes to.

use super::value::Value;
use crate::catalog::Catalog;
use crate::document::{FieldPath, Shape, Step};
use crate::rulebook::{Reading, TypeId};

/// Tells for each table in a value which fields it lacks.
pub(crate) fn lacking(
    catalog: &Catalog,
    value: &Value,
    ty: TypeId,
    path: &FieldPath,
    tell: &mut dyn FnMut(&FieldPath, TypeId, Vec<String>),
) {
    let ty = value.case_of(catalog, ty);
    let Reading::Table(table) = &catalog.rulebook.field_type(ty).reading else { return };
    if value.shape(catalog) != Shape::Table {
        return;
    }
    let mut lacks = Vec::new();
    for (at, (field, ty)) in table.fields.iter().enumerate() {
        let name = catalog.names.text(*field);
        match value.get(catalog, *field) {
            Some(inner) if inner.shape(catalog) == Shape::Table => {
                lacking(catalog, &inner, *ty, &path.with(Step::Key(name.to_owned())), tell);
            }
            Some(_) => {}
            None if table.needs(at) => lacks.push(name.to_owned()),
            None => {}
        }
    }
    if !lacks.is_empty() {
        tell(path, ty, lacks);
    }
}
