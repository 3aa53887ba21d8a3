//! A fragment of a game by chance, pasted, shows what it shows in a file of its own.

use rayon::prelude::*;

use super::games::{Cut, Game, shown_files};
use super::{load, take};
use crate::author::{PasteError, paste};
use crate::check::check;
use crate::dice::Dice;
use crate::document::Draft;
use crate::effective::same;
use crate::rulebook::Severity;
use crate::source::{FileChange, MemorySource};

/// What the mod shows of the new definition.
fn shown(source: &MemorySource, id: &str) -> Option<Draft> {
    let world = load(source).unwrap();
    let catalog = world.catalog();
    let layer = catalog.layer_named("yard").unwrap();
    let at = catalog.address(catalog.rulebook().kind_named("good").unwrap(), id)?;
    Some(world.with_ground(layer).effective(at)?.value.draft(catalog))
}

fn tried(seed: u64) -> Option<String> {
    let mut dice = Dice::seeded(seed);
    let game = Game::roll(&mut dice);
    let mut source = game.source(&mut dice);
    let new = [("more".to_owned(), game.definition("more", &mut dice))];
    let (path, text) = game.files(&new).into_iter().next()?;
    if game.shadows || game.cut == Cut::Block {
        return None;
    }
    let id = game.id("more");
    let mut beside = source.clone();
    beside.put(&format!("mods/yard/{path}"), text.clone());
    let wanted = shown(&beside, &id);
    let mut world = load(&source).unwrap();
    let layer = world.catalog().layer_named("yard").unwrap();
    let kind = world.catalog().rulebook().kind_named("good").unwrap();
    let given = dice.chance(50) || matches!(game.cut, Cut::Whole);
    let told =
        |wrong: String| Some(format!("seed {seed} {given}\n  {wrong}\n{game:?}\n>>> {text}\n{}", shown_files(&beside)));
    let report = match paste(&mut world, layer, kind, Some(id.as_str()).filter(|_| given), &text) {
        Ok(report) => report,
        Err(PasteError::Faults(faults)) => {
            return told(
                faults.iter().map(|fault| format!("{:?} {} {:?}", fault.line, fault.message, fault.help)).collect(),
            );
        }
        Err(error) => return told(error.to_string()),
    };
    let goes = |change: &&FileChange| matches!(change, FileChange::Delete { .. } | FileChange::Move { .. });
    if let Some(gone) = report.changes.files.iter().find(goes) {
        return told(format!("{} goes", gone.path()));
    }
    take(&mut source, &report.changes);
    let shows = shown(&source, &id);
    let catalog = world.catalog();
    let is_same = match (&wanted, &shows) {
        (Some(a), Some(b)) => same(a, b, catalog.rulebook.kind(kind).root, &catalog.rulebook, &catalog.names),
        _ => false,
    };
    if !is_same {
        return told(format!("{wanted:?} in a file of its own, {shows:?} pasted\n{}", shown_files(&source)));
    }
    let world = load(&source).unwrap();
    let error = check(&world).into_iter().find(|finding| finding.severity == Severity::Error);
    error.and_then(|finding| told(format!("{}: {}", finding.code, finding.message)))
}

#[test]
fn what_is_pasted_shows_as_in_a_file_of_its_own() {
    let seeds = super::seeds(100);
    let count = seeds.end - seeds.start;
    let wrong: Vec<String> = seeds.into_par_iter().filter_map(tried).collect();
    let first: Vec<&str> = wrong.iter().take(3).map(String::as_str).collect();
    assert!(wrong.is_empty(), "{} of {count}\n{}", wrong.len(), first.join("\n\n"));
}
