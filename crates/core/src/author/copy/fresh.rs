//! `new`: definitions that start from nothing but what must be there.

use rayon::prelude::*;

use super::{MadeFrom, MadeReport, NewOptions, as_said, assign, label, made, on_ground, remove, unique_fields, unname};
use crate::author::assign::{Assignment, as_typed};
use crate::author::place::{New, put};
use crate::author::read_back::said_fits;
use crate::author::set::{SetError, sort::found_then};
use crate::author::texts::{Languages, NewText, add_texts};
use crate::author::usable::usable_id;
use crate::catalog::{Catalog, LayerId, parent_meant};
use crate::document::{Draft, FieldPath, Step};
use crate::effective::{Effective, World};
use crate::rulebook::{Counted, Group, KindId, NameFrom, Reading, TestPart, TypeId};
use crate::source::ChangeSet;

/// Plans a new definition, takes it into the world, and reads it back there. Nothing is written.
///
/// # Errors
/// As [`copy`]; or fields that must be there are neither assigned nor in the definition it is to be like.
pub fn new_definition(world: &mut World, options: &NewOptions) -> Result<MadeReport, SetError> {
    let report = plan_new(world, options)?;
    made(world, options.layer, report, if options.like.is_some() { MadeFrom::Like } else { MadeFrom::Nothing })
}

/// As [`new_definition`], of several definitions of one kind in one mod: together as far as each can be planned without the
/// others, then those that name these.
///
/// # Errors
/// As of [`new_definition`], for the first that cannot be made.
pub fn new_definitions(world: &mut World, all: &[NewOptions]) -> Result<ChangeSet, SetError> {
    let mut changes = ChangeSet::default();
    let mut rest: Vec<&NewOptions> = all.iter().collect();
    for _ in 0..ROUNDS {
        let plan = |options: &&NewOptions| {
            let plan = drafted(world, options).ok();
            plan.filter(|plan| plan.left.is_empty() && options.like.is_none())
        };
        let planned: Vec<Option<Plan>> = rest.par_iter().map(plan).collect();
        let (mut together, mut others) = (Vec::new(), Vec::new());
        for (options, plan) in rest.iter().copied().zip(planned) {
            match plan {
                Some(plan) => together.push((options, plan)),
                None => others.push(options),
            }
        }
        if together.is_empty() || rest.len() < 2 {
            break;
        }
        changes = changes.then(made_together(world, &together)?);
        rest = others;
    }
    for options in rest {
        let shown = format!("{}/{}", world.catalog.rulebook.kind(options.kind).name(), options.id);
        let named = |error: SetError| SetError::Problem(format!("`{shown}`: {error}"));
        changes = changes.then(new_definition(world, options).map_err(named)?.changes);
    }
    Ok(changes)
}

/// So often it is looked again which of several new definitions name only what is there.
const ROUNDS: usize = 64;

/// Takes new definitions of one kind into the world, and reads them back there.
fn made_together(world: &mut World, all: &[(&NewOptions, Plan)]) -> Result<ChangeSet, SetError> {
    let Some((first, _)) = all.first() else { return Ok(ChangeSet::default()) };
    let (layer, kind) = (first.layer, first.kind);
    let new = |(options, plan): &(&NewOptions, Plan)| New {
        id: options.id.clone(),
        draft: plan.draft.clone(),
        original: None,
    };
    let mut files = put(&world.catalog, layer, kind, &all.iter().map(new).collect::<Vec<_>>())?;
    let texts: Vec<NewText> = all.iter().flat_map(|(_, plan)| plan.texts.clone()).collect();
    files.extend(add_texts(&world.catalog, layer, &texts, Languages::Known)?);
    let report = MadeReport {
        changes: files.into(),
        made: all.iter().map(|(options, _)| (kind, options.id.clone(), None)).collect(),
        texts: texts.into_iter().map(|(key, ..)| key).collect(),
        ..MadeReport::default()
    };
    let changes = made(world, layer, report, MadeFrom::Nothing)?.changes;
    let view = world.with_ground(layer);
    let said = |(options, plan): &(&NewOptions, Plan)| -> Result<(), SetError> {
        let address = world.catalog.address(kind, &options.id);
        as_said(&world.catalog, address.and_then(|address| view.effective(address)).as_ref(), &plan.shows)?;
        let said: Vec<&FieldPath> = plan.shows.iter().map(|(path, ..)| path).collect();
        address.map_or(Ok(()), |address| said_fits(world, layer, address, &said, None))
    };
    // of several errors the first
    let all: Vec<Result<(), SetError>> = all.par_iter().map(said).collect();
    all.into_iter().collect::<Result<(), SetError>>()?;
    Ok(changes)
}

