//! Values in a game's own notation: they are changed and built in that notation.
#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing)]

mod common;

use common::Folder;

const RULEBOOK: &str = r#"rulebook = 1
[game]
name = "Ropewalk"
[manifest]
file = "mod.toml"
id = "id"
requires = "needs[]"
[[where]]
files = "ropes/*.json"
cut = "{}"
kind = "rope"
[kinds.rope]
again = "merge"
parent = "like[]"
[kinds.rope.fields]
"length" = { type = "number", unit = "ell", units = { ell = 1, rod = 6 }, optional = true }
"weight" = { type = "integer", units = { lot = 1, pound = 32 }, optional = true }
"made_of" = { split = ", ", optional = true }
"made_of[]" = { type = "tuple", split = "*" }
"made_of[][0]" = { link = "rope" }
"made_of[][1]" = { type = "integer" }
"next[]" = { link = "rope", one = true, list = "set", none = ["-"], optional = true }
"tarred" = { type = "boolean", yes = ["aye"], no = ["nay"], default = false }
"pull" = { type = "range", ends = ["least", "most"], optional = true }
[[kinds.rope.rules]]
code = "too-long"
require = "length <= 60"
message = "{length} ell do not fit the walk"
"#;

const BASE: &str = r#"{
  "yarn": { "length": "2 rod", "weight": "1 pound" },
  "strand": { "length": 10, "made_of": "yarn*3", "next": "yarn", "tarred": "aye", "pull": { "least": 2, "most": 5 } },
  "cable": { "like": ["yarn", "strand"], "length": "11 rod" }
}
"#;

fn ropewalk() -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n",
    );
    folder.put("rulebook.toml", RULEBOOK);
    folder.put("base/ropes/all.json", BASE);
    folder.put("mods/m/mod.toml", "id = \"m\"\n");
    folder.put(
        "mods/m/ropes/own.json",
        "{\n  \"twine\": { \"length\": \"3 ell\", \"made_of\": \"yarn*1\", \"next\": \"-\" }\n}\n",
    );
    folder
}

fn done(folder: &Folder, line: &[&str]) -> String {
    let run = folder.run(line);
    assert_eq!(run.code, 0, "{line:?}: {run:?}");
    run.out
}

