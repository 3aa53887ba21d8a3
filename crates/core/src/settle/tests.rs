//! The laws of what layers mean, on random collections.

mod collection;

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;
use proptest::test_runner::RngSeed;

use collection::{FREE, Game, PLAIN, collection, game_of};

use super::apply::State;
use super::cells::{Cells, Sort};
use super::{ChangeOp, clashes, difference, intents, meant};
use crate::catalog::{Address, LayerId};
use crate::document::{Draft, FieldPath};
use crate::effective::World;
use crate::rulebook::TypeId;

fn all(world: &World) -> Vec<Address> {
    world.catalog.addresses()
}

/// What shows of everything, without where it comes from.
fn shows(state: &State<'_>, world: &World) -> BTreeMap<String, Vec<String>> {
    let line = |cells: Cells| {
        // a flattened copy keeps the parent that it does not name
        let cells = cells.into_iter().filter(|(key, _)| key != "like");
        let ordered = |key: &str, value: Draft| match value {
            // a bag has no order
            Draft::List(mut items) if key == "bag" => {
                items.sort_by_key(Draft::short);
                Draft::List(items)
            }
            other => other,
        };
        let cells = cells.map(|(key, cell)| {
            let value = ordered(&key, cell.value);
            (key, cell.sort, value)
        });
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
            let near: Vec<Address> = all(world)
                .into_iter()
                .filter(|at| world.catalog.show_address(*at) == *address)
                .flat_map(|at| super::family(&world.catalog, at))
                .collect();
            let told_of = found.undone.iter().any(|lost| near.contains(&lost.at))
                || found.contradictions.iter().any(|clash| near.contains(&clash.first.1.at))
                || found.hanging.iter().any(|lost| near.contains(&lost.by.1.at));
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

/// What is shown, whatever the order in which several mods append to one list.
fn unordered(
    all: &[(LayerId, Vec<super::Change>)],
    mut shown: BTreeMap<String, Vec<String>>,
) -> BTreeMap<String, Vec<String>> {
    let appended = all.iter().flat_map(|(_, own)| own).filter(|change| matches!(change.op, ChangeOp::Append(_)));
    let lists: BTreeSet<String> = appended.map(|change| change.path.to_string()).collect();
    for line in shown.values_mut().flatten() {
        if let Some((list, entries)) = line.split_once(" [").filter(|(list, _)| lists.contains(*list)) {
            let mut depth = 0;
            let ends = |sign: char| {
                depth += i32::from("[{".contains(sign)) - i32::from("]}".contains(sign));
                sign == ',' && depth == 0
            };
            let mut entries: Vec<&str> =
                entries.strip_suffix(']').unwrap_or(entries).split(ends).map(str::trim).collect();
            entries.sort_unstable();
            *line = format!("{list} [{}]", entries.join(", "));
        }
    }
    shown
}

/// Without contradictions, every order that keeps the requirements gives the same meant state.
fn any_order_means_the_same(world: &World) {
    let (state, all) = meant(world);
    // where parents count as they are when the child is loaded, the order is what matters
    let early = world.catalog.rulebook.binds_early();
    if early || !all_commute(world, &all) {
        return;
    }
    let wanted = unordered(&all, shows(&state, world));
    for order in orders(world) {
        let other = first_other(&unordered(&all, shows(&meant_in(world, &all, &order), world)), &wanted);
        let told_all: Vec<String> = all.iter().map(|(id, own)| format!("{id:?}: {}", brief(world, own))).collect();
        assert_eq!(other, None, "{order:?}\n{}\n{}", told_all.join("\n"), told(world));
    }
}

/// Every intent that no other one contradicts holds in what is meant, or is told as left hanging.
fn no_intent_is_lost(world: &World) {
    let catalog = &world.catalog;
    let (state, all) = meant(world);
    let early = catalog.rulebook.binds_early();
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
            // a list that is one value holds what lies in it
            let cell = |path: &FieldPath| -> Option<(Draft, Option<TypeId>)> {
                let cells = cells.as_ref()?;
                (0..=path.steps().len()).rev().find_map(|most| {
                    let cell = cells.get(&path.take(most).to_string())?;
                    let value = cell.value.at(&path.skip(most))?;
                    Some((value.clone(), cell.ty.filter(|_| most == path.steps().len())))
                })
            };
            let holds = match &change.op {
                ChangeOp::Set(value) => cell(&change.path).map_or_else(
                    // a table is its fields; what names a parent is not copied; nothing shows no more
                    || matches!(value, Draft::Table(_) | Draft::Null),
                    |(there, ty)| super::cells::same_draft(catalog, &there, value, ty),
                ),
                // of a bag, equal entries that others take out are not this one
                ChangeOp::Part(_) if change.path.to_string() == "bag" => true,
                ChangeOp::Join(entry) if change.path.to_string() == "bag" => cell(&change.path)
                    .is_some_and(|(value, _)| matches!(&value, Draft::List(all) if all.contains(entry))),
                ChangeOp::Join(_) => cell(&change.spot(catalog)).is_some(),
                ChangeOp::Part(_) => cell(&change.spot(catalog)).is_none(),
                ChangeOp::Delete => cells.is_none(),
                ChangeOp::Exists | ChangeOp::Define(_) => cells.is_some(),
                ChangeOp::Hide => cell(&change.path).is_none(),
                ChangeOp::Append(entries) => cell(&change.path).is_some_and(|(value, _)| match &value {
                    Draft::List(items) => entries.iter().all(|entry| items.contains(entry)),
                    _ => false,
                }),
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
        (1006119524482472517, FREE),
        (6274229748162464103, FREE),
        (7081435542516167432, FREE),
        (2726749977579322078, FREE),
        (12221444612327018432, removing),
        (4390091853066659655, removing),
        (9922762675314513478, removing),
        (15790806672389858140, shadowing),
        (12892190961982000110, early),
        (106218864389442903, native),
        (2334088225142319255, native),
        (14612821415078849671, native),
        (17816569720004919792, FREE),
        (17816569720004919792, early),
        (8283276214118363625, early),
    ] {
        let world = collection(seed, game);
        for (_, holds) in LAWS {
            holds(&world);
        }
        what_is_meant_shows(seed);
    }
}

pub(crate) type Law = fn(&World);

/// The laws that hold of every collection.
pub(crate) const LAWS: [(&str, Law); 5] = [
    ("difference", difference_holds),
    ("faithful", intents_are_faithful),
    ("culprit", nothing_is_lost_without_a_name),
    ("any order", any_order_means_the_same),
    ("not lost", no_intent_is_lost),
];

/// Far more collections than the tests above try; takes minutes. The shortest that breaks a law is
/// shown. Others than the usual ones: `COGNOMEN_START`, `COGNOMEN_COUNT`.
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
    let seeds = crate::trials::seeds(4000);
    let mut broken = Vec::new();
    for (name, game) in games {
        for (law, holds) in LAWS {
            let mut shortest: Option<(usize, u64, String)> = None;
            let mut count = 0;
            for nth in seeds.clone() {
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
                broken.push(format!("=== {name}, {law}: {count}, shortest {seed}\n{text}"));
            }
        }
    }
    assert!(broken.is_empty(), "{}", broken.join("\n"));
}
