//! Reading Cognomen's own files (workspace, rulebook, amendments): tables described by their keys.
//!
//! The same descriptions check a file's keys and make the reference pages, so the two cannot drift apart.

pub(crate) mod guesses;

use crate::document::{Document, FieldPath, Node, NodeId, Number, Shape};
use crate::names::Names;
use crate::nearest::nearest;
use crate::said::{Said, listed, said};
use crate::source::Place;

/// What a key of one of our own files takes.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Takes {
    /// A text.
    Text,
    /// A text or a list of texts.
    Texts,
    /// A whole number.
    Integer,
    /// Any number.
    Number,
    /// `true` or `false`.
    Boolean,
    /// A table.
    Table,
    /// A list of tables.
    Tables,
    /// Any value.
    Any,
}

impl Takes {
    /// In words, as messages and the reference say it.
    pub(crate) fn words(self) -> &'static str {
        match self {
            Takes::Text => "a text",
            Takes::Texts => "a text or a list of texts",
            Takes::Integer => "a whole number",
            Takes::Number => "a number",
            Takes::Boolean => "true or false",
            Takes::Table => "a table",
            Takes::Tables => "a list of tables",
            Takes::Any => "any value",
        }
    }

    fn fits(self, node: Node<'_>) -> bool {
        let texts = |node: Node<'_>| node.children().all(|item| item.shape() == Shape::Text);
        match self {
            Takes::Text => node.shape() == Shape::Text,
            Takes::Texts => node.shape() == Shape::Text || (node.shape() == Shape::List && texts(node)),
            Takes::Integer => node.shape() == Shape::Number && crate::document::is_whole(node.raw()),
            Takes::Number => node.shape() == Shape::Number,
            Takes::Boolean => node.shape() == Shape::Boolean,
            Takes::Table => node.shape() == Shape::Table,
            Takes::Tables => node.shape() == Shape::List && node.children().all(|item| item.shape() == Shape::Table),
            Takes::Any => true,
        }
    }
}

/// One key of a table in our own files.
#[derive(Debug)]
pub(crate) struct Key {
    /// The key.
    pub name: &'static str,
    /// What it takes.
    pub takes: Takes,
    /// Whether the table is incomplete without it.
    pub needed: bool,
    /// What it means.
    pub about: &'static str,
}

/// Earlier words for keys of some tables: the table, the earlier word, today's. They are read all the same.
const EARLIER: [(&str, &str, &str); 4] = [
    ("kinds.NAME", "abstract", "outline"),
    ("kinds.NAME", "operations", "changed_by"),
    ("amend", "which", "each"),
    ("amend.each", "if", "where"),
];

/// One table of our own files.
#[derive(Debug)]
pub(crate) struct Table {
    /// The table's path, as the reference shows it.
    pub path: &'static str,
    /// What it is for.
    pub about: &'static str,
    /// Its keys. Empty for tables whose keys the author chooses.
    pub keys: &'static [Key],
    /// A worked example.
    pub example: &'static str,
}

/// Tables as Markdown: the first with its text and example, all with their keys.
pub(crate) fn reference(tables: &[&Table]) -> String {
    let mut out = String::new();
    for table in tables {
        let about = if table.about.is_empty() { format!("Each `{}`:", table.path) } else { table.about.to_owned() };
        out.push_str(&format!("{about}\n\n| key | takes | meaning |\n|---|---|---|\n"));
        for key in table.keys {
            let needed = if key.needed { " (needed)" } else { "" };
            out.push_str(&format!("| `{}` | {}{needed} | {} |\n", key.name, key.takes.words(), key.about));
        }
        out.push('\n');
    }
    let examples: Vec<&str> = tables.iter().map(|table| table.example).collect();
    out.push_str(&format!("```toml\n{}```\n", examples.concat()));
    out
}

/// A fault in one of our own files.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct OwnFault {
    /// Where.
    pub place: Place,
    /// What is wrong: a lower-case phrase.
    pub message: Said,
    /// What to do.
    pub help: Option<Said>,
    /// A second place that helps, and what is there.
    pub second: Option<(Place, Said)>,
    /// A word at the place, and the only one that it can be meant to be.
    pub instead: Option<(String, String)>,
}

impl OwnFault {
    pub(crate) fn help(mut self, help: Option<impl Into<Said>>) -> OwnFault {
        self.help = help.map(Into::into);
        self
    }

