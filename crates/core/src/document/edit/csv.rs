//! Splices for CSV: cells, rows and columns. Everything else in the file stays byte for byte.

use super::super::csv::{Cell, records};
use super::super::{Document, Draft, FieldPath, Notation, Rows, Shape, Step, is_called};
use super::{Edit, EditError, Splice, comments_above, find, line_break, need, wrong_shape};
use crate::names::Names;
use crate::source::{FileId, Span, cell_text, is_typed};

/// The splices of an edit of cells.
pub(super) fn splices(
    document: &Document,
    sheet: &Sheet<'_>,
    edit: &Edit,
    names: &Names,
) -> Result<Vec<Splice>, EditError> {
    if sheet.rows.is_bare() {
        return super::rows::splices(document, sheet, edit, names);
    }
    match edit {
        Edit::Set { at, to } => match (at.steps(), find(document.root(), at, names)) {
            ([_], Some(row)) => sheet.replace_row(at, row.span(), to),
            (_, Some(cell)) if at.steps().len() == 2 => {
                let as_text = !sheet.rows.sheet || matches!(to, Draft::Text(_));
                let quoted = cell.raw().starts_with('"') && as_text;
                Ok(vec![Splice { span: cell.span(), text: sheet.content(to, quoted)? }])
            }
            ([.., Step::Key(key)], None) => sheet.fill(at, key, to),
            _ => Err(no_notation("anything but rows of cells")),
        },
        Edit::Insert { into, before, key, value } => match (into.is_empty(), key) {
            (true, None) => sheet.insert_row(*before, value),
            (false, Some(key)) => {
                let at = into.with(Step::Key(key.clone()));
                if find(document.root(), &at, names).is_some_and(|cell| cell.shape() != Shape::Null) {
                    return Err(EditError::KeyThere(key.clone()));
                }
                sheet.fill(&at, key, value)
            }
            _ => Err(no_notation("anything but rows of cells")),
        },
        Edit::Remove { at } => {
            let node = need(document, at, names)?;
            match at.steps().len() {
                1 => sheet.remove_row(at),
                2 if sheet.header.len() > 1 => Ok(vec![Splice { span: node.span(), text: String::new() }]),
                2 => Err(no_notation("a row without any cell in a single column")),
                _ => Err(no_notation("an empty file")),
            }
        }
        Edit::Rename { at, to } => {
            let node = need(document, at, names)?;
            let Some((row, Step::Key(_))) = at.split_last() else {
                return Err(wrong_shape(at, node, "a cell"));
            };
            let known = find(document.root(), &row.with(Step::Key(to.clone())), names);
            if known.is_some_and(|cell| cell.shape() != Shape::Null) {
                return Err(EditError::KeyThere(to.clone()));
            }
            // a cell under another key is a cell in another column
            let mut all = sheet.fill(&row.with(Step::Key(to.clone())), to, &Draft::of(node, names))?;
            all.push(Splice { span: node.span(), text: String::new() });
            Ok(all)
        }
    }
}

