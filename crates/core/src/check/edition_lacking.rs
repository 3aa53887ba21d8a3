//! `edition-lacking`.

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::Severity;
use crate::said::said;
use crate::workspace::MadeFor;

pub(super) static CHECK: Check = Check {
    code: "edition-lacking",
    severity: Severity::Note,
    since: "0.1",
    summary: "a mod was made for an edition of the base that is not kept",
    finds: "A mod whose manifest names an older version of the game than the base here, where the workspace does not keep that edition.",
    matters: "What the mod means to change is taken against the base that is here: a value that the base has changed since looks like a change of the mod's.",
    example: "# mod.json of a mod, where the base is 1.2 and no edition is kept\n\"made_for\": \"1.1\"",
    mend: "Put that edition of the base beside the workspace and name it in `cognomen.toml` under `[editions]`; or try the mod with the base that is here, and say so in its manifest.",
    accept: "If the edition cannot be had.",
    run: |context, findings| of_mods(context, MadeFor::Lacking, &CHECK, findings),
};

/// A finding for each mod that was made for such an edition.
pub(super) fn of_mods(context: &Context<'_>, wanted: MadeFor, check: &'static Check, findings: &mut Vec<Finding>) {
    let catalog = context.catalog;
    for layer in context.own.iter().map(|layer| catalog.layer(layer)) {
        let Some((manifest, place)) = layer.manifest.as_ref().and_then(|m| Some((m, m.made_for_place?))) else {
            continue;
        };
        if catalog.made_for(layer) != wanted {
            continue;
        }
        let made_for = manifest.made_for.join("`, `");
        let here = catalog.edition().unwrap_or_default();
        let (message, help) = match wanted {
            MadeFor::Newer => (
                said!(
                    "this mod was made for edition `{made_for}`, which is newer than the base here, `{here}`",
                    made_for,
                    here
                ),
                "update the base, and say its version under `edition` in `cognomen.toml`".into(),
            ),
            _ => (
                said!(
                    "this mod was made for edition `{made_for}`, which is not kept; what it means is taken against `{here}`",
                    made_for,
                    here
                ),
                said!(
                    "keep that edition: `\"{made_for}\" = \"editions/{made_for}.zip\"` under `[editions]` in `cognomen.toml`",
                    made_for
                ),
            ),
        };
        findings.push(Finding::new(check, place, message).help(Some(help)));
    }
}
