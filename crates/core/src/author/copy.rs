//! `copy` and `new`: definitions that start from another one, or from nothing but what must be there.

mod around;
mod fresh;

use self::around::{along, own_keys, shared, starts};
pub use self::fresh::{lacking_fields, new_definition, new_definitions};
use super::assign::{Assignment, Assigns};
use super::judged::Judged;
use super::place::folder_and_name;
use super::place::{New, Original, coming_along, put};
use super::quantities::with_units;
use super::read::typed_at;
use super::read_back::{Before, said_fits};
use super::requirement::{outside, there, writable};
use super::set::{SetError, SetOptions, set_unjudged, unread};
use super::texts::{Languages, NewText, add_texts};
use super::usable::usable_id;
use crate::catalog::{Address, Catalog, LayerId, Seen};
use crate::check::Finding;
use crate::document::{Draft, FieldPath, Step};
use crate::effective::{Effective, World, same};
use crate::rulebook::{KindId, NameFrom, Reading, TypeId};
use crate::source::ChangeSet;

/// How a copy starts.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Start {
    /// It inherits from the original.
    Inherit,
    /// It states everything itself.
    Whole,
}

/// What to copy.
#[derive(Clone, Debug)]
pub struct CopyOptions {
    /// The mod that is written to.
    pub layer: LayerId,
    /// The original.
    pub original: Address,
    /// The new id.
    pub id: String,
    /// How it starts; without it, by inheriting where the kind can.
    pub start: Option<Start>,
    /// Fields through which the original owns other definitions, which are copied along.
    pub with: Vec<FieldPath>,
    /// What is to be different.
    pub assignments: Vec<Assignment>,
    /// The readable name; without it, the original's.
    pub name: Option<String>,
}

/// What to make.
#[derive(Clone, Debug)]
pub struct NewOptions {
    /// The mod that is written to.
    pub layer: LayerId,
    /// The kind.
    pub kind: KindId,
    /// The new id.
    pub id: String,
    /// The values.
    pub assignments: Vec<Assignment>,
    /// A definition of the kind that gives what must be there and is not assigned.
    pub like: Option<Address>,
    /// The readable name.
    pub name: Option<String>,
}

/// One way to start, and what it leaves to state.
#[derive(Clone, Debug)]
pub struct StartingPoint {
    /// The definition to inherit from; none: state everything.
    pub parent: Option<Address>,
    /// The fields that have to be stated to be as the original is.
    pub to_state: Vec<FieldPath>,
}

/// What came of it.
#[derive(Clone, Debug, Default)]
pub struct MadeReport {
    /// The files to write.
    pub changes: ChangeSet,
    /// The new definitions: kind, id, and the original.
    pub made: Vec<(KindId, String, Option<Address>)>,
    /// Fields of the original that were left out, since no two definitions may share them.
    pub dropped: Vec<FieldPath>,
    /// What the new definition names together with its original.
    pub shared: Vec<(FieldPath, Address)>,
    /// The ways to start, the one that leaves least to state first.
    pub starts: Vec<StartingPoint>,
    /// Text keys that were written.
    pub texts: Vec<String>,
    /// What checks say of it that they did not before.
    pub told: Vec<Finding>,
    /// Assignments that start from what is there; made once the files are taken in.
    left: Vec<Assignment>,
    /// The definition that the new one is to inherit from.
    inherits: Option<Address>,
    /// What the new definition is to show.
    shows: Vec<(FieldPath, Draft, TypeId)>,
}

/// Plans a copy, takes it into the world, and reads it back there. Nothing is written.
///
/// # Errors
/// The id is taken or not as ids must be, the original is not on the mod's ground, an assignment does not fit, or
/// what would be written would not be read as what was meant. The world is then no longer of use.
pub fn copy(world: &mut World, options: &CopyOptions) -> Result<MadeReport, SetError> {
    let report = plan_copy(world, options)?;
    made(world, options.layer, report, MadeFrom::Copy)
}

