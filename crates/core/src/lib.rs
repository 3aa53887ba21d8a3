//! The core of Cognomen.
#![deny(missing_docs, unreachable_pub)]
mod author;
mod catalog;
mod check;
mod document;
mod effective;
mod look;
mod ship;
mod expression;
mod names;
mod nearest;
mod own;
mod rulebook;
mod source;
mod workspace;
pub use author::*;
pub use catalog::*;
pub use check::*;
pub use document::*;
pub use effective::*;
pub use look::*;
pub use ship::*;
pub use expression::*;
pub use names::*;
pub use own::*;
pub use rulebook::*;
pub use source::*;
pub use workspace::*;
