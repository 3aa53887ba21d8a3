//! `field-not-known`.

use super::finding::Finding;
use super::follows::with_other_words;
use super::registry::Check;
use crate::nearest::near;
use crate::rulebook::{Reading, Severity, Wrong};

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
                ("", Some(kind)) => format!("{} {}", crate::rulebook::article(kind.name()), kind.name()),
                ("", None) => "the manifest".to_owned(),
                (pattern, _) => format!("`{pattern}`"),
            };
            let near = near(key, fields.fields.iter().map(|(name, _)| names.text(*name)));
            // fields of the same name elsewhere in the kind: it may only stand at the wrong depth
            let elsewhere = || {
                let kind = kind?;
                let leaves = context.rulebook.leaves(kind.root).into_iter();
                let patterns = leaves.map(|leaf| context.rulebook.field_type(leaf).pattern.as_str());
                let suffix = format!(".{key}");
                let pattern = patterns.into_iter().find(|pattern| pattern.ends_with(&suffix) || *pattern == key)?;
                Some(format!("`{pattern}` is a field; is that meant?"))
            };
            // fields that the table has with another word in it
            let otherwise = || {
                let (by, words) = with_other_words(context, table, local.node.key()?)?;
                let words: Vec<String> = words.iter().map(|word| format!("`{word}`")).collect();
                let by_name = names.text(by);
                let here = match local.node.parent().and_then(|table| table.get(by)) {
                    Some(word) => format!("here it is `{}`", word.text()),
                    None => "here it is not said".to_owned(),
                };
                Some(format!("`{key}` is a field where `{by_name}` is {}; {here}", words.join(" or ")))
            };
            let help = match (near, otherwise().or_else(elsewhere)) {
                (_, Some(help)) if near.is_none() => Some(help),
                (Some(near), _) => Some(format!("the nearest known field is `{}`", near.word)),
                (None, _) => kind.map(|kind| format!("`cognomen kinds {}` lists the fields", kind.name())),
            };
            let message = format!("{whose} has no field `{key}`");
            let mend = near.filter(|near| near.only).and_then(|near| context.rekeyed(local.node, near.word));
            let finding = Finding::new(&CHECK, context.key_place(local.node), message).about(about).path(Some(path));
            findings.push(finding.help(help).mend(mend));
        }
    },
};
