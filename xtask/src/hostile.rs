//! What nobody wishes for, tried on the built program: kills at every write, writers at once, disks that are full or
//! only for reading, trees and archives that want out.
//!
//! Everything lies in a folder of its own, with other files around the workspace whose bytes must stay.

mod trees;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::time::{Duration, Instant};

use anyhow::{Context, Result, bail};

use crate::root;

/// `cargo xtask hostile`.
#[derive(clap::Args)]
pub struct HostileArgs {
    /// The program; without it, the newest build.
    #[arg(long)]
    program: Option<PathBuf>,
    /// Only one part: `kills`, `writers`, `disks` or `trees`.
    #[arg(long)]
    only: Option<String>,
    /// Kill at every so-manieth write only.
    #[arg(long, default_value_t = 1)]
    every: usize,
}

/// Where one trial takes place.
struct Arena {
    folder: tempfile::TempDir,
    program: PathBuf,
}

type Tree = BTreeMap<String, Vec<u8>>;

impl Arena {
    fn new(program: &Path) -> Result<Arena> {
        let folder = tempfile::tempdir()?;
        for (path, text) in [("outside/kept.json", "{}\n"), ("kept.txt", "kept\n")] {
            put(&folder.path().join(path), text.as_bytes())?;
        }
        Ok(Arena { folder, program: program.to_owned() })
    }

    /// With the demo's workspace in it.
    fn demo(program: &Path) -> Result<Arena> {
        let arena = Arena::new(program)?;
        copy(&root().join("examples/peatlight"), &arena.workspace())?;
        Ok(arena)
    }

    fn workspace(&self) -> PathBuf {
        self.folder.path().join("ws")
    }

    fn run(&self, line: &[&str]) -> Result<Output> {
        bounded(Command::new(&self.program).args(line).current_dir(self.workspace()))
    }

    /// The files and folders of the workspace, but for what it remembers.
    fn inside(&self) -> Result<Tree> {
        tree(&self.workspace(), true)
    }

    /// Everything around the workspace.
    fn outside(&self) -> Result<Tree> {
        let mut all = tree(self.folder.path(), true)?;
        all.retain(|path, _| path != "ws" && !path.starts_with("ws/"));
        Ok(all)
    }
}

/// Runs everything; stops at the first that is not as it must be.
pub fn hostile(args: &HostileArgs) -> Result<()> {
    let program = match &args.program {
        Some(program) => std::path::absolute(program)?,
        None => newest()?,
    };
    println!("{}", program.display());
    let wanted = |part: &str| args.only.as_deref().is_none_or(|only| only == part);
    if wanted("kills") {
        kills(&program, args.every)?;
    }
    if wanted("writers") {
        at_once(&program)?;
    }
    if wanted("disks") {
        disks(&program)?;
    }
    if wanted("trees") {
        trees::trees(&program)?;
    }
    Ok(())
}

fn newest() -> Result<PathBuf> {
    let name = if cfg!(windows) { "cognomen.exe" } else { "cognomen" };
    let built = ["release", "debug"].map(|profile| root().join("target").join(profile).join(name));
    let known = built.into_iter().filter_map(|path| Some((std::fs::metadata(&path).ok()?.modified().ok()?, path)));
    known.max().map(|(_, path)| path).context("build the program first: `cargo build`")
}

fn put(path: &Path, bytes: &[u8]) -> Result<()> {
    std::fs::create_dir_all(path.parent().context("a file lies in a folder")?)?;
    Ok(std::fs::write(path, bytes)?)
}

fn copy(from: &Path, to: &Path) -> Result<()> {
    for entry in walkdir::WalkDir::new(from) {
        let entry = entry?;
        let goal = to.join(entry.path().strip_prefix(from)?);
        match entry.file_type().is_dir() {
            true => std::fs::create_dir_all(goal)?,
            false => drop(std::fs::copy(entry.path(), goal)?),
        }
    }
    Ok(())
}

