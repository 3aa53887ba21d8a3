//! XML: attributes, children, repetition and text are read, and edited where they stand.

use super::*;

fn scalars() -> impl Strategy<Value = Draft> {
    prop_oneof![
        words().prop_map(Draft::Text),
        "[a-z<>&\"' \n]{0,6}".prop_map(Draft::Text),
        (-99i64..99).prop_map(|n| Draft::Text(n.to_string())),
    ]
}

/// What an element can hold: a text, or fields of which some repeat.
fn elements() -> impl Strategy<Value = Draft> {
    scalars().prop_recursive(4, 30, 5, |inner| {
        let repeated = prop::collection::vec(inner.clone(), 2..4).prop_map(Draft::List);
        prop::collection::vec(("[a-z]{1,2}", prop_oneof![3 => inner, 1 => repeated]), 1..5).prop_map(|entries| {
            let mut seen = std::collections::BTreeSet::new();
            Draft::Table(entries.into_iter().filter(|(key, _)| seen.insert(key.clone())).collect())
        })
    })
}

fn references(text: &str, dice: &mut Dice, attribute: bool) -> String {
    let mut out = String::new();
    let last = text.chars().count().saturating_sub(1);
    for (at, c) in text.chars().enumerate() {
        let edge = at == 0 || at == last;
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' if attribute => out.push_str("&quot;"),
            c if (c.is_whitespace() && (edge || attribute)) || dice.roll(20) => {
                out.push_str(&format!("&#{};", u32::from(c)));
            }
            c => out.push(c),
        }
    }
    out
}

fn write(name: &str, value: &Draft, layout: &Layout, depth: usize, dice: &mut Dice, out: &mut String) {
    let (nl, pad) = (layout.line_break, layout.unit.repeat(depth));
    if let Draft::List(items) = value {
        return items.iter().for_each(|item| write(name, item, layout, depth, dice, out));
    }
    if layout.comments && dice.roll(4) {
        out.push_str(&format!("{pad}<!-- about <{name}> -->{nl}"));
    }
    out.push_str(&format!("{pad}<{name}"));
    match value {
        Draft::Table(entries) => {
            let mut children = Vec::new();
            for entry in entries {
                match &entry.1 {
                    Draft::Text(text) if dice.roll(2) => {
                        let between = if dice.roll(5) { format!("{nl}{pad}  ") } else { " ".to_owned() };
                        out.push_str(&format!("{between}{}=\"{}\"", entry.0, references(text, dice, true)));
                    }
                    _ => children.push(entry),
                }
            }
            if children.is_empty() {
                out.push_str(if dice.roll(2) { "/>" } else { " />" });
            } else {
                out.push_str(&format!(">{nl}"));
                children.iter().for_each(|(key, value)| write(key, value, layout, depth + 1, dice, out));
                out.push_str(&format!("{pad}</{name}>"));
            }
        }
        scalar => {
            let text = scalar.word().unwrap();
            if text.is_empty() {
                out.push_str(if dice.roll(2) { "/>" } else { ">" });
                if out.ends_with("/>") {
                    out.push_str(nl);
                    return;
                }
            } else if dice.roll(6) {
                out.push_str(&format!("><![CDATA[{text}]]>"));
            } else {
                out.push_str(&format!(">{}", references(&text, dice, false)));
            }
            out.push_str(&format!("</{name}>"));
        }
    }
    out.push_str(nl);
}

fn xml_text(value: &Draft, layout: &Layout, seed: u64) -> String {
    let nl = layout.line_break;
    let mut out = String::from(if layout.bom { "\u{feff}" } else { "" });
    if layout.trailing {
        out.push_str(&format!("<?xml version=\"1.0\"?>{nl}<!DOCTYPE fen [ <!ENTITY eel \"Eel\"> ]>{nl}"));
    }
    write("fen", value, layout, 0, &mut Dice(seed), &mut out);
    if !layout.final_break {
        out.truncate(out.trim_end().len());
    }
    out
}

