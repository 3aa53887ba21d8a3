//! Words in a script, found by patterns: a table with one text for each place that one of them meets, under the
//! pattern's number. Nothing else of the file is read, and nothing of it is edited.

use regex::Regex;

use super::Shape;
use super::builder::Builder;
use crate::names::{NameCache, Sym};

/// Patterns with one group each, and their numbers.
#[derive(Clone, Debug)]
pub(crate) struct Words(pub(crate) Vec<(usize, Regex)>);

impl PartialEq for Words {
    fn eq(&self, other: &Words) -> bool {
        let key =
            |words: &Words| words.0.iter().map(|(at, regex)| (*at, regex.as_str().to_owned())).collect::<Vec<_>>();
        key(self) == key(other)
    }
}

impl Eq for Words {}

/// Where the patterns meet: the bytes of their group, and the number of the pattern, in order of place.
pub(super) fn found(text: &str, words: &Words) -> Vec<(usize, usize, usize)> {
    let mut found: Vec<(usize, usize, usize)> = Vec::new();
    for (nth, regex) in &words.0 {
        let groups = regex.captures_iter(text).filter_map(|captures| captures.get(1));
        found.extend(groups.map(|group| (group.start(), group.end(), *nth)));
    }
    found.sort_unstable();
    found
}

pub(super) fn read(text: &str, words: &Words, names: &mut NameCache<'_>, builder: &mut Builder) {
    let mark = builder.mark();
    for (start, end, nth) in found(text, words) {
        builder.leaf(names.intern(&nth.to_string()), start, Shape::Text, false, start, end);
    }
    builder.close(mark, (Sym::NONE, 0), Shape::Table, 0, text.len());
}
