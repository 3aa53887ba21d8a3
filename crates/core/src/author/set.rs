//! `set`: changes values of one definition. A definition of the edited mod is changed in its file; one of a
//! lower layer gets an amendment.

use super::assign::{Assignment, AssignmentError, Assigns};
use super::place::model;
use super::read::{Read, keyed, read};
use super::read_back::Before;
use super::requirement::{outside, writable};
use crate::catalog::{Address, Amendment, Catalog, Definition, LayerId, Op, OpKind, Target};
use crate::document::{Document, Draft, Edit, EditError, FieldPath, Number, Shape, Step, edit, edit_like, find};
use crate::effective::{Obstacle, ProblemKind, World, same};
use crate::nearest::nearest;
use crate::rulebook::{KindId, ListShape, Reading, TypeId};
use crate::source::{ChangeSet, FileChange, FileId, Lines, file_name_for};

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
    // what is told is the field that changes, not the game's notation for the change
    let change = |path: &FieldPath| world.catalog.rulebook.changes_below(options.kind, path, &world.catalog.names);
    let told = |path: &FieldPath| if change(path) { path.skip(1) } else { path.clone() };
    let paths: Vec<FieldPath> = options.assignments.iter().map(|assignment| told(&assignment.path)).collect();
    let before = shown(world, options.layer, address, &paths);
    let state = Before::of(world, options.layer, Some(address));
    let mut amended = false;
    let mut originals: Vec<(FileId, Option<String>)> = Vec::new();
    let mut wanted: Vec<Wanted> = Vec::new();
    let mut rest = options.assignments.as_slice();
    while !rest.is_empty() {
        let plan = Plan::new(world, options, address, rest)?;
        rest = rest.get(plan.wanted.len()..).unwrap_or_default();
        amended |= plan.amends;
        wanted.extend(plan.wanted);
        if plan.texts.is_empty() {
            continue;
        }
        let texts: Vec<(&str, &str)> = plan.texts.iter().map(|(path, text)| (path.as_str(), text.as_str())).collect();
        for (path, _) in &texts {
            let known = world.catalog.file_named(path);
            if let Some(file) = known.filter(|file| !originals.iter().any(|(known, _)| known == file)) {
                originals.push((file, Some(world.catalog.text(file).to_owned())));
            }
        }
        let files = world.take_in_texts(options.layer, &texts).map_err(unread)?;
        for file in files {
            if !originals.iter().any(|(known, _)| *known == file) {
                originals.push((file, None));
            }
        }
    }
    problems(world, options.layer, address)?;
    let after = shown(world, options.layer, address, &paths);
    let mut files = Vec::new();
    for (file, before) in originals {
        let text = world.catalog.text(file).to_owned();
        // what was changed and changed back
        if before.as_ref() != Some(&text) {
            files.push(FileChange::written(world.catalog.file(file).path.clone(), before, text));
        }
    }
    if !files.is_empty() {
        state.read_back(world, options.layer, &[], &[])?;
        as_wanted(world, options, address, &wanted, (&before, &after))?;
    }
    let changed = paths.into_iter().zip(before).zip(after);
    let changed = changed.map(|((path, before), after)| Changed { path, before, after }).collect();
    Ok(SetReport { changes: files.into(), changed, amended })
}

/// What shows at some paths, on a mod's ground with the mod.
fn shown(world: &World, layer: LayerId, address: Address, paths: &[FieldPath]) -> Vec<Option<Draft>> {
    let view = world.with_ground(layer);
    let effective = view.effective(address);
    let value = |path: &FieldPath| Some(effective.as_ref()?.get(&world.catalog, path)?.draft(&world.catalog));
    paths.iter().map(value).collect()
}

fn unread(path: String) -> SetError {
    SetError::Problem(format!("nothing would read the file `{path}`"))
}

/// What an assignment is to come to.
enum Wanted {
    /// It stands so already.
    Stands,
    /// The field shows this.
    Shows(Draft, TypeId),
    /// The field shows something else than it did.
    Moves,
    /// What was stated is taken back, whatever shows then.
    TakenBack,
}

