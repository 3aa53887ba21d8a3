//! What all checks look things up in: a view, and what is looked at in it.

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

pub(crate) use super::astray::Astray;
use super::astray::astray;
use super::files::Files;
use super::finding::Finding;
use super::follows::{Causes, is_shifted};
use super::mend::Mend;
use super::reach::{Reach, Users};
use super::registry::Check;
use crate::catalog::{AMENDMENT, Address, Catalog, DefId, Definition, FileRole, Harvest, LayerId, LayerSet};
use crate::document::{Document, FieldPath, Format, Node, NodeRef};
use crate::effective::{Membership, View, World};
use crate::nearest::Words;
use crate::own::OwnFault;
use crate::rulebook::{
    FieldType, Mention, NumberRange, Rulebook, SpaceId, SupplementId, Test, TypeFault, TypeId, Wrong,
};
use crate::said::{Said, listed, said};

use crate::source::{FileId, Place};

/// What is looked up once, for all views.
pub(crate) struct Shared<'w> {
    pub(crate) world: &'w World,
    /// Whether the base, too, is looked at with what otherwise only concerns mods.
    as_maker: bool,
    pub(super) files: Files<'w>,
    /// Who uses what mods touch.
    pub(crate) users: Users,
    /// What goes wrong only between layers, looked up when first asked for.
    clashes: std::sync::OnceLock<crate::settle::Clashes>,
    /// In which layers something leads to a definition, by fields that do so.
    pub(super) led: std::sync::OnceLock<Led>,
    /// All ids, prepared for finding the nearest of a word.
    pub(super) ids: std::sync::OnceLock<FxHashMap<SpaceId, Words>>,
    /// Ids that differ only in capital letters.
    pub(super) twins: std::sync::OnceLock<Vec<Vec<Address>>>,
    /// Files whose paths differ only in capital letters.
    pub(super) file_twins: std::sync::OnceLock<Vec<Vec<FileId>>>,
    /// What each definition lacks by itself.
    pub(super) lacking: std::sync::OnceLock<Vec<(u128, bool)>>,
    /// All formulas.
    pub(super) formulas: std::sync::OnceLock<Vec<super::reach::MentionAt>>,
    /// The references that declare words.
    pub(super) declaring: std::sync::OnceLock<Vec<super::reach::MentionAt>>,
    /// The files that hold something from which other things follow.
    pub(super) ill: std::sync::OnceLock<Vec<FileId>>,
    /// Tables whose fields are told by a word in one that has it: each case with that one.
    pub(super) cases: std::sync::OnceLock<FxHashMap<TypeId, TypeId>>,
    /// Texts that several definitions have.
    pub(super) said_twice: std::sync::OnceLock<Vec<Vec<super::copy_leftover::NameOf>>>,
    /// How often the base has a definition's own id in a field, and how often something else.
    pub(super) habit: std::sync::OnceLock<FxHashMap<TypeId, (usize, usize)>>,
    /// The numbers that the base has, by field.
    pub(super) ranges: std::sync::OnceLock<FxHashMap<TypeId, NumberRange>>,
}

/// In which layers something leads to a definition.
pub(super) type Led = FxHashMap<Address, LayerSet>;

impl<'w> Shared<'w> {
    pub(crate) fn new(world: &'w World) -> Self {
        Shared { users: Users::new(world), ..Shared::without_users(world) }
    }

    /// For those who make the base or describe it.
    pub(super) fn of_maker(mut self, is: bool) -> Self {
        self.as_maker = is;
        self
    }

    /// For what looks at one view of everything.
    pub(crate) fn without_users(world: &'w World) -> Self {
        Shared {
            world,
            as_maker: false,
            files: Files::new(&world.catalog),
            users: Users::default(),
            clashes: std::sync::OnceLock::new(),
            led: std::sync::OnceLock::new(),
            ids: std::sync::OnceLock::new(),
            twins: std::sync::OnceLock::new(),
            file_twins: std::sync::OnceLock::new(),
            lacking: std::sync::OnceLock::new(),
            formulas: std::sync::OnceLock::new(),
            declaring: std::sync::OnceLock::new(),
            ill: std::sync::OnceLock::new(),
            cases: std::sync::OnceLock::new(),
            said_twice: std::sync::OnceLock::new(),
            habit: std::sync::OnceLock::new(),
            ranges: std::sync::OnceLock::new(),
        }
    }

    /// Looks up what goes wrong between layers. It uses both cores, so it is not done where others wait for it.
    pub(super) fn look_up_clashes(&self) {
        let found = crate::settle::clashes(self.world);
        // somebody may have been faster, and has found the same
        let _ = self.clashes.set(found);
    }

