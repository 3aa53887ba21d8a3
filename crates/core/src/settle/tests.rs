//! The laws of what layers mean, on random collections.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use proptest::prelude::*;
use proptest::test_runner::RngSeed;

use super::apply::State;
use super::cells::{Cells, Sort};
use super::{ChangeOp, clashes, difference, intents, meant};
use crate::catalog::{Address, LayerId};
use crate::document::Draft;
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
"gone" = { type = "boolean", optional = true }
[kinds.good.fields]
"own" = { type = "number", optional = true }
[kinds.plan.fields]
"own" = { type = "number", optional = true }
"#;

/// The same numbers for the same seed.
struct Dice(u64);

impl Dice {
    fn roll(&mut self, below: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0 % below
    }

    fn chance(&mut self, percent: u64) -> bool {
        self.roll(100) < percent
    }

    fn of<'t>(&mut self, all: &[&'t str]) -> &'t str {
        all[self.roll(all.len() as u64) as usize]
    }
}

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
struct Game {
    /// Numbers are multiplied and shifted, and values taken back.
    relative: bool,
    /// Some kinds replace, and lists that are not joined do.
    replacing: bool,
    /// Records take definitions away.
    removing: bool,
    /// Files take the place of lower ones at their path.
    shadowing: bool,
    /// Parents count as they are when the child is loaded.
    early: bool,
    /// Definitions change what they inherit, in the game's own notation.
    native: bool,
}

const PLAIN: Game =
    Game { relative: false, replacing: false, removing: false, shadowing: false, early: false, native: false };
const FREE: Game = Game { relative: true, replacing: true, ..PLAIN };

/// All that a game can have, by the seed.
fn game_of(seed: u64) -> Game {
    let has = |bit: u64| seed >> (20 + bit) & 3 == 0;
    Game { removing: has(0), shadowing: has(2), early: has(4), native: has(6), ..FREE }
}

