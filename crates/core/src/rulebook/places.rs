//! Where definitions stand: the second half of loading, when the kinds are known.

use rustc_hash::FxHashMap;

use super::keys;
use super::link::Decoration;
use super::link::unknown_kind;
use super::load::Loader;
use super::naming::{NameFrom, Which};
use super::notations::{notation_named, some_notation};
use super::pattern::{Pattern, PatternStep};
use super::test::Test;
use super::types::{FieldType, KindId, Script, SupplementId, Where};
use crate::document::{Document, FieldPath, Node, Notation, Shape, Step};
use crate::own::{self, Reading};
use crate::said::{listed, said};
use crate::source::Place;

impl<'d> Loader<'d> {
    pub(super) fn places(&mut self, document: &'d Document, from: Option<SupplementId>) {
        let Some(wheres) = document.root().get_named("where", self.names) else { return };
        if wheres.shape() != Shape::List {
            return;
        }
        for node in wheres.children().filter(|node| node.shape() == Shape::Table) {
            let table = Reading::beside(node, (&keys::WHERE, &[&keys::KIND]), self.names, &mut self.faults);
            let patterns = table.texts("files");
            let files = self.globs(&patterns);
            let mut cut = self.pattern(&table, "cut").unwrap_or_default();
            if cut.0.iter().any(|step| matches!(step, PatternStep::Keys | PatternStep::At(_))) {
                let place = table.get("cut").unwrap_or(node).place();
                self.faults.push(own::fault(place, "a cut leads to values, not to keys: `{}`"));
            }
            if let ([PatternStep::Key(key)], Some(node)) = (cut.0.as_slice(), table.get("cut"))
                && key == "$"
            {
                let help = "without `cut` the whole file is one definition";
                self.faults.push(own::fault(node.place(), "`$` stands for no part of a file").help(Some(help)));
                cut = Pattern::default();
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
                        self.imply_text(id, &FieldPath::key("id"), false);
                    }
                }
            }
            let unreadable = !self.readable(&table, &patterns);
            let patterns = patterns.into_iter().map(|(pattern, _)| pattern).collect();
            if let Some(built) = table.get("built") {
                own::filled_in(built, &["mod", "id"], &mut self.faults);
                let kinds = which.kinds().into_iter().filter_map(|id| self.rulebook.kinds.get(id.0 as usize));
                let sign = kinds.flat_map(|kind| &kind.name_from).find_map(NameFrom::sign_for_no_file);
                if let Some(sign) = sign.filter(|_| built.text().contains("{id}")) {
                    let message = said!(
                        "`built` names files by `{word}`, and ids hold `{sign}`, which no file's name can have on every system",
                        word = "{id}",
                        sign = sign.to_string()
                    );
                    let help = "without `built` a file is named by the words of its path that make the id";
                    self.faults.push(own::fault(built.place(), message).help(Some(help)));
                }
            }
            let built = table.text("built");
            let before = self.faults.len();
            let mut notation = notation_named(&table, &self.rulebook.notations, &mut self.faults);
            if self.faults.len() > before {
                self.rulebook.uncertain.push(some_notation());
                notation.get_or_insert_with(some_notation);
            }
            let test = table.get("if").filter(|node| node.shape() == Shape::Table);
            let test = test.map(|node| Test::read(node, self.names, &mut self.faults));
            let shadows = table.get("shadows").and_then(|node| match node.shape() {
                Shape::Table => Some(Test::read(node, self.names, &mut self.faults)),
                Shape::Boolean => node.is_true().then(Test::default),
                _ => {
                    self.faults.push(own::fault(node.place(), "`shadows` is true or a test"));
                    None
                }
            });
            let place = table.get("files").unwrap_or(node).place();
            self.rulebook.places.push(Where {
                place,
                files,
                patterns,
                cut,
                which,
                test,
                shadows,
                built,
                notation,
                unreadable,
                from,
            });
        }
    }

    /// Whether something says how files are written: their ending, or a notation. Tells the patterns of which nothing does.
    pub(super) fn readable(&mut self, table: &Reading<'d, '_>, patterns: &[(String, Node<'d>)]) -> bool {
        if table.get("notation").is_some() {
            return true;
        }
        let before = self.faults.len();
        for (pattern, node) in patterns {
            let name = pattern.rsplit('/').next().unwrap_or(pattern);
            let ending = name.rsplit_once('.').map_or("", |(_, ending)| ending);
            // what the pattern leaves open, files may say
            let open = |word: &str| word.contains(['*', '?', '{', '[']);
            if Notation::of(pattern).is_some() || open(ending) || ending.is_empty() && open(name) {
                continue;
            }
            let what = match ending {
                "" => said!("`{name}` has no ending that says a format", name),
                ending => said!("the ending `.{ending}` says no format", ending),
            };
            let mut fault = own::fault(node.place(), said!("{what}, so that nothing can read this", what));
            let described = self.rulebook.notations.iter().map(|(name, _)| format!("`notation = \"{name}\"`"));
            let described: Vec<String> = described.collect();
            fault.help = Some(match described.is_empty() {
                true => "describe how it is written under `[notations.NAME]`, and name it by `notation`".into(),
                false => said!("say how it is written: {words}", words = listed(described)),
            });
            self.faults.push(fault);
        }
        self.faults.len() == before
    }

    /// The patterns of ids in script files.
    pub(super) fn scripts(&mut self, document: &'d Document) {
        let Some(all) = document.root().get_named("scripts", self.names).filter(|node| node.shape() == Shape::List)
        else {
            return;
        };
        for node in all.children().filter(|node| node.shape() == Shape::Table) {
            let table = Reading::new(node, &keys::SCRIPTS, self.names, &mut self.faults);
            let files = self.globs(&table.texts("files"));
            let Some(kind) = table.text("kind").and_then(|word| self.kind_id(&word, table.get("kind")?)) else {
                continue;
            };
            let decoration = Decoration::read(&table, &self.rulebook.by_name, self.names, &mut self.faults);
            let mut link = FieldType::plain(super::types::Reading::Link(vec![kind]));
            link.link = decoration.map(Box::new);
            let ty = super::types::TypeId(crate::source::to_u32(self.rulebook.types.len()));
            self.rulebook.types.push(link);
            let declared = table.texts("declares").into_iter().map(|found| (found, None));
            let used = table.texts("uses").into_iter().map(|found| (found, Some(ty)));
            for ((source, place), link) in declared.chain(used) {
                match self.searches(&source, place) {
                    Some(pattern) if pattern.captures_len() == 2 => {
                        self.rulebook.scripts.push(Script { files: files.clone(), pattern, kind, link });
                    }
                    Some(_) => {
                        let message =
                            said!("`{source}` is no pattern with one group in parentheses, for the id", source);
                        self.faults.push(own::fault(place.place(), message));
                    }
                    None => {}
                }
            }
        }
    }

    pub(super) fn kind_id(&mut self, word: &str, node: Node<'_>) -> Option<KindId> {
        if let Some(kind) = self.rulebook.by_name.get(word) {
            return Some(*kind);
        }
        self.faults.push(unknown_kind(word, &self.rulebook.by_name, node.place()));
        None
    }

    fn which(&mut self, table: &Reading<'_, '_>, node: Node<'_>) -> Option<Which> {
        match (table.text("kind"), table.text("which")) {
            (Some(word), None) => Some(Which::Always(self.kind_id(&word, table.get("kind")?)?)),
            (None, Some(told)) => {
                let from = self.name_from(&told, table.get("which")?)?;
                let mut words = FxHashMap::default();
                let mut patterns = Vec::new();
                for entry in table.get("words").into_iter().flat_map(|words| words.children()) {
                    let word = entry.key().map_or("", |key| self.names.text(key)).to_owned();
                    match self.kind_id(&entry.text(), entry) {
                        Some(kind) if word.contains('*') => patterns.push((word, kind)),
                        Some(kind) => drop(words.insert(word, kind)),
                        None => {}
                    }
                }
                if words.is_empty() && patterns.is_empty() {
                    words = self.rulebook.by_name.clone();
                }
                patterns.sort_by_key(|(pattern, _)| std::cmp::Reverse(pattern.len()));
                let which = Which::By { from, told, words, patterns };
                if let Which::By { from: NameFrom::Field(field), .. } = &which {
                    for kind in which.kinds() {
                        self.imply_text(kind, field, false);
                    }
                }
                Some(which)
            }
            _ => {
                let place = Place { file: node.document().file(), span: own::first_line(node) };
                let message = "a `where` says either `kind` or `which`";
                self.faults.push(own::fault(place, message));
                None
            }
        }
    }

    /// What a word of the rulebook takes names or kinds from.
    pub(super) fn name_from(&mut self, word: &str, node: Node<'_>) -> Option<NameFrom> {
        match NameFrom::parse(word) {
            Ok(from) => Some(from),
            Err(message) => {
                self.faults.push(own::fault(node.place(), message));
                None
            }
        }
    }

    /// A field that names a definition or tells its kind is a known field of the kind.
    pub(super) fn imply_text(&mut self, kind: KindId, field: &FieldPath, optional: bool) {
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
            let text = FieldType::plain(super::types::Reading::Text);
            self.rulebook.types.push(FieldType { pattern: key.clone(), optional, ..text });
        }
    }
}

/// The keys of a path.
pub(super) fn keys_of(path: &FieldPath) -> Vec<&str> {
    let mut keys = Vec::new();
    for step in path.steps() {
        if let Step::Key(key) = step {
            keys.push(key.as_str());
        }
    }
    keys
}
