//! Words of which ids are made, what is changed in them, and how an id is taken apart into them again.

use regex::Regex;

use super::naming::NameFrom;

/// A word in a template.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Word {
    pub(crate) from: NameFrom,
    changes: Vec<Change>,
}

#[derive(Clone, PartialEq, Eq, Debug)]
enum Change {
    Lower,
    Upper,
    /// What stands for spaces.
    Spaces(String),
    /// What stands behind the first of these counts; all of it where there is none.
    After(String),
    /// What stands before the first of these counts; all of it where there is none.
    Before(String),
}

impl Word {
    /// Reads what stands in braces: a word, and what is changed in it, as `name|lower|spaces:_`.
    pub(super) fn parse(text: &str) -> Result<Word, String> {
        let mut parts = text.split('|');
        let from = NameFrom::in_template(parts.next().unwrap_or_default())?;
        let change = |part: &str| match part.split_once(':') {
            None if part == "lower" => Ok(Change::Lower),
            None if part == "upper" => Ok(Change::Upper),
            Some(("spaces", by)) => Ok(Change::Spaces(by.to_owned())),
            Some(("after", mark)) if !mark.is_empty() => Ok(Change::After(mark.to_owned())),
            Some(("before", mark)) if !mark.is_empty() => Ok(Change::Before(mark.to_owned())),
            _ => Err(format!(
                "`{part}` is no change of a word: `lower`, `upper`, `spaces:_`, `after:TEXT`, `before:TEXT`"
            )),
        };
        Ok(Word { from, changes: parts.map(change).collect::<Result<_, _>>()? })
    }

    /// A word as it stands.
    pub(super) fn plain(from: NameFrom) -> Word {
        Word { from, changes: Vec::new() }
    }

    /// A word with its changes.
    pub(crate) fn changed(&self, word: &str) -> String {
        self.changes.iter().fold(word.to_owned(), |word, change| match change {
            Change::Lower => word.to_lowercase(),
            Change::Upper => word.to_uppercase(),
            Change::Spaces(by) => word.replace(' ', by),
            Change::After(mark) => word.split_once(mark.as_str()).map_or(word.clone(), |(_, behind)| behind.to_owned()),
            Change::Before(mark) => {
                word.split_once(mark.as_str()).map_or(word.clone(), |(before, _)| before.to_owned())
            }
        })
    }

    /// Whether it comes from where a file lies.
    pub(crate) fn is_of_path(&self) -> bool {
        matches!(self.from, NameFrom::Stem | NameFrom::Path | NameFrom::Folder)
    }

    /// What it is of a file at a path, where it comes from that.
    pub(crate) fn of_path(&self, relative: &str) -> Option<String> {
        self.from.of_path(relative).map(|word| self.changed(&word))
    }
}

/// What takes the ids of a template apart into the words that make them.
#[derive(Clone, Debug)]
pub(super) struct Apart {
    regex: Regex,
    words: Vec<Word>,
}

impl Apart {
    /// Of a regular expression with a group for each word.
    pub(super) fn new(pattern: &str, words: Vec<Word>) -> Option<Apart> {
        Some(Apart { regex: Regex::new(&format!("^{pattern}$")).ok()?, words })
    }

    /// The words that make an id; the first way in which that goes.
    pub(super) fn words_of(&self, id: &str) -> Option<Vec<(&Word, String)>> {
        let found = self.regex.captures(id)?;
        let all = self.words.iter().zip(found.iter().skip(1));
        Some(all.filter_map(|(word, group)| Some((word, group?.as_str().to_owned()))).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_changed_in_turn() {
        for (text, word, wanted) in [
            ("stem", "Reed Bed", "Reed Bed"),
            ("stem|lower|spaces:_", "Reed Bed", "reed_bed"),
            ("stem|upper", "reed", "REED"),
            ("path|after:units/", "data/units/fen/eel", "fen/eel"),
            ("path|after:units/|before:/", "data/units/fen/eel", "fen"),
            ("key|before:@", "lamp@north@1", "lamp"),
            ("key|after:#|before:@", "lamp", "lamp"),
        ] {
            assert_eq!(Word::parse(text).unwrap().changed(word), wanted, "{text}");
        }
        for text in ["stem|small", "stem|after", "stem|after:", "stem|"] {
            assert!(Word::parse(text).unwrap_err().contains("is no change of a word"), "{text}");
        }
    }
}
