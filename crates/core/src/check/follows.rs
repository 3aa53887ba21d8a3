//! What only follows from another finding: it is not told by itself, so that one cause is one finding.

use rustc_hash::{FxHashMap, FxHashSet};

use super::context::Context;
use crate::catalog::Address;
use crate::document::{FieldPath, Node, NodeId, find};
use crate::nearest::nearest;
use crate::rulebook::{Reading, TypeId, Wrong};
use crate::source::FileId;

/// What is misspelt in what is looked at.
#[derive(Debug, Default)]
pub(crate) struct Causes {
    /// The fields that misspelt ones of a table are meant to be.
    misspelt: FxHashMap<(FileId, NodeId), Vec<String>>,
}

impl Causes {
    pub(super) fn new(context: &Context<'_>) -> Causes {
        let names = &context.catalog.names;
        let mut out = Causes::default();
        for local in context.locals() {
            let Wrong::NotKnown { table } = local.fault.what else { continue };
            let (Some(key), Some(parent)) = (local.node.key(), local.node.parent()) else { continue };
            let Reading::Table(fields) = &context.rulebook.field_type(table).reading else { continue };
            let near = nearest(names.text(key), fields.fields.iter().map(|(name, _)| names.text(*name)));
            if let Some(near) = near {
                out.misspelt.entry((local.file, parent.id())).or_default().push(near.to_owned());
            }
        }
        out
    }

    /// Takes out what a table lacks only since it is misspelt there.
    pub(super) fn without_misspelt(&self, node: Node<'_>, fields: &mut Vec<String>) {
        let meant = self.misspelt.get(&(node.document().file(), node.id()));
        fields.retain(|field| meant.is_none_or(|meant| !meant.contains(field)));
    }

    /// The same for a table at a path of a definition, in whatever layer it is misspelt.
    pub(super) fn without_misspelt_at(
        &self,
        context: &Context<'_>,
        address: Address,
        path: &FieldPath,
        fields: &mut Vec<String>,
    ) {
        if self.misspelt.is_empty() {
            return;
        }
        for (_, made) in context.view.stack(address) {
            let node = context.catalog.node(made.at());
            let table = if path.is_empty() { Some(node) } else { find(node, path, &context.catalog.names) };
            table.into_iter().for_each(|table| self.without_misspelt(table, fields));
        }
    }
}

/// Whether a definition, or one that it inherits from, names a parent that is not there: what it would have given
/// lacks.
pub(super) fn is_orphan(context: &Context<'_>, address: Address) -> bool {
    let mut seen = FxHashSet::default();
    let mut todo = vec![address];
    while let Some(here) = todo.pop() {
        if !seen.insert(here) {
            continue;
        }
        for parent in context.view.stack(here).flat_map(|(id, _)| context.view.parents_at(id)) {
            if parent != here && !context.view.stands(parent) {
                return true;
            }
            todo.push(parent);
        }
    }
    false
}

/// Whether a word of a complete set lacks only since it is misspelt there.
pub(super) fn is_misspelt(context: &Context<'_>, node: Node<'_>, want: TypeId, missing: &str) -> bool {
    let known = context.rulebook.all_words(want);
    let word = |item: Node<'_>| if item.key().is_some() { item.key_text() } else { item.text().into_owned() };
    let unknown = node.children().map(word).filter(|word| !known.contains(word));
    unknown.into_iter().any(|word| nearest(&word, known.iter().map(String::as_str)) == Some(missing))
}
