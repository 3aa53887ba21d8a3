//! A small game of its own, described from the reference alone: TOML definitions, several kinds in one file,
//! ids by field, maps with typed keys, flags, labels.
#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing)]

mod common;

use common::Folder;

const RULEBOOK: &str = r#"rulebook = 1
[game]
name = "Saltpans"
[manifest]
file = "mod.toml"
id = "id"
requires = "needs[]"
[texts]
files = "words/{language}.json"
[[where]]
files = "boats/*.toml"
kind = "boat"
[[where]]
files = "goods/*.json"
cut = "goods[]"
which = "sort"
words = { ware = "good", pan = "pan" }
[[where]]
files = "crews/*.json"
cut = "{}"
kind = "crew"
[kinds.good]
about = "Anything with a price."
again = "replace"
texts = { name = "good-{id}" }
[kinds.good.fields]
"price" = { type = "integer", min = 0 }
"marks" = { type = "flags", words = ["dry", "wet"], optional = true }
[kinds.pan]
again = "merge"
[kinds.pan.fields]
"makes" = { link = "good" }
"per_day" = { type = "number", min = 0 }
"spills[]" = { list = "bag", link = "good", default = [] }
[kinds.crew]
again = "merge"
[kinds.crew.fields]
"wage" = { type = "integer" }
[kinds.boat]
parent = "like"
again = "replace"
label = "title"
[kinds.boat.fields]
"hold" = { type = "integer", min = 1 }
"crew[]" = { link = "crew", list = "set", optional = true }
"cargo{key}" = { link = "good" }
"cargo{}" = { type = "integer", min = 1 }
[[kinds.boat.rules]]
code = "no-crew"
require = "crew|length > 0"
message = "nobody sails it"
[[kinds.pan.rules]]
code = "not-worth-it"
severity = "warning"
require = "per_day * ref(makes).price > 5"
message = "{per_day} a day of {makes} is not worth the peat"
"#;

fn pans() -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"data\"\nmods = \"mods\"\nedit = \"fair\"\n",
    );
    folder.put("rulebook.toml", RULEBOOK);
    folder.put("mods/fair/mod.toml", "id = \"fair\"\n");
    folder.put(
        "data/boats/punt.toml",
        "title = \"Punt\"\r\nhold = 12\r\ncrew = [\"old-hand\"]\r\n[cargo]\r\nsalt = 4\r\nclay = 2\r\n",
    );
    folder.put("data/boats/lugger.toml", "title = \"Lugger\"\nlike = \"punt\"\nhold = 40\n");
    folder.put("data/crews/all.json", "{ \"old-hand\": { \"wage\": 3 }, \"boy\": { \"wage\": 1 } }\n");
    folder.put("data/words/en.json", "{ \"good-salt\": \"White salt\", \"good-clay\": \"Clay\" }\n");
    folder.put(
        "data/goods/list.json",
        "{ \"goods\": [\n  { \"id\": \"salt\", \"sort\": \"ware\", \"price\": 4, \"marks\": [\"dry\"] },\n  { \"id\": \"clay\", \"sort\": \"ware\", \"price\": 2 },\n  { \"id\": \"north\", \"sort\": \"pan\", \"makes\": \"salt\", \"per_day\": 3 }\n] }\n",
    );
    folder
}

/// What `init` says of a base, and what `check` says of it with the rulebook that was drafted.
fn drafted(folder: &Folder, base: &str) -> (serde_json::Value, serde_json::Value) {
    let made = folder.run(&["init", "ws", "--base", base, "--format", "json"]);
    assert_eq!(made.code, 0, "{made:?}");
    let told = folder.run(&["check", "--workspace", "ws", "--mod", "base", "--as-maker", "--format", "json"]);
    (made.json()["kinds"].clone(), told.json())
}

