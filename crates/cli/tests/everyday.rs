//! The everyday commands: looking around, making, remarking, accepting, taking back.
#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing, clippy::expect_used)]

mod common;

use common::{Folder, Run};

fn well(run: &Run) -> &Run {
    assert_eq!(run.code, 0, "{run:?}");
    run
}

/// The ends of links in one direction, with how they link.
fn ends(run: &Run, direction: &str) -> Vec<String> {
    let json = run.json();
    let end = |link: &serde_json::Value| {
        format!("{} {}", link["end"].as_str().unwrap(), link["what"].as_str().or(link["how"].as_str()).unwrap())
    };
    json[direction].as_array().unwrap().iter().map(end).collect()
}

#[test]
fn links_go_both_ways_through_tags_amendments_texts_and_files() {
    let folder = Folder::demo();
    let of = |what: &str| folder.run(&["links", what, "--format", "json"]);
    let brick = of("item/peat-brick");
    let uses = ends(&brick, "uses");
    for wanted in ["tag/slow-fuel names", "item.peat-brick.name (en) implies", "art/icons/peat-brick.png names"] {
        assert!(uses.iter().any(|end| end == wanted), "{wanted} in {uses:?}");
    }
    let used = ends(&brick, "used_by");
    for wanted in ["recipe/smoke-eel names", "recipe/fire-jug tag/slow-fuel", "recipe/brew-ale tag/fuel"] {
        assert!(used.iter().any(|end| end == wanted), "{wanted} in {used:?}");
    }
    // an amendment with a condition counts where it holds
    assert!(used.contains(&"amendments/winter.toml amends".to_owned()), "{used:?}");
    assert!(ends(&of("item/eel"), "used_by").contains(&"item/eel-smoked inherits".to_owned()));
    assert_eq!(ends(&of("item.warms"), "used_by").len(), 6);
    assert!(ends(&of("art/icons/straw-hat.png"), "used_by").contains(&"item/straw-hat names".to_owned()));
    assert_eq!(ends(&of("item.eel.name"), "used_by"), ["item/eel implies"]);
    assert!(ends(&of("autumn"), "used_by").contains(&"recipe/ret-flax \"autumn\"".to_owned()));
    assert!(ends(&of("art/stations/hearth.png"), "used_by").contains(&"station/hearth implies".to_owned()));
    let human = folder.run(&["links", "tag/preserved", "--used-by", "--color", "never"]);
    assert_eq!((human.code, human.err.as_str()), (0, ""));
    assert!(human.out.starts_with("tag/preserved  Preserves: used in"), "{}", human.out);
    assert!(!human.out.contains("\nuses\n") && human.out.contains("has it as a member"), "{}", human.out);
    let none = folder.run(&["links", "item/eeel"]);
    assert_eq!((none.code, none.out.as_str()), (3, ""));
    assert!(none.err.contains("the nearest known one is `item/eel`"), "{}", none.err);
}

