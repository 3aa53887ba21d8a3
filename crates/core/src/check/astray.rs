//! References that lead nowhere, or out of what their layer stands on. Looked up once for all checks.

use rayon::prelude::*;

use super::context::{Context, chosen};
use super::mend::Mend;
use super::words::Word;
use crate::catalog::{Address, Catalog, Harvest, LayerId, Sought};
use crate::document::{Document, Node};
use crate::names::Sym;
use crate::rulebook::{KindId, Mention, Reading};
use crate::source::{FileId, Place};

/// A reference without a target in the view.
pub(crate) struct Astray<'c> {
    pub(crate) file: FileId,
    pub(crate) layer: LayerId,
    pub(crate) node: Node<'c>,
    pub(crate) mention: Mention,
    of_key: bool,
    /// A target that only layers outside the view define.
    pub(crate) outside: Option<Address>,
    /// A target that a layer takes away on which the reference's own layer does not stand.
    pub(crate) gone: Option<Address>,
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

    /// Another word in the place of the one that is named.
    pub(crate) fn written(&self, context: &Context<'_>, word: &str, to: &str) -> Option<Mend> {
        match self.of_key {
            true => context.rekeyed(self.node, to),
            false => Mend::word(self.node.place(), word, to),
        }
    }

    pub(crate) fn place(&self, context: &Context<'_>) -> Place {
        if self.of_key { context.key_place(self.node) } else { self.node.place() }
    }
}

/// All of them, in order; files in parallel.
pub(crate) fn astray<'w>(context: &Context<'w>) -> Vec<Astray<'w>> {
    let all = context.mentioning();
    all.into_par_iter()
        .flat_map_iter(|(file, harvest, document, some)| {
            let words = context.shared.users.words();
            let nowhere = |(nth, mention): (u32, &'w Mention)| {
                nowhere(context, words.of((file, nth)), (file, harvest, document), mention)
            };
            let found: Vec<Astray<'w>> = chosen(harvest, some).filter_map(nowhere).collect();
            let meant = move |astray: &Astray<'_>| !context.is_slipped(document, astray.mention.from);
            found.into_iter().filter(move |astray| meant(astray) && context.is_seen(file, &astray.mention, astray.node))
        })
        .collect()
}

/// A reference, if it has no target in the view.
fn nowhere<'w>(
    context: &Context<'w>,
    word: Word,
    (file, harvest, document): (FileId, &Harvest, &'w Document),
    mention: &Mention,
) -> Option<Astray<'w>> {
    let (catalog, rulebook, view) = (context.catalog, context.rulebook, &context.view);
    let ty = rulebook.field_type(mention.wants);
    let Reading::Link(kinds) = &ty.reading else { return None };
    let layer = context.layer_of(file);
    let node = document.node(mention.at);
    let of_key = ty.is_of_keys();
    // what a higher layer takes away; what the layer itself stands on is not there for it
    let stands_on = |other: LayerId| other == layer || catalog.layer(layer).ground.contains(other);
    let gone = |at: Address| view.remover(at).filter(|gone| !stands_on(gone.layer)).map(|_| at);
    let astray = |outside, gone, sought| {
        let mention = *mention;
        Astray { file, layer, node, mention, of_key, outside, gone, sought }
    };
    if ty.link.is_some() || rulebook.any_scoped(kinds) {
        let stands = |kind: &KindId| {
            let address = Address { space: rulebook.kind(*kind).space, id: word.id };
            view.kind_of(address) == Some(*kind)
        };
        // the usual case
        if word.id != Sym::NONE && word.kinds(ty, kinds).iter().any(stands) {
            return None;
        }
        let silent = ty.link.as_ref().is_some_and(|link| link.lacking.is_none());
        let sought = catalog.sought_by(document, harvest, mention);
        if sought.given || !view.targets(&sought).is_empty() {
            return None;
        }
        let ids = sought.ids.iter().filter_map(|(kind, id)| catalog.address(*kind, id));
        let gone = ids.filter_map(gone).next();
        let elsewhere = catalog.seen().targets(&sought).first().copied();
        let outside = elsewhere.filter(|target| view.remover(*target).is_none());
        let told = !silent || elsewhere.is_some() || gone.is_some();
        return told.then(|| astray(outside, gone, Some(sought)));
    }
    let id = if of_key { node.key() } else { Some(word.id).filter(|id| *id != Sym::NONE) };
    let (mut outside, mut taken) = (None, None);
    for kind in kinds {
        let Some(id) = id else { break };
        let written = Address { space: rulebook.kind(*kind).space, id };
        let address = view.current(written);
        if view.stands(address) && (!rulebook.kind(*kind).shared || view.kind_of(address) == Some(*kind)) {
            return None;
        }
        taken = taken.or_else(|| gone(address));
        if outside.is_none() && view.remover(address).is_none() {
            let all = catalog.seen();
            let address = all.current(written);
            outside = (all.kind_of(address) == Some(*kind)).then_some(address);
        }
    }
    Some(astray(outside, taken, None))
}