    /// What goes wrong only between layers.
    pub(crate) fn clashes(&self) -> &crate::settle::Clashes {
        self.clashes.get_or_init(|| crate::settle::clashes(self.world))
    }

    pub(super) fn into_clashes(self) -> crate::settle::Clashes {
        let world = self.world;
        self.clashes.into_inner().unwrap_or_else(|| crate::settle::clashes(world))
    }
}

/// One view, and what is looked at in it.
pub(crate) struct Context<'w> {
    pub(crate) shared: &'w Shared<'w>,
    pub(crate) world: &'w World,
    pub(crate) catalog: &'w Catalog,
    pub(crate) rulebook: &'w Rulebook,
    pub(crate) view: View<'w>,
    /// The layers whose files are looked at whole.
    pub(crate) own: LayerSet,
    /// The files of these, and of the base those of the workspace.
    own_files: Vec<FileId>,
    /// Whether this is what all mods come to, beyond what is told of each.
    pub(crate) together: bool,
    /// The mods that use what others define without requiring them: the other's id.
    pub(crate) undeclared: FxHashSet<(LayerId, String)>,
    /// What else is looked at; nothing if all is that is there.
    reach: Option<Reach>,
    /// References without a target.
    pub(crate) astray: Vec<Astray<'w>>,
    /// Who belongs to which group.
    pub(crate) membership: Arc<Membership>,
    standing: std::sync::OnceLock<Vec<Address>>,
    definitions: std::sync::OnceLock<Vec<(DefId, &'w Definition)>>,
    causes: std::sync::OnceLock<Causes>,
}

/// Some of the references of a file, or all, with their numbers.
pub(super) fn chosen<'w>(harvest: &'w Harvest, some: Option<&[u32]>) -> impl Iterator<Item = (u32, &'w Mention)> {
    let all = some.is_none().then(|| (0u32..).zip(&harvest.mentions)).into_iter().flatten();
    all.chain(some.into_iter().flatten().filter_map(|nth| Some((*nth, harvest.mentions.get(*nth as usize)?))))
}

/// A fault of type with where it belongs.
pub(crate) struct Local<'c> {
    pub(crate) file: FileId,
    pub(crate) node: Node<'c>,
    pub(crate) fault: TypeFault,
}

impl<'w> Context<'w> {
    /// Everything that some layers show, with all their files.
    pub(crate) fn whole(shared: &'w Shared<'w>, layers: LayerSet) -> Self {
        let view = shared.world.view().of(layers.clone());
        // before the checks, which run side by side: all that ask share it
        let membership = Arc::new(Membership::new(&view));
        Context::made(shared, view, layers, None, membership)
    }

    /// What a view shows of what is reached, with the files of some of its layers.
    pub(crate) fn reaching(
        shared: &'w Shared<'w>,
        view: View<'w>,
        own: LayerSet,
        reach: Reach,
        membership: Arc<Membership>,
    ) -> Self {
        Context::made(shared, view, own, Some(reach), membership)
    }

    /// For what exists only with all mods, of which some use others without requiring them.
    pub(crate) fn all_together(mut self, undeclared: FxHashSet<(LayerId, String)>) -> Self {
        (self.together, self.undeclared) = (true, undeclared);
        self
    }

    fn made(
        shared: &'w Shared<'w>,
        view: View<'w>,
        own: LayerSet,
        reach: Option<Reach>,
        membership: Arc<Membership>,
    ) -> Self {
        let world = shared.world;
        let catalog = &world.catalog;
        let rulebook = &*catalog.rulebook;
        let standing = std::sync::OnceLock::new();
        let whole = reach.is_none();
        let own_files = catalog.files().filter(|(_, file)| file.layer.map_or(whole, |layer| own.contains(layer)));
        let own_files = own_files.map(|(id, _)| id).collect();
        let together = false;
        let astray = Vec::new();
        Context {
            shared,
            world,
            catalog,
            rulebook,
            view,
            own,
            own_files,
            together,
            undeclared: FxHashSet::default(),
            reach,
            astray,
            membership,
            standing,
            definitions: std::sync::OnceLock::new(),
            causes: std::sync::OnceLock::new(),
        }
    }

    /// With the references that lead nowhere looked up, which most checks of references ask for.
    pub(crate) fn with_astray(mut self) -> Self {
        self.astray = astray(&self);
        self
    }

