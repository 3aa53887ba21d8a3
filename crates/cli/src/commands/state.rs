//! `state`.

use std::collections::BTreeMap;

use cognomen_core::{
    Installation, LayerId, Standing, Vanished, Writer, game_folder, is_saved_game, saved, saved_game_folders, slashed,
    standing, vanished,
};

use super::takes_up::{taken_up, touched_kinds};
use super::{Done, Failure, GameFolder, LastPack, game_folders, installations};
use crate::answers::{InGameAnswer, Numbers, StateAnswer, VanishedAnswer};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, GOOD, HEAD, ID, Table, count, few, paint, visible};
use crate::record;
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen state                    the mod that is edited
  cognomen state --mod long-night   another one")]
pub(crate) struct StateArgs {}

/// Where one mod stands.
struct State {
    /// Files that are not as they were when the mod was last checked; none if it never was.
    edited: Option<Vec<String>>,
    checked: Option<record::Checked>,
    /// Files of the build that are not what the mod would give now; none if it was never built.
    stale: Option<Vec<String>>,
    built_into: String,
    /// The last archive, and whether it is what would be packed now.
    packed: Option<(String, bool)>,
    /// How it stands in each folder of the game.
    games: Vec<InGame>,
    /// What was installed or packed and is not defined any more.
    vanished: Vec<Vanished>,
    /// Saved games with ids that nothing defines, and how many.
    saved: BTreeMap<String, usize>,
}

/// How a mod stands in a folder of the game; why it cannot be known, where it cannot.
struct InGame {
    shown: String,
    stands: Result<Standing, String>,
}

pub(crate) fn state(_: &StateArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let layer = opened.edited(global)?;
    let catalog = opened.catalog();
    let found = catalog.layer(layer);
    if found.is_base() {
        return Err(Failure::Usage("the base game is never edited; choose a mod with `--mod`".to_owned()));
    }
    let state = look(&opened, layer)?;
    let kinds = touched_kinds(&opened, layer);
    let next = next(&state, &found.id);
    let last = Writer::steps(&opened.root).done.pop().map(|step| step.what);
    if global.json() {
        let takes_up = kinds.iter().filter_map(|kind| Some((kind.name.clone(), kind.takes_up.clone()?)));
        let checked = state.checked.as_ref();
        session.json(&StateAnswer {
            layer: found.id.clone(),
            folder: found.folder.clone(),
            changed_since_check: state.edited,
            checked: checked.map(|c| Numbers { errors: c.errors, warnings: c.warnings, notes: c.notes }),
            build: state.built_into,
            stale: state.stale,
            packed: state.packed.as_ref().map(|(archive, _)| archive.clone()),
            packed_is_older: state.packed.as_ref().map(|(_, same)| !same),
            games: state.games.iter().filter_map(in_game).collect(),
            vanished: state
                .vanished
                .into_iter()
                .map(|gone| VanishedAnswer { address: gone.address, likely: gone.likely })
                .collect(),
            saved_games: state.saved,
            takes_up: takes_up.collect(),
            last_change: last,
            next,
        });
        return Ok(Done::Well);
    }
    let manifest = found.manifest.as_ref();
    let name = manifest.and_then(|m| m.name.clone()).unwrap_or_default();
    let version = manifest.and_then(|m| m.version.clone()).unwrap_or_default();
    session.say(format!("{}  {} {}", paint(ID, &visible(&found.id)), paint(HEAD, &visible(&name)), visible(&version)));
    let mut table = Table::default();
    let edited = match &state.edited {
        None => ("it was never checked".to_owned(), CHANGE),
        Some(changed) if changed.is_empty() => ("nothing since the last check".to_owned(), GOOD),
        Some(changed) => (format!("since the last check: {}", few(changed, 4)), CHANGE),
    };
    table.row([("edited".to_owned(), HEAD), edited]);
    let checked = match &state.checked {
        None => ("not yet".to_owned(), CHANGE),
        Some(checked) => {
            let numbers: Vec<String> = [
                (checked.errors, "error", "errors"),
                (checked.warnings, "warning", "warnings"),
                (checked.notes, "note", "notes"),
            ]
            .into_iter()
            .filter(|(number, ..)| *number > 0)
            .map(|(number, one, several)| count(usize::try_from(number).unwrap_or(usize::MAX), one, several))
            .collect();
            let text = if numbers.is_empty() { "no findings".to_owned() } else { numbers.join(", ") };
            let old = state.edited.as_ref().is_some_and(|changed| !changed.is_empty());
            let text = if old { format!("{text}, before the last edits") } else { text };
            (text, if checked.errors > 0 || old { CHANGE } else { GOOD })
        }
    };
    table.row([("checked".to_owned(), HEAD), checked]);
    let built = match &state.stale {
        None => ("not yet".to_owned(), CHANGE),
        Some(stale) if stale.is_empty() => (format!("{} is as the mod is now", state.built_into), GOOD),
        Some(stale) => (format!("{} is older: {}", state.built_into, few(stale, 4)), CHANGE),
    };
    table.row([("built".to_owned(), HEAD), built]);
    if let Some((archive, same)) = &state.packed {
        let (text, style) = match same {
            true => (format!("{} is as the mod is now", visible(archive)), GOOD),
            false => (format!("{} is older: `cognomen pack`", visible(archive)), CHANGE),
        };
        table.row([("packed".to_owned(), HEAD), (text, style)]);
    }
    for game in &state.games {
        let (text, good) = stands(game, &found.id);
        table.row([("in the game".to_owned(), HEAD), (visible(&text), if good { GOOD } else { CHANGE })]);
    }
    for gone in &state.vanished {
        let likely = gone.likely.as_ref().map(|new| format!(", most likely `{new}` now")).unwrap_or_default();
        let text = format!("{} was handed out, and is not defined any more{likely}", gone.address);
        table.row([("gone".to_owned(), HEAD), (visible(&text), CHANGE)]);
    }
    for (file, number) in state.saved.iter().filter(|(_, number)| **number > 0) {
        let ids = count(*number, "id", "ids");
        let text = format!("{file} holds {ids} that nothing defines: `cognomen check --saved {file}`");
        table.row([("saved game".to_owned(), HEAD), (visible(&text), CHANGE)]);
    }
    if let Some(last) = &last {
        table.row([
            ("last change".to_owned(), HEAD),
            (format!("{} (`cognomen undo` takes it back)", visible(last)), FAINT),
        ]);
    }
    for (kind, text) in taken_up(&kinds) {
        table.row([(visible(&kind), HEAD), (visible(&text), FAINT)]);
    }
    table.lines("  ").into_iter().for_each(|line| session.say(line));
    session.say(format!("next: {next}"));
    session.timings(global);
    Ok(Done::Well)
}

