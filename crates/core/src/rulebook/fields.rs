//! From the flat table of path patterns to a tree of types.

use rustc_hash::FxHashMap;

use super::demands::{Demands, Sort};
use super::keys;
use super::pattern::{Pattern, PatternStep};
use super::types::{FieldType, FileTemplate, KindId, Limit, ListShape, ListType, Reading, TableType, TypeId, Words};
use crate::document::{Draft, Node, Shape};
use crate::names::{Names, Sym};
use crate::nearest::nearest;
use crate::own::{self, OwnFault};
use crate::source::Place;

/// A type that is still being put together from the patterns that mention it.
#[derive(Default)]
struct Proto {
    declared: Option<Declared>,
    fields: Vec<(String, Proto)>,
    entry: Option<Box<Proto>>,
    value: Option<Box<Proto>>,
    key: Option<Box<Proto>>,
    at: Vec<(usize, Proto)>,
}

/// What one line of the field table says.
#[derive(Default)]
struct Declared {
    reading: Option<String>,
    words: Vec<String>,
    link: Vec<KindId>,
    parent: Option<KindId>,
    file: Option<FileTemplate>,
    list: Option<ListShape>,
    by: Vec<String>,
    join: bool,
    min: Option<Limit>,
    max: Option<Limit>,
    default: Option<(Draft, Place)>,
    optional: bool,
    unit: Option<String>,
    open: bool,
    about: Option<String>,
    over: Option<KindId>,
    names: Vec<String>,
    more: Option<Demands>,
    place: Option<Place>,
}

/// The field tables of parts, by name.
pub(super) type Parts<'d> = FxHashMap<String, Node<'d>>;

/// The fields of one kind, or of the manifest.
pub(super) struct Fields<'f, 'd> {
    pub(super) names: &'f Names,
    pub(super) kinds: &'f FxHashMap<String, KindId>,
    pub(super) parts: &'f Parts<'d>,
    pub(super) faults: &'f mut Vec<OwnFault>,
    root: Proto,
}

const TYPES: [&str; 12] =
    ["integer", "number", "boolean", "text", "choice", "flags", "formula", "tuple", "list", "table", "map", "any"];

impl<'f, 'd> Fields<'f, 'd> {
    pub(super) fn new(
        names: &'f Names,
        kinds: &'f FxHashMap<String, KindId>,
        parts: &'f Parts<'d>,
        faults: &'f mut Vec<OwnFault>,
    ) -> Self {
        Fields { names, kinds, parts, faults, root: Proto::default() }
    }

    fn fault(&mut self, place: Place, message: String, help: Option<String>) {
        self.faults.push(OwnFault { place, message, help, second: None });
    }

    /// Takes in a field table.
    pub(super) fn table(&mut self, fields: Node<'_>) {
        self.below(fields, &Pattern::default(), &mut Vec::new());
    }

    /// Takes in a field table whose patterns stand below another one; `parts` are those it came through.
    fn below(&mut self, fields: Node<'_>, above: &Pattern, parts: &mut Vec<String>) {
        for field in fields.children() {
            let Some(key) = field.key() else { continue };
            let text = self.names.text(key).to_owned();
            let place = Place { file: field.document().file(), span: field.key_span() };
            if field.shape() != Shape::Table {
                let help = format!("`{text} = {{ type = \"...\" }}`");
                self.fault(field.place(), "a field is described by a table".to_owned(), Some(help));
                continue;
            }
            match Pattern::parse(&text) {
                Ok(pattern) if pattern.0.is_empty() => {
                    self.fault(place, "a field needs a name".to_owned(), None);
                }
                Ok(mut pattern) => {
                    let declared = self.declared(field, place);
                    pattern.0.splice(0..0, above.0.iter().cloned());
                    self.put(&pattern, declared);
                    self.part(field, &pattern, parts);
                }
                Err(message) => self.fault(place, message, None),
            }
        }
    }

