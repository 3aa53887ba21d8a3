//! Calls over the entries of lists and maps, of the definition and of others.

use minijinja::machinery::Span;
use minijinja::machinery::ast::{CallArg, Expr};

use super::sorts::{Checker, Sort, Wants};
use super::{Each, EachFunction, ExpressionError, Listed};
use crate::document::{FieldPath, Step};
use crate::rulebook::{KindId, Reading};
use crate::said::said;

impl Checker<'_> {
    /// `every(list, 'inner')` and its like. The inner expression is checked against the list's entries.
    pub(super) fn each(&mut self, function: EachFunction, args: &[CallArg<'_>], span: Span, asked: bool) -> Sort {
        let word = function.word();
        let usage = format!("`{word}` takes a list and an expression in quotes, as in `{word}(parts, 'many > 1')`");
        let (CallArg::Pos(list), CallArg::Pos(Expr::Const(inner))) = (match args {
            [list, inner] => (list, inner),
            _ => {
                self.fault(span, usage, None);
                return function.sort();
            }
        }) else {
            self.fault(span, usage, None);
            return function.sort();
        };
        let Some(source) = inner.value.as_str() else {
            self.fault(span, usage, None);
            return function.sort();
        };
        let before = self.faults.len();
        let Some(found) = self.listed(list, asked) else {
            if self.faults.len() == before {
                self.fault(span, usage, None);
            }
            return function.sort();
        };
        let (list, of_map) = found;
        let mut checker = Checker {
            root: list.entry,
            whole: self.whole.or(Some(self.root)),
            of_map,
            uses: Vec::new(),
            each: Vec::new(),
            faults: Vec::new(),
            ..*self
        };
        checker.check(source, if function == EachFunction::Total { Wants::Number } else { Wants::Truth });
        let (uses, within, faults) = (checker.uses, checker.each, checker.faults);
        // the places of inner faults: behind the opening quote
        let shift = inner.span().start_offset as usize + 1;
        self.faults.extend(
            faults
                .into_iter()
                .map(|fault| ExpressionError { range: (fault.range.0 + shift, fault.range.1 + shift), ..fault }),
        );
        let each = Each { function, list, source: source.to_owned(), uses, within, asked, decides: false };
        self.each.push(((span.start_offset as usize, span.end_offset as usize), each));
        function.sort()
    }

    /// The list or map that an expression is, of this definition or of one that it names; and whether it is a map.
    fn listed(&mut self, list: &Expr<'_>, asked: bool) -> Option<(Listed, bool)> {
        let before = self.faults.len();
        let sort = self.sort_of(list, asked, false);
        if self.faults.len() > before {
            return None;
        }
        let (field, of, ty) = match (self.path(list), list) {
            (Some(path), _) => {
                let ty = self.type_of(&path);
                (self.looked_up(path), None, ty)
            }
            (None, _) => {
                let (of, kinds, path) = self.within_target(list)?;
                let root = |kind: &KindId| self.rulebook.kind(*kind).root;
                let ty = kinds.iter().find_map(|kind| self.rulebook.type_at(root(kind), &path, self.names).ok());
                (self.looked_up(of), Some((kinds, path)), ty)
            }
        };
        let (entry, of_map) = match ty.map(|ty| (ty, &self.rulebook.field_type(ty).reading)) {
            Some((_, Reading::List(list))) => (list.entry, false),
            Some((_, Reading::Map { value, .. })) => (*value, true),
            Some((ty, Reading::Flags(_))) => (ty, false),
            _ => {
                self.fault(list.span(), said!("this is {words}, where a list is needed", words = sort.words()), None);
                return None;
            }
        };
        Some((Listed { field, of, entry }, of_map))
    }

    /// Of `ref(at).list`: the field, the kinds that it names, and the path of the list there.
    fn within_target(&mut self, expr: &Expr<'_>) -> Option<(FieldPath, Vec<KindId>, FieldPath)> {
        let Expr::GetAttr(attr) = expr else { return None };
        let step = Step::Key(attr.name.to_owned());
        if let Some((of, kinds, path)) = self.within_target(&attr.expr) {
            return Some((of, kinds, path.with(step)));
        }
        let (Expr::Call(call), false) = (&attr.expr, self.path(&attr.expr).is_some()) else { return None };
        let before = (self.uses.len(), self.faults.len());
        let target = self.target(&call.args, expr.span(), true);
        self.uses.truncate(before.0);
        self.faults.truncate(before.1);
        match target {
            Sort::Target { of, kinds } => Some((of, kinds, FieldPath::from(vec![step]))),
            _ => None,
        }
    }
}

impl EachFunction {
    pub(super) fn sort(self) -> Sort {
        match self {
            EachFunction::Every | EachFunction::Some => Sort::Boolean,
            EachFunction::Count | EachFunction::Total => Sort::Number,
        }
    }
}
