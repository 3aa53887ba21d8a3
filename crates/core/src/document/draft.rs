//! Values that stand in no file yet.

use super::{FieldPath, Node, Number, Shape, Step, is_called};
use crate::names::Names;

/// A value without a place: typed at the terminal, calculated, or about to be written.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Draft {
    /// `null`.
    Null,
    /// `true` or `false`.
    Boolean(bool),
    /// A number with its notation.
    Number(Number),
    /// A text.
    Text(String),
    /// Values in order.
    List(Vec<Draft>),
    /// Keys and values in order.
    Table(Vec<(String, Draft)>),
}

impl Draft {
    /// The value of a node. What could not be read becomes null.
    pub fn of(node: Node<'_>, names: &Names) -> Draft {
        match node.shape() {
            Shape::Null | Shape::Broken | Shape::Alias => Draft::Null,
            Shape::Boolean => Draft::Boolean(node.is_true()),
            Shape::Number => Draft::Number(Number::written(&node.text())),
            Shape::Text => Draft::Text(node.text().into_owned()),
            Shape::List => Draft::List(node.entries().map(|(_, child)| Draft::of(child, names)).collect()),
            Shape::Table => {
                let entry = |child: Node<'_>| {
                    let key = child.key().map_or("", |key| names.text(key));
                    (key.to_owned(), Draft::of(child, names))
                };
                Draft::Table(node.children().map(entry).collect())
            }
        }
    }

    /// A whole number.
    pub fn integer(value: i64) -> Draft {
        Draft::Number(Number::written(&value.to_string()))
    }

    /// The shape it would have in a file.
    pub fn shape(&self) -> Shape {
        match self {
            Draft::Null => Shape::Null,
            Draft::Boolean(_) => Shape::Boolean,
            Draft::Number(_) => Shape::Number,
            Draft::Text(_) => Shape::Text,
            Draft::List(_) => Shape::List,
            Draft::Table(_) => Shape::Table,
        }
    }

    /// The entry under a key; of repeated keys the last one counts.
    pub fn get(&self, key: &str) -> Option<&Draft> {
        match self {
            Draft::Table(entries) => entries.iter().rev().find(|(k, _)| k == key).map(|(_, v)| v),
            _ => None,
        }
    }

    /// The value at a path.
    pub fn at(&self, path: &FieldPath) -> Option<&Draft> {
        path.steps().iter().try_fold(self, |here, step| match (step, here) {
            (Step::Key(key), _) => here.get(key),
            (Step::Index(index), Draft::List(items)) => items.get(*index),
            (Step::Match(parts), Draft::List(items)) => items
                .iter()
                .find(|item| parts.iter().all(|(k, v)| is_called(item.get(k).and_then(Draft::word).as_deref(), v))),
            _ => None,
        })
    }

    /// The value at a path, to be changed.
    pub(crate) fn at_mut(&mut self, path: &FieldPath) -> Option<&mut Draft> {
        path.steps().iter().try_fold(self, |here, step| match (step, here) {
            (Step::Key(key), Draft::Table(entries)) => entries.iter_mut().rev().find(|(k, _)| k == key).map(|(_, v)| v),
            (Step::Index(index), Draft::List(items)) => items.get_mut(*index),
            (Step::Match(parts), Draft::List(items)) => items
                .iter_mut()
                .find(|item| parts.iter().all(|(k, v)| is_called(item.get(k).and_then(Draft::word).as_deref(), v))),
            _ => None,
        })
    }

    /// Puts a value at a path of keys, with the tables on the way: before what stands there, or behind it.
    pub(crate) fn lay_in(&mut self, steps: &[Step], value: Draft, first: bool) {
        let (Draft::Table(entries), Some((Step::Key(key), rest))) = (self, steps.split_first()) else { return };
        let end = if first { 0 } else { entries.len() };
        if rest.is_empty() {
            entries.insert(end, (key.clone(), value));
            return;
        }
        let at = entries.iter().position(|(known, _)| known == key).unwrap_or_else(|| {
            entries.insert(end, (key.clone(), Draft::Table(Vec::new())));
            end
        });
        if let Some((_, inner)) = entries.get_mut(at) {
            inner.lay_in(rest, value, first);
        }
    }

    /// Puts a value at a path of keys in the place of what stands there, with tables on the way in the place of anything
    /// else.
    pub(crate) fn put_at(&mut self, steps: &[Step], value: Draft) {
        let Some((Step::Key(key), rest)) = steps.split_first() else {
            *self = value;
            return;
        };
        if !matches!(self, Draft::Table(_)) {
            *self = Draft::Table(Vec::new());
        }
        let Draft::Table(entries) = self else { return };
        let at = entries.iter().position(|(known, _)| known == key).unwrap_or_else(|| {
            entries.push((key.clone(), Draft::Null));
            entries.len() - 1
        });
        if let Some((_, inner)) = entries.get_mut(at) {
            inner.put_at(rest, value);
        }
    }

    /// A scalar as a word: texts without quotes, the rest as written.
    pub fn word(&self) -> Option<String> {
        match self {
            Draft::Null => Some("null".to_owned()),
            Draft::Boolean(value) => Some(value.to_string()),
            Draft::Number(number) => Some(number.notation().to_owned()),
            Draft::Text(text) => Some(text.clone()),
            Draft::List(_) | Draft::Table(_) => None,
        }
    }

    /// On one line, as messages show values.
    pub fn short(&self) -> String {
        match self {
            Draft::List(items) => {
                format!("[{}]", items.iter().map(Draft::short).collect::<Vec<_>>().join(", "))
            }
            Draft::Table(entries) => {
                let entry = |(key, value): &(String, Draft)| format!("{key}: {}", value.short());
                format!("{{{}}}", entries.iter().map(entry).collect::<Vec<_>>().join(", "))
            }
            scalar => scalar.word().unwrap_or_default(),
        }
    }
}
