//! What each layer's amendments come to: the definitions that `build` would write for it.
//!
//! Computed once, in load order, each layer from its own ground, so that nothing a mod does not stand on
//! changes what it ships.

mod partial;

use std::cell::RefCell;
use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::operate::{Obstacle, Operator};
use super::scope::EffectiveScope;
use super::value::{Content, Origin, Value};
use super::view::{Own, OwnStates, Taken, View};
use crate::catalog::{Address, AmendId, Amendment, Catalog, LayerId, LayerSet, Op, OpKind, Seen, Target};
use crate::document::{NodeRef, Shape, Step};
use crate::expression::{Expression, ExpressionError, Outcome};
use crate::rulebook::{Again, KindId, ListShape, Reading};
use crate::said::said;
use crate::source::{FileId, Place};

/// A definition as a layer's build writes it.
#[derive(Debug)]
pub(crate) struct Built {
    pub(crate) kind: KindId,
    /// Whether it counts alone, or is laid over what is below.
    pub(crate) whole: bool,
    pub(crate) value: Value,
    /// The layer's amendments that select it, in order.
    by: Box<[AmendId]>,
}

impl Built {
    /// Whether an amendment selects this, whatever is left of what it says.
    pub(crate) fn is_made_by(&self, amendment: AmendId) -> bool {
        self.by.contains(&amendment)
    }
}

/// Something about an amendment that does not work.
#[derive(Clone, Debug)]
pub(crate) struct Problem {
    pub(crate) amendment: AmendId,
    pub(crate) address: Option<Address>,
    pub(crate) what: ProblemKind,
}

impl Problem {
    /// The operation that cannot be done, by its number, with its definition.
    fn failed(&self) -> Option<(AmendId, usize, Address)> {
        match self.what {
            ProblemKind::Op(op, _) | ProblemKind::NotSayable(op, _) => Some((self.amendment, op, self.address?)),
            _ => None,
        }
    }
}

#[derive(Clone, Debug)]
pub(crate) enum ProblemKind {
    /// Nothing stands at the address.
    NoTarget,
    /// What stands at the address belongs to a layer outside the ground.
    OutsideGround,
    /// The condition holds for nothing.
    NoMatch,
    /// The condition is no good.
    Condition(ExpressionError, Place),
    /// An operation does not work.
    Op(usize, Obstacle),
    /// The game has no notation for the result.
    NotSayable(usize, &'static str),
}

/// All that amendments come to.
#[derive(Debug, Default)]
pub(crate) struct Builds {
    by_address: FxHashMap<Address, Vec<(LayerId, Arc<Built>)>>,
    pub(crate) problems: Vec<Problem>,
    /// The operations that cannot be done, and amendments of what is not there.
    failed: FxHashSet<(AmendId, usize, Address)>,
    lost: FxHashSet<AmendId>,
}

impl Builds {
    /// Whether an operation of an amendment does something to a definition.
    pub(crate) fn works(&self, id: AmendId, nth: usize, at: Address) -> bool {
        !self.lost.contains(&id) && !self.failed.contains(&(id, nth, at))
    }

    pub(crate) fn of(&self, address: Address) -> &[(LayerId, Arc<Built>)] {
        self.by_address.get(&address).map_or(&[], Vec::as_slice)
    }

    pub(crate) fn addresses(&self) -> impl Iterator<Item = Address> {
        self.by_address.keys().copied()
    }

    /// What a layer's amendments build, sorted by kind and id.
    pub(crate) fn of_layer(&self, catalog: &Catalog, layer: LayerId) -> Vec<(Address, Arc<Built>)> {
        let mut out: Vec<(Address, Arc<Built>)> = Vec::new();
        for (address, built) in &self.by_address {
            out.extend(built.iter().filter(|(at, _)| *at == layer).map(|(_, built)| (*address, built.clone())));
        }
        out.sort_by(|(a, _), (b, _)| (a.space, catalog.names.text(a.id)).cmp(&(b.space, catalog.names.text(b.id))));
        out
    }

