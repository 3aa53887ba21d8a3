//! Splices for YAML: block and flow styles, each edited as it is written.
//!
//! Long because both styles, and the way from the one to the other, share one idea of where an entry stands.

mod tags;

pub(super) use tags::Tagged;

use super::super::yaml::plain_shape;
use super::super::{Document, Draft, FieldPath, Node, Notation, Number, Shape, Tags};
use super::json::quote_as;
use super::{
    Edit, EditError, Splice, begins_line, comments_above, line_break, line_end, line_start, need, new_entry,
    refuse_known, wrong_shape,
};
use crate::names::Names;
use crate::source::{Lines, Span};

/// A value as a YAML text of its own, laid out as another document is.
///
/// # Errors
/// A tag cannot be written.
pub(super) fn whole(notation: &Notation, model: Option<&Document>, value: &Draft) -> Result<String, EditError> {
    tags::writable(notation.tags(), value)?;
    let style = Style { tags: notation.tags(), ..model.map_or_else(Style::plain, Style::learn) };
    let text = match value {
        scalar if !is_nested(scalar) => style.flow(scalar, false),
        nested => style.block(nested, 0),
    };
    Ok(format!("{text}{}", style.line_break))
}

/// A list or table with something in it, which a block style writes on lines of its own.
fn is_nested(value: &Draft) -> bool {
    match value {
        Draft::List(items) => !items.is_empty(),
        Draft::Table(entries) => !entries.is_empty(),
        _ => false,
    }
}

fn is_flow(node: Node<'_>) -> bool {
    matches!(node.shape(), Shape::List | Shape::Table) && node.raw().starts_with(['[', '{'])
}

fn is_block(node: Node<'_>) -> bool {
    matches!(node.shape(), Shape::List | Shape::Table) && !node.raw().starts_with(['[', '{'])
}

/// The habits of a file.
struct Style<'m> {
    /// Spaces by which a table under a key is indented.
    unit: usize,
    /// Spaces by which a list under a key is indented.
    list: usize,
    /// How texts are quoted that need it.
    quote: char,
    line_break: &'static str,
    /// Whether keys that are numbers stand without quotes.
    bare_numbers: bool,
    /// What stands inside the braces of a table on one line.
    pad: &'static str,
    /// The field that is written as a tag.
    tags: Option<&'m Tags>,
}

