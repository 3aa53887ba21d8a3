//! Editions of the base: which one a mod was made for.
//!
//! Versions are compared part by part: `1.10` is newer than `1.9`, and `1.1` stands for all of `1.1.…`.

use std::cmp::Ordering;

use crate::source::Place;

/// An older edition of the base that the workspace keeps.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Edition {
    /// Its version.
    pub name: String,
    /// Its folders or archives, the lowest first.
    pub base: Vec<String>,
    /// Where the workspace file names it.
    pub place: Place,
}

/// What a mod was made for, seen from a workspace.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum MadeFor {
    /// The edition that is there, or nothing that is known.
    Present,
    /// A kept one, by its position.
    Kept(usize),
    /// One that is older than the base, and not kept.
    Lacking,
    /// One that is newer than the base.
    Newer,
}

/// The edition for which a mod was made, if its manifest says `said`. Of several the newest counts.
pub(crate) fn made_for<'e>(said: &[String], present: Option<&str>, kept: impl Iterator<Item = &'e str>) -> MadeFor {
    let Some(present) = present else { return MadeFor::Present };
    if said.is_empty() || said.iter().any(|said| fits(said, present)) {
        return MadeFor::Present;
    }
    let fitting = kept.enumerate().filter(|(_, name)| said.iter().any(|said| fits(said, name)));
    let exact = |name: &str| said.iter().any(|said| compare(said, name) == Ordering::Equal);
    if let Some((nth, _)) = fitting.max_by(|(_, a), (_, b)| exact(a).cmp(&exact(b)).then_with(|| compare(a, b))) {
        return MadeFor::Kept(nth);
    }
    // what is no number cannot be newer
    let newer = |said: &String| compare(said, present) == Ordering::Greater && parts(said).any(|part| part.is_ok());
    if said.iter().any(newer) { MadeFor::Newer } else { MadeFor::Lacking }
}

/// Whether one of two versions is the other, or begins it.
fn fits(said: &str, edition: &str) -> bool {
    let mut none = true;
    let all = parts(said).zip(parts(edition)).all(|(a, b)| {
        none = false;
        a == b
    });
    all && !none
}

fn compare(a: &str, b: &str) -> Ordering {
    parts(a).cmp(parts(b))
}

/// The numbers and words of a version, without what stands before the first (`v1.2`, `>=1.2`) and without a
/// star at the end.
fn parts(version: &str) -> impl Iterator<Item = Result<u64, &str>> {
    let version = version.trim().trim_start_matches(['>', '<', '=', '^', '~', ' ', 'v', 'V']);
    let words = version.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty());
    words.map(|word| word.parse::<u64>().map_err(|_| word))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_edition_is_found_by_the_parts_of_its_version() {
        let kept = ["1.0", "1.1", "1.1.4", "0.9-beta"];
        let found = |said: &[&str]| {
            let said: Vec<String> = said.iter().map(|said| (*said).to_owned()).collect();
            made_for(&said, Some("1.2"), kept.into_iter())
        };
        for present in ["1.2", "v1.2", ">=1.2", "1.2.*", "1.2.7", "1"] {
            assert_eq!(found(&[present]), MadeFor::Present, "{present}");
        }
        assert_eq!(found(&[]), MadeFor::Present);
        assert_eq!(found(&["1.0"]), MadeFor::Kept(0));
        assert_eq!(found(&["1.1"]), MadeFor::Kept(1));
        assert_eq!(found(&["1.1.3"]), MadeFor::Kept(1));
        assert_eq!(found(&["0.9 beta"]), MadeFor::Kept(3));
        assert_eq!(found(&["1.0", "1.1.4"]), MadeFor::Kept(2));
        assert_eq!(found(&["0.8"]), MadeFor::Lacking);
        assert_eq!(found(&["1.10"]), MadeFor::Newer);
        assert_eq!(found(&["harvest"]), MadeFor::Lacking);
        assert_eq!(made_for(&["1.0".to_owned()], None, kept.into_iter()), MadeFor::Present);
    }
}
