//! What commands answer, for programs: one type an answer. `docs/ANSWERS.schema.json` is made from them, and tests
//! hold what is printed against it.
//!
//! Paths are relative to the workspace, with forward slashes; lines and columns count from 1, columns in characters.

mod check;
mod exchange;
mod look;
mod make;
mod settle;
mod ship;

pub(crate) use check::*;
pub(crate) use exchange::*;
pub(crate) use look::*;
pub(crate) use make::*;
pub(crate) use settle::*;
pub(crate) use ship::*;

use cognomen_core::{Draft, Number};
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::Serialize;
use serde_json::Value;

/// The number of the format: 1.
#[derive(Clone, Copy, Debug)]
pub(crate) struct One;

impl Serialize for One {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_u8(1)
    }
}

impl JsonSchema for One {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Format".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({"const": 1, "description": "The number of the format."})
    }
}

/// An answer as it is printed, with the number of its format in front.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Numbered<'a, T> {
    pub(crate) format: One,
    #[serde(flatten)]
    pub(crate) answer: &'a T,
}

/// A place in a file.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub(crate) struct PlaceAnswer {
    pub(crate) file: String,
    pub(crate) line: u32,
    pub(crate) column: u32,
    pub(crate) end_line: u32,
    pub(crate) end_column: u32,
    /// In a sheet of a workbook: its cell, such as `C4`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) cell: Option<String>,
}

/// A value of a definition. Numbers that no program could hold exactly stay texts.
pub(crate) fn value_of(draft: &Draft) -> Value {
    match draft {
        Draft::Null => Value::Null,
        Draft::Boolean(value) => (*value).into(),
        Draft::Number(number) => number_of(number),
        Draft::Text(text) => text.clone().into(),
        Draft::List(items) => items.iter().map(value_of).collect(),
        Draft::Table(entries) => {
            Value::Object(entries.iter().map(|(key, value)| (key.clone(), value_of(value))).collect())
        }
    }
}

fn number_of(number: &Number) -> Value {
    let notation = number.notation();
    if let Ok(whole) = notation.parse::<i64>() {
        return whole.into();
    }
    let value = number.decimal().and_then(|exact| exact.to_string().parse::<f64>().ok());
    value.and_then(serde_json::Number::from_f64).map_or_else(|| notation.into(), Value::Number)
}

/// Why a command did not do what it was asked; on the error stream.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ErrorAnswer {
    pub(crate) error: ErrorSaid,
}

/// What is wrong, and the nearest right answer.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ErrorSaid {
    pub(crate) message: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) help: Option<String>,
    /// The exit code: 2 asked in a wrong way, 3 it could not be done.
    pub(crate) exit: u8,
}

/// What would be written, where a change is only to be shown.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Dry {
    /// Whether anything was written.
    pub(crate) written: bool,
    /// With `--dry-run`: the change as a unified diff.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) diff: Option<String>,
}

