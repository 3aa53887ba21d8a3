//! What builds look like: places, layouts, and what is left out.

use super::{BuildReport, build};
use crate::effective::World;
use crate::source::MemorySource;

mod operations;

const HEAD: &str = r#"rulebook = 1
[manifest]
file = "mod.toml"
id = "id"
[files]
ignore = ["*.md"]
"#;

const FIELDS: &str = r#"
[kinds.tool.fields]
"worn" = { type = "integer", default = 0 }
"made_of" = { type = "text", optional = true }
"marks[]" = { type = "text", list = "set", optional = true }
"blade.length" = { type = "number", optional = true }
"blade.edge" = { type = "text", optional = true }
"#;

fn built(place: &str, kind: &str, files: &[(&str, &str)]) -> BuildReport {
    let mut source = MemorySource::new(files.iter().map(|(path, text)| ((*path).to_owned(), text.as_bytes().to_vec())));
    source.put("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n");
    source.put("rulebook.toml", format!("{HEAD}{place}\n[kinds.tool]\n{kind}{FIELDS}"));
    if !source.files().contains_key("mods/yard/mod.toml") {
        source.put("mods/yard/mod.toml", "id = \"yard\"\n");
    }
    let world = World::load(&source).unwrap();
    let faults: Vec<String> =
        crate::check::check(&world).into_iter().map(|finding| finding.message.to_string()).collect();
    assert_eq!(faults, Vec::<String>::new());
    build(&world, &source, world.catalog().layer_named("yard").unwrap()).unwrap()
}

fn text<'r>(report: &'r BuildReport, path: &str) -> &'r str {
    let paths: Vec<&str> = report.files.iter().map(|file| file.path.as_str()).collect();
    let file = report.files.iter().find(|file| file.path == path).unwrap_or_else(|| panic!("{path} among {paths:?}"));
    std::str::from_utf8(&file.bytes).unwrap()
}

const AMEND: &str = "amendments = 1\n[[amend]]\nof = \"tool/spade\"\nset = { worn = 3, blade.length = 30.5 }\n";

#[test]
fn kinds_that_merge_get_only_what_changed() {
    let report = built(
        "[[where]]\nfiles = \"tools/**/*.json\"\ncut = \"{}\"\nkind = \"tool\"",
        "again = \"merge\"",
        &[
            (
                "base/tools/all.json",
                "{\n\t\"spade\": {\n\t\t\"made_of\": \"ash\",\n\t\t\"blade\": { \"length\": 28, \"edge\": \"worn\" }\n\t}\n}\n",
            ),
            ("mods/yard/amendments/all.toml", AMEND),
        ],
    );
    assert_eq!(
        text(&report, "tools/yard-changes.json"),
        "{\n\t\"spade\": {\n\t\t\"blade\": { \"length\": 30.5 },\n\t\t\"worn\": 3\n\t}\n}\n"
    );
    assert_eq!(report.files[1].amended, ["tool/spade"]);
    assert_eq!(report.left_out, ["amendments/all.toml"]);
}

#[test]
fn kinds_that_replace_get_the_whole_definition_laid_out_as_the_base() {
    let base = "[{\"id\":\"rake\"},{\"id\":\"spade\",\"made_of\":\"ash\",\"marks\":[\"old\",\"bent\"],\"blade\":{\"length\":28,\"edge\":\"worn\"}}]";
    let report = built(
        "[[where]]\nfiles = \"tools/*.json\"\ncut = \"[]\"\nkind = \"tool\"",
        "again = \"replace\"",
        &[("base/tools/all.json", base), ("mods/yard/amendments/all.toml", AMEND)],
    );
    assert_eq!(
        text(&report, "tools/yard-changes.json"),
        "[{\"id\":\"spade\",\"made_of\":\"ash\",\"marks\":[\"old\",\"bent\"],\"blade\":{\"length\":30.5,\"edge\":\"worn\"},\"worn\":3}]"
    );
}

#[test]
fn windows_line_ends_and_one_definition_a_file() {
    let report = built(
        "[[where]]\nfiles = \"tools/**/*.json\"\nkind = \"tool\"",
        "again = \"replace\"",
        &[
            ("base/tools/old/spade.json", "{\r\n    \"made_of\": \"ash\",\r\n    \"worn\": 9\r\n}\r\n"),
            ("mods/yard/amendments/all.toml", AMEND),
        ],
    );
    // the file's name is the id, so it keeps its place
    assert_eq!(
        text(&report, "tools/old/spade.json"),
        "{\r\n    \"made_of\": \"ash\",\r\n    \"worn\": 3,\r\n    \"blade\": {\r\n        \"length\": 30.5\r\n    }\r\n}\r\n"
    );
}

#[test]
fn own_definitions_take_their_amendments_in_place() {
    let own = "{\n  // the long one\n  \"hook\": {\n    \"worn\": 1, // hardly\n    \"marks\": [\"new\"]\n  }\n}\n";
    let report = built(
        "[[where]]\nfiles = \"tools/*.json\"\ncut = \"{}\"\nkind = \"tool\"",
        "again = \"merge\"",
        &[
            ("base/tools/all.json", "{}"),
            ("mods/yard/tools/own.json", own),
            (
                "mods/yard/amendments/all.toml",
                "amendments = 1\n[[amend]]\nof = \"tool/hook\"\nset = { worn = 2 }\nadd = { marks = [\"long\"] }\n",
            ),
        ],
    );
    assert_eq!(
        text(&report, "tools/own.json"),
        own.replace("\"worn\": 1", "\"worn\": 2").replace("[\"new\"]", "[\"new\", \"long\"]")
    );
}