/// Rows as a text of their own, under the header of another file or of the rows' own keys.
pub(super) fn whole(
    notation: &Notation,
    model: Option<&Document>,
    value: &Draft,
    names: &Names,
) -> Result<String, EditError> {
    if notation.rows().is_bare() {
        let empty = Document::parse(FileId(0), notation.clone(), "".into(), names);
        return super::rows::whole(&Sheet::new(&empty), value);
    }
    let Draft::List(rows) = value else { return Err(no_notation("anything but rows of cells")) };
    let head = match model {
        Some(model) => {
            let sheet = Sheet::new(model);
            let end =
                sheet.records.get(1).and_then(|record| record.first()).map_or(model.text().len(), |cell| cell.start);
            let end = if sheet.records.len() > 1 { end } else { model.text().len() };
            let head = model.text().get(..end).unwrap_or("").to_owned();
            if head.ends_with('\n') { head } else { format!("{head}{}", line_break(model.text())) }
        }
        None => {
            let mut keys: Vec<&str> = Vec::new();
            for row in rows {
                let Draft::Table(cells) = row else { return Err(no_notation("a row that is no table")) };
                keys.extend(cells.iter().map(|(key, _)| key.as_str()));
            }
            let mut seen = rustc_hash::FxHashSet::default();
            keys.retain(|key| seen.insert(*key));
            let separator = char::from(notation.rows().separator).to_string();
            // what a reader skips around the header is left blank, with as many cells as the header
            let blank = format!("{}\n", "-".to_owned() + &separator.repeat(keys.len().saturating_sub(1)));
            let above = blank.repeat(notation.rows().header.saturating_sub(1));
            format!("{above}{}\n{}", keys.join(&separator), blank.repeat(notation.rows().skip))
        }
    };
    let document = Document::parse(FileId(0), notation.clone(), head.as_str().into(), names);
    let insert = |row: &Draft| Edit::Insert { into: FieldPath::default(), before: None, key: None, value: row.clone() };
    super::edit(&document, &rows.iter().map(insert).collect::<Vec<_>>(), names)
}

pub(super) fn no_notation(what: &str) -> EditError {
    EditError::NoNotation { format: "CSV", what: what.to_owned() }
}

pub(super) struct Sheet<'d> {
    pub(super) text: &'d str,
    pub(super) rows: &'d Rows,
    /// The separator as a text.
    pub(super) separator: String,
    /// The columns' names in order.
    pub(super) header: Vec<String>,
    /// The header's cells, then those of each row.
    pub(super) records: Vec<Vec<Cell>>,
}

impl<'d> Sheet<'d> {
    /// A cell's notation (RFC 4180, section 2). `quoted`: in quotes also where that is not needed.
    pub(super) fn content(&self, value: &Draft, quoted: bool) -> Result<String, EditError> {
        let word = match (value, &self.rows.join) {
            (Draft::Null, _) => return Ok(String::new()),
            (Draft::List(items), Some(join)) => {
                let words: Option<Vec<String>> = items.iter().map(Draft::word).collect();
                let words = words.filter(|words| words.iter().all(|word| !word.contains(join.as_str())));
                let words = words.ok_or_else(|| no_notation(&format!("a list with `{join}` or a list in it")))?;
                if words.is_empty() {
                    return Ok(String::new());
                }
                words.join(join)
            }
            (Draft::List(_), None) => return Err(no_notation("a list in a cell")),
            (Draft::Table(_), _) => return Err(no_notation("a table in a cell")),
            (Draft::Text(text), Some(join)) if text.contains(join.as_str()) => {
                return Err(no_notation(&format!("a text with `{join}` in it, which would be a list")));
            }
            (scalar, _) => scalar.word().unwrap_or_default(),
        };
        // an empty cell is none at all: an empty text has quotes
        let needed = word.is_empty()
            || word.contains(['"', '\n', '\r'])
            || word.contains(&self.separator)
            || (self.rows.sheet && matches!(value, Draft::Text(_)) && is_typed(&word))
            || self.rows.is_comment(&word);
        Ok(if quoted || needed { format!("\"{}\"", word.replace('"', "\"\"")) } else { word })
    }

    /// A column's name; white space around it would not be read.
    fn column(&self, key: &str) -> Result<String, EditError> {
        if key.is_empty() || key.trim() != key {
            return Err(no_notation(&format!("a column named `{key}`")));
        }
        self.content(&Draft::Text(key.to_owned()), false)
    }

