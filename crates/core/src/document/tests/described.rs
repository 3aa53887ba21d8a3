//! Described text: sections, braces, packed values; read and edited as the marks say.

use super::*;

pub(super) fn marks(which: usize) -> Marks {
    let own = |word: &str| Some(word.to_owned());
    match which % 7 {
        0 => Marks {
            section: Some(("[".to_owned(), "]".to_owned())),
            named: own("id"),
            join: own(","),
            ..Marks::plain()
        },
        1 => Marks { assign: ":".to_owned(), braces: true, comments: vec!["//".to_owned()], ..Marks::plain() },
        2 => Marks { assign: " ".to_owned(), braces: true, include: own("include"), any_case: true, ..Marks::plain() },
        // sections that are closed by name
        3 => Marks {
            section: Some(("[".to_owned(), "]".to_owned())),
            closing: Some(("[/".to_owned(), "]".to_owned())),
            join: own(","),
            long: true,
            ..Marks::plain()
        },
        // blocks with a name
        4 => Marks { braces: true, named: own("id"), ..Marks::plain() },
        // tables under headings
        5 => Marks {
            section: Some(("[".to_owned(), "]".to_owned())),
            headings: Some(("{".to_owned(), "}".to_owned())),
            join: own(", "),
            ..Marks::plain()
        },
        // lines further in
        _ => Marks { assign: " ".to_owned(), indents: true, named: own("id"), bare: true, ..Marks::plain() },
    }
}

fn scalars() -> impl Strategy<Value = Draft> {
    prop_oneof!["[a-z]{1,5}", "[a-z0-9. ]{0,6}", "[a-z/#]{1,4}"].prop_map(Draft::Text)
}

pub(super) fn entries(nested: bool) -> impl Strategy<Value = Vec<(String, Draft)>> {
    let word = prop_oneof![
        4 => scalars(),
        1 => prop::collection::vec("[a-z]{1,3}".prop_map(Draft::Text), 2..4).prop_map(Draft::List),
        1 => prop::collection::vec(prop::collection::vec(("[b-e]", scalars()), 1..4), 1..4)
            .prop_map(|rows| Draft::List(rows.into_iter().map(|row| Draft::Table(unique(row))).collect())),
        if nested { 2 } else { 0 } => prop::collection::vec(("[b-y]{1,3}", scalars()), 1..4).prop_map(|entries| Draft::Table(unique(entries))),
    ];
    // some have a name
    let named = prop::option::weighted(0.3, "[a-z]{1,4}( [a-z]{1,3})?");
    (named, prop::collection::vec(("[b-y]{1,3}", word), 1..4)).prop_map(|(name, entries)| {
        let name = name.map(|name| ("id".to_owned(), Draft::Text(name)));
        unique(name.into_iter().chain(entries).collect())
    })
}

pub(super) fn unique(entries: Vec<(String, Draft)>) -> Vec<(String, Draft)> {
    let mut seen = std::collections::BTreeSet::new();
    entries.into_iter().filter(|(key, _)| seen.insert(key.clone())).collect()
}

