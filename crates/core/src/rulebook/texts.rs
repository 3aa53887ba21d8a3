//! `[texts]`: where texts stand.

use super::fields::Fields;
use super::keys;
use super::load::Loader;
use super::notations::notation_named;
use super::pattern::{Pattern, PatternStep};
use super::types::TypeId;
use crate::document::{Node, Notation};
use crate::names::Sym;
use crate::own::{self, Reading};
use crate::said::said;

/// Where the texts of the game stand, and how.
#[derive(Debug)]
pub(crate) struct TextsRule {
    /// How the files are written, where their names do not tell.
    pub(crate) notation: Option<Notation>,
    pub(crate) files: Vec<(globset::GlobMatcher, String)>,
    /// Where in a file they stand, and what the file is read as, where that has lists.
    pub(crate) cut: Pattern,
    pub(crate) root: Option<TypeId>,
    /// What stands between the keys of tables in tables, where these are read.
    pub(crate) nested: Option<String>,
    pub(crate) key: Sym,
    pub(crate) text: Sym,
    pub(crate) main: String,
    /// Those that the game has; without any, all.
    pub(crate) languages: Vec<String>,
    /// What a token looks like, with a group for its name.
    pub(crate) token: Option<regex::Regex>,
}

impl<'d> Loader<'d> {
    pub(super) fn texts(&mut self, node: Node<'d>) {
        let table = Reading::new(node, &keys::TEXTS, self.names, &mut self.faults);
        let mut files = Vec::new();
        for (pattern, node) in table.texts("files") {
            // several words in braces are the pattern's own
            if !super::template::names_in(&pattern).any(|word| word.contains(',')) {
                own::filled_in(node, &["language"], &mut self.faults);
            }
            let glob = pattern.replace("{language}", "*");
            files.extend(self.glob(&glob, node).map(|glob| (glob.compile_matcher(), pattern)));
        }
        let token = table.text("token").and_then(|source| match regex::Regex::new(&source) {
            Ok(regex) if regex.captures_len() == 2 => Some(regex),
            _ => {
                let message =
                    said!("`{source}` is no pattern with one group in parentheses, for the token's name", source);
                self.faults.extend(table.get("token").map(|node| own::fault(node.place(), message)));
                None
            }
        });
        self.readable(&table, &table.texts("files"));
        let notation = notation_named(&table, &self.rulebook.notations, &mut self.faults);
        let cut = self.pattern(&table, "cut").unwrap_or_default();
        let named = |step: &PatternStep| matches!(step, PatternStep::Keys | PatternStep::At(_));
        if let Some(node) = table.get("cut").filter(|_| cut.0.iter().any(named)) {
            self.faults.push(
                own::fault(node.place(), said!("`{cut}` leads to no tables of texts", cut))
                    .help(Some("as `words`, `words.word[]` or `{}`")),
            );
        }
        let key = table.text("key").unwrap_or_else(|| "key".to_owned());
        let text = table.text("text").unwrap_or_else(|| "text".to_owned());
        // an element alone is a list of one, too
        let root = cut.0.contains(&PatternStep::Entries).then(|| {
            let mut fields = Fields::new(
                self.names,
                (&self.rulebook.by_name, &self.rulebook.vocabularies),
                (&self.parts, &self.made),
                &mut self.faults,
            );
            for field in [&key, &text] {
                fields.implied_list(&Pattern([&cut.0[..], &[PatternStep::Key(field.clone())]].concat()));
            }
            fields.finish(&mut self.rulebook.types, true)
        });
        let nested = table.text("nested");
        if let Some(node) = table.get("nested") {
            let message = match nested.as_deref() {
                Some("") => Some("something must stand between the keys of tables in tables"),
                _ if root.is_some() => Some("entries with their key in a field do not stand in each other"),
                _ => None,
            };
            self.faults.extend(message.map(|message| own::fault(node.place(), message)));
        }
        self.rulebook.texts = Some(TextsRule {
            notation,
            files,
            nested: nested.filter(|mark| !mark.is_empty() && root.is_none()),
            cut,
            root,
            key: self.names.intern(&key),
            text: self.names.intern(&text),
            main: table.text("main").unwrap_or_else(|| "en".to_owned()),
            languages: table.texts("languages").into_iter().map(|(word, _)| word).collect(),
            token,
        });
    }
}