    /// The files that are looked at whole.
    pub(crate) fn harvests(&self) -> impl Iterator<Item = (FileId, &'w Harvest, &'w Document)> {
        self.own_files.iter().filter_map(|id| self.harvest(*id))
    }

    /// As [`Self::harvests`], each file once: a manifest in which definitions stand is read a second time for these.
    pub(crate) fn harvests_once(&self) -> impl Iterator<Item = (FileId, &'w Harvest, &'w Document)> {
        let again = |file: &FileId| {
            let known = self.catalog.file(*file);
            known.role == FileRole::Manifest && self.catalog.file_named(&known.path) != Some(*file)
        };
        self.harvests().filter(move |(file, ..)| !again(file))
    }

    /// Whether what a mod may bring along of the rulebook holds for a definition: that mod, or one that stands on it,
    /// defines or changes it here.
    pub(crate) fn brings(&self, from: Option<SupplementId>, address: Address) -> bool {
        let Some(from) = from else { return true };
        let brought = self.rulebook.brought_by(from);
        let Some(by) = brought.and_then(|id| self.catalog.layer_named(id)) else { return false };
        let stands = |layer: LayerId| {
            let owner = self.catalog.owner_of(layer);
            self.view.contains(layer) && (owner == by || self.catalog.layer(owner).ground.contains(by))
        };
        let defined = self.view.stack(address).any(|(_, made)| stands(made.layer));
        defined || self.world.builds.of(address).iter().any(|(layer, _)| stands(*layer))
    }

    /// What one file gives.
    pub(crate) fn harvest(&self, id: FileId) -> Option<(FileId, &'w Harvest, &'w Document)> {
        let catalog = self.catalog;
        Some((id, &**catalog.harvest_of(id)?, &**catalog.document(id)?))
    }

    /// The files with references that are looked at, each with the numbers of these where not all are.
    pub(crate) fn mentioning(&self) -> Vec<(FileId, &'w Harvest, &'w Document, Option<&[u32]>)> {
        let mut all: Vec<_> =
            self.harvests().map(|(file, harvest, document)| (file, harvest, document, None)).collect();
        let reach = self.reach.iter().flat_map(|reach| &reach.mentions);
        let others = reach.filter(|(file, _)| !self.is_own(**file));
        all.extend(others.filter_map(|(file, some)| {
            let (file, harvest, document) = self.harvest(*file)?;
            Some((file, harvest, document, Some(some.as_slice())))
        }));
        all.sort_unstable_by_key(|(file, ..)| *file);
        all
    }

    /// All that the layers write whose files are looked at, also what does not count.
    pub(crate) fn written_by_own(&self) -> impl Iterator<Item = (DefId, &'w Definition)> {
        let catalog = self.catalog;
        self.own.iter().collect::<Vec<_>>().into_iter().flat_map(move |layer| catalog.definitions_of(layer))
    }

    /// Whether a file is looked at whole.
    pub(crate) fn is_own(&self, file: FileId) -> bool {
        // those of the workspace are looked at together with the base
        self.catalog.file(file).layer.map_or(self.reach.is_none(), |layer| self.own.contains(layer))
    }

    /// All references that are looked at, also what does not show.
    pub(crate) fn mentions(&self) -> impl Iterator<Item = (FileId, &'w Harvest, &'w Document, &'w Mention)> {
        self.mentioning().into_iter().flat_map(|(file, harvest, document, some)| {
            chosen(harvest, some).map(move |(_, mention)| (file, harvest, document, mention))
        })
    }

    /// The definitions that stand in the view and are looked at, always in the same order.
    pub(crate) fn standing(&self) -> &[Address] {
        self.standing.get_or_init(|| match &self.reach {
            None => self.view.standing(),
            Some(reach) => {
                let mut all: Vec<Address> =
                    reach.addresses.iter().copied().filter(|at| self.view.stands(*at)).collect();
                all.sort_unstable();
                all
            }
        })
    }

    /// Whether a definition is looked at.
    pub(crate) fn reaches(&self, address: Address) -> bool {
        self.reach.as_ref().is_none_or(|reach| reach.addresses.contains(&address))
    }

    /// Whether a definition is looked at, but not the file that it shows.
    pub(crate) fn is_beside(&self, address: Address) -> bool {
        self.reach.is_some() && self.view.top(address).is_some_and(|(_, top)| !self.own.contains(top.layer))
    }

    /// Whether a group is looked at: itself, or one of its members; where it is only compared with, any.
    pub(crate) fn reaches_group(&self, group: Address) -> bool {
        self.own.is_empty()
            || self.reaches(group)
            || self.membership.members(group).iter().any(|member| self.reaches(*member))
    }

