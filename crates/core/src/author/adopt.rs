//! A copy of the base that was edited in place becomes a mod that states only the differences.

use std::collections::BTreeSet;

use super::delete::taken_away;
use super::place::{New, Original, put};
use super::requirement::writable;
use super::set::{AMENDMENTS, SetError, SetOptions, block, new_blocks, unread};
use super::taken::Taken;
use super::texts::{NewText, say_texts};
use crate::catalog::{Address, Catalog, FileRole, LayerId, LayerSet, OpKind};
use crate::document::{Draft, Edit, FieldPath, Step, edit};
use crate::effective::{Problem, ProblemKind, View, World, shows_as};
use crate::rulebook::KindId;
use crate::settle::{Change, ChangeOp, State, difference};
use crate::source::{ChangeSet, FileChange, FileId, Source};

/// What an edited copy came to.
#[derive(Clone, Debug, Default)]
pub struct AdoptReport {
    /// The files to write.
    pub changes: ChangeSet,
    /// Definitions that the copy changes.
    pub changed: Vec<Address>,
    /// Definitions that only the copy has.
    pub new: Vec<Address>,
    /// How many texts are others.
    pub texts: usize,
    /// Definitions that the copy no longer has, and that the mod takes away.
    pub taken_away: Vec<Address>,
    /// Definitions that the copy no longer has, and that the game has no notation to take away.
    pub gone: Vec<Address>,
    /// Definitions that would show otherwise than in the copy, and why where that is known.
    pub left: Vec<(Address, Option<String>)>,
    /// Files of the copy that are others and hold no definitions, by their paths below it.
    pub files: Vec<String>,
}

/// Compares a copy of the base with the base, and states in a mod what is otherwise in it. Nothing is written to disk.
///
/// # Errors
/// The copy cannot be read, or the mod not be written to.
pub fn adopt(
    world: &mut World,
    source: &dyn Source,
    layer: LayerId,
    folders: &[String],
) -> Result<AdoptReport, SetError> {
    writable(&world.catalog, layer)?;
    let folders = &in_parts(&world.catalog, source, folders);
    let copy = world.with_base(source, folders).map_err(|error| SetError::Problem(error.to_string()))?;
    let base = world.catalog.base();
    let mut report = AdoptReport { files: other_files(world, &copy, source, folders), ..AdoptReport::default() };
    let mut reasons: Vec<(Address, String)> = Vec::new();
    // by kind: amendments, and what is new
    let (amended, new) = {
        let (x, y) = (State::of(world.view().of(base.clone())), State::of(copy.view().of(base.clone())));
        let mut all: BTreeSet<Address> = world.view().of(base.clone()).standing().into_iter().collect();
        all.extend(copy.view().of(base.clone()).standing());
        // what the mod says already needs not to be said again
        let ours = world.view().of(base.with(layer));
        let theirs = copy.view().of(base.clone());
        let stands = |address: &Address| shows_as(&ours, &theirs, *address);
        let touched = world.touched_by(layer);
        let mut all: Vec<Address> = all.into_iter().filter(|address| !stands(address)).collect();
        world.catalog.sort_by_name(&mut all);
        let (said, all): (Vec<Address>, Vec<Address>) = all.into_iter().partition(|at| touched.contains(at));
        report.left.extend(said.into_iter().map(|at| (at, Some("the mod changes it already".to_owned()))));
        planned(world, &copy, &base, &difference(&x, &y, &all), (&mut report, &mut reasons))
    };
    for (kind, definitions) in &new {
        let ids = definitions.iter().filter_map(|new| world.catalog.address(*kind, &new.id));
        let anothers = ids.filter(|at| world.catalog.is_of_another(layer, at.id, *kind));
        let why =
            "ids of this kind are made of the mod's, so it has another one here, and what names it has to say that";
        reasons.extend(anothers.map(|at| (at, why.to_owned())));
    }
    for (kind, definitions) in new {
        let changes: ChangeSet = put(&world.catalog, layer, kind, &definitions)?.into();
        world.take_in(layer, &changes).map_err(unread)?;
        report.changes = std::mem::take(&mut report.changes).then(changes);
    }
    for (kind, all) in amended {
        let mut taken = Taken::default();
        let mut rest = all;
        taken.take_in_changes(world, layer, &amendments(world, layer, kind, &rest)?)?;
        // what the game has no notation for is left out and told: values that are taken away, else the whole
        for whole in [false, true] {
            let refused = refused(world, layer);
            if refused.is_empty() {
                break;
            }
            taken.take_back(world, layer, AMENDMENTS)?;
            for (_, ops) in rest.iter_mut().filter(|(address, _)| refused.iter().any(|(at, _)| at == address)) {
                ops.retain(|(op, ..)| !whole && *op != OpKind::Unset);
            }
            rest.retain(|(_, ops)| !ops.is_empty());
            taken.take_in_changes(world, layer, &amendments(world, layer, kind, &rest)?)?;
            reasons.extend(refused);
        }
        if !rest.is_empty() {
            report.changes = std::mem::take(&mut report.changes).then(taken.changes(world));
        }
    }
    let (made, changes) = taken_away(world, layer, &report.gone)?;
    report.changes = std::mem::take(&mut report.changes).then(changes);
    report.taken_away.extend(made.into_iter().map(|(_, address)| address));
    report.gone.retain(|address| !report.taken_away.contains(address));
    let texts = other_texts(world, &copy, &base, layer);
    if !texts.is_empty() {
        report.texts = texts.len();
        report.changes = std::mem::take(&mut report.changes).then(say_texts(world, layer, &texts)?.changes);
    }
    let mut told = BTreeSet::new();
    report.changed.retain(|address| told.insert(*address));
    let view = world.view().of(base.with(layer));
    let shows = |address: Address| shows_as(&view, &copy.view().of(base.clone()), address);
    let taken_away = report.taken_away.iter().filter(|address| view.stands(**address));
    report.left.extend(taken_away.map(|address| (*address, None)));
    for address in report.changed.iter().chain(&report.new).filter(|address| !shows(**address)) {
        let why = reasons.iter().find(|(at, _)| at == address).map(|(_, why)| why.clone());
        report.left.push((*address, why));
    }
    let left: Vec<Address> = report.left.iter().map(|(address, _)| *address).collect();
    report.changed.retain(|address| !left.contains(address));
    Ok(report)
}

