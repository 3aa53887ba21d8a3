//! Worked cases: what a layer means, what clashes, what shows.

use super::{ChangeOp, Clashes, State, clashes, commute, intents, meant};
use crate::catalog::Address;
use crate::document::FieldPath;
use crate::effective::World;
use crate::source::MemorySource;

/// Lamps replace each other, peats are merged; both are based on each other, and gates come in variants.
const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.toml"
id = "id"
requires = "needs[]"
[[where]]
files = "lamps/*.json"
cut = "{}"
kind = "lamp"
[[where]]
files = "peats/*.json"
cut = "{}"
kind = "peat"
[[where]]
files = "gates.json"
cut = "[]"
kind = "gate"
[parts.all.fields]
"value" = { type = "integer", optional = true }
"burn" = { type = "integer", default = 1 }
"smell" = { type = "integer", unit = "ml", units = { ml = 1, l = 1000 }, optional = true }
"tags" = { one = true, optional = true }
"tags[]" = { type = "text", list = "set", optional = true }
"verses[]" = { type = "text", optional = true }
"calls[]" = { type = "text", join = true, optional = true }
"stones[]" = { type = "text", list = "bag", optional = true }
"drops[]" = { list = "keyed", by = "item", optional = true }
"drops[].item" = { type = "text" }
"drops[].chance" = { type = "number", optional = true }
[kinds.lamp]
part = "all"
parent = "like"
again = "replace"
space = "goods"
[kinds.lamp.fields]
[kinds.peat]
part = "all"
parent = "like"
again = "merge"
space = "goods"
removes = { state = "gone" }
[kinds.peat.fields]
"state" = { type = "choice", words = ["gone"], optional = true }
[kinds.gate]
name = "id"
again = "variant"
[kinds.gate.fields]
"width" = { type = "integer" }
"#;

/// A base and mods that load in the order of their ids; of each, files by path. A file `needs` holds requirements.
fn world(files: &[(&str, &str)]) -> World {
    let mut all = vec![
        (
            "cognomen.toml".to_owned(),
            "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n".to_owned(),
        ),
        ("rulebook.toml".to_owned(), RULEBOOK.to_owned()),
    ];
    for id in ["a", "b"] {
        let needs = files.iter().find(|(path, _)| *path == format!("{id}/needs")).map_or("", |(_, text)| *text);
        all.push((format!("mods/{id}/mod.toml"), format!("id = \"{id}\"\nneeds = [{needs}]\n")));
    }
    for (path, text) in files.iter().filter(|(path, _)| !path.ends_with("needs")) {
        let (path, text) = match path.strip_suffix("/amend") {
            Some(id) => (format!("mods/{id}/amendments/all.toml"), format!("amendments = 1\n[[amend]]\n{text}")),
            None if path.starts_with("base") => ((*path).to_owned(), (*text).to_owned()),
            None => (format!("mods/{path}"), (*text).to_owned()),
        };
        all.push((path, text));
    }
    World::load(&MemorySource::new(all)).unwrap()
}

fn address(world: &World, id: &str) -> Address {
    let found = world.catalog.addresses().into_iter().find(|at| world.catalog.show_address(*at) == id);
    found.unwrap_or_else(|| panic!("no {id}"))
}

/// What a mod means, a change in a line.
fn means(world: &World, id: &str) -> Vec<String> {
    let line = |change: &super::Change| {
        let what = match &change.op {
            ChangeOp::Exists => "exists".to_owned(),
            ChangeOp::Define(_) => "defined".to_owned(),
            ChangeOp::Delete => "deleted".to_owned(),
            ChangeOp::Set(value) => format!("= {}", value.short()),
            ChangeOp::Unset => "unset".to_owned(),
            ChangeOp::Hide => "hidden".to_owned(),
            ChangeOp::Join(value) => format!("+ {}", value.short()),
            ChangeOp::Part(value) => format!("- {}", value.short()),
            ChangeOp::Append(items) => format!("at its end {}", crate::document::Draft::List(items.clone()).short()),
            ChangeOp::Scale(by) => format!("* {by}"),
            ChangeOp::Shift(by) => format!("+= {by}"),
        };
        format!("{} {} {what}", world.catalog.show_address(change.at), change.path).replace("  ", " ")
    };
    intents(world, world.catalog.layer_named(id).unwrap()).iter().map(line).collect()
}

fn value(state: &State<'_>, world: &World, id: &str, path: &str) -> Option<String> {
    let effective = state.effective(address(world, id))?;
    Some(effective.get(&world.catalog, &FieldPath::parse(path).unwrap())?.draft(&world.catalog).short())
}

