//! `set`: changes values of one definition. A definition of the edited mod is changed in its file; one of a
//! lower layer gets an amendment.

use super::assign::{Assignment, AssignmentError};
use super::place::model;
use super::read::{Read, keyed, read};
use super::requirement::{outside, writable};
use crate::catalog::{Address, Amendment, Catalog, Definition, LayerId, OpKind, Target};
use crate::document::{Document, Draft, Edit, EditError, FieldPath, Shape, Step, edit, edit_like, find};
use crate::effective::{Obstacle, ProblemKind, World};
use crate::nearest::nearest;
use crate::rulebook::{KindId, ListShape, Reading};
use crate::source::{ChangeSet, FileChange, FileId, Stamp};

/// What to change.
#[derive(Clone, Debug)]
pub struct SetOptions {
    /// The mod that is written to.
    pub layer: LayerId,
    /// The definition's kind.
    pub kind: KindId,
    /// The definition's id.
    pub id: String,
    /// The assignments, in order.
    pub assignments: Vec<Assignment>,
    /// The reason, kept with an amendment.
    pub why: Option<String>,
    /// Whether what stands at an alias is changed at its anchor.
    pub at_anchor: bool,
}

/// One value that changed.
#[derive(Clone, Debug)]
pub struct Changed {
    /// The field.
    pub path: FieldPath,
    /// What showed before, on the mod's ground.
    pub before: Option<Draft>,
    /// What shows after.
    pub after: Option<Draft>,
}

/// What came of it.
#[derive(Clone, Debug)]
pub struct SetReport {
    /// The files to write.
    pub changes: ChangeSet,
    /// The values that changed.
    pub changed: Vec<Changed>,
    /// Whether an amendment was written, and not a definition.
    pub amended: bool,
}

/// Why nothing was changed.
#[derive(Debug, thiserror::Error)]
pub enum SetError {
    /// An assignment is no good.
    #[error(transparent)]
    Assignment(#[from] AssignmentError),
    /// There is no such definition.
    #[error("there is no {kind} `{id}`{}", .near.as_ref().map(|near| format!("\n  help: the nearest known one is `{kind}/{near}`")).unwrap_or_default())]
    NoDefinition {
        /// The kind.
        kind: String,
        /// The id.
        id: String,
        /// The nearest known id.
        near: Option<String>,
    },
    /// The base is never written to.
    #[error("the base game is never written to; choose a mod with `--mod`")]
    Base,
    /// The definition belongs to a mod that is not required.
    #[error(
        "`{address}` is from the mod `{other}`, which `{own}` does not require\n  help: `--require` adds the requirement to its manifest"
    )]
    Requirement {
        /// The definition.
        address: String,
        /// The mod it is from.
        other: String,
        /// The mod that is edited.
        own: String,
    },
    /// The manifest does not say where requirements stand.
    #[error("the rulebook does not say where a manifest names its requirements")]
    NoRequirements,
    /// An archive is never written to.
    #[error("`{0}` is an archive, which is only read; unpack it beside itself to change the mod")]
    Packed(String),
    /// What stands there stands at an anchor, for other places, too.
    #[error("{path}: {reason}\n  help: `--at-anchor` changes it there, for all that use it")]
    Anchor {
        /// The file.
        path: String,
        /// The anchor and its line.
        reason: EditError,
    },
    /// The change cannot be written.
    #[error(transparent)]
    Edit(#[from] EditError),
    /// The change would not do what it says.
    #[error("{0}")]
    Problem(String),
}

