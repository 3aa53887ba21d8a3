//! `word-not-known`.

use rustc_hash::{FxHashMap, FxHashSet};

use super::context::Context;
use super::finding::Finding;
use super::lost::NAMED;
use super::mend::Mend;
use super::reach::{MentionAt, owner};
use super::registry::Check;
use crate::catalog::{Address, Catalog};
use crate::document::{Document, Node};
use crate::nearest::near;
use crate::rulebook::{Mention, Reading, Severity, fits};
use crate::said::said;
use crate::source::FileId;

pub(super) static CHECK: Check = Check {
    code: "word-not-known",
    severity: Severity::Error,
    since: "0.1",
    summary: "a word that nothing declares",
    finds: "A word of one of the rulebook's vocabularies that is neither listed there nor declared by any field: a state that nothing sets, a sign that the definition does not explain.",
    matters: "The game waits for something that never comes, or passes over the entry.",
    example: "\"needs_state\": \"lamps-lit\"      # the others set `lamp-lit`",
    mend: "Correct the word, or declare it.",
    accept: "If the game itself declares it, list it under `[words]` in the rulebook.",
    run: |context, findings| {
        if context.rulebook.vocabularies.is_empty() {
            return;
        }
        let declared = Declared::new(context);
        let mut told = 0;
        for (file, _, document, mention) in context.mentions() {
            let Some(use_) = word_at(context, (file, document, mention), false) else { continue };
            let vocabulary = context.rulebook.vocabulary(use_.of);
            let Some(severity) = vocabulary.lacking.filter(|_| !vocabulary.lists(&use_.word)) else { continue };
            if declared.knows(context, &use_) || !context.is_seen(file, mention, use_.node) {
                continue;
            }
            let (about, path) = context.whose(use_.file, use_.mention.from, use_.node);
            let place = if use_.of_key { context.key_place(use_.node) } else { use_.node.place() };
            let message = said!(
                "`{word}` is no {vocabulary} that anything declares",
                word = use_.word,
                vocabulary = vocabulary.name
            );
            let known = declared.words(&use_);
            told += 1;
            let all = || known.iter().map(String::as_str).chain(vocabulary.plain());
            let near = (told <= NAMED).then(|| near(&use_.word, all())).flatten();
            let gone = declared.gone.get(&(use_.of, use_.word.clone())).copied();
            let help = match (gone, near) {
                (Some(gone), _) => Some(said!("`{definition}` declares it no longer", definition = context.show(gone))),
                (None, near) => near.map(|near| said!("the nearest known one is `{nearest}`", nearest = near.word)),
            };
            let only = near.filter(|near| near.only && gone.is_none());
            let mend = only.and_then(|near| match use_.of_key {
                true => context.rekeyed(use_.node, near.word),
                false => Mend::word(place, &use_.word, near.word),
            });
            let mut finding = Finding::new(&CHECK, place, message).about(about).path(Some(path)).help(help).mend(mend);
            finding.severity = severity;
            findings.push(finding.because(gone));
        }
    },
};

/// A word of a vocabulary where it stands.
pub(super) struct Use<'w> {
    file: FileId,
    mention: Mention,
    pub(super) node: Node<'w>,
    pub(super) of: usize,
    pub(super) of_key: bool,
    /// Whether `*` in it stands for part of a word.
    pub(super) wildcards: bool,
    pub(super) word: String,
}

/// All references that declare words, in whatever layers.
pub(super) fn declaring(catalog: &Catalog) -> Vec<MentionAt> {
    let declares = |mention: &Mention| {
        matches!(catalog.rulebook.field_type(mention.wants).reading, Reading::Word { declares: true, .. })
    };
    let mut out = Vec::new();
    for (file, _) in catalog.files() {
        let mentions = catalog.harvest_of(file).map_or(&[][..], |harvest| &harvest.mentions);
        out.extend(mentions.iter().zip(0u32..).filter(|(mention, _)| declares(mention)).map(|(_, nth)| (file, nth)));
    }
    out
}

