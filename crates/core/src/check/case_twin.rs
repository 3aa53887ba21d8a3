//! `case-twin`.

use rustc_hash::FxHashMap;

use super::finding::Finding;
use super::registry::Check;
use crate::catalog::{Address, Catalog};
use crate::rulebook::{Severity, SpaceId};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "case-twin",
    severity: Severity::Warning,
    since: "0.1",
    summary: "two ids that differ only in capital letters",
    finds: "A definition of a mod whose id differs from another one only in capital and small letters.",
    matters: "It is a new definition where a change of the old one was meant; and some systems take the two for one.",
    example: "\"Lamp-Oil\": { \"value\": 12 }      # the item is lamp-oil",
    mend: "Write the id of the definition that was meant, or choose another one.",
    accept: "Hardly ever.",
    run: |context, findings| {
        let (catalog, view) = (context.catalog, &context.view);
        for twins in context.shared.twins.get_or_init(|| twins(catalog)) {
            let first = |twin: &Address| view.first(*twin).map(|(id, made)| (id, made, *twin));
            let mut first: Vec<_> = twins.iter().filter_map(first).collect();
            first.sort_unstable_by_key(|(id, ..)| *id);
            let Some((_, original, of)) = first.first().copied() else { continue };
            let new = first.iter().skip(1).filter(|(_, d, twin)| !context.is_base(d.layer) && context.reaches(*twin));
            for (_, definition, twin) in new {
                let place = context.definition_place(definition.at());
                let message = said!(
                    "`{definition}` differs from `{other}` only in capital letters",
                    definition = context.show(*twin),
                    other = context.show(of)
                );
                let help =
                    said!("if this was meant to change it, write `{nearest}`", nearest = catalog.names.text(of.id));
                let finding = Finding::new(&CHECK, place, message).about(Some(*twin)).help(Some(help));
                findings.push(finding.related(context.definition_place(original.at()), "the other one"));
            }
        }
    },
};

/// All ids that differ only in capital letters, in whatever layers.
fn twins(catalog: &Catalog) -> Vec<Vec<Address>> {
    let mut seen: FxHashMap<(SpaceId, String), Vec<Address>> = FxHashMap::default();
    for address in catalog.stacks.addresses() {
        let id = catalog.names.text(address.id);
        // most ids are small letters throughout: only those that are not can have a twin
        if id.chars().any(char::is_uppercase) {
            seen.entry((address.space, id.to_lowercase())).or_default().push(address);
        }
    }
    for ((space, lower), twins) in &mut seen {
        let plain = catalog.names.get(lower).map(|id| Address { space: *space, id });
        twins.extend(plain.filter(|plain| catalog.stacks.has(*plain) && !twins.contains(plain)));
    }
    seen.into_values().filter(|twins| twins.len() > 1).collect()
}
