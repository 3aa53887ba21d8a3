//! Many definitions at once: those for which a condition holds, or that are named. One amendment says it of all that
//! other layers define, where that comes to the same; the mod's own change where they stand.

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::plan::{Planned, block, edited, last_said, new_blocks, of_definitions, push};
use super::{Changed, SetError, SetOptions, Wanted, all_changed, as_wanted, problems, set_unjudged, shown, unread};
use crate::author::assign::{Assignment, Assigns};
use crate::author::judged::Judged;
use crate::author::place::model;
use crate::author::read::{Read, field_at, leads_from_folder, read};
use crate::author::read_back::{Before, Lacks, Unfit};
use crate::author::requirement::writable;
use crate::catalog::{Address, Catalog, LayerId, OpKind, Target};
use crate::check::Finding;
use crate::document::{Draft, Edit, FieldPath};
use crate::effective::{EffectiveScope, Membership, View, World, same};
use crate::expression::{Expression, ExpressionError};
use crate::names::Sym;
use crate::rulebook::{KindId, TypeId};
use crate::source::{ChangeSet, FileChange, FileId};

/// Which definitions are meant.
#[derive(Clone, Debug, Default)]
pub struct Selection {
    /// Only this kind.
    pub kind: Option<KindId>,
    /// Only where this expression holds.
    pub condition: Option<String>,
    /// Only members of this group.
    pub group: Option<Address>,
    /// Only these, where some are named.
    pub addresses: Vec<Address>,
}

/// What to change, and of which definitions.
#[derive(Clone, Debug)]
pub struct ManyOptions {
    /// The mod that is written to.
    pub layer: LayerId,
    /// The definitions.
    pub selection: Selection,
    /// The assignments, in order.
    pub assignments: Vec<Assignment>,
    /// Assignments of single definitions, in place of those for all.
    pub single: FxHashMap<Address, Vec<Assignment>>,
    /// The reason, kept with amendments.
    pub why: Option<String>,
    /// Whether each definition gets an amendment of its own.
    pub each: bool,
}

impl ManyOptions {
    /// Nothing to change, anywhere.
    pub fn none(layer: LayerId) -> ManyOptions {
        ManyOptions {
            layer,
            selection: Selection::default(),
            assignments: Vec::new(),
            single: FxHashMap::default(),
            why: None,
            each: false,
        }
    }

    /// Further assignments of one definition.
    pub fn assign(&mut self, address: Address, assignments: Vec<Assignment>) {
        self.selection.addresses.push(address);
        self.single.entry(address).or_default().extend(assignments);
    }

    /// What is assigned to a definition.
    fn of(&self, address: Address) -> &[Assignment] {
        self.single.get(&address).unwrap_or(&self.assignments)
    }

    fn paths(&self, address: Address) -> Vec<FieldPath> {
        self.of(address).iter().map(|one| one.path.clone()).collect()
    }
}

/// What came of it.
#[derive(Debug, Default)]
pub struct ManyReport {
    /// The files to write.
    pub changes: ChangeSet,
    /// The definitions, with what showed before and what shows after, by field.
    pub rows: Vec<(Address, Vec<Changed>)>,
    /// How many of these one amendment speaks of, with its condition.
    pub together: Option<(usize, String)>,
    /// How many stand in the mod itself.
    pub own: usize,
    /// What checks say of it that they did not before.
    pub told: Vec<Finding>,
}

