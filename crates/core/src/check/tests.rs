//! Every check on small worlds: where it fires, and that it stays silent.
//!
//! A case file holds worlds, each begun by `##### title`. In a world, `=== path` begins a file, and a line
//! of `^^^ code: text` says what is found under the line before it. Files that are not given are the usual
//! ones: one game of fishing, with the mods `a` and `b`.

mod whose;

pub(crate) use whose::told_otherwise;

use std::collections::BTreeMap;

use super::{CHECKS, check};
use crate::effective::World;
use crate::source::{Lines, MemorySource};

const WORKSPACE: &str = "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n";

const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.toml"
id = "id"
requires = "needs[]"
made_for = "for"
[manifest.fields]
"about" = { type = "text", optional = true }
"for" = { type = "text", optional = true }
[texts]
files = "texts/*.csv"
token = "<([a-z]+)>"
[reader]
comments = false
trailing_commas = false
[faults]
leads-nowhere = "the entry is dropped"
[files]
ignore = ["*.md"]
[[where]]
files = "fish/*.json"
cut = "{}"
kind = "fish"
[[where]]
files = "bait/*.json"
cut = "{}"
kind = "bait"
[[where]]
files = "boats/*.json"
kind = "boat"
[kinds.fish]
parent = "like"
again = "merge"
[kinds.fish.fields]
"price" = { type = "integer", min = 0, max = 90 }
"length" = { type = "number", default = 1 }
"bites[]" = { link = "bait", list = "set", optional = true }
"lives" = { type = "choice", words = ["river", "pond"], optional = true }
"fins.front" = { type = "integer", optional = true, max = 9 }
"roe[]" = { list = "keyed", by = "of", optional = true }
"roe[].of" = { link = "fish" }
"roe[].many" = { type = "integer", min = 1 }
"art" = { file = "art/*.png", optional = true }
[[kinds.fish.rules]]
code = "too-dear"
require = "price <= length * 50"
message = "{price} is too dear for a length of {length}"
[kinds.bait]
again = "replace"
[kinds.bait.fields]
"smell" = { type = "integer" }
"from[]" = { link = ["fish", "bait"], join = true, list = "set", optional = true }
[kinds.boat]
[kinds.boat.fields]
"oars" = { type = "integer", min = 1 }
[[where]]
files = "nets/*.json"
cut = "{}"
kind = "net"
[[where]]
files = "shoals/*.json"
cut = "{}"
kind = "shoal"
[[where]]
files = "lures/*.json"
cut = "{}"
kind = "lure"
[[where]]
files = "buoys/*.json"
cut = "{}"
kind = "buoy"
[[where]]
files = "stalls/*.json"
cut = "{}"
kind = "stall"
[parts.lot.fields]
"what" = { link = ["lure", "shoal"] }
"many" = { type = "integer", min = 1, default = 1 }
[kinds.net]
parent = "like"
again = "merge"
retired = { state = "gone" }
[kinds.net.fields]
"state" = { type = "choice", words = ["new", "gone"], default = "new" }
"sort" = { type = "choice", words = ["cast", "drag"], optional = true }
"throw" = { type = "number", only = { sort = "cast" } }
"haul" = { type = "number", only = { sort = "drag" }, optional = true }
"mesh" = { type = "integer", min = 1, max = 99, safe_max = 40, optional = true, unit = "mm" }
"mark" = { type = "text", pattern = "[A-Z]{3}", unique = true, optional = true }
"knots[]" = { type = "integer", min_count = 1, max_count = 3, optional = true }
"seasons[]" = { type = "choice", words = ["wet", "dry"], list = "set", complete = true, optional = true }
"span" = { type = "tuple", optional = true }
"span[0]" = { type = "number" }
"span[1]" = { type = "number", optional = true }
"twine" = { type = "integer", optional = true, retired = "use `mesh`" }
"drag" = { type = "formula", names = ["wind"], optional = true }
"under" = { link = "net", target = { sort = "drag" }, optional = true }
"shoals[]" = { link = "shoal", joins = true, list = "set", optional = true }
"silk" = { type = "integer", optional = true }
"hemp" = { type = "integer", optional = true }
[[kinds.net.groups]]
at_most_one = ["silk", "hemp"]
if = "silk"
needs = "mesh"
[kinds.shoal]
again = "merge"
members = "holds[]"
members_are = "of"
[kinds.shoal.fields]
"of" = { type = "choice", words = ["net", "lure"] }
"holds[]" = { link = ["net", "lure", "shoal"], list = "set", join = true, optional = true }
[kinds.lure]
again = "merge"
ids = { pattern = "[a-z-]+", prefix = "{mod}-" }
led_to = "stall.sells[].what"
[kinds.lure.fields]
"weight" = { type = "number" }
"art" = { file = "art/*.png", optional = true }
[kinds.buoy]
again = "merge"
ids = { ranges = ["400..499", "900..909"] }
[kinds.buoy.fields]
"light" = { type = "boolean" }
[kinds.stall]
again = "merge"
texts = { name = "stall.{id}.name", offer = { key = "stall.{id}.offer", optional = true, tokens = ["buyer"] } }
files = { sign = "art/signs/{id}.png" }
[kinds.stall.fields]
"sells[]" = { part = "lot", list = "keyed", by = "what", join = true }
"asks[]" = { optional = true }
"asks[].net" = { link = "net", optional = true }
"asks[].coin" = { type = "integer", optional = true }
[[kinds.stall.groups]]
of = "asks[]"
exactly_one = ["net", "coin"]
"#;