/// A base and some mods, each on the base and perhaps on lower mods.
fn collection(seed: u64, game: Game) -> World {
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

fn all(world: &World) -> Vec<Address> {
    world.catalog.addresses()
}

/// What shows of everything, without where it comes from.
fn shows(state: &State<'_>, world: &World) -> BTreeMap<String, Vec<String>> {
    let line = |cells: Cells| {
        // a flattened copy keeps the parent that it does not name
        let cells = cells.into_iter().filter(|(key, _)| key != "like");
        let cells = cells.map(|(key, cell)| (key, cell.sort, cell.value));
        cells
            .map(|(key, sort, value)| if sort == Sort::Member { key } else { format!("{key} {}", plain(&value)) })
            .collect()
    };
    let show = |at: &Address| Some((world.catalog.show_address(*at), line(state.cells(*at)?)));
    all(world).iter().filter_map(show).collect()
}

/// A value as it means, not as it is written.
fn plain(value: &Draft) -> String {
    match value {
        Draft::Number(number) => number.decimal().map_or_else(|| value.short(), |exact| exact.normalize().to_string()),
        Draft::List(items) => format!("[{}]", items.iter().map(plain).collect::<Vec<_>>().join(", ")),
        other => other.short(),
    }
}

/// Changes, one on a line.
fn brief(world: &World, changes: &[super::Change]) -> String {
    let line =
        |change: &super::Change| format!("{} {} {:?}", world.catalog.show_address(change.at), change.path, change.op);
    changes.iter().map(line).collect::<Vec<_>>().join("\n")
}

/// The first definition that shows another way.
fn first_other(a: &BTreeMap<String, Vec<String>>, b: &BTreeMap<String, Vec<String>>) -> Option<String> {
    let ids = a.keys().chain(b.keys()).find(|id| a.get(*id) != b.get(*id))?;
    Some(format!("{ids}: {:?}\n  not {:?}", a.get(ids), b.get(ids)))
}

fn mods(world: &World) -> Vec<LayerId> {
    world.catalog.layers().filter(|(_, layer)| !layer.is_base()).map(|(id, _)| id).collect()
}

fn told(world: &World) -> String {
    let files = world.catalog.files().filter(|(_, file)| file.layer.is_some());
    files.map(|(id, file)| format!("--- {}\n{}", file.path, world.catalog.text(id))).collect()
}

/// The difference of two states makes the one show the other, nothing in it is superfluous, and of a state to
/// itself there is none.
fn difference_holds(world: &World) {
    let everything = all(world);
    let states: Vec<State<'_>> = mods(world)
        .into_iter()
        .flat_map(|layer| [State::of(world.ground(layer)), State::of(world.with_ground(layer))])
        .chain([State::of(world.view())])
        .collect();
    for pair in states.windows(2) {
        let [x, y] = pair else { continue };
        let found = difference(x, y, &everything);
        let applied = |changes: &[super::Change]| {
            let mut state = x.clone();
            state.apply(changes);
            shows(&state, world)
        };
        let wanted = shows(y, world);
        let other = first_other(&applied(&found), &wanted);
        assert_eq!(other, None, "{}\n{}", brief(world, &found), told(world));
        for nth in 0..found.len() {
            let like = matches!(&found[nth].op, ChangeOp::Set(_)) && found[nth].path.to_string() == "like";
            if !like {
                let mut fewer = found.clone();
                fewer.remove(nth);
                let spare = brief(world, &found[nth..=nth]);
                assert!(applied(&fewer) != wanted, "superfluous: {spare}\n{}\n{}", brief(world, &found), told(world));
            }
        }
        assert!(difference(y, y, &everything).is_empty());
    }
}

/// What a layer means gives what it ships.
fn intents_are_faithful(world: &World) {
    for layer in mods(world) {
        let mut state = State::of(world.ground(layer));
        let means = intents(world, layer);
        state.apply(&means);
        let ships = shows(&State::of(world.with_ground(layer)), world);
        let other = first_other(&shows(&state, world), &ships);
        assert_eq!(other, None, "{layer:?}\n{}\n{}", brief(world, &means), told(world));
    }
}

/// For every value that is meant and does not show there is one that says so, with a culprit.
fn nothing_is_lost_without_a_name(world: &World) {
    let (state, _) = meant(world);
    let (wanted, there) = (shows(&state, world), shows(&State::of(world.view()), world));
    let found = clashes(world);
    for (address, cells) in &wanted {
        if there.get(address) != Some(cells) {
            let named = |at: Address| world.catalog.show_address(at) == *address;
            let told_of = found.undone.iter().any(|lost| named(lost.at))
                || found.contradictions.iter().any(|clash| named(clash.first.1.at))
                || !found.undone.is_empty()
                || !found.contradictions.is_empty();
            assert!(told_of, "{address}: {cells:?} and {:?}\n{}", there.get(address), told(world));
        }
    }
}

/// Orders of the mods in which each stands on what it requires.
fn orders(world: &World) -> Vec<Vec<LayerId>> {
    fn go(world: &World, done: Vec<LayerId>, all: &[LayerId], out: &mut Vec<Vec<LayerId>>) {
        if done.len() == all.len() {
            return out.push(done);
        }
        for next in all.iter().filter(|next| !done.contains(next)) {
            let ground = &world.catalog.layer(*next).ground;
            if all.iter().all(|other| !ground.contains(*other) || done.contains(other)) {
                go(world, done.iter().copied().chain([*next]).collect(), all, out);
            }
        }
    }
    let mut out = Vec::new();
    go(world, Vec::new(), &mods(world), &mut out);
    out
}

/// The base with what the layers mean, in an order.
fn meant_in<'w>(world: &'w World, all: &[(LayerId, Vec<super::Change>)], order: &[LayerId]) -> State<'w> {
    let mut state = State::of(world.view().of(world.catalog.base()));
    for layer in order {
        let (_, own) = all.iter().find(|(other, _)| other == layer).unwrap();
        state.apply(own);
    }
    state
}

/// Whether no two layers contradict each other.
fn all_commute(world: &World, all: &[(LayerId, Vec<super::Change>)]) -> bool {
    let apart = |a: LayerId, b: LayerId| {
        let ground = |upper: LayerId, lower: LayerId| world.catalog.layer(upper).ground.contains(lower);
        a != b && !ground(a, b) && !ground(b, a)
    };
    all.iter().all(|(a, own)| {
        all.iter()
            .filter(|(b, _)| apart(*a, *b))
            .all(|(_, other)| own.iter().all(|x| other.iter().all(|y| super::commute(&world.catalog, x, y))))
    })
}

