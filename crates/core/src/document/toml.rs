//! The TOML reader (TOML 1.0), over the events of the `toml_parser` crate.
//!
//! A table may be written in several places (headers, dotted keys); its places are kept as pieces.
//! Repeated keys are kept and reported, so that the rest of the file can be read.

use std::borrow::Cow;

use toml_parser::decoder::{Encoding, ScalarKind};
use toml_parser::parser::{Event, EventKind, RecursionGuard, parse_document};
use toml_parser::{ErrorSink, ParseError, Source};

use rustc_hash::FxHashMap;

use super::builder::{Builder, too_deep};
use super::{DEPTH_LIMIT, Fault, Shape};
use crate::names::{NameCache, Sym};
use crate::said::{Said, said};
use crate::source::Span;

pub(super) fn read(text: &str, names: &mut NameCache<'_>, builder: &mut Builder) {
    let body = if text.starts_with('\u{feff}') { 3 } else { 0 };
    let source = Source::new(text.get(body..).unwrap_or(""));
    let tokens = source.lex().into_vec();
    let mut events = Vec::with_capacity(tokens.len());
    let mut errors = Vec::new();
    {
        let mut receiver = |event: Event| events.push(event);
        let mut guard = RecursionGuard::new(&mut receiver, DEPTH_LIMIT as u32);
        let mut sink = |error: ParseError| errors.push(error);
        parse_document(&tokens, &mut guard, &mut sink);
    }
    let mut reader = Reader {
        text,
        source,
        body,
        names,
        tables: vec![Table { kind: Kind::Header, ..Table::default() }],
        errors,
        faults: Vec::new(),
        current: 0,
    };
    reader.document(&events);
    let Reader { tables, errors, faults, .. } = reader;
    for error in errors {
        let span = error.unexpected().or(error.context());
        let span = span.map_or(Span::default(), |s| Span::new(body + s.start(), body + s.end()));
        builder.fault(span, syntax_message(&error));
    }
    for fault in faults {
        builder.push_fault(fault);
    }
    let mut emitter = Emitter { tables, builder, deep: 0 };
    let mark = emitter.builder.mark();
    emitter.entries(0);
    emitter.builder.close(mark, (Sym::NONE, 0), Shape::Table, body, text.len());
}

fn syntax_message(error: &ParseError) -> Said {
    if error.description().contains("recursion") {
        return too_deep();
    }
    let expected: Vec<String> = error
        .expected()
        .unwrap_or_default()
        .iter()
        .map(|expected| match expected {
            toml_parser::Expected::Literal("\n") => "a line break".to_owned(),
            toml_parser::Expected::Literal(text) => format!("`{text}`"),
            toml_parser::Expected::Description(text) => (*text).to_owned(),
            _ => "something else".to_owned(),
        })
        .collect();
    let what = error.description();
    match expected.is_empty() {
        true => what.to_owned().into(),
        false => said!("{what}; expected {expected}", what, expected = expected.join(" or ")),
    }
}

#[derive(Clone, Copy, PartialEq, Eq, Default, Debug)]
enum Kind {
    /// Exists only because a longer header names it.
    #[default]
    Implicit,
    Header,
    Dotted,
    Inline,
}

#[derive(Default, Debug)]
struct Table {
    kind: Kind,
    entries: Vec<Entry>,
    pieces: Vec<Span>,
    /// The last entry of each key, once there are more than can be looked through.
    index: FxHashMap<Sym, u32>,
}

/// Entries that are looked through one by one.
const FEW: usize = 32;

impl Table {
    /// The last entry of a key.
    fn find(&self, key: Sym) -> Option<usize> {
        if self.entries.len() <= FEW {
            return self.entries.iter().rposition(|entry| entry.key == key);
        }
        self.index.get(&key).map(|at| *at as usize)
    }

    fn get(&self, key: Sym) -> Option<&Entry> {
        self.entries.get(self.find(key)?)
    }

