//! Checks an expression against the fields of a kind: names, functions, and what is compared with what.

use minijinja::machinery::ast::{BinOpKind, CallArg, CompareOpKind, Expr, UnaryOpKind};
use minijinja::machinery::{Span, parse_expr};
use minijinja::value::ValueKind;

use super::functions::{Sorted, named};
use super::{Each, EachFunction, ExpressionError, Field, Use};
use crate::document::{FieldPath, Step};
use crate::names::Names;
use crate::nearest::nearest;
use crate::rulebook::{KindId, Reading, Rulebook, TypeId};
use crate::said::{Said, listed, one, said};

/// What a part of an expression gives.
#[derive(Clone, PartialEq, Debug)]
pub(super) enum Sort {
    Number,
    Boolean,
    Text,
    List,
    /// A table or map of the definition, reached by this path.
    Table(TypeId, FieldPath),
    /// The definition that a field names.
    Target {
        of: FieldPath,
        kinds: Vec<KindId>,
    },
    Unknown,
}

impl Sort {
    pub(super) fn words(&self) -> &'static str {
        match self {
            Sort::Number => "a number",
            Sort::Boolean => "true or false",
            Sort::Text => "a text",
            Sort::List => "a list",
            Sort::Table(..) => "a table",
            Sort::Target { .. } => "a definition",
            Sort::Unknown => "something",
        }
    }

    fn comparable(&self, other: &Sort) -> bool {
        *self == Sort::Unknown
            || *other == Sort::Unknown
            || std::mem::discriminant(self) == std::mem::discriminant(other)
    }
}

/// What an expression must give.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Wants {
    Any,
    Truth,
    Number,
}

pub(super) struct Checker<'c> {
    pub(super) rulebook: &'c Rulebook,
    pub(super) names: &'c Names,
    pub(super) kind: KindId,
    /// The table whose fields are the variables; of an inner expression, the list's entry.
    pub(super) root: TypeId,
    /// In an inner expression, the type of the definition.
    pub(super) whole: Option<TypeId>,
    /// Whether the entry is one of a map.
    pub(super) of_map: bool,
    /// Further variables, which are numbers.
    pub(super) extra: &'c [String],
    pub(super) uses: Vec<Use>,
    /// Calls over a list's entries, by their bytes.
    pub(super) each: Vec<((usize, usize), Each)>,
    pub(super) faults: Vec<ExpressionError>,
}

impl<'c> Checker<'c> {
    pub(super) fn new(rulebook: &'c Rulebook, names: &'c Names, kind: KindId, extra: &'c [String]) -> Self {
        let root = rulebook.kind(kind).root;
        let (uses, each, faults) = (Vec::new(), Vec::new(), Vec::new());
        Checker { rulebook, names, kind, root, whole: None, of_map: false, extra, uses, each, faults }
    }

    /// Checks a source, and what it gives.
    pub(super) fn check(&mut self, source: &str, wants: Wants) {
        let expr = match parse_expr(source) {
            Ok(expr) => expr,
            Err(error) => {
                let range = error.range().map_or((0, source.len()), |range| (range.start, range.end));
                let detail = error.detail().unwrap_or("it cannot be read").to_owned();
                let message = said!("`{source}` is no expression: {detail}", source, detail);
                let help = super::slips::compared(source)
                    .map(|right| said!("`=` compares nothing; `==` does: `{nearest}`", nearest = right));
                let quoted = || "a name that is no plain word is written `this['max-crew']`".into();
                let help = help.or_else(|| source.contains('`').then(quoted));
                self.faults.push(ExpressionError { message, help, range, unknown_field: false });
                return;
            }
        };
        let sort = self.sort(&expr, false);
        let deciding = conjuncts(&expr);
        for (range, call) in &mut self.each {
            call.decides = deciding.contains(range);
        }
        match wants {
            Wants::Truth if !matches!(sort, Sort::Boolean | Sort::Unknown) => {
                let message = said!("this gives {words}, where true or false is needed", words = sort.words());
                self.fault(expr.span(), message, None);
            }
            Wants::Number if !matches!(sort, Sort::Number | Sort::Unknown) => {
                let message = said!("this gives {words}, where a number is needed", words = sort.words());
                self.fault(expr.span(), message, None);
            }
            _ => {}
        }
    }

