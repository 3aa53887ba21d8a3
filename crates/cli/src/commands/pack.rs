//! `pack`.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use anyhow::anyhow;
use cognomen_core::{BuildReport, LayerId, Stamp, Writer, archive, defines, pack as packed, settled};

use super::{Done, Failure};
use crate::answers::{PackAnswer, PackedFileAnswer};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, GOOD, HEAD, ID, Table, count, paint, summary, visible};
use crate::session::{Opened, Session};
use crate::tables::{put, why};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen pack --mod long-night                  into build/, under the name that the rulebook gives
  cognomen pack --mod long-night --out ../hand-out/long-night.zip
  cognomen pack --anyway                          although the mod has errors

What is built is packed: the same bytes each time, only what belongs to the mod. The archive is read back in the mod's
place, and each definition compared, before it is written. Exit code 3 where the mod has errors; with --anyway it is made
all the same, exit code 1.")]
pub(crate) struct PackArgs {
    /// The archive to write
    #[arg(long, value_name = "FILE")]
    out: Option<PathBuf>,
    /// Pack a mod that has errors
    #[arg(long)]
    anyway: bool,
    /// Write over a file that no `pack` wrote
    #[arg(long)]
    replace: bool,
}

/// Under which name it is remembered what was packed.
const PACKED: &str = "packed.json";

/// An archive that was made: of which mod, and the stamp of its bytes.
#[derive(serde::Serialize, serde::Deserialize)]
struct Remembered {
    id: String,
    stamp: String,
    /// What the mod defined, as kind and id.
    #[serde(default)]
    defines: Vec<String>,
}

/// The archives that were made, by where they lie.
fn remembered(root: &Path) -> BTreeMap<String, Remembered> {
    let bytes = Writer::remembered(root, PACKED);
    bytes.and_then(|bytes| serde_json::from_slice(&bytes).ok()).unwrap_or_default()
}

fn stamp(bytes: &[u8]) -> String {
    Stamp::of(bytes).word()
}

/// The last archive of a mod that is still there.
pub(crate) struct LastPack {
    path: String,
    stamp: String,
    /// What the mod defined then, as kind and id.
    pub(crate) defines: Vec<String>,
}

impl LastPack {
    pub(crate) fn of(opened: &Opened, layer: LayerId) -> Option<LastPack> {
        let id = &opened.catalog().layer(layer).id;
        let all = remembered(&opened.root).into_iter();
        let mut there = all.filter(|(path, known)| known.id == *id && Path::new(path).is_file());
        there.next().map(|(path, known)| LastPack { path, stamp: known.stamp, defines: known.defines })
    }

    /// Where it lies, seen from the workspace if it is in it, and whether it is what would be packed now.
    pub(crate) fn beside(&self, opened: &Opened, layer: LayerId, build: &BuildReport) -> Option<(String, bool)> {
        let now = archive(&opened.world, layer, build).ok()?;
        let within = Path::new(&self.path).strip_prefix(settled(&opened.root));
        let shown = within.map_or_else(|_| self.path.clone(), |path| path.to_string_lossy().replace('\\', "/"));
        let stands = || std::fs::read(&self.path).is_ok_and(|bytes| stamp(&bytes) == self.stamp);
        Some((shown, self.stamp == stamp(&now.bytes) && stands()))
    }
}

pub(crate) fn pack(args: &PackArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open_to_write(global, "pack")?;
    let layer = opened.edited(global)?;
    let catalog = opened.catalog();
    let id = catalog.layer(layer).id.clone();
    if catalog.layer(layer).is_base() {
        return Err(Failure::Usage(
            "the base is the game itself, and is not packed; name a mod with `--mod`".to_owned(),
        ));
    }
    let own = super::errors_of(&opened, layer, args.anyway, "packs", session)?;
    let build = cognomen_core::build(&opened.world, &opened.source, layer).map_err(anyhow::Error::from)?;
    let made = packed(&opened.world, layer, &build).map_err(anyhow::Error::from)?;
    let (folder, typed) = match &args.out {
        Some(file) => (session.folder().to_owned(), file.clone()),
        None => {
            let folder = opened.root.join("build");
            std::fs::create_dir_all(&folder).map_err(|error| anyhow!("cannot make build: {}", why(&error)))?;
            (opened.root.clone(), Path::new("build").join(&made.name))
        }
    };
    let (path, shown) = (folder.join(&typed), typed.to_string_lossy().replace('\\', "/"));
    let workspace = catalog.workspace();
    let mods = opened.root.join(&workspace.mods);
    if args.out.is_some() && settled(&path).starts_with(settled(&mods)) {
        let shown = visible(&shown);
        return Err(anyhow!(
            "`{shown}` would be a mod of its own there\n  help: choose a folder outside of `{}`",
            visible(&workspace.mods)
        )
        .into());
    }
    let full = settled(&path).to_string_lossy().into_owned();
    let mut known = remembered(&opened.root);
    let ours =
        std::fs::read(&path).is_ok_and(|bytes| known.get(&full).is_some_and(|known| known.stamp == stamp(&bytes)));
    put((&folder, &typed), &made.bytes, ours || args.replace, &opened.bases())?;
    known.insert(full, Remembered { id: id.clone(), stamp: stamp(&made.bytes), defines: defines(catalog, layer) });
    if let (Some(writer), Ok(bytes)) = (opened.writer(), serde_json::to_vec(&known)) {
        let _ = writer.remember(PACKED, &bytes);
    }
    let errors = own.len();
    if global.json() {
        let file = |(path, bytes): &(String, usize)| PackedFileAnswer { path: path.clone(), bytes: *bytes };
        session.json(&PackAnswer {
            layer: id,
            archive: shown,
            bytes: made.bytes.len(),
            files: made.files.iter().map(file).collect(),
            left_out: made.left_out.iter().map(|(path, why)| (path.clone(), (*why).to_owned())).collect(),
            errors,
        });
    } else {
        let number = count(made.files.len(), "file", "files");
        let size = count(made.bytes.len(), "byte", "bytes");
        session.say(format!(
            "{} {} into {}: {number}, {size}",
            paint(GOOD, "packed"),
            paint(ID, &visible(&id)),
            visible(&shown)
        ));
        if !global.quiet {
            let mut table = Table::default();
            for (path, _) in &made.files {
                table.row([(visible(path), HEAD)]);
            }
            for (path, why) in &made.left_out {
                table.row([(visible(path), FAINT), (format!("left out: {why}"), FAINT)]);
            }
            table.lines("  ").into_iter().for_each(|line| session.say(line));
        }
        if errors > 0 {
            session.say(paint(
                CHANGE,
                &format!("{}; `cognomen check --mod {id}` shows them", summary(&own.iter().collect::<Vec<_>>())),
            ));
        }
    }
    session.timings(global);
    Ok(if errors > 0 { Done::WithErrors } else { Done::Well })
}
