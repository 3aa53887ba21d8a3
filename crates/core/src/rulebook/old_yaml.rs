//! Numbers as YAML 1.1 writes them.

use crate::document::{Format, Node, Shape};

/// A number that only YAML 1.1 reads as one, or as another one than 1.2: octal `017` and `1:30`, base sixty.
pub(super) fn old_number(node: Node<'_>) -> Option<String> {
    let raw = node.raw();
    if node.document().format() != Format::Yaml || !matches!(node.shape(), Shape::Text | Shape::Number) {
        return None;
    }
    let (sign, digits) = raw.strip_prefix('-').map_or(("", raw), |digits| ("-", digits));
    let digits = digits.strip_prefix('+').unwrap_or(digits).replace('_', "");
    let all = |text: &str, radix: u32| !text.is_empty() && text.chars().all(|c| c.is_digit(radix));
    if digits.len() > 1 && digits.starts_with('0') && all(&digits, 8) {
        return Some(format!("{sign}{}", u64::from_str_radix(&digits, 8).ok()?));
    }
    let (whole, part) = digits.split_once('.').map_or((digits.as_str(), None), |(whole, part)| (whole, Some(part)));
    let mut sixties = whole.split(':');
    let first = sixties.next().filter(|first| all(first, 10))?;
    let mut sum: u64 = first.parse().ok()?;
    let mut several = false;
    for place in sixties {
        let place: u64 = place.parse().ok().filter(|_| place.len() <= 2 && all(place, 10)).filter(|n| *n < 60)?;
        sum = sum.checked_mul(60)?.checked_add(place)?;
        several = true;
    }
    let part = part.filter(|part| all(part, 10)).map(|part| format!(".{part}"));
    several.then(|| format!("{sign}{sum}{}", part.unwrap_or_default()))
}
