//! Assignments as people type them: `value=12`, `value:=value * 2`, `tags+=fuel`, `tags-=food`, `value*=1.5`.

use crate::catalog::{Beside, Catalog, Seen};
use crate::document::{Document, Draft, FieldPath, Format, Node, Number, Shape, Step, json_line};
use crate::nearest::nearest;
use crate::rulebook::{
    ListShape, ListType, Mention, Reading, TypeFault, TypeId, Walk, Wrong, of_another_kind, read_value,
};
use crate::source::FileId;

/// What an assignment does.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Assigns {
    /// `path=value`.
    Set,
    /// `path:=EXPRESSION`.
    Evaluate,
    /// `path+=value`.
    Add,
    /// `path-=value`.
    Remove,
    /// `path*=number`.
    Multiply,
    /// `--unset path`.
    Unset,
}

impl Assigns {
    /// The sign between path and value, as typed.
    pub(super) fn sign(self) -> &'static str {
        match self {
            Assigns::Set | Assigns::Unset => "=",
            Assigns::Evaluate => ":=",
            Assigns::Add => "+=",
            Assigns::Remove => "-=",
            Assigns::Multiply => "*=",
        }
    }
}

/// One assignment, as typed.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Assignment {
    /// The field.
    pub path: FieldPath,
    /// What to do.
    pub assigns: Assigns,
    /// The right side.
    pub value: String,
}

/// Why an assignment is no good.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("{message}{}", .help.as_ref().map(|help| format!("\n  help: {help}")).unwrap_or_default())]
pub struct AssignmentError {
    /// What is wrong.
    pub message: String,
    /// The nearest right answer.
    pub help: Option<String>,
}

impl AssignmentError {
    pub(super) fn new(message: impl Into<String>, help: Option<String>) -> AssignmentError {
        AssignmentError { message: message.into(), help }
    }
}

impl Assignment {
    /// Reads an assignment.
    ///
    /// # Errors
    /// There is no `=` in it, or no field path before it.
    pub fn parse(text: &str) -> Result<Assignment, AssignmentError> {
        let at = sign(text).ok_or_else(|| {
            let help = "as in `value=12`, `tags+=fuel`, `tags-=food`, `value*=1.5` or `value:=value + 2`";
            AssignmentError::new(format!("`{text}` is no assignment"), Some(help.to_owned()))
        })?;
        let (before, value) = (text.get(..at).unwrap_or(""), text.get(at + 1..).unwrap_or(""));
        let (path, assigns) = match before.char_indices().last() {
            Some((last, ':')) => (before.get(..last), Assigns::Evaluate),
            Some((last, '+')) => (before.get(..last), Assigns::Add),
            Some((last, '-')) => (before.get(..last), Assigns::Remove),
            Some((last, '*')) => (before.get(..last), Assigns::Multiply),
            _ => (Some(before), Assigns::Set),
        };
        let path =
            FieldPath::parse(path.unwrap_or("").trim()).map_err(|e| AssignmentError::new(e.to_string(), None))?;
        Ok(Assignment { path, assigns, value: value.to_owned() })
    }

    /// `--unset path`.
    ///
    /// # Errors
    /// It is no field path.
    pub fn unset(path: &str) -> Result<Assignment, AssignmentError> {
        let path = FieldPath::parse(path).map_err(|error| AssignmentError::new(error.to_string(), None))?;
        Ok(Assignment { path, assigns: Assigns::Unset, value: String::new() })
    }
}

/// The `=` of an assignment: not one inside brackets or quotes.
fn sign(text: &str) -> Option<usize> {
    let (mut deep, mut quoted) = (0usize, false);
    for (at, c) in text.char_indices() {
        match c {
            '"' => quoted = !quoted,
            '[' if !quoted => deep += 1,
            ']' if !quoted => deep = deep.saturating_sub(1),
            '=' if deep == 0 && !quoted => return Some(at),
            _ => {}
        }
    }
    None
}

