//! `number-chosen`.

use super::finding::Finding;
use super::registry::Check;
use crate::effective::{Value, reach};
use crate::rulebook::{Pattern, Severity, in_ranges, ranges_in_words};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "number-chosen",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a number that the game chooses itself, or may choose for another",
    finds: "A new definition of a mod that leaves out a number which the game then chooses itself, or that states one of those among which the game chooses.",
    matters: "The game chooses by what is loaded: with other mods it is another number, and it may be one of somebody’s own.",
    example: "\"eel-jar\": { }      # no `shelf`, and the game takes one from 500 on",
    mend: "State a number that is free; `cognomen ids` names the next one.",
    accept: "Where nothing ever names the number, and no other mod states one of these.",
    run: |context, findings| {
        let catalog = context.catalog;
        for (kind, described) in context.rulebook.kinds() {
            for (_, ty) in context.rulebook.fields_below(described.root) {
                let field = context.rulebook.field_type(ty);
                let Some(demands) = field.demands().filter(|demands| !demands.chosen.is_empty()) else { continue };
                let Ok(pattern) = Pattern::parse(&field.pattern) else { continue };
                let new = context.written_by_own().map(|(_, made)| made);
                let new = new.filter(|made| made.kind == kind && !made.removes && !context.is_game(made.layer));
                for made in new.filter(|made| context.view.is_new(made)) {
                    let Some(address) = catalog.address_of(made).filter(|at| !context.is_abstract(*at)) else {
                        continue;
                    };
                    let Some(effective) = context.view.effective(address) else { continue };
                    let values = reach(catalog, effective.value, &pattern.0);
                    let (among, shown) = (ranges_in_words(&demands.chosen), context.show(address));
                    let help = said!(
                        "`cognomen ids {kind}.{field}` names a free one",
                        kind = described.name(),
                        field = field.pattern
                    );
                    let mut tell = |place, message| {
                        let finding = Finding::new(&CHECK, place, message).about(Some(address));
                        findings.push(finding.help(Some(help.clone())));
                    };
                    if values.is_empty() && demands.only.is_none() && !field.pattern.contains(['[', '{']) {
                        let message = said!(
                            "`{definition}` leaves out `{field}`: the game chooses one, {among}",
                            definition = shown,
                            field = field.pattern,
                            among
                        );
                        tell(context.definition_place(made.at()), message);
                    }
                    let own = |value: &&Value| value.origin().layer == made.layer;
                    for value in values.iter().filter(own) {
                        let Some((word, place)) = value.word(catalog).zip(value.origin().place) else { continue };
                        if word.parse().is_ok_and(|number| in_ranges(&demands.chosen, number)) {
                            let message = said!(
                                "`{field}` is {word}; the game gives others numbers itself, {among}",
                                field = field.pattern,
                                word,
                                among
                            );
                            tell(place, message);
                        }
                    }
                }
            }
        }
    },
};