/// A new definition before it has a place.
struct Plan {
    draft: Draft,
    texts: Vec<NewText>,
    /// Assignments that start from what is there.
    left: Vec<Assignment>,
    /// What it is to show.
    shows: Vec<(FieldPath, Draft, TypeId)>,
}

fn plan_new(world: &World, options: &NewOptions) -> Result<MadeReport, SetError> {
    let Plan { draft, texts, left, shows } = drafted(world, options)?;
    let catalog = &world.catalog;
    let mut files =
        put(catalog, options.layer, options.kind, &[New { id: options.id.clone(), draft, original: None }])?;
    files.extend(add_texts(catalog, options.layer, &texts, Languages::Known)?);
    Ok(MadeReport {
        changes: files.into(),
        made: vec![(options.kind, options.id.clone(), options.like)],
        texts: texts.into_iter().map(|(key, ..)| key).collect(),
        left,
        shows,
        ..MadeReport::default()
    })
}

fn drafted(world: &World, options: &NewOptions) -> Result<Plan, SetError> {
    let catalog = &world.catalog;
    usable_id(world, options.layer, (options.kind, &options.id), true)?;
    let mut draft = Draft::Table(Vec::new());
    if let Some(like) = options.like {
        on_ground(world, options.layer, like)?;
        let effective = world.with_ground(options.layer).effective(like);
        let effective = effective.filter(|effective| effective.kind == options.kind);
        let effective = effective.ok_or_else(|| {
            let kind = catalog.rulebook.kind(options.kind).name();
            SetError::Problem(format!("`{}` is no {kind} to be like", catalog.show_address(like)))
        })?;
        draft = needed_of(catalog, &effective, &options.assignments);
        for path in unique_fields(catalog, options.kind) {
            remove(&mut draft, &path);
        }
        unname(catalog, options.kind, &mut draft);
    }
    if let Some(name) = &options.name {
        label(catalog, options.kind, &draft.clone(), name, &mut draft);
    }
    let (left, shows) = assign(world, options.layer, (options.kind, &options.id), &options.assignments, &mut draft)?;
    let mut lacking = lacking_fields(catalog, options.kind, &draft);
    lacking.retain(|ty| {
        let pattern = &catalog.rulebook.field_type(*ty).pattern;
        !left.iter().any(|assignment| assignment.path.leading_keys().to_string() == *pattern)
    });
    let left_out = may_be_lacking(world, options.layer, options.kind, &draft);
    lacking.retain(|ty| !left_out(&catalog.rulebook.field_type(*ty).pattern));
    if let Some(first) = lacking.first() {
        let all: Vec<String> =
            lacking.iter().map(|ty| format!("`{}`", catalog.rulebook.field_type(*ty).pattern)).collect();
        let kind = catalog.rulebook.kind(options.kind).name();
        let pattern = &catalog.rulebook.field_type(*first).pattern;
        let takes = catalog.rulebook.describe(*first);
        let how = as_typed(catalog, *first);
        let message = format!(
            "{} {kind} needs {} as well: `{pattern}` takes {takes}\n  help: as in {how}; or `--like` one that is there",
            crate::rulebook::article(kind),
            all.join(", ")
        );
        return Err(SetError::Problem(message));
    }
    let mut texts = Vec::new();
    if let Some(name) = &options.name {
        texts.extend(named_text(catalog, options.kind, &options.id, name));
    }
    Ok(Plan { draft, texts, left, shows })
}

