//! Answers of commands that write.

use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;

use super::{Dry, FindingAnswer, PlaceAnswer};

/// A demo workspace was written.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DemoAnswer {
    /// Its folder.
    pub(crate) workspace: String,
}

/// A workspace was started.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct InitAnswer {
    /// Its folder.
    pub(crate) workspace: String,
    pub(crate) files: Vec<String>,
    /// Whether the base's folder is there.
    pub(crate) base_there: bool,
    /// The kinds that were drafted from the data, and how many definitions each has.
    pub(crate) kinds: std::collections::BTreeMap<String, usize>,
}

/// The mods in load order, the base first.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ModsAnswer {
    pub(crate) mods: Vec<ModAnswer>,
}

/// A mod, or the base.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ModAnswer {
    pub(crate) id: String,
    pub(crate) name: Option<String>,
    pub(crate) version: Option<String>,
    pub(crate) folder: String,
    pub(crate) definitions: usize,
    pub(crate) requires: Vec<String>,
    /// The mod of which it is a part that applies only with the others.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) part_of: Option<String>,
    /// Whether it is the one that is edited.
    pub(crate) edited: bool,
}

/// A mod was started or renamed.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ModsChanged {
    /// What was done.
    pub(crate) done: String,
    pub(crate) files: Vec<String>,
    /// Definitions that got other ids with the mod.
    pub(crate) renamed: Vec<RenamedOne>,
    /// Uses of these in other mods, which stay.
    pub(crate) elsewhere: Vec<LeftAnswer>,
    /// What has to be looked at by a person.
    pub(crate) by_hand: Vec<LeftAnswer>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// The load order as it is, or would be.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct OrderAnswer {
    pub(crate) order: Vec<String>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// An edition of the base was kept.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct KeepAnswer {
    pub(crate) edition: String,
    pub(crate) archive: String,
    /// How many files are in it.
    pub(crate) files: usize,
    /// Their bytes together.
    pub(crate) bytes: usize,
    /// The archive's bytes.
    pub(crate) packed: usize,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// The editions that are kept.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct EditionsAnswer {
    /// The version of the base that is here, where it is said.
    pub(crate) present: Option<String>,
    pub(crate) editions: Vec<EditionAnswer>,
}

/// A kept edition.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct EditionAnswer {
    pub(crate) edition: String,
    pub(crate) base: Vec<String>,
    /// Mods that were made for it.
    pub(crate) mods: Vec<String>,
}

/// Remarks.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct NotesAnswer {
    pub(crate) notes: Vec<NoteAnswer>,
}

/// A remark.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct NoteAnswer {
    pub(crate) about: String,
    pub(crate) note: String,
}

/// Remarks were written or taken out.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct NotedAnswer {
    /// How many.
    pub(crate) notes: usize,
    pub(crate) files: Vec<String>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// Definitions were made.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MadeAnswer {
    pub(crate) made: Vec<MadeOne>,
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    pub(crate) files: Vec<String>,
    /// Keys of texts that were written.
    pub(crate) texts: Vec<String>,
    /// What the new one names together with its original.
    pub(crate) shared: Vec<SharedAnswer>,
    /// Fields that no two definitions may share, and that were left out.
    pub(crate) dropped: Vec<String>,
    /// What checks say of it that they did not before, and that is not in the way.
    pub(crate) told: Vec<FindingAnswer>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// A definition that was made.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MadeOne {
    pub(crate) address: String,
    pub(crate) original: Option<String>,
}

/// A definition that a copy and its original both name.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SharedAnswer {
    pub(crate) path: String,
    pub(crate) address: String,
}

/// The ways in which a copy can start, the one that leaves least to state first.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct StartsAnswer {
    pub(crate) starts: Vec<StartAnswer>,
}

/// One way to start.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct StartAnswer {
    /// The definition to inherit from; none: everything is stated.
    pub(crate) parent: Option<String>,
    pub(crate) to_state: Vec<String>,
}

/// Values of a definition were changed.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SetAnswer {
    pub(crate) address: String,
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    pub(crate) changed: Vec<ChangedAnswer>,
    /// Whether an amendment says so, and not the definition itself.
    pub(crate) amended: bool,
    /// Fields that there are from now on, since a word that was set decides that.
    pub(crate) comes: Vec<String>,
    /// The mod that is required now.
    pub(crate) required: Option<String>,
    pub(crate) files: Vec<String>,
    /// What checks say of it that they did not before, and that is not in the way.
    pub(crate) told: Vec<FindingAnswer>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// What shows at a path before and after.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ChangedAnswer {
    pub(crate) path: String,
    pub(crate) before: Option<Value>,
    pub(crate) after: Option<Value>,
}

