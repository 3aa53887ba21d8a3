//! Ids that are made of other words, and ids that hold within a folder.
use crate::common::{Folder, Run};

fn well(folder: &Folder, line: &[&str]) -> Run {
    let run = folder.run(line);
    assert_eq!(run.code, 0, "{line:?}: {run:?}");
    run
}

fn refused(folder: &Folder, line: &[&str], told: &str) {
    let run = folder.run(line);
    assert!(run.code >= 2 && run.err.contains(told), "{line:?}: {run:?}");
}

fn value(folder: &Folder, address: &str, path: &str) -> serde_json::Value {
    let shown = well(folder, &["show", address, "--format", "json"]).json();
    let rows = shown["values"].as_array().unwrap().clone();
    rows.into_iter().find(|row| row["path"] == path).map_or(serde_json::Value::Null, |row| row["value"].clone())
}

/// Puts what is built in the place of the mod.
fn built_in_place(folder: &Folder, id: &str) {
    well(folder, &["build", "--mod", id]);
    std::fs::remove_dir_all(folder.file(&format!("mods/{id}"))).unwrap();
    std::fs::rename(folder.file(&format!("build/{id}")), folder.file(&format!("mods/{id}"))).unwrap();
}

/// A game whose ids are made of the folder, the path below another one in small letters, or of the mod's id and a key.
fn lodge() -> Folder {
    let folder = Folder::empty();
    for (path, text) in [
        ("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n"),
        (
            "r.toml",
            "rulebook = 1\n[game]\nname = \"Lodge\"\nid = \"core\"\n[manifest]\nfile = \"about.yaml\"\nid = \"id\"\nrequires = \"needs[]\"\n\
             [[where]]\nfiles = \"data/*/Items/**/*.yaml\"\nkind = \"item\"\n[[where]]\nfiles = \"looks.yaml\"\ncut = \"looks{}\"\nkind = \"look\"\n\
             [kinds.item]\nname = \"{path|after:data/|before:/}:{path|after:Items/|lower}\"\nagain = \"merge\"\n\
             [kinds.item.fields]\nprice = { type = \"integer\", min = 1 }\nlook = { link = \"look\", optional = true }\n\
             [kinds.look]\nname = \"{mod}:{key}\"\nagain = \"merge\"\n[kinds.look.fields]\ntint = { type = \"integer\" }\nlike = { link = \"item\", optional = true }\n",
        ),
        ("base/data/core/Items/small/Lamp.yaml", "price: 4\n"),
        ("base/data/core/Items/Oil.yaml", "price: 3\nlook: core:dark\n"),
        ("base/looks.yaml", "looks:\n  dark:\n    tint: 3\n    like: core:small/lamp\n"),
        ("mods/fen/about.yaml", "id: fen\n"),
        ("mods/fen/data/fen/Items/boat.yaml", "price: 9\n"),
        ("mods/m/about.yaml", "id: m\nneeds: [fen]\n"),
    ] {
        folder.put(path, text);
    }
    folder
}

#[test]
fn what_an_id_says_of_the_file_is_where_it_is_written() {
    let folder = lodge();
    well(&folder, &["check"]);
    for (made, path) in [
        ("item/m:small/tar", "data/m/Items/small/tar.yaml"),
        ("item/fen:wax", "data/fen/Items/wax.yaml"),
        ("item/core:bow", "data/core/Items/bow.yaml"),
    ] {
        well(&folder, &["new", made, "price=4"]);
        assert!(folder.file(&format!("mods/m/{path}")).is_file(), "{made}");
        assert_eq!(value(&folder, made, "price"), 4);
    }
    well(&folder, &["new", "look/m:pale", "tint=5"]);
    assert_eq!(folder.read("mods/m/looks.yaml"), "looks:\n  pale:\n    tint: 5\n");
    // ids that cannot be
    refused(&folder, &["new", "item/wax", "price=4"], "it is made of other words, as `core:oil`");
    refused(&folder, &["new", "look/core:light", "tint=5"], "would be read as `look/m:light`");
    refused(&folder, &["new", "look/m:../x", "tint=5"], "`..` in it leads elsewhere");
    refused(&folder, &["new", "item/fen:../../x", "price=5"], "`..` in it leads elsewhere");
    refused(&folder, &["set", "look/core:dark", "tint=7"], "ids of this kind are made of the mod's own");
    // another definition's file is where it lies
    well(&folder, &["set", "item/core:oil", "price=8"]);
    well(&folder, &["set", "item/core:small/lamp", "price=6"]);
    built_in_place(&folder, "m");
    assert!(folder.file("mods/m/data/core/Items/Oil.yaml").is_file());
    assert_eq!(
        (value(&folder, "item/core:oil", "price"), value(&folder, "item/core:small/lamp", "price")),
        (8.into(), 6.into())
    );
    well(&folder, &["check"]);
}

