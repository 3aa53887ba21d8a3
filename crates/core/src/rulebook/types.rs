//! The compiled form of the rulebook: kinds and field types, found by number.

use rustc_hash::{FxHashMap, FxHashSet};

use super::captures::{Capture, PackRule};
use super::demands::Demands;
use super::derived::DerivedRule;
use super::install::InstallRule;
use super::link::Decoration;
use super::naming::Which;
use super::operations::Marker;
use super::part_folders::PartFolders;
use super::path_of::PathOf;
use super::pattern::Pattern;
use super::saved::SavedRule;
use super::severities::SeverityRule;
use super::test::Test;
use super::texts::TextsRule;
use super::written::Written;
use crate::document::{Draft, FieldPath, Notation, Number};
use crate::names::Sym;
use crate::source::Place;

pub use super::kind::{Again, Kind};
pub(crate) use super::kind::{LedBy, Members, Renames, TextRule};
pub use super::rule::{Rule, Severity};

/// A kind of definition.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct KindId(pub(crate) u16);

/// A set of kinds whose ids may not collide.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct SpaceId(pub(crate) u16);

/// The type of a field, an entry or a value.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct TypeId(pub(crate) u32);

/// The description of one game.
#[derive(Debug)]
pub struct Rulebook {
    /// Whether one of its files cannot be read, so that nothing it says can be relied upon.
    pub(crate) broken: bool,
    pub(crate) game: Game,
    pub(crate) manifest: Option<ManifestRule>,
    /// Whether something is said of manifests, well or not.
    pub(crate) manifest_meant: bool,
    pub(crate) texts: Option<TextsRule>,
    pub(crate) ignore: globset::GlobSet,
    /// Files that must be in each folder that a pattern fits.
    pub(crate) files_needed: Vec<FileNeeded>,
    /// Whether capitals count in the names of files that fields name.
    pub(crate) file_case: bool,
    /// Words that stand for folders at the beginning of a file's name.
    pub(crate) folders: Vec<(String, String)>,
    pub(crate) reader: Reader,
    /// What the game does with a fault, by code.
    pub(crate) game_does: Vec<(String, String, Place)>,
    pub(crate) places: Vec<Where>,
    pub(crate) kinds: Vec<Kind>,
    pub(crate) types: Vec<FieldType>,
    /// Notations that the rulebook describes, by name.
    pub(crate) notations: Vec<(String, Notation)>,
    /// Those of them with a fault: nobody knows how files are written in them.
    pub(crate) uncertain: Vec<Notation>,
    pub(crate) by_name: FxHashMap<String, KindId>,
    /// Words that fields declare and use.
    pub(crate) vocabularies: Vec<Vocabulary>,
    /// Types of whole definitions in which something is not written as what it is.
    pub(crate) reads: FxHashSet<TypeId>,
    /// Patterns of ids in script files.
    pub(crate) scripts: Vec<Script>,
    pub(crate) captures: Vec<Capture>,
    pub(crate) pack: PackRule,
    pub(crate) install: Option<InstallRule>,
    pub(crate) saved: Vec<SavedRule>,
    pub(crate) severities: Vec<SeverityRule>,
    pub(crate) derived: Vec<DerivedRule>,
    /// The mods that bring a part of it along, by id.
    pub(crate) supplements: Vec<String>,
    /// Marks on elements that say what becomes of inherited values.
    pub(crate) markers: Vec<Marker>,
}

/// The game's name and edition.
#[derive(Clone, Debug, Default)]
pub struct Game {
    /// The game's name.
    pub name: String,
    /// What stands for the mod's id in ids of the base.
    pub(crate) id: Option<String>,
    /// Its version.
    pub edition: Option<String>,
    /// What players choose for a whole game, one at a time.
    pub modes: Vec<String>,
}

