//! References that lead nowhere, or out of what their layer stands on. Looked up once for all checks.

use rayon::prelude::*;

use super::context::Context;
use crate::catalog::{Address, Catalog, Harvest, LayerId, LayerSet, Sought};
use crate::document::{Document, Node};
use crate::rulebook::{Decoration, IdForm, KindId, Mention, Reading};
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
    /// The ids that were looked for, where the link's own notation had to be read.
    pub(crate) sought: Option<Sought>,
}

impl Astray<'_> {
    /// The id that is named.
    pub(crate) fn word(&self, catalog: &Catalog) -> String {
        if let Some(sought) = &self.sought {
            return sought.word(&self.node.text()).to_owned();
        }
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
    let rulebook = &catalog.rulebook;
    let names = catalog.names.reader();
    let layer = catalog.file(file).layer.unwrap_or(LayerId::BASE);
    let Some(ground) = seen.get(layer.0 as usize) else { return out };
    for mention in &harvest.mentions {
        let ty = catalog.rulebook.field_type(mention.wants);
        let Reading::Link(kinds) = &ty.reading else { continue };
        let node = document.node(mention.at);
        let of_key = ty.pattern.ends_with("{key}");
        if ty.link.is_some() || kinds.iter().any(|kind| rulebook.kind(*kind).scoped) {
            if ty
                .link
                .as_ref()
                .is_some_and(|link| plainly(catalog, link, kinds, &document.node(mention.at).text(), ground))
            {
                continue;
            }
            let silent = ty.link.as_ref().is_some_and(|link| link.lacking.is_none());
            let sought = catalog.sought_by(document, harvest, mention);
            let targets = catalog.targets(&sought);
            let stands = targets.iter().any(|target| catalog.stands_in(*target, ground));
            if !sought.given && !stands && (!silent || !targets.is_empty()) {
                let outside = targets.first().copied().filter(|target| catalog.is_there(*target));
                out.push(Astray { file, layer, node, mention: *mention, of_key, outside, sought: Some(sought) });
            }
            continue;
        }
        let id = if of_key { node.key() } else { names.get(&node.text()) };
        let mut outside = None;
        let found = kinds.iter().any(|kind| {
            let Some(id) = id else { return false };
            let address = catalog.current(Address { space: catalog.rulebook.kind(*kind).space, id });
            let stands = catalog.stands_in(address, ground);
            let stands = stands && (!rulebook.kind(*kind).shared || catalog.kind_of(address) == Some(*kind));
            if !stands && outside.is_none() && catalog.is_there(address) && catalog.kind_of(address) == Some(*kind) {
                outside = Some(address);
            }
            stands
        });
        if !found {
            out.push(Astray { file, layer, node, mention: *mention, of_key, outside, sought: None });
        }
    }
    out
}

/// Whether a decorated link leads to something that stands there, where nothing beside it need be looked up:
/// the usual case.
fn plainly(catalog: &Catalog, link: &Decoration, kinds: &[KindId], written: &str, ground: &LayerSet) -> bool {
    let rulebook = &catalog.rulebook;
    if link.kind_by.is_some() || link.fill || link.wildcards || kinds.iter().any(|kind| rulebook.kind(*kind).scoped) {
        return false;
    }
    let word = link.unsigned(written);
    let stands = |id: &str, kind: KindId| {
        let there = |address: &Address| catalog.stands_in(*address, ground) && catalog.kind_of(*address) == Some(kind);
        catalog.address(kind, id).filter(there).is_some()
    };
    let of_form = |form: &IdForm| {
        let of_form: &[KindId] = form.kind.as_ref().map_or(kinds, std::slice::from_ref);
        form.ids(word).into_iter().any(|id| of_form.iter().any(|kind| stands(id, *kind)))
    };
    match link.forms.as_slice() {
        [] => kinds.iter().any(|kind| stands(word, *kind)),
        forms => forms.iter().any(of_form),
    }
}
