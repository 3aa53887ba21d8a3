//! Reads a tree as the rulebook says: what a format without types, or with aliases, wrote becomes the
//! numbers, lists and tables that the fields' types ask for.
//! Long because it is one walk whose arms call each other.
//!
//! A text where a number is asked for is read as one, one value where a list is asked for is a list of one,
//! an empty element where a table is asked for is an empty table, and an alias is what its anchor names.
//! Lists packed into one text, quantities, words for true and for nothing become what they mean, each with
//! its place. What does not fit stays as it is, for the typed walk to report.

use super::naming::Piece;
use super::old_yaml::old_number;
use super::pattern::PatternStep;
use super::test::Test;
use super::types::{Reading, Rulebook, TableType, TypeId};
use super::written::Written;
use crate::document::{Document, Format, KeyAt, Node, Number, Recast, Shape, float};
use crate::names::{Names, Sym};
use crate::source::Span;

/// What is known of a node.
#[derive(Clone)]
enum Want {
    /// Nothing.
    Unknown,
    /// Its type.
    Type(TypeId),
    /// The rest of the ways to the definitions: a place of the rulebook and the steps taken.
    Cut(Vec<(usize, usize)>),
}

/// Reads a document whose definitions are found at places of the rulebook; none if it reads as it stands.
pub(crate) fn read_definitions(
    document: &Document,
    relative: &str,
    places: &[usize],
    rulebook: &Rulebook,
    names: &Names,
) -> Option<Document> {
    read(document, relative, Want::Cut(places.iter().map(|place| (*place, 0)).collect()), rulebook, names)
}

/// Reads a document that has a type as a whole; none if it reads as it stands.
pub(crate) fn read_whole(
    document: &Document,
    ty: Option<TypeId>,
    rulebook: &Rulebook,
    names: &Names,
) -> Option<Document> {
    read(document, "", ty.map_or(Want::Unknown, Want::Type), rulebook, names)
}

/// Reads a document that is one value of a field.
pub(crate) fn read_value(document: &Document, ty: TypeId, rulebook: &Rulebook, names: &Names) -> Document {
    let out = Recast::new(document);
    let mut reader = Reader { rulebook, names, relative: "", merge: None, lenient: false, inert: &[], out };
    reader.typed(document.root(), (Sym::NONE, 0), ty);
    reader.out.finish()
}

fn read(document: &Document, relative: &str, want: Want, rulebook: &Rulebook, names: &Names) -> Option<Document> {
    let lenient = document.format().needs_reading();
    let asked = match &want {
        Want::Unknown => false,
        Want::Type(root) => rulebook.reads.contains(root),
        Want::Cut(ways) => {
            let kinds = ways.iter().filter_map(|(place, _)| Some(rulebook.places.get(*place)?.which.kinds()));
            kinds.flatten().any(|kind| rulebook.reads.contains(&rulebook.kind(kind).root))
        }
    };
    let inert: &[Test] = if matches!(want, Want::Cut(_)) { &rulebook.reader.inert } else { &[] };
    if !lenient && !asked && rulebook.reader.comment_keys.is_empty() && inert.is_empty() {
        return None;
    }
    let merge = names.get("<<").filter(|_| document.format() == Format::Yaml);
    let mut reader = Reader { rulebook, names, relative, merge, lenient, inert, out: Recast::new(document) };
    reader.node(document.root(), (Sym::NONE, 0), &want);
    Some(reader.out.finish())
}

struct Reader<'d, 'r> {
    rulebook: &'r Rulebook,
    names: &'r Names,
    relative: &'r str,
    merge: Option<Sym>,
    /// Whether the format does not tell numbers from texts, and lists from single values.
    lenient: bool,
    /// Where one of these holds, the game reads on behind the element.
    inert: &'r [Test],
    out: Recast<'d>,
}

impl<'d, 'r> Reader<'d, 'r> {
    fn node(&mut self, node: Node<'d>, key: KeyAt, want: &Want) {
        if self.is_inert(node) {
            // its place in a list stays, so that the others keep their numbers
            return self.out.passed_over(key, node);
        }
        if node.shape() == Shape::Alias {
            let Some(target) = self.out.follow(node) else { return self.out.too_much(key, node) };
            self.out.enter();
            self.node(target, key, want);
            return self.out.leave();
        }
        let node = self.only_text(node).unwrap_or(node);
        match want {
            Want::Unknown => self.unknown(node, key),
            Want::Type(ty) => self.typed(node, key, *ty),
            Want::Cut(ways) => self.cut(node, key, ways),
        }
    }

