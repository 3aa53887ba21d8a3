//! `set` of many definitions: those for which a condition holds, the members of a group, those that `find` gave.
#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing, clippy::expect_used)]

mod common;

use common::Folder;

const FUEL: [&str; 7] = ["set", "--mod", "rope-and-oil", "--kind", "item", "--where", "'fuel' in tags"];

fn amended(folder: &Folder) -> String {
    folder.read("mods/rope-and-oil/amendments/item.toml")
}

#[test]
fn one_amendment_says_it_of_all_and_goes_on_from_there() {
    let folder = Folder::demo();
    let before = folder.all("mods");
    let line = |more: &[&'static str]| [&FUEL[..], more].concat();
    let asked = folder.run(&line(&["burn_minutes*=1.2"]));
    assert_eq!((asked.code, asked.err.contains("8 definitions would change; `--yes` does it")), (2, true), "{asked:?}");
    assert_eq!(folder.all("mods"), before);
    let run = folder.run(&line(&["burn_minutes*=1.2", "--yes", "--why", "Winters are long.", "--color", "never"]));
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("item/bog-oak        Bog oak        240 → 288 min\n"), "{}", run.out);
    assert!(run.out.contains("8 definitions change: one amendment for 8\n"), "{}", run.out);
    let block = "\n[[amend]]\neach = { kind = \"item\", where = \"'fuel' in tags\" }\nmultiply = { burn_minutes = 1.2 }\nwhy = \"Winters are long.\"\n";
    assert!(amended(&folder).ends_with(block), "{}", amended(&folder));
    assert_eq!(folder.run(&["check", "--mod", "rope-and-oil"]).code, 0);
    // a second factor is composed with the first
    folder.run(&line(&["burn_minutes*=0.5", "--yes"]));
    assert!(amended(&folder).contains("multiply = { burn_minutes = 0.6 }\n"), "{}", amended(&folder));
    let shown = folder.run(&["show", "item/bog-oak", "--format", "json"]).json();
    let burns = shown["values"].as_array().unwrap().iter().find(|row| row["path"] == "burn_minutes").unwrap();
    assert_eq!(burns["value"], 144, "{burns}");
    folder.run(&["undo"]);
    folder.run(&["undo"]);
    assert_eq!(folder.all("mods"), before);
}

#[test]
fn each_gets_its_own_where_one_would_say_something_else() {
    let folder = Folder::demo();
    let each = [&FUEL[..], &["burn_minutes*=1.2", "--yes", "--each"]].concat();
    assert!(folder.run(&each).out.contains("8 by amendments of their own"));
    assert_eq!(amended(&folder).matches("of = \"item/").count(), 8);
    // on what the mod itself has changed a condition would be tried as it was before
    let dear = ["set", "--mod", "rope-and-oil", "--kind", "item", "--where", "value > 60", "value*=0.5", "--yes"];
    assert!(folder.run(&dear).out.contains("one amendment for 2"));
    let run = folder.run(&[
        "set",
        "--mod",
        "rope-and-oil",
        "--kind",
        "item",
        "--where",
        "value > 44",
        "value=40",
        "--yes",
        "--color",
        "never",
    ]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(!run.out.contains("item/punt"), "{}", run.out);
    assert!(run.out.contains("3 definitions change: 3 by amendments of their own\n"), "{}", run.out);
    let members = folder.run(&[
        "set",
        "--mod",
        "rope-and-oil",
        "--kind",
        "item",
        "--tagged",
        "winter-store",
        "keeps_days=400",
        "--yes",
        "--color",
        "never",
    ]);
    assert!(members.out.contains("item/fen-honey     Fen honey      stays 400 days\n"), "{}", members.out);
    assert_eq!(folder.run(&["check", "--mod", "rope-and-oil", "--quiet"]).code, 0);
}

#[test]
fn the_mods_own_change_where_they_stand() {
    let folder = Folder::demo();
    let line = [
        "set",
        "--mod",
        "smoke-and-salt",
        "--kind",
        "item",
        "--where",
        "'preserved' in tags and value > 12",
        "value+=1",
    ];
    let run = folder.run(&[&line[..], &["--yes", "--color", "never"]].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("in the mod's own files"), "{}", run.out);
    assert!(folder.read("mods/smoke-and-salt/goods/preserves.json").contains("\"value\": 71,"), "{}", run.out);
    let answer = folder
        .run(&[
            "set",
            "--mod",
            "smoke-and-salt",
            "--kind",
            "item",
            "--where",
            "value > 70",
            "value=70",
            "--yes",
            "--format",
            "json",
        ])
        .json();
    assert_eq!(answer["written"], true);
    assert!(answer["definitions"].as_array().unwrap().iter().any(|one| one["address"] == "item/eel-keg"));
}

#[test]
fn what_find_gives_comes_in() {
    let folder = Folder::demo();
    let found = folder.run(&["find", "--kind", "recipe", "oil", "--color", "never"]);
    let run =
        folder.run_with(&["set", "-", "minutes*=0.5", "--yes", "--color", "never", "--mod", "lean-winter"], &found.out);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("recipe/press-oil    60 → 30 min\n"), "{}", run.out);
    let nothing = folder.run_with(&["set", "-", "minutes*=0.5", "--yes"], "nonsense\n");
    assert!(nothing.err.contains("no address came in"), "{}", nothing.err);
}

