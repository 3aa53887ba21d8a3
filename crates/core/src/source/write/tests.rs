//! Change sets on real folders, whole and cut off at every step.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use proptest::prelude::*;

use super::*;

fn real() -> Arc<dyn Disk> {
    Arc::new(RealDisk)
}

fn mods() -> Bounds {
    Bounds { allowed: vec!["mods".to_owned(), "notes.toml".to_owned()], never: Vec::new() }
}

fn create(path: &str, text: &str) -> FileChange {
    FileChange::Create { path: path.to_owned(), text: text.to_owned() }
}

fn commit(root: &Path, changes: impl Into<ChangeSet>, disk: Arc<dyn Disk>) -> Result<Written, WriteError> {
    Writer::lock(root, "test", &Bounds::all(), disk)?.commit(&changes.into(), &mods(), "a change", Keep::ForUndo)
}

/// How the last change that stands is taken back.
fn last_step(root: &Path) -> std::io::Result<Option<Recorded>> {
    let last = Writer::steps(root).done.pop();
    last.map(|last| Writer::recorded(root, last.number)).transpose()
}

fn undo(root: &Path, disk: Arc<dyn Disk>) -> Result<Written, WriteError> {
    let recorded = last_step(root).unwrap().unwrap();
    commit(root, recorded.back, disk)
}

/// All files and folders but our own, with their contents.
fn all(root: &Path) -> BTreeMap<String, Vec<u8>> {
    let mut out = BTreeMap::new();
    let entries = walkdir::WalkDir::new(root).min_depth(1).into_iter();
    for entry in entries.filter_entry(|entry| entry.file_name() != journal::STORE).map(Result::unwrap) {
        let path = entry.path().strip_prefix(root).unwrap().to_string_lossy().replace('\\', "/");
        let content =
            if entry.file_type().is_dir() { b"folder".to_vec() } else { std::fs::read(entry.path()).unwrap() };
        out.insert(path, content);
    }
    out
}

/// What stays in our own folder: only what is remembered, and whole changes.
fn nothing_is_left_over(root: &Path) {
    let store = root.join(journal::STORE);
    let mut names: Vec<String> =
        std::fs::read_dir(&store).unwrap().map(|e| e.unwrap().file_name().to_string_lossy().into_owned()).collect();
    names.retain(|name| !["changes", "lock", "writer", ".gitignore"].contains(&name.as_str()));
    assert_eq!(names, Vec::<String>::new());
    let undecided = std::fs::read_dir(store.join("changes")).into_iter().flatten().flatten();
    let undecided = undecided.filter(|folder| !folder.path().join(journal::DONE).is_file()).count();
    assert!(undecided <= 1, "{undecided} changes are not whole");
}

/// A mod with two files, and changes of every sort.
fn begin() -> (tempfile::TempDir, ChangeSet) {
    let folder = tempfile::tempdir().unwrap();
    commit(folder.path(), vec![create("mods/a/one.json", "1"), create("mods/a/deep/two.json", "2")], real()).unwrap();
    commit(folder.path(), vec![create("mods/b/three.json", "3")], real()).unwrap();
    let changes = vec![
        FileChange::Move { path: "mods/b".to_owned(), to: "mods/c".to_owned() },
        FileChange::edit("mods/c/three.json", "3", "three"),
        FileChange::edit("mods/a/one.json", "1", "one"),
        FileChange::Delete { path: "mods/a/deep/two.json".to_owned(), before: "2".to_owned() },
        create("mods/new/far/four.json", "4"),
        FileChange::Bytes { path: "notes.toml".to_owned(), before: None, after: Some(Arc::from(&b"\xff\x00"[..])) },
    ];
    (folder, changes.into())
}

