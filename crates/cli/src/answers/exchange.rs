//! Answers of commands by which something goes out to others or comes from elsewhere: texts, tables, groups, fragments,
//! edited copies, logs, archives.

use schemars::JsonSchema;
use serde::Serialize;

use super::Dry;

/// The texts of a mod.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TextsAnswer {
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    pub(crate) languages: Vec<LanguageAnswer>,
    /// Keys that no definition's id and no field leads to.
    pub(crate) unused: Vec<TextsUnused>,
}

/// A mod's texts in a language.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LanguageAnswer {
    pub(crate) language: String,
    /// Whether it is the one that the others are made of.
    pub(crate) main: bool,
    pub(crate) written: usize,
    pub(crate) of: usize,
    /// What is to be done; with `--all` every text.
    pub(crate) texts: Vec<TextRowAnswer>,
}

/// A text.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TextRowAnswer {
    pub(crate) key: String,
    pub(crate) address: Option<String>,
    /// Which of the definition's texts it is.
    pub(crate) role: Option<String>,
    pub(crate) original: Option<String>,
    pub(crate) text: Option<String>,
    /// `written`, `lacking`, `stub`, `older` or `tokens`.
    pub(crate) state: String,
    /// Of one that is older: what the original was.
    pub(crate) was: Option<String>,
}

/// A text that nothing leads to.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TextsUnused {
    pub(crate) key: String,
    pub(crate) place: String,
}

/// Texts were written.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TextsSaid {
    pub(crate) texts: Vec<TextSaid>,
    pub(crate) files: Vec<String>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// A text that was written.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TextSaid {
    pub(crate) key: String,
    pub(crate) language: String,
    pub(crate) before: Option<String>,
    pub(crate) after: String,
}

/// A language was written for a translator.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TextsOut {
    pub(crate) file: String,
    pub(crate) language: String,
    pub(crate) texts: usize,
}

/// A kind was written as a table.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SheetOutAnswer {
    pub(crate) file: String,
    pub(crate) kind: String,
    pub(crate) definitions: usize,
    pub(crate) fields: Vec<String>,
}

/// A table was taken in.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SheetInAnswer {
    pub(crate) cells: Vec<SheetCellAnswer>,
    /// Changed in the mod since the table went out: left alone.
    pub(crate) meanwhile: Vec<SheetCellAnswer>,
    /// Definitions that were made.
    pub(crate) new: Vec<String>,
    /// Ids that went out and are not in the table any more: left as they are.
    pub(crate) gone: Vec<String>,
    /// Rows that name nothing.
    pub(crate) unknown: Vec<String>,
    pub(crate) files: Vec<String>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// A cell that changed, as texts; an empty one states nothing.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SheetCellAnswer {
    pub(crate) id: String,
    pub(crate) field: String,
    pub(crate) before: String,
    pub(crate) after: String,
}

/// All groups.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct GroupsAnswer {
    pub(crate) groups: Vec<GroupAnswer>,
}

/// A group.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct GroupAnswer {
    pub(crate) group: String,
    /// How many definitions belong to it, those of groups within it included.
    pub(crate) members: usize,
}

/// The groups around a definition.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TagAnswer {
    pub(crate) address: String,
    /// Those that it belongs to.
    pub(crate) groups: Vec<BelongingAnswer>,
    /// Those that belong to it.
    pub(crate) members: Vec<BelongingAnswer>,
}

/// A membership.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct BelongingAnswer {
    pub(crate) address: String,
    /// The groups between.
    pub(crate) through: Vec<String>,
    pub(crate) place: Option<String>,
    /// Whether the member says it, not the group.
    pub(crate) by_member: bool,
}

/// Definitions that may be the same thing.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TwinsAnswer {
    pub(crate) address: String,
    pub(crate) twins: Vec<TwinAnswer>,
}

/// One of them.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TwinAnswer {
    pub(crate) address: String,
    /// `name`, `id`, `groups`.
    pub(crate) alike: Vec<String>,
    /// Groups that both belong to.
    pub(crate) groups: Vec<String>,
}

/// Members came, went, or were replaced by their group.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TaggedAnswer {
    pub(crate) group: String,
    pub(crate) members: Vec<String>,
    pub(crate) files: Vec<String>,
    /// Where the member still stands alone.
    pub(crate) left: Vec<SingleAnswer>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// A place where something stands alone.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SingleAnswer {
    pub(crate) address: String,
    pub(crate) path: String,
    pub(crate) place: Option<String>,
    /// Whether the field takes groups.
    pub(crate) takes_group: bool,
}

/// A fragment was pasted.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PasteAnswer {
    pub(crate) made: Vec<PastedAnswer>,
    pub(crate) files: Vec<String>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// A definition of it.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PastedAnswer {
    pub(crate) address: String,
    /// Whether a lower layer has one with this id.
    pub(crate) over_lower: bool,
}

/// An edited copy of the base became changes of the mod.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct AdoptAnswer {
    pub(crate) changed: Vec<String>,
    pub(crate) new: Vec<String>,
    /// How many texts are others.
    pub(crate) texts: usize,
    /// Definitions that would show otherwise than in the copy.
    pub(crate) left: Vec<NotToldAnswer>,
    /// Definitions that the copy no longer has, and that the mod takes away.
    pub(crate) taken_away: Vec<String>,
    /// Definitions that the copy no longer has, and that the game has no notation to take away.
    pub(crate) gone: Vec<String>,
    /// Files of the copy that are others and hold no definitions.
    pub(crate) other_files: Vec<String>,
    pub(crate) files: Vec<String>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// What could not be told.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct NotToldAnswer {
    pub(crate) address: String,
    pub(crate) why: Option<String>,
}

/// What a session of a log has.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CaptureAnswer {
    pub(crate) session: usize,
    pub(crate) sessions: usize,
    pub(crate) lines: Vec<CapturedAnswer>,
}

/// A line of it.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CapturedAnswer {
    /// By which it is chosen.
    pub(crate) number: usize,
    /// In the log.
    pub(crate) line: usize,
    pub(crate) name: String,
    /// Fields and values.
    pub(crate) values: Vec<(String, String)>,
    /// The word by which the game refuses it.
    pub(crate) unfit: Option<String>,
}

/// Lines of a log were put into definitions.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CapturedIntoAnswer {
    /// The definition, how many lines, the numbers of those that are unfit.
    pub(crate) into: Vec<(String, usize, Vec<usize>)>,
    pub(crate) files: Vec<String>,
    #[serde(flatten)]
    pub(crate) dry: Dry,
}

/// A mod was packed.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PackAnswer {
    #[serde(rename = "mod")]
    pub(crate) layer: String,
    pub(crate) archive: String,
    pub(crate) bytes: usize,
    /// What is in it, by path.
    pub(crate) files: Vec<PackedFileAnswer>,
    /// Files of the mod that are not in it, and why.
    pub(crate) left_out: Vec<(String, String)>,
    /// How many errors the mod has.
    pub(crate) errors: usize,
}

/// A file of an archive.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PackedFileAnswer {
    pub(crate) path: String,
    pub(crate) bytes: usize,
}
