//! Games with a notation for relative changes get them in it: from `set`, and in what is built.

use super::super::build;
use crate::author::{Assignment, SetOptions, set};
use crate::document::FieldPath;
use crate::effective::World;
use crate::source::MemorySource;

const FIELDS: &str = r#"
[kinds.tool.fields]
"like" = { link = "tool", optional = true }
"worn" = { type = "integer", optional = true }
"blade.length" = { type = "number", optional = true }
"marks[]" = { type = "text", list = "set", optional = true, join = true }
"fits[]" = { list = "keyed", by = "what", join = true, optional = true }
"fits[].what" = { type = "text" }
"fits[].many" = { type = "integer", default = 1 }
"#;

/// One game of JSON with operations below fields, one of XML with marks on elements.
fn source(xml: bool, own: &str, amendments: &str) -> MemorySource {
    let (place, operations, ending) = match xml {
        false => (
            "files = \"*.json\"\ncut = \"{}\"",
            "under = { more = \"shift\", times = \"multiply\", with = \"add\", without = \"remove\" }",
            "json",
        ),
        true => (
            "files = \"*.xml\"\ncut = \"tools.tool[]\"",
            "marker = \"do\"\nwords = { more = \"shift\", times = \"multiply\", drop = \"remove\" }",
            "xml",
        ),
    };
    let name = if xml { "name = \"id\"\n" } else { "" };
    let rulebook = format!(
        "rulebook = 1\n[manifest]\nfile = \"mod.toml\"\nid = \"id\"\n[[where]]\n{place}\nkind = \"tool\"\n\
         [kinds.tool]\n{name}parent = \"like\"\nagain = \"merge\"\n[kinds.tool.changed_by]\n{operations}\n{FIELDS}"
    );
    let base = match xml {
        false => {
            "{\n  \"spade\": { \"worn\": 4, \"blade\": { \"length\": 28 }, \"marks\": [\"old\", \"bent\"],\n    \"fits\": [ { \"what\": \"rack\", \"many\": 2 }, { \"what\": \"cart\" } ] }\n}\n"
        }
        true => {
            "<tools>\n  <tool id=\"spade\" worn=\"4\"><blade length=\"28\"/><marks>old</marks><marks>bent</marks><fits what=\"rack\" many=\"2\"/><fits what=\"cart\"/></tool>\n</tools>\n"
        }
    };
    let base_path = format!("base/all.{ending}");
    let own_path = format!("mods/yard/own.{ending}");
    let mut files = vec![
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n".to_owned()),
        ("rulebook.toml", rulebook),
        (base_path.as_str(), base.to_owned()),
        ("mods/yard/mod.toml", "id = \"yard\"\n".to_owned()),
    ];
    if !own.is_empty() {
        files.push((&own_path, own.to_owned()));
    }
    if !amendments.is_empty() {
        let text = format!("amendments = 1\n[[amend]]\nof = \"tool/spade\"\n{amendments}");
        files.push(("mods/yard/amendments/tool.toml", text));
    }
    MemorySource::new(files)
}

/// What shows of a definition with the mod, and whether anything is told.
fn shows(source: &MemorySource, id: &str) -> String {
    let world = World::load(source).unwrap();
    let told: Vec<String> =
        crate::check::check(&world).into_iter().map(|finding| finding.message.to_string()).collect();
    assert_eq!(told, Vec::<String>::new());
    shown(&world, id)
}

fn shown(world: &World, id: &str) -> String {
    let catalog = world.catalog();
    let kind = catalog.rulebook().kind_named("tool").unwrap();
    let view = world.with_ground(catalog.layer_named("yard").unwrap());
    let effective = view.effective(catalog.address(kind, id).unwrap()).unwrap();
    let at = |path: &str| {
        let value = effective.get(catalog, &FieldPath::parse(path).unwrap());
        value.map_or("-".to_owned(), |value| value.draft(catalog).short())
    };
    ["worn", "blade.length", "marks", "fits"].map(at).join(" | ")
}

/// The file that is built for amendments, and what shows, which the built file alone shows, too.
fn built(xml: bool, amendments: &str) -> (String, String) {
    let source = source(xml, "", amendments);
    let meant = shows(&source, "spade");
    let world = World::load(&source).unwrap();
    let report = build(&world, &source, world.catalog().layer_named("yard").unwrap()).unwrap();
    let mut files: Vec<(String, Vec<u8>)> = source.files().clone().into_iter().collect();
    files.retain(|(path, _)| !path.starts_with("mods/yard/"));
    files.extend(report.files.iter().map(|file| (format!("mods/yard/{}", file.path), file.bytes.clone())));
    assert_eq!(shows(&MemorySource::new(files), "spade"), meant, "{amendments}");
    let changes = report.files.iter().find(|file| file.path.contains("changes")).map(|file| file.bytes.clone());
    (String::from_utf8(changes.unwrap()).unwrap(), meant)
}

