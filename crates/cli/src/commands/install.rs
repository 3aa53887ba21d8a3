//! `install`, `install --remove`.

use std::path::{Path, PathBuf};

use anyhow::anyhow;
use cognomen_core::{
    Bounds, BuildReport, ChangeSet, Enabling, FileChange, Installation, Keep, LayerId, Replaced, Writer, entangled,
    game_folder, plan_install, plan_removal, settled,
};

use super::{Done, Failure};
use crate::answers::{Dry, InstallAnswer, InstalledAnswer, RemovedAnswer, TakenOutAnswer};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, GOOD, ID, count, few, paint, summary, visible};
use crate::session::{Opened, Session, usable as usable_workspace};
use crate::written::commit;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen install --mod long-night              into the game's folder, and into its list of mods
  cognomen install --dry-run                     only say what would be written
  cognomen install --remove                      out of it again; what was there before comes back
  cognomen install --game ../fen-test            one of several folders that the workspace names

The workspace file names the game's folder: `game = \"../Peatlight\"`. The rulebook says under `[install]` where mods go in
it, and which list says what is loaded; nothing else there is written to. What is built is installed, whole or not at
all. Exit code 3 where the mod has errors; with --anyway it is installed all the same, exit code 1.")]
pub(crate) struct InstallArgs {
    /// Take the mod out of the game again
    #[arg(long)]
    remove: bool,
    /// Only this folder of those that the workspace names
    #[arg(long, value_name = "DIR")]
    game: Option<String>,
    /// Install a mod that has errors
    #[arg(long, conflicts_with = "remove")]
    anyway: bool,
    /// Put it in the place of what others put or changed there
    #[arg(long, conflicts_with = "remove")]
    replace: bool,
    /// Only say what would be done
    #[arg(long)]
    dry_run: bool,
}

/// Under which name it is remembered what was installed.
const INSTALLED: &str = "installed.json";

/// What was installed from a workspace, all mods and folders.
#[derive(Default, serde::Serialize, serde::Deserialize)]
struct Remembered {
    format: u32,
    installed: Vec<Installation>,
}

/// What was installed from a workspace.
pub(crate) fn installations(root: &Path) -> Vec<Installation> {
    let bytes = Writer::remembered(root, INSTALLED);
    let all: Option<Remembered> = bytes.and_then(|bytes| serde_json::from_slice(&bytes).ok());
    all.filter(|all| all.format == 1).unwrap_or_default().installed
}

/// Remembers where a mod's folder has gone, so that the mod is known again under another id.
pub(crate) fn installed_moved(opened: &Opened, changes: &ChangeSet) {
    let mut all = installations(&opened.root);
    let moves = changes.files.iter().filter_map(|change| match change {
        FileChange::Move { path, to, .. } => Some((path, to)),
        _ => None,
    });
    for (from, to) in moves {
        for known in all.iter_mut().filter(|known| known.folder == *from) {
            known.folder.clone_from(to);
        }
    }
    if let Some(home) = opened.writer().filter(|_| !all.is_empty()) {
        let _ = put(home, &all);
    }
}

/// A folder of the game.
pub(crate) struct GameFolder {
    /// As the workspace file names it.
    pub(crate) shown: String,
    /// With links resolved.
    pub(crate) full: PathBuf,
}

impl GameFolder {
    /// As it is remembered.
    pub(crate) fn word(&self) -> String {
        self.full.to_string_lossy().into_owned()
    }
}

/// The folders of the game that the workspace names.
pub(crate) fn game_folders(opened: &Opened) -> Vec<GameFolder> {
    let named = opened.catalog().workspace().game.iter();
    named.map(|shown| GameFolder { shown: shown.clone(), full: settled(&opened.root.join(shown)) }).collect()
}

fn chosen(args: &InstallArgs, opened: &Opened, session: &Session) -> Result<Vec<GameFolder>, Failure> {
    let mut all = game_folders(opened);
    if all.is_empty() {
        return Err(no_game());
    }
    if let Some(wanted) = &args.game {
        let full = settled(&session.folder().join(wanted));
        let named: Vec<String> = all.iter().map(|game| format!("`{}`", visible(&game.shown))).collect();
        all.retain(|game| game.shown == *wanted || game.full == full);
        if all.is_empty() {
            return Err(Failure::Usage(format!(
                "cognomen.toml names no folder `{}` of the game\n  help: it names {}",
                visible(wanted),
                named.join(", ")
            )));
        }
    }
    Ok(all)
}

