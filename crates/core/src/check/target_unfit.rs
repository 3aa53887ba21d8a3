//! `target-unfit`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::Severity;
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "target-unfit",
    severity: Severity::Error,
    since: "0.1",
    summary: "a reference to the right kind of thing, without what is demanded of it there",
    finds: "A reference to a definition that is there and has the right kind, but does not meet what the field asks of it.",
    matters: "The game ignores the entry, or shows something that makes no sense.",
    example: "\"shoes\": \"fur-cap\"      # an item worn on the head, not on the feet",
    mend: "Name a definition that fits, or change the one that is named.",
    accept: "If the game does not care, the rulebook should not ask.",
    run: |context, findings| {
        let view = &context.view;
        for (file, harvest, document, mention) in context.mentions() {
            let ty = context.rulebook.field_type(mention.wants);
            let Some(test) = ty.demands().and_then(|demands| demands.target.as_ref()) else { continue };
            let Some(address) = view.target_of(document, harvest, mention) else { continue };
            let Some(target) = view.effective(address) else { continue };
            let root = context.rulebook.kind(target.kind).root;
            // a group has none of the fields of its members
            let asked = |part: &crate::rulebook::TestPart| {
                context.rulebook.type_at(root, &part.path, &context.catalog.names).is_ok()
            };
            if !test.0.iter().all(asked) || test.holds(|part| target.words_at(context.catalog, part)) {
                continue;
            }
            let node = document.node(mention.at);
            if !context.is_seen(file, mention, node) {
                continue;
            }
            let (about, path) = context.whose(file, mention.from, node);
            let message = said!(
                "`{definition}` does not fit here: `{field}` asks that {test}",
                definition = context.show(address),
                field = ty.pattern,
                test
            );
            let wrong = test.0.iter().find_map(|part| {
                let value = target.get(context.catalog, &part.path)?;
                Some((
                    said!(
                        "`{field}` is `{value}` here",
                        field = part.path,
                        value = value.draft(context.catalog).short()
                    ),
                    value,
                ))
            });
            let mut finding = Finding::new(&CHECK, node.place(), message).about(about).path(Some(path));
            if let Some((text, place)) = wrong.and_then(|(text, value)| Some((text, value.origin().place?))) {
                finding = finding.related(place, text);
            } else if let Some((_, definition)) = view.top(address) {
                finding = finding.related(context.definition_place(definition.at()), "defined here");
            }
            findings.push(finding.help(context.fitting(mention, test, view)));
        }
    },
};
