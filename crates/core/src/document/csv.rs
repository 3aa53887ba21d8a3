//! The CSV reader (RFC 4180, with the separator, comment mark and header that the rulebook says): a list of
//! rows; each row is a table whose keys are the header's cells. An empty cell is null, a quoted empty one an
//! empty text, and a cell that a short row does not reach is not there.

use rustc_hash::FxHashMap;

use super::builder::Builder;
use super::{Rows, Shape};
use crate::names::{NameCache, Sym};
use crate::said::said;
use crate::source::{Span, cell_end, cell_text, quoted_end};

/// A cell's bytes, quotes included.
pub(super) struct Cell {
    pub(super) start: usize,
    pub(super) end: usize,
}

/// The header's cells, then those of each row.
pub(super) fn records<'t>(text: &'t str, rows: &'t Rows) -> Vec<Vec<Cell>> {
    let mut records = Records::new(text, rows);
    let header = if rows.is_bare() { Some(Vec::new()) } else { records.header() };
    let Some(header) = header else { return Vec::new() };
    let mut all = vec![header];
    records.skip_below();
    let mut cells = Vec::new();
    while records.next_into(&mut cells) {
        all.push(std::mem::take(&mut cells));
    }
    all
}

pub(super) fn read(text: &str, rows: &Rows, names: &mut NameCache<'_>, builder: &mut Builder) {
    if rows.is_bare() {
        return bare(text, rows, names, builder);
    }
    let mut records = Records::new(text, rows);
    let from = records.at;
    let mark = builder.mark();
    let header: Vec<(Sym, Cell)> = match records.header() {
        Some(cells) => cells
            .into_iter()
            .map(|cell| {
                let raw = text.get(cell.start..cell.end).unwrap_or("");
                (names.intern(cell_text(raw.trim(), raw.contains("\"\"")).trim()), cell)
            })
            .collect(),
        None => {
            builder.fault(Span::new(from, from), "the file has no header row".to_owned());
            Vec::new()
        }
    };
    report_header(text, &header, builder);
    records.skip_below();
    let bytes = text.as_bytes();
    let mut ends = [false; 256];
    for byte in [rows.separator, b'\n', b'\r'] {
        if let Some(end) = ends.get_mut(usize::from(byte)) {
            *end = true;
        }
    }
    while records.pass_blank() {
        let (start, row) = (records.at, builder.mark());
        let (mut at, mut count, mut extra) = (start, 0, None);
        // one pass over the bytes: a file of rows is the largest that games have
        loop {
            let from = at;
            let quoted = bytes.get(at) == Some(&b'"');
            let closed = if quoted { quoted_end(bytes, at) } else { None };
            let content = closed.map_or(if quoted { bytes.len() } else { at }, |(behind, _)| behind);
            let rest = bytes.get(content..).unwrap_or_default();
            let len = rest.iter().position(|byte| ends.get(usize::from(*byte)) == Some(&true));
            at = content + len.unwrap_or(rest.len());
            match header.get(count) {
                Some((key, head)) if at == from => builder.leaf(*key, head.start, Shape::Null, false, from, at),
                Some((key, head)) => {
                    let cell = Cell { start: from, end: at };
                    let escaped = match closed {
                        Some((behind, escaped)) if behind == at => escaped,
                        _ => quoted && is_escaped(text, &cell, builder),
                    };
                    value(text, rows, (*key, head.start), (&cell, quoted, escaped), builder);
                }
                None => extra = extra.or(Some(from)),
            }
            count += 1;
            if bytes.get(at) != Some(&rows.separator) {
                break;
            }
            at += 1;
        }
        if let Some(extra) = extra {
            let message =
                said!("this row has {cells} cells, the header {columns}", cells = count, columns = header.len());
            builder.fault(Span::new(extra, at), message);
        }
        builder.close(row, (Sym::NONE, 0), Shape::Table, start, at);
        records.at = (at + 1).min(bytes.len());
    }
    builder.close(mark, (Sym::NONE, 0), Shape::List, from, text.len());
}

