//! A definition of the mod itself is changed where it stands.

use super::{SetError, SetOptions};
use crate::author::assign::{Assignment, AssignmentError};
use crate::author::read::{Read, keyed};
use crate::author::requirement::made_with;
use crate::catalog::{Catalog, Definition, OpKind};
use crate::document::{Document, Draft, Edit, FieldPath, Shape, Step, find};
use crate::effective::{Value, World, calculated, coming_and_going, joined_statement, made, notated, notated_entry};
use crate::names::Names;
use crate::rulebook::{KindId, ListShape, Reading, TypeId};

/// A definition of the edited mod is changed where it stands.
pub(super) fn in_place(
    world: &World,
    options: &SetOptions,
    definition: &Definition,
    assignment: &Assignment,
    read: &Read,
) -> Result<Vec<Edit>, SetError> {
    let catalog = &world.catalog;
    let document =
        catalog.document(definition.file).ok_or_else(|| SetError::Problem("the file cannot be read".to_owned()))?;
    let top = document.path_to(definition.node, &catalog.names);
    if let Some(edits) = by_operations(world, options, (definition, document, &top), assignment, read) {
        return Ok(edits);
    }
    changed_elsewhere(catalog, definition, assignment)?;
    let at = top.join(&assignment.path);
    let here = find(document.root(), &at, &catalog.names);
    let one = |value: &Draft| match value {
        Draft::List(items) => items.clone(),
        other => vec![other.clone()],
    };
    if let Some(stated) = stated(world, options, definition, assignment, read)? {
        let shows_nothing = matches!(&read.result, Some(Draft::List(items)) if items.is_empty());
        let mut edits =
            restated(catalog, document, (&top, &assignment.path), (definition.kind, read.ty), stated, shows_nothing);
        if options.at_anchor {
            edits.iter_mut().for_each(|edit| *edit = edit.at_anchors(document, &catalog.names));
        }
        return Ok(edits);
    }
    if let Some(edit) = within_inherited(world, options, (definition, document, &top), assignment, read) {
        return Ok(vec![edit]);
    }
    no_entry(world, options, definition, assignment)?;
    let root = catalog.rulebook.kind(definition.kind).root;
    let packed = catalog.rulebook.written_above(root, &assignment.path, &catalog.names);
    let whole = packed.map(|(depth, _)| assignment.path.steps().iter().take(depth).cloned().collect::<Vec<_>>());
    let whole = whole.map(|steps| top.join(&steps.into())).filter(|at| *at != top);
    let is_part = whole.is_some_and(|whole| find(document.root(), &whole, &catalog.names).is_some());
    let mut edits = match (read.op, here) {
        _ if packed.is_some() && (here.is_some() || is_part && read.op != OpKind::Unset) => {
            let (depth, ty) = packed.unwrap_or((0, root));
            vec![repacked(catalog, document, (&top, depth, ty), assignment, read)?]
        }
        (OpKind::Unset, Some(_)) => vec![Edit::Remove { at }],
        (OpKind::Unset, None) => {
            let message = format!("`{}` is not stated in {}", assignment.path, catalog.file(definition.file).path);
            return Err(AssignmentError::new(message, None).into());
        }
        (OpKind::Add, Some(list)) if list.shape() == Shape::List => {
            one(&read.value).into_iter().map(|value| inserted(catalog, &at, value, read.ty)).collect()
        }
        (OpKind::Remove, Some(list)) if list.shape() == Shape::List => {
            let mut gone: Vec<usize> = Vec::new();
            for value in one(&read.value) {
                let matches = |item: &Draft| *item == value || keyed(world, read.ty, item, &value);
                let items: Vec<Draft> = list.children().map(|node| Draft::of(node, &catalog.names)).collect();
                let nth = items.iter().position(matches).ok_or_else(|| {
                    let entries: Vec<_> = items.iter().map(Draft::short).collect();
                    let help = Some(format!("its entries are {}", entries.join(", ")));
                    AssignmentError::new(format!("`{}` has no entry `{}`", assignment.path, value.short()), help)
                })?;
                gone.push(nth);
            }
            gone.sort_unstable_by(|a, b| b.cmp(a));
            gone.into_iter().map(|nth| Edit::Remove { at: at.with(Step::Index(nth)) }).collect()
        }
        _ => {
            let result = read.result.clone().unwrap_or(Draft::Null);
            let result = catalog.rulebook.written_over(result, read.ty, here, &catalog.names);
            vec![made_with(document, top.join(&assignment.path), result, &catalog.names)]
        }
    };
    if options.at_anchor {
        edits.iter_mut().for_each(|edit| *edit = edit.at_anchors(document, &catalog.names));
    }
    Ok(edits)
}

