//! Edits that are spliced together, so that a document is parsed once for many of them.

use std::collections::BTreeSet;

use rustc_hash::{FxHashMap, FxHashSet};

use super::super::{Document, Draft, FieldPath, Shape, Step};
use super::{Edit, EditError, Editor, Splice, find};
use crate::names::Names;
use crate::source::Span;

/// Whether a list or table has so many entries.
pub(super) fn holds(document: &Document, at: &FieldPath, length: usize, names: &Names) -> bool {
    find(document.root(), at, names).is_some_and(|node| node.children().count() == length)
}

/// Edits that are spliced together.
pub(super) struct Batch {
    pub(super) splices: Vec<Splice>,
    pub(super) used: usize,
    /// Lists and tables that get entries, with the number that they have afterwards.
    pub(super) added: Vec<(FieldPath, usize)>,
}

/// As many edits as can be spliced together: one, or a run of scalars set in different places and of entries that
/// come to the ends of lists and tables.
pub(super) fn batch(editor: &Editor<'_>, edits: &[Edit]) -> Result<Batch, EditError> {
    let (document, names) = (editor.document, editor.names);
    let mut out = Batch { splices: Vec::new(), used: 0, added: Vec::new() };
    let mut taken = Taken::default();
    // where what is put behind an end already has an own end
    let mut ends: FxHashMap<(u32, FieldPath), usize> = FxHashMap::default();
    let mut keys: FxHashSet<(FieldPath, String)> = FxHashSet::default();
    for edit in edits {
        let goes = goes_to(document, edit, names);
        if out.used > 0 && matches!(goes, Goes::Alone) {
            break;
        }
        let more = match editor.splices(edit) {
            // it may only be wrong before the others are made
            Err(_) if out.used > 0 => break,
            more => more?,
        };
        if let Goes::ToEnd(into, key) = &goes {
            let [one] = more.as_slice() else {
                if out.used > 0 {
                    break;
                }
                out.splices = more;
                out.used = 1;
                break;
            };
            let empty = one.span.start == one.span.end;
            let known = key.as_ref().is_some_and(|key| keys.contains(&(into.clone(), key.clone())));
            let end = (one.span.start, into.clone());
            let behind = ends.get(&end).copied();
            let free = behind.is_some() || taken.is_free(one.span);
            if out.used > 0 && (!empty || known || !free) {
                break;
            }
            let length = find(document.root(), into, names).map_or(0, |node| node.children().count());
            match behind.and_then(|at| out.splices.get_mut(at)) {
                Some(splice) => splice.text.push_str(&one.text),
                None => {
                    ends.insert(end, out.splices.len());
                    taken.add(one.span);
                    out.splices.push(one.clone());
                }
            }
            match out.added.iter_mut().find(|(known, _)| known == into) {
                Some((_, after)) => *after += 1,
                None => out.added.push((into.clone(), length + 1)),
            }
            keys.extend(key.clone().map(|key| (into.clone(), key)));
            out.used += 1;
            // the first entry of something empty, or before what follows, gives it another look
            let apart = one.text.ends_with("\n\n") || one.text.ends_with("\n\r\n");
            if !empty || length == 0 || apart {
                break;
            }
            continue;
        }
        if !more.iter().all(|new| taken.is_free(new.span)) {
            break;
        }
        more.iter().for_each(|one| taken.add(one.span));
        out.splices.extend(more);
        out.used += 1;
        if matches!(goes, Goes::Alone) {
            break;
        }
    }
    if out.used == 1 {
        // a single one is what it is
        out.added.clear();
    }
    out.splices.sort_by_key(|splice| splice.span);
    Ok(out)
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
