//! Splices for described text: lines of key and value, sections, braces and packed lists.
//!
//! Long because each way in which lines nest is read, learned and written with the others.

mod habits;
mod headings;

use std::cell::OnceCell;

use habits::{Habits, Headed, is_headed, is_quoted};

use super::super::described::unquoted;
use super::super::{Document, Draft, FieldPath, Marks, Node, Notation, Shape, Step};
use super::{
    Edit, EditError, Splice, begins_line, comments_above, indent, line_break, line_end, line_start, need, new_entry,
    refuse_known, wrong_shape,
};
use crate::names::Names;
use crate::source::Span;

/// A table as a described text of its own.
pub(super) fn whole(
    notation: &Notation,
    model: Option<&Document>,
    value: &Draft,
    names: &Names,
) -> Result<String, EditError> {
    let Some(marks) = notation.text_marks() else { return Err(no_notation("anything")) };
    let Draft::Table(entries) = value else { return Err(no_notation("anything but a table at the top")) };
    let style = match model {
        Some(model) => Style { tells: Some((model, None, names)), ..Style::learn(model, marks) },
        None => Style::plain(marks),
    };
    // what stands above the sections comes first
    let written = entries.iter().filter(|(_, value)| !is_nothing(value));
    let (sections, plain): (Vec<_>, Vec<_>) = written.partition(|(_, value)| style.is_section(value));
    let mut blocks = Vec::new();
    if !plain.is_empty() {
        let all = style.in_order(plain.into_iter()).into_iter();
        let lines: Vec<String> = all.map(|(key, value)| style.entry(key, value, "")).collect::<Result<_, _>>()?;
        blocks.push(lines.join(style.line_break));
    }
    for (key, value) in sections {
        blocks.push(style.sections(key, value, "")?);
    }
    let between = format!("{0}{0}", style.line_break);
    Ok(format!("{}{}", blocks.join(&between), style.line_break))
}

/// Whether a value has no lines: a list without entries.
fn is_nothing(value: &Draft) -> bool {
    matches!(value, Draft::List(items) if items.is_empty())
}

fn no_notation(what: &str) -> EditError {
    EditError::NoNotation { format: "this notation", what: what.to_owned() }
}

fn splice(start: usize, end: usize, text: impl Into<String>) -> Splice {
    Splice { span: Span::new(start, end), text: text.into() }
}

fn at(node: Node<'_>) -> usize {
    node.span().start as usize
}

fn end(node: Node<'_>) -> usize {
    node.span().end as usize
}

fn is_section(node: Node<'_>, marks: &Marks) -> bool {
    let open = marks.section.as_ref().map(|(open, _)| open.as_str());
    node.shape() == Shape::Table && node.span().start <= node.key_span().start && open.is_some()
}

/// Whether a list is made of entries with one key, each by itself.
fn is_gathered(node: Node<'_>) -> bool {
    node.shape() == Shape::List && node.children().next().is_some_and(|child| child.key().is_some())
}

/// The habits of a file.
struct Style<'m> {
    marks: &'m Marks,
    unit: String,
    line_break: &'static str,
    /// What stands between a key and the brace behind it.
    block: String,
    /// The mark between key and value, with the blanks around it.
    assign: String,
    /// The mark between several values, with the blank behind it.
    join: Option<String>,
    /// What tells how fields are written: a file, and another where that one says nothing.
    tells: Option<(&'m Document, Option<&'m Document>, &'m Names)>,
    /// What they tell, once it was asked for.
    habits: OnceCell<Habits>,
}

/// So many entries tell the habits of a file.
const MANY: usize = 400;

