//! What all checks look things up in.

pub(crate) use super::astray::Astray;
use super::astray::astray;
use super::files::Files;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::{AMENDMENT, Address, Catalog, FileRole, Harvest, Layer, LayerId, LayerSet};
use crate::document::{Document, FieldPath, Node, NodeRef};
use crate::effective::{Effective, Membership, Value, View, World};
use crate::nearest::nearest;
use crate::own::OwnFault;
use crate::rulebook::{Again, FieldType, KindId, Mention, Rulebook, Test, TestPart, TypeFault, TypeId, Wrong};
use crate::source::{FileId, Place};

/// The world and its full view.
pub(crate) struct Context<'w> {
    pub(crate) world: &'w World,
    pub(crate) catalog: &'w Catalog,
    pub(crate) rulebook: &'w Rulebook,
    pub(crate) view: View<'w>,
    /// For each layer, itself and what it stands on.
    /// What goes wrong between layers, looked up when first asked for.
    clashes: std::sync::OnceLock<crate::settle::Clashes>,
    pub(crate) seen: Vec<LayerSet>,
    /// References without a target on their layer's ground.
    pub(crate) astray: Vec<Astray<'w>>,
    pub(super) files: Files<'w>,
    /// Who belongs to which group.
    pub(crate) membership: Membership,
}

/// The words of a value: its own, or those of its entries.
pub(crate) fn value_words(catalog: &Catalog, value: &Value) -> Vec<String> {
    match value.word(catalog) {
        Some(word) => vec![word],
        None => value.items(catalog).iter().filter_map(|item| item.word(catalog)).collect(),
    }
}

/// What a part of a test finds in a definition.
pub(crate) fn test_words(catalog: &Catalog, effective: &Effective, part: &TestPart) -> Option<Vec<String>> {
    Some(value_words(catalog, &effective.get(catalog, &part.path)?))
}

/// A fault of type with where it belongs.
pub(crate) struct Local<'c> {
    pub(crate) file: FileId,
    pub(crate) node: Node<'c>,
    pub(crate) fault: TypeFault,
}

impl<'w> Context<'w> {
    pub(crate) fn new(world: &'w World) -> Self {
        let catalog = &world.catalog;
        // the parts of a base come together, and use each other
        let base = catalog.base();
        let of = |(id, layer): (LayerId, &Layer)| if layer.is_base() { base.clone() } else { layer.ground.with(id) };
        let seen: Vec<LayerSet> = catalog.layers().map(of).collect();
        let view = world.view();
        let (rulebook, files) = (&*catalog.rulebook, Files::new(catalog));
        // before the checks, which run side by side: all that ask share it
        let membership = Membership::new(&view);
        let mut context = Context {
            world,
            catalog,
            rulebook,
            view,
            seen,
            astray: Vec::new(),
            files,
            membership,
            clashes: std::sync::OnceLock::new(),
        };
        context.astray = astray(catalog, context.harvests().collect(), &context.seen);
        context
    }

    pub(crate) fn harvests(&self) -> impl Iterator<Item = (FileId, &'w Harvest, &'w Document)> {
        let catalog = self.catalog;
        catalog.files().filter_map(move |(id, _)| {
            let harvest = catalog.harvest_of(id)?;
            Some((id, &**harvest, &**catalog.document(id)?))
        })
    }

    /// What goes wrong only between layers.
    pub(crate) fn clashes(&self) -> &crate::settle::Clashes {
        self.clashes.get_or_init(|| crate::settle::clashes(self.world))
    }

    pub(super) fn into_clashes(self) -> crate::settle::Clashes {
        let world = self.world;
        self.clashes.into_inner().unwrap_or_else(|| crate::settle::clashes(world))
    }

