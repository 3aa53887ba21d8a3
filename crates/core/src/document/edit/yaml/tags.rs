//! Changes in YAML of which tags are the values of a field.
//!
//! All but the tags is edited in the tree without them, where each entry of a table is a key and its value.

use super::super::super::{Document, Draft, FieldPath, Node, Shape, Step, Tags};
use super::super::{Edit, EditError, Splice, apply, begins_line, find, need};
use super::{Editor, Style, at, column, is_flow, is_nested, span};
use crate::names::Names;

/// The tag of a table that is to be written, with its mark, and what stands behind it: what else is in it, or a value
/// that is no table.
pub(super) fn parted(tags: Option<&Tags>, value: &Draft) -> Option<(String, Draft)> {
    let (tags, Draft::Table(entries)) = (tags?, value) else { return None };
    let (_, word) = entries.iter().find(|(key, _)| *key == tags.field)?;
    let word = format!("{}{}", tags.mark, word.word()?);
    let content = entries.iter().find(|(key, _)| entries.len() == 2 && Some(key) == tags.content.as_ref());
    if let Some((_, content)) = content.filter(|(_, content)| !matches!(content, Draft::Table(_))) {
        return Some((word, content.clone()));
    }
    let rest = entries.iter().filter(|(key, _)| *key != tags.field).cloned().collect();
    Some((word, Draft::Table(rest)))
}

/// Refuses words that cannot be tags (YAML 1.2.2, §6.8.1, without escapes).
pub(super) fn writable(tags: Option<&Tags>, value: &Draft) -> Result<(), EditError> {
    let Some(known) = tags else { return Ok(()) };
    match value {
        Draft::List(items) => items.iter().try_for_each(|item| writable(tags, item)),
        Draft::Table(entries) => entries.iter().try_for_each(|(key, value)| match *key == known.field {
            true => tag_word(value).map(|_| ()),
            false => writable(tags, value),
        }),
        _ => Ok(()),
    }
}

fn tag_word(value: &Draft) -> Result<String, EditError> {
    let fits = |word: &String| {
        !word.is_empty() && word.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.' | ':' | '/'))
    };
    let word = match value {
        Draft::Text(word) => Some(word.clone()),
        Draft::Number(number) => Some(number.json()),
        _ => None,
    };
    word.filter(fits).ok_or_else(|| no_notation(&format!("the tag `{}`", value.short())))
}

fn no_notation(what: &str) -> EditError {
    EditError::NoNotation { format: "YAML", what: what.to_owned() }
}

/// Whether an entry is a tag.
fn is_tag(node: Node<'_>, text: &str) -> bool {
    node.shape() == Shape::Text && node.key().is_some() && node.key_span().of(text).starts_with('!')
}

/// The tag of a table.
fn tag_of<'d>(table: Node<'d>, text: &str) -> Option<Node<'d>> {
    table.children().next().filter(|first| table.shape() == Shape::Table && is_tag(*first, text))
}

/// What makes one text of another.
fn difference(old: &str, new: &str) -> Splice {
    let same = |(a, b): &(char, char)| a == b;
    let start: usize = old.chars().zip(new.chars()).take_while(same).map(|(c, _)| c.len_utf8()).sum();
    let (rest, left) = (old.get(start..).unwrap_or(""), new.get(start..).unwrap_or(""));
    let end: usize = rest.chars().rev().zip(left.chars().rev()).take_while(same).map(|(c, _)| c.len_utf8()).sum();
    let text = left.get(..left.len() - end).unwrap_or("").to_owned();
    Splice { span: span(start, old.len() - end), text }
}

/// Whether a table is a value with its tag and nothing else.
fn is_pair(table: Node<'_>, text: &str) -> bool {
    let second = table.children().nth(1);
    tag_of(table, text).zip(second).is_some_and(|(tag, value)| tag.key_span().start == value.key_span().start)
}

/// Edits a document of which tags are values.
pub(in super::super) struct Tagged<'d> {
    document: &'d Document,
    text: &'d str,
    tags: &'d Tags,
    /// The editor of the same without tags.
    bare: Editor<'d>,
    names: &'d Names,
}

