//! The nearest known word, for messages: another case, one or two letters off.

/// The candidate that a word was most likely meant to be, if one is near enough.
pub fn nearest<'c>(word: &str, candidates: impl IntoIterator<Item = &'c str>) -> Option<&'c str> {
    let lower = word.to_lowercase();
    let allowed = match word.chars().count() {
        0..=2 => 0,
        3..=5 => 1,
        6..=10 => 2,
        _ => 3,
    };
    let loose = |text: &str| text.to_lowercase().replace(['_', ' ', '.'], "-");
    let mut best: Option<(usize, &str)> = None;
    for candidate in candidates {
        if candidate == word || candidate.len().abs_diff(word.len()) > 8 {
            continue;
        }
        let candidate_lower = candidate.to_lowercase();
        let distance = if candidate_lower == lower || loose(candidate) == loose(word) {
            0
        } else {
            strsim::damerau_levenshtein(&lower, &candidate_lower)
        };
        let whole = |longer: &str, part: &str| {
            longer.strip_prefix(part).is_some_and(|rest| rest.starts_with(['-', '_', '.', 's']))
        };
        let affix = word.len() > 3
            && candidate.len() > 3
            && (whole(&candidate_lower, &lower) || whole(&lower, &candidate_lower));
        let near = distance <= allowed || affix;
        let better = best.is_none_or(|(known, text)| (distance, candidate) < (known, text));
        if near && better {
            best = Some((distance, candidate));
        }
    }
    best.map(|(_, text)| text)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn near_words_are_found_and_far_ones_are_not() {
        let known = ["peat-brick", "reed-mat", "lamp-oil", "Eel", "burn_minutes"];
        for (word, near) in [
            ("peat-brik", Some("peat-brick")),
            ("reed_mat", Some("reed-mat")),
            ("eel", Some("Eel")),
            ("burn-minutes", Some("burn_minutes")),
            ("burn_minute", Some("burn_minutes")),
            ("lamp", Some("lamp-oil")),
            ("salt", None),
            ("", None),
        ] {
            assert_eq!(nearest(word, known), near, "{word}");
        }
    }
}
