//! What continuous integration runs, step by step.

use std::process::Command;
use std::time::Instant;

use anyhow::{Context, Result, bail};

use crate::root;

/// Runs every step; stops at the first that fails.
pub fn ci() -> Result<()> {
    let demo = std::env::temp_dir().join(format!("cognomen-demo-{}", std::process::id()));
    let demo_path = demo.to_string_lossy().into_owned();
    let steps: [(&str, &[&str]); 6] = [
        ("format", &["fmt", "--all", "--check"]),
        ("clippy", &["clippy", "--workspace", "--all-targets", "--", "-D", "warnings"]),
        ("tests", &["test", "--workspace"]),
        ("house", &["run", "--quiet", "--package", "xtask", "--", "house"]),
        ("references", &["run", "--quiet", "--package", "xtask", "--", "references", "--check"]),
        ("the README's demo", &["run", "--release", "--", "demo", &demo_path]),
    ];
    for (name, args) in steps {
        let start = Instant::now();
        println!("== {name}: cargo {}", args.join(" "));
        let status = Command::new(env!("CARGO")).args(args).current_dir(root()).status().context("cargo runs")?;
        if !status.success() {
            bail!("{name} failed");
        }
        println!("== {name}: {:.0} s", start.elapsed().as_secs_f64());
    }
    std::fs::remove_dir_all(demo)?;
    println!("all steps passed");
    Ok(())
}
