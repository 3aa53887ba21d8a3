//! `stale-copy`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::Severity;
use crate::said::{Said, said};
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
            let now: Said = catalog.edition().map_or("the base".into(), |edition| said!("edition {edition}", edition));
            let defined = |at| catalog.defined_in(at, layer).map(|made| context.definition_place(made.at()));
            match &stale.what {
                StaleWhat::Values(at, moved) => {
                    let Some(place) = defined(*at) else { continue };
                    // what is compared with was not read whole
                    if catalog.stack(*at).any(|(_, made)| context.causes().is_broken(made.file)) {
                        continue;
                    }
                    let carries = |moved: &crate::settle::MovedOn| match (&moved.carries, &moved.now) {
                        (Some(was), Some(now)) => {
                            said!(
                                "`{field}` is `{was}`, now `{now}`",
                                field = moved.path,
                                was = was.short(),
                                now = now.short()
                            )
                        }
                        (None, Some(now)) => {
                            said!("`{field}` is lacking, now `{now}`", field = moved.path, now = now.short())
                        }
                        (Some(was), None) => {
                            said!("`{field}` is `{was}`, now nothing", field = moved.path, was = was.short())
                        }
                        (None, None) => said!("`{field}`", field = moved.path),
                    };
                    let message = said!(
                        "this copy of `{definition}` was made for edition {made_for} and keeps what {now} has changed: {changes}",
                        definition = context.show(*at),
                        made_for,
                        now,
                        changes = named(moved.iter().map(carries).collect::<Vec<_>>())
                    );
                    let only = moved.first().filter(|_| moved.len() == 1);
                    let place = only.and_then(|only| only.place).unwrap_or(place);
                    let help =
                        said!("`cognomen changes {own}` shows what it means to change", own = catalog.layer(layer).id);
                    let mut finding = Finding::new(&CHECK, place, message).about(Some(*at)).help(Some(help));
                    finding = finding.path(only.map(|only| only.path.clone()));
                    for from in moved.iter().filter_map(|moved| moved.from).take(NAMED) {
                        finding = finding.related(from, said!("changed in {now}", now));
                    }
                    findings.push(finding);
                }
                StaleWhat::Gone(at) => {
                    let Some(place) = defined(*at) else { continue };
                    let message = said!(
                        "this copy of `{definition}` was made for edition {made_for}; {now} no longer has it, so the copy brings it back",
                        definition = context.show(*at),
                        made_for,
                        now
                    );
                    findings.push(Finding::new(&CHECK, place, message).about(Some(*at)));
                }
                StaleWhat::Hides(file, all) => {
                    let Some(document) = catalog.document(*file) else { continue };
                    let place = crate::source::Place { file: *file, span: crate::own::first_line(document.root()) };
                    let ids = all.iter().map(|at| said!("`{definition}`", definition = context.show(*at))).collect();
                    let message = said!(
                        "this file was made for edition {made_for} and takes away what {now} has added to the base's file: {ids}",
                        made_for,
                        now,
                        ids = named(ids)
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

/// The first of them, and how many more there are.
fn named(all: Vec<Said>) -> Said {
    let more = all.len().saturating_sub(NAMED);
    let mut all = all.into_iter().take(NAMED);
    let first = all.next().unwrap_or_else(|| "".into());
    let first = all.fold(first, |first, next| said!("{first}; {next}", first, next));
    if more > 0 { said!("{first}; and {more} more", first, more) } else { first }
}
