//! `rename`.

use cognomen_core::{FileChange, Follows, LeftUse, RenameOptions, RenameReport, rename as renamed};

use super::copy::refused;
use super::{Done, Failure, check_next};
use crate::answers::{LeftAnswer, RenameAnswer, RenamedOne};
use crate::args::Global;
use crate::output::{FAINT, GOOD, ID, Places, count, dry, paint, say_dry, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen rename item/wick-oil clear-oil              the definition, and all that names it
  cognomen rename item/wick-oil clear-oil --dry-run    what it would come to

What follows: references in any notation, groups, texts, pictures that belong to it by its id,
amendments, formulas and conditions, remarks, accepted findings. Where the game knows further
names, or records of old ones, the old id stays as one, so that what was saved with it is found
(--forget leaves none). Other mods are not touched: their uses are listed.")]
pub(crate) struct RenameArgs {
    /// The definition: kind/id, or the id alone where only one kind has it
    address: String,
    /// Its new id
    id: String,
    /// Leave no further name for what was saved with the old id
    #[arg(long)]
    forget: bool,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn rename(args: &RenameArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let what = format!("rename {} {}", args.address, args.id);
    let opened = session.open_for(global, &what, args.dry_run)?;
    let layer = opened.edited(global)?;
    let address = opened.address(&args.address)?;
    let id = match opened.catalog().kind_of(address) {
        Some(kind) => opened.new_id(kind, &args.id),
        None => args.id.clone(),
    };
    let options = RenameOptions { layer, address, id, alias: !args.forget };
    let start = std::time::Instant::now();
    let report = renamed(&opened.source, &opened.world, &options).map_err(refused)?;
    session.stage("rename", start.elapsed());
    opened.carry_out(&report.changes, &what, args.dry_run)?;
    match global.json() {
        true => json(&opened, &report, args.dry_run, session),
        false => human(&opened, &report, args.dry_run, session),
    }
    if !args.dry_run && !global.json() {
        check_next(&opened, layer, session);
    }
    session.timings(global);
    Ok(Done::Well)
}

fn json(opened: &Opened, report: &RenameReport, dry_run: bool, session: &mut Session) {
    let places = Places::new(opened.catalog());
    session.json(&RenameAnswer {
        renamed: renamed_ones(&report.renamed),
        followed: report.followed.iter().map(|(_, at)| places.full(*at)).collect(),
        moved: renamed_ones(&report.moved),
        files: report.changes.files.iter().map(|change| change.path().to_owned()).collect(),
        elsewhere: left_answers(&report.elsewhere, &places),
        by_hand: left_answers(&report.by_hand, &places),
        alias: report.alias.clone(),
        dry: dry(&report.changes, dry_run),
    });
}

fn human(opened: &Opened, report: &RenameReport, dry_run: bool, session: &mut Session) {
    let places = Places::new(opened.catalog());
    if dry_run {
        say_dry(&report.changes, session);
    }
    let mut renamed = report.renamed.iter();
    if let Some((from, to)) = renamed.next() {
        let verb = if dry_run { "would be" } else { "is now" };
        session.say(format!("{} {verb} {}", paint(ID, &visible(from)), paint(GOOD, &visible(to))));
    }
    for (from, to) in renamed {
        session.say(format!("  and {}, whose id is made of it, {}", visible(from), visible(to)));
    }
    let number = |what: Follows| report.followed.iter().filter(|(known, _)| *known == what).count();
    let sorts = [
        (Follows::Use, "reference", "references"),
        (Follows::Amendment, "amendment", "amendments"),
        (Follows::Expression, "expression", "expressions"),
        (Follows::Text, "text", "texts"),
        (Follows::Own, "note or accepted finding", "notes and accepted findings"),
    ];
    let told: Vec<String> = sorts
        .iter()
        .filter(|(what, ..)| number(*what) > 0)
        .map(|(what, one, many)| count(number(*what), one, many))
        .collect();
    if !told.is_empty() {
        let all: usize = sorts.iter().map(|(what, ..)| number(*what)).sum();
        let follows = if all == 1 { "follows" } else { "follow" };
        session.say(format!("  {} {follows}", told.join(", ")));
    }
    for (from, to) in &report.moved {
        session.say(format!("  moved: {} → {}", visible(from), visible(to)));
    }
    if let Some(alias) = &report.alias {
        session.say(format!("  {}", visible(alias)));
    }
    left_behind((&report.by_hand, &report.elsewhere), &places, session);
    if !dry_run {
        let paths: Vec<&str> = report.changes.files.iter().map(FileChange::path).collect();
        session.written(&paths);
    }
}

/// What is called otherwise now, for programs.
pub(super) fn renamed_ones(renamed: &[(String, String)]) -> Vec<RenamedOne> {
    renamed.iter().map(|(from, to)| RenamedOne { from: from.clone(), to: to.clone() }).collect()
}

/// Uses that stay under another id than what they mean has now.
pub(super) fn left_behind((by_hand, elsewhere): (&[LeftUse], &[LeftUse]), places: &Places<'_>, session: &mut Session) {
    left(by_hand, "to be looked at by you, since it may mean it", places, session);
    left(elsewhere, "in other mods, which are not touched, this still says the old id", places, session);
}

/// Uses that stay, for programs.
pub(super) fn left_answers(left: &[LeftUse], places: &Places<'_>) -> Vec<LeftAnswer> {
    left.iter().map(|left| LeftAnswer { place: places.full(left.place), what: left.what.clone() }).collect()
}

/// Uses that stay, under what is to be said of them.
pub(super) fn left(left: &[LeftUse], title: &str, places: &Places<'_>, session: &mut Session) {
    const SHOWN: usize = 12;
    if left.is_empty() {
        return;
    }
    session.say(format!("  {title}:"));
    for one in left.iter().take(SHOWN) {
        session.say(format!("    {}  {}", paint(FAINT, &places.place(one.place)), visible(&one.what)));
    }
    if left.len() > SHOWN {
        session.say(format!("    and {} more", left.len() - SHOWN));
    }
}
