//! The law of owners (docs/INTENTS.md), on random workspaces in several notations: what is told of a mod is what its
//! view shows beyond its ground, found by reading everything anew with fewer layers; and no layer outside of these
//! changes it.

use std::collections::{BTreeMap, BTreeSet};

use crate::catalog::{LayerId, LayerSet};
use crate::check::context::{Context, Shared};
use crate::check::finding::{Finding, Whose};
use crate::check::told::{run, told, way};
use crate::dice::Dice;
use crate::effective::World;
use crate::source::MemorySource;

const RULEBOOK: &str = r#"rulebook = 1
[manifest]
file = "mod.toml"
id = "id"
requires = "needs[]"
[texts]
files = "texts/{language}.json"
[words.smell]
[[where]]
files = "sets/*.json"
cut = "{}"
kind = "set"
[kinds.set]
again = "merge"
members = "holds[]"
members_are = "of"
[kinds.set.fields]
"of" = { type = "choice", words = ["good", "set"] }
"holds[]" = { link = ["good", "set"], list = "set", join = true, optional = true }
[kinds.good]
parent = "like"
led_to = ["good.uses", "good.takes"]
texts = { name = { key = "good.{id}", optional = true } }
retired = { sort = "old" }
[kinds.good.fields]
"like" = { optional = true }
"n" = { type = "integer", max = 9 }
"m" = { type = "integer", max = 9, optional = true }
"sort" = { type = "choice", words = ["wet", "dry", "old"], optional = true }
"wide" = { type = "integer", only = { sort = "wet" } }
"uses" = { link = "good", optional = true }
"takes" = { link = "good", target = { sort = "wet" }, optional = true }
"in" = { link = "set", joins = true, optional = true }
"mark" = { type = "text", unique = true, optional = true }
"gives" = { declares = "smell", optional = true }
"wants" = { word = "smell", optional = true }
"title" = { text = "good.*", optional = true }
"a" = { type = "integer", optional = true }
"b" = { type = "integer", optional = true }
"gone" = { type = "boolean", optional = true }
"parts[]" = { list = "keyed", by = "what", optional = true }
"parts[].what" = { link = "good" }
"parts[].many" = { type = "integer" }
[[kinds.good.groups]]
if = "a"
needs = "b"
[[kinds.good.rules]]
code = "too-dear"
require = "ref(uses).n <= n"
message = "{id} costs less than {uses}"
[[kinds.good.rules]]
code = "too-heavy"
require = "total(parts, 'many * ref(what).n') <= 12"
message = "{id} is too heavy"
"#;

/// How the definitions of a game are written.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Written {
    JsonMap,
    YamlFiles,
    XmlRows,
    JsonRows,
}

const IDS: [&str; 6] = ["peat", "reed", "eel", "salt", "rope", "lamp"];
const SETS: [&str; 2] = ["fen", "shed"];

/// The fields of a definition, each as it is written in TOML, which is JSON but for the key.
fn fields(dice: &mut Dice, layer: usize, full: bool, lists: bool) -> Vec<(&'static str, String)> {
    let mut out = Vec::new();
    let text = |word: &str| format!("\"{word}\"");
    let ids: Vec<&str> = IDS.iter().copied().chain(["new-l0", "new-l1", "nothing"]).collect();
    for (key, share) in [("n", if full { 85 } else { 40 }), ("m", 25), ("wide", 25), ("a", 15), ("b", 25)] {
        if dice.chance(share) {
            out.push((key, (1 + dice.roll(10)).to_string()));
        }
    }
    if dice.chance(40) {
        out.push(("sort", text(dice.of(&["wet", "wet", "dry", "old"]))));
    }
    for key in ["uses", "takes"] {
        if dice.chance(35) {
            out.push((key, text(dice.of(&ids))));
        }
    }
    if dice.chance(25) {
        out.push(("like", text(dice.of(&ids[..7]))));
    }
    if dice.chance(25) {
        out.push(("in", text(dice.of(&SETS))));
    }
    if lists && dice.chance(25) {
        let part = format!("{{ \"what\": \"{}\", \"many\": {} }}", dice.of(&ids), 1 + dice.roll(3));
        out.push(("parts", format!("[{part}]")));
    }
    if dice.chance(15) {
        out.push(("mark", text(dice.of(&["x", "y", "z"]))));
    }
    if dice.chance(20) {
        out.push(("gives", text(dice.of(&["rank", "sweet"]))));
    }
    if dice.chance(20) {
        out.push(("wants", text(dice.of(&["rank", "sweet", "mild"]))));
    }
    if dice.chance(15) {
        out.push(("title", text(dice.of(&["peat", "eel", "none"]))));
    }
    if layer > 0 && dice.chance(10) {
        return vec![("gone", "true".to_owned())];
    }
    out
}

