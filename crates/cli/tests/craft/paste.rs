//! `paste`: fragments in the game's own notation, put where they belong, or told what is wrong in them.
use crate::common::Folder;

/// A game, its mod, what is pasted as what, the definitions that come of it.
type Case = (&'static str, &'static str, &'static str, &'static str, &'static [&'static str]);

#[test]
fn fragments_stand_where_such_definitions_stand() {
    let cases: &[Case] = &[
        (
            "peatlight",
            "smoke-and-salt",
            "item",
            "{ \"moss-pie\": { \"value\": 4, \"weight\": 1, \"tags\": [\"food\"], \"feeds_days\": 1 } }",
            &["item/moss-pie"],
        ),
        // out of the middle of a file
        (
            "peatlight",
            "smoke-and-salt",
            "item",
            "  \"moss-pie\": {\n    \"value\": 4, \"weight\": 1,\n    \"tags\": [\"food\"], \"feeds_days\": 1\n  },\n",
            &["item/moss-pie"],
        ),
        (
            "peatlight",
            "smoke-and-salt",
            "item/moss-pie",
            "{ \"value\": 4, \"weight\": 1, \"tags\": [\"food\"], \"feeds_days\": 1 }",
            &["item/moss-pie"],
        ),
        (
            "peatlight",
            "smoke-and-salt",
            "recipe",
            "{ \"id\": \"fry-eel\", \"at\": \"smoke-house\", \"minutes\": 9, \"takes\": [{ \"what\": \"eel\" }], \"gives\": [{ \"what\": \"eel\" }] },",
            &["recipe/fry-eel"],
        ),
        (
            "kilnyard",
            "second-firing",
            "ware",
            "<ware>\n <id>ewer</id> <clay>buff</clay> <glaze>ash</glaze> <size>medium</size> <price>9</price>\n</ware>\n<ware based-on=\"pot\"><id>pot-two</id></ware>",
            &["ware/ewer", "ware/pot-two"],
        ),
        (
            "kilnyard",
            "second-firing",
            "ware",
            "<wares><ware based-on=\"pot\"><id>pot-two</id></ware></wares>",
            &["ware/pot-two"],
        ),
    ];
    for (game, layer, what, text, made) in cases {
        let folder = Folder::example(game);
        let errors =
            |folder: &Folder| folder.run(&["check", "--mod", layer, "--format", "json"]).json()["errors"].clone();
        let (before, known) = (folder.all("mods"), errors(&folder));
        let line = ["paste", what, "--mod", layer, "--format", "json"];
        let run = folder.run_with(&[&line[..], &["--dry-run"]].concat(), text);
        assert_eq!((run.code, folder.all("mods") == before), (0, true), "{what}: {}", run.err);
        let run = folder.run_with(&line, text);
        assert_eq!(run.code, 0, "{what} {text}: {}", run.err);
        let said = run.json();
        let said: Vec<&str> =
            said["made"].as_array().unwrap().iter().map(|one| one["address"].as_str().unwrap()).collect();
        assert_eq!(said, *made);
        for address in *made {
            assert_eq!(folder.run(&["show", address]).code, 0, "{address}");
        }
        assert_eq!(errors(&folder), known, "{what}: {}", folder.run(&["check", "--mod", layer]).out);
        // the same once more is there already
        let run = folder.run_with(&line, text);
        assert_eq!(run.code, 3, "{what}: {}", run.out);
        assert!(run.err.contains("is there already"), "{}", run.err);
        assert_eq!(folder.run(&["undo"]).code, 0);
        assert_eq!(folder.all("mods"), before);
    }
}

#[test]
fn what_is_wrong_in_a_fragment_is_told_with_its_line() {
    let folder = Folder::demo();
    let before = folder.all("");
    for (what, text, said) in [
        (
            "item/pie",
            "{\n  \"value\": 4, \"weight\": 1,\n  \"wieght\": 3\n}",
            "line 3: there is no field `wieght` here\n  help: the nearest known field is `weight`",
        ),
        (
            "item/pie",
            "{\n  \"value\": 4, \"weight\": 1,\n  \"tags\": [\"fod\"]\n}",
            "line 3: there is no tag `fod`\n  help: the nearest known one is `food`",
        ),
        ("item/pie", "{\n  \"value\": \"dear\", \"weight\": 1 }", "line 2: `value` takes a whole number"),
        ("item/pie", "{ \"weight\": 1 }", "the field `value` is lacking"),
        ("item", "{ \"value\": 4, \"weight\": 1 }", "cognomen paste item/ID"),
        ("item", "{ \"value\": ", "line 1"),
        ("item", "", "there is no item"),
        (
            "item/pie",
            "{ \"eel\": { \"value\": 4, \"weight\": 1, \"tags\": [] } }",
            "the fragment says `eel`, not `pie`",
        ),
        ("itm", "{}", "the nearest one is `item`"),
        ("item/Fen Pie", "{ \"value\": 4, \"weight\": 1, \"tags\": [] }", "ids look like"),
    ] {
        let run = folder.run_with(&["paste", what, "--mod", "smoke-and-salt"], text);
        assert_eq!(run.code, 3, "{what} {text}: {}", run.out);
        assert!(run.err.contains(said), "{what} {text}: {}", run.err);
        assert_eq!(folder.all(""), before, "{what} {text}");
    }
}