#[test]
fn compare_puts_differences_first() {
    let folder = Folder::demo();
    let run = folder.run(&["compare", "unit/marsh-boar", "unit/bog-sow", "--color", "never"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    let lines: Vec<&str> = run.out.lines().collect();
    assert!(lines[0].starts_with("3 fields of "), "{}", run.out);
    let fields: Vec<&str> = lines[4..7].iter().map(|line| line.split_whitespace().next().unwrap()).collect();
    assert_eq!(fields, ["stats.vigour", "stats.nerve", "kin"], "{}", run.out);
    let json = folder.run(&["compare", "marsh-boar", "bog-sow", "--differences", "--format", "json"]).json();
    assert_eq!(json["rows"].as_array().unwrap().len(), 3);
    let same = folder.run(&["compare", "item/eel", "item/eel", "--color", "never"]);
    assert!(same.out.starts_with("item/eel and item/eel have the same in all"), "{}", same.out);
}

#[test]
fn spread_says_what_is_comparable_and_where_the_marked_one_stands() {
    let folder = Folder::demo();
    let run = folder.run(&["spread", "item.value", "--mark", "item/eel-keg", "--color", "never"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""));
    // the members of the tag, not all items; its own mod's tags count
    assert!(run.out.starts_with("item in tag/"), "{}", run.out);
    assert!(run.out.contains("item/eel-keg has 56 groats: more than all 8"), "{}", run.out);
    let json = folder.run(&["spread", "item.burn_minutes", "--among", "tag/fuel", "--format", "json"]).json();
    let series = &json["series"][0];
    assert_eq!((&series["least"], &series["most"]), (&20.0.into(), &240.0.into()));
    assert_eq!(series["count"].as_u64(), Some(8));
    let bars: u64 = series["histogram"].as_array().unwrap().iter().map(|bin| bin["count"].as_u64().unwrap()).sum();
    assert_eq!(bars, 8);
    // both ends of a range
    let json = folder.run(&["spread", "spawn.entries[].number", "--format", "json"]).json();
    let fields: Vec<&str> = json["series"].as_array().unwrap().iter().map(|s| s["field"].as_str().unwrap()).collect();
    assert_eq!(fields, ["entries[].number[0]", "entries[].number[1]"]);
    let bold = folder.run(&["spread", "unit.stats.bite", "--among", "traits=skittish", "--color", "never"]);
    assert!(bold.out.starts_with("unit whose traits is skittish, 3 definitions"), "{}", bold.out);
    for (field, message) in [
        ("item.valeu", "help: the nearest known one is `item.value`"),
        ("item.tags", "`tags` holds no numbers"),
        ("item.icon", "`icon` holds no numbers"),
    ] {
        let run = folder.run(&["spread", field]);
        assert_eq!((run.code, run.out.as_str()), (3, ""), "{field}");
        assert!(run.err.contains(message), "{field}: {}", run.err);
    }
    assert_eq!(folder.run(&["spread", "value"]).code, 2);
}

#[test]
fn notes_are_shown_wherever_their_subject_is() {
    let folder = Folder::demo();
    well(&folder.run(&["note", "item/eel", "sells best in autumn"]));
    well(&folder.run(&["note", "item.value", "in groats, not in coins"]));
    assert!(folder.read("notes.toml").contains("\"item/eel\" = \"sells best in autumn\""));
    for line in
        [vec!["show", "item/eel"], vec!["find", "eel", "--kind", "item"], vec!["links", "item/eel"], vec!["note"]]
    {
        let run = folder.run(&line);
        assert!(run.out.contains("sells best in autumn"), "{line:?}: {}", run.out);
    }
    for line in [vec!["kinds", "item"], vec!["show", "item/salt"], vec!["spread", "item.value"]] {
        assert!(folder.run(&line).out.contains("in groats, not in coins"), "{line:?}");
    }
    // in a finding about that field
    assert!(
        folder
            .run(&["check", "--mod", "first-steps", "--code", "type-mismatch"])
            .out
            .contains("in groats, not in coins")
    );
    folder.put("ids.csv", "what,note\nitem/salt,grey is cheaper\nitem/nothing,gone\nunit.stats.flee_at,0 never\n");
    let run = folder.run(&["note", "--import", "ids.csv"]);
    assert_eq!((well(&run).err.as_str()), "row 3: there is no `item/nothing`; left out\n");
    let json = folder.run(&["note", "--format", "json"]).json();
    assert_eq!(json["notes"].as_array().unwrap().len(), 4);
    well(&folder.run(&["note", "item/eel", "--remove"]));
    let gone = folder.run(&["note", "item/eel", "--remove"]);
    assert_eq!((gone.code, gone.err.as_str()), (3, "error: there is no note on `item/eel`\n"));
    assert_eq!(folder.run(&["note", "item/eeel", "x"]).code, 3);
}

#[test]
fn copy_inherits_or_states_everything_and_copies_texts() {
    let folder = Folder::demo();
    well(&folder.run(&["mods", "new", "wick", "--name", "Wick"]));
    let run =
        folder.run(&["copy", "item/fen-lamp", "storm-lamp", "value*=2", "--name", "Storm lamp", "--color", "never"]);
    assert!(well(&run).out.starts_with("made item/storm-lamp, from item/fen-lamp\n"), "{}", run.out);
    let text = folder.read("mods/wick/goods/wick.json");
    assert!(text.contains("\"based_on\": \"fen-lamp\"") && text.contains("\"value\": 64"), "{text}");
    assert!(!text.contains("weight"), "only what differs: {text}");
    assert_eq!(folder.read("mods/wick/texts/names.csv"), "key,en\nitem.storm-lamp.name,Storm lamp\n");
    // the second one goes into the same files
    let run = folder.run(&["copy", "item/fen-lamp", "low-lamp", "--whole", "weight=1"]);
    let text = folder.read("mods/wick/goods/wick.json");
    assert!(well(&run).out.contains("made") && text.contains("\"low-lamp\": {\n    \"value\": 32"), "{text}");
    assert!(folder.read("mods/wick/texts/names.csv").contains("item.low-lamp.name,Fen lamp"));
    // which the check takes for a leftover until it has a name of its own
    let found = folder.run(&["check", "--mod", "wick", "--format", "json"]).json();
    let codes: Vec<&str> = found["findings"].as_array().unwrap().iter().map(|f| f["code"].as_str().unwrap()).collect();
    assert!(codes.contains(&"copy-leftover") && codes.contains(&"nothing-leads-there"), "{codes:?}");
    let taken = folder.run(&["copy", "item/eel", "pike"]);
    assert_eq!((taken.code, taken.out.as_str()), (3, ""));
    assert!(taken.err.contains("`item/pike` is there already, from base"), "{}", taken.err);
    let wrong = folder.run(&["copy", "item/eel", "Big Eel"]);
    assert!(wrong.err.contains("cannot be the id of an item"), "{}", wrong.err);
    assert_eq!(folder.run(&["copy", "item/eel", "eel-two", "valeu=3"]).code, 3);
    let recipe = folder.run(&["copy", "recipe/boil-salt", "boil-more", "--inherit"]);
    assert!(recipe.err.contains("a recipe cannot inherit; copy it with `--whole`"), "{}", recipe.err);
}

#[test]
fn copy_takes_along_what_is_owned_and_says_what_is_shared_and_dropped() {
    let folder = Folder::demo();
    well(&folder.run(&["mods", "new", "king"]));
    let run =
        folder.run(&["copy", "unit/marsh-boar", "fen-king", "--with", "traits", "stats.vigour=50", "--color", "never"]);
    assert!(well(&run).out.contains("made trait/fen-king-thick-hide, from trait/thick-hide"), "{}", run.out);
    assert!(run.out.contains("shared with the original by `drops`: item/tallow, item/bog-oak"), "{}", run.out);
    let text = folder.read("mods/king/beasts/king.json");
    assert!(text.contains("\"traits\": [\"fen-king-thick-hide\"]"), "{text}");
    assert!(folder.read("mods/king/traits/king.json").contains("\"fen-king-thick-hide\": {"));
    let kit = folder.run(&["copy", "kit/turf-cutter", "ditcher", "order=9", "--color", "never"]);
    assert!(well(&kit).out.contains("left out, since no two may share it: `order`"), "{}", kit.out);
    let starts = folder.run(&["copy", "unit/bog-sow", "fen-queen", "--starts", "--color", "never"]);
    let lines: Vec<&str> = well(&starts).out.lines().collect();
    assert_eq!(lines[1], "  inheriting from unit/bog-sow: nothing");
    assert!(
        lines[2].starts_with("  inheriting from unit/marsh-boar: 2 fields: stats.vigour, stats.nerve"),
        "{}",
        starts.out
    );
    assert!(lines[3].starts_with("  whole: 15 fields"), "{}", starts.out);
    assert!(!folder.read("mods/king/beasts/king.json").contains("fen-queen"), "--starts writes nothing");
}

#[test]
fn new_needs_what_must_be_there_from_arguments_a_model_or_answers() {
    let folder = Folder::demo();
    well(&folder.run(&["mods", "new", "wick"]));
    let bare = folder.run(&["new", "item/amber"]);
    assert_eq!((bare.code, bare.out.as_str()), (3, ""));
    assert!(bare.err.contains("an item needs `value`, `weight`, `tags` as well"), "{}", bare.err);
    let run = folder.run(&["new", "item/amber", "value=30", "weight=0.1", "tags=craft", "--name", "Amber"]);
    assert!(well(&run).out.starts_with("made"), "{}", run.out);
    let text = folder.read("mods/wick/goods/wick.json");
    assert_eq!(
        text,
        "{\n  \"amber\": {\n    \"value\": 30,\n    \"weight\": 0.1,\n    \"tags\": [\"craft\"]\n  }\n}\n"
    );
    well(&folder.run(&["new", "item/jet", "--like", "item/amber", "value=20"]));
    assert!(folder.read("mods/wick/goods/wick.json").contains("\"jet\": {\n    \"value\": 20,\n    \"weight\": 0.1"));
    let asked = folder.run_with(&["new", "item/flint", "--ask", "tags=craft"], "3 groats\n3\n0.5\n");
    assert_eq!(asked.code, 0, "{asked:?}");
    assert!(
        asked.err.contains("value: a whole number from 0 to 500, groats — Price at an indifferent trader."),
        "{}",
        asked.err
    );
    assert!(folder.read("mods/wick/goods/wick.json").contains("\"flint\": {\n    \"tags\""), "{asked:?}");
    let short = folder.run_with(&["new", "item/chalk", "--ask"], "3\n");
    assert!(short.code == 3 && short.err.contains("nothing was written"), "{short:?}");
    let wrong = folder.run(&["new", "item/chalk", "value=many", "weight=1", "tags=craft"]);
    assert!(
        wrong.err.contains("`value` takes a whole number from 0 to 500, groats, not `many`")
            || wrong.err.contains("takes a whole number"),
        "{}",
        wrong.err
    );
    // a definition that is a file of its own, and one in a list with its id as a field
    well(&folder.run(&["new", "station/kiln", "about=Hot.", "room=3", "build=[{\"what\":\"clay\",\"amount\":9}]"]));
    assert!(folder.read("mods/wick/stations/kiln.json").contains("\"room\": 3"));
    well(&folder.run(&["copy", "recipe/fire-jug", "fire-lamp", "at=kiln"]));
    assert!(
        folder
            .read("mods/wick/crafts/wick.json")
            .starts_with("[\n  {\n    \"id\": \"fire-lamp\",\n    \"at\": \"kiln\"")
    );
}

#[test]
fn mods_are_made_and_renamed_with_all_that_names_them() {
    let folder = Folder::demo();
    let run = folder.run(&["mods", "new", "flood", "--requires", "tidegate", "by=us", "--color", "never"]);
    assert!(well(&run).out.starts_with("made the mod flood, and it is edited now\n"), "{}", run.out);
    let manifest = folder.read("mods/flood/mod.json");
    for part in ["\"title\": \"Flood\"", "\"made_for\": \"1.2\"", "\"by\": \"us\"", "\"needs\": [\"tidegate\"]"] {
        assert!(manifest.contains(part), "{part}: {manifest}");
    }
    assert!(folder.read("cognomen.toml").contains("\"flood\"]\nedit = \"flood\""));
    assert_eq!(folder.run(&["check", "--mod", "flood"]).code, 0);
    for (id, message) in
        [("Flood", "there is a mod `flood` already"), ("a/b", "cannot name a folder"), ("base", "already")]
    {
        let run = folder.run(&["mods", "new", id]);
        assert_eq!((run.code, run.out.as_str()), (3, ""), "{id}");
        assert!(run.err.contains(message), "{id}: {}", run.err);
    }
    let before = folder.all("mods");
    let run = folder.run(&["mods", "rename", "tidegate", "sea-gate", "--color", "never"]);
    assert!(well(&run).out.starts_with("tidegate is now sea-gate; flood requires it so\n"), "{}", run.out);
    assert!(folder.read("mods/flood/mod.json").contains("\"needs\": [\"sea-gate\"]"));
    assert!(folder.read("cognomen.toml").contains("\"sea-gate\""));
    assert!(!folder.file("mods/tidegate").exists() && folder.file("mods/sea-gate/goods/gate.json").exists());
    assert_eq!(folder.run(&["check", "--mod", "sea-gate"]).code, 0);
    well(&folder.run(&["undo"]));
    assert_eq!(folder.all("mods"), before);
}

#[test]
fn undo_goes_back_step_by_step_and_redo_forward() {
    let folder = Folder::demo();
    let before = folder.all("mods");
    let nothing = folder.run(&["undo"]);
    assert_eq!((nothing.code, nothing.err.as_str()), (3, "error: there is no change to take back\n"));
    well(&folder.run(&["set", "item/eel", "value=5", "--mod", "long-night"]));
    let changed = folder.all("mods");
    let dry = folder.run(&["undo", "--dry-run", "--color", "never"]);
    assert!(dry.out.contains("-of = \"item/eel\"") && dry.err.contains("takes back: set item/eel"), "{dry:?}");
    let run = folder.run(&["undo"]);
    assert!(well(&run).out.starts_with("taken back: set item/eel value=5\n"), "{}", run.out);
    assert_eq!(folder.all("mods"), before);
    assert!(folder.run(&["undo"]).err.contains("there is no change to take back"));
    let run = folder.run(&["redo"]);
    assert!(well(&run).out.starts_with("brought again: set item/eel value=5\n"), "{}", run.out);
    assert_eq!(folder.all("mods"), changed);
    // three steps back and three forward, and what is done meanwhile takes the place of the rest
    let mut states = vec![changed.clone()];
    for line in [
        &["set", "item/eel", "value=6"][..],
        &["new", "item/reed-flute", "--like", "item/jug"],
        &["note", "item/eel", "dear"],
    ] {
        well(&folder.run(&[line, &["--mod", "long-night"]].concat()));
        states.push(folder.all("mods"));
    }
    let listed = folder.run(&["undo", "--list", "--color", "never"]);
    let first: Vec<&str> = listed.out.lines().filter_map(|line| line.split("  ").nth(1)).collect();
    assert!(listed.out.starts_with("`undo` takes back  note on item/eel"), "{}", listed.out);
    assert_eq!(first.len(), 4, "{}", listed.out);
    for before in states.iter().rev().skip(1) {
        well(&folder.run(&["undo"]));
        assert_eq!(folder.all("mods"), *before);
    }
    for after in states.iter().skip(1) {
        well(&folder.run(&["redo"]));
        assert_eq!(folder.all("mods"), *after);
    }
    assert!(folder.run(&["redo"]).err.contains("there is no change to bring again"));
    well(&folder.run(&["undo"]));
    well(&folder.run(&["undo"]));
    well(&folder.run(&["set", "item/pike", "value=9", "--mod", "long-night"]));
    assert!(folder.run(&["redo"]).err.contains("there is no change to bring again"));
    let steps = folder.run(&["undo", "--list", "--format", "json"]).json();
    let what: Vec<&str> =
        steps["steps"].as_array().unwrap().iter().map(|step| step["what"].as_str().unwrap()).collect();
    assert_eq!(what, ["set item/pike value=9", "set item/eel value=6", "set item/eel value=5"]);
    well(&folder.run(&["undo"]));
    well(&folder.run(&["undo"]));
    folder.put("mods/long-night/amendments/item.toml", "amendments = 1\n");
    let moved_on = folder.run(&["undo"]);
    assert_eq!(moved_on.code, 3, "{moved_on:?}");
    assert!(moved_on.err.contains("was changed on disk meanwhile"), "{}", moved_on.err);
}

#[test]
fn what_has_one_answer_is_mended_and_the_build_and_undo_go_with_it() {
    let folder = Folder::demo();
    let before = folder.all("mods");
    let check = folder.run(&["check", "--mod", "first-steps"]);
    assert!(check.err.contains("`cognomen check --mod first-steps --fix` mends that"), "{}", check.err);
    let dry = folder.run(&["check", "--mod", "first-steps", "--fix", "--dry-run"]);
    assert_eq!((dry.code, dry.err.contains("nothing was written")), (1, true), "{dry:?}");
    assert!(dry.out.contains("-of = \"item/lamp-oyl\"\n+of = \"item/lamp-oil\""), "{}", dry.out);
    assert_eq!(folder.all("mods"), before);
    let fixed = folder.run(&["check", "--mod", "first-steps", "--fix", "--color", "never"]);
    assert!(fixed.code == 1 && fixed.out.starts_with("mended 16 findings in `first-steps`"), "{fixed:?}");
    assert!(fixed.out.contains("good/lantern.json:1  it goes to `goods/lantern.json`"), "{}", fixed.out);
    // what was left is what check finds now, and nothing of it has one answer
    let left = folder.run(&["check", "--mod", "first-steps", "--format", "json"]).json();
    let said = fixed.out.lines().find(|line| line.starts_with("left for you")).unwrap();
    assert!(said.contains(&format!("{} errors", left["errors"])), "{said}");
    assert!(left["findings"].as_array().unwrap().iter().all(|found| found["fix"].is_null()), "{left}");
    let none = folder.run(&["check", "--mod", "first-steps", "--fix"]);
    assert!(none.out.starts_with("nothing in `first-steps` has only one answer"), "{}", none.out);
    assert_eq!(folder.run(&["build", "--mod", "first-steps"]).code, 1);
    assert!(folder.read("build/first-steps/goods/lantern.json").contains("paper-lantern"));
    well(&folder.run(&["undo"]));
    assert_eq!(folder.all("mods"), before);
    // the base is nobody's to mend, and a difference wants something that writes
    assert_eq!(folder.run(&["check", "--mod", "base", "--fix"]).code, 3);
    assert_eq!(folder.run(&["check", "--dry-run"]).code, 2);
}

#[test]
fn a_cause_says_how_much_follows_from_it() {
    let folder = Folder::demo();
    let path = "mods/smoke-and-salt/goods/preserves.json";
    folder.put(path, &folder.read(path).replace("\"based_on\": \"eel\"", "\"based_on\": \"eel-of-old\""));
    let found = folder.run(&["check", "--mod", "smoke-and-salt", "--format", "json"]).json();
    let all = found["findings"].as_array().unwrap();
    assert_eq!((all.len(), &all[0]["code"], &all[0]["follows"]), (1, &"parent-lacking".into(), &1.into()), "{found}");
    let drawn = folder.run(&["check", "--mod", "smoke-and-salt", "--color", "never"]);
    assert!(drawn.out.contains("note: 1 more follows from it, not told by itself"), "{}", drawn.out);
}

#[test]
fn many_links_are_summed_up() {
    let folder = Folder::demo();
    let short = folder.run(&["links", "tag/food", "--used-by", "--color", "never"]).out;
    assert!(!short.contains("more:"), "{short}");
    let item = |nth: usize| format!("\"crumb-{nth}\": {{ \"value\": 1, \"weight\": 1, \"tags\": [\"food\"] }}");
    let items: Vec<String> = (0..90).map(item).collect();
    folder.put("mods/first-steps/goods/crumbs.json", &format!("{{ {} }}", items.join(",\n")));
    let told = folder.run(&["links", "tag/food", "--used-by", "--color", "never"]).out;
    let lines: Vec<&str> = told.lines().collect();
    let all: usize = lines[0].split("used in ").nth(1).unwrap().split(' ').next().unwrap().parse().unwrap();
    let sorts: Vec<&&str> = lines.iter().skip(3).take_while(|line| !line.is_empty()).collect();
    let number = |line: &&&str| line.split_whitespace().next().unwrap().parse::<usize>().unwrap();
    assert_eq!(sorts.iter().map(number).sum::<usize>(), all, "{told}");
    assert!(sorts[0].contains("item") && sorts[0].contains("tags[]"), "{told}");
    assert!(
        told.ends_with(&format!("and {} more: `--kind KIND` shows those of one kind, `--all` shows each\n", all - 50)),
        "{told}"
    );
    let each = folder.run(&["links", "tag/food", "--used-by", "--all", "--color", "never"]).out;
    assert_eq!(each.matches("item/crumb-").count(), 90, "{each}");
    let items = folder.run(&["links", "tag/food", "--used-by", "--kind", "item", "--color", "never"]).out;
    assert!(items.contains("more: `--all` shows each"), "{items}");
}

#[test]
fn links_count_each_use_once_with_rules_formulas_and_conditions() {
    let folder = Folder::demo();
    let of =
        |what: &str| folder.run(&["links", what, "--format", "json"]).json()["used_by"].as_array().unwrap().clone();
    let ends = |links: &[serde_json::Value], how: &str| -> Vec<String> {
        let of_how = links.iter().filter(|link| link["how"] == how);
        of_how.map(|link| link["end"].as_str().unwrap().to_owned()).collect()
    };
    let field = of("item.burn_minutes");
    assert_eq!(ends(&field, "reads"), ["rulebook/goods.toml", "amendments/winter.toml"]);
    let vigour = of("unit.stats.vigour");
    assert!(ends(&vigour, "reads").iter().any(|end| end.starts_with("remedy/")), "{vigour:?}");
    // the word in the condition of an amendment
    assert!(ends(&of("tag/fuel"), "reads").contains(&"amendments/winter.toml".to_owned()));
    // what a mod says instead takes the use away
    let recipes = |links: &[serde_json::Value]| ends(links, "names").contains(&"recipe/steep-draught".to_owned());
    assert!(recipes(&of("item/fever-draught")));
    let instead = "[{ \"id\": \"steep-draught\", \"gives\": [{ \"what\": \"eel\", \"amount\": 1 }] }]";
    folder.put("mods/long-night/crafts/draught.json", instead);
    assert!(!recipes(&of("item/fever-draught")), "{:?}", of("item/fever-draught"));
    assert!(recipes(&of("item/eel")));
}

#[test]
fn accepted_findings_stay_silent_until_they_are_gone() {
    let folder = Folder::demo();
    let run = folder.run(&["check", "--mod", "first-steps", "--code", "file-lacking", "--accept", "--why", "painting"]);
    assert!(well(&run).out.starts_with("accepted 2 findings"), "{}", run.out);
    assert!(folder.read("accepted.toml").contains("of = \"station/jam-kettle\""));
    let found = folder.run(&["check", "--mod", "first-steps", "--code", "file-lacking", "--format", "json"]).json();
    assert_eq!((found["findings"].as_array().unwrap().len(), found["accepted"].as_u64()), (0, Some(2)));
    folder.put("mods/first-steps/art/stations/jam-kettle.png", "");
    let gone = folder.run(&["check", "--code", "accepted-gone", "--color", "never"]);
    assert_eq!(gone.code, 0);
    assert!(gone.out.contains("the accepted finding `file-lacking` of `station/jam-kettle`"), "{}", gone.out);
    well(&folder.run(&["undo"]));
    assert!(!folder.read("accepted.toml").contains("jam-kettle"));
}

#[test]
fn many_findings_of_one_cause_are_told_once() {
    let folder = Folder::demo();
    let one = |n: usize| {
        format!(
            "  {{ \"id\": \"r{n}\", \"at\": \"hearth\", \"minutes\": 5, \"takes\": [{{ \"what\": \"eeel\" }}], \"gives\": [{{ \"what\": \"eel\" }}] }}"
        )
    };
    let all: Vec<String> = (0..40).map(one).collect();
    folder.put("mods/long-night/crafts/many.json", &format!("[\n{}\n]\n", all.join(",\n")));
    let run = folder.run(&["check", "--mod", "long-night", "--short", "--color", "never"]);
    assert_eq!(run.code, 1);
    let lines: Vec<&str> = run.out.lines().collect();
    assert_eq!(lines.len(), 2, "{}", run.out);
    assert!(
        lines[0].contains("there is no item or tag `eeel`; the same at") && lines[0].contains("35 more"),
        "{}",
        run.out
    );
    assert!(lines[1].starts_with("40 errors in 1 file, of 1 cause;"), "{}", run.out);
    let json = folder.run(&["check", "--mod", "long-night", "--format", "json"]).json();
    assert_eq!((json["findings"].as_array().unwrap().len(), json["causes"].as_u64()), (40, Some(1)));
    assert_eq!(folder.run(&["check", "--mod", "long-night", "--all", "--short"]).out.lines().count(), 41);
}

#[test]
fn state_says_what_is_older_and_what_comes_next() {
    let folder = Folder::demo();
    let state = || folder.run(&["state", "--mod", "long-night", "--format", "json"]).json();
    let fresh = state();
    assert!(fresh["checked"].is_null() && fresh["stale"].is_null());
    assert_eq!(fresh["next"], "`cognomen check --mod long-night`");
    well(&folder.run(&["check", "--mod", "long-night"]));
    assert_eq!(state()["next"], "`cognomen install --mod long-night`");
    // where no folder of the game is named, a build is as far as it goes
    let workspace = folder.read("cognomen.toml").replace("game = \"game\"\n", "");
    folder.put("cognomen.toml", &workspace);
    assert_eq!(state()["next"], "`cognomen build --mod long-night`");
    well(&folder.run(&["build", "--mod", "long-night"]));
    let built = state();
    assert_eq!((&built["stale"], &built["next"]), (&serde_json::json!([]), &"try build/long-night in the game".into()));
    well(&folder.run(&["set", "item/lamp-oil", "value=20", "--mod", "long-night"]));
    let changed = state();
    assert_eq!(changed["changed_since_check"], serde_json::json!(["mods/long-night/amendments/lamps.toml"]));
    assert_eq!(changed["stale"], serde_json::json!(["goods/long-night-changes.json"]));
    assert_eq!(changed["takes_up"]["item"], "at the next dawn in the village");
    let human = folder.run(&["state", "--mod", "long-night", "--color", "never"]);
    assert!(well(&human).out.starts_with("long-night  The Long Night 1.1.0\n"), "{}", human.out);
    assert!(human.out.contains("next: `cognomen check --mod long-night`"), "{}", human.out);
}

#[test]
fn shells_ask_the_program_itself() {
    let folder = Folder::demo();
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        let run = folder.run(&["completions", shell]);
        assert_eq!((run.code, run.err.as_str()), (0, ""), "{shell}");
        assert!(run.out.contains("COGNOMEN_COMPLETE"), "{shell}");
    }
    let asked = |words: &[&str]| -> Vec<String> {
        let mut program = std::process::Command::new(env!("CARGO_BIN_EXE_cognomen"));
        program.current_dir(folder.path()).env("COGNOMEN_COMPLETE", "bash").env("_CLAP_IFS", "\n");
        program.env("_CLAP_COMPLETE_INDEX", (words.len() - 1).to_string());
        program.env("_CLAP_COMPLETE_COMP_TYPE", "9").env("_CLAP_COMPLETE_SPACE", "false");
        let out = program.arg("--").args(words).output().unwrap();
        assert!(out.status.success() && out.stderr.is_empty(), "{out:?}");
        String::from_utf8(out.stdout).unwrap().lines().map(str::to_owned).collect()
    };
    for (words, first) in [
        (&["cognomen", "show", "it"][..], "item/"),
        (&["cognomen", "show", "item/lamp-o"], "item/lamp-oil"),
        (&["cognomen", "links", "fen-l"], "item/fen-lamp"),
        (&["cognomen", "set", "item/lamp-oil", "burn"], "burn_minutes="),
        (&["cognomen", "set", "item/lamp-oil", "tags+=fue"], "tags+=fuel"),
        (&["cognomen", "set", "item/lamp-oil", "tags+", "=", "fue"], "fuel"),
        (&["cognomen", "find", "--kind", "rec"], "recipe"),
        (&["cognomen", "check", "--mod", "long"], "long-night"),
        (&["cognomen", "check", "--code", "leads"], "leads-nowhere"),
        (&["cognomen", "spread", "item.val"], "item.value"),
        (&["cognomen", "ren"], "rename"),
    ] {
        let got = asked(words);
        assert_eq!(got.first().map(String::as_str), Some(first), "{words:?}: {got:?}");
    }
    assert!(asked(&["cognomen", "show", "nothing-li"]).is_empty());
}

#[test]
fn the_base_is_looked_at_as_a_mod_is_for_those_who_make_it() {
    let folder = Folder::demo();
    let found = |arguments: &[&str]| -> Vec<String> {
        let answer = folder.run(arguments).json();
        let findings = answer["findings"].as_array().unwrap().iter();
        findings.map(|finding| finding["code"].as_str().unwrap().to_owned()).collect()
    };
    folder.put("base/goods/odd.json", "{ \"drying-rack-two\": { \"based_on\": \"peat\", \"stack\": 20 } }\n");
    let plain = found(&["check", "--mod", "base", "--format", "json"]);
    let made = found(&["check", "--mod", "base", "--as-maker", "--format", "json"]);
    assert!(made.len() > plain.len(), "{plain:?} {made:?}");
    assert!(made.contains(&"nothing-leads-there".to_owned()), "{made:?}");
    assert!(!plain.contains(&"nothing-leads-there".to_owned()), "{plain:?}");
}
