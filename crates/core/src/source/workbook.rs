//! Workbooks (Office Open XML, ECMA-376) read as folders of sheets: `tables/goods.xlsx/Prices` is the sheet
//! `Prices` as rows of cells, a line per row, so that what is said of tables holds for it, too.
//!
//! A cell with a text that looks like a number stands in quotes, a number does not. Of a formula its last
//! value is read. Workbooks of foreign make may claim anything, so what they unpack to is bounded.

use std::fmt::Write;
use std::io::{Cursor, Read};
use std::sync::Arc;

use calamine::{DataRef, Reader, SheetType, Xlsx};
use quick_xml::events::Event;

use super::SIZE_LIMIT;
use super::archive::unpacked_limit;
use super::cells::is_typed;

mod patch;

pub(crate) use patch::new_workbook;
pub(super) use patch::{Formulas, Refused, SheetEdit, patched};

/// The sheets of one workbook, each as a text.
#[derive(Debug)]
pub(super) struct Workbook {
    pub(super) sheets: Vec<(String, Arc<str>)>,
}

/// Whether a path's last part names a workbook. Lock files that spreadsheet programs leave beside one do not.
pub(crate) fn is_workbook(path: &str) -> bool {
    let name = path.rsplit_once('/').map_or(path, |(_, name)| name);
    let ending = name.rsplit_once('.').map_or("", |(_, ending)| ending);
    !name.starts_with("~$") && ["xlsx", "xlsm"].iter().any(|known| ending.eq_ignore_ascii_case(known))
}

/// The workbook and the sheet that a path names.
pub fn sheet_in(path: &str) -> Option<(&str, &str)> {
    path.rsplit_once('/').filter(|(book, _)| is_workbook(book))
}

/// Reads all sheets of a workbook.
///
/// # Errors
/// What is wrong with it, in words.
pub(super) fn read(bytes: &[u8]) -> Result<Workbook, String> {
    bounded(bytes)?;
    let said = |error: calamine::XlsxError| format!("it is no workbook that can be read: {error}");
    let mut book = Xlsx::new(Cursor::new(bytes)).map_err(said)?;
    let names: Vec<String> = book
        .sheets_metadata()
        .iter()
        .filter(|sheet| sheet.typ == SheetType::WorkSheet)
        .map(|sheet| sheet.name.clone())
        .collect();
    let mut sheets = Vec::with_capacity(names.len());
    for name in names {
        if name.contains(['/', '\\']) || name == ".." {
            return Err(format!("a sheet cannot be named `{name}`"));
        }
        let mut cells = Vec::new();
        let mut reader = book.worksheet_cells_reader(&name).map_err(said)?;
        while let Some(cell) = reader.next_cell().map_err(said)? {
            let (row, column) = cell.get_position();
            if let Some(text) = written(cell.get_value()) {
                cells.push((row, column, text));
            }
        }
        cells.sort_by_key(|(row, column, _)| (*row, *column));
        cells.dedup_by_key(|(row, column, _)| (*row, *column));
        sheets.push((name, as_text(&cells)?.into()));
    }
    Ok(Workbook { sheets })
}

/// Whether a workbook's sheets have these texts, and there is no other.
pub(super) fn holds_just(bytes: &[u8], sheets: &[(&str, &str)]) -> Result<bool, String> {
    let known = read(bytes)?.sheets;
    let same =
        |(name, text): &(String, Arc<str>)| sheets.iter().any(|(other, wanted)| name == other && **text == **wanted);
    Ok(known.len() == sheets.len() && known.iter().all(same))
}

/// A workbook with the texts of some of its sheets, each a path with the text before and after. Formulas in
/// cells that change are replaced.
///
/// # Errors
/// Why it cannot be, in words.
pub fn changed_workbook(bytes: &[u8], sheets: &[(&str, &str, &str)]) -> Result<Vec<u8>, String> {
    let edits: Vec<_> = sheets.iter().map(|(path, before, after)| SheetEdit { path, before, after }).collect();
    match patched(bytes, &edits, Formulas::Replace) {
        Ok(made) => Ok(made),
        Err(Refused::Because(reason) | Refused::Formula(reason)) => Err(reason),
    }
}

