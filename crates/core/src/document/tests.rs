//! Properties of all readers and edits, and agreement with independent parsers.
//!
//! Long because the generators of values and layouts serve readers and edits of all formats alike.

use proptest::prelude::*;

mod csv;
mod described;
mod together;
mod xml;
mod yaml;

use super::edit::intended;
use super::*;

/// Small reproducible choices of style.
struct Dice(u64);

impl Dice {
    fn roll(&mut self, of: u64) -> bool {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33).is_multiple_of(of)
    }
}

fn parse(notation: impl Into<Notation>, text: &str, names: &Names) -> Document {
    Document::parse(FileId(0), notation, text.into(), names)
}

fn draft(format: Format, text: &str) -> Draft {
    let names = Names::new();
    let document = parse(format, text, &names);
    assert_eq!(document.faults(), [], "{text}");
    Draft::of(document.root(), &names)
}

fn from_serde(value: &serde_json::Value) -> Draft {
    match value {
        serde_json::Value::Null => Draft::Null,
        serde_json::Value::Bool(value) => Draft::Boolean(*value),
        serde_json::Value::Number(number) => Draft::Number(Number::written(&number.to_string())),
        serde_json::Value::String(text) => Draft::Text(text.clone()),
        serde_json::Value::Array(items) => Draft::List(items.iter().map(from_serde).collect()),
        serde_json::Value::Object(entries) => {
            Draft::Table(entries.iter().map(|(key, value)| (key.clone(), from_serde(value))).collect())
        }
    }
}

fn from_toml(value: &::toml::Value) -> Draft {
    match value {
        ::toml::Value::String(text) => Draft::Text(text.clone()),
        ::toml::Value::Integer(value) => Draft::integer(*value),
        ::toml::Value::Float(value) => Draft::Number(Number::written(&value.to_string())),
        ::toml::Value::Boolean(value) => Draft::Boolean(*value),
        ::toml::Value::Datetime(date) => Draft::Text(date.to_string()),
        ::toml::Value::Array(items) => Draft::List(items.iter().map(from_toml).collect()),
        ::toml::Value::Table(entries) => {
            Draft::Table(entries.iter().map(|(key, value)| (key.clone(), from_toml(value))).collect())
        }
    }
}

/// Equal values: keys sorted, the last of repeated ones kept, numbers by value, empty tables dropped if asked.
fn normal(draft: &Draft, drop_empty: bool) -> Draft {
    match draft {
        Draft::Number(number) => Draft::Text(format!("{:?}", number::float(number.notation()))),
        Draft::List(items) => {
            let items = items.iter().map(|item| normal(item, drop_empty));
            let hollow = |item: &Draft| drop_empty && matches!(item, Draft::Table(t) if t.is_empty());
            Draft::List(items.filter(|item| !hollow(item)).collect())
        }
        Draft::Table(entries) => {
            let sorted: std::collections::BTreeMap<String, Draft> =
                entries.iter().map(|(key, value)| (key.clone(), normal(value, drop_empty))).collect();
            let hollow = |value: &Draft| {
                let empty =
                    matches!(value, Draft::Table(t) if t.is_empty()) || matches!(value, Draft::List(l) if l.is_empty());
                drop_empty && empty
            };
            Draft::Table(sorted.into_iter().filter(|(_, value)| !hollow(value)).collect())
        }
        other => other.clone(),
    }
}

fn without_null(draft: &Draft) -> Draft {
    match draft {
        Draft::List(items) => Draft::List(items.iter().map(without_null).collect()),
        Draft::Table(entries) => {
            let kept = entries.iter().filter(|(_, value)| *value != Draft::Null);
            Draft::Table(kept.map(|(key, value)| (key.clone(), without_null(value))).collect())
        }
        scalar => scalar.clone(),
    }
}

fn words() -> impl Strategy<Value = String> {
    prop_oneof![
        "[a-z]{1,6}",
        "[a-z_ .\"\\\\é]{0,5}",
        Just("odd key".to_owned()),
        Just("\u{1f41f}".to_owned()),
        Just("tab\there".to_owned())
    ]
}

fn values(with_null: bool) -> impl Strategy<Value = Draft> {
    let leaf = prop_oneof![
        if with_null { Just(Draft::Null).boxed() } else { Just(Draft::Boolean(true)).boxed() },
        any::<bool>().prop_map(Draft::Boolean),
        (-1000i64..1000).prop_map(Draft::integer),
        (-1000i64..1000).prop_map(|n| Draft::Number(Number::written(&format!("{}.25", n)))),
        words().prop_map(Draft::Text),
    ];
    leaf.prop_recursive(4, 40, 6, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..5).prop_map(Draft::List),
            tables(inner).prop_map(Draft::Table)
        ]
    })
}

