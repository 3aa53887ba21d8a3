//! `install`, `check --saved` and what `state` says of them: held against a game of its own, which reads the folder as
//! strictly as a game does and shares no code with us.
use crate::common::{Folder, Run};
use serde_json::{Value, json};

fn well(folder: &Folder, line: &[&str]) -> Run {
    let run = folder.run(line);
    assert_eq!(run.code, 0, "{line:?}: {run:?}");
    run
}

fn state(folder: &Folder, id: &str) -> Value {
    well(folder, &["state", "--mod", id, "--format", "json"]).json()
}

/// Whether what the game has is what is shown, which has defaults besides; numbers by their value.
fn same(loaded: &Value, shown: &Value) -> bool {
    match (loaded, shown) {
        (Value::Number(one), Value::Number(other)) => one.as_f64() == other.as_f64(),
        (Value::Array(one), Value::Array(other)) => {
            one.len() == other.len() && one.iter().zip(other).all(|(one, other)| same(one, other))
        }
        (Value::Object(one), Value::Object(other)) => {
            one.iter().all(|(key, one)| other.get(key).is_some_and(|other| same(one, other)))
        }
        _ => loaded == shown,
    }
}

/// What the game has at a path such as `stats.bite`, `entries[2]` or `goods[what=eel]`.
fn at<'v>(value: &'v Value, path: &str) -> Option<&'v Value> {
    path.split('.').try_fold(value, |value, step| {
        let (key, entry) = step.split_once('[').map_or((step, None), |(key, entry)| (key, entry.strip_suffix(']')));
        let value = value.get(key)?;
        let Some(entry) = entry else { return Some(value) };
        match entry.split_once('=') {
            Some((by, id)) => value.as_array()?.iter().find(|entry| entry.get(by).is_some_and(|found| found == id)),
            None => value.get(entry.parse::<usize>().ok()?),
        }
    })
}

#[test]
fn what_show_says_is_what_the_game_loads() {
    let folder = Folder::demo();
    let mods = ["smoke-and-salt", "long-night", "tidegate", "lean-winter"];
    for id in mods {
        well(&folder, &["install", "--mod", id]);
    }
    let village = stand_in::start(&folder.file("game")).unwrap();
    assert!(village.ignored.is_empty(), "{:?}", village.ignored);
    let order: Vec<&str> = village.loaded.iter().map(|(name, _)| name.as_str()).collect();
    let wanted = ["base", "long-night", "smoke-and-salt", "tidegate", "tidegate (part)", "lean-winter"];
    assert_eq!(order, wanted, "as the workspace orders them");
    // of the mods that are loaded only
    let text = folder.read("cognomen.toml").replace(", \"rope-and-oil\", \"first-steps\"", "");
    folder.put("cognomen.toml", &text.replace("edit = \"first-steps\"", "edit = \"tidegate\""));
    for other in ["rope-and-oil", "first-steps"] {
        std::fs::remove_dir_all(folder.file(&format!("mods/{other}"))).unwrap();
    }
    let mut looked = 0;
    let found = well(&folder, &["find", "--where", "true", "--format", "json"]).json();
    let ids: Vec<&str> =
        found["found"].as_array().unwrap().iter().map(|hit| hit["address"].as_str().unwrap()).collect();
    let all: usize = village.definitions.values().map(|all| all.len()).sum();
    assert_eq!(ids.len(), all);
    for address in ids.iter().step_by(5).chain(&[
        "stock/ferryman",
        "item/lamp-oil",
        "stock/lamplighter",
        "unit/fen-hound",
        "tag/craft",
    ]) {
        let shown = well(&folder, &["show", address, "--format", "json"]).json();
        let (kind, id) = address.split_once('/').unwrap();
        let loaded = village.definition(kind, id).unwrap_or_else(|| panic!("{address} is not loaded"));
        for row in shown["values"].as_array().unwrap() {
            let path = row["path"].as_str().unwrap();
            if row["how"] == "default" {
                continue;
            }
            let there = at(loaded, path).unwrap_or_else(|| panic!("{address}: the game has no {path}: {loaded}"));
            assert!(same(there, &row["value"]), "{address} {path}: the game has {there}, show says {}", row["value"]);
            looked += 1;
        }
    }
    assert!(looked > 200, "{looked}");
}