impl Style<'_> {
    fn plain() -> Self {
        Style { unit: 2, list: 2, quote: '"', line_break: "\n", bare_numbers: false, pad: "", tags: None }
    }

    fn learn(document: &Document) -> Self {
        let text: &str = document.text();
        let mut style = Style { line_break: line_break(text), ..Style::plain() };
        let (mut unit, mut list, mut quote, mut pad) = (false, false, false, false);
        let mut todo = vec![document.root()];
        let mut looked = 0;
        while let Some(node) = todo.pop() {
            looked += 1;
            if looked > 400 {
                break;
            }
            for child in node.children() {
                let raw = child.raw();
                if node.shape() == Shape::Table {
                    let span = child.key_span();
                    let key = text.get(span.start as usize..span.end as usize).unwrap_or("");
                    style.bare_numbers |= Number::parse(key).is_some();
                }
                if !quote && child.shape() == Shape::Text && raw.starts_with(['"', '\'']) {
                    style.quote = if raw.starts_with('"') { '"' } else { '\'' };
                    quote = true;
                }
                if !pad && child.shape() == Shape::Table && is_flow(child) && !child.is_empty() {
                    style.pad = if raw.starts_with("{ ") { " " } else { "" };
                    pad = true;
                }
                if node.shape() != Shape::Table || !is_block(node) || !is_block(child) {
                    continue;
                }
                let deeper = column(text, at(child)).saturating_sub(column(text, start(child.key_span())));
                match child.shape() {
                    Shape::Table if !unit => (style.unit, unit) = (deeper.max(1), true),
                    Shape::List if !list => (style.list, list) = (deeper, true),
                    _ => {}
                }
            }
            todo.extend(node.children().rev().take(64));
        }
        if !list && unit {
            style.list = style.unit;
        }
        if !unit && list && style.list > 0 {
            style.unit = style.list;
        }
        style
    }

    fn key(&self, key: &str, flow: bool) -> String {
        if self.bare_numbers && Number::parse(key).is_some() {
            return key.to_owned();
        }
        // a key stands on one line, however it is quoted
        self.word(key, flow, None)
    }

    /// A text on one line: plain where that reads as the same text, else quoted.
    fn word(&self, text: &str, flow: bool, quoted: Option<char>) -> String {
        let control = |c: char| c.is_control() || matches!(c, '\u{feff}' | '\u{85}' | '\u{2028}' | '\u{2029}');
        if quoted.is_none() && is_plain(text, flow) {
            return text.to_owned();
        }
        let quote = quoted.unwrap_or(self.quote);
        if quote == '\'' && !text.chars().any(control) {
            return format!("'{}'", text.replace('\'', "''"));
        }
        quote_as(text, |c| match u32::from(c) {
            code if control(c) && code <= 0xff => Some(format!("\\x{code:02x}")),
            code => control(c).then(|| format!("\\u{code:04x}")),
        })
    }

    fn scalar(&self, value: &Draft, flow: bool, quoted: Option<char>) -> String {
        match value {
            Draft::Boolean(value) => value.to_string(),
            Draft::Number(number) => match number.notation().trim_start_matches(['+', '-']) {
                "inf" | "nan" => number.notation().replace("inf", ".inf").replace("nan", ".nan"),
                _ => number.json(),
            },
            Draft::Text(text) => self.word(text, flow, quoted),
            _ => "null".to_owned(),
        }
    }

    /// A value on one line.
    fn flow(&self, value: &Draft, inside: bool) -> String {
        if let Some((tag, rest)) = tags::parted(self.tags, value) {
            return format!("{tag} {}", self.flow(&rest, inside));
        }
        match value {
            Draft::List(items) => {
                let items: Vec<String> = items.iter().map(|item| self.flow(item, true)).collect();
                format!("[{}]", items.join(", "))
            }
            Draft::Table(entries) => {
                let entry =
                    |(key, value): &(String, Draft)| format!("{}: {}", self.key(key, true), self.flow(value, true));
                let pad = if entries.is_empty() { "" } else { self.pad };
                format!("{{{pad}{}{pad}}}", entries.iter().map(entry).collect::<Vec<_>>().join(", "))
            }
            scalar => self.scalar(scalar, inside, None),
        }
    }

    /// A list or table with something in it, on lines of its own. The first line is not indented.
    fn block(&self, value: &Draft, column: usize) -> String {
        let next = format!("{}{}", self.line_break, " ".repeat(column));
        if let Some((tag, rest)) = tags::parted(self.tags, value) {
            return match is_nested(&rest) {
                true => format!("{tag}{next}{}", self.block(&rest, column)),
                false => format!("{tag} {}", self.flow(&rest, false)),
            };
        }
        match value {
            Draft::Table(entries) => {
                let entry = |(key, value): &(String, Draft)| self.member(key, value, column);
                entries.iter().map(entry).collect::<Vec<_>>().join(&next)
            }
            Draft::List(items) => items.iter().map(|item| self.item(item, column)).collect::<Vec<_>>().join(&next),
            scalar => self.flow(scalar, false),
        }
    }

    fn member(&self, key: &str, value: &Draft, column: usize) -> String {
        format!("{}:{}", self.key(key, false), self.behind(value, column))
    }

    fn item(&self, value: &Draft, column: usize) -> String {
        match value {
            nested if is_nested(nested) => format!("- {}", self.block(nested, column + 2)),
            Draft::Text(text) if text.contains('\n') => format!("-{}", self.long_text(text, column)),
            scalar => format!("- {}", self.flow(scalar, false)),
        }
    }

    /// What stands behind a key's colon.
    fn behind(&self, value: &Draft, column: usize) -> String {
        if let Some((tag, rest)) = tags::parted(self.tags, value) {
            return self.tagged_behind(&tag, &rest, column);
        }
        match value {
            nested if is_nested(nested) => {
                let deeper = if matches!(nested, Draft::List(_)) { self.list } else { self.unit };
                let column = column + deeper;
                format!("{}{}{}", self.line_break, " ".repeat(column), self.block(nested, column))
            }
            Draft::Text(text) if text.contains('\n') => self.long_text(text, column),
            scalar => format!(" {}", self.flow(scalar, false)),
        }
    }

    /// A text of several lines, as a literal block where that gives exactly this text.
    fn long_text(&self, text: &str, column: usize) -> String {
        let lines: Vec<&str> = text.strip_suffix('\n').unwrap_or(text).split('\n').collect();
        let odd = |c: char| c.is_control() || matches!(c, '\u{feff}' | '\u{85}' | '\u{2028}' | '\u{2029}');
        let blank = |line: &&str| line.trim().is_empty();
        let ends =
            lines.first().is_none_or(|line| blank(line) || line.starts_with(' ')) || lines.last().is_none_or(blank);
        let empty = |line: &&str| !line.is_empty() && line.trim().is_empty();
        if ends || lines.iter().any(empty) || lines.iter().any(|line| line.chars().any(odd)) {
            return format!(" {}", self.word(text, false, Some('"')));
        }
        let mut out = String::from(if text.ends_with('\n') { " |" } else { " |-" });
        for line in lines {
            out.push_str(self.line_break);
            if !line.is_empty() {
                out.push_str(&" ".repeat(column + self.unit.max(1)));
                out.push_str(line);
            }
        }
        out
    }
}

