//! Comments: what is copied or moved keeps those that stand in it, whatever changes beside them.

use crate::common::Folder;

const RULEBOOK: &str = r#"
rulebook = 1

[game]
name = "Kelp"

[manifest]
file = "mod.toml"
id = "id"
name = "title"

[[where]]
files = "boats/*.yaml"
cut = "boats[]"
kind = "boat"

[[where]]
files = "nets/*.json"
kind = "net"

[[where]]
files = "tides/*.toml"
cut = "{}"
kind = "tide"

[[where]]
files = "crew/*.xml"
cut = "crew.man[]"
kind = "man"

[kinds.boat]
name = "id"
[kinds.boat.fields]
"load" = { type = "number" }
"crew[]" = { link = "man" }
"note" = { type = "text", optional = true }
"tows" = { link = "boat", optional = true }

[kinds.net]
name = "stem"
[kinds.net.fields]
"mesh" = { type = "integer" }
"of" = { link = "boat" }

[kinds.tide]
name = "key"
[kinds.tide.fields]
"height" = { type = "number" }
"inner.low" = { type = "number" }

[kinds.man]
name = "id"
[kinds.man.fields]
"age" = { type = "integer" }
"skill" = { type = "text" }
"#;

fn game() -> Folder {
    let game = Folder::empty();
    for (path, text) in [
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n"),
        ("rulebook/r.toml", RULEBOOK),
        ("mods/m/mod.toml", "id = \"m\"\ntitle = \"M\"\n"),
        (
            "base/boats/b.yaml",
            "# all boats\nboats:\n  # the first\n  - id: skiff\n    load: 3.50   # tons, wet\n    crew:\n      \
             - ole      # steers\n      - per\n    # said by the harbour\n    note: \"old\"\n  - id: yawl\n    load: 9\n    \
             crew: [per]\n",
        ),
        (
            "base/nets/drift.json",
            "// the drift net\n{\n  \"mesh\": 40, // millimetres\n  /* who carries it */\n  \"of\": \"skiff\"\n}\n",
        ),
        (
            "base/tides/t.toml",
            "# tides\n[spring]\n# at the mark\nheight = 4.10 # metres\n\n[spring.inner]\nlow = 1.0 # behind the bar\n\n\
             [neap]\nheight = 2.0\ninner.low = 1\n",
        ),
        (
            "base/crew/c.xml",
            "<crew>\n  <!-- the eldest -->\n  <man id=\"ole\" age=\"71\">\n    <!-- as he says -->\n    \
             <skill>oars</skill>\n  </man>\n  <man id=\"per\" age=\"20\"><skill>nets</skill></man>\n</crew>\n",
        ),
    ] {
        game.put(path, text);
    }
    assert_eq!(game.run(&["check"]).code, 0);
    game
}

#[test]
fn a_copy_keeps_the_comments_in_its_original() {
    let game = game();
    let before = game.all("mods");
    for (line, file, wanted) in [
        (
            &["copy", "boat/skiff", "second", "load=4", "crew-=per", "note=new"][..],
            "mods/m/boats/m.yaml",
            "boats:\n  - id: second\n    load: 4   # tons, wet\n    crew:\n      - ole      # steers\n    \
             # said by the harbour\n    note: \"new\"\n",
        ),
        (
            &["copy", "net/drift", "fine", "mesh=12"],
            "mods/m/nets/fine.json",
            "// the drift net\n{\n  \"mesh\": 12, // millimetres\n  /* who carries it */\n  \"of\": \"skiff\"\n}\n",
        ),
        (
            &["copy", "tide/spring", "storm", "inner.low=2"],
            "mods/m/tides/m.toml",
            "[storm]\n# at the mark\nheight = 4.10 # metres\n\n[storm.inner]\nlow = 2 # behind the bar\n",
        ),
        (
            &["copy", "man/ole", "nils", "skill=ropes"],
            "mods/m/crew/m.xml",
            "<crew>\n  <man id=\"nils\" age=\"71\">\n    <!-- as he says -->\n    <skill>ropes</skill>\n  </man>\n</crew>\n",
        ),
    ] {
        let done = game.run(line);
        assert_eq!(done.code, 0, "{line:?}: {}", done.err);
        assert_eq!(game.read(file), wanted, "{line:?}");
    }
    assert_eq!(game.run(&["check"]).code, 0);
    // another one beside it, also of a copy
    assert_eq!(game.run(&["copy", "boat/second", "third"]).code, 0);
    let boats = game.read("mods/m/boats/m.yaml");
    assert_eq!(boats.matches("# said by the harbour").count(), 2, "{boats}");
    for _ in 0..5 {
        assert_eq!(game.run(&["undo"]).code, 0);
    }
    assert_eq!(game.all("mods"), before);
}