fn tables(inner: impl Strategy<Value = Draft>) -> impl Strategy<Value = Vec<(String, Draft)>> {
    prop::collection::vec((words(), inner), 0..6).prop_map(|entries| {
        let mut seen = std::collections::BTreeSet::new();
        entries.into_iter().filter(|(key, _)| seen.insert(key.clone())).collect()
    })
}

/// How a generated text is laid out: every habit that an edit has to follow or keep.
#[derive(Clone, Debug)]
struct Layout {
    unit: &'static str,
    line_break: &'static str,
    comments: bool,
    trailing: bool,
    bom: bool,
    final_break: bool,
    flat_below: usize,
}

fn layouts() -> impl Strategy<Value = Layout> {
    (
        prop::sample::select(vec!["  ", "\t", "    "]),
        prop::sample::select(vec!["\n", "\r\n"]),
        any::<bool>(),
        any::<bool>(),
        any::<bool>(),
        any::<bool>(),
        0usize..4,
    )
        .prop_map(|(unit, line_break, comments, trailing, bom, final_break, flat_below)| Layout {
            unit,
            line_break,
            comments,
            trailing,
            bom,
            final_break,
            flat_below,
        })
}

fn write_json(value: &Draft, layout: &Layout, depth: usize, out: &mut String) {
    let parts: Vec<(Option<&String>, &Draft)> = match value {
        Draft::List(items) => items.iter().map(|item| (None, item)).collect(),
        Draft::Table(entries) => entries.iter().map(|(key, value)| (Some(key), value)).collect(),
        Draft::Null => return out.push_str("null"),
        Draft::Boolean(value) => return out.push_str(&value.to_string()),
        Draft::Number(number) => return out.push_str(number.notation()),
        Draft::Text(text) => return out.push_str(&serde_json::to_string(text).unwrap()),
    };
    let (open, close) = if matches!(value, Draft::List(_)) { ('[', ']') } else { ('{', '}') };
    let flat = depth >= layout.flat_below;
    out.push(open);
    let count = parts.len();
    for (at, (key, value)) in parts.into_iter().enumerate() {
        if !flat {
            out.push_str(layout.line_break);
            if layout.comments && at % 2 == 0 {
                out.push_str(&format!("{}// about {at}, or so{}", layout.unit.repeat(depth + 1), layout.line_break));
            }
            out.push_str(&layout.unit.repeat(depth + 1));
        } else if at > 0 {
            out.push(' ');
        }
        if let Some(key) = key {
            out.push_str(&serde_json::to_string(key).unwrap());
            out.push_str(": ");
        }
        write_json(value, layout, depth + 1, out);
        if at + 1 < count || layout.trailing {
            out.push(',');
        }
        if layout.comments && !flat && at % 3 == 0 {
            out.push_str(" // beside, {it}");
        }
        if layout.comments && flat && at % 3 == 1 {
            out.push_str(" /* , */");
        }
    }
    if !flat && count > 0 {
        out.push_str(layout.line_break);
        out.push_str(&layout.unit.repeat(depth));
    }
    out.push(close);
}

fn json_text(value: &Draft, layout: &Layout) -> String {
    let mut out = if layout.bom { "\u{feff}".to_owned() } else { String::new() };
    write_json(value, layout, 0, &mut out);
    if layout.final_break {
        out.push_str(layout.line_break);
    }
    out
}

/// Tables as headers down to a depth, then dotted keys or inline.
fn toml_text(value: &Draft, layout: &Layout) -> String {
    let mut out = if layout.bom { "\u{feff}".to_owned() } else { String::new() };
    let Draft::Table(entries) = value else { return out };
    write_toml_table(entries, "", layout, 0, &mut out);
    if !layout.final_break {
        out = out.trim_end_matches(['\n', '\r']).to_owned();
    }
    out
}

fn toml_inline(value: &Draft) -> String {
    match value {
        Draft::List(items) => format!("[{}]", items.iter().map(toml_inline).collect::<Vec<_>>().join(", ")),
        Draft::Table(entries) => {
            let entries: Vec<_> =
                entries.iter().map(|(k, v)| format!("{} = {}", toml_key(k), toml_inline(v))).collect();
            format!("{{ {} }}", entries.join(", "))
        }
        Draft::Number(number) => number.notation().to_owned(),
        Draft::Boolean(value) => value.to_string(),
        Draft::Text(text) => ::toml::Value::String(text.clone()).to_string(),
        Draft::Null => unreachable!("no null in TOML values"),
    }
}

fn toml_key(key: &str) -> String {
    if !key.is_empty() && key.bytes().all(|b| b.is_ascii_alphanumeric()) {
        key.to_owned()
    } else {
        serde_json::to_string(key).unwrap()
    }
}

