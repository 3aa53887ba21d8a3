//! `value-not-unique`.

use rustc_hash::FxHashMap;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::Address;
use crate::document::FieldPath;
use crate::effective::{Value, reach};
use crate::rulebook::{KindId, Pattern, Severity};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "value-not-unique",
    severity: Severity::Error,
    since: "0.1",
    summary: "a value that two definitions have, though each must have its own",
    finds: "A field that must differ between all definitions of its kind, with the same value twice.",
    matters: "The game takes one of the two, or mixes them up.",
    example: "\"shelf\": 12      # the jar of tallow stands there already",
    mend: "Choose a value that is free.",
    accept: "Never.",
    run: |context, findings| {
        let catalog = context.catalog;
        let standing = std::cell::OnceCell::new();
        for (kind, described) in context.rulebook.kinds() {
            for (_, ty) in context.rulebook.fields_below(described.root) {
                let field = context.rulebook.field_type(ty);
                let unique = field.demands().is_some_and(|demands| demands.unique);
                let Some(pattern) = unique.then(|| Pattern::parse(&field.pattern).ok()).flatten() else { continue };
                let mut tops: Vec<(crate::catalog::DefId, Option<Address>)> = Vec::new();
                let of_kind = |address: &Address| context.view.kind_of(*address) == Some(kind);
                // nothing new can be there twice where none of the kind is looked at
                let new = context.standing().iter().any(of_kind) || nameless(context, kind);
                if !new && !context.own.is_empty() {
                    continue;
                }
                let all = standing.get_or_init(|| context.view.standing());
                for address in all.iter().copied().filter(of_kind) {
                    tops.extend(context.view.top(address).map(|(id, _)| (id, Some(address))));
                }
                let nameless = context.view.definitions().filter(|(_, made)| made.kind == kind && made.id.is_none());
                tops.extend(nameless.map(|(id, _)| (id, None)));
                tops.sort_unstable();
                let mut seen: FxHashMap<String, (Option<Address>, Value)> = FxHashMap::default();
                for (id, address) in tops {
                    let own = match address {
                        Some(address) => context.view.own(address).map(|own| own.value),
                        None => {
                            let made = catalog.definition(id);
                            Some(Value::written(catalog, made.at(), made.layer))
                        }
                    };
                    let Some(own) = own else { continue };
                    for value in reach(catalog, own, &pattern.0) {
                        let (Some(word), Some(place)) = (value.word(catalog), value.origin().place) else { continue };
                        let Some((other, first)) = seen.get(&word) else {
                            seen.insert(word, (address, value));
                            continue;
                        };
                        let message = said!(
                            "`{field}` is `{word}`, which {other} has already; it must be its own",
                            field = field.pattern,
                            word,
                            other = other.map_or("another one".into(), |other| said!(
                                "`{definition}`",
                                definition = context.show(other)
                            ))
                        );
                        let free = said!(
                            "`cognomen ids {kind}.{field}` says which are free",
                            kind = described.name(),
                            field = field.pattern
                        );
                        let help = field.is_number().then_some(free);
                        let mut finding = Finding::new(&CHECK, place, message).about(address).help(help);
                        finding = finding.path(FieldPath::parse(&field.pattern).ok());
                        if let Some(place) = first.origin().place {
                            finding = finding.related(place, "here first");
                        }
                        findings.push(finding);
                    }
                }
            }
        }
    },
};

/// Whether a definition of a kind without an id is looked at.
fn nameless(context: &Context<'_>, kind: KindId) -> bool {
    context.written_by_own().any(|(_, made)| made.kind == kind && made.id.is_none())
}
