//! A list of layers, and the definitions as they show in it.

use rustc_hash::FxHashMap;

use super::builds::Builds;
use super::lay::{Keep, lay, taken_out, unmarked};
use super::native::{native, without_base};
use super::operate::rounded;
use super::value::{Content, How, Origin, Value};
use crate::catalog::{Address, Catalog, Definition, LayerId, LayerSet, Seen, parent_meant};
use crate::document::{FieldPath, Node, Shape, Step};
use crate::names::Sym;
use crate::rulebook::{Again, KindId, Reading, TypeId};

/// Parents are followed at most this far.
const CHAIN_LIMIT: usize = 256;

/// The layers that are looked at, and what their amendments come to.
#[derive(Clone)]
pub struct View<'w> {
    pub(crate) seen: Seen<'w>,
    pub(crate) builds: &'w Builds,
}

impl<'w> std::ops::Deref for View<'w> {
    type Target = Seen<'w>;

    fn deref(&self) -> &Seen<'w> {
        &self.seen
    }
}

/// A definition as it shows in a view: with all layers, amendments and parents, without defaults.
#[derive(Clone, Debug)]
pub struct Effective {
    /// The definition's address.
    pub address: Address,
    /// Its kind.
    pub kind: KindId,
    /// Its value; defaults are added by [`Effective::get`] and [`Effective::whole`].
    pub value: Value,
    /// Its parents, nearest first.
    pub parents: Vec<Address>,
}

/// A definition's own state, before parents.
#[derive(Clone, Debug)]
pub(crate) struct Own {
    pub(crate) kind: KindId,
    pub(crate) value: Value,
}

/// Where own states are looked up while a definition is composed.
pub(crate) trait OwnStates {
    /// The own state of a definition.
    fn own(&self, at: Address) -> Option<Own>;

    /// The own state of a parent as its child took it when it was loaded, where that is known.
    fn early(&self, _child: Address, _parent: Address) -> Option<Option<Own>> {
        None
    }
}

impl<F: Fn(Address) -> Option<Own>> OwnStates for F {
    fn own(&self, at: Address) -> Option<Own> {
        self(at)
    }
}

/// What ancestors were when a definition took them.
pub(crate) type Taken = FxHashMap<Address, Option<Own>>;

/// What is known while a definition's ancestors are looked up.
struct Family<'f> {
    states: &'f dyn OwnStates,
    /// The way down from the definition, each with the layer that made it what it is.
    trail: Vec<(Address, LayerId)>,
    /// All ancestors, nearest first.
    parents: Vec<Address>,
    /// Where parents count as they were when a child was loaded: whether that is known of the child.
    loaded: Option<Loaded>,
}

impl Family<'_> {
    /// Whether a parent of a state was passed already. Where it is taken as it was when its child was loaded, one that
    /// a higher layer made is another one.
    fn passed(&self, parent: Address, early: bool, child: &Own) -> bool {
        let layer = child.value.origin.shipped_by();
        let same = |(at, made): &(Address, LayerId)| *at == parent && !(early && *made > layer);
        self.trail.len() > CHAIN_LIMIT || self.trail.iter().any(same)
    }
}

/// Since when an ancestor stands as it does.
#[derive(Clone, Copy)]
enum Loaded {
    /// Since this descendant took it.
    With(Address),
    /// Since the layers up to that of its child.
    InLayer,
}

