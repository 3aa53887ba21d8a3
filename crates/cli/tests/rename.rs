//! `rename` on the demo and on games of other notations: what follows, what is said, what is taken back.
#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing, clippy::expect_used)]

mod common;

use common::Folder;

#[test]
fn a_definition_and_all_that_names_it() {
    let folder = Folder::demo();
    folder.run(&["note", "item/grey-salt", "from the sea dyke"]);
    let before = folder.all("");
    let line = ["rename", "item/grey-salt", "fen-salt", "--mod", "smoke-and-salt", "--color", "never"];
    let dry = folder.run(&[&line[..], &["--dry-run"]].concat());
    assert!(dry.out.contains("item/grey-salt would be item/fen-salt\n"), "{}{}", dry.out, dry.err);
    assert_eq!(before, folder.all(""), "a dry run writes nothing");
    let run = folder.run(&line);
    assert_eq!(run.code, 0, "{}", run.err);
    let said = "item/grey-salt is now item/fen-salt\n  4 references, 2 texts, 1 note or accepted finding follow\n";
    assert!(run.out.starts_with(said), "{}", run.out);
    for (path, _) in folder.all("mods/smoke-and-salt") {
        if path.ends_with(".json") || path.ends_with(".toml") || path.ends_with(".csv") {
            let text = folder.read(&format!("mods/smoke-and-salt/{path}")).replace("rake-grey-salt", "");
            assert!(!text.contains("grey-salt"), "{path}");
        }
    }
    let check = folder.run(&["check", "--mod", "smoke-and-salt"]);
    assert_eq!(check.code, 0, "{}{}", check.out, check.err);
    folder.run(&["rename", "item/fen-salt", "grey-salt", "--mod", "smoke-and-salt"]);
    let only = |files: Vec<(String, Vec<u8>)>| {
        files.into_iter().filter(|(path, _)| !path.contains(".cognomen")).collect::<Vec<_>>()
    };
    assert_eq!(only(before), only(folder.all("")), "there and back changes nothing");
}

#[test]
fn programs_get_the_same_facts() {
    let folder = Folder::demo();
    let line = ["rename", "item/salt-eel", "dyke-eel", "--mod", "smoke-and-salt", "--format", "json"];
    let said = folder.run(&line).json();
    assert_eq!(said["renamed"][0]["to"], "item/dyke-eel");
    assert_eq!(said["written"], true);
    let elsewhere = said["elsewhere"].as_array().unwrap();
    assert!(elsewhere.iter().all(|one| !one["file"].as_str().unwrap().starts_with("mods/smoke-and-salt")), "{said}");
    assert!(!said["followed"].as_array().unwrap().is_empty());
}

#[test]
fn what_is_typed_wrong_is_said_and_nothing_is_written() {
    let folder = Folder::demo();
    let before = folder.all("");
    for (line, code, said) in [
        (&["rename", "item/eel", "fen-eel"][..], 3, "`item/eel` is from the base game"),
        (&["rename", "item/salt-eel", "eel", "--mod", "smoke-and-salt"], 3, "`item/eel` is there already, from base"),
        (&["rename", "item/salt-eel", "Salt Eel", "--mod", "smoke-and-salt"], 3, "ids look like"),
        (&["rename", "item/salt-eel", "salt-eel", "--mod", "smoke-and-salt"], 3, "is called so already"),
        (&["rename", "item/salt-eel", "fen-eel", "--mod", "tidegate"], 3, "`--mod smoke-and-salt` renames it there"),
        (&["rename", "item/salt-eell", "fen-eel", "--mod", "smoke-and-salt"], 3, "salt-eel"),
        (&["rename", "item/salt-eel", "--mod", "smoke-and-salt"], 2, "<ID>"),
    ] {
        let run = folder.run(line);
        assert_eq!(run.code, code, "{line:?}: {}{}", run.out, run.err);
        assert!(run.err.contains(said), "{line:?}: {}", run.err);
    }
    assert_eq!(before, folder.all(""));
}
