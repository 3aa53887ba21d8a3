//! The reader of gettext catalogues (`.po`, as the GNU gettext manual describes them): a table of texts by what
//! they translate. A context stands before the key, parted from it by `\u{4}` as gettext itself does; of plural
//! forms the first counts. The entry with the empty key, the file's header, is no text.

use super::builder::{Builder, report_repeated};
use super::{Shape, json};
use crate::names::{NameCache, Sym};
use crate::source::Span;

/// One text written as several quoted pieces.
#[derive(Default)]
struct Words {
    text: String,
    start: usize,
    end: usize,
}

/// An entry that is still being read.
#[derive(Default)]
struct Entry {
    context: Option<Words>,
    id: Option<Words>,
    text: Option<Words>,
    /// Further plural forms, whose texts are passed over.
    more: Words,
}

/// What the next quoted piece belongs to.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Part {
    Nothing,
    Context,
    Id,
    Text,
    More,
}

pub(super) fn read(text: &str, names: &mut NameCache<'_>, builder: &mut Builder) {
    let mark = builder.mark();
    let mut entry = Entry::default();
    let mut part = Part::Nothing;
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let start = at;
        at += line.len();
        let trimmed = line.trim_start_matches('\u{feff}').trim();
        if trimmed.is_empty() || trimmed.starts_with('#') {
            continue;
        }
        let (word, rest) = match trimmed.find('"') {
            Some(quote) => trimmed.split_at(quote),
            None => (trimmed, ""),
        };
        let next = match word.trim() {
            "" => part,
            "msgctxt" => Part::Context,
            "msgid" => Part::Id,
            "msgid_plural" => Part::More,
            "msgstr" | "msgstr[0]" => Part::Text,
            other if other.starts_with("msgstr[") => Part::More,
            _ => Part::Nothing,
        };
        let begins = start + line.find(trimmed).unwrap_or(0) + trimmed.len() - rest.len();
        let closed = rest.len() >= 2 && rest.ends_with('"');
        if next == Part::Nothing || !closed {
            let end = start + line.trim_end().len();
            let message = "here stands neither `msgid`, `msgstr` nor a text in quotes".to_owned();
            builder.fault(Span::new(start, end.max(start)), message);
            continue;
        }
        let continues = word.trim().is_empty();
        if !continues && matches!(next, Part::Context | Part::Id) && entry.id.is_some() {
            finish(std::mem::take(&mut entry), names, builder);
        }
        part = next;
        let words = match part {
            Part::Context => entry.context.get_or_insert_default(),
            Part::Id => entry.id.get_or_insert_default(),
            Part::Text => entry.text.get_or_insert_default(),
            Part::More | Part::Nothing => &mut entry.more,
        };
        if !continues {
            words.start = begins;
        }
        words.end = begins + rest.len();
        words.text.push_str(&json::text(rest, rest.contains('\\')));
    }
    finish(entry, names, builder);
    report_repeated(builder, mark, text, key_len);
    builder.close(mark, (Sym::NONE, 0), Shape::Table, 0, text.len());
}

fn finish(entry: Entry, names: &mut NameCache<'_>, builder: &mut Builder) {
    let (Some(id), Some(text)) = (entry.id, entry.text) else { return };
    if id.text.is_empty() {
        return;
    }
    let key = match &entry.context {
        Some(context) => names.intern(&format!("{}\u{4}{}", context.text, id.text)),
        None => names.intern(&id.text),
    };
    builder.kept(key, id.start, &text.text, text.start, text.end);
}

/// The length of a key: its first quoted piece.
pub(super) fn key_len(rest: &str) -> usize {
    json::key_len(rest)
}

#[cfg(test)]
mod tests {
    use crate::document::{Document, Draft, Edit, FieldPath, Format, edit};
    use crate::names::Names;
    use crate::source::FileId;

    const CATALOGUE: &str = "# Fen words\r\nmsgid \"\"\r\nmsgstr \"\"\r\n\"Language: nl\\n\"\r\n\r\n#: goods.json\r\nmsgid \"Eel\"\r\nmsgstr \"Paling\"\r\n\r\nmsgctxt \"boat\"\r\nmsgid \"Punt\"\r\nmsgid_plural \"Punts\"\r\nmsgstr[0] \"Pun\"\r\n\"ter\"\r\nmsgstr[1] \"Punters\"\r\n\r\n#~ msgid \"Old\"\r\n#~ msgstr \"Oud\"\r\n";

    fn read(text: &str, names: &Names) -> Document {
        Document::parse(FileId(0), Format::Po, text.into(), names)
    }

    #[test]
    fn a_catalogue_is_texts_by_what_they_translate() {
        let names = Names::new();
        let document = read(CATALOGUE, &names);
        assert_eq!(document.faults(), []);
        let texts: Vec<(String, String)> = document
            .root()
            .children()
            .map(|node| (names.text(node.key().unwrap()).to_owned(), node.text().into_owned()))
            .collect();
        let wanted = [("Eel", "Paling"), ("boat\u{4}Punt", "Punter")];
        assert_eq!(texts, wanted.map(|(key, text)| (key.to_owned(), text.to_owned())));
        let broken = read("msgid \"a\"\nmsgstr b\nmsgid \"a\"\nmsgstr \"c\"\nmsgid \"a\"\nmsgstr \"d\"\n", &names);
        let faults: Vec<_> = broken.faults().iter().map(|fault| (fault.span.start, fault.repeated_key)).collect();
        assert_eq!(faults, [(10, false), (46, true)]);
    }

    #[test]
    fn texts_are_changed_added_and_taken_out() {
        let names = Names::new();
        let path = |key: &str| FieldPath::key(key);
        let text = |text: &str| Draft::Text(text.to_owned());
        for (edit_, before, after) in [
            (Edit::Set { at: path("Eel"), to: text("\"Aal\"") }, "\"Paling\"", "\"\\\"Aal\\\"\""),
            (Edit::Set { at: path("boat\u{4}Punt"), to: text("Bok") }, "\"Pun\"\r\n\"ter\"", "\"Bok\""),
            (Edit::Rename { at: path("Eel"), to: "Elver".to_owned() }, "\"Eel\"", "\"Elver\""),
            (Edit::Remove { at: path("Eel") }, "#: goods.json\r\nmsgid \"Eel\"\r\nmsgstr \"Paling\"\r\n\r\n", ""),
        ] {
            let document = read(CATALOGUE, &names);
            let edited = edit(&document, std::slice::from_ref(&edit_), &names).unwrap();
            assert_eq!(edited, CATALOGUE.replace(before, after), "{edit_:?}");
        }
        let document = read(CATALOGUE, &names);
        let new = Edit::Set { at: path("Reed"), to: text("Riet") };
        let edited = edit(&document, &[new], &names).unwrap();
        assert_eq!(edited, format!("{CATALOGUE}\r\nmsgid \"Reed\"\r\nmsgstr \"Riet\"\r\n"));
    }
}
