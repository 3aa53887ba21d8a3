//! Parts of a mod that apply only where another mod is loaded, and what mods require of and forbid each other.
use crate::common::{Folder, Run};

fn well(folder: &Folder, line: &[&str]) -> Run {
    let run = folder.run(line);
    assert!(run.code < 2, "{line:?}: {run:?}");
    run
}

fn codes(folder: &Folder, id: &str) -> Vec<(String, String)> {
    let told = well(folder, &["check", "--mod", id, "--format", "json"]).json();
    let all = told["findings"].as_array().unwrap().iter();
    let mut all: Vec<(String, String)> =
        all.map(|f| (f["code"].as_str().unwrap().to_owned(), f["file"].as_str().unwrap().to_owned())).collect();
    all.sort();
    all
}

/// A game of rows in XML, whose mods have their parts in folders called after the other mod.
fn kiln() -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\norder = [\"ash\", \"bog\", \"clay\"]\n",
    );
    folder.put(
        "r.toml",
        "rulebook = 1\n[game]\nname = \"Kiln\"\n[manifest]\nfile = \"about.xml\"\nid = \"about.id\"\nrequires = \"about.needs[]\"\nexcludes = \"about.against[]\"\nparts = \"for_{mod}\"\n\
         [[where]]\nfiles = \"wares/*.xml\"\ncut = \"wares.ware[]\"\nkind = \"ware\"\n[kinds.ware]\nname = \"id\"\nagain = \"merge\"\n\
         [kinds.ware.fields]\n\"price\" = { type = \"integer\", max = 90 }\n\"glaze\" = { link = \"ware\", optional = true }\n",
    );
    folder.put("base/wares/a.xml", "<wares>\n  <ware id=\"jug\"><price>4</price></ware>\n</wares>\n");
    for (id, more) in [("ash", ""), ("bog", ""), ("clay", "<needs>ash</needs>")] {
        folder.put(&format!("mods/{id}/about.xml"), &format!("<about><id>{id}</id>{more}</about>\n"));
        folder.put(
            &format!("mods/{id}/wares/{id}.xml"),
            &format!("<wares>\n  <ware id=\"{id}-bowl\"><price>5</price></ware>\n</wares>\n"),
        );
    }
    folder
}

#[test]
fn a_part_sees_the_other_mod_and_the_mod_itself_does_not() {
    let folder = kiln();
    let uses = "<wares>\n  <ware id=\"dish\"><price>5</price><glaze>bog-bowl</glaze></ware>\n</wares>\n";
    folder.put("mods/ash/wares/dish.xml", uses);
    assert_eq!(codes(&folder, "ash"), [("requirement-undeclared".to_owned(), "mods/ash/wares/dish.xml".to_owned())]);
    std::fs::remove_file(folder.file("mods/ash/wares/dish.xml")).unwrap();
    folder.put("mods/ash/for_bog/wares/dish.xml", uses);
    assert_eq!(codes(&folder, "ash"), []);
    // a fault in it is the mod's
    folder.put("mods/ash/for_bog/wares/dish.xml", &uses.replace("bog-bowl", "bog-bowel").replace(">5<", ">500<"));
    let path = "mods/ash/for_bog/wares/dish.xml".to_owned();
    assert_eq!(codes(&folder, "ash"), [("leads-nowhere".to_owned(), path.clone()), ("out-of-range".to_owned(), path)]);
    assert_eq!(codes(&folder, "bog"), []);
    folder.put("mods/ash/for_bog/wares/dish.xml", uses);
    // without the other mod it is not there at all, and a folder for nobody is told
    std::fs::rename(folder.file("mods/bog"), folder.file("bog")).unwrap();
    let told = well(&folder, &["check", "--mod", "ash", "--code", "file-not-read"]).out;
    assert!(told.contains("applies only with a mod `bog`, which is not here"), "{told}");
    std::fs::rename(folder.file("bog"), folder.file("mods/bog")).unwrap();
    // changes in the part's name go into the part, and a build has it where it was
    well(&folder, &["set", "ware/bog-bowl", "price=9", "--mod", "ash+bog"]);
    assert_eq!(codes(&folder, "ash"), []);
    let shown = well(&folder, &["show", "ware/bog-bowl", "--format", "json"]).json();
    assert_eq!(shown["values"][0]["value"], 9);
    let built = well(&folder, &["build", "--mod", "ash", "--format", "json"]).json();
    let files: Vec<&str> =
        built["files"].as_array().unwrap().iter().map(|file| file["path"].as_str().unwrap()).collect();
    assert!(
        files.contains(&"for_bog/wares/dish.xml") && files.iter().filter(|f| f.starts_with("for_bog/")).count() == 2,
        "{files:?}"
    );
    // the built folder in the mod's place shows the same
    std::fs::remove_dir_all(folder.file("mods/ash")).unwrap();
    std::fs::rename(folder.file("build/ash"), folder.file("mods/ash")).unwrap();
    assert_eq!(codes(&folder, "ash"), []);
    let shown = well(&folder, &["show", "ware/bog-bowl", "--format", "json"]).json();
    assert_eq!(shown["values"][0]["value"], 9);
    assert_eq!(well(&folder, &["pack", "--mod", "ash"]).code, 0);
}

