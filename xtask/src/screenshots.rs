//! The pictures in docs/screenshots, taken of a terminal of 140 columns and cut to what it says.
//!
//! Needs the Debian packages xvfb, xterm, imagemagick and fonts-dejavu-core.

use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;

use anyhow::{Context, Result, bail};

use crate::root;

/// Each picture: its name, and what is typed in the demo workspace, one after the other.
const PICTURES: [(&str, &str); 19] = [
    ("changes", "cognomen changes rope-and-oil; echo; cognomen changes base --against 1.1"),
    ("clashes", "cognomen clashes; echo; cognomen show recipe/press-oil --history 'takes[what=flax-seed].amount'"),
    (
        "check",
        "cognomen check --mod first-steps --code requirement-undeclared --code type-mismatch --code parent-circle --code file-broken",
    ),
    ("show", "cognomen show item/lamp-oil; echo; cognomen show unit/bog-sow"),
    (
        "find",
        "cognomen find --where \"'fuel' in tags and value < 12\" --columns value,burn_minutes,weight; echo; cognomen find smoked; echo; cognomen find lamp --kind trait",
    ),
    (
        "set",
        "cognomen set item/fen-lamp 'value*=1.5' tags+=winter-store --why 'Lamps are dear before winter.'; echo; cognomen set item/fen-lamp valeu=3; echo; cognomen set station/hearth room=3 --dry-run",
    ),
    (
        "many",
        "cognomen set --kind item --where \"'fuel' in tags\" 'burn_minutes*=1.2' --yes --why 'Winters are long.'; echo; cognomen set --kind item --tagged winter-store keeps_days=400 --dry-run",
    ),
    (
        "rename",
        "cognomen rename item/grey-salt fen-salt --mod smoke-and-salt; echo; cognomen delete item/eel-keg --mod smoke-and-salt; echo; cognomen delete item/eel-keg recipe/pack-eel-keg --cascade --mod smoke-and-salt; echo; cognomen undo; echo; cognomen undo --list",
    ),
    (
        "tag-and-text",
        "cognomen tag tag/winter-store; echo; cognomen tag add tag/winter-store item/eel --mod long-night; echo; cognomen text stubs --language nl --mod long-night; cognomen text list --mod long-night; echo; cognomen text out nl.csv --language nl --mod smoke-and-salt; echo; cognomen capture evening.log --mod long-night",
    ),
    ("kinds", "cognomen kinds; echo; cognomen kinds item; echo; cognomen kinds --coverage"),
    (
        "build",
        "cognomen mods; echo; cognomen build --mod tidegate; echo; cognomen install --mod tidegate; echo; cognomen state --mod tidegate; echo; cognomen check --saved game/saves/late-autumn.json --mod long-night",
    ),
    ("links", "cognomen links item/eel; echo; cognomen links item.warms"),
    (
        "compare",
        "cognomen compare unit/marsh-boar unit/bog-sow; echo; cognomen compare item/fen-lamp item/rush-light --differences",
    ),
    (
        "spread",
        "cognomen spread unit.stats.vigour --mark unit/tide-crab; echo; cognomen spread item.value --among tag/food --mark item/eel-keg",
    ),
    (
        "copy",
        "cognomen mods new fen-king; echo; cognomen copy unit/bog-sow fen-queen --starts; echo; cognomen copy unit/marsh-boar fen-king --with traits stats.vigour=50 --name 'The fen king'; echo; cat mods/fen-king/beasts/fen-king.json; cognomen undo",
    ),
    (
        "new",
        "cognomen mods new amber; echo; printf '30\\n0.1\\ncraft,lihgt\\ncraft,light\\n' | cognomen new item/amber-pin --ask --name 'Amber pin'; echo; cat mods/amber/goods/amber.json; echo; cognomen check --mod amber --short",
    ),
    (
        "accept",
        "cognomen check --mod first-steps --code file-lacking --short; echo; cognomen check --mod first-steps --code file-lacking --accept --why 'still being painted'; echo; cat accepted.toml; cognomen check --mod first-steps --code file-lacking",
    ),
    (
        "note",
        "cognomen note item/eel 'sells best in autumn'; cognomen note item.value 'in groats, never in coins'; echo; cognomen find eel --kind item; echo; cognomen show item/eel",
    ),
    ("explain", "cognomen explain requirement-undeclared; echo; cognomen explain flees-unhurt"),
];

