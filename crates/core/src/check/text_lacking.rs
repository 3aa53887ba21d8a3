//! `text-lacking`.

use std::collections::{BTreeMap, BTreeSet};

use super::context::{Context, has_slip};
use super::finding::Finding;
use super::lost::NAMED;
use super::mend::Mend;
use super::registry::Check;
use super::requirement_undeclared::is_meant;
use crate::catalog::{Address, Definition, LayerId};
use crate::rulebook::{Reading, Severity, TextsRule};
use crate::said::{either, listed, said};
use crate::source::Place;

pub(super) static CHECK: Check = Check {
    code: "text-lacking",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a text that players would see, and that nobody wrote",
    finds: "A definition without a text that the rulebook derives from its id, or that a field of it names, in the main language; and, as a note, a language that a mod has begun and not finished.",
    matters: "Players read the raw key, or nothing.",
    example: "\"long-wick\": { ... }      # and no item.long-wick.name in texts/names.csv",
    mend: "Add the text under the key that the finding names.",
    accept: "For things that players never see.",
    run: |context, findings| {
        let catalog = context.catalog;
        let Some(rule) = &context.rulebook.texts else { return };
        let view = &context.view;
        let mut told: BTreeSet<(Address, String)> = BTreeSet::new();
        let real = |definition: &Definition| !definition.is_abstract && view.is_new(definition);
        for (_, definition) in context.definitions().filter(|(_, definition)| real(definition)) {
            let kind = context.rulebook.kind(definition.kind);
            let Some(address) = catalog.address_of(definition) else { continue };
            for text in kind.texts.iter().filter(|text| !text.optional) {
                let key = kind.filled(&text.template, catalog.names.text(address.id));
                let said = |(language, at)| language == rule.main && !catalog.node(at).text().is_empty();
                let there = view.texts(&key).any(said);
                if there || context.causes().may_define(catalog, &key) {
                    continue;
                }
                let slipped = || has_slip(catalog.node(definition.at()));
                if is_known(context, address, definition.layer) || slipped() {
                    break;
                }
                let message = said!(
                    "`{definition}` has no {role} in `{main}`",
                    definition = context.show(address),
                    role = text.role,
                    main = rule.main
                );
                let folder = &catalog.layer(definition.layer).folder;
                let named = |pattern: &String| pattern.replace("{language}", &rule.main);
                let files = rule.files.iter().map(|(_, pattern)| format!("{folder}/{}", named(pattern)));
                let help = said!("add `{key}` to {files}", key, files = either(files));
                let place = context.definition_place(definition.at());
                told.insert((address, key.clone()));
                let text = crate::names::readable(catalog.names.text(address.id));
                let mend = Mend::Text { layer: definition.layer, key, text };
                let finding = Finding::new(&CHECK, place, message).about(Some(address));
                findings.push(finding.help(Some(help)).mend(Some(mend)));
            }
        }
        named(context, rule, &told, findings);
        // what a layer says in the main language, and in the others that it has begun
        let mut begun: BTreeMap<(LayerId, &str), (BTreeSet<&str>, Place)> = BTreeMap::new();
        for (key, language, at) in catalog.seen().all_texts().filter(|(_, _, at)| context.is_own(at.file)) {
            let node = catalog.node(at);
            if node.text().is_empty() {
                continue;
            }
            let layer = context.layer_of(at.file);
            let known = begun.entry((layer, language)).or_insert_with(|| (BTreeSet::new(), node.place()));
            known.0.insert(key);
            known.1 = known.1.min(node.place());
        }
        for ((layer, language), (keys, place)) in &begun {
            let Some((main, _)) = begun.get(&(*layer, rule.main.as_str())).filter(|_| *language != rule.main) else {
                continue;
            };
            let lacking: Vec<&str> = main.difference(keys).copied().collect();
            if lacking.is_empty() {
                continue;
            }
            let more = (lacking.len() > SHOWN).then(|| said!(" and {more} more", more = lacking.len() - SHOWN));
            let message = said!(
                "`{language}` lacks {lacking} of {all} texts",
                language,
                lacking = lacking.len(),
                all = main.len()
            );
            let mut finding = Finding::new(&CHECK, *place, message);
            finding.severity = Severity::Note;
            findings.push(finding.help(Some(said!(
                "to be translated: `{keys}`{more}",
                keys = listed(lacking.iter().take(SHOWN)),
                more
            ))));
        }
    },
};

/// So many keys are told by name.
const SHOWN: usize = 4;

/// Whether what another layer defines is only defined anew: in a lower one whose file is hidden, or in one that the mod
/// means to require.
fn is_known(context: &Context<'_>, address: Address, layer: LayerId) -> bool {
    let catalog = context.catalog;
    let mut others = catalog.stack(address).map(|(_, made)| made.layer).filter(|other| *other != layer);
    let ground = &catalog.layer(layer).ground;
    others.any(|other| ground.contains(other) || is_meant(catalog, layer, &catalog.layer(other).id))
}

/// Keys that fields name, and nobody wrote. Where no text is in the main language, what fields state is that text,
/// and catalogues translate it: then nothing is lacking but translations. What a definition lacks by its id is `told`.
fn named(context: &Context<'_>, rule: &TextsRule, told: &BTreeSet<(Address, String)>, findings: &mut Vec<Finding>) {
    let catalog = context.catalog;
    let view = &context.view;
    let in_main = |language: &str, at| language == rule.main && !catalog.node(at).text().is_empty();
    let translated = view.holds_originals(&rule.main);
    let mut known: Option<Vec<&str>> = None;
    let mut number = 0;
    for (file, harvest, document, mention) in context.mentions().filter(|_| !translated) {
        let ty = context.rulebook.field_type(mention.wants);
        let Reading::Key(template) = &ty.reading else { continue };
        let node = document.node(mention.at);
        let severity =
            ty.link.as_ref().map_or(Some(CHECK.severity), |link| link.lacking.map(|said| said.max(CHECK.severity)));
        let Some(severity) = severity else { continue };
        let keys: Vec<String> =
            catalog.keys_named(document, harvest, mention).iter().map(|word| template.fill(word)).collect();
        let there = |key: &String| view.texts(key).any(|(language, at)| in_main(language, at));
        let Some(key) = keys.first().filter(|_| !keys.iter().any(there)) else { continue };
        if !context.is_seen(file, mention, node) {
            continue;
        }
        let (about, path) = context.whose(file, mention.from, node);
        if about.is_some_and(|about| told.contains(&(about, key.clone()))) {
            continue;
        }
        let message = said!("there is no text `{key}` in `{main}`", key, main = rule.main);
        number += 1;
        let known = known.get_or_insert_with(|| view.keys_of_texts());
        let near = (number <= NAMED).then(|| crate::nearest::near(key, known.iter().copied())).flatten();
        let help = near.map(|near| said!("the nearest key is `{nearest}`", nearest = near.word));
        // a key that is made of the value is put right in the value
        let only = near.filter(|near| near.only);
        let words = catalog.keys_named(document, harvest, mention);
        let mend = only.zip(words.first()).and_then(|(near, word)| {
            let to = near.word.strip_prefix(&*template.before)?.strip_suffix(&*template.after)?;
            Mend::word(node.place(), word, to)
        });
        let mut finding = Finding::new(&CHECK, node.place(), message).about(about).path(Some(path)).help(help);
        finding = finding.mend(mend);
        finding.severity = severity;
        findings.push(finding);
    }
}