/// Reads a typed value as a field's type takes it.
///
/// # Errors
/// The text is no value of the type; the message says what is.
pub(super) fn typed(catalog: &Catalog, text: &str, ty: TypeId) -> Result<Draft, AssignmentError> {
    let rulebook = &catalog.rulebook;
    let field = rulebook.field_type(ty);
    let wrong = |help: Option<String>| {
        AssignmentError::new(format!("`{}` takes {}, not `{text}`", field.pattern, rulebook.describe(ty)), help)
    };
    let with_unit = || {
        let units = field.written.iter().filter(|_| Number::parse(text.trim()).is_some());
        let (unit, _) = units.flat_map(|written| &written.units).min_by_key(|(_, much)| *much)?;
        Some(format!("with its unit, as in `{} {unit}`", text.trim()))
    };
    // what is written within it as the game writes it is read so
    let json = || {
        let document = in_brackets(catalog, text)?;
        Some(Draft::of(read_value(&document, ty, rulebook, &catalog.names).root(), &catalog.names))
    };
    if field.written.as_ref().is_some_and(|written| written.is_none(text.trim())) {
        return Ok(Draft::Null);
    }
    if let Some(number) = field.number_called(text.trim()).and_then(Number::parse) {
        return Ok(Draft::Number(number));
    }
    if let Some(value) = as_the_game_writes(catalog, text, ty) {
        return Ok(value);
    }
    match &field.reading {
        Reading::Integer | Reading::Number => match &field.written {
            Some(written) if !written.units.is_empty() => written.quantity(text),
            _ => Number::parse(text.trim()),
        }
        .map(Draft::Number)
        .ok_or_else(|| wrong(with_unit())),
        Reading::Boolean => match text.trim() {
            word if field.written.as_ref().is_some_and(|w| w.yes.iter().any(|yes| yes == word)) => {
                Ok(Draft::Boolean(true))
            }
            word if field.written.as_ref().is_some_and(|w| w.no.iter().any(|no| no == word)) => {
                Ok(Draft::Boolean(false))
            }
            "true" => Ok(Draft::Boolean(true)),
            "false" => Ok(Draft::Boolean(false)),
            _ => Err(wrong(None)),
        },
        Reading::Text
        | Reading::Choice(_)
        | Reading::Link(_)
        | Reading::Parent(_)
        | Reading::File(_)
        | Reading::Key(_)
        | Reading::Path(_)
        | Reading::Word { .. } => Ok(Draft::Text(text.to_owned())),
        Reading::Formula { .. } => {
            Ok(Number::parse(text.trim()).map_or_else(|| Draft::Text(text.to_owned()), Draft::Number))
        }
        Reading::Tuple { places, .. } if !text.trim_start().starts_with('[') => {
            // one number is both ends of a range
            let both = field.written.as_ref().is_some_and(|written| written.range) && !text.contains(',');
            let text = if both { format!("{text},{text}") } else { text.to_owned() };
            let items = text.split(',').zip(places).map(|(item, place)| typed(catalog, item.trim(), *place));
            items.collect::<Result<Vec<_>, _>>().map(Draft::List)
        }
        Reading::Table(table) if !field.places().is_empty() && !text.trim_start().starts_with('{') => {
            let names = field.places().iter().zip(text.split(','));
            let value = |(name, word): (&String, &str)| {
                let ty = catalog.names.get(name).and_then(|name| table.get(name));
                let value =
                    ty.map_or_else(|| Ok(Draft::Text(word.to_owned())), |ty| typed(catalog, word.trim(), ty))?;
                Ok((name.clone(), value))
            };
            match field.is_packed(text) || text.split(',').count() > field.places().len() {
                true => Err(wrong(None)),
                false => names.map(value).collect::<Result<Vec<_>, _>>().map(Draft::Table),
            }
        }
        Reading::List(list) if is_one_entry(catalog, list, text) => {
            typed(catalog, text, list.entry).map(|entry| Draft::List(vec![entry]))
        }
        Reading::List(list) if !text.trim_start().starts_with('[') => {
            let items = text.split(',').filter(|item| !item.trim().is_empty());
            let items: Result<Vec<_>, _> = items.map(|item| typed(catalog, item.trim(), list.entry)).collect();
            items.map(Draft::List)
        }
        Reading::Flags(_) if !text.trim_start().starts_with('[') => {
            let items = text.split(',').filter(|item| !item.trim().is_empty());
            Ok(Draft::List(items.map(|item| Draft::Text(item.trim().to_owned())).collect()))
        }
        Reading::Either { single, .. } if !text.trim_start().starts_with('{') => typed(catalog, text, *single),
        Reading::Any => Ok(json().unwrap_or_else(|| Draft::Text(text.to_owned()))),
        _ => json().ok_or_else(|| {
            let example = match &field.reading {
                Reading::List(_) | Reading::Flags(_) | Reading::Tuple { .. } => "[value, value]",
                _ => "{key: value}",
            };
            wrong(Some(format!("write it as JSON or YAML: '{example}'")))
        }),
    }
}

