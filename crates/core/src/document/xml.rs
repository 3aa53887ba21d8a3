//! The XML reader (XML 1.0, fifth edition) over a parser's events.
//!
//! The document is a table with the root element as its one entry. An element without attributes and
//! child elements is its text, trimmed; any other is a table of its attributes, its child elements and,
//! under `#text`, its own text. Elements of one name are one list at the place of the first: how a table
//! of repeated things is written, as the format has no lists. An attribute that shares its name with a
//! child is found as `@name`. External entities are never read, and what entities expand to is bounded.

use std::borrow::Cow;

use quick_xml::Reader as Events;
use quick_xml::events::{BytesStart, Event};
use rustc_hash::FxHashMap;

use super::builder::{Builder, too_deep};
use super::{DEPTH_LIMIT, Fault, Shape};
use crate::names::{NameCache, Sym};
use crate::said::{Said, said};
use crate::source::Span;

/// Bytes to which the entities of one file may expand.
const EXPANSION_LIMIT: usize = 1_000_000;

pub(super) fn read(text: &str, names: &mut NameCache<'_>, builder: &mut Builder) {
    let from = if text.starts_with('\u{feff}') { 3 } else { 0 };
    let body = text.get(from..).unwrap_or("");
    let mut events = Events::from_str(body);
    let config = events.config_mut();
    config.check_end_names = false;
    config.allow_unmatched_ends = true;
    config.allow_dangling_amp = true;
    let mark = builder.mark();
    let mut reader = Reader {
        text,
        top: text.as_ptr() as usize,
        names,
        builder,
        open: Vec::new(),
        skipped: 0,
        mark,
        roots: 0,
        entities: Entities::default(),
        ended: false,
    };
    loop {
        let start = from + usize::try_from(events.buffer_position()).unwrap_or(0);
        match events.read_event() {
            Ok(Event::Eof) => break,
            Ok(event) => {
                let end = from + usize::try_from(events.buffer_position()).unwrap_or(0);
                reader.event(&event, start, end.max(start));
            }
            Err(error) => {
                let at = from + usize::try_from(events.error_position()).unwrap_or(0);
                reader.fault(at, at + 1, said!("XML cannot be read from here: {error}", error = error.to_string()));
                reader.ended = true;
                break;
            }
        }
    }
    reader.finish();
    builder.close(mark, (Sym::NONE, 0), Shape::Table, from, text.len());
}

/// An element that is being read.
struct Open {
    name: Sym,
    /// Offset of its `<`.
    start: usize,
    mark: usize,
    /// The number of attributes.
    attributes: usize,
    /// Where its content begins.
    content: usize,
    own: Content,
}

/// The text of an element, from its first piece to its last.
#[derive(Default)]
struct Content {
    span: Option<(usize, usize)>,
    /// The text, once it is not just the bytes of the span.
    made: Option<String>,
    /// White space behind the last piece, which counts if another piece follows.
    blank: String,
}

#[derive(Default)]
struct Entities {
    /// The declared text; none for those that stand in another file.
    known: FxHashMap<String, Option<String>>,
    spent: usize,
}

struct Reader<'t, 'c, 'n, 'b> {
    text: &'t str,
    top: usize,
    names: &'c mut NameCache<'n>,
    builder: &'b mut Builder,
    open: Vec<Open>,
    /// Elements open that lie too deep to be read.
    skipped: usize,
    /// Where the builder's stack stood before the root.
    mark: usize,
    roots: usize,
    entities: Entities,
    ended: bool,
}

impl Reader<'_, '_, '_, '_> {
    fn fault(&mut self, start: usize, end: usize, message: impl Into<Said>) {
        let floor = |mut at: usize| {
            at = at.min(self.text.len());
            while !self.text.is_char_boundary(at) {
                at -= 1;
            }
            at
        };
        let (start, end) = (floor(start), floor(end));
        self.builder.fault(Span::new(start, end.max(start)), message.into());
    }

    /// Where a part of the text stands in it.
    fn offset(&self, part: &str) -> usize {
        (part.as_ptr() as usize).saturating_sub(self.top)
    }

