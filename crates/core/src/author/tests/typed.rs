//! The game's own notation is taken wherever a value is typed.

use super::super::{Assignment, SetOptions, set};
use crate::effective::World;
use crate::source::MemorySource;

const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.json"
id = "id"
[[where]]
files = "looms/*.json"
cut = "{}"
kind = "loom"
[[where]]
files = "yarns/*.json"
cut = "{}"
kind = "yarn"
[kinds.yarn]
[kinds.yarn.fields]
"ply" = { type = "integer" }
[kinds.loom]
again = "merge"
[kinds.loom.fields]
"warps[]" = { link = "yarn", split = " ", list = "set", optional = true }
"width" = { type = "range", split = "-", of = "integer", optional = true }
"size" = { type = "tuple", split = "x", optional = true }
"size[0]" = { type = "number" }
"size[1]" = { type = "number" }
"idle" = { type = "number", units = { s = 1, min = 60 }, unit = "s", optional = true }
"folds" = { type = "flags", words = ["twill", "plain"], split = "|", optional = true }
"beats[]" = { type = "integer", split = [",", "/"], list = "sequence", optional = true }
"takes[]" = { list = "keyed", by = "what", optional = true }
"takes[].what" = { link = "yarn" }
"takes[].many" = { type = "integer", default = 1 }
"needs[]" = { list = "keyed", by = "what", optional = true }
"needs[].what" = { link = "yarn" }
"needs[].many" = { type = "integer" }
"#;

fn typed(assignment: &str) -> Result<String, String> {
    let source = MemorySource::new([
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n"),
        ("rulebook.toml", RULEBOOK),
        ("base/yarns/all.json", "{ \"flax\": { \"ply\": 2 }, \"wool\": { \"ply\": 3 }, \"hemp\": { \"ply\": 1 } }\n"),
        ("mods/weft/mod.json", "{ \"id\": \"weft\" }\n"),
        ("mods/weft/looms/own.json", "{\n  \"hand\": { \"warps\": \"flax\" }\n}\n"),
    ]);
    let mut world = World::load(&source).unwrap();
    let options = SetOptions {
        at_anchor: false,
        layer: world.catalog().layer_named("weft").unwrap(),
        kind: world.catalog().rulebook().kind_named("loom").unwrap(),
        id: "hand".to_owned(),
        assignments: vec![Assignment::parse(assignment).unwrap()],
        why: None,
    };
    match set(&mut world, &options) {
        Ok(report) => {
            let text = report.changes.files[0].texts().1.to_owned();
            Ok(text.trim_start_matches("{\n  \"hand\": ").trim_end_matches("\n}\n").to_owned())
        }
        Err(error) => Err(error.to_string()),
    }
}

#[test]
fn values_are_taken_as_the_game_writes_them() {
    for (assignment, wanted) in [
        ("warps=flax wool", "{ \"warps\": \"flax wool\" }"),
        ("warps=flax,wool", "{ \"warps\": \"flax wool\" }"),
        ("warps+=wool hemp", "{ \"warps\": \"flax wool hemp\" }"),
        ("width=2-5", "{ \"warps\": \"flax\", \"width\": \"2-5\" }"),
        ("width=2..5", "{ \"warps\": \"flax\", \"width\": \"2-5\" }"),
        ("width=[2, 5]", "{ \"warps\": \"flax\", \"width\": \"2-5\" }"),
        ("size=1.5x3", "{ \"warps\": \"flax\", \"size\": \"1.5x3\" }"),
        ("size=1.5,3", "{ \"warps\": \"flax\", \"size\": \"1.5x3\" }"),
        ("idle=2min", "{ \"warps\": \"flax\", \"idle\": 120 }"),
        ("folds=twill|plain", "{ \"warps\": \"flax\", \"folds\": \"twill|plain\" }"),
        ("takes+=wool", "{ \"warps\": \"flax\", \"takes\": [{ \"what\": \"wool\" }] }"),
        ("takes+=wool,hemp", "{ \"warps\": \"flax\", \"takes\": [{ \"what\": \"wool\" }, { \"what\": \"hemp\" }] }"),
    ] {
        assert_eq!(typed(assignment).as_deref(), Ok(wanted), "{assignment}");
    }
}

#[test]
fn what_does_not_fit_says_what_does() {
    for (assignment, said) in [
        ("warps=flax wol", "there is no yarn `wol`\n  help: the nearest known one is `wool`"),
        ("takes+=wol", "there is no yarn `wol`\n  help: the nearest known one is `wool`"),
        ("needs+=wool", "the field `many` is lacking\n  help: an entry takes `what`, `many`"),
        ("folds=twill|plan", "`plan` is not a word that `folds` allows\n  help: the nearest allowed word is `plain`"),
        ("size=1.5x3x4", "`size` takes"),
    ] {
        let message = typed(assignment).unwrap_err();
        assert!(message.contains(said), "{assignment}: {message}");
    }
}
