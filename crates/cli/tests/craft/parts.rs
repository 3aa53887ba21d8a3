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

/// A game of one definition a file in YAML, with parts by every condition.
fn mere() -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\norder = [\"reed\", \"moor\"]\nedit = \"reed\"\n",
    );
    folder.put(
        "r.toml",
        "rulebook = 1\n[game]\nname = \"Mere\"\nmodes = [\"frost\", \"flood\"]\n[manifest]\nfile = \"about.yaml\"\nid = \"id\"\nafter = \"after[]\"\n\
         parts = { with = \"with-{mod}\", without = \"not-{mod}\", mode = \"in-{mode}\" }\n\
         [[where]]\nfiles = \"bird/*.yaml\"\nkind = \"bird\"\n[kinds.bird]\nname = \"stem\"\nagain = \"merge\"\n[kinds.bird.fields]\n\
         weight = { type = \"integer\", min = 1, max = 50 }\neats = { link = \"bird\", optional = true }\n",
    );
    for (path, text) in [
        ("base/bird/coot.yaml", "weight: 3\n"),
        ("base/bird/heron.yaml", "weight: 9\n"),
        ("mods/reed/about.yaml", "id: reed\n"),
        ("mods/moor/about.yaml", "id: moor\n"),
        ("mods/moor/bird/bittern.yaml", "weight: 20\n"),
        ("mods/reed/bird/coot.yaml", "weight: 4\n"),
        ("mods/reed/not-moor/bird/coot.yaml", "weight: 6\n"),
        ("mods/reed/in-frost/bird/heron.yaml", "weight: 12\n"),
        ("mods/reed/in-flood/bird/grebe.yaml", "weight: 2\n"),
        ("mods/reed/with-moor/bird/coot.yaml", "weight: 7\neats: bittern\n"),
    ] {
        folder.put(path, text);
    }
    folder
}