#[test]
fn new_rows_of_a_sheet_may_name_those_below_them() {
    let game = game();
    let rows = "boat/,load,crew,tows\nlead,3,per,tail\ntail,2,\"per, ole\",last\nlast,1,per,\n";
    game.put("boats.csv", rows);
    let done = game.run(&["sheet", "in", "boats.csv"]);
    assert_eq!(done.code, 0, "{}", done.err);
    assert_eq!(game.run(&["check"]).code, 0);
    assert_eq!(game.run(&["undo"]).code, 0);
    // what is nowhere is said of its row
    game.put("boats.csv", &rows.replace("per,last", "per,lost").replace("ole\",last", "ole\",lost"));
    let done = game.run(&["sheet", "in", "boats.csv"]);
    assert_eq!(done.code, 3);
    assert!(done.err.contains("`boat/lead`: there is no boat `tail`"), "{}", done.err);
}

#[test]
fn many_definitions_of_one_file_go_and_change_together_and_the_rest_stays_as_it_is() {
    let game = game();
    let boat = |nth: usize, load: &str| format!("  - id: b{nth}\n    load: {load} # tons\n    crew: [per]\n");
    let all = |keeps: &dyn Fn(usize) -> bool, load: &str| {
        (0..300).filter(|nth| keeps(*nth)).map(|nth| boat(nth, load)).collect::<String>()
    };
    game.put("mods/m/boats/m.yaml", &format!("boats:\n{}", all(&|_| true, "2")));
    assert_eq!(game.run(&["set", "--kind", "boat", "--where", "load == 2", "load=5", "--yes"]).code, 0);
    assert_eq!(game.read("mods/m/boats/m.yaml"), format!("boats:\n{}", all(&|_| true, "5")));
    let third: Vec<String> = (0..300).filter(|nth| nth % 3 == 0).map(|nth| format!("boat/b{nth}")).collect();
    let line = |first: &[&'static str], last: &[&'static str]| -> Vec<String> {
        let words = first.iter().map(|word| (*word).to_owned()).chain(third.iter().cloned());
        words.chain(last.iter().map(|word| (*word).to_owned())).collect()
    };
    let run = |line: Vec<String>| game.run(&line.iter().map(String::as_str).collect::<Vec<_>>());
    assert_eq!(run(line(&["move"], &["--to", "boats/third.yaml"])).code, 0);
    assert_eq!(game.read("mods/m/boats/m.yaml"), format!("boats:\n{}", all(&|nth| nth % 3 > 0, "5")));
    assert_eq!(game.read("mods/m/boats/third.yaml"), format!("boats:\n{}", all(&|nth| nth % 3 == 0, "5")));
    assert_eq!(game.run(&["undo"]).code, 0);
    assert_eq!(run(line(&["delete"], &[])).code, 0);
    assert_eq!(game.read("mods/m/boats/m.yaml"), format!("boats:\n{}", all(&|nth| nth % 3 > 0, "5")));
    assert_eq!(game.run(&["check"]).code, 0);
}
