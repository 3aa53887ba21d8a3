//! What a file tells of how its values are written: which stand in quotes, and how tables under headings are laid out.

use rustc_hash::FxHashMap;

use super::super::super::described::headings::{cells, row_end};
use super::super::super::described::{skipped, text as content};
use super::super::super::{Document, Draft, Marks, Node, Shape};
use super::super::{begins_line, indent};
use super::{EditError, MANY, Style, at, end, no_notation};
use crate::names::Names;

/// How a file writes its fields. Looking for it takes longer than most edits, so it is only done where it counts.
#[derive(Default)]
pub(super) struct Habits {
    pub(super) quotes: Quotes,
    /// Tables under headings, by their keys.
    pub(super) headed: FxHashMap<String, Headed>,
}

impl Habits {
    pub(super) fn learn(document: &Document, marks: &Marks, names: &Names) -> Habits {
        let text: &str = document.text();
        let mut habits = Habits::default();
        let mut todo = vec![document.root()];
        let mut looked = 0;
        while let Some(node) = todo.pop().filter(|_| looked < MANY) {
            looked += 1;
            // the first of many tell how the others are
            for child in node.children().take(MANY) {
                let name = child.key().or(node.key()).map_or("", |key| names.text(key));
                if child.shape() == Shape::Text {
                    habits.quotes.note(name, child.raw());
                }
                if is_headed(child, marks) && !habits.headed.contains_key(name) {
                    habits.headed.insert(name.to_owned(), Headed::learn(child, text, marks));
                }
            }
            todo.extend(node.children().rev().take(64));
        }
        habits
    }

    /// What another file tells where this one says nothing.
    pub(super) fn fill(&mut self, other: Habits) {
        self.quotes.fill(other.quotes);
        for (key, headed) in other.headed {
            self.headed.entry(key).or_insert(headed);
        }
    }
}

/// Which texts stand in quotes, by their keys.
#[derive(Default)]
pub(super) struct Quotes {
    by_key: FxHashMap<String, bool>,
    quoted: bool,
    bare: bool,
}

impl Quotes {
    /// Takes note of a value on its line, or of one in a list.
    fn note(&mut self, key: &str, raw: &str) {
        let quoted = is_quoted(raw);
        if !quoted && !raw.contains(char::is_alphabetic) {
            return;
        }
        self.by_key.entry(key.to_owned()).or_insert(quoted);
        self.quoted |= quoted;
        self.bare |= !quoted && !is_flag(raw);
    }

    /// What another file tells where this one says nothing.
    fn fill(&mut self, other: Quotes) {
        for (key, quoted) in other.by_key {
            self.by_key.entry(key).or_insert(quoted);
        }
        if !self.quoted && !self.bare {
            (self.quoted, self.bare) = (other.quoted, other.bare);
        }
    }

    /// Whether a value stands in quotes under a key.
    pub(super) fn of(&self, key: &str, value: &Draft) -> bool {
        let Draft::Text(word) = value else { return false };
        match self.by_key.get(key) {
            Some(quoted) => *quoted,
            None => self.quoted && !self.bare && !is_flag(word),
        }
    }
}

/// Whether a value stands in quotes.
pub(super) fn is_quoted(raw: &str) -> bool {
    raw.len() > 1 && content(raw).len() < raw.len()
}

/// A word for true or false, which games do not quote.
fn is_flag(word: &str) -> bool {
    ["true", "false", "yes", "no", "on", "off"].iter().any(|flag| word.eq_ignore_ascii_case(flag))
}

/// How tables under headings are laid out.
#[derive(Clone)]
pub(super) struct Layout {
    /// How much further in than the key the first mark stands, if not behind the key.
    open: Option<String>,
    /// The blanks between the first mark and the headings, if these stand on one line.
    lead: Option<String>,
    /// How much further in than the key rows stand.
    row: String,
    /// How much further in than the key the last mark stands, if not behind the last row.
    close: Option<String>,
    /// Whether headings stand in quotes.
    quoted: bool,
    /// What stands between two cells.
    join: String,
}

impl Layout {
    fn plain(marks: &Marks, unit: &str) -> Layout {
        let join = marks.join.clone().unwrap_or_else(|| ", ".to_owned());
        Layout {
            open: None,
            lead: Some(" ".to_owned()),
            row: unit.to_owned(),
            close: Some(String::new()),
            quoted: true,
            join,
        }
    }

    /// As one stands in a file.
    fn learn(list: Node<'_>, cells: &[(usize, usize)], text: &str, marks: &Marks) -> Layout {
        let mut layout = Layout::plain(marks, "\t");
        let key = list.key_span().start as usize;
        let outer = indent(text, key);
        let further = |at: usize| indent(text, at).strip_prefix(outer).unwrap_or("").to_owned();
        let start = at(list);
        layout.open = begins_line(text, start).then(|| further(start));
        let (open, close) = marks.headings.clone().unwrap_or_default();
        if let (Some((first, to)), Some((last, _))) = (cells.first(), cells.last()) {
            let blank = text.get(start + open.len()..*first).unwrap_or("");
            layout.lead = (!blank.contains('\n')).then(|| blank.to_owned());
            layout.quoted = is_quoted(text.get(*first..*to).unwrap_or(""));
            if let Some((second, _)) = cells.get(1).filter(|_| first != last) {
                layout.join = text.get(*to..*second).unwrap_or(", ").to_owned();
            }
        }
        match list.children().map(at).find(|row| begins_line(text, *row)) {
            Some(row) => layout.row = further(row),
            None if begins_line(text, start) => layout.row = format!("{}  ", further(start)),
            None => {}
        }
        let last = end(list) - close.len();
        layout.close = begins_line(text, last).then(|| further(last));
        layout
    }
}

