//! Amendment files: partial changes to definitions of lower layers, in Cognomen's own notation.

use rust_decimal::Decimal;

use super::CodedFault;
use super::harvest::{AMENDMENT, Harvest};
use crate::document::{Document, FieldPath, Node, NodeId, Shape, Step};
use crate::names::Names;
use crate::nearest::{near, nearest};
use crate::own::{self, Key, OwnFault, Reading as OwnReading, Table, Takes};
use crate::rulebook::{KindId, ListShape, Reading, Rulebook, TypeId, Walk};
use crate::said::{Said, said};
use crate::source::Place;

const fn key(name: &'static str, takes: Takes, about: &'static str) -> Key {
    Key { name, takes, needed: false, about }
}

static TOP: Table = Table {
    path: "amendments",
    about: "Amendments stand in the folder `amendments` of a mod, in TOML or JSON files. `build` turns them into what the game reads. They apply in the order of the files' names, then in the order written.",
    keys: &[
        key("amendments", Takes::Integer, "The number of this format: 1."),
        key("amend", Takes::Tables, "The amendments."),
    ],
    example: "amendments = 1\n\n[[amend]]\nof = \"good/salt\"\nset = { price = 12 }\n",
};

static AMEND: Table = Table {
    path: "amend",
    about: "One amendment. It says what it changes (`of` or `each`) and how. Paths are field paths as in commands: `price`, `wear.rain`, `parts[what=salt].many`. In `set`, nested tables and dotted paths are the same. One path stands under one operation only, but for `remove` followed by `add` on one list.",
    keys: &[
        key("of", Takes::Text, "The address of the definition: `kind/id`."),
        key(
            "each",
            Takes::Table,
            "Instead of `of`: `kind`, and `where`, an expression. All definitions of the kind that other layers define and for which it holds are changed. It is tried once, on what lies below this mod, before any of its own amendments.",
        ),
        key("set", Takes::Table, "Paths and their new values."),
        key("replace", Takes::Table, "Paths of tables or lists that are replaced as a whole."),
        key(
            "unset",
            Takes::Texts,
            "Paths whose stated value is taken back, so that the inherited or default value shows.",
        ),
        key("add", Takes::Table, "Paths of lists, and the entries that are put into them."),
        key("remove", Takes::Table, "Paths of lists, and the entries that are taken out; of keyed lists, their keys."),
        key(
            "multiply",
            Takes::Table,
            "Paths of numbers, and factors. Whole numbers are rounded once, at the end, halves away from zero.",
        ),
        key("shift", Takes::Table, "Paths of numbers, and what is added to them."),
        key("why", Takes::Text, "The reason, for people."),
    ],
    example: "[[amend]]\neach = { kind = \"good\", where = \"'dry' in marks\" }\nmultiply = { price = 1.5 }\nadd = { marks = [\"dear\"] }\nremove = { parts = [\"reed\"] }\nwhy = \"A wet summer.\"\n",
};

static WHICH: Table = Table {
    path: "amend.each",
    about: "",
    keys: &[
        Key { name: "kind", takes: Takes::Text, needed: true, about: "The kind." },
        Key { name: "where", takes: Takes::Text, needed: false, about: "An expression; without it, all of the kind." },
    ],
    example: "",
};

/// The keys of amendment files, as Markdown.
pub fn amendments_reference() -> String {
    let mut out = format!("{}\n\n{}\n\n| key | takes | meaning |\n|---|---|---|\n", TOP.about, AMEND.about);
    for key in AMEND.keys {
        out.push_str(&format!("| `{}` | {} | {} |\n", key.name, key.takes.words(), key.about));
    }
    out.push_str(&format!("\n```toml\n{}\n{}```\n", TOP.example, AMEND.example));
    out
}

/// What an operation does.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum OpKind {
    Set,
    Replace,
    Unset,
    Add,
    Remove,
    Multiply,
    Shift,
}

impl OpKind {
    pub(crate) fn word(self) -> &'static str {
        match self {
            OpKind::Set => "set",
            OpKind::Replace => "replace",
            OpKind::Unset => "unset",
            OpKind::Add => "add",
            OpKind::Remove => "remove",
            OpKind::Multiply => "multiply",
            OpKind::Shift => "shift",
        }
    }
}

