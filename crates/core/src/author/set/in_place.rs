//! A definition of the mod itself is changed where it stands.

use super::{SetError, SetOptions};
use crate::author::assign::{Assignment, AssignmentError, Assigns};
use crate::author::emptied::with_emptied;
use crate::author::quantities::with_units;
use crate::author::read::{Read, keyed};
use crate::author::requirement::made_with;
use crate::catalog::{Catalog, Definition, OpKind};
use crate::document::{Document, Draft, Edit, FieldPath, Number, Shape, Step, find};
use crate::effective::{
    Content, Value, World, calculated, coming_and_going, joined_statement, made, notated, notated_entry,
};
use crate::names::Names;
use crate::rulebook::{KindId, ListShape, Native, Reading, TypeId};

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
    let changes: Vec<FieldPath> = changes_below(catalog, definition, &assignment.path).map(|(_, at)| at).collect();
    if let (Some(change), false) = (changes.first(), matches!(read.op, OpKind::Set | OpKind::Unset)) {
        let message = format!("`{change}` changes it in the same definition");
        let help = format!("`{}=…` says the value itself, and `{change}` goes", assignment.path);
        return Err(AssignmentError::new(message, Some(help)).into());
    }
    let stands = find(document.root(), &top.join(&assignment.path), &catalog.names);
    let marker = catalog.rulebook.kind(definition.kind).operations.as_ref().and_then(|known| known.marker.as_ref());
    let marked = stands.and_then(|node| marker?.of(node));
    let does = match (marked, read.op) {
        (Some(Native::Multiply), OpKind::Shift) => Some("multiplies what is inherited"),
        (Some(Native::Shift), OpKind::Multiply) => Some("adds to what is inherited"),
        _ => None,
    };
    if let Some(does) = does {
        let message = format!("`{}` {does} already, and the game has no notation for both", assignment.path);
        let help = format!("`{}=…` says the value itself", assignment.path);
        return Err(AssignmentError::new(message, Some(help)).into());
    }
    let stated_here = stands.is_some();
    let mut edits = match read.op {
        OpKind::Unset if !changes.is_empty() && !stated_here => Vec::new(),
        _ => stated_anew(world, options, (definition, document, &top), assignment, read)?,
    };
    if options.at_anchor {
        edits.iter_mut().for_each(|edit| *edit = edit.at_anchors(document, &catalog.names));
    }
    let changes = changes.iter().map(|change| top.join(change)).collect();
    edits.extend(removed(document, &top, changes, &catalog.names, |_| true));
    Ok(edits)
}