    fn push(&mut self, entry: Entry) {
        self.entries.push(entry);
        let from = match self.entries.len() {
            ..=FEW => return,
            // the first time all of them are taken in
            count if count == FEW + 1 => 0,
            count => count - 1,
        };
        let entries = self.entries.iter().enumerate().skip(from);
        self.index.extend(entries.map(|(at, entry)| (entry.key, crate::source::to_u32(at))));
    }
}

#[derive(Debug)]
struct Entry {
    key: Sym,
    key_span: Span,
    value: Value,
}

#[derive(Debug)]
enum Value {
    Scalar { shape: Shape, escaped: bool, span: Span },
    List { items: Vec<Value>, span: Span, of_headers: bool },
    Table { table: usize, span: Span },
}

struct Reader<'t, 'c, 'n> {
    text: &'t str,
    source: Source<'t>,
    body: usize,
    names: &'c mut NameCache<'n>,
    tables: Vec<Table>,
    errors: Vec<ParseError>,
    faults: Vec<Fault>,
    current: usize,
}

type Events<'e> = std::iter::Peekable<std::slice::Iter<'e, Event>>;

/// A key of a header or assignment: its symbol and place.
type Part = (Sym, Span);

impl Reader<'_, '_, '_> {
    fn span(&self, event: &Event) -> Span {
        Span::new(self.body + event.span().start(), self.body + event.span().end())
    }

    fn document(&mut self, events: &[Event]) {
        let mut events = events.iter().peekable();
        while let Some(event) = events.next() {
            match event.kind() {
                EventKind::StdTableOpen | EventKind::ArrayTableOpen => {
                    let start = self.span(event).start;
                    let array = event.kind() == EventKind::ArrayTableOpen;
                    let close = if array { EventKind::ArrayTableClose } else { EventKind::StdTableClose };
                    let mut parts = Vec::new();
                    let mut end = start;
                    for event in events.by_ref() {
                        end = self.span(event).end;
                        match event.kind() {
                            EventKind::SimpleKey => parts.push(self.key(event)),
                            kind if kind == close => break,
                            EventKind::Newline => break,
                            _ => {}
                        }
                    }
                    let header = Span { start, end };
                    self.header(&parts, header, array);
                }
                EventKind::SimpleKey => {
                    let (parts, value) = self.assignment(event, &mut events);
                    if let Some(value) = value {
                        self.assign(self.current, &parts, value, true);
                    }
                }
                EventKind::Comment => self.check(event, |raw, sink| raw.decode_comment(sink)),
                EventKind::Newline => self.check(event, |raw, sink| raw.decode_newline(sink)),
                _ => {}
            }
        }
    }

    fn check(&mut self, event: &Event, decode: impl Fn(toml_parser::Raw<'_>, &mut dyn ErrorSink)) {
        if let Some(raw) = self.source.get(event) {
            let errors = &mut self.errors;
            decode(raw, &mut |error: ParseError| errors.push(error));
        }
    }

    fn key(&mut self, event: &Event) -> Part {
        let span = self.span(event);
        let mut word = Cow::Borrowed("");
        if let Some(raw) = self.source.get(event) {
            let errors = &mut self.errors;
            raw.decode_key(&mut word, &mut |error: ParseError| errors.push(error));
        }
        (self.names.intern(&word), span)
    }

    /// From the first key of `a.b = value` to its value.
    fn assignment(&mut self, first: &Event, events: &mut Events<'_>) -> (Vec<Part>, Option<Value>) {
        let mut parts = vec![self.key(first)];
        while let Some(event) = events.peek() {
            match event.kind() {
                EventKind::SimpleKey => parts.push(self.key(event)),
                EventKind::KeySep | EventKind::KeyValSep | EventKind::Whitespace => {}
                EventKind::Scalar | EventKind::ArrayOpen | EventKind::InlineTableOpen => {
                    return (parts, self.value(events));
                }
                _ => return (parts, None),
            }
            events.next();
        }
        (parts, None)
    }

    fn value(&mut self, events: &mut Events<'_>) -> Option<Value> {
        let event = events.next()?;
        let start = self.span(event).start;
        match event.kind() {
            EventKind::Scalar => Some(self.scalar(event)),
            EventKind::ArrayOpen => {
                let mut items = Vec::new();
                let mut end = self.span(event).end;
                while let Some(event) = events.peek() {
                    end = self.span(event).end;
                    match event.kind() {
                        EventKind::ArrayClose => {
                            events.next();
                            break;
                        }
                        EventKind::Scalar | EventKind::ArrayOpen | EventKind::InlineTableOpen => {
                            items.extend(self.value(events));
                        }
                        EventKind::InlineTableClose | EventKind::StdTableOpen => break,
                        _ => {
                            events.next();
                        }
                    }
                }
                Some(Value::List { items, span: Span { start, end }, of_headers: false })
            }
            EventKind::InlineTableOpen => {
                let table = self.tables.len();
                self.tables.push(Table { kind: Kind::Inline, ..Table::default() });
                let mut end = self.span(event).end;
                while let Some(event) = events.next() {
                    end = self.span(event).end;
                    match event.kind() {
                        EventKind::InlineTableClose => break,
                        EventKind::SimpleKey => {
                            let (parts, value) = self.assignment(event, events);
                            if let Some(value) = value {
                                self.assign(table, &parts, value, false);
                            }
                        }
                        _ => {}
                    }
                }
                Some(Value::Table { table, span: Span { start, end } })
            }
            _ => None,
        }
    }

    fn scalar(&mut self, event: &Event) -> Value {
        let span = self.span(event);
        let mut content = Cow::Borrowed("");
        let mut kind = ScalarKind::String;
        if let Some(raw) = self.source.get(event) {
            let errors = &mut self.errors;
            kind = raw.decode_scalar(&mut content, &mut |error: ParseError| errors.push(error));
        }
        let (shape, escaped) = match kind {
            ScalarKind::Boolean(_) => (Shape::Boolean, false),
            ScalarKind::Float | ScalarKind::Integer(_) => (Shape::Number, false),
            // dates stay texts as they are written
            ScalarKind::DateTime => (Shape::Text, false),
            ScalarKind::String => {
                let simple = matches!(event.encoding(), Some(Encoding::BasicString | Encoding::LiteralString));
                (Shape::Text, !simple || matches!(content, Cow::Owned(_)))
            }
        };
        Value::Scalar { shape, escaped, span }
    }

    fn repeated(&mut self, part: Part, first: Span) {
        let word = part.1.of(self.text).to_owned();
        self.faults.push(Fault {
            span: part.1,
            message: said!("the key `{key}` stands twice in this table", key = word.trim_matches(['"', '\''])),
            second: Some((first, "first here".into())),
            repeated_key: true,
        });
    }

    /// Steps into a table by a key; makes it if it is not there.
    fn step(&mut self, table: usize, part: Part, kind: Kind) -> usize {
        let found = self.tables.get(table).and_then(|t| t.get(part.0));
        match found {
            Some(Entry { value: Value::Table { table: inner, .. }, key_span, .. }) => {
                let (inner, first) = (*inner, *key_span);
                let inner_kind = self.tables.get(inner).map_or(Kind::Implicit, |t| t.kind);
                let clash = match kind {
                    Kind::Dotted => inner_kind != Kind::Dotted,
                    _ => inner_kind == Kind::Inline,
                };
                if clash && !(kind == Kind::Dotted && inner_kind == Kind::Implicit) {
                    self.repeated(part, first);
                }
                return inner;
            }
            Some(Entry { value: Value::List { items, of_headers: true, .. }, .. }) if kind != Kind::Dotted => {
                if let Some(Value::Table { table: last, .. }) = items.last() {
                    return *last;
                }
            }
            Some(entry) => {
                let first = entry.key_span;
                self.repeated(part, first);
            }
            None => {}
        }
        let inner = self.tables.len();
        self.tables.push(Table { kind, ..Table::default() });
        self.insert(table, part, Value::Table { table: inner, span: part.1 });
        inner
    }

    fn insert(&mut self, table: usize, part: Part, value: Value) {
        if let Some(table) = self.tables.get_mut(table) {
            table.push(Entry { key: part.0, key_span: part.1, value });
        }
    }

    fn too_deep(&mut self, parts: &[Part]) -> bool {
        if parts.len() <= DEPTH_LIMIT / 2 {
            return false;
        }
        let span = parts.first().map_or(Span::default(), |part| part.1);
        let message = said!("a key of more than {limit} parts is not read", limit = DEPTH_LIMIT / 2);
        self.faults.push(Fault { span, message, second: None, repeated_key: false });
        true
    }

    fn header(&mut self, parts: &[Part], header: Span, array: bool) {
        if self.too_deep(parts) {
            self.current = self.tables.len();
            self.tables.push(Table::default());
            return;
        }
        let Some((last, before)) = parts.split_last() else { return };
        let mut table = 0;
        for part in before {
            table = self.step(table, *part, Kind::Implicit);
        }
        if array {
            self.array_header(table, *last, header);
            return;
        }
        let known = self.tables.get(table).and_then(|t| t.get(last.0));
        let known = known.map(|entry| (entry.key_span, matches!(entry.value, Value::Table { .. })));
        if let Some((first, false)) = known {
            self.repeated(*last, first);
            let inner = self.tables.len();
            self.tables.push(Table::default());
            self.insert(table, *last, Value::Table { table: inner, span: header });
            self.current = inner;
        } else {
            self.current = self.step(table, *last, Kind::Implicit);
            let kind = self.tables.get(self.current).map(|t| t.kind);
            if let (Some((first, true)), Some(Kind::Header | Kind::Dotted)) = (known, kind) {
                self.repeated(*last, first);
            }
        }
        if let Some(table) = self.tables.get_mut(self.current) {
            table.kind = if table.kind == Kind::Inline { Kind::Inline } else { Kind::Header };
            table.pieces.push(header);
        }
    }

    fn array_header(&mut self, table: usize, part: Part, header: Span) {
        let inner = self.tables.len();
        self.tables.push(Table { kind: Kind::Header, pieces: vec![header], ..Table::default() });
        self.current = inner;
        let value = Value::Table { table: inner, span: header };
        let found = self.tables.get_mut(table).and_then(|t| t.find(part.0).and_then(|at| t.entries.get_mut(at)));
        match found {
            Some(Entry { value: Value::List { items, of_headers: true, .. }, .. }) => items.push(value),
            other => {
                let first = other.map(|entry| entry.key_span);
                if let Some(first) = first {
                    self.repeated(part, first);
                }
                let list = Value::List { items: vec![value], span: header, of_headers: true };
                self.insert(table, part, list);
            }
        }
    }

    fn assign(&mut self, table: usize, parts: &[Part], value: Value, in_header: bool) {
        if self.too_deep(parts) {
            return;
        }
        let Some(((last, before), first)) = parts.split_last().zip(parts.first()) else { return };
        let piece = Span { start: first.1.start, end: value.span().end };
        if in_header
            && let Some(table) = self.tables.get_mut(table)
            && let Some(own) = table.pieces.last_mut()
        {
            own.end = own.end.max(piece.end);
        }
        let mut here = table;
        for part in before {
            here = self.step(here, *part, Kind::Dotted);
            if let Some(table) = self.tables.get_mut(here) {
                table.pieces.push(piece);
            }
        }
        let earlier = self.tables.get(here).and_then(|t| t.get(last.0));
        if let Some(first) = earlier.map(|entry| entry.key_span) {
            self.repeated(*last, first);
        }
        self.insert(here, *last, value);
    }
}

