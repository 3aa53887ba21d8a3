//! Changes of cells in a workbook: the sheet's part is spliced, every other part stays byte for byte.
//!
//! Texts are written as inline strings, so that the table of shared strings stays as it is. A cell with a
//! formula is replaced only when told; then the order of calculation (`calcChain`), which would name a formula
//! that is gone, is taken out, and spreadsheet programs make it anew.

use std::collections::BTreeMap;
use std::io::{Cursor, Read, Write};
use std::ops::Range;

use quick_xml::Reader as Events;
use quick_xml::events::{BytesStart, Event};
use zip::write::{SimpleFileOptions, ZipWriter};
use zip::{CompressionMethod, ZipArchive};

use super::super::cells::{SheetCell, cell_name, named_cell, sheet_cells};

/// The text of one sheet before and after.
pub(in crate::source) struct SheetEdit<'e> {
    /// Workbook and sheet.
    pub(in crate::source) path: &'e str,
    pub(in crate::source) before: &'e str,
    pub(in crate::source) after: &'e str,
}

impl SheetEdit<'_> {
    fn sheet(&self) -> &str {
        super::sheet_in(self.path).map_or("", |(_, sheet)| sheet)
    }
}

/// What happens to formulas whose cells change.
#[derive(Clone, Copy)]
pub(in crate::source) enum Formulas {
    /// They stay, and the change is refused.
    Keep,
    /// The new value takes their place.
    Replace,
}

/// Why a workbook stays as it is.
pub(in crate::source) enum Refused {
    /// The cell holds a formula, and nobody said that it may go.
    Formula(String),
    /// In words.
    Because(String),
}

impl From<String> for Refused {
    fn from(reason: String) -> Refused {
        Refused::Because(reason)
    }
}

type Zip<'b> = ZipArchive<Cursor<&'b [u8]>>;

