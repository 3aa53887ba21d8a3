//! What mods mean, driven through the built program: `changes`, `clashes`, `show --history`, and the checks.

mod common;

use common::Folder;

/// A lamp, an oil and a candle based on it; five mods, one of which ships a whole copy.
fn lamps() -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\norder = [\"bright\", \"copied\", \"dear\", \"cheap\", \"near\"]\nedit = \"near\"\n",
    );
    folder.put(
        "rulebook.toml",
        "rulebook = 1\n[manifest]\nfile = \"mod.toml\"\nid = \"id\"\nname = \"title\"\nrequires = \"needs[]\"\n[[where]]\nfiles = \"lamps/*.json\"\ncut = \"{}\"\nkind = \"lamp\"\n[kinds.lamp]\nparent = \"like\"\nagain = \"replace\"\n[kinds.lamp.fields]\n\"value\" = { type = \"integer\", unit = \"groats\" }\n\"burn\" = { type = \"integer\", default = 1 }\n\"marks[]\" = { type = \"text\", list = \"set\", optional = true }\n",
    );
    folder.put(
        "base/lamps/all.json",
        "{\n  \"lamp\": { \"value\": 10, \"burn\": 40, \"marks\": [\"wet\"] },\n  \"candle\": { \"like\": \"lamp\", \"value\": 2 },\n  \"torch\": { \"value\": 1 }\n}\n",
    );
    let amends = |id: &str, text: &str| {
        folder.put(&format!("mods/{id}/mod.toml"), &format!("id = \"{id}\"\ntitle = \"The {id} mod\"\n"));
        folder.put(&format!("mods/{id}/amendments/lamp.toml"), &format!("amendments = 1\n{text}"));
    };
    amends("bright", "[[amend]]\nof = \"lamp/lamp\"\nset = { burn = 55 }\nwhy = \"Nights are long.\"\n");
    amends("dear", "[[amend]]\nof = \"lamp/torch\"\nmultiply = { value = 3 }\n");
    amends("cheap", "[[amend]]\nof = \"lamp/torch\"\nset = { value = 2 }\n");
    amends("near", "[[amend]]\nof = \"lamp/candle\"\nadd = { marks = [\"small\"] }\n");
    folder.put("mods/copied/mod.toml", "id = \"copied\"\ntitle = \"Copied\"\n");
    folder.put(
        "mods/copied/lamps/own.json",
        "{\n  \"lamp\": { \"value\": 12, \"burn\": 40, \"marks\": [\"wet\"] },\n  \"wick\": { \"value\": 1 }\n}\n",
    );
    folder
}

