//! Worked cases of layers, and laws on random collections.

use std::collections::BTreeMap;

use proptest::prelude::*;

use super::World;
use crate::document::{Draft, FieldPath};
use crate::ship::build;
use crate::source::{FolderSource, MemorySource};

const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.toml"
id = "id"
requires = "needs[]"
[[where]]
files = "m/*.json"
cut = "{}"
kind = "m"
[[where]]
files = "r/*.json"
cut = "{}"
kind = "r"
[[where]]
files = "bag/*.json"
cut = "{}"
kind = "bag"
[kinds.m]
parent = "like"
again = "merge"
[kinds.r]
parent = "like"
again = "replace"
[kinds.bag]
again = "merge"
[kinds.m.fields]
"n" = { type = "integer", optional = true }
"k" = { type = "integer", default = 10 }
"x" = { type = "number", optional = true }
"t.a" = { type = "integer", optional = true }
"t.b" = { type = "integer", optional = true }
"s[]" = { type = "text", list = "set", optional = true }
"d[]" = { list = "keyed", by = "of", optional = true }
"d[].of" = { type = "text" }
"d[].c" = { type = "number", default = 1 }
[kinds.r.fields]
"n" = { type = "integer", optional = true }
"k" = { type = "integer", default = 10 }
"x" = { type = "number", optional = true }
"t.a" = { type = "integer", optional = true }
"t.b" = { type = "integer", optional = true }
"s[]" = { type = "text", list = "set", optional = true }
"d[]" = { list = "keyed", by = "of", optional = true }
"d[].of" = { type = "text" }
"d[].c" = { type = "number", default = 1 }
[kinds.bag.fields]
"all[]" = { type = "text", list = "set", join = true, optional = true }
"#;

fn source(files: &[(&str, &str)]) -> MemorySource {
    let mut source = MemorySource::new(files.iter().map(|(path, text)| ((*path).to_owned(), text.as_bytes().to_vec())));
    source.put("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n");
    source.put("rulebook.toml", RULEBOOK);
    let ids: Vec<String> = files
        .iter()
        .filter_map(|(path, _)| path.strip_prefix("mods/")?.split_once('/').map(|(id, _)| id.to_owned()))
        .collect();
    for id in ids {
        let path = format!("mods/{id}/mod.toml");
        if !source.files().contains_key(&path) {
            source.put(&path, format!("id = \"{id}\"\n"));
        }
    }
    if !files.iter().any(|(path, _)| path.starts_with("base/")) {
        source.put("base/m/none.json", "{}");
    }
    source
}

fn value(world: &World, address: &str, path: &str) -> String {
    let catalog = world.catalog();
    let (kind, id) = address.split_once('/').unwrap();
    let address = catalog.address(catalog.rulebook().kind_named(kind).unwrap(), id).unwrap();
    let Some(effective) = world.view().effective(address) else { return "gone".to_owned() };
    let value = effective.get(catalog, &FieldPath::parse(path).unwrap());
    value.map_or("absent".to_owned(), |value| value.draft(catalog).short())
}