fn written(written: Written, layer: &str, all: &[(String, Vec<(&'static str, String)>)]) -> Vec<(String, String)> {
    let members = |fields: &[(&'static str, String)]| {
        fields.iter().map(|(key, value)| format!("\"{key}\": {value}")).collect::<Vec<_>>().join(", ")
    };
    match written {
        Written::JsonMap => {
            let rows: Vec<String> = all.iter().map(|(id, f)| format!("\"{id}\": {{ {} }}", members(f))).collect();
            vec![(format!("{layer}/goods/all.json"), format!("{{\n{}\n}}\n", rows.join(",\n")))]
        }
        Written::JsonRows => {
            let row = |(id, f): &(String, Vec<_>)| {
                let rest = members(f);
                format!("{{ \"id\": \"{id}\"{}{rest} }}", if rest.is_empty() { "" } else { ", " })
            };
            let rows: Vec<String> = all.iter().map(row).collect();
            vec![(format!("{layer}/goods/all.json"), format!("[\n{}\n]\n", rows.join(",\n")))]
        }
        Written::YamlFiles => {
            let text = |f: &[(&'static str, String)]| match f {
                [] => "{}\n".to_owned(),
                some => some.iter().map(|(key, value)| format!("{key}: {value}\n")).collect(),
            };
            all.iter().map(|(id, f)| (format!("{layer}/goods/{id}.yaml"), text(f))).collect()
        }
        Written::XmlRows => {
            let element = |(key, value): &(&'static str, String)| format!("<{key}>{}</{key}>", value.trim_matches('"'));
            let row = |(id, f): &(String, Vec<_>)| {
                format!("<good><id>{id}</id>{}</good>", f.iter().map(element).collect::<String>())
            };
            let rows: Vec<String> = all.iter().map(row).collect();
            vec![(format!("{layer}/goods/all.xml"), format!("<goods>\n{}\n</goods>\n", rows.join("\n")))]
        }
    }
}

fn workspace(seed: u64) -> BTreeMap<String, String> {
    let mut dice = Dice(seed.max(1));
    let notation = [Written::JsonMap, Written::YamlFiles, Written::XmlRows, Written::JsonRows][dice.roll(4) as usize];
    let lists = notation != Written::XmlRows;
    let merges = dice.chance(50);
    let shadows = notation != Written::YamlFiles && dice.chance(25);
    let mut files = BTreeMap::new();
    let site = match notation {
        Written::JsonMap => "files = \"goods/*.json\"\ncut = \"{}\"\nkind = \"good\"\n",
        Written::YamlFiles => "files = \"goods/*.yaml\"\nkind = \"good\"\n",
        Written::XmlRows => "files = \"goods/*.xml\"\ncut = \"goods.good[]\"\nkind = \"good\"\n",
        Written::JsonRows => "files = \"goods/*.json\"\ncut = \"[]\"\nkind = \"good\"\n",
    };
    let mut site = format!("[[where]]\n{site}");
    site += if shadows { "shadows = true\n" } else { "" };
    let mut kind = format!("[kinds.good]\nagain = \"{}\"\n", if merges { "merge" } else { "replace" });
    kind += if matches!(notation, Written::XmlRows | Written::JsonRows) { "name = \"id\"\n" } else { "" };
    kind += if dice.chance(60) { "removes = { gone = true }\n" } else { "" };
    kind += if dice.chance(25) { "binds = \"early\"\n" } else { "" };
    let rulebook = RULEBOOK.replace("[kinds.good]\n", &format!("{site}{kind}"));
    files.insert("rulebook.toml".to_owned(), rulebook);
    let workspace = "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n";
    files.insert("cognomen.toml".to_owned(), workspace.to_owned());
    let count = 2 + dice.roll(3) as usize;
    for nth in 0..=count {
        let layer = if nth == 0 { "base".to_owned() } else { format!("mods/l{}", nth - 1) };
        let mut all = Vec::new();
        for id in IDS {
            if dice.chance(if nth == 0 { 90 } else { 25 }) {
                all.push((id.to_owned(), fields(&mut dice, nth, nth == 0 || !merges, lists)));
            }
        }
        if nth > 0 && dice.chance(60) {
            all.push((format!("new-l{}", nth - 1), fields(&mut dice, nth, true, lists)));
        }
        if !all.is_empty() {
            files.extend(written(notation, &layer, &all));
        }
        let sets: Vec<String> = SETS
            .iter()
            .filter_map(|set| {
                let members: Vec<String> = ["peat", "eel", "fen", "shed", "new-l0"]
                    .iter()
                    .filter(|_| dice.chance(20))
                    .map(|id| format!("\"{id}\""))
                    .collect();
                let of = dice.of(&["good", "good", "set"]);
                let own = nth == 0 || dice.chance(20);
                own.then(|| format!("\"{set}\": {{ \"of\": \"{of}\", \"holds\": [{}] }}", members.join(", ")))
            })
            .collect();
        if !sets.is_empty() {
            files.insert(format!("{layer}/sets/all.json"), format!("{{\n{}\n}}\n", sets.join(",\n")));
        }
        if nth == 0 || dice.chance(20) {
            let texts: Vec<String> = ["peat", "eel"]
                .iter()
                .filter(|_| dice.chance(70))
                .map(|id| format!("\"good.{id}\": \"{id}\""))
                .collect();
            files.insert(format!("{layer}/texts/en.json"), format!("{{ {} }}", texts.join(", ")));
        }
        if nth > 0 {
            let needs: Vec<String> =
                (1..nth).filter(|_| dice.chance(30)).map(|lower| format!("\"l{}\"", lower - 1)).collect();
            files.insert(
                format!("{layer}/mod.toml"),
                format!("id = \"l{}\"\nneeds = [{}]\n", nth - 1, needs.join(", ")),
            );
            let mut amendments = "amendments = 1\n".to_owned();
            for _ in 0..dice.roll(4) {
                let number = 1 + dice.roll(10);
                let what = match dice.roll(9) {
                    0 => format!("set = {{ n = {number} }}"),
                    1 => format!("set = {{ wide = {number} }}"),
                    2 => format!("multiply = {{ n = {number} }}"),
                    3 => format!("set = {{ sort = \"{}\" }}", dice.of(&["wet", "dry", "old"])),
                    4 => format!("set = {{ uses = \"{}\" }}", dice.of(&["peat", "lamp", "new-l0"])),
                    5 => format!("set = {{ like = \"{}\" }}", dice.of(&["peat", "eel", "reed"])),
                    6 => format!("set = {{ in = \"{}\" }}", dice.of(&SETS)),
                    7 if !merges => format!("unset = [\"{}\"]", dice.of(&["n", "gives", "b", "sort"])),
                    _ => format!("set = {{ mark = \"{}\" }}", dice.of(&["x", "y"])),
                };
                let of = dice.of(&IDS);
                amendments += &format!("[[amend]]\nof = \"good/{of}\"\n{what}\n");
            }
            files.insert(format!("{layer}/amendments/all.toml"), amendments);
        }
    }
    files
}

/// What is said, so that it can be compared between worlds; what lacks on a mod's ground has another code, and other
/// words, where a layer elsewhere has it.
fn said(world: &World, finding: &Finding) -> String {
    const LACKING: [&str; 5] =
        ["leads-nowhere", "requirement-undeclared", "parent-lacking", "amends-nothing", "name-with-ending"];
    let catalog = &world.catalog;
    // what goes on with nothing lacks no name
    if LACKING.contains(&&*finding.code) && !finding.message.to_string().contains("continues itself") {
        return match finding.about {
            Some(about) => {
                let path = finding.path.as_ref().map(way).unwrap_or_default();
                format!("lacking {} {path}", catalog.names.text(about.id))
            }
            None => format!("lacking {}:{}", catalog.file(finding.place.file).path, finding.place.span.start),
        };
    }
    let about = finding.about.map(|about| catalog.names.text(about.id).to_owned()).unwrap_or_default();
    let path = finding.path.as_ref().map(way).unwrap_or_default();
    format!("{} {about} {path} | {}", finding.code, finding.message)
}

/// All that shows with some layers, everything read anew with these alone.
fn shown(world: &World, layers: &LayerSet) -> Vec<(String, Option<LayerId>)> {
    let fewer = world.only(layers);
    let shared = Shared::new(&fewer);
    let context = Context::whole(&shared, layers.clone()).with_astray();
    let found = run(&context, &|_, _| {});
    found.iter().map(|finding| (said(&fewer, finding), finding.layer(&fewer.catalog))).collect()
}

/// What is told of a layer, but for what its manifest requires, which is no matter of what shows.
fn told_of(world: &World, whose: &Whose) -> BTreeSet<String> {
    const REQUIRED: [&str; 2] = ["requirement-lacking", "requirement-circle"];
    let told = all_told(world);
    let told = told.iter().filter(|finding| finding.whose == *whose && !REQUIRED.contains(&&*finding.code));
    told.map(|finding| said(world, finding)).collect()
}

fn all_told(world: &World) -> Vec<Finding> {
    told(&Shared::new(world), &|_, _| {}).findings
}

/// What is wrong with one random workspace.
fn broken(seed: u64) -> Vec<String> {
    let files = workspace(seed);
    let world = World::load(&MemorySource::new(files.clone())).unwrap();
    let fault = all_told(&world).into_iter().find(|finding| finding.code == "rulebook-fault");
    assert!(fault.is_none(), "{fault:?}");
    let wrong: Vec<String> = told_otherwise(&world).iter().map(|line| format!("{seed}: {line}")).collect();
    if !wrong.is_empty() && std::env::var_os("COGNOMEN_SHOW").is_some() {
        files.iter().for_each(|(path, text)| eprintln!("=== {path}\n{text}"));
    }
    wrong
}

/// Where what is told of the mods of a workspace is not what the law says.
pub(crate) fn told_otherwise(world: &World) -> Vec<String> {
    let catalog = &world.catalog;
    let mut wrong = Vec::new();
    let report = all_told(world);
    let mut all: BTreeSet<String> = BTreeSet::new();
    for (layer, found) in catalog.layers().filter(|(_, found)| !found.is_base()) {
        let with = found.ground.with(layer);
        let below: BTreeSet<String> = shown(world, &found.ground).into_iter().map(|(said, _)| said).collect();
        let here = shown(world, &with);
        // a name that was lacking may have been meant for another, which nothing then led to: whoever brings the name
        // has no part in that
        let brings =
            below.iter().any(|said| said.starts_with("lacking") && here.iter().all(|(other, _)| other != said));
        let meant = |said: &str| brings && said.starts_with("nothing-leads-there");
        let adds = |(said, of): &(String, Option<LayerId>)| *of == Some(layer) || !below.contains(said);
        let wanted: BTreeSet<String> = here.into_iter().filter(adds).map(|(said, _)| said).collect();
        let is = told_of(world, &Whose::Layer(layer));
        let alone = told_of(&world.only(&with), &Whose::Layer(layer));
        for (what, want) in [("by the law", &wanted), ("with its ground alone", &alone)] {
            for lacks in want.difference(&is).filter(|lacks| !meant(lacks)) {
                wrong.push(format!("`{}` lacks, {what}: {lacks}", found.id));
            }
            for more in is.difference(want).filter(|more| !meant(more)) {
                wrong.push(format!("`{}` has too much, {what}: {more}", found.id));
            }
        }
        all.extend(is);
    }
    // what shows in the end is told of somebody
    let spot = |said: &str| said.split(" | ").next().unwrap_or_default().to_owned();
    all.extend(report.iter().map(|finding| said(world, finding)));
    let spots: BTreeSet<String> = all.iter().map(|said| spot(said)).collect();
    let every = LayerSet::all(catalog.layers.len());
    // what may only lack since a file cannot be read follows from that, wherever it is not hidden by another
    let unread = report.iter().any(|finding| finding.code == "file-broken");
    let nobody = |said: &&(String, Option<LayerId>)| !unread && !spots.contains(&spot(&said.0));
    // it only follows, as long as what leads there is told as lacking; that two mods gave one name is nobody's slip
    let follows = |said: &&(String, Option<LayerId>)| {
        ["nothing-leads-there", "copy-leftover"].iter().any(|code| said.0.starts_with(code))
    };
    for (lacks, _) in shown(world, &every).iter().filter(nobody).filter(|said| !follows(said)) {
        wrong.push(format!("nobody is told: {lacks}"));
    }
    for finding in report.iter().filter(|finding| matches!(finding.whose, Whose::Layer(_))) {
        let Whose::Layer(layer) = finding.whose else { continue };
        if finding.layer(catalog) != Some(layer) && finding.related.is_empty() {
            wrong.push(format!("placed at another's: {}", said(world, finding)));
        }
    }
    wrong
}

#[test]
fn what_is_told_of_a_mod_is_what_it_adds_to_its_ground() {
    // one workspace again, or many others: the numbers are printed with what is wrong
    let number = |name: &str| std::env::var(name).ok().and_then(|number| number.parse::<u64>().ok());
    let (start, count) = (number("COGNOMEN_START").unwrap_or(20_261_128), number("COGNOMEN_COUNT").unwrap_or(120));
    let mut dice = Dice(start);
    let seeds: Vec<u64> = match number("COGNOMEN_SEED") {
        Some(seed) => vec![seed],
        None => (0..count).map(|_| dice.roll(u64::MAX)).collect(),
    };
    let wrong: Vec<String> = seeds.into_iter().flat_map(broken).collect();
    assert!(wrong.is_empty(), "{} wrong\n{}", wrong.len(), wrong[..wrong.len().min(40)].join("\n"));
}
