//! What is demanded of a value beyond its type: form, length, number of entries, uniqueness, and where it
//! may stand at all. Few fields have any of it, so it is kept beside the types.

use super::picture::Picture;
use super::test::Test;
use super::types::{FieldType, Limit, Words};
use crate::document::{Number, Shape};
use crate::own::{self, OwnFault, Reading};
use crate::said::said;
use crate::source::Place;

/// A pattern that a text must match as a whole.
#[derive(Clone, Debug)]
pub(crate) struct Form {
    pub(crate) source: String,
    regex: regex::Regex,
}

impl Form {
    /// Compiles a pattern; it always means the whole text.
    pub(crate) fn new(source: &str) -> Result<Form, String> {
        // a bound on the size keeps a pattern from a stranger's rulebook from taking all memory
        let regex = regex::RegexBuilder::new(&format!("^(?:{source})$")).size_limit(1 << 20).build();
        let reason = |error: regex::Error| match error {
            regex::Error::Syntax(text) => text.lines().last().unwrap_or("").trim().to_owned(),
            other => other.to_string(),
        };
        let regex = regex.map_err(|error| format!("`{source}` is no pattern: {}", reason(error)))?;
        Ok(Form { source: source.to_owned(), regex })
    }

    pub(crate) fn fits(&self, text: &str) -> bool {
        self.regex.is_match(text)
    }
}

/// Ranges of whole numbers in words: `500 to 599 or 900 to 999`.
pub(crate) fn ranges_in_words(ranges: &[(i64, i64)]) -> String {
    ranges.iter().map(|(low, high)| format!("{low} to {high}")).collect::<Vec<_>>().join(" or ")
}

/// Whether a number is in one of some ranges, both ends included.
pub(crate) fn in_ranges(ranges: &[(i64, i64)], number: i64) -> bool {
    ranges.iter().any(|(low, high)| (*low..=*high).contains(&number))
}

/// Ranges of whole numbers, as `4000..4999`; with a fault for what is none.
pub(super) fn number_ranges(table: &Reading<'_, '_>, key: &str, faults: &mut Vec<OwnFault>) -> Vec<(i64, i64)> {
    let mut ranges = Vec::new();
    for (word, node) in table.texts(key) {
        let ends = word
            .split_once("..")
            .and_then(|(low, high)| Some((low.trim().parse::<i64>().ok()?, high.trim().parse::<i64>().ok()?)));
        match ends.filter(|(low, high)| low <= high) {
            Some(ends) => ranges.push(ends),
            None => {
                faults.push(
                    own::fault(node.place(), said!("`{word}` is no range of numbers", word))
                        .help(Some("as in \"4000..4999\", both ends included")),
                );
            }
        }
    }
    ranges
}

/// What is demanded of a value.
#[derive(Clone, Debug, Default)]
pub(crate) struct Demands {
    pub(crate) form: Option<Form>,
    pub(crate) min_length: Option<usize>,
    pub(crate) max_length: Option<usize>,
    pub(crate) min_count: Option<usize>,
    pub(crate) max_count: Option<usize>,
    pub(crate) safe_min: Option<Limit>,
    pub(crate) safe_max: Option<Limit>,
    pub(crate) unique: bool,
    pub(crate) complete: bool,
    /// The field exists only where this holds.
    pub(crate) only: Option<Test>,
    /// What must hold for the definition that is named.
    pub(crate) target: Option<Test>,
    /// What to use instead of this field.
    pub(crate) retired: Option<String>,
    /// The definition becomes a member of the group that is named.
    pub(crate) joins: bool,
    /// No number is more usual than another.
    pub(crate) unusual: bool,
    /// The tokens that the game fills in in the text, where that is said.
    pub(crate) tokens: Option<Vec<String>>,
    /// What a picture that is named must be like.
    pub(crate) picture: Option<Picture>,
    /// Of a number that is left out, those among which the game chooses one, both ends included.
    pub(crate) chosen: Vec<(i64, i64)>,
    /// Names of special values of a number.
    pub(crate) called: Vec<(Limit, String)>,
}

impl Demands {
    /// Whether a text must look like something.
    pub(crate) fn is_of_text(&self) -> bool {
        self.form.is_some() || self.min_length.is_some() || self.max_length.is_some()
    }

    /// Whether a text does not look as it must.
    pub(crate) fn refuses(&self, text: &str) -> bool {
        let length = text.chars().count();
        self.form.as_ref().is_some_and(|form| !form.fits(text))
            || self.min_length.is_some_and(|least| length < least)
            || self.max_length.is_some_and(|most| length > most)
    }

