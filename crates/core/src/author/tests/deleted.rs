//! Definitions go, with what belongs to them and what may be left out, in whatever notation.

use super::renamed::{changed, source, written};
use crate::author::{DeleteError, DeleteOptions, DeleteReport, delete};
use crate::effective::World;
use crate::source::MemorySource;

fn deleted(source: &MemorySource, addresses: &[&str], cascade: bool) -> Result<DeleteReport, DeleteError> {
    let mut world = World::load(source).unwrap();
    let catalog = world.catalog();
    let address = |text: &&str| {
        let (kind, id) = text.split_once('/').unwrap();
        catalog.address(catalog.rulebook().kind_named(kind).unwrap(), id).unwrap()
    };
    let addresses = addresses.iter().map(address).collect();
    let layer = catalog.layer_named("quay").unwrap();
    delete(source, &mut world, &DeleteOptions { layer, addresses, cascade })
}

fn uses(error: Option<DeleteError>) -> Vec<String> {
    match error {
        Some(DeleteError::Used(_, uses)) => uses.into_iter().map(|one| one.what).collect(),
        other => panic!("{other:?}"),
    }
}

#[test]
fn what_names_it_is_listed() {
    let before = source();
    let listed = uses(deleted(&before, &["good/tar"], false).err());
    assert_eq!(
        listed,
        [
            "boat/punt carries",
            "craft/tar_slow needs it at `gives`",
            "craft/tar needs it at `gives`",
            "good/pelt_tar near",
            "`tar`",
            "stall/tar-man sells",
            "stall/tar-man stock.tar",
            "tag/black all",
            "good/tub inherits from it",
        ]
    );
    // what must be there, or says more than a reference, is not taken out
    let stopped = uses(deleted(&before, &["good/tar"], true).err());
    assert_eq!(
        stopped,
        ["craft/tar_slow needs it at `gives`", "craft/tar needs it at `gives`", "`tar`", "good/tub inherits from it",]
    );
}

#[test]
fn what_may_be_left_out_goes_along() {
    let mut before = source();
    before.take("mods/quay/scripts/first.lua");
    let all = ["good/tar", "good/tub", "craft/tar_slow", "craft/tar"];
    // what names the crafts goes, too: a field that may be left out
    let report = deleted(&before, &all, true).unwrap();
    let after = written(&before, &report.changes);
    let files = changed(&before, &after);
    let all: Vec<String> = files.iter().map(|(path, text)| format!("== {path}\n{}", text.replace('\r', "~"))).collect();
    assert_eq!(all.join(""), WANTED);
    assert_eq!(report.texts, ["good.tar", "good.tub", "craft.tar_slow"]);
    assert_eq!(report.elsewhere.len(), 1);
    let gone: Vec<&String> = before.files().keys().filter(|path| !after.files().contains_key(*path)).collect();
    assert_eq!(gone, ["mods/quay/art/tar.png"]);
    // the last one takes its file along
    let report = deleted(&before, &["boat/barge"], false).unwrap();
    assert!(!written(&before, &report.changes).files().contains_key("mods/quay/boats/barge.yaml"));
}

const WANTED: &str = r#"== mods/quay/boats/inland/punt.yaml
# the old one
carries:
  - {what: "rope"}
== mods/quay/crafts/all.csv
gives,how,after
rope,,
== mods/quay/goods/tar.json
{~
  "pelt_tar": { "near": "g:rope" }~
}~
== mods/quay/stalls/all.xml
<stalls>
  <!-- by the lock -->
  <stall id="tar-man" sells="any dry;rope">
    <stock><rope>2</rope></stock>
  </stall>
</stalls>
== mods/quay/tags/own.toml
[black]
all = ['dry']
== mods/quay/words/all.csv
key,en,fy
"#;

