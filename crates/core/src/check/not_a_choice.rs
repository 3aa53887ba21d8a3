//! `not-a-choice`.

use super::finding::Finding;
use super::mend::Mend;
use super::registry::Check;
use crate::nearest::near;
use crate::rulebook::{Reading, Severity, Wrong};
use crate::said::{listed, said};

pub(super) static CHECK: Check = Check {
    code: "not-a-choice",
    severity: Severity::Error,
    since: "0.1",
    summary: "a word that is not one of those allowed",
    finds: "A value of a choice, or a flag, that the rulebook does not list.",
    matters: "The game falls back to something else, or refuses the definition.",
    example: "\"season\": \"autum\"",
    mend: "Use one of the allowed words.",
    accept: "If the game knows the word, add it to the rulebook.",
    run: |context, findings| {
        for local in context.locals() {
            let Wrong::NotAChoice { want } = local.fault.what else { continue };
            let ty = context.rulebook.field_type(want);
            let words = match &ty.reading {
                Reading::Choice(words) | Reading::Flags(words) => words,
                _ => continue,
            };
            let of_key = ty.is_of_keys();
            let word = ty.said_at(local.node);
            let word = ty.link.as_ref().map_or(&*word, |link| link.unsigned(&word)).to_owned();
            let (about, path) = context.whose(local.file, local.fault.from, local.node);
            let near = near(&word, words.listed.iter().map(String::as_str));
            let help = match near {
                Some(near) => {
                    said!(
                        "the nearest allowed word is `{nearest}`; allowed are {allowed}",
                        nearest = near.word,
                        allowed = listed(&words.listed)
                    )
                }
                None => said!("allowed are {allowed}", allowed = listed(&words.listed)),
            };
            let message = said!(
                "`{word}` is not a word that `{field}` allows",
                word,
                field = ty.pattern.trim_end_matches("{key}")
            );
            let place = ty.place_at(local.node);
            let mend = near.filter(|near| near.only).and_then(|near| match of_key {
                true => context.rekeyed(local.node, near.word),
                false => Mend::word(place, &word, near.word),
            });
            let finding = Finding::new(&CHECK, place, message).about(about).path(Some(path));
            findings.push(finding.help(Some(help)).mend(mend));
        }
    },
};