#[test]
fn tags_and_tables_under_headings_are_drafted() {
    let folder = Folder::empty();
    folder.put("data/charms/all.yaml", "- id: reed\n  acts:\n    - !cool\n      by: 4\n    - !hush { whom: eel }\n- id: fen\n  acts: [!cool { by: 2 }]\n");
    folder.put(
        "data/works/all.txt",
        "; works\n[pan]\nname = \"Pan\"\nnear = \"kiln\", \"weir\"\nneeds =\n  { \"what\", \"many\"\n    \"kiln\", 2\n  }\n\n[kiln]\nname = \"Kiln\"\nneeds = { \"what\", \"many\"\n  \"pan\", 1\n  \"weir\", 3\n}\n\n[weir]\nname = \"Weir\"\n",
    );
    let (kinds, told) = drafted(&folder, "data");
    assert_eq!(kinds, serde_json::json!({ "charm": 2, "work": 3 }));
    assert_eq!(told["findings"], serde_json::json!([]), "{}", folder.read("ws/rulebook.toml"));
    let shown = |address: &str| folder.run(&["show", address, "--workspace", "ws"]).out;
    assert!(shown("charm/reed").contains("sort cool, by 4"), "{}", shown("charm/reed"));
    assert!(shown("work/kiln").contains("what weir, many 3"), "{}", shown("work/kiln"));
    assert!(shown("work/pan").contains("kiln, weir"), "{}", shown("work/pan"));
}

#[test]
fn sections_with_ends_blocks_and_comments_over_lines_are_drafted() {
    let folder = Folder::empty();
    let kiln = |id: &str, next: &str| {
        format!(
            "#fires\n[kiln]\n  id={id}\n  next={next}\n  {{WARM 3\n    (now)}}\n  tale=\"It burns\n  on.\"\n  [bed]\n    of=ash\n  [/bed]\n[/kiln]\n"
        )
    };
    folder.put("data/hot/great.cfg", &kiln("great", "small"));
    folder.put("data/hot/small.cfg", &format!("#macro WARM N\n[bed]\n#endmacro\n{}", kiln("small", "none")));
    folder.put("data/cold/field.cfg", &kiln("field", "great,small"));
    let crew = "/* who\n stokes { */\n// by the year\ncrew stoker {\n\twage: 3 /* groats */\n\ttools { rake: 2 }\n\tpay {\n\t\tin: coin\n\t}\n\tfood {\n\t\tof: eel\n\t}\n}\n\ncrew raker {\n\twage: 2\n}\n";
    folder.put("data/crew.txt", crew);
    let (kinds, told) = drafted(&folder, "data");
    let rulebook = folder.read("ws/rulebook.toml");
    assert_eq!(kinds, serde_json::json!({ "kiln": 3, "crew": 2 }), "{rulebook}");
    assert_eq!(told["findings"], serde_json::json!([]), "{rulebook}");
    assert!(rulebook.contains("comment = [\"//\", \"/* */\"]"), "{rulebook}");
    assert!(
        rulebook.contains("\"next\" = { link = \"kiln\", list = \"sequence\", split = \",\", none = [\"none\"] }"),
        "{rulebook}"
    );
    // what is changed stays within what is passed over
    let run = |line: &[&str]| {
        let run = folder.run(&[line, &["--workspace", "ws"]].concat());
        assert_eq!(run.code, 0, "{line:?}: {}{}", run.out, run.err);
        run.out
    };
    run(&["mods", "new", "fair"]);
    run(&["copy", "crew/stoker", "crew/ladler", "wage=5"]);
    run(&["set", "kiln/small", "next=field,great"]);
    run(&["build", "--mod", "fair"]);
    assert!(run(&["show", "kiln/small"]).contains("field"), "{}", run(&["show", "kiln/small"]));
}