#[test]
fn what_others_made_is_taken_away_or_refused() {
    let before = source();
    let refused = |addresses: &[&str]| deleted(&before, addresses, false).unwrap_err().to_string();
    assert!(refused(&["good/salt"]).contains("the game knows no notation that takes a good away"));
    assert!(refused(&["tag/far"]).contains("`--mod far` deletes it there"));
    // where files hide others, one without it is the notation
    let rulebook = String::from_utf8(before.files()["rulebook.toml"].clone()).unwrap();
    let mut hiding = before.clone();
    hiding.put("rulebook.toml", rulebook.replace("kind = \"good\"\n", "kind = \"good\"\nshadows = true\n"));
    let said = deleted(&hiding, &["good/salt"], false).unwrap_err().to_string();
    assert!(said.contains("without it, as `") && said.contains("in the mod, takes it away"), "{said}");
    // with a notation for it
    let mut before = source();
    let rulebook = String::from_utf8(before.files()["rulebook.toml"].clone()).unwrap();
    before.put("rulebook.toml", rulebook.replace("[kinds.good]\n", "[kinds.good]\nremoves = { off = true }\n"));
    let report = deleted(&before, &["good/rope"], true).unwrap_err().to_string();
    assert!(report.contains("is named where it must be"), "{report}");
    let report = deleted(&before, &["good/salt"], false).unwrap();
    assert_eq!(report.taken_away, ["good/salt"]);
    let files = changed(&before, &written(&before, &report.changes));
    assert!(
        files["mods/quay/goods/tar.json"].ends_with("  \"salt\": {\r\n    \"off\": true\r\n  }\r\n}\r\n"),
        "{files:?}"
    );
}

/// What of the base names something that a mod takes away is told, and taken out by amendments where that is wanted.
#[test]
fn what_the_base_names_is_told_or_goes() {
    let source = MemorySource::new([
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n"),
        ("rulebook.toml", BASE_NAMES),
        (
            "base/goods/all.json",
            r#"{"tar": {"near": "keg"}, "rope": {"near": "keg"}, "raft": {"of": ["rope", "tar"], "mix": "tar*2,rope*1", "near": "keg"}, "keg": {"near": "rope"}}"#,
        ),
        ("mods/quay/mod.json", "{ \"id\": \"quay\" }\n"),
        ("mods/quay/goods/own.json", "{}\n"),
    ]);
    let said = |report: &DeleteReport| -> Vec<String> { report.below.iter().map(|one| one.what.clone()).collect() };
    let report = deleted(&source, &["good/tar"], false).unwrap();
    assert_eq!(said(&report), ["good/raft of", "good/raft mix"]);
    let report = deleted(&source, &["good/tar"], true).unwrap();
    assert_eq!(said(&report), [""; 0]);
    let after = World::load(&written(&source, &report.changes)).unwrap();
    let catalog = after.catalog();
    let raft = catalog.address(catalog.rulebook().kind_named("good").unwrap(), "raft").unwrap();
    let shows = after.view().effective(raft).unwrap().value.draft(catalog);
    assert_eq!(shows.short(), "{of: [rope], mix: [[rope, 1]], near: keg}");
    assert!(crate::check::check(&after).is_empty());
    // what needs it stops that
    let needed = deleted(&source, &["good/rope"], true);
    assert_eq!(uses(needed.err()), ["good/keg needs it at `near`"]);
}

const BASE_NAMES: &str = r#"rulebook = 1
[manifest]
file = "mod.json"
id = "id"
[[where]]
files = "goods/*.json"
cut = "{}"
kind = "good"
[kinds.good]
again = "replace"
removes = { off = true }
[kinds.good.fields]
"off" = { type = "boolean", optional = true }
"of[]" = { link = "good", optional = true }
"mix" = { split = ",", list = "bag", optional = true }
"mix[]" = { type = "tuple", split = "*" }
"mix[][0]" = { link = "good" }
"mix[][1]" = { type = "integer" }
"near" = { link = "good" }
"#;

/// Where a mod states something of what the base defines, and the game knows no way to take that away, what the mod
/// states goes.
#[test]
fn what_the_mod_states_of_the_bases_goes_alone() {
    let shows = "{pay: 3, near: oar}";
    for again in ["merge", "replace", "variant"] {
        let rulebook = format!(
            "rulebook = 1\n[manifest]\nfile = \"mod.json\"\nid = \"id\"\n[[where]]\nfiles = \"goods/*.json\"\n\
             cut = \"{{}}\"\nkind = \"good\"\n[kinds.good]\nagain = \"{again}\"\n[kinds.good.fields]\n\
             \"pay\" = {{ type = \"integer\" }}\n\"near\" = {{ link = \"good\", optional = true }}\n"
        );
        let source = MemorySource::new([
            (
                "cognomen.toml",
                "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n".to_owned(),
            ),
            ("rulebook.toml", rulebook),
            (
                "base/goods/all.json",
                "{ \"oar\": { \"pay\": 1 }, \"keg\": { \"pay\": 3, \"near\": \"oar\" } }\n".to_owned(),
            ),
            ("mods/quay/mod.json", "{ \"id\": \"quay\" }\n".to_owned()),
            (
                "mods/quay/goods/own.json",
                "{\n  \"tub\": { \"pay\": 2, \"near\": \"keg\" },\n  \"keg\": { \"pay\": 9 }\n}\n".to_owned(),
            ),
        ]);
        let report = deleted(&source, &["good/keg"], false).unwrap();
        assert_eq!(report.taken_back, ["good/keg"], "{again}");
        let after = written(&source, &report.changes);
        let own = String::from_utf8(after.files()["mods/quay/goods/own.json"].clone()).unwrap();
        assert_eq!(own, "{\n  \"tub\": { \"pay\": 2, \"near\": \"keg\" }\n}\n", "{again}");
        let after = World::load(&after).unwrap();
        let catalog = after.catalog();
        let keg = catalog.address(catalog.rulebook().kind_named("good").unwrap(), "keg").unwrap();
        assert_eq!(after.view().effective(keg).unwrap().value.draft(catalog).short(), shows, "{again}");
    }
}

