//! `state`.

use cognomen_core::{LayerId, Writer};

use super::{Done, Failure, LastPack};
use crate::answers::{Numbers, StateAnswer};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, GOOD, HEAD, ID, Table, count, paint, visible};
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
    let kinds = kinds_of(&opened, layer);
    let next = next(&state, &found.id);
    let last = Writer::steps(&opened.root).done.pop().map(|step| step.what);
    if global.json() {
        let takes_up = kinds.iter().filter_map(|(kind, _, takes_up, _)| Some((kind.clone(), takes_up.clone()?)));
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
    let files = |all: &[String]| {
        let some: Vec<&str> = all.iter().take(4).map(String::as_str).collect();
        let more = if all.len() > 4 { format!(" and {} more", all.len() - 4) } else { String::new() };
        format!("{}{more}", visible(&some.join(", ")))
    };
    let mut table = Table::default();
    let edited = match &state.edited {
        None => ("it was never checked".to_owned(), CHANGE),
        Some(changed) if changed.is_empty() => ("nothing since the last check".to_owned(), GOOD),
        Some(changed) => (format!("since the last check: {}", files(changed)), CHANGE),
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
        Some(stale) => (format!("{} is older: {}", state.built_into, files(stale)), CHANGE),
    };
    table.row([("built".to_owned(), HEAD), built]);
    if let Some((archive, same)) = &state.packed {
        let (text, style) = match same {
            true => (format!("{} is as the mod is now", visible(archive)), GOOD),
            false => (format!("{} is older: `cognomen pack`", visible(archive)), CHANGE),
        };
        table.row([("packed".to_owned(), HEAD), (text, style)]);
    }
    if let Some(last) = &last {
        table.row([
            ("last change".to_owned(), HEAD),
            (format!("{} (`cognomen undo` takes it back)", visible(last)), FAINT),
        ]);
    }
    for (kind, number, takes_up, see) in &kinds {
        let Some(takes_up) = takes_up else { continue };
        let see = see.as_ref().map(|see| format!("; {see}")).unwrap_or_default();
        let text = format!("{} changed: taken up {}{}", number, visible(takes_up), visible(&see));
        table.row([(visible(kind), HEAD), (text, FAINT)]);
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
    // what would be built is worked out only where there is something to compare it with
    let report = (out.is_dir() || last.is_some())
        .then(|| cognomen_core::build(&opened.world, &opened.source, layer).map_err(anyhow::Error::from));
    let built = report.as_ref().and_then(|report| report.as_ref().ok());
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
    Ok(State { edited, checked, stale, built_into: format!("build/{id}"), packed })
}

fn next(state: &State, id: &str) -> String {
    let edited = state.edited.as_ref().is_none_or(|changed| !changed.is_empty());
    let errors = state.checked.as_ref().is_some_and(|checked| checked.errors > 0);
    match &state.stale {
        _ if edited => format!("`cognomen check --mod {id}`"),
        _ if errors => format!("mend what `cognomen check --mod {id}` says"),
        None => format!("`cognomen build --mod {id}`"),
        Some(stale) if !stale.is_empty() => format!("`cognomen build --mod {id} --clean`"),
        Some(_) => format!("try build/{id} in the game"),
    }
}

/// The kinds that a mod defines or amends: name, how many, how the game takes a change up, how to look at it.
fn kinds_of(opened: &Opened, layer: LayerId) -> Vec<(String, usize, Option<String>, Option<String>)> {
    let catalog = opened.catalog();
    let touched = opened.world.touched_by(layer);
    let mut out = Vec::new();
    for (id, kind) in catalog.rulebook().kinds() {
        let of_kind: Vec<_> = touched.iter().filter(|address| catalog.kind_of(**address) == Some(id)).collect();
        let Some(first) = of_kind.first() else { continue };
        let see = kind.see(catalog.id_of(**first));
        out.push((kind.name().to_owned(), of_kind.len(), kind.takes_up().map(str::to_owned), see));
    }
    out
}
