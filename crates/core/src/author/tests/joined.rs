//! Lists that are joined with what lies below them, in the mod's own definitions: what is set is what shows.

use proptest::prelude::*;

use super::super::{Assignment, SetOptions, set};
use crate::document::{Draft, FieldPath};
use crate::effective::World;
use crate::source::MemorySource;

/// How a game writes such a list.
#[derive(Clone, Debug)]
struct Notation {
    packed: bool,
    shape: &'static str,
    minus: bool,
    plus: bool,
    /// Whether the mod's definition is laid over that of the base, and not over its parent.
    over: bool,
}

fn notations() -> impl Strategy<Value = Notation> {
    let shape = prop_oneof![Just("set"), Just("sequence"), Just("bag")];
    (any::<bool>(), shape, any::<bool>(), any::<bool>(), any::<bool>())
        .prop_map(|(packed, shape, minus, plus, over)| Notation { packed, shape, minus, plus, over })
}

impl Notation {
    fn list(&self, words: &[String]) -> String {
        match self.packed {
            true => format!("\"{}\"", words.join(" ")),
            false => format!("[{}]", words.iter().map(|word| format!("\"{word}\"")).collect::<Vec<_>>().join(", ")),
        }
    }

    fn source(&self, below: &[String], own: Option<&[String]>) -> MemorySource {
        let Notation { shape, over, .. } = self;
        let split = if self.packed { "split = \" \", " } else { "" };
        let minus = if self.minus { ", minus = \"-\"" } else { "" };
        let plus = if self.plus { ", plus = \"+\"" } else { "" };
        let again = if *over { "merge" } else { "replace" };
        let rulebook = format!(
            "rulebook = 1\n[manifest]\nfile = \"mod.json\"\nid = \"id\"\n[[where]]\nfiles = \"*.json\"\nkind = \"unit\"\n\
             [kinds.unit]\nname = \"stem\"\nparent = \"like\"\nagain = \"{again}\"\n[kinds.unit.fields]\n\
             \"like\" = {{ link = \"unit\", optional = true }}\n\"size\" = {{ type = \"integer\", optional = true }}\n\
             \"hits\" = {{ {split}join = true, list = \"{shape}\", optional = true }}\n\
             \"hits[]\" = {{ type = \"text\"{minus}{plus} }}\n"
        );
        let (name, parent) = if *over { ("a", "") } else { ("b", "\"like\": \"a\", ") };
        let own = own.map_or_else(String::new, |own| format!(", \"hits\": {}", self.list(own)));
        MemorySource::new([
            (
                "cognomen.toml",
                "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n".to_owned(),
            ),
            ("rulebook.toml", rulebook),
            ("base/a.json", format!("{{\"hits\": {}}}\n", self.list(below))),
            ("mods/m/mod.json", "{\"id\": \"m\"}\n".to_owned()),
            (&format!("mods/m/{name}.json"), format!("{{{parent}\"size\": 1{own}}}\n")),
        ])
    }

    fn id(&self) -> &'static str {
        if self.over { "a" } else { "b" }
    }
}

/// One assignment, in the mod's own definition.
fn options(world: &World, id: &str, line: &str) -> SetOptions {
    SetOptions {
        at_anchor: false,
        layer: world.catalog().layer_named("m").unwrap(),
        kind: world.catalog().rulebook().kind_named("unit").unwrap(),
        id: id.to_owned(),
        assignments: vec![Assignment::parse(line).unwrap()],
        why: None,
    }
}

fn shows(world: &World, id: &str) -> Vec<String> {
    let layer = world.catalog().layer_named("m").unwrap();
    let kind = world.catalog().rulebook().kind_named("unit").unwrap();
    let address = world.catalog().address(kind, id).unwrap();
    let effective = world.with_ground(layer).effective(address).unwrap();
    let value = effective.get(world.catalog(), &FieldPath::key("hits"));
    match value.map(|value| value.draft(world.catalog())) {
        Some(Draft::List(items)) => items.iter().filter_map(Draft::word).map(|word| word.to_string()).collect(),
        _ => Vec::new(),
    }
}

fn words() -> impl Strategy<Value = Vec<String>> {
    proptest::collection::vec(prop_oneof![Just("a"), Just("b"), Just("c"), Just("d")], 1..4).prop_map(|words| {
        let mut out: Vec<String> = Vec::new();
        for word in words.into_iter().map(str::to_owned) {
            if !out.contains(&word) {
                out.push(word);
            }
        }
        out
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, ..ProptestConfig::default() })]

    /// An assignment is refused, or shows: never anything else; nothing else of the file changes.
    #[test]
    fn what_is_set_shows_or_is_refused(
        notation in notations(),
        below in words(),
        own in proptest::option::of(words()),
        marks in proptest::collection::vec(0usize..3, 4),
        wanted in words(),
        sign in prop_oneof![Just("="), Just("+="), Just("-=")],
    ) {
        let marked = |(nth, word): (usize, &String)| match marks[nth % 4] {
            1 if notation.minus => format!("-{word}"),
            2 if notation.plus => format!("+{word}"),
            _ => word.clone(),
        };
        let own: Option<Vec<String>> = own.map(|own| own.iter().enumerate().map(marked).collect());
        let mut world = World::load(&notation.source(&below, own.as_deref())).unwrap();
        let before = shows(&world, notation.id());
        let line = format!("hits{sign}{}", wanted.join(","));
        let options = options(&world, notation.id(), &line);
        let mut expected = match sign {
            "=" => wanted.clone(),
            "+=" => before.iter().chain(&wanted).cloned().collect(),
            // of entries that are there twice, one
            _ => wanted.iter().fold(before.clone(), |mut left, word| {
                left.iter().position(|other| other == word).map(|at| left.remove(at));
                left
            }),
        };
        if let Ok(report) = set(&mut world, &options) {
            let mut now = shows(&world, notation.id());
            if notation.shape != "sequence" {
                expected.sort();
                now.sort();
            }
            prop_assert_eq!(&now, &expected, "{} on {:?} over {:?} with {:?}", line, before, below, own);
            for change in &report.changes.files {
                prop_assert!(change.texts().1.contains("\"size\": 1"));
                prop_assert!(!change.path().starts_with("base/"));
            }
        }
    }
}

