//! As many assignments as can be planned on one world, and the texts that they come to.

use rustc_hash::FxHashMap;

use super::in_place::in_place;
use super::rewrite::{Rewritten, replaces, rewritten};
use super::{SetError, SetOptions, Wanted};
use crate::author::assign::{Assignment, AssignmentError, Assigns};
use crate::author::place::model;
use crate::author::read::{Read, read};
use crate::catalog::{Address, Amendment, Catalog, FileRole, LayerId, Op, OpKind, Target};
use crate::document::{Document, Draft, Edit, EditError, FieldPath, Format, Step, edit, edit_like, find};
use crate::effective::{World, same};
use crate::rulebook::{KindId, ListShape, Reading};
use crate::source::{FileId, file_name_for};

/// As many assignments as can be planned on one world, and the texts of the files that they change.
pub(super) struct Plan {
    /// Paths below the workspace with their new texts.
    pub(super) texts: Vec<(String, String)>,
    /// What each of these assignments is to come to.
    pub(super) wanted: Vec<Wanted>,
    pub(super) amends: bool,
}

/// As many assignments as can be planned on one world, before the files that they change are made.
#[derive(Default)]
pub(super) struct Planned {
    /// Edits of files that are there.
    pub(super) edits: Vec<(FileId, Vec<Edit>)>,
    /// What a new amendment says.
    pub(super) fresh: Vec<(OpKind, FieldPath, Draft)>,
    /// A file's whole text, where it is made anew; then there are no edits.
    pub(super) text: Option<(String, String)>,
    /// What each of these assignments is to come to.
    pub(super) wanted: Vec<Wanted>,
    pub(super) amends: bool,
}

impl Plan {
    pub(super) fn new(
        world: &World,
        options: &SetOptions,
        address: Address,
        assignments: &[Assignment],
    ) -> Result<Plan, SetError> {
        let catalog = &world.catalog;
        let known = of_definitions(catalog, options.layer, options.kind);
        let known = known.get(options.id.as_str()).map(Vec::as_slice).unwrap_or_default();
        let planned = Planned::new(world, options, address, assignments, known)?;
        let Planned { mut edits, fresh, text, wanted, amends } = planned;
        let mut plan = Plan { texts: text.into_iter().collect(), wanted, amends };
        let target = ("of".to_owned(), Draft::Text(catalog.show_address(address)));
        let made = match fresh.is_empty() {
            true => None,
            false => {
                let behind = last_said(world, options, address);
                new_blocks(catalog, options, vec![block(options, target, &fresh)], behind, &mut edits)?
            }
        };
        let own = catalog.stack(address).map(|(_, definition)| definition).find(|d| d.layer == options.layer);
        for (file, edits) in edits.into_iter().filter(|(_, edits)| !edits.is_empty()) {
            let document =
                catalog.document(file).ok_or_else(|| SetError::Problem("the file cannot be read".to_owned()))?;
            let model = own.and_then(|definition| model(catalog, definition.kind, document.notation()));
            let text = edited(catalog, document, model, &edits)?;
            plan.texts.push((catalog.file(file).path.clone(), text));
        }
        plan.texts.extend(made);
        Ok(plan)
    }
}

