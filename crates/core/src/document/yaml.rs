//! The YAML reader (YAML 1.2, core schema) over a parser's events: block and flow styles, several
//! documents, anchors and aliases.
//!
//! Several documents are a list; one is the content itself. A merge key `<<` is a key like others, and an
//! alias stays one: what they come to is a matter of reading, not of the tree. The tag of a table is its first entry where
//! the rulebook says under which key; another value with its tag is a table of the two where it says so.

use granit_parser::{Event, Options, Parser, ScalarStyle, ScanError, StructureStyle, Tag};
use rustc_hash::FxHashMap;

use super::builder::{Builder, report_repeated, too_deep};
use super::{DEPTH_LIMIT, Shape, Tags};
use crate::names::{NameCache, Sym};
use crate::said::{Said, said};
use crate::source::Span;

pub(super) fn read(text: &str, tags: Option<&Tags>, names: &mut NameCache<'_>, builder: &mut Builder) {
    let mut options = Options::default();
    options.emit_comments = false;
    options.emit_unresolved_aliases = true;
    options.emit_anchor_events = true;
    options.simple_key_max_lookahead = 4096;
    options.flow_nesting_limit = DEPTH_LIMIT;
    options.block_nesting_limit = DEPTH_LIMIT;
    let mark = builder.mark();
    let tags = tags.map(|tags| TagKeys {
        mark: &tags.mark,
        field: names.intern(&tags.field),
        content: tags.content.as_ref().map(|content| names.intern(content)),
    });
    let mut reader = Reader {
        text,
        tags,
        names,
        builder,
        frames: Vec::new(),
        skipped: 0,
        anchors: FxHashMap::default(),
        leaf_is_last: false,
        behind: 0,
        before_document: 0,
        mark,
        documents: 0,
    };
    let mut parser = Parser::new_from_str_with_options(text, options);
    loop {
        match parser.next_event() {
            Some(Ok((event, span))) => {
                let range = span.byte_range().unwrap_or(0..0);
                reader.event(event, range.start, range.end.max(range.start));
            }
            Some(Err(error)) => {
                reader.broken(&error);
                if !parser.proceed_next_document().unwrap_or(false) {
                    break;
                }
            }
            None => break,
        }
    }
    let documents = reader.documents;
    match documents {
        0 => builder.leaf(Sym::NONE, 0, Shape::Null, false, text.len(), text.len()),
        1 => {}
        _ => {
            builder.close(mark, (Sym::NONE, 0), Shape::List, 0, text.len());
            // what tells a list of documents from a list in one
            builder.pieces(builder.future_id(0), vec![Span::new(0, text.len())]);
        }
    }
}

/// A list or table that is being read.
struct Frame {
    table: bool,
    flow: bool,
    mark: usize,
    /// The key under which it stands itself.
    own_key: (Sym, usize),
    /// The key whose value comes next.
    key: Option<(Sym, usize)>,
    start: usize,
    /// The end of its last entry.
    end: usize,
    anchor: Option<usize>,
    /// Of a list that is one value of a table with its tag: where that table's entries begin, and its key.
    wrapped: Option<(usize, (Sym, usize))>,
}

/// What tags begin with that are values, their key, and that of a value that is no table.
#[derive(Clone, Copy)]
struct TagKeys<'t> {
    mark: &'t str,
    field: Sym,
    content: Option<Sym>,
}

/// A tag that is a value: where it begins, and the word in it.
type TagAt = (usize, Span);

struct Reader<'t, 'c, 'n, 'b> {
    text: &'t str,
    tags: Option<TagKeys<'t>>,
    names: &'c mut NameCache<'n>,
    builder: &'b mut Builder,
    frames: Vec<Frame>,
    /// Containers open that are not read: keys that are lists or tables, and what lies too deep.
    skipped: usize,
    /// The parser's number of an anchor to ours.
    anchors: FxHashMap<usize, usize>,
    /// Whether the last event gave a leaf, which an anchor would name.
    leaf_is_last: bool,
    /// The end of the last token.
    behind: usize,
    /// The end of the last token before the document.
    before_document: usize,
    /// Where the builder's stack stood before the first document.
    mark: usize,
    documents: usize,
}