impl Value {
    fn span(&self) -> Span {
        match self {
            Value::Scalar { span, .. } | Value::List { span, .. } | Value::Table { span, .. } => *span,
        }
    }
}

/// Moves the intermediate tables into the arena.
struct Emitter<'b> {
    tables: Vec<Table>,
    builder: &'b mut Builder,
    deep: usize,
}

impl Emitter<'_> {
    fn entries(&mut self, table: usize) {
        let entries = self.tables.get_mut(table).map(|t| std::mem::take(&mut t.entries)).unwrap_or_default();
        let mut with_pieces = Vec::new();
        let mark = self.builder.mark();
        for (nth, entry) in entries.into_iter().enumerate() {
            let pieces = self.emit((entry.key, entry.key_span.start as usize), entry.value);
            if !pieces.is_empty() {
                with_pieces.push((nth, pieces));
            }
        }
        debug_assert!(mark <= self.builder.mark());
        for (nth, pieces) in with_pieces {
            let id = self.builder.future_id(nth);
            self.builder.pieces(id, pieces);
        }
    }

    /// Emits one value and returns the pieces it is written in, if it has several forms.
    fn emit(&mut self, key: (Sym, usize), value: Value) -> Vec<Span> {
        let whole = value.span();
        let (start, end) = (whole.start as usize, whole.end as usize);
        if self.deep >= DEPTH_LIMIT {
            let message = too_deep();
            self.builder.fault(whole, message);
            self.builder.leaf(key.0, key.1, Shape::Broken, false, start, end);
            return Vec::new();
        }
        self.deep += 1;
        let pieces = match value {
            Value::Scalar { shape, escaped, .. } => {
                self.builder.leaf(key.0, key.1, shape, escaped, start, end);
                Vec::new()
            }
            Value::List { items, of_headers, .. } => {
                let mark = self.builder.mark();
                let mut all = Vec::new();
                let mut with_pieces = Vec::new();
                for (nth, item) in items.into_iter().enumerate() {
                    let pieces = self.emit((Sym::NONE, 0), item);
                    all.extend(pieces.iter().copied());
                    if !pieces.is_empty() {
                        with_pieces.push((nth, pieces));
                    }
                }
                for (nth, pieces) in with_pieces {
                    let id = self.builder.future_id(nth);
                    self.builder.pieces(id, pieces);
                }
                self.builder.close(mark, key, Shape::List, start, end);
                if of_headers { all } else { Vec::new() }
            }
            Value::Table { table, .. } => {
                let mark = self.builder.mark();
                self.entries(table);
                let pieces = self.tables.get_mut(table).map(|t| std::mem::take(&mut t.pieces));
                let pieces = pieces.unwrap_or_default();
                let (start, end) = match pieces.first() {
                    Some(first) => (first.start as usize, first.end as usize),
                    None => (start, end),
                };
                self.builder.close(mark, key, Shape::Table, start, end);
                pieces
            }
        };
        self.deep -= 1;
        pieces
    }
}

