//! Changes as people type them, and the texts they come to.

use super::{Assignment, SetOptions, set};
use crate::effective::World;
use crate::source::MemorySource;

const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.toml"
id = "id"
requires = "needs[]"
[[where]]
files = "birds/*.json"
cut = "{}"
kind = "bird"
[[where]]
files = "nests/*.toml"
kind = "nest"
[kinds.bird]
parent = "like"
again = "merge"
[kinds.bird.fields]
"eggs" = { type = "integer", min = 0, max = 20, default = 4 }
"wing" = { type = "number", optional = true }
"wades" = { type = "boolean", optional = true }
"call" = { type = "choice", words = ["boom", "pipe", "croak"], optional = true }
"moults" = { type = "flags", words = ["spring", "summer", "autumn"], optional = true }
"nest" = { link = "nest", optional = true }
"eats[]" = { list = "keyed", by = "what", optional = true }
"eats[].what" = { type = "text" }
"eats[].share" = { type = "number", default = 1 }
"names[]" = { type = "text", list = "sequence", optional = true }
"colour.back" = { type = "text", optional = true }
"colour.bill" = { type = "text", optional = true }
"worth{}" = { type = "integer", optional = true }
[kinds.nest]
again = "replace"
[kinds.nest.fields]
"of" = { type = "text" }
"wide" = { type = "integer" }
"lined[]" = { type = "text", list = "set", optional = true }
"#;

const BASE: &str = r#"{
  "heron": { "eggs": 5, "wing": 1.75, "eats": [ { "what": "eel", "share": 0.6 }, { "what": "frog" } ], "names": ["frank"], "worth": { "fen": 3 } },
  "bittern": { "like": "heron", "call": "boom" }
}
"#;

const OWN: &str = "{\n  // seen at the north sluice\n  \"egret\": {\n    \"like\": \"heron\",\n    \"eggs\": 4, // or five\n    \"moults\": [\"summer\"],\n    \"colour\": { \"back\": \"white\" }\n  }\n}\n";

fn world(amendments: &str) -> World {
    let mut source = MemorySource::new([
        ("cognomen.toml", "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n"),
        ("rulebook.toml", RULEBOOK),
        ("base/birds/all.json", BASE),
        ("base/nests/reeds.toml", "of = \"reed\"\nwide = 40\n"),
        ("mods/marsh/mod.toml", "id = \"marsh\"\n"),
        ("mods/marsh/birds/own.json", OWN),
        ("mods/marsh/nests/raft.toml", "# afloat\nof = \"sedge\"\nwide = 60 # or so\n"),
    ]);
    if !amendments.is_empty() {
        source.put("mods/marsh/amendments/bird.toml", amendments);
    }
    World::load(&source).unwrap()
}

/// The changed file's text, and what was said to have changed; or the refusal.
fn run(amendments: &str, address: &str, line: &[&str], unset: &[&str]) -> Result<(String, String), String> {
    let mut world = world(amendments);
    let (kind, id) = address.split_once('/').unwrap();
    let mut assignments: Vec<Assignment> = line.iter().map(|text| Assignment::parse(text).unwrap()).collect();
    assignments.extend(unset.iter().map(|path| Assignment::unset(path).unwrap()));
    let options = SetOptions {
        at_anchor: false,
        layer: world.catalog().layer_named("marsh").unwrap(),
        kind: world.catalog().rulebook().kind_named(kind).unwrap(),
        id: id.to_owned(),
        assignments,
        why: None,
    };
    let report = set(&mut world, &options).map_err(|error| error.to_string())?;
    assert_eq!(report.changes.files.len(), 1, "{report:?}");
    let shown = |draft: &Option<crate::document::Draft>| draft.as_ref().map_or("-".to_owned(), |draft| draft.short());
    let changed: Vec<String> =
        report.changed.iter().map(|c| format!("{}: {} > {}", c.path, shown(&c.before), shown(&c.after))).collect();
    Ok((report.changes.files[0].texts().1.to_owned(), changed.join("; ")))
}