    /// Each definition that counts and is looked at, as one layer writes it, in load order.
    pub(crate) fn definitions(&self) -> impl Iterator<Item = (DefId, &'w Definition)> {
        self.definitions.get_or_init(|| self.look_up_definitions()).iter().copied()
    }

    fn look_up_definitions(&self) -> Vec<(DefId, &'w Definition)> {
        match &self.reach {
            None => self.view.definitions().collect(),
            Some(_) => {
                let mut all: Vec<_> = self.standing().iter().flat_map(|at| self.view.stack(*at)).collect();
                all.extend(self.written_by_own().filter(|(_, made)| made.id.is_none()));
                all.sort_unstable_by_key(|(id, _)| *id);
                all
            }
        }
    }

    /// What does not work of the amendments of the layers that are looked at whole.
    pub(crate) fn problems(&self) -> impl Iterator<Item = &'w crate::effective::Problem> {
        let of_own = |problem: &&crate::effective::Problem| {
            self.catalog.amendment(problem.amendment).is_some_and(|(_, at)| self.own.contains(at.layer))
        };
        self.world.builds.problems.iter().filter(of_own)
    }

    /// What goes wrong only between layers.
    pub(crate) fn clashes(&self) -> &crate::settle::Clashes {
        self.shared.clashes()
    }

    /// What other findings only follow from.
    pub(crate) fn causes(&self) -> &Causes {
        self.causes.get_or_init(|| Causes::new(self))
    }

    /// The files with definitions, by their paths below their layers.
    pub(crate) fn definition_files(&self) -> impl Iterator<Item = &'w str> {
        let seen = self.catalog.files().filter(|(id, _)| self.view.has(*id));
        let files = seen.filter(|(_, file)| matches!(file.role, FileRole::Definitions(_)));
        files.map(|(_, file)| file.relative.as_str())
    }

    /// Whether a slip of the notation stands in a definition, or in a file beside definitions: then this is not what
    /// was meant.
    pub(crate) fn is_slipped(&self, document: &Document, from: u32) -> bool {
        let made = || self.catalog.definition_of(document.file(), from);
        let whole = || made().map_or(document.root(), |(_, made)| self.catalog.node(made.at()));
        if document.faults().is_empty() {
            return false;
        }
        let whole = whole();
        has_slip(whole) || is_shifted(document, whole)
    }

    /// All faults of type.
    pub(crate) fn locals(&self) -> impl Iterator<Item = Local<'w>> {
        self.harvests().flat_map(move |(file, harvest, document)| {
            let meant = move |fault: &&TypeFault| !self.is_slipped(document, fault.from);
            let local = move |fault: &TypeFault| Local { file, node: document.node(fault.at), fault: *fault };
            harvest.faults.iter().filter(meant).map(local)
        })
    }

    /// The faults of one sort, each with its type, and the finding that it becomes: `said` gives place,
    /// message and help.
    pub(crate) fn local_findings(
        &self,
        check: &'static Check,
        findings: &mut Vec<Finding>,
        wanted: impl Fn(Wrong) -> Option<TypeId>,
        said: impl Fn(Node<'w>, TypeId, &'w FieldType) -> Option<(Place, Said, Option<Said>)>,
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

    /// Whether the game still sees a value where it is written.
    pub(crate) fn shows(&self, about: Address, path: &FieldPath, node: Node<'_>) -> bool {
        self.view.shows(about, path, node)
    }

    /// Whether a reference shows in the view.
    pub(crate) fn is_seen(&self, file: FileId, mention: &Mention, node: Node<'_>) -> bool {
        // hardly any definition is not the highest one, or amended
        let is_top = |(id, made): (DefId, &Definition)| match self.catalog.address_of(made) {
            Some(address) => {
                let is_top = self.view.top(address).is_some_and(|(top, _)| top == id);
                is_top && self.world.builds.of(address).is_empty()
            }
            None => true,
        };
        if self.is_own(file) && self.catalog.definition_of(file, mention.from).is_none_or(is_top) {
            return true;
        }
        let (about, path) = self.whose(file, mention.from, node);
        about.is_some_and(|about| self.shows(about, &path, node))
    }

    /// Whether a value names a parent of its definition.
    pub(crate) fn names_parent(&self, file: FileId, from: u32, node: Node<'_>) -> bool {
        let Some((_, made)) = self.catalog.definition_of(file, from) else { return false };
        let Some(key) = self.rulebook.kind(made.kind).parent else { return false };
        let of_definition =
            |node: Node<'_>| node.key() == Some(key) && node.parent().is_some_and(|parent| parent.id() == made.node);
        made.parent.is_some() && (of_definition(node) || node.parent().is_some_and(of_definition))
    }

    /// The key of a value, or the value itself in a list.
    pub(crate) fn key_place(&self, node: Node<'_>) -> Place {
        Place { file: node.document().file(), span: node.key_span() }
    }

    /// Another key for an entry.
    pub(crate) fn rekeyed(&self, node: Node<'_>, to: &str) -> Option<Mend> {
        let (document, parent) = (node.document(), node.parent()?);
        let at = document.path_to(node.id(), &self.catalog.names);
        let there = parent.get_named(to, &self.catalog.names).is_some();
        // a column's name stands above all rows, and is written otherwise if no row has the right one
        let in_rows = matches!(document.format(), Format::Csv | Format::Described);
        let of_rows = in_rows && node.key_span().end <= parent.span().start;
        let rows = parent.parent().filter(|_| of_rows);
        if rows.is_some_and(|rows| !rows.children().any(|row| row.get_named(to, &self.catalog.names).is_some())) {
            return Mend::word(self.key_place(node), &node.key_text(), to);
        }
        (!there).then(|| Mend::Key { file: node.document().file(), at, to: to.to_owned() })
    }

    pub(crate) fn definition_place(&self, at: NodeRef) -> Place {
        self.catalog.definition_place(at)
    }

    pub(crate) fn show(&self, address: Address) -> String {
        self.view.show_address(address)
    }

    /// The findings of faults in our own files that carry a check's code.
    pub(crate) fn own_faults(&self, check: &'static Check, findings: &mut Vec<Finding>) {
        let of_files = self.harvests().flat_map(|(_, harvest, _)| &harvest.own_faults);
        findings.extend(of_files.filter(|coded| coded.code == check.code).map(|coded| from_own(check, &coded.fault)));
    }

    /// Whether a layer is the game itself, or a part of it.
    pub(crate) fn is_game(&self, layer: LayerId) -> bool {
        self.catalog.layer(layer).is_base()
    }

    /// Whether nothing but the game itself is looked at, which is spared what only concerns mods.
    pub(crate) fn looks_at_base_alone(&self) -> bool {
        self.reach.is_none() && self.own.iter().all(|layer| self.is_base(layer))
    }

    /// Whether a layer is spared what only concerns mods: the game itself, but for those who make it.
    pub(crate) fn is_base(&self, layer: LayerId) -> bool {
        !self.shared.as_maker && self.is_game(layer)
    }

    /// Whether a definition is only there to be inherited from.
    pub(crate) fn is_abstract(&self, address: Address) -> bool {
        self.view.top(address).is_some_and(|(_, definition)| definition.is_abstract)
    }

    /// The layer of a file.
    pub(crate) fn layer_of(&self, file: FileId) -> LayerId {
        self.catalog.file(file).layer.unwrap_or(LayerId::BASE)
    }

    /// Some definitions that a reference could name and that pass its test.
    pub(crate) fn fitting(&self, mention: &Mention, test: &Test, view: &View<'_>) -> Option<Said> {
        let kinds = self.rulebook.link_kinds(mention.wants);
        let fits = |address: &Address| {
            let effective = view.effective(*address)?;
            test.holds(|part| effective.words_at(self.catalog, part)).then(|| self.catalog.names.text(address.id))
        };
        let all = view.addresses();
        let of_kinds = all.iter().filter(|address| view.kind_of(**address).is_some_and(|k| kinds.contains(&k)));
        let found: Vec<&str> = of_kinds.filter_map(fits).take(4).collect();
        (!found.is_empty()).then(|| said!("these fit: `{fitting}`", fitting = listed(found)))
    }
}

/// A fault of our own files as a finding.
pub(crate) fn from_own(check: &'static Check, fault: &OwnFault) -> Finding {
    let mend = fault.instead.as_ref().and_then(|(word, to)| Mend::word(fault.place, word, to));
    let finding = Finding::new(check, fault.place, fault.message.clone()).help(fault.help.clone()).mend(mend);
    match &fault.second {
        Some((place, message)) => finding.related(*place, message.clone()),
        None => finding,
    }
}

/// Whether a slip of the notation stands in it.
pub(crate) fn has_slip(node: Node<'_>) -> bool {
    let (document, span) = (node.document(), node.span());
    let slips = document.faults().iter().filter(|fault| !fault.repeated_key && document.format().nests());
    slips.map(|slip| slip.span.start).any(|at| span.start <= at && at <= span.end)
}
