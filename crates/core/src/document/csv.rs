//! The CSV reader (RFC 4180, comma-separated): a list of rows; each row is a table whose keys are the
//! header's cells. An empty cell is left out of its row; a quoted empty one is an empty text.

use std::borrow::Cow;

use super::Shape;
use super::builder::Builder;
use crate::names::{NameCache, Sym};
use crate::source::Span;

/// A cell's bytes, quotes included.
pub(super) struct Cell {
    pub(super) start: usize,
    pub(super) end: usize,
}

/// The cells of each record: the header's first, then those of the rows.
pub(super) fn records(text: &str) -> impl Iterator<Item = Vec<Cell>> {
    Records { text, at: if text.starts_with('\u{feff}') { 3 } else { 0 } }
}

pub(super) fn read(text: &str, names: &mut NameCache<'_>, builder: &mut Builder) {
    let from = if text.starts_with('\u{feff}') { 3 } else { 0 };
    let mut records = Records { text, at: from };
    let mark = builder.mark();
    let header: Vec<(Sym, Cell)> = match records.next() {
        Some(cells) => cells
            .into_iter()
            .map(|cell| {
                let raw = text.get(cell.start..cell.end).unwrap_or("");
                (names.intern(self::text(raw.trim(), raw.contains("\"\"")).trim()), cell)
            })
            .collect(),
        None => {
            builder.fault(Span::new(from, from), "the file has no header row".to_owned());
            Vec::new()
        }
    };
    report_header(text, &header, builder);
    for cells in records {
        let (Some(first), Some(last)) = (cells.first(), cells.last()) else { continue };
        let (start, end) = (first.start, last.end);
        let row = builder.mark();
        if cells.len() > header.len() {
            let extra = cells.get(header.len()).map_or(start, |cell| cell.start);
            let message = format!("this row has {} cells, the header {}", cells.len(), header.len());
            builder.fault(Span::new(extra, end), message);
        }
        for (cell, (key, head)) in cells.iter().zip(&header) {
            let raw = text.get(cell.start..cell.end).unwrap_or("");
            if raw.is_empty() {
                continue;
            }
            if raw.starts_with('"') && (raw.len() < 2 || !raw.ends_with('"')) {
                let message = "this quoted cell is not closed by `\"`".to_owned();
                builder.fault(Span::new(cell.start, cell.start + 1), message);
            }
            let escaped = raw.starts_with('"') && raw.get(1..raw.len().max(2) - 1).unwrap_or("").contains("\"\"");
            builder.leaf(*key, head.start, Shape::Text, escaped, cell.start, cell.end);
        }
        builder.close(row, (Sym::NONE, 0), Shape::Table, start, end);
    }
    builder.close(mark, (Sym::NONE, 0), Shape::List, from, text.len());
}

fn report_header(text: &str, header: &[(Sym, Cell)], builder: &mut Builder) {
    for (at, (key, cell)) in header.iter().enumerate() {
        if let Some((_, earlier)) = header.iter().take(at).find(|(other, _)| other == key) {
            let shown = text.get(cell.start..cell.end).unwrap_or("");
            builder.push_fault(super::Fault {
                span: Span::new(cell.start, cell.end),
                message: format!("the column `{shown}` stands twice in the header"),
                second: Some((Span::new(earlier.start, earlier.end), "first here".to_owned())),
                repeated_key: true,
            });
        }
    }
}

/// The cells of each record, as byte ranges with quotes. Boundaries are found by `csv-core`.
struct Records<'t> {
    text: &'t str,
    at: usize,
}

impl Iterator for Records<'_> {
    type Item = Vec<Cell>;

    fn next(&mut self) -> Option<Vec<Cell>> {
        let bytes = self.text.as_bytes();
        // blank lines are no records
        while matches!(bytes.get(self.at), Some(b'\n' | b'\r')) {
            self.at += 1;
        }
        if self.at >= bytes.len() {
            return None;
        }
        let mut cells = Vec::new();
        let mut reader = csv_core::Reader::new();
        let mut scratch = [0u8; 256];
        let mut start = self.at;
        loop {
            let rest = bytes.get(self.at..).unwrap_or_default();
            let (result, read, _) = reader.read_field(rest, &mut scratch);
            self.at += read;
            match result {
                csv_core::ReadFieldResult::OutputFull => {}
                csv_core::ReadFieldResult::InputEmpty if !rest.is_empty() => {}
                csv_core::ReadFieldResult::Field { record_end } => {
                    // a field's end is behind its comma or line break, or at the end of the text
                    let mut end = self.at;
                    let last = bytes.get(end.wrapping_sub(1));
                    if end > start && (matches!(last, Some(b'\n' | b'\r')) || (!record_end && last == Some(&b','))) {
                        end -= 1;
                    }
                    cells.push(Cell { start, end });
                    start = self.at;
                    if record_end {
                        return Some(cells);
                    }
                }
                csv_core::ReadFieldResult::InputEmpty | csv_core::ReadFieldResult::End => {
                    return (!cells.is_empty()).then_some(cells);
                }
            }
        }
    }
}

pub(super) fn key_len(rest: &str) -> usize {
    Records { text: rest, at: 0 }.next().and_then(|cells| Some(cells.first()?.end)).unwrap_or(0)
}

/// The content of a cell.
pub(super) fn text(raw: &str, escaped: bool) -> Cow<'_, str> {
    let Some(inner) = raw.strip_prefix('"') else { return Cow::Borrowed(raw) };
    let inner = inner.strip_suffix('"').unwrap_or(inner);
    if escaped { Cow::Owned(inner.replace("\"\"", "\"")) } else { Cow::Borrowed(inner) }
}
