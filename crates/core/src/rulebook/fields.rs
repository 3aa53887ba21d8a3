//! From the flat table of path patterns to a tree of types.

use std::cell::Cell;

use rustc_hash::FxHashMap;

use super::compile::Compiler;
use super::demands::Demands;
use super::keys;
use super::link::{Decoration, unknown_kind};
use super::path_of::PathOf;
use super::pattern::{Pattern, PatternStep};
use super::types::{FieldType, FileTemplate, KindId, Limit, ListShape, Narrow, SupplementId, TypeId, Vocabulary};
use super::written::Written;
use crate::document::{Draft, Node, Shape};
use crate::names::Names;
use crate::nearest::nearest;
use crate::own::{self, OwnFault};
use crate::said::{Said, listed, said};
use crate::source::Place;

/// A type that is still being put together from the patterns that mention it.
#[derive(Clone, Default)]
pub(super) struct Proto {
    pub(super) declared: Option<Declared>,
    pub(super) fields: Vec<(String, Proto)>,
    pub(super) entry: Option<Box<Proto>>,
    pub(super) value: Option<Box<Proto>>,
    pub(super) key: Option<Box<Proto>>,
    pub(super) at: Vec<(usize, Proto)>,
    /// The parts with what tables hold besides, by the word that tells.
    pub(super) cases: Vec<(String, String)>,
}

/// What one line of the field table says.
#[derive(Clone, Default)]
pub(super) struct Declared {
    pub(super) reading: Option<String>,
    pub(super) words: Vec<String>,
    /// The limits without those that a mod brings along.
    pub(super) narrow: Option<Box<Narrow>>,
    /// Words that mods bring along.
    pub(super) words_from: Vec<(String, SupplementId)>,
    /// The mod that brings the field along.
    pub(super) from: Option<SupplementId>,
    pub(super) link: Vec<KindId>,
    pub(super) parent: Option<KindId>,
    pub(super) file: Option<FileTemplate>,
    /// The key of a text, with the value in its `*`.
    pub(super) text: Option<FileTemplate>,
    pub(super) list: Option<ListShape>,
    pub(super) by: Vec<String>,
    pub(super) join: bool,
    pub(super) min: Option<Limit>,
    pub(super) max: Option<Limit>,
    pub(super) default: Option<(Draft, Place)>,
    pub(super) optional: bool,
    pub(super) unit: Option<String>,
    pub(super) open: bool,
    pub(super) about: Option<String>,
    pub(super) over: Option<KindId>,
    pub(super) names: Vec<String>,
    pub(super) more: Option<Demands>,
    pub(super) written: Option<Written>,
    pub(super) decoration: Option<Decoration>,
    /// The field whose word tells which case a table is.
    pub(super) choose: Option<String>,
    /// The part of which it is one more table.
    pub(super) same_as: Option<String>,
    /// Whether its fields are those of a part.
    pub(super) of_part: bool,
    /// The vocabulary of which it is a word, and whether it declares it.
    pub(super) vocabulary: Option<(usize, bool)>,
    /// What it is a path in.
    pub(super) path_of: Option<PathOf>,
    pub(super) place: Option<Place>,
}

impl Declared {
    /// Whether a single value can stand there.
    pub(super) fn is_single(&self) -> bool {
        let alone = self.reading.as_deref().is_some_and(|word| !matches!(word, "table" | "map" | "list"));
        alone || !self.link.is_empty() || self.file.is_some() || self.text.is_some()
    }

    /// Takes in what a supplement says of a field that is known: further words and kinds, wider limits.
    fn widen(&mut self, more: Declared, from: SupplementId) {
        let words = more.words.into_iter().filter(|word| !self.words.contains(word)).collect::<Vec<_>>();
        self.words_from.extend(words.iter().map(|word| (word.clone(), from)));
        self.words.extend(words);
        let kinds = more.link.into_iter().filter(|kind| !self.link.contains(kind)).collect::<Vec<_>>();
        self.link.extend(kinds);
        if more.min.is_some() || more.max.is_some() {
            let (min, max) = (self.min.clone(), self.max.clone());
            self.narrow.get_or_insert_with(|| Box::new(Narrow { min, max, from }));
        }
        let wider = |known: &Limit, new: &Limit, upper: bool| (new.value > known.value) == upper;
        for (known, new, upper) in [(&mut self.min, more.min, false), (&mut self.max, more.max, true)] {
            if let (Some(limit), Some(new)) = (known.as_mut(), new)
                && wider(limit, &new, upper)
            {
                *limit = new;
            }
        }
    }
}