    fn event(&mut self, event: &Event<'_>, start: usize, end: usize) {
        match event {
            Event::Start(tag) => self.start(tag, start, end, false),
            Event::Empty(tag) => self.start(tag, start, end, true),
            Event::End(tag) => self.end(tag.name().0, start, end),
            Event::Text(_) | Event::CData(_) | Event::GeneralRef(_) if self.skipped > 0 => {}
            Event::Text(_) => self.piece(start, end),
            Event::CData(data) => {
                self.add(start, end, &unbroken(data));
            }
            Event::GeneralRef(_) => {
                let raw = self.text.get(start..end).unwrap_or("");
                let made = self.decode(raw, start);
                self.add(start, end, &made);
            }
            Event::DocType(_) => self.doctype(start, end),
            Event::Decl(decl) => {
                let encoding = decl.encoding().and_then(Result::ok);
                let plain = |name: &str| name.eq_ignore_ascii_case("utf-8") || name.eq_ignore_ascii_case("us-ascii");
                if let Some(name) = encoding.filter(|name| !plain(name) && !self.text.is_ascii()) {
                    let message = format!(
                        "the file says that it is `{name}`, but its bytes are UTF-8, so the game reads other letters"
                    );
                    self.fault(start, end, message);
                }
            }
            _ => {}
        }
    }

    fn start(&mut self, tag: &BytesStart<'_>, start: usize, end: usize, empty: bool) {
        if self.skipped > 0 {
            self.skipped += usize::from(!empty);
            return;
        }
        let raw_name = tag.name().0;
        let key_start = start + 1;
        let name = self.names.intern(raw_name);
        if raw_name.is_empty() || !is_name(raw_name) {
            self.fault(
                start,
                end.min(start + 1 + raw_name.len()),
                said!("`{element}` is no name of an element", element = raw_name),
            );
        }
        if self.open.is_empty() {
            self.roots += 1;
            if self.roots == 2 {
                self.fault(start, end, "a second root element; XML has one, with all the others in it");
            }
        }
        if self.open.len() >= DEPTH_LIMIT {
            let message = too_deep();
            self.fault(start, start + 1, message);
            self.builder.leaf(name, key_start, Shape::Broken, false, start, end);
            self.skipped = usize::from(!empty);
            return;
        }
        let mark = self.builder.mark();
        let mut attributes = 0;
        for attribute in tag.attributes().with_checks(false) {
            match attribute {
                Ok(attribute) => {
                    let (key, value) = (attribute.key.0, &*attribute.value);
                    self.attribute(key, value);
                    attributes += 1;
                }
                Err(error) => {
                    self.fault(
                        start,
                        end,
                        said!(
                            "the attributes of `{element}` cannot be read: {error}",
                            element = raw_name,
                            error = error.to_string()
                        ),
                    );
                    break;
                }
            }
        }
        let open = Open { name, start, mark, attributes, content: end, own: Content::default() };
        if empty {
            self.close(open, end, end, true);
        } else {
            self.open.push(open);
        }
    }

    fn attribute(&mut self, key: &str, value: &str) {
        let (key_start, start) = (self.offset(key), self.offset(value));
        let end = start + value.len();
        let sym = self.names.intern(key);
        if memchr::memchr3(b'&', b'\n', b'\t', value.as_bytes()).is_none() && !value.contains(['\r', '<']) {
            self.builder.leaf(sym, key_start, Shape::Text, false, start, end);
            return;
        }
        if let Some(at) = value.find('<') {
            self.fault(start + at, start + at + 1, "`<` in the value of an attribute must be written `&lt;`");
        }
        // every white space counts as a space (XML 1.0, §3.3.3)
        let spaced = value.replace("\r\n", " ").replace(['\n', '\r', '\t'], " ");
        let made = self.decode(&spaced, start);
        self.builder.kept(sym, key_start, &made, start, end);
    }

    /// A piece of text as it stands.
    fn piece(&mut self, start: usize, end: usize) {
        let raw = self.text.get(start..end).unwrap_or("");
        let begun = self.open.last().is_some_and(|open| open.own.span.is_some());
        if raw.chars().all(char::is_whitespace) {
            // white space counts only between pieces of text
            if let Some(open) = self.open.last_mut().filter(|_| begun) {
                open.own.blank.push_str(&unbroken(raw));
            }
            return;
        }
        if self.open.is_empty() {
            let at = raw.len() - raw.trim_start().len();
            return self.fault(start + at, start + at + raw.trim().len(), "text outside of the root element");
        }
        let marked = memchr::memchr3(b'&', b']', b'\r', raw.as_bytes()).is_some();
        if marked {
            self.decode(raw, start);
            if let Some(at) = raw.find("]]>") {
                self.fault(start + at, start + at + 3, "`]]>` in a text must be written `]]&gt;`");
            }
        }
        match self.open.last_mut().filter(|_| !begun && !raw.contains('\r')) {
            Some(open) => open.own.span = Some((start, end)),
            None => self.add(start, end, &unbroken(raw)),
        }
    }

