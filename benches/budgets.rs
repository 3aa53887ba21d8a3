//! Prints the ratios of the budgets: each command against the yardstick, on generated data.
//!
//! The yardstick (`benches/yardstick`) parses the same bytes with `serde_json` into values on one thread and
//! keeps them. Runs are interleaved; the best of several counts. Goals, not tests: nothing fails here.
#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing)] // measures, is not the product

use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

const ROUNDS: usize = 5;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().to_owned()
}

fn cargo(args: &[&str], folder: &Path) {
    let status = Command::new(env!("CARGO")).args(args).current_dir(folder).status().unwrap();
    assert!(status.success(), "cargo {args:?}");
}

/// A generated workspace; kept between runs.
fn data(name: &str, options: &[&str]) -> PathBuf {
    let folder = root().join(format!("target/bench-data/{name}"));
    if !folder.join("cognomen.toml").exists() {
        let out = folder.to_string_lossy().into_owned();
        let args = ["run", "--release", "--quiet", "--package", "xtask", "--", "generate", "--out", &out];
        cargo(&[&args[..], options].concat(), &root());
    }
    folder
}

/// Seconds and peak memory in MB.
#[derive(Clone, Copy)]
struct Run {
    seconds: f64,
    megabytes: f64,
}

fn yardstick(data: &Path) -> (Run, f64) {
    let program = root().join("benches/yardstick/target/release/yardstick");
    let output = Command::new(program).arg(data).output().unwrap();
    let text = String::from_utf8(output.stdout).unwrap();
    let numbers: Vec<f64> = text.split_whitespace().map(|word| word.parse().unwrap()).collect();
    (Run { seconds: numbers[0], megabytes: numbers[2] / 1e3 }, numbers[1] / 1e6)
}

fn command(data: &Path, line: &[&str]) -> Run {
    let start = Instant::now();
    let output =
        Command::new(root().join("target/release/cognomen")).args(line).arg("-v").current_dir(data).output().unwrap();
    let seconds = start.elapsed().as_secs_f64();
    assert!(output.status.code().is_some_and(|code| code < 2), "{}", String::from_utf8_lossy(&output.stderr));
    let text = String::from_utf8_lossy(&output.stderr).into_owned();
    let memory = text.lines().find_map(|line| line.trim().strip_suffix(" MB  most memory used"));
    Run { seconds, megabytes: memory.and_then(|word| word.trim().parse().ok()).unwrap_or(0.0) }
}

fn better(best: &mut Option<Run>, run: Run) {
    if best.is_none_or(|best| run.seconds < best.seconds) {
        *best = Some(run);
    }
}

fn main() {
    cargo(&["build", "--release", "--quiet", "--package", "cognomen"], &root());
    cargo(&["build", "--release", "--quiet"], &root().join("benches/yardstick"));
    let plain = data("100000-0", &["--definitions", "100000", "--rules", "0"]);
    let ruled = data("100000-5", &["--definitions", "100000", "--rules", "5"]);
    let many = data("50000-40", &["--definitions", "50000", "--layers", "41", "--overrides", "20000"]);
    let lines: [(&str, &Path, &[&str], f64); 5] = [
        ("check", &plain, &["check", "--quiet"], 1.5),
        ("check with 5 rules a definition", &ruled, &["check", "--quiet"], 2.0),
        ("show", &plain, &["show", "ware/ware-500"], 1.0),
        ("find", &plain, &["find", "reeve", "smoky", "--kind", "ware", "--quiet"], 1.0),
        ("set", &plain, &["set", "ware/ware-500", "worth=12", "--dry-run"], 1.0),
    ];
    let mut stick: Option<Run> = None;
    let mut best: Vec<Option<Run>> = vec![None; lines.len()];
    let mut megabytes = 0.0;
    for _ in 0..ROUNDS {
        for (slot, (_, data, line, _)) in best.iter_mut().zip(&lines) {
            let (run, bytes) = yardstick(&plain);
            megabytes = bytes;
            better(&mut stick, run);
            better(slot, command(data, line));
        }
    }
    let stick = stick.unwrap();
    println!("100,000 definitions in 3 layers, {megabytes:.0} MB of JSON; best of {ROUNDS}");
    println!("{:<34} {:>8} {:>7} {:>7} {:>9} {:>7}", "", "seconds", "ratio", "budget", "memory MB", "x bytes");
    let row = |name: &str, run: Run, budget: &str| {
        let ratio = run.seconds / stick.seconds;
        let memory = run.megabytes / megabytes;
        println!("{name:<34} {:>8.3} {ratio:>7.2} {budget:>7} {:>9.0} {memory:>7.1}", run.seconds, run.megabytes);
    };
    row("yardstick (serde_json, kept)", stick, "");
    for (best, (name, _, _, budget)) in best.iter().zip(&lines) {
        row(name, best.unwrap(), &budget.to_string());
    }
    between_mods(&many);
}

/// What is told between many mods, against a check of the same workspace.
fn between_mods(data: &Path) {
    let lines: [(&str, &[&str], f64); 3] = [
        ("check", &["check", "--quiet"], 1.0),
        ("changes of one mod", &["changes", "mod-20"], 1.2),
        ("clashes", &["clashes"], 1.5),
    ];
    let mut best: [Option<Run>; 3] = [None; 3];
    for _ in 0..ROUNDS {
        for (slot, (_, line, _)) in best.iter_mut().zip(&lines) {
            better(slot, command(data, line));
        }
    }
    let check = best[0].unwrap();
    println!();
    println!("40 mods over 50,000 definitions, 20,000 overrides; memory at most 1.3 times that of the check");
    println!("{:<34} {:>8} {:>7} {:>7} {:>9} {:>7}", "", "seconds", "ratio", "budget", "memory MB", "ratio");
    for (best, (name, _, budget)) in best.iter().zip(&lines) {
        let run = best.unwrap();
        let (ratio, memory) = (run.seconds / check.seconds, run.megabytes / check.megabytes);
        println!("{name:<34} {:>8.3} {ratio:>7.2} {budget:>7} {:>9.0} {memory:>7.2}", run.seconds, run.megabytes);
    }
}