#[test]
fn slips_are_said_and_nothing_is_written() {
    let folder = Folder::demo();
    let before = folder.all("mods");
    for (line, code, said) in [
        (&["set", "--kind", "item", "burn_minutes*=2", "--yes"][..], 3, "`item/ale`: `burn_minutes` has no number"),
        (
            &["set", "--where", "burn_minute > 3", "burn_minutes*=2", "--yes"],
            2,
            "the nearest known field is `burn_minutes`",
        ),
        (&["set", "--kind", "item", "burn_minutez*=2", "--yes"], 3, "the nearest known field is `burn_minutes`"),
        (&["set", "--kind", "itm", "burn_minutes*=2", "--yes"], 3, "the nearest one is `item`"),
        (&["set", "--kind", "item", "--where", "value > 60"], 2, "what is to change?"),
        (&["set", "item/eel", "--where", "value > 60", "value=3"], 2, "not both"),
        (&["set", "--kind", "item", "--tagged", "winter-stores", "value=3"], 3, "`tag/winter-store`"),
        (
            &["set", "--kind", "item", "--where", "value > 60", "tags+=wett", "--yes"],
            3,
            "the nearest known one is `wet`",
        ),
        (&["set", "--kind", "item", "--where", "value > 6000", "value=3"], 3, "nothing is selected"),
        (&["set", "--kind", "item", "--where", "value > 60", "value=-3", "--yes"], 3, "`item/punt`"),
        // what one definition could not be left without, many cannot either
        (
            &["set", "--kind", "recipe", "--where", "id is startingwith('bake')", "gives=[]", "--yes"],
            3,
            "`recipe/bake-eel-pie`: `gives` takes a list (keyed), each a table, 1 to 4 of them",
        ),
        (
            &["set", "--kind", "recipe", "--where", "id is startingwith('bake')", "--unset", "minutes", "--yes"],
            3,
            "recipe/bake-eel-pie would lack the field `minutes`",
        ),
        (
            &[
                "set",
                "--kind",
                "recipe",
                "--where",
                "id is startingwith('rake-grey')",
                "gives=[]",
                "--yes",
                "--mod",
                "smoke-and-salt",
            ],
            3,
            "`recipe/rake-grey-salt`: `gives` takes",
        ),
        (
            &[
                "set",
                "--kind",
                "recipe",
                "--where",
                "id is startingwith('rake-grey')",
                "--unset",
                "minutes",
                "--yes",
                "--mod",
                "smoke-and-salt",
            ],
            3,
            "recipe/rake-grey-salt would lack the field `minutes`",
        ),
    ] {
        let of_mod = if line.contains(&"--mod") { &[][..] } else { &["--mod", "rope-and-oil"] };
        let run = folder.run(&[line, of_mod].concat());
        assert_eq!(run.code, code, "{line:?}: {}{}", run.out, run.err);
        assert!(run.err.contains(said), "{line:?}: {}", run.err);
    }
    assert_eq!(folder.all("mods"), before);
}

