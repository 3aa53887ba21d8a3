//! `mods`: list, order.

use anstyle::Style;
use cognomen_core::{
    Draft, FieldPath, FileChange, Layer, LayerId, MemorySource, NewMod, Overlay, RenamedMod, SetError,
    in_workspace_file, new_mod, rename_mod,
};

use super::rename::{left_answers, left_behind, renamed_ones};
use super::{Done, Failure};
use crate::answers::{ModAnswer, ModsAnswer, ModsChanged, OrderAnswer};
use crate::args::Global;
use crate::output::{FAINT, HEAD, ID, Places, Table, count, dry, paint, say_dry, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen mods                                       in load order, with what each stands on
  cognomen mods order long-night first-steps          load them in this order
  cognomen mods order first-steps --first --dry-run   show the change only
  cognomen mods new wick-and-flame --name \"Wick and Flame\"
  cognomen mods new wick-winter --requires wick-and-flame by=me
  cognomen mods edit long-night                       commands without --mod mean this one from now on
  cognomen mods rename wick-and-flame flame           folder, manifest and requirements follow
  cognomen mods rename wick-and-flame flame --ids     and ids of the mod that begin with its id")]
pub(crate) struct ModsArgs {
    #[command(subcommand)]
    what: Option<What>,
}

#[derive(clap::Subcommand, Debug)]
enum What {
    /// List the mods in load order (also without a word)
    List,
    /// Start a mod: its folder and manifest; it becomes the one that is edited
    New {
        /// Its id, and its folder's name
        id: String,
        /// Further fields of the manifest: path=value
        fields: Vec<String>,
        /// The name that players see
        #[arg(long, value_name = "TEXT")]
        name: Option<String>,
        /// Mods that it stands on; may be repeated
        #[arg(long, value_name = "ID")]
        requires: Vec<String>,
        /// Leave cognomen.toml's `edit` as it is
        #[arg(long)]
        keep: bool,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Give a mod another id: its folder, its manifest and the requirements of others follow
    Rename {
        /// Its id
        id: String,
        /// The new one
        new: String,
        /// Its definitions whose ids begin with the old id get the new beginning, too; those whose ids
        /// are made of the mod's change with it anyway
        #[arg(long)]
        ids: bool,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Say which mod is edited: the one that commands without --mod mean
    Edit {
        /// Its id
        id: String,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Write the order in which mods are loaded; the others keep theirs, behind the ones named
    Order {
        /// The mods' ids, first to last
        #[arg(required = true)]
        mods: Vec<String>,
        /// Put them before all others that are listed; otherwise they come last
        #[arg(long)]
        first: bool,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
}

impl ModsArgs {
    /// What others are told that is done, and whether nothing is written.
    fn writes(&self) -> (&'static str, bool) {
        match self.what {
            Some(What::New { dry_run, .. }) => ("mods new", dry_run),
            Some(What::Rename { dry_run, .. }) => ("mods rename", dry_run),
            Some(What::Edit { dry_run, .. }) => ("mods edit", dry_run),
            Some(What::Order { dry_run, .. }) => ("mods order", dry_run),
            Some(What::List) | None => ("mods", true),
        }
    }
}

pub(crate) fn mods(args: &ModsArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let (who, dry_run) = args.writes();
    let opened = session.open_for(global, who, dry_run)?;
    if let Some(What::Order { mods, first, dry_run }) = &args.what {
        return order(&opened, (mods, *first, *dry_run), global, session);
    }
    match &args.what {
        Some(What::New { id, fields, name, requires, keep, dry_run }) => {
            let mut all = Vec::new();
            for field in fields {
                let Some((path, text)) = field.split_once('=') else {
                    return Err(Failure::Usage(format!("`{}` is no path=value", visible(field))));
                };
                let path = FieldPath::parse(path).map_err(|error| Failure::Usage(error.to_string()))?;
                all.push((path, text.to_owned()));
            }
            let (requires, edit) = (requires.clone(), !keep);
            let made = NewMod { id: id.clone(), name: name.clone(), requires, fields: all, edit };
            let changes = new_mod(&opened.world, &made).map_err(refused)?;
            let said = format!("made the mod {}{}", paint(ID, id), if edit { ", and it is edited now" } else { "" });
            done(&opened, &changes.into(), &format!("mods new {id}"), &said, *dry_run, global, session)?;
        }
        Some(What::Rename { id, new, ids, dry_run }) => {
            let layer = opened.layer(id)?;
            let renamed = rename_mod(&opened.source, &opened.world, layer, new, *ids).map_err(refused)?;
            let mut said = format!("{} is now {}", visible(id), paint(ID, new));
            if !renamed.renamed.is_empty() {
                said.push_str(&format!(", and {} with it", count(renamed.renamed.len(), "id", "ids")));
            }
            if !renamed.followed.is_empty() {
                let require = if renamed.followed.len() == 1 { "requires" } else { "require" };
                said.push_str(&format!("; {} {require} it so", renamed.followed.join(", ")));
            }
            done(&opened, &renamed, &format!("mods rename {id} {new}"), &said, *dry_run, global, session)?;
            if !*dry_run {
                super::installed_moved(&opened, &renamed.changes);
            }
            if !renamed.ids.is_empty() && !global.json() {
                let ids = visible(&renamed.ids.join(", "));
                session.remark(format!("ids stay as they are: {ids}; with `--ids` they follow"));
            }
        }
        Some(What::Edit { id, dry_run }) => {
            if opened.catalog().layer(opened.layer(id)?).is_base() {
                return Err(Failure::Usage("the base is the game itself, and is not edited; name a mod".to_owned()));
            }
            let changes = in_workspace_file(opened.catalog(), "edit", Draft::Text(id.clone())).map_err(refused)?;
            let said = match changes.files.is_empty() {
                true => format!("{} is edited already", paint(ID, id)),
                false => format!("{} is edited now", paint(ID, id)),
            };
            done(&opened, &changes.into(), &format!("mods edit {id}"), &said, *dry_run, global, session)?;
        }
        _ => list(&opened, global, session),
    }
    session.timings(global);
    Ok(Done::Well)
}

fn refused(error: SetError) -> Failure {
    anyhow::anyhow!("{error}\n  nothing was written").into()
}

/// Writes a change of the mods' folders, or shows it, and says what was done.
fn done(
    opened: &Opened,
    made: &RenamedMod,
    what: &str,
    said: &str,
    dry_run: bool,
    global: &Global,
    session: &mut Session,
) -> Result<(), Failure> {
    let (changes, places) = (&made.changes, Places::new(opened.catalog()));
    opened.carry_out(changes, what, dry_run)?;
    let files: Vec<&str> = changes.files.iter().map(FileChange::path).collect();
    if global.json() {
        let files = files.into_iter().map(str::to_owned).collect();
        session.json(&ModsChanged {
            done: what.to_owned(),
            files,
            renamed: renamed_ones(&made.renamed),
            elsewhere: left_answers(&made.elsewhere, &places),
            by_hand: left_answers(&made.by_hand, &places),
            dry: dry(changes, dry_run),
        });
        return Ok(());
    }
    match dry_run {
        true => say_dry(changes, session),
        false => session.say(said),
    }
    left_behind((&made.by_hand, &made.elsewhere), &places, session);
    if !dry_run && !files.is_empty() {
        session.written(&files);
    }
    Ok(())
}

fn list(opened: &Opened, global: &Global, session: &mut Session) {
    let catalog = opened.catalog();
    let definitions = |layer| catalog.definitions().filter(|(_, definition)| definition.layer == layer).count();
    let edited = catalog.workspace().edit.as_ref().map(|(id, _)| id.as_str());
    let requires = |layer: LayerId| -> Vec<String> {
        let manifest = catalog.layer(layer).manifest.as_ref();
        manifest.map(|m| m.requires.iter().map(|(id, _)| id.clone()).collect()).unwrap_or_default()
    };
    let part = |layer: &Layer| layer.manifest.as_ref().and_then(|manifest| manifest.part_of.clone());
    if global.json() {
        let all = catalog.layers().map(|(id, layer)| {
            let manifest = layer.manifest.as_ref();
            ModAnswer {
                id: layer.id.clone(),
                name: manifest.and_then(|m| m.name.clone()),
                version: manifest.and_then(|m| m.version.clone()),
                folder: layer.folder.clone(),
                definitions: definitions(id),
                requires: requires(id),
                part_of: part(layer).map(|(own, _)| own),
                edited: Some(layer.id.as_str()) == edited,
            }
        });
        session.json(&ModsAnswer { mods: all.collect() });
        return;
    }
    let mut table = Table::default();
    for (id, layer) in catalog.layers() {
        let manifest = layer.manifest.as_ref();
        let stands = match requires(id) {
            _ if layer.is_base() => "the game itself".to_owned(),
            _ if part(layer).is_some() => {
                part(layer).map_or(String::new(), |(own, condition)| format!("a part of {own}, {condition}"))
            }
            required if required.is_empty() => "stands on the base".to_owned(),
            required => format!("stands on {}", required.join(", ")),
        };
        let mark = if Some(layer.id.as_str()) == edited { "edited" } else { "" };
        table.row([
            (visible(&layer.id), ID),
            (visible(manifest.and_then(|m| m.name.as_deref()).unwrap_or("")), HEAD),
            (visible(manifest.and_then(|m| m.version.as_deref()).unwrap_or("")), Style::new()),
            (count(definitions(id), "definition", "definitions"), Style::new()),
            (visible(&stands), Style::new()),
            (visible(&layer.folder), FAINT),
            (mark.to_owned(), crate::output::GOOD),
        ]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
}

fn order(
    opened: &Opened,
    (mods, first, dry_run): (&[String], bool, bool),
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    for id in mods {
        if opened.catalog().layer(opened.layer(id)?).is_base() {
            return Err(Failure::Usage("the base always loads first".to_owned()));
        }
    }
    // a part comes behind its mods by itself
    let known = opened.catalog().layers().skip(1).filter(|(_, layer)| !layer.is_part());
    let known = known.map(|(_, layer)| layer.id.clone());
    let others: Vec<String> = known.filter(|id| !mods.contains(id)).collect();
    let order: Vec<String> = match first {
        true => mods.iter().cloned().chain(others).collect(),
        false => others.into_iter().chain(mods.iter().cloned()).collect(),
    };
    let value = Draft::List(order.iter().map(|id| Draft::Text(id.clone())).collect());
    let changes = in_workspace_file(opened.catalog(), "order", value).map_err(refused)?;
    opened.carry_out(&changes, "mods order", dry_run)?;
    if dry_run && !global.json() {
        say_dry(&changes, session);
        return Ok(Done::Well);
    }
    let above = changes.files.iter().map(|change| (change.path().to_owned(), change.texts().1.as_bytes().to_vec()));
    let again = session.load(&Overlay::new(&opened.source, MemorySource::new(above)), global)?;
    let now: Vec<String> = again.catalog().layers().map(|(_, layer)| layer.id.clone()).collect();
    if global.json() {
        session.json(&OrderAnswer { order: now, dry: dry(&changes, dry_run) });
        return Ok(Done::Well);
    }
    session.say(format!("load order: {}", now.iter().map(|id| paint(ID, id)).collect::<Vec<_>>().join(", ")));
    if now.iter().skip(1).ne(order.iter()) {
        session.remark("requirements come first all the same; `cognomen check` says which");
    }
    Ok(Done::Well)
}
