//! A definition's effective values, as expressions see them.

use minijinja::Value as Seen;

use super::value::{Content, Value};
use super::view::{Effective, View};
use crate::document::{Draft, FieldPath, Node, Shape};
use crate::expression::{Entry, Field, Listed, Scope};
use crate::names::{Names, Sym};
use crate::rulebook::{KindId, Reading, Rulebook, TypeId};

/// One definition in one view.
pub(crate) struct EffectiveScope<'s> {
    view: &'s View<'s>,
    effective: &'s Effective,
}

impl<'s> EffectiveScope<'s> {
    pub(crate) fn new(view: &'s View<'s>, effective: &'s Effective) -> Self {
        EffectiveScope { view, effective }
    }

    fn read(&self, effective: &Effective, path: &FieldPath) -> Option<Seen> {
        let catalog = self.view.catalog;
        let value = effective.get(catalog, path)?;
        let ty = effective.type_at(catalog, path);
        seen(&value.draft(catalog), ty, &catalog.rulebook, &catalog.names)
    }

    /// The id that a field names, and that definition.
    fn target(&self, of: &Field, kinds: &[KindId], path: &FieldPath) -> Option<(String, Effective)> {
        let catalog = self.view.catalog;
        let id = self.effective.get(catalog, &of.path)?.word(catalog)?;
        let target = kinds.iter().find_map(|kind| self.view.effective_at(catalog.address(*kind, &id)?, [path]))?;
        Some((id, target))
    }
}

impl Scope for EffectiveScope<'_> {
    fn field(&self, field: &Field) -> Option<Seen> {
        let catalog = self.view.catalog;
        let mut here: Option<Value> = None;
        for key in &field.keys {
            match here.as_ref().unwrap_or(&self.effective.value).get(catalog, *key) {
                Some(next) => here = Some(next),
                // the default, perhaps
                None => return self.read(self.effective, &field.path),
            }
        }
        let value = here?;
        if let (Content::Written(at), Some(ty)) = (value.content(), field.ty)
            && let Some(seen) = scalar(catalog.node(*at), &catalog.rulebook.field_type(ty).reading)
        {
            return Some(seen);
        }
        seen(&value.draft(catalog), field.ty, &catalog.rulebook, &catalog.names)
    }

    fn follow(&self, of: &Field, kinds: &[KindId], field: &FieldPath) -> Option<(String, Option<Seen>)> {
        let (id, target) = self.target(of, kinds, field)?;
        let value = self.read(&target, field);
        Some((id, value))
    }

    fn key(&self) -> Option<String> {
        None
    }

    fn id(&self) -> String {
        self.view.catalog.names.text(self.effective.address.id).to_owned()
    }

    fn kind(&self) -> String {
        self.view.catalog.rulebook.kind(self.effective.kind).name.clone()
    }

    fn entries<'e>(&'e self, list: &Listed) -> Option<Vec<Entry<'e>>> {
        let catalog = self.view.catalog;
        let value = match &list.of {
            Some((kinds, path)) => self.target(&list.field, kinds, path)?.1.get(catalog, path)?,
            None => self.effective.get(catalog, &list.field.path)?,
        };
        Some(entries_of(self, &value, list.entry))
    }
}

/// The entries of a list or map, in the definition that an expression is about.
fn entries_of<'e>(whole: &'e EffectiveScope<'e>, value: &Value, entry: TypeId) -> Vec<Entry<'e>> {
    let catalog = whole.view.catalog;
    let scope = |(key, value): (Option<Sym>, Value)| {
        let key = key.map(|key| catalog.names.text(key).to_owned());
        Box::new(EntryScope { whole, key, value, ty: Some(entry) }) as Entry<'e>
    };
    value.listed(catalog).into_iter().map(scope).collect()
}

/// One entry of a list or map, in the definition that an expression is about.
struct EntryScope<'s> {
    whole: &'s EffectiveScope<'s>,
    /// In a map, its key.
    key: Option<String>,
    value: Value,
    ty: Option<TypeId>,
}

impl EntryScope<'_> {
    /// A path without `entry`, where that stands for the value itself.
    fn below(&self, path: &FieldPath) -> FieldPath {
        let is_entry = matches!(path.steps(), [crate::document::Step::Key(first), ..] if first == "entry");
        let single = self.ty.is_some_and(|ty| !self.whole.view.catalog.rulebook.holds_tables(ty));
        if is_entry && single { path.skip(1) } else { path.clone() }
    }

    /// The id that a field of the entry names, and that definition.
    fn target(&self, of: &Field, kinds: &[KindId]) -> Option<(String, Effective)> {
        let (catalog, view) = (self.whole.view.catalog, self.whole.view);
        let path = self.below(&of.path);
        let id = match path.is_empty() {
            true => self.value.word(catalog)?,
            false => self.read(&path)?.0.word()?,
        };
        let target = kinds.iter().find_map(|kind| view.effective(catalog.address(*kind, &id)?))?;
        Some((id, target))
    }

    /// What stands at a path of the entry, or its default.
    fn read(&self, path: &FieldPath) -> Option<(Draft, Option<TypeId>)> {
        let catalog = self.whole.view.catalog;
        let ty = self.ty.map(|ty| self.value.case_of(catalog, ty));
        let ty = ty.and_then(|ty| catalog.rulebook.type_at(ty, path, &catalog.names).ok());
        match self.value.at(catalog, path) {
            Some(value) => Some((value.draft(catalog), ty)),
            None => Some((catalog.rulebook.field_type(ty?).default().cloned()?, ty)),
        }
    }
}

