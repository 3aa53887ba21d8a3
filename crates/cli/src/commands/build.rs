//! `build`.

use std::path::{Path, PathBuf};

use anyhow::anyhow;
use cognomen_core::{
    Bounds, BuildPlan, BuildRecord, BuildReport, EDITIONS, Keep, LayerId, RelPath, Writer, build_with, entangled,
    plan_output, settled, slashed,
};

use super::takes_up::{taken_up, touched_kinds};
use super::{Done, Failure};
use crate::answers::{BuildAnswer, BuiltAnswer};
use crate::args::Global;
use crate::output::{FAINT, GOOD, HEAD, ID, Table, count, paint, summary, visible};
use crate::session::{Opened, Session};
use crate::written::commit;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen build --mod long-night                      into build/long-night of the workspace
  cognomen build --mod long-night --out ../release     into another folder
  cognomen build --clean                               only if nothing else lies in the folder
  cognomen build --with tidegate --out ../both         without the parts that apply only otherwise

Amendments are turned into what the game reads, computed on what the mod stands on. What an earlier build
wrote there and is not any more goes; what no build wrote is named and stays. Exit code 1 if the mod has
findings of severity error; what could be built is written all the same.")]
pub(crate) struct BuildArgs {
    /// The folder to write into
    #[arg(long, value_name = "DIR")]
    out: Option<PathBuf>,
    /// Only the parts of the mod that apply for players who have these mods, or in this mode of the game
    #[arg(long, value_name = "MODS|MODE", value_delimiter = ',', requires = "out")]
    with: Vec<String>,
    /// Refuse a folder with anything in it that no build wrote
    #[arg(long)]
    clean: bool,
}

pub(crate) fn build(args: &BuildArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open_to_write(global, "build")?;
    let layer = opened.edited(global)?;
    let catalog = opened.catalog();
    let id = catalog.layer(layer).id.clone();
    if catalog.layer(layer).is_base() {
        return Err(Failure::Usage(
            "the base is the game itself, and is not built; name a mod with `--mod`".to_owned(),
        ));
    }
    let out = output(args.out.as_deref(), &opened, &id, session)?;
    let start = std::time::Instant::now();
    let mut parts = catalog.parts_of(layer);
    if !args.with.is_empty() {
        let (mods, mode) = opened.players_with(&args.with)?;
        let applying = catalog.applying(&mods.with(layer), mode.as_deref());
        parts.retain(|part| applying.contains(*part));
    }
    let report = build_with(&opened.world, &opened.source, layer, &parts).map_err(anyhow::Error::from)?;
    let own = super::errors_of(&opened, layer, true, "builds", session)?;
    session.stage("build", start.elapsed());
    let plan = written(&out, &report, args.clean, &opened, session)?;
    let errors = own.len();
    let shown = &out.shown;
    if global.json() {
        let files = report.files.iter().map(|file| BuiltAnswer {
            path: file.path.clone(),
            bytes: file.bytes.len(),
            amended: file.amended.clone(),
        });
        session.json(&BuildAnswer {
            layer: id,
            out: shown.clone(),
            files: files.collect(),
            left_out: report.left_out.clone(),
            written: plan.written(&out.prefix),
            removed: plan.removed,
            foreign: plan.foreign,
            takes_up: taken_up(&touched_kinds(&opened, layer)).into_iter().collect(),
            errors,
        });
    } else {
        let (number, written) = (count(report.files.len(), "file", "files"), plan.written(&out.prefix).len());
        let number = match report.files.len() {
            all if written == all => number,
            _ if written == 0 => format!("{number}, as they were"),
            _ => format!("{number}, {written} of them written"),
        };
        session.say(format!("{} {} into {}: {number}", paint(GOOD, "built"), paint(ID, &id), visible(shown)));
        if !global.quiet {
            let mut table = Table::default();
            for file in &report.files {
                let amended = match file.amended.as_slice() {
                    [] => String::new(),
                    some => format!("with {}", some.join(", ")),
                };
                table.row([(visible(&file.path), HEAD), (visible(&amended), FAINT)]);
            }
            table.lines("  ").into_iter().for_each(|line| session.say(line));
            for (what, files) in [
                ("not for the game", &report.left_out),
                ("taken out, since it is not built any more", &plan.removed),
                ("written by no build, and left there", &plan.foreign),
            ] {
                if !files.is_empty() {
                    session.say(paint(FAINT, &format!("  {what}: {}", visible(&files.join(", ")))));
                }
            }
            let mut table = Table::default();
            for (kind, text) in taken_up(&touched_kinds(&opened, layer)) {
                table.row([(visible(&kind), HEAD), (visible(&text), FAINT)]);
            }
            table.lines("  ").into_iter().for_each(|line| session.say(line));
        }
        if errors > 0 {
            session
                .say(format!("{}; `cognomen check --mod {id}` shows them", summary(&own.iter().collect::<Vec<_>>())));
        }
    }
    session.timings(global);
    Ok(if errors > 0 { Done::WithErrors } else { Done::Well })
}