/// A relative change of what is inherited, and not stated here, in the game's own operations for it, where it has them
/// and they say the same.
fn by_operations(
    world: &World,
    options: &SetOptions,
    (definition, document, top): (&Definition, &Document, &FieldPath),
    assignment: &Assignment,
    read: &Read,
) -> Option<Vec<Edit>> {
    let catalog = &world.catalog;
    let (names, path) = (&catalog.names, &assignment.path);
    let operations = catalog.rulebook.kind(definition.kind).operations.as_ref()?;
    let stands = |path: &FieldPath| find(document.root(), &top.join(path), names).is_some();
    let result = read.result.as_ref().filter(|_| !stands(path))?;
    if path.steps().iter().any(|step| !matches!(step, Step::Key(_))) {
        return None;
    }
    let was = world.with_ground(options.layer).without(definition, path)?;
    let shows = made(result.clone(), definition);
    let of = (definition.kind, read.ty);
    let fresh = !operations.under.iter().any(|(key, _)| stands(&FieldPath::key(names.text(*key)).join(path)));
    let change = match (&read.value, read.op) {
        // what is calculated here already would go on from there
        (Draft::Number(by), OpKind::Multiply | OpKind::Shift) if fresh => {
            calculated(catalog, of, &[(read.op == OpKind::Multiply, by.decimal()?)], &shows, &was)?
        }
        (Draft::List(_), OpKind::Add | OpKind::Remove)
            if !fresh || joined_statement(catalog, of, &shows, Some(&was)).is_err() =>
        {
            coming_and_going(catalog, of, &shows, &was)?
        }
        _ => return None,
    };
    let whole = path.steps().iter().rev().try_fold(change, |inner, step| match step {
        Step::Key(key) => Some(inner.below(names.intern(key))),
        _ => None,
    })?;
    let whole = notated(catalog, definition.kind, &whole);
    let mut edits = Vec::new();
    for path in operations.under.iter().map(|(key, _)| FieldPath::key(names.text(*key)).join(path)) {
        let at = top.join(&path);
        match (whole.at(&path), stands(&path)) {
            (Some(value), true) => edits.push(Edit::Set { at, to: value.clone() }),
            (Some(value), false) => edits.push(made_with(document, at, value.clone(), names)),
            (None, true) => edits.push(Edit::Remove { at }),
            (None, false) => {}
        }
    }
    // by a mark, in its own place
    if let Some(value) = whole.at(path) {
        edits.push(made_with(document, top.join(path), value.clone(), names));
    }
    Some(edits)
}

