//! A definition with its defaults, and tests tried on it.

use super::value::{Content, How, Origin, Value};
use super::view::{Effective, default};
use crate::catalog::Catalog;
use crate::document::Shape;
use crate::rulebook::{Reading, Test, TestPart, TypeId};

/// The words of a value: its own, or those of its entries.
pub(crate) fn value_words(catalog: &Catalog, value: &Value) -> Vec<String> {
    match value.word(catalog) {
        Some(word) => vec![word],
        None => value.items(catalog).iter().filter_map(|item| item.word(catalog)).collect(),
    }
}

impl Effective {
    /// What a part of a test finds in the definition.
    pub(crate) fn words_at(&self, catalog: &Catalog, part: &TestPart) -> Option<Vec<String>> {
        Some(value_words(catalog, &self.get(catalog, &part.path)?))
    }

    /// Whether a test holds for one of its tables, or for the definition where the test says so.
    pub(crate) fn meets(&self, catalog: &Catalog, test: &Test, table: (&Value, TypeId)) -> bool {
        test.holds(|part| self.found(catalog, part, table))
    }

    /// What a part of a test finds, where that is about one of its tables.
    pub(crate) fn found(&self, catalog: &Catalog, part: &TestPart, table: (&Value, TypeId)) -> Option<Vec<String>> {
        if part.of_whole {
            return self.words_at(catalog, part);
        }
        let (value, ty) = table;
        match value.at(catalog, &part.path) {
            Some(value) => Some(value_words(catalog, &value)),
            None => {
                let ty = catalog.rulebook.type_at(ty, &part.path, &catalog.names).ok()?;
                Some(vec![catalog.rulebook.field_type(ty).default()?.word()?])
            }
        }
    }

    /// The value with the defaults of all fields that exist for it, for showing.
    pub fn whole(&self, catalog: &Catalog) -> Value {
        let filling = Filling { catalog, of: self };
        filling.filled(self.value.clone(), catalog.rulebook.kind(self.kind).root)
    }
}

/// Adds the defaults of a definition.
struct Filling<'a> {
    catalog: &'a Catalog,
    of: &'a Effective,
}

impl Filling<'_> {
    /// Adds defaults to tables, and to the tables in lists.
    fn filled(&self, value: Value, ty: TypeId) -> Value {
        let (catalog, rulebook) = (self.catalog, &self.catalog.rulebook);
        let ty = value.case_of(catalog, ty);
        match &rulebook.field_type(ty).reading {
            Reading::Table(table) if !table.partial && value.shape(catalog) == Shape::Table => {
                let origin = *value.origin();
                let mut entries = value.entries(catalog);
                for (key, field) in &table.fields {
                    if let Some((_, entry)) = entries.iter_mut().find(|(known, _)| known == key) {
                        let inner = std::mem::replace(entry, Value::new(Content::Hidden, origin));
                        *entry = self.filled(inner, *field);
                        continue;
                    }
                    let made = default(catalog, *field, origin.layer).or_else(|| self.not_stated(*field, &origin));
                    if let Some(made) = made
                        && self.exists(*field, (&value, ty))
                    {
                        entries.push((*key, made));
                    }
                }
                Value { content: Content::Table(entries), ..value }
            }
            Reading::List(list) if rulebook.holds_tables(list.entry) => {
                let items = value.items(catalog).into_iter().map(|item| self.filled(item, list.entry)).collect();
                Value { content: Content::List(items), ..value }
            }
            _ => value,
        }
    }

    /// Whether a field exists for a table, as its `only` says.
    fn exists(&self, field: TypeId, table: (&Value, TypeId)) -> bool {
        let test = self.catalog.rulebook.field_type(field).only();
        test.is_none_or(|test| self.of.meets(self.catalog, test, table))
    }

    /// A table that is not stated, if all that it needs has defaults.
    fn not_stated(&self, ty: TypeId, origin: &Origin) -> Option<Value> {
        let rulebook = &self.catalog.rulebook;
        let Reading::Table(table) = &rulebook.field_type(ty).reading else { return None };
        if table.partial
            || table.needed != 0
            || !table.needed_behind.is_empty()
            || !table.fields.iter().any(|(_, ty)| rulebook.field_type(*ty).default.is_some())
        {
            return None;
        }
        let origin = Origin { place: None, how: How::Default(ty), ..*origin };
        let filled = self.filled(Value::new(Content::Table(Vec::new()), origin), ty);
        // fields that exist for another sort leave nothing to show
        (!filled.entries(self.catalog).is_empty()).then_some(filled)
    }
}