impl<'m> Style<'m> {
    fn plain(marks: &'m Marks) -> Style<'m> {
        let assign = match marks.assign.trim() {
            "" => " ".to_owned(),
            ":" => ": ".to_owned(),
            mark => format!(" {mark} "),
        };
        let block = assign.clone();
        Style {
            marks,
            unit: "\t".to_owned(),
            line_break: "\n",
            block,
            assign,
            join: marks.join.clone(),
            tells: None,
            habits: OnceCell::new(),
        }
    }

    /// How fields are written.
    fn habits(&self) -> &Habits {
        self.habits.get_or_init(|| {
            let Some((document, model, names)) = self.tells else { return Habits::default() };
            let mut habits = Habits::learn(document, self.marks, names);
            if let Some(model) = model {
                habits.fill(Habits::learn(model, self.marks, names));
            }
            habits
        })
    }

    fn learn(document: &Document, marks: &'m Marks) -> Style<'m> {
        let text: &str = document.text();
        let mut style = Style { line_break: line_break(text), ..Style::plain(marks) };
        let mut todo = vec![document.root()];
        let (mut assign, mut unit, mut join, mut block) = (false, false, false, false);
        let mut looked = 0;
        while let Some(node) = todo.pop() {
            looked += 1;
            if looked > MANY || (assign && unit && join && block) {
                break;
            }
            // the first of many tell how the others are
            for child in node.children().take(MANY) {
                let key = child.key_span();
                if child.key().is_some() && matches!(child.shape(), Shape::Text) && !assign && !child.raw().is_empty() {
                    let between = text.get(key.end as usize..at(child)).unwrap_or("");
                    let mark = marks.assign.trim();
                    // a blank between key and value tells only where nothing else stands there
                    let told = if mark.is_empty() { marks.include.is_none() } else { between.trim() == mark };
                    if told && !between.is_empty() {
                        (style.assign, assign) = (between.to_owned(), true);
                    }
                }
                if child.shape() == Shape::List && !is_gathered(child) && !is_headed(child, marks) && !join {
                    let mut items = child.children();
                    if let (Some(one), Some(two), Some(_)) = (items.next(), items.next(), &marks.join) {
                        let between = text.get(end(one)..at(two)).unwrap_or("");
                        if !between.is_empty() && !child.raw().starts_with('{') {
                            (style.join, join) = (Some(between.to_owned()), true);
                        }
                    }
                }
                if child.shape() == Shape::Table && child.raw().starts_with('{') && !block {
                    let between = text.get(key.end as usize..at(child)).unwrap_or("");
                    // a name stands there, or the line ends
                    if between.trim() == marks.assign.trim() || between.trim().is_empty() {
                        let blank = between.trim().is_empty() && !between.is_empty();
                        style.block = if blank { " ".to_owned() } else { between.to_owned() };
                        block = true;
                    }
                }
                let further = |inner: &Node<'_>| {
                    inner.key_span().start > key.end && begins_line(text, inner.key_span().start as usize)
                };
                let inner = child.children().find(further).filter(|_| child.shape() == Shape::Table && !unit);
                if let Some(inner) = inner.filter(|inner| begins_line(text, inner.key_span().start as usize)) {
                    let outer = indent(text, key.start as usize);
                    let deeper = indent(text, inner.key_span().start as usize);
                    let nests = child.raw().starts_with('{') || marks.indents || marks.closing.is_some();
                    if let Some(deeper) = deeper.strip_prefix(outer).filter(|deeper| nests && !deeper.is_empty()) {
                        (style.unit, unit) = (deeper.to_owned(), true);
                    }
                }
            }
            todo.extend(node.children().rev().take(64));
        }
        style
    }

    fn is_section(&self, value: &Draft) -> bool {
        let table = |value: &Draft| matches!(value, Draft::Table(_));
        let tables = match value {
            Draft::List(items) => !items.is_empty() && items.iter().all(table),
            other => table(other),
        };
        tables && self.marks.section.is_some()
    }

    fn key(&self, key: &str, section: bool) -> Result<String, EditError> {
        let marks = self.marks;
        let mut odd = vec!["\n", "\r", "{", "}", "\""];
        if !marks.assign.trim().is_empty() {
            odd.push(&marks.assign);
        }
        odd.extend(
            marks.section.iter().flat_map(|(open, close)| [open.as_str(), close.as_str()]).filter(|m| !m.is_empty()),
        );
        let spaced =
            key.contains(char::is_whitespace) && (marks.assign.trim().is_empty() || section || marks.include.is_some());
        let comment = marks.comment_starts().any(|mark| key.contains(mark));
        let cased = marks.any_case && key.to_lowercase() != key;
        let include = marks.include.as_ref().is_some_and(|include| key.eq_ignore_ascii_case(include)) && section;
        if key.is_empty()
            || key.trim() != key
            || spaced
            || comment
            || cased
            || include
            || odd.iter().any(|odd| key.contains(odd))
        {
            return Err(no_notation(&format!("the key `{key}`")));
        }
        Ok(key.to_owned())
    }

    /// Whether what follows the first word of a key would be a name.
    fn has_name(&self, table: bool, section: bool) -> bool {
        section || (table && (self.marks.indents || (self.marks.braces && self.marks.named.is_some())))
    }

    /// A single value on its line, or one of several on it.
    fn word(&self, key: &str, value: &Draft, packed: bool) -> Result<String, EditError> {
        let quoted = matches!(value, Draft::Text(_)) && self.habits().quotes.of(key, value);
        self.word_in(value, packed, quoted)
    }

    /// A single value, in quotes where that is wanted or needed.
    fn word_in(&self, value: &Draft, packed: bool, quoted: bool) -> Result<String, EditError> {
        let word = match value {
            Draft::Null => return Err(no_notation("null")),
            Draft::Number(number) => number.json(),
            scalar => scalar.word().ok_or_else(|| no_notation("a list or table in a list"))?,
        };
        let marks = self.marks;
        let breaks = word.contains(['\n', '\r']);
        if word.contains('"') || (breaks && (packed || !marks.long)) {
            return Err(no_notation("a text with quotes or line breaks"));
        }
        let joined = marks.join.as_ref().is_some_and(|join| {
            word.contains(join.trim_end()) || (join.trim().is_empty() && word.contains(char::is_whitespace))
        });
        let braces = marks.braces && word.contains(['{', '}']);
        let comment = marks.comment_starts().any(|mark| word.contains(mark));
        let assign = marks.braces && packed && !marks.assign.trim().is_empty() && word.contains(&marks.assign);
        let leads = !marks.assign.trim().is_empty() && word.starts_with(marks.assign.as_str());
        let section = marks.section.as_ref().is_some_and(|(open, _)| word.starts_with(open.as_str()));
        let blank = packed && word.contains(char::is_whitespace);
        if packed && assign {
            return Err(no_notation("this value in a list"));
        }
        let headed = marks.headings.as_ref();
        let headed =
            headed.is_some_and(|(open, close)| word.starts_with(open.as_str()) || word.contains(close.as_str()));
        let quote = quoted
            || headed
            || breaks
            || word.is_empty()
            || word.trim() != word
            || joined
            || braces
            || comment
            || leads
            || section
            || blank;
        Ok(if quote { format!("\"{word}\"") } else { word })
    }

    /// Whether what stands under a key is other files that are taken in.
    fn is_include(&self, key: &str) -> bool {
        self.marks.include.as_deref() == Some(key)
    }

    /// What is taken in comes before what is said over it.
    fn in_order<'e>(&self, entries: impl Iterator<Item = &'e (String, Draft)>) -> Vec<&'e (String, Draft)> {
        let (mut all, own): (Vec<_>, Vec<_>) = entries.partition(|(key, _)| self.is_include(key));
        all.extend(own);
        all
    }

    /// Entries for a key, one line or more; every line is indented.
    fn entry(&self, key: &str, value: &Draft, depth: &str) -> Result<String, EditError> {
        if self.is_include(key) {
            let one = |file: &Draft| Ok(format!("{depth}{key} {}", self.word(key, file, false)?));
            let lines: Vec<String> = match value {
                Draft::List(files) => files.iter().map(one).collect::<Result<_, EditError>>()?,
                file => vec![one(file)?],
            };
            return Ok(lines.join(self.line_break));
        }
        let name = self.key(key, self.has_name(matches!(value, Draft::Table(_)), false))?;
        match value {
            Draft::List(items) if self.is_headed(key, items) => {
                let known = self.habits().headed.get(key).cloned();
                let mut headed = known.unwrap_or_else(|| Headed::new(self.marks, &self.unit));
                // of what others have, only what is used here
                let uses = |row: &Draft, heading: &str| matches!(row, Draft::Table(row) if row.iter().any(|(key, _)| key == heading));
                headed.headings.retain(|heading| items.iter().any(|row| uses(row, heading)));
                let table = headed.write(self, items, depth, true)?;
                // what begins with a line break stands behind the bare mark
                let assign = if table.starts_with(self.line_break) { self.assign.trim_end() } else { &self.assign };
                Ok(format!("{depth}{name}{assign}{table}"))
            }
            Draft::List(items) => {
                let plain = items.iter().all(|item| !matches!(item, Draft::List(_) | Draft::Table(_)));
                match &self.join {
                    Some(join) if plain && items.len() > 1 => {
                        let words: Vec<String> =
                            items.iter().map(|item| self.word(key, item, true)).collect::<Result<_, _>>()?;
                        Ok(format!("{depth}{name}{}{}", self.assign, words.join(join)))
                    }
                    None if plain && self.marks.braces && items.len() > 1 => {
                        let words: Vec<String> =
                            items.iter().map(|item| self.word(key, item, true)).collect::<Result<_, _>>()?;
                        Ok(format!("{depth}{name}{}{{ {} }}", self.assign, words.join(" ")))
                    }
                    _ if items.is_empty() => Err(no_notation("an empty list")),
                    _ => {
                        let each = |item: &Draft| match item {
                            Draft::List(_) => Err(no_notation("a list in a list")),
                            item => self.entry(key, item, depth),
                        };
                        let lines: Vec<String> = items.iter().map(each).collect::<Result<_, _>>()?;
                        Ok(lines.join(self.line_break))
                    }
                }
            }
            Draft::Table(_) if self.marks.closing.is_some() => self.sections(key, value, depth),
            Draft::Table(entries) if self.marks.braces || self.marks.indents => {
                let deeper = format!("{depth}{}", self.unit);
                let named = self.marks.named.as_deref().and_then(|named| entries.iter().find(|(key, _)| key == named));
                let word = named.map(|(_, value)| self.name(value)).transpose()?;
                let mut out = match (&word, self.marks.braces) {
                    (Some(word), true) => format!("{depth}{name} {word} {{"),
                    (None, true) => format!("{depth}{name}{}{{", self.block),
                    (Some(word), false) => format!("{depth}{name}{}{word}", self.assign),
                    (None, false) => format!("{depth}{name}"),
                };
                let own =
                    |(key, value): &&(String, Draft)| named.is_none_or(|(named, _)| named != key) && !is_nothing(value);
                let rest: Vec<_> = entries.iter().filter(own).collect();
                if rest.is_empty() && self.marks.indents && word.is_none() {
                    return Err(no_notation("a table with nothing in it"));
                }
                for (key, value) in rest {
                    out.push_str(&format!("{}{}", self.line_break, self.entry(key, value, &deeper)?));
                }
                Ok(match self.marks.braces {
                    true => format!("{out}{}{depth}}}", self.line_break),
                    false => out,
                })
            }
            Draft::Table(_) => Err(no_notation("a table inside a section")),
            // a flag stands alone
            Draft::Text(word) if word.is_empty() && self.marks.bare => Ok(format!("{depth}{name}")),
            scalar => Ok(format!("{depth}{name}{}{}", self.assign, self.word(key, scalar, false)?)),
        }
    }

    /// Whether a list is written as a table under headings.
    fn is_headed(&self, key: &str, items: &[Draft]) -> bool {
        let rows = !items.is_empty() && items.iter().all(|item| matches!(item, Draft::Table(_)));
        let nests = self.marks.closing.is_some() || self.marks.braces;
        self.marks.headings.is_some() && rows && (!nests || self.habits().headed.contains_key(key))
    }

    /// The name of a section, a block, or a line with others below it.
    fn name(&self, value: &Draft) -> Result<String, EditError> {
        let marks = self.marks;
        let ends = |mark: &str| !mark.is_empty();
        let mut odd: Vec<&str> = vec!["\n", "\r"];
        odd.extend(marks.section.iter().map(|(_, close)| close.as_str()).filter(|mark| ends(mark)));
        odd.extend(marks.comment_starts().filter(|_| marks.section.is_none()));
        if marks.braces {
            odd.extend(["{", "}", "\""]);
            odd.extend(Some(marks.assign.trim()).filter(|mark| ends(mark)));
        }
        let word = value.word().filter(|word| !word.is_empty() && word.trim() == word);
        let leads = |word: &String| marks.indents && word.starts_with(marks.assign.trim()) && ends(marks.assign.trim());
        let quoted = |word: &String| marks.indents && word.contains('"');
        let word = word.filter(|word| !odd.iter().any(|odd| word.contains(odd)) && !leads(word) && !quoted(word));
        word.ok_or_else(|| no_notation("this name of a section"))
    }

    /// Sections of one name; every line is indented.
    fn sections(&self, key: &str, value: &Draft, depth: &str) -> Result<String, EditError> {
        let nl = self.line_break;
        match value {
            Draft::List(items) => {
                let one = |item: &Draft| self.sections(key, item, depth);
                let all: Vec<String> = items.iter().map(one).collect::<Result<_, _>>()?;
                Ok(all.join(&if depth.is_empty() { format!("{nl}{nl}") } else { nl.to_owned() }))
            }
            Draft::Table(entries) => {
                let (open, close) = self.marks.section.clone().unwrap_or_default();
                let named = self.marks.named.as_deref().and_then(|named| entries.iter().find(|(key, _)| key == named));
                let further = match named {
                    Some((_, value)) => format!(" {}", self.name(value)?),
                    None => String::new(),
                };
                let name = self.key(key, true)?;
                let mut out = format!("{depth}{open}{name}{further}{close}");
                let deeper = match self.marks.closing {
                    Some(_) => format!("{depth}{}", self.unit),
                    None => depth.to_owned(),
                };
                let own =
                    |(key, value): &&(String, Draft)| named.is_none_or(|(named, _)| named != key) && !is_nothing(value);
                for (key, value) in self.in_order(entries.iter().filter(own)) {
                    out.push_str(&format!("{nl}{}", self.entry(key, value, &deeper)?));
                }
                if let Some((open, close)) = &self.marks.closing {
                    out.push_str(&format!("{nl}{depth}{open}{name}{close}"));
                }
                Ok(out)
            }
            _ => Err(no_notation("a section without entries")),
        }
    }
}

