//! Splices for JSON.

use super::super::{Document, Draft, FieldPath, Node, Shape};
use super::{
    Edit, EditError, Splice, begins_line, comments_above, indent, line_break, line_end, line_start, need, new_entry,
    refuse_known, wrong_shape,
};
use crate::names::Names;
use crate::source::Span;

pub(super) struct Editor<'d> {
    document: &'d Document,
    names: &'d Names,
    style: Style,
}

impl<'d> Editor<'d> {
    pub(super) fn new(document: &'d Document, names: &'d Names) -> Editor<'d> {
        Editor { document, names, style: Style::learn(document) }
    }

    pub(super) fn splices(&self, edit: &Edit) -> Result<Vec<Splice>, EditError> {
        let Editor { document, names, style } = self;
        match edit {
            Edit::Set { at, to } => match super::find(document.root(), at, names) {
                Some(node) => {
                    let depth = indent(document.text(), node.span().start as usize);
                    let flat = flat_like(node);
                    Ok(vec![Splice { span: node.span(), text: style.write(to, depth, flat) }])
                }
                None => {
                    let (into, key) = new_entry(at)?;
                    insert(document, style, names, &into, None, Some(key), to)
                }
            },
            Edit::Insert { into, before, key, value } => {
                insert(document, style, names, into, *before, key.as_deref(), value)
            }
            Edit::Remove { at } => remove(document, need(document, at, names)?, at, names),
            Edit::Rename { at, to } => {
                let node = need(document, at, names)?;
                if node.key().is_none() {
                    return Err(wrong_shape(at, node, "an entry with a key"));
                }
                let table = at.split_last().map(|(table, _)| table).unwrap_or_default();
                refuse_known(need(document, &table, names)?, to, names)?;
                Ok(vec![Splice { span: node.key_span(), text: quote(to) }])
            }
        }
    }
}

/// Whether a container stands on one line and so keeps doing that.
fn flat_like(node: Node<'_>) -> Option<bool> {
    matches!(node.shape(), Shape::List | Shape::Table).then(|| !node.raw().contains('\n'))
}

/// The habits of a file.
pub(super) struct Style {
    unit: String,
    pub(super) line_break: &'static str,
    after_colon: &'static str,
    before_colon: &'static str,
    padded_braces: bool,
    padded_brackets: bool,
    after_comma: &'static str,
    pub(super) multiline: bool,
}

impl Style {
    /// The usual layout: two spaces, `{ "a": 1 }`.
    pub(super) fn plain() -> Style {
        Style {
            unit: "  ".to_owned(),
            line_break: "\n",
            after_colon: " ",
            before_colon: "",
            padded_braces: true,
            padded_brackets: false,
            after_comma: " ",
            multiline: true,
        }
    }

    pub(super) fn learn(document: &Document) -> Style {
        let text: &str = document.text();
        let mut style = Style {
            line_break: line_break(text),
            multiline: text.contains('\n') || document.size() <= 1,
            ..Style::plain()
        };
        let mut todo = vec![document.root()];
        let (mut colon, mut unit, mut braces, mut brackets, mut comma) = (false, false, false, false, false);
        let mut looked = 0;
        while let Some(node) = todo.pop() {
            looked += 1;
            if looked > 400 || (colon && unit && braces && brackets && comma) {
                break;
            }
            let (start, flat) = (node.span().start as usize, !node.raw().contains('\n'));
            if let Some(first) = node.children().next() {
                let first_at = if node.shape() == Shape::Table { first.key_span() } else { first.span() };
                let first_at = first_at.start as usize;
                if flat {
                    let padded = first_at > start + 1;
                    if node.shape() == Shape::Table && !braces {
                        (style.padded_braces, braces) = (padded, true);
                    } else if node.shape() == Shape::List && !brackets {
                        (style.padded_brackets, brackets) = (padded, true);
                    }
                    if let Some(second) = node.children().nth(1).filter(|_| !comma) {
                        let end = first.span().end as usize;
                        let next = if node.shape() == Shape::Table { second.key_span() } else { second.span() };
                        let between = text.get(end..next.start as usize).unwrap_or("");
                        style.after_comma = if between == "," { "" } else { " " };
                        comma = true;
                    }
                } else if !unit && begins_line(text, first_at) {
                    let (outer, inner) = (indent(text, start), indent(text, first_at));
                    if let Some(deeper) = inner.strip_prefix(outer).filter(|deeper| !deeper.is_empty()) {
                        style.unit = deeper.to_owned();
                        unit = true;
                    }
                }
                if node.shape() == Shape::Table && !colon {
                    let key_end = first.key_span().end as usize;
                    let between = text.get(key_end..first.span().start as usize).unwrap_or(": ");
                    let (before, after) = between.split_once(':').unwrap_or(("", " "));
                    style.before_colon = if before.is_empty() { "" } else { " " };
                    style.after_colon = if after.is_empty() { "" } else { " " };
                    colon = true;
                }
            }
            todo.extend(node.children().rev().take(64));
        }
        style
    }

