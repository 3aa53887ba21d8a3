//! `undo` and `redo`.

use anyhow::anyhow;

use cognomen_core::{ChangeSet, FileChange, Keep, StepMade, Writer};

use super::{Done, Failure};
use crate::answers::{StepAnswered, StepsAnswer, UndoAnswer};
use crate::args::Global;
use crate::output::{FAINT, ID, Table, count, dry, paint, unified, visible};
use crate::session::Session;
use crate::written::commit;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen undo                  take the last change back; again, the one before it
  cognomen undo --dry-run        show what would be taken back
  cognomen undo --list           the changes that can be taken back, the last first
  cognomen redo                  bring again what was taken back last

Only what Cognomen itself wrote is taken back, step by step, up to a hundred steps; a step is
refused if somebody changed its files since. Builds are no steps: they can be made anew.")]
pub(crate) struct UndoArgs {
    /// Say which changes can be taken back, and brought again
    #[arg(long, conflicts_with = "dry_run")]
    list: bool,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen redo                  bring again what `undo` took back last; again, the one before it
  cognomen redo --dry-run        show what would be brought again

What is changed after an `undo` takes the place of what was taken back, which can then not be
brought again.")]
pub(crate) struct RedoArgs {
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn undo(args: &UndoArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    if args.list {
        return list(global, session);
    }
    step(args.dry_run, true, global, session)
}

pub(crate) fn redo(args: &RedoArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    step(args.dry_run, false, global, session)
}

/// Takes the last change back, or brings the last that was taken back again.
fn step(dry_run: bool, back: bool, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let root = session.root(global)?;
    // who reads the last change waits for it to be whole
    let opened = session.open_broken(global, if back { "undo" } else { "redo" }, dry_run)?;
    let mut steps = Writer::steps(&root);
    let last = if back { steps.done.pop() } else { steps.undone.pop() };
    let last = last.ok_or_else(|| match back {
        true => anyhow!("there is no change to take back"),
        false => anyhow!("there is no change to bring again"),
    })?;
    let recorded = Writer::recorded(&root, last.number);
    let recorded = recorded.map_err(|error| anyhow!("the change `{}` cannot be read: {error}", visible(&last.what)))?;
    let what = last.what;
    let changes = ChangeSet { files: recorded.back, over_formulas: true };
    if dry_run && !global.json() {
        unified(&changes).into_iter().for_each(|line| session.say(line));
        let does = if back { "takes back" } else { "brings again" };
        session.remark(format!("this {does}: {}; nothing was written", visible(&what)));
        return Ok(Done::Well);
    }
    match opened.writer().filter(|_| !dry_run) {
        Some(writer) => {
            let said = if back { format!("undo of {what}") } else { what.clone() };
            commit(writer, &changes, &opened.bounds(), &said, Keep::TakesBack(last.number))?;
        }
        None => opened.carry_out(&changes, &what, dry_run)?,
    }
    if global.json() {
        let files = changes.files.iter().map(|change| change.path().to_owned()).collect();
        session.json(&UndoAnswer { undone: what, files, dry: dry(&changes, dry_run) });
        return Ok(Done::Well);
    }
    session.say(format!("{}: {}", if back { "taken back" } else { "brought again" }, visible(&what)));
    session.say(paint(FAINT, &files(changes.files.iter().map(FileChange::path))));
    let next = match (back, steps.done.last(), steps.undone.last()) {
        (true, Some(before), _) => {
            format!("next: `cognomen redo` brings it again, `cognomen undo` takes back: {}", before.what)
        }
        (true, None, _) => "next: `cognomen redo` brings it again".to_owned(),
        (false, _, Some(next)) => format!("next: `cognomen redo` brings again: {}", next.what),
        (false, _, None) => return Ok(Done::Well),
    };
    session.remark(visible(&next));
    Ok(Done::Well)
}

/// How many files, and the first of them.
fn files<'p>(paths: impl Iterator<Item = &'p str>) -> String {
    let paths: Vec<&str> = paths.collect();
    let shown = paths.iter().take(6).copied().collect::<Vec<_>>().join(", ");
    let more = if paths.len() > 6 { ", …" } else { "" };
    format!("{}: {}{more}", count(paths.len(), "file", "files"), visible(&shown))
}

fn list(global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let root = session.root(global)?;
    let steps = Writer::steps(&root);
    let again = steps.undone.iter().map(|step| (step, true));
    let all: Vec<(&StepMade, bool)> = again.chain(steps.done.iter().rev().map(|step| (step, false))).collect();
    if global.json() {
        let answer = |(step, undone): &(&StepMade, bool)| StepAnswered {
            what: step.what.clone(),
            files: step.paths.clone(),
            undone: *undone,
        };
        session.json(&StepsAnswer { steps: all.iter().map(answer).collect() });
        return Ok(Done::Well);
    }
    if all.is_empty() {
        session.say("there is no change to take back");
        return Ok(Done::Well);
    }
    let mut table = Table::default();
    let next = (steps.undone.len().checked_sub(1), steps.undone.len());
    for (nth, (step, undone)) in all.iter().enumerate() {
        let how = match undone {
            true if Some(nth) == next.0 => "`redo` brings again",
            true => "taken back",
            false if nth == next.1 => "`undo` takes back",
            false => "",
        };
        let files = files(step.paths.iter().map(String::as_str));
        table.row([(how.to_owned(), FAINT), (visible(&step.what), ID), (files, FAINT)]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
    Ok(Done::Well)
}
