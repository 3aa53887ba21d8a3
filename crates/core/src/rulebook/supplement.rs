//! What mods bring along: files of a rulebook that add to it, and vocabularies, which both can add to.

use super::keys;
use super::link::severity_of;
use super::load::Loader;
use super::types::{SupplementId, Vocabulary};
use crate::document::{Document, Node, Shape};
use crate::own::{self, Reading};
use crate::source::Place;

impl<'d> Loader<'d> {
    /// Takes in a file that a mod brings along.
    pub(super) fn supplement(&mut self, document: &'d Document, from: SupplementId) {
        if !own::format_number(document, "rulebook", self.names, &mut self.faults) {
            return;
        }
        for entry in document.root().children() {
            let key = entry.key().map_or("", |key| self.names.text(key));
            const OF_THE_GAME: [&str; 12] = [
                "game", "manifest", "texts", "files", "reader", "faults", "pack", "install", "saved", "scripts",
                "captures", "derived",
            ];
            if OF_THE_GAME.contains(&key) {
                let place = Place { file: document.file(), span: entry.key_span() };
                let mut fault = own::fault(place, format!("a supplement cannot say `{key}`"));
                fault.help = Some("it adds kinds, fields, words, parts, notations, places and severities".to_owned());
                self.faults.push(fault);
                return;
            }
        }
        self.supplement = Some(from);
        self.file(document);
        self.supplement = None;
    }

    /// Of a kind that is known a supplement only adds to the fields.
    pub(super) fn only_fields(&mut self, node: Node<'d>) {
        for entry in node.children() {
            let key = entry.key().map_or("", |key| self.names.text(key));
            if key != "fields" {
                let place = Place { file: node.document().file(), span: entry.key_span() };
                self.faults.push(own::fault(
                    place,
                    "of a kind that the rulebook describes a supplement can only say `fields`",
                ));
            }
        }
    }

    /// A vocabulary.
    pub(super) fn vocabulary(&mut self, node: Node<'d>) {
        let name = node.key().map_or("", |key| self.names.text(key)).to_owned();
        if node.shape() != Shape::Table {
            return self.faults.push(own::fault(node.place(), "a vocabulary is described by a table"));
        }
        let table = Reading::new(node, &keys::WORDS, self.names, &mut self.faults);
        let listed = table.texts("listed").into_iter().map(|(word, _)| word).collect();
        let within = table.text("within");
        if let Some(node) = table.get("within").filter(|_| !matches!(within.as_deref(), Some("game" | "definition"))) {
            self.faults.push(own::fault(node.place(), "`within` is `game` or `definition`"));
        }
        if let Some(known) = self.rulebook.vocabularies.iter_mut().find(|known| known.name == name) {
            match self.supplement {
                Some(_) => known.listed.extend::<Vec<String>>(listed),
                None => {
                    self.faults.push(own::fault(node.place(), format!("the vocabulary `{name}` is described twice")))
                }
            }
            return;
        }
        let lacking = severity_of(&table, "lacking", &mut self.faults);
        let in_definition = within.as_deref() == Some("definition");
        let unused = table.get("unused").and_then(|_| severity_of(&table, "unused", &mut self.faults));
        let once = table.boolean("once");
        self.rulebook.vocabularies.push(Vocabulary { name, listed, in_definition, lacking, unused, once });
    }
}
