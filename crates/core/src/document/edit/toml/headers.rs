//! Tables of TOML that have headers of their own, as the others in the file have.

use super::super::super::{Document, Draft, FieldPath, Node, Shape, Step};
use super::super::{EditError, Splice, comments_above, line_start, need, new_entry};
use super::{Form, Writer, all_pieces, end_of, written};
use crate::source::{Span, to_u32};

/// How many tables deep habits are looked at.
const DEEP: usize = 4;

/// What has headers of its own in a file, by how deep it stands; nothing where no such is there.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Headers {
    tables: [Option<bool>; DEEP],
    lists: [Option<bool>; DEEP],
}

impl Headers {
    pub(super) fn learn(document: &Document) -> Headers {
        let mut out = Headers::default();
        let mut todo = vec![(document.root(), 0)];
        for _ in 0..400 {
            let Some((node, depth)) = todo.pop() else { break };
            let some: Vec<Node<'_>> =
                node.children().filter(|child| matches!(child.shape(), Shape::Table | Shape::List)).take(64).collect();
            for child in some.into_iter().rev() {
                let headed = matches!(written(child), Form::Header | Form::Implicit | Form::Headers);
                let of_tables = child.children().any(|entry| entry.shape() == Shape::Table);
                let habit = match child.shape() {
                    Shape::Table => out.tables.get_mut(depth),
                    Shape::List if of_tables => out.lists.get_mut(depth),
                    _ => continue,
                };
                habit.into_iter().for_each(|habit| *habit = Some(headed || *habit == Some(true)));
                if headed {
                    let entries = child.children().filter(|_| child.shape() == Shape::List);
                    todo.extend(entries.take(4).map(|entry| (entry, depth + 1)));
                    todo.extend((child.shape() == Shape::Table).then_some((child, depth + 1)));
                }
            }
        }
        out
    }

    /// With the habits of another file where this one has none.
    pub(super) fn or(self, model: Option<&Document>) -> Headers {
        let Some(other) = model.map(Headers::learn) else { return self };
        let both = |own: [Option<bool>; DEEP], other: [Option<bool>; DEEP]| {
            let mut all = own;
            all.iter_mut().zip(other).for_each(|(own, other)| *own = own.or(other));
            all
        };
        Headers { tables: both(self.tables, other.tables), lists: both(self.lists, other.lists) }
    }

    /// Whether a table below so many keys has a header.
    fn table(&self, depth: usize) -> bool {
        self.tables.get(depth).copied().flatten().unwrap_or(depth == 0)
    }

    /// Whether the entries of a list below so many keys have headers.
    fn list(&self, depth: usize) -> bool {
        self.lists.get(depth).copied().flatten().unwrap_or(depth == 0)
    }
}

/// How many keys lead to a place.
pub(super) fn keys_of(path: &FieldPath) -> usize {
    path.steps().iter().filter(|step| matches!(step, Step::Key(_))).count()
}

/// Whether a value is a list of tables, and of nothing else.
pub(super) fn is_of_tables(value: &Draft) -> bool {
    matches!(value, Draft::List(items) if !items.is_empty() && items.iter().all(|item| matches!(item, Draft::Table(_))))
}

