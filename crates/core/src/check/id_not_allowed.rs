//! `id-not-allowed`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::{Severity, article};

pub(super) static CHECK: Check = Check {
    code: "id-not-allowed",
    severity: Severity::Error,
    since: "0.1",
    summary: "an id that is not as the game or its community wants it",
    finds: "A new definition of a mod whose id does not match the pattern, lacks the prefix, or is a number outside the range that mods may use.",
    matters: "The game refuses it, or it collides with somebody else’s.",
    example: "\"Peat Brick\": { ... }      # small letters and hyphens",
    mend: "Rename it.",
    accept: "For ids that saved games know already.",
    run: |context, findings| {
        let catalog = context.catalog;
        for (_, definition) in catalog.definitions() {
            let new = definition.below.is_none() && !context.is_base(definition.layer);
            let kind = context.rulebook.kind(definition.kind);
            let (Some(policy), Some(address)) = (&kind.ids, catalog.address_of(definition).filter(|_| new)) else {
                continue;
            };
            let id = catalog.names.text(address.id);
            let prefix = policy.prefix.as_ref().map(|p| p.replace("{mod}", &catalog.layer(definition.layer).id));
            let ranges: Vec<String> = policy.ranges.iter().map(|(low, high)| format!("{low} to {high}")).collect();
            let within = |id: &str| {
                id.parse::<i64>().is_ok_and(|id| policy.ranges.iter().any(|(low, high)| (*low..=*high).contains(&id)))
            };
            let wrong = if let Some(form) = policy.form.as_ref().filter(|form| !form.fits(id)) {
                (format!("ids of {} look like `{}`", kind.name(), form.source), None)
            } else if let Some(prefix) = prefix.filter(|prefix| !id.starts_with(prefix.as_str())) {
                (format!("ids of mods begin with `{prefix}`"), Some(format!("write `{prefix}{id}`")))
            } else if !ranges.is_empty() && !within(id) {
                (format!("mods may use {}", ranges.join(", or ")), None)
            } else {
                continue;
            };
            let message = format!("`{id}` cannot be the id of {} {}: {}", article(kind.name()), kind.name(), wrong.0);
            let place = context.definition_place(definition.at());
            findings.push(Finding::new(&CHECK, place, message).about(Some(address)).help(wrong.1));
        }
    },
};
