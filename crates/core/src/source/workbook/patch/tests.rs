//! Changes of cells, on a workbook with what our own writer does not make, and on random ones.

use proptest::prelude::*;

use super::*;

const SHEET: &str = r#"<?xml version="1.0" encoding="UTF-8" standalone="yes"?>
<x:worksheet xmlns:x="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><x:dimension ref="A1:D4"/><x:sheetData>
<x:row r="1" ht="20"><x:c r="A1" t="s" s="3"><x:v>0</x:v></x:c><x:c r="C1" t="inlineStr"><x:is><x:t>weight &amp; size</x:t></x:is></x:c></x:row>
<x:row r="2"><x:c r="A2" t="s"><x:v>1</x:v></x:c><x:c r="C2" s="2"><x:v>0.10000000000000001</x:v></x:c><x:c r="D2"><x:f>C2*2</x:f><x:v>0.2</x:v></x:c></x:row>
<x:row r="4"><x:c r="A4" t="b"><x:v>1</x:v></x:c><x:c r="B4" s="1"><x:v>45000</x:v></x:c><x:c r="C4"><x:f t="shared" ref="C4:C5" si="0">A4</x:f><x:v>1</x:v></x:c></x:row>
<x:row r="6"/></x:sheetData><x:pageMargins left="0.7"/></x:worksheet>"#;