#[derive(Debug)]
pub(crate) struct ManifestRule {
    /// Its name; without one, mods have none.
    pub(crate) file: Option<String>,
    /// Whether a mod may be without it.
    pub(crate) optional: bool,
    /// How it is written, where its name does not tell.
    pub(crate) notation: Option<Notation>,
    /// The field with the mod's id; without one, the folder's name is the id.
    pub(crate) id: Option<FieldPath>,
    pub(crate) name: Option<FieldPath>,
    pub(crate) version: Option<FieldPath>,
    pub(crate) made_for: Option<FieldPath>,
    pub(crate) requires: Option<Pattern>,
    pub(crate) after: Option<Pattern>,
    pub(crate) excludes: Option<Pattern>,
    /// Where the version of a required mod stands.
    pub(crate) requires_version: Option<Pattern>,
    /// How id and version are written in one text.
    pub(crate) requires_as: Option<(String, String)>,
    pub(crate) semver: bool,
    /// The folders that apply only under a condition.
    pub(crate) parts: PartFolders,
    pub(crate) root: TypeId,
}

/// A file that must be in each folder of some sort.
#[derive(Debug)]
pub(crate) struct FileNeeded {
    pub(crate) folders: globset::GlobMatcher,
    pub(crate) file: String,
    /// Where the rulebook says it.
    pub(crate) place: Place,
}

/// A pattern of the ids that script files declare or use.
#[derive(Debug)]
pub(crate) struct Script {
    pub(crate) files: globset::GlobSet,
    /// With one group: the id.
    pub(crate) pattern: regex::Regex,
    pub(crate) kind: KindId,
    /// Whether the script declares the id; otherwise the type of the link.
    pub(crate) link: Option<TypeId>,
}

/// What the game's own reader takes; nothing where it is not known.
#[derive(Clone, Debug, Default)]
pub(crate) struct Reader {
    /// Keys that are remarks; `*` stands for anything.
    pub(crate) comment_keys: Vec<String>,
    pub(crate) byte_order_mark: Option<bool>,
    pub(crate) comments: Option<bool>,
    pub(crate) trailing_commas: Option<bool>,
    /// Whether words of YAML 1.1 are read as in it.
    pub(crate) old_yaml: bool,
    /// Elements for which one of these holds are passed over, with all that is in them.
    pub(crate) inert: Vec<Test>,
}

impl Reader {
    /// Whether a file may not begin with a byte order mark: strict readers of JSON do not know it.
    pub(crate) fn refuses_mark(&self, is_json: bool) -> bool {
        let strict = is_json && self.comments == Some(false) && self.trailing_commas == Some(false);
        self.byte_order_mark.map_or(strict, |reads| !reads)
    }
}

#[derive(Debug)]
pub(crate) struct Where {
    /// Where the rulebook says it.
    pub(crate) place: Place,
    pub(crate) files: globset::GlobSet,
    pub(crate) patterns: Vec<String>,
    pub(crate) cut: Pattern,
    pub(crate) which: Which,
    /// Of the pieces only those for which this holds are definitions of this place.
    pub(crate) test: Option<Test>,
    /// Where it holds of a file, the file hides those at the same path in lower layers.
    pub(crate) shadows: Option<Test>,
    pub(crate) built: Option<String>,
    /// How the files are written, where their names do not tell.
    pub(crate) notation: Option<Notation>,
    /// Whether nothing says how they are written, which is told.
    pub(crate) unreadable: bool,
    /// The mod that brings the place along.
    pub(crate) from: Option<SupplementId>,
}

impl Where {
    /// Whether a file of this place holds one definition.
    pub(crate) fn holds_one(&self) -> bool {
        !matches!(
            self.cut.0.last(),
            Some(
                super::pattern::PatternStep::Entries
                    | super::pattern::PatternStep::Values
                    | super::pattern::PatternStep::Keys,
            )
        )
    }

    /// Whether it names a file itself, instead of by a pattern that it happens to fit.
    pub(crate) fn names_file(&self, relative: &str) -> bool {
        self.patterns.iter().any(|pattern| pattern == relative)
    }

    /// Whether definitions of a kind can be written into files of this place.
    pub(crate) fn writes(&self, kind: KindId) -> bool {
        self.which.has(kind)
            && self
                .patterns
                .iter()
                .any(|pattern| self.notation_of(pattern).is_some_and(|notation| !notation.is_read_only()))
    }

