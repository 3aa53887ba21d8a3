//! What commands answer to programs is as `docs/ANSWERS.schema.json` says.

#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing)] // helpers of tests

mod common;

use std::collections::BTreeSet;

use common::{Folder, Run};
use serde_json::{Value, json};

/// The schemas, and those that something was held against.
struct Schemas {
    all: Value,
    tried: BTreeSet<String>,
}

impl Schemas {
    fn holds(&mut self, name: &str, text: &str) -> Value {
        let answer: Value = serde_json::from_str(text).unwrap_or_else(|error| panic!("{name}: {error}\n{text}"));
        let mut schema = self.all["properties"][name].clone();
        assert!(schema.is_object(), "there is no schema for `{name}`");
        schema["$defs"] = self.all["$defs"].clone();
        let validator = jsonschema::validator_for(&schema).unwrap();
        let faults: Vec<String> = validator.iter_errors(&answer).map(|fault| fault.to_string()).collect();
        assert_eq!(faults, Vec::<String>::new(), "{name}\n{text}");
        assert_eq!(answer["format"], 1);
        self.tried.insert(name.to_owned());
        answer
    }
}

fn run(folder: &Folder, line: &[&str]) -> Run {
    let line: Vec<&str> = line.iter().copied().chain(["--format", "json"]).collect();
    folder.run(&line)
}

