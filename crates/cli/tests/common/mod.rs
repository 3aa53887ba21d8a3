//! Drives the built program in a temporary folder.
#![allow(dead_code, clippy::unwrap_used, clippy::panic, clippy::indexing_slicing, clippy::expect_used)]

use std::path::{Path, PathBuf};
use std::process::Command;

/// What a run gave.
#[derive(Debug)]
pub struct Run {
    pub code: i32,
    pub out: String,
    pub err: String,
}

impl Run {
    pub fn json(&self) -> serde_json::Value {
        serde_json::from_str(&self.out).unwrap_or_else(|error| panic!("{error}\n{self:?}"))
    }
}

/// Codes with the places of findings below a mod, sorted.
pub type Findings = Vec<(String, String)>;

/// The findings that the table of a README lists.
pub fn listed_findings(readme: &str) -> Findings {
    let rows = readme.lines().filter(|line| line.starts_with("| `"));
    let row = |row: &str| {
        let cells: Vec<&str> = row.split('|').map(str::trim).collect();
        (cells[1].trim_matches('`').to_owned(), cells[2].to_owned())
    };
    let mut listed: Findings = rows.map(row).collect();
    listed.sort();
    listed
}

/// The findings that `check --format json` gave of a mod.
pub fn given_findings(run: &Run, id: &str) -> Findings {
    let json = run.json();
    let finding = |f: &serde_json::Value| {
        let file = f["file"].as_str().unwrap().trim_start_matches(&format!("mods/{id}/")).to_owned();
        let line = match f["cell"].as_str() {
            Some(cell) => format!(":{cell}"),
            None => f["line"].as_u64().map_or(String::new(), |line| format!(":{line}")),
        };
        (f["code"].as_str().unwrap().to_owned(), format!("{file}{line}"))
    };
    let mut given: Findings = json["findings"].as_array().unwrap().iter().map(finding).collect();
    given.sort();
    given
}

/// A folder that goes away with the test.
pub struct Folder(tempfile::TempDir);

impl Folder {
    pub fn empty() -> Folder {
        Folder(tempfile::tempdir().unwrap())
    }

    /// The demo workspace, in the folder itself.
    pub fn demo() -> Folder {
        Folder::example("peatlight")
    }

    /// One of the example games, in the folder itself.
    pub fn example(game: &str) -> Folder {
        let folder = Folder::empty();
        copy(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples").join(game), folder.path());
        folder
    }

    pub fn path(&self) -> &Path {
        self.0.path()
    }

    pub fn file(&self, path: &str) -> PathBuf {
        self.path().join(path)
    }

    pub fn read(&self, path: &str) -> String {
        std::fs::read_to_string(self.file(path)).unwrap_or_else(|error| panic!("{path}: {error}"))
    }

    pub fn put(&self, path: &str, text: &str) {
        let file = self.file(path);
        std::fs::create_dir_all(file.parent().unwrap()).unwrap();
        std::fs::write(file, text).unwrap();
    }

    /// Packs files of the folder: each with its name in the archive.
    pub fn zip(&self, path: &str, members: &[(&str, &str)]) {
        use std::io::Write;
        let mut zip = zip::ZipWriter::new(std::fs::File::create(self.file(path)).unwrap());
        for (name, from) in members {
            zip.start_file(*name, zip::write::SimpleFileOptions::default()).unwrap();
            zip.write_all(&std::fs::read(self.file(from)).unwrap()).unwrap();
        }
        zip.finish().unwrap();
    }

    /// Runs a command line in the folder.
    pub fn run(&self, line: &[&str]) -> Run {
        self.run_in("", line)
    }

    /// Runs a command line in a folder below.
    pub fn run_in(&self, below: &str, line: &[&str]) -> Run {
        let output = Command::new(env!("CARGO_BIN_EXE_cognomen"))
            .args(line)
            .current_dir(self.file(below))
            .env_remove("RUST_BACKTRACE")
            .output()
            .unwrap();
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
        Run { code: output.status.code().unwrap_or(-1), out: text(output.stdout), err: text(output.stderr) }
    }

    /// Runs a command line with something to read.
    pub fn run_with(&self, line: &[&str], input: &str) -> Run {
        use std::io::Write;
        let mut child = Command::new(env!("CARGO_BIN_EXE_cognomen"))
            .args(line)
            .current_dir(self.path())
            .stdin(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .stderr(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
        let output = child.wait_with_output().unwrap();
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
        Run { code: output.status.code().unwrap_or(-1), out: text(output.stdout), err: text(output.stderr) }
    }

    /// Every file below, with its bytes, but for what a workspace remembers.
    pub fn all(&self, below: &str) -> Vec<(String, Vec<u8>)> {
        let mut out = Vec::new();
        walk(&self.file(below), "", &mut out);
        out.sort();
        out
    }
}

fn copy(from: &Path, to: &Path) {
    for (path, bytes) in {
        let mut out = Vec::new();
        walk(from, "", &mut out);
        out
    } {
        let file = to.join(path);
        std::fs::create_dir_all(file.parent().unwrap()).unwrap();
        std::fs::write(file, bytes).unwrap();
    }
}

fn walk(folder: &Path, prefix: &str, out: &mut Vec<(String, Vec<u8>)>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let entry = entry.unwrap();
        let name = format!("{prefix}{}", entry.file_name().to_string_lossy());
        // what a workspace remembers is no data
        if name == ".cognomen" {
            continue;
        }
        if entry.path().is_dir() {
            walk(&entry.path(), &format!("{name}/"), out);
        } else {
            out.push((name, std::fs::read(entry.path()).unwrap()));
        }
    }
}
