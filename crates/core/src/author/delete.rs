//! `delete`: definitions of a mod go, with what belongs to them; what names them is listed, or goes as far as it may.
//!
//! A definition of a lower layer is taken away where the game has a notation for that.

mod uses;

use std::collections::{BTreeMap, BTreeSet};

use rustc_hash::FxHashMap;

use self::uses::{Goes, Use, dangling, elsewhere, uses, uses_below};
use super::assign::{Assignment, Assigns};
use super::emptied::with_emptied;
use super::place::{New, coming_along, hiding, named, put};
use super::read_back::Before;
use super::rename::{LeftUse, files_of};
use super::requirement::writable;
use super::rewrites::{Rewrites, afterwards, layer_again};
use super::set::{ManyOptions, SelectError, SetError, set_many};
use super::texts::entry_of_text;
use crate::catalog::{Address, Catalog, Harvest, Harvested, LayerId};
use crate::document::{Draft, Edit, FieldPath, NodeRef, Shape};
use crate::effective::World;
use crate::rulebook::{KindId, NameFrom, Reading, Wanted};
use crate::source::{ChangeSet, FileChange, FileId, Source, Stamp};

/// So often it is looked at again what names the definitions that are to go.
const ROUNDS: usize = 64;

/// What to delete.
#[derive(Clone, Debug)]
pub struct DeleteOptions {
    /// The mod that is written to.
    pub layer: LayerId,
    /// The definitions.
    pub addresses: Vec<Address>,
    /// Whether list entries and references that may be left out go, too.
    pub cascade: bool,
}

/// What a deletion comes to.
#[derive(Default, Debug)]
pub struct DeleteReport {
    /// The files to write.
    pub changes: ChangeSet,
    /// The definitions that go, as addresses.
    pub gone: Vec<String>,
    /// Of these, what the mod takes away from a lower layer by the game's own notation.
    pub taken_away: Vec<String>,
    /// Of these, what lower layers define and stays there: only what the mod itself states of it goes.
    pub taken_back: Vec<String>,
    /// References that go with them: what they stand in, and the field.
    pub cascaded: Vec<(String, String)>,
    /// Keys of texts that go along.
    pub texts: Vec<String>,
    /// Files that go along.
    pub files: Vec<String>,
    /// Uses in other mods, which stay.
    pub elsewhere: Vec<LeftUse>,
    /// What below the mod still names what it takes away.
    pub below: Vec<LeftUse>,
}