/// Where a copy could start, without making it.
///
/// # Errors
/// As of [`copy`].
pub fn plan_copy(world: &World, options: &CopyOptions) -> Result<MadeReport, SetError> {
    let catalog = &world.catalog;
    on_ground(world, options.layer, options.original)?;
    let view = world.with_ground(options.layer);
    let effective = view
        .effective(options.original)
        .ok_or_else(|| SetError::Problem(format!("`{}` is not there", catalog.show_address(options.original))))?;
    let kind = effective.kind;
    usable_id(world, options.layer, (kind, &options.id), true)?;
    let described = catalog.rulebook.kind(kind);
    let start = match (options.start, described.parent) {
        (Some(Start::Inherit), None) => {
            let message = format!(
                "{} {} cannot inherit; copy it with `--whole`",
                crate::rulebook::article(described.name()),
                described.name()
            );
            return Err(SetError::Problem(message));
        }
        (Some(start), _) => start,
        (None, Some(_)) => Start::Inherit,
        (None, None) => Start::Whole,
    };
    let mut report = MadeReport::default();
    let dropped = unique_fields(catalog, kind);
    let mut draft = match (start, described.parent) {
        (Start::Inherit, Some(parent)) => Draft::Table(vec![(
            catalog.names.text(parent).to_owned(),
            Draft::Text(parent_word(catalog, (kind, &options.id), options.original)),
        )]),
        _ => stated(catalog, &effective, described.parent.map(|parent| catalog.names.text(parent))),
    };
    for path in &dropped {
        if draft.at(path).is_some() || (start == Start::Inherit && effective.get(catalog, path).is_some()) {
            report.dropped.push(path.clone());
            remove(&mut draft, path);
        }
    }
    unname(catalog, kind, &mut draft);
    if let Some(name) = &options.name {
        label(catalog, kind, &effective.value.draft(catalog), name, &mut draft);
    }
    let mut texts = copied_texts(&view, options.original, kind, &options.id, options.name.as_deref());
    own_keys(catalog, &effective, &options.id, &texts, &mut draft);
    report.made.push((kind, options.id.clone(), Some(options.original)));
    report.inherits = (start == Start::Inherit && described.parent.is_some()).then_some(options.original);
    let mut others: Vec<(KindId, String, Draft, Address)> = Vec::new();
    for field in &options.with {
        along(world, options, &effective, field, &mut draft, &mut others)?;
    }
    (report.left, report.shows) = assign(world, options.layer, (kind, &options.id), &options.assignments, &mut draft)?;
    report.shared = shared(&view, &effective, &draft, &options.assignments);
    report.starts = starts(world, options.layer, &effective);
    // what inherits states next to nothing of its own
    let whole = start == Start::Whole || described.parent.is_none();
    let original = Original::of(catalog, &effective.value).filter(|_| whole);
    let mut of_kinds: Vec<(KindId, Vec<New>)> = vec![(kind, vec![New { id: options.id.clone(), draft, original }])];
    for (kind, id, draft, original) in others {
        texts.extend(copied_texts(&view, original, kind, &id, None));
        match of_kinds.iter_mut().find(|(known, _)| *known == kind) {
            Some((_, all)) => all.push(New { id: id.clone(), draft, original: None }),
            None => of_kinds.push((kind, vec![New { id: id.clone(), draft, original: None }])),
        }
        report.made.push((kind, id, Some(original)));
    }
    let mut files = Vec::new();
    for (kind, definitions) in of_kinds {
        merge(&mut files, put(catalog, options.layer, kind, &definitions)?)?;
    }
    report.texts = texts.iter().map(|(key, ..)| key.clone()).collect();
    report.texts.dedup();
    files.extend(add_texts(catalog, options.layer, &texts, Languages::Known)?);
    report.changes = files.into();
    Ok(report)
}

/// What a new definition is made from.
#[derive(Clone, Copy, PartialEq, Eq)]
enum MadeFrom {
    Nothing,
    /// What must be there of another one.
    Like,
    Copy,
}

