//! `leads-nowhere`.

use rayon::prelude::*;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::{Address, LayerId};
use crate::document::Node;
use crate::rulebook::{KindId, Mention, Reading, Severity};
use crate::source::FileId;

pub(super) static CHECK: Check = Check {
    code: "leads-nowhere",
    severity: Severity::Error,
    since: "0.1",
    summary: "a reference to something that is not there",
    finds: "An id that no definition of the right kind has, in any layer. Ids of another kind, with other capitals, or one or two letters off are recognised.",
    matters: "The game drops the entry, or the whole definition, or stops.",
    example: "\"uses\": [ { \"what\": \"peat-brik\", \"amount\": 2 } ]      # the item is peat-brick",
    mend: "Correct the id, or define what is missing. `cognomen find` shows what there is.",
    accept: "If the game itself knows the name without a definition, the rulebook is at fault.",
    run: |context, findings| {
        let lost = each_mention(context, |context, mention, word, kinds| {
            let found = target(context, word, kinds);
            // the base stands on nothing: what only a mod defines is not there for it
            let nowhere = match found {
                None => true,
                Some(address) => mention.layer == LayerId::BASE && !context.catalog.stands_in(address, &base(context)),
            };
            nowhere.then_some(())
        });
        for (mention, ()) in lost {
            findings.push(finding(context, &mention));
        }
    },
};

fn base(context: &Context<'_>) -> crate::catalog::LayerSet {
    context.seen.first().cloned().unwrap_or_default()
}

/// A mention with where it stands.
pub(super) struct Standing<'c> {
    pub(super) file: FileId,
    pub(super) layer: LayerId,
    pub(super) node: Node<'c>,
    pub(super) mention: Mention,
    pub(super) of_key: bool,
}

impl Standing<'_> {
    fn word(&self, context: &Context<'_>) -> String {
        if self.of_key {
            return self.node.key().map_or("", |key| context.catalog.names.text(key)).to_owned();
        }
        self.node.text().into_owned()
    }

    pub(super) fn place(&self, context: &Context<'_>) -> crate::source::Place {
        if self.of_key { context.key_place(self.node) } else { self.node.place() }
    }
}

/// Looks at every reference, files in parallel, and keeps what `look` gives, in order.
pub(super) fn each_mention<'w, T: Send>(
    context: &Context<'w>,
    look: impl Fn(&Context<'w>, &Standing<'w>, &str, &[KindId]) -> Option<T> + Sync,
) -> Vec<(Standing<'w>, T)> {
    let harvests: Vec<_> = context.harvests().collect();
    harvests
        .into_par_iter()
        .flat_map_iter(|(file, harvest, document)| {
            let layer = context.layer_of(file);
            let look = &look;
            harvest.mentions.iter().filter_map(move |mention| {
                let ty = context.rulebook.field_type(mention.wants);
                let Reading::Link(kinds) = &ty.reading else { return None };
                let node = document.node(mention.at);
                let of_key = ty.pattern.ends_with("{key}");
                let standing = Standing { file, layer, node, mention: *mention, of_key };
                let result = if of_key {
                    look(context, &standing, &standing.word(context), kinds)
                } else {
                    look(context, &standing, &node.text(), kinds)
                };
                result.map(|result| (standing, result))
            })
        })
        .collect()
}

/// The definition of the first of the kinds that has the id.
pub(super) fn target(context: &Context<'_>, word: &str, kinds: &[KindId]) -> Option<Address> {
    let id = context.catalog.names.get(word)?;
    let address = |kind: &KindId| Address { space: context.rulebook.kind(*kind).space, id };
    kinds.iter().map(address).find(|address| context.catalog.stacks.contains_key(address))
}

fn finding(context: &Context<'_>, standing: &Standing<'_>) -> Finding {
    let word = standing.word(context);
    let Reading::Link(kinds) = &context.rulebook.field_type(standing.mention.wants).reading else {
        return Finding::new(&CHECK, standing.place(context), "this leads nowhere");
    };
    let names: Vec<&str> = kinds.iter().map(|kind| context.rulebook.kind(*kind).name()).collect();
    let wanted = names.join(" or ");
    let (about, path) = context.whose(standing.file, standing.mention.from, standing.node);
    let message = format!("there is no {wanted} `{word}`");
    let finding = Finding::new(&CHECK, standing.place(context), message).about(about).path(Some(path));
    if let Some(address) = target(context, &word, kinds) {
        let layer = context.catalog.stack(address).last().map(|(_, d)| context.catalog.layer(d.layer).id.clone());
        let help = format!("only the mod `{}` defines it, and the base stands on no mod", layer.unwrap_or_default());
        return finding.help(Some(help));
    }
    let lost = context.lost(&word, kinds);
    let (help, there) = lost.help(&word, &wanted);
    let finding = finding.help(help);
    match (lost.place, there) {
        (Some(place), Some(there)) => finding.related(place, there),
        _ => finding,
    }
}
