//! What the fields of a kind look like in its data.

use std::collections::{BTreeMap, BTreeSet};

use super::texts::Texts;
use super::{DEPTH, Found, singular};
use crate::document::{Format, Node, Shape};
use crate::names::Names;

/// What was seen at one path.
#[derive(Default)]
pub(super) struct Seen {
    pub(super) there: usize,
    pub(super) whole: usize,
    pub(super) numbers: usize,
    pub(super) booleans: usize,
    pub(super) texts: usize,
    /// Different texts, no more than are needed.
    pub(super) words: BTreeSet<String>,
    pub(super) list: bool,
    pub(super) format: Option<Format>,
}

impl Seen {
    fn add(&mut self, other: Seen) {
        self.there += other.there;
        self.whole += other.whole;
        self.numbers += other.numbers;
        self.booleans += other.booleans;
        self.texts += other.texts;
        self.words.extend(other.words);
        self.list |= other.list;
    }
}

pub(super) fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}

/// Notes what stands in a value, by path.
pub(super) fn look_at(
    node: Node<'_>,
    path: &str,
    depth: usize,
    names: &Names,
    seen: &mut BTreeMap<String, Seen>,
    order: &mut Vec<String>,
) {
    if depth > DEPTH {
        return;
    }
    for child in node.children() {
        let Some(key) = child.key().map(|key| names.text(key)) else { continue };
        // what needs quotes in a path is left to a person
        if key.is_empty() || !key.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | '#' | '@')) {
            continue;
        }
        let path = if path.is_empty() { key.to_owned() } else { format!("{path}.{key}") };
        note(child, path, depth, names, seen, order);
    }
}

fn note(
    node: Node<'_>,
    path: String,
    depth: usize,
    names: &Names,
    seen: &mut BTreeMap<String, Seen>,
    order: &mut Vec<String>,
) {
    match node.shape() {
        Shape::Table => look_at(node, &path, depth + 1, names, seen, order),
        Shape::List => {
            let path = format!("{path}[]");
            for entry in node.children() {
                match entry.shape() {
                    Shape::Table => look_at(entry, &path, depth + 1, names, seen, order),
                    Shape::List => {}
                    _ => scalar(entry, &path, true, seen, order),
                }
            }
        }
        _ => scalar(node, &path, false, seen, order),
    }
}

fn scalar(node: Node<'_>, path: &str, list: bool, seen: &mut BTreeMap<String, Seen>, order: &mut Vec<String>) {
    let what = seen.entry(path.to_owned()).or_insert_with(|| {
        order.push(path.to_owned());
        Seen::default()
    });
    what.there += 1;
    what.list |= list;
    what.format = Some(node.document().format());
    let text = node.text();
    let text = text.trim();
    match node.shape() {
        Shape::Boolean => what.booleans += 1,
        Shape::Number if crate::document::is_whole(node.raw()) => what.whole += 1,
        Shape::Number => what.numbers += 1,
        // in XML and tables all is text
        Shape::Text if is_text_only(node.document().format()) && text.parse::<i64>().is_ok() => what.whole += 1,
        Shape::Text if is_text_only(node.document().format()) && text.parse::<f64>().is_ok_and(f64::is_finite) => {
            what.numbers += 1
        }
        Shape::Text if is_text_only(node.document().format()) && matches!(text, "true" | "false") => what.booleans += 1,
        Shape::Text => what.texts += 1,
        _ => {}
    }
    if matches!(node.shape(), Shape::Text | Shape::Number) && what.words.len() < 2_000 {
        what.words.insert(text.to_owned());
    }
}

/// Whether all values of a format are texts, whatever they mean.
pub(super) fn is_text_only(format: Format) -> bool {
    matches!(format, Format::Xml | Format::Csv | Format::Described)
}