/// The schemas of all answers, by the commands that give them.
pub fn answers_schema() -> Value {
    fn one<T: JsonSchema>(all: &mut serde_json::Map<String, Value>, generator: &mut SchemaGenerator, names: &[&str]) {
        let schema = generator.subschema_for::<Numbered<'_, T>>().to_value();
        for name in names {
            all.insert((*name).to_owned(), schema.clone());
        }
    }
    let mut generator = schemars::generate::SchemaSettings::draft2020_12().into_generator();
    let (g, mut all) = (&mut generator, serde_json::Map::new());
    one::<ErrorAnswer>(&mut all, g, &["error"]);
    one::<DemoAnswer>(&mut all, g, &["demo"]);
    one::<InitAnswer>(&mut all, g, &["init"]);
    one::<ModsAnswer>(&mut all, g, &["mods"]);
    one::<ModsChanged>(&mut all, g, &["mods new", "mods rename"]);
    one::<OrderAnswer>(&mut all, g, &["mods order"]);
    one::<StateAnswer>(&mut all, g, &["state"]);
    one::<KindsAnswer>(&mut all, g, &["kinds"]);
    one::<KindAnswer>(&mut all, g, &["kinds KIND"]);
    one::<CoverageAnswer>(&mut all, g, &["kinds --coverage"]);
    one::<FindAnswer>(&mut all, g, &["find"]);
    one::<ShowAnswer>(&mut all, g, &["show"]);
    one::<HistoryAnswer>(&mut all, g, &["show --history"]);
    one::<LinksAnswer>(&mut all, g, &["links"]);
    one::<CompareAnswer>(&mut all, g, &["compare"]);
    one::<ChangesAnswer>(&mut all, g, &["changes"]);
    one::<ClashesAnswer>(&mut all, g, &["clashes"]);
    one::<KeepAnswer>(&mut all, g, &["keep"]);
    one::<EditionsAnswer>(&mut all, g, &["keep --list"]);
    one::<SpreadAnswer>(&mut all, g, &["spread"]);
    one::<NotesAnswer>(&mut all, g, &["note"]);
    one::<NotedAnswer>(&mut all, g, &["note ABOUT TEXT", "note --import"]);
    one::<TextsAnswer>(&mut all, g, &["text", "text list"]);
    one::<TextsSaid>(&mut all, g, &["text set", "text stubs", "text done", "text in"]);
    one::<TextsOut>(&mut all, g, &["text out"]);
    one::<SheetOutAnswer>(&mut all, g, &["sheet out"]);
    one::<SheetInAnswer>(&mut all, g, &["sheet in"]);
    one::<GroupsAnswer>(&mut all, g, &["tag"]);
    one::<TagAnswer>(&mut all, g, &["tag ADDRESS"]);
    one::<TwinsAnswer>(&mut all, g, &["tag twins"]);
    one::<TaggedAnswer>(&mut all, g, &["tag add", "tag remove", "tag instead"]);
    one::<NumbersAllAnswer>(&mut all, g, &["ids"]);
    one::<IdsAnswer>(&mut all, g, &["ids OF"]);
    one::<ClaimsAnswer>(&mut all, g, &["ids --claims"]);
    one::<PasteAnswer>(&mut all, g, &["paste"]);
    one::<AdoptAnswer>(&mut all, g, &["adopt"]);
    one::<CaptureAnswer>(&mut all, g, &["capture"]);
    one::<CapturedIntoAnswer>(&mut all, g, &["capture LOG ADDRESS"]);
    one::<MadeAnswer>(&mut all, g, &["new", "copy"]);
    one::<StartsAnswer>(&mut all, g, &["copy --starts"]);
    one::<SetAnswer>(&mut all, g, &["set"]);
    one::<ManyAnswer>(&mut all, g, &["set --where"]);
    one::<RenameAnswer>(&mut all, g, &["rename"]);
    one::<DeleteAnswer>(&mut all, g, &["delete"]);
    one::<MoveAnswer>(&mut all, g, &["move"]);
    one::<UndoAnswer>(&mut all, g, &["undo", "redo"]);
    one::<StepsAnswer>(&mut all, g, &["undo --list"]);
    one::<CheckAnswer>(&mut all, g, &["check"]);
    one::<SavedAnswer>(&mut all, g, &["check --saved"]);
    one::<AcceptAnswer>(&mut all, g, &["check --accept"]);
    one::<FixAnswer>(&mut all, g, &["check --fix"]);
    one::<CodesAnswer>(&mut all, g, &["explain"]);
    one::<CodeAnswer>(&mut all, g, &["explain CODE"]);
    one::<RuleAnswer>(&mut all, g, &["explain RULE"]);
    one::<PackAnswer>(&mut all, g, &["pack"]);
    one::<InstallAnswer>(&mut all, g, &["install"]);
    one::<WatchAnswer>(&mut all, g, &["watch"]);
    one::<RemovedAnswer>(&mut all, g, &["install --remove"]);
    one::<BuildAnswer>(&mut all, g, &["build"]);
    serde_json::json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "What the commands of Cognomen answer with `--format json`",
        "properties": all,
        "$defs": generator.take_definitions(true),
    })
}