    /// How a file of this place is written.
    pub(crate) fn notation_of(&self, path: &str) -> Option<Notation> {
        self.notation.clone().map(|notation| notation.at(path)).or_else(|| Notation::of(path))
    }
}

/// A limit of a number.
#[derive(Clone, Debug)]
pub(crate) struct Limit {
    pub(crate) number: Number,
    pub(crate) value: f64,
}

impl Limit {
    pub(crate) fn new(number: Number) -> Option<Limit> {
        let value = crate::document::float(number.notation())?;
        Some(Limit { number, value })
    }
}

/// A mod that brings a part of the rulebook along, by its number among those that do.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub(crate) struct SupplementId(pub(crate) u16);

/// Limits that hold for those who do not stand on a mod.
#[derive(Clone, Debug)]
pub(crate) struct Narrow {
    pub(crate) min: Option<Limit>,
    pub(crate) max: Option<Limit>,
    /// The mod that widens them.
    pub(crate) from: SupplementId,
}

/// The type of one field.
#[derive(Debug)]
pub struct FieldType {
    pub(crate) pattern: String,
    pub(crate) reading: Reading,
    pub(crate) optional: bool,
    pub(crate) default: Option<Draft>,
    pub(crate) unit: Option<String>,
    pub(crate) about: Option<String>,
    pub(crate) min: Option<Limit>,
    pub(crate) max: Option<Limit>,
    /// What few fields have.
    pub(crate) more: Option<Box<Demands>>,
    /// How values are written, where that is not what they are.
    pub(crate) written: Option<Box<Written>>,
    /// What a link says beyond its kinds.
    pub(crate) link: Option<Box<Decoration>>,
    /// The mod that brings the field along.
    pub(crate) from: Option<SupplementId>,
    /// The limits without those that a mod brings along.
    pub(crate) narrow: Option<Box<Narrow>>,
}

/// How a field's notation is read.
#[derive(Debug)]
pub(crate) enum Reading {
    Any,
    Integer,
    Number,
    Boolean,
    Text,
    Choice(Words),
    /// A word of a vocabulary, by its number.
    Word {
        of: usize,
        declares: bool,
    },
    Flags(Words),
    Link(Vec<KindId>),
    /// The parent field: the target is looked up by inheritance, not as a link.
    Parent(KindId),
    File(FileTemplate),
    /// Part of the key of a text that players see.
    Key(FileTemplate),
    /// The path of a field.
    Path(Box<PathOf>),
    /// A calculation with the fields of a kind, without it of the definition's own, and further names.
    Formula {
        over: Option<KindId>,
        names: Vec<String>,
    },
    /// Values in fixed places; those from `needed` on may be left out.
    Tuple {
        places: Vec<TypeId>,
        needed: usize,
    },
    List(ListType),
    Table(TableType),
    Map {
        key: Option<TypeId>,
        value: TypeId,
    },
    /// A table whose other fields are told by the word in one of them.
    Choose {
        by: Sym,
        cases: FxHashMap<String, TypeId>,
        /// What all cases share.
        other: TypeId,
        /// What counts where no word says which case it is.
        untold: TypeId,
    },
    /// A table or a single value.
    Either {
        table: TypeId,
        single: TypeId,
    },
}

impl Reading {
    /// Whether values have entries.
    pub(crate) fn is_many(&self) -> bool {
        matches!(self, Reading::Any | Reading::List(_) | Reading::Flags(_) | Reading::Tuple { .. } | Reading::Parent(_))
    }
}

/// Words that the rulebook lists and fields declare.
#[derive(Debug)]
pub(crate) struct Vocabulary {
    pub(crate) name: String,
    /// Listed words; `*` stands for anything.
    pub(crate) listed: Vec<String>,
    /// Whether what a definition declares holds within it alone.
    pub(crate) in_definition: bool,
    /// How bad a word is that nothing declares.
    pub(crate) lacking: Option<Severity>,
    /// How bad a word is that is declared and that nothing uses.
    pub(crate) unused: Option<Severity>,
    /// Whether a word can be declared in one place only.
    pub(crate) once: bool,
}