fn write_toml_table(entries: &[(String, Draft)], path: &str, layout: &Layout, depth: usize, out: &mut String) {
    let nl = layout.line_break;
    let as_header = |v: &Draft| depth < layout.flat_below && matches!(v, Draft::Table(_));
    let as_headers = |v: &Draft| {
        depth < layout.flat_below
            && matches!(v, Draft::List(l) if !l.is_empty() && l.iter().all(|i| matches!(i, Draft::Table(_))))
    };
    for (at, (key, value)) in entries.iter().enumerate() {
        if as_header(value) || as_headers(value) {
            continue;
        }
        if layout.comments && at % 2 == 0 {
            out.push_str(&format!("# about {at}{nl}"));
        }
        match value {
            Draft::Table(inner) if !inner.is_empty() && at % 2 == 0 => {
                for (sub, value) in inner {
                    out.push_str(&format!("{}.{} = {}{nl}", toml_key(key), toml_key(sub), toml_inline(value)));
                }
            }
            Draft::List(items) if items.len() > 1 && layout.trailing => {
                out.push_str(&format!("{} = [{nl}", toml_key(key)));
                for item in items {
                    out.push_str(&format!("{}{}, # item{nl}", layout.unit, toml_inline(item)));
                }
                out.push_str(&format!("]{nl}"));
            }
            _ => out.push_str(&format!("{} = {} # beside{nl}", toml_key(key), toml_inline(value))),
        }
    }
    for (key, value) in entries {
        let longer = if path.is_empty() { toml_key(key) } else { format!("{path}.{}", toml_key(key)) };
        if as_header(value) {
            let Draft::Table(inner) = value else { continue };
            out.push_str(&format!("{nl}[{longer}]{nl}"));
            write_toml_table(inner, &longer, layout, depth + 1, out);
        } else if as_headers(value) {
            let Draft::List(items) = value else { continue };
            for item in items {
                let Draft::Table(inner) = item else { continue };
                out.push_str(&format!("{nl}[[{longer}]]{nl}"));
                write_toml_table(inner, &longer, layout, depth + 1, out);
            }
        }
    }
}

fn all_paths(value: &Draft, path: &FieldPath, out: &mut Vec<FieldPath>) {
    out.push(path.clone());
    match value {
        Draft::List(items) => {
            for (at, item) in items.iter().enumerate() {
                all_paths(item, &path.with(Step::Index(at)), out);
            }
        }
        Draft::Table(entries) => {
            for (key, item) in entries {
                all_paths(item, &path.with(Step::Key(key.clone())), out);
            }
        }
        _ => {}
    }
}

/// An edit of each sort at a random place of a tree.
fn edits_of(tree: &Draft, pick: usize, value: &Draft) -> Vec<Edit> {
    let mut paths = Vec::new();
    all_paths(tree, &FieldPath::default(), &mut paths);
    let at = paths[pick % paths.len()].clone();
    let mut edits = Vec::new();
    if !at.is_empty() {
        edits.push(Edit::Set { at: at.clone(), to: value.clone() });
        edits.push(Edit::Remove { at: at.clone() });
        if matches!(at.split_last(), Some((_, Step::Key(_)))) {
            edits.push(Edit::Rename { at: at.clone(), to: "brand new".to_owned() });
        }
    }
    let before = [None, Some(0), Some(pick % 3)][pick % 3];
    match tree.at(&at) {
        Some(Draft::List(_)) => {
            edits.push(Edit::Insert { into: at, before, key: None, value: value.clone() });
        }
        Some(Draft::Table(_)) => {
            let key = Some("brand new".to_owned());
            edits.push(Edit::Insert { into: at, before, key, value: value.clone() });
        }
        _ => {}
    }
    edits
}

/// Asks for everything in a text, and sets and removes what stands at each place: whatever can be edited can be
/// read again.
fn read_and_edit_without_panic(notation: &Notation, text: &str, value: &str) {
    let names = Names::new();
    let document = parse(notation.clone(), text, &names);
    for node in 0..document.size() {
        let node = document.node(NodeId(node as u32));
        let _ = (node.text(), node.key_span(), document.path_to(node.id(), &names).to_string());
        assert!(node.span().end as usize <= text.len());
    }
    let mut paths = Vec::new();
    all_paths(&Draft::of(document.root(), &names), &FieldPath::default(), &mut paths);
    for at in paths {
        for edit_ in [Edit::Set { at: at.clone(), to: Draft::Text(value.to_owned()) }, Edit::Remove { at }] {
            if let Ok(edited) = edit(&document, &[edit_], &names) {
                assert!(!parse(notation.clone(), &edited, &names).is_broken(), "{text}\n--- became\n{edited}");
            }
        }
    }
}