#[test]
fn all_matches_of_a_search_go_out_of_a_list_in_whatever_form_they_stand_there() {
    let folder = Folder::empty();
    folder
        .put("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n");
    folder.put(
        "r.toml",
        "rulebook = 1\n[manifest]\nfile = \"mod.json\"\nid = \"id\"\n[[where]]\nfiles = \"goods.json\"\ncut = \"{}\"\nkind = \"good\"\n\
         [[where]]\nfiles = \"stalls.json\"\ncut = \"{}\"\nkind = \"stall\"\n[kinds.good.fields]\nprice = { type = \"integer\" }\n\
         [kinds.stall.fields]\n\"sells[]\" = { link = \"good\", form = [\"{id}\", \"good:{id}\", \"good:{id}@*\"], list = \"set\" }\n\
         \"row[]\" = { link = \"good\", form = [\"{id}\", \"good:{id}\"], list = \"sequence\" }\n\
         \"lots[]\" = { list = \"keyed\", by = \"of\" }\n\"lots[].of\" = { link = \"good\", form = [\"{id}\", \"good:{id}\"] }\n\
         \"lots[].many\" = { type = \"integer\", default = 1 }\n",
    );
    folder.put(
        "base/goods.json",
        "{ \"peat\": { \"price\": 1 }, \"eel\": { \"price\": 2 }, \"reed\": { \"price\": 3 } }\n",
    );
    folder.put("mods/m/mod.json", "{ \"id\": \"m\" }\n");
    folder.put(
        "mods/m/stalls.json",
        "{ \"quay\": { \"sells\": [\"good:peat@north\", \"good:reed\"], \"row\": [\"peat\", \"reed\", \"good:eel\", \"peat\"], \
         \"lots\": [{ \"of\": \"good:peat\", \"many\": 2 }, { \"of\": \"reed\" }] } }\n",
    );
    let found = folder.run(&["find", "--kind", "good", "--where", "price < 3"]).out;
    let run = folder.run_with(&["set", "stall/quay", "sells-=-", "row-=-", "lots-=-"], &found);
    assert_eq!(run.code, 0, "{run:?}");
    let left = "{ \"quay\": { \"sells\": [\"good:reed\"], \"row\": [\"reed\"], \"lots\": [{ \"of\": \"reed\" }] } }\n";
    assert_eq!(folder.read("mods/m/stalls.json"), left);
    assert_eq!(folder.run(&["check"]).code, 0);
}

#[test]
fn all_matches_of_a_search_go_into_one_list() {
    let folder = Folder::demo();
    let found = folder.run(&["find", "--kind", "item", "lamp"]).out;
    let set = |line: &[&str]| folder.run_with(&[line, &["--mod", "first-steps", "--color", "never"]].concat(), &found);
    let run = set(&["set", "stock/pedlar", "goods+={\"what\": \"-\", \"amount\": 3}"]);
    // one of them is there already
    assert_eq!(
        run.out.lines().next(),
        Some("stock/pedlar goods: + what fen-lamp, amount 3; + what lamp-oil, amount 3"),
        "{}",
        run.err
    );
    let run = set(&["set", "stock/pedlar", "goods-=-"]);
    assert!(run.out.starts_with("stock/pedlar goods: − what old-lamp; − what fen-lamp"), "{}{}", run.out, run.err);
    let run = set(&["set", "stock/pedlar", "goods-=-"]);
    assert!(run.err.contains("nothing was written"), "{}{}", run.out, run.err);
    let run = set(&["set", "stock/pedlar", "goods+=-"]);
    assert!(run.out.contains("+ what old-lamp"), "{}{}", run.out, run.err);
    for (line, said) in [
        (&["set", "stock/pedlar", "shelf+=-"][..], "takes no matches"),
        (&["set", "recipe/press-oil", "at+=-"], "takes no matches"),
        (&["set", "unit/fen-hound", "traits+=-"], "cannot stand in `traits`"),
    ] {
        let run = set(line);
        assert!(run.code != 0 && run.err.contains(said), "{line:?}: {}", run.err);
    }
    assert_eq!(folder.run(&["check", "--mod", "long-night"]).code, 0);
}
