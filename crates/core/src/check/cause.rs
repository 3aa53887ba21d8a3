//! Grouping by cause: forty references to one misspelt id are one thing to mend.

use rustc_hash::FxHashMap;

use super::finding::Finding;
use crate::catalog::Catalog;
use crate::said::Said;

/// Findings with one cause: the same code, saying the same, in one layer. In the order of the first of each.
pub fn by_cause<'f>(catalog: &Catalog, findings: &[&'f Finding]) -> Vec<Vec<&'f Finding>> {
    let mut groups: Vec<Vec<&'f Finding>> = Vec::new();
    let mut known: FxHashMap<(&str, &Said, Option<crate::catalog::LayerId>), usize> = FxHashMap::default();
    for finding in findings {
        let key = (&*finding.code, &finding.message, finding.layer(catalog));
        let at = *known.entry(key).or_insert_with(|| {
            groups.push(Vec::new());
            groups.len() - 1
        });
        if let Some(group) = groups.get_mut(at) {
            group.push(finding);
        }
    }
    groups
}
