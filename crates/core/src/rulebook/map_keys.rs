//! What is said of the keys of maps, beside what is said of values.

use std::borrow::Cow;

use super::types::FieldType;
use crate::document::Node;
use crate::source::Place;

impl FieldType {
    /// Whether it is said of the keys of a map, not of values.
    pub(crate) fn is_of_keys(&self) -> bool {
        self.pattern.ends_with("{key}")
    }

    /// What is said at a node: the key of an entry, or a value.
    pub(crate) fn said_at<'d>(&self, node: Node<'d>) -> Cow<'d, str> {
        if self.is_of_keys() { node.key_text().into() } else { node.text() }
    }

    /// Where that stands.
    pub(crate) fn place_at(&self, node: Node<'_>) -> Place {
        match self.is_of_keys() {
            true => Place { span: node.key_span(), ..node.place() },
            false => node.place(),
        }
    }
}
