//! What checks would say of a change is in its way, or told beside it.

use super::super::{
    Assignment, CopyOptions, ManyOptions, NewOptions, Selection, SetOptions, Start, copy, new_definition, set, set_many,
};
use crate::check::Finding;
use crate::effective::World;
use crate::source::MemorySource;

const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.json"
id = "id"
[texts]
files = "texts/{language}.yaml"
[[where]]
files = "goods/*.yaml"
cut = "{}"
kind = "good"
[[where]]
files = "lamps/*.yaml"
kind = "lamp"
[[severity]]
code = "value-not-unique"
field = "shelf"
is = "warning"
[kinds.good]
again = "merge"
[kinds.good.retired]
gone_since = true
[kinds.good.fields]
"sort" = { type = "choice", words = ["fuel", "food"], default = "food" }
"number" = { type = "integer", unique = true, optional = true }
"shelf" = { type = "integer", unique = true, optional = true }
"price" = { type = "integer", default = 1 }
"cost" = { type = "integer", default = 1 }
"gone_since" = { type = "text", optional = true }
"look" = { file = "art/*.png", optional = true }
"name" = { text = "*", optional = true }
[[kinds.good.rules]]
require = "price >= cost"
message = "it costs {cost}, more than it brings"
[kinds.lamp]
again = "merge"
[kinds.lamp.fields]
"burns" = { link = "good", target = { sort = "fuel" } }
"other[]" = { link = "good", list = "set", optional = true, target = { sort = "fuel" } }
"#;

fn source() -> MemorySource {
    MemorySource::new([
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n"),
        ("rulebook.toml", RULEBOOK),
        ("mods/m/mod.json", "{ \"id\": \"m\" }\n"),
        (
            "base/goods/a.yaml",
            "peat:\n  sort: fuel\n  price: 3\n  number: 7\n  shelf: 2\nreed:\n  number: 8\nrush:\n  sort: fuel\n  gone_since: \"2\"\n",
        ),
        ("base/lamps/tin.yaml", "burns: peat\n"),
        ("base/texts/en.yaml", "name.peat: Peat\n"),
        ("base/art/peat.png", ""),
    ])
}

/// What is told beside a command, as codes; or why it is refused.
fn told(command: &str) -> Result<Vec<String>, String> {
    let source = source();
    let mut world = World::load(&source).unwrap();
    let mut words = command.split(' ');
    let (what, address) = (words.next().unwrap(), words.next().unwrap());
    let assignments = words.map(|one| Assignment::parse(one).unwrap()).collect::<Vec<_>>();
    let catalog = world.catalog();
    let layer = catalog.layer_named("m").unwrap();
    let (kind, id) = address.split_once('/').unwrap();
    let kind = catalog.rulebook().kind_named(kind).unwrap();
    let id = id.to_owned();
    let codes = |told: Vec<Finding>| told.into_iter().map(|finding| finding.code.to_string()).collect::<Vec<_>>();
    match what {
        "set" => {
            let options = SetOptions { layer, kind, id, assignments, why: None, at_anchor: false };
            set(&mut world, &options).map(|report| codes(report.told)).map_err(|error| error.to_string())
        }
        "many" => {
            let selection = Selection { kind: Some(kind), ..Selection::default() };
            let options = ManyOptions { selection, assignments, ..ManyOptions::none(layer) };
            set_many(&mut world, &options).map(|report| codes(report.told)).map_err(|error| error.to_string())
        }
        "new" => {
            let options = NewOptions { layer, kind, id, assignments, like: None, name: None };
            new_definition(&mut world, &options).map(|made| codes(made.told)).map_err(|error| error.to_string())
        }
        original => {
            let original = catalog.address(kind, original).unwrap();
            let start = Some(Start::Whole);
            let options = CopyOptions { layer, original, id, start, with: Vec::new(), assignments, name: None };
            copy(&mut world, &options).map(|made| codes(made.told)).map_err(|error| error.to_string())
        }
    }
}

#[test]
fn what_is_wrong_in_itself_is_refused() {
    let unfit = |field: &str| {
        format!(
            "`good/reed` does not fit here: `{field}` asks that `sort` is `fuel`\n  help: these fit: `peat`, `rush`"
        )
    };
    let taken = |number: &str, by: &str| {
        format!(
            "`number` is `{number}`, which `good/{by}` has already; it must be its own\n  help: `cognomen ids good.number` says which are free"
        )
    };
    for (command, wanted) in [
        ("set lamp/tin burns=reed", unfit("burns")),
        ("set lamp/tin other=peat,reed", unfit("other[]")),
        ("many lamp/ burns=reed", format!("`lamp/tin`: {}", unfit("burns"))),
        ("new lamp/oil burns=reed", unfit("burns")),
        ("tin lamp/oil burns=reed", unfit("burns")),
        ("set good/reed number=7", taken("7", "peat")),
        ("new good/ash number=8", taken("8", "reed")),
        ("many good/ number=5", format!("`good/reed`: {}", taken("5", "peat"))),
    ] {
        assert_eq!(told(command), Err(wanted), "{command}");
    }
}

#[test]
fn what_may_still_come_is_told_beside() {
    for (command, wanted) in [
        ("set lamp/tin burns=rush", vec!["retired-yet-used"]),
        ("set good/peat look=bog", vec!["file-lacking"]),
        ("set good/peat look=peat name=name.peat", vec![]),
        ("set good/peat name=name.bog", vec!["text-lacking"]),
        ("set good/peat cost=9", vec!["rule-broken"]),
        ("set good/peat cost=9 price=9", vec![]),
        ("new good/ash cost=2 look=ash", vec!["file-lacking", "rule-broken"]),
        // the rulebook says how bad it is here
        ("set good/reed shelf=2", vec!["value-not-unique"]),
        ("many good/ look=bog", vec!["file-lacking", "file-lacking", "file-lacking", "retired-yet-used"]),
        ("peat good/turf cost=9", vec!["rule-broken"]),
        // the copy has no number yet
        ("peat good/turf price=5", vec![]),
    ] {
        assert_eq!(told(command).map(|told| told.join(" ")), Ok(wanted.join(" ")), "{command}");
    }
}