impl Reader<'_, '_, '_, '_> {
    fn event(&mut self, event: Event<'_>, start: usize, end: usize) {
        let was_leaf = std::mem::replace(&mut self.leaf_is_last, false);
        match event {
            Event::DocumentStart(..) => {
                self.documents += 1;
                // the parser may tell of it only behind the first tag
                self.before_document = self.behind;
                self.behind = end;
            }
            Event::Anchor(id, _) => {
                let ours = self.builder.anchor(Span::new(start, end));
                self.anchors.insert(id, ours);
                match self.frames.last_mut() {
                    _ if was_leaf => self.builder.anchored(ours),
                    // a container was opened by the event before, and nothing is in it yet
                    Some(frame) if self.skipped == 0 && frame.end == frame.start && frame.key.is_none() => {
                        frame.anchor = Some(ours);
                    }
                    _ => {}
                }
            }
            Event::Scalar(content, style, anchor, tag) => {
                if start == end && style == ScalarStyle::Plain {
                    self.left_out(start, anchor > 0 || tag.is_some());
                } else {
                    self.scalar(&content, style, tag.as_deref(), start, end);
                }
                self.behind = self.behind.max(end);
            }
            Event::Alias(id) => {
                self.alias(id, start, end);
                self.behind = end;
            }
            Event::UnresolvedAlias(name) => {
                let message = said!("no anchor `&{name}` stands above this alias", name);
                self.builder.fault(Span::new(start, end), message);
                if self.skipped == 0 && !self.is_key(start, end) {
                    let key = self.take_key();
                    self.builder.leaf(key.0, key.1, Shape::Broken, false, start, end);
                    self.grow(end);
                }
                self.behind = end;
            }
            Event::SequenceStart(style, _, tag) => {
                let tag = tag.and_then(|_| self.tag_before(start));
                self.open(false, style, start, end, tag);
            }
            Event::MappingStart(style, _, tag) => {
                let tag = tag.and_then(|_| self.tag_before(start));
                self.open(true, style, start, end, tag);
            }
            Event::SequenceEnd | Event::MappingEnd => {
                if self.skipped > 0 {
                    self.skipped -= 1;
                } else {
                    self.close(end);
                }
                self.behind = self.behind.max(end);
            }
            _ => {}
        }
    }

    fn tag(&mut self, (at, word): TagAt) {
        let Some(tags) = self.tags else { return };
        self.builder.leaf(tags.field, at, Shape::Text, false, word.start as usize, word.end as usize);
    }

    /// The tag that stands before a place, if it is a value.
    fn tag_before(&self, at: usize) -> Option<TagAt> {
        let mark = self.tags?.mark;
        let from = if self.frames.is_empty() { self.before_document } else { self.behind }.min(at);
        let text = self.text.get(from..at)?;
        let mut found = 0;
        // a remark may hold anything, and so may a directive
        let start = loop {
            let next = text.get(found..)?.find(['!', '#', '%'])? + found;
            if text.get(next..)?.starts_with('!') {
                break from + next;
            }
            found = next + text.get(next..)?.find('\n')?;
        };
        let rest = self.text.get(start..)?;
        let end = tag_len(rest);
        let word =
            rest.get(..end)?.strip_prefix(mark).filter(|word| !word.is_empty() && !word.starts_with(['!', '<']))?;
        Some((start, Span::new(start + end - word.len(), start + end)))
    }

    /// Whether the table that is open waits for a key; if so, what stands here becomes it.
    fn is_key(&mut self, start: usize, end: usize) -> bool {
        let Some(frame) = self.frames.last_mut().filter(|frame| frame.table && frame.key.is_none()) else {
            return false;
        };
        let raw = self.text.get(start..end).unwrap_or("");
        frame.key = Some((self.names.intern(raw), start));
        self.builder.fault(Span::new(start, end.max(start + 1).min(self.text.len())), COMPLEX.to_owned());
        true
    }

    fn take_key(&mut self) -> (Sym, usize) {
        self.frames.last_mut().and_then(|frame| frame.key.take()).unwrap_or((Sym::NONE, 0))
    }

