//! Lossless edits: values that say what to change, and the smallest splices that do it.
//!
//! Inserted text follows its neighbours' indentation, quoting, commas and line ends; comments stay with
//! the entry they stand beside or directly above. How each format is spliced is in one file per format.

mod csv;
mod described;
mod json;
mod po;
mod rows;
mod together;
mod toml;
mod xml;
mod yaml;

use self::together::{Batch, batch};

use super::{Document, Draft, FieldPath, Format, Node, Notation, PathError, Shape, Step, is_called};
use crate::names::Names;
use crate::source::{FileId, Span};

/// One change to a document. Paths lead from the document's root.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Edit {
    /// Gives an existing value, or a new key of an existing table, another value.
    Set {
        /// Where.
        at: FieldPath,
        /// The value.
        to: Draft,
    },
    /// Puts an entry into a list (no key) or a table (a new key).
    Insert {
        /// The list or table; empty for the root.
        into: FieldPath,
        /// Before which entry; at the end if none, or if there are fewer.
        before: Option<usize>,
        /// The key in a table.
        key: Option<String>,
        /// The value.
        value: Draft,
    },
    /// Takes an entry out.
    Remove {
        /// Where.
        at: FieldPath,
    },
    /// Gives an entry of a table another key.
    Rename {
        /// Where.
        at: FieldPath,
        /// The new key.
        to: String,
    },
}

impl Edit {
    /// The same edit where anchors stand instead of through their aliases, so that it changes what all of
    /// these show.
    pub(crate) fn at_anchors(&self, document: &Document, names: &Names) -> Edit {
        let document = document.as_written(names).unwrap_or(document);
        let mut edit = self.clone();
        // an anchor may stand behind a further alias, but never within itself
        for _ in 0..document.anchors().len() {
            let steps = edit.at().steps();
            let through = (0..=steps.len()).find_map(|depth| {
                let way: FieldPath = steps.get(..depth)?.to_vec().into();
                let anchor = find(document.root(), &way, names)?.anchor()?;
                let rest: FieldPath = steps.get(depth..)?.to_vec().into();
                Some(document.path_to(anchor.node?, names).join(&rest))
            });
            let Some(there) = through else { break };
            *edit.at_mut() = there;
        }
        edit
    }

    fn at_mut(&mut self) -> &mut FieldPath {
        match self {
            Edit::Set { at, .. } | Edit::Remove { at } | Edit::Rename { at, .. } => at,
            Edit::Insert { into, .. } => into,
        }
    }

    /// The place that it is about.
    pub(crate) fn at(&self) -> &FieldPath {
        match self {
            Edit::Set { at, .. } | Edit::Remove { at } | Edit::Rename { at, .. } => at,
            Edit::Insert { into, .. } => into,
        }
    }
}

/// Bytes to replace in a text.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Splice {
    /// The bytes that go.
    pub span: Span,
    /// What comes instead.
    pub text: String,
}

