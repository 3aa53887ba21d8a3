//! What is typed wrong is mended in one go by a reader who sees only the message.
#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing, clippy::expect_used)]

mod common;

use common::Folder;

#[test]
fn slips_are_answered_with_what_to_type() {
    let folder = Folder::demo();
    for (line, code, said) in [
        (&["find", "--where", "value = 3"][..], 2, "`==` does: `value == 3`"),
        (&["find", "--columns", "vale", "lamp"], 2, "the nearest known field is `value`"),
        (&["show", "item/eel", "--history", "smell.strenght"], 2, "the nearest known field is `smell.strength`"),
        (&["show", "item/eel", "--history", "goods"], 2, "kind `item` has no field `goods`"),
        (&["set", "remedy/fever-cup", "eases.chill=true"], 3, "`eases+=chill` puts one in"),
        (&["find", "lmap"], 0, "(the nearest that there is: `lamp`)"),
        (&["find", "--has", "tags=feul"], 0, "(the nearest that there is: `fuel`)"),
        (&["links", "art/nosuch.png"], 3, "there is no file, text, field or definition `art/nosuch.png`"),
        (&["copy", "item/eel", "Eel Two"], 3, "`eel-two` fits, with `--name \"Eel Two\"`"),
        (&["show", "long-night/eel"], 3, "`item/eel` is the only `eel`"),
        (&["check", "--code", "nosuch"], 2, "`cognomen explain` lists all codes"),
        (&["check", "--code", "leads-nowere"], 2, "the nearest is `leads-nowhere`"),
        (&["init"], 3, "there is a workspace already"),
        (&["init", "cognomen.toml"], 3, "is a file, not a folder"),
        (&["demo", "cognomen.toml"], 3, "is a file, not a folder"),
        (&["mods", "edit", "long-nigth"], 3, "the nearest one is `long-night`"),
        (&["mods", "edit", "base"], 2, "the base is the game itself"),
        (&["search", "eel"], 2, "`cognomen find WORD`"),
        (&["rm", "item/eel"], 2, "`cognomen delete ADDRESS` takes a definition out"),
        (&["mv", "item/eel"], 2, "`cognomen rename ADDRESS NEW`"),
    ] {
        let run = folder.run(line);
        assert_eq!(run.code, code, "{line:?}: {}{}", run.out, run.err);
        let all = format!("{}{}", run.out, run.err);
        assert!(all.contains(said), "{line:?}: {all}");
        assert!(!all.contains("os error"), "{line:?}: {all}");
    }
    // a path as it is copied from a window of Windows
    folder.put("cognomen.toml", &folder.read("cognomen.toml").replace("\"game\"", "\"..\\Game\""));
    let run = folder.run(&["mods"]);
    assert_eq!((run.code, run.err.contains("paths are written with forward slashes")), (3, true), "{run:?}");
}

