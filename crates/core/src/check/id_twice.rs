//! `id-twice`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::{Again, Severity};
use crate::said::{Said, said};

pub(super) static CHECK: Check = Check {
    code: "id-twice",
    severity: Severity::Error,
    since: "0.1",
    summary: "two definitions with one id",
    finds: "A definition whose id the same layer has already, or, in kinds whose ids may not repeat, any lower layer.",
    matters: "The game takes one of them, usually not the one you look at, or refuses both.",
    example: "goods/fuel.json:  \"peat\": { … }\ngoods/bog.json:   \"peat\": { … }",
    mend: "Rename one of them, or make one out of the two. To change a definition of a lower layer, amend it.",
    accept: "Never within one layer.",
    run: |context, findings| {
        let catalog = context.catalog;
        for (_, definition) in context.written_by_own() {
            let Some(below) = context.view.written_below(definition) else { continue };
            let same_layer = below.layer == definition.layer;
            let known = definition.again == Again::Variant || definition.removes || below.removes;
            if known || !same_layer && definition.again != Again::Fault {
                continue;
            }
            let address = catalog.address_of(definition);
            let shown: Said =
                address.map_or("this".into(), |address| said!("`{definition}`", definition = context.show(address)));
            let message = if same_layer {
                said!("{shown} is defined twice in `{by}`", shown, by = catalog.layer(definition.layer).id)
            } else {
                said!(
                    "`{by}` defines {shown} already, and ids of this kind may not repeat",
                    by = catalog.layer(below.layer).id,
                    shown
                )
            };
            let help = (!same_layer).then(|| "give yours an id of its own".to_owned());
            let first = context.definition_place(below.at());
            let place = context.definition_place(definition.at());
            findings.push(Finding::new(&CHECK, place, message).about(address).help(help).related(first, "first here"));
        }
    },
};
