//! Path patterns of the rulebook: `a.b`, `a[]`, `a[].b`, `a{}`, `a{key}`.

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
