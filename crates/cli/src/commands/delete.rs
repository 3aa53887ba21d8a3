//! `delete`.

use anyhow::anyhow;
use cognomen_core::{DeleteError, DeleteOptions, DeleteReport, FileChange, delete as deleted};

use super::copy::refused;
use super::rename::{left, left_answers};
use super::{Done, Failure, check_next};
use crate::answers::{CascadedAnswer, DeleteAnswer};
use crate::args::Global;
use crate::output::{GOOD, ID, Places, count, dry, paint, say_dry, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen delete item/grey-salt                 refused while anything of the mod names it
  cognomen delete item/grey-salt --cascade       with what names it, where that may be left out
  cognomen delete item/keg recipe/hew-keg        what these two say of each other does not count

Texts and pictures that belong to it by its id go along. A definition of the base or of another
mod is taken away by the notation that the game has for that, or refused where it has none; what
down there still names it is listed, and changed by amendments with `--cascade`. Where the mod
states something of such a definition, and the game has no such notation, that alone goes.
`cognomen undo` takes it back.")]
pub(crate) struct DeleteArgs {
    /// The definitions: kind/id, or the id alone where only one kind has it
    #[arg(required = true, value_name = "ADDRESS")]
    addresses: Vec<String>,
    /// Take out what names it, where that may be left out
    #[arg(long)]
    cascade: bool,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn delete(args: &DeleteArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let what = format!("delete {}", args.addresses.join(" "));
    let mut opened = session.open_for(global, &what, args.dry_run)?;
    let layer = opened.edited(global)?;
    let mut addresses = Vec::new();
    for text in &args.addresses {
        let address = opened.address(text)?;
        if !addresses.contains(&address) {
            addresses.push(address);
        }
    }
    let options = DeleteOptions { layer, addresses, cascade: args.cascade };
    let report = match deleted(&opened.source, &mut opened.world, &options) {
        Ok(report) => report,
        Err(DeleteError::Set(error)) => return Err(refused(error)),
        Err(DeleteError::Used(message, uses)) => {
            let places = Places::new(opened.catalog());
            const SHOWN: usize = 20;
            let mut lines: Vec<String> = uses
                .iter()
                .take(SHOWN)
                .map(|one| format!("    {}  {}", places.place(one.place), visible(&one.what)))
                .collect();
            if uses.len() > SHOWN {
                lines.push(format!("    and {} more", uses.len() - SHOWN));
            }
            let help = match args.cascade {
                true => "",
                false => "\n  help: `--cascade` takes out what may be left out",
            };
            return Err(anyhow!("{message}:\n{}{help}\n  nothing was written", lines.join("\n")).into());
        }
    };
    opened.carry_out(&report.changes, &what, args.dry_run)?;
    match global.json() {
        true => json(&opened, &report, args.dry_run, session),
        false => human(&opened, &report, args.dry_run, session),
    }
    if !args.dry_run && !global.json() {
        check_next(&opened, layer, session);
    }
    Ok(Done::Well)
}

fn json(opened: &Opened, report: &DeleteReport, dry_run: bool, session: &mut Session) {
    let places = Places::new(opened.catalog());
    let one = |(address, path): &(String, String)| CascadedAnswer { address: address.clone(), path: path.clone() };
    session.json(&DeleteAnswer {
        deleted: report.gone.clone(),
        taken_away: report.taken_away.clone(),
        taken_back: report.taken_back.clone(),
        cascaded: report.cascaded.iter().map(one).collect(),
        texts: report.texts.clone(),
        files: report.changes.files.iter().map(|change| change.path().to_owned()).collect(),
        elsewhere: left_answers(&report.elsewhere, &places),
        below: left_answers(&report.below, &places),
        dry: dry(&report.changes, dry_run),
    });
}

fn human(opened: &Opened, report: &DeleteReport, dry_run: bool, session: &mut Session) {
    let places = Places::new(opened.catalog());
    if dry_run {
        say_dry(&report.changes, session);
    }
    for shown in &report.gone {
        if report.taken_back.contains(shown) {
            let how = if dry_run { "would be taken back" } else { "taken back" };
            let what = format!("what the mod states of {}; what lower layers define stays", paint(ID, &visible(shown)));
            session.say(format!("{}: {what}", paint(GOOD, how)));
            continue;
        }
        let taken = report.taken_away.contains(shown);
        let how = match (taken, dry_run) {
            (true, false) => "taken away",
            (true, true) => "would be taken away",
            (false, false) => "deleted",
            (false, true) => "would be deleted",
        };
        session.say(format!("{} {}", paint(GOOD, how), paint(ID, &visible(shown))));
    }
    for (address, path) in &report.cascaded {
        session.say(format!("  and out of {}: {}", visible(address), visible(path)));
    }
    if !report.texts.is_empty() {
        let keys = visible(&report.texts.join(", "));
        session.say(format!("  {}: {keys}", count(report.texts.len(), "text", "texts")));
    }
    if !report.files.is_empty() {
        let files = visible(&report.files.join(", "));
        session.say(format!("  {}: {files}", count(report.files.len(), "file goes", "files go")));
    }
    left(&report.elsewhere, "other mods name it, and are not touched", &places, session);
    let below =
        "still named below the mod, where the game will find nothing; `--cascade` takes out what may be left out";
    left(&report.below, below, &places, session);
    if !dry_run {
        let paths: Vec<&str> = report.changes.files.iter().map(FileChange::path).collect();
        session.written(&paths);
    }
}
