//! What leaves the workspace for the game: answers of `install`, `install --remove`.

use schemars::JsonSchema;
use serde::Serialize;

use super::{Dry, FindingAnswer};

/// A mod was installed.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct InstallAnswer {
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    /// One for each folder of the game.
    pub(crate) games: Vec<InstalledAnswer>,
    /// How many errors the mod has.
    pub(crate) errors: usize,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// A mod in a folder of the game. Paths are below it.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct InstalledAnswer {
    /// The folder, as the workspace file names it.
    pub(crate) game: String,
    /// The mod's folder or archive.
    pub(crate) at: String,
    /// The id that it was installed under before, where that is another one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) was: Option<String>,
    pub(crate) written: Vec<String>,
    /// What an older version brought, and went.
    pub(crate) removed: Vec<String>,
    /// What stays in the mod's folder although no `install` wrote it.
    pub(crate) foreign: Vec<String>,
    /// What was there before any `install`, and is kept for `install --remove`.
    pub(crate) kept: Vec<String>,
    /// The list of mods that are loaded; null where the rulebook names none.
    pub(crate) list: Option<String>,
    /// Whether the mod came into it; false where it stood there already.
    pub(crate) enabled_now: bool,
    /// Mods that it requires and that this list does not have.
    pub(crate) lacks: Vec<String>,
}

/// A mod was taken out of the game.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct RemovedAnswer {
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    /// One for each folder of the game in which it was.
    pub(crate) games: Vec<TakenOutAnswer>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// What went from a folder of the game. Paths are below it.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TakenOutAnswer {
    /// The folder, as the workspace file names it.
    pub(crate) game: String,
    pub(crate) removed: Vec<String>,
    /// What was there before any `install`, and came back.
    pub(crate) restored: Vec<String>,
    /// What was changed there since, and stays.
    pub(crate) foreign: Vec<String>,
    /// The list of mods that are loaded, where the mod went from it.
    pub(crate) list: Option<String>,
}

/// How a mod stands in a folder of the game.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct InGameAnswer {
    /// The folder, as the workspace file names it.
    pub(crate) game: String,
    /// The mod's folder or archive below it.
    pub(crate) at: String,
    pub(crate) installed: bool,
    /// Files there that are not what would be installed now.
    pub(crate) older: Vec<String>,
    /// Other folders there that hold the same mod.
    pub(crate) twins: Vec<String>,
    /// Whether the game's list has it; null where there is none.
    pub(crate) enabled: Option<bool>,
    /// Mods that it requires and that the list does not have.
    pub(crate) lacks: Vec<String>,
    /// A mod that the list has on the wrong side of it.
    pub(crate) misplaced: Option<String>,
}

/// Something that was handed out or saved, and that nothing defines any more.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct VanishedAnswer {
    pub(crate) address: String,
    /// What most likely took its place.
    pub(crate) likely: Option<String>,
}

/// What a saved game holds that nothing defines any more.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SavedAnswer {
    pub(crate) saved: String,
    /// How many ids stand in it.
    pub(crate) ids: usize,
    pub(crate) lost: Vec<LostAnswer>,
    /// What the game does with them.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) game_does: Option<String>,
}

/// An id of a saved game that nothing defines.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LostAnswer {
    /// Kind and id, or a field and its value.
    pub(crate) what: String,
    /// Where it stands in the saved game: path and line.
    pub(crate) uses: Vec<(String, u32)>,
    /// The mod that defined it when it was installed or packed from here.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) was_of: Option<String>,
    /// The mod that defines it, where that is not looked at.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) elsewhere: Option<String>,
    /// The nearest that there is.
    pub(crate) likely: Option<String>,
    /// The field of that in which an earlier id is kept.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) alias: Option<String>,
}

/// What `watch` says after each change, on a line of its own.
#[derive(Debug, Default, Serialize, JsonSchema)]
pub(crate) struct WatchAnswer {
    /// The mod; null where the whole workspace is looked at.
    #[serde(rename = "mod")]
    pub(crate) layer: Option<String>,
    /// Files that changed; none at the start.
    pub(crate) changed: Vec<String>,
    pub(crate) errors: usize,
    pub(crate) warnings: usize,
    pub(crate) notes: usize,
    /// Findings that were not there before the change.
    pub(crate) new: Vec<FindingAnswer>,
    /// Findings that are not there any more, as they were told.
    pub(crate) gone: Vec<FindingAnswer>,
    /// The folder that was built into.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) build: Option<String>,
    /// Files of the build that were written or taken out.
    pub(crate) built: Vec<String>,
    /// Where it was installed.
    pub(crate) installed: Vec<InstalledAnswer>,
    /// Why it was not built or not installed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) failed: Option<String>,
    /// How long all of this took.
    pub(crate) milliseconds: u64,
}