/// What the definition itself states at the path.
fn stated_anew(
    world: &World,
    options: &SetOptions,
    (definition, document, top): (&Definition, &Document, &FieldPath),
    assignment: &Assignment,
    read: &Read,
) -> Result<Vec<Edit>, SetError> {
    let catalog = &world.catalog;
    let at = top.join(&assignment.path);
    let here = find(document.root(), &at, &catalog.names);
    let one = |value: &Draft| match value {
        Draft::List(items) => items.clone(),
        other => vec![other.clone()],
    };
    if let Some(stated) = stated(world, options, definition, assignment, read)? {
        let shows_nothing = matches!(&read.result, Some(Draft::List(items)) if items.is_empty());
        let path = (top, &assignment.path);
        return Ok(restated(catalog, document, path, (definition.kind, read.ty), stated, shows_nothing));
    }
    if let Some(edit) = within_inherited(world, options, (definition, document, top), assignment, read)? {
        return Ok(vec![edit]);
    }
    let root = catalog.rulebook.kind(definition.kind).root;
    let packed = catalog.rulebook.written_above(root, &assignment.path, &catalog.names);
    let whole = packed.filter(|(depth, _)| *depth > 0).map(|(depth, _)| top.join(&assignment.path.take(depth)));
    let is_part = whole.is_some_and(|whole| find(document.root(), &whole, &catalog.names).is_some());
    let edits = match (read.op, here) {
        _ if packed.is_some() && (here.is_some() || is_part && read.op != OpKind::Unset) => {
            let (depth, ty) = packed.unwrap_or((0, root));
            vec![repacked(catalog, document, (top, depth, ty), assignment, read)?]
        }
        (OpKind::Unset, Some(_)) => {
            // a table that is inherited says nothing with nothing in it
            let inherited = |path: &FieldPath| world.with_ground(options.layer).without(definition, path).is_some();
            removed(document, top, vec![at], &catalog.names, inherited)
        }
        (OpKind::Unset, None) => {
            let message = format!("`{}` is not stated in {}", assignment.path, catalog.file(definition.file).path);
            return Err(AssignmentError::new(message, None).into());
        }
        (OpKind::Add, Some(list)) if list.shape() == Shape::List => {
            let all = with_units(catalog, read.ty, read.value.clone(), &assignment.value);
            one(&all).into_iter().map(|value| inserted(catalog, &at, value, read.ty)).collect()
        }
        (OpKind::Remove, Some(list)) if list.shape() == Shape::List => {
            let mut gone: Vec<usize> = Vec::new();
            for value in one(&read.value) {
                let matches = |item: &Draft| *item == value || keyed(world, read.ty, item, &value);
                let items: Vec<Draft> = list.children().map(|node| Draft::of(node, &catalog.names)).collect();
                // each of equal ones once
                let mut left = items.iter().enumerate().filter(|(nth, _)| !gone.contains(nth));
                let nth = left.find(|(_, item)| matches(item)).map(|(nth, _)| nth).ok_or_else(|| {
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
            let said = |value| with_units(catalog, read.ty, value, &assignment.value);
            let result = match (assignment.assigns, result) {
                (Assigns::Set, result) => said(result),
                // what comes stands at the end
                (Assigns::Add, Draft::List(mut items)) => {
                    let new = one(&said(read.value.clone()));
                    items.truncate(items.len().saturating_sub(new.len()));
                    Draft::List(items.into_iter().chain(new).collect())
                }
                (_, result) => result,
            };
            let typed = || quantity(world, options, (assignment, read));
            let result = match here.map_or_else(typed, |_| None) {
                Some(text) => Draft::Text(text),
                None => catalog.rulebook.written_over(result, read.ty, here, &catalog.names),
            };
            vec![made_with(document, top.join(&assignment.path), result, &catalog.names)]
        }
    };
    Ok(edits)
}

/// The edits that take entries out of a definition, with the tables that they leave empty, where these may go.
fn removed(
    document: &Document,
    top: &FieldPath,
    gone: Vec<FieldPath>,
    names: &Names,
    may_go: impl Fn(&FieldPath) -> bool,
) -> Vec<Edit> {
    let depth = top.steps().len();
    let may_go = |table: &FieldPath| table.steps().len() > depth && may_go(&table.skip(depth));
    with_emptied(document, gone, names, may_go).into_iter().map(|at| Edit::Remove { at }).collect()
}

/// A number with its unit where none stands yet: as what is inherited, or as it is typed.
fn quantity(world: &World, options: &SetOptions, (assignment, read): (&Assignment, &Read)) -> Option<String> {
    let catalog = &world.catalog;
    let written = catalog.rulebook.field_type(read.ty).written.as_ref().filter(|written| !written.units.is_empty())?;
    let Some(Draft::Number(number)) = &read.result else { return None };
    let inherited = || {
        let address = catalog.address(options.kind, &options.id)?;
        let value = world.with_ground(options.layer).effective(address)?.get(catalog, &assignment.path)?;
        let mut all = std::iter::successors(Some(&value), |value| value.earlier());
        all.find_map(|value| match value.content() {
            Content::Written(at) => Some(catalog.node(*at).raw().to_owned()),
            _ => None,
        })
    };
    let was = inherited();
    let typed = if assignment.assigns == Assigns::Set { assignment.value.as_str() } else { "" };
    written.quantity_typed(number, typed, was.as_deref().map(|was| was.trim_matches(['"', '\''])))
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
    // what is changed by a mark, or below one field, is changed further
    let below: Vec<_> = changes_below(catalog, definition, path).collect();
    let changed = match (find(document.root(), &top.join(path), names), below.as_slice()) {
        (Some(node), _) => {
            let marker = operations.marker.as_ref()?;
            Some((marker.of(node)?, node.get(marker.content)?.text()))
        }
        (None, [(native, at)]) => Some((*native, find(document.root(), &top.join(at), names)?.text())),
        (None, _) => None,
    };
    let several = below.len() > usize::from(changed.is_some() && !stands(path));
    let result = read.result.as_ref()?;
    if path.steps().iter().any(|step| !matches!(step, Step::Key(_))) {
        return None;
    }
    let was = world.with_ground(options.layer).without(definition, path)?;
    let shows = made(result.clone(), definition);
    let of = (definition.kind, read.ty);
    // joined lists say what comes to them, and by signs what goes
    let by_entries = || {
        let stated = joined_statement(catalog, of, &shows, Some(&was));
        stated.is_ok_and(|stated| matches!(stated.content(), Content::List(_)))
    };
    let change = match (&read.value, read.op) {
        // what is calculated here already would go on from there
        (Draft::Number(by), OpKind::Multiply | OpKind::Shift) if !several => {
            let before = match changed {
                Some((native @ (Native::Multiply | Native::Shift), content)) => {
                    Some((native == Native::Multiply, Number::parse(&content)?.decimal()?))
                }
                Some(_) => return None,
                None => None,
            };
            let steps: Vec<_> = before.into_iter().chain([(read.op == OpKind::Multiply, by.decimal()?)]).collect();
            calculated(catalog, of, &steps, &shows, &was)?
        }
        (Draft::List(_), OpKind::Add | OpKind::Remove) if changed.is_some() || !below.is_empty() || !by_entries() => {
            coming_and_going(catalog, of, &shows, &was)?
        }
        _ => return None,
    };
    let whole = path.steps().iter().rev().try_fold(change, |inner, step| match step {
        Step::Key(key) => Some(inner.below(names.intern(key))),
        _ => None,
    })?;
    let whole = notated(catalog, definition.kind, &whole);
    let (mut edits, mut gone) = (Vec::new(), Vec::new());
    for path in operations.under.iter().map(|(key, _)| FieldPath::key(names.text(*key)).join(path)) {
        let at = top.join(&path);
        match (whole.at(&path), stands(&path)) {
            (Some(value), true) => edits.push(Edit::Set { at, to: value.clone() }),
            (Some(value), false) => edits.push(made_with(document, at, value.clone(), names)),
            (None, true) => gone.push(at),
            (None, false) => {}
        }
    }
    edits.extend(removed(document, top, gone, names, |_| true));
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

/// A change within an entry that the definition does not state itself: nothing where it states it, or the path leads
/// into no list.
///
/// # Errors
/// There is no such entry.
fn within_inherited(
    world: &World,
    options: &SetOptions,
    (definition, document, top): (&Definition, &Document, &FieldPath),
    assignment: &Assignment,
    read: &Read,
) -> Result<Option<Edit>, SetError> {
    let catalog = &world.catalog;
    let steps = assignment.path.steps();
    let Some(nth) = steps.iter().position(|step| !matches!(step, Step::Key(_))) else { return Ok(None) };
    let (path, below) = (assignment.path.take(nth), assignment.path.skip(nth));
    let shown =
        catalog.address_of(definition).and_then(|at| world.with_ground(options.layer).effective_at(at, [&path]));
    let Some(list) = shown.and_then(|shown| shown.value.at(catalog, &path)) else { return Ok(None) };
    if list.shape(catalog) == Shape::List && list.at(catalog, &below.take(1)).is_none() {
        let message = format!("`{path}` of `{}` has no entry `{}`", options.id, below.take(1));
        let help = Some(format!("an entry more comes with `{path}+=…`"));
        return Err(AssignmentError::new(message, help).into());
    }
    let stated = find(document.root(), &top.join(&assignment.path.take(nth + 1)), &catalog.names).is_some();
    let result = read.result.as_ref().filter(|_| !stated);
    Ok(result.and_then(|result| {
        inherited_changed(catalog, (definition.kind, document, top), (&path, &below), list.draft(catalog), result)
    }))
}

/// The statement that changes an entry which is only inherited: of a keyed list that is joined, the entry comes with
/// what tells it apart and what changes; of another one that is not stated, the list comes as a whole.
fn inherited_changed(
    catalog: &Catalog,
    (kind, document, top): (KindId, &Document, &FieldPath),
    (path, below): (&FieldPath, &FieldPath),
    shown: Draft,
    result: &Draft,
) -> Option<Edit> {
    let (rulebook, names) = (&catalog.rulebook, &catalog.names);
    let root = rulebook.kind(kind).root;
    let ty = rulebook.type_at(root, path, names).ok()?;
    let Reading::List(list) = &rulebook.field_type(ty).reading else { return None };
    let at = top.join(path);
    let stated = find(document.root(), &at, names);
    if list.join && list.shape == ListShape::Keyed {
        let whole = shown.at(&below.take(1))?;
        let keys = list.by.iter().map(|key| names.text(*key));
        let keys = keys.filter_map(|key| Some((key.to_owned(), whole.get(key)?.clone())));
        let mut entry = Draft::Table(keys.collect());
        match below.skip(1).steps() {
            [] => entry = result.clone(),
            within if within.iter().all(|step| matches!(step, Step::Key(_))) => {
                entry.lay_in(within, result.clone(), false);
            }
            // what lies in further lists comes as a whole
            _ => {
                let field = below.skip(1).take(1);
                let mut inner = whole.at(&field)?.clone();
                *inner.at_mut(&below.skip(2))? = result.clone();
                entry.lay_in(field.steps(), inner, false);
            }
        }
        // what follows other values in one text has them before it
        if matches!(rulebook.written(entry.clone(), list.entry, names), Draft::Table(_))
            && !rulebook.field_type(list.entry).places().is_empty()
        {
            entry = whole.clone();
            match entry.at_mut(&below.skip(1)) {
                Some(place) => *place = result.clone(),
                None => entry.lay_in(below.skip(1).steps(), result.clone(), false),
            }
        }
        return Some(match stated {
            Some(here) if here.shape() == Shape::List && rulebook.written_above(root, path, names).is_none() => {
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
    if stated.is_some() || list.join {
        return None;
    }
    let mut whole = shown;
    *whole.at_mut(below)? = result.clone();
    Some(made_with(document, at, rulebook.written(whole, ty, names), names))
}

/// One entry more for a list of a type, as the game writes it.
fn inserted(catalog: &Catalog, list: &FieldPath, value: Draft, ty: TypeId) -> Edit {
    let value = match &catalog.rulebook.field_type(ty).reading {
        Reading::List(list) => catalog.rulebook.written(value, list.entry, &catalog.names),
        _ => value,
    };
    Edit::Insert { into: list.clone(), before: None, key: None, value }
}

/// The changes of a value that the definition itself states below fields of their own, in the game's notation, with the
/// ways to them.
fn changes_below<'a>(
    catalog: &'a Catalog,
    definition: &Definition,
    path: &'a FieldPath,
) -> impl Iterator<Item = (Native, FieldPath)> + use<'a> {
    let node = catalog.node(definition.at());
    let operations = catalog.rulebook.kind(definition.kind).operations.iter();
    operations.flat_map(|operations| &operations.under).filter_map(move |(key, native)| {
        let at = FieldPath::key(catalog.names.text(*key)).join(path);
        find(node, &at, &catalog.names).map(|_| (*native, at))
    })
}

/// A change inside of what is written as one value: all of it is written anew.
fn repacked(
    catalog: &Catalog,
    document: &Document,
    (top, depth, ty): (&FieldPath, usize, TypeId),
    assignment: &Assignment,
    read: &Read,
) -> Result<Edit, SetError> {
    let (above, below) = (assignment.path.take(depth), assignment.path.skip(depth));
    let Some(stands) = find(document.root(), &top.join(&above), &catalog.names) else {
        return Err(SetError::Problem(format!("`{above}` is not stated here")));
    };
    // entries that are told apart by what is packed into them are named by their numbers
    let at = document.path_to(stands.id(), &catalog.names);
    let mut whole = Draft::of(stands, &catalog.names);
    let placed = !catalog.rulebook.field_type(ty).places().is_empty();
    let as_one = || {
        let message = format!("`{}` is part of what is written as one value", assignment.path);
        let help = Some(format!("set `{above}` as a whole"));
        SetError::from(AssignmentError::new(message, help))
    };
    match (&read.result, below.split_last()) {
        (None, None) => return Ok(Edit::Remove { at }),
        (None, Some((inner, Step::Key(key)))) if placed => match whole.at_mut(&inner) {
            Some(Draft::Table(entries)) => entries.retain(|(known, _)| known != key),
            _ => return Err(as_one()),
        },
        (None, Some(_)) => return Err(as_one()),
        (Some(value), _) => match whole.at_mut(&below) {
            Some(place) => *place = value.clone(),
            None if placed => whole.lay_in(below.steps(), value.clone(), false),
            None => return Err(SetError::Problem(format!("`{}` is not stated here", assignment.path))),
        },
    }
    let to = catalog.rulebook.written(whole, ty, &catalog.names);
    // values that follow each other leave none out
    if placed && matches!(to, Draft::Table(_)) {
        return Err(as_one());
    }
    Ok(Edit::Set { at, to })
}
