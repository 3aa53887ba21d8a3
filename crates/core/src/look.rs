//! Looking around: finding definitions and showing them whole.

mod compare;
mod coverage;
mod examples;
mod find;
mod groups;
mod ids;
mod links;
mod saved;
mod show;
mod spread;
mod texts;

pub use compare::{ComparedRow, compare};
pub use coverage::{Coverage, Gap, KindCoverage, LinkCoverage, coverage};
pub use examples::examples;
pub use find::{Filter, FindError, FindOptions, FindReport, Found, Hit, YOUR_NOTE, find_definitions, known_field};
pub use groups::{Alike, Belonging, GroupsReport, Twin, all_groups, groups_around, twins};
pub use ids::{Claim, Meets, NumberSpace, compared_with_claims, number_spaces};
pub use links::{End, How as LinkHow, Link, LinksReport, Subject, links, nearest_subject, subject};
pub use saved::{Lost, SavedError, SavedReport, Vanished, is_saved_game, saved, saved_game_folders, vanished};
pub use show::{Row, Shown, Step as ShownStep, show};
pub use spread::{Among, Bin, Sample, Series, SpreadError, SpreadOptions, SpreadReport, spread};
pub use texts::{LanguageTexts, ModTexts, Originals, TRANSLATIONS_FILE, TextRow, TextState, mod_texts, text_key};

pub(crate) use show::rows;
