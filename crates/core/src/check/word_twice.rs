//! `word-twice`.

use rustc_hash::FxHashMap;

use super::finding::Finding;
use super::registry::Check;
use super::word_not_known::{declaring, word_at};
use crate::rulebook::Severity;
use crate::said::said;
use crate::source::{FileId, Place};

/// A word: its vocabulary, the definition within which it holds, and the word itself.
type Declared = (usize, Option<(FileId, u32)>, String);

pub(super) static CHECK: Check = Check {
    code: "word-twice",
    severity: Severity::Error,
    since: "0.2",
    summary: "a word that is declared twice",
    finds: "A word of a vocabulary with `once` that two fields declare.",
    matters: "What one of them sets off is taken for the other's.",
    example: "\"sets_state\": \"lamp-lit\"      # another errand sets it, too",
    mend: "Give one of them another word.",
    accept: "If both are meant, the vocabulary should not say `once`.",
    run: |context, findings| {
        if !context.rulebook.vocabularies.iter().any(|vocabulary| vocabulary.once) {
            return;
        }
        let mut first: FxHashMap<Declared, Place> = FxHashMap::default();
        for at in context.shared.declaring.get_or_init(|| declaring(context.catalog)) {
            let Some((file, harvest, document)) = context.harvest(at.0).filter(|_| context.view.has(at.0)) else {
                continue;
            };
            let Some(mention) = harvest.mentions.get(at.1 as usize) else { continue };
            let Some(declared) = word_at(context, (file, document, mention), true) else { continue };
            let vocabulary = context.rulebook.vocabulary(declared.of);
            if !vocabulary.once || !context.is_seen(file, mention, declared.node) {
                continue;
            }
            let place = if declared.of_key { context.key_place(declared.node) } else { declared.node.place() };
            let within = vocabulary.in_definition.then_some((file, mention.from));
            let Some(before) = first.get(&(declared.of, within, declared.word.clone())).copied() else {
                first.insert((declared.of, within, declared.word), place);
                continue;
            };
            let (about, path) = context.whose(file, mention.from, declared.node);
            let message = said!(
                "the {vocabulary} `{word}` is declared already",
                vocabulary = vocabulary.name,
                word = declared.word
            );
            let finding = Finding::new(&CHECK, place, message).about(about).path(Some(path));
            findings.push(finding.related(before, "first here"));
        }
    },
};