#[test]
fn what_players_get_depends_on_what_they_have() {
    let folder = Folder::demo();
    let wicks = |with: &str| {
        let shown = well(&folder, &["show", "stock/ferryman", "--with", with, "--format", "json"]).json();
        let rows = shown["values"].as_array().unwrap().iter();
        let of = |what: &str| format!("goods[what={what}]");
        let has = |what: &str| rows.clone().any(|row| row["path"] == of(what).as_str());
        (has("long-wick"), has("sluice-key"), has("eel-keg"))
    };
    assert_eq!(wicks("base"), (false, false, false));
    assert_eq!(wicks("long-night"), (false, false, false));
    assert_eq!(wicks("tidegate"), (false, true, true), "with what it requires, and without its part");
    assert_eq!(wicks("tidegate,long-night"), (true, true, true));
    let gone = folder.run(&["show", "item/sluice-key", "--with", "long-night"]);
    assert_eq!(
        (gone.code, gone.err.contains("nothing with long-night defines `item/sluice-key`")),
        (3, true),
        "{gone:?}"
    );
    assert_eq!(folder.run(&["show", "item/eel", "--with", "tidegat"]).code, 3);
}

#[test]
fn a_part_loads_behind_both_and_follows_another_id() {
    let folder = kiln();
    folder
        .put("mods/ash/for_clay/wares/x.xml", "<wares>\n  <ware id=\"clay-bowl\"><price>7</price></ware>\n</wares>\n");
    folder.put("mods/clay/for_bog/wares/x.xml", "<wares>\n  <ware id=\"bog-bowl\"><price>8</price></ware>\n</wares>\n");
    let order = |folder: &Folder| -> Vec<String> {
        let mods = well(folder, &["mods", "--format", "json"]).json();
        mods["mods"].as_array().unwrap().iter().map(|one| one["id"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(order(&folder), ["base", "ash", "bog", "clay", "ash+clay", "clay+bog"]);
    well(&folder, &["mods", "rename", "bog", "fen"]);
    assert_eq!(order(&folder), ["base", "ash", "fen", "clay", "ash+clay", "clay+fen"]);
    assert!(folder.file("mods/clay/for_fen/wares/x.xml").is_file());
    well(&folder, &["undo"]);
    assert_eq!(order(&folder), ["base", "ash", "bog", "clay", "ash+clay", "clay+bog"]);
    well(&folder, &["mods", "rename", "clay", "loam"]);
    assert_eq!(order(&folder), ["base", "ash", "bog", "loam", "ash+loam", "loam+bog"]);
}

#[test]
fn a_required_version_follows_another_id_and_a_slip_in_the_rulebook_is_told() {
    let folder = Folder::demo();
    well(&folder, &["mods", "rename", "smoke-and-salt", "salters"]);
    assert!(folder.read("mods/tidegate/mod.json").contains("\"needs\": [\"salters >=2\"]"));
    assert_eq!(codes(&folder, "tidegate"), []);
    well(&folder, &["undo"]);
    let manifest = folder.read("mods/tidegate/mod.json");
    folder.put("mods/tidegate/mod.json", &manifest.replace(">=2", ">=3"));
    assert_eq!(codes(&folder, "tidegate"), [("requirement-version".to_owned(), "mods/tidegate/mod.json".to_owned())]);
    folder.put("mods/tidegate/mod.json", &manifest.replace("smoke-and-salt >=2", "smoke-and-slat >=2"));
    let near = well(&folder, &["check", "--mod", "tidegate", "--code", "requirement-lacking"]).out;
    assert!(near.contains("the nearest mod here is `smoke-and-salt`"), "{near}");
    folder.put("mods/tidegate/mod.json", &manifest);
    let rulebook = folder.read("rulebook/game.toml");
    for (old, new) in [
        ("{id} {version}", "{version} of {id}"),
        ("with-{mod}", "with-{id}"),
        ("excludes = \"not_with[]\"", "versions = \"roman\""),
    ] {
        assert!(rulebook.contains(old));
        folder.put("rulebook/game.toml", &rulebook.replace(old, new));
        let told = well(&folder, &["check", "--code", "rulebook-fault", "--short"]).out;
        assert!(told.starts_with("rulebook/game.toml:"), "{new}: {told}");
    }
}