pub(crate) fn install(args: &InstallArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    // what is taken out may be of a mod that is not here any more
    let opened = usable_workspace(session.open_broken(global, "install", args.dry_run)?)?;
    if args.remove {
        return remove(args, &opened, global, session);
    }
    let layer = opened.edited(global)?;
    let catalog = opened.catalog();
    let id = catalog.layer(layer).id.clone();
    if catalog.layer(layer).is_base() {
        return Err(Failure::Usage(
            "the base is the game itself, and is not installed; name a mod with `--mod`".to_owned(),
        ));
    }
    let games = chosen(args, &opened, session)?;
    all_usable(&opened, &games)?;
    let own = super::errors_of(&opened, layer, args.anyway, "installs", session)?;
    let build = cognomen_core::build(&opened.world, &opened.source, layer).map_err(anyhow::Error::from)?;
    let answers = into_games((args.dry_run, args.replace), &opened, layer, &build, &games, session)?;
    let errors = own.len();
    if global.json() {
        session.json(&InstallAnswer {
            layer: id,
            games: answers,
            errors,
            dry: Dry { written: !args.dry_run, diff: None },
        });
    } else {
        for answer in &answers {
            said(&id, answer, args.dry_run, global, session);
        }
        if errors > 0 {
            session.say(paint(
                CHANGE,
                &format!("{}; `cognomen check --mod {id}` shows them", summary(&own.iter().collect::<Vec<_>>())),
            ));
        }
        if !args.dry_run {
            session.say(format!("next: {}", next(&answers)));
        }
    }
    session.timings(global);
    Ok(if errors > 0 { Done::WithErrors } else { Done::Well })
}

/// Installs a build into each folder of the game that the workspace names.
pub(crate) fn install_now(
    opened: &Opened,
    layer: LayerId,
    build: &BuildReport,
    session: &mut Session,
) -> Result<Vec<InstalledAnswer>, Failure> {
    let games = game_folders(opened);
    if games.is_empty() {
        return Err(no_game());
    }
    all_usable(opened, &games)?;
    into_games((false, false), opened, layer, build, &games, session)
}

fn no_game() -> Failure {
    let message = "cognomen.toml names no folder of the game";
    anyhow!("{message}\n  help: `game = \"../Game\"` in it, seen from the workspace").into()
}

/// Whether a folder can take mods: it is the game's, and what we work on lies elsewhere.
fn usable(opened: &Opened, game: &GameFolder) -> Result<(), Failure> {
    let catalog = opened.catalog();
    game_folder(catalog, &game.shown, &game.full).map_err(anyhow::Error::from)?;
    let Some(mods) = catalog.rulebook().mods_folder() else { return Ok(()) };
    let there = settled(&game.full.join(mods));
    let workspace = catalog.workspace();
    let layers = catalog.layers().map(|(_, layer)| layer.folder.as_str());
    let ours = layers.chain([workspace.mods.as_str(), workspace.rulebook.as_str()]);
    match ours.into_iter().find(|ours| entangled(&settled(&opened.root.join(ours)), &there)) {
        Some(ours) => {
            let (mods, ours) = (visible(mods), visible(ours));
            let message = format!("`{mods}` of the game and `{ours}` of the workspace lie in each other");
            Err(anyhow!(
                "{message}\n  help: the game reads the mods there as they are; work in a folder of its own to install"
            )
            .into())
        }
        None => Ok(()),
    }
}

/// Whether all of these folders can take mods: nothing is written into the first where the second cannot.
fn all_usable(opened: &Opened, games: &[GameFolder]) -> Result<(), Failure> {
    games.iter().try_for_each(|game| usable(opened, game))
}

/// Installs into each of these folders.
fn into_games(
    how: (bool, bool),
    opened: &Opened,
    layer: LayerId,
    build: &BuildReport,
    games: &[GameFolder],
    session: &mut Session,
) -> Result<Vec<InstalledAnswer>, Failure> {
    games.iter().map(|game| into_game(how, opened, layer, build, game, session)).collect()
}