/// Compares what shows after all assignments with what they were to come to.
///
/// # Errors
/// What would show instead, and why.
fn as_wanted(
    world: &World,
    options: &SetOptions,
    address: Address,
    wanted: &[Wanted],
    (before, after): (&[Option<Draft>], &[Option<Draft>]),
) -> Result<(), SetError> {
    let catalog = &world.catalog;
    for (nth, (assignment, wanted)) in options.assignments.iter().zip(wanted).enumerate() {
        // a later one may say something else of it
        let later = options.assignments.get(nth + 1..).unwrap_or_default();
        if later.iter().any(|later| on_one_way(&later.path, &assignment.path)) {
            continue;
        }
        let (old, new) = (before.get(nth).and_then(Option::as_ref), after.get(nth).and_then(Option::as_ref));
        let fine = match wanted {
            Wanted::Stands | Wanted::TakenBack => true,
            Wanted::Shows(result, ty) => {
                new.is_some_and(|new| same(new, result, *ty, &catalog.rulebook, &catalog.names))
            }
            Wanted::Moves => old != new,
        };
        if fine {
            continue;
        }
        let shows = new.map_or("nothing".to_owned(), Draft::short);
        let view = world.with_ground(options.layer);
        let value = view.effective(address).and_then(|effective| effective.get(catalog, &assignment.path));
        let place = value.and_then(|value| value.origin().place);
        let why = place.map_or(String::new(), |place| {
            let line = Lines::new(catalog.text(place.file)).position(place.span.start).line;
            format!(", as {}:{line} has it", catalog.file(place.file).path)
        });
        let shown = catalog.show_address(address);
        let message = format!("`{}` of `{shown}` would show {shows} all the same{why}", assignment.path);
        return Err(SetError::Problem(message));
    }
    Ok(())
}

/// Whether one path leads to the other's value, or into it.
fn on_one_way(a: &FieldPath, b: &FieldPath) -> bool {
    a.steps().iter().zip(b.steps()).all(|(a, b)| a == b)
}

/// As many assignments as can be planned on one world, and the texts of the files that they change.
struct Plan {
    /// Paths below the workspace with their new texts.
    texts: Vec<(String, String)>,
    /// What each of these assignments is to come to.
    wanted: Vec<Wanted>,
    amends: bool,
}

