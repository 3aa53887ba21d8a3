//! `pack`: an archive of what is built, the same bytes each time, and what the game would read of it.
use crate::common::Folder;
use std::io::Read;

fn members(bytes: &[u8]) -> Vec<(String, Vec<u8>)> {
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let mut out = Vec::new();
    for at in 0..zip.len() {
        let mut file = zip.by_index(at).unwrap();
        let mut bytes = Vec::new();
        file.read_to_end(&mut bytes).unwrap();
        out.push((file.name().unwrap().into_owned(), bytes));
    }
    out
}

#[test]
fn an_archive_holds_the_build_and_reads_as_the_mod() {
    let mods = [
        ("peatlight", "long-night"),
        ("peatlight", "smoke-and-salt"),
        ("kilnyard", "second-firing"),
        ("mulepost", "night-post"),
        ("sporehall", "winter-guests"),
        ("wrackline", "lost-bells"),
    ];
    for (game, id) in mods {
        let folder = Folder::example(game);
        let run = folder.run(&["pack", "--mod", id, "--out", "x.zip", "--format", "json"]);
        assert_eq!(run.code, 0, "{game} {id}: {}", run.err);
        let bytes = std::fs::read(folder.file("x.zip")).unwrap();
        let told = run.json();
        assert_eq!(told["bytes"].as_u64(), Some(bytes.len() as u64));
        assert_eq!(folder.run(&["build", "--mod", id, "--out", "out"]).code, 0);
        let built: Vec<Vec<u8>> = folder
            .all("out")
            .into_iter()
            .filter(|(path, _)| !path.contains(".cognomen"))
            .map(|(_, bytes)| bytes)
            .collect();
        let packed: Vec<Vec<u8>> = members(&bytes).into_iter().map(|(_, bytes)| bytes).collect();
        assert_eq!(packed.len(), built.len(), "{game} {id}");
        assert!(built.iter().all(|bytes| packed.contains(bytes)), "{game} {id}");
        // the same mod is the same archive, wherever and whenever it is packed
        let other = Folder::example(game);
        assert_eq!(other.run(&["pack", "--mod", id, "--out", "y.zip"]).code, 0);
        assert_eq!(std::fs::read(other.file("y.zip")).unwrap(), bytes, "{game} {id}");
    }
}

#[test]
fn a_word_that_nothing_fills_in_is_told() {
    let folder = Folder::demo();
    let rulebook = folder.read("rulebook/game.toml");
    for (old, new, near) in [
        ("{id}-{version}.zip", "{id}-{versoin}.zip", "{version}"),
        ("folder = \"{id}\"", "folder = \"{idd}\"", "{id}"),
        ("mods = \"mods\"  ", "name = \"{name}\"\nmods = \"mods\"  ", "{version}"),
        ("texts/*.csv", "texts/{langauge}/*.csv", "{language}"),
    ] {
        assert!(rulebook.contains(old), "{old}");
        folder.put("rulebook/game.toml", &rulebook.replacen(old, new, 1));
        let told = folder.run(&["check", "--code", "rulebook-fault"]);
        assert!(told.out.contains("nothing fills in") && told.out.contains(near), "{new}: {}", told.out);
    }
}

#[test]
fn a_packed_mod_in_the_place_of_its_folder_shows_the_same() {
    let folder = Folder::demo();
    let show =
        |folder: &Folder| folder.run(&["show", "item/beeswax", "--mod", "long-night", "--format", "json"]).json();
    let values = |answer: serde_json::Value| -> Vec<(String, serde_json::Value)> {
        let rows = answer["values"].as_array().unwrap().clone();
        rows.into_iter().map(|row| (row["path"].as_str().unwrap().to_owned(), row["value"].clone())).collect()
    };
    let before = values(show(&folder));
    assert_eq!(folder.run(&["pack", "--mod", "long-night"]).code, 0);
    let bytes = std::fs::read(folder.file("build/long-night-1.1.0.zip")).unwrap();
    assert!(members(&bytes).iter().all(|(path, _)| path.starts_with("long-night/")));
    std::fs::remove_dir_all(folder.file("mods/long-night")).unwrap();
    std::fs::write(folder.file("mods/long-night.zip"), bytes).unwrap();
    assert_eq!(values(show(&folder)), before);
}

#[test]
fn what_stands_in_the_way_is_said_and_state_knows_archives() {
    let folder = Folder::demo();
    let state = |folder: &Folder| folder.run(&["state", "--mod", "long-night", "--format", "json"]).json();
    assert_eq!(state(&folder)["packed"], serde_json::Value::Null);
    assert_eq!(folder.run(&["pack", "--mod", "long-night"]).code, 0);
    assert_eq!(state(&folder)["packed_is_older"], false);
    assert_eq!(folder.run(&["set", "item/eel", "value=3", "--mod", "long-night"]).code, 0);
    assert_eq!(state(&folder)["packed_is_older"], true);
    // what pack wrote, it writes over
    assert_eq!(folder.run(&["pack", "--mod", "long-night"]).code, 0);
    assert_eq!(state(&folder)["packed_is_older"], false);
    folder.put("build/tidegate-0.9.zip", "mine");
    folder.put("mods/long-night/art/con.png", "x");
    for (line, code, said) in [
        (&["pack", "--mod", "tidegate"][..], 3, "build/tidegate-0.9.zip is there already"),
        (&["pack", "--mod", "first-steps"], 3, "`--anyway` packs it all the same"),
        (&["pack", "--mod", "base"], 2, "is not packed"),
        (&["pack", "--mod", "tidegate", "--out", "mods/t.zip"], 3, "a mod of its own"),
        (&["pack", "--mod", "tidegate", "--out", "base/t.zip"], 3, "never written to"),
        (&["pack", "--mod", "tidegate", "--out", "no/such/t.zip"], 3, "there is no folder"),
    ] {
        let run = folder.run(line);
        assert_eq!(run.code, code, "{line:?}: {}{}", run.out, run.err);
        assert!(run.err.contains(said), "{line:?}: {}", run.err);
    }
    assert_eq!(folder.read("build/tidegate-0.9.zip"), "mine");
    assert_eq!(folder.run(&["pack", "--mod", "tidegate", "--replace"]).code, 0);
    assert_eq!(folder.run(&["pack", "--mod", "first-steps", "--anyway", "--out", "f.zip"]).code, 1);
    assert!(folder.file("f.zip").exists());
}