/// Equal trees: notation aside, one is a list of one, and nothing but a text is a text.
fn same(value: &Draft) -> Draft {
    match value {
        Draft::Text(text) => Draft::Text(text.replace("\r\n", "\n")),
        Draft::List(items) => match items.as_slice() {
            [one] => same(one),
            _ => Draft::List(items.iter().map(same).collect()),
        },
        Draft::Table(entries) => {
            let kept = entries.iter().filter(|(_, value)| !matches!(value, Draft::List(items) if items.is_empty()));
            let mut kept: Vec<(String, Draft)> =
                kept.map(|(key, value)| (key.trim_start_matches('@').to_owned(), same(value))).collect();
            kept.sort_by(|a, b| a.0.cmp(&b.0));
            match kept.as_slice() {
                [] => Draft::Text(String::new()),
                [(key, own)] if key == "#text" => own.clone(),
                _ => Draft::Table(kept),
            }
        }
        scalar => Draft::Text(scalar.word().unwrap_or_default()),
    }
}

fn check(text: &str, edit_: &Edit) {
    let names = Names::new();
    let document = parse(Format::Xml, text, &names);
    assert_eq!(document.faults(), [], "{text}");
    let mut tree = Draft::of(document.root(), &names);
    let edited = match super::edit(&document, std::slice::from_ref(edit_), &names) {
        Ok(edited) => edited,
        Err(EditError::NoNotation { .. } | EditError::Shape { .. }) => return,
        Err(error) => panic!("{error}\n{edit_:?}\n{text}"),
    };
    intended(&mut tree, edit_);
    let again = parse(Format::Xml, &edited, &names);
    assert_eq!(again.faults(), [], "{edit_:?}\n{text}\n--- became\n{edited}");
    assert_eq!(same(&Draft::of(again.root(), &names)), same(&tree), "{edit_:?}\n{text}\n--- became\n{edited}");
    let bare = text.replace("\r\n", "").contains('\n');
    assert!(
        bare || !text.contains("\r\n") || !edited.replace("\r\n", "").contains('\n'),
        "a bare line feed\n{edited:?}"
    );
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn generated_texts_are_read_as_they_were_meant(value in elements(), layout in layouts(), seed: u64) {
        let text = xml_text(&value, &layout, seed);
        let names = Names::new();
        let document = parse(Format::Xml, &text, &names);
        prop_assert_eq!(document.faults(), &[][..], "{}", &text);
        let whole = Draft::Table(vec![("fen".to_owned(), value)]);
        prop_assert_eq!(same(&Draft::of(document.root(), &names)), same(&whole), "{}", &text);
    }

    #[test]
    fn edits_give_the_intended_tree(
        value in elements(), new in prop_oneof![elements(), values(false)], layout in layouts(), pick in 0usize..1000,
        seed: u64,
    ) {
        let text = xml_text(&value, &layout, seed);
        let names = Names::new();
        let tree = Draft::of(parse(Format::Xml, &text, &names).root(), &names);
        for edit in edits_of(&tree, pick, &new) {
            check(&text, &edit);
        }
        let key = Draft::Text("brand new".to_owned());
        if matches!(value, Draft::Table(_)) {
            check(&text, &Edit::Insert { into: path("fen"), before: None, key: Some("@brand".to_owned()), value: key });
        }
    }

    #[test]
    fn any_xml_like_text_is_read_without_panic(text in "(<a>|</a>|<b|/>|>| c=\"|'|&lt;|&x;|&|<!--|-->|<!\\[CDATA\\[|\\]\\]>|<\\?p|\\?>|<!DOCTYPE|\\[|é|x|\n){0,24}") {
        read_and_edit_without_panic(&Format::Xml.into(), &text, "a<b&\"c'");
    }
}

fn path(text: &str) -> FieldPath {
    FieldPath::parse(text).unwrap()
}

fn faults(text: &str) -> Vec<String> {
    let names = Names::new();
    parse(Format::Xml, text, &names).faults().iter().map(|fault| fault.message.to_string()).collect()
}

