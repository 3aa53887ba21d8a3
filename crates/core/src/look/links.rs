//! What something uses, and what uses it: definitions, fields, words, files and texts.

use rustc_hash::FxHashSet;

use crate::catalog::{Address, Catalog, FileRole, Harvest, LayerId, NO_DEFINITION, Target, folder};
use crate::check::{Context, Shared};
use crate::document::{Document, FieldPath, Node, NodeRef, Shape};
use crate::effective::World;
use crate::expression::quotes;
use crate::nearest::nearest;
use crate::rulebook::{FileTemplate, KindId, Mention, Reading, TypeId};
use crate::source::{FileId, Place};

/// What is asked about.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Subject {
    /// A definition.
    Definition(Address),
    /// A field of a kind, by its pattern.
    Field(KindId, String),
    /// A word of a choice or of flags.
    Word(String),
    /// A file, by its path below a layer.
    File(String),
    /// The key of a text.
    Text(String),
}

/// One end of a link.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum End {
    /// A definition.
    Definition(Address),
    /// A definition without an id.
    Nameless(KindId),
    /// A file, by its path below a layer.
    File(String),
    /// A text: key and language.
    Text(String, String),
}

/// How one thing uses another.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum How {
    /// A field names it.
    Names,
    /// It is the parent.
    Inherits,
    /// An amendment changes it.
    Amends,
    /// A field names a group to which it belongs.
    Through(Address),
    /// It belongs to the group.
    Member,
    /// The id stands for it.
    Implies,
    /// The field is stated, with this value.
    States(String),
    /// An expression speaks of it: a rule, a formula or a condition, and what it says.
    Reads(&'static str, String),
}

/// A link.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Link {
    /// The other end.
    pub end: End,
    /// The field.
    pub path: Option<FieldPath>,
    /// How.
    pub how: How,
    /// The layer that says so.
    pub layer: LayerId,
    /// Where.
    pub place: Option<Place>,
}

/// What was found.
#[derive(Clone, Debug, Default)]
pub struct LinksReport {
    /// What it uses.
    pub uses: Vec<Link>,
    /// What uses it.
    pub used_by: Vec<Link>,
}

/// Looks all links of something up, in all layers.
pub fn links(world: &World, subject: &Subject) -> LinksReport {
    let shared = Shared::without_users(world);
    let context = Context::whole(&shared, world.view().layers().clone());
    let finder = Finder { context, catalog: &world.catalog };
    let mut report = match subject {
        Subject::Definition(address) => finder.of_definition(*address),
        Subject::Field(kind, pattern) => finder.of_field(*kind, pattern),
        Subject::Word(word) => finder.of_word(word),
        Subject::File(path) => finder.of_file(path),
        Subject::Text(key) => finder.of_text(key),
    };
    for links in [&mut report.uses, &mut report.used_by] {
        links.sort_by(|a, b| {
            let key = |link: &Link| (matches!(link.how, How::Through(_)), link.layer, link.place);
            key(a).cmp(&key(b)).then_with(|| a.end.cmp(&b.end)).then_with(|| a.how.cmp(&b.how))
        });
        links.dedup();
    }
    report
}

struct Finder<'w> {
    context: Context<'w>,
    catalog: &'w Catalog,
}

impl<'w> Finder<'w> {
    /// The definition in which a mention stands, with the path in it.
    fn from(&self, file: FileId, from: u32, node: Node<'_>) -> (Option<End>, FieldPath) {
        let (about, path) = self.context.whose(file, from, node);
        let nameless = || self.catalog.definition_of(file, from).map(|(_, d)| End::Nameless(d.kind));
        let script = || {
            let words = node.document().words().is_some() && from == NO_DEFINITION;
            let file = self.catalog.file(file);
            (words || matches!(file.role, FileRole::Scripts(_))).then(|| End::File(file.relative.clone()))
        };
        (about.map(End::Definition).or_else(nameless).or_else(script), path)
    }