#[test]
fn texts_in_several_languages_packed_pairs_and_a_mod_that_is_there_are_drafted() {
    let goods = "<goods>\n  <good id=\"madder\" label=\"dye_madder\" with=\"wool:2;flax:1\"/>\n  <good id=\"wool\" label=\"dye_wool\"/>\n  <good id=\"flax\" label=\"dye_flax\" with=\"wool:1\"/>\n</goods>\n";
    let texts = [("dye_madder", "Madder", "Garance"), ("dye_wool", "Wool", "Laine"), ("dye_flax", "Flax", "Lin")];
    let of = |line: &dyn Fn(&str, &str) -> String, french: bool| {
        texts.iter().map(|(key, en, fr)| line(key, if french { fr } else { en })).collect::<Vec<String>>()
    };
    let lines = |french| of(&|key, text| format!("{key} = {text}\n"), french).concat();
    let json =
        |french| format!("{{\n{}\n}}\n", of(&|key, text| format!("  \"{key}\": \"{text}\""), french).join(",\n"));
    let xml =
        |french| format!("<all>\n{}</all>\n", of(&|key, text| format!("  <{key}>{text}</{key}>\n"), french).concat());
    let nested = |french| {
        format!("dye:\n{}", of(&|key, text| format!("  {}: {text}\n", key.trim_start_matches("dye_")), french).concat())
    };
    let columns = texts.iter().fold("key,en,fr\n".to_owned(), |all, (key, en, fr)| format!("{all}{key},{en},{fr}\n"));
    for files in [
        vec![("words/en.txt", lines(false)), ("words/fr.txt", lines(true))],
        vec![("words/en/dyes.json", json(false)), ("words/fr/dyes.json", json(true))],
        vec![("words/english.xml", xml(false)), ("words/french.xml", xml(true))],
        vec![("words/all.csv", columns)],
        vec![("words/en.yaml", nested(false)), ("words/fr.yaml", nested(true))],
    ] {
        let folder = Folder::empty();
        // tables that stand in each other have a mark between their keys
        let mark = if files[0].0.ends_with(".yaml") { "." } else { "_" };
        folder.put("data/goods/all.xml", &goods.replace("dye_", &format!("dye{mark}")));
        files.iter().for_each(|(path, text)| folder.put(&format!("data/{path}"), text));
        folder.put("ws/mods/dyers/about.json", "{ \"id\": \"dyers\", \"title\": \"Dyers\", \"needs\": [] }\n");
        let (kinds, told) = drafted(&folder, "data");
        let rulebook = folder.read("ws/rulebook.toml");
        assert_eq!(
            (kinds, &told["findings"]),
            (serde_json::json!({ "good": 3 }), &serde_json::json!([])),
            "{rulebook}"
        );
        let template = format!("texts = {{ name = \"dye{mark}{{id}}\" }}\n");
        for line in [&*template, "\"label\" = { text = \"*\" }\n", "requires = \"needs[]\"\n"] {
            assert!(rulebook.contains(line), "{line}: {rulebook}");
        }
        let run = |line: &[&str]| {
            let run = folder.run(&[line, &["--workspace", "ws", "--color", "never"]].concat());
            assert_eq!(run.code, 0, "{line:?}: {}{}", run.out, run.err);
            run.out
        };
        run(&["new", "good/weld", &format!("label=dye{mark}weld"), "with=wool:3;flax:2", "--name", "Weld"]);
        let shown = run(&["show", "weld"]);
        assert!(shown.starts_with("good/weld  Weld\n") && shown.contains("[wool, 3], [flax, 2]"), "{shown}");
        assert!(run(&["links", "wool"]).contains("good/weld") && !run(&["check", "--mod", "dyers"]).is_empty());
    }
}

#[test]
fn what_a_file_has_not_is_drafted_as_in_others_of_its_notation_and_folders_stay_apart() {
    let folder = Folder::empty();
    folder.put("data/sluice.txt", "width=3\nheight=4\n");
    // a file without a comment, and a folder without any
    folder.put("data/wares/first.txt", "[ware]\nid=peat\ncost=3\n\n[ware]\nid=eel\ncost=5\n");
    folder.put("data/wares/more.txt", "# later\n[ware]\nid=reed\ncost=1\n");
    folder.put("data/crew/ferryman.txt", "wage=4\nof=peat\n");
    folder.put("data/crew/lamplighter.txt", "wage=2\nof=eel\n");
    folder.put("data/crew/stand-in.txt", "INCLUDE crew/ferryman.txt\n\nwage=1\n");
    let (kinds, told) = drafted(&folder, "data");
    let rulebook = folder.read("ws/rulebook.toml");
    assert_eq!(kinds, serde_json::json!({ "sluice": 1, "ware": 3, "crew": 3 }), "{rulebook}");
    assert!(rulebook.contains("include = \"INCLUDE\"") && rulebook.contains("files = \"crew/*.txt\""), "{rulebook}");
    assert_eq!(told["findings"], serde_json::json!([]), "{rulebook}");
    let found = folder.run(&["find", "--where", "true", "--workspace", "ws"]).out;
    assert!(
        found.contains("ware/reed") && found.contains("crew/ferryman") && found.contains("sluice/sluice"),
        "{found}"
    );
    assert!(rulebook.contains("comment = [\"#\"]") && !rulebook.contains("notations.lines-2"), "{rulebook}");
}

