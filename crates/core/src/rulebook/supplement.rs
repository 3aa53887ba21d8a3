//! What mods bring along: files of a rulebook that add to it, and vocabularies, which both can add to.

use super::groups::Group;
use super::keys;
use super::link::severity_of;
use super::load::Loader;
use super::types::{LedBy, Rule, SupplementId, Vocabulary};
use crate::document::{Document, Node, Shape};
use crate::own::{self, Reading};
use crate::said::said;
use crate::source::Place;

/// What supplements add to a kind.
#[derive(Debug, Default)]
pub(super) struct More {
    pub(super) rules: Vec<Rule>,
    pub(super) groups: Vec<Group>,
    pub(super) led_to: Vec<LedBy>,
}

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
                self.faults.push(
                    own::fault(place, said!("a supplement cannot say `{key}`", key))
                        .help(Some("it adds kinds, fields, words, parts, notations, places and severities")),
                );
                return;
            }
        }
        self.supplement = Some(from);
        self.file(document);
        self.supplement = None;
    }

    /// What a supplement adds to a kind that is known, beside fields: rules, groups of fields, and what leads to it.
    pub(super) fn more_of(&mut self, node: Node<'d>, from: SupplementId, kind: &mut More) {
        const SAID: [&str; 4] = ["fields", "rules", "groups", "led_to"];
        for entry in node.children() {
            let key = entry.key().map_or("", |key| self.names.text(key));
            if !SAID.contains(&key) {
                let place = Place { file: node.document().file(), span: entry.key_span() };
                self.faults.push(
                    own::fault(
                        place,
                        said!("of a kind that the rulebook describes a supplement cannot say `{key}`", key),
                    )
                    .help(Some("it adds `fields`, `rules`, `groups` and `led_to`")),
                );
            }
        }
        let table = Reading::new(node, &keys::KIND, self.names, &mut self.faults);
        let of = |key: &str| table.get(key).into_iter().flat_map(|all| all.children());
        kind.rules.extend(of("rules").filter_map(|rule| Some(Rule { from: Some(from), ..self.rule(rule)? })));
        for group in of("groups") {
            let groups = Group::read(group, self.names, &mut self.faults);
            kind.groups.extend(groups.into_iter().map(|group| Group { from: Some(from), ..group }));
        }
        kind.led_to.extend(self.led_by(&table).into_iter().map(|led| LedBy { from: Some(from), ..led }));
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
                None => self
                    .faults
                    .push(own::fault(node.place(), said!("the vocabulary `{name}` is described twice", name))),
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
