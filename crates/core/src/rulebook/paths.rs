//! Types by path and pattern, and the fields below a type.

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;

use super::pattern::Pattern;
use super::types::{FieldType, KindId, ListShape, ListType, Reading, Rulebook, TableType, TypeId};
use crate::document::{FieldPath, Node, Shape, Step};
use crate::names::{Names, Sym};
use crate::nearest::nearest;

/// The words of the cases in which a field is, and its types there.
type InCases<'r> = (BTreeSet<&'r str>, Vec<TypeId>);

impl TypeId {
    /// Of what a rulebook does not describe, in tables that may hold such fields: any value.
    pub(crate) const ANYTHING: TypeId = TypeId(0);
}

impl FieldType {
    /// What a rulebook does not describe.
    pub(super) fn anything() -> FieldType {
        FieldType { pattern: "value".to_owned(), optional: true, ..FieldType::plain(Reading::Any) }
    }
}

impl Rulebook {
    /// Why a path does not name an entry of a list, where it means to, and what would: entries of keyed lists are
    /// named by their keys, which themselves cannot be set.
    pub(crate) fn not_an_entry(
        &self,
        root: TypeId,
        path: &FieldPath,
        names: &Names,
    ) -> Option<(String, Option<String>)> {
        let mut here = root;
        let mut keyed: Option<&[Sym]> = None;
        for step in path.steps() {
            if let (Some(by), Step::Key(key)) = (keyed, step)
                && by.iter().any(|sym| names.text(*sym) == key)
            {
                let message = format!("`{key}` tells the entries apart, so it cannot be set");
                return Some((message, Some("remove the entry and add another one".to_owned())));
            }
            keyed = None;
            if let Reading::List(list) = &self.field_type(here).reading {
                match (list.shape, step) {
                    (ListShape::Keyed, Step::Index(_)) => {
                        let by: Vec<_> = list.by.iter().map(|key| format!("{}=…", names.text(*key))).collect();
                        let message = "entries of this list are named by their key, not by number".to_owned();
                        return Some((message, Some(format!("`[{}]`", by.join(",")))));
                    }
                    (ListShape::Keyed, Step::Match(parts)) => {
                        keyed = Some(&list.by);
                        let said = |key: &Sym| parts.iter().any(|(known, _)| known == names.text(*key));
                        let extra = parts.iter().any(|(key, _)| !list.by.iter().any(|by| names.text(*by) == key));
                        // a key that may be absent is left out where it is
                        let lacking = |key: &&Sym| !said(key) && self.is_needed(list.entry, **key);
                        if extra || list.by.iter().find(lacking).is_some() {
                            let by: Vec<_> = list.by.iter().map(|key| names.text(*key)).collect();
                            let help = by.iter().map(|key| format!("{key}=…")).collect::<Vec<_>>().join(",");
                            let message = format!("entries of this list are told apart by {}", by.join(" and "));
                            return Some((message, Some(format!("`[{help}]`"))));
                        }
                    }
                    (ListShape::Set | ListShape::Bag, _) => {
                        let message = "entries of this list have no place of their own".to_owned();
                        return Some((message, Some("use `add` and `remove`, or `+=` and `-=`".to_owned())));
                    }
                    _ => {}
                }
            }
            here = self.type_at(here, &FieldPath::from(vec![step.clone()]), names).ok()?;
        }
        None
    }

    /// A path with the keys of entries in the order of their lists, and those that are not said because an entry does
    /// not have them.
    pub(crate) fn with_all_keys(&self, root: TypeId, path: &FieldPath, names: &Names) -> FieldPath {
        let mut here = Some(root);
        let mut out = FieldPath::default();
        for step in path.steps() {
            let list = here.and_then(|ty| match &self.field_type(ty).reading {
                Reading::List(list) if list.shape == ListShape::Keyed => Some(list),
                _ => None,
            });
            out.push(match (step, list) {
                (Step::Match(parts), Some(list)) if parts.iter().all(|(key, _)| !key.is_empty()) => {
                    let said = |key: &str| parts.iter().find(|(known, _)| known == key).map(|(_, word)| word.clone());
                    let known = list.by.iter().map(|key| names.text(*key));
                    let mut all: Vec<_> = known.map(|key| (key.to_owned(), said(key).unwrap_or_default())).collect();
                    let more = parts.iter().filter(|(key, _)| !all.iter().any(|(known, _)| known == key));
                    let more: Vec<_> = more.cloned().collect();
                    all.extend(more);
                    Step::Match(all)
                }
                _ => step.clone(),
            });
            here = here.and_then(|ty| self.type_at(ty, &FieldPath::from(vec![step.clone()]), names).ok());
        }
        out
    }