/// Whether a text may stand without quotes and be read as a text, also by readers of YAML 1.1.
fn is_plain(text: &str, flow: bool) -> bool {
    let mut chars = text.chars();
    let Some(first) = chars.next() else { return false };
    let indicator = "-?:,[]{}#&*!|>'\"%@`=~".contains(first) || first.is_whitespace() || first == '<';
    if indicator || text.ends_with([' ', '\t', ':']) || plain_shape(text) != Shape::Text {
        return false;
    }
    let word = text.to_ascii_lowercase();
    let old = ["yes", "no", "on", "off", "y", "n", "true", "false", "null"];
    if old.contains(&word.as_str()) {
        return false;
    }
    // numbers of YAML 1.1: `0777`, `1_000`, `1:30`, dates
    if first.is_ascii_digit() || matches!(first, '+' | '.') {
        let odd = |c: char| !c.is_ascii_alphanumeric() && !matches!(c, '_' | ':' | '.' | '-' | '+');
        let digits = text.chars().all(|c| c.is_ascii_digit() || matches!(c, '_' | ':' | '.' | '-' | '+' | 'e' | 'E'));
        if digits || (text.starts_with("0x") || text.starts_with("0o") || text.starts_with("0b")) && !text.contains(odd)
        {
            return false;
        }
    }
    let odd = |c: char| c.is_control() || matches!(c, '\u{feff}' | '\u{85}' | '\u{a0}' | '\u{2028}' | '\u{2029}');
    let marks = text.contains(": ") || text.contains(" #") || text.contains(":\t") || text.contains("\t#");
    !(marks || text.contains(odd) || (flow && text.contains([',', '[', ']', '{', '}', ':'])))
}

fn at(node: Node<'_>) -> usize {
    start(node.span())
}

fn start(span: Span) -> usize {
    span.start as usize
}

/// Characters between the start of the line and an offset.
fn column(text: &str, at: usize) -> usize {
    text.get(line_start(text, at)..at).unwrap_or("").chars().count()
}

fn span(start: usize, end: usize) -> Span {
    Span::new(start, end)
}

pub(super) struct Editor<'d> {
    document: &'d Document,
    text: &'d str,
    names: &'d Names,
    style: Style<'d>,
}

impl<'d> Editor<'d> {
    /// Of a tree without tags; what is written can have some.
    pub(super) fn new(document: &'d Document, tags: Option<&'d Tags>, names: &'d Names) -> Editor<'d> {
        let style = Style { tags, ..Style::learn(document) };
        Editor { document, text: document.text(), names, style }
    }

    pub(super) fn splices(&self, edit: &Edit) -> Result<Vec<Splice>, EditError> {
        let Editor { document, names, .. } = self;
        self.no_alias_on_the_way(edit.at())?;
        let splices = match edit {
            Edit::Set { at, to } => match super::find(document.root(), at, names) {
                Some(node) => self.set(at, node, to)?,
                None => {
                    let (into, key) = new_entry(at)?;
                    self.insert(&into, None, Some(key), to)?
                }
            },
            Edit::Insert { into, before, key, value } => self.insert(into, *before, key.as_deref(), value)?,
            Edit::Remove { at } => self.remove(at)?,
            Edit::Rename { at, to } => {
                let node = need(document, at, names)?;
                let (table, _) = at.split_last().ok_or_else(|| EditError::Nothing(at.to_string()))?;
                if need(document, &table, names)?.shape() != Shape::Table {
                    return Err(wrong_shape(at, node, "an entry with a key"));
                }
                refuse_known(need(document, &table, names)?, to, names)?;
                let flow = self.in_flow(at);
                vec![Splice { span: node.key_span(), text: self.style.key(to, flow) }]
            }
        };
        for splice in &splices {
            self.keeps_anchors(splice.span)?;
        }
        Ok(splices)
    }

    /// The nodes from the root to what stands at a path, as far as there are any.
    fn way(&self, path: &FieldPath) -> Vec<Node<'_>> {
        let mut here = FieldPath::default();
        let mut nodes = vec![self.document.root()];
        for step in path.steps() {
            here.push(step.clone());
            match super::find(self.document.root(), &here, self.names) {
                Some(node) => nodes.push(node),
                None => break,
            }
        }
        nodes
    }

