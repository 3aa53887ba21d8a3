//! `notes.toml`: a person's own remarks on ids and fields, shown wherever these are shown.

use std::collections::BTreeMap;

use crate::document::{Document, Draft, Edit, FieldPath, Format, Shape, Step, edit, find};
use crate::names::Names;
use crate::own::{self, Key, OwnFault, Reading, Table, Takes};
use crate::source::{FileId, Place};

/// The name of the file, beside the workspace file.
pub const NOTES_FILE: &str = "notes.toml";

static TOP: Table = Table {
    path: "notes.toml",
    about: "Own remarks, beside `cognomen.toml`. `cognomen note` writes them. The key is the address of a definition (`item/eel`) or a field of a kind (`item.burn_minutes`); the value is the remark.",
    keys: &[
        Key { name: "notes", takes: Takes::Integer, needed: false, about: "The number of this format: 1." },
        Key { name: "note", takes: Takes::Table, needed: false, about: "The remarks, by what they are about." },
    ],
    example: "notes = 1\n\n[note]\n\"item/eel\" = \"sells best in autumn\"\n\"unit.stats.flee_at\" = \"0 means never\"\n",
};

/// A remark and where it stands.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Note {
    /// The remark.
    pub text: String,
    /// Its place.
    pub place: Place,
}

/// Reads the remarks, by what they are about.
pub(crate) fn read_notes(document: &Document, names: &Names, faults: &mut Vec<OwnFault>) -> BTreeMap<String, Note> {
    faults.extend(own::syntax(document));
    if document.is_broken() || !own::format_number(document, "notes", names, faults) {
        return BTreeMap::new();
    }
    let top = Reading::new(document.root(), &TOP, names, faults);
    let table = top.get("note").filter(|node| node.shape() == Shape::Table);
    let mut out = BTreeMap::new();
    for node in table.into_iter().flat_map(|table| table.children()) {
        let about = node.key().map_or("", |key| names.text(key)).to_owned();
        match node.shape() {
            Shape::Text => {
                out.insert(about, Note { text: node.text().into_owned(), place: node.place() });
            }
            _ => faults.push(own::fault(node.place(), "a note is a text")),
        }
    }
    out
}

/// The file's text with some remarks set, or taken out where the text is nothing.
///
/// # Errors
/// The file is broken, or there is no such remark to take out.
pub fn write_notes(before: Option<&str>, notes: &[(String, Option<String>)]) -> Result<String, String> {
    let names = Names::new();
    let mut text = before.unwrap_or("notes = 1\n\n[note]\n").to_owned();
    for (about, note) in notes {
        let document = Document::parse(FileId::default(), Format::Toml, text.as_str().into(), &names);
        if document.is_broken() {
            return Err(format!("{NOTES_FILE} cannot be read; `cognomen check` says where"));
        }
        let table = FieldPath::key("note");
        let at = table.with(Step::Key(about.clone()));
        let known = find(document.root(), &at, &names).is_some();
        let change = match note {
            Some(note) if find(document.root(), &table, &names).is_some() => {
                Edit::Set { at, to: Draft::Text(note.clone()) }
            }
            Some(note) => {
                let value = Draft::Table(vec![(about.clone(), Draft::Text(note.clone()))]);
                Edit::Insert { into: FieldPath::default(), before: None, key: Some("note".to_owned()), value }
            }
            None if known => Edit::Remove { at },
            None => return Err(format!("there is no note on `{about}`")),
        };
        text = edit(&document, &[change], &names).map_err(|error| error.to_string())?;
    }
    // what is about to be said is what will be read; of several remarks on one thing the last counts
    let document = Document::parse(FileId::default(), Format::Toml, text.as_str().into(), &names);
    let read = read_notes(&document, &names, &mut Vec::new());
    for (nth, (about, note)) in notes.iter().enumerate() {
        let later = notes.iter().skip(nth + 1).any(|(other, _)| other == about);
        if !later && read.get(about).map(|note| &note.text) != note.as_ref() {
            return Err(format!("the note on `{about}` would not be read as it is"));
        }
    }
    Ok(text)
}

/// The keys of the file, as Markdown.
pub(super) fn reference() -> String {
    own::reference(&[&TOP])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn notes_are_set_changed_and_taken_out() {
        let set = |about: &str, note: &str| (about.to_owned(), Some(note.to_owned()));
        let first = write_notes(None, &[set("item/eel", "best in autumn"), set("item.value", "in groats")]).unwrap();
        assert_eq!(first, "notes = 1\n\n[note]\n\"item/eel\" = \"best in autumn\"\n\"item.value\" = \"in groats\"\n");
        let changed = write_notes(Some(&first), &[set("item/eel", "never"), ("item.value".to_owned(), None)]).unwrap();
        assert_eq!(changed, "notes = 1\n\n[note]\n\"item/eel\" = \"never\"\n");
        let message = write_notes(Some(&changed), &[("item.value".to_owned(), None)]).unwrap_err();
        assert_eq!(message, "there is no note on `item.value`");
        let names = Names::new();
        let document = Document::parse(FileId::default(), Format::Toml, changed.as_str().into(), &names);
        let mut faults = Vec::new();
        let notes = read_notes(&document, &names, &mut faults);
        assert_eq!(notes.get("item/eel").map(|note| note.text.as_str()), Some("never"));
        assert_eq!(faults, []);
    }
}
