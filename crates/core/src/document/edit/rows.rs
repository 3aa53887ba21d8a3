//! Splices for rows without a header: a row that changes is put together anew of its cells, each as it was written.

use super::super::{Document, Draft, FieldPath, Step};
use super::csv::{Sheet, no_notation};
use super::{Edit, EditError, Splice};
use crate::names::Names;
use crate::source::Span;

pub(super) fn splices(
    document: &Document,
    sheet: &Sheet<'_>,
    edit: &Edit,
    names: &Names,
) -> Result<Vec<Splice>, EditError> {
    let rows = Bare { sheet };
    match edit {
        Edit::Set { at, to } => match rows.within(at)? {
            [] => rows.all(to),
            [row] => rows.splice(at, row, rows.cells(to)?),
            [row, way @ ..] => {
                let mut cells = rows.raw(at, row)?;
                rows.set(at, &mut cells, way, to)?;
                rows.splice(at, row, cells)
            }
        },
        Edit::Insert { into, before, key, value } => match (rows.within(into)?, key) {
            ([], None) => sheet.insert_line(*before, &rows.joined(&rows.cells(value)?)),
            ([row], Some(key)) => {
                let mut cells = rows.raw(into, row)?;
                rows.set(into, &mut cells, &[Step::Key(key.clone())], value)?;
                rows.splice(into, row, cells)
            }
            ([row, way @ ..], None) => {
                let mut cells = rows.raw(into, row)?;
                let first = rows.first_of(into, way)?;
                let at = before.map_or(cells.len(), |before| first + before).max(first);
                cells.resize(cells.len().max(first), String::new());
                cells.insert(at.min(cells.len()), sheet.content(value, false)?);
                rows.splice(into, row, cells)
            }
            _ => Err(no_notation("anything but rows of cells")),
        },
        Edit::Remove { at } => match rows.within(at)? {
            [] => Err(no_notation("an empty file")),
            [row] => sheet.remove_row(&FieldPath::default().with(row.clone())),
            [row, way @ ..] => {
                let mut cells = rows.raw(at, row)?;
                let place = rows.place(at, way)?;
                match (way.last(), rows.is_rest(way)) {
                    (Some(Step::Key(_)), true) => cells.truncate(place),
                    (Some(Step::Index(_)), _) if place < cells.len() => drop(cells.remove(place)),
                    _ if place + 1 == cells.len() => drop(cells.pop()),
                    _ => *cells.get_mut(place).ok_or_else(|| EditError::Nothing(at.to_string()))? = String::new(),
                }
                rows.splice(at, row, cells)
            }
        },
        Edit::Rename { at, to } => {
            let node = super::need(document, at, names)?;
            let value = Draft::of(node, names);
            let [row, way @ ..] = rows.within(at)? else { return Err(no_notation("anything but rows of cells")) };
            let mut cells = rows.raw(at, row)?;
            let place = rows.place(at, way)?;
            *cells.get_mut(place).ok_or_else(|| EditError::Nothing(at.to_string()))? = String::new();
            rows.set(at, &mut cells, &[Step::Key(to.clone())], &value)?;
            rows.splice(at, row, cells)
        }
    }
}

/// A text of rows without a header.
pub(super) fn whole(sheet: &Sheet<'_>, value: &Draft) -> Result<String, EditError> {
    let rows = Bare { sheet };
    let Some(all) = rows.of(value) else { return Err(no_notation("anything but rows of cells")) };
    let lines: Result<Vec<String>, EditError> = all.iter().map(|row| Ok(rows.joined(&rows.cells(row)?))).collect();
    Ok(lines?.iter().map(|line| format!("{line}\n")).collect())
}

struct Bare<'s, 'd> {
    sheet: &'s Sheet<'d>,
}