/// The entries that a list has to state where it is joined with what shows without it; nothing where it states them all.
///
/// # Errors
/// The game has no notation for it.
fn stated(
    world: &World,
    options: &SetOptions,
    definition: &Definition,
    assignment: &Assignment,
    read: &Read,
) -> Result<Option<Vec<Draft>>, SetError> {
    let catalog = &world.catalog;
    let by_keys = assignment.path.steps().iter().all(|step| matches!(step, Step::Key(_)));
    let (true, true, Some(result)) = (by_keys, catalog.rulebook.is_joined(read.ty), &read.result) else {
        return Ok(None);
    };
    let written = catalog.rulebook.field_type(read.ty).written.as_deref();
    let is_marked = |item: &Draft| written.is_some_and(|written| written.signed(item).is_some());
    let now = Value::written(catalog, definition.at(), definition.layer).at(catalog, &assignment.path);
    let now = now.map(|now| now.items(catalog).iter().map(|item| item.draft(catalog)).collect::<Vec<_>>());
    let marks = now.as_ref().is_some_and(|now| now.iter().any(is_marked));
    let alone = written.is_some_and(|written| !written.plus.is_empty()) && now.is_some() && !marks;
    // what is typed in the game's own notation is written as it is
    let typed = read.op == OpKind::Set && matches!(result, Draft::List(items) if items.iter().any(is_marked));
    let was = world.with_ground(options.layer).without(definition, &assignment.path);
    let inherits = was.as_ref().is_some_and(|was| !was.items(catalog).is_empty());
    if alone || typed || !(inherits || marks) {
        return Ok(None);
    }
    let shows = made(result.clone(), definition);
    let stated = joined_statement(catalog, (definition.kind, read.ty), &shows, was.as_ref())
        .map_err(|reason| SetError::Problem(format!("the game has no notation for this change: {reason}")))?;
    let entry = |item: &Value| notated_entry(catalog, definition.kind, item);
    let mut new: Vec<Draft> = stated.items(catalog).iter().map(entry).collect();
    if is_sequence(catalog, read.ty) {
        return Ok(Some(new));
    }
    // what stays is where it was
    let mut kept = Vec::new();
    for item in now.into_iter().flatten() {
        if let Some(at) = new.iter().position(|other| *other == item) {
            new.remove(at);
            kept.push(item);
        }
    }
    kept.extend(new);
    Ok(Some(kept))
}

/// Whether the order of a list's entries counts.
fn is_sequence(catalog: &Catalog, ty: TypeId) -> bool {
    matches!(&catalog.rulebook.field_type(ty).reading, Reading::List(list) if list.shape == ListShape::Sequence)
}

/// The edits that leave a list with these entries, and as few others touched as may be.
fn restated(
    catalog: &Catalog,
    document: &Document,
    (top, path): (&FieldPath, &FieldPath),
    (kind, ty): (KindId, TypeId),
    stated: Vec<Draft>,
    shows_nothing: bool,
) -> Vec<Edit> {
    let names = &catalog.names;
    let at = top.join(path);
    let Some(here) = find(document.root(), &at, names) else {
        let value = catalog.rulebook.written(Draft::List(stated), ty, names);
        return vec![made_with(document, at, value, names)];
    };
    // nothing to say, unless that there is nothing
    if stated.is_empty() && !shows_nothing {
        return vec![Edit::Remove { at }];
    }
    let root = catalog.rulebook.kind(kind).root;
    if here.shape() != Shape::List || catalog.rulebook.written_above(root, path, names).is_some() {
        return vec![Edit::Set { at, to: catalog.rulebook.written(Draft::List(stated), ty, names) }];
    }
    let goes_on = here.children().zip(&stated).all(|(node, item)| Draft::of(node, names) == *item);
    if is_sequence(catalog, ty) && !(goes_on && here.children().len() <= stated.len()) {
        return vec![Edit::Set { at, to: catalog.rulebook.written(Draft::List(stated), ty, names) }];
    }
    let mut left = stated;
    let mut edits = Vec::new();
    for (nth, node) in here.children().enumerate() {
        match left.iter().position(|item| *item == Draft::of(node, names)) {
            Some(known) => drop(left.remove(known)),
            None => edits.push(Edit::Remove { at: at.with(Step::Index(nth)) }),
        }
    }
    edits.reverse();
    edits.extend(left.into_iter().map(|value| inserted(catalog, &at, value, ty)));
    edits
}

