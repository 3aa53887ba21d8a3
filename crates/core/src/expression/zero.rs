//! Where a formula divides by zero with the values that are there. What is not known may be anything.

use minijinja::machinery::ast::{BinOpKind, CallArg, Expr, UnaryOpKind};
use minijinja::machinery::{Span, parse_expr};

use super::sorts::path_of;
use crate::document::FieldPath;

/// The bytes of the part of a formula that is zero and is divided by, or is raised to a negative power; `number` gives
/// the values of fields, as far as they are known.
pub(crate) fn divided_by_zero(source: &str, number: &dyn Fn(&FieldPath) -> Option<f64>) -> Option<(usize, usize)> {
    let expr = parse_expr(source).ok()?;
    let mut zero = Zero { number, found: None };
    zero.value(&expr);
    zero.found.map(|span| (span.start_offset as usize, span.end_offset as usize))
}

struct Zero<'z> {
    number: &'z dyn Fn(&FieldPath) -> Option<f64>,
    found: Option<Span>,
}

impl Zero<'_> {
    fn value(&mut self, expr: &Expr<'_>) -> Option<f64> {
        match expr {
            Expr::Const(constant) => f64::try_from(constant.value.clone()).ok(),
            Expr::Var(_) | Expr::GetAttr(_) => (self.number)(&path_of(expr)?),
            Expr::UnaryOp(op) => {
                let value = self.value(&op.expr)?;
                matches!(op.op, UnaryOpKind::Neg).then_some(-value)
            }
            Expr::BinOp(op) => {
                let (left, right) = (self.value(&op.left), self.value(&op.right));
                let by_zero = match op.op {
                    BinOpKind::Div | BinOpKind::FloorDiv | BinOpKind::Rem => right == Some(0.0),
                    BinOpKind::Pow => left == Some(0.0) && right.is_some_and(|right| right < 0.0),
                    _ => false,
                };
                if by_zero {
                    let part = if matches!(op.op, BinOpKind::Pow) { &op.left } else { &op.right };
                    self.found.get_or_insert(part.span());
                    return None;
                }
                let (left, right) = (left?, right?);
                match op.op {
                    BinOpKind::Add => Some(left + right),
                    BinOpKind::Sub => Some(left - right),
                    BinOpKind::Mul => Some(left * right),
                    BinOpKind::Div => Some(left / right),
                    BinOpKind::FloorDiv => Some((left / right).floor()),
                    BinOpKind::Rem => Some(left % right),
                    BinOpKind::Pow => Some(left.powf(right)),
                    _ => None,
                }
            }
            // all arguments are calculated; of what is chosen only one is, and which is not known here
            Expr::Call(call) => {
                for arg in &call.args {
                    if let CallArg::Pos(arg) | CallArg::Kwarg(_, arg) = arg {
                        self.value(arg);
                    }
                }
                None
            }
            Expr::Filter(filter) => {
                if let Some(inner) = &filter.expr {
                    self.value(inner);
                }
                None
            }
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_zero_is_found_where_it_is_certain() {
        let known = |path: &FieldPath| match path.to_string().as_str() {
            "zilch" => Some(0.0),
            "four" => Some(4.0),
            _ => None,
        };
        for (source, part) in [
            ("3 / 0", Some("0")),
            ("3 / zilch", Some("zilch")),
            ("3 // (four - four)", Some("four - four")),
            ("wind % zilch", Some("zilch")),
            ("zilch ** -1", Some("zilch")),
            ("zilch ** 2 + 3 / four", None),
            ("3 / wind", None),
            ("3 / (wind - 1)", None),
            ("3 / zilch if zilch > 0 else 1", None),
            ("round(3 / zilch)", Some("zilch")),
        ] {
            let found = divided_by_zero(source, &known).and_then(|(from, to)| source.get(from..to));
            let found = found.map(|part| part.trim_matches(['(', ')']));
            assert_eq!(found, part, "{source}");
        }
    }
}
