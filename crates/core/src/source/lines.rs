//! From byte offsets to lines and columns, for messages and JSON output.

use super::span::{Span, to_u32};

/// A line and a column, both counted from 1; columns count code points.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub struct Position {
    /// Line, from 1.
    pub line: u32,
    /// Column in code points, from 1.
    pub column: u32,
}

/// Where the lines of one text begin.
#[derive(Debug)]
pub struct Lines<'t> {
    text: &'t str,
    starts: Vec<u32>,
    /// How many code points come before each stretch of [`STRETCH`] bytes, counted when first asked for: a file may be
    /// one long line.
    counted: std::sync::OnceLock<Vec<u32>>,
}

/// Code points are counted anew in stretches of this many bytes.
const STRETCH: usize = 4096;

impl<'t> Lines<'t> {
    /// Finds the lines of a text. Lines end with LF or CRLF.
    pub fn new(text: &'t str) -> Self {
        let mut starts = vec![0];
        starts.extend(memchr::memchr_iter(b'\n', text.as_bytes()).map(|at| to_u32(at + 1)));
        Lines { text, starts, counted: std::sync::OnceLock::new() }
    }

    /// The number of lines; a text that ends with a line break does not begin another one.
    pub fn count(&self) -> u32 {
        let last_is_empty = self.text.is_empty() || self.text.ends_with('\n');
        to_u32(self.starts.len() - usize::from(last_is_empty && self.starts.len() > 1))
    }

    /// Line and column of an offset. A byte order mark takes no column.
    pub fn position(&self, offset: u32) -> Position {
        let line = self.starts.partition_point(|start| *start <= offset);
        let start = self.starts.get(line.saturating_sub(1)).copied().unwrap_or(0);
        let (from, to) = (start as usize, (offset as usize).clamp(start as usize, self.text.len()));
        // a short line is counted by itself
        let count = match to - from <= STRETCH {
            true => begins(self.text.as_bytes().get(from..to).unwrap_or_default()),
            false => self.chars_before(to).saturating_sub(self.chars_before(from)),
        };
        let mark = start == 0 && to > 0 && self.text.starts_with('\u{feff}');
        Position { line: to_u32(line), column: to_u32(count + 1 - usize::from(mark)) }
    }

    /// How many code points begin before an offset.
    fn chars_before(&self, offset: usize) -> usize {
        let bytes = self.text.as_bytes();
        let counted = self.counted.get_or_init(|| {
            let mut all = 0;
            let mut out = vec![0];
            for stretch in bytes.chunks(STRETCH) {
                all += begins(stretch);
                out.push(to_u32(all));
            }
            out
        });
        let nth = offset / STRETCH;
        let before = counted.get(nth).copied().unwrap_or_default() as usize;
        before + begins(bytes.get(nth * STRETCH..offset).unwrap_or_default())
    }

    /// The text of whole lines `first..=last` (from 1) without the last line break, and its offset.
    pub fn window(&self, first: u32, last: u32) -> (&'t str, u32) {
        let start = self.starts.get(first.max(1) as usize - 1).copied().unwrap_or(0);
        let end = self.starts.get(last as usize).map_or(self.text.len(), |next| *next as usize);
        let text = self.text.get(start as usize..end).unwrap_or("");
        (text.trim_end_matches(['\n', '\r']), start)
    }

    /// The lines that a span touches, from 1.
    pub fn touched(&self, span: Span) -> (u32, u32) {
        let last = if span.end > span.start { span.end - 1 } else { span.end };
        (self.position(span.start).line, self.position(last).line)
    }
}

/// How many code points begin in some bytes of UTF-8.
fn begins(bytes: &[u8]) -> usize {
    bytes.iter().filter(|byte| (**byte & 0xC0) != 0x80).count()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn positions_count_code_points_and_skip_the_byte_order_mark() {
        let text = "\u{feff}eél\r\nreed\n";
        let lines = Lines::new(text);
        let of = |needle: &str| {
            let at = text.find(needle).unwrap();
            let p = lines.position(at as u32);
            (p.line, p.column)
        };
        assert_eq!(of("eél"), (1, 1));
        assert_eq!(of("l\r"), (1, 3));
        assert_eq!(of("reed"), (2, 1));
        assert_eq!(lines.count(), 2);
        assert_eq!(lines.window(1, 1).0, "\u{feff}eél");
        assert_eq!(lines.window(2, 9).0, "reed");
        assert_eq!(lines.position(9_999).line, 3);
    }

    #[test]
    fn columns_of_one_long_line_are_those_that_are_counted_one_by_one() {
        let text: String = "\u{feff}".chars().chain((0..9_000).flat_map(|_| ['é', 'l', '鰻'])).collect();
        let lines = Lines::new(&text);
        for (nth, (at, _)) in text.char_indices().enumerate().skip(1).step_by(997) {
            assert_eq!(lines.position(at as u32), Position { line: 1, column: nth as u32 });
        }
    }
}
