//! The JSON reader: strict JSON (RFC 8259) plus comments and trailing commas, which are noted.
//!
//! It goes on after a fault: a missing comma, a bare word or a single-quoted text is reported and
//! what was meant is read, so that one slip does not hide the rest of the file.

mod lost;

use std::borrow::Cow;

use self::lost::Lost;
use super::builder::{Builder, report_repeated, too_deep};
use super::{DEPTH_LIMIT, Lenient, Shape};
use crate::names::{NameCache, Sym};
use crate::said::{Said, said};
use crate::source::Span;

pub(super) fn read(text: &str, names: &mut NameCache<'_>, builder: &mut Builder) {
    let mut reader = Reader {
        text,
        bytes: text.as_bytes(),
        at: 0,
        names,
        builder,
        deep: 0,
        ended: false,
        resumed: false,
        searched: 0,
    };
    if text.starts_with('\u{feff}') {
        reader.at = 3;
    }
    reader.skip();
    if reader.at >= reader.bytes.len() {
        reader.builder.fault(Span::new(0, text.len()), "the file is empty".to_owned());
        reader.builder.leaf(Sym::NONE, 0, Shape::Broken, false, 0, 0);
        return;
    }
    reader.value((Sym::NONE, 0));
    reader.skip();
    if reader.at < reader.bytes.len() {
        let rest = Span::new(reader.at, reader.word_end(reader.at));
        reader.builder.fault(rest, "nothing may follow the end of the value".to_owned());
    }
}

struct Reader<'t, 'c, 'n> {
    text: &'t str,
    bytes: &'t [u8],
    at: usize,
    names: &'c mut NameCache<'n>,
    builder: &'c mut Builder,
    deep: usize,
    /// Whether an end of the text that comes too early was reported already.
    ended: bool,
    /// Whether a list that was not closed has read the comma before what is read next.
    resumed: bool,
    /// How often it was searched for what is lost.
    searched: usize,
}

