//! Splices for gettext catalogues: a text changes in its own pieces, new entries go to the end.

use super::super::{Document, Draft, Node, Shape};
use super::json::quote;
use super::{Edit, EditError, Splice, comments_above, find, line_break, line_end, line_start, need, new_entry};
use crate::names::Names;
use crate::source::Span;

pub(super) fn splices(document: &Document, edit: &Edit, names: &Names) -> Result<Vec<Splice>, EditError> {
    let text: &str = document.text();
    let line_break = line_break(text);
    let root = document.root();
    // the catalogue itself has no key and no place to go from
    if let Edit::Remove { at } | Edit::Rename { at, .. } = edit
        && at.is_empty()
    {
        return Err(no_notation("a change of the whole file"));
    }
    Ok(vec![match edit {
        Edit::Set { at, to } => match find(root, at, names) {
            Some(node) if node.id() != root.id() => Splice { span: node.span(), text: quote(&word(to)?) },
            Some(_) => return Err(no_notation("anything but texts")),
            None => {
                let (into, key) = new_entry(at)?;
                if !into.is_empty() {
                    return Err(EditError::Nothing(into.to_string()));
                }
                added(text, key, to, line_break)?
            }
        },
        Edit::Insert { into, key, value, .. } => match key {
            Some(key) if into.is_empty() => {
                super::refuse_known(root, key, names)?;
                added(text, key, value, line_break)?
            }
            _ => return Err(no_notation("anything but texts")),
        },
        Edit::Remove { at } => Splice { span: entry(text, need(document, at, names)?), text: String::new() },
        Edit::Rename { at, to } => {
            let node = need(document, at, names)?;
            super::refuse_known(root, to, names)?;
            let behind = text.get(node.key_span().end as usize..).unwrap_or("");
            if behind.trim_start().starts_with('"') {
                return Err(no_notation("another key for one in several pieces"));
            }
            Splice { span: node.key_span(), text: quote(to.rsplit('\u{4}').next().unwrap_or(to)) }
        }
    }])
}

/// A catalogue with these texts.
pub(super) fn whole(value: &Draft) -> Result<String, EditError> {
    let Draft::Table(entries) = value else { return Err(no_notation("anything but texts")) };
    let mut out = "msgid \"\"\nmsgstr \"\"\n\"Content-Type: text/plain; charset=UTF-8\\n\"\n".to_owned();
    for (key, value) in entries {
        out.push_str(&lines(key, value, "\n")?);
    }
    Ok(out)
}

/// A new entry at the end.
fn added(text: &str, key: &str, value: &Draft, line_break: &str) -> Result<Splice, EditError> {
    let lead = if text.is_empty() || text.ends_with('\n') { "" } else { line_break };
    let lines = lines(key, value, line_break)?;
    let lines = if text.is_empty() { lines.trim_start().to_owned() } else { lines };
    Ok(Splice { span: Span::new(text.len(), text.len()), text: format!("{lead}{lines}") })
}

fn lines(key: &str, value: &Draft, nl: &str) -> Result<String, EditError> {
    let value = quote(&word(value)?);
    Ok(match key.split_once('\u{4}') {
        Some((context, id)) => format!("{nl}msgctxt {}{nl}msgid {}{nl}msgstr {value}{nl}", quote(context), quote(id)),
        None => format!("{nl}msgid {}{nl}msgstr {value}{nl}", quote(key)),
    })
}

/// An entry with the comments above it and the blank line behind it.
fn entry(text: &str, node: Node<'_>) -> Span {
    let mut start = line_start(text, node.key_span().start as usize);
    let before = text.get(..start).unwrap_or("");
    if let Some(line) = before.lines().next_back().filter(|line| line.trim_start().starts_with("msgctxt")) {
        start = line_start(text, before.trim_end().len().saturating_sub(line.trim_end().len()));
    }
    let start = comments_above(text, start, &["#"], 0);
    let mut end = line_end(text, node.span().end as usize);
    // further plural forms, and the blank line
    while let Some(line) = text.get(end..).and_then(|rest| rest.split_inclusive('\n').next()) {
        let trimmed = line.trim();
        if !(trimmed.starts_with("msgstr[") || trimmed.starts_with('"') || trimmed.is_empty()) {
            break;
        }
        end += line.len();
        if trimmed.is_empty() {
            break;
        }
    }
    Span::new(start, end)
}

fn word(value: &Draft) -> Result<String, EditError> {
    match value.shape() {
        Shape::Text | Shape::Number | Shape::Boolean => Ok(value.word().unwrap_or_default()),
        _ => Err(no_notation("anything but texts")),
    }
}

fn no_notation(what: &str) -> EditError {
    EditError::NoNotation { format: "a gettext catalogue", what: what.to_owned() }
}