    /// A piece of text that is written otherwise than it reads.
    fn add(&mut self, start: usize, end: usize, content: &str) {
        let Some(open) = self.open.last_mut() else {
            return self.fault(start, end, "text outside of the root element");
        };
        let earlier = match open.own.span {
            Some((first, last)) => self.text.get(first..last).unwrap_or(""),
            None => "",
        };
        let made = open.own.made.get_or_insert_with(|| earlier.to_owned());
        made.push_str(&std::mem::take(&mut open.own.blank));
        made.push_str(content);
        let first = open.own.span.map_or(start, |(first, _)| first);
        open.own.span = Some((first, end));
    }

    fn end(&mut self, name: &str, start: usize, end: usize) {
        if self.skipped > 0 {
            self.skipped -= 1;
            return;
        }
        // nearly always it closes what is open
        if let Some(open) = self.open.pop_if(|open| element_name(self.text, open.start) == name) {
            return self.close(open, start, end, false);
        }
        let sym = self.names.intern(name.trim_end());
        let Some(at) = self.open.iter().rposition(|open| open.name == sym) else {
            let last = self.open.last().map(|open| element_name(self.text, open.start));
            let help = last.map(|open| said!("; open is `<{open}>`", open));
            return self.fault(start, end, said!("`</{name}>` closes nothing{help}", name, help));
        };
        while self.open.len() > at {
            let Some(open) = self.open.pop() else { break };
            if self.open.len() > at {
                self.not_closed(&open, Some((start, end)));
            }
            self.close(open, start, if self.open.len() == at { end } else { start }, false);
        }
    }

    fn not_closed(&mut self, open: &Open, here: Option<(usize, usize)>) {
        let name = element_name(self.text, open.start);
        let span = Span::new(open.start, open.start + 1 + name.len());
        let second = here.map(|(start, end)| (Span::new(start, end), "this closes an outer element".into()));
        let message = said!("the element `{name}` is never closed by `</{name}>`", name);
        self.builder.push_fault(Fault { span, message, second, repeated_key: false });
    }

    /// Puts an element into the tree. Its content ends at `content_end`, itself at `end`.
    fn close(&mut self, open: Open, content_end: usize, end: usize, empty: bool) {
        let key = (open.name, open.start + 1);
        let children = self.builder.mark() > open.mark;
        if !children {
            match open.own.span {
                None if empty => self.builder.kept(key.0, key.1, "", open.start, end),
                None => {
                    let at = open.content.min(content_end);
                    self.builder.leaf(key.0, key.1, Shape::Text, false, at, at);
                }
                Some(span) => self.content(key, span, open.own.made),
            }
            return;
        }
        if let Some(span) = open.own.span {
            let text = self.names.intern("#text");
            self.content((text, span.0), span, open.own.made);
        }
        self.apart(open.mark, open.attributes);
        let text = self.text;
        self.builder.gather(open.mark, |key, span| element(text, key, span));
        self.builder.close(open.mark, key, Shape::Table, open.start, end);
    }

    /// The text of an element, without the white space around it.
    fn content(&mut self, key: (Sym, usize), (start, end): (usize, usize), made: Option<String>) {
        let raw = self.text.get(start..end).unwrap_or("");
        let start = start + raw.len() - raw.trim_start().len();
        let end = start + raw.trim().len();
        match made {
            None => self.builder.leaf(key.0, key.1, Shape::Text, false, start, end),
            Some(made) => {
                self.builder.kept(key.0, key.1, trimmed_like(&made, raw), start, end);
            }
        }
    }

