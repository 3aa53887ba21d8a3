//! Faults in games made by chance: each is told where it is, to whom it belongs, and nothing else is.

use std::collections::BTreeMap;

use rayon::prelude::*;

use super::games::{Game, shown_files};
use super::sessions::Session;
use crate::plant::{Bed, Planted};

/// What is wrong with what is told of some faults in one game, by class.
fn tried(seed: u64) -> (usize, Vec<(&'static str, String)>) {
    let mut dice = super::dice(seed);
    let game = Game::roll(&mut dice);
    let mut session = Session::new(game, &mut dice);
    for _ in 0..dice.roll(5) + 2 {
        session.step(&mut dice);
    }
    let source = session.source();
    let bed = Bed::new(source).unwrap();
    let class = std::env::var("COGNOMEN_CLASS").ok();
    let planted: Vec<Planted> = (1..9).filter_map(|nth| bed.plant(seed * 8 + nth, class.as_deref())).collect();
    // where what lies below is at fault, an amendment of that may find nothing, or reckon with it
    let follows = |line: &String| {
        let codes = ["amends-nothing", "amendment-without-effect", "amendment-fault", "field-lacking", "out-of-range"];
        line.starts_with("mods/yard/amendments/") && codes.iter().any(|code| line.contains(code))
    };
    let is_well = |planted: &&Planted| {
        // what the mod takes away is now named by one that it does not stand on
        let required = planted.class.starts_with("requirement");
        let follows = |line: &String| match planted.layer.as_str() {
            "yard" => required && (follows(line) || line.contains("target-removed")),
            _ => follows(line),
        };
        planted.found && planted.of_layer && planted.also.iter().all(follows)
    };
    let wrong = planted.iter().filter(|planted| !is_well(planted)).map(|planted| {
        let what = match (planted.found, planted.of_layer) {
            (false, _) => "not told",
            (_, false) => "told to others",
            _ => "told with more",
        };
        let mut after = source.clone();
        for path in &planted.gone {
            after.take(path);
        }
        for (path, bytes) in &planted.files {
            after.put(path, bytes.clone());
        }
        let (path, first, last) = &planted.at;
        let also = planted.also.iter().take(4).map(|line| format!("\n    {line}")).collect::<String>();
        let line = format!("seed {seed}\n  {}: {what} at {path}:{first}-{last}{also}\n", planted.layer);
        (planted.class, line + &shown_files(&after))
    });
    (planted.len(), wrong.collect())
}

#[test]
fn faults_are_told_where_they_are_and_nothing_else_is() {
    let all: Vec<_> = super::seeds(60).into_par_iter().map(tried).collect();
    let planted: usize = all.iter().map(|(planted, _)| planted).sum();
    let mut by_class: BTreeMap<&str, Vec<&String>> = BTreeMap::new();
    for (class, line) in all.iter().flat_map(|(_, wrong)| wrong) {
        by_class.entry(class).or_default().push(line);
    }
    let numbers: Vec<String> = by_class.iter().map(|(class, all)| format!("{:>5}  {class}", all.len())).collect();
    let firsts: Vec<String> = by_class.iter().map(|(class, all)| format!("{class}\n{}", all[0])).collect();
    assert!(by_class.is_empty(), "{planted} planted\n{}\n{}", numbers.join("\n"), firsts.join("\n"));
}