/// Without contradictions, every order that keeps the requirements gives the same meant state.
fn any_order_means_the_same(world: &World) {
    let (state, all) = meant(world);
    // where parents count as they are when the child is loaded, the order is what matters
    let early = world.catalog.rulebook.kinds().any(|(_, kind)| kind.early);
    if early || !all_commute(world, &all) {
        return;
    }
    let wanted = shows(&state, world);
    for order in orders(world) {
        let other = first_other(&shows(&meant_in(world, &all, &order), world), &wanted);
        let told_all: Vec<String> = all.iter().map(|(id, own)| format!("{id:?}: {}", brief(world, own))).collect();
        assert_eq!(other, None, "{order:?}\n{}\n{}", told_all.join("\n"), told(world));
    }
}

/// Every intent that no other one contradicts holds in what is meant, or is told as left hanging.
fn no_intent_is_lost(world: &World) {
    let catalog = &world.catalog;
    let (state, all) = meant(world);
    let early = catalog.rulebook.kinds().any(|(_, kind)| kind.early);
    let hanging: Vec<String> =
        clashes(world).hanging.iter().map(|lost| brief(world, std::slice::from_ref(&lost.by.1))).collect();
    for (layer, own) in &all {
        for (nth, change) in own.iter().enumerate() {
            let others = all.iter().flat_map(|(other, own)| own.iter().enumerate().map(move |(at, y)| (*other, at, y)));
            let mut others = others.filter(|(other, at, _)| (other, *at) != (layer, nth));
            if others.any(|(_, _, y)| !super::commute(catalog, change, y)) {
                continue;
            }
            let cells = state.cells(change.at);
            let cell =
                |path: &crate::document::FieldPath| cells.as_ref().and_then(|cells| cells.get(&path.to_string()));
            let holds = match &change.op {
                ChangeOp::Set(value) => cell(&change.path).map_or_else(
                    // a table is its fields; what names a parent is not copied
                    || matches!(value, Draft::Table(_)),
                    |cell| super::cells::same_draft(catalog, &cell.value, value, cell.ty),
                ),
                ChangeOp::Join(_) => cell(&change.spot(catalog)).is_some(),
                ChangeOp::Part(_) => cell(&change.spot(catalog)).is_none(),
                ChangeOp::Delete => cells.is_none(),
                ChangeOp::Exists | ChangeOp::Define(_) => cells.is_some(),
                ChangeOp::Hide => cell(&change.path).is_none(),
                // what a factor is of hangs on when its definition is loaded
                ChangeOp::Scale(_) if early => true,
                ChangeOp::Scale(by) => scaled(world, &all, (*layer, nth), *by),
                ChangeOp::Unset | ChangeOp::Shift(_) => true,
            };
            let told_of = hanging.contains(&brief(world, std::slice::from_ref(change)));
            assert!(holds || told_of, "{layer:?} {}\n{}", brief(world, std::slice::from_ref(change)), told(world));
        }
    }
}

/// Whether a factor is in the chain of its value: without it, the value is as much smaller.
fn scaled(
    world: &World,
    all: &[(LayerId, Vec<super::Change>)],
    (layer, nth): (LayerId, usize),
    by: rust_decimal::Decimal,
) -> bool {
    let Some(change) = all.iter().find(|(other, _)| *other == layer).and_then(|(_, own)| own.get(nth)).cloned() else {
        return false;
    };
    let without: Vec<_> = all
        .iter()
        .map(|(other, own)| {
            let kept = own.iter().enumerate().filter(|(at, _)| (*other, *at) != (layer, nth));
            (*other, kept.map(|(_, change)| change.clone()).collect())
        })
        .collect();
    let number = |state: &State<'_>| {
        let cells = state.cells(change.at)?;
        match &cells.get(&change.path.to_string())?.value {
            Draft::Number(number) => number.decimal(),
            _ => None,
        }
    };
    let order = mods(world);
    let (with, less) = (number(&meant_in(world, all, &order)), number(&meant_in(world, &without, &order)));
    match (with, less) {
        // shifts that come before the factor are scaled with it, those after it are not
        (Some(with), Some(less)) => with != less || by == rust_decimal::Decimal::ONE || less.is_zero(),
        // over a default, or over nothing
        (_, None) => true,
        (None, Some(_)) => false,
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, rng_seed: RngSeed::Fixed(19), ..ProptestConfig::default() })]

    #[test]
    fn a_difference_is_enough_and_no_more(seed in 1u64..u64::MAX) {
        difference_holds(&collection(seed, game_of(seed)));
    }

    #[test]
    fn what_a_layer_means_gives_what_it_ships(seed in 1u64..u64::MAX) {
        intents_are_faithful(&collection(seed, game_of(seed)));
    }

    #[test]
    fn what_is_undone_is_told(seed in 1u64..u64::MAX) {
        nothing_is_lost_without_a_name(&collection(seed, game_of(seed)));
    }

    #[test]
    fn the_order_makes_no_difference_without_contradictions(seed in 1u64..u64::MAX) {
        any_order_means_the_same(&collection(seed, game_of(seed)));
    }

    #[test]
    fn every_intent_that_nothing_contradicts_holds(seed in 1u64..u64::MAX) {
        no_intent_is_lost(&collection(seed, game_of(seed)));
    }

    #[test]
    fn where_kinds_merge_and_nothing_contradicts_all_that_is_meant_shows(seed in 1u64..u64::MAX) {
        what_is_meant_shows(seed);
    }
}

