//! Line notations that nest: by indentation, by blocks with a name, by sections that are closed by name.
use crate::common::{Folder, Run};

fn well(folder: &Folder, line: &[&str]) -> Run {
    let run = folder.run(line);
    assert_eq!(run.code, 0, "{line:?}: {run:?}");
    run
}

/// How far a gun of a ship reaches.
fn reach(folder: &Folder, ship: &str, gun: &str) -> serde_json::Value {
    let shown = well(folder, &["show", ship, "--format", "json"]).json();
    let path = format!("gun[id={gun}]");
    let row = shown["values"].as_array().unwrap().iter().find(|row| row["path"] == path.as_str()).cloned();
    row.map_or(serde_json::Value::Null, |row| row["value"]["reach"].clone())
}

/// A workspace with a mod `m`, and the rest of a rulebook.
fn game(rulebook: &str) -> Folder {
    let folder = Folder::empty();
    folder
        .put("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n");
    folder.put("r.toml", &format!("rulebook = 1\n[manifest]\nfile = \"about.json\"\nid = \"id\"\n{rulebook}"));
    folder.put("mods/m/about.json", "{ \"id\": \"m\" }\n");
    folder
}

/// What is built, in the mod's place, shows the same of these; then the mod is where it was.
fn reads_as_built(folder: &Folder, addresses: &[&str]) {
    let shows = || -> Vec<Vec<(String, String)>> {
        let rows = |address: &&str| {
            let shown = well(folder, &["show", *address, "--format", "json"]).json()["values"].clone();
            let rows = shown.as_array().unwrap().iter();
            rows.map(|row| (row["path"].to_string(), row["value"].to_string())).collect()
        };
        addresses.iter().map(rows).collect()
    };
    let before = shows();
    well(folder, &["build"]);
    std::fs::rename(folder.file("mods/m"), folder.file("kept")).unwrap();
    std::fs::rename(folder.file("build/m"), folder.file("mods/m")).unwrap();
    well(folder, &["check"]);
    assert_eq!(shows(), before);
    std::fs::rename(folder.file("mods/m"), folder.file("build/m")).unwrap();
    std::fs::rename(folder.file("kept"), folder.file("mods/m")).unwrap();
}

/// A game of boats in one of the notations.
fn boats(marks: &str, ships: &str) -> Folder {
    let folder = game(&format!(
        "[notations.lines]\nformat = \"described\"\n{marks}\
             [[where]]\nfiles = \"ships/*.txt\"\nnotation = \"lines\"\ncut = \"ship[]\"\nkind = \"ship\"\n[kinds.ship]\nagain = \"merge\"\n[kinds.ship.fields]\n\
             hull = {{ type = \"integer\", min = 1 }}\n\"gun[]\" = {{ list = \"keyed\", by = \"id\", optional = true, one = true }}\n\"gun[].id\" = {{ type = \"text\" }}\n\
             \"gun[].reach\" = {{ type = \"integer\", max = 9 }}\nlike = {{ link = \"ship\", optional = true }}\n"
    ));
    folder.put("base/ships/all.txt", ships);
    folder
}

/// What a person does with it; gives what then stands in the mod's file.
fn worked_with(folder: &Folder) -> String {
    well(folder, &["check"]);
    assert_eq!(reach(folder, "ship/coot", "long"), 5);
    well(folder, &["set", "ship/coot", "gun[id=long].reach=7", "hull=90"]);
    let refused = folder.run(&["set", "ship/coot", "gun[id=long].reach=12"]);
    assert!(refused.code >= 2 && refused.err.contains("at most 9"), "{refused:?}");
    well(folder, &["new", "ship/skiff", "hull=3", "like=coot", "gun+=[{\"id\": \"aft\", \"reach\": 1}]"]);
    well(folder, &["new", "ship/punt", "hull=3"]);
    well(folder, &["copy", "ship/tern", "gull", "hull=41"]);
    well(folder, &["rename", "ship/punt", "barge"]);
    well(folder, &["delete", "ship/gull"]);
    well(folder, &["undo"]);
    well(folder, &["redo"]);
    well(folder, &["set", "ship/skiff", "gun[id=aft].reach=2"]);
    let written = folder.read("mods/m/ships/m.txt");
    well(folder, &["build"]);
    std::fs::remove_dir_all(folder.file("mods/m")).unwrap();
    std::fs::rename(folder.file("build/m"), folder.file("mods/m")).unwrap();
    well(folder, &["check"]);
    assert_eq!(reach(folder, "ship/coot", "long"), 7);
    assert_eq!(reach(folder, "ship/coot", "short"), 2);
    assert_eq!(reach(folder, "ship/skiff", "aft"), 2);
    written
}

