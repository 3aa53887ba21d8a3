//! `paste`.

use std::io::Read;
use std::path::PathBuf;

use anyhow::anyhow;
use cognomen_core::{
    ChangeSet, Draft, FieldPath, FileChange, LayerId, PasteError, PasteFault, paste as pasted, paste_entries,
};

use super::copy::refused;
use super::{Done, Failure, check_next};
use crate::answers::{PasteAnswer, PastedAnswer};
use crate::args::Global;
use crate::output::{GOOD, ID, dry, paint, say_dry, value, visible};
use crate::session::{Opened, Session};
use crate::tables::why;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen paste item eels.json             a whole file, or what stands in one
  xclip -o | cognomen paste item            what was copied elsewhere comes in
  cognomen paste item/storm-lamp lamp.json  a single definition, without its id
  cognomen paste stock/ferryman --into goods entries.json   entries of a list

The fragment is read as the game reads such a file; what is wrong in it is told with its line, and nothing is written then.")]
pub(crate) struct PasteArgs {
    /// The kind; of a single definition that does not say its id: kind/id
    what: String,
    /// The file with the fragment; without it, or with `-`, what comes in
    file: Option<PathBuf>,
    /// Put entries into this list of a definition that is there
    #[arg(long, value_name = "LIST")]
    into: Option<String>,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn paste(args: &PasteArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let (kind, id) = match args.what.split_once('/') {
        Some((kind, id)) => (kind, Some(id)),
        None => (args.what.as_str(), None),
    };
    let text = match args.file.as_ref().filter(|file| file.as_os_str() != "-") {
        Some(file) => {
            let shown = visible(&file.display().to_string());
            std::fs::read_to_string(session.folder().join(file))
                .map_err(|error| anyhow!("cannot read {shown}: {}", why(&error)))?
        }
        None => {
            let mut text = String::new();
            std::io::stdin()
                .read_to_string(&mut text)
                .map_err(|error| anyhow!("cannot read what comes in: {}", why(&error)))?;
            text
        }
    };
    let what = format!("paste {}", args.what);
    let mut opened = session.open_for(global, &what, args.dry_run)?;
    let layer = opened.edited(global)?;
    if let Some(list) = &args.into {
        return into_list(args, (list, &text), (&mut opened, layer), global, session);
    }
    let kind = opened.kind(kind)?;
    let report = pasted(&mut opened.world, layer, kind, id, &text).map_err(|error| match error {
        PasteError::Set(error) => refused(error),
        PasteError::Faults(faults) => anyhow!("{}\n  nothing was written", told(&faults)).into(),
    })?;
    opened.carry_out(&report.changes, &what, args.dry_run)?;
    let catalog = opened.catalog();
    let shown = |kind, id: &str| format!("{}/{id}", catalog.rulebook().kind(kind).name());
    let one = |(kind, id, below): &(cognomen_core::KindId, String, bool)| PastedAnswer {
        address: shown(*kind, id),
        over_lower: *below,
    };
    if answered(report.made.iter().map(one).collect(), &report.changes, args.dry_run, global, session) {
        return Ok(Done::Well);
    }
    for (kind, id, below) in &report.made {
        let over = if *below { ", over that of a lower layer" } else { "" };
        session.say(format!("{} {}{over}", paint(GOOD, "pasted"), paint(ID, &visible(&shown(*kind, id)))));
    }
    written(&report.changes, session);
    check_next(&opened, layer, session);
    Ok(Done::Well)
}

/// Tells programs what was pasted, and what would be; whether that is all that is to be said.
fn answered(
    made: Vec<PastedAnswer>,
    changes: &ChangeSet,
    dry_run: bool,
    global: &Global,
    session: &mut Session,
) -> bool {
    if global.json() {
        let files = changes.files.iter().map(|change| change.path().to_owned()).collect();
        session.json(&PasteAnswer { made, files, dry: dry(changes, dry_run) });
    } else if dry_run {
        say_dry(changes, session);
    }
    global.json() || dry_run
}

fn written(changes: &ChangeSet, session: &mut Session) {
    let paths: Vec<&str> = changes.files.iter().map(FileChange::path).collect();
    session.written(&paths);
}

/// Puts entries into a list of a definition.
fn into_list(
    args: &PasteArgs,
    (list, text): (&str, &str),
    (opened, layer): (&mut Opened, LayerId),
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let address = opened.address(&args.what)?;
    let list = list.trim_end_matches("[]");
    let path = FieldPath::parse(list).map_err(|error| Failure::Usage(format!("`{list}` is no field path: {error}")))?;
    let report = paste_entries(&mut opened.world, layer, address, &path, text).map_err(|error| match error {
        PasteError::Set(error) => refused(error),
        PasteError::Faults(faults) => anyhow!("{}\n  nothing was written", told(&faults)).into(),
    })?;
    opened.carry_out(&report.changes, &format!("paste {}", args.what), args.dry_run)?;
    let shown = opened.catalog().show_address(address);
    let made = vec![PastedAnswer { address: shown.clone(), over_lower: report.amended }];
    if answered(made, &report.changes, args.dry_run, global, session) {
        return Ok(Done::Well);
    }
    let items = |draft: &Option<Draft>| match draft {
        Some(Draft::List(items)) => items.clone(),
        _ => Vec::new(),
    };
    for changed in &report.changed {
        let before = items(&changed.before);
        for new in items(&changed.after).iter().filter(|item| !before.contains(item)) {
            let into = visible(&changed.path.to_string());
            session.say(format!(
                "{} into {into} of {}: {}",
                paint(GOOD, "pasted"),
                paint(ID, &visible(&shown)),
                value(new)
            ));
        }
    }
    written(&report.changes, session);
    check_next(opened, layer, session);
    Ok(Done::Well)
}

/// The faults of a fragment, one in a line.
fn told(faults: &[PasteFault]) -> String {
    const SHOWN: usize = 12;
    let one = |fault: &PasteFault| {
        let line = fault.line.map_or(String::new(), |line| format!("line {line}: "));
        let help = fault.help.as_ref().map_or(String::new(), |help| format!("\n  help: {}", visible(help)));
        format!("{line}{}{help}", visible(&fault.message))
    };
    let mut all: Vec<String> = faults.iter().take(SHOWN).map(one).collect();
    if faults.len() > SHOWN {
        all.push(format!("and {} more", faults.len() - SHOWN));
    }
    all.join("\n")
}
