//! `tag`: who belongs to which group, who comes and goes, in every way that a game says it.
use crate::common::Folder;

/// A game of kilns whose wares belong to sorts: how that is said, in the base and in the mod.
struct Game {
    name: &'static str,
    fields: &'static str,
    base: &'static str,
    sorts: &'static str,
    own: &'static str,
    /// What the mod's files say once `pot` of the base and `own` of the mod belong to `wet`.
    wanted: &'static [(&'static str, &'static str)],
}

const GAMES: &[Game] = &[
    Game {
        name: "a field of the ware joins",
        fields: "[kinds.ware.fields]\n\"sorts[]\" = { link = \"sort\", joins = true, list = \"set\", optional = true }\n[kinds.sort.fields]\n\"dear\" = { type = \"boolean\" }\n",
        base: "{ \"pot\": { \"sorts\": [\"dry\"] }, \"jug\": {} }\n",
        sorts: "{ \"dry\": { \"dear\": true }, \"wet\": { \"dear\": false } }\n",
        own: "{ \"own\": { \"sorts\": [\"dry\"] } }\n",
        wanted: &[
            ("wares/own.json", "{ \"own\": { \"sorts\": [\"dry\", \"wet\"] } }\n"),
            ("amendments/ware.toml", "amendments = 1\n\n[[amend]]\nof = \"ware/pot\"\nadd = { sorts = [\"wet\"] }\n"),
        ],
    },
    Game {
        name: "packed, with decorated names",
        fields: "[kinds.ware.fields]\n\"sorts[]\" = { link = \"sort\", form = \"#{id}\", joins = true, list = \"set\", split = \" \", optional = true }\n[kinds.sort.fields]\n\"dear\" = { type = \"boolean\" }\n",
        base: "{ \"pot\": { \"sorts\": \"#dry\" }, \"jug\": {} }\n",
        sorts: "{ \"dry\": { \"dear\": true }, \"wet\": { \"dear\": false } }\n",
        own: "{ \"own\": { \"sorts\": \"#dry\" } }\n",
        wanted: &[
            ("wares/own.json", "{ \"own\": { \"sorts\": \"#dry #wet\" } }\n"),
            ("amendments/ware.toml", "amendments = 1\n\n[[amend]]\nof = \"ware/pot\"\nadd = { sorts = [\"#wet\"] }\n"),
        ],
    },
    Game {
        name: "the sort lists them, and lists of several mods are put together",
        fields: "[kinds.sort.fields]\n\"has[]\" = { link = [\"ware\", \"sort\"], list = \"set\", join = true, optional = true }\n[kinds.ware.fields]\n\"dear\" = { type = \"boolean\", optional = true }\n",
        base: "{ \"pot\": {}, \"jug\": {} }\n",
        sorts: "{ \"dry\": { \"has\": [\"pot\"] }, \"wet\": { \"has\": [\"jug\"] } }\n",
        own: "{ \"own\": {} }\n",
        wanted: &[
            ("wares/own.json", "{ \"own\": {} }\n"),
            (
                "amendments/sort.toml",
                "amendments = 1\n\n[[amend]]\nof = \"sort/wet\"\nadd = { has = [\"pot\", \"own\"] }\n",
            ),
        ],
    },
    Game {
        name: "the sort lists entries with a field",
        fields: "[kinds.sort.fields]\n\"has[]\" = { list = \"keyed\", by = \"ware\", optional = true }\n\"has[].ware\" = { link = \"ware\" }\n\"has[].part\" = { type = \"integer\", default = 1 }\n[kinds.ware.fields]\n\"dear\" = { type = \"boolean\", optional = true }\n",
        base: "{ \"pot\": {}, \"jug\": {} }\n",
        sorts: "{ \"dry\": { \"has\": [{ \"ware\": \"pot\" }] }, \"wet\": {} }\n",
        own: "{ \"own\": {} }\n",
        wanted: &[(
            "amendments/sort.toml",
            "amendments = 1\n\n[[amend]]\nof = \"sort/wet\"\nadd = { has = [{ ware = \"pot\" }, { ware = \"own\" }] }\n",
        )],
    },
];

