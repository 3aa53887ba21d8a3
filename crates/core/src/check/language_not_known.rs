//! `language-not-known`.

use rustc_hash::FxHashSet;

use super::finding::Finding;
use super::registry::Check;
use crate::nearest::nearest;
use crate::rulebook::Severity;
use crate::said::{listed, said};
use crate::source::{Place, Span};

pub(super) static CHECK: Check = Check {
    code: "language-not-known",
    severity: Severity::Warning,
    since: "0.2",
    summary: "texts in a language that the game does not have",
    finds: "A file or column of texts whose language is none of the `languages` of `[texts]` in the rulebook.",
    matters: "No player ever sees the texts in it.",
    example: "texts/fe.csv      # fr is meant",
    mend: "Call it as the game calls the language.",
    accept: "While the language is still to come.",
    run: |context, findings| {
        let known = context.rulebook.texts.as_ref().map_or(&[][..], |texts| texts.languages.as_slice());
        if known.is_empty() {
            return;
        }
        let mut told: FxHashSet<(crate::source::FileId, &str)> = FxHashSet::default();
        for (file, harvest, document) in context.harvests() {
            for text in &harvest.texts {
                let lacking = !known.contains(&text.language) && told.insert((file, text.language.as_str()));
                if !lacking || text.language.is_empty() {
                    continue;
                }
                // a column's name stands where its first text has its key
                let span = document.node(text.at.node).key_span();
                let span = if span == Span::default() { crate::own::first_line(document.root()) } else { span };
                let message = said!("the game has no language `{language}`", language = text.language);
                let help = match nearest(&text.language, known.iter().map(String::as_str)) {
                    Some(near) => said!("the nearest is `{nearest}`", nearest = near),
                    None => said!("it has `{languages}`", languages = listed(known.iter())),
                };
                findings.push(Finding::new(&CHECK, Place { file, span }, message).help(Some(help)));
            }
        }
    },
};