struct Case {
    title: String,
    files: BTreeMap<String, String>,
    /// `path:line:column code text`.
    marks: Vec<(String, u32, u32, String, String)>,
}

fn cases(text: &str) -> Vec<Case> {
    let mut cases: Vec<Case> = Vec::new();
    let mut path = String::new();
    for line in text.lines() {
        if let Some(title) = line.strip_prefix("##### ") {
            cases.push(Case { title: title.to_owned(), files: BTreeMap::new(), marks: Vec::new() });
            continue;
        }
        let case = cases.last_mut().expect("a case file begins with a title");
        if let Some(name) = line.strip_prefix("=== ") {
            path = name.to_owned();
            case.files.entry(path.clone()).or_default();
            continue;
        }
        let Some(file) = case.files.get_mut(&path) else { continue };
        let mark = line.trim_start();
        if mark.starts_with('^') {
            let column = u32::try_from(line.len() - mark.len()).unwrap() + 1;
            let (code, text) = mark.trim_start_matches('^').trim().split_once(": ").unwrap();
            let row = u32::try_from(file.lines().count()).unwrap();
            case.marks.push((path.clone(), row.max(1), column, code.to_owned(), text.to_owned()));
        } else {
            file.push_str(line);
            file.push('\n');
        }
    }
    cases
}

/// Gives each mod the manifest that it needs.
fn manifests(files: &mut BTreeMap<String, String>) {
    let folders: Vec<String> = files
        .keys()
        .filter_map(|path| path.strip_prefix("mods/")?.split_once('/').map(|(id, _)| id.to_owned()))
        .collect();
    for id in folders {
        let manifest = format!("mods/{id}/mod.toml");
        if !files.contains_key(&format!("mods/{id}/no-manifest")) {
            files.entry(manifest).or_insert_with(|| format!("id = \"{id}\"\n"));
        }
    }
}

fn world(case: &Case) -> World {
    World::load(&usual(case)).unwrap()
}

/// A case's files with the usual ones.
fn usual(case: &Case) -> MemorySource {
    let mut files = case.files.clone();
    files.entry("cognomen.toml".to_owned()).or_insert_with(|| WORKSPACE.to_owned());
    let rulebook = RULEBOOK.to_owned();
    files.entry("rulebook.toml".to_owned()).or_insert(rulebook);
    files.entry("base/bait/worm.json".to_owned()).or_insert_with(|| "{ \"worm\": { \"smell\": 2 } }\n".to_owned());
    manifests(&mut files);
    MemorySource::new(files)
}