fn tree(top: &Path, without_own: bool) -> Result<Tree> {
    let mut out = Tree::new();
    let own = |entry: &walkdir::DirEntry| !(without_own && entry.file_name() == ".cognomen");
    for entry in walkdir::WalkDir::new(top).min_depth(1).into_iter().filter_entry(own) {
        let entry = entry?;
        let path = entry.path().strip_prefix(top)?.to_string_lossy().replace('\\', "/");
        let bytes = match entry.file_type() {
            kind if kind.is_dir() => b"a folder".to_vec(),
            kind if kind.is_file() => std::fs::read(entry.path())?,
            _ => b"something else".to_vec(),
        };
        out.insert(path, bytes);
    }
    Ok(out)
}

/// Runs a command that ends within a minute, of itself, with an exit code that is meant.
fn bounded(command: &mut Command) -> Result<Output> {
    let start = Instant::now();
    let output = command.output()?;
    let shown = || format!("{command:?}\n{}", String::from_utf8_lossy(&output.stderr));
    if start.elapsed() > Duration::from_secs(60) {
        bail!("it took {:.0} s: {}", start.elapsed().as_secs_f64(), shown());
    }
    match output.status.code() {
        Some(0..=3) => Ok(output),
        code => bail!("it ended with {code:?}: {}", shown()),
    }
}

fn ok(output: &Output) -> bool {
    matches!(output.status.code(), Some(0 | 1))
}

/// The system calls with which a program changes a disk; a file that was only just made is met at its first write.
const WRITES: &str =
    "mkdir,mkdirat,rename,renameat,renameat2,link,linkat,unlink,unlinkat,rmdir,write,fsync,fchmod,ftruncate";

/// Each command is killed at each of its writes.
fn kills(program: &Path, every: usize) -> Result<()> {
    if Command::new("strace").arg("-V").output().is_err() {
        println!("kills: left out, `strace` is not here");
        return Ok(());
    }
    let commands: [(&[&[&str]], &[&str]); 9] = [
        (&[], &["set", "item/eel", "value=9", "--mod", "long-night"]),
        (&[], &["new", "item/pole", "--like", "item/eel", "--mod", "long-night"]),
        (&[], &["copy", "unit/marsh-boar", "fen-king", "--with", "traits", "--mod", "long-night"]),
        (&[], &["mods", "new", "wick"]),
        (&[], &["mods", "rename", "long-night", "longest-night"]),
        (&[], &["keep", "1.2"]),
        (&[], &["check", "--accept", "--mod", "first-steps"]),
        (&[&["mods", "rename", "long-night", "longest-night"]], &["undo"]),
        (
            &[&["build", "--mod", "long-night"], &["set", "item/eel", "value=9", "--mod", "long-night"]],
            &["build", "--mod", "long-night"],
        ),
    ];
    for (before, line) in commands {
        let begin = || -> Result<Arena> {
            let arena = Arena::demo(program)?;
            for line in before {
                arena.run(line)?;
            }
            Ok(arena)
        };
        let arena = begin()?;
        let (old, around) = (arena.inside()?, arena.outside()?);
        if !ok(&arena.run(line)?) {
            bail!("`{}` does not work", line.join(" "));
        }
        let new = arena.inside()?;
        let mut seen = (0, 0);
        let mut done = None;
        // each sort of call is counted by itself
        for (call, nth) in
            WRITES.split(',').flat_map(|call| (1..2000).step_by(every.max(1)).map(move |nth| (call, nth)))
        {
            if done == Some(call) {
                continue;
            }
            let arena = begin()?;
            let inject = format!("inject={call}:signal=KILL:when={nth}");
            let traced = Command::new("strace")
                .args(["-f", "-qq", "-o", "/dev/null", "-e", &format!("trace={call}"), "-e", &inject])
                .arg(program)
                .args(line)
                .current_dir(arena.workspace())
                .output()?;
            if traced.status.code().is_some_and(|code| code <= 3) {
                done = Some(call);
                continue;
            }
            arena.run(&["mods"])?;
            let now = arena.inside()?;
            match () {
                () if now == old => seen.0 += 1,
                () if now == new => seen.1 += 1,
                () => {
                    bail!("`{}` killed at {call} {nth} leaves half a change: {}", line.join(" "), differing(&now, &old))
                }
            }
            if arena.outside()? != around {
                bail!("`{}` killed at {call} {nth} wrote outside", line.join(" "));
            }
            let left = tree(&arena.workspace().join(".cognomen"), false).unwrap_or_default();
            if let Some(path) = left.keys().find(|path| path.ends_with(".new") || path.contains("unreadable")) {
                bail!("`{}` killed at {call} {nth} leaves `.cognomen/{path}`", line.join(" "));
            }
        }
        println!("kills: `{}`: {} times old, {} times new", line.join(" "), seen.0, seen.1);
    }
    Ok(())
}

