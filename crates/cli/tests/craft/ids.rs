//! `ids`: free numbers, and what others claim.
use crate::common::Folder;

fn berths() -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"quay\"\n\n\
         [[claims]]\nfile = \"claims.csv\"\nkind = \"berth\"\nnumber = \"First\"\nto = \"Last\"\nby = \"Mod\"\nabout = \"Theme\"\n\n\
         [[claims]]\nfile = \"names.csv\"\nkind = \"boat\"\nid = \"Boat\"\nby = \"Mod\"\n",
    );
    folder.put(
        "rulebook.toml",
        "rulebook = 1\n[game]\nname = \"Quay\"\n[manifest]\nfile = \"mod.json\"\nid = \"id\"\n\
         [[where]]\nfiles = \"berths/*.json\"\ncut = \"{}\"\nkind = \"berth\"\n\
         [[where]]\nfiles = \"boats/*.yaml\"\ncut = \"{}\"\nkind = \"boat\"\n\
         [kinds.berth]\nlabel = \"title\"\nids = { ranges = [\"4000..4009\", \"5000..5999\"] }\n\
         [kinds.berth.fields]\n\"title\" = { type = \"text\" }\n\
         [kinds.boat.fields]\n\"flag\" = { type = \"integer\", min = 1, max = 5, unique = true }\n",
    );
    folder.put("base/berths/all.json", "{ \"12\": { \"title\": \"Old stair\" }, \"4000\": { \"title\": \"Mole\" } }\n");
    folder.put("base/boats/all.yaml", "punt: { flag: 1 }\nsmack: { flag: 3 }\n");
    folder.put("mods/quay/mod.json", "{ \"id\": \"quay\" }\n");
    folder.put("mods/quay/berths/own.json", "{ \"4005\": { \"title\": \"Lantern stair\" } }\n");
    folder.put("mods/quay/boats/own.yaml", "yawl: { flag: 2 }\n");
    folder.put("mods/other/mod.json", "{ \"id\": \"other\" }\n");
    folder.put("mods/other/berths/own.json", "{ \"4006\": { \"title\": \"Weed stair\" } }\n");
    folder.put(
        "claims.csv",
        "First,Last,Mod,Theme\n4007,4008,kelp,Kelp yards\n5000,,quay,\n4002-4003,,gull,Lantern ships\n",
    );
    folder.put("names.csv", "Boat;Mod\nYawl;gull\nketch;gull\n");
    folder
}

#[test]
fn free_numbers_keep_clear_of_all_that_is_known() {
    let folder = berths();
    let run = folder.run(&["ids"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let lines: Vec<&str> = run.out.lines().collect();
    assert_eq!(
        lines,
        [
            "berth      4000 to 4009, 5000 to 5999  4 taken, 3 claims  next 4009",
            "boat.flag  1 to 5                      3 taken            next 4",
        ]
    );
    let run = folder.run(&["ids", "berth", "--count", "5"]);
    // behind its own highest, what it claims itself, then from the start
    assert_eq!(run.out, "4009\n5000\n5001\n5002\n5003\n");
    let run = folder.run(&["ids", "boat.flag", "--count", "3"]);
    assert_eq!((run.code, run.out.as_str()), (3, "4\n5\n"));
    assert!(run.err.contains("only 2 numbers are free in 1 to 5"), "{}", run.err);
    let run = folder.run(&["ids", "flag"]);
    assert!(run.err.contains("the nearest is `boat.flag`"), "{}", run.err);
}

#[test]
fn numbers_that_the_game_chooses_itself_are_passed_over() {
    let folder = berths();
    let rulebook = folder.read("rulebook.toml");
    folder.put("rulebook.toml", &rulebook.replace("unique = true", "unique = true, chosen = \"4..4\""));
    let run = folder.run(&["ids"]);
    assert!(run.out.contains("boat.flag  1 to 5; the game gives 4 itself  "), "{}", run.out);
    assert_eq!(folder.run(&["ids", "boat.flag"]).out, "5\n");
    folder.put("mods/quay/boats/own.yaml", "yawl: { flag: 4 }\n");
    assert!(folder.run(&["check", "--mod", "quay"]).out.contains("number-chosen"));
}

#[test]
fn what_others_claim_is_compared_with_the_mod() {
    let folder = berths();
    let said = |folder: &Folder| folder.run(&["ids", "--claims", "--format", "json"]).json()["met"].clone();
    let met = said(&folder);
    let met: Vec<(&str, &str, &str)> = met
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["what"].as_str().unwrap(), one["address"].as_str().unwrap(), one["by"].as_str().unwrap()))
        .collect();
    assert_eq!(met, [("words", "berth/4005", "gull"), ("id", "boat/yawl", "gull")]);
    folder.put("claims.csv", "First,Last,Mod,Theme\n4005,,kelp,Stairs\n");
    assert_eq!(said(&folder)[0]["said"], "4005");
    folder.put("claims.csv", "Number,Mod\n4005,kelp\n");
    let run = folder.run(&["ids", "--claims"]);
    assert!(run.code == 3 && run.err.contains("claims.csv has no column `First`"), "{}", run.err);
    std::fs::remove_file(folder.file("claims.csv")).unwrap();
    let run = folder.run(&["ids", "--claims"]);
    assert!(run.code == 3 && run.err.contains("cannot read"), "{}", run.err);
    let demo = Folder::demo();
    let run = demo.run(&["ids", "--claims", "--mod", "long-night"]);
    assert!(run.code == 3 && run.err.contains("[[claims]]"), "{}", run.err);
}
