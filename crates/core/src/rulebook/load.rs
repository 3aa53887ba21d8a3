//! Reads a rulebook's files into its compiled form. Faults are collected; what reads well is used.

use rustc_hash::FxHashMap;

use super::fields::{Fields, Parts};
use super::groups::{Group, IdPolicy};
use super::keys;
use super::kind::path_starts;
use super::naming::NameFrom;
use super::notations::{read_notation, some_notation};
use super::pattern::Pattern;
use super::places::keys_of;
use super::supplement::More;
use super::test::Test;
use super::types::{
    Again, FieldType, Game, Kind, KindId, Members, Reader, Renames, Rule, Rulebook, Severity, SpaceId, SupplementId,
    TextRule,
};
use crate::document::{Document, FieldPath, Format, Node, Shape};
use crate::names::Names;
use crate::nearest::nearest;
use crate::own::{self, OwnFault, Reading};
use crate::said::{either, listed, said};
use crate::source::Place;

/// Compiles a rulebook from its documents (in path order), with the faults found in them.
pub fn load_rulebook(documents: &[&Document], names: &Names) -> (Rulebook, Vec<OwnFault>) {
    load_with_supplements(documents, &[], names)
}

/// As [`load_rulebook`], with what mods bring along: the id of each such mod, and its files.
pub(crate) fn load_with_supplements(
    documents: &[&Document],
    supplements: &[(String, Vec<&Document>)],
    names: &Names,
) -> (Rulebook, Vec<OwnFault>) {
    let brought =
        supplements.iter().zip(0..).flat_map(|((_, all), at)| all.iter().map(move |d| (*d, SupplementId(at))));
    let brought: Vec<(&Document, SupplementId)> = brought.filter(|(document, _)| !document.is_broken()).collect();
    let mut loader = Loader {
        names,
        faults: Vec::new(),
        rulebook: Rulebook {
            broken: documents.iter().any(|document| document.is_broken()),
            game: Game::default(),
            manifest: None,
            manifest_meant: false,
            texts: None,
            ignore: globset::GlobSet::empty(),
            files_needed: Vec::new(),
            file_case: true,
            folders: Vec::new(),
            reader: Reader::default(),
            game_does: Vec::new(),
            severities: Vec::new(),
            places: Vec::new(),
            kinds: Vec::new(),
            // what is not described has the first one
            types: vec![FieldType::anything()],
            notations: Vec::new(),
            uncertain: Vec::new(),
            by_name: FxHashMap::default(),
            vocabularies: Vec::new(),
            reads: rustc_hash::FxHashSet::default(),
            markers: Vec::new(),
            scripts: Vec::new(),
            captures: Vec::new(),
            derived: Vec::new(),
            pack: super::captures::PackRule::default(),
            install: None,
            saved: Vec::new(),
            supplements: supplements.iter().map(|(id, _)| id.clone()).collect(),
        },
        once: FxHashMap::default(),
        kind_nodes: Vec::new(),
        kinds_from: Vec::new(),
        manifest_node: None,
        texts_node: None,
        parts: Parts::default(),
        made: std::cell::Cell::new(0),
        supplement: None,
        more: Vec::new(),
    };
    let mut unread: Vec<OwnFault> = Vec::new();
    for document in documents {
        loader.faults.extend(own::syntax(document));
        if document.is_broken() {
            continue;
        }
        match own::format_number(document, "rulebook", names, &mut unread) {
            true => loader.file(document),
            false => loader.rulebook.broken = true,
        }
    }
    if loader.rulebook.broken {
        // what the other files say of kinds that are not there would only hide the one fault
        unread.extend(documents.iter().flat_map(|document| own::syntax(document)));
        return (loader.rulebook, unread);
    }
    for (document, from) in &brought {
        loader.supplement(document, *from);
    }
    loader.kinds();
    // notations may be described in a later file
    if let Some(node) = loader.texts_node {
        loader.texts(node);
    }
    for document in documents.iter().filter(|document| !document.is_broken()) {
        loader.places(document, None);
        loader.scripts(document);
        loader.captures(document);
        loader.saved(document);
        loader.severities(document, None);
        loader.derived(document);
    }
    for (document, from) in &brought {
        loader.places(document, Some(*from));
        loader.severities(document, Some(*from));
    }
    // the manifest's fields may link to kinds, and definitions may stand among them
    if let Some(node) = loader.manifest_node {
        loader.manifest(node);
    }
    loader.settle();
    // a part's faults come up at each of its uses
    let mut faults: Vec<OwnFault> = Vec::with_capacity(loader.faults.len());
    for fault in loader.faults {
        if !faults.contains(&fault) {
            faults.push(fault);
        }
    }
    (loader.rulebook, faults)
}