/// Whether what is typed for a list is one entry of several places, `wet,4` or `["wet", 4]`, and not several entries.
fn is_one_entry(catalog: &Catalog, list: &ListType, text: &str) -> bool {
    let entry = catalog.rulebook.field_type(list.entry);
    if !matches!(entry.reading, Reading::Tuple { .. }) && entry.places().is_empty() {
        return false;
    }
    if text.trim_start().starts_with('[') {
        let document = in_brackets(catalog, text);
        let first = document.as_ref().and_then(|document| document.root().children().next());
        return first.is_some_and(|first| {
            !matches!(first.shape(), Shape::List | Shape::Table) && !entry.is_packed(&first.text())
        });
    }
    let marks = entry.written.iter().flat_map(|written| &written.split);
    text.contains(',')
        && !text.split(',').all(|item| marks.clone().any(|mark| mark != "," && item.contains(mark.as_str())))
}

/// The ends of a range as people write one: `2..5` or `2-5`.
fn ends_of(text: &str) -> Option<(&str, &str)> {
    let dots = text.split_once("..").filter(|(low, high)| !low.trim().is_empty() && !high.trim().is_empty());
    let dash = || {
        let at = text.match_indices('-').map(|(at, _)| at).find(|at| *at > 0)?;
        let (low, high) = (text.get(..at)?, text.get(at + 1..)?);
        (Number::parse(low.trim()).is_some() && Number::parse(high.trim()).is_some()).then_some((low, high))
    };
    dots.or_else(dash)
}

/// A value with brackets as JSON has it, or as YAML does, in which words need no quotation marks.
pub(super) fn in_brackets(catalog: &Catalog, text: &str) -> Option<Document> {
    let formats: &[Format] = match text.trim_start().starts_with(['[', '{']) {
        true => &[Format::Json, Format::Yaml],
        false => &[Format::Json],
    };
    let read = |format: &Format| Document::parse(FileId(u32::MAX), *format, text.into(), &catalog.names);
    formats.iter().map(read).find(|document| document.faults().is_empty())
}

/// A text read as the game reads it where it stands in the field: packed lists, ranges and their tables. Nothing where it is
/// not written so.
fn as_the_game_writes(catalog: &Catalog, text: &str, ty: TypeId) -> Option<Draft> {
    let rulebook = &catalog.rulebook;
    let field = rulebook.field_type(ty);
    let many = matches!(field.reading, Reading::List(_) | Reading::Flags(_) | Reading::Tuple { .. })
        || !field.places().is_empty();
    let written = field.written.as_ref().filter(|_| many)?;
    // signs of entries say what is done to a list, which the assignment's own sign says
    if !written.minus.is_empty() || !written.plus.is_empty() {
        return None;
    }
    let trimmed = text.trim();
    let ends = ends_of(trimmed).filter(|_| written.range && !trimmed.starts_with(['{', '[']));
    let json = match trimmed.starts_with(['{', '[']) {
        true => trimmed.to_owned(),
        false if let Some((low, high)) = ends => format!("[{}, {}]", low.trim(), high.trim()),
        false if written.is_packed(trimmed) => json_line(&Draft::Text(trimmed.to_owned())),
        false => return None,
    };
    let document = in_brackets(catalog, &json)?;
    let read = read_value(&document, ty, rulebook, &catalog.names);
    let value = Draft::of(read.root(), &catalog.names);
    matches!((&value, &field.reading), (Draft::List(_), _) | (Draft::Table(_), Reading::Table(_))).then_some(value)
}

