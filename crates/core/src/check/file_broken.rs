//! `file-broken`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::Severity;
use crate::said::said;
use crate::source::Lines;
use crate::source::Place;

pub(super) static CHECK: Check = Check {
    code: "file-broken",
    severity: Severity::Error,
    since: "0.1",
    summary: "a file that cannot be read without faults",
    finds: "A fault in a file's notation: a missing comma or bracket, a text that is not closed, a file that is not UTF-8, something nested too deep.",
    matters: "Most games then pass over the whole file, and everything in it is gone.",
    example: "{\n  \"peat\": { \"value\": 3 }      <- a comma is missing here\n  \"reed\": { \"value\": 1 }\n}",
    mend: "Mend the place that is named first; later ones may follow from it.",
    accept: "Never.",
    run: |context, findings| {
        const SHOWN: usize = 3;
        for (file, _, document) in context.harvests() {
            // how it is written nobody knows, which is told of the rulebook
            if context.rulebook.uncertain.contains(document.notation()) {
                continue;
            }
            let all = document.faults().iter().filter(|fault| !fault.repeated_key);
            // what is left over behind the end follows from what went wrong before it
            let end = document.root().span().end;
            let before = all.clone().any(|fault| fault.span.start < end);
            let all = all.filter(|fault| !before || fault.span.start < end);
            if document.faults().is_empty() {
                continue;
            }
            let lines = Lines::new(document.text());
            // one lost sign puts out what follows it: the next lines are told with it
            let mut faults: Vec<&crate::document::Fault> = Vec::new();
            let mut last = None;
            for fault in all {
                let line = lines.position(fault.span.start).line;
                if last.is_none_or(|last| line > last + 1) || !document.format().nests() {
                    faults.push(fault);
                }
                last = Some(line);
            }
            for (nth, fault) in faults.iter().enumerate().take(SHOWN) {
                let mut finding = Finding::new(&CHECK, Place { file, span: fault.span }, fault.message.clone());
                if let Some((span, message)) = &fault.second {
                    finding = finding.related(Place { file, span: *span }, message.clone());
                }
                if nth + 1 == SHOWN && faults.len() > SHOWN {
                    finding = finding
                        .help(Some(said!("{count} more faults follow in this file", count = faults.len() - SHOWN)));
                }
                findings.push(finding);
            }
        }
    },
};
