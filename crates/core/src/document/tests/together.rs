//! Many edits of one document: made together they give the same as one after the other.

use super::described::{entries, marks, unique};
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
fn check_together(notation: impl Into<Notation>, text: &str, edits: &[Edit], exact: bool) {
    let (names, notation) = (Names::new(), notation.into());
    let document = parse(notation.clone(), text, &names);
    if document.is_broken() {
        return;
    }
    let (together, alone) = (edit(&document, edits, &names).ok(), one_by_one(&document, edits, &names));
    if !exact {
        // what cannot be written on the way may come to something in the end
        if notation.format() == Format::Described && alone.is_none() {
            return;
        }
        let tree = |text: &Option<String>| {
            text.as_ref().map(|text| Draft::of(parse(notation.clone(), text, &names).root(), &names))
        };
        assert_eq!(
            tree(&together),
            tree(&alone),
            "{edits:?}\n{text}\n--- together\n{together:?}\n--- alone\n{alone:?}"
        );
        return;
    }
    // the blanks between entries that went together go with them
    let squeezed = |text: &Option<String>| {
        text.as_ref().map(|text| text.split(' ').filter(|part| !part.is_empty()).collect::<Vec<_>>().join(" "))
    };
    assert_eq!(squeezed(&together), squeezed(&alone), "{edits:?}\n{text}");
}

/// Edits as `set` and `build` make them: new keys, entries at ends, values in place, and what goes or gets another key.
fn some_edits(tree: &Draft, picks: &[usize]) -> Vec<Edit> {
    let mut paths = Vec::new();
    all_paths(tree, &FieldPath::default(), &mut paths);
    let mut edits = Vec::new();
    for (nth, pick) in picks.iter().enumerate() {
        let at = paths[pick % paths.len()].clone();
        let value =
            [Draft::integer(nth as i64), Draft::Text(format!("new {nth}")), Draft::Boolean(true)][pick % 3].clone();
        let keyed = matches!(at.split_last(), Some((_, Step::Key(_))));
        edits.push(match tree.at(&at) {
            Some(_) if pick % 5 == 0 && !at.is_empty() => Edit::Remove { at },
            Some(_) if pick % 11 == 0 && keyed => Edit::Rename { at, to: format!("other{nth}") },
            Some(Draft::List(_) | Draft::Table(_)) if pick % 13 == 0 && !at.is_empty() => {
                Edit::Set { at, to: Draft::List(vec![Draft::Text("in".to_owned()), value]) }
            }
            Some(Draft::List(_)) => Edit::Insert { into: at, before: None, key: None, value },
            Some(Draft::Table(_)) if pick % 2 == 0 => {
                Edit::Set { at: at.with(Step::Key(format!("new {nth}"))), to: value }
            }
            Some(Draft::Table(_)) => Edit::Insert { into: at, before: None, key: Some(format!("new {nth}")), value },
            _ => Edit::Set { at, to: value },
        });
    }
    edits
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    #[test]
    fn json_edits_together_are_those_one_by_one(
        value in values(true), layout in layouts(), picks in proptest::collection::vec(0usize..100_000, 1..14),
    ) {
        let text = json_text(&value, &layout);
        check_together(Format::Json, &text, &some_edits(&draft(Format::Json, &text), &picks), true);
    }

    #[test]
    fn toml_edits_together_are_those_one_by_one(
        entries in tables(values(false)), layout in layouts(), picks in proptest::collection::vec(0usize..100_000, 1..14),
    ) {
        let text = toml_text(&Draft::Table(entries), &layout);
        check_together(Format::Toml, &text, &some_edits(&draft(Format::Toml, &text), &picks), false);
    }

    #[test]
    fn edits_of_described_texts_together_are_those_one_by_one(
        which in 0usize..7, tops in proptest::collection::vec(("[b-y]{1,3}", entries(true)), 2..6),
        picks in proptest::collection::vec(0usize..100_000, 1..14),
    ) {
        let (names, notation) = (Names::new(), Notation::described(marks(which)));
        let tops = tops.into_iter().map(|(key, entries)| (key, Draft::Table(entries)));
        let tree = Draft::Table(unique(tops.collect()));
        // nested tables in sections have no notation
        let Ok(text) = super::super::whole(&notation, &[], &tree, &names) else { return Ok(()) };
        let read = Draft::of(parse(notation.clone(), &text, &names).root(), &names);
        check_together(notation, &text, &some_edits(&read, &picks), false);
    }

    #[test]
    fn edits_of_texts_by_hand_together_are_those_one_by_one(
        which in 0usize..10, picks in proptest::collection::vec(0usize..100_000, 1..14),
    ) {
        let (format, text) = [
            (Format::Yaml, "# a\na: 1 # one\nb:\n  - x\n  - y: 2\n\nc: {d: [1, 2], e: f}\ng:\n  h: \"i\"\n"),
            (Format::Yaml, "- a: 1\n  b:\n  - x\n- c\n"),
            (Format::Xml, "<all>\n  <a x=\"1\">t</a>\n  <b><c>2</c></b>\n</all>\n"),
            (Format::Csv, "id,a,b\nx,1,2\ny,3,\n"),
            (Format::Yaml, "a:\n  x: 1\n  l: [p, q]\n# b\nb:\n  x: 2 # two\n  l:\n    - p\n    - q\nc:\n  x: 3\nd: {x: 4, l: []}\n"),
            (
                Format::Xml,
                "<all>\n  <a id=\"a\"><x>1</x><l>p</l><l>q</l></a>\n  <!-- b -->\n  <a id=\"b\" x=\"2\">\n    <l>p</l>\n  </a>\n  <a id=\"c\"/>\n</all>\n",
            ),
            (Format::Toml, "[a]\nx = 1\nl = [\"p\", \"q\"]\n\n# b\n[b]\nx = 2 # two\ny.z = 3\n\n[c]\nx = 3\n\n[c.d]\nl = []\n"),
            (Format::Json, "{\n  \"a\": [1, 2,], // c\n  \"b\": {\n    \"c\": 1 // last\n  }\n}\n"),
            (Format::Toml, "b = [[1, 2]] # beside\nc = [3]\n\n[a]\n\n[t]\nx = 1 # beside\n"),
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
