//! `target-removed`.

use super::context::{Astray, Context};
use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::Severity;
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "target-removed",
    severity: Severity::Error,
    since: "0.1",
    summary: "a reference to something that a mod takes away",
    finds: "A reference whose target is there for the layer that states it, and that a mod which loads later removes, where the reference still shows.",
    matters: "The game meets a reference that leads nowhere, for everybody who has that mod.",
    example: "# one mod removes the item reed-rope; a recipe of the base, or of another mod, still uses it",
    mend: "Change what uses it as well; or leave it there and take away the ways to get it. `cognomen links` shows what uses it.",
    accept: "If the game passes over the reference without harm.",
    run: |context, findings| findings.extend(context.astray.iter().filter_map(|astray| finding(context, astray))),
};

fn finding(context: &Context<'_>, astray: &Astray<'_>) -> Option<Finding> {
    let catalog = context.catalog;
    let gone = astray.gone?;
    let removed = context.view.remover(gone)?;
    let (about, path) = context.whose(astray.file, astray.mention.from, astray.node);
    let about = about.filter(|about| context.shows(*about, &path, astray.node))?;
    let by = &catalog.layer(removed.layer).id;
    let (used, taken) = (astray.place(context), context.definition_place(removed.at()));
    let target = context.show(gone);
    // the mod that stands on what it breaks could have known
    let knows = catalog.layer(removed.layer).ground.contains(astray.layer);
    let found = match knows {
        true => {
            let message = said!(
                "`{other}` takes away `{target}`, which `{definition}` still names at `{field}`",
                other = by,
                target,
                definition = context.show(about),
                field = path
            );
            Finding::new(&CHECK, taken, message).related(used, "named here")
        }
        false => {
            let message = said!("`{other}` takes away `{target}`, which is named here", other = by, target);
            Finding::new(&CHECK, used, message).related(taken, "taken away here")
        }
    };
    let mut found = found.about(Some(about)).path(Some(path));
    let link = context.rulebook.field_type(astray.mention.wants).link.as_ref();
    found.severity = link.and_then(|link| link.lacking).unwrap_or(found.severity);
    Some(found)
}
