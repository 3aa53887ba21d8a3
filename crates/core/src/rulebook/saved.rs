//! `[[saved]]`: where ids stand in a saved game.

use super::keys;
use super::load::Loader;
use super::pattern::Pattern;
use super::types::KindId;
use crate::document::{Document, Format, Node, Shape};
use crate::own::{self, Reading};
use crate::said::said;

/// Saved games of one form.
#[derive(Debug)]
pub(crate) struct SavedRule {
    /// Below the game's folder.
    pub(crate) files: Vec<String>,
    pub(crate) globs: globset::GlobSet,
    pub(crate) format: Option<Format>,
    pub(crate) ids: Vec<SavedIds>,
    /// What becomes of what an id that is not known stands for.
    pub(crate) lost: Option<String>,
}

/// Ids at one place of a saved game.
#[derive(Debug)]
pub(crate) struct SavedIds {
    pub(crate) at: Pattern,
    pub(crate) kinds: Vec<KindId>,
    /// The field whose values these are, where it is not the id.
    pub(crate) field: Option<Pattern>,
}

impl<'d> Loader<'d> {
    pub(super) fn saved(&mut self, document: &'d Document) {
        let all = document.root().get_named("saved", self.names).filter(|node| node.shape() == Shape::List);
        for node in all.into_iter().flat_map(|all| all.children()).filter(|node| node.shape() == Shape::Table) {
            let table = Reading::new(node, &keys::SAVED, self.names, &mut self.faults);
            let patterns = table.texts("files");
            let globs = self.globs(&patterns);
            let format = table.get("format").and_then(|node| {
                let format = Format::named(&node.text());
                if format.is_none() {
                    let message = said!("`{value}` is no format: json, toml, yaml, xml or csv", value = node.text());
                    self.faults.push(own::fault(node.place(), message));
                }
                format
            });
            let lost = table.text("lost");
            let listed = table.get("ids").map(|list| list.children().collect::<Vec<_>>()).unwrap_or_default();
            let ids = listed.into_iter().filter(|node| node.shape() == Shape::Table);
            let ids = ids.filter_map(|node| self.saved_ids(node)).collect();
            let files = patterns.into_iter().map(|(pattern, _)| pattern).collect();
            self.rulebook.saved.push(SavedRule { files, globs, format, ids, lost });
        }
    }

    fn saved_ids(&mut self, node: Node<'d>) -> Option<SavedIds> {
        let table = Reading::new(node, &keys::SAVED_IDS, self.names, &mut self.faults);
        let at = self.pattern_at(&table.text("at")?, table.get("at")?)?;
        match (table.get("kind"), table.get("field")) {
            (Some(_), None) => {
                let kinds = table.texts("kind");
                let kinds = kinds.into_iter().filter_map(|(name, node)| self.kind_id(&name, node)).collect();
                Some(SavedIds { at, kinds, field: None })
            }
            (None, Some(node)) => {
                let text = node.text().into_owned();
                let Some((kind, field)) = text.split_once('.') else {
                    self.faults.push(
                        own::fault(node.place(), said!("`{text}` is no field of a kind", text))
                            .help(Some("the kind, a point and the field: `stock.shelf`")),
                    );
                    return None;
                };
                let kind = self.kind_id(kind, node)?;
                let field = self.pattern_at(field, node)?;
                Some(SavedIds { at, kinds: vec![kind], field: Some(field) })
            }
            _ => {
                self.faults.push(
                    own::fault(node.place(), "either `kind` or `field` says what the ids are")
                        .help(Some("`kind = \"item\"`, or `field = \"stock.shelf\"`")),
                );
                None
            }
        }
    }

    fn pattern_at(&mut self, text: &str, node: Node<'_>) -> Option<Pattern> {
        Pattern::parse(text).map_err(|error| self.faults.push(own::fault(node.place(), error))).ok()
    }
}
