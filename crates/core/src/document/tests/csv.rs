//! CSV: read as another reader does, in each dialect, and edited cell by cell.

use super::*;

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    #[test]
    fn csv_readers_agree(rows in prop::collection::vec(prop::collection::vec("[a-z \",\n]{0,5}", 3), 1..5), crlf: bool) {
        let mut writer = ::csv::WriterBuilder::new()
            .terminator(if crlf { ::csv::Terminator::CRLF } else { ::csv::Terminator::Any(b'\n') })
            .from_writer(Vec::new());
        writer.write_record(["id", "en", "de"]).unwrap();
        for row in &rows {
            writer.write_record(row).unwrap();
        }
        let text = String::from_utf8(writer.into_inner().unwrap()).unwrap();
        let names = Names::new();
        let document = parse(Format::Csv, &text, &names);
        prop_assert_eq!(document.faults(), &[]);
        let theirs = ::csv::Reader::from_reader(text.as_bytes()).into_records().collect::<Result<Vec<_>, _>>().unwrap();
        prop_assert_eq!(document.root().len(), theirs.len());
        for (row, record) in document.root().children().zip(&theirs) {
            for (key, cell) in ["id", "en", "de"].iter().zip(record) {
                let ours = row.get_named(key, &names).map(|node| node.text().into_owned());
                prop_assert_eq!(ours.unwrap_or_default(), cell);
                let empty = row.get_named(key, &names).is_some_and(|node| node.shape() == Shape::Null);
                prop_assert!(!empty || cell.is_empty());
            }
        }
    }

    #[test]
    fn csv_edits_give_the_intended_tree(
        rows in prop::collection::vec(prop::collection::vec(prop::option::of("[a-z \",\n]{0,4}"), 3), 1..5),
        new in "[a-z ,;\"]{0,4}", layout in (any::<bool>(), any::<bool>(), any::<bool>()), pick in 0usize..1000,
        separator in prop::sample::select(vec![",", ";", "\t"]),
    ) {
        let (crlf, last, bom) = layout;
        let rows_as = Rows { separator: separator.as_bytes()[0], comment: Some("#".to_owned()), ..Rows::PLAIN };
        let notation = Notation::rows_of(rows_as);
        let line = if crlf { "\r\n" } else { "\n" };
        let quoted = |cell: &Option<String>| match cell {
            None => String::new(),
            Some(text) if text.is_empty() || text.contains([',', '"', '\n', ';']) => format!("\"{}\"", text.replace('"', "\"\"")),
            Some(text) => text.clone(),
        };
        let written = rows.iter().map(|row| row.iter().map(quoted).collect::<Vec<_>>().join(separator));
        let mut text = std::iter::once("# the fen\nid,en,de".replace(',', separator)).chain(written).collect::<Vec<_>>().join(line);
        if crlf {
            text = text.replace("\r\n", "\n").replace('\n', "\r\n");
        }
        if last {
            text.push_str(line);
        }
        if bom {
            text.insert(0, '\u{feff}');
        }
        let (row, value) = (pick % rows.len(), Draft::Text(new));
        let key = ["id", "en", "de", "nl"][pick / 7 % 4];
        let top = FieldPath::default().with(Step::Index(row));
        let at = top.with(Step::Key(key.to_owned()));
        let names = Names::new();
        let document = parse(notation.clone(), &text, &names);
        let there = find(document.root(), &at, &names).is_some_and(|cell| cell.shape() != Shape::Null);
        let whole = Draft::Table(vec![("en".to_owned(), value.clone()), ("nl".to_owned(), value.clone())]);
        let before = [None, Some(0), Some(row)][pick % 3];
        let mut edits = vec![
            Edit::Set { at: at.clone(), to: value.clone() },
            Edit::Set { at: top.clone(), to: whole.clone() },
            Edit::Insert { into: FieldPath::default(), before, key: None, value: whole },
            Edit::Remove { at: top.clone() },
        ];
        if there {
            edits.push(Edit::Remove { at: at.clone() });
            edits.push(Edit::Rename { at, to: "fy".to_owned() });
        } else {
            edits.push(Edit::Insert { into: top, before: None, key: Some(key.to_owned()), value });
        }
        for edit in edits {
            check_edit(notation.clone(), &text, &edit, false);
        }
    }
}

