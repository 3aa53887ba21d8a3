//! `undo`.

use anyhow::anyhow;

use cognomen_core::{ChangeSet, Writer};

use super::{Done, Failure};
use crate::answers::UndoAnswer;
use crate::args::Global;
use crate::output::{FAINT, count, dry, paint, unified, visible};
use crate::session::Session;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen undo --dry-run        show what would be taken back
  cognomen undo                  take the last change back; once more brings it again

Only what Cognomen itself wrote last is taken back, and only if nobody changed those files since.")]
pub(crate) struct UndoArgs {
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn undo(args: &UndoArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let root = session.root(global)?;
    // who reads the last change waits for it to be whole
    let opened = session.open_broken(global, "undo", args.dry_run)?;
    let recorded = Writer::last(&root).map_err(|error| anyhow!("the last change cannot be read: {error}"))?;
    let recorded = recorded.ok_or_else(|| anyhow!("there is no change to take back"))?;
    let what = recorded.what;
    let changes = ChangeSet { files: recorded.back, over_formulas: true };
    if args.dry_run && !global.json() {
        unified(&changes).into_iter().for_each(|line| session.say(line));
        session.remark(format!("this takes back: {}; nothing was written", visible(&what)));
        return Ok(Done::Well);
    }
    let again = match what.strip_prefix("undo of ") {
        Some(what) => what.to_owned(),
        None => format!("undo of {what}"),
    };
    opened.carry_out(&changes, &again, args.dry_run)?;
    if global.json() {
        let files = changes.files.iter().map(|change| change.path().to_owned()).collect();
        session.json(&UndoAnswer { undone: what, files, dry: dry(&changes, args.dry_run) });
        return Ok(Done::Well);
    }
    session.say(format!("taken back: {}", visible(&what)));
    let files: Vec<&str> = changes.files.iter().map(cognomen_core::FileChange::path).collect();
    let shown = files.iter().take(6).copied().collect::<Vec<_>>().join(", ");
    session.say(paint(FAINT, &format!("{}: {}", count(files.len(), "file", "files"), visible(&shown))));
    Ok(Done::Well)
}
