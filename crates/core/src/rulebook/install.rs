//! `[install]`: where the game looks for mods, and which list says that it loads them.

use super::keys;
use super::load::Loader;
use super::pattern::{Pattern, PatternStep};
use super::template::names_in;
use crate::document::{Draft, FieldPath, Format, Node, Shape, Step};
use crate::own::{self, OwnFault, Reading};
use crate::said::{Said, said};

/// Where mods go in the game's folder.
#[derive(Debug)]
pub(crate) struct InstallRule {
    /// The folder below the game's.
    pub(crate) mods: String,
    /// Whether a mod goes there as one archive.
    pub(crate) archive: bool,
    /// The name of its folder or archive; nothing for the usual one.
    pub(crate) name: Option<String>,
    /// Files by which a folder is known to be the game's.
    pub(crate) known_by: Vec<String>,
    pub(crate) enabled: Option<EnabledRule>,
}

/// The list of the mods that the game loads.
#[derive(Debug)]
pub(crate) struct EnabledRule {
    /// Below the game's folder.
    pub(crate) file: String,
    pub(crate) form: ListForm,
    /// Whether its order is the load order.
    pub(crate) ordered: bool,
}

/// How such a list is written.
#[derive(Debug)]
pub(crate) enum ListForm {
    /// A line for each mod, with `{id}` in it.
    Lines(String),
    /// Entries of a list.
    Entries {
        format: Format,
        /// The list.
        at: FieldPath,
        /// Where the id stands in an entry; empty where the entry is the id.
        id: FieldPath,
        /// What else stands in the entry of a mod that is loaded.
        with: Vec<(FieldPath, Draft)>,
    },
    /// Keys of a table, with the value of a mod that is loaded.
    Keys { format: Format, at: FieldPath, value: Draft },
}

/// Whether a text names something below a folder, on every system.
pub(super) fn is_within(path: &str) -> bool {
    path.split(['/', '\\']).all(|part| !matches!(part, ".." | "." | "") && !part.contains(':'))
}

impl<'d> Loader<'d> {
    /// `[install]`.
    pub(super) fn install(&mut self, node: Node<'d>) {
        let table = Reading::new(node, &keys::INSTALL, self.names, &mut self.faults);
        let Some(mods) = table.text("mods") else { return };
        let mut odd = |key: &str, text: &str| {
            if !is_within(text) {
                let place = table.get(key).map_or(node.place(), Node::place);
                self.faults.push(own::fault(place, said!("`{text}` does not lie below the game's folder", text)));
            }
        };
        odd("mods", &mods);
        let name = table.text("name");
        name.iter().for_each(|name| odd("name", name));
        let known_by: Vec<String> = table.texts("known_by").into_iter().map(|(text, _)| text).collect();
        known_by.iter().for_each(|file| odd("known_by", file));
        let archive = match table.text("as").as_deref() {
            None | Some("folder") => false,
            Some("archive") => true,
            Some(other) => {
                let place = table.get("as").map_or(node.place(), Node::place);
                self.faults.push(own::fault(place, said!("`{other}` is no way here: `folder` or `archive`", other)));
                false
            }
        };
        if let Some(node) = table.get("name") {
            own::filled_in(node, &["id", "version"], &mut self.faults);
        }
        let enabled = table.get("enabled").filter(|node| node.shape() == Shape::Table);
        let enabled = enabled.and_then(|node| self.enabled(node));
        self.rulebook.install = Some(InstallRule { mods, archive, name, known_by, enabled });
    }

    fn enabled(&mut self, node: Node<'d>) -> Option<EnabledRule> {
        let table = Reading::new(node, &keys::ENABLED, self.names, &mut self.faults);
        let file = table.text("file")?;
        let place = table.get("file")?.place();
        if !is_within(&file) {
            self.faults.push(own::fault(place, said!("`{file}` does not lie below the game's folder", file)));
            return None;
        }
        let ordered = table.boolean("ordered");
        let (line, mods) = (table.text("line"), table.text("mods"));
        let form = match (line, mods) {
            (Some(line), None) if names_in(&line).collect::<Vec<_>>() == ["id"] => ListForm::Lines(line),
            (Some(line), None) => {
                self.faults.push(own::fault(
                    table.get("line")?.place(),
                    said!("`{line}`: a line has `{{id}}` in it once, and nothing else that is filled in", line),
                ));
                return None;
            }
            (None, Some(mods)) => self.list_form(&table, &file, &mods)?,
            _ => {
                self.faults.push(own::fault(place, "either `mods` or `line` says how the list is written").help(Some(
                    "`mods = \"enabled[]\"` in JSON, TOML, YAML, XML or a table, `line = \"{id}\"` in plain lines",
                )));
                return None;
            }
        };
        Some(EnabledRule { file, form, ordered })
    }

    fn list_form(&mut self, table: &Reading<'d, '_>, file: &str, mods: &str) -> Option<ListForm> {
        let node = table.get("mods")?;
        let fail = |message: Said| -> OwnFault { own::fault(node.place(), message) };
        let Some(format) = Format::of(file).filter(|format| *format != Format::Po) else {
            let mut fault = fail(said!("`{file}` is in no format that is known", file));
            fault.help = Some("JSON, TOML, YAML, XML and CSV are; else say `line`".into());
            self.faults.push(fault);
            return None;
        };
        let pattern = match Pattern::parse(mods) {
            Ok(pattern) => pattern.0,
            Err(error) => {
                self.faults.push(fail(error.into()));
                return None;
            }
        };
        let key = |step: &PatternStep| match step {
            PatternStep::Key(key) => Some(Step::Key(key.clone())),
            PatternStep::At(_) | PatternStep::Entries | PatternStep::Values | PatternStep::Keys => None,
        };
        let before: Vec<Step> = pattern.iter().map_while(key).collect();
        let rest = pattern.get(before.len()..).unwrap_or_default();
        let path = |steps: Vec<Step>| FieldPath::from(steps);
        match rest {
            [PatternStep::Entries, within @ ..] if within.iter().all(|step| key(step).is_some()) => {
                let id = path(within.iter().filter_map(key).collect());
                let mut with = Vec::new();
                for entry in table.get("with").into_iter().flat_map(Node::children) {
                    let word = entry.key().map_or("", |key| self.names.text(key));
                    match FieldPath::parse(word) {
                        Ok(at) => with.push((at, Draft::of(entry, self.names))),
                        Err(error) => self.faults.push(own::fault(entry.place(), error.to_string())),
                    }
                }
                if id.steps().is_empty() && !with.is_empty() {
                    self.faults.push(fail("entries that are ids have nothing beside them; leave `with` out".into()));
                }
                Some(ListForm::Entries { format, at: path(before), id, with })
            }
            [PatternStep::Keys] => {
                let value = table.get("value").map_or(Draft::Boolean(true), |node| Draft::of(node, self.names));
                Some(ListForm::Keys { format, at: path(before), value })
            }
            _ => {
                let mut fault = fail(said!("`{field}` leads to no list of mods", field = mods));
                fault.help = Some("`enabled[]`, `mods[].id`, or `mods{key}`".into());
                self.faults.push(fault);
                None
            }
        }
    }
}
