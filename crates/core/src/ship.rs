//! What leaves the workspace: the files that the game reads.

mod build;
mod carve;
mod output;
mod pack;

#[cfg(test)]
mod tests;

pub use build::{BuildError, BuildReport, BuiltFile, build};
pub use output::{BuildPlan, BuildRecord, OutputError, plan_output};
pub use pack::{Pack, PackError, archive, pack};
