//! `parent-lacking`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "parent-lacking",
    severity: Severity::Error,
    since: "0.1",
    summary: "a parent that is not there",
    finds: "A definition that inherits from an id which no definition of its kind has, or continues one that no lower layer defines.",
    matters: "What was to be inherited is missing; most games drop the definition.",
    example: "\"eel-smoked\": { \"based_on\": \"eels\" }      # the item is eel",
    mend: "Correct the parent's id, or take the field out and state everything.",
    accept: "Never.",
    run: |context, findings| {
        let catalog = context.catalog;
        let named = catalog.definitions().filter(|(_, definition)| definition.parent.is_some());
        for (definition, address) in named
            .flat_map(|(id, definition)| catalog.parents_of(id).into_iter().map(move |parent| (definition, parent)))
        {
            let kind = context.rulebook.kind(definition.kind);
            let parent = address.id;
            let own = definition.id == Some(parent);
            if own && definition.below.is_some() || !own && catalog.stacks.contains_key(&address) {
                continue;
            }
            // an included file may hold definitions of its own instead of being one
            let holds = |path: &str| path.rsplit_once('.').is_some_and(|(path, _)| path == catalog.names.text(parent));
            if kind.parent_by_path && context.definition_files().any(holds) {
                continue;
            }
            let node = kind.parent.and_then(|key| catalog.node(definition.at()).get(key)).and_then(|node| {
                let entry = node.children().find(|item| *item.text() == *catalog.names.text(parent));
                entry.or(Some(node))
            });
            let place = node.map_or_else(|| context.definition_place(definition.at()), |node| node.place());
            let word = catalog.names.text(parent);
            let about = catalog.address_of(definition);
            if own {
                let message = format!("`{word}` continues itself, but no lower layer defines it");
                findings.push(Finding::new(&CHECK, place, message).about(about));
                continue;
            }
            let lost = context.lost(word, &[definition.kind]);
            let (help, there) = lost.help(word, kind.name());
            let message = format!("there is no {} `{word}` to inherit from", kind.name());
            let mut finding = Finding::new(&CHECK, place, message).about(about).help(help);
            if let (Some(place), Some(there)) = (lost.place, there) {
                finding = finding.related(place, there);
            }
            findings.push(finding);
        }
    },
};
