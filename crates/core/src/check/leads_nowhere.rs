//! `leads-nowhere`.

use rayon::prelude::*;

use super::context::{Astray, Context};
use super::finding::Finding;
use super::lost::NAMED;
use super::mend::Mend;
use super::name_with_ending::bare;
use super::registry::Check;
use crate::rulebook::{KindId, Reading, Severity};
use crate::said::{either, one, said};

pub(super) static CHECK: Check = Check {
    code: "leads-nowhere",
    severity: Severity::Error,
    since: "0.1",
    summary: "a reference to something that is not there",
    finds: "An id that no definition of the right kind has, in any layer. Ids of another kind, with other capitals, or one or two letters off are recognised.",
    matters: "The game drops the entry, or the whole definition, or stops.",
    example: "\"takes\": [ { \"what\": \"peat-brik\", \"amount\": 2 } ]      # the item is peat-brick",
    mend: "Correct the id, or define what is missing. `cognomen find` shows what there is.",
    accept: "If the game itself knows the name without a definition, the rulebook is at fault.",
    run: |context, findings| {
        let nowhere = context.astray.iter().filter(|astray| astray.gone.is_none());
        let nowhere = nowhere.filter(|astray| astray.outside.is_none() || context.is_game(astray.layer));
        let decorated = |astray: &&Astray<'_>| match &context.rulebook.field_type(astray.mention.wants).reading {
            Reading::Link(kinds) => {
                bare(&astray.word(context.catalog), |bare| context.view.named(bare, kinds).is_some()).is_some()
            }
            _ => false,
        };
        let follows = |astray: &Astray<'_>| context.causes().may_define(context.catalog, &astray.word(context.catalog));
        // what is inherited from is told as that
        let inherits = |astray: &Astray<'_>| context.names_parent(astray.file, astray.mention.from, astray.node);
        let told = |astray: &&Astray<'_>| !decorated(astray) && !follows(astray) && !inherits(astray);
        let nowhere: Vec<&Astray<'_>> = nowhere.filter(told).collect();
        // looking for the nearest name takes longest, so these are shared out one by one
        let (first, rest) = nowhere.split_at(NAMED.min(nowhere.len()));
        findings.par_extend(first.par_iter().with_max_len(1).map(|astray| finding(context, astray, true)));
        findings.par_extend(rest.par_iter().map(|astray| finding(context, astray, false)));
    },
};

fn finding(context: &Context<'_>, standing: &Astray<'_>, near: bool) -> Finding {
    let word = standing.word(context.catalog);
    let Reading::Link(kinds) = &context.rulebook.field_type(standing.mention.wants).reading else {
        return Finding::new(&CHECK, standing.place(context), "this leads nowhere");
    };
    let kinds = standing.sought.as_ref().map_or(kinds.as_slice(), |sought| &sought.kinds);
    let names: Vec<&str> = kinds.iter().map(|kind| context.rulebook.kind(*kind).name()).collect();
    let wanted = names.join(" or ");
    let (about, path) = context.whose(standing.file, standing.mention.from, standing.node);
    let message = said!("there is no {kinds} `{word}`", kinds = either(&names), word);
    let mut finding = Finding::new(&CHECK, standing.place(context), message).about(about).path(Some(path));
    let link = &context.rulebook.field_type(standing.mention.wants).link;
    finding.severity = link.as_ref().and_then(|link| link.lacking).unwrap_or(finding.severity);
    if let Some(address) = standing.outside {
        let layer = context.catalog.seen().first(address).map(|(_, d)| context.catalog.layer(d.layer).id.clone());
        let help = said!("only the mod `{other}` defines it, and the base stands on no mod", other = layer);
        return finding.help(Some(help));
    }
    let of_kind = |kind: &KindId| {
        let address = context.view.named(&word, &[*kind])?;
        let text = standing.node.text();
        let right = link.as_ref()?.written(*kind, &word).filter(|right| **right != *text)?;
        let kind = context.rulebook.kind(*kind).name();
        let (_, definition) = context.view.first(address)?;
        let help = said!("`{word}` is {kind}: write `{nearest}`", word, kind = one(kind), nearest = right);
        let mend = Mend::word(standing.place(context), &text, &right);
        Some((help, context.definition_place(definition.at()), mend))
    };
    let mut right = kinds.iter().filter_map(of_kind);
    if let Some((help, place, mend)) = right.next() {
        let only = right.next().is_none();
        return finding.help(Some(help)).mend(mend.filter(|_| only)).related(place, "defined here");
    }
    let lost = context.lost_among(&context.view, &word, kinds, near);
    let (help, there) = lost.help(&word, &wanted);
    let mend = lost.only.as_deref().and_then(|near| standing.written(context, &word, near));
    let finding = finding.help(help).mend(mend);
    match (lost.place, there) {
        (Some(place), Some(there)) => finding.related(place, there),
        _ => finding,
    }
}
