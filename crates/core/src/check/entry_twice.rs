//! `entry-twice`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::{Reading, Severity, Wrong};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "entry-twice",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a list entry that is there already",
    finds: "A value that stands twice in a set, or two entries with one key in a keyed list.",
    matters: "The second one does nothing, or hides the first; which, depends on the game.",
    example: "\"tags\": [\"fuel\", \"dry\", \"fuel\"]",
    mend: "Take one of them out, or give it the key that was meant.",
    accept: "If the game counts equal entries, the rulebook should say `list = \"bag\"`.",
    run: |context, findings| {
        for local in context.locals() {
            let Wrong::EntryTwice { first, list } = local.fault.what else { continue };
            let (about, path) = context.whose(local.file, local.fault.from, local.node);
            let by = match &context.rulebook.field_type(list).reading {
                Reading::List(list) => list.by.as_slice(),
                _ => &[],
            };
            let words: Vec<String> = match by {
                [] => vec![local.node.text().into_owned()],
                by => by.iter().filter_map(|key| local.node.get(*key)).map(|node| node.text().into_owned()).collect(),
            };
            let place = by.first().and_then(|key| local.node.get(*key)).unwrap_or(local.node).place();
            let message = said!("`{entry}` stands twice in this list", entry = words.join(", "));
            let first = local.node.document().node(first);
            let first = by.first().and_then(|key| first.get(*key)).unwrap_or(first).place();
            findings
                .push(Finding::new(&CHECK, place, message).about(about).path(Some(path)).related(first, "first here"));
        }
    },
};