/// Why nothing is deleted.
#[derive(Debug, thiserror::Error)]
pub enum DeleteError {
    /// Something of the mod leads there.
    #[error("{0}")]
    Used(String, Vec<LeftUse>),
    /// As of other changes.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// Plans to delete definitions and reads the rest back. Nothing is written; the world is then no longer of use.
///
/// # Errors
/// Something of the mod leads there that does not go, or the game knows no way to take a definition of a lower layer
/// away.
pub fn delete(source: &dyn Source, world: &mut World, options: &DeleteOptions) -> Result<DeleteReport, DeleteError> {
    let layer = options.layer;
    writable(&world.catalog, layer)?;
    let mut report = DeleteReport::default();
    let mut own: Vec<Address> = Vec::new();
    let mut lower: Vec<Address> = Vec::new();
    let mut back: Vec<Address> = Vec::new();
    for address in &options.addresses {
        let shown = world.catalog.show_address(*address);
        super::requirement::there(world, layer, *address)?;
        let mine = world.catalog.stack(*address).any(|(_, made)| made.layer == layer);
        let below = world.ground(layer).stands(*address);
        match (mine, below) {
            (true, false) => own.push(*address),
            (_, true) => match can_take_away(world, options.layer, *address) {
                Ok(()) => lower.push(*address),
                Err(_) if mine => {
                    back.push(*address);
                    report.taken_back.push(shown.clone());
                }
                Err(error) => return Err(error.into()),
            },
            (false, false) => {
                let from = world.catalog.stack(*address).next();
                let from = from.map(|(_, made)| world.catalog.layer(made.layer).id.clone()).unwrap_or_default();
                let own = &world.catalog.layer(layer).id;
                let message = format!("`{own}` does not define `{shown}`\n  help: `--mod {from}` deletes it there");
                return Err(SetError::Problem(message).into());
            }
        }
        report.gone.push(shown);
    }
    report.elsewhere = elsewhere(world, layer, &own);
    let for_good: Vec<Address> = options.addresses.iter().copied().filter(|at| !back.contains(at)).collect();
    let dangling_before = dangling(world, layer);
    // what names them goes first, as a person would take it out; what stands several times, several times
    for _ in 0..ROUNDS {
        let mut uses = uses(world, layer, &for_good);
        if options.cascade {
            uses.extend(uses_below(world, layer, &lower));
        }
        if uses.is_empty() {
            break;
        }
        if !options.cascade || uses.iter().any(|found| !matches!(found.goes, Goes::By(_))) {
            return Err(used(world, &uses, options.cascade));
        }
        cascade(world, layer, &uses, &mut report)?;
    }
    // what is set is read back by itself; where a file hides a lower one it brings along what stands there
    let mut before = Before::of(world, layer, None);
    report.below = uses_below(world, layer, &lower).iter().map(|found| left(world, found)).collect();
    let taken: Vec<(KindId, String)> = take_away(world, layer, &lower, &mut report)?;
    let mut gone: Vec<(KindId, String)> = Vec::new();
    let more = take_out(source, world, layer, &options.addresses, &mut gone, &mut report)?;
    report.changes = std::mem::take(&mut report.changes).then(more);
    // a row that goes takes its formulas along
    report.changes.over_formulas = true;
    let name = world.catalog.layer(layer).id.clone();
    let after = afterwards(source, &name, &report.changes)?;
    let again = layer_again(&after, &name)?;
    gone.iter().for_each(|(kind, id)| before.take_out(*kind, id));
    let taken: Vec<(KindId, &str)> = taken.iter().map(|(kind, id)| (*kind, id.as_str())).collect();
    before.read_back(&after, again, &taken, &[])?;
    for address in &for_good {
        let found = after.catalog.names.get(world.catalog.names.text(address.id));
        if found.is_some_and(|id| after.with_ground(again).stands(Address { id, ..*address })) {
            let shown = world.catalog.show_address(*address);
            return Err(SetError::Problem(format!("`{shown}` would still be there")).into());
        }
    }
    let known = |word: &str| dangling_before.iter().filter(|(_, known)| known == word).count();
    let mut left = dangling(&after, again);
    if !options.cascade {
        // what a file brings along from the lower one that it hides names it as that does
        let brought = hiding(&world.catalog, layer, &report.changes.files);
        left.retain(|(place, _)| !brought.contains(&after.catalog.file(place.file).path.as_str()));
    }
    let still = left.iter().find(|(_, word)| left.iter().filter(|(_, other)| other == word).count() > known(word));
    if let Some((place, word)) = still {
        let place = after.catalog.line_of(*place);
        return Err(SetError::Problem(format!("`{word}` would still be named in {place}")).into());
    }
    Ok(report)
}

/// Takes references out, those of each definition together.
fn cascade(world: &mut World, layer: LayerId, uses: &[Use], report: &mut DeleteReport) -> Result<(), DeleteError> {
    // entries that are known by their number: the last first
    let mut uses_in_order: Vec<&Use> = uses.iter().collect();
    uses_in_order.sort_by_key(|found| std::cmp::Reverse(found.place));
    let mut of_all: Vec<(Address, Vec<Assignment>)> = Vec::new();
    let mut places: FxHashMap<Address, usize> = FxHashMap::default();
    for found in uses_in_order {
        let known = found.about.filter(|about| world.view().kind_of(*about).is_some());
        let Some(about) = known else { return Err(used(world, uses, true)) };
        let nth = *places.entry(about).or_insert(of_all.len());
        if nth == of_all.len() {
            of_all.push((about, Vec::new()));
        }
        if let (Goes::By(assignment), Some((_, assignments))) = (&found.goes, of_all.get_mut(nth))
            && !assignments.iter().any(|known| {
                // a list that is said as a whole is said once; what else goes from it goes in the next round
                let whole = assignment.assigns == Assigns::Set;
                known.path == assignment.path && (whole || known.value == assignment.value)
            })
        {
            assignments.push(assignment.clone());
        }
    }
    let mut options = ManyOptions::none(layer);
    // as they stand in their files
    for (about, assignments) in of_all.into_iter().rev() {
        let shown = world.catalog.show_address(about);
        report.cascaded.extend(assignments.iter().map(|one| (shown.clone(), one.path.to_string())));
        options.assign(about, assignments);
    }
    let refused = |error: SelectError| {
        SetError::Problem(match error {
            SelectError::Of { shown, error } => format!("`{shown}` cannot do without it: {error}"),
            error => format!("what names it cannot do without it: {error}"),
        })
    };
    let more = set_many(world, &options).map_err(refused)?.changes;
    report.changes = std::mem::take(&mut report.changes).then(more);
    Ok(())
}

fn used(world: &World, uses: &[Use], cascade: bool) -> DeleteError {
    let catalog = &world.catalog;
    let stop: Vec<&Use> = uses.iter().filter(|found| !cascade || !matches!(found.goes, Goes::By(_))).collect();
    let target = stop.first().map_or(String::new(), |found| catalog.show_address(found.target));
    let message = match cascade {
        true => format!("`{target}` is named where it must be: delete that, too, or let it name something else"),
        false => format!("`{target}` is used in the mod"),
    };
    DeleteError::Used(message, stop.into_iter().map(|found| left(world, found)).collect())
}

/// A use as it is told.
fn left(world: &World, found: &Use) -> LeftUse {
    let show = |about| world.catalog.show_address(about);
    let about = found.about.map_or("something without an id".to_owned(), show);
    let what = match &found.goes {
        Goes::By(assignment) => format!("{about} {}", assignment.path),
        Goes::Needed(field) => format!("{about} needs it at `{field}`"),
        Goes::Says(what) => what.clone(),
    };
    LeftUse { place: found.place, what }
}

/// Refuses kinds of which the game knows no notation to take one away.
fn can_take_away(world: &World, layer: LayerId, address: Address) -> Result<(), SetError> {
    let catalog = &world.catalog;
    let Some(kind_id) = world.view().kind_of(address) else { return Ok(()) };
    let kind = catalog.rulebook.kind(kind_id);
    let anothers = catalog.is_of_another(layer, address.id, kind_id);
    if kind.removes.is_some() && !anothers {
        return Ok(());
    }
    let (article, name, shown) = (crate::rulebook::article(kind.name()), kind.name(), catalog.show_address(address));
    let message = match anothers {
        true => format!(
            "`{shown}` is another's, and ids of this kind are made of the mod's, so nothing here can take it away"
        ),
        false => {
            format!("`{shown}` is not the mod's own, and the game knows no notation that takes {article} {name} away")
        }
    };
    let hidden = catalog.stack(address).find(|(_, made)| catalog.harvest_of(made.file).is_some_and(|of| of.shadows));
    let help = match hidden {
        Some((_, made)) => {
            let path = &catalog.file(made.file).path;
            let layer = format!("{}/", catalog.layer(made.layer).folder);
            let below = path.strip_prefix(&layer).unwrap_or(path);
            format!(
                "a file hides the one at its path: a copy of {path} without it, as `{below}` in the mod, takes it away"
            )
        }
        None => format!("what names it can be taken out instead: `cognomen links {shown}`"),
    };
    Err(SetError::Problem(format!("{message}\n  help: {help}")))
}

/// Takes definitions of lower layers away, by a definition that says so in the game's own notation.
fn take_away(
    world: &mut World,
    layer: LayerId,
    lower: &[Address],
    report: &mut DeleteReport,
) -> Result<Vec<(KindId, String)>, SetError> {
    let mine = |at: &Address| world.catalog.stack(*at).any(|(_, made)| made.layer == layer && !made.removes);
    let (own, others): (Vec<Address>, Vec<Address>) = lower.iter().copied().partition(mine);
    let turned = turned(world, layer, &own)?;
    world.take_in(layer, &turned).map_err(super::set::unread)?;
    report.changes = std::mem::take(&mut report.changes).then(turned);
    report.taken_away.extend(own.iter().map(|at| world.catalog.show_address(*at)));
    let (made, changes) = taken_away(world, layer, &others)?;
    let catalog = &world.catalog;
    let along = coming_along(catalog, layer, &changes.files);
    report.changes = std::mem::take(&mut report.changes).then(changes);
    report.taken_away.extend(made.iter().map(|(_, address)| catalog.show_address(*address)));
    let mut made: Vec<(KindId, String)> =
        made.into_iter().map(|(kind, address)| (kind, catalog.names.text(address.id).to_owned())).collect();
    let more: Vec<(KindId, String)> = along.into_iter().filter(|one| !made.contains(one)).collect();
    made.extend(more);
    Ok(made)
}

/// Makes of a layer's own definitions, of what lower layers define, such that take it away, where they stand.
fn turned(world: &World, layer: LayerId, own: &[Address]) -> Result<ChangeSet, SetError> {
    let catalog = &world.catalog;
    let mut rewrites = Rewrites::new(catalog);
    for address in own {
        let Some((kind, new)) = removal(catalog, *address) else { continue };
        for (_, made) in catalog.stack(*address).filter(|(_, made)| made.layer == layer && !made.removes) {
            let Some(place) = catalog.rulebook.place_of(kind, &catalog.file(made.file).relative) else { continue };
            let node = catalog.node(made.at());
            let at = node.document().path_to(node.id(), &catalog.names);
            let to = named(catalog, new.draft.clone(), kind, &new.id, place);
            rewrites.edit(made.file, Edit::Set { at, to });
        }
    }
    rewrites.changes()
}

/// Definitions that take away what lower layers define, where the game has a notation for that, taken into the world: of
/// which, and the files.
pub(super) fn taken_away(
    world: &mut World,
    layer: LayerId,
    lower: &[Address],
) -> Result<(Vec<(KindId, Address)>, ChangeSet), SetError> {
    let mut made = Vec::new();
    let mut of_kinds: Vec<(KindId, Vec<New>)> = Vec::new();
    for address in lower {
        let Some((kind, new)) = removal(&world.catalog, *address) else { continue };
        made.push((kind, *address));
        match of_kinds.iter_mut().find(|(known, _)| *known == kind) {
            Some((_, all)) => all.push(new),
            None => of_kinds.push((kind, vec![new])),
        }
    }
    let mut changes = ChangeSet::default();
    for (kind, all) in of_kinds {
        let more: ChangeSet = put(&world.catalog, layer, kind, &all)?.into();
        world.take_in(layer, &more).map_err(super::set::unread)?;
        changes = changes.then(more);
    }
    Ok((made, changes))
}

/// A definition that takes away what lower layers define at an address, where the game has a notation for that.
fn removal(catalog: &Catalog, address: Address) -> Option<(KindId, New)> {
    let kind = catalog.seen().kind_of(address)?;
    let test = catalog.rulebook.kind(kind).removes.as_ref()?;
    let mut draft = Draft::Table(Vec::new());
    for part in test.0.iter().rev() {
        let word = match &part.wanted {
            Wanted::OneOf(words) => words.first().cloned().unwrap_or_default(),
            Wanted::There(true) => "true".to_owned(),
            Wanted::There(false) => continue,
        };
        let value = match word.as_str() {
            "true" => Draft::Boolean(true),
            "false" => Draft::Boolean(false),
            _ => Draft::Text(word),
        };
        draft.lay_in(part.path.steps(), value, true);
    }
    Some((kind, New { id: catalog.names.text(address.id).to_owned(), draft, original: None }))
}

/// Takes definitions out of their files, with their texts and the files that belong to them.
fn take_out(
    source: &dyn Source,
    world: &World,
    layer: LayerId,
    all: &[Address],
    gone: &mut Vec<(KindId, String)>,
    report: &mut DeleteReport,
) -> Result<ChangeSet, SetError> {
    let catalog = &world.catalog;
    let mut rewrites = Rewrites::new(catalog);
    let mut by_file: BTreeMap<FileId, BTreeSet<Address>> = BTreeMap::new();
    let mut texts: BTreeMap<FileId, BTreeSet<FieldPath>> = BTreeMap::new();
    let mut extra = Vec::new();
    for address in all {
        let shown = catalog.show_address(*address);
        for (_, made) in catalog.stack(*address).filter(|(_, made)| made.layer == layer && !made.removes) {
            by_file.entry(made.file).or_default().insert(*address);
            gone.push((made.kind, catalog.names.text(address.id).to_owned()));
        }
        let Some(kind) = catalog.kind_of(*address) else { continue };
        let described = catalog.rulebook.kind(kind);
        let id = catalog.names.text(address.id);
        // what is taken away from a lower layer keeps its words for whoever defines it anew
        if report.taken_away.contains(&shown) || report.taken_back.contains(&shown) {
            continue;
        }
        for rule in &described.texts {
            let key = described.filled(&rule.template, id);
            let own = catalog.texts.get(&key).into_iter().flatten().map(|(_, at)| *at);
            let own: Vec<NodeRef> = own.filter(|at| catalog.file(at.file).layer == Some(layer)).collect();
            if own.is_empty() || named_elsewhere(catalog, &key, all) {
                continue;
            }
            for at in own {
                let (entry, _) = entry_of_text(catalog, catalog.node(at));
                let path = entry.document().path_to(entry.id(), &catalog.names);
                texts.entry(at.file).or_default().insert(path);
            }
            report.texts.push(key);
        }
        for (_, template) in &described.files {
            let path = format!("{}/{}", catalog.layer(layer).folder, described.filled(template, id));
            if catalog.file_named(&path).is_some()
                && let Ok(bytes) = source.read(&path)
            {
                let change = match String::from_utf8(bytes) {
                    Ok(before) => FileChange::Delete { path: path.clone(), before },
                    Err(bytes) => {
                        let before = Some(Stamp::of(bytes.as_bytes()));
                        FileChange::Bytes { path: path.clone(), before, after: None }
                    }
                };
                extra.push(change);
                report.files.push(path);
            }
        }
    }
    let nested = catalog.rulebook.texts.as_ref().is_some_and(|rule| rule.nested.is_some());
    for (file, gone) in texts {
        let Some(document) = catalog.document(file) else { continue };
        // tables in tables that hold nothing else go along
        let may_go = |at: &FieldPath| nested && !at.is_empty();
        for at in with_emptied(document, gone, &catalog.names, may_go) {
            rewrites.edit(file, Edit::Remove { at });
        }
    }
    for (file, addresses) in by_file {
        out_of_file(catalog, file, &addresses, &mut rewrites)?;
    }
    let mut changes = rewrites.changes()?;
    for change in &changes.files {
        if let FileChange::Delete { path, .. } = change {
            report.files.push(path.clone());
        }
    }
    changes.files.extend(extra);
    Ok(changes)
}

/// Takes definitions out of one file; a file that then holds nothing goes.
pub(super) fn out_of_file(
    catalog: &Catalog,
    file: FileId,
    addresses: &BTreeSet<Address>,
    rewrites: &mut Rewrites<'_>,
) -> Result<(), SetError> {
    let (Some(harvest), Some(document)) = (catalog.harvest_of(file), catalog.document(file)) else { return Ok(()) };
    let path = &catalog.file(file).path;
    let plain =
        !document.notation().is_block() && document.words().is_none() && crate::source::sheet_in(path).is_none();
    let rest = harvest.definitions.len() - of_these(catalog, harvest, addresses).len();
    if rest == 0 && harvest.amendments.is_empty() && harvest.texts.is_empty() && plain {
        rewrites.gone.insert(file);
        return Ok(());
    }
    entries_out(catalog, file, addresses, rewrites)
}

/// Those of a file's definitions that are some of these.
fn of_these<'h>(catalog: &Catalog, harvest: &'h Harvest, addresses: &BTreeSet<Address>) -> Vec<&'h Harvested> {
    let is_one = |made: &&Harvested| {
        let space = catalog.rulebook.kind(made.kind).space;
        made.id.is_some_and(|id| addresses.contains(&Address { space, id }))
    };
    harvest.definitions.iter().filter(is_one).collect()
}

