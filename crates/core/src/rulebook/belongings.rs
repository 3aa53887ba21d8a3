//! What a kind says of its texts, and of what brings its definitions into the game.

use super::keys;
use super::load::Loader;
use super::types::{FileNeeded, LedBy, TextRule};
use crate::document::{Node, Shape};
use crate::own::{self, Reading};
use crate::said::said;

impl Loader<'_> {
    /// `needed` of `[files]`: for folders by pattern the file that each must have.
    pub(super) fn files_needed(&mut self, table: &Reading<'_, '_>) -> Vec<FileNeeded> {
        let mut all = Vec::new();
        for entry in table.get("needed").into_iter().flat_map(|needed| needed.children()) {
            let pattern = entry.key().map_or("", |key| self.names.text(key)).to_owned();
            let file = entry.text().into_owned();
            if entry.shape() != Shape::Text || file.is_empty() || file.contains('/') {
                let message = "a folder's pattern stands before a file's name, as `{ \"packs/*\" = \"pack.txt\" }`";
                self.faults.push(own::fault(entry.place(), message));
                continue;
            }
            let folders = self.glob(&pattern, entry).map(|glob| glob.compile_matcher());
            all.extend(folders.map(|folders| FileNeeded { folders, file, place: entry.place() }));
        }
        all
    }
}

impl<'d> Loader<'d> {
    /// A text's template, alone or with what else is said of it.
    pub(super) fn text_rule(&mut self, node: Node<'d>) -> Option<TextRule> {
        let role = node.key().map_or("", |key| self.names.text(key)).to_owned();
        match node.shape() {
            Shape::Text => {
                // with a template that is no good nothing else is asked for
                let optional = !own::filled_in(node, &["id", "kind"], &mut self.faults);
                Some(TextRule { role, template: node.text().into_owned(), optional, tokens: Vec::new() })
            }
            Shape::Table => {
                let table = Reading::new(node, &keys::TEXT, self.names, &mut self.faults);
                let good = table.get("key").is_none_or(|key| own::filled_in(key, &["id", "kind"], &mut self.faults));
                let tokens = table.texts("tokens").into_iter().map(|(word, _)| word).collect();
                Some(TextRule {
                    role,
                    template: table.text("key")?,
                    optional: table.boolean("optional") || !good,
                    tokens,
                })
            }
            _ => {
                let message = "a text is said by the template of its key, or by a table with `key`";
                self.faults.push(own::fault(node.place(), message));
                None
            }
        }
    }

    /// The fields that bring a definition into the game: `kind.pattern`.
    pub(super) fn led_by(&mut self, table: &Reading<'_, '_>) -> Vec<LedBy> {
        let mut out = Vec::new();
        for (word, node) in table.texts("led_to") {
            match word.split_once('.') {
                Some((kind, pattern)) => {
                    if let Some(kind) = self.kind_id(kind, node) {
                        out.push(LedBy { kind, pattern: pattern.to_owned(), from: None });
                    }
                }
                None => {
                    let message = said!("`{word}` names no field: write `kind.pattern`, as `stock.goods[].what`", word);
                    self.faults.push(own::fault(node.place(), message));
                }
            }
        }
        out
    }
}
