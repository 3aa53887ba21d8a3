//! Where builds go, what they leave there, and what they never touch.

mod common;

use common::Folder;

fn refused(folder: &Folder, line: &[&str], said: &str) {
    let before = folder.all(".");
    let run = folder.run(line);
    assert!(run.code == 3 || run.code == 2, "{line:?}: {run:?}");
    assert!(run.err.contains(said) && run.out.is_empty(), "{line:?}: {run:?}");
    assert_eq!(folder.all("."), before, "{line:?}");
}

#[test]
fn what_an_earlier_build_wrote_goes_and_what_no_build_wrote_stays() {
    let folder = Folder::demo();
    folder.put("mods/long-night/goods/more.json", "{}\n");
    assert_eq!(folder.run(&["build", "--mod", "long-night"]).code, 0);
    assert!(folder.file("build/long-night/goods/more.json").exists());
    folder.put("build/long-night/mine.txt", "kept by hand\n");
    std::fs::remove_file(folder.file("mods/long-night/goods/more.json")).unwrap();
    let run = folder.run(&["build", "--mod", "long-night", "--color", "never"]);
    assert_eq!(run.code, 0, "{run:?}");
    assert!(run.out.contains("taken out, since it is not built any more: goods/more.json"), "{}", run.out);
    assert!(run.out.contains("written by no build, and left there: mine.txt"), "{}", run.out);
    assert!(!folder.file("build/long-night/goods/more.json").exists());
    assert_eq!(folder.read("build/long-night/mine.txt"), "kept by hand\n");
    refused(&folder, &["build", "--mod", "long-night", "--clean"], "holds what no build wrote: mine.txt");
    std::fs::remove_file(folder.file("build/long-night/mine.txt")).unwrap();
    assert_eq!(folder.run(&["build", "--mod", "long-night", "--clean"]).code, 0);
    folder.put("build/long-night/mod.json", "changed by hand\n");
    for line in [&["build", "--mod", "long-night"][..], &["build", "--mod", "long-night", "--clean"]] {
        refused(&folder, line, "`build/long-night/mod.json` was not written by a build, or was changed since");
    }
}

#[test]
fn a_build_goes_nowhere_where_something_else_is() {
    let folder = Folder::demo();
    for (out, what) in [
        ("base", "the base"),
        ("base/new", "the base"),
        ("BASE/new", "the base"),
        (".", "the base"),
        ("..", "the base"),
        ("mods", "a mod"),
        ("mods/long-night/out", "a mod"),
        ("mods/new", "the mods' folder"),
        ("build/../mods/new", "the mods' folder"),
        ("editions/1.1.zip", "an edition"),
        ("rulebook/x", "the rulebook"),
        (".cognomen/x", "what the workspace remembers"),
    ] {
        refused(&folder, &["build", "--mod", "long-night", "--out", out], &format!("where {what} is"));
    }
    refused(&folder, &["build", "--mod", "long-night", "--out", "cognomen.toml"], "is no folder");
    refused(&folder, &["build", "--mod", "base"], "the base is the game itself");
    let elsewhere = tempfile::tempdir().unwrap();
    let out = elsewhere.path().join("release");
    let run = folder.run(&["build", "--mod", "long-night", "--out", out.to_str().unwrap()]);
    assert_eq!(run.code, 0, "{run:?}");
    assert!(out.join("mod.json").exists() && !out.join(".cognomen").exists());
    assert_eq!(folder.run(&["build", "--mod", "long-night", "--out", out.to_str().unwrap()]).code, 0);
}

#[cfg(unix)]
#[test]
fn no_link_leads_a_build_into_the_base() {
    use std::os::unix::fs::symlink;
    let folder = Folder::demo();
    symlink(folder.file("base"), folder.file("out")).unwrap();
    refused(&folder, &["build", "--mod", "long-night", "--out", "out"], "where the base is");
    refused(&folder, &["build", "--mod", "long-night", "--out", "out/new"], "where the base is");
    std::fs::create_dir(folder.file("build")).unwrap();
    symlink("../base", folder.file("build/long-night")).unwrap();
    refused(&folder, &["build", "--mod", "long-night"], "where the base is");
    let elsewhere = tempfile::tempdir().unwrap();
    std::fs::remove_dir_all(folder.file("build")).unwrap();
    symlink(elsewhere.path(), folder.file("build")).unwrap();
    refused(&folder, &["build", "--mod", "long-night"], "leads out of the workspace by a link");
    std::fs::create_dir(folder.file("other")).unwrap();
    symlink("../base/goods", folder.file("other/goods")).unwrap();
    refused(&folder, &["build", "--mod", "long-night", "--out", "other"], "lies outside");
}

#[test]
fn ids_of_mods_and_names_of_editions_never_lead_out() {
    for (id, said) in
        [("..", "`..` in it leads elsewhere"), ("../../docs", "cannot hold `/`"), ("con", "a device"), ("a:b", "`:`")]
    {
        let folder = Folder::demo();
        folder.put(
            "mods/odd/mod.json",
            &format!(
                "{{\n  \"id\": \"{id}\",\n  \"title\": \"Odd\",\n  \"version\": \"1.0\",\n  \"made_for\": \"1.2\"\n}}\n"
            ),
        );
        folder.put("docs/kept.txt", "kept");
        let found = folder.run(&["check", "--short", "--color", "never"]);
        assert!(found.out.contains("mods/odd/mod.json:2") && found.out.contains(said), "{}", found.out);
        refused(&folder, &["build", "--mod", id, "--clean"], "a folder cannot be called");
    }
    let folder = Folder::demo();
    let known = folder.read("cognomen.toml");
    folder.put("cognomen.toml", &known.replace("\"1.1\" =", "\"../1.1\" ="));
    let found = folder.run(&["check", "--short", "--color", "never"]);
    assert!(found.out.contains("the edition `../1.1` cannot name a file"), "{}", found.out);
    refused(&folder, &["keep", "../1.3"], "cannot name a file");
    folder.put("cognomen.toml", &known.replace("mods = \"mods\"", "mods = \"base\""));
    let found = folder.run(&["check", "--short", "--color", "never"]);
    assert!(found.out.contains("the base is never written to"), "{}", found.out);
    refused(&folder, &["mods", "new", "mine"], "lies outside");
}

#[test]
fn a_workspace_is_not_started_in_the_base() {
    let folder = Folder::demo();
    for line in [
        &["init", "base", "--base", "."][..],
        &["init", "base/ws", "--base", ".."],
        &["init", "new", "--base", "base", "--mods", "../base/mods"],
    ] {
        refused(&folder, line, "the base is never written to");
    }
    let run = folder.run(&["init", "new", "--base", "../base"]);
    assert_eq!(run.code, 0, "{run:?}");
}
