//! Another id for a definition: everything of the mod that names it, in whatever notation, says the new one.

use std::collections::BTreeMap;

use crate::author::{CopyOptions, RenameOptions, RenameReport, SetError, Start, copy, rename, rename_mod};
use crate::effective::World;
use crate::source::{ChangeSet, MemorySource};
use crate::trials::take;

const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.toml"
id = "id"
requires = "needs[]"
[texts]
files = ["words/*.csv"]
main = "en"
key = "key"
[[where]]
files = "goods/*.json"
cut = "{}"
kind = "good"
[[where]]
files = "stalls/*.xml"
cut = "stalls.stall[]"
kind = "stall"
[[where]]
files = "boats/**/*.yaml"
kind = "boat"
[[where]]
files = "tags/*.toml"
cut = "{}"
kind = "tag"
[[where]]
files = "crafts/*.csv"
cut = "[]"
kind = "craft"
[[where]]
files = "moved/*.json"
cut = "[]"
kind = "record"
[[scripts]]
files = "scripts/*.lua"
kind = "good"
uses = 'give\("([^"]+)"'
[kinds.good]
again = "merge"
parent = "like"
texts = { name = "good.{id}" }
files = { icon = "art/{id}.png" }
[kinds.good.fields]
"price" = { type = "integer", default = 1 }
"tags[]" = { link = "tag", form = "any {id}", optional = true, list = "set" }
"skin" = { link = "good", fill = true, optional = true }
"near" = { split = " + ", list = "set", optional = true }
"near[]" = { link = "good", form = "g:{id}" }
"size" = { type = "text", optional = true }
"worth" = { type = "formula", optional = true, names = "sold" }
"about" = { text = "*", optional = true }
"said" = { text = "good.*", form = "@{id}", optional = true }
"picture" = { file = "art/*.png", optional = true }
"seen" = { file = "art/*.png", form = "art:{id}", optional = true }
[kinds.stall]
name = "@id"
[kinds.stall.fields]
"sells" = { split = ";", list = "set", optional = true }
"sells[]" = { link = ["good", "tag"], form = { good = "{id}", tag = "any {id}" } }
"stock{}" = { type = "integer", optional = true }
"stock{key}" = { link = "good" }
[kinds.boat]
name = "stem"
aliases = "once[]"
[kinds.boat.fields]
"carries[]" = { list = "keyed", by = "what", optional = true }
"carries[].what" = { link = "good" }
"carries[].many" = { type = "integer", default = 1 }
"tows" = { link = "boat", optional = true }
"once[]" = { type = "text", optional = true }
[kinds.tag]
members = "all[]"
[kinds.tag.fields]
"all[]" = { link = ["good", "tag"], list = "set" }
[kinds.craft]
name = "{gives}[_{how}]"
texts = { name = "craft.{id}" }
[kinds.craft.fields]
"gives" = { link = "good" }
"how" = { type = "text", optional = true, none = [""] }
"after" = { link = "craft", optional = true, none = [""] }
[kinds.record]
name = "none"
renames = { kind = "good", from = "was", to = "is" }
[kinds.record.fields]
"was" = { type = "text" }
"is" = { link = "good" }
"#;