/// Installs into one folder of the game; what others put there gives way with `replace`.
fn into_game(
    (dry_run, replace): (bool, bool),
    opened: &Opened,
    layer: LayerId,
    build: &BuildReport,
    game: &GameFolder,
    session: &mut Session,
) -> Result<InstalledAnswer, Failure> {
    let mut all = installations(&opened.root);
    let known = Installation::of(&all, &opened.world, layer, &game.word(), Some(build)).cloned();
    let kept = known.as_ref().map(|known| kept(&opened.root, known)).unwrap_or_default();
    let earlier = known.as_ref().map(|known| (known, kept));
    let plan = plan_install(&opened.world, layer, build, &game.full, earlier, replace);
    let plan = plan.map_err(anyhow::Error::from)?;
    let bounds = Bounds { allowed: plan.bounds.clone(), never: opened.bases() };
    if dry_run {
        plan.changes.rehearse(&game.full, &bounds)?;
    } else {
        let home = opened.writer().ok_or_else(|| anyhow!("nothing was opened to write to"))?;
        // what was there is safe before it goes
        if let Some(name) = &plan.after.kept {
            home.remember(
                name,
                &plan.replaced.bytes().map_err(|error| anyhow!("what is there cannot be kept: {error}"))?,
            )?;
        }
        all.retain(|other| Some(other) != known.as_ref());
        all.push(plan.during.clone());
        put(home, &all)?;
        let what = format!("install {}", plan.after.at);
        session.elsewhere(opened, &game.full, "install", &bounds, |writer| {
            commit(writer, &plan.changes, &bounds, &what, Keep::Nothing).map_err(held_open)
        })?;
        all.pop();
        all.push(plan.after.clone());
        // what is remembered from before holds for both, so it is no harm if this fails
        let _ = put(home, &all);
    }
    let (list, enabled_now) = match plan.enabling {
        Enabling::None => (None, false),
        Enabling::Already(list) => (Some(list), false),
        Enabling::Comes(list) => (Some(list), true),
    };
    let before = plan.replaced.0.into_keys().filter(|path| Some(path) != list.as_ref());
    Ok(InstalledAnswer {
        game: game.shown.clone(),
        at: plan.after.at,
        was: plan.was,
        written: plan.written,
        removed: plan.removed,
        foreign: plan.foreign,
        kept: before.collect(),
        list,
        enabled_now,
        lacks: plan.lacks,
    })
}

fn put(home: &Writer, all: &[Installation]) -> Result<(), Failure> {
    let all = Remembered { format: 1, installed: all.to_vec() };
    Ok(home.remember(INSTALLED, &serde_json::to_vec(&all).map_err(anyhow::Error::from)?)?)
}

/// What was there before a mod was installed.
fn kept(root: &Path, known: &Installation) -> Replaced {
    let bytes = known.kept.as_ref().and_then(|name| Writer::remembered(root, name));
    bytes.map(|bytes| Replaced::read(&bytes)).unwrap_or_default()
}

/// A file that the system does not give: most often the game has it open.
fn held_open(failure: Failure) -> Failure {
    match failure {
        Failure::Could(error) if error.to_string().starts_with("cannot write") => {
            Failure::Could(anyhow!("{error}\n  help: end the game and whatever else may have it open, and try again"))
        }
        other => other,
    }
}

/// What is left to do.
fn next(answers: &[InstalledAnswer]) -> String {
    let lacks: Option<&String> = answers.iter().flat_map(|answer| &answer.lacks).next();
    lacks.map_or_else(|| "start the game".to_owned(), |id| format!("`cognomen install --mod {}`", visible(id)))
}

