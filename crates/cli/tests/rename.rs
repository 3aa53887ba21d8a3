//! `rename` and `delete` on the demo: what follows, what is said, what is taken back.
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

#[test]
fn a_definition_goes_with_what_names_it() {
    let folder = Folder::demo();
    let before = folder.all("mods");
    let line = ["delete", "item/eel-keg", "recipe/pack-eel-keg", "--mod", "smoke-and-salt", "--color", "never"];
    let refused = folder.run(&line);
    assert_eq!(refused.code, 3);
    for said in [
        "`item/eel-keg` is used in the mod:\n",
        "mods/smoke-and-salt/amendments/shelves.toml:15  stock/ferryman goods\n",
        "mods/smoke-and-salt/tags/salt.json:4  tag/salted members\n",
        "help: `--cascade` takes out what may be left out\n",
    ] {
        assert!(refused.err.contains(said), "{}", refused.err);
    }
    let cascade = [&line[..], &["--cascade"]].concat();
    let dry = folder.run(&[&cascade[..], &["--dry-run"]].concat());
    assert!(dry.out.contains("would be deleted item/eel-keg\n"), "{}", dry.out);
    assert_eq!(folder.all("mods"), before);
    let run = folder.run(&cascade);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("  and out of stock/ferryman: goods\n  and out of tag/salted: members\n"), "{}", run.out);
    assert!(run.out.contains("other mods name it, and are not touched:\n    mods/tidegate/"), "{}", run.out);
    assert_eq!(folder.run(&["check", "--mod", "smoke-and-salt"]).code, 0);
    assert_eq!(folder.run(&["build", "--mod", "smoke-and-salt"]).code, 0);
    folder.run(&["undo"]);
    assert_eq!(folder.all("mods"), before);
    let stops = folder.run(&["delete", "item/grey-salt", "--cascade", "--mod", "smoke-and-salt"]);
    assert_eq!(stops.code, 3);
    assert!(stops.err.contains("`recipe/rake-grey-salt` cannot do without it"), "{}", stops.err);
    let lower = folder.run(&["delete", "item/eel", "--mod", "smoke-and-salt"]);
    assert!(lower.err.contains("the game knows no notation that takes an item away"), "{}", lower.err);
    assert_eq!(folder.all("mods"), before);
}

