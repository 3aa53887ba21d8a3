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
"turns[]" = { optional = true }
"turns[].for" = { type = "number", unit = "s", units = { s = 1, min = 60 } }
"rests{}" = { type = "number", unit = "s", units = { s = 1, min = 60 }, optional = true }
"rest" = { type = "number", units = { s = 1, min = 60 }, optional = true }
"marks{}" = { type = "integer" }
"for" = { type = "choice", words = ["looms", "yarns"], optional = true }
"whom" = { link = ["loom", "yarn"], kind_by = "for", kind_words = { looms = "loom", yarns = "yarn" }, optional = true }
"dyes{key}" = { link = "yarn" }
"dyes{}" = { type = "integer", optional = true }
"days{key}" = { type = "integer", min = 1, max = 31 }
"days{}" = { type = "text", optional = true }
"marks" = { optional = true }
"folds" = { type = "flags", words = ["twill", "plain"], split = "|", optional = true }
"beats[]" = { type = "integer", split = [",", "/"], list = "sequence", optional = true }
"takes[]" = { list = "keyed", by = "what", optional = true }
"takes[].what" = { link = "yarn" }
"takes[].many" = { type = "integer", default = 1 }
"needs[]" = { list = "keyed", by = "what", optional = true }
"needs[].what" = { link = "yarn" }
"needs[].many" = { type = "integer" }
"sold[]" = { list = "keyed", by = "to", split = ":", places = ["to", "pence", "when"], optional = true }
"sold[].to" = { type = "text" }
"sold[].pence" = { type = "integer", min = 1 }
"sold[].when" = { type = "text", optional = true }
"pegs" = { places = ["left", "right"], optional = true }
"pegs.left" = { type = "integer" }
"pegs.right" = { type = "integer", optional = true }
"#;

fn typed(assignment: &str) -> Result<String, String> {
    typed_over("{ \"warps\": \"flax\" }", assignment)
}

