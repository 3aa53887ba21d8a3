//! Older editions of the base and other versions of a mod, driven through the built program: `keep`, `changes
//! --against`, and what a mod made for an older edition means.

mod common;

use common::Folder;

const RULEBOOK: &str = r#"rulebook = 1
[game]
name = "Sluice"
edition = "1.2"
[manifest]
file = "mod.toml"
id = "id"
name = "title"
made_for = "game"
requires = "needs[]"
[[where]]
files = "lamps/*.json"
cut = "{}"
kind = "lamp"
[kinds.lamp]
parent = "like"
again = "replace"
[kinds.lamp.fields]
"value" = { type = "integer", unit = "groats" }
"burn" = { type = "integer", default = 1 }
"marks[]" = { type = "text", list = "set", optional = true }
"#;

const OLD: &str =
    "{\n  \"lamp\": { \"value\": 10, \"burn\": 40, \"marks\": [\"wet\"] },\n  \"rush\": { \"value\": 1 }\n}\n";
const NEW: &str = "{\n  \"lamp\": { \"value\": 10, \"burn\": 45, \"marks\": [\"wet\", \"bog\"] },\n  \"torch\": { \"value\": 3 }\n}\n";

/// A base of 1.2, the edition 1.1 in a folder, a mod that ships a copy of the old lamp, and one that amends it.
fn sluice() -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\r\nrulebook = \"rulebook.toml\"\r\nbase = \"base\"\r\nmods = \"mods\"\r\nedit = \"copied\"\r\n\r\n[editions]\r\n\"1.1\" = \"old\"\r\n",
    );
    folder.put("rulebook.toml", RULEBOOK);
    folder.put("old/lamps/all.json", OLD);
    folder.put("base/lamps/all.json", NEW);
    folder.put("mods/copied/mod.toml", "id = \"copied\"\ntitle = \"Copied\"\ngame = \"1.1\"\n");
    folder.put(
        "mods/copied/lamps/own.json",
        "{\n  \"lamp\": { \"value\": 12, \"burn\": 40, \"marks\": [\"wet\"] },\n  \"rush\": { \"value\": 1 }\n}\n",
    );
    folder.put("mods/bright/mod.toml", "id = \"bright\"\ntitle = \"Bright\"\ngame = \"1.2\"\n");
    folder.put(
        "mods/bright/amendments/lamp.toml",
        "amendments = 1\n[[amend]]\nof = \"lamp/torch\"\nset = { burn = 9 }\nwhy = \"It is a torch.\"\n",
    );
    folder
}

#[test]
fn a_mod_means_what_it_changes_in_the_edition_it_was_made_for() {
    let folder = sluice();
    let run = folder.run(&["changes", "copied"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""), "{run:?}");
    assert!(run.out.starts_with("copied, made for edition 1.1, changes 1 value in 1 definition\n"), "{}", run.out);
    assert!(run.out.contains("10 → 12 groats") && !run.out.contains("burn"), "{}", run.out);
    assert_eq!(folder.run(&["changes", "copied", "--format", "json"]).json()["made_for"], "1.1");
    let now = folder.run(&["changes", "copied", "--against", "base"]);
    for part in ["changes 3 values in 1 definition, adds 1 definition", "45 → 40", "- bog", "lamp/rush"] {
        assert!(now.out.contains(part), "{part}\n{}", now.out);
    }
    let bright = folder.run(&["changes", "bright"]);
    assert!(bright.out.starts_with("bright changes 1 value"), "{}", bright.out);
    let history = folder.run(&["show", "lamp/lamp", "--history", "burn"]);
    assert!(
        history.out.contains("45 → 40") && history.out.contains("carried along from edition 1.1, not meant\n"),
        "{}",
        history.out
    );
}