    /// What is open reaches at least to here.
    fn grow(&mut self, end: usize) {
        if let Some(frame) = self.frames.last_mut() {
            frame.end = frame.end.max(end);
        }
    }

    fn scalar(&mut self, content: &str, style: ScalarStyle, tag: Option<&Tag>, start: usize, end: usize) {
        if self.skipped > 0 {
            return;
        }
        if let Some(frame) = self.frames.last_mut().filter(|frame| frame.table && frame.key.is_none()) {
            frame.key = Some((self.names.intern(content), start));
            return;
        }
        let held = self.tags.and_then(|tags| tags.content);
        let own = held.and_then(|held| Some((held, tag.and_then(|_| self.tag_before(start))?)));
        let outer = self.take_key();
        let mark = self.builder.mark();
        let key = match own {
            Some((held, tag)) => {
                self.tag(tag);
                (held, tag.0)
            }
            None => outer,
        };
        let (start, end) = match style {
            ScalarStyle::Literal | ScalarStyle::Folded => self.block(start, end),
            _ => (start, end),
        };
        let raw = self.text.get(start..end).unwrap_or("");
        let shape = match (style, tag.and_then(Tag::core_suffix)) {
            (ScalarStyle::Plain, None) => plain_shape(raw),
            (ScalarStyle::Plain, Some(tag)) if tag != "str" => plain_shape(raw),
            _ => Shape::Text,
        };
        if shape == Shape::Text && text(raw) != content {
            self.builder.kept(key.0, key.1, content, start, end);
        } else {
            self.builder.leaf(key.0, key.1, shape, false, start, end);
        }
        if own.is_some() {
            self.builder.close(mark, outer, Shape::Table, start, end);
        }
        self.leaf_is_last = true;
        self.grow(end);
    }

    /// A value that is not written. `adorned` if an anchor or a tag stands there.
    fn left_out(&mut self, mut at: usize, adorned: bool) {
        if self.skipped > 0 {
            return;
        }
        if let Some(frame) = self.frames.last_mut().filter(|frame| frame.table && frame.key.is_none()) {
            frame.key = Some((self.names.intern(""), at));
            return;
        }
        // the parser puts it where it noticed: behind the comments that follow the dash
        if self.frames.last().is_some_and(|frame| !frame.table && !frame.flow) && !adorned {
            let mut dash = self.behind.min(at);
            while let Some(byte) = self.text.as_bytes().get(dash).filter(|byte| **byte != b'-' && dash < at) {
                let line = || self.text.get(dash..).and_then(|rest| rest.find('\n')).map_or(at, |n| dash + n);
                dash = if *byte == b'#' { line() } else { dash + 1 };
            }
            at = (dash + 1).min(at);
        }
        let key = self.take_key();
        match adorned.then(|| self.tag_before(at)).flatten() {
            // a tag alone is a table with nothing else in it
            Some(tag) => {
                let mark = self.builder.mark();
                self.tag(tag);
                let end = tag.1.end as usize;
                self.builder.close(mark, key, Shape::Table, end, end);
            }
            None => self.builder.leaf(key.0, key.1, Shape::Null, adorned, at, at),
        }
        self.leaf_is_last = true;
        self.grow(at);
    }

    /// The span of a block scalar, from its header to the end of its text.
    fn block(&self, start: usize, end: usize) -> (usize, usize) {
        let from = self.behind.min(start);
        let between = self.text.get(from..start).unwrap_or("");
        let header = between.find(['|', '>']).map_or(start, |at| from + at);
        let line = self.text.get(header..).unwrap_or("");
        let mark = line.get(..line.find([' ', '\t', '\r', '\n', '#']).unwrap_or(line.len())).unwrap_or("");
        let body = self.text.get(header..end.max(header)).unwrap_or("");
        let body = if mark.contains('+') { body } else { body.trim_end() };
        (header, header + body.len().max(mark.len()))
    }

    fn alias(&mut self, id: usize, start: usize, end: usize) {
        if self.skipped > 0 || self.is_key(start, end) {
            return;
        }
        let key = self.take_key();
        match self.anchors.get(&id).copied() {
            Some(anchor) if self.builder.is_anchored(anchor) => {
                self.builder.alias(key.0, key.1, anchor, start, end);
            }
            _ => {
                let message = "this alias stands inside what its anchor names, so it would never end".to_owned();
                self.builder.fault(Span::new(start, end), message);
                self.builder.leaf(key.0, key.1, Shape::Broken, false, start, end);
            }
        }
        self.grow(end);
    }

