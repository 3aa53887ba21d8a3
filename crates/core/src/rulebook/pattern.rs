//! Path patterns of the rulebook: `a.b`, `a[]`, `a[].b`, `a{}`, `a{key}`.

use crate::document::{Node, Shape};
use crate::names::Names;
use crate::source::Place;

/// One step of a pattern.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum PatternStep {
    /// A named entry of a table.
    Key(String),
    /// Each entry of a list.
    Entries,
    /// Each value of a map.
    Values,
    /// Each key of a map.
    Keys,
    /// One place of a tuple.
    At(usize),
}

/// A pattern of field paths.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub(crate) struct Pattern(pub(crate) Vec<PatternStep>);

impl Pattern {
    /// Reads a pattern; the empty text is the thing itself.
    pub(crate) fn parse(text: &str) -> Result<Pattern, String> {
        let fail = |reason: &str| format!("`{text}` is no path pattern: {reason}");
        let mut steps = Vec::new();
        let mut rest = text;
        while !rest.is_empty() {
            if let Some(after) = rest.strip_prefix("[]") {
                steps.push(PatternStep::Entries);
                rest = after;
            } else if let Some((at, after)) = rest.strip_prefix('[').and_then(|rest| rest.split_once(']'))
                && let Ok(at) = at.parse::<usize>()
            {
                steps.push(PatternStep::At(at));
                rest = after;
            } else if let Some(after) = rest.strip_prefix("{}") {
                steps.push(PatternStep::Values);
                rest = after;
            } else if let Some(after) = rest.strip_prefix("{key}") {
                steps.push(PatternStep::Keys);
                if !after.is_empty() {
                    return Err(fail("nothing can follow `{key}`"));
                }
                rest = after;
            } else {
                let body = if steps.is_empty() { rest } else { rest.strip_prefix('.').unwrap_or(rest) };
                let (key, after) = match body.strip_prefix('"') {
                    Some(quoted) => quoted.split_once('"').ok_or_else(|| fail("a quote is not closed"))?,
                    None => body.split_at(body.find(['.', '[', '{']).unwrap_or(body.len())),
                };
                if key.is_empty() || (steps.is_empty() && rest.starts_with('.')) {
                    return Err(fail("a name is missing; lists are `[]`, maps `{}`, keys of maps `{key}`"));
                }
                if key.contains([']', '}']) {
                    return Err(fail("a bracket too many; lists are `[]`, maps `{}`"));
                }
                if after == "." {
                    return Err(fail("a name is missing behind the last `.`"));
                }
                steps.push(PatternStep::Key(key.to_owned()));
                rest = after;
            }
        }
        Ok(Pattern(steps))
    }
}

/// What a pattern leads to in a document.
#[derive(Debug)]
pub(crate) struct Reached<'d> {
    /// Which entries of lists and maps lead there: what belongs to one entry has the same.
    pub(crate) entries: Vec<usize>,
    /// The way, as people write it.
    pub(crate) way: String,
    pub(crate) node: Node<'d>,
    /// Whether the key of the node is meant, and not its value.
    pub(crate) is_key: bool,
}

impl Reached<'_> {
    /// Where it stands.
    pub(crate) fn place(&self) -> Place {
        match self.is_key {
            true => Place { file: self.node.document().file(), span: self.node.key_span() },
            false => self.node.place(),
        }
    }

    /// The key, or the value where it is a text or a number.
    pub(crate) fn text(&self, names: &Names) -> Option<String> {
        match (self.is_key, self.node.shape()) {
            (true, _) => Some(self.node.key().map_or("", |key| names.text(key)).to_owned()),
            (false, Shape::Text | Shape::Number) => Some(self.node.text().into_owned()),
            _ => None,
        }
    }
}

impl Pattern {
    /// What this leads to below a node. A value where a list is meant counts as its only entry.
    pub(crate) fn reached<'d>(&self, root: Node<'d>, names: &Names) -> Vec<Reached<'d>> {
        let mut out = Vec::new();
        reach(Reached { entries: Vec::new(), way: String::new(), node: root, is_key: false }, &self.0, names, &mut out);
        out
    }
}

fn reach<'d>(here: Reached<'d>, steps: &[PatternStep], names: &Names, out: &mut Vec<Reached<'d>>) {
    let Some((step, rest)) = steps.split_first() else { return out.push(here) };
    let below = |key: &str| if here.way.is_empty() { key.to_owned() } else { format!("{}.{key}", here.way) };
    let go = |entry: Option<usize>, way: String, node: Node<'d>, is_key: bool| Reached {
        entries: here.entries.iter().copied().chain(entry).collect(),
        way,
        node,
        is_key,
    };
    match step {
        PatternStep::Key(key) => {
            if let Some(next) = here.node.get_named(key, names) {
                reach(go(None, below(key), next, false), rest, names, out);
            }
        }
        PatternStep::At(at) => {
            if let Some(child) = here.node.children().nth(*at) {
                reach(go(None, format!("{}[{at}]", here.way), child, false), rest, names, out);
            }
        }
        PatternStep::Entries if here.node.shape() != Shape::List => {
            reach(go(Some(0), here.way.clone(), here.node, false), rest, names, out);
        }
        PatternStep::Entries => {
            for (nth, child) in here.node.children().enumerate() {
                reach(go(Some(nth), format!("{}[{nth}]", here.way), child, false), rest, names, out);
            }
        }
        PatternStep::Values | PatternStep::Keys => {
            for (nth, child) in here.node.children().enumerate() {
                let way = below(child.key().map_or("", |key| names.text(key)));
                reach(go(Some(nth), way, child, *step == PatternStep::Keys), rest, names, out);
            }
        }
    }
}

impl std::fmt::Display for Pattern {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        for (at, step) in self.0.iter().enumerate() {
            match step {
                PatternStep::Key(key) if at > 0 => write!(f, ".{key}")?,
                PatternStep::Key(key) => f.write_str(key)?,
                PatternStep::Entries => f.write_str("[]")?,
                PatternStep::Values => f.write_str("{}")?,
                PatternStep::Keys => f.write_str("{key}")?,
                PatternStep::At(at) => write!(f, "[{at}]")?,
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_are_written_as_they_are_read() {
        for text in ["", "a", "a.b", "a[]", "a[].b", "{}", "a{}", "a{key}", "[]", "a{}.b[].c", "a[0]", "a[].b[1]"] {
            assert_eq!(Pattern::parse(text).map(|p| p.to_string()).as_deref(), Ok(text));
        }
        assert_eq!(Pattern::parse("\"odd.key\".b").map(|p| p.0.len()), Ok(2));
        for text in [".a", "a..b", "a.", "a[x]", "a{key}.b", "a]", "\"a"] {
            assert!(Pattern::parse(text).is_err(), "{text}");
        }
    }
}