    /// The files with definitions, by their paths below their layers.
    pub(crate) fn definition_files(&self) -> impl Iterator<Item = &'w str> {
        let files = self.catalog.files().filter(|(_, file)| matches!(file.role, FileRole::Definitions(_)));
        files.map(|(_, file)| file.relative.as_str())
    }

    /// All faults of type.
    pub(crate) fn locals(&self) -> impl Iterator<Item = Local<'w>> {
        self.harvests().flat_map(|(file, harvest, document)| {
            let local = move |fault: &TypeFault| Local { file, node: document.node(fault.at), fault: *fault };
            harvest.faults.iter().map(local)
        })
    }

    /// The faults of one sort, each with its type, and the finding that it becomes: `said` gives place,
    /// message and help.
    pub(crate) fn local_findings(
        &self,
        check: &'static Check,
        findings: &mut Vec<Finding>,
        wanted: impl Fn(Wrong) -> Option<TypeId>,
        said: impl Fn(Node<'w>, TypeId, &'w FieldType) -> Option<(Place, String, Option<String>)>,
    ) {
        for local in self.locals() {
            let Some(want) = wanted(local.fault.what) else { continue };
            if let Some((place, message, help)) = said(local.node, want, self.rulebook.field_type(want)) {
                let (about, path) = self.whose(local.file, local.fault.from, local.node);
                findings.push(Finding::new(check, place, message).about(about).path(Some(path)).help(help));
            }
        }
    }

    /// The definition that a fault is in, and the path in it.
    pub(crate) fn whose(&self, file: FileId, from: u32, at: Node<'_>) -> (Option<Address>, FieldPath) {
        let names = &self.catalog.names;
        let whole = at.document().path_to(at.id(), names);
        if from & AMENDMENT != 0 {
            let harvest = self.catalog.harvest_of(file);
            let amendment = harvest.and_then(|harvest| harvest.amendments.get((from & !AMENDMENT) as usize));
            let address = amendment.and_then(|amendment| match &amendment.target {
                crate::catalog::Target::Of { id } => self.catalog.address(amendment.kind, id),
                crate::catalog::Target::Which { .. } => None,
            });
            let op = amendment.and_then(|amendment| {
                amendment.ops.iter().find(|op| at.document().node(op.value).span().contains(at.span()))
            });
            return (address, op.map(|op| op.path.clone()).unwrap_or_default());
        }
        let Some((_, definition)) = self.catalog.definition_of(file, from) else { return (None, whole) };
        let above = at.document().path_to(definition.node, names);
        (self.catalog.address_of(definition), whole.skip(above.steps().len()))
    }

    /// The key of a value, or the value itself in a list.
    pub(crate) fn key_place(&self, node: Node<'_>) -> Place {
        Place { file: node.document().file(), span: node.key_span() }
    }

    pub(crate) fn definition_place(&self, at: NodeRef) -> Place {
        self.catalog.definition_place(at)
    }

    pub(crate) fn show(&self, address: Address) -> String {
        format!("`{}`", self.catalog.show_address(address))
    }

    /// The findings of faults in our own files that carry a check's code.
    pub(crate) fn own_faults(&self, check: &'static Check, findings: &mut Vec<Finding>) {
        let of_files = self.harvests().flat_map(|(_, harvest, _)| &harvest.own_faults);
        let all = self.catalog.faults.iter().chain(&self.world.rule_faults).chain(of_files);
        findings.extend(all.filter(|coded| coded.code == check.code).map(|coded| from_own(check, &coded.fault)));
    }

    /// Whether a layer is the game itself, or a part of it.
    pub(crate) fn is_base(&self, layer: LayerId) -> bool {
        self.catalog.layer(layer).is_base()
    }

    /// Whether a definition is only there to be inherited from.
    pub(crate) fn is_abstract(&self, address: Address) -> bool {
        self.catalog.stack(address).next().is_some_and(|(_, definition)| definition.is_abstract)
    }

    /// The layer of a file.
    pub(crate) fn layer_of(&self, file: FileId) -> LayerId {
        self.catalog.file(file).layer.unwrap_or(LayerId::BASE)
    }

    /// Some definitions that a reference could name and that pass its test.
    pub(crate) fn fitting(&self, mention: &Mention, test: &Test, view: &View<'_>) -> Option<String> {
        let kinds = self.rulebook.link_kinds(mention.wants);
        let fits = |address: &Address| {
            let effective = view.effective(*address)?;
            test.holds(|part| test_words(self.catalog, &effective, part)).then(|| self.catalog.names.text(address.id))
        };
        let all = self.catalog.addresses();
        let of_kinds = all.iter().filter(|address| self.catalog.kind_of(**address).is_some_and(|k| kinds.contains(&k)));
        let found: Vec<String> = of_kinds.filter_map(fits).take(4).map(|id| format!("`{id}`")).collect();
        (!found.is_empty()).then(|| format!("these fit: {}", found.join(", ")))
    }

    /// The definitions, highest first, that make up an address together, if no amendment takes part: then
    /// nothing need be composed to see what is there.
    pub(crate) fn written(&self, address: Address) -> Option<(TypeId, Vec<Node<'w>>)> {
        let catalog = self.catalog;
        let mut nodes = Vec::new();
        let mut seen: Vec<Address> = Vec::new();
        let mut root = None;
        // of several parents the last is laid over the others, with all that it inherits
        let mut todo = vec![address];
        while let Some(here) = todo.pop() {
            if seen.contains(&here) {
                continue;
            }
            seen.push(here);
            if seen.len() > 256 || !self.world.builds.of(here).is_empty() {
                return None;
            }
            let mut parents_known = false;
            for (id, definition) in catalog.stack(here) {
                if definition.removes {
                    return None;
                }
                let kind = self.rulebook.kind(definition.kind);
                root.get_or_insert(kind.root());
                nodes.push(catalog.node(definition.at()));
                let continues = definition.continues();
                if continues {
                    continue;
                }
                if definition.parent.is_some() && !parents_known {
                    parents_known = true;
                    match catalog.parents.contains_key(&id) {
                        true => todo.extend(catalog.parents_of(id)),
                        false => {
                            todo.extend(definition.parent.map(|id| catalog.current(Address { space: here.space, id })))
                        }
                    }
                }
                if definition.again != Again::Merge {
                    break;
                }
            }
        }
        Some((root?, nodes))
    }

    /// Why nothing of these kinds has an id: another kind has it, another spelling is known.
    pub(crate) fn lost(&self, id: &str, kinds: &[KindId]) -> Lost {
        let catalog = self.catalog;
        let rulebook = self.rulebook;
        let others = rulebook.kinds().filter(|(kind, _)| !kinds.contains(kind));
        for (kind, described) in others {
            if let Some(address) = catalog.address(kind, id).filter(|a| catalog.stacks.contains_key(a)) {
                let place = catalog.stack(address).last().map(|(_, d)| self.definition_place(d.at()));
                return Lost { kind: Some(described.name.clone()), near: None, place };
            }
        }
        // addresses are for people; in the game's files the id stands alone
        let bare = id.split_once('/').filter(|(kind, _)| rulebook.kind_named(kind).is_some()).map(|(_, id)| id);
        for kind in kinds {
            let space = rulebook.kind(*kind).space;
            let ids: Vec<&str> = catalog.ids_of(space).collect();
            let near = bare.filter(|bare| ids.contains(bare)).or_else(|| nearest(id, ids));
            if let Some(near) = near {
                let address = catalog.address(*kind, near);
                let place = address.and_then(|a| catalog.stack(a).last()).map(|(_, d)| self.definition_place(d.at()));
                return Lost { kind: None, near: Some((rulebook.kind(*kind).name.clone(), near.to_owned())), place };
            }
        }
        Lost { kind: None, near: None, place: None }
    }
}

