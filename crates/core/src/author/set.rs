//! `set`: changes values of one definition. A definition of the edited mod is changed in its file; one of a
//! lower layer gets an amendment.

mod in_place;
mod many;
mod plan;
mod rewrite;
pub(super) mod sort;

pub use self::many::{ManyOptions, ManyReport, SelectError, Selection, select, set_many};
use self::plan::Plan;
pub(super) use self::plan::{AMENDMENTS, block, new_blocks};
use super::assign::{Assignment, AssignmentError};
use super::judged::Judged;
use super::read_back::Before;
use super::requirement::{outside, there, writable};
use super::taken::Taken;
use crate::catalog::{Address, Catalog, LayerId};
use crate::check::Finding;
use crate::document::{Draft, EditError, FieldPath};
use crate::effective::{Obstacle, ProblemKind, World, same};
use crate::nearest::nearest;
use crate::rulebook::{KindId, TypeId};
use crate::source::ChangeSet;

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
    /// The unit of both, where they are bare numbers.
    pub unit: Option<String>,
}

/// What showed before and shows after at each path of a definition; several assignments of one field are one change.
fn all_changed(
    catalog: &Catalog,
    kind: KindId,
    paths: Vec<FieldPath>,
    (before, after): (Vec<Option<Draft>>, Vec<Option<Draft>>),
) -> Vec<Changed> {
    let (rulebook, names) = (&catalog.rulebook, &catalog.names);
    let root = rulebook.kind(kind).root;
    let one = |((path, before), after): ((FieldPath, Option<Draft>), Option<Draft>)| {
        let is_number = |draft: &&Draft| matches!(draft, Draft::Number(_));
        let number = before.as_ref().filter(is_number).or(after.as_ref().filter(is_number));
        let ty = rulebook.type_at(root, &path, names).ok();
        let unit = number.and_then(|number| rulebook.field_type(ty?).unit_of(number).map(str::to_owned));
        Changed { path, before, after, unit }
    };
    let mut all: Vec<Changed> = paths.into_iter().zip(before).zip(after).map(one).collect();
    all.dedup_by(|later, earlier| later.path == earlier.path);
    all
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
    /// Fields that there are from now on, since a word decides that, with what counts where nothing is stated.
    pub comes: Vec<(FieldPath, Option<Draft>)>,
    /// What checks say of it that they did not before: what lacks can still be made.
    pub told: Vec<Finding>,
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
        "`{address}` is from the mod `{other}`, which `{own}` does not require\n  help: `--require` adds the requirement"
    )]
    Requirement {
        /// The definition.
        address: String,
        /// The mod it is from.
        other: String,
        /// The mod that is edited.
        own: String,
    },
    /// Nothing says where requirements stand.
    #[error("nothing says where the requirements of the mod are named")]
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
    let some = world.catalog.address(options.kind, &options.id);
    let judged = Judged::before(world, options.layer, some.as_slice());
    let mut report = set_unjudged(world, options)?;
    if !report.changes.files.is_empty() {
        report.told = judged.after(world, options.layer, some.as_slice(), |_| true).map_err(|(_, error)| error)?;
    }
    Ok(report)
}

/// As [`set`], whatever checks would say of values that fit their fields.
pub(super) fn set_unjudged(world: &mut World, options: &SetOptions) -> Result<SetReport, SetError> {
    writable(&world.catalog, options.layer)?;
    let kind_name = world.catalog.rulebook.kind(options.kind).name().to_owned();
    let address = world.catalog.address(options.kind, &options.id).filter(|a| world.catalog.stacks.has(*a));
    let Some(address) = address else {
        let space = world.catalog.rulebook.kind(options.kind).space;
        let near = nearest(&options.id, world.with_ground(options.layer).ids_of(space)).map(str::to_owned);
        return Err(SetError::NoDefinition { kind: kind_name, id: options.id.clone(), near });
    };
    there(world, options.layer, address)?;
    if let Some(other) = outside(world, options.layer, address) {
        let own = world.catalog.layer(options.layer).id.clone();
        return Err(SetError::Requirement { address: world.catalog.show_address(address), other, own });
    }
    let sort::Sorted { assignments, comes } = sort::sorted(world, options, address)?;
    let options = &SetOptions { assignments, ..options.clone() };
    // what is told is the field that changes, not the game's notation for the change
    let change = |path: &FieldPath| world.catalog.rulebook.changes_below(options.kind, path, &world.catalog.names);
    let told = |path: &FieldPath| if change(path) { path.skip(1) } else { path.clone() };
    let paths: Vec<FieldPath> = options.assignments.iter().map(|assignment| told(&assignment.path)).collect();
    let before = shown(world, options.layer, address, &paths);
    let state = Before::of(world, options.layer, Some(address));
    let mut amended = false;
    let mut taken = Taken::default();
    let mut wanted: Vec<Wanted> = Vec::new();
    let mut rest = options.assignments.as_slice();
    while !rest.is_empty() {
        let plan = Plan::new(world, options, address, rest)?;
        rest = rest.get(plan.wanted.len()..).unwrap_or_default();
        amended |= plan.amends;
        wanted.extend(plan.wanted);
        taken.take_in(world, options.layer, &plan.texts)?;
    }
    problems(world, options.layer, address)?;
    let after = shown(world, options.layer, address, &paths);
    let changes = taken.changes(world);
    if !changes.files.is_empty() {
        state.read_back(world, options.layer, &[], &[])?;
        as_wanted(world, options, address, &wanted, (&before, &after))?;
    }
    let changed = all_changed(&world.catalog, options.kind, paths, (before, after));
    Ok(SetReport { changes, changed, amended, comes, told: Vec::new() })
}

/// What shows at some paths, on a mod's ground with the mod.
fn shown(world: &World, layer: LayerId, address: Address, paths: &[FieldPath]) -> Vec<Option<Draft>> {
    let effective = world.with_ground(layer).effective_at(address, paths);
    let value = |path: &FieldPath| Some(effective.as_ref()?.get(&world.catalog, path)?.draft(&world.catalog));
    paths.iter().map(value).collect()
}

pub(super) fn unread(path: String) -> SetError {
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
        if later.iter().any(|later| later.path.is_on_one_way(&assignment.path)) {
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
        let why = place.map_or(String::new(), |place| format!(", as {} has it", catalog.line_of(place)));
        let shown = catalog.show_address(address);
        let message = format!("`{}` of `{shown}` would show {shows} all the same{why}", assignment.path);
        return Err(SetError::Problem(message));
    }
    Ok(())
}

/// What the layer's amendments of this definition cannot do.
fn problems(world: &World, layer: LayerId, address: Address) -> Result<(), SetError> {
    for problem in world.problems_of(layer).filter(|problem| problem.address == Some(address)) {
        let shown = world.catalog.show_address(address);
        let message = match &problem.what {
            ProblemKind::NotSayable(nth, reason) => {
                let amendment = world.catalog.amendment(problem.amendment);
                let path = amendment.and_then(|(amendment, _)| amendment.ops.get(*nth)).map(|op| &op.path);
                let of = path.map_or(format!("`{shown}`"), |path| format!("`{path}` in `{shown}`"));
                let message = format!("the game has no notation for this change of {of}");
                return Err(AssignmentError::new(message, Some((*reason).to_owned())).into());
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
