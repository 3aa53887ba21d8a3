//! Definitions go to other files with their comments, and show what they did.

use super::renamed::{changed, written};
use crate::author::{MoveOptions, MoveReport, SetError, move_definitions};
use crate::effective::World;
use crate::source::MemorySource;

const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.toml"
id = "id"
[[where]]
files = "json/*.json"
cut = "{}"
kind = "net"
[[where]]
files = "yaml/**/*.yaml"
cut = "nets{}"
kind = "net"
[[where]]
files = "list/*.yaml"
cut = "[]"
kind = "buoy"
[[where]]
files = "toml/*.toml"
cut = "{}"
kind = "net"
[[where]]
files = "xml/*.xml"
cut = "buoys.buoy[]"
kind = "buoy"
[[where]]
files = "one/*.json"
kind = "pier"
[kinds.net]
[kinds.net.fields]
"mesh" = { type = "integer" }
"of.twine" = { type = "text", optional = true }
"marks[]" = { type = "text", optional = true }
[kinds.buoy]
[kinds.buoy.fields]
"id" = { type = "text" }
"colour" = { type = "text", optional = true }
"rings[]" = { type = "integer", optional = true }
[kinds.pier]
[kinds.pier.fields]
"long" = { type = "integer" }
"#;

fn source() -> MemorySource {
    MemorySource::new([
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n"),
        ("rulebook.toml", RULEBOOK),
        ("base/json/all.json", "{ \"seine\": { \"mesh\": 4 } }"),
        ("mods/quay/mod.toml", "id = \"quay\"\n"),
        (
            "mods/quay/json/nets.json",
            "{\r\n    // for eels\r\n    \"fyke\": {\r\n        \"mesh\": 2, // finer than it looks\r\n        \"marks\": [\"old\",\r\n                  \"new\"]\r\n    }, // in spring\r\n    \"trawl\": { \"mesh\": 8 }\r\n}\r\n",
        ),
        ("mods/quay/json/other.json", "{\n  \"drift\": { \"mesh\": 5 }\n}\n"),
        (
            "mods/quay/yaml/nets.yaml",
            "nets:\n    # of hemp\n    purse:\n        mesh: 3   # knots\n        of:\n            twine: 'hemp'\n    lift: {mesh: 9}\n",
        ),
        ("mods/quay/yaml/far/other.yaml", "nets:\n  dip:\n    mesh: 1\n"),
        (
            "mods/quay/list/all.yaml",
            "- id: red\n  colour: red\n# rings at night\n- id: bell\n  rings:\n    - 1\n    - 2   # twice\n",
        ),
        (
            "mods/quay/toml/nets.toml",
            "# the first\n[cast]\nmesh = 6 # wide\n\n# the second\n[hoop]\nmesh = 7\n\n[hoop.of]\ntwine = \"flax\"\n",
        ),
        (
            "mods/quay/xml/all.xml",
            "<buoys>\n    <!-- green in the fog -->\n    <buoy id=\"fog\">\n        <colour>green</colour>\n    </buoy>\n    <buoy id=\"spar\"/>\n</buoys>\n",
        ),
        ("mods/quay/one/long.json", "{ \"long\": 4 }"),
    ])
}

fn moved(source: &MemorySource, addresses: &[&str], to: &str) -> Result<MoveReport, SetError> {
    let world = World::load(source).unwrap();
    let catalog = world.catalog();
    let address = |text: &&str| {
        let (kind, id) = text.split_once('/').unwrap();
        catalog.address(catalog.rulebook().kind_named(kind).unwrap(), id).unwrap()
    };
    let layer = catalog.layer_named("quay").unwrap();
    let options = MoveOptions { layer, addresses: addresses.iter().map(address).collect(), to: to.to_owned() };
    move_definitions(source, &world, &options)
}

#[test]
fn comments_go_along() {
    for (addresses, to, left, there) in [
        (
            &["net/fyke"][..],
            "json/other.json",
            ("json/nets.json", "{\r\n    \"trawl\": { \"mesh\": 8 }\r\n}\r\n"),
            "{\n  \"drift\": { \"mesh\": 5 },\n  // for eels\n  \"fyke\": {\r\n      \"mesh\": 2, // finer than it looks\r\n      \"marks\": [\"old\",\r\n                \"new\"]\r\n  } // in spring\n}\n",
        ),
        (
            &["net/purse"],
            "yaml/far/other.yaml",
            ("yaml/nets.yaml", "nets:\n    lift: {mesh: 9}\n"),
            "nets:\n  dip:\n    mesh: 1\n  # of hemp\n  purse:\n      mesh: 3   # knots\n      of:\n          twine: 'hemp'\n",
        ),
        (
            &["buoy/bell"],
            "list/bells.yaml",
            ("list/all.yaml", "- id: red\n  colour: red\n"),
            "- id: bell\n  rings:\n    - 1\n    - 2   # twice\n",
        ),
        (
            &["net/hoop"],
            "toml/hoops.toml",
            ("toml/nets.toml", "# the first\n[cast]\nmesh = 6 # wide\n"),
            "# the second\n[hoop]\nmesh = 7\n\n[hoop.of]\ntwine = \"flax\"\n",
        ),
        (
            &["buoy/fog"],
            "xml/fog.xml",
            ("xml/all.xml", "<buoys>\n    <buoy id=\"spar\"/>\n</buoys>\n"),
            "<buoys>\n    <!-- green in the fog -->\n    <buoy id=\"fog\">\n        <colour>green</colour>\n    </buoy>\n</buoys>\n",
        ),
    ] {
        let before = source();
        let report = moved(&before, addresses, to).unwrap_or_else(|error| panic!("{addresses:?}: {error}"));
        let files = changed(&before, &written(&before, &report.changes));
        assert_eq!(files[&format!("mods/quay/{}", left.0)], left.1, "{addresses:?}");
        assert_eq!(files[&format!("mods/quay/{to}")], there, "{addresses:?}");
    }
}

#[test]
fn a_file_is_split_by_a_field() {
    let before = source();
    let report = moved(&before, &["net/cast", "net/hoop"], "toml/mesh-{mesh}.toml").unwrap();
    let files = changed(&before, &written(&before, &report.changes));
    let paths: Vec<&str> = files.keys().map(String::as_str).collect();
    assert_eq!(paths, ["mods/quay/toml/mesh-6.toml", "mods/quay/toml/mesh-7.toml"]);
    assert_eq!(report.emptied, ["mods/quay/toml/nets.toml"]);
    assert_eq!(files["mods/quay/toml/mesh-6.toml"], "# the first\n[cast]\nmesh = 6 # wide\n");
}

#[test]
fn what_cannot_be_moved_is_said() {
    let before = source();
    for (addresses, to, said) in [
        (&["net/seine"][..], "json/other.json", "`quay` does not define `net/seine`"),
        (&["net/fyke"], "json/nets.json", "all of it stands there already"),
        (&["net/fyke"], "xml/other.xml", "nothing reads a net from `xml/other.xml`"),
        (&["net/fyke"], "yaml/other.yaml", "are not written alike"),
        (&["net/fyke"], "../base/json/all.json", "cannot be a file of the mod"),
        (&["net/fyke", "net/drift"], "json/{of.twine}.json", "has no `of.twine` to name a file by"),
        (&["pier/long"], "one/other.json", "comes from its file"),
    ] {
        let refused = moved(&before, addresses, to).err().map(|error| error.to_string());
        let refused = refused.unwrap_or_else(|| panic!("{addresses:?} to {to} is taken"));
        assert!(refused.contains(said), "{addresses:?} to {to}: {refused}");
    }
}
