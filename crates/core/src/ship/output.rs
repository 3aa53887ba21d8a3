//! The folder that a build goes into: what is written, what an earlier build left and is not any more, and what
//! is not ours and stays.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use serde::{Deserialize, Serialize};

use super::build::BuildReport;
use crate::source::{ChangeSet, FileChange, Stamp, read_regular, slashed};

/// What builds wrote into a folder: each file with what it held. After a build that was cut off a file may have
/// one of two contents.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct BuildRecord {
    /// The number of this format: 1.
    pub format: u32,
    /// The folder.
    pub out: String,
    /// Files below it, with the stamps of what builds wrote there.
    pub files: BTreeMap<String, BTreeSet<String>>,
}

/// What a build comes to in its folder.
#[derive(Clone, Debug, Default)]
pub struct BuildPlan {
    /// The files to write and to take out, below the root that was given.
    pub changes: ChangeSet,
    /// Files that an earlier build wrote, and that go.
    pub removed: Vec<String>,
    /// Files that no build wrote, and that stay; paths below the build's folder.
    pub foreign: Vec<String>,
    /// What is remembered before writing: old and new.
    pub during: BuildRecord,
    /// What is remembered after it.
    pub after: BuildRecord,
}

impl BuildPlan {
    /// The files that are written, below the build's folder.
    pub fn written(&self, prefix: &str) -> Vec<String> {
        let put = self.changes.files.iter().filter(|change| matches!(change, FileChange::Bytes { after: Some(_), .. }));
        let below = |path: &str| path.strip_prefix(prefix).map_or(path, |path| path.trim_start_matches('/')).to_owned();
        put.map(|change| below(change.path())).collect()
    }
}

/// Why nothing can be built into a folder.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
pub enum OutputError {
    /// A file stands where one is to be written.
    #[error(
        "`{0}` was not written by a build, or was changed since\n  help: take it out of there, or build into another folder with `--out`"
    )]
    Foreign(String),
    /// It cannot be looked into.
    #[error("cannot read `{path}`: {reason}")]
    System {
        /// The file or folder.
        path: String,
        /// What the system said.
        reason: String,
    },
}

/// Plans what a build leaves in the folder `prefix` below `root` (empty for the root itself). Nothing is written.
///
/// # Errors
/// A file that no build wrote stands in the way, or the folder cannot be read.
pub fn plan_output(
    report: &BuildReport,
    root: &Path,
    prefix: &str,
    known: &BuildRecord,
) -> Result<BuildPlan, OutputError> {
    let full = |path: &str| if prefix.is_empty() { path.to_owned() } else { format!("{prefix}/{path}") };
    let mut there = present(&root.join(prefix), prefix)?;
    let ours = |path: &str, stamp: &Stamp| known.files.get(path).is_some_and(|all| all.contains(&stamp.word()));
    let mut plan = BuildPlan::default();
    for record in [&mut plan.during, &mut plan.after] {
        (record.format, record.out) = (1, known.out.clone());
    }
    plan.during.files.clone_from(&known.files);
    for file in &report.files {
        let new = Stamp::of(&file.bytes);
        for record in [&mut plan.during, &mut plan.after] {
            record.files.entry(file.path.clone()).or_default().insert(new.word());
        }
        let before = there.remove(&file.path);
        match &before {
            Some(stamp) if *stamp == Some(new.clone()) => continue,
            Some(Some(stamp)) if ours(&file.path, stamp) => {}
            Some(_) => return Err(OutputError::Foreign(full(&file.path))),
            None => {}
        }
        let (before, after) = (before.flatten(), Some(file.bytes.as_slice().into()));
        plan.changes.files.push(FileChange::Bytes { path: full(&file.path), before, after });
    }
    for (path, stamp) in there {
        match stamp {
            Some(stamp) if ours(&path, &stamp) => {
                plan.changes.files.push(FileChange::Bytes { path: full(&path), before: Some(stamp), after: None });
                plan.removed.push(path);
            }
            _ => plan.foreign.push(path),
        }
    }
    Ok(plan)
}

/// The files of a folder, each with what it holds; nothing for what is no ordinary file.
pub(super) fn present(folder: &Path, shown: &str) -> Result<BTreeMap<String, Option<Stamp>>, OutputError> {
    let mut out = BTreeMap::new();
    let fail = |reason: String| OutputError::System { path: shown.to_owned(), reason };
    if folder.symlink_metadata().is_err() {
        return Ok(out);
    }
    // a build elsewhere has our own folder in it while it is written
    let own = |entry: &walkdir::DirEntry| entry.depth() != 1 || entry.file_name() != crate::source::STORE;
    for entry in walkdir::WalkDir::new(folder).min_depth(1).into_iter().filter_entry(own) {
        let entry = entry.map_err(|error| fail(error.to_string()))?;
        if entry.file_type().is_dir() {
            continue;
        }
        let Ok(relative) = entry.path().strip_prefix(folder) else { continue };
        let stamp = match entry.file_type().is_file() {
            true => Some(Stamp::of(&read_regular(entry.path()).map_err(|error| fail(error.to_string()))?)),
            false => None,
        };
        out.insert(slashed(relative), stamp);
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ship::BuiltFile;

    fn report(files: &[(&str, &str)]) -> BuildReport {
        let file = |(path, text): &(&str, &str)| BuiltFile {
            path: (*path).to_owned(),
            bytes: text.as_bytes().to_vec(),
            amended: Vec::new(),
            from: None,
        };
        BuildReport { files: files.iter().map(file).collect(), left_out: Vec::new() }
    }

    fn paths(plan: &BuildPlan) -> Vec<&str> {
        plan.changes.files.iter().map(FileChange::path).collect()
    }

    #[test]
    fn only_what_a_build_wrote_is_written_over_or_taken_out() {
        let folder = tempfile::tempdir().unwrap();
        let (root, out) = (folder.path(), folder.path().join("build/m"));
        let write = |path: &str, text: &str| {
            let path = out.join(path);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        };
        let first = report(&[("a.json", "1"), ("deep/b.json", "2"), ("c.json", "3")]);
        let plan = plan_output(&first, root, "build/m", &BuildRecord::default()).unwrap();
        assert_eq!(paths(&plan), ["build/m/a.json", "build/m/deep/b.json", "build/m/c.json"]);
        for file in &first.files {
            write(&file.path, std::str::from_utf8(&file.bytes).unwrap());
        }
        write("mine.txt", "kept by hand");
        let known = plan.after;
        let second = report(&[("a.json", "1"), ("c.json", "three")]);
        let plan = plan_output(&second, root, "build/m", &known).unwrap();
        assert_eq!(paths(&plan), ["build/m/c.json", "build/m/deep/b.json"]);
        assert_eq!((plan.removed, plan.foreign), (vec!["deep/b.json".to_owned()], vec!["mine.txt".to_owned()]));
        assert_eq!(plan.during.files.get("c.json").map(BTreeSet::len), Some(2));
        write("c.json", "changed by hand");
        let error = plan_output(&second, root, "build/m", &known).unwrap_err();
        assert_eq!(error, OutputError::Foreign("build/m/c.json".to_owned()));
        write("c.json", "three");
        assert!(plan_output(&second, root, "build/m", &BuildRecord::default()).is_ok(), "as it would be written");
    }
}