#[test]
fn a_change_and_what_takes_it_back_leave_everything_as_it_was() {
    let (folder, changes) = begin();
    let before = all(folder.path());
    commit(folder.path(), changes, real()).unwrap();
    let after = all(folder.path());
    let paths: Vec<&str> = after.keys().map(String::as_str).collect();
    assert_eq!(
        paths,
        [
            "mods",
            "mods/a",
            "mods/a/one.json",
            "mods/c",
            "mods/c/three.json",
            "mods/new",
            "mods/new/far",
            "mods/new/far/four.json",
            "notes.toml"
        ]
    );
    assert_eq!(after.get("mods/c/three.json").map(Vec::as_slice), Some(&b"three"[..]));
    undo(folder.path(), real()).unwrap();
    assert_eq!(all(folder.path()), before);
    undo(folder.path(), real()).unwrap();
    assert_eq!(all(folder.path()), after);
    nothing_is_left_over(folder.path());
}

#[test]
fn cut_off_anywhere_a_change_ends_old_or_new_as_a_whole() {
    let (folder, changes) = begin();
    commit(folder.path(), changes, real()).unwrap();
    let new = all(folder.path());
    let mut seen = (false, false);
    for nth in 0.. {
        let (folder, changes) = begin();
        let old = all(folder.path());
        let disk = FailingDisk::at(nth, true);
        let done = commit(folder.path(), changes, disk.clone());
        if !disk.failed() {
            assert!(done.is_ok() && nth > 20, "{nth}: {done:?}");
            break;
        }
        // the next start
        let writer = Writer::lock(folder.path(), "test", &Bounds::all(), real()).unwrap();
        let now = all(folder.path());
        assert!(now == old || now == new, "{nth}: {now:?}");
        seen = (seen.0 || now == old, seen.1 || now == new);
        drop(writer);
        nothing_is_left_over(folder.path());
        // what is taken back is just the last change that happened
        let last = last_step(folder.path()).unwrap().unwrap();
        assert_eq!(last.back.len(), if now == new { 6 } else { 1 }, "{nth}");
        undo(folder.path(), real()).unwrap();
        assert_eq!(all(folder.path()) == old, now == new, "{nth}");
    }
    assert_eq!(seen, (true, true));
}

#[test]
fn a_single_failure_anywhere_is_said_and_changes_nothing() {
    for nth in 1.. {
        let (folder, changes) = begin();
        let (old, last) = (all(folder.path()), last_step(folder.path()).unwrap());
        let disk = FailingDisk::at(nth, false);
        let done = commit(folder.path(), changes, disk.clone());
        if !disk.failed() {
            assert!(nth > 20);
            break;
        }
        if done.is_err() {
            assert_eq!(all(folder.path()), old, "{nth}: {done:?}");
            assert_eq!(last_step(folder.path()).unwrap(), last, "{nth}");
        } else {
            // only tidying up failed
            assert_ne!(all(folder.path()), old, "{nth}");
        }
        drop(Writer::lock(folder.path(), "test", &Bounds::all(), real()).unwrap());
        nothing_is_left_over(folder.path());
    }
}

#[test]
fn what_somebody_else_saved_meanwhile_stays() {
    let (folder, changes) = begin();
    let write = |path: &str, text: &str| std::fs::write(folder.path().join(path), text).unwrap();
    write("mods/a/one.json", "saved by an editor");
    let before = all(folder.path());
    assert!(matches!(commit(folder.path(), changes.clone(), real()), Err(WriteError::Changed(_))));
    assert_eq!(all(folder.path()), before);
    write("mods/a/one.json", "1");
    // between the decision and the last step
    for nth in 0.. {
        let (folder, changes) = begin();
        let disk = FailingDisk::at(nth, true);
        let _ = commit(folder.path(), changes, disk.clone());
        if !disk.failed() {
            break;
        }
        let path = folder.path().join("mods/a/one.json");
        std::fs::write(&path, "saved by an editor").unwrap();
        drop(Writer::lock(folder.path(), "test", &Bounds::all(), real()).unwrap());
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "saved by an editor", "{nth}");
    }
    commit(folder.path(), changes, real()).unwrap();
    write("mods/new/far/four.json", "four");
    assert!(matches!(undo(folder.path(), real()), Err(WriteError::Changed(_))));
}

