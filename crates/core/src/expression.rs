//! The expression language of rules, filters and conditions: Jinja's expressions, evaluated by `minijinja`.
//!
//! Names, functions and the sorts of what is compared are checked when an expression is loaded, so that a
//! slip is found then and not at the first definition that happens to reach it.

mod evaluate;
mod functions;
mod lists;
mod slips;
mod sorts;
mod zero;

use std::sync::Arc;

use crate::document::FieldPath;
use crate::names::Sym;
use crate::rulebook::{KindId, TypeId};
use crate::said::Said;

pub(crate) use evaluate::{Entry, Outcome, Scope, to_decimal, told};
pub use functions::expressions_reference;
pub(crate) use zero::divided_by_zero;

/// Why an expression cannot be used.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("{message}{}", .help.as_ref().map(|help| format!(" ({help})")).unwrap_or_default())]
pub struct ExpressionError {
    /// What is wrong.
    pub message: Said,
    /// The nearest right answer.
    pub help: Option<Said>,
    /// Bytes of the expression.
    pub range: (usize, usize),
    /// Whether it is about a field that this kind does not have.
    pub unknown_field: bool,
}

/// Whether an expression has a word in quotation marks.
pub(crate) fn quotes(text: &str, word: &str) -> bool {
    ['\'', '"'].into_iter().any(|mark| text.contains(&format!("{mark}{word}{mark}")))
}

/// A field, looked up beforehand.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Field {
    pub(crate) path: FieldPath,
    /// The path as symbols.
    pub(crate) keys: Vec<Sym>,
    pub(crate) ty: Option<TypeId>,
    /// The variable: the first key.
    pub(crate) name: Arc<str>,
}

/// What an expression reads.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Use {
    /// A field of the definition. `asked`: the expression itself asks whether it is there.
    Field {
        field: Field,
        asked: bool,
    },
    /// A field of the definition that another field names.
    Ref {
        of: Field,
        kinds: Vec<KindId>,
        field: FieldPath,
        asked: bool,
    },
    /// The definition's id or kind.
    Id,
    Kind,
    /// The definition's id as `key`, where a field is called `id`.
    OwnKey,
    /// In an inner expression over a map, the key of the entry.
    EntryKey,
    /// The table of all fields that are read, as `this`.
    This,
}

/// A list or map whose entries are asked about.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Listed {
    /// The field; of another definition, the one that names that.
    pub(crate) field: Field,
    /// In the definition that the field names: of these kinds, the path of the list.
    pub(crate) of: Option<(Vec<KindId>, FieldPath)>,
    /// The type of the entries.
    pub(crate) entry: TypeId,
}

/// What is asked of a list's entries.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum EachFunction {
    Every,
    Some,
    Count,
    Total,
}

impl EachFunction {
    const ALL: [EachFunction; 4] = [EachFunction::Every, EachFunction::Some, EachFunction::Count, EachFunction::Total];

    fn word(self) -> &'static str {
        match self {
            EachFunction::Every => "every",
            EachFunction::Some => "some",
            EachFunction::Count => "count",
            EachFunction::Total => "total",
        }
    }

    fn named(word: &str) -> Option<EachFunction> {
        EachFunction::ALL.into_iter().find(|function| function.word() == word)
    }
}

/// A call over a list's entries, as it was checked.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Each {
    function: EachFunction,
    list: Listed,
    source: String,
    uses: Vec<Use>,
    /// Calls over lists within, by their bytes.
    within: Vec<((usize, usize), Each)>,
    asked: bool,
    /// Whether the whole expression may fail because it does not hold.
    decides: bool,
}

/// A call over a list's entries, ready to be evaluated. It is evaluated before the expression around it,
/// in which a variable stands for it.
struct CompiledEach {
    function: EachFunction,
    list: Listed,
    inner: Expression,
    name: Arc<str>,
    asked: bool,
    decides: bool,
}

/// A checked expression over the fields of one kind.
pub struct Expression {
    source: String,
    uses: Vec<Use>,
    each: Vec<CompiledEach>,
    compiled: minijinja::Expression<'static, 'static>,
}

impl std::fmt::Debug for Expression {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Expression({})", self.source)
    }
}

impl Expression {
    /// As written.
    pub fn source(&self) -> &str {
        &self.source
    }

    pub(crate) fn uses(&self) -> &[Use] {
        &self.uses
    }

    /// The definition's own fields that are read, each by its first key.
    pub(crate) fn fields(&self) -> Vec<Sym> {
        let mut out = Vec::new();
        self.fields_into(false, &mut out);
        out.sort_unstable();
        out.dedup();
        out
    }

    /// `within`: over a list's entries, where the definition's fields are those of `whole`.
    fn fields_into(&self, within: bool, out: &mut Vec<Sym>) {
        let used = self.uses.iter().filter_map(|used| match used {
            Use::Field { field, .. } | Use::Ref { of: field, .. } => Some(field),
            Use::Id | Use::Kind | Use::OwnKey | Use::EntryKey | Use::This => None,
        });
        for field in used.chain(self.each.iter().map(|call| &call.list.field)) {
            // what an entry has may be a field of the definition as well, which costs little
            out.extend(field.keys.first());
            out.extend(field.keys.get(1).filter(|_| within && &*field.name == "whole"));
        }
        self.each.iter().for_each(|call| call.inner.fields_into(true, out));
    }
}