/// The field tables of parts, by name.
pub(super) type Parts<'d> = FxHashMap<String, Node<'d>>;

/// The fields that the parts of a rulebook may come to, each counted wherever it is used.
const FIELD_LIMIT: usize = 200_000;

/// The fields of one kind, or of the manifest.
pub(super) struct Fields<'f, 'd> {
    pub(super) names: &'f Names,
    pub(super) kinds: &'f FxHashMap<String, KindId>,
    pub(super) vocabularies: &'f [Vocabulary],
    pub(super) parts: &'f Parts<'d>,
    /// How many fields parts have come to, in the whole rulebook.
    made: &'f Cell<usize>,
    pub(super) faults: &'f mut Vec<OwnFault>,
    root: Proto,
    /// Whether what is read is shared: where the kind says otherwise, that counts.
    shares: bool,
    /// The mod whose supplement is being read.
    supplement: Option<SupplementId>,
    /// Parts that are types of their own.
    shared: Vec<String>,
}

const TYPES: [&str; 13] = [
    "integer", "number", "boolean", "text", "choice", "flags", "formula", "range", "tuple", "list", "table", "map",
    "any",
];

impl<'f, 'd> Fields<'f, 'd> {
    pub(super) fn new(
        names: &'f Names,
        (kinds, vocabularies): (&'f FxHashMap<String, KindId>, &'f [Vocabulary]),
        (parts, made): (&'f Parts<'d>, &'f Cell<usize>),
        faults: &'f mut Vec<OwnFault>,
    ) -> Self {
        Fields {
            made,
            names,
            kinds,
            vocabularies,
            parts,
            faults,
            root: Proto::default(),
            shares: false,
            supplement: None,
            shared: Vec::new(),
        }
    }

    fn fault(&mut self, place: Place, message: impl Into<Said>, help: Option<Said>) {
        self.faults.push(own::fault(place, message).help(help));
    }

    /// Takes in a field table.
    pub(super) fn table(&mut self, fields: Node<'_>) {
        self.below(fields, &Pattern::default(), &mut Vec::new());
    }

    /// Takes in the fields of a part, or of several, as those of the kind itself. What is described before counts.
    pub(super) fn all_of(&mut self, parts: Node<'_>) {
        self.shares = true;
        let several = parts.shape() == Shape::List;
        for node in parts.children().chain((!several).then_some(parts)) {
            self.part(node, &Pattern::default(), &mut Vec::new());
        }
        self.shares = false;
    }

    /// Takes in what a mod's supplement says of further fields, and of those that are known.
    pub(super) fn more(&mut self, fields: Node<'_>, from: SupplementId) {
        self.supplement = Some(from);
        self.table(fields);
        self.supplement = None;
    }

    /// Takes in a field table whose patterns stand below another one; `parts` are those it came through.
    fn below(&mut self, fields: Node<'_>, above: &Pattern, parts: &mut Vec<String>) {
        for field in fields.children() {
            let Some(key) = field.key() else { continue };
            let text = self.names.text(key).to_owned();
            let place = Place { file: field.document().file(), span: field.key_span() };
            if field.shape() != Shape::Table {
                let help = said!("`{text} = {{ type = \"...\" }}`", text);
                self.fault(field.place(), "a field is described by a table".to_owned(), Some(help));
                continue;
            }
            match Pattern::parse(&text) {
                Ok(pattern) if pattern.0.is_empty() => {
                    self.fault(place, "a field needs a name".to_owned(), None);
                }
                Ok(mut pattern) => {
                    let declared = self.declared(field, place);
                    pattern.0.splice(0..0, above.0.iter().cloned());
                    self.put(&pattern, declared);
                    if let Some(node) = field.get_named("part", self.names) {
                        self.part(node, &pattern, parts);
                    }
                    self.cases(field, &pattern);
                }
                Err(message) => self.fault(place, message, None),
            }
        }
    }

    /// Takes in the parts of a field's cases. They are types of their own, so that they can hold each other.
    fn cases(&mut self, field: Node<'_>, at: &Pattern) {
        let Some(node) = field.get_named("cases", self.names).filter(|node| node.shape() == Shape::Table) else {
            return;
        };
        let mut cases = Vec::new();
        for case in node.children() {
            let word = case.key().map_or("", |key| self.names.text(key)).to_owned();
            let part = case.text().into_owned();
            if self.parts.contains_key(&part) {
                self.shared.push(part.clone());
                cases.push((word, part));
            } else {
                self.no_part(&part, case.place());
            }
        }
        proto_at(&mut self.root, at).cases = cases;
    }

    fn no_part(&mut self, name: &str, place: Place) {
        let near = nearest(name, self.parts.keys().map(String::as_str));
        let help = near.map(|near| said!("the nearest known part is `{nearest}`", nearest = near));
        self.fault(place, said!("there is no part `{name}`", name), help);
    }

    /// Takes in the fields of the part that a node names.
    fn part(&mut self, node: Node<'_>, at: &Pattern, parts: &mut Vec<String>) {
        if node.shape() != Shape::Text {
            return;
        }
        let name = node.text().into_owned();
        if parts.contains(&name) {
            // a part that contains itself is a type of its own
            let here = proto_at(&mut self.root, at);
            here.declared.get_or_insert_default().same_as = Some(name.clone());
            self.shared.push(name);
            return;
        }
        match self.parts.get(&name).copied() {
            Some(_) if self.made.get() > FIELD_LIMIT => {}
            Some(fields) => {
                let made = self.made.get() + fields.len();
                self.made.set(made);
                if made > FIELD_LIMIT {
                    let message = said!(
                        "with the part `{name}`, parts come to more than {FIELD_LIMIT} fields",
                        name,
                        FIELD_LIMIT
                    );
                    let help = "a part that is named twice in each part below another grows without end".into();
                    return self.fault(node.place(), message, Some(help));
                }
                proto_at(&mut self.root, at).declared.get_or_insert_default().of_part = true;
                parts.push(name);
                self.below(fields, at, parts);
                parts.pop();
            }
            None => self.no_part(&name, node.place()),
        }
    }

    /// Adds a text field that another part of the rulebook implies, unless it is described.
    pub(super) fn implied(&mut self, path: &[&str], parent: Option<KindId>, optional: bool) {
        let steps = path.iter().map(|key| PatternStep::Key((*key).to_owned())).collect();
        let declared =
            Declared { reading: parent.is_none().then(|| "text".to_owned()), parent, optional, ..Declared::default() };
        self.put(&Pattern(steps), declared);
    }

    /// The kinds to which a field of the definition links, or the entries of one with a list.
    pub(super) fn links_of(&self, field: &str) -> Vec<KindId> {
        let Some((_, proto)) = self.root.fields.iter().find(|(name, _)| name == field) else { return Vec::new() };
        let said = [Some(proto), proto.entry.as_deref()].into_iter().flatten();
        said.filter_map(|proto| proto.declared.as_ref()).flat_map(|said| said.link.iter().copied()).collect()
    }

    /// Adds a field that holds an id, or several, unless it is described.
    pub(super) fn named(&mut self, path: &[&str], several: bool, optional: bool) {
        let steps = path.iter().map(|key| PatternStep::Key((*key).to_owned())).collect();
        let reading = Some(if several { "any" } else { "text" }.to_owned());
        self.put(&Pattern(steps), Declared { reading, optional, ..Declared::default() });
    }

    pub(super) fn implied_list(&mut self, pattern: &Pattern) {
        let text = Declared { reading: Some("text".to_owned()), optional: true, ..Declared::default() };
        self.put(pattern, text);
    }

    fn put(&mut self, pattern: &Pattern, declared: Declared) {
        let from = self.supplement;
        let here = proto_at(&mut self.root, pattern);
        // what a pattern ending with `[]` says about the list belongs to the list
        if let (Some(known), Some(from)) = (&mut here.declared, from) {
            return known.widen(declared, from);
        }
        if here.declared.is_some() {
            if let Some(place) = declared.place.filter(|_| !self.shares) {
                self.fault(place, said!("the field `{pattern}` is described twice", pattern), None);
            }
            // an implied field that is described already stays as described, but is the parent
            if let (Some(known), Some(parent)) = (&mut here_declared(&mut self.root, pattern), declared.parent) {
                known.parent = Some(parent);
            }
            return;
        }
        here.declared = Some(Declared { from, ..declared });
    }

    fn declared(&mut self, node: Node<'_>, place: Place) -> Declared {
        let table = own::Reading::beside(node, (&keys::FIELD, &[&keys::KIND]), self.names, self.faults);
        let mut out = Declared {
            words: table.texts("words").into_iter().map(|(word, _)| word).collect(),
            by: table.texts("by").into_iter().map(|(word, _)| word).collect(),
            join: table.boolean("join"),
            optional: table.boolean("optional"),
            unit: table.text("unit"),
            open: table.boolean("open"),
            names: table.texts("names").into_iter().map(|(word, _)| word).collect(),
            more: Demands::read(&table, self.names, self.faults),
            written: Written::read(&table, self.names, self.faults),
            decoration: Decoration::read(&table, self.kinds, self.names, self.faults),
            path_of: PathOf::read(&table, self.kinds, self.faults),
            choose: table.text("choose"),
            about: table.text("about"),
            default: table.get("default").map(|node| (Draft::of(node, self.names), node.place())),
            place: Some(place),
            ..Declared::default()
        };
        for (name, limit) in [("min", &mut out.min), ("max", &mut out.max)] {
            *limit = table.number(name).and_then(Limit::new);
        }
        if let (Some(min), Some(max)) = (&out.min, &out.max)
            && min.value > max.value
        {
            let at = table.get("max").map_or(place, |node| node.place());
            self.faults.push(own::fault(
                at,
                said!("`max` is {most}, below `min`, which is {least}", most = max.number, least = min.number),
            ));
        }
        if let Some(node) = table.get("type") {
            let word = node.text().into_owned();
            if TYPES.contains(&word.as_str()) {
                out.reading = Some(word);
            } else {
                let near = nearest(&word, TYPES);
                let help = match near {
                    Some(near) => said!("the nearest known type is `{nearest}`", nearest = near),
                    None => said!("known are {known}", known = listed(TYPES)),
                };
                self.fault(node.place(), said!("there is no type `{word}`", word), Some(help));
                // what is said of it fits the one that is meant, so that nothing more is told
                out.reading = near.map(str::to_owned);
                if near.is_none() {
                    return Declared {
                        place: out.place,
                        optional: out.optional,
                        about: out.about,
                        ..Declared::default()
                    };
                }
            }
        }
        for (word, node) in table.texts("link") {
            match self.kinds.get(&word) {
                Some(kind) => out.link.push(*kind),
                None => self.faults.push(unknown_kind(&word, self.kinds, node.place())),
            }
        }
        for (key, declares) in [("declares", true), ("word", false)] {
            let Some(name) = table.text(key) else { continue };
            let at = self.vocabularies.iter().position(|known| known.name == name);
            out.vocabulary = at.map(|at| (at, declares)).or(out.vocabulary);
            if let Some(node) = table.get(key).filter(|_| at.is_none()) {
                let near = nearest(&name, self.vocabularies.iter().map(|known| known.name.as_str()));
                let help = match near {
                    Some(near) => said!("the nearest known one is `{nearest}`", nearest = near),
                    None => said!("vocabularies are described under `[words.{name}]`", name),
                };
                self.fault(node.place(), said!("there is no vocabulary `{name}`", name), Some(help));
            }
        }
        if let Some(word) = table.text("over") {
            out.over = self.kinds.get(&word).copied();
            if let Some(node) = table.get("over").filter(|_| out.over.is_none()) {
                self.faults.push(unknown_kind(&word, self.kinds, node.place()));
            }
        }
        if let Some(word) = table.text("text") {
            out.text = FileTemplate::parse(&word);
            if let Some(node) = table.get("text").filter(|_| out.text.is_none()) {
                let help = "as in `good.*.name`, where the field's value stands for the `*`".into();
                self.fault(node.place(), "`text` needs one `*`".to_owned(), Some(help));
            }
        }
        let mut templates = Vec::new();
        for (word, node) in table.texts("file") {
            match FileTemplate::parse(&word) {
                Some(template) => templates.push(template),
                None => {
                    let help = "as in `art/*.png`, where the field's value stands for the `*`".into();
                    self.fault(node.place(), "`file` needs one `*`".to_owned(), Some(help));
                }
            }
        }
        if !templates.is_empty() {
            let mut first = templates.remove(0);
            first.others = templates;
            out.file = Some(first);
        }
        if let Some(word) = table.text("list") {
            out.list = match word.as_str() {
                "set" => Some(ListShape::Set),
                "keyed" => Some(ListShape::Keyed),
                "bag" => Some(ListShape::Bag),
                "sequence" => Some(ListShape::Sequence),
                _ => {
                    let at = table.get("list").map_or(place, |node| node.place());
                    let known = ["set", "keyed", "bag", "sequence"];
                    let help = nearest(&word, known).map_or_else(
                        || said!("known are {known}", known = listed(known)),
                        |near| said!("the nearest known shape is `{nearest}`", nearest = near),
                    );
                    self.fault(at, said!("there is no list shape `{word}`", word), Some(help));
                    None
                }
            };
        }
        if self.supplement.is_none() {
            self.consistent(&out, place);
        }
        out
    }

    /// What cannot be said together, or says nothing.
    fn consistent(&mut self, out: &Declared, place: Place) {
        let worded = matches!(out.reading.as_deref(), Some("choice" | "flags"));
        let sources = [
            out.reading.is_some(),
            !out.link.is_empty(),
            out.file.is_some(),
            out.text.is_some(),
            out.path_of.is_some(),
        ];
        if sources.iter().filter(|said| **said).count() > 1 {
            self.fault(place, "of `type`, `link`, `file`, `text` and `path_of` only one can be said".to_owned(), None);
        }
        if worded && out.words.is_empty() {
            let word = out.reading.as_deref().unwrap_or("");
            self.fault(place, said!("`type = \"{word}\"` needs `words`", word), None);
        }
        if !worded && !out.words.is_empty() {
            self.fault(place, "`words` are for `choice` and `flags`".to_owned(), None);
        }
        let looks = !out.link.is_empty() || out.file.is_some() || out.text.is_some() || out.vocabulary.is_some();
        if out.decoration.is_some() && !looks && !worded {
            let keys = "`form`, `signs`, `kind_by`, `known`, `wildcards`, `fill` and `lacking`";
            self.fault(place, said!("{keys} say something of a `link`, `file` or `text`", keys), None);
        }
        if out.list == Some(ListShape::Keyed) && out.by.is_empty() {
            self.fault(place, "a keyed list needs `by`: the fields that tell its entries apart".to_owned(), None);
        }
        if out.list != Some(ListShape::Keyed) && !out.by.is_empty() {
            self.fault(place, "`by` is for `list = \"keyed\"`".to_owned(), None);
        }
        let number = matches!(out.reading.as_deref(), Some("integer" | "number" | "range"));
        if !number && (out.min.is_some() || out.max.is_some()) {
            self.fault(place, "`min` and `max` are for `integer`, `number` and `range`".to_owned(), None);
        }
        if !number && out.unit.is_some() {
            self.fault(place, "`unit` is for `integer`, `number` and `range`".to_owned(), None);
        }
        if out.reading.as_deref() != Some("formula") && (out.over.is_some() || !out.names.is_empty()) {
            self.fault(place, "`over` and `names` are for `formula`".to_owned(), None);
        }
    }

    /// Makes the types; returns the root's.
    pub(super) fn finish(mut self, types: &mut Vec<FieldType>, open: bool) -> TypeId {
        let root = std::mem::take(&mut self.root);
        let mut shared: FxHashMap<String, Proto> = FxHashMap::default();
        while let Some(name) = self.shared.pop() {
            let Some(fields) = self.parts.get(&name).copied().filter(|_| !shared.contains_key(&name)) else { continue };
            self.below(fields, &Pattern::default(), &mut vec![name.clone()]);
            shared.insert(name, std::mem::take(&mut self.root));
        }
        let mut compiler = Compiler::new(self.names, self.faults, types, shared, open);
        let root = Proto {
            declared: Some(Declared { open, reading: Some("table".to_owned()), ..Declared::default() }),
            ..root
        };
        compiler.compile(root, String::new(), None)
    }
}

/// The type at a pattern, made where it is not there yet.
fn proto_at<'p>(root: &'p mut Proto, pattern: &Pattern) -> &'p mut Proto {
    let mut here = root;
    for step in &pattern.0 {
        here = match step {
            PatternStep::Key(key) => entry_of(&mut here.fields, key),
            PatternStep::Entries => here.entry.get_or_insert_default(),
            PatternStep::Values => here.value.get_or_insert_default(),
            PatternStep::Keys => here.key.get_or_insert_default(),
            PatternStep::At(at) => entry_of(&mut here.at, at),
        };
    }
    here
}

fn entry_of<'p, K: Clone + PartialEq>(entries: &'p mut Vec<(K, Proto)>, key: &K) -> &'p mut Proto {
    let at = entries.iter().position(|(known, _)| known == key).unwrap_or(entries.len());
    if at == entries.len() {
        entries.push((key.clone(), Proto::default()));
    }
    &mut entries.get_mut(at).expect("the entry is there or was made").1
}

fn here_declared<'p>(root: &'p mut Proto, pattern: &Pattern) -> Option<&'p mut Declared> {
    let mut here = root;
    for step in &pattern.0 {
        here = match step {
            PatternStep::Key(key) => here.fields.iter_mut().find(|(known, _)| known == key).map(|(_, p)| p)?,
            PatternStep::Entries => here.entry.as_deref_mut()?,
            PatternStep::Values => here.value.as_deref_mut()?,
            PatternStep::Keys => here.key.as_deref_mut()?,
            PatternStep::At(at) => here.at.iter_mut().find(|(known, _)| known == at).map(|(_, p)| p)?,
        };
    }
    here.declared.as_mut()
}
