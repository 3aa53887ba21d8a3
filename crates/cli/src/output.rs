//! How answers are written: colours, tables, findings, differences.

mod difference;
mod findings;
mod table;

pub(crate) use difference::unified;
pub(crate) use findings::{Drawing, finding_json, summary};
pub(crate) use table::Table;

use anstyle::{AnsiColor, Style};
use cognomen_core::{Catalog, Draft, FileId, Lines, Number, Place, Severity, cell_at, sheet_in};

pub(crate) const HEAD: Style = Style::new().bold();
pub(crate) const FAINT: Style = Style::new().dimmed();
pub(crate) const ID: Style = AnsiColor::Cyan.on_default();
pub(crate) const GOOD: Style = AnsiColor::Green.on_default();
pub(crate) const CHANGE: Style = AnsiColor::Yellow.on_default();
pub(crate) const ERROR: Style = AnsiColor::Red.on_default().bold();

/// The colour of a severity.
pub(crate) fn severity_style(severity: Severity) -> Style {
    match severity {
        Severity::Error => ERROR,
        Severity::Warning => AnsiColor::Yellow.on_default().bold(),
        Severity::Note => AnsiColor::Cyan.on_default().bold(),
    }
}

/// A text in a style; the stream takes the style out where no colours are wanted.
pub(crate) fn paint(style: Style, text: &str) -> String {
    if text.is_empty() { String::new() } else { format!("{style}{text}{style:#}") }
}

/// Text from data with its control characters made visible.
pub(crate) fn visible(text: &str) -> String {
    if !text.chars().any(char::is_control) {
        return text.to_owned();
    }
    text.chars().map(|c| if c.is_control() { c.escape_default().to_string() } else { c.to_string() }).collect()
}

/// A value on one line.
pub(crate) fn value(draft: &Draft) -> String {
    match draft {
        Draft::Text(text) => visible(text),
        Draft::List(items) if items.is_empty() => "(empty)".to_owned(),
        Draft::List(items) => items.iter().map(value).collect::<Vec<_>>().join(", "),
        Draft::Table(entries) => {
            let entry = |(key, inner): &(String, Draft)| format!("{} {}", visible(key), value(inner));
            entries.iter().map(entry).collect::<Vec<_>>().join(", ")
        }
        other => other.short(),
    }
}

/// `path:line`.
pub(crate) fn place(catalog: &Catalog, at: Place) -> String {
    Places::new(catalog).place(at)
}

/// Places of many values: the lines of a file are counted once.
pub(crate) struct Places<'c> {
    catalog: &'c Catalog,
    lines: std::cell::RefCell<std::collections::BTreeMap<FileId, Lines<'c>>>,
}

impl<'c> Places<'c> {
    pub(crate) fn new(catalog: &'c Catalog) -> Self {
        Places { catalog, lines: std::cell::RefCell::default() }
    }

    /// `path:line`.
    pub(crate) fn place(&self, at: Place) -> String {
        let (path, text) = (&self.catalog.file(at.file).path, self.catalog.text(at.file));
        if sheet_in(path).is_some() {
            return format!("{}:{}", visible(path), cell_at(text, at.span.start));
        }
        let mut lines = self.lines.borrow_mut();
        let lines = lines.entry(at.file).or_insert_with(|| Lines::new(text));
        format!("{}:{}", visible(path), lines.position(at.span.start).line)
    }
}

/// `path:line:column`, for programs.
pub(crate) fn place_json(catalog: &Catalog, at: Place) -> serde_json::Value {
    let lines = Lines::new(catalog.text(at.file));
    let (start, end) = (lines.position(at.span.start), lines.position(at.span.end));
    let path = &catalog.file(at.file).path;
    let mut place = serde_json::json!({
        "file": path,
        "line": start.line,
        "column": start.column,
        "end_line": end.line,
        "end_column": end.column,
    });
    // lines and columns count in the sheet's text; what a spreadsheet shows is the cell
    if sheet_in(path).is_some()
        && let Some(place) = place.as_object_mut()
    {
        place.insert("cell".to_owned(), cell_at(catalog.text(at.file), at.span.start).into());
    }
    place
}

/// A value for programs. Numbers that no program could hold exactly stay texts.
pub(crate) fn draft_json(draft: &Draft) -> serde_json::Value {
    match draft {
        Draft::Null => serde_json::Value::Null,
        Draft::Boolean(value) => (*value).into(),
        Draft::Number(number) => number_json(number),
        Draft::Text(text) => text.clone().into(),
        Draft::List(items) => items.iter().map(draft_json).collect(),
        Draft::Table(entries) => {
            serde_json::Value::Object(entries.iter().map(|(key, value)| (key.clone(), draft_json(value))).collect())
        }
    }
}

fn number_json(number: &Number) -> serde_json::Value {
    let notation = number.notation();
    if let Ok(whole) = notation.parse::<i64>() {
        return whole.into();
    }
    let value = number.decimal().and_then(|exact| exact.to_string().parse::<f64>().ok());
    value.and_then(serde_json::Number::from_f64).map_or_else(|| notation.into(), serde_json::Value::Number)
}

/// `1 file`, `2 files`.
pub(crate) fn count(number: usize, one: &str, several: &str) -> String {
    if number == 1 { format!("1 {one}") } else { format!("{number} {several}") }
}
