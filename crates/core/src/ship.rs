//! What leaves the workspace: the files that the game reads.

mod build;
mod carve;
mod enabled;
mod install;
mod output;
mod pack;
mod standing;

#[cfg(test)]
mod tests;

pub use build::{BuildError, BuildReport, BuiltFile, build, build_with};
pub use install::{
    Enabling, InstallError, InstallPlan, Installation, RemovePlan, Replaced, defines, game_folder, plan_install,
    plan_removal,
};
pub use output::{BuildPlan, BuildRecord, OutputError, plan_output};
pub use pack::{Pack, PackError, archive, pack};
pub use standing::{Standing, standing};
