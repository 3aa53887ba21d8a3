//! `move`.

use cognomen_core::{Address, MoveOptions, move_definitions};

use super::copy::refused;
use super::{Done, Failure, check_next};
use crate::answers::{MoveAnswer, MovedInto};
use crate::args::Global;
use crate::output::{FAINT, GOOD, count, dry, few, paint, say_dry, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen move recipe/salt-eels recipe/salt-pikes --to crafts/fish.json
  cognomen move crafts/salting.json --to \"crafts/{at}.json\"      a file, split by a field's value

Comments above and behind a definition go along, and a file in which nothing is left goes. What
shows stays as it was.")]
pub(crate) struct MoveArgs {
    /// The definitions: kind/id, the id alone where only one kind has it, or a file of the mod for all in it
    #[arg(required = true, value_name = "ADDRESS")]
    addresses: Vec<String>,
    /// The file, below the mod's folder; `{field}` in it is filled in from each definition
    #[arg(long, value_name = "FILE")]
    to: String,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn relocate(args: &MoveArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let what = format!("move {} --to {}", args.addresses.join(" "), args.to);
    let opened = session.open_for(global, &what, args.dry_run)?;
    let layer = opened.edited(global)?;
    let mut addresses: Vec<Address> = Vec::new();
    for text in &args.addresses {
        match in_file(&opened, layer, text) {
            found if !found.is_empty() => addresses.extend(found),
            _ => addresses.push(opened.address(text)?),
        }
    }
    addresses.sort();
    addresses.dedup();
    let options = MoveOptions { layer, addresses, to: args.to.replace('\\', "/") };
    let report = move_definitions(&opened.source, &opened.world, &options).map_err(refused)?;
    opened.carry_out(&report.changes, &what, args.dry_run)?;
    if global.json() {
        let into = report.moved.iter();
        session.json(&MoveAnswer {
            moved: into.map(|(file, all)| MovedInto { file: file.clone(), definitions: all.clone() }).collect(),
            emptied: report.emptied.clone(),
            files: report.changes.files.iter().map(|change| change.path().to_owned()).collect(),
            dry: dry(&report.changes, args.dry_run),
        });
        return Ok(Done::Well);
    }
    if args.dry_run {
        say_dry(&report.changes, session);
    }
    for (file, all) in &report.moved {
        let verb = if args.dry_run { "would go" } else { "moved" };
        session.say(format!("{} to {}: {}", paint(GOOD, verb), visible(file), few(all, 6)));
    }
    if !report.emptied.is_empty() {
        let number =
            count(report.emptied.len(), "file with nothing left in it goes", "files with nothing left in them go");
        session.say(paint(FAINT, &format!("{number}: {}", visible(&report.emptied.join(", ")))));
    }
    if !args.dry_run {
        check_next(&opened, layer, session);
    }
    Ok(Done::Well)
}

/// The mod's own definitions in a file of it.
fn in_file(opened: &Opened, layer: cognomen_core::LayerId, text: &str) -> Vec<Address> {
    let catalog = opened.catalog();
    let text = text.replace('\\', "/");
    let below = format!("{}/{text}", catalog.layer(layer).folder);
    let files = [catalog.file_named(&text), catalog.file_named(&below)];
    let here = catalog.definitions().filter(|(_, made)| made.layer == layer && files.contains(&Some(made.file)));
    here.filter_map(|(_, made)| catalog.address_of(made)).collect()
}