/// One operation on one path.
#[derive(Clone, Debug)]
pub(crate) struct Op {
    pub(crate) kind: OpKind,
    pub(crate) path: FieldPath,
    pub(crate) ty: TypeId,
    /// The value's node in the amendment file; of `unset`, the path's.
    pub(crate) value: NodeId,
}

impl Op {
    /// The number that `multiply` or `shift` calculates with; of a quantity that is added, in the field's main unit.
    pub(crate) fn by(&self, rulebook: &Rulebook, value: Node<'_>) -> Option<Decimal> {
        if value.shape() == Shape::Number {
            return crate::document::decimal(value.raw());
        }
        let written = rulebook.field_type(self.ty).written.as_ref();
        written.filter(|_| self.kind == OpKind::Shift)?.quantity(&value.text())?.decimal()
    }
}

/// Which definitions an amendment changes.
#[derive(Clone, Debug)]
pub(crate) enum Target {
    Of { id: String },
    Which { condition: Option<(String, Place)> },
}

/// One amendment.
#[derive(Clone, Debug)]
pub(crate) struct Amendment {
    pub(crate) node: NodeId,
    /// Where the target is named.
    pub(crate) target_place: Place,
    pub(crate) kind: KindId,
    pub(crate) target: Target,
    pub(crate) ops: Vec<Op>,
    pub(crate) why: Option<String>,
}

/// Reads an amendment file. Amendments with faults are left out as a whole.
pub(super) fn read_amendments(document: &Document, rulebook: &Rulebook, names: &Names, harvest: &mut Harvest) {
    if document.is_broken() {
        return;
    }
    let mut faults = Vec::new();
    let good = own::format_number(document, "amendments", names, &mut faults);
    let top = OwnReading::new(document.root(), &TOP, names, &mut faults);
    let mut walk = Walk::new(rulebook);
    let list = top.get("amend").filter(|node| good && node.shape() == Shape::List);
    for node in list.into_iter().flat_map(|list| list.children()).filter(|node| node.shape() == Shape::Table) {
        let mut reader =
            Reader { rulebook, names, faults: &mut faults, coded: &mut harvest.own_faults, walk: &mut walk };
        reader.walk.from = AMENDMENT | crate::source::to_u32(harvest.amendments.len());
        let (before, coded) = (reader.faults.len(), reader.coded.len());
        let amendment = reader.amendment(node);
        let sound = reader.faults.len() == before && reader.coded.len() == coded;
        harvest.amendments.extend(amendment.filter(|_| sound));
    }
    let coded = faults.into_iter().map(|fault| CodedFault { code: "amendment-fault", fault });
    harvest.own_faults.extend(coded);
    harvest.brought.append(&mut walk.brought);
    (harvest.mentions, harvest.faults) = (walk.mentions, walk.faults);
}

struct Reader<'a, 'r> {
    rulebook: &'r Rulebook,
    names: &'a Names,
    faults: &'a mut Vec<OwnFault>,
    coded: &'a mut Vec<CodedFault>,
    walk: &'a mut Walk<'r>,
}

impl Reader<'_, '_> {
    fn fault(&mut self, place: Place, message: impl Into<Said>, help: Option<Said>) {
        self.faults.push(own::fault(place, message).help(help));
    }

    fn kind(&mut self, word: &str, place: Place) -> Option<KindId> {
        let kind = self.rulebook.kind_named(word);
        if kind.is_none() {
            let near = nearest(word, self.rulebook.kinds().map(|(_, kind)| kind.name()));
            let help = near.map(|near| said!("the nearest known kind is `{nearest}`", nearest = near));
            self.fault(place, said!("there is no kind `{word}`", word), help);
        }
        kind
    }