    /// Takes in the fields of the part that a field names.
    fn part(&mut self, field: Node<'_>, at: &Pattern, parts: &mut Vec<String>) {
        let Some(node) = field.get_named("part", self.names).filter(|node| node.shape() == Shape::Text) else { return };
        let name = node.text().into_owned();
        if parts.contains(&name) {
            let message = format!("the part `{name}` contains itself");
            return self.fault(node.place(), message, None);
        }
        match self.parts.get(&name).copied() {
            Some(fields) => {
                parts.push(name);
                self.below(fields, at, parts);
                parts.pop();
            }
            None => {
                let near = nearest(&name, self.parts.keys().map(String::as_str));
                let help = near.map(|near| format!("the nearest known part is `{near}`"));
                self.fault(node.place(), format!("there is no part `{name}`"), help);
            }
        }
    }

    /// Adds a text field that another part of the rulebook implies, unless it is described.
    pub(super) fn implied(&mut self, path: &[&str], parent: Option<KindId>, optional: bool) {
        let steps = path.iter().map(|key| PatternStep::Key((*key).to_owned())).collect();
        let declared =
            Declared { reading: parent.is_none().then(|| "text".to_owned()), parent, optional, ..Declared::default() };
        self.put(&Pattern(steps), declared);
    }

    pub(super) fn implied_list(&mut self, pattern: &Pattern) {
        let text = Declared { reading: Some("text".to_owned()), optional: true, ..Declared::default() };
        self.put(pattern, text);
    }

    fn put(&mut self, pattern: &Pattern, declared: Declared) {
        let mut here = &mut self.root;
        for step in &pattern.0 {
            here = match step {
                PatternStep::Key(key) => {
                    let at = match here.fields.iter().position(|(known, _)| known == key) {
                        Some(at) => at,
                        None => {
                            here.fields.push((key.clone(), Proto::default()));
                            here.fields.len() - 1
                        }
                    };
                    let Some((_, next)) = here.fields.get_mut(at) else { return };
                    next
                }
                PatternStep::Entries => here.entry.get_or_insert_default(),
                PatternStep::Values => here.value.get_or_insert_default(),
                PatternStep::Keys => here.key.get_or_insert_default(),
                PatternStep::At(at) => {
                    let nth = match here.at.iter().position(|(known, _)| known == at) {
                        Some(nth) => nth,
                        None => {
                            here.at.push((*at, Proto::default()));
                            here.at.len() - 1
                        }
                    };
                    let Some((_, next)) = here.at.get_mut(nth) else { return };
                    next
                }
            };
        }
        // what a pattern ending with `[]` says about the list belongs to the list
        if here.declared.is_some() {
            if let Some(place) = declared.place {
                self.fault(place, format!("the field `{pattern}` is described twice"), None);
            }
            // an implied field that is described already stays as described, but is the parent
            if let (Some(known), Some(parent)) = (&mut here_declared(&mut self.root, pattern), declared.parent) {
                known.parent = Some(parent);
            }
            return;
        }
        here.declared = Some(declared);
    }