    pub(crate) fn new(catalog: &Catalog) -> Builds {
        let mut builds = Builds::default();
        for (layer, found) in catalog.layers() {
            if catalog.amendments_of(layer).next().is_some() {
                Builder::new(catalog, &builds, layer, &found.ground, &Amended::default())
                    .build()
                    .into(&mut builds, layer);
            }
        }
        builds
    }
}

/// What one layer comes to.
struct Made {
    built: Vec<(Address, Built)>,
    problems: Vec<Problem>,
}

impl Made {
    fn into(self, builds: &mut Builds, layer: LayerId) {
        for (address, built) in self.built {
            builds.by_address.entry(address).or_default().push((layer, Arc::new(built)));
        }
        let lost = |one: &&Problem| matches!(one.what, ProblemKind::NoTarget | ProblemKind::OutsideGround);
        builds.lost.extend(self.problems.iter().filter(lost).map(|one| one.amendment));
        builds.failed.extend(self.problems.iter().filter_map(Problem::failed));
        builds.problems.extend(self.problems);
    }
}

struct Builder<'b> {
    catalog: &'b Catalog,
    layer: LayerId,
    ground: View<'b>,
    /// Ground and the layer itself.
    seen: Seen<'b>,
    states: RefCell<FxHashMap<Address, Own>>,
    busy: RefCell<FxHashSet<Address>>,
    problems: RefCell<Vec<Problem>>,
    /// The operations that could not be done.
    failed: RefCell<FxHashSet<(AmendId, usize, Address)>>,
    amendments: &'b Amended<'b>,
}

/// The layer's amendments by what they change.
type Amended<'b> = FxHashMap<Address, Vec<(AmendId, &'b Amendment)>>;

/// So many changed definitions are worked out together, whatever number of threads there is.
const SHARE: usize = if cfg!(test) { 2 } else { 128 };

/// The states while a definition is loaded with its layer.
struct Loading<'l, 'b> {
    builder: &'l Builder<'b>,
    address: Address,
    own: Own,
    /// Where parents count as they are when the child is loaded, what they are now.
    parents: Taken,
}

impl<'l, 'b> Loading<'l, 'b> {
    fn new(builder: &'l Builder<'b>, address: Address, own: Own) -> Self {
        let early = builder.catalog.rulebook.kind(own.kind).early;
        let parents = if early { builder.taken(&own) } else { Taken::default() };
        Loading { builder, address, own, parents }
    }
}

impl OwnStates for Loading<'_, '_> {
    fn own(&self, at: Address) -> Option<Own> {
        if at == self.address { Some(self.own.clone()) } else { self.builder.state(at) }
    }

    fn early(&self, child: Address, parent: Address) -> Option<Option<Own>> {
        self.parents.get(&parent).filter(|_| child == self.address).cloned()
    }
}

impl<'b> Builder<'b> {
    /// The parents that a definition takes when the layer is loaded, and what these took when they were.
    fn taken(&self, child: &Own) -> Taken {
        let mut taken = Taken::default();
        let before = |parent: Address, own: &Own, taken: &mut Taken| {
            let amended = self.amendments.contains_key(&parent) && !self.nothing_works(parent);
            let with_layer = amended || self.catalog.defined_in(parent, self.layer).is_some();
            if !with_layer {
                self.ground.taken_in_layer(own, taken);
            }
            !with_layer
        };
        self.ground.taken_now(child, &|parent| self.state(parent), &before, &mut taken);
        taken
    }

    fn new(
        catalog: &'b Catalog,
        builds: &'b Builds,
        layer: LayerId,
        ground: &LayerSet,
        amendments: &'b Amended<'b>,
    ) -> Self {
        Builder {
            catalog,
            layer,
            ground: View { seen: catalog.seen_in(ground.clone()), builds },
            seen: catalog.seen_in(ground.with(layer)),
            states: RefCell::default(),
            busy: RefCell::default(),
            problems: RefCell::default(),
            failed: RefCell::default(),
            amendments,
        }
    }

    fn problem(&self, amendment: AmendId, address: Option<Address>, what: ProblemKind) {
        let problem = Problem { amendment, address, what };
        self.failed.borrow_mut().extend(problem.failed());
        self.problems.borrow_mut().push(problem);
    }

    fn build(self) -> Made {
        let mut amendments = Amended::default();
        let mut order: Vec<Address> = Vec::new();
        for (id, amendment) in self.catalog.amendments_of(self.layer) {
            for address in self.targets(id, amendment) {
                let list = amendments.entry(address).or_default();
                if list.is_empty() {
                    order.push(address);
                }
                list.push((id, amendment));
            }
        }
        let mut all = Made { built: Vec::new(), problems: self.problems.into_inner() };
        let (catalog, layer, builds, ground) = (self.catalog, self.layer, self.ground.builds, self.ground.seen.layers);
        let one = |share: &[Address]| Builder::new(catalog, builds, layer, &ground, &amendments).share(share);
        let shares: Vec<Made> = order.par_chunks(SHARE).map(one).collect();
        for made in shares {
            all.built.extend(made.built);
            all.problems.extend(made.problems);
        }
        all
    }

