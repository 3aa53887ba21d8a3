//! Splices for XML: attributes, elements and texts, each where the file's own habit puts it.
//!
//! Long because every form of a field has its own way of being set, inserted, removed and renamed.

use rustc_hash::FxHashMap;

use super::super::xml::{element, element_name, is_name};
use super::super::{Document, Draft, FieldPath, Node, Shape, Step};
use super::{
    Edit, EditError, Splice, begins_line, comments_above, indent, line_break, line_end, line_start, need, new_entry,
    refuse_known, wrong_shape,
};
use crate::names::Names;
use crate::source::Span;

/// A value as an XML text of its own: a table with the root element as its one entry.
pub(super) fn whole(models: &[&Document], value: &Draft, names: &Names) -> Result<String, EditError> {
    let model = models.first();
    let mut style = model.map_or_else(Style::plain, |model| Style::learn(model, names));
    for model in models.iter().skip(1) {
        style.forms_of(model, names);
    }
    let root = match value {
        Draft::Table(entries) if entries.len() == 1 => entries.first(),
        _ => None,
    };
    let Some((name, value)) = root else {
        return Err(no_notation("anything but one root element"));
    };
    let declared = model.and_then(|model| {
        let text = model.text().trim_start_matches('\u{feff}');
        text.starts_with("<?xml").then(|| text.split_once("?>")).flatten().map(|(head, _)| format!("{head}?>"))
    });
    let head = declared.map_or(String::new(), |head| format!("{head}{}", style.line_break));
    let elements = style.elements(name, value, "")?;
    Ok(format!("{head}{}{}", elements.join(style.line_break), style.line_break))
}

fn no_notation(what: &str) -> EditError {
    EditError::NoNotation { format: "XML", what: what.to_owned() }
}

fn splice(start: usize, end: usize, text: impl Into<String>) -> Splice {
    Splice { span: Span::new(start, end), text: text.into() }
}

fn escape_text(text: &str) -> Result<String, EditError> {
    let mut out = escape(text, |c| match c {
        '<' => Some("&lt;"),
        '>' => Some("&gt;"),
        '\r' => Some("&#13;"),
        _ => None,
    })?;
    // white space at the ends is the file's layout, unless it is written as a reference
    let reference = |c: char| format!("&#{};", u32::from(c));
    let lead: String = out.chars().take_while(|c| c.is_whitespace()).collect();
    if !lead.is_empty() {
        out.replace_range(..lead.len(), &lead.chars().map(reference).collect::<String>());
    }
    let trail: Vec<char> = out.chars().rev().take_while(|c| c.is_whitespace()).collect();
    if !trail.is_empty() {
        let len: usize = trail.iter().map(|c| c.len_utf8()).sum();
        out.truncate(out.len() - len);
        out.extend(trail.iter().rev().map(|c| reference(*c)));
    }
    Ok(out)
}

fn escape_attribute(text: &str, quote: char) -> Result<String, EditError> {
    escape(text, |c| match c {
        '<' => Some("&lt;"),
        '\n' => Some("&#10;"),
        '\r' => Some("&#13;"),
        '\t' => Some("&#9;"),
        '"' if quote == '"' => Some("&quot;"),
        '\'' if quote == '\'' => Some("&apos;"),
        _ => None,
    })
}

fn escape(text: &str, other: impl Fn(char) -> Option<&'static str>) -> Result<String, EditError> {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match other(c) {
            Some(reference) => out.push_str(reference),
            None if c == '&' => out.push_str("&amp;"),
            // XML 1.0, §2.2
            None if c.is_control() && !matches!(c, '\n' | '\t') && u32::from(c) < 0x20 => {
                return Err(no_notation("a control character"));
            }
            None if matches!(c, '\u{fffe}' | '\u{ffff}') => return Err(no_notation("this character")),
            None => out.push(c),
        }
    }
    Ok(out)
}

/// How a field of an element is written.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Form {
    Attribute,
    Child,
}

/// The habits of a file.
struct Style {
    unit: String,
    line_break: &'static str,
    quote: char,
    /// What stands before the `/>` of an empty element.
    before_slash: &'static str,
    /// Attributes and children by the element's and the field's name, and by the field's name alone.
    forms: FxHashMap<(String, String), Form>,
}

impl Style {
    fn plain() -> Style {
        Style { unit: "  ".to_owned(), line_break: "\n", quote: '"', before_slash: "", forms: FxHashMap::default() }
    }

