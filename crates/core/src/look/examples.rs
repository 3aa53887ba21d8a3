//! An example from the data for each field of a kind, for those who read its description.

use rustc_hash::FxHashMap;

use crate::catalog::Catalog;
use crate::document::{Draft, Shape};
use crate::rulebook::{KindId, TypeId};

/// The letters of an example that are shown.
const SHOWN: usize = 24;

/// For each field of a kind that some definition states, what one of them states there, the base's first; as it is
/// read, and cut off where it is long.
pub fn examples(catalog: &Catalog, kind: KindId) -> FxHashMap<TypeId, String> {
    let mut out: FxHashMap<TypeId, String> = FxHashMap::default();
    let rulebook = &catalog.rulebook;
    let root = rulebook.kind(kind).root;
    let wanted = rulebook.leaves(root);
    for (_, made) in catalog.seen().definitions().filter(|(_, made)| made.kind == kind) {
        if wanted.iter().all(|leaf| out.contains_key(leaf)) {
            break;
        }
        rulebook.each_typed(catalog.node(made.at()), root, &mut |ty, node| {
            if !wanted.contains(&ty) || out.contains_key(&ty) || node.shape() == Shape::Null {
                return;
            }
            let text = match Draft::of(node, &catalog.names) {
                // what tables hold is shown field by field
                Draft::Table(_) => return,
                Draft::List(items) if items.iter().any(|item| matches!(item, Draft::Table(_))) => return,
                Draft::List(items) => items.iter().map(Draft::short).collect::<Vec<_>>().join(", "),
                other => other.short(),
            };
            if text.is_empty() {
                return;
            }
            let cut = text.char_indices().nth(SHOWN).map(|(at, _)| at);
            let shown = cut.and_then(|at| text.get(..at)).map(|text| format!("{text}…"));
            out.insert(ty, shown.unwrap_or(text));
        });
    }
    out
}
