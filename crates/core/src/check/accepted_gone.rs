//! `accepted-gone`, and passing over findings that are accepted.

use rustc_hash::{FxHashMap, FxHashSet};

use super::finding::Finding;
use super::registry::Check;
use crate::catalog::Catalog;
use crate::nearest::nearest;
use crate::rulebook::Severity;
use crate::said::said;
use crate::workspace::Acceptance;

pub(super) static CHECK: Check = Check {
    code: "accepted-gone",
    severity: Severity::Note,
    since: "0.1",
    summary: "an accepted finding that no longer occurs",
    finds: "An entry of `accepted.toml` that no finding matches any more.",
    matters: "Nothing is wrong; but the entry would hide a new finding of the same sort.",
    example: "[[accept]]\ncode = \"file-lacking\"      # the picture is there now",
    mend: "Take the entry out.",
    accept: "If the finding comes and goes with another mod.",
    // made where accepted findings are passed over, since only there all others are known
    run: |_, _| {},
};

impl Finding {
    /// What accepts this finding and, as far as can be, no other.
    pub fn acceptance(&self, catalog: &Catalog, why: Option<String>) -> Acceptance {
        Acceptance {
            code: self.code.to_string(),
            file: Some(catalog.file(self.place.file).path.clone()),
            of: self.about.map(|address| catalog.show_address(address)),
            path: self.path.as_ref().map(ToString::to_string),
            message: Some(self.message.to_string()),
            why,
        }
    }
}

/// What is known of a finding where acceptances are compared with it.
struct Known {
    file: String,
    of: Option<String>,
    path: Option<String>,
}

fn accepts(acceptance: &Acceptance, message: &str, known: &Known) -> bool {
    let is = |stated: &Option<String>, found: Option<&str>| stated.is_none() || stated.as_deref() == found;
    is(&acceptance.file, Some(&known.file))
        && is(&acceptance.of, known.of.as_deref())
        && is(&acceptance.path, known.path.as_deref())
        && is(&acceptance.message, Some(message))
}

/// Takes accepted findings out; says which entries accept nothing. Returns those that were taken out.
pub(super) fn pass_over(catalog: &Catalog, findings: &mut Vec<Finding>, codes: &[&str]) -> Vec<Finding> {
    let mut used = vec![false; catalog.accepted.len()];
    // by code and message, which nearly all entries state
    let mut by: FxHashMap<(&str, Option<&str>), Vec<usize>> = FxHashMap::default();
    for (nth, (acceptance, _)) in catalog.accepted.iter().enumerate() {
        by.entry((acceptance.code.as_str(), acceptance.message.as_deref())).or_default().push(nth);
    }
    let codes_accepted: FxHashSet<&str> = by.keys().map(|(code, _)| *code).collect();
    let mut accepted_now = |finding: &Finding| {
        if !codes_accepted.contains(&*finding.code) {
            return false;
        }
        let message = finding.message.to_string();
        let with = by.get(&(&*finding.code, Some(message.as_str())));
        let of_code = by.get(&(&*finding.code, None));
        let mut candidates = with.into_iter().chain(of_code).flatten().copied().peekable();
        if candidates.peek().is_none() {
            return false;
        }
        let known = Known {
            file: catalog.file(finding.place.file).path.clone(),
            of: finding.about.map(|address| catalog.show_address(address)),
            path: finding.path.as_ref().map(ToString::to_string),
        };
        let mut accepted = false;
        for nth in candidates {
            let fits = catalog.accepted.get(nth).is_some_and(|(one, _)| accepts(one, &message, &known));
            if let Some(used) = used.get_mut(nth).filter(|_| fits) {
                accepted = true;
                *used = true;
            }
        }
        accepted
    };
    let (passed, kept) = std::mem::take(findings).into_iter().partition(|finding| accepted_now(finding));
    *findings = kept;
    for ((acceptance, place), _) in catalog.accepted.iter().zip(used).filter(|(_, used)| !used) {
        let message = said!(
            "the accepted finding `{code}`{of}{at}{in_file} does not occur",
            code = acceptance.code,
            of = acceptance.of.as_ref().map(|definition| said!(" of `{definition}`", definition)),
            at = acceptance.path.as_ref().map(|field| said!(" at `{field}`", field)),
            in_file = acceptance.file.as_ref().map(|file| said!(" in {file}", file))
        );
        let help = match codes.contains(&acceptance.code.as_str()) {
            true => "take the entry out".into(),
            false => nearest(&acceptance.code, codes.iter().copied()).map_or("there is no such code".into(), |near| {
                said!("the nearest known code is `{nearest}`", nearest = near)
            }),
        };
        findings.push(Finding::new(&CHECK, *place, message).help(Some(help)));
    }
    passed
}
