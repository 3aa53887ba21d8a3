//! `key-twice`.

use rustc_hash::FxHashMap;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::document::NodeRef;
use crate::rulebook::Severity;
use crate::said::said;
use crate::source::Place;

pub(super) static CHECK: Check = Check {
    code: "key-twice",
    severity: Severity::Error,
    since: "0.1",
    summary: "the same key twice in one table",
    finds: "A key that stands more than once in one table of a file.",
    matters: "One of the values is lost: the last one counts here and in most games, but not in all.",
    example: "{ \"value\": 3, \"weight\": 1, \"value\": 5 }",
    mend: "Take one of them out. If two definitions were meant, give one another id.",
    accept: "Never.",
    run: |context, findings| {
        // with a sign that lacks, keys are read where none stand
        for (file, _, document) in context.harvests_once().filter(|(file, ..)| !context.causes().is_broken(*file)) {
            for fault in document.faults().iter().filter(|fault| fault.repeated_key) {
                let mut finding = Finding::new(&CHECK, Place { file, span: fault.span }, fault.message.clone());
                if let Some((span, message)) = &fault.second {
                    finding = finding.related(Place { file, span: *span }, message.clone());
                }
                findings.push(finding.help(Some("only the last one counts")));
            }
        }
        texts(context, findings);
    },
};

/// Keys of texts that stand twice in one file, where the format itself does not mind.
fn texts(context: &Context<'_>, findings: &mut Vec<Finding>) {
    for (_, harvest, document) in context.harvests().filter(|(_, harvest, _)| harvest.texts.len() > 1) {
        let mut seen: FxHashMap<(&str, &str), NodeRef> = FxHashMap::default();
        let told: Vec<u32> =
            document.faults().iter().filter(|fault| fault.repeated_key).map(|fault| fault.span.start).collect();
        for text in &harvest.texts {
            let Some(first) = seen.insert((&text.key, &text.language), text.at) else { continue };
            let (node, first) = (context.catalog.node(text.at), context.catalog.node(first));
            if told.contains(&node.key_span().start) {
                continue;
            }
            let message = said!(
                "the text `{key}` stands twice in this file in `{language}`",
                key = text.key,
                language = text.language
            );
            let finding = Finding::new(&CHECK, node.place(), message).related(first.place(), "first here");
            findings.push(finding.help(Some("only the last one counts")));
        }
    }
}
