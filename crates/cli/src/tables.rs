//! Tables that go out to a spreadsheet and come back: CSV, TSV and workbooks, told apart by the file's ending.

use std::io::Write;
use std::path::Path;

use anyhow::{Context as _, anyhow};
use calamine::Reader;
use cognomen_core::nearest;

use crate::commands::Failure;
use crate::output::visible;

/// A cell.
#[derive(Clone, PartialEq, Debug)]
pub(crate) enum Cell {
    Empty,
    Text(String),
    /// A number as it is written.
    Number(String),
}

impl Cell {
    /// As it reads in a text.
    pub(crate) fn text(&self) -> &str {
        match self {
            Cell::Empty => "",
            Cell::Text(text) | Cell::Number(text) => text,
        }
    }
}

/// A column.
#[derive(Clone, Debug, Default)]
pub(crate) struct Column {
    pub(crate) name: String,
    /// What a workbook says of it beside its head.
    pub(crate) about: String,
    /// What may be chosen in a workbook.
    pub(crate) choices: Vec<String>,
    /// Not to be changed: shown faint in a workbook.
    pub(crate) fixed: bool,
}

/// A table that is written.
#[derive(Clone, Debug, Default)]
pub(crate) struct Sheet {
    pub(crate) name: String,
    pub(crate) columns: Vec<Column>,
    pub(crate) rows: Vec<Vec<Cell>>,
}

/// A table that was read, all cells as texts.
#[derive(Clone, Debug, Default)]
pub(crate) struct ReadSheet {
    pub(crate) columns: Vec<String>,
    pub(crate) rows: Vec<Vec<String>>,
}

impl ReadSheet {
    /// The column of a name.
    pub(crate) fn column(&self, name: &str) -> Option<usize> {
        self.columns.iter().position(|column| column == name)
    }

    /// The column that is nearest to a name that none has, if one is.
    pub(crate) fn nearest(&self, name: &str) -> Option<String> {
        nearest(name, self.columns.iter().map(String::as_str)).map(|near| format!("the nearest is `{}`", visible(near)))
    }
}

/// Why a file cannot be read or written, without the system's numbers.
pub(crate) fn why(error: &std::io::Error) -> String {
    match error.kind() {
        std::io::ErrorKind::NotFound => "there is no such file".to_owned(),
        std::io::ErrorKind::PermissionDenied => "the system does not allow it".to_owned(),
        std::io::ErrorKind::IsADirectory => "that is a folder".to_owned(),
        other => other.to_string(),
    }
}

/// The ending of a file's name, in small letters.
pub(crate) fn ending(path: &Path) -> String {
    path.extension().map(|ending| ending.to_string_lossy().to_lowercase()).unwrap_or_default()
}

/// A table as the bytes of a file.
///
/// # Errors
/// The ending is none of a table's, or a workbook cannot hold it.
pub(crate) fn bytes_of(sheet: &Sheet, path: &Path) -> Result<Vec<u8>, Failure> {
    match ending(path).as_str() {
        "csv" => separated(sheet, b','),
        "tsv" => separated(sheet, b'\t'),
        "xlsx" => Ok(workbook(sheet).context("the workbook cannot be made")?),
        _ => Err(Failure::Usage(format!(
            "`{}`: a table is written as .csv, .tsv or .xlsx",
            visible(&path.display().to_string())
        ))),
    }
}

fn separated(sheet: &Sheet, separator: u8) -> Result<Vec<u8>, Failure> {
    let mut writer = csv::WriterBuilder::new().delimiter(separator).from_writer(Vec::new());
    let said = |error: csv::Error| anyhow!("the table cannot be written: {error}");
    writer.write_record(sheet.columns.iter().map(|column| column.name.as_str())).map_err(said)?;
    for row in &sheet.rows {
        writer.write_record(row.iter().map(Cell::text)).map_err(said)?;
    }
    Ok(writer.into_inner().map_err(|error| anyhow!("the table cannot be written: {error}"))?)
}

/// So many letters fit into the list of a validation (the format's bound is 255 with the commas).
const LISTED: usize = 255;

