//! `token-not-filled`.

use super::finding::Finding;
use super::registry::Check;
use crate::nearest::nearest;
use crate::rulebook::{Severity, article};

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
        if context.harvests().all(|(_, harvest, _)| harvest.texts.is_empty()) {
            return;
        }
        for address in context.view.addresses() {
            let Some(kind) = context.view.kind_of(address).map(|kind| context.rulebook.kind(kind)) else { continue };
            for text in &kind.texts {
                let key = kind.filled(&text.template, catalog.names.text(address.id));
                for (language, at) in context.view.texts(&key).filter(|(_, at)| context.is_own(at.file)) {
                    let node = catalog.node(at);
                    for found in token.captures_iter(&node.text()) {
                        let (Some(whole), Some(name)) = (found.get(0), found.get(1)) else { continue };
                        if text.tokens.iter().any(|known| known == name.as_str()) {
                            continue;
                        }
                        let raw = node.raw();
                        let mut place = node.place();
                        if let Some(at) = raw.find(whole.as_str()) {
                            let start = place.span.start as usize + at;
                            place.span = crate::source::Span::new(start, start + whole.as_str().len());
                        }
                        let message = format!("the game does not fill in `{}` here", whole.as_str());
                        let help = match (
                            text.tokens.as_slice(),
                            nearest(name.as_str(), text.tokens.iter().map(String::as_str)),
                        ) {
                            ([], _) => {
                                format!("the {} of {} {} has no tokens", text.role, article(kind.name()), kind.name())
                            }
                            (_, Some(near)) => format!("the nearest that it knows is `{near}` ({language})"),
                            (known, None) => format!("it fills in {}", known.join(", ")),
                        };
                        findings.push(Finding::new(&CHECK, place, message).about(Some(address)).help(Some(help)));
                    }
                }
            }
        }
    },
};
