//! Changes as people type them, and the texts they come to.

use super::{Assignment, SetOptions, set};
use crate::document::FieldPath;
use crate::effective::World;
use crate::source::MemorySource;

mod deleted;
mod joined;
mod judged;
mod moved;
mod operations;
mod renamed;
mod sorts;
mod typed;

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

fn source(amendments: &str) -> MemorySource {
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
    source
}

fn options(world: &World, address: &str, assignments: Vec<Assignment>) -> SetOptions {
    let (kind, id) = address.split_once('/').unwrap();
    SetOptions {
        at_anchor: false,
        layer: world.catalog().layer_named("marsh").unwrap(),
        kind: world.catalog().rulebook().kind_named(kind).unwrap(),
        id: id.to_owned(),
        assignments,
        why: None,
    }
}

/// The changed file's text, and what was said to have changed; or the refusal.
fn run(amendments: &str, address: &str, line: &[&str], unset: &[&str]) -> Result<(String, String), String> {
    let mut world = World::load(&source(amendments)).unwrap();
    let mut assignments: Vec<Assignment> = line.iter().map(|text| Assignment::parse(text).unwrap()).collect();
    assignments.extend(unset.iter().map(|path| Assignment::unset(path).unwrap()));
    let options = options(&world, address, assignments);
    let report = set(&mut world, &options).map_err(|error| error.to_string())?;
    if report.changes.files.is_empty() {
        return Err("it stands so already".to_owned());
    }
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
        // the whole takes the place of what changed parts of it
        (
            "set = { \"colour.bill\" = \"red\", eggs = 3, \"colour.back\" = \"blue\" }\n",
            &["colour={ back: grey, bill: black }"],
            &[],
            "set = { eggs = 3, colour = { back = \"grey\", bill = \"black\" } }\n",
        ),
        (
            "set = { \"eats[what=eel].share\" = 2 }\nmultiply = { \"eats[what=frog].share\" = 2 }\n",
            &["eats=[{ what: newt }]"],
            &[],
            "set = { eats = [{ what = \"newt\" }] }\n",
        ),
        ("set = { \"colour.bill\" = \"red\", eggs = 3 }\n", &[], &["colour"], "set = { eggs = 3 }\n"),
        // what is only taken back leaves them
        (
            "add = { eats = [{ what = \"newt\" }] }\nset = { \"eats[what=eel].share\" = 2 }\n",
            &["eats-=newt"],
            &[],
            "set = { \"eats[what=eel].share\" = 2 }\n",
        ),
    ] {
        let (text, _) =
            run(&amended(before), "bird/heron", line, unset).unwrap_or_else(|e| panic!("{before}{line:?}: {e}"));
        assert_eq!(text, amended(after), "{before}{line:?}");
    }
    // an amendment that says nothing any more goes, with its comment
    let (text, _) = run(&amended("set = { eggs = 3 }\n"), "bird/heron", &[], &["eggs"]).unwrap();
    assert_eq!(text, "amendments = 1\n");
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
            "a bird has no field `eats.share`\n  help: say which entry: `eats[what=…].share`",
        ),
        (
            "bird/heron",
            "eats-=newt",
            "`eats` has no entry `newt`\n  help: its entries are {what: eel, share: 0.6}, {what: frog}",
        ),
        ("bird/heron", "eats+=[{\"what\": \"eel\"}]", "`{what: eel}` is there already"),
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