fn workbook(sheet: &Sheet) -> Result<Vec<u8>, rust_xlsxwriter::XlsxError> {
    use rust_xlsxwriter::utility::column_number_to_name;
    use rust_xlsxwriter::{DataValidation, DocProperties, ExcelDateTime, Format, Note, Workbook};
    let mut book = Workbook::new();
    // the same table is the same bytes, whenever it is written
    book.set_properties(&DocProperties::new().set_creation_datetime(&ExcelDateTime::from_ymd(2000, 1, 1)?));
    let (head, faint) = (Format::new().set_bold(), Format::new().set_font_color("#666666"));
    let lists = sheet.columns.iter().any(|column| column.choices.join(",").chars().count() > LISTED);
    let page = book.add_worksheet();
    page.set_name(&sheet.name)?;
    page.set_freeze_panes(1, 1)?;
    let last = u32::try_from(sheet.rows.len()).unwrap_or(u32::MAX).max(1);
    for (nth, column) in (0u16..).zip(&sheet.columns) {
        page.write_string_with_format(0, nth, &column.name, &head)?;
        let widest = sheet.rows.iter().filter_map(|row| row.get(usize::from(nth))).map(|cell| cell.text().len());
        let width = widest.chain([column.name.len()]).max().unwrap_or(8).clamp(8, 48);
        page.set_column_width(nth, width as f64 + 2.0)?;
        if !column.about.is_empty() {
            page.insert_note(0, nth, &Note::new(&column.about).set_author("Cognomen"))?;
        }
        if column.choices.is_empty() {
            continue;
        }
        let choices = DataValidation::new();
        let choices = match column.choices.join(",").chars().count() > LISTED {
            true => choices.allow_list_formula(
                format!("=choices!${0}$1:${0}${1}", column_number_to_name(nth), column.choices.len()).as_str().into(),
            ),
            false => choices.allow_list_strings(&column.choices)?,
        };
        // what is chosen may also be packed with others: a warning, no refusal
        let choices = choices.set_error_style(rust_xlsxwriter::DataValidationErrorStyle::Warning);
        page.add_data_validation(1, nth, last, nth, &choices)?;
    }
    for (at, row) in (1u32..).zip(&sheet.rows) {
        for (nth, cell) in (0u16..).zip(row) {
            let fixed = sheet.columns.get(usize::from(nth)).is_some_and(|column| column.fixed);
            match cell {
                Cell::Empty => {}
                // a number keeps its digits only where a workbook's own numbers can hold them
                Cell::Number(word) => match word.parse::<f64>() {
                    Ok(number) if number.to_string() == *word => {
                        page.write_number(at, nth, number)?;
                    }
                    _ => {
                        page.write_string(at, nth, word)?;
                    }
                },
                Cell::Text(text) if fixed => {
                    page.write_string_with_format(at, nth, text, &faint)?;
                }
                Cell::Text(text) => {
                    page.write_string(at, nth, text)?;
                }
            }
        }
    }
    if lists {
        let page = book.add_worksheet();
        page.set_name("choices")?;
        page.set_hidden(true);
        for (nth, column) in (0u16..).zip(&sheet.columns) {
            for (at, word) in (0u32..).zip(&column.choices) {
                page.write_string(at, nth, word)?;
            }
        }
    }
    book.save_to_buffer()
}

/// Reads a table back.
///
/// # Errors
/// It cannot be read, or has no first row with the columns' names.
pub(crate) fn read(path: &Path) -> Result<ReadSheet, Failure> {
    let shown = visible(&path.display().to_string());
    let bytes = std::fs::read(path).map_err(|error| anyhow!("cannot read {shown}: {}", why(&error)))?;
    let mut rows = match ending(path).as_str() {
        "csv" | "tsv" | "txt" => rows_of_text(&bytes, &shown)?,
        "xlsx" => rows_of_workbook(bytes, &shown)?,
        _ => return Err(Failure::Usage(format!("`{shown}`: a table is read from .csv, .tsv or .xlsx"))),
    };
    rows.retain(|row| row.iter().any(|cell| !cell.trim().is_empty()));
    if rows.is_empty() {
        return Err(anyhow!("{shown} is empty: the first row names the columns").into());
    }
    let columns: Vec<String> = rows.remove(0).into_iter().map(|name| name.trim().to_owned()).collect();
    let twice = columns
        .iter()
        .enumerate()
        .find(|(at, name)| !name.is_empty() && columns.get(..*at).is_some_and(|before| before.contains(name)));
    if let Some((_, name)) = twice {
        return Err(anyhow!("{shown} has two columns `{}`", visible(name)).into());
    }
    Ok(ReadSheet { columns, rows })
}

fn rows_of_text(bytes: &[u8], shown: &str) -> Result<Vec<Vec<String>>, Failure> {
    let text = std::str::from_utf8(bytes).map_err(|error| {
        anyhow!("{shown} is not UTF-8 at byte {}\n  help: save it as `CSV UTF-8`", error.valid_up_to())
    })?;
    let text = text.trim_start_matches('\u{feff}');
    // spreadsheets separate by what their country uses
    let head = text.lines().next().unwrap_or("");
    let separator =
        [b',', b';', b'\t'].into_iter().max_by_key(|mark| (head.bytes().filter(|b| b == mark).count(), *mark == b','));
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(separator.unwrap_or(b','))
        .from_reader(text.as_bytes());
    let row = |row: csv::Result<csv::StringRecord>| match row {
        Ok(row) => Ok(row.iter().map(str::to_owned).collect()),
        Err(error) => Err(anyhow!("{shown}: {error}").into()),
    };
    reader.records().map(row).collect()
}

