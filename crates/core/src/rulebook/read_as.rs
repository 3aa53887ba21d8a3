//! Reads a tree as the rulebook says: what a format without types, or with aliases, wrote becomes the
//! numbers, lists and tables that the fields' types ask for.
//!
//! A text where a number is asked for is read as one, one value where a list is asked for is a list of one,
//! an empty element where a table is asked for is an empty table, and an alias is what its anchor names.
//! What does not fit stays as it is, for the typed walk to report.

use super::pattern::PatternStep;
use super::types::{KindId, Reading, Rulebook, TableType, TypeId, Which};
use crate::document::{Document, Format, KeyAt, Node, Recast, Shape, find, float};
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
    places: &[usize],
    rulebook: &Rulebook,
    names: &Names,
) -> Option<Document> {
    read(document, Want::Cut(places.iter().map(|place| (*place, 0)).collect()), rulebook, names)
}

/// Reads a document that has a type as a whole; none if it reads as it stands.
pub(crate) fn read_whole(
    document: &Document,
    ty: Option<TypeId>,
    rulebook: &Rulebook,
    names: &Names,
) -> Option<Document> {
    read(document, ty.map_or(Want::Unknown, Want::Type), rulebook, names)
}

fn read(document: &Document, want: Want, rulebook: &Rulebook, names: &Names) -> Option<Document> {
    if !document.format().needs_reading() {
        return None;
    }
    let merge = names.get("<<").filter(|_| document.format() == Format::Yaml);
    let mut reader = Reader { rulebook, names, merge, out: Recast::new(document) };
    reader.node(document.root(), (Sym::NONE, 0), &want);
    Some(reader.out.finish())
}

struct Reader<'d, 'r> {
    rulebook: &'r Rulebook,
    names: &'r Names,
    merge: Option<Sym>,
    out: Recast<'d>,
}

impl<'d, 'r> Reader<'d, 'r> {
    fn node(&mut self, node: Node<'d>, key: KeyAt, want: &Want) {
        if node.shape() == Shape::Alias {
            let Some(target) = self.out.follow(node) else { return self.out.too_much(key, node) };
            self.out.enter();
            self.node(target, key, want);
            return self.out.leave();
        }
        match want {
            Want::Unknown => self.unknown(node, key),
            Want::Type(ty) => self.typed(node, key, *ty),
            Want::Cut(ways) => self.cut(node, key, ways),
        }
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
        if let Some((place, _)) = ways.iter().find(|way| step(way) == Some(None)) {
            let kind = rulebook.places.get(*place).and_then(|place| self.kind(&place.which, node));
            return match kind {
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
            Shape::Table | Shape::Text if has_entries && !is_blank(node) => self.one(node, key, &entries),
            Shape::Table => self.table(node, key, |reader, entry| {
                let name = entry.key().map_or("", |key| reader.names.text(key));
                let want = on(&|step| match step {
                    PatternStep::Key(key) => key == name,
                    PatternStep::Values => true,
                    _ => false,
                });
                if matches!(&want, Want::Cut(ways) if ways.is_empty()) { Want::Unknown } else { want }
            }),
            _ if is_blank(node) => self.empty(node, key, if has_entries { Shape::List } else { Shape::Table }),
            _ => self.out.leaf(key, node),
        }
    }

    fn kind(&self, which: &Which, node: Node<'_>) -> Option<KindId> {
        match which {
            Which::Always(kind) => Some(*kind),
            Which::ByField { field, words } => words.get(&*find(node, field, self.names)?.text()).copied(),
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
        match &ty.reading {
            Reading::Integer | Reading::Number if shape == Shape::Text => {
                let span = trimmed(node);
                let raw = span.of(node.document().text());
                let number = raw.starts_with(|c: char| c.is_ascii_digit() || matches!(c, '-' | '+' | '.'));
                if number && float(raw).is_some() && node.text().trim() == raw {
                    self.out.scalar(key, node, Shape::Number, span);
                } else {
                    self.out.leaf(key, node);
                }
            }
            Reading::Boolean if shape == Shape::Text && node.document().format() != Format::Yaml => {
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
                    Shape::Text if is_blank(node) => self.empty(node, key, Shape::Table),
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
                    _ => self.unknown(node, key),
                }
            }
            Reading::Map { value, .. } => match shape {
                Shape::Table => self.table(node, key, |_, _| Want::Type(*value)),
                Shape::Text if is_blank(node) => self.empty(node, key, Shape::Table),
                _ => self.unknown(node, key),
            },
            // a word without quotes is the text that the field asks for
            Reading::Text | Reading::Choice(_) | Reading::Link(_) | Reading::Parent(_) | Reading::File(_)
                if matches!(shape, Shape::Number | Shape::Boolean) && node.document().format() == Format::Yaml =>
            {
                self.out.scalar(key, node, Shape::Text, node.span());
            }
            _ => self.unknown(node, key),
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
        for entry in node.children() {
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

/// Whether a text has nothing in it.
fn is_blank(node: Node<'_>) -> bool {
    node.shape() == Shape::Text && node.text().trim().is_empty()
}

/// The bytes of a text without quotes and the white space around it.
fn trimmed(node: Node<'_>) -> Span {
    let raw = node.raw();
    let inner = raw.trim_matches(|c: char| c.is_whitespace() || c == '"');
    let lead = raw.find(inner).unwrap_or(0);
    let start = node.span().start as usize + lead;
    Span::new(start, start + inner.len())
}
