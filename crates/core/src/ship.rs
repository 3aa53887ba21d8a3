//! What leaves the workspace: the files that the game reads.

mod build;

pub use build::{BuildError, BuildReport, BuiltFile, build};
