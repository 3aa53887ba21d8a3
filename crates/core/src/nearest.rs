//! The nearest known word, for messages: another case, one or two letters off.

use std::collections::BTreeMap;

/// In words of so few letters one that differs makes another word.
const SHORT: usize = 3;

/// How many letters may differ in a word of a length.
fn allowed(length: usize) -> usize {
    match length {
        0..=2 => 0,
        3..=5 => 1,
        6..=10 => 2,
        _ => 3,
    }
}

/// The candidate that a word was most likely meant to be.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) struct Near<'c> {
    pub(crate) word: &'c str,
    /// Whether no other can be meant, so that it may be written without asking.
    pub(crate) only: bool,
}

impl Near<'_> {
    /// The word and what it must be meant to be, where that is sure.
    pub(crate) fn instead_of(&self, word: &str) -> Option<(String, String)> {
        self.only.then(|| (word.to_owned(), self.word.to_owned()))
    }
}

/// The candidate that a word was most likely meant to be, if one is near enough.
pub fn nearest<'c>(word: &str, candidates: impl IntoIterator<Item = &'c str>) -> Option<&'c str> {
    near(word, candidates).map(|near| near.word)
}

/// As [`nearest`], and whether it is the only one. Words that differ in a number are different things, however
/// near they are.
pub(crate) fn near<'c>(word: &str, candidates: impl IntoIterator<Item = &'c str>) -> Option<Near<'c>> {
    near_by(word, candidates).map(|(near, _)| near)
}

/// As [`near`], with the number of letters that differ.
fn near_by<'c>(word: &str, candidates: impl IntoIterator<Item = &'c str>) -> Option<(Near<'c>, usize)> {
    let digits = |text: &str| text.chars().filter(char::is_ascii_digit).collect::<String>();
    let lower = word.to_lowercase();
    let (allowed, own) = (allowed(word.chars().count()), letters(&lower));
    // each with its distance; how near a rival is, whole words in common counting as one letter
    let mut best: Option<(usize, &str)> = None;
    let mut second = usize::MAX;
    let rival = |distance: usize, affix: bool| if affix { distance.min(1) } else { distance };
    let mut best_rival = usize::MAX;
    for candidate in candidates {
        if candidate == word {
            continue;
        }
        let candidate_lower = candidate.to_lowercase();
        let tail = ends(&candidate_lower, &lower) || ends(&lower, &candidate_lower);
        if candidate.len().abs_diff(word.len()) > 8 && !tail {
            continue;
        }
        let whole = |longer: &str, part: &str| {
            longer.strip_prefix(part).is_some_and(|rest| rest.starts_with(['-', '_', '.', 's']))
        };
        let whole = whole(&candidate_lower, &lower) || whole(&lower, &candidate_lower);
        let affix = tail || word.len() > 3 && candidate.len() > 3 && whole;
        // most words are told apart by their letters alone
        if !affix && apart(&letters(&candidate_lower), &own) > allowed {
            continue;
        }
        let distance = if loose(&candidate_lower).eq(loose(&lower)) {
            0
        } else {
            strsim::damerau_levenshtein(&lower, &candidate_lower)
        };
        if distance > allowed && !affix || best.is_some_and(|(_, known)| known == candidate) {
            continue;
        }
        let near = rival(distance, affix);
        if best.is_none_or(|(known, text)| (distance, candidate) < (known, text)) {
            second = second.min(best_rival);
            (best, best_rival) = (Some((distance, candidate)), near);
        } else {
            second = second.min(near);
        }
    }
    let sure = |(distance, text): (usize, &str)| {
        let apart = second > rivals(distance);
        let close = distance == 0 || distance <= allowed && text.chars().count() > SHORT;
        apart && close && digits(text) == digits(word)
    };
    best.map(|best| (Near { word: best.1, only: sure(best) }, best.0))
}

/// What stands between the parts of ids that are paths or have the name of their mod before them.
const BETWEEN: [char; 3] = ['/', ':', '.'];