    pub(crate) fn second(mut self, second: Option<(Place, Said)>) -> OwnFault {
        self.second = second;
        self
    }

    pub(crate) fn instead(mut self, instead: Option<(String, String)>) -> OwnFault {
        self.instead = instead;
        self
    }
}

/// Tells the words in braces of a template that nothing fills in; whether there are none.
pub(crate) fn filled_in(template: Node<'_>, known: &[&str], faults: &mut Vec<OwnFault>) -> bool {
    let before = faults.len();
    let text = template.text().into_owned();
    for part in text.split('{').skip(1) {
        let Some((word, _)) = part.split_once('}').filter(|(word, _)| !known.contains(word)) else { continue };
        let near = crate::nearest::near(word, known.iter().copied());
        let all: Vec<String> = known.iter().map(|word| format!("`{{{word}}}`")).collect();
        let help = match near {
            Some(near) => said!("the nearest that is filled in is `{{{nearest}}}`", nearest = near.word),
            None => said!("filled in are {known}", known = listed(all)),
        };
        let message = said!("nothing fills in `{{{word}}}` here", word);
        let instead = near.and_then(|near| near.instead_of(word));
        faults.push(fault(template.place(), message).help(Some(help)).instead(instead));
    }
    faults.len() == before
}

/// A table being read; its faults are collected.
pub(crate) struct Reading<'d, 'f> {
    pub(crate) node: Node<'d>,
    table: &'static str,
    names: &'f Names,
}

impl<'d, 'f> Reading<'d, 'f> {
    /// Checks the keys of a table against their description.
    pub(crate) fn new(node: Node<'d>, table: &Table, names: &'f Names, faults: &mut Vec<OwnFault>) -> Reading<'d, 'f> {
        Reading::beside(node, (table, &[]), names, faults)
    }

    /// As [`Self::new`], where a key may have been meant for another table.
    pub(crate) fn beside(
        node: Node<'d>,
        (table, others): (&Table, &[&Table]),
        names: &'f Names,
        faults: &mut Vec<OwnFault>,
    ) -> Reading<'d, 'f> {
        for child in node.children() {
            let Some(name) = child.key().map(|key| names.text(key)) else { continue };
            let earlier = EARLIER.iter().find(|(of, earlier, _)| *of == table.path && *earlier == name);
            let today = earlier.map_or(name, |(.., today)| today);
            match table.keys.iter().find(|key| key.name == today) {
                Some(key) if !key.takes.fits(child) => faults.push(
                    fault(
                        child.place(),
                        said!(
                            "`{key}` takes {wanted}, not {found}",
                            key = name,
                            wanted = key.takes.words(),
                            found = child.shape().words()
                        ),
                    )
                    .help(guesses::in_other_shape(table.path, name).map(Said::from)),
                ),
                Some(_) => {}
                None => {
                    let known = table.keys.iter().map(|key| key.name);
                    let other = others.iter().find(|other| other.keys.iter().any(|key| key.name == name));
                    let help = match (other, nearest(name, known.clone())) {
                        _ if let Some(meant) = guesses::meant(table.path, name) => Said::from(meant.to_owned()),
                        (Some(other), _) => said!("`{key}` is said in `{table}`", key = name, table = other.path),
                        (None, Some(near)) => said!("the nearest known key is `{nearest}`", nearest = near),
                        (None, None) => said!("known here: {known}", known = listed(known)),
                    };
                    faults.push(
                        fault(
                            Place { file: child.document().file(), span: child.key_span() },
                            said!("`{table}` has no key `{key}`", table = table.path, key = name),
                        )
                        .help(Some(help)),
                    );
                }
            }
        }
        for key in table.keys.iter().filter(|key| key.needed) {
            if node.get_named(key.name, names).is_none() {
                let mut place = node.place();
                place.span = first_line(node);
                faults.push(
                    fault(place, said!("`{table}` lacks the key `{key}`", table = table.path, key = key.name))
                        .help(Some(said!("{key}: {about}", key = key.name, about = key.about))),
                );
            }
        }
        Reading { node, table: table.path, names }
    }