#[test]
fn lines_that_are_further_in() {
    let folder = boats(
        "assign = \" \"\nindents = true\nnamed = \"id\"\n",
        "# boats\nship coot\n    hull 100\n    gun long\n        reach 5\n    gun short\n        reach 2\n\nship tern\n    hull 40\n    like coot\n",
    );
    let written = "ship skiff\n    hull 3\n    like coot\n    gun aft\n        reach 2\nship barge\n    hull 3\n";
    assert_eq!(worked_with(&folder), written);
    folder.put("mods/m/ships/b.txt", "ship raft\n    hull 3\n        depth 3\n");
    let told = folder.run(&["check", "--short"]);
    assert!(told.out.contains("`hull` takes a whole number of at least 1, not a table"), "{told:?}");
}

#[test]
fn blocks_with_a_name() {
    let folder = boats(
        "braces = true\nnamed = \"id\"\n",
        "# boats\nship coot {\n    hull = 100\n    gun long { reach = 5 }\n    gun short { reach = 2 }\n}\nship tern { hull = 40 like }\n"
            .replace(" like }", "\n    like = coot\n}")
            .as_str(),
    );
    let written = worked_with(&folder);
    assert!(
        written.starts_with("ship skiff {\n    hull = 3\n    like = coot\n    gun aft {\n        reach = 2\n"),
        "{written}"
    );
    folder.put("mods/m/ships/b.txt", "ship raft {\n  hull = 3\n");
    assert!(folder.run(&["check", "--short"]).out.contains("this `{` is never closed by `}`"));
}

#[test]
fn sections_that_are_closed_by_name() {
    let folder = boats(
        "section = [\"[\", \"]\"]\nclosing = [\"[/\", \"]\"]\n",
        "# boats\n[ship]\n    id=coot\n    hull=100\n    [gun]\n        id=long\n        reach=5\n    [/gun]\n    [gun]\n        id=short\n        reach=2\n    [/gun]\n[/ship]\n\n[ship]\n    id=tern\n    hull=40\n    like=coot\n[/ship]\n",
    );
    let written = worked_with(&folder);
    assert!(written.starts_with("[ship]\n    id=skiff\n    hull=3\n    like=coot\n    [gun]\n        id=aft\n        reach=2\n    [/gun]\n[/ship]\n"), "{written}");
    folder.put("mods/m/ships/b.txt", "[ship]\n  id=raft\n  [gun]\n[/ship]\n");
    let told = folder.run(&["check", "--short"]).out;
    assert!(told.contains("the section `gun` is never closed"), "{told}");
    // a slip in the rulebook
    let rulebook = folder.read("r.toml");
    folder.put("r.toml", &rulebook.replace("closing = [\"[/\", \"]\"]", "closing = \"[/\""));
    assert!(folder.run(&["check", "--code", "rulebook-fault"]).out.contains("`closing` takes two marks"));
}

