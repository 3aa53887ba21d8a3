//! What a link says beyond its kinds: how the id is decorated, what decides among several kinds, which names
//! the game itself knows, and how bad it is if nothing is found.

use std::ops::Range;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::types::{FieldType, KindId, Reading, Severity};
use crate::document::{FieldPath, Shape};
use crate::names::Names;
use crate::nearest::nearest;
use crate::own::{self, OwnFault, Reading as Own};
use crate::said::said;

/// How an id is written: `{id}` is the id, `*` is anything.
#[derive(Clone, Debug)]
pub(crate) struct IdForm {
    /// The kind that this form names, where the form tells it.
    pub(crate) kind: Option<KindId>,
    source: String,
    before: String,
    after: String,
}

impl IdForm {
    pub(crate) fn parse(source: &str, kind: Option<KindId>) -> Option<IdForm> {
        let (before, after) = source.split_once("{id}")?;
        if after.contains("{id}") || source.matches("{path}").count() > 1 {
            return None;
        }
        // for the id, the path of a field is anything
        let (before, after) = (before.replace("{path}", "*"), after.replace("{path}", "*"));
        Some(IdForm { kind, source: source.to_owned(), before, after })
    }

    /// The ids that a text may name in this form, the longest first.
    pub(crate) fn ids<'t>(&self, text: &'t str) -> SmallVec<[&'t str; 1]> {
        self.spans(text).into_iter().filter_map(|span| text.get(span)).collect()
    }

    /// As [`IdForm::ids`], where they stand in the text.
    pub(crate) fn spans(&self, text: &str) -> SmallVec<[Range<usize>; 1]> {
        let one = |start: usize, end: usize| text.get(start..end).filter(|id| !id.is_empty()).map(|_| start..end);
        if !self.before.contains('*') && !self.after.contains('*') {
            let before = text.starts_with(&*self.before).then_some(self.before.len());
            let after = text.ends_with(&*self.after).then(|| text.len() - self.after.len());
            return before.zip(after).and_then(|(start, end)| one(start, end)).into_iter().collect();
        }
        let until = starts(text, &self.after);
        let all = ends(text, &self.before).into_iter();
        let mut out: SmallVec<[Range<usize>; 1]> =
            all.flat_map(|start| until.iter().filter_map(move |end| one(start, *end))).collect();
        out.sort_by_key(|span| std::cmp::Reverse(span.len()));
        out
    }

    /// Whether the path of a field of the definition stands beside its id.
    pub(crate) fn has_path(&self) -> bool {
        self.source.contains("{path}")
    }

    /// The path that stands beside an id in a text of this form.
    pub(crate) fn path_in<'t>(&self, text: &'t str, id: &str) -> Option<&'t str> {
        let source = self.source.replace("{id}", id);
        let (before, after) = source.split_once("{path}")?;
        text.strip_prefix(before)?.strip_suffix(after)
    }

    /// A text that names an id in this form, if the form says all of it.
    pub(crate) fn write(&self, id: &str) -> Option<String> {
        (!self.source.contains('*') && !self.has_path()).then(|| self.source.replace("{id}", id))
    }
}

/// Where a beginning that fits a pattern with `*` may end.
fn ends(text: &str, pattern: &str) -> Vec<usize> {
    match pattern.split_once('*') {
        None => text.starts_with(pattern).then_some(pattern.len()).into_iter().collect(),
        Some((head, tail)) if text.starts_with(head) && !tail.contains('*') => {
            let places = text.match_indices(tail).map(|(at, _)| at + tail.len());
            if tail.is_empty() {
                vec![head.len()]
            } else {
                places.filter(|end| *end >= head.len() + tail.len()).collect()
            }
        }
        Some(_) => Vec::new(),
    }
}

