//! Changes to files as a unified diff.

use anstyle::AnsiColor;
use cognomen_core::{ChangeSet, FileChange};
use similar::TextDiff;

use super::{FAINT, HEAD, paint, visible};
use crate::answers::Dry;
use crate::session::Session;

/// Whether a change was written, and what it would be where it was not.
pub(crate) fn dry(changes: &ChangeSet, dry_run: bool) -> Dry {
    let plain = |line: String| anstream::adapter::strip_str(&super::clean(&line)).to_string();
    let lines = || unified(changes).into_iter().map(plain).collect::<Vec<_>>().join("\n");
    Dry { written: !dry_run && !changes.files.is_empty(), diff: dry_run.then(lines) }
}

/// Shows a change that is not written.
pub(crate) fn say_dry(changes: &ChangeSet, session: &mut Session) {
    unified(changes).into_iter().for_each(|line| session.say(line));
    session.remark("nothing was written");
}

/// The lines of a unified diff of all files.
pub(crate) fn unified(changes: &ChangeSet) -> Vec<String> {
    let mut out = Vec::new();
    for change in &changes.files {
        if let FileChange::Move { path, to } = change {
            out.push(paint(HEAD, &format!("moved {} → {}", visible(path), visible(to))));
            continue;
        }
        if let FileChange::Bytes { path, before, after } = change {
            let lower = path.to_lowercase();
            let sort = match lower.rsplit_once('.').map_or("", |(_, ending)| ending) {
                "zip" => "archive",
                "xlsx" | "xlsm" => "workbook",
                _ => "file",
            };
            let what = match (before, after) {
                (None, _) => format!("new {sort}"),
                (_, None) => format!("{sort} taken out"),
                _ => format!("{sort} changed"),
            };
            out.push(paint(HEAD, &format!("{what} {}", visible(path))));
            continue;
        }
        let (before, after) = change.texts();
        let path = change.path();
        let old = if matches!(change, FileChange::Create { .. }) { "/dev/null".to_owned() } else { path.to_owned() };
        out.push(paint(HEAD, &format!("--- {}", visible(&old))));
        let new = if matches!(change, FileChange::Delete { .. }) { "/dev/null" } else { path };
        out.push(paint(HEAD, &format!("+++ {}", visible(new))));
        let diff = TextDiff::from_lines(before, after);
        for hunk in diff.unified_diff().context_radius(3).iter_hunks() {
            out.push(paint(FAINT, &hunk.header().to_string()));
            for change in hunk.iter_changes() {
                let line = visible(change.value().trim_end_matches(['\n', '\r']));
                out.push(match change.tag() {
                    similar::ChangeTag::Delete => paint(AnsiColor::Red.on_default(), &format!("-{line}")),
                    similar::ChangeTag::Insert => paint(AnsiColor::Green.on_default(), &format!("+{line}")),
                    similar::ChangeTag::Equal => format!(" {line}"),
                });
            }
        }
    }
    out
}