    fn learn(document: &Document, names: &Names) -> Style {
        let text: &str = document.text();
        let mut style = Style { line_break: line_break(text), ..Style::plain() };
        if let Some(at) = text.find("/>").filter(|at| *at > 0) {
            style.before_slash = if text.get(at - 1..at) == Some(" ") { " " } else { "" };
        }
        let mut unit = false;
        let mut quote = false;
        let mut todo: Vec<(Node<'_>, String)> = vec![(document.root(), String::new())];
        let mut looked = 0;
        while let Some((node, name)) = todo.pop() {
            looked += 1;
            if looked > 2000 {
                break;
            }
            for child in node.children() {
                let key = child.key().map_or("", |key| names.text(key)).to_owned();
                if node.shape() == Shape::List {
                    todo.push((child, name.clone()));
                    continue;
                }
                let form = if child.is_attribute() { Form::Attribute } else { Form::Child };
                if form == Form::Attribute && !quote {
                    let mark = text.get(..child.span().start as usize).and_then(|text| text.chars().next_back());
                    (style.quote, quote) = (mark.unwrap_or('"'), true);
                }
                let field = key.trim_start_matches('@').to_owned();
                // what belongs to the notation is no habit of the game's
                if field.starts_with("xml") || field.contains(':') {
                    continue;
                }
                style.forms.entry((name.clone(), field.clone())).or_insert(form);
                style.forms.entry((String::new(), field)).or_insert(form);
                if form == Form::Child && !unit && key != "#text" {
                    let start = child.key_span().start.saturating_sub(1) as usize;
                    let (outer, inner) = (indent(text, node.span().start as usize), indent(text, start));
                    if let Some(deeper) = inner.strip_prefix(outer).filter(|deeper| !deeper.is_empty()) {
                        style.unit = deeper.to_owned();
                        unit = true;
                    }
                }
                if matches!(child.shape(), Shape::Table | Shape::List) {
                    todo.push((child, key));
                }
            }
        }
        style
    }

    /// Takes over how fields are written in another document, where this one does not tell.
    fn forms_of(&mut self, model: &Document, names: &Names) {
        for (field, form) in Style::learn(model, names).forms {
            self.forms.entry(field).or_insert(form);
        }
    }

    /// How a field of an element is written here, or would be, perhaps beside the element's own text.
    fn form(&self, parent: &str, key: &str, value: &Draft, beside_text: bool) -> Form {
        if key.starts_with('@') {
            return Form::Attribute;
        }
        if matches!(value, Draft::List(_) | Draft::Table(_)) {
            return Form::Child;
        }
        let known = |parent: &str| self.forms.get(&(parent.to_owned(), key.to_owned())).copied();
        if let Some(form) = known(parent) {
            return form;
        }
        if beside_text {
            return Form::Attribute;
        }
        // as most fields of such an element, else as the field is written in others
        let own: Vec<Form> = self.forms.iter().filter(|((of, _), _)| of == parent).map(|(_, form)| *form).collect();
        let attributes = own.iter().filter(|form| **form == Form::Attribute).count();
        match own.len() {
            0 => known("").unwrap_or(Form::Child),
            all if attributes * 2 > all => Form::Attribute,
            _ => Form::Child,
        }
    }

    /// A scalar as a text.
    fn word(value: &Draft) -> Result<String, EditError> {
        match value {
            Draft::Null => Err(no_notation("null")),
            Draft::Number(number) => Ok(number.json()),
            scalar => scalar.word().ok_or_else(|| no_notation("a list or table in an attribute")),
        }
    }

    /// A scalar as the text of an element.
    fn own(&self, value: &Draft) -> Result<String, EditError> {
        Ok(escape_text(&Self::word(value)?)?.replace('\n', self.line_break))
    }

    fn attribute(&self, key: &str, value: &Draft) -> Result<String, EditError> {
        let key = key.trim_start_matches('@');
        if !is_name(key) {
            return Err(no_notation(&format!("the key `{key}`")));
        }
        let quote = self.quote;
        Ok(format!("{key}={quote}{}{quote}", escape_attribute(&Self::word(value)?, quote)?))
    }

    /// The elements of a field, each with its lines; those behind the first are indented.
    fn elements(&self, name: &str, value: &Draft, depth: &str) -> Result<Vec<String>, EditError> {
        match value {
            Draft::List(items) => {
                let nested = |item: &&Draft| matches!(item, Draft::List(_));
                if items.iter().any(|item| nested(&item)) {
                    return Err(no_notation("a list in a list"));
                }
                items.iter().map(|item| self.element(name, item, depth)).collect()
            }
            one => Ok(vec![self.element(name, one, depth)?]),
        }
    }

    fn element(&self, name: &str, value: &Draft, depth: &str) -> Result<String, EditError> {
        if !is_name(name) {
            return Err(no_notation(&format!("the key `{name}`")));
        }
        let empty = |attributes: &str| format!("<{name}{attributes}{}/>", self.before_slash);
        let Draft::Table(entries) = value else {
            let text = self.own(value)?;
            return Ok(if text.is_empty() { empty("") } else { format!("<{name}>{text}</{name}>") });
        };
        let (mut attributes, mut children, mut own) = (String::new(), Vec::new(), String::new());
        let deeper = format!("{depth}{}", self.unit);
        let has_text = entries.iter().any(|(key, _)| key == "#text");
        for (key, value) in entries {
            if key == "#text" {
                own = self.own(value)?;
            } else if self.form(name, key, value, has_text) == Form::Attribute {
                attributes.push_str(&format!(" {}", self.attribute(key, value)?));
            } else {
                children.extend(self.elements(key, value, &deeper)?);
            }
        }
        if children.is_empty() {
            return Ok(if own.is_empty() { empty(&attributes) } else { format!("<{name}{attributes}>{own}</{name}>") });
        }
        let nl = self.line_break;
        let mut out = format!("<{name}{attributes}>{own}");
        for child in children {
            out.push_str(&format!("{nl}{deeper}{child}"));
        }
        Ok(format!("{out}{nl}{depth}</{name}>"))
    }
}

pub(super) struct Editor<'d> {
    document: &'d Document,
    text: &'d str,
    names: &'d Names,
    style: Style,
}

