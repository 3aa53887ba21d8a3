//! A word that decides which other fields there are: with it come and go fields, in the same step.

use super::{SetError, SetOptions};
use crate::author::assign::{Assignment, AssignmentError, Assigns};
use crate::catalog::{Address, Catalog};
use crate::document::{Draft, FieldPath, Step};
use crate::effective::{Effective, Value, World};
use crate::names::Sym;
use crate::rulebook::{KindId, ListShape, Reading, TestPart, TypeId};
use crate::settle::step_to;

/// What another word brings about.
#[derive(Clone, Debug, Default)]
pub(super) struct Sorted {
    /// The assignments in an order in which they can be done, with what goes before them.
    pub(super) assignments: Vec<Assignment>,
    /// Fields that there are from now on, with what counts in them where nothing is stated.
    pub(super) comes: Vec<(FieldPath, Option<Draft>)>,
}

/// The table whose fields an assignment decides, and their types by its word; nothing where it decides none.
fn decides<'c>(catalog: &'c Catalog, kind: KindId, path: &FieldPath) -> Option<(FieldPath, &'c Reading)> {
    let (above, Step::Key(key)) = path.split_last()? else { return None };
    let root = catalog.rulebook.kind(kind).root;
    let ty = match above.is_empty() {
        true => root,
        false => catalog.rulebook.type_at(root, &above, &catalog.names).ok()?,
    };
    let reading = &catalog.rulebook.field_type(ty).reading;
    match reading {
        Reading::Choose { by, .. } if catalog.names.text(*by) == key.as_str() => Some((above, reading)),
        _ => None,
    }
}

/// Whether assignments decide which other fields there are.
pub(super) fn changes_sort(catalog: &Catalog, kind: KindId, assignments: &[Assignment]) -> bool {
    let tested = &catalog.rulebook.kind(kind).tested;
    assignments.iter().any(|one| {
        let is_tested = || one.path.keys().any(|key| tested.iter().any(|known| known == key));
        is_tested() || decides(catalog, kind, &one.path).is_some()
    })
}

/// Assignments with what goes and comes by those that decide which fields there are.
///
/// # Errors
/// A field would have to be there that nobody states: all of these, as they would be typed.
pub(super) fn sorted(world: &World, options: &SetOptions, address: Address) -> Result<Sorted, SetError> {
    let catalog = &world.catalog;
    let (rulebook, names) = (&catalog.rulebook, &catalog.names);
    let mut out = Sorted { assignments: Vec::new(), comes: Vec::new() };
    let view = world.with_ground(options.layer);
    let effective = view.effective(address);
    let (words, rest): (Vec<&Assignment>, Vec<&Assignment>) = options
        .assignments
        .iter()
        .partition(|one| one.assigns == Assigns::Set && decides(catalog, options.kind, &one.path).is_some());
    let mut lacking: Vec<(FieldPath, TypeId)> = Vec::new();
    for assignment in &words {
        let Some((above, Reading::Choose { by, cases, other, .. })) = decides(catalog, options.kind, &assignment.path)
        else {
            continue;
        };
        let fields = |word: &str| -> Vec<(Sym, TypeId)> {
            let case = cases.get(word).unwrap_or(other);
            let tables = rulebook.tables_of(*case);
            tables.flat_map(|table| table.fields.iter().copied()).filter(|(name, _)| name != by).collect()
        };
        let value = effective.as_ref().and_then(|effective| match above.is_empty() {
            true => Some(effective.value.clone()),
            false => effective.get(catalog, &above),
        });
        let now: Vec<(Sym, Draft)> = value
            .iter()
            .flat_map(|value| value.entries(catalog))
            .map(|(key, value)| (key, value.draft(catalog)))
            .collect();
        let word = now.iter().find(|(key, _)| key == by).and_then(|(_, word)| word.word());
        if word.as_deref() == Some(assignment.value.trim()) {
            continue;
        }
        let (old, new) = (word.map(|word| fields(&word)).unwrap_or_default(), fields(assignment.value.trim()));
        let has = |all: &[(Sym, TypeId)], name: Sym| all.iter().any(|(known, _)| *known == name);
        let path = |name: Sym| above.with(Step::Key(names.text(name).to_owned()));
        for (name, _) in now.iter().filter(|(name, _)| has(&old, *name) && !has(&new, *name)) {
            let path = path(*name);
            // as it may have been said by hand
            if !rest.iter().any(|one| one.path == path && one.assigns == Assigns::Unset) {
                out.assignments.push(Assignment { path, assigns: Assigns::Unset, value: String::new() });
            }
        }
        for (name, ty) in &new {
            let path = path(*name);
            let stated = now.iter().any(|(known, _)| known == name);
            let said = rest.iter().any(|one| one.path.is_on_one_way(&path));
            let field = rulebook.field_type(*ty);
            if !stated && !said && !field.optional && field.default.is_none() {
                lacking.push((path, *ty));
            } else if !has(&old, *name) && !said {
                out.comes.push((path, field.default.clone()));
            }
        }
    }
    let tested =
        effective.as_ref().map(|effective| by_tests(catalog, effective, &options.assignments, &mut out, &mut lacking));
    if !lacking.is_empty() {
        let is_abstract = catalog.stack(address).next().is_some_and(|(_, definition)| definition.is_abstract);
        if !is_abstract {
            let all: Vec<String> =
                lacking.iter().map(|(path, ty)| format!("`{path}` ({})", rulebook.describe(*ty))).collect();
            let does = |one: &&Assignment| changes_sort(catalog, options.kind, std::slice::from_ref(*one));
            let word = words.first().copied().or(options.assignments.iter().find(does));
            let word = word.map_or(String::new(), |one| format!("`{}{}{}`", one.path, one.assigns.sign(), one.value));
            let typed: Vec<String> = lacking.iter().map(|(path, _)| format!("{path}=…")).collect();
            let message = format!("{word} needs {} as well", all.join(", "));
            return Err(AssignmentError::new(message, Some(format!("in the same step: `{}`", typed.join(" ")))).into());
        }
    }
    // what goes is known as long as the word is the old one
    let (gone, others): (Vec<&Assignment>, Vec<&Assignment>) =
        rest.into_iter().partition(|one| !words.is_empty() && one.assigns == Assigns::Unset);
    out.assignments.extend(gone.into_iter().chain(words).chain(others).cloned());
    // fields that are there whatever the word is, go last, so that what holds them is never empty
    out.assignments.extend(tested.into_iter().flatten());
    Ok(out)
}

