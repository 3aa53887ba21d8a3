//! Faults in games made by chance: each is told where it is, to whom it belongs, and nothing else is.

use std::collections::BTreeMap;

use rayon::prelude::*;

use super::by_hand::{put_sheet, take};
use super::games::shown_files;
use super::sessions::Session;
use super::{load, opened};
use crate::author::mend;
use crate::check::{check, check_watched};
use crate::effective::World;
use crate::plant::{Bed, Planted};
use crate::rulebook::Severity;
use crate::source::{MemorySource, Source, sheet_in};

/// What is wrong with what is told of some faults in one game, by class.
fn tried(seed: u64) -> (usize, Vec<(&'static str, String)>) {
    let session = Session::worked(seed, (2, 5));
    let source = session.source();
    let read = opened(source);
    let bed = Bed::new(&read).unwrap();
    let class = std::env::var("COGNOMEN_CLASS").ok();
    let planted: Vec<Planted> = (1..9).filter_map(|nth| bed.plant(seed * 8 + nth, class.as_deref())).collect();
    // where what lies below is at fault, an amendment of that may find nothing, or reckon with it
    let follows = |line: &String| {
        let codes = [
            "amends-nothing",
            "amendment-without-effect",
            "amendment-fault",
            "field-lacking",
            "out-of-range",
            "change-undone",
        ];
        line.starts_with("mods/yard/amendments/") && codes.iter().any(|code| line.contains(code))
    };
    let is_well = |planted: &&Planted| {
        // what the mod takes away is now named by one that it does not stand on
        let required = planted.class.starts_with("requirement");
        let follows = |line: &String| match planted.layer.as_str() {
            "yard" => {
                let said = ["target-removed", "repeats-inherited"].iter().any(|code| line.contains(code));
                // what has no text has none in another file either
                required && (follows(line) || said)
                    || planted.class.starts_with("definition twice") && line.contains("text-lacking")
            }
            _ => follows(line),
        };
        planted.found && planted.of_layer && planted.also.iter().all(follows)
    };
    let wrong = planted.iter().filter(|planted| !is_well(planted)).map(|planted| {
        let what = planted.outcome();
        let after = with(source, planted);
        let (path, first, last) = &planted.at;
        let also = planted.also.iter().take(4).map(|line| format!("\n    {line}")).collect::<String>();
        let line = format!("seed {seed}\n  {}: {what} at {path}:{first}-{last}{also}\n", planted.layer);
        (planted.class, line + &shown_files(&after))
    });
    (planted.len(), wrong.collect())
}

/// A workspace with a fault.
pub(super) fn with(source: &MemorySource, planted: &Planted) -> MemorySource {
    let mut after = source.clone();
    for path in &planted.gone {
        after.take(path);
    }
    for (path, bytes) in &planted.files {
        match sheet_in(path) {
            Some((book, sheet)) => {
                let text = |bytes: &[u8]| String::from_utf8(bytes.to_vec()).unwrap();
                let before = text(&opened(source).read(path).unwrap_or_default());
                put_sheet(&mut after, (book, sheet), (&before, &text(bytes)));
            }
            None => after.put(path, bytes.clone()),
        }
    }
    after
}

/// What is wrong with what comes of slips of the mod that are mended without anybody being asked.
fn mended(seed: u64) -> (usize, Vec<(&'static str, String)>) {
    let session = Session::worked(seed, (2, 5));
    // what is told without a slip is mended before
    let mut clean = session.source().clone();
    let world = load(&clean).unwrap();
    let layer = world.catalog().layer_named("yard").unwrap();
    let report = check_watched(&world, false, &|_, _| {});
    let fixed = mend(&opened(&clean), &world, &report, layer, &|_, _| true).unwrap();
    take(&mut clean, &fixed.changes);
    let source = &clean;
    let read = opened(source);
    let bed = Bed::new(&read).unwrap();
    let (mut done, mut wrong) = (0, Vec::new());
    for planted in (1..9).filter_map(|nth| bed.plant(seed * 8 + nth, None)).filter(|made| made.layer == "yard") {
        let ill = with(source, &planted);
        let world = load(&ill).unwrap();
        let Some(layer) = world.catalog().layer_named("yard") else { continue };
        let report = check_watched(&world, false, &|_, _| {});
        let Ok(fixed) = mend(&opened(&ill), &world, &report, layer, &|_, _| true) else { continue };
        if fixed.mended.is_empty() {
            continue;
        }
        done += 1;
        let mut after = ill.clone();
        take(&mut after, &fixed.changes);
        let slip = ["misspelt", "in other letters"].iter().any(|word| planted.class.ends_with(word));
        // a column of its own for one row stays, with nothing in it
        let of_rows = planted.class.starts_with("field") && planted.files.iter().any(|(path, _)| path.ends_with("csv"));
        let again = load(&after).unwrap();
        let errors = |world: &World| check(world).iter().filter(|f| f.severity == Severity::Error).count();
        let told: Vec<&str> = fixed.mended.iter().map(|one| one.what.as_str()).collect();
        let what = match () {
            () if slip && !of_rows && after.files() != source.files() => "the files are otherwise than before the slip",
            () if errors(&again) > errors(&world) => "there are more errors",
            () => continue,
        };
        let line = format!("seed {seed}\n  {}: {what}: {told:?}\n", planted.class);
        wrong.push((planted.class, line + &shown_files(&ill) + ">>> mended\n" + &shown_files(&after)));
    }
    (done, wrong)
}

#[test]
fn slips_are_mended_to_what_was_meant() {
    let all: Vec<_> = super::seeds(100).into_par_iter().map(mended).collect();
    let done: usize = all.iter().map(|(done, _)| done).sum();
    summed_up(&format!("{done} mended"), &all);
    assert!(done > 10, "only {done} were mended");
}

#[test]
fn faults_are_told_where_they_are_and_nothing_else_is() {
    let all: Vec<_> = super::seeds(60).into_par_iter().map(tried).collect();
    let planted: usize = all.iter().map(|(planted, _)| planted).sum();
    eprintln!("{planted} planted");
    summed_up(&format!("{planted} planted"), &all);
}

fn summed_up(of: &str, all: &[(usize, Vec<(&'static str, String)>)]) {
    let mut by_class: BTreeMap<&str, Vec<&String>> = BTreeMap::new();
    for (class, line) in all.iter().flat_map(|(_, wrong)| wrong) {
        by_class.entry(class).or_default().push(line);
    }
    let numbers: Vec<String> = by_class.iter().map(|(class, all)| format!("{:>5}  {class}", all.len())).collect();
    let firsts: Vec<String> = by_class.iter().map(|(class, all)| format!("{class}\n{}", all[0])).collect();
    assert!(by_class.is_empty(), "{of}\n{}\n{}", numbers.join("\n"), firsts.join("\n"));
}