#[test]
fn a_copy_of_what_has_moved_on_is_found_and_told_among_the_clashes() {
    let folder = sluice();
    let report = folder.run(&["check", "--format", "json"]).json();
    let found: Vec<(String, String)> = report["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["code"].as_str().unwrap().to_owned(), one["message"].as_str().unwrap().to_owned()))
        .collect();
    assert_eq!(found.len(), 2, "{found:?}");
    assert_eq!(found[0].0, "stale-copy");
    assert!(found[0].1.contains("`burn` is `40`, now `45`"), "{found:?}");
    assert!(found[0].1.contains("`marks[=bog]` is lacking"), "{found:?}");
    assert!(found[1].1.contains("edition 1.2 no longer has it"), "{found:?}");
    let clashes = folder.run(&["clashes"]);
    for part in ["2 stale copies\n", "burn 40 of 1.1, in 1.2 it is 45", "brings it back, 1.2 has given it up"] {
        assert!(clashes.out.contains(part), "{part}\n{}", clashes.out);
    }
    let json = folder.run(&["clashes", "copied", "--format", "json"]).json();
    assert_eq!(json["stale"][0]["what"]["values"][0]["now"], 45);
    // made for the base that is here, it would mean to set everything back
    folder.put("mods/copied/mod.toml", "id = \"copied\"\ntitle = \"Copied\"\ngame = \"1.2\"\n");
    assert!(folder.run(&["clashes"]).out.starts_with("no clashes"));
    assert!(folder.run(&["changes", "copied"]).out.contains("45 → 40"));
}

#[test]
fn editions_are_kept_packed_and_read_like_the_folder_they_were_made_of() {
    let folder = sluice();
    let kept = folder.run(&["keep"]);
    assert_eq!((kept.code, kept.err.as_str()), (0, ""), "{kept:?}");
    assert!(kept.out.starts_with("edition 1.2 is kept: 1 file in editions/1.2.zip\n"), "{}", kept.out);
    assert!(folder.read("cognomen.toml").ends_with("\"1.1\" = \"old\"\r\n\"1.2\" = \"editions/1.2.zip\"\r\n"));
    let again = folder.run(&["keep"]);
    assert_eq!(again.code, 3);
    assert!(again.err.contains("the edition `1.2` is kept already"), "{}", again.err);
    // the older one, from elsewhere, is read packed as it was as a folder
    let before = folder.run(&["changes", "base", "--against", "1.1"]);
    assert!(
        before.out.starts_with(
            "base, against 1.1, changes 2 values in 1 definition, adds 1 definition, removes 1 definition\n"
        ),
        "{}",
        before.out
    );
    folder
        .put("cognomen.toml", "cognomen = 1\r\nrulebook = \"rulebook.toml\"\r\nbase = \"base\"\r\nmods = \"mods\"\r\n");
    let packed = folder.run(&["keep", "1.1", "--from", "old"]);
    assert_eq!((packed.code, packed.err.as_str()), (0, ""), "{packed:?}");
    assert!(
        folder
            .read("cognomen.toml")
            .ends_with("mods = \"mods\"\r\n\r\n[editions]\r\n\"1.1\" = \"editions/1.1.zip\"\r\n"),
        "{}",
        folder.read("cognomen.toml")
    );
    assert_eq!(folder.run(&["changes", "base", "--against", "1.1"]).out, before.out);
    let list = folder.run(&["keep", "--list"]);
    assert_eq!(list.out, "the base is 1.2; 1 edition is kept\n  1.1  editions/1.1.zip  for copied\n");
    // and taken back
    let undone = folder.run(&["undo"]);
    assert!(undone.out.starts_with("taken back: keeping edition 1.1\n"), "{undone:?}");
    assert!(!folder.file("editions/1.1.zip").exists() && folder.file("editions/1.2.zip").exists());
    assert_eq!(folder.run(&["keep", "--list"]).out, "the base is 1.2; no edition of it is kept\n");
    let dry = folder.run(&["keep", "1.0", "--from", "old", "--dry-run"]);
    assert!(
        dry.out.starts_with("new archive editions/1.0.zip\n") && dry.err.contains("nothing was written"),
        "{dry:?}"
    );
    assert!(!folder.file("editions/1.0.zip").exists());
    for (name, from) in [("../1.0", "old"), ("1.0", "nowhere"), ("1.0", "mods/bright/amendments")] {
        let wrong = folder.run(&["keep", name, "--from", from]);
        assert_eq!((wrong.code, wrong.out.as_str()), (3, ""), "{name} {from}: {wrong:?}");
    }
}

#[test]
fn a_mod_is_compared_with_an_older_version_of_itself() {
    let folder = sluice();
    folder.put("past/mod.toml", "id = \"bright\"\ntitle = \"Bright\"\ngame = \"1.2\"\n");
    folder.put("past/lamps/extra.json", "{ \"pitch\": { \"value\": 4 } }\n");
    folder.put(
        "past/amendments/lamp.toml",
        "amendments = 1\n[[amend]]\nof = \"lamp/torch\"\nset = { burn = 6, value = 5 }\n",
    );
    let log = folder.run(&["changes", "bright", "--against", "past"]);
    assert_eq!((log.code, log.err.as_str()), (0, ""), "{log:?}");
    assert!(
        log.out.starts_with("bright, against past, changes 2 values in 1 definition, removes 1 definition\n"),
        "{}",
        log.out
    );
    for part in ["6 → 9", "5 → 3 groats", "It is a torch.", "removed: lamp 1\n  lamp/pitch"] {
        assert!(log.out.contains(part), "{part}\n{}", log.out);
    }
    let page = folder.run(&["changes", "bright", "--against", "past", "--markdown"]);
    assert!(page.out.contains("- `lamp/torch`\n  - `burn` 6 → 9: It is a torch."), "{}", page.out);
    // the same out of an archive, in which the mod has a folder of its own
    folder.zip(
        "bright-0.9.zip",
        &[
            ("bright/mod.toml", "past/mod.toml"),
            ("bright/lamps/extra.json", "past/lamps/extra.json"),
            ("bright/amendments/lamp.toml", "past/amendments/lamp.toml"),
        ],
    );
    let packed = folder.run(&["changes", "bright", "--against", "bright-0.9.zip"]);
    assert_eq!(packed.out.replace("bright-0.9.zip", "past"), log.out);
    // against another base that lies somewhere
    let base = folder.run(&["changes", "copied", "--against", "old"]);
    assert!(base.out.starts_with("copied, against old, changes 1 value in 1 definition\n"), "{}", base.out);
    for wrong in ["past/lamps", "nowhere", "brigth"] {
        let run = folder.run(&["changes", "bright", "--against", wrong]);
        assert_eq!((run.code, run.out.as_str()), (3, ""), "{wrong}: {run:?}");
    }
    assert!(folder.run(&["changes", "bright", "--against", "brigth"]).err.contains("the nearest is `bright`"));
    assert_eq!(folder.run(&["changes", "base", "--against", "past"]).code, 2);
}

#[test]
fn editions_that_are_not_there_are_findings_with_their_places() {
    let folder = sluice();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedition = \"1.2\"\n[editions]\n\"1.0\" = \"gone.zip\"\n",
    );
    folder.put("mods/bright/mod.toml", "id = \"bright\"\ntitle = \"Bright\"\ngame = \"1.3\"\n");
    let report = folder.run(&["check", "--format", "json"]).json();
    let found: Vec<(&str, &str, u64)> = report["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["code"].as_str().unwrap(), one["file"].as_str().unwrap(), one["line"].as_u64().unwrap()))
        .collect();
    assert_eq!(
        found,
        [
            ("workspace-fault", "cognomen.toml", 7),
            ("edition-newer", "mods/bright/mod.toml", 3),
            ("edition-lacking", "mods/copied/mod.toml", 3),
        ]
    );
    let means = folder.run(&["changes", "copied"]);
    assert!(means.out.contains("  made for edition 1.1, which is not here: taken against 1.2\n"), "{}", means.out);
    let list = folder.run(&["keep", "--list"]);
    assert_eq!(list.out, "the base is 1.2; 1 edition is kept\n  1.0  gone.zip  is not there\n");
    let broken = folder.file("gone.zip");
    std::fs::write(broken, b"no archive").unwrap();
    assert!(folder.run(&["check"]).out.contains("the edition `1.0` cannot be read: `gone.zip`: it is no zip archive"));
    // what is named and not there is put there
    let kept = folder.run(&["keep", "1.0", "--from", "old"]);
    assert_eq!((kept.code, kept.err.as_str()), (0, ""), "{kept:?}");
    assert!(
        folder.read("cognomen.toml").ends_with("\"1.0\" = \"editions/1.0.zip\"\n"),
        "{}",
        folder.read("cognomen.toml")
    );
}
