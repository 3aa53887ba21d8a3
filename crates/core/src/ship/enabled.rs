//! The list in which a game keeps which mods it loads: read, and changed without touching the rest of it.

use crate::document::{Document, Draft, Edit, FieldPath, Format, Node, Shape, Step, edit};
use crate::names::Names;
use crate::rulebook::{EnabledRule, ListForm};
use crate::source::FileId;

/// What stands in such a list.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub(super) struct Listed {
    pub(super) id: String,
    /// Whether the game loads it.
    pub(super) on: bool,
}

/// The mods in a list, in its order.
///
/// # Errors
/// It cannot be read, in words.
pub(super) fn listed(rule: &EnabledRule, text: &str, names: &Names) -> Result<Vec<Listed>, String> {
    match &rule.form {
        ListForm::Lines(line) => {
            let (before, after) = around(line);
            let id = |text: &str| id_in(text, before, after).map(|id| Listed { id: id.to_owned(), on: true });
            Ok(text.lines().filter_map(id).collect())
        }
        ListForm::Entries { format, at, id, with } => {
            let document = read(*format, text, names)?;
            let mut out = Vec::new();
            for (_, entry) in entries(&document, at, names)? {
                let Some(found) = crate::document::find(entry, id, names) else { continue };
                let is = |(path, wanted): &(FieldPath, Draft)| {
                    let there = crate::document::find(entry, path, names);
                    there.is_some_and(|node| same(&Draft::of(node, names), wanted))
                };
                out.push(Listed { id: found.text().into_owned(), on: with.iter().all(is) });
            }
            Ok(out)
        }
        ListForm::Keys { format, at, value } => {
            let document = read(*format, text, names)?;
            let table = crate::document::find(document.root(), at, names);
            let listed = table.into_iter().flat_map(Node::children).map(|entry| Listed {
                id: entry.key().map_or("", |key| names.text(key)).to_owned(),
                on: same(&Draft::of(entry, names), value),
            });
            Ok(listed.collect())
        }
    }
}

/// The list with a mod that is loaded, behind those of `earlier` and before those of `later` where its order counts;
/// nothing where it stands there so already.
///
/// # Errors
/// It cannot be read, or not be changed, in words.
pub(super) fn enabled(
    rule: &EnabledRule,
    text: &str,
    id: &str,
    (earlier, later): (&[&str], &[&str]),
    names: &Names,
) -> Result<Option<String>, String> {
    let all = listed(rule, text, names)?;
    let known = all.iter().position(|entry| entry.id == id);
    if known.is_some_and(|at| all.get(at).is_some_and(|entry| entry.on)) {
        return Ok(None);
    }
    let behind = all.iter().rposition(|entry| earlier.contains(&entry.id.as_str())).map(|at| at + 1);
    let before = all.iter().position(|entry| later.contains(&entry.id.as_str()));
    let before = behind.or(before).filter(|_| rule.ordered).filter(|at| *at < all.len());
    let edits = match &rule.form {
        ListForm::Lines(line) => return Ok(Some(with_line(line, text, id, before))),
        ListForm::Entries { format, at, id: place, with } => {
            let document = read(*format, text, names)?;
            let position = |nth: usize| entries(&document, at, names).ok()?.get(nth).map(|(way, _)| way.clone());
            match known.and_then(position) {
                Some(way) => with.iter().map(|(path, to)| Edit::Set { at: way.join(path), to: to.clone() }).collect(),
                None => {
                    let mut value = Draft::Table(Vec::new());
                    if place.is_empty() {
                        value = Draft::Text(id.to_owned());
                    } else {
                        value.lay_in(place.steps(), Draft::Text(id.to_owned()), false);
                        with.iter().for_each(|(path, to)| value.lay_in(path.steps(), to.clone(), false));
                    }
                    vec![added(&document, at, before, value, names)]
                }
            }
        }
        ListForm::Keys { at, value, .. } if known.is_some() => {
            vec![Edit::Set { at: at.with(Step::Key(id.to_owned())), to: value.clone() }]
        }
        ListForm::Keys { format, at, value } => {
            let document = read(*format, text, names)?;
            match crate::document::find(document.root(), at, names) {
                Some(_) => {
                    let key = Some(id.to_owned());
                    vec![Edit::Insert { into: at.clone(), before, key, value: value.clone() }]
                }
                None => {
                    vec![Edit::Set { at: at.clone(), to: Draft::Table(vec![(id.to_owned(), value.clone())]) }]
                }
            }
        }
    };
    changed(rule, text, &edits, names).map(Some)
}