/// Every case, as its files.
pub(crate) fn all_cases() -> Vec<(String, MemorySource)> {
    let all = |folder: &str, files: fn(&Case) -> MemorySource| {
        let named = |(name, cases): (String, Vec<Case>)| {
            cases.into_iter().map(|case| (format!("{name}: {}", case.title), files(&case))).collect::<Vec<_>>()
        };
        case_files(folder).into_iter().flat_map(named).collect::<Vec<_>>()
    };
    all("cases", usual).into_iter().chain(all("notations", own)).collect()
}

/// The files of a folder of cases, with the name of each.
fn case_files(folder: &str) -> Vec<(String, Vec<Case>)> {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("src/check").join(folder);
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.sort();
    let name = |file: &std::path::Path| file.file_stem().unwrap().to_string_lossy().into_owned();
    files.iter().map(|file| (name(file), cases(&std::fs::read_to_string(file).unwrap()))).collect()
}

/// What is found in a case otherwise than it is marked.
fn differences(name: &str, case: &Case, world: &World) -> Vec<String> {
    let mut wrong = Vec::new();
    let catalog = world.catalog();
    let mut found: Vec<(String, u32, u32, String, String)> = Vec::new();
    for finding in check(world) {
        let lines = Lines::new(catalog.text(finding.place.file));
        let at = lines.position(finding.place.span.start);
        let path = catalog.file(finding.place.file).path.clone();
        let help = finding.help.as_ref().map(ToString::to_string).unwrap_or_default();
        let text = format!("{} | {help}", finding.message);
        found.push((path, at.line, at.column, finding.code.to_string(), text));
    }
    for mark in &case.marks {
        let (path, line, column, code, text) = mark;
        let at = found
            .iter()
            .position(|f| (&f.0, f.1, f.2, &f.3) == (path, *line, *column, code) && f.4.contains(text.as_str()));
        match at {
            Some(at) => drop(found.remove(at)),
            None => wrong.push(format!("{name}: {}\n  not found: {mark:?}\n  among {found:?}", case.title)),
        }
    }
    if !found.is_empty() {
        wrong.push(format!("{name}: {}\n  not marked: {found:?}", case.title));
    }
    wrong
}

/// A game of its own, with its rulebook.
fn own_world(case: &Case) -> World {
    World::load(&own(case)).unwrap()
}

fn own(case: &Case) -> MemorySource {
    let mut files = case.files.clone();
    let workspace = "cognomen = 1\nrulebook = \"rulebook\"\nbase = \"base\"\nmods = \"mods\"\n";
    let manifest = "rulebook = 1\n[manifest]\nfile = \"mod.toml\"\nid = \"id\"\nrequires = \"needs[]\"\n";
    files.entry("cognomen.toml".to_owned()).or_insert_with(|| workspace.to_owned());
    files.entry("rulebook/manifest.toml".to_owned()).or_insert_with(|| manifest.to_owned());
    if !case.files.contains_key("rulebook/manifest.toml") {
        manifests(&mut files);
    }
    MemorySource::new(files)
}

