//! References that lead nowhere, or out of what their layer stands on. Looked up once for all checks.

use rayon::prelude::*;

use super::context::Context;
use crate::catalog::{Address, Catalog, Harvest, LayerId, LayerSet};
use crate::document::{Document, Node};
use crate::rulebook::{Mention, Reading};
use crate::source::{FileId, Place};

/// A reference without a target on its layer's ground.
pub(crate) struct Astray<'c> {
    pub(crate) file: FileId,
    pub(crate) layer: LayerId,
    pub(crate) node: Node<'c>,
    pub(crate) mention: Mention,
    of_key: bool,
    /// A target that only layers outside the ground define.
    pub(crate) outside: Option<Address>,
}

impl Astray<'_> {
    /// The id that is named.
    pub(crate) fn word(&self, catalog: &Catalog) -> String {
        if self.of_key {
            return self.node.key().map_or("", |key| catalog.names.text(key)).to_owned();
        }
        self.node.text().into_owned()
    }

    pub(crate) fn place(&self, context: &Context<'_>) -> Place {
        if self.of_key { context.key_place(self.node) } else { self.node.place() }
    }
}

/// All of them, in order; files in parallel.
pub(crate) fn astray<'c>(
    catalog: &'c Catalog,
    harvests: Vec<(FileId, &'c Harvest, &'c Document)>,
    seen: &[LayerSet],
) -> Vec<Astray<'c>> {
    harvests
        .into_par_iter()
        .flat_map_iter(|(file, harvest, document)| in_file(catalog, file, harvest, document, seen))
        .collect()
}

fn in_file<'c>(
    catalog: &'c Catalog,
    file: FileId,
    harvest: &Harvest,
    document: &'c Document,
    seen: &[LayerSet],
) -> Vec<Astray<'c>> {
    let mut out = Vec::new();
    let names = catalog.names.reader();
    let layer = catalog.file(file).layer.unwrap_or(LayerId::BASE);
    let Some(ground) = seen.get(layer.0 as usize) else { return out };
    for mention in &harvest.mentions {
        let ty = catalog.rulebook.field_type(mention.wants);
        let Reading::Link(kinds) = &ty.reading else { continue };
        let node = document.node(mention.at);
        let of_key = ty.pattern.ends_with("{key}");
        let id = if of_key { node.key() } else { names.get(&node.text()) };
        let mut outside = None;
        let found = kinds.iter().any(|kind| {
            let Some(id) = id else { return false };
            let address = Address { space: catalog.rulebook.kind(*kind).space, id };
            let stands = catalog.stands_in(address, ground);
            if !stands && outside.is_none() && catalog.stacks.contains_key(&address) {
                outside = Some(address);
            }
            stands
        });
        if !found {
            out.push(Astray { file, layer, node, mention: *mention, of_key, outside });
        }
    }
    out
}
