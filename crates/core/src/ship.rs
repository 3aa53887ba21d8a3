//! What leaves the workspace: the files that the game reads.

mod build;

#[cfg(test)]
mod tests;

pub use build::{BuildError, BuildReport, BuiltFile, build};
