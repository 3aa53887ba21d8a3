//! `build`.

use std::path::PathBuf;

use anyhow::{Context, anyhow};
use cognomen_core::{Finding, Severity};

use super::{Done, Failure};
use crate::args::Global;
use crate::output::{FAINT, GOOD, HEAD, ID, Table, count, paint, summary, visible};
use crate::session::Session;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen build --mod long-night                      into build/long-night of the workspace
  cognomen build --mod long-night --out ../release     into another folder, which must be empty

Amendments are turned into what the game reads, computed on what the mod stands on. Exit code 1 if the
mod has findings of severity error; what could be built is written all the same.")]
pub(crate) struct BuildArgs {
    /// The folder to write into; it must be empty or new
    #[arg(long, value_name = "DIR")]
    out: Option<PathBuf>,
    /// Empty the workspace's own build folder of this mod first
    #[arg(long, conflicts_with = "out")]
    clean: bool,
}

pub(crate) fn build(args: &BuildArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let layer = opened.edited(global)?;
    let catalog = opened.catalog();
    let id = catalog.layer(layer).id.clone();
    let start = std::time::Instant::now();
    let report = cognomen_core::build(&opened.world, &opened.source, layer).map_err(anyhow::Error::from)?;
    let findings = cognomen_core::check(&opened.world);
    session.stage("build", start.elapsed());
    crate::record::checked(&opened, &findings);
    let own: Vec<&Finding> = findings
        .iter()
        .filter(|finding| finding.layer(catalog) == Some(layer) && finding.severity == Severity::Error)
        .collect();
    let (out, shown) = match &args.out {
        Some(out) => (session.folder().join(out), out.to_string_lossy().into_owned()),
        None => (opened.root.join("build").join(&id), format!("build/{id}")),
    };
    let inside = |folder: &str| {
        let folder = opened.root.join(folder);
        out.starts_with(&folder)
            || out.canonicalize().is_ok_and(|o| folder.canonicalize().is_ok_and(|f| o.starts_with(f)))
    };
    let workspace = catalog.workspace();
    if workspace.base.iter().any(|base| inside(base)) || inside(&workspace.mods) || inside(&workspace.rulebook) {
        return Err(anyhow!("a build does not go into the base, the mods or the rulebook").into());
    }
    if args.clean && out.is_dir() {
        std::fs::remove_dir_all(&out).with_context(|| format!("cannot empty {shown}"))?;
    }
    if out.read_dir().is_ok_and(|mut entries| entries.next().is_some()) {
        let help = match args.out {
            Some(_) => "choose an empty folder",
            None => "`--clean` empties it first",
        };
        return Err(anyhow!("{} is not empty, and nothing stale may go along\n  help: {help}", visible(&shown)).into());
    }
    for file in &report.files {
        let path = out.join(&file.path);
        let folder = path.parent().unwrap_or(&out);
        std::fs::create_dir_all(folder).with_context(|| format!("cannot make {}", folder.display()))?;
        std::fs::write(&path, &file.bytes).with_context(|| format!("cannot write {}", path.display()))?;
    }
    let errors = own.len();
    if global.json() {
        let files: Vec<_> = report
            .files
            .iter()
            .map(|file| serde_json::json!({"path": file.path, "bytes": file.bytes.len(), "amended": file.amended}))
            .collect();
        session.json(&serde_json::json!({
            "format": 1, "mod": id, "out": shown, "files": files, "left_out": report.left_out, "errors": errors,
        }));
    } else {
        let number = count(report.files.len(), "file", "files");
        session.say(format!("{} {} into {}: {number}", paint(GOOD, "built"), paint(ID, &id), visible(&shown)));
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
            if !report.left_out.is_empty() {
                session.say(paint(FAINT, &format!("  not for the game: {}", visible(&report.left_out.join(", ")))));
            }
        }
        if errors > 0 {
            session.say(format!("{}; `cognomen check --mod {id}` shows them", summary(&own)));
        }
    }
    session.timings(global);
    Ok(if errors > 0 { Done::WithErrors } else { Done::Well })
}
