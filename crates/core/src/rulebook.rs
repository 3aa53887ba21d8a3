//! The rulebook: what one game's definitions mean. Loaded from TOML, compiled to numbered types.
//!
//! Everything right of here is independent of the game. A notation that the rulebook learns to say is one
//! more key in `keys`, one more reading in `types`, and its file beside them.

mod belongings;
mod called;
mod captures;
mod compile;
mod demands;
mod derived;
mod describe;
mod drafted;
mod fields;
mod groups;
mod install;
mod keys;
mod kind;
mod link;
mod load;
mod lookup;
mod manifest;
mod map_keys;
mod naming;
mod notations;
mod old_yaml;
mod operations;
mod part_folders;
mod path_of;
mod paths;
mod pattern;
mod picture;
mod places;
mod read_as;
mod reading;
mod reference;
mod rule;
mod saved;
mod settle;
mod severities;
mod supplement;
mod template;
mod test;
mod texts;
mod types;
mod untold;
mod word;
mod written;

pub(crate) use drafted::tag_on;
pub use drafted::{Drafted, DraftedManifest, LeftOut, RawData, drafted_manifest};
pub use load::load_rulebook;
pub use part_folders::Condition;
pub use reference::rulebook_reference;
pub use types::{Again, FieldType, Game, Kind, KindId, ListShape, Rule, Rulebook, Severity, SpaceId, TypeId};

pub(crate) use captures::Capture;
pub(crate) use demands::{Demands, in_ranges, ranges_in_words};
pub(crate) use derived::DerivedRule;
pub(crate) use describe::{article, of_another_kind};
pub(crate) use groups::{Counted, Group};
pub(crate) use install::{EnabledRule, ListForm};
pub(crate) use kind::PathStart;
pub(crate) use link::{Decoration, fits};
pub(crate) use load::load_with_supplements;
pub(crate) use naming::{NameFrom, Piece, Which};
pub(crate) use operations::{Marker, Native, Operations};
pub(crate) use path_of::PathOf;
pub(crate) use pattern::{Pattern, PatternStep, Reached};
pub(crate) use read_as::{read_definitions, read_value, read_whole};
pub(crate) use reading::{Mention, NumberRange, TypeFault, Walk, Wrong};
pub(crate) use saved::{SavedIds, SavedRule};
pub(crate) use severities::SeverityRule;
pub(crate) use template::filled_in;
pub(crate) use test::{Test, TestPart, Wanted};
pub(crate) use texts::TextsRule;
pub(crate) use types::{ANY_FOLDER, FileSought, FileTemplate, ListType, ManifestRule, Reading, SupplementId, Where};
pub(crate) use word::Word;
pub(crate) use written::Written;
