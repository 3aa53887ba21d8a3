//! What shows, or stands in sheets, is typed for other definitions by chance, and shows there.

use rayon::prelude::*;

use super::games::Game;
use super::load;
use super::sessions::Session;
use crate::author::{Assignment, SetOptions, row_assignments, set, sheet_columns, sheet_row};
use crate::dice::Dice;
use crate::document::{Draft, FieldPath, Format, Notation, whole};
use crate::effective::{World, same};
use crate::names::Names;

/// A value as a person types it: single ones as words, others as JSON.
fn typed(value: &Draft) -> String {
    match value.word() {
        Some(word) => word,
        None => whole(&Notation::from(Format::Json), &[], value, &Names::default()).unwrap().replace('\n', " "),
    }
}

/// What shows somewhere, so that `check` takes it, is taken by `set` for the same field elsewhere, and shows there.
#[test]
fn what_shows_can_be_set() {
    let wrong: Vec<String> = (1..60u64).into_par_iter().flat_map_iter(taken_over).collect();
    assert!(wrong.is_empty(), "{}: {}", wrong.len(), wrong.iter().take(3).cloned().collect::<Vec<_>>().join("\n"));
}

/// What a sheet says of one definition is taken for another, and its sheet says the same then; what it says of itself
/// changes nothing.
#[test]
fn cells_of_sheets_are_taken_back() {
    let wrong: Vec<String> = (1..80u64).into_par_iter().flat_map_iter(from_sheets).collect();
    assert!(wrong.is_empty(), "{}: {}", wrong.len(), wrong.iter().take(3).cloned().collect::<Vec<_>>().join("\n"));
}

fn from_sheets(seed: u64) -> Vec<String> {
    let mut dice = Dice::seeded(seed);
    let game = Game::roll(&mut dice);
    let session = Session::new(game, &mut dice);
    let (world, layer, kind) = session.world();
    let columns = sheet_columns(&world, layer, kind, &[]).unwrap();
    let row = |world: &World, word: &str| {
        let at = world.catalog().address(kind, &session.game.id(word)).unwrap();
        sheet_row(&world.with_ground(layer), at, &columns)
    };
    let mut wrong = Vec::new();
    for (from, to) in [("reed", "sedge"), ("peat", "peat")] {
        let cells = row(&world, from);
        for (nth, (column, cell)) in columns.iter().zip(&cells).enumerate() {
            let name = column.path.to_string();
            // the word that tells which fields there are comes with these
            let told_by_word = name.starts_with("home.") || name == "title.many";
            let passed = ["id", "@id", "fam", "var", "sort", "like", "gone"];
            if cell.text.is_empty() || told_by_word || passed.contains(&name.as_str()) {
                continue;
            }
            let mut world = load(session.source()).unwrap();
            let cells = [(column, cell.text.as_str())];
            let assignments = row_assignments(&world.catalog, kind, &cells, &[0]).unwrap();
            let id = session.game.id(to);
            let options = SetOptions { layer, kind, id: id.clone(), assignments, why: None, at_anchor: false };
            let said = format!("seed {seed}: {name} of {id}: {:?}", cell.text);
            match set(&mut world, &options) {
                Err(error) if error.to_string().contains("no notation for this change") => {}
                Err(error) if session.game.joined && error.to_string().contains(" all the same, as ") => {}
                Err(error) => wrong.push(format!("{said}: {error}\n{:?}", session.game)),
                Ok(report) if from == to && !report.changes.files.is_empty() => {
                    let changed: Vec<_> = report.changed.iter().map(|one| one.path.to_string()).collect();
                    wrong.push(format!("{said}: {changed:?} changes\n{:?}", session.game));
                }
                Ok(_) => {
                    let shown = row(&world, to).get(nth).map(|cell| cell.text.clone());
                    // what is joined with the base's comes in its order, which means nothing
                    let sorted = |text: &String| {
                        let mut words: Vec<String> = text.split([',', ' ']).map(str::to_owned).collect();
                        words.sort_unstable();
                        words
                    };
                    if shown.as_ref().map(sorted) != Some(sorted(&cell.text)) {
                        wrong.push(format!("{said}: {shown:?} then\n{:?}", session.game));
                    }
                }
            }
        }
    }
    wrong
}

fn taken_over(seed: u64) -> Vec<String> {
    let mut dice = Dice::seeded(seed);
    let game = Game::roll(&mut dice);
    let session = Session::new(game, &mut dice);
    let (world, layer, kind) = session.world();
    let catalog = world.catalog();
    let at = |word: &str| catalog.address(kind, &session.game.id(word)).unwrap();
    let view = world.with_ground(layer);
    let mut wrong = Vec::new();
    for (from, to) in [("reed", "sedge"), ("alder", "peat")] {
        let Draft::Table(fields) = view.effective(at(from)).unwrap().value.draft(catalog) else { continue };
        for (field, value) in fields {
            if ["id", "@id", "fam", "var", "sort", "like"].contains(&field.as_str()) || value == Draft::Null {
                continue;
            }
            let line = format!("{field}={}", typed(&value));
            let mut world = load(session.source()).unwrap();
            let id = session.game.id(to);
            let assignments = vec![Assignment::parse(&line).unwrap()];
            let options = SetOptions { layer, kind, id: id.clone(), assignments, why: None, at_anchor: false };
            let refused = match set(&mut world, &options) {
                // what is joined with the base's keeps the base's entries, as a map does, which is told
                Err(error) if error.to_string().contains("no notation for this change") => continue,
                Err(error)
                    if (session.game.joined || field == "feeds") && error.to_string().contains(" all the same")
                        // what merges keeps the fields that another word told
                        || session.game.again == "merge" && field == "home" =>
                {
                    continue;
                }
                Err(error) => error.to_string(),
                Ok(_) => {
                    let at = world.catalog().address(kind, &id).unwrap();
                    let effective = world.with_ground(layer).effective(at).unwrap();
                    let shows =
                        effective.get(world.catalog(), &FieldPath::key(&field)).map(|v| v.draft(world.catalog()));
                    let root = world.catalog().rulebook().kind(kind).root;
                    let ty = effective.type_at(world.catalog(), &FieldPath::key(&field)).unwrap_or(root);
                    match shows {
                        Some(shows) if same(&shows, &value, ty, world.catalog().rulebook(), &world.catalog().names) => {
                            continue;
                        }
                        shows => format!("{shows:?} shows"),
                    }
                }
            };
            wrong.push(format!("seed {seed}: set {id} {line}: {refused}\n{:?}", session.game));
        }
    }
    wrong
}