/// Whether a word is the last parts of a longer one.
fn ends(longer: &str, part: &str) -> bool {
    !part.is_empty() && longer.strip_suffix(part).is_some_and(|before| before.ends_with(BETWEEN))
}

/// The last parts of a word, each from one part on.
fn tails(word: &str) -> impl Iterator<Item = &str> {
    word.match_indices(BETWEEN)
        .filter_map(|(at, between)| word.get(at + between.len()..))
        .filter(|tail| !tail.is_empty())
}

/// A word's letters, one separator as good as another.
fn loose(lower: &str) -> impl Iterator<Item = char> {
    lower.chars().map(|letter| if matches!(letter, '_' | ' ' | '.') { '-' } else { letter })
}

/// A word so many letters off leaves doubt which one is meant, where the nearest is this many off.
fn rivals(distance: usize) -> usize {
    distance + usize::from(distance > 0)
}

/// Many words, prepared so that the nearest one of them is found without comparing all.
#[derive(Debug, Default)]
pub(crate) struct Words {
    /// By length in letters and by which letters come: how often each does, and where the word stands in the list.
    by_length: BTreeMap<usize, BTreeMap<u64, Vec<(Letters, usize)>>>,
    /// In small letters and as they are, sorted.
    sorted: Vec<(String, String)>,
    /// Which of them end with some last parts.
    by_tail: BTreeMap<String, Vec<usize>>,
}

/// How often each letter comes in a word; separators count as one letter, rare ones share places.
type Letters = [u8; 48];

fn letters(lower: &str) -> Letters {
    let mut counts = [0; 48];
    for letter in lower.chars() {
        let at = match letter {
            'a'..='z' => letter as usize - 'a' as usize,
            '0'..='9' => 26 + letter as usize - '0' as usize,
            '_' | ' ' | '.' | '-' => 36,
            other => 37 + other as usize % 11,
        };
        if let Some(count) = counts.get_mut(at) {
            *count = u8::saturating_add(*count, 1);
        }
    }
    counts
}

/// Which letters come in a word, a bit for each.
fn which(letters: &Letters) -> u64 {
    letters.iter().zip(0u32..).filter(|(count, _)| **count > 0).map(|(_, at)| 1 << at).sum()
}

/// At least so many letters have to be put in, left out or taken for others to make one word of another: the more of
/// those that only the one and that only the other has. In one pass of what processors do for many bytes at once.
fn apart(a: &Letters, b: &Letters) -> usize {
    let sum = |letters: &Letters| letters.iter().map(|count| u32::from(*count)).sum::<u32>();
    let differing: u32 = a.iter().zip(b).map(|(a, b)| u32::from(a.abs_diff(*b))).sum();
    (differing + sum(a).abs_diff(sum(b))) as usize / 2
}

