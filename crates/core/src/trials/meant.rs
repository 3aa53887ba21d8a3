//! What two mods mean that were made apart from each other, in games by chance: the laws of intents hold in every
//! notation, of what is written by hand and of what is built; and what is told of each is what it adds to its ground,
//! also of what is at fault.

use std::panic::{AssertUnwindSafe, catch_unwind};

use rayon::prelude::*;

use super::built::with_built;
use super::games::{Game, shown_files};
use super::planted::with;
use super::sessions::Session;
use super::{load, opened};
use crate::check::tests::told_otherwise;
use crate::dice::Dice;
use crate::plant::Bed;
use crate::settle::{LAWS, meant};
use crate::ship::build;
use crate::source::MemorySource;

/// Two mods of one game, each made without the other; each is put there as it is or as it is built.
fn two_mods(seed: u64) -> Option<MemorySource> {
    let mut dice = Dice::seeded(seed);
    let game = Game::roll(&mut dice);
    // what counts beside others changes none of them
    if game.again == "variant" {
        return None;
    }
    let session = |dice: &mut Dice| {
        let mut session = Session::new(game.clone(), &mut Dice::seeded(seed));
        for _ in 0..dice.roll(5) + 1 {
            session.step(dice);
        }
        session
    };
    let (first, second) = (session(&mut dice), session(&mut dice));
    let shipped = |session: &Session, dice: &mut Dice| {
        let source = session.source().clone();
        if dice.chance(50) {
            return Some(source);
        }
        let (world, layer, _) = session.world();
        let built = build(&world, &opened(&source), layer).ok()?;
        Some(with_built(&source, "mods/yard", &built))
    };
    let mut both = shipped(&first, &mut dice)?;
    let other = shipped(&second, &mut dice)?;
    for (path, bytes) in other.files() {
        if let Some(below) = path.strip_prefix("mods/yard/") {
            let text = String::from_utf8(bytes.clone()).ok()?.replace("id = \"yard\"", "id = \"dale\"");
            let text = text.replace("yard:", "dale:");
            both.put(&format!("mods/dale/{below}"), text);
        }
    }
    Some(both)
}

/// How many layers of a seed's game mean something, and the laws that they break.
fn tried(seed: u64) -> Option<(usize, Option<String>)> {
    let source = two_mods(seed)?;
    let world = load(&source).ok()?;
    let meaning = meant(&world).1.iter().filter(|(_, means)| !means.is_empty()).count();
    let broken: Vec<String> = LAWS
        .iter()
        .filter_map(|(law, holds)| {
            let told = catch_unwind(AssertUnwindSafe(|| holds(&world))).err()?;
            let said = told.downcast_ref::<String>().cloned().unwrap_or_default();
            // without the files, which are shown below
            let (what, rest) = said.split_once("\n--- ").unwrap_or((&said, ""));
            let compared = rest.find("\n  left:").and_then(|at| rest.get(at..)).unwrap_or_default();
            Some(format!("  {law}: {what}{compared}"))
        })
        .collect();
    let wrong = (!broken.is_empty()).then(|| format!("seed {seed}\n{}\n{}", broken.join("\n"), shown_files(&source)));
    Some((meaning, wrong))
}

#[test]
fn two_mods_keep_the_laws() {
    let seeds = super::seeds(60);
    let count = seeds.end - seeds.start;
    let all: Vec<(usize, Option<String>)> = seeds.into_par_iter().filter_map(tried).collect();
    let both = all.iter().filter(|(meaning, _)| *meaning > 1).count();
    let mut wrong: Vec<String> = all.into_iter().filter_map(|(_, wrong)| wrong).collect();
    wrong.sort_by_key(String::len);
    let shown: Vec<&str> = wrong.iter().take(2).map(String::as_str).collect();
    assert!(wrong.is_empty(), "{} of {count}\n{}", wrong.len(), shown.join("\n\n"));
    assert!(both as u64 > count / 2, "only {both} of {count} have two mods that mean something");
}

/// Two mods with some faults in them, or in the base.
fn at_fault(seed: u64) -> Option<MemorySource> {
    let mut source = two_mods(seed)?;
    for nth in 0..1 + seed % 3 {
        let planted = Bed::new(&opened(&source)).ok()?.plant(seed * 8 + nth, None)?;
        // what another mod has lacks wherever that is not required by its name, which is told once
        if planted.class != "requirement misspelt" {
            source = with(&source, &planted);
        }
    }
    Some(source)
}

/// Where what is told of the mods of a seed is not what the law says.
fn told_wrong(seed: u64) -> Option<String> {
    let source = at_fault(seed)?;
    let world = load(&source).ok()?;
    let wrong = told_otherwise(&world);
    (!wrong.is_empty()).then(|| format!("seed {seed}\n  {}\n{}", wrong.join("\n  "), shown_files(&source)))
}

#[test]
fn each_is_told_what_it_adds_to_its_ground() {
    let seeds = super::seeds(60);
    let count = seeds.end - seeds.start;
    let mut wrong: Vec<String> = seeds.into_par_iter().filter_map(told_wrong).collect();
    wrong.sort_by_key(String::len);
    let brief = |wrong: &String| wrong.split("===").next().unwrap_or_default().to_owned();
    let shown: Vec<String> = wrong.iter().take(1).cloned().chain(wrong.iter().skip(1).take(9).map(brief)).collect();
    assert!(wrong.is_empty(), "{} of {count}\n{}", wrong.len(), shown.join("\n\n"));
}