#[test]
fn words_of_an_id_are_renamed_where_they_stand() {
    let folder = lodge();
    well(&folder, &["new", "item/m:small/tar", "price=4"]);
    well(&folder, &["new", "look/m:pale", "tint=5", "like=m:small/tar"]);
    well(&folder, &["rename", "item/m:small/tar", "m:big/pitch"]);
    assert!(folder.file("mods/m/data/m/Items/big/pitch.yaml").is_file());
    assert!(!folder.file("mods/m/data/m/Items/small/tar.yaml").exists());
    assert_eq!(value(&folder, "look/m:pale", "like"), "m:big/pitch");
    well(&folder, &["rename", "look/m:pale", "m:faint"]);
    assert_eq!(folder.read("mods/m/looks.yaml"), "looks:\n  faint:\n    tint: 5\n    like: m:big/pitch\n");
    refused(&folder, &["rename", "look/m:faint", "fen:faint"], "it is made of what it cannot change");
    for _ in 0..2 {
        well(&folder, &["undo"]);
    }
    assert!(folder.file("mods/m/data/m/Items/small/tar.yaml").is_file());
    let pasted = folder.run_with(&["paste", "item/m:big/glue"], "price: 5\n");
    assert_eq!(pasted.code, 0, "{pasted:?}");
    assert_eq!(folder.read("mods/m/data/m/Items/big/glue.yaml"), "price: 5\n");
    well(&folder, &["check"]);
}

#[test]
fn a_word_of_a_template_that_is_none_is_told() {
    let folder = lodge();
    let rulebook = folder.read("r.toml");
    for (new, told) in [
        ("{mod}:{key|small}", "`small` is no change of a word"),
        ("{mod}:{key|after}", "`after` is no change of a word"),
        ("{mod}:{key", "lacks a `}`"),
    ] {
        folder.put("r.toml", &rulebook.replace("{mod}:{key}", new));
        let run = folder.run(&["check", "--code", "rulebook-fault"]);
        assert!(run.code == 1 && run.out.contains(told), "{new}: {run:?}");
    }
}

/// A game in XML whose ids hold within a folder.
fn den() -> Folder {
    let folder = Folder::empty();
    for (path, text) in [
        ("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n"),
        (
            "r.toml",
            "rulebook = 1\n[manifest]\nfile = \"about.xml\"\nid = \"about.id\"\n[[where]]\nfiles = \"den/*/*.xml\"\ncut = \"all.fox[]\"\nkind = \"fox\"\n\
             [kinds.fox]\nname = \"call\"\nscope = \"folder\"\nparent = \"kin\"\nagain = \"replace\"\n[kinds.fox.fields]\nkin = { link = \"fox\", optional = true }\n\
             size = { type = \"number\", unit = \"ell\", units = { ell = 1, span = 0.5 } }\n",
        ),
        ("mods/m/about.xml", "<about><id>m</id></about>\n"),
        (
            "base/den/old/foxes.xml",
            "<all>\n  <fox call=\"red\"><size>2 span</size></fox>\n  <fox call=\"grey\"><kin>red</kin></fox>\n</all>\n",
        ),
        ("base/den/new/foxes.xml", "<all>\n  <fox call=\"red\"><size>3</size></fox>\n</all>\n"),
    ] {
        folder.put(path, text);
    }
    folder
}

#[test]
fn copies_and_changes_stay_in_their_folder() {
    let folder = den();
    well(&folder, &["copy", "fox/den/old/red", "den/old/pale"]);
    assert!(folder.read("mods/m/den/old/m.xml").contains("<kin>red</kin>"));
    // from another folder the way leads all the way
    well(&folder, &["copy", "fox/den/old/red", "den/new/dun"]);
    assert!(folder.read("mods/m/den/new/m.xml").contains("<kin>den/old/red</kin>"));
    assert_eq!(value(&folder, "fox/den/new/dun", "size"), 1);
    // as it is written, in its unit
    well(&folder, &["copy", "fox/den/old/red", "den/new/wan", "--whole"]);
    assert!(folder.read("mods/m/den/new/m.xml").contains("<size>2 span</size>"));
    refused(&folder, &["new", "fox/den/tan", "size=4"], "an id begins with a folder, as in `den/new/tan`");
    well(&folder, &["set", "fox/den/new/red", "size+=1 span"]);
    well(&folder, &["set", "fox/den/old/grey", "size=9"]);
    built_in_place(&folder, "m");
    well(&folder, &["check"]);
    for (fox, size) in [("new/red", 3.5), ("old/red", 1.0), ("old/grey", 9.0), ("new/dun", 1.0), ("new/wan", 1.0)] {
        assert_eq!(value(&folder, &format!("fox/den/{fox}"), "size").as_f64(), Some(size), "{fox}");
    }
}

#[test]
fn quantities_are_added_in_amendments() {
    let folder = den();
    let amend = |by: &str| {
        folder.put(
            "mods/m/amendments/a.toml",
            &format!("amendments = 1\n[[amend]]\nof = \"fox/den/old/red\"\nshift = {{ size = {by} }}\n"),
        );
        folder.run(&["check", "--mod", "m", "--short"])
    };
    for (by, size) in [("\"1 ell 1 span\"", 2.5), ("2", 3.0), ("\"-1 span\"", 0.5)] {
        assert_eq!(amend(by).code, 0, "{by}");
        assert_eq!(value(&folder, "fox/den/old/red", "size").as_f64(), Some(size), "{by}");
    }
    for (by, told) in [("\"1 rod\"", "rod"), ("true", "`shift` takes a number")] {
        let run = amend(by);
        assert!(run.code == 1 && run.out.contains(told), "{by}: {run:?}");
    }
}

