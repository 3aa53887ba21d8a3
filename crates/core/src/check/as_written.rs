//! What makes up a definition, as it is written.

use super::context::Context;
use crate::catalog::Address;
use crate::document::Node;
use crate::effective::View;
use crate::rulebook::{Again, TypeId};

impl<'w> Context<'w> {
    /// The definitions, highest first, that make up an address together, if no amendment takes part: then
    /// nothing need be composed to see what is there.
    pub(crate) fn written(&self, address: Address) -> Option<(TypeId, Vec<Node<'w>>)> {
        self.written_in(&self.view, address)
    }

    /// As [`Context::written`], in another view.
    pub(crate) fn written_in(&self, view: &View<'w>, address: Address) -> Option<(TypeId, Vec<Node<'w>>)> {
        let catalog = self.catalog;
        let mut nodes = Vec::new();
        let mut seen: Vec<Address> = Vec::new();
        let mut root = None;
        // of several parents the last is laid over the others, with all that it inherits
        let mut todo = vec![address];
        while let Some(here) = todo.pop() {
            if seen.contains(&here) {
                continue;
            }
            seen.push(here);
            if seen.len() > 256 || !self.world.builds.of(here).is_empty() {
                return None;
            }
            let mut parents_known = false;
            for (id, definition) in view.stack(here) {
                let kind = self.rulebook.kind(definition.kind);
                // parents as they were when it was loaded are composed
                if kind.early && definition.parent.is_some() {
                    return None;
                }
                root.get_or_insert(kind.root());
                nodes.push(catalog.node(definition.at()));
                let continues = definition.continues;
                if continues {
                    continue;
                }
                if definition.parent.is_some() && !parents_known {
                    parents_known = true;
                    match catalog.parents.contains_key(&id) {
                        true => todo.extend(view.parents_at(id)),
                        false => {
                            todo.extend(definition.parent.map(|id| view.parent(definition.kind, id)));
                        }
                    }
                }
                if definition.again != Again::Merge {
                    break;
                }
            }
        }
        Some((root?, nodes))
    }
}