/// What is meant of a value, and what shows.
fn meant_and_shown(world: &World, id: &str, path: &str) -> (Option<String>, Option<String>) {
    let shown = State::of(world.view());
    (value(&meant(world).0, world, id, path), value(&shown, world, id, path))
}

fn some(a: &str, b: &str) -> (Option<String>, Option<String>) {
    (Some(a.to_owned()), Some(b.to_owned()))
}

fn counts(found: &Clashes) -> (usize, usize, usize) {
    (found.contradictions.len(), found.undone.len(), found.hanging.len())
}

const LAMP: (&str, &str) = ("base/lamps/all.json", "{ \"lamp\": { \"value\": 10, \"burn\": 40 } }");

#[test]
fn a_whole_copy_means_what_it_changes_and_undoes_what_it_carries() {
    let world = world(&[
        LAMP,
        ("a/amend", "of = \"lamp/lamp\"\nset = { burn = 55 }\n"),
        ("b/lamps/own.json", "{ \"lamp\": { \"value\": 12, \"burn\": 40 } }"),
    ]);
    assert_eq!(means(&world, "a"), ["lamp/lamp burn = 55"]);
    assert_eq!(means(&world, "b"), ["lamp/lamp value = 12"]);
    assert_eq!(meant_and_shown(&world, "lamp/lamp", "burn"), some("55", "40"));
    let found = clashes(&world);
    assert_eq!(counts(&found), (0, 1, 0));
    assert_eq!(found.undone[0].culprit.map(|(layer, _)| layer), world.catalog.layer_named("b"));
}

#[test]
fn a_number_that_is_made_from_another_ground_undoes_what_it_does_not_know() {
    let world = world(&[
        LAMP,
        ("a/lamps/own.json", "{ \"lamp\": { \"value\": 20, \"burn\": 40 } }"),
        ("b/amend", "of = \"lamp/lamp\"\nmultiply = { value = 1.5 }\n"),
    ]);
    assert_eq!(means(&world, "b"), ["lamp/lamp value * 1.5"]);
    assert_eq!(meant_and_shown(&world, "lamp/lamp", "value"), some("30", "15"));
    // setting and multiplying do not commute
    assert_eq!(counts(&clashes(&world)).0, 1);
}

#[test]
fn two_factors_agree_and_a_number_and_a_factor_do_not() {
    let amend = |id: &'static str, what: &'static str| (id, what);
    let scaled = world(&[
        LAMP,
        amend("a/amend", "of = \"lamp/lamp\"\nmultiply = { value = 1.5 }\n"),
        amend("b/amend", "of = \"lamp/lamp\"\nmultiply = { value = 2 }\n"),
    ]);
    assert_eq!(counts(&clashes(&scaled)).0, 0);
    assert_eq!(meant_and_shown(&scaled, "lamp/lamp", "value").0, Some("30".to_owned()));
    let set = world(&[
        LAMP,
        amend("a/amend", "of = \"lamp/lamp\"\nmultiply = { value = 1.5 }\n"),
        amend("b/amend", "of = \"lamp/lamp\"\nset = { value = 12 }\n"),
    ]);
    assert_eq!(counts(&clashes(&set)).0, 1);
    let same = world(&[
        LAMP,
        amend("a/amend", "of = \"lamp/lamp\"\nset = { value = 12 }\n"),
        amend("b/amend", "of = \"lamp/lamp\"\nset = { value = 12.0 }\n"),
    ]);
    assert_eq!(counts(&clashes(&same)), (0, 0, 0));
}

#[test]
fn an_operation_waits_for_the_inherited_value() {
    let world = world(&[
        ("base/peats/all.json", "{ \"fuel\": { \"burn\": 10 }, \"peat\": { \"like\": \"fuel\" } }"),
        ("a/amend", "of = \"peat/peat\"\nmultiply = { burn = 2 }\n"),
        ("b/peats/own.json", "{ \"fuel\": { \"burn\": 30 } }"),
    ]);
    assert_eq!(meant_and_shown(&world, "peat/peat", "burn"), some("60", "20"));
    assert_eq!(counts(&clashes(&world)), (0, 1, 0));
}