fn differing(now: &Tree, old: &Tree) -> String {
    let changed = now.iter().filter(|(path, bytes)| old.get(*path) != Some(bytes)).map(|(path, _)| path.as_str());
    let gone = old.keys().filter(|path| !now.contains_key(*path)).map(String::as_str);
    changed.chain(gone).take(6).collect::<Vec<_>>().join(", ")
}

/// Two writers on one file lose nothing.
fn at_once(program: &Path) -> Result<()> {
    let arena = Arena::demo(program)?;
    let one = |address: &'static str, field: &'static str| {
        for value in 1..=100 {
            let line = ["set", address, &format!("{field}={}", value % 40 + 20), "--mod", "long-night"];
            if !ok(&arena.run(&line)?) {
                bail!("`{}` failed", line.join(" "));
            }
        }
        Ok(())
    };
    std::thread::scope(|scope| -> Result<()> {
        let (a, b) = (scope.spawn(|| one("item/eel", "value")), scope.spawn(|| one("item/jug", "weight")));
        a.join().expect("no panic")?;
        b.join().expect("no panic")
    })?;
    let text = std::fs::read_to_string(arena.workspace().join("mods/long-night/amendments/item.toml"))?;
    if !text.contains("value = 40") || !text.contains("weight = 40") {
        bail!("two writers at once lost a change:\n{text}");
    }
    println!("two writers at once: 200 changes, none lost");
    Ok(())
}

/// Full disks and disks only for reading, where this system lets us have some.
fn disks(program: &Path) -> Result<()> {
    let commands: [&[&str]; 5] = [
        &["set", "item/eel", "value=9", "--mod", "long-night"],
        &["copy", "item/eel", "conger", "--mod", "long-night"],
        &["mods", "rename", "long-night", "longest-night"],
        &["keep", "1.2"],
        &["build", "--mod", "long-night"],
    ];
    for (name, full) in [("full", true), ("only for reading", false)] {
        let mut number = 0;
        for line in commands {
            let arena = Arena::new(program)?;
            let workspace = arena.workspace();
            std::fs::create_dir(&workspace)?;
            let mounted = Command::new("mount").args(["-t", "tmpfs", "-o", "size=2m", "none"]).arg(&workspace).output();
            if !mounted.is_ok_and(|mounted| mounted.status.success()) {
                println!("a disk that is {name}: left out, nothing can be mounted here");
                return Ok(());
            }
            let done = (|| -> Result<()> {
                copy(&root().join("examples/peatlight"), &workspace)?;
                if full {
                    let _ = std::fs::write(workspace.join("filler"), vec![0; 4 << 20]);
                } else {
                    let again = Command::new("mount").args(["-o", "remount,ro"]).arg(&workspace).status()?;
                    anyhow::ensure!(again.success(), "it cannot be mounted for reading");
                }
                let before = arena.inside()?;
                let output = arena.run(line)?;
                if ok(&output) || arena.inside()? != before {
                    bail!("on a disk that is {name}, `{}` is not refused whole", line.join(" "));
                }
                let checked = arena.run(&["check", "--mod", "long-night"])?;
                anyhow::ensure!(ok(&checked), "it can still be checked");
                Ok(())
            })();
            let _ = Command::new("umount").arg(&workspace).status();
            done?;
            number += 1;
        }
        println!("a disk that is {name}: {number} commands refused, nothing changed");
    }
    Ok(())
}
