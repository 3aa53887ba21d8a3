//! Texts of lines of key and value, which no ending tells.

use crate::document::Marks;

/// Endings of files that may hold lines of key and value.
pub(super) const LINES: [&str; 8] = ["txt", "ini", "cfg", "conf", "dat", "def", "ruleset", "lst"];

/// The marks of a text that holds lines of key and value, with sections perhaps; nothing where it holds something else.
/// Those before comments are left open where it has none.
pub(super) fn sniffed(text: &str) -> Option<Marks> {
    let mut blocks: Vec<(String, String)> = Vec::new();
    let mut block = |open: &str, close: &str| blocks.push((open.to_owned(), close.to_owned()));
    if text.lines().any(|line| line.trim_start().starts_with("/*")) && text.contains("*/") {
        block("/*", "*/");
    }
    // the calls of a macro language, and what it makes them of
    let mut calls = text.lines().filter_map(|line| line.trim_start().strip_prefix('{'));
    if calls.any(|call| call.starts_with(|c: char| c.is_ascii_uppercase())) {
        block("{", "}");
    }
    if let Some((open, close)) = definition_of_calls(text) {
        block(&open, &close);
    }
    let covering = Marks { comments: Vec::new(), blocks: blocks.clone(), ..Marks::plain() };
    let text = covering.covered(text);
    let long = text.matches('"').count().is_multiple_of(2)
        && text.lines().any(|line| !line.matches('"').count().is_multiple_of(2));
    let text = if long { in_one_line(&text) } else { text.into_owned() };
    let lines: Vec<&str> = text.lines().map(str::trim).filter(|line| !line.is_empty()).take(400).collect();
    let begins = |mark: &&str| lines.iter().filter(|line| line.starts_with(*mark)).count();
    let comment = [";", "#", "//"].into_iter().max_by_key(begins).filter(|mark| begins(mark) > 0);
    let is_comment = |line: &&str| comment.is_some_and(|mark| line.starts_with(mark));
    let lines: Vec<&str> = lines.iter().copied().filter(|line| !is_comment(line)).collect();
    let (lines, headings) = without_rows(lines);
    let is_key = |key: &str| {
        let key = key.trim();
        !key.is_empty() && key.len() < 48 && key.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | '.'))
    };
    let pairs =
        |mark: &str| lines.iter().filter(|line| line.split_once(mark).is_some_and(|(key, _)| is_key(key))).count();
    let section = |line: &&&str| line.starts_with('[') && line.ends_with(']') && !line.contains('=');
    let (ends, sections): (Vec<&&str>, Vec<&&str>) =
        lines.iter().filter(section).partition(|line| line.starts_with("[/"));
    // `key {`, `key name {`, all of one on its line, and the braces alone
    let opens = |line: &&&str| {
        let (head, inner) = line.split_once('{').unwrap_or(("?", ""));
        is_head(head) && (inner.is_empty() || inner.ends_with('}'))
    };
    let closes = |line: &&&str| line.chars().all(|c| c == '}');
    let braces = lines.iter().filter(closes).count();
    let opened: Vec<&&str> = lines.iter().filter(opens).collect();
    let braces = if braces > 0 && !opened.is_empty() { braces + opened.len() } else { 0 };
    // words behind a blank, where nothing else parts them from the key
    let spaced = || lines.iter().filter(|line| line.split_once(' ').is_some_and(|(key, _)| is_key(key))).count();
    let assign = match (pairs("="), pairs(":")) {
        (even, colon) if braces > 0 && even.max(colon) * 4 < spaced() => " ",
        (even, colon) if even >= colon => "=",
        _ => ":",
    };
    // a word in capitals and a path behind it
    let include = lines.iter().filter(|line| !line.contains(assign)).find_map(|line| {
        let (word, path) = line.split_once(' ')?;
        let loud = word.len() > 2 && word.chars().all(|c| c.is_ascii_uppercase());
        (loud && path.contains('.') && !path.contains(' ')).then(|| word.to_owned())
    });
    let includes =
        include.as_ref().map_or(0, |word| lines.iter().filter(|line| line.split(' ').next() == Some(word)).count());
    let bare = lines.iter().filter(|line| is_key(line)).count();
    let known = pairs(assign) + sections.len() + ends.len() + braces + includes + bare;
    if pairs(assign) + includes < 2 || known * 20 < lines.len() * 19 || bare * 5 > lines.len() {
        return None;
    }
    // words in quotes, one behind the other
    let join = [", ", ","].into_iter().find(|join| lines.iter().any(|line| line.contains(&format!("\"{join}\""))));
    // a brace behind two words is one with a name, whatever stands in it; sections may have blanks in theirs
    let mut heads =
        opened.iter().filter_map(|line| Some(line.split_once('{')?.0.trim().trim_end_matches(assign).trim()));
    let named = braces > 0 && heads.any(|head| head.contains(' '))
        || sections.iter().filter(|line| line.contains(' ')).count() * 2 > sections.len();
    Some(Marks {
        assign: assign.to_owned(),
        comments: comment.map(str::to_owned).into_iter().collect(),
        blocks,
        section: (!sections.is_empty()).then(|| ("[".to_owned(), "]".to_owned())),
        closing: (!ends.is_empty()).then(|| ("[/".to_owned(), "]".to_owned())),
        braces: braces > 0,
        named: named.then(|| "id".to_owned()),
        include,
        join: join.or(headings.is_some().then_some(", ")).map(str::to_owned),
        headings,
        bare: bare > 0,
        long,
        ..Marks::plain()
    })
}

