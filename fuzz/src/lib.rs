//! What the fuzz targets try: a text is read, everything in it is asked for, and edits at some places of it
//! must give a text that can be read again.

use cognomen_core::{
    Document, Draft, Edit, FieldPath, FileId, Format, Names, Node, Notation, Step, edit, load_rulebook,
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
    let table = Draft::Table(vec![("k".to_owned(), Draft::integer(1)), ("l".to_owned(), Draft::Text("a: b #".to_owned()))]);
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