/// Entries of a list that are given by what tells them apart alone, as in `goods+=storm-lamp`. Nothing where they are told
/// apart by several things.
///
/// # Errors
/// An entry's name does not fit.
pub(super) fn by_identity(
    catalog: &Catalog,
    list: &ListType,
    text: &str,
) -> Option<Result<Vec<Draft>, AssignmentError>> {
    let entry = catalog.rulebook.field_type(list.entry);
    let packed = || entry.places().len() > 1 && (entry.is_packed(text) || is_one_entry(catalog, list, text));
    if text.trim_start().starts_with(['{', '[']) || packed() {
        return None;
    }
    let by = match list.by.as_slice() {
        [by] if list.shape == ListShape::Keyed => catalog.names.text(*by).to_owned(),
        _ => only_needed(catalog, list)?,
    };
    let ty = catalog.rulebook.type_at(list.entry, &FieldPath::key(&by), &catalog.names).ok()?;
    let entry = |word: &str| {
        let value = typed(catalog, word.trim(), ty)?;
        Ok(Draft::Table(vec![(by.clone(), value)]))
    };
    Some(text.split(',').filter(|word| !word.trim().is_empty()).map(entry).collect())
}

/// The only field that the entries of a list must have, where it is a single value: what an entry is named by.
fn only_needed(catalog: &Catalog, list: &ListType) -> Option<String> {
    let rulebook = &catalog.rulebook;
    let Reading::Table(table) = &rulebook.field_type(list.entry).reading else { return None };
    let field = |ty: &TypeId| rulebook.field_type(*ty);
    let mut needed = table.fields.iter().filter(|(_, ty)| !field(ty).optional && field(ty).default.is_none());
    let (name, ty) = needed.next().filter(|_| list.by.is_empty())?;
    let single =
        matches!(field(ty).reading, Reading::Text | Reading::Choice(_) | Reading::Link(_) | Reading::Word { .. });
    (needed.next().is_none() && single).then(|| catalog.names.text(*name).to_owned())
}

/// What an entry of a list takes, as it would be typed.
pub(super) fn entry_takes(catalog: &Catalog, list: &ListType) -> Option<String> {
    let rulebook = &catalog.rulebook;
    let mut parts = Vec::new();
    for table in rulebook.tables_of(list.entry) {
        for (name, ty) in &table.fields {
            let field = rulebook.field_type(*ty);
            let name = catalog.names.text(*name);
            let needed = !field.optional && field.default.is_none();
            if !parts.iter().any(|(known, _): &(String, bool)| known == name) {
                parts.push((name.to_owned(), needed));
            }
        }
    }
    let one = |(name, needed): &(String, bool)| match needed {
        true => format!("`{name}`"),
        false => format!("`{name}` (may be left out)"),
    };
    (!parts.is_empty()).then(|| format!("an entry takes {}", parts.iter().map(one).collect::<Vec<_>>().join(", ")))
}

/// How a field is stated, as it would be typed.
pub(super) fn as_typed(catalog: &Catalog, ty: TypeId) -> String {
    let field = catalog.rulebook.field_type(ty);
    let pattern = &field.pattern;
    match &field.reading {
        Reading::List(list) => {
            let takes = entry_takes(catalog, list).map_or(String::new(), |takes| format!(", where {takes}"));
            format!("`{pattern}+=…`{takes}")
        }
        _ => format!("`{pattern}=…`"),
    }
}

/// Where a typed value is to stand.
pub(super) struct Stands<'s> {
    /// The layers whose definitions it may name.
    pub(super) seen: &'s Seen<'s>,
    /// The file, below its layer, from whose folder its words lead on, where that is known.
    pub(super) file: Option<&'s str>,
    /// What stands around it.
    pub(super) beside: Beside<'s>,
}

/// Whether a value fits a type, and all that it names is there where it is to stand.
///
/// # Errors
/// The first thing that does not fit.
pub(super) fn fits(catalog: &Catalog, value: &Draft, ty: TypeId, stands: &Stands<'_>) -> Result<(), AssignmentError> {
    let document = Document::parse(FileId(u32::MAX), Format::Json, json_line(value).into(), &catalog.names);
    let mut walk = Walk::new(&catalog.rulebook);
    walk.value(document.root(), ty);
    all_fits(catalog, &document, &walk, stands)
}

/// The types of all that a value names.
pub(super) fn names_in(catalog: &Catalog, value: &Draft, ty: TypeId) -> Vec<TypeId> {
    let document = Document::parse(FileId(u32::MAX), Format::Json, json_line(value).into(), &catalog.names);
    let mut walk = Walk::new(&catalog.rulebook);
    walk.value(document.root(), ty);
    walk.mentions.iter().map(|mention| mention.wants).collect()
}

