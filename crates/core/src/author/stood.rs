//! Definitions as they stand in their own files, put with their comments where their values have been put.

use super::differences::differences;
use crate::catalog::Catalog;
use crate::document::{
    Document, Draft, Edit, FieldPath, Format, Node, NodeRef, Shape, Splice, Step, apply, begins_line, comments_above,
    edit, find, line_break, line_start, splices,
};
use crate::names::Names;
use crate::rulebook::{PatternStep, Where};
use crate::source::{FileId, Span, to_u32};

/// A text at the end of whose definitions stands a copy, with that as its original stands in its own file, but for what is
/// different in it. As it is where no comment stands in the original, or where that would be read otherwise.
pub(super) fn copied(
    catalog: &Catalog,
    place: &Where,
    original: NodeRef,
    before: Option<&str>,
    text: String,
) -> String {
    with_comments(catalog, place, original, before, &text).unwrap_or(text)
}

fn with_comments(
    catalog: &Catalog,
    place: &Where,
    original: NodeRef,
    before: Option<&str>,
    text: &str,
) -> Option<String> {
    let names = &catalog.names;
    let (own, node) = written_at(catalog, original)?;
    let (begins, ends) = extent(own.text(), node);
    let marks = comment_marks(own);
    let has_comment = |text: &str| marks.iter().any(|mark| text.contains(mark));
    let parsed = |text: &str| Document::parse(FileId(0), own.notation().clone(), text.into(), names);
    let new = parsed(text);
    let wanted = Draft::of(new.root(), names);
    let entry = if place.holds_one() { new.root() } else { *entries(&new, place, names).last()? };
    let goal = new.path_to(entry.id(), names);
    // the file with the original in it, and where that stands
    let at = match (node.key(), goal.split_last()) {
        (Some(key), Some((above, Step::Key(_)))) => above.with(Step::Key(names.text(key).to_owned())),
        _ => goal.clone(),
    };
    let with = if place.holds_one() {
        before.is_none().then(|| own.text().to_string()).filter(|text| has_comment(text))?
    } else if own.format() == Format::Toml {
        let entry = own_texts(catalog, &[original]).pop().flatten()?;
        let lines: Vec<&str> = entry.lines().skip_while(|line| line.trim_start().starts_with('#')).collect();
        let line = line_break(own.text());
        let before = before.map_or(String::new(), |before| format!("{}{line}{line}", before.trim_end()));
        let entry = lines.join(line);
        has_comment(&entry).then(|| format!("{before}{entry}{line}"))?
    } else {
        let stood = own.text().get(begins..ends).filter(|stood| has_comment(stood))?;
        let (from, to) = extent(text, entry);
        let stood = indented(stood, column(own.text(), begins), column(text, from));
        let mut with = text.to_owned();
        apply(&mut with, &[Splice { span: Span { start: to_u32(from), end: to_u32(to) }, text: stood }]);
        with
    };
    let document = parsed(&with);
    let mut edits = Vec::new();
    if let (Some((_, Step::Key(_))), Some((_, Step::Key(key)))) = (at.split_last(), goal.split_last())
        && at != goal
    {
        edits.push(Edit::Rename { at: at.clone(), to: key.clone() });
    }
    let stands = find(document.root(), &at, names)?;
    differences(catalog, (stands, &Draft::of(entry, names)), None, &goal, &mut edits);
    let made = edit(&document, &edits, names).ok()?;
    let read = parsed(&made);
    (!read.is_broken() && in_order(&Draft::of(read.root(), names)) == in_order(&wanted)).then_some(made)
}

/// A value with its tables in the order of their keys.
fn in_order(value: &Draft) -> Draft {
    match value {
        Draft::List(items) => Draft::List(items.iter().map(in_order).collect()),
        Draft::Table(entries) => {
            let mut entries: Vec<_> = entries.iter().map(|(key, value)| (key.clone(), in_order(value))).collect();
            entries.sort_by(|(one, _), (other, _)| one.cmp(other));
            Draft::Table(entries)
        }
        other => other.clone(),
    }
}

/// The texts of definitions in a file of tables under headers; none where one cannot be taken out of its file as it stands.
pub(super) fn own_texts(catalog: &Catalog, all: &[NodeRef]) -> Vec<Option<String>> {
    let mut out = Vec::new();
    for of_file in all.chunk_by(|one, other| one.file == other.file) {
        let own = of_file.first().and_then(|at| catalog.document(at.file));
        let Some(own) = own else { return vec![None] };
        let edit = |at: &NodeRef| Edit::Remove { at: own.path_to(at.node, &catalog.names) };
        let edits: Vec<Edit> = of_file.iter().map(edit).collect();
        for removed in splices(own, &edits, &catalog.names).unwrap_or_default() {
            let removed = removed.unwrap_or_default();
            let [Splice { span, text: left }] = removed.as_slice() else { return vec![None] };
            let entry = span.of(own.text()).trim_matches(['\r', '\n']);
            out.push((!entry.is_empty() && left.is_empty()).then(|| entry.to_owned()));
        }
    }
    out
}

/// What stands at a node as it is written, and its document.
pub(super) fn written_at(catalog: &Catalog, at: NodeRef) -> Option<(&Document, Node<'_>)> {
    let own = catalog.document(at.file)?;
    let path = own.path_to(at.node, &catalog.names);
    let written = own.as_written(&catalog.names).unwrap_or(own);
    Some((own, find(written.root(), &path, &catalog.names)?))
}

