//! Definitions as the game would see them, table by table, for checks of fields that depend on each other.

use rayon::prelude::*;

use super::context::{Context, test_words, value_words};
use super::finding::Finding;
use super::follows::orphaned_by;
use crate::catalog::Address;
use crate::document::{FieldPath, Shape, Step};
use crate::effective::{Effective, Value, default};
use crate::rulebook::{Counted, Group, Kind, PatternStep, Reading, Test, TypeId};
use crate::said::{Said, said};
use crate::source::Place;

/// One table of a definition.
pub(super) struct Table {
    pub(super) value: Value,
    pub(super) ty: TypeId,
    pub(super) path: FieldPath,
    /// Its path with entries as `[]`.
    way: Vec<PatternStep>,
}

impl Table {
    /// Whether a field is stated or inherited; a default does not count.
    pub(super) fn has(&self, context: &Context<'_>, path: &FieldPath) -> bool {
        self.value.at(context.catalog, path).is_some()
    }

    /// What counts of a field that nothing states.
    pub(super) fn default_of(&self, context: &Context<'_>, path: &FieldPath) -> Option<Value> {
        let ty = context.rulebook.type_at(self.ty, path, &context.catalog.names).ok()?;
        default(context.catalog, ty, self.value.origin().layer)
    }

    pub(super) fn place_of(&self, context: &Context<'_>, path: &FieldPath) -> Option<Place> {
        self.value.at(context.catalog, path)?.origin().place
    }

    /// The place that stands for the table; of the whole definition, the one given.
    pub(super) fn place(&self, whole: Place) -> Place {
        match self.path.is_empty() {
            true => whole,
            false => self.value.origin().place.unwrap_or(whole),
        }
    }

    pub(super) fn whose(&self, context: &Context<'_>, address: Address) -> Said {
        match self.path.is_empty() {
            true => said!("`{definition}`", definition = context.show(address)),
            false => said!("`{field}` of `{definition}`", field = self.path, definition = context.show(address)),
        }
    }
}

/// All tables of one definition.
pub(super) struct Tables<'c, 'w> {
    context: &'c Context<'w>,
    pub(super) address: Address,
    pub(super) place: Place,
    effective: Effective,
    tables: Vec<Table>,
}

impl<'w> Tables<'_, 'w> {
    pub(super) fn all(&self) -> &[Table] {
        &self.tables
    }

    /// Each group of the kind with each table that it is about.
    pub(super) fn groups(&self) -> impl Iterator<Item = (&'w Group, &Table)> {
        let groups = &self.context.rulebook.kind(self.effective.kind).groups;
        groups.iter().filter(|group| self.context.brings(group.from, self.address)).flat_map(|group| {
            self.tables.iter().filter(|table| table.way == group.of.0).map(move |table| (group, table))
        })
    }

    /// Whether a test holds for a table, or for the definition where the test says so.
    pub(super) fn holds(&self, test: &Test, table: &Table) -> bool {
        let catalog = self.context.catalog;
        test.holds(|part| match part.of_whole {
            true => test_words(catalog, &self.effective, part),
            false => match table.value.at(catalog, &part.path) {
                Some(value) => Some(value_words(catalog, &value)),
                None => {
                    let ty = catalog.rulebook.type_at(table.ty, &part.path, &catalog.names).ok()?;
                    Some(vec![catalog.rulebook.field_type(ty).default()?.word()?])
                }
            },
        })
    }

    fn open(&mut self, value: Value, ty: TypeId, path: FieldPath, way: Vec<PatternStep>) {
        let (catalog, rulebook) = (self.context.catalog, self.context.rulebook);
        let ty = value.case_of(catalog, ty);
        match &rulebook.field_type(ty).reading {
            Reading::Table(table) if value.shape(catalog) == Shape::Table => {
                for (name, ty) in &table.fields {
                    let inner = &rulebook.field_type(*ty).reading;
                    if !matches!(inner, Reading::List(_) | Reading::Map { .. }) && !rulebook.holds_tables(*ty) {
                        continue;
                    }
                    if let Some(inner) = value.get(catalog, *name) {
                        let name = catalog.names.text(*name).to_owned();
                        let mut way = way.clone();
                        way.push(PatternStep::Key(name.clone()));
                        self.open(inner, *ty, path.with(Step::Key(name)), way);
                    }
                }
                self.tables.push(Table { value, ty, path, way });
            }
            Reading::List(list) if rulebook.holds_tables(list.entry) => {
                for (at, item) in value.items(catalog).into_iter().enumerate() {
                    let mut way = way.clone();
                    way.push(PatternStep::Entries);
                    self.open(item, list.entry, path.with(Step::Index(at)), way);
                }
            }
            Reading::Map { value: ty, .. } if rulebook.holds_tables(*ty) => {
                for (key, item) in value.entries(catalog) {
                    let mut way = way.clone();
                    way.push(PatternStep::Values);
                    self.open(item, *ty, path.with(Step::Key(catalog.names.text(key).to_owned())), way);
                }
            }
            _ => {}
        }
    }
}

/// Tries something on every definition of the kinds that are asked for, in order.
pub(super) fn conditional(
    context: &Context<'_>,
    wanted: impl Fn(&Kind) -> bool,
    tried: impl Fn(&Tables<'_, '_>) -> Vec<Finding> + Sync,
) -> Vec<Finding> {
    let kinds: Vec<_> = context.rulebook.kinds().filter(|(_, kind)| wanted(kind)).map(|(id, _)| id).collect();
    if kinds.is_empty() {
        return Vec::new();
    }
    let mut addresses = context.standing().to_vec();
    addresses.retain(|at| context.view.kind_of(*at).is_some_and(|kind| kinds.contains(&kind)));
    addresses
        .par_iter()
        .flat_map_iter(|address| {
            let tables = (|| {
                let effective = context.view.effective(*address)?;
                let (_, top) = context.view.top(*address)?;
                let (value, root) = (effective.value.clone(), context.rulebook.kind(effective.kind).root);
                let place = context.definition_place(top.at());
                let mut tables = Tables { context, address: *address, place, effective, tables: Vec::new() };
                tables.open(value, root, FieldPath::default(), Vec::new());
                Some(tables)
            })();
            tables.map(|tables| tried(&tables)).unwrap_or_default()
        })
        .collect()
}

/// Tries something on every group of fields that depend on each other, with each table that it is about.
pub(super) fn grouped(
    context: &Context<'_>,
    findings: &mut Vec<Finding>,
    tried: impl Fn(&Tables<'_, '_>, &Group, &Table) -> Option<Finding> + Sync,
) {
    let wanted = |kind: &Kind| !kind.groups.is_empty();
    findings.extend(conditional(context, wanted, |tables| {
        let found = tables.groups().filter_map(|(group, table)| {
            let finding = tried(tables, group, table)?.about(Some(tables.address));
            // what a parent that is not there would have given lacks
            let there = group.fields.iter().filter(|path| table.has(context, path)).count();
            let lacks = there == 0 || group.counted == Counted::AllWithTheFirst && there < group.fields.len();
            if lacks && let Some(cause) = orphaned_by(context, tables.address) {
                context.causes().follow(cause);
                return None;
            }
            Some(finding.related(group.place, "the rulebook demands this"))
        });
        found.collect()
    }));
}