#[test]
fn changes_are_told_in_the_terms_of_the_game() {
    let folder = lamps();
    let run = folder.run(&["changes", "copied"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""), "{run:?}");
    for part in
        ["copied changes 1 value in 1 definition, adds 1 definition\n", "10 → 12 groats", "new: lamp 1\n  lamp/wick"]
    {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    assert!(!run.out.contains("burn"), "a copied value is no change\n{}", run.out);
    let run = folder.run(&["changes", "bright"]);
    let told = "  lamp/lamp\n    Nights are long.\n    burn  40 → 55  mods/bright/amendments/lamp.toml:4\n";
    assert!(run.out.contains(told), "{}", run.out);
    assert!(run.out.contains("changed because they inherit: lamp 1\n  lamp/candle"), "{}", run.out);
    let json = folder.run(&["changes", "bright", "--format", "json"]).json();
    assert_eq!(json["changed"][0]["address"], "lamp/lamp");
    assert_eq!(json["changed"][0]["values"][0]["after"], 55);
    assert_eq!(json["inheriting"][0]["address"], "lamp/candle");
    let page = folder.run(&["changes", "bright", "--markdown"]);
    assert!(page.out.starts_with("## The bright mod\n\nChanges 1 value"), "{}", page.out);
    assert!(page.out.contains("  - `burn` 40 → 55: Nights are long."), "{}", page.out);
    let other = folder.run(&["changes", "dear", "--against", "cheap"]);
    assert!(other.out.contains("2 → 3 groats"), "{}", other.out);
    let base = folder.run(&["changes", "base"]);
    assert_eq!((base.code, base.out.as_str()), (2, ""));
}

#[test]
fn clashes_are_what_goes_wrong_only_between_mods() {
    let folder = lamps();
    let run = folder.run(&["clashes"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""), "{run:?}");
    for part in [
        "1 contradiction, 1 change undone\n",
        "lamp/torch value",
        "multiplies by 3",
        "sets 2",
        "loads later and wins",
        "lamp/lamp burn",
        "sets 55, meant 55, shows 40",
        "carries the old value along",
    ] {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    assert!(!run.out.contains("near"), "mods that get along are not told\n{}", run.out);
    let one = folder.run(&["clashes", "near"]);
    assert!(one.out.starts_with("no clashes"), "{}", one.out);
    let json = folder.run(&["clashes", "--format", "json"]).json();
    assert_eq!(json["undone"][0]["culprit"]["mod"], "copied");
    assert_eq!(json["contradictions"][0]["second"]["mod"], "cheap");
    let codes = |arguments: &[&str]| -> Vec<String> {
        let check = folder.run(arguments).json();
        let code = |finding: &serde_json::Value| finding["code"].as_str().unwrap().to_owned();
        check["findings"].as_array().unwrap().iter().map(code).collect()
    };
    assert_eq!(codes(&["check", "--format", "json"]), ["change-undone"]);
    // players load one of them
    let workspace = folder.read("cognomen.toml");
    folder.put("cognomen.toml", &format!("{workspace}alternatives = [[\"dear\", \"cheap\"]]\n"));
    let run = folder.run(&["clashes"]);
    assert!(run.out.starts_with("1 change undone\n"), "{}", run.out);
    // a mod's own players need not have the other mod
    assert!(codes(&["check", "--mod", "copied", "--format", "json"]).is_empty());
}

/// A game in which definitions are merged and can be removed, with a rule and parents.
fn fen() -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\norder = [\"one\", \"two\"]\n",
    );
    folder.put(
        "rulebook.toml",
        r#"rulebook = 1
[manifest]
file = "mod.toml"
id = "id"
requires = "needs[]"
[[where]]
files = "boats/*.json"
cut = "{}"
kind = "boat"
[kinds.boat]
parent = "like"
again = "merge"
removes = { state = "sunk" }
[kinds.boat.fields]
"state" = { type = "choice", words = ["sunk"], optional = true }
"load" = { type = "integer", optional = true }
"hold" = { type = "integer", optional = true }
"tows[]" = { list = "keyed", by = "what", join = true, optional = true }
"tows[].what" = { link = "boat" }
"tows[].rope" = { type = "integer", optional = true }
[[kinds.boat.rules]]
code = "hold-too-small"
require = "load <= hold"
message = "a load of {load} does not fit a hold of {hold}"
"#,
    );
    folder.put(
        "base/boats/all.json",
        "{\n  \"punt\": { \"load\": 4, \"hold\": 6 },\n  \"barge\": {},\n  \"raft\": {},\n  \"skiff\": {}\n}\n",
    );
    for id in ["one", "two"] {
        folder.put(&format!("mods/{id}/mod.toml"), &format!("id = \"{id}\"\n"));
    }
    folder
}

#[test]
fn faults_that_no_mod_has_by_itself_are_told_with_both_places() {
    let folder = fen();
    // a rule that breaks, parents in a circle, and a reference to what the other takes away
    folder.put(
        "mods/one/boats/own.json",
        "{\n  \"punt\": { \"load\": 6 },\n  \"barge\": { \"like\": \"raft\" },\n  \"skiff\": { \"state\": \"sunk\" }\n}\n",
    );
    folder.put(
        "mods/two/boats/own.json",
        "{\n  \"punt\": { \"hold\": 5 },\n  \"raft\": { \"like\": \"barge\" },\n  \"tug\": { \"tows\": [{ \"what\": \"skiff\" }] }\n}\n",
    );
    let run = folder.run(&["clashes"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""), "{run:?}");
    assert!(run.out.starts_with("3 faults only together\n"), "{}", run.out);
    for part in [
        "a load of 6 does not fit a hold of 5 (hold-too-small)",
        "inherits in a circle: raft → barge → raft (parent-circle)",
        "`one` takes away `boat/skiff`, which is named here (target-removed)",
        "mods/one/boats/own.json:2",
        "mods/two/boats/own.json:2",
        "mods/one/boats/own.json:3",
        "mods/two/boats/own.json:3",
        "mods/one/boats/own.json:4",
        "mods/two/boats/own.json:4",
    ] {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    let json = folder.run(&["clashes", "two", "--format", "json"]).json();
    assert_eq!(json["together"].as_array().unwrap().len(), 3);
    // where the one stands on the other, it is that one's own fault
    folder.put("mods/two/mod.toml", "id = \"two\"\nneeds = [\"one\"]\n");
    assert!(!folder.run(&["clashes"]).out.contains("only together"));
    // and a fault that one of them has without the other is no matter of both
    folder.put("mods/two/mod.toml", "id = \"two\"\n");
    folder.put("mods/two/boats/own.json", "{ \"punt\": { \"hold\": 3 } }\n");
    assert!(folder.run(&["clashes"]).out.starts_with("no clashes"), "{}", folder.run(&["clashes"]).out);
}

#[test]
fn the_demo_has_one_of_each() {
    let folder = Folder::demo();
    let means = folder.run(&["changes", "rope-and-oil"]);
    assert!(
        means.out.starts_with("rope-and-oil, made for edition 1.1, changes 4 values in 3 definitions\n"),
        "{}",
        means.out
    );
    let clashes = folder.run(&["clashes"]);
    let first = "1 contradiction, 1 change undone, 1 fault only together, 2 stale copies\n";
    assert!(clashes.out.starts_with(first), "{}", clashes.out);
    for part in ["item/fen-lamp burn_minutes", "recipe/press-oil takes[what=flax-seed].amount", "kit-too-heavy"] {
        assert!(clashes.out.contains(part), "{part}\n{}", clashes.out);
    }
    // two mods fill one shelf, and are not told
    assert!(!clashes.out.contains("smoke-and-salt"), "{}", clashes.out);
    let update = folder.run(&["changes", "base", "--against", "1.1"]);
    let first = "base, against 1.1, changes 5 values in 5 definitions, adds 1 definition, removes 1 definition\n";
    assert!(update.out.starts_with(first), "{}", update.out);
    let markdown = folder.run(&["changes", "base", "--against", "1.1", "--markdown"]);
    assert!(markdown.out.starts_with("## Peatlight 1.2\n\nChanges 5 values"), "{}", markdown.out);
    let check = folder.run(&["check", "--mod", "lean-winter"]);
    assert_eq!(check.code, 0, "{check:?}");
}

#[test]
fn what_has_nothing_under_it_any_more_is_left_hanging() {
    let folder = fen();
    folder.put("base/boats/more.json", "{ \"tug\": { \"tows\": [{ \"what\": \"raft\", \"rope\": 4 }] } }\n");
    folder.put("mods/one/boats/own.json", "{ \"tug\": { \"state\": \"sunk\" } }\n");
    folder.put(
        "mods/two/amendments/tug.toml",
        "amendments = 1\n[[amend]]\nof = \"boat/tug\"\nset = { \"tows[what=raft].rope\" = 9 }\n",
    );
    let run = folder.run(&["clashes"]);
    for part in
        ["left hanging", "boat/tug tows[what=raft].rope", "sets 9", "removes it", "mods/two/amendments/tug.toml:4"]
    {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    let found = folder.run(&["check", "--format", "json"]).json();
    assert_eq!(found["findings"][0]["code"], "left-hanging");
}

#[test]
fn one_value_is_followed_through_the_layers() {
    let folder = lamps();
    let run = folder.run(&["show", "lamp/lamp", "--history", "burn"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""), "{run:?}");
    let lines: Vec<&str> = run.out.lines().collect();
    assert_eq!(lines.len(), 4, "{}", run.out);
    assert!(lines[1].starts_with("  base    40"), "{}", run.out);
    assert!(lines[2].contains("40 → 55") && lines[2].ends_with("Nights are long."), "{}", run.out);
    assert!(
        lines[3].contains("55 → 40") && lines[3].ends_with("carried along in a copy, not meant: undoes bright"),
        "{}",
        run.out
    );
    let wrong = folder.run(&["show", "lamp/lamp", "--history", "a..b"]);
    assert_eq!((wrong.code, wrong.out.as_str()), (2, ""));
}

#[test]
fn two_relative_changes_are_told_once_and_the_same_everywhere() {
    let folder = lamps();
    for (id, factor) in [("aa", "2"), ("bb", "3")] {
        folder.put(&format!("mods/{id}/mod.toml"), &format!("id = \"{id}\"\n"));
        let text = format!("amendments = 1\n[[amend]]\nof = \"lamp/tar\"\nmultiply = {{ burn = {factor} }}\n");
        folder.put(&format!("mods/{id}/amendments/lamp.toml"), &text);
    }
    folder.put("base/lamps/more.json", "{ \"tar\": { \"value\": 1, \"burn\": 6 } }\n");
    let clashes = folder.run(&["clashes", "--format", "json"]).json();
    let undone: Vec<_> = clashes["undone"].as_array().unwrap().iter().filter(|u| u["address"] == "lamp/tar").collect();
    assert_eq!(undone.len(), 1, "{clashes}");
    let found = folder.run(&["check", "--code", "change-undone", "--format", "json"]).json();
    let own: Vec<_> = found["findings"].as_array().unwrap().iter().filter(|f| f["address"] == "lamp/tar").collect();
    assert_eq!(own.len(), 1, "{found}");
    assert!(own[0]["message"].as_str().unwrap().contains("is `18`, not `36`"), "{found}");
    assert_eq!(own[0]["file"], "mods/bb/amendments/lamp.toml", "{found}");
}

/// Of what there is a great deal, the first is told with how the rest is seen; heirs that change alike are told once.
#[test]
fn long_answers_fold() {
    let folder = Folder::empty();
    folder
        .put("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n");
    folder.put(
        "r.toml",
        "rulebook = 1\n[manifest]\nfile = \"about.json\"\nid = \"id\"\n[[where]]\nfiles = \"goods.json\"\ncut = \"{}\"\nkind = \"good\"\n\
         [kinds.good]\nparent = \"like\"\nagain = \"replace\"\n[kinds.good.fields]\nprice = { type = \"integer\" }\nabout = { type = \"text\", optional = true }\n",
    );
    let goods = |price: i32| {
        let all: Vec<String> = (0..80).map(|nth| format!("  \"g{nth}\": {{ \"price\": {} }}", price + nth)).collect();
        all.join(",\n")
    };
    let heirs: Vec<String> = (0..30).map(|nth| format!("  \"h{nth}\": {{ \"like\": \"g0\" }}")).collect();
    folder.put("base/goods.json", &format!("{{\n{},\n{}\n}}\n", goods(0), heirs.join(",\n")));
    for (name, price) in [("m", 100), ("n", 200)] {
        folder.put(&format!("mods/{name}/about.json"), &format!("{{ \"id\": \"{name}\" }}\n"));
        folder.put(&format!("mods/{name}/goods.json"), &format!("{{\n{}\n}}\n", goods(price)));
    }
    let changes = folder.run(&["changes", "m"]);
    assert_eq!(changes.code, 0, "{changes:?}");
    assert!(
        changes.out.starts_with("m changes 80 values in 80 definitions, 30 others inherit from these\n"),
        "{}",
        changes.out
    );
    assert!(changes.out.contains("  and 30 more: `--all` shows each\n"), "{}", changes.out);
    assert!(changes.out.contains("good/h0, and so 29 others\n"), "{}", changes.out);
    let all = folder.run(&["changes", "m", "--all"]).out;
    assert!(all.contains("good/h29") && all.contains("good/g79") && !all.contains("more:"), "{all}");
    let clashes = folder.run(&["clashes"]);
    assert!(clashes.out.starts_with("80 contradictions\n"), "{}", clashes.out);
    let said = "  and 30 more: `cognomen clashes MOD` shows those of one mod, `--all` shows each\n";
    assert!(clashes.out.ends_with(said), "{}", clashes.out);
    assert_eq!(folder.run(&["clashes", "--all"]).out.matches("loads later").count(), 80);
}
