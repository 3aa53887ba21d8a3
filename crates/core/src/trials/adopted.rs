//! A copy of the base, edited in place by chance, becomes a mod with which the game shows what it shows with the copy.

use rayon::prelude::*;

use super::built_otherwise;
use super::games::{Game, IDS, Named, shown_files};
use super::{load, opened, take};
use crate::author::adopt;
use crate::check::check;
use crate::dice::Dice;
use crate::effective::shows_as;
use crate::rulebook::Severity;
use crate::source::{FileChange, MemorySource};

/// A base, and beside it a copy of which some definitions are others, one may be gone, and one may be new.
fn edited(game: &Game, dice: &mut Dice) -> MemorySource {
    let (mut source, mut made) = game.source_and_base(dice);
    let base: Vec<(String, Vec<u8>)> = source
        .files()
        .iter()
        .filter_map(|(path, bytes)| Some((path.strip_prefix("base/")?.to_owned(), bytes.clone())))
        .collect();
    base.into_iter().for_each(|(path, bytes)| source.put(&format!("copy/{path}"), bytes));
    let other = dice.of(&IDS);
    for (word, draft) in &mut made {
        if *word == other || word != "bog" && dice.chance(20) {
            *draft = game.definition(word, dice);
        }
    }
    if dice.chance(30) {
        let gone = dice.of(&["none", "sedge"]);
        source.take(&format!("copy/{}", game.path(gone)));
        made.retain(|(word, _)| word != gone);
    }
    if dice.chance(50) {
        made.push(("more".to_owned(), game.definition("more", dice)));
    }
    for (path, text) in game.files(&made) {
        source.put(&format!("copy/{path}"), text);
    }
    source
}

fn tried(seed: u64) -> Option<String> {
    let mut dice = Dice::seeded(seed);
    let game = Game::roll(&mut dice);
    let mut source = edited(&game, &mut dice);
    if (game.shadows || game.has_shapes()) && source.files().contains_key("mods/fen/mod.toml") {
        // a file of the mod hides that of the other, and has what that one brings; and what differs from the base in one
        // case lies over another case there
        return None;
    }
    // what is the base's in the copy has another id in the mod
    if game.named == Named::Owned {
        return None;
    }
    let before = shown_files(&source);
    let mut world = load(&source).unwrap();
    let layer = world.catalog().layer_named("yard").unwrap();
    let folders = ["copy".to_owned()];
    let told = |wrong: Vec<String>, source: &MemorySource| {
        (!wrong.is_empty())
            .then(|| format!("seed {seed}\n  {}\n{game:?}\n{before}\n>>>\n{}", wrong.join("\n  "), shown_files(source)))
    };
    let report = match adopt(&mut world, &opened(&source), layer, &folders) {
        Ok(report) => report,
        Err(error) => return told(vec![error.to_string()], &source),
    };
    let mut wrong = Vec::new();
    let goes = |change: &&FileChange| matches!(change, FileChange::Delete { .. } | FileChange::Move { .. });
    wrong.extend(report.changes.files.iter().filter(goes).map(|change| format!("{} goes", change.path())));
    take(&mut source, &report.changes);
    let after = load(&source).unwrap();
    let copy = after.with_base(&opened(&source), &folders).unwrap();
    let base = after.catalog().base();
    let (ours, theirs) = (after.view().of(base.with(layer)), copy.view().of(base));
    let left = report.left.iter().map(|(at, _)| at).chain(&report.gone);
    let left: Vec<String> = left.map(|at| world.catalog().show_address(*at)).collect();
    let mut all = ours.standing();
    all.extend(theirs.standing());
    for address in all.into_iter().filter(|address| !shows_as(&ours, &theirs, *address)) {
        let show = |view: &crate::effective::View<'_>| {
            view.effective(address).map(|shown| shown.value.draft(view.catalog).short())
        };
        let shown = after.catalog().show_address(address);
        if !left.contains(&shown) {
            wrong.push(format!("{shown}: {:?} in the copy, {:?} with the mod", show(&theirs), show(&ours)));
        }
    }
    for finding in check(&after).into_iter().filter(|finding| finding.severity == Severity::Error) {
        // what the copy took out and still names
        let gone = finding.message.to_string().contains(&game.bare(&game.id("sedge")));
        if finding.code != "target-removed" && !(finding.code == "leads-nowhere" && gone) {
            wrong.push(format!("{}: {}", finding.code, finding.message));
        }
    }
    if wrong.is_empty() {
        wrong = built_otherwise(&after, &opened(&source), after.catalog().layer_named("yard").unwrap());
    }
    told(wrong, &source)
}

#[test]
fn what_is_adopted_shows_as_the_copy_does() {
    let seeds = super::seeds(100);
    let count = seeds.end - seeds.start;
    let wrong: Vec<String> = seeds.into_par_iter().filter_map(tried).collect();
    assert!(
        wrong.is_empty(),
        "{} of {count}\n{}",
        wrong.len(),
        wrong.iter().take(2).cloned().collect::<Vec<_>>().join("\n\n")
    );
}