/// The list without a mod; nothing where it does not stand there.
///
/// # Errors
/// It cannot be read, or not be changed, in words.
pub(super) fn disabled(rule: &EnabledRule, text: &str, id: &str, names: &Names) -> Result<Option<String>, String> {
    let all = listed(rule, text, names)?;
    let Some(known) = all.iter().position(|entry| entry.id == id) else { return Ok(None) };
    let edits = match &rule.form {
        ListForm::Lines(line) => {
            let (before, after) = around(line);
            let other = |text: &&str| id_in(text, before, after).is_none_or(|found| found != id);
            return Ok(Some(text.split_inclusive('\n').filter(other).collect()));
        }
        ListForm::Entries { format, at, .. } => {
            let document = read(*format, text, names)?;
            let way = entries(&document, at, names)?.get(known).map(|(way, _)| way.clone());
            way.map(|at| Edit::Remove { at }).into_iter().collect()
        }
        ListForm::Keys { at, .. } => vec![Edit::Remove { at: at.with(Step::Key(id.to_owned())) }],
    };
    changed(rule, text, &edits, names).map(Some)
}

/// A list that is not there yet, as a file with nothing in it; none where it cannot be known how it looks.
pub(super) fn empty(rule: &EnabledRule) -> Option<String> {
    let format = match &rule.form {
        ListForm::Lines(_) => return Some(String::new()),
        ListForm::Entries { format, at, id, with } => {
            if *format == Format::Csv {
                let columns = [id].into_iter().chain(with.iter().map(|(path, _)| path)).map(ToString::to_string);
                return at.is_empty().then(|| format!("{}\n", columns.collect::<Vec<_>>().join(",")));
            }
            *format
        }
        ListForm::Keys { format, .. } => *format,
    };
    let at_root = matches!(&rule.form, ListForm::Entries { at, .. } if at.is_empty());
    match format {
        Format::Json if at_root => Some("[]\n".to_owned()),
        Format::Json => Some("{}\n".to_owned()),
        Format::Toml | Format::Yaml => Some(String::new()),
        _ => None,
    }
}

fn read(format: Format, text: &str, names: &Names) -> Result<Document, String> {
    let document = Document::parse(FileId(0), format, text.into(), names);
    match document.faults().iter().find(|fault| !fault.repeated_key) {
        Some(fault) => Err(fault.message.to_string()),
        None => Ok(document),
    }
}

/// The entries of a list with the ways to them. What stands alone where a list is meant counts as its only entry.
fn entries<'d>(document: &'d Document, at: &FieldPath, names: &Names) -> Result<Vec<(FieldPath, Node<'d>)>, String> {
    let Some(list) = crate::document::find(document.root(), at, names) else { return Ok(Vec::new()) };
    match list.shape() {
        Shape::List => Ok(list.children().enumerate().map(|(nth, entry)| (at.with(Step::Index(nth)), entry)).collect()),
        Shape::Null => Ok(Vec::new()),
        _ if document.format() == Format::Xml => Ok(vec![(at.clone(), list)]),
        found => Err(format!("at `{at}` stands {}, not a list", found.words())),
    }
}

/// The edit that puts an entry into a list, which may not be there yet.
fn added(document: &Document, at: &FieldPath, before: Option<usize>, value: Draft, names: &Names) -> Edit {
    let xml = document.format() == Format::Xml;
    // elements of one name beside each other are the list, also a single one
    let is_list = |node: &Node<'_>| node.shape() == Shape::List || xml;
    match (crate::document::find(document.root(), at, names).filter(is_list), at.split_last()) {
        (None, Some((into, Step::Key(key)))) if xml => {
            Edit::Insert { into, before: None, key: Some(key.clone()), value }
        }
        (None, _) => Edit::Set { at: at.clone(), to: Draft::List(vec![value]) },
        (Some(_), _) => Edit::Insert { into: at.clone(), before, key: None, value },
    }
}

