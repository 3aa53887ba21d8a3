//! `text`: what is lacking, what has fallen behind, out to a translator and back, in every notation of texts.
use crate::common::Folder;

/// A game of mills, whose texts stand in these files in this notation.
fn mills(files: &str, rest: &str, base: &[(&str, &str)], own: &[(&str, &str)]) -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"grist\"\n",
    );
    let rulebook = format!(
        "rulebook = 1\n[game]\nname = \"Mills\"\n[manifest]\nfile = \"mod.json\"\nid = \"id\"\n\
         [texts]\nfiles = \"{files}\"\nmain = \"en\"\ntoken = \"<([a-z]+)>\"\n{rest}\n\
         [[where]]\nfiles = \"mills/*.json\"\ncut = \"{{}}\"\nkind = \"mill\"\n\
         [kinds.mill]\nname = \"key\"\ntexts = {{ name = \"mill.{{id}}\", call = {{ key = \"mill.{{id}}.call\", optional = true, tokens = [\"miller\"] }} }}\n\
         [kinds.mill.fields]\n\"stones\" = {{ type = \"integer\" }}\n"
    );
    folder.put("rulebook.toml", &rulebook);
    folder.put("base/mills/all.json", "{ \"post\": { \"stones\": 1 } }\n");
    folder.put("mods/grist/mod.json", "{ \"id\": \"grist\" }\n");
    folder.put("mods/grist/mills/own.json", "{\n  \"smock\": { \"stones\": 2 },\n  \"tower\": { \"stones\": 4 }\n}\n");
    for (path, text) in base {
        folder.put(&format!("base/{path}"), text);
    }
    for (path, text) in own {
        folder.put(&format!("mods/grist/{path}"), text);
    }
    folder
}

const GLOSS: &str = "notation = \"gloss\"\n[notations.gloss]\nformat = \"described\"\nassign = \"=\"\n";

/// Files of the mod, by their paths below it.
type Files = Vec<(&'static str, &'static str)>;

/// Every notation of texts: the pattern, what the rulebook says beside, what the mod has, and what it has once its mill
/// `tower` is named in two languages.
fn notations() -> Vec<(&'static str, &'static str, Files, Files)> {
    vec![
        (
            "texts/*.csv",
            "",
            vec![("texts/names.csv", "key,en\r\nmill.smock,\"Smock, mill\"\r\n")],
            vec![("texts/names.csv", "key,en,fr\r\nmill.smock,\"Smock, mill\",\r\nmill.tower,Tower,Tour\r\n")],
        ),
        (
            "texts/{language}/*.csv",
            "",
            vec![("texts/en/mills.csv", "key,text\nmill.smock,Smock mill\n")],
            vec![
                ("texts/en/mills.csv", "key,text\nmill.smock,Smock mill\nmill.tower,Tower\n"),
                ("texts/fr/mills.csv", "key,text\nmill.tower,Tour\n"),
            ],
        ),
        (
            "lang/{language}.json",
            "",
            vec![("lang/en.json", "{\n\t\"mill.smock\": \"Smock mill\"\n}\n")],
            vec![
                ("lang/en.json", "{\n\t\"mill.smock\": \"Smock mill\",\n\t\"mill.tower\": \"Tower\"\n}\n"),
                ("lang/fr.json", "{\n\t\"mill.tower\": \"Tour\"\n}\n"),
            ],
        ),
        (
            "lang/{language}.toml",
            "",
            vec![("lang/en.toml", "\"mill.smock\" = \"Smock mill\" # of wood\n")],
            vec![
                ("lang/en.toml", "\"mill.smock\" = \"Smock mill\" # of wood\n\"mill.tower\" = \"Tower\"\n"),
                ("lang/fr.toml", "\"mill.tower\" = \"Tour\"\n"),
            ],
        ),
        (
            "lang/{language}.yaml",
            "",
            vec![("lang/en.yaml", "mill.smock: Smock mill\n")],
            vec![
                ("lang/en.yaml", "mill.smock: Smock mill\nmill.tower: Tower\n"),
                ("lang/fr.yaml", "mill.tower: Tour\n"),
            ],
        ),
        (
            "lang/{language}.properties",
            "",
            vec![("lang/en.properties", "# mills\nmill.smock = Smock mill\n")],
            vec![
                ("lang/en.properties", "# mills\nmill.smock = Smock mill\nmill.tower = Tower\n"),
                ("lang/fr.properties", "mill.tower = Tour\n"),
            ],
        ),
        (
            "lang/{language}.txt",
            GLOSS,
            vec![("lang/en.txt", "mill.smock = Smock mill\n")],
            vec![
                ("lang/en.txt", "mill.smock = Smock mill\nmill.tower = Tower\n"),
                ("lang/fr.txt", "mill.tower = Tour\n"),
            ],
        ),
    ]
}