#[test]
fn entries_go_into_a_list() {
    let folder = Folder::demo();
    let goods = |folder: &Folder| -> Vec<String> {
        let shown = folder.run(&["show", "stock/ferryman", "--format", "json"]).json();
        let rows = shown["values"].as_array().unwrap().iter().filter_map(|row| row["path"].as_str().map(str::to_owned));
        rows.filter(|path| path.starts_with("goods[")).collect()
    };
    let before = goods(&folder);
    for (fragment, comes) in [
        ("{ \"what\": \"lamp-oil\", \"amount\": 2 },", "goods[what=lamp-oil]"),
        ("\"goods\": [{ \"what\": \"old-lamp\" }, { \"what\": \"eel\", \"amount\": 4 }]", "goods[what=eel]"),
        ("[{ \"what\": \"salt\", \"trust\": 1 }]", "goods[what=salt]"),
    ] {
        let run = folder.run_with(&["paste", "stock/ferryman", "--into", "goods"], fragment);
        assert_eq!(run.code, 0, "{fragment}: {run:?}");
        assert!(goods(&folder).contains(&comes.to_owned()), "{comes}: {run:?}");
        assert_eq!(folder.run(&["undo"]).code, 0);
        assert_eq!(goods(&folder), before);
    }
    for (fragment, told) in [
        ("{ \"what\": \"eel\" \"amount\": 3 }", "line 1: a comma is missing here"),
        ("{ \"what\": \"eel\", \"price\": 3 }", "there is no field `price` here"),
        ("{ \"what\": \"eeel\" }", "eel"),
        ("", "there is no entry in the fragment"),
    ] {
        let run = folder.run_with(&["paste", "stock/ferryman", "--into", "goods[]"], fragment);
        assert!(
            run.code >= 2 && run.err.contains(told) && run.err.contains("nothing was written"),
            "{fragment}: {run:?}"
        );
    }
    let run = folder.run_with(&["paste", "stock/ferryman", "--into", "shelf"], "{}");
    assert!(run.err.contains("`shelf` of `stock/ferryman` is no list: it takes a whole number"), "{run:?}");
    let dry = folder.run_with(&["paste", "stock/ferryman", "--into", "goods", "--dry-run"], "{ \"what\": \"eel\" }");
    assert_eq!((dry.code, goods(&folder)), (0, before), "{dry:?}");
}

#[test]
fn entries_are_read_in_other_notations() {
    let folder = Folder::empty();
    folder
        .put("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n");
    folder.put(
        "r.toml",
        "rulebook = 1\n[manifest]\nfile = \"about.json\"\nid = \"id\"\n[[where]]\nfiles = \"*.xml\"\ncut = \"all.chest[]\"\nkind = \"chest\"\n\
         [[where]]\nfiles = \"*.yaml\"\ncut = \"{}\"\nkind = \"chest\"\n[kinds.chest]\nname = [\"id\", \"key\"]\nagain = \"merge\"\n[kinds.chest.fields]\n\
         \"holds[]\" = { list = \"keyed\", by = \"what\", one = true }\n\"holds[].what\" = { type = \"text\" }\n\"holds[].many\" = { type = \"integer\", default = 1 }\n",
    );
    folder.put("mods/m/about.json", "{ \"id\": \"m\" }");
    folder.put("base/a.xml", "<all><chest id=\"red\"><holds><what>salt</what></holds></chest></all>\n");
    folder.put("base/b.yaml", "blue:\n  holds:\n    - what: salt\n");
    for (chest, fragment) in [
        ("red", "<holds><what>tar</what><many>3</many></holds>\n<holds><what>wax</what></holds>"),
        ("blue", "- what: tar\n  many: 3\n- what: wax\n"),
        ("blue", "holds:\n  - what: oil\n    many: 5"),
        ("blue", "what: pitch"),
    ] {
        let run = folder.run_with(&["paste", &format!("chest/{chest}"), "--into", "holds"], fragment);
        assert_eq!(run.code, 0, "{fragment}: {run:?}");
    }
    let many = |chest: &str, what: &str| {
        let shown = folder.run(&["show", &format!("chest/{chest}"), "--format", "json"]).json();
        let path = format!("holds[what={what}]");
        let row = shown["values"].as_array().unwrap().iter().find(|row| row["path"] == path.as_str()).cloned();
        row.map_or(serde_json::Value::Null, |row| row["value"]["many"].clone())
    };
    assert_eq!((many("red", "tar"), many("red", "wax"), many("blue", "tar")), (3.into(), 1.into(), 3.into()));
    assert_eq!((many("blue", "oil"), many("blue", "pitch")), (5.into(), 1.into()));
    assert_eq!(folder.run(&["check"]).code, 0);
}
