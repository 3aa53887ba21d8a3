//! What becomes of an amendment that has a path under some operation already.

use super::plan::{edited, why};
use super::{SetError, SetOptions};
use crate::author::assign::{Assignment, Assigns};
use crate::author::read::{Read, keyed};
use crate::catalog::{Amendment, Op, OpKind};
use crate::document::{Document, Draft, Edit, FieldPath, Number, Step, edit, find};
use crate::effective::World;
use crate::source::FileId;

/// Whether an assignment says the whole of something of which an operation changes a part.
pub(super) fn replaces(assignment: &Assignment, op: &Op) -> bool {
    op.path.steps().len() > assignment.path.steps().len() && op.path.is_on_one_way(&assignment.path)
}

/// What becomes of an amendment that has a path under some operation already.
pub(super) enum Rewritten {
    /// Edits of its file.
    Edits(Vec<Edit>),
    /// The text of its file, where the amendment may go as a whole.
    Text(String),
    /// It stays, and what is to happen after it is said in one more.
    Beside,
}

pub(super) fn rewritten(
    world: &World,
    options: &SetOptions,
    file: FileId,
    amendment: &Amendment,
    assignment: &Assignment,
    read: &Read,
) -> Result<Rewritten, SetError> {
    let catalog = &world.catalog;
    let document =
        catalog.document(file).ok_or_else(|| SetError::Problem("the amendments cannot be read".to_owned()))?;
    let ops: Vec<&Op> = amendment.ops.iter().filter(|op| op.path == assignment.path).collect();
    let at = document.path_to(amendment.node, &catalog.names);
    let whole = matches!(read.op, OpKind::Set | OpKind::Unset);
    let within = whole && amendment.ops.iter().any(|op| replaces(assignment, op));
    let mut edits = match (ops.as_slice(), &read.result, read.op) {
        _ if within => return rewrite(world, (document, &at), amendment, assignment, read.result.as_ref()),
        // over a value that it says, also a factor comes to a value
        ([only], Some(result), OpKind::Set | OpKind::Multiply | OpKind::Shift) if only.kind == OpKind::Set => {
            vec![Edit::Set { at: document.path_to(only.value, &catalog.names), to: result.clone() }]
        }
        (ops, Some(_), OpKind::Multiply | OpKind::Shift | OpKind::Add | OpKind::Remove) => {
            match composed(world, document, &at, ops, read) {
                Composed::Edits(edits) => edits,
                Composed::Nothing => {
                    return rewrite(world, (document, &at), amendment, assignment, None);
                }
                Composed::Beside => return Ok(Rewritten::Beside),
                Composed::Result => {
                    return rewrite(world, (document, &at), amendment, assignment, read.result.as_ref());
                }
            }
        }
        _ => return rewrite(world, (document, &at), amendment, assignment, read.result.as_ref()),
    };
    why(document, &at, options, catalog, &mut edits);
    Ok(Rewritten::Edits(edits))
}

/// A relative change upon what an amendment says of the same path.
enum Composed {
    Edits(Vec<Edit>),
    /// Together they change nothing.
    Nothing,
    /// They do not go together in one amendment.
    Beside,
    /// What stands there is a value, and so is the result.
    Result,
}

/// The edits by which an amendment says a further relative change, too; none where it cannot.
pub(super) fn composed_with(world: &World, file: FileId, amendment: &Amendment, read: &Read) -> Option<Vec<Edit>> {
    let document = world.catalog.document(file)?;
    let ops: Vec<&Op> = amendment.ops.iter().filter(|op| op.path == read.path).collect();
    let at = document.path_to(amendment.node, &world.catalog.names);
    match composed(world, document, &at, &ops, read) {
        Composed::Edits(edits) => Some(edits),
        Composed::Nothing | Composed::Beside | Composed::Result => None,
    }
}