impl Plan {
    fn new(
        world: &World,
        options: &SetOptions,
        address: Address,
        assignments: &[Assignment],
    ) -> Result<Plan, SetError> {
        let catalog = &world.catalog;
        let mut plan = Plan { texts: Vec::new(), wanted: Vec::new(), amends: false };
        let mut edits: Vec<(FileId, Vec<Edit>)> = Vec::new();
        let mut added: Vec<(OpKind, FieldPath, Draft)> = Vec::new();
        let own = catalog.stack(address).map(|(_, definition)| definition).find(|d| d.layer == options.layer);
        let amendments: Vec<(FileId, &Amendment)> = catalog
            .amendments_of(options.layer)
            .filter(|(_, a)| a.kind == options.kind && matches!(&a.target, Target::Of { id } if *id == options.id))
            .filter_map(|(id, amendment)| Some((catalog.amendment(id)?.1.file, amendment)))
            .collect();
        for (nth, assignment) in assignments.iter().enumerate() {
            let assignment = &told_apart(world, options, address, assignment)?;
            let earlier = assignments.get(..nth).unwrap_or_default();
            let hangs = assignment.assigns == Assigns::Evaluate
                || earlier.iter().any(|earlier| on_one_way(&earlier.path, &assignment.path))
                || !earlier.is_empty() && {
                    let root = catalog.rulebook.kind(options.kind).root;
                    let words = catalog.rulebook.chosen_by(root, &assignment.path, &catalog.names);
                    words.iter().any(|word| earlier.iter().any(|earlier| earlier.path == *word))
                };
            if nth > 0 && hangs {
                break;
            }
            let read = read(world, options, address, assignment)?;
            let same_path = amendments.iter().rev().find(|(_, a)| a.ops.iter().any(|op| op.path == assignment.path));
            if read.stands {
                // the reason may be a new one all the same
                if let (Some((file, amendment)), Some(document)) =
                    (same_path, same_path.and_then(|(file, _)| catalog.document(*file)))
                {
                    let at = document.path_to(amendment.node, &catalog.names);
                    let mut more = Vec::new();
                    why(document, &at, options, catalog, &mut more);
                    push(&mut edits, *file, more);
                }
                plan.wanted.push(Wanted::Stands);
                continue;
            }
            // in the game's own notation for a change the value is not what shows
            let change = world.catalog.rulebook.changes_below(options.kind, &assignment.path, &catalog.names);
            let wanted = match (&read.result, assignment.assigns) {
                (Some(_), _) if change => Wanted::Moves,
                (_, Assigns::Multiply | Assigns::Add | Assigns::Remove) => Wanted::Moves,
                (Some(result), _) => Wanted::Shows(result.clone(), read.ty),
                (None, _) => Wanted::TakenBack,
            };
            if let Some((file, amendment)) = same_path {
                // back to what lies below: then nothing needs to be said any more
                let below = world.ground(options.layer).effective(address);
                let below = below.and_then(|below| Some(below.get(catalog, &assignment.path)?.draft(catalog)));
                let back = own.is_none()
                    && below.zip(read.result.as_ref()).is_some_and(|(below, result)| {
                        same(&below, result, read.ty, &catalog.rulebook, &catalog.names)
                    });
                let read = if back { Read { op: OpKind::Unset, result: None, ..read } } else { read };
                match rewritten(world, options, *file, amendment, assignment, &read)? {
                    Rewritten::Edits(more) if !meets(&edits, *file, &more) => push(&mut edits, *file, more),
                    Rewritten::Beside => added.push((read.op, assignment.path.clone(), read.value.clone())),
                    // what takes other things along goes alone
                    _ if nth > 0 => break,
                    Rewritten::Edits(more) => push(&mut edits, *file, more),
                    Rewritten::Text(text) => {
                        plan.texts.push((catalog.file(*file).path.clone(), text));
                        plan.wanted.push(wanted);
                        plan.amends = true;
                        return Ok(plan);
                    }
                }
                plan.amends = true;
            } else if let Some(definition) = own {
                let more = in_place(world, options, definition, assignment, &read)?;
                if meets(&edits, definition.file, &more) {
                    break;
                }
                push(&mut edits, definition.file, more);
            } else {
                // entries of a sequence are not taken out one by one: the whole list is said
                let sequence = matches!(
                    &catalog.rulebook.field_type(read.ty).reading,
                    Reading::List(list) if list.shape == ListShape::Sequence
                );
                let (op, value) = match &read.result {
                    Some(result) if sequence && read.op == OpKind::Remove => (OpKind::Set, result.clone()),
                    _ => (read.op, read.value.clone()),
                };
                added.push((op, assignment.path.clone(), value));
                plan.amends = true;
            }
            plan.wanted.push(wanted);
        }
        let mut fresh = None;
        if !added.is_empty() {
            let beside = |(_, amendment): &&(FileId, &Amendment)| {
                !amendment.ops.iter().any(|op| added.iter().any(|(_, path, _)| op.path == *path))
            };
            match amendments.last().filter(beside) {
                Some((file, amendment)) => {
                    let more = extended(catalog, options, *file, amendment, &added)?;
                    push(&mut edits, *file, more);
                }
                None => fresh = new_block(catalog, options, address, &added, &mut edits)?,
            }
        }
        for (file, edits) in edits.into_iter().filter(|(_, edits)| !edits.is_empty()) {
            let document =
                catalog.document(file).ok_or_else(|| SetError::Problem("the file cannot be read".to_owned()))?;
            let model = own.and_then(|definition| model(catalog, definition.kind, document.notation()));
            let text = edited(catalog, document, model, &edits)?;
            plan.texts.push((catalog.file(file).path.clone(), text));
        }
        plan.texts.extend(fresh);
        Ok(plan)
    }
}

