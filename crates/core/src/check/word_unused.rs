//! `word-unused`.

use rustc_hash::FxHashSet;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use super::word_not_known::word_at;
use crate::rulebook::{Severity, fits};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "word-unused",
    severity: Severity::Warning,
    since: "0.2",
    summary: "a word that is declared and that nothing uses",
    finds: "A word of a vocabulary with `unused` that a field declares and no field uses: a state that nothing waits for.",
    matters: "What should follow from it never does; most often it is spelt otherwise where it is used.",
    example: "\"sets_state\": \"lamps-lit\"      # what waits asks for `lamp-lit`",
    mend: "Correct the word here or where it is used, or take it out.",
    accept: "If a script uses it.",
    run: |context, findings| {
        let asked = |of: usize| context.rulebook.vocabulary(of).unused.is_some();
        if !context.rulebook.vocabularies.iter().any(|vocabulary| vocabulary.unused.is_some()) {
            return;
        }
        let used = Used::new(context, &asked);
        for (file, _, document, mention) in context.mentions() {
            let Some(declared) = word_at(context, (file, document, mention), true) else { continue };
            let vocabulary = context.rulebook.vocabulary(declared.of);
            let Some(severity) = vocabulary.unused.filter(|_| !vocabulary.lists(&declared.word)) else { continue };
            if !context.is_seen(file, mention, declared.node) || used.has(declared.of, &declared.word) {
                continue;
            }
            let (about, path) = context.whose(file, mention.from, declared.node);
            let place = if declared.of_key { context.key_place(declared.node) } else { declared.node.place() };
            let message =
                said!("nothing uses the {vocabulary} `{word}`", vocabulary = vocabulary.name, word = declared.word);
            let mut finding = Finding::new(&CHECK, place, message).about(about).path(Some(path));
            finding.severity = severity;
            findings.push(finding);
        }
    },
};

/// The words that are used, of the vocabularies that ask for it.
#[derive(Default)]
struct Used {
    words: FxHashSet<(usize, String)>,
    /// Those in which `*` stands for part of a word.
    patterns: Vec<(usize, String)>,
}

impl Used {
    fn new(context: &Context<'_>, asked: &dyn Fn(usize) -> bool) -> Used {
        let mut out = Used::default();
        for (file, _) in context.catalog.files().filter(|(file, _)| context.view.has(*file)) {
            let Some((file, harvest, document)) = context.harvest(file) else { continue };
            for mention in &harvest.mentions {
                let Some(used) = word_at(context, (file, document, mention), false) else { continue };
                match used.wildcards && used.word.contains('*') {
                    _ if !asked(used.of) => {}
                    true => out.patterns.push((used.of, used.word)),
                    false => drop(out.words.insert((used.of, used.word))),
                }
            }
        }
        out
    }

    fn has(&self, of: usize, word: &str) -> bool {
        self.words.contains(&(of, word.to_owned()))
            || self.patterns.iter().any(|(other, pattern)| *other == of && fits(pattern, word))
    }
}