/// Builds a mod into its usual folder: what was built, the folder, and the files that changed there.
pub(crate) fn build_now(
    opened: &Opened,
    layer: LayerId,
    session: &mut Session,
) -> Result<(BuildReport, String, Vec<String>), Failure> {
    let out = output(None, opened, &opened.catalog().layer(layer).id, session)?;
    let report = cognomen_core::build(&opened.world, &opened.source, layer).map_err(anyhow::Error::from)?;
    let plan = written(&out, &report, false, opened, session)?;
    let mut changed = plan.written(&out.prefix);
    changed.extend(plan.removed);
    Ok((report, out.shown, changed))
}

/// The folder that a build goes into.
struct Output {
    /// As it was typed, or below the workspace.
    shown: String,
    /// With links resolved.
    full: PathBuf,
    /// The folder that its paths are told below, and the way from there: the workspace, or itself.
    root: PathBuf,
    prefix: String,
    /// Whether it lies elsewhere than in the workspace.
    elsewhere: bool,
}

/// Where a build goes: never into, at or around what is the game's, a mod's or the workspace's.
fn output(told: Option<&Path>, opened: &Opened, id: &str, session: &Session) -> Result<Output, Failure> {
    let (typed, shown) = match told {
        Some(out) => (session.folder().join(out), out.to_string_lossy().into_owned()),
        None => {
            RelPath::parse(id).ok().filter(|_| !id.contains('/')).ok_or_else(|| {
                let id = visible(id);
                anyhow!("a folder cannot be called `{id}`\n  help: give the mod another id, or build with `--out DIR`")
            })?;
            (opened.root.join("build").join(id), format!("build/{id}"))
        }
    };
    let (full, top) = (settled(&typed), settled(&opened.root));
    let workspace = opened.catalog().workspace();
    let at = |folder: &str| settled(&opened.root.join(folder));
    let bases = workspace.base.iter().map(|base| ("the base", at(base)));
    let editions = workspace.editions.iter().flat_map(|edition| &edition.base).map(|base| ("an edition", at(base)));
    let mods = opened.catalog().layers().filter(|(_, layer)| !layer.is_base());
    let mods = mods.map(|(_, layer)| ("a mod", at(&layer.folder)));
    let others = [
        ("the mods' folder", at(&workspace.mods)),
        ("the rulebook", at(&workspace.rulebook)),
        ("the kept editions", at(EDITIONS)),
        ("what the workspace remembers", at(".cognomen")),
    ];
    let taken = bases.chain(editions).chain(mods).chain(others).find(|(_, taken)| entangled(&full, taken));
    let taken = taken.map(|(what, _)| what).or_else(|| top.starts_with(&full).then_some("the workspace"));
    if let Some(what) = taken {
        let shown = visible(&shown);
        return Err(
            anyhow!("a build does not go where {what} is: `{shown}`\n  help: choose a folder of its own").into()
        );
    }
    if full.symlink_metadata().is_ok() && !full.is_dir() {
        return Err(anyhow!("`{}` is no folder", visible(&shown)).into());
    }
    let within = full.strip_prefix(&top).ok().map(slashed);
    if within.is_none() && told.is_none() {
        let message = format!("`{shown}` leads out of the workspace by a link");
        return Err(anyhow!("{message}\n  help: take the link away, or name the folder with `--out`").into());
    }
    Ok(match within {
        Some(prefix) => Output { shown, full, root: top, prefix, elsewhere: false },
        None => Output { shown, root: full.clone(), full, prefix: String::new(), elsewhere: true },
    })
}

