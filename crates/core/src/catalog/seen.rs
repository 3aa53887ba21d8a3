//! What some layers hold: the only door to what is defined, named and said in them. It costs nothing to make.
//!
//! What a shadowing file, a removal or another kind hides in these layers is nowhere: neither found nor counted
//! nor offered.

use super::{Address, Catalog, DefId, Definition, LayerId, LayerSet, Sought};
use crate::document::{Document, Node, NodeRef, Shape};
use crate::names::Sym;
use crate::rulebook::{KindId, Mention, SpaceId, TypeId, fits};
use crate::source::FileId;

use super::parents::{IN_TURN, WITHIN};
use super::{ALONE, Harvest};

/// The layers that are looked at.
#[derive(Clone, Debug)]
pub struct Seen<'c> {
    pub(crate) catalog: &'c Catalog,
    pub(crate) layers: LayerSet,
}

impl<'c> Seen<'c> {
    /// The layers.
    pub fn layers(&self) -> &LayerSet {
        &self.layers
    }

    /// All definitions that these layers write at an address, from the highest down, also what is taken away.
    pub(crate) fn written_at(&self, address: Address) -> impl Iterator<Item = (DefId, &'c Definition)> + use<'c, '_> {
        self.catalog.stack(address).filter(|(_, definition)| self.writes(definition))
    }

    /// Whether a definition is in one of these layers, in a file that none of them has another one for.
    fn writes(&self, definition: &Definition) -> bool {
        self.layers.contains(definition.layer) && (!self.catalog.shadowing || self.has(definition.file))
    }

    /// The definitions that count at an address, from the highest layer down to where one took away what lay below.
    pub(crate) fn stack(&self, address: Address) -> impl Iterator<Item = (DefId, &'c Definition)> + use<'c, '_> {
        self.written_at(address).take_while(|(_, definition)| !definition.removes)
    }

    /// The highest definition that counts at an address.
    pub(crate) fn top(&self, address: Address) -> Option<(DefId, &'c Definition)> {
        self.stack(address).next()
    }

    /// The lowest definition that counts at an address: where it comes from.
    pub(crate) fn first(&self, address: Address) -> Option<(DefId, &'c Definition)> {
        self.stack(address).last()
    }

    /// Whether something is defined at an address, and not taken away.
    pub(crate) fn stands(&self, address: Address) -> bool {
        // most often the highest of all is seen
        let quick =
            !self.catalog.shadowing && self.catalog.stacks.highest(address).is_some_and(|top| self.contains(top));
        quick || self.top(address).is_some()
    }