/// The fields that must be there and are not in a draft: those of the definition's own table.
pub fn lacking_fields(catalog: &Catalog, kind: KindId, draft: &Draft) -> Vec<TypeId> {
    let rulebook = &catalog.rulebook;
    let mut out = Vec::new();
    let mut todo = vec![(rulebook.kind(kind).root, FieldPath::default())];
    while let Some((ty, path)) = todo.pop() {
        let Reading::Table(table) = &rulebook.field_type(ty).reading else { continue };
        for (at, (name, field)) in table.fields.iter().enumerate().rev() {
            let path = path.with(Step::Key(catalog.names.text(*name).to_owned()));
            let named =
                |from: &NameFrom| matches!(from, NameFrom::Field(field) | NameFrom::Fields(field) if *field == path);
            let needed = table.needs(at);
            // the word that tells the kind is written with the definition
            let tells = || path.steps().len() == 1 && rulebook.tells_itself(kind, catalog.names.text(*name));
            if !needed || rulebook.kind(kind).name_from.iter().any(named) || tells() {
                continue;
            }
            match &rulebook.field_type(*field).reading {
                Reading::Table(_) => todo.push((*field, path)),
                _ if draft.at(&path).is_none() => out.push(*field),
                _ => {}
            }
        }
    }
    out.sort();
    out
}

/// What a new definition may leave out though it must be there: what its parents have, and in one that is only
/// inherited from everything. Where a parent is named by a word that means something only in its file, `check` tells.
fn may_be_lacking(world: &World, layer: LayerId, kind: KindId, draft: &Draft) -> impl Fn(&str) -> bool + use<> {
    let catalog = &world.catalog;
    let described = catalog.rulebook.kind(kind);
    let word = |path: &FieldPath| match draft.at(path)? {
        Draft::List(entries) => Some(entries.iter().filter_map(Draft::word).collect()),
        single => Some(single.word().into_iter().collect()),
    };
    let outline = described.is_abstract.as_ref().is_some_and(|test| test.holds(|part| word(&part.path)));
    let field = described.parent.map(|key| FieldPath::key(catalog.names.text(key)));
    let parents = field.and_then(|field| word(&field)).unwrap_or_default();
    let view = world.with_ground(layer);
    let shown: Vec<Option<Effective>> = parents
        .iter()
        .map(|word| {
            let id = catalog.names.get(&parent_meant(&catalog.rulebook, described, word, ""))?;
            view.effective(view.parent(kind, id))
        })
        .collect();
    let given: Vec<Draft> = shown.iter().flatten().map(|shown| shown.value.draft(catalog)).collect();
    let unknown = shown.iter().any(Option::is_none);
    move |pattern| {
        let path = FieldPath::parse(pattern);
        outline || unknown || path.is_ok_and(|path| given.iter().any(|given| given.at(&path).is_some()))
    }
}

/// Only what must be there: for any of its kind, for one of its sort as assignments may have it, and of several of which one
/// must be.
fn needed_of(catalog: &Catalog, effective: &Effective, assignments: &[Assignment]) -> Draft {
    let rulebook = &catalog.rulebook;
    let mut out = Draft::Table(Vec::new());
    let always = lacking_fields(catalog, effective.kind, &Draft::Table(Vec::new())).into_iter();
    let mut paths: Vec<FieldPath> =
        always.filter_map(|ty| FieldPath::parse(&rulebook.field_type(ty).pattern).ok()).collect();
    let kind = rulebook.kind(effective.kind);
    for (name, ty) in rulebook.tables_of(kind.root).flat_map(|table| &table.fields) {
        let field = rulebook.field_type(*ty);
        let needed = !field.optional() && field.default().is_none();
        let here = (&effective.value, kind.root);
        let then = |part: &TestPart| found_then(catalog, effective, (part, here, &FieldPath::default()), assignments);
        if field.only().is_some_and(|test| needed && test.holds(then)) {
            paths.push(FieldPath::key(catalog.names.text(*name)));
        }
    }
    let one_of =
        |group: &&Group| group.of.0.is_empty() && matches!(group.counted, Counted::ExactlyOne | Counted::AtLeastOne);
    let is_said = |path: &FieldPath| assignments.iter().any(|one| one.path.is_on_one_way(path));
    let open = |group: &&Group| one_of(group) && !group.fields.iter().any(is_said);
    paths.extend(kind.groups.iter().filter(open).flat_map(|group| group.fields.iter().cloned()));
    for path in paths {
        if let Some(value) = effective.value.at(catalog, &path).or_else(|| effective.get(catalog, &path)) {
            out.put_at(path.steps(), value.draft(catalog));
        }
    }
    out
}

fn named_text(catalog: &Catalog, kind: KindId, id: &str, name: &str) -> Option<NewText> {
    let main = catalog.rulebook.texts.as_ref()?.main.clone();
    Some((catalog.rulebook.kind(kind).text_key("name", id)?, main, name.to_owned()))
}