#[test]
fn relative_changes_are_built_as_such() {
    for (amendment, written, meant) in [
        ("multiply = { worn = 1.5 }", "\"times\": { \"worn\": 1.5 }", "6 | 28 | [old, bent] | "),
        ("shift = { \"blade.length\" = -3 }", "\"more\": { \"blade\": { \"length\": -3 } }", "4 | 25 | [old, bent] | "),
        ("remove = { marks = [\"old\"] }", "\"without\": { \"marks\": [\"old\"] }", "4 | 28 | [bent] | "),
        ("add = { marks = [\"new\"] }", "\"marks\": [\"new\"]", "4 | 28 | [old, bent, new] | "),
        (
            "add = { marks = [\"new\"] }\n[[amend]]\nof = \"tool/spade\"\nremove = { marks = [\"bent\"] }",
            "\"with\": { \"marks\": [\"new\"] }",
            "4 | 28 | [old, new] | ",
        ),
        // a value is a value
        ("set = { worn = 9 }", "\"worn\": 9", "9 | 28 | [old, bent] | "),
        (
            "multiply = { worn = 2 }\n[[amend]]\nof = \"tool/spade\"\nshift = { worn = 1 }",
            "\"worn\": 9",
            "9 | 28 | [old, bent] | ",
        ),
        (
            "remove = { fits = [\"cart\"] }",
            "\"without\": { \"fits\":",
            "4 | 28 | [old, bent] | [{what: rack, many: 2}]",
        ),
    ] {
        let (text, shown) = built(false, amendment);
        let flat = text.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains(written), "{amendment}: {text}");
        assert!(shown.starts_with(meant), "{amendment}: {shown}");
    }
}

#[test]
fn relative_changes_are_built_with_the_mark_of_the_game() {
    for (amendment, written, meant) in [
        ("multiply = { worn = 1.5 }", "<worn do=\"times\">1.5</worn>", "6 | 28 | [old, bent] | "),
        ("shift = { \"blade.length\" = -3 }", "<length do=\"more\">-3</length>", "4 | 25 | [old, bent] | "),
        (
            "remove = { fits = [\"cart\"] }",
            "<fits do=\"drop\" what=\"cart\"/>",
            "4 | 28 | [old, bent] | [{what: rack, many: 2}]",
        ),
    ] {
        let (text, shown) = built(true, amendment);
        assert!(text.contains(written), "{amendment}: {text}");
        assert!(shown.starts_with(meant), "{amendment}: {shown}");
    }
}

/// Sets something in the mod's own definition; gives its file and what shows.
fn changed(xml: bool, own: &str, lines: &[&str]) -> (String, String) {
    let source = source(xml, own, "");
    let mut files: Vec<(String, Vec<u8>)> = source.files().clone().into_iter().collect();
    let mut text = String::new();
    for line in lines {
        let mut world = World::load(&MemorySource::new(files.clone())).unwrap();
        let options = SetOptions {
            at_anchor: false,
            layer: world.catalog().layer_named("yard").unwrap(),
            kind: world.catalog().rulebook().kind_named("tool").unwrap(),
            id: "fork".to_owned(),
            assignments: vec![Assignment::parse(line).unwrap()],
            why: None,
        };
        let report = set(&mut world, &options).unwrap_or_else(|error| panic!("{line}: {error}"));
        text = report.changes.files[0].texts().1.to_owned();
        let path = report.changes.files[0].path().to_owned();
        files.retain(|(known, _)| *known != path);
        files.push((path, text.clone().into_bytes()));
    }
    (text, shows(&MemorySource::new(files), "fork"))
}

#[test]
fn what_is_inherited_is_changed_by_the_operations_of_the_game() {
    let own = "{\n  \"fork\": { \"like\": \"spade\" }\n}\n";
    for (lines, written, meant) in [
        (&["worn*=2"][..], "\"times\": { \"worn\": 2 }", "8 | 28 | [old, bent] | "),
        (&["blade.length+=2"], "\"more\": { \"blade\": { \"length\": 2 } }", "4 | 30 | [old, bent] | "),
        (&["marks-=old"], "\"without\": { \"marks\": [\"old\"] }", "4 | 28 | [bent] | "),
        (&["marks-=old", "marks-=bent"], "\"without\": { \"marks\": [\"old\", \"bent\"] }", "4 | 28 | [] | "),
        (&["marks-=old", "marks+=old"], "\"like\": \"spade\"", "4 | 28 | [old, bent] | "),
        (&["fits-=rack"], "\"without\": { \"fits\": [", "4 | 28 | [old, bent] | [{what: cart}]"),
        // what is stated is not relative
        (&["worn=5", "worn*=2"], "\"worn\": 10", "10 | 28 | [old, bent] | "),
    ] {
        let (text, shown) = changed(false, own, lines);
        let flat = text.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains(written), "{lines:?}: {text}");
        assert!(shown.starts_with(meant), "{lines:?}: {shown}");
    }
    let own = "<tools>\n  <tool id=\"fork\" like=\"spade\"/>\n</tools>\n";
    for (line, written, meant) in [
        ("worn*=2", "<worn do=\"times\">2</worn>", "8 | 28 | [old, bent] | "),
        ("fits-=rack", "<fits do=\"drop\" what=\"rack\"/>", "4 | 28 | [old, bent] | [{what: cart}]"),
    ] {
        let (text, shown) = changed(true, own, &[line]);
        assert!(text.contains(written), "{line}: {text}");
        assert!(shown.starts_with(meant), "{line}: {shown}");
    }
}