/// Why an edit cannot be made. Nothing is changed then.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
pub enum EditError {
    /// The path leads to nothing.
    #[error("nothing stands at `{0}`")]
    Nothing(String),
    /// The thing at the path is of the wrong shape.
    #[error("at `{path}` stands {found}, not {wanted}")]
    Shape {
        /// Where.
        path: String,
        /// What stands there.
        found: &'static str,
        /// What is needed.
        wanted: &'static str,
    },
    /// The key is there already.
    #[error("the key `{0}` is there already")]
    KeyThere(String),
    /// The document has faults of notation, so that an edit could damage it.
    #[error("the file cannot be read without faults, so it is not edited: {0}")]
    Broken(String),
    /// The format cannot hold the value.
    #[error("{format} has no notation for {what}")]
    NoNotation {
        /// The format's name.
        format: &'static str,
        /// What it cannot hold.
        what: String,
    },
    /// The file is only read.
    #[error("records that patterns find in a text are read, and never written: change the text by hand")]
    ReadOnly,
    /// The path goes through an alias: what stands there is written elsewhere, and for other places too.
    #[error("`{path}` stands at the anchor `{anchor}` in line {line}, which other places use too; change it there")]
    Alias {
        /// The way to the alias.
        path: String,
        /// The anchor's name.
        anchor: String,
        /// The anchor's line.
        line: u32,
    },
    /// What would go holds an anchor that other places use.
    #[error("the anchor `{anchor}` would go, and line {line} uses it")]
    Anchored {
        /// The anchor's name.
        anchor: String,
        /// A line that uses it.
        line: u32,
    },
    /// The layout at this place is one that cannot be edited safely.
    #[error("the notation at `{0}` is too unusual to be edited safely; change it by hand")]
    Unusual(String),
    /// The path is not one.
    #[error(transparent)]
    Path(#[from] PathError),
}

/// The splices of one edit, in order and disjoint.
///
/// # Errors
/// The path leads to nothing that can be edited so, or the document is broken.
pub fn splice(document: &Document, edit: &Edit, names: &Names) -> Result<Vec<Splice>, EditError> {
    let mut all = splices(document, std::slice::from_ref(edit), names)?;
    all.pop().unwrap_or_else(|| Ok(Vec::new()))
}

/// As [`splice`], of several edits, each on the document as it is.
///
/// # Errors
/// The document cannot be edited; in the list, that there is no such edit of it.
pub(crate) fn splices(
    document: &Document,
    edits: &[Edit],
    names: &Names,
) -> Result<Vec<Result<Vec<Splice>, EditError>>, EditError> {
    let editor = Editor::new(document.as_written(names).unwrap_or(document), None, names)?;
    Ok(edits.iter().map(|edit| editor.splices(edit)).collect())
}

/// What edits a document. What its habits are is found out once, for all edits of it.
pub(crate) struct Editor<'d> {
    document: &'d Document,
    names: &'d Names,
    by: By<'d>,
}

