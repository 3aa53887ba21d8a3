//! Tables whose first row is their headings, each further line a row of cells.

use super::super::Marks;
use super::{Reader, Shape, line_end, parts, unquoted};
use crate::names::Sym;
use crate::said::said;

impl Reader<'_, '_, '_, '_, '_> {
    /// A list of tables: what stands between the marks, the first row of which names the cells of the others. An empty
    /// cell, or one that lacks at the end, states nothing.
    pub(super) fn headed(&mut self, key: (Sym, usize)) {
        let Some((open, close)) = &self.marks.headings else { return };
        let start = self.at;
        self.at += open.len();
        let list = self.builder.mark();
        let mut headings: Option<Vec<(Sym, usize)>> = None;
        let mut closed = false;
        loop {
            self.skip();
            if self.rest().starts_with(close.as_str()) {
                self.at += close.len();
                closed = true;
                break;
            }
            // one that is never closed ends with its section
            if self.at >= self.text.len() || self.section().is_some() || self.closing().is_some() {
                break;
            }
            let (from, end) = (self.at, row_end(self.text, self.marks, self.at, close));
            let cells = cells(self.text, self.marks, from, end);
            match &headings {
                None => headings = Some(self.headings(&cells)),
                Some(headings) => self.row(from, end, headings, &cells),
            }
            self.at = end;
        }
        if !closed {
            self.fault(start, start + open.len(), said!("this `{open}` is never closed by `{close}`", open, close));
        }
        self.builder.close(list, key, Shape::List, start, self.at);
    }

    fn headings(&mut self, cells: &[(usize, usize)]) -> Vec<(Sym, usize)> {
        let mut out: Vec<(Sym, usize)> = Vec::with_capacity(cells.len());
        for (from, to) in cells.iter().copied() {
            let word = super::text(self.text.get(from..to).unwrap_or(""));
            let key = self.key(word);
            if word.is_empty() {
                self.fault(from, to, "a heading without a name");
            } else if out.iter().any(|(known, _)| *known == key) {
                self.fault(from, to, format!("the heading `{word}` stands here twice"));
            }
            out.push((key, from));
        }
        out
    }

    fn row(&mut self, from: usize, end: usize, headings: &[(Sym, usize)], cells: &[(usize, usize)]) {
        let row = self.builder.mark();
        let mut seen = Vec::with_capacity(cells.len());
        for ((start, to), key) in cells.iter().zip(headings) {
            if start < to && !seen.contains(&key.0) {
                seen.push(key.0);
                self.leaf(*key, *start, *to);
            }
        }
        if let Some((extra, _)) = cells.get(headings.len()) {
            let message = format!("this row has {} cells, and there are {} headings", cells.len(), headings.len());
            self.fault(*extra, end, message);
        }
        self.builder.close(row, (Sym::NONE, 0), Shape::Table, from, end);
    }
}

/// What parts cells: the mark between several values, whatever blanks stand around it.
pub(super) fn between(join: &str) -> &str {
    match join.trim() {
        "" => join,
        mark => mark,
    }
}

/// The bytes of the cells of a row. A mark behind the last one parts it from nothing.
pub(in super::super) fn cells(text: &str, marks: &Marks, from: usize, to: usize) -> Vec<(usize, usize)> {
    let raw = text.get(from..to).unwrap_or("");
    let mut cells = parts(raw, marks.join.as_deref().map_or(",", between));
    cells.pop_if(|(start, end)| start == end);
    cells.into_iter().map(|(start, end)| (from + start, from + end)).collect()
}

/// Where the row that begins somewhere ends: with its line, or before the mark that closes the table.
pub(in super::super) fn row_end(text: &str, marks: &Marks, from: usize, close: &str) -> usize {
    let end = line_end(text, from, marks);
    let raw = text.get(from..end).unwrap_or("");
    match unquoted(raw, close) {
        Some(at) => from + raw.get(..at).unwrap_or("").trim_end().len(),
        None => end,
    }
}