    fn link(&self, file: FileId, mention: &Mention, node: Node<'_>, how: How) -> Option<Link> {
        let (end, path) = self.from(file, mention.from, node);
        let place = self.catalog.rulebook.field_type(mention.wants).place_at(node);
        Some(Link { end: end?, path: Some(path), how, layer: self.context.layer_of(file), place: Some(place) })
    }

    fn each(&self, mut call: impl FnMut(FileId, &'w Document, &'w Harvest, &'w Mention)) {
        for (file, harvest, document) in self.context.harvests() {
            harvest.mentions.iter().for_each(|mention| call(file, document, harvest, mention));
        }
    }

    fn of_definition(&self, address: Address) -> LinksReport {
        let catalog = self.catalog;
        let names = &catalog.names;
        let mut report = LinksReport::default();
        let groups = self.context.membership.groups_of(address);
        let words = self.words_for(groups.iter().copied().chain([address]));
        self.each(|file, document, harvest, mention| {
            // most references name something else, and are plain: their word says so
            let plain = catalog.plain_link(document, mention).is_some_and(|(word, _)| !words.contains(&*word));
            if plain && !self.is_of(file, mention.from, address) {
                return;
            }
            let node = document.node(mention.at);
            let targets = self.context.view.targets_of(document, harvest, mention);
            // what a higher layer says instead is no use any more
            let concerned = |target: &Address| *target == address || groups.contains(target);
            let (about, path) = self.context.whose(file, mention.from, node);
            let counts = about == Some(address) || targets.iter().any(concerned);
            // parents are told as that
            let made = catalog.definition_of(file, mention.from).map(|(_, made)| made);
            let parent = made.and_then(|made| catalog.rulebook.kind(made.kind).parent).map(|key| names.text(key));
            if parent.is_some() && path.first_key() == parent {
                return;
            }
            if !counts || !self.context.is_seen(file, mention, node) {
                return;
            }
            if about == Some(address) {
                let ty = catalog.rulebook.field_type(mention.wants);
                let ends: Vec<End> = match &ty.reading {
                    Reading::File(template) => vec![End::File(template.fill(&catalog.mentioned(document, mention)))],
                    _ => targets.iter().map(|target| End::Definition(*target)).collect(),
                };
                let (layer, place) = (self.context.layer_of(file), Some(ty.place_at(node)));
                let link = |end| Link { end, path: Some(path.clone()), how: How::Names, layer, place };
                report.uses.extend(ends.into_iter().map(link));
            }
            if targets.contains(&address) {
                let member = about.is_some_and(|about| groups.contains(&about));
                let how = if member { How::Member } else { How::Names };
                report.used_by.extend(self.link(file, mention, node, how));
            } else if let Some(target) = targets.into_iter().find(|target| groups.contains(target))
                && about != Some(address)
            {
                let joins = catalog.rulebook.field_type(mention.wants).demands().is_some_and(|demands| demands.joins);
                let listed = about.is_some_and(|about| groups.contains(&about));
                if !joins && !listed {
                    report.used_by.extend(self.link(file, mention, node, How::Through(target)));
                }
            }
        });
        let id = catalog.names.text(address.id);
        self.expressions(|_, text| quotes(text, id), &mut report);
        self.families(address, &mut report);
        self.amendments(address, &mut report);
        if let Some(kind) = self.context.view.kind_of(address) {
            self.implied(address, kind, &mut report);
        }
        report
    }

    /// Parents and children.
    fn families(&self, address: Address, report: &mut LinksReport) {
        let (catalog, view) = (self.catalog, &self.context.view);
        let named = catalog.definitions().filter(|(_, definition)| definition.parent.is_some());
        for (definition, parent) in
            named.flat_map(|(id, definition)| view.parents_at(id).into_iter().map(move |parent| (definition, parent)))
        {
            let Some(own) = catalog.address_of(definition).filter(|own| *own != parent) else { continue };
            let key = catalog.rulebook.kind(definition.kind).parent;
            let node = key.and_then(|key| catalog.node(definition.at()).get(key));
            let path = key.map(|key| FieldPath::key(catalog.names.text(key)));
            let link = |end| Link {
                end: End::Definition(end),
                path: path.clone(),
                how: How::Inherits,
                layer: definition.layer,
                place: node.map(|node| node.place()),
            };
            if own == address {
                report.uses.push(link(parent));
            }
            if parent == address {
                report.used_by.push(link(own));
            }
        }
    }

    /// Amendments of the definition: each is a use by the mod's file.
    fn amendments(&self, address: Address, report: &mut LinksReport) {
        let catalog = self.catalog;
        for (layer, _) in catalog.layers() {
            for (id, amendment) in catalog.amendments_of(layer) {
                let hit = match &amendment.target {
                    Target::Of { id } => catalog.address(amendment.kind, id) == Some(address),
                    Target::Which { .. } => {
                        let built = self.context.world.builds.of(address);
                        built.iter().any(|(at, made)| *at == layer && made.is_made_by(id))
                    }
                };
                if hit {
                    let file = catalog.file(amendment.target_place.file).relative.clone();
                    let (end, place) = (End::File(file), Some(amendment.target_place));
                    report.used_by.push(Link { end, path: None, how: How::Amends, layer, place });
                }
            }
        }
    }

    /// Texts and files that belong to a definition by its id.
    fn implied(&self, address: Address, kind: KindId, report: &mut LinksReport) {
        let catalog = self.catalog;
        let described = catalog.rulebook.kind(kind);
        for (role, language, at) in self.context.view.texts_of(address) {
            let key = described.text_key(&role, catalog.names.text(address.id)).unwrap_or_default();
            let layer = self.context.layer_of(at.file);
            let place = Some(catalog.node(at).place());
            report.uses.push(Link { end: End::Text(key, language), path: None, how: How::Implies, layer, place });
        }
        for (_, template) in &described.files {
            let path = described.filled(template, catalog.names.text(address.id));
            let layer = self.context.view.first(address).map_or(LayerId::BASE, |(_, d)| d.layer);
            report.uses.push(Link { end: End::File(path), path: None, how: How::Implies, layer, place: None });
        }
    }

    /// The words with which plain references can name some definitions: their ids, and the old ones.
    fn words_for(&self, all: impl Iterator<Item = Address>) -> FxHashSet<String> {
        let catalog = self.catalog;
        let mut all: Vec<Address> = all.collect();
        let mut at = 0;
        while let Some(here) = all.get(at).copied() {
            let old = catalog.renamed.iter().filter(|(old, new)| {
                old.space == here.space && !all.contains(old) && new.iter().any(|(_, id)| *id == here.id)
            });
            let old: Vec<Address> = old.map(|(old, _)| *old).collect();
            all.extend(old);
            at += 1;
        }
        all.into_iter().map(|at| catalog.names.text(at.id).to_owned()).collect()
    }

    /// Whether a reference stands in a definition, or in an amendment of it.
    fn is_of(&self, file: FileId, from: u32, address: Address) -> bool {
        match self.catalog.definition_of(file, from) {
            Some((_, made)) => self.catalog.address_of(made) == Some(address),
            None => true,
        }
    }

    /// The rules, formulas and conditions that speak of something, each once: `speaks` gets its kind and what it says.
    fn expressions(&self, speaks: impl Fn(KindId, &str) -> bool, report: &mut LinksReport) {
        let catalog = self.catalog;
        for (kind, described) in catalog.rulebook.kinds() {
            for rule in described.rules() {
                let said = [Some(rule.require()), rule.when()];
                if let Some(text) = said.into_iter().flatten().find(|text| speaks(kind, text)) {
                    let end = End::File(catalog.file(rule.place().file).path.clone());
                    let (how, place) = (How::Reads("rule", text.to_owned()), Some(rule.place()));
                    report.used_by.push(Link { end, path: None, how, layer: LayerId::BASE, place });
                }
            }
        }
        self.each(|file, document, _, mention| {
            let Reading::Formula { over, .. } = &catalog.rulebook.field_type(mention.wants).reading else { return };
            let node = document.node(mention.at);
            let own = catalog.definition_of(file, mention.from).map(|(_, made)| made.kind);
            let text = node.text();
            let hit = over.or(own).is_some_and(|kind| speaks(kind, &text));
            if hit && self.context.is_seen(file, mention, node) {
                report.used_by.extend(self.link(file, mention, node, How::Reads("formula", text.into_owned())));
            }
        });
        for (layer, _) in catalog.layers() {
            for (_, amendment) in catalog.amendments_of(layer) {
                let Target::Which { condition: Some((text, place)) } = &amendment.target else { continue };
                if speaks(amendment.kind, text) {
                    let end = End::File(catalog.file(place.file).relative.clone());
                    let how = How::Reads("condition", text.clone());
                    report.used_by.push(Link { end, path: None, how, layer, place: Some(*place) });
                }
            }
        }
    }

    fn of_field(&self, kind: KindId, pattern: &str) -> LinksReport {
        let catalog = self.catalog;
        let rulebook = &catalog.rulebook;
        let mut report = LinksReport::default();
        let root = rulebook.kind(kind).root();
        let types: Vec<TypeId> = rulebook.fields_below(root).into_iter().map(|(_, ty)| ty).collect();
        let Some(wanted) = types.into_iter().find(|ty| rulebook.field_type(*ty).pattern == pattern) else {
            return report;
        };
        self.expressions(|of, text| of == kind && speaks_of(text, pattern), &mut report);
        // values that name the field
        self.each(|file, document, harvest, mention| {
            let Some(named) = self.context.field_named(file, document, harvest, mention) else { return };
            if rulebook.field_called(&named.kinds, &named.path, &catalog.names) == Some((kind, wanted)) {
                report.used_by.extend(self.link(file, mention, named.node, How::Names));
            }
        });
        for (_, definition) in self.context.view.definitions().filter(|(_, definition)| definition.kind == kind) {
            let top = catalog.node(definition.at());
            let end = match catalog.address_of(definition) {
                Some(address) => End::Definition(address),
                None => End::Nameless(kind),
            };
            let mut found = Vec::new();
            rulebook.each_typed(top, root, &mut |ty, node| {
                if ty == wanted {
                    found.push(node);
                }
            });
            report.used_by.extend(found.into_iter().map(|node| self.stated(node, end.clone(), definition.layer, top)));
        }
        for (layer, _) in catalog.layers() {
            for (id, amendment) in catalog.amendments_of(layer).filter(|(_, amendment)| amendment.kind == kind) {
                let Some((_, at)) = catalog.amendment(id) else { continue };
                for op in amendment.ops.iter().filter(|op| op.ty == wanted) {
                    let node = catalog.node(NodeRef { file: at.file, node: op.value });
                    let end = match &amendment.target {
                        Target::Of { id } => catalog.address(kind, id).map(End::Definition),
                        Target::Which { .. } => Some(End::Nameless(kind)),
                    };
                    let how = How::States(format!("{} {}", op.kind.word(), short(node)));
                    let link = |end| Link { end, path: Some(op.path.clone()), how, layer, place: Some(node.place()) };
                    report.used_by.extend(end.map(link));
                }
            }
        }
        report
    }

    fn stated(&self, node: Node<'_>, end: End, layer: LayerId, top: Node<'_>) -> Link {
        let names = &self.catalog.names;
        let above = node.document().path_to(top.id(), names);
        let path = node.document().path_to(node.id(), names).skip(above.steps().len());
        Link { end, path: Some(path), how: How::States(short(node)), layer, place: Some(node.place()) }
    }

    fn of_word(&self, word: &str) -> LinksReport {
        let catalog = self.catalog;
        let mut report = LinksReport::default();
        self.expressions(|_, text| quotes(text, word), &mut report);
        for (_, definition) in self.context.view.definitions() {
            let top = catalog.node(definition.at());
            let end = catalog.address_of(definition).map_or(End::Nameless(definition.kind), End::Definition);
            let mut found: Vec<Node<'_>> = Vec::new();
            catalog.rulebook.each_typed(top, catalog.rulebook.kind(definition.kind).root(), &mut |ty, node| {
                match &catalog.rulebook.field_type(ty).reading {
                    Reading::Choice(_) if node.shape() == Shape::Text && node.text() == word => found.push(node),
                    Reading::Flags(_) => found.extend(node.children().filter(|item| item.text() == word)),
                    Reading::Map { key: Some(_), .. } => {
                        found.extend(node.children().filter(|item| item.key_text() == word));
                    }
                    _ => {}
                }
            });
            report.used_by.extend(found.into_iter().map(|node| self.stated(node, end.clone(), definition.layer, top)));
        }
        report
    }

    fn of_file(&self, path: &str) -> LinksReport {
        let catalog = self.catalog;
        let mut report = LinksReport::default();
        self.each(|file, document, harvest, mention| {
            let Reading::File(template) = &catalog.rulebook.field_type(mention.wants).reading else { return };
            let node = document.node(mention.at);
            let beside = folder(catalog.leads_from(document, harvest, mention));
            let leads = |one: &FileTemplate, word: &str| {
                one.value_of(path) == Some(word) || catalog.rulebook.file_at(one, word, beside) == path
            };
            let words = catalog.words_of(document, harvest, mention);
            if words.iter().any(|word| template.all().any(|one| leads(one, word))) {
                report.used_by.extend(self.link(file, mention, node, How::Names));
            }
        });
        for address in self.context.view.addresses() {
            let Some(kind) = self.context.view.kind_of(address).map(|kind| catalog.rulebook.kind(kind)) else {
                continue;
            };
            let id = catalog.names.text(address.id);
            if kind.files.iter().any(|(_, template)| kind.filled(template, id) == path) {
                let place =
                    self.context.view.first(address).map(|(_, d)| (d.layer, self.context.definition_place(d.at())));
                let Some((layer, place)) = place else { continue };
                let end = End::Definition(address);
                report.used_by.push(Link { end, path: None, how: How::Implies, layer, place: Some(place) });
            }
        }
        report
    }

    fn of_text(&self, key: &str) -> LinksReport {
        let catalog = self.catalog;
        let mut report = LinksReport::default();
        for (language, at) in self.context.view.texts(key) {
            let (layer, place) = (self.context.layer_of(at.file), Some(catalog.node(at).place()));
            let end = End::Text(key.to_owned(), language.to_owned());
            let how = How::States(catalog.node(at).text().into_owned());
            report.uses.push(Link { end, path: None, how, layer, place });
        }
        self.each(|file, document, harvest, mention| {
            let Reading::Key(template) = &catalog.rulebook.field_type(mention.wants).reading else { return };
            let words = catalog.keys_named(document, harvest, mention);
            if words.iter().any(|word| template.fill(word) == key) {
                report.used_by.extend(self.link(file, mention, document.node(mention.at), How::Names));
            }
        });
        for address in self.context.view.addresses() {
            let Some(kind) = self.context.view.kind_of(address).map(|kind| catalog.rulebook.kind(kind)) else {
                continue;
            };
            let id = catalog.names.text(address.id);
            if kind.texts.iter().any(|rule| kind.filled(&rule.template, id) == key) {
                let Some((_, definition)) = self.context.view.first(address) else { continue };
                let place = Some(self.context.definition_place(definition.at()));
                let end = End::Definition(address);
                report.used_by.push(Link { end, path: None, how: How::Implies, layer: definition.layer, place });
            }
        }
        report
    }
}

/// Whether an expression names a field: outside of quotation marks, by its pattern without the marks of lists.
fn speaks_of(text: &str, pattern: &str) -> bool {
    let field = pattern.replace("[]", "").replace("{}", "");
    let mut quoted: Option<char> = None;
    let bare = |letter: char| match quoted {
        Some(mark) => {
            quoted = (letter != mark).then_some(mark);
            ' '
        }
        None => {
            quoted = matches!(letter, '\'' | '"').then_some(letter);
            if quoted.is_some() { ' ' } else { letter }
        }
    };
    let bare: String = text.chars().map(bare).collect();
    let part = |letter: char| letter.is_alphanumeric() || matches!(letter, '_' | '.');
    bare.split(|letter| !part(letter))
        .any(|word| word == field || word.strip_prefix(field.as_str()).is_some_and(|rest| rest.starts_with('.')))
}

/// A value on one line, cut where it is long.
fn short(node: Node<'_>) -> String {
    let raw = node.raw();
    let line: String = raw.split_whitespace().collect::<Vec<_>>().join(" ");
    match line.char_indices().nth(60) {
        Some((at, _)) => format!("{}…", line.get(..at).unwrap_or("")),
        None => line,
    }
}

/// The nearest thing to a text that is nothing which can be asked about.
pub fn nearest_subject(catalog: &Catalog, text: &str) -> Option<String> {
    let rulebook = &catalog.rulebook;
    if let Some((kind, pattern)) = text.split_once('.')
        && let Some(id) = rulebook.kind_named(kind)
    {
        let fields = rulebook.fields_below(rulebook.kind(id).root());
        let patterns = fields.iter().map(|(_, ty)| rulebook.field_type(*ty).pattern.as_str());
        if let Some(near) = nearest(pattern, patterns) {
            return Some(format!("{kind}.{near}"));
        }
    }
    let addresses = catalog.seen().addresses().into_iter().map(|address| catalog.show_address(address));
    let texts = catalog.texts.keys().cloned();
    let files = catalog.files().filter(|(_, file)| file.layer.is_some()).map(|(_, file)| file.relative.clone());
    let words = rulebook.types.iter().flat_map(|ty| ty.words());
    let all: Vec<String> = addresses.chain(texts).chain(files).chain(words.cloned()).collect();
    nearest(text, all.iter().map(String::as_str)).map(str::to_owned)
}

/// What a person typed, as something that can be asked about: an address first, then a text's key, a field
/// (`kind.field`), a file, a word.
pub fn subject(catalog: &Catalog, text: &str) -> Option<Subject> {
    let rulebook = &catalog.rulebook;
    if catalog.texts.contains_key(text) {
        return Some(Subject::Text(text.to_owned()));
    }
    if let Some((kind, pattern)) = text.split_once('.')
        && let Some(kind) = rulebook.kind_named(kind)
    {
        let fields = rulebook.fields_below(rulebook.kind(kind).root());
        let known = |wanted: &str| fields.iter().any(|(_, ty)| rulebook.field_type(*ty).pattern == wanted);
        for pattern in [pattern.to_owned(), format!("{pattern}[]"), format!("{pattern}{{}}")] {
            if known(&pattern) {
                return Some(Subject::Field(kind, pattern));
            }
        }
    }
    let files: Vec<&str> =
        catalog.files().filter(|(_, file)| file.layer.is_some()).map(|(_, f)| &*f.relative).collect();
    if let Some(file) = files.iter().find(|file| **file == text) {
        return Some(Subject::File((*file).to_owned()));
    }
    let ends = |file: &&&str| file.ends_with(&format!("/{text}"));
    let whole = catalog.files().find(|(_, file)| file.path == text).map(|(_, file)| file.relative.clone());
    if let Some(file) = whole.or_else(|| files.iter().find(ends).map(|file| (*file).to_owned())) {
        return Some(Subject::File(file));
    }
    rulebook.is_a_word(text).then(|| Subject::Word(text.to_owned()))
}