/// The definitions whose amendments by a layer cannot be built, and why.
fn refused(world: &World, layer: LayerId) -> Vec<(Address, String)> {
    let one = |problem: &Problem| {
        let why = match &problem.what {
            ProblemKind::NotSayable(_, reason) => reason.to_string(),
            _ => "an amendment cannot say it".to_owned(),
        };
        Some((problem.address?, why))
    };
    world.problems_of(layer).filter_map(one).collect()
}

/// What there is of each kind.
type OfKinds<T> = Vec<(KindId, Vec<T>)>;

/// Operations of one definition.
type Amended = (Address, Vec<(OpKind, FieldPath, Draft)>);

/// Changes as operations of amendments and as new definitions, by kind.
fn planned(
    world: &World,
    copy: &World,
    base: &LayerSet,
    changes: &[Change],
    (report, reasons): (&mut AdoptReport, &mut Vec<(Address, String)>),
) -> (OfKinds<Amended>, OfKinds<New>) {
    let view = copy.view().of(base.clone());
    let mut amended: OfKinds<Amended> = Vec::new();
    let mut new: OfKinds<New> = Vec::new();
    for change in changes {
        let Some(kind) = view.kind_of(change.at).or_else(|| world.view().of(base.clone()).kind_of(change.at)) else {
            continue;
        };
        let op = match &change.op {
            ChangeOp::Exists => continue,
            ChangeOp::Define(defined) => {
                let draft = defined.0.value.draft(&copy.catalog);
                let original = Original::of(&copy.catalog, &defined.0.value);
                let id = copy.catalog.names.text(change.at.id).to_owned();
                report.new.push(change.at);
                let one = New { id, draft, original };
                match new.iter_mut().find(|(known, _)| *known == kind) {
                    Some((_, all)) => all.push(one),
                    None => new.push((kind, vec![one])),
                }
                continue;
            }
            ChangeOp::Delete => {
                report.gone.push(change.at);
                continue;
            }
            ChangeOp::Set(value) => (OpKind::Set, value.clone()),
            ChangeOp::Unset | ChangeOp::Hide => (OpKind::Unset, Draft::Null),
            ChangeOp::Join(entry) => (OpKind::Add, Draft::List(vec![entry.clone()])),
            ChangeOp::Part(entry) => (OpKind::Remove, Draft::List(vec![entry.clone()])),
            ChangeOp::Append(entries) => (OpKind::Add, Draft::List(entries.clone())),
            ChangeOp::Scale(by) => (OpKind::Multiply, Draft::Number(crate::document::Number::from_decimal(*by))),
            ChangeOp::Shift(by) => (OpKind::Shift, Draft::Number(crate::document::Number::from_decimal(*by))),
        };
        let (kind_op, value) = op;
        // an amendment takes only fields that are described, or that may be there all the same
        let (rulebook, names) = (&world.catalog.rulebook, &world.catalog.names);
        if rulebook.type_or_any(rulebook.kind(kind).root, &change.path, names).is_err() {
            reasons.push((change.at, format!("the rulebook does not describe `{}`", change.path)));
            report.changed.push(change.at);
            continue;
        }
        let of_kind = match amended.iter().position(|(known, _)| *known == kind) {
            Some(at) => at,
            None => {
                amended.push((kind, Vec::new()));
                amended.len() - 1
            }
        };
        let Some((_, all)) = amended.get_mut(of_kind) else { continue };
        let at = match all.iter().position(|(known, _)| *known == change.at) {
            Some(at) => at,
            None => {
                report.changed.push(change.at);
                all.push((change.at, Vec::new()));
                all.len() - 1
            }
        };
        let Some((_, ops)) = all.get_mut(at) else { continue };
        // entries that come into one list, or go from it, are said together
        let known = ops.iter_mut().find(|(known, path, _)| *known == kind_op && *path == change.path);
        match (known, value) {
            (Some((_, _, Draft::List(known))), Draft::List(more)) => known.extend(more),
            (_, value) => ops.push((kind_op, change.path.clone(), value)),
        }
    }
    // a table that is not there at all goes as a whole
    for (address, ops) in amended.iter_mut().flat_map(|(_, all)| all) {
        let there = view.effective(*address);
        let is_there = |path: &FieldPath| there.as_ref().is_some_and(|there| there.get(&copy.catalog, path).is_some());
        for (_, path, _) in ops.iter_mut().filter(|(op, ..)| *op == OpKind::Unset) {
            while let Some((above, Step::Key(_))) = path.split_last()
                && !above.is_empty()
                && !is_there(&above)
            {
                *path = above;
            }
        }
        let mut said: BTreeSet<String> = BTreeSet::new();
        ops.retain(|(op, path, _)| *op != OpKind::Unset || said.insert(path.to_string()));
    }
    (amended, new)
}

