//! Exact decimal numbers that keep their notation.

use std::cmp::Ordering;

use rust_decimal::{Decimal, RoundingStrategy};

/// A number as somebody wrote it. Equality is of the notation; [`Number::compare`] is of the value.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Number {
    notation: String,
}

impl Number {
    /// Reads a decimal notation: JSON's and TOML's forms, `1_000`, `+5`, `0x1f`.
    pub fn parse(notation: &str) -> Option<Number> {
        decimal(notation)?;
        Some(Number { notation: notation.to_owned() })
    }

    /// A number whose notation is already known to be one; it may be too large to calculate with.
    pub(crate) fn written(notation: &str) -> Number {
        Number { notation: notation.to_owned() }
    }

    /// The shortest notation of an exact value.
    pub fn from_decimal(value: Decimal) -> Number {
        let value = if value.is_zero() { Decimal::ZERO } else { value.normalize() };
        Number { notation: value.to_string() }
    }

    /// As written.
    pub fn notation(&self) -> &str {
        &self.notation
    }

    /// The notation that JSON allows.
    pub(crate) fn json(&self) -> String {
        let plain = !self.notation.contains(['_', '+', 'x', 'o', 'b']) || self.notation.contains(['e', 'E']);
        if plain && !self.notation.contains('_') && !self.notation.starts_with('+') {
            return self.notation.clone();
        }
        match decimal(&self.notation) {
            Some(value) => Number::from_decimal(value).notation,
            None => self.notation.replace('_', "").trim_start_matches('+').to_owned(),
        }
    }

    /// The exact value, if it has at most 28 digits.
    pub fn decimal(&self) -> Option<Decimal> {
        decimal(&self.notation)
    }

    /// Compares two notations by value: exactly where possible, else as floating point.
    pub fn compare(a: &str, b: &str) -> Option<Ordering> {
        if a == b {
            return Some(Ordering::Equal);
        }
        // plain whole numbers, as most are
        let plain =
            |n: &str| (n.len() < 16 && !n.is_empty() && n.bytes().all(|b| b.is_ascii_digit())).then(|| n.parse().ok());
        if let (Some(Some(a)), Some(Some(b))) = (plain(a), plain(b)) {
            return Some(u64::cmp(&a, &b));
        }
        match (decimal(a), decimal(b)) {
            (Some(a), Some(b)) => Some(a.cmp(&b)),
            _ => float(a)?.partial_cmp(&float(b)?),
        }
    }
}

impl std::fmt::Display for Number {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.notation)
    }
}

/// The exact value of a notation; none if it is no number or has more than 28 digits.
pub(crate) fn decimal(notation: &str) -> Option<Decimal> {
    let plain;
    let notation = if notation.contains('_') {
        plain = notation.replace('_', "");
        plain.as_str()
    } else {
        notation
    };
    let notation = notation.strip_prefix('+').unwrap_or(notation);
    for (prefix, radix) in [("0x", 16), ("0o", 8), ("0b", 2)] {
        if let Some(digits) = notation.strip_prefix(prefix) {
            return i64::from_str_radix(digits, radix).ok().map(Decimal::from);
        }
    }
    if !notation.bytes().any(|b| b.is_ascii_digit()) {
        return None;
    }
    if notation.contains(['e', 'E']) {
        let (mantissa, exponent) = notation.split_once(['e', 'E'])?;
        // beyond this no exact value is left, and the library would try
        if exponent.parse::<i32>().ok()?.abs() > 28 {
            return None;
        }
        Decimal::from_str_exact(mantissa).ok()?;
        return Decimal::from_scientific(notation).ok();
    }
    Decimal::from_str_exact(notation).ok()
}

pub(crate) fn float(notation: &str) -> Option<f64> {
    match decimal(notation) {
        Some(value) => value.to_string().parse().ok(),
        None => notation.replace('_', "").parse().ok(),
    }
}

/// Whether a notation is a whole number: `5`, `5.0`, `5e1`.
pub(crate) fn is_whole(notation: &str) -> bool {
    let digits = notation.strip_prefix(['-', '+']).unwrap_or(notation);
    if !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit()) {
        return true;
    }
    match decimal(notation) {
        Some(value) => value.is_integer(),
        None => float(notation).is_some_and(|value| value.is_infinite() || value.fract() == 0.0),
    }
}

/// Rounds to a whole number, halves away from zero.
pub(crate) fn round(value: Decimal) -> Decimal {
    value.round_dp_with_strategy(0, RoundingStrategy::MidpointAwayFromZero)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_compare_by_value_and_keep_their_notation() {
        for (a, b, order) in [
            ("1.50", "1.5", Ordering::Equal),
            ("-0", "0", Ordering::Equal),
            ("1_000", "1e3", Ordering::Equal),
            ("0x1f", "31", Ordering::Equal),
            ("2", "10", Ordering::Less),
            ("1E400", "9", Ordering::Greater),
            ("123456789012345678901234567890", "1", Ordering::Greater),
        ] {
            assert_eq!(Number::compare(a, b), Some(order), "{a} against {b}");
        }
        assert_eq!(Number::parse("1.50").unwrap().notation(), "1.50");
        assert_eq!(Number::parse("1_0").unwrap().json(), "10");
        assert_eq!(Number::parse("peat"), None);
    }

    #[test]
    fn whole_numbers_may_be_written_with_a_fraction_of_zero() {
        for (notation, whole) in [("5", true), ("5.0", true), ("5e1", true), ("5.5", false), ("1E400", true)] {
            assert_eq!(is_whole(notation), whole, "{notation}");
        }
        assert_eq!(round(Decimal::new(75, 1)), Decimal::from(8));
        assert_eq!(round(Decimal::new(-75, 1)), Decimal::from(-8));
    }
}