/// The game's own signs are written, and what stays is where it was.
#[test]
fn entries_come_and_go_by_the_signs_of_the_game() {
    let signed = Notation { packed: true, shape: "set", minus: true, plus: false, over: false };
    let listed = Notation { packed: false, ..signed.clone() };
    let both = Notation { plus: true, ..signed.clone() };
    let own: &[&str] = &["-wet", "dry"];
    for (notation, own, line, written) in [
        (&signed, own, "hits-=dry", "\"-wet\""),
        (&signed, own, "hits-=raw", "\"-wet dry -raw\""),
        (&signed, own, "hits+=wet", "\"dry\""),
        (&signed, own, "hits=raw,hot", "\"-wet hot\""),
        (&listed, own, "hits-=raw", "[\"-wet\", \"dry\", \"-raw\"]"),
        (&both, &["-wet", "+dry"], "hits+=hot", "\"-wet +dry +hot\""),
        // without any sign it counts alone, where additions have one
        (&both, &["dry"], "hits+=hot", "\"dry hot\""),
    ] {
        let own: Vec<String> = own.iter().map(|word| (*word).to_owned()).collect();
        let below = ["wet".to_owned(), "raw".to_owned()];
        let mut world = World::load(&notation.source(&below, Some(&own))).unwrap();
        let options = options(&world, notation.id(), line);
        let report = set(&mut world, &options).unwrap_or_else(|error| panic!("{line}: {error}"));
        let text = report.changes.files[0].texts().1.to_owned();
        assert_eq!(text, format!("{{\"like\": \"a\", \"size\": 1, \"hits\": {written}}}\n"), "{line}");
    }
    let plain = Notation { minus: false, ..signed };
    let mut world = World::load(&plain.source(&["wet".to_owned()], None)).unwrap();
    let options = options(&world, "b", "hits-=wet");
    let refused = set(&mut world, &options).unwrap_err().to_string();
    assert!(refused.contains("the game has no notation for this change: this list is joined"), "{refused}");
}

/// Where a parent states the entry, what tells it apart comes along with what changes; a list that is not joined comes as
/// a whole.
#[test]
fn a_change_in_an_entry_that_is_inherited_is_stated_where_the_heir_is() {
    for (join, packed, line, wanted) in [
        (true, false, "hits[by=bow].far*=2", "\"hits\": [{ \"by\": \"bow\", \"far\": 8 }]"),
        (true, false, "hits[by=bow].way.low=3", "\"hits\": [{ \"by\": \"bow\", \"way\": { \"low\": 3 } }]"),
        (true, true, "hits[by=bow].note=wet", "\"hits\": [\"bow 4 wet\"]"),
        (false, true, "hits[by=bow].far=9", "\"hits\": [\"axe 1\", \"bow 9\"]"),
    ] {
        let (places, way, below) = match packed {
            true => ("split = \" \", places = [\"by\", \"far\", \"note\"], ", "", "[\"axe 1\", \"bow 4\"]"),
            false => (
                "",
                "\"hits[].way.low\" = { type = \"integer\", optional = true }\n",
                "[{ \"by\": \"axe\", \"far\": 1 }, { \"by\": \"bow\", \"far\": 4 }]",
            ),
        };
        let rulebook = format!(
            "rulebook = 1\n[manifest]\nfile = \"mod.json\"\nid = \"id\"\n[[where]]\nfiles = \"*.json\"\nkind = \"unit\"\n\
             [kinds.unit]\nname = \"stem\"\nparent = \"like\"\n[kinds.unit.fields]\n\
             \"hits[]\" = {{ {places}join = {join}, list = \"keyed\", by = \"by\", optional = true }}\n\
             \"hits[].by\" = {{ type = \"text\" }}\n\"hits[].far\" = {{ type = \"integer\" }}\n\
             \"hits[].note\" = {{ type = \"text\", optional = true }}\n{way}"
        );
        let source = MemorySource::new([
            (
                "cognomen.toml",
                "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n".to_owned(),
            ),
            ("rulebook.toml", rulebook),
            ("base/a.json", format!("{{ \"hits\": {below} }}\n")),
            ("mods/m/mod.json", "{\"id\": \"m\"}\n".to_owned()),
            ("mods/m/b.json", "{ \"like\": \"a\" }\n".to_owned()),
        ]);
        let mut world = World::load(&source).unwrap();
        let options = options(&world, "b", line);
        let report = set(&mut world, &options).unwrap_or_else(|error| panic!("{line}: {error}"));
        let text = report.changes.files[0].texts().1;
        assert_eq!(text, format!("{{ \"like\": \"a\", {wanted} }}\n"), "{line}");
    }
}
