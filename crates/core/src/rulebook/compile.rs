//! From what the patterns say to numbered types.

use rustc_hash::FxHashMap;

use super::demands::{Demands, Sort};
use super::fields::{Declared, Proto};
use super::types::{FieldType, ListShape, ListType, Reading, TableType, TypeId, Words};
use super::written::Written;
use crate::document::Draft;
use crate::names::{Names, Sym};
use crate::nearest::nearest;
use crate::own::{self, OwnFault};
use crate::said::said;
use crate::source::Place;

pub(super) struct Compiler<'c> {
    pub(super) names: &'c Names,
    pub(super) faults: &'c mut Vec<OwnFault>,
    pub(super) types: &'c mut Vec<FieldType>,
    /// Parts that are types of their own.
    shared: FxHashMap<String, Proto>,
    /// The types of those that are met already, with what they share.
    made: FxHashMap<String, TypeId>,
    /// Whether tables may hold fields that are not described.
    open: bool,
}

impl<'c> Compiler<'c> {
    pub(super) fn new(
        names: &'c Names,
        faults: &'c mut Vec<OwnFault>,
        types: &'c mut Vec<FieldType>,
        shared: FxHashMap<String, Proto>,
        open: bool,
    ) -> Self {
        Compiler { names, faults, types, shared, made: FxHashMap::default(), open }
    }

    /// The type of the keys of a map.
    fn key(&mut self, proto: Proto, pattern: String, place: Option<Place>) -> TypeId {
        let place = proto.declared.as_ref().and_then(|declared| declared.place).or(place);
        let id = self.compile(proto, pattern, place);
        let Some(ty) = self.types.get(id.0 as usize) else { return id };
        let can_be = match ty.reading {
            Reading::Integer | Reading::Number | Reading::Text => ty.written.is_none(),
            Reading::Choice(_) | Reading::Link(_) | Reading::Word { .. } | Reading::File(_) => true,
            _ => false,
        };
        if let Some(place) = place.filter(|_| !can_be) {
            let message = said!("`{field}`: the keys of a map cannot be this", field = ty.pattern);
            self.faults.push(
                own::fault(place, message)
                    .help(Some("they are texts, choices, numbers without units, links, words or files")),
            );
        }
        id
    }