#[test]
fn a_flattened_copy_is_one_change_and_undoes_what_changes_its_parent() {
    let world = world(&[
        (
            "base/lamps/all.json",
            "{ \"fuel\": { \"burn\": 10, \"tags\": [\"dry\"] }, \"peat\": { \"like\": \"fuel\", \"value\": 3 } }",
        ),
        ("a/amend", "of = \"lamp/fuel\"\nset = { burn = 12 }\n"),
        ("b/lamps/own.json", "{ \"peat\": { \"value\": 4, \"burn\": 10, \"tags\": [\"dry\"] } }"),
    ]);
    assert_eq!(means(&world, "b"), ["lamp/peat value = 4"]);
    assert_eq!(meant_and_shown(&world, "lamp/peat", "burn"), some("12", "10"));
    assert_eq!(counts(&clashes(&world)), (0, 1, 0));
}

#[test]
fn what_is_changed_in_an_entry_that_is_gone_hangs() {
    let base = (
        "base/peats/all.json",
        "{ \"bog\": { \"drops\": [{ \"item\": \"reed\", \"chance\": 0.2 }, { \"item\": \"eel\" }] }, \"fen\": { \"like\": \"bog\" } }",
    );
    let direct = world(&[
        base,
        ("a/amend", "of = \"peat/bog\"\nremove = { drops = [\"reed\"] }\n"),
        ("b/amend", "of = \"peat/bog\"\nset = { \"drops[item=reed].chance\" = 0.3 }\n"),
    ]);
    assert_eq!(means(&direct, "a"), ["peat/bog drops - reed"]);
    assert_eq!(means(&direct, "b"), ["peat/bog drops[item=reed].chance = 0.3"]);
    let found = clashes(&direct);
    assert_eq!((found.contradictions.len(), found.hanging.len()), (1, 1));
    // the entry that the child inherits is gone in the parent
    let inherited = world(&[
        base,
        ("a/amend", "of = \"peat/bog\"\nremove = { drops = [\"reed\"] }\n"),
        ("b/amend", "of = \"peat/fen\"\nset = { \"drops[item=reed].chance\" = 0.3 }\n"),
    ]);
    let found = clashes(&inherited);
    assert_eq!((found.contradictions.len(), found.hanging.len()), (0, 1));
    assert_eq!(
        meant(&inherited).0.effective(address(&inherited, "peat/fen")).map(|fen| {
            fen.get(&inherited.catalog, &FieldPath::parse("drops").unwrap()).unwrap().draft(&inherited.catalog).short()
        }),
        Some("[{item: eel}]".to_owned())
    );
}

#[test]
fn one_removes_what_another_changes() {
    let world = world(&[
        ("base/peats/all.json", "{ \"bog\": { \"burn\": 10 } }"),
        ("a/peats/own.json", "{ \"bog\": { \"state\": \"gone\" } }"),
        ("b/peats/own.json", "{ \"bog\": { \"burn\": 12 } }"),
    ]);
    assert_eq!(means(&world, "a"), ["peat/bog deleted"]);
    assert_eq!(means(&world, "b"), ["peat/bog exists", "peat/bog burn = 12"]);
    assert!(!clashes(&world).contradictions.is_empty());
}

#[test]
fn values_are_compared_as_they_are_read() {
    let world = world(&[
        ("base/lamps/all.json", "{ \"lamp\": { \"smell\": \"500 ml\", \"tags\": [\"wet\"], \"value\": 4 } }"),
        ("a/lamps/own.json", "{ \"lamp\": { \"tags\": \"wet\", \"smell\": \"0.5 l\", \"value\": 4.0 } }"),
    ]);
    assert_eq!(means(&world, "a"), Vec::<String>::new());
    assert_eq!(counts(&clashes(&world)), (0, 0, 0));
}

#[test]
fn what_counts_beside_others_changes_none_of_them() {
    let gates = "[{ \"id\": \"sluice\", \"width\": 3 }]";
    let world = world(&[
        ("base/gates.json", gates),
        ("a/gates.json", "[{ \"id\": \"sluice\", \"width\": 4 }, { \"id\": \"sluice\", \"width\": 4 }]"),
        ("b/gates.json", "[{ \"id\": \"sluice\", \"width\": 5 }]"),
    ]);
    assert_eq!(means(&world, "a"), Vec::<String>::new());
    assert_eq!(counts(&clashes(&world)), (0, 0, 0));
    let layer = world.catalog.layer_named("a").unwrap();
    let report = super::changes(&world, layer, super::Against::Ground);
    assert_eq!(report.beside.iter().map(|one| (one.more, one.fewer)).collect::<Vec<_>>(), [(2, 0)]);
    assert!(report.added.is_empty() && report.changed.is_empty());
}