/// The length of the key at the start of `rest`, quotes included.
pub(super) fn key_len(rest: &str) -> usize {
    let quote = match rest.bytes().next() {
        Some(quote @ (b'"' | b'\'')) => quote,
        _ => {
            let stop = |c: char| !(c.is_alphanumeric() || matches!(c, '_' | '-'));
            return rest.find(stop).unwrap_or(rest.len());
        }
    };
    let mut escaped = false;
    for (at, byte) in rest.bytes().enumerate().skip(1) {
        match byte {
            _ if escaped => escaped = false,
            b'\\' if quote == b'"' => escaped = true,
            b'\n' | b'\r' => return at,
            _ if byte == quote => return at + 1,
            _ => {}
        }
    }
    rest.len()
}

/// The content of a text or date.
pub(super) fn text(raw: &str, escaped: bool) -> Cow<'_, str> {
    if !escaped {
        let inner = raw.strip_prefix(['"', '\'']).unwrap_or(raw);
        return Cow::Borrowed(inner.strip_suffix(['"', '\'']).unwrap_or(inner));
    }
    let encoding = if raw.starts_with("\"\"\"") {
        Encoding::MlBasicString
    } else if raw.starts_with("'''") {
        Encoding::MlLiteralString
    } else if raw.starts_with('\'') {
        Encoding::LiteralString
    } else {
        Encoding::BasicString
    };
    let span = toml_parser::Span::new_unchecked(0, raw.len());
    let mut content = Cow::Borrowed("");
    let _kind =
        toml_parser::Raw::new_unchecked(raw, Some(encoding), span).decode_scalar(&mut content, &mut |_: ParseError| {});
    content
}
