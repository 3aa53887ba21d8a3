//! Thousands of findings in a few lines: how many there are of each code, kind and field.

use rustc_hash::{FxHashMap, FxHashSet};

use super::finding::Finding;
use crate::catalog::{Address, Catalog};
use crate::document::FieldPath;
use crate::rulebook::{KindId, Severity};

/// Findings of one code about one field of one kind.
#[derive(Clone, Debug)]
pub struct SummedUp<'f> {
    /// The code.
    pub code: &'f str,
    /// How bad the worst of them is.
    pub severity: Severity,
    /// The kind of the definitions that they are about; nothing of findings about no definition.
    pub kind: Option<String>,
    /// The field, as the rulebook describes it; nothing where a definition as a whole is meant.
    pub field: Option<String>,
    /// How many findings.
    pub findings: usize,
    /// About how many definitions.
    pub definitions: usize,
    /// The first of them.
    pub example: &'f Finding,
}

/// Sums findings up, the most frequent first.
pub fn summed_up<'f>(catalog: &Catalog, findings: &[&'f Finding]) -> Vec<SummedUp<'f>> {
    let mut at: FxHashMap<(&str, Option<KindId>, Option<String>), usize> = FxHashMap::default();
    let mut out: Vec<(SummedUp<'f>, FxHashSet<Address>)> = Vec::new();
    for finding in findings {
        let kind = finding.about.and_then(|about| catalog.kind_of(about));
        let path = finding.path.as_ref().filter(|path| !path.is_empty());
        let field = path.map(|path| described(catalog, kind, path));
        let nth = *at.entry((&*finding.code, kind, field.clone())).or_insert_with(|| {
            let kind = kind.map(|kind| catalog.rulebook.kind(kind).name().to_owned());
            let (code, severity) = (&*finding.code, finding.severity);
            let summed = SummedUp { code, severity, kind, field, findings: 0, definitions: 0, example: finding };
            out.push((summed, FxHashSet::default()));
            out.len() - 1
        });
        let Some((summed, about)) = out.get_mut(nth) else { continue };
        summed.findings += 1;
        summed.severity = summed.severity.min(finding.severity);
        about.extend(finding.about);
    }
    let counted = out.into_iter().map(|(summed, about)| SummedUp { definitions: about.len(), ..summed });
    let mut out: Vec<SummedUp<'f>> = counted.collect();
    out.sort_by_key(|summed| (std::cmp::Reverse(summed.findings), summed.severity));
    out
}

/// A field as the rulebook describes it; one that it does not describe, with entries as `[]`.
fn described(catalog: &Catalog, kind: Option<KindId>, path: &FieldPath) -> String {
    let ty =
        kind.and_then(|kind| catalog.rulebook.type_at(catalog.rulebook.kind(kind).root, path, &catalog.names).ok());
    if let Some(ty) = ty {
        return catalog.rulebook.field_type(ty).pattern.clone();
    }
    path.of_any_entry()
}
