//! What uses what in games by chance: said the same from both ends, and each use once.

use std::collections::BTreeMap;

use rayon::prelude::*;

use super::games::shown_files;
use super::load;
use super::sessions::Session;
use crate::catalog::Address;
use crate::look::{End, Link, LinkHow, LinksReport, Subject, links};

fn tried(seed: u64) -> (usize, Vec<String>) {
    let session = Session::worked(seed, (0, 4));
    let world = load(session.source()).unwrap();
    let catalog = world.catalog();
    let all: BTreeMap<Address, LinksReport> =
        world.view().standing().into_iter().map(|at| (at, links(&world, &Subject::Definition(at)))).collect();
    // who belongs to a group says so of itself, the group names it
    let how =
        |link: &Link| matches!(link.how, LinkHow::Inherits | LinkHow::Through(_)).then(|| format!("{:?}", link.how));
    let said = |link: &Link| (link.path.as_ref().map(ToString::to_string), how(link), link.place);
    let end = |link: &Link| match &link.end {
        End::Definition(at) => Some(*at),
        _ => None,
    };
    let (mut count, mut wrong) = (0, Vec::new());
    for (at, report) in &all {
        for (there, others) in [(&report.uses, true), (&report.used_by, false)] {
            for (nth, link) in there.iter().enumerate() {
                count += 1;
                let shown = || format!("{} {link:?}", catalog.show_address(*at));
                if there.iter().take(nth).any(|other| end(other) == end(link) && said(other) == said(link)) {
                    wrong.push(format!("twice: {}", shown()));
                }
                let Some(other) = end(link).and_then(|other| all.get(&other)) else { continue };
                let back = if others { &other.used_by } else { &other.uses };
                if !back.iter().any(|back| end(back) == Some(*at) && said(back) == said(link)) {
                    let word = if others { "is used, and does not say so" } else { "uses, and does not say so" };
                    let id = end(link).map(|at| catalog.show_address(at)).unwrap_or_default();
                    wrong.push(format!("`{id}` {word}: {}", shown()));
                }
            }
        }
    }
    if let Some(first) = wrong.first_mut() {
        *first = format!("seed {seed}\n  {first}\n{}", shown_files(session.source()));
    }
    (count, wrong)
}

#[test]
fn both_ends_say_the_same_of_every_use() {
    let all: Vec<_> = super::seeds(60).into_par_iter().map(tried).collect();
    let wrong: Vec<&String> = all.iter().flat_map(|(_, wrong)| wrong.first()).collect();
    assert!(wrong.is_empty(), "{}\n{}", wrong.len(), wrong[0]);
    let count: usize = all.iter().map(|(count, _)| count).sum();
    assert!(count > 100, "only {count} links");
}