/// In kinds that merge, with lists that are joined and plain values only, nothing but contradictions keeps what is
/// meant from showing.
fn what_is_meant_shows(seed: u64) {
    let world = collection(seed, PLAIN);
    if clashes(&world).contradictions.is_empty() {
        let (state, _) = meant(&world);
        let other = first_other(&shows(&state, &world), &shows(&State::of(world.view()), &world));
        assert_eq!(other, None, "{}", told(&world));
    }
}

#[test]
fn collections_that_once_broke_a_law_keep_it() {
    let removing = Game { removing: true, ..FREE };
    let shadowing = Game { shadowing: true, ..FREE };
    let early = Game { early: true, ..FREE };
    let native = Game { native: true, ..FREE };
    for (seed, game) in [
        (1436114115691256320, FREE),
        (7874674614474307076, FREE),
        (11418614375209381715, FREE),
        (16628824876950233108, FREE),
        (1041525812612286818, FREE),
        (13099462982940350363, FREE),
        (14762804858427687940, FREE),
        (14855499724167014225, FREE),
        (2854851131448462664, removing),
        (3454784904843815740, removing),
        (14762804858427687940, shadowing),
        (3432902615364118057, early),
        (15654347227691136489, early),
        (2854851131448462664, native),
        (14762804858427687940, native),
    ] {
        let world = collection(seed, game);
        for (_, holds) in LAWS {
            holds(&world);
        }
        what_is_meant_shows(seed);
    }
}

type Law = fn(&World);

/// The laws that hold of every collection.
const LAWS: [(&str, Law); 5] = [
    ("difference", difference_holds),
    ("faithful", intents_are_faithful),
    ("culprit", nothing_is_lost_without_a_name),
    ("any order", any_order_means_the_same),
    ("not lost", no_intent_is_lost),
];

/// Far more collections than the tests above try; takes minutes. The shortest that breaks a law is shown.
#[test]
#[ignore = "minutes: cargo test -p cognomen-core --release -- --ignored thousands"]
fn thousands_of_collections_keep_the_laws() {
    let games = [
        ("free", FREE),
        ("removing", Game { removing: true, ..FREE }),
        ("shadowing", Game { shadowing: true, ..FREE }),
        ("early", Game { early: true, ..FREE }),
        ("native", Game { native: true, ..FREE }),
    ];
    let mut broken = Vec::new();
    for (name, game) in games {
        for (law, holds) in LAWS {
            let mut shortest: Option<(usize, u64, String)> = None;
            let mut count = 0;
            for nth in 1..=4000u64 {
                let seed = nth.wrapping_mul(0x9E37_79B9_7F4A_7C15);
                let world = collection(seed, game);
                let tried = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| holds(&world)));
                if let Err(panic) = tried {
                    count += 1;
                    let len = told(&world).len();
                    if shortest.as_ref().is_none_or(|(known, ..)| len < *known) {
                        shortest = Some((len, seed, panic.downcast_ref::<String>().cloned().unwrap_or_default()));
                    }
                }
            }
            if let Some((_, seed, text)) = shortest {
                broken.push(format!("=== {name}, {law}: {count} of 4000, shortest {seed}\n{text}"));
            }
        }
    }
    assert!(broken.is_empty(), "{}", broken.join("\n"));
}
