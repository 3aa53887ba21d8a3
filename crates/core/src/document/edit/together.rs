//! Edits that are spliced together, so that a document is parsed once for many of them.

use std::collections::BTreeSet;

use rustc_hash::{FxHashMap, FxHashSet};

use super::super::{Document, Draft, FieldPath, Format, Node, Shape, Step};
use super::{Edit, EditError, Editor, Splice, find};
use crate::names::Names;
use crate::source::Span;

/// Edits that are spliced together.
#[derive(Default)]
pub(super) struct Batch {
    pub(super) splices: Vec<Splice>,
    /// The numbers of the edits.
    pub(super) used: Vec<usize>,
    /// What stands there afterwards, where layout decides whether it does.
    expected: Vec<Expected>,
}

/// What a document has after several edits.
enum Expected {
    /// A list or table with so many entries.
    Length(FieldPath, usize),
    There(FieldPath),
    Gone(FieldPath),
}

impl Batch {
    /// Whether it is to be read again what comes of these edits.
    pub(super) fn is_bold(&self) -> bool {
        !self.expected.is_empty()
    }

    /// Whether a document is what these edits are to come to.
    pub(super) fn came(&self, document: &Document, names: &Names) -> bool {
        let find = |at: &FieldPath| find(document.root(), at, names);
        !document.is_broken()
            && self.expected.iter().all(|one| match one {
                Expected::Length(at, length) => find(at).is_some_and(|node| node.len() == *length),
                Expected::There(at) => find(at).is_some(),
                // a cell stays, and is empty
                Expected::Gone(at) => find(at).is_none_or(|node| node.shape() == Shape::Null),
            })
    }
}

/// As many edits as can be spliced together, of those that hang on none before them that cannot: scalars set in different
/// places, entries that come to the ends of lists and tables, and with `boldly` changes of the layout in lists and tables
/// that no other of these edits is about.
pub(super) fn batch(editor: &Editor<'_>, edits: &[&Edit], boldly: bool) -> Result<Batch, EditError> {
    let (document, names) = (editor.document, editor.names);
    let mut out = Batch::default();
    let mut taken = Taken::default();
    // where what is put behind an end already has an own end
    let mut ends: FxHashMap<(u32, FieldPath), usize> = FxHashMap::default();
    let mut keys: FxHashSet<(FieldPath, String)> = FxHashSet::default();
    let mut lengths: FxHashMap<FieldPath, usize> = FxHashMap::default();
    let mut removals = Removals::default();
    let (mut used, mut alone, mut later) = (Areas::default(), Areas::default(), Areas::default());
    for (nth, edit) in edits.iter().enumerate() {
        if nth > 2 * out.used.len() + PATIENCE || (!boldly && nth > out.used.len()) {
            break;
        }
        let goes = goes_to(document, edit, names);
        let area = area(document, edit, &goes, names);
        let meets = match goes {
            Goes::Alone if !out.used.is_empty() && !boldly => true,
            Goes::Alone => used.meet(&area) || !removals.may_go(document, edit, &area, names) && alone.meet(&area),
            Goes::InPlace | Goes::ToEnd(..) => alone.meet(&area),
        };
        // what goes by its key moves no other entry
        let hangs = match edit {
            Edit::Remove { at } if matches!(at.split_last(), Some((_, Step::Key(_)))) => at,
            _ => &area,
        };
        if meets || later.meet(hangs) {
            later.add(hangs);
            continue;
        }
        let more = match editor.splices(edit) {
            // it may only be wrong before the others are made
            Err(_) if !out.used.is_empty() => {
                later.add(hangs);
                continue;
            }
            more => more?,
        };
        match &goes {
            Goes::ToEnd(into, key) => {
                let [one] = more.as_slice() else {
                    // this changes the layout of other entries
                    if out.used.is_empty() {
                        return Ok(Batch { splices: more, used: vec![nth], expected: Vec::new() });
                    }
                    later.add(hangs);
                    continue;
                };
                let empty = one.span.start == one.span.end;
                let known = key.as_ref().is_some_and(|key| keys.contains(&(into.clone(), key.clone())));
                let end = (one.span.start, into.clone());
                let behind = ends.get(&end).copied();
                let free = behind.is_some() || taken.is_free(one.span);
                if !out.used.is_empty() && (!empty || known || !free) {
                    later.add(hangs);
                    continue;
                }
                let length = find(document.root(), into, names).map_or(0, Node::len);
                match behind.and_then(|at| out.splices.get_mut(at)) {
                    Some(splice) => splice.text.push_str(&one.text),
                    None => {
                        ends.insert(end, out.splices.len());
                        taken.add(one.span);
                        out.splices.push(one.clone());
                    }
                }
                *lengths.entry(into.clone()).or_insert(length) += 1;
                keys.extend(key.clone().map(|key| (into.clone(), key)));
                // the first entry of something empty, or before what follows, gives it another look
                let apart = one.text.ends_with("\n\n") || one.text.ends_with("\n\r\n");
                if !empty || length == 0 || apart {
                    later.add(&area);
                }
                used.add(&area);
            }
            Goes::InPlace | Goes::Alone => {
                if !more.iter().all(|new| taken.is_free(new.span)) {
                    later.add(hangs);
                    continue;
                }
                match (&goes, edit) {
                    (Goes::Alone, Edit::Remove { at }) if at.split_last().is_some() => {
                        removals.add(document, at, names);
                    }
                    (Goes::Alone, _) => {
                        out.expected.extend(expected(document, edit, names));
                        used.add(&area);
                    }
                    _ => used.add(&area),
                }
                if matches!(goes, Goes::Alone) {
                    alone.add(&area);
                }
                more.iter().for_each(|one| taken.add(one.span));
                out.splices.extend(more);
            }
        }
        out.used.push(nth);
    }
    out.expected.extend(removals.expected(document.format() == Format::Csv));
    out.expected.extend(lengths.into_iter().map(|(at, length)| Expected::Length(at, length)));
    if out.used.len() == 1 {
        // a single one is what it is
        out.expected.clear();
    }
    out.splices.sort_by_key(|splice| splice.span);
    Ok(out)
}

