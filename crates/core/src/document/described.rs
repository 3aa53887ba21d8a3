//! The reader of described text: lines of key and value, in sections or braces, as a few marks of the
//! rulebook say.
//!
//! The document is a table of the entries above the first section and of the sections; keys that repeat are
//! one list at the place of the first. A section's name is its key; where the rulebook names its further
//! words, the first word is the key and the rest an entry; so it is with braces that have a name, and with lines that
//! have others further in below them. A value of several words apart from a mark is a list, one in double quotes a
//! text without them. Braces hold a table of entries, or a list of words. Sections that are closed by name hold others.
//! A table under headings is a list of tables, each with the cells of a row.

pub(super) mod comments;
pub(super) mod headings;

use super::builder::{Builder, too_deep};
use super::{DEPTH_LIMIT, Marks, Shape};
use crate::names::{NameCache, Sym};
use crate::said::{Said, said};
use crate::source::Span;

pub(super) fn read(text: &str, marks: &Marks, names: &mut NameCache<'_>, builder: &mut Builder) {
    let from = if text.starts_with('\u{feff}') { 3 } else { 0 };
    let (covered, unclosed) = comments::masked(text, marks);
    if let Some(at) = unclosed {
        let sign = text.get(at..).and_then(|text| text.chars().next()).map_or(1, char::len_utf8);
        builder.fault(Span::new(at, at + sign), "this comment is never closed".to_owned());
    }
    let top = builder.mark();
    let mut reader = Reader { text: &covered, marks, names, builder, at: from, depth: 0 };
    match marks.indents {
        true => reader.lines(0),
        false => reader.sections(false),
    }
    reader.gather(top);
    builder.close(top, (Sym::NONE, 0), Shape::Table, from, text.len());
}

struct Reader<'t, 'm, 'c, 'n, 'b> {
    text: &'t str,
    marks: &'m Marks,
    names: &'c mut NameCache<'n>,
    builder: &'b mut Builder,
    at: usize,
    depth: usize,
}