/// Texts of TOML, an edit, and what becomes of it.
#[test]
fn toml_is_written_under_headers_where_such_tables_have_them() {
    let names = Names::new();
    let path = |text: &str| FieldPath::parse(text).unwrap();
    let table = |entries: &[(&str, Draft)]| {
        Draft::Table(entries.iter().map(|(key, value)| ((*key).to_owned(), value.clone())).collect())
    };
    let of = |word: &str| table(&[("of", Draft::Text(word.to_owned()))]);
    let tar = table(&[
        ("mass", Draft::integer(2)),
        ("use", table(&[("effect", Draft::Text("harm".to_owned()))])),
        ("parts", Draft::List(vec![of("a"), of("b")])),
    ]);
    let set = |at: &str, to: &Draft| Edit::Set { at: path(at), to: to.clone() };
    for (text, edit_, wanted) in [
        (
            "# own\n[ash]\nmass = 3\n",
            set("tar", &tar),
            "# own\n[ash]\nmass = 3\n\n[tar]\nmass = 2\nuse = { effect = \"harm\" }\nparts = [{ of = \"a\" }, { of = \"b\" }]\n",
        ),
        (
            "[ash]\r\nmass = 3\r\n[ash.use]\r\npower = 1\r\n\r\n[[ash.parts]]\r\nof = \"x\"\r\n",
            set("tar", &tar),
            "[ash]\r\nmass = 3\r\n[ash.use]\r\npower = 1\r\n\r\n[[ash.parts]]\r\nof = \"x\"\r\n\r\n[tar]\r\nmass = 2\r\n\r\n[tar.use]\r\neffect = \"harm\"\r\n\r\n[[tar.parts]]\r\nof = \"a\"\r\n\r\n[[tar.parts]]\r\nof = \"b\"\r\n",
        ),
        (
            "# mine\n[item.ash]\nmass = 3\n\n[[recipe]]\nid = 1\n",
            Edit::Insert { into: path("item"), before: None, key: Some("tar".to_owned()), value: of("x") },
            "# mine\n[item.ash]\nmass = 3\n\n[item.tar]\nof = \"x\"\n\n[[recipe]]\nid = 1\n",
        ),
        ("ash = { mass = 3 }\n", set("tar", &of("x")), "ash = { mass = 3 }\ntar = { of = \"x\" }\n"),
        ("mass = 3\n", set("use", &of("x")), "mass = 3\n\n[use]\nof = \"x\"\n"),
        (
            "[[r]]\nid = 1\n\n# two\n[[r.in]]\nof = \"a\"\n\n[[r.in]]\nof = \"b\"\n\n[[r.out]]\nof = \"c\"\n",
            set("r[0].in", &Draft::List(vec![of("d")])),
            "[[r]]\nid = 1\n\n# two\n[[r.in]]\nof = \"d\"\n\n[[r.out]]\nof = \"c\"\n",
        ),
        (
            "[[r]]\nid = 1\n\n[[r.in]]\nof = \"a\"\n",
            set("r[0].in", &Draft::List(Vec::new())),
            "[[r]]\nid = 1\nin = []\n",
        ),
        (
            "[a]\nx = 1\n\n# deep\n[a.b]\ny = 1\n\n[c]\nz = 1\n",
            set("a.b", &of("e")),
            "[a]\nx = 1\n\n# deep\n[a.b]\nof = \"e\"\n\n[c]\nz = 1\n",
        ),
    ] {
        let document = parse(Format::Toml, text, &names);
        assert_eq!(edit(&document, &[edit_], &names).unwrap(), wanted, "{text}");
    }
}