/// A field of the definition, as an entry's expression names it: without `whole`.
fn of_whole(field: &Field) -> Option<Field> {
    let [crate::document::Step::Key(first), crate::document::Step::Key(name), ..] = field.path.steps() else {
        return None;
    };
    let keys = field.keys.iter().skip(1).copied().collect();
    (first == "whole").then(|| Field { path: field.path.skip(1), keys, ty: field.ty, name: name.as_str().into() })
}

impl Scope for EntryScope<'_> {
    fn field(&self, field: &Field) -> Option<Seen> {
        if let Some(field) = of_whole(field) {
            return self.whole.field(&field);
        }
        let catalog = self.whole.view.catalog;
        if *field.name == *"entry" && field.keys.len() == 1 {
            return seen(&self.value.draft(catalog), self.ty, &catalog.rulebook, &catalog.names);
        }
        let (draft, ty) = self.read(&field.path)?;
        seen(&draft, ty, &catalog.rulebook, &catalog.names)
    }

    fn follow(&self, of: &Field, kinds: &[KindId], field: &FieldPath) -> Option<(String, Option<Seen>)> {
        if let Some(of) = of_whole(of) {
            return self.whole.follow(&of, kinds, field);
        }
        let (id, target) = self.target(of, kinds)?;
        Some((id, self.whole.read(&target, field)))
    }

    fn id(&self) -> String {
        self.whole.id()
    }

    fn kind(&self) -> String {
        self.whole.kind()
    }

    fn key(&self) -> Option<String> {
        self.key.clone()
    }

    fn entries<'e>(&'e self, list: &Listed) -> Option<Vec<Entry<'e>>> {
        if let Some(field) = of_whole(&list.field) {
            return self.whole.entries(&Listed { field, ..list.clone() });
        }
        let catalog = self.whole.view.catalog;
        let value = match &list.of {
            Some((kinds, path)) => self.target(&list.field, kinds)?.1.get(catalog, path)?,
            None => self.value.at(catalog, &self.below(&list.field.path))?,
        };
        Some(entries_of(self.whole, &value, list.entry))
    }
}

/// The usual scalars, without a copy.
fn scalar(node: Node<'_>, reading: &Reading) -> Option<Seen> {
    match (node.shape(), reading) {
        (Shape::Number, Reading::Integer | Reading::Number) => {
            let raw = node.text();
            match raw.parse::<i64>() {
                Ok(whole) => Some(Seen::from(whole)),
                Err(_) => raw.parse::<f64>().ok().filter(|value| value.fract() != 0.0).map(Seen::from),
            }
        }
        (
            Shape::Text,
            Reading::Text | Reading::Choice(_) | Reading::Link(_) | Reading::Path(_) | Reading::Word { .. },
        ) => Some(Seen::from(&*node.text())),
        (Shape::Boolean, Reading::Boolean) => Some(Seen::from(node.is_true())),
        _ => None,
    }
}

/// A value read by its type. What does not fit its type is absent: that is another finding.
fn seen(draft: &Draft, ty: Option<TypeId>, rulebook: &Rulebook, names: &Names) -> Option<Seen> {
    let reading = ty.map(|ty| &rulebook.field_type(ty).reading);
    Some(match (draft, reading) {
        (Draft::Null, _) => return None,
        (Draft::Boolean(value), Some(Reading::Boolean | Reading::Any) | None) => Seen::from(*value),
        (Draft::Number(number), Some(Reading::Integer | Reading::Number | Reading::Any) | None) => {
            match number.notation().parse::<i64>() {
                Ok(whole) => Seen::from(whole),
                Err(_) => {
                    let value = crate::document::float(number.notation())?;
                    if value.fract() == 0.0 && value.abs() < 9e15 {
                        Seen::from(value as i64)
                    } else {
                        Seen::from(value)
                    }
                }
            }
        }
        (Draft::Number(number), Some(Reading::Link(_) | Reading::File(_))) => Seen::from(number.notation()),
        (Draft::Text(text), reading) => match reading {
            Some(Reading::Integer | Reading::Number | Reading::Boolean | Reading::List(_) | Reading::Table(_)) => {
                return None;
            }
            _ => Seen::from(text.as_str()),
        },
        (Draft::List(items), reading) => {
            let entry = match reading {
                Some(Reading::List(list)) => Some(list.entry),
                Some(Reading::Flags(_) | Reading::Any) | None => None,
                Some(Reading::Tuple { places, .. }) => {
                    let item = |(item, place): (&Draft, &TypeId)| seen(item, Some(*place), rulebook, names);
                    return Some(Seen::from(items.iter().zip(places).filter_map(item).collect::<Vec<_>>()));
                }
                _ => return None,
            };
            Seen::from(items.iter().filter_map(|item| seen(item, entry, rulebook, names)).collect::<Vec<_>>())
        }
        (Draft::Table(entries), reading) => {
            let ty_of = |key: &str| match reading {
                Some(Reading::Table(table)) => table.get(names.get(key)?),
                Some(Reading::Map { value, .. }) => Some(*value),
                _ => None,
            };
            let entry = |(key, value): &(String, Draft)| Some((key.clone(), seen(value, ty_of(key), rulebook, names)?));
            Seen::from(entries.iter().filter_map(entry).collect::<std::collections::BTreeMap<_, _>>())
        }
        _ => return None,
    })
}