    fn open(&mut self, table: bool, style: StructureStyle, start: usize, end: usize, tag: Option<TagAt>) {
        let flow = matches!(style, StructureStyle::Flow);
        if self.skipped > 0 || self.is_key(start, end) {
            self.skipped += 1;
            return;
        }
        let mut own_key = self.take_key();
        if self.frames.len() >= DEPTH_LIMIT {
            let message = too_deep();
            self.builder.fault(Span::new(start, (start + 1).min(self.text.len())), message);
            self.builder.leaf(own_key.0, own_key.1, Shape::Broken, false, start, end);
            self.skipped += 1;
            return;
        }
        let mut wrapped = None;
        if let (Some(tag), Some(content), false) = (tag, self.tags.and_then(|tags| tags.content), table) {
            wrapped = Some((self.builder.mark(), own_key));
            self.tag(tag);
            own_key = (content, tag.0);
        }
        let mark = self.builder.mark();
        if let Some(tag) = tag.filter(|_| table) {
            self.tag(tag);
        }
        let in_table = self.frames.last().is_some_and(|frame| frame.table && !frame.flow);
        let start = if !table && !flow && in_table { self.dash(start) } else { start };
        self.behind = self.behind.max(if flow { end } else { start });
        self.frames.push(Frame { table, flow, mark, own_key, key: None, start, end: start, anchor: None, wrapped });
    }

    /// The first dash of a list that is the value of a key: the parser tells it only of indented ones.
    fn dash(&self, start: usize) -> usize {
        let mut from = self.behind.min(start);
        while let Some(next) = self.text.get(from..start).and_then(|rest| rest.find('\n')) {
            from += next + 1;
            let rest = self.text.get(from..).unwrap_or("");
            let blank = rest.len() - rest.trim_start_matches(' ').len();
            if rest.as_bytes().get(blank) == Some(&b'-') {
                return (from + blank).min(start);
            }
        }
        start
    }

    fn close(&mut self, end: usize) {
        let Some(frame) = self.frames.pop() else { return };
        let end = if frame.flow { end } else { frame.end };
        if frame.table {
            report_repeated(self.builder, frame.mark, self.text, key_len);
        }
        let shape = if frame.table { Shape::Table } else { Shape::List };
        self.builder.close(frame.mark, frame.own_key, shape, frame.start, end.max(frame.start));
        if let Some((mark, key)) = frame.wrapped {
            self.builder.close(mark, key, Shape::Table, frame.start, end.max(frame.start));
        }
        if let Some(anchor) = frame.anchor {
            self.builder.anchored(anchor);
        }
        self.grow(end);
    }

    /// The rest of the document cannot be read: what is open is closed with what it has.
    fn broken(&mut self, error: &ScanError) {
        let at = error.marker().byte_offset().unwrap_or(0).min(self.text.len());
        let at = (0..=at).rev().find(|at| self.text.is_char_boundary(*at)).unwrap_or(0);
        let len =
            self.text.get(at..).and_then(|rest| rest.chars().next()).filter(|c| *c != '\n').map_or(0, char::len_utf8);
        self.builder.fault(Span::new(at, at + len), told(error, self.text, at));
        self.skipped = 0;
        self.leaf_is_last = false;
        while !self.frames.is_empty() {
            self.close(at);
        }
        // a document of which nothing was read
        while self.builder.mark() < self.mark + self.documents {
            self.builder.leaf(Sym::NONE, 0, Shape::Broken, false, at, at);
        }
        if self.documents == 0 {
            self.documents = 1;
            self.builder.leaf(Sym::NONE, 0, Shape::Broken, false, at, at);
        }
    }
}

const COMPLEX: &str = "a list, a table or an alias as a key is not read";