/// So many edits beyond twice those that go together are looked at.
const PATIENCE: usize = 64;

/// What is to be there after an edit that changes the layout.
fn expected(document: &Document, edit: &Edit, names: &Names) -> Option<Expected> {
    match edit {
        Edit::Set { at, .. } => Some(Expected::There(at.clone())),
        Edit::Insert { into, .. } => {
            let known = find(document.root(), into, names)?;
            Some(Expected::Length(into.clone(), known.len() + 1))
        }
        Edit::Remove { at } | Edit::Rename { at, .. } => Some(Expected::Gone(at.clone())),
    }
}

/// What an edit is about: of a value in its place the value, otherwise the list or table whose entries it changes.
fn area(document: &Document, edit: &Edit, goes: &Goes, names: &Names) -> FieldPath {
    let stands =
        |at: &FieldPath, shape: Shape| find(document.root(), at, names).is_some_and(|node| node.shape() == shape);
    match (goes, edit) {
        (Goes::ToEnd(into, _), _) | (_, Edit::Insert { into, .. }) => into.clone(),
        (Goes::InPlace, Edit::Set { at, .. }) => at.clone(),
        // something nested stays where it is; what becomes nothing may go, and what gets another shape may stand elsewhere
        (Goes::Alone, Edit::Set { at, to: Draft::List(items) }) if !items.is_empty() && stands(at, Shape::List) => {
            at.clone()
        }
        (Goes::Alone, Edit::Set { at, to: Draft::Table(entries) })
            if !entries.is_empty() && stands(at, Shape::Table) =>
        {
            at.clone()
        }
        (_, Edit::Set { at, .. } | Edit::Remove { at } | Edit::Rename { at, .. }) => {
            at.split_last().map(|(above, _)| above).unwrap_or_default()
        }
    }
}

/// Entries that go from lists and tables, several from one where they are not most of it.
#[derive(Default)]
struct Removals {
    from: FxHashMap<FieldPath, OfOne>,
    areas: Areas,
}

/// What goes from one list or table.
struct OfOne {
    /// How many entries it has.
    length: usize,
    gone: FxHashSet<FieldPath>,
    /// The lowest number of those that have one: what stands before it keeps its own.
    first: usize,
}

impl Removals {
    /// Whether a further entry may go from a list or table.
    fn may_go(&self, document: &Document, edit: &Edit, from: &FieldPath, names: &Names) -> bool {
        let Edit::Remove { at } = edit else { return false };
        let (Some((_, step)), Some(known)) = (at.split_last(), self.from.get(from)) else { return false };
        let before = match step {
            Step::Index(nth) => *nth < known.first,
            Step::Key(_) => find(document.root(), at, names).is_some(),
            Step::Match(_) => false,
        };
        // of two entries one may be left that is no list, and what gets empty may be written otherwise
        before && known.length >= known.gone.len() + 3 && !known.gone.contains(at) && !self.areas.meet_other(from)
    }

