//! Amendments' operations on a state.

use std::sync::Arc;

use rust_decimal::Decimal;

use super::same::{rounds, same};
use super::value::{Content, How, Origin, Value};
use crate::catalog::{AmendId, Catalog, LayerId, Op, OpKind};
use crate::document::{Draft, FieldPath, Node, Number, Shape, Step, round};
use crate::names::Sym;
use crate::rulebook::{ListShape, Reading, TypeId};
use crate::source::{FileId, Place};

/// Why an operation has no effect or cannot be done.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Obstacle {
    /// No entry of the list has these keys.
    NoEntry(String),
    /// An entry with these keys is there already.
    EntryThere(String),
    /// The list on the ground has its key twice, so entries cannot be told apart.
    Ambiguous(String),
    /// A number on which to operate is neither stated, inherited nor given by default.
    NoNumber,
    /// The number is too large to calculate with exactly.
    TooLarge,
}

/// Applies one operation to a definition's own state. `below` is what shows if nothing is stated.
pub(crate) struct Operator<'o> {
    pub(crate) catalog: &'o Catalog,
    pub(crate) layer: LayerId,
    pub(crate) amendment: AmendId,
    pub(crate) file: FileId,
}

impl Operator<'_> {
    /// A value with one step of calculation more; where there is none, the step waits for it.
    pub(crate) fn stepped(
        catalog: &Catalog,
        old: Option<Value>,
        step: (bool, Decimal),
        origin: Origin,
    ) -> Result<Value, Obstacle> {
        match old {
            Some(old) => match &old.content {
                Content::Pending(before) => {
                    let mut steps = (**before).clone();
                    steps.push(step);
                    Ok(Value::new(Content::Pending(Arc::new(steps)), origin))
                }
                _ => calculate(catalog, old, &[step], origin),
            },
            None => Ok(Value::new(Content::Pending(Arc::new(vec![step])), origin)),
        }
    }

    fn origin(&self, node: Node<'_>) -> Origin {
        Origin {
            place: Some(Place { file: self.file, span: node.span() }),
            layer: self.layer,
            how: How::Amended(self.amendment),
            from: None,
            carried: None,
        }
    }

    /// Changes `state`. `effective` is the definition's effective value at the path before the operation.
    pub(super) fn apply(
        &self,
        state: &mut Value,
        op: &Op,
        root: TypeId,
        effective: Option<&Value>,
    ) -> Result<(), Obstacle> {
        let node = self.catalog.node(crate::document::NodeRef { file: self.file, node: op.value });
        let origin = self.origin(node);
        let value = Value::new(Content::Written(node.at()), origin);
        match op.kind {
            OpKind::Set | OpKind::Replace => self.change(state, op.path.steps(), Some(root), effective, &|old| {
                Ok(Some(match old {
                    Some(old) => value.clone().instead_of(old),
                    None => value.clone(),
                }))
            }),
            OpKind::Unset => self.change(state, op.path.steps(), Some(root), None, &|_| Ok(None)),
            OpKind::Multiply | OpKind::Shift => {
                let number = op.by(&self.catalog.rulebook, node).ok_or(Obstacle::TooLarge)?;
                let step = (op.kind == OpKind::Multiply, number);
                self.change(state, op.path.steps(), Some(root), effective, &|old| {
                    Self::stepped(self.catalog, old, step, origin).map(Some)
                })
            }
            OpKind::Add | OpKind::Remove => {
                let items: Vec<Node<'_>> = match node.shape() {
                    Shape::List => node.children().collect(),
                    _ => vec![node],
                };
                self.change(state, op.path.steps(), Some(root), effective, &|old| {
                    // a list that is only inherited is taken over as it is
                    let list = old.or_else(|| effective.cloned());
                    let mut entries = list.as_ref().map(|list| list.items(self.catalog)).unwrap_or_default();
                    for item in &items {
                        self.entry(op, *item, &mut entries)?;
                    }
                    let list_value = Value::new(Content::List(entries), origin);
                    Ok(Some(match list {
                        Some(list) => list_value.instead_of(list),
                        None => list_value,
                    }))
                })
            }
        }
    }

    fn entry(&self, op: &Op, item: Node<'_>, entries: &mut Vec<Value>) -> Result<(), Obstacle> {
        let catalog = self.catalog;
        let wanted = Draft::of(item, &catalog.names);
        let value = Value::new(Content::Written(item.at()), self.origin(item));
        let (shape, by, entry) = match &catalog.rulebook.field_type(op.ty).reading {
            Reading::List(list) => (list.shape, list.by.as_slice(), Some(list.entry)),
            _ => (ListShape::Set, [].as_slice(), None),
        };
        let key = |value: &Value| -> Vec<Option<String>> {
            by.iter().map(|key| value.get(catalog, *key).and_then(|v| v.word(catalog))).collect()
        };
        let position = |entries: &[Value]| match shape {
            ListShape::Keyed => {
                let wanted = match &wanted {
                    Draft::Table(_) => key(&value),
                    word => vec![word.word()],
                };
                let mut found = entries.iter().enumerate().filter(|(_, e)| key(e) == wanted).map(|(at, _)| at);
                let first = found.next();
                if found.next().is_some() {
                    return Err(Obstacle::Ambiguous(wanted_words(&wanted)));
                }
                Ok((first, wanted_words(&wanted)))
            }
            _ => {
                let equal = |e: &Value| match entry {
                    Some(ty) => same(&e.draft(catalog), &wanted, ty, &catalog.rulebook, &catalog.names),
                    None => e.draft(catalog) == wanted,
                };
                Ok((entries.iter().position(equal), wanted.short()))
            }
        };
        let (at, words) = position(entries)?;
        match (op.kind, at, shape) {
            (OpKind::Remove, Some(at), _) => {
                entries.remove(at);
            }
            (OpKind::Remove, None, _) => return Err(Obstacle::NoEntry(words)),
            (_, Some(_), ListShape::Set | ListShape::Keyed) => return Err(Obstacle::EntryThere(words)),
            _ => entries.push(value),
        }
        Ok(())
    }

    /// Goes down to the path, opening tables and lists on the way, and changes what is there.
    pub(crate) fn change(
        &self,
        here: &mut Value,
        steps: &[Step],
        ty: Option<TypeId>,
        effective: Option<&Value>,
        change: &dyn Fn(Option<Value>) -> Result<Option<Value>, Obstacle>,
    ) -> Result<(), Obstacle> {
        let catalog = self.catalog;
        let Some((step, rest)) = steps.split_first() else { return Ok(()) };
        let below = FieldPath::from(vec![step.clone()]);
        let next_ty = ty.and_then(|ty| catalog.rulebook.type_at(ty, &below, &catalog.names).ok());
        match step {
            Step::Key(key) => {
                let key = catalog.names.intern(key);
                let mut entries = here.entries(catalog);
                let at = entries.iter().position(|(known, _)| *known == key);
                let at = if rest.is_empty() {
                    let old = at.and_then(|at| entries.get(at)).map(|(_, value)| value.clone());
                    let old = old.filter(|old| !matches!(old.content, Content::Hidden));
                    match (change(old)?, at) {
                        (Some(new), Some(at)) => {
                            if let Some((_, slot)) = entries.get_mut(at) {
                                *slot = new;
                            }
                        }
                        (Some(new), None) => entries.push((key, new)),
                        (None, Some(at)) => {
                            entries.remove(at);
                        }
                        (None, None) => {}
                    }
                    None
                } else {
                    at.or_else(|| {
                        entries.push((key, self.opened(here, rest, effective)));
                        Some(entries.len() - 1)
                    })
                };
                if let Some((_, inner)) = at.and_then(|at| entries.get_mut(at)) {
                    self.change(inner, rest, next_ty, effective, change)?;
                    // a table made only on the way, with nothing in it, says nothing
                    if matches!(&inner.content, Content::Table(t) if t.is_empty())
                        && let Some(at) = at
                    {
                        entries.remove(at);
                    }
                }
                here.content = Content::Table(entries);
            }
            Step::Index(_) | Step::Match(_) => {
                let mut items = here.items(catalog);
                let at = match step {
                    Step::Index(index) => (*index < items.len()).then_some(*index),
                    Step::Match(parts) => {
                        let mut found =
                            items.iter().enumerate().filter(|(_, i)| i.matches(catalog, parts)).map(|(at, _)| at);
                        let first = found.next();
                        if found.next().is_some() {
                            let words = FieldPath::from(vec![step.clone()]).to_string();
                            return Err(Obstacle::Ambiguous(words));
                        }
                        first
                    }
                    Step::Key(_) => None,
                };
                let missing = || Obstacle::NoEntry(FieldPath::from(vec![step.clone()]).to_string());
                let at = at.ok_or_else(missing)?;
                if rest.is_empty() {
                    let old = items.get(at).cloned();
                    match (change(old)?, items.get_mut(at)) {
                        (Some(new), Some(slot)) => *slot = new,
                        _ => {
                            items.remove(at);
                        }
                    }
                } else if let Some(inner) = items.get_mut(at) {
                    self.change(inner, rest, next_ty, effective, change)?;
                    if let Some(ty) = next_ty {
                        self.start_from_default(inner, rest, ty)?;
                    }
                }
                here.content = Content::List(items);
            }
        }
        Ok(())
    }

    /// Lets a calculation in an entry of a list start from what counts where nothing is stated: an entry inherits
    /// nothing that it could wait for.
    pub(crate) fn start_from_default(&self, entry: &mut Value, steps: &[Step], ty: TypeId) -> Result<(), Obstacle> {
        let Some((Step::Key(key), rest)) = steps.split_first() else { return Ok(()) };
        let (catalog, key) = (self.catalog, self.catalog.names.intern(key));
        let below = catalog.rulebook.type_at(
            ty,
            &FieldPath::from(steps.iter().take(1).cloned().collect::<Vec<_>>()),
            &catalog.names,
        );
        let (Content::Table(entries), Ok(ty)) = (&mut entry.content, below) else { return Ok(()) };
        let Some((_, inner)) = entries.iter_mut().find(|(known, _)| *known == key) else { return Ok(()) };
        if !rest.is_empty() {
            return self.start_from_default(inner, rest, ty);
        }
        if let (Content::Pending(steps), Some(default)) = (&inner.content, &catalog.rulebook.field_type(ty).default) {
            let from = Value::new(Content::Made(Arc::new(default.clone())), inner.origin);
            *inner = calculate(catalog, from, steps, inner.origin)?;
        }
        Ok(())
    }

    /// What stands on the way to a path where nothing is stated: an empty table, or the inherited list.
    fn opened(&self, here: &Value, rest: &[Step], effective: Option<&Value>) -> Value {
        match (rest.first(), effective) {
            (Some(Step::Index(_) | Step::Match(_)), Some(list)) => {
                Value::new(Content::List(list.items(self.catalog)), list.origin)
            }
            _ => Value::new(Content::Table(Vec::new()), here.origin),
        }
    }
}

