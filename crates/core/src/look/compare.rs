//! Two definitions side by side.

use super::show::{Row, show};
use crate::catalog::Address;
use crate::document::FieldPath;
use crate::effective::View;

/// One field of two definitions.
#[derive(Clone, Debug)]
pub struct ComparedRow {
    /// The field.
    pub path: FieldPath,
    /// What the first has there.
    pub first: Option<Row>,
    /// What the second has there.
    pub second: Option<Row>,
    /// Whether both have the same.
    pub same: bool,
}

/// Compares two definitions in a view; nothing if one of them is not there. Differences come first, in the
/// order of the fields.
pub fn compare(view: &View<'_>, first: Address, second: Address) -> Option<Vec<ComparedRow>> {
    let (first, second) = (show(view, first)?, show(view, second)?);
    let mut rows: Vec<ComparedRow> = Vec::new();
    for row in &first.rows {
        let other = second.rows.iter().find(|other| other.path == row.path);
        let same = other.is_some_and(|other| other.now.value == row.now.value);
        rows.push(ComparedRow { path: row.path.clone(), first: Some(row.clone()), second: other.cloned(), same });
    }
    for row in second.rows {
        if !first.rows.iter().any(|other| other.path == row.path) {
            // beside the fields of the same table
            let above = row.path.split_last().map(|(above, _)| above);
            let at = rows.iter().rposition(|known| known.path.split_last().map(|(above, _)| above) == above);
            let at = at.map_or(rows.len(), |at| at + 1);
            rows.insert(at, ComparedRow { path: row.path.clone(), first: None, second: Some(row), same: false });
        }
    }
    rows.sort_by_key(|row| row.same);
    Some(rows)
}
