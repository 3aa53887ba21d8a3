//! How a field's value is written, where that is not what it is: lists packed into one text, quantities with
//! units, words for true, false and nothing, one value for a list of one, ranges.
//!
//! Reading turns the notation into the value ([`super::read_as`]), writing turns the value into the notation
//! ([`Rulebook::written`]); everything between knows values only.

use rust_decimal::Decimal;

use super::types::{FieldType, Reading, Rulebook, TypeId};
use crate::document::{Draft, FieldPath, Node, Number, Shape};
use crate::names::Names;
use crate::nearest::nearest;
use crate::own::{self, OwnFault, Reading as Own};
use crate::source::Place;

/// The least number of all the digits that a decimal has (28).
const ENDLESS: u128 = 10_u128.pow(27);

/// The notation of a field's values.
#[derive(Clone, Debug, Default)]
pub(crate) struct Written {
    /// Whether one value may stand for a list of one.
    pub(crate) one: bool,
    /// What stands between the entries of a list that is packed into one text. An empty mark separates every
    /// letter, a space any white space.
    pub(crate) split: Vec<String>,
    /// Units and how much of the bare number's unit they are.
    pub(crate) units: Vec<(String, Decimal)>,
    /// Whether a bare number has a unit, so that the unit may be left out.
    pub(crate) bare: bool,
    /// Words for true.
    pub(crate) yes: Vec<String>,
    /// Words for false.
    pub(crate) no: Vec<String>,
    /// Words for nothing.
    pub(crate) none: Vec<String>,
    /// Of a joined list: marks before an entry that is taken out of what lies below.
    pub(crate) minus: Vec<String>,
    /// Of a joined list: marks before an entry that is added. With them a list without a mark takes the place of
    /// what lies below.
    pub(crate) plus: Vec<String>,
    /// Of a range: the fields of its ends, where it is a table.
    pub(crate) ends: Option<[String; 2]>,
    /// Of a range: whether it may run downwards.
    pub(crate) down: bool,
    /// Whether the two numbers are the ends of a range.
    pub(crate) range: bool,
    /// Of a table: the fields whose values follow each other, in a list or in one text.
    pub(crate) places: Vec<String>,
}

/// One number of a quantity, as `2 ell` of `1 rod 2 ell`.
struct Part<'u, 't> {
    number: Decimal,
    /// What stands between the number and its unit.
    gap: &'t str,
    /// The unit and how much it is; none where a number alone is all of the quantity.
    unit: Option<&'u (String, Decimal)>,
}

impl Written {
    /// Reads what a field's table says of its notation; nothing if it says nothing.
    pub(super) fn read(
        table: &Own<'_, '_>,
        names: &crate::names::Names,
        faults: &mut Vec<OwnFault>,
    ) -> Option<Written> {
        let words = |key: &str| table.texts(key).into_iter().map(|(word, _)| word).collect::<Vec<_>>();
        let mut out = Written {
            one: table.boolean("one"),
            split: words("split"),
            yes: words("yes"),
            no: words("no"),
            none: words("none"),
            minus: words("minus"),
            plus: words("plus"),
            places: words("places"),
            down: table.boolean("down"),
            bare: true,
            ..Written::default()
        };
        for entry in table.get("units").into_iter().flat_map(|units| units.children()) {
            let unit = entry.key().map_or("", |key| names.text(key)).to_owned();
            let odd = unit.is_empty() || unit.contains(|c: char| c.is_ascii_digit() || c.is_whitespace());
            match Number::parse(&entry.text()).and_then(|number| number.decimal()).filter(|much| !much.is_zero()) {
                Some(much) if !odd => out.units.push((unit, much)),
                Some(_) => faults.push(own::fault(entry.place(), "a unit is a word without digits and spaces")),
                None => faults.push(own::fault(entry.place(), "a unit says how much it is: a number that is not 0")),
            }
        }
        if !out.units.is_empty() {
            let main = table.text("unit");
            out.bare = main.is_some();
            // values are numbers of the main unit
            if let Some((_, main)) = main.and_then(|main| out.units.iter().find(|(unit, _)| *unit == main).cloned()) {
                out.units.iter_mut().for_each(|(_, much)| *much = much.checked_div(main).unwrap_or(*much));
            }
            // the longest first, so that `mm` is not read as `m`
            out.units.sort_by_key(|(unit, _)| std::cmp::Reverse(unit.len()));
        }
        match words("ends").as_slice() {
            [] => {}
            [low, high] => out.ends = Some([low.clone(), high.clone()]),
            _ => {
                let place = table.get("ends").map(|node| node.place());
                faults.extend(
                    place.map(|place| own::fault(place, "`ends` takes two fields: the lower and the upper end")),
                );
            }
        }
        out.says().then_some(out)
    }