    fn member(&self, key: &str, value: String) -> String {
        format!("{}{}:{}{value}", quote(key), self.before_colon, self.after_colon)
    }

    /// Writes a value whose first line is indented by `depth`. `flat` decides about lines, if known.
    pub(super) fn write(&self, value: &Draft, depth: &str, flat: Option<bool>) -> String {
        let small = |items: usize, scalars: bool| scalars && items <= 6;
        match value {
            Draft::Null => "null".to_owned(),
            Draft::Boolean(value) => value.to_string(),
            Draft::Number(number) => number.json(),
            Draft::Text(text) => quote(text),
            Draft::List(items) => {
                let scalars = items.iter().all(|v| !matches!(v, Draft::List(_) | Draft::Table(_)));
                let flat = flat.unwrap_or(!self.multiline || small(items.len().min(6), scalars));
                let inner = if flat { depth.to_owned() } else { format!("{depth}{}", self.unit) };
                let parts = items.iter().map(|item| self.write(item, &inner, flat.then_some(true)));
                self.wrap('[', ']', parts.collect(), depth, flat, self.padded_brackets)
            }
            Draft::Table(entries) => {
                let scalars = entries.iter().all(|(_, v)| !matches!(v, Draft::List(_) | Draft::Table(_)));
                let flat =
                    flat.unwrap_or(!self.multiline || (small(entries.len(), scalars) && depth.len() > self.unit.len()));
                let inner = if flat { depth.to_owned() } else { format!("{depth}{}", self.unit) };
                let parts =
                    entries.iter().map(|(key, item)| self.member(key, self.write(item, &inner, flat.then_some(true))));
                self.wrap('{', '}', parts.collect(), depth, flat, self.padded_braces)
            }
        }
    }

    fn wrap(&self, open: char, close: char, parts: Vec<String>, depth: &str, flat: bool, padded: bool) -> String {
        if parts.is_empty() {
            return format!("{open}{close}");
        }
        if flat {
            let pad = if padded { " " } else { "" };
            let comma = format!(",{}", self.after_comma);
            return format!("{open}{pad}{}{pad}{close}", parts.join(&comma));
        }
        let break_in = format!("{}{depth}{}", self.line_break, self.unit);
        let comma = format!(",{break_in}");
        format!("{open}{break_in}{}{}{depth}{close}", parts.join(&comma), self.line_break)
    }
}

/// A text in double quotes, as JSON and TOML both write it.
pub(super) fn quote(text: &str) -> String {
    quote_as(text, |c| c.is_control().then(|| format!("\\u{:04x}", u32::from(c))))
}

/// A text in double quotes; `escape` gives the notation of what neither stands for itself nor has a short one.
pub(super) fn quote_as(text: &str, escape: impl Fn(char) -> Option<String>) -> String {
    let mut out = String::with_capacity(text.len() + 2);
    out.push('"');
    for c in text.chars() {
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            '\t' => out.push_str("\\t"),
            c => match escape(c) {
                Some(escaped) => out.push_str(&escaped),
                None => out.push(c),
            },
        }
    }
    out.push('"');
    out
}

fn entry_start(node: Node<'_>) -> usize {
    node.key_span().start as usize
}