#[test]
fn special_values_are_called_by_their_names() {
    let folder = den();
    let rulebook = folder.read("r.toml");
    folder.put(
        "r.toml",
        &format!(
            "{rulebook}sleeps = {{ type = \"integer\", min = 5, optional = true, called = {{ \"0\" = \"always\" }} }}\n"
        ),
    );
    well(&folder, &["set", "fox/den/old/red", "sleeps=always"]);
    assert_eq!(value(&folder, "fox/den/old/red", "sleeps"), 0);
    let shown = well(&folder, &["show", "fox/den/old/red"]).out;
    assert!(shown.contains("0 (always)"), "{shown}");
    assert!(well(&folder, &["kinds", "fox"]).out.contains("(0 is always)"));
    well(&folder, &["check", "--mod", "m"]);
    let refused = folder.run(&["set", "fox/den/old/red", "sleeps=alway"]);
    assert!(refused.code >= 2 && refused.err.contains("(0 is always), not `alway`"), "{refused:?}");
}

#[test]
fn a_severity_of_the_rulebook_counts_everywhere() {
    let folder = den();
    folder.put("mods/m/den/old/more.xml", "<all>\n  <fox call=\"dun\"><size>1</size><kin>wolf</kin></fox>\n</all>\n");
    let parent = folder.run(&["check", "--mod", "m", "--format", "json"]);
    assert_eq!((parent.code, parent.json()["errors"].as_u64()), (1, Some(1)), "{parent:?}");
    let rulebook = folder.read("r.toml");
    for (is, code, counts) in [("warning", 0, (0, 1)), ("note", 0, (0, 0)), ("silent", 0, (0, 0))] {
        folder.put(
            "r.toml",
            &format!("{rulebook}[[severity]]\ncode = \"parent-lacking\"\nkind = \"fox\"\nis = \"{is}\"\n"),
        );
        let run = folder.run(&["check", "--mod", "m", "--format", "json"]);
        let told = run.json();
        assert_eq!(
            (run.code, told["errors"].as_u64(), told["warnings"].as_u64()),
            (code, Some(counts.0), Some(counts.1)),
            "{is}: {told:#}"
        );
        assert_eq!(well(&folder, &["build", "--mod", "m"]).code, 0);
    }
}

/// A game of these kinds, with a mod in which nothing is yet.
fn quay(kinds: &str) -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"quay\"\n",
    );
    let manifest = "rulebook = 1\n[manifest]\nfile = \"mod.toml\"\nid = \"id\"\n";
    folder.put("rulebook.toml", &format!("{manifest}{kinds}"));
    folder.put("mods/quay/mod.toml", "id = \"quay\"\n");
    folder
}

#[test]
fn what_a_copy_must_say_for_its_sort_is_asked_for() {
    let folder = quay(
        "[[where]]\nfiles = \"sails/*.yaml\"\ncut = \"{}\"\nkind = \"sail\"\n\
         [kinds.sail]\nparent = \"like\"\n[kinds.sail.fields]\n\"like\" = { link = \"sail\", optional = true }\n\
         \"cut\" = { type = \"choice\", words = [\"plain\", \"long\"], default = \"plain\" }\n\
         \"deep\" = { type = \"integer\", only = { cut = \"long\" } }\n\
         \"wide\" = { type = \"integer\", min = 1 }\n",
    );
    folder.put("base/sails/all.yaml", "jib: { wide: 3 }\nold: { wide: 0, cut: long }\n");
    let run = folder.run(&["copy", "sail/jib", "tall", "cut=long"]);
    assert_eq!((run.code, run.out.as_str()), (3, ""));
    assert!(run.err.contains("`sail/tall` needs `deep`, since `cut` is `long`"), "{}", run.err);
    let run = folder.run(&["copy", "sail/jib", "tall", "cut=long", "deep=4"]);
    assert_eq!(run.code, 0, "{}", run.err);
    // what is wrong in the original already is taken over
    let run = folder.run(&["copy", "sail/old", "new"]);
    assert_eq!(run.code, 0, "{}", run.err);
}

#[test]
fn a_new_workbook_is_called_as_the_mod_is() {
    let folder = quay(
        "[[where]]\nfiles = \"tables/**/*.xlsx/Ropes\"\ncut = \"[]\"\nkind = \"rope\"\n\
         [kinds.rope]\nname = \"id\"\n[kinds.rope.fields]\n\"long\" = { type = \"integer\" }\n",
    );
    folder.put("base/readme.txt", "");
    let run = folder.run(&["new", "rope/hawser", "long=30"]);
    assert!(run.code == 0 && run.out.contains("mods/quay/tables/quay.xlsx/Ropes"), "{} {}", run.out, run.err);
    let run = folder.run(&["show", "rope/hawser"]);
    assert!(run.out.contains("tables/quay.xlsx/Ropes"), "{} {}", run.out, run.err);
}
