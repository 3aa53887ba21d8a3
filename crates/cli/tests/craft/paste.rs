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