    fn declared(&mut self, node: Node<'_>, place: Place) -> Declared {
        let table = own::Reading::new(node, &keys::FIELD, self.names, self.faults);
        let mut out = Declared {
            words: table.texts("words").into_iter().map(|(word, _)| word).collect(),
            by: table.texts("by").into_iter().map(|(word, _)| word).collect(),
            join: table.boolean("join"),
            optional: table.boolean("optional"),
            unit: table.text("unit"),
            open: table.boolean("open"),
            names: table.texts("names").into_iter().map(|(word, _)| word).collect(),
            more: Demands::read(&table, self.names, self.faults),
            about: table.text("about"),
            default: table.get("default").map(|node| (Draft::of(node, self.names), node.place())),
            place: Some(place),
            ..Declared::default()
        };
        for (name, limit) in [("min", &mut out.min), ("max", &mut out.max)] {
            *limit = table.number(name).and_then(Limit::new);
        }
        if let (Some(min), Some(max)) = (&out.min, &out.max)
            && min.value > max.value
        {
            let at = table.get("max").map_or(place, |node| node.place());
            self.faults.push(own::fault(at, format!("`max` is {}, below `min`, which is {}", max.number, min.number)));
        }
        if let Some(node) = table.get("type") {
            let word = node.text().into_owned();
            if TYPES.contains(&word.as_str()) {
                out.reading = Some(word);
            } else {
                let help = match nearest(&word, TYPES) {
                    Some(near) => format!("the nearest known type is `{near}`"),
                    None => format!("known are {}", TYPES.join(", ")),
                };
                self.fault(node.place(), format!("there is no type `{word}`"), Some(help));
                out.reading = Some("any".to_owned());
            }
        }
        for (word, node) in table.texts("link") {
            match self.kinds.get(&word) {
                Some(kind) => out.link.push(*kind),
                None => {
                    let near = nearest(&word, self.kinds.keys().map(String::as_str));
                    let help = near.map(|near| format!("the nearest known kind is `{near}`"));
                    self.fault(node.place(), format!("there is no kind `{word}`"), help);
                }
            }
        }
        if let Some(word) = table.text("over") {
            out.over = self.kinds.get(&word).copied();
            if let Some(node) = table.get("over").filter(|_| out.over.is_none()) {
                let near = nearest(&word, self.kinds.keys().map(String::as_str));
                let help = near.map(|near| format!("the nearest known kind is `{near}`"));
                self.fault(node.place(), format!("there is no kind `{word}`"), help);
            }
        }
        if let Some(word) = table.text("file") {
            match word.split_once('*') {
                Some((before, after)) if !after.contains('*') => {
                    out.file = Some(FileTemplate { before: before.to_owned(), after: after.to_owned() });
                }
                _ => {
                    let at = table.get("file").map_or(place, |node| node.place());
                    let help = "as in `art/*.png`, where the field's value stands for the `*`".to_owned();
                    self.fault(at, "`file` needs one `*`".to_owned(), Some(help));
                }
            }
        }
        if let Some(word) = table.text("list") {
            out.list = match word.as_str() {
                "set" => Some(ListShape::Set),
                "keyed" => Some(ListShape::Keyed),
                "bag" => Some(ListShape::Bag),
                "sequence" => Some(ListShape::Sequence),
                _ => {
                    let at = table.get("list").map_or(place, |node| node.place());
                    let known = ["set", "keyed", "bag", "sequence"];
                    let help = nearest(&word, known).map_or_else(
                        || format!("known are {}", known.join(", ")),
                        |near| format!("the nearest known shape is `{near}`"),
                    );
                    self.fault(at, format!("there is no list shape `{word}`"), Some(help));
                    None
                }
            };
        }
        self.consistent(&out, place);
        out
    }

    /// What cannot be said together, or says nothing.
    fn consistent(&mut self, out: &Declared, place: Place) {
        let worded = matches!(out.reading.as_deref(), Some("choice" | "flags"));
        let sources =
            usize::from(out.reading.is_some()) + usize::from(!out.link.is_empty()) + usize::from(out.file.is_some());
        if sources > 1 {
            self.fault(place, "of `type`, `link` and `file` only one can be said".to_owned(), None);
        }
        if worded && out.words.is_empty() {
            let word = out.reading.as_deref().unwrap_or("");
            self.fault(place, format!("`type = \"{word}\"` needs `words`"), None);
        }
        if !worded && !out.words.is_empty() {
            self.fault(place, "`words` are for `choice` and `flags`".to_owned(), None);
        }
        if out.list == Some(ListShape::Keyed) && out.by.is_empty() {
            self.fault(place, "a keyed list needs `by`: the fields that tell its entries apart".to_owned(), None);
        }
        if out.list != Some(ListShape::Keyed) && !out.by.is_empty() {
            self.fault(place, "`by` is for `list = \"keyed\"`".to_owned(), None);
        }
        let number = matches!(out.reading.as_deref(), Some("integer" | "number"));
        if !number && (out.min.is_some() || out.max.is_some()) {
            self.fault(place, "`min` and `max` are for `integer` and `number`".to_owned(), None);
        }
        if !number && out.unit.is_some() {
            self.fault(place, "`unit` is for `integer` and `number`".to_owned(), None);
        }
        if out.reading.as_deref() != Some("formula") && (out.over.is_some() || !out.names.is_empty()) {
            self.fault(place, "`over` and `names` are for `formula`".to_owned(), None);
        }
    }