/// Takes new definitions into the world, makes the assignments that start from them, and compares what is read
/// there with what is about to be said.
fn made(world: &mut World, layer: LayerId, mut report: MadeReport, from: MadeFrom) -> Result<MadeReport, SetError> {
    let before = Before::of(world, layer, None);
    let judged = Judged::before(world, layer, &[]);
    let along = coming_along(&world.catalog, layer, &report.changes.files);
    let along: Vec<(KindId, &str)> = along.iter().map(|(kind, id)| (*kind, id.as_str())).collect();
    let mut files = world.take_in(layer, &report.changes).map_err(unread)?;
    let first = report.made.first().map(|(kind, id, _)| (*kind, id.clone()));
    if let (false, Some((kind, id))) = (report.left.is_empty(), &first) {
        let made = report.made.iter().map(|(kind, id, _)| (*kind, id.as_str()));
        let made: Vec<(KindId, &str)> = made.chain(along.iter().copied()).collect();
        before.read_back(world, layer, &made, &files)?;
        let assignments = std::mem::take(&mut report.left);
        let options = SetOptions { layer, kind: *kind, id: id.clone(), assignments, why: None, at_anchor: false };
        let more = set_unjudged(world, &options)?.changes;
        report.shows.retain(|(path, ..)| !options.assignments.iter().any(|later| later.path == *path));
        files.extend(more.files.iter().filter_map(|change| world.catalog.file_named(change.path())));
        report.changes = std::mem::take(&mut report.changes).then(more);
    }
    let made = report.made.iter().map(|(kind, id, _)| (*kind, id.as_str()));
    let made: Vec<(KindId, &str)> = made.chain(along.iter().copied()).collect();
    before.read_back(world, layer, &made, &files)?;
    let catalog = &world.catalog;
    let shown = first.and_then(|(kind, id)| {
        let address = catalog.address(kind, &id)?;
        world.with_ground(layer).effective(address)
    });
    if let (Some(parent), Some((kind, id, _))) = (report.inherits, report.made.first()) {
        let view = world.with_ground(layer);
        let own = catalog.address(*kind, id).and_then(|address| view.own(address));
        let parents = own.map(|own| view.parents_of(&own)).unwrap_or_default();
        if !parents.contains(&parent) && !report.shows.iter().any(|(path, ..)| is_parent(catalog, *kind, path)) {
            let parent = catalog.show_address(parent);
            let message = format!("`{id}` would not inherit from `{parent}`: nothing leads there from its file");
            return Err(SetError::Problem(message));
        }
    }
    as_said(catalog, shown.as_ref(), &report.shows)?;
    let made = report.made.first().and_then(|(kind, id, original)| Some((catalog.address(*kind, id)?, *original)));
    if let Some((address, original)) = made {
        let said: Vec<&FieldPath> = report.shows.iter().map(|(path, ..)| path).collect();
        said_fits(world, layer, address, &said, original.filter(|_| from == MadeFrom::Copy))?;
    }
    let some = report.made.iter().filter_map(|(kind, id, _)| catalog.address(*kind, id)).collect::<Vec<_>>();
    // what is taken over is as it is there, but for what no two may share
    let counts = |finding: &Finding| {
        let is_said = |path: &FieldPath| report.shows.iter().any(|(said, ..)| said.is_on_one_way(path));
        from == MadeFrom::Nothing || finding.path.as_ref().is_none_or(is_said)
    };
    report.told = judged.after(world, layer, &some, counts).map_err(|(_, error)| error)?;
    if let Some(key) = report.texts.iter().find(|key| !catalog.texts.contains_key(key.as_str())) {
        return Err(SetError::Problem(format!("nothing would read the text `{key}` where it would be written")));
    }
    Ok(report)
}

/// Whether a definition shows what was said of it.
///
/// # Errors
/// The first that it does not.
fn as_said(catalog: &Catalog, shown: Option<&Effective>, said: &[(FieldPath, Draft, TypeId)]) -> Result<(), SetError> {
    for (path, wanted, ty) in said {
        let value = shown.and_then(|effective| effective.get(catalog, path)).map(|value| value.draft(catalog));
        if !value.as_ref().is_some_and(|value| same(value, wanted, *ty, &catalog.rulebook, &catalog.names)) {
            let value = value.map_or("nothing".to_owned(), |value| value.short());
            return Err(SetError::Problem(format!("`{path}` would show {value} instead of {}", wanted.short())));
        }
    }
    Ok(())
}

/// Whether a path is that of the parents of a kind.
fn is_parent(catalog: &Catalog, kind: KindId, path: &FieldPath) -> bool {
    let parent = catalog.rulebook.kind(kind).parent.map(|key| catalog.names.text(key));
    parent.is_some() && path.first_key() == parent
}

/// Whether a plain assignment fits a field of a kind.
///
/// # Errors
/// There is no such field, or the value does not fit it.
pub fn fits_field(
    world: &World,
    layer: LayerId,
    kind: KindId,
    assignment: &Assignment,
) -> Result<(), super::AssignmentError> {
    typed_at(world, layer, kind, (None, &Draft::Table(Vec::new())), (assignment, &[])).map(|_| ())
}