#[test]
fn an_element_is_its_text_or_a_table_and_repeated_ones_are_a_list() {
    let text = "<?xml version=\"1.0\"?>\n<!-- c --><fen edge='a&#9;b'>\n <eel/>\n <eel> Anna &amp; co </eel>\n <mud edge=\"2\">dark<!-- c -->er</mud>\n <edge><![CDATA[ <x> ]]></edge>\n</fen>\n";
    assert_eq!(
        draft(Format::Xml, text).short(),
        "{fen: {@edge: a\tb, eel: [, Anna & co], mud: {edge: 2, #text: darker}, edge:  <x> }}"
    );
}

#[test]
fn slips_are_named_where_they_are_and_the_rest_is_read() {
    let cases = [
        ("<a><b></a>", "the element `b` is never closed by `</b>`"),
        ("<a><b>", "the element `b` is never closed by `</b>`"),
        ("<a></b></a>", "`</b>` closes nothing; open is `<a>`"),
        ("<a/><b/>", "a second root element; XML has one, with all the others in it"),
        ("<a>x & y</a>", "`&` begins a reference; by itself it must be written `&amp;`"),
        ("<a>x <!-- c --> y & z</a>", "`&` begins a reference; by itself it must be written `&amp;`"),
        ("<a>&fen;</a>", "the entity `fen` is not declared"),
        ("<a b=\"1\" b=\"2\"/>", "the attribute `b` stands twice in this element"),
        ("", "the file is empty"),
        ("just words", "text outside of the root element"),
        (
            "<!DOCTYPE a [<!ENTITY x SYSTEM \"file:///etc/passwd\">]><a>&x;</a>",
            "the entity `x` stands in another file, which is not read",
        ),
        (
            "<!DOCTYPE a [<!ENTITY x \"<b/>\">]><a>&x;</a>",
            "the entity `x` holds elements, which are not read from an entity",
        ),
    ];
    for (text, message) in cases {
        assert_eq!(faults(text).first().map(String::as_str), Some(message), "{text}");
    }
    let names = Names::new();
    let document = parse(Format::Xml, "<a><b>1</b><c>2</a>", &names);
    assert_eq!(Draft::of(document.root(), &names).short(), "{a: {b: 1, c: 2}}");
}

#[test]
fn an_element_ends_behind_the_comments_in_it() {
    let names = Names::new();
    let text = "<a>\n  <b>x <!-- <c>y</c> --> </b>\n  <d>\n    <!-- <e>1</e> -->\n  </d>\n</a>\n";
    let document = parse(Format::Xml, text, &names);
    let insert = |key: &str| Edit::Set { at: path(key), to: Draft::Text("1".to_owned()) };
    let edited = super::edit(&document, &[insert("a.f"), Edit::Remove { at: path("a.b") }], &names).unwrap();
    assert_eq!(edited, "<a>\n  <d>\n    <!-- <e>1</e> -->\n  </d>\n  <f>1</f>\n</a>\n");
}

#[test]
fn entities_and_depth_are_bounded() {
    let mut text = String::from("<!DOCTYPE a [<!ENTITY e0 \"0123456789\">");
    for n in 1..12 {
        text.push_str(&format!("<!ENTITY e{n} \"{}\">", format!("&e{};", n - 1).repeat(10)));
    }
    text.push_str("]><a>&e11;</a>");
    assert!(faults(&text)[0].contains("expands to more than is read"), "{:?}", faults(&text));
    let loops = "<!DOCTYPE a [<!ENTITY x \"&y;\"><!ENTITY y \"&x;\">]><a>&x;</a>";
    assert!(faults(loops)[0].contains("expands to more than is read"));
    let deep = format!("{}{}", "<a>".repeat(100_000), "</a>".repeat(100_000));
    assert_eq!(faults(&deep), ["nested deeper than 256 levels; what is inside is not read"]);
}