const FILES: [(&str, &str); 17] = [
    (
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\norder = [\"quay\", \"far\"]\n",
    ),
    ("rulebook.toml", RULEBOOK),
    ("base/goods/all.json", "{ \"salt\": { \"price\": 3 }, \"rope\": {} }"),
    ("base/tags/all.toml", "[dry]\nall = [\"salt\"]\n"),
    ("mods/quay/mod.toml", "id = \"quay\"\n"),
    (
        "mods/quay/goods/tar.json",
        "{\r\n  // boiled here\r\n  \"tar\": { \"price\": 4, \"tags\": [\"any dry\"], \"about\": \"good.tar\", \"said\": \"@tar\", \"picture\": \"tar\", \"seen\": \"art:tar\" },\r\n  \"pelt_tar\": { \"near\": \"g:tar + g:rope\" },\r\n  \"tub\": { \"size\": \"tar\", \"skin\": \"pelt_{size}\", \"like\": \"tar\", \"worth\": \"price + sold\" }\r\n}\r\n",
    ),
    (
        "mods/quay/stalls/all.xml",
        "<stalls>\n  <!-- by the lock -->\n  <stall id=\"tar-man\" sells=\"tar; any dry;rope\">\n    <stock><tar>4</tar><rope>2</rope></stock>\n  </stall>\n</stalls>\n",
    ),
    (
        "mods/quay/boats/inland/punt.yaml",
        "# the old one\ncarries:\n  - what: tar   # much of it\n    many: 3\n  - {what: \"rope\"}\n",
    ),
    ("mods/quay/boats/barge.yaml", "tows: punt\ncarries: []\n"),
    ("mods/quay/tags/own.toml", "[black]\nall = [\"tar\", 'dry']\n"),
    ("mods/quay/crafts/all.csv", "gives,how,after\ntar,slow,\ntar,,tar_slow\nrope,,tar\n"),
    ("mods/quay/words/all.csv", "key,en,fy\ngood.tar,Tar,Tar\ncraft.tar_slow,Slow tar,\ngood.tub,\"Tub, small\",\n"),
    ("mods/quay/art/tar.png", "png"),
    ("mods/quay/scripts/first.lua", "give(\"tar\", 3) -- not the tar of others\n"),
    ("mods/far/mod.toml", "id = \"far\"\nneeds = [\"quay\"]\n"),
    ("mods/far/tags/far.toml", "[far]\nall = [\"tar\"]\n"),
    ("notes.toml", "notes = 1\n\n[note]\n\"good/tar\" = \"sticky\"\n"),
];

pub(super) fn source() -> MemorySource {
    MemorySource::new(FILES)
}

fn renamed(source: &MemorySource, address: &str, id: &str) -> Result<RenameReport, SetError> {
    let world = World::load(source).unwrap();
    let catalog = world.catalog();
    let (kind, old) = address.split_once('/').unwrap();
    let address = catalog.address(catalog.rulebook().kind_named(kind).unwrap(), old).unwrap();
    let layer = catalog.layer_named("quay").unwrap();
    rename(source, &world, &RenameOptions { layer, address, id: id.to_owned(), alias: true })
}

pub(super) fn written(source: &MemorySource, changes: &ChangeSet) -> MemorySource {
    let mut out = source.clone();
    take(&mut out, changes);
    out
}

/// The files that differ, by path, as they are afterwards.
pub(super) fn changed(before: &MemorySource, after: &MemorySource) -> BTreeMap<String, String> {
    let differs = after.files().iter().filter(|(path, bytes)| before.files().get(*path) != Some(bytes));
    differs.map(|(path, bytes)| (path.clone(), String::from_utf8(bytes.clone()).unwrap())).collect()
}

#[test]
fn a_copy_names_its_own_texts() {
    let mut source = source();
    source.put(
        "base/goods/all.json",
        "{ \"salt\": { \"price\": 3, \"said\": \"@salt\", \"about\": \"good.salt\" }, \"rope\": { \"about\": \"good.salt\" } }",
    );
    source.put("base/words/all.csv", "key,en\ngood.salt,Salt\ngood.rope,Rope\n");
    for (original, start, wanted) in [
        ("salt", Start::Whole, "\"said\": \"@brine\", \"about\": \"good.brine\""),
        ("salt", Start::Inherit, "\"said\": \"@brine\""),
        // what is another's stays so
        ("rope", Start::Whole, "\"about\": \"good.salt\""),
    ] {
        let mut world = World::load(&source).unwrap();
        let catalog = world.catalog();
        let kind = catalog.rulebook().kind_named("good").unwrap();
        let options = CopyOptions {
            layer: catalog.layer_named("quay").unwrap(),
            original: catalog.address(kind, original).unwrap(),
            id: "brine".to_owned(),
            start: Some(start),
            with: Vec::new(),
            assignments: Vec::new(),
            name: Some("Brine".to_owned()),
        };
        let report = copy(&mut world, &options).unwrap();
        let after = changed(&source, &written(&source, &report.changes));
        let text = &after["mods/quay/goods/tar.json"];
        let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(text.contains(wanted), "{original} {start:?}: {text}");
        assert!(after["mods/quay/words/all.csv"].contains("good.brine,Brine"), "{after:?}");
    }
}

#[test]
fn every_place_that_names_it_follows() {
    let before = source();
    let report = renamed(&before, "good/tar", "pitch").unwrap();
    let after = written(&before, &report.changes);
    let files = changed(&before, &after);
    let all: Vec<String> = files.iter().map(|(path, text)| format!("== {path}\n{}", text.replace('\r', "~"))).collect();
    assert_eq!(all.join(""), WANTED);
    let shown: Vec<String> = report.renamed.iter().map(|(old, new)| format!("{old} {new}")).collect();
    assert_eq!(shown, ["good/tar good/pitch", "craft/tar_slow craft/pitch_slow", "craft/tar craft/pitch"]);
    assert_eq!(report.moved, [("mods/quay/art/tar.png".to_owned(), "mods/quay/art/pitch.png".to_owned())]);
    assert_eq!(report.elsewhere.len(), 1, "what another mod names stays");
    assert_eq!(report.alias.as_deref(), Some("a record leads from `tar` to `pitch`, for what was saved with it"));
    assert!(report.by_hand.is_empty());

    // and back: nothing is left of it but the record, which leads the other way
    let report = renamed(&after, "good/pitch", "tar").unwrap();
    let back = written(&after, &report.changes);
    let left = changed(&before, &back);
    let record = "[\n  {\n    \"was\": \"pitch\",\n    \"is\": \"tar\"\n  }\n]\n".to_owned();
    assert_eq!(left, BTreeMap::from([("mods/quay/moved/quay.json".to_owned(), record)]));
    assert_eq!(before.files().len() + 1, back.files().len());
}

const WANTED: &str = r#"== mods/quay/art/pitch.png
png== mods/quay/boats/inland/punt.yaml
# the old one
carries:
  - what: pitch   # much of it
    many: 3
  - {what: "rope"}
== mods/quay/crafts/all.csv
gives,how,after
pitch,slow,
pitch,,pitch_slow
rope,,pitch
== mods/quay/goods/tar.json
{~
  // boiled here~
  "pitch": { "price": 4, "tags": ["any dry"], "about": "good.pitch", "said": "@pitch", "picture": "pitch", "seen": "art:pitch" },~
  "pelt_tar": { "near": "g:pitch + g:rope" },~
  "tub": { "size": "tar", "skin": "pelt_{size}", "like": "pitch", "worth": "price + sold" }~
}~
== mods/quay/moved/quay.json
[
  {
    "was": "tar",
    "is": "pitch"
  }
]
== mods/quay/scripts/first.lua
give("pitch", 3) -- not the tar of others
== mods/quay/stalls/all.xml
<stalls>
  <!-- by the lock -->
  <stall id="tar-man" sells="pitch; any dry;rope">
    <stock><pitch>4</pitch><rope>2</rope></stock>
  </stall>
</stalls>
== mods/quay/tags/own.toml
[black]
all = ["pitch", 'dry']
== mods/quay/words/all.csv
key,en,fy
good.pitch,Tar,Tar
craft.pitch_slow,Slow tar,
good.tub,"Tub, small",
== notes.toml
notes = 1

[note]
"good/pitch" = "sticky"
"#;

#[test]
fn ids_stand_in_files_fields_and_parts() {
    let before = source();
    // the file's name, with a further name that stays
    let report = renamed(&before, "boat/punt", "long-punt").unwrap();
    let after = written(&before, &report.changes);
    let files = changed(&before, &after);
    let paths: Vec<&str> = files.keys().map(String::as_str).collect();
    assert_eq!(paths, ["mods/quay/boats/barge.yaml", "mods/quay/boats/inland/long-punt.yaml"]);
    assert_eq!(files["mods/quay/boats/barge.yaml"], "tows: long-punt\ncarries: []\n");
    assert!(files["mods/quay/boats/inland/long-punt.yaml"].ends_with("- {what: \"rope\"}\nonce:\n  - punt\n"));
    let again = written(&after, &renamed(&after, "boat/long-punt", "punt").unwrap().changes);
    assert!(changed(&before, &again)["mods/quay/boats/inland/punt.yaml"].ends_with("once: [long-punt]\n"));
    // an attribute that needs marks
    let report = renamed(&before, "stall/tar-man", "tar & feathers").unwrap();
    let after = written(&before, &report.changes);
    assert!(after.files().values().any(|bytes| String::from_utf8_lossy(bytes).contains("id=\"tar &amp; feathers\"")));
    // one part of several, which names nothing
    let report = renamed(&before, "craft/tar_slow", "tar_quick").unwrap();
    let files = changed(&before, &written(&before, &report.changes));
    assert_eq!(files["mods/quay/crafts/all.csv"], "gives,how,after\ntar,quick,\ntar,,tar_quick\nrope,,tar\n");
    assert!(files["mods/quay/words/all.csv"].contains("craft.tar_quick,Slow tar,"));
}

#[test]
fn what_cannot_be_renamed_is_said() {
    let before = source();
    let refused = |address: &str, id: &str| renamed(&before, address, id).err().map(|error| error.to_string());
    for (address, id, said) in [
        ("good/salt", "sea-salt", "`good/salt` is from the base game, so `quay` cannot rename it"),
        ("good/tar", "rope", "`good/rope` is there already, from base"),
        ("good/tar", "tar", "`good/tar` is called so already"),
        ("tag/far", "near", "`quay` does not define `tag/far`: it is from `far`"),
        ("craft/rope", "twine", "`rope` is made of `gives` and `how`, none of which alone can make it `twine`"),
        ("boat/barge", "a|b", "a file's name cannot hold `|` on every system"),
        ("boat/barge", "punt", "`boat/punt` is there already"),
    ] {
        let refused = refused(address, id).unwrap_or_else(|| panic!("{address} {id} is taken"));
        assert!(refused.contains(said), "{address} {id}: {refused}");
    }
}

/// Ids that are made of the mod's: they change with it, wherever they stand.
const OF_THE_MOD: [(&str, &str); 10] = [
    (
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"salters\"\n",
    ),
    (
        "rulebook.toml",
        r#"rulebook = 1
[manifest]
file = "pack.yaml"
id = "namespace"
requires = "needs[]"
[texts]
files = "words/{language}.yaml"
main = "en"
[[where]]
files = "goods/**/*.yaml"
kind = "good"
[[where]]
files = "tubs/*.json"
cut = "{}"
kind = "tub"
[kinds.good]
name = "{mod}:{path|after:goods/}"
texts = { name = { key = "{id}.name", optional = true } }
[kinds.good.fields]
"of" = { link = "good", optional = true }
[kinds.tub.fields]
"holds[]" = { link = "good", list = "set", optional = true }
"with" = { link = "tub", optional = true }
"#,
    ),
    ("base/goods/dry/salt.yaml", "{}\n"),
    ("mods/salters/pack.yaml", "namespace: salters\n"),
    ("mods/salters/goods/dry/block.yaml", "of: base:dry/salt # as it comes\n"),
    ("mods/salters/goods/lick.yaml", "of: \"salters:dry/block\"\n"),
    (
        "mods/salters/tubs/all.json",
        "{ \"salters_tub\": { \"holds\": [\"salters:lick\"] }, \"vat\": { \"with\": \"salters_tub\" } }\n",
    ),
    ("mods/salters/words/en.yaml", "# names\nsalters:lick.name: Salt lick\n"),
    ("mods/far/pack.yaml", "namespace: far\nneeds: [salters]\n"),
    ("mods/far/goods/brine.yaml", "of: salters:dry/block\n"),
];

#[test]
fn ids_made_of_the_mods_change_with_it() {
    let before = MemorySource::new(OF_THE_MOD);
    let called = |source: &MemorySource, old: &str, new: &str, ids: bool| {
        let world = World::load(source).unwrap();
        let layer = world.catalog().layer_named(old).unwrap();
        let report = rename_mod(source, &world, layer, new, ids).unwrap();
        (written(source, &report.changes), report)
    };
    for (ids, tub) in [(false, "salters_tub"), (true, "dryers_tub")] {
        let (after, report) = called(&before, "salters", "dryers", ids);
        let files = changed(&before, &after);
        let file = |path: &str| files.get(path).map(String::as_str);
        assert_eq!(file("mods/dryers/goods/lick.yaml"), Some("of: \"dryers:dry/block\"\n"));
        assert_eq!(file("mods/dryers/goods/dry/block.yaml"), Some("of: base:dry/salt # as it comes\n"));
        let tubs = format!("{{ \"{tub}\": {{ \"holds\": [\"dryers:lick\"] }}, \"vat\": {{ \"with\": \"{tub}\" }} }}\n");
        assert_eq!(file("mods/dryers/tubs/all.json"), Some(&*tubs));
        assert_eq!(file("mods/dryers/words/en.yaml"), Some("# names\ndryers:lick.name: Salt lick\n"));
        assert_eq!(file("mods/far/pack.yaml"), Some("namespace: far\nneeds: [dryers]\n"));
        assert_eq!(file("mods/far/goods/brine.yaml"), None, "what another mod names stays");
        assert_eq!(report.elsewhere.len(), 1);
        let stay: &[&str] = if ids { &[] } else { &["tub/salters_tub"] };
        assert_eq!(report.ids, stay);
        assert_eq!(report.renamed.len(), 2 + usize::from(ids), "{:?}", report.renamed);
        let (back, _) = called(&after, "dryers", "salters", ids);
        assert_eq!(changed(&before, &back), BTreeMap::new());
    }
}