/// A game of a salt works, with tables under headings and texts in quotes.
#[test]
fn tables_under_headings() {
    let folder = game(
        "[notations.lines]\nformat = \"described\"\n\
         section = [\"[\", \"]\"]\njoin = \", \"\nheadings = [\"{\", \"}\"]\n\
         [[where]]\nfiles = \"works*.txt\"\nnotation = \"lines\"\ncut = \"{}\"\nkind = \"work\"\n[kinds.work]\nagain = \"merge\"\n[kinds.work.fields]\n\
         name = { type = \"text\" }\ncost = { type = \"integer\", min = 1 }\n\"near[]\" = { link = \"work\", list = \"set\", optional = true }\n\
         \"needs[]\" = { list = \"keyed\", by = \"what\", join = true, optional = true }\n\"needs[].what\" = { link = \"work\" }\n\
         \"needs[].many\" = { type = \"integer\", min = 1, default = 1 }\n\"needs[].when\" = { type = \"text\", optional = true }\n",
    );
    folder.put(
        "base/works.txt",
        "[pan]\nname = \"Pan, wide\"\ncost = 4\nnear = \"kiln\", \"pan\"\n\n[kiln]\nname = \"Kiln\"\ncost = 9\n\
         needs =\n    { \"what\", \"many\"\n      \"pan\", 2 # at least\n    }\n",
    );
    folder.put("mods/m/works-m.txt", "[trap]\nname = \"Trap\"\ncost = 3\n");
    let old = folder.read("mods/m/works-m.txt");
    well(&folder, &["check"]);
    well(
        &folder,
        &["set", "work/trap", "name=Trap, deep", "near+=kiln", "needs+=pan", "needs+={what: kiln, when: dusk}"],
    );
    well(&folder, &["set", "work/trap", "needs[what=kiln].many=3"]);
    well(&folder, &["new", "work/weir", "name=Weir", "cost=2", "needs=[{what: trap, many: 2}]"]);
    well(&folder, &["set", "work/kiln", "needs[what=pan].many=5", "needs+=trap"]);
    well(&folder, &["rename", "work/trap", "snare"]);
    assert_eq!(
        folder.read("mods/m/works-m.txt"),
        "[snare]\nname = \"Trap, deep\"\ncost = 3\nnear = \"kiln\"\nneeds =\n    { \"what\", \"when\", \"many\"\n      \"pan\"\n      \"kiln\", \"dusk\", 3\n    }\n\n\
         [weir]\nname = \"Weir\"\ncost = 2\nneeds =\n    { \"what\", \"many\"\n      \"snare\", 2\n    }\n"
    );
    reads_as_built(&folder, &["work/pan", "work/kiln", "work/snare", "work/weir"]);
    for _ in 0..5 {
        well(&folder, &["undo"]);
    }
    assert_eq!(folder.read("mods/m/works-m.txt"), old);
    // a misspelt heading is put right where it stands
    let right = format!("{old}needs = {{ \"what\", \"many\"\n  \"pan\", 2\n  \"kiln\", 3\n}}\n");
    folder.put("mods/m/works-m.txt", &right.replace("many", "mnay"));
    well(&folder, &["check", "--fix"]);
    assert_eq!(folder.read("mods/m/works-m.txt"), right);
}

