//! What is taken out with the tables that it leaves empty.

use std::collections::{BTreeMap, BTreeSet};

use crate::document::{Document, FieldPath, Shape, Step, find};
use crate::names::Names;

/// Entries that go, each as far up as nothing else would be left: where all that a table has goes, it goes as a whole, if
/// `may_go` says so of the way to it. None of them lies in another.
pub(super) fn with_emptied(
    document: &Document,
    gone: impl IntoIterator<Item = FieldPath>,
    names: &Names,
    may_go: impl Fn(&FieldPath) -> bool,
) -> Vec<FieldPath> {
    let mut by_depth: BTreeMap<usize, BTreeSet<FieldPath>> = BTreeMap::new();
    for path in gone {
        by_depth.entry(path.steps().len()).or_default().insert(path);
    }
    let mut out = Vec::new();
    while let Some((depth, paths)) = by_depth.pop_last() {
        let mut by_table: BTreeMap<FieldPath, Vec<FieldPath>> = BTreeMap::new();
        for path in paths {
            match path.split_last() {
                Some((above, Step::Key(_))) => by_table.entry(above).or_default().push(path),
                _ => out.push(path),
            }
        }
        for (above, inner) in by_table {
            let table = find(document.root(), &above, names).filter(|node| node.shape() == Shape::Table);
            if table.is_some_and(|table| table.children().len() == inner.len()) && may_go(&above) {
                by_depth.entry(depth - 1).or_default().insert(above);
            } else {
                out.extend(inner);
            }
        }
    }
    out
}
