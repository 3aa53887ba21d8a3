//! How a piece of a file gets its kind and its ids: from its key, its file, its fields, or several of them.

use std::borrow::Cow;
use std::sync::OnceLock;

use rustc_hash::FxHashMap;
use smallvec::{SmallVec, smallvec};

use super::link::fits;
use super::test::Test;
use super::types::{KindId, Where};
use super::word::{Apart, Word};
use crate::document::{FieldPath, Node, Shape, find};
use crate::names::Names;
use crate::source::can_be_named;

/// Where a word about a definition is taken from.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum NameFrom {
    /// Its key in the table around it.
    Key,
    /// The file's name without ending.
    Stem,
    /// The file's path without ending.
    Path,
    /// The name of the folder that the file is in.
    Folder,
    /// A field.
    Field(FieldPath),
    /// A field with several.
    Fields(FieldPath),
    /// A field of the file, outside of the definitions in it.
    Head(FieldPath),
    /// The id of the mod.
    Mod,
    /// Several of these and text between them.
    Template(Template),
    /// Nothing: there is no id.
    Nothing,
}

/// A text with words filled in; what stands in brackets only counts if all its words are there.
#[derive(Clone, Debug)]
pub(crate) struct Template {
    parts: Vec<Part>,
    /// What takes an id apart again, made when first asked for.
    apart: OnceLock<Option<Apart>>,
}

impl PartialEq for Template {
    fn eq(&self, other: &Template) -> bool {
        self.parts == other.parts
    }
}

impl Eq for Template {}

#[derive(Clone, PartialEq, Eq, Debug)]
enum Part {
    Text(String),
    Word(Word),
    Optional(Template),
}

impl Template {
    fn parse(text: &str) -> Result<Template, String> {
        let mut parts = Vec::new();
        let mut rest = text;
        while let Some(at) = rest.find(['{', '[']) {
            let (before, found) = rest.split_at(at);
            if !before.is_empty() {
                parts.push(Part::Text(before.to_owned()));
            }
            let close = if found.starts_with('{') { '}' } else { ']' };
            let (inner, behind) = found
                .get(1..)
                .and_then(|inner| inner.split_once(close))
                .ok_or_else(|| format!("`{text}` lacks a `{close}`"))?;
            parts.push(match close {
                '}' => Part::Word(Word::parse(inner)?),
                _ => Part::Optional(Template::parse(inner)?),
            });
            rest = behind;
        }
        if !rest.is_empty() {
            parts.push(Part::Text(rest.to_owned()));
        }
        Ok(Template { parts, apart: OnceLock::new() })
    }

    fn fill(&self, piece: &Piece<'_>) -> Option<String> {
        let mut out = String::new();
        for part in &self.parts {
            match part {
                Part::Text(text) => out.push_str(text),
                Part::Word(word) => out.push_str(&word.changed(&piece.word(&word.from)?)),
                Part::Optional(template) => out.push_str(&template.fill(piece).unwrap_or_default()),
            }
        }
        Some(out)
    }

    /// The fields that it takes words from; those that may be left out are marked.
    fn fields(&self) -> Vec<(&FieldPath, bool)> {
        let of = |part| match part {
            &Part::Word(Word { from: NameFrom::Field(ref path), .. }) => vec![(path, false)],
            Part::Optional(template) => template.fields().into_iter().map(|(path, _)| (path, true)).collect(),
            _ => Vec::new(),
        };
        self.parts.iter().flat_map(of).collect()
    }

    /// A sign of the text between its words that no file's name can have on every system.
    fn sign_for_no_file(&self) -> Option<char> {
        self.parts.iter().find_map(|part| match part {
            Part::Text(text) => text.chars().find(|sign| *sign != '/' && !can_be_named(*sign)),
            Part::Word(_) | Part::Optional(_) => None,
        })
    }

    /// Whether the mod's id is one of its words.
    fn has_mod(&self) -> bool {
        self.parts.iter().any(|part| match part {
            Part::Word(word) => word.from == NameFrom::Mod,
            Part::Optional(template) => template.has_mod(),
            _ => false,
        })
    }

    /// The words that an id is made of.
    pub(crate) fn words_of(&self, id: &str) -> Option<Vec<(&Word, String)>> {
        let apart = self.apart.get_or_init(|| {
            let mut words = Vec::new();
            let pattern = self.pattern(&mut words);
            Apart::new(&pattern, words.into_iter().cloned().collect())
        });
        apart.as_ref()?.words_of(id)
    }

    /// A regular expression for the ids, with a group for each word.
    fn pattern<'t>(&'t self, words: &mut Vec<&'t Word>) -> String {
        let mut out = String::new();
        for part in &self.parts {
            match part {
                Part::Text(text) => out.push_str(&regex::escape(text)),
                Part::Word(word) => {
                    words.push(word);
                    out.push_str("(.+?)");
                }
                Part::Optional(template) => out.push_str(&format!("(?:{})?", template.pattern(words))),
            }
        }
        out
    }
}