/// The name under which it is remembered what builds wrote into a folder.
fn record_name(full: &Path) -> String {
    format!("builds/{}.json", cognomen_core::Stamp::of(full.to_string_lossy().as_bytes()).word())
}

/// Writes a build, and remembers what was written before and after.
fn written(
    out: &Output,
    report: &cognomen_core::BuildReport,
    clean: bool,
    opened: &Opened,
    session: &mut Session,
) -> Result<BuildPlan, Failure> {
    let home = opened.writer().ok_or_else(|| anyhow!("nothing was opened to write to"))?;
    let bounds =
        Bounds { allowed: if out.elsewhere { Vec::new() } else { vec![out.prefix.clone()] }, never: opened.bases() };
    if out.elsewhere {
        std::fs::create_dir_all(&out.full).map_err(|error| anyhow!("cannot make {}: {error}", visible(&out.shown)))?;
    }
    let name = record_name(&out.full);
    let known = remembered(&opened.root, &out.full);
    let known = BuildRecord { out: out.full.to_string_lossy().into_owned(), ..known };
    let mut made = None;
    let mut write = |writer: &Writer| {
        let plan = planned(out, report, &known, clean)?;
        let record = |record: &BuildRecord| serde_json::to_vec(record).map_err(anyhow::Error::from);
        home.remember(&name, &record(&plan.during)?)?;
        let what = format!("build {}", out.shown);
        commit(writer, &plan.changes, &bounds, &what, Keep::Nothing)?;
        // what is remembered from before holds for both, so it is no harm if this fails
        let _ = home.remember(&name, &record(&plan.after)?);
        made = Some(plan);
        Ok(())
    };
    match out.elsewhere {
        true => session.elsewhere(opened, &out.full, "build", &bounds, write)?,
        false => write(home)?,
    }
    made.ok_or_else(|| anyhow!("nothing was built").into())
}

/// What builds wrote into a folder, its links resolved.
fn remembered(root: &Path, full: &Path) -> BuildRecord {
    let known = Writer::remembered(root, &record_name(full));
    let known: Option<BuildRecord> = known.and_then(|bytes| serde_json::from_slice(&bytes).ok());
    known.filter(|known| known.format == 1).unwrap_or_default()
}

/// The files that builds wrote into a folder; none where nothing is known of that.
pub(crate) fn recorded(root: &Path, out: &Path) -> Vec<String> {
    let full = settled(out);
    remembered(root, &full).files.into_keys().collect()
}

/// Where it is remembered that a build elsewhere is under way.
pub(crate) const BUILDING: &str = "building";

fn planned(
    out: &Output,
    report: &cognomen_core::BuildReport,
    known: &BuildRecord,
    clean: bool,
) -> Result<BuildPlan, Failure> {
    let plan = plan_output(report, &out.root, &out.prefix, known).map_err(anyhow::Error::from)?;
    if let (true, Some(first)) = (clean, plan.foreign.first()) {
        let more = match plan.foreign.len() {
            1 => String::new(),
            number => format!(" and {} more", number - 1),
        };
        let shown = visible(&out.shown);
        return Err(anyhow!(
            "{shown} holds what no build wrote: {}{more}\n  help: take it out of there",
            visible(first)
        )
        .into());
    }
    Ok(plan)
}
