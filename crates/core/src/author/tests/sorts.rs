//! A word that decides which other fields there are: what goes and comes with it.

use super::super::{Assignment, SetOptions, set};
use crate::effective::World;
use crate::source::MemorySource;

const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.json"
id = "id"
[[where]]
files = "acts/*.FORMAT"
cut = "{}"
kind = "act"
[kinds.act]
again = "AGAIN"
[kinds.act.fields]
"does" = { choose = "sort", cases = { strike = "strike", mend = "mend", wait = "wait" } }
"does.sort" = { type = "choice", words = ["strike", "mend", "wait"] }
[parts.strike.fields]
"force" = { type = "integer" }
"reach" = { type = "integer", default = 1 }
[parts.mend.fields]
"force" = { type = "integer" }
"herb" = { type = "text" }
[parts.wait.fields]
"turns" = { type = "integer", default = 2 }
"#;

/// Sorts told by tests, in the definition itself and in entries of a list.
const BY_TESTS: &str = r#"[kinds.act.fields]
"sort" = { type = "choice", words = ["strike", "mend"], default = "mend" }
"force" = { type = "integer", only = { sort = "strike" } }
"herb" = { type = "text", optional = true, only = { sort = "mend" } }
"long" = { type = "boolean", default = false, only = { sort = "strike" } }
"least" = { type = "integer", default = 1 }
"most" = { type = "integer", default = 5 }
"parts[]" = { LIST optional = true }
"parts[].name" = { type = "text" }
"parts[].at" = { type = "choice", words = ["knee", "elbow"] }
"parts[].bends" = { type = "integer", only = { at = "knee" } }
"parts[].twists" = { type = "integer", optional = true, only = { at = "elbow" } }
[[kinds.act.groups]]
range = ["least", "most"]
[[kinds.act.groups]]
of = "parts[]"
at_most_one = ["bends", "twists"]
"#;

fn source(format: &str, again: &str, own: bool) -> MemorySource {
    let text = match format {
        "yaml" => "bash:\n  does:\n    sort: strike # at first\n    force: 3\n    reach: 2\n",
        _ => {
            "{\n  \"bash\": {\n    \"does\": {\n      \"sort\": \"strike\",\n      \"force\": 3,\n      \"reach\": 2\n    }\n  }\n}\n"
        }
    };
    let other = "{}\n";
    let (base, mods) = if own { (other, text) } else { (text, other) };
    let mut source = MemorySource::new([
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n"),
        ("mods/m/mod.json", "{ \"id\": \"m\" }\n"),
    ]);
    source.put("rulebook.toml", RULEBOOK.replace("FORMAT", format).replace("AGAIN", again));
    source.put(&format!("base/acts/a.{format}"), base);
    source.put(&format!("mods/m/acts/a.{format}"), mods);
    source
}

/// The text of the changed file, and the fields that come, or why not.
fn changed(source: &MemorySource, assignments: &[&str]) -> Result<(String, Vec<String>), String> {
    let mut world = World::load(source).unwrap();
    let options = SetOptions {
        at_anchor: false,
        layer: world.catalog().layer_named("m").unwrap(),
        kind: world.catalog().rulebook().kind_named("act").unwrap(),
        id: "bash".to_owned(),
        assignments: assignments.iter().map(|one| Assignment::parse(one).unwrap()).collect(),
        why: None,
    };
    let report = set(&mut world, &options).map_err(|error| error.to_string())?;
    let text = report.changes.files[0].texts().1.to_owned();
    Ok((text, report.comes.iter().map(|(path, _)| path.to_string()).collect()))
}

#[test]
fn fields_go_and_come_with_the_word() {
    let yaml = source("yaml", "replace", true);
    let (text, comes) = changed(&yaml, &["does.sort=wait"]).unwrap();
    assert_eq!((text.as_str(), comes), ("bash:\n  does:\n    sort: wait # at first\n", vec!["does.turns".to_owned()]));
    let json = source("json", "merge", true);
    for order in [["does.sort=mend", "does.herb=sage"], ["does.herb=sage", "does.sort=mend"]] {
        let (text, comes) = changed(&json, &order).unwrap();
        let wanted = "{\n  \"bash\": {\n    \"does\": {\n      \"sort\": \"mend\",\n      \"force\": 3,\n      \"herb\": \"sage\"\n    }\n  }\n}\n";
        assert_eq!((text.as_str(), comes.is_empty()), (wanted, true));
    }
    let message = changed(&json, &["does.sort=mend"]).unwrap_err();
    let said = "`does.sort=mend` needs `does.herb` (a text) as well\n  help: in the same step: `does.herb=…`";
    assert_eq!(message, said);
    // the word that stands already brings nothing about
    let (text, _) = changed(&json, &["does.sort=strike", "does.reach=3"]).unwrap();
    assert!(text.contains("\"reach\": 3"), "{text}");
}