/// Whether the key of an entry fits the keys of a map, and what it names is there.
///
/// # Errors
/// It does not fit.
pub(super) fn key_fits(catalog: &Catalog, key: &str, ty: TypeId, stands: &Stands<'_>) -> Result<(), AssignmentError> {
    let entry = json_line(&Draft::Table(vec![(key.to_owned(), Draft::Null)]));
    let document = Document::parse(FileId(u32::MAX), Format::Json, entry.into(), &catalog.names);
    let mut walk = Walk::new(&catalog.rulebook);
    document.root().children().for_each(|entry| walk.key(entry, ty));
    all_fits(catalog, &document, &walk, stands)
}

fn all_fits(
    catalog: &Catalog,
    document: &Document,
    walk: &Walk<'_>,
    stands: &Stands<'_>,
) -> Result<(), AssignmentError> {
    // what the game takes, though not reliably, is said by `check`
    let refused = |fault: &&TypeFault| !matches!(fault.what, Wrong::Unreliable { .. } | Wrong::Retired { .. });
    if let Some(fault) = walk.faults.iter().find(refused) {
        return Err(told(catalog, document.node(fault.at), fault));
    }
    for mention in &walk.mentions {
        let node = document.node(mention.at);
        let within = |path: &FieldPath| catalog.beside(node, Some(document.root()), path);
        let beside = |path: &FieldPath| within(path).or_else(|| (stands.beside)(path));
        leads(catalog, document, mention, &Stands { beside: &beside, ..*stands })?;
    }
    Ok(())
}

/// Whether what is named is there.
///
/// # Errors
/// It is not.
pub(super) fn leads(
    catalog: &Catalog,
    document: &Document,
    mention: &Mention,
    stands: &Stands<'_>,
) -> Result<(), AssignmentError> {
    let (rulebook, seen) = (&catalog.rulebook, stands.seen);
    let word = catalog.mentioned(document, mention).into_owned();
    let field = rulebook.field_type(mention.wants);
    if let Reading::Path(of) = &field.reading
        && let Some((None, path)) = of.parts(&word)
        && let Some(none) = rulebook.no_field_called(&of.kinds, path, &catalog.names)
    {
        return Err(AssignmentError::new(none.message.to_string(), Some(none.help().to_string())));
    }
    let Reading::Link(_) = &field.reading else { return Ok(()) };
    let sought = catalog.sought(&word, mention.wants, stands.beside);
    let sought = match stands.file {
        Some(file) => catalog.in_folders(sought, file),
        // `check` tells, when it stands somewhere
        None if catalog.is_scoped(&sought) => return Ok(()),
        None => sought,
    };
    let (addresses, kinds) = (catalog.seen().targets(&sought), &sought.kinds);
    if sought.given {
        return Ok(());
    }
    let there = seen.targets(&sought);
    if let Some(found) = addresses.iter().chain(&there).find(|address| seen.stands(**address)) {
        let forms = field.link.iter().flat_map(|link| &link.forms);
        let path = forms.filter_map(|form| form.path_in(&word, catalog.names.text(found.id))).next();
        let kind = seen.kind_of(*found);
        let none = path.zip(kind).and_then(|(path, kind)| rulebook.no_field_called(&[kind], path, &catalog.names));
        return match none {
            Some(none) => Err(AssignmentError::new(none.message.to_string(), Some(none.help().to_string()))),
            None => Ok(()),
        };
    }
    let names: Vec<_> = kinds.iter().map(|kind| rulebook.kind(*kind).name()).collect();
    let names = names.join(" or ");
    let other = || {
        rulebook.kinds().filter(|(kind, _)| !kinds.contains(kind)).find_map(|(kind, described)| {
            let is_there =
                |id: &str| catalog.address(kind, id).is_some_and(|address| seen.kind_of(address) == Some(kind));
            let id = sought.ids.iter().map(|(_, id)| id.as_str()).find(|id| is_there(id))?;
            Some(of_another_kind(id, described.name(), &names).to_string())
        })
    };
    let elsewhere = addresses.iter().find_map(|address| catalog.stack(*address).last());
    let help = match elsewhere {
        Some((_, definition)) => {
            Some(format!("the mod `{}` has it; require that first", catalog.layer(definition.layer).id))
        }
        None => other().or_else(|| {
            let near = kinds.iter().find_map(|kind| nearest(&word, seen.ids_of(rulebook.kind(*kind).space)));
            near.map(|near| format!("the nearest known one is `{near}`"))
        }),
    };
    Err(AssignmentError::new(format!("there is no {names} `{word}`"), help))
}

