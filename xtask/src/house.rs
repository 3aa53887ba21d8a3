//! Checks of the house: nothing points backwards, files are not too long, paths in the docs are there.

use std::path::{Path, PathBuf};

use anyhow::{Result, bail};

use crate::root;

/// The rooms of the core in the order of the flow; each uses only those before it.
const ROOMS: [&str; 16] = [
    "names",
    "nearest",
    "source",
    "document",
    "own",
    "rulebook",
    "workspace",
    "catalog",
    "expression",
    "effective",
    "settle",
    "check",
    "look",
    "author",
    "ship",
    "plant",
];

/// Crates that have no place in the core.
const OUTSIDE: [&str; 6] = ["clap", "anstyle", "anstream", "indicatif", "annotate-snippets", "anyhow"];

const LONGEST: usize = 600;

/// Says what is wrong with the house.
pub fn house() -> Result<()> {
    let mut faults = Vec::new();
    let core = root().join("crates/core/src");
    for file in rust_files(&root()) {
        let text = std::fs::read_to_string(&file)?;
        let shown = file.strip_prefix(root()).unwrap_or(&file).to_string_lossy().replace('\\', "/");
        let lines = text.lines().count();
        let reason = text.lines().take(6).any(|line| line.contains("Long because"));
        if lines > LONGEST && !reason {
            faults.push(format!("{shown} has {lines} lines; say why in its first lines (`Long because`), or split it"));
        }
        if !text.starts_with("//!") {
            faults.push(format!("{shown} does not open with `//!`"));
        }
        // journals are written with `serde_json`; data never becomes a tree of its values
        if file.starts_with(&core)
            && !shown.contains("tests")
            && (text.contains("json!(") || text.contains("json::Value"))
        {
            faults.push(format!("{shown} builds JSON values by hand"));
        }
        if let Ok(relative) = file.strip_prefix(&core) {
            faults.extend(backwards(relative, &text, &shown));
        }
    }
    let manifest = std::fs::read_to_string(root().join("crates/core/Cargo.toml"))?;
    let dependencies = manifest.split("[dependencies]").nth(1).unwrap_or("").split("\n[").next().unwrap_or("");
    for name in OUTSIDE {
        if dependencies
            .lines()
            .any(|line| line.starts_with(&format!("{name}.")) || line.starts_with(&format!("{name} ")))
        {
            faults.push(format!("the core depends on {name}"));
        }
    }
    faults.extend(paths("docs/ARCHITECTURE.md")?);
    faults.extend(paths("README.md")?);
    if faults.is_empty() {
        println!("the house is in order");
        return Ok(());
    }
    bail!("{}", faults.join("\n"))
}

fn rust_files(top: &Path) -> Vec<PathBuf> {
    let mut files = Vec::new();
    let mut todo: Vec<PathBuf> = ["crates", "xtask", "benches"].iter().map(|folder| top.join(folder)).collect();
    while let Some(folder) = todo.pop() {
        for entry in std::fs::read_dir(&folder).into_iter().flatten().flatten() {
            let path = entry.path();
            if path.is_dir() && path.file_name().is_some_and(|name| name != "target") {
                todo.push(path);
            } else if path.extension().is_some_and(|ending| ending == "rs") {
                files.push(path);
            }
        }
    }
    files.sort();
    files
}

/// Uses of a later room.
fn backwards(relative: &Path, text: &str, shown: &str) -> Vec<String> {
    let first = relative.components().next().map(|part| part.as_os_str().to_string_lossy().into_owned());
    let room = first.unwrap_or_default().trim_end_matches(".rs").to_owned();
    let Some(own) = ROOMS.iter().position(|known| *known == room) else { return Vec::new() };
    // tests may look at the whole
    let is_test = relative.ends_with("tests.rs");
    let code = text.split("#[cfg(test)]\nmod tests {").next().unwrap_or(text);
    let later = ROOMS.iter().skip(own + 1).filter(|_| !is_test);
    let uses =
        later.filter(|later| code.contains(&format!("crate::{later}::")) || code.contains(&format!("crate::{later}`")));
    uses.map(|later| format!("{shown} uses `{later}`, which comes after `{room}`")).collect()
}

/// Paths in backticks or links of a page that are not there.
fn paths(page: &str) -> Result<Vec<String>> {
    let text = std::fs::read_to_string(root().join(page))?;
    let mut faults = Vec::new();
    let folder = root().join(page).parent().map(Path::to_owned).unwrap_or_default();
    for part in text.split('`').skip(1).step_by(2) {
        let is_path = part.contains('/') && !part.contains([' ', '*', '<', '{', '|']) && !part.starts_with("kind/");
        let ours = ["crates/", "xtask/", "docs/", "examples/", "benches/", ".ci/"];
        if is_path && ours.iter().any(|top| part.starts_with(top)) && !root().join(part).exists() {
            faults.push(format!("{page} names `{part}`, which is not there"));
        }
    }
    for part in text.split("](").skip(1) {
        let target = part.split(')').next().unwrap_or("");
        if !target.contains("://") && !target.starts_with('#') {
            let file = target.split('#').next().unwrap_or("");
            if !folder.join(file).exists() {
                faults.push(format!("{page} links to {target}, which is not there"));
            }
        }
    }
    Ok(faults)
}
