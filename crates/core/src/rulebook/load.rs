//! Reads a rulebook's files into its compiled form. Faults are collected; what reads well is used.

use rustc_hash::FxHashMap;

use super::fields::{Fields, Parts};
use super::groups::{Group, IdPolicy};
use super::keys;
use super::notations::{notation_named, read_notation};
use super::pattern::{Pattern, PatternStep};
use super::test::Test;
use super::types::{
    Again, Game, Kind, KindId, LedBy, ManifestRule, Members, NameFrom, Reader, Rule, Rulebook, Severity, SpaceId,
    TextRule, TextsRule, Where, Which,
};
use crate::document::{Document, FieldPath, Format, Node, Shape, Step};
use crate::names::Names;
use crate::nearest::nearest;
use crate::own::{self, OwnFault, Reading};
use crate::source::Place;

/// Compiles a rulebook from its documents (in path order), with the faults found in them.
pub fn load_rulebook(documents: &[&Document], names: &Names) -> (Rulebook, Vec<OwnFault>) {
    let mut loader = Loader {
        names,
        faults: Vec::new(),
        rulebook: Rulebook {
            broken: documents.iter().any(|document| document.is_broken()),
            game: Game::default(),
            manifest: None,
            texts: None,
            ignore: globset::GlobSet::empty(),
            reader: Reader::default(),
            game_does: Vec::new(),
            places: Vec::new(),
            kinds: Vec::new(),
            types: Vec::new(),
            notations: Vec::new(),
            by_name: FxHashMap::default(),
        },
        once: FxHashMap::default(),
        kind_nodes: Vec::new(),
        manifest_node: None,
        parts: Parts::default(),
    };
    for document in documents {
        loader.faults.extend(own::syntax(document));
        if document.is_broken() || !own::format_number(document, "rulebook", names, &mut loader.faults) {
            continue;
        }
        loader.file(document);
    }
    if loader.rulebook.broken {
        // what the other files say of kinds that are not there would only hide the one fault
        loader.faults.clear();
        loader.faults.extend(documents.iter().flat_map(|document| own::syntax(document)));
        return (loader.rulebook, loader.faults);
    }
    loader.kinds();
    // the manifest's fields may link to kinds, which are known only now
    if let Some(node) = loader.manifest_node {
        loader.manifest(node);
    }
    for document in documents.iter().filter(|document| !document.is_broken()) {
        loader.places(document);
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

pub(super) struct Loader<'d> {
    pub(super) names: &'d Names,
    pub(super) faults: Vec<OwnFault>,
    pub(super) rulebook: Rulebook,
    once: FxHashMap<&'static str, Place>,
    kind_nodes: Vec<Node<'d>>,
    manifest_node: Option<Node<'d>>,
    parts: Parts<'d>,
}

impl<'d> Loader<'d> {
    /// The tables of which there is one, and the names of the kinds.
    fn file(&mut self, document: &'d Document) {
        let top = Reading::new(document.root(), &keys::TOP, self.names, &mut self.faults);
        if let Some(node) = self.one(&top, "game") {
            let table = Reading::new(node, &keys::GAME, self.names, &mut self.faults);
            self.rulebook.game = Game { name: table.text("name").unwrap_or_default(), edition: table.text("edition") };
        }
        self.manifest_node = self.one(&top, "manifest").or(self.manifest_node);
        if let Some(node) = self.one(&top, "texts") {
            self.texts(node);
        }
        if let Some(node) = self.one(&top, "files") {
            let table = Reading::new(node, &keys::FILES, self.names, &mut self.faults);
            let patterns = table.texts("ignore");
            self.rulebook.ignore = self.globs(&patterns);
        }
        if let Some(node) = self.one(&top, "reader") {
            let table = Reading::new(node, &keys::READER, self.names, &mut self.faults);
            let said = |key| table.get(key).map(|_| table.boolean(key));
            let (comments, trailing_commas) = (said("comments"), said("trailing_commas"));
            let yaml = table.text("yaml");
            if let Some(node) = table.get("yaml").filter(|_| !matches!(yaml.as_deref(), Some("1.1" | "1.2"))) {
                self.faults.push(own::fault(node.place(), "`yaml` is `1.1` or `1.2`, as a text"));
            }
            let old_yaml = yaml.as_deref() == Some("1.1");
            self.rulebook.reader = Reader { comments, trailing_commas, old_yaml };
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
                    self.faults.push(own::fault(place, format!("the part `{name}` is described twice")));
                }
                Some(fields) => {
                    self.parts.insert(name, fields);
                }
                None => self.faults.push(own::fault(place, format!("the part `{name}` has no `fields`"))),
            }
        }
        for node in top.get("notations").into_iter().flat_map(|notations| notations.children()) {
            let name = node.key().map_or("", |key| self.names.text(key)).to_owned();
            let place = Place { file: node.document().file(), span: node.key_span() };
            let known = self.rulebook.notations.iter().any(|(known, _)| *known == name);
            if known || Format::named(&name).is_some() {
                self.faults.push(own::fault(place, format!("the notation `{name}` is described already")));
            } else if let Some(notation) = read_notation(node, self.names, &mut self.faults) {
                self.rulebook.notations.push((name, notation));
            }
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
                self.faults.push(own::fault(place, format!("`{name}` is no name of a kind: no `/`, no spaces")));
                continue;
            }
            let id = KindId(u16::try_from(self.kind_nodes.len()).unwrap_or(u16::MAX));
            if let Some(known) = self.rulebook.by_name.get(&name) {
                let first = self
                    .kind_nodes
                    .get(known.0 as usize)
                    .map(|node| Place { file: node.document().file(), span: node.key_span() });
                let second = first.map(|place| (place, "first here".to_owned()));
                let message = format!("the kind `{name}` is described twice");
                self.faults.push(OwnFault { place, message, help: None, second });
                continue;
            }
            self.rulebook.by_name.insert(name, id);
            self.kind_nodes.push(kind);
        }
    }

    fn one(&mut self, top: &Reading<'d, 'd>, key: &'static str) -> Option<Node<'d>> {
        let node = top.get(key).filter(|node| node.shape() == Shape::Table)?;
        let place = Place { file: node.document().file(), span: node.key_span() };
        if let Some(first) = self.once.get(key) {
            let second = Some((*first, "first here".to_owned()));
            let message = format!("`{key}` is said in two files of the rulebook");
            self.faults.push(OwnFault { place, message, help: None, second });
            return None;
        }
        self.once.insert(key, place);
        Some(node)
    }

    fn globs(&mut self, patterns: &[(String, Node<'_>)]) -> globset::GlobSet {
        let mut set = globset::GlobSetBuilder::new();
        for (pattern, node) in patterns {
            if let Some(glob) = self.glob(pattern, *node) {
                set.add(glob);
            }
        }
        set.build().unwrap_or_else(|_| globset::GlobSet::empty())
    }

    fn glob(&mut self, pattern: &str, node: Node<'_>) -> Option<globset::Glob> {
        if pattern.contains('\\') || pattern.starts_with('/') || pattern.split('/').any(|part| part == "..") {
            let message = "file patterns are relative, with forward slashes and without `..`";
            self.faults.push(own::fault(node.place(), message));
            return None;
        }
        match globset::GlobBuilder::new(pattern).literal_separator(true).build() {
            Ok(glob) => Some(glob),
            Err(error) => {
                self.faults.push(own::fault(node.place(), format!("`{pattern}` is no file pattern: {}", error.kind())));
                None
            }
        }
    }

    fn texts(&mut self, node: Node<'d>) {
        let table = Reading::new(node, &keys::TEXTS, self.names, &mut self.faults);
        let mut files = Vec::new();
        for (pattern, node) in table.texts("files") {
            let glob = pattern.replace("{language}", "*");
            files.extend(self.glob(&glob, node).map(|glob| (glob.compile_matcher(), pattern)));
        }
        let token = table.text("token").and_then(|source| match regex::Regex::new(&source) {
            Ok(regex) if regex.captures_len() == 2 => Some(regex),
            _ => {
                let message = format!("`{source}` is no pattern with one group in parentheses, for the token's name");
                self.faults.extend(table.get("token").map(|node| own::fault(node.place(), message)));
                None
            }
        });
        self.rulebook.texts = Some(TextsRule {
            files,
            key: self.names.intern(&table.text("key").unwrap_or_else(|| "key".to_owned())),
            text: self.names.intern(&table.text("text").unwrap_or_else(|| "text".to_owned())),
            main: table.text("main").unwrap_or_else(|| "en".to_owned()),
            token,
        });
    }

    fn pattern(&mut self, table: &Reading<'_, '_>, key: &str) -> Option<Pattern> {
        let node = table.get(key)?;
        match Pattern::parse(&table.text(key)?) {
            Ok(pattern) => Some(pattern),
            Err(message) => {
                self.faults.push(own::fault(node.place(), message));
                None
            }
        }
    }

    fn manifest(&mut self, node: Node<'d>) {
        let table = Reading::new(node, &keys::MANIFEST, self.names, &mut self.faults);
        let paths: Vec<Option<FieldPath>> =
            ["id", "name", "version", "made_for"].iter().map(|key| table.path(key, &mut self.faults)).collect();
        let (requires, after) = (self.pattern(&table, "requires"), self.pattern(&table, "after"));
        let mut fields = Fields::new(self.names, &self.rulebook.by_name, &self.parts, &mut self.faults);
        if let Some(node) = table.get("fields").filter(|node| node.shape() == Shape::Table) {
            fields.table(node);
        }
        for (path, optional) in paths.iter().zip([false, true, true, true]) {
            if let Some(path) = path {
                fields.implied(&keys_of(path), None, optional);
            }
        }
        for pattern in [&requires, &after].into_iter().flatten() {
            fields.implied_list(pattern);
        }
        let root = fields.finish(&mut self.rulebook.types, false);
        let mut paths = paths.into_iter();
        let (id, name, version) = (paths.next().flatten(), paths.next().flatten(), paths.next().flatten());
        let made_for = paths.next().flatten();
        let (Some(file), Some(id)) = (table.text("file"), id) else { return };
        self.rulebook.manifest = Some(ManifestRule { file, id, name, version, made_for, requires, after, root });
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
        let table = Reading::new(node, &keys::KIND, names, &mut self.faults);
        let mut name_from = Vec::new();
        for (word, node) in table.texts("name") {
            name_from.push(match word.as_str() {
                "key" => NameFrom::Key,
                "stem" => NameFrom::Stem,
                "path" => NameFrom::Path,
                _ => match FieldPath::parse(&word) {
                    Ok(path) => NameFrom::Field(path),
                    Err(error) => {
                        self.faults.push(own::fault(node.place(), error.to_string()));
                        continue;
                    }
                },
            });
        }
        let again = match table.text("again").as_deref() {
            None | Some("fault") => Again::Fault,
            Some("replace") => Again::Replace,
            Some("merge") => Again::Merge,
            Some(word) => {
                let known = ["replace", "merge", "fault"];
                let help = nearest(word, known).map_or_else(
                    || format!("known are {}", known.join(", ")),
                    |near| format!("the nearest known word is `{near}`"),
                );
                let place = table.get("again").unwrap_or(node).place();
                let message = format!("`again` knows no `{word}`");
                self.faults.push(OwnFault { place, message, help: Some(help), second: None });
                Again::Fault
            }
        };
        let parent = table.text("parent");
        let parent_beside = match table.text("parent_paths").as_deref() {
            None | Some("root") => false,
            Some("file") => true,
            Some(word) => {
                let place = table.get("parent_paths").unwrap_or(node).place();
                self.faults.push(own::fault(place, format!("`parent_paths` is `root` or `file`, not `{word}`")));
                false
            }
        };
        let label = table.path("label", &mut self.faults);
        let texts = table.get("texts").into_iter().flat_map(|texts| texts.children());
        let texts: Vec<TextRule> = texts.filter_map(|text| self.text_rule(text)).collect();
        let files = table.get("files").into_iter().flat_map(|files| files.children());
        let word = |node: Node<'_>| (node.key().map_or("", |key| names.text(key)).to_owned(), node.text().into_owned());
        let files: Vec<(String, String)> = files.map(word).collect();
        let ids = table.get("ids").filter(|node| node.shape() == Shape::Table);
        let ids = ids.map(|node| IdPolicy::read(node, names, &mut self.faults));
        let groups = table.get("groups").into_iter().flat_map(|groups| groups.children());
        let groups = groups.flat_map(|node| Group::read(node, names, &mut self.faults)).collect();
        let retired = table.get("retired").filter(|node| node.shape() == Shape::Table);
        let retired = retired.map(|node| Test::read(node, names, &mut self.faults));
        let members = self.pattern(&table, "members").map(|field| Members { field, are: None });
        let are = table.path("members_are", &mut self.faults);
        if let Some(node) = table.get("members_are").filter(|_| members.is_none()) {
            self.faults.push(own::fault(node.place(), "`members_are` says something of a kind with `members`"));
        }
        let members = members.map(|members| Members { are, ..members });
        let led_to = self.led_by(&table);
        let mut fields = Fields::new(names, &self.rulebook.by_name, &self.parts, &mut self.faults);
        if let Some(node) = table.get("fields").filter(|node| node.shape() == Shape::Table) {
            fields.table(node);
        }
        for from in &name_from {
            if let NameFrom::Field(path) = from {
                fields.implied(&keys_of(path), None, name_from.len() > 1);
            }
        }
        if let Some(parent) = &parent {
            fields.implied(&[parent], Some(id), true);
        }
        if let Some(label) = &label {
            fields.implied(&keys_of(label), None, true);
        }
        let root = fields.finish(&mut self.rulebook.types, table.boolean("open"));
        let rules = table.get("rules").filter(|node| node.shape() == Shape::List);
        let rules = rules.map(|rules| rules.children().filter_map(|rule| self.rule(rule)).collect());
        Kind {
            name: node.key().map_or("", |key| names.text(key)).to_owned(),
            about: table.text("about"),
            space: SpaceId(id.0),
            name_from,
            parent: parent.map(|word| names.intern(&word)),
            parent_beside,
            again,
            label,
            texts,
            files,
            ids,
            groups,
            retired,
            members,
            led_to,
            takes_up: table.text("takes_up"),
            see: table.text("see"),
            root,
            conditional: false,
            rules: rules.unwrap_or_default(),
        }
    }

    /// A text's template, alone or with what else is said of it.
    fn text_rule(&mut self, node: Node<'d>) -> Option<TextRule> {
        let role = node.key().map_or("", |key| self.names.text(key)).to_owned();
        match node.shape() {
            Shape::Text => {
                Some(TextRule { role, template: node.text().into_owned(), optional: false, tokens: Vec::new() })
            }
            Shape::Table => {
                let table = Reading::new(node, &keys::TEXT, self.names, &mut self.faults);
                let tokens = table.texts("tokens").into_iter().map(|(word, _)| word).collect();
                Some(TextRule { role, template: table.text("key")?, optional: table.boolean("optional"), tokens })
            }
            _ => {
                let message = "a text is said by the template of its key, or by a table with `key`";
                self.faults.push(own::fault(node.place(), message));
                None
            }
        }
    }

    /// The fields that bring a definition into the game: `kind.pattern`.
    fn led_by(&mut self, table: &Reading<'_, '_>) -> Vec<LedBy> {
        let mut out = Vec::new();
        for (word, node) in table.texts("led_to") {
            match word.split_once('.') {
                Some((kind, pattern)) => {
                    if let Some(kind) = self.kind_id(kind, node) {
                        out.push(LedBy { kind, pattern: pattern.to_owned() });
                    }
                }
                None => {
                    let message = format!("`{word}` names no field: write `kind.pattern`, as `stock.goods[].what`");
                    self.faults.push(own::fault(node.place(), message));
                }
            }
        }
        out
    }

    fn rule(&mut self, node: Node<'d>) -> Option<Rule> {
        let table = Reading::new(node, &keys::RULE, self.names, &mut self.faults);
        let severity = match table.text("severity").as_deref() {
            None | Some("error") => Severity::Error,
            Some("warning") => Severity::Warning,
            Some("note") => Severity::Note,
            Some(word) => {
                let place = table.get("severity").unwrap_or(node).place();
                let message = format!("there is no severity `{word}`; known are error, warning, note");
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
                .push(own::fault(place, format!("a code is written with small letters and `-`, unlike `{code}`")));
        }
        Some(Rule {
            code,
            severity,
            require: table.text("require")?,
            when: table.text("when"),
            message: table.text("message").unwrap_or_else(|| "a rule of the rulebook does not hold".to_owned()),
            place: table.get("require").unwrap_or(node).place(),
        })
    }

    fn places(&mut self, document: &'d Document) {
        let Some(wheres) = document.root().get_named("where", self.names) else { return };
        if wheres.shape() != Shape::List {
            return;
        }
        for node in wheres.children().filter(|node| node.shape() == Shape::Table) {
            let table = Reading::new(node, &keys::WHERE, self.names, &mut self.faults);
            let patterns = table.texts("files");
            let files = self.globs(&patterns);
            let cut = self.pattern(&table, "cut").unwrap_or_default();
            if cut.0.iter().any(|step| matches!(step, PatternStep::Keys | PatternStep::At(_))) {
                let place = table.get("cut").unwrap_or(node).place();
                self.faults.push(own::fault(place, "a cut leads to values, not to keys: `{}`"));
            }
            let Some(which) = self.which(&table, node) else { continue };
            for id in which.kinds() {
                let Some(kind) = self.rulebook.kinds.get_mut(id.0 as usize) else { continue };
                if kind.name_from.is_empty() {
                    let by_key = cut.0.last() == Some(&PatternStep::Values);
                    let whole = cut.0.is_empty();
                    let by_field = !by_key && !whole;
                    kind.name_from.push(match (by_key, whole) {
                        (true, _) => NameFrom::Key,
                        (_, true) => NameFrom::Stem,
                        _ => NameFrom::Field(FieldPath::key("id")),
                    });
                    if by_field {
                        self.imply_text(id, &FieldPath::key("id"));
                    }
                }
            }
            let patterns = patterns.into_iter().map(|(pattern, _)| pattern).collect();
            let built = table.text("built");
            let notation = notation_named(&table, &self.rulebook.notations, &mut self.faults);
            self.rulebook.places.push(Where { files, patterns, cut, which, built, notation });
        }
    }

    fn kind_id(&mut self, word: &str, node: Node<'_>) -> Option<KindId> {
        if let Some(kind) = self.rulebook.by_name.get(word) {
            return Some(*kind);
        }
        let near = nearest(word, self.rulebook.by_name.keys().map(String::as_str));
        let help = match near {
            Some(near) => format!("the nearest known kind is `{near}`"),
            None => format!("kinds are described under `[kinds.{word}]`"),
        };
        let message = format!("there is no kind `{word}`");
        self.faults.push(OwnFault { place: node.place(), message, help: Some(help), second: None });
        None
    }

    fn which(&mut self, table: &Reading<'_, '_>, node: Node<'_>) -> Option<Which> {
        match (table.text("kind"), table.text("which")) {
            (Some(word), None) => Some(Which::Always(self.kind_id(&word, table.get("kind")?)?)),
            (None, Some(_)) => {
                let field = table.path("which", &mut self.faults)?;
                let mut words = FxHashMap::default();
                for entry in table.get("words").into_iter().flat_map(|words| words.children()) {
                    let word = entry.key().map_or("", |key| self.names.text(key)).to_owned();
                    if let Some(kind) = self.kind_id(&entry.text(), entry) {
                        words.insert(word, kind);
                    }
                }
                if words.is_empty() {
                    words = self.rulebook.by_name.clone();
                }
                for kind in words.values() {
                    self.imply_text(*kind, &field);
                }
                Some(Which::ByField { field, words })
            }
            _ => {
                let place = Place { file: node.document().file(), span: own::first_line(node) };
                let message = "a `where` says either `kind` or `which`";
                self.faults.push(own::fault(place, message));
                None
            }
        }
    }

    /// A field that names a definition or tells its kind is a known field of the kind.
    fn imply_text(&mut self, kind: KindId, field: &FieldPath) {
        let ([Step::Key(key)], Some(root)) =
            (field.steps(), self.rulebook.kinds.get(kind.0 as usize).map(|kind| kind.root))
        else {
            return;
        };
        let sym = self.names.intern(key);
        let ty = super::types::TypeId(crate::source::to_u32(self.rulebook.types.len()));
        let known = match self.rulebook.types.get_mut(root.0 as usize).map(|ty| &mut ty.reading) {
            Some(super::types::Reading::Table(table)) if table.get(sym).is_none() => {
                table.index.insert(sym, crate::source::to_u32(table.fields.len()));
                table.fields.push((sym, ty));
                false
            }
            _ => true,
        };
        if !known {
            self.rulebook.types.push(super::types::FieldType {
                pattern: key.clone(),
                reading: super::types::Reading::Text,
                optional: false,
                default: None,
                unit: None,
                about: None,
                min: None,
                max: None,
                more: None,
            });
        }
    }
}

fn keys_of(path: &FieldPath) -> Vec<&str> {
    let mut keys = Vec::new();
    for step in path.steps() {
        if let Step::Key(key) = step {
            keys.push(key.as_str());
        }
    }
    keys
}