impl<'t> Reader<'t, '_, '_, '_, '_> {
    fn rest(&self) -> &'t str {
        self.text.get(self.at..).unwrap_or("")
    }

    fn fault(&mut self, start: usize, end: usize, message: impl Into<Said>) {
        self.builder.fault(Span::new(start, end), message.into());
    }

    fn key(&mut self, word: &str) -> Sym {
        if self.marks.any_case { self.names.intern(&word.to_lowercase()) } else { self.names.intern(word) }
    }

    fn gather(&mut self, mark: usize) {
        self.builder.gather(mark, |key, span| {
            let start = u32::try_from(key).unwrap_or(span.start).min(span.start);
            Span { start, end: span.end }
        });
    }

    /// Over blanks, line breaks and comments.
    fn skip(&mut self) {
        self.at = skipped(self.text, self.at, self.marks);
    }

    fn line_end(&self, from: usize) -> usize {
        line_end(self.text, from, self.marks)
    }

    /// The name of the section that begins here, and the end of its line.
    fn section(&self) -> Option<(usize, usize, usize)> {
        if self.closing().is_some() {
            return None;
        }
        self.between(self.marks.section.as_ref()?)
    }

    /// The name of the section that ends here, and the end of its line.
    fn closing(&self) -> Option<(usize, usize, usize)> {
        self.between(self.marks.closing.as_ref()?)
    }

    /// What stands between two marks here, and the end of the second.
    fn between(&self, (open, close): &(String, String)) -> Option<(usize, usize, usize)> {
        let rest = self.rest().strip_prefix(open.as_str())?;
        let line = rest.get(..rest.find('\n').unwrap_or(rest.len())).unwrap_or("");
        // a mark that closes nothing, as `:` behind a name, ends the line
        let len = if close.is_empty() {
            self.line_end(self.at + open.len()) - self.at - open.len()
        } else {
            line.find(close.as_str())?
        };
        let start = self.at + open.len();
        Some((start, start + len, start + len + close.len()))
    }

    /// Entries and sections, up to the end of the text or of the section that they are in.
    fn sections(&mut self, inside: bool) {
        self.entries(false);
        while self.at < self.text.len() {
            if let Some((start, end, behind)) = self.closing() {
                // its own end, or that of a section around it: then it lacks its own
                if inside {
                    return;
                }
                let (first, name) = (self.at, self.text.get(start..end).unwrap_or("").trim());
                self.fault(first, behind, said!("nothing called `{name}` is open here", name));
                self.at = behind;
                self.entries(false);
                continue;
            }
            let Some((start, end, behind)) = self.section() else { break };
            self.one_section(start, end, behind);
            if self.marks.closing.is_some() {
                self.entries(false);
            }
        }
    }

    fn one_section(&mut self, start: usize, end: usize, behind: usize) {
        let first = self.at;
        self.at = behind;
        let raw = self.text.get(start..end).unwrap_or("");
        let name_at = start + raw.len() - raw.trim_start().len();
        let name = raw.trim();
        let split = name.find(char::is_whitespace).filter(|_| self.marks.named.is_some());
        let word = name.get(..split.unwrap_or(name.len())).unwrap_or("");
        if word.is_empty() {
            self.fault(first, behind, "this section has no name");
        }
        let key = self.key(word);
        let mark = self.builder.mark();
        if let (Some(split), Some(named)) = (split, &self.marks.named) {
            let further = name.get(split..).unwrap_or("");
            let at = name_at + split + further.len() - further.trim_start().len();
            let named = self.names.intern(named);
            self.leaf((named, at), at, name_at + name.len());
        }
        let mut body = None;
        if self.marks.closing.is_none() {
            self.entries(false);
        } else if self.depth >= DEPTH_LIMIT {
            self.fault(first, behind, too_deep());
            self.at = self.text.len();
        } else {
            self.depth += 1;
            self.sections(true);
            self.depth -= 1;
            match self
                .closing()
                .filter(|(start, end, _)| self.text.get(*start..*end).is_some_and(|name| name.trim() == word))
            {
                Some((.., behind)) => {
                    self.at = behind;
                    body = Some(behind);
                }
                None => self.fault(first, behind, said!("the section `{name}` is never closed", name = word)),
            }
        }
        // comments below the last line stand above what follows
        let below =
            || self.text.get(first..self.at).map_or(behind, |text| first + without_comments(text, self.marks).len());
        let body = body.unwrap_or_else(|| below().max(behind));
        self.gather(mark);
        self.builder.close(mark, (key, name_at), Shape::Table, first, body);
    }

    /// Lines as far in as the first, each with those that are further in below it.
    fn lines(&mut self, least: usize) {
        let mut level = None;
        loop {
            self.skip();
            let deep = self.indentation();
            if self.at >= self.text.len() || deep < least {
                return;
            }
            if level.is_some_and(|level| deep > level) {
                self.fault(self.at, self.line_end(self.at), "this line is further in than those beside it");
            }
            level.get_or_insert(deep);
            self.line(deep);
        }
    }

    /// How far in the line begins that is read here.
    fn indentation(&self) -> usize {
        let before = self.text.get(..self.at).unwrap_or("");
        let start = before.rfind('\n').map_or(0, |at| at + 1);
        before.get(start..).unwrap_or("").trim_start_matches('\u{feff}').len()
    }

    /// A line, with those that are further in below it.
    fn line(&mut self, deep: usize) {
        let (start, end) = (self.at, self.line_end(self.at));
        // what follows decides what it is
        self.at = end;
        self.skip();
        let holds = self.at < self.text.len() && self.indentation() > deep;
        self.at = start;
        if !holds {
            return self.entry();
        }
        let len = key_len(self.rest(), self.marks).min(end - start);
        let word = self.text.get(start..start + len).unwrap_or("");
        let word = word.get(..word.find(char::is_whitespace).unwrap_or(word.len())).unwrap_or("");
        let key = self.key(word);
        let mark = self.builder.mark();
        let rest = self.text.get(start + word.len()..end).unwrap_or("");
        let rest = rest.trim_start().strip_prefix(self.marks.assign.trim()).unwrap_or(rest).trim_start();
        if let (Some(named), false) = (&self.marks.named, rest.is_empty()) {
            let named = self.names.intern(named);
            self.leaf((named, end - rest.len()), end - rest.len(), end);
        } else if !rest.is_empty() {
            self.fault(end - rest.len(), end, said!("`{word}` has lines below it, so it cannot have a value", word));
        }
        self.at = end;
        if self.depth >= DEPTH_LIMIT {
            self.fault(start, end, too_deep());
            self.at = self.text.len();
        } else {
            self.depth += 1;
            self.lines(deep + 1);
            self.depth -= 1;
        }
        let body = self.text.get(..self.at).unwrap_or("").trim_end().len().max(end);
        // comments below the last line are none of it
        let body = self.text.get(start..body).map_or(end, |text| start + without_comments(text, self.marks).len());
        self.gather(mark);
        self.builder.close(mark, (key, start), Shape::Table, start, body.max(end));
    }

    /// Entries up to a section, the end of the text or, in braces, a `}`.
    fn entries(&mut self, in_braces: bool) {
        loop {
            self.skip();
            if self.at >= self.text.len() || (!in_braces && (self.section().is_some() || self.closing().is_some())) {
                return;
            }
            if self.marks.braces && self.rest().starts_with('}') {
                if in_braces {
                    return;
                }
                self.fault(self.at, self.at + 1, "this `}` closes nothing");
                self.at += 1;
                continue;
            }
            self.entry();
        }
    }

    /// Of a block with a name, `key name {`: the end of its key, its name, and its brace.
    fn block(&self) -> Option<(usize, (usize, usize), usize)> {
        self.marks.named.as_ref().filter(|_| self.marks.braces)?;
        let end = self.line_end(self.at);
        let line = self.text.get(self.at..end)?;
        let (head, brace) = match unquoted(line, "{") {
            Some(at) => (line.get(..at)?, self.at + at),
            None => {
                let behind = self.text.get(end..)?;
                let blank = behind.len() - behind.trim_start().len();
                (line, end + blank)
            }
        };
        self.text.get(brace..)?.strip_prefix('{')?;
        let head = head.trim_end();
        let word = head.find(char::is_whitespace)?;
        let assign = self.marks.assign.trim();
        if (!assign.is_empty() && head.contains(assign)) || head.contains('}') {
            return None;
        }
        let name = head.get(word..)?.trim_start();
        let at = self.at + head.len() - name.len();
        Some((self.at + word, (at, at + name.len()), brace))
    }

    fn entry(&mut self) {
        let start = self.at;
        if let (Some((word, (from, to), brace)), Some(named)) = (self.block(), &self.marks.named) {
            let key = self.key(self.text.get(start..word).unwrap_or(""));
            let named = self.names.intern(named);
            self.at = brace;
            return self.braces((key, start), Some((named, from, to)));
        }
        let len = key_len(self.rest(), self.marks);
        let word = self.text.get(start..start + len).unwrap_or("");
        if let Some(include) = self.marks.include.as_ref().filter(|include| word_is(word, include, self.marks.any_case))
        {
            let key = self.names.intern(include);
            self.at += len;
            let rest = self.rest();
            let mut at = self.at + rest.len() - rest.trim_start_matches([' ', '\t']).len();
            // the word may be followed by the mark, as other keys are
            if let Some(after) = self.text.get(at..).and_then(|rest| rest.strip_prefix(self.marks.assign.as_str())) {
                at = self.text.len() - after.trim_start_matches([' ', '\t']).len();
            }
            let end = self.line_end(at).max(at);
            self.leaf((key, start), at, end);
            self.at = end;
            return;
        }
        if len == 0 {
            let end = self.line_end(start).max(start + self.rest().chars().next().map_or(0, char::len_utf8));
            self.fault(start, end, said!("a key is missing before `{mark}`", mark = self.marks.assign.trim()));
            self.at = end;
            return;
        }
        let key = (self.key(word), start);
        self.at += len;
        let rest = self.rest();
        let blank = rest.len() - rest.trim_start_matches([' ', '\t']).len();
        let spaced = self.marks.assign.trim().is_empty();
        let assigned = if spaced {
            blank > 0
        } else {
            rest.trim_start_matches([' ', '\t']).starts_with(self.marks.assign.as_str())
        };
        self.at += blank;
        if !spaced && assigned {
            self.at += self.marks.assign.len();
            let rest = self.rest();
            self.at += rest.len() - rest.trim_start_matches([' ', '\t']).len();
        }
        if self.marks.braces || self.marks.headings.is_some() {
            let before = self.at;
            if !assigned || self.line_end(self.at) <= self.at {
                self.skip();
            }
            if self.marks.headings.as_ref().is_some_and(|(open, _)| assigned && self.rest().starts_with(open.as_str()))
            {
                return self.headed(key);
            }
            if self.marks.braces && self.rest().starts_with('{') {
                return self.braces(key, None);
            }
            self.at = before;
        }
        let mut end = self.line_end(self.at).max(self.at);
        if self.marks.braces {
            // what stands on one line inside braces ends with them
            let raw = self.text.get(self.at..end).unwrap_or("");
            if let Some(close) = unquoted(raw, "}").filter(|_| self.depth > 0) {
                end = self.at + raw.get(..close).unwrap_or("").trim_end().len();
            }
        }
        let alone = self.marks.bare && self.at >= end;
        if !(assigned || spaced || alone) {
            let message = said!("`{mark}` is missing behind `{word}`", mark = self.marks.assign.trim(), word);
            self.fault(start, start + len, message);
        }
        self.value(key, self.at, end);
        self.at = end;
    }

    fn value(&mut self, key: (Sym, usize), start: usize, end: usize) {
        let raw = self.text.get(start..end).unwrap_or("");
        let join = self.marks.join.as_ref().filter(|join| raw.contains(join.as_str()));
        let parts = join.map(|join| parts(raw, join)).unwrap_or_default();
        if parts.len() < 2 {
            return self.leaf(key, start, end);
        }
        let mark = self.builder.mark();
        for (from, to) in parts {
            self.leaf((Sym::NONE, 0), start + from, start + to);
        }
        self.builder.close(mark, key, Shape::List, start, end);
    }

    fn leaf(&mut self, key: (Sym, usize), start: usize, end: usize) {
        self.builder.leaf(key.0, key.1, Shape::Text, false, start, end);
    }

    /// A table of entries, or a list of words; with a name it is a table.
    fn braces(&mut self, key: (Sym, usize), name: Option<(Sym, usize, usize)>) {
        let start = self.at;
        self.at += 1;
        if self.depth >= DEPTH_LIMIT {
            let message = too_deep();
            self.fault(start, start + 1, message);
            let mut open = 1usize;
            while open > 0 && self.at < self.text.len() {
                let rest = self.rest().as_bytes();
                let Some(next) = memchr::memchr2(b'{', b'}', rest) else {
                    self.at = self.text.len();
                    break;
                };
                open = if rest.get(next) == Some(&b'{') { open + 1 } else { open - 1 };
                self.at += next + 1;
            }
            self.builder.leaf(key.0, key.1, Shape::Broken, false, start, self.at);
            return;
        }
        self.depth += 1;
        let mark = self.builder.mark();
        if let Some((named, from, to)) = name {
            self.leaf((named, from), from, to);
        }
        self.skip();
        let shape = if name.is_none() && self.is_words() { Shape::List } else { Shape::Table };
        if shape == Shape::List {
            self.words();
        } else {
            self.entries(true);
            self.gather(mark);
        }
        self.depth -= 1;
        if self.rest().starts_with('}') {
            self.at += 1;
        } else {
            self.fault(start, start + 1, "this `{` is never closed by `}`");
        }
        self.builder.close(mark, key, shape, start, self.at);
    }

    /// Whether what stands in braces is words and no entries.
    fn is_words(&self) -> bool {
        let rest = self.rest();
        let inner = rest.get(..rest.find('}').unwrap_or(rest.len())).unwrap_or("");
        let assign = self.marks.assign.as_str();
        if assign.trim().is_empty() {
            // key and value are words themselves: a list is what stands on the line of its braces
            return !inner.contains('\n') && !inner.contains('{') && !inner.trim().is_empty();
        }
        !inner.contains(assign) && !inner.contains('{') && !inner.trim().is_empty()
    }

    fn words(&mut self) {
        loop {
            self.skip();
            let rest = self.rest();
            let len = match rest.strip_prefix('"') {
                Some(inner) => inner.find('"').map_or(rest.len(), |at| at + 2),
                None => {
                    let join = self.marks.join.as_deref().unwrap_or("").trim();
                    let end = rest.find(|c: char| c.is_whitespace() || c == '}').unwrap_or(rest.len());
                    let word = rest.get(..end).unwrap_or("");
                    if join.is_empty() { end } else { word.find(join).unwrap_or(end) }
                }
            };
            if len > 0 {
                self.leaf((Sym::NONE, 0), self.at, self.at + len);
                self.at += len;
                continue;
            }
            let join = self.marks.join.as_deref().unwrap_or("").trim();
            if !join.is_empty() && rest.starts_with(join) {
                self.at += join.len();
                continue;
            }
            return;
        }
    }
}