#[test]
fn of_two_writers_one_waits_and_is_told_who_is_there() {
    let folder = tempfile::tempdir().unwrap();
    let first = Writer::lock(folder.path(), "copy item/eel", &mods(), real()).unwrap();
    let error = Writer::lock_within(folder.path(), "set", &mods(), real(), Duration::ZERO).unwrap_err();
    assert!(error.to_string().starts_with("`cognomen copy item/eel` (process "), "{error}");
    drop(first);
    Writer::lock(folder.path(), "set", &mods(), real()).unwrap();
}

#[test]
fn writers_at_once_lose_nothing() {
    let folder = tempfile::tempdir().unwrap();
    commit(folder.path(), vec![create("notes.toml", "")], real()).unwrap();
    let one = |name: char| {
        for _ in 0..40 {
            // on a busy machine the other may come first for long
            let patience = Duration::from_secs(600);
            let writer = Writer::lock_within(folder.path(), "note", &mods(), real(), patience).unwrap();
            let before = std::fs::read_to_string(folder.path().join("notes.toml")).unwrap();
            let text = format!("{before}{name}");
            let change = ChangeSet::from(vec![FileChange::edit("notes.toml", before, text)]);
            writer.commit(&change, &mods(), "note", Keep::ForUndo).unwrap();
        }
    };
    std::thread::scope(|scope| {
        scope.spawn(|| one('a'));
        scope.spawn(|| one('b'));
    });
    let text = std::fs::read_to_string(folder.path().join("notes.toml")).unwrap();
    assert_eq!((text.matches('a').count(), text.matches('b').count()), (40, 40));
}

#[test]
fn paths_that_lead_elsewhere_are_refused_in_words() {
    let folder = tempfile::tempdir().unwrap();
    for (path, said) in [
        ("base/item.json", "lies outside"),
        ("mods/../base/item.json", "lies outside"),
        ("/etc/x", "lies outside"),
        ("mods\\..\\x", "cannot hold `\\\\`"),
        ("mods/con", "device"),
        ("mods/x:y", "cannot hold `:`"),
        ("mods/x.", "ends in a dot"),
    ] {
        let error = commit(folder.path(), vec![create(path, "x")], real()).unwrap_err().to_string();
        assert!(error.contains(said), "{error}");
    }
    assert_eq!(all(folder.path()), BTreeMap::new());
    commit(folder.path(), vec![create("mods/a", "x")], real()).unwrap();
    assert!(matches!(commit(folder.path(), vec![create("mods/a", "y")], real()), Err(WriteError::There(_))));
}

#[cfg(unix)]
#[test]
fn our_own_folder_is_no_link_and_nothing_that_hangs() {
    let (folder, other) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    std::os::unix::fs::symlink(other.path(), folder.path().join(journal::STORE)).unwrap();
    assert!(matches!(commit(folder.path(), vec![create("mods/a", "x")], real()), Err(WriteError::Link(_))));
    assert_eq!(all(other.path()), BTreeMap::new());
}