#[test]
fn every_answer_is_as_its_schema_says() {
    let text = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/ANSWERS.schema.json")).unwrap();
    let all: Value = serde_json::from_str(&text).unwrap();
    let mut schemas = Schemas { all, tried: BTreeSet::new() };
    let folder = Folder::demo();
    folder.put("pie.json", "{ \"value\": 3, \"weight\": 1, \"tags\": [] }");
    for (path, bytes) in folder.all("base") {
        let to = folder.file(&format!("copy/{path}"));
        std::fs::create_dir_all(to.parent().unwrap()).unwrap();
        std::fs::write(to, bytes).unwrap();
    }
    folder.put(
        "copy/goods/fuel.json",
        &folder.read("copy/goods/fuel.json").replacen("\"value\": 12", "\"value\": 14", 1),
    );
    let before = folder.all(".");
    for (name, line) in [
        ("mods", &["mods"][..]),
        ("kinds", &["kinds"]),
        ("kinds KIND", &["kinds", "item"]),
        ("kinds --coverage", &["kinds", "--coverage"]),
        ("find", &["find", "lamp", "--columns", "value"]),
        ("show", &["show", "item/lamp-oil"]),
        ("show --history", &["show", "item/lamp-oil", "--history", "value"]),
        ("links", &["links", "item/lamp-oil"]),
        ("compare", &["compare", "item/lamp-oil", "item/fen-lamp"]),
        ("changes", &["changes", "long-night"]),
        ("clashes", &["clashes"]),
        ("keep --list", &["keep", "--list"]),
        ("spread", &["spread", "item.value"]),
        ("note", &["note"]),
        ("capture", &["capture", "evening.log", "--mod", "long-night"]),
        ("ids", &["ids", "--mod", "long-night"]),
        ("ids OF", &["ids", "stock.shelf", "--mod", "long-night"]),
        ("tag", &["tag", "--mod", "long-night"]),
        ("tag ADDRESS", &["tag", "tag/fuel", "--mod", "long-night"]),
        ("tag twins", &["tag", "twins", "item/eel", "--mod", "long-night"]),
        ("text", &["text", "--mod", "smoke-and-salt"]),
        ("text list", &["text", "list", "--all", "--mod", "smoke-and-salt"]),
        ("explain", &["explain"]),
        ("explain CODE", &["explain", "leads-nowhere"]),
        ("explain RULE", &["explain", "food-feeds-nobody"]),
        ("state", &["state", "--mod", "long-night"]),
        ("copy --starts", &["copy", "unit/bog-sow", "fen-queen", "--starts"]),
    ] {
        let run = run(&folder, line);
        assert_eq!(run.code, 0, "{line:?}: {run:?}");
        schemas.holds(name, &run.out);
    }
    let checked = run(&folder, &["check"]);
    assert_eq!(checked.code, 1);
    assert!(schemas.holds("check", &checked.out)["errors"].as_u64().unwrap() > 10);
    // shown only, then done
    for (name, line) in [
        ("mods new", &["mods", "new", "wick"][..]),
        ("mods order", &["mods", "order", "long-night"]),
        ("set", &["set", "item/eel", "value=99", "--mod", "long-night"]),
        (
            "set --where",
            &["set", "--kind", "item", "--where", "value > 60", "value=60", "--mod", "long-night", "--yes"],
        ),
        ("new", &["new", "item/pole", "--like", "item/eel", "--mod", "long-night"]),
        ("copy", &["copy", "item/eel", "conger", "--mod", "long-night"]),
        ("rename", &["rename", "item/grey-salt", "fen-salt", "--mod", "smoke-and-salt"]),
        ("delete", &["delete", "item/eel-keg", "recipe/pack-eel-keg", "--cascade", "--mod", "smoke-and-salt"]),
        ("move", &["move", "item/keg", "--to", "goods/preserves.json", "--mod", "smoke-and-salt"]),
        ("note ABOUT TEXT", &["note", "item/eel", "slippery"]),
        ("capture LOG ADDRESS", &["capture", "evening.log", "spawn/reed-bed", "--mod", "long-night"]),
        ("paste", &["paste", "item/pie", "pie.json", "--mod", "long-night"]),
        ("adopt", &["adopt", "copy", "--mod", "lean-winter"]),
        ("tag add", &["tag", "add", "tag/winter-store", "item/eel", "--mod", "long-night"]),
        ("tag remove", &["tag", "remove", "tag/food", "item/eel", "--mod", "long-night"]),
        ("text set", &["text", "set", "item/eel", "Wet eel", "--mod", "long-night"]),
        ("text stubs", &["text", "stubs", "--language", "nl", "--mod", "long-night"]),
        ("text done", &["text", "done", "--language", "nl", "--mod", "smoke-and-salt"]),
        ("keep", &["keep", "1.2"]),
        ("check --fix", &["check", "--mod", "first-steps", "--fix", "--code", "name-with-ending"]),
        ("check --accept", &["check", "--mod", "first-steps", "--accept"]),
        ("mods rename", &["mods", "rename", "first-steps", "steps"]),
    ] {
        let dry = run(&folder, &[line, &["--dry-run"]].concat());
        assert_eq!(dry.code, 0, "{line:?}: {dry:?}");
        let answer = schemas.holds(name, &dry.out);
        assert_eq!((&answer["written"], answer["diff"].is_string()), (&json!(false), true), "{line:?}");
        assert_eq!(folder.all("."), before, "{line:?}");
        let done = run(&folder, line);
        assert_eq!(done.code, 0, "{line:?}: {done:?}");
        let answer = schemas.holds(name, &done.out);
        assert_eq!((&answer["written"], &answer["diff"]), (&json!(true), &Value::Null), "{line:?}");
        let dry = run(&folder, &["undo", "--dry-run"]);
        assert_eq!(schemas.holds("undo", &dry.out)["written"], false);
        let undone = run(&folder, &["undo"]);
        assert_eq!(undone.code, 0, "{undone:?}");
        schemas.holds("undo", &undone.out);
        assert_eq!(folder.all("."), before, "{line:?}");
    }
    let listed = run(&folder, &["undo", "--list"]);
    schemas.holds("undo --list", &listed.out);
    let again = run(&folder, &["redo"]);
    schemas.holds("redo", &again.out);
    assert_eq!(run(&folder, &["undo"]).code, 0);
    folder.put("ids.csv", "item/eel,slippery\n");
    let noted = run(&folder, &["note", "--import", "ids.csv"]);
    schemas.holds("note --import", &noted.out);
    folder.put("claims.csv", "Shelf,Mod\n7,marsh\n");
    let workspace = folder.read("cognomen.toml");
    let claims = "\n[[claims]]\nfile = \"claims.csv\"\nkind = \"stock.shelf\"\nnumber = \"Shelf\"\n";
    folder.put("cognomen.toml", &format!("{workspace}{claims}"));
    let met = run(&folder, &["ids", "--claims", "--mod", "long-night"]);
    schemas.holds("ids --claims", &met.out);
    folder.put("cognomen.toml", &workspace);
    let put = run(&folder, &["tag", "add", "tag/preserved", "item/grey-salt", "--mod", "smoke-and-salt"]);
    schemas.holds("tag add", &put.out);
    let instead = run(&folder, &["tag", "instead", "tag/preserved", "item/grey-salt", "--mod", "smoke-and-salt"]);
    schemas.holds("tag instead", &instead.out);
    let out = run(&folder, &["sheet", "out", "t.csv", "--kind", "item", "--mod", "long-night"]);
    schemas.holds("sheet out", &out.out);
    folder.put("t.csv", &folder.read("t.csv").replace("\nale,Ale,7,", "\nale,Ale,8,"));
    let taken = run(&folder, &["sheet", "in", "t.csv", "--mod", "long-night"]);
    let taken = schemas.holds("sheet in", &taken.out);
    assert_eq!((&taken["cells"][0]["before"], &taken["cells"][0]["after"]), (&json!("7"), &json!("8")));
    let out = run(&folder, &["text", "out", "nl.csv", "--language", "nl", "--mod", "smoke-and-salt"]);
    schemas.holds("text out", &out.out);
    folder.put("nl.csv", &folder.read("nl.csv").replace("Zoute snoek", "Snoek in zout"));
    let taken = run(&folder, &["text", "in", "nl.csv", "--language", "nl", "--mod", "smoke-and-salt"]);
    schemas.holds("text in", &taken.out);
    let packed = run(&folder, &["pack", "--mod", "long-night"]);
    schemas.holds("pack", &packed.out);
    let installed = run(&folder, &["install", "--mod", "long-night"]);
    schemas.holds("install", &installed.out);
    let stands = run(&folder, &["state", "--mod", "long-night"]);
    schemas.holds("state", &stands.out);
    let taken_out = run(&folder, &["install", "--remove", "--mod", "long-night"]);
    schemas.holds("install --remove", &taken_out.out);
    // it never ends by itself, and says its first line at once
    let mut watch = std::process::Command::new(env!("CARGO_BIN_EXE_cognomen"))
        .args(["watch", "--mod", "first-steps", "--format", "json"])
        .current_dir(folder.path())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    let mut line = String::new();
    let out = watch.stdout.take().unwrap();
    std::io::BufRead::read_line(&mut std::io::BufReader::new(out), &mut line).unwrap();
    schemas.holds("watch", &line);
    watch.kill().unwrap();
    watch.wait().unwrap();
    let lost = run(&folder, &["check", "--saved", "game/saves/late-autumn.json", "--mod", "long-night"]);
    schemas.holds("check --saved", &lost.out);
    let built = run(&folder, &["build", "--mod", "long-night"]);
    schemas.holds("build", &built.out);
    let started = run(&folder, &["init", "other"]);
    schemas.holds("init", &started.out);
    let demo = run(&folder, &["demo", "fen"]);
    schemas.holds("demo", &demo.out);
    for (line, code) in [
        (&["show", "item/eels"][..], 3),
        (&["set", "item/eel"], 2),
        (&["set", "item/eel", "tags+=fule", "--mod", "long-night"], 3),
        (&["build", "--mod", "base"], 2),
    ] {
        let failed = run(&folder, line);
        assert_eq!((failed.code, failed.out.as_str()), (code, ""), "{line:?}");
        let answer = schemas.holds("error", &failed.err);
        assert_eq!(answer["error"]["exit"], code);
        assert!(!answer["error"]["message"].as_str().unwrap().contains('\n'), "{line:?}");
    }
    let known: BTreeSet<String> = schemas.all["properties"].as_object().unwrap().keys().cloned().collect();
    assert_eq!(schemas.tried, known, "each answer is tried");
}