#[test]
fn what_nobody_can_draft_from_is_told() {
    let folder = Folder::empty();
    folder.put("data/a.xyz", "A~1\nB~2\n");
    let made = folder.run(&["init", "ws", "--base", "data"]);
    assert_eq!(made.code, 0, "{}", made.err);
    assert!(made.out.contains("nothing could be drafted: 1 file (.xyz 1) does not show where"), "{}", made.out);
    // and where a rulebook names a notation that is not whole, only that is told
    folder.put("ws/rulebook.toml", "rulebook = 1\n[manifest]\nid = \"folder\"\n[notations.own]\nassign = \"~\"\n[[where]]\nfiles = \"*.xyz\"\nnotation = \"own\"\nkind = \"thing\"\n[kinds.thing]\nname = \"stem\"\nopen = true\n");
    let codes = |told: serde_json::Value| -> Vec<String> {
        told["findings"].as_array().unwrap().iter().map(|one| one["message"].as_str().unwrap().to_owned()).collect()
    };
    let check = || codes(folder.run(&["check", "--workspace", "ws", "--format", "json"]).json());
    assert_eq!(check(), ["`notations.NAME` lacks the key `format`"]);
    let rulebook = folder.read("ws/rulebook.toml").replace("assign", "format = \"described\"\nassign");
    folder.put("ws/rulebook.toml", &rulebook.replace("notation = \"own\"", "notation = \"won\""));
    assert_eq!(check(), ["there is no notation `won`"]);
    folder.put("ws/rulebook.toml", &rulebook);
    assert_eq!(check(), Vec::<String>::new());
}

#[test]
fn mods_that_are_nothing_but_folders_stand_on_what_the_workspace_says() {
    let folder = pans();
    let manifest = "file = \"mod.toml\"\nid = \"id\"\nrequires = \"needs[]\"\n";
    folder.put("rulebook.toml", &RULEBOOK.replace(manifest, "id = \"folder\"\n"));
    std::fs::remove_dir_all(folder.file("mods")).unwrap();
    folder.put("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"data\"\nmods = \"mods\"\n");
    let before = folder.all("");
    assert_eq!(folder.run(&["mods", "new", "fair"]).code, 0);
    assert_eq!(folder.run(&["new", "crew/cook", "wage=2"]).code, 0);
    assert_eq!(folder.run(&["mods", "new", "feast", "--requires", "fair"]).code, 0);
    assert_eq!(folder.run(&["set", "crew/cook", "wage=5"]).code, 0);
    assert_eq!(folder.run(&["check"]).code, 0);
    assert!(folder.read("cognomen.toml").contains("[stands_on]\nfeast = [\"fair\"]\n"));
    // without that it is told, and mended there
    let said = folder.read("cognomen.toml");
    folder.put("cognomen.toml", &said.replace("\n[stands_on]\nfeast = [\"fair\"]\n", ""));
    let told = folder.run(&["check", "--format", "json"]).json();
    assert_eq!(told["findings"][0]["code"], "requirement-undeclared", "{told}");
    assert_eq!(folder.run(&["check", "--fix", "--mod", "feast"]).code, 0);
    assert_eq!(folder.run(&["check"]).code, 0);
    // another name, everywhere
    assert_eq!(folder.run(&["mods", "rename", "fair", "market"]).code, 0);
    assert!(folder.read("cognomen.toml").contains("feast = [\"market\"]"));
    assert_eq!(folder.run(&["check"]).code, 0);
    let built = folder.run(&["build", "--mod", "feast"]);
    assert_eq!(built.code, 0, "{built:?}");
    assert!(folder.all("build/feast").iter().any(|(path, _)| path.starts_with("crews/")));
    std::fs::remove_dir_all(folder.file("build")).unwrap();
    // and back to where it began
    for _ in 0..2 {
        assert_eq!(folder.run(&["undo"]).code, 0);
    }
    assert_eq!(folder.read("cognomen.toml"), said.replace("\n[stands_on]\nfeast = [\"fair\"]\n", ""));
    let data = |all: Vec<(String, Vec<u8>)>| -> Vec<(String, Vec<u8>)> {
        all.into_iter().filter(|(path, _)| path.starts_with("data/")).collect()
    };
    assert_eq!(data(folder.all("")), data(before));
}

