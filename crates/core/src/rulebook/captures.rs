//! `[[captures]]`: which lines of a log mean what; and `[pack]`.

use super::keys;
use super::load::Loader;
use super::template::names_in;
use super::types::KindId;
use crate::document::{Document, FieldPath, Node, Shape};
use crate::own::{self, Reading};
use crate::said::said;

/// Lines of a log that become entries of a list, or values of fields.
#[derive(Debug)]
pub(crate) struct Capture {
    pub(crate) name: String,
    pub(crate) line: regex::Regex,
    pub(crate) session: Option<regex::Regex>,
    /// Groups with the words by which the game refuses a line.
    pub(crate) unfit: Vec<(String, Vec<String>)>,
    pub(crate) kind: KindId,
    /// The list that takes entries; nothing where fields of the definition take values.
    pub(crate) list: Option<FieldPath>,
    /// Fields with the texts that are read as their values.
    pub(crate) entry: Vec<(FieldPath, String)>,
}

/// How a mod is packed; `{id}` and `{version}` are filled in.
#[derive(Clone, Debug, Default)]
pub(crate) struct PackRule {
    pub(crate) name: Option<String>,
    pub(crate) folder: Option<String>,
}

impl<'d> Loader<'d> {
    pub(super) fn captures(&mut self, document: &'d Document) {
        let all = document.root().get_named("captures", self.names).filter(|node| node.shape() == Shape::List);
        for node in all.into_iter().flat_map(|all| all.children()).filter(|node| node.shape() == Shape::Table) {
            if let Some(capture) = self.capture(node) {
                self.rulebook.captures.push(capture);
            }
        }
    }

    fn capture(&mut self, node: Node<'d>) -> Option<Capture> {
        let names = self.names;
        let table = Reading::new(node, &keys::CAPTURES, names, &mut self.faults);
        let (line, session) = (self.searched(&table, "line"), self.searched(&table, "session"));
        let line = line?;
        let groups: Vec<&str> = line.capture_names().flatten().collect();
        let mut unknown = |word: &str, node: Node<'_>| {
            self.faults.push(
                own::fault(node.place(), said!("`line` has no group `{word}`", word)).help(
                    crate::nearest::nearest(word, groups.iter().copied())
                        .map(|near| said!("the nearest is `{nearest}`", nearest = near)),
                ),
            );
        };
        let mut unfit = Vec::new();
        for node in table.get("unfit").into_iter().flat_map(|table| table.children()) {
            let group = node.key().map_or("", |key| names.text(key)).to_owned();
            if !groups.contains(&group.as_str()) {
                unknown(&group, node);
            }
            unfit.push((group, own::texts(node).into_iter().map(|(word, _)| word).collect()));
        }
        let mut entry = Vec::new();
        let mut paths = Vec::new();
        for node in table.get("entry").into_iter().flat_map(|table| table.children()) {
            let text = node.text().into_owned();
            for name in names_in(&text) {
                if !groups.contains(&name) {
                    unknown(name, node);
                }
            }
            paths.push((node.key().map_or("", |key| names.text(key)).to_owned(), node, text));
        }
        for (key, node, text) in paths {
            match FieldPath::parse(&key) {
                Ok(path) => entry.push((path, text)),
                Err(error) => self.faults.push(own::fault(node.place(), error.to_string())),
            }
        }
        let into = table.text("into")?;
        let place = table.get("into")?;
        let (kind, list) = match into.split_once('.') {
            Some((kind, list)) => (kind, Some(list)),
            None => (into.as_str(), None),
        };
        let kind = self.kind_id(kind, place)?;
        let list = match list.map(|list| list.strip_suffix("[]").ok_or(list)) {
            None => None,
            Some(Ok(list)) => match FieldPath::parse(list) {
                Ok(path) => Some(path),
                Err(error) => {
                    self.faults.push(own::fault(place.place(), error.to_string()));
                    return None;
                }
            },
            Some(Err(list)) => {
                self.faults.push(own::fault(place.place(), said!("`{list}` is no list: it ends in `[]`", list)).help(
                    Some(said!("`into = \"{into}[]\"`, or the kind alone, with the fields under `entry`", into)),
                ));
                return None;
            }
        };
        // that the fields are there is looked at once all kinds are read
        let above = list.clone();
        let root = self.rulebook.kinds.get(kind.0 as usize)?.root;
        for (path, _) in &entry {
            let mut steps: Vec<crate::document::Step> = Vec::new();
            if let Some(list) = &above {
                steps.extend(list.steps().iter().cloned());
                steps.push(crate::document::Step::Index(0));
            }
            steps.extend(path.steps().iter().cloned());
            let full = FieldPath::from(steps);
            if self.rulebook.type_at(root, &full, names).is_err() {
                let place = table.get("entry").map_or(place.place(), |node| node.place());
                self.faults.push(own::fault(place, said!("there is no field `{full}`", full)));
            }
        }
        Some(Capture { name: table.text("name")?, line, session, unfit, kind, list, entry })
    }

    /// `[pack]`.
    pub(super) fn pack(&mut self, node: Node<'d>) {
        let table = Reading::new(node, &keys::PACK, self.names, &mut self.faults);
        let rule = PackRule { name: table.text("name"), folder: table.text("folder") };
        let odd = |text: &str| text.split(['/', '\\']).any(|part| part == ".." || part.contains(':'));
        for (key, text) in [("name", &rule.name), ("folder", &rule.folder)] {
            if let Some(node) = table.get(key) {
                own::filled_in(node, &["id", "version"], &mut self.faults);
            }
            if let (Some(node), true) = (table.get(key), text.as_deref().is_some_and(odd)) {
                self.faults.push(own::fault(node.place(), said!("`{key}` stays within the archive", key)));
            }
        }
        self.rulebook.pack = rule;
    }

    fn searched(&mut self, table: &Reading<'_, '_>, key: &str) -> Option<regex::Regex> {
        self.searches(&table.text(key)?, table.get(key)?)
    }

    /// A regular expression.
    pub(super) fn searches(&mut self, source: &str, node: Node<'_>) -> Option<regex::Regex> {
        let error = match regex::Regex::new(source) {
            Ok(pattern) => return Some(pattern),
            Err(error) => error.to_string(),
        };
        let why = error.lines().last().unwrap_or("").trim_start_matches("error: ").to_owned();
        self.faults.push(own::fault(node.place(), said!("`{source}` is no pattern: {why}", source, why)));
        None
    }
}