    pub(super) fn compile(&mut self, mut proto: Proto, pattern: String, place: Option<Place>) -> TypeId {
        let placed = |said: &Declared| said.written.as_ref().is_some_and(|written| !written.places.is_empty());
        if let Some(said) = proto.declared.as_ref().filter(|said| said.same_as.is_some() && placed(said))
            && let Some(place) = said.place
        {
            let message = said!(
                "`places` of `{pattern}` stand with fields that are described below it, not beside `part`",
                pattern
            );
            self.faults.push(own::fault(place, message));
        }
        if let Some(name) = proto.declared.as_mut().and_then(|declared| declared.same_as.take()) {
            let fields = self.shared.get(&name).map(|part| part.fields.clone()).unwrap_or_default();
            return match proto.declared.take().filter(Declared::is_single) {
                Some(said) => self.part_or_single(name, fields, said, pattern, place),
                None => self.shared(name, fields, pattern, place),
            };
        }
        let declared = proto.declared.take();
        // a list is most often described by the pattern of its entries
        let of_entry = proto.entry.as_ref().and_then(|entry| entry.declared.as_ref()?.place);
        let place = declared.as_ref().and_then(|declared| declared.place).or(of_entry).or(place);
        let mut said = declared.unwrap_or_default();
        let has_fields = !proto.fields.is_empty();
        let tuple = !proto.at.is_empty();
        let range = said.reading.as_deref() == Some("range");
        if range {
            said.written.get_or_insert_default().range = true;
        }
        let structured = [has_fields, proto.entry.is_some(), proto.value.is_some() || proto.key.is_some(), tuple];
        if structured.iter().filter(|is| **is).count() > 1
            && let Some(place) = place
        {
            let message = said!("`{pattern}` cannot be a table, a list, a map or a tuple at once", pattern);
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
            written: None,
            link: said.decoration.take().map(Box::new),
            from: said.from.take(),
            narrow: said.narrow.take(),
        });
        let mut all_optional = false;
        let single = said.is_single();
        let cases = std::mem::take(&mut proto.cases);
        let reading = if is_list {
            // a list on the way to fields that can all be left out can be left out, too
            let on_the_way = said.place.is_none() && proto.entry.as_ref().is_some_and(|entry| entry.declared.is_none());
            let list = self.list(&mut proto, &mut said, &pattern, place);
            if let (true, Reading::List(list)) = (on_the_way, &list) {
                all_optional = self.types.get(list.entry.0 as usize).is_some_and(|ty| ty.optional);
            }
            list
        } else if let Some(by) = said.choose.take() {
            self.choose(proto, &said, by, cases, &pattern, place)
        } else if range {
            self.range(id, &mut said, &pattern)
        } else if has_fields && single {
            if let Some(place) = place.filter(|_| said.reading.as_deref() == Some("text") && !said.of_part) {
                let message = said!("`{pattern}` is described as a text, and as a table with fields", pattern);
                self.faults.push(
                    own::fault(place, message)
                        .help(Some("where it can be both, the fields stand in a part: `part = \"…\"` beside `type`")),
                );
            }
            self.either(id, proto, &mut said, &pattern, place)
        } else if proto.value.is_some() || proto.key.is_some() || said.reading.as_deref() == Some("map") {
            let value = proto.value.take().map(|p| *p).unwrap_or_default();
            // no value of a map must be there: said of the values, it is said of the map
            all_optional = said.place.is_none() && value.declared.as_ref().is_some_and(|value| value.optional);
            let value = self.compile(value, format!("{pattern}{{}}"), place);
            let key = proto.key.take().map(|p| self.key(*p, format!("{pattern}{{key}}"), place));
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
        let written = said.written.take().filter(Written::says);
        if let (Some(written), Some(place)) = (&written, place) {
            written.consistent(&reading, place, self.names, self.faults);
        }
        if let Some(ty) = self.types.get_mut(id.0 as usize) {
            ty.optional |= all_optional || matches!(reading, Reading::Parent(_));
            ty.reading = reading;
            ty.written = written.map(Box::new);
        }
        if let Some((draft, place)) = default {
            self.default(id, draft, place);
        }
        if let Some(place) = place {
            self.demands(id, place);
        }
        id
    }

    /// A part in which the field stands itself, or a single value.
    fn part_or_single(
        &mut self,
        name: String,
        fields: Vec<(String, Proto)>,
        mut said: Declared,
        pattern: String,
        place: Option<Place>,
    ) -> TypeId {
        let id = TypeId(crate::source::to_u32(self.types.len()));
        let about = said.about.take();
        let optional = std::mem::take(&mut said.optional);
        self.types.push(FieldType { pattern: pattern.clone(), optional, about, ..FieldType::plain(Reading::Any) });
        let table = self.shared(name, fields, pattern.clone(), place);
        let single = self.compile(Proto { declared: Some(said), ..Proto::default() }, pattern, place);
        if let Some(ty) = self.types.get_mut(id.0 as usize) {
            ty.reading = Reading::Either { table, single };
        }
        id
    }

    /// A type that is made once, wherever it stands: it may contain itself.
    fn shared(&mut self, key: String, fields: Vec<(String, Proto)>, pattern: String, place: Option<Place>) -> TypeId {
        if let Some(known) = self.made.get(&key) {
            return *known;
        }
        // far down, the way on which the part was first met says less than its name
        let part = key.split('+').next().unwrap_or("").to_owned();
        let pattern = if pattern.matches('.').count() > 2 { part } else { pattern };
        self.made.insert(key, TypeId(crate::source::to_u32(self.types.len())));
        let declared = Declared { reading: Some("table".to_owned()), ..Declared::default() };
        self.compile(Proto { declared: Some(declared), fields, ..Proto::default() }, pattern, place)
    }