#[test]
fn a_rulebook_is_drafted_from_data_in_every_format() {
    for (game, base, kinds, findings) in [
        ("peatlight", "base", 10, 4),
        ("kilnyard", "base", 5, 0),
        ("mulepost", "base", 6, 0),
        ("wrackline", "base", 6, 13),
        ("sporehall", "base.zip", 3, 6),
    ] {
        let folder = Folder::example(game);
        let _ = std::fs::remove_file(folder.file("rulebook.toml"));
        let (made, told) = drafted(&folder, base);
        assert_eq!(made.as_object().unwrap().len(), kinds, "{game}: {made}");
        let found = told["findings"].as_array().unwrap().len();
        assert!(found <= findings, "{game}: {told}");
        // what was drafted is a rulebook to work with at once
        let first = made.as_object().unwrap().keys().next().unwrap().clone();
        assert_eq!(folder.run(&["kinds", &first, "--workspace", "ws"]).code, 0, "{game}");
        assert_eq!(folder.run(&["find", "--kind", &first, "--where", "true", "--workspace", "ws"]).code, 0, "{game}");
    }
}

#[test]
fn a_workspace_is_started_from_a_mod_that_is_there() {
    for (game, id, codes) in [
        ("kilnyard", "second-firing", &[][..]),
        ("peatlight", "long-night", &["leads-nowhere", "text-lacking", "amendment-fault"]),
        ("sporehall", "winter-guests", &["file-not-read", "amends-nothing", "field-not-known", "amendment-fault"]),
    ] {
        let folder = Folder::example(game);
        let _ = std::fs::remove_file(folder.file("rulebook.toml"));
        let base = if folder.file("base").is_dir() { "base" } else { "base.zip" };
        let from = format!("mods/{id}");
        let made = folder.run(&["init", "ws", "--base", base, "--from-mod", &from]);
        assert_eq!(made.code, 0, "{game}: {made:?}");
        assert!(made.out.contains(&format!("copied the mod {id}, which is edited now")), "{game}: {made:?}");
        // byte for byte, and the old one is as it was
        assert_eq!(folder.all(&format!("ws/mods/{id}")), folder.all(&from), "{game}");
        let mods = folder.run(&["mods", "--workspace", "ws", "--format", "json"]).json();
        assert_eq!((&mods["mods"][1]["id"], &mods["mods"][1]["edited"]), (&id.into(), &true.into()), "{game}: {mods}");
        let told = folder.run(&["check", "--workspace", "ws", "--mod", id, "--format", "json"]).json();
        let odd = told["findings"]
            .as_array()
            .unwrap()
            .iter()
            .find(|finding| !codes.contains(&finding["code"].as_str().unwrap()));
        assert!(odd.is_none(), "{game}: {odd:?}");
    }
    let folder = Folder::empty();
    folder.put("data/a.json", "{\"eel\": {\"price\": 1}, \"pike\": {\"price\": 2}}");
    folder.put("old/read.me", "a mod");
    let none = folder.run(&["init", "ws", "--base", "data", "--from-mod", "old"]);
    assert_eq!(
        (none.code, none.err.contains("nothing at the top of `old` says what the mod is called")),
        (3, true),
        "{none:?}"
    );
    assert_eq!(folder.run(&["init", "ws", "--base", "data", "--from-mod", "odl"]).code, 3);
    assert!(!folder.file("ws/cognomen.toml").exists());
    // the base's own manifest says how mods say what they are
    folder.put("data/about.toml", "ident = \"base\"\nversion = \"1.0\"\nneeds = [\"engine\"]\n");
    let made = folder.run(&["init", "ws", "--base", "data"]);
    assert_eq!(made.code, 0, "{made:?}");
    let rulebook = folder.read("ws/rulebook.toml");
    let said = "file = \"about.toml\"\nid = \"ident\"\nversion = \"version\"\nrequires = \"needs[]\"\n";
    assert!(rulebook.contains(said), "{rulebook}");
}