/// Plans the change and takes it into the world, so that the report can say what shows after it. Nothing is
/// written to disk.
///
/// # Errors
/// A value does not fit its field, the definition is not there, or the game has no notation for the change.
/// The world is then no longer of use, the disk untouched.
pub fn set(world: &mut World, options: &SetOptions) -> Result<SetReport, SetError> {
    writable(&world.catalog, options.layer)?;
    let kind_name = world.catalog.rulebook.kind(options.kind).name().to_owned();
    let address = world.catalog.address(options.kind, &options.id).filter(|a| world.catalog.stacks.contains_key(a));
    let Some(address) = address else {
        let space = world.catalog.rulebook.kind(options.kind).space;
        let near = nearest(&options.id, world.catalog.ids_of(space)).map(str::to_owned);
        return Err(SetError::NoDefinition { kind: kind_name, id: options.id.clone(), near });
    };
    if let Some(other) = outside(world, options.layer, address) {
        let own = world.catalog.layer(options.layer).id.clone();
        return Err(SetError::Requirement { address: world.catalog.show_address(address), other, own });
    }
    let mut changes = ChangeSet::default();
    // what is told is the field that changes, not the game's notation for the change
    let told = |path: &FieldPath| match (path.steps().first(), &world.catalog.rulebook.kind(options.kind).operations) {
        (Some(Step::Key(key)), Some(operations))
            if world.catalog.names.get(key).is_some_and(|key| operations.under(key).is_some()) =>
        {
            path.skip(1)
        }
        _ => path.clone(),
    };
    let paths: Vec<FieldPath> = options.assignments.iter().map(|assignment| told(&assignment.path)).collect();
    let values = |world: &World| -> Vec<Option<Draft>> {
        let view = world.with_ground(options.layer);
        let effective = view.effective(address);
        let value = |path: &FieldPath| Some(effective.as_ref()?.get(&world.catalog, path)?.draft(&world.catalog));
        paths.iter().map(value).collect()
    };
    let before = values(world);
    let mut amended = false;
    let mut originals: Vec<(FileId, String)> = Vec::new();
    let mut created: Option<(String, FileId)> = None;
    for assignment in &options.assignments {
        let plan = plan(world, options, address, assignment)?;
        amended |= plan.amends;
        match plan.file {
            Some(file) => {
                if !originals.iter().any(|(known, _)| *known == file)
                    && created.as_ref().is_none_or(|(_, f)| *f != file)
                {
                    originals.push((file, world.catalog.text(file).to_owned()));
                }
                world.replace(file, plan.text.into());
            }
            None => {
                let relative = format!("amendments/{kind_name}.toml");
                world.add(options.layer, &relative, plan.text.into());
                let path = format!("{}/{relative}", world.catalog.layer(options.layer).folder);
                let file = world.catalog.file_named(&path);
                created = file.map(|file| (path, file));
            }
        }
    }
    problems(world, options.layer, address)?;
    let after = values(world);
    for (file, text) in originals {
        changes.files.push(FileChange::Edit {
            path: world.catalog.file(file).path.clone(),
            seen: Stamp::of(text.as_bytes()),
            before: text,
            text: world.catalog.text(file).to_owned(),
        });
    }
    if let Some((path, file)) = created {
        changes.files.push(FileChange::Create { path, text: world.catalog.text(file).to_owned() });
    }
    let changed = paths.into_iter().zip(before).zip(after);
    let changed = changed.map(|((path, before), after)| Changed { path, before, after }).collect();
    Ok(SetReport { changes, changed, amended })
}

/// The new text of one file; without a file, of a new file of amendments.
struct Plan {
    file: Option<FileId>,
    text: String,
    amends: bool,
}