/// A text up to where only blank lines and comments follow.
fn without_comments<'t>(text: &'t str, marks: &Marks) -> &'t str {
    let mut end = text.len();
    loop {
        let kept = text.get(..end).unwrap_or("").trim_end();
        let line = kept.rfind('\n').map_or(0, |at| at + 1);
        let last = kept.get(line..).unwrap_or("").trim_start();
        if line == 0 || !marks.comments.iter().any(|mark| last.starts_with(mark.as_str())) {
            return kept;
        }
        end = line;
    }
}

/// Where something stands behind blanks, line breaks and comments.
pub(super) fn skipped(text: &str, mut at: usize, marks: &Marks) -> usize {
    loop {
        let rest = text.get(at..).unwrap_or("");
        let inner = rest.trim_start();
        at += rest.len() - inner.len();
        if !marks.comments.iter().any(|mark| inner.starts_with(mark.as_str())) {
            return at;
        }
        at += memchr::memchr(b'\n', inner.as_bytes()).unwrap_or(inner.len());
    }
}

/// The end of what stands on this line, without a comment and the blanks before it. A text in quotes can go on over
/// the following lines, where that is said.
pub(super) fn line_end(text: &str, from: usize, marks: &Marks) -> usize {
    let rest = text.get(from..).unwrap_or("");
    let (mut at, mut quoted) = (0, false);
    while let Some(c) = rest.get(at..).and_then(|rest| rest.chars().next()) {
        let here = rest.get(at..).unwrap_or("");
        if c == '\n' {
            break;
        }
        // one that is never closed ends with its line
        if let Some(len) = here.strip_prefix('"').filter(|_| marks.long && !quoted).and_then(|text| text.find('"')) {
            at += len + 2;
            continue;
        }
        quoted ^= c == '"';
        // a comment stands behind a blank: `#` inside a word belongs to it
        let apart = at == 0 || rest.get(..at).is_some_and(|before| before.ends_with([' ', '\t']));
        if !quoted && apart && marks.comments.iter().any(|mark| here.starts_with(mark.as_str())) {
            break;
        }
        at += c.len_utf8();
    }
    from + rest.get(..at).unwrap_or("").trim_end().len()
}

