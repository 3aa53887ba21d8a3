//! Splices for TOML.
//!
//! Entries of tables under headers are lines; inline lists and tables are edited as in JSON; a table that
//! only exists in pieces (headers, dotted keys) is removed and renamed in all of them.

mod headers;

use headers::{Headers, is_of_tables, keys_of};

use super::super::{Document, Draft, FieldPath, Node, Shape, Step};
use super::json::quote;
use super::{
    Edit, EditError, Splice, begins_line, comments_above, find, indent, line_break, line_end, line_start, need,
    new_entry, refuse_known, wrong_shape,
};
use crate::names::Names;
use crate::source::{Span, to_u32};

/// How a value is written.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Form {
    /// In one place: a scalar, an inline list or table.
    Inline,
    /// The top of the file.
    Root,
    /// A table with a header of its own, or an entry of a list of such.
    Header,
    /// A table that only dotted keys make.
    Dotted,
    /// A table that only longer headers make.
    Implicit,
    /// A list whose entries have headers.
    Headers,
}

fn written(node: Node<'_>) -> Form {
    let document = node.document();
    if node.id() == document.root().id() {
        return Form::Root;
    }
    let pieces = document.pieces(node.id());
    let text: &str = document.text();
    match (node.shape(), pieces.first()) {
        (Shape::List, Some(_)) => Form::Headers,
        (Shape::Table, Some(piece)) if piece.of(text).starts_with('[') => Form::Header,
        (Shape::Table, Some(_)) => Form::Dotted,
        (Shape::Table, None) if !node.raw().starts_with('{') => Form::Implicit,
        _ => Form::Inline,
    }
}

/// Every place that belongs to a node written in pieces, those of its descendants included.
fn all_pieces(node: Node<'_>) -> Vec<Span> {
    let mut spans: Vec<Span> = node.document().pieces(node.id()).to_vec();
    for child in node.children() {
        if written(child) != Form::Inline {
            spans.extend(all_pieces(child));
        }
    }
    spans.sort();
    spans.dedup();
    spans
}

/// Where the last line of a node written in pieces ends, with all that stands below its headers.
fn end_of(node: Node<'_>) -> usize {
    let own = node.pieces().iter().map(|span| span.end).max().unwrap_or_default() as usize;
    match written(node) {
        Form::Inline => own,
        _ => node.children().map(end_of).max().unwrap_or_default().max(own),
    }
}

/// A table as a text of its own, with the habits of another file.
///
/// # Errors
/// TOML has no notation for something in it, as null.
pub(super) fn whole(model: Option<&Document>, value: &Draft, names: &Names) -> Result<String, EditError> {
    let Draft::Table(entries) = value else {
        return Err(EditError::NoNotation { format: "TOML", what: "anything but a table at the top".to_owned() });
    };
    let empty = Document::parse(crate::source::FileId(0), super::super::Format::Toml, "".into(), names);
    Writer::learn(&empty, model, names).table("", 0, entries)
}

pub(super) struct Writer<'d> {
    document: &'d Document,
    /// Another file, whose habits count where this one has none.
    model: Option<&'d Document>,
    /// What has a header of its own, once that is asked.
    headers: std::cell::OnceCell<Headers>,
    text: &'d str,
    names: &'d Names,
    line_break: &'static str,
    literal: bool,
}

impl<'d> Writer<'d> {
    pub(super) fn splices(&self, edit: &Edit) -> Result<Vec<Splice>, EditError> {
        match edit {
            Edit::Set { at, to } => match find(self.document.root(), at, self.names) {
                Some(node) if written(node) == Form::Inline => {
                    let text = self.value(to)?;
                    Ok(vec![Splice { span: node.span(), text }])
                }
                Some(node) if matches!(written(node), Form::Header | Form::Headers | Form::Implicit) => {
                    self.replace(node, at, to)
                }
                Some(_) => Err(EditError::Shape {
                    path: at.to_string(),
                    found: "a table of dotted keys",
                    wanted: "a single value; set its entries one by one",
                }),
                None => {
                    let (into, key) = new_entry(at)?;
                    self.insert(&into, None, Some(key), to)
                }
            },
            Edit::Insert { into, before, key, value } => self.insert(into, *before, key.as_deref(), value),
            Edit::Remove { at } => self.remove(at),
            Edit::Rename { at, to } => self.rename(at, to),
        }
    }

