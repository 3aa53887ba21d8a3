//! The texts that a file holds.

use std::borrow::Cow;

use super::harvest::Harvest;
use super::{CodedFault, TextEntry};
use crate::document::{Document, Node, Shape};
use crate::names::Names;
use crate::own;
use crate::rulebook::{PatternStep, Rulebook, TextsRule};
use crate::said::said;
use crate::source::Place;

/// Reads the texts of a file; one in which none is where they are looked for is told.
pub(super) fn texts(
    document: &Document,
    language: Option<&str>,
    rulebook: &Rulebook,
    names: &Names,
    harvest: &mut Harvest,
) {
    let Some(rule) = &rulebook.texts else { return };
    let root = document.root();
    let reader = TextReader { rule, names };
    reader.cut(root, &rule.cut.0, language, &mut harvest.texts);
    let nothing = harvest.texts.is_empty() && !document.is_broken();
    if nothing && matches!(root.shape(), Shape::Table | Shape::List) && !reader.is_bare(root, &rule.cut.0) {
        let mut all = root.children();
        let only = all.next().filter(|only| only.shape() == Shape::Table && all.next().is_none());
        let mut span = own::first_line(root);
        let in_tables =
            |node: Node<'_>| holds_texts(node) && node.children().any(|child| child.shape() == Shape::Table);
        let help = match only.map(|only| (only, only.key().map_or("", |key| names.text(key)))) {
            _ if rule.cut.0.is_empty() && (in_tables(root) && only.is_none() || only.is_some_and(in_tables)) => {
                "`nested = \".\"` under `[texts]` reads tables that stand in each other".into()
            }
            _ if !rule.cut.0.is_empty() => said!("it looks at `{cut}`", cut = rule.cut),
            Some((only, name)) => {
                span = only.key_span();
                let mut within = only.children();
                let entry = within.find(|entry| matches!(entry.shape(), Shape::List | Shape::Table));
                let below = entry.and_then(|entry| entry.key()).map(|key| {
                    said!(
                        ", or with `cut = \"{name}.{inner}[]\"` where the key is a field of the entries",
                        name,
                        inner = names.text(key)
                    )
                });
                said!("`cut = \"{name}\"` under `[texts]` looks into `{name}`{below}", name, below)
            }
            None => "`cut` under `[texts]` says where in a file the texts stand".into(),
        };
        let place = Place { file: document.file(), span };
        let message = "nothing in this file stands where the game looks for texts";
        let fault = own::fault(place, message).help(Some(help));
        harvest.own_faults.push(CodedFault { code: "file-not-read", fault });
    }
}

/// Whether something is a table of texts, or of such tables.
fn holds_texts(node: Node<'_>) -> bool {
    let within = |child: Node<'_>| child.shape() == Shape::Text || holds_texts(child);
    node.shape() == Shape::Table && !node.is_empty() && node.children().all(within)
}

struct TextReader<'r> {
    rule: &'r TextsRule,
    names: &'r Names,
}

impl TextReader<'_> {
    /// The texts below a node, at the end of a way.
    fn cut(&self, node: Node<'_>, way: &[PatternStep], language: Option<&str>, out: &mut Vec<TextEntry>) {
        let Some((step, rest)) = way.split_first() else { return self.table(node, "", language, out) };
        match step {
            PatternStep::Key(key) => {
                node.get_named(key, self.names).into_iter().for_each(|next| self.cut(next, rest, language, out));
            }
            PatternStep::Values | PatternStep::Keys => {
                for next in node.children() {
                    let own = next.key().map(|key| self.names.text(key));
                    self.cut(next, rest, language.or(own), out);
                }
            }
            PatternStep::Entries if rest.is_empty() => {
                let all: Vec<Node<'_>> = match node.shape() {
                    Shape::List => node.children().collect(),
                    _ => vec![node],
                };
                all.into_iter().for_each(|row| self.row(row, language, out));
            }
            PatternStep::Entries | PatternStep::At(_) => {
                node.children().for_each(|next| self.cut(next, rest, language, out));
            }
        }
    }

    /// Whether a file has nothing in it but the way to where texts would stand.
    fn is_bare(&self, node: Node<'_>, way: &[PatternStep]) -> bool {
        match way.split_first() {
            _ if node.is_empty() => true,
            Some((PatternStep::Key(key), rest)) => {
                let next = node.get_named(key, self.names).filter(|_| node.len() == 1);
                next.is_some_and(|next| self.is_bare(next, rest))
            }
            Some((_, rest)) => node.children().all(|next| self.is_bare(next, rest)),
            None => false,
        }
    }

    /// A table of key and text, or rows.
    fn table(&self, node: Node<'_>, above: &str, language: Option<&str>, out: &mut Vec<TextEntry>) {
        match node.shape() {
            Shape::Table => {
                let language = language.unwrap_or(&self.rule.main);
                for entry in node.children() {
                    let own = entry.key().map_or("", |key| self.names.text(key));
                    let key: Cow<'_, str> = if above.is_empty() { own.into() } else { format!("{above}{own}").into() };
                    match (entry.shape(), &self.rule.nested) {
                        (Shape::Table, Some(mark)) => {
                            self.table(entry, &format!("{key}{mark}"), Some(language), out);
                        }
                        (Shape::Text, _) => out.push(TextEntry::new(&key, language, entry)),
                        // a key that repeats, in a notation in which that makes a list
                        (Shape::List, _) => {
                            let all = entry.children().filter(|item| item.shape() == Shape::Text);
                            all.for_each(|item| out.push(TextEntry::new(&key, language, item)));
                        }
                        _ => {}
                    }
                }
            }
            Shape::List if above.is_empty() => node.children().for_each(|row| self.row(row, language, out)),
            _ => {}
        }
    }

    /// A key with its text, or with one for each language.
    fn row(&self, row: Node<'_>, language: Option<&str>, out: &mut Vec<TextEntry>) {
        let Some(key) = row.get(self.rule.key).map(|node| node.text().into_owned()) else { return };
        for cell in row.children() {
            match (cell.key(), language) {
                (Some(column), _) if column == self.rule.key => {}
                (Some(column), _) if column == self.rule.text => {
                    out.push(TextEntry::new(&key, language.unwrap_or(&self.rule.main), cell));
                }
                (Some(column), None) => out.push(TextEntry::new(&key, self.names.text(column), cell)),
                _ => {}
            }
        }
    }
}