impl Reader<'_, '_, '_> {
    #[inline]
    fn peek(&self) -> Option<u8> {
        self.bytes.get(self.at).copied()
    }

    fn fault(&mut self, start: usize, end: usize, message: impl Into<Said>) {
        self.builder.fault(Span::new(start, end), message.into());
    }

    /// Over white space and comments.
    #[inline]
    fn skip(&mut self) {
        while let Some(byte) = self.peek() {
            match byte {
                b' ' | b'\n' | b'\r' | b'\t' => self.at += 1,
                b'/' => {
                    if !self.comment() {
                        return;
                    }
                }
                _ => return,
            }
        }
    }

    fn comment(&mut self) -> bool {
        let start = self.at;
        let rest = self.bytes.get(start..).unwrap_or_default();
        if rest.starts_with(b"//") {
            self.at = memchr::memchr(b'\n', rest).map_or(self.bytes.len(), |n| start + n);
        } else if rest.starts_with(b"/*") {
            match memchr::memmem::find(rest.get(2..).unwrap_or_default(), b"*/") {
                Some(n) => self.at = start + n + 4,
                None => {
                    self.fault(start, start + 2, "this comment is never closed by `*/`");
                    self.at = self.bytes.len();
                }
            }
        } else {
            return false;
        }
        self.builder.lenient(Span::new(start, self.at), Lenient::Comment);
        true
    }

    fn value(&mut self, key: (Sym, usize)) {
        let start = self.at;
        match self.peek() {
            Some(b'"') => {
                let escaped = self.string();
                self.builder.leaf(key.0, key.1, Shape::Text, escaped, start, self.at);
            }
            Some(b'{' | b'[') if self.deep >= DEPTH_LIMIT => {
                let message = too_deep();
                self.fault(start, start + 1, message);
                self.skip_balanced();
                self.ended |= self.at >= self.bytes.len();
                self.builder.leaf(key.0, key.1, Shape::Broken, false, start, self.at);
            }
            Some(b'{') => self.table(key),
            Some(b'[') => self.list(key),
            Some(b'-' | b'0'..=b'9') => self.number(key),
            _ => self.word(key),
        }
    }

    /// Over a string whose first byte is its quote. Returns whether it holds escapes.
    #[inline]
    fn string(&mut self) -> bool {
        let start = self.at;
        let mut escaped = false;
        self.at += 1;
        loop {
            self.at += plain_length(self.bytes.get(self.at..).unwrap_or_default());
            match self.peek() {
                Some(b'"') => {
                    self.at += 1;
                    return escaped;
                }
                Some(b'\\') => {
                    escaped = true;
                    self.escape();
                }
                Some(b'\n' | b'\r') | None => {
                    self.fault(start, self.at, "this text is not closed by `\"` on its line");
                    return escaped;
                }
                Some(0..0x20) => {
                    let message = "a control character must be written as an escape, as `\\t`";
                    self.fault(self.at, self.at + 1, message);
                    self.at += 1;
                }
                Some(_) => self.at += 1,
            }
        }
    }

    fn hex4(&self, at: usize) -> Option<u32> {
        let digits = self.bytes.get(at..at + 4)?;
        digits.iter().try_fold(0, |sum, byte| Some(sum * 16 + (*byte as char).to_digit(16)?))
    }

    fn escape(&mut self) {
        let start = self.at;
        match self.bytes.get(start + 1) {
            Some(b'"' | b'\\' | b'/' | b'b' | b'f' | b'n' | b'r' | b't') => self.at += 2,
            Some(b'u') => match self.hex4(start + 2) {
                Some(0xD800..0xDC00) => {
                    let low = self.bytes.get(start + 6..start + 8) == Some(b"\\u");
                    if low && self.hex4(start + 8).is_some_and(|n| (0xDC00..0xE000).contains(&n)) {
                        self.at += 12;
                    } else {
                        self.fault(start, start + 6, "half of a surrogate pair is no character");
                        self.at += 6;
                    }
                }
                Some(0xDC00..0xE000) => {
                    self.fault(start, start + 6, "half of a surrogate pair is no character");
                    self.at += 6;
                }
                Some(_) => self.at += 6,
                None => {
                    self.fault(start, start + 2, "`\\u` needs four hexadecimal digits");
                    self.at += 2;
                }
            },
            Some(b'\n' | b'\r') | None => self.at += 1,
            Some(_) => {
                let end = start + 1 + self.char_len(start + 1);
                let shown = self.text.get(start..end).unwrap_or("\\").to_owned();
                self.fault(start, end, said!("`{shown}` is no escape; a backslash itself is `\\\\`", shown));
                self.at = end;
            }
        }
    }

    fn char_len(&self, at: usize) -> usize {
        self.text.get(at..).and_then(|rest| rest.chars().next()).map_or(1, char::len_utf8)
    }

    fn number(&mut self, key: (Sym, usize)) {
        let start = self.at;
        let digits = |reader: &mut Self| {
            let from = reader.at;
            while matches!(reader.peek(), Some(b'0'..=b'9')) {
                reader.at += 1;
            }
            reader.at > from
        };
        if self.peek() == Some(b'-') {
            self.at += 1;
        }
        let leading_zero = self.peek() == Some(b'0');
        let int_start = self.at;
        let mut good = digits(self) && !(leading_zero && self.at - int_start > 1);
        if self.peek() == Some(b'.') {
            self.at += 1;
            good &= digits(self);
        }
        if matches!(self.peek(), Some(b'e' | b'E')) {
            self.at += 1;
            if matches!(self.peek(), Some(b'+' | b'-')) {
                self.at += 1;
            }
            good &= digits(self);
        }
        let end = self.word_end(self.at).max(self.at);
        if good && end == self.at {
            self.builder.leaf(key.0, key.1, Shape::Number, false, start, end);
            return;
        }
        self.at = end;
        let shown = self.text.get(start..end).unwrap_or("").to_owned();
        let hint = if leading_zero && shown.bytes().all(|b| b.is_ascii_digit()) {
            "; leave out the leading zero, or quote it"
        } else {
            ""
        };
        self.fault(start, end, said!("`{shown}` is no number{hint}", shown, hint));
        self.builder.leaf(key.0, key.1, Shape::Broken, false, start, end);
    }

    /// The end of a run of letters, digits and the like.
    fn word_end(&self, from: usize) -> usize {
        let stop = |c: char| !(c.is_alphanumeric() || matches!(c, '_' | '-' | '+' | '.' | '$' | ':' | '@'));
        let rest = self.text.get(from..).unwrap_or("");
        from + rest.find(stop).unwrap_or(rest.len())
    }

    fn word(&mut self, key: (Sym, usize)) {
        let start = self.at;
        let rest = self.text.get(start..).unwrap_or("");
        let stop = |c: char| !(c.is_alphanumeric() || matches!(c, '_' | '-' | '+' | '.'));
        let word = rest.get(..rest.find(stop).unwrap_or(rest.len())).unwrap_or("");
        let shape = match word {
            "true" | "false" => Shape::Boolean,
            "null" => Shape::Null,
            _ => Shape::Broken,
        };
        self.at += word.len();
        if shape == Shape::Broken {
            if word.is_empty() {
                self.strange_value(start);
            } else {
                let lower = word.to_ascii_lowercase();
                let message = match lower.as_str() {
                    "true" | "false" | "null" => said!("`{word}` must be written `{lower}`", word, lower),
                    _ => said!("`{word}` must be quoted: \"{word}\"", word),
                };
                self.fault(start, self.at, message);
            }
        }
        self.builder.leaf(key.0, key.1, shape, false, start, self.at);
    }

    /// At something that begins no value: says so, and moves over it where that helps.
    fn strange_value(&mut self, start: usize) {
        match self.peek() {
            Some(b'\'') => {
                let line = self.text.get(start + 1..).unwrap_or("").lines().next().unwrap_or("");
                let len = line.find('\'').map_or(line.len(), |n| n + 1);
                self.at = start + 1 + len;
                self.fault(start, self.at, "texts are quoted by `\"`, not by `'`");
            }
            Some(b',' | b'}' | b']') => self.fault(start, start + 1, "a value is missing here"),
            None => self.fault(start, start, "a value is missing here"),
            Some(_) => {
                let end = start + self.char_len(start);
                let shown = self.text.get(start..end).unwrap_or("").escape_debug().to_string();
                self.fault(start, end, said!("`{shown}` begins no value", shown));
                self.at = end;
            }
        }
    }

    fn list(&mut self, key: (Sym, usize)) {
        let start = self.at;
        let mark = self.builder.mark();
        self.deep += 1;
        self.at += 1;
        let mut last_comma = None;
        loop {
            self.skip();
            if self.ends((start, "list"), (b']', b'}'), last_comma) {
                break;
            }
            let before = self.at;
            self.value((Sym::NONE, 0));
            if self.bytes.get(before) == Some(&b'"') && self.is_key() {
                self.builder.take_back();
                match self.lost(before, mark) {
                    Lost::Opening => {
                        self.at = before;
                        let word = self.text.get(before..before + key_len(self.text.get(before..).unwrap_or("")));
                        let message =
                            said!("a `{open}` is missing before {key}", open = "{", key = word.unwrap_or("this key"));
                        self.fault(before, before + word.map_or(1, str::len), message);
                        self.fields((Sym::NONE, 0), before, b'}');
                    }
                    Lost::Closing => {
                        self.unclosed(start, "list", ']');
                        (self.at, self.resumed) = (before, true);
                        break;
                    }
                    Lost::Both => {
                        let message = "entries with keys stand in `{` and `}`, not in `[` and `]`";
                        self.fault(start, start + 1, message);
                        self.at = before;
                        self.deep -= 1;
                        return self.fields(key, start, b']');
                    }
                }
            }
            last_comma = self.comma(b']', before);
            if self.at == before {
                // a stray closing bracket: said already
                self.at += 1;
            }
        }
        self.deep -= 1;
        self.builder.close(mark, key, Shape::List, start, self.at);
    }

    fn table(&mut self, key: (Sym, usize)) {
        let start = self.at;
        self.at += 1;
        self.fields(key, start, b'}');
    }

    /// The entries of a table, which begins at `start` and ends with `close`.
    fn fields(&mut self, key: (Sym, usize), start: usize, close: u8) {
        let mark = self.builder.mark();
        let other = if close == b'}' { b']' } else { b'}' };
        self.deep += 1;
        let mut last_comma = None;
        loop {
            self.skip();
            if self.ends((start, "table"), (close, other), last_comma) {
                break;
            }
            let before = self.at;
            let Some(entry) = self.key() else { continue };
            self.skip();
            if self.peek() == Some(b':') {
                self.at += 1;
                self.skip();
                self.value(entry);
            } else if matches!(self.peek(), Some(b'=')) {
                self.fault(self.at, self.at + 1, "a key is followed by `:`, not by `=`");
                self.at += 1;
                self.skip();
                self.value(entry);
            } else if matches!(self.peek(), Some(b',' | b'}' | b']') | None) {
                self.fault(entry.1, self.at, "this key has no value");
                self.builder.leaf(entry.0, entry.1, Shape::Broken, false, self.at, self.at);
            } else {
                self.fault(self.at, self.at, "a `:` is missing between key and value");
                self.value(entry);
            }
            last_comma = self.comma(close, before);
        }
        self.deep -= 1;
        report_repeated(self.builder, mark, self.text, key_len);
        self.builder.close(mark, key, Shape::Table, start, self.at);
    }

    fn key(&mut self) -> Option<(Sym, usize)> {
        let start = self.at;
        if self.peek() == Some(b'"') {
            let behind = self.text.as_bytes().get(start + 1..).unwrap_or_default();
            if let Some((sym, length)) = self.names.expected(behind, b'"') {
                self.at = start + length + 2;
                return Some((sym, start));
            }
            let escaped = self.string();
            let raw = self.text.get(start..self.at).unwrap_or("");
            let inner = raw.strip_prefix('"').and_then(|raw| raw.strip_suffix('"'));
            let sym = match inner {
                Some(inner) if !escaped && !inner.contains(char::is_control) => self.names.intern_key(inner),
                _ => self.names.intern(&text(raw, escaped)),
            };
            return Some((sym, start));
        }
        let single = self.peek() == Some(b'\'');
        let end = if single {
            let line = self.text.get(start + 1..).unwrap_or("").lines().next().unwrap_or("");
            start + 1 + line.find('\'').map_or(line.len(), |n| n + 1)
        } else {
            let rest = self.text.get(start..).unwrap_or("");
            let stop = |c: char| !(c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | '$' | '@'));
            start + rest.find(stop).unwrap_or(rest.len())
        };
        if end > start {
            let word = self.text.get(start..end).unwrap_or("").trim_matches('\'').to_owned();
            self.at = end;
            self.fault(start, end, said!("keys are quoted: \"{word}\"", word));
            return Some((self.names.intern(&word), start));
        }
        if self.peek() == Some(b',') {
            self.fault(start, start + 1, "a comma too many");
            self.at += 1;
            return None;
        }
        let end = start + self.char_len(start);
        let shown = self.text.get(start..end).unwrap_or("").escape_debug().to_string();
        self.fault(start, end, said!("`{shown}` begins no key", shown));
        if matches!(self.peek(), Some(b'{' | b'[')) {
            self.skip_balanced();
        } else {
            self.at = end;
        }
        None
    }

    /// After an entry: over the comma, whose place is returned. Says when it is missing.
    fn comma(&mut self, close: u8, entry_start: usize) -> Option<usize> {
        // a list that was not closed has read it
        if std::mem::take(&mut self.resumed) {
            return None;
        }
        let end = self.at;
        self.skip();
        match self.peek() {
            Some(b',') => {
                self.at += 1;
                return Some(self.at - 1);
            }
            Some(byte) if byte == close || matches!(byte, b'}' | b']') => {}
            Some(b';') => {
                self.fault(self.at, self.at + 1, "entries are separated by `,`, not by `;`");
                self.at += 1;
            }
            Some(_) => {
                if self.at > end || end > entry_start {
                    self.fault(end, end, "a comma is missing here");
                }
                if self.at == entry_start {
                    self.at += self.char_len(self.at);
                }
            }
            None => {}
        }
        None
    }

    /// Whether a container ends here, by its own bracket, by another's, or with the text.
    fn ends(&mut self, what: (usize, &str), (own, other): (u8, u8), last_comma: Option<usize>) -> bool {
        match self.peek() {
            Some(byte) if byte == own => {
                self.trailing(last_comma);
                self.at += 1;
                true
            }
            Some(byte) if byte == other && (self.deep > 1 || self.at + 1 >= self.bytes.len()) => {
                self.unclosed(what.0, what.1, own as char);
                true
            }
            None => {
                match (!self.ended).then(|| self.outdented()).flatten() {
                    Some((open, close)) => {
                        self.at = close;
                        let of_list = self.bytes.get(open) == Some(&b'[');
                        let (what, own) = if of_list { ("list", ']') } else { ("table", '}') };
                        self.unclosed(open, what, own);
                        (self.at, self.ended) = (self.bytes.len(), true);
                    }
                    None => self.unclosed(what.0, what.1, own as char),
                }
                true
            }
            Some(_) => false,
        }
    }

    fn trailing(&mut self, comma: Option<usize>) {
        if let Some(at) = comma {
            self.builder.lenient(Span::new(at, at + 1), Lenient::TrailingComma);
        }
    }
}