    pub(super) fn learn(document: &'d Document, model: Option<&'d Document>, names: &'d Names) -> Writer<'d> {
        let text: &str = document.text();
        let mut todo = vec![document.root()];
        let mut literal = false;
        for _ in 0..200 {
            let Some(node) = todo.pop() else { break };
            if node.shape() == Shape::Text && node.raw().starts_with(['"', '\'']) {
                literal = node.raw().starts_with('\'');
                break;
            }
            todo.extend(node.children().rev().take(16));
        }
        Writer {
            document,
            model,
            headers: std::cell::OnceCell::new(),
            text,
            names,
            line_break: line_break(text),
            literal,
        }
    }

    fn key(&self, key: &str) -> String {
        let bare = !key.is_empty() && key.bytes().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-'));
        if bare { key.to_owned() } else { quote(key) }
    }

    fn value(&self, value: &Draft) -> Result<String, EditError> {
        Ok(match value {
            Draft::Null => return Err(EditError::NoNotation { format: "TOML", what: "null".to_owned() }),
            Draft::Boolean(value) => value.to_string(),
            Draft::Number(number) => toml_number(number.notation()),
            Draft::Text(text) => {
                let plain = !text.chars().any(|c| c == '\'' || c.is_control());
                if self.literal && plain { format!("'{text}'") } else { quote(text) }
            }
            Draft::List(items) => {
                let items: Result<Vec<_>, _> = items.iter().map(|item| self.value(item)).collect();
                format!("[{}]", items?.join(", "))
            }
            Draft::Table(entries) if entries.is_empty() => "{}".to_owned(),
            Draft::Table(entries) => {
                let entry = |(key, value): &(String, Draft)| -> Result<String, EditError> {
                    Ok(format!("{} = {}", self.key(key), self.value(value)?))
                };
                let entries: Result<Vec<_>, _> = entries.iter().map(entry).collect();
                format!("{{ {} }}", entries?.join(", "))
            }
        })
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
            (Shape::List, None) => {}
            (_, Some(_)) => return Err(wrong_shape(into, container, "a table")),
            (_, None) => return Err(wrong_shape(into, container, "a list")),
        }
        let headed = key.map(|key| self.insert_table(container, into, (before, key), value)).transpose()?;
        if let Some(splice) = headed.flatten() {
            return Ok(vec![splice]);
        }
        let splice = match written(container) {
            Form::Inline => self.insert_inline(container, before, key, value)?,
            Form::Headers => self.insert_block((container, into), before, value)?,
            Form::Dotted => {
                let prefix = self.dotted_prefix(container);
                let last = self.document.pieces(container.id()).last().copied().unwrap_or_default();
                let depth = indent(self.text, last.start as usize).to_owned();
                let line = format!("{depth}{prefix}{} = {}", self.key(key.unwrap_or("")), self.value(value)?);
                self.line_behind(last.end as usize, line)
            }
            Form::Implicit => {
                let key_span = container.key_span();
                let start = line_start(self.text, key_span.start as usize);
                let header = self.text.get(start..key_span.end as usize).unwrap_or("");
                let path = header.trim_start().trim_start_matches('[').trim_start();
                let at = comments_above(self.text, start, &["#"], 0);
                let line = format!("{} = {}", self.key(key.unwrap_or("")), self.value(value)?);
                let text = format!("[{path}]{0}{line}{0}{0}", self.line_break);
                Splice { span: Span::new(at, at), text }
            }
            Form::Root | Form::Header => self.insert_line(container, into, before, key.unwrap_or(""), value)?,
        };
        Ok(vec![splice])
    }

