//! Field paths: `drops[2].chance`, `drops[item=reed].chance`, `stats."odd key"`.

use std::fmt;

/// One step of a field path.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum Step {
    /// An entry of a table.
    Key(String),
    /// An entry of a list by number, from 0.
    Index(usize),
    /// The entry of a list whose fields have these values.
    Match(Vec<(String, String)>),
}

/// The way from a definition to one of its values.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default)]
pub struct FieldPath(Vec<Step>);

/// Why a text is no field path.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("`{path}` is no field path: {reason}")]
pub struct PathError {
    /// What was given.
    pub path: String,
    /// What is wrong with it.
    pub reason: String,
}

impl FieldPath {
    /// Reads the notation that [`fmt::Display`] writes.
    ///
    /// # Errors
    /// The notation is not one of the forms above.
    pub fn parse(path: &str) -> Result<FieldPath, PathError> {
        let fail = |reason: &str| PathError { path: path.to_owned(), reason: reason.to_owned() };
        let mut steps = Vec::new();
        let mut rest = path;
        if rest.is_empty() {
            return Err(fail("it is empty"));
        }
        loop {
            if let Some(inner) = rest.strip_prefix('[') {
                let end = closing_bracket(inner).ok_or_else(|| fail("`[` is not closed by `]`"))?;
                let inside = inner.get(..end).unwrap_or("");
                rest = inner.get(end + 1..).unwrap_or("");
                let wrong = || {
                    let list = "between `[` and `]` stands a number from 0 or `key=value`";
                    let above = FieldPath(steps.clone());
                    let is_word = !inside.is_empty() && inside.chars().all(|c| c.is_alphanumeric() || "-_".contains(c));
                    match is_word && !above.is_empty() {
                        true => fail(&format!("{list}; a key of a map follows a dot: `{above}.{inside}`")),
                        false => fail(list),
                    }
                };
                steps.push(bracket(inside).ok_or_else(wrong)?);
            } else {
                let (key, after) = word(rest, &['.', '[']).ok_or_else(|| fail("a quote is not closed"))?;
                if key.is_empty() && !rest.starts_with('"') {
                    return Err(fail("a name is missing"));
                }
                steps.push(Step::Key(key));
                rest = after;
            }
            match rest.bytes().next() {
                None => return Ok(FieldPath(steps)),
                Some(b'.') => {
                    rest = rest.get(1..).unwrap_or("");
                    if rest.is_empty() || rest.starts_with('[') {
                        return Err(fail("a name is missing behind `.`"));
                    }
                }
                Some(b'[') => {}
                Some(_) => return Err(fail("a `.` is missing behind `]`")),
            }
        }
    }

    /// The path with one key.
    pub fn key(key: &str) -> FieldPath {
        FieldPath(vec![Step::Key(key.to_owned())])
    }

    /// The steps in order.
    /// The first step, if it is a key.
    pub fn first_key(&self) -> Option<&str> {
        match self.steps().first() {
            Some(Step::Key(key)) => Some(key),
            _ => None,
        }
    }

    /// The steps.
    pub fn steps(&self) -> &[Step] {
        &self.0
    }

    /// Whether it leads nowhere else than to the definition itself.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(crate) fn push(&mut self, step: Step) {
        self.0.push(step);
    }

    /// This path and one step more.
    pub fn with(&self, step: Step) -> FieldPath {
        let mut longer = Vec::with_capacity(self.0.len() + 1);
        longer.extend(self.0.iter().cloned());
        longer.push(step);
        FieldPath(longer)
    }

    /// This path followed by another.
    pub(crate) fn join(&self, rest: &FieldPath) -> FieldPath {
        FieldPath(self.0.iter().chain(&rest.0).cloned().collect())
    }

    /// The last step and the path before it.
    pub fn split_last(&self) -> Option<(FieldPath, &Step)> {
        let (last, before) = self.0.split_last()?;
        Some((FieldPath(before.to_vec()), last))
    }

    /// Whether one of two paths leads through where the other one ends.
    pub(crate) fn is_on_one_way(&self, other: &FieldPath) -> bool {
        self.0.iter().zip(&other.0).all(|(a, b)| a == b)
    }

    /// The path with any entry in place of each: `takes[].what`.
    pub fn of_any_entry(&self) -> String {
        let mut out = String::new();
        for step in self.steps() {
            match step {
                Step::Key(key) if out.is_empty() => out.push_str(key),
                Step::Key(key) => out.push_str(&format!(".{key}")),
                Step::Index(_) | Step::Match(_) => out.push_str("[]"),
            }
        }
        out
    }

    /// The keys among its steps.
    pub(crate) fn keys(&self) -> impl Iterator<Item = &str> {
        self.steps().iter().filter_map(|step| match step {
            Step::Key(key) => Some(key.as_str()),
            _ => None,
        })
    }

    /// The keys up to the first list on the way.
    pub(crate) fn leading_keys(&self) -> FieldPath {
        FieldPath(self.0.iter().take_while(|step| matches!(step, Step::Key(_))).cloned().collect())
    }

    /// The path's first `count` steps.
    pub(crate) fn take(&self, count: usize) -> FieldPath {
        FieldPath(self.0.iter().take(count).cloned().collect())
    }

    /// The path without its first `count` steps.
    pub(crate) fn skip(&self, count: usize) -> FieldPath {
        FieldPath(self.0.iter().skip(count).cloned().collect())
    }
}