/// Where an end that fits a pattern with `*` may begin.
fn starts(text: &str, pattern: &str) -> Vec<usize> {
    match pattern.split_once('*') {
        None => text.strip_suffix(pattern).map(str::len).into_iter().collect(),
        Some((head, tail)) if text.ends_with(tail) && !head.is_empty() && !tail.contains('*') => {
            text.match_indices(head).map(|(at, _)| at).filter(|at| at + head.len() + tail.len() <= text.len()).collect()
        }
        Some(_) => Vec::new(),
    }
}

/// What decides among a link's kinds.
#[derive(Clone, Debug)]
pub(crate) struct KindBy {
    /// A field beside the link, otherwise of the definition.
    pub(crate) field: FieldPath,
    pub(crate) words: FxHashMap<String, KindId>,
}

/// A link beyond its kinds.
#[derive(Clone, Debug)]
pub(crate) struct Decoration {
    pub(crate) forms: Vec<IdForm>,
    /// Marks before the id that say what to do with the entry.
    pub(crate) signs: Vec<String>,
    pub(crate) kind_by: Option<KindBy>,
    /// Names that the game itself knows; `*` stands for anything.
    pub(crate) known: Vec<String>,
    /// Whether `*` in the value stands for part of ids.
    pub(crate) wildcards: bool,
    /// Where `{field}` in the value is filled in from the definition: the words that stand for fields of other names.
    pub(crate) fill: Option<Vec<(String, FieldPath)>>,
    /// How bad it is if nothing is found; nothing is said without one.
    pub(crate) lacking: Option<Severity>,
}

impl Default for Decoration {
    fn default() -> Self {
        Decoration {
            forms: Vec::new(),
            signs: Vec::new(),
            kind_by: None,
            known: Vec::new(),
            wildcards: false,
            fill: None,
            lacking: Some(Severity::Error),
        }
    }
}

/// What `fill` says: whether it is done at all, and which words stand for fields of other names.
fn fillings(table: &Own<'_, '_>, names: &Names, faults: &mut Vec<OwnFault>) -> Option<Vec<(String, FieldPath)>> {
    let node = table.get("fill")?;
    match node.shape() {
        Shape::Boolean => node.is_true().then(Vec::new),
        Shape::Table => {
            let mut all = Vec::new();
            for entry in node.children() {
                match FieldPath::parse(&entry.text()) {
                    Ok(path) if entry.shape() == Shape::Text => {
                        all.push((entry.key().map_or("", |key| names.text(key)).to_owned(), path));
                    }
                    _ => faults
                        .push(own::fault(entry.place(), "a word stands for a field, as `{ size = \"stats.size\" }`")),
                }
            }
            Some(all)
        }
        _ => {
            faults.push(own::fault(node.place(), "`fill` is true, or says which words stand for which fields"));
            None
        }
    }
}