    /// What a share of the changed definitions come to.
    fn share(self, share: &[Address]) -> Made {
        for address in share {
            self.state(*address);
        }
        let built = share.iter().filter_map(|address| Some((*address, self.built(*address)?))).collect();
        let mut problems = self.problems.into_inner();
        // those of parents are found with the share that these belong to
        let share: FxHashSet<Address> = share.iter().copied().collect();
        problems.retain(|problem| problem.address.is_none_or(|address| share.contains(&address)));
        Made { built, problems }
    }

    fn targets(&self, id: AmendId, amendment: &Amendment) -> Vec<Address> {
        let catalog = self.catalog;
        match &amendment.target {
            Target::Of { id: word } => {
                let address = catalog.address(amendment.kind, word);
                match address {
                    Some(address) if self.seen.stands(address) => vec![address],
                    Some(address) => {
                        let elsewhere = catalog.seen().stands(address);
                        let what = if elsewhere { ProblemKind::OutsideGround } else { ProblemKind::NoTarget };
                        self.problem(id, Some(address), what);
                        Vec::new()
                    }
                    None => {
                        self.problem(id, None, ProblemKind::NoTarget);
                        Vec::new()
                    }
                }
            }
            Target::Which { condition } => {
                let condition = match condition {
                    None => None,
                    Some((source, place)) => {
                        match Expression::new(source, amendment.kind, &catalog.rulebook, &catalog.names, true) {
                            Ok(expression) => Some(expression),
                            Err(faults) => {
                                for fault in faults {
                                    self.problem(id, None, ProblemKind::Condition(fault, *place));
                                }
                                return Vec::new();
                            }
                        }
                    }
                };
                let space = catalog.rulebook.kind(amendment.kind).space;
                let mut all: Vec<Address> = catalog.stacks.addresses().filter(|a| a.space == space).collect();
                all.sort_by_key(|address| catalog.names.text(address.id));
                // each by itself, so side by side
                let ground = &self.ground;
                let tried = |address: &Address| -> Option<Outcome> {
                    let effective = ground.stands(*address).then(|| ground.effective(*address)).flatten()?;
                    Some(match &condition {
                        Some(condition) => condition.eval(&EffectiveScope::new(ground, &effective)),
                        None => Outcome::Value(true.into()),
                    })
                };
                let outcomes: Vec<Option<Outcome>> = all.par_iter().map(tried).collect();
                let mut untried = None;
                let mut found: Vec<Address> = Vec::new();
                for (address, outcome) in all.into_iter().zip(outcomes) {
                    match outcome {
                        Some(Outcome::Failed(reason)) => {
                            untried.get_or_insert((address, reason));
                        }
                        Some(outcome) if outcome.truth() == Some(true) => found.push(address),
                        _ => {}
                    }
                }
                let place = match &amendment.target {
                    Target::Which { condition: Some((_, place)) } => Some(*place),
                    _ => None,
                };
                if let (Some((address, reason)), Some(place)) = (untried, place) {
                    let shown = catalog.show_address(address);
                    let message = said!("it cannot be tried on `{definition}`: {reason}", definition = shown, reason);
                    let fault = ExpressionError { message, help: None, range: (0, 1), unknown_field: false };
                    self.problem(id, None, ProblemKind::Condition(fault, place));
                } else if found.is_empty() {
                    self.problem(id, None, ProblemKind::NoMatch);
                }
                found
            }
        }
    }

    /// Whether the layer has other files in the place of those that define an address on the ground.
    fn hides(&self, address: Address) -> bool {
        self.catalog.shadowing && self.ground.stack(address).all(|(_, made)| !self.seen.has(made.file))
    }

    /// The own state on the ground with the layer's definitions, before its amendments.
    fn stated(&self, address: Address) -> Option<Own> {
        let mut state = self.ground.own(address).filter(|_| !self.hides(address));
        let mut own: Vec<_> = self.catalog.stack(address).map(|(_, d)| d).filter(|d| d.layer == self.layer).collect();
        own.reverse();
        for definition in own {
            state = self.ground.over(state, definition);
        }
        state
    }