/// What comes and lacks by tests that say for which sort a field is; and the assignments that take out what goes.
fn by_tests(
    catalog: &Catalog,
    effective: &Effective,
    assignments: &[Assignment],
    out: &mut Sorted,
    lacking: &mut Vec<(FieldPath, TypeId)>,
) -> Vec<Assignment> {
    let mut goes = Vec::new();
    let (rulebook, names) = (&catalog.rulebook, &catalog.names);
    if !changes_sort(catalog, effective.kind, assignments) {
        return goes;
    }
    for table in effective.tables(catalog) {
        let Reading::Table(fields) = &rulebook.field_type(table.ty).reading else { continue };
        let here = (&table.value, table.ty);
        for (name, ty) in &fields.fields {
            let field = rulebook.field_type(*ty);
            let Some(test) = field.only() else { continue };
            let then = |part: &TestPart| found_then(catalog, effective, (part, here, &table.path), assignments);
            let path = as_typed(catalog, effective, &table.path.with(Step::Key(names.text(*name).to_owned())));
            let is_said = |one: &Assignment| {
                one.path.is_on_one_way(&path) || same_place(catalog, &effective.value, &one.path, &path)
            };
            let said = assignments.iter().any(is_said);
            let value = table.value.get(catalog, *name);
            match (effective.meets(catalog, test, here), test.holds(then)) {
                // what is inherited is not taken back here
                (true, false) if !said && value.as_ref().is_some_and(|value| value.origin().from.is_none()) => {
                    goes.push(Assignment { path, assigns: Assigns::Unset, value: String::new() });
                }
                (false, true) if !said && value.is_none() => match field.optional || field.default.is_some() {
                    true => out.comes.push((path, field.default.clone())),
                    false => lacking.push((path, *ty)),
                },
                _ => {}
            }
        }
    }
    goes
}

/// What a part of a test finds in a table of a definition after assignments.
pub(in crate::author) fn found_then(
    catalog: &Catalog,
    effective: &Effective,
    (part, table, path): (&TestPart, (&Value, TypeId), &FieldPath),
    assignments: &[Assignment],
) -> Option<Vec<String>> {
    let at = if part.of_whole { part.path.clone() } else { path.join(&part.path) };
    let mut found = effective.found(catalog, part, table);
    for one in assignments.iter().filter(|one| same_place(catalog, &effective.value, &one.path, &at)) {
        let word = one.value.trim().to_owned();
        match one.assigns {
            Assigns::Set => found = Some(vec![word]),
            Assigns::Add => found.get_or_insert_default().push(word),
            Assigns::Remove => found.get_or_insert_default().retain(|known| *known != word),
            Assigns::Unset => found = None,
            Assigns::Evaluate | Assigns::Multiply => {}
        }
    }
    found
}

/// Whether two paths lead to one field, though one names an entry by its identity and the other by its number.
fn same_place(catalog: &Catalog, value: &Value, a: &FieldPath, b: &FieldPath) -> bool {
    let (Some((above, last)), Some((other, same))) = (a.split_last(), b.split_last()) else { return a == b };
    let place = |path: &FieldPath| value.at(catalog, path).and_then(|value| value.origin().place);
    last == same && (above == other || place(&above).is_some() && place(&above) == place(&other))
}

/// A path as it is typed: entries that have an identity are named by it.
fn as_typed(catalog: &Catalog, effective: &Effective, path: &FieldPath) -> FieldPath {
    let (mut out, mut here) = (FieldPath::default(), FieldPath::default());
    for step in path.steps() {
        let list = effective.type_at(catalog, &here).map(|ty| &catalog.rulebook.field_type(ty).reading);
        here = here.with(step.clone());
        out = out.with(match (list, step, effective.value.at(catalog, &here)) {
            (Some(Reading::List(list)), Step::Index(_), Some(entry)) if list.shape == ListShape::Keyed => {
                step_to(catalog, list, &entry.draft(catalog))
            }
            _ => step.clone(),
        });
    }
    out
}
