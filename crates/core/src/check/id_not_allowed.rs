//! `id-not-allowed`.

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::Definition;
use crate::rulebook::{Severity, in_ranges};
use crate::said::{Said, either, one, said};

pub(super) static CHECK: Check = Check {
    code: "id-not-allowed",
    severity: Severity::Error,
    since: "0.1",
    summary: "an id that is not as the game or its community wants it",
    finds: "A new definition of a mod whose id does not match the pattern, lacks the prefix, or is a number outside the range that mods may use. Anywhere: an id that is empty or holds control characters, and one that becomes the name of a file or folder and cannot be one on every system (`con`, a colon, `..`, a dot at the end).",
    matters: "The game refuses it, or it collides with somebody else’s.",
    example: "\"Peat Brick\": { ... }      # small letters and hyphens",
    mend: "Rename it.",
    accept: "For ids that saved games know already.",
    run: |context, findings| {
        let catalog = context.catalog;
        for (_, definition) in context.written_by_own() {
            let kind = context.rulebook.kind(definition.kind);
            let lowest = context.view.is_new(definition);
            let Some(address) = catalog.address_of(definition).filter(|_| lowest) else { continue };
            let id = catalog.names.text(address.id);
            let new = !context.is_game(definition.layer);
            let unfit = context.rulebook.unfit_id(definition.kind, id).map(|reason| (Said::from(reason), None));
            let Some((reason, help)) = unfit.or_else(|| against_policy(context, definition, id).filter(|_| new)) else {
                continue;
            };
            let message = said!("`{id}` cannot be the id of {kind}: {reason}", id, kind = one(kind.name()), reason);
            let place = context.definition_place(definition.at());
            findings.push(Finding::new(&CHECK, place, message).about(Some(address)).help(help));
        }
    },
};

/// How an id is not as the rulebook wants those of mods, and what is nearest.
fn against_policy(context: &Context<'_>, definition: &Definition, id: &str) -> Option<(Said, Option<Said>)> {
    let kind = context.rulebook.kind(definition.kind);
    let policy = kind.ids.as_ref()?;
    let prefix = policy.prefix.as_ref().map(|p| p.replace("{mod}", &context.catalog.layer(definition.layer).id));
    let ranges: Vec<Said> = policy.ranges.iter().map(|(low, high)| said!("{low} to {high}", low, high)).collect();
    let within = |id: &str| id.parse::<i64>().is_ok_and(|id| in_ranges(&policy.ranges, id));
    if let Some(form) = policy.form.as_ref().filter(|form| !form.fits(id)) {
        return Some((said!("ids of {kind} look like `{form}`", kind = kind.name(), form = form.source), None));
    }
    if let Some(prefix) = prefix.filter(|prefix| !id.starts_with(prefix.as_str())) {
        return Some((
            said!("ids of mods begin with `{prefix}`", prefix),
            Some(said!("write `{prefix}{id}`", prefix, id)),
        ));
    }
    (!ranges.is_empty() && !within(id)).then(|| (said!("mods may use {ranges}", ranges = either(ranges)), None))
}