    /// The own state with the layer's amendments; parents' first, since lists may be taken over from them.
    fn state(&self, address: Address) -> Option<Own> {
        if let Some(known) = self.states.borrow().get(&address) {
            return Some(known.clone());
        }
        let mut state = self.stated(address)?;
        let Some(amendments) = self.amendments.get(&address) else { return Some(state) };
        if !self.busy.borrow_mut().insert(address) {
            return Some(state);
        }
        let root = self.catalog.rulebook.kind(state.kind).root;
        for (id, amendment) in amendments {
            let Some((_, at)) = self.catalog.amendment(*id) else { continue };
            let operator = Operator { catalog: self.catalog, layer: self.layer, amendment: *id, file: at.file };
            for (nth, op) in amendment.ops.iter().enumerate() {
                // only lists are looked up in what is inherited
                let shows = op.path.steps().iter().any(|step| !matches!(step, Step::Key(_)))
                    || matches!(op.kind, OpKind::Add | OpKind::Remove);
                let before = state.clone();
                let effective = shows.then(|| {
                    let states = Loading::new(self, address, before.clone());
                    self.ground.compose(address, &states)?.get(self.catalog, &op.path.leading_keys())
                });
                let shown = effective.flatten();
                let mut next = state.clone();
                match operator.apply(&mut next.value, op, root, shown.as_ref()) {
                    Ok(()) if self.still_shows(address, &next, op, self.entries(op, at.file), shown.as_ref()) => {
                        let reason =
                            "this list is joined with what is inherited, so an inherited entry cannot be taken out";
                        self.problem(*id, Some(address), ProblemKind::NotSayable(nth, reason));
                    }
                    Ok(()) => state = next,
                    Err(obstacle) => self.problem(*id, Some(address), ProblemKind::Op(nth, obstacle)),
                }
            }
        }
        self.busy.borrow_mut().remove(&address);
        self.states.borrow_mut().insert(address, state.clone());
        Some(state)
    }