impl NameFrom {
    /// Reads a word of the rulebook: `key`, `stem`, `path`, `folder`, `none`, a field, or a template with `{…}`.
    pub(crate) fn parse(word: &str) -> Result<NameFrom, String> {
        Ok(match word {
            "key" => NameFrom::Key,
            "stem" => NameFrom::Stem,
            "path" => NameFrom::Path,
            "folder" => NameFrom::Folder,
            "none" => NameFrom::Nothing,
            _ if word.contains('{') => NameFrom::Template(Template::parse(word)?),
            _ => {
                let path = |word: &str| FieldPath::parse(word).map_err(|error| error.to_string());
                match word.strip_suffix("[]") {
                    Some(word) => NameFrom::Fields(path(word)?),
                    None => NameFrom::Field(path(word)?),
                }
            }
        })
    }

    /// Reads a word of a template: as [`NameFrom::parse`], or `mod`, or a field of the file behind a `/`.
    pub(super) fn in_template(word: &str) -> Result<NameFrom, String> {
        let path = |word: &str| FieldPath::parse(word).map_err(|error| error.to_string());
        match (word, word.strip_prefix('/')) {
            ("mod", _) => Ok(NameFrom::Mod),
            (_, Some(head)) => Ok(NameFrom::Head(path(head)?)),
            _ => NameFrom::parse(word),
        }
    }

    /// What it is of a file at a path, where it comes from that.
    pub(crate) fn of_path(&self, relative: &str) -> Option<String> {
        let without_ending = relative.rsplit_once('.').map_or(relative, |(path, _)| path);
        let folder = relative.rsplit_once('/').map_or("", |(folder, _)| folder);
        let last = |path: &str| path.rsplit('/').next().unwrap_or(path).to_owned();
        match self {
            NameFrom::Stem => Some(last(without_ending)),
            NameFrom::Path => Some(without_ending.to_owned()),
            NameFrom::Folder => Some(last(folder)),
            _ => None,
        }
    }

    /// The words from which an id comes, where it can be taken apart.
    pub(crate) fn words_of(&self, id: &str) -> Option<Vec<(Cow<'_, Word>, String)>> {
        match self {
            NameFrom::Template(template) => {
                let words = template.words_of(id)?.into_iter();
                Some(words.map(|(word, text)| (Cow::Borrowed(word), text)).collect())
            }
            NameFrom::Nothing => None,
            from => Some(vec![(Cow::Owned(Word::plain(from.clone())), id.to_owned())]),
        }
    }

    /// Whether a field may give several.
    pub(crate) fn is_several(&self) -> bool {
        matches!(self, NameFrom::Fields(_))
    }

    /// A sign of every id that no file's name can have on every system.
    pub(crate) fn sign_for_no_file(&self) -> Option<char> {
        match self {
            NameFrom::Template(template) => template.sign_for_no_file(),
            _ => None,
        }
    }

    /// Whether ids are made of the mod's.
    pub(crate) fn has_mod(&self) -> bool {
        match self {
            NameFrom::Mod => true,
            NameFrom::Template(template) => template.has_mod(),
            _ => false,
        }
    }

    /// The fields that it reads; those that may be left out are marked.
    pub(crate) fn fields(&self) -> Vec<(&FieldPath, bool)> {
        match self {
            NameFrom::Field(path) | NameFrom::Fields(path) => vec![(path, false)],
            NameFrom::Template(template) => template.fields(),
            _ => Vec::new(),
        }
    }
}

/// A piece of a file that may be a definition.
#[derive(Clone, Copy)]
pub(crate) struct Piece<'p> {
    pub(crate) node: Node<'p>,
    /// The file's path below its layer.
    pub(crate) relative: &'p str,
    /// The id of the mod that it is in.
    pub(crate) owner: &'p str,
    pub(crate) names: &'p Names,
}

impl<'p> Piece<'p> {
    /// The one word that stands there.
    pub(crate) fn word(&self, from: &NameFrom) -> Option<String> {
        self.words(from).into_iter().next().map(Cow::into_owned)
    }

    /// Whether a test holds of what the piece itself states.
    pub(crate) fn passes(&self, test: &Test) -> bool {
        test.holds(|part| {
            let found = find(self.node, &part.path, self.names)?;
            Some(match found.shape() {
                Shape::List => words(found).into_iter().map(Cow::into_owned).collect(),
                _ => vec![found.text().into_owned()],
            })
        })
    }

    /// The words that stand there: several where a field holds a list.
    pub(crate) fn words(&self, from: &NameFrom) -> Words<'p> {
        match from {
            NameFrom::Key => self.node.key().map(|key| self.names.text(key).into()).into_iter().collect(),
            NameFrom::Stem | NameFrom::Path | NameFrom::Folder => {
                from.of_path(self.relative).map(Cow::Owned).into_iter().collect()
            }
            NameFrom::Mod => smallvec![self.owner.into()],
            NameFrom::Head(path) => find(self.node.document().root(), path, self.names).map(words).unwrap_or_default(),
            NameFrom::Field(path) | NameFrom::Fields(path) => {
                find(self.node, path, self.names).map(words).unwrap_or_default()
            }
            NameFrom::Template(template) => template.fill(self).map(Cow::Owned).into_iter().collect(),
            NameFrom::Nothing => Words::new(),
        }
    }
}

