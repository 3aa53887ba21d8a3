//! Workspaces and archives that want out, want everything, or never end.

use std::io::Write;
use std::path::Path;
use std::process::Command;

use anyhow::{Context, Result, bail};
use zip::write::SimpleFileOptions;

use super::{Arena, bounded, put};

const RULEBOOK: &str = r#"rulebook = 1
[game]
name = "Drift"
[manifest]
file = "mod.json"
id = "id"
requires = "requires[]"
[[where]]
files = "goods/*.json"
kind = "good"
[[where]]
files = "boats/*/b.json"
kind = "boat"
[[where]]
files = "crafts/*.json"
cut = "{}"
built = "crafts/{id}.json"
kind = "craft"
[kinds.good]
name = "id"
again = "replace"
[kinds.good.fields]
"id" = { type = "text" }
"size" = { type = "integer", optional = true }
[kinds.boat]
name = "folder"
again = "replace"
[kinds.boat.fields]
"size" = { type = "integer" }
[kinds.craft]
again = "replace"
[kinds.craft.fields]
"size" = { type = "integer" }
"#;

/// Ids that are paths, names of devices, or move the cursor.
const IDS: [&str; 16] = [
    "..",
    "../..",
    "../../../base/goods/a",
    "../../../../way/off",
    "/tmp/cognomen-hostile",
    "C:/x",
    "..\\\\..\\\\x",
    "con",
    "nul.json",
    "a:b",
    "a.",
    "a ",
    ".",
    "\\u001b]0;title\\u0007",
    "x\\u0000y",
    "\\u202egnp",
];

fn begin(program: &Path) -> Result<Arena> {
    let arena = Arena::new(program)?;
    let workspace = arena.workspace();
    for (path, text) in [
        (
            "cognomen.toml",
            "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n",
        ),
        ("rulebook.toml", RULEBOOK),
        ("base/goods/a.json", "{\"id\": \"a\", \"size\": 1}\n"),
        ("base/crafts/all.json", "{\"punt\": {\"size\": 1}}\n"),
        ("docs/kept.txt", "kept\n"),
        ("mods/m/mod.json", "{\"id\": \"m\"}\n"),
    ] {
        put(&workspace.join(path), text.as_bytes())?;
    }
    Ok(arena)
}

/// What is tried in each of them. Nothing but the mods, what is built and what is remembered may change.
const TRIED: [&[&str]; 8] = [
    &["check"],
    &["check", "--format", "json"],
    &["build"],
    &["build", "--clean"],
    &["build", "--out", "out"],
    &["set", "good/a", "size=3"],
    &["find", "a"],
    &["undo"],
];

fn try_all(name: &str, arena: &Arena, lines: &[&[&str]]) -> Result<()> {
    let kept = |path: &str| ["base", "docs", "rulebook.toml"].iter().any(|top| path.starts_with(top));
    let look = || -> Result<_> {
        let mut inside = arena.inside()?;
        inside.retain(|path, _| kept(path));
        Ok((inside, arena.outside()?))
    };
    let before = look()?;
    for line in lines {
        // so much memory that data of this size never needs it
        let shell = "ulimit -v 3000000 2>/dev/null; exec \"$0\" \"$@\"";
        let mut command = Command::new("sh");
        let output =
            bounded(command.arg("-c").arg(shell).arg(&arena.program).args(*line).current_dir(arena.workspace()))
                .with_context(|| name.to_owned())?;
        if look()? != before {
            bail!("{name}: `{}` changed what is not its own", line.join(" "));
        }
        let said = [output.stdout, output.stderr].concat();
        if said.contains(&0x1b) || said.contains(&7) {
            bail!("{name}: `{}` lets control characters through", line.join(" "));
        }
    }
    Ok(())
}

/// An archive of members, each so many bytes of a pattern.
fn bomb(members: usize, size: usize, pattern: &str) -> Result<Vec<u8>> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let text = pattern.repeat(size / pattern.len());
    for nth in 0..members {
        zip.start_file(format!("goods/{nth}.json"), SimpleFileOptions::default())?;
        zip.write_all(text.as_bytes())?;
    }
    Ok(zip.finish()?.into_inner())
}

