//! `[[derived]]`: files that follow from definitions.

use super::install::is_within;
use super::keys;
use super::load::Loader;
use super::template::names_in;
use super::types::KindId;
use crate::document::{Document, FieldPath, Node, Shape};
use crate::own::{self, Reading};
use crate::said::said;
use crate::source::Place;

/// A file that follows from definitions.
#[derive(Debug)]
pub(crate) struct DerivedRule {
    pub(crate) file: String,
    /// The files that it may be, below a layer.
    pub(crate) files: globset::GlobMatcher,
    pub(crate) kind: KindId,
    pub(crate) condition: Option<(String, Place)>,
    pub(crate) line: String,
    pub(crate) by: Option<FieldPath>,
    pub(crate) head: Option<String>,
    pub(crate) foot: Option<String>,
    pub(crate) whole: bool,
    pub(crate) json: bool,
    pub(crate) key: Option<String>,
    /// What the game does with what is lacking.
    pub(crate) stale: Option<String>,
}

impl<'d> Loader<'d> {
    pub(super) fn derived(&mut self, document: &'d Document) {
        let all = document.root().get_named("derived", self.names).filter(|node| node.shape() == Shape::List);
        for node in all.into_iter().flat_map(|all| all.children()).filter(|node| node.shape() == Shape::Table) {
            if let Some(rule) = self.derived_file(node) {
                self.rulebook.derived.push(rule);
            }
        }
    }

    fn derived_file(&mut self, node: Node<'d>) -> Option<DerivedRule> {
        let table = Reading::new(node, &keys::DERIVED, self.names, &mut self.faults);
        let (file, line) = (table.text("file")?, table.text("line")?);
        let place = table.get("file")?.place();
        if !is_within(&file) {
            self.faults.push(own::fault(place, said!("`{file}` does not lie below the mod's folder", file)));
            return None;
        }
        // a folder's name, and those in it
        let pattern = file.replace("{folder}", "**");
        let files = match globset::Glob::new(&pattern) {
            Ok(glob) => glob.compile_matcher(),
            Err(error) => {
                self.faults.push(own::fault(place, said!("`{file}` is no path: {kind}", file, kind = error.kind())));
                return None;
            }
        };
        let kind = self.kind_id(&table.text("of")?, table.get("of")?)?;
        let json = match table.text("format").as_deref() {
            None | Some("lines") => false,
            Some("json") => true,
            Some(other) => {
                let place = table.get("format").map_or(place, Node::place);
                self.faults.push(own::fault(place, said!("`{other}` is no format here: `lines` or `json`", other)));
                false
            }
        };
        let key = table.text("key");
        if let (Some(node), false) = (table.get("key"), json) {
            self.faults.push(own::fault(node.place(), "`key` is for `format = \"json\"`"));
        }
        let condition = table.text("where").zip(table.get("where").map(Node::place));
        let by = table.text("by").and_then(|by| match FieldPath::parse(&by) {
            Ok(path) => Some(path),
            Err(error) => {
                let place = table.get("by").map_or(place, Node::place);
                self.faults.push(own::fault(place, error.to_string()));
                None
            }
        });
        let root = self.rulebook.kinds.get(kind.0 as usize)?.root;
        let names = self.names;
        for (text, node) in [(Some(&line), table.get("line")), (key.as_ref(), table.get("key"))] {
            let (Some(text), Some(node)) = (text, node) else { continue };
            for word in names_in(text) {
                let known = matches!(word, "id" | "kind")
                    || FieldPath::parse(word).is_ok_and(|path| self.rulebook.type_at(root, &path, names).is_ok());
                if !known {
                    let kind = self.rulebook.kind(kind).name().to_owned();
                    let fields = self.rulebook.fields_below(root).into_iter();
                    let fields: Vec<&str> =
                        fields.map(|(_, ty)| self.rulebook.field_type(ty).pattern.as_str()).collect();
                    let near = crate::nearest::nearest(word, fields);
                    let help = near.map(|near| said!("the nearest field is `{nearest}`", nearest = near));
                    self.faults.push(
                        own::fault(node.place(), said!("`{{{word}}}` is no field of `{kind}`", word, kind)).help(help),
                    );
                }
            }
        }
        Some(DerivedRule {
            file,
            files,
            kind,
            condition,
            line,
            by,
            head: table.text("head"),
            foot: table.text("foot"),
            whole: table.boolean("whole"),
            json,
            key,
            stale: table.text("stale"),
        })
    }
}