    /// Attributes whose name a child has too are told apart; an attribute that stands twice is a fault.
    fn apart(&mut self, mark: usize, attributes: usize) {
        if attributes == 0 || !self.builder.may_repeat(mark) {
            return;
        }
        let keys: Vec<(Sym, u32)> = self.builder.keys_since(mark).collect();
        for nth in 0..attributes {
            let Some((sym, start)) = keys.get(nth).copied() else { return };
            if let Some((_, first)) = keys.iter().take(nth).find(|(other, _)| *other == sym) {
                let name = word(self.text, start).to_owned();
                let span = |start: u32| Span::new(start as usize, start as usize + name.len());
                self.builder.push_fault(Fault {
                    span: span(start),
                    message: said!("the attribute `{name}` stands twice in this element", name),
                    second: Some((span(*first), "first here".into())),
                    repeated_key: false,
                });
            }
            if keys.iter().skip(attributes).any(|(other, _)| *other == sym) {
                let name = format!("@{}", word(self.text, start));
                let apart = self.names.intern(&name);
                self.builder.rekey(mark + nth, apart);
            }
        }
    }

    /// Replaces references. `at` is where the text stands, for faults.
    fn decode<'x>(&mut self, raw: &'x str, at: usize) -> Cow<'x, str> {
        let mut out = String::new();
        let mut rest = raw;
        let mut behind = 0;
        while let Some(amp) = rest.find('&') {
            out.push_str(rest.get(..amp).unwrap_or(""));
            let after = rest.get(amp + 1..).unwrap_or("");
            let name = after.split_once(';').map(|(name, _)| name).filter(|name| is_reference(name));
            let here = at + behind + amp;
            let Some(name) = name else {
                self.fault(here, here + 1, "`&` begins a reference; by itself it must be written `&amp;`");
                out.push('&');
                behind += amp + 1;
                rest = after;
                continue;
            };
            match resolve(name) {
                Some(c) => out.push(c),
                None => {
                    let mut made = String::new();
                    if let Err(message) = self.entities.expand(name, 0, &mut made) {
                        self.fault(here, here + name.len() + 2, message);
                    }
                    out.push_str(&made);
                }
            }
            behind += amp + name.len() + 2;
            rest = after.get(name.len() + 1..).unwrap_or("");
        }
        if behind == 0 {
            return Cow::Borrowed(raw);
        }
        out.push_str(rest);
        Cow::Owned(out)
    }

    /// Takes in the entities that the internal subset declares.
    fn doctype(&mut self, start: usize, end: usize) {
        let raw = self.text.get(start..end).unwrap_or("");
        let mut rest = raw;
        while let Some(at) = rest.find("<!ENTITY") {
            rest = rest.get(at + 8..).unwrap_or("");
            let body = rest.trim_start();
            let Some((name, value)) = body.split_once(char::is_whitespace) else { break };
            let value = value.trim_start();
            let quoted = value.chars().next().filter(|c| matches!(c, '"' | '\''));
            let inner = quoted.and_then(|quote| value.get(1..)?.split_once(quote)).map(|(inner, _)| inner.to_owned());
            // the first declaration counts (XML 1.0, §4.2)
            self.entities.known.entry(name.to_owned()).or_insert(inner);
        }
    }

    fn finish(&mut self) {
        let end = self.text.len();
        while let Some(open) = self.open.pop() {
            if !self.ended {
                self.not_closed(&open, None);
                self.ended = true;
            }
            self.close(open, end, end, false);
        }
        if self.roots == 0 && !self.ended {
            self.fault(
                0,
                end,
                if self.text.trim().is_empty() { "the file is empty" } else { "there is no root element" },
            );
        }
        let text = self.text;
        self.builder.gather(self.mark, |key, span| element(text, key, span));
    }
}

impl Entities {
    fn expand(&mut self, name: &str, depth: usize, out: &mut String) -> Result<(), Said> {
        let value = match self.known.get(name) {
            None => return Err(said!("the entity `{name}` is not declared", name)),
            Some(None) => return Err(said!("the entity `{name}` stands in another file, which is not read", name)),
            Some(Some(value)) => value.clone(),
        };
        self.spent += value.len() + 1;
        if depth > 16 || self.spent > EXPANSION_LIMIT {
            return Err(said!(
                "the entity `{name}` expands to more than is read ({limit} bytes)",
                name,
                limit = EXPANSION_LIMIT
            ));
        }
        if value.contains('<') {
            return Err(said!("the entity `{name}` holds elements, which are not read from an entity", name));
        }
        let mut rest = value.as_str();
        while let Some((before, after)) = rest.split_once('&') {
            out.push_str(before);
            let Some((inner, behind)) = after.split_once(';') else { break };
            match resolve(inner) {
                Some(c) => out.push(c),
                None => self.expand(inner, depth + 1, out)?,
            }
            rest = behind;
        }
        out.push_str(rest);
        Ok(())
    }
}