    /// Whether anything is said.
    pub(super) fn says(&self) -> bool {
        let words = [&self.split, &self.yes, &self.no, &self.none, &self.minus, &self.plus, &self.places];
        self.one
            || self.down
            || self.range
            || !self.units.is_empty()
            || self.ends.is_some()
            || words.iter().any(|words| !words.is_empty())
    }

    /// Whether values are written as one text, or as another shape than they have.
    pub(crate) fn is_another_shape(&self) -> bool {
        !self.split.is_empty() || self.one || self.range || !self.places.is_empty()
    }

    /// What is said that the field's type cannot mean.
    pub(super) fn consistent(&self, reading: &Reading, place: Place, names: &Names, faults: &mut Vec<OwnFault>) {
        let placed = matches!(reading, Reading::Table(_)) && !self.places.is_empty();
        if let Reading::Table(table) = reading {
            let fields: Vec<&str> = table.fields.iter().map(|(name, _)| names.text(*name)).collect();
            for name in self.places.iter().filter(|name| !fields.contains(&name.as_str())) {
                let message = format!("`places` names `{name}`, which is no field of this table");
                let near = nearest(name, fields.iter().copied());
                let help = near.map(|near| format!("the nearest known field is `{near}`"));
                faults.push(own::fault(place, message).help(help));
            }
        }
        let many = matches!(reading, Reading::List(_) | Reading::Flags(_) | Reading::Tuple { .. });
        let words = self.yes.len() + self.no.len() > 0;
        let (boolean, range) = (matches!(reading, Reading::Boolean), self.range);
        let mut fault = |said: bool, message: &'static str| {
            if said {
                faults.push(own::fault(place, message));
            }
        };
        fault(self.one && (!many || range), "`one` is for lists");
        let joined = matches!(reading, Reading::List(list) if list.join);
        fault(
            !(joined || self.minus.is_empty() && self.plus.is_empty()),
            "`minus` and `plus` are for lists with `join`",
        );
        fault(
            !self.split.is_empty() && !many && !placed,
            "`split` is for lists, flags, tuples, ranges and tables with `places`",
        );
        fault(
            !self.places.is_empty() && !placed,
            "`places` are for a table whose fields are described below it; those of a tuple have patterns of their own, as `span[0]`",
        );
        fault(words && !boolean, "`yes` and `no` are for `boolean`");
        fault(
            !self.units.is_empty() && !range && !matches!(reading, Reading::Integer | Reading::Number),
            "`units` are for `integer`, `number` and `range`",
        );
        fault(!range && (self.ends.is_some() || self.down), "`ends` and `down` are for `range`");
    }

    /// In words, behind those of the type.
    pub(super) fn words(&self) -> String {
        let mut out = String::new();
        if !self.places.is_empty() {
            let between = self.split.first().map_or(", ", |mark| mark);
            let all = self.places.join(between);
            out.push_str(&match self.split.is_empty() {
                true => format!(", written as a list: `[{all}]`"),
                false => format!(", written as `{all}`"),
            });
        } else if let Some(mark) = self.split.first() {
            let between = match mark.as_str() {
                "" => "letter by letter".to_owned(),
                " " => "with spaces between".to_owned(),
                mark => format!("with `{mark}` between"),
            };
            out.push_str(&format!(", in one text {between}"));
        }
        if self.one {
            out.push_str(", or one value alone");
        }
        if !self.units.is_empty() {
            let mut units: Vec<&str> = self.units.iter().map(|(unit, _)| unit.as_str()).collect();
            units.sort_unstable();
            out.push_str(&format!(", in {}", units.join(", ")));
        }
        let all: Vec<&str> = self.yes.iter().chain(&self.no).map(String::as_str).filter(|w| !w.is_empty()).collect();
        if !all.is_empty() {
            out.push_str(&format!(", written {}", all.join(" or ")));
        }
        if !self.none.is_empty() {
            out.push_str(&format!(", or `{}` for none", self.none.join("` or `")));
        }
        out
    }

    /// What an entry of the list is without its mark, and whether it is added by it; none if it has none. Of an entry that
    /// has entries of its own, the mark stands before the first of them.
    pub(crate) fn signed(&self, entry: &Draft) -> Option<(bool, Draft)> {
        if self.minus.is_empty() && self.plus.is_empty() {
            return None;
        }
        if let Draft::List(inner) = entry {
            let (first, rest) = inner.split_first()?;
            let (added, first) = self.signed(first)?;
            return Some((added, Draft::List(std::iter::once(first).chain(rest.iter().cloned()).collect())));
        }
        let word = entry.word()?;
        let gone = self.taken_out(&word).map(|word| (false, Draft::Text(word.to_owned())));
        gone.or_else(|| self.added(&word).map(|word| (true, Draft::Text(word.to_owned()))))
    }

    /// The entry that a word takes out.
    pub(crate) fn taken_out<'t>(&self, word: &'t str) -> Option<&'t str> {
        self.minus.iter().find_map(|mark| word.strip_prefix(mark.as_str())).filter(|word| !word.is_empty())
    }

    /// The entry that a word adds, where additions are marked.
    pub(crate) fn added<'t>(&self, word: &'t str) -> Option<&'t str> {
        self.plus.iter().find_map(|mark| word.strip_prefix(mark.as_str())).filter(|word| !word.is_empty())
    }

    /// Whether a word stands for nothing.
    pub(crate) fn is_none(&self, word: &str) -> bool {
        self.none.iter().any(|none| none == word)
    }

    /// The first part of a quantity, and what follows it.
    fn part<'t>(&self, text: &'t str, first: bool) -> Option<(Part<'_, 't>, &'t str)> {
        let end = text
            .char_indices()
            .find(|(at, c)| !(c.is_ascii_digit() || *c == '.' || (*at == 0 && matches!(c, '-' | '+'))))
            .map_or(text.len(), |(at, _)| at);
        let (number, behind) = text.split_at_checked(end)?;
        let number = Number::parse(number.strip_prefix('+').unwrap_or(number))?.decimal()?;
        let named = behind.trim_start();
        if named.is_empty() && first && self.bare {
            return Some((Part { number, gap: "", unit: None }, ""));
        }
        let gap = behind.get(..behind.len() - named.len())?;
        let (unit, rest) = self.units.iter().find_map(|unit| {
            let rest = named.strip_prefix(unit.0.as_str())?;
            (!rest.starts_with(char::is_alphabetic)).then_some((unit, rest))
        })?;
        Some((Part { number, gap, unit: Some(unit) }, rest.trim_start()))
    }

    /// The value of a quantity in the main unit: `3 ell`, `3ell`, `1 rod 2 ell`, `-5`.
    pub(crate) fn quantity(&self, text: &str) -> Option<Number> {
        let mut rest = text.trim();
        let mut sum = Decimal::ZERO;
        let mut first = true;
        while first || !rest.is_empty() {
            let (Part { number, unit, .. }, behind) = self.part(rest, first)?;
            let Some((_, much)) = unit else { return Some(Number::from_decimal(number)) };
            sum = sum.checked_add(number.checked_mul(*much)?)?;
            rest = behind;
            first = false;
        }
        Some(Number::from_decimal(sum))
    }

    /// A quantity in the units that another one has, as that is written: `14` like `1 rod 2 ell` is `2 rod 2 ell`, `8`
    /// like `3ell` is `8ell`. What these units cannot say exactly is in the main one: `7` like `1 rod` is `7 ell`. Nothing
    /// where the other one has no unit.
    pub(crate) fn quantity_like(&self, number: &Number, other: &str) -> Option<String> {
        self.in_units_of(number, other).or_else(|| self.in_main_unit(number, other))
    }

    /// A quantity in the main unit, with the blank that another one has before its own.
    fn in_main_unit(&self, number: &Number, other: &str) -> Option<String> {
        let (Part { gap, unit: Some(_), .. }, _) = self.part(other.trim(), true)? else { return None };
        let (main, _) = self.units.iter().find(|(_, much)| *much == Decimal::ONE)?;
        Some(format!("{}{gap}{main}", number.notation()))
    }

    /// A quantity in the units of another one, where these can say it exactly.
    fn in_units_of(&self, number: &Number, other: &str) -> Option<String> {
        let mut units: Vec<(&str, &(String, Decimal))> = Vec::new();
        let mut rest = other.trim();
        while units.is_empty() || !rest.is_empty() {
            let (Part { gap, unit, .. }, behind) = self.part(rest, units.is_empty())?;
            units.push((gap, unit?));
            rest = behind;
        }
        let mut left = number.decimal()?;
        let mut parts: Vec<String> = Vec::new();
        for (nth, (gap, (unit, much))) in units.iter().enumerate() {
            // the last one takes what is left
            let last = nth + 1 == units.len();
            let of_it = left.checked_div(*much)?;
            let of_it = if last { of_it.normalize() } else { of_it.trunc() };
            // a quotient that fills all digits is one that never ends
            if of_it.mantissa().unsigned_abs() >= ENDLESS {
                return None;
            }
            left = left.checked_sub(of_it.checked_mul(*much)?)?;
            if !of_it.is_zero() || last && parts.is_empty() {
                parts.push(format!("{}{gap}{unit}", Number::from_decimal(of_it).notation()));
            }
        }
        let text = parts.join(" ");
        (self.quantity(&text)?.decimal() == number.decimal()).then_some(text)
    }

    /// A quantity in the units of the one that was there, as that is written, otherwise in those that somebody typed.
    pub(crate) fn quantity_typed(&self, number: &Number, typed: &str, was: Option<&str>) -> Option<String> {
        if let Some(like) = was.and_then(|was| self.in_units_of(number, was)) {
            return Some(like);
        }
        let (mut rest, mut said) = (typed.trim(), Vec::new());
        while let Some((Part { unit: Some((unit, _)), .. }, behind)) = self.part(rest, said.is_empty()) {
            said.push(format!("1 {unit}"));
            rest = behind;
        }
        let as_typed = (!said.is_empty()).then(|| self.in_units_of(number, &said.join(" "))).flatten();
        as_typed.or_else(|| was.and_then(|was| self.in_main_unit(number, was)))
    }

    /// The values of a table one after the other, where its fields have places, as far as they are there. Nothing where a
    /// field has none, or one before it lacks.
    fn in_places(&self, entries: &[(String, Draft)]) -> Option<Vec<Draft>> {
        let of = |name: &String| entries.iter().rev().find(|(key, _)| key == name).map(|(_, value)| value.clone());
        let values: Vec<Draft> = self.places.iter().map_while(of).collect();
        let all = entries.iter().all(|(key, _)| self.places.iter().take(values.len()).any(|name| name == key));
        (all && !values.is_empty()).then_some(values)
    }

    /// Values in one text, where each is a single one.
    fn joined(&self, items: &[Draft]) -> Option<Draft> {
        let words: Option<Vec<String>> = items.iter().map(Draft::word).collect();
        Some(Draft::Text(words?.join(self.split.first()?)))
    }

    /// Whether a text has one of the marks between entries in it; a blank is any white space.
    pub(crate) fn is_packed(&self, text: &str) -> bool {
        self.split.iter().any(|mark| match mark.trim().is_empty() {
            true => !mark.is_empty() && text.contains(char::is_whitespace),
            false => text.contains(mark.as_str()),
        })
    }

    /// The pieces of a text that is a packed list, with the byte each begins at.
    pub(crate) fn pieces<'t>(&self, text: &'t str) -> Vec<(usize, &'t str)> {
        if text.trim().is_empty() {
            return Vec::new();
        }
        let mut out: Vec<(usize, &'t str)> = Vec::new();
        let mut push = |start: usize, piece: &'t str| {
            let lead = piece.len() - piece.trim_start().len();
            out.push((start + lead, piece.trim()));
        };
        if self.split.iter().any(String::is_empty) {
            let letters = text.char_indices().filter(|(_, c)| !c.is_whitespace());
            letters.for_each(|(at, c)| push(at, text.get(at..at + c.len_utf8()).unwrap_or("")));
            return out;
        }
        let spaced = self.split.iter().any(|mark| mark == " ");
        let mark_at = |rest: &str| {
            let marks = self.split.iter().filter(|mark| *mark != " ");
            marks.filter(|mark| rest.starts_with(mark.as_str())).map(|mark| mark.len()).max()
        };
        let (mut start, mut at) = (0, 0);
        while let Some(c) = text.get(at..).and_then(|rest| rest.chars().next()) {
            let mark = text.get(at..).and_then(mark_at);
            let mark = mark.or((spaced && c.is_whitespace()).then_some(c.len_utf8()));
            let Some(length) = mark else {
                at += c.len_utf8();
                continue;
            };
            push(start, text.get(start..at).unwrap_or(""));
            at += length;
            start = at;
        }
        push(start, text.get(start..).unwrap_or(""));
        let blank = |(_, piece): &(usize, &str)| piece.is_empty();
        if spaced {
            out.retain(|piece| !blank(piece));
        }
        // a mark may stand behind the last entry, too
        if out.len() > 1 && out.last().is_some_and(blank) {
            out.pop();
        }
        out
    }
}