impl Decoration {
    /// Reads what a field's table says of its link; nothing if it says nothing.
    pub(super) fn read(
        table: &Own<'_, '_>,
        kinds: &FxHashMap<String, KindId>,
        names: &Names,
        faults: &mut Vec<OwnFault>,
    ) -> Option<Decoration> {
        let words = |key: &str| table.texts(key).into_iter().map(|(word, _)| word).collect::<Vec<_>>();
        let mut out = Decoration {
            signs: words("signs"),
            known: words("known"),
            wildcards: table.boolean("wildcards"),
            fill: fillings(table, names, faults),
            ..Decoration::default()
        };
        let mut said = !out.signs.is_empty() || !out.known.is_empty() || out.wildcards || out.fill.is_some();
        let mut kind_of = |word: &str, place| {
            let found = kinds.get(word).copied();
            if found.is_none() {
                faults.push(unknown_kind(word, kinds, place));
            }
            found
        };
        let mut forms: Vec<(String, Option<KindId>, crate::source::Place)> = Vec::new();
        // beside `path_of` it is a form of something else
        if let Some(node) = table.get("form").filter(|_| table.get("path_of").is_none()) {
            said = true;
            for (form, node) in table.texts("form") {
                forms.push((form, None, node.place()));
            }
            for entry in node.children().filter(|entry| entry.key().is_some()) {
                let kind = entry.key().map_or("", |key| names.text(key)).to_owned();
                if let Some(kind) = kind_of(&kind, entry.place()) {
                    forms.extend(own::texts(entry).into_iter().map(|(form, node)| (form, Some(kind), node.place())));
                }
            }
        }
        let mut kind_words = FxHashMap::default();
        for entry in table.get("kind_words").into_iter().flat_map(|words| words.children()) {
            let word = entry.key().map_or("", |key| names.text(key)).to_owned();
            if let Some(kind) = kind_of(&entry.text(), entry.place()) {
                kind_words.insert(word, kind);
            }
        }
        for (form, kind, place) in forms {
            match IdForm::parse(&form, kind) {
                Some(form) => out.forms.push(form),
                None => {
                    faults.push(
                        own::fault(place, "a form holds `{id}` once; `*` beside it stands for anything")
                            .help(Some("`form = [\"{id}\", \"{id}@*\"]`")),
                    );
                }
            }
        }
        if let Some(field) = table.path("kind_by", faults) {
            said = true;
            if kind_words.is_empty() {
                kind_words.clone_from(kinds);
            }
            out.kind_by = Some(KindBy { field, words: kind_words });
        }
        said |= table.get("lacking").is_some();
        out.lacking = severity_of(table, "lacking", faults);
        said.then_some(out)
    }

    /// How the id of a kind is written here, where only a form of that kind tells it.
    pub(crate) fn written(&self, kind: KindId, id: &str) -> Option<String> {
        self.forms.iter().find(|form| form.kind == Some(kind)).and_then(|form| form.write(id))
    }

    /// The id that a text names, where each form tells what stands around it; the form that says most counts.
    pub(crate) fn id_in<'t>(&self, text: &'t str) -> Option<&'t str> {
        let text = self.unsigned(text);
        self.form_of(text)?.ids(text).first().copied()
    }

    /// The form that a text has; the one that says most counts.
    fn form_of(&self, text: &str) -> Option<&IdForm> {
        let text = self.unsigned(text);
        let mut forms: Vec<&IdForm> = self.forms.iter().collect();
        forms.sort_by_key(|form| std::cmp::Reverse(form.before.len() + form.after.len()));
        forms.into_iter().find(|form| !form.ids(text).is_empty())
    }

    /// The kind that the form of a text is for, where it is for one alone.
    pub(crate) fn kind_meant(&self, text: &str) -> Option<KindId> {
        self.form_of(text)?.kind
    }

    /// The forms, for a person.
    pub(crate) fn forms_shown(&self) -> String {
        self.forms.iter().map(|form| format!("`{}`", form.source)).collect::<Vec<_>>().join(" or ")
    }

    /// How an id is written, in the form of its kind or the only one that can be written.
    pub(crate) fn decorated(&self, kind: KindId, id: &str) -> Option<String> {
        self.written(kind, id).or_else(|| self.forms.iter().find_map(|form| form.write(id)))
    }

    /// The names that a value without mark says in one of the forms; none where it has none of them.
    pub(crate) fn undecorated<'t>(&self, word: &'t str) -> Vec<&'t str> {
        self.forms.iter().flat_map(|form| form.ids(word)).collect()
    }

    /// A value without the mark before it.
    pub(crate) fn unsigned<'t>(&self, text: &'t str) -> &'t str {
        let signed = self.signs.iter().find_map(|sign| text.strip_prefix(sign.as_str()));
        signed.filter(|rest| !rest.is_empty()).unwrap_or(text)
    }

    /// Whether the game itself knows a name.
    pub(crate) fn is_known(&self, text: &str) -> bool {
        self.known.iter().any(|known| fits(known, text))
    }
}

