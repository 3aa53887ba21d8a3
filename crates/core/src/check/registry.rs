//! The list of all checks, and running them.

use std::time::{Duration, Instant};

use super::context::{Context, Shared};
use super::finding::Finding;
use super::together::Together;
use super::told::{Told, told};
use super::{
    accepted_gone, amendment_fault, amendment_without_effect, amends_nothing, beyond_reliable, cannot_be_built,
    case_twin, change_undone, contradicts_itself, copy_leftover, count_out_of_bounds, derived_stale, edition_lacking,
    edition_newer, entry_twice, far_outside, field_lacking, field_not_known, field_of_another_sort, field_retired,
    file_broken, file_case, file_lacking, file_not_read, formula_broken, id_differs, id_not_allowed, id_twice,
    key_twice, kind_closed, language_not_known, leads_nowhere, left_hanging, manifest_fault, member_circle,
    member_of_another_kind, mods_exclude, name_with_ending, needs_another, not_a_choice, nothing_leads_there,
    number_chosen, one_of_several, operation_without_effect, out_of_range, parent_circle, parent_lacking,
    path_leads_nowhere, picture_unfit, range_reversed, reader_refuses, repeats_inherited, requirement_circle,
    requirement_lacking, requirement_undeclared, requirement_version, retired_yet_used, rule_broken, rulebook_fault,
    set_incomplete, shape_mismatch, stale_copy, target_removed, target_unfit, text_lacking, text_malformed,
    token_not_filled, type_mismatch, value_not_unique, word_not_known, word_twice, word_unused, workspace_fault,
};
use crate::catalog::Catalog;
use crate::effective::World;
use crate::rulebook::{Severity, SeverityRule};
use crate::settle::Clashes;

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
pub static CHECKS: [&Check; 73] = [
    &accepted_gone::CHECK,
    &amendment_fault::CHECK,
    &amendment_without_effect::CHECK,
    &amends_nothing::CHECK,
    &beyond_reliable::CHECK,
    &cannot_be_built::CHECK,
    &case_twin::CHECK,
    &change_undone::CHECK,
    &contradicts_itself::CHECK,
    &copy_leftover::CHECK,
    &count_out_of_bounds::CHECK,
    &derived_stale::CHECK,
    &edition_lacking::CHECK,
    &edition_newer::CHECK,
    &entry_twice::CHECK,
    &far_outside::CHECK,
    &field_lacking::CHECK,
    &field_not_known::CHECK,
    &field_of_another_sort::CHECK,
    &field_retired::CHECK,
    &file_broken::CHECK,
    &file_case::CHECK,
    &file_lacking::CHECK,
    &file_not_read::CHECK,
    &formula_broken::CHECK,
    &id_differs::CHECK,
    &id_not_allowed::CHECK,
    &id_twice::CHECK,
    &key_twice::CHECK,
    &kind_closed::CHECK,
    &language_not_known::CHECK,
    &leads_nowhere::CHECK,
    &left_hanging::CHECK,
    &manifest_fault::CHECK,
    &member_circle::CHECK,
    &member_of_another_kind::CHECK,
    &mods_exclude::CHECK,
    &name_with_ending::CHECK,
    &needs_another::CHECK,
    &not_a_choice::CHECK,
    &nothing_leads_there::CHECK,
    &number_chosen::CHECK,
    &one_of_several::CHECK,
    &operation_without_effect::CHECK,
    &out_of_range::CHECK,
    &parent_circle::CHECK,
    &parent_lacking::CHECK,
    &path_leads_nowhere::CHECK,
    &picture_unfit::CHECK,
    &range_reversed::CHECK,
    &reader_refuses::CHECK,
    &repeats_inherited::CHECK,
    &requirement_circle::CHECK,
    &requirement_lacking::CHECK,
    &requirement_undeclared::CHECK,
    &requirement_version::CHECK,
    &retired_yet_used::CHECK,
    &rule_broken::CHECK,
    &rulebook_fault::CHECK,
    &set_incomplete::CHECK,
    &shape_mismatch::CHECK,
    &stale_copy::CHECK,
    &target_removed::CHECK,
    &target_unfit::CHECK,
    &text_lacking::CHECK,
    &text_malformed::CHECK,
    &token_not_filled::CHECK,
    &type_mismatch::CHECK,
    &value_not_unique::CHECK,
    &word_not_known::CHECK,
    &word_twice::CHECK,
    &word_unused::CHECK,
    &workspace_fault::CHECK,
];