impl Writer<'_> {
    /// A table with a header of its own, where such tables have one here.
    pub(super) fn insert_table(
        &self,
        container: Node<'_>,
        into: &FieldPath,
        (before, key): (Option<usize>, &str),
        value: &Draft,
    ) -> Result<Option<Splice>, EditError> {
        let (Draft::Table(entries), form) = (value, written(container)) else { return Ok(None) };
        let depth = into.steps().len();
        let keys = into.steps().iter().all(|step| matches!(step, Step::Key(_)));
        let outer = matches!(form, Form::Root | Form::Implicit);
        let fits = keys && (outer || form == Form::Header && !entries.is_empty()) && self.headers().table(depth);
        if !fits {
            return Ok(None);
        }
        let block = self.table(&self.header_path(into, Some(key)), depth + 1, entries)?;
        let headed = |child: &Node<'_>| matches!(written(*child), Form::Header | Form::Implicit);
        if let Some(next) = before.and_then(|at| container.children().nth(at)).filter(headed) {
            let start = all_pieces(next).first().map_or(0, |span| span.start as usize);
            let at = comments_above(self.text, start, &["#"], 0);
            return Ok(Some(Splice { span: Span::new(at, at), text: format!("{block}{}", self.line_break) }));
        }
        let end = if form == Form::Root { self.text.len() } else { end_of(container) };
        Ok(Some(self.block_behind(end, &block)))
    }

    /// A table as lines under its header, and the tables in it behind each other under theirs.
    pub(super) fn table(&self, path: &str, depth: usize, entries: &[(String, Draft)]) -> Result<String, EditError> {
        let apart = |value: &Draft| match value {
            Draft::Table(inner) => (!inner.is_empty() || depth == 0) && self.headers().table(depth),
            value => is_of_tables(value) && self.headers().list(depth),
        };
        let (later, lines): (Vec<_>, Vec<_>) = entries.iter().partition(|(_, value)| apart(value));
        let mut parts: Vec<String> = Vec::new();
        if !path.is_empty() && (!lines.is_empty() || later.is_empty()) {
            parts.push(format!("[{path}]{}", self.line_break));
        }
        let mut own = parts.pop().unwrap_or_default();
        for (key, value) in lines {
            own.push_str(&format!("{} = {}{}", self.key(key), self.value(value)?, self.line_break));
        }
        parts.extend((!own.is_empty()).then_some(own));
        for (key, value) in later {
            let below = match path {
                "" => self.key(key),
                path => format!("{path}.{}", self.key(key)),
            };
            match value {
                Draft::Table(inner) => parts.push(self.table(&below, depth + 1, inner)?),
                Draft::List(items) => {
                    parts.push(self.blocks(&below, depth + 1, items)?);
                }
                _ => {}
            }
        }
        Ok(parts.join(self.line_break))
    }

    /// What has a header of its own here, or where nothing here tells, in the file that is followed.
    fn headers(&self) -> &Headers {
        self.headers.get_or_init(|| Headers::learn(self.document).or(self.model))
    }

    /// The entries of a list of tables under headers.
    pub(super) fn blocks(&self, path: &str, depth: usize, items: &[Draft]) -> Result<String, EditError> {
        let blocks: Result<Vec<_>, _> = items.iter().map(|item| self.block(path, depth, item)).collect();
        Ok(blocks?.join(self.line_break))
    }

    /// An entry of a list of tables under headers, and what lies in it under headers of its own.
    pub(super) fn block(&self, path: &str, depth: usize, value: &Draft) -> Result<String, EditError> {
        let Draft::Table(entries) = value else { return Ok(format!("[[{path}]]{}", self.line_break)) };
        let block = self.table(path, depth, entries)?;
        let header = format!("[{path}]{}", self.line_break);
        Ok(match block.strip_prefix(&header) {
            Some(lines) => format!("[[{path}]]{}{lines}", self.line_break),
            None => format!("[[{path}]]{0}{0}{block}", self.line_break),
        })
    }

    /// Another value in the place of what stands under headers.
    pub(super) fn replace(&self, node: Node<'_>, path: &FieldPath, to: &Draft) -> Result<Vec<Splice>, EditError> {
        let keys = self.header_path(path, None);
        let depth = keys_of(path);
        let is_entry = matches!(path.split_last(), Some((_, Step::Index(_))));
        let text = match to {
            Draft::Table(_) if is_entry => self.block(&keys, depth, to)?,
            Draft::Table(entries) if !entries.is_empty() => self.table(&keys, depth, entries)?,
            Draft::List(items) if is_of_tables(to) => self.blocks(&keys, depth, items)?,
            _ if is_entry => {
                let (path, found) = (path.to_string(), "a table under a header");
                return Err(EditError::Shape { path, found, wanted: "a table" });
            }
            // among the lines of the table around it
            _ => {
                let (into, key) = new_entry(path)?;
                let container = need(self.document, &into, self.names)?;
                let mut splices = self.remove(path)?;
                splices.push(self.insert_line(container, &into, None, key, to)?);
                splices.sort_by_key(|splice| splice.span);
                return Ok(splices);
            }
        };
        let mut splices: Vec<Splice> = all_pieces(node).into_iter().map(|piece| self.remove_piece(piece)).collect();
        let Some(piece) = all_pieces(node).first().copied() else { return Ok(splices) };
        // what is said above stays, and a blank line before what follows
        let start = to_u32(line_start(self.text, piece.start as usize));
        let end = splices.first().map_or(start, |first| first.span.end) as usize;
        let blank = self.text.get(piece.end as usize..end).is_some_and(|rest| rest.matches('\n').count() > 1);
        let tail = if blank { self.line_break } else { "" };
        if let Some(first) = splices.first_mut() {
            first.span.start = start;
            first.text = format!("{text}{tail}");
        }
        let mut joined = self.join(splices);
        if let [only] = joined.as_mut_slice() {
            only.span.start = start;
            if only.span.end as usize == self.text.len() {
                only.text = text;
            }
        }
        Ok(joined)
    }
}