/// Tags of YAML that say what an entry is.
#[test]
fn tags_of_yaml_are_values() {
    let folder = game(
        "[notations.tagged]\nformat = \"yaml\"\ntags = \"does\"\n\
         [[where]]\nfiles = \"charms*.yaml\"\nnotation = \"tagged\"\ncut = \"[]\"\nkind = \"charm\"\n[kinds.charm]\nagain = \"merge\"\n[kinds.charm.fields]\n\
         price = { type = \"integer\", min = 1 }\n\"acts[]\" = { choose = \"does\", cases = { cool = \"cool\", hush = \"hush\", rest = \"rest\" } }\n\
         [parts.cool.fields]\nby = { type = \"integer\", min = 1 }\n[parts.hush.fields]\nwhom = { type = \"text\" }\n[parts.rest.fields]\n",
    );
    folder.put(
        "base/charms.yaml",
        "- id: reed\n  price: 3\n  acts:\n    - !cool\n      by: 4\n    - !hush { whom: eel }\n    - !rest\n",
    );
    // tags are stated, where the notation reads them; else nothing reads them, which is told
    let coverage = || well(&folder, &["kinds", "--coverage", "--format", "json"]).json();
    let covered = coverage();
    assert_eq!((&covered["tags"], &covered["kinds"][0]["unused"]), (&serde_json::json!([]), &serde_json::json!([])));
    let rulebook = folder.read("r.toml");
    folder.put("r.toml", &rulebook.replace("tags = \"does\"\n", ""));
    let left = coverage()["tags"].clone();
    let told: Vec<_> =
        left.as_array().unwrap().iter().map(|tag| (tag["what"].as_str(), tag["count"].as_u64())).collect();
    assert_eq!(told, [(Some("!cool"), Some(1)), (Some("!hush"), Some(1)), (Some("!rest"), Some(1))]);
    folder.put("r.toml", &rulebook);
    let own = "# ours\n- id: fen\n  price: 2\n  acts:\n    - !cool { by: 1 } # a little\n";
    folder.put("mods/m/charms-m.yaml", own);
    well(&folder, &["check"]);
    assert!(well(&folder, &["show", "charm/reed"]).out.contains("does hush, whom eel"));
    well(&folder, &["set", "charm/fen", "acts[0].by=5", "acts+={does: hush, whom: toad}", "acts+={does: rest}"]);
    let refused = folder.run(&["set", "charm/fen", "acts[0].does=coal"]);
    assert!(refused.code >= 2 && refused.err.contains("`cool`"), "{refused:?}");
    well(&folder, &["new", "charm/bog", "price=1", "acts=[{does: cool, by: 2}]"]);
    well(&folder, &["copy", "charm/reed", "moss", "price=7"]);
    assert_eq!(
        folder.read("mods/m/charms-m.yaml"),
        "# ours\n- id: fen\n  price: 2\n  acts:\n    - !cool { by: 5 } # a little\n    - !hush\n      whom: toad\n    - !rest {}\n\
         - id: bog\n  price: 1\n  acts:\n    - !cool\n      by: 2\n\
         - id: moss\n  price: 7\n  acts:\n    - !cool\n      by: 4\n    - !hush\n      whom: eel\n    - !rest {}\n"
    );
    // another sort brings other fields
    well(&folder, &["set", "charm/bog", "acts[0]={does: hush, whom: all}"]);
    assert!(folder.read("mods/m/charms-m.yaml").contains("    - !hush\n      whom: all\n- id: moss"));
    well(&folder, &["set", "charm/reed", "acts[0].by=9"]);
    reads_as_built(&folder, &["charm/reed", "charm/fen", "charm/bog", "charm/moss"]);
    for _ in 0..5 {
        well(&folder, &["undo"]);
    }
    assert_eq!(folder.read("mods/m/charms-m.yaml"), own);
}