/// By which notation a document is edited.
enum By<'d> {
    Json(json::Editor<'d>),
    Toml(toml::Writer<'d>),
    Csv(csv::Sheet<'d>),
    Yaml(yaml::Editor<'d>),
    Tagged(yaml::Tagged<'d>),
    Xml(xml::Editor<'d>),
    Described(described::Editor<'d>),
    Po,
    /// Each block of a file, with where it stands, and a document whose habits count.
    Blocks(Vec<(Span, Document)>, Option<&'d Document>),
}

impl<'d> Editor<'d> {
    /// The editor of a document as it is written, with another document whose habits count where this one has none.
    ///
    /// # Errors
    /// The document is broken, or is only read.
    fn new(document: &'d Document, model: Option<&'d Document>, names: &'d Names) -> Result<Editor<'d>, EditError> {
        if let Some(fault) = document.faults().iter().find(|fault| !fault.repeated_key) {
            return Err(EditError::Broken(fault.message.to_string()));
        }
        let by = match document.format() {
            _ if document.notation().is_block() => {
                let (blocks, _) = document.notation().blocks(document.text());
                let inside = |block: &Span| {
                    let text = block.of(document.text());
                    Document::parse(document.file(), document.notation().inside(), text.into(), names)
                };
                By::Blocks(blocks.iter().map(|block| (*block, inside(block))).collect(), model)
            }
            Format::Json => By::Json(json::Editor::new(document, names)),
            Format::Toml => By::Toml(toml::Writer::learn(document, model, names)),
            Format::Csv => By::Csv(csv::Sheet::new(document)),
            Format::Yaml => match document.notation().tags() {
                Some(tags) => By::Tagged(yaml::Tagged::new(document, tags, names)),
                None => By::Yaml(yaml::Editor::new(document, None, names)),
            },
            Format::Xml => By::Xml(xml::Editor::new(document, model, names)),
            Format::Described => By::Described(described::Editor::new(document, model, names)?),
            Format::Po => By::Po,
            Format::Script => return Err(EditError::NoNotation { format: "a script", what: "changes".to_owned() }),
            Format::Records => return Err(EditError::ReadOnly),
        };
        Ok(Editor { document, names, by })
    }

    /// The splices of one edit, in order and disjoint.
    ///
    /// # Errors
    /// The path leads to nothing that can be edited so.
    fn splices(&self, edit: &Edit) -> Result<Vec<Splice>, EditError> {
        let mut splices = match &self.by {
            By::Json(editor) => editor.splices(edit)?,
            By::Toml(writer) => writer.splices(edit)?,
            By::Csv(sheet) => csv::splices(self.document, sheet, edit, self.names)?,
            By::Yaml(editor) => editor.splices(edit)?,
            By::Tagged(editor) => editor.splices(edit)?,
            By::Xml(editor) => editor.splices(edit)?,
            By::Described(editor) => editor.splices(edit)?,
            By::Po => po::splices(self.document, edit, self.names)?,
            By::Blocks(blocks, model) => in_block(blocks, *model, edit, self.names)?,
        };
        splices.sort_by_key(|splice| splice.span);
        Ok(splices)
    }
}

/// The splices of an edit inside a block of a file. Where there are several, the path begins with the
/// number of the block.
fn in_block(
    blocks: &[(Span, Document)],
    model: Option<&Document>,
    edit: &Edit,
    names: &Names,
) -> Result<Vec<Splice>, EditError> {
    let mut edit = edit.clone();
    let at = edit.at_mut();
    let nothing = EditError::Nothing(at.to_string());
    let nth = match (blocks.len(), at.steps()) {
        (1, _) => 0,
        (_, [Step::Index(nth), rest @ ..]) => {
            let nth = *nth;
            *at = rest.to_vec().into();
            nth
        }
        _ => return Err(nothing),
    };
    let Some((block, inner)) = blocks.get(nth) else { return Err(nothing) };
    let mut splices = Editor::new(inner, model, names)?.splices(&edit)?;
    for splice in &mut splices {
        splice.span = Span { start: splice.span.start + block.start, end: splice.span.end + block.start };
    }
    Ok(splices)
}

/// A value as JSON on one line.
pub fn json_line(value: &Draft) -> String {
    json::Style::plain().write(value, "", Some(true))
}

/// A value as a text of its own, laid out as the first of some documents of the same notation is; the others
/// only tell how their fields are written.
///
/// # Errors
/// The notation cannot hold something in it.
pub(crate) fn whole(
    notation: &Notation,
    models: &[&Document],
    value: &Draft,
    names: &Names,
) -> Result<String, EditError> {
    if let Some((begin, end)) = notation.marks() {
        let inner = whole(&notation.inside(), &[], value, names)?;
        return Ok(format!("{begin}\n{inner}{end}\n"));
    }
    let models = models.iter().filter(|model| model.notation() == notation && !model.is_broken());
    let models = models.take(if notation.format() == Format::Xml { usize::MAX } else { 1 });
    let written: Vec<&Document> = models.map(|model| model.as_written(names).unwrap_or(model)).collect();
    let model = written.first().copied();
    match notation.format() {
        Format::Json => Ok(json_like(model, value)),
        Format::Toml => toml::whole(model, value, names),
        Format::Yaml => yaml::whole(notation, model, value),
        Format::Xml => xml::whole(&written, value, names),
        Format::Csv => csv::whole(notation, model, value, names),
        Format::Described => described::whole(notation, model, value, names),
        Format::Po => po::whole(value),
        Format::Script => Err(EditError::NoNotation { format: "a script", what: "definitions".to_owned() }),
        Format::Records => Err(EditError::ReadOnly),
    }
}

/// A value as a JSON text of its own, laid out as another document is.
fn json_like(model: Option<&Document>, value: &Draft) -> String {
    let style = model.map_or_else(json::Style::plain, json::Style::learn);
    let last = if model.is_none_or(|model| model.text().ends_with('\n')) { style.line_break } else { "" };
    format!("{}{last}", style.write(value, "", (!style.multiline).then_some(true)))
}

/// The text of a document after several edits, each made on the result of those before it.
///
/// # Errors
/// As [`splice`]; then nothing is changed.
pub fn edit(document: &Document, edits: &[Edit], names: &Names) -> Result<String, EditError> {
    edit_like(document, None, edits, names)
}

/// As [`edit`], with another document of the same sort whose habits count where this one has none.
///
/// # Errors
/// As [`splice`]; then nothing is changed.
pub(crate) fn edit_like(
    document: &Document,
    model: Option<&Document>,
    edits: &[Edit],
    names: &Names,
) -> Result<String, EditError> {
    if let Some(written) = document.as_written(names) {
        return edit_like(written, model, edits, names);
    }
    // these have habits that a file of its own may not tell
    let has_habits = matches!(document.format(), Format::Xml | Format::Toml | Format::Described);
    let model = model.filter(|model| has_habits && model.notation() == document.notation());
    let model = model.map(|model| model.as_written(names).unwrap_or(model));
    // these notations hang on the layout around a place: what cannot be read again is not written
    let fragile = matches!(document.format(), Format::Yaml | Format::Xml | Format::Described);
    let mut text = document.text().to_string();
    let mut later: Option<Document> = None;
    let mut rest: Vec<&Edit> = edits.iter().collect();
    let mut boldly = true;
    while let Some(first) = rest.first() {
        let here = later.as_ref().unwrap_or(document);
        let editor = Editor::new(here, model, names)?;
        let mut several = batch(&editor, &rest, boldly)?;
        let made = |several: &Batch| {
            let mut made = text.clone();
            apply(&mut made, &several.splices);
            made
        };
        let parsed = |text: &str| Document::parse(FileId(0), document.notation().clone(), text.into(), names);
        let mut changed = made(&several);
        let mut after = None;
        if several.is_bold() {
            let new = parsed(&changed);
            if several.came(&new, names) {
                after = Some(new);
            } else {
                // what cannot be made together is made one by one
                several = batch(&editor, rest.get(..1).unwrap_or_default(), false)?;
                changed = made(&several);
                boldly = false;
            }
        }
        text = changed;
        let unusual = EditError::Unusual(first.at().to_string());
        let mut nth = 0..;
        rest.retain(|_| nth.next().is_some_and(|nth| several.used.binary_search(&nth).is_err()));
        if fragile || !rest.is_empty() {
            let after = after.unwrap_or_else(|| parsed(&text));
            if fragile && after.is_broken() {
                return Err(unusual);
            }
            later = Some(after);
        }
    }
    Ok(text)
}

/// Applies sorted, disjoint splices.
pub(crate) fn apply(text: &mut String, splices: &[Splice]) {
    let mut out = String::with_capacity(text.len() + 64);
    let mut at = 0;
    for splice in splices {
        out.push_str(text.get(at..splice.span.start as usize).unwrap_or(""));
        out.push_str(&splice.text);
        at = splice.span.end as usize;
    }
    out.push_str(text.get(at..).unwrap_or(""));
    *text = out;
}

/// The node at a path; of repeated keys the last one.
pub(crate) fn find<'d>(root: Node<'d>, path: &FieldPath, names: &Names) -> Option<Node<'d>> {
    // a single element is a list of one wherever a list is asked for
    let single = |here: Node<'_>| here.document().format().needs_reading() && here.shape() != Shape::List;
    // `@name` is only an attribute's, however it is read
    let attribute = |here: Node<'d>, key: &str| {
        let name = key.strip_prefix('@').filter(|_| here.document().format() == Format::Xml)?;
        here.children().find(|child| child.is_attribute() && child.key().is_some_and(|key| names.text(key) == name))
    };
    path.steps().iter().try_fold(root, |here, step| match step {
        Step::Key(key) => here.get_keyed(key, names).or_else(|| attribute(here, key)),
        Step::Index(0) if single(here) => Some(here),
        Step::Index(index) if here.shape() == Shape::List => here.item(*index),
        Step::Index(_) => None,
        Step::Match(parts) => {
            let fits = |item: &Node<'_>| {
                parts
                    .iter()
                    .all(|(key, value)| is_called(item.get_named(key, names).map(|node| node.text()).as_deref(), value))
            };
            if single(here) { Some(here).filter(fits) } else { here.children().find(fits) }
        }
    })
}

fn need<'d>(document: &'d Document, path: &FieldPath, names: &Names) -> Result<Node<'d>, EditError> {
    find(document.root(), path, names).ok_or_else(|| EditError::Nothing(path.to_string()))
}

/// The table and the key that an entry gets which is not there yet.
fn new_entry(at: &FieldPath) -> Result<(FieldPath, &str), EditError> {
    match at.split_last() {
        Some((into, Step::Key(key))) => Ok((into, key)),
        _ => Err(EditError::Nothing(at.to_string())),
    }
}

fn refuse_known(table: Node<'_>, key: &str, names: &Names) -> Result<(), EditError> {
    match table.get_named(key, names) {
        Some(_) => Err(EditError::KeyThere(key.to_owned())),
        None => Ok(()),
    }
}

fn wrong_shape(path: &FieldPath, node: Node<'_>, wanted: &'static str) -> EditError {
    let path = if path.is_empty() { "the top of the file".to_owned() } else { path.to_string() };
    EditError::Shape { path, found: node.shape().words(), wanted }
}

/// The line break that a text uses; `\n` if it has none.
pub(crate) fn line_break(text: &str) -> &'static str {
    match memchr::memchr(b'\n', text.as_bytes()) {
        Some(at) if at > 0 && text.as_bytes().get(at - 1) == Some(&b'\r') => "\r\n",
        _ => "\n",
    }
}

/// The offset of the first byte of the line that `at` lies in.
pub(crate) fn line_start(text: &str, at: usize) -> usize {
    let top = if text.starts_with('\u{feff}') { 3 } else { 0 };
    text.get(..at).unwrap_or("").rfind('\n').map_or(top, |n| n + 1)
}

/// The offset behind the line break that ends the line of `at`, or the end of the text.
fn line_end(text: &str, at: usize) -> usize {
    let rest = text.as_bytes().get(at..).unwrap_or_default();
    memchr::memchr(b'\n', rest).map_or(text.len(), |n| at + n + 1)
}

/// The white space at the start of the line of `at`.
fn indent(text: &str, at: usize) -> &str {
    let start = line_start(text, at);
    let line = text.get(start..).unwrap_or("");
    let end = line.find(|c: char| c != ' ' && c != '\t').unwrap_or(line.len());
    line.get(..end).unwrap_or("")
}

/// Whether only white space stands before `at` on its line.
pub(crate) fn begins_line(text: &str, at: usize) -> bool {
    text.get(line_start(text, at)..at).unwrap_or("").trim().is_empty()
}

/// The start of the comment lines directly above the line of `at`, without a blank line between.
pub(crate) fn comments_above(text: &str, at: usize, marks: &[&str], floor: usize) -> usize {
    let mut start = line_start(text, at);
    while start > floor {
        let above = line_start(text, start - 1);
        let line = text.get(above..start).unwrap_or("").trim();
        if above < floor || !marks.iter().any(|mark| line.starts_with(mark)) {
            break;
        }
        start = above;
    }
    start
}

/// What an edit makes of the tree: the reference that the splices are tested against.
#[cfg(test)]
pub(super) fn intended(tree: &mut Draft, edit: &Edit) {
    match edit {
        Edit::Set { at, to } => {
            if let Some(here) = tree.at_mut(at) {
                *here = to.clone();
            } else if let Some((into, Step::Key(key))) = at.split_last()
                && let Some(Draft::Table(entries)) = tree.at_mut(&into)
            {
                entries.push((key.clone(), to.clone()));
            }
        }
        Edit::Insert { into, before, key, value } => match tree.at_mut(into) {
            Some(Draft::List(items)) => {
                let at = before.unwrap_or(usize::MAX).min(items.len());
                items.insert(at, value.clone());
            }
            Some(Draft::Table(entries)) => {
                let at = before.unwrap_or(usize::MAX).min(entries.len());
                entries.insert(at, (key.clone().unwrap(), value.clone()));
            }
            _ => {}
        },
        Edit::Remove { at } => {
            let (from, step) = at.split_last().unwrap();
            match (tree.at_mut(&from), step) {
                (Some(Draft::List(items)), Step::Index(index)) => {
                    items.remove(*index);
                }
                (Some(Draft::Table(entries)), Step::Key(key)) => {
                    let at = entries.iter().rposition(|(k, _)| k == key).unwrap();
                    entries.remove(at);
                }
                _ => {}
            }
        }
        Edit::Rename { at, to } => {
            let (from, step) = at.split_last().unwrap();
            if let (Some(Draft::Table(entries)), Step::Key(key)) = (tree.at_mut(&from), step) {
                let at = entries.iter().rposition(|(k, _)| k == key).unwrap();
                entries[at].0 = to.clone();
            }
        }
    }
}