#[test]
fn an_installation_goes_without_a_trace_and_brings_back_what_was_there() {
    let folder = Folder::demo();
    let before = folder.all("game");
    well(&folder, &["install", "--mod", "long-night"]);
    well(&folder, &["install", "--mod", "smoke-and-salt"]);
    assert_eq!(folder.read("game/mods.json"), "{\n  \"loaded\": [\"long-night\", \"smoke-and-salt\"]\n}\n");
    let both = folder.all("game");
    // again: nothing changes
    let again = well(&folder, &["install", "--mod", "long-night", "--format", "json"]).json();
    assert_eq!((&again["games"][0]["written"], &again["games"][0]["enabled_now"]), (&json!([]), &json!(false)));
    assert_eq!(folder.all("game"), both);
    well(&folder, &["install", "--remove", "--mod", "long-night"]);
    well(&folder, &["install", "--remove", "--mod", "smoke-and-salt"]);
    assert_eq!(folder.all("game"), before);
    let none = folder.run(&["install", "--remove", "--mod", "long-night"]);
    assert_eq!(none.code, 3);
    assert!(none.err.contains("`long-night` was not installed from here into `game`"), "{none:?}");
    // put there by hand, an older version of it gives way as a whole, and comes back
    folder.put("game/mods/long-night/mod.json", "{\"id\": \"long-night\", \"title\": \"Older\", \"version\": \"0.1\"}");
    folder.put("game/mods/long-night/goods/gone.json", "{}");
    let by_hand = folder.all("game");
    let told = well(&folder, &["install", "--mod", "long-night"]).out;
    assert!(told.contains("was there before, and comes back with `install --remove`: mods/long-night/goods/gone.json, mods/long-night/mod.json"), "{told}");
    assert!(!folder.file("game/mods/long-night/goods/gone.json").exists());
    // what the game itself writes there later stays
    folder.put("game/mods/long-night/seen.txt", "yes");
    let again = well(&folder, &["install", "--mod", "long-night"]).out;
    assert!(again.contains("written by no `install`, and left there: mods/long-night/seen.txt"), "{again}");
    well(&folder, &["install", "--remove", "--mod", "long-night"]);
    assert_eq!(folder.read("game/mods/long-night/seen.txt"), "yes");
    std::fs::remove_file(folder.file("game/mods/long-night/seen.txt")).unwrap();
    assert_eq!(folder.all("game"), by_hand);
}

#[test]
fn what_is_not_ours_in_the_game_is_neither_written_over_nor_lost() {
    let folder = Folder::demo();
    folder.put("game/mods/long-night/mod.json", "{\"id\": \"other\"}");
    let refused = folder.run(&["install", "--mod", "long-night"]);
    assert_eq!(refused.code, 3);
    assert!(refused.err.contains("`mods/long-night` holds another mod, `other`"), "{refused:?}");
    folder.put("game/mods/old night/mod.json", "{\"id\": \"long-night\"}");
    std::fs::remove_dir_all(folder.file("game/mods/long-night")).unwrap();
    let twice = folder.run(&["install", "--mod", "long-night"]);
    assert!(twice.err.contains("`mods/old night` holds the same mod under another name"), "{twice:?}");
    let before = folder.all("game");
    well(&folder, &["install", "--mod", "long-night", "--replace"]);
    assert!(!folder.file("game/mods/old night").exists());
    // changed in the game's folder: nothing is written over it unawares
    let path = "game/mods/long-night/mod.json";
    let own = folder.read(path);
    folder.put(path, &own.replace("The Long Night", "Mine"));
    let changed = folder.run(&["install", "--mod", "long-night"]);
    assert!(changed.err.contains("`mods/long-night/mod.json` was changed there since it was installed"), "{changed:?}");
    assert_eq!(state(&folder, "long-night")["games"][0]["older"], json!(["mods/long-night/mod.json"]));
    well(&folder, &["install", "--mod", "long-night", "--replace"]);
    assert_eq!(folder.read(path), own);
    well(&folder, &["install", "--remove", "--mod", "long-night"]);
    assert_eq!(folder.all("game"), before);
}

