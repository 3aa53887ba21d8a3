//! The keys of texts that belong to what is renamed.

use super::{Plan, Renamed, reworded};
use crate::author::requirement::made_with;
use crate::document::{Draft, Edit, Node, Shape, Step};
use crate::names::Names;

impl Plan<'_> {
    /// Another key for a text; where tables stand in each other, for the one of them that says the id, if all in it
    /// belongs to that.
    pub(super) fn text_key(&mut self, entry: Node<'_>, (old, new): (&str, &str), renamed: &Renamed, of_it: &[String]) {
        let (names, rule) = (&self.catalog.names, self.catalog.rulebook.texts.as_ref());
        let Some(mark) = rule.and_then(|rule| rule.nested.as_deref()) else { return self.rewrites.key(entry, new) };
        let key = |node: Node<'_>| node.key().map_or(String::new(), |key| names.text(key).to_owned());
        let (mut chain, mut whole) = (vec![entry], key(entry));
        while whole != old {
            let Some(above) = chain.last().and_then(|node| node.parent()) else { return };
            whole = format!("{}{mark}{whole}", key(above));
            chain.push(above);
        }
        chain.reverse();
        let words: Vec<String> = chain.iter().map(|node| key(*node)).collect();
        let with = |nth: usize, other: &str| {
            let word = |(at, word): (usize, &String)| if at == nth { other.to_owned() } else { word.clone() };
            words.iter().enumerate().map(word).collect::<Vec<_>>()
        };
        let other = words.iter().enumerate().find_map(|(nth, word)| {
            let other = reworded(word, &renamed.old, &renamed.new, |other| with(nth, other).join(mark) == new)?;
            Some((nth, other))
        });
        let Some((nth, other)) = other else { return self.rewrites.key(entry, new) };
        let Some(said) = chain.get(nth) else { return };
        let before = words.get(..=nth).unwrap_or_default().join(mark);
        if texts_below(*said, &before, mark, names).iter().all(|text| of_it.contains(text)) {
            return self.rewrites.key(*said, &other);
        }
        // what else is in the table stays there
        let document = entry.document();
        let at = document.path_to(entry.id(), names);
        let depth = at.steps().len() - words.len();
        let keys = with(nth, &other).into_iter().map(Step::Key).collect::<Vec<_>>();
        let to = at.take(depth).join(&keys.into());
        self.rewrites.edit(document.file(), made_with(document, to, Draft::of(entry, names), names));
        self.rewrites.edit(document.file(), Edit::Remove { at });
    }
}

/// The keys of the texts in a table, and in those in it.
fn texts_below(node: Node<'_>, before: &str, mark: &str, names: &Names) -> Vec<String> {
    if node.shape() != Shape::Table {
        return vec![before.to_owned()];
    }
    let key = |child: Node<'_>| child.key().map_or(String::new(), |key| names.text(key).to_owned());
    let below = |child: Node<'_>| texts_below(child, &format!("{before}{mark}{}", key(child)), mark, names);
    node.children().flat_map(below).collect()
}
