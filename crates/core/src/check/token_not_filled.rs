//! `token-not-filled`.

use regex::Regex;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::document::{Node, Shape};
use crate::nearest::nearest;
use crate::rulebook::{FieldType, Reading, Severity, TypeId};
use crate::said::{Said, listed, one, said};

pub(super) static CHECK: Check = Check {
    code: "token-not-filled",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a token in a text that the game does not fill in there",
    finds: "A token, like a player’s name or a number, in a text where the game puts nothing in its place.",
    matters: "Players read the raw token, or a gap.",
    example: "item.eel.name,Eel of {name}      # names have no tokens",
    mend: "Take it out, or use one of those that the finding names.",
    accept: "If the game does fill it in, the rulebook should list it under `tokens`.",
    run: |context, findings| {
        let catalog = context.catalog;
        let Some(token) = context.rulebook.texts.as_ref().and_then(|texts| texts.token.as_ref()) else { return };
        fields(context, token, findings);
        if context.harvests().all(|(_, harvest, _)| harvest.texts.is_empty()) {
            return;
        }
        for address in context.view.addresses() {
            let Some(kind) = context.view.kind_of(address).map(|kind| context.rulebook.kind(kind)) else { continue };
            for text in &kind.texts {
                let key = kind.filled(&text.template, catalog.names.text(address.id));
                for (language, at) in context.view.texts(&key).filter(|(_, at)| context.is_own(at.file)) {
                    let none = said!("the {role} of {kind} has no tokens", role = text.role, kind = one(kind.name()));
                    let told = unknown(token, catalog.node(at), &text.tokens, (language, &none));
                    findings.extend(told.into_iter().map(|finding| finding.about(Some(address))));
                }
            }
        }
    },
};

/// The tokens that the game fills in in a field's text, where that is said.
fn tokens_of(ty: &FieldType) -> Option<&[String]> {
    ty.demands()?.tokens.as_deref()
}

/// Texts that stand in definitions, or that their fields name by keys, where the rulebook says which tokens these have.
fn fields(context: &Context<'_>, token: &Regex, findings: &mut Vec<Finding>) {
    if !context.rulebook.types.iter().any(|ty| tokens_of(ty).is_some()) {
        return;
    }
    let tokens = |ty: TypeId| tokens_of(context.rulebook.field_type(ty));
    let none = |ty: TypeId| said!("`{field}` has no tokens", field = context.rulebook.field_type(ty).pattern());
    for (file, harvest, document) in context.harvests() {
        for (made, nth) in harvest.definitions.iter().zip(0u32..) {
            let node = document.node(made.node);
            context.rulebook.each_typed(node, context.rulebook.kind(made.kind).root, &mut |ty, node| {
                let Some(known) = tokens(ty).filter(|_| node.shape() == Shape::Text) else { return };
                let (about, path) = context.whose(file, nth, node);
                let told = unknown(token, node, known, ("", &none(ty)));
                findings.extend(told.into_iter().map(|finding| finding.about(about).path(Some(path.clone()))));
            });
        }
    }
    // what fields name by its key
    for (file, _) in context.catalog.files() {
        let (Some(harvest), Some(document)) = (context.catalog.harvest_of(file), context.catalog.document(file)) else {
            continue;
        };
        for mention in harvest.mentions.iter().filter(|_| context.view.has(file)) {
            let Some(known) = tokens(mention.wants) else { continue };
            let Reading::Key(template) = &context.rulebook.field_type(mention.wants).reading else { continue };
            let here = document.node(mention.at);
            let (about, _) = context.whose(file, mention.from, here);
            for word in context.catalog.keys_named(document, harvest, mention) {
                let key = template.fill(&word);
                for (language, at) in context.view.texts(&key) {
                    let told = unknown(token, context.catalog.node(at), known, (language, &none(mention.wants)));
                    let told = told.into_iter().map(|finding| finding.about(about));
                    if context.is_own(at.file) {
                        findings.extend(told);
                    } else if context.is_own(file) && context.view.text(&key, language) == Some(at) {
                        // a text of another, which this field must not name
                        findings.extend(told.map(|mut finding| {
                            let within = std::mem::replace(&mut finding.place, here.place());
                            finding.related(within, "in this text")
                        }));
                    }
                }
            }
        }
    }
}

/// The tokens in a text that are none of those which the game fills in there.
fn unknown(token: &Regex, node: Node<'_>, known: &[String], (language, none): (&str, &Said)) -> Vec<Finding> {
    let mut out = Vec::new();
    for found in token.captures_iter(&node.text()) {
        let (Some(whole), Some(name)) = (found.get(0), found.get(1)) else { continue };
        if known.iter().any(|known| known == name.as_str()) {
            continue;
        }
        let raw = node.raw();
        let mut place = node.place();
        if let Some(at) = raw.find(whole.as_str()) {
            let start = place.span.start as usize + at;
            place.span = crate::source::Span::new(start, start + whole.as_str().len());
        }
        let message = said!("the game does not fill in `{token}` here", token = whole.as_str());
        let help = match (known, nearest(name.as_str(), known.iter().map(String::as_str))) {
            ([], _) => none.clone(),
            (_, Some(near)) if language.is_empty() => said!("the nearest that it knows is `{nearest}`", nearest = near),
            (_, Some(near)) => said!("the nearest that it knows is `{nearest}` ({language})", nearest = near, language),
            (known, None) => said!("it fills in {known}", known = listed(known)),
        };
        out.push(Finding::new(&CHECK, place, message).help(Some(help)));
    }
    out
}
