//! Values with origins. One without an origin cannot be built.

use std::borrow::Cow;
use std::sync::Arc;

use super::native::{Joining, Mark};
use crate::catalog::{Address, AmendId, Catalog, LayerId};
use crate::document::{Draft, FieldPath, Node, NodeRef, Shape, Step, is_called};
use crate::names::Sym;
use crate::rulebook::TypeId;
use crate::source::Place;

/// How a value came to be.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum How {
    /// Written by a definition.
    Own,
    /// Made by an amendment.
    Amended(AmendId),
    /// Stated nowhere; the rulebook's default.
    Default(TypeId),
}

/// Where a value comes from.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Origin {
    /// File and bytes; of a default, nothing.
    pub place: Option<Place>,
    /// The layer that means it.
    pub layer: LayerId,
    /// How it came to be.
    pub how: How,
    /// The definition from which it was inherited.
    pub from: Option<Address>,
    /// The layer whose whole copy carries the value along without stating it.
    pub carried: Option<LayerId>,
}

impl Origin {
    /// The layer that ships the value: the one that means it, or whose copy carries it along.
    pub(crate) fn shipped_by(&self) -> LayerId {
        self.carried.unwrap_or(self.layer)
    }
}

/// What a value holds.
#[derive(Clone, Debug)]
pub enum Content {
    /// As a file writes it, with all below.
    Written(NodeRef),
    /// Calculated, or a default.
    Made(Arc<Draft>),
    /// Entries of different origins.
    Table(Vec<(Sym, Value)>),
    /// Entries of different origins.
    List(Vec<Value>),
    /// Taken away, though what lies below or the parent states it.
    Hidden,
    /// Waits for the inherited or default value: what is multiplied, then what is added, in order.
    Pending(Arc<Vec<(bool, rust_decimal::Decimal)>>),
    /// A list's entries that come and go, waiting for the list.
    Joining(Arc<Joining>),
    /// A value that does not count in the usual way over what is inherited.
    Marked(Mark, Arc<Value>),
}

/// A value and its origin.
#[derive(Clone, Debug)]
pub struct Value {
    pub(crate) content: Content,
    pub(crate) origin: Origin,
    pub(crate) earlier: Option<Arc<Value>>,
}

impl Value {
    /// Whether it, or a value in it, is the one that is written at a node.
    pub(crate) fn holds(&self, catalog: &Catalog, node: Node<'_>) -> bool {
        // entries that an amendment adds have the place of the whole operation
        let amended = matches!(self.origin().how, How::Amended(_));
        let within = |place: Place| place.span == node.span() || amended && place.span.contains(node.span());
        self.origin().place.is_some_and(|place| place.file == node.document().file() && within(place))
            || self.items(catalog).iter().any(|item| item.holds(catalog, node))
            || self.entries(catalog).iter().any(|(_, inner)| inner.holds(catalog, node))
    }

    /// The type that counts for it, where a field takes one of several shapes.
    pub(crate) fn case_of(&self, catalog: &Catalog, ty: TypeId) -> TypeId {
        let word = |key| self.get(catalog, key).and_then(|word| word.word(catalog));
        catalog.rulebook.case_of(ty, self.shape(catalog), &word)
    }

    /// What a definition writes.
    pub(crate) fn written(catalog: &Catalog, at: NodeRef, layer: LayerId) -> Value {
        let origin = Origin { place: Some(catalog.node(at).place()), layer, how: How::Own, from: None, carried: None };
        Value { content: Content::Written(at), origin, earlier: None }
    }

    pub(crate) fn new(content: Content, origin: Origin) -> Value {
        Value { content, origin, earlier: None }
    }

    /// A table with nothing but this, under a key.
    pub(crate) fn below(self, key: Sym) -> Value {
        let origin = self.origin;
        Value::new(Content::Table(vec![(key, self)]), origin)
    }

    pub(crate) fn instead_of(mut self, earlier: Value) -> Value {
        if self.earlier.is_none() {
            self.earlier = Some(Arc::new(earlier));
        }
        self
    }

    /// Where it comes from.
    pub fn origin(&self) -> &Origin {
        &self.origin
    }

    /// What it took the place of.
    pub fn earlier(&self) -> Option<&Value> {
        self.earlier.as_deref()
    }

    /// What it holds.
    pub fn content(&self) -> &Content {
        &self.content
    }

