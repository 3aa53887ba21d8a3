//! What a word means that names a parent: an id, one of several in turn, or the path of a file.

use std::borrow::Cow;

use crate::rulebook::{Kind, PathStart, Rulebook};

/// Between a folder and a word with folders of its own that is looked for there.
pub(crate) const WITHIN: &str = "//";

/// Between the ids of which the first counts that is there.
pub(crate) const IN_TURN: &str = "\n";

/// The id that a word means which names a parent in a file, by its path below its layer.
pub(crate) fn parent_meant<'w>(rulebook: &Rulebook, kind: &Kind, word: &'w str, relative: &str) -> Cow<'w, str> {
    if kind.parent_by_path {
        let mut all: Vec<String> = Vec::new();
        for start in &kind.parent_paths {
            let path = match start {
                PathStart::File => path_named(word, relative, true),
                PathStart::Folder(folder) if is_dotted(word) || folder.is_empty() => path_named(word, relative, false),
                PathStart::Folder(folder) => path_named(&format!("{folder}{word}"), "", false),
            };
            if !all.contains(&path) {
                all.push(path);
            }
        }
        return all.join(IN_TURN).into();
    }
    let link = rulebook.link_of_parent(kind).filter(|link| !link.forms.is_empty());
    let word = match link.map(|link| (link, link.id_in(word))) {
        // what is not of the form is no id at all
        Some((link, None)) => format!("{word} (not as {})", link.forms_shown()).into(),
        Some((_, Some(id))) => Cow::Borrowed(id),
        None => Cow::Borrowed(word),
    };
    // looked for here first, then further out
    match relative.rsplit_once('/').filter(|_| kind.scoped) {
        Some((folder, _)) if word.contains('/') => format!("{folder}{WITHIN}{word}").into(),
        Some((folder, _)) => format!("{folder}/{word}").into(),
        None => word,
    }
}

/// Whether one of the ids that a word means as a parent is this one.
pub(crate) fn means_parent(meant: &str, id: &str) -> bool {
    meant == id || meant.contains(IN_TURN) && meant.split(IN_TURN).any(|one| one == id)
}

/// Whether a path begins at the file that names it, whatever else is said.
fn is_dotted(word: &str) -> bool {
    word.starts_with("./") || word.starts_with("../") || word.starts_with(".\\") || word.starts_with("..\\")
}

/// The id, a path without ending, of the definition that a path in a file names.
pub(crate) fn path_named(word: &str, file: &str, beside: bool) -> String {
    let word = word.replace('\\', "/");
    let dotted = is_dotted(&word);
    let mut parts: Vec<&str> = match file.rsplit_once('/') {
        Some((folder, _)) if beside || dotted => folder.split('/').collect(),
        _ => Vec::new(),
    };
    for part in word.split('/') {
        match part {
            "." | "" => {}
            ".." => {
                parts.pop();
            }
            part => parts.push(part),
        }
    }
    let path = parts.join("/");
    match path.rsplit_once('.') {
        Some((stem, ending)) if !ending.contains('/') && !stem.is_empty() => stem.to_owned(),
        _ => path,
    }
}

#[cfg(test)]
mod tests {
    use super::path_named;

    #[test]
    fn a_path_names_a_definition_from_the_root_or_from_beside_the_file() {
        for (word, beside, id) in [
            ("lamps/base", false, "lamps/base"),
            ("lamps/base.txt", false, "lamps/base"),
            ("../lamps/base.txt", false, "lamps/base"),
            ("./base.txt", false, "oils/base"),
            ("base.txt", true, "oils/base"),
            ("..\\lamps\\base.txt", true, "lamps/base"),
            ("../../../away", true, "away"),
        ] {
            assert_eq!(path_named(word, "oils/eel.txt", beside), id, "{word}");
        }
    }
}