/// How a field of an entry that is there is changed.
fn own_field(catalog: &Catalog, list: TypeId, entry: &Draft) -> Option<String> {
    let field = catalog.rulebook.field_type(list);
    let Reading::List(ListType { by, .. }) = &field.reading else { return None };
    let by: Vec<&str> = by.iter().map(|key| catalog.names.text(*key)).collect();
    let keys = by.iter().map(|key| Some(((*key).to_owned(), entry.get(key)?.word()?)));
    let Draft::Table(fields) = entry else { return None };
    let (other, _) = fields.iter().find(|(key, _)| !by.contains(&key.as_str()))?;
    let path = FieldPath::parse(field.pattern.trim_end_matches("[]")).ok()?;
    let path = path.with(Step::Match(keys.collect::<Option<_>>()?)).with(Step::Key(other.clone()));
    Some(format!("its own fields are set one by one, as in `{path}=…`"))
}

/// A fault of type in words.
pub(super) fn told(catalog: &Catalog, node: Node<'_>, fault: &TypeFault) -> AssignmentError {
    let rulebook = &catalog.rulebook;
    match fault.what {
        Wrong::NotKnown { table } => {
            let key = node.key().map_or("", |key| catalog.names.text(key));
            let known = rulebook.tables_of(table).flat_map(|table| &table.fields);
            let near = nearest(key, known.map(|(name, _)| catalog.names.text(*name)));
            let help = near.map(|near| format!("the nearest known field is `{near}`"));
            AssignmentError::new(format!("there is no field `{key}` here"), help)
        }
        Wrong::Lacking { field, .. } => {
            AssignmentError::new(format!("the field `{}` is lacking", catalog.names.text(field)), None)
        }
        Wrong::NotAChoice { want } => {
            let words = rulebook.field_type(want).words();
            let word = rulebook.field_type(want).said_at(node);
            let near = nearest(&word, words.iter().map(String::as_str));
            let help = match near {
                Some(near) => format!("the nearest allowed word is `{near}`"),
                None => format!("allowed are {}", words.join(", ")),
            };
            let pattern = &rulebook.field_type(want).pattern;
            AssignmentError::new(format!("`{word}` is not a word that `{pattern}` allows"), Some(help))
        }
        Wrong::EntryTwice { list, .. } => {
            let is_table = node.shape() == Shape::Table;
            let entry = Draft::of(node, &catalog.names);
            let name = if is_table { entry.short() } else { node.text().into_owned() };
            let help = is_table.then(|| own_field(catalog, list, &entry)).flatten();
            AssignmentError::new(format!("`{name}` is there already"), help)
        }
        Wrong::Mismatch { want }
        | Wrong::Shape { want }
        | Wrong::OutOfRange { want }
        | Wrong::Unreliable { want }
        | Wrong::Form { want }
        | Wrong::Count { want }
        | Wrong::Reversed { want }
        | Wrong::Incomplete { want }
        | Wrong::Retired { want } => {
            let ty = rulebook.field_type(want);
            let said = if ty.is_of_keys() { format!("`{}`", ty.said_at(node)) } else { node.raw().to_owned() };
            AssignmentError::new(format!("`{}` takes {}, not {said}", ty.pattern, rulebook.describe(want)), None)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn assignments_are_read_with_signs_and_brackets() {
        for (text, path, assigns, value) in [
            ("value=12", "value", Assigns::Set, "12"),
            ("tags+=fuel", "tags", Assigns::Add, "fuel"),
            ("tags-=food", "tags", Assigns::Remove, "food"),
            ("value*=1.5", "value", Assigns::Multiply, "1.5"),
            ("value:=value + 2 == 3", "value", Assigns::Evaluate, "value + 2 == 3"),
            ("drops[item=reed].chance=0.3", "drops[item=reed].chance", Assigns::Set, "0.3"),
            ("name=a=b", "name", Assigns::Set, "a=b"),
        ] {
            let got = Assignment::parse(text).unwrap();
            assert_eq!((got.path.to_string().as_str(), got.assigns, got.value.as_str()), (path, assigns, value));
        }
        assert!(Assignment::parse("value").is_err());
        assert!(Assignment::parse("=3").is_err());
    }
}