    fn line(&self, at: u32) -> u32 {
        Lines::new(self.text).position(at).line
    }

    /// Refuses a path that leads through an alias, with the anchor's place.
    fn no_alias_on_the_way(&self, path: &FieldPath) -> Result<(), EditError> {
        let way = self.way(path);
        let (depth, alias) = (way.len() - 1, way.last().filter(|node| node.shape() == Shape::Alias));
        match alias.and_then(|node| node.anchor()) {
            Some(anchor) if depth < path.steps().len() => {
                let path = path.take(depth);
                let line = self.line(anchor.span.start);
                Err(EditError::Alias { path: path.to_string(), anchor: anchor.span.of(self.text).to_owned(), line })
            }
            _ => Ok(()),
        }
    }

    /// Refuses to take out an anchor that something else uses.
    fn keeps_anchors(&self, gone: Span) -> Result<(), EditError> {
        let within = |at: u32| at >= gone.start && at < gone.end;
        for (nth, anchor) in self.document.anchors().iter().enumerate() {
            if !within(anchor.span.start) {
                continue;
            }
            let uses = |node: &super::super::RawNode| {
                node.head & 7 == Shape::Alias as u32 && node.first as usize == nth && !within(node.start)
            };
            if let Some(user) = self.document.arena.iter().find(uses) {
                let line = self.line(user.start);
                return Err(EditError::Anchored { anchor: anchor.span.of(self.text).to_owned(), line });
            }
        }
        Ok(())
    }

    /// Whether what stands at a path stands inside a flow style.
    fn in_flow(&self, path: &FieldPath) -> bool {
        let way = self.way(path);
        way.iter().take(path.steps().len()).any(|node| is_flow(*node))
    }

    /// Whether a node is nothing at all, written by leaving it out.
    fn is_left_out(&self, node: Node<'_>) -> bool {
        node.shape() == Shape::Null && node.raw().is_empty()
    }