#[test]
fn a_text_is_said_in_the_notation_of_the_game() {
    for (files, rest, own, wanted) in notations() {
        let folder = mills(files, rest, &[], &own);
        let before = folder.all("mods");
        let listed = folder.run(&["text", "list"]);
        assert!(listed.out.contains("mill.tower"), "{files}: {}{}", listed.out, listed.err);
        let set = folder.run(&["text", "set", "mill/tower", "Tower"]);
        assert_eq!(set.code, 0, "{files}: {}", set.err);
        let set = folder.run(&["text", "set", "mill.tower", "Tour", "--language", "fr"]);
        assert_eq!(set.code, 0, "{files}: {}", set.err);
        for (path, text) in wanted {
            assert_eq!(folder.read(&format!("mods/grist/{path}")), text, "{files}: {path}");
        }
        let shown = folder.run(&["text", "--format", "json"]).json();
        assert_eq!(shown["languages"][0]["written"], 2, "{files}: {shown}");
        assert_eq!(
            (&shown["languages"][1]["language"], &shown["languages"][1]["of"]),
            (&"fr".into(), &2.into()),
            "{shown}"
        );
        let check = folder.run(&["check", "--mod", "grist"]);
        assert_eq!(check.code, 0, "{files}: {}", check.out);
        // what is said again in other words is said where it stands
        folder.run(&["text", "set", "mill/tower", "Tour ronde", "--language", "fr"]);
        let shown = folder.run(&["text", "list", "--all", "--format", "json"]).json();
        assert_eq!(shown["languages"][1]["texts"].as_array().unwrap().last().unwrap()["text"], "Tour ronde", "{shown}");
        for _ in 0..3 {
            assert_eq!(folder.run(&["undo"]).code, 0);
        }
        assert_eq!(folder.all("mods"), before, "{files}");
    }
}

#[test]
fn what_was_translated_of_another_original_is_known() {
    for (files, rest, own, _) in notations() {
        let folder = mills(files, rest, &[], &own);
        let state = |key: &str| {
            let said = folder.run(&["text", "list", "--all", "--format", "json"]).json();
            let all = said["languages"].as_array().unwrap();
            let fr = all.iter().find(|one| one["language"] == "fr").unwrap_or_else(|| panic!("{files}: {said}"));
            let row = fr["texts"].as_array().unwrap().iter().find(|row| row["key"] == key).unwrap().clone();
            (row["state"].as_str().unwrap().to_owned(), row["was"].as_str().map(str::to_owned))
        };
        let fine = |line: &[&str]| {
            let run = folder.run(line);
            assert_eq!(run.code, 0, "{files}: {line:?} {}", run.err);
        };
        fine(&["text", "stubs"]);
        fine(&["text", "stubs", "--language", "fr"]);
        assert_eq!(state("mill.tower").0, "stub");
        fine(&["text", "set", "mill/tower", "Tour", "--language", "fr"]);
        fine(&["text", "set", "mill/smock", "Smock", "--language", "fr"]);
        assert_eq!(state("mill.tower").0, "written");
        fine(&["text", "set", "mill/tower", "Tower of <miller>"]);
        assert_eq!(state("mill.tower"), ("older".to_owned(), Some("Tower".to_owned())));
        fine(&["text", "done", "--language", "fr"]);
        assert_eq!(state("mill.tower").0, "tokens", "{files}");
        fine(&["text", "set", "mill/tower", "Tour de <miller>", "--language", "fr"]);
        assert_eq!(state("mill.tower").0, "written");
        fine(&["undo"]);
        assert_eq!(state("mill.tower").0, "tokens");
    }
}

#[test]
fn a_language_goes_out_and_comes_back() {
    for (files, rest, own, _) in notations() {
        for ending in ["po", "csv", "tsv", "xlsx"] {
            let folder = mills(files, rest, &[], &own);
            folder.run(&["text", "stubs"]);
            folder.run(&["text", "set", "mill/smock", "Moulin, \"à\" bois", "--language", "fr"]);
            let out = format!("fr.{ending}");
            let run = folder.run(&["text", "out", &out, "--language", "fr"]);
            assert_eq!(run.code, 0, "{}", run.err);
            let before = folder.all("mods");
            let back = folder.run(&["text", "in", &out, "--language", "fr"]);
            assert_eq!(
                (back.code, folder.all("mods") == before),
                (0, true),
                "{files} {ending}: {}{}",
                back.out,
                back.err
            );
            let again = folder.run(&["text", "out", &out, "--language", "fr"]);
            assert!(again.code == 3 && again.err.contains("--replace"), "{}", again.err);
            if ending == "po" {
                folder.put(
                    &out,
                    &folder.read(&out).replace("msgid \"Tower\"\nmsgstr \"\"", "msgid \"Tower\"\nmsgstr \"Tour\""),
                );
                let back = folder.run(&["text", "in", &out, "--language", "fr"]);
                assert_eq!(back.out.lines().next(), Some("mill.tower  fr  Tour"), "{files}: {}", back.err);
                assert_eq!(folder.run(&["check"]).code, 0);
            }
        }
    }
}