/// Tags of YAML that say what becomes of an inherited value.
#[test]
fn tags_of_yaml_change_what_is_inherited() {
    let folder = game(
        "[notations.tagged]\nformat = \"yaml\"\ntags = \"do\"\ncontent = \"#text\"\n\
         [[where]]\nfiles = \"goods*.yaml\"\nnotation = \"tagged\"\ncut = \"{}\"\nkind = \"good\"\n[kinds.good]\nparent = \"like\"\nagain = \"merge\"\n\
         [kinds.good.changed_by]\nmarker = \"do\"\nwords = { more = \"shift\", times = \"multiply\", also = \"add\", less = \"remove\" }\n\
         [kinds.good.fields]\nprice = { type = \"integer\", max = 90 }\n\"marks[]\" = { link = \"good\", list = \"set\", optional = true }\n",
    );
    folder.put(
        "base/goods.yaml",
        "peat: { price: 10, marks: [reed, salt] }\nreed: { price: 8 }\nsalt: { price: 6, marks: [] }\n",
    );
    let own = "turf:\n  like: peat\n  price: !times 2 # dear\n  marks: !less\n    - reed\n";
    folder.put("mods/m/goods-m.yaml", own);
    well(&folder, &["check"]);
    let shown = well(&folder, &["show", "good/turf"]).out;
    assert!(shown.contains("price  20") && shown.contains("marks  salt"), "{shown}");
    // what is changed by a tag is changed further
    well(&folder, &["set", "good/turf", "price*=1.5", "marks-=salt"]);
    let further = own.replace("!times 2", "!times 3").replace("- reed\n", "- reed\n    - salt\n");
    assert_eq!(folder.read("mods/m/goods-m.yaml"), further);
    well(&folder, &["set", "good/peat", "price+=4", "marks+=turf"]);
    well(&folder, &["set", "good/reed", "price*=2"]);
    reads_as_built(&folder, &["good/peat", "good/reed", "good/turf"]);
    let built = folder.read("build/m/goodsm-changes.yaml");
    assert_eq!(built, "peat: { price: !more 4, marks: !also [turf] }\nreed: { price: !times 2 }\n");
    for _ in 0..3 {
        well(&folder, &["undo"]);
    }
    assert_eq!(folder.read("mods/m/goods-m.yaml"), own);
}

#[test]
fn comments_of_both_sorts_stay_with_what_they_speak_of() {
    let folder = game(
        "[notations.pans]\nformat = \"described\"\ncomment = [\";\", \"/* */\"]\nsection = [\"[\", \"]\"]\nnamed = \"id\"\n\
         [[where]]\nfiles = \"w/*.txt\"\nnotation = \"pans\"\ncut = \"pan[]\"\nkind = \"pan\"\n\
         [kinds.pan]\nname = \"id\"\nagain = \"merge\"\n[kinds.pan.fields]\ncost = { type = \"integer\" }\nnear = { link = \"pan\", optional = true }\n",
    );
    folder.put("base/w/all.txt", "[pan iron]\ncost = 3\n");
    let big = "/* the\nbig ones [pan x] */\n[pan big]\ncost = 4 ; dear\n";
    let small =
        "; about the small\n; two lines\n[pan small]\n/* inner\n = */\ncost = 2 /* cheap\nvery */\nnear = big\n";
    let last = "[pan last]\ncost = 1\n";
    let whole = [big, small, last].join("\n");
    folder.put("mods/m/w/mine.txt", &whole);
    well(&folder, &["check"]);
    for (pan, moved, left) in [("small", small, [big, last]), ("big", big, [small, last])] {
        well(&folder, &["move", &format!("pan/{pan}"), "--to", "w/other.txt"]);
        assert_eq!(folder.read("mods/m/w/other.txt"), moved);
        assert_eq!(folder.read("mods/m/w/mine.txt"), left.join("\n"));
        well(&folder, &["check"]);
        well(&folder, &["undo"]);
        assert_eq!(folder.read("mods/m/w/mine.txt"), whole);
    }
    well(&folder, &["set", "pan/small", "cost=9"]);
    well(&folder, &["rename", "pan/small", "tiny"]);
    let tiny = small.replace("cost = 2", "cost = 9").replace("[pan small]", "[pan tiny]");
    assert_eq!(folder.read("mods/m/w/mine.txt"), [big, &tiny, last].join("\n"));
    well(&folder, &["set", "pan/iron", "cost=7"]);
    reads_as_built(&folder, &["pan/tiny", "pan/big", "pan/iron"]);
    well(&folder, &["delete", "pan/tiny"]);
    assert_eq!(folder.read("mods/m/w/mine.txt"), [big, last].join("\n"));
    // the end of a comment alone is no mark
    let rulebook = folder.read("r.toml");
    folder.put("r.toml", &rulebook.replace("\"/* */\"", "\"/*\", \"*/\""));
    let told = folder.run(&["check", "--format", "json"]).json();
    assert_eq!(told["findings"][0]["message"], "`*/` ends comments, and begins none");
}