impl<'w> View<'w> {
    /// The view of the layers up to and including one, in load order.
    pub fn up_to(&self, layer: LayerId) -> View<'w> {
        self.of(self.layers.with(layer).iter().filter(|other| *other <= layer).collect())
    }

    pub(crate) fn of(&self, layers: LayerSet) -> View<'w> {
        View { seen: Seen { catalog: self.catalog, layers }, builds: self.builds }
    }

    /// Whether one layer alone writes the definition, in one place, without a parent or amendments.
    pub(crate) fn is_plain(&self, address: Address) -> bool {
        let mut stack = self.written_at(address);
        let first = stack.next();
        stack.next().is_none()
            && first.is_some_and(|(_, definition)| {
                let operations = &self.catalog.rulebook.kind(definition.kind).operations;
                !definition.removes && definition.parent.is_none() && operations.is_none()
            })
            && self.builds.of(address).is_empty()
    }

    /// What the layers state of an address, laid over each other as built.
    pub(crate) fn own(&self, address: Address) -> Option<Own> {
        let catalog = self.catalog;
        let mut stack: Vec<&Definition> = self.written_at(address).map(|(_, definition)| definition).collect();
        stack.reverse();
        let built = self.builds.of(address);
        if built.is_empty()
            && let [only] = stack.as_slice()
        {
            let written = || native(catalog, only.kind, Value::written(catalog, only.at(), only.layer));
            let own = || Own { kind: only.kind, value: written() };
            return (!only.removes).then(own);
        }
        let mut state: Option<Own> = None;
        let mut next = stack.into_iter().peekable();
        let mut built = built.iter().filter(|(layer, _)| self.layers.contains(*layer)).peekable();
        loop {
            let (from_stack, from_built) = (next.peek().map(|d| d.layer), built.peek().map(|(layer, _)| *layer));
            match (from_stack, from_built) {
                (None, None) => return state,
                (Some(layer), made) if made.is_none_or(|made| layer < made) => {
                    let Some(definition) = next.next() else { continue };
                    state = self.over(state, definition);
                }
                (_, Some(layer)) => {
                    // the layer's own definitions are part of what is built from them
                    while next.peek().is_some_and(|d| d.layer == layer) {
                        next.next();
                    }
                    let Some((_, made)) = built.next() else { continue };
                    let keep = if made.whole { Keep::Nothing } else { Keep::All };
                    let root = catalog.rulebook.kind(made.kind).root;
                    state = Some(match state {
                        Some(lower) => Own {
                            kind: made.kind,
                            value: lay(catalog, lower.value, made.value.clone(), Some(root), keep),
                        },
                        None => Own { kind: made.kind, value: made.value.clone() },
                    });
                }
                (Some(_), None) => {}
            }
        }
    }

    /// One definition laid over the state below it; nothing if it takes that away.
    pub(crate) fn over(&self, state: Option<Own>, definition: &Definition) -> Option<Own> {
        let catalog = self.catalog;
        if definition.removes {
            return None;
        }
        let upper = native(catalog, definition.kind, Value::written(catalog, definition.at(), definition.layer));
        self.laid(state, definition, upper)
    }

    /// A definition's value laid over the state below it, as its kind and its own marks have it.
    pub(super) fn laid(&self, state: Option<Own>, definition: &Definition, mut upper: Value) -> Option<Own> {
        let catalog = self.catalog;
        let kind = catalog.rulebook.kind(definition.kind);
        let lower = match state {
            Some(lower) if definition.again != Again::Variant => lower,
            // it takes the place of nothing
            _ => return Some(Own { kind: definition.kind, value: upper }),
        };
        let continues = definition.continues;
        if continues && let Some(parent) = kind.parent {
            let entries = upper.entries(catalog).into_iter().filter(|(key, _)| *key != parent).collect();
            upper = Value::new(Content::Table(entries), upper.origin);
        }
        let keep = if continues || definition.again == Again::Merge { Keep::All } else { Keep::Nothing };
        Some(Own { kind: definition.kind, value: lay(catalog, lower.value, upper, Some(kind.root), keep) })
    }

    /// The parents that a state names, in the order in which they are laid over each other.
    pub(crate) fn parents_of(&self, own: &Own) -> Vec<Address> {
        self.parents_in(own.kind, &own.value)
    }

    /// As [`View::parents_of`], of a state of a kind.
    pub(crate) fn parents_in(&self, of: KindId, value: &Value) -> Vec<Address> {
        let catalog = self.catalog;
        let kind = catalog.rulebook.kind(of);
        let Some(field) = kind.parent.and_then(|key| value.get(catalog, key)) else { return Vec::new() };
        let single = |field: &Value| {
            // a path, and a folder in which something is looked for, are those of the file that states it
            let file = field.origin().place.and_then(|place| catalog.file(place.file).layer.map(|_| place.file));
            let relative = file.map_or("", |file| &catalog.file(file).relative);
            let word = field.text(catalog)?;
            let word = parent_meant(&catalog.rulebook, kind, &word, relative);
            Some(self.parent(of, catalog.names.get(&word)?))
        };
        match field.shape(catalog) {
            Shape::List => field.items(catalog).iter().filter_map(single).collect(),
            _ => single(&field).into_iter().collect(),
        }
    }

    /// The keys of all texts that show, sorted.
    pub fn text_keys(&self) -> Vec<&'w str> {
        self.keys_of_texts()
    }

    /// The name that players see, in the main language, with what amendments come to.
    pub fn readable_name(&self, address: Address) -> Option<String> {
        let kind = self.catalog.rulebook.kind(self.kind_of(address)?);
        let label = kind.label.as_ref().filter(|_| !self.builds.of(address).is_empty());
        let amended = label.and_then(|path| {
            let value = self.effective(address)?.get(self.catalog, path)?;
            let text = match value.shape(self.catalog) {
                Shape::Table => {
                    let keys = self.texts_of_label(kind);
                    keys.into_iter().find_map(|key| value.get(self.catalog, key)?.word(self.catalog))?
                }
                _ => value.word(self.catalog)?,
            };
            Some(self.shown_text(kind, &text))
        });
        // what is written is looked up without composing anything
        amended.or_else(|| self.seen.readable_name(address))
    }

    /// Whether a definition shows what is written at a node, at a path.
    pub(crate) fn shows(&self, about: Address, path: &FieldPath, node: Node<'_>) -> bool {
        let Some(effective) = self.effective(about) else { return false };
        // the entries of what was laid together have other numbers than in the file
        let value = effective.value.at(self.catalog, &path.leading_keys());
        value.is_some_and(|value| value.holds(self.catalog, node))
    }

    /// The definition as it shows, with what it inherits.
    pub fn effective(&self, address: Address) -> Option<Effective> {
        self.compose(address, &|address| self.own(address))
    }

    /// As [`View::effective`], of some fields alone: the others are not laid together, and need not be there, nor the
    /// parents that give none of them.
    pub(crate) fn effective_of(&self, address: Address, fields: &[Sym]) -> Option<Effective> {
        let own = self.only(self.own(address)?, fields);
        // single values that stand there are not looked for in what it inherits
        let says = |field: &Sym| match &own.value.content {
            Content::Table(entries) => entries.iter().any(|(key, value)| key == field && value.is_single(self.catalog)),
            _ => false,
        };
        if fields.iter().all(says) {
            let value = self.settled(own.value, self.catalog.rulebook.kind(own.kind).root);
            return Some(Effective { address, kind: own.kind, value, parents: Vec::new() });
        }
        let state = |at: Address| match at == address {
            true => Some(own.clone()),
            false => self.own(at).map(|own| self.only(own, fields)),
        };
        self.compose(address, &state)
    }

    /// As [`View::effective_of`], of what stands at some paths; all of it where one of them is the definition's own.
    pub(crate) fn effective_at<'p>(
        &self,
        address: Address,
        paths: impl IntoIterator<Item = &'p FieldPath>,
    ) -> Option<Effective> {
        let mut fields = Vec::new();
        for path in paths {
            match path.steps().first() {
                Some(Step::Key(key)) => fields.extend(self.catalog.names.get(key)),
                _ => return self.effective(address),
            }
        }
        self.effective_of(address, &fields)
    }

    /// A state without most of its fields, where each is laid over what lies below it by itself.
    fn only(&self, own: Own, fields: &[Sym]) -> Own {
        let catalog = self.catalog;
        let kind = catalog.rulebook.kind(own.kind);
        let plain = matches!(catalog.rulebook.field_type(kind.root).reading, Reading::Table(_));
        if !plain || kind.operations.is_some() {
            return own;
        }
        let Own { kind: of, mut value } = own;
        let parent = kind.parent.filter(|parent| !fields.contains(parent));
        match &mut value.content {
            Content::Written(_) => {
                let mut entries: Vec<(Sym, Value)> = Vec::with_capacity(fields.len() + 1);
                for key in fields.iter().copied().chain(parent) {
                    // a field may be asked of more than once
                    if entries.iter().all(|(known, _)| *known != key) {
                        entries.extend(value.get(catalog, key).map(|value| (key, value)));
                    }
                }
                value.content = Content::Table(entries);
            }
            Content::Table(entries) => entries.retain(|(key, _)| fields.contains(key) || Some(*key) == parent),
            _ => {}
        }
        Own { kind: of, value }
    }

    /// As [`View::effective`], with own states from elsewhere.
    pub(crate) fn compose(&self, address: Address, states: &dyn OwnStates) -> Option<Effective> {
        let catalog = self.catalog;
        let first = states.own(address)?;
        let kind = first.kind;
        let trail = vec![(address, first.value.origin.shipped_by())];
        let mut family = Family { states, trail, parents: Vec::new(), loaded: None };
        let value = self.inheriting(first, &mut family);
        let value = self.settled(value, catalog.rulebook.kind(kind).root);
        Some(Effective { address, kind, value, parents: family.parents })
    }

    /// What the ancestors of a definition were when it was loaded with its layer, into a table of them.
    pub(crate) fn taken_in_layer(&self, child: &Own, taken: &mut Taken) {
        let view = self.up_to(child.value.origin.shipped_by());
        for parent in view.parents_of(child) {
            if taken.contains_key(&parent) {
                continue;
            }
            let own = view.own(parent);
            taken.insert(parent, own.clone());
            if let Some(own) = own {
                view.taken_in_layer(&own, taken);
            }
        }
    }

    /// What the ancestors of a definition are that is loaded now. `now` gives their own states; `before` adds what
    /// one took that was loaded before, and says whether it was.
    pub(crate) fn taken_now(
        &self,
        child: &Own,
        now: &dyn Fn(Address) -> Option<Own>,
        before: &dyn Fn(Address, &Own, &mut Taken) -> bool,
        taken: &mut Taken,
    ) {
        for parent in self.parents_of(child) {
            if taken.contains_key(&parent) {
                continue;
            }
            let own = now(parent);
            taken.insert(parent, own.clone());
            if let Some(own) = own.filter(|own| !before(parent, own, taken)) {
                self.taken_now(&own, now, before, taken);
            }
        }
    }

    /// A state laid over its parents, these over each other and over their own.
    fn inheriting(&self, state: Own, family: &mut Family<'_>) -> Value {
        let catalog = self.catalog;
        let mut base: Option<Value> = None;
        for parent in self.parents_of(&state) {
            let early = catalog.rulebook.kind(state.kind).early;
            // until there is none, none is found, or one comes again
            if family.passed(parent, early, &state) {
                continue;
            }
            let before = family.loaded;
            let next = match early {
                true => {
                    let child = match before {
                        Some(Loaded::With(child)) => Some(child),
                        Some(Loaded::InLayer) => None,
                        None => family.trail.last().map(|(at, _)| *at),
                    };
                    let taken = child.and_then(|child| Some((child, family.states.early(child, parent)?)));
                    family.loaded = Some(taken.as_ref().map_or(Loaded::InLayer, |(child, _)| Loaded::With(*child)));
                    let in_layer = || self.up_to(state.value.origin.shipped_by()).own(parent);
                    taken.map_or_else(in_layer, |(_, own)| own)
                }
                false => family.states.own(parent),
            };
            let Some(next) = next else {
                family.loaded = before;
                continue;
            };
            if !family.parents.contains(&parent) {
                family.parents.push(parent);
            }
            let kind = catalog.rulebook.kind(next.kind);
            family.trail.push((parent, next.value.origin.shipped_by()));
            let mut value = self.inheriting(next, family);
            family.trail.pop();
            family.loaded = before;
            // what names the parent and its own parent is not inherited
            // nor, by its own kind, what makes it one that is only there to be inherited from
            let same_kind = kind.is_abstract.as_ref().filter(|_| catalog.kind_of(parent) == Some(state.kind));
            let marks: Vec<Sym> = same_kind.into_iter().flat_map(|test| test.keys(&catalog.names)).collect();
            let names = |key: Sym| Some(key) == kind.parent || kind.id_fields.contains(&key) || marks.contains(&key);
            if kind.parent.is_some() || !kind.id_fields.is_empty() || !marks.is_empty() {
                let entries = value.entries(catalog).into_iter().filter(|(key, _)| !names(*key)).collect();
                value = Value::new(Content::Table(entries), value.origin);
            }
            let value = value.inherited(parent);
            base = Some(match base {
                Some(base) => lay(catalog, base, value, Some(kind.root), Keep::All),
                None => value,
            });
        }
        let root = catalog.rulebook.kind(state.kind).root;
        match base {
            Some(base) => lay(catalog, base, state.value, Some(root), Keep::All),
            None => state.value,
        }
    }

    /// Pending operations that met no value: over the default, or nothing.
    fn settled(&self, mut value: Value, root: TypeId) -> Value {
        let catalog = self.catalog;
        if let Content::Table(entries) = &mut value.content {
            for (key, entry) in entries.iter_mut() {
                let Some(ty) = catalog.rulebook.type_of_key(root, *key) else { continue };
                if matches!(entry.content, Content::Joining(_) | Content::Marked(..) | Content::List(_)) {
                    let changed = std::mem::replace(entry, Value::new(Content::Hidden, entry.origin));
                    *entry = without_base(changed);
                }
                // what was to be taken out and is nowhere
                if let (Content::List(items), Some(written)) =
                    (&mut entry.content, &catalog.rulebook.field_type(ty).written)
                {
                    items.retain(|item| taken_out(catalog, item, Some(&**written)).is_none());
                    for item in items.iter_mut() {
                        let marked = std::mem::replace(item, Value::new(Content::Hidden, item.origin));
                        *item = unmarked(catalog, marked, Some(written));
                    }
                }
                if let Content::Pending(steps) = &entry.content {
                    let steps = steps.clone();
                    match default(catalog, ty, entry.origin.layer) {
                        Some(below) => *entry = super::operate::pending(catalog, below, &steps, entry),
                        None => entry.content = Content::Hidden,
                    }
                } else if matches!(entry.content, Content::Table(_)) {
                    let inner = std::mem::replace(entry, Value::new(Content::Hidden, entry.origin));
                    *entry = self.settled(inner, ty);
                }
            }
        }
        if let Content::Table(entries) = &mut value.content {
            // what would have changed something, and met nothing
            entries.retain(|(_, entry)| !(matches!(entry.content, Content::Hidden) && entry.earlier.is_none()));
        }
        rounded(catalog, value, Some(root))
    }
}

