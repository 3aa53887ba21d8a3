//! Many edits of one document: made together they give the same as one after the other.

use super::*;

/// The text after edits that are each made on the result of those before.
fn one_by_one(document: &Document, edits: &[Edit], names: &Names) -> Option<String> {
    let mut text = document.text().to_string();
    for edit_ in edits {
        let here = parse(document.notation().clone(), &text, names);
        text = edit(&here, std::slice::from_ref(edit_), names).ok()?;
    }
    Some(text)
}

/// The same text; where habits (of quoting) may be learned from what an earlier edit replaced, the same tree.
fn check_together(format: Format, text: &str, edits: &[Edit], exact: bool) {
    let names = Names::new();
    let document = parse(format, text, &names);
    if document.is_broken() {
        return;
    }
    let (together, alone) = (edit(&document, edits, &names).ok(), one_by_one(&document, edits, &names));
    if !exact {
        let tree = |text: &Option<String>| text.as_ref().map(|text| draft(format, text));
        assert_eq!(tree(&together), tree(&alone), "{edits:?}\n{text}");
        return;
    }
    assert_eq!(together, alone, "{edits:?}\n{text}");
}

/// Edits as `set` and `build` make them: new keys, entries at ends, scalars in place.
fn some_edits(tree: &Draft, picks: &[usize]) -> Vec<Edit> {
    let mut paths = Vec::new();
    all_paths(tree, &FieldPath::default(), &mut paths);
    let mut edits = Vec::new();
    for (nth, pick) in picks.iter().enumerate() {
        let at = paths[pick % paths.len()].clone();
        let value =
            [Draft::integer(nth as i64), Draft::Text(format!("new {nth}")), Draft::Boolean(true)][pick % 3].clone();
        edits.push(match tree.at(&at) {
            Some(Draft::List(_)) => Edit::Insert { into: at, before: None, key: None, value },
            Some(Draft::Table(_)) if pick % 2 == 0 => {
                Edit::Set { at: at.with(Step::Key(format!("new {nth}"))), to: value }
            }
            Some(Draft::Table(_)) => Edit::Insert { into: at, before: None, key: Some(format!("new {nth}")), value },
            _ if pick % 7 == 0 && !at.is_empty() => Edit::Remove { at },
            _ => Edit::Set { at, to: value },
        });
    }
    edits
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    #[test]
    fn json_edits_together_are_those_one_by_one(
        value in values(true), layout in layouts(), picks in proptest::collection::vec(0usize..1000, 1..9),
    ) {
        let text = json_text(&value, &layout);
        check_together(Format::Json, &text, &some_edits(&draft(Format::Json, &text), &picks), true);
    }

    #[test]
    fn toml_edits_together_are_those_one_by_one(
        entries in tables(values(false)), layout in layouts(), picks in proptest::collection::vec(0usize..1000, 1..9),
    ) {
        let text = toml_text(&Draft::Table(entries), &layout);
        check_together(Format::Toml, &text, &some_edits(&draft(Format::Toml, &text), &picks), false);
    }

    #[test]
    fn edits_of_texts_by_hand_together_are_those_one_by_one(
        which in 0usize..6, picks in proptest::collection::vec(0usize..1000, 1..9),
    ) {
        let (format, text) = [
            (Format::Yaml, "# a\na: 1 # one\nb:\n  - x\n  - y: 2\n\nc: {d: [1, 2], e: f}\ng:\n  h: \"i\"\n"),
            (Format::Yaml, "- a: 1\n  b:\n  - x\n- c\n"),
            (Format::Xml, "<all>\n  <a x=\"1\">t</a>\n  <b><c>2</c></b>\n</all>\n"),
            (Format::Csv, "id,a,b\nx,1,2\ny,3,\n"),
            (Format::Json, "{\n  \"a\": [1, 2,], // c\n  \"b\": {\n    \"c\": 1 // last\n  }\n}\n"),
            (Format::Toml, "a = 1\nb = [1, 2]\n\n[[amend]]\nof = \"x\"\nset = { c = 1 }\n\n[[amend]]\nof = \"y\"\n"),
        ][which];
        check_together(format, text, &some_edits(&draft(format, text), &picks), format != Format::Yaml);
    }
}

#[test]
fn thousands_of_entries_come_to_one_file_at_once() {
    let names = Names::new();
    for (format, text, into) in [
        (Format::Json, "{\n  \"first\": 1\n}\n", ""),
        (Format::Toml, "first = 1\n", ""),
        (Format::Yaml, "all:\n  first: 1\nrest: 2\n", "all"),
        (Format::Xml, "<all>\n  <first>1</first>\n</all>\n", "all"),
    ] {
        let document = parse(format, text, &names);
        let into = if into.is_empty() { FieldPath::default() } else { FieldPath::key(into) };
        let edits: Vec<Edit> = (0..4000)
            .map(|nth| Edit::Set { at: into.with(Step::Key(format!("k{nth}"))), to: Draft::integer(nth) })
            .collect();
        let text = edit(&document, &edits, &names).unwrap();
        let after = parse(format, &text, &names);
        assert_eq!(after.faults(), []);
        assert_eq!(edit::find(after.root(), &into, &names).unwrap().children().count(), 4001, "{format:?}");
    }
}