#[test]
fn what_applies_depends_on_mods_and_mode() {
    let folder = mere();
    let weight = |of: &str, with: &[&str]| {
        let shown = folder.run(&[&["show", of, "--format", "json"], with].concat());
        (shown.code == 0).then(|| shown.json()["values"][0]["value"].as_i64().unwrap())
    };
    for (of, with, expected) in [
        ("bird/coot", vec![], Some(7)),
        ("bird/coot", vec!["--with", "base"], Some(3)),
        ("bird/coot", vec!["--with", "reed"], Some(6)),
        ("bird/coot", vec!["--with", "reed,moor"], Some(7)),
        ("bird/heron", vec![], Some(9)),
        ("bird/heron", vec!["--with", "frost"], Some(12)),
        ("bird/heron", vec!["--with", "moor,frost"], Some(9)),
        ("bird/heron", vec!["--layer", "reed+in-frost"], Some(12)),
        ("bird/grebe", vec!["--with", "reed,flood"], Some(2)),
        ("bird/grebe", vec!["--with", "frost"], None),
        ("bird/grebe", vec![], None),
    ] {
        assert_eq!(weight(of, &with), expected, "{of} {with:?}");
    }
    let told = folder.run(&["show", "bird/grebe"]).err;
    assert!(told.contains("only under a condition: `--with`"), "{told}");
    for (with, told) in [
        ("frist", "the nearest mode is `frost`"),
        ("frost,flood", "one mode at a time"),
        ("mooor", "the nearest one is `moor`"),
    ] {
        let run = folder.run(&["show", "bird/coot", "--with", with]);
        assert!(run.code >= 2 && run.err.contains(told), "{run:?}");
    }
    // what it changes for whom
    let changed = |with: &str| -> Vec<String> {
        let told = well(&folder, &["changes", "reed", "--with", with, "--format", "json"]).json();
        let all = ["changed", "added"].into_iter().flat_map(|what| told[what].as_array().unwrap().clone());
        all.map(|one| one["address"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(changed("frost"), ["bird/coot", "bird/heron"]);
    assert_eq!(changed("moor,flood"), ["bird/coot", "bird/grebe"]);
    // a build for some
    let built = |with: &str| -> Vec<String> {
        let told = well(&folder, &["build", "--out", "out", "--with", with, "--format", "json"]).json();
        told["files"].as_array().unwrap().iter().map(|file| file["path"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(
        built("reed,flood"),
        ["about.yaml", "bird/coot.yaml", "in-flood/bird/grebe.yaml", "not-moor/bird/coot.yaml"]
    );
    assert_eq!(built("moor"), ["about.yaml", "bird/coot.yaml", "with-moor/bird/coot.yaml"]);
    assert_eq!(well(&folder, &["build", "--format", "json"]).json()["files"].as_array().unwrap().len(), 6);
}

#[test]
fn each_part_is_checked_where_it_applies() {
    let folder = mere();
    assert_eq!(codes(&folder, "reed"), []);
    // what is there only in another mode, or with a mod that is not there then
    folder.put("mods/reed/in-frost/bird/heron.yaml", "weight: 12\neats: grebe\n");
    folder.put("mods/reed/not-moor/bird/coot.yaml", "weight: 6\neats: bittern\n");
    assert_eq!(
        codes(&folder, "reed"),
        [
            ("leads-nowhere".to_owned(), "mods/reed/in-frost/bird/heron.yaml".to_owned()),
            ("requirement-undeclared".to_owned(), "mods/reed/not-moor/bird/coot.yaml".to_owned())
        ]
    );
    // what only the parts of two mods do together, that apply in the same mode
    folder.put("mods/reed/not-moor/bird/coot.yaml", "weight: 6\n");
    std::fs::remove_file(folder.file("mods/reed/with-moor/bird/coot.yaml")).unwrap();
    folder.put("mods/reed/in-frost/bird/heron.yaml", "weight: 12\neats: coot\n");
    let grown = "amendments = 1\n[[amend]]\nof = \"bird/coot\"\nset = { weight = 30 }\nwhy = \"cold\"\n";
    folder.put("mods/moor/in-frost/amendments/a.toml", grown);
    let rulebook = folder.read("r.toml");
    folder.put(
        "r.toml",
        &format!("{rulebook}[[kinds.bird.rules]]\nrequire = \"ref(eats).weight < weight\"\nmessage = \"it cannot eat {{eats}}\"\n"),
    );
    let told = |id: &[&str]| -> Vec<String> {
        let told = well(&folder, &[&["check", "--format", "json"], id].concat()).json();
        let all = told["findings"].as_array().unwrap().iter();
        all.map(|f| format!("{} {}", f["code"].as_str().unwrap(), f["whose"])).collect()
    };
    assert_eq!(told(&[]), ["rule-broken [\"reed\",\"moor\"]"]);
    folder.put("mods/moor/in-flood/amendments/a.toml", grown);
    std::fs::remove_dir_all(folder.file("mods/moor/in-frost")).unwrap();
    assert_eq!(told(&[]), [] as [&str; 0], "they never apply at once");
    // a mode that is none, and one without a list of them
    folder.put("mods/reed/in-frots/bird/heron.yaml", "weight: 1\n");
    let told = well(&folder, &["check", "--mod", "reed", "--code", "file-not-read"]).out;
    assert!(told.contains("only in a mode `frots`, which the game does not have; the nearest is `frost`"), "{told}");
    folder.put("r.toml", &rulebook.replace("modes = [\"frost\", \"flood\"]\n", ""));
    let told = well(&folder, &["check", "--code", "rulebook-fault"]).out;
    assert!(told.contains("names no `modes` of the game"), "{told}");
    folder.put("r.toml", &rulebook.replace("\"in-{mode}\"", "\"in-{mod}\""));
    assert!(well(&folder, &["check", "--code", "rulebook-fault"]).out.contains("has to have `{mode}` in it once"));
}

#[test]
fn what_may_be_lacking_is_used_in_a_part_of_its_own() {
    let folder = mere();
    folder.put("mods/reed/about.yaml", "id: reed\nafter: [moor]\n");
    folder.put("mods/reed/bird/coot.yaml", "weight: 4\neats: bittern\n");
    let told = well(&folder, &["check", "--mod", "reed"]).out;
    assert!(told.contains("`moor` may be lacking: put this into the folder `with-moor`"), "{told}");
    // another id of the other mod is followed by both kinds of parts
    well(&folder, &["mods", "rename", "moor", "heath"]);
    assert!(folder.file("mods/reed/with-heath/bird/coot.yaml").is_file());
    assert!(folder.file("mods/reed/not-heath/bird/coot.yaml").is_file());
}