    pub(super) fn fault(&mut self, span: Span, message: impl Into<Said>, help: Option<Said>) {
        let range = (span.start_offset as usize, span.end_offset as usize);
        self.faults.push(ExpressionError { message: message.into(), help, range, unknown_field: false });
    }

    fn of_type(&self, ty: TypeId, path: &FieldPath) -> Sort {
        match &self.rulebook.field_type(ty).reading {
            Reading::Integer | Reading::Number => Sort::Number,
            Reading::Boolean => Sort::Boolean,
            Reading::Text | Reading::Choice(_) | Reading::Link(_) | Reading::Parent(_) | Reading::File(_) => Sort::Text,
            Reading::Key(_) | Reading::Path(_) | Reading::Word { .. } => Sort::Text,
            Reading::Flags(_) | Reading::List(_) | Reading::Tuple { .. } => Sort::List,
            Reading::Table(_) | Reading::Map { .. } | Reading::Choose { .. } => Sort::Table(ty, path.clone()),
            Reading::Any | Reading::Formula { .. } | Reading::Either { .. } => Sort::Unknown,
        }
    }

    fn used(&mut self, path: FieldPath, asked: bool) {
        let new = Use::Field { field: self.looked_up(path), asked };
        if !self.uses.contains(&new) {
            self.uses.push(new);
        }
    }

    pub(super) fn looked_up(&self, path: FieldPath) -> Field {
        let keys: Vec<&str> = path
            .steps()
            .iter()
            .filter_map(|step| match step {
                Step::Key(key) => Some(key.as_str()),
                _ => None,
            })
            .collect();
        Field {
            keys: keys.iter().map(|key| self.names.intern(key)).collect(),
            ty: self.type_of(&path),
            name: keys.first().copied().unwrap_or("").into(),
            path,
        }
    }

    pub(super) fn type_of(&self, path: &FieldPath) -> Option<TypeId> {
        match (self.whole, path.steps()) {
            (Some(whole), [Step::Key(first), ..]) if first == "whole" => {
                self.rulebook.type_at(whole, &path.skip(1), self.names).ok()
            }
            (Some(_), [Step::Key(first), ..]) if first == "entry" && self.single_entry() => {
                self.rulebook.type_at(self.root, &path.skip(1), self.names).ok()
            }
            _ => self.rulebook.type_at(self.root, path, self.names).ok(),
        }
    }

    /// `value`: whether the value itself is read here, not only a part of it.
    fn field(&mut self, table: TypeId, above: &FieldPath, key: &str, span: Span, asked: bool, value: bool) -> Sort {
        let path = above.with(Step::Key(key.to_owned()));
        let step = FieldPath::key(key);
        match self.rulebook.type_at(table, &step, self.names) {
            Ok(ty) => {
                if value {
                    self.used(path.clone(), asked);
                }
                // what the cases of a table take differently is of no one sort
                let all = self.rulebook.types_at(table, &step, self.names);
                let sort = self.of_type(ty, &path);
                let same = all
                    .iter()
                    .all(|other| std::mem::discriminant(&self.of_type(*other, &path)) == std::mem::discriminant(&sort));
                if same { sort } else { Sort::Unknown }
            }
            Err(_) => {
                let open = self.rulebook.tables_of(table).any(|table| table.open);
                // of a name with a hyphen only the first part was read
                if open && longer_name(self, table, key).is_none() {
                    if value {
                        self.used(path, asked);
                    }
                    return Sort::Unknown;
                }
                self.unknown(table, key, span);
                Sort::Unknown
            }
        }
    }

