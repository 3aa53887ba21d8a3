//! A value as it stands in its files, for copies of it.

use std::borrow::Cow;

use crate::catalog::Catalog;
use crate::document::{Draft, Format, Node, NodeRef, Shape, find};
use crate::effective::{Content, How, Value};
use crate::names::Sym;

/// A value as it is read, and as it stands in its files.
pub(crate) struct Original {
    pub(crate) read: Draft,
    /// Where all of it stands, if that is one place.
    pub(super) at: Option<NodeRef>,
    written: Written,
}

/// What stands in files for a value.
#[derive(Clone)]
enum Written {
    /// All of it stands in one place.
    Whole(Draft),
    /// The fields of a table stand in several.
    Fields(Vec<(String, Written)>),
    /// Parts of a value that is written as one come from several, so nothing stands for it anywhere.
    Nowhere,
}

impl Written {
    fn field(&self, key: &str) -> Option<Cow<'_, Written>> {
        match self {
            Written::Whole(draft) => Some(Cow::Owned(Written::Whole(draft.get(key)?.clone()))),
            Written::Fields(fields) => {
                fields.iter().find(|(known, _)| known == key).map(|(_, written)| Cow::Borrowed(written))
            }
            Written::Nowhere => None,
        }
    }

    /// All of it, if it is known.
    fn whole(&self) -> Option<Draft> {
        match self {
            Written::Whole(draft) => Some(draft.clone()),
            Written::Fields(fields) => {
                let field = |(key, written): &(String, Written)| Some((key.clone(), written.whole()?));
                fields.iter().map(field).collect::<Option<_>>().map(Draft::Table)
            }
            Written::Nowhere => None,
        }
    }
}

impl Original {
    /// A definition as it shows, with all that it states as it is written there; nothing where a file's notation has
    /// forms of its own.
    pub(crate) fn of(catalog: &Catalog, value: &Value) -> Option<Original> {
        let at = if let Content::Written(at) = value.content() { Some(*at) } else { None };
        Some(Original { read: value.draft(catalog), at, written: as_written(catalog, value)? })
    }

    /// What is unchanged in a new definition, as it stands in the original; the rest as it is to be written.
    pub(super) fn kept(&self, new: &Draft, written: Draft) -> Draft {
        kept_in((&self.read, &self.written), new, written)
    }
}

fn kept_in((read, raw): (&Draft, &Written), new: &Draft, written: Draft) -> Draft {
    if read == new
        && let Some(whole) = raw.whole()
    {
        return whole;
    }
    match (read, new, written) {
        (read @ Draft::Table(_), new @ Draft::Table(_), Draft::Table(entries)) => {
            let entry = |(key, value): (String, Draft)| {
                let kept = match (read.get(&key), raw.field(&key), new.get(&key)) {
                    (Some(read), Some(raw), Some(new)) => kept_in((read, &raw), new, value),
                    _ => value,
                };
                (key, kept)
            };
            Draft::Table(entries.into_iter().map(entry).collect())
        }
        (.., written) => written,
    }
}

/// A value as it stands in its files.
fn as_written(catalog: &Catalog, value: &Value) -> Option<Written> {
    let names = &catalog.names;
    match value.content() {
        Content::Written(at) => {
            let document = catalog.document(at.file)?;
            let root = document.as_written(names).unwrap_or(document).root();
            // an amendment says lists and tables in a notation of its own
            let amended = matches!(value.origin().how, How::Amended(_));
            if amended || !matches!(document.format(), Format::Json | Format::Yaml | Format::Toml) {
                return Some(single_values(catalog, document.node(at.node), root));
            }
            let path = document.path_to(at.node, names);
            Some(Written::Whole(Draft::of(find(root, &path, names)?, names)))
        }
        Content::Table(entries) => {
            let shown = entries.iter().filter(|(_, value)| !matches!(value.content(), Content::Hidden));
            let entry = |(key, value): &(Sym, Value)| Some((names.text(*key).to_owned(), as_written(catalog, value)?));
            Some(Written::Fields(shown.map(entry).collect::<Option<_>>()?))
        }
        Content::List(items) => {
            let mut all = Vec::new();
            for item in items {
                match as_written(catalog, item)?.whole().filter(|_| stands_in_a_list(catalog, item)) {
                    Some(item) => all.push(item),
                    None => return Some(Written::Nowhere),
                }
            }
            Some(Written::Whole(Draft::List(all)))
        }
        // what is calculated, for one
        _ => Some(Written::Nowhere),
    }
}

/// Of a file in whose notation tables and lists have forms of their own, the single values as they stand there.
fn single_values(catalog: &Catalog, node: Node<'_>, root: Node<'_>) -> Written {
    match node.shape() {
        Shape::Table => {
            let key = |child: Node<'_>| child.key().map(|key| catalog.names.text(key).to_owned());
            let fields = node.children().filter_map(|child| Some((key(child)?, single_values(catalog, child, root))));
            Written::Fields(fields.collect())
        }
        Shape::List => Written::Nowhere,
        _ => {
            let path = node.document().path_to(node.id(), &catalog.names);
            let there = find(root, &path, &catalog.names).filter(|there| matches!(there.shape(), Shape::Text));
            there.map_or(Written::Nowhere, |there| Written::Whole(Draft::of(there, &catalog.names)))
        }
    }
}

/// Whether an entry stands as one in its file, too, and is not a part of a text or a table that is read as a list.
fn stands_in_a_list(catalog: &Catalog, item: &Value) -> bool {
    let Content::Written(at) = item.content() else { return true };
    let Some(document) = catalog.document(at.file) else { return true };
    let Some(plain) = document.as_written(&catalog.names) else { return true };
    let above = document.path_to(at.node, &catalog.names).split_last().map(|(above, _)| above);
    let there = above.and_then(|above| find(plain.root(), &above, &catalog.names));
    there.is_some_and(|above| above.shape() == Shape::List)
}