    /// Why the game has no notation for any change of a definition.
    fn unsayable(&self, address: Address, of: KindId, on_ground: bool) -> Option<&'static str> {
        let rulebook = &self.catalog.rulebook;
        // an id that is made of the mod's own says whose it is
        if on_ground && self.catalog.is_of_another(self.layer, address.id, of) {
            return Some(
                "ids of this kind are made of the mod's own, so that what another one defines cannot be changed",
            );
        }
        if !rulebook.places.iter().any(|place| place.writes(of)) {
            return Some(
                "definitions of this kind are only read: the rulebook names no file in which a changed one could stand",
            );
        }
        let beside = || self.ground.top(address).is_some_and(|(_, made)| made.again == Again::Variant);
        match rulebook.kind(of).again {
            _ if !on_ground => None,
            Again::Merge => None,
            Again::Fault => {
                Some("the game takes a second definition of this kind for a fault, so a lower one cannot be changed")
            }
            _ if beside() && self.catalog.defined_in(address, self.layer).is_none() => Some(
                "what a mod defines of this kind counts beside what is there, so a lower definition cannot be changed; `new` puts another one beside it",
            ),
            _ => None,
        }
    }

    fn built(&self, address: Address) -> Option<Built> {
        let catalog = self.catalog;
        let state = self.state(address)?;
        let kind = catalog.rulebook.kind(state.kind);
        let shown = self.ground.compose(address, &Loading::new(self, address, state.clone()))?;
        let on_ground = self.ground.stands(address) && !self.hides(address);
        if let Some(reason) = self.unsayable(address, state.kind, on_ground)
            && let Some((id, _)) = self.amendments.get(&address).and_then(|list| list.first())
        {
            self.problem(*id, Some(address), ProblemKind::NotSayable(0, reason));
            return None;
        }
        if on_ground && kind.again == Again::Merge {
            let part = self.partial(address, &state, &shown);
            // what the game has no notation for leaves nothing to write
            return (!part.value.entries(catalog).is_empty()).then_some(part);
        }
        self.no_numbers(address, &state, &shown);
        if self.nothing_works(address) {
            return None;
        }
        let value = self.fixed(state.value.clone(), &shown.value);
        let value = super::operate::rounded(catalog, value, Some(kind.root));
        Some(Built { kind: state.kind, whole: true, value: self.carried(value), by: self.selecting(address) })
    }

    /// How many entries an operation is about.
    fn entries(&self, op: &Op, file: FileId) -> usize {
        let node = self.catalog.node(NodeRef { file, node: op.value });
        if node.shape() == Shape::List { node.children().len() } else { 1 }
    }

    /// Whether entries that were taken out of a joined list show all the same, since a parent has them.
    fn still_shows(&self, address: Address, next: &Own, op: &Op, taken: usize, before: Option<&Value>) -> bool {
        let catalog = self.catalog;
        let ty = catalog.rulebook.field_type(op.ty);
        let Reading::List(list) = &ty.reading else { return false };
        let signed = ty.written.as_ref().is_some_and(|written| !written.minus.is_empty());
        let once = matches!(list.shape, ListShape::Set | ListShape::Keyed);
        if op.kind != OpKind::Remove || !list.join || !once || signed {
            return false;
        }
        let states = Loading::new(self, address, next.clone());
        let after = self.ground.compose(address, &states).and_then(|shown| shown.value.at(catalog, &op.path));
        let many = |list: Option<&Value>| list.map_or(0, |list| list.items(catalog).len());
        many(after.as_ref()) + taken > many(before)
    }

    /// Whether an operation could not be done.
    fn fails(&self, id: AmendId, nth: usize, address: Address) -> bool {
        self.failed.borrow().contains(&(id, nth, address))
    }

    /// The operations on a definition that could be done, in order.
    fn working(&self, address: Address) -> impl Iterator<Item = (AmendId, usize, &'b Op)> {
        let all = self.amendments.get(&address).into_iter().flatten();
        let all = all.flat_map(|(id, amendment)| amendment.ops.iter().enumerate().map(|(nth, op)| (*id, nth, op)));
        all.filter(move |(id, nth, _)| !self.fails(*id, *nth, address))
    }

    /// The amendments that select a definition, in order.
    fn selecting(&self, address: Address) -> Box<[AmendId]> {
        self.amendments.get(&address).into_iter().flatten().map(|(id, _)| *id).collect()
    }

    /// Whether no operation on a definition that the layer does not write itself could be done.
    fn nothing_works(&self, address: Address) -> bool {
        let own = self.catalog.defined_in(address, self.layer).is_some();
        let mut all = self.amendments.get(&address).into_iter().flatten();
        !own && all.all(|(id, amendment)| (0..amendment.ops.len()).all(|nth| self.fails(*id, nth, address)))
    }

    /// Operations on numbers that are nowhere.
    fn no_numbers(&self, address: Address, state: &Own, shown: &super::view::Effective) {
        for (id, amendment) in self.amendments.get(&address).into_iter().flatten() {
            for (nth, op) in amendment.ops.iter().enumerate() {
                let relative = matches!(op.kind, OpKind::Multiply | OpKind::Shift);
                let pending = relative
                    && state.value.at(self.catalog, &op.path).is_some_and(|v| matches!(v.content, Content::Pending(_)));
                if pending && shown.value.at(self.catalog, &op.path).is_none() {
                    self.problem(*id, Some(address), ProblemKind::Op(nth, Obstacle::NoNumber));
                }
            }
        }
    }

    /// Pending numbers take what shows.
    fn fixed(&self, mut value: Value, shown: &Value) -> Value {
        if let Content::Table(entries) = &mut value.content {
            entries.retain_mut(|(key, entry)| {
                let shows = shown.get(self.catalog, *key);
                match (&entry.content, shows) {
                    (Content::Pending(_), Some(shows)) => *entry = shows,
                    (Content::Pending(_) | Content::Hidden, None) => return false,
                    (Content::Table(_), Some(shows)) => {
                        let inner = std::mem::replace(entry, Value::new(Content::Hidden, entry.origin));
                        *entry = self.fixed(inner, &shows);
                    }
                    _ => {}
                }
                true
            });
        }
        value
    }

    /// Marks what a whole copy carries along from other layers.
    fn carried(&self, mut value: Value) -> Value {
        let layer = self.layer;
        let mark = |origin: &mut Origin| {
            if origin.layer != layer {
                origin.carried = Some(layer);
            }
        };
        mark(&mut value.origin);
        match &mut value.content {
            Content::Written(_) if value.origin.layer != layer => {
                let opened: Vec<_> = value.entries(self.catalog);
                if !opened.is_empty() {
                    value.content = Content::Table(opened);
                    return self.carried(value);
                }
            }
            Content::Table(entries) => {
                for (_, entry) in entries {
                    let inner = std::mem::replace(entry, Value::new(Content::Hidden, entry.origin));
                    *entry = self.carried(inner);
                }
            }
            _ => {}
        }
        value
    }
}