    /// What took away all that was defined at an address; nothing where something stands, or never was.
    pub(crate) fn remover(&self, address: Address) -> Option<&'c Definition> {
        let mut all = self.catalog.stack(address).filter(|(_, made)| self.layers.contains(made.layer));
        let (_, top) = all.next().filter(|(_, top)| top.removes)?;
        all.any(|(_, below)| !below.removes).then_some(top)
    }

    /// Whether nothing that counts lies below a definition: it is new with it.
    pub(crate) fn is_new(&self, definition: &Definition) -> bool {
        self.below(definition).is_none()
    }

    /// The definition that counts below another one.
    pub(crate) fn below(&self, definition: &Definition) -> Option<&'c Definition> {
        self.written_below(definition).filter(|below| !below.removes)
    }

    /// What these layers write below a definition, also if it takes something away.
    pub(crate) fn written_below(&self, definition: &Definition) -> Option<&'c Definition> {
        let mut next = definition.below;
        while let Some(id) = next {
            let below = self.catalog.definition(id);
            if self.writes(below) {
                return Some(below);
            }
            next = below.below;
        }
        None
    }

    /// The kind of an address: that of the highest definition that counts.
    pub(crate) fn kind_of(&self, address: Address) -> Option<KindId> {
        self.top(address).map(|(_, definition)| definition.kind)
    }

    /// The definitions that count, in load order: not what is taken away, nor what takes it away.
    pub(crate) fn definitions(&self) -> impl Iterator<Item = (DefId, &'c Definition)> + use<'c, '_> {
        let all = self.catalog.definitions().filter(|(_, made)| self.contains(made.layer) && !made.removes);
        all.filter(|(id, made)| match self.catalog.address_of(made) {
            Some(address) => self.counts(address, *id),
            None => self.has(made.file),
        })
    }

    /// How many definitions of each kind there are: what several layers define is one.
    pub fn count_by_kind(&self) -> std::collections::BTreeMap<KindId, usize> {
        let mut out = std::collections::BTreeMap::new();
        for kind in self.standing().into_iter().filter_map(|address| self.kind_of(address)) {
            *out.entry(kind).or_default() += 1;
        }
        for (_, made) in self.definitions().filter(|(_, made)| made.id.is_none()) {
            *out.entry(made.kind).or_default() += 1;
        }
        out
    }

    /// Whether a definition counts at its address: nothing above it takes it away.
    fn counts(&self, address: Address, id: DefId) -> bool {
        // hardly any is not the highest one
        self.stack(address).any(|(other, _)| other == id)
    }

    /// All addresses at which something stands, sorted by number: the same in each run only for one run.
    pub(crate) fn standing(&self) -> Vec<Address> {
        let mut all: Vec<Address> = self.catalog.stacks.addresses().filter(|at| self.stands(*at)).collect();
        all.sort_unstable();
        all
    }

    /// All addresses at which something stands, by kind and id.
    pub fn addresses(&self) -> Vec<Address> {
        let mut all = self.catalog.addresses();
        all.retain(|address| self.stands(*address));
        all
    }

    /// The ids of a space at which something stands, in no order.
    pub(crate) fn ids_of(&self, space: SpaceId) -> impl Iterator<Item = &'c str> + use<'c, '_> {
        let all = self.catalog.stacks.addresses().filter(move |at| at.space == space && self.stands(*at));
        all.map(|at| self.catalog.names.text(at.id))
    }

    /// Whether a file is seen: it lies in one of these layers, and no higher one has a file that stands for it.
    pub(crate) fn has(&self, file: FileId) -> bool {
        let file = self.catalog.file(file);
        file.layer.is_none_or(|layer| self.layers.contains(layer))
            && !file.hidden_by.iter().any(|layer| self.layers.contains(*layer))
    }

    /// The texts of a key, lowest first: language and place.
    pub(crate) fn texts(&self, key: &str) -> impl Iterator<Item = (&'c str, NodeRef)> + use<'c, '_> {
        let all = self.catalog.texts.get(key).into_iter().flatten();
        all.filter(|(_, at)| self.has(at.file)).map(|(language, at)| (language.as_str(), *at))
    }

    /// The text of a key in a language that counts: the highest.
    pub(crate) fn text(&self, key: &str, language: &str) -> Option<NodeRef> {
        self.texts(key).filter(|(known, _)| *known == language).last().map(|(_, at)| at)
    }

    /// Whether texts are translated by themselves: nothing is written in the main language, and fields hold it.
    pub(crate) fn holds_originals(&self, main: &str) -> bool {
        let said =
            |(_, language, at): (&str, &str, NodeRef)| language == main && !self.catalog.node(at).text().is_empty();
        !self.all_texts().any(said)
    }

    /// All keys of texts with these, in no order.
    pub(crate) fn all_texts(&self) -> impl Iterator<Item = (&'c str, &'c str, NodeRef)> + use<'c, '_> {
        let all = self.catalog.texts.iter().flat_map(|(key, all)| all.iter().map(move |(l, at)| (key, l, at)));
        all.filter(|(_, _, at)| self.has(at.file)).map(|(key, language, at)| (key.as_str(), language.as_str(), *at))
    }

    /// The keys of all texts, sorted.
    pub(crate) fn keys_of_texts(&self) -> Vec<&'c str> {
        let mut all: Vec<&str> = self.all_texts().map(|(key, ..)| key).collect();
        all.sort_unstable();
        all.dedup();
        all
    }

    /// Where an address leads that a record in these layers has renamed.
    pub(crate) fn current(&self, address: Address) -> Address {
        // the usual case: nothing could be anywhere else
        if !self.catalog.moving {
            return address;
        }
        let mut here = address;
        for _ in 0..16 {
            if self.stands(here) {
                return here;
            }
            let renamed = self.catalog.renamed.get(&here).into_iter().flatten().rev();
            match renamed.into_iter().find(|(layer, _)| self.layers.contains(*layer)) {
                Some((_, id)) => here.id = *id,
                None => return self.further_out(address).unwrap_or(address),
            }
        }
        address
    }

    /// What stands under the same name in a folder around the one where it was looked for, if ids are looked for so.
    fn further_out(&self, address: Address) -> Option<Address> {
        if !self.catalog.rulebook.is_scoped(address.space) {
            return None;
        }
        let text = self.catalog.names.text(address.id);
        let named = |id: &str| self.catalog.names.get(id).map(|id| Address { id, ..address });
        let (mut folder, name) = match text.split_once(WITHIN) {
            Some((folder, name)) => {
                let here = named(&format!("{folder}/{name}")).filter(|at| self.stands(*at));
                if here.is_some() {
                    return here;
                }
                (folder, name)
            }
            None => text.rsplit_once('/')?,
        };
        loop {
            let outer = folder.rsplit_once('/').map(|(outer, _)| outer);
            let id = outer.map_or_else(|| name.to_owned(), |outer| format!("{outer}/{name}"));
            match (named(&id).filter(|at| self.stands(*at)), outer) {
                (Some(found), _) => return Some(found),
                (None, Some(outer)) => folder = outer,
                (None, None) => return None,
            }
        }
    }

    /// The addresses of a definition's parents, in the order in which they are laid over each other.
    pub(crate) fn parents_at(&self, id: DefId) -> Vec<Address> {
        let kind = self.catalog.definition(id).kind;
        self.catalog.parent_ids(id).iter().map(|id| self.parent(kind, *id)).collect()
    }

    /// Where the parent stands that definitions of a kind name with an id: in the first of the kinds of which it can be.
    pub(crate) fn parent(&self, kind: KindId, id: Sym) -> Address {
        let rulebook = &self.catalog.rulebook;
        let kind = rulebook.kind(kind);
        if !kind.has_parents_in_turn() {
            return self.current(Address { space: kind.space, id });
        }
        let spaces = kind.parent_kinds.iter().map(|kind| rulebook.kind(*kind).space);
        let mut spaces: Vec<SpaceId> = spaces.collect();
        if spaces.is_empty() {
            spaces.push(kind.space);
        }
        let mut ids = vec![id];
        if kind.parent_paths.len() > 1 {
            // a path that nothing has is no id of anything
            let names = &self.catalog.names;
            let several: Vec<Sym> = names.text(id).split(IN_TURN).map(|id| names.intern(id)).collect();
            ids = several;
        }
        let all = ids.iter().flat_map(|id| spaces.iter().map(|space| self.current(Address { space: *space, id: *id })));
        let mut all = all.peekable();
        let first = all.peek().copied();
        let found = all.find(|at| self.stands(*at));
        found.or(first).unwrap_or(Address { space: kind.space, id })
    }

    /// The definitions that are meant, where they stand, the likeliest first.
    pub(crate) fn targets(&self, sought: &Sought) -> Vec<Address> {
        let catalog = self.catalog;
        let mut out = Vec::new();
        // what is in a folder hides what is in those around it
        let mut nearest: Vec<KindId> = Vec::new();
        for (kind, id) in &sought.ids {
            if nearest.contains(kind) {
                continue;
            }
            if sought.wildcards && id.contains('*') {
                let space = catalog.rulebook.kind(*kind).space;
                let found =
                    catalog.stacks.addresses().filter(|a| a.space == space && fits(id, catalog.names.text(a.id)));
                out.extend(found.filter(|address| self.kind_of(*address) == Some(*kind)));
            } else if let Some(address) = catalog.address(*kind, id).map(|address| self.current(address)) {
                let fitting =
                    self.kind_of(address).is_some_and(|found| found == *kind || sought.kinds.contains(&found));
                nearest.extend(Some(*kind).filter(|_| fitting && sought.scoped));
                out.extend(fitting.then_some(address));
            }
        }
        out
    }

    /// The definition of one of these kinds that a word names.
    pub(crate) fn named(&self, word: &str, kinds: &[KindId]) -> Option<Address> {
        let mut all = kinds.iter().filter_map(|kind| self.catalog.address(*kind, word));
        all.find(|address| self.kind_of(*address).is_some_and(|kind| kinds.contains(&kind)))
    }

    /// The definition that a link's value names, whatever stands beside it.
    pub(crate) fn named_in(&self, word: &str, ty: TypeId) -> Option<Address> {
        self.targets(&self.catalog.sought(word, ty, ALONE)).first().copied()
    }

    /// The definitions that a mention names.
    pub(crate) fn targets_of(&self, document: &Document, harvest: &Harvest, mention: &Mention) -> Vec<Address> {
        let Some((word, kinds)) = self.catalog.plain_link(document, mention) else {
            return match self.catalog.is_link(mention) {
                true => self.targets(&self.catalog.sought_by(document, harvest, mention)),
                false => Vec::new(),
            };
        };
        let first = || Some(self.current(self.catalog.address(*kinds.first()?, &word)?));
        let named = self.named(&word, kinds).or_else(first);
        named.filter(|address| self.stands(*address)).into_iter().collect()
    }

    /// The likeliest definition that a mention names.
    pub(crate) fn target_of(&self, document: &Document, harvest: &Harvest, mention: &Mention) -> Option<Address> {
        self.targets_of(document, harvest, mention).first().copied()
    }

    /// `kind/id`, as people name it, with the kind that it has here.
    pub(crate) fn show_address(&self, address: Address) -> String {
        match self.kind_of(address) {
            Some(kind) => {
                let rulebook = &self.catalog.rulebook;
                format!("{}/{}", rulebook.kind(kind).name(), self.catalog.names.text(address.id))
            }
            None => self.catalog.show_address(address),
        }
    }

    /// Whether a layer is looked at.
    pub(crate) fn contains(&self, layer: LayerId) -> bool {
        self.layers.contains(layer)
    }

    /// The name that players see, in the main language.
    pub fn readable_name(&self, address: Address) -> Option<String> {
        let kind = self.catalog.rulebook.kind(self.kind_of(address)?);
        let label = kind.label.as_ref().and_then(|path| {
            let stack = self.stack(address);
            let mut nodes = stack.map(|(_, definition)| self.catalog.node(definition.at()));
            let names = &self.catalog.names;
            // what can be a table can be the text itself
            let alone = |node| {
                let (above, _) = path.split_last().filter(|(above, _)| !above.is_empty())?;
                crate::document::find(node, &above, names).filter(|node| node.shape() == Shape::Text)
            };
            nodes.find_map(|node| crate::document::find(node, path, names).or_else(|| alone(node)))
        });
        if let Some(node) = label {
            // of a table of texts the first that the rulebook describes
            let text = match node.shape() {
                Shape::Table => self.first_text(kind, node)?,
                _ => node.text().into_owned(),
            };
            return Some(self.shown_text(kind, &text));
        }
        let key = kind.text_key("name", self.catalog.names.text(address.id))?;
        let main = self.catalog.rulebook.texts.as_ref().map_or("en", |texts| texts.main.as_str());
        let entries: Vec<_> = self.texts(&key).collect();
        let found = entries.iter().rev().find(|(language, _)| *language == main).or(entries.last())?;
        Some(self.catalog.node(found.1).text().into_owned())
    }

    /// The first text of a label that is a table, in the order of the rulebook.
    fn first_text(&self, kind: &crate::rulebook::Kind, node: Node<'_>) -> Option<String> {
        let mut texts = self.texts_of_label(kind).into_iter().filter_map(|key| node.get(key));
        texts.find(|text| text.shape() == Shape::Text).map(|text| text.text().into_owned())
    }

    /// The texts that a label can hold which is a table, in the order of the rulebook.
    pub(crate) fn texts_of_label(&self, kind: &crate::rulebook::Kind) -> Vec<Sym> {
        let (rulebook, names) = (&self.catalog.rulebook, &self.catalog.names);
        let ty = kind.label.as_ref().and_then(|path| rulebook.type_at(kind.root, path, names).ok());
        let fields = ty.into_iter().flat_map(|ty| rulebook.tables_of(ty)).flat_map(|table| &table.fields);
        let text =
            |ty: crate::rulebook::TypeId| matches!(rulebook.field_type(ty).reading, crate::rulebook::Reading::Text);
        fields.filter(|(_, ty)| text(*ty)).map(|(key, _)| *key).collect()
    }

    /// What players see of a label: the text that it names, or itself.
    pub(crate) fn shown_text(&self, kind: &crate::rulebook::Kind, label: &str) -> String {
        let ty = kind
            .label
            .as_ref()
            .and_then(|path| self.catalog.rulebook.type_at(kind.root, path, &self.catalog.names).ok());
        let ty = ty.map(|ty| self.catalog.rulebook.field_type(ty));
        let key = ty.and_then(|ty| match &ty.reading {
            crate::rulebook::Reading::Key(template) => ty.names_in(label).first().map(|id| template.fill(id)),
            _ => None,
        });
        let main = self.catalog.rulebook.texts.as_ref().map_or("en", |texts| texts.main.as_str());
        let found = key.and_then(|key| self.text(&key, main));
        found.map_or_else(|| label.to_owned(), |at| self.catalog.node(at).text().into_owned())
    }

    /// All texts of a definition: role, language, text.
    pub fn texts_of(&self, address: Address) -> Vec<(String, String, NodeRef)> {
        let Some(kind) = self.kind_of(address).map(|kind| self.catalog.rulebook.kind(kind)) else { return Vec::new() };
        let id = self.catalog.names.text(address.id);
        let mut out = Vec::new();
        for rule in &kind.texts {
            let key = kind.filled(&rule.template, id);
            let mut last: std::collections::BTreeMap<&str, NodeRef> = std::collections::BTreeMap::new();
            for (language, at) in self.texts(&key) {
                last.insert(language, at);
            }
            out.extend(last.into_iter().map(|(language, at)| (rule.role.clone(), language.to_owned(), at)));
        }
        out
    }
}
