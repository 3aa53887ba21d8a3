//! Versions of mods, and what is required of them.

use std::cmp::Ordering;

/// Whether a version is what is required; none where one of the two cannot be read.
///
/// With `semver` as semver.org and the requirements of that crate say it. Otherwise versions are compared number by number,
/// a missing one counting as 0, and a version with letters behind its numbers comes before the one without; what is
/// required are comparisons with `=`, `<`, `<=`, `>`, `>=` or `!=`, all of which must hold, separated by commas or
/// spaces; a version that stands alone is the least.
pub(crate) fn satisfies(version: &str, required: &str, semver: bool) -> Option<bool> {
    if semver {
        let required = semver::VersionReq::parse(required.trim()).ok()?;
        return Some(required.matches(&lenient(version)?));
    }
    let mut rest = required.trim();
    let mut all = true;
    while !rest.is_empty() {
        let signs = rest.len() - rest.trim_start_matches(['<', '>', '=', '!']).len();
        let (sign, after) = rest.split_at_checked(signs)?;
        let after = after.trim_start();
        let end = after.find([',', ' ', '<', '>', '=', '!']).unwrap_or(after.len());
        let (wanted, behind) = after.split_at_checked(end)?;
        if !wanted.starts_with(|letter: char| letter.is_ascii_digit() || letter == 'v') {
            return None;
        }
        let order = compare(version, wanted)?;
        all &= match sign {
            "" | ">=" => order != Ordering::Less,
            ">" => order == Ordering::Greater,
            "<=" => order != Ordering::Greater,
            "<" => order == Ordering::Less,
            "=" | "==" => order == Ordering::Equal,
            "!=" => order != Ordering::Equal,
            _ => return None,
        };
        rest = behind.trim_start_matches([',', ' ']);
    }
    Some(all)
}

/// A version of one or two numbers as one of three.
fn lenient(version: &str) -> Option<semver::Version> {
    let version = version.trim().trim_start_matches('v');
    let numbers = version.find(['-', '+']).unwrap_or(version.len());
    let (numbers, behind) = version.split_at_checked(numbers)?;
    let missing = 2usize.checked_sub(numbers.matches('.').count())?;
    semver::Version::parse(&format!("{numbers}{}{behind}", ".0".repeat(missing))).ok()
}

/// Two versions, number by number; none where one of them begins with no number.
fn compare(one: &str, other: &str) -> Option<Ordering> {
    let (one, other) = (cut(one)?, cut(other)?);
    let longest = one.0.len().max(other.0.len());
    let number = |of: &Vec<u64>, at: usize| of.get(at).copied().unwrap_or(0);
    let numbers = (0..longest).map(|at| number(&one.0, at).cmp(&number(&other.0, at)));
    let order = numbers.fold(Ordering::Equal, Ordering::then);
    // what is called beta comes before what is called nothing
    let words = (one.1.is_empty(), one.1.as_str()).cmp(&(other.1.is_empty(), other.1.as_str()));
    Some(order.then(words))
}

/// The numbers of a version, and the word behind them.
fn cut(version: &str) -> Option<(Vec<u64>, String)> {
    let version = version.trim().trim_start_matches('v');
    let end = version.find(|letter: char| !letter.is_ascii_digit() && letter != '.').unwrap_or(version.len());
    let (numbers, word) = version.split_at_checked(end)?;
    let numbers: Option<Vec<u64>> = numbers.trim_end_matches('.').split('.').map(|part| part.parse().ok()).collect();
    Some((numbers?, word.trim_start_matches(['-', '_', '+']).to_lowercase()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn versions_are_compared_number_by_number() {
        for (version, required, wanted) in [
            ("1.10", "1.9", Some(true)),
            ("1.2", "1.2.0", Some(true)),
            ("1.2", ">1.2.0", Some(false)),
            ("2.0.1", ">= 1.5, < 2.1", Some(true)),
            ("2.1", ">=1.5 <2.1", Some(false)),
            ("v3", "=3", Some(true)),
            ("1.0-beta", "1.0", Some(false)),
            ("1.0", "!=1.0", Some(false)),
            ("1.0", "newest", None),
            ("spring", "1.0", None),
            ("1.0", "~>1", None),
        ] {
            assert_eq!(satisfies(version, required, false), wanted, "{version} {required}");
        }
        for (version, required, wanted) in [
            ("1.10", "1.9", Some(true)),
            ("2.0", "1.9", Some(false)),
            ("1.4.7", "~1.4.2", Some(true)),
            ("1.5.0-rc.1", ">=1.5.0", Some(false)),
            ("one", "1", None),
            ("1.0", "about 1", None),
        ] {
            assert_eq!(satisfies(version, required, true), wanted, "{version} {required}");
        }
    }
}