/// Where elements repeat in one definition, they are a list in all.
pub(super) fn as_lists(seen: &mut BTreeMap<String, Seen>, order: &mut Vec<String>) {
    let mut lists: BTreeSet<String> = BTreeSet::new();
    for path in order.iter() {
        for (at, _) in path.match_indices("[]") {
            lists.insert(path.get(..at).unwrap_or_default().replace("[]", ""));
        }
    }
    let whole = |path: &str| {
        let (mut out, mut bare) = (String::new(), String::new());
        for step in path.split('.') {
            let name = step.trim_end_matches("[]");
            for text in [&mut out, &mut bare] {
                text.push_str(if text.is_empty() { "" } else { "." });
                text.push_str(name);
            }
            out.push_str(if lists.contains(&bare) { "[]" } else { "" });
        }
        out
    };
    for path in std::mem::take(order) {
        let to = whole(&path);
        let Some(what) = seen.remove(&path) else { continue };
        match seen.get_mut(&to) {
            Some(known) => known.add(what),
            None => {
                seen.insert(to.clone(), what);
                order.push(to);
            }
        }
    }
}

/// What a field is, as the rulebook says it, with the fields in it; nothing where it cannot be told.
pub(super) fn said(
    path: &str,
    what: &Seen,
    total: usize,
    is_name: bool,
    (kinds, texts): (&[Found<'_>], Option<&Texts>),
) -> Vec<(String, String)> {
    let inner = path.contains(['.', '[']);
    let optional = if !inner && what.there < total { ", optional = true" } else { "" };
    let optional = if inner { ", optional = true" } else { optional };
    let one = match (what.booleans, what.whole, what.numbers, what.texts) {
        (0, 0, 0, 0) => return Vec::new(),
        (_, 0, 0, 0) => "type = \"boolean\"",
        (0, _, 0, 0) => "type = \"integer\"",
        (0, _, _, 0) => "type = \"number\"",
        (0, 0, 0, _) => "type = \"text\"",
        // several sorts: a person has to say what it is
        _ => return Vec::new(),
    };
    let plain: Vec<&str> = what.words.iter().map(String::as_str).collect();
    if !is_name && texts.is_some_and(|texts| texts.are_keys(&plain)) {
        return vec![(path.to_owned(), format!("text = \"*\"{optional}"))];
    }
    if !is_name
        && what.texts > 0
        && !what.list
        && let Some(all) = pairs(path, &plain, optional, kinds)
    {
        return all;
    }
    // several in one text, nearly all of which are ids
    let apart = |mark: &str| plain.iter().flat_map(|word| word.split(mark)).map(str::trim).collect::<Vec<&str>>();
    let packed = SEPARATORS.into_iter().map(|mark| (mark, apart(mark))).find(|(_, apart)| {
        apart.len() > plain.len() && what.texts > 0 && share(apart, |word| is_id(word, kinds)) >= MOST
    });
    let (words, packed) = match packed {
        Some((mark, apart)) => (apart, format!(", list = \"sequence\", split = {}", quoted(mark))),
        None => (plain, String::new()),
    };
    if !is_name && let Some(all) = named(path, (&words, what.texts > 0), kinds) {
        let all: Vec<String> = all.into_iter().map(quoted).collect();
        let link = match all.as_slice() {
            [only] => only.clone(),
            several => format!("[{}]", several.join(", ")),
        };
        let none: Vec<String> = words.iter().filter(|word| is_nothing(word, kinds)).map(|word| quoted(word)).collect();
        let none = if none.is_empty() { String::new() } else { format!(", none = [{}]", none.join(", ")) };
        return vec![(path.to_owned(), format!("link = {link}{packed}{none}{optional}"))];
    }
    vec![(path.to_owned(), format!("{one}{optional}"))]
}

/// What stands between several values in one text, the likeliest first.
const SEPARATORS: [&str; 4] = [",", ";", "|", " "];
/// What stands between an id and a number in one text.
const JOINTS: [&str; 4] = [":", "*", "=", "x"];
/// So many of a hundred are most.
const MOST: usize = 90;

/// How many of a hundred words are so.
fn share(words: &[&str], is: impl Fn(&str) -> bool) -> usize {
    words.iter().filter(|word| is(word)).count() * 100 / words.len().max(1)
}

fn is_id(word: &str, kinds: &[Found<'_>]) -> bool {
    is_nothing(word, kinds) || kinds.iter().any(|kind| kind.ids.contains(word))
}

/// A list of ids, each with a number, in one text: `peat:2, reed:1`.
fn pairs(path: &str, words: &[&str], optional: &str, kinds: &[Found<'_>]) -> Option<Vec<(String, String)>> {
    for mark in SEPARATORS {
        let pieces: Vec<&str> =
            words.iter().flat_map(|word| word.split(mark)).map(str::trim).filter(|piece| !piece.is_empty()).collect();
        for joint in JOINTS {
            let apart: Vec<(&str, &str)> = pieces.iter().filter_map(|piece| piece.rsplit_once(joint)).collect();
            let (ids, numbers): (Vec<&str>, Vec<&str>) = apart.iter().map(|(id, n)| (id.trim(), n.trim())).unzip();
            let is_number = |word: &str| word.parse::<f64>().is_ok_and(f64::is_finite);
            let whole = numbers.iter().all(|word| word.parse::<i64>().is_ok());
            if apart.is_empty() || apart.len() < pieces.len() || !numbers.iter().all(|word| is_number(word)) {
                continue;
            }
            let Some(kind) = kinds.iter().find(|kind| share(&ids, |word| kind.ids.contains(word)) >= MOST) else {
                continue;
            };
            let number = if whole { "integer" } else { "number" };
            return Some(vec![
                (path.to_owned(), format!("split = {}{optional}", quoted(mark))),
                (format!("{path}[]"), format!("type = \"tuple\", split = {}", quoted(joint))),
                (format!("{path}[][0]"), format!("link = {}", quoted(&kind.kind))),
                (format!("{path}[][1]"), format!("type = \"{number}\"")),
            ]);
        }
    }
    None
}

/// Whether a word says that nothing is named, and is no id.
fn is_nothing(word: &str, kinds: &[Found<'_>]) -> bool {
    NOTHING.contains(&word.to_lowercase().as_str()) && kinds.iter().all(|kind| !kind.ids.contains(word))
}

/// Words with which games say that a field names nothing.
const NOTHING: [&str; 6] = ["none", "null", "nil", "nothing", "empty", "-"];

/// The kinds whose ids stand in a field: of one most of its words are ids, or it is called by it and some of them are; those
/// of others are what is left.
fn named<'k>(path: &str, (words, texts): (&[&str], bool), kinds: &'k [Found<'_>]) -> Option<Vec<&'k str>> {
    let words: Vec<&str> = words.iter().copied().filter(|word| !word.is_empty() && !is_nothing(word, kinds)).collect();
    let last = singular(path.trim_end_matches("[]").rsplit(['.', '@']).next().unwrap_or(path));
    let called = |found: &Found<'_>| last == found.kind || last.ends_with(&format!("-{}", found.kind));
    let share = |found: &Found<'_>| words.iter().filter(|word| found.ids.contains(**word)).count();
    let best = kinds.iter().map(|found| (share(found), called(found), found));
    let (number, is_called, found) = best.max_by_key(|(number, called, _)| (*number, *called))?;
    let mut out = vec![found.kind.as_str()];
    let mut known = number;
    let rest: Vec<&str> = words.iter().copied().filter(|word| !found.ids.contains(*word)).collect();
    if !rest.is_empty() && texts {
        let more = |other: &Found<'_>| rest.iter().filter(|word| other.ids.contains(**word)).count();
        let other = kinds.iter().filter(|other| other.kind != found.kind).max_by_key(|other| more(other));
        if let Some(other) = other.filter(|other| number + more(other) == words.len()) {
            known += more(other);
            out.push(&other.kind);
        }
    }
    // numbers are everywhere; only a field that is called so names something by one
    let sure = match texts {
        true => known * 10 >= words.len() * 7 && (known > 1 || is_called),
        false => is_called && number == words.len(),
    };
    let likely = is_called && texts && number * 10 >= words.len() * 3;
    (number > 0 && (sure || likely)).then_some(out)
}
