//! Where in a file definitions stand, as far as its shape tells.

use std::collections::{BTreeMap, BTreeSet};

use super::{DEFINITIONS, Found, IDS, OF_FILES, is_table, singular};
use crate::document::{Document, Format, Node, Shape};
use crate::names::Names;

/// What a file holds: lists and tables of definitions, or one definition.
pub(super) fn pieces<'d>(path: &'d str, document: &'d Document, names: &Names) -> Vec<Found<'d>> {
    let keys_of = |node: Node<'_>| -> BTreeSet<String> {
        node.children().filter_map(|child| Some(names.text(child.key()?).to_owned())).collect()
    };
    let made = |cut: String, word: Option<String>, definitions: Vec<Node<'d>>| Found {
        files: vec![path.to_owned()],
        patterns: Vec::new(),
        kind: String::new(),
        cut,
        word,
        keys: definitions.iter().flat_map(|node| keys_of(*node)).collect(),
        definitions: definitions.into_iter().take(DEFINITIONS).map(|node| (path, node)).collect(),
        notation: None,
        name: String::new(),
        ids: BTreeSet::new(),
    };
    let mut out = Vec::new();
    let root = document.root();
    let mut take = |cut: String, word: Option<String>, definitions: Vec<Node<'d>>| {
        let found = made(cut, word, definitions);
        // elements that repeat and have no names are a part of what they stand in
        let named = |key: &String| IDS.contains(&key.to_lowercase().as_str()) || key.to_lowercase().ends_with("id");
        let few = document.format() == Format::Xml && found.definitions.len() <= 3;
        if !few || found.keys.iter().any(named) {
            out.push(found);
        }
    };
    collect(root, String::new(), None, 0, &mut take, names);
    if out.is_empty() && is_table(&root) {
        // the one element that a file of XML has
        let keys = keys_of(root);
        let only = root.children().next().filter(|_| document.format() == Format::Xml && keys.len() == 1);
        let cut = only.and_then(|_| keys.first().cloned());
        let found = made(cut.clone().unwrap_or_default(), cut, vec![only.unwrap_or(root)]);
        out.extend((!found.keys.is_empty()).then_some(found));
    }
    out
}

/// The lists and tables of definitions in a value, the outermost ones.
fn collect<'d>(
    node: Node<'d>,
    cut: String,
    word: Option<String>,
    depth: usize,
    found: &mut dyn FnMut(String, Option<String>, Vec<Node<'d>>),
    names: &Names,
) {
    let children: Vec<Node<'d>> = node.children().collect();
    let tables = !children.is_empty() && children.iter().all(is_table);
    match node.shape() {
        Shape::List if tables => found(format!("{cut}[]"), word, children),
        Shape::Table => {
            let xml = node.document().format() == Format::Xml;
            // one table alone under the root is a table of one, if it has values
            let plain_in = |child: &Node<'_>| child.children().any(|value| !is_table(&value));
            let one = depth == 0 && tables && children.len() == 1 && children.iter().all(plain_in);
            let alike = one || children.len() > 1 && tables && share_fields(&children, names);
            // sections with ids of their own are called by what they are, not by which
            let ids =
                |child: &Node<'_>| child.children().any(|value| value.key().is_some_and(|key| is_id(names.text(key))));
            let lines = node.document().format() == Format::Described;
            if depth == 0 && lines && tables && children.iter().all(ids) {
                for child in children {
                    let Some(key) = child.key().map(|key| names.text(key).to_owned()) else { continue };
                    found(format!("{}[]", as_step(&key)), Some(key), vec![child]);
                }
                return;
            }
            // an element that stands alone is a list of one where others of its sort are lists
            if alike && !xml {
                return found(format!("{cut}{{}}"), word, children);
            }
            if depth >= 3 {
                return;
            }
            // a table with values of its own is a definition, and its lists are its own
            let plain = |child: &&Node<'_>| match child.shape() {
                Shape::Table => false,
                Shape::List => !child.is_empty() && !child.children().all(|entry| is_table(&entry)),
                _ => true,
            };
            let values = children.iter().filter(plain).count();
            let named = |child: &Node<'_>| child.key().is_some_and(|key| IDS.contains(&names.text(key)));
            let of_file = |child: &&Node<'_>| child.key().is_some_and(|key| OF_FILES.contains(&names.text(key)));
            let of_files = children.iter().filter(plain).filter(of_file).count();
            let own = match depth {
                0 => values > of_files + 1 || children.iter().filter(plain).any(named),
                1 if xml => false,
                _ => values > 0,
            };
            if own {
                return;
            }
            let number = children.len();
            for child in children {
                let Some(key) = child.key().map(|key| names.text(key).to_owned()) else { continue };
                let quoted = as_step(&key);
                let below = if cut.is_empty() { quoted } else { format!("{cut}.{quoted}") };
                // an element that stands alone is a list of one, unless it holds lists and nothing else
                let holds = |node: &Node<'_>| {
                    !node.is_empty() && node.children().all(|child| matches!(child.shape(), Shape::List | Shape::Table))
                };
                if xml && depth == 1 && is_table(&child) && !holds(&child) {
                    if number == 1 || word.as_deref().is_some_and(|word| singular(word) == singular(&key)) {
                        found(format!("{below}[]"), Some(key), vec![child]);
                    }
                    continue;
                }
                collect(child, below, Some(key), depth + 1, found, names);
            }
        }
        _ => {}
    }
}

/// A key as a step of a path.
fn as_step(key: &str) -> String {
    if key.contains(['.', '[', '{', '"']) { format!("\"{key}\"") } else { key.to_owned() }
}

/// Whether a field of that name holds an id, and nothing for people.
fn is_id(key: &str) -> bool {
    let key = key.to_lowercase();
    IDS.contains(&key.as_str()) && !matches!(key.as_str(), "name" | "type" | "code")
}

/// Whether tables are of one sort: most of them have a field in common.
fn share_fields(tables: &[Node<'_>], names: &Names) -> bool {
    let mut number: BTreeMap<&str, usize> = BTreeMap::new();
    for table in tables {
        for key in table.children().filter_map(|child| child.key()) {
            *number.entry(names.text(key)).or_default() += 1;
        }
    }
    let empty = tables.iter().filter(|table| table.is_empty()).count();
    number.values().any(|number| number * 2 >= tables.len() - empty && *number > 1)
}