impl<'d> Tagged<'d> {
    pub(in super::super) fn new(document: &'d Document, tags: &'d Tags, names: &'d Names) -> Tagged<'d> {
        let bare = Editor::new(document.without_tags(names), Some(tags), names);
        Tagged { document, text: document.text(), tags, bare, names }
    }

    pub(in super::super) fn splices(&self, edit: &Edit) -> Result<Vec<Splice>, EditError> {
        // a tag by itself is looked at where it is written
        match edit {
            Edit::Set { at, to } if at.split_last().is_none_or(|(_, last)| !self.is_field(last)) => {
                writable(Some(self.tags), to)?;
            }
            Edit::Insert { key, value, .. } if key.as_ref() != Some(&self.tags.field) => {
                writable(Some(self.tags), value)?;
            }
            _ => {}
        }
        self.made(edit)
    }

    fn is_field(&self, step: &Step) -> bool {
        matches!(step, Step::Key(key) if *key == self.tags.field)
    }

    /// An edit in the tree without tags.
    fn bare(&self, edit: &Edit) -> Result<Vec<Splice>, EditError> {
        let mut edit = edit.clone();
        *edit.at_mut() = self.bare_path(edit.at());
        self.bare.splices(&edit)
    }

    /// A path in the tree without tags, where a value with its tag is the value.
    fn bare_path(&self, path: &FieldPath) -> FieldPath {
        let mut out = FieldPath::default();
        for (nth, step) in path.steps().iter().enumerate() {
            let content = matches!(step, Step::Key(key) if Some(key) == self.tags.content.as_ref());
            if !(content && self.is_pair(&path.take(nth))) {
                out.push(step.clone());
            }
        }
        out
    }

    /// Whether a path leads to a value with its tag and nothing else.
    fn is_pair(&self, path: &FieldPath) -> bool {
        self.at(path).is_some_and(|node| is_pair(node, self.text))
    }

    /// Whether a path leads to one of the two that are a value with its tag.
    fn is_of_pair(&self, path: &FieldPath) -> bool {
        path.split_last().is_some_and(|(above, _)| self.is_pair(&above))
    }

    fn at(&self, path: &FieldPath) -> Option<Node<'_>> {
        find(self.document.root(), path, self.names)
    }

    /// A table of which nothing is written but its tag.
    fn is_alone(&self, path: &FieldPath) -> bool {
        find(self.bare.document.root(), &self.bare_path(path), self.names)
            .is_some_and(|node| node.shape() == Shape::Null && node.raw().is_empty())
    }

    fn made(&self, edit: &Edit) -> Result<Vec<Splice>, EditError> {
        match edit {
            Edit::Set { at, to: Draft::Table(_) } if self.is_of_pair(at) => {
                Err(no_notation("a table as the value behind a tag, which would be that table's own"))
            }
            Edit::Set { at, to } => match self.at(at) {
                Some(node) if is_tag(node, self.text) => Ok(vec![Splice { span: node.span(), text: tag_word(to)? }]),
                Some(node) => match tag_of(node, self.text) {
                    Some(tag) => self.set(at, tag, to),
                    None => self.bare(edit),
                },
                None => match at.split_last() {
                    Some((into, Step::Key(key))) => self.insert(edit, &into, None, Some(key), to),
                    _ => self.bare(edit),
                },
            },
            Edit::Insert { into, before, key, value } => self.insert(edit, into, *before, key.as_deref(), value),
            Edit::Remove { at } | Edit::Rename { at, .. } if self.is_of_pair(at) => {
                Err(no_notation("a tag and what stands behind it by themselves"))
            }
            Edit::Remove { at } => match self.at(at).filter(|node| is_tag(*node, self.text)) {
                Some(tag) => {
                    let (table, _) = at.split_last().ok_or_else(|| EditError::Nothing(at.to_string()))?;
                    Ok(vec![self.take_out(tag, self.is_alone(&table))])
                }
                None => self.bare(edit),
            },
            Edit::Rename { at, to } => {
                let tag = self.at(at).is_some_and(|node| is_tag(node, self.text));
                match tag || *to == self.tags.field {
                    true => Err(no_notation("a tag as an entry with a key")),
                    false => self.bare(edit),
                }
            }
        }
    }

    /// Another value in place of a table that has a tag.
    fn set(&self, path: &FieldPath, tag: Node<'_>, to: &Draft) -> Result<Vec<Splice>, EditError> {
        let from = tag.key_span().start as usize;
        if self.is_alone(path) {
            let flow = self.bare.style.flow(to, false);
            return Ok(vec![Splice { span: span(from, tag.span().end as usize), text: flow }]);
        }
        match parted(Some(self.tags), to) {
            Some((word, rest)) => {
                let mut out = self.bare(&Edit::Set { at: path.clone(), to: rest })?;
                out.push(Splice { span: span(from, tag.span().end as usize), text: word });
                Ok(out)
            }
            // without the tag first, since what is written depends on what stands before it
            None => {
                let mut text = self.text.to_owned();
                apply(&mut text, &[self.take_out(tag, false)]);
                let bare = Document::parse(
                    self.document.file(),
                    self.bare.document.notation().clone(),
                    text.as_str().into(),
                    self.names,
                );
                let edit = Edit::Set { at: self.bare_path(path), to: to.clone() };
                let splices = Editor::new(&bare, Some(self.tags), self.names).splices(&edit)?;
                apply(&mut text, &splices);
                Ok(vec![difference(self.text, &text)])
            }
        }
    }