/// Amendments of definitions of one kind.
fn amendments(world: &World, layer: LayerId, kind: KindId, all: &[Amended]) -> Result<ChangeSet, SetError> {
    let catalog = &world.catalog;
    let options = SetOptions { layer, kind, id: String::new(), assignments: Vec::new(), why: None, at_anchor: false };
    let blocks = all.iter().map(|(address, ops)| {
        let target = ("of".to_owned(), Draft::Text(catalog.show_address(*address)));
        block(&options, target, ops)
    });
    let mut edits: Vec<(FileId, Vec<Edit>)> = Vec::new();
    let fresh = new_blocks(catalog, &options, blocks.collect(), None, &mut edits)?;
    let mut files = Vec::new();
    for (file, edits) in edits {
        let Some(document) = catalog.document(file) else { continue };
        let text = edit(document, &edits, &catalog.names)?;
        files.push(FileChange::edit(catalog.file(file).path.clone(), &**document.text(), text));
    }
    if let Some((path, text)) = fresh {
        let before = catalog.file_named(&path).map(|file| catalog.text(file).to_owned());
        files.push(FileChange::written(path, before, text));
    }
    Ok(files.into())
}

/// Texts that the copy says otherwise than the base.
fn other_texts(world: &World, copy: &World, base: &LayerSet, layer: LayerId) -> Vec<NewText> {
    let (ours, theirs) = (world.view().of(base.with(layer)), copy.view().of(base.clone()));
    let last = |view: &View<'_>, key: &str, language: &str| {
        view.text(key, language).map(|at| view.catalog.node(at).text().into_owned())
    };
    let keys: BTreeSet<(&str, &str)> = theirs.all_texts().map(|(key, language, _)| (key, language)).collect();
    let other = |(key, language): (&str, &str)| {
        let text = last(&theirs, key, language).filter(|text| !text.is_empty())?;
        (last(&ours, key, language).as_ref() != Some(&text)).then(|| (key.to_owned(), language.to_owned(), text))
    };
    keys.into_iter().filter_map(other).collect()
}

/// Copies in the places of the parts of the base that they are of: where there are fewer of them than parts, each is of
/// the part with which it has most files in common, and the other parts are as they are.
fn in_parts(catalog: &Catalog, source: &dyn Source, folders: &[String]) -> Vec<String> {
    let base = &catalog.workspace.base;
    if folders.len() >= base.len() {
        return folders.to_vec();
    }
    let listed = |folder: &String| -> BTreeSet<String> {
        source.list(folder).unwrap_or_default().into_iter().map(|file| file.path.to_string()).collect()
    };
    let parts: Vec<BTreeSet<String>> = base.iter().map(listed).collect();
    let (mut out, mut taken) = (base.clone(), BTreeSet::new());
    for folder in folders {
        let files = listed(folder);
        let common = |nth: &usize| parts.get(*nth).map_or(0, |part| part.intersection(&files).count());
        // of several that are alike the first
        let free = (0..base.len()).rev().filter(|nth| !taken.contains(nth));
        if let Some(nth) = free.max_by_key(common)
            && let Some(place) = out.get_mut(nth)
        {
            place.clone_from(folder);
            taken.insert(nth);
        }
    }
    out
}

/// Files that are other than in the base and hold neither definitions nor texts.
fn other_files(world: &World, copy: &World, source: &dyn Source, folders: &[String]) -> Vec<String> {
    let catalog = &world.catalog;
    let base: Vec<&str> = catalog.workspace.base.iter().map(String::as_str).collect();
    let mut out = Vec::new();
    for (nth, folder) in folders.iter().enumerate() {
        let Some(below) = base.get(nth).or(base.last()) else { continue };
        for file in source.list(folder).unwrap_or_default() {
            let known = copy.catalog.file_named(&format!("{folder}/{}", file.path));
            let told = known.is_some_and(|known| {
                matches!(copy.catalog.file(known).role, FileRole::Definitions(_) | FileRole::Texts(_))
            });
            let path = format!("{folder}/{}", file.path);
            let same = || source.read(&path).ok() == source.read(&format!("{below}/{}", file.path)).ok();
            if !told && !same() {
                out.push(file.path.to_string());
            }
        }
    }
    out
}