/// A workbook as a spreadsheet program might write it, with what our own writer does not make.
fn book() -> Vec<u8> {
    let types = r#"<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Override PartName="/xl/calcChain.xml" ContentType="x"/><Override PartName="/xl/b.xml" ContentType="y"/></Types>"#;
    let top = r#"<Relationships><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>"#;
    let main = r#"<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="Goods &amp; all" sheetId="1" r:id="rId7"/></sheets></workbook>"#;
    let base = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    let relations = format!(
        r#"<Relationships><Relationship Id="rId7" Type="{base}/worksheet" Target="worksheets/one.xml"/><Relationship Id="rId8" Type="{base}/calcChain" Target="calcChain.xml"/><Relationship Id="rId9" Type="{base}/sharedStrings" Target="sharedStrings.xml"/><Relationship Id="rId10" Type="{base}/styles" Target="styles.xml"/></Relationships>"#
    );
    let strings = r#"<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><si><t>id</t></si><si><t>12</t></si></sst>"#;
    let styles = r#"<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><cellXfs count="4"><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="2"/><xf numFmtId="0"/></cellXfs></styleSheet>"#;
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, text) in [
        ("[Content_Types].xml", types),
        ("_rels/.rels", top),
        ("xl/workbook.xml", main),
        ("xl/_rels/workbook.xml.rels", &relations),
        ("xl/worksheets/one.xml", SHEET),
        ("xl/calcChain.xml", r#"<calcChain><c r="D2" i="1"/></calcChain>"#),
        ("xl/sharedStrings.xml", strings),
        ("xl/styles.xml", styles),
        ("xl/media/picture.png", "\u{1}\u{2}"),
    ] {
        zip.start_file(name, SimpleFileOptions::default()).unwrap();
        zip.write_all(text.as_bytes()).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

const TEXT: &str = "id,,weight & size\n\"12\",,0.1,0.2\n\ntrue,2023-03-15,1\n";

fn change(after: &str, formulas: Formulas) -> Result<Vec<u8>, String> {
    let edit = SheetEdit { path: "a.xlsx/Goods & all", before: TEXT, after };
    patched(&book(), &[edit], formulas).map_err(|refused| match refused {
        Refused::Formula(cell) => format!("formula in {cell}"),
        Refused::Because(reason) => reason,
    })
}

fn part(bytes: &[u8], name: &str) -> Option<String> {
    part_text(&mut Zip::new(Cursor::new(bytes)).unwrap(), name).ok()
}

#[test]
fn only_the_cells_that_change_change() {
    let read = super::super::read(&book()).unwrap();
    assert_eq!(
        read.sheets.iter().map(|(name, text)| (name.as_str(), &**text)).collect::<Vec<_>>(),
        [("Goods & all", TEXT)]
    );
    let after = "id,,weight & size\n\"12\",\"<new>\",0.3,0.2\n,7\nfalse,2023-03-15,1\n\nlast,,,1.5\n";
    let made = change(after, Formulas::Keep).unwrap();
    let sheet = part(&made, "xl/worksheets/one.xml").unwrap();
    let wanted = SHEET
        .replace(
            r#"<x:c r="C2" s="2"><x:v>0.10000000000000001</x:v></x:c>"#,
            concat!(
                r#"<x:c r="B2" t="inlineStr"><x:is><x:t xml:space="preserve">&lt;new&gt;</x:t></x:is></x:c>"#,
                r#"<x:c r="C2" s="2"><x:v>0.3</x:v></x:c>"#
            ),
        )
        .replace(r#"<x:row r="4">"#, r#"<x:row r="3"><x:c r="B3"><x:v>7</x:v></x:c></x:row><x:row r="4">"#)
        .replace(r#"<x:c r="A4" t="b"><x:v>1<"#, r#"<x:c r="A4" t="b"><x:v>0<"#)
        .replace(
            r#"<x:row r="6"/>"#,
            concat!(
                r#"<x:row r="6"><x:c r="A6" t="inlineStr"><x:is><x:t xml:space="preserve">last</x:t></x:is></x:c>"#,
                r#"<x:c r="D6"><x:v>1.5</x:v></x:c></x:row>"#
            ),
        );
    assert_eq!(sheet, wanted);
    for name in ["[Content_Types].xml", "xl/calcChain.xml", "xl/media/picture.png", "xl/sharedStrings.xml"] {
        assert_eq!(part(&made, name), part(&book(), name), "{name}");
    }
}

#[test]
fn formulas_and_dates_are_not_overwritten_unasked() {
    let with = |from: &str, to: &str| TEXT.replacen(from, to, 1);
    let refused = |after: &str, formulas| change(after, formulas).err().unwrap();
    assert_eq!(refused(&with("0.2", "0.4"), Formulas::Keep), "formula in D2");
    assert!(refused(&with(",1\n", ",2\n"), Formulas::Replace).contains("C4 holds a formula for several cells"));
    assert!(refused(&with("2023-03-15", "2024-01-01"), Formulas::Replace).contains("B4 holds a date"));
    assert!(refused(&with("true", "\"a\u{7}\""), Formulas::Keep).contains("A4: a cell cannot hold control"));
    let made = change(&with("0.2", "0.4"), Formulas::Replace).unwrap();
    assert_eq!(part(&made, "xl/calcChain.xml"), None);
    for name in ["[Content_Types].xml", "xl/_rels/workbook.xml.rels"] {
        let text = part(&made, name).unwrap();
        assert!(!text.contains("calcChain") && text.contains("b.xml") | text.contains("rId10"), "{text}");
    }
}

#[test]
fn what_is_no_workbook_or_has_changed_is_refused() {
    for bytes in [b"" as &[u8], b"PK", b"id,weight\n", &book()[..900]] {
        assert!(super::super::read(bytes).is_err());
        let edit = SheetEdit { path: "a.xlsx/Goods & all", before: "", after: "x\n" };
        assert!(patched(bytes, &[edit], Formulas::Keep).is_err());
    }
    let edit = SheetEdit { path: "a.xlsx/Goods & all", before: "other\n", after: "x\n" };
    assert!(patched(&book(), &[edit], Formulas::Keep).is_err());
    let far = |cells: &str| {
        let sheet = format!("<worksheet><sheetData>{cells}</sheetData></worksheet>");
        let bytes = book();
        let mut zip = Zip::new(Cursor::new(&bytes)).unwrap();
        let new = BTreeMap::from([("xl/worksheets/one.xml".to_owned(), Some(sheet))]);
        super::super::read(&rezipped(&mut zip, &new).unwrap()).map(|book| book.sheets[0].1.len())
    };
    // a lone cell far out takes no more room than its place needs
    assert!(far(r#"<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>"#).unwrap() < 1_100_000);
    let wide: String = (1..20_000).map(|row| format!("<row><c r=\"XFD{row}\"><v>1</v></c></row>")).collect();
    assert!(far(&wide).unwrap_err().contains("larger than 256 MiB"));
    // found by the fuzzer: numbers of rows and columns that no sheet has
    for cell in ["A55555555555", "AAAAAAAAAAAA1", "5555555555555555555C4", "A0"] {
        let refused = far(&format!("<row r=\"1\"><c r=\"{cell}\"><v>1</v></c></row>")).unwrap_err();
        assert!(refused.contains(&format!("there is no cell `{cell}`")), "{refused}");
    }
}

fn grids() -> impl Strategy<Value = Vec<Vec<String>>> {
    let cell = prop_oneof![
        3 => Just(String::new()),
        2 => "[a-z &<>]{1,6}",
        2 => (-999i32..999).prop_map(|number| number.to_string()),
        1 => Just("\"12\"".to_owned()),
        1 => Just("\"a, \"\"b\"\"\nc\"".to_owned()),
        1 => Just("true".to_owned()),
    ];
    prop::collection::vec(prop::collection::vec(cell, 1..5), 1..6)
}

fn text(grid: &[Vec<String>]) -> String {
    grid.iter().map(|row| row.join(",") + "\n").collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]
    #[test]
    fn a_sheet_reads_as_it_was_changed_to(before in grids(), after in grids()) {
        let known = new_workbook(&[("One", &text(&before)), ("Two", "kept\n")]).unwrap();
        let sheets = super::super::read(&known).unwrap().sheets;
        prop_assert_eq!(first_difference(&text(&before), &sheets[0].1), None);
        let edit = SheetEdit { path: "a.xlsx/One", before: &sheets[0].1, after: &text(&after) };
        let made = patched(&known, &[edit], Formulas::Keep).map_err(|refused| match refused {
            Refused::Because(reason) | Refused::Formula(reason) => TestCaseError::fail(reason),
        })?;
        let sheets = super::super::read(&made).unwrap().sheets;
        prop_assert_eq!(first_difference(&text(&after), &sheets[0].1), None);
        prop_assert_eq!(&*sheets[1].1, "kept\n");
    }
}
