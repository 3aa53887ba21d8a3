//! What the fuzz targets try: a text is read, everything in it is asked for, and edits at some places of it
//! must give a text that can be read again.

use std::io::{Cursor, Write};

use cognomen_core::{
    Archives, Document, Draft, Edit, FieldPath, FileId, Format, MemorySource, Names, Node, Notation, Source, Step,
    changed_workbook, edit, load_rulebook,
};

/// Reads, asks, edits and reads again.
pub fn try_text(notation: &Notation, data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    let names = Names::new();
    let parse = |text: &str| Document::parse(FileId::default(), notation.clone(), text.into(), &names);
    let document = parse(text);
    assert_eq!(&**document.text(), text, "a document's text is its file's");
    for id in 0..u32::try_from(document.size()).unwrap_or(0).min(2000) {
        if let Some(node) = nth(&document, id) {
            assert!(node.span().end as usize <= text.len());
            let _ = (node.text(), node.key_span(), document.path_to(node.id(), &names));
        }
    }
    let mut places = vec![FieldPath::default()];
    paths(&Draft::of(document.root(), &names), &FieldPath::default(), &mut places);
    let pick = data.iter().fold(0usize, |sum, byte| sum.wrapping_mul(31).wrapping_add(usize::from(*byte)));
    let at = places[pick % places.len()].clone();
    let table =
        Draft::Table(vec![("k".to_owned(), Draft::integer(1)), ("l".to_owned(), Draft::Text("a: b #".to_owned()))]);
    let values = [Draft::Text("two\nlines".to_owned()), Draft::List(vec![Draft::Boolean(true), table.clone()]), table];
    let value = values[pick / 7 % 3].clone();
    let edits = [
        Edit::Set { at: at.clone(), to: value.clone() },
        Edit::Remove { at: at.clone() },
        Edit::Rename { at: at.clone(), to: "brand_new".to_owned() },
        Edit::Insert { into: at.clone(), before: None, key: None, value: value.clone() },
        Edit::Insert { into: at, before: Some(0), key: Some("brand_new".to_owned()), value },
    ];
    for change in edits {
        if let Ok(edited) = edit(&document, std::slice::from_ref(&change), &names) {
            assert!(!parse(&edited).is_broken(), "{change:?}\n{text}\n--- became\n{edited}");
        }
    }
}

fn nth(document: &Document, id: u32) -> Option<Node<'_>> {
    let mut here = vec![document.root()];
    let mut left = id;
    while let Some(node) = here.pop() {
        if left == 0 {
            return Some(node);
        }
        left -= 1;
        here.extend(node.children().take(8));
    }
    None
}

fn paths(tree: &Draft, here: &FieldPath, out: &mut Vec<FieldPath>) {
    let mut push = |step: Step, value: &Draft| {
        let path = here.with(step);
        out.push(path.clone());
        paths(value, &path, out);
    };
    match tree {
        Draft::List(items) => items.iter().enumerate().take(40).for_each(|(nth, item)| push(Step::Index(nth), item)),
        Draft::Table(entries) => entries.iter().take(40).for_each(|(key, value)| push(Step::Key(key.clone()), value)),
        _ => {}
    }
}

/// A notation of described text, with sections or with braces.
pub fn described(braces: bool) -> Notation {
    let marks = match braces {
        false => "section = [\"[\", \"]\"]\nnamed = \"id\"\njoin = \",\"\ninclude = \"use\"\n",
        true => "assign = \":\"\nbraces = true\ncomment = \"//\"\nany_case = true\n",
    };
    let text = format!("rulebook = 1\n[game]\nname = \"x\"\n[notations.lines]\nformat = \"described\"\n{marks}");
    let names = Names::new();
    let document = Document::parse(FileId::default(), Format::Toml, text.as_str().into(), &names);
    let (rulebook, faults) = load_rulebook(&[&document], &names);
    assert!(faults.is_empty());
    rulebook.notation("lines").cloned().unwrap_or(Notation::from(Format::Json))
}

/// Loads a rulebook from any text.
pub fn try_rulebook(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    let names = Names::new();
    let text = format!("rulebook = 1\n{text}");
    let document = Document::parse(FileId::default(), Format::Toml, text.as_str().into(), &names);
    let (rulebook, _) = load_rulebook(&[&document], &names);
    for (_, kind) in rulebook.kinds() {
        let _ = (kind.name(), kind.about(), rulebook.describe(kind.root()));
    }
}

/// Reads a workbook whose only sheet has these rows, or that is these bytes, and changes cells of it. What is
/// changed is read again by `changed_workbook` itself, so a refusal is fine and a panic is not.
pub fn try_workbook(data: &[u8]) {
    let Some(book) = (if data.starts_with(b"PK") { Some(data.to_vec()) } else { around(data) }) else { return };
    let source = Archives::new(MemorySource::new([("t.xlsx", book.clone())]));
    for listed in source.list("t.xlsx").unwrap_or_default() {
        let path = format!("t.xlsx/{}", listed.path);
        let Ok(bytes) = source.read(&path) else { continue };
        let Ok(text) = std::str::from_utf8(&bytes) else { panic!("a sheet is text") };
        try_text(&Format::Csv.into(), &bytes);
        let rows = text.lines().count();
        let changes = [
            text.replacen(',', ",7,", 1),
            text.replacen('1', "\"two, three\"", 1),
            format!("{text}new,,2\n"),
            text.lines().take(rows / 2).map(|line| format!("{line}\n")).collect(),
        ];
        for changed in changes {
            let made = changed_workbook(&book, &[(&path, text, &changed)]);
            drop(made);
        }
    }
}

/// A workbook around the rows of a sheet.
fn around(rows: &[u8]) -> Option<Vec<u8>> {
    const TYPES: &str = "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"/>";
    const ROOT: &str = "<Relationships><Relationship Id=\"r1\" Type=\"http://schemas.openxmlformats.org/\
        officeDocument/2006/relationships/officeDocument\" Target=\"xl/workbook.xml\"/></Relationships>";
    const BOOK: &str = "<workbook xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\">\
        <sheets><sheet name=\"S\" sheetId=\"1\" r:id=\"r1\"/></sheets></workbook>";
    const LINKS: &str = "<Relationships><Relationship Id=\"r1\" Type=\"http://schemas.openxmlformats.org/\
        officeDocument/2006/relationships/worksheet\" Target=\"worksheets/s.xml\"/></Relationships>";
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let mut part = |name: &str, bytes: &[&[u8]]| {
        zip.start_file(
            name,
            zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored),
        )
        .ok()?;
        bytes.iter().try_for_each(|bytes| zip.write_all(bytes)).ok()
    };
    part("[Content_Types].xml", &[TYPES.as_bytes()])?;
    part("_rels/.rels", &[ROOT.as_bytes()])?;
    part("xl/workbook.xml", &[BOOK.as_bytes()])?;
    part("xl/_rels/workbook.xml.rels", &[LINKS.as_bytes()])?;
    part("xl/worksheets/s.xml", &[b"<worksheet><sheetData>", rows, b"</sheetData></worksheet>"])?;
    Some(zip.finish().ok()?.into_inner())
}
