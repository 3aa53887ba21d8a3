//! Developer's chores. `cargo xtask help` lists them.
#![allow(clippy::indexing_slicing, clippy::unwrap_used)] // chores, not the product

mod generate;

use clap::{Parser, Subcommand};

#[derive(Parser)]
#[command(about = "Developer's chores")]
struct Args {
    #[command(subcommand)]
    chore: Chore,
}

#[derive(Subcommand)]
enum Chore {
    /// Writes a generated workspace for measuring.
    Generate(generate::GenerateArgs),
}

fn main() -> anyhow::Result<()> {
    match Args::parse().chore {
        Chore::Generate(args) => generate::generate(&args),
    }
}