/// The words of a piece: nearly always one.
pub(crate) type Words<'p> = SmallVec<[Cow<'p, str>; 1]>;

/// The words of a value: its own, or those of its entries.
fn words(node: Node<'_>) -> Words<'_> {
    match node.shape() {
        Shape::Text | Shape::Number => smallvec![node.text()],
        Shape::List => node.children().flat_map(words).collect(),
        _ => Words::new(),
    }
}

/// How the kind of a piece is known.
#[derive(Debug)]
pub(crate) enum Which {
    Always(KindId),
    By {
        from: NameFrom,
        /// As the rulebook writes `from`.
        told: String,
        words: FxHashMap<String, KindId>,
        /// Words with `*`, the longest first.
        patterns: Vec<(String, KindId)>,
    },
}

impl Which {
    /// All kinds that pieces can have.
    pub(crate) fn kinds(&self) -> Vec<KindId> {
        match self {
            Which::Always(kind) => vec![*kind],
            Which::By { words, patterns, .. } => {
                let mut kinds: Vec<_> = words.values().chain(patterns.iter().map(|(_, kind)| kind)).copied().collect();
                kinds.sort();
                kinds.dedup();
                kinds
            }
        }
    }

    /// Whether pieces can have a kind.
    pub(crate) fn has(&self, kind: KindId) -> bool {
        match self {
            Which::Always(only) => *only == kind,
            Which::By { words, patterns, .. } => {
                patterns.iter().any(|(_, of)| *of == kind) || words.values().any(|of| *of == kind)
            }
        }
    }

    /// The kind that a word stands for.
    pub(crate) fn kind_of(&self, word: &str) -> Option<KindId> {
        match self {
            Which::Always(kind) => Some(*kind),
            Which::By { words, patterns, .. } => {
                let by_pattern = || patterns.iter().find(|(pattern, _)| fits(pattern, word)).map(|(_, kind)| *kind);
                words.get(word).copied().or_else(by_pattern)
            }
        }
    }
}

impl Where {
    /// Whether a piece is meant by this place at all.
    pub(crate) fn takes(&self, piece: &Piece<'_>) -> bool {
        self.test.as_ref().is_none_or(|test| piece.passes(test))
    }

    /// The kind of a piece, or the word that is no kind.
    pub(crate) fn kind_of(&self, piece: &Piece<'_>) -> Result<KindId, Option<String>> {
        match &self.which {
            Which::Always(kind) => Ok(*kind),
            Which::By { from, .. } => {
                let word = piece.word(from);
                word.as_deref().and_then(|word| self.which.kind_of(word)).ok_or(word)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::{Document, Format};
    use crate::source::FileId;

    #[test]
    fn words_come_from_keys_files_fields_and_templates() {
        let names = Names::new();
        let text = r#"{"reed": {"of": {"sort": "wet"}, "also": ["rush", "sedge"], "nr": 4}}"#;
        let document = Document::parse(FileId(0), Format::Json, text.into(), &names);
        let node = document.root().get_named("reed", &names).unwrap();
        let piece = Piece { node, relative: "plants/fen/all.json", owner: "marsh", names: &names };
        let words = |from: &str| piece.words(&NameFrom::parse(from).unwrap()).join(" ");
        for (from, wanted) in [
            ("key", "reed"),
            ("stem", "all"),
            ("path", "plants/fen/all"),
            ("folder", "fen"),
            ("of.sort", "wet"),
            ("also", "rush sedge"),
            ("none", ""),
            ("{key}_{nr}[_{size}][.{of.sort}]", "reed_4.wet"),
            ("{key}_{size}", ""),
            ("{mod}:{path|after:plants/|before:/}/{key|upper}", "marsh:fen/REED"),
            ("{/reed.nr}-{key}", "4-reed"),
        ] {
            assert_eq!(words(from), wanted, "{from}");
        }
        assert_eq!(NameFrom::parse("{key").unwrap_err(), "`{key` lacks a `}`");
        let from = NameFrom::parse("{mod}:{key|lower}[@{nr}]").unwrap();
        let apart = |id: &str| from.words_of(id).map(|all| all.into_iter().map(|(_, text)| text).collect::<Vec<_>>());
        assert_eq!(apart("marsh:reed@4").unwrap(), ["marsh", "reed", "4"]);
        assert_eq!(apart("marsh:reed").unwrap(), ["marsh", "reed"]);
        assert_eq!(apart("reed"), None);
        let fields = NameFrom::parse("{a}[_{b}]").unwrap();
        let fields: Vec<_> = fields.fields().into_iter().map(|(path, optional)| (path.to_string(), optional)).collect();
        assert_eq!(fields, [("a".to_owned(), false), ("b".to_owned(), true)]);
    }
}