/// Makes a workbook's sheets read as wanted.
///
/// # Errors
/// Why it cannot be, with the cell, in words. A sheet that would not read as wanted is an error, too.
pub(in crate::source) fn patched(
    bytes: &[u8],
    edits: &[SheetEdit<'_>],
    formulas: Formulas,
) -> Result<Vec<u8>, Refused> {
    let known = super::read(bytes)?;
    let mut zip = Zip::new(Cursor::new(bytes)).map_err(|error| error.to_string())?;
    let parts = sheet_parts(&mut zip)?;
    let mut new: BTreeMap<String, Option<String>> = BTreeMap::new();
    let mut replaced = false;
    for edit in edits {
        let sheet = edit.sheet();
        let now = known.sheets.iter().find(|(name, _)| name == sheet);
        let (_, now) = now.ok_or_else(|| format!("it has no sheet `{sheet}`; add one in a spreadsheet first"))?;
        if **now != *edit.before {
            return Err("it was changed meanwhile".to_owned().into());
        }
        let part = parts.get(sheet).ok_or_else(|| format!("the part of the sheet `{sheet}` is missing"))?;
        let xml = part_text(&mut zip, part)?;
        let (text, gone) = spliced(&xml, edit, formulas)?;
        replaced |= gone;
        new.insert(part.clone(), Some(text));
    }
    if replaced {
        forget_calculation(&mut zip, &mut new)?;
    }
    let bytes = rezipped(&mut zip, &new).map_err(|error| format!("it cannot be packed again: {error}"))?;
    let again = super::read(&bytes)?;
    for (name, text) in &known.sheets {
        let wanted = edits.iter().find(|edit| edit.sheet() == name).map_or(&**text, |edit| edit.after);
        let found = again.sheets.iter().find(|(other, _)| other == name).map_or("", |(_, text)| &**text);
        if let Some(cell) = first_difference(wanted, found) {
            return Err(format!("{cell} of the sheet `{name}` would not read as wanted").into());
        }
    }
    Ok(bytes)
}

/// The first cell that two texts of a sheet differ in. How a number is spelled and whether a text needs
/// its quotes does not count.
fn first_difference(wanted: &str, found: &str) -> Option<String> {
    let filled = |cell: &SheetCell<'_>| !cell.raw.is_empty();
    let (mut wanted, mut found) = (sheet_cells(wanted).filter(filled), sheet_cells(found).filter(filled));
    loop {
        let (a, b) = match (wanted.next(), found.next()) {
            (None, None) => return None,
            (Some(a), Some(b)) => (a, b),
            (a, b) => return a.or(b).map(|cell| cell_name(cell.row, cell.column)),
        };
        let number = |cell: &SheetCell<'_>| cell.text().parse::<f64>().ok();
        let same = a.text() == b.text() || (number(&a).is_some() && number(&a) == number(&b));
        if (a.row, a.column) != (b.row, b.column) || !same {
            return Some(cell_name(a.row, a.column));
        }
    }
}

fn part_text(zip: &mut Zip<'_>, part: &str) -> Result<String, String> {
    let mut text = String::new();
    let mut file = zip.by_name(part).map_err(|_| format!("its part `{part}` is missing"))?;
    file.read_to_string(&mut text).map_err(|_| format!("its part `{part}` is not in UTF-8"))?;
    Ok(text)
}

fn attribute(tag: &BytesStart<'_>, name: &str) -> Option<String> {
    let found = tag.attributes().flatten().find(|a| a.key.local_name().as_ref() == name)?;
    let raw: &str = found.value.as_ref();
    quick_xml::escape::unescape(raw).ok().map(std::borrow::Cow::into_owned)
}

/// All tags of one local name, with the bytes that they take.
fn tags(xml: &str, name: &str, mut each: impl FnMut(&BytesStart<'_>, Range<usize>)) {
    let mut events = Events::from_str(xml);
    loop {
        let start = usize::try_from(events.buffer_position()).unwrap_or(0);
        match events.read_event() {
            Ok(Event::Start(tag) | Event::Empty(tag)) if tag.local_name().as_ref() == name => {
                each(&tag, start..usize::try_from(events.buffer_position()).unwrap_or(0));
            }
            Ok(Event::Eof) | Err(_) => return,
            Ok(_) => {}
        }
    }
}

/// The workbook's main part, as the package's relations say (ECMA-376, part 2).
fn main_part(zip: &mut Zip<'_>) -> String {
    let mut found = "xl/workbook.xml".to_owned();
    if let Ok(relations) = part_text(zip, "_rels/.rels") {
        tags(&relations, "Relationship", |tag, _| {
            if attribute(tag, "Type").is_some_and(|kind| kind.ends_with("/officeDocument"))
                && let Some(target) = attribute(tag, "Target")
            {
                target.trim_start_matches('/').clone_into(&mut found);
            }
        });
    }
    found
}

/// The name of the relations of a part.
fn relations_of(part: &str) -> String {
    let (folder, name) = part.rsplit_once('/').unwrap_or(("", part));
    format!("{folder}/_rels/{name}.rels").trim_start_matches('/').to_owned()
}

/// The part of each sheet by the sheet's name.
fn sheet_parts(zip: &mut Zip<'_>) -> Result<BTreeMap<String, String>, String> {
    let main = main_part(zip);
    let book = part_text(zip, &main)?;
    let relations = part_text(zip, &relations_of(&main))?;
    let folder = main.rsplit_once('/').map_or("", |(folder, _)| folder);
    let mut targets = BTreeMap::new();
    tags(&relations, "Relationship", |tag, _| {
        if let (Some(id), Some(target)) = (attribute(tag, "Id"), attribute(tag, "Target")) {
            let full = match target.strip_prefix('/') {
                Some(from_top) => from_top.to_owned(),
                None => format!("{folder}/{target}"),
            };
            targets.insert(id, full);
        }
    });
    let mut parts = BTreeMap::new();
    tags(&book, "sheet", |tag, _| {
        let id = tag.attributes().flatten().find(|a| a.key.as_ref().ends_with(":id"));
        let id = id.map(|id| id.value.to_string());
        if let (Some(name), Some(part)) = (attribute(tag, "name"), id.and_then(|id| targets.get(&id))) {
            parts.insert(name, part.clone());
        }
    });
    Ok(parts)
}

/// Takes out the order of calculation, with what names it.
fn forget_calculation(zip: &mut Zip<'_>, new: &mut BTreeMap<String, Option<String>>) -> Result<(), String> {
    let main = main_part(zip);
    let mut names = zip.file_names().flatten();
    let Some(chain) = names.find(|name| name.ends_with("/calcChain.xml")).map(|name| name.into_owned()) else {
        return Ok(());
    };
    drop(names);
    for (part, tag, key) in
        [("[Content_Types].xml".to_owned(), "Override", "PartName"), (relations_of(&main), "Relationship", "Target")]
    {
        let mut text = part_text(zip, &part)?;
        let mut gone = None;
        tags(&text, tag, |tag, span| {
            if attribute(tag, key).is_some_and(|name| name.ends_with("calcChain.xml")) {
                gone = Some(span);
            }
        });
        if let Some(span) = gone {
            text.replace_range(span, "");
            new.insert(part, Some(text));
        }
    }
    new.insert(chain, None);
    Ok(())
}

/// The archive with some parts as given, or gone.
fn rezipped(zip: &mut Zip<'_>, new: &BTreeMap<String, Option<String>>) -> Result<Vec<u8>, zip::result::ZipError> {
    let mut out = ZipWriter::new(Cursor::new(Vec::new()));
    for at in 0..zip.len() {
        let part = zip.by_index_raw(at)?;
        let name = part.name()?.to_string();
        match new.get(&name) {
            None => out.raw_copy_file(part)?,
            Some(None) => {}
            Some(Some(text)) => {
                let mut options = SimpleFileOptions::default().compression_method(CompressionMethod::Deflated);
                if let Some(time) = part.last_modified() {
                    options = options.last_modified_time(time);
                }
                out.start_file(name, options)?;
                out.write_all(text.as_bytes())?;
            }
        }
    }
    Ok(out.finish()?.into_inner())
}

/// One `c` element.
struct Cell {
    column: usize,
    span: Range<usize>,
    /// Its style, as the attribute's value.
    style: Option<String>,
    /// What its value is, as the attribute `t` says.
    shape: String,
    /// Of a formula, whether it stands for other cells, too.
    formula: Option<bool>,
}

/// One `row` element.
struct Row {
    number: usize,
    /// Where it begins.
    start: usize,
    /// Where its cells end; of an element that closes itself, where its `/>` begins.
    end: usize,
    closes_itself: bool,
    cells: Vec<Cell>,
}

/// The rows of a sheet's part.
struct Grid {
    rows: Vec<Row>,
    /// Where further rows go, and whether `sheetData` closes itself there.
    end: (usize, bool),
    /// What stands before the names of elements (`x:`).
    prefix: String,
}

fn grid(xml: &str) -> Result<Grid, String> {
    let mut events = Events::from_str(xml);
    let mut rows: Vec<Row> = Vec::new();
    let (mut end, mut prefix) = (None, String::new());
    let mut next_row = 0;
    loop {
        let start = usize::try_from(events.buffer_position()).unwrap_or(0);
        let event = events.read_event().map_err(|error| format!("the sheet is no XML: {error}"))?;
        let after = usize::try_from(events.buffer_position()).unwrap_or(0);
        match event {
            Event::Eof => break,
            Event::Start(ref tag) | Event::Empty(ref tag) if tag.local_name().as_ref() == "sheetData" => {
                let name = tag.name();
                name.as_ref().strip_suffix("sheetData").unwrap_or("").clone_into(&mut prefix);
                if matches!(event, Event::Empty(_)) {
                    end = Some((after - 2, true));
                }
            }
            Event::End(tag) if tag.local_name().as_ref() == "sheetData" => end = Some((start, false)),
            Event::Start(ref tag) | Event::Empty(ref tag) if tag.local_name().as_ref() == "row" => {
                let number = attribute(tag, "r").and_then(|r| r.parse::<usize>().ok()).and_then(|r| r.checked_sub(1));
                let number = number.unwrap_or(next_row);
                let closes_itself = matches!(event, Event::Empty(_));
                next_row = number + 1;
                let end = if closes_itself { after - 2 } else { after };
                rows.push(Row { number, start, end, closes_itself, cells: Vec::new() });
            }
            Event::End(tag) if tag.local_name().as_ref() == "row" => {
                if let Some(row) = rows.last_mut() {
                    row.end = start;
                }
            }
            Event::Start(ref tag) | Event::Empty(ref tag) if tag.local_name().as_ref() == "c" => {
                let Some(row) = rows.last_mut() else { continue };
                let named = attribute(tag, "r").and_then(|name| named_cell(&name));
                let next = row.cells.last().map_or(0, |cell| cell.column + 1);
                let column = named.map_or(next, |(_, column)| column);
                let shape = attribute(tag, "t").unwrap_or_default();
                let style = attribute(tag, "s");
                row.cells.push(Cell { column, span: start..after, style, shape, formula: None });
            }
            Event::End(tag) if tag.local_name().as_ref() == "c" => {
                if let Some(cell) = rows.last_mut().and_then(|row| row.cells.last_mut()) {
                    cell.span.end = after;
                }
            }
            Event::Start(ref tag) | Event::Empty(ref tag) if tag.local_name().as_ref() == "f" => {
                let for_others = attribute(tag, "ref").is_some_and(|range| range.contains(':'));
                if let Some(cell) = rows.last_mut().and_then(|row| row.cells.last_mut()) {
                    cell.formula = Some(for_others);
                }
            }
            _ => {}
        }
    }
    let end = end.ok_or("the sheet has no cells' part")?;
    Ok(Grid { rows, end, prefix })
}

/// The cells that differ, by row and column, each before and after.
fn changed<'e>(edit: &SheetEdit<'e>) -> BTreeMap<(usize, usize), (SheetCell<'e>, SheetCell<'e>)> {
    let mut out: BTreeMap<(usize, usize), (SheetCell<'e>, SheetCell<'e>)> = BTreeMap::new();
    for cell in sheet_cells(edit.before) {
        out.entry((cell.row, cell.column)).or_default().0 = cell;
    }
    for cell in sheet_cells(edit.after) {
        out.entry((cell.row, cell.column)).or_default().1 = cell;
    }
    out.retain(|_, (before, after)| before.raw != after.raw);
    out
}

fn spliced(xml: &str, edit: &SheetEdit<'_>, formulas: Formulas) -> Result<(String, bool), Refused> {
    let grid = grid(xml)?;
    let mut splices: Vec<(Range<usize>, String)> = Vec::new();
    // whether a formula goes
    let mut replaced = false;
    let mut rows: BTreeMap<usize, Vec<(usize, SheetCell<'_>, SheetCell<'_>)>> = BTreeMap::new();
    for ((row, column), (before, after)) in changed(edit) {
        rows.entry(row).or_default().push((column, before, after));
    }
    let p = &grid.prefix;
    for (number, cells) in rows {
        let at = grid.rows.partition_point(|row| row.number < number);
        let known = grid.rows.get(at).filter(|row| row.number == number);
        // a new cell looks like the one above, if that is no title
        let above = grid.rows.get(..at).unwrap_or_default().last().filter(|_| at > 1);
        let mut added = String::new();
        let mut added_before: BTreeMap<usize, String> = BTreeMap::new();
        for (column, before, after) in cells {
            let name = cell_name(number, column);
            let old = known.and_then(|row| row.cells.iter().find(|cell| cell.column == column));
            let style = match old {
                Some(cell) => cell.style.as_deref(),
                None => above.and_then(|row| row.cells.iter().find(|cell| cell.column == column)?.style.as_deref()),
            };
            let text = cell_xml(p, &name, style, &after).map_err(|reason| format!("{name}: {reason}"))?;
            if let Some(cell) = old {
                let is_date = matches!(cell.shape.as_str(), "" | "n") && before.text().parse::<f64>().is_err();
                match (cell.formula, formulas) {
                    (Some(true), _) => return Err(format!("{name} holds a formula for several cells").into()),
                    (Some(_), Formulas::Keep) => return Err(Refused::Formula(name)),
                    (Some(_), _) => replaced = true,
                    (None, _) if is_date && !before.raw.is_empty() => {
                        return Err(format!("{name} holds a date, which only a spreadsheet program changes").into());
                    }
                    (None, _) => {}
                }
                splices.push((cell.span.clone(), text));
                continue;
            }
            if after.raw.is_empty() {
                continue;
            }
            match known.and_then(|row| row.cells.iter().find(|cell| cell.column > column)) {
                Some(next) => added_before.entry(next.span.start).or_default().push_str(&text),
                None => added.push_str(&text),
            }
        }
        splices.extend(added_before.into_iter().map(|(at, text)| (at..at, text)));
        match known {
            _ if added.is_empty() => {}
            Some(row) if row.closes_itself => {
                splices.push((row.end..row.end + 2, format!(">{added}</{p}row>")));
            }
            Some(row) => splices.push((row.end..row.end, added)),
            None => {
                let text = format!("<{p}row r=\"{}\">{added}</{p}row>", number + 1);
                let end = grid.end.0;
                let at = grid.rows.get(at).map_or(end, |row| row.start);
                splices.push((at..at, text));
            }
        }
    }
    if let (end, true) = grid.end
        && !splices.is_empty()
    {
        // there are no rows yet, so all that is new goes between the two tags
        let rows: String = splices.drain(..).map(|(_, text)| text).collect();
        splices.push((end..end + 2, format!(">{rows}</{p}sheetData>")));
    }
    // what is new stands before the cell that it was put in front of
    splices.sort_by_key(|(span, _)| (span.start, span.end));
    let mut out = String::with_capacity(xml.len());
    let mut from = 0;
    for (span, text) in splices {
        out.push_str(xml.get(from..span.start).unwrap_or(""));
        out.push_str(&text);
        from = span.end;
    }
    out.push_str(xml.get(from..).unwrap_or(""));
    Ok((out, replaced))
}

/// A number as a cell holds it: what a spreadsheet would not spell otherwise.
fn is_number(word: &str) -> bool {
    let digits = word.strip_prefix('-').unwrap_or(word);
    let whole = digits.split('.').next().unwrap_or("");
    let plain = digits.bytes().all(|b| b.is_ascii_digit() || b == b'.') && digits.len() < 17;
    plain
        && !whole.is_empty()
        && !digits.ends_with('.')
        && (whole == "0" || !whole.starts_with('0'))
        && word.parse::<f64>().is_ok_and(f64::is_finite)
}

/// What a cell holds.
enum Content {
    Number(f64),
    Boolean(bool),
    Text,
}

fn content(cell: &SheetCell<'_>, word: &str) -> Content {
    match word {
        _ if cell.is_quoted() => Content::Text,
        "true" | "false" => Content::Boolean(word == "true"),
        _ => word.parse().ok().filter(|_| is_number(word)).map_or(Content::Text, Content::Number),
    }
}

/// A `c` element with a value.
fn cell_xml(p: &str, name: &str, style: Option<&str>, cell: &SheetCell<'_>) -> Result<String, String> {
    let style = style.map(|style| format!(" s=\"{style}\"")).unwrap_or_default();
    let word = cell.text();
    if cell.raw.is_empty() {
        return Ok(format!("<{p}c r=\"{name}\"{style}/>"));
    }
    match content(cell, &word) {
        Content::Number(_) => return Ok(format!("<{p}c r=\"{name}\"{style}><{p}v>{word}</{p}v></{p}c>")),
        Content::Boolean(value) => {
            let value = u8::from(value);
            return Ok(format!("<{p}c r=\"{name}\"{style} t=\"b\"><{p}v>{value}</{p}v></{p}c>"));
        }
        Content::Text => {}
    }
    if word.chars().any(|c| c.is_control() && !matches!(c, '\n' | '\t')) {
        return Err("a cell cannot hold control characters".to_owned());
    }
    if word.encode_utf16().count() > 32_767 {
        return Err("a cell holds at most 32767 characters".to_owned());
    }
    let text = quick_xml::escape::escape(&*word);
    Ok(format!(
        "<{p}c r=\"{name}\"{style} t=\"inlineStr\"><{p}is><{p}t xml:space=\"preserve\">{text}</{p}t></{p}is></{p}c>"
    ))
}

/// A new workbook with sheets of these texts.
///
/// # Errors
/// A name or a text that a workbook cannot hold.
pub(crate) fn new_workbook(sheets: &[(&str, &str)]) -> Result<Vec<u8>, String> {
    let mut book = rust_xlsxwriter::Workbook::new();
    let said = |error: rust_xlsxwriter::XlsxError| error.to_string();
    for (name, text) in sheets {
        let sheet = book.add_worksheet().set_name(*name).map_err(said)?;
        for cell in sheet_cells(text).filter(|cell| !cell.raw.is_empty()) {
            let (Ok(row), Ok(column)) = (u32::try_from(cell.row), u16::try_from(cell.column)) else {
                return Err("too many rows or columns".to_owned());
            };
            let word = cell.text();
            match content(&cell, &word) {
                Content::Number(number) => sheet.write_number(row, column, number).map_err(said)?,
                Content::Boolean(value) => sheet.write_boolean(row, column, value).map_err(said)?,
                Content::Text => sheet.write_string(row, column, &*word).map_err(said)?,
            };
        }
    }
    book.save_to_buffer().map_err(said)
}

#[cfg(test)]
mod tests;
