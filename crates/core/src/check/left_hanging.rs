//! `left-hanging`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::Severity;
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "left-hanging",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a change of something that another mod has taken away",
    finds: "A change inside a definition or an entry of a list that is there on the mod's own ground, and that another mod, which loads before it, removes.",
    matters: "The change has no effect for players who have both mods.",
    example: "# one mod takes reed out of the drops; another one sets drops[item=reed].chance",
    mend: "Require the other mod and do without the change, or bring back what it needs.",
    accept: "If the change only matters without the other mod.",
    run: |context, findings| {
        let catalog = context.catalog;
        if !context.together {
            return;
        }
        for lost in &context.clashes().hanging {
            let (layer, change) = &lost.by;
            let defined = || catalog.defined_in(change.at, *layer).map(|made| context.definition_place(made.at()));
            let Some((gone, place)) = lost.gone.as_ref().zip(change.stated.or_else(defined)) else { continue };
            let other = &catalog.layer(gone.0).id;
            let message = said!(
                "`{other}` takes away what is changed here: `{field}` of `{definition}`",
                other,
                field = change.path,
                definition = context.show(change.at)
            );
            let mut finding =
                Finding::new(&CHECK, place, message).about(Some(change.at)).path(Some(change.path.clone()));
            if let Some(place) = gone.1.stated {
                finding = finding.related(place, "taken away here");
            }
            findings.push(finding);
        }
    },
};