/// A change within an entry that the definition does not state itself: of a keyed list that is joined, the entry comes
/// with what tells it apart and what changes; of another one that is only inherited, the list comes as a whole.
fn within_inherited(
    world: &World,
    options: &SetOptions,
    (definition, document, top): (&Definition, &Document, &FieldPath),
    assignment: &Assignment,
    read: &Read,
) -> Option<Edit> {
    let catalog = &world.catalog;
    let (rulebook, names) = (&catalog.rulebook, &catalog.names);
    let steps = assignment.path.steps();
    let nth = steps.iter().position(|step| !matches!(step, Step::Key(_)))?;
    let part = |end: usize| FieldPath::from(steps.iter().take(end).cloned().collect::<Vec<_>>());
    let (path, result) = (part(nth), read.result.as_ref()?);
    let stated = |path: &FieldPath| find(document.root(), &top.join(path), names);
    if stated(&part(nth + 1)).is_some() {
        return None;
    }
    let root = rulebook.kind(definition.kind).root;
    let ty = rulebook.type_at(root, &path, names).ok()?;
    let Reading::List(list) = &rulebook.field_type(ty).reading else { return None };
    let shown = world.with_ground(options.layer).effective(catalog.address_of(definition)?)?;
    let shown = shown.value.at(catalog, &path)?.draft(catalog);
    let (at, below) = (top.join(&path), assignment.path.skip(nth));
    if list.join && list.shape == ListShape::Keyed {
        let whole = shown.at(&FieldPath::from(vec![steps.get(nth)?.clone()]))?;
        let keys = list.by.iter().map(|key| names.text(*key));
        let keys = keys.filter_map(|key| Some((key.to_owned(), whole.get(key)?.clone())));
        let mut entry = Draft::Table(keys.collect());
        match below.skip(1).steps() {
            [] => entry = result.clone(),
            within if within.iter().all(|step| matches!(step, Step::Key(_))) => {
                entry.lay_in(within, result.clone(), false);
            }
            // what lies in further lists comes as a whole
            within => {
                let field = FieldPath::from(within.iter().take(1).cloned().collect::<Vec<_>>());
                let mut inner = whole.at(&field)?.clone();
                *inner.at_mut(&below.skip(2))? = result.clone();
                entry.lay_in(field.steps(), inner, false);
            }
        }
        // what follows other values in one text has them before it
        if matches!(rulebook.written(entry.clone(), list.entry, names), Draft::Table(_))
            && is_placed(catalog, list.entry)
        {
            entry = whole.clone();
            put(&mut entry, &below.skip(1), result.clone());
        }
        return Some(match stated(&path) {
            Some(here) if here.shape() == Shape::List && rulebook.written_above(root, &path, names).is_none() => {
                inserted(catalog, &at, entry, ty)
            }
            Some(here) => {
                let Draft::List(mut all) = Draft::of(here, names) else { return None };
                all.push(entry);
                Edit::Set { at, to: rulebook.written(Draft::List(all), ty, names) }
            }
            None => made_with(document, at, rulebook.written(Draft::List(vec![entry]), ty, names), names),
        });
    }
    if stated(&path).is_some() || list.join {
        return None;
    }
    let mut whole = shown;
    *whole.at_mut(&below)? = result.clone();
    Some(made_with(document, at, rulebook.written(whole, ty, names), names))
}

/// A value in the place of another, or a field more.
fn put(whole: &mut Draft, at: &FieldPath, value: Draft) {
    match whole.at_mut(at) {
        Some(place) => *place = value,
        None => whole.lay_in(at.steps(), value, false),
    }
}

/// Refuses a change within an entry that is neither stated nor inherited.
fn no_entry(
    world: &World,
    options: &SetOptions,
    definition: &Definition,
    assignment: &Assignment,
) -> Result<(), SetError> {
    let catalog = &world.catalog;
    let steps = assignment.path.steps();
    let Some(nth) = steps.iter().position(|step| !matches!(step, Step::Key(_))) else { return Ok(()) };
    let part = |from: usize, to: usize| FieldPath::from(steps.get(from..to).unwrap_or_default().to_vec());
    let shown = catalog.address_of(definition).and_then(|at| world.with_ground(options.layer).effective(at));
    let Some(list) = shown.and_then(|shown| shown.value.at(catalog, &part(0, nth))) else { return Ok(()) };
    if list.shape(catalog) != Shape::List || list.at(catalog, &part(nth, nth + 1)).is_some() {
        return Ok(());
    }
    let list = part(0, nth);
    let message = format!("`{list}` of `{}` has no entry `{}`", options.id, part(nth, nth + 1));
    let help = Some(format!("an entry more comes with `{list}+=…`"));
    Err(AssignmentError::new(message, help).into())
}

