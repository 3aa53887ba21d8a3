//! Answers of commands that look.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;

use super::PlaceAnswer;

/// What kinds there are.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct KindsAnswer {
    pub(crate) game: String,
    pub(crate) kinds: Vec<KindLine>,
}

/// A kind in one line.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct KindLine {
    pub(crate) kind: String,
    pub(crate) about: Option<String>,
    pub(crate) definitions: usize,
    /// Patterns of the files in which it stands.
    pub(crate) files: Vec<String>,
}

/// A kind with its fields.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct KindAnswer {
    #[serde(flatten)]
    pub(crate) line: KindLine,
    /// The file in which the edited mod would have a new one, with `ID` for its id.
    pub(crate) written: Option<String>,
    /// Why none can be made.
    pub(crate) not_written: Option<String>,
    pub(crate) fields: Vec<FieldAnswer>,
}

/// A field of a kind.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FieldAnswer {
    pub(crate) path: String,
    /// What it takes, in words.
    pub(crate) takes: String,
    pub(crate) unit: Option<String>,
    pub(crate) default: Option<Value>,
    pub(crate) optional: bool,
    /// The word beside it with which it is there, in words.
    pub(crate) condition: Option<String>,
    pub(crate) about: Option<String>,
    /// What a definition states there, cut off where it is long.
    pub(crate) example: Option<String>,
}

/// What the rulebook covers of the data.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CoverageAnswer {
    pub(crate) kinds: Vec<CoveredKind>,
    /// Files that nothing reads, by ending.
    pub(crate) files: Vec<GapAnswer>,
    /// Parts of the rulebook that nothing uses.
    pub(crate) idle: Vec<IdleAnswer>,
    /// Tags of YAML that nothing reads.
    pub(crate) tags: Vec<GapAnswer>,
}

/// What is covered of one kind.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CoveredKind {
    pub(crate) kind: String,
    pub(crate) definitions: usize,
    /// How many values are described.
    pub(crate) described: usize,
    pub(crate) left: Vec<GapAnswer>,
    /// Fields that no definition states.
    pub(crate) unused: Vec<String>,
    /// Fields with links.
    pub(crate) links: Vec<CoveredLinks>,
}

/// Where the links of a field lead.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CoveredLinks {
    pub(crate) field: String,
    /// How many lead to a definition.
    pub(crate) resolved: usize,
    /// How many the game itself knows, or are not looked for.
    pub(crate) known: usize,
    /// How many lead nowhere.
    pub(crate) lacking: usize,
    /// One that leads nowhere.
    pub(crate) example: Option<PlaceAnswer>,
}

/// Something in the data that is not described.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct GapAnswer {
    pub(crate) what: String,
    pub(crate) count: usize,
    pub(crate) example: Option<PlaceAnswer>,
}

/// A part of the rulebook that nothing uses.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct IdleAnswer {
    pub(crate) what: String,
    pub(crate) place: PlaceAnswer,
}

/// What was found.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FindAnswer {
    pub(crate) found: Vec<FoundAnswer>,
    pub(crate) filters: Vec<FilterAnswer>,
}

/// A definition that was found.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FoundAnswer {
    pub(crate) address: String,
    pub(crate) name: Option<String>,
    pub(crate) note: Option<String>,
    pub(crate) hits: Vec<HitAnswer>,
    /// The values of the columns that were asked for, by path.
    pub(crate) columns: BTreeMap<String, Option<Value>>,
}

/// A place where something fits.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct HitAnswer {
    #[serde(flatten)]
    pub(crate) place: PlaceAnswer,
    pub(crate) path: Option<String>,
    pub(crate) text: String,
}

/// A filter, and how many would be found without it.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FilterAnswer {
    pub(crate) filter: String,
    pub(crate) without: usize,
    /// Of a word or value that is nowhere: the nearest one that is.
    pub(crate) near: Option<String>,
}

/// A definition whole.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ShowAnswer {
    pub(crate) address: String,
    pub(crate) name: Option<String>,
    pub(crate) note: Option<String>,
    /// The layers that define or amend it.
    pub(crate) layers: Vec<String>,
    pub(crate) parents: Vec<String>,
    /// Where others with its id stand, in kinds of which all count side by side.
    pub(crate) beside: Vec<PlaceAnswer>,
    pub(crate) values: Vec<RowAnswer>,
    pub(crate) texts: Vec<TextAnswer>,
}

/// A value, and what it took the place of.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct RowAnswer {
    pub(crate) path: String,
    #[serde(flatten)]
    pub(crate) now: StepAnswer,
    pub(crate) earlier: Vec<StepAnswer>,
}