    fn set(&self, path: &FieldPath, node: Node<'_>, to: &Draft) -> Result<Vec<Splice>, EditError> {
        let flow = self.in_flow(path);
        let parent = path.split_last().and_then(|(above, _)| super::find(self.document.root(), &above, self.names));
        let text = self.text;
        let old = span(at(node), self.full_end(node));
        if self.is_left_out(node) && self.document.raw(node.id()).head & super::super::ESCAPED != 0 {
            return Err(EditError::Unusual(path.to_string()));
        }
        let nested = is_nested(to) && !flow && (path.is_empty() || !is_flow(node));
        let quoted =
            node.raw().chars().next().filter(|first| node.shape() == Shape::Text && matches!(first, '"' | '\''));
        let Some(parent) = parent.filter(|parent| !is_flow(*parent) && !self.is_several(*parent)) else {
            // the whole document, or an entry of a flow style
            let written = match to {
                nested_ if nested => self.style.block(nested_, column(text, start(old))),
                Draft::List(_) | Draft::Table(_) => self.style.flow(to, flow),
                scalar => self.style.scalar(scalar, flow, quoted),
            };
            if self.is_left_out(node) && !path.is_empty() {
                return Ok(vec![Splice { span: old, text: format!(": {written}") }]);
            }
            return Ok(vec![Splice { span: old, text: written }]);
        };
        if flow {
            // a single pair inside a flow list
            let written = self.style.flow(to, true);
            let text = if self.is_left_out(node) { format!(": {written}") } else { written };
            return Ok(vec![Splice { span: old, text }]);
        }
        let in_table = parent.shape() == Shape::Table;
        let outer = column(text, self.entry_start(parent, self.nth(parent, node)));
        if self.is_left_out(node) {
            let behind = self.behind_mark(node, in_table);
            let written = if in_table { self.style.behind(to, outer) } else { self.style.item(to, outer).split_off(1) };
            return Ok(vec![Splice { span: span(behind, behind), text: written }]);
        }
        let before = text.get(..start(old)).unwrap_or("").trim_end().len();
        let mark =
            if in_table { node.key_span().end as usize } else { self.entry_start(parent, self.nth(parent, node)) + 1 };
        let commented = text.get(mark..start(old)).unwrap_or("").contains('#');
        let properties =
            before > mark + usize::from(in_table) && !text.get(mark..before).unwrap_or("").trim_end().ends_with(':');
        let here = column(text, start(old));
        let written = match to {
            _ if nested => {
                let fits = here > outer || (in_table && matches!(to, Draft::List(_)) && here >= outer);
                if (is_block(node) && fits) || commented {
                    // what stands no deeper than its key moves in, unless it is a list
                    let deep = if fits { here } else { outer + self.style.unit };
                    let text = format!("{}{}", " ".repeat(deep - here), self.style.block(to, deep));
                    return Ok(vec![Splice { span: old, text }]);
                }
                if in_table {
                    self.style.behind(to, outer)
                } else if properties {
                    // further in than the dash, whatever lists under keys are
                    let deep = outer + self.style.unit;
                    format!("{}{}{}", self.style.line_break, " ".repeat(deep), self.style.block(to, deep))
                } else {
                    format!(" {}", self.style.block(to, outer + 2))
                }
            }
            Draft::Text(long) if long.contains('\n') => self.style.long_text(long, outer),
            Draft::List(_) | Draft::Table(_) => format!(" {}", self.style.flow(to, false)),
            scalar => {
                let word = self.style.scalar(scalar, false, quoted);
                if !is_block(node) {
                    return Ok(vec![Splice { span: old, text: word }]);
                }
                format!(" {word}")
            }
        };
        if commented {
            let deeper = if here > outer { 0 } else { outer + self.style.unit - here };
            let text = format!("{}{}", " ".repeat(deeper), written.trim_start());
            return Ok(vec![Splice { span: old, text }]);
        }
        Ok(vec![Splice { span: span(before, old.end as usize), text: written }])
    }

    fn nth(&self, parent: Node<'_>, node: Node<'_>) -> usize {
        parent.children().position(|child| child.id() == node.id()).unwrap_or(0)
    }

    /// Behind the colon or dash of an entry whose value is left out.
    fn behind_mark(&self, node: Node<'_>, in_table: bool) -> usize {
        let at = start(node.span());
        if !in_table {
            return self.text.get(..at).unwrap_or("").trim_end().len();
        }
        let from = node.key_span().end as usize;
        let rest = self.text.get(from..).unwrap_or("");
        from + rest.find(':').map_or(0, |colon| colon + 1)
    }

    /// Where an entry of a block style begins: its dash, or its key.
    fn entry_start(&self, container: Node<'_>, nth: usize) -> usize {
        let Some(previous) = nth.checked_sub(1).and_then(|nth| container.children().nth(nth)) else {
            return at(container);
        };
        let mut from = line_end(self.text, self.entry_end(container, previous).saturating_sub(1));
        loop {
            let rest = self.text.get(from..).unwrap_or("");
            let blank = rest.len() - rest.trim_start_matches([' ', '\t']).len();
            match rest.as_bytes().get(blank) {
                None => return from,
                Some(b'#' | b'\r' | b'\n') => from = line_end(self.text, from),
                Some(_) => return from + blank,
            }
        }
    }

    /// Where a node ends, with the colon of a last value that is left out.
    fn full_end(&self, node: Node<'_>) -> usize {
        let last = node.children().next_back().filter(|_| is_block(node));
        last.map_or(node.span().end as usize, |last| self.entry_end(node, last))
    }

    /// The start of an entry's line, or of the comments above it; `here` is where the entry begins.
    fn with_comments(&self, container: Node<'_>, nth: usize, here: usize) -> usize {
        let above = nth.checked_sub(1).and_then(|nth| container.children().nth(nth));
        let floor = above.map_or(0, |above| line_end(self.text, self.entry_end(container, above).saturating_sub(1)));
        comments_above(self.text, here, &["#"], floor)
    }