impl Planned {
    pub(super) fn new(
        world: &World,
        options: &SetOptions,
        address: Address,
        assignments: &[Assignment],
        amendments: &[(FileId, &Amendment)],
    ) -> Result<Planned, SetError> {
        let catalog = &world.catalog;
        let mut plan = Planned::default();
        let mut edits: Vec<(FileId, Vec<Edit>)> = Vec::new();
        let mut added: Vec<(OpKind, FieldPath, Draft)> = Vec::new();
        let own = catalog.stack(address).map(|(_, definition)| definition).find(|d| d.layer == options.layer);
        for (nth, assignment) in assignments.iter().enumerate() {
            let earlier = assignments.get(..nth).unwrap_or_default();
            let hangs = assignment.assigns == Assigns::Evaluate
                || earlier.iter().any(|earlier| earlier.path.is_on_one_way(&assignment.path))
                || !earlier.is_empty() && {
                    let root = catalog.rulebook.kind(options.kind).root;
                    let words = catalog.rulebook.chosen_by(root, &assignment.path, &catalog.names);
                    words.iter().any(|word| earlier.iter().any(|earlier| earlier.path == *word))
                };
            if nth > 0 && hangs {
                break;
            }
            let assignment = &told_apart(world, options, address, assignment)?;
            let read = read(world, options, address, assignment)?;
            let whole = matches!(read.op, OpKind::Set | OpKind::Unset);
            let said = |op: &Op| op.path == assignment.path || whole && replaces(assignment, op);
            let same_path = amendments.iter().rev().find(|(_, a)| a.ops.iter().any(said));
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
            let amends = same_path.is_none() && own.is_none();
            let wanted = match (&read.result, assignment.assigns) {
                (Some(_), _) if change => Wanted::Moves,
                // an amendment that takes back what nobody states is without effect
                (None, _) if amends => Wanted::Moves,
                // what an amendment does may meet what others do
                (_, Assigns::Multiply | Assigns::Add | Assigns::Remove) if own.is_none() || same_path.is_some() => {
                    Wanted::Moves
                }
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
                        plan.text = Some((catalog.file(*file).path.clone(), text));
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
        if !added.is_empty() {
            let beside = |(file, amendment): &&(FileId, &Amendment)| {
                last_said(world, options, address).is_none_or(|last| last <= catalog.file(*file).path)
                    && !amendment.ops.iter().any(|op| added.iter().any(|(_, path, _)| op.path == *path))
            };
            match amendments.last().filter(beside) {
                Some((file, amendment)) => {
                    let more = extended(catalog, options, *file, amendment, &added)?;
                    push(&mut edits, *file, more);
                }
                None => plan.fresh = added,
            }
        }
        plan.edits = edits;
        Ok(plan)
    }
}

/// A layer's amendments of single definitions of a kind, by id, with their files.
pub(super) fn of_definitions(
    catalog: &Catalog,
    layer: LayerId,
    kind: KindId,
) -> FxHashMap<&str, Vec<(FileId, &Amendment)>> {
    let mut out: FxHashMap<&str, Vec<(FileId, &Amendment)>> = FxHashMap::default();
    for (at, amendment) in catalog.amendments_of(layer).filter(|(_, known)| known.kind == kind) {
        if let (Target::Of { id }, Some((_, at))) = (&amendment.target, catalog.amendment(at)) {
            out.entry(id).or_default().push((at.file, amendment));
        }
    }
    out
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

pub(super) fn push(edits: &mut Vec<(FileId, Vec<Edit>)>, file: FileId, more: Vec<Edit>) {
    match edits.iter_mut().find(|(known, _)| *known == file) {
        Some((_, known)) => known.extend(more),
        None => edits.push((file, more)),
    }
}

/// Whether edits are about the same place as earlier ones of a file.
fn meets(edits: &[(FileId, Vec<Edit>)], file: FileId, more: &[Edit]) -> bool {
    let known = edits.iter().filter(|(known, _)| *known == file).flat_map(|(_, edits)| edits);
    known.into_iter().any(|known| more.iter().any(|new| known.at().is_on_one_way(new.at())))
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

/// An amendment of something, as it is written.
pub(in crate::author) fn block(
    options: &SetOptions,
    target: (String, Draft),
    added: &[(OpKind, FieldPath, Draft)],
) -> Draft {
    let mut fields = vec![target];
    fields.extend(by_operation(added).into_iter().map(|(word, value)| (word.to_owned(), value)));
    if let Some(why) = &options.why {
        fields.push(("why".to_owned(), Draft::Text(why.clone())));
    }
    Draft::Table(fields)
}

/// An amendment file with nothing in it.
pub(in crate::author) const AMENDMENTS: &str = "amendments = 1\n";

/// More blocks than these are not put into a file one by one.
const MANY: usize = 8;

/// New amendments: edits of the file that there is for the kind, or of one that they have to come behind, or the text of a
/// new one.
pub(in crate::author) fn new_blocks(
    catalog: &Catalog,
    options: &SetOptions,
    blocks: Vec<Draft>,
    behind: Option<String>,
    edits: &mut Vec<(FileId, Vec<Edit>)>,
) -> Result<Option<(String, String)>, SetError> {
    let kind = catalog.rulebook.kind(options.kind).name();
    let own = format!("{}/amendments/{}.toml", catalog.layer(options.layer).folder, file_name_for(kind));
    let path = behind.filter(|behind| behind.as_bytes() > own.as_bytes()).unwrap_or(own);
    let all = |blocks| Edit::Insert {
        into: FieldPath::default(),
        before: None,
        key: Some("amend".to_owned()),
        value: Draft::List(blocks),
    };
    if let Some(file) = catalog.file_named(&path)
        && let Some(document) = catalog.document(file)
    {
        let list = FieldPath::key("amend");
        // so many go to the end of the file as they would stand in one of their own
        if blocks.len() > MANY && document.text().contains("[[amend]]") {
            let empty = Document::parse(FileId(u32::MAX), Format::Toml, AMENDMENTS.into(), &catalog.names);
            let own = edit(&empty, &[all(blocks)], &catalog.names)?;
            let own = own.strip_prefix(AMENDMENTS).unwrap_or(&own).trim_start_matches('\n');
            let known = edits.iter().position(|(known, _)| *known == file);
            let before = known.map(|at| edits.remove(at).1).unwrap_or_default();
            let text = edited(catalog, document, None, &before)?;
            let line = if text.contains("\r\n") { "\r\n" } else { "\n" };
            let own = own.replace('\n', line);
            return Ok(Some((path, format!("{}{line}{line}{own}", text.trim_end()))));
        }
        let more = match find(document.root(), &list, &catalog.names) {
            Some(_) => {
                let insert = |value| Edit::Insert { into: list.clone(), before: None, key: None, value };
                blocks.into_iter().map(insert).collect()
            }
            None => vec![all(blocks)],
        };
        push(edits, file, more);
        return Ok(None);
    }
    let empty = Document::parse(FileId(u32::MAX), Format::Toml, AMENDMENTS.into(), &catalog.names);
    Ok(Some((path, edit(&empty, &[all(blocks)], &catalog.names)?)))
}

/// The file of the mod's amendments that counts last of those that make a definition show what it shows in the assigned
/// fields: what is said of it alone has to come behind that.
pub(super) fn last_said(world: &World, options: &SetOptions, address: Address) -> Option<String> {
    let catalog = &world.catalog;
    let effective = world.with_ground(options.layer).effective(address)?;
    let place = |one: &Assignment| effective.get(catalog, &one.path)?.origin().place;
    let files = options.assignments.iter().filter_map(place).map(|place| catalog.file(place.file));
    let own = files.filter(|file| file.layer == Some(options.layer) && matches!(file.role, FileRole::Amendments));
    own.map(|file| file.path.clone()).max()
}

/// A file's text after edits; a refusal names the file.
pub(super) fn edited(
    catalog: &Catalog,
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
pub(super) fn why(document: &Document, at: &FieldPath, options: &SetOptions, catalog: &Catalog, edits: &mut Vec<Edit>) {
    if let Some(why) = &options.why {
        let at = at.with(Step::Key("why".to_owned()));
        let known = find(document.root(), &at, &catalog.names).map(|node| node.text().into_owned());
        if known.as_ref() != Some(why) {
            edits.push(Edit::Set { at, to: Draft::Text(why.clone()) });
        }
    }
}