#[test]
fn a_quoted_cell_that_ends_with_half_a_quote_is_not_closed() {
    let names = Names::new();
    for text in ["a,b\n1,\"x\"\"", "a,b\n1,\"x", "a,b\n1,\"", "a,b\n1,\"x\"y"] {
        assert!(parse(Format::Csv, text, &names).is_broken(), "{text}");
    }
    assert!(!parse(Format::Csv, "a,b\n1,\"x\"\"\"", &names).is_broken());
}

/// Rows without a header in three forms: named columns with a list behind them, the same below a field, lists of cells.
fn bare(form: usize) -> Rows {
    let columns = vec!["id".to_owned(), "en".to_owned(), "more[]".to_owned()];
    match form {
        0 => Rows { columns, ..Rows::PLAIN },
        1 => Rows { columns, rows: Some("grid".to_owned()), ..Rows::PLAIN },
        _ => Rows { rows: Some("grid".to_owned()), ..Rows::PLAIN },
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    #[test]
    fn rows_without_a_header_are_read_and_edited(
        rows in prop::collection::vec(prop::collection::vec("[a-z \",]{1,4}", 1..6), 1..5),
        new in "[a-z ,\"]{1,4}", layout in (any::<bool>(), any::<bool>(), 0usize..3), pick in 0usize..1000,
    ) {
        let (crlf, last, form) = layout;
        let notation = Notation::rows_of(bare(form));
        let line = if crlf { "\r\n" } else { "\n" };
        let quoted = |cell: &String| match cell.contains([',', '"']) {
            true => format!("\"{}\"", cell.replace('"', "\"\"")),
            false => cell.clone(),
        };
        let written = rows.iter().map(|row| row.iter().map(quoted).collect::<Vec<_>>().join(","));
        let mut text = written.collect::<Vec<_>>().join(line);
        if last {
            text.push_str(line);
        }
        let names = Names::new();
        let document = parse(notation.clone(), &text, &names);
        prop_assert_eq!(document.faults(), &[]);
        let top = if form == 0 { FieldPath::default() } else { FieldPath::key("grid") };
        let nth = pick % rows.len();
        let row = top.with(Step::Index(nth));
        let cells = &rows[nth];
        // what is read is what was written
        for (at, cell) in cells.iter().enumerate() {
            let way = match (form, at) {
                (2, _) => row.with(Step::Index(at)),
                (_, 0) => row.with(Step::Key("id".to_owned())),
                (_, 1) => row.with(Step::Key("en".to_owned())),
                _ => row.with(Step::Key("more".to_owned())).with(Step::Index(at - 2)),
            };
            let found = find(document.root(), &way, &names).map(|node| node.text().into_owned());
            prop_assert_eq!(found.as_ref(), Some(cell), "{}", way);
        }
        let value = Draft::Text(new);
        let list = if form == 2 { row.clone() } else { row.with(Step::Key("more".to_owned())) };
        let many = Draft::List(vec![value.clone(), value.clone()]);
        let first = if form == 2 { 0 } else { 2 };
        let length = cells.len().saturating_sub(first);
        let whole = match form {
            2 => many.clone(),
            _ => Draft::Table(vec![
                ("id".to_owned(), value.clone()),
                ("en".to_owned(), value.clone()),
                ("more".to_owned(), many.clone()),
            ]),
        };
        let mut edits = vec![
            Edit::Set { at: row.clone(), to: whole.clone() },
            Edit::Insert { into: top.clone(), before: [None, Some(0), Some(nth)][pick % 3], key: None, value: whole },
            Edit::Remove { at: row.clone() },
        ];
        if form != 2 {
            edits.push(Edit::Set { at: row.with(Step::Key("id".to_owned())), to: value.clone() });
        }
        // a list is there where the cells before it are
        if cells.len() >= first {
            edits.push(Edit::Set { at: list.clone(), to: many });
        }
        // one without entries is none
        if cells.len() > first || form == 2 {
            for before in [None, Some(0), Some(pick % (length + 1))] {
                edits.push(Edit::Insert { into: list.clone(), before, key: None, value: value.clone() });
            }
            if length > 0 {
                let entry = list.with(Step::Index(pick % length));
                edits.push(Edit::Set { at: entry.clone(), to: value });
                if length > 1 {
                    edits.push(Edit::Remove { at: entry });
                }
            }
        }
        for edit in edits {
            check_edit(notation.clone(), &text, &edit, false);
        }
    }
}