#[test]
fn places_are_named_by_the_rulebook_or_kept_from_colliding() {
    let files = [
        ("base/data/tools.json", "{ \"tools\": [ { \"id\": \"spade\", \"sort\": \"digger\" } ] }"),
        ("mods/yard/data/yard-changes.json", "{ \"tools\": [ { \"id\": \"hook\", \"sort\": \"digger\" } ] }"),
        ("mods/yard/amendments/all.toml", AMEND),
        ("mods/yard/README.md", "read me"),
    ];
    let place =
        "[[where]]\nfiles = \"data/*.json\"\ncut = \"tools[]\"\nwhich = \"sort\"\nwords = { digger = \"tool\" }";
    let report = built(place, "again = \"merge\"", &files);
    assert_eq!(
        text(&report, "data/yard-changes-2.json"),
        "{ \"tools\": [ { \"id\": \"spade\", \"sort\": \"digger\", \"worn\": 3, \"blade\": { \"length\": 30.5 } } ] }"
    );
    assert_eq!(report.left_out, ["README.md", "amendments/all.toml"]);
    let named = format!("{place}\nbuilt = \"data/{{mod}}/{{id}}.json\"");
    let report = built(&named.replace("data/*.json", "data/**/*.json"), "again = \"merge\"", &files);
    assert!(text(&report, "data/yard/spade.json").contains("\"worn\": 3"));
}

const TWO: &str = "amendments = 1\n[[amend]]\nof = \"tool/spade\"\nset = { worn = 3 }\n[[amend]]\nof = \"tool/hook\"\nset = { worn = 4 }\n";

#[test]
fn what_is_taken_over_stays_as_it_is_written_and_the_others_go() {
    let base = "{\n  // the old ones\n  \"rake\": { \"worn\": 1 },\n  \"spade\": { \"made_of\": \"ash\", \"worn\": 0x01, // hardly\n    \"marks\": [ \"bent\",\"old\" ] },\n  \"hook\": { \"worn\": 2 }\n}\n";
    let report = built(
        "[[where]]\nfiles = \"tools/*.json\"\ncut = \"{}\"\nkind = \"tool\"",
        "again = \"replace\"",
        &[("base/tools/all.json", &base.replace("0x01", "1")), ("mods/yard/amendments/all.toml", TWO)],
    );
    assert_eq!(
        text(&report, "tools/yard-changes.json"),
        "{\n  \"spade\": { \"made_of\": \"ash\", \"worn\": 3, // hardly\n    \"marks\": [ \"bent\",\"old\" ] },\n  \"hook\": { \"worn\": 4 }\n}\n"
    );
}

#[test]
fn files_that_hide_lower_ones_are_these_with_the_changes() {
    let base = "{\n  \"edition\": 3,\n  \"tools\": { \"rake\": { \"worn\": 1 }, \"spade\": { \"worn\": 1 }, \"hook\": {} }\n}\n";
    let report = built(
        "[[where]]\nfiles = \"tools.json\"\ncut = \"tools{}\"\nkind = \"tool\"\nshadows = true",
        "again = \"replace\"",
        &[("base/tools.json", base), ("mods/yard/amendments/all.toml", TWO)],
    );
    let changed = base.replace("\"spade\": { \"worn\": 1 }", "\"spade\": { \"worn\": 3 }");
    assert_eq!(text(&report, "tools.json"), changed.replace("\"hook\": {}", "\"hook\": {\n    \"worn\": 4\n  }"));
}

#[test]
fn the_script_around_a_block_and_what_a_test_asks_for_stay() {
    let base = "-- first\r\nlocal n = 1\r\n--[[tool\r\n{ \"worn\": 1, \"made_of\": \"ash\" }\r\n]]\r\nfunction start() end\r\n";
    let report = built(
        "[notations.head]\nformat = \"json\"\nblock = [\"--[[tool\", \"]]\"]\n[[where]]\nfiles = \"tools/*.lua\"\nnotation = \"head\"\nkind = \"tool\"",
        "again = \"replace\"",
        &[
            ("base/tools/spade.lua", base),
            ("mods/yard/amendments/all.toml", "amendments = 1\n[[amend]]\nof = \"tool/spade\"\nset = { worn = 3 }\n"),
        ],
    );
    assert_eq!(text(&report, "tools/spade.lua"), base.replace("\"worn\": 1", "\"worn\": 3"));
    let report = built(
        "[[where]]\nfiles = \"tools/*.json\"\ncut = \"{}\"\nkind = \"tool\"\nif = { made_of = true }",
        "again = \"merge\"",
        &[
            ("base/tools/all.json", "{ \"spade\": { \"made_of\": \"ash\", \"worn\": 1, \"marks\": [\"old\"] } }\n"),
            ("mods/yard/amendments/all.toml", "amendments = 1\n[[amend]]\nof = \"tool/spade\"\nset = { worn = 3 }\n"),
        ],
    );
    assert_eq!(text(&report, "tools/yard-changes.json"), "{ \"spade\": { \"made_of\": \"ash\", \"worn\": 3 } }\n");
}

#[test]
fn a_file_that_is_passed_over_goes_along_if_a_field_names_it() {
    let report = built(
        "[[where]]\nfiles = \"tools/*.json\"\ncut = \"{}\"\nkind = \"tool\"",
        "files = { note = \"{id}.md\" }",
        &[
            ("base/tools/all.json", "{}"),
            ("mods/yard/tools/own.json", "{ \"hook\": {} }"),
            ("mods/yard/hook.md", "it is drawn here"),
            ("mods/yard/other.md", "a remark"),
        ],
    );
    assert_eq!(text(&report, "hook.md"), "it is drawn here");
    assert_eq!(report.left_out, ["other.md"]);
}
