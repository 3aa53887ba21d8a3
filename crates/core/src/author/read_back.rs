//! What was planned, read back as it will stand on disk and compared with what is about to be announced.

use std::collections::BTreeMap;

use rayon::prelude::*;

use super::assign::{AssignmentError, told};
use super::set::{SetError, unread};
use crate::catalog::{Address, Catalog, FileRole, LayerId};
use crate::document::{Document, FieldPath, Format, json_line};
use crate::effective::{Amiss, Effective, World, lacking};
use crate::own::OwnFault;
use crate::rulebook::{Group, KindId, TypeFault, TypeId, Walk, Wrong};
use crate::said::Said;
use crate::source::FileId;

/// What is known of a layer before a change of it.
pub(super) struct Before {
    faults: BTreeMap<Said, usize>,
    definitions: BTreeMap<(KindId, String), usize>,
    /// What one definition lacks, where it is about one.
    lacks: Lacks,
    unfit: Unfit,
}

impl Before {
    /// Looks at a layer; at one definition also for what it lacks.
    pub(super) fn of(world: &World, layer: LayerId, address: Option<Address>) -> Before {
        let faults = faults(&world.catalog, layer).into_iter();
        Before {
            faults: counted(faults.map(|fault| fault.message.clone())),
            definitions: definitions(&world.catalog, layer),
            lacks: Lacks::of(world, layer, address.as_slice()),
            unfit: Unfit::of(world, layer, address.as_slice()),
        }
    }

    /// A definition that is to have another id.
    pub(super) fn rename(&mut self, kind: KindId, old: &str, new: &str) {
        if let Some(number) = self.definitions.remove(&(kind, old.to_owned())) {
            self.definitions.insert((kind, new.to_owned()), number);
        }
    }

    /// A definition that is to go.
    pub(super) fn take_out(&mut self, kind: KindId, id: &str) {
        if let Some(number) = self.definitions.get_mut(&(kind, id.to_owned())) {
            *number -= 1;
        }
        self.definitions.retain(|_, number| *number > 0);
    }

    /// Compares the layer afterwards: just the definitions `made` are new in it, none is gone, and nothing in it is
    /// at fault that was not before. Of `files`, those that the change is about, each must be read as something.
    ///
    /// # Errors
    /// What is otherwise, as `check` would say it.
    pub(super) fn read_back(
        &self,
        world: &World,
        layer: LayerId,
        made: &[(KindId, &str)],
        files: &[FileId],
    ) -> Result<(), SetError> {
        let catalog = &world.catalog;
        for file in files {
            let known = catalog.file(*file);
            if !known.role.is_harvested() && !matches!(known.role, FileRole::Own) {
                return Err(unread(known.path.to_string()));
            }
        }
        self.same_definitions(catalog, layer, made)?;
        let mut left = self.faults.clone();
        for fault in faults(catalog, layer) {
            match left.get_mut(&fault.message).filter(|number| **number > 0) {
                Some(number) => *number -= 1,
                None => {
                    return Err(
                        AssignmentError::new(fault.message.clone(), fault.help.clone().map(String::from)).into()
                    );
                }
            }
        }
        self.unfit.no_more(world, layer).map_err(|(_, error)| error)?;
        self.lacks.no_more(world, layer)
    }

    fn same_definitions(&self, catalog: &Catalog, layer: LayerId, made: &[(KindId, &str)]) -> Result<(), SetError> {
        let shown = |(kind, id): &(KindId, String)| format!("{}/{id}", catalog.rulebook.kind(*kind).name());
        let mut expected = self.definitions.clone();
        for (kind, id) in made {
            *expected.entry((*kind, (*id).to_owned())).or_default() += 1;
        }
        let now = definitions(catalog, layer);
        let gone = expected.iter().find(|(key, number)| now.get(*key) < Some(number));
        let new = now.iter().find(|(key, number)| expected.get(*key) < Some(number)).map(|(key, _)| shown(key));
        let mut help = "write it by hand, and see with `cognomen check` what is read".to_owned();
        let is_made = |key: &(KindId, String)| made.iter().any(|(kind, id)| (*kind, *id) == (key.0, key.1.as_str()));
        let message = match (gone, new) {
            (None, None) => return Ok(()),
            (Some((key, _)), Some(new)) if is_made(key) => {
                help = format!("where it would stand gives it this id: ask for `{new}`");
                format!("what would be written for `{}` would be read as `{new}`", shown(key))
            }
            (Some((key, _)), None) if is_made(key) => {
                let path = catalog.rulebook.places.iter().filter(|place| place.which.has(key.0));
                let path = path.flat_map(|place| place.patterns.first()).next();
                let read = path.map_or(String::new(), |path| {
                    format!("; {} are read from `{path}`", catalog.rulebook.kind(key.0).name())
                });
                format!("nothing would read `{}` where it would be written{read}", shown(key))
            }
            (Some((key, _)), _) => format!("`{}` would be gone", shown(key)),
            (None, Some(new)) => format!("`{new}` would come to be, too"),
        };
        Err(AssignmentError::new(message, Some(help)).into())
    }
}

