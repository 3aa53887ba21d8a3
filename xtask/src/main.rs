//! Developer's chores. `cargo xtask help` lists them.
#![allow(clippy::indexing_slicing, clippy::unwrap_used)] // chores, not the product

mod ci;
mod generate;
mod hostile;
mod house;
mod plant;
mod real;
mod references;
mod screenshots;

use std::path::PathBuf;

use clap::{Parser, Subcommand};

#[derive(Parser)]
#[command(about = "Developer's chores")]
struct Args {
    #[command(subcommand)]
    chore: Chore,
}

#[derive(Subcommand)]
enum Chore {
    /// Everything that continuous integration runs.
    Ci,
    /// Writes a generated workspace for measuring.
    Generate(generate::GenerateArgs),
    /// Kills, writers at once, bad disks and hostile files, tried on the built program.
    Hostile(hostile::HostileArgs),
    /// Checks the house itself: which room uses which, lengths of files, paths in the docs.
    House,
    /// Plants faults into a clean workspace, one at a time, and says which of them are told.
    Plant(plant::PlantArgs),
    /// Try the readers and edits of all formats on the files below a folder.
    Real(real::RealArgs),
    /// Writes the generated parts of the docs anew.
    References {
        /// Only say whether they are as they should be.
        #[arg(long)]
        check: bool,
    },
    /// Takes the pictures in docs/screenshots anew.
    Screenshots {
        /// Only these
        names: Vec<String>,
    },
}

/// The project's top folder.
fn root() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).parent().expect("xtask lies in the project").to_owned()
}

fn main() -> anyhow::Result<()> {
    match Args::parse().chore {
        Chore::Ci => ci::ci(),
        Chore::Generate(args) => generate::generate(&args),
        Chore::Hostile(args) => hostile::hostile(&args),
        Chore::House => house::house(),
        Chore::Plant(args) => plant::plant(&args),
        Chore::Real(args) => real::real(&args),
        Chore::References { check } => references::references(check),
        Chore::Screenshots { names } => screenshots::screenshots(&names),
    }
}