/// What stands around what a macro language makes of its calls, `#word` and `#endword` or less of it.
fn definition_of_calls(text: &str) -> Option<(String, String)> {
    let letters = |text: &str| -> String { text.chars().take_while(char::is_ascii_alphabetic).collect() };
    let ends = text.match_indices("#end").map(|(at, mark)| letters(text.get(at + mark.len()..).unwrap_or("")));
    let ends: Vec<String> = ends.collect();
    let begins = text.lines().filter_map(|line| Some(letters(line.strip_prefix('#')?)));
    let mut begins = begins.filter(|word| !word.is_empty() && !word.starts_with("end"));
    begins.find_map(|word| {
        let end = ends.iter().find(|end| word.starts_with(end.as_str()))?;
        Some((format!("#{word}"), format!("#end{end}")))
    })
}

/// A text without the line breaks that stand within quotes.
fn in_one_line(text: &str) -> String {
    let mut quoted = false;
    let one = |c: char| {
        quoted ^= c == '"';
        if quoted && matches!(c, '\n' | '\r') { ' ' } else { c }
    };
    text.chars().map(one).collect()
}

/// What stands before a brace: a key, perhaps with a mark or a name behind it.
fn is_head(head: &str) -> bool {
    let head = head.trim().trim_end_matches(['=', ':']).trim_end();
    head.len() < 64 && head.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | ' ' | '"'))
}

/// Lines without the rows of tables under headings, and the marks around these, if there are any.
fn without_rows(lines: Vec<&str>) -> (Vec<&str>, Option<(String, String)>) {
    let mut out = Vec::new();
    let mut found: Option<(String, String)> = None;
    let mut all = lines.as_slice();
    while let Some((line, rest)) = all.split_first() {
        all = rest;
        let value = line.split_once(['=', ':']).map_or(*line, |(_, value)| value.trim_start());
        let opens = [("{", "}"), ("(", ")")].into_iter().find_map(|(open, close)| {
            let first = value.strip_prefix(open)?.trim();
            // its headings stand behind the mark, and no row has a key
            let end = rest.iter().position(|row| row.ends_with(close))?;
            let rows = rest.get(..end)?.iter().all(|row| !row.contains('='));
            (!first.is_empty() && !first.contains(close) && rows).then_some((open, close, end + 1))
        });
        if let Some((open, close, rows)) = opens {
            found.get_or_insert_with(|| (open.to_owned(), close.to_owned()));
            all = rest.get(rows..).unwrap_or_default();
        }
        if opens.is_none() || value.len() < line.len() {
            out.push(*line);
        }
    }
    (out, found)
}

impl Marks {
    /// What another file has besides.
    pub(super) fn add(&mut self, other: Marks) {
        if self.comments.is_empty() {
            self.comments = other.comments;
        }
        self.section = self.section.take().or(other.section);
        self.closing = self.closing.take().or(other.closing);
        self.braces |= other.braces;
        self.blocks.extend(other.blocks.into_iter().filter(|block| !self.blocks.contains(block)).collect::<Vec<_>>());
        self.named = self.named.take().or(other.named);
        self.include = self.include.take().or(other.include);
        self.headings = self.headings.take().or(other.headings);
        self.join = self.join.take().or(other.join);
        self.bare |= other.bare;
        self.long |= other.long;
    }
}