    pub(super) fn new(document: &'d Document) -> Sheet<'d> {
        let text: &str = document.text();
        let rows = document.notation().rows();
        let records = records(text, rows);
        let name = |cell: &Cell| {
            let raw = text.get(cell.start..cell.end).unwrap_or("").trim();
            cell_text(raw, raw.contains("\"\"")).trim().to_owned()
        };
        let header = match rows.is_bare() {
            true => rows.bare_columns().map(str::to_owned).collect(),
            false => records.first().map(|cells| cells.iter().map(name).collect()).unwrap_or_default(),
        };
        Sheet { text, rows, separator: char::from(rows.separator).to_string(), header, records }
    }

    fn end_of(&self, record: &[Cell]) -> usize {
        record.last().map_or(self.text.len(), |cell| cell.end)
    }

    /// The splices that add columns: to the header, and an empty cell to every row but `without`.
    fn columns(&self, new: &[&str], without: Option<usize>) -> Result<Vec<Splice>, EditError> {
        let mut out = Vec::new();
        if new.is_empty() {
            return Ok(out);
        }
        let width = self.header.len() + new.len();
        for (at, record) in self.records.iter().enumerate().filter(|(at, _)| Some(*at) != without) {
            let end = self.end_of(record);
            let text = match at {
                0 => {
                    let cell = |key: &&str| Ok(format!("{}{}", self.separator, self.column(key)?));
                    new.iter().map(cell).collect::<Result<String, EditError>>()?
                }
                _ => self.separator.repeat(width - record.len().min(width)),
            };
            out.push(Splice { span: Span::new(end, end), text });
        }
        Ok(out)
    }

    /// Puts a value into a cell that is empty or not there.
    fn fill(&self, at: &FieldPath, key: &str, value: &Draft) -> Result<Vec<Splice>, EditError> {
        let missing = || EditError::Nothing(at.to_string());
        let ([row, _], true) = (at.steps(), at.steps().len() == 2) else { return Err(missing()) };
        let nth = self.row(row).ok_or_else(missing)?;
        let record = self.records.get(nth).ok_or_else(missing)?;
        let text = self.content(value, false)?;
        let Some(place) = self.header.iter().rposition(|known| known == key) else {
            let mut out = self.columns(&[key], Some(nth))?;
            let end = self.end_of(record);
            let commas = self.separator.repeat(self.header.len() + 1 - record.len().min(self.header.len()));
            out.push(Splice { span: Span::new(end, end), text: format!("{commas}{text}") });
            return Ok(out);
        };
        Ok(vec![match record.get(place) {
            Some(cell) => Splice { span: Span::new(cell.start, cell.end), text },
            None => {
                let end = self.end_of(record);
                let commas = self.separator.repeat(place + 1 - record.len());
                Splice { span: Span::new(end, end), text: format!("{commas}{text}") }
            }
        }])
    }

    /// The record of a row; 0 is the header.
    pub(super) fn row(&self, step: &Step) -> Option<usize> {
        match step {
            Step::Index(at) => Some(at + 1).filter(|at| *at < self.records.len()),
            Step::Match(parts) => self.records.iter().enumerate().skip(1).find_map(|(at, record)| {
                let has = |(key, word): &(String, String)| {
                    let place = self.header.iter().rposition(|known| known == key);
                    let cell = place.and_then(|place| record.get(place));
                    let found = cell.map(|cell| {
                        let raw = self.text.get(cell.start..cell.end).unwrap_or("");
                        cell_text(raw, raw.contains("\"\""))
                    });
                    is_called(found.as_deref(), word)
                };
                parts.iter().all(has).then_some(at)
            }),
            Step::Key(_) => None,
        }
    }

    /// A row's notation, and the columns that it needs beside those that are there.
    fn written<'v>(&self, value: &'v Draft) -> Result<(String, Vec<&'v str>), EditError> {
        let Draft::Table(entries) = value else { return Err(no_notation("a row that is no table")) };
        let known = |key: &str| self.header.iter().any(|column| column == key);
        let new: Vec<&str> = entries.iter().map(|(key, _)| key.as_str()).filter(|key| !known(key)).collect();
        let columns = self.header.iter().map(String::as_str).chain(new.iter().copied());
        let mut cells = Vec::new();
        for (at, column) in columns.enumerate() {
            // of columns that stand twice the last counts
            let counts = self.header.iter().rposition(|known| known == column).is_none_or(|last| last == at);
            cells.push(match entries.iter().rfind(|(key, _)| key == column).filter(|_| counts) {
                Some((_, value)) => self.content(value, false)?,
                None => String::new(),
            });
        }
        if cells.iter().all(String::is_empty) && cells.len() < 2 {
            return Err(no_notation("a row without any cell in a single column"));
        }
        Ok((cells.join(&self.separator), new))
    }