/// What is known about an id that leads nowhere.
pub(crate) struct Lost {
    pub(crate) kind: Option<String>,
    pub(crate) near: Option<(String, String)>,
    pub(crate) place: Option<Place>,
}

impl Lost {
    /// The help for a person, and what stands at the second place.
    pub(crate) fn help(&self, id: &str, kinds: &str) -> (Option<String>, Option<String>) {
        match (&self.kind, &self.near) {
            (Some(kind), _) => {
                let article = crate::rulebook::article(kind);
                let help = format!(
                    "`{id}` is {article} {kind}; here the id of {} {kinds} is needed",
                    crate::rulebook::article(kinds)
                );
                (Some(help), Some(format!("{article} {kind}")))
            }
            (None, Some((kind, near))) => {
                let case = near.to_lowercase() == id.to_lowercase();
                let help = if case {
                    format!("it is written `{near}`: capital and small letters count")
                } else {
                    format!("the nearest known {kind} is `{near}`")
                };
                (Some(help), Some("defined here".to_owned()))
            }
            (None, None) => (None, None),
        }
    }
}

/// A fault of our own files as a finding.
pub(crate) fn from_own(check: &'static Check, fault: &OwnFault) -> Finding {
    let finding = Finding::new(check, fault.place, fault.message.clone()).help(fault.help.clone());
    match &fault.second {
        Some((place, message)) => finding.related(*place, message.clone()),
        None => finding,
    }
}