/// Values of many definitions were changed.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ManyAnswer {
    pub(crate) definitions: Vec<ManyRow>,
    /// Of how many of these one amendment speaks.
    pub(crate) together: Option<usize>,
    pub(crate) files: Vec<String>,
    /// What checks say of it that they did not before, and that is not in the way.
    pub(crate) told: Vec<FindingAnswer>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// One of them.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ManyRow {
    pub(crate) address: String,
    pub(crate) changed: Vec<ChangedAnswer>,
}

/// A definition got another id.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct RenameAnswer {
    /// The definition, and those whose ids are made of it.
    pub(crate) renamed: Vec<RenamedOne>,
    /// Where it was named, in the files as they were.
    pub(crate) followed: Vec<PlaceAnswer>,
    /// Files that go elsewhere with it.
    pub(crate) moved: Vec<RenamedOne>,
    pub(crate) files: Vec<String>,
    /// Uses in other mods, which stay.
    pub(crate) elsewhere: Vec<LeftAnswer>,
    /// What has to be looked at by a person.
    pub(crate) by_hand: Vec<LeftAnswer>,
    /// Where the old id stays as a further name.
    pub(crate) alias: Option<String>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// Definitions went to other files.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MoveAnswer {
    pub(crate) moved: Vec<MovedInto>,
    /// Files in which nothing was left.
    pub(crate) emptied: Vec<String>,
    pub(crate) files: Vec<String>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// What went into one file.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MovedInto {
    pub(crate) file: String,
    pub(crate) definitions: Vec<String>,
}

/// Definitions were deleted.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DeleteAnswer {
    pub(crate) deleted: Vec<String>,
    /// Of these, what the mod takes away from a lower layer.
    pub(crate) taken_away: Vec<String>,
    /// Of these, what lower layers define, so that only what the mod stated of it went.
    pub(crate) taken_back: Vec<String>,
    /// References that went with them.
    pub(crate) cascaded: Vec<CascadedAnswer>,
    /// Keys of texts that went along.
    pub(crate) texts: Vec<String>,
    pub(crate) files: Vec<String>,
    /// Uses in other mods, which stay.
    pub(crate) elsewhere: Vec<LeftAnswer>,
    /// What below the mod still names what it takes away.
    pub(crate) below: Vec<LeftAnswer>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// A reference that was taken out.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CascadedAnswer {
    /// What it stood in.
    pub(crate) address: String,
    pub(crate) path: String,
}

/// What was, and what it is now.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct RenamedOne {
    pub(crate) from: String,
    pub(crate) to: String,
}

/// Something that stays as it is.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LeftAnswer {
    #[serde(flatten)]
    pub(crate) place: PlaceAnswer,
    pub(crate) what: String,
}

/// The changes that can be taken back, the last first, and before them those that can be brought again.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct StepsAnswer {
    pub(crate) steps: Vec<StepAnswered>,
}

/// A change.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct StepAnswered {
    pub(crate) what: String,
    pub(crate) files: Vec<String>,
    /// Whether it was taken back.
    pub(crate) undone: bool,
}

/// A change was taken back, or brought again.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct UndoAnswer {
    pub(crate) undone: String,
    pub(crate) files: Vec<String>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// A mod was built.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct BuildAnswer {
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    /// The folder.
    pub(crate) out: String,
    pub(crate) files: Vec<BuiltAnswer>,
    /// Files of the mod that are not for the game.
    pub(crate) left_out: Vec<String>,
    /// Files that were written; the others are as they were.
    pub(crate) written: Vec<String>,
    /// Files of an earlier build that are not built any more, and were taken out.
    pub(crate) removed: Vec<String>,
    /// Files that no build wrote, and that were left.
    pub(crate) foreign: Vec<String>,
    /// How the game takes up a change, by kind.
    pub(crate) takes_up: std::collections::BTreeMap<String, String>,
    /// Findings of severity error in the mod.
    pub(crate) errors: usize,
}

/// A built file.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct BuiltAnswer {
    pub(crate) path: String,
    pub(crate) bytes: usize,
    /// Definitions that amendments put into it.
    pub(crate) amended: Vec<String>,
}