/// The bytes of the values on a line, without the blanks around them; a mark in one in double quotes parts nothing.
pub(super) fn parts(raw: &str, join: &str) -> Vec<(usize, usize)> {
    let spaced = join.trim().is_empty();
    let mut out = Vec::new();
    let mut at = 0;
    loop {
        let rest = raw.get(at..).unwrap_or("");
        let from = at + rest.len() - rest.trim_start().len();
        if spaced && from >= raw.len() {
            return out;
        }
        let quoted = raw.get(from..).and_then(|text| text.strip_prefix('"')).and_then(|text| text.find('"'));
        let behind = quoted.map_or(if spaced { from } else { at }, |len| from + len + 2);
        let further = raw.get(behind..).unwrap_or("");
        let next = if spaced { further.find(char::is_whitespace) } else { further.find(join) };
        let end = next.map_or(raw.len(), |next| behind + next);
        let from = from.min(end);
        let len = raw.get(from..end).unwrap_or("").trim_end().len();
        out.push((from, from + len));
        if next.is_none() {
            return out;
        }
        at = if spaced { end } else { end + join.len() };
    }
}

fn word_is(word: &str, wanted: &str, any_case: bool) -> bool {
    if any_case { word.eq_ignore_ascii_case(wanted) } else { word == wanted }
}