fn plan(world: &World, options: &SetOptions, address: Address, assignment: &Assignment) -> Result<Plan, SetError> {
    let catalog = &world.catalog;
    let read = read(world, options, address, assignment)?;
    let amendments: Vec<(FileId, &Amendment)> = catalog
        .amendments_of(options.layer)
        .filter(|(_, a)| a.kind == options.kind && matches!(&a.target, Target::Of { id } if *id == options.id))
        .filter_map(|(id, amendment)| Some((catalog.amendment(id)?.1.file, amendment)))
        .collect();
    let same = amendments.iter().rev().find(|(_, a)| a.ops.iter().any(|op| op.path == assignment.path));
    if let Some((file, amendment)) = same {
        return rewrite(world, *file, amendment, assignment, &read);
    }
    let own = catalog.stack(address).map(|(_, definition)| definition).find(|d| d.layer == options.layer);
    if let Some(definition) = own {
        return in_place(world, options, definition, assignment, &read);
    }
    // entries of a sequence are not taken out one by one: the whole list is said
    let sequence = matches!(
        &catalog.rulebook.field_type(read.ty).reading,
        Reading::List(list) if list.shape == ListShape::Sequence
    );
    let read = match &read.result {
        Some(result) if sequence && read.op == OpKind::Remove => {
            Read { op: OpKind::Set, value: result.clone(), ..read }
        }
        _ => read,
    };
    let entry = |op: OpKind, value: Draft| match op {
        OpKind::Unset => ("unset".to_owned(), Draft::List(vec![Draft::Text(assignment.path.to_string())])),
        _ => (op.word().to_owned(), Draft::Table(vec![(assignment.path.to_string(), value)])),
    };
    if let Some((file, amendment)) = amendments.last() {
        let document =
            catalog.document(*file).ok_or_else(|| SetError::Problem("the amendments cannot be read".to_owned()))?;
        let at = document.path_to(amendment.node, &catalog.names);
        let table = at.with(Step::Key(read.op.word().to_owned()));
        let known = find(document.root(), &table, &catalog.names);
        let mut edits = match (known, read.op) {
            (Some(_), OpKind::Unset) => vec![Edit::Insert {
                into: table,
                before: None,
                key: None,
                value: Draft::Text(assignment.path.to_string()),
            }],
            (Some(_), _) => {
                vec![Edit::Set { at: table.with(Step::Key(assignment.path.to_string())), to: read.value.clone() }]
            }
            (None, op) => {
                let (_, value) = entry(op, read.value.clone());
                vec![Edit::Set { at: table, to: value }]
            }
        };
        why(document, &at, options, catalog, &mut edits);
        return Ok(Plan { file: Some(*file), text: edited(catalog, document, None, &edits)?, amends: true });
    }
    let mut fields = vec![("of".to_owned(), Draft::Text(catalog.show_address(address)))];
    fields.push(entry(read.op, read.value.clone()));
    if let Some(why) = &options.why {
        fields.push(("why".to_owned(), Draft::Text(why.clone())));
    }
    let kind = catalog.rulebook.kind(options.kind).name();
    let path = format!("{}/amendments/{kind}.toml", catalog.layer(options.layer).folder);
    let block = Draft::List(vec![Draft::Table(fields.clone())]);
    if let Some(file) = catalog.file_named(&path)
        && let Some(document) = catalog.document(file)
    {
        let list = FieldPath::key("amend");
        let insert = match find(document.root(), &list, &catalog.names) {
            Some(_) => Edit::Insert { into: list, before: None, key: None, value: Draft::Table(fields) },
            None => {
                Edit::Insert { into: FieldPath::default(), before: None, key: Some("amend".to_owned()), value: block }
            }
        };
        return Ok(Plan { file: Some(file), text: edited(catalog, document, None, &[insert])?, amends: true });
    }
    let empty =
        Document::parse(FileId(u32::MAX), crate::document::Format::Toml, "amendments = 1\n".into(), &catalog.names);
    let insert = Edit::Insert { into: FieldPath::default(), before: None, key: Some("amend".to_owned()), value: block };
    Ok(Plan { file: None, text: edit(&empty, &[insert], &catalog.names)?, amends: true })
}

/// A file's text after edits; a refusal names the file.
fn edited(
    catalog: &crate::catalog::Catalog,
    document: &Document,
    model: Option<&Document>,
    edits: &[Edit],
) -> Result<String, SetError> {
    edit_like(document, model, edits, &catalog.names).map_err(|error| {
        let path = catalog.files().find(|(id, _)| *id == document.file()).map_or("", |(_, file)| file.path.as_str());
        match error {
            EditError::Alias { .. } => SetError::Anchor { path: path.to_owned(), reason: error },
            error => SetError::Problem(format!("{path}: {error}")),
        }
    })
}

/// The reason of an amendment that is there already.
fn why(
    document: &Document,
    at: &FieldPath,
    options: &SetOptions,
    catalog: &crate::catalog::Catalog,
    edits: &mut Vec<Edit>,
) {
    if let Some(why) = &options.why {
        let at = at.with(Step::Key("why".to_owned()));
        let known = find(document.root(), &at, &catalog.names).map(|node| node.text().into_owned());
        if known.as_ref() != Some(why) {
            edits.push(Edit::Set { at, to: Draft::Text(why.clone()) });
        }
    }
}

