//! How answers are written: colours, tables, findings, differences.

mod difference;
mod findings;
mod reports;
mod stream;
mod table;

pub(crate) use difference::{dry, say_dry, unified};
pub(crate) use findings::{Drawing, finding_answer, say_told, summary, told_answers};
pub(crate) use reports::{ReportForm, report as report_in};
pub(crate) use stream::{clean, drawn, json, paint, visible};
pub(crate) use table::{Table, prose};

use anstyle::{AnsiColor, Style};
use cognomen_core::{Catalog, Draft, FieldType, FileId, Lines, Place, Severity, cell_at, sheet_in};

use crate::answers::PlaceAnswer;

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

/// A value with the unit of its field behind it, unless it is written with one.
pub(crate) fn with_unit(field: Option<&FieldType>, draft: &Draft) -> String {
    match field.and_then(|field| field.unit_of(draft)) {
        Some(unit) => format!("{} {unit}", value(draft)),
        None => value(draft),
    }
}

/// A value on one line.
pub(crate) fn value(draft: &Draft) -> String {
    match draft {
        Draft::Text(text) => visible(text),
        Draft::List(items) if items.is_empty() => "(empty)".to_owned(),
        Draft::List(items) => {
            // lists in it are kept apart
            let inner = |item: &Draft| match item {
                Draft::List(inner) if !inner.is_empty() => format!("[{}]", value(item)),
                other => value(other),
            };
            items.iter().map(inner).collect::<Vec<_>>().join(", ")
        }
        Draft::Table(entries) => {
            let entry = |(key, inner): &(String, Draft)| format!("{} {}", visible(key), value(inner));
            entries.iter().map(entry).collect::<Vec<_>>().join(", ")
        }
        other => other.short(),
    }
}

/// So many of what stands in a long answer are shown where not all are asked for.
const SHOWN: usize = 50;

/// What is shown of many, and how many more there are; a few more than that are shown, too.
pub(crate) fn folded<T>(all: &[T], everything: bool) -> (&[T], usize) {
    let few = everything || all.len() <= SHOWN + SHOWN / 4;
    let (shown, rest) = all.split_at(if few { all.len() } else { SHOWN });
    (shown, rest.len())
}

/// That there are more than are shown, and how they are seen; `one` says what shows fewer of them.
pub(crate) fn unshown(more: usize, one: &str) -> Option<String> {
    (more > 0).then(|| paint(FAINT, &format!("  and {more} more: {one}`--all` shows each")))
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

    /// With lines and columns, for programs.
    pub(crate) fn full(&self, at: Place) -> PlaceAnswer {
        let (path, text) = (&self.catalog.file(at.file).path, self.catalog.text(at.file));
        let mut lines = self.lines.borrow_mut();
        let lines = lines.entry(at.file).or_insert_with(|| Lines::new(text));
        let (start, end) = (lines.position(at.span.start), lines.position(at.span.end));
        PlaceAnswer {
            file: path.clone(),
            line: start.line,
            column: start.column,
            end_line: end.line,
            end_column: end.column,
            // lines and columns count in the sheet's text; what a spreadsheet shows is the cell
            cell: sheet_in(path).map(|_| cell_at(text, at.span.start)),
        }
    }
}

/// The first of several, and how many more there are: `a, b and 3 more`.
pub(crate) fn few<T: AsRef<str>>(all: &[T], most: usize) -> String {
    let shown: Vec<&str> = all.iter().take(most).map(AsRef::as_ref).collect();
    let more = all.len().saturating_sub(most);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    format!("{}{more}", visible(&shown.join(", ")))
}

/// `1 file`, `2 files`.
pub(crate) fn count(number: usize, one: &str, several: &str) -> String {
    if number == 1 { format!("1 {one}") } else { format!("{number} {several}") }
}