/// A value and where it comes from.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct StepAnswer {
    pub(crate) value: Value,
    /// Whether it takes the value away.
    pub(crate) gone: bool,
    /// `own`, `inherited`, `amended` or `default`.
    pub(crate) how: &'static str,
    pub(crate) layer: Option<String>,
    /// The definition it is inherited from.
    pub(crate) from: Option<String>,
    pub(crate) why: Option<String>,
    /// The layer whose copy carries it along.
    pub(crate) carried_by: Option<String>,
    pub(crate) place: Option<PlaceAnswer>,
}

/// A text that players see.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TextAnswer {
    pub(crate) role: String,
    pub(crate) language: String,
    pub(crate) text: String,
}

/// One value through the layers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct HistoryAnswer {
    pub(crate) address: String,
    pub(crate) path: String,
    pub(crate) steps: Vec<HistoryLine>,
}

/// What one layer makes of a value.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct HistoryLine {
    pub(crate) layer: String,
    pub(crate) before: Option<Value>,
    pub(crate) after: Option<Value>,
    pub(crate) why: Option<String>,
    /// Whether the layer means it, and does not just carry it along.
    pub(crate) meant: bool,
    /// The definition it inherits the change from.
    pub(crate) from: Option<String>,
    /// The layer whose change it undoes.
    pub(crate) undoes: Option<String>,
    pub(crate) place: Option<PlaceAnswer>,
}

/// What uses something, and what it uses.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LinksAnswer {
    pub(crate) of: String,
    pub(crate) uses: Vec<LinkAnswer>,
    pub(crate) used_by: Vec<LinkAnswer>,
}

/// A use.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LinkAnswer {
    /// The other end.
    pub(crate) end: String,
    /// `names`, `inherits`, `amends`, `through`, `member`, `implies`, `states`, or `reads` of a rule, a formula or a
    /// condition.
    pub(crate) how: &'static str,
    /// The group, the value that is stated, or what the expression says.
    pub(crate) what: Option<String>,
    pub(crate) path: Option<String>,
    pub(crate) layer: String,
    pub(crate) place: Option<PlaceAnswer>,
}

/// Two definitions side by side.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CompareAnswer {
    pub(crate) first: Option<String>,
    pub(crate) second: Option<String>,
    pub(crate) rows: Vec<CompareRow>,
}

/// A field of both.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CompareRow {
    pub(crate) path: String,
    pub(crate) first: Option<Value>,
    pub(crate) second: Option<Value>,
    pub(crate) same: bool,
}

/// What comparable definitions have in fields.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SpreadAnswer {
    /// What is comparable, in words.
    pub(crate) among: String,
    pub(crate) definitions: usize,
    pub(crate) series: Vec<SeriesAnswer>,
}

/// The values of one field. Quartiles are those of the sorted values, between two of them in proportion.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SeriesAnswer {
    pub(crate) field: String,
    pub(crate) unit: Option<String>,
    pub(crate) count: usize,
    /// How many have no value.
    pub(crate) absent: usize,
    pub(crate) least: f64,
    pub(crate) lower_quartile: f64,
    pub(crate) median: f64,
    pub(crate) upper_quartile: f64,
    pub(crate) most: f64,
    pub(crate) histogram: Vec<BinAnswer>,
    /// The definition that is asked about.
    pub(crate) mark: Option<SampleAnswer>,
    /// How many lie below it.
    pub(crate) below_mark: Option<usize>,
    pub(crate) nearest: Vec<SampleAnswer>,
}

/// A stretch of values.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct BinAnswer {
    pub(crate) from: f64,
    pub(crate) to: f64,
    pub(crate) count: usize,
}

/// A definition with its value.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SampleAnswer {
    pub(crate) address: String,
    pub(crate) value: f64,
}

/// Where things are known by numbers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct NumbersAllAnswer {
    pub(crate) numbers: Vec<NumbersAnswer>,
}

/// Numbers of one kind or field.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct NumbersAnswer {
    /// A kind, or kind.field.
    pub(crate) of: String,
    /// First and last numbers that may be taken.
    pub(crate) ranges: Vec<[i64; 2]>,
    pub(crate) taken: usize,
    /// How many claims of others there are.
    pub(crate) claims: usize,
    /// The next free one.
    pub(crate) next: Option<i64>,
}

/// Free numbers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct IdsAnswer {
    pub(crate) of: String,
    pub(crate) free: Vec<i64>,
}

/// What a mod has in common with what others claim.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ClaimsAnswer {
    pub(crate) met: Vec<ClaimMetAnswer>,
}

/// A claim, and what it meets.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ClaimMetAnswer {
    pub(crate) of: String,
    /// `number`, `id` or `words`.
    pub(crate) what: String,
    pub(crate) address: String,
    /// The number, the id or the words.
    pub(crate) said: String,
    /// Whose it is.
    pub(crate) by: Option<String>,
    /// What it is for.
    pub(crate) about: Option<String>,
}
