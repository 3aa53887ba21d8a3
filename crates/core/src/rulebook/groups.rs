//! What is said of several fields of one table together, and of the ids of a kind.

use super::demands::{Form, number_ranges};
use super::keys;
use super::pattern::Pattern;
use super::types::SupplementId;
use crate::document::{FieldPath, Node};
use crate::names::Names;
use crate::own::{self, OwnFault, Reading};
use crate::source::Place;

/// How many of a group of fields a table states.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Counted {
    ExactlyOne,
    AtMostOne,
    AtLeastOne,
    /// If the first is there, so are the others.
    AllWithTheFirst,
    /// The two are the ends of a range, the lower one first.
    Range,
}

/// Fields that depend on each other.
#[derive(Clone, Debug)]
pub(crate) struct Group {
    /// The way to the tables that it is about.
    pub(crate) of: Pattern,
    pub(crate) counted: Counted,
    pub(crate) fields: Vec<FieldPath>,
    pub(crate) place: Place,
    /// The mod that brings it along; it holds where that is there.
    pub(crate) from: Option<SupplementId>,
}

const COUNTS: [(&str, Counted); 3] =
    [("exactly_one", Counted::ExactlyOne), ("at_most_one", Counted::AtMostOne), ("at_least_one", Counted::AtLeastOne)];

impl Group {
    pub(super) fn read(node: Node<'_>, names: &Names, faults: &mut Vec<OwnFault>) -> Vec<Group> {
        let table = Reading::new(node, &keys::GROUP, names, faults);
        let place = Place { file: node.document().file(), span: own::first_line(node) };
        let of = match Pattern::parse(&table.text("of").unwrap_or_default()) {
            Ok(pattern) => pattern,
            Err(message) => {
                faults.extend(table.get("of").map(|node| own::fault(node.place(), message)));
                return Vec::new();
            }
        };
        let mut path = |(word, node): (String, Node<'_>)| match FieldPath::parse(&word) {
            Ok(path) => Some(path),
            Err(error) => {
                faults.push(own::fault(node.place(), error.to_string()));
                None
            }
        };
        let mut groups = Vec::new();
        for (key, counted) in COUNTS {
            let fields: Vec<FieldPath> = table.texts(key).into_iter().filter_map(&mut path).collect();
            if !fields.is_empty() {
                groups.push(Group { of: of.clone(), counted, fields, place, from: None });
            }
        }
        let ends: Vec<FieldPath> = table.texts("range").into_iter().filter_map(&mut path).collect();
        let first: Vec<FieldPath> = table.texts("if").into_iter().filter_map(&mut path).collect();
        let needs: Vec<FieldPath> = table.texts("needs").into_iter().filter_map(&mut path).collect();
        match (ends.len(), table.get("range")) {
            (0, _) => {}
            (2, _) => groups.push(Group { of: of.clone(), counted: Counted::Range, fields: ends, place, from: None }),
            (_, node) => {
                let message = "`range` names two fields, the one with the lower end first";
                faults.extend(node.map(|node| own::fault(node.place(), message)));
            }
        }
        match (first.is_empty(), needs.is_empty()) {
            (false, false) => groups.extend(first.into_iter().map(|first| {
                let fields = std::iter::once(first).chain(needs.iter().cloned()).collect();
                Group { of: of.clone(), counted: Counted::AllWithTheFirst, fields, place, from: None }
            })),
            (true, true) if !groups.is_empty() || table.get("range").is_some() => {}
            _ => faults.push(
                own::fault(place, "a group says how many of its fields there are, or what a field needs beside it")
                    .help(Some("`exactly_one`, `at_most_one`, `at_least_one`, `range`; or `if` and `needs`")),
            ),
        }
        groups
    }
}

/// What the ids of a kind look like.
#[derive(Clone, Debug, Default)]
pub(crate) struct IdPolicy {
    pub(crate) form: Option<Form>,
    /// Mods' own ids begin so; `{mod}` is the mod's id.
    pub(crate) prefix: Option<String>,
    /// Numbers that mods may take for their own definitions, both ends included.
    pub(crate) ranges: Vec<(i64, i64)>,
}

impl IdPolicy {
    pub(super) fn read(node: Node<'_>, names: &Names, faults: &mut Vec<OwnFault>) -> IdPolicy {
        let table = Reading::new(node, &keys::IDS, names, faults);
        let form = table.text("pattern").and_then(|source| match Form::new(&source) {
            Ok(form) => Some(form),
            Err(message) => {
                faults.extend(table.get("pattern").map(|node| own::fault(node.place(), message)));
                None
            }
        });
        let ranges = number_ranges(&table, "ranges", faults);
        if let Some(prefix) = table.get("prefix") {
            own::filled_in(prefix, &["mod"], faults);
        }
        IdPolicy { form, prefix: table.text("prefix"), ranges }
    }
}