/// An assignment whose path names entries by all of their keys.
///
/// # Errors
/// A key is lacking, or is none.
fn told_apart(
    world: &World,
    options: &SetOptions,
    address: Address,
    assignment: &Assignment,
) -> Result<Assignment, SetError> {
    let catalog = &world.catalog;
    let root = catalog.rulebook.kind(options.kind).root;
    let said = &assignment.path;
    if let Some((message, help)) = catalog.rulebook.not_an_entry(root, said, &catalog.names) {
        return Err(AssignmentError::new(format!("`{said}`: {message}"), help).into());
    }
    let path = catalog.rulebook.with_all_keys(root, said, &catalog.names);
    let nth = path.steps().iter().zip(said.steps()).position(|(all, said)| all != said);
    if let (Some(nth), Some(effective)) = (nth, world.with_ground(options.layer).effective(address)) {
        let upto = |path: &FieldPath| FieldPath::from(path.steps().get(..=nth).unwrap_or_default().to_vec());
        let there = |path: &FieldPath| effective.get(catalog, &upto(path)).is_some();
        if let (false, true, Some(Step::Match(keys))) = (there(&path), there(said), path.steps().get(nth)) {
            let keys: Vec<&str> = keys.iter().map(|(key, _)| key.as_str()).collect();
            let message = format!("`{said}`: entries of this list are told apart by {}", keys.join(" and "));
            let help = format!("`[{}]`", keys.iter().map(|key| format!("{key}=…")).collect::<Vec<_>>().join(","));
            return Err(AssignmentError::new(message, Some(help)).into());
        }
    }
    Ok(Assignment { path, ..assignment.clone() })
}

fn push(edits: &mut Vec<(FileId, Vec<Edit>)>, file: FileId, more: Vec<Edit>) {
    match edits.iter_mut().find(|(known, _)| *known == file) {
        Some((_, known)) => known.extend(more),
        None => edits.push((file, more)),
    }
}

/// Whether edits are about the same place as earlier ones of a file.
fn meets(edits: &[(FileId, Vec<Edit>)], file: FileId, more: &[Edit]) -> bool {
    let known = edits.iter().filter(|(known, _)| *known == file).flat_map(|(_, edits)| edits);
    known.into_iter().any(|known| more.iter().any(|new| on_one_way(known.at(), new.at())))
}

/// The edits that put operations more into an amendment.
fn extended(
    catalog: &Catalog,
    options: &SetOptions,
    file: FileId,
    amendment: &Amendment,
    added: &[(OpKind, FieldPath, Draft)],
) -> Result<Vec<Edit>, SetError> {
    let document =
        catalog.document(file).ok_or_else(|| SetError::Problem("the amendments cannot be read".to_owned()))?;
    let at = document.path_to(amendment.node, &catalog.names);
    let mut edits = Vec::new();
    for (word, value) in by_operation(added) {
        let table = at.with(Step::Key(word.to_owned()));
        match (find(document.root(), &table, &catalog.names), value) {
            (Some(_), Draft::List(paths)) => edits.extend(paths.into_iter().map(|path| Edit::Insert {
                into: table.clone(),
                before: None,
                key: None,
                value: path,
            })),
            (Some(_), Draft::Table(entries)) => edits.extend(
                entries.into_iter().map(|(path, value)| Edit::Set { at: table.with(Step::Key(path)), to: value }),
            ),
            (_, value) => edits.push(Edit::Set { at: table, to: value }),
        }
    }
    why(document, &at, options, catalog, &mut edits);
    Ok(edits)
}

