//! `field-not-known`.

use super::finding::Finding;
use super::follows::with_other_words;
use super::registry::Check;
use crate::nearest::near;
use crate::rulebook::{Reading, Severity, Wrong};
use crate::said::{either, one, said};

pub(super) static CHECK: Check = Check {
    code: "field-not-known",
    severity: Severity::Error,
    since: "0.1",
    summary: "a field that the kind does not have",
    finds: "A key that the rulebook does not describe for this kind of definition, in a definition, a manifest or an amendment's path.",
    matters: "Most games pass over unknown fields in silence: a misspelt field does nothing.",
    example: "\"lamp-oil\": { \"burn_minuets\": 55 }",
    mend: "Correct the spelling. `cognomen kinds KIND` lists the fields.",
    accept: "If the game does know the field, add it to the rulebook.",
    run: |context, findings| {
        context.own_faults(&CHECK, findings);
        for local in context.locals() {
            let Wrong::NotKnown { table } = local.fault.what else { continue };
            let names = &context.catalog.names;
            let key = local.node.key().map_or("", |key| names.text(key));
            let (about, path) = context.whose(local.file, local.fault.from, local.node);
            let ty = context.rulebook.field_type(table);
            let Reading::Table(fields) = &ty.reading else { continue };
            let nameless = || context.catalog.definition_of(local.file, local.fault.from).map(|(_, made)| made.kind);
            let kind = about.and_then(|address| context.view.kind_of(address)).or_else(nameless);
            let kind = kind.map(|kind| context.rulebook.kind(kind));
            let whose = match (ty.pattern.as_str(), kind) {
                ("", Some(kind)) => said!("{kind}", kind = one(kind.name())),
                ("", None) => "the manifest".into(),
                (pattern, _) => said!("`{table}`", table = pattern),
            };
            let near = near(key, fields.fields.iter().map(|(name, _)| names.text(*name)));
            // fields of the same name elsewhere in the kind: it may only stand at the wrong depth
            let elsewhere = || {
                let kind = kind?;
                let leaves = context.rulebook.leaves(kind.root).into_iter();
                let patterns = leaves.map(|leaf| context.rulebook.field_type(leaf).pattern.as_str());
                let suffix = format!(".{key}");
                let pattern = patterns.into_iter().find(|pattern| pattern.ends_with(&suffix) || *pattern == key)?;
                Some(said!("`{nearest}` is a field; is that meant?", nearest = pattern))
            };
            // fields that the table has with another word in it
            let otherwise = || {
                let (by, words) = with_other_words(context, table, local.node.key()?)?;
                let by_name = names.text(by);
                let here = match local.node.parent().and_then(|table| table.get(by)) {
                    Some(word) => said!("here it is `{value}`", value = word.text()),
                    None => "here it is not said".into(),
                };
                Some(said!(
                    "`{field}` is a field where `{chosen_by}` is `{allowed}`; {here}",
                    field = key,
                    chosen_by = by_name,
                    allowed = either(words),
                    here
                ))
            };
            let help = match (near, otherwise().or_else(elsewhere)) {
                (_, Some(help)) if near.is_none() => Some(help),
                (Some(near), _) => Some(said!("the nearest known field is `{nearest}`", nearest = near.word)),
                (None, _) => kind.map(|kind| said!("`cognomen kinds {kind}` lists the fields", kind = kind.name())),
            };
            let message = said!("{whose} has no field `{field}`", whose, field = key);
            let mend = near.filter(|near| near.only).and_then(|near| context.rekeyed(local.node, near.word));
            let finding = Finding::new(&CHECK, context.key_place(local.node), message).about(about).path(Some(path));
            findings.push(finding.help(help).mend(mend));
        }
    },
};
