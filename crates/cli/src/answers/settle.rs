//! Answers of `changes` and `clashes`.

use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;

use super::{FindingAnswer, PlaceAnswer};

/// What a mod changes.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ChangesAnswer {
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    /// What it is compared with, in words; null for what it stands on.
    pub(crate) against: Option<String>,
    /// For which players: who have these mods, too, or are in this mode; null where that was not asked.
    pub(crate) with: Option<String>,
    /// The edition of the base that it was made for, where that is an older one.
    pub(crate) made_for: Option<String>,
    /// The edition that it was made for, and that is not kept.
    pub(crate) edition_lacking: Option<String>,
    pub(crate) changed: Vec<ChangedDefinitionAnswer>,
    pub(crate) added: Vec<ChangedDefinitionAnswer>,
    pub(crate) removed: Vec<ChangedDefinitionAnswer>,
    /// Definitions that change since they inherit.
    pub(crate) inheriting: Vec<ChangedDefinitionAnswer>,
    /// Values that are stated again as they were.
    pub(crate) repeated: usize,
    pub(crate) beside: Vec<BesideAnswer>,
    /// Texts of lower layers that are said otherwise, or in more languages.
    pub(crate) texts: Vec<TextChangeAnswer>,
}

/// A definition that changes.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ChangedDefinitionAnswer {
    pub(crate) address: String,
    pub(crate) kind: String,
    pub(crate) name: Option<String>,
    pub(crate) values: Vec<ValueChange>,
}

/// A value that changes.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ValueChange {
    pub(crate) path: String,
    /// Whether it is an entry of a list that comes or goes.
    pub(crate) entry: bool,
    pub(crate) before: Option<Value>,
    pub(crate) after: Option<Value>,
    pub(crate) place: Option<PlaceAnswer>,
    pub(crate) why: Option<String>,
}

/// Definitions that only count beside others.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct BesideAnswer {
    pub(crate) kind: String,
    pub(crate) id: Option<String>,
    pub(crate) more: usize,
    pub(crate) fewer: usize,
}

/// A text that players see, and that another one takes the place of.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TextChangeAnswer {
    pub(crate) key: String,
    pub(crate) language: String,
    pub(crate) before: Option<String>,
    pub(crate) after: Option<String>,
    /// Where it is said.
    pub(crate) place: Option<PlaceAnswer>,
}

/// What goes wrong only between mods.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ClashesAnswer {
    /// Faults that no mod has by itself.
    pub(crate) together: Vec<TogetherAnswer>,
    pub(crate) stale: Vec<StaleAnswer>,
    pub(crate) contradictions: Vec<ContradictionAnswer>,
    pub(crate) undone: Vec<UndoneAnswer>,
    pub(crate) hanging: Vec<HangingAnswer>,
}

/// One mod's side.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SideAnswer {
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    /// What it means to do, in words.
    pub(crate) does: String,
    pub(crate) why: Option<String>,
    pub(crate) place: Option<PlaceAnswer>,
}

/// A mod and a place in it.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PartAnswer {
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    pub(crate) place: Option<PlaceAnswer>,
}

/// Two mods mean two different results.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ContradictionAnswer {
    pub(crate) address: String,
    pub(crate) path: String,
    pub(crate) first: SideAnswer,
    pub(crate) second: SideAnswer,
}

/// A change that another mod takes back without meaning to.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct UndoneAnswer {
    pub(crate) address: String,
    pub(crate) path: String,
    pub(crate) by: SideAnswer,
    pub(crate) meant: Option<Value>,
    pub(crate) shows: Option<Value>,
    pub(crate) culprit: Option<PartAnswer>,
}

/// A change of what is no longer there.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct HangingAnswer {
    pub(crate) address: String,
    pub(crate) path: String,
    pub(crate) by: SideAnswer,
    /// Who took it away.
    pub(crate) gone: Option<SideAnswer>,
}

/// A fault that exists only together.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TogetherAnswer {
    pub(crate) finding: FindingAnswer,
    pub(crate) parts: Vec<PartAnswer>,
}

/// A copy made for an older edition.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct StaleAnswer {
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    pub(crate) made_for: Option<String>,
    pub(crate) what: StaleWhatAnswer,
}

/// What it holds back.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum StaleWhatAnswer {
    /// Values as they were.
    Values { address: String, values: Vec<MovedAnswer> },
    /// A definition that the base has given up.
    Gone { address: String, gone: bool },
    /// A file that hides what the base has added.
    Hides { file: String, hides: Vec<String> },
}

/// A value that has moved on.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MovedAnswer {
    pub(crate) path: String,
    pub(crate) carries: Option<Value>,
    pub(crate) now: Option<Value>,
    pub(crate) place: Option<PlaceAnswer>,
    pub(crate) from: Option<PlaceAnswer>,
}