fn composed(world: &World, document: &Document, at: &FieldPath, ops: &[&Op], read: &Read) -> Composed {
    let names = &world.catalog.names;
    let number = |draft: &Draft| match draft {
        Draft::Number(number) => number.decimal(),
        _ => None,
    };
    if let ([only], OpKind::Multiply | OpKind::Shift) = (ops, read.op) {
        let known = only.by(&world.catalog.rulebook, document.node(only.value));
        return match (only.kind, known.zip(number(&read.value))) {
            (OpKind::Set | OpKind::Replace, _) | (_, None) => Composed::Result,
            (kind, Some((old, new))) if kind == read.op => {
                let (result, nothing) = match kind {
                    OpKind::Multiply => (old.checked_mul(new), rust_decimal::Decimal::ONE),
                    _ => (old.checked_add(new), rust_decimal::Decimal::ZERO),
                };
                match result {
                    None => Composed::Beside,
                    Some(result) if result == nothing => Composed::Nothing,
                    Some(result) => {
                        let to = Draft::Number(Number::from_decimal(result.normalize()));
                        Composed::Edits(vec![Edit::Set { at: document.path_to(only.value, names), to }])
                    }
                }
            }
            _ => Composed::Beside,
        };
    }
    if ops.iter().any(|op| !matches!(op.kind, OpKind::Add | OpKind::Remove)) {
        return match ops.iter().any(|op| matches!(op.kind, OpKind::Set | OpKind::Replace)) {
            true => Composed::Result,
            false => Composed::Beside,
        };
    }
    let Draft::List(entries) = &read.value else { return Composed::Beside };
    let contrary = if read.op == OpKind::Add { OpKind::Remove } else { OpKind::Add };
    let find_op = |kind: OpKind| ops.iter().find(|op| op.kind == kind);
    let listed = |op: &&Op| match Draft::of(document.node(op.value), names) {
        Draft::List(items) => items,
        one => vec![one],
    };
    let mut opposite = find_op(contrary).map(&listed).unwrap_or_default();
    let count = opposite.len();
    let mut left = Vec::new();
    for entry in entries {
        match opposite.iter().position(|known| known == entry || keyed(world, read.ty, known, entry)) {
            // what was taken out comes back only as it was
            Some(at) if read.op == OpKind::Remove || opposite.get(at) == Some(entry) => {
                opposite.remove(at);
            }
            _ => left.push(entry.clone()),
        }
    }
    let mut edits = Vec::new();
    if let Some(op) = find_op(contrary).filter(|_| opposite.len() != count) {
        if opposite.is_empty() && left.is_empty() && find_op(read.op).is_none() {
            return Composed::Nothing;
        }
        let node = document.path_to(op.value, names);
        let table = at.with(Step::Key(contrary.word().to_owned()));
        let alone = find(document.root(), &table, names).is_some_and(|node| node.len() == 1);
        edits.push(match opposite.is_empty() {
            false => Edit::Set { at: node, to: Draft::List(opposite) },
            true => Edit::Remove { at: if alone { table } else { node } },
        });
    }
    if !left.is_empty() {
        let table = at.with(Step::Key(read.op.word().to_owned()));
        let all = |known: Vec<Draft>| Draft::List(known.into_iter().chain(left.iter().cloned()).collect());
        edits.push(match find_op(read.op) {
            Some(op) => Edit::Set { at: document.path_to(op.value, names), to: all(listed(op)) },
            None => match find(document.root(), &table, names) {
                Some(_) => Edit::Set { at: table.with(Step::Key(read.path.to_string())), to: all(Vec::new()) },
                None => Edit::Set { at: table, to: Draft::Table(vec![(read.path.to_string(), all(Vec::new()))]) },
            },
        });
    }
    Composed::Edits(edits)
}

/// An amendment that has the path under some operation already says the result instead.
fn rewrite(
    world: &World,
    (document, at): (&Document, &FieldPath),
    amendment: &Amendment,
    assignment: &Assignment,
    result: Option<&Draft>,
) -> Result<Rewritten, SetError> {
    let catalog = &world.catalog;
    let mut edits = Vec::new();
    let mut set_at = None;
    let set = at.with(Step::Key("set".to_owned()));
    // what goes, by the table it stands in
    let mut gone: Vec<(FieldPath, Vec<FieldPath>)> = Vec::new();
    // where a change is only taken back, changes of other parts stay
    let whole = result.is_some() || assignment.assigns == Assigns::Unset;
    let replaced = |op: &&Op| op.path == assignment.path || whole && replaces(assignment, op);
    for op in amendment.ops.iter().filter(replaced) {
        let node = document.path_to(op.value, &catalog.names);
        match (op.kind, result) {
            (OpKind::Set, Some(_)) if op.path == assignment.path => set_at = Some(node),
            _ => {
                let table = at.with(Step::Key(op.kind.word().to_owned()));
                match gone.iter_mut().find(|(known, _)| *known == table) {
                    Some((_, nodes)) => nodes.push(node),
                    None => gone.push((table, vec![node])),
                }
            }
        }
    }
    if let Some(result) = result {
        edits.push(match set_at {
            Some(at) => Edit::Set { at, to: result.clone() },
            None if find(document.root(), &set, &catalog.names).is_some() => {
                Edit::Set { at: set.with(Step::Key(assignment.path.to_string())), to: result.clone() }
            }
            None => {
                Edit::Set { at: set.clone(), to: Draft::Table(vec![(assignment.path.to_string(), result.clone())]) }
            }
        });
    }
    for (table, nodes) in gone {
        let all = find(document.root(), &table, &catalog.names).is_some_and(|node| node.len() == nodes.len());
        // a table of which nothing is left, and to which nothing comes, goes as one
        match all && !(result.is_some() && table == set) {
            true => edits.push(Edit::Remove { at: table }),
            false => edits.extend(nodes.into_iter().map(|at| Edit::Remove { at })),
        }
    }
    let mut text = edited(catalog, document, None, &edits)?;
    // an amendment that says nothing any more goes as a whole
    let after = Document::parse(document.file(), document.format(), text.as_str().into(), &catalog.names);
    let left = find(after.root(), at, &catalog.names);
    let says = |node: crate::document::Node<'_>| {
        node.children()
            .filter_map(|child| child.key())
            .any(|key| !matches!(catalog.names.text(key), "of" | "why" | "each" | "which"))
    };
    if left.is_some_and(|node| !says(node)) {
        text = edit(&after, &[Edit::Remove { at: at.clone() }], &catalog.names)?;
    }
    Ok(Rewritten::Text(text))
}