/// Ids on a mod's ground that a field can name, of a link or of a list of links, in order.
pub fn linked_ids(catalog: &Catalog, layer: LayerId, ty: TypeId) -> Vec<String> {
    let seen = catalog.seen_in(catalog.layer(layer).ground.with(layer));
    let kinds = catalog.rulebook.link_kinds(ty);
    let of_kinds = seen.addresses().into_iter().filter(|a| seen.kind_of(*a).is_some_and(|k| kinds.contains(&k)));
    of_kinds.map(|address| catalog.names.text(address.id).to_owned()).collect()
}

fn on_ground(world: &World, layer: LayerId, address: Address) -> Result<(), SetError> {
    writable(&world.catalog, layer)?;
    there(world, layer, address)?;
    match outside(world, layer, address) {
        Some(other) => Err(SetError::Requirement {
            address: world.catalog.show_address(address),
            other,
            own: world.catalog.layer(layer).id.clone(),
        }),
        None => Ok(()),
    }
}

/// Fields that no two definitions may share.
fn unique_fields(catalog: &Catalog, kind: KindId) -> Vec<FieldPath> {
    let rulebook = &catalog.rulebook;
    let unique = |ty: &TypeId| rulebook.field_type(*ty).demands().is_some_and(|demands| demands.unique);
    let fields = rulebook.fields_below(rulebook.kind(kind).root()).into_iter().map(|(_, ty)| ty).filter(unique);
    fields.filter_map(|ty| FieldPath::parse(&rulebook.field_type(ty).pattern).ok()).collect()
}

/// Puts a readable name into the field that holds it, where it is no key of a text: into the table that stands there,
/// or as the text itself.
fn label(catalog: &Catalog, kind: KindId, original: &Draft, name: &str, draft: &mut Draft) {
    let rulebook = &catalog.rulebook;
    let described = rulebook.kind(kind);
    let Some(path) = &described.label else { return };
    let Ok(ty) = rulebook.type_at(described.root, path, &catalog.names) else { return };
    let is_text = |ty: TypeId| matches!(rulebook.field_type(ty).reading, Reading::Text);
    let of_table = || {
        let fields = rulebook.tables_of(ty).flat_map(|table| &table.fields);
        fields.filter(|(_, ty)| is_text(*ty)).map(|(key, _)| catalog.names.text(*key)).next()
    };
    let single = match &rulebook.field_type(ty).reading {
        Reading::Either { single, .. } => is_text(*single),
        Reading::Text => true,
        _ => false,
    };
    let table = matches!(original.at(path), Some(Draft::Table(_)));
    match of_table().filter(|_| table || !single) {
        Some(key) => {
            if let Some(value) = original.at(path).filter(|_| draft.at(path).is_none()) {
                draft.put_at(path.steps(), value.clone());
            }
            draft.put_at(path.with(Step::Key(key.to_owned())).steps(), Draft::Text(name.to_owned()));
        }
        None if single => draft.put_at(path.steps(), Draft::Text(name.to_owned())),
        None => {}
    }
}

/// How a kind's definitions name a parent.
fn parent_word(catalog: &Catalog, (kind, new): (KindId, &str), parent: Address) -> String {
    let id = catalog.names.text(parent.id);
    // from its own folder and those around it, what is nearest is meant
    let near = || {
        let mut folder = folder_and_name(catalog, kind, new).0?;
        let (_, name) = folder_and_name(catalog, kind, id);
        loop {
            let there = if folder.is_empty() { name.to_owned() } else { format!("{folder}/{name}") };
            if catalog.address(kind, &there).is_some_and(|address| catalog.seen().stands(address)) {
                return (there == id).then_some(name);
            }
            folder = folder.rsplit_once('/').map_or("", |(above, _)| above);
            if folder.is_empty() && there == name {
                return None;
            }
        }
    };
    let id = near().unwrap_or(id);
    let link = catalog.rulebook.link_of_parent(catalog.rulebook.kind(kind));
    let of_kind = catalog.kind_of(parent).unwrap_or(kind);
    link.and_then(|link| link.decorated(of_kind, id)).unwrap_or_else(|| id.to_owned())
}

