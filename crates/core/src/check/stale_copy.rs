//! `stale-copy`.

use super::finding::Finding;
use super::registry::Check;
use crate::document::Draft;
use crate::rulebook::Severity;
use crate::settle::StaleWhat;

/// So many values or definitions are named in one message.
const NAMED: usize = 4;

pub(super) static CHECK: Check = Check {
    code: "stale-copy",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a whole copy made for an older edition of the base carries values that have moved on",
    finds: "A definition that a mod ships whole, made for an edition that the workspace keeps, with values that are still those of that edition though the base has others by now; that the base no longer has; or a file that stands for the base's file and so takes away what the base has added to it.",
    matters: "The mod undoes the game's own update for everybody who has it, without a word.",
    example: "# made for 1.1, where the torch burned for 40 minutes; in 1.2 it burns for 50\n{ \"torch\": { \"value\": 9, \"burn\": 40 } }",
    mend: "Take over the new values, or state only what is meant: an amendment, or a definition with only those fields, if the game merges them. `cognomen changes` shows what is meant.",
    accept: "If the old values are meant, now that the base has others.",
    run: |context, findings| {
        let catalog = context.catalog;
        if context.own.iter().all(|layer| context.world.edition_of(layer).is_none()) {
            return;
        }
        for stale in context.clashes().stale.iter().filter(|stale| context.own.contains(stale.layer)) {
            let layer = stale.layer;
            let made_for = context.world.edition_of(layer).unwrap_or_default();
            let now = catalog.edition().map_or("the base".to_owned(), |edition| format!("edition {edition}"));
            let defined = |at| catalog.defined_in(at, layer).map(|made| context.definition_place(made.at()));
            match &stale.what {
                StaleWhat::Values(at, moved) => {
                    let Some(place) = defined(*at) else { continue };
                    // what is compared with was not read whole
                    if catalog.stack(*at).any(|(_, made)| context.causes().is_broken(made.file)) {
                        continue;
                    }
                    let carries = |moved: &crate::settle::MovedOn| match (&moved.carries, &moved.now) {
                        (Some(was), Some(now)) => format!("`{}` is {}, now {}", moved.path, word(was), word(now)),
                        (None, Some(now)) => format!("`{}` is lacking, now {}", moved.path, word(now)),
                        (Some(was), None) => format!("`{}` is {}, now nothing", moved.path, word(was)),
                        (None, None) => moved.path.to_string(),
                    };
                    let message = format!(
                        "this copy of {} was made for edition {made_for} and keeps what {now} has changed: {}",
                        context.show(*at),
                        named(moved.iter().map(carries).collect()),
                    );
                    let only = moved.first().filter(|_| moved.len() == 1);
                    let place = only.and_then(|only| only.place).unwrap_or(place);
                    let help = format!("`cognomen changes {}` shows what it means to change", catalog.layer(layer).id);
                    let mut finding = Finding::new(&CHECK, place, message).about(Some(*at)).help(Some(help));
                    finding = finding.path(only.map(|only| only.path.clone()));
                    for from in moved.iter().filter_map(|moved| moved.from).take(NAMED) {
                        finding = finding.related(from, format!("changed in {now}"));
                    }
                    findings.push(finding);
                }
                StaleWhat::Gone(at) => {
                    let Some(place) = defined(*at) else { continue };
                    let message = format!(
                        "this copy of {} was made for edition {made_for}; {now} no longer has it, so the copy brings it back",
                        context.show(*at)
                    );
                    findings.push(Finding::new(&CHECK, place, message).about(Some(*at)));
                }
                StaleWhat::Hides(file, all) => {
                    let Some(document) = catalog.document(*file) else { continue };
                    let place = crate::source::Place { file: *file, span: crate::own::first_line(document.root()) };
                    let ids = all.iter().map(|at| context.show(*at)).collect();
                    let message = format!(
                        "this file was made for edition {made_for} and takes away what {now} has added to the base's file: {}",
                        named(ids)
                    );
                    let mut finding = Finding::new(&CHECK, place, message);
                    if let Some((_, base)) = all.first().and_then(|at| catalog.stack(*at).last()) {
                        finding = finding.related(context.definition_place(base.at()), "defined here in the base");
                    }
                    findings.push(finding);
                }
            }
        }
    },
};

fn word(draft: &Draft) -> String {
    format!("`{}`", draft.short())
}

/// The first of them, and how many more there are.
fn named(all: Vec<String>) -> String {
    let more = all.len().saturating_sub(NAMED);
    let first = all.into_iter().take(NAMED).collect::<Vec<_>>().join("; ");
    if more > 0 { format!("{first}; and {more} more") } else { first }
}