    /// Reads the demands of a field; nothing if there are none.
    pub(super) fn read(
        table: &Reading<'_, '_>,
        names: &crate::names::Names,
        faults: &mut Vec<OwnFault>,
    ) -> Option<Demands> {
        let mut out = Demands {
            unique: table.boolean("unique"),
            complete: table.boolean("complete"),
            retired: table.text("retired"),
            joins: table.boolean("joins"),
            chosen: number_ranges(table, "chosen", faults),
            unusual: table.get("usual").is_some() && !table.boolean("usual"),
            ..Demands::default()
        };
        if let Some(source) = table.text("pattern") {
            match Form::new(&source) {
                Ok(form) => out.form = Some(form),
                Err(message) => faults.extend(table.get("pattern").map(|node| own::fault(node.place(), message))),
            }
        }
        for (key, number) in [
            ("min_length", &mut out.min_length),
            ("max_length", &mut out.max_length),
            ("min_count", &mut out.min_count),
            ("max_count", &mut out.max_count),
        ] {
            *number = table.number(key).and_then(|number| number.notation().parse().ok());
            if let Some(node) = table.get(key).filter(|_| number.is_none()) {
                faults.push(own::fault(node.place(), said!("`{key}` takes a whole number from 0 on", key)));
            }
        }
        for (key, limit) in [("safe_min", &mut out.safe_min), ("safe_max", &mut out.safe_max)] {
            *limit = table.number(key).and_then(Limit::new);
        }
        for (key, test) in [("only", &mut out.only), ("target", &mut out.target)] {
            *test = table.get(key).map(|node| Test::read(node, names, faults)).filter(|test| !test.0.is_empty());
        }
        let tokens = || table.texts("tokens").into_iter().map(|(token, _)| token).collect();
        out.tokens = table.get("tokens").map(|_| tokens());
        out.picture = table.get("picture").and_then(|node| Picture::read(node, names, faults));
        for node in table.get("called").into_iter().flat_map(|node| node.children()) {
            let word = node.key().map_or("", |key| names.text(key));
            let value = Number::parse(word).and_then(Limit::new);
            let name = Some(node.text().into_owned()).filter(|name| node.shape() == Shape::Text && !name.is_empty());
            match value.zip(name) {
                Some(one) => out.called.push(one),
                None => {
                    let message = said!("`called` gives numbers names, as {{ \"0\" = \"never\" }}, not `{word}`", word);
                    faults.push(own::fault(node.place(), message));
                }
            }
        }
        out.says().then_some(out)
    }

    /// Whether anything is demanded.
    pub(super) fn says(&self) -> bool {
        self.form.is_some()
            || [self.min_length, self.max_length, self.min_count, self.max_count].iter().any(Option::is_some)
            || self.safe_min.is_some()
            || self.safe_max.is_some()
            || self.only.is_some()
            || self.target.is_some()
            || self.retired.is_some()
            || self.unique
            || self.complete
            || self.joins
            || self.unusual
            || self.tokens.is_some()
            || self.picture.is_some()
            || !self.chosen.is_empty()
            || !self.called.is_empty()
    }

    /// What is said that the field's type cannot mean.
    pub(super) fn consistent(&self, sort: Sort<'_>, place: Place, faults: &mut Vec<OwnFault>) {
        let mut fault = |said: bool, message: &'static str| {
            if said {
                faults.push(own::fault(place, message));
            }
        };
        let texts = self.form.is_some() || self.min_length.is_some() || self.max_length.is_some();
        fault(texts && !sort.text, "`pattern`, `min_length` and `max_length` are for texts");
        let counts = self.min_count.is_some() || self.max_count.is_some();
        fault(counts && !sort.many, "`min_count` and `max_count` are for lists and maps");
        let safe = self.safe_min.is_some() || self.safe_max.is_some();
        fault(safe && !sort.number, "`safe_min` and `safe_max` are for `integer` and `number`");
        fault(!self.called.is_empty() && !sort.number, "`called` is for `integer` and `number`");
        fault(self.tokens.is_some() && !sort.text, "`tokens` is for texts");
        fault(self.unusual && !sort.number, "`usual` is for `integer` and `number`");
        fault(self.target.is_some() && !sort.link, "`target` is for fields with `link`");
        fault(self.picture.is_some() && !sort.file, "`picture` is for fields with `file`");
        fault(self.joins && !sort.link, "`joins` is for fields with `link`");
        fault(
            self.complete && sort.words.is_none(),
            "`complete` needs words: `flags`, a list of a choice, a list `by` a choice, or a map with a choice for its keys",
        );
        let chooses = sort.number && self.unique;
        fault(!self.chosen.is_empty() && !chooses, "`chosen` is for whole numbers that are `unique`");
        fault(self.unique && sort.many, "`unique` is for single values");
        if let (Some(least), Some(most)) = (self.min_count, self.max_count) {
            fault(least > most, "`max_count` lies below `min_count`");
        }
        if let (Some(least), Some(most)) = (self.min_length, self.max_length) {
            fault(least > most, "`max_length` lies below `min_length`");
        }
    }

    /// A limit in words, for messages: `2 to 6`, `at least 2`.
    pub(crate) fn count_words(least: Option<usize>, most: Option<usize>) -> String {
        match (least, most) {
            (Some(least), Some(most)) if least == most => format!("exactly {least}"),
            (Some(least), Some(most)) => format!("{least} to {most}"),
            (Some(least), None) => format!("at least {least}"),
            (None, Some(most)) => format!("at most {most}"),
            (None, None) => "any number of".to_owned(),
        }
    }
}

/// What a field's type is, as far as demands care.
#[derive(Clone, Copy, Default)]
pub(super) struct Sort<'t> {
    pub(super) text: bool,
    pub(super) number: bool,
    pub(super) many: bool,
    pub(super) link: bool,
    pub(super) file: bool,
    /// The words of which a complete value has all.
    pub(super) words: Option<&'t Words>,
}

impl FieldType {
    /// The test that says for what a field exists, where it does not always.
    pub(crate) fn only(&self) -> Option<&Test> {
        self.demands()?.only.as_ref()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_pattern_means_the_whole_text_and_is_refused_with_its_reason() {
        let form = Form::new("[a-z]+|x1").unwrap();
        assert!(form.fits("reed") && form.fits("x1") && !form.fits("reed1") && !form.fits("Reed"));
        let message = Form::new("[a-").unwrap_err();
        assert!(message.starts_with("`[a-` is no pattern: "), "{message}");
        assert!(Form::new("(a{1000}){1000}").is_err());
    }
}