/// What stays the same at both ends of an edited text, as a share that must not shrink.
fn check_edit(notation: impl Into<Notation>, text: &str, edit_: &Edit, drop_empty: bool) {
    let names = Names::new();
    let notation = notation.into();
    let format = notation.format();
    let document = parse(notation.clone(), text, &names);
    assert_eq!(document.faults(), [], "{text}");
    let mut tree = Draft::of(document.root(), &names);
    let splices = match splice(&document, edit_, &names) {
        Ok(splices) => splices,
        Err(EditError::Shape { .. } | EditError::NoNotation { .. }) if format == Format::Toml => return,
        Err(error) => panic!("{error}\n{edit_:?}\n{text}"),
    };
    for pair in splices.windows(2) {
        assert!(pair[0].span.end <= pair[1].span.start, "splices overlap: {splices:?}");
    }
    let mut edited = text.to_owned();
    edit::apply(&mut edited, &splices);
    intended(&mut tree, edit_);
    let again = parse(notation, &edited, &names);
    assert_eq!(again.faults(), [], "{edit_:?}\n{text}\n--- became\n{edited}");
    let mut got = Draft::of(again.root(), &names);
    if format == Format::Csv {
        // an empty cell and none at all state the same
        (got, tree) = (without_null(&got), without_null(&tree));
    }
    if format == Format::Json {
        assert_eq!(got, tree, "{edit_:?}\n{text}\n--- became\n{edited}");
    }
    assert_eq!(normal(&got, drop_empty), normal(&tree, drop_empty), "{edit_:?}\n{text}\n--- became\n{edited}");
    // line ends and comments of what was not touched stay
    assert!(!text.contains("\r\n") || !edited.replace("\r\n", "").contains('\n'), "a bare line feed\n{edited:?}");
    assert_eq!(edited.starts_with('\u{feff}'), text.starts_with('\u{feff}'));
    if let Edit::Set { .. } | Edit::Insert { .. } | Edit::Rename { .. } = edit_ {
        let comments = |text: &str| text.matches("// about").count() + text.matches("# ").count();
        let replaced: usize = splices.iter().map(|s| comments(s.span.of(text))).sum();
        assert!(comments(&edited) + replaced >= comments(text), "a comment was lost\n{edit_:?}\n{text}\n---\n{edited}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    #[test]
    fn any_text_round_trips_and_never_panics(text in "\\PC{0,60}|[\\[\\]{},:\"'a0 \n\\\\/*#.=-]{0,60}") {
        let names = Names::new();
        for format in [Format::Json, Format::Toml, Format::Yaml, Format::Xml, Format::Csv] {
            let document = parse(format, &text, &names);
            prop_assert_eq!(&**document.text(), text.as_str());
            for node in 0..document.size() {
                let node = document.node(NodeId(node as u32));
                let _ = (node.text(), node.key_span(), document.path_to(node.id(), &names).to_string());
                prop_assert!(node.span().end as usize <= text.len());
            }
        }
    }

    #[test]
    fn catalogues_are_read_and_edited_without_panic(text in "((msgid|msgstr|msgctxt|msgid_plural|msgstr\\[0\\]|msgstr\\[1\\])( \"(a|b|c\\\\n|\\\\\")?\"|\")?(\n|\r\n)|#(~ msgid \"a\")?\n|\"d\"\n|\n|x){0,16}") {
        read_and_edit_without_panic(&Format::Po.into(), &text, "two\nlines");
    }

    #[test]
    fn json_readers_agree_on_strict_texts(text in "[\\[\\]{},:\"a01. tfnulrse\\-+e\n\\\\]{0,24}") {
        let ours = parse(Format::Json, &text, &Names::new());
        let strict = ours.faults().iter().all(|f| f.repeated_key) && ours.lenient().is_empty();
        let theirs = serde_json::from_str::<serde_json::Value>(&text);
        // the other reader refuses numbers that no double can hold
        let range = theirs.as_ref().is_err_and(|e| e.to_string().contains("out of range"));
        prop_assert!(strict == theirs.is_ok() || range, "{:?}: {:?} {:?}", text, ours.faults(), theirs);
    }

    #[test]
    fn json_readers_agree_on_generated_texts(value in values(true), layout in layouts()) {
        let text = json_text(&value, &layout);
        let ours = draft(Format::Json, &text);
        prop_assert_eq!(&ours, &value);
        let options = jsonc_parser::ParseOptions {
            allow_comments: true, allow_trailing_commas: true, allow_loose_object_property_names: false,
            ..jsonc_parser::ParseOptions::default()
        };
        let theirs: serde_json::Value = jsonc_parser::parse_to_serde_value(text.trim_start_matches('\u{feff}'), &options).unwrap();
        prop_assert_eq!(normal(&ours, false), normal(&from_serde(&theirs), false));
    }

    #[test]
    fn toml_readers_agree_on_generated_texts(entries in tables(values(false)), layout in layouts()) {
        let text = toml_text(&Draft::Table(entries), &layout);
        let ours = draft(Format::Toml, &text);
        let theirs: ::toml::Table = ::toml::from_str(text.trim_start_matches('\u{feff}')).unwrap();
        prop_assert_eq!(normal(&ours, false), normal(&from_toml(&::toml::Value::Table(theirs)), false));
    }

    #[test]
    fn toml_readers_agree_on_what_is_valid(text in "([ab]|\\[|\\]|\\[\\[|\\]\\]|\\.| = |1|\"x\"|\n|#c|,|\\{|\\}){0,14}") {
        let ours = parse(Format::Toml, &text, &Names::new());
        let theirs = ::toml::from_str::<::toml::Table>(&text);
        prop_assert_eq!(ours.faults().is_empty(), theirs.is_ok(), "{:?}: {:?} {:?}", text, ours.faults(), theirs);
    }

    #[test]
    fn json_edits_give_the_intended_tree(value in values(true), new in values(true), layout in layouts(), pick in 0usize..1000) {
        let text = json_text(&value, &layout);
        for edit in edits_of(&value, pick, &new) {
            check_edit(Format::Json, &text, &edit, false);
        }
    }

    #[test]
    fn toml_edits_give_the_intended_tree(entries in tables(values(false)), new in values(false), layout in layouts(), pick in 0usize..1000) {
        let tree = Draft::Table(entries);
        let text = toml_text(&tree, &layout);
        let names = Names::new();
        let tree = Draft::of(parse(Format::Toml, &text, &names).root(), &names);
        for edit in edits_of(&tree, pick, &new) {
            check_edit(Format::Toml, &text, &edit, true);
        }
    }
}

#[test]
fn hand_picked_json_texts_are_judged_as_by_the_other_reader() {
    let texts = [
        "",
        " ",
        "null",
        "nul",
        "[1,2]",
        "[1,,2]",
        "[1 2]",
        "[1,]",
        "{\"a\":1,}",
        "{\"a\" 1}",
        "{a:1}",
        "{'a':1}",
        "01",
        "-",
        "-0",
        "1.",
        ".5",
        "1e",
        "1e5",
        "1E+5",
        "0x10",
        "NaN",
        "\"\\u12\"",
        "\"\\ud800\"",
        "\"\\ud83d\\udc1f\"",
        "\"\\x\"",
        "\"a\nb\"",
        "\"\t\"",
        "[",
        "]",
        "{",
        "}",
        "[1]]",
        "{\"a\":}",
        "{\"a\":1]",
        "[1}",
        "\u{feff}[]",
        "[\"a\\\"]",
        "tru",
        "[true false]",
        "{\"a\":1 \"b\":2}",
        "[1;2]",
        "// c\n1",
        "/* c",
        "1 2",
        "{\"\":0}",
        "\"\\/\"",
        "123456789012345678901234567890",
    ];
    for text in texts {
        let document = parse(Format::Json, text, &Names::new());
        let strict = document.faults().is_empty() && document.lenient().is_empty();
        let theirs = serde_json::from_str::<serde_json::Value>(text.trim_start_matches('\u{feff}'));
        assert_eq!(strict, theirs.is_ok(), "{text:?}: {:?} {theirs:?}", document.faults());
    }
}

#[test]
fn hand_picked_toml_texts_are_judged_as_by_the_other_reader() {
    let texts = [
        "",
        "a",
        "a =",
        "a = 1",
        "a = 1\na = 2",
        "a.b = 1\na = 2",
        "a = 1\na.b = 2",
        "[a]\n[a]",
        "[a.b]\n[a]",
        "[a]\n[a.b]",
        "[[a]]\n[a]",
        "[a]\n[[a]]",
        "[[a]]\n[[a]]\nb = 1",
        "a = {b = 1}\n[a]",
        "a = {b = 1, c = 2}",
        "a = {b = 1,}",
        "a = [1, 2,]",
        "a = [1 2]",
        "a = 'x'",
        "a = \"x",
        "a = \"\\u00e9\"",
        "a = \"\\x\"",
        "a = 01",
        "a = 1_000",
        "a = 1__0",
        "a = +1",
        "a = 0x1f",
        "a = inf",
        "a = nan",
        "a = 1.",
        "a = .5",
        "a = 1e5",
        "a = 1979-05-27",
        "a = 1979-05-27T07:32:00Z",
        "a = true",
        "a = True",
        "\"a b\" = 1",
        "'' = 1",
        "a b = 1",
        "= 1",
        "[",
        "[]",
        "[a",
        "a = \"\"\"x\ny\"\"\"",
        "# c",
        "a = 1 # c",
        "a = 1 b = 2",
        "[a.b.c]\nz = 9\n[a]\nb.c.t = 1",
        "[fruit]\napple.color = 1\n[fruit.apple]",
        "\u{feff}a = 1",
        "a = [\n  1,\n  # c\n  2\n]",
    ];
    for text in texts {
        let document = parse(Format::Toml, text, &Names::new());
        let theirs = ::toml::from_str::<::toml::Table>(text.trim_start_matches('\u{feff}'));
        assert_eq!(document.faults().is_empty(), theirs.is_ok(), "{text:?}: {:?} {theirs:?}", document.faults());
    }
}

#[test]
fn a_slip_in_json_is_named_where_it_is_and_the_rest_is_read() {
    for (text, at, message, read) in [
        ("{\"a\": 1 \"b\": 2}", 7, "a comma is missing here", "{a: 1, b: 2}"),
        ("{\"a\": yes}", 6, "`yes` must be quoted: \"yes\"", "{a: null}"),
        ("{\"a\": True}", 6, "`True` must be written `true`", "{a: null}"),
        ("{\"a\": 'x', \"b\": 1}", 6, "texts are quoted by `\"`, not by `'`", "{a: null, b: 1}"),
        ("{a: 1}", 1, "keys are quoted: \"a\"", "{a: 1}"),
        ("{\"a\" = 1}", 5, "a key is followed by `:`, not by `=`", "{a: 1}"),
        ("[1; 2]", 2, "entries are separated by `,`, not by `;`", "[1, 2]"),
        ("{\"a\": }", 6, "a value is missing here", "{a: null}"),
        ("{\"a\"}", 1, "this key has no value", "{a: null}"),
        ("[007]", 1, "`007` is no number; leave out the leading zero, or quote it", "[null]"),
        ("{\"a\": [1, 2}", 6, "this list is not closed by `]`", "{a: [1, 2]}"),
        ("{\"a\": \"x\n, \"b\": 1}", 6, "this text is not closed by `\"` on its line", "{a: x, b: 1}"),
        (
            "[{\"a\": 1}, \"a\": 2, \"b\": [3]}, {\"a\": 3}]",
            11,
            "a `{` is missing before \"a\"",
            "[{a: 1}, {a: 2, b: [3]}, {a: 3}]",
        ),
        ("{\"l\": [\"a\": 2}]}", 7, "a `{` is missing before \"a\"", "{l: [{a: 2}]}"),
        ("{\n \"a\": {\"x\": 1,\n \"b\": 2\n}", 8, "this table is not closed by `}`", "{a: {x: 1, b: 2}}"),
        ("{\"a\": [\"x\", \"y\", \"b\": 1}", 6, "this list is not closed by `]`", "{a: [x, y], b: 1}"),
        (
            "{\"a\": [\"x\": 1, \"y\": 2]}",
            6,
            "entries with keys stand in `{` and `}`, not in `[` and `]`",
            "{a: {x: 1, y: 2}}",
        ),
        ("[1] 2", 4, "nothing may follow the end of the value", "[1]"),
        ("{\"a\": 1, , \"b\": 2}", 9, "a comma too many", "{a: 1, b: 2}"),
    ] {
        let names = Names::new();
        let document = parse(Format::Json, text, &names);
        let faults: Vec<_> = document.faults().iter().map(|f| (f.span.start, f.message.to_string())).collect();
        assert_eq!(faults, [(at, message.to_owned())], "{text}");
        assert_eq!(Draft::of(document.root(), &names).short(), read, "{text}");
    }
}

#[test]
fn repeated_keys_are_reported_with_both_places_and_the_last_counts() {
    for (format, text) in
        [(Format::Json, "{\"a\": 1, \"b\": 2, \"\\u0061\": 3}"), (Format::Toml, "a = 1\nb = 2\n\"a\" = 3\n")]
    {
        let names = Names::new();
        let document = parse(format, text, &names);
        let [fault] = document.faults() else { panic!("{:?}", document.faults()) };
        assert!(fault.repeated_key && !document.is_broken());
        assert!(fault.second.as_ref().unwrap().0 < fault.span);
        assert_eq!(document.root().get_named("a", &names).unwrap().raw(), "3");
    }
    let many: String = (0..40).map(|n| format!("\"k{}\": {n},", n % 39)).collect();
    let document = parse(Format::Json, &format!("{{{many}}}"), &Names::new());
    assert_eq!(document.faults().len(), 1);
}

#[test]
fn depth_and_encoding_are_bounded_with_a_clear_fault() {
    let names = Names::new();
    for (format, text) in [
        (Format::Json, "[".repeat(100_000)),
        (Format::Json, "{\"a\":".repeat(100_000)),
        (Format::Toml, format!("a = {}", "[".repeat(100_000))),
        (Format::Toml, format!("{} = 1", "a.".repeat(100_000) + "a")),
    ] {
        let document = parse(format, &text, &names);
        assert!(document.is_broken());
        assert!(
            document.faults().iter().any(|f| f.message.to_string().contains("deeper")
                || f.message.to_string().contains("parts")
                || f.message.to_string().contains("recursion")
                || f.message.to_string().contains("nested")),
            "{:?}",
            document.faults()
        );
    }
    let mut cache = NameCache::new(&names);
    let document = Document::parse_bytes(FileId(0), Format::Json.into(), b"{\"a\":\n \"\xff\"}".to_vec(), &mut cache);
    assert_eq!(
        document.faults()[0].message.to_string(),
        "not UTF-8: the byte at offset 8 (line 2) begins no character; save the file as UTF-8"
    );
}

#[test]
fn edits_follow_the_neighbours_habits() {
    let set = |at: &str, to: Draft| Edit::Set { at: FieldPath::parse(at).unwrap(), to };
    let remove = |at: &str| Edit::Remove { at: FieldPath::parse(at).unwrap() };
    let into =
        |at: &str, value: Draft| Edit::Insert { into: FieldPath::parse(at).unwrap(), before: None, key: None, value };
    let text = |t: &str| Draft::Text(t.to_owned());
    let lamp = "{\n\t\"lamp\": {\n\t\t\"burn\": 40, // minutes\n\t\t\"tags\": [\"fuel\"],\n\t\t// kept dry\n\t\t\"dry\": true // mostly\n\t}\n}\n";
    let peat = "# the fen\r\ncut = 3\r\n\r\n[spade]\r\nworn = 1 # a bit\r\n# reeds\r\n[spade.edge]\r\nkeen = 2";
    for (format, before, edit_, after) in [
        (Format::Json, lamp, set("lamp.burn", Draft::integer(55)), lamp.replace("40", "55")),
        (
            Format::Json,
            lamp,
            set("lamp.soot", Draft::integer(2)),
            lamp.replace("true // mostly", "true, // mostly\n\t\t\"soot\": 2"),
        ),
        (Format::Json, lamp, into("lamp.tags", text("oil")), lamp.replace("[\"fuel\"]", "[\"fuel\", \"oil\"]")),
        (Format::Json, lamp, remove("lamp.dry"), lamp.replace(",\n\t\t// kept dry\n\t\t\"dry\": true // mostly", "")),
        (Format::Json, lamp, remove("lamp.burn"), lamp.replace("\t\t\"burn\": 40, // minutes\n", "")),
        (Format::Json, lamp, remove("lamp.tags[0]"), lamp.replace("[\"fuel\"]", "[]")),
        (
            Format::Json,
            "{}",
            set("a", Draft::Table(vec![("b".to_owned(), Draft::integer(1))])),
            "{\n  \"a\": {\n    \"b\": 1\n  }\n}".to_owned(),
        ),
        (Format::Json, "[1,2]", into("[0]", text("x")), String::new()),
        (Format::Toml, peat, set("spade.worn", Draft::integer(9)), peat.replace("worn = 1", "worn = 9")),
        (
            Format::Toml,
            peat,
            set("spade.grip", text("ash")),
            peat.replace("# a bit\r\n", "# a bit\r\ngrip = \"ash\"\r\n"),
        ),
        (Format::Toml, peat, set("spade.edge.old", Draft::Boolean(true)), format!("{peat}\r\nold = true")),
        (Format::Toml, peat, remove("cut"), peat.replace("# the fen\r\ncut = 3\r\n", "")),
        (Format::Toml, peat, remove("spade.edge"), peat.replace("# reeds\r\n[spade.edge]\r\nkeen = 2", "")),
        (Format::Toml, "a = { b = 1, }\n", remove("a.b"), "a = {}\n".to_owned()),
        (Format::Toml, "a = [{ b = 1 , c = 2,}]\n", remove("a[0].c"), "a = [{ b = 1,}]\n".to_owned()),
        (
            Format::Toml,
            "[a]\nb.c = 1\nd = 2\n",
            set("a.e", Draft::List(vec![Draft::Table(vec![])])),
            "[a]\nb.c = 1\nd = 2\n\n[[a.e]]\n".to_owned(),
        ),
        (
            Format::Toml,
            peat,
            Edit::Rename { at: FieldPath::parse("spade").unwrap(), to: "slane".to_owned() },
            peat.replace("spade", "slane"),
        ),
    ] {
        let names = Names::new();
        let document = parse(format, before, &names);
        match edit(&document, std::slice::from_ref(&edit_), &names) {
            Ok(got) => assert_eq!(got, after, "{edit_:?}"),
            Err(error) => assert_eq!(after, "", "{edit_:?}: {error}"),
        }
    }
}

#[test]
fn several_edits_are_made_one_upon_the_other() {
    let names = Names::new();
    let document = parse(Format::Json, "{\"a\": 1, \"b\": [], \"c\": 3}", &names);
    let path = |p: &str| FieldPath::parse(p).unwrap();
    let edits = [
        Edit::Set { at: path("a"), to: Draft::integer(7) },
        Edit::Set { at: path("c"), to: Draft::integer(8) },
        Edit::Insert { into: path("b"), before: None, key: None, value: Draft::Text("x".to_owned()) },
        Edit::Remove { at: path("a") },
        Edit::Rename { at: path("c"), to: "d".to_owned() },
    ];
    assert_eq!(edit(&document, &edits, &names).unwrap(), "{\"b\": [\"x\"], \"d\": 8}");
    let broken = parse(Format::Json, "{\"a\": 1", &names);
    assert!(matches!(edit(&broken, &edits, &names), Err(EditError::Broken(_))));
    let twice =
        Edit::Insert { into: FieldPath::default(), before: None, key: Some("a".to_owned()), value: Draft::Null };
    assert_eq!(splice(&document, &twice, &names), Err(EditError::KeyThere("a".to_owned())));
}

#[test]
fn edits_of_the_top_of_a_file_are_refused_or_can_be_read_again() {
    let names = Names::new();
    for format in [Format::Json, Format::Toml, Format::Yaml, Format::Xml, Format::Csv, Format::Po] {
        for text in ["", "\n", "a", "{}", "<a/>", "msgid \"a\"\nmsgstr \"b\"\n"] {
            let document = parse(format, text, &names);
            let top = FieldPath::default();
            for edit_ in [
                Edit::Remove { at: top.clone() },
                Edit::Rename { at: top.clone(), to: "b".to_owned() },
                Edit::Set { at: top, to: Draft::Text("c".to_owned()) },
            ] {
                if let Ok(edited) = edit(&document, std::slice::from_ref(&edit_), &names) {
                    let again = parse(format, &edited, &names);
                    assert!(!again.is_broken(), "{format:?} {edit_:?}\n{text}\n--- became\n{edited}");
                }
            }
        }
    }
}
