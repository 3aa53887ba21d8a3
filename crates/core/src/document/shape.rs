//! What a node of a document is.

/// What a node is.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Hash)]
pub enum Shape {
    /// `null`.
    Null,
    /// `true` or `false`.
    Boolean,
    /// A number; its notation is kept.
    Number,
    /// A text, quoted or not; dates of TOML too.
    Text,
    /// Values in order.
    List,
    /// Entries with keys, in file order; keys may repeat.
    Table,
    /// Something that could not be read; a fault says why.
    Broken,
    /// A YAML alias: the node that an anchor names stands here too.
    Alias,
}

impl Shape {
    /// The shape in words, as messages say it.
    pub fn words(self) -> &'static str {
        match self {
            Shape::Null => "null",
            Shape::Boolean => "true or false",
            Shape::Number => "a number",
            Shape::Text => "a text",
            Shape::List => "a list",
            Shape::Table => "a table",
            Shape::Broken => "something unreadable",
            Shape::Alias => "an alias",
        }
    }
}