/// Rows of which none holds the names of the columns: tables where the rulebook names them, lists of cells otherwise.
fn bare(text: &str, rows: &Rows, names: &mut NameCache<'_>, builder: &mut Builder) {
    let columns: Vec<Sym> = rows.bare_columns().map(|name| names.intern(name)).collect();
    let fixed = columns.len() - usize::from(rows.rest().is_some());
    let mut records = Records::new(text, rows);
    let (from, whole) = (records.at, builder.mark());
    records.skip_below();
    let mut cells = Vec::new();
    while records.next_into(&mut cells) {
        let row = builder.mark();
        let (start, end) = (cells.first().map_or(0, |cell| cell.start), cells.last().map_or(0, |cell| cell.end));
        let named = if columns.is_empty() { cells.len() } else { fixed.min(cells.len()) };
        let (first, rest) = cells.split_at(named);
        for (nth, cell) in first.iter().enumerate() {
            let key = columns.get(nth).map_or((Sym::NONE, 0), |key| (*key, cell.start));
            leaf(text, rows, key, cell, builder);
        }
        match (rest.first(), columns.get(fixed)) {
            (Some(one), Some(key)) => {
                let list = builder.mark();
                rest.iter().for_each(|cell| leaf(text, rows, (Sym::NONE, 0), cell, builder));
                builder.close(list, (*key, one.start), Shape::List, one.start, end);
            }
            (Some(one), None) => {
                let message = said!(
                    "this row has {cells} cells, and there are {columns} columns",
                    cells = cells.len(),
                    columns = fixed
                );
                builder.fault(Span::new(one.start, end), message);
            }
            (None, _) => {}
        }
        let shape = if columns.is_empty() { Shape::List } else { Shape::Table };
        builder.close(row, (Sym::NONE, 0), shape, start, end);
    }
    match &rows.rows {
        Some(field) => {
            let field = names.intern(field);
            builder.close(whole, (field, from), Shape::List, from, text.len());
            builder.close(whole, (Sym::NONE, 0), Shape::Table, from, text.len());
        }
        None => builder.close(whole, (Sym::NONE, 0), Shape::List, from, text.len()),
    }
}

fn leaf(text: &str, rows: &Rows, key: (Sym, usize), cell: &Cell, builder: &mut Builder) {
    if cell.start == cell.end {
        return builder.leaf(key.0, key.1, Shape::Null, false, cell.start, cell.end);
    }
    let quoted = text.as_bytes().get(cell.start) == Some(&b'"');
    let escaped = quoted && is_escaped(text, cell, builder);
    value(text, rows, key, (cell, quoted, escaped), builder);
}

/// What a cell holds that is not empty: a text, or several with the sign between them.
fn value(
    text: &str,
    rows: &Rows,
    key: (Sym, usize),
    (cell, quoted, escaped): (&Cell, bool, bool),
    builder: &mut Builder,
) {
    let joined =
        |join: &String| !escaped && text.get(cell.start..cell.end).is_some_and(|raw| raw.contains(join.as_str()));
    match &rows.join {
        Some(join) if joined(join) => list(text, join, key, cell, quoted, builder),
        _ => builder.leaf(key.0, key.1, Shape::Text, escaped, cell.start, cell.end),
    }
}

/// Whether a cell in quotes that does not end with them has escaped ones in it. One that is not closed is a
/// fault.
fn is_escaped(text: &str, cell: &Cell, builder: &mut Builder) -> bool {
    let raw = text.get(cell.start..cell.end).unwrap_or("");
    // a quote that ends the text may be half of an escaped one
    if raw.matches('"').count() % 2 == 1 || !raw.ends_with('"') {
        let message = "this quoted cell is not closed by `\"`".to_owned();
        builder.fault(Span::new(cell.start, cell.start + 1), message);
    }
    raw.get(1..raw.len().max(2) - 1).unwrap_or("").contains("\"\"")
}