    fn amendment(&mut self, node: Node<'_>) -> Option<Amendment> {
        let table = OwnReading::new(node, &AMEND, self.names, self.faults);
        let (kind, target, target_place) = match (table.get("of"), table.get("each")) {
            (Some(of), None) => {
                let text = table.text("of")?;
                let Some((kind, id)) = text.split_once('/') else {
                    let help = "an address is written `kind/id`".into();
                    self.fault(of.place(), said!("`{text}` is no address", text), Some(help));
                    return None;
                };
                (self.kind(kind, of.place())?, Target::Of { id: id.to_owned() }, of.place())
            }
            (None, Some(which)) if which.shape() == Shape::Table => {
                let inner = OwnReading::new(which, &WHICH, self.names, self.faults);
                let kind = self.kind(&inner.text("kind")?, inner.get("kind")?.place())?;
                let condition = inner.text("where").zip(inner.get("where").map(Node::place));
                (kind, Target::Which { condition }, which.place())
            }
            (None, Some(_)) => return None,
            _ => {
                let place = Place { file: node.document().file(), span: own::first_line(node) };
                self.fault(place, "an amendment says either `of` or `each`".to_owned(), None);
                return None;
            }
        };
        let root = self.rulebook.kind(kind).root;
        let mut ops = Vec::new();
        for (name, op) in [
            ("set", OpKind::Set),
            ("replace", OpKind::Replace),
            ("remove", OpKind::Remove),
            ("add", OpKind::Add),
            ("multiply", OpKind::Multiply),
            ("shift", OpKind::Shift),
        ] {
            let Some(entries) = table.get(name).filter(|node| node.shape() == Shape::Table) else { continue };
            for entry in entries.children() {
                let word = entry.key().map_or("", |key| self.names.text(key)).to_owned();
                let place = Place { file: entry.document().file(), span: entry.key_span() };
                self.entry(op, &word, place, entry, (root, &FieldPath::default()), &mut ops);
            }
        }
        for (word, node) in table.texts("unset") {
            self.entry(OpKind::Unset, &word, node.place(), node, (root, &FieldPath::default()), &mut ops);
        }
        self.once(&ops, node);
        if ops.is_empty() && self.faults.is_empty() && self.coded.is_empty() {
            let help = "say what changes under `set`, `add`, `remove`, `multiply`, `shift`, `unset` or `replace`";
            self.fault(target_place, "this amendment changes nothing".to_owned(), Some(help.into()));
        }
        Some(Amendment { node: node.id(), target_place, kind, target, ops, why: table.text("why") })
    }

    /// One path under one operation only, `remove` and `add` on one list excepted.
    fn once(&mut self, ops: &[Op], node: Node<'_>) {
        for (at, op) in ops.iter().enumerate() {
            let other = ops.iter().take(at).find(|other| {
                let list = other.kind == OpKind::Remove && op.kind == OpKind::Add;
                other.path == op.path && !list
            });
            if let Some(other) = other {
                let place = node.document().node(op.value).place();
                let message = said!(
                    "`{field}` stands under `{word}` and under `{other}`",
                    field = op.path,
                    word = other.kind.word(),
                    other = op.kind.word()
                );
                let help = "what is to happen in order goes into several amendments".into();
                self.fault(place, message, Some(help));
            }
        }
    }

    /// One entry of an operation: a path and a value; in `set`, nested tables are longer paths.
    fn entry(
        &mut self,
        op: OpKind,
        word: &str,
        place: Place,
        value: Node<'_>,
        above: (TypeId, &FieldPath),
        ops: &mut Vec<Op>,
    ) {
        let (root, prefix) = above;
        let relative = match FieldPath::parse(word) {
            Ok(path) => path,
            Err(error) => return self.fault(place, error.to_string(), None),
        };
        let ty = match self.rulebook.type_or_any(root, &relative, self.names) {
            Ok(ty) => ty,
            Err((table, at)) => return self.unknown(table, &relative, at, place),
        };
        if let Some((message, help)) = self.rulebook.not_an_entry(root, &relative, self.names) {
            self.fault(place, message, help.map(Said::from));
        }
        let path = prefix.join(&self.rulebook.with_all_keys(root, &relative, self.names));
        let reading = &self.rulebook.field_type(ty).reading;
        if op == OpKind::Set
            && value.shape() == Shape::Table
            && matches!(reading, Reading::Table(_) | Reading::Map { .. })
        {
            for entry in value.children() {
                let word = entry.key().map_or("", |key| self.names.text(key)).to_owned();
                // keys of maps are taken as they are, not as paths
                let word = match reading {
                    Reading::Map { .. } => FieldPath::key(&word).to_string(),
                    _ => word,
                };
                let place = Place { file: entry.document().file(), span: entry.key_span() };
                self.entry(op, &word, place, entry, (ty, &path), ops);
            }
            return;
        }
        let cases = self.rulebook.types_at(root, &relative, self.names);
        self.value(op, (ty, if cases.len() > 1 { &cases } else { &[] }), value, place);
        ops.push(Op { kind: op, path, ty, value: value.id() });
    }