fn archive(members: &[(&str, &str)]) -> Result<Vec<u8>> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (path, text) in members {
        zip.start_file(*path, SimpleFileOptions::default())?;
        zip.write_all(text.as_bytes())?;
    }
    Ok(zip.finish()?.into_inner())
}

/// Tries each of them.
pub(super) fn trees(program: &Path) -> Result<()> {
    let mut number = 0;
    let mut each = |name: &str, make: &dyn Fn(&Path) -> Result<()>, more: &[&[&str]]| -> Result<()> {
        let arena = begin(program)?;
        make(&arena.workspace())?;
        let lines: Vec<&[&str]> = TRIED.iter().chain(more).copied().collect();
        number += 1;
        let start = std::time::Instant::now();
        try_all(name, &arena, &lines)?;
        if start.elapsed().as_secs() > 5 {
            println!("  {name}: {:.0} s", start.elapsed().as_secs_f64());
        }
        Ok(())
    };
    for id in IDS {
        let of_mod = |ws: &Path| {
            put(&ws.join("mods/odd/mod.json"), format!("{{\"id\": \"{id}\"}}").as_bytes())?;
            put(&ws.join("mods/odd/goods/x.json"), b"{\"id\": \"x\"}")
        };
        each(&format!("a mod called {id}"), &of_mod, &[&["build", "--mod", id], &["mods"], &["mods", "new", id]])?;
        let of_definition = |ws: &Path| {
            put(&ws.join("base/goods/x.json"), format!("{{\"id\": \"{id}\", \"size\": 1}}").as_bytes())?;
            put(&ws.join("base/crafts/x.json"), format!("{{\"{id}\": {{\"size\": 1}}}}").as_bytes())?;
            let amended =
                ["good", "craft"].map(|kind| format!("[[amend]]\nof = \"{kind}/{id}\"\nset = {{ size = 5 }}\n"));
            put(&ws.join("mods/m/amendments/x.toml"), format!("amendments = 1\n{}", amended.concat()).as_bytes())
        };
        let (new, copy) = (format!("craft/{id}"), format!("good/{id}"));
        let more: [&[&str]; 3] = [&["new", &new, "size=2"], &["new", &copy], &["copy", "good/a", id]];
        each(&format!("a definition called {id}"), &of_definition, &more)?;
        let packed = |ws: &Path| {
            let manifest = format!("{{\"id\": \"{id}\"}}");
            put(
                &ws.join("mods/packed.zip"),
                &archive(&[("mod.json", &manifest), ("../../docs/kept.txt", "x"), ("/etc/x", "x")])?,
            )
        };
        each(&format!("an archive of a mod called {id}"), &packed, &[&["build", "--mod", id, "--clean"]])?;
    }
    for (name, text) in [
        ("mods in the base", "mods = \"base\""),
        ("mods above", "mods = \"../outside\""),
        ("mods are the workspace", "mods = \".\""),
        ("an edition above", "mods = \"mods\"\n[editions]\n\"../../outside/kept\" = \"base\""),
    ] {
        let make = |ws: &Path| {
            let text = format!("cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nedit = \"m\"\n{text}\n");
            put(&ws.join("cognomen.toml"), text.as_bytes())
        };
        each(name, &make, &[&["mods", "new", "n"], &["keep", "../../outside/x"], &["keep", "1.0"]])?;
    }
    let deep = |ws: &Path| put(&ws.join("mods/m/goods/deep.json"), "[".repeat(1 << 20).as_bytes());
    each("a list in a list in a list", &deep, &[])?;
    let folders = |ws: &Path| {
        let mut path = ws.join("mods/m");
        for _ in 0..200 {
            path.push("d");
        }
        put(&path.join("x.json"), b"{}")
    };
    each("folders without end", &folders, &[])?;
    for (name, members, size, pattern) in [
        ("an archive of lists", 64, 8 << 20, "[[],"),
        ("an archive of numbers", 8, 64 << 20, "[0,0,0,0,0,0,0,0],"),
        ("an archive of one file", 1, 200 << 20, "{\"a\":1,"),
    ] {
        let packed = bomb(members, size, pattern)?;
        let make = |ws: &Path| put(&ws.join("mods/bomb.zip"), &packed);
        each(name, &make, &[])?;
        let make = |ws: &Path| {
            put(&ws.join("tables.xlsx"), &packed).and_then(|()| put(&ws.join("mods/m/goods/t.xlsx"), &packed))
        };
        each(&format!("{name}, as a workbook"), &make, &[])?;
    }
    let parts = |ws: &Path| {
        let mut text =
            RULEBOOK.replace("\"size\" = { type = \"integer\", optional = true }", "\"p\" = { part = \"p0\" }");
        for nth in 0..40 {
            text.push_str(&format!(
                "[parts.p{nth}.fields]\na = {{ part = \"p{0}\" }}\nb = {{ part = \"p{0}\" }}\n",
                nth + 1
            ));
        }
        text.push_str("[parts.p40.fields]\na = { type = \"text\" }\n");
        put(&ws.join("rulebook.toml"), text.as_bytes())
    };
    // the rulebook itself is other than before
    let arena = begin(program)?;
    parts(&arena.workspace())?;
    try_all("parts that name the next one twice", &arena, &[&["check"], &["kinds"]])?;
    for (name, rule) in [
        ("operators without end", format!("1{}", "+1".repeat(3000))),
        ("brackets without end", format!("{}1{}", "(".repeat(3000), ")".repeat(3000))),
        ("not not not", format!("{}true", "not ".repeat(3000))),
        ("ifs without end", format!("1{}", " if true else 2".repeat(3000))),
    ] {
        let arena = begin(program)?;
        let text = format!("{RULEBOOK}[[kinds.good.rules]]\nrequire = \"{rule}\"\nmessage = \"x\"\n");
        put(&arena.workspace().join("rulebook.toml"), text.as_bytes())?;
        try_all(name, &arena, &[&["check"], &["find", "--where", &rule]])?;
    }
    #[cfg(unix)]
    links(program)?;
    println!("{number} hostile trees and archives, and more: nothing got out, nothing else changed");
    Ok(())
}