/// What becomes of a definition.
fn typed_over(stands: &str, assignment: &str) -> Result<String, String> {
    let own = format!("{{\n  \"hand\": {stands}\n}}\n");
    let source = MemorySource::new([
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n"),
        ("rulebook.toml", RULEBOOK),
        ("base/yarns/all.json", "{ \"flax\": { \"ply\": 2 }, \"wool\": { \"ply\": 3 }, \"hemp\": { \"ply\": 1 } }\n"),
        ("mods/weft/mod.json", "{ \"id\": \"weft\" }\n"),
        ("mods/weft/looms/own.json", own.as_str()),
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
        ("folds=[twill, plain]", "{ \"warps\": \"flax\", \"folds\": \"twill|plain\" }"),
        ("takes=[{ what: wool }]", "{ \"warps\": \"flax\", \"takes\": [{ \"what\": \"wool\" }] }"),
        ("width=[2, 5]", "{ \"warps\": \"flax\", \"width\": \"2-5\" }"),
        ("size=1.5x3", "{ \"warps\": \"flax\", \"size\": \"1.5x3\" }"),
        ("size=1.5,3", "{ \"warps\": \"flax\", \"size\": \"1.5x3\" }"),
        ("idle=2min", "{ \"warps\": \"flax\", \"idle\": \"2 min\" }"),
        ("folds=twill|plain", "{ \"warps\": \"flax\", \"folds\": \"twill|plain\" }"),
        ("dyes.wool=3", "{ \"warps\": \"flax\", \"dyes\": { \"wool\": 3 } }"),
        ("dyes={ wool: 3 }", "{ \"warps\": \"flax\", \"dyes\": { \"wool\": 3 } }"),
        ("takes+=wool", "{ \"warps\": \"flax\", \"takes\": [{ \"what\": \"wool\" }] }"),
        (
            "turns=[{for: 2 min}, {for: 5}]",
            "{ \"warps\": \"flax\", \"turns\": [{ \"for\": \"2 min\" }, { \"for\": 5 }] }",
        ),
        ("turns+={for: 90s}", "{ \"warps\": \"flax\", \"turns\": [{ \"for\": \"90 s\" }] }"),
        ("rests={noon: 1min}", "{ \"warps\": \"flax\", \"rests\": { \"noon\": \"1 min\" } }"),
        ("takes+=wool,hemp", "{ \"warps\": \"flax\", \"takes\": [{ \"what\": \"wool\" }, { \"what\": \"hemp\" }] }"),
    ] {
        assert_eq!(typed(assignment).as_deref(), Ok(wanted), "{assignment}");
    }
}

#[test]
fn a_changed_quantity_keeps_its_unit_and_form() {
    for (stands, assignment, wanted) in [
        ("90s", "idle=95", "95s"),
        ("2 min", "idle*=2", "4 min"),
        ("1min 30s", "idle=3min 5s", "3min 5s"),
        ("2 min", "idle=90", "1.5 min"),
    ] {
        let of = |idle: &str| format!("{{ \"idle\": \"{idle}\" }}");
        assert_eq!(typed_over(&of(stands), assignment), Ok(of(wanted)), "{stands}, {assignment}");
    }
    assert_eq!(typed_over("{ \"idle\": 90 }", "idle=2min").as_deref(), Ok("{ \"idle\": 120 }"));
}

#[test]
fn values_that_follow_each_other_are_changed_by_their_names() {
    let stands = "{ \"sold\": [\"fair:3\", \"mill:4:noon\"], \"pegs\": [1] }";
    let with = |from: &str, to: &str| stands.replacen(from, to, 1);
    for (assignment, wanted) in [
        ("sold[to=fair].pence=5", with("fair:3", "fair:5")),
        ("sold[to=fair].when=dusk", with("fair:3", "fair:3:dusk")),
        ("sold[to=mill].pence*=2", with("mill:4", "mill:8")),
        ("sold+=quay:2", with("noon\"]", "noon\", \"quay:2\"]")),
        ("sold+=quay,2,dawn", with("noon\"]", "noon\", \"quay:2:dawn\"]")),
        ("sold+=quay:2,cove:1", with("noon\"]", "noon\", \"quay:2\", \"cove:1\"]")),
        ("sold-=mill", with(", \"mill:4:noon\"", "")),
        ("sold=quay,2", with("[\"fair:3\", \"mill:4:noon\"]", "[\"quay:2\"]")),
        ("pegs.right=7", with("[1]", "[1, 7]")),
        ("pegs=2,3", with("[1]", "[2, 3]")),
        ("pegs=[2, 3]", with("[1]", "[2, 3]")),
        ("pegs={left: 4}", with("[1]", "[4]")),
    ] {
        assert_eq!(typed_over(stands, assignment).as_deref(), Ok(wanted.as_str()), "{assignment}");
    }
    for (assignment, said) in [
        (
            "sold[to=quay].pence=5",
            "`sold` of `hand` has no entry `[to=quay]`\n  help: an entry more comes with `sold+=…`",
        ),
        ("sold[to=fair].pence=0", "`sold[].pence` takes a whole number of at least 1, not 0"),
        ("sold+=quay:2:dawn:x", "`sold[]` takes a table, written as `to:pence:when`"),
        ("sold+=quay", "the field `pence` is lacking"),
        ("pegs=1,2,3", "`pegs` takes a table, written as a list: `[left, right]`, not `1,2,3`"),
    ] {
        let message = typed_over(stands, assignment).unwrap_err();
        assert!(message.contains(said), "{assignment}: {message}");
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
        ("rest=3", "`rest` takes a number, in min, s, not `3`\n  help: with its unit, as in `3 s`"),
        ("whom=wol", "there is no loom or yarn `wol`\n  help: the nearest known one is `wool`"),
        ("warps=hand", "there is no yarn `hand`\n  help: `hand` is a loom; here the id of a yarn is needed"),
        ("dyes.wol=3", "there is no yarn `wol`\n  help: the nearest known one is `wool`"),
        ("dyes={ wol: 3 }", "there is no yarn `wol`"),
        ("days.32=x", "`days{key}` takes a whole number from 1 to 31, not `32`"),
        ("marks{flax}=3", "a loom has no field `marks{flax}`\n  help: a key of a map follows a dot: `marks.flax`"),
    ] {
        let message = typed(assignment).unwrap_err();
        assert!(message.contains(said), "{assignment}: {message}");
    }
}

/// Which kind an id is of is told by what stands beside it, or is said in the same step.
#[test]
fn the_kind_of_an_id_is_told_by_what_is_beside() {
    for (stands, whom, fits) in [("yarns", "wool", true), ("looms", "wool", false), ("looms", "hand", true)] {
        let stood = typed_over(&format!("{{ \"for\": \"{stands}\" }}"), &format!("whom={whom}"));
        assert_eq!(stood.is_ok(), fits, "{stands} {whom}: {stood:?}");
    }
    let refused = typed_over("{ \"for\": \"looms\" }", "whom=wool").unwrap_err();
    assert!(refused.contains("`wool` is a yarn; here the id of a loom is needed"), "{refused}");
}
