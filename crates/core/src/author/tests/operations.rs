//! What a mod's own definition says by the game's own operations: changed further, replaced, taken back.

use super::super::{Assignment, SetOptions, set};
use crate::document::Draft;
use crate::effective::World;
use crate::source::MemorySource;

const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.json"
id = "id"
[[where]]
files = "beasts/*.yaml"
cut = "{}"
kind = "beast"
[kinds.beast]
again = "merge"
parent = "like"
[kinds.beast.changed_by]
under = { more = "shift", times = "multiply", with = "add", less = "remove" }
[kinds.beast.fields]
"price" = { type = "number" }
"marks[]" = { type = "text", list = "set", optional = true }
"coat.thick" = { type = "integer", optional = true }
"coat.warm" = { type = "integer", optional = true }
"#;

const BOAR: &str = "boar:\n  price: 10\n  marks: [wet, old]\n  coat:\n    thick: 3\n    warm: 4\n";

/// As [`RULEBOOK`], where tags of YAML say what becomes of what is inherited.
fn by_tags() -> String {
    let tagged =
        "[notations.tags]\nformat = \"yaml\"\ntags = \"do\"\ncontent = \"#text\"\n[[where]]\nnotation = \"tags\"";
    let marker =
        "marker = \"do\"\nwords = { more = \"shift\", times = \"multiply\", with = \"add\", less = \"remove\" }";
    let under = "under = { more = \"shift\", times = \"multiply\", with = \"add\", less = \"remove\" }";
    RULEBOOK.replace("[[where]]", tagged).replace(under, marker)
}

/// The piglet, stated so, after an assignment (`-path` takes it back): what it states then and what shows there, or why
/// not.
fn after(rulebook: &str, own: &str, said: &str) -> Result<(String, String), String> {
    let source = MemorySource::new([
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n".to_owned()),
        ("rulebook.toml", rulebook.to_owned()),
        ("base/beasts/a.yaml", BOAR.to_owned()),
        ("mods/m/mod.json", "{ \"id\": \"m\" }\n".to_owned()),
        ("mods/m/beasts/b.yaml", format!("piglet:\n  like: boar\n{own}")),
    ]);
    let mut world = World::load(&source).unwrap();
    let layer = world.catalog().layer_named("m").unwrap();
    let kind = world.catalog().rulebook().kind_named("beast").unwrap();
    let assignment = match said.strip_prefix('-') {
        Some(path) => Assignment::unset(path),
        None => Assignment::parse(said),
    };
    let assignment = assignment.unwrap();
    let path = assignment.path.clone();
    let id = "piglet".to_owned();
    let options = SetOptions { at_anchor: false, layer, kind, id, assignments: vec![assignment], why: None };
    let report = set(&mut world, &options).map_err(|error| error.to_string())?;
    let text = report.changes.files.first().map(|change| change.texts().1.to_owned()).unwrap_or_default();
    let stated = text.strip_prefix("piglet:\n  like: boar\n").unwrap_or(&text).to_owned();
    let address = world.catalog().address(kind, "piglet").unwrap();
    let shown = world.with_ground(layer).effective(address).unwrap();
    let shown = shown.get(world.catalog(), &path).map_or(Draft::Null, |value| value.draft(world.catalog()));
    Ok((stated, shown.short()))
}

/// The piglet after an assignment states this and shows that.
fn becomes(rulebook: &str, (own, said): (&str, &str), wanted: (&str, &str)) {
    let (stated, shows) = after(rulebook, own, said).unwrap_or_else(|error| panic!("{own}{said}: {error}"));
    assert_eq!((stated.as_str(), shows.as_str()), wanted, "{own}{said}");
}

#[test]
fn a_change_is_changed_further_replaced_or_taken_back_and_nothing_empty_is_left() {
    for (own, said, stated, shows) in [
        // further
        ("  more:\n    price: 1\n", "price+=2", "  more:\n    price: 3\n", "13"),
        ("  times:\n    price: 2\n", "price*=1.5", "  times:\n    price: 3\n", "30"),
        ("  less:\n    marks: [old]\n", "marks-=wet", "  less:\n    marks: [wet, old]\n", "[]"),
        ("  less:\n    marks: [old]\n", "marks+=old", "", "[wet, old]"),
        (
            "  less:\n    marks: [old]\n  with:\n    marks: [dry]\n",
            "marks-=dry",
            "  less:\n    marks: [old]\n",
            "[wet]",
        ),
        // the value itself is said instead
        ("  more:\n    price: 1\n", "price=4", "  price: 4\n", "4"),
        ("  price: 3\n  more:\n    price: 1\n", "price=5", "  price: 5\n", "5"),
        (
            "  more:\n    price: 1\n    coat:\n      warm: 1\n",
            "price:=price * 2",
            "  more:\n    coat:\n      warm: 1\n  price: 22\n",
            "22",
        ),
        ("  less:\n    marks: [old]\n", "marks=[dry]", "  marks:\n    - dry\n", "[dry]"),
        // nothing is said any more
        ("  more:\n    price: 1\n", "-price", "", "10"),
        ("  price: 3\n  more:\n    price: 1\n", "-price", "", "10"),
        ("  coat:\n    warm: 9\n", "-coat.warm", "", "4"),
        ("  coat:\n    warm: 9\n    thick: 1\n", "-coat.warm", "  coat:\n    thick: 1\n", "4"),
    ] {
        becomes(RULEBOOK, (own, said), (stated, shows));
    }
}

#[test]
fn what_would_count_in_an_order_that_nobody_knows_is_refused() {
    for (own, said) in [
        ("  more:\n    price: 1\n", "price*=2"),
        ("  times:\n    price: 2\n", "price+=1"),
        ("  more:\n    price: 1\n  times:\n    price: 2\n", "price+=1"),
        ("  price: 3\n  more:\n    price: 1\n", "price+=1"),
    ] {
        let refused = after(RULEBOOK, own, said).unwrap_err();
        assert!(refused.contains("changes it in the same definition"), "{own}{said}: {refused}");
        assert!(refused.contains("`price=…` says the value itself"), "{own}{said}: {refused}");
    }
}

#[test]
fn what_a_tag_changes_is_changed_further_or_said_outright() {
    let rulebook = by_tags();
    for (own, said, stated, shows) in [
        ("  price: !more 1\n", "price+=2", "  price: !more 3\n", "13"),
        ("  price: !times 2\n", "price*=1.5", "  price: !times 3\n", "30"),
        ("  price: !more 1\n", "price=4", "  price: 4\n", "4"),
        ("  price: !more 1\n", "-price", "", "10"),
        ("  marks: !less [old]\n", "marks-=wet", "  marks: !less [wet, old]\n", "[]"),
        // one tag says one thing: then the list is said
        ("  marks: !less [old]\n", "marks+=dry", "  marks: [wet, dry]\n", "[wet, dry]"),
    ] {
        becomes(&rulebook, (own, said), (stated, shows));
    }
    for (own, said, does) in [
        ("  price: !more 1\n", "price*=2", "adds to what is inherited already"),
        ("  price: !times 2\n", "price+=1", "multiplies what is inherited already"),
    ] {
        let refused = after(&rulebook, own, said).unwrap_err();
        assert!(refused.contains(does) && refused.contains("`price=…` says the value itself"), "{refused}");
    }
}