impl FieldType {
    /// The names of definitions, files or texts that a value says as it is written, without marks and decoration; none
    /// where what names texts is one itself.
    pub(crate) fn names_in<'t>(&self, written: &'t str) -> Vec<&'t str> {
        let Some(link) = &self.link else { return vec![written] };
        let word = link.unsigned(written);
        let names = link.undecorated(word);
        match names.is_empty() && (link.forms.is_empty() || !matches!(self.reading, Reading::Key(_))) {
            true => vec![word],
            false => names,
        }
    }
}

/// That a rulebook names a kind which it does not describe.
pub(super) fn unknown_kind(word: &str, kinds: &FxHashMap<String, KindId>, place: crate::source::Place) -> OwnFault {
    let near = nearest(word, kinds.keys().map(String::as_str));
    let help = Some(match near {
        Some(near) => said!("the nearest known kind is `{nearest}`", nearest = near),
        None => said!("kinds are described under `[kinds.{word}]`", word),
    });
    own::fault(place, said!("there is no kind `{word}`", word)).help(help)
}

/// How bad something is: an error unless the rulebook says otherwise; none where nothing is to be said.
pub(super) fn severity_of(table: &Own<'_, '_>, key: &str, faults: &mut Vec<OwnFault>) -> Option<Severity> {
    match table.text(key).as_deref() {
        None | Some("error") => Some(Severity::Error),
        Some("warning") => Some(Severity::Warning),
        Some("note") => Some(Severity::Note),
        Some("silent") => None,
        Some(word) => {
            let place = table.get(key).map(|node| node.place());
            let message = said!("`{key}` is error, warning, note or silent, not `{word}`", key, word);
            faults.extend(place.map(|place| own::fault(place, message)));
            Some(Severity::Error)
        }
    }
}

/// Whether a text fits a pattern in which `*` stands for anything.
pub(crate) fn fits(pattern: &str, text: &str) -> bool {
    let mut parts = pattern.split('*');
    let Some(mut rest) = text.strip_prefix(parts.next().unwrap_or("")) else { return false };
    let mut parts = parts.peekable();
    if parts.peek().is_none() {
        return rest.is_empty();
    }
    while let Some(part) = parts.next() {
        if parts.peek().is_none() {
            return rest.ends_with(part);
        }
        match rest.find(part).and_then(|at| rest.get(at + part.len()..)) {
            Some(behind) => rest = behind,
            None => return false,
        }
    }
    true
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn forms_tell_the_ids_that_a_text_may_name() {
        let ids = |form: &str, text: &'static str| IdForm::parse(form, None).unwrap().ids(text).to_vec();
        assert_eq!(ids("{id}", "reed"), ["reed"]);
        assert_eq!(ids("~{id}", "~fuel"), ["fuel"]);
        assert_eq!(ids("~{id}", "fuel"), [] as [&str; 0]);
        assert_eq!(ids("{id}@*", "lamp@north@2"), ["lamp@north", "lamp"]);
        assert_eq!(ids("*:{id}", "fen:deep:eel"), ["deep:eel", "eel"]);
        assert_eq!(ids("{id}_left", "door_left"), ["door"]);
        assert_eq!(ids("{id}_left", "_left"), [] as [&str; 0]);
        assert!(IdForm::parse("id", None).is_none() && IdForm::parse("{id}{id}", None).is_none());
        assert_eq!(IdForm::parse("~{id}", None).unwrap().write("fuel").as_deref(), Some("~fuel"));
        assert_eq!(IdForm::parse("{id}@*", None).unwrap().write("fuel"), None);
    }

    #[test]
    fn a_star_stands_for_anything() {
        for (pattern, text) in [("a", "a"), ("a*", "ab"), ("*b", "ab"), ("a*c*e", "abcde"), ("*", ""), ("a**b", "ab")] {
            assert!(fits(pattern, text), "{pattern} {text}");
        }
        for (pattern, text) in [("a", "ab"), ("a*", "b"), ("*b", "bc"), ("a*c*e", "aec"), ("ab*ba", "aba")] {
            assert!(!fits(pattern, text), "{pattern} {text}");
        }
    }
}