    pub(crate) fn get(&self, key: &str) -> Option<Node<'d>> {
        let earlier = || EARLIER.iter().find(|(of, _, today)| *of == self.table && *today == key);
        self.node.get_named(key, self.names).or_else(|| self.node.get_named(earlier()?.1, self.names))
    }

    pub(crate) fn text(&self, key: &str) -> Option<String> {
        let node = self.get(key).filter(|node| node.shape() == Shape::Text)?;
        Some(node.text().into_owned())
    }

    /// A text or the texts of a list, each with its node.
    pub(crate) fn texts(&self, key: &str) -> Vec<(String, Node<'d>)> {
        let Some(node) = self.get(key) else { return Vec::new() };
        texts(node)
    }

    pub(crate) fn boolean(&self, key: &str) -> bool {
        self.get(key).is_some_and(Node::is_true)
    }

    pub(crate) fn number(&self, key: &str) -> Option<Number> {
        let node = self.get(key).filter(|node| node.shape() == Shape::Number)?;
        Number::parse(node.raw())
    }

    /// A field path, with a fault if it is none.
    pub(crate) fn path(&self, key: &str, faults: &mut Vec<OwnFault>) -> Option<FieldPath> {
        let text = self.text(key)?;
        read_path((text, self.get(key)?), faults)
    }

    /// The field paths of a text or a list of them.
    pub(crate) fn paths(&self, key: &str, faults: &mut Vec<OwnFault>) -> Vec<FieldPath> {
        self.texts(key).into_iter().filter_map(|one| read_path(one, faults)).collect()
    }
}

fn read_path((text, node): (String, Node<'_>), faults: &mut Vec<OwnFault>) -> Option<FieldPath> {
    match FieldPath::parse(&text) {
        Ok(path) => Some(path),
        Err(error) => {
            faults.push(fault(node.place(), error.to_string()));
            None
        }
    }
}

/// A text, or the texts of a list, each with its node.
pub(crate) fn texts(node: Node<'_>) -> Vec<(String, Node<'_>)> {
    match node.shape() {
        Shape::Text => vec![(node.text().into_owned(), node)],
        Shape::List => node.children().map(|item| (item.text().into_owned(), item)).collect(),
        _ => Vec::new(),
    }
}

/// The first line of a table, so that a mark does not cover the whole of it.
pub(crate) fn first_line(node: Node<'_>) -> crate::source::Span {
    let span = node.span();
    let len = node.raw().find(['\n', '\r']).unwrap_or(node.raw().len());
    crate::source::Span::new(span.start as usize, span.start as usize + len)
}

pub(crate) fn fault(place: Place, message: impl Into<Said>) -> OwnFault {
    OwnFault { place, message: message.into(), help: None, second: None, instead: None }
}

/// The faults of notation of one of our own files, as faults of that file.
pub(crate) fn syntax(document: &Document) -> Vec<OwnFault> {
    let at = |span| Place { file: document.file(), span };
    let one = |fault: &crate::document::Fault| OwnFault {
        place: at(fault.span),
        message: fault.message.clone(),
        // a path as it is copied from a window of Windows
        help: fault.message.to_string().contains("escaped value").then(|| {
            "a backslash begins an escape; paths are written with forward slashes, as `../the-game/data`".into()
        }),
        second: fault.second.as_ref().map(|(span, text)| (at(*span), text.clone())),
        instead: None,
    };
    document.faults().iter().map(one).collect()
}

/// Checks the format number under `key`: newer formats are refused with what to do.
pub(crate) fn format_number(document: &Document, key: &str, names: &Names, faults: &mut Vec<OwnFault>) -> bool {
    let root = document.root();
    let whole = |id: NodeId| Place { file: document.file(), span: first_line(document.node(id)) };
    match root.get_named(key, names) {
        Some(node) if node.raw() == "1" => true,
        Some(node) if crate::document::is_whole(node.raw()) && node.shape() == Shape::Number => {
            faults.push(
                fault(
                    node.place(),
                    said!(
                        "`{key} = {value}` is a format that this version of Cognomen does not know",
                        key,
                        value = node.raw()
                    ),
                )
                .help(Some("it reads format 1; a newer version of Cognomen reads this file")),
            );
            false
        }
        Some(node) => {
            faults.push(fault(node.place(), said!("`{key}` takes the format's number, which is 1", key)));
            false
        }
        None => {
            faults.push(
                fault(whole(root.id()), said!("the format number is missing: `{key} = 1`", key))
                    .help(Some(said!("write `{key} = 1` as the first line", key))),
            );
            false
        }
    }
}