impl Vocabulary {
    pub(crate) fn lists(&self, word: &str) -> bool {
        self.listed.iter().any(|listed| super::link::fits(listed, word))
    }

    /// The listed words that stand for themselves.
    pub(crate) fn plain(&self) -> impl Iterator<Item = &str> {
        self.listed.iter().map(String::as_str).filter(|word| !word.contains('*'))
    }
}

#[derive(Debug)]
pub(crate) struct Words {
    pub(crate) listed: Vec<String>,
    pub(crate) set: FxHashSet<String>,
    /// Words that mods bring along.
    pub(crate) from: Vec<(String, SupplementId)>,
}

impl Words {
    pub(crate) fn new(listed: Vec<String>) -> Words {
        Words { set: listed.iter().cloned().collect(), listed, from: Vec::new() }
    }
}

/// What stands in a file's place for any folder, and any number of them.
pub(crate) const ANY_FOLDER: &str = "**/";

/// Where a file stands that a value names: the value stands between two texts. `./` before it begins at the
/// naming file's folder, `**/` at any, at the beginning or below a folder.
#[derive(Clone, Debug)]
pub(crate) struct FileTemplate {
    pub(crate) before: String,
    pub(crate) after: String,
    /// Other places where the file may be.
    pub(crate) others: Vec<FileTemplate>,
}

impl FileTemplate {
    /// Reads a template with one `*`, or one `**/` and then one.
    pub(crate) fn parse(text: &str) -> Option<FileTemplate> {
        let (root, rest) = text.split_once(ANY_FOLDER).unwrap_or(("", text));
        let (_, after) = rest.split_once('*').filter(|(_, after)| !after.contains('*'))?;
        let before = text.strip_suffix(after)?.strip_suffix('*')?;
        let apart = root.is_empty() || root.ends_with('/') && !root.contains('*');
        apart.then(|| FileTemplate { before: before.to_owned(), after: after.to_owned(), others: Vec::new() })
    }

    /// The value that leads to a file.
    pub(crate) fn value_of<'p>(&self, path: &'p str) -> Option<&'p str> {
        let named = match self.before.split_once(ANY_FOLDER) {
            Some((root, lead)) => {
                let below = path.strip_prefix(root)?;
                below.rsplit_once('/').map_or(below, |(_, name)| name).strip_prefix(lead)?
            }
            None => path.strip_prefix(&*self.before)?,
        };
        named.strip_suffix(&*self.after)
    }

    /// Whether a folder is named, in which a file has to be.
    pub(crate) fn names_folder(&self) -> bool {
        self.after.ends_with('/')
    }

    pub(crate) fn fill(&self, value: &str) -> String {
        format!("{}{value}{}", self.before, self.after)
    }

    /// All places, the first first.
    pub(crate) fn all(&self) -> impl Iterator<Item = &FileTemplate> {
        std::iter::once(self).chain(&self.others)
    }
}

/// Where a file has to be that a value names.
pub(crate) enum FileSought {
    /// At this path.
    At(String),
    /// At some path that fits a pattern with `*`: a name with a `*` in it, or one in the folder that is named.
    Fitting(String),
}

/// How a list's entries count.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum ListShape {
    /// Each value once; order means nothing.
    Set,
    /// Entries are known by some of their fields.
    Keyed,
    /// Equal entries count; order means nothing.
    Bag,
    /// One value in its order.
    Sequence,
}

impl ListShape {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            ListShape::Set => "set",
            ListShape::Keyed => "keyed",
            ListShape::Bag => "bag",
            ListShape::Sequence => "sequence",
        }
    }
}

#[derive(Debug)]
pub(crate) struct ListType {
    pub(crate) shape: ListShape,
    pub(crate) by: Vec<Sym>,
    pub(crate) join: bool,
    pub(crate) entry: TypeId,
}

