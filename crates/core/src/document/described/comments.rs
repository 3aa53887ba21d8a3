//! Comments that have an end of their own, as `/* … */`: over several lines too.

use std::borrow::Cow;

use super::super::Marks;

/// A text in which such comments are comments of a line, or blanks where something stands behind them, each byte in its
/// place; and where one begins that is never closed. A comment begins a line or stands behind a blank.
pub(in crate::document) fn masked<'t>(text: &'t str, marks: &Marks) -> (Cow<'t, str>, Option<usize>) {
    if marks.blocks.is_empty() {
        return (Cow::Borrowed(text), None);
    }
    let (mut out, mut unclosed) = (text.to_owned().into_bytes(), None);
    let (mut at, mut quoted, mut apart) = (if text.starts_with('\u{feff}') { 3 } else { 0 }, false, true);
    while let Some(c) = text.get(at..).and_then(|rest| rest.chars().next()) {
        let here = text.get(at..).unwrap_or("");
        if let Some((open, close)) = marks.blocks.iter().find(|(open, _)| apart && !quoted && here.starts_with(open)) {
            let len = length(here, open, close);
            unclosed = unclosed.or(len.is_none().then_some(at));
            let end = len.map_or(text.len(), |len| at + len);
            cover(&mut out, (text, at, end), marks);
            (at, apart) = (end, true);
            continue;
        }
        if apart && !quoted && marks.comments.iter().any(|mark| here.starts_with(mark.as_str())) {
            at += here.find('\n').unwrap_or(here.len());
            continue;
        }
        if let Some(len) = here.strip_prefix('"').filter(|_| marks.long && !quoted).and_then(|text| text.find('"')) {
            (at, apart) = (at + len + 2, false);
            continue;
        }
        quoted = c != '\n' && quoted ^ (c == '"');
        apart = c.is_whitespace();
        at += c.len_utf8();
    }
    (String::from_utf8(out).map_or(Cow::Borrowed(text), Cow::Owned), unclosed)
}

/// How long the comment is that begins here. Brackets may hold others.
fn length(text: &str, open: &str, close: &str) -> Option<usize> {
    let nests = matches!((open, close), ("{", "}") | ("(", ")") | ("[", "]") | ("<", ">"));
    let (mut at, mut depth) = (open.len(), 1usize);
    loop {
        let rest = text.get(at..)?;
        let end = rest.find(close)?;
        let inner = rest.get(..end).filter(|_| nests).map_or(0, |inner| inner.matches(open).count());
        depth = depth + inner - 1;
        at += end + close.len();
        if depth == 0 {
            return Some(at);
        }
    }
}

/// Covers a comment: behind it may stand something on its last line.
fn cover(out: &mut [u8], (text, from, to): (&str, usize, usize), marks: &Marks) {
    let behind = text.get(to..).unwrap_or("").lines().next().unwrap_or("");
    let mark = marks.comments.first().filter(|mark| behind.trim().is_empty() && mark.len() <= to - from);
    let fill = if mark.is_some() { b'x' } else { b' ' };
    let Some(covered) = out.get_mut(from..to) else { return };
    covered.fill(fill);
    for (byte, mark) in covered.iter_mut().zip(mark.into_iter().flat_map(|mark| mark.bytes())) {
        *byte = mark;
    }
}

impl Marks {
    /// A text in which comments with an end of their own are blanks or comments of a line.
    pub(crate) fn covered<'t>(&self, text: &'t str) -> Cow<'t, str> {
        masked(text, self).0
    }

    /// What comments begin with, of both sorts.
    pub(crate) fn comment_starts(&self) -> impl Iterator<Item = &str> {
        self.comments.iter().map(String::as_str).chain(self.blocks.iter().map(|(open, _)| open.as_str()))
    }
}