/// All that a definition states or inherits, without its parent.
fn stated(catalog: &Catalog, effective: &Effective, parent: Option<&str>) -> Draft {
    match effective.value.draft(catalog) {
        Draft::Table(entries) => {
            Draft::Table(entries.into_iter().filter(|(key, _)| Some(key.as_str()) != parent).collect())
        }
        other => other,
    }
}

/// Takes the fields out that name a definition.
fn unname(catalog: &Catalog, kind: KindId, draft: &mut Draft) {
    for from in &catalog.rulebook.kind(kind).name_from {
        if let NameFrom::Field(path) | NameFrom::Fields(path) = from {
            remove(draft, path);
        }
    }
    catalog.rulebook.kind(kind).repeats_id.iter().for_each(|path| remove(draft, path));
}

fn remove(draft: &mut Draft, path: &FieldPath) {
    let Some((above, Step::Key(key))) = path.split_last() else { return };
    let mut here = draft;
    for step in above.steps() {
        let (Step::Key(key), Draft::Table(entries)) = (step, here) else { return };
        let Some((_, next)) = entries.iter_mut().find(|(known, _)| known == key) else { return };
        here = next;
    }
    if let Draft::Table(entries) = here {
        entries.retain(|(known, _)| known != key);
    }
}

/// Assignments that start from what stands there, and what the others are to show.
type Assigned = (Vec<Assignment>, Vec<(FieldPath, Draft, TypeId)>);

/// Puts plain assignments into a draft; gives back those that start from what stands there.
fn assign(
    world: &World,
    layer: LayerId,
    (kind, id): (KindId, &str),
    assignments: &[Assignment],
    draft: &mut Draft,
) -> Result<Assigned, SetError> {
    let mut left = Vec::new();
    let mut shows: Vec<(FieldPath, Draft, TypeId)> = Vec::new();
    for assignment in assignments {
        let plain = assignment.path.steps().iter().all(|step| matches!(step, Step::Key(_)));
        let ty = super::read::field_at(&world.catalog, kind, assignment)?;
        if assignment.assigns != Assigns::Set || !plain {
            left.push(assignment.clone());
            continue;
        }
        let value = typed_at(world, layer, kind, (Some(id), draft), (assignment, assignments))?;
        // a quantity in the form that stood there, or in the one that is typed
        let written = match (&value, &world.catalog.rulebook.field_type(ty).written) {
            (Draft::Number(number), Some(written)) if !written.units.is_empty() => {
                let was = draft.at(&assignment.path).and_then(Draft::word);
                let said = written.quantity_typed(number, &assignment.value, was.as_deref());
                said.map_or_else(|| value.clone(), Draft::Text)
            }
            _ => with_units(&world.catalog, ty, value.clone(), &assignment.value),
        };
        draft.put_at(assignment.path.steps(), written);
        shows.retain(|(path, ..)| *path != assignment.path);
        shows.push((assignment.path.clone(), value, ty));
    }
    Ok((left, shows))
}

/// The texts of the original under the keys of the copy.
fn copied_texts(seen: &Seen<'_>, original: Address, kind: KindId, id: &str, name: Option<&str>) -> Vec<NewText> {
    let catalog = seen.catalog;
    let described = catalog.rulebook.kind(kind);
    let main = catalog.rulebook.texts.as_ref().map_or("en", |texts| texts.main.as_str());
    let mut out: Vec<NewText> = Vec::new();
    for (role, language, at) in seen.texts_of(original) {
        let Some(key) = described.text_key(&role, id) else { continue };
        let text = catalog.node(at).text().into_owned();
        match name.filter(|_| role == "name") {
            Some(name) if language == main => out.push((key, language, name.to_owned())),
            // a name in one language says nothing of it in the others
            Some(_) => {}
            None => out.push((key, language, text)),
        }
    }
    out
}

/// Joins changes of files; one file cannot be changed twice.
fn merge(files: &mut Vec<crate::source::FileChange>, more: Vec<crate::source::FileChange>) -> Result<(), SetError> {
    for change in more {
        if files.iter().any(|known| known.path() == change.path()) {
            let message = format!("both copies would go into `{}`; copy them one after the other", change.path());
            return Err(SetError::Problem(message));
        }
        files.push(change);
    }
    Ok(())
}