#[test]
fn addresses_and_files_are_taken_where_they_are_meant() {
    let folder = Folder::demo();
    let run = folder.run(&["copy", "item/eel", "item/eel-two", "--mod", "long-night", "--dry-run"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("\"eel-two\""), "{}", run.out);
    assert_eq!(folder.run(&["mods", "--workspace", "cognomen.toml"]).code, 0);
    let codes = folder.run(&["check", "--mod", "first-steps", "-q", "--code", "leads-nowhere,type-mismatch"]);
    assert_eq!(codes.code, 1, "{}", codes.err);
    for command in ["show", "links"] {
        let apart = folder.run(&[command, "item", "eel"]);
        let said = format!(
            "error: `eel` is a word too many\n  help: kind and id are one word: `cognomen {command} item/eel`\n"
        );
        assert_eq!((apart.code, apart.err), (2, said));
    }
}

#[test]
fn what_a_faulty_rulebook_does_not_read_is_not_looked_for_elsewhere() {
    let folder = Folder::demo();
    let lines = folder.run(&["show", "item/punt-that-is-not"]);
    assert!(lines.err.contains("looks everywhere"), "{}", lines.err);
    folder.put("rulebook/more.toml", "rulebook = 1\n\n[notations.odd]\nsection = \"[\"\n");
    let lines = folder.run(&["show", "item/punt-that-is-not"]);
    assert_eq!(lines.code, 3);
    assert!(lines.err.contains("the rulebook has faults"), "{}", lines.err);
}

#[test]
fn a_workspace_is_started_from_where_one_stands() {
    let folder = Folder::empty();
    folder.put("game/data/items.json", "{}");
    let run = folder.run(&["init", "work", "--base", "game/data"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(folder.read("work/cognomen.toml").contains("base = \"../game/data\""));
    assert!(!run.out.contains("put the game's data"), "{}", run.out);
    // the mod that is edited is one's own, with nothing wrong in it
    let run = folder.run(&["demo", "fen", "--no-walk"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(folder.read("fen/cognomen.toml").contains("edit = \"my-mod\""));
    let run = folder.run(&["check", "--workspace", "fen", "--mod", "my-mod"]);
    assert_eq!(run.code, 0, "{}{}", run.out, run.err);
    let run = folder.run(&["mods", "edit", "long-night", "--workspace", "fen"]);
    assert_eq!((run.code, run.out.as_str()), (0, "long-night is edited now\nwritten: cognomen.toml\n"));
    let run = folder.run(&["undo", "--workspace", "fen"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(folder.read("fen/cognomen.toml").contains("edit = \"my-mod\""));
}

/// A first draft of a rulebook has thousands of findings: they are summed up, drawn up to a hundred, and all in JSON.
#[test]
fn many_findings_are_summed_up() {
    let folder = Folder::empty();
    folder.put("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n");
    folder.put(
        "rulebook.toml",
        "rulebook = 1\n[manifest]\nfile = \"mod.json\"\nid = \"id\"\n[[where]]\nfiles = \"*.json\"\ncut = \"{}\"\nkind = \"good\"\n\
         [kinds.good.fields]\n\"price\" = { type = \"integer\" }\n\"costs{}\" = { type = \"integer\", max = 9 }\n\"like\" = { link = \"good\", optional = true }\n",
    );
    folder.put("mods/m/mod.json", "{\"id\": \"m\"}");
    let goods: Vec<String> = (0..130)
        .map(|n| {
            format!("\"g{n}\": {{ \"price\": 1, \"costs\": {{ \"ash{n}\": {} }}, \"like\": \"nowhere{n}\" }}", 10 + n)
        })
        .collect();
    folder.put("mods/m/goods.json", &format!("{{\n{}\n}}\n", goods.join(",\n")));
    folder.put("base/goods.json", "{}");
    let run = folder.run(&["check", "--summary", "--color", "never"]);
    assert_eq!(run.code, 1);
    let lines: Vec<&str> = run.out.lines().collect();
    assert!(
        lines[0].starts_with("130  leads-nowhere  good.like     mods/m/goods.json:2: ")
            || lines[0].starts_with("130  out-of-range"),
        "{}",
        run.out
    );
    assert!(
        run.out.contains("130  out-of-range   good.costs{}  mods/m/goods.json:2: 10 is more than 9"),
        "{}",
        run.out
    );
    assert_eq!(lines.len(), 4, "{}", run.out);
    let json = folder.run(&["check", "--summary", "--format", "json"]).json();
    assert_eq!(json["findings"].as_array().unwrap().len(), 260);
    assert_eq!(json["summary"][0]["findings"], 130);
    assert_eq!(json["summary"][0]["definitions"], 130);
    let drawn = folder.run(&["check", "--color", "never"]);
    assert!(drawn.out.contains("\nand 160 more causes: `--summary` sums them up"), "{}", drawn.out.len());
    assert_eq!(drawn.out.matches("error[").count(), 100);
    assert_eq!(folder.run(&["check", "--all", "--color", "never"]).out.matches("error[").count(), 260);
    assert_eq!(folder.run(&["check", "--summary", "--all"]).code, 2);
}

/// What a layer's players get, and links of one kind.
#[test]
fn columns_and_links_are_narrowed() {
    let folder = Folder::demo();
    let value = |layer: &str| {
        let line = ["find", "lamp-oil", "--kind", "item", "--layer", layer, "--columns", "value", "--format", "json"];
        folder.run(&line).json()["found"][0]["columns"]["value"].clone()
    };
    assert_eq!((value("base"), value("long-night")), (12.into(), 15.into()));
    let all = folder.run(&["links", "tag/fuel", "--format", "json"]).json();
    let recipes = folder.run(&["links", "tag/fuel", "--kind", "recipe", "--format", "json"]).json();
    let ends = |json: &serde_json::Value| -> Vec<String> {
        let of =
            |way: &str| json[way].as_array().unwrap().iter().map(|link| link["end"].to_string()).collect::<Vec<_>>();
        [of("uses"), of("used_by")].concat()
    };
    let wanted: Vec<String> = ends(&all).into_iter().filter(|end| end.contains("recipe/")).collect();
    assert_eq!(ends(&recipes), wanted);
    assert!(!wanted.is_empty());
}

/// An answer that cannot be written is no success.
#[cfg(target_os = "linux")]
#[test]
fn an_answer_that_cannot_be_written_is_told() {
    let folder = Folder::demo();
    for line in [&["kinds"][..], &["state", "--format", "json"], &["--help"]] {
        let full = std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
        let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_cognomen"));
        let run = command.args(line).current_dir(folder.path()).stdout(full).output().unwrap();
        assert_eq!(run.status.code(), Some(3), "{line:?}");
        assert!(!String::from_utf8_lossy(&run.stderr).contains("os error"), "{line:?}");
    }
}

/// A number that is taken on what the mod stands on, while other mods make another of it.
#[test]
fn what_others_make_of_it_is_said() {
    let folder = Folder::demo();
    let run = folder.run(&["set", "item/lamp-oil", "keeps_days=30", "--mod", "tidegate", "--color", "never"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(!run.out.contains("with all mods together"), "{}", run.out);
    let run = folder.run(&["set", "item/lamp-oil", "value=13", "--mod", "long-night", "--color", "never"]);
    assert!(!run.out.contains("with all mods together"), "{}", run.out);
    folder.run(&["mods", "new", "first", "--keep"]);
    let order = folder.run(&["mods", "order", "first", "--first"]);
    assert_eq!(order.code, 0, "{}", order.err);
    let run = folder.run(&["set", "item/lamp-oil", "value=99", "--mod", "first", "--color", "never"]);
    assert!(run.out.contains("  with all mods together it shows 13: `cognomen show item/lamp-oil`\n"), "{}", run.out);
}

/// A kind says where a new one is written, or why none can be.
#[test]
fn kinds_say_where_new_ones_go() {
    let folder = Folder::demo();
    let run = folder.run(&["kinds", "stock", "--mod", "tidegate", "--color", "never"]);
    assert!(run.out.contains("A new one is written into mods/tidegate/stocks/tidegate.json.\n"), "{}", run.out);
    let said = folder.run(&["kinds", "stock", "--mod", "tidegate", "--format", "json"]).json();
    assert_eq!(said["written"], "mods/tidegate/stocks/tidegate.json");
    folder.run(&["new", "stock/otter", "shelf=42", "--like", "stock/ferryman", "--mod", "tidegate"]);
    assert!(folder.read("mods/tidegate/stocks/tidegate.json").contains("\"otter\""));
    let other = Folder::example("wrackline");
    let said = other.run(&["kinds", "renamed", "--mod", "lost-bells", "--format", "json"]).json();
    assert!(said["written"].is_null());
    assert!(said["not_written"].as_str().unwrap().contains("has to be written by hand"), "{said}");
    // ids that are made of several words, and such as hold within a folder
    for (kind, path) in
        [("net", "finds/lost-bells.json"), ("find", "finds/bells.json"), ("pool", "pools/north/ID.json")]
    {
        let said = other.run(&["kinds", kind, "--mod", "lost-bells", "--format", "json"]).json();
        assert_eq!(said["written"], format!("mods/lost-bells/{path}"), "{kind}");
    }
    let made = other.run(&["new", "net/cast-small", "rows=[\"ab\"]", "--like", "net/drift", "--mod", "lost-bells"]);
    assert_eq!(made.code, 0, "{made:?}");
    let written = other.read("mods/lost-bells/finds/bells.json");
    assert!(written.contains("\"stem_of\": \"cast\"") && written.contains("\"size\": \"small\""), "{written}");
}

/// Remarks are found by their words, and said once.
#[test]
fn notes_are_found() {
    let folder = Folder::demo();
    folder.run(&["note", "item/eel", "sells best at Martinmas"]);
    let run = folder.run(&["find", "martinmas", "--color", "never"]);
    assert_eq!(run.out, "item/eel  Eel  sells best at Martinmas (your note)  notes.toml:4\n");
}

/// Of a long list a person sees the first entries and what a mod changed; a program sees all.
#[test]
fn long_lists_fold() {
    let folder = Folder::demo();
    let goods: Vec<String> = (0..60).map(|n| format!("{{\"what\": \"x{n}\", \"amount\": 1}}")).collect();
    let tags: Vec<String> = (0..60).map(|n| format!("\"t{n}\"")).collect();
    let stocks = format!("{{\"long-shelf\": {{\"shelf\": 90, \"goods\": [{}]}}}}", goods.join(", "));
    folder.put("base/stocks/long.json", &stocks);
    folder.put("base/goods/long.json", &format!("{{\"long\": {{\"value\": 1, \"tags\": [{}]}}}}", tags.join(", ")));
    let amend = "amendments = 1\n\n[[amend]]\nof = \"stock/long-shelf\"\nset = { \"goods[what=x50].amount\" = 3 }\n";
    folder.put("mods/lean-winter/amendments/long.toml", amend);
    let run = folder.run(&["show", "stock/long-shelf", "--color", "never"]);
    assert!(run.out.contains("x23]") && run.out.contains("x50]"), "{}", run.out);
    assert!(!run.out.contains("x24]") && run.out.contains("… and "), "{}", run.out);
    let all = folder.run(&["show", "stock/long-shelf", "--all", "--color", "never"]);
    assert!(all.out.contains("x59]") && !all.out.contains("more"), "{}", all.out);
    let run = folder.run(&["show", "item/long", "--color", "never"]);
    assert!(run.out.contains("t23, … and 36 more"), "{}", run.out);
    let said = folder.run(&["show", "stock/long-shelf", "--format", "json"]).json();
    assert!(said["values"].as_array().unwrap().len() > 60);
}
