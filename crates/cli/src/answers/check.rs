//! Answers of `check`, `explain` and `state`.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Serialize;

use super::PlaceAnswer;

/// A finding.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub(crate) struct FindingAnswer {
    pub(crate) code: String,
    /// `error`, `warning` or `note`.
    pub(crate) severity: &'static str,
    pub(crate) message: String,
    /// What message and help speak of, by name: the word that leads nowhere, the `nearest` that is known, what is
    /// `allowed`. Which there are depends on the code and the case; names keep their meaning.
    pub(crate) facts: BTreeMap<&'static str, FactAnswer>,
    #[serde(flatten)]
    pub(crate) place: PlaceAnswer,
    /// To whom it belongs: `base`, a mod, or the mods that have it only together; none of them for the rulebook, the
    /// workspace and the load order.
    pub(crate) whose: Vec<String>,
    /// The definition it is about.
    pub(crate) address: Option<String>,
    /// The field it is about.
    pub(crate) path: Option<String>,
    /// What the game does with it, where the rulebook knows.
    pub(crate) game: Option<String>,
    /// A person's own remarks on what it is about.
    pub(crate) notes: Vec<String>,
    pub(crate) help: Option<String>,
    /// How much else is not told, since it follows from it.
    pub(crate) follows: usize,
    /// What `check --fix` does with it, where there is one answer only.
    pub(crate) fix: Option<String>,
    /// Second places.
    pub(crate) related: Vec<RelatedAnswer>,
    /// In answers of `check`: the number of its cause; findings of one cause have the same.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) cause: Option<usize>,
}

/// A fact of a finding.
#[derive(Clone, Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum FactAnswer {
    /// A name, a value, a word or two.
    Word(String),
    /// A number of things.
    Number(usize),
    /// Several words in their order.
    Words(Vec<String>),
}

/// A second place of a finding.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub(crate) struct RelatedAnswer {
    #[serde(flatten)]
    pub(crate) place: PlaceAnswer,
    pub(crate) message: String,
}

/// What is wrong.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CheckAnswer {
    pub(crate) findings: Vec<FindingAnswer>,
    pub(crate) errors: usize,
    pub(crate) warnings: usize,
    pub(crate) notes: usize,
    /// How many causes the findings have.
    pub(crate) causes: usize,
    /// Findings that are accepted, and so are not told.
    pub(crate) accepted: usize,
    /// With `--summary`: how many there are of each code, kind and field, the most frequent first.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) summary: Option<Vec<SummedUpAnswer>>,
}

/// Findings of one code about one field of one kind.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SummedUpAnswer {
    pub(crate) code: String,
    pub(crate) severity: String,
    /// Null for findings about no definition.
    pub(crate) kind: Option<String>,
    /// As the rulebook describes it.
    pub(crate) field: Option<String>,
    pub(crate) findings: usize,
    /// About how many definitions.
    pub(crate) definitions: usize,
    /// Where the first of them is.
    #[serde(flatten)]
    pub(crate) example: PlaceAnswer,
    pub(crate) message: String,
}

/// Findings are accepted from now on.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct AcceptAnswer {
    /// How many.
    pub(crate) accepted: usize,
    pub(crate) files: Vec<String>,
    #[serde(flatten)]
    pub(crate) dry: super::Dry,
}

/// Findings are mended that have one answer only.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FixAnswer {
    pub(crate) mended: Vec<MendedAnswer>,
    pub(crate) files: Vec<String>,
    /// What is left of the mod.
    pub(crate) errors: usize,
    pub(crate) warnings: usize,
    pub(crate) notes: usize,
    #[serde(flatten)]
    pub(crate) dry: super::Dry,
}

/// A finding that is mended.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MendedAnswer {
    pub(crate) code: String,
    /// Below the workspace.
    pub(crate) file: String,
    /// Counted from 1, before it was mended.
    pub(crate) line: u32,
    pub(crate) address: Option<String>,
    pub(crate) message: String,
    /// What was done.
    pub(crate) what: String,
}

/// All codes of findings.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CodesAnswer {
    pub(crate) codes: Vec<CodeLine>,
}

/// A code in one line.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CodeLine {
    pub(crate) code: &'static str,
    pub(crate) severity: &'static str,
    pub(crate) summary: &'static str,
}

/// A code at length.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CodeAnswer {
    #[serde(flatten)]
    pub(crate) line: CodeLine,
    pub(crate) since: &'static str,
    pub(crate) finds: &'static str,
    pub(crate) matters: &'static str,
    pub(crate) example: &'static str,
    pub(crate) mend: &'static str,
    pub(crate) accept: &'static str,
}

/// A rule of the rulebook.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct RuleAnswer {
    pub(crate) code: String,
    pub(crate) kind: String,
    pub(crate) require: String,
    pub(crate) when: Option<String>,
    pub(crate) message: String,
    /// `file:line`.
    pub(crate) place: String,
}

/// Where a mod stands.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct StateAnswer {
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    pub(crate) folder: String,
    /// Files that are not as they were when the mod was last checked; null if it never was.
    pub(crate) changed_since_check: Option<Vec<String>>,
    pub(crate) checked: Option<Numbers>,
    /// The folder of its build.
    pub(crate) build: String,
    /// Files of the build that are not what the mod would give now; null if it was never built.
    pub(crate) stale: Option<Vec<String>>,
    /// The last archive of it; null if none is there.
    pub(crate) packed: Option<String>,
    /// Whether that is not what would be packed now.
    pub(crate) packed_is_older: Option<bool>,
    /// How it stands in each folder of the game that the workspace names.
    pub(crate) games: Vec<super::InGameAnswer>,
    /// What it defined when it was last installed or packed, and does not any more.
    pub(crate) vanished: Vec<super::VanishedAnswer>,
    /// Saved games in the game's folder, each with how many ids it holds that nothing defines.
    pub(crate) saved_games: BTreeMap<String, usize>,
    /// How the game takes up a change, by kind.
    pub(crate) takes_up: BTreeMap<String, String>,
    pub(crate) last_change: Option<String>,
    /// What comes next.
    pub(crate) next: String,
}

/// How many findings there were.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Numbers {
    pub(crate) errors: u64,
    pub(crate) warnings: u64,
    pub(crate) notes: u64,
}
