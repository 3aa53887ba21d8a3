//! `field-of-another-sort`.

use super::composed::conditional;
use super::finding::Finding;
use super::registry::Check;
use crate::effective::Amiss;
use crate::rulebook::Severity;
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
            |kind| !kind.tested.is_empty(),
            |composed| {
                let catalog = context.catalog;
                let mut found = Vec::new();
                for table in &composed.tables {
                    for (path, place, amiss) in composed.effective.of_another_sort(catalog, table) {
                        let message = amiss.said(catalog, composed.address, table, &path);
                        let help = match amiss {
                            Amiss::LackingInSort(_, ty) => {
                                let wanted = context.rulebook.describe(ty);
                                Some(said!("`{field}` takes {wanted}", field = path, wanted))
                            }
                            _ => None,
                        };
                        let place = match amiss {
                            Amiss::OfAnotherSort(_) => place.unwrap_or(composed.place),
                            _ => table.place(composed.place),
                        };
                        let finding = Finding::new(&CHECK, place, message).help(help);
                        found.push(finding.about(Some(composed.address)).path(Some(path)));
                    }
                }
                found
            },
        );
        findings.extend(found);
    },
};
