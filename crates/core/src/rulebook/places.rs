//! Where definitions stand: the second half of loading, when the kinds are known.

use rustc_hash::FxHashMap;

use super::keys;
use super::load::Loader;
use super::naming::{NameFrom, Which};
use super::notations::notation_named;
use super::pattern::PatternStep;
use super::test::Test;
use super::types::{KindId, SupplementId, Where};
use crate::document::{Document, FieldPath, Node, Shape, Step};
use crate::nearest::nearest;
use crate::own::{self, OwnFault, Reading};
use crate::source::Place;

impl<'d> Loader<'d> {
    pub(super) fn places(&mut self, document: &'d Document, from: Option<SupplementId>) {
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
                        self.imply_text(id, &FieldPath::key("id"), false);
                    }
                }
            }
            let patterns = patterns.into_iter().map(|(pattern, _)| pattern).collect();
            let built = table.text("built");
            let notation = notation_named(&table, &self.rulebook.notations, &mut self.faults);
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
                from,
            });
        }
    }

    pub(super) fn kind_id(&mut self, word: &str, node: Node<'_>) -> Option<KindId> {
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
    fn imply_text(&mut self, kind: KindId, field: &FieldPath, optional: bool) {
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
                optional,
                default: None,
                unit: None,
                about: None,
                min: None,
                max: None,
                more: None,
                written: None,
                link: None,
                from: None,
            });
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