/// The text with edits; what is written is read again.
fn changed(rule: &EnabledRule, text: &str, edits: &[Edit], names: &Names) -> Result<String, String> {
    let (ListForm::Entries { format, .. } | ListForm::Keys { format, .. }) = &rule.form else {
        return Ok(text.to_owned());
    };
    let document = read(*format, text, names)?;
    let text = edit(&document, edits, names).map_err(|error| error.to_string())?;
    read(*format, &text, names).map(|_| text)
}

/// Whether two values say the same: in tables and in XML all are texts.
fn same(one: &Draft, other: &Draft) -> bool {
    one == other || one.word().is_some_and(|word| Some(word) == other.word())
}

/// What stands around `{id}` in a line.
fn around(line: &str) -> (&str, &str) {
    line.split_once("{id}").unwrap_or((line, ""))
}

/// The id in a line of this form.
fn id_in<'t>(text: &'t str, before: &str, after: &str) -> Option<&'t str> {
    let id = text.trim_start_matches('\u{feff}').trim().strip_prefix(before.trim_start())?;
    let id = id.strip_suffix(after.trim_end())?.trim();
    // a remark is no id
    let remark = before.is_empty() && (id.starts_with('#') || id.starts_with(';') || id.starts_with("//"));
    (!id.is_empty() && !remark).then_some(id)
}