/// Where a mark stands outside of quotes.
pub(super) fn unquoted(text: &str, wanted: &str) -> Option<usize> {
    let mut quoted = false;
    text.char_indices().find_map(|(at, c)| {
        quoted ^= c == '"';
        (!quoted && text.get(at..).is_some_and(|rest| rest.starts_with(wanted))).then_some(at)
    })
}

/// The content of a value: without its quotes.
pub(super) fn text(raw: &str) -> &str {
    raw.strip_prefix('"').and_then(|inner| inner.strip_suffix('"')).filter(|inner| !inner.contains('"')).unwrap_or(raw)
}

/// The length of a key: up to the mark behind it, a blank or a brace.
pub(super) fn key_len(rest: &str, marks: &Marks) -> usize {
    let line = rest.get(..rest.find(['\n', '\r']).unwrap_or(rest.len())).unwrap_or("");
    let assign = marks.assign.as_str();
    let end = if assign.trim().is_empty() { None } else { line.find(assign) };
    let end = end.unwrap_or_else(|| line.find(char::is_whitespace).unwrap_or(line.len()));
    let mut key = line.get(..end).unwrap_or("");
    if let Some((_, close)) = &marks.headings {
        // a heading is a key, too
        if let Some(len) = line.strip_prefix('"').and_then(|text| text.find('"')) {
            return len + 2;
        }
        if assign.trim().is_empty() || !line.contains(assign) {
            let join = marks.join.as_deref().map_or(",", headings::between);
            let end = [join, close].iter().filter_map(|mark| key.find(*mark)).min();
            key = key.get(..end.unwrap_or(key.len())).unwrap_or("");
        }
    }
    if marks.braces
        && let Some(brace) = key.find(['{', '}'])
    {
        key = key.get(..brace).unwrap_or("");
    }
    if let Some(close) = marks.section.as_ref().map(|(_, close)| close.as_str()).filter(|close| !close.is_empty()) {
        // the key of a section is its name, or the first word of it
        if let Some(name) = key.find(close).and_then(|close| key.get(..close)) {
            let first = name.find(char::is_whitespace).filter(|_| marks.named.is_some());
            return name.trim_end().len().min(first.unwrap_or(name.len()));
        }
    }
    if let Some(include) = &marks.include {
        let word = key.get(..key.find(char::is_whitespace).unwrap_or(key.len())).unwrap_or("");
        if word_is(word, include, marks.any_case) {
            return word.len();
        }
    }
    let key = key.trim_end();
    match key.find(char::is_whitespace) {
        Some(blank) if assign.trim().is_empty() => blank,
        _ => key.len(),
    }
}