/// Keys sorted, lists of one as their item, tables with nothing but a name as that.
fn same(value: &Draft) -> Draft {
    match value {
        Draft::List(items) => match items.as_slice() {
            [one] => same(one),
            _ => Draft::List(items.iter().map(same).collect()),
        },
        // with nothing but its name, a table is a line like others
        Draft::Table(entries) if matches!(entries.as_slice(), [(key, _)] if key == "id") => same(&entries[0].1),
        Draft::Table(entries) => {
            let mut entries: Vec<(String, Draft)> =
                entries.iter().map(|(key, value)| (key.clone(), same(value))).collect();
            entries.sort_by(|a, b| a.0.cmp(&b.0));
            Draft::Table(entries)
        }
        scalar => Draft::Text(scalar.word().unwrap_or_default()),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn what_is_written_reads_as_it_was_meant_and_edits_give_the_intended_tree(
        which in 0usize..7, tops in prop::collection::vec(("[b-y]{1,3}", entries(true)), 1..4), flat in entries(false),
        new in prop_oneof![scalars(), entries(true).prop_map(Draft::Table), entries(false).prop_map(|e| Draft::List(e.into_iter().map(|(_, v)| v).collect()))],
        pick in 0usize..1000, crlf: bool, comments in 0usize..4,
    ) {
        let names = Names::new();
        let notation = Notation::described(Marks { blocks: vec![("/*".to_owned(), "*/".to_owned())], ..marks(which) });
        let tops = tops.into_iter().map(|(key, entries)| (key, Draft::Table(entries)));
        let tree = Draft::Table(unique(flat.into_iter().chain(tops).collect()));
        // nested tables in sections have no notation
        let Ok(mut text) = super::super::whole(&notation, &[], &tree, &names) else { return Ok(()) };
        let line = marks(which).comments[0].clone();
        if comments == 1 {
            text = format!("{line} a /* remark\n\n{}", text.replacen('\n', &format!(" {line} behind\n{line} a remark\n"), 1));
        }
        // over several lines, with what would be entries, above a line and behind its value
        if comments > 1 {
            let remark = format!("/* a {{ remark\n [x] = y }} {line} */");
            let behind = if comments == 2 { format!("\n{remark}\n") } else { format!(" {remark}\n") };
            text = format!("{remark}\n{}", text.replacen('\n', &behind, 1));
        }
        if crlf {
            text = text.replace('\n', "\r\n");
        }
        let document = parse(notation.clone(), &text, &names);
        prop_assert_eq!(document.faults(), &[][..], "{}", &text);
        let read = Draft::of(document.root(), &names);
        prop_assert_eq!(same(&read), same(&tree), "{}", &text);
        for edit in edits_of(&read, pick, &new) {
            let edited = match super::super::edit(&document, std::slice::from_ref(&edit), &names) {
                Ok(edited) => edited,
                Err(EditError::NoNotation { .. } | EditError::Shape { .. } | EditError::Unusual(_)) => continue,
                Err(error) => panic!("{error}\n{edit:?}\n{text}"),
            };
            let mut wanted = read.clone();
            intended(&mut wanted, &edit);
            let again = parse(notation.clone(), &edited, &names);
            prop_assert_eq!(same(&Draft::of(again.root(), &names)), same(&wanted), "{:?}\n{}\n--- became\n{}", edit, text, edited);
            prop_assert!(!crlf || !edited.replace("\r\n", "").contains('\n'), "a bare line feed\n{:?}", edited);
        }
    }

    #[test]
    fn any_text_is_read_without_panic(which in 0usize..7, text in "([a-c]|=|: |\\[|\\[/|\\]|\\{|\\}|, |\"|#|//|/\\*|\\*/|\\(|\\)|include | |\n|é){0,30}") {
        let pair = |open: &str, close: &str| (open.to_owned(), close.to_owned());
        let own = Marks { blocks: vec![pair("/*", "*/"), pair("(", ")")], ..marks(which) };
        read_and_edit_without_panic(&Notation::described(own), &text, "new = x");
    }
}

fn read(marks: Marks, text: &str) -> (String, Vec<String>) {
    let names = Names::new();
    let document = parse(Notation::described(marks), text, &names);
    let faults = document.faults().iter().map(|fault| fault.message.to_string()).collect();
    (Draft::of(document.root(), &names).short(), faults)
}

#[test]
fn comments_with_an_end_of_their_own_are_passed_over() {
    let pair = |open: &str, close: &str| (open.to_owned(), close.to_owned());
    let blocks = vec![pair("/*", "*/"), pair("@macro", "@end"), pair("(", ")")];
    let own = Marks { blocks, ..marks(0) };
    let text = "/* one\n two = 2 */ a = 1 /* three\n*/\n@macro X\n[y]\n@end\n(call (a = 2\n) b)\n[s]\n# not /* here\nb = 3\nc = x/*y\n";
    let (tree, faults) = read(own.clone(), text);
    assert_eq!((tree.as_str(), faults.len()), ("{a: 1, s: {b: 3, c: x/*y}}", 0), "{faults:?}");
    let (tree, faults) = read(own, "a = 1\n/* b = 2\n[s]\nc = 3\n");
    assert_eq!((tree.as_str(), faults), ("{a: 1}", vec!["this comment is never closed".to_owned()]));
}

#[test]
fn sections_packed_values_includes_and_braces_are_read() {
    let text = "; spores\nname = Cellar\n\n[spore velvet cap]\ncolor = deep red ; remark\nlikes = damp, dark\nlikes = \"old, wood\"\n\n[spore]\n[shelf]\n";
    let own = Marks { comments: vec![";".to_owned()], ..marks(0) };
    assert_eq!(
        read(own, text),
        ("{name: Cellar, spore: [{id: velvet cap, color: deep red, likes: [[damp, dark], old, wood]}, {}], shelf: {}}".to_owned(), vec![])
    );
    let text = "Lamp {\n\tWick wool\n\tinclude lamps/base.txt\n\tOIL { eel nut }\n\tstand { height 3 }\n}\n";
    assert_eq!(
        read(marks(2), text),
        ("{lamp: {wick: wool, include: lamps/base.txt, oil: [eel, nut], stand: [height, 3]}}".to_owned(), vec![])
    );
    let text = "lamp: {\n  wick: wool // soft\n  shade {\n    of: glass\n  }\n  oils: { eel nut }\n}\n";
    assert_eq!(read(marks(1), text), ("{lamp: {wick: wool, shade: {of: glass}, oils: [eel, nut]}}".to_owned(), vec![]));
}

#[test]
fn slips_are_named_where_they_are() {
    let faults = |which: usize, text: &str| read(marks(which), text).1;
    assert_eq!(faults(0, "a 1\n"), ["`=` is missing behind `a`"]);
    assert_eq!(faults(0, "= 1\n"), ["a key is missing before `=`"]);
    assert_eq!(faults(0, "[]\n"), ["this section has no name"]);
    assert_eq!(faults(1, "a: {\n  b: 1\n"), ["this `{` is never closed by `}`"]);
    assert_eq!(faults(1, "a: 1\n}\n"), ["this `}` closes nothing"]);
    let deep = "a {\n".repeat(100_000);
    assert!(faults(2, &deep)[0].starts_with("nested deeper") || faults(2, &deep)[0].contains("never closed"));
}

#[test]
fn edits_keep_the_layout_around_them() {
    let names = Names::new();
    let text =
        "# the cellar\r\n[spore velvet]\r\ncolor=red\r\nlikes=damp, dark\r\n\r\n# the shelf\r\n[shelf]\r\nholds=3\r\n";
    let document = parse(Notation::described(marks(0)), text, &names);
    let path = |text: &str| FieldPath::parse(text).unwrap();
    let word = |text: &str| Draft::Text(text.to_owned());
    let edits = [
        Edit::Set { at: path("spore.color"), to: word("pale # blue") },
        Edit::Insert { into: path("spore.likes"), before: None, key: None, value: word("rain") },
        Edit::Set { at: path("spore.weight"), to: Draft::integer(2) },
        Edit::Set { at: path("spore.id"), to: word("velvet cap") },
        Edit::Remove { at: path("shelf") },
    ];
    let edited = super::super::edit(&document, &edits, &names).unwrap();
    assert_eq!(
        edited,
        "# the cellar\r\n[spore velvet cap]\r\ncolor=\"pale # blue\"\r\nlikes=damp, dark, rain\r\nweight=2\r\n\r\n"
    );
}

#[test]
fn sections_with_ends_named_blocks_and_lines_further_in_are_read() {
    let text = "version=3\n[unit]\n  # the first\n  id=eel\n  [attack]\n    reach=4\n  [/attack]\n  [attack]\n    reach=7\n  [/attack]\n  cost=9\n[/unit]\n[unit]\n[/unit]\n";
    let nested = "{version: 3, unit: [{id: eel, attack: [{reach: 4}, {reach: 7}], cost: 9}, {}]}".to_owned();
    assert_eq!(read(marks(3), text), (nested, vec![]));
    let text = "lamp brass plate {\n  oil = eel\n  shade { of = glass }\n}\nlamp tin { oil = nut }\nlamp\n{\n  oil = tar\n}\nplain = x { y\n";
    assert_eq!(
        read(marks(4), text),
        (
            "{lamp: [{id: brass plate, oil: eel, shade: {of: glass}}, {id: tin, oil: nut}, {oil: tar}], plain: x { y}"
                .to_owned(),
            vec![]
        )
    );
    let text = "# boats\nship Old Coot\n    hull 100\n    gun long\n        reach 5\n        loud\n\n    gun short\n        reach 2\n    # the end\nship Tern\n    hull 40\nport\n    depth 3\n";
    let told = "{ship: [{id: Old Coot, hull: 100, gun: [{id: long, reach: 5, loud: }, {id: short, reach: 2}]}, {id: Tern, hull: 40}], port: {depth: 3}}";
    assert_eq!(read(marks(6), text), (told.to_owned(), vec![]));
}

#[test]
fn texts_in_quotes_go_on_over_lines_where_that_is_said() {
    let text = "[unit]\n  says=\"one # no remark\n  two\" # a remark\n  odd=it is 5\" long\n  cost=9\n[/unit]\n";
    let told = "{unit: {says: one # no remark\n  two, odd: it is 5\" long, cost: 9}}";
    assert_eq!(read(marks(3), text), (told.to_owned(), vec![]));
    let short = Marks { long: false, ..marks(3) };
    assert!(!read(short, text).1.is_empty());
    // written so, too, with the file's own line ends
    let names = Names::new();
    let document = parse(Notation::described(marks(3)), "[unit]\r\n  cost=9\r\n[/unit]\r\n", &names);
    let at = FieldPath::parse("unit.says").unwrap();
    let edit = super::super::Edit::Set { at, to: Draft::Text("one\r\ntwo".to_owned()) };
    let edited = super::super::edit(&document, &[edit], &names).unwrap();
    assert_eq!(edited, "[unit]\r\n  cost=9\r\n  says=\"one\r\ntwo\"\r\n[/unit]\r\n");
}

#[test]
fn slips_in_what_nests_are_named_where_they_are() {
    let faults = |which: usize, text: &str| read(marks(which), text).1;
    assert_eq!(faults(3, "[a]\nb=1\n"), ["the section `a` is never closed"]);
    assert_eq!(faults(3, "[a]\n[b]\n[/a]\n"), ["the section `b` is never closed"]);
    assert_eq!(faults(3, "[/a]\nb=1\n"), ["nothing called `a` is open here"]);
    assert_eq!(faults(6, "a 1\n  b 2\n    c\n   d 3\n"), [] as [&str; 0]);
    assert_eq!(faults(6, "a 1\n  b 2\n c 3\n"), [] as [&str; 0]);
    let deep: String = (0..3000).map(|n| format!("{}a\n", " ".repeat(n))).collect();
    assert!(faults(6, &deep)[0].starts_with("nested deeper"));
    assert!(faults(3, &"[a]\n".repeat(3000)).iter().any(|fault| fault.starts_with("nested deeper")));
}

#[test]
fn words_in_quotes_are_entries_of_lists_and_stay_in_quotes() {
    let names = Names::new();
    let text = "[pan]\nname = \"Salt pan\"\nsort = wide\nholds = \"salt\", \"brine, thick\"\nopen = yes\n";
    assert_eq!(
        read(marks(5), text),
        ("{pan: {name: Salt pan, sort: wide, holds: [salt, brine, thick], open: yes}}".to_owned(), vec![])
    );
    let document = parse(Notation::described(marks(5)), text, &names);
    let path = |text: &str| FieldPath::parse(text).unwrap();
    let word = |text: &str| Draft::Text(text.to_owned());
    let edits = [
        Edit::Set { at: path("pan.name"), to: word("Pan") },
        Edit::Set { at: path("pan.sort"), to: word("deep") },
        Edit::Insert { into: path("pan.holds"), before: None, key: None, value: word("ash") },
        Edit::Insert { into: path("pan"), before: None, key: Some("price".to_owned()), value: Draft::integer(3) },
        Edit::Insert {
            into: FieldPath::default(),
            before: None,
            key: Some("kiln".to_owned()),
            value: Draft::Table(vec![
                ("name".to_owned(), word("Kiln")),
                ("sort".to_owned(), word("hot")),
                ("holds".to_owned(), Draft::List(vec![word("ash"), word("salt")])),
                ("open".to_owned(), word("no")),
            ]),
        },
    ];
    let edited = super::super::edit(&document, &edits, &names).unwrap();
    assert_eq!(
        edited,
        "[pan]\nname = \"Pan\"\nsort = deep\nholds = \"salt\", \"brine, thick\", \"ash\"\nopen = yes\nprice = 3\n\n[kiln]\nname = \"Kiln\"\nsort = hot\nholds = \"ash\", \"salt\"\nopen = no\n"
    );
}

#[test]
fn rows_stand_under_headings() {
    let names = Names::new();
    let text = "[pan]\r\nneeds =\r\n    { \"what\", \"many\", \"of\" ; a remark\r\n      \"salt\", 3\r\n      ; thick\r\n      \"brine, thick\", , \"sea\" ; here\r\n    }\r\ncost = 4\r\nmay = {}\r\n[kiln]\r\nneeds = { \"what\", \"many\"\r\n\t\"ash\", 1 }\r\n";
    let own = || Marks { comments: vec![";".to_owned()], ..marks(5) };
    let document = parse(Notation::described(own()), text, &names);
    assert_eq!(
        read(own(), text),
        (
            "{pan: {needs: [{what: salt, many: 3}, {what: brine, thick, of: sea}], cost: 4, may: []}, kiln: {needs: [{what: ash, many: 1}]}}"
                .to_owned(),
            vec![]
        )
    );
    let path = |text: &str| FieldPath::parse(text).unwrap();
    let word = |text: &str| Draft::Text(text.to_owned());
    let row = |what: &str, many: i64| {
        Draft::Table(vec![("what".to_owned(), word(what)), ("many".to_owned(), Draft::integer(many))])
    };
    let edits = [
        Edit::Set { at: path("pan.needs[0].of"), to: word("bog") },
        Edit::Set { at: path("pan.needs[1].many"), to: Draft::integer(9) },
        Edit::Insert { into: path("pan.needs"), before: None, key: None, value: row("peat", 2) },
        Edit::Remove { at: path("pan.needs[0].many") },
        Edit::Insert { into: path("kiln.needs"), before: Some(0), key: None, value: row("peat", 5) },
        Edit::Set { at: path("kiln.needs[1].by"), to: word("night") },
        Edit::Remove { at: path("kiln.needs[1].by") },
    ];
    let edited = super::super::edit(&document, &edits, &names).unwrap();
    assert_eq!(
        edited,
        "[pan]\r\nneeds =\r\n    { \"what\", \"many\", \"of\" ; a remark\r\n      \"salt\", , \"bog\"\r\n      ; thick\r\n      \"brine, thick\", 9, \"sea\" ; here\r\n      \"peat\", 2\r\n    }\r\ncost = 4\r\nmay = {}\r\n[kiln]\r\nneeds = { \"what\", \"many\", \"by\"\r\n\t\"peat\", 5\r\n\t\"ash\", 1 }\r\n"
    );
    let faults = |text: &str| read(marks(5), text).1;
    assert_eq!(faults("a = { \"b\", \"c\"\n1, 2, 3\n}\n"), ["this row has 3 cells, and there are 2 headings"]);
    assert_eq!(faults("a = { \"b\", \"b\"\n1, 2\n}\n"), ["the heading `b` stands here twice"]);
    assert_eq!(faults("a = { \"b\"\n1\n[c]\nd = 1\n"), ["this `{` is never closed by `}`"]);
}