/// Plain lines with one more, before the nth that names a mod.
fn with_line(line: &str, text: &str, id: &str, nth: Option<usize>) -> String {
    let (before, after) = around(line);
    let ending = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let new = line.replace("{id}", id);
    let mut named = 0;
    let mut out = String::new();
    let mut done = false;
    for old in text.split_inclusive('\n') {
        if id_in(old, before, after).is_some() {
            if nth == Some(named) {
                out.push_str(&new);
                out.push_str(ending);
                done = true;
            }
            named += 1;
        }
        out.push_str(old);
    }
    if !done {
        if !out.is_empty() && !out.ends_with('\n') {
            out.push_str(ending);
        }
        out.push_str(&new);
        out.push_str(ending);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rulebook::Rulebook;

    fn rule(words: &str, names: &Names) -> EnabledRule {
        let text = format!("rulebook = 1\n[install]\nmods = \"mods\"\nenabled = {{ {words} }}\n");
        let document = Document::parse(FileId(0), Format::Toml, text.into(), names);
        let (mut rulebook, faults): (Rulebook, _) = crate::rulebook::load_rulebook(&[&document], names);
        let faults: Vec<_> = faults
            .into_iter()
            .filter(|fault| fault.message.to_string().contains("list") || fault.message.to_string().contains("known"))
            .collect();
        assert!(faults.is_empty(), "{words}: {faults:?}");
        rulebook.install.take().and_then(|install| install.enabled).unwrap()
    }

    const LISTS: [(&str, &str); 12] = [
        ("file = \"m.json\", mods = \"loaded[]\"", "{\n  \"loaded\": [\"reed\", \"eel\"],\n  \"seen\": true\n}\n"),
        ("file = \"m.json\", mods = \"[]\"", "[\n  // first\n  \"reed\",\n  \"eel\"\n]\n"),
        (
            "file = \"m.json\", mods = \"mods[].id\", with = { on = true }",
            "{\"mods\": [\n\t{\"id\": \"reed\", \"on\": true},\r\n\t{\"id\": \"eel\", \"on\": true}\n]}",
        ),
        ("file = \"m.json\", mods = \"active{key}\"", "{\"active\": {\"reed\": true, \"eel\": true}}\n"),
        ("file = \"m.toml\", mods = \"mods[].id\"", "# mine\n[[mods]]\nid = \"reed\"\n\n[[mods]]\nid = \"eel\"\n"),
        ("file = \"m.toml\", mods = \"active{key}\", value = 1", "[active]\nreed = 1\neel = 1\n"),
        ("file = \"m.yaml\", mods = \"mods[]\"", "mods:\n  - reed # wet\n  - eel\nseen: 1\n"),
        ("file = \"m.xml\", mods = \"mods.mod[].id\"", "<mods>\n\t<mod id=\"reed\"/>\n\t<mod id=\"eel\"/>\n</mods>\n"),
        ("file = \"m.xml\", mods = \"mods.mod[]\"", "<mods>\n  <mod>reed</mod>\n  <mod>eel</mod>\n</mods>\n"),
        ("file = \"m.csv\", mods = \"[].name\", with = { on = 1 }", "name,on,seen\nreed,1,2026\neel,1,\n"),
        ("file = \"m.txt\", line = \"{id}\"", "# what is loaded\r\nreed\r\neel\r\n"),
        ("file = \"m.cfg\", line = \"mod {id} = yes\"", "seen = 1\nmod reed = yes\nmod eel = yes\nend = 2\n"),
    ];

    #[test]
    fn a_mod_comes_into_every_list_in_its_place_and_goes_without_a_trace() {
        let names = Names::default();
        for (words, text) in LISTS {
            let rule = rule(&format!("{words}, ordered = true"), &names);
            let ids = |text: &str| -> Vec<String> {
                let all = listed(&rule, text, &names).unwrap();
                all.into_iter().filter(|entry| entry.on).map(|entry| entry.id).collect()
            };
            assert_eq!(ids(text), ["reed", "eel"], "{words}");
            for (around, wanted) in [
                ((&["reed"][..], &["eel"][..]), ["reed", "moss", "eel"]),
                ((&[][..], &["reed"][..]), ["moss", "reed", "eel"]),
                ((&["eel"][..], &[][..]), ["reed", "eel", "moss"]),
            ] {
                let with = enabled(&rule, text, "moss", around, &names).unwrap().unwrap();
                assert_eq!(ids(&with), wanted, "{words}: {with}");
                assert_eq!(enabled(&rule, &with, "moss", around, &names), Ok(None), "{words}");
                let without = disabled(&rule, &with, "moss", &names).unwrap().unwrap();
                assert_eq!(without, text, "{words}");
            }
            assert_eq!(disabled(&rule, text, "moss", &names), Ok(None));
        }
    }

    #[test]
    fn what_is_switched_off_is_switched_on_where_it_stands() {
        let names = Names::default();
        for (words, off, on) in [
            (
                "file = \"m.json\", mods = \"m[].id\", with = { on = true }",
                "{\"m\": [{\"id\": \"eel\", \"on\": false}]}",
                "{\"m\": [{\"id\": \"eel\", \"on\": true}]}",
            ),
            ("file = \"m.toml\", mods = \"m{key}\"", "[m]\neel = false # no\n", "[m]\neel = true # no\n"),
            ("file = \"m.csv\", mods = \"[].id\", with = { on = \"yes\" }", "id,on\neel,no\n", "id,on\neel,yes\n"),
        ] {
            let rule = rule(words, &names);
            assert!(listed(&rule, off, &names).unwrap().iter().all(|entry| !entry.on), "{words}");
            assert_eq!(enabled(&rule, off, "eel", (&[], &[]), &names), Ok(Some(on.to_owned())));
        }
    }

    #[test]
    fn a_list_that_is_not_there_yet_is_begun_and_a_broken_one_is_left() {
        let names = Names::default();
        for (words, _) in LISTS {
            let rule = rule(words, &names);
            let Some(new) = empty(&rule) else {
                assert!(words.contains("xml"), "{words}");
                continue;
            };
            let with = enabled(&rule, &new, "moss", (&[], &[]), &names).unwrap().unwrap();
            let all = listed(&rule, &with, &names).unwrap();
            assert_eq!(all, [Listed { id: "moss".to_owned(), on: true }], "{words}: {with}");
        }
        let rule = rule("file = \"m.json\", mods = \"m[]\"", &names);
        for text in ["{\"m\": [", "{\"m\": 4}", "{\"m\": \"eel\"}"] {
            assert!(enabled(&rule, text, "moss", (&[], &[]), &names).is_err(), "{text}");
        }
    }
}