    /// Whether an entry is a remark that the game does not read.
    fn is_remark(&self, entry: Node<'d>) -> bool {
        let Some(key) = entry.key().filter(|_| !self.rulebook.reader.comment_keys.is_empty()) else { return false };
        let name = self.names.text(key);
        let attribute = || entry.is_attribute() && self.rulebook.is_comment_key(&format!("@{name}"));
        self.rulebook.is_comment_key(name) || attribute()
    }

    /// The text of an element that has nothing beside it but remarks.
    fn only_text(&self, node: Node<'d>) -> Option<Node<'d>> {
        let xml = node.document().format() == Format::Xml && node.shape() == Shape::Table;
        if !xml || self.rulebook.reader.comment_keys.is_empty() {
            return None;
        }
        let mut left = node.children().filter(|entry| !self.is_remark(*entry));
        let text = left.next().filter(|entry| entry.key().is_some_and(|key| self.names.text(key) == "#text"));
        text.filter(|_| left.next().is_none())
    }

    /// Whether the game passes an element over.
    fn is_inert(&self, node: Node<'d>) -> bool {
        let piece = Piece { node, relative: self.relative, owner: "", names: self.names };
        node.shape() == Shape::Table && self.inert.iter().any(|test| piece.passes(test))
    }

    fn unknown(&mut self, node: Node<'d>, key: KeyAt) {
        match node.shape() {
            Shape::Table => self.table(node, key, |_, _| Want::Unknown),
            Shape::List => self.list(node, key, |_| Want::Unknown),
            _ => self.out.leaf(key, node),
        }
    }

    /// On the way to the definitions.
    fn cut(&mut self, node: Node<'d>, key: KeyAt, ways: &[(usize, usize)]) {
        let rulebook = self.rulebook;
        let step = |(place, taken): &(usize, usize)| rulebook.places.get(*place).map(|place| place.cut.0.get(*taken));
        let mut ended = ways
            .iter()
            .filter(|way| step(way) == Some(None))
            .filter_map(|(place, _)| rulebook.places.get(*place))
            .peekable();
        if ended.peek().is_some() {
            let piece = Piece { node, relative: self.relative, owner: "", names: self.names };
            let further: Vec<(usize, usize)> =
                ways.iter().filter(|way| matches!(step(way), Some(Some(_)))).copied().collect();
            let kind = ended.clone().find(|place| place.takes(&piece)).and_then(|place| place.kind_of(&piece).ok());
            // a definition in which others stand: these are read by their own places
            if let Some(root) = kind.map(|kind| rulebook.kind(kind).root)
                && let Reading::Table(table) = &rulebook.field_type(root).reading
                && node.shape() == Shape::Table
                && !further.is_empty()
            {
                return self.table(node, key, |reader, entry| {
                    let name = entry.key().map_or("", |key| reader.names.text(key));
                    let on = |way: &&(usize, usize)| {
                        let step = rulebook.places.get(way.0).and_then(|place| place.cut.0.get(way.1));
                        matches!(step, Some(PatternStep::Key(key)) if key == name) || step == Some(&PatternStep::Values)
                    };
                    let ways: Vec<_> = further.iter().filter(on).map(|(place, taken)| (*place, taken + 1)).collect();
                    let field = || entry.key().and_then(|key| table.get(key)).map_or(Want::Unknown, Want::Type);
                    if ways.is_empty() { field() } else { Want::Cut(ways) }
                });
            }
            return match ended.find(|place| place.takes(&piece)).and_then(|place| place.kind_of(&piece).ok()) {
                Some(kind) => self.typed(node, key, rulebook.kind(kind).root),
                None => self.unknown(node, key),
            };
        }
        let on = |wanted: &dyn Fn(&PatternStep) -> bool| -> Want {
            let fits = ways.iter().filter(|way| step(way).flatten().is_some_and(wanted));
            Want::Cut(fits.map(|(place, taken)| (*place, taken + 1)).collect())
        };
        let entries = on(&|step| matches!(step, PatternStep::Entries));
        let has_entries = matches!(&entries, Want::Cut(ways) if !ways.is_empty());
        match node.shape() {
            Shape::List => self.list(node, key, |_| entries.clone()),
            Shape::Table | Shape::Text if has_entries && self.lenient && !is_blank(node) => {
                self.one(node, key, &entries);
            }
            Shape::Table => self.table(node, key, |reader, entry| {
                let name = entry.key().map_or("", |key| reader.names.text(key));
                let want = on(&|step| match step {
                    PatternStep::Key(key) => key == name,
                    PatternStep::Values => true,
                    _ => false,
                });
                if matches!(&want, Want::Cut(ways) if ways.is_empty()) { Want::Unknown } else { want }
            }),
            _ if self.lenient && is_blank(node) => {
                self.empty(node, key, if has_entries { Shape::List } else { Shape::Table })
            }
            _ => self.out.leaf(key, node),
        }
    }

    /// Whether a word without quotes is true or false to a reader of YAML 1.1.
    fn is_old_boolean(&self, node: Node<'_>) -> bool {
        let words = ["yes", "no", "on", "off", "y", "n"];
        self.rulebook.reader.old_yaml
            && node.document().format() == Format::Yaml
            && words.iter().any(|word| node.raw().eq_ignore_ascii_case(word))
    }

    fn typed(&mut self, node: Node<'d>, key: KeyAt, want: TypeId) {
        let rulebook = self.rulebook;
        let ty = rulebook.field_type(want);
        let shape = node.shape();
        let single = !matches!(ty.reading, Reading::List(_) | Reading::Flags(_) | Reading::Tuple { .. });
        if shape == Shape::Text && single && self.is_old_boolean(node) {
            return self.out.scalar(key, node, Shape::Boolean, node.span());
        }
        if rulebook.marked(node, want).is_some() || rulebook.marked_astray(node, want).is_some() {
            // the value stands in one of its fields
            let content = |name: Option<Sym>| rulebook.markers.iter().any(|marker| Some(marker.content) == name);
            let of = |entry: Node<'_>| if content(entry.key()) { Want::Type(want) } else { Want::Unknown };
            return self.table(node, key, |_, entry| of(entry));
        }
        if let Some(written) = &ty.written
            && self.as_written(node, key, want, written)
        {
            return;
        }
        if shape == Shape::List
            && !ty.reading.is_many()
            && node.document().notation().text_marks().is_some_and(|marks| marks.last)
            && let Some(last) = node.children().last()
        {
            return self.node(last, Recast::key(last), &Want::Type(want));
        }
        match &ty.reading {
            Reading::Integer | Reading::Number if self.rulebook.reader.old_yaml && old_number(node).is_some() => {
                let value = old_number(node).unwrap_or_default();
                self.out.kept(key, Shape::Number, &value, node.span());
            }
            Reading::Integer | Reading::Number if shape == Shape::Text && self.lenient => {
                let span = trimmed(node);
                let raw = span.of(node.document().text());
                let number = raw.starts_with(|c: char| c.is_ascii_digit() || matches!(c, '-' | '+' | '.'));
                if number && float(raw).is_some() && node.text().trim() == raw {
                    self.out.scalar(key, node, Shape::Number, span);
                } else {
                    self.out.leaf(key, node);
                }
            }
            Reading::Boolean if shape == Shape::Text && self.lenient && node.document().format() != Format::Yaml => {
                let span = trimmed(node);
                let raw = span.of(node.document().text());
                if raw.eq_ignore_ascii_case("true") || raw.eq_ignore_ascii_case("false") {
                    self.out.scalar(key, node, Shape::Boolean, span);
                } else {
                    self.out.leaf(key, node);
                }
            }
            Reading::List(list) => self.many(node, key, |_| Want::Type(list.entry)),
            Reading::Flags(_) => self.many(node, key, |_| Want::Unknown),
            Reading::Tuple { places, .. } => {
                self.many(node, key, |nth| places.get(nth).map_or(Want::Unknown, |ty| Want::Type(*ty)));
            }
            Reading::Table(table) => {
                let field = |name: Sym| table.get(name).map_or(Want::Unknown, Want::Type);
                match shape {
                    Shape::Table => self.fields(node, key, table),
                    Shape::Text if self.lenient && is_blank(node) => self.empty(node, key, Shape::Table),
                    // an element without attributes, whose text is a field
                    Shape::Text if node.document().format() == Format::Xml => {
                        match self.names.get("#text").filter(|own| table.get(*own).is_some()) {
                            Some(own) => {
                                let mark = self.out.open();
                                self.node(node, (own, node.span().start as usize), &field(own));
                                self.out.close(mark, key, Shape::Table, node.span());
                            }
                            None => self.out.leaf(key, node),
                        }
                    }
                    // a line with nothing below it but its name
                    Shape::Text if name_of_lines(node).is_some() => {
                        let own = self.names.intern(name_of_lines(node).unwrap_or_default());
                        let mark = self.out.open();
                        self.node(node, (own, node.span().start as usize), &field(own));
                        self.out.close(mark, key, Shape::Table, node.span());
                    }
                    _ => self.unknown(node, key),
                }
            }
            Reading::Map { value, .. } => match shape {
                Shape::Table => self.table(node, key, |_, _| Want::Type(*value)),
                Shape::Text if self.lenient && is_blank(node) => self.empty(node, key, Shape::Table),
                _ => self.unknown(node, key),
            },
            Reading::Choose { .. } => {
                let word = |by| self.told(node, by).map(|word| word.text().into_owned());
                self.typed(node, key, self.rulebook.case_of(want, Shape::Table, &word));
            }
            Reading::Either { table, single } => {
                let blank = self.lenient && is_blank(node);
                self.typed(node, key, if shape == Shape::Table || blank { *table } else { *single });
            }
            // a word without quotes is the text that the field asks for
            Reading::Text
            | Reading::Choice(_)
            | Reading::Link(_)
            | Reading::Parent(_)
            | Reading::File(_)
            | Reading::Key(_)
            | Reading::Path(_)
                if matches!(shape, Shape::Number | Shape::Boolean) && node.document().format() == Format::Yaml =>
            {
                self.out.scalar(key, node, Shape::Text, node.span());
            }
            _ => self.unknown(node, key),
        }
    }

    /// The word that tells which case a table is: a field's, or with `@` an attribute's.
    fn told(&self, node: Node<'d>, by: Sym) -> Option<Node<'d>> {
        let name = self.names.text(by).strip_prefix('@').filter(|_| node.document().format() == Format::Xml);
        match name.and_then(|name| self.names.get(name)) {
            Some(name) => node.children().find(|entry| entry.key() == Some(name) && entry.is_attribute()),
            None => node.get(by),
        }
    }

    /// Reads what is not written as what it is; whether it was.
    fn as_written(&mut self, node: Node<'d>, key: KeyAt, want: TypeId, written: &'r Written) -> bool {
        let reading = &self.rulebook.field_type(want).reading;
        let shape = node.shape();
        let scalar = matches!(shape, Shape::Text | Shape::Number | Shape::Boolean);
        let repeats = matches!(node.document().format(), Format::Xml | Format::Described);
        if (scalar || shape == Shape::Null) && written.is_none(&node.text()) {
            self.out.scalar(key, node, Shape::Null, node.span());
            return true;
        }
        match reading {
            Reading::Tuple { places, .. } if written.range && !matches!(shape, Shape::List | Shape::Null) => {
                self.range(node, key, places, written)
            }
            Reading::List(_) | Reading::Flags(_) | Reading::Tuple { .. } if scalar && !written.split.is_empty() => {
                let (text, start) = content(node);
                self.packed(node, key, want, (&text, start));
                true
            }
            Reading::Table(table) if !written.places.is_empty() && shape != Shape::Table => {
                self.placed(node, key, table, written)
            }
            // several lines or elements, each with some of the entries
            Reading::List(list) if shape == Shape::List && !written.split.is_empty() && repeats => {
                let mark = self.out.open();
                for item in node.children() {
                    if matches!(item.shape(), Shape::Text | Shape::Number | Shape::Boolean) {
                        let (text, start) = content(item);
                        self.pieces(item, want, (&text, start));
                    } else {
                        self.node(item, Recast::key(item), &Want::Type(list.entry));
                    }
                }
                self.out.close(mark, key, Shape::List, node.span());
                true
            }
            Reading::List(list) if written.one && (scalar || shape == Shape::Table) => {
                self.one(node, key, &Want::Type(list.entry));
                true
            }
            Reading::Flags(_) if written.one && scalar => {
                self.one(node, key, &Want::Unknown);
                true
            }
            Reading::Integer | Reading::Number | Reading::Boolean if scalar || shape == Shape::Null => {
                let Some((shape, value)) = value_of(reading, written, &node.text()) else {
                    // a number without the unit that it needs is none
                    let bare = shape == Shape::Number && !written.units.is_empty();
                    if bare {
                        self.out.kept(key, Shape::Text, &node.text(), node.span());
                    }
                    return bare;
                };
                self.out.kept(key, shape, &value, node.span());
                true
            }
            _ => false,
        }
    }

    /// A table whose values follow each other, in a list or in one text; whether it is one.
    fn placed(&mut self, node: Node<'d>, key: KeyAt, table: &TableType, written: &Written) -> bool {
        let want = |name: Sym| table.get(name).map_or(Want::Unknown, Want::Type);
        let names: Vec<Sym> = written.places.iter().map(|name| self.names.intern(name)).collect();
        match node.shape() {
            Shape::List if node.len() <= names.len() => {
                let mark = self.out.open();
                for (name, value) in names.into_iter().zip(node.children()) {
                    self.node(value, (name, value.span().start as usize), &want(name));
                }
                self.out.close(mark, key, Shape::Table, node.span());
                true
            }
            Shape::Text | Shape::Number | Shape::Boolean if !written.split.is_empty() => {
                let (text, start) = content(node);
                self.placed_text(node, key, (table, written), (&text, start))
            }
            _ => false,
        }
    }

    /// As [`Reader::placed`], of a text.
    fn placed_text(
        &mut self,
        node: Node<'d>,
        key: KeyAt,
        (table, written): (&TableType, &Written),
        (text, start): (&str, Option<usize>),
    ) -> bool {
        let pieces = written.pieces(text);
        if pieces.len() > written.places.len() {
            return false;
        }
        let span =
            |at: usize, length: usize| start.map_or(node.span(), |start| Span::new(start + at, start + at + length));
        let mark = self.out.open();
        for (name, (at, piece)) in written.places.iter().zip(pieces) {
            let name = self.names.intern(name);
            let span = span(at, piece.len());
            let want = table.get(name).map_or(Want::Unknown, Want::Type);
            self.piece(node, (name, span.start as usize), span, piece, &want);
        }
        self.out.close(mark, key, Shape::Table, span(0, text.len()));
        true
    }

    /// A range that is no list: a table of its ends, one number for both, or a text.
    fn range(&mut self, node: Node<'d>, key: KeyAt, places: &[TypeId], written: &Written) -> bool {
        let [low, high] = places else { return false };
        if node.shape() == Shape::Table {
            let Some(ends) = &written.ends else { return false };
            let mark = self.out.open();
            for (name, ty) in ends.iter().zip([low, high]) {
                if let Some(end) = node.get_named(name, self.names) {
                    self.node(end, (Sym::NONE, 0), &Want::Type(*ty));
                }
            }
            self.out.close(mark, key, Shape::List, node.span());
            return true;
        }
        let (text, start) = content(node);
        let mut pieces: Vec<(usize, &str)> = Vec::new();
        let mut below = None;
        for (at, piece) in written.pieces(&text) {
            // the mark between the ends may be the sign of a number, too
            match (piece.is_empty(), below.take()) {
                (true, _) => below = Some(at),
                (false, Some(sign)) => pieces.push((sign, text.get(sign..at + piece.len()).unwrap_or(piece))),
                (false, None) => pieces.push((at, piece)),
            }
        }
        if written.split.is_empty() {
            pieces = vec![(0, &*text)];
        }
        if let [only] = pieces.as_slice() {
            if !self.is_end(node, only.1, *low) {
                // as a whole it is no range
                self.out.leaf(key, node);
                return true;
            }
            pieces = vec![*only, *only];
        }
        let mark = self.out.open();
        for ((at, piece), ty) in pieces.into_iter().zip([low, high]) {
            let span = start.map_or(node.span(), |start| Span::new(start + at, start + at + piece.len()));
            self.piece(node, (Sym::NONE, 0), span, piece, &Want::Type(*ty));
        }
        self.out.close(mark, key, Shape::List, node.span());
        true
    }

    /// Whether a single value is a number for both ends of a range.
    fn is_end(&self, node: Node<'d>, text: &str, end: TypeId) -> bool {
        let (plain, ty) = (Written::default(), self.rulebook.field_type(end));
        if !ty.is_number() {
            return true;
        }
        let read = value_of(&ty.reading, ty.written.as_deref().unwrap_or(&plain), text);
        node.shape() != Shape::Boolean && read.is_some_and(|(shape, _)| shape == Shape::Number)
    }

    /// A list that is packed into one text; of the text the byte it begins at, if its bytes are the file's.
    fn packed(&mut self, node: Node<'d>, key: KeyAt, want: TypeId, (text, start): (&str, Option<usize>)) {
        let mark = self.out.open();
        self.pieces(node, want, (text, start));
        let span = start.map_or(node.span(), |start| Span::new(start, start + text.len()));
        self.out.close(mark, key, Shape::List, span);
    }

    /// The entries that are packed into a text.
    fn pieces(&mut self, node: Node<'d>, want: TypeId, (text, start): (&str, Option<usize>)) {
        let ty = self.rulebook.field_type(want);
        let Some(written) = &ty.written else { return };
        for (nth, (at, piece)) in written.pieces(text).into_iter().enumerate() {
            let span = start.map_or(node.span(), |start| Span::new(start + at, start + at + piece.len()));
            let entry = match &ty.reading {
                Reading::List(list) => Want::Type(list.entry),
                Reading::Tuple { places, .. } => places.get(nth).map_or(Want::Unknown, |ty| Want::Type(*ty)),
                _ => Want::Unknown,
            };
            self.piece(node, (Sym::NONE, 0), span, piece, &entry);
        }
    }

    /// One entry of a packed list.
    fn piece(&mut self, node: Node<'d>, key: KeyAt, span: Span, text: &str, want: &Want) {
        let ty = match want {
            Want::Type(ty) => self.rulebook.field_type(*ty),
            _ => return self.out.kept(key, Shape::Text, text, span),
        };
        let plain = Written::default();
        let written = ty.written.as_deref().unwrap_or(&plain);
        if written.is_none(text) {
            return self.out.scalar(key, node, Shape::Null, span);
        }
        match &ty.reading {
            Reading::Either { single, .. } => self.piece(node, key, span, text, &Want::Type(*single)),
            Reading::List(_) | Reading::Flags(_) | Reading::Tuple { .. } if !written.split.is_empty() => {
                let start = (span.of(node.document().text()) == text).then_some(span.start as usize);
                if let Want::Type(want) = want {
                    self.packed(node, key, *want, (text, start));
                }
            }
            Reading::Table(table) if !written.places.is_empty() && !written.split.is_empty() => {
                let start = (span.of(node.document().text()) == text).then_some(span.start as usize);
                if !self.placed_text(node, key, (table, written), (text, start)) {
                    self.out.kept(key, Shape::Text, text, span);
                }
            }
            Reading::List(list) => {
                let mark = self.out.open();
                self.piece(node, (Sym::NONE, 0), span, text, &Want::Type(list.entry));
                self.out.close(mark, key, Shape::List, span);
            }
            reading => match value_of(reading, written, text) {
                Some((shape, value)) => self.out.kept(key, shape, &value, span),
                None => self.out.kept(key, Shape::Text, text, span),
            },
        }
    }

    /// A table with known fields. `@name` is only an attribute's.
    fn fields(&mut self, node: Node<'d>, key: KeyAt, table: &TableType) {
        let field = |name: Sym| table.get(name).map_or(Want::Unknown, Want::Type);
        let by_form = node.document().format() == Format::Xml
            && table.fields.iter().any(|(name, _)| self.names.text(*name).starts_with('@'));
        if !by_form {
            return self.table(node, key, |_, entry| entry.key().map_or(Want::Unknown, field));
        }
        let mark = self.out.open();
        for entry in
            node.children().filter(|entry| !self.is_remark(*entry) && !self.is_inert(*entry)).collect::<Vec<_>>()
        {
            let (mut name, start) = Recast::key(entry);
            if entry.is_attribute()
                && let Some(apart) = self.names.get(&format!("@{}", self.names.text(name)))
                && table.get(apart).is_some()
            {
                name = apart;
            }
            self.node(entry, (name, start), &field(name));
        }
        self.out.close(mark, key, Shape::Table, node.span());
    }

    fn many(&mut self, node: Node<'d>, key: KeyAt, want: impl Fn(usize) -> Want) {
        match node.shape() {
            Shape::List => self.list(node, key, want),
            Shape::Null | Shape::Broken => self.out.leaf(key, node),
            _ if !self.lenient => self.unknown(node, key),
            _ if is_blank(node) && node.document().format() != Format::Yaml => self.empty(node, key, Shape::List),
            _ => self.one(node, key, &want(0)),
        }
    }

    /// One value as a list of one.
    fn one(&mut self, node: Node<'d>, key: KeyAt, want: &Want) {
        let mark = self.out.open();
        self.node(node, key, want);
        self.out.close(mark, key, Shape::List, node.span());
    }

    fn empty(&mut self, node: Node<'d>, key: KeyAt, shape: Shape) {
        let mark = self.out.open();
        self.out.close(mark, key, shape, node.span());
    }

    fn list(&mut self, node: Node<'d>, key: KeyAt, want: impl Fn(usize) -> Want) {
        let mark = self.out.open();
        for (nth, item) in node.children().enumerate() {
            self.node(item, Recast::key(item), &want(nth));
        }
        self.out.close(mark, key, Shape::List, node.span());
    }

    fn table(&mut self, node: Node<'d>, key: KeyAt, want: impl Fn(&Self, Node<'d>) -> Want) {
        let mark = self.out.open();
        let csv = node.document().format() == Format::Csv;
        for entry in node.children() {
            // a cell with nothing in it states nothing
            if csv && entry.shape() == Shape::Null {
                continue;
            }
            if self.is_remark(entry) || self.is_inert(entry) {
                continue;
            }
            if self.merge.is_some() && entry.key() == self.merge {
                let mut there: Vec<Sym> = node.children().filter_map(|entry| entry.key()).collect();
                self.merged(entry, &mut there, &want);
                continue;
            }
            let want = want(self, entry);
            self.node(entry, Recast::key(entry), &want);
        }
        self.out.close(mark, key, Shape::Table, node.span());
    }

    /// The entries that a merge key brings in: those that the table does not have itself, the first of
    /// several tables first (YAML merge key, working draft 2005).
    fn merged(&mut self, entry: Node<'d>, there: &mut Vec<Sym>, want: &impl Fn(&Self, Node<'d>) -> Want) {
        let Some(target) = self.out.follow(entry) else {
            return self.out.too_much(Recast::key(entry), entry);
        };
        match target.shape() {
            Shape::List => {
                for item in target.children() {
                    self.merged(item, there, want);
                }
            }
            Shape::Table => {
                self.out.enter();
                for inner in target.children() {
                    let Some(key) = inner.key() else { continue };
                    if Some(key) == self.merge {
                        self.merged(inner, there, want);
                    } else if !there.contains(&key) {
                        there.push(key);
                        let want = want(self, inner);
                        self.node(inner, Recast::key(inner), &want);
                    }
                }
                self.out.leave();
            }
            _ => self.out.leaf(Recast::key(entry), target),
        }
    }
}