fn look(opened: &Opened, layer: LayerId) -> Result<State, Failure> {
    let catalog = opened.catalog();
    let id = &catalog.layer(layer).id;
    let now = record::stamps(catalog, layer);
    let checked = record::last_check(&opened.root, id);
    let edited = checked.as_ref().map(|checked| {
        let changed = now.iter().filter(|(path, stamp)| checked.files.get(*path) != Some(*stamp)).map(|(path, _)| path);
        let gone = checked.files.keys().filter(|path| !now.contains_key(*path));
        changed.chain(gone).cloned().collect()
    });
    let out = opened.root.join("build").join(id);
    let last = LastPack::of(opened, layer);
    let folders = game_folders(opened);
    // what would be built is worked out only where there is something to compare it with
    let report = (out.is_dir() || last.is_some() || !folders.is_empty())
        .then(|| cognomen_core::build(&opened.world, &opened.source, layer).map_err(anyhow::Error::from));
    let built = report.as_ref().and_then(|report| report.as_ref().ok());
    let known = installations(&opened.root);
    let mut then: Vec<String> = last.iter().flat_map(|last| last.defines.clone()).collect();
    let mut games = Vec::new();
    for game in &folders {
        let record = Installation::of(&known, &opened.world, layer, &game.word(), built);
        then.extend(record.iter().flat_map(|record| record.defines.clone()));
        let stands = game_folder(catalog, &game.shown, &game.full).and_then(|()| match built {
            Some(build) => standing(&opened.world, layer, build, &game.full, record),
            None => Ok(Standing::default()),
        });
        let stands = stands.map_err(|error| error.to_string().split("\n").next().unwrap_or_default().to_owned());
        games.push(InGame { shown: game.shown.trim_end_matches('/').to_owned(), stands });
    }
    then.sort();
    then.dedup();
    let vanished = vanished(&opened.world.with_ground(layer), catalog, &then);
    let packed = last.zip(built).and_then(|(last, build)| last.beside(opened, layer, build));
    let stale = match report.filter(|_| out.is_dir()) {
        None => None,
        Some(report) => {
            let report = report?;
            let older = report
                .files
                .iter()
                .filter(|file| std::fs::read(out.join(&file.path)).ok().as_deref() != Some(file.bytes.as_slice()));
            let mut older: Vec<String> = older.map(|file| file.path.clone()).collect();
            // what a build wrote, and would not any more
            let built = super::build::recorded(&opened.root, &out);
            let kept = |path: &String| report.files.iter().any(|file| file.path == *path);
            older.extend(built.into_iter().filter(|path| !kept(path) && out.join(path).exists()));
            Some(older)
        }
    };
    let saved = saved_games(opened, &folders);
    Ok(State { edited, checked, stale, built_into: format!("build/{id}"), packed, games, vanished, saved })
}

