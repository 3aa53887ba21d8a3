//! Which files of a folder, and of folders beside it, are of one kind.

use super::{Found, singular};

/// What lies within the pattern of another kind that is cut alike belongs to that.
pub(super) fn apart(kinds: Vec<Found<'_>>) -> Vec<Found<'_>> {
    let mut kinds = kinds;
    let narrow = |found: &Found<'_>| {
        let all = |word: &str| found.patterns.iter().all(|pattern| pattern.contains(word));
        (!all("**"), !all("*"))
    };
    kinds.sort_by_key(narrow);
    let mut out: Vec<Found<'_>> = Vec::new();
    for found in kinds {
        let within = |other: &&mut Found<'_>| {
            let glob = |pattern: &String| globset::GlobBuilder::new(pattern).literal_separator(true).build().ok();
            let mut globs = other.patterns.iter().filter_map(glob).map(|glob| glob.compile_matcher());
            other.cut == found.cut && globs.any(|glob| found.files.iter().any(|file| glob.is_match(file)))
        };
        match out.iter_mut().find(within) {
            Some(other) => {
                other.files.extend(found.files);
                other.definitions.extend(found.definitions);
                other.keys.extend(found.keys);
            }
            None => out.push(found),
        }
    }
    out.sort_by(|one, other| one.patterns.cmp(&other.patterns));
    out
}

/// Folders beside each other that hold the same are one kind, called by the folder that they lie in.
pub(super) fn with_siblings(kinds: Vec<Found<'_>>) -> Vec<Found<'_>> {
    let above = |found: &Found<'_>| -> Option<(String, String)> {
        let [pattern] = found.patterns.as_slice() else { return None };
        let (folder, name) = pattern.rsplit_once('/')?;
        let parent = folder.rsplit_once('/').map_or("", |(parent, _)| parent);
        (name.starts_with("*.") && (!parent.is_empty() || found.word.is_some()))
            .then(|| (parent.to_owned(), name.to_owned()))
    };
    let mut out: Vec<Found<'_>> = Vec::new();
    for found in kinds {
        let beside = above(&found);
        let shared = |other: &Found<'_>| {
            let all = other.keys.union(&found.keys).count();
            other.cut == found.cut && other.keys.intersection(&found.keys).count() * 2 >= all
        };
        let known = beside.as_ref().and_then(|(parent, name)| {
            let whole = format!("{parent}/**/{name}").trim_start_matches('/').to_owned();
            let place = out
                .iter()
                .position(|other| shared(other) && (other.patterns == [whole.clone()] || above(other) == beside));
            place.map(|at| (at, whole))
        });
        match known.and_then(|(at, whole)| Some((out.get_mut(at)?, whole))) {
            Some((other, whole)) => {
                let folder = whole.split("**").next().unwrap_or("").trim_end_matches('/');
                if !folder.is_empty() {
                    other.kind = singular(telling(folder));
                }
                other.patterns = vec![whole];
                other.files.extend(found.files);
                other.definitions.extend(found.definitions);
                other.keys.extend(found.keys);
            }
            None => out.push(found),
        }
    }
    out
}

/// The innermost folder of a path whose name says what is in it.
pub(super) fn telling(path: &str) -> &str {
    const SAYS_NOTHING: [&str; 8] = ["base", "data", "default", "common", "core", "main", "all", "misc"];
    let last = path.rsplit('/').next().unwrap_or(path);
    path.rsplit('/').find(|word| !SAYS_NOTHING.contains(&word.to_lowercase().as_str())).unwrap_or(last)
}