    /// What it is.
    pub fn shape(&self, catalog: &Catalog) -> Shape {
        match &self.content {
            Content::Written(at) => catalog.node(*at).shape(),
            Content::Made(draft) => draft.shape(),
            Content::Table(_) => Shape::Table,
            Content::List(_) | Content::Joining(_) => Shape::List,
            Content::Marked(_, inner) => inner.shape(catalog),
            Content::Hidden | Content::Pending(_) => Shape::Null,
        }
    }

    /// The value without origins.
    pub fn draft(&self, catalog: &Catalog) -> Draft {
        match &self.content {
            Content::Written(at) => last_counts(Draft::of(catalog.node(*at), &catalog.names)),
            Content::Made(draft) => (**draft).clone(),
            Content::Table(entries) => {
                let shown = entries.iter().filter(|(_, value)| !matches!(value.content, Content::Hidden));
                let entry = |(key, value): &(Sym, Value)| (catalog.names.text(*key).to_owned(), value.draft(catalog));
                Draft::Table(shown.map(entry).collect())
            }
            Content::List(items) => Draft::List(items.iter().map(|item| item.draft(catalog)).collect()),
            Content::Joining(change) => Draft::List(change.add.iter().map(|item| item.draft(catalog)).collect()),
            Content::Marked(_, inner) => inner.draft(catalog),
            Content::Hidden | Content::Pending(_) => Draft::Null,
        }
    }

    /// The word of a scalar: texts without quotes, the rest as written.
    pub fn word(&self, catalog: &Catalog) -> Option<String> {
        self.text(catalog).map(Cow::into_owned)
    }

    /// As [`Value::word`], borrowed where it is written.
    pub(crate) fn text<'v>(&'v self, catalog: &'v Catalog) -> Option<Cow<'v, str>> {
        match &self.content {
            Content::Written(at) => {
                let node = catalog.node(*at);
                let scalar = !matches!(node.shape(), Shape::List | Shape::Table | Shape::Broken);
                scalar.then(|| node.text())
            }
            Content::Made(draft) => draft.word().map(Cow::Owned),
            Content::Marked(_, inner) => inner.text(catalog),
            _ => None,
        }
    }

    /// The entries of a table, in order; of repeated keys the last.
    pub fn entries(&self, catalog: &Catalog) -> Vec<(Sym, Value)> {
        match &self.content {
            Content::Written(at) => {
                let table = catalog.node(*at);
                if table.shape() != Shape::Table {
                    return Vec::new();
                }
                let entry = |node: crate::document::Node<'_>| Some((node.key()?, self.part(node.at(), node.place())));
                let mut out: Vec<(Sym, Value)> = Vec::with_capacity(table.len());
                let repeats = catalog.document(at.file).is_some_and(|d| !d.faults().is_empty());
                for node in table.children() {
                    if !(repeats && node.is_overridden_in(table)) {
                        out.extend(entry(node));
                    }
                }
                out
            }
            Content::Made(draft) => match &**draft {
                Draft::Table(entries) => {
                    let entry = |(key, value): &(String, Draft)| {
                        let made = Value::new(Content::Made(Arc::new(value.clone())), self.origin);
                        (catalog.names.intern(key), made)
                    };
                    entries.iter().map(entry).collect()
                }
                _ => Vec::new(),
            },
            Content::Table(entries) => entries.clone(),
            Content::Marked(_, inner) => inner.entries(catalog),
            _ => Vec::new(),
        }
    }

    /// The entries of a list.
    pub fn items(&self, catalog: &Catalog) -> Vec<Value> {
        match &self.content {
            Content::Written(at) => {
                let list = catalog.node(*at);
                if list.shape() != Shape::List {
                    return Vec::new();
                }
                list.entries().map(|(_, node)| self.part(node.at(), node.place())).collect()
            }
            Content::Made(draft) => match &**draft {
                Draft::List(items) => {
                    let item = |value: &Draft| Value::new(Content::Made(Arc::new(value.clone())), self.origin);
                    items.iter().map(item).collect()
                }
                _ => Vec::new(),
            },
            Content::List(items) => items.clone(),
            Content::Joining(change) => change.add.clone(),
            Content::Marked(_, inner) => inner.items(catalog),
            _ => Vec::new(),
        }
    }

