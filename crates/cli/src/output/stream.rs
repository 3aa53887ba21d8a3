//! What goes to a terminal or into a pipe: the one place at which what comes from data or arguments is made visible.
//!
//! Styles are marked in a way that no data can have (a word made anew in each run), so that every other control
//! character, and every mark that turns the direction of a line, is known to be none of ours.

use std::hash::{BuildHasher, RandomState};
use std::sync::LazyLock;

use anstyle::Style;

/// Begins and ends what is written as it is.
static MARK: LazyLock<(String, char)> =
    LazyLock::new(|| (format!("\u{1b}{:016x}", RandomState::new().hash_one("a style")), '\u{2}'));

/// A text in a style; the stream takes the style out where no colours are wanted.
pub(crate) fn paint(style: Style, text: &str) -> String {
    if text.is_empty() {
        return String::new();
    }
    let (mark, end) = &*MARK;
    format!("{mark}{style}{end}{text}{mark}{style:#}{end}")
}

/// What was drawn with styles of its own (by a library, from texts that are visible): its colours are ours.
pub(crate) fn drawn(text: &str) -> String {
    let (mark, end) = &*MARK;
    let mut out = String::with_capacity(text.len() + 64);
    let mut rest = text;
    while let Some(at) = rest.find("\u{1b}[") {
        let (before, code) = rest.split_at(at);
        out.push_str(before);
        let length = code.find(|c: char| !matches!(c, '\u{1b}' | '[' | ';' | '0'..='9')).unwrap_or(code.len());
        let (style, behind) = code.split_at(length);
        match behind.strip_prefix('m') {
            Some(behind) => {
                out.push_str(&format!("{mark}{style}m{end}"));
                rest = behind;
            }
            None => {
                out.push_str(style);
                rest = behind;
            }
        }
    }
    out.push_str(rest);
    out
}

/// Whether a character moves, hides or turns what stands around it: control characters (C1, too), line separators,
/// marks of direction.
fn is_unseen(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{feff}')
}

/// Text from data on one line, with what is not seen made visible.
pub(crate) fn visible(text: &(impl std::fmt::Display + ?Sized)) -> String {
    let text = text.to_string();
    if !text.chars().any(is_unseen) {
        return text;
    }
    text.chars().map(|c| if is_unseen(c) { c.escape_default().to_string() } else { c.to_string() }).collect()
}

/// Lines as they go out: our styles, line breaks and tabs as they are, everything else that is not seen made visible.
pub(crate) fn clean(text: &str) -> String {
    let plain = |c: char| !is_unseen(c) || matches!(c, '\n' | '\t');
    if text.chars().all(plain) {
        return text.to_owned();
    }
    let (mark, end) = &*MARK;
    let mut out = String::with_capacity(text.len());
    for (nth, part) in text.split(mark.as_str()).enumerate() {
        let (style, rest) = if nth == 0 { ("", part) } else { part.split_once(*end).unwrap_or((part, "")) };
        out.push_str(style);
        for c in rest.chars() {
            match plain(c) {
                true => out.push(c),
                false => out.extend(c.escape_default()),
            }
        }
    }
    out
}

/// As pretty JSON, with everything that is not seen escaped.
pub(crate) fn json<T: serde::Serialize>(value: &T) -> serde_json::Result<String> {
    let mut out = Vec::new();
    let mut writer = serde_json::Serializer::with_formatter(&mut out, Escaping::default());
    value.serialize(&mut writer)?;
    Ok(String::from_utf8(out).unwrap_or_default())
}

/// The pretty layout; texts escape what is not seen.
#[derive(Default)]
struct Escaping<'p>(serde_json::ser::PrettyFormatter<'p>);

impl serde_json::ser::Formatter for Escaping<'_> {
    fn write_string_fragment<W: ?Sized + std::io::Write>(&mut self, out: &mut W, text: &str) -> std::io::Result<()> {
        if !text.chars().any(is_unseen) {
            return out.write_all(text.as_bytes());
        }
        for c in text.chars() {
            match is_unseen(c) {
                // all of these lie in the basic plane
                true => write!(out, "\\u{:04x}", u32::from(c))?,
                false => out.write_all(c.encode_utf8(&mut [0; 4]).as_bytes())?,
            }
        }
        Ok(())
    }
    fn begin_array<W: ?Sized + std::io::Write>(&mut self, out: &mut W) -> std::io::Result<()> {
        self.0.begin_array(out)
    }
    fn end_array<W: ?Sized + std::io::Write>(&mut self, out: &mut W) -> std::io::Result<()> {
        self.0.end_array(out)
    }
    fn begin_array_value<W: ?Sized + std::io::Write>(&mut self, out: &mut W, first: bool) -> std::io::Result<()> {
        self.0.begin_array_value(out, first)
    }
    fn end_array_value<W: ?Sized + std::io::Write>(&mut self, out: &mut W) -> std::io::Result<()> {
        self.0.end_array_value(out)
    }
    fn begin_object<W: ?Sized + std::io::Write>(&mut self, out: &mut W) -> std::io::Result<()> {
        self.0.begin_object(out)
    }
    fn end_object<W: ?Sized + std::io::Write>(&mut self, out: &mut W) -> std::io::Result<()> {
        self.0.end_object(out)
    }
    fn begin_object_key<W: ?Sized + std::io::Write>(&mut self, out: &mut W, first: bool) -> std::io::Result<()> {
        self.0.begin_object_key(out, first)
    }
    fn begin_object_value<W: ?Sized + std::io::Write>(&mut self, out: &mut W) -> std::io::Result<()> {
        self.0.begin_object_value(out)
    }
    fn end_object_value<W: ?Sized + std::io::Write>(&mut self, out: &mut W) -> std::io::Result<()> {
        self.0.end_object_value(out)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_our_own_styles_go_through() {
        let red = anstyle::AnsiColor::Red.on_default();
        let line = format!("a {} \u{1b}[31mb\u{1b}]0;title\u{7} \u{9b}1m \u{202e}c\r", paint(red, "x\u{1b}[2J"));
        let out = clean(&line);
        let begin = format!("{red}");
        assert!(out.starts_with(&format!("a {begin}x\\u{{1b}}[2J{red:#} ")), "{out:?}");
        assert_eq!(out.matches('\u{1b}').count(), 2, "{out:?}");
        assert!(out.ends_with("\\u{1b}[31mb\\u{1b}]0;title\\u{7} \\u{9b}1m \\u{202e}c\\r"), "{out:?}");
        assert_eq!(clean(&drawn("\u{1b}[1;31mx\u{1b}[0m\u{1b}[2J")), "\u{1b}[1;31mx\u{1b}[0m\\u{1b}[2J");
        assert_eq!(clean("two\nlines\tand a tab"), "two\nlines\tand a tab");
        assert_eq!(visible("a\u{2066}b\n"), "a\\u{2066}b\\n");
    }

    #[test]
    fn json_is_read_back_the_same_and_shows_nothing_unseen() {
        let text = "x\u{1b}]0;t\u{7}\u{9b}\u{202e}\u{feff}\"é🐟";
        let out = json(&serde_json::json!({"a": [text, 1], "b": {}})).unwrap();
        assert!(!out.chars().any(|c| is_unseen(c) && c != '\n'), "{out:?}");
        let back: serde_json::Value = serde_json::from_str(&out).unwrap();
        assert_eq!(back["a"][0], text);
    }
}
