//! Records in the text of another language, found by patterns with named groups: a list with a table for each place
//! that a pattern meets, its groups as texts. Nothing else of the file is read, and nothing of it is edited.

use regex::Regex;

use super::Shape;
use super::builder::Builder;
use crate::names::{NameCache, Sym};

/// Patterns with named groups.
#[derive(Clone, Debug)]
pub(crate) struct Records(pub(crate) Vec<Regex>);

impl PartialEq for Records {
    fn eq(&self, other: &Records) -> bool {
        self.0.len() == other.0.len() && self.0.iter().zip(&other.0).all(|(one, two)| one.as_str() == two.as_str())
    }
}

impl Eq for Records {}

pub(super) fn read(text: &str, records: &Records, names: &mut NameCache<'_>, builder: &mut Builder) {
    // by place; where two patterns begin at once the first of them counts
    let all = records.0.iter().enumerate();
    let mut met: Vec<(usize, usize, regex::Captures<'_>)> =
        all.flat_map(|(nth, regex)| regex.captures_iter(text).map(move |found| (start(&found), nth, found))).collect();
    met.sort_by_key(|(start, nth, _)| (*start, *nth));
    met.dedup_by_key(|(start, ..)| *start);
    let mark = builder.mark();
    for (start, nth, found) in met {
        let whole = found.get(0).map_or(start, |whole| whole.end());
        let record = builder.mark();
        let named = records.0.get(nth).into_iter().flat_map(|regex| regex.capture_names().flatten());
        let mut groups: Vec<_> = named.filter_map(|name| Some((name, found.name(name)?))).collect();
        groups.sort_by_key(|(_, group)| group.start());
        for (name, group) in groups {
            // an empty group states nothing
            if !group.is_empty() {
                builder.leaf(names.intern(name), group.start(), Shape::Text, false, group.start(), group.end());
            }
        }
        builder.close(record, (Sym::NONE, 0), Shape::Table, start, whole);
    }
    builder.close(mark, (Sym::NONE, 0), Shape::List, 0, text.len());
}

fn start(found: &regex::Captures<'_>) -> usize {
    found.get(0).map_or(0, |whole| whole.start())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::{Document, Draft, Notation};
    use crate::names::Names;
    use crate::source::FileId;

    #[test]
    fn each_place_that_a_pattern_meets_is_a_table_of_its_groups() {
        let names = Names::new();
        let patterns = [r"eel\((?<id>\w+), *(?<price>\d*)\)", r#"reed "(?<id>\w+)""#];
        let records = Records(patterns.iter().map(|pattern| Regex::new(pattern).unwrap()).collect());
        let text = "x eel(a, 3) y reed \"b\"\neel(c, )";
        let document = Document::parse(FileId(0), Notation::records(records), text.into(), &names);
        assert_eq!(document.faults(), []);
        let shown = Draft::of(document.root(), &names).short();
        assert_eq!(shown, "[{id: a, price: 3}, {id: b}, {id: c}]");
    }
}