fn wanted_words(parts: &[Option<String>]) -> String {
    parts.iter().map(|part| part.as_deref().unwrap_or("?")).collect::<Vec<_>>().join(", ")
}

/// Exact arithmetic on a number; nothing is rounded yet.
fn calculate(catalog: &Catalog, old: Value, steps: &[(bool, Decimal)], origin: Origin) -> Result<Value, Obstacle> {
    let word = old.word(catalog).ok_or(Obstacle::NoNumber)?;
    let mut number = crate::document::decimal(&word).ok_or(Obstacle::NoNumber)?;
    for (multiply, by) in steps {
        let next = if *multiply { number.checked_mul(*by) } else { number.checked_add(*by) };
        number = next.ok_or(Obstacle::TooLarge)?;
    }
    let made = Draft::Number(Number::from_decimal(number));
    Ok(Value::new(Content::Made(Arc::new(made)), origin).instead_of(old))
}

/// A pending operation over the value it waited for.
pub(super) fn pending(catalog: &Catalog, lower: Value, steps: &[(bool, Decimal)], upper: &Value) -> Value {
    if let Content::Pending(before) = &lower.content {
        let all = before.iter().chain(steps).copied().collect();
        return Value::new(Content::Pending(Arc::new(all)), upper.origin);
    }
    calculate(catalog, lower, steps, upper.origin).unwrap_or_else(|_| upper.clone())
}