impl From<Vec<Step>> for FieldPath {
    fn from(steps: Vec<Step>) -> Self {
        FieldPath(steps)
    }
}

fn closing_bracket(inner: &str) -> Option<usize> {
    let mut quoted = false;
    let mut escaped = false;
    for (at, c) in inner.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' if quoted => escaped = true,
            '"' => quoted = !quoted,
            ']' if !quoted => return Some(at),
            _ => {}
        }
    }
    None
}

fn bracket(inside: &str) -> Option<Step> {
    if !inside.is_empty() && inside.bytes().all(|b| b.is_ascii_digit()) {
        return inside.parse().ok().map(Step::Index);
    }
    let mut parts = Vec::new();
    let mut rest = inside;
    loop {
        let (key, after) = word(rest, &['='])?;
        let after = after.strip_prefix('=')?;
        let (value, after) = word(after, &[','])?;
        // `[=value]` is the entry that is this value
        if key.is_empty() && (rest.starts_with('"') || !parts.is_empty() || !after.is_empty()) {
            return None;
        }
        parts.push((key.trim().to_owned(), value));
        match after.strip_prefix(',') {
            Some(more) => rest = more.trim_start(),
            None => return after.is_empty().then_some(Step::Match(parts)),
        }
    }
}

/// A bare or quoted word up to one of `stops`, and what follows it.
fn word<'t>(text: &'t str, stops: &[char]) -> Option<(String, &'t str)> {
    let Some(quoted) = text.strip_prefix('"') else {
        let end = text.find(stops).unwrap_or(text.len());
        return Some((text.get(..end)?.to_owned(), text.get(end..)?));
    };
    let mut out = String::new();
    let mut escaped = false;
    for (at, c) in quoted.char_indices() {
        match c {
            _ if escaped => {
                out.push(c);
                escaped = false;
            }
            '\\' => escaped = true,
            '"' => return Some((out, quoted.get(at + 1..)?)),
            _ => out.push(c),
        }
    }
    None
}

fn write_word(f: &mut fmt::Formatter<'_>, word: &str, special: &[char]) -> fmt::Result {
    if word.is_empty() || word.contains(special) || word.contains(['"', '\\']) {
        write!(f, "\"{}\"", word.replace('\\', "\\\\").replace('"', "\\\""))
    } else {
        f.write_str(word)
    }
}

/// Whether a field of an entry has the word that a path names it by. No word stands for no field.
pub(crate) fn is_called(field: Option<&str>, word: &str) -> bool {
    field.unwrap_or("") == word
}

impl fmt::Display for FieldPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (at, step) in self.0.iter().enumerate() {
            match step {
                Step::Key(key) => {
                    if at > 0 {
                        f.write_str(".")?;
                    }
                    write_word(f, key, &['.', '[', ']', '=', ' '])?;
                }
                Step::Index(index) => write!(f, "[{index}]")?,
                Step::Match(parts) => {
                    f.write_str("[")?;
                    // a key that an entry does not have is not told
                    let told = parts.iter().filter(|(key, value)| key.is_empty() || !value.is_empty());
                    for (at, (key, value)) in told.enumerate() {
                        if at > 0 {
                            f.write_str(",")?;
                        }
                        if !key.is_empty() {
                            write_word(f, key, &['=', ',', ']', ' '])?;
                        }
                        f.write_str("=")?;
                        write_word(f, value, &[',', ']', '[', ' '])?;
                    }
                    f.write_str("]")?;
                }
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_written_as_they_are_read() {
        for path in [
            "value",
            "drops[2].chance",
            "drops[item=reed].chance",
            "stats.\"odd key\"",
            "a[b=c,d=\"e,f\"]",
            "tags[=fuel]",
            "\"\"",
            "[3]",
        ] {
            assert_eq!(FieldPath::parse(path).unwrap().to_string(), path);
        }
    }

    #[test]
    fn what_is_no_path_is_refused_with_the_reason() {
        for (path, reason) in [
            ("", "empty"),
            ("a.", "missing"),
            ("a..b", "missing"),
            ("a[", "not closed"),
            ("a[x]", "number"),
            ("a[]", "number"),
            ("a[=b,c=d]", "number"),
            ("a[c=d,=b]", "number"),
            ("a[1]b", "`.`"),
            ("\"a", "quote"),
            (".a", "name is missing"),
        ] {
            let error = FieldPath::parse(path).unwrap_err().to_string();
            assert!(error.contains(reason), "{path}: {error}");
        }
    }
}