impl Words {
    pub(crate) fn new<'c>(all: impl Iterator<Item = &'c str>) -> Words {
        let mut sorted: Vec<(String, String)> = all.map(|word| (word.to_lowercase(), word.to_owned())).collect();
        sorted.sort_unstable();
        let mut by_length: BTreeMap<usize, BTreeMap<u64, Vec<(Letters, usize)>>> = BTreeMap::new();
        for (nth, (lower, word)) in sorted.iter().enumerate() {
            let letters = letters(lower);
            let alike = by_length.entry(word.chars().count()).or_default().entry(which(&letters)).or_default();
            alike.push((letters, nth));
        }
        let mut by_tail: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (nth, (lower, _)) in sorted.iter().enumerate() {
            tails(lower).for_each(|tail| by_tail.entry(tail.to_owned()).or_default().push(nth));
        }
        Words { by_length, sorted, by_tail }
    }

    /// As [`near`], among those that count.
    pub(crate) fn near(&self, word: &str, counts: &dyn Fn(&str) -> bool) -> Option<Near<'_>> {
        let (lower, length) = (word.to_lowercase(), word.chars().count());
        let (own, allowed) = (letters(&lower), allowed(length));
        let mask = which(&own);
        // a letter that only one of them has is a difference
        let only_one_has = |other: u64| (other & !mask).count_ones().max((mask & !other).count_ones()) as usize;
        let from = self.sorted.partition_point(|(known, _)| known.as_str() < lower.as_str());
        let longer = self.sorted.iter().skip(from).take_while(|(known, _)| known.starts_with(&lower));
        let shorter = lower.char_indices().skip(1).map(|(at, _)| lower.get(..at).unwrap_or_default());
        // where very many end so, none of them is meant more than another
        let ending = self.by_tail.get(&lower).into_iter().flatten().take(64).filter_map(|nth| self.sorted.get(*nth));
        let parts = shorter.chain(tails(&lower)).flat_map(|part| {
            let from = self.sorted.partition_point(|(known, _)| known.as_str() < part);
            self.sorted.iter().skip(from).take_while(move |(known, _)| known == part)
        });
        let affixes: Vec<_> = longer.chain(ending).chain(parts).collect();
        let close = self.by_length.range(length.saturating_sub(allowed)..=length + allowed).flat_map(|(_, all)| all);
        let close = close.filter(|(other, _)| only_one_has(**other) <= allowed).flat_map(|(_, alike)| alike);
        let close = close.map(|(other, nth)| (apart(other, &own), nth)).filter(|(off, _)| *off <= allowed);
        let close: Vec<_> = close.filter_map(|(off, nth)| Some((off, self.sorted.get(*nth)?))).collect();
        let within = |most: usize| {
            let close = close.iter().filter(|(off, _)| *off <= most).map(|(_, known)| *known);
            let all = close.chain(affixes.iter().copied()).map(|(_, candidate)| candidate.as_str());
            near_by(word, all.filter(|candidate| counts(candidate)))
        };
        // few words are as near as most misspelt ones are, and comparing is what takes long: what is found among these
        // stands, where no word further off can raise doubt, or doubt is there already
        let settled = |(near, distance): &(Near<'_>, usize), off: usize| {
            *distance <= off && (!near.only || rivals(*distance) <= off)
        };
        let sooner = (1..allowed).find_map(|off| within(off).filter(|found| settled(found, off)));
        sooner.or_else(|| within(allowed)).map(|(near, _)| near)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn near_words_are_found_and_far_ones_are_not() {
        let known = ["peat-brick", "reed-mat", "lamp-oil", "Eel", "burn_minutes", "nails/by-length/long/spike"];
        for (word, near) in [
            ("peat-brik", Some("peat-brick")),
            ("reed_mat", Some("reed-mat")),
            ("eel", Some("Eel")),
            ("burn-minutes", Some("burn_minutes")),
            ("burn_minute", Some("burn_minutes")),
            ("lamp", Some("lamp-oil")),
            ("long/spike", Some("nails/by-length/long/spike")),
            ("fen:reed-mat", Some("reed-mat")),
            ("salt", None),
            ("", None),
        ] {
            assert_eq!(nearest(word, known), near, "{word}");
        }
    }

    #[test]
    fn the_only_candidate_is_told_from_one_of_several() {
        for (word, known, only) in [
            ("peat-brik", &["peat-brick", "reed-mat"][..], true),
            ("reedmat", &["reed-mat", "reed-hat"], false),
            ("smal-engine", &["small-engine", "steam-engine"], true),
            ("Reed_Mat", &["reed-mat", "reed-hat"], true),
            ("lamp", &["lamp-oil"], false),
            ("reed-3", &["reed-2"], false),
            ("ell", &["eel"], false),
            ("peat-brik", &["peat-brick", "peat-brick"], true),
        ] {
            assert_eq!(near(word, known.iter().copied()).map(|near| near.only), Some(only), "{word}");
        }
    }

    proptest::proptest! {
        #[test]
        fn prepared_words_give_what_comparing_all_gives(word in "[a-cA_ .:-]{0,13}", known in proptest::collection::vec("[a-cA_ .:-]{1,13}", 0..24)) {
            let all = || known.iter().map(String::as_str);
            let words = Words::new(all());
            proptest::prop_assert_eq!(words.near(&word, &|_| true), near(&word, all()));
        }
    }
}
