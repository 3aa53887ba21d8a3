//! What is mended without asking: in every notation, and in all cases of the checks.

use super::{MendReport, mend};
use crate::check::check_watched;
use crate::check::tests::all_cases;
use crate::effective::World;
use crate::source::{FileChange, MemorySource, Source};

fn mended(source: &MemorySource, id: &str) -> MendReport {
    let world = World::load(source).unwrap();
    let report = check_watched(&world, false, &|_, _| {});
    let layer = world.catalog.layer_named(id).unwrap();
    mend(source, &world, &report, layer, &|catalog, finding| {
        catalog.layer_named(id).is_some_and(|layer| finding.is_told_of(layer))
    })
    .unwrap()
}

/// The files as they are once the changes are written.
fn written(source: &MemorySource, report: &MendReport) -> MemorySource {
    let mut after = source.clone();
    for change in &report.changes.files {
        match change {
            FileChange::Create { path, text } => {
                assert!(source.read(path).is_err(), "{path} is there");
                after.put(path, text.as_str());
            }
            FileChange::Edit { path, before, text, .. } => {
                assert_eq!(source.read(path).unwrap(), before.as_bytes(), "{path}");
                after.put(path, text.as_str());
            }
            FileChange::Move { path, to } => {
                let bytes = after.take(path).unwrap();
                after.put(to, bytes);
            }
            FileChange::Delete { path, .. } => {
                after.take(path).unwrap();
            }
            FileChange::Bytes { path, .. } => panic!("{path} is no text"),
        }
    }
    after
}

const RULES: &str = r#"rulebook = 1
[manifest]
file = "about.xml"
id = "mod.name"
requires = "mod.uses.mod[]"
[manifest.fields]
"mod.title" = { type = "text", optional = true }
[texts]
files = "words.csv"
main = "en"
[[where]]
files = "parts/*.xml"
cut = "parts.part[]"
kind = "part"
[[where]]
files = "tables/goods.csv"
cut = "[]"
kind = "good"
[[where]]
files = "ships/*.yaml"
kind = "ship"
[[where]]
files = "flags/*.toml"
cut = "{}"
kind = "flag"
[kinds.part]
parent = "from"
name = "id"
again = "merge"
[kinds.part.fields]
"id" = { type = "text" }
"from" = { type = "text", optional = true }
"weight" = { type = "number" }
"sort" = { type = "choice", words = ["engine", "funnel", "anchor"] }
"holds[]" = { link = "good", split = ",", optional = true }
[kinds.good]
name = "code"
[kinds.good.fields]
"code" = { type = "text" }
"price" = { type = "integer" }
"bulk" = { type = "choice", words = ["crate", "loose"] }
[kinds.ship]
texts = { name = "ship.{id}" }
[kinds.ship.fields]
"crew" = { type = "integer" }
"parts{}" = { type = "integer" }
"parts{key}" = { link = "part" }
"cargo[]" = { link = "good", form = "good:{id}", optional = true }
[kinds.flag]
again = "merge"
[kinds.flag.fields]
"art" = { file = "art/*.png", optional = true }
"of" = { link = "ship", optional = true }
"#;

const FILES: [(&str, &str, &str); 13] = [
    ("cognomen.toml", "cognomen = 1\nrulebook = \"rules.toml\"\nbase = \"base\"\nmods = \"mods\"\n", ""),
    (
        "base/parts/a.xml",
        "<parts>\n  <part id=\"steam-engine\"><weight>900</weight><sort>engine</sort></part>\n</parts>\n",
        "",
    ),
    ("base/tables/goods.csv", "code,price,bulk\ncoal-sack,3,loose\nsalt-barrel,9,crate\n", ""),
    ("mods/yard/about.xml", "<mod><name>yard</name></mod>\n", ""),
    ("mods/yard/parts/y.xml", "<parts><part id=\"winch\"><weight>40</weight><sort>anchor</sort></part></parts>\n", ""),
    ("mods/tug/art/Red-Flag.png", "", ""),
    (
        "mods/tug/about.xml",
        "<mod>\n  <name>tug</name>\n  <titel>The tug</titel>\n</mod>\n",
        "<mod>\n  <name>tug</name>\n  <title>The tug</title>\n  <uses>\n    <mod>yard</mod>\n  </uses>\n</mod>\n",
    ),
    (
        "mods/tug/parts/t.xml",
        "<parts>\r\n  <!-- small -->\r\n  <part id=\"small-engine\" from=\"steam-engin\"><wieght>300</wieght><sort>engine</sort></part>\r\n  <part id=\"hook\"><weight>12</weight><sort>ancor</sort><holds>coal-sac,salt-barrel</holds></part>\r\n</parts>\r\n",
        "<parts>\r\n  <!-- small -->\r\n  <part id=\"small-engine\" from=\"steam-engine\"><weight>300</weight></part>\r\n  <part id=\"hook\"><weight>12</weight><sort>anchor</sort><holds>coal-sack,salt-barrel</holds></part>\r\n</parts>\r\n",
    ),
    ("mods/tug/tables/goods.csv", "code,price,bulk\npitch-tub,5,crates\n", "code,price,bulk\npitch-tub,5,crate\n"),
    (
        "mods/tug/ships/tug.yaml",
        "crew: 2\nparts:\n  smal-engine: 1 # just one\n  winch: 2\ncargo:\n  - \"good:pitch-tubb\" # sticky\n  - good:coal_sack\n",
        "crew: 2\nparts:\n  small-engine: 1 # just one\n  winch: 2\ncargo:\n  - \"good:pitch-tub\" # sticky\n  - good:coal-sack\n",
    ),
    ("mods/tug/flag/f.toml", "[red]\nart = \"red-flag\"\nof = \"tugg\"\n", ""),
    ("mods/tug/words.csv", "key,en\n", "key,en\nship.tug,Tug\n"),
    (
        "mods/tug/amendments/a.toml",
        "amendments = 1\n[[amend]]\nof = \"part/steam-engin\"\nset = { wieght = 5 }\n",
        "amendments = 1\n[[amend]]\nof = \"part/steam-engine\"\nset = { weight = 5 }\n",
    ),
];