#[test]
fn each_notation_is_read_and_its_faults_are_found() {
    let mut wrong = Vec::new();
    for (name, cases) in case_files("notations") {
        for case in cases {
            assert!(!case.marks.is_empty(), "{name}: {} has no fault", case.title);
            wrong.extend(differences(&name, &case, &own_world(&case)));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Findings are compared by what they say, without its text being made: this must tell apart just what the text does.
#[test]
fn facts_tell_findings_apart_as_their_texts_do() {
    let (mut by_text, mut facts) = (BTreeMap::<(String, String), crate::said::Said>::new(), 0);
    let of_games = case_files("notations").into_iter().flat_map(|(_, cases)| cases).map(|case| own_world(&case));
    let usual = case_files("cases").into_iter().flat_map(|(_, cases)| cases).map(|case| world(&case));
    for world in of_games.chain(usual) {
        for finding in check(&world) {
            facts += finding.message.facts().len();
            let text = finding.message.to_string();
            assert!(!text.is_empty(), "{}", finding.code);
            let said =
                by_text.entry((finding.code.to_string(), text.clone())).or_insert_with(|| finding.message.clone());
            assert_eq!(*said, finding.message, "{}: {text}", finding.code);
        }
    }
    let texts: std::collections::BTreeSet<_> = by_text.values().collect();
    assert!(texts.len() > 300 && facts > 600, "{} texts with {facts} facts", texts.len());
}

#[test]
fn findings_are_where_the_marks_are_and_nowhere_else() {
    let mut fired: BTreeMap<String, usize> = BTreeMap::new();
    let mut silent: BTreeMap<String, usize> = BTreeMap::new();
    let mut wrong: Vec<String> = Vec::new();
    for (code_of_file, cases) in case_files("cases") {
        for case in cases {
            wrong.extend(differences(&code_of_file, &case, &world(&case)));
            for (.., code, _) in &case.marks {
                *fired.entry(code.clone()).or_default() += 1;
            }
            if case.marks.iter().all(|mark| mark.3 != code_of_file) {
                *silent.entry(code_of_file.clone()).or_default() += 1;
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    for check in CHECKS {
        let code = if check.code == "rule-broken" { "too-dear" } else { check.code };
        assert!(fired.contains_key(code), "no case in which {code} fires");
        assert!(silent.contains_key(check.code), "no case in which {} stays silent", check.code);
    }
}

#[test]
fn the_registry_is_sorted_and_explains_every_check() {
    assert!(CHECKS.windows(2).all(|pair| pair[0].code < pair[1].code));
    for check in CHECKS {
        let kebab = check.code.bytes().all(|b| b.is_ascii_lowercase() || b == b'-');
        assert!(kebab, "{}", check.code);
        for text in [check.summary, check.finds, check.matters, check.example, check.mend, check.accept, check.since] {
            assert!(!text.is_empty(), "{} lacks a text", check.code);
        }
        assert!(!check.summary.ends_with('.'), "{}", check.code);
    }
}

#[test]
fn damaged_files_are_findings_and_never_a_panic() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("src/check/cases");
    let half = |text: &str| Some(text.chars().take(text.chars().count() / 2).collect::<String>());
    let damages: [fn(&str) -> String; 5] = [
        |text| text.replacen('"', "", 1),
        |text| text.replace(|c: char| c.is_ascii_digit(), "[]"),
        |text| text.replace('[', "{").replace(']', "}"),
        |text| text.replace("\": ", "\": null, \"x\": "),
        |text| text.replace('\n', "\r\n").replace("\" ", "\"\u{0}"),
    ];
    let mut tried = 0;
    for file in std::fs::read_dir(folder).unwrap() {
        for case in cases(&std::fs::read_to_string(file.unwrap().path()).unwrap()) {
            for path in case.files.keys() {
                let text = &case.files[path];
                let damaged = damages.iter().map(|damage| damage(text)).chain(half(text));
                for text in damaged.filter(|damaged| damaged != text) {
                    let mut files = case.files.clone();
                    files.insert(path.clone(), text);
                    files.entry("cognomen.toml".to_owned()).or_insert_with(|| WORKSPACE.to_owned());
                    files.entry("rulebook.toml".to_owned()).or_insert_with(|| RULEBOOK.to_owned());
                    if let Ok(world) = World::load(&MemorySource::new(files)) {
                        let findings = check(&world);
                        let known = |finding: &&super::Finding| {
                            let text = world.catalog().text(finding.place.file);
                            finding.place.span.end as usize <= text.len()
                        };
                        assert!(findings.iter().all(|finding| known(&finding)), "{}: {path}", case.title);
                        tried += 1;
                    }
                }
            }
        }
    }
    assert!(tried > 500, "only {tried} worlds were tried");
}
