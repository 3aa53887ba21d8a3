//! Random collections: a base and some mods, of games of several sorts.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use crate::dice::Dice;
use crate::effective::World;
use crate::source::MemorySource;

const RULEBOOK: &str = r#"
rulebook = 1
[manifest]
file = "mod.toml"
id = "id"
requires = "needs[]"
[[where]]
files = "goods/*.json"
cut = "{}"
kind = "good"
[[where]]
files = "plans/*.json"
cut = "{}"
kind = "plan"
[kinds.good]
parent = "like"
again = "merge"
space = "all"
[kinds.plan]
parent = "like"
again = "replace"
space = "all"
[parts.all.fields]
"n" = { type = "number", optional = true }
"k" = { type = "number", default = 1 }
"t.x" = { type = "number", optional = true }
"t.y" = { type = "number", optional = true }
"tags[]" = { type = "text", list = "set", optional = true }
"tags" = { join = true, list = "set", optional = true }
"drops[]" = { list = "keyed", by = "what", optional = true }
"drops[].what" = { type = "text" }
"drops[].c" = { type = "number", optional = true }
"rows[]" = { type = "text", optional = true }
"more_rows[]" = { type = "text", join = true, optional = true }
"bag[]" = { type = "text", list = "bag", optional = true }
"gone" = { type = "boolean", optional = true }
[kinds.good.fields]
"own" = { type = "number", optional = true }
[kinds.plan.fields]
"own" = { type = "number", optional = true }
"#;

const IDS: [&str; 6] = ["q", "p", "m1", "m2", "r1", "r2"];

fn is_plan(id: &str) -> bool {
    id.starts_with(['q', 'r'])
}

/// A definition's fields; `full` gives more of them.
fn fields(dice: &mut Dice, id: &str, full: bool) -> String {
    let mut out = Vec::new();
    let share = if full { 70 } else { 30 };
    for key in ["n", "k"] {
        if dice.chance(share) {
            out.push(format!("\"{key}\": {}", 1 + dice.roll(6)));
        }
    }
    let inner: Vec<String> =
        ["x", "y"].iter().filter(|_| dice.chance(share)).map(|key| format!("\"{key}\": 3")).collect();
    if !inner.is_empty() {
        out.push(format!("\"t\": {{ {} }}", inner.join(", ")));
    }
    if dice.chance(share / 2) {
        let tags: Vec<String> =
            ["a", "b", "c"].iter().filter(|_| dice.chance(50)).map(|tag| format!("\"{tag}\"")).collect();
        out.push(format!("\"tags\": [{}]", tags.join(", ")));
    }
    if dice.chance(share / 2) {
        let entry = |dice: &mut Dice, what: &str| match dice.chance(80) {
            true => format!("{{ \"what\": \"{what}\", \"c\": {} }}", 1 + dice.roll(4)),
            false => format!("{{ \"what\": \"{what}\" }}"),
        };
        let mut drops = Vec::new();
        for what in ["i", "j"] {
            if dice.chance(60) {
                drops.push(entry(dice, what));
            }
        }
        out.push(format!("\"drops\": [{}]", drops.join(", ")));
    }
    if dice.chance(share / 2) {
        let rows = ["\"u\"", "\"v\"", "\"u\", \"v\"", ""];
        out.push(format!("\"rows\": [{}]", dice.of(&rows)));
    }
    for key in ["more_rows", "bag"] {
        if dice.chance(share / 3) {
            let some = ["\"u\"", "\"v\"", "\"u\", \"v\"", "\"u\", \"u\""];
            out.push(format!("\"{key}\": [{}]", dice.of(&some)));
        }
    }
    let parents: &[&str] = match id {
        "q" => &[],
        "p" => &["q"],
        _ => &["p", "q"],
    };
    if !parents.is_empty() && dice.chance(if full { 60 } else { 15 }) {
        out.push(format!("\"like\": \"{}\"", dice.of(parents)));
    }
    out.join(", ")
}

/// A definition that says what becomes of inherited values.
fn native(dice: &mut Dice) -> String {
    let mut out = Vec::new();
    if dice.chance(50) {
        out.push(format!("\"more\": {{ \"n\": {} }}", 1 + dice.roll(4)));
    }
    if dice.chance(50) {
        out.push(format!("\"times\": {{ \"k\": {} }}", 2 + dice.roll(2)));
    }
    if dice.chance(40) {
        out.push(format!("\"with\": {{ \"tags\": [\"{}\"] }}", dice.of(&["a", "b"])));
    }
    if dice.chance(30) {
        out.push("\"without\": { \"tags\": [\"c\"] }".to_owned());
    }
    if dice.chance(30) {
        out.push("\"not\": [\"t.x\"]".to_owned());
    }
    out.join(", ")
}

/// What a game has, and what its mods do.
#[derive(Clone, Copy, Default)]
pub(super) struct Game {
    /// Numbers are multiplied and shifted, and values taken back.
    pub(super) relative: bool,
    /// Some kinds replace, and lists that are not joined do.
    pub(super) replacing: bool,
    /// Records take definitions away.
    pub(super) removing: bool,
    /// Files take the place of lower ones at their path.
    pub(super) shadowing: bool,
    /// Parents count as they are when the child is loaded.
    pub(super) early: bool,
    /// Definitions change what they inherit, in the game's own notation.
    pub(super) native: bool,
}

