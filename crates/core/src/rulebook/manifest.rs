//! `[manifest]`: what a mod says of itself.

use super::fields::Fields;
use super::keys;
use super::load::Loader;
use super::notations::notation_named;
use super::places::keys_of;
use super::template::names_in;
use super::types::ManifestRule;
use crate::document::{FieldPath, Node, Shape};
use crate::own::{self, Reading};

/// How a manifest writes what has forms of its own.
struct Forms {
    requires_as: Option<(String, String)>,
    semver: bool,
    parts: Option<(String, String)>,
}

impl<'d> Loader<'d> {
    pub(super) fn manifest(&mut self, node: Node<'d>) {
        let table = Reading::new(node, &keys::MANIFEST, self.names, &mut self.faults);
        let paths: Vec<Option<FieldPath>> =
            ["id", "name", "version", "made_for"].iter().map(|key| table.path(key, &mut self.faults)).collect();
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
        let root = fields.finish(&mut self.rulebook.types, false);
        let notation = notation_named(&table, &self.rulebook.notations, &mut self.faults);
        let mut paths = paths.into_iter();
        let (id, name, version) = (paths.next().flatten(), paths.next().flatten(), paths.next().flatten());
        let made_for = paths.next().flatten();
        let (Some(file), Some(id)) = (table.text("file"), id) else { return };
        self.rulebook.manifest = Some(ManifestRule {
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
    fn manifest_forms(&mut self, table: &Reading<'_, '_>) -> Forms {
        let mut around = |key: &str, words: &[&str]| {
            let (text, node) = (table.text(key)?, table.get(key)?);
            let named: Vec<&str> = names_in(&text).collect();
            let parts = text.split_once(&format!("{{{}}}", words.first().copied().unwrap_or_default()));
            if named == words && parts.is_some() {
                return parts.map(|(before, after)| (before.to_owned(), after.to_owned()));
            }
            let all: Vec<String> = words.iter().map(|word| format!("`{{{word}}}`")).collect();
            let message = format!("`{text}` has to have {} in it once, in this order", all.join(" and "));
            self.faults.push(own::fault(node.place(), message));
            None
        };
        let written = around("requires_as", &["id", "version"]);
        // what stands before the id, and between it and the version
        let written = written.filter(|(before, _)| before.is_empty());
        let written = written.and_then(|(_, rest)| {
            let (between, behind) = rest.split_once("{version}")?;
            Some((between.to_owned(), behind.to_owned()))
        });
        let parts = around("parts", &["mod"]);
        let semver = match (table.text("versions").as_deref(), table.get("versions")) {
            (Some("semver"), _) => true,
            (None | Some("plain"), _) | (_, None) => false,
            (Some(other), Some(node)) => {
                let message = format!("`{other}` is no way to compare versions: `plain` or `semver`");
                self.faults.push(own::fault(node.place(), message));
                false
            }
        };
        Forms { requires_as: written, semver, parts }
    }
}