#[test]
fn a_mod_that_has_another_id_now_takes_its_old_place() {
    let folder = Folder::demo();
    let before = folder.all("game");
    well(&folder, &["install", "--mod", "long-night"]);
    well(&folder, &["mods", "rename", "long-night", "longest-night"]);
    let told = well(&folder, &["install", "--mod", "longest-night"]).out;
    assert!(told.contains("it was there as `long-night` before"), "{told}");
    assert_eq!(folder.read("game/mods.json"), "{\n  \"loaded\": [\"longest-night\"]\n}\n");
    let folders: Vec<_> =
        std::fs::read_dir(folder.file("game/mods")).unwrap().map(|e| e.unwrap().file_name()).collect();
    assert_eq!(folders, ["longest-night"]);
    well(&folder, &["install", "--remove", "--mod", "longest-night"]);
    assert_eq!(folder.all("game"), before);
}

#[test]
fn a_folder_that_is_not_the_games_and_a_list_that_is_broken_are_left_alone() {
    let folder = Folder::demo();
    let workspace = folder.read("cognomen.toml");
    for (game, wanted) in [
        ("nowhere", "there is no folder `nowhere`"),
        ("editions", "`editions` is not the folder of Peatlight: it has no `peatlight.json`"),
    ] {
        folder.put("cognomen.toml", &workspace.replace("game = \"game\"", &format!("game = \"{game}\"")));
        let run = folder.run(&["install", "--mod", "long-night"]);
        assert_eq!(run.code, 3);
        assert!(run.err.contains(wanted), "{run:?}");
        // whoever asks where things stand hears it, too
        assert!(well(&folder, &["state", "--mod", "long-night"]).out.contains(wanted), "{game}");
    }
    folder.put("cognomen.toml", &workspace.replace("game = \"game\"\n", ""));
    let none = folder.run(&["install", "--mod", "long-night"]);
    assert!(none.err.contains("cognomen.toml names no folder of the game"), "{none:?}");
    folder.put("cognomen.toml", &workspace);
    let game = folder.run(&["install", "--game", "gmae", "--mod", "long-night"]);
    assert_eq!((game.code, game.err.contains("it names `game`")), (2, true), "{game:?}");
    let faulty = folder.run(&["install", "--mod", "first-steps"]);
    assert_eq!((faulty.code, faulty.err.contains("has 37 errors")), (3, true), "{faulty:?}");
    for broken in ["{\"loaded\": [", "{\"loaded\": 3}"] {
        folder.put("game/mods.json", broken);
        let before = folder.all("game");
        let run = folder.run(&["install", "--mod", "long-night"]);
        assert_eq!(run.code, 3, "{run:?}");
        assert!(run.err.contains("`mods.json` cannot be changed"), "{run:?}");
        assert_eq!(folder.all("game"), before);
    }
    // mods that are made where the game reads them need no installation
    folder.put("mods/peatlight.json", "{}");
    let inside = workspace.replace("game = \"game\"", "game = \".\"");
    folder.put("cognomen.toml", &inside);
    folder.put("peatlight.json", "{}");
    let run = folder.run(&["install", "--mod", "long-night"]);
    assert!(run.err.contains("lie in each other"), "{run:?}");
}

#[cfg(unix)]
#[test]
fn names_that_are_one_on_some_systems_are_not_installed() {
    let folder = Folder::demo();
    folder.put("mods/long-night/goods/Wicks.json", "{}\n");
    let run = folder.run(&["install", "--mod", "long-night"]);
    assert_eq!(run.code, 3, "{run:?}");
    assert!(run.err.contains("are one file where capitals do not count"), "{run:?}");
    assert!(!folder.file("game/mods").exists());
}

#[cfg(unix)]
#[test]
fn nothing_is_written_through_a_link_out_of_the_game() {
    let folder = Folder::demo();
    std::fs::create_dir(folder.file("elsewhere")).unwrap();
    std::os::unix::fs::symlink("../elsewhere", folder.file("game/mods")).unwrap();
    let run = folder.run(&["install", "--mod", "long-night"]);
    assert_eq!(run.code, 3, "{run:?}");
    assert!(std::fs::read_dir(folder.file("elsewhere")).unwrap().next().is_none());
    assert_eq!(folder.read("game/mods.json"), "{\n  \"loaded\": []\n}\n");
}