pub(super) const PLAIN: Game =
    Game { relative: false, replacing: false, removing: false, shadowing: false, early: false, native: false };
pub(super) const FREE: Game = Game { relative: true, replacing: true, ..PLAIN };

/// All that a game can have, by the seed.
pub(super) fn game_of(seed: u64) -> Game {
    let has = |bit: u64| seed >> (20 + bit) & 3 == 0;
    Game { removing: has(0), shadowing: has(2), early: has(4), native: has(6), ..FREE }
}

/// A base and some mods, each on the base and perhaps on lower mods.
pub(super) fn collection(seed: u64, game: Game) -> World {
    let Game { relative, replacing, .. } = game;
    let mut dice = Dice(seed.max(1));
    let mut files: BTreeMap<String, String> = BTreeMap::new();
    let workspace = "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\n";
    files.insert("cognomen.toml".to_owned(), workspace.to_owned());
    let mut more = "part = \"all\"\n".to_owned();
    more += if game.removing { "removes = { gone = true }\n" } else { "" };
    more += if game.early { "binds = \"early\"\n" } else { "" };
    let operations = "[kinds.good.operations]\nunder = { more = \"shift\", times = \"multiply\", with = \"add\", without = \"remove\", not = \"unset\" }\n";
    let both = RULEBOOK.replace("again = \"merge\"\n", &format!("again = \"merge\"\n{more}"));
    let both = both.replace("again = \"replace\"\n", &format!("again = \"replace\"\n{more}"));
    let both =
        both.replace("[parts.all.fields]", &format!("{}[parts.all.fields]", if game.native { operations } else { "" }));
    let shadows = if game.shadowing { "kind = \"plan\"\nshadows = true\n" } else { "kind = \"plan\"\n" };
    let both = both.replace("kind = \"plan\"\n", shadows);
    // lists that are not joined are replaced whole, and with them what others put in
    let lists = if replacing { "" } else { ", join = true" };
    let both = both.replace("by = \"what\"", &format!("by = \"what\"{lists}"));
    files.insert("rulebook.toml".to_owned(), both);
    let file = |layer: &str, plan: bool, definitions: &[String]| {
        let path = format!("{layer}/{}/all.json", if plan { "plans" } else { "goods" });
        (path, format!("{{\n{}\n}}\n", definitions.join(",\n")))
    };
    for plan in [true, false] {
        let ids = IDS.iter().filter(|id| is_plan(id) == plan);
        let all: Vec<String> = ids.map(|id| format!("  \"{id}\": {{ {} }}", fields(&mut dice, id, true))).collect();
        files.extend([file("base", plan, &all)]);
    }
    let count = 2 + dice.roll(3);
    for nth in 0..count {
        let id = format!("l{nth}");
        let mut definitions: [Vec<String>; 2] = Default::default();
        for at in IDS {
            if !dice.chance(30) || (is_plan(at) && !replacing) {
                continue;
            }
            let mut own = fields(&mut dice, at, is_plan(at));
            if game.removing && dice.chance(12) {
                own = "\"gone\": true".to_owned();
            } else if game.native && !is_plan(at) && dice.chance(40) {
                own = native(&mut dice);
            }
            definitions[usize::from(is_plan(at))].push(format!("  \"{at}\": {{ {own} }}"));
        }
        for plan in [false, true] {
            if !definitions[usize::from(plan)].is_empty() {
                files.extend([file(&format!("mods/{id}"), plan, &definitions[usize::from(plan)])]);
            }
        }
        let mut amendments = "amendments = 1\n".to_owned();
        for _ in 0..dice.roll(4) {
            let target = dice.of(&IDS);
            if is_plan(target) && !replacing {
                continue;
            }
            let number = 2 + dice.roll(4);
            let what = match dice.roll(if relative { 9 } else { 3 }) {
                0 => format!("set = {{ n = {number} }}"),
                1 => format!("set = {{ t = {{ x = {number} }} }}"),
                2 => format!("set = {{ k = {number} }}"),
                3 => format!("multiply = {{ n = {number} }}"),
                4 => format!("shift = {{ k = {number} }}"),
                5 => format!("add = {{ tags = [\"{}\"] }}", dice.of(&["a", "b", "c"])),
                6 => format!("remove = {{ tags = [\"{}\"] }}", dice.of(&["a", "b", "c"])),
                7 => format!("add = {{ drops = [{{ what = \"{}\", c = {number} }}] }}", dice.of(&["i", "j"])),
                8 if dice.chance(60) => format!("set = {{ \"drops[what=i].c\" = {number} }}"),
                // where fields merge, the game has no notation for taking one back
                _ if is_plan(target) => "unset = [\"n\"]".to_owned(),
                _ => format!("shift = {{ n = {number} }}"),
            };
            let kind = if is_plan(target) { "plan" } else { "good" };
            let _ = write!(amendments, "[[amend]]\nof = \"{kind}/{target}\"\n{what}\n");
        }
        files.insert(format!("mods/{id}/amendments/all.toml"), amendments);
        let needs: Vec<String> = (0..nth).filter(|_| dice.chance(20)).map(|lower| format!("\"l{lower}\"")).collect();
        files.insert(format!("mods/{id}/mod.toml"), format!("id = \"{id}\"\nneeds = [{}]\n", needs.join(", ")));
    }
    World::load(&MemorySource::new(files)).unwrap()
}