/// The rulebook's default for a type.
pub(crate) fn default(catalog: &Catalog, ty: TypeId, layer: LayerId) -> Option<Value> {
    let draft = catalog.rulebook.field_type(ty).default.clone()?;
    let origin = Origin { place: None, layer, how: How::Default(ty), from: None, carried: None };
    Some(Value::new(Content::Made(std::sync::Arc::new(draft)), origin))
}

impl Effective {
    /// The value at a path; the default where nothing is stated.
    pub fn get(&self, catalog: &Catalog, path: &FieldPath) -> Option<Value> {
        if let Some(value) = self.value.at(catalog, path) {
            return Some(value);
        }
        let ty = self.type_at(catalog, path)?;
        // a default inside a list entry counts only where the entry is
        if path.steps().iter().any(|step| !matches!(step, Step::Key(_))) {
            let (above, _) = path.split_last()?;
            if !above.is_empty() && self.get(catalog, &above).is_none() {
                return None;
            }
        }
        default(catalog, ty, self.value.origin.layer)
    }

    /// The type at a path, where the words that tell cases are stated on the way.
    pub(crate) fn type_at(&self, catalog: &Catalog, path: &FieldPath) -> Option<TypeId> {
        let (rulebook, names) = (&catalog.rulebook, &catalog.names);
        let mut here = rulebook.kind(self.kind).root;
        let mut value = Some(self.value.clone());
        for step in path.steps() {
            here = value.as_ref().map_or(here, |value| value.case_of(catalog, here));
            let step: FieldPath = vec![step.clone()].into();
            here = rulebook.type_at(here, &step, names).ok()?;
            value = value.and_then(|value| value.at(catalog, &step));
        }
        Some(here)
    }
}