#[test]
fn what_a_lower_layer_states_goes_where_the_game_can_say_so() {
    let (text, _) = changed(&source("json", "replace", false), &["does.sort=wait"]).unwrap();
    assert!(text.contains("set = { \"does.sort\" = \"wait\" }") && text.contains("unset"), "{text}");
    let message = changed(&source("json", "merge", false), &["does.sort=wait"]).unwrap_err();
    assert!(message.contains("cannot be taken away"), "{message}");
}

fn by_tests_rulebook(format: &str, list: &str) -> String {
    let head = RULEBOOK.split("[kinds.act.fields]").next().unwrap();
    format!("{head}{BY_TESTS}").replace("FORMAT", format).replace("AGAIN", "merge").replace("LIST", list)
}

fn by_tests(format: &str, own: bool) -> MemorySource {
    let mut source = source(format, "merge", own);
    source.put("rulebook.toml", by_tests_rulebook(format, ""));
    let text = match format {
        "yaml" => "bash:\n  sort: strike\n  force: 3 # hard\n  parts:\n    - name: a\n      at: knee\n      bends: 2\n",
        _ => {
            "{\n  \"bash\": {\n    \"sort\": \"strike\",\n    \"force\": 3,\n    \"parts\": [{ \"name\": \"a\", \"at\": \"knee\", \"bends\": 2 }]\n  }\n}\n"
        }
    };
    let folder = if own { "mods/m" } else { "base" };
    source.put(&format!("{folder}/acts/a.{format}"), text);
    source
}

#[test]
fn fields_go_and_come_by_tests() {
    for format in ["yaml", "json"] {
        let source = by_tests(format, true);
        let (text, comes) = changed(&source, &["sort=mend", "herb=sage"]).unwrap();
        assert!(text.contains("sage") && !text.contains("force") && comes.is_empty(), "{text}");
        let (text, comes) = changed(&source, &["sort=mend"]).unwrap();
        assert!(!text.contains("force") && comes == ["herb"], "{text} {comes:?}");
        for (list, entry) in [("", "parts[0]"), ("list = \"keyed\", by = \"name\",", "parts[name=a]")] {
            let mut source = source.clone();
            source.put("rulebook.toml", by_tests_rulebook(format, list));
            let (text, comes) = changed(&source, &[&format!("{entry}.at=elbow")]).unwrap();
            assert!(!text.contains("bends") && comes == [format!("{entry}.twists")], "{text} {comes:?}");
            let (text, _) = changed(&source, &[&format!("{entry}.twists=4"), &format!("{entry}.at=elbow")]).unwrap();
            assert!(!text.contains("bends") && text.contains("twists"), "{text}");
        }
    }
    let mut plain = by_tests("yaml", true);
    plain.put("mods/m/acts/a.yaml", "bash:\n  herb: sage\n");
    let message = changed(&plain, &["sort=strike"]).unwrap_err();
    let wanted = "`sort=strike` needs `force` (a whole number, only where `sort` is `strike`) as well\n  help: in the same step: `force=…`";
    assert_eq!(message, wanted);
    let (text, comes) = changed(&plain, &["sort=strike", "force=2"]).unwrap();
    assert_eq!((text.as_str(), comes), ("bash:\n  sort: strike\n  force: 2\n", vec!["long".to_owned()]));
}

#[test]
fn what_does_not_go_together_is_refused_in_the_words_of_check() {
    let only = |sort: &str| format!("has no meaning here: it is only for a definition whose `sort` is `{sort}`");
    for own in [true, false] {
        let source = by_tests("json", own);
        for (assignments, wanted) in [
            (vec!["herb=sage"], format!("`herb` {}", only("mend"))),
            (vec!["least=9"], "`act/bash`: `least` is 9 and `most` is 5, which is less".to_owned()),
            (
                vec!["parts[0].twists=1"],
                "has no meaning here: it is only for a definition whose `at` is `elbow`".to_owned(),
            ),
        ] {
            let message = changed(&source, &assignments).unwrap_err();
            assert!(message.contains(&wanted), "{message}");
        }
        changed(&source, &["least=9", "most=12"]).unwrap();
        changed(&source, &["long=true"]).unwrap();
    }
}