/// Several values in one cell, without the white space around them.
fn list(text: &str, join: &str, key: (Sym, usize), cell: &Cell, quoted: bool, builder: &mut Builder) {
    let mark = builder.mark();
    let (start, end) = if quoted { (cell.start + 1, cell.end.saturating_sub(1)) } else { (cell.start, cell.end) };
    let mut at = start;
    for part in text.get(start..end.max(start)).unwrap_or("").split(join) {
        let lead = part.len() - part.trim_start().len();
        let (first, len) = (at + lead, part.trim().len());
        builder.leaf(Sym::NONE, 0, Shape::Text, false, first, first + len);
        at += part.len() + join.len();
    }
    builder.close(mark, key, Shape::List, cell.start, cell.end);
}

fn report_header(text: &str, header: &[(Sym, Cell)], builder: &mut Builder) {
    let mut first: FxHashMap<Sym, &Cell> = FxHashMap::default();
    for (key, cell) in header {
        if let Some(earlier) = first.get(key) {
            let shown = text.get(cell.start..cell.end).unwrap_or("");
            builder.push_fault(super::Fault {
                span: Span::new(cell.start, cell.end),
                message: said!("the column `{column}` stands twice in the header", column = shown),
                second: Some((Span::new(earlier.start, earlier.end), "first here".into())),
                repeated_key: true,
            });
        } else {
            first.insert(*key, cell);
        }
    }
}

/// The cells of each record, as byte ranges with quotes.
struct Records<'t> {
    text: &'t str,
    at: usize,
    rows: &'t Rows,
}

impl<'t> Records<'t> {
    fn new(text: &'t str, rows: &'t Rows) -> Records<'t> {
        Records { text, at: if text.starts_with('\u{feff}') { 3 } else { 0 }, rows }
    }

    /// The header's cells. Of a sheet blank rows count, as they have a number.
    fn header(&mut self) -> Option<Vec<Cell>> {
        let mut cells = Vec::new();
        for _ in 1..self.rows.header {
            self.pass(&mut cells);
        }
        self.next_into(&mut cells).then_some(cells)
    }

    /// Passes over the rows below the header that are not read.
    fn skip_below(&mut self) {
        for _ in 0..self.rows.skip {
            self.pass(&mut Vec::new());
        }
    }

    fn pass(&mut self, cells: &mut Vec<Cell>) {
        match self.text.as_bytes().get(self.at) {
            Some(b'\n') if self.rows.sheet => self.at += 1,
            _ => drop(self.next_into(cells)),
        }
    }

    /// Passes blank lines and comments, which are no records; false at the end of the text.
    fn pass_blank(&mut self) -> bool {
        let bytes = self.text.as_bytes();
        loop {
            match bytes.get(self.at) {
                Some(b'\n' | b'\r') => self.at += 1,
                Some(_) if self.rows.is_comment(self.text.get(self.at..).unwrap_or("")) => {
                    let rest = bytes.get(self.at..).unwrap_or_default();
                    self.at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                }
                at => return at.is_some(),
            }
        }
    }

    /// The next record's cells in place of those that are there; false at the end of the text.
    fn next_into(&mut self, cells: &mut Vec<Cell>) -> bool {
        cells.clear();
        if !self.pass_blank() {
            return false;
        }
        let bytes = self.text.as_bytes();
        loop {
            let start = self.at;
            self.at = cell_end(bytes, start, self.rows.separator);
            cells.push(Cell { start, end: self.at });
            let ended = bytes.get(self.at).copied();
            self.at += usize::from(ended.is_some());
            if ended != Some(self.rows.separator) {
                return true;
            }
        }
    }
}

pub(super) fn key_len(rest: &str, rows: &Rows) -> usize {
    cell_end(rest.as_bytes(), 0, rows.separator)
}