#[test]
fn what_data_holds_is_visible_and_moves_nothing() {
    let folder = Folder::demo();
    let odd = "\\u001b]0;title\\u0007\\u009b2J\\u202e";
    folder.put(
        "mods/long-night/goods/odd.json",
        &format!("{{\"odd{odd}\": {{\"value\": 1}}, \"plain\": {{\"look{odd}\": 1}}}}\n"),
    );
    folder
        .put("mods/strange/mod.json", &format!("{{\"id\": \"x{odd}\", \"title\": \"y{odd}\", \"version\": \"1\"}}\n"));
    for line in [
        &["check"][..],
        &["check", "--short"],
        &["check", "--format", "json"],
        &["find", "odd"],
        &["find", "odd", "--format", "json"],
        &["mods"],
        &["mods", "--format", "json"],
        &["show", "item/\u{1b}[2Jx"],
        &["show", "item/\u{9b}2J", "--format", "json"],
        &["find", "a", "--\u{1b}]0;x\u{7}"],
        &["--mod", "\u{202e}", "check"],
        &["set", "item/eel", "value=\u{1b}[31m", "--mod", "long-night"],
    ] {
        for color in ["never", "always"] {
            let run = folder.run(&[line, &["--color", color]].concat());
            let all = format!("{}{}", run.out, run.err);
            // what is left of escapes is colours
            let plain = all.split("\u{1b}[").enumerate().map(|(nth, part)| match nth {
                0 => part,
                _ => {
                    part.split_once('m')
                        .filter(|(style, _)| style.chars().all(|c| c.is_ascii_digit() || c == ';'))
                        .expect("a colour")
                        .1
                }
            });
            let unseen = plain.flat_map(str::chars).find(|c| (c.is_control() && *c != '\n') || *c == '\u{202e}');
            assert_eq!(unseen, None, "{line:?}: {all:?}");
        }
    }
}
