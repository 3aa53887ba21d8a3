//! Every command that writes, on a disk that fails at each of its operations: what is there afterwards is the old
//! or the new as a whole, and `undo` takes back just the last change that happened.

#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing)] // helpers of tests

mod common;

use std::io::Write;
use std::path::Path;
use std::sync::{Arc, Mutex};

use clap::Parser;
use cognomen::{Args, Session};
use cognomen_core::{Disk, FailingDisk, RealDisk};
use common::Folder;

/// A stream that a test reads afterwards.
#[derive(Clone, Default)]
struct Shared(Arc<Mutex<Vec<u8>>>);

impl Write for Shared {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.lock().unwrap().write(bytes)
    }
    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

/// Runs a command line in a folder, on a disk; gives the exit code and both streams together.
fn run_on(folder: &Path, line: &[&str], disk: Arc<dyn Disk>) -> (u8, String) {
    let args = Args::try_parse_from(["cognomen", "--color", "never"].iter().chain(line)).unwrap();
    let said = Shared::default();
    let out = || Box::new(said.clone());
    let mut session = Session::new(folder.to_owned(), out(), out(), false).on_disk(disk);
    let code = cognomen::run(&args, &mut session);
    drop(session);
    let text = String::from_utf8(said.0.lock().unwrap().clone()).unwrap();
    (code, text)
}

fn run(folder: &Folder, line: &[&str]) -> (u8, String) {
    run_on(folder.path(), line, Arc::new(RealDisk))
}

type Files = Vec<(String, Vec<u8>)>;

/// All folders, too: none stays behind empty.
fn all(folder: &Folder) -> (Files, Vec<String>) {
    let mut folders = Vec::new();
    let mut todo = vec![folder.path().to_owned()];
    while let Some(here) = todo.pop() {
        for entry in std::fs::read_dir(&here).unwrap().map(Result::unwrap) {
            if entry.path().is_dir() && entry.file_name() != ".cognomen" {
                folders.push(entry.path().strip_prefix(folder.path()).unwrap().to_string_lossy().into_owned());
                todo.push(entry.path());
            }
        }
    }
    folders.sort();
    (folder.all("."), folders)
}

/// Runs a command with the disk failing at operation after operation; `before` is run first each time.
fn fails_anywhere(before: &[&[&str]], line: &[&str]) {
    let begin = || {
        let folder = Folder::demo();
        // something to be taken back that is not this
        assert_eq!(run(&folder, &["note", "item/eel", "slippery"]).0, 0);
        for line in before {
            let done = run(&folder, line);
            assert!(done.0 < 2, "{line:?}: {done:?}");
        }
        folder
    };
    let folder = begin();
    let old = all(&folder);
    let undone = run(&folder, &["undo", "--dry-run"]);
    assert!(run(&folder, line).0 < 2, "{line:?}: {:?}", run(&folder, line));
    let new = all(&folder);
    assert_ne!(old, new);
    let undone_after = run(&folder, &["undo", "--dry-run"]);
    let (mut was_old, mut was_new) = (false, false);
    for for_good in [true, false] {
        // a few operations apart: the journal's own tests try each
        for nth in (1..).step_by(if for_good { 3 } else { 5 }) {
            let folder = begin();
            let disk = FailingDisk::at(nth, for_good);
            let done = run_on(folder.path(), line, disk.clone());
            if !disk.failed() {
                assert!(nth > 5);
                break;
            }
            // the next start, which only looks
            let looked = run(&folder, &["mods"]);
            assert_eq!(looked.0, 0, "{looked:?}");
            let now = all(&folder);
            let odd: Vec<_> = now.0.iter().filter(|file| !old.0.contains(file) && !new.0.contains(file)).collect();
            // a folder that the system would not take away is no harm
            let is_new = now == new || (line.contains(&"--remove") && now.0 == new.0);
            assert!(now == old || is_new, "{line:?} at {nth}: {done:?} {odd:?} {:?}", now.1);
            if !for_good {
                assert_eq!(is_new, done.0 < 2, "{line:?} at {nth}: {done:?}");
            }
            let last = run(&folder, &["undo", "--dry-run"]);
            assert_eq!(last, if is_new { undone_after.clone() } else { undone.clone() }, "{line:?} at {nth}");
            (was_old, was_new) = (was_old || now == old, was_new || is_new);
        }
    }
    assert!(was_old && was_new, "{line:?}");
}

#[test]
fn set_new_and_copy_are_whole_wherever_the_disk_fails() {
    fails_anywhere(&[], &["set", "item/eel", "value=9", "weight=3", "--mod", "long-night"]);
    fails_anywhere(&[], &["move", "crafts/salting.json", "--to", "crafts/{at}.json", "--mod", "smoke-and-salt"]);
    fails_anywhere(&[], &["set", "--where", "value > 60", "value=60", "--yes", "--mod", "long-night"]);
    fails_anywhere(&[], &["new", "item/pole", "--like", "item/eel", "--name", "Pole", "--mod", "long-night"]);
    fails_anywhere(&[], &["rename", "item/grey-salt", "fen-salt", "--mod", "smoke-and-salt"]);
    fails_anywhere(&[], &["delete", "item/eel-keg", "recipe/pack-eel-keg", "--cascade", "--mod", "smoke-and-salt"]);
    fails_anywhere(&[], &["copy", "unit/marsh-boar", "fen-king", "--with", "traits", "--mod", "long-night"]);
}