#[test]
fn a_draft_finds_what_leads_nowhere_in_data_that_nobody_described() {
    for (path, text, of, slip) in [
        (
            "blades/a.xml",
            "<blades>\n  <blade name=\"kris\" metal=\"iron\"/>\n  <blade name=\"saw\" metal=\"steel\"/>\n</blades>\n",
            "metals/m.xml\n<metals><metal name=\"iron\"/></metals>",
            ("steel", 3),
        ),
        (
            "blades.json",
            "{\n\"version\": 1,\n\"blades\": [\n{\"id\": \"kris\", \"metal\": \"iron\"},\n{\"id\": \"saw\", \"metal\": \"steel\"}]}\n",
            "metals.json\n{\"iron\": {\"price\": 3}, \"tin\": {\"price\": 1}}",
            ("steel", 5),
        ),
        ("blades/saw.toml", "edge = 3\nmetal = \"stele\"\n", "metals/all.csv\nname,price\nstele,4\niron,2\n", ("", 0)),
        (
            "deep/data/blades.yaml",
            "kris:\n  metal: iron\nsaw:\n  metal: steel\n",
            "deep/data/metals.yaml\n- code: iron\n  price: 2\n- code: tin\n  price: 1\n",
            ("steel", 4),
        ),
    ] {
        let folder = Folder::empty();
        folder.put(&format!("data/{path}"), text);
        let (metals, rest) = of.split_once('\n').unwrap();
        folder.put(&format!("data/{metals}"), rest);
        let (kinds, told) = drafted(&folder, "data");
        assert_eq!(kinds.as_object().unwrap().keys().collect::<Vec<_>>(), ["blade", "metal"], "{path}: {kinds}");
        let found = told["findings"].as_array().unwrap();
        match slip {
            ("", _) => assert!(found.is_empty(), "{path}: {told}"),
            (word, line) => {
                assert_eq!(found.len(), 1, "{path}: {told}");
                assert!(found[0]["message"].as_str().unwrap().contains(word), "{told}");
                assert_eq!(found[0]["line"], line, "{told}");
            }
        }
    }
    // lines of key and value, whatever their files are called
    let folder = Folder::empty();
    folder.put(
        "data/blades/a.txt",
        "# sharp\n[blade]\nid=kris\nmetal=iron\n\n[blade]\nid=saw\nmetal=steel\n\n[blade]\nid=rapier\nmetal=iron\n",
    );
    folder.put("data/metals/iron.ini", "; soft\nname=Iron\nprice=3\n");
    folder.put("data/metals/tin.ini", "name=Tin\nprice=1\n");
    let (kinds, told) = drafted(&folder, "data");
    assert_eq!(kinds, serde_json::json!({"blade": 3, "metal": 2}));
    let found = told["findings"].as_array().unwrap();
    assert_eq!((found.len(), &found[0]["line"]), (1, &serde_json::json!(8)), "{told}");
    // nothing there, or nothing that is data: a rulebook to fill in by hand
    for (path, text) in [("read.me", "x"), ("a.json", "{"), ("b.json", "[]"), ("c.xml", "<a/>"), ("d.csv", "")] {
        let folder = Folder::empty();
        folder.put(&format!("data/{path}"), text);
        let (kinds, _) = drafted(&folder, "data");
        assert_eq!(kinds, serde_json::json!({}), "{path}");
    }
}

#[test]
fn clean_data_gives_no_finding() {
    let run = pans().run(&["check"]);
    assert_eq!((run.code, run.err.as_str()), (0, ""), "{}", run.out);
    assert!(run.out.starts_with("no findings in 7 definitions in 2 layers"), "{}", run.out);
}

