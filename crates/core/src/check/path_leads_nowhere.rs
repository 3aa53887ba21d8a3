//! `path-leads-nowhere`.

use super::context::Context;
use super::fields_named::FieldNamed;
use super::finding::Finding;
use super::mend::Mend;
use super::registry::Check;
use crate::rulebook::{Reading, Severity};

pub(super) static CHECK: Check = Check {
    code: "path-leads-nowhere",
    severity: Severity::Error,
    since: "0.2",
    summary: "the name of a field that is not there",
    finds: "A value that names a field, of a kind or of a definition, which that does not have.",
    matters: "The game looks for the field in vain, and does nothing, or stops.",
    example: "\"shows\": \"item.wieght\"      # the field is weight",
    mend: "Correct the path; `cognomen kinds KIND` lists the fields.",
    accept: "If the game knows a field that the rulebook does not describe.",
    run: |context, findings| {
        let types = &context.rulebook.types;
        let asked = |reading: &Reading| matches!(reading, Reading::Path(_));
        let forms = |ty: &crate::rulebook::FieldType| {
            ty.link.as_ref().is_some_and(|link| link.forms.iter().any(|form| form.has_path()))
        };
        if !types.iter().any(|ty| asked(&ty.reading) || forms(ty)) {
            return;
        }
        for (file, harvest, document) in context.harvests() {
            for mention in &harvest.mentions {
                let Some(named) = context.field_named(file, document, harvest, mention) else { continue };
                // an open kind has further fields
                let wrong = wrong(context, &named).filter(|_| context.is_seen(file, mention, named.node));
                let Some(finding) = wrong else { continue };
                let (about, path) = context.whose(file, mention.from, named.node);
                findings.push(finding.about(about).path(Some(path)));
            }
        }
    },
};

fn wrong(context: &Context<'_>, named: &FieldNamed<'_>) -> Option<Finding> {
    let place = named.node.place();
    if let Some(wrong) = &named.wrong {
        return Some(Finding::new(&CHECK, place, wrong.clone()));
    }
    let none = context.rulebook.no_field_called(&named.kinds, &named.path, &context.catalog.names)?;
    let only = none.near.as_ref().filter(|near| near.only);
    let mend = only.and_then(|near| Mend::word(place, &named.path, near.word));
    Some(Finding::new(&CHECK, place, none.message.clone()).help(Some(none.help())).mend(mend))
}