/// What the mod has of its own of a definition of the base becomes one that takes that away, where it stands.
#[test]
fn an_own_definition_of_what_is_the_bases_becomes_its_removal() {
    let rulebook = |file: &str, cut: &str, kind: &str| {
        format!(
            "rulebook = 1\n[manifest]\nfile = \"mod.toml\"\nid = \"id\"\n[[where]]\nfiles = \"{file}\"\n{cut}kind = \"good\"\n\
             [kinds.good]\n{kind}again = \"replace\"\nremoves = {{ gone = \"yes\" }}\n[kinds.good.fields]\n\
             \"gone\" = {{ type = \"text\", optional = true }}\n\"pay\" = {{ type = \"integer\" }}\n"
        )
    };
    let cases = [
        ("all.json", "all.json", "cut = \"{}\"\n", "", "{ \"peat\": { \"pay\": 4 }, \"own\": { \"pay\": 2 } }\n"),
        ("all.yaml", "all.yaml", "cut = \"{}\"\n", "", "# ours\npeat:\n  pay: 4\nown:\n  pay: 2 # two\n"),
        ("all.toml", "all.toml", "cut = \"{}\"\n", "", "[peat]\npay = 4\n\n[own]\npay = 2\n"),
        (
            "l.json",
            "l.json",
            "cut = \"[]\"\n",
            "name = \"id\"\n",
            "[{ \"id\": \"own\", \"pay\": 2 }, { \"id\": \"peat\", \"pay\": 4 }]\n",
        ),
        (
            "all.xml",
            "all.xml",
            "cut = \"goods.good[]\"\n",
            "name = \"@id\"\n",
            "<goods>\n  <good id=\"peat\">\n    <pay>4</pay>\n  </good>\n  <good id=\"own\"><pay>2</pay></good>\n</goods>\n",
        ),
        ("all.csv", "all.csv", "cut = \"[]\"\n", "name = \"id\"\n", "id,pay,gone\npeat,4,\nown,2,\n"),
        ("g/*.json", "g/peat.json", "", "name = \"stem\"\n", "{ \"pay\": 4 }\n"),
        ("g/*.xml", "g/peat.xml", "cut = \"good\"\n", "name = \"stem\"\n", "<good>\n  <pay>4</pay>\n</good>\n"),
        ("g/*.yaml", "g/peat.yaml", "", "name = \"stem\"\n", "pay: 4\n"),
    ];
    for (files, path, cut, kind, text) in cases {
        let source = MemorySource::new([
            ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n"),
            ("rulebook.toml", &rulebook(files, cut, kind)),
            (&format!("base/{path}"), text),
            ("mods/yard/mod.toml", "id = \"yard\"\n"),
            (&format!("mods/yard/{path}"), text),
        ]);
        let mut world = World::load(&source).unwrap();
        let layer = world.catalog().layer_named("yard").unwrap();
        let good = world.catalog().rulebook().kind_named("good").unwrap();
        let peat = world.catalog().address(good, "peat").unwrap();
        let options = DeleteOptions { layer, addresses: vec![peat], cascade: false };
        let report = delete(&source, &mut world, &options).map_err(|error| format!("{path}: {error}")).unwrap();
        assert_eq!(report.taken_away, ["good/peat"], "{path}");
        let after = written(&source, &report.changes);
        let world = World::load(&after).unwrap();
        let stands = |id: &str| world.catalog().address(good, id).is_some_and(|at| world.view().stands(at));
        let now = String::from_utf8(after.files()[&format!("mods/yard/{path}")].clone()).unwrap();
        assert!(!stands("peat") && (text.matches("own").count() == 0 || stands("own")), "{path}\n{now}");
        assert!(now.contains("gone") && !now.contains('4'), "{path}\n{now}");
        assert!(!text.contains('#') || now.contains("# ours") && now.contains("# two"), "{path}\n{now}");
    }
}