    /// A table with the fields of the case that the word in one of them tells.
    fn choose(
        &mut self,
        shared: Proto,
        said: &Declared,
        by: String,
        cases: Vec<(String, String)>,
        pattern: &str,
        place: Option<Place>,
    ) -> Reading {
        if let Some(place) = place.filter(|_| by.contains(['.', '[', '{'])) {
            let message = "`choose` names one field of the table itself, or with `@` an attribute";
            self.faults.push(own::fault(place, message));
        }
        if cases.is_empty() {
            let message = "`choose` needs `cases`: for each word the part with the other fields";
            let fault = place.map(|place| own::fault(place, message));
            let help = "`cases = { burn = \"burning\" }`";
            self.faults.extend(fault.map(|fault| fault.help(Some(help))));
            // of what it would be nothing is said then
            return Reading::Any;
        }
        let mut shared = shared;
        if !shared.fields.iter().any(|(name, _)| *name == by) {
            let words = cases.iter().map(|(word, _)| word.clone()).collect();
            // an open one may be of further sorts
            let reading = Some(if said.open { "text" } else { "choice" }.to_owned());
            let declared = Declared { reading, words, ..Declared::default() };
            shared.fields.push((by.clone(), Proto { declared: Some(declared), ..Proto::default() }));
        }
        let table = |fields| Proto {
            declared: Some(Declared { reading: Some("table".to_owned()), open: said.open, ..Declared::default() }),
            fields,
            ..Proto::default()
        };
        let mut made = rustc_hash::FxHashMap::default();
        for (word, part) in cases {
            let mut fields = self.shared.get(&part).map(|part| part.fields.clone()).unwrap_or_default();
            // what a case says of a shared field counts
            let own: Vec<String> = fields.iter().map(|(name, _)| name.clone()).collect();
            fields.extend(shared.fields.iter().filter(|(name, _)| !own.contains(name)).cloned());
            let names: Vec<&str> = shared.fields.iter().map(|(name, _)| name.as_str()).collect();
            let key = format!("{part}+{}{}", names.join(","), if said.open { "+" } else { "" });
            let ty = self.shared(key, fields, pattern.to_owned(), place);
            if let (true, Some(Reading::Table(table))) =
                (said.open, self.types.get_mut(ty.0 as usize).map(|ty| &mut ty.reading))
            {
                table.open = true;
            }
            made.insert(word, ty);
        }
        let by = self.names.intern(&by);
        let other = self.compile(table(shared.fields), pattern.to_owned(), place);
        Reading::Choose { by, cases: made, other, untold: other }
    }

    /// Two numbers, the ends of a range.
    fn range(&mut self, id: TypeId, said: &mut Declared, pattern: &str) -> Reading {
        let Some(whole) = self.types.get(id.0 as usize) else { return Reading::Any };
        let (min, max, unit) = (whole.min.clone(), whole.max.clone(), whole.unit.clone());
        let written = said.written.as_mut();
        let units = written.map(|written| (std::mem::take(&mut written.units), written.bare)).unwrap_or_default();
        let mut places = Vec::new();
        for at in 0..2 {
            let more = Declared {
                reading: Some("number".to_owned()),
                min: min.clone(),
                max: max.clone(),
                unit: unit.clone(),
                written: Some(Written { units: units.0.clone(), bare: units.1, ..Written::default() }),
                ..Declared::default()
            };
            places.push(self.compile(
                Proto { declared: Some(more), ..Proto::default() },
                format!("{pattern}[{at}]"),
                None,
            ));
        }
        Reading::Tuple { places, needed: 2 }
    }

