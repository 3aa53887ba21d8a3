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

    /// The lines, each row begun by `indent`; folded where a person's window is too narrow for them.
    pub(crate) fn lines(&self, indent: &str) -> Vec<String> {
        self.lines_within(indent, window())
    }

    fn lines_within(&self, indent: &str, window: usize) -> Vec<String> {
        let columns = self.rows.iter().map(Vec::len).max().unwrap_or(0);
        let width = |column: usize| {
            let cells = self.rows.iter().filter_map(|row| row.get(column));
            // one very wide cell does not push the rest away
            cells.map(|(text, _)| text.width()).filter(|width| *width <= 60).max().unwrap_or(0)
        };
        let widths: Vec<usize> = (0..columns).map(width).collect();
        let line = |row: &Vec<(String, Style)>| {
            let before = row.len().saturating_sub(1);
            let before: usize =
                widths.iter().take(before).zip(row).map(|(width, (text, _))| width.max(&text.width()) + 2).sum();
            let last = row.last().map_or(0, |(text, _)| text.width());
            if indent.width() + before + last > window {
                return folded(row, &widths, indent, window).join("\n");
            }
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

/// The columns of the window in which a person reads; as many as anything needs where nobody does.
fn window() -> usize {
    let size = terminal_size::terminal_size_of(std::io::stdout());
    size.map_or(usize::MAX, |(width, _)| usize::from(width.0).max(20))
}

/// Prose, in lines as wide as the window, each begun by `indent`.
pub(crate) fn prose(indent: &str, text: &str) -> Vec<String> {
    let width = window().saturating_sub(indent.width());
    in_words(text, width, width).iter().map(|line| format!("{indent}{line}")).collect()
}

/// A row on several lines: what does not fit goes on below, further in.
fn folded(row: &[(String, Style)], widths: &[usize], indent: &str, window: usize) -> Vec<String> {
    let deeper = format!("{indent}    ");
    let mut lines = Vec::new();
    let (mut line, mut used) = (indent.to_owned(), indent.width());
    let mut fresh = true;
    for (column, (text, style)) in row.iter().enumerate() {
        if !fresh && used + text.width() > window {
            lines.push(line.trim_end().to_owned());
            (line, used) = (deeper.clone(), deeper.width());
        }
        for (nth, piece) in in_words(text, window.saturating_sub(used), window - deeper.width()).iter().enumerate() {
            if nth > 0 {
                lines.push(line.trim_end().to_owned());
                (line, used) = (deeper.clone(), deeper.width());
            }
            line.push_str(&paint(*style, piece));
            used += piece.width();
        }
        let pad = widths.get(column).copied().unwrap_or(0).saturating_sub(text.width()) + 2;
        if used + pad < window {
            line.push_str(&" ".repeat(pad));
            used += pad;
        }
        fresh &= text.is_empty();
    }
    lines.push(line.trim_end().to_owned());
    lines
}

/// A text in pieces that break between words: the first at most so wide, and each further one.
fn in_words(text: &str, first: usize, further: usize) -> Vec<String> {
    let mut out = vec![String::new()];
    for word in text.split(' ') {
        let most = if out.len() == 1 { first } else { further };
        let Some(piece) = out.last_mut() else { continue };
        if !piece.is_empty() && piece.width() + 1 + word.width() > most {
            out.push(word.to_owned());
        } else {
            if !piece.is_empty() {
                piece.push(' ');
            }
            piece.push_str(word);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_fold_where_the_window_is_narrow() {
        let mut table = Table::default();
        table.row([("eel".to_owned(), Style::new()), ("4 groats".to_owned(), Style::new())]);
        let long = "a lamp that should last a winter night, and the next";
        table.row([
            ("lamp".to_owned(), Style::new()),
            (long.to_owned(), Style::new()),
            ("base".to_owned(), Style::new()),
        ]);
        let lines: Vec<String> = table.lines_within("  ", 30).iter().map(|line| crate::output::clean(line)).collect();
        let wanted = [
            "  eel   4 groats",
            "  lamp\n      a lamp that should last\n      a winter night, and the\n      next  base",
        ];
        assert_eq!(lines, wanted);
        assert_eq!(table.lines_within("", usize::MAX).len(), 2);
    }
}