#[test]
fn faults_are_found_at_their_place() {
    let folder = pans();
    folder.put("mods/fair/boats/raft.toml", "title = \"Raft\"\nhold = 0\ncrew = []\n[cargo]\nslat = 1\n");
    folder.put(
        "mods/fair/goods/more.json",
        "{ \"goods\": [\n  { \"id\": \"peat\", \"sort\": \"wear\", \"price\": 1 },\n  { \"id\": \"turf\", \"sort\": \"ware\", \"price\": 1, \"marks\": [\"damp\"] },\n  { \"id\": \"mud\", \"sort\": \"pan\", \"makes\": \"clay\", \"per_day\": 2 }\n] }\n",
    );
    let run = folder.run(&["check", "--format", "json"]);
    let json = run.json();
    let mut found: Vec<String> = json["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| format!("{}:{} {}", f["file"].as_str().unwrap(), f["line"], f["code"].as_str().unwrap()))
        .collect();
    found.sort();
    assert_eq!(
        found,
        [
            "mods/fair/boats/raft.toml:2 out-of-range",
            "mods/fair/boats/raft.toml:3 no-crew",
            "mods/fair/boats/raft.toml:5 leads-nowhere",
            "mods/fair/goods/more.json:2 file-not-read",
            "mods/fair/goods/more.json:3 not-a-choice",
            "mods/fair/goods/more.json:3 text-lacking",
            "mods/fair/goods/more.json:4 not-worth-it",
        ]
    );
    assert_eq!((run.code, json["errors"].as_i64(), json["warnings"].as_i64()), (1, Some(4), Some(3)));
}

#[test]
fn amendments_are_built_into_the_games_own_formats() {
    let folder = pans();
    for line in [
        ["set", "boat/punt", "hold=20"],
        ["set", "boat/lugger", "cargo.salt=9"],
        ["set", "pan/north", "per_day*=1.5"],
        ["set", "good/salt", "marks+=wet"],
        ["set", "pan/north", "spills+=clay"],
    ] {
        let run = folder.run(&line);
        assert_eq!(run.code, 0, "{line:?} {run:?}");
    }
    let run = folder.run(&["build"]);
    assert_eq!(run.code, 0, "{run:?}");
    assert_eq!(
        folder.read("build/fair/boats/punt.toml"),
        "title = \"Punt\"\r\nhold = 20\r\ncrew = [\"old-hand\"]\r\n[cargo]\r\nsalt = 4\r\nclay = 2\r\n"
    );
    assert_eq!(
        folder.read("build/fair/boats/lugger.toml"),
        "title = \"Lugger\"\nlike = \"punt\"\nhold = 40\n\n[cargo]\nsalt = 9\n"
    );
    let goods: serde_json::Value = serde_json::from_str(&folder.read("build/fair/goods/fair-changes.json")).unwrap();
    assert_eq!(
        goods,
        serde_json::json!({ "goods": [
            { "id": "salt", "sort": "ware", "price": 4, "marks": ["dry", "wet"] },
            { "sort": "pan", "id": "north", "per_day": 4.5, "spills": ["clay"] },
        ] })
    );
    // the game reads the same from what was built
    let shown = |address: &str| {
        folder.run(&["show", address, "--format", "json"]).json()["values"]
            .as_array()
            .unwrap()
            .iter()
            .map(|v| format!("{}={}", v["path"], v["value"]))
            .collect::<std::collections::BTreeSet<_>>()
    };
    let before: Vec<_> = ["boat/punt", "boat/lugger", "pan/north", "good/salt"].map(shown).into();
    std::fs::remove_dir_all(folder.file("mods/fair")).unwrap();
    std::fs::rename(folder.file("build/fair"), folder.file("mods/fair")).unwrap();
    let after: Vec<_> = ["boat/punt", "boat/lugger", "pan/north", "good/salt"].map(shown).into();
    assert_eq!(before, after);
}

#[test]
fn readable_names_come_from_labels_and_texts() {
    let folder = pans();
    let name = |address: &str| folder.run(&["show", address, "--format", "json"]).json()["name"].clone();
    assert_eq!(name("boat/lugger"), "Lugger");
    assert_eq!(name("good/salt"), "White salt");
    let run = folder.run(&["find", "white", "--color", "never"]);
    assert!(run.out.contains("White salt (name, en)"), "{}", run.out);
}

const BRINE: &str = r##"rulebook = 1
[game]
name = "Brinework"
[manifest]
file = "mod.toml"
id = "id"
[[where]]
files = "data/*.toml"
cut = "recipe[]"
kind = "recipe"
[[where]]
files = "data/*.toml"
cut = "item{}"
kind = "item"
[kinds.item]
again = "merge"
[kinds.item.fields]
"mass" = { type = "number", unit = "load", units = { load = 1, cart = 12 } }
"rare" = { type = "boolean", default = false }
"ra.power" = { type = "integer", default = 1 }
"with" = { split = ",", list = "set", optional = true }
"with[]" = { link = "item", form = ["{id}", "item:{id}"] }
[kinds.recipe]
name = "id"
again = "merge"
[kinds.recipe.fields]
"in[]" = { list = "keyed", by = "item" }
"in[].item" = { link = "item" }
"in[].count" = { type = "integer", default = 1 }
"out[]" = { list = "sequence" }
"out[].item" = { link = "item" }
"out[].count" = { type = "integer", default = 1 }
"##;

#[test]
fn toml_under_headers_is_made_changed_and_built_as_the_game_writes_it() {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"vat\"\n",
    );
    folder.put("r.toml", BRINE);
    folder.put(
        "base/data/all.toml",
        "[item.brine]\nmass = \"2 cart\"\nwith = \"item:salt,ash\"\n\n[item.salt]\nmass = 2\nrare = true\n\n[item.ash]\nmass = 1\n\n\
         [[recipe]]\nid = \"boil\"\n\n[[recipe.in]]\nitem = \"brine\"\n\n[[recipe.out]]\nitem = \"salt\"\n",
    );
    folder.put("mods/vat/mod.toml", "id = \"vat\"\n");
    let done = |line: &[&str]| {
        let run = folder.run(line);
        assert_eq!(run.code, 0, "{line:?} {run:?}");
        run.out
    };
    // a new definition of another kind stands beside those that are there
    done(&["copy", "recipe/boil", "boil-twice", "in[item=brine].count=2"]);
    done(&["new", "item/tar", "mass=1 cart"]);
    done(&["set", "recipe/boil-twice", "in+=tar", "out+=ash"]);
    let made = "[[recipe]]\nid = \"boil-twice\"\n\n[[recipe.in]]\nitem = \"brine\"\ncount = 2\n\n[[recipe.in]]\nitem = \"tar\"\n\n\
                [[recipe.out]]\nitem = \"salt\"\n\n[[recipe.out]]\nitem = \"ash\"\n\n[item.tar]\nmass = ";
    assert!(folder.read("mods/vat/data/vat.toml").starts_with(made), "{}", folder.read("mods/vat/data/vat.toml"));
    // a whole list in the place of what stands under headers
    done(&["set", "recipe/boil-twice", "out=[{item: tar, count: 3}]"]);
    let text = folder.read("mods/vat/data/vat.toml");
    assert!(text.contains("[[recipe.out]]\nitem = \"tar\"\ncount = 3\n\n[item.tar]\n"), "{text}");
    // which entry is meant; an entry by another form of its name; a change from what counts by default
    let told = folder.run(&["set", "recipe/boil-twice", "in.tar.count=2"]);
    assert!(told.code == 3 && told.err.contains("`in[item=tar].count`"), "{told:?}");
    done(&["set", "item/brine", "with-=salt", "rare=true"]);
    assert!(done(&["changes"]).contains("false → true"));
    folder.put("mods/vat/data/ash.toml", "[item.ash]\nrare = false\nmass = 3\n");
    assert!(done(&["changes"]).contains("states 1 value as it is anyway"));
    // of a table that was not there nothing counted by default, whatever is called nearly so
    folder.put("mods/vat/data/salt.toml", "[item.salt.ra]\npower = 3\n");
    let powers = done(&["changes"]);
    assert!(powers.lines().any(|line| line.contains("ra.power") && line.contains("nothing → 3")), "{powers}");
    let shown = |id: &str| folder.run(&["show", id, "--format", "json"]).json()["values"].clone();
    let before = [shown("item/brine"), shown("recipe/boil-twice"), shown("item/tar")].map(|fields| values(&fields));
    assert!(before[0].contains(&("with".to_owned(), "[\"ash\"]".to_owned())), "{before:?}");
    done(&["build"]);
    std::fs::remove_dir_all(folder.file("mods/vat")).unwrap();
    std::fs::rename(folder.file("build/vat"), folder.file("mods/vat")).unwrap();
    let after = [shown("item/brine"), shown("recipe/boil-twice"), shown("item/tar")].map(|fields| values(&fields));
    assert_eq!(before, after);
    assert_eq!(folder.run(&["check"]).code, 0);
}

/// The values of what `show` says, without where they are from.
fn values(fields: &serde_json::Value) -> Vec<(String, String)> {
    let one =
        |field: &serde_json::Value| (field["path"].as_str().unwrap_or_default().to_owned(), field["value"].to_string());
    fields.as_array().unwrap().iter().map(one).collect()
}