/// Operations as an amendment writes them: each word with its paths and values.
fn by_operation(added: &[(OpKind, FieldPath, Draft)]) -> Vec<(&'static str, Draft)> {
    let mut out: Vec<(&'static str, Draft)> = Vec::new();
    for (op, path, value) in added {
        let word = if *op == OpKind::Unset { "unset" } else { op.word() };
        let known = out.iter().position(|(known, _)| *known == word);
        let at = known.unwrap_or_else(|| {
            let empty = if *op == OpKind::Unset { Draft::List(Vec::new()) } else { Draft::Table(Vec::new()) };
            out.push((word, empty));
            out.len() - 1
        });
        match out.get_mut(at).map(|(_, value)| value) {
            Some(Draft::List(paths)) => paths.push(Draft::Text(path.to_string())),
            Some(Draft::Table(entries)) => entries.push((path.to_string(), value.clone())),
            _ => {}
        }
    }
    out
}

/// A new amendment: an edit of the file that there is for the kind, or the text of a new one.
fn new_block(
    catalog: &Catalog,
    options: &SetOptions,
    address: Address,
    added: &[(OpKind, FieldPath, Draft)],
    edits: &mut Vec<(FileId, Vec<Edit>)>,
) -> Result<Option<(String, String)>, SetError> {
    let mut fields = vec![("of".to_owned(), Draft::Text(catalog.show_address(address)))];
    fields.extend(by_operation(added).into_iter().map(|(word, value)| (word.to_owned(), value)));
    if let Some(why) = &options.why {
        fields.push(("why".to_owned(), Draft::Text(why.clone())));
    }
    let kind = catalog.rulebook.kind(options.kind).name();
    let path = format!("{}/amendments/{}.toml", catalog.layer(options.layer).folder, file_name_for(kind));
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
        push(edits, file, vec![insert]);
        return Ok(None);
    }
    let empty =
        Document::parse(FileId(u32::MAX), crate::document::Format::Toml, "amendments = 1\n".into(), &catalog.names);
    let insert = Edit::Insert { into: FieldPath::default(), before: None, key: Some("amend".to_owned()), value: block };
    Ok(Some((path, edit(&empty, &[insert], &catalog.names)?)))
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

/// What becomes of an amendment that has a path under some operation already.
enum Rewritten {
    /// Edits of its file.
    Edits(Vec<Edit>),
    /// The text of its file, where the amendment may go as a whole.
    Text(String),
    /// It stays, and what is to happen after it is said in one more.
    Beside,
}

fn rewritten(
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
    let mut edits = match (ops.as_slice(), &read.result, read.op) {
        ([only], Some(result), OpKind::Set) if only.kind == OpKind::Set => {
            vec![Edit::Set { at: document.path_to(only.value, &catalog.names), to: result.clone() }]
        }
        (ops, Some(_), OpKind::Multiply | OpKind::Shift | OpKind::Add | OpKind::Remove) => {
            match composed(world, document, &at, ops, read) {
                Composed::Edits(edits) => edits,
                Composed::Nothing => {
                    return rewrite(world, file, amendment, assignment, &Read { result: None, ..read.clone() });
                }
                Composed::Beside => return Ok(Rewritten::Beside),
                Composed::Result => return rewrite(world, file, amendment, assignment, read),
            }
        }
        _ => return rewrite(world, file, amendment, assignment, read),
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

fn composed(world: &World, document: &Document, at: &FieldPath, ops: &[&Op], read: &Read) -> Composed {
    let names = &world.catalog.names;
    let number = |draft: &Draft| match draft {
        Draft::Number(number) => number.decimal(),
        _ => None,
    };
    if let ([only], OpKind::Multiply | OpKind::Shift) = (ops, read.op) {
        let known = Draft::of(document.node(only.value), names);
        return match (only.kind, number(&known).zip(number(&read.value))) {
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
    file: FileId,
    amendment: &Amendment,
    assignment: &Assignment,
    read: &Read,
) -> Result<Rewritten, SetError> {
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
    Ok(Rewritten::Text(text))
}

/// A definition of the edited mod is changed where it stands.
fn in_place(
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
            vec![set_or_make(document, &top, &assignment.path, result, catalog)]
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