    /// `a.b.` of a table that dotted keys make, as its first piece writes it.
    fn dotted_prefix(&self, table: Node<'_>) -> String {
        let piece = self.document.pieces(table.id()).first().copied().unwrap_or_default();
        let end = table.children().next().map_or(piece.start, |child| child.key_span().start);
        self.text.get(piece.start as usize..end as usize).unwrap_or("").to_owned()
    }

    /// A line of its own behind the line on which something ends at `end`.
    fn line_behind(&self, end: usize, line: String) -> Splice {
        let at = line_end(self.text, end);
        let ends = self.text.get(..at).unwrap_or("").ends_with('\n') || at == 0;
        let text = if ends { format!("{line}{}", self.line_break) } else { format!("{}{line}", self.line_break) };
        Splice { span: Span::new(at, at), text }
    }

    fn insert_line(
        &self,
        table: Node<'_>,
        path: &FieldPath,
        before: Option<usize>,
        key: &str,
        value: &Draft,
    ) -> Result<Splice, EditError> {
        if let Draft::List(items) = value
            && is_of_tables(value)
        {
            let blocks = self.blocks(&self.header_path(path, Some(key)), keys_of(path) + 1, items)?;
            let end = if table.id() == self.document.root().id() { self.text.len() } else { end_of(table) };
            return Ok(self.block_behind(end, &blocks));
        }
        let is_line = |child: &Node<'_>| matches!(written(*child), Form::Inline | Form::Dotted);
        let line = format!("{} = {}", self.key(key), self.value(value)?);
        let child_start = |child: Node<'_>| match self.document.pieces(child.id()).first() {
            Some(piece) => piece.start as usize,
            None => child.key_span().start as usize,
        };
        if let Some(next) = before.and_then(|at| table.children().nth(at)).filter(is_line) {
            let start = child_start(next);
            let at = comments_above(self.text, start, &["#"], 0);
            let depth = indent(self.text, start);
            return Ok(Splice { span: Span::new(at, at), text: format!("{depth}{line}{}", self.line_break) });
        }
        let last = table.children().filter(is_line).map(|child| {
            let pieces = self.document.pieces(child.id()).last().copied();
            (pieces.map_or(child.span().end, |piece| piece.end) as usize, child_start(child))
        });
        if let Some((end, start)) = last.max() {
            let depth = indent(self.text, start);
            return Ok(self.line_behind(end, format!("{depth}{line}")));
        }
        match self.document.pieces(table.id()).first() {
            Some(header) => {
                let depth = indent(self.text, header.start as usize);
                Ok(self.line_behind(header.end as usize, format!("{depth}{line}")))
            }
            None => {
                // the top of a file that has only headers, or nothing
                let first = all_pieces(table).first().map(|span| span.start as usize);
                let first = first
                    .or_else(|| table.children().map(|c| line_start(self.text, c.key_span().start as usize)).min());
                match first {
                    Some(start) => {
                        let at = comments_above(self.text, start, &["#"], 0);
                        let text = format!("{line}{0}{0}", self.line_break);
                        Ok(Splice { span: Span::new(at, at), text })
                    }
                    None => Ok(self.line_behind(self.text.len(), line)),
                }
            }
        }
    }

    /// The path of a header: the keys of a field path, and one more.
    fn header_path(&self, path: &FieldPath, key: Option<&str>) -> String {
        let keys = path.steps().iter().filter_map(|step| match step {
            Step::Key(key) => Some(key.as_str()),
            _ => None,
        });
        keys.chain(key).map(|key| self.key(key)).collect::<Vec<_>>().join(".")
    }

    /// Blocks with headers behind the line on which something ends.
    fn block_behind(&self, end: usize, block: &str) -> Splice {
        let at = line_end(self.text, end);
        let before = self.text.get(..at).unwrap_or("");
        let lead = match (before.trim_start_matches('\u{feff}').is_empty(), before.ends_with('\n')) {
            (true, _) => String::new(),
            (_, true) if before.ends_with("\n\n") || before.ends_with("\n\r\n") => String::new(),
            (_, true) => self.line_break.to_owned(),
            (_, false) => self.line_break.repeat(2),
        };
        let rest = self.text.get(at..).unwrap_or("");
        let tail = if rest.is_empty() || rest.starts_with(['\n', '\r']) { "" } else { self.line_break };
        Splice { span: Span::new(at, at), text: format!("{lead}{block}{tail}") }
    }

    fn insert_block(
        &self,
        (list, into): (Node<'_>, &FieldPath),
        before: Option<usize>,
        value: &Draft,
    ) -> Result<Splice, EditError> {
        if !matches!(value, Draft::Table(_)) {
            let what = "anything but a table in a list of tables under headers".to_owned();
            return Err(EditError::NoNotation { format: "TOML", what });
        }
        let first = self.document.pieces(list.id()).first().copied().unwrap_or_default();
        let header = first.of(self.text).lines().next().unwrap_or("");
        let path = header.trim_start_matches('[').split("]]").next().unwrap_or("").trim();
        let block = self.block(path, keys_of(into), value)?;
        if let Some(next) = before.and_then(|at| list.item(at)) {
            let start = all_pieces(next).first().map_or(0, |span| span.start as usize);
            let at = comments_above(self.text, start, &["#"], 0);
            return Ok(Splice { span: Span::new(at, at), text: format!("{block}{}", self.line_break) });
        }
        Ok(self.block_behind(end_of(list), &block))
    }

    fn insert_inline(
        &self,
        container: Node<'_>,
        before: Option<usize>,
        key: Option<&str>,
        value: &Draft,
    ) -> Result<Splice, EditError> {
        let mut new = self.value(value)?;
        if let Some(key) = key {
            new = format!("{} = {new}", self.key(key));
        }
        let children: Vec<Node<'_>> = container.children().collect();
        let at = before.unwrap_or(usize::MAX).min(children.len());
        let open = container.span().start as usize + 1;
        let close = container.span().end as usize - 1;
        let Some(last) = children.last() else {
            let inside = self.text.get(open..close).unwrap_or("");
            if inside.contains('#') {
                // behind the comments
                return Ok(Splice { span: Span::new(close, close), text: format!("{new}{}", self.line_break) });
            }
            let pad = if container.shape() == Shape::Table { " " } else { "" };
            return Ok(Splice { span: Span::new(open, close), text: format!("{pad}{new}{pad}") });
        };
        let own_line = begins_line(self.text, entry_start(*last));
        if let Some(next) = children.get(at) {
            let start = entry_start(*next);
            let gap = if own_line && begins_line(self.text, start) {
                format!("{}{}", self.line_break, indent(self.text, start))
            } else {
                " ".to_owned()
            };
            return Ok(Splice { span: Span::new(start, start), text: format!("{new},{gap}") });
        }
        let end = entry_end(*last);
        let tail = self.text.get(end..close).unwrap_or("");
        let comma = comma_offset(tail).map(|n| end + n + 1);
        let from = comma.unwrap_or(end);
        let lead = if own_line {
            format!("{}{}", self.line_break, indent(self.text, entry_start(*last)))
        } else {
            " ".to_owned()
        };
        if own_line {
            // a comment beside the last entry stays beside it
            let line = line_end(self.text, from);
            let rest = self.text.get(from..line).unwrap_or("").trim_end();
            let beside = rest.trim_start().starts_with('#');
            let at = if beside { from + rest.len() } else { from };
            return Ok(match comma {
                Some(_) => Splice { span: Span::new(at, at), text: format!("{lead}{new},") },
                None => {
                    let comment = self.text.get(end..at).unwrap_or("");
                    Splice { span: Span::new(end, at), text: format!(",{comment}{lead}{new}") }
                }
            });
        }
        let text = if comma.is_some() { format!("{lead}{new},") } else { format!(",{lead}{new}") };
        Ok(Splice { span: Span::new(from, from), text })
    }

    fn remove(&self, path: &FieldPath) -> Result<Vec<Splice>, EditError> {
        let node = need(self.document, path, self.names)?;
        let (parent, _) = path.split_last().ok_or_else(|| wrong_shape(path, node, "an entry"))?;
        let parent = need(self.document, &parent, self.names)?;
        match written(node) {
            Form::Inline if written(parent) == Form::Inline => Ok(vec![self.remove_inline(parent, node)]),
            Form::Inline => {
                let start = line_start(self.text, node.key_span().start as usize);
                Ok(vec![self.remove_lines(start, node.span().end as usize)])
            }
            _ => {
                let pieces = all_pieces(node);
                Ok(self.join(pieces.iter().map(|piece| self.remove_piece(*piece)).collect()))
            }
        }
    }

    /// Lines of neighbouring pieces can touch or share a comment.
    fn join(&self, mut splices: Vec<Splice>) -> Vec<Splice> {
        splices.sort_by_key(|splice| splice.span);
        let mut joined: Vec<Splice> = Vec::new();
        for splice in splices {
            match joined.last_mut() {
                Some(last) if splice.span.start <= last.span.end => {
                    last.span.end = last.span.end.max(splice.span.end);
                }
                _ => joined.push(splice),
            }
        }
        // at the end of the file no blank line is left
        if let Some(last) = joined.last_mut().filter(|last| last.span.end as usize == self.text.len()) {
            let above = self.text.get(..last.span.start as usize).unwrap_or("").trim_end().len();
            let start = to_u32(line_end(self.text, above));
            if above > 0 && start < last.span.start {
                last.span.start = start;
            }
        }
        joined
    }

    fn remove_lines(&self, start: usize, end: usize) -> Splice {
        let from = comments_above(self.text, start, &["#"], 0);
        Splice { span: Span::new(from, line_end(self.text, end)), text: String::new() }
    }

    /// A header with its lines, and the blank line behind it.
    fn remove_piece(&self, piece: Span) -> Splice {
        let mut splice = self.remove_lines(piece.start as usize, piece.end as usize);
        if piece.of(self.text).starts_with('[') {
            let end = splice.span.end as usize;
            let next = line_end(self.text, end);
            if self.text.get(end..next).is_some_and(|line| line.trim().is_empty()) {
                splice.span.end = to_u32(next);
            }
        }
        splice
    }

    fn remove_inline(&self, parent: Node<'_>, node: Node<'_>) -> Splice {
        let children: Vec<Node<'_>> = parent.children().collect();
        let at = children.iter().position(|child| child.id() == node.id()).unwrap_or(0);
        let (start, end) = (entry_start(node), entry_end(node));
        let open = parent.span().start as usize + 1;
        let close = parent.span().end as usize - 1;
        let comma = comma_offset(self.text.get(end..close).unwrap_or("")).map(|n| end + n + 1);
        let own_line = begins_line(self.text, start);
        if let Some(comma) = comma
            && (parent.shape() != Shape::Table || at + 1 < children.len())
        {
            let line = line_end(self.text, comma);
            let rest = self.text.get(comma..line.min(close)).unwrap_or("").trim();
            if own_line && line <= close && (rest.is_empty() || rest.starts_with('#')) {
                let floor = at.checked_sub(1).and_then(|n| children.get(n)).map_or(open, |n| entry_end(*n));
                let floor = line_end(self.text, floor).min(line_start(self.text, start));
                let from = comments_above(self.text, start, &["#"], floor);
                return Splice { span: Span::new(from, line), text: String::new() };
            }
            let blank = self.text.get(comma..close).unwrap_or("");
            let blank = blank.len() - blank.trim_start_matches([' ', '\t']).len();
            let last = at + 1 == children.len();
            return Splice { span: Span::new(start, if last { comma } else { comma + blank }), text: String::new() };
        }
        match at.checked_sub(1).and_then(|before| children.get(before)) {
            // the comma before it goes too; a comment between stays
            Some(previous) => {
                let from = entry_end(*previous);
                let between = self.text.get(from..start).unwrap_or("");
                let kept = match between.find('#') {
                    Some(_) => between.replacen(',', "", 1).trim_end().to_owned() + self.line_break,
                    None => String::new(),
                };
                Splice { span: Span::new(from, end), text: kept }
            }
            None => {
                // a comma behind the only entry goes with it
                let end = comma.unwrap_or(end);
                let inside = self.text.get(open..start).unwrap_or("");
                let from = if inside.trim().is_empty() { open } else { start };
                let tail = self.text.get(end..close).unwrap_or("");
                let to = if tail.trim().is_empty() { close } else { end };
                Splice { span: Span::new(from, to), text: String::new() }
            }
        }
    }

    fn rename(&self, path: &FieldPath, to: &str) -> Result<Vec<Splice>, EditError> {
        let node = need(self.document, path, self.names)?;
        if node.key().is_none() {
            return Err(wrong_shape(path, node, "an entry with a key"));
        }
        let parent = path.split_last().map(|(parent, _)| parent).unwrap_or_default();
        refuse_known(need(self.document, &parent, self.names)?, to, self.names)?;
        let text = self.key(to);
        if written(node) == Form::Inline {
            return Ok(vec![Splice { span: node.key_span(), text }]);
        }
        let keys = |path: &FieldPath| path.steps().iter().filter(|step| matches!(step, Step::Key(_))).count();
        let depth = keys(path) - 1;
        // how deep the table lies in which its dotted keys stand
        let mut dotted_from = depth;
        let mut above = path.clone();
        while let Some((parent, _)) = above.split_last() {
            above = parent;
            match find(self.document.root(), &above, self.names).map(written) {
                Some(Form::Dotted) => dotted_from = keys(&above) - 1,
                _ => break,
            }
        }
        let dotted = written(node) == Form::Dotted;
        let splices = all_pieces(node).into_iter().filter_map(|piece| {
            let in_header = piece.of(self.text).starts_with('[');
            if !in_header && !dotted {
                // keys below a header are written without it
                return None;
            }
            let nth = if in_header { depth } else { depth.checked_sub(dotted_from)? };
            Some(Splice { span: self.segment(piece, nth)?, text: text.clone() })
        });
        let mut splices: Vec<Splice> = splices.collect();
        splices.dedup();
        Ok(splices)
    }

    /// The nth part of the dotted key with which a piece begins.
    fn segment(&self, piece: Span, nth: usize) -> Option<Span> {
        let raw = piece.of(self.text);
        let mut at = raw.len() - raw.trim_start_matches('[').len();
        let skip = |at: usize, c: &[char]| {
            let rest = raw.get(at..).unwrap_or("");
            at + rest.len() - rest.trim_start_matches(c).len()
        };
        for _ in 0..nth {
            at = skip(at, &[' ', '\t']);
            at += super::super::toml::key_len(raw.get(at..)?);
            at = skip(at, &[' ', '\t', '.']);
        }
        at = skip(at, &[' ', '\t']);
        let len = super::super::toml::key_len(raw.get(at..)?);
        let start = piece.start as usize + at;
        Some(Span::new(start, start + len))
    }
}

/// The first byte of an entry: of its dotted key in an inline table, its key, or its value.
fn entry_start(node: Node<'_>) -> usize {
    let pieces = node.document().pieces(node.id());
    pieces.first().map_or(node.key_span().start, |piece| piece.start) as usize
}

fn entry_end(node: Node<'_>) -> usize {
    let pieces = node.document().pieces(node.id());
    pieces.last().map_or(node.span().end, |piece| piece.end) as usize
}

/// The offset of the first comma that stands in no comment.
fn comma_offset(text: &str) -> Option<usize> {
    let mut in_comment = false;
    text.bytes().position(|byte| {
        match byte {
            b'#' => in_comment = true,
            b'\n' => in_comment = false,
            _ => {}
        }
        byte == b',' && !in_comment
    })
}

/// JSON's number notation is TOML's, but for whole numbers with an exponent.
fn toml_number(notation: &str) -> String {
    match notation.split_once(['e', 'E']) {
        Some((mantissa, exponent)) => format!("{mantissa}e{exponent}"),
        None => notation.to_owned(),
    }
}
