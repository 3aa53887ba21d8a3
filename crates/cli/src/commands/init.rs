//! `init`.

use std::path::PathBuf;

use anyhow::anyhow;
use cognomen_core::{Bounds, FileChange, Keep, WORKSPACE_FILE, settled};

use super::{Done, Failure};
use crate::answers::InitAnswer;
use crate::args::Global;
use crate::output::{FAINT, paint, visible};
use crate::session::{Session, commit};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen init --base ../the-game/data
  cognomen init my-workspace --base /games/saltpans/data --rulebook ../rulebooks/saltpans

A rulebook that is not there yet is begun with a few lines to fill in; docs/RULEBOOK.md says how.")]
pub(crate) struct InitArgs {
    /// The folder of the new workspace; without it, the current one
    folder: Option<PathBuf>,
    /// The folder with the game's own definitions; it is only read
    #[arg(long, value_name = "DIR", default_value = "base")]
    base: String,
    /// The rulebook: a TOML file, or a folder of them
    #[arg(long, value_name = "PATH", default_value = "rulebook.toml")]
    rulebook: String,
    /// The folder of the mods
    #[arg(long, value_name = "DIR", default_value = "mods")]
    mods: String,
}

const RULEBOOK: &str = "rulebook = 1

[game]
name = \"The game's name\"

# How a mod says what it is.
[manifest]
file = \"mod.json\"
id = \"id\"
name = \"name\"
requires = \"requires[]\"

# Where definitions stand. One such table for each sort of file; `cut` is the way to the definitions in a
# file: \"{}\" each value of a table, \"[]\" each entry of a list, nothing for one definition a file.
[[where]]
files = \"items/**/*.json\"
cut = \"{}\"
kind = \"item\"

# What kinds there are, and what their fields may hold.
[kinds.item]
about = \"What it is.\"
again = \"merge\"
open = true                 # take this out once all fields are described

[kinds.item.fields]
# \"price\" = { type = \"integer\", min = 0 }
";

pub(crate) fn init(args: &InitArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let root = args.folder.as_ref().map_or_else(|| session.folder().to_owned(), |folder| session.folder().join(folder));
    if root.join(WORKSPACE_FILE).exists() {
        return Err(anyhow!("there is a {WORKSPACE_FILE} already in {}", root.display()).into());
    }
    let slashes = |path: &str| path.replace('\\', "/");
    let (base, rulebook, mods) = (slashes(&args.base), slashes(&args.rulebook), slashes(&args.mods));
    let quoted = |path: &str| format!("\"{}\"", path.replace('"', "\\\""));
    let workspace = format!(
        "cognomen = 1\nrulebook = {}\nbase = {}\nmods = {}\norder = []\n",
        quoted(&rulebook),
        quoted(&base),
        quoted(&mods)
    );
    let (here, game) = (settled(&root), settled(&root.join(&base)));
    let made = settled(&root.join(&mods));
    if here.starts_with(&game) || made.starts_with(&game) {
        let message = format!("`{}` is or holds what is to be written to, and the base is never written to", args.base);
        return Err(anyhow!(
            "{message}\n  help: give the workspace a folder of its own, as in `cognomen init my-workspace --base DIR`"
        )
        .into());
    }
    let mut files = vec![FileChange::Create { path: WORKSPACE_FILE.to_owned(), text: workspace }];
    let there = root.join(&rulebook).exists();
    let plain = !rulebook.split('/').any(|part| part == "..") && !std::path::Path::new(&rulebook).is_absolute();
    let mut begun = None;
    if !there && plain {
        let path = if rulebook.ends_with(".toml") { rulebook.clone() } else { format!("{rulebook}/rulebook.toml") };
        begun = Some(path.clone());
        files.push(FileChange::Create { path, text: RULEBOOK.to_owned() });
    }
    std::fs::create_dir_all(&root).map_err(anyhow::Error::from)?;
    let writer = session.lock(&root, "init")?;
    commit(&writer, &files.clone().into(), &Bounds::all(), "init", Keep::Nothing)?;
    std::fs::create_dir_all(root.join(&mods)).map_err(anyhow::Error::from)?;
    let paths: Vec<&str> = files.iter().map(FileChange::path).collect();
    let base_there = root.join(&base).is_dir();
    if global.json() {
        let files = paths.into_iter().map(str::to_owned).collect();
        session.json(&InitAnswer { workspace: root.to_string_lossy().into_owned(), files, base_there });
        return Ok(Done::Well);
    }
    session.say(format!("a workspace in {}", visible(&root.to_string_lossy())));
    session.say(paint(FAINT, &format!("written: {}", paths.join(", "))));
    if !base_there {
        session
            .say(format!("next: put the game's data at `{base}`, or name its folder under `base` in {WORKSPACE_FILE}"));
    }
    match begun {
        Some(path) => session.say(format!("next: describe the game in {path}, then `cognomen check`")),
        None if !there => session.say(format!("next: put a rulebook at {rulebook}")),
        None => session.say("next: `cognomen check`"),
    }
    Ok(Done::Well)
}