fn said(id: &str, answer: &InstalledAnswer, dry_run: bool, global: &Global, session: &mut Session) {
    let at = visible(&format!("{}/{}", answer.game.trim_end_matches('/'), answer.at));
    let word = if dry_run { "would install" } else { "installed" };
    let changed = answer.written.len() + answer.removed.len();
    let number = match changed {
        0 => "every file is there as it is now".to_owned(),
        _ => format!("{} written", count(answer.written.len(), "file", "files")),
    };
    session.say(format!("{} {} into {at}: {number}", paint(GOOD, word), paint(ID, &visible(id))));
    if let Some(was) = &answer.was {
        session.say(format!("  it was there as `{}` before", visible(was)));
    }
    if let Some(list) = &answer.list {
        let word = match (answer.enabled_now, dry_run) {
            (true, false) => "it is enabled now",
            (true, true) => "it would be enabled",
            (false, _) => "it is enabled already",
        };
        session.say(format!("  {word}: {}", visible(list)));
    }
    if !answer.lacks.is_empty() {
        let lacks: Vec<String> = answer.lacks.iter().map(|id| format!("`{}`", visible(id))).collect();
        let word = format!("  it requires {}, which the game does not load yet", lacks.join(", "));
        session.say(paint(CHANGE, &word));
    }
    if global.quiet {
        return;
    }
    for (what, files) in [
        ("taken out, since an older version brought it", &answer.removed),
        ("was there before, and comes back with `install --remove`", &answer.kept),
        ("written by no `install`, and left there", &answer.foreign),
    ] {
        if !files.is_empty() {
            session.say(paint(FAINT, &format!("  {what}: {}", few(files, 4))));
        }
    }
}

fn remove(args: &InstallArgs, opened: &Opened, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let games = chosen(args, opened, session)?;
    let mut all = installations(&opened.root);
    // a mod that is gone from the workspace is still taken out by its id
    let told = global.edited.as_ref().filter(|id| opened.catalog().layer_named(id).is_none());
    let told = told.filter(|id| all.iter().any(|known| known.id == **id)).cloned();
    let layer = if told.is_some() { None } else { Some(opened.edited(global)?) };
    let id = told.unwrap_or_else(|| layer.map(|layer| opened.catalog().layer(layer).id.clone()).unwrap_or_default());
    let mut answers = Vec::new();
    for game in &games {
        let known = match layer {
            Some(layer) => Installation::of(&all, &opened.world, layer, &game.word(), None),
            None => all.iter().find(|known| known.id == id && known.game == game.word()),
        };
        let Some(known) = known.cloned() else { continue };
        game_folder(opened.catalog(), &game.shown, &game.full).map_err(anyhow::Error::from)?;
        let plan = plan_removal(opened.catalog(), &game.full, &known, &kept(&opened.root, &known));
        let plan = plan.map_err(anyhow::Error::from)?;
        let bounds = Bounds { allowed: plan.bounds.clone(), never: opened.bases() };
        if args.dry_run {
            plan.changes.rehearse(&game.full, &bounds)?;
        } else {
            let what = format!("install --remove {}", known.at);
            session.elsewhere(opened, &game.full, "install --remove", &bounds, |writer| {
                commit(writer, &plan.changes, &bounds, &what, Keep::Nothing).map_err(held_open)
            })?;
            let home = opened.writer().ok_or_else(|| anyhow!("nothing was opened to write to"))?;
            all.retain(|other| *other != known);
            // it is out of there, whether or not that can be remembered
            let _ = put(home, &all);
            known.kept.iter().for_each(|name| home.forget(name));
        }
        answers.push(TakenOutAnswer {
            game: game.shown.clone(),
            removed: plan.removed,
            restored: plan.restored,
            foreign: plan.foreign,
            list: plan.list,
        });
    }
    if answers.is_empty() {
        let named: Vec<String> = games.iter().map(|game| format!("`{}`", visible(&game.shown))).collect();
        let message = format!("`{}` was not installed from here into {}", visible(&id), named.join(", "));
        return Err(anyhow!("{message}\n  help: `cognomen state` says what is there").into());
    }
    if global.json() {
        session.json(&RemovedAnswer { layer: id, games: answers, dry: Dry { written: !args.dry_run, diff: None } });
        return Ok(Done::Well);
    }
    for answer in &answers {
        let word = if args.dry_run { "would take out" } else { "taken out" };
        let files = count(answer.removed.len(), "file", "files");
        let game = visible(&answer.game);
        session.say(format!("{} {} of {game}: {files}", paint(GOOD, word), paint(ID, &visible(&id))));
        if let Some(list) = &answer.list {
            session.say(format!("  it is not enabled any more: {}", visible(list)));
        }
        for (what, files) in [
            ("back again, as it was before", &answer.restored),
            ("changed there since it was installed, and left", &answer.foreign),
        ] {
            if !files.is_empty() {
                session.say(paint(FAINT, &format!("  {what}: {}", few(files, 4))));
            }
        }
    }
    session.timings(global);
    Ok(Done::Well)
}
