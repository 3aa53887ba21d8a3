//! `capture`: lines that the game wrote to a log become entries of lists and values of fields.
use crate::common::Folder;

#[test]
fn the_last_session_goes_into_several_lists() {
    let folder = Folder::demo();
    let run = |line: &[&str]| folder.run(&[line, &["--mod", "long-night", "--color", "never"]].concat());
    let before = folder.all("mods");
    let shown = run(&["capture", "evening.log"]);
    let lines: Vec<&str> = shown.out.lines().collect();
    assert_eq!(lines[0], "session 2 of 2", "{}", shown.err);
    assert!(lines[2].contains("unfit: under-water") && lines[2].ends_with("line 8"), "{lines:?}");
    assert_eq!(lines.len(), 4, "the first session is not told: {lines:?}");
    let line = ["capture", "evening.log", "spawn/reed-bed=2-3", "spawn/open-water=1"];
    assert_eq!(run(&[&line[..], &["--dry-run"]].concat()).code, 0);
    assert_eq!(folder.all("mods"), before);
    let put = run(&line);
    assert_eq!(put.code, 0, "{}", put.err);
    assert!(put.err.contains("left out, since the game found it unfit: 2"), "{}", put.err);
    let text = folder.read("mods/long-night/amendments/spawn.toml");
    assert!(
        text.contains("of = \"spawn/reed-bed\"\nadd = { entries = [{ unit = \"fen-hound\", number = [4, 4] }] }"),
        "{text}"
    );
    assert!(!text.contains("bog-sow"), "{text}");
    assert_eq!(folder.run(&["check", "--mod", "long-night"]).code, 0);
    let last = run(&["capture", "evening.log", "--session", "1", "--last", "1", "--format", "json"]).json();
    assert_eq!(last["lines"][0]["values"][0], serde_json::json!(["unit", "reed-lurker"]));
    assert_eq!(folder.run(&["undo"]).code, 0);
    assert_eq!(folder.all("mods"), before);
}

/// A game of sledge routes: stops of a list, and where a depot stands.
fn sledges() -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"ice\"\n",
    );
    folder.put(
        "rulebook.toml",
        "rulebook = 1\n[game]\nname = \"Sledges\"\n[manifest]\nfile = \"mod.json\"\nid = \"id\"\n\
         [[where]]\nfiles = \"routes/*.yaml\"\ncut = \"{}\"\nkind = \"route\"\n\
         [[where]]\nfiles = \"depots/*.xml\"\ncut = \"depots.depot[]\"\nkind = \"depot\"\n\
         [kinds.route]\nagain = \"replace\"\n[kinds.route.fields]\n\"stops[]\" = { list = \"sequence\", optional = true }\n\
         \"stops[].at.x\" = { type = \"number\" }\n\"stops[].at.y\" = { type = \"number\" }\n\"stops[].rest\" = { type = \"number\", optional = true }\n\
         [kinds.depot]\nname = \"id\"\n[kinds.depot.fields]\n\"id\" = { type = \"text\" }\n\"x\" = { type = \"number\", optional = true }\n\"y\" = { type = \"number\", optional = true }\n\
         [[captures]]\nname = \"stop\"\nline = 'halt (?<x>-?[0-9.]+) (?<y>-?[0-9.]+) rest (?<rest>\\d+)'\ninto = \"route.stops[]\"\n\
         entry = { \"at.x\" = \"{x}\", \"at.y\" = \"{y}\", rest = \"{rest}\" }\n\
         [[captures]]\nname = \"depot\"\nline = 'cairn (?<x>-?[0-9.]+) (?<y>-?[0-9.]+)'\ninto = \"depot\"\nentry = { x = \"{x}\", y = \"{y}\" }\n",
    );
    folder.put("base/routes/all.yaml", "north:\n  stops:\n    - at: { x: 1.0, y: 2 }\n");
    folder.put("base/depots/all.xml", "<depots>\n  <depot><id>snow</id></depot>\n</depots>\n");
    folder.put("mods/ice/mod.json", "{ \"id\": \"ice\" }\n");
    folder.put("mods/ice/routes/own.yaml", "east: # mine\n  stops:\n    - at: { x: 5, y: 6 }\n      rest: 1\n");
    folder.put("mods/ice/depots/own.xml", "<depots>\n  <depot>\n    <id>ice</id>\n  </depot>\n</depots>\n");
    folder.put("play.log", "halt 12.50 -0.250 rest 2\nwolves\nhalt 13.00 4.0 rest 1\ncairn 7.10 -3.00\n");
    folder
}

#[test]
fn numbers_keep_their_digits_and_fields_take_values() {
    let folder = sledges();
    let run = folder.run(&["capture", "play.log", "route/east=1-2", "depot/ice=3"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let text = folder.read("mods/ice/routes/own.yaml");
    assert!(
        text.starts_with("east: # mine\n")
            && text.contains("12.50")
            && text.contains("-0.250")
            && text.contains("13.00"),
        "{text}"
    );
    let text = folder.read("mods/ice/depots/own.xml");
    assert!(text.contains("<x>7.10</x>") && text.contains("<y>-3.00</y>"), "{text}");
    assert_eq!(folder.run(&["check"]).code, 0);
    let run = folder.run(&["capture", "play.log", "route/north=1"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let shown = folder.run(&["show", "route/north"]);
    assert!(shown.out.contains("12.50"), "{}", shown.out);
}

#[test]
fn what_is_wrong_is_said_and_nothing_is_written() {
    let folder = sledges();
    folder.put("empty.log", "nothing\n");
    let before = folder.all("");
    for (line, code, said) in [
        (&["capture", "play.log", "depot/ice"][..], 3, "a stop goes into a route"),
        (&["capture", "play.log", "route/eats=1"], 3, "route/east"),
        (&["capture", "play.log", "route/east=0"], 2, "from 1 to 3"),
        (&["capture", "play.log", "--as", "stp"], 2, "the nearest is `stop`"),
        (&["capture", "play.log", "--session", "2"], 2, "has 1 session"),
        (&["capture", "empty.log"], 3, "no line that the rulebook knows"),
        (&["capture", "none.log"], 3, "there is no such file"),
    ] {
        let run = folder.run(line);
        assert_eq!(run.code, code, "{line:?}: {}{}", run.out, run.err);
        assert!(run.err.contains(said), "{line:?}: {}", run.err);
        assert_eq!(folder.all(""), before, "{line:?}");
    }
    // what the rulebook says wrong of lines
    let rulebook = folder.read("rulebook.toml");
    for (old, new, said) in [
        ("\"{rest}\" }", "\"{rst}\" }", "`line` has no group `rst`"),
        ("\"route.stops[]\"", "\"route.stops\"", "`stops` is no list"),
        ("\"route.stops[]\"", "\"rout.stops[]\"", "there is no kind `rout`"),
        ("'cairn (?<x>", "'cairn ((?<x>", "is no pattern"),
        ("\"at.x\" = \"{x}\"", "\"at.z\" = \"{x}\"", "there is no field `stops[0].at.z`"),
    ] {
        folder.put("rulebook.toml", &rulebook.replace(old, new));
        let check = folder.run(&["check"]);
        assert!(check.code == 1 && check.out.contains(said), "{new}: {}", check.out);
    }
}