pub(super) struct Editor<'d> {
    document: &'d Document,
    text: &'d str,
    names: &'d Names,
    style: Style<'d>,
}

impl<'d> Editor<'d> {
    pub(super) fn new(
        document: &'d Document,
        model: Option<&'d Document>,
        names: &'d Names,
    ) -> Result<Editor<'d>, EditError> {
        let Some(marks) = document.notation().text_marks() else { return Err(no_notation("anything")) };
        let style = Style { tells: Some((document, model, names)), ..Style::learn(document, marks) };
        Ok(Editor { document, text: document.covered(), names, style })
    }

    pub(super) fn splices(&self, edit: &Edit) -> Result<Vec<Splice>, EditError> {
        let Editor { document, names, style, .. } = self;
        match edit {
            Edit::Set { at, to } => match super::find(document.root(), at, names) {
                Some(node) => self.set(at, node, to),
                None => {
                    let (into, key) = new_entry(at)?;
                    self.insert_entry(&into, None, key, to)
                }
            },
            Edit::Insert { into, before, key: Some(key), value } => self.insert_entry(into, *before, key, value),
            Edit::Insert { into, before, key: None, value } => self.insert_item(into, *before, value),
            Edit::Remove { at } => self.remove(at),
            Edit::Rename { at, to } => {
                let node = need(document, at, names)?;
                let (table, step) = at.split_last().ok_or_else(|| EditError::Nothing(at.to_string()))?;
                if self.is_header(at) {
                    return Err(EditError::Unusual(at.to_string()));
                }
                if !matches!(step, Step::Key(_)) || is_gathered(node) {
                    return Err(wrong_shape(at, node, "an entry with a key"));
                }
                refuse_known(need(document, &table, names)?, to, names)?;
                if let Some((row, _)) = self.cell_at(at) {
                    return self.rename_cell(&row, node, to);
                }
                let named = style.has_name(node.shape() == Shape::Table, is_section(node, self.marks()));
                Ok(vec![Splice { span: node.key_span(), text: style.key(to, named)? }])
            }
        }
    }

    fn marks(&self) -> &Marks {
        self.style.marks
    }

    /// The lines of an entry: from its key, or the header of its section, to the end of its value.
    fn whole(&self, node: Node<'_>) -> (usize, usize) {
        let key = node.key_span().start as usize;
        (key.min(at(node)), end(node))
    }

    /// Whether it is the name of a section, a block, or a line with others below it.
    fn is_header(&self, path: &FieldPath) -> bool {
        let named = self.marks().named.as_deref();
        let of = |table: Node<'_>| {
            let name =
                table.children().find(|child| child.key().is_some_and(|key| Some(self.names.text(key)) == named));
            let before = |name: Node<'_>| end(name) <= at(table) && table.raw().starts_with('{');
            let on_line = |name: Node<'_>| {
                self.marks().indents && line_start(self.text, at(name)) == line_start(self.text, at(table))
            };
            is_section(table, self.marks()) || name.is_some_and(|name| before(name) || on_line(name))
        };
        path.steps().len() > 1
            && matches!(path.steps().last(), Some(Step::Key(key)) if Some(key.as_str()) == named)
            && path
                .split_last()
                .and_then(|(above, _)| super::find(self.document.root(), &above, self.names))
                .is_some_and(of)
    }

    fn name_of(&self, node: Node<'_>) -> String {
        let node = if is_gathered(node) { node.children().next().unwrap_or(node) } else { node };
        node.key().map_or("", |key| self.names.text(key)).to_owned()
    }

    fn members(&self, node: Node<'d>) -> Vec<Node<'d>> {
        if is_gathered(node) { node.children().collect() } else { vec![node] }
    }

    fn set(&self, path: &FieldPath, node: Node<'d>, to: &Draft) -> Result<Vec<Splice>, EditError> {
        // a list of no entries is no lines, and a table with headings alone
        if is_nothing(to) && !path.is_empty() && !is_headed(node, self.marks()) {
            return self.remove(path);
        }
        if path.is_empty() {
            let text = whole(self.document.notation(), Some(self.document), to, self.names)?;
            return Ok(vec![splice(0, self.text.len(), text)]);
        }
        let scalar = !matches!(to, Draft::List(_) | Draft::Table(_));
        if let Some(row) = self.row_at(path) {
            return self.set_row(&row, to);
        }
        if let Some((_, key)) = self.cell_at(path) {
            return self.set_cell(node, &key, to);
        }
        if let (Draft::List(rows), true) = (to, is_headed(node, self.marks()))
            && rows.iter().all(|row| matches!(row, Draft::Table(_)))
        {
            return self.set_table(node, rows);
        }
        if self.is_header(path) {
            if !scalar {
                return Err(no_notation("this name of a section"));
            }
            return Ok(vec![splice(at(node), end(node), self.style.name(to)?)]);
        }
        let item = !matches!(path.steps().last(), Some(Step::Key(_)));
        if item && node.key().is_none() {
            if !scalar {
                return Err(no_notation("a list or table in a list"));
            }
            return Ok(vec![splice(at(node), end(node), self.style.word_in(to, true, is_quoted(node.raw()))?)]);
        }
        if scalar && node.shape() == Shape::Text {
            let word = match is_quoted(node.raw()) {
                true => self.style.word_in(to, false, true)?,
                false => self.style.word(&self.name_of(node), to, false)?,
            };
            let key = node.key_span().end as usize;
            // behind a mark with nothing after it
            let lead = if at(node) > key && self.text.get(key..at(node)).is_some_and(|text| text.ends_with([' ', '\t']))
            {
                ""
            } else {
                " "
            };
            let lead = if node.raw().is_empty() && self.style.assign.ends_with(' ') { lead } else { "" };
            return Ok(vec![splice(at(node), end(node), format!("{lead}{word}{}", self.apart(end(node))))]);
        }
        let members = self.members(node);
        let first = members.first().copied().unwrap_or(node);
        let (start, stop) = self.whole(first);
        let name = self.name_of(node);
        let depth = indent(self.text, start).to_owned();
        let section = is_section(first, self.marks());
        // where sections end, anything can stand behind one
        let ends = self.marks().closing.is_some();
        let sections = section && self.style.is_section(to);
        let written = if sections || !ends && (section || path.steps().len() == 1 && self.style.is_section(to)) {
            if !sections {
                return Err(no_notation("a section in place of a value, or a value in place of one"));
            }
            self.style.sections(&name, to, &depth)?
        } else {
            if item && matches!(to, Draft::List(_)) {
                return Err(no_notation("a list in a list"));
            }
            self.style.entry(&name, to, &depth)?
        };
        if !begins_line(self.text, start) {
            return Err(EditError::Unusual(path.to_string()));
        }
        let written = written.strip_prefix(depth.as_str()).unwrap_or(&written);
        let mut splices = vec![splice(start, stop, format!("{written}{}", self.apart(stop)))];
        for member in members.iter().skip(1) {
            splices.push(self.take_out(*member, 0));
        }
        Ok(splices)
    }

    /// What keeps a comment that stands where a value would apart from it.
    fn apart(&self, stop: usize) -> &'static str {
        let next = self.text.get(stop..).and_then(|text| text.chars().next());
        if next.is_some_and(|c| !c.is_whitespace() && c != '}') { " " } else { "" }
    }

    /// The start of an entry's line, or of the comments above it.
    fn with_comments(&self, start: usize, floor: usize) -> usize {
        let marks: Vec<&str> = self.marks().comments.iter().map(String::as_str).collect();
        comments_above(self.text, start, &marks, floor)
    }

    /// An entry with its lines and the comments above it.
    fn take_out(&self, node: Node<'_>, floor: usize) -> Splice {
        let (start, stop) = self.whole(node);
        let from = self.with_comments(start, floor);
        let to = line_end(self.text, stop.saturating_sub(1).max(start));
        // of the blank lines before and behind it one is enough
        let is_blank = |line: &str| line.trim_start_matches('\u{feff}').trim().is_empty();
        let before = from == 0 || self.text.get(line_start(self.text, from - 1)..from).is_some_and(is_blank);
        let behind = line_end(self.text, to);
        let doubled = before && behind > to && self.text.get(to..behind).is_some_and(is_blank);
        splice(from, if doubled { behind } else { to }, "")
    }

    fn insert_entry(
        &self,
        into: &FieldPath,
        before: Option<usize>,
        key: &str,
        value: &Draft,
    ) -> Result<Vec<Splice>, EditError> {
        let table = need(self.document, into, self.names)?;
        // a line with nothing below it but its name
        let alone = table.shape() == Shape::Text && self.marks().indents && self.marks().named.is_some();
        if alone && self.marks().named.as_deref() != Some(key) && !table.raw().is_empty() {
            let depth = format!("{}{}", indent(self.text, table.key_span().start as usize), self.style.unit);
            let (written, behind) = (self.style.entry(key, value, &depth)?, line_end(self.text, end(table)));
            let nl = self.style.line_break;
            let fresh = self.text.get(..behind).is_some_and(|text| text.ends_with('\n'));
            let text = if fresh { format!("{written}{nl}") } else { format!("{nl}{written}") };
            return Ok(vec![splice(behind, behind, text)]);
        }
        if table.shape() != Shape::Table {
            return Err(wrong_shape(into, table, "a table"));
        }
        refuse_known(table, key, self.names)?;
        if let Some(row) = self.row_at(into) {
            return self.fill_cell(&row, key, value);
        }
        // what is taken in comes before what is said over it
        let before = before.or(self.style.is_include(key).then_some(0));
        let nl = self.style.line_break;
        let top = into.is_empty();
        if top && self.style.is_section(value) {
            let written = self.style.sections(key, value, "")?;
            let lead = match (self.text.trim_start_matches('\u{feff}').is_empty(), self.text.ends_with('\n')) {
                (true, _) => String::new(),
                (_, true) => nl.to_owned(),
                _ => format!("{nl}{nl}"),
            };
            return Ok(vec![splice(self.text.len(), self.text.len(), format!("{lead}{written}{nl}"))]);
        }
        let named = self.marks().named.as_deref() == Some(key);
        let nests = is_section(table, self.marks()) || self.marks().braces || self.marks().indents;
        if !top && named && nests {
            return Err(EditError::Unusual(into.with(Step::Key(key.to_owned())).to_string()));
        }
        let section = |node: &Node<'_>| {
            is_section(*node, self.marks())
                || (is_gathered(*node) && node.children().any(|m| is_section(m, self.marks())))
        };
        let own: Vec<Node<'_>> = table
            .children()
            .filter(|child| !top || !section(child))
            .filter(|child| !self.is_header(&into.with(Step::Key(self.name_of(*child)))))
            .collect();
        let braces = !top && table.raw().starts_with('{');
        let depth = match own.first() {
            Some(first) => indent(self.text, self.whole(*first).0).to_owned(),
            None if braces || (!top && (self.marks().indents || self.marks().closing.is_some())) => {
                format!("{}{}", indent(self.text, at(table)), self.style.unit)
            }
            None => String::new(),
        };
        let one_line = braces && !table.raw().contains('\n');
        let depth = if one_line { format!("{}{}", indent(self.text, at(table)), self.style.unit) } else { depth };
        let written = self.style.entry(key, value, &depth)?;
        if one_line {
            // what stood on one line gets lines of its own
            let inner = self.document.text().get(at(table) + 1..end(table) - 1).unwrap_or("").trim();
            let inner = if inner.is_empty() { String::new() } else { format!("{nl}{depth}{inner}") };
            let close = indent(self.text, at(table));
            return Ok(vec![splice(at(table), end(table), format!("{{{inner}{nl}{written}{nl}{close}}}"))]);
        }
        let next =
            before.and_then(|nth| table.children().nth(nth)).filter(|next| own.iter().any(|o| o.id() == next.id()));
        if let Some(next) = next {
            let next = self.members(next).first().copied().unwrap_or(next);
            let floor = if top { 0 } else { line_end(self.text, at(table)) };
            let line = self.with_comments(self.whole(next).0, floor);
            return Ok(vec![splice(line, line, format!("{written}{nl}"))]);
        }
        let last = own.iter().flat_map(|child| self.members(*child)).map(|child| self.whole(child).1).max();
        let behind = match last {
            Some(last) => line_end(self.text, last.saturating_sub(1)),
            None if top => {
                // above the first section and the comments that belong to it
                let first =
                    table.children().flat_map(|child| self.members(child)).map(|child| self.whole(child).0).min();
                let bom = if self.text.starts_with('\u{feff}') { 3 } else { 0 };
                first.map_or(self.text.len(), |first| self.with_comments(first, bom))
            }
            None => line_end(self.text, at(table)),
        };
        let fresh =
            behind == 0 || self.text.get(..behind).is_some_and(|text| text.ends_with('\n') || text == "\u{feff}");
        let text = if fresh { format!("{written}{nl}") } else { format!("{nl}{written}") };
        Ok(vec![splice(behind, behind, text)])
    }

    fn insert_item(&self, into: &FieldPath, before: Option<usize>, value: &Draft) -> Result<Vec<Splice>, EditError> {
        let node = need(self.document, into, self.names)?;
        if into.is_empty() || self.is_header(into) || matches!(value, Draft::List(_)) {
            return Err(wrong_shape(into, node, "a list"));
        }
        if is_headed(node, self.marks()) {
            return self.insert_row(node, before, value);
        }
        if node.shape() == Shape::List && !is_gathered(node) {
            // as the others in it
            let quoted =
                matches!(value, Draft::Text(_)) && node.children().next().is_some_and(|item| is_quoted(item.raw()));
            let word = self.style.word_in(value, true, quoted)?;
            let join = if node.raw().starts_with('{') {
                " ".to_owned()
            } else {
                self.style.join.clone().unwrap_or(" ".to_owned())
            };
            return Ok(vec![match before.and_then(|nth| node.children().nth(nth)) {
                Some(next) => splice(at(next), at(next), format!("{word}{join}")),
                None => {
                    let last = node.children().next_back().map_or(end(node), end);
                    splice(last, last, format!("{join}{word}"))
                }
            }]);
        }
        let packs = self.style.join.is_some() || self.marks().braces;
        if node.shape() == Shape::Text && packs && !matches!(value, Draft::Table(_)) {
            let mut items = vec![Draft::of(node, self.names)];
            items.insert(before.unwrap_or(1).min(1), value.clone());
            return self.set(into, node, &Draft::List(items));
        }
        let members = self.members(node);
        let name = self.name_of(node);
        let section = members.first().is_some_and(|first| is_section(*first, self.marks()));
        let nl = self.style.line_break;
        let near = before.and_then(|nth| members.get(nth)).or(members.last()).copied().unwrap_or(node);
        let (start, stop) = self.whole(near);
        let written = if section {
            self.style.sections(&name, value, indent(self.text, start))?
        } else {
            self.style.entry(&name, value, indent(self.text, start))?
        };
        let apart = section && indent(self.text, start).is_empty();
        let gap = if apart { format!("{nl}{nl}") } else { nl.to_owned() };
        if before.is_some_and(|nth| nth < members.len()) {
            let line = self.with_comments(start, 0);
            return Ok(vec![splice(line, line, format!("{written}{gap}"))]);
        }
        let behind = line_end(self.text, stop.saturating_sub(1).max(start));
        let fresh = self.text.get(..behind).is_some_and(|text| text.ends_with('\n'));
        let lead = if apart { nl } else { "" };
        Ok(vec![splice(behind, behind, if fresh { format!("{lead}{written}{nl}") } else { format!("{gap}{written}") })])
    }

    fn remove(&self, path: &FieldPath) -> Result<Vec<Splice>, EditError> {
        let node = need(self.document, path, self.names)?;
        let (above, _) = path.split_last().ok_or_else(|| EditError::Nothing(path.to_string()))?;
        if self.is_header(path) {
            return Err(EditError::Unusual(path.to_string()));
        }
        let outer = need(self.document, &above, self.names)?;
        if let Some(row) = self.row_at(path) {
            return self.remove_row(&row);
        }
        if let Some((row, _)) = self.cell_at(path) {
            return self.remove_cell(&row, node);
        }
        if outer.shape() == Shape::List && !is_gathered(outer) {
            let count = outer.len();
            let nth = outer.children().position(|item| item.id() == node.id()).unwrap_or(0);
            let side = |nth: usize| outer.children().nth(nth);
            return match (count, nth.checked_sub(1).and_then(side), side(nth + 1)) {
                (..=1, ..) => Err(no_notation("an empty list")),
                (_, _, Some(next)) => Ok(vec![splice(at(node), at(next), "")]),
                (_, Some(previous), None) => Ok(vec![splice(end(previous), end(node), "")]),
                _ => Err(EditError::Nothing(path.to_string())),
            };
        }
        // without lines below it, a line is a value
        let others = outer.children().filter(|child| child.id() != node.id());
        let mut others = others.filter(|child| !self.is_header(&above.with(Step::Key(self.name_of(*child)))));
        let gathered = is_gathered(outer) && outer.len() > 1;
        if self.marks().indents
            && !above.is_empty()
            && !gathered
            && outer.shape() == Shape::Table
            && others.next().is_none()
        {
            return Err(no_notation("a table with nothing in it"));
        }
        let members = self.members(node);
        let inline = members.iter().any(|member| {
            let (start, stop) = self.whole(*member);
            let rest = self.text.get(stop..line_end(self.text, stop)).unwrap_or("");
            !begins_line(self.text, start) || unquoted(rest, "}").is_some() && self.marks().braces
        });
        if inline {
            // on one line with its braces
            let (start, stop) = self.whole(node);
            return Ok(vec![splice(start, stop, "")]);
        }
        let mut floor = 0;
        if outer.shape() == Shape::Table && !above.is_empty() {
            floor = line_end(self.text, line_start(self.text, at(outer)));
        }
        Ok(members.into_iter().map(|member| self.take_out(member, floor)).collect())
    }
}