/// Whether a list is a table under headings.
pub(super) fn is_headed(list: Node<'_>, marks: &Marks) -> bool {
    let Some((open, _)) = &marks.headings else { return false };
    list.shape() == Shape::List && list.key().is_some() && list.raw().starts_with(open.as_str())
}

/// The bytes of the headings of a table.
fn heading_cells(list: Node<'_>, text: &str, marks: &Marks) -> Vec<(usize, usize)> {
    let Some((open, close)) = &marks.headings else { return Vec::new() };
    let from = skipped(text, at(list) + open.len(), marks);
    if text.get(from..).is_none_or(|rest| rest.starts_with(close.as_str())) {
        return Vec::new();
    }
    cells(text, marks, from, row_end(text, marks, from, close))
}

/// The headings of a table and how it is laid out.
#[derive(Clone)]
pub(super) struct Headed {
    pub(super) headings: Vec<String>,
    /// Where they end in the file, if any stand there.
    pub(super) behind: Option<usize>,
    layout: Layout,
}

impl Headed {
    pub(super) fn learn(list: Node<'_>, text: &str, marks: &Marks) -> Headed {
        let cells = heading_cells(list, text, marks);
        let word = |(from, to): &(usize, usize)| content(text.get(*from..*to).unwrap_or("")).to_owned();
        Headed {
            headings: cells.iter().map(word).collect(),
            behind: cells.last().map(|(_, to)| *to),
            layout: Layout::learn(list, &cells, text, marks),
        }
    }

    /// One of which nothing stands yet, with headings for all that its rows hold.
    pub(super) fn new(marks: &Marks, unit: &str) -> Headed {
        Headed { headings: Vec::new(), behind: None, layout: Layout::plain(marks, unit) }
    }

    /// Headings for what rows hold, too; those that were not there.
    pub(super) fn widen(&mut self, entries: &[(String, Draft)]) -> Vec<String> {
        let known = self.headings.len();
        for (key, _) in entries {
            if !self.headings.contains(key) {
                self.headings.push(key.clone());
            }
        }
        self.headings.get(known..).unwrap_or_default().to_vec()
    }

    pub(super) fn join(&self) -> &str {
        &self.layout.join
    }

    /// A heading as it is written.
    pub(super) fn heading(&self, style: &Style<'_>, name: &str) -> Result<String, EditError> {
        style.word_in(&Draft::Text(name.to_owned()), true, self.layout.quoted)
    }

    /// A row; cells that state nothing are empty, and lack at its end.
    pub(super) fn row(&self, style: &Style<'_>, entries: &[(String, Draft)]) -> Result<String, EditError> {
        let mut cells = Vec::new();
        for heading in &self.headings {
            cells.push(match entries.iter().find(|(key, _)| key == heading) {
                Some((key, value)) => style.word(key, value, true)?,
                None => String::new(),
            });
        }
        while cells.last().is_some_and(String::is_empty) {
            cells.pop();
        }
        match cells.is_empty() {
            true => Err(no_notation("a row without cells")),
            false => Ok(cells.join(&self.layout.join)),
        }
    }

    /// The blanks before a row, where the key stands as far in.
    pub(super) fn row_indent(&self, depth: &str) -> String {
        format!("{depth}{}", self.layout.row)
    }

    /// All of a table, from one mark to the other, behind what stands between the key and it.
    pub(super) fn write(
        &mut self,
        style: &Style<'_>,
        rows: &[Draft],
        depth: &str,
        first: bool,
    ) -> Result<String, EditError> {
        let (open, close) = style.marks.headings.clone().unwrap_or_default();
        let nl = style.line_break;
        for row in rows {
            if let Draft::Table(entries) = row {
                self.widen(entries);
            }
        }
        let headings: Vec<String> =
            self.headings.iter().map(|name| self.heading(style, name)).collect::<Result<_, _>>()?;
        let mut out = match self.layout.open.as_ref().filter(|_| first) {
            Some(further) => format!("{nl}{depth}{further}{open}"),
            None => open,
        };
        match &self.layout.lead {
            Some(lead) => out.push_str(lead),
            None => out.push_str(&format!("{nl}{}", self.row_indent(depth))),
        }
        out.push_str(&headings.join(&self.layout.join));
        for row in rows {
            let Draft::Table(entries) = row else { return Err(no_notation("anything but rows under headings")) };
            out.push_str(&format!("{nl}{}{}", self.row_indent(depth), self.row(style, entries)?));
        }
        match &self.layout.close {
            Some(further) => out.push_str(&format!("{nl}{depth}{further}{close}")),
            None => out.push_str(&format!(" {close}")),
        }
        Ok(out)
    }
}