#[test]
fn state_leads_from_a_change_to_the_game_and_says_what_went() {
    let folder = Folder::demo();
    let id = "tidegate";
    well(&folder, &["check", "--mod", id]);
    let fresh = state(&folder, id);
    assert_eq!(
        (&fresh["games"][0]["installed"], &fresh["next"]),
        (&json!(false), &json!("`cognomen install --mod tidegate`"))
    );
    let told = well(&folder, &["install", "--mod", id]).out;
    assert!(told.contains("it requires `smoke-and-salt`, which the game does not load yet"), "{told}");
    assert!(told.ends_with("next: `cognomen install --mod smoke-and-salt`\n"), "{told}");
    assert_eq!(state(&folder, id)["next"], "`cognomen install --mod smoke-and-salt`");
    well(&folder, &["install", "--mod", "smoke-and-salt"]);
    assert_eq!(state(&folder, id)["next"], "start the game");
    // taken out of the list by hand, behind what it requires, and edited
    folder.put("game/mods.json", "{\"loaded\": [\"smoke-and-salt\"]}");
    let off = state(&folder, id);
    assert_eq!(
        (&off["games"][0]["enabled"], &off["next"]),
        (&json!(false), &json!("`cognomen install --mod tidegate`"))
    );
    folder.put("game/mods.json", "{\"loaded\": [\"tidegate\", \"smoke-and-salt\"]}");
    assert_eq!(state(&folder, id)["games"][0]["misplaced"], "smoke-and-salt");
    well(&folder, &["rename", "item/salt-eel", "eel-of-salt", "--mod", "smoke-and-salt"]);
    well(&folder, &["check", "--mod", "smoke-and-salt"]);
    let gone = state(&folder, "smoke-and-salt");
    assert_eq!(gone["vanished"], json!([{"address": "item/salt-eel", "likely": "item/eel-of-salt"}]));
    assert_eq!(gone["saved_games"], json!({"game/saves/late-autumn.json": 1}));
    assert_eq!(gone["next"], "`cognomen install --mod smoke-and-salt`");
    let village = |folder: &Folder| stand_in::start(&folder.file("game")).unwrap();
    let saved = folder.file("game/saves/late-autumn.json");
    assert_eq!(stand_in::lost(&village(&folder), &saved).unwrap(), []);
    well(&folder, &["install", "--mod", "smoke-and-salt"]);
    let lost = stand_in::lost(&village(&folder), &saved).unwrap();
    let run = folder.run(&["check", "--saved", "game/saves/late-autumn.json", "--format", "json"]);
    let told = run.json();
    assert_eq!((run.code, told["lost"].as_array().unwrap().len()), (1, lost.len()));
    assert_eq!(told["lost"][0]["what"], "item/salt-eel");
    assert_eq!(told["lost"][0]["uses"], json!([[lost[0].0, 5]]));
}

#[test]
fn saved_games_of_other_notations_are_read_where_the_rulebook_says() {
    let folder = Folder::empty();
    folder.put("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\n");
    folder.put("base/wares.json", "{\"jug\": {\"slot\": 3}, \"bowl\": {\"slot\": 4}}");
    folder.put("mods/read.me", "");
    let rulebook = |saved: &str| {
        let kind = "[[where]]\nfiles = \"*.json\"\ncut = \"{}\"\nkind = \"ware\"\n[kinds.ware]\nname = \"key\"\nagain = \"merge\"\n[kinds.ware.fields]\n\"slot\" = { type = \"integer\", unique = true }\n\"once\" = { type = \"text\", optional = true }\n";
        format!("rulebook = 1\n[game]\nname = \"Kiln\"\n[manifest]\nfile = \"m.json\"\nid = \"id\"\n{kind}{saved}")
    };
    for (saved, file, text, wanted) in [
        (
            "[[saved]]\nfiles = \"*.xml\"\nids = [{ at = \"save.thing[].kind\", kind = \"ware\" }]\n",
            "s.xml",
            "<save>\n<thing kind=\"jug\"/>\n<thing kind=\"bowle\"/>\n</save>\n",
            json!([["save.thing[1].kind", 3]]),
        ),
        (
            "[[saved]]\nfiles = \"*.xml\"\nids = [{ at = \"save.thing[]\", kind = \"ware\" }]\n",
            "s.xml",
            "<save>\n<thing>bowle</thing>\n</save>\n",
            json!([["save.thing", 2]]),
        ),
        (
            "[[saved]]\nfiles = \"*.csv\"\nids = [{ at = \"[].slot\", field = \"ware.slot\" }]\n",
            "s.csv",
            "at,slot\nbarn,3\nbarn,9\n",
            json!([["[1].slot", 3]]),
        ),
        (
            "[[saved]]\nfiles = \"*.sav\"\nformat = \"yaml\"\nids = [{ at = \"wares{key}\", kind = \"ware\" }]\n",
            "s.sav",
            "wares:\n  ware/jug: 1\n  bowle: 2\n",
            json!([["wares.bowle", 3]]),
        ),
    ] {
        folder.put("r.toml", &rulebook(saved));
        folder.put(file, text);
        let run = folder.run(&["check", "--saved", file, "--format", "json"]);
        assert_eq!(run.code, 1, "{saved}: {run:?}");
        let told = run.json();
        assert_eq!(told["lost"].as_array().unwrap().len(), 1, "{saved}: {told}");
        assert_eq!(told["lost"][0]["uses"], wanted, "{saved}: {told}");
    }
    let broken = folder.run(&["check", "--saved", "s.none"]);
    assert_eq!((broken.code, broken.err.contains("there is no such file")), (3, true), "{broken:?}");
    folder.put("s.sav", "wares: [");
    let broken = folder.run(&["check", "--saved", "s.sav"]);
    assert_eq!((broken.code, broken.err.contains("`s.sav`:1:")), (3, true), "{broken:?}");
    folder.put("r.toml", &rulebook("[[saved]]\nfiles = \"*.sav\"\nids = [{ at = \"x[]\", kind = \"wear\" }, { at = \"x[\", kind = \"ware\" }, { at = \"x\" }]\n"));
    let slips = folder.run(&["check", "--short"]);
    assert_eq!(slips.out.matches("rulebook-fault").count(), 3, "{slips:?}");
}

