//! Definitions of lower layers in files of the mod's own, as they stand there: the lower file with nothing else left of it, and
//! only what changes written anew.

use crate::author::differences;
use crate::catalog::{Catalog, Definition};
use crate::document::{Document, Draft, Edit, EditError, FieldPath, Format, Step, edit_like, whole as whole_text};

/// So many definitions are taken out of a file; where it has more, what is left is written anew.
const MOST: usize = 4000;

/// A definition, and what is to stand there.
pub(super) struct Kept {
    pub(super) definition: Definition,
    pub(super) after: Draft,
}

/// The text of a file with these definitions as they are to be. The others go, unless the file counts as a whole.
/// Nothing if too many would go.
///
/// # Errors
/// The layout of the file is one that cannot be edited so.
pub(super) fn carved(
    catalog: &Catalog,
    document: &Document,
    kept: &[Kept],
    whole: bool,
) -> Result<Option<String>, EditError> {
    let names = &catalog.names;
    let mut edits = Vec::new();
    for one in kept {
        let node = document.node(one.definition.node);
        let root = catalog.rulebook.kind(one.definition.kind).root;
        let at = document.path_to(node.id(), names);
        differences(catalog, (node, &one.after), Some(root), &at, &mut edits);
    }
    let harvest = catalog.harvest_of(document.file()).filter(|_| !whole);
    let spans: Vec<_> = kept.iter().map(|one| document.node(one.definition.node).span()).collect();
    let mut others: Vec<_> = harvest
        .into_iter()
        .flat_map(|harvest| &harvest.definitions)
        .map(|made| document.node(made.node))
        // what holds one of them, or stands in one
        .filter(|node| !spans.iter().any(|span| span.contains(node.span()) || node.span().contains(*span)))
        .collect();
    if others.len() > MOST {
        return Ok(None);
    }
    // from the end, so that the ways to those before stay right
    others.sort_by_key(|node| std::cmp::Reverse(node.span().start));
    // one piece can be several definitions
    others.dedup_by_key(|node| node.id());
    let went = !others.is_empty();
    edits.extend(others.into_iter().map(|node| Edit::Remove { at: document.path_to(node.id(), names) }));
    let text = match edit_like(document, None, &edits, names) {
        Err(_) if whole => {
            let all = anew(catalog, document, kept);
            let at = FieldPath::default();
            edit_like(document, None, &[Edit::Set { at, to: all.clone() }], names)
                .or_else(|_| whole_text(document.notation(), &[document], &all, names))?
        }
        text => text?,
    };
    // between sections that went, their empty lines stay behind
    Ok(Some(if went && document.format() == Format::Described { without_gaps(&text) } else { text }))
}

/// A file written anew as a whole, with these definitions as they are to be.
fn anew(catalog: &Catalog, document: &Document, kept: &[Kept]) -> Draft {
    // the others stay as they are written, however they are read
    let mut all = Draft::of(document.as_written(&catalog.names).unwrap_or(document).root(), &catalog.names);
    for one in kept {
        let root = catalog.rulebook.kind(one.definition.kind).root;
        let at = document.path_to(one.definition.node, &catalog.names);
        replace(&mut all, at.steps(), catalog.rulebook.written(one.after.clone(), root, &catalog.names));
    }
    all
}

/// Puts another value in the place of what stands somewhere.
fn replace(all: &mut Draft, steps: &[Step], value: Draft) {
    let inner = match (all, steps.split_first()) {
        (all, None) => {
            *all = value;
            return;
        }
        (Draft::Table(entries), Some((Step::Key(key), rest))) => {
            entries.iter_mut().find(|(known, _)| known == key).map(|(_, inner)| (inner, rest))
        }
        (Draft::List(items), Some((Step::Index(nth), rest))) => items.get_mut(*nth).map(|inner| (inner, rest)),
        _ => None,
    };
    if let Some((inner, rest)) = inner {
        replace(inner, rest, value);
    }
}

/// A text in which no two empty lines follow each other, and none begins or ends it.
fn without_gaps(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut gap = "";
    for line in text.split_inclusive('\n') {
        if line.trim().is_empty() {
            gap = line;
        } else {
            out.push_str(if out.is_empty() { "" } else { gap });
            out.push_str(line);
            gap = "";
        }
    }
    out
}