/// A text with every line break as a line feed (XML 1.0, §2.11).
fn unbroken(text: &str) -> Cow<'_, str> {
    match text.contains('\r') {
        true => Cow::Owned(text.replace("\r\n", "\n").replace('\r', "\n")),
        false => Cow::Borrowed(text),
    }
}

/// A text without the plain white space around it; such as is written as a reference stays.
fn trimmed_like<'m>(made: &'m str, raw: &str) -> &'m str {
    let before = raw.len() - raw.trim_start().len();
    let after = raw.len() - raw.trim_end().len();
    let blank = |text: &str| text.replace("\r\n", "\n").len();
    let before = blank(raw.get(..before).unwrap_or(""));
    let after = blank(raw.get(raw.len() - after..).unwrap_or(""));
    made.get(before..made.len().saturating_sub(after).max(before)).unwrap_or(made)
}

fn is_reference(name: &str) -> bool {
    let body = name.strip_prefix('#').unwrap_or(name);
    !body.is_empty() && body.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | ':'))
}

/// The character that a character reference or one of the five predefined entities stands for.
fn resolve(name: &str) -> Option<char> {
    let number = |digits: &str, radix| u32::from_str_radix(digits, radix).ok().and_then(char::from_u32);
    match name {
        "amp" => Some('&'),
        "lt" => Some('<'),
        "gt" => Some('>'),
        "quot" => Some('"'),
        "apos" => Some('\''),
        _ => {
            let code = name.strip_prefix('#')?;
            match code.strip_prefix('x') {
                Some(digits) => number(digits, 16),
                None => number(code, 10),
            }
        }
    }
}

/// Whether a word can name an element or attribute (XML 1.0, §2.3, a little wider).
pub(super) fn is_name(word: &str) -> bool {
    if word.is_ascii() {
        let inner = |byte: &u8| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b':' | b'-' | b'.');
        let first =
            word.as_bytes().first().is_some_and(|byte| byte.is_ascii_alphabetic() || matches!(byte, b'_' | b':'));
        return first && word.as_bytes().iter().all(inner);
    }
    let mut chars = word.chars();
    let first = chars.next().is_some_and(|c| c.is_alphabetic() || matches!(c, '_' | ':'));
    first && chars.all(|c| c.is_alphanumeric() || matches!(c, '_' | ':' | '-' | '.' | '\u{b7}'))
}

/// The name of the element whose `<` stands at an offset.
pub(super) fn element_name(text: &str, start: usize) -> &str {
    word(text, crate::source::to_u32(start + 1))
}

/// The name that begins at an offset.
fn word(text: &str, start: u32) -> &str {
    let rest = text.get(start as usize..).unwrap_or("");
    rest.get(..key_len(rest)).unwrap_or("")
}

pub(super) fn key_len(rest: &str) -> usize {
    let ends = |byte: &u8| matches!(byte, b' ' | b'\t' | b'\r' | b'\n' | b'=' | b'/' | b'>' | b'<');
    rest.as_bytes().iter().position(ends).unwrap_or(rest.len())
}

/// The whole element of which a node is the content: from `<` to the last `>`. `key` is where its name begins.
pub(super) fn element(text: &str, key: usize, node: Span) -> Span {
    let start = key.saturating_sub(1);
    if node.start as usize == start {
        return node;
    }
    let mut end = node.end as usize;
    loop {
        let rest = text.get(end..).unwrap_or("");
        let blank = rest.len() - rest.trim_start().len();
        let rest = rest.get(blank..).unwrap_or("");
        let mark = match (rest.starts_with("<!--"), rest.starts_with("<?")) {
            (true, _) => "-->",
            (_, true) => "?>",
            _ => break,
        };
        end += blank + rest.find(mark).map_or(rest.len(), |at| at + mark.len());
    }
    let close = text.get(end..).unwrap_or("").find('>').map_or(text.len(), |at| end + at + 1);
    Span::new(start, close)
}
