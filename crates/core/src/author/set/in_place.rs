//! A definition of the mod itself is changed where it stands.

use super::{SetError, SetOptions};
use crate::author::assign::{Assignment, AssignmentError};
use crate::author::read::{Read, keyed};
use crate::author::requirement::made_with;
use crate::catalog::{Catalog, Definition, OpKind};
use crate::document::{Document, Draft, Edit, FieldPath, Shape, Step, find};
use crate::effective::World;

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
    changed_elsewhere(catalog, definition, assignment)?;
    let at = top.join(&assignment.path);
    let here = find(document.root(), &at, &catalog.names);
    let one = |value: &Draft| match value {
        Draft::List(items) => items.clone(),
        other => vec![other.clone()],
    };
    let root = catalog.rulebook.kind(definition.kind).root;
    let packed = catalog.rulebook.written_above(root, &assignment.path, &catalog.names);
    let mut edits = match (read.op, here) {
        (_, Some(_)) if packed.is_some() => {
            let (depth, ty) = packed.unwrap_or((0, root));
            vec![repacked(catalog, document, (&top, depth, ty), assignment, read)?]
        }
        (OpKind::Unset, Some(_)) => vec![Edit::Remove { at }],
        (OpKind::Unset, None) => {
            let message = format!("`{}` is not stated in {}", assignment.path, catalog.file(definition.file).path);
            return Err(AssignmentError::new(message, None).into());
        }
        (OpKind::Add, Some(list)) if list.shape() == Shape::List => {
            let insert = |value: Draft| Edit::Insert { into: at.clone(), before: None, key: None, value };
            one(&read.value).into_iter().map(insert).collect()
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
            let result = catalog.rulebook.written(result, read.ty, &catalog.names);
            vec![made_with(document, top.join(&assignment.path), result, &catalog.names)]
        }
    };
    if options.at_anchor {
        edits.iter_mut().for_each(|edit| *edit = edit.at_anchors(document, &catalog.names));
    }
    Ok(edits)
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
    (top, depth, ty): (&FieldPath, usize, crate::rulebook::TypeId),
    assignment: &Assignment,
    read: &Read,
) -> Result<Edit, SetError> {
    let steps = assignment.path.steps();
    let above: FieldPath = steps.iter().take(depth).cloned().collect::<Vec<_>>().into();
    let below = assignment.path.skip(depth);
    let at = top.join(&above);
    let whole = find(document.root(), &at, &catalog.names).map(|node| Draft::of(node, &catalog.names));
    let Some(mut whole) = whole else { return Err(SetError::Problem(format!("`{above}` is not stated here"))) };
    let Some(value) = &read.result else {
        if below.is_empty() {
            return Ok(Edit::Remove { at });
        }
        let message = format!("`{}` is part of what is written as one value", assignment.path);
        let help = Some(format!("set `{above}` as a whole"));
        return Err(AssignmentError::new(message, help).into());
    };
    match whole.at_mut(&below) {
        Some(place) => *place = value.clone(),
        None => return Err(SetError::Problem(format!("`{}` is not stated here", assignment.path))),
    }
    Ok(Edit::Set { at, to: catalog.rulebook.written(whole, ty, &catalog.names) })
}
