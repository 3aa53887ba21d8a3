//! What does not go together in a definition: fields that depend on each other, table by table.

use super::value::Value;
use super::view::{Effective, default};
use crate::catalog::{Address, Catalog};
use crate::document::{FieldPath, Shape, Step};
use crate::rulebook::{Counted, Group, PatternStep, Reading, Test, TypeId};
use crate::said::{Said, all_of, either, said};
use crate::source::Place;

/// One table of a definition.
pub(crate) struct Table {
    pub(crate) value: Value,
    pub(crate) ty: TypeId,
    pub(crate) path: FieldPath,
    /// Its path with entries as `[]`.
    way: Vec<PatternStep>,
}

/// What does not go together.
pub(crate) enum Amiss<'r> {
    /// A field that exists for another sort only.
    OfAnotherSort(&'r Test),
    /// A field that this sort must have, and has not.
    LackingInSort(&'r Test, TypeId),
    /// Too many or too few of several fields that exclude each other: those that are there, of all.
    Several(Vec<&'r FieldPath>, &'r [FieldPath]),
    /// A field without those that it needs beside it.
    Alone(&'r FieldPath, Vec<&'r FieldPath>),
    /// Two ends of a range, the upper below the lower.
    Reversed([(&'r FieldPath, Value); 2]),
}

impl Table {
    /// Whether it is one of those that a group is about.
    pub(crate) fn is_of(&self, group: &Group) -> bool {
        self.way == group.of.0
    }

    /// Whether a field is stated or inherited; a default does not count.
    pub(crate) fn has(&self, catalog: &Catalog, path: &FieldPath) -> bool {
        self.value.at(catalog, path).is_some()
    }

    pub(crate) fn place_of(&self, catalog: &Catalog, path: &FieldPath) -> Option<Place> {
        self.value.at(catalog, path)?.origin().place
    }

    /// The place that stands for the table; of the whole definition, the one given.
    pub(crate) fn place(&self, whole: Place) -> Place {
        match self.path.is_empty() {
            true => whole,
            false => self.value.origin().place.unwrap_or(whole),
        }
    }

    fn whose(&self, catalog: &Catalog, address: Address) -> Said {
        let definition = catalog.show_address(address);
        match self.path.is_empty() {
            true => said!("`{definition}`", definition),
            false => said!("`{field}` of `{definition}`", field = self.path, definition),
        }
    }

    /// What is wrong with a group of its fields.
    pub(crate) fn amiss<'r>(&self, catalog: &Catalog, group: &'r Group) -> Option<Amiss<'r>> {
        let there = || group.fields.iter().filter(|path| self.has(catalog, path)).collect::<Vec<_>>();
        match group.counted {
            Counted::ExactlyOne | Counted::AtMostOne | Counted::AtLeastOne => {
                let there = there();
                let wrong = match there.len() {
                    0 => group.counted != Counted::AtMostOne,
                    1 => false,
                    _ => group.counted != Counted::AtLeastOne,
                };
                wrong.then_some(Amiss::Several(there, &group.fields))
            }
            Counted::AllWithTheFirst => {
                let (first, needed) = group.fields.split_first().filter(|(first, _)| self.has(catalog, first))?;
                let lacking: Vec<_> = needed.iter().filter(|path| !self.has(catalog, path)).collect();
                (!lacking.is_empty()).then_some(Amiss::Alone(first, lacking))
            }
            Counted::Range => {
                let [low, high] = group.fields.as_slice() else { return None };
                let of_default = |path: &FieldPath| {
                    let ty = catalog.rulebook.type_at(self.ty, path, &catalog.names).ok()?;
                    default(catalog, ty, self.value.origin().layer)
                };
                let value = |path: &FieldPath| self.value.at(catalog, path).or_else(|| of_default(path));
                let (least, most) = (value(low)?, value(high)?);
                let number = |value: &Value| crate::document::float(&value.word(catalog)?);
                (number(&least)? > number(&most)?).then_some(Amiss::Reversed([(low, least), (high, most)]))
            }
        }
    }
}

impl Amiss<'_> {
    /// Whether something lacks, which a definition that is only inherited from may.
    pub(crate) fn is_lack(&self) -> bool {
        match self {
            Amiss::LackingInSort(..) | Amiss::Alone(..) => true,
            Amiss::Several(there, _) => there.is_empty(),
            Amiss::OfAnotherSort(_) | Amiss::Reversed(_) => false,
        }
    }

    /// Of a group: the field that says it, as far as one does.
    pub(crate) fn field(&self) -> Option<&FieldPath> {
        match self {
            Amiss::Several(there, _) => there.last().copied(),
            Amiss::Alone(first, _) => Some(first),
            Amiss::Reversed([_, (high, _)]) => Some(high),
            Amiss::OfAnotherSort(_) | Amiss::LackingInSort(..) => None,
        }
    }

    /// What is wrong, with the field, of a table of a definition.
    pub(crate) fn said(&self, catalog: &Catalog, address: Address, table: &Table, field: &FieldPath) -> Said {
        let whose = || table.whose(catalog, address);
        match self {
            Amiss::OfAnotherSort(test) => {
                said!("`{field}` has no meaning here: it is only for a definition whose {test}", field, test)
            }
            Amiss::LackingInSort(test, _) => said!(
                "`{definition}` needs `{field}`, since {test}",
                definition = catalog.show_address(address),
                field,
                test
            ),
            Amiss::Several(there, all) => {
                let all = either(*all);
                let message = match there.is_empty() {
                    true => said!("one of `{fields}` must be there", fields = all),
                    false => {
                        said!("only one of `{fields}` can be there, not `{there}`", fields = all, there = all_of(there))
                    }
                };
                said!("{whose}: {message}", whose = whose(), message)
            }
            Amiss::Alone(first, lacking) => said!(
                "{whose}: `{field}` needs `{lacking}` beside it",
                whose = whose(),
                field = first,
                lacking = all_of(lacking)
            ),
            Amiss::Reversed([(low, least), (high, most)]) => said!(
                "{whose}: `{low}` is {least} and `{high}` is {most}, which is less",
                whose = whose(),
                low,
                least = least.word(catalog).unwrap_or_default(),
                high,
                most = most.word(catalog).unwrap_or_default()
            ),
        }
    }
}

impl Effective {
    /// All its tables: those in tables, lists and maps before the ones around them.
    pub(crate) fn tables(&self, catalog: &Catalog) -> Vec<Table> {
        let mut out = Vec::new();
        let root = catalog.rulebook.kind(self.kind).root;
        open(catalog, self.value.clone(), root, FieldPath::default(), Vec::new(), &mut out);
        out
    }

    /// The fields of one of its tables that are not for its sort, and those that its sort must have and that lack.
    pub(crate) fn of_another_sort<'r>(
        &self,
        catalog: &'r Catalog,
        table: &Table,
    ) -> Vec<(FieldPath, Option<Place>, Amiss<'r>)> {
        let rulebook = &catalog.rulebook;
        let Reading::Table(fields) = &rulebook.field_type(table.ty).reading else { return Vec::new() };
        let one = |(name, ty): &(crate::names::Sym, TypeId)| {
            let field = rulebook.field_type(*ty);
            let test = field.only()?;
            let value = table.value.get(catalog, *name);
            let holds = self.meets(catalog, test, (&table.value, table.ty));
            let amiss = match &value {
                Some(_) if !holds => Amiss::OfAnotherSort(test),
                None if holds && !field.optional() && field.default().is_none() => Amiss::LackingInSort(test, *ty),
                _ => return None,
            };
            let path = table.path.with(Step::Key(catalog.names.text(*name).to_owned()));
            Some((path, value.and_then(|value| value.origin().place), amiss))
        };
        fields.fields.iter().filter_map(one).collect()
    }
}