/// Definitions that go out of a file that stays, whatever is left in it.
pub(super) fn entries_out(
    catalog: &Catalog,
    file: FileId,
    addresses: &BTreeSet<Address>,
    rewrites: &mut Rewrites<'_>,
) -> Result<(), SetError> {
    let (Some(harvest), Some(document)) = (catalog.harvest_of(file), catalog.document(file)) else { return Ok(()) };
    let path = &catalog.file(file).path;
    let these = of_these(catalog, harvest, addresses);
    let rest = harvest.definitions.len() - these.len();
    for made in these {
        let node = document.node(made.node);
        let kind = catalog.rulebook.kind(made.kind);
        let several = harvest.definitions.iter().filter(|other| other.node == made.node).count() > 1;
        let at = match kind.name_from.iter().find(|from| from.is_several()).filter(|_| several) {
            // one of several ids of the same thing
            Some(NameFrom::Fields(path)) => {
                let word = made.id.map(|id| catalog.names.text(id));
                let list = crate::document::find(node, path, &catalog.names);
                let item = list.into_iter().flat_map(|list| list.children()).find(|item| Some(&*item.text()) == word);
                item.map(|item| document.path_to(item.id(), &catalog.names))
            }
            _ => Some(document.path_to(made.node, &catalog.names)),
        };
        let alone = rest == 0 && document.notation().is_block();
        let at = at.filter(|at| !at.is_empty() && node.shape() == Shape::Table && !alone);
        let Some(at) = at else {
            let shown = made.id.map_or("", |id| catalog.names.text(id));
            let message = format!("`{shown}` stands in `{path}` between other text, so it has to be taken out by hand");
            return Err(SetError::Problem(message));
        };
        rewrites.edit(file, Edit::Remove { at });
    }
    Ok(())
}

/// Whether something but the definitions that go names a text.
fn named_elsewhere(catalog: &Catalog, key: &str, gone: &[Address]) -> bool {
    let implied = catalog.stacks.addresses().filter(|address| !gone.contains(address)).any(|address| {
        let kind = catalog.kind_of(address).map(|kind| catalog.rulebook.kind(kind));
        kind.is_some_and(|kind| {
            let id = catalog.names.text(address.id);
            kind.texts.iter().any(|rule| kind.filled(&rule.template, id) == key)
        })
    });
    implied
        || catalog.layers().any(|(layer, _)| {
            files_of(catalog, layer).any(|(file, harvest, document)| {
                harvest.mentions.iter().any(|mention| {
                    let Reading::Key(template) = &catalog.rulebook.field_type(mention.wants).reading else {
                        return false;
                    };
                    let about =
                        catalog.definition_of(file, mention.from).and_then(|(_, made)| catalog.address_of(made));
                    !about.is_some_and(|about| gone.contains(&about))
                        && catalog.keys_named(document, harvest, mention).iter().any(|word| template.fill(word) == key)
                })
            })
        })
}