#[test]
fn a_journal_that_somebody_wrote_by_hand_leads_nowhere() {
    let folder = tempfile::tempdir().unwrap();
    let change = folder.path().join(".cognomen/changes/000001");
    std::fs::create_dir_all(&change).unwrap();
    std::fs::create_dir_all(folder.path().join("base")).unwrap();
    std::fs::write(change.join("0.new"), "x").unwrap();
    for path in ["../out.json", "base/x.json", "/tmp/cognomen-out.json"] {
        let after = Stamp::of(b"x").word();
        let journal = format!(
            r#"{{"format":1,"what":"x","steps":[{{"do":"put","path":"{path}","before":null,"after":"{after}"}}],"folders":[],"undoable":true}}"#
        );
        std::fs::write(change.join(journal::DECIDED), journal).unwrap();
        let bounds = Bounds { allowed: Vec::new(), never: vec![folder.path().join("base")] };
        let writer = Writer::lock(folder.path(), "test", &bounds, real()).unwrap();
        assert_eq!(writer.cut_off.len(), 1);
        assert_eq!(all(folder.path()).len(), 1, "{path}");
        assert!(!folder.path().parent().unwrap().join("out.json").exists());
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// Any change of some files, cut off anywhere: old or new, and undone it is as it was.
    #[test]
    fn random_changes_are_whole(
        steps in proptest::collection::vec((0usize..6, 0usize..4, "[a-c]{0,3}"), 1..5),
        nth in 0usize..60,
    ) {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        let path = |at: usize| format!("mods/{}/{at}.json", ["a", "b"][at % 2]);
        commit(root, (0..3).map(|at| create(&path(at), &at.to_string())).collect::<Vec<_>>(), real()).unwrap();
        let old = all(root);
        let mut changes: Vec<FileChange> = Vec::new();
        for (file, what, text) in steps {
            let path = path(file);
            if changes.iter().any(|known| known.path() == path) {
                continue;
            }
            if (file < 3, what) == (true, 3) {
                // what is moved is changed where it comes to
                let to = format!("mods/moved/{file}");
                changes.push(FileChange::Move { to: to.clone(), path });
                changes.push(FileChange::edit(to, file.to_string(), text));
                continue;
            }
            changes.push(match (file < 3, what) {
                (true, 0) => FileChange::Delete { path, before: file.to_string() },
                (true, 1) => FileChange::Move { to: format!("mods/moved/{file}"), path },
                (true, _) => FileChange::edit(path, file.to_string(), text),
                (false, _) => create(&path, &text),
            });
        }
        let _ = commit(root, changes.clone(), FailingDisk::at(nth, true));
        drop(Writer::lock(root, "test", &Bounds::all(), real()).unwrap());
        let now = all(root);
        if now == old {
            commit(root, changes, real()).unwrap();
            prop_assert!(!all(root).keys().any(|path| path.contains(".cognomen")));
        }
        undo(root, real()).unwrap();
        prop_assert_eq!(all(root), old);
    }
}

/// Changes are taken back one after the other and brought again, each as it was; what is done meanwhile takes their place.
#[test]
fn steps_go_back_and_forward() {
    let (folder, changes) = begin();
    let root = folder.path();
    commit(root, changes, real()).unwrap();
    let steps = |root: &Path| {
        let steps = Writer::steps(root);
        (steps.done.len(), steps.undone.len())
    };
    let take = |back: bool| {
        let mut steps = Writer::steps(root);
        let last = if back { steps.done.pop() } else { steps.undone.pop() }.unwrap();
        let recorded = Writer::recorded(root, last.number).unwrap();
        let writer = Writer::lock(root, "test", &Bounds::all(), real()).unwrap();
        writer.commit(&recorded.back.into(), &mods(), &last.what, Keep::TakesBack(last.number)).unwrap();
    };
    let mut states = vec![all(root)];
    assert_eq!(steps(root), (3, 0));
    for nth in 1..=3 {
        take(true);
        states.push(all(root));
        assert_eq!(steps(root), (3 - nth, nth));
    }
    assert_eq!(states[3].keys().collect::<Vec<_>>(), ["mods"], "only the folder that the mods stand in");
    for nth in (0..3).rev() {
        take(false);
        assert_eq!(all(root), states[nth]);
    }
    // back and forward again, over what went back and forward
    take(true);
    take(true);
    take(false);
    assert_eq!((all(root), steps(root)), (states[1].clone(), (2, 1)));
    commit(root, vec![create("mods/a/five.json", "5")], real()).unwrap();
    assert_eq!(steps(root), (3, 0));
}

/// Of many changes the newest can be taken back.
#[test]
fn a_hundred_steps_are_kept() {
    let folder = tempfile::tempdir().unwrap();
    for nth in 0..104 {
        commit(folder.path(), vec![create(&format!("mods/{nth}.json"), "1")], real()).unwrap();
    }
    let steps = Writer::steps(folder.path());
    assert_eq!((steps.done.len(), steps.done[0].paths[0].as_str()), (100, "mods/4.json"));
}