#[test]
fn what_has_one_answer_is_mended_where_it_stands_and_the_rest_stays_as_it_was() {
    let files = FILES.iter().map(|(path, before, _)| ((*path).to_owned(), (*before).to_owned()));
    let source = MemorySource::new(files.chain([("rules.toml".to_owned(), RULES.to_owned())]));
    let report = mended(&source, "tug");
    let after = written(&source, &report);
    for (path, before, wanted) in FILES {
        let wanted = if wanted.is_empty() { before } else { wanted };
        match path {
            "mods/tug/flag/f.toml" => {
                assert!(after.read(path).is_err(), "it lies where nothing reads it");
                let text = String::from_utf8(after.read("mods/tug/flags/f.toml").unwrap()).unwrap();
                // a word of four letters is taken for another, one of three would not be
                assert_eq!(text, "[red]\nart = \"Red-Flag\"\nof = \"tugg\"\n");
            }
            path => assert_eq!(String::from_utf8(after.read(path).unwrap()).unwrap(), wanted, "{path}"),
        }
    }
    // once more, there is nothing left to do
    assert!(mended(&after, "tug").mended.is_empty());
}

#[test]
fn what_may_be_several_things_or_belongs_to_others_is_left_to_a_person() {
    for (parts, flags) in [
        // two that are as near
        (
            "<part id=\"mast-a\"><weight>1</weight><sort>anchor</sort></part><part id=\"mast-b\"><weight>1</weight><sort>anchor</sort></part>",
            "mast-c",
        ),
        // another number is another thing
        ("<part id=\"mast-1\"><weight>1</weight><sort>anchor</sort></part>", "mast-2"),
        // a word more is another word
        ("<part id=\"mast-top\"><weight>1</weight><sort>anchor</sort></part>", "mast"),
    ] {
        let mut source = MemorySource::new([
            ("cognomen.toml", FILES[0].1),
            ("rules.toml", RULES),
            ("base/parts/a.xml", &format!("<parts>{parts}</parts>\n")),
            ("mods/tug/about.xml", "<mod><name>tug</name></mod>\n"),
        ]);
        source.put("mods/tug/ships/boat.yaml", format!("crew: 1\nparts:\n  {flags}: 1\n"));
        source.put("mods/tug/words.csv", "key,en\nship.boat,Boat\n");
        assert!(mended(&source, "tug").mended.is_empty(), "{flags}");
    }
}

#[test]
fn in_all_cases_what_is_written_is_what_was_announced() {
    let mut number = 0;
    for (title, source) in all_cases() {
        let world = World::load(&source).unwrap();
        let mods: Vec<String> =
            world.catalog.layers().filter(|(_, layer)| !layer.is_base()).map(|(_, layer)| layer.id.clone()).collect();
        let before = check_watched(&world, false, &|_, _| {}).findings.len();
        for id in mods.iter().filter(|_| !world.catalog.rulebook.broken) {
            let report = mended(&source, id);
            assert_eq!(report.mended.is_empty(), report.changes.files.is_empty(), "{title}");
            let Some((_, announced)) = &report.after else { continue };
            let world = World::load(&written(&source, &report)).unwrap();
            let messages = |findings: &[crate::check::Finding]| {
                let mut all: Vec<String> = findings.iter().map(|f| format!("{}: {}", f.code, f.message)).collect();
                all.sort();
                all
            };
            let found = check_watched(&world, false, &|_, _| {});
            assert_eq!(messages(&found.findings), messages(&announced.findings), "{title}");
            assert!(found.findings.len() < before + 4, "{title}");
            number += report.mended.len();
        }
    }
    assert!(number > 9, "only {number} were mended");
}