/// Takes those that are named, or all of them.
pub fn screenshots(names: &[String]) -> Result<()> {
    if let Some(name) = names.iter().find(|name| !PICTURES.iter().any(|(known, _)| known == name)) {
        bail!("there is no picture `{name}`");
    }
    let status = Command::new(env!("CARGO")).args(["build", "--release", "--quiet"]).current_dir(root()).status()?;
    if !status.success() {
        bail!("the program does not build");
    }
    let folder = std::env::temp_dir().join(format!("cognomen-pictures-{}", std::process::id()));
    let out = root().join("docs/screenshots");
    std::fs::create_dir_all(&out)?;
    for (name, line) in PICTURES.into_iter().filter(|(name, _)| names.is_empty() || names.iter().any(|n| n == name)) {
        let demo = folder.join(name);
        let program = root().join("target/release/cognomen");
        let made = Command::new(&program).arg("demo").arg("--no-walk").arg(&demo).stdout(Stdio::null()).status()?;
        if !made.success() {
            bail!("the demo cannot be written");
        }
        picture(&out.join(format!("{name}.png")), line, &demo)?;
        println!("docs/screenshots/{name}.png");
    }
    std::fs::remove_dir_all(folder)?;
    Ok(())
}

fn picture(out: &Path, line: &str, folder: &Path) -> Result<()> {
    let display = format!(":{}", 90 + std::process::id() % 400);
    let mut server = Command::new("Xvfb")
        .args([display.as_str(), "-screen", "0", "1280x1600x24", "-nolisten", "tcp"])
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .context("Xvfb; see the head of this file for the packages")?;
    std::thread::sleep(Duration::from_millis(900));
    let mark = folder.join(".done");
    let programs = root().join("target/release");
    let path = format!("{}:{}", programs.display(), std::env::var("PATH").unwrap_or_default());
    // without the cursor, which is no answer
    let script = format!(
        "printf '\\033[?25l'; for part; do [ \"$part\" = \"$1\" ] || echo; printf '$ %s\\n' \"$part\"; eval \"$part\"; done; touch {}; sleep 60",
        mark.display()
    );
    let mut terminal = Command::new("xterm")
        .args(["-u8", "-fa", "DejaVu Sans Mono", "-fs", "11", "-geometry", "140x84+0+0", "-b", "8"])
        .args(["-bg", "#10151c", "-fg", "#d7dde5", "-e", "bash", "-c", &script, "picture"])
        .args(line.split("; echo; "))
        .env("DISPLAY", &display)
        .env("PATH", path)
        .current_dir(folder)
        .spawn()
        .context("xterm")?;
    for _ in 0..300 {
        if mark.exists() {
            break;
        }
        std::thread::sleep(Duration::from_millis(100));
    }
    std::thread::sleep(Duration::from_millis(500));
    let shot = Command::new("import").args(["-window", "root"]).arg(out).env("DISPLAY", &display).status();
    terminal.kill()?;
    server.kill()?;
    terminal.wait()?;
    server.wait()?;
    let cut = Command::new("mogrify")
        .args(["-crop", "1268x1590+4+4", "+repage", "-trim", "+repage", "-bordercolor", "#10151c", "-border", "12"])
        .arg(out)
        .status();
    if !shot.context("import, of imagemagick")?.success() || !cut.context("mogrify, of imagemagick")?.success() {
        bail!("no picture was taken");
    }
    Ok(())
}
