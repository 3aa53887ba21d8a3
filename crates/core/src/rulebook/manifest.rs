//! `[manifest]`: what a mod says of itself.

use super::fields::Fields;
use super::keys;
use super::load::Loader;
use super::notations::notation_named;
use super::part_folders::PartFolders;
use super::pattern::PatternStep;
use super::places::keys_of;
use super::template::names_in;
use super::types::ManifestRule;
use crate::document::{FieldPath, Marks, Node, Notation, Shape};
use crate::own::{self, Reading};
use crate::said::{all_of, said};

/// The word for the name of a mod's folder, where that is its id.
const FOLDER: &str = "folder";

/// How a manifest writes what has forms of its own.
struct Forms {
    requires_as: Option<(String, String)>,
    semver: bool,
    parts: PartFolders,
}

impl<'d> Loader<'d> {
    pub(super) fn manifest(&mut self, node: Node<'d>) {
        let table = Reading::new(node, &keys::MANIFEST, self.names, &mut self.faults);
        let by_folder = table.text("id").is_some_and(|id| id == FOLDER);
        let mut path = |key: &&str| table.path(key, &mut self.faults).filter(|_| !by_folder || *key != "id");
        let paths: Vec<Option<FieldPath>> = ["id", "name", "version", "made_for"].iter().map(&mut path).collect();
        let (requires, after) = (self.pattern(&table, "requires"), self.pattern(&table, "after"));
        let (excludes, requires_version) = (self.pattern(&table, "excludes"), self.pattern(&table, "requires_version"));
        let forms = self.manifest_forms(&table);
        let mut fields = Fields::new(
            self.names,
            (&self.rulebook.by_name, &self.rulebook.vocabularies),
            (&self.parts, &self.made),
            &mut self.faults,
        );
        if let Some(node) = table.get("fields").filter(|node| node.shape() == Shape::Table) {
            fields.table(node);
        }
        for (path, optional) in paths.iter().zip([false, true, true, true]) {
            if let Some(path) = path {
                fields.implied(&keys_of(path), None, optional);
            }
        }
        for pattern in [&requires, &after, &excludes, &requires_version].into_iter().flatten() {
            fields.implied_list(pattern);
        }
        let file = table.text("file");
        for place in self.rulebook.places.iter().filter(|place| file.as_ref().is_some_and(|f| place.names_file(f))) {
            if let Some(PatternStep::Key(key)) = place.cut.0.first() {
                fields.named(&[key], true, true);
            }
        }
        let root = fields.finish(&mut self.rulebook.types, false);
        let notation = notation_named(&table, &self.rulebook.notations, &mut self.faults);
        let mut paths = paths.into_iter();
        let (id, name, version) = (paths.next().flatten(), paths.next().flatten(), paths.next().flatten());
        let made_for = paths.next().flatten();
        let unreadable = !self.readable(&table, &table.texts("file"));
        // once that is told, it is read as what such files mostly are
        let notation = notation.or_else(|| unreadable.then(|| Notation::described(Marks::plain())));
        if id.is_none() && !by_folder {
            return;
        }
        // what only a manifest can say
        let said = ["name", "version", "made_for", "requires", "after", "excludes", "requires_version", "fields"];
        let said = said.iter().find_map(|key| Some((*key, table.get(key)?)));
        let lacking = match (&file, by_folder, said) {
            (Some(_), ..) | (None, true, None) => None,
            (None, true, Some((key, said))) => {
                let message = said!("`{key}` is said by a manifest, and `file` does not say which file that is", key);
                Some(own::fault(said.place(), message))
            }
            (None, false, _) => Some(own::fault(node.place(), "`manifest` lacks the key `file`")),
        };
        if let Some(mut fault) = lacking {
            fault.help = Some("`file = \"…\"` names the file in the mod's folder".into());
            self.faults.push(fault);
        }
        if file.is_none() && !by_folder {
            return;
        }
        let optional = table.boolean("optional");
        if let Some(node) = table.get("optional").filter(|_| optional && !by_folder) {
            self.faults.push(
                own::fault(node.place(), "a mod without its manifest has no id")
                    .help(Some("with `id = \"folder\"` the folder's name is the id")),
            );
        }
        self.rulebook.manifest = Some(ManifestRule {
            optional: by_folder && (optional || file.is_none()),
            file,
            notation,
            id,
            name,
            version,
            made_for,
            requires,
            after,
            excludes,
            requires_version,
            requires_as: forms.requires_as,
            semver: forms.semver,
            parts: forms.parts,
            root,
        });
    }

    /// `requires_as`, `versions` and `parts` of `[manifest]`.
    fn manifest_forms(&mut self, table: &Reading<'d, '_>) -> Forms {
        let written = self.around(table, "requires_as", &["id", "version"]);
        // what stands before the id, and between it and the version
        let written = written.filter(|(before, _)| before.is_empty());
        let written = written.and_then(|(_, rest)| {
            let (between, behind) = rest.split_once("{version}")?;
            Some((between.to_owned(), behind.to_owned()))
        });
        let parts = self.part_folders(table);
        let semver = match (table.text("versions").as_deref(), table.get("versions")) {
            (Some("semver"), _) => true,
            (None | Some("plain"), _) | (_, None) => false,
            (Some(other), Some(node)) => {
                let message = said!("`{other}` is no way to compare versions: `plain` or `semver`", other);
                self.faults.push(own::fault(node.place(), message));
                false
            }
        };
        Forms { requires_as: written, semver, parts }
    }

    /// `parts` of `[manifest]`: the one condition, or a table of several.
    fn part_folders(&mut self, table: &Reading<'d, '_>) -> PartFolders {
        match table.get("parts") {
            Some(node) if node.shape() == Shape::Table => {
                let several = Reading::new(node, &keys::MANIFEST_PARTS, self.names, &mut self.faults);
                if let Some(mode) = several.get("mode").filter(|_| self.rulebook.game.modes.is_empty()) {
                    self.faults.push(
                        own::fault(mode.place(), "the rulebook names no `modes` of the game")
                            .help(Some("as `modes = [\"calm\", \"storm\"]` under `[game]`")),
                    );
                }
                PartFolders {
                    with: self.around(&several, "with", &["mod"]),
                    without: self.around(&several, "without", &["mod"]),
                    mode: self.around(&several, "mode", &["mode"]),
                }
            }
            Some(node) if node.shape() != Shape::Text => {
                let message = "has to be a template, as `with-{mod}`, or a table of them";
                self.faults.push(own::fault(node.place(), message));
                PartFolders::default()
            }
            _ => PartFolders { with: self.around(table, "parts", &["mod"]), ..PartFolders::default() },
        }
    }

    /// What stands before and behind the first of the words that a template has to have in it, in this order.
    fn around(&mut self, table: &Reading<'_, '_>, key: &str, words: &[&str]) -> Option<(String, String)> {
        let (text, node) = (table.text(key)?, table.get(key)?);
        let named: Vec<&str> = names_in(&text).collect();
        let parts = text.split_once(&format!("{{{}}}", words.first().copied().unwrap_or_default()));
        if named == words && parts.is_some() {
            return parts.map(|(before, after)| (before.to_owned(), after.to_owned()));
        }
        let all: Vec<String> = words.iter().map(|word| format!("`{{{word}}}`")).collect();
        let message = said!("`{text}` has to have {words} in it once, in this order", text, words = all_of(all));
        self.faults.push(own::fault(node.place(), message));
        None
    }
}