#[test]
fn definitions_of_lower_layers_are_amended() {
    let head = "amendments = 1\n\n[[amend]]\nof = \"bird/heron\"\n";
    for (line, written, changed) in [
        ("eggs=3", "set = { eggs = 3 }\n", "eggs: 5 > 3"),
        ("eggs*=1.5", "multiply = { eggs = 1.5 }\n", "eggs: 5 > 8"),
        ("eggs+=2", "shift = { eggs = 2 }\n", "eggs: 5 > 7"),
        ("eggs-=2", "shift = { eggs = -2 }\n", "eggs: 5 > 3"),
        ("eggs:=eggs * 2 - 1", "set = { eggs = 9 }\n", "eggs: 5 > 9"),
        ("wing:=wing / 2", "set = { wing = 0.875 }\n", "wing: 1.75 > 0.875"),
        ("wades=true", "set = { wades = true }\n", "wades: - > true"),
        ("wades:=eggs > 4", "set = { wades = true }\n", "wades: - > true"),
        ("call=croak", "set = { call = \"croak\" }\n", "call: - > croak"),
        ("moults=spring, autumn", "set = { moults = [\"spring\", \"autumn\"] }\n", "moults: - > [spring, autumn]"),
        ("nest=reeds", "set = { nest = \"reeds\" }\n", "nest: - > reeds"),
        ("eats[what=eel].share=0.5", "set = { \"eats[what=eel].share\" = 0.5 }\n", "eats[what=eel].share: 0.6 > 0.5"),
        (
            "eats-=frog",
            "remove = { eats = [\"frog\"] }\n",
            "eats: [{what: eel, share: 0.6}, {what: frog}] > [{what: eel, share: 0.6}]",
        ),
        (
            "eats+=[{\"what\": \"newt\"}]",
            "add = { eats = [{ what = \"newt\" }] }\n",
            "eats: [{what: eel, share: 0.6}, {what: frog}] > [{what: eel, share: 0.6}, {what: frog}, {what: newt}]",
        ),
        ("names+=old nog", "add = { names = [\"old nog\"] }\n", "names: [frank] > [frank, old nog]"),
        // order counts in a sequence, so the whole list is said
        ("names-=frank", "set = { names = [] }\n", "names: [frank] > []"),
        ("colour.bill=yellow", "set = { \"colour.bill\" = \"yellow\" }\n", "colour.bill: - > yellow"),
        ("worth.fen=4", "set = { \"worth.fen\" = 4 }\n", "worth.fen: 3 > 4"),
    ] {
        let (text, said) = run("", "bird/heron", &[line], &[]).unwrap_or_else(|error| panic!("{line}: {error}"));
        assert_eq!((text, said.as_str()), (format!("{head}{written}"), changed), "{line}");
    }
}

#[test]
fn an_amendment_that_is_there_is_changed_instead_of_written_twice() {
    let amended = |rest: &str| format!("amendments = 1\n\n# for the winter\n[[amend]]\nof = \"bird/heron\"\n{rest}");
    for (before, line, unset, after) in [
        ("set = { eggs = 3 }\n", &["wing=2"][..], &[][..], "set = { eggs = 3, wing = 2 }\n"),
        ("set = { eggs = 3 }\n", &["eggs=6"], &[], "set = { eggs = 6 }\n"),
        ("multiply = { eggs = 2 }\n", &["eggs=6"], &[], "set = { eggs = 6 }\n"),
        ("multiply = { eggs = 2, wing = 3 }\n", &["eggs*=2"], &[], "multiply = { eggs = 4, wing = 3 }\n"),
        (
            "set = { eggs = 3 }\nwhy = \"cold\"\n",
            &["call=pipe", "wades=true"],
            &[],
            "set = { eggs = 3, call = \"pipe\", wades = true }\nwhy = \"cold\"\n",
        ),
        ("set = { eggs = 3, wing = 2 }\n", &[], &["eggs"], "set = { wing = 2 }\n"),
        ("add = { names = [\"nog\"] }\n", &["names+=frankie"], &[], "add = { names = [\"nog\", \"frankie\"] }\n"),
    ] {
        let (text, _) =
            run(&amended(before), "bird/heron", line, unset).unwrap_or_else(|e| panic!("{before}{line:?}: {e}"));
        assert_eq!(text, amended(after), "{before}{line:?}");
    }
    // an amendment that says nothing any more goes, with its comment
    let (text, _) = run(&amended("set = { eggs = 3 }\n"), "bird/heron", &[], &["eggs"]).unwrap();
    assert_eq!(text, "amendments = 1\n\n");
}