/// What a check of a workspace came to.
#[derive(Debug, Default)]
pub struct CheckReport {
    /// Sorted by layer, file, place and code.
    pub findings: Vec<Finding>,
    /// Those that were accepted, in no order.
    pub accepted: Vec<Finding>,
}

/// Runs all checks. Findings are sorted by layer, file, place and code; accepted ones are left out.
pub fn check(world: &World) -> Vec<Finding> {
    check_watched(world, false, &|_, _| {}).findings
}

/// As [`check`], telling how long each check took. For those who make the base (`as_maker`), that is looked at with
/// what otherwise only concerns mods, too.
pub fn check_watched(world: &World, as_maker: bool, done: &(dyn Fn(&'static str, Duration) + Sync)) -> CheckReport {
    let start = Instant::now();
    let shared = Shared::new(world).of_maker(as_maker);
    done("references", start.elapsed());
    let told = told(&shared, done);
    // what was looked up is large, and not needed any more
    rayon::join(|| finished(&world.catalog, told).0, || drop(shared)).0
}

/// What goes wrong only between layers: the clashes, and the faults that exist only together.
pub fn clashing(world: &World) -> (Clashes, Vec<Together>) {
    let shared = Shared::new(world);
    let (_, together) = finished(&world.catalog, told(&shared, &|_, _| {}));
    (shared.into_clashes(), together)
}

/// Findings as they are told: with what the rulebook says of them, without those that are accepted, in order.
fn finished(catalog: &Catalog, told: Told) -> (CheckReport, Vec<Together>) {
    let Told { mut findings, together } = told;
    for (code, phrase, _) in &catalog.rulebook.game_does {
        for finding in findings.iter_mut().filter(|finding| finding.code == *code) {
            finding.game = Some(phrase.clone());
        }
    }
    findings.retain_mut(|finding| is_told(catalog, finding));
    let together =
        together.into_iter().filter_map(|mut one| is_told(catalog, &mut one.finding).then_some(one)).collect();
    let mut codes: Vec<&str> = CHECKS.iter().map(|check| check.code).collect();
    codes.extend(catalog.rulebook.kinds().flat_map(|(_, kind)| kind.rules()).filter_map(|rule| rule.code()));
    let accepted = match catalog.rulebook.broken {
        true => Vec::new(),
        false => accepted_gone::pass_over(catalog, &mut findings, &codes),
    };
    // files are numbered by layer and path; the workspace's own come first
    findings.sort_by(|a, b| {
        let key = |f: &Finding| (catalog.file(f.place.file).layer, f.place);
        key(a).cmp(&key(b)).then_with(|| a.code.cmp(&b.code)).then_with(|| a.message.cmp(&b.message))
    });
    findings.dedup_by(|a, b| {
        let same = a.place == b.place && a.code == b.code && a.message == b.message;
        if same {
            let new = a.related.drain(..).filter(|one| !b.related.contains(one));
            b.related.extend(new.collect::<Vec<_>>());
        }
        same
    });
    (CheckReport { findings, accepted }, together)
}

/// Gives a finding the severity that the rulebook says; whether it is told at all.
pub(super) fn is_told(catalog: &Catalog, finding: &mut Finding) -> bool {
    let rulebook = &catalog.rulebook;
    if rulebook.severities.is_empty() {
        return true;
    }
    let kind = finding.about.and_then(|about| catalog.kind_of(about));
    let pattern = || {
        let path = finding.path.as_ref()?;
        let ty = rulebook.type_at(rulebook.kind(kind?).root, path, &catalog.names).ok();
        // of a field that is not known, as it is written
        Some(ty.map_or_else(|| path.to_string(), |ty| rulebook.field_type(ty).pattern.clone()))
    };
    let file = catalog.file(finding.place.file);
    // what a mod brings along holds for itself and for those that stand on it
    let holds = |from: &str| {
        let (by, at) = (catalog.layer_named(from), file.layer.map(|layer| catalog.owner_of(layer)));
        by.zip(at).is_some_and(|(by, at)| by == at || catalog.layer(at).ground.contains(by))
    };
    let fits = |rule: &&SeverityRule| {
        rule.code.0 == finding.code
            && rule.from.as_deref().is_none_or(holds)
            && (rule.kinds.is_empty() || kind.is_some_and(|kind| rule.kinds.contains(&kind)))
            && (rule.fields.is_empty() || rule.is_about(pattern().as_deref()))
            && rule.files.as_ref().is_none_or(|files| files.is_match(&file.relative))
    };
    match rulebook.severities.iter().rev().find(fits).map(|rule| rule.is) {
        Some(Some(severity)) => {
            finding.severity = severity;
            true
        }
        Some(None) => false,
        None => true,
    }
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
