//! Folders of a mod that apply only under a condition.

use std::fmt;

/// When a part of a mod applies.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Condition {
    /// Another mod is loaded.
    With(String),
    /// Another mod is not loaded.
    Without(String),
    /// Players are in this mode of the game.
    In(String),
}

impl Condition {
    /// The mod or mode that it is about.
    pub fn word(&self) -> &str {
        match self {
            Condition::With(word) | Condition::Without(word) | Condition::In(word) => word,
        }
    }

    /// The id of the part of a mod that applies then.
    pub(crate) fn part_of(&self, id: &str) -> String {
        match self {
            Condition::With(other) => format!("{id}+{other}"),
            Condition::Without(other) => format!("{id}+without-{other}"),
            Condition::In(mode) => format!("{id}+in-{mode}"),
        }
    }
}

impl fmt::Display for Condition {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Condition::With(other) => write!(f, "with {other} only"),
            Condition::Without(other) => write!(f, "without {other} only"),
            Condition::In(mode) => write!(f, "in {mode} only"),
        }
    }
}

/// What stands before and behind the word in a folder's name.
type Around = Option<(String, String)>;

/// A condition about a mod or mode.
type About = fn(String) -> Condition;

/// What stands before and behind the mod or mode in the names of folders that apply only with, without or in it.
#[derive(Clone, Debug, Default)]
pub(crate) struct PartFolders {
    pub(crate) with: Around,
    pub(crate) without: Around,
    pub(crate) mode: Around,
}

impl PartFolders {
    /// The conditions that the folder of a file may mean, by the file's path in the mod.
    pub(crate) fn may_mean<'a>(&'a self, relative: &'a str) -> impl Iterator<Item = Condition> + 'a {
        let forms: [(&Around, About); 3] =
            [(&self.with, Condition::With), (&self.without, Condition::Without), (&self.mode, Condition::In)];
        forms.into_iter().filter_map(move |(form, condition)| {
            let (before, behind) = form.as_ref()?;
            let (word, _) = relative.strip_prefix(before.as_str())?.split_once(&format!("{behind}/"))?;
            (!word.is_empty() && !word.contains('/')).then(|| condition(word.to_owned()))
        })
    }

    /// The folder of what applies under a condition.
    pub(crate) fn folder(&self, condition: &Condition) -> Option<String> {
        let form = match condition {
            Condition::With(_) => &self.with,
            Condition::Without(_) => &self.without,
            Condition::In(_) => &self.mode,
        };
        form.as_ref().map(|(before, behind)| format!("{before}{}{behind}", condition.word()))
    }

    /// Whether there are none.
    pub(crate) fn is_empty(&self) -> bool {
        self.with.is_none() && self.without.is_none() && self.mode.is_none()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_says_when_it_applies() {
        let form = |text: &str| text.split_once('*').map(|(before, behind)| (before.to_owned(), behind.to_owned()));
        let folders = PartFolders { with: form("with-*"), without: form("without-*"), mode: form("modes/*/data") };
        let means = |path: &str| folders.may_mean(path).collect::<Vec<_>>();
        assert_eq!(means("with-bog/wares/a.xml"), [Condition::With("bog".to_owned())]);
        assert_eq!(means("without-bog/a.xml"), [Condition::Without("bog".to_owned())]);
        assert_eq!(means("modes/calm/data/a.xml"), [Condition::In("calm".to_owned())]);
        for nothing in ["with-bog", "with-/a.xml", "modes/calm/a.xml", "modes/calm/more/data/a.xml", "wares/a.xml"] {
            assert_eq!(means(nothing), [], "{nothing}");
        }
        for one in [Condition::With("x".to_owned()), Condition::Without("x".to_owned()), Condition::In("x".to_owned())]
        {
            assert_eq!(means(&format!("{}/a", folders.folder(&one).unwrap())), [one]);
        }
    }
}
