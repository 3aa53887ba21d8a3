//! `field-of-another-sort`.

use super::composed::conditional;
use super::finding::Finding;
use super::registry::Check;
use crate::document::Step;
use crate::rulebook::{Reading, Severity};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "field-of-another-sort",
    severity: Severity::Error,
    since: "0.1",
    summary: "a field that exists only for another sort of the kind, or is missing for this sort",
    finds: "A field that stands where the rulebook says that it has no meaning, since another field says what sort of thing this is; or one that this sort must have and has not.",
    matters: "The game reads past the field, or refuses the definition.",
    example: "\"sort\": \"lamp\", \"feeds_days\": 1      # only food feeds",
    mend: "Take the field out, or correct the one that tells the sort.",
    accept: "If the game does read it, the rulebook is too narrow.",
    run: |context, findings| {
        let found = conditional(
            context,
            |kind| kind.conditional,
            |tables| {
                let mut found = Vec::new();
                let rulebook = context.rulebook;
                for table in tables.all() {
                    let Reading::Table(fields) = &rulebook.field_type(table.ty).reading else { continue };
                    for (name, ty) in &fields.fields {
                        let field = rulebook.field_type(*ty);
                        let Some(test) = field.demands().and_then(|demands| demands.only.as_ref()) else { continue };
                        let holds = tables.holds(test, table);
                        let path = table.path.with(Step::Key(context.catalog.names.text(*name).to_owned()));
                        match table.value.get(context.catalog, *name) {
                            Some(value) if !holds => {
                                let place = value.origin().place.unwrap_or(tables.place);
                                let message = said!(
                                    "`{field}` has no meaning here: it is only for a definition whose {test}",
                                    field = path,
                                    test
                                );
                                let finding = Finding::new(&CHECK, place, message);
                                found.push(finding.about(Some(tables.address)).path(Some(path)));
                            }
                            None if holds && !field.optional() && field.default().is_none() => {
                                let message = said!(
                                    "`{definition}` needs `{field}`, since {test}",
                                    definition = context.show(tables.address),
                                    field = path,
                                    test
                                );
                                let help = Some(said!(
                                    "`{field}` takes {wanted}",
                                    field = path,
                                    wanted = rulebook.describe(*ty)
                                ));
                                let finding = Finding::new(&CHECK, table.place(tables.place), message).help(help);
                                found.push(finding.about(Some(tables.address)).path(Some(path)));
                            }
                            _ => {}
                        }
                    }
                }
                found
            },
        );
        findings.extend(found);
    },
};