    /// Whether a table must have a field.
    fn is_needed(&self, table: TypeId, field: Sym) -> bool {
        let Reading::Table(table) = &self.field_type(table).reading else { return true };
        let at = table.fields.iter().position(|(name, _)| *name == field);
        at.is_none_or(|at| table.needs(at))
    }

    /// The type at a field path below a type, or how far the path could be followed.
    pub(crate) fn type_at(&self, root: TypeId, path: &FieldPath, names: &Names) -> Result<TypeId, (TypeId, usize)> {
        let mut here = root;
        for (at, step) in path.steps().iter().enumerate() {
            let next = match (&self.field_type(here).reading, step) {
                (Reading::Map { value, .. }, Step::Key(_)) => Some(*value),
                (_, Step::Key(key)) => names.get(key).and_then(|key| self.type_of_key(here, key)),
                (Reading::List(list), Step::Index(_) | Step::Match(_)) => Some(list.entry),
                (Reading::Tuple { places, .. }, Step::Index(at)) => places.get(*at).copied(),
                _ => None,
            };
            here = next.ok_or((here, at))?;
        }
        Ok(here)
    }

    /// The type at a field path below a type as [`Self::type_at`] tells it; of what is not described, in a table that may
    /// hold such fields or below a field of any value, that of anything. What looks like a slip of a described one is none.
    pub(crate) fn type_or_any(&self, root: TypeId, path: &FieldPath, names: &Names) -> Result<TypeId, (TypeId, usize)> {
        self.type_at(root, path, names).or_else(|(table, at)| {
            let is_any = matches!(self.field_type(table).reading, Reading::Any);
            let is_open = || {
                let Some(Step::Key(key)) = path.steps().get(at) else { return false };
                let known = self.tables_of(table).flat_map(|of| &of.fields).map(|(name, _)| names.text(*name));
                self.tables_of(table).any(|of| of.open) && nearest(key, known).is_none()
            };
            if is_any || is_open() { Ok(TypeId::ANYTHING) } else { Err((table, at)) }
        })
    }

    /// The type of what has a key in a table or map of a type; of one of several tables, of the first that has it.
    pub(crate) fn type_of_key(&self, id: TypeId, key: Sym) -> Option<TypeId> {
        match &self.field_type(id).reading {
            Reading::Table(table) => table.get(key),
            Reading::Map { value, .. } => Some(*value),
            Reading::Choose { .. } | Reading::Either { .. } => self.tables_of(id).find_map(|table| table.get(key)),
            _ => None,
        }
    }

    /// The types at a field path below a type: several where words in tables on the way choose among cases.
    pub(crate) fn types_at(&self, root: TypeId, path: &FieldPath, names: &Names) -> Vec<TypeId> {
        let mut here = vec![root];
        for step in path.steps() {
            let mut next: Vec<TypeId> = Vec::new();
            for ty in here {
                let found: Vec<TypeId> = match (&self.field_type(ty).reading, step) {
                    (Reading::Choose { .. } | Reading::Either { .. }, Step::Key(key)) => names
                        .get(key)
                        .map(|key| self.tables_of(ty).filter_map(|table| table.get(key)).collect())
                        .unwrap_or_default(),
                    _ => self.type_at(ty, &FieldPath::from(vec![step.clone()]), names).into_iter().collect(),
                };
                next.extend(found);
            }
            next.dedup();
            here = next;
        }
        here
    }

    /// The tables that are cases of one whose fields are told by a word, each with that one.
    pub(crate) fn cases(&self) -> FxHashMap<TypeId, TypeId> {
        let all = (0u32..).map(TypeId).zip(&self.types);
        let of = |(id, ty): (TypeId, &super::FieldType)| match &ty.reading {
            Reading::Choose { cases, other, untold, .. } => {
                let cases = cases.values().copied().chain([*other, *untold]).map(|case| (case, id));
                cases.collect::<Vec<_>>()
            }
            _ => Vec::new(),
        };
        all.flat_map(of).collect()
    }

    /// With which words a table told by one of them has a field: the field with the word, and the words.
    pub(crate) fn words_with(&self, choose: TypeId, key: Sym) -> Option<(Sym, Vec<&str>)> {
        let Reading::Choose { by, cases, .. } = &self.field_type(choose).reading else { return None };
        let has = |case: &TypeId| matches!(&self.field_type(*case).reading, Reading::Table(table) if table.get(key).is_some());
        let mut words: Vec<&str> = cases.iter().filter(|(_, case)| has(case)).map(|(word, _)| word.as_str()).collect();
        words.sort_unstable();
        (!words.is_empty()).then_some((*by, words))
    }

    /// The paths of the words that choose among cases on the way along a path.
    pub(crate) fn chosen_by(&self, root: TypeId, path: &FieldPath, names: &Names) -> Vec<FieldPath> {
        let mut out = Vec::new();
        for end in 0..path.steps().len() {
            let above = path.take(end);
            for ty in self.types_at(root, &above, names) {
                if let Reading::Choose { by, .. } = &self.field_type(ty).reading {
                    out.push(above.with(Step::Key(names.text(*by).to_owned())));
                }
            }
        }
        out
    }