/// Rounds calculated numbers as their types say; once, at the end.
pub(super) fn rounded(catalog: &Catalog, mut value: Value, ty: Option<TypeId>) -> Value {
    let rulebook = &catalog.rulebook;
    let Some(ty) = ty else { return value };
    let field = |key: Sym| match &rulebook.field_type(ty).reading {
        Reading::Table(table) => table.get(key),
        Reading::Map { value, .. } => Some(*value),
        _ => None,
    };
    let entry = match &rulebook.field_type(ty).reading {
        Reading::List(list) => Some(list.entry),
        _ => None,
    };
    match &mut value.content {
        Content::Made(draft) => {
            if let Draft::Number(number) = &**draft
                && rounds(ty, rulebook, number.notation())
                && let Some(exact) = number.decimal()
            {
                *draft = Arc::new(Draft::Number(Number::from_decimal(round(exact))));
            }
        }
        Content::Table(entries) => {
            for (key, inner) in entries {
                let old = std::mem::replace(inner, Value::new(Content::Hidden, inner.origin));
                *inner = rounded(catalog, old, field(*key));
            }
        }
        Content::List(items) => {
            for inner in items {
                let old = std::mem::replace(inner, Value::new(Content::Hidden, inner.origin));
                *inner = rounded(catalog, old, entry);
            }
        }
        _ => {}
    }
    value
}