    /// Where an entry of a container ends.
    fn entry_end(&self, container: Node<'_>, entry: Node<'_>) -> usize {
        if !self.is_left_out(entry) {
            return self.full_end(entry);
        }
        if is_flow(container) { at(entry) } else { self.behind_mark(entry, container.shape() == Shape::Table) }
    }

    fn insert(
        &self,
        into: &FieldPath,
        before: Option<usize>,
        key: Option<&str>,
        value: &Draft,
    ) -> Result<Vec<Splice>, EditError> {
        let container = need(self.document, into, self.names)?;
        match (container.shape(), key) {
            (Shape::Table, Some(key)) => refuse_known(container, key, self.names)?,
            (Shape::Null, Some(key)) => {
                return self.set(into, container, &Draft::Table(vec![(key.to_owned(), value.clone())]));
            }
            (Shape::Null, None) => return self.set(into, container, &Draft::List(vec![value.clone()])),
            (Shape::List, None) => {}
            // one value that is read as a list of one becomes a list
            (Shape::Text | Shape::Number | Shape::Boolean, None) if !into.is_empty() => {
                let mut items = vec![Draft::of(container, self.names)];
                items.insert(before.unwrap_or(1).min(1), value.clone());
                return self.set(into, container, &Draft::List(items));
            }
            (_, Some(_)) => return Err(wrong_shape(into, container, "a table")),
            (_, None) => return Err(wrong_shape(into, container, "a list")),
        }
        if self.is_several(container) {
            return self.insert_document(before.filter(|at| *at < container.len()), value);
        }
        let count = container.len();
        let nth = before.unwrap_or(count).min(count);
        if count == 0 {
            let filled = match key {
                Some(key) => Draft::Table(vec![(key.to_owned(), value.clone())]),
                None => Draft::List(vec![value.clone()]),
            };
            let block = !self.in_flow(into) && (is_nested(value) || into.is_empty());
            let text = match self.parent(into) {
                _ if !block => self.style.flow(&filled, true),
                None => self.style.block(&filled, column(self.text, at(container))),
                Some(_) => return self.replace_empty(into, container, &filled),
            };
            return Ok(vec![Splice { span: container.span(), text }]);
        }
        if is_flow(container) {
            let entry = match key {
                Some(key) => format!("{}: {}", self.style.key(key, true), self.style.flow(value, true)),
                None => self.style.flow(value, true),
            };
            return Ok(vec![self.insert_flow(container, nth, &entry)]);
        }
        if self.in_flow(into) {
            return Err(EditError::Unusual(into.to_string()));
        }
        let first = at(container);
        let deep = column(self.text, first);
        let entry = match key {
            Some(key) => self.style.member(key, value, deep),
            None => self.style.item(value, deep),
        };
        let pad = " ".repeat(deep);
        let nl = self.style.line_break;
        if nth < count {
            let here = self.entry_start(container, nth);
            if nth == 0 && !begins_line(self.text, here) {
                return Ok(vec![Splice { span: span(here, here), text: format!("{entry}{nl}{pad}") }]);
            }
            let line = self.with_comments(container, nth, here);
            let blank = self.text.get(line_start(self.text, here)..here).unwrap_or("");
            return Ok(vec![Splice { span: span(line, line), text: format!("{blank}{entry}{nl}") }]);
        }
        let last = container.children().next_back().map_or(first, |last| self.entry_end(container, last));
        let end = line_end(self.text, last.saturating_sub(1));
        let broken = self.text.get(..end).is_some_and(|text| text.ends_with('\n'));
        let text = if broken { format!("{pad}{entry}{nl}") } else { format!("{nl}{pad}{entry}") };
        Ok(vec![Splice { span: span(end, end), text }])
    }

    /// Whether a node is the list of several documents.
    fn is_several(&self, node: Node<'_>) -> bool {
        node.id() == self.document.root().id() && !self.document.pieces(node.id()).is_empty()
    }

    /// One more document at the end.
    fn insert_document(&self, before: Option<usize>, value: &Draft) -> Result<Vec<Splice>, EditError> {
        if before.is_some() || self.text.trim_end().ends_with("...") {
            return Err(EditError::Unusual("a document between others".to_owned()));
        }
        let (end, nl) = (self.text.len(), self.style.line_break);
        let body = if is_nested(value) { self.style.block(value, 0) } else { self.style.flow(value, false) };
        let lead = if self.text.ends_with('\n') { "" } else { nl };
        Ok(vec![Splice { span: span(end, end), text: format!("{lead}---{nl}{body}{nl}") }])
    }