/// Links and pipes in the way.
#[cfg(unix)]
fn links(program: &Path) -> Result<()> {
    use std::os::unix::fs::symlink;
    for (from, to) in [
        ("build", "../outside"),
        ("build", "base"),
        ("build/m", "../base"),
        ("out", "base"),
        ("out/goods", "../base/goods"),
        (".cognomen", "../outside"),
        ("mods/m/amendments", "../../base"),
        ("mods/m/amendments", "../../../outside"),
        ("mods/twin", "../base"),
        ("notes.toml", "docs/kept.txt"),
        ("accepted.toml", "docs/kept.txt"),
    ] {
        let arena = begin(program)?;
        let link = arena.workspace().join(from);
        std::fs::create_dir_all(link.parent().context("it lies in a folder")?)?;
        symlink(to, &link)?;
        let more: [&[&str]; 3] = [&["note", "good/a", "x"], &["check", "--accept"], &["new", "good/new"]];
        let lines: Vec<&[&str]> = TRIED.iter().chain(&more).copied().collect();
        try_all(&format!("a link from {from} to {to}"), &arena, &lines)?;
    }
    for path in ["mods/m/goods/p.json", "accepted.toml", ".cognomen/lock", ".cognomen/checked.json", "mods/m/mod.json"]
    {
        let arena = begin(program)?;
        let pipe = arena.workspace().join(path);
        std::fs::create_dir_all(pipe.parent().context("it lies in a folder")?)?;
        let _ = std::fs::remove_file(&pipe);
        if Command::new("mkfifo").arg(&pipe).status().is_ok_and(|made| made.success()) {
            try_all(&format!("a pipe at {path}"), &arena, &TRIED)?;
        }
    }
    Ok(())
}