#[derive(Debug, Default)]
pub(crate) struct TableType {
    pub(crate) fields: Vec<(Sym, TypeId)>,
    pub(crate) index: FxHashMap<Sym, u32>,
    /// The needed ones of the first 128 fields.
    pub(crate) needed: u128,
    /// The numbers of the needed ones behind these.
    pub(crate) needed_behind: Vec<u32>,
    pub(crate) open: bool,
    /// Whether it is part of something that is made up elsewhere, so that nothing in it counts by default: changes of
    /// fields, or what does not say which case it is.
    pub(crate) partial: bool,
}

impl TableType {
    /// Whether a field, by its number, must be there.
    pub(crate) fn needs(&self, at: usize) -> bool {
        match at {
            0..128 => self.needed & (1 << at) != 0,
            _ => self.needed_behind.iter().any(|known| *known as usize == at),
        }
    }

    /// The needed fields behind the first 128.
    pub(crate) fn needed_behind(&self) -> impl Iterator<Item = &(Sym, TypeId)> {
        self.needed_behind.iter().filter_map(|at| self.fields.get(*at as usize))
    }

    pub(crate) fn get(&self, key: Sym) -> Option<TypeId> {
        let at = self.index.get(&key)?;
        self.fields.get(*at as usize).map(|(_, ty)| *ty)
    }
}

impl FieldType {
    /// A type of which nothing more is said.
    pub(super) fn plain(reading: Reading) -> FieldType {
        FieldType {
            pattern: String::new(),
            reading,
            optional: false,
            default: None,
            unit: None,
            about: None,
            min: None,
            max: None,
            more: None,
            written: None,
            link: None,
            from: None,
            narrow: None,
        }
    }

    /// The pattern under which the rulebook describes it.
    pub fn pattern(&self) -> &str {
        &self.pattern
    }

    /// What the field means.
    pub fn about(&self) -> Option<&str> {
        self.about.as_deref()
    }

    /// The words that it can hold: of a choice or of flags.
    pub fn words(&self) -> &[String] {
        match &self.reading {
            Reading::Choice(words) | Reading::Flags(words) => &words.listed,
            _ => &[],
        }
    }

    /// The unit of a number.
    pub fn unit(&self) -> Option<&str> {
        self.unit.as_deref()
    }

    /// The unit that a value stands for: none behind one that is written with its own, as `5 kg`.
    pub fn unit_of(&self, value: &Draft) -> Option<&str> {
        let has_own = self.written.as_ref().is_some_and(|written| !written.units.is_empty())
            && matches!(value, Draft::Text(text) if text.contains(char::is_alphabetic));
        self.unit.as_deref().filter(|_| !has_own)
    }

    /// Whether its values are written with this unit beside the number.
    pub fn is_written_in(&self, unit: &str) -> bool {
        self.written.as_ref().is_some_and(|written| written.units.iter().any(|(name, _)| name == unit))
    }

    /// What counts where nothing is stated.
    pub fn default(&self) -> Option<&Draft> {
        self.default.as_ref()
    }

    /// Whether it may be left out.
    pub fn optional(&self) -> bool {
        self.optional
    }

    pub(crate) fn demands(&self) -> Option<&Demands> {
        self.more.as_deref()
    }

    /// Whether it exists only where a test holds.
    pub fn is_conditional(&self) -> bool {
        self.only().is_some()
    }

    /// What to use instead, where the field is retired.
    pub fn retired(&self) -> Option<&str> {
        self.more.as_ref()?.retired.as_deref()
    }

    /// The words of which a complete value has all, with types looked up by number.
    pub(crate) fn all_words<'t>(&'t self, reading: &dyn Fn(TypeId) -> Option<&'t Reading>) -> Option<&'t Words> {
        let choice = |id: TypeId| match reading(id) {
            Some(Reading::Choice(words)) => Some(words),
            _ => None,
        };
        match &self.reading {
            Reading::Flags(words) => Some(words),
            Reading::Map { key: Some(key), .. } => choice(*key),
            Reading::List(list) => match (list.by.as_slice(), reading(list.entry)) {
                ([by], Some(Reading::Table(table))) => choice(table.get(*by)?),
                _ => choice(list.entry),
            },
            _ => None,
        }
    }

    pub(crate) fn is_number(&self) -> bool {
        matches!(self.reading, Reading::Integer | Reading::Number)
    }
}