impl FieldType {
    /// Of a table: the fields whose values follow each other where the game writes it.
    pub(crate) fn places(&self) -> &[String] {
        self.written.as_ref().map_or(&[], |written| written.places.as_slice())
    }

    /// As [`Written::is_packed`].
    pub(crate) fn is_packed(&self, text: &str) -> bool {
        self.written.as_ref().is_some_and(|written| written.is_packed(text))
    }
}

impl Rulebook {
    /// The first type on a path whose values are written as one text or as another shape, with its depth.
    pub(crate) fn written_above(&self, root: TypeId, path: &FieldPath, names: &Names) -> Option<(usize, TypeId)> {
        (0..=path.steps().len()).find_map(|depth| {
            let ty = self.type_at(root, &path.take(depth), names).ok()?;
            let written = self.field_type(ty).written.as_ref()?;
            written.is_another_shape().then_some((depth, ty))
        })
    }

    /// As [`Rulebook::written`], in the unit and form of what stands in its place, if anything does.
    pub(crate) fn written_over(&self, draft: Draft, ty: TypeId, stands: Option<Node<'_>>, names: &Names) -> Draft {
        let like = || {
            let Draft::Number(number) = &draft else { return None };
            let written = self.field_type(ty).written.as_ref()?;
            written.quantity_like(number, stands?.raw().trim_matches(['"', '\'']))
        };
        match like() {
            Some(text) => Draft::Text(text),
            None => self.written(draft, ty, names),
        }
    }