    /// A table, or a single value that stands for one.
    fn either(
        &mut self,
        id: TypeId,
        proto: Proto,
        said: &mut Declared,
        pattern: &str,
        place: Option<Place>,
    ) -> Reading {
        let of_table = Declared { reading: Some("table".to_owned()), open: said.open, ..Declared::default() };
        let table = Proto { declared: Some(of_table), ..proto };
        let single = Declared {
            reading: said.reading.take(),
            words: std::mem::take(&mut said.words),
            words_from: std::mem::take(&mut said.words_from),
            link: std::mem::take(&mut said.link),
            file: said.file.take(),
            text: said.text.take(),
            written: said.written.take(),
            decoration: self.types.get_mut(id.0 as usize).and_then(|ty| ty.link.take()).map(|link| *link),
            ..Declared::default()
        };
        let table = self.compile(table, pattern.to_owned(), place);
        let single = self.compile(Proto { declared: Some(single), ..Proto::default() }, pattern.to_owned(), place);
        // limits are those of the single value
        if let Some(whole) = self.types.get_mut(id.0 as usize) {
            let (min, max, more) = (whole.min.take(), whole.max.take(), whole.more.take());
            if let Some(single) = self.types.get_mut(single.0 as usize) {
                (single.min, single.max) = (min, max);
                single.more = more;
            }
        }
        Reading::Either { table, single }
    }

