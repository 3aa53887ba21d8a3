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