fn insert(
    document: &Document,
    style: &Style,
    names: &Names,
    into: &FieldPath,
    before: Option<usize>,
    key: Option<&str>,
    value: &Draft,
) -> Result<Vec<Splice>, EditError> {
    let text: &str = document.text();
    let container = need(document, into, names)?;
    match (container.shape(), key) {
        (Shape::Table, Some(key)) => refuse_known(container, key, names)?,
        (Shape::List, None) => {}
        (_, Some(_)) => return Err(wrong_shape(into, container, "a table")),
        (_, None) => return Err(wrong_shape(into, container, "a list")),
    }
    let write = |depth: &str, flat: Option<bool>| {
        let value = style.write(value, depth, flat);
        key.map_or(value.clone(), |key| style.member(key, value))
    };
    let start = container.span().start as usize;
    let close = container.span().end as usize - 1;
    let at = before.unwrap_or(usize::MAX).min(container.len());
    let children: Vec<Node<'_>> = container.children().collect();
    let Some(last) = children.last() else {
        return Ok(vec![insert_first(style, text, container, document, write)]);
    };
    let multiline = container.raw().contains('\n') && begins_line(text, entry_start(*last));
    let sibling = children.get(at).unwrap_or(last);
    let depth = indent(text, entry_start(*sibling)).to_owned();
    if let Some(next) = children.get(at) {
        let start = entry_start(*next);
        let (from, gap) = if multiline && begins_line(text, start) {
            let floor = children.get(at.wrapping_sub(1)).map_or(container.span().start, |n| n.span().end);
            let from =
                comments_above(text, start, &["//"], line_end(text, floor as usize).min(line_start(text, start)));
            (from + indent(text, from).len(), format!("{}{depth}", style.line_break))
        } else {
            (start, style.after_comma.to_owned())
        };
        let new = format!("{},{gap}", write(&depth, (!multiline).then_some(true)));
        return Ok(vec![Splice { span: Span::new(from, from), text: new }]);
    }
    let end = last.span().end as usize;
    let comma = trailing_comma(document, end, close);
    if !multiline {
        let (new_at, lead, trail) = match comma {
            Some(comma) => (comma + 1, style.after_comma, ","),
            None => (end, "", ""),
        };
        let lead = if comma.is_some() { lead.to_owned() } else { format!(",{}", style.after_comma) };
        let new = format!("{lead}{}{trail}", write(&depth, Some(true)));
        return Ok(vec![Splice { span: Span::new(new_at, new_at), text: new }]);
    }
    debug_assert!(start < end);
    let new_line = format!("{}{depth}{}", style.line_break, write(&depth, None));
    let beside = comment_beside(document, comma.map_or(end, |c| c + 1), close);
    Ok(match comma {
        Some(_) => vec![Splice { span: Span::new(beside, beside), text: format!("{new_line},") }],
        None if beside == end => vec![Splice { span: Span::new(end, end), text: format!(",{new_line}") }],
        None => vec![
            Splice { span: Span::new(end, end), text: ",".to_owned() },
            Splice { span: Span::new(beside, beside), text: new_line },
        ],
    })
}

fn insert_first(
    style: &Style,
    text: &str,
    container: Node<'_>,
    document: &Document,
    write: impl Fn(&str, Option<bool>) -> String,
) -> Splice {
    let start = container.span().start as usize;
    let close = container.span().end as usize - 1;
    let outer = indent(text, start).to_owned();
    let has_comment = document.lenient().iter().any(|(span, _)| container.span().contains(*span));
    let deeper = format!("{outer}{}", style.unit);
    if has_comment || container.raw().contains('\n') {
        // behind the comments, on a line of its own
        let inside = text.get(start + 1..close).unwrap_or("");
        let from = start + 1 + inside.trim_end().len();
        let new = format!("{0}{deeper}{1}{0}{outer}", style.line_break, write(&deeper, None));
        return Splice { span: Span::new(from, close), text: new };
    }
    let is_table = container.shape() == Shape::Table;
    if style.multiline && is_table {
        let new = format!("{0}{deeper}{1}{0}{outer}", style.line_break, write(&deeper, None));
        return Splice { span: Span::new(start + 1, close), text: new };
    }
    let padded = if is_table { style.padded_braces } else { style.padded_brackets };
    let pad = if padded { " " } else { "" };
    let new = format!("{pad}{}{pad}", write(&outer, Some(true)));
    Splice { span: Span::new(start + 1, close), text: new }
}

/// The comma between the end of the last entry and the closing bracket.
fn trailing_comma(document: &Document, end: usize, close: usize) -> Option<usize> {
    document.lenient().iter().find_map(|(span, what)| {
        let at = span.start as usize;
        (*what == super::super::Lenient::TrailingComma && at >= end && at < close).then_some(at)
    })
}