    fn add(&mut self, document: &Document, at: &FieldPath, names: &Names) {
        let Some((from, step)) = at.split_last() else { return };
        let first = if let Step::Index(nth) = step { *nth } else { 0 };
        let length = find(document.root(), &from, names).map_or(0, Node::len);
        self.areas.add(&from);
        let known = self.from.entry(from).or_insert(OfOne { length, gone: FxHashSet::default(), first });
        known.first = known.first.min(first);
        known.gone.insert(at.clone());
    }

    fn expected(self, cells: bool) -> Vec<Expected> {
        let mut out = Vec::new();
        for (from, one) in self.from {
            let left = one.length.saturating_sub(one.gone.len());
            let keyed = |at: &&FieldPath| matches!(at.split_last(), Some((_, Step::Key(_))));
            out.extend(one.gone.iter().filter(keyed).cloned().map(Expected::Gone));
            // a cell stays, and is empty
            if left > 1 && !(cells && one.gone.iter().any(|at| keyed(&at))) {
                out.push(Expected::Length(from, left));
            }
        }
        out
    }
}

/// Places in a document, of which it can be asked whether one lies above or below another.
#[derive(Default)]
struct Areas {
    all: FxHashSet<FieldPath>,
    /// What lies above one of them.
    above: FxHashSet<FieldPath>,
}

impl Areas {
    fn add(&mut self, area: &FieldPath) {
        let area = plain(area);
        self.above.extend((0..area.steps().len()).map(|nth| area.take(nth)));
        self.all.insert(area);
    }

    /// Whether a place lies above or below one of these.
    fn meet_other(&self, area: &FieldPath) -> bool {
        let area = plain(area);
        self.above.contains(&area) || (0..area.steps().len()).any(|nth| self.all.contains(&area.take(nth)))
    }

    /// Whether a place is one of these, or lies above or below one.
    fn meet(&self, area: &FieldPath) -> bool {
        !self.all.is_empty() && (self.all.contains(&plain(area)) || self.meet_other(area))
    }
}

/// A path without what can be said in two ways: a single entry is a list of one, an attribute is an entry, and what is
/// called by its keys has a number, too.
fn plain(path: &FieldPath) -> FieldPath {
    let steps = path.steps().iter().take_while(|step| !matches!(step, Step::Match(_)));
    let steps = steps.filter(|step| !matches!(step, Step::Index(0))).map(|step| match step {
        Step::Key(key) => Step::Key(key.trim_start_matches('@').to_owned()),
        other => other.clone(),
    });
    FieldPath::from(steps.collect::<Vec<_>>())
}

/// What an edit does to the layout around it.
enum Goes {
    /// A scalar takes the place of one.
    InPlace,
    /// An entry more at the end of a list or table, with its key there.
    ToEnd(FieldPath, Option<String>),
    /// Anything else.
    Alone,
}

fn goes_to(document: &Document, edit: &Edit, names: &Names) -> Goes {
    match edit {
        Edit::Set { at, to } => match find(document.root(), at, names) {
            Some(node) => {
                let plain = node.is_empty() && !matches!(node.shape(), Shape::List | Shape::Table);
                let in_place = plain && !matches!(to, Draft::List(_) | Draft::Table(_));
                if in_place { Goes::InPlace } else { Goes::Alone }
            }
            None => match at.split_last() {
                Some((into, Step::Key(key))) if find(document.root(), &into, names).is_some() => {
                    Goes::ToEnd(into, Some(key.clone()))
                }
                _ => Goes::Alone,
            },
        },
        Edit::Insert { into, before: None, key, .. } => Goes::ToEnd(into.clone(), key.clone()),
        _ => Goes::Alone,
    }
}

/// Spans of a text that are taken already, none of which reaches into another.
#[derive(Default)]
struct Taken(BTreeSet<(u32, u32)>);

impl Taken {
    /// Whether a span is none of them, and reaches into none.
    fn is_free(&self, span: Span) -> bool {
        // those before the last one that begins in front of its end cannot reach further than that one begins
        let last = self.0.range(..(span.end, 0)).next_back();
        !self.0.contains(&(span.start, span.end)) && last.is_none_or(|(_, end)| *end <= span.start)
    }

    fn add(&mut self, span: Span) {
        self.0.insert((span.start, span.end));
    }
}
