//! `demo`: writes the demo workspace and walks the loop in it.

use std::path::{Path, PathBuf};

use anyhow::{Context, anyhow};
use clap::Parser;
use include_dir::{Dir, include_dir};

use super::{Done, Failure, unmade};
use crate::answers::DemoAnswer;
use crate::args::{Args, Global};
use crate::output::{FAINT, GOOD, HEAD, ID, paint, visible};
use crate::session::Session;

static PEATLIGHT: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/../../examples/peatlight");

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen demo                  into the new folder peatlight
  cognomen demo /tmp/fen         into another one")]
pub(crate) struct DemoArgs {
    /// The folder to write into; it must be empty or new
    #[arg(default_value = "peatlight")]
    folder: PathBuf,
    /// Write the workspace only, without the walk
    #[arg(long)]
    no_walk: bool,
}

/// What the walk writes by hand into the mod that it starts, with two slips in it.
const BY_HAND: [(&str, &str); 2] = [
    ("mods/wick-and-flame/texts/names.csv", "key,en\nitem.storm-lamp.name,Storm lamp\n"),
    (
        "mods/wick-and-flame/goods/lamps.json",
        "{\n  \"storm-lamp\": {\n    \"based_on\": \"fen-lamp\",\n    \"value\": 60,\n    \"weight\": \"4\",\n    \"tags\": [\"tool\", \"lihgt\", \"winter-store\"]\n  }\n}\n",
    ),
];

pub(crate) fn demo(args: &DemoArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let root = session.folder().join(&args.folder);
    if root.is_file() {
        let shown = visible(&args.folder.to_string_lossy());
        return Err(anyhow!("{shown} is a file, not a folder\n  help: `cognomen demo OTHER-FOLDER`").into());
    }
    if root.read_dir().is_ok_and(|mut entries| entries.next().is_some()) {
        let shown = visible(&args.folder.to_string_lossy());
        return Err(anyhow!("{shown} is not empty\n  help: `cognomen demo OTHER-FOLDER`").into());
    }
    std::fs::create_dir_all(&root).map_err(|error| unmade(&root, &error))?;
    PEATLIGHT.extract(&root).with_context(|| format!("cannot write into {}", root.display()))?;
    if args.no_walk || global.json() {
        // a mod of one's own to work in, as the walk makes one
        let line = ["cognomen", "mods", "new", "my-mod", "--name", "My Mod"];
        let made = Args::try_parse_from(line).map_err(|error| anyhow!("{error}"))?;
        let mut unheard = Session::new(root.clone(), Box::new(std::io::sink()), Box::new(std::io::sink()), false);
        crate::run(&made, &mut unheard);
    }
    if global.json() {
        session.json(&DemoAnswer { workspace: root.to_string_lossy().into_owned() });
        return Ok(Done::Well);
    }
    let shown = visible(&args.folder.to_string_lossy());
    session.say(format!("{} Peatlight, a small invented game about life in a fen, into {shown}", paint(GOOD, "wrote")));
    if args.no_walk {
        session.say(format!("edited is the mod {}, which has nothing in it yet", paint(ID, "my-mod")));
        return Ok(Done::Well);
    }
    session.say(paint(FAINT, "What follows is what you would type, and what comes back."));
    typed(session, &format!("cd {shown}"));
    walk(&root, session)?;
    session.say("");
    session.say(format!(
        "{} Everything lies in {shown}: look around and break things.",
        paint(GOOD, "That was the loop.")
    ));
    session.say("  cognomen check --mod first-steps     a beginner's mod with one of each common mistake");
    session.say("  cognomen show item/lamp-oil          what the mod long-night made of it");
    session.say("  cognomen --help                      all commands");
    Ok(Done::Well)
}

fn typed(session: &mut Session, line: &str) {
    session.say("");
    session.say(format!("{} {}", paint(FAINT, "$"), paint(HEAD, line)));
}

fn said(session: &mut Session, text: &str) {
    session.say("");
    session.say(paint(FAINT, &format!("# {text}")));
}

/// Runs one command as it would be typed in the workspace.
fn command(session: &mut Session, root: &Path, line: &[&str]) -> Result<(), Failure> {
    let quoted = |word: &&str| {
        if word.contains('"') {
            format!("'{word}'")
        } else if word.contains([' ', '\'', '*', '[']) {
            format!("\"{word}\"")
        } else {
            (*word).to_owned()
        }
    };
    let shown: Vec<String> = line.iter().map(quoted).collect();
    typed(session, &format!("cognomen {}", shown.join(" ")));
    let words = std::iter::once("cognomen").chain(line.iter().copied());
    let args = Args::try_parse_from(words).map_err(|error| anyhow!("{error}"))?;
    session.within(root, |session| crate::run(&args, session));
    Ok(())
}

fn walk(root: &Path, session: &mut Session) -> Result<(), Failure> {
    said(session, "Find something, knowing only a word of its name.");
    command(session, root, &["find", "lamp", "--kind", "item"])?;
    said(session, "See it whole: each value, where it comes from, what it replaced.");
    command(session, root, &["show", "item/lamp-oil"])?;
    said(session, "Start a mod.");
    command(session, root, &["mods", "new", "wick-and-flame", "--name", "Wick and Flame"])?;
    said(session, "Files are written by hand in any editor:");
    for (path, text) in BY_HAND {
        let file = root.join(path);
        std::fs::create_dir_all(file.parent().unwrap_or(root)).map_err(|error| unmade(&file, &error))?;
        std::fs::write(&file, text).map_err(|error| unmade(&file, &error))?;
        typed(session, &format!("cat {path}"));
        text.lines().for_each(|line| session.say(line));
    }
    said(session, "Override a value of the base: only the difference is written.");
    command(session, root, &["set", "item/fen-lamp", "value*=1.5", "--why", "Lamps are dear before winter."])?;
    said(session, "Ask what is wrong.");
    command(session, root, &["check", "--mod", "wick-and-flame"])?;
    said(session, "Mend it: each finding names the nearest right answer.");
    command(session, root, &["set", "item/storm-lamp", "weight=4", "tags=tool,light,winter-store"])?;
    command(session, root, &["set", "stock/lamplighter", "goods+={\"what\": \"storm-lamp\", \"trust\": 2}"])?;
    command(session, root, &["check", "--mod", "wick-and-flame"])?;
    said(session, "Build what the game reads.");
    command(session, root, &["build"])?;
    typed(session, "cat build/wick-and-flame/goods/wick-and-flame-changes.json");
    let built = std::fs::read_to_string(root.join("build/wick-and-flame/goods/wick-and-flame-changes.json"));
    built.unwrap_or_default().lines().for_each(|line| session.say(line));
    Ok(())
}