    /// The type that a pattern leads to below a type.
    pub(crate) fn type_below(&self, root: TypeId, pattern: &Pattern, names: &Names) -> Option<TypeId> {
        use super::pattern::PatternStep as P;
        pattern.0.iter().try_fold(root, |here, step| match (&self.field_type(here).reading, step) {
            (Reading::Table(table), P::Key(key)) => table.get(names.get(key)?),
            (Reading::Choose { .. } | Reading::Either { .. }, P::Key(key)) => {
                let key = names.get(key)?;
                self.tables_of(here).find_map(|table| table.get(key))
            }
            (Reading::List(list), P::Entries) => Some(list.entry),
            (Reading::Map { value, .. }, P::Values) => Some(*value),
            (Reading::Map { key, .. }, P::Keys) => *key,
            (Reading::Tuple { places, .. }, P::At(at)) => places.get(*at).copied(),
            _ => None,
        })
    }

    /// The tables that a type may be.
    pub(crate) fn tables_of(&self, id: TypeId) -> impl Iterator<Item = &TableType> {
        let all: Vec<TypeId> = match &self.field_type(id).reading {
            Reading::Choose { cases, other, .. } => {
                let mut all: Vec<TypeId> = cases.values().copied().collect();
                all.sort_unstable();
                all.push(*other);
                all
            }
            Reading::Either { table, .. } => vec![*table],
            _ => vec![id],
        };
        all.into_iter().filter_map(|id| match &self.field_type(id).reading {
            Reading::Table(table) => Some(table),
            _ => None,
        })
    }

    /// Whether values of a type can be tables with fields.
    pub(crate) fn holds_tables(&self, ty: TypeId) -> bool {
        self.tables_of(ty).next().is_some()
    }

    /// The type that counts where a field takes one of several shapes: `word` gives what stands in a field of the
    /// value. Everywhere a value meets its type it goes through this.
    pub(crate) fn case_of(&self, ty: TypeId, shape: Shape, word: &dyn Fn(Sym) -> Option<String>) -> TypeId {
        match &self.field_type(ty).reading {
            Reading::Choose { by, cases, other, untold } if shape == Shape::Table => match word(*by) {
                Some(word) => cases.get(&word).copied().unwrap_or(*other),
                None => *untold,
            },
            Reading::Either { table, .. } if shape == Shape::Table => self.case_of(*table, shape, word),
            Reading::Either { single, .. } => self.case_of(*single, shape, word),
            _ => ty,
        }
    }

    /// All fields below a type, each with the type of the table it stands in, in described order.
    pub fn fields_below(&self, root: TypeId) -> Vec<(TypeId, TypeId)> {
        let mut out = Vec::new();
        let mut todo = vec![(root, root)];
        // parts may contain themselves
        let mut seen = rustc_hash::FxHashSet::default();
        while let Some((table, id)) = todo.pop() {
            if !seen.insert(id) {
                continue;
            }
            if id != root {
                out.push((table, id));
            }
            match &self.field_type(id).reading {
                Reading::Table(inner) => todo.extend(inner.fields.iter().rev().map(|(_, ty)| (id, *ty))),
                Reading::List(list) => todo.push((table, list.entry)),
                Reading::Map { key, value } => {
                    todo.push((table, *value));
                    todo.extend(key.map(|key| (table, key)));
                }
                Reading::Tuple { places, .. } => todo.extend(places.iter().rev().map(|place| (table, *place))),
                Reading::Choose { .. } => {
                    todo.extend(self.in_cases(id).into_iter().rev().map(|ty| (id, ty)));
                }
                Reading::Either { table: inner, single } => {
                    todo.push((table, *single));
                    todo.push((table, *inner));
                }
                _ => {}
            }
        }
        out
    }

    /// Calls with every value below a node that has a type, itself included.
    pub(crate) fn each_typed<'d>(&self, node: Node<'d>, ty: TypeId, call: &mut dyn FnMut(TypeId, Node<'d>)) {
        call(ty, node);
        match (&self.field_type(ty).reading, node.shape()) {
            (Reading::Table(table), Shape::Table) => {
                for entry in node.children() {
                    if let Some(ty) = entry.key().and_then(|key| table.get(key)) {
                        self.each_typed(entry, ty, call);
                    }
                }
            }
            (Reading::List(list), Shape::List) => {
                node.children().for_each(|item| self.each_typed(item, list.entry, call));
            }
            (Reading::Map { value, .. }, Shape::Table) => {
                node.children().for_each(|item| self.each_typed(item, *value, call));
            }
            (Reading::Choose { .. }, shape) => {
                let word = |by| node.get(by).map(|word| word.text().into_owned());
                self.each_typed(node, self.case_of(ty, shape, &word), call);
            }
            (Reading::Either { table, single }, shape) => {
                self.each_typed(node, if shape == Shape::Table { *table } else { *single }, call);
            }
            (Reading::Tuple { places, .. }, Shape::List) => {
                node.children().zip(places).for_each(|(item, place)| self.each_typed(item, *place, call));
            }
            _ => {}
        }
    }