#[test]
fn lists_in_which_the_order_or_the_number_counts_change_by_what_comes_and_goes() {
    let base = ("base/lamps/all.json", "{ \"lamp\": { \"verses\": [\"one\"], \"stones\": [\"red\", \"red\"] } }");
    let world = world(&[
        base,
        ("a/lamps/own.json", "{ \"lamp\": { \"verses\": [\"one\", \"two\"], \"stones\": [\"red\", \"red\"] } }"),
        ("b/lamps/own.json", "{ \"lamp\": { \"verses\": [\"one\"], \"stones\": [\"blue\", \"red\"] } }"),
    ]);
    assert_eq!(means(&world, "a"), ["lamp/lamp verses at its end [two]"]);
    assert_eq!(means(&world, "b"), ["lamp/lamp stones - red", "lamp/lamp stones + blue"]);
    assert_eq!(meant_and_shown(&world, "lamp/lamp", "verses"), some("[one, two]", "[one]"));
    assert_eq!(counts(&clashes(&world)).0, 0);
}

#[test]
fn what_comes_to_a_joined_list_takes_nothing_out_of_it() {
    let world = world(&[
        ("base/peats/all.json", "{ \"bog\": { \"calls\": [\"hoo\"] } }"),
        ("a/peats/own.json", "{ \"bog\": { \"calls\": [\"haa\"] } }"),
        ("b/peats/own.json", "{ \"bog\": { \"calls\": [\"haa\"] } }"),
    ]);
    assert_eq!(means(&world, "a"), ["peat/bog exists", "peat/bog calls at its end [haa]"]);
    assert_eq!(meant_and_shown(&world, "peat/bog", "calls"), some("[hoo, haa, haa]", "[hoo, haa, haa]"));
    assert_eq!(counts(&clashes(&world)), (0, 0, 0));
}

#[test]
fn a_mod_that_stands_on_another_one_does_not_contradict_it() {
    let files = [
        LAMP,
        ("a/amend", "of = \"lamp/lamp\"\nset = { burn = 55 }\n"),
        ("b/amend", "of = \"lamp/lamp\"\nset = { burn = 70 }\n"),
        ("b/needs", "\"a\""),
    ];
    let stands = world(&files);
    assert_eq!(counts(&clashes(&stands)), (0, 0, 0));
    assert_eq!(meant_and_shown(&stands, "lamp/lamp", "burn"), some("70", "70"));
    let apart = world(&files[..3]);
    assert_eq!(counts(&clashes(&apart)).0, 1);
}

#[test]
fn an_amendment_that_cannot_be_done_neither_means_nor_freezes_anything() {
    // the list is only inherited, and has the entry already
    let world = world(&[
        ("base/peats/all.json", "{ \"bog\": { \"drops\": [{ \"item\": \"reed\" }] }, \"fen\": { \"like\": \"bog\" } }"),
        ("a/amend", "of = \"peat/fen\"\nadd = { drops = [{ item = \"reed\", chance = 1 }] }\n"),
        ("b/peats/own.json", "{ \"bog\": { \"drops\": [{ \"item\": \"eel\" }] } }"),
    ]);
    assert_eq!(means(&world, "a"), Vec::<String>::new());
    assert_eq!(meant_and_shown(&world, "peat/fen", "drops"), some("[{item: eel}]", "[{item: eel}]"));
}

#[test]
fn changes_of_different_places_commute_and_those_on_one_way_do_not() {
    let world = world(&[LAMP, ("a/amend", "of = \"lamp/lamp\"\nset = { burn = 1 }\n")]);
    let at = address(&world, "lamp/lamp");
    let set = |path: &str, value: &str| super::Change {
        at,
        path: FieldPath::parse(path).unwrap(),
        op: ChangeOp::Set(crate::document::Draft::Text(value.to_owned())),
        stated: None,
        why: None,
    };
    let commutes = |a: &super::Change, b: &super::Change| commute(&world.catalog, a, b);
    assert!(commutes(&set("burn", "1"), &set("value", "2")));
    assert!(commutes(&set("burn", "1"), &set("burn", "1")));
    assert!(!commutes(&set("burn", "1"), &set("burn", "2")));
    assert!(!commutes(&set("drops", "x"), &set("drops[item=reed].chance", "2")));
    let gone = super::Change { op: ChangeOp::Delete, ..set("burn", "1") };
    assert!(!commutes(&gone, &set("burn", "1")) && commutes(&gone, &gone));
}