#[test]
fn texts_groups_tables_and_logs_are_taken_in_whole_wherever_the_disk_fails() {
    fails_anywhere(&[], &["text", "stubs", "--language", "fr", "--mod", "smoke-and-salt"]);
    fails_anywhere(&[], &["tag", "add", "tag/winter-store", "item/eel", "item/long-wick", "--mod", "long-night"]);
    fails_anywhere(&[], &["capture", "evening.log", "spawn/reed-bed=1", "spawn/open-water=3", "--mod", "long-night"]);
    let out = ["sheet", "out", "t.csv", "--kind", "item", "--mod", "smoke-and-salt", "--where", "value > 20"];
    fails_anywhere(
        &[&out, &["set", "item/sail", "value=88", "--mod", "smoke-and-salt"]],
        &["sheet", "in", "t.csv", "--over", "--mod", "smoke-and-salt"],
    );
}

#[test]
fn mods_are_started_and_renamed_whole_wherever_the_disk_fails() {
    fails_anywhere(&[], &["mods", "new", "wick"]);
    fails_anywhere(&[], &["mods", "rename", "long-night", "longest-night"]);
}

#[test]
fn editions_and_acceptances_are_kept_whole_wherever_the_disk_fails() {
    fails_anywhere(&[], &["keep", "1.2"]);
    fails_anywhere(&[], &["check", "--accept", "--mod", "first-steps"]);
    fails_anywhere(&[], &["check", "--fix", "--mod", "first-steps", "--code", "name-with-ending"]);
}

#[test]
fn mods_are_installed_and_taken_out_whole_wherever_the_disk_fails() {
    let install = ["install", "--mod", "long-night"];
    fails_anywhere(&[&install, &["set", "item/eel", "value=9", "--mod", "long-night"]], &install);
    fails_anywhere(&[&install], &["install", "--remove", "--mod", "long-night"]);
}

#[test]
fn undo_and_build_are_whole_wherever_the_disk_fails() {
    fails_anywhere(&[&["mods", "rename", "long-night", "longest-night"]], &["undo"]);
    fails_anywhere(
        &[
            &["build", "--mod", "long-night"],
            &["set", "item/eel", "value=9", "--mod", "long-night"],
            &["note", "item/eel", "sold dear"],
        ],
        &["build", "--mod", "long-night"],
    );
}

#[test]
fn writers_at_once_lose_no_change() {
    let folder = Folder::demo();
    std::thread::scope(|scope| {
        for writer in 0..2 {
            let folder = &folder;
            scope.spawn(move || {
                for nth in 0..12 {
                    let about = ["item/eel", "item/jug"][writer];
                    let (field, value) = (["value", "weight"][writer], nth + 20);
                    let set = folder.run(&["set", about, &format!("{field}={value}"), "--mod", "long-night"]);
                    assert_eq!(set.code, 0, "{set:?}");
                    let noted = folder.run(&["note", &format!("item.{field}"), &format!("now {value}")]);
                    assert_eq!(noted.code, 0, "{noted:?}");
                }
            });
        }
    });
    let notes = folder.read("notes.toml");
    assert!(notes.contains("\"item.value\" = \"now 31\"") && notes.contains("\"item.weight\" = \"now 31\""), "{notes}");
    let text = folder.read("mods/long-night/amendments/item.toml");
    assert!(text.contains("value = 31") && text.contains("weight = 31"), "{text}");
}

#[cfg(unix)]
#[test]
fn what_is_no_ordinary_file_is_named_and_never_opened() {
    let pipe = |path: std::path::PathBuf| {
        assert!(std::process::Command::new("mkfifo").arg(&path).status().unwrap().success());
    };
    let folder = Folder::demo();
    pipe(folder.file("mods/long-night/goods/pipe.json"));
    pipe(folder.file("notes.toml"));
    std::os::unix::fs::symlink(folder.file("mods/long-night"), folder.file("mods/twin")).unwrap();
    let found = folder.run(&["check", "--short", "--color", "never"]);
    for said in [
        "`mods/long-night/goods/pipe.json` is no ordinary file",
        "`notes.toml` cannot be read: it is no ordinary file",
        "`mods/twin` is a link to a folder",
    ] {
        assert!(found.out.contains(said), "{said}\n{}", found.out);
    }
    let refused = folder.run(&["note", "item/eel", "x"]);
    assert_eq!(refused.code, 3, "{refused:?}");
    // in our own folder, too
    let folder = Folder::demo();
    std::fs::create_dir(folder.file(".cognomen")).unwrap();
    for name in ["lock", "checked.json", "building"] {
        pipe(folder.file(&format!(".cognomen/{name}")));
    }
    assert_eq!(folder.run(&["check", "--mod", "long-night"]).code, 0);
    assert_eq!(folder.run(&["state", "--mod", "long-night"]).code, 0);
    let refused = folder.run(&["note", "item/eel", "x"]);
    assert!(refused.code == 3 && refused.err.contains("`.cognomen/lock` is a link or no ordinary file"), "{refused:?}");
}