    /// The entries of a list, or those of a table with their keys.
    pub(crate) fn listed(&self, catalog: &Catalog) -> Vec<(Option<Sym>, Value)> {
        match self.shape(catalog) {
            Shape::Table => {
                let all = self.entries(catalog).into_iter();
                let there = all.filter(|(_, value)| !matches!(value.content, Content::Hidden));
                there.map(|(key, value)| (Some(key), value)).collect()
            }
            _ => self.items(catalog).into_iter().map(|value| (None, value)).collect(),
        }
    }

    /// A part of a written value.
    fn part(&self, at: NodeRef, place: Place) -> Value {
        Value::new(Content::Written(at), Origin { place: Some(place), ..self.origin })
    }

    /// The entry of a table under a key.
    pub(crate) fn get(&self, catalog: &Catalog, key: Sym) -> Option<Value> {
        match &self.content {
            Content::Written(at) => {
                let node = catalog.node(*at).get(key)?;
                Some(self.part(node.at(), node.place()))
            }
            Content::Table(entries) => entries.iter().rev().find(|(known, _)| *known == key).map(|(_, v)| v.clone()),
            _ => self.entries(catalog).into_iter().rev().find(|(known, _)| *known == key).map(|(_, v)| v),
        }
        .filter(|value| !matches!(value.content, Content::Hidden))
    }

    /// The value at a path below this one.
    pub fn at(&self, catalog: &Catalog, path: &FieldPath) -> Option<Value> {
        let mut here = None;
        for step in path.steps() {
            let from: &Value = here.as_ref().unwrap_or(self);
            let next = match step {
                Step::Key(key) => from.get(catalog, catalog.names.get(key)?)?,
                Step::Index(index) => from.items(catalog).into_iter().nth(*index)?,
                Step::Match(parts) => from.items(catalog).into_iter().find(|item| item.matches(catalog, parts))?,
            };
            here = Some(next);
        }
        here
    }

    /// Whether an entry's fields have these words; without a key, whether it is this word.
    pub(crate) fn matches(&self, catalog: &Catalog, parts: &[(String, String)]) -> bool {
        parts.iter().all(|(key, word)| {
            if key.is_empty() {
                return self.word(catalog).as_deref() == Some(word);
            }
            let field = catalog.names.get(key).and_then(|key| self.get(catalog, key));
            is_called(field.and_then(|value| value.word(catalog)).as_deref(), word)
        })
    }

    /// Whether it is a word or number that is stated as it is.
    pub(crate) fn is_single(&self, catalog: &Catalog) -> bool {
        let single = |shape| matches!(shape, Shape::Text | Shape::Number | Shape::Boolean);
        match &self.content {
            Content::Written(at) => single(catalog.node(*at).shape()),
            Content::Made(draft) => single(draft.shape()),
            _ => false,
        }
    }

    /// Whether it is what it is, whatever is inherited: nothing in it is taken away, marked, or waits.
    pub(crate) fn is_settled(&self) -> bool {
        match &self.content {
            Content::Written(_) | Content::Made(_) => true,
            Content::Table(entries) => entries.iter().all(|(_, value)| value.is_settled()),
            Content::List(items) => items.iter().all(Value::is_settled),
            Content::Hidden | Content::Pending(_) | Content::Joining(_) | Content::Marked(..) => false,
        }
    }

    /// Marks this and all below as inherited from a definition.
    pub(crate) fn inherited(mut self, from: Address) -> Value {
        self.origin.from.get_or_insert(from);
        match &mut self.content {
            Content::Table(entries) => {
                for (_, value) in entries {
                    *value = std::mem::replace(value, Value::new(Content::Hidden, value.origin)).inherited(from);
                }
            }
            Content::List(items) => {
                for value in items {
                    *value = std::mem::replace(value, Value::new(Content::Hidden, value.origin)).inherited(from);
                }
            }
            _ => {}
        }
        self
    }
}

/// Of repeated keys only the last.
fn last_counts(draft: Draft) -> Draft {
    match draft {
        Draft::Table(entries) => {
            let mut out: Vec<(String, Draft)> = Vec::with_capacity(entries.len());
            for (key, value) in entries {
                let value = last_counts(value);
                match out.iter_mut().find(|(known, _)| *known == key) {
                    Some((_, known)) => *known = value,
                    None => out.push((key, value)),
                }
            }
            Draft::Table(out)
        }
        Draft::List(items) => Draft::List(items.into_iter().map(last_counts).collect()),
        other => other,
    }
}