fn kilns(game: &Game) -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"clay\"\n",
    );
    let members = match (game.fields.contains("\"has[].ware\""), game.fields.contains("\"has[]\"")) {
        (true, _) => "members = \"has[].ware\"\n",
        (_, true) => "members = \"has[]\"\n",
        _ => "",
    };
    let rulebook = format!(
        "rulebook = 1\n[game]\nname = \"Kilns\"\n[manifest]\nfile = \"mod.json\"\nid = \"id\"\n\
         [[where]]\nfiles = \"wares/*.json\"\ncut = \"{{}}\"\nkind = \"ware\"\n\
         [[where]]\nfiles = \"sorts/*.json\"\ncut = \"{{}}\"\nkind = \"sort\"\n\
         [kinds.ware]\nagain = \"merge\"\n[kinds.sort]\nagain = \"merge\"\n{members}{}",
        game.fields
    );
    folder.put("rulebook.toml", &rulebook);
    folder.put("base/wares/all.json", game.base);
    folder.put("base/sorts/all.json", game.sorts);
    folder.put("mods/clay/mod.json", "{ \"id\": \"clay\" }\n");
    folder.put("mods/clay/wares/own.json", game.own);
    folder
}

#[test]
fn members_come_and_go_as_the_game_says_it() {
    for game in GAMES {
        let folder = kilns(game);
        let check = folder.run(&["check"]);
        assert_eq!(check.code, 0, "{}: {}", game.name, check.out);
        let before = folder.all("mods");
        let line = ["tag", "add", "sort/wet", "ware/pot", "ware/own"];
        let dry = folder.run(&[&line[..], &["--dry-run"]].concat());
        assert_eq!((dry.code, folder.all("mods") == before), (0, true), "{}: {}", game.name, dry.err);
        let run = folder.run(&line);
        assert_eq!(run.code, 0, "{}: {}", game.name, run.err);
        assert!(run.out.starts_with("ware/pot now belongs to sort/wet"), "{}: {}", game.name, run.out);
        for (path, text) in game.wanted {
            assert_eq!(folder.read(&format!("mods/clay/{path}")), *text, "{}: {path}", game.name);
        }
        let members = |folder: &Folder| -> Vec<String> {
            let said = folder.run(&["tag", "sort/wet", "--format", "json"]).json();
            let members = said["members"].as_array().unwrap();
            members.iter().map(|one| one["address"].as_str().unwrap().to_owned()).collect()
        };
        let now = members(&folder);
        assert!(now.contains(&"ware/pot".to_owned()) && now.contains(&"ware/own".to_owned()), "{}: {now:?}", game.name);
        let again = folder.run(&line);
        assert!(again.err.contains("nothing was written"), "{}: {}", game.name, again.err);
        let check = folder.run(&["check"]);
        assert_eq!(check.code, 0, "{}: {}", game.name, check.out);
        // the built mod says the same
        let built = folder.run(&["build", "--out", "out"]);
        assert_eq!(built.code, 0, "{}: {}", game.name, built.err);
        let run = folder.run(&["tag", "remove", "sort/wet", "ware/pot", "ware/own"]);
        assert_eq!(run.code, 0, "{}: {}", game.name, run.err);
        assert!(!members(&folder).iter().any(|one| one != "ware/jug"), "{}: {:?}", game.name, members(&folder));
        folder.run(&["undo"]);
        folder.run(&["undo"]);
        assert_eq!(folder.all("mods"), before, "{}", game.name);
    }
}

