//! What mends a finding where that is safe: one answer only, and nothing else said by it.

use crate::catalog::{Catalog, LayerId};
use crate::document::FieldPath;
use crate::source::{FileId, Place};

/// A change that mends a finding without anybody being asked.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum Mend {
    /// A word is written otherwise, where it stands.
    Word {
        /// The value that holds it.
        place: Place,
        /// The word, as it stands in the value just once.
        word: String,
        /// What is written instead.
        to: String,
    },
    /// A key is written otherwise.
    Key {
        /// The file.
        file: FileId,
        /// The way to the entry from the file's root.
        at: FieldPath,
        /// The right key.
        to: String,
    },
    /// An entry goes.
    TakeOut {
        /// The file.
        file: FileId,
        /// The way to the entry from the file's root.
        at: FieldPath,
        /// How many of its first steps lead to the definition.
        definition: usize,
    },
    /// A mod's manifest names one requirement more.
    Require {
        /// The mod.
        layer: LayerId,
        /// The id of the mod that it requires.
        other: String,
    },
    /// A file goes where it is looked for.
    Move {
        /// The file.
        file: FileId,
        /// Its path below its layer's folder.
        to: String,
    },
    /// A file that follows from definitions is written anew.
    Whole {
        /// The file.
        file: FileId,
        /// All of it.
        text: String,
    },
    /// A text to begin with, made of the id.
    Text {
        /// The mod.
        layer: LayerId,
        /// The text's key.
        key: String,
        /// The text.
        text: String,
    },
}

impl Mend {
    /// The layer that it changes; none for the workspace's own files.
    pub fn layer(&self, catalog: &Catalog) -> Option<LayerId> {
        match self {
            Mend::Require { layer, .. } | Mend::Text { layer, .. } => Some(*layer),
            Mend::Word { place, .. } => catalog.file(place.file).layer,
            Mend::Key { file, .. }
            | Mend::TakeOut { file, .. }
            | Mend::Move { file, .. }
            | Mend::Whole { file, .. } => catalog.file(*file).layer,
        }
    }

    /// A word that is written otherwise, if it is another one.
    pub(crate) fn word(place: Place, word: &str, to: &str) -> Option<Mend> {
        (word != to).then(|| Mend::Word { place, word: word.to_owned(), to: to.to_owned() })
    }
}

/// What it does, for a person: a phrase after "mended:".
impl std::fmt::Display for Mend {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let last = |at: &FieldPath| {
            let step = at.split_last().map(|(_, step)| FieldPath::from(vec![step.clone()]));
            step.unwrap_or_default().to_string()
        };
        match self {
            Mend::Word { word, to, .. } => write!(f, "`{word}` becomes `{to}`"),
            Mend::Key { at, to, .. } => write!(f, "`{}` becomes `{to}`", last(at)),
            Mend::TakeOut { at, .. } => write!(f, "`{}` is taken out", last(at)),
            Mend::Require { other, .. } => write!(f, "`{other}` is required"),
            Mend::Move { to, .. } => write!(f, "it goes to `{to}`"),
            Mend::Whole { .. } => write!(f, "the file is written anew"),
            Mend::Text { key, text, .. } => write!(f, "`{key}` begins as \"{text}\""),
        }
    }
}
