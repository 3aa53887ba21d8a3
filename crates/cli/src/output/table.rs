//! Columns of text, as wide as their widest cell.

use anstyle::Style;
use unicode_width::UnicodeWidthStr;

use super::paint;

/// A table in the making.
#[derive(Default)]
pub(crate) struct Table {
    rows: Vec<Vec<(String, Style)>>,
    /// Lines of their own, each before the row of that number.
    heads: Vec<(usize, String)>,
    right: Vec<usize>,
}

impl Table {
    /// Cells of these columns stand on the right.
    pub(crate) fn right(mut self, columns: &[usize]) -> Table {
        self.right = columns.to_vec();
        self
    }

    /// Adds a row.
    pub(crate) fn row(&mut self, cells: impl IntoIterator<Item = (String, Style)>) {
        self.rows.push(cells.into_iter().collect());
    }

    /// Adds a line that stands between rows and has no columns.
    pub(crate) fn head(&mut self, line: String) {
        self.heads.push((self.rows.len(), line));
    }

    /// The lines, each row begun by `indent`.
    pub(crate) fn lines(&self, indent: &str) -> Vec<String> {
        let columns = self.rows.iter().map(Vec::len).max().unwrap_or(0);
        let width = |column: usize| {
            let cells = self.rows.iter().filter_map(|row| row.get(column));
            // one very wide cell does not push the rest away
            cells.map(|(text, _)| text.width()).filter(|width| *width <= 60).max().unwrap_or(0)
        };
        let widths: Vec<usize> = (0..columns).map(width).collect();
        let line = |row: &Vec<(String, Style)>| {
            let mut out = indent.to_owned();
            for (column, (text, style)) in row.iter().enumerate() {
                let pad = " ".repeat(widths.get(column).copied().unwrap_or(0).saturating_sub(text.width()));
                let last = column + 1 == row.len();
                let cell = paint(*style, text);
                match (self.right.contains(&column), last) {
                    (true, _) => out.push_str(&format!("{pad}{cell}")),
                    (false, true) => out.push_str(&cell),
                    (false, false) => out.push_str(&format!("{cell}{pad}")),
                }
                if !last {
                    out.push_str("  ");
                }
            }
            out.trim_end().to_owned()
        };
        let mut heads = self.heads.iter().peekable();
        let mut out = Vec::with_capacity(self.rows.len() + self.heads.len());
        for (nth, row) in self.rows.iter().enumerate() {
            while let Some((_, head)) = heads.next_if(|(at, _)| *at == nth) {
                out.push(head.clone());
            }
            out.push(line(row));
        }
        out.extend(heads.map(|(_, head)| head.clone()));
        out
    }
}