fn open(catalog: &Catalog, value: Value, ty: TypeId, path: FieldPath, way: Vec<PatternStep>, out: &mut Vec<Table>) {
    let rulebook = &catalog.rulebook;
    let ty = value.case_of(catalog, ty);
    let further = |step: PatternStep| {
        let mut way = way.clone();
        way.push(step);
        way
    };
    match &rulebook.field_type(ty).reading {
        Reading::Table(table) if value.shape(catalog) == Shape::Table => {
            for (name, ty) in &table.fields {
                let inner = &rulebook.field_type(*ty).reading;
                if !matches!(inner, Reading::List(_) | Reading::Map { .. }) && !rulebook.holds_tables(*ty) {
                    continue;
                }
                if let Some(inner) = value.get(catalog, *name) {
                    let name = catalog.names.text(*name).to_owned();
                    let way = further(PatternStep::Key(name.clone()));
                    open(catalog, inner, *ty, path.with(Step::Key(name)), way, out);
                }
            }
            out.push(Table { value, ty, path, way });
        }
        Reading::List(list) if rulebook.holds_tables(list.entry) => {
            for (at, item) in value.items(catalog).into_iter().enumerate() {
                open(catalog, item, list.entry, path.with(Step::Index(at)), further(PatternStep::Entries), out);
            }
        }
        Reading::Map { value: ty, .. } if rulebook.holds_tables(*ty) => {
            for (key, item) in value.entries(catalog) {
                let path = path.with(Step::Key(catalog.names.text(key).to_owned()));
                open(catalog, item, *ty, path, further(PatternStep::Values), out);
            }
        }
        _ => {}
    }
}
