//! The list of all checks, and running them.

use std::time::{Duration, Instant};

use rayon::prelude::*;

use super::context::Context;
use super::finding::Finding;
use super::{
    amendment_fault, amends_nothing, cannot_be_built, entry_twice, field_lacking, field_not_known, file_broken,
    file_lacking, file_not_read, id_twice, key_twice, leads_nowhere, manifest_fault, not_a_choice, out_of_range,
    parent_circle, parent_lacking, requirement_circle, requirement_lacking, requirement_undeclared, rule_broken,
    rulebook_fault, type_mismatch, workspace_fault,
};
use crate::effective::World;
use crate::rulebook::Severity;

/// A check: what it is called, what it means, and what it does.
pub struct Check {
    /// Its code; never used for another check.
    pub code: &'static str,
    /// How bad its findings are.
    pub severity: Severity,
    /// The version that brought it.
    pub since: &'static str,
    /// In one line.
    pub summary: &'static str,
    /// What it finds.
    pub finds: &'static str,
    /// Why it matters in the game.
    pub matters: &'static str,
    /// A small example.
    pub example: &'static str,
    /// What to do.
    pub mend: &'static str,
    /// When it is right to leave it.
    pub accept: &'static str,
    pub(crate) run: fn(&Context<'_>, &mut Vec<Finding>),
}

impl std::fmt::Debug for Check {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Check({})", self.code)
    }
}

impl PartialEq for Check {
    fn eq(&self, other: &Self) -> bool {
        self.code == other.code
    }
}

/// All checks, sorted by code.
pub static CHECKS: [&Check; 24] = [
    &amendment_fault::CHECK,
    &amends_nothing::CHECK,
    &cannot_be_built::CHECK,
    &entry_twice::CHECK,
    &field_lacking::CHECK,
    &field_not_known::CHECK,
    &file_broken::CHECK,
    &file_lacking::CHECK,
    &file_not_read::CHECK,
    &id_twice::CHECK,
    &key_twice::CHECK,
    &leads_nowhere::CHECK,
    &manifest_fault::CHECK,
    &not_a_choice::CHECK,
    &out_of_range::CHECK,
    &parent_circle::CHECK,
    &parent_lacking::CHECK,
    &requirement_circle::CHECK,
    &requirement_lacking::CHECK,
    &requirement_undeclared::CHECK,
    &rule_broken::CHECK,
    &rulebook_fault::CHECK,
    &type_mismatch::CHECK,
    &workspace_fault::CHECK,
];

/// Runs all checks. Findings are sorted by layer, file, place and code.
pub fn check(world: &World) -> Vec<Finding> {
    check_watched(world, &|_, _| {})
}

/// As [`check`], telling how long each check took.
pub fn check_watched(world: &World, done: &(dyn Fn(&'static str, Duration) + Sync)) -> Vec<Finding> {
    let start = Instant::now();
    let context = Context::new(world);
    done("references", start.elapsed());
    let mut findings: Vec<Finding> = CHECKS
        .par_iter()
        // with a rulebook that cannot be read, nothing else can be said
        .filter(|check| !world.catalog.rulebook.broken || check.code == rulebook_fault::CHECK.code)
        .map(|check| {
            let start = Instant::now();
            let mut findings = Vec::new();
            (check.run)(&context, &mut findings);
            done(check.code, start.elapsed());
            findings
        })
        .reduce(Vec::new, |mut all, more| {
            all.extend(more);
            all
        });
    // files are numbered by layer and path; the workspace's own come first
    findings.sort_by(|a, b| {
        let key = |f: &Finding| (world.catalog.file(f.place.file).layer, f.place);
        key(a).cmp(&key(b)).then_with(|| a.code.cmp(&b.code)).then_with(|| a.message.cmp(&b.message))
    });
    findings.dedup_by(|a, b| a.place == b.place && a.code == b.code && a.message == b.message);
    findings
}

/// The page of all findings, as Markdown.
pub fn findings_reference() -> String {
    let mut out = String::from("| code | severity | finds |\n|---|---|---|\n");
    for check in CHECKS {
        out.push_str(&format!("| [`{0}`](#{0}) | {1} | {2} |\n", check.code, check.severity.word(), check.summary));
    }
    for check in CHECKS {
        out.push_str(&format!(
            "\n## `{}`\n\n*{}, since {}.* {}\n\n**Why it matters.** {}\n\n**Example.**\n\n```\n{}\n```\n\n**Mend.** {}\n\n**When to leave it.** {}\n",
            check.code,
            check.severity.word(),
            check.since,
            check.finds,
            check.matters,
            check.example.trim_end(),
            check.mend,
            check.accept
        ));
    }
    out
}