fn would_lack(catalog: &Catalog, address: Address, path: &FieldPath, field: &str) -> SetError {
    let shown = catalog.show_address(address);
    let whose = if path.is_empty() { shown } else { format!("`{path}` of {shown}") };
    SetError::Problem(format!("{whose} would lack the field `{field}`, which it must have"))
}

/// What several definitions lack, and what they would, where something is said within tables of theirs.
pub(super) struct Lacks(Vec<(Address, Vec<(FieldPath, String)>)>);

impl Lacks {
    /// Looks at definitions before a change of them.
    pub(super) fn of(world: &World, layer: LayerId, all: &[Address]) -> Lacks {
        Lacks(all.par_iter().map(|at| (*at, lacks(world, layer, *at))).collect())
    }

    /// Whether they lack no more afterwards.
    ///
    /// # Errors
    /// The first that does.
    pub(super) fn no_more(&self, world: &World, layer: LayerId) -> Result<(), SetError> {
        let one = |(address, before): &(Address, Vec<(FieldPath, String)>)| {
            let new = lacks(world, layer, *address).into_iter().find(|lack| !before.contains(lack));
            new.map_or(Ok(()), |(path, field)| Err(would_lack(&world.catalog, *address, &path, &field)))
        };
        // of several errors the first
        let all: Vec<Result<(), SetError>> = self.0.par_iter().map(one).collect();
        all.into_iter().collect()
    }
}

/// What does not fit in several definitions, by place and words.
pub(super) struct Unfit(Vec<(Address, Vec<String>)>);

impl Unfit {
    /// Looks at definitions before a change of them.
    pub(super) fn of(world: &World, layer: LayerId, all: &[Address]) -> Unfit {
        let one = |at: &Address| (*at, unfit(world, layer, *at).into_iter().map(|(place, _)| place).collect());
        Unfit(all.par_iter().map(one).collect())
    }

    /// Whether no more does not fit afterwards.
    ///
    /// # Errors
    /// The first that does not, and where.
    pub(super) fn no_more(&self, world: &World, layer: LayerId) -> Result<(), (Address, SetError)> {
        let one = |(address, before): &(Address, Vec<String>)| {
            let new = unfit(world, layer, *address).into_iter().find(|(place, _)| !before.contains(place));
            new.map_or(Ok(()), |(_, error)| Err((*address, error.into())))
        };
        // of several errors the first
        let all: Vec<Result<(), _>> = self.0.par_iter().map(one).collect();
        all.into_iter().collect()
    }
}

/// Whether what was said of a new definition fits together: nothing lacks in the tables on the way to it, and all of these
/// have such fields. Nothing else may be unfit, either, but for what is so in the original that it is a copy of.
///
/// # Errors
/// The first that does not fit, as `check` would say it.
pub(super) fn said_fits(
    world: &World,
    layer: LayerId,
    address: Address,
    said: &[&FieldPath],
    original: Option<Address>,
) -> Result<(), SetError> {
    let is_said = |path: &FieldPath| !path.is_empty() && said.iter().any(|said| said.is_on_one_way(path));
    let known = original.map_or_else(Vec::new, |original| unfit_at(world, layer, original));
    let counts = |path: &FieldPath| is_said(path) || !known.iter().any(|(known, _)| known == path);
    if let Some((_, error)) = unfit_at(world, layer, address).into_iter().find(|(path, _)| counts(path)) {
        return Err(error.into());
    }
    match lacks(world, layer, address).into_iter().find(|(path, _)| is_said(path)) {
        Some((path, field)) => Err(would_lack(&world.catalog, address, &path, &field)),
        None => Ok(()),
    }
}

fn counted<K: Ord>(all: impl Iterator<Item = K>) -> BTreeMap<K, usize> {
    let mut out = BTreeMap::new();
    for key in all {
        *out.entry(key).or_default() += 1;
    }
    out
}

fn definitions(catalog: &Catalog, layer: LayerId) -> BTreeMap<(KindId, String), usize> {
    let own = catalog.definitions().filter(|(_, definition)| definition.layer == layer);
    counted(own.map(|(_, made)| (made.kind, made.id.map_or("", |id| catalog.names.text(id)).to_owned())))
}

