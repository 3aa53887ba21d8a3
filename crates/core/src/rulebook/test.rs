//! Tests: a table of paths and what must stand there. Cheap enough to be tried on every definition.

use crate::document::{FieldPath, Node, Shape};
use crate::names::Names;
use crate::own::{self, OwnFault};
use crate::source::Place;

/// What a test wants of one path.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Wanted {
    /// Something stands there, or nothing does.
    There(bool),
    /// One of these words stands there; of a list, as an entry.
    OneOf(Vec<String>),
}

/// One path of a test.
#[derive(Clone, Debug)]
pub(crate) struct TestPart {
    pub(crate) path: FieldPath,
    /// The path is one of the whole definition, not of the table that the test is about.
    pub(crate) of_whole: bool,
    pub(crate) wanted: Wanted,
    pub(crate) place: Place,
}

/// Paths and what must stand there, all of it.
#[derive(Clone, Debug, Default)]
pub(crate) struct Test(pub(crate) Vec<TestPart>);

impl Test {
    /// Reads a test: path → value, list of values, `true` (there), `false` (not there).
    pub(crate) fn read(node: Node<'_>, names: &Names, faults: &mut Vec<OwnFault>) -> Test {
        let mut parts = Vec::new();
        for entry in node.children() {
            let key = entry.key().map_or("", |key| names.text(key));
            let path = match FieldPath::parse(key) {
                Ok(path) => path,
                Err(error) => {
                    faults.push(own::fault(entry.place(), error.to_string()));
                    continue;
                }
            };
            let wanted = match entry.shape() {
                Shape::Boolean => Wanted::There(entry.is_true()),
                Shape::Text | Shape::Number => Wanted::OneOf(vec![entry.text().into_owned()]),
                Shape::List => Wanted::OneOf(own::texts(entry).into_iter().map(|(word, _)| word).collect()),
                _ => {
                    let message = "a test takes a value, a list of values, or true (there) or false (not there)";
                    faults.push(own::fault(entry.place(), message));
                    continue;
                }
            };
            parts.push(TestPart { path, of_whole: false, wanted, place: entry.place() });
        }
        Test(parts)
    }

    /// The keys of a definition's own table that it asks for.
    pub(crate) fn keys(&self, names: &Names) -> Vec<crate::names::Sym> {
        let own = self.0.iter().filter(|part| part.wanted != Wanted::There(false));
        let key = |part: &TestPart| match part.path.steps() {
            [crate::document::Step::Key(key)] => names.get(key),
            _ => None,
        };
        own.filter_map(key).collect()
    }

    /// Whether it holds: `words` gives what stands at a path, nothing if nothing does.
    pub(crate) fn holds(&self, mut words: impl FnMut(&TestPart) -> Option<Vec<String>>) -> bool {
        self.0.iter().all(|part| {
            let there = words(part);
            match &part.wanted {
                Wanted::There(wanted) => there.is_some() == *wanted,
                Wanted::OneOf(allowed) => there.is_some_and(|words| words.iter().any(|word| allowed.contains(word))),
            }
        })
    }
}

impl std::fmt::Display for Test {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        for (at, part) in self.0.iter().enumerate() {
            if at > 0 {
                f.write_str(" and ")?;
            }
            match &part.wanted {
                Wanted::There(true) => write!(f, "`{}` is stated", part.path)?,
                Wanted::There(false) => write!(f, "`{}` is not stated", part.path)?,
                Wanted::OneOf(words) => write!(f, "`{}` is `{}`", part.path, words.join("` or `"))?,
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::{Document, Format};
    use crate::source::FileId;

    #[test]
    fn a_test_asks_for_words_for_presence_and_for_absence() {
        let names = Names::new();
        let text = "a = \"x\"\nb = [\"y\", \"z\"]\nc = true\nd = false\n";
        let document = Document::parse(FileId(0), Format::Toml, text.into(), &names);
        let mut faults = Vec::new();
        let test = Test::read(document.root(), &names, &mut faults);
        assert_eq!(faults, []);
        assert_eq!(test.to_string(), "`a` is `x` and `b` is `y` or `z` and `c` is stated and `d` is not stated");
        let tried = |a: &str, b: &[&str], c: bool, d: bool| {
            test.holds(|part| match part.path.to_string().as_str() {
                "a" => Some(vec![a.to_owned()]),
                "b" => Some(b.iter().map(|word| (*word).to_owned()).collect()),
                "c" => c.then(Vec::new),
                _ => d.then(Vec::new),
            })
        };
        assert!(tried("x", &["w", "z"], true, false));
        assert!(!tried("y", &["z"], true, false));
        assert!(!tried("x", &["w"], true, false));
        assert!(!tried("x", &["z"], false, false));
        assert!(!tried("x", &["z"], true, true));
    }
}
