//! `keep`.

use std::path::PathBuf;

use anyhow::anyhow;
use cognomen_core::{Edition, KeptEdition, Source, WORKSPACE_FILE, keep_edition};

use super::{Done, Failure};
use crate::answers::{EditionAnswer, EditionsAnswer, KeepAnswer};
use crate::args::Global;
use crate::output::{FAINT, ID, Table, count, dry, paint, say_dry, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen keep                              keep the base as it is, before the game is updated
  cognomen keep 1.1 --from ../old-game/data  keep an older edition that lies elsewhere
  cognomen keep --list                       which editions are kept, and who was made for them

An edition goes into editions/VERSION.zip, only the files that the rulebook reads of it; cognomen.toml names it under [editions].")]
pub(crate) struct KeepArgs {
    /// Its version; without it, the one of the base that is here
    edition: Option<String>,
    /// The folder or archive with the base's files, instead of the base that is here; several where it comes in parts
    #[arg(long, value_name = "DIR|ARCHIVE", requires = "edition")]
    from: Vec<PathBuf>,
    /// Only say which editions are kept
    #[arg(long, conflicts_with_all = ["edition", "from", "dry_run"])]
    list: bool,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn keep(args: &KeepArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    if args.list {
        let opened = session.open_with_editions(global)?;
        list(&opened, global, session);
        return Ok(Done::Well);
    }
    let opened = session.open_for(global, "keep", args.dry_run)?;
    let unknown = || {
        anyhow!(
            "neither the rulebook nor {WORKSPACE_FILE} says which version the base has\n  help: `cognomen keep 1.2`, or `edition = \"1.2\"` in {WORKSPACE_FILE}"
        )
    };
    let name = match &args.edition {
        Some(name) => name.as_str(),
        None => opened.catalog().edition().ok_or_else(unknown)?,
    };
    let kept = if args.from.is_empty() {
        keep_edition(&opened.world, &opened.world, &opened.source, name)
    } else {
        let folders = args.from.iter().map(|folder| opened.place(folder, session)).collect::<Result<Vec<_>, _>>()?;
        let other = opened.world.with_base(&opened.source, &folders).map_err(anyhow::Error::from)?;
        keep_edition(&opened.world, &other, &opened.source, name)
    };
    let kept = kept.map_err(anyhow::Error::from)?;
    opened.carry_out(&kept.changes, &format!("keeping edition {name}"), args.dry_run)?;
    if global.json() {
        session.json(&KeepAnswer {
            edition: kept.name.clone(),
            archive: kept.path.clone(),
            files: kept.files,
            bytes: kept.bytes.0,
            packed: kept.bytes.1,
            dry: dry(&kept.changes, args.dry_run),
        });
    } else if args.dry_run {
        say_dry(&kept.changes, session);
    } else {
        said(&kept, session);
    }
    Ok(Done::Well)
}

fn said(kept: &KeptEdition, session: &mut Session) {
    let (before, after) = kept.bytes;
    let files = count(kept.files, "file", "files");
    session.say(format!("edition {} is kept: {files} in {}", paint(ID, &visible(&kept.name)), visible(&kept.path)));
    let size = |bytes: usize| match bytes {
        ..10_000 => format!("{bytes} bytes"),
        10_000..10_000_000 => format!("{} kB", bytes / 1000),
        _ => format!("{} MB", bytes / 1_000_000),
    };
    let packed = match after < before {
        true => format!("{} packed to {}", size(before), size(after)),
        false => size(after),
    };
    session.say(paint(FAINT, &format!("{packed}; {WORKSPACE_FILE} names it")));
}

/// The mods that were made for an edition.
fn made_for<'o>(opened: &'o Opened, edition: &Edition) -> Vec<&'o str> {
    let layers = opened.catalog().layers();
    let found = layers.filter(|(layer, _)| opened.world.edition_of(*layer) == Some(edition.name.as_str()));
    found.map(|(_, layer)| layer.id.as_str()).collect()
}

fn list(opened: &Opened, global: &Global, session: &mut Session) {
    let catalog = opened.catalog();
    let editions = &catalog.workspace().editions;
    if global.json() {
        let one = |edition: &Edition| EditionAnswer {
            edition: edition.name.clone(),
            base: edition.base.clone(),
            mods: made_for(opened, edition).into_iter().map(str::to_owned).collect(),
        };
        let present = catalog.edition().map(str::to_owned);
        session.json(&EditionsAnswer { present, editions: editions.iter().map(one).collect() });
        return;
    }
    let present =
        catalog.edition().map_or("of a version that is not said".to_owned(), |name| paint(ID, &visible(name)));
    session.say(match editions.len() {
        0 => format!("the base is {present}; no edition of it is kept"),
        many => format!("the base is {present}; {} kept", count(many, "edition is", "editions are")),
    });
    let mut table = Table::default();
    for edition in editions {
        let mods = made_for(opened, edition);
        let there = edition.base.iter().all(|folder| opened.source.has_folder(folder)) && !edition.base.is_empty();
        let mods = match mods.as_slice() {
            _ if !there => "is not there".to_owned(),
            [] if catalog.edition() == Some(edition.name.as_str()) => "as the base that is here".to_owned(),
            [] => "no mod here was made for it".to_owned(),
            mods => format!("for {}", mods.join(", ")),
        };
        table.row([(visible(&edition.name), ID), (visible(&edition.base.join(", ")), FAINT), (visible(&mods), FAINT)]);
    }
    table.lines("  ").into_iter().for_each(|line| session.say(line));
}