/// The end of a comment that stands beside an entry ending at `end`, else `end`.
fn comment_beside(document: &Document, end: usize, close: usize) -> usize {
    let text: &str = document.text();
    let mut here = end;
    loop {
        let next = document.lenient().iter().find(|(span, what)| {
            let start = span.start as usize;
            *what == super::super::Lenient::Comment
                && start >= here
                && (span.end as usize) <= close
                && text.get(here..start).unwrap_or("\n").bytes().all(|b| b == b' ' || b == b'\t')
        });
        match next {
            Some((span, _)) if !span.of(text).contains('\n') => {
                here = span.end as usize;
                // a line comment runs to the break; CR belongs to the break
                if text.get(..here).unwrap_or("").ends_with('\r') {
                    here -= 1;
                }
            }
            _ => return here,
        }
    }
}

/// The comma after `end`, over white space and comments.
fn next_comma(document: &Document, end: usize) -> Option<usize> {
    let text = document.text().as_bytes();
    let mut at = end;
    loop {
        match text.get(at)? {
            b',' => return Some(at),
            b'/' => {
                let comment = document.lenient().iter().find(|(span, _)| span.start as usize == at)?;
                at = comment.0.end as usize;
            }
            b' ' | b'\t' | b'\n' | b'\r' => at += 1,
            _ => return None,
        }
    }
}

fn remove(document: &Document, node: Node<'_>, path: &FieldPath, names: &Names) -> Result<Vec<Splice>, EditError> {
    let text: &str = document.text();
    let (parent, _) = path.split_last().ok_or_else(|| wrong_shape(path, node, "an entry"))?;
    let container = need(document, &parent, names)?;
    let children: Vec<Node<'_>> = container.children().collect();
    let at = children.iter().position(|child| child.id() == node.id()).unwrap_or(0);
    let close = container.span().end as usize - 1;
    let open = container.span().start as usize + 1;
    let start = entry_start(node);
    let end = node.span().end as usize;
    let comma = next_comma(document, end).filter(|comma| *comma < close);
    let previous = at.checked_sub(1).and_then(|before| children.get(before));
    // the comma before goes with the last entry, unless a trailing one stands behind it
    let mut splices = Vec::new();
    if comma.is_none()
        && let Some(previous) = previous
        && let Some(before) = next_comma(document, previous.span().end as usize)
    {
        splices.push(Splice { span: Span::new(before, before + 1), text: String::new() });
    }
    let after = comment_beside(document, comma.map_or(end, |comma| comma + 1), close);
    let rest_of_line = text.get(after..line_end(text, after)).unwrap_or("");
    let floor = previous.map_or(open, |previous| previous.span().end as usize);
    let own_lines = begins_line(text, start) && rest_of_line.trim().is_empty() && after < close;
    let (from, to) = if own_lines {
        let floor = line_end(text, floor).min(line_start(text, start));
        (comments_above(text, start, &["//"], floor), line_end(text, after))
    } else if children.len() == 1 {
        // the last of a flat list: no padding stays
        let from = open + leading_blank(text.get(open..start).unwrap_or(""));
        let tail = text.get(after..close).unwrap_or("");
        (from, if tail.trim().is_empty() { close } else { after })
    } else if comma.is_some() {
        let blank = text.get(after..close).unwrap_or("");
        let blank = blank.len() - blank.trim_start_matches([' ', '\t']).len();
        let last_with_trailing = at + 1 == children.len();
        (start, if last_with_trailing { after } else { after + blank })
    } else {
        // the last entry beside others: the gap before it goes too
        let gap = text.get(floor..start).unwrap_or("");
        let blank = gap.len() - gap.trim_end_matches([' ', '\t']).len();
        (start - blank, after)
    };
    // a comma before and the entry may touch
    if let Some(first) = splices.first_mut()
        && first.span.end as usize >= from
    {
        first.span.end = first.span.end.max(crate::source::to_u32(to));
        return Ok(splices);
    }
    splices.push(Splice { span: Span::new(from, to), text: String::new() });
    Ok(splices)
}

fn leading_blank(gap: &str) -> usize {
    if gap.trim().is_empty() { 0 } else { gap.trim_end_matches([' ', '\t']).len() }
}
