//! Another id for a mod, in games by chance: what shows stays, and the old id again gives the old bytes.

use std::collections::BTreeMap;

use rayon::prelude::*;

use super::by_hand::take;
use super::games::shown_files;
use super::sessions::Session;
use super::{load, opened};
use crate::author::rename_mod;
use crate::catalog::LayerId;
use crate::effective::World;
use crate::source::MemorySource;

/// What a layer's view shows, by address; ids that are made of the mod's are as if it were called `id`.
fn shown(world: &World, layer: LayerId, id: &str) -> BTreeMap<String, String> {
    let (catalog, view) = (world.catalog(), world.with_ground(layer));
    let own = |text: String| text.replace(&format!("{}:", catalog.layer(layer).id), &format!("{id}:"));
    let one = |at| {
        let value = view.effective(at)?.whole(catalog).draft(catalog);
        Some((own(catalog.show_address(at)), own(value.short())))
    };
    view.standing().into_iter().filter_map(one).collect()
}

/// The workspace after a mod of it was given another id; nothing where that is refused.
fn called(source: &MemorySource, old: &str, new: &str) -> Result<MemorySource, String> {
    let world = load(source).map_err(|error| error.to_string())?;
    let layer = world.catalog().layer_named(old).ok_or_else(|| format!("there is no `{old}`"))?;
    let report = rename_mod(&opened(source), &world, layer, new, false).map_err(|error| error.to_string())?;
    let mut after = source.clone();
    take(&mut after, &report.changes);
    Ok(after)
}

fn tried(seed: u64) -> Option<String> {
    let session = Session::worked(seed, (2, 5));
    let (world, layer, _) = session.world();
    let wrong = match called(session.source(), "yard", "moor") {
        Err(error) => format!("refused: {error}"),
        Ok(after) => {
            let again = load(&after).unwrap();
            let moor = again.catalog().layer_named("moor").map(|moor| shown(&again, moor, "moor"));
            let same = moor == Some(shown(&world, layer, "moor"));
            let back = called(&after, "moor", "yard");
            match back {
                Err(error) => format!("not called as before: {error}"),
                Ok(back) if back.files() != session.source().files() => "other bytes".to_owned(),
                Ok(_) if !same => "other values".to_owned(),
                Ok(_) => return None,
            }
        }
    };
    Some(format!("seed {seed}: {wrong}\n{}", shown_files(session.source())))
}

#[test]
fn a_mod_with_another_id_shows_the_same() {
    let wrong: Vec<String> = super::seeds(60).into_par_iter().filter_map(tried).collect();
    let shown: Vec<&str> = wrong.iter().take(2).map(String::as_str).collect();
    assert!(wrong.is_empty(), "{}\n{}", wrong.len(), shown.join("\n\n"));
}