/// A game with a notation for it takes away what the base defines, and keeps names that were.
#[test]
fn games_with_notations_of_their_own() {
    let folder = Folder::example("wrackline");
    let before = folder.all("mods");
    let run = folder.run(&["delete", "find/cork", "--mod", "lost-bells", "--color", "never"]);
    assert!(run.out.starts_with("taken away find/cork\n"), "{}{}", run.out, run.err);
    assert!(folder.run(&["show", "find/cork", "--layer", "lost-bells"]).err.contains("takes `find/cork` away"));
    let again = folder.run(&["delete", "find/cork", "--mod", "lost-bells"]);
    assert!(again.err.contains("`lost-bells` takes `find/cork` away"), "{}", again.err);
    folder.run(&["undo"]);
    assert_eq!(folder.all("mods"), before);
    let run = folder.run(&["rename", "find/ship-bell", "great-bell", "--mod", "lost-bells", "--color", "never"]);
    assert!(run.out.contains("  `once` keeps `ship-bell`, for what was saved with it\n"), "{}", run.out);
    assert_eq!(folder.read("mods/lost-bells/scripts/ring.lua"), "give(\"great-bell\")\n");
    let run = folder.run(&["rename", "charm/bell-rope", "tolling-rope", "--mod", "lost-bells", "--color", "never"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("no renamed was written for what was saved with `bell-rope`"), "{}", run.out);
    assert_eq!(folder.run(&["check", "--mod", "lost-bells", "--quiet"]).code, 0);
}

/// Definitions go to other files, and show what they did.
#[test]
fn definitions_move_and_a_file_is_split() {
    let folder = Folder::demo();
    let before = folder.all("mods");
    let line =
        ["move", "crafts/salting.json", "--to", "crafts/{at}.json", "--mod", "smoke-and-salt", "--color", "never"];
    let dry = folder.run(&[&line[..], &["--dry-run"]].concat());
    assert!(
        dry.out.contains("would go to mods/smoke-and-salt/crafts/salt-pan.json: recipe/rake-grey-salt\n"),
        "{}",
        dry.out
    );
    assert_eq!(folder.all("mods"), before);
    let run = folder.run(&line);
    assert!(
        run.out.contains("1 file with nothing left in it goes: mods/smoke-and-salt/crafts/salting.json\n"),
        "{}",
        run.out
    );
    assert_eq!(folder.run(&["check", "--mod", "smoke-and-salt"]).code, 0);
    folder.run(&["undo"]);
    assert_eq!(folder.all("mods"), before);
    let wrong = folder.run(&["move", "item/grey-salt", "--to", "crafts/x.json", "--mod", "smoke-and-salt"]);
    assert!(
        wrong.err.contains("nothing reads an item from `crafts/x.json`\n  help: it is read from `goods/**/*.json`"),
        "{}",
        wrong.err
    );
}

/// What an amendment put into a list goes by its value, and a row takes its formulas along.
#[test]
fn definitions_go_out_of_amendments_and_workbooks() {
    let folder = Folder::example("mulepost");
    let run =
        folder.run(&["delete", "route/routes/lantern-walk", "--cascade", "--mod", "night-post", "--color", "never"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("  and out of courier/couriers/mirela: knows\n"), "{}", run.out);
    assert!(!folder.read("mods/night-post/amendments/night.yaml").contains("lantern-walk"));
    let knows = folder.run(&["show", "courier/couriers/mirela", "--color", "never"]);
    assert!(knows.out.contains("routes/eagle-ladder, routes/glacier-crossing  base/"), "{}", knows.out);
    let folder = Folder::example("sporehall");
    let book = "mods/winter-guests/tables/remedies-winter.xlsx";
    let before = std::fs::read(folder.file(book)).unwrap();
    let run = folder.run(&["delete", "remedy/frost-drops", "--mod", "winter-guests"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert_eq!(folder.run(&["check", "--mod", "winter-guests", "--quiet"]).code, 0);
    folder.run(&["undo"]);
    assert_eq!(std::fs::read(folder.file(book)).unwrap(), before);
}

#[test]
fn a_mod_takes_its_ids_along_and_undo_brings_all_of_it_back() {
    let folder = Folder::demo();
    for line in [
        &["mods", "new", "amber"][..],
        &["new", "item/amber-pin", "value=3", "weight=1", "tags=craft", "--name", "Amber pin"],
        &["set", "stock/lamplighter", "goods+=amber-pin"],
        &["copy", "station/lamp-bench", "amber-bench", "--name", "Bench"],
    ] {
        assert_eq!(folder.run(line).code, 0, "{line:?}");
    }
    let before = (folder.all("mods"), folder.read("cognomen.toml"));
    let codes = |id: &str| {
        let told = folder.run(&["check", "--mod", id, "--format", "json"]).json();
        let all = told["findings"].as_array().unwrap().iter();
        all.map(|finding| finding["code"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    let known = codes("amber");
    let only = folder.run(&["mods", "rename", "amber", "resin", "--dry-run"]);
    assert!(only.err.contains("ids stay as they are: item/amber-pin, station/amber-bench; with `--ids` they follow"));
    let run = folder.run(&["mods", "rename", "amber", "resin", "--ids"]);
    assert_eq!(run.code, 0, "{run:?}");
    assert!(run.out.starts_with("amber is now resin, and 2 ids with it"), "{run:?}");
    assert!(folder.read("mods/resin/goods/amber.json").contains("\"resin-pin\""));
    assert!(folder.read("mods/resin/amendments/stock.toml").contains("what = \"resin-pin\""));
    assert!(folder.read("mods/resin/texts/names.csv").contains("station.resin-bench.name"));
    assert!(folder.file("mods/resin/stations/resin-bench.json").is_file());
    assert_eq!(codes("resin"), known);
    assert_eq!(folder.run(&["undo"]).code, 0);
    assert_eq!((folder.all("mods"), folder.read("cognomen.toml")), before);
    // an id that is taken stops all of it
    assert_eq!(folder.run(&["new", "item/resin-pin", "--like", "item/eel", "--name", "Pin"]).code, 0);
    let before = folder.all("mods");
    let taken = folder.run(&["mods", "rename", "amber", "resin", "--ids"]);
    assert_eq!(taken.code, 3, "{taken:?}");
    assert_eq!(folder.all("mods"), before);
}