/// What is wrong, in our words where the parser's are hard to act upon.
fn told(error: &ScanError, text: &str, at: usize) -> Said {
    let line = text.get(..at).unwrap_or("").rfind('\n').map_or(0, |n| n + 1);
    let blank = text.get(line..).unwrap_or("").split(|c: char| !c.is_whitespace()).next().unwrap_or("");
    if blank.contains('\t') {
        return "a tab stands in the indentation; YAML is indented with spaces only".into();
    }
    let mut error = error.kind().to_string();
    if let Some(first) = error.get(..1).filter(|first| first.chars().all(char::is_uppercase)) {
        let lower = first.to_lowercase();
        error.replace_range(..1, &lower);
    }
    said!("YAML cannot be read from here: {error}", error)
}

/// What a word without quotes is in the core schema (YAML 1.2.2, §10.3.2).
pub(super) fn plain_shape(raw: &str) -> Shape {
    match raw {
        "" | "~" | "null" | "Null" | "NULL" => return Shape::Null,
        "true" | "True" | "TRUE" | "false" | "False" | "FALSE" => return Shape::Boolean,
        _ => {}
    }
    let unsigned = raw.strip_prefix(['-', '+']).unwrap_or(raw);
    let first = unsigned.as_bytes().first();
    if !first.is_some_and(|byte| byte.is_ascii_digit() || *byte == b'.') {
        return Shape::Text;
    }
    let digits = |text: &str, radix: u32| !text.is_empty() && text.chars().all(|c| c.is_digit(radix));
    let based = |prefix: &str, radix| raw.strip_prefix(prefix).is_some_and(|rest| digits(rest, radix));
    if based("0x", 16) || based("0o", 8) || matches!(unsigned, ".inf" | ".Inf" | ".INF") {
        return Shape::Number;
    }
    if matches!(raw, ".nan" | ".NaN" | ".NAN") {
        return Shape::Number;
    }
    let (mantissa, exponent) = unsigned.split_once(['e', 'E']).map_or((unsigned, None), |(m, e)| (m, Some(e)));
    let (whole, part) = mantissa.split_once('.').unwrap_or((mantissa, ""));
    let all = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
    let mantissa = all(whole) && all(part) && !(whole.is_empty() && part.is_empty());
    let exponent = exponent.is_none_or(|e| digits(e.strip_prefix(['-', '+']).unwrap_or(e), 10));
    if mantissa && exponent { Shape::Number } else { Shape::Text }
}

/// The content of a scalar of which the bytes tell it.
pub(super) fn text(raw: &str) -> &str {
    let quoted = |quote: char| raw.strip_prefix(quote).and_then(|rest| rest.strip_suffix(quote));
    quoted('"').or_else(|| quoted('\'')).unwrap_or(raw)
}

/// The length of a tag.
fn tag_len(rest: &str) -> usize {
    rest.find(|c: char| c.is_whitespace() || ",[]{}".contains(c)).unwrap_or(rest.len())
}

/// The length of a key, quotes included.
pub(super) fn key_len(rest: &str) -> usize {
    let bytes = rest.as_bytes();
    match bytes.first() {
        // a tag
        Some(b'!') => tag_len(rest),
        Some(b'"') => {
            let mut at = 1;
            while let Some(byte) = bytes.get(at) {
                match byte {
                    b'"' => return at + 1,
                    b'\\' => at += 2,
                    _ => at += 1,
                }
            }
            rest.len()
        }
        Some(b'\'') => {
            let mut at = 1;
            while let Some(next) = memchr::memchr(b'\'', bytes.get(at..).unwrap_or_default()) {
                at += next + 1;
                if bytes.get(at) != Some(&b'\'') {
                    return at;
                }
                at += 1;
            }
            rest.len()
        }
        _ => {
            let end = memchr::memchr_iter(b':', bytes).find(|at| {
                matches!(
                    bytes.get(at + 1),
                    None | Some(b' ' | b'\t' | b'\r' | b'\n' | b',' | b'[' | b']' | b'{' | b'}')
                )
            });
            let line = memchr::memchr(b'\n', bytes).unwrap_or(bytes.len());
            // a key of a flow table without a value
            let end = match end {
                Some(end) if end <= line => end,
                _ => memchr::memchr2(b',', b'}', bytes).unwrap_or(line).min(line),
            };
            rest.get(..end).unwrap_or("").trim_end().len()
        }
    }
}