/// A word as the number, the truth or the nothing that it stands for.
fn value_of(reading: &Reading, written: &Written, text: &str) -> Option<(Shape, String)> {
    let is = |words: &[String]| words.iter().any(|word| word == text);
    match reading {
        Reading::Integer | Reading::Number if !written.units.is_empty() => {
            Some((Shape::Number, written.quantity(text)?.notation().to_owned()))
        }
        Reading::Integer | Reading::Number => {
            Number::parse(text.trim()).map(|number| (Shape::Number, number.notation().to_owned()))
        }
        Reading::Boolean if is(&written.yes) => Some((Shape::Boolean, "true".to_owned())),
        Reading::Boolean if is(&written.no) => Some((Shape::Boolean, "false".to_owned())),
        Reading::Boolean if text == "true" || text == "false" => Some((Shape::Boolean, text.to_owned())),
        _ => None,
    }
}

/// What a scalar holds, and where that begins in the file, if it stands there as it is.
fn content(node: Node<'_>) -> (std::borrow::Cow<'_, str>, Option<usize>) {
    let text = node.text();
    let start = node.raw().find(&*text).map(|at| node.span().start as usize + at);
    (text, start)
}

/// Whether a text has nothing in it.
fn is_blank(node: Node<'_>) -> bool {
    node.shape() == Shape::Text && node.text().trim().is_empty()
}

/// In a notation in which lines have others below them, the field that holds what follows the first word of such a line.
fn name_of_lines<'n>(node: Node<'n>) -> Option<&'n str> {
    let marks = node.document().notation().text_marks().filter(|marks| marks.indents)?;
    marks.named.as_deref()
}

/// The bytes of a text without quotes and the white space around it.
fn trimmed(node: Node<'_>) -> Span {
    let raw = node.raw();
    let inner = raw.trim_matches(|c: char| c.is_whitespace() || c == '"');
    let lead = raw.find(inner).unwrap_or(0);
    let start = node.span().start as usize + lead;
    Span::new(start, start + inner.len())
}