    /// Makes the types; returns the root's.
    pub(super) fn finish(self, types: &mut Vec<FieldType>, open: bool) -> TypeId {
        let mut compiler = Compiler { names: self.names, faults: self.faults, types };
        let root = Proto {
            declared: Some(Declared { open, reading: Some("table".to_owned()), ..Declared::default() }),
            ..self.root
        };
        compiler.compile(root, String::new(), None)
    }
}

fn here_declared<'p>(root: &'p mut Proto, pattern: &Pattern) -> Option<&'p mut Declared> {
    let mut here = root;
    for step in &pattern.0 {
        here = match step {
            PatternStep::Key(key) => here.fields.iter_mut().find(|(known, _)| known == key).map(|(_, p)| p)?,
            PatternStep::Entries => here.entry.as_deref_mut()?,
            PatternStep::Values => here.value.as_deref_mut()?,
            PatternStep::Keys => here.key.as_deref_mut()?,
            PatternStep::At(at) => here.at.iter_mut().find(|(known, _)| known == at).map(|(_, p)| p)?,
        };
    }
    here.declared.as_mut()
}

struct Compiler<'c> {
    names: &'c Names,
    faults: &'c mut Vec<OwnFault>,
    types: &'c mut Vec<FieldType>,
}

impl Compiler<'_> {
    fn compile(&mut self, mut proto: Proto, pattern: String, place: Option<Place>) -> TypeId {
        let declared = proto.declared.take();
        // a list is most often described by the pattern of its entries
        let of_entry = proto.entry.as_ref().and_then(|entry| entry.declared.as_ref()?.place);
        let place = declared.as_ref().and_then(|declared| declared.place).or(of_entry).or(place);
        let mut said = declared.unwrap_or_default();
        let has_fields = !proto.fields.is_empty();
        let tuple = !proto.at.is_empty();
        let structured = [has_fields, proto.entry.is_some(), proto.value.is_some() || proto.key.is_some(), tuple];
        if structured.iter().filter(|is| **is).count() > 1
            && let Some(place) = place
        {
            let message = format!("`{pattern}` cannot be a table, a list, a map or a tuple at once");
            self.faults.push(own::fault(place, message));
        }
        let is_list = proto.entry.is_some() || said.reading.as_deref() == Some("list") || said.list.is_some();
        let id = TypeId(crate::source::to_u32(self.types.len()));
        self.types.push(FieldType {
            pattern: pattern.clone(),
            reading: Reading::Any,
            optional: said.optional,
            default: None,
            unit: said.unit.take(),
            about: said.about.take(),
            min: said.min.take(),
            max: said.max.take(),
            more: said.more.take().map(Box::new),
        });
        let mut all_optional = false;
        let reading = if is_list {
            self.list(&mut proto, &mut said, &pattern, place)
        } else if proto.value.is_some() || proto.key.is_some() || said.reading.as_deref() == Some("map") {
            let value = proto.value.take().map(|p| *p).unwrap_or_default();
            let value = self.compile(value, format!("{pattern}{{}}"), place);
            let key = proto.key.take().map(|p| self.compile(*p, format!("{pattern}{{key}}"), place));
            Reading::Map { key, value }
        } else if tuple || said.reading.as_deref() == Some("tuple") {
            self.tuple(&mut proto, &pattern, place)
        } else if has_fields || said.reading.as_deref() == Some("table") {
            let table = self.table(proto, &said, &pattern, place);
            all_optional = table.needed == 0 && !table.fields.is_empty();
            Reading::Table(table)
        } else {
            self.scalar(&mut said)
        };
        let default = said.default.take();
        if let Some(ty) = self.types.get_mut(id.0 as usize) {
            ty.optional |= all_optional || matches!(reading, Reading::Parent(_));
            ty.reading = reading;
        }
        if let Some((draft, place)) = default {
            self.default(id, draft, place);
        }
        if let Some(place) = place {
            self.demands(id, place);
        }
        id
    }

    /// Demands that the type cannot meet.
    fn demands(&mut self, id: TypeId, place: Place) {
        let Some(ty) = self.types.get(id.0 as usize) else { return };
        let Some(demands) = ty.demands() else { return };
        let reading = |id: TypeId| self.types.get(id.0 as usize).map(|ty| &ty.reading);
        let sort = Sort {
            text: matches!(ty.reading, Reading::Text | Reading::Any | Reading::Link(_) | Reading::File(_)),
            number: ty.is_number(),
            many: matches!(ty.reading, Reading::List(_) | Reading::Flags(_) | Reading::Map { .. }),
            link: match &ty.reading {
                Reading::List(list) => matches!(reading(list.entry), Some(Reading::Link(_))),
                other => matches!(other, Reading::Link(_) | Reading::Parent(_)),
            },
            words: ty.all_words(&reading),
        };
        demands.consistent(sort, place, self.faults);
    }

    /// Places that follow each other from 0.
    fn tuple(&mut self, proto: &mut Proto, pattern: &str, place: Option<Place>) -> Reading {
        let mut places = Vec::new();
        let mut needed = 0;
        let mut all = std::mem::take(&mut proto.at);
        all.sort_by_key(|(at, _)| *at);
        let whole = all.iter().zip(0..).all(|((at, _), nth)| *at == nth);
        if let Some(place) = place.filter(|_| !whole || all.is_empty()) {
            let message = format!("the places of the tuple `{pattern}` follow each other from `{pattern}[0]` on");
            self.faults.push(own::fault(place, message));
        }
        for (at, item) in all {
            let id = self.compile(item, format!("{pattern}[{at}]"), place);
            places.push(id);
            if self.types.get(id.0 as usize).is_some_and(|ty| !ty.optional && ty.default.is_none()) {
                needed = places.len();
            }
        }
        Reading::Tuple { places, needed }
    }

    fn scalar(&self, said: &mut Declared) -> Reading {
        if let Some(kind) = said.parent {
            return Reading::Parent(kind);
        }
        if let Some(file) = said.file.take() {
            return Reading::File(file);
        }
        if !said.link.is_empty() {
            return Reading::Link(std::mem::take(&mut said.link));
        }
        let words = std::mem::take(&mut said.words);
        match said.reading.as_deref() {
            Some("integer") => Reading::Integer,
            Some("number") => Reading::Number,
            Some("boolean") => Reading::Boolean,
            Some("text") => Reading::Text,
            Some("formula") => Reading::Formula { over: said.over, names: std::mem::take(&mut said.names) },
            Some("choice") => Reading::Choice(Words::new(words)),
            Some("flags") => Reading::Flags(Words::new(words)),
            _ => Reading::Any,
        }
    }

    fn list(&mut self, proto: &mut Proto, said: &mut Declared, pattern: &str, place: Option<Place>) -> Reading {
        let mut entry = proto.entry.take().map(|p| *p).unwrap_or_default();
        let place = entry.declared.as_ref().and_then(|d| d.place).or(place);
        if let Some(of_entry) = &mut entry.declared
            && entry.entry.is_none()
        {
            said.list = said.list.or(of_entry.list.take());
            if said.by.is_empty() {
                said.by = std::mem::take(&mut of_entry.by);
            }
            said.join |= std::mem::take(&mut of_entry.join);
            said.optional |= std::mem::take(&mut of_entry.optional);
            if matches!(of_entry.default, Some((Draft::List(_), _))) {
                said.default = said.default.take().or(of_entry.default.take());
            }
        }
        let optional = said.optional;
        let shape = said.list.unwrap_or(ListShape::Sequence);
        let by: Vec<Sym> = said.by.iter().map(|word| self.names.intern(word)).collect();
        for key in &said.by {
            let known = entry.fields.iter().any(|(name, _)| name == key);
            if !known && let Some(place) = place {
                let message = format!("`by` names `{key}`, which is no field of `{pattern}[]`");
                let names = entry.fields.iter().map(|(name, _)| name.as_str());
                let help = nearest(key, names).map(|near| format!("the nearest known field is `{near}`"));
                self.faults.push(OwnFault { place, message, help, second: None });
            }
        }
        let about = entry.declared.as_mut().and_then(|d| d.about.clone());
        // what is demanded of the list stands with its entries, too
        let mut of_list = Demands::default();
        if let Some(of_entry) = entry.declared.as_mut().and_then(|d| d.more.as_mut()) {
            of_list.min_count = of_entry.min_count.take();
            of_list.max_count = of_entry.max_count.take();
            of_list.complete = std::mem::take(&mut of_entry.complete);
            of_list.only = of_entry.only.take();
            of_list.retired = of_entry.retired.take();
        }
        let mark = self.types.len() - 1;
        let entry = self.compile(entry, format!("{pattern}[]"), place);
        // the list is the last type made before its entry
        if let Some(ty) = self.types.get_mut(mark) {
            ty.optional = optional;
            ty.about = ty.about.take().or(about);
            let more = ty.more.get_or_insert_default();
            more.min_count = more.min_count.or(of_list.min_count);
            more.max_count = more.max_count.or(of_list.max_count);
            more.complete |= of_list.complete;
            more.only = more.only.take().or(of_list.only);
            more.retired = more.retired.take().or(of_list.retired);
            if !more.says() {
                ty.more = None;
            }
        }
        Reading::List(ListType { shape, by, join: said.join, entry })
    }

    fn table(&mut self, proto: Proto, said: &Declared, pattern: &str, place: Option<Place>) -> TableType {
        let mut table = TableType { open: said.open, ..TableType::default() };
        for (name, field) in proto.fields {
            let longer = if pattern.is_empty() { name.clone() } else { format!("{pattern}.{name}") };
            let sym = self.names.intern(&name);
            let ty = self.compile(field, longer, place);
            let at = table.fields.len();
            let always = |ty: &FieldType| ty.demands().is_none_or(|demands| demands.only.is_none());
            let needed = |ty: &FieldType| !ty.optional && ty.default.is_none() && always(ty);
            let needed = self.types.get(ty.0 as usize).is_some_and(needed);
            if needed && at < 128 {
                table.needed |= 1 << at;
            }
            table.index.insert(sym, crate::source::to_u32(at));
            table.fields.push((sym, ty));
        }
        table
    }

    fn default(&mut self, id: TypeId, draft: Draft, place: Place) {
        let fault = {
            let Some(ty) = self.types.get(id.0 as usize) else { return };
            let fits = match (&ty.reading, &draft) {
                (Reading::Integer, Draft::Number(number)) => crate::document::is_whole(number.notation()),
                (Reading::Number, Draft::Number(_))
                | (Reading::Boolean, Draft::Boolean(_))
                | (Reading::Text | Reading::Link(_) | Reading::File(_) | Reading::Parent(_), Draft::Text(_))
                | (Reading::List(_) | Reading::Tuple { .. }, Draft::List(_))
                | (Reading::Formula { .. }, Draft::Text(_) | Draft::Number(_))
                | (Reading::Map { .. } | Reading::Table(_), Draft::Table(_))
                | (Reading::Any, _) => true,
                (Reading::Choice(words), Draft::Text(word)) => words.set.contains(word),
                (Reading::Flags(words), Draft::List(items)) => {
                    items.iter().all(|item| matches!(item, Draft::Text(word) if words.set.contains(word)))
                }
                _ => false,
            };
            let within = match (&draft, &ty.min, &ty.max) {
                (Draft::Number(number), min, max) => {
                    let value = crate::document::float(number.notation()).unwrap_or(0.0);
                    min.as_ref().is_none_or(|min| value >= min.value)
                        && max.as_ref().is_none_or(|max| value <= max.value)
                }
                _ => true,
            };
            match (fits, within) {
                (false, _) => Some("the default does not fit the field's type"),
                (true, false) => Some("the default lies outside the field's limits"),
                _ => None,
            }
        };
        match fault {
            Some(message) => self.faults.push(own::fault(place, message)),
            None => {
                if let Some(ty) = self.types.get_mut(id.0 as usize) {
                    ty.default = Some(draft);
                }
            }
        }
    }
}