    /// The kinds that a field, or a list's entries, link to.
    pub(crate) fn link_kinds(&self, id: TypeId) -> Vec<KindId> {
        match &self.field_type(id).reading {
            Reading::Link(kinds) => kinds.clone(),
            Reading::Parent(kind) => self.parent_kinds(*kind),
            Reading::List(list) => self.link_kinds(list.entry),
            Reading::Either { single, .. } => self.link_kinds(*single),
            _ => Vec::new(),
        }
    }

    /// How a path names an entry where it goes on behind a list as if that were a table: `at` is the step behind the list.
    pub(crate) fn entry_meant(&self, list: &ListType, path: &FieldPath, at: usize, names: &Names) -> String {
        let [by] = list.by.as_slice() else {
            return "say which entry: `list[0].field`, or `list[key=value].field`".to_owned();
        };
        let by = names.text(*by).to_owned();
        let rest = path.steps().get(at..).unwrap_or_default();
        let is_field = |key: &String| {
            self.tables_of(list.entry).any(|table| names.get(key).is_some_and(|key| table.get(key).is_some()))
        };
        let (value, rest) = match rest.split_first() {
            Some((Step::Key(key), rest)) if !is_field(key) => (key.clone(), rest),
            _ => ("…".to_owned(), rest),
        };
        let entry = path.take(at).with(Step::Match(vec![(by, value)]));
        let meant = rest.iter().fold(entry, |path, step| path.with(step.clone()));
        format!("say which entry: `{meant}`")
    }

    /// The leaf fields below a type with their patterns, tables and maps opened, in described order.
    pub fn leaves(&self, root: TypeId) -> Vec<TypeId> {
        let mut out = Vec::new();
        let mut todo = vec![root];
        let mut seen = rustc_hash::FxHashSet::default();
        while let Some(id) = todo.pop() {
            if !seen.insert(id) {
                continue;
            }
            match &self.field_type(id).reading {
                Reading::Table(table) if !table.fields.is_empty() => {
                    todo.extend(table.fields.iter().rev().map(|(_, ty)| *ty));
                }
                Reading::List(list) if matches!(self.field_type(list.entry).reading, Reading::Table(_)) => {
                    out.push(id);
                    todo.push(list.entry);
                }
                Reading::Map { value, .. } => {
                    out.push(id);
                    todo.push(*value);
                }
                Reading::List(list) => {
                    out.push(id);
                    todo.extend(self.in_cases(list.entry).into_iter().rev());
                }
                Reading::Choose { .. } | Reading::Either { .. } => {
                    out.push(id);
                    todo.extend(self.in_cases(id).into_iter().rev());
                }
                _ => out.push(id),
            }
        }
        out
    }

    /// The fields of the tables that a value of several shapes or cases can be.
    fn in_cases(&self, id: TypeId) -> Vec<TypeId> {
        match &self.field_type(id).reading {
            Reading::Choose { .. } | Reading::Either { .. } => {
                self.tables_of(id).flat_map(|table| table.fields.iter().map(|(_, ty)| *ty)).collect()
            }
            _ => Vec::new(),
        }
    }

    /// The fields that are there only where a word beside them says so: each with that, in words.
    pub fn conditions(&self, root: TypeId, names: &Names) -> FxHashMap<TypeId, String> {
        let mut out = FxHashMap::default();
        let below = self.fields_below(root).into_iter().map(|(_, ty)| ty);
        for id in std::iter::once(root).chain(below) {
            let field = self.field_type(id);
            let Reading::Choose { by, cases, .. } = &field.reading else { continue };
            // what cases share has a type in each of them
            let mut alike: FxHashMap<(Sym, String), InCases<'_>> = FxHashMap::default();
            for (word, case) in cases {
                let Reading::Table(table) = &self.field_type(*case).reading else { continue };
                for (name, ty) in &table.fields {
                    let (words, types) = alike.entry((*name, self.describe(*ty))).or_default();
                    words.insert(word);
                    types.push(*ty);
                }
            }
            for (words, types) in alike.into_values().filter(|(words, _)| words.len() < cases.len()) {
                let words: Vec<String> = words.into_iter().map(|word| format!("`{word}`")).collect();
                let said = format!("where `{}` is {}", names.text(*by), words.join(" or "));
                out.extend(types.into_iter().map(|ty| (ty, said.clone())));
            }
        }
        out
    }
}