    fn parent(&self, path: &FieldPath) -> Option<Node<'_>> {
        let (above, _) = path.split_last()?;
        super::find(self.document.root(), &above, self.names)
    }

    /// An empty `[]` or `{}` becomes a block.
    fn replace_empty(&self, path: &FieldPath, node: Node<'_>, filled: &Draft) -> Result<Vec<Splice>, EditError> {
        let parent = self.parent(path).ok_or_else(|| EditError::Nothing(path.to_string()))?;
        let outer = column(self.text, self.entry_start(parent, self.nth(parent, node)));
        let before = self.text.get(..at(node)).unwrap_or("").trim_end().len();
        let text = match parent.shape() {
            Shape::Table => self.style.behind(filled, outer),
            _ => self.style.item(filled, outer).split_off(1),
        };
        Ok(vec![Splice { span: span(before, node.span().end as usize), text }])
    }

    fn insert_flow(&self, container: Node<'_>, nth: usize, entry: &str) -> Splice {
        let near = self.flow_start(container, nth.min(container.len() - 1));
        let separator = if begins_line(self.text, near) {
            format!(",{}{}", self.style.line_break, " ".repeat(column(self.text, near)))
        } else {
            ", ".to_owned()
        };
        if nth < container.len() {
            return Splice { span: span(near, near), text: format!("{entry}{separator}") };
        }
        let last = container.children().next_back();
        let end = last.map_or(at(container) + 1, |last| self.entry_end(container, last));
        Splice { span: span(end, end), text: format!("{separator}{entry}") }
    }

    /// Where an entry of a flow style begins, with its anchor and tag.
    fn flow_start(&self, container: Node<'_>, nth: usize) -> usize {
        let above = nth.checked_sub(1).and_then(|nth| container.children().nth(nth));
        let mut from = above.map_or(at(container), |above| self.entry_end(container, above));
        if let Some(comma) = above.and_then(|_| self.text.get(from..)?.find(',')) {
            from += comma;
        }
        self.over_blank(from + 1)
    }

    /// Over white space and comments.
    fn over_blank(&self, mut at: usize) -> usize {
        while let Some(byte) = self.text.as_bytes().get(at) {
            match byte {
                b' ' | b'\t' | b'\r' | b'\n' => at += 1,
                b'#' => at = line_end(self.text, at),
                _ => break,
            }
        }
        at
    }

    fn remove(&self, path: &FieldPath) -> Result<Vec<Splice>, EditError> {
        let node = need(self.document, path, self.names)?;
        let (above, _) = path.split_last().ok_or_else(|| EditError::Nothing(path.to_string()))?;
        let container = need(self.document, &above, self.names)?;
        let (nth, count) = (self.nth(container, node), container.len());
        let inline = self.in_flow(path);
        if self.is_several(container) {
            return Err(EditError::Unusual(path.to_string()));
        }
        if count == 1 {
            let empty =
                if container.shape() == Shape::Table { Draft::Table(Vec::new()) } else { Draft::List(Vec::new()) };
            return self.set(&above, container, &empty);
        }
        if inline && !is_flow(container) {
            return Err(EditError::Unusual(path.to_string()));
        }
        if is_flow(container) {
            if nth + 1 < count {
                let gone = span(self.flow_start(container, nth), self.flow_start(container, nth + 1));
                return Ok(vec![Splice { span: gone, text: String::new() }]);
            }
            let previous = nth.checked_sub(1).and_then(|nth| container.children().nth(nth));
            let from = previous.map_or(at(container) + 1, |previous| self.entry_end(container, previous));
            let gone = span(from, self.entry_end(container, node));
            return Ok(vec![Splice { span: gone, text: String::new() }]);
        }
        let here = self.entry_start(container, nth);
        if !begins_line(self.text, here) {
            let gone = span(here, self.entry_start(container, nth + 1));
            return Ok(vec![Splice { span: gone, text: String::new() }]);
        }
        let from = self.with_comments(container, nth, here);
        let end = self.entry_end(container, node);
        let to = line_end(self.text, end.saturating_sub(1));
        Ok(vec![Splice { span: span(from, to.max(end)), text: String::new() }])
    }
}