#[test]
fn a_group_takes_the_place_of_its_member() {
    let folder = Folder::demo();
    let tag = |line: &[&str]| folder.run(&[line, &["--mod", "smoke-and-salt"]].concat());
    let twins = tag(&["tag", "twins", "item/grey-salt"]);
    assert!(twins.out.contains("no group has both") || twins.out.contains("nothing in another layer"), "{}", twins.out);
    assert_eq!(tag(&["tag", "add", "tag/preserved", "item/grey-salt"]).code, 0);
    let before = folder.all("mods");
    let run = tag(&["tag", "instead", "tag/preserved", "item/grey-salt"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("recipe/salt-eels takes[1].what: preserved\n"), "{}", run.out);
    assert!(run.out.contains("item/grey-salt still stands alone:\n"), "{}", run.out);
    let check = folder.run(&["check", "--mod", "smoke-and-salt"]);
    assert_eq!(check.code, 0, "{}", check.out);
    let links = folder.run(&["links", "item/grey-salt", "--format", "json"]).json();
    let used = links["used_by"].as_array().unwrap();
    assert!(used.iter().any(|one| one["what"] == "tag/preserved"), "{links}");
    assert_eq!(folder.run(&["undo"]).code, 0);
    assert_eq!(folder.all("mods"), before);
}

#[test]
fn what_is_typed_wrong_is_said_and_nothing_is_written() {
    let folder = Folder::demo();
    let before = folder.all("");
    for (line, said) in [
        (&["tag", "add", "tag/fule", "item/eel"][..], "`tag/fuel`"),
        (&["tag", "add", "tag/fuel", "item/ele"], "nearest known one"),
        (&["tag", "add", "tag/fuel", "unit/bog-sow"], "that is for item"),
        (&["tag", "add", "tag/fuel", "tag/fuel"], "circle"),
        (&["tag", "add", "tag/slow-fuel", "tag/fuel"], "circle"),
        (&["tag", "add", "item/eel", "item/pike"], "knows no list"),
        (&["tag", "instead", "tag/fuel", "item/eel"], "cognomen tag add tag/fuel item/eel"),
        (&["tag", "twins", "item/ele"], "nearest known one"),
    ] {
        let run = folder.run(&[line, &["--mod", "long-night"]].concat());
        assert_eq!(run.code, 3, "{line:?}: {}{}", run.out, run.err);
        assert!(run.err.contains(said), "{line:?}: {}", run.err);
        assert_eq!(folder.all(""), before, "{line:?}");
    }
    let listed = folder.run(&["find", "--kind", "item", "--where", "burn_minutes > 100"]).out;
    let run = folder.run_with(&["tag", "add", "tag/winter-store", "-", "--mod", "long-night", "--dry-run"], &listed);
    assert_eq!(run.code, 0, "{}", run.err);
}

#[test]
fn a_group_of_a_thing_and_its_twins_takes_its_place() {
    let folder = Folder::empty();
    for (path, text) in [
        ("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n"),
        (
            "r.toml",
            "rulebook = 1\n[manifest]\nfile = \"mod.yaml\"\nid = \"id\"\nrequires = \"needs[]\"\n[[where]]\nfiles = \"things.yaml\"\ncut = \"things{}\"\nkind = \"thing\"\n\
             [[where]]\nfiles = \"groups.yaml\"\ncut = \"groups{}\"\nkind = \"group\"\n[kinds.thing]\nagain = \"merge\"\nlabel = \"title\"\n[kinds.thing.fields]\ntitle = { type = \"text\" }\n\
             \"made_of[]\" = { link = [\"thing\", \"group\"], form = { thing = \"{id}\", group = \"#{id}\" }, list = \"set\", optional = true }\nonly = { link = \"thing\", optional = true }\n\
             [kinds.group]\nagain = \"merge\"\nmembers = \"has[]\"\nmembers_are = \"of\"\n[kinds.group.fields]\n\"has[]\" = { link = \"thing\", list = \"set\", join = true }\nof = { type = \"choice\", words = [\"thing\"] }\n",
        ),
        ("base/things.yaml", "things:\n  rope:\n    title: Rope\n  net:\n    title: Net\n    made_of: [rope]\n"),
        ("mods/other/mod.yaml", "id: other\n"),
        ("mods/other/things.yaml", "things:\n  cord:\n    title: Rope\n"),
        ("mods/third/mod.yaml", "id: third\n"),
        ("mods/third/things.yaml", "things:\n  line:\n    title: Rope\n"),
        ("mods/m/mod.yaml", "id: m\nneeds: [other]\n"),
        ("mods/m/things.yaml", "things:\n  swing:\n    title: Swing\n    made_of: [rope, net]\n    only: rope\n"),
    ] {
        folder.put(path, text);
    }
    let before = folder.all("mods");
    let twins = folder.run(&["tag", "twins", "thing/rope"]);
    assert!(twins.out.contains("next: cognomen tag instead GROUP thing/rope --twins"), "{twins:?}");
    let run = folder.run(&["tag", "instead", "group/cordage", "thing/rope", "--twins"]);
    assert_eq!(run.code, 0, "{run:?}");
    for told in [
        "group/cordage: thing/rope, thing/cord",
        "left out: thing/line, of third, which the mod does not require",
        "thing/swing made_of[0]: #cordage",
        "thing/rope still stands alone:",
    ] {
        assert!(run.out.contains(told), "{told}: {}", run.out);
    }
    assert_eq!(
        folder.read("mods/m/things.yaml"),
        "things:\n  swing:\n    title: Swing\n    made_of: [\"#cordage\", net]\n    only: rope\n"
    );
    assert_eq!(folder.run(&["check"]).code, 0);
    // one more twin comes into the group that is there
    folder.put("mods/other/things.yaml", "things:\n  cord:\n    title: Rope\n  hawser:\n    title: Rope\n");
    let again = folder.run(&["tag", "instead", "group/cordage", "thing/rope", "--twins", "--format", "json"]);
    assert_eq!(again.code, 0, "{again:?}");
    assert!(folder.read("mods/m/groups.yaml").contains("- hawser"));
    for _ in 0..2 {
        assert_eq!(folder.run(&["undo"]).code, 0);
    }
    folder.put("mods/other/things.yaml", "things:\n  cord:\n    title: Rope\n");
    assert_eq!(folder.all("mods"), before);
    let none = folder.run(&["tag", "instead", "grup/cordage", "thing/rope", "--twins"]);
    assert!(none.code >= 2 && none.err.contains("the nearest one is `group`"), "{none:?}");
}