#[test]
fn archives_and_other_lists_are_installed_as_the_rulebook_says() {
    let folder = Folder::demo();
    let path = "rulebook/game.toml";
    let rulebook = folder.read(path);
    let old = "enabled = { file = \"mods.json\", mods = \"loaded[]\", ordered = true }\n";
    assert!(rulebook.contains(old));
    let mods = ["long-night", "smoke-and-salt", "tidegate"];
    for (list, file, before, after) in [
        (
            "line = \"{id} = on\"",
            "m.cfg",
            "volume = 3\r\n",
            "volume = 3\r\nlong-night = on\r\nsmoke-and-salt = on\r\ntidegate = on\r\n",
        ),
        (
            "mods = \"mods.mod[].id\"",
            "m.xml",
            "<mods>\n  <mod id=\"long-night\"/>\n</mods>\n",
            "<mods>\n  <mod id=\"long-night\"/>\n  <mod id=\"smoke-and-salt\"/>\n  <mod id=\"tidegate\"/>\n</mods>\n",
        ),
        (
            "mods = \"[].id\", with = { on = 1 }",
            "m.csv",
            "id,on\ntidegate,0\n",
            "id,on\nlong-night,1\nsmoke-and-salt,1\ntidegate,1\n",
        ),
    ] {
        folder.put(
            path,
            &rulebook.replace(
                old,
                &format!("as = \"archive\"\nenabled = {{ file = \"{file}\", {list}, ordered = true }}\n"),
            ),
        );
        folder.put(&format!("game/{file}"), before);
        let was = folder.all("game");
        for id in mods {
            well(&folder, &["install", "--mod", id]);
        }
        assert_eq!(folder.read(&format!("game/{file}")), after, "{list}");
        assert!(folder.file("game/mods/smoke-and-salt-2.0.1.zip").is_file());
        // a new version takes the place of the old one
        let manifest = folder.read("mods/smoke-and-salt/mod.json");
        folder.put("mods/smoke-and-salt/mod.json", &manifest.replace("2.0.1", "2.1.0"));
        assert_eq!(state(&folder, "smoke-and-salt")["games"][0]["older"], json!(["mods/smoke-and-salt-2.0.1.zip"]));
        well(&folder, &["install", "--mod", "smoke-and-salt"]);
        assert!(!folder.file("game/mods/smoke-and-salt-2.0.1.zip").exists());
        folder.put("mods/smoke-and-salt/mod.json", &manifest);
        for id in mods.iter().rev() {
            well(&folder, &["install", "--remove", "--mod", id]);
        }
        let now = folder.all("game");
        assert_eq!(now, was, "{list}");
    }
}
