//! How a mod stands in the game's folder: what is there, whether it is what would be installed now, and whether the game
//! loads it.

use std::path::Path;

use super::build::BuildReport;
use super::enabled;
use super::install::{InstallError, Installation, Shipped, around, id_in, lacking, list_text, there, twins};
use crate::catalog::LayerId;
use crate::effective::World;
use crate::source::Stamp;

/// How a mod stands in a folder of the game.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Standing {
    /// Where it is or would be, below the game's folder.
    pub at: String,
    /// Whether it is there.
    pub installed: bool,
    /// Files that are not what would be installed now.
    pub older: Vec<String>,
    /// Other folders that hold the same mod.
    pub twins: Vec<String>,
    /// The list of mods that are loaded, and whether it is in it; nothing where the game has none.
    pub enabled: Option<(String, bool)>,
    /// Mods that it requires and that are not in the list.
    pub lacks: Vec<String>,
    /// A mod that the list has on the other side of it than the workspace, and whether it should come before.
    pub misplaced: Option<(String, bool)>,
}

/// How a mod stands in a folder of the game, whoever put it there.
///
/// # Errors
/// Nothing can be installed there, or it cannot be read.
pub fn standing(
    world: &World,
    layer: LayerId,
    build: &BuildReport,
    game: &Path,
    known: Option<&Installation>,
) -> Result<Standing, InstallError> {
    let catalog = &world.catalog;
    let rule = catalog.rulebook.install.as_ref().ok_or(InstallError::NoRule)?;
    let own = catalog.layer(layer);
    let shipped = Shipped::of(world, layer, build)?;
    let mut found = there(game, &shipped.at)?;
    let installed = match shipped.archive {
        true => !found.is_empty(),
        false => !found.is_empty() && id_in(catalog, &game.join(&shipped.at)).is_none_or(|id| id == own.id),
    };
    let mut out = Standing { installed, ..Standing::default() };
    for (path, bytes) in &shipped.files {
        if found.remove(path).flatten() != Some(Stamp::of(bytes)) && installed {
            out.older.push(path.clone());
        }
    }
    // what an older version left there
    let ours = |path: &String| known.is_some_and(|known| known.files.contains_key(path));
    out.older.extend(found.into_keys().filter(ours));
    if let Some(old) = known.filter(|known| known.at != shipped.at && game.join(&known.at).exists()) {
        (out.installed, out.older) = (true, vec![old.at.clone()]);
    }
    out.twins = twins(catalog, game, &[&own.id], &[&shipped.at, known.map_or("", |known| &known.at)]);
    out.at = shipped.at;
    if let Some(list) = &rule.enabled {
        let text = list_text(game, list)?.unwrap_or_default();
        let all = match text.trim().is_empty() {
            true => Vec::new(),
            false => enabled::listed(list, &text, &catalog.names)
                .map_err(|reason| InstallError::List { file: list.file.clone(), reason })?,
        };
        let on = |id: &str| all.iter().position(|entry| entry.on && entry.id == id);
        let place = on(&own.id);
        out.enabled = Some((list.file.clone(), place.is_some()));
        out.lacks = lacking(own, &all);
        if let (Some(place), true) = (place, list.ordered) {
            let (earlier, later) = around(catalog, layer);
            let late =
                earlier.into_iter().find(|id| on(id).is_some_and(|at| at > place)).map(|id| (id.to_owned(), true));
            let early =
                || later.into_iter().find(|id| on(id).is_some_and(|at| at < place)).map(|id| (id.to_owned(), false));
            out.misplaced = late.or_else(early);
        }
    }
    Ok(out)
}