#[test]
fn edits_follow_the_files_own_forms() {
    let text = "<fen>\r\n\t<!-- long -->\r\n\t<eel id='a' length='30'>\r\n\t\t<name>Old</name>\r\n\t</eel>\r\n\t<eel id='b' />\r\n</fen>\r\n";
    let names = Names::new();
    let document = parse(Format::Xml, text, &names);
    let edits = [
        Edit::Set { at: path("fen.eel[1].length"), to: Draft::integer(12) },
        Edit::Set { at: path("fen.eel[1].name"), to: Draft::Text("Bob's & co".to_owned()) },
        Edit::Set { at: path("fen.eel[0].name"), to: Draft::Text("<New>".to_owned()) },
        Edit::Set {
            at: path("fen.eel[0].prey"),
            to: Draft::List(vec![Draft::Text("frog".to_owned()), Draft::Text("fly".to_owned())]),
        },
        Edit::Rename { at: path("fen.eel[0].name"), to: "title".to_owned() },
    ];
    let edited = super::edit(&document, &edits, &names).unwrap();
    assert_eq!(
        edited,
        "<fen>\r\n\t<!-- long -->\r\n\t<eel id='a' length='30'>\r\n\t\t<title>&lt;New&gt;</title>\r\n\t\t<prey>frog</prey>\r\n\t\t<prey>fly</prey>\r\n\t</eel>\r\n\t<eel id='b' length='12' >\r\n\t\t<name>Bob's &amp; co</name>\r\n\t</eel>\r\n</fen>\r\n".replace("'12' >", "'12'>")
    );
    let document = parse(Format::Xml, &edited, &names);
    let gone = super::edit(&document, &[Edit::Remove { at: path("fen.eel[0]") }], &names).unwrap();
    assert!(gone.starts_with("<fen>\r\n\t<eel id='b'"), "{gone}");
}

#[test]
fn an_attribute_that_is_to_hold_several_becomes_elements() {
    let names = Names::new();
    let text = "<fen>\n  <!-- long -->\n  <eel id=\"a\" prey=\"frog\" at=\"3\"/>\n  <eel id=\"b\" prey=\"fly\"><name>Old</name></eel>\n</fen>\n";
    let document = parse(Format::Xml, text, &names);
    let words = |all: &[&str]| Draft::List(all.iter().map(|word| Draft::Text((*word).to_owned())).collect());
    let edits = [
        Edit::Set { at: path("fen.eel[0].prey"), to: words(&["frog", "fly"]) },
        Edit::Set { at: path("fen.eel[0].at"), to: Draft::Table(vec![("low".to_owned(), Draft::integer(2))]) },
        Edit::Set { at: path("fen.eel[1].prey"), to: words(&["fly", "moth"]) },
    ];
    let edited = super::edit(&document, &edits, &names).unwrap();
    assert_eq!(
        edited,
        "<fen>\n  <!-- long -->\n  <eel id=\"a\">\n    <prey>frog</prey>\n    <prey>fly</prey>\n    <at>\n      <low>2</low>\n    </at>\n  </eel>\n  <eel id=\"b\"><name>Old</name><prey>fly</prey><prey>moth</prey></eel>\n</fen>\n"
    );
}

#[test]
fn the_way_to_a_node_leads_to_it_also_between_elements_of_other_names() {
    let names = Names::new();
    let text = "<fen><eel><long>3</long></eel><reed><tall>2</tall></reed><eel><long>4</long><old/></eel></fen>";
    let document = parse(Format::Xml, text, &names);
    let mut ways = Vec::new();
    for id in 0..document.size() as u32 {
        let way = document.path_to(NodeId(id), &names);
        assert_eq!(find(document.root(), &way, &names).map(|node| node.id()), Some(NodeId(id)), "{way}");
        ways.push(way.to_string());
    }
    assert!(ways.contains(&"fen.reed.tall".to_owned()) && ways.contains(&"fen.eel[1].old".to_owned()), "{ways:?}");
}