/// The length of the key at the start of `rest`, quotes included.
pub(super) fn key_len(rest: &str) -> usize {
    let quote = match rest.bytes().next() {
        Some(quote @ (b'"' | b'\'')) => quote,
        _ => {
            let stop = |c: char| !(c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | '$' | '@'));
            return rest.find(stop).unwrap_or(rest.len());
        }
    };
    let mut escaped = false;
    for (at, byte) in rest.bytes().enumerate().skip(1) {
        match byte {
            _ if escaped => escaped = false,
            b'\\' => escaped = true,
            b'\n' | b'\r' => return at,
            _ if byte == quote => return at + 1,
            _ => {}
        }
    }
    rest.len()
}

/// The content of a quoted text. Faulty escapes stand for themselves.
pub(super) fn text(raw: &str, escaped: bool) -> Cow<'_, str> {
    let inner = raw.strip_prefix('"').unwrap_or(raw);
    if !escaped {
        return Cow::Borrowed(inner.strip_suffix('"').unwrap_or(inner));
    }
    let mut out = String::with_capacity(inner.len());
    let mut chars = inner.char_indices();
    while let Some((at, c)) = chars.next() {
        match c {
            '"' => break,
            '\\' => {}
            _ => {
                out.push(c);
                continue;
            }
        }
        let hex = |from: usize| {
            let digits = inner.get(from..from + 4).filter(|d| d.bytes().all(|b| b.is_ascii_hexdigit()))?;
            u32::from_str_radix(digits, 16).ok()
        };
        match chars.next().map(|(_, c)| c) {
            Some('b') => out.push('\u{8}'),
            Some('f') => out.push('\u{c}'),
            Some('n') => out.push('\n'),
            Some('r') => out.push('\r'),
            Some('t') => out.push('\t'),
            Some('u') => {
                let (code, units) = match (hex(at + 2), hex(at + 8)) {
                    (Some(high @ 0xD800..0xDC00), Some(low @ 0xDC00..0xE000))
                        if inner.get(at + 6..at + 8) == Some("\\u") =>
                    {
                        (Some(0x10000 + ((high - 0xD800) << 10) + (low - 0xDC00)), 10)
                    }
                    (Some(code), _) => (Some(code), 4),
                    _ => (None, 0),
                };
                match code.map(char::from_u32) {
                    Some(Some(c)) => out.push(c),
                    Some(None) => out.push(char::REPLACEMENT_CHARACTER),
                    None => out.push_str("\\u"),
                }
                for _ in 0..units {
                    chars.next();
                }
            }
            Some(c @ ('"' | '\\' | '/')) => out.push(c),
            Some(c) => out.extend(['\\', c]),
            None => out.push('\\'),
        }
    }
    Cow::Owned(out)
}
/// How many bytes of a string stand for themselves: up to a quote, a backslash, a control character, or the last
/// few bytes of the file. Eight at a time: a byte of `word - 0x01…` has its highest bit set where it was zero (Mycroft's
/// test), and the lowest such byte is always a true one.
fn plain_length(bytes: &[u8]) -> usize {
    const ONES: u64 = 0x0101_0101_0101_0101;
    const HIGH: u64 = 0x8080_8080_8080_8080;
    let is_zero = |word: u64| word.wrapping_sub(ONES) & !word & HIGH;
    let mut at = 0;
    for chunk in bytes.chunks_exact(8) {
        let word = u64::from_le_bytes(chunk.try_into().unwrap_or_default());
        let quote = is_zero(word ^ (ONES * u64::from(b'"')));
        let escape = is_zero(word ^ (ONES * u64::from(b'\\')));
        let control = word.wrapping_sub(ONES * 0x20) & !word & HIGH;
        let special = quote | escape | control;
        if special != 0 {
            return at + special.trailing_zeros() as usize / 8;
        }
        at += 8;
    }
    at
}