    /// Demands that the type cannot meet.
    fn demands(&mut self, id: TypeId, place: Place) {
        let Some(ty) = self.types.get(id.0 as usize) else { return };
        let Some(demands) = ty.demands() else { return };
        let reading = |id: TypeId| self.types.get(id.0 as usize).map(|ty| &ty.reading);
        let sort = Sort {
            text: matches!(
                ty.reading,
                Reading::Text | Reading::Any | Reading::Link(_) | Reading::File(_) | Reading::Key(_)
            ),
            number: ty.is_number(),
            many: matches!(ty.reading, Reading::List(_) | Reading::Flags(_) | Reading::Map { .. }),
            link: match &ty.reading {
                Reading::List(list) => matches!(reading(list.entry), Some(Reading::Link(_))),
                other => matches!(other, Reading::Link(_) | Reading::Parent(_)),
            },
            file: match &ty.reading {
                Reading::List(list) => matches!(reading(list.entry), Some(Reading::File(_))),
                other => matches!(other, Reading::File(_)),
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
            let message =
                said!("the places of the tuple `{pattern}` follow each other from `{pattern}[0]` on", pattern);
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
        if let Some(text) = said.text.take() {
            return Reading::Key(text);
        }
        if let Some((of, declares)) = said.vocabulary {
            return Reading::Word { of, declares };
        }
        if let Some(of) = said.path_of.take() {
            return Reading::Path(Box::new(of));
        }
        if !said.link.is_empty() {
            return Reading::Link(std::mem::take(&mut said.link));
        }
        let words = std::mem::take(&mut said.words);
        let brought = std::mem::take(&mut said.words_from);
        match said.reading.as_deref() {
            Some("integer") => Reading::Integer,
            Some("number") => Reading::Number,
            Some("boolean") => Reading::Boolean,
            Some("text") => Reading::Text,
            Some("formula") => Reading::Formula { over: said.over, names: std::mem::take(&mut said.names) },
            Some("choice") => Reading::Choice(Words { from: brought, ..Words::new(words) }),
            Some("flags") => Reading::Flags(Words { from: brought, ..Words::new(words) }),
            _ => Reading::Any,
        }
    }

    fn list(&mut self, proto: &mut Proto, said: &mut Declared, pattern: &str, place: Option<Place>) -> Reading {
        let mut entry = proto.entry.take().map(|p| *p).unwrap_or_default();
        let place = entry.declared.as_ref().and_then(|d| d.place).or(place);
        // an entry is there or not; what can be left out is the list
        if let Some(of_entry) = &mut entry.declared {
            said.optional |= std::mem::take(&mut of_entry.optional);
        }
        if let Some(of_entry) = &mut entry.declared
            && entry.entry.is_none()
        {
            said.list = said.list.or(of_entry.list.take());
            if said.by.is_empty() {
                said.by = std::mem::take(&mut of_entry.by);
            }
            said.join |= std::mem::take(&mut of_entry.join);
            said.from = said.from.or(of_entry.from.take());
            let many = matches!(of_entry.reading.as_deref(), Some("tuple" | "range" | "flags"));
            if let Some(of_entry) = of_entry.written.as_mut() {
                let many = many || !of_entry.places.is_empty();
                let of_list = said.written.get_or_insert_default();
                of_list.one |= std::mem::take(&mut of_entry.one);
                if !many && entry.at.is_empty() && of_list.split.is_empty() {
                    of_list.split = std::mem::take(&mut of_entry.split);
                }
                of_list.minus.append(&mut of_entry.minus);
                of_list.plus.append(&mut of_entry.plus);
                let signs = !(of_list.minus.is_empty() && of_list.plus.is_empty());
                if let Some(place) = place.filter(|_| signs && !of_entry.places.is_empty()) {
                    let message = "`minus` and `plus` are for entries without `places`: say them as a tuple";
                    self.faults.push(own::fault(place, message));
                }
                if of_list.none.is_empty() {
                    of_list.none.clone_from(&of_entry.none);
                }
            }
            if matches!(of_entry.default, Some((Draft::List(_), _))) {
                said.default = said.default.take().or(of_entry.default.take());
            }
        }
        // the mark of an entry that comes or goes is no part of its word
        let signs = said.written.as_ref().map(|written| [written.minus.clone(), written.plus.clone()].concat());
        let signs = signs.unwrap_or_default();
        // of an entry with places or entries of its own, it stands before the first
        let first = match (entry.at.iter_mut().find(|(at, _)| *at == 0), &mut entry.entry) {
            (Some((_, first)), _) => first.declared.as_mut(),
            (None, Some(inner)) => inner.declared.as_mut(),
            (None, None) => None,
        };
        for said in [entry.declared.as_mut(), first].into_iter().flatten() {
            if !signs.is_empty() && (!said.link.is_empty() || !said.words.is_empty() || said.vocabulary.is_some()) {
                said.decoration.get_or_insert_default().signs.extend(signs.iter().cloned());
            }
        }
        let optional = said.optional;
        let shape = said.list.unwrap_or(ListShape::Sequence);
        let by: Vec<Sym> = said.by.iter().map(|word| self.names.intern(word)).collect();
        for key in &said.by {
            let same = entry.declared.as_ref().and_then(|declared| self.shared.get(declared.same_as.as_ref()?));
            let fields = same.map_or(&entry.fields, |part| &part.fields);
            let known = fields.iter().any(|(name, _)| name == key);
            if !known && let Some(place) = place {
                let message = said!("`by` names `{key}`, which is no field of `{pattern}[]`", key, pattern);
                let names = fields.iter().map(|(name, _)| name.as_str());
                let help =
                    nearest(key, names).map(|near| said!("the nearest known field is `{nearest}`", nearest = near));
                self.faults.push(own::fault(place, message).help(help));
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
            ty.from = ty.from.or(said.from);
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
        let mut table = TableType { open: said.open || self.open, ..TableType::default() };
        for (name, field) in proto.fields {
            let longer = if pattern.is_empty() { name.clone() } else { format!("{pattern}.{name}") };
            let sym = self.names.intern(&name);
            let optional = field.declared.as_ref().is_some_and(|declared| declared.optional);
            let ty = self.compile(field, longer, place);
            let at = table.fields.len();
            let always = |ty: &FieldType| ty.demands().is_none_or(|demands| demands.only.is_none());
            // what a mod brings along nobody else has to state
            let needed = |ty: &FieldType| !ty.optional && ty.default.is_none() && ty.from.is_none() && always(ty);
            let needed = !optional && self.types.get(ty.0 as usize).is_some_and(needed);
            match at {
                0..128 if needed => table.needed |= 1 << at,
                _ if needed => table.needed_behind.push(crate::source::to_u32(at)),
                _ => {}
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
                | (
                    Reading::Text | Reading::Key(_) | Reading::Link(_) | Reading::File(_) | Reading::Parent(_),
                    Draft::Text(_),
                )
                | (Reading::List(_) | Reading::Tuple { .. }, Draft::List(_))
                | (Reading::Formula { .. }, Draft::Text(_) | Draft::Number(_))
                | (Reading::Map { .. } | Reading::Table(_), Draft::Table(_))
                | (Reading::Any | Reading::Choose { .. } | Reading::Either { .. }, _) => true,
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