#[test]
fn a_relative_change_is_composed_with_the_one_that_is_there() {
    let amended = |rest: &str| format!("amendments = 1\n\n[[amend]]\nof = \"bird/heron\"\n{rest}");
    for (before, line, after) in [
        ("multiply = { wing = 2 }\n", "wing*=1.5", "multiply = { wing = 3 }\n"),
        ("multiply = { wing = 0.5, eggs = 2 }\n", "wing*=2", "multiply = { eggs = 2 }\n"),
        ("shift = { eggs = 2 }\n", "eggs+=3", "shift = { eggs = 5 }\n"),
        ("shift = { eggs = 2 }\n", "eggs-=1", "shift = { eggs = 1 }\n"),
        // what does not go together is said one after the other
        (
            "multiply = { eggs = 2 }\n",
            "eggs+=1",
            "multiply = { eggs = 2 }\n\n[[amend]]\nof = \"bird/heron\"\nshift = { eggs = 1 }\n",
        ),
        ("set = { eggs = 3 }\n", "eggs*=2", "set = { eggs = 6 }\n"),
        (
            "add = { eats = [{ what = \"newt\" }] }\n",
            "eats+=[{\"what\": \"toad\"}]",
            "add = { eats = [{ what = \"newt\" }, { what = \"toad\" }] }\n",
        ),
        (
            "add = { eats = [{ what = \"newt\" }] }\n",
            "eats-=eel",
            "add = { eats = [{ what = \"newt\" }] }\nremove = { eats = [\"eel\"] }\n",
        ),
        (
            "add = { eats = [{ what = \"newt\" }, { what = \"toad\" }] }\n",
            "eats-=newt",
            "add = { eats = [{ what = \"toad\" }] }\n",
        ),
    ] {
        let (text, _) = run(&amended(before), "bird/heron", &[line], &[]).unwrap_or_else(|e| panic!("{line}: {e}"));
        assert_eq!(text, amended(after), "{before}{line}");
    }
    let nothing = run(&amended("multiply = { wing = 0.5 }\n"), "bird/heron", &["wing*=2"], &[]).unwrap().0;
    assert_eq!(nothing, "amendments = 1\n");
}

#[test]
fn what_stands_so_already_is_no_change() {
    for (address, line) in [
        ("bird/heron", "eggs=5"),
        ("bird/heron", "wing=1.750"),
        ("bird/heron", "wing*=1"),
        ("bird/bittern", "eggs=5"),
        ("bird/egret", "eggs=4"),
        ("bird/egret", "moults=summer"),
        ("nest/raft", "of=sedge"),
    ] {
        assert_eq!(run("", address, &[line], &[]).unwrap_err(), "it stands so already", "{line}");
    }
    // several at once: only what changes is written
    let (text, _) = run("", "bird/heron", &["eggs=5", "wing=2", "wades=true"], &[]).unwrap();
    assert!(text.ends_with("of = \"bird/heron\"\nset = { wing = 2, wades = true }\n"), "{text}");
}

#[test]
fn what_check_would_tell_is_refused_in_its_words() {
    for (address, line, unset, said) in [
        ("nest/raft", &[][..], &["of"][..], "nest/raft would lack the field `of`, which it must have"),
        ("bird/bittern", &[], &["eggs"], "`eggs` of `bird/bittern` would show 5 all the same"),
        ("bird/heron", &["eats[0].share=1"], &[], "entries of this list are named by their key, not by number"),
        ("bird/heron", &["eats[share=1].share=2"], &[], "entries of this list are told apart by what"),
        ("bird/heron", &["eats[what=eel].what=ling"], &[], "`what` tells the entries apart, so it cannot be set"),
        ("bird/heron", &["eats[what=ling].share=2"], &[], "has no entry `[what=ling]`"),
        ("bird/heron", &["eggs=3", "eggs*=9"], &[], "`eggs` takes"),
    ] {
        let error = run("", address, line, unset).unwrap_err();
        assert!(error.contains(said), "{line:?}{unset:?}: {error}");
    }
}

mod one_after_the_other {
    use proptest::prelude::*;

    use super::*;
    use crate::document::Draft;
    use crate::source::MemorySource;