/// One case: its name, files, and what shows at which address and path.
type Worked<'c> = (&'c str, &'c [(&'c str, &'c str)], &'c [(&'c str, &'c str, &'c str)]);

#[test]
fn worked_cases_come_out_as_described() {
    let head = "amendments = 1\n[[amend]]\n";
    let amend = |text: &str| format!("{head}{text}");
    let burn = amend("of = \"r/lamp\"\nset = { n = 55 }");
    let half_more = amend("of = \"r/oil\"\nmultiply = { n = 1.5 }");
    let double_inherited = amend("of = \"m/peat\"\nmultiply = { n = 2 }");
    let of_default = amend("of = \"m/peat\"\nmultiply = { k = 1.5 }");
    let condition = "amendments = 1\n[[amend]]\nof = \"m/peat\"\nadd = { s = [\"fuel\"] }\n[[amend]]\nwhich = { kind = \"m\", if = \"s is defined and 'fuel' in s\" }\nmultiply = { n = 2 }\n";
    let unset = amend("of = \"m/peat\"\nunset = [\"n\"]");
    let nested = amend("of = \"m/peat\"\nset = { t = { a = 9 } }");
    let dotted = amend("of = \"m/peat\"\nset = { \"t.a\" = 9 }");
    let whole = amend("of = \"r/peat\"\nreplace = { t = { a = 9 } }");
    let entry = amend("of = \"m/child\"\nset = { \"d[of=reed].c\" = 0.3 }");
    let own_change = "amendments = 1\n[[amend]]\nof = \"m/fuel\"\nset = { n = 30 }\n[[amend]]\nof = \"m/peat\"\nmultiply = { n = 2 }\n";
    let joined = amend("of = \"bag/all\"\nadd = { all = [\"c\"] }");
    let rounded = "amendments = 1\n[[amend]]\nof = \"m/peat\"\nmultiply = { n = 1.5 }\n[[amend]]\nof = \"m/peat\"\nmultiply = { n = 1.5 }\n";
    let cases: &[Worked<'_>] = &[
        (
            "a whole definition above takes an amendment back",
            &[
                ("base/r/a.json", r#"{"lamp": {"n": 40, "k": 10}}"#),
                ("mods/b/amendments/a.toml", &burn),
                ("mods/c/r/a.json", r#"{"lamp": {"n": 40, "k": 12}}"#),
            ],
            &[("r/lamp", "n", "40"), ("r/lamp", "k", "12")],
        ),
        (
            "what a mod multiplies is built from its own ground",
            &[
                ("base/r/a.json", r#"{"oil": {"n": 10}}"#),
                ("mods/a/r/a.json", r#"{"oil": {"n": 20}}"#),
                ("mods/b/amendments/a.toml", &half_more),
            ],
            &[("r/oil", "n", "15")],
        ),
        (
            "a mod that requires the other stands on it",
            &[
                ("base/r/a.json", r#"{"oil": {"n": 10}}"#),
                ("mods/a/r/a.json", r#"{"oil": {"n": 20}}"#),
                ("mods/b/mod.toml", "id = \"b\"\nneeds = [\"a\"]"),
                ("mods/b/amendments/a.toml", &half_more),
            ],
            &[("r/oil", "n", "30")],
        ),
        (
            "an operation waits for the inherited value",
            &[
                ("base/m/a.json", r#"{"fuel": {"n": 10}, "peat": {"like": "fuel"}}"#),
                ("mods/b/amendments/a.toml", &double_inherited),
                ("mods/c/m/a.json", r#"{"fuel": {"n": 30}}"#),
            ],
            &[("m/peat", "n", "20"), ("m/fuel", "n", "30")],
        ),
        (
            "a mod's change of the parent counts for its own operation",
            &[
                ("base/m/a.json", r#"{"fuel": {"n": 10}, "peat": {"like": "fuel"}}"#),
                ("mods/b/amendments/a.toml", own_change),
            ],
            &[("m/peat", "n", "60")],
        ),
        (
            "an operation waits for the default",
            &[("base/m/a.json", r#"{"peat": {}}"#), ("mods/b/amendments/a.toml", &of_default)],
            &[("m/peat", "k", "15")],
        ),
        (
            "a condition selects before the mod's own amendments",
            &[
                ("base/m/a.json", r#"{"peat": {"n": 5}, "oak": {"n": 5, "s": ["fuel"]}}"#),
                ("mods/b/amendments/a.toml", condition),
            ],
            &[("m/peat", "n", "5"), ("m/oak", "n", "10"), ("m/peat", "s", "[fuel]")],
        ),
        (
            "a condition does not see what mods outside the ground do",
            &[
                ("base/m/a.json", r#"{"peat": {"n": 5}, "oak": {"n": 5, "s": ["fuel"]}}"#),
                ("mods/a/m/a.json", r#"{"peat": {"s": ["fuel"]}}"#),
                ("mods/b/amendments/a.toml", condition.split("[[amend]]\nof").next().map(|_| condition).unwrap()),
            ],
            &[("m/oak", "n", "10")],
        ),
        (
            "a definition whose parent is itself continues what lies below",
            &[
                ("base/r/a.json", r#"{"p": {"n": 1}, "x": {"like": "p", "k": 3}}"#),
                ("mods/a/r/a.json", r#"{"x": {"like": "x", "k": 4}}"#),
            ],
            &[("r/x", "n", "1"), ("r/x", "k", "4"), ("r/x", "like", "p")],
        ),
        (
            "parents are looked up after all layers are laid",
            &[("base/m/a.json", r#"{"p": {"n": 1}, "c": {"like": "p"}}"#), ("mods/a/m/a.json", r#"{"p": {"n": 2}}"#)],
            &[("m/c", "n", "2")],
        ),
        (
            "what is unset shows what is inherited",
            &[
                ("base/m/a.json", r#"{"fuel": {"n": 3}, "peat": {"like": "fuel", "n": 7}}"#),
                ("mods/b/amendments/a.toml", &unset),
            ],
            &[("m/peat", "n", "3")],
        ),
        (
            "nested tables and dotted paths reach single fields",
            &[
                ("base/m/a.json", r#"{"peat": {"t": {"a": 1, "b": 2}}}"#),
                ("mods/b/amendments/a.toml", &nested),
                ("mods/c/amendments/a.toml", &dotted),
            ],
            &[("m/peat", "t.a", "9"), ("m/peat", "t.b", "2")],
        ),
        (
            "replace takes the place of the whole table",
            &[("base/r/a.json", r#"{"peat": {"t": {"a": 1, "b": 2}}}"#), ("mods/b/amendments/a.toml", &whole)],
            &[("r/peat", "t", "{a: 9}")],
        ),
        (
            "an entry of an inherited list is changed by taking the list over",
            &[
                ("base/m/a.json", r#"{"p": {"d": [{"of": "reed", "c": 0.5}, {"of": "eel"}]}, "child": {"like": "p"}}"#),
                ("mods/b/amendments/a.toml", &entry),
            ],
            &[("m/child", "d[of=reed].c", "0.3"), ("m/child", "d[of=eel].c", "1"), ("m/p", "d[of=reed].c", "0.5")],
        ),
        (
            "joined lists are added to, from several mods",
            &[
                ("base/bag/a.json", r#"{"all": {"all": ["a"]}}"#),
                ("mods/a/bag/a.json", r#"{"all": {"all": ["b", "a"]}}"#),
                ("mods/b/amendments/a.toml", &joined),
            ],
            &[("bag/all", "all", "[a, b, c]")],
        ),
        (
            "numbers are rounded once, at the end",
            &[("base/m/a.json", r#"{"peat": {"n": 5}}"#), ("mods/b/amendments/a.toml", rounded)],
            &[("m/peat", "n", "11")],
        ),
        (
            "a whole copy is rounded as well",
            &[("base/r/a.json", r#"{"oil": {"n": 1}}"#), ("mods/b/amendments/a.toml", &half_more)],
            &[("r/oil", "n", "2")],
        ),
        (
            "ids as written, also digits only",
            &[("base/m/a.json", r#"{"0777": {"n": 5}, "c": {"like": "0777"}}"#)],
            &[("m/c", "n", "5")],
        ),
    ];
    for (name, files, wanted) in cases {
        let world = World::load(&source(files)).unwrap();
        for (address, path, wanted) in *wanted {
            assert_eq!(value(&world, address, path), *wanted, "{name}: {address} {path}");
        }
    }
}

#[test]
fn every_value_knows_where_it_comes_from() {
    let amend = "amendments = 1\n[[amend]]\nof = \"r/lamp\"\nset = { n = 55 }\n";
    let world = World::load(&source(&[
        ("base/r/a.json", r#"{"lamp": {"n": 40, "x": 2, "d": [{"of": "reed"}]}}"#),
        ("mods/b/amendments/a.toml", amend),
    ]))
    .unwrap();
    let catalog = world.catalog();
    let address = catalog.address(catalog.rulebook().kind_named("r").unwrap(), "lamp").unwrap();
    let shown = crate::look::show(&world.view(), address).unwrap();
    let text = |path: &str| {
        let row = shown.rows.iter().find(|row| row.path.to_string() == path).unwrap();
        let place = |place: Option<crate::source::Place>| {
            place.map_or("nowhere", |place| place.span.of(catalog.text(place.file))).to_owned()
        };
        let was: Vec<String> = row.earlier.iter().map(|step| step.value.short()).collect();
        (place(row.now.place), was.join(","), row.now.carried.is_some())
    };
    assert_eq!(text("n"), ("55".to_owned(), "40".to_owned(), false));
    assert_eq!(text("x"), ("2".to_owned(), String::new(), true));
    assert_eq!(text("d[of=reed]"), ("{\"of\": \"reed\"}".to_owned(), String::new(), true));
    assert_eq!(text("k"), ("nowhere".to_owned(), String::new(), false));
}

/// All effective values, with defaults, as text.
fn everything(world: &World) -> BTreeMap<String, String> {
    let catalog = world.catalog();
    let shown = |address| {
        let effective = world.view().effective(address)?;
        Some((catalog.show_address(address), sorted(&effective.whole(catalog).draft(catalog))))
    };
    catalog.addresses().into_iter().filter_map(shown).collect()
}

fn sorted(draft: &Draft) -> String {
    match draft {
        Draft::Table(entries) => {
            let all: BTreeMap<&String, String> = entries.iter().map(|(k, v)| (k, sorted(v))).collect();
            // a table in which nothing is stated is as good as none
            let said = all.into_iter().filter(|(_, value)| value != "{}");
            format!("{{{}}}", said.map(|(k, v)| format!("{k}: {v}")).collect::<Vec<_>>().join(", "))
        }
        Draft::List(items) => {
            let mut items: Vec<String> = items.iter().map(sorted).collect();
            items.sort();
            format!("[{}]", items.join(", "))
        }
        Draft::Number(number) => number.decimal().map_or(number.to_string(), |n| n.normalize().to_string()),
        other => other.short(),
    }
}

/// Which id, its fields, its parent.
type RandomDefinition = (usize, Vec<(usize, i64)>, Option<usize>);

#[derive(Clone, Debug)]
struct RandomLayer {
    definitions: Vec<RandomDefinition>,
    amendments: Vec<(usize, usize, usize, i64)>,
    needs: bool,
}

const IDS: [&str; 6] = ["m/a", "m/b", "m/c", "r/a", "r/b", "r/c"];

fn field(at: usize, number: i64) -> (&'static str, String) {
    match at % 8 {
        0 => ("n", number.to_string()),
        1 => ("k", number.to_string()),
        2 => ("x", format!("{number}.5")),
        3 => ("t", format!("{{\"a\": {number}}}")),
        4 => ("t", format!("{{\"b\": {number}}}")),
        5 => ("s", format!("[\"w{}\"]", number % 3)),
        6 => ("s", format!("[\"w{}\", \"v\"]", number % 3)),
        _ => ("d", format!("[{{\"of\": \"e{}\", \"c\": {number}}}, {{\"of\": \"z\"}}]", number % 3)),
    }
}

fn layers() -> impl Strategy<Value = Vec<RandomLayer>> {
    let definition = (0usize..6, prop::collection::vec((0usize..8, 0i64..9), 0..5), prop::option::of(0usize..3));
    let amendment = (0usize..6, 0usize..9, 0usize..4, 1i64..5);
    let layer = (prop::collection::vec(definition, 0..5), prop::collection::vec(amendment, 0..4), any::<bool>())
        .prop_map(|(definitions, amendments, needs)| RandomLayer { definitions, amendments, needs });
    prop::collection::vec(layer, 1..4)
}

/// The files of random layers; the first is the base, and states every definition.
fn files(layers: &[RandomLayer]) -> Vec<(String, String)> {
    let mut out = Vec::new();
    for (nth, layer) in layers.iter().enumerate() {
        let folder = if nth == 0 { "base".to_owned() } else { format!("mods/l{nth}") };
        let mut kinds: BTreeMap<&str, BTreeMap<&str, String>> = BTreeMap::new();
        for (id, fields, parent) in &layer.definitions {
            let (kind, id) = IDS[*id].split_once('/').unwrap();
            let mut entries: BTreeMap<&str, String> = fields.iter().map(|(at, number)| field(*at, *number)).collect();
            // parents point to earlier ids only, so that there are no circles
            if let Some(parent) = parent.map(|p| ["a", "b", "c"][p]).filter(|parent| *parent < id) {
                entries.insert("like", format!("\"{parent}\""));
            }
            let entries: Vec<String> = entries.into_iter().map(|(key, value)| format!("\"{key}\": {value}")).collect();
            kinds.entry(kind).or_default().insert(id, format!("{{ {} }}", entries.join(", ")));
        }
        if nth == 0 {
            for id in IDS {
                let (kind, id) = id.split_once('/').unwrap();
                kinds.entry(kind).or_default().entry(id).or_insert_with(|| "{}".to_owned());
            }
        }
        for (kind, definitions) in kinds {
            let all: Vec<String> = definitions.into_iter().map(|(id, text)| format!("  \"{id}\": {text}")).collect();
            out.push((format!("{folder}/{kind}/all.json"), format!("{{\n{}\n}}\n", all.join(",\n"))));
        }
        if nth == 0 {
            continue;
        }
        let needs: Vec<String> = (1..nth).filter(|_| layer.needs).map(|at| format!("\"l{at}\"")).collect();
        out.push((format!("{folder}/mod.toml"), format!("id = \"l{nth}\"\nneeds = [{}]\n", needs.join(", "))));
        let mut text = "amendments = 1\n".to_owned();
        for (id, what, number, by) in &layer.amendments {
            let target = match what {
                8 => "which = { kind = \"m\", if = \"n is defined and n > 3\" }".to_owned(),
                _ => format!("of = \"{}\"", IDS[*id]),
            };
            let op = match what {
                0 | 8 => format!("multiply = {{ n = {by}.5 }}"),
                1 => format!("shift = {{ k = {number} }}"),
                2 => format!("set = {{ x = {by} }}"),
                3 => format!("set = {{ t.a = {by} }}"),
                4 => "add = { s = [\"new\"] }".to_owned(),
                5 => format!("remove = {{ s = [\"w{}\"] }}", number % 3),
                6 => format!("set = {{ \"d[of=e{}].c\" = {by} }}", number % 3),
                _ => format!("set = {{ s = [\"only\", \"w{number}\"] }}"),
            };
            text.push_str(&format!("[[amend]]\n{target}\n{op}\n"));
        }
        out.push((format!("{folder}/amendments/all.toml"), text));
    }
    out
}

proptest! {
    #[test]
    fn what_is_built_shows_the_same_as_the_amendments(layers in layers()) {
        let files = files(&layers);
        let named: Vec<(&str, &str)> = files.iter().map(|(path, text)| (path.as_str(), text.as_str())).collect();
        let mut source = source(&named);
        let world = World::load(&source).unwrap();
        let wanted = everything(&world);
        for (id, layer) in world.catalog().layers().skip(1) {
            let report = build(&world, &source, id).unwrap();
            let old: Vec<String> = source.files().keys().filter(|path| path.starts_with(&format!("{}/", layer.folder))).cloned().collect();
            let mut built = source.clone();
            for path in old {
                built.take(&path);
            }
            for file in report.files {
                built.put(&format!("{}/{}", layer.folder, file.path), file.bytes);
            }
            // one mod built, the others as they are
            let got = everything(&World::load(&built).unwrap());
            prop_assert_eq!(&got, &wanted, "mod {} built\n{:#?}\n{:#?}", layer.id, files, built.files().iter().map(|(p, b)| (p, String::from_utf8_lossy(b).into_owned())).collect::<Vec<_>>());
            source = built;
        }
    }

    #[test]
    fn a_replaced_file_is_as_good_as_everything_read_anew(before in layers(), after in layers()) {
        let (old, new) = (files(&before), files(&after));
        let named: Vec<(&str, &str)> = old.iter().map(|(path, text)| (path.as_str(), text.as_str())).collect();
        let mut source = source(&named);
        let mut world = World::load(&source).unwrap();
        for (path, text) in &new {
            let Some(file) = world.catalog().file_named(path) else { continue };
            if world.replace(file, text.as_str().into()) {
                source.put(path, text.as_bytes().to_vec());
            }
        }
        let anew = World::load(&source).unwrap();
        prop_assert_eq!(everything(&world), everything(&anew));
        let findings = |world: &World| {
            crate::check::check(world).iter().map(|f| (f.place, f.code.clone(), f.message.clone())).collect::<Vec<_>>()
        };
        prop_assert_eq!(findings(&world), findings(&anew));
    }
}

#[test]
fn the_demo_reads_from_a_folder() {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/peatlight");
    let world = World::load(&FolderSource::new(&root)).unwrap();
    assert!(world.catalog().definitions().count() > 80);
    assert_eq!(value(&world, "item/lamp-oil", "burn_minutes"), "55");
}