    fn replace_row(&self, at: &FieldPath, span: Span, value: &Draft) -> Result<Vec<Splice>, EditError> {
        let nth = self.records.iter().position(|record| record.first().is_some_and(|c| c.start == span.start as usize));
        let nth = nth.ok_or_else(|| EditError::Nothing(at.to_string()))?;
        let (text, new) = self.written(value)?;
        let mut out = self.columns(&new, Some(nth))?;
        out.push(Splice { span, text });
        Ok(out)
    }

    fn insert_row(&self, before: Option<usize>, value: &Draft) -> Result<Vec<Splice>, EditError> {
        let (row, new) = self.written(value)?;
        let mut out = self.columns(&new, None)?;
        self.put_line(&mut out, before, &row)?;
        Ok(out)
    }

    /// A row as it is written, before another one or at the end.
    pub(super) fn insert_line(&self, before: Option<usize>, row: &str) -> Result<Vec<Splice>, EditError> {
        let mut out = Vec::new();
        self.put_line(&mut out, before, row)?;
        Ok(out)
    }

    fn put_line(&self, out: &mut Vec<Splice>, before: Option<usize>, row: &str) -> Result<(), EditError> {
        let line = line_break(self.text);
        let before = before.and_then(|before| self.records.get(before + 1)).and_then(|record| record.first());
        if before.is_some() && self.rows.sheet {
            // formulas name rows by their numbers
            return Err(no_notation("a new row between others, in a workbook,"));
        }
        match before {
            Some(cell) => {
                out.push(Splice { span: Span::new(cell.start, cell.start), text: format!("{row}{line}") });
            }
            None if self.text.ends_with('\n') => {
                let end = self.text.len();
                out.push(Splice { span: Span::new(end, end), text: format!("{row}{line}") });
            }
            None => {
                // behind what is added to the last row, at the very end of the text
                let end = self.text.len();
                match out.iter_mut().find(|splice| splice.span.start as usize == end) {
                    Some(last) => last.text.push_str(&format!("{line}{row}")),
                    None if end == 0 => out.push(Splice { span: Span::new(end, end), text: format!("{row}{line}") }),
                    None => out.push(Splice { span: Span::new(end, end), text: format!("{line}{row}") }),
                }
            }
        }
        Ok(())
    }

    pub(super) fn remove_row(&self, at: &FieldPath) -> Result<Vec<Splice>, EditError> {
        let missing = || EditError::Nothing(at.to_string());
        let nth = at.steps().first().and_then(|step| self.row(step)).ok_or_else(missing)?;
        let record = self.records.get(nth).ok_or_else(missing)?;
        let start = record.first().map_or(0, |cell| cell.start);
        if self.rows.sheet {
            // a blank row stays, as formulas name rows by their numbers
            return Ok(vec![Splice { span: Span::new(start, self.end_of(record)), text: String::new() }]);
        }
        let marks: Vec<&str> = self.rows.comment.iter().map(String::as_str).collect();
        let floor = nth.checked_sub(1).and_then(|above| self.records.get(above)).map_or(0, |above| self.end_of(above));
        let start = if marks.is_empty() { start } else { comments_above(self.text, start, &marks, floor) };
        let end = self.end_of(record);
        let rest = self.text.get(end..).unwrap_or("");
        let after = match (rest.starts_with("\r\n"), rest.starts_with(['\n', '\r'])) {
            (true, _) => 2,
            (_, true) => 1,
            _ => 0,
        };
        Ok(vec![Splice { span: Span::new(start, end + after), text: String::new() }])
    }
}