    fn unknown(&mut self, table: TypeId, key: &str, span: Span) {
        let kind = self.rulebook.kind(self.kind).name();
        let mut known = field_names(self, table);
        if table == self.root {
            known.extend(["id", "kind", "this", "whole"]);
            known.extend(self.extra.iter().map(String::as_str));
        }
        let near = nearest(key, known);
        let place = match self.rulebook.field_type(table).pattern.as_str() {
            "" => said!("{kind}", kind = one(kind)),
            pattern => said!("`{table}`", table = pattern),
        };
        // a name that is no word of the language
        let help = longer_name(self, table, key)
            .map(|name| said!("a name that is no plain word is written `this['{name}']`", name));
        // the other parts of it say no more
        if help.is_some() && self.faults.iter().any(|fault| fault.help == help) {
            return;
        }
        let help = help.or_else(|| near.map(|near| said!("the nearest known field is `{nearest}`", nearest = near)));
        self.fault(span, said!("{place} has no field `{field}`", place, field = key), help);
        if let Some(fault) = self.faults.last_mut() {
            fault.unknown_field = true;
        }
    }

    fn args(&mut self, args: &[CallArg<'_>], asked: bool) -> Vec<Sort> {
        args.iter()
            .map(|arg| match arg {
                CallArg::Pos(expr) | CallArg::Kwarg(_, expr) | CallArg::PosSplat(expr) | CallArg::KwargSplat(expr) => {
                    self.sort(expr, asked)
                }
            })
            .collect()
    }

    fn number(&mut self, expr: &Expr<'_>, asked: bool) {
        let sort = self.sort(expr, asked);
        if !matches!(sort, Sort::Number | Sort::Unknown) {
            self.fault(expr.span(), said!("this is {words}, where a number is needed", words = sort.words()), None);
        }
    }

    fn compare(&mut self, left: (&Sort, Span), right: (&Sort, Span)) {
        if !left.0.comparable(right.0) {
            let message = said!(
                "{left} is compared with {right}, which never means anything",
                left = left.0.words(),
                right = right.0.words()
            );
            let help = match (left.0, right.0) {
                (Sort::List, _) | (_, Sort::List) => {
                    Some("`x in list` asks whether a list holds x; `list|length` is its length".into())
                }
                _ => None,
            };
            let span = Span { end_offset: right.1.end_offset, ..left.1 };
            self.fault(span, message, help);
        }
    }

    /// `x in y`: y is a list, a map with such a key, or a text of which x is a piece.
    fn within(&mut self, piece: &Sort, container: (&Sort, Span)) {
        let fits = match container.0 {
            Sort::List | Sort::Unknown | Sort::Table(..) => true,
            Sort::Text => matches!(piece, Sort::Text | Sort::Unknown),
            _ => false,
        };
        if !fits {
            let message = said!("behind `in` stands {words}, where a list is needed", words = container.0.words());
            self.fault(container.1, message, None);
        }
    }

    fn known(&mut self, word: &str, known: &[&str], what: &str, span: Span) {
        if !known.contains(&word) {
            let near = nearest(word, known.iter().copied());
            let help = near.map_or_else(
                || said!("known are {known}", known = listed(known)),
                |near| said!("the nearest known one is `{nearest}`", nearest = near),
            );
            self.fault(span, said!("there is no {what} `{word}`", what, word), Some(help));
        }
    }

    /// The sort of an expression. `asked`: it stands where absence is asked for.
    pub(super) fn sort(&mut self, expr: &Expr<'_>, asked: bool) -> Sort {
        self.sort_of(expr, asked, true)
    }

    pub(super) fn sort_of(&mut self, expr: &Expr<'_>, asked: bool, value: bool) -> Sort {
        let span = expr.span();
        match expr {
            Expr::Var(var) => match var.id {
                "id" if self.names.get("id").is_none_or(|id| self.lacks(id)) => {
                    self.uses.push(Use::Id);
                    Sort::Text
                }
                "kind" if self.names.get("kind").is_none_or(|kind| self.lacks(kind)) => {
                    self.uses.push(Use::Kind);
                    Sort::Text
                }
                "whole" if self.whole.is_some() => {
                    Sort::Table(self.whole.unwrap_or(self.root), FieldPath::key("whole"))
                }
                word if self.is_this(word) => {
                    self.uses.push(Use::This);
                    Sort::Table(self.root, FieldPath::default())
                }
                "key" if self.of_map => {
                    self.uses.push(Use::EntryKey);
                    Sort::Text
                }
                "key" if self.whole.is_none() && self.lacks_named("key") => {
                    self.uses.push(Use::OwnKey);
                    Sort::Text
                }
                "entry" if self.whole.is_some() && self.single_entry() => {
                    self.used(FieldPath::key("entry"), asked);
                    self.of_type(self.root, &FieldPath::key("entry"))
                }
                key if self.extra.iter().any(|name| name == key) => Sort::Number,
                key => self.field(self.root, &FieldPath::default(), key, span, asked, value),
            },
            Expr::GetAttr(attr) => self.attribute(&attr.expr, attr.name, span, asked, value),
            Expr::GetItem(item) => {
                if let Expr::Const(key) = &item.subscript_expr
                    && let Some(key) = key.value.as_str()
                {
                    return self.attribute(&item.expr, key, span, asked, value);
                }
                self.sort(&item.expr, asked);
                self.sort(&item.subscript_expr, asked);
                // a tuple's places have types of their own
                if let (Expr::Const(at), Some(path)) = (&item.subscript_expr, self.path(&item.expr))
                    && let Some(at) = at.value.as_usize()
                    && let Some(ty) = self.type_of(&path)
                    && let Reading::Tuple { places, .. } = &self.rulebook.field_type(ty).reading
                {
                    return match places.get(at) {
                        Some(place) => self.of_type(*place, &path.with(Step::Index(at))),
                        None => {
                            let message =
                                said!("`{field}` has only {count} places", field = path, count = places.len());
                            self.fault(span, message, None);
                            Sort::Unknown
                        }
                    };
                }
                Sort::Unknown
            }
            Expr::Const(constant) => match constant.value.kind() {
                ValueKind::Number => Sort::Number,
                ValueKind::Bool => Sort::Boolean,
                ValueKind::String => Sort::Text,
                ValueKind::Seq => Sort::List,
                _ => Sort::Unknown,
            },
            Expr::UnaryOp(op) => match op.op {
                UnaryOpKind::Not => {
                    self.sort(&op.expr, asked);
                    Sort::Boolean
                }
                UnaryOpKind::Neg => {
                    self.number(&op.expr, asked);
                    Sort::Number
                }
            },
            Expr::BinOp(op) => match op.op {
                BinOpKind::ScAnd | BinOpKind::ScOr => {
                    let left = self.sort(&op.left, asked);
                    let right = self.sort(&op.right, asked);
                    if left == right { left } else { Sort::Unknown }
                }
                BinOpKind::Eq | BinOpKind::Ne | BinOpKind::Lt | BinOpKind::Lte | BinOpKind::Gt | BinOpKind::Gte => {
                    let left = self.sort(&op.left, asked);
                    let right = self.sort(&op.right, asked);
                    self.compare((&left, op.left.span()), (&right, op.right.span()));
                    Sort::Boolean
                }
                BinOpKind::In => {
                    let left = self.sort(&op.left, asked);
                    let right = self.sort(&op.right, asked);
                    self.within(&left, (&right, op.right.span()));
                    Sort::Boolean
                }
                BinOpKind::Concat => {
                    self.sort(&op.left, asked);
                    self.sort(&op.right, asked);
                    Sort::Text
                }
                _ => {
                    self.number(&op.left, asked);
                    self.number(&op.right, asked);
                    Sort::Number
                }
            },
            Expr::Compare(compare) => {
                let mut left = (self.sort(&compare.expr, asked), compare.expr.span());
                for op in &compare.ops {
                    let right = (self.sort(&op.expr, asked), op.expr.span());
                    match op.op {
                        CompareOpKind::In | CompareOpKind::NotIn => self.within(&left.0, (&right.0, right.1)),
                        _ => self.compare((&left.0, left.1), (&right.0, right.1)),
                    }
                    left = right;
                }
                Sort::Boolean
            }
            Expr::IfExpr(choice) => {
                self.sort(&choice.test_expr, asked);
                let yes = self.sort(&choice.true_expr, asked);
                let no = choice.false_expr.as_ref().map(|no| self.sort(no, asked));
                if no.as_ref() == Some(&yes) { yes } else { Sort::Unknown }
            }
            Expr::Filter(filter) => {
                self.known(filter.name, &named(Sorted::Filter), "filter", span);
                let asks = asked || matches!(filter.name, "default" | "d");
                let sort = filter.expr.as_ref().map_or(Sort::Unknown, |expr| self.sort(expr, asks));
                self.args(&filter.args, asked);
                match filter.name {
                    "abs" | "count" | "float" | "int" | "length" | "round" | "sum" => Sort::Number,
                    "join" | "lower" | "upper" => Sort::Text,
                    "default" | "d" => sort,
                    "list" | "sort" | "unique" => Sort::List,
                    _ => Sort::Unknown,
                }
            }
            Expr::Test(test) => {
                self.known(test.name, &named(Sorted::Test), "test", span);
                let asks = asked || matches!(test.name, "defined" | "undefined" | "empty");
                self.sort(&test.expr, asks);
                self.args(&test.args, asked);
                Sort::Boolean
            }
            Expr::Call(call) => {
                let Expr::Var(function) = &call.expr else {
                    let help = match &call.expr {
                        Expr::GetAttr(attr) if attr.name.contains("start") => {
                            Some("`name is startingwith('a')` asks for a beginning".into())
                        }
                        Expr::GetAttr(attr) if attr.name.contains("end") => {
                            Some("`name is endingwith('a')` asks for an ending".into())
                        }
                        _ => None,
                    };
                    self.fault(span, "only functions are called, as in `ceil(x)`".to_owned(), help);
                    return Sort::Unknown;
                };
                self.known(function.id, &named(Sorted::Function), "function", span);
                if function.id == "ref" {
                    return self.target(&call.args, span, asked);
                }
                if let Some(function) = EachFunction::named(function.id) {
                    return self.each(function, &call.args, span, asked);
                }
                self.args(&call.args, asked);
                Sort::Number
            }
            Expr::List(list) => {
                for item in &list.items {
                    self.sort(item, asked);
                }
                Sort::List
            }
            Expr::Tuple(_) | Expr::Map(_) | Expr::Slice(_) => {
                let help = matches!(expr, Expr::Slice(_))
                    .then(|| "`name is startingwith('a')` asks for a beginning, `'a' in name` for a piece".into());
                self.fault(span, "tuples, maps and slices are not part of the language".to_owned(), help);
                Sort::Unknown
            }
        }
    }

    fn lacks(&self, key: crate::names::Sym) -> bool {
        !self.rulebook.tables_of(self.root).any(|table| table.get(key).is_some())
    }

    /// Whether nothing that the variables are about is called so.
    fn lacks_named(&self, key: &str) -> bool {
        self.names.get(key).is_none_or(|key| self.lacks(key))
    }

    /// Whether a word is the table of all fields: `this`, and `whole` outside of calls over lists.
    fn is_this(&self, word: &str) -> bool {
        (word == "this" || (word == "whole" && self.whole.is_none())) && self.lacks_named(word)
    }

    /// The path of the field that an expression is, without `this`.
    pub(super) fn path(&self, expr: &Expr<'_>) -> Option<FieldPath> {
        let path = path_of(expr)?;
        let is_this = matches!(path.steps(), [Step::Key(first), _, ..] if self.is_this(first));
        Some(if is_this { path.skip(1) } else { path })
    }

    /// Whether the entries that an inner expression is about are single values.
    fn single_entry(&self) -> bool {
        !self.rulebook.holds_tables(self.root)
    }

    fn attribute(&mut self, of: &Expr<'_>, name: &str, span: Span, asked: bool, value: bool) -> Sort {
        match self.sort_of(of, asked, false) {
            Sort::Table(ty, path) => self.field(ty, &path, name, span, asked, value),
            Sort::Target { of, kinds } => {
                let field = FieldPath::key(name);
                let mut sorts = Vec::new();
                for kind in &kinds {
                    let root = self.rulebook.kind(*kind).root;
                    if let Ok(ty) = self.rulebook.type_at(root, &field, self.names) {
                        sorts.push(self.of_type(ty, &field));
                    }
                }
                if sorts.is_empty() {
                    let kind = kinds.first().copied().unwrap_or(self.kind);
                    let own = (self.kind, self.root);
                    (self.kind, self.root) = (kind, self.rulebook.kind(kind).root);
                    self.unknown(self.root, name, span);
                    (self.kind, self.root) = own;
                }
                let of = self.looked_up(of);
                self.uses.push(Use::Ref { of, kinds, field, asked });
                match sorts.first() {
                    Some(Sort::Table(..)) | None => Sort::Unknown,
                    Some(sort) => sort.clone(),
                }
            }
            Sort::Unknown => Sort::Unknown,
            sort => {
                self.fault(span, said!("{words} has no field `{name}`", words = sort.words(), name), None);
                Sort::Unknown
            }
        }
    }

    pub(super) fn target(&mut self, args: &[CallArg<'_>], span: Span, asked: bool) -> Sort {
        let [CallArg::Pos(arg)] = args else {
            self.fault(span, "`ref` takes one field, as in `ref(at).name`".to_owned(), None);
            return Sort::Unknown;
        };
        let sort = self.sort(arg, asked);
        let path = self.path(arg);
        let ty = path.as_ref().and_then(|path| self.type_of(path));
        match (path, ty.map(|ty| &self.rulebook.field_type(ty).reading)) {
            (Some(of), Some(Reading::Link(kinds))) => Sort::Target { of, kinds: kinds.clone() },
            (Some(of), Some(Reading::Parent(kind))) => Sort::Target { of, kinds: self.rulebook.parent_kinds(*kind) },
            _ => {
                let what = sort.words();
                self.fault(span, said!("`ref` takes a field that names a definition, not {what}", what), None);
                Sort::Unknown
            }
        }
    }
}

pub(super) fn path_of(expr: &Expr<'_>) -> Option<FieldPath> {
    match expr {
        Expr::Var(var) => Some(FieldPath::key(var.id)),
        Expr::GetAttr(attr) => Some(path_of(&attr.expr)?.with(Step::Key(attr.name.to_owned()))),
        Expr::GetItem(item) => {
            let Expr::Const(at) = &item.subscript_expr else { return None };
            let step = match (at.value.as_str(), at.value.as_usize()) {
                (Some(key), _) => Step::Key(key.to_owned()),
                (None, Some(nth)) => Step::Index(nth),
                (None, None) => return None,
            };
            Some(path_of(&item.expr)?.with(step))
        }
        _ => None,
    }
}

/// The names of a table's fields.
fn field_names<'n>(checker: &Checker<'n>, table: TypeId) -> Vec<&'n str> {
    let tables = checker.rulebook.tables_of(table).flat_map(|table| &table.fields);
    tables.map(|(name, _)| checker.names.text(*name)).collect()
}

/// A field whose name begins with a word and goes on with what is none.
fn longer_name<'n>(checker: &Checker<'n>, table: TypeId, key: &str) -> Option<&'n str> {
    let parts = ['-', ' ', '.', ':', '/'];
    let has = |name: &&str| name.contains(parts) && name.split(parts).any(|part| part == key);
    field_names(checker, table).into_iter().find(has)
}

/// The bytes of the parts of an expression of which one is false where it does not hold.
fn conjuncts(expr: &Expr<'_>) -> Vec<(usize, usize)> {
    match expr {
        Expr::BinOp(op) if matches!(op.op, BinOpKind::ScAnd | BinOpKind::ScOr) => {
            [conjuncts(&op.left), conjuncts(&op.right)].concat()
        }
        other => vec![(other.span().start_offset as usize, other.span().end_offset as usize)],
    }
}
