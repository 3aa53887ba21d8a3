//! `adopt`.

use std::path::PathBuf;

use cognomen_core::{Address, AdoptReport, FileChange, adopt as adopted};

use super::copy::refused;
use super::{Done, Failure, check_next};
use crate::answers::{AdoptAnswer, NotToldAnswer};
use crate::args::Global;
use crate::output::{GOOD, ID, count, dry, few, paint, say_dry, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen adopt ../game-edited --dry-run      what of an edited copy of the base would be in the mod
  cognomen mods new my-changes; cognomen adopt ../game-edited

The copy is compared with the base that cognomen.toml names: what it changes becomes amendments, what it adds becomes
definitions, other texts become texts of the mod. What cannot be told so is listed. The copy stays as it is.")]
pub(crate) struct AdoptArgs {
    /// The edited copy of the base: its folder or archive, or several where the base comes in parts
    #[arg(required = true, value_name = "DIR")]
    copy: Vec<PathBuf>,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn adopt(args: &AdoptArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let mut opened = session.open_for(global, "adopt", args.dry_run)?;
    let layer = opened.edited(global)?;
    let folders = args.copy.iter().map(|folder| opened.place(folder, session)).collect::<Result<Vec<_>, _>>()?;
    if folders.iter().any(|folder| opened.catalog().workspace().base.contains(folder)) {
        return Err(Failure::Usage("that is the base itself, not a copy of it".to_owned()));
    }
    let report = adopted(&mut opened.world, &opened.source, layer, &folders).map_err(refused)?;
    let shown: Vec<String> = args.copy.iter().map(|folder| folder.display().to_string()).collect();
    opened.carry_out(&report.changes, &format!("adopt {}", shown.join(" ")), args.dry_run)?;
    match global.json() {
        true => json(&opened, &report, args.dry_run, session),
        false => human(&opened, &report, args.dry_run, session),
    }
    if !args.dry_run && !global.json() && !report.changes.files.is_empty() {
        check_next(&opened, layer, session);
    }
    Ok(Done::Well)
}

fn json(opened: &Opened, report: &AdoptReport, dry_run: bool, session: &mut Session) {
    let show = |address: &Address| opened.catalog().show_address(*address);
    session.json(&AdoptAnswer {
        changed: report.changed.iter().map(show).collect(),
        new: report.new.iter().map(show).collect(),
        texts: report.texts,
        left: report.left.iter().map(|(at, why)| NotToldAnswer { address: show(at), why: why.clone() }).collect(),
        taken_away: report.taken_away.iter().map(show).collect(),
        gone: report.gone.iter().map(show).collect(),
        other_files: report.files.clone(),
        files: report.changes.files.iter().map(|change| change.path().to_owned()).collect(),
        dry: dry(&report.changes, dry_run),
    });
}

fn human(opened: &Opened, report: &AdoptReport, dry_run: bool, session: &mut Session) {
    const SHOWN: usize = 12;
    let show = |address: &Address| opened.catalog().show_address(*address);
    let some = |all: Vec<String>| few(&all, SHOWN);
    if dry_run {
        say_dry(&report.changes, session);
    }
    let list = |all: &[Address]| some(all.iter().map(show).collect());
    if !report.changed.is_empty() {
        let number = count(report.changed.len(), "definition is changed", "definitions are changed");
        session.say(format!("{}: {}", paint(GOOD, &number), paint(ID, &list(&report.changed))));
    }
    if !report.new.is_empty() {
        let number = count(report.new.len(), "definition is new", "definitions are new");
        session.say(format!("{}: {}", paint(GOOD, &number), paint(ID, &list(&report.new))));
    }
    if !report.taken_away.is_empty() {
        let number = count(report.taken_away.len(), "definition is taken away", "definitions are taken away");
        session.say(format!("{}: {}", paint(GOOD, &number), paint(ID, &list(&report.taken_away))));
    }
    if report.texts > 0 {
        session.say(count(report.texts, "text is another", "texts are others"));
    }
    if report.changes.files.is_empty() && report.left.is_empty() && report.gone.is_empty() && report.files.is_empty() {
        session.say("the copy says what the base says");
        return;
    }
    for (address, why) in &report.left {
        let why = why.as_ref().map_or(String::new(), |why| format!(": {}", visible(why)));
        session.say(format!("not told: {} would show otherwise than in the copy{why}", visible(&show(address))));
    }
    if !report.gone.is_empty() {
        let all = list(&report.gone);
        session.say(format!("not told: the copy no longer has {all}"));
        session.remark(format!("  help: `cognomen delete {}`", all.replace(", ", " ")));
    }
    if !report.files.is_empty() {
        session.say(format!("not told: other files of the copy, to be taken by hand: {}", some(report.files.clone())));
    }
    let paths: Vec<&str> = report.changes.files.iter().map(FileChange::path).collect();
    if !dry_run && !paths.is_empty() {
        session.written(&paths);
    }
}
