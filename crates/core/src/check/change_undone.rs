//! `change-undone`.

use super::finding::Finding;
use super::follows::lacks_ground;
use super::registry::Check;
use super::requirement_undeclared::is_meant;
use super::told::said_about;
use crate::rulebook::Severity;
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "change-undone",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a mod takes back another mod's change without meaning to",
    finds: "A value that one mod changes, and that is as before all the same, since another mod ships a whole copy of the definition, or a number or list made from what it stands on.",
    matters: "Players who have both mods get one of them only in part, and neither author sees why.",
    example: "# one mod sets burn_minutes = 55; another one ships all of lamp-oil, to change its price, with burn_minutes = 40",
    mend: "State only what is meant: an amendment, or a definition with only those fields, if the game merges them. Or require the other mod. `cognomen clashes` shows both.",
    accept: "If the other mod's change is to be undone.",
    run: |context, findings| {
        let catalog = context.catalog;
        if !context.together {
            return;
        }
        for lost in &context.clashes().undone {
            let Some((layer, place)) = lost.culprit else { continue };
            let (by, change) = &lost.by;
            let defined = || catalog.defined_in(lost.at, layer).map(|made| context.definition_place(made.at()));
            let place = place.or_else(defined);
            // an amendment that carries the value along, though it means another one
            let amended = || said_about(context.world, layer, lost.at, &lost.path);
            let Some(place) = place.or_else(amended) else { continue };
            let (own, other) = (&catalog.layer(layer).id, &catalog.layer(*by).id);
            // of a mod that should be required, that is told
            let used = (catalog.owner_of(layer), other.clone());
            if context.undeclared.contains(&used) || is_meant(catalog, layer, other) || lacks_ground(catalog, layer) {
                continue;
            }
            let message = said!(
                "`{own}` undoes what `{other}` changes: `{field}` of `{definition}` is {shows}, not {meant}",
                own,
                other,
                field = lost.path,
                definition = context.show(lost.at),
                shows = lost.shows.as_ref().map_or("nothing".into(), |draft| said!("`{shows}`", shows = draft.short())),
                meant = lost.meant.as_ref().map_or("nothing".into(), |draft| said!("`{meant}`", meant = draft.short()))
            );
            let help = match lost.reckons {
                true => {
                    said!("`{own}` reckons with what it stands on: require `{other}`, and it takes that in", own, other)
                }
                false => said!("state only what `{own}` means to change, or require `{other}`", own, other),
            };
            let mut finding = Finding::new(&CHECK, place, message)
                .about(Some(lost.at))
                .path(Some(lost.path.clone()))
                .help(Some(help));
            if let Some(place) = change.stated {
                finding = finding.related(place, "changed here");
            }
            findings.push(finding);
        }
    },
};