/// A word as it is written, if a reference is one.
pub(super) fn word_at<'w>(
    context: &Context<'w>,
    (file, document, mention): (FileId, &'w Document, &Mention),
    declaring: bool,
) -> Option<Use<'w>> {
    let ty = context.rulebook.field_type(mention.wants);
    let Reading::Word { of, declares } = &ty.reading else { return None };
    if *declares != declaring {
        return None;
    }
    let node = document.node(mention.at);
    let of_key = ty.is_of_keys();
    let word = context.catalog.mentioned(document, mention);
    // without the marks that add it or take it out, and those that say what to do with it
    let mut word = &*word;
    for _ in 0..2 {
        word = ty.link.as_ref().map_or(word, |link| link.unsigned(word));
    }
    let word = word.to_owned();
    let wildcards = ty.link.as_ref().is_some_and(|link| link.wildcards);
    Some(Use { file, mention: *mention, node, of: *of, of_key, wildcards, word })
}

/// What is declared: in the whole game, or within single definitions.
#[derive(Default)]
struct Declared {
    in_game: FxHashSet<(usize, String)>,
    in_definition: FxHashMap<(usize, FileId, u32), FxHashSet<String>>,
    /// Definitions that declare a word and do not show.
    gone: FxHashMap<(usize, String), Address>,
}

impl Declared {
    fn new(context: &Context<'_>) -> Declared {
        let mut out = Declared::default();
        let catalog = context.catalog;
        for at in context.shared.declaring.get_or_init(|| declaring(catalog)) {
            let of_view = catalog.file(at.0).layer.is_none_or(|layer| context.view.contains(layer));
            let Some((file, harvest, document)) = context.harvest(at.0).filter(|_| of_view) else { continue };
            let Some(mention) = harvest.mentions.get(at.1 as usize) else { continue };
            let Some(declared) = word_at(context, (file, document, mention), true) else { continue };
            if context.rulebook.vocabulary(declared.of).in_definition {
                let place = (declared.of, declared.file, declared.mention.from);
                out.in_definition.entry(place).or_default().insert(declared.word);
            } else if context.view.has(file) && context.is_seen(file, mention, declared.node) {
                out.in_game.insert((declared.of, declared.word));
            } else if let Some(owner) = owner(catalog, *at) {
                // of several, the one that the layers looked at have a part in
                let touched = |at| context.own.iter().any(|layer| context.shared.users.touched(layer).contains(at));
                let known = out.gone.entry((declared.of, declared.word)).or_insert(owner);
                if touched(&owner) && !touched(known) {
                    *known = owner;
                }
            }
        }
        out
    }

    fn knows(&self, context: &Context<'_>, used: &Use<'_>) -> bool {
        if !context.rulebook.vocabulary(used.of).in_definition {
            return match used.wildcards && used.word.contains('*') {
                true => self.in_game.iter().any(|(of, word)| *of == used.of && fits(&used.word, word)),
                false => self.in_game.contains(&(used.of, used.word.clone())),
            };
        }
        let own = self.in_definition.get(&(used.of, used.file, used.mention.from));
        let whole = context.catalog.definition_of(used.file, used.mention.from);
        // what is inherited or amended may declare it
        let alone = whole.is_some_and(|(_, definition)| definition.parent.is_none() && context.view.is_new(definition));
        let has = |own: &FxHashSet<String>| match used.wildcards {
            true => own.iter().any(|word| fits(&used.word, word)),
            false => own.contains(&used.word),
        };
        own.is_some_and(has) || !alone
    }

    /// The words that could be meant.
    fn words(&self, used: &Use<'_>) -> Vec<String> {
        let own = self.in_definition.get(&(used.of, used.file, used.mention.from)).into_iter().flatten().cloned();
        own.chain(self.in_game.iter().filter(|(of, _)| *of == used.of).map(|(_, word)| word.clone())).collect()
    }
}
