//! The core of Cognomen.
#![deny(missing_docs, unreachable_pub)]
mod catalog;
mod document;
mod names;
mod nearest;
mod own;
mod rulebook;
mod source;
mod workspace;
pub use catalog::*;
pub use document::*;
pub use names::*;
pub use own::*;
pub use rulebook::*;
pub use source::*;
pub use workspace::*;