    fn unknown(&mut self, table: TypeId, path: &FieldPath, at: usize, place: Place) {
        let ty = self.rulebook.field_type(table);
        let mut instead = None;
        let (message, help) = match (&ty.reading, path.steps().get(at)) {
            (Reading::Table(table), Some(Step::Key(key))) => {
                let known: Vec<&str> = table.fields.iter().map(|(name, _)| self.names.text(*name)).collect();
                let near = near(key, known.iter().copied());
                let help = near.map(|near| said!("the nearest known field is `{nearest}`", nearest = near.word));
                instead = near.and_then(|near| near.instead_of(key));
                (said!("there is no field `{field}` here", field = key), help)
            }
            (Reading::List(list), Some(Step::Key(_))) => {
                let help = self.rulebook.entry_meant(list, path, at, self.names);
                (said!("`{field}` is a list", field = ty.pattern), Some(Said::from(help)))
            }
            _ => (
                said!(
                    "`{path}` leads into `{field}`, which is {wanted}",
                    path,
                    field = ty.pattern,
                    wanted = self.rulebook.describe(table)
                ),
                None,
            ),
        };
        let fault = own::fault(place, message).help(help).instead(instead);
        self.coded.push(CodedFault { code: "field-not-known", fault });
    }

    /// The value fits the operation and the type.
    fn value(&mut self, op: OpKind, (ty, cases): (TypeId, &[TypeId]), value: Node<'_>, place: Place) {
        let rulebook = self.rulebook;
        let field = rulebook.field_type(ty);
        match op {
            OpKind::Set | OpKind::Replace => {
                // which case counts only shows in what is amended: what fits one of them fits
                let fits = |ty: &&TypeId| {
                    let mut walk = Walk::new(rulebook);
                    walk.value(value, **ty);
                    walk.faults.is_empty()
                };
                self.walk.value(value, *cases.iter().find(fits).unwrap_or(&ty));
            }
            OpKind::Unset => {}
            OpKind::Add | OpKind::Remove => {
                let items: Vec<Node<'_>> = match value.shape() {
                    Shape::List => value.children().collect(),
                    _ => vec![value],
                };
                match &field.reading {
                    Reading::List(list) if op == OpKind::Add => {
                        for item in items {
                            self.walk.value(item, list.entry);
                        }
                    }
                    Reading::List(list) if list.shape == ListShape::Sequence => {
                        let help = "say the whole list with `set`".into();
                        let message = "entries of a sequence cannot be removed one by one: order counts";
                        self.fault(place, message, Some(help));
                    }
                    Reading::List(_) => {}
                    Reading::Flags(words) => {
                        for item in items {
                            if !words.set.contains(&*item.text()) {
                                self.walk.value(value, ty);
                                return;
                            }
                        }
                    }
                    _ => {
                        let what = rulebook.describe(ty);
                        let message = said!(
                            "`{word}` is for lists; `{field}` is {wanted}",
                            word = op.word(),
                            field = field.pattern,
                            wanted = what
                        );
                        self.fault(place, message, Some("use `set`".into()));
                    }
                }
            }
            OpKind::Multiply | OpKind::Shift => {
                if !field.is_number() {
                    let what = rulebook.describe(ty);
                    let message = said!(
                        "`{word}` is for numbers; `{field}` is {wanted}",
                        word = op.word(),
                        field = field.pattern,
                        wanted = what
                    );
                    self.fault(place, message, Some("use `set`".into()));
                    return;
                }
                let quantity =
                    field.written.as_ref().filter(|written| op == OpKind::Shift && !written.units.is_empty());
                match (value.shape(), quantity) {
                    (Shape::Number, _) if crate::document::decimal(value.raw()).is_some() => {}
                    (Shape::Text, Some(written)) if written.quantity(&value.text()).is_some() => {}
                    (Shape::Text, Some(_)) => self.walk.value(value, ty),
                    _ => self.fault(value.place(), said!("`{word}` takes a number", word = op.word()), None),
                }
            }
        }
    }
}