#[test]
fn definitions_of_the_edited_mod_are_changed_in_their_file() {
    for (line, from, to) in [
        ("eggs=6", "\"eggs\": 4, // or five", "\"eggs\": 6, // or five"),
        ("eggs*=2", "\"eggs\": 4,", "\"eggs\": 8,"),
        ("moults+=autumn", "[\"summer\"]", "[\"summer\", \"autumn\"]"),
        ("moults-=summer", "[\"summer\"]", "[]"),
        ("colour.bill=black", "{ \"back\": \"white\" }", "{ \"back\": \"white\", \"bill\": \"black\" }"),
        ("colour.back=grey", "\"white\"", "\"grey\""),
        ("worth.sluice=2", "\"white\" }\n", "\"white\" },\n    \"worth\": { \"sluice\": 2 }\n"),
    ] {
        let got = run("", "bird/egret", &[line], &[]).unwrap_or_else(|error| panic!("{line}: {error}")).0;
        assert_eq!(got, OWN.replace(from, to), "{line}");
    }
    let (text, said) = run("", "bird/egret", &[], &["eggs"]).unwrap();
    assert_eq!((text, said.as_str()), (OWN.replace("    \"eggs\": 4, // or five\n", ""), "eggs: 4 > 5"));
    let (text, _) = run("", "nest/raft", &["wide=70", "lined=down,moss"], &[]).unwrap();
    assert_eq!(text, "# afloat\nof = \"sedge\"\nwide = 70 # or so\nlined = [\"down\", \"moss\"]\n");
}

#[test]
fn what_does_not_fit_is_refused_with_the_reason() {
    for (address, line, reason) in [
        ("bird/heron", "eggs=many", "`eggs` takes a whole number from 0 to 20, not `many`"),
        ("bird/heron", "eggs=2.5", "`eggs` takes a whole number from 0 to 20, not 2.5"),
        ("bird/heron", "eggs*=9", "`eggs` takes a whole number from 0 to 20, not 45"),
        (
            "bird/heron",
            "call=boon",
            "`boon` is not a word that `call` allows\n  help: the nearest allowed word is `boom`",
        ),
        ("bird/heron", "moults=winter", "`winter` is not a word that `moults` allows"),
        ("bird/heron", "nest=reads", "there is no nest `reads`\n  help: the nearest known one is `reeds`"),
        ("bird/heron", "wades=yes", "`wades` takes true or false, not `yes`"),
        (
            "bird/heron",
            "eats.share=1",
            "a bird has no field `eats.share`\n  help: say which entry: `list[key=value].field`",
        ),
        (
            "bird/heron",
            "eats-=newt",
            "`eats` has no entry `newt`\n  help: its entries are {what: eel, share: 0.6}, {what: frog}",
        ),
        ("bird/heron", "eats+=[{\"what\": \"eel\"}]", "`{ \"what\": \"eel\" }` is there already"),
        ("bird/heron", "eats+=[{\"share\": 1}]", "the field `what` is lacking"),
        ("bird/heron", "call*=2", "`*=` is for numbers; `call` is one of boom, pipe, croak"),
        ("bird/heron", "wing:=call", "reads a field that is absent here"),
        ("bird/heron", "wing:=egg + 1", "a bird has no field `egg`\n  help: the nearest known field is `eggs`"),
        ("bird/herron", "eggs=1", "there is no bird `herron`\n  help: the nearest known one is `bird/heron`"),
        ("bird/egret", "call-=pipe", "`+=` and `-=` are for lists and numbers"),
    ] {
        let error = run("", address, &[line], &[]).expect_err(line);
        assert!(error.contains(reason), "{line}: {error}");
    }
}