#[test]
fn own_definitions_are_changed_in_the_notation_they_have() {
    let folder = ropewalk();
    done(&folder, &["set", "rope/twine", "made_of[0][1]=4", "tarred=aye", "length=2 rod", "next=strand"]);
    let text = folder.read("mods/m/ropes/own.json");
    assert!(text.contains(r#""made_of": "yarn*4""#), "{text}");
    assert!(text.contains(r#""tarred": "aye""#) && text.contains(r#""next": "strand""#), "{text}");
    assert!(text.contains(r#""length": "12 ell""#), "{text}");
    done(&folder, &["set", "rope/twine", "weight=2 pound"]);
    assert!(folder.read("mods/m/ropes/own.json").contains(r#""weight": "2 pound""#));
    done(&folder, &["set", "rope/twine", "next+=yarn"]);
    assert!(folder.read("mods/m/ropes/own.json").contains(r#""next": ["strand", "yarn"]"#));
    done(&folder, &["check", "--mod", "m"]);
}

#[test]
fn amendments_calculate_with_values_and_are_built_in_the_notation() {
    let folder = ropewalk();
    done(
        &folder,
        &["set", "rope/strand", "length*=2", "tarred=nay", "pull=[1, 9]", "made_of=[[\"yarn\", 2], [\"cable\", 1]]"],
    );
    done(&folder, &["set", "rope/yarn", "weight*=1.5", "next+=cable"]);
    done(&folder, &["build"]);
    let built = folder.read("build/m/ropes/m-changes.json");
    for wanted in [
        r#""length": 20"#,
        r#""tarred": "nay""#,
        r#""made_of": "yarn*2, cable*1""#,
        r#""weight": "1.5 pound""#,
        r#""next": "cable""#,
        r#""pull": { "least": 1, "most": 9 }"#,
    ] {
        assert!(built.contains(wanted), "{wanted}\n{built}");
    }
    // what is built reads as the amendments show
    std::fs::rename(folder.file("build/m"), folder.file("mods/m2")).unwrap();
    std::fs::remove_dir_all(folder.file("mods/m")).unwrap();
    let shown = done(&folder, &["show", "rope/strand"]);
    assert!(shown.contains("20") && shown.contains("cable"), "{shown}");
    // the rule reads numbers, whatever the unit: 11 rod are 66 ell
    let found = folder.run(&["check", "--mod", "base"]);
    assert!(found.out.contains("66 ell do not fit the walk"), "{found:?}");
}

#[test]
fn a_sheet_holds_units_where_a_number_needs_one_and_takes_them_back() {
    let folder = ropewalk();
    done(&folder, &["sheet", "out", "--kind", "rope", "ropes.csv"]);
    let sheet = folder.read("ropes.csv");
    assert!(sheet.contains("32 lot"), "{sheet}");
    assert!(done(&folder, &["sheet", "in", "ropes.csv"]).contains("nothing"), "{sheet}");
    folder.put("ropes.csv", &sheet.replace("32 lot", "33 lot"));
    done(&folder, &["sheet", "in", "ropes.csv"]);
    assert!(done(&folder, &["show", "rope/yarn"]).contains("33"));
}

#[test]
fn several_parents_are_laid_over_each_other_and_shown() {
    let folder = ropewalk();
    let shown = done(&folder, &["show", "rope/cable"]);
    for wanted in ["yarn", "strand", "66", "32"] {
        assert!(shown.contains(wanted), "{wanted}\n{shown}");
    }
    let used = done(&folder, &["links", "rope/yarn"]);
    assert!(used.contains("rope/cable") && used.contains("rope/strand"), "{used}");
    let coverage = done(&folder, &["kinds", "--coverage"]);
    assert!(coverage.starts_with("100 % of"), "{coverage}");
}

#[test]
fn ids_that_are_made_and_ids_in_lists() {
    let folder = ropewalk();
    let places = r#"
[[where]]
files = "knots.json"
cut = "[]"
which = "sort"
[kinds.knot]
name = "id[]"
[kinds.hitch]
name = "{knot}[_{turn}]"
again = "merge"
[kinds.hitch.fields]
"knot" = { link = "knot" }
"turns" = { type = "integer" }
"turn" = { type = "text", optional = true }
"#;
    folder.put("rulebook.toml", &format!("{RULEBOOK}{places}"));
    let knots = r#"[
  { "sort": "knot", "id": ["bowline", "king"] },
  { "sort": "hitch", "knot": "king", "turn": "left", "turns": 2 }
]
"#;
    folder.put("base/knots.json", knots);
    done(&folder, &["set", "hitch/king_left", "turns=3"]);
    done(&folder, &["build"]);
    let built = folder.read("build/m/knots.json");
    assert!(built.contains(r#""knot": "king""#) && built.contains(r#""turn": "left""#), "{built}");
    done(&folder, &["new", "knot/sheepshank"]);
    assert!(folder.read("mods/m/knots.json").contains(r#""id": "sheepshank""#));
    let refused = folder.run(&["new", "hitch/other", "knot=king", "turns=1"]);
    assert!(refused.code != 0 && refused.err.contains("would be read as `hitch/king`"), "{refused:?}");
    // the words of the id are written where they stand
    done(&folder, &["new", "hitch/sheepshank_right", "turns=1"]);
    let written = folder.read("mods/m/knots.json");
    assert!(written.contains(r#""knot": "sheepshank""#) && written.contains(r#""turn": "right""#), "{written}");
    done(&folder, &["check", "--mod", "m"]);
}

/// A game of lines in which files take in others, and whose mods are known by their folders.
fn skerry() -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"gulls\"\n",
    );
    folder.put(
        "rulebook.toml",
        r##"rulebook = 1
[notations.lines]
format = "described"
section = ["[", "]"]
include = "TAKE"
[manifest]
file = "about.txt"
notation = "lines"
id = "folder"
name = "title"
requires = "needs[]"
[manifest.fields]
"needs" = { split = ",", optional = true }
[[where]]
files = "hulls/*.txt"
notation = "lines"
kind = "hull"
[[where]]
files = "boats/*.txt"
notation = "lines"
cut = "boat[]"
kind = "boat"
[kinds.hull]
name = "path"
[kinds.hull.fields]
"crew" = { type = "range", split = ",", optional = true }
"carries[]" = { type = "tuple", split = ",", optional = true }
"carries[][0]" = { type = "text" }
"carries[][1]" = { type = "integer" }
[kinds.boat]
name = "id"
again = "replace"
parent = "TAKE[]"
[kinds.boat.fields]
"TAKE[]" = { link = "hull", form = "{id}.txt", optional = true }
"crew" = { type = "range", split = ",", optional = true }
"carries[]" = { type = "tuple", split = ",", optional = true }
"carries[][0]" = { type = "text" }
"carries[][1]" = { type = "integer" }
"##,
    );
    folder.put("base/hulls/broad.txt", "crew=2,4\n");
    folder.put("base/hulls/tarred.txt", "carries=tar,1\n");
    folder.put(
        "base/boats/all.txt",
        "# of the north\n[boat]\nid=tern\nTAKE hulls/broad.txt\ncarries=eels,3\n\n\n[boat]\nid=auk\ncrew=1\n\n",
    );
    folder.put("mods/gulls/about.txt", "title=Gulls\n");
    folder
}

#[test]
fn entries_of_several_places_and_ranges_are_typed_as_the_game_writes_them() {
    let folder = skerry();
    for (typed, shown) in [
        ("carries+=salt,2", "[eels, 3] → [eels, 3], [salt, 2]"),
        ("carries=salt,2", "[eels, 3] → [salt, 2]"),
        ("carries+=[\"salt\", 2]", "[eels, 3] → [eels, 3], [salt, 2]"),
        ("carries-=eels,3", "[eels, 3] → (empty)"),
        ("crew=3-6", "2, 4 → 3, 6"),
        ("crew=3..6", "2, 4 → 3, 6"),
        ("crew=3,6", "2, 4 → 3, 6"),
        ("crew=5", "2, 4 → 5, 5"),
    ] {
        let said = done(&folder, &["set", "boat/tern", typed, "--dry-run"]);
        assert!(said.contains(shown), "{typed}: {said}");
    }
}

#[test]
fn what_takes_in_several_files_is_written_above_what_it_says_itself() {
    let folder = skerry();
    done(&folder, &["new", "boat/puffin", "crew=2-4", "TAKE+=hulls/broad.txt", "TAKE+=hulls/tarred.txt"]);
    let text = folder.read("mods/gulls/boats/gulls.txt");
    assert_eq!(text, "[boat]\nTAKE hulls/broad.txt\nTAKE hulls/tarred.txt\nid=puffin\ncrew=2,4\n");
    done(&folder, &["check"]);
    // what nobody changes stays as it stands, empty lines and all
    done(&folder, &["set", "boat/auk", "crew=2-3"]);
    done(&folder, &["build"]);
    let built = folder.read("build/gulls/boats/gulls-changes.txt");
    assert!(built.contains("id=auk\ncrew=2,3"), "{built}");
}

#[test]
fn mods_are_known_by_their_folders_where_the_game_does_so() {
    let folder = skerry();
    done(&folder, &["mods", "new", "terns", "--requires", "gulls"]);
    assert_eq!(folder.read("mods/terns/about.txt"), "title=Terns\nneeds=gulls\n");
    let said = done(&folder, &["mods", "rename", "gulls", "gannets"]);
    assert!(said.contains("terns requires it so"), "{said}");
    assert_eq!(folder.read("mods/terns/about.txt"), "title=Terns\nneeds=gannets\n");
    assert_eq!(folder.read("mods/gannets/about.txt"), "title=Gulls\n");
    done(&folder, &["check"]);
}

#[test]
fn a_kind_says_with_which_word_a_field_is_there() {
    let folder = Folder::example("wrackline");
    let said = done(&folder, &["kinds", "find"]);
    let line =
        |field: &str| said.lines().find(|line| line.trim_start().starts_with(field)).unwrap_or_default().to_owned();
    assert!(line("acts[].times").contains("where `does` is `wash`"), "{said}");
    assert!(line("acts[].song").contains("where `does` is `sing`"), "{said}");
    assert!(!line("acts[].does").contains("where"), "{said}");
}

#[test]
fn a_copy_of_one_part_of_the_base_is_adopted_as_that_part() {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = [\"base/core\", \"base/isles\"]\nmods = \"mods\"\nedit = \"m\"\n",
    );
    folder.put(
        "rulebook.toml",
        "rulebook = 1\n[manifest]\nfile = \"mod.toml\"\nid = \"id\"\n[[where]]\nfiles = \"birds/*.json\"\nkind = \"bird\"\n\
         [kinds.bird]\nname = \"stem\"\nagain = \"replace\"\nopen = true\n[kinds.bird.fields]\n\"eggs\" = { type = \"integer\" }\n",
    );
    folder.put("base/core/birds/gull.json", "{ \"eggs\": 3 }\n");
    folder.put("base/isles/birds/auk.json", "{ \"eggs\": 1, \"call\": \"low\" }\n");
    folder.put("base/isles/birds/tern.json", "{ \"eggs\": 2 }\n");
    folder.put("mods/m/mod.toml", "id = \"m\"\n");
    folder.put("edited/birds/auk.json", "{ \"eggs\": 2, \"call\": \"high\" }\n");
    folder.put("edited/birds/tern.json", "{ \"eggs\": 4 }\n");
    let run = folder.run(&["adopt", "edited"]);
    assert_eq!(run.code, 0, "{run:?}");
    // the other part is not gone, and what the rulebook does not describe is changed as well, where it may be there
    assert!(run.out.contains("2 definitions are changed: bird/auk, bird/tern"), "{run:?}");
    assert!(!run.out.contains("no longer has"), "{run:?}");
    let amended = folder.read("mods/m/amendments/bird.toml");
    assert!(
        amended.contains("set = { call = \"high\", eggs = 2 }") && amended.contains("set = { eggs = 4 }"),
        "{amended}"
    );
    done(&folder, &["check"]);
    let told = done(&folder, &["set", "bird/auk", "call=shrill", "nest={ of: reed }"]);
    assert!(
        told.contains("bird/auk call: high → shrill") && told.contains("bird/auk nest: nothing → of reed"),
        "{told}"
    );
    done(&folder, &["set", "bird/auk", "nest.wet=true"]);
    done(&folder, &["set", "--kind", "bird", "call=low", "--yes"]);
    done(&folder, &["check"]);
    done(&folder, &["build", "--mod", "m"]);
    let built = folder.read("build/m/birds/auk.json");
    assert!(
        built.contains("\"call\": \"low\"") && built.contains("\"of\": \"reed\"") && built.contains("\"wet\": true")
    );
    // but for what looks like a slip
    let refused = folder.run(&["set", "bird/auk", "egs=3"]);
    assert!(refused.err.contains("the nearest known field is `eggs`"), "{refused:?}");
    folder.put(
        "mods/m/amendments/slip.toml",
        "amendments = 1\n[[amend]]\nof = \"bird/tern\"\nset = { egs = 3, beak = 2 }\n",
    );
    let run = folder.run(&["check", "--short"]);
    assert!(run.out.contains("there is no field `egs` here") && !run.out.contains("beak"), "{run:?}");
}
