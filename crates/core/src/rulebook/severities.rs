//! `[[severity]]`: how bad findings are in this game, where that is another than usual.

use super::keys;
use super::link::severity_of;
use super::load::Loader;
use super::types::{KindId, Severity, SupplementId};
use crate::document::{Document, Shape};
use crate::own::{self, Reading};
use crate::said::said;
use crate::source::Place;

/// How bad some findings are.
#[derive(Debug)]
pub(crate) struct SeverityRule {
    /// Their code, and where it stands.
    pub(crate) code: (String, Place),
    /// Only those about these kinds.
    pub(crate) kinds: Vec<KindId>,
    /// Only those about these fields and what is in them: patterns.
    pub(crate) fields: Vec<String>,
    /// Only those in these files.
    pub(crate) files: Option<globset::GlobSet>,
    /// How bad they are; none: they are not told.
    pub(crate) is: Option<Severity>,
    /// The mod that says so.
    pub(crate) from: Option<String>,
}

impl SeverityRule {
    /// Whether it is about a field with this pattern.
    pub(crate) fn is_about(&self, pattern: Option<&str>) -> bool {
        let within = |field: &String, pattern: &str| {
            pattern
                .strip_prefix(field.as_str())
                .is_some_and(|rest| rest.is_empty() || rest.starts_with(['.', '[', '{']))
        };
        self.fields.is_empty() || pattern.is_some_and(|pattern| self.fields.iter().any(|field| within(field, pattern)))
    }
}

impl<'d> Loader<'d> {
    pub(super) fn severities(&mut self, document: &'d Document, from: Option<SupplementId>) {
        let from = from.and_then(|from| self.rulebook.brought_by(from)).map(str::to_owned);
        let all = document.root().get_named("severity", self.names).filter(|node| node.shape() == Shape::List);
        for node in all.into_iter().flat_map(|all| all.children()).filter(|node| node.shape() == Shape::Table) {
            let table = Reading::new(node, &keys::SEVERITY, self.names, &mut self.faults);
            let (Some(code), Some(at)) = (table.text("code"), table.get("code")) else { continue };
            // what cannot be read is no matter of taste
            if matches!(code.as_str(), "rulebook-fault" | "workspace-fault") {
                let message = said!("how bad `{code}` is cannot be said: nothing holds while there is one", code);
                self.faults.push(own::fault(at.place(), message));
                continue;
            }
            let is = severity_of(&table, "is", &mut self.faults);
            let kinds = table.texts("kind");
            let kinds = kinds.into_iter().filter_map(|(word, node)| self.kind_id(&word, node)).collect();
            let fields = table.texts("field").into_iter().map(|(field, _)| field).collect();
            let patterns = table.texts("files");
            let files = (!patterns.is_empty()).then(|| self.globs(&patterns));
            let code = (code, at.place());
            self.rulebook.severities.push(SeverityRule { code, kinds, fields, files, is, from: from.clone() });
        }
    }
}