    fn insert(
        &self,
        edit: &Edit,
        into: &FieldPath,
        before: Option<usize>,
        key: Option<&str>,
        value: &Draft,
    ) -> Result<Vec<Splice>, EditError> {
        let table = need(self.document, into, self.names)?;
        let tag = tag_of(table, self.text);
        let Some(key) = key.filter(|_| table.shape() == Shape::Table) else { return self.bare(edit) };
        if *key == self.tags.field {
            return match tag {
                Some(_) => Err(EditError::KeyThere(key.to_owned())),
                None => self.put(into, &format!("{}{}", self.tags.mark, tag_word(value)?)),
            };
        }
        let Some(tag) = tag else { return self.bare(edit) };
        if is_pair(table, self.text) {
            return Err(no_notation("an entry beside a tag and what stands behind it"));
        }
        let bare = need(self.bare.document, &self.bare_path(into), self.names)?;
        if bare.is_empty() {
            // nothing stands behind the tag yet, or `{}`
            let flow = self.bare.style.flow(&Draft::Table(vec![(key.to_owned(), value.clone())]), false);
            let behind = tag.span().end as usize;
            return Ok(vec![match self.is_alone(into) {
                true => Splice { span: span(behind, behind), text: format!(" {flow}") },
                false => Splice { span: bare.span(), text: flow },
            }]);
        }
        // the tag comes first, and is no entry there
        let before = before.map(|nth| nth.saturating_sub(1));
        self.bare(&Edit::Insert { into: into.clone(), before, key: Some(key.to_owned()), value: value.clone() })
    }

    /// A tag for a table that has none.
    fn put(&self, path: &FieldPath, tag: &str) -> Result<Vec<Splice>, EditError> {
        let table = need(self.bare.document, &self.bare_path(path), self.names)?;
        let editor = &self.bare;
        if editor.is_several(table) {
            return Err(EditError::Unusual(path.to_string()));
        }
        let start = at(table);
        if is_flow(table) {
            return Ok(vec![Splice { span: span(start, start), text: format!("{tag} ") }]);
        }
        let nl = editor.style.line_break;
        if path.is_empty() || !begins_line(self.text, start) {
            let pad = " ".repeat(column(self.text, start));
            return Ok(vec![Splice { span: span(start, start), text: format!("{tag}{nl}{pad}") }]);
        }
        let before = self.text.get(..start).unwrap_or("").trim_end().len();
        let line = self.text.get(super::line_start(self.text, before)..before).unwrap_or("");
        // behind a remark, or where several documents begin
        if line.contains('#') || !line.ends_with([':', '-']) || line.ends_with("---") {
            return Err(EditError::Unusual(path.to_string()));
        }
        Ok(vec![Splice { span: span(before, before), text: format!(" {tag}") }])
    }

    fn take_out(&self, tag: Node<'_>, alone: bool) -> Splice {
        let (from, to) = (tag.key_span().start as usize, tag.span().end as usize);
        if alone {
            return Splice { span: span(from, to), text: "{}".to_owned() };
        }
        let rest = self.text.get(to..).unwrap_or("");
        let blank = rest.len() - rest.trim_start_matches([' ', '\t']).len();
        let ends = rest.get(blank..).is_none_or(|rest| rest.is_empty() || rest.starts_with(['\r', '\n']));
        if !ends {
            return Splice { span: span(from, to + blank), text: String::new() };
        }
        let before = self.text.get(..from).unwrap_or("").trim_end_matches([' ', '\t']).len();
        Splice { span: span(before, to), text: String::new() }
    }
}

impl Style<'_> {
    /// A table with a tag, behind a key's colon.
    pub(super) fn tagged_behind(&self, tag: &str, rest: &Draft, column: usize) -> String {
        let column = column + self.unit;
        match is_nested(rest) {
            true => format!(" {tag}{}{}{}", self.line_break, " ".repeat(column), self.block(rest, column)),
            false => format!(" {tag} {}", self.flow(rest, false)),
        }
    }
}