/// The saved games in the game's folders, each with how many ids it holds that nothing in the load order defines.
fn saved_games(opened: &Opened, folders: &[GameFolder]) -> BTreeMap<String, usize> {
    let view = opened.world.view();
    let mut out = BTreeMap::new();
    for (game, folder) in folders.iter().flat_map(|game| saved_game_folders(opened.catalog()).map(move |at| (game, at)))
    {
        // a game's folder may be large: only where saved games can lie
        let entries = walkdir::WalkDir::new(game.full.join(folder)).into_iter().flatten();
        for entry in entries.filter(|entry| entry.file_type().is_file()) {
            let Ok(below) = entry.path().strip_prefix(&game.full).map(slashed) else { continue };
            if !is_saved_game(opened.catalog(), &below) {
                continue;
            }
            let text = std::fs::read_to_string(entry.path()).ok();
            let report = text.and_then(|text| saved(&opened.world, &view, &below, &text).ok());
            if let Some(report) = report {
                out.insert(format!("{}/{below}", game.shown.trim_end_matches('/')), report.lost.len());
            }
        }
    }
    out
}

fn in_game(game: &InGame) -> Option<InGameAnswer> {
    let stands = game.stands.as_ref().ok()?;
    Some(InGameAnswer {
        game: game.shown.clone(),
        at: stands.at.clone(),
        installed: stands.installed,
        older: stands.older.clone(),
        twins: stands.twins.clone(),
        enabled: stands.enabled.as_ref().map(|(_, on)| *on),
        lacks: stands.lacks.clone(),
        misplaced: stands.misplaced.as_ref().map(|(id, _)| id.clone()),
    })
}

/// How a mod stands in the game, in words, and whether that is well.
fn stands(game: &InGame, id: &str) -> (String, bool) {
    let stands = match &game.stands {
        Ok(stands) => stands,
        Err(why) => return (why.clone(), false),
    };
    let at = format!("{}/{}", game.shown, stands.at);
    if !stands.installed {
        return (format!("not in `{}` yet: `cognomen install --mod {id}`", game.shown), false);
    }
    let mut parts = vec![match stands.older.as_slice() {
        [] => format!("{at} is as the mod is now"),
        older => format!("{at} is older: {}", few(older, 4)),
    }];
    match &stands.enabled {
        Some((list, true)) => parts.push(format!("enabled in {list}")),
        Some((list, false)) => parts.push(format!("not enabled in {list}")),
        None => {}
    }
    if let Some(lacks) = stands.lacks.first() {
        parts.push(format!("`{lacks}`, which it requires, is not loaded"));
    }
    if let Some((other, before)) = &stands.misplaced {
        let should = if *before { "behind" } else { "before" };
        parts.push(format!("it should load {should} `{other}`"));
    }
    if let Some(twin) = stands.twins.first() {
        parts.push(format!("{twin} holds the same mod"));
    }
    let good = stands.older.is_empty() && parts.len() <= 2 && stands.enabled.as_ref().is_none_or(|(_, on)| *on);
    (parts.join("; "), good)
}

fn next(state: &State, id: &str) -> String {
    let edited = state.edited.as_ref().is_none_or(|changed| !changed.is_empty());
    let errors = state.checked.as_ref().is_some_and(|checked| checked.errors > 0);
    let games: Vec<&Standing> = state.games.iter().filter_map(|game| game.stands.as_ref().ok()).collect();
    let off = |game: &Standing| game.enabled.as_ref().is_some_and(|(_, on)| !on);
    match &state.stale {
        _ if edited => format!("`cognomen check --mod {id}`"),
        _ if errors => format!("mend what `cognomen check --mod {id}` says"),
        // one command goes from the source to the game
        _ if games.iter().any(|game| !game.installed || !game.older.is_empty() || off(game)) => {
            format!("`cognomen install --mod {id}`")
        }
        _ if games.iter().any(|game| !game.lacks.is_empty()) => {
            let lacks = games.iter().find_map(|game| game.lacks.first()).map_or("", String::as_str);
            format!("`cognomen install --mod {lacks}`")
        }
        _ if !games.is_empty() => "start the game".to_owned(),
        None => format!("`cognomen build --mod {id}`"),
        Some(stale) if !stale.is_empty() => format!("`cognomen build --mod {id}`"),
        Some(_) => format!("try build/{id} in the game"),
    }
}