/// Why nothing was selected.
#[derive(Debug, thiserror::Error)]
pub enum SelectError {
    /// The condition is no expression.
    #[error(transparent)]
    Condition(#[from] ExpressionError),
    /// One of them cannot be changed so.
    #[error("`{shown}`: {error}")]
    Of {
        /// The definition.
        shown: String,
        /// As of its change alone.
        error: SetError,
    },
    /// As of other changes.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// The definitions that are meant, as a mod shows them on its ground, by kind and id.
///
/// # Errors
/// The condition is no expression.
pub fn select(world: &World, layer: LayerId, selection: &Selection) -> Result<Vec<Address>, SelectError> {
    let options = ManyOptions { selection: selection.clone(), ..ManyOptions::none(layer) };
    chosen(world, &world.with_ground(layer), &options)
}

/// The definitions that are meant, as a view shows them, by kind and id.
fn chosen(world: &World, view: &View<'_>, options: &ManyOptions) -> Result<Vec<Address>, SelectError> {
    let (catalog, wanted) = (&world.catalog, &options.selection);
    let kinds: Vec<(KindId, Option<Expression>, Vec<Sym>)> = kinds(catalog, options)?
        .into_iter()
        .map(|(kind, condition)| {
            let fields = condition.as_ref().map(Expression::fields).unwrap_or_default();
            (kind, condition, fields)
        })
        .collect();
    let members = wanted.group.map(|group| Membership::new(view).members(group).to_vec());
    let mut all = match wanted.addresses.is_empty() {
        true => view.standing(),
        false => wanted.addresses.clone(),
    };
    all.retain(|at| members.as_ref().is_none_or(|members| members.contains(at)));
    let holds = |address: &Address| -> Option<bool> {
        let kind = view.kind_of(*address)?;
        let (_, condition, fields) = kinds.iter().find(|(known, ..)| *known == kind)?;
        let Some(condition) = condition else { return Some(true) };
        let effective = view.effective_of(*address, fields)?;
        Some(condition.eval(&EffectiveScope::new(view, &effective)).truth() == Some(true))
    };
    let met: Vec<Option<bool>> = all.par_iter().map(holds).collect();
    let mut out: Vec<Address> =
        all.into_iter().zip(met).filter(|(_, met)| *met == Some(true)).map(|(at, _)| at).collect();
    out.sort_by(|a, b| a.space.cmp(&b.space).then_with(|| catalog.names.text(a.id).cmp(catalog.names.text(b.id))));
    out.dedup();
    Ok(out)
}

/// The kinds that have all fields that are to change, each with the condition.
fn kinds(catalog: &Catalog, options: &ManyOptions) -> Result<Vec<(KindId, Option<Expression>)>, SelectError> {
    let rulebook = &catalog.rulebook;
    let mut out = Vec::new();
    let mut refused: Option<SelectError> = None;
    let all = rulebook.kinds().map(|(kind, _)| kind);
    for kind in all.filter(|kind| options.selection.kind.is_none_or(|only| only == *kind)) {
        let root = rulebook.kind(kind).root;
        // what nobody describes is meant where the kind is said
        let any = options.selection.kind.is_some();
        let is_there = |one: &&Assignment| match any {
            true => field_at(catalog, kind, one).is_ok(),
            false => rulebook.type_at(root, &one.path, &catalog.names).is_ok(),
        };
        if let Some(lacking) = options.assignments.iter().find(|one| !is_there(one)) {
            if options.selection.kind.is_some()
                && let Err(error) = field_at(catalog, kind, lacking)
            {
                return Err(SetError::from(error).into());
            }
            continue;
        }
        let condition = options.selection.condition.as_ref();
        let condition = condition.map(|text| Expression::new(text, kind, rulebook, &catalog.names, true)).transpose();
        match condition {
            Ok(condition) => out.push((kind, condition)),
            Err(errors) => {
                refused = refused.or_else(|| errors.into_iter().next().map(SelectError::Condition));
            }
        }
    }
    match (out.is_empty(), refused) {
        (true, Some(error)) => Err(error),
        (true, None) => {
            let paths: Vec<String> = options.assignments.iter().map(|one| format!("`{}`", one.path)).collect();
            Err(SetError::Problem(format!("no kind has {}", paths.join(" and "))).into())
        }
        _ => Ok(out),
    }
}

/// Plans a change of many definitions, takes it into the world and reads it back. Nothing is written to disk.
///
/// # Errors
/// The condition is no expression; or as of [`set`], for the first definition that cannot be changed so.
pub fn set_many(world: &mut World, options: &ManyOptions) -> Result<ManyReport, SelectError> {
    writable(&world.catalog, options.layer)?;
    let targets = chosen(world, &world.with_ground(options.layer), options)?;
    let judged = Judged::before(world, options.layer, &targets);
    let mut report = ManyReport::default();
    let mut kinds: Vec<KindId> = Vec::new();
    for address in &targets {
        if let Some(kind) = world.view().kind_of(*address).filter(|kind| !kinds.contains(kind)) {
            kinds.push(kind);
        }
    }
    for kind in kinds {
        let of_kind: Vec<Address> =
            targets.iter().copied().filter(|at| world.view().kind_of(*at) == Some(kind)).collect();
        let all_shown = |world: &World| -> Vec<Vec<Option<Draft>>> {
            of_kind.par_iter().map(|at| shown(world, options.layer, *at, &options.paths(*at))).collect()
        };
        let before = all_shown(world);
        of_one_kind(world, options, kind, &of_kind, &before, &mut report)?;
        for ((address, before), after) in of_kind.iter().zip(before).zip(all_shown(world)) {
            let changed = all_changed(&world.catalog, kind, options.paths(*address), (before, after));
            report.rows.push((*address, changed));
        }
    }
    if !report.changes.files.is_empty() {
        let told = judged.after(world, options.layer, &targets, |_| true);
        report.told = told.map_err(|(about, error)| match about {
            Some(address) => named(world, address, error),
            None => error.into(),
        })?;
    }
    Ok(report)
}

/// Plans the change of one kind's definitions, and takes it in.
fn of_one_kind(
    world: &mut World,
    options: &ManyOptions,
    kind: KindId,
    targets: &[Address],
    before: &[Vec<Option<Draft>>],
    report: &mut ManyReport,
) -> Result<(), SelectError> {
    let of = |world: &World, address: Address| of_one(world, options, kind, address);
    let is_own = |world: &World, at: Address| world.catalog.stack(at).any(|(_, made)| made.layer == options.layer);
    let state = Before::of(world, options.layer, None);
    // what is said within a table may need more in it, and what goes may be needed
    let lacks = |one: &Assignment| one.path.steps().len() > 1 || one.assigns == Assigns::Unset;
    let within = |at: &&Address| options.of(**at).iter().any(lacks);
    let nested: Vec<Address> = targets.iter().filter(within).copied().collect();
    let lacks = Lacks::of(world, options.layer, &nested);
    // what goes, and what comes to a list, may leave too little or too much
    let bold = |one: &Assignment| {
        matches!(one.assigns, Assigns::Unset | Assigns::Add | Assigns::Remove) || one.value.starts_with(['[', '{'])
    };
    let depends = world.catalog.rulebook.kind(kind).has_dependent_fields();
    let bold: Vec<Address> = targets.iter().copied().filter(|at| depends || options.of(*at).iter().any(bold)).collect();
    let unfit = Unfit::of(world, options.layer, &bold);
    let (own, lower): (Vec<Address>, Vec<Address>) = targets.iter().copied().partition(|at| is_own(world, *at));
    report.own += own.len();
    let sorts = |at: &Address| super::sort::changes_sort(&world.catalog, kind, options.of(*at));
    let together = if lower.iter().any(sorts) { None } else { together(world, options, kind, &lower)? };
    let mut edits: Vec<(FileId, Vec<Edit>)> = Vec::new();
    let mut blocks: Vec<Draft> = Vec::new();
    let mut wanted: Vec<(Address, Vec<Wanted>)> = Vec::new();
    let mut alone: Vec<Address> = Vec::new();
    let any = targets.first().copied();
    let known = of_definitions(&world.catalog, options.layer, kind);
    let one_by_one: &[Address] = if together.is_some() { &own } else { targets };
    let planned: Vec<(SetOptions, Option<Result<Planned, SetError>>)> = one_by_one
        .par_iter()
        .map(|address| {
            let set_options = of(world, *address);
            let amended = known.get(set_options.id.as_str()).map(Vec::as_slice).unwrap_or_default();
            // what a word brings about is looked at one by one
            let sort = super::sort::changes_sort(&world.catalog, kind, &set_options.assignments);
            let plan = || Planned::new(world, &set_options, *address, &set_options.assignments, amended);
            let planned = (!sort).then(plan);
            (set_options, planned)
        })
        .collect();
    for (address, (set_options, planned)) in one_by_one.iter().zip(planned) {
        let Some(planned) = planned else {
            alone.push(*address);
            continue;
        };
        let planned = planned.map_err(|error| named(world, *address, error))?;
        if planned.text.is_some() || planned.wanted.len() < set_options.assignments.len() {
            alone.push(*address);
            continue;
        }
        planned.edits.into_iter().for_each(|(file, more)| push(&mut edits, file, more));
        if !planned.fresh.is_empty() {
            let target = ("of".to_owned(), Draft::Text(world.catalog.show_address(*address)));
            blocks.push(block(&set_options, target, &planned.fresh));
        }
        wanted.push((*address, planned.wanted));
    }
    let mut results = Vec::new();
    if let (Some(Together { condition, ops, further, results: shows }), Some(first)) = (together, lower.first()) {
        results = shows;
        let name = world.catalog.rulebook.kind(kind).name().to_owned();
        match further {
            // what an amendment with this condition says already goes on from there
            Some((file, more)) => push(&mut edits, file, more),
            None => {
                let target =
                    vec![("kind".to_owned(), Draft::Text(name)), ("where".to_owned(), Draft::Text(condition.clone()))];
                blocks.push(block(&of(world, *first), ("each".to_owned(), Draft::Table(target)), &ops));
            }
        }
        report.together = Some((lower.len(), condition));
    }
    let catalog = &world.catalog;
    let fresh = match (any, blocks.is_empty()) {
        (Some(first), false) => {
            let behind = one_by_one.par_iter().filter_map(|at| last_said(world, &of(world, *at), *at)).max();
            new_blocks(catalog, &of(world, first), blocks, behind, &mut edits)?
        }
        _ => None,
    };
    let change = |(file, edits): &(FileId, Vec<Edit>)| -> Option<Result<FileChange, SetError>> {
        let document = catalog.document(*file).filter(|_| !edits.is_empty())?;
        let text = edited(catalog, document, model(catalog, kind, document.notation()), edits);
        Some(text.map(|text| FileChange::edit(catalog.file(*file).path.clone(), catalog.text(*file), text)))
    };
    // of several errors the first
    let changes: Vec<Result<FileChange, SetError>> = edits.par_iter().filter_map(change).collect();
    let mut changes: Vec<FileChange> = changes.into_iter().collect::<Result<_, _>>()?;
    changes.extend(fresh.map(|(path, text)| {
        let before = catalog.file_named(&path).map(|file| catalog.text(file).to_owned());
        FileChange::written(path, before, text)
    }));
    let changes: ChangeSet = changes.into();
    world.take_in(options.layer, &changes).map_err(unread)?;
    report.changes = std::mem::take(&mut report.changes).then(changes);
    for address in alone {
        let more = set_unjudged(world, &of(world, address)).map_err(|error| named(world, address, error))?.changes;
        report.changes = std::mem::take(&mut report.changes).then(more);
    }
    let places: FxHashMap<Address, usize> = targets.iter().enumerate().map(|(nth, at)| (*at, nth)).collect();
    let read_back = |(address, wanted): &(Address, Vec<Wanted>)| -> Result<(), SelectError> {
        let old = places.get(address).and_then(|nth| before.get(*nth));
        let after = shown(world, options.layer, *address, &options.paths(*address));
        problems(world, options.layer, *address)?;
        match old {
            Some(old) => as_wanted(world, &of(world, *address), *address, wanted, (old, &after))
                .map_err(|error| named(world, *address, error)),
            None => Ok(()),
        }
    };
    // of several errors the first
    let all: Vec<Result<(), SelectError>> = wanted.par_iter().map(read_back).collect();
    all.into_iter().collect::<Result<(), SelectError>>()?;
    for (nth, address) in lower.iter().enumerate() {
        problems(world, options.layer, *address)?;
        let Some(results) = results.get(nth) else { continue };
        let (rulebook, names) = (&world.catalog.rulebook, &world.catalog.names);
        let paths = options.paths(*address);
        for (((result, ty), shows), path) in
            results.iter().zip(shown(world, options.layer, *address, &paths)).zip(&paths)
        {
            let fine = match (result, &shows) {
                (Some(result), Some(shows)) => same(shows, result, *ty, rulebook, names),
                (result, shows) => result.is_none() && shows.is_none(),
            };
            if !fine {
                let (shown, shows) =
                    (world.catalog.show_address(*address), shows.map_or("nothing".to_owned(), |v| v.short()));
                let wanted = result.as_ref().map_or("nothing".to_owned(), Draft::short);
                let message = format!("`{path}` of `{shown}` would show {shows} instead of {wanted}");
                return Err(
                    SetError::Problem(format!("{message}\n  help: `--each` writes an amendment for each")).into()
                );
            }
        }
    }
    state.read_back(world, options.layer, &[], &[])?;
    unfit.no_more(world, options.layer).map_err(|(address, error)| named(world, address, error))?;
    lacks.no_more(world, options.layer)?;
    Ok(())
}

/// The change of one of them.
fn of_one(world: &World, options: &ManyOptions, kind: KindId, address: Address) -> SetOptions {
    SetOptions {
        layer: options.layer,
        kind,
        id: world.catalog.names.text(address.id).to_owned(),
        assignments: options.of(address).to_vec(),
        why: options.why.clone(),
        at_anchor: false,
    }
}

fn named(world: &World, address: Address, error: SetError) -> SelectError {
    SelectError::Of { shown: world.catalog.show_address(address), error }
}

/// An amendment for all.
struct Together {
    condition: String,
    /// What it says.
    ops: Vec<(OpKind, FieldPath, Draft)>,
    /// The edits where one with this condition is there already.
    further: Option<(FileId, Vec<Edit>)>,
    /// What each definition shows then, by assignment.
    results: Vec<Vec<(Option<Draft>, TypeId)>>,
}

/// What one amendment can say of all definitions of lower layers: it is tried on what lies below the mod, and says the same
/// of each.
fn together(
    world: &World,
    options: &ManyOptions,
    kind: KindId,
    lower: &[Address],
) -> Result<Option<Together>, SelectError> {
    let catalog = &world.catalog;
    let Some(condition) = options.selection.condition.clone() else { return Ok(None) };
    let plain = options.selection.group.is_none() && options.selection.addresses.is_empty() && !options.each;
    let fixed = options.assignments.iter().all(|one| one.assigns != Assigns::Evaluate && one.assigns != Assigns::Unset);
    if !plain || !fixed || lower.len() < 2 {
        return Ok(None);
    }
    let ground =
        ManyOptions { selection: Selection { kind: Some(kind), ..options.selection.clone() }, ..options.clone() };
    let mut below = chosen(world, &world.ground(options.layer), &ground)?;
    below.retain(|at| !catalog.stack(*at).any(|(_, made)| made.layer == options.layer));
    if below != lower {
        return Ok(None);
    }
    let singles = of_definitions(catalog, options.layer, kind);
    let mut ops: Vec<(OpKind, FieldPath, Draft)> = Vec::new();
    let mut results = Vec::new();
    for (nth, address) in lower.iter().enumerate() {
        let one = of_one(world, options, kind, *address);
        // what the mod says of one of them alone lies over what it says of all, or below it
        let single = singles.get(one.id.as_str()).into_iter().flatten().any(|(_, other)| {
            other.ops.iter().any(|op| options.assignments.iter().any(|said| said.path.is_on_one_way(&op.path)))
        });
        if single {
            return Ok(None);
        }
        let (mut said, mut shows) = (Vec::new(), Vec::new());
        for assignment in &options.assignments {
            let read = read(world, &one, *address, assignment).map_err(|error| named(world, *address, error))?;
            if read.result.is_none()
                && !matches!(read.op, OpKind::Add | OpKind::Remove | OpKind::Multiply | OpKind::Shift)
            {
                return Ok(None);
            }
            if nth == 0 && leads_from_folder(catalog, kind, &read) {
                return Ok(None);
            }
            shows.push((read.result, read.ty));
            said.push((read.op, assignment.path.clone(), read.value));
        }
        results.push(shows);
        match nth {
            0 => ops = said,
            _ if said != ops => return Ok(None),
            _ => {}
        }
    }
    let known = catalog.amendments_of(options.layer).find(|(_, other)| {
        matches!(&other.target, Target::Which { condition: Some((text, _)) } if *text == condition)
            && other.kind == kind
            && other.ops.iter().any(|op| ops.iter().any(|(_, path, _)| *path == op.path))
    });
    let Some((id, amendment)) = known else {
        return Ok(Some(Together { condition, ops, further: None, results }));
    };
    let (Some((_, at)), [(op, path, value)]) = (catalog.amendment(id), ops.as_slice()) else { return Ok(None) };
    let first = lower.first().copied();
    let ty = first.and_then(|at| world.ground(options.layer).effective(at)?.type_at(catalog, path));
    let Some(ty) = ty else { return Ok(None) };
    let read = Read { path: path.clone(), ty, op: *op, value: value.clone(), result: None, stands: false };
    let more = super::rewrite::composed_with(world, at.file, amendment, &read);
    Ok(more.map(|more| Together { condition, ops: ops.clone(), further: Some((at.file, more)), results }))
}