#[test]
fn what_the_base_says_is_said_anew_and_what_nothing_leads_to_is_listed() {
    let base = [("texts/all.csv", "key,en,fr\nmill.post,Post mill,Moulin\n")];
    let own = [("texts/own.csv", "key,en\nmill.smock,Smock\nmill.tower,Tower\nmill.tide,Tide mill\n")];
    let folder = mills("texts/*.csv", "", &base, &own);
    let run = folder.run(&["text"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("mill.tide  mods/grist/texts/own.csv:4"), "{}", run.out);
    folder.run(&["text", "set", "mill/post", "Old post mill"]);
    assert!(folder.read("mods/grist/texts/own.csv").ends_with("mill.post,Old post mill\n"));
    assert_eq!(folder.read("base/texts/all.csv"), base[0].1);
    // which is a change, as is what nobody said in a language; what belongs to new definitions is none
    let changes = folder.run(&["changes", "grist"]);
    assert!(changes.out.starts_with("grist adds 2 definitions, says 1 text otherwise\n"), "{}", changes.out);
    assert!(
        changes.out.contains("texts in en\n  mill.post  Post mill → Old post mill  mods/grist/texts/own.csv:5\n"),
        "{}",
        changes.out
    );
    folder.put("mods/grist/texts/more.csv", "key,nl\nmill.post,Standerdmolen\nmill.smock,Grondzeiler\n");
    let answer = folder.run(&["changes", "grist", "--format", "json"]).json();
    let texts = answer["texts"].as_array().unwrap().iter();
    let told: Vec<String> =
        texts.map(|text| format!("{} {} {}", text["language"], text["before"], text["after"])).collect();
    assert_eq!(told, ["\"en\" \"Post mill\" \"Old post mill\"", "\"nl\" null \"Standerdmolen\""]);
    std::fs::remove_file(folder.file("mods/grist/texts/more.csv")).unwrap();
    let run = folder.run(&["text", "set", "mill/smock", "Windmolen", "--language", "nl"]);
    assert!(run.err.contains("`nl` is new"), "{}", run.err);
}

#[test]
fn what_is_typed_wrong_is_said_and_nothing_is_written() {
    let own = [("lang/en.json", "{\n  \"mill.smock\": \"Smock\",\n  \"mill.tower\": \"Tower\"\n}\n")];
    let folder = mills("lang/{language}.json", "", &[], &own);
    folder.put("odd.csv", "key,en\nmill.smock,Smock\n");
    folder.put("bad.po", "msgid \"a\nmsgstr \"b\"\n");
    let before = folder.all("");
    for (line, code, said) in [
        (&["text", "set", "mill/towr", "T"][..], 3, "`mill/tower`"),
        (&["text", "set", "mill.towr", "T"], 3, "the nearest key is `mill.tower`"),
        (&["text", "set", "mill/tower", "T", "--role", "cal"], 3, "the nearest is `call`"),
        (&["text", "set", "mill/tower", ""], 3, "an empty text"),
        (&["text", "set", "mill/tower", "T", "--language", "../fr"], 2, "no language"),
        (&["text", "list", "--language", "fr"], 3, "text stubs --language fr"),
        (&["text", "in", "odd.csv", "--language", "fr"], 3, "no column `fr`"),
        (&["text", "in", "bad.po", "--language", "fr"], 3, "bad.po:1"),
        (&["text", "in", "none.csv", "--language", "fr"], 3, "cannot read"),
        (&["text", "out", "base/fr.csv", "--language", "fr"], 3, "never written to"),
        (&["text", "out", "fr.doc", "--language", "fr"], 2, ".xlsx"),
    ] {
        let run = folder.run(line);
        assert_eq!(run.code, code, "{line:?}: {}{}", run.out, run.err);
        assert!(run.err.contains(said), "{line:?}: {}", run.err);
        assert_eq!(folder.all(""), before, "{line:?}");
    }
}

/// How a game keeps its texts: the pattern of the files, what the rulebook says beside it, and the base's file.
const FORMS: [(&str, &str, &str, &str); 7] = [
    (
        "lang/{language}.xml",
        "cut = \"texts\"",
        "lang/en.xml",
        "<?xml version=\"1.0\"?>\n<texts>\n  <mint>Mint &amp; more</mint>\n  <rue>Rue</rue>\n</texts>\n",
    ),
    (
        "lang/{language}.xml",
        "cut = \"texts.text[]\"\nkey = \"id\"\ntext = \"#text\"",
        "lang/en.xml",
        "<texts>\n\t<text id=\"mint\">Mint &amp; more</text>\n\t<text id=\"rue\">Rue</text>\n</texts>\n",
    ),
    (
        "lang/*.yaml",
        "cut = \"{}.items\"",
        "lang/all.yaml",
        "en:\r\n  items:\r\n    mint: Mint & more\r\n    rue: \"Rue\"\r\nfr:\r\n  items:\r\n    rue: Rue\r\n",
    ),
    (
        "lang/*.yaml",
        "key = \"id\"",
        "lang/all.yaml",
        "- id: mint\n  en: Mint & more\n- id: rue\n  en: Rue\n  fr: Rue\n",
    ),
    (
        "lang/{language}.json",
        "cut = \"words\"",
        "lang/en.json",
        "{\n  \"version\": 2,\n  \"words\": {\n    \"mint\": \"Mint & more\",\n    \"rue\": \"Rue\"\n  }\n}\n",
    ),
    (
        "lang/{language}.json",
        "cut = \"words[]\"",
        "lang/en.json",
        "{ \"words\": [\n  { \"key\": \"mint\", \"text\": \"Mint & more\" },\n  { \"key\": \"rue\", \"text\": \"Rue\" }\n] }\n",
    ),
    ("lang/{language}.toml", "cut = \"words\"", "lang/en.toml", "[words]\nmint = \"Mint & more\"\nrue = \"Rue\"\n"),
];

#[test]
fn texts_are_said_and_follow_wherever_they_stand_in_a_file() {
    for (pattern, said, file, base) in FORMS {
        let folder = Folder::empty();
        folder.put(
            "cognomen.toml",
            "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"dew\"\n",
        );
        let rulebook = format!(
            "rulebook = 1\n[game]\nname = \"Dewpond\"\n[manifest]\nfile = \"mod.yaml\"\nid = \"id\"\n[texts]\nfiles = \"{pattern}\"\n{said}\n\
             [[where]]\nfiles = \"herbs/*.json\"\ncut = \"{{}}\"\nkind = \"herb\"\n[kinds.herb]\ntexts = {{ name = \"{{id}}\" }}\n\
             [kinds.herb.fields]\n\"bitter\" = {{ type = \"integer\" }}\n"
        );
        folder.put("r.toml", &rulebook);
        folder.put(&format!("base/{file}"), base);
        folder.put("base/herbs/all.json", "{ \"mint\": { \"bitter\": 1 }, \"rue\": { \"bitter\": 8 } }\n");
        folder.put("mods/dew/mod.yaml", "id: dew\n");
        let before = folder.all("mods");
        let named = |id: &str| {
            let shown = folder.run(&["show", id, "--format", "json"]).json();
            let said = |one: &serde_json::Value| (one["language"].to_string(), one["text"].to_string());
            shown["texts"].as_array().unwrap().iter().map(said).collect::<Vec<_>>()
        };
        let done = |line: &[&str]| {
            let run = folder.run(line);
            assert_eq!(run.code, 0, "{said}: {line:?} {run:?}");
        };
        assert_eq!(named("mint")[0].1, "\"Mint & more\"", "{said}");
        done(&["new", "herb/sage", "bitter=3"]);
        done(&["text", "stubs"]);
        done(&["text", "set", "sage", "Sage <sauge> & \"co\"", "--language", "fr"]);
        done(&["text", "set", "mint", "Water mint"]);
        let all = named("sage");
        assert_eq!(all.len(), 2, "{said}: {all:?}");
        assert_eq!(named("mint")[0].1, "\"Water mint\"", "{said}");
        done(&["rename", "sage", "clary"]);
        assert_eq!(named("clary"), all, "{said}");
        // what is built says the same in the mod's place
        done(&["build"]);
        let own = folder.all("mods/dew");
        std::fs::remove_dir_all(folder.file("mods/dew")).unwrap();
        std::fs::rename(folder.file("build/dew"), folder.file("mods/dew")).unwrap();
        assert_eq!(named("clary"), all, "{said}");
        assert_eq!(folder.all("mods/dew"), own, "{said}");
        done(&["delete", "clary"]);
        assert_eq!(folder.run(&["check", "--code", "file-not-read"]).code, 0, "{said}");
        assert_eq!(named("mint")[0].1, "\"Water mint\"", "{said}");
        for _ in 0..6 {
            done(&["undo"]);
        }
        assert_eq!(folder.all("mods"), before, "{said}");
        // looked for elsewhere: told once, and what is not found there is not told
        folder.put("r.toml", &rulebook.replace(said, "cut = \"nowhere.at.all\""));
        let told = folder.run(&["check", "--format", "json"]).json();
        let codes: Vec<&str> =
            told["findings"].as_array().unwrap().iter().map(|one| one["code"].as_str().unwrap()).collect();
        assert_eq!(codes, ["file-not-read"], "{said}: {told}");
    }
}
