//! `key-twice`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::Severity;
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
        for (file, _, document) in context.harvests() {
            for fault in document.faults().iter().filter(|fault| fault.repeated_key) {
                let mut finding = Finding::new(&CHECK, Place { file, span: fault.span }, fault.message.clone());
                if let Some((span, message)) = &fault.second {
                    finding = finding.related(Place { file, span: *span }, message.clone());
                }
                findings.push(finding.help(Some("only the last one counts".to_owned())));
            }
        }
    },
};
