//! Changes in tables under headings.

use super::super::super::described::headings::cells;
use super::super::super::described::text as content;
use super::super::super::{Draft, FieldPath, Node, Step};
use super::super::{EditError, Splice, begins_line, find, indent, line_end, line_start};
use super::habits::{Headed, is_headed, is_quoted};
use super::{Editor, at, end, no_notation, splice};

/// A row of a table under headings.
pub(super) struct Row<'d> {
    list: Node<'d>,
    row: Node<'d>,
    nth: usize,
}

impl<'d> Editor<'d> {
    /// The row that a path leads to.
    pub(super) fn row_at(&self, path: &FieldPath) -> Option<Row<'d>> {
        self.marks().headings.as_ref()?;
        let (above, _) = path.split_last()?;
        let list = find(self.document.root(), &above, self.names).filter(|list| is_headed(*list, self.marks()))?;
        let row = find(self.document.root(), path, self.names)?;
        Some(Row { list, row, nth: list.children().position(|one| one.id() == row.id())? })
    }

    /// The row in which a path leads to a cell, and its heading.
    pub(super) fn cell_at(&self, path: &FieldPath) -> Option<(Row<'d>, String)> {
        let (above, Step::Key(key)) = path.split_last()? else { return None };
        Some((self.row_at(&above)?, key.clone()))
    }

    pub(super) fn headed(&self, list: Node<'d>) -> Headed {
        Headed::learn(list, self.text, self.marks())
    }

    /// All of a table, from mark to mark.
    pub(super) fn set_table(&self, list: Node<'d>, rows: &[Draft]) -> Result<Vec<Splice>, EditError> {
        let depth = indent(self.text, list.key_span().start as usize);
        let written = self.headed(list).write(&self.style, rows, depth, false)?;
        Ok(vec![splice(at(list), end(list), written)])
    }

    /// A whole row.
    pub(super) fn set_row(&self, row: &Row<'d>, to: &Draft) -> Result<Vec<Splice>, EditError> {
        let Draft::Table(entries) = to else { return Err(no_notation("anything but a row under headings")) };
        let mut headed = self.headed(row.list);
        let mut out = self.add_headings(&mut headed, entries)?;
        out.push(splice(at(row.row), end(row.row), headed.row(&self.style, entries)?));
        Ok(out)
    }

    /// A cell that has a value.
    pub(super) fn set_cell(&self, cell: Node<'d>, key: &str, to: &Draft) -> Result<Vec<Splice>, EditError> {
        let word = match is_quoted(cell.raw()) {
            true => self.style.word_in(to, true, true)?,
            false => self.style.word(key, to, true)?,
        };
        Ok(vec![splice(at(cell), end(cell), word)])
    }

    /// A cell that states nothing yet.
    pub(super) fn fill_cell(&self, row: &Row<'d>, key: &str, to: &Draft) -> Result<Vec<Splice>, EditError> {
        let mut headed = self.headed(row.list);
        let mut out = self.add_headings(&mut headed, &[(key.to_owned(), to.clone())])?;
        let nth = headed.headings.iter().position(|heading| heading == key).unwrap_or(0);
        let word = self.style.word(key, to, true)?;
        let cells = cells(self.text, self.marks(), at(row.row), end(row.row));
        out.push(match cells.get(nth) {
            Some((from, to)) => splice(*from, *to, word),
            None => {
                let behind = cells.last().map_or(end(row.row), |(_, to)| *to);
                splice(behind, end(row.row), format!("{}{word}", headed.join().repeat(nth + 1 - cells.len())))
            }
        });
        Ok(out)
    }

    /// A row more.
    pub(super) fn insert_row(
        &self,
        list: Node<'d>,
        before: Option<usize>,
        to: &Draft,
    ) -> Result<Vec<Splice>, EditError> {
        let Draft::Table(entries) = to else { return Err(no_notation("anything but a row under headings")) };
        let mut headed = self.headed(list);
        let Some(behind) = headed.behind else { return self.set_table(list, std::slice::from_ref(to)) };
        let mut out = self.add_headings(&mut headed, entries)?;
        let depth = headed.row_indent(indent(self.text, list.key_span().start as usize));
        let (row, nl) = (headed.row(&self.style, entries)?, self.style.line_break);
        if let Some(next) =
            before.and_then(|nth| list.children().nth(nth)).filter(|row| begins_line(self.text, at(*row)))
        {
            let line = self.with_comments(at(next), line_end(self.text, at(list)));
            out.push(splice(line, line, format!("{depth}{row}{nl}")));
            return Ok(out);
        }
        let last = list.children().next_back().map_or(behind, end);
        let line = line_end(self.text, last);
        out.push(match line < end(list) {
            true => splice(line, line, format!("{depth}{row}{nl}")),
            // the table ends on that line
            false => splice(last, last, format!("{nl}{depth}{row}")),
        });
        Ok(out)
    }

    pub(super) fn remove_row(&self, row: &Row<'d>) -> Result<Vec<Splice>, EditError> {
        let (start, stop) = (at(row.row), end(row.row));
        let line = line_end(self.text, stop);
        if begins_line(self.text, start) && line < end(row.list) {
            let floor = line_end(self.text, at(row.list));
            let from = self.with_comments(start, floor.min(line_start(self.text, start)));
            return Ok(vec![splice(from, line, "")]);
        }
        let before = match row.nth.checked_sub(1).and_then(|nth| row.list.children().nth(nth)) {
            Some(before) => end(before),
            None => self.headed(row.list).behind.unwrap_or(start),
        };
        let between = self.text.get(before..start).unwrap_or("");
        // a comment behind the row above stays
        let before = before + between.len() - between.trim_start_matches(|c| c != '\n').len();
        Ok(vec![splice(before.min(start), stop, "")])
    }

    pub(super) fn remove_cell(&self, row: &Row<'d>, cell: Node<'d>) -> Result<Vec<Splice>, EditError> {
        if row.row.len() < 2 {
            return Err(no_notation("a row without cells"));
        }
        let cells = cells(self.text, self.marks(), at(row.row), end(row.row));
        let nth = cells.iter().position(|(from, _)| *from == at(cell)).unwrap_or(0);
        let full = |(from, to): &&(usize, usize)| from < to;
        Ok(vec![match cells.get(..nth).unwrap_or_default().iter().rfind(full) {
            // what is empty at the end of a row lacks there
            Some((_, to)) if nth + 1 == cells.len() => splice(*to, end(row.row), ""),
            _ => splice(at(cell), end(cell), ""),
        }])
    }

    /// Headings for what a row holds besides.
    fn add_headings(&self, headed: &mut Headed, entries: &[(String, Draft)]) -> Result<Vec<Splice>, EditError> {
        let behind = headed.behind.ok_or_else(|| no_notation("a row without headings"))?;
        let mut out = String::new();
        for name in headed.widen(entries) {
            out.push_str(&format!("{}{}", headed.join(), headed.heading(&self.style, &name)?));
        }
        Ok(if out.is_empty() { Vec::new() } else { vec![splice(behind, behind, out)] })
    }

    /// A cell under another heading. Where no other row has anything under the old one, the heading itself is changed.
    pub(super) fn rename_cell(&self, row: &Row<'d>, cell: Node<'d>, to: &str) -> Result<Vec<Splice>, EditError> {
        let lone = row.list.children().filter(|row| row.children().any(|other| other.key() == cell.key())).count() == 1;
        let headed = self.headed(row.list);
        if lone && !headed.headings.iter().any(|heading| heading == to) {
            let key = cell.key_span();
            let quoted = is_quoted(key.of(self.text));
            let word = self.style.word_in(&Draft::Text(to.to_owned()), true, quoted)?;
            return Ok(vec![splice(key.start as usize, key.end as usize, word)]);
        }
        let entries: Vec<(String, Draft)> = row
            .row
            .children()
            .map(|other| {
                let name = other.key().map_or("", |key| self.names.text(key));
                let name = if other.id() == cell.id() { to } else { name };
                (name.to_owned(), Draft::Text(content(other.raw()).to_owned()))
            })
            .collect();
        self.set_row(row, &Draft::Table(entries))
    }
}