/// An amendment that has the path under some operation already says the result instead.
fn rewrite(
    world: &World,
    file: FileId,
    amendment: &Amendment,
    assignment: &Assignment,
    read: &Read,
) -> Result<Plan, SetError> {
    let catalog = &world.catalog;
    let document =
        catalog.document(file).ok_or_else(|| SetError::Problem("the amendments cannot be read".to_owned()))?;
    let at = document.path_to(amendment.node, &catalog.names);
    let mut edits = Vec::new();
    let mut set_at = None;
    let mut gone: Vec<(FieldPath, FieldPath)> = Vec::new();
    for op in amendment.ops.iter().filter(|op| op.path == assignment.path) {
        let node = document.path_to(op.value, &catalog.names);
        match (op.kind, &read.result) {
            (OpKind::Set, Some(_)) => set_at = Some(node),
            _ => {
                let table = at.with(Step::Key(op.kind.word().to_owned()));
                gone.push((node, table));
            }
        }
    }
    if let Some(result) = &read.result {
        let table = at.with(Step::Key("set".to_owned()));
        edits.push(match set_at {
            Some(at) => Edit::Set { at, to: result.clone() },
            None if find(document.root(), &table, &catalog.names).is_some() => {
                Edit::Set { at: table.with(Step::Key(assignment.path.to_string())), to: result.clone() }
            }
            None => Edit::Set { at: table, to: Draft::Table(vec![(assignment.path.to_string(), result.clone())]) },
        });
    }
    for (node, table) in gone {
        let alone = find(document.root(), &table, &catalog.names).is_some_and(|node| node.len() == 1);
        edits.push(Edit::Remove { at: if alone { table } else { node } });
    }
    let mut text = edited(catalog, document, None, &edits)?;
    // an amendment that says nothing any more goes as a whole
    let after = Document::parse(file, document.format(), text.as_str().into(), &catalog.names);
    let left = find(after.root(), &at, &catalog.names);
    let says = |node: crate::document::Node<'_>| {
        node.children()
            .filter_map(|child| child.key())
            .any(|key| !matches!(catalog.names.text(key), "of" | "why" | "which"))
    };
    if left.is_some_and(|node| !says(node)) {
        text = edit(&after, &[Edit::Remove { at }], &catalog.names)?;
    }
    Ok(Plan { file: Some(file), text, amends: true })
}

/// A definition of the edited mod is changed where it stands.
fn in_place(
    world: &World,
    options: &SetOptions,
    definition: &Definition,
    assignment: &Assignment,
    read: &Read,
) -> Result<Plan, SetError> {
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
            vec![set_or_make(document, &top, &assignment.path, result, catalog)]
        }
    };
    if options.at_anchor {
        edits.iter_mut().for_each(|edit| *edit = edit.at_anchors(document, &catalog.names));
    }
    let model = model(catalog, definition.kind, document.notation());
    Ok(Plan { file: Some(definition.file), text: edited(catalog, document, model, &edits)?, amends: false })
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
    catalog: &crate::catalog::Catalog,
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

/// Sets a path, with the tables on the way that are not there yet.
fn set_or_make(
    document: &Document,
    top: &FieldPath,
    path: &FieldPath,
    mut value: Draft,
    catalog: &crate::catalog::Catalog,
) -> Edit {
    let mut at = top.join(path);
    while let Some((above, Step::Key(key))) = at.split_last() {
        if find(document.root(), &at, &catalog.names).is_some()
            || find(document.root(), &above, &catalog.names).is_some()
        {
            break;
        }
        value = Draft::Table(vec![(key.clone(), value)]);
        at = above;
    }
    Edit::Set { at, to: value }
}

/// What the layer's amendments of this definition cannot do.
fn problems(world: &World, layer: LayerId, address: Address) -> Result<(), SetError> {
    for problem in &world.builds.problems {
        let ours = problem.address == Some(address)
            && world.catalog.amendment(problem.amendment).is_some_and(|(_, at)| at.layer == layer);
        if !ours {
            continue;
        }
        let shown = world.catalog.show_address(address);
        let message = match &problem.what {
            ProblemKind::NotSayable(_, reason) => {
                format!("the game has no notation for this change of `{shown}`: {reason}")
            }
            ProblemKind::Op(_, Obstacle::EntryThere(entry)) => format!("`{shown}` has `{entry}` already"),
            ProblemKind::Op(_, Obstacle::NoEntry(entry)) => format!("`{shown}` has no entry `{entry}`"),
            ProblemKind::Op(_, Obstacle::Ambiguous(entry)) => format!("`{shown}` has `{entry}` more than once"),
            ProblemKind::Op(_, Obstacle::NoNumber) => format!("`{shown}` has no number there to start from"),
            ProblemKind::Op(_, Obstacle::TooLarge) => "the result is too large to calculate exactly".to_owned(),
            _ => continue,
        };
        return Err(SetError::Problem(message));
    }
    Ok(())
}