/// Refuses a workbook whose parts unpack to more than a file may hold.
fn bounded(bytes: &[u8]) -> Result<(), String> {
    let mut zip = zip::ZipArchive::new(Cursor::new(bytes)).map_err(|error| format!("it is no workbook: {error}"))?;
    let limit = unpacked_limit(bytes.len()).min(SIZE_LIMIT as u64);
    let mut left = limit;
    for at in 0..zip.len() {
        let Ok(part) = zip.by_index(at) else { continue };
        if !part.name().is_ok_and(|name| name.ends_with(".xml") || name.ends_with(".rels")) {
            continue;
        }
        // what a part says of its own length may be wrong
        let is_sheet = part.name().is_ok_and(|name| name.contains("worksheets/"));
        let mut content = Vec::new();
        let mut part = part.take(left + 1);
        let length = match is_sheet {
            true => part.read_to_end(&mut content).map(|length| length as u64),
            false => std::io::copy(&mut part, &mut std::io::sink()),
        };
        let length = length.map_err(|error| error.to_string())?;
        left = left.checked_sub(length).ok_or(format!("it unpacks to more than {} MiB", limit >> 20))?;
        references(&content).map_err(|reason| format!("it is no workbook that can be read: {reason}"))?;
    }
    Ok(())
}

/// Refuses references to cells and ranges in a sheet's part that no sheet can have: the reader calculates with
/// them unchecked.
fn references(sheet: &[u8]) -> Result<(), String> {
    let cell = |word: &str| {
        let digits = word.trim_start_matches(|c: char| c.is_ascii_alphabetic());
        let letters = word.len() - digits.len();
        if letters > 3 {
            return None;
        }
        // a range of whole columns has no rows
        let row = if digits.is_empty() { Some(0) } else { digits.parse::<u32>().ok().filter(|row| *row > 0) };
        let row = row.filter(|row| *row < 10_000_000)?;
        let column = word.bytes().take(letters).fold(0, |sum, b| sum * 32 + u32::from(b.to_ascii_lowercase() & 31));
        Some((row, column))
    };
    let known = |word: &str| match word.split_once(':') {
        Some((from, to)) => matches!((cell(from), cell(to)), (Some(a), Some(b)) if a.0 <= b.0 && a.1 <= b.1),
        None => cell(word).is_some(),
    };
    let mut events = quick_xml::Reader::from_reader(sheet);
    // as forgiving as the reader of the cells
    events.config_mut().check_end_names = false;
    events.config_mut().allow_unmatched_ends = true;
    let mut buffer = Vec::new();
    loop {
        buffer.clear();
        match events.read_event_into(&mut buffer) {
            Ok(Event::Start(tag) | Event::Empty(tag)) => {
                for attribute in tag.attributes() {
                    let attribute = attribute.map_err(|error| format!("a sheet of it is broken: {error}"))?;
                    let word: &str = attribute.value.as_ref();
                    if matches!(attribute.key.as_ref(), "r" | "ref") && !word.split(' ').all(known) {
                        return Err(format!("there is no cell `{}`", word.chars().take(40).collect::<String>()));
                    }
                }
            }
            Ok(Event::Eof) => return Ok(()),
            Err(error) => return Err(format!("a sheet of it is broken: {error}")),
            Ok(_) => {}
        }
    }
}

/// A cell's notation in the sheet's text; none for an empty cell.
fn written(value: &DataRef<'_>) -> Option<String> {
    Some(match value {
        DataRef::Empty => return None,
        DataRef::Int(number) => number.to_string(),
        DataRef::Float(number) => number.to_string(),
        DataRef::Bool(value) => value.to_string(),
        DataRef::DateTime(date) => {
            let (year, month, day, hour, minute, second, _) = date.to_ymd_hms_milli();
            match (hour, minute, second) {
                (0, 0, 0) => format!("{year:04}-{month:02}-{day:02}"),
                _ => format!("{year:04}-{month:02}-{day:02}T{hour:02}:{minute:02}:{second:02}"),
            }
        }
        DataRef::DateTimeIso(text) | DataRef::DurationIso(text) => text.clone(),
        DataRef::Error(error) => error.to_string(),
        DataRef::String(text) => text_cell(text),
        DataRef::SharedString(text) => text_cell(text),
    })
}

/// A text's notation: in quotes where it would be read as something else without them.
fn text_cell(text: &str) -> String {
    let needed = text.is_empty() || text.contains(['"', ',', '\n', '\r']) || is_typed(text);
    if needed { format!("\"{}\"", text.replace('"', "\"\"")) } else { text.to_owned() }
}

fn as_text(cells: &[(u32, u32, String)]) -> Result<String, String> {
    let mut text = String::new();
    let (mut row, mut column) = (0, 0);
    for (at, place, content) in cells {
        if row < *at {
            text.extend(std::iter::repeat_n('\n', (at - row) as usize));
            (row, column) = (*at, 0);
        }
        let commas = (place - column) as usize;
        if text.len() + commas + content.len() > SIZE_LIMIT {
            return Err(format!("a sheet of it is larger than {} MiB", SIZE_LIMIT >> 20));
        }
        text.extend(std::iter::repeat_n(',', commas));
        let _ = write!(text, "{content}");
        column = *place;
    }
    text.push('\n');
    Ok(text)
}
