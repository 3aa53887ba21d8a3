//! Rows of cells as a text: where each cell stands, and what a spreadsheet calls it.
//!
//! A sheet of a workbook is read as such a text: a line per row, commas between the cells (RFC 4180).

use std::borrow::Cow;

/// The offset behind the quote that closes the one at an offset, and whether escaped quotes stand between
/// them; none if it is not closed.
pub(crate) fn quoted_end(bytes: &[u8], mut at: usize) -> Option<(usize, bool)> {
    let mut escaped = false;
    at += 1;
    loop {
        at += memchr::memchr(b'"', bytes.get(at..)?)? + 1;
        if bytes.get(at) != Some(&b'"') {
            return Some((at, escaped));
        }
        escaped = true;
        at += 1;
    }
}

/// Where the cell that begins at an offset ends: at a separator, a line break, or the end of the text. Only a
/// quote that begins a cell hides them.
pub(crate) fn cell_end(bytes: &[u8], mut at: usize, separator: u8) -> usize {
    if bytes.get(at) == Some(&b'"') {
        let Some((behind, _)) = quoted_end(bytes, at) else { return bytes.len() };
        at = behind;
    }
    while let Some(byte) = bytes.get(at) {
        if *byte == separator || matches!(byte, b'\n' | b'\r') {
            break;
        }
        at += 1;
    }
    at
}

/// The content of a cell.
pub(crate) fn cell_text(raw: &str, escaped: bool) -> Cow<'_, str> {
    let Some(inner) = raw.strip_prefix('"') else { return Cow::Borrowed(raw) };
    let inner = inner.strip_suffix('"').unwrap_or(inner);
    if escaped { Cow::Owned(inner.replace("\"\"", "\"")) } else { Cow::Borrowed(inner) }
}

/// Whether a sheet's cell with this word and no quotes is read as something else than a text.
pub(crate) fn is_typed(word: &str) -> bool {
    matches!(word, "true" | "false") || word.parse::<f64>().is_ok()
}

/// A cell of a sheet's text.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(super) struct SheetCell<'t> {
    /// As it stands in the text; empty where the sheet has nothing.
    pub(super) raw: &'t str,
    /// Row, from 0.
    pub(super) row: usize,
    /// Column, from 0.
    pub(super) column: usize,
    /// Offset of its first byte.
    pub(super) start: usize,
}

impl SheetCell<'_> {
    /// Whether it is a text, whatever it looks like.
    pub(super) fn is_quoted(&self) -> bool {
        self.raw.starts_with('"')
    }

    /// Its content.
    pub(super) fn text(&self) -> Cow<'_, str> {
        cell_text(self.raw, true)
    }
}

/// The cells of a sheet's text in order, empty ones included. A blank line is a row with one empty cell.
pub(super) fn sheet_cells(text: &str) -> impl Iterator<Item = SheetCell<'_>> {
    let (mut at, mut row, mut column, mut done) = (0, 0, 0, text.is_empty());
    std::iter::from_fn(move || {
        if done {
            return None;
        }
        let start = at;
        at = cell_end(text.as_bytes(), start, b',');
        let cell = SheetCell { raw: text.get(start..at).unwrap_or(""), row, column, start };
        match text.as_bytes().get(at) {
            Some(b',') => (at, column) = (at + 1, column + 1),
            Some(b'\r') if text.as_bytes().get(at + 1) == Some(&b'\n') => (at, row, column) = (at + 2, row + 1, 0),
            Some(_) => (at, row, column) = (at + 1, row + 1, 0),
            None => done = true,
        }
        done |= at >= text.len() && column == 0;
        Some(cell)
    })
}

/// What a spreadsheet calls a cell, counted from 0: `C4`.
pub(crate) fn cell_name(row: usize, column: usize) -> String {
    let mut letters = Vec::new();
    let mut rest = column + 1;
    while rest > 0 {
        letters.push(char::from(b'A' + u8::try_from((rest - 1) % 26).unwrap_or(0)));
        rest = (rest - 1) / 26;
    }
    letters.iter().rev().collect::<String>() + &(row + 1).to_string()
}

/// Row and column of a cell's name, from 0.
pub(super) fn named_cell(name: &str) -> Option<(usize, usize)> {
    let digits = name.find(|c: char| c.is_ascii_digit())?;
    let (letters, digits) = name.split_at(digits);
    let mut column = 0usize;
    for letter in letters.bytes() {
        if !letter.is_ascii_alphabetic() || column > 20_000 {
            return None;
        }
        column = column * 26 + usize::from(letter.to_ascii_uppercase() - b'A') + 1;
    }
    Some((digits.parse::<usize>().ok()?.checked_sub(1)?, column.checked_sub(1)?))
}

/// The name of the cell that an offset in a sheet's text lies in.
pub fn cell_at(text: &str, offset: u32) -> String {
    let last = sheet_cells(text).take_while(|cell| cell.start <= offset as usize).last();
    last.map_or_else(|| cell_name(0, 0), |cell| cell_name(cell.row, cell.column))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_have_the_names_that_spreadsheets_give_them() {
        for (row, column, name) in [(0, 0, "A1"), (3, 2, "C4"), (9, 25, "Z10"), (0, 26, "AA1"), (0, 16_383, "XFD1")] {
            assert_eq!(cell_name(row, column), name);
            assert_eq!(named_cell(name), Some((row, column)));
        }
        assert!(["", "4", "C", "C0", "Ö4"].iter().all(|name| named_cell(name).is_none()));
        let text = "id,note\n\"a\nb\",\"x, \"\"y\"\"\"\n\nlast,";
        let found: Vec<_> = sheet_cells(text).map(|cell| (cell.row, cell.column, cell.text().into_owned())).collect();
        let expected =
            [(0, 0, "id"), (0, 1, "note"), (1, 0, "a\nb"), (1, 1, "x, \"y\""), (2, 0, ""), (3, 0, "last"), (3, 1, "")];
        assert_eq!(found, expected.map(|(row, column, text)| (row, column, text.to_owned())));
        let at = |needle: &str| cell_at(text, text.find(needle).unwrap() as u32);
        assert_eq!((at("note"), at("b\","), at("y"), at("last")), ("B1".into(), "A2".into(), "B2".into(), "A4".into()));
    }
}