/// The faults of a layer's files that are told of the files themselves: of notation, and of amendments.
fn faults(catalog: &Catalog, layer: LayerId) -> Vec<OwnFault> {
    let files = catalog.files().filter(|(_, file)| file.layer == Some(layer));
    let mut out = Vec::new();
    for (id, _) in files {
        let harvest = catalog.harvest_of(id);
        out.extend(harvest.into_iter().flat_map(|harvest| &harvest.own_faults).map(|coded| coded.fault.clone()));
        out.extend(catalog.document(id).into_iter().flat_map(|document| crate::own::syntax(document)));
    }
    out
}

/// What does not fit in a definition, each with words that tell it apart.
fn unfit(world: &World, layer: LayerId, address: Address) -> Vec<(String, AssignmentError)> {
    let all = unfit_at(world, layer, address).into_iter();
    all.map(|(path, error)| (format!("{path} {error}"), error)).collect()
}

/// What does not fit its field in a definition as it shows on the mod's ground, and where; lacking fields aside.
fn unfit_at(world: &World, layer: LayerId, address: Address) -> Vec<(FieldPath, AssignmentError)> {
    let catalog = &world.catalog;
    let Some(effective) = world.with_ground(layer).effective(address) else { return Vec::new() };
    let text = json_line(&effective.value.draft(catalog));
    let document = Document::parse(FileId(u32::MAX), Format::Json, text.into(), &catalog.names);
    let mut walk = Walk::new(&catalog.rulebook);
    walk.value(document.root(), catalog.rulebook.kind(effective.kind).root);
    let counts = |fault: &&TypeFault| {
        !matches!(fault.what, Wrong::Lacking { .. } | Wrong::Unreliable { .. } | Wrong::Retired { .. })
    };
    let one = |fault: &TypeFault| {
        let node = document.node(fault.at);
        let error = told(catalog, node, fault);
        (document.path_to(fault.at, &catalog.names), error)
    };
    let mut out: Vec<_> = walk.faults.iter().filter(counts).map(one).collect();
    apart(world, layer, &effective, &mut out);
    out
}

/// What does not go together in a definition; of one that is only inherited from, not what it lacks.
fn apart(world: &World, layer: LayerId, effective: &Effective, out: &mut Vec<(FieldPath, AssignmentError)>) {
    let catalog = &world.catalog;
    let kind = catalog.rulebook.kind(effective.kind);
    if !kind.has_dependent_fields() {
        return;
    }
    let address = effective.address;
    let is_abstract = catalog.stack(address).next().is_some_and(|(_, definition)| definition.is_abstract);
    let view = world.with_ground(layer);
    let holds = |group: &&Group| {
        let brought = |from| catalog.layer_named(catalog.rulebook.brought_by(from)?);
        group.from.is_none_or(|from| brought(from).is_some_and(|by| view.contains(by)))
    };
    for table in effective.tables(catalog) {
        let mut tell = |path: FieldPath, amiss: Amiss<'_>| {
            if !(is_abstract && amiss.is_lack()) {
                let message = amiss.said(catalog, address, &table, &path);
                let takes = |ty: TypeId| format!("`{path}` takes {}", catalog.rulebook.describe(ty));
                let help = match &amiss {
                    Amiss::LackingInSort(_, ty) => Some(takes(*ty)),
                    _ => None,
                };
                out.push((path, AssignmentError::new(message, help)));
            }
        };
        for (path, _, amiss) in effective.of_another_sort(catalog, &table) {
            tell(path, amiss);
        }
        for group in kind.groups.iter().filter(holds).filter(|group| table.is_of(group)) {
            let Some(amiss) = table.amiss(catalog, group) else { continue };
            let of_whom = amiss.field().map_or(table.path.clone(), |field| table.path.join(field));
            tell(of_whom, amiss);
        }
    }
}

/// The fields that a definition lacks on the mod's ground, with the way to the table.
fn lacks(world: &World, layer: LayerId, address: Address) -> Vec<(FieldPath, String)> {
    let view = world.with_ground(layer);
    let is_abstract = world.catalog.stack(address).next().is_some_and(|(_, definition)| definition.is_abstract);
    let Some(effective) = view.effective(address).filter(|_| !is_abstract) else { return Vec::new() };
    let root = world.catalog.rulebook.kind(effective.kind).root;
    let mut out = Vec::new();
    lacking(&world.catalog, &effective.value, root, &FieldPath::default(), &mut |path, _, fields| {
        out.extend(fields.into_iter().map(|field| (path.clone(), field)));
    });
    out
}
