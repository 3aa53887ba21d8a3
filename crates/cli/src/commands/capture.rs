//! `capture`.

use std::path::PathBuf;

use anstyle::Style;
use anyhow::anyhow;
use cognomen_core::{
    Address, CapturedLine, FileChange, ManyOptions, captured_assignments, captured_lines, nearest, set_many,
};

use super::{Done, Failure, check_next, not_selected};
use crate::answers::{CaptureAnswer, CapturedAnswer, CapturedIntoAnswer};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, ID, Table, count, dry, paint, say_dry, visible};
use crate::session::{Opened, Session};
use crate::tables::why;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen capture evening.log                              what the last session has, line by line
  cognomen capture evening.log spawn/reed-bed             all of it into one list
  cognomen capture evening.log spawn/reed-bed=1,3 spawn/open-water=2
  cognomen capture evening.log --last 2 spawn/reed-bed --dry-run

The rulebook says which lines mean what (`[[captures]]`). Lines that the game itself found unfit are shown and left out.")]
pub(crate) struct CaptureArgs {
    /// The log that the game wrote
    log: PathBuf,
    /// Where lines go: kind/id for all of them, kind/id=NUMBERS for some
    #[arg(value_name = "ADDRESS[=LINES]")]
    into: Vec<String>,
    /// Only lines of this name
    #[arg(long = "as", value_name = "NAME")]
    name: Option<String>,
    /// A session by its number; without it, the last one
    #[arg(long, value_name = "NUMBER")]
    session: Option<usize>,
    /// Only so many lines at the end
    #[arg(long, value_name = "NUMBER")]
    last: Option<usize>,
    /// The reason, kept with amendments
    #[arg(long, value_name = "TEXT")]
    why: Option<String>,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn capture(args: &CaptureArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let shown = visible(&args.log.display().to_string());
    let bytes = std::fs::read(session.folder().join(&args.log))
        .map_err(|error| anyhow!("cannot read {shown}: {}", why(&error)))?;
    let text = String::from_utf8_lossy(&bytes);
    let what = format!("capture {shown} {}", args.into.join(" "));
    let mut opened = session.open_for(global, &what, args.dry_run || args.into.is_empty())?;
    let names: Vec<String> = opened.catalog().rulebook().captures().into_iter().map(str::to_owned).collect();
    if names.is_empty() {
        let message = "the rulebook does not say which lines of a log mean what\n  help: its tables `[[captures]]` do";
        return Err(anyhow!(message).into());
    }
    if let Some(name) = args.name.as_ref().filter(|name| !names.contains(name)) {
        let near = nearest(name, names.iter().map(String::as_str));
        let near = near.map_or(format!("there are {}", names.join(", ")), |near| format!("the nearest is `{near}`"));
        return Err(Failure::Usage(format!("no line is called `{}`\n  help: {near}", visible(name))));
    }
    let (all, sessions) = captured_lines(opened.catalog(), &text);
    let wanted = args.session.unwrap_or(sessions);
    if wanted == 0 || wanted > sessions {
        return Err(Failure::Usage(format!("{shown} has {}", count(sessions, "session", "sessions"))));
    }
    let mut lines: Vec<&CapturedLine> = all
        .iter()
        .filter(|line| line.session == wanted && args.name.as_ref().is_none_or(|name| *name == line.name))
        .collect();
    if let Some(last) = args.last {
        lines.drain(..lines.len().saturating_sub(last));
    }
    if lines.is_empty() {
        return Err(anyhow!("session {wanted} of {shown} has no line that the rulebook knows").into());
    }
    if args.into.is_empty() {
        preview(&lines, (wanted, sessions), global, session);
        return Ok(Done::Well);
    }
    into(&mut opened, args, &lines, &what, global, session)
}

fn preview(lines: &[&CapturedLine], (wanted, sessions): (usize, usize), global: &Global, session: &mut Session) {
    if global.json() {
        let one = |(nth, line): (usize, &&CapturedLine)| CapturedAnswer {
            number: nth + 1,
            line: line.line,
            name: line.name.clone(),
            values: line.values.iter().map(|(path, value)| (path.to_string(), value.clone())).collect(),
            unfit: line.unfit.clone(),
        };
        let lines = lines.iter().enumerate().map(one).collect();
        session.json(&CaptureAnswer { session: wanted, sessions, lines });
        return;
    }
    if sessions > 1 {
        session.say(paint(FAINT, &format!("session {wanted} of {sessions}")));
    }
    let mut table = Table::default().right(&[0]);
    for (nth, line) in lines.iter().enumerate() {
        let values: Vec<String> = line.values.iter().map(|(path, value)| format!("{path} {value}")).collect();
        let unfit = line.unfit.as_ref().map_or(String::new(), |word| format!("unfit: {}", visible(word)));
        table.row([
            ((nth + 1).to_string(), ID),
            (visible(&line.name), Style::new()),
            (visible(&values.join(", ")), Style::new()),
            (unfit, CHANGE),
            (format!("line {}", line.line), FAINT),
        ]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
}

/// The numbers of lines, as in `1,3-5`.
fn numbers(text: &str, upto: usize) -> Option<Vec<usize>> {
    let mut out = Vec::new();
    for part in text.split(',') {
        let (first, last) = part.split_once('-').unwrap_or((part, part));
        let (first, last) = (first.trim().parse::<usize>().ok()?, last.trim().parse::<usize>().ok()?);
        if first == 0 || first > last || last > upto {
            return None;
        }
        out.extend(first..=last);
    }
    Some(out)
}

fn into(
    opened: &mut Opened,
    args: &CaptureArgs,
    lines: &[&CapturedLine],
    what: &str,
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let layer = opened.edited(global)?;
    let mut options = ManyOptions { why: args.why.clone(), ..ManyOptions::none(layer) };
    let mut put: Vec<(Address, usize, Vec<usize>)> = Vec::new();
    for target in &args.into {
        let (address, chosen) = match target.split_once('=') {
            Some((address, text)) => {
                let chosen = numbers(text, lines.len()).ok_or_else(|| {
                    let all = lines.len();
                    Failure::Usage(format!("`{}`: numbers of lines from 1 to {all}, as in `1,3-4`", visible(text)))
                })?;
                (address, chosen)
            }
            None => (target.as_str(), (1..=lines.len()).collect()),
        };
        let address = opened.address(address)?;
        let chosen: Vec<(usize, &CapturedLine)> =
            chosen.into_iter().filter_map(|nth| Some((nth, *lines.get(nth - 1)?))).collect();
        let unfit: Vec<usize> = chosen.iter().filter(|(_, line)| line.unfit.is_some()).map(|(nth, _)| *nth).collect();
        let fit: Vec<&CapturedLine> =
            chosen.iter().map(|(_, line)| *line).filter(|line| line.unfit.is_none()).collect();
        let assignments = captured_assignments(&opened.world, address, &fit)
            .map_err(|error| anyhow!("{error}\n  nothing was written"))?;
        if !assignments.is_empty() {
            options.assign(address, assignments);
        }
        put.push((address, fit.len(), unfit));
    }
    let mut changes = cognomen_core::ChangeSet::default();
    if !options.selection.addresses.is_empty() {
        let report = set_many(&mut opened.world, &options).map_err(not_selected)?;
        changes = report.changes;
    }
    opened.carry_out(&changes, what, args.dry_run)?;
    let catalog = opened.catalog();
    let paths: Vec<String> = changes.files.iter().map(|change: &FileChange| change.path().to_owned()).collect();
    if global.json() {
        let one = |(address, lines, unfit): &(Address, usize, Vec<usize>)| {
            (catalog.show_address(*address), *lines, unfit.clone())
        };
        session.json(&CapturedIntoAnswer {
            into: put.iter().map(one).collect(),
            files: paths,
            dry: dry(&changes, args.dry_run),
        });
        return Ok(Done::Well);
    }
    if args.dry_run {
        say_dry(&changes, session);
    }
    for (address, number, unfit) in &put {
        let number = count(*number, "line", "lines");
        session.say(format!("{} takes {number}", paint(ID, &visible(&catalog.show_address(*address)))));
        if !unfit.is_empty() {
            let all: Vec<String> = unfit.iter().map(usize::to_string).collect();
            session.remark(format!("  left out, since the game found it unfit: {}", all.join(", ")));
        }
    }
    if args.dry_run {
        return Ok(Done::Well);
    }
    match paths.is_empty() {
        true => session.remark("nothing was written"),
        false => {
            session.written(&paths);
            check_next(opened, layer, session);
        }
    }
    Ok(Done::Well)
}