fn rows_of_workbook(bytes: Vec<u8>, shown: &str) -> Result<Vec<Vec<String>>, Failure> {
    let said = |error: calamine::XlsxError| anyhow!("{shown} cannot be read: {error}");
    let mut book: calamine::Xlsx<_> = calamine::Xlsx::new(std::io::Cursor::new(bytes)).map_err(said)?;
    let first = book.sheet_names().into_iter().next().ok_or_else(|| anyhow!("{shown} has no sheet"))?;
    let range = book.worksheet_range(&first).map_err(said)?;
    let cell = |cell: &calamine::Data| match cell {
        calamine::Data::Bool(value) => value.to_string(),
        calamine::Data::Empty => String::new(),
        other => other.to_string(),
    };
    Ok(range.rows().map(|row| row.iter().map(cell).collect()).collect())
}

/// Writes a file where a person asked for it, all of it or nothing; never into the base game, never over another file
/// unless that was said. What was typed is seen from the folder.
///
/// # Errors
/// The place is not to be written to, or the system refuses.
pub(crate) fn put(
    (folder, typed): (&Path, &Path),
    bytes: &[u8],
    replace: bool,
    never: &[std::path::PathBuf],
) -> Result<(), Failure> {
    let (path, shown) = (&folder.join(typed), visible(&typed.to_string_lossy().replace('\\', "/")));
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let real = folder.canonicalize().map_err(|error| anyhow!("there is no folder for {shown}: {}", why(&error)))?;
    let inside = |base: &std::path::PathBuf| base.canonicalize().is_ok_and(|base| real.starts_with(base));
    if never.iter().any(inside) {
        return Err(anyhow!("{shown} lies in the base game, which is never written to").into());
    }
    if path.exists() && !replace {
        return Err(anyhow!("{shown} is there already\n  help: `--replace` writes over it").into());
    }
    let mut file = tempfile::NamedTempFile::new_in(&real).with_context(|| format!("{shown} cannot be written"))?;
    file.write_all(bytes).with_context(|| format!("{shown} cannot be written"))?;
    file.persist(path).map_err(|error| anyhow!("{shown} cannot be written: {}", why(&error.error)))?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tables_come_back_as_they_went() {
        let folder = tempfile::tempdir().unwrap();
        let text = |text: &str| Cell::Text(text.to_owned());
        let number = |word: &str| Cell::Number(word.to_owned());
        let long: Vec<String> = (0..90).map(|at| format!("word-{at}")).collect();
        let sheet = Sheet {
            name: "item".to_owned(),
            columns: ["id", "value", "tags", "sort"]
                .map(|name| Column {
                    name: name.to_owned(),
                    choices: if name == "sort" { long.clone() } else { Vec::new() },
                    ..Column::default()
                })
                .to_vec(),
            rows: vec![
                vec![text("eel"), number("12"), text("a; b, \"c\""), text("word-3")],
                vec![text("007"), number("1.50"), Cell::Empty, text("two\nlines")],
                vec![text("true"), number("12345678901234567890"), text(" edge "), Cell::Empty],
            ],
        };
        for ending in ["csv", "tsv", "xlsx"] {
            let path = folder.path().join(format!("t.{ending}"));
            let bytes = bytes_of(&sheet, &path).unwrap();
            assert_eq!(bytes, bytes_of(&sheet, &path).unwrap(), "{ending}: not the same bytes twice");
            put((folder.path(), &path), &bytes, false, &[]).unwrap();
            let back = read(&path).unwrap();
            assert_eq!(back.columns, ["id", "value", "tags", "sort"], "{ending}");
            for (row, read) in sheet.rows.iter().zip(&back.rows) {
                let row: Vec<&str> = row.iter().map(Cell::text).collect();
                assert_eq!(row, *read, "{ending}");
            }
            assert!(put((folder.path(), &path), b"", false, &[]).is_err());
            assert!(put((folder.path(), &path), b"", true, &[folder.path().to_owned()]).is_err());
        }
        let letters = rust_xlsxwriter::utility::column_number_to_name;
        assert_eq!([0, 25, 26, 701, 702].map(letters), ["A", "Z", "AA", "ZZ", "AAA"].map(str::to_owned));
    }

    #[test]
    fn what_a_spreadsheet_of_another_country_writes_is_read() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("t.csv");
        std::fs::write(&path, "\u{feff}id;value\r\neel;1,5\r\n;\r\n").unwrap();
        let back = read(&path).unwrap();
        assert_eq!(
            (back.columns, back.rows),
            (vec!["id".into(), "value".into()], vec![vec!["eel".into(), "1,5".into()]])
        );
    }
}