/// A table alone, or those of a list.
fn tables_of(node: Node<'_>) -> Vec<Node<'_>> {
    let all = if node.shape() == Shape::List { node.children().collect() } else { vec![node] };
    all.into_iter().filter(|node| node.shape() == Shape::Table).collect()
}

pub(super) struct Loader<'d> {
    pub(super) names: &'d Names,
    pub(super) faults: Vec<OwnFault>,
    pub(super) rulebook: Rulebook,
    once: FxHashMap<&'static str, Place>,
    kind_nodes: Vec<Node<'d>>,
    /// The mods that bring the kinds along.
    kinds_from: Vec<Option<SupplementId>>,
    manifest_node: Option<Node<'d>>,
    texts_node: Option<Node<'d>>,
    pub(super) parts: Parts<'d>,
    /// How many fields they have come to.
    pub(super) made: std::cell::Cell<usize>,
    /// The mod whose supplement is being read.
    pub(super) supplement: Option<SupplementId>,
    /// What supplements say of kinds that are known.
    more: Vec<(KindId, Node<'d>, SupplementId)>,
}

impl<'d> Loader<'d> {
    /// The tables of which there is one, and the names of the kinds.
    pub(super) fn file(&mut self, document: &'d Document) {
        let top = Reading::new(document.root(), &keys::TOP, self.names, &mut self.faults);
        if let Some(node) = self.one(&top, "game") {
            let table = Reading::new(node, &keys::GAME, self.names, &mut self.faults);
            self.rulebook.game = Game {
                name: table.text("name").unwrap_or_default(),
                id: table.text("id"),
                edition: table.text("edition"),
                modes: table.texts("modes").into_iter().map(|(mode, _)| mode).collect(),
            };
        }
        self.manifest_node = self.one(&top, "manifest").or(self.manifest_node);
        let word = |entry: Node<'d>| entry.key().map_or("", |key| self.names.text(key));
        let meant = |entry| nearest(word(entry), keys::TOP.keys.iter().map(|key| key.name)) == Some("manifest");
        self.rulebook.manifest_meant |= self.manifest_node.is_some() || document.root().children().any(meant);
        self.texts_node = self.one(&top, "texts").or(self.texts_node);
        if let Some(node) = self.one(&top, "files") {
            let table = Reading::new(node, &keys::FILES, self.names, &mut self.faults);
            let patterns = table.texts("ignore");
            self.rulebook.ignore = self.globs(&patterns);
            self.rulebook.file_case = !table.boolean("any_case");
            self.rulebook.files_needed = self.files_needed(&table);
            for entry in table.get("variables").into_iter().flat_map(|words| words.children()) {
                let word = entry.key().map_or("", |key| self.names.text(key)).to_owned();
                self.rulebook.folders.push((word, entry.text().into_owned()));
            }
        }
        self.one(&top, "pack").into_iter().for_each(|node| self.pack(node));
        self.one(&top, "install").into_iter().for_each(|node| self.install(node));
        if let Some(node) = self.one(&top, "reader") {
            let table = Reading::new(node, &keys::READER, self.names, &mut self.faults);
            let said = |key| table.get(key).map(|_| table.boolean(key));
            let (comments, trailing_commas) = (said("comments"), said("trailing_commas"));
            let byte_order_mark = said("byte_order_mark");
            let yaml = table.text("yaml");
            if let Some(node) = table.get("yaml").filter(|_| !matches!(yaml.as_deref(), Some("1.1" | "1.2"))) {
                self.faults.push(own::fault(node.place(), "`yaml` is `1.1` or `1.2`, as a text"));
            }
            let old_yaml = yaml.as_deref() == Some("1.1");
            let comment_keys = table.texts("comment_keys").into_iter().map(|(word, _)| word).collect();
            let inert = table.get("inert").into_iter().flat_map(tables_of);
            let inert = inert.map(|node| Test::read(node, self.names, &mut self.faults)).collect();
            self.rulebook.reader = Reader { comment_keys, byte_order_mark, comments, trailing_commas, old_yaml, inert };
        }
        if let Some(node) = self.one(&top, "faults") {
            for entry in node.children() {
                let code = entry.key().map_or("", |key| self.names.text(key)).to_owned();
                let place = Place { file: entry.document().file(), span: entry.key_span() };
                self.rulebook.game_does.push((code, entry.text().into_owned(), place));
            }
        }
        for part in top.get("parts").into_iter().flat_map(|parts| parts.children()) {
            let name = part.key().map_or("", |key| self.names.text(key)).to_owned();
            let table = Reading::new(part, &keys::PART, self.names, &mut self.faults);
            let place = Place { file: part.document().file(), span: part.key_span() };
            match table.get("fields").filter(|node| node.shape() == Shape::Table) {
                Some(_) if self.parts.contains_key(&name) => {
                    self.faults.push(own::fault(place, said!("the part `{name}` is described twice", name)));
                }
                Some(fields) => {
                    self.parts.insert(name, fields);
                }
                None => self.faults.push(own::fault(place, said!("the part `{name}` has no `fields`", name))),
            }
        }
        for node in top.get("words").into_iter().flat_map(|words| words.children()) {
            self.vocabulary(node);
        }
        for node in top.get("notations").into_iter().flat_map(|notations| notations.children()) {
            let name = node.key().map_or("", |key| self.names.text(key)).to_owned();
            let place = Place { file: node.document().file(), span: node.key_span() };
            let known = self.rulebook.notations.iter().any(|(known, _)| *known == name);
            if known || Format::named(&name).is_some() {
                self.faults.push(own::fault(place, said!("the notation `{name}` is described already", name)));
                continue;
            }
            let before = self.faults.len();
            // one that cannot be used is known all the same: what names it is not at fault
            let notation = read_notation(node, self.names, &mut self.faults).unwrap_or_else(some_notation);
            if self.faults.len() > before {
                self.rulebook.uncertain.push(notation.clone());
            }
            self.rulebook.notations.push((name, notation));
        }
        let Some(kinds) = top.get("kinds").filter(|node| node.shape() == Shape::Table) else { return };
        for kind in kinds.children() {
            let name = kind.key().map_or("", |key| self.names.text(key)).to_owned();
            let place = Place { file: document.file(), span: kind.key_span() };
            if kind.shape() != Shape::Table {
                self.faults.push(own::fault(kind.place(), "a kind is described by a table"));
                continue;
            }
            if name.is_empty() || name.contains(['/', ' ']) {
                self.faults.push(own::fault(place, said!("`{name}` is no name of a kind: no `/`, no spaces", name)));
                continue;
            }
            let id = KindId(u16::try_from(self.kind_nodes.len()).unwrap_or(u16::MAX));
            if let (Some(known), Some(from)) = (self.rulebook.by_name.get(&name), self.supplement) {
                self.more.push((*known, kind, from));
                continue;
            }
            if let Some(known) = self.rulebook.by_name.get(&name) {
                let first = self
                    .kind_nodes
                    .get(known.0 as usize)
                    .map(|node| Place { file: node.document().file(), span: node.key_span() });
                let second = first.map(|place| (place, "first here".into()));
                let message = said!("the kind `{name}` is described twice", name);
                self.faults.push(own::fault(place, message).second(second));
                continue;
            }
            self.rulebook.by_name.insert(name, id);
            self.kind_nodes.push(kind);
            self.kinds_from.push(self.supplement);
        }
    }

    fn one(&mut self, top: &Reading<'d, 'd>, key: &'static str) -> Option<Node<'d>> {
        let node = top.get(key).filter(|node| node.shape() == Shape::Table)?;
        let place = Place { file: node.document().file(), span: node.key_span() };
        if let Some(first) = self.once.get(key) {
            let second = Some((*first, "first here".into()));
            let message = said!("`{key}` is said in two files of the rulebook", key);
            self.faults.push(own::fault(place, message).second(second));
            return None;
        }
        self.once.insert(key, place);
        Some(node)
    }

    pub(super) fn globs(&mut self, patterns: &[(String, Node<'_>)]) -> globset::GlobSet {
        let mut set = globset::GlobSetBuilder::new();
        for (pattern, node) in patterns {
            if let Some(glob) = self.glob(pattern, *node) {
                set.add(glob);
            }
        }
        set.build().unwrap_or_else(|_| globset::GlobSet::empty())
    }

    pub(super) fn glob(&mut self, pattern: &str, node: Node<'_>) -> Option<globset::Glob> {
        if pattern.contains('\\') || pattern.starts_with('/') || pattern.split('/').any(|part| part == "..") {
            let message = "file patterns are relative, with forward slashes and without `..`";
            self.faults.push(own::fault(node.place(), message));
            return None;
        }
        match globset::GlobBuilder::new(pattern).literal_separator(true).build() {
            Ok(glob) => Some(glob),
            Err(error) => {
                self.faults.push(own::fault(
                    node.place(),
                    said!("`{pattern}` is no file pattern: {kind}", pattern, kind = error.kind()),
                ));
                None
            }
        }
    }

    pub(super) fn pattern(&mut self, table: &Reading<'_, '_>, key: &str) -> Option<Pattern> {
        let node = table.get(key)?;
        match Pattern::parse(&table.text(key)?) {
            Ok(pattern) => Some(pattern),
            Err(message) => {
                self.faults.push(own::fault(node.place(), message));
                None
            }
        }
    }

    /// Where a kind is named.
    pub(super) fn kind_place(&self, id: KindId) -> Place {
        let node = self.kind_nodes.get(id.0 as usize).expect("every kind was read from a node");
        Place { file: node.document().file(), span: node.key_span() }
    }

    fn kinds(&mut self) {
        for (at, node) in self.kind_nodes.clone().into_iter().enumerate() {
            let id = KindId(u16::try_from(at).unwrap_or(u16::MAX));
            let kind = self.kind(id, node);
            self.rulebook.kinds.push(kind);
        }
    }

    fn kind(&mut self, id: KindId, node: Node<'d>) -> Kind {
        let names = self.names;
        let table = Reading::beside(node, (&keys::KIND, &[&keys::WHERE, &keys::FIELD]), names, &mut self.faults);
        let mut name_from = Vec::new();
        for (word, node) in table.texts("name") {
            name_from.extend(self.name_from(&word, node));
        }
        let again_word = table.get("again").filter(|node| node.shape() == Shape::Text);
        let again = again_word.map_or(Again::Fault, |node| self.again(node));
        let mut again_if = Vec::new();
        for case in table.get("again").into_iter().filter(|node| node.shape() == Shape::List).flat_map(|l| l.children())
        {
            let case = Reading::new(case, &keys::AGAIN, names, &mut self.faults);
            let test = case.get("if").filter(|node| node.shape() == Shape::Table);
            let test = test.map(|node| Test::read(node, names, &mut self.faults)).unwrap_or_default();
            if let Some(word) = case.get("is") {
                again_if.push((test, self.again(word)));
            }
        }
        let otherwise = again_if.iter().find(|(test, _)| test.0.is_empty()).map(|(_, again)| *again);
        let again = otherwise.unwrap_or(again);
        for (key, known) in [("scope", &["folder", "game"][..]), ("binds", &["late", "early"])] {
            if let Some(word) = table.text(key).filter(|word| !known.contains(&word.as_str())) {
                let place = table.get(key).unwrap_or(node).place();
                self.faults.push(own::fault(
                    place,
                    said!("`{key}` is `{allowed}`, not `{word}`", key, allowed = either(known), word),
                ));
            }
        }
        let mut test = |key: &str| {
            let node = table.get(key).filter(|node| node.shape() == Shape::Table)?;
            Some(Test::read(node, names, &mut self.faults))
        };
        let (is_abstract, removes) = (test("outline"), test("removes"));
        let aliases: Vec<FieldPath> = table
            .texts("aliases")
            .into_iter()
            .filter_map(|(word, node)| self.name_from(word.trim_end_matches("[]"), node))
            .filter_map(|from| if let NameFrom::Field(path) = from { Some(path) } else { None })
            .collect();
        let renames = table.get("renames").filter(|node| node.shape() == Shape::Table).and_then(|node| {
            let record = Reading::new(node, &keys::RENAMES, names, &mut self.faults);
            let kind = self.kind_id(&record.text("kind")?, record.get("kind")?)?;
            Some(Renames {
                from: record.path("from", &mut self.faults)?,
                to: record.path("to", &mut self.faults)?,
                kind,
            })
        });
        let parent = table.text("parent");
        // an include can stand more than once
        let several_parents = parent.as_ref().is_some_and(|parent| parent.ends_with("[]"));
        let parent = parent.map(|parent| parent.trim_end_matches("[]").to_owned());
        let parent_paths = path_starts(&table, &mut self.faults);
        let label = table.path("label", &mut self.faults);
        let repeats_id = table.paths("repeats_id", &mut self.faults);
        let texts = table.get("texts").into_iter().flat_map(|texts| texts.children());
        let texts: Vec<TextRule> = texts.filter_map(|text| self.text_rule(text)).collect();
        let files = table.get("files").into_iter().flat_map(|files| files.children());
        let good = |template: &Node<'_>| own::filled_in(*template, &["id", "kind"], &mut self.faults);
        let files: Vec<Node<'_>> = files.filter(good).collect();
        if let Some(see) = table.get("see") {
            own::filled_in(see, &["id"], &mut self.faults);
        }
        let word = |node: Node<'_>| (node.key().map_or("", |key| names.text(key)).to_owned(), node.text().into_owned());
        let files: Vec<(String, String)> = files.into_iter().map(word).collect();
        let ids = table.get("ids").filter(|node| node.shape() == Shape::Table);
        let ids = ids.map(|node| IdPolicy::read(node, names, &mut self.faults));
        let groups = table.get("groups").into_iter().flat_map(|groups| groups.children());
        let mut groups: Vec<Group> = groups.flat_map(|node| Group::read(node, names, &mut self.faults)).collect();
        let retired = table.get("retired").filter(|node| node.shape() == Shape::Table);
        let retired = retired.map(|node| Test::read(node, names, &mut self.faults));
        let members = self.pattern(&table, "members").map(|field| Members { field, are: None });
        let are = table.path("members_are", &mut self.faults);
        if let Some(node) = table.get("members_are").filter(|_| members.is_none()) {
            self.faults.push(own::fault(node.place(), "`members_are` says something of a kind with `members`"));
        }
        let members = members.map(|members| Members { are, ..members });
        let mut led_to = self.led_by(&table);
        let more_of: Vec<_> = self.more.iter().filter(|(of, ..)| *of == id).copied().collect();
        let mut more = More::default();
        for (_, node, from) in &more_of {
            self.more_of(*node, *from, &mut more);
        }
        groups.append(&mut more.groups);
        led_to.append(&mut more.led_to);
        let since = self.rulebook.types.len();
        let mut fields = Fields::new(
            names,
            (&self.rulebook.by_name, &self.rulebook.vocabularies),
            (&self.parts, &self.made),
            &mut self.faults,
        );
        if let Some(node) = table.get("fields").filter(|node| node.shape() == Shape::Table) {
            fields.table(node);
        }
        if let Some(node) = table.get("part") {
            fields.all_of(node);
        }
        for (_, more, from) in more_of.iter() {
            if let Some(node) = more.get_named("fields", names).filter(|node| node.shape() == Shape::Table) {
                fields.more(node, *from);
            }
        }
        for from in &name_from {
            for (path, optional) in from.fields() {
                fields.named(&keys_of(path), from.is_several(), optional || name_from.len() > 1);
            }
        }
        if let Some(parent) = &parent {
            fields.implied(&[parent], Some(id), true);
        }
        let parent_kinds = parent.as_ref().map_or_else(Vec::new, |parent| fields.links_of(parent));
        for path in &repeats_id {
            fields.named(&keys_of(path), false, true);
        }
        if let Some(label) = &label {
            fields.implied(&keys_of(label), None, true);
        }
        let root = fields.finish(&mut self.rulebook.types, table.boolean("open"));
        let operations = table.get("changed_by").filter(|node| node.shape() == Shape::Table);
        let operations = operations.map(|node| self.operations(node, root, since));
        let rules = table.get("rules").filter(|node| node.shape() == Shape::List);
        let rules = rules.into_iter().flat_map(|rules| rules.children());
        let mut rules: Vec<Rule> = rules.filter_map(|rule| self.rule(rule)).collect();
        rules.append(&mut more.rules);
        Kind {
            name: node.key().map_or("", |key| names.text(key)).to_owned(),
            place: Place { file: node.document().file(), span: node.key_span() },
            from: self.kinds_from.get(id.0 as usize).copied().flatten(),
            about: table.text("about"),
            space: self.space(&table, id),
            shared: false,
            scoped: table.text("scope").as_deref() == Some("folder"),
            aliases,
            is_abstract,
            removes,
            renames,
            operations,
            early: table.text("binds").as_deref() == Some("early"),
            again_if,
            name_from,
            id_fields: Vec::new(),
            parent: parent.map(|word| names.intern(&word)),
            parent_kinds,
            several_parents,
            parent_by_path: false,
            parent_paths,
            again,
            repeats_id,
            label,
            texts,
            files,
            ids,
            groups,
            retired,
            members,
            led_to,
            closed: table.text("closed"),
            takes_up: table.text("takes_up"),
            see: table.text("see"),
            root,
            tested: Vec::new(),
            rules,
        }
    }

    /// What a word of `again` means.
    fn again(&mut self, node: Node<'d>) -> Again {
        let known = ["fault", "replace", "merge", "variant"];
        match &*node.text() {
            "fault" => Again::Fault,
            "replace" => Again::Replace,
            "merge" => Again::Merge,
            "variant" => Again::Variant,
            word => {
                let help = nearest(word, known).map_or_else(
                    || said!("known are {known}", known = listed(known)),
                    |near| said!("the nearest known word is `{nearest}`", nearest = near),
                );
                let message = said!("`again` knows no `{word}`", word);
                self.faults.push(own::fault(node.place(), message).help(Some(help)));
                Again::Fault
            }
        }
    }

    /// The id space of a kind: that of the first kind with the same word.
    fn space(&self, table: &Reading<'_, '_>, id: KindId) -> SpaceId {
        let word = table.text("space");
        let same = |node: &Node<'_>| {
            let other = node.get_named("space", self.names).map(|node| node.text().into_owned());
            word.is_some() && other == word
        };
        let first = self.kind_nodes.iter().position(same).and_then(|at| u16::try_from(at).ok());
        SpaceId(first.unwrap_or(id.0))
    }

    pub(super) fn rule(&mut self, node: Node<'d>) -> Option<Rule> {
        let table = Reading::new(node, &keys::RULE, self.names, &mut self.faults);
        let severity = match table.text("severity").as_deref() {
            None | Some("error") => Severity::Error,
            Some("warning") => Severity::Warning,
            Some("note") => Severity::Note,
            Some(word) => {
                let place = table.get("severity").unwrap_or(node).place();
                let message = said!("there is no severity `{word}`; known are error, warning, note", word);
                self.faults.push(own::fault(place, message));
                Severity::Error
            }
        };
        let code = table.text("code");
        if let Some(code) = &code
            && (code.is_empty() || !code.bytes().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-'))
        {
            let place = table.get("code").unwrap_or(node).place();
            self.faults
                .push(own::fault(place, said!("a code is written with small letters and `-`, unlike `{code}`", code)));
        }
        Some(Rule {
            code,
            severity,
            require: table.text("require")?,
            when: table.text("when"),
            message: table.text("message").unwrap_or_else(|| "a rule of the rulebook does not hold".to_owned()),
            place: table.get("require").unwrap_or(node).place(),
            when_place: table.get("when").unwrap_or(node).place(),
            message_place: table.get("message").unwrap_or(node).place(),
            from: None,
        })
    }
}