/// The splices that put a definition as it stands in its own file, with its comments, in the place of an entry of a text.
pub(super) fn as_it_stood(catalog: &Catalog, at: NodeRef, text: &str, there: Node<'_>) -> Vec<Splice> {
    let Some((own, node)) = written_at(catalog, at) else { return Vec::new() };
    let (begins, ends) = extent(own.text(), node);
    let (lead, entry, trail) = entry_of(own, begins, ends);
    let (from, to) = extent(text, there);
    let entry = indented(entry, column(own.text(), begins), column(text, from));
    let indent: String = " ".repeat(column(text, from));
    let line = line_break(text);
    let lead: String = lead.iter().map(|comment| format!("{comment}{line}{indent}")).collect();
    let behind = if text.get(to..).is_some_and(|rest| rest.starts_with(',')) { to + 1 } else { to };
    let span = |from: usize, to: usize| Span { start: to_u32(from), end: to_u32(to) };
    let mut splices = vec![Splice { span: span(from, to), text: format!("{lead}{entry}") }];
    splices.extend(trail.map(|trail| Splice { span: span(behind, behind), text: trail }));
    splices
}

/// The way to where a place finds its definitions.
fn above_entries(place: &Where) -> Option<FieldPath> {
    let (_, above) = place.cut.0.split_last()?;
    let keys = above.iter().map(|step| match step {
        PatternStep::Key(key) => Some(Step::Key(key.clone())),
        _ => None,
    });
    Some(FieldPath::from(keys.collect::<Option<Vec<Step>>>()?))
}

/// The definitions of a place in a document.
pub(super) fn entries<'d>(document: &'d Document, place: &Where, names: &Names) -> Vec<Node<'d>> {
    let list = above_entries(place).and_then(|above| find(document.root(), &above, names));
    let Some(list) = list else { return Vec::new() };
    // a single element is a list of one
    let single = matches!(place.cut.0.last(), Some(PatternStep::Entries)) && list.shape() != Shape::List;
    if single { vec![list] } else { list.children().collect() }
}

/// Where an entry begins and ends, with its key, if it has one; in XML with its marks.
fn extent(text: &str, node: Node<'_>) -> (usize, usize) {
    let (key, own) = (node.key_span(), node.span());
    let keyed = key.end > key.start && key.start <= own.start;
    let (start, end) = ((if keyed { key.start } else { own.start }) as usize, own.end as usize);
    if node.document().format() != Format::Xml {
        return (start, end);
    }
    let opens = text.get(..start + 1).and_then(|before| before.rfind('<')).unwrap_or(start);
    let closes = text.get(end..).filter(|rest| rest.starts_with("</")).and_then(|rest| rest.find('>'));
    (opens, closes.map_or(end, |at| end + at + 1))
}

fn column(text: &str, at: usize) -> usize {
    let line = text.get(..at).unwrap_or("").rsplit('\n').next().unwrap_or("");
    line.chars().count()
}

/// What comments of a document begin with.
fn comment_marks(document: &Document) -> Vec<&str> {
    match (document.notation().text_marks(), document.format()) {
        (Some(marks), _) => marks.comment_starts().collect(),
        (None, Format::Json) => vec!["//", "/*"],
        (None, Format::Xml) => vec!["<!--"],
        (None, Format::Csv) => document.notation().rows().comment.as_deref().into_iter().collect(),
        _ => vec!["#"],
    }
}

/// The comments above an entry, its text, and a comment behind it on its last line.
fn entry_of(document: &Document, start: usize, end: usize) -> (Vec<String>, &str, Option<String>) {
    // a comment over several lines is one line of it
    let (text, covered) = (document.text(), document.covered());
    let marks = comment_marks(document);
    let mut lead = Vec::new();
    if begins_line(text, start) {
        let above = text.get(comments_above(covered, start, &marks, 0)..line_start(text, start)).unwrap_or("");
        lead.extend(above.lines().map(|line| line.trim().to_owned()));
    }
    let comment = |line: &str| marks.iter().any(|mark| line.starts_with(mark));
    let rest = covered.get(end..).unwrap_or("").split(['\r', '\n']).next().unwrap_or("").len();
    let rest = text.get(end..end + rest).unwrap_or("");
    let rest = rest.strip_prefix(',').unwrap_or(rest).trim_end();
    (lead, text.get(start..end).unwrap_or(""), comment(rest.trim_start()).then(|| rest.to_owned()))
}

/// A text of several lines with another indentation of those behind the first.
fn indented(text: &str, from: usize, to: usize) -> String {
    let mut out = String::new();
    for (nth, line) in text.split('\n').enumerate() {
        if nth == 0 {
            out.push_str(line);
            continue;
        }
        out.push('\n');
        let inner = line.len() - line.trim_start_matches(' ').len();
        let now = (inner + to).saturating_sub(from);
        let blank = line.trim().is_empty() || line.starts_with('\t');
        out.push_str(&if blank {
            line.to_owned()
        } else {
            format!("{}{}", " ".repeat(now), line.trim_start_matches(' '))
        });
    }
    out
}
