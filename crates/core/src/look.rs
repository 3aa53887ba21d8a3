//! Looking around: finding definitions and showing them whole.

mod find;
mod show;

pub use find::{Filter, FindError, FindOptions, FindReport, Found, Hit, find_definitions};
pub use show::{Row, Shown, Step as ShownStep, show};
