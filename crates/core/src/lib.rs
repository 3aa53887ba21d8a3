//! The core of Cognomen.
#![deny(missing_docs, unreachable_pub)]
mod document;
mod names;
mod source;
pub use document::*;
pub use names::*;
pub use source::*;
