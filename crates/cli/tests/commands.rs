//! The built program on the demo: both streams and the exit code of every command.
#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing, clippy::string_slice)]

mod common;

use common::{Folder, given_findings, listed_findings};

#[test]
fn first_steps_gives_exactly_the_findings_of_its_own_table() {
    let folder = Folder::demo();
    let wanted = listed_findings(&folder.read("mods/first-steps/README.md"));
    let run = folder.run(&["check", "--mod", "first-steps", "--format", "json"]);
    assert_eq!((run.code, run.err.as_str()), (1, ""));
    assert_eq!(run.json()["format"], 1);
    assert_eq!(given_findings(&run, "first-steps"), wanted);
    assert!(wanted.len() >= 20);
}

#[test]
fn base_and_long_night_are_clean() {
    let folder = Folder::demo();
    for id in ["base", "long-night"] {
        let run = folder.run(&["check", "--mod", id]);
        assert_eq!(run.code, 0, "{run:?}");
        assert!(run.out.starts_with("no findings in"), "{}", run.out);
        assert_eq!(run.err, "");
    }
}

#[test]
fn findings_are_drawn_with_source_mark_help_and_second_place() {
    let folder = Folder::demo();
    let run = folder.run(&["check", "--mod", "first-steps", "--code", "leads-nowhere", "--color", "never"]);
    assert_eq!(run.code, 1);
    for part in [
        "error[leads-nowhere]: there is no station `Hearth`",
        " --> mods/first-steps/crafts/kitchen.json:4:11",
        "4 |     \"at\": \"Hearth\",",
        "  |           ^^^^^^^^",
        "help: it is written `hearth`: capital and small letters count",
        " --> base/stations/hearth.json:1",
        "3 errors in 2 files",
    ] {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    assert!(run.err.contains("cognomen explain leads-nowhere"));
    let short = folder.run(&["check", "--mod", "first-steps", "--short", "--quiet"]);
    assert_eq!((short.out.lines().count(), short.code), (1, 1));
}

#[test]
fn find_knows_words_numbers_and_conditions() {
    let folder = Folder::demo();
    let addresses = |line: &[&str]| -> Vec<String> {
        let mut line = line.to_vec();
        line.extend(["--format", "json"]);
        let run = folder.run(&line);
        assert_eq!((run.code, run.err.as_str()), (0, ""), "{line:?}");
        run.json()["found"].as_array().unwrap().iter().map(|f| f["address"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(addresses(&["find", "lamp-oil"])[0], "item/lamp-oil");
    assert_eq!(addresses(&["find", "Smoked", "eel", "--kind", "item"]), ["item/eel-smoked"]);
    // the readable name, a value without its field, a number that is written as a share
    assert_eq!(addresses(&["find", "bog berries"]), ["item/bog-berry"]);
    assert_eq!(addresses(&["find", "starlight"]), ["trait/night-eyed"]);
    assert_eq!(addresses(&["find", "60", "--kind", "unit"]), ["unit/marsh-boar"]);
    assert_eq!(
        addresses(&["find", "--has", "tags=light", "--layer", "base"]),
        ["item/fen-lamp", "item/lamp-oil", "item/old-lamp", "item/rush-light", "item/tallow-candle"]
    );
    assert_eq!(
        addresses(&["find", "--where", "value >= 24 and 'tool' in tags and weight < 6", "--layer", "base"]),
        ["item/fen-lamp", "item/ferry-bell", "item/net", "item/peat-spade"]
    );
    let columns =
        folder.run(&["find", "--has", "traits=bold", "--columns", "stats.vigour,stats.bite", "--color", "never"]);
    assert_eq!(
        columns.out,
        "                             stats.vigour  stats.bite\nunit/great-pike  Great pike  22            8           base/beasts/marsh.json:69\n"
    );
    let hit = folder.run(&["find", "starlight", "--format", "json"]).json();
    assert_eq!(hit["found"][0]["hits"][0]["path"], "about");
    assert_eq!(hit["found"][0]["hits"][0]["file"], "base/traits/traits.json");
}

#[test]
fn an_empty_answer_says_which_filter_hid_what() {
    let folder = Folder::demo();
    let run = folder.run(&["find", "lamp", "--kind", "trait", "--color", "never"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    assert_eq!(
        run.out,
        "nothing was found\n  without `lamp`: 8 definitions\n  without `--kind trait`: 17 definitions\n"
    );
    let run = folder.run(&["find", "--where", "valeu > 3"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert_eq!(run.err, "error: no kind has a field `valeu`\n  help: the nearest known field is `value`\n");
    let run = folder.run(&["find", "--has", "burn_minute=3"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains("the nearest known field is `burn_minutes`"), "{}", run.err);
}

#[test]
fn show_gives_every_value_with_its_origin_and_what_it_replaced() {
    let folder = Folder::demo();
    let run = folder.run(&["show", "lamp-oil", "--color", "never"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    let text = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    for part in [
        "item/lamp-oil Lamp oil defined by base, amended by long-night",
        "burn_minutes 55 min mods/long-night/amendments/lamps.toml:6 amended: A lamp should last a winter night. was 40 min base/goods/fuel.json:38",
        "keeps_days 400 days default",
        "name (en) Lamp oil base/texts/names.csv:7",
    ] {
        assert!(text.contains(part), "{part}\n{}", run.out);
    }
    let base = folder.run(&["show", "item/lamp-oil", "--layer", "base", "--format", "json"]).json();
    let value = |path: &str| base["values"].as_array().unwrap().iter().find(|v| v["path"] == path).unwrap().clone();
    assert_eq!(
        (value("burn_minutes")["value"].clone(), value("burn_minutes")["how"].clone()),
        (40.into(), "own".into())
    );
    let own = folder.run(&["show", "unit/bog-sow", "--own", "--color", "never"]);
    assert!(own.out.contains("stats.vigour") && !own.out.contains("stats.bite"), "{}", own.out);
    let none = folder.run(&["show", "item/lamp-oyl"]);
    assert_eq!((none.code, none.out.as_str()), (3, ""));
    assert!(none.err.contains("the nearest known one is `item/lamp-oil`"), "{}", none.err);
}

#[test]
fn set_amends_what_lies_below_and_edits_what_is_its_own() {
    let folder = Folder::demo();
    let before = folder.all("base");
    let run = folder.run(&[
        "set",
        "item/eel",
        "value*=1.5",
        "tags+=winter-store",
        "--why",
        "Winter.",
        "--mod",
        "long-night",
        "--color",
        "never",
    ]);
    assert_eq!((run.code, run.err.as_str()), (0, "the game takes this up at the next dawn in the village\n"));
    assert_eq!(
        run.out,
        "item/eel value: 4 → 6 groats\nitem/eel tags: food, wet → food, wet, winter-store\nwritten: mods/long-night/amendments/item.toml\n"
    );
    let text = folder.read("mods/long-night/amendments/item.toml");
    assert!(
        text.contains(
            "of = \"item/eel\"\nmultiply = { value = 1.5 }\nadd = { tags = [\"winter-store\"] }\nwhy = \"Winter.\""
        ),
        "{text}"
    );
    // again on the same path: the amendment says the result
    let run = folder.run(&["set", "item/eel", "value=9", "--mod", "long-night"]);
    assert_eq!(run.code, 0, "{run:?}");
    let text = folder.read("mods/long-night/amendments/item.toml");
    assert!(text.contains("set = { value = 9 }") && !text.contains("multiply"), "{text}");
    let run = folder.run(&["set", "item/eel", "--unset", "value", "--unset", "tags", "--mod", "long-night"]);
    assert_eq!(run.code, 0, "{run:?}");
    assert_eq!(folder.read("mods/long-night/amendments/item.toml"), "amendments = 1\n");
    // an own definition: the file itself, and only the line
    let own = folder.read("mods/long-night/goods/wicks.json");
    let run = folder.run(&["set", "item/long-wick", "value:=value * 2 + 1", "--mod", "long-night"]);
    assert_eq!(run.code, 0, "{run:?}");
    assert_eq!(folder.read("mods/long-night/goods/wicks.json"), own.replace("\"value\": 4", "\"value\": 9"));
    let run = folder.run(&[
        "set",
        "item/long-wick",
        "tags-=craft",
        "smell.strength=1",
        "smell.kind=sharp",
        "--mod",
        "long-night",
    ]);
    assert_eq!(run.code, 0, "{run:?}");
    let text = folder.read("mods/long-night/goods/wicks.json");
    assert!(text.contains("\"tags\": [\"light\"],\n    \"smell\": {") && text.contains("\"strength\": 1"), "{text}");
    assert_eq!(folder.all("base"), before, "the base is never written to");
    assert_eq!(folder.run(&["check", "--mod", "long-night"]).code, 0);
}

#[test]
fn set_refuses_what_does_not_fit_and_writes_nothing() {
    let folder = Folder::demo();
    let before = folder.all(".");
    for (line, code, reason) in [
        (vec!["set", "item/eel", "value=much"], 3, "`value` takes a whole number from 0 to 500, not `much`"),
        (vec!["set", "item/eel", "value=9000"], 3, "`value` takes a whole number from 0 to 500, not 9000"),
        (vec!["set", "item/eel", "valeu=9"], 3, "the nearest known field is `value`"),
        (vec!["set", "item/eel", "tags+=fule"], 3, "there is no tag `fule`"),
        (vec!["set", "item/eel", "tags+=food"], 3, "`food` is there already"),
        (vec!["set", "item/eel", "tags-=tool"], 3, "its entries are food, wet"),
        (vec!["set", "item/eel", "smell.kind=smokey"], 3, "the nearest allowed word is `smoky`"),
        (vec!["set", "item/eels", "value=1"], 3, "the nearest known one is `item/eel`"),
        (vec!["set", "item/eel", "--unset", "icon"], 3, "the game has no notation for this change"),
        (vec!["set", "item/eel", "value=1", "--mod", "base"], 3, "the base game is never written to"),
        (vec!["set", "item/eel", "value"], 2, "`value` is no assignment"),
        (vec!["set", "item/eel"], 2, "what is to change?"),
        (vec!["set", "item/long-wick", "value=1", "--mod", "first-steps"], 3, "which `first-steps` does not require"),
        (vec!["set", "item/eel", "value:=weight +"], 3, "is no expression"),
        (vec!["set", "item/eel", "value=1", "weight=heavy"], 3, "`weight` takes a number"),
    ] {
        let run = folder.run(&line);
        assert_eq!((run.code, run.out.as_str()), (code, ""), "{line:?} {}", run.err);
        assert!(run.err.contains(reason), "{line:?}: {}", run.err);
        assert_eq!(folder.all("."), before, "{line:?}");
    }
}

#[test]
fn set_can_show_the_change_and_add_a_requirement() {
    let folder = Folder::demo();
    let before = folder.all(".");
    let run = folder.run(&["set", "station/hearth", "room=3", "--dry-run", "--mod", "long-night", "--color", "never"]);
    assert_eq!((run.code, run.err.as_str()), (0, "nothing was written\n"));
    let begin = "station/hearth room: 2 → 3 paces\n--- /dev/null\n+++ mods/long-night/amendments/station.toml\n";
    assert!(run.out.starts_with(begin), "{}", run.out);
    assert!(run.out.contains("+set = { room = 3 }"), "{}", run.out);
    assert_eq!(folder.all("."), before);
    folder.put(
        "mods/third/mod.json",
        "{\n  \"id\": \"third\",\n  \"title\": \"Third\",\n  \"version\": \"1.0\",\n  \"made_for\": \"1.2\"\n}\n",
    );
    let run = folder.run(&["set", "item/long-wick", "value=5", "--mod", "third", "--require"]);
    assert_eq!(run.code, 0, "{run:?}");
    assert!(folder.read("mods/third/mod.json").contains("\"made_for\": \"1.2\",\n  \"needs\": [\"long-night\"]\n}"));
    let run = folder.run(&["check", "--mod", "third"]);
    assert_eq!(run.code, 0, "{run:?}");
}

#[test]
fn build_writes_what_the_game_reads_into_an_empty_folder() {
    let folder = Folder::demo();
    let run = folder.run(&["build", "--mod", "long-night", "--color", "never"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    assert!(run.out.starts_with("built long-night into build/long-night: 8 files\n"), "{}", run.out);
    let paths: Vec<String> = folder.all("build/long-night").into_iter().map(|(path, _)| path).collect();
    assert_eq!(
        paths,
        [
            "beasts/long-night-changes.json",
            "crafts/long-night-changes.json",
            "goods/long-night-changes.json",
            "goods/wicks.json",
            "mod.json",
            "stations/lamp-bench.json",
            "stocks/long-night-changes.json",
            "texts/names.csv"
        ]
    );
    assert_eq!(folder.read("build/long-night/goods/wicks.json"), folder.read("mods/long-night/goods/wicks.json"));
    assert!(
        folder
            .read("build/long-night/goods/long-night-changes.json")
            .contains("\"fen-lamp\": {\n    \"burn_minutes\": 300\n  }")
    );
    let again = folder.run(&["build", "--mod", "long-night", "--color", "never"]);
    assert_eq!((again.code, again.out), (0, run.out.replacen("8 files", "8 files, as they were", 1)));
    let faulty = folder.run(&["build", "--mod", "first-steps", "--out", "out"]);
    assert_eq!(faulty.code, 1, "{faulty:?}");
    assert!(faulty.out.contains("37 errors") && folder.file("out/mod.json").exists(), "{}", faulty.out);
}

#[test]
fn the_built_mod_shows_the_same_as_its_amendments() {
    let folder = Folder::demo();
    let shown = |address: &str| {
        let json = folder.run(&["show", address, "--format", "json"]).json();
        let values = json["values"].as_array().unwrap().iter();
        let mut values: Vec<String> = values.map(|v| format!("{}={}", v["path"], v["value"])).collect();
        values.sort();
        values
    };
    let addresses = [
        "item/lamp-oil",
        "recipe/press-oil",
        "unit/reed-lurker",
        "unit/fen-hound",
        "station/lamp-bench",
        "item/charcoal",
    ];
    let before: Vec<_> = addresses.iter().map(|address| shown(address)).collect();
    assert_eq!(folder.run(&["build", "--mod", "long-night", "--out", "built"]).code, 0);
    std::fs::remove_dir_all(folder.file("mods/long-night")).unwrap();
    std::fs::rename(folder.file("built"), folder.file("mods/long-night")).unwrap();
    let after: Vec<_> = addresses.iter().map(|address| shown(address)).collect();
    assert_eq!(before, after);
    assert_eq!(folder.run(&["check", "--mod", "long-night"]).code, 0);
}

#[test]
fn mods_are_listed_and_put_into_order() {
    let folder = Folder::demo();
    let run = folder.run(&["mods", "--color", "never"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    let first: Vec<&str> = run.out.lines().map(|line| line.split_whitespace().next().unwrap()).collect();
    assert_eq!(
        first,
        [
            "base",
            "long-night",
            "smoke-and-salt",
            "tidegate",
            "tidegate+long-night",
            "lean-winter",
            "rope-and-oil",
            "first-steps"
        ]
    );
    assert!(run.out.contains("edited"));
    let dry = folder.run(&["mods", "order", "first-steps", "--first", "--dry-run", "--color", "never"]);
    assert!(
        dry.out.contains("+order = [\"first-steps\", \"long-night\", \"smoke-and-salt\", \"tidegate\", \"lean-winter\", \"rope-and-oil\"]"),
        "{}",
        dry.out
    );
    let run = folder.run(&["mods", "order", "first-steps", "--first", "--color", "never"]);
    assert_eq!(
        (run.code, run.out.as_str()),
        (
            0,
            "load order: base, first-steps, long-night, smoke-and-salt, tidegate, tidegate+long-night, lean-winter, rope-and-oil\n"
        )
    );
    let order = "order = [\"first-steps\", \"long-night\", \"smoke-and-salt\", \"tidegate\", \"lean-winter\", \"rope-and-oil\"]\nedit = \"first-steps\"";
    assert!(folder.read("cognomen.toml").contains(order));
    let run = folder.run(&["mods", "order", "first-step"]);
    assert_eq!(
        (run.code, run.err.as_str()),
        (3, "error: there is no mod `first-step` here\n  help: the nearest one is `first-steps`\n")
    );
}

#[test]
fn kinds_lists_kinds_and_fields() {
    let folder = Folder::demo();
    let run = folder.run(&["kinds", "--format", "json"]);
    let json = run.json();
    let kinds: Vec<&str> = json["kinds"].as_array().unwrap().iter().map(|k| k["kind"].as_str().unwrap()).collect();
    assert_eq!(kinds, ["trait", "unit", "spawn", "recipe", "station", "item", "tag", "stock", "remedy", "kit"]);
    let run = folder.run(&["kinds", "item", "--color", "never"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    let text = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    let field = "keeps_days a whole number from 1 to 400, days or 400 as 200 How long it stays good.";
    assert!(text.contains(field), "{text}");
    let run = folder.run(&["kinds", "itme"]);
    assert_eq!(
        (run.code, run.err.as_str()),
        (3, "error: there is no kind `itme`\n  help: the nearest one is `item`\n")
    );
}

#[test]
fn explain_knows_every_code_and_the_rules_own() {
    let folder = Folder::demo();
    let run = folder.run(&["explain", "leads-nowhere", "--color", "never"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    assert!(run.out.starts_with("leads-nowhere  error  a reference to something that is not there\n"), "{}", run.out);
    let run = folder.run(&["explain", "flees-unhurt", "--color", "never"]);
    assert!(run.out.contains("stats.flee_at < stats.vigour") && run.code == 0, "{run:?}");
    let run = folder.run(&["explain", "lead-nowhere"]);
    assert_eq!(
        (run.code, run.err.as_str()),
        (2, "error: there is no code `lead-nowhere`\n  help: the nearest is `leads-nowhere`\n")
    );
    assert!(folder.run(&["explain"]).out.lines().count() >= 20);
}

#[test]
fn init_starts_a_workspace_that_checks() {
    let folder = Folder::empty();
    folder.put("data/items/all.json", "{ \"pot\": { \"price\": 3 } }\n");
    let run = folder.run(&["init", "--base", "data"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    assert!(run.out.contains("drafted from the data: 1 kind, 1 definition\n"), "{}", run.out);
    let check = folder.run(&["check"]);
    assert_eq!(check.code, 0, "{check:?}");
    assert!(check.out.starts_with("no findings in 1 definition in 1 layer"), "{}", check.out);
    assert_eq!(folder.run(&["init"]).code, 3);
    let nowhere = Folder::empty().run(&["check"]);
    assert_eq!((nowhere.code, nowhere.out.as_str()), (3, ""));
    assert!(nowhere.err.contains("`cognomen init` starts a workspace"), "{}", nowhere.err);
}

#[test]
fn demo_writes_the_workspace_and_walks_the_whole_loop() {
    let folder = Folder::empty();
    let run = folder.run(&["demo", "fen", "--color", "never"]);
    assert_eq!((run.code, run.err.is_empty()), (0, false), "{run:?}");
    for part in [
        "$ cognomen find lamp --kind item",
        "$ cognomen show item/lamp-oil",
        "made the mod wick-and-flame, and it is edited now",
        "item/fen-lamp value: 32 → 48",
        "error[type-mismatch]",
        "error[leads-nowhere]: there is no tag `lihgt`",
        "item/storm-lamp weight: \"4\" → 4",
        "no findings in `wick-and-flame`",
        "built wick-and-flame into build/wick-and-flame",
        "That was the loop.",
    ] {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    assert_eq!(folder.run(&["check", "--workspace", "fen", "--mod", "wick-and-flame"]).code, 0);
    let again = folder.run(&["demo", "fen"]);
    assert_eq!(again.code, 3, "{again:?}");
}

#[test]
fn broken_workspaces_are_told_apart_and_named_by_line() {
    for (text, message) in [
        ("cognomen = 2\n", "cognomen.toml:1: `cognomen = 2` is a format that this version of Cognomen does not know"),
        (
            "cognomen = 1\nrulebok = \"x\"\n",
            "cognomen.toml:2: `cognomen.toml` has no key `rulebok` (the nearest known key is `rulebook`)",
        ),
        ("cognomen = 1\nrulebook = \"r.toml\"\nbase = \"b\"\nmods = \"m\"\n", "the rulebook `r.toml` is not there"),
        ("cognomen = \n", "cognomen.toml:1: "),
    ] {
        let folder = Folder::empty();
        folder.put("cognomen.toml", text);
        let run = folder.run(&["check"]);
        assert_eq!((run.code, run.out.as_str()), (3, ""), "{text}");
        assert!(run.err.contains(message), "{text}: {}", run.err);
    }
}

#[test]
fn a_broken_rulebook_is_the_only_thing_that_is_said() {
    let folder = Folder::demo();
    let text = folder.read("rulebook/goods.toml");
    folder.put("rulebook/goods.toml", &format!("{text}\nx = [\n"));
    let run = folder.run(&["check", "--short", "--color", "never"]);
    assert_eq!(run.code, 1);
    let lines: Vec<&str> = run.out.lines().collect();
    assert!(lines.iter().rev().skip(1).all(|line| line.starts_with("rulebook/goods.toml:")), "{}", run.out);
    let run = folder.run(&["show", "item/eel"]);
    assert_eq!((run.code, run.out.as_str()), (3, ""));
    assert_eq!(run.err, "error: the rulebook cannot be read\n  help: `cognomen check` says where\n");
    let run = Folder::demo().run(&["set", "recipe/boil-jam", "minutes=80"]);
    assert_eq!(run.code, 3);
    assert!(
        run.err.starts_with("error: mods/first-steps/crafts/jam.json: the file cannot be read without faults"),
        "{}",
        run.err
    );
}

#[test]
fn strange_files_give_findings_and_never_a_crash() {
    let folder = Folder::demo();
    std::fs::write(folder.file("mods/long-night/goods/binary.json"), [0xff, 0xfe, 0, 1, 2]).unwrap();
    folder.put("mods/long-night/goods/deep.json", &"[".repeat(50_000));
    folder.put("mods/long-night/goods/empty.json", "");
    folder.put(
        "mods/long-night/goods/escape.json",
        "{ \"\\u001b[31mred\": { \"value\": 1, \"weight\": 1, \"tags\": [] } }",
    );
    let run = folder.run(&["check", "--mod", "long-night", "--color", "never"]);
    assert_eq!(run.code, 1);
    for part in ["not UTF-8: the byte at offset 0", "nested deeper than 256 levels", "the file is empty"] {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    let run = folder.run(&["find", "red", "--layer", "long-night", "--color", "never"]);
    assert!(run.out.contains("\\u{1b}[31mred") && !run.out.contains('\u{1b}'), "{:?}", run.out);
}

#[test]
fn help_pages_end_with_examples() {
    let folder = Folder::empty();
    for command in [
        "demo",
        "init",
        "mods",
        "state",
        "kinds",
        "find",
        "show",
        "links",
        "compare",
        "spread",
        "note",
        "new",
        "copy",
        "undo",
        "set",
        "check",
        "explain",
        "build",
        "completions",
    ] {
        let run = folder.run(&[command, "--help"]);
        assert_eq!((run.code, run.err.as_str()), (0, ""));
        let at = run.out.find("Examples:").unwrap_or_else(|| panic!("{command} has no examples"));
        assert!(run.out[at..].matches("cognomen").count() >= 2, "{command}");
    }
    let run = folder.run(&["chekc"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains("'check'"), "{}", run.err);
}