    /// Makes assignments one after the other on files in memory; gives what shows in the end.
    fn made(lines: &[&str], together: bool) -> Option<Vec<Option<Draft>>> {
        let mut files: Vec<(String, Vec<u8>)> = source("").files().clone().into_iter().collect();
        let groups: Vec<&[&str]> = if together { vec![lines] } else { lines.chunks(1).collect() };
        for group in groups {
            let source = MemorySource::new(files.clone());
            let mut world = World::load(&source).unwrap();
            let assignments = group.iter().map(|line| Assignment::parse(line).unwrap()).collect();
            let options = options(&world, "bird/heron", assignments);
            let report = set(&mut world, &options).ok()?;
            for change in &report.changes.files {
                files.retain(|(path, _)| path != change.path());
                files.push((change.path().to_owned(), change.texts().1.as_bytes().to_vec()));
            }
            // what was announced is what is read anew
            let again = World::load(&MemorySource::new(files.clone())).unwrap();
            for changed in &report.changed {
                assert_eq!(shows(&again, &changed.path.to_string()), changed.after, "{lines:?}");
            }
            let faults =
                |world: &World| crate::check::check(world).into_iter().filter(|f| f.code.contains("amend")).count();
            assert_eq!(faults(&again), 0, "{lines:?}");
        }
        let world = World::load(&MemorySource::new(files)).unwrap();
        Some(["eggs", "wing", "wades", "names", "moults"].map(|path| shows(&world, path)).to_vec())
    }

    fn shows(world: &World, path: &str) -> Option<Draft> {
        let options = options(world, "bird/heron", Vec::new());
        let address = world.catalog().address(options.kind, "heron").unwrap();
        let effective = world.with_ground(options.layer).effective(address)?;
        Some(effective.get(world.catalog(), &crate::document::FieldPath::parse(path).unwrap())?.draft(world.catalog()))
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

        /// Rule 20: what was announced shows when everything is read anew; and many assignments at once come to
        /// what they come to one after the other.
        #[test]
        fn what_is_announced_is_what_is_read(picks in proptest::collection::vec(0usize..14, 1..6)) {
            let lines = picks.iter().map(|pick| [
                "eggs=7", "eggs+=1", "eggs*=2", "eggs-=2", "wing=2", "wing*=1.5", "wing:=wing + eggs", "wades=true",
                "names+=nog", "names=[]", "moults+=autumn", "moults-=autumn", "moults+=spring", "eggs=5",
            ][*pick]);
            let lines: Vec<&str> = lines.collect();
            let (together, alone) = (made(&lines, true), made(&lines, false));
            if let (Some(together), Some(alone)) = (&together, &alone) {
                prop_assert_eq!(together, alone);
            }
        }
    }
}

#[test]
fn what_is_said_of_one_comes_behind_what_is_said_of_many() {
    // a file that sorts before the one that speaks of many, and one that is not there yet
    for (file, wanted) in [("zeal.toml", "zeal.toml"), ("all.toml", "bird.toml")] {
        let many =
            "amendments = 1\n\n[[amend]]\neach = { kind = \"bird\", where = \"eggs > 1\" }\nmultiply = { wing = 2 }\n";
        let mut source = source("");
        source.put(&format!("mods/marsh/amendments/{file}"), many);
        let mut world = World::load(&source).unwrap();
        let options = options(&world, "bird/heron", vec![Assignment::parse("wing=3").unwrap()]);
        let report = set(&mut world, &options).unwrap();
        assert!(report.changes.files[0].path().ends_with(wanted), "{:?}", report.changes.files[0].path());
        for change in &report.changes.files {
            source.put(change.path(), change.texts().1);
        }
        let anew = World::load(&source).unwrap();
        let address = anew.catalog().address(options.kind, "heron").unwrap();
        let shown = anew.with_ground(options.layer).effective(address).unwrap();
        let wing = shown.get(anew.catalog(), &FieldPath::key("wing")).unwrap().draft(anew.catalog());
        assert_eq!(wing.word().as_deref(), Some("3"), "{file}");
    }
}