/// Whether the values of a table follow each other where the game writes it.
fn is_placed(catalog: &Catalog, ty: TypeId) -> bool {
    catalog.rulebook.field_type(ty).written.as_ref().is_some_and(|written| !written.places.is_empty())
}

/// One entry more for a list of a type, as the game writes it.
fn inserted(catalog: &Catalog, list: &FieldPath, value: Draft, ty: TypeId) -> Edit {
    let value = match &catalog.rulebook.field_type(ty).reading {
        Reading::List(list) => catalog.rulebook.written(value, list.entry, &catalog.names),
        _ => value,
    };
    Edit::Insert { into: list.clone(), before: None, key: None, value }
}

/// A path on which entries that are told apart by what the game packs into them are named by their numbers.
fn numbered(document: &Document, path: &FieldPath, names: &Names) -> FieldPath {
    let mut out = FieldPath::default();
    for step in path.steps() {
        let list = || find(document.root(), &out, names).filter(|list| list.shape() == Shape::List);
        let nth = || {
            let entry = find(document.root(), &out.with(step.clone()), names)?;
            list()?.children().position(|other| other.id() == entry.id())
        };
        let step = match step {
            Step::Match(_) => nth().map_or_else(|| step.clone(), Step::Index),
            other => other.clone(),
        };
        out = out.with(step);
    }
    out
}

/// Refuses a value that the definition itself goes on to change, in the game's own notation.
fn changed_elsewhere(catalog: &Catalog, definition: &Definition, assignment: &Assignment) -> Result<(), SetError> {
    let Some(operations) = &catalog.rulebook.kind(definition.kind).operations else { return Ok(()) };
    let node = catalog.node(definition.at());
    for (key, _) in &operations.under {
        let under = FieldPath::key(catalog.names.text(*key));
        let path = under.join(&assignment.path);
        if find(node, &path, &catalog.names).is_some() {
            let message = format!("`{path}` changes it in the same definition");
            let help = Some(format!("set `{path}`, or take it out with `--unset {path}` first"));
            return Err(AssignmentError::new(message, help).into());
        }
    }
    Ok(())
}

/// A change inside of what is written as one value: all of it is written anew.
fn repacked(
    catalog: &Catalog,
    document: &Document,
    (top, depth, ty): (&FieldPath, usize, TypeId),
    assignment: &Assignment,
    read: &Read,
) -> Result<Edit, SetError> {
    let steps = assignment.path.steps();
    let above: FieldPath = steps.iter().take(depth).cloned().collect::<Vec<_>>().into();
    let below = assignment.path.skip(depth);
    let at = numbered(document, &top.join(&above), &catalog.names);
    let whole = find(document.root(), &at, &catalog.names).map(|node| Draft::of(node, &catalog.names));
    let Some(mut whole) = whole else { return Err(SetError::Problem(format!("`{above}` is not stated here"))) };
    let as_one = || {
        let message = format!("`{}` is part of what is written as one value", assignment.path);
        let help = Some(format!("set `{above}` as a whole"));
        SetError::from(AssignmentError::new(message, help))
    };
    match (&read.result, below.split_last()) {
        (None, None) => return Ok(Edit::Remove { at }),
        (None, Some((inner, Step::Key(key)))) if is_placed(catalog, ty) => match whole.at_mut(&inner) {
            Some(Draft::Table(entries)) => entries.retain(|(known, _)| known != key),
            _ => return Err(as_one()),
        },
        (None, Some(_)) => return Err(as_one()),
        (Some(value), _) => match whole.at_mut(&below) {
            Some(place) => *place = value.clone(),
            None if is_placed(catalog, ty) => put(&mut whole, &below, value.clone()),
            None => return Err(SetError::Problem(format!("`{}` is not stated here", assignment.path))),
        },
    }
    let to = catalog.rulebook.written(whole, ty, &catalog.names);
    // values that follow each other leave none out
    if is_placed(catalog, ty) && matches!(to, Draft::Table(_)) {
        return Err(as_one());
    }
    Ok(Edit::Set { at, to })
}