    /// A value as the game writes it in this field. What is written as it is stays.
    pub(crate) fn written(&self, draft: Draft, ty: TypeId, names: &Names) -> Draft {
        let of = self.field_type(ty);
        let inner = match (&of.reading, draft) {
            (Reading::Table(table), Draft::Table(entries)) => {
                let field = |key: &str| names.get(key).and_then(|key| table.get(key));
                let entry = |(key, value): (String, Draft)| match field(&key) {
                    Some(ty) => (key, self.written(value, ty, names)),
                    None => (key, value),
                };
                Draft::Table(entries.into_iter().map(entry).collect())
            }
            (Reading::Map { value: ty, .. }, Draft::Table(entries)) => {
                Draft::Table(entries.into_iter().map(|(key, value)| (key, self.written(value, *ty, names))).collect())
            }
            (Reading::List(list), Draft::List(items)) => {
                Draft::List(items.into_iter().map(|item| self.written(item, list.entry, names)).collect())
            }
            (Reading::Choose { .. }, draft @ Draft::Table(_)) => {
                let word = |by| draft.get(names.text(by)).and_then(Draft::word);
                let case = self.case_of(ty, Shape::Table, &word);
                self.written(draft, case, names)
            }
            (Reading::Either { table, .. }, draft @ Draft::Table(_)) => self.written(draft, *table, names),
            (Reading::Either { single, .. }, draft) => self.written(draft, *single, names),
            (Reading::Tuple { places, .. }, Draft::List(items)) => {
                let item = |(nth, item): (usize, Draft)| match places.get(nth) {
                    Some(ty) => self.written(item, *ty, names),
                    None => item,
                };
                Draft::List(items.into_iter().enumerate().map(item).collect())
            }
            (_, draft) => draft,
        };
        let Some(written) = &of.written else { return inner };
        match inner {
            Draft::Null => written.none.first().map_or(Draft::Null, |word| Draft::Text(word.clone())),
            Draft::Boolean(value) => match if value { written.yes.first() } else { written.no.first() } {
                Some(word) => Number::parse(word).map_or_else(|| Draft::Text(word.clone()), Draft::Number),
                None => Draft::Boolean(value),
            },
            Draft::Number(number) if !written.units.is_empty() && !written.bare => {
                // without a main unit the one that is written first counts
                let one = written.units.iter().find(|(_, much)| *much == Decimal::ONE).or(written.units.first());
                let much = one.and_then(|(unit, much)| Some((unit, number.decimal()?.checked_div(*much)?)));
                much.map_or(Draft::Number(number), |(unit, much)| {
                    Draft::Text(format!("{} {unit}", Number::from_decimal(much).notation()))
                })
            }
            Draft::Table(entries) => match written.in_places(&entries) {
                Some(values) => written.joined(&values).unwrap_or(Draft::List(values)),
                None => Draft::Table(entries),
            },
            Draft::List(items) => match (written.joined(&items), written.one && items.len() == 1) {
                (Some(text), _) => text,
                (None, _) if written.range && written.ends.is_some() && items.len() == 2 => {
                    let ends = written.ends.iter().flatten().cloned();
                    Draft::Table(ends.zip(items).collect())
                }
                (None, true) => items.into_iter().next().unwrap_or(Draft::Null),
                _ => Draft::List(items),
            },
            other => other,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn units(units: &[(&str, i64)], bare: bool) -> Written {
        let units = units.iter().map(|(unit, much)| ((*unit).to_owned(), Decimal::from(*much))).collect();
        Written { units, bare, ..Written::default() }
    }

    fn split(marks: &[&str]) -> Written {
        Written { split: marks.iter().map(|mark| (*mark).to_owned()).collect(), ..Written::default() }
    }

    #[test]
    fn quantities_are_sums_of_numbers_with_units() {
        let ells = units(&[("rod", 6), ("ell", 1)], true);
        let value = |text: &str| ells.quantity(text).map(|number| number.notation().to_owned());
        for (text, wanted) in [("3 ell", "3"), ("3ell", "3"), ("1 rod 2 ell", "8"), ("-2.5rod", "-15"), (" 7 ", "7")] {
            assert_eq!(value(text).as_deref(), Some(wanted), "{text}");
        }
        for text in ["", "ell", "3 elk", "3 ells", "3 ell 4", "3 4", "1..2 ell", "99999999999999999999999999999 ell"] {
            assert_eq!(value(text), None, "{text}");
        }
        assert_eq!(units(&[("ell", 1)], false).quantity("3"), None);
    }

    #[test]
    fn a_quantity_is_written_like_another_or_in_the_main_unit() {
        let ells = units(&[("rod", 6), ("ell", 1)], true);
        for (number, other, wanted) in [
            ("4", "3 ell", Some("4 ell")),
            ("4", "3ell", Some("4ell")),
            ("14", "1 rod 2 ell", Some("2 rod 2 ell")),
            ("12", "1 rod 2 ell", Some("2 rod")),
            ("0", "1 rod 2 ell", Some("0 ell")),
            ("-15", "2rod", Some("-2.5rod")),
            ("7", "1 rod", Some("7 ell")),
            ("7", "1rod", Some("7ell")),
            ("7", "5", None),
            ("7", "salt", None),
        ] {
            let number = Number::parse(number).expect("a number");
            assert_eq!(ells.quantity_like(&number, other).as_deref(), wanted, "{other}");
        }
    }

    #[test]
    fn what_a_unit_cannot_say_exactly_is_not_rounded_into_it() {
        let coins = units(&[("mark", 12), ("groat", 1)], true);
        for (number, other, wanted) in [
            ("26", "2 mark", Some("26 groat")),
            ("27", "2 mark", Some("2.25 mark")),
            ("26", "1 mark 1 groat", Some("2 mark 2 groat")),
        ] {
            let number = Number::parse(number).expect("a number");
            assert_eq!(coins.quantity_like(&number, other).as_deref(), wanted, "{other}");
        }
    }

    #[test]
    fn a_quantity_is_written_as_it_was_or_as_it_is_typed() {
        let ells = units(&[("rod", 6), ("ell", 1)], true);
        for (number, typed, was, wanted) in [
            ("12", "2rod", Some("3 ell"), Some("12 ell")),
            ("12", "12", Some("3rod"), Some("2rod")),
            ("14", "2rod 2ell", None, Some("2 rod 2 ell")),
            ("7", "7ell", Some("1 rod"), Some("7 ell")),
            ("7", "7", Some("1 rod"), Some("7 ell")),
            ("4", "4", Some("3"), None),
            ("4", "4", None, None),
            ("4", "4ell", Some("3"), Some("4 ell")),
        ] {
            let number = Number::parse(number).expect("a number");
            assert_eq!(ells.quantity_typed(&number, typed, was).as_deref(), wanted, "{typed} over {was:?}");
        }
    }

    #[test]
    fn packed_texts_fall_into_pieces_at_their_bytes() {
        assert_eq!(split(&[","]).pieces("eel, reed,salt,"), [(0, "eel"), (5, "reed"), (10, "salt")]);
        assert_eq!(split(&[" "]).pieces("  eel  reed "), [(2, "eel"), (7, "reed")]);
        assert_eq!(split(&[";", "|"]).pieces("a;b|c"), [(0, "a"), (2, "b"), (4, "c")]);
        assert_eq!(split(&[""]).pieces("Ab é"), [(0, "A"), (1, "b"), (3, "é")]);
        assert_eq!(split(&[","]).pieces("a,,b"), [(0, "a"), (2, ""), (3, "b")]);
        assert_eq!(split(&[","]).pieces(" "), []);
    }
}