impl Bare<'_, '_> {
    /// The way within the rows: without the field that holds them.
    fn within<'p>(&self, at: &'p FieldPath) -> Result<&'p [Step], EditError> {
        match (&self.sheet.rows.rows, at.steps()) {
            (Some(field), [Step::Key(key), rest @ ..]) if key == field => Ok(rest),
            (None, steps) => Ok(steps),
            (Some(_), [_, ..]) => Err(no_notation("a field beside the rows")),
            (Some(_), []) => Err(no_notation("anything but rows of cells")),
        }
    }

    /// The rows of a whole file.
    fn of<'v>(&self, value: &'v Draft) -> Option<&'v [Draft]> {
        match (value, &self.sheet.rows.rows) {
            (Draft::List(rows), _) => Some(rows),
            (Draft::Table(entries), Some(field)) => match entries.as_slice() {
                [(key, Draft::List(rows))] if key == field => Some(rows),
                _ => None,
            },
            _ => None,
        }
    }

    /// All rows in place of those that are there.
    fn all(&self, to: &Draft) -> Result<Vec<Splice>, EditError> {
        let text = whole(self.sheet, to)?;
        let start = self.sheet.records.get(1).and_then(|record| record.first()).map_or(0, |cell| cell.start);
        let text = text.replace('\n', super::line_break(self.sheet.text));
        Ok(vec![Splice { span: Span::new(start, self.sheet.text.len()), text }])
    }

    fn joined(&self, cells: &[String]) -> String {
        cells.join(&self.sheet.separator)
    }

    /// The cells of a row as they are written.
    fn raw(&self, at: &FieldPath, row: &Step) -> Result<Vec<String>, EditError> {
        let nth = self.sheet.row(row).ok_or_else(|| EditError::Nothing(at.to_string()))?;
        let cells = self.sheet.records.get(nth).into_iter().flatten();
        Ok(cells.map(|cell| self.sheet.text.get(cell.start..cell.end).unwrap_or("").to_owned()).collect())
    }

    fn splice(&self, at: &FieldPath, row: &Step, cells: Vec<String>) -> Result<Vec<Splice>, EditError> {
        let nth = self.sheet.row(row).ok_or_else(|| EditError::Nothing(at.to_string()))?;
        let record = self.sheet.records.get(nth).map_or(&[][..], Vec::as_slice);
        let (Some(first), Some(last)) = (record.first(), record.last()) else {
            return Err(EditError::Nothing(at.to_string()));
        };
        if cells.iter().all(String::is_empty) && cells.len() < 2 {
            return Err(no_notation("a row without any cell"));
        }
        Ok(vec![Splice { span: Span::new(first.start, last.end), text: self.joined(&cells) }])
    }

    /// Whether a way in a row leads to the cells behind the named columns, or into them.
    fn is_rest(&self, way: &[Step]) -> bool {
        matches!(way.first(), Some(Step::Key(key)) if self.sheet.rows.rest().is_some_and(|rest| rest == key))
    }

    /// The number of the first cell of a list in a row.
    fn first_of(&self, at: &FieldPath, way: &[Step]) -> Result<usize, EditError> {
        match way {
            [] if self.sheet.rows.columns.is_empty() => Ok(0),
            [Step::Key(_)] if self.is_rest(way) => self.place(at, way),
            _ => Err(no_notation("a list in a cell")),
        }
    }

    /// The number of a cell.
    fn place(&self, at: &FieldPath, way: &[Step]) -> Result<usize, EditError> {
        let column = |key: &str| self.sheet.header.iter().position(|known| known == key);
        let nothing = || EditError::Nothing(at.to_string());
        match way {
            [Step::Key(key)] => column(key).ok_or_else(|| no_notation(&format!("a column `{key}`"))),
            [Step::Key(key), Step::Index(nth)] if self.is_rest(way) => Ok(column(key).ok_or_else(nothing)? + nth),
            [Step::Index(nth)] if self.sheet.rows.columns.is_empty() => Ok(*nth),
            _ => Err(no_notation("anything in a cell")),
        }
    }

    fn set(&self, at: &FieldPath, cells: &mut Vec<String>, way: &[Step], to: &Draft) -> Result<(), EditError> {
        let place = self.place(at, way)?;
        if let (Draft::List(all), [_], true) = (to, way, self.is_rest(way)) {
            cells.resize(place, String::new());
            for one in all {
                cells.push(self.sheet.content(one, false)?);
            }
            return Ok(());
        }
        let quoted = cells.get(place).is_some_and(|cell| cell.starts_with('"'));
        cells.resize(cells.len().max(place + 1), String::new());
        if let Some(cell) = cells.get_mut(place) {
            *cell = self.sheet.content(to, quoted)?;
        }
        Ok(())
    }

    /// The cells of a new row.
    fn cells(&self, row: &Draft) -> Result<Vec<String>, EditError> {
        let mut cells = Vec::new();
        match row {
            Draft::List(all) if self.sheet.rows.columns.is_empty() => {
                for one in all {
                    cells.push(self.sheet.content(one, false)?);
                }
            }
            Draft::Table(entries) if !self.sheet.rows.columns.is_empty() => {
                for (key, value) in entries {
                    self.set(&FieldPath::key(key), &mut cells, &[Step::Key(key.clone())], value)?;
                }
            }
            _ => return Err(no_notation("anything but rows of cells")),
        }
        Ok(cells)
    }
}