impl<'d> Editor<'d> {
    pub(super) fn new(document: &'d Document, model: Option<&Document>, names: &'d Names) -> Editor<'d> {
        let mut style = Style::learn(document, names);
        if let Some(model) = model {
            style.forms_of(model, names);
        }
        Editor { document, text: document.text(), names, style }
    }

    pub(super) fn splices(&self, edit: &Edit) -> Result<Vec<Splice>, EditError> {
        match edit {
            Edit::Set { at, to } => match super::find(self.document.root(), at, self.names) {
                Some(node) => self.set(at, node, to),
                None => {
                    let (into, key) = new_entry(at)?;
                    self.insert_entry(&into, None, key, to)
                }
            },
            Edit::Insert { into, before, key: Some(key), value } => self.insert_entry(into, *before, key, value),
            Edit::Insert { into, before, key: None, value } => self.insert_item(into, *before, value),
            Edit::Remove { at } => self.remove(at),
            Edit::Rename { at, to } => self.rename(at, to),
        }
    }

    fn key(&self, node: Node<'_>) -> &'d str {
        node.key().map_or("", |key| self.names.text(key))
    }

    fn is_own_text(&self, node: Node<'_>) -> bool {
        self.key(node) == "#text"
    }

    /// The whole element that a node is.
    fn element(&self, node: Node<'_>) -> Span {
        element(self.text, node.key_span().start as usize, node.span())
    }

    /// The elements of a field: one, or those of its list.
    fn members(&self, node: Node<'d>) -> Vec<Node<'d>> {
        if node.shape() == Shape::List { node.children().collect() } else { vec![node] }
    }

    fn set(&self, path: &FieldPath, node: Node<'d>, to: &Draft) -> Result<Vec<Splice>, EditError> {
        if path.is_empty() {
            return Err(no_notation("another root in the same file"));
        }
        let span = (node.span().start as usize, node.span().end as usize);
        let scalar = !matches!(to, Draft::List(_) | Draft::Table(_));
        if let (true, false, Some((above, Step::Key(key)))) = (node.is_attribute(), scalar, path.split_last())
            && !key.starts_with('@')
        {
            return self.instead_of_attribute(path, &above, key, to);
        }
        if node.is_attribute() {
            let quote = self.text.get(..span.0).and_then(|text| text.chars().next_back()).unwrap_or('"');
            return Ok(vec![splice(span.0, span.1, escape_attribute(&Style::word(to)?, quote)?)]);
        }
        if self.is_own_text(node) {
            self.unmixed(path, node)?;
            return Ok(vec![splice(span.0, span.1, self.style.own(to)?)]);
        }
        let keyed = matches!(path.steps().last(), Some(Step::Key(_)));
        if (path.steps().len() == 1 || !keyed) && matches!(to, Draft::List(items) if items.len() != 1) {
            let what = if keyed { "anything but one root element" } else { "a list in a list" };
            return Err(no_notation(what));
        }
        let outer = self.element(node);
        let shorthand = node.raw().starts_with('<') && node.shape() == Shape::Text && outer == node.span();
        if scalar && node.shape() == Shape::Text && !shorthand {
            return Ok(vec![splice(span.0, span.1, self.style.own(to)?)]);
        }
        let members = self.members(node);
        let name = self.element_name(node);
        let first = members.first().map_or(outer, |first| self.element(*first));
        let depth = self.depth(first);
        let written = self.style.elements(&name, to, &depth)?;
        if written.is_empty() {
            return self.remove(path);
        }
        let between = format!("{}{depth}", self.style.line_break);
        let mut splices = vec![Splice { span: first, text: written.join(&between) }];
        for member in members.iter().skip(1) {
            splices.push(self.take_out(self.element(*member), 0));
        }
        Ok(splices)
    }

    /// Elements for what an attribute cannot hold.
    fn instead_of_attribute(
        &self,
        path: &FieldPath,
        above: &FieldPath,
        key: &str,
        to: &Draft,
    ) -> Result<Vec<Splice>, EditError> {
        let table = need(self.document, above, self.names)?;
        let mut splices = self.remove(path)?;
        splices.extend(self.insert_elements(above, table, None, (key, to))?);
        Ok(splices)
    }

    /// The name under which an element is written.
    fn element_name(&self, node: Node<'_>) -> String {
        let first = if node.shape() == Shape::List { node.children().next().unwrap_or(node) } else { node };
        element_name(self.text, self.element(first).start as usize).to_owned()
    }

    /// The white space before an element that stands on a line of its own.
    fn depth(&self, element: Span) -> String {
        indent(self.text, element.start as usize).to_owned()
    }

    /// Refuses to edit a text with elements in its midst.
    fn unmixed(&self, path: &FieldPath, node: Node<'_>) -> Result<(), EditError> {
        if node.raw().contains('<') { Err(EditError::Unusual(path.to_string())) } else { Ok(()) }
    }

    /// The start of an element's line, or of the comments above it. One of several lines is left where it is.
    fn with_comments(&self, start: usize, floor: usize) -> usize {
        let from = comments_above(self.text, start, &["<!--"], floor);
        let above = self.text.get(from..start).unwrap_or("");
        let whole = above.matches("<!--").count() == above.matches("-->").count();
        if whole { from } else { line_start(self.text, start) }
    }

    /// An element with its line, where it stands alone on it, and with the comment above it.
    fn take_out(&self, element: Span, floor: usize) -> Splice {
        let (start, end) = (element.start as usize, element.end as usize);
        let rest = self.text.get(end..line_end(self.text, end)).unwrap_or("");
        if begins_line(self.text, start) && rest.trim().is_empty() {
            return splice(self.with_comments(start, floor), line_end(self.text, end), "");
        }
        splice(start, end, "")
    }

    fn insert_entry(
        &self,
        into: &FieldPath,
        before: Option<usize>,
        key: &str,
        value: &Draft,
    ) -> Result<Vec<Splice>, EditError> {
        let table = need(self.document, into, self.names)?;
        if into.is_empty() {
            return Err(no_notation("a second root element"));
        }
        if table.is_attribute() || self.is_own_text(table) || !matches!(table.shape(), Shape::Table | Shape::Text) {
            return Err(wrong_shape(into, table, "a table"));
        }
        refuse_known(table, key, self.names)?;
        let name = self.element_name(table);
        let outer = self.element(table);
        let attributes: Vec<Node<'_>> = table.children().filter(|child| child.is_attribute()).collect();
        if key == "#text" {
            let tag_end = self.tag_end(outer, &attributes);
            let text = self.style.own(value)?;
            return Ok(vec![self.insert_content(outer, &name, tag_end, &text)]);
        }
        if self.style.form(&name, key, value, false) == Form::Attribute {
            return Ok(vec![self.insert_attribute(&attributes, outer, &name, before, key, value)?]);
        }
        self.insert_elements(into, table, before, (key, value))
    }

    /// The elements of a new field, behind the others of a table or before one of them.
    fn insert_elements(
        &self,
        into: &FieldPath,
        table: Node<'d>,
        before: Option<usize>,
        (key, value): (&str, &Draft),
    ) -> Result<Vec<Splice>, EditError> {
        let name = self.element_name(table);
        let outer = self.element(table);
        let attributes: Vec<Node<'_>> = table.children().filter(|child| child.is_attribute()).collect();
        let tag_end = self.tag_end(outer, &attributes);
        if table.shape() == Shape::Text && !table.text().trim().is_empty() {
            return Err(wrong_shape(into, table, "a table"));
        }
        let depth = self.depth(outer);
        let children: Vec<Node<'_>> =
            table.children().filter(|child| !child.is_attribute() && !self.is_own_text(*child)).collect();
        let nl = self.style.line_break;
        let before = before.and_then(|nth| table.children().nth(nth));
        let before = before.filter(|node| children.iter().any(|child| child.id() == node.id()));
        let all = children.iter().flat_map(|child| self.members(*child)).map(|child| self.element(child));
        match (before, all.max_by_key(|span| span.end)) {
            (Some(next), _) => {
                let next = self.members(next).first().map_or(outer, |first| self.element(*first));
                let deeper = self.depth(next);
                let written = self.style.elements(key, value, &deeper)?;
                Ok(vec![self.before(next, &written, &deeper)])
            }
            (None, Some(last)) => {
                let own_line = begins_line(self.text, last.start as usize);
                let deeper = self.depth(last);
                let written = self.style.elements(key, value, &deeper)?;
                let between = if own_line { format!("{nl}{deeper}") } else { String::new() };
                let text: String = written.iter().map(|element| format!("{between}{element}")).collect();
                Ok(vec![splice(last.end as usize, last.end as usize, text)])
            }
            (None, None) => {
                let deeper = format!("{depth}{}", self.style.unit);
                let written = self.style.elements(key, value, &deeper)?;
                let body: String = written.iter().map(|element| format!("{nl}{deeper}{element}")).collect();
                let body = if body.is_empty() { body } else { format!("{body}{nl}{depth}") };
                Ok(vec![self.insert_content(outer, &name, tag_end, &body)])
            }
        }
    }

    /// Elements before another one, on lines of their own if that one is.
    fn before(&self, next: Span, written: &[String], depth: &str) -> Splice {
        let (start, nl) = (next.start as usize, self.style.line_break);
        if begins_line(self.text, start) {
            // what stands at the very top is about the whole file
            let line = match self.with_comments(start, 0) {
                0 => line_start(self.text, start),
                line => line,
            };
            let text: String = written.iter().map(|element| format!("{depth}{element}{nl}")).collect();
            return splice(line, line, text);
        }
        splice(start, start, written.concat())
    }

    /// Where the start tag of an element ends: behind its `>` or before its `/>`.
    fn tag_end(&self, outer: Span, attributes: &[Node<'_>]) -> usize {
        let name = element_name(self.text, outer.start as usize);
        let from = attributes
            .iter()
            .map(|node| node.span().end as usize + 1)
            .max()
            .unwrap_or(outer.start as usize + 1 + name.len());
        let rest = self.text.get(from..).unwrap_or("");
        from + rest.find('>').map_or(0, |at| at + 1)
    }

    /// Content right behind the start tag; an empty element gets an end tag.
    fn insert_content(&self, outer: Span, name: &str, tag_end: usize, content: &str) -> Splice {
        if content.is_empty() {
            return splice(tag_end, tag_end, "");
        }
        let tag = self.text.get(..tag_end).unwrap_or("");
        if let Some(open) = tag.strip_suffix("/>") {
            let open = open.trim_end().len();
            return splice(open, tag_end, format!(">{content}</{name}>"));
        }
        // what was only white space is replaced
        let end = outer.end as usize;
        let close = self.text.get(tag_end..end).unwrap_or("").rfind("</").map_or(tag_end, |at| tag_end + at);
        let blank = self.text.get(tag_end..close).unwrap_or("").trim().is_empty();
        splice(tag_end, if blank { close } else { tag_end }, content)
    }

    fn insert_attribute(
        &self,
        attributes: &[Node<'_>],
        outer: Span,
        name: &str,
        before: Option<usize>,
        key: &str,
        value: &Draft,
    ) -> Result<Splice, EditError> {
        let written = self.style.attribute(key, value)?;
        if let Some(next) = before.and_then(|nth| attributes.get(nth)) {
            let at = next.key_span().start as usize;
            return Ok(splice(at, at, format!("{written} ")));
        }
        let Some(last) = attributes.iter().max_by_key(|node| node.span().end) else {
            let at = outer.start as usize + 1 + name.len();
            return Ok(splice(at, at, format!(" {written}")));
        };
        let (at, start) = (last.span().end as usize + 1, last.key_span().start as usize);
        let between = if begins_line(self.text, start) {
            format!("{}{}", self.style.line_break, indent(self.text, start))
        } else {
            " ".to_owned()
        };
        Ok(splice(at, at, format!("{between}{written}")))
    }

    /// One more element of a name.
    fn insert_item(&self, into: &FieldPath, before: Option<usize>, value: &Draft) -> Result<Vec<Splice>, EditError> {
        let node = need(self.document, into, self.names)?;
        if node.is_attribute() || self.is_own_text(node) || into.steps().len() < 2 {
            return Err(wrong_shape(into, node, "a list"));
        }
        if matches!(value, Draft::List(_)) {
            return Err(no_notation("a list in a list"));
        }
        let members = self.members(node);
        let name = self.element_name(node);
        let next = before.and_then(|nth| members.get(nth)).map(|next| self.element(*next));
        let near = next.or(members.last().map(|last| self.element(*last)));
        let Some(near) = near else { return Err(EditError::Nothing(into.to_string())) };
        let depth = self.depth(near);
        let written = self.style.elements(&name, value, &depth)?;
        if next.is_some() {
            return Ok(vec![self.before(near, &written, &depth)]);
        }
        let own_line = begins_line(self.text, near.start as usize);
        let between = if own_line { format!("{}{depth}", self.style.line_break) } else { String::new() };
        let text: String = written.iter().map(|element| format!("{between}{element}")).collect();
        Ok(vec![splice(near.end as usize, near.end as usize, text)])
    }

    fn remove(&self, path: &FieldPath) -> Result<Vec<Splice>, EditError> {
        let node = need(self.document, path, self.names)?;
        if path.steps().len() < 2 {
            return Err(no_notation("a file without a root element"));
        }
        if node.is_attribute() {
            let key = node.key_span().start as usize;
            let start = self.text.get(..key).unwrap_or("").trim_end().len();
            return Ok(vec![splice(start, node.span().end as usize + 1, "")]);
        }
        if self.is_own_text(node) {
            self.unmixed(path, node)?;
            return Ok(vec![splice(node.span().start as usize, node.span().end as usize, "")]);
        }
        let mut above = path.clone();
        let floor = loop {
            let Some((next, _)) = above.split_last() else { break 0 };
            above = next;
            match super::find(self.document.root(), &above, self.names) {
                Some(table) if table.shape() == Shape::Table => {
                    break line_end(self.text, table.span().start as usize);
                }
                _ => {}
            }
        };
        Ok(self.members(node).into_iter().map(|member| self.take_out(self.element(member), floor)).collect())
    }

    fn rename(&self, path: &FieldPath, to: &str) -> Result<Vec<Splice>, EditError> {
        let node = need(self.document, path, self.names)?;
        let (table, step) = path.split_last().ok_or_else(|| EditError::Nothing(path.to_string()))?;
        if !matches!(step, Step::Key(_)) || self.is_own_text(node) {
            return Err(wrong_shape(path, node, "an entry with a key"));
        }
        refuse_known(need(self.document, &table, self.names)?, to, self.names)?;
        let word = to.trim_start_matches('@');
        if !is_name(word) {
            return Err(no_notation(&format!("the key `{to}`")));
        }
        if node.is_attribute() {
            return Ok(vec![Splice { span: node.key_span(), text: word.to_owned() }]);
        }
        let mut splices = Vec::new();
        for member in self.members(node) {
            let outer = self.element(member);
            let start = outer.start as usize + 1;
            let old = element_name(self.text, outer.start as usize);
            splices.push(splice(start, start + old.len(), word));
            let tail = self.text.get(start..outer.end as usize).unwrap_or("");
            if let Some(close) = tail.rfind("</").filter(|_| !tail.ends_with("/>")) {
                let at = start + close + 2;
                splices.push(splice(at, at + old.len(), word));
            }
        }
        Ok(splices)
    }
}
