//! What is new since a revision: the workspace as a git repository has it then, checked, too.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Command;

use anyhow::anyhow;
use cognomen_core::{Catalog, Finding, MemorySource, Overlay, Said, Source};

use crate::args::Global;
use crate::commands::Failure;
use crate::output::visible;
use crate::session::{Opened, Session};

/// The top of the repository that a folder lies in, and the way from there, with a slash at its end.
pub(super) fn repository(folder: &Path) -> Option<(PathBuf, String)> {
    let full = folder.canonicalize().ok()?;
    let top = full.ancestors().find(|folder| folder.join(".git").exists())?;
    let below = full.strip_prefix(top).ok()?.to_string_lossy().replace('\\', "/");
    let prefix = if below.is_empty() { String::new() } else { format!("{below}/") };
    Some((top.to_owned(), prefix))
}

/// What git answers.
fn git(folder: &Path, arguments: &[&str]) -> Result<Vec<u8>, Failure> {
    let run = Command::new("git").arg("-C").arg(folder).args(arguments).output();
    let run = run.map_err(|_| anyhow!("git cannot be run\n  help: `--changed-since` needs git, and a repository"))?;
    if run.status.success() {
        return Ok(run.stdout);
    }
    let said = String::from_utf8_lossy(&run.stderr);
    let line = said.lines().next().unwrap_or("it failed").trim_start_matches("fatal: ").to_owned();
    Err(anyhow!("git: {}", visible(&line)).into())
}

/// What makes a finding the same although lines came and went above it.
fn identity(catalog: &Catalog, finding: &Finding) -> (String, String, String, Said) {
    let file = catalog.file(finding.place.file).path.clone();
    let about = finding.about.map_or(String::new(), |address| catalog.show_address(address));
    (finding.code.to_string(), file, about, finding.message.clone())
}

/// The findings of now that were not there at a revision.
///
/// # Errors
/// There is no git, no repository, or no such revision.
pub(super) fn new_since<'f>(
    opened: &Opened,
    findings: Vec<&'f Finding>,
    (revision, as_maker): (&str, bool),
    global: &Global,
    session: &mut Session,
) -> Result<Vec<&'f Finding>, Failure> {
    let Some((top, prefix)) = repository(&opened.root) else {
        let message = "the workspace lies in no git repository\n  help: `git init`, or leave `--changed-since` out";
        return Err(anyhow!(message).into());
    };
    let known = git(&top, &["rev-parse", "--verify", "--quiet", "--end-of-options", &format!("{revision}^{{commit}}")]);
    let commit = known.map_err(|_| anyhow!("git knows no revision `{}`", visible(revision)))?;
    let commit = String::from_utf8_lossy(&commit).trim().to_owned();
    let within = if prefix.is_empty() { "." } else { prefix.as_str() };
    let listed = git(&top, &["diff", "--no-renames", "--name-status", "-z", &commit, "--", within])?;
    let untracked = git(&top, &["ls-files", "--others", "--exclude-standard", "-z", "--", within])?;
    let mut above = MemorySource::default();
    let mut gone: Vec<String> = Vec::new();
    let text = String::from_utf8_lossy(&listed).into_owned();
    let mut words = text.split('\0');
    while let (Some(state), Some(path)) = (words.next().filter(|word| !word.is_empty()), words.next()) {
        let Some(relative) = path.strip_prefix(&prefix) else { continue };
        if state.starts_with('A') {
            gone.push(relative.to_owned());
            continue;
        }
        let bytes = git(&top, &["show", &format!("{commit}:{path}")])?;
        above.put(relative, bytes);
        gone.push(relative.to_owned());
    }
    let untracked = String::from_utf8_lossy(&untracked).into_owned();
    gone.extend(
        untracked
            .split('\0')
            .filter_map(|path| path.strip_prefix(&prefix))
            .filter(|path| !path.is_empty())
            .map(str::to_owned),
    );
    let mut source = Overlay::new(&opened.source as &dyn Source, above);
    for path in &gone {
        source = source.without(path);
    }
    let mut before = session.load(&source, global)?;
    before.take_in_editions(&source);
    let report = cognomen_core::check_watched(&before, as_maker, &|_, _| {});
    let mut then: BTreeMap<_, usize> = BTreeMap::new();
    for finding in &report.findings {
        *then.entry(identity(before.catalog(), finding)).or_default() += 1;
    }
    let is_new = |finding: &&Finding| match then.get_mut(&identity(opened.catalog(), finding)) {
        Some(left) if *left > 0 => {
            *left -= 1;
            false
        }
        _ => true,
    };
    Ok(findings.into_iter().filter(is_new).collect())
}
