//! What is said to a person: a form of words, and the facts that stand in it.
//!
//! A finding is compared, counted and mended by its facts; its text is made from them once, where it is shown.

use std::fmt::{self, Display, Formatter};

use smol_str::{SmolStr, ToSmolStr};

/// One fact of what is said.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum Fact {
    /// A name, a value, a word or two.
    Word(SmolStr),
    /// One of a sort, told with its article: `an item`.
    OneOf(SmolStr),
    /// A number of things.
    Number(usize),
    /// Several words in their order.
    Words(Box<Words>),
    /// What is said within what is said.
    Said(Box<Said>),
    /// Nothing is said here.
    Nothing,
}

/// Several words, and what stands between them and before the last.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct Words {
    /// The words.
    pub words: Vec<String>,
    between: &'static str,
    last: &'static str,
}

/// What is said: a form of words with its facts, or a text that comes from elsewhere.
///
/// Two things said are the same where form and facts are, so that no text needs to be made for comparing them.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct Said(Form);

#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
enum Form {
    /// A text without facts: of a rule of the rulebook, of a parser.
    Text(std::borrow::Cow<'static, str>),
    /// Words with names in braces, and the fact for each name.
    Facts(&'static Named, Box<[Fact]>),
}

/// A form of words, and the names in it in the order of their facts.
#[derive(PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub(crate) struct Named {
    pub(crate) form: &'static str,
    pub(crate) names: &'static [&'static str],
}

/// What can be a fact.
pub(crate) trait AsFact {
    /// The fact.
    fn as_fact(&self) -> Fact;
}

impl<T: AsFact + ?Sized> AsFact for &T {
    fn as_fact(&self) -> Fact {
        (**self).as_fact()
    }
}

impl AsFact for str {
    fn as_fact(&self) -> Fact {
        Fact::Word(self.into())
    }
}

impl AsFact for String {
    fn as_fact(&self) -> Fact {
        Fact::Word(self.as_str().into())
    }
}

impl AsFact for std::borrow::Cow<'_, str> {
    fn as_fact(&self) -> Fact {
        Fact::Word((**self).into())
    }
}

impl AsFact for usize {
    fn as_fact(&self) -> Fact {
        Fact::Number(*self)
    }
}

impl AsFact for u32 {
    fn as_fact(&self) -> Fact {
        usize::try_from(*self).map_or_else(|_| Fact::Word(self.to_smolstr()), Fact::Number)
    }
}

/// What is told as it is written.
macro_rules! as_written {
    ($($of:ty),*) => {
        $(impl AsFact for $of {
            fn as_fact(&self) -> Fact {
                Fact::Word(self.to_smolstr())
            }
        })*
    };
}

as_written!(
    char,
    i64,
    f64,
    globset::ErrorKind,
    crate::document::FieldPath,
    crate::document::Number,
    crate::rulebook::Pattern,
    crate::rulebook::Test,
    crate::source::PathFault
);

impl AsFact for Said {
    fn as_fact(&self) -> Fact {
        Fact::Said(Box::new(self.clone()))
    }
}

impl AsFact for Fact {
    fn as_fact(&self) -> Fact {
        self.clone()
    }
}

/// Nothing is said where there is nothing.
impl<T: AsFact> AsFact for Option<T> {
    fn as_fact(&self) -> Fact {
        self.as_ref().map_or(Fact::Nothing, AsFact::as_fact)
    }
}

/// One of a sort: `an item`.
pub(crate) fn one(sort: &str) -> Fact {
    Fact::OneOf(sort.into())
}

/// Words one after the other: `a, b, c`.
pub(crate) fn listed<W: Display>(words: impl IntoIterator<Item = W>) -> Fact {
    joined(words, ", ", ", ")
}

/// Words of which one is meant: `a, b or c`.
pub(crate) fn either<W: Display>(words: impl IntoIterator<Item = W>) -> Fact {
    joined(words, ", ", " or ")
}

/// Words that belong together: `a, b and c`.
pub(crate) fn all_of<W: Display>(words: impl IntoIterator<Item = W>) -> Fact {
    joined(words, ", ", " and ")
}

/// Words that follow from each other: `a → b → a`.
pub(crate) fn chain<W: Display>(words: impl IntoIterator<Item = W>) -> Fact {
    joined(words, " → ", " → ")
}

fn joined<W: Display>(words: impl IntoIterator<Item = W>, between: &'static str, last: &'static str) -> Fact {
    Fact::Words(Box::new(Words { words: words.into_iter().map(|word| word.to_string()).collect(), between, last }))
}

impl Said {
    /// A form of words with its facts; [`said!`] makes it, and sees that each name has its fact.
    pub(crate) fn with<const N: usize>(named: &'static Named, facts: [Fact; N]) -> Said {
        Said(Form::Facts(named, Box::new(facts)))
    }

    /// Its facts by their names, those of what is said within it too, in the order of its words. A name stands once:
    /// the first is taken.
    pub fn facts(&self) -> Vec<(&'static str, &Fact)> {
        let mut out = Vec::new();
        self.collect(&mut out);
        out
    }

    fn collect<'s>(&'s self, out: &mut Vec<(&'static str, &'s Fact)>) {
        let Form::Facts(named, facts) = &self.0 else { return };
        for (name, fact) in named.names.iter().zip(facts) {
            match fact {
                Fact::Said(said) => said.collect(out),
                Fact::Nothing => {}
                _ if out.iter().any(|(known, _)| known == name) => {}
                _ => out.push((name, fact)),
            }
        }
    }

    /// Whether a name or a value is one of its facts.
    pub(crate) fn names(&self, word: &str) -> bool {
        match &self.0 {
            Form::Text(text) => text.contains(&format!("`{word}`")),
            Form::Facts(_, facts) => facts.iter().any(|fact| match fact {
                Fact::Word(fact) | Fact::OneOf(fact) => fact == word,
                Fact::Words(words) => words.words.iter().any(|fact| fact == word),
                Fact::Said(said) => said.names(word),
                Fact::Number(_) | Fact::Nothing => false,
            }),
        }
    }
}

impl From<String> for Said {
    fn from(text: String) -> Said {
        Said(Form::Text(text.into()))
    }
}

impl From<&'static str> for Said {
    fn from(text: &'static str) -> Said {
        Said(Form::Text(text.into()))
    }
}

impl From<Said> for String {
    fn from(said: Said) -> String {
        said.to_string()
    }
}

impl Display for Said {
    fn fmt(&self, out: &mut Formatter<'_>) -> fmt::Result {
        let (named, facts) = match &self.0 {
            Form::Text(text) => return out.write_str(text),
            Form::Facts(named, facts) => (*named, facts),
        };
        let mut rest = named.form;
        while let Some(at) = rest.find(['{', '}']) {
            let (before, brace) = rest.split_at(at);
            out.write_str(before)?;
            // a brace that stands twice stands for itself
            if let Some(after) = brace.strip_prefix("{{").or_else(|| brace.strip_prefix("}}")) {
                out.write_str(brace.get(..1).unwrap_or_default())?;
                rest = after;
                continue;
            }
            let (name, after) = brace.strip_prefix('{').and_then(|name| name.split_once('}')).unwrap_or(("", ""));
            let fact = named.names.iter().position(|known| *known == name).and_then(|nth| facts.get(nth));
            debug_assert!(fact.is_some(), "each name in `{rest}` has a fact");
            if let Some(fact) = fact {
                fact.write(out, before.ends_with('`') && after.starts_with('`'))?;
            }
            rest = after;
        }
        out.write_str(rest)
    }
}

impl Fact {
    /// Writes it; of several words in backticks each stands in its own.
    fn write(&self, out: &mut Formatter<'_>, in_backticks: bool) -> fmt::Result {
        match self {
            Fact::Word(word) => out.write_str(word),
            Fact::OneOf(sort) => write!(out, "{} {sort}", crate::rulebook::article(sort)),
            Fact::Number(number) => write!(out, "{number}"),
            Fact::Said(said) => said.fmt(out),
            Fact::Nothing => Ok(()),
            Fact::Words(words) => {
                let Words { words, between, last } = &**words;
                let tick = if in_backticks { "`" } else { "" };
                for (nth, word) in words.iter().enumerate() {
                    match nth {
                        0 => {}
                        _ if nth + 1 == words.len() => write!(out, "{tick}{last}{tick}")?,
                        _ => write!(out, "{tick}{between}{tick}")?,
                    }
                    out.write_str(word)?;
                }
                Ok(())
            }
        }
    }
}

/// Says something with facts: `said!("there is no {kind} \`{word}\`", kind = named, word)`. A name without a fact, or
/// a fact without a name, does not compile.
macro_rules! said {
    ($form:literal $(, $name:ident $(= $fact:expr)?)* $(,)?) => {{
        // no local can be captured in here, so each name needs its fact
        #[allow(dead_code, reason = "the compiler alone reads it")]
        fn each_name_has_its_fact() {
            let _ = format_args!($form $(, $name = "")*);
        }
        static NAMED: $crate::said::Named = $crate::said::Named { form: $form, names: &[$(stringify!($name)),*] };
        $crate::said::Said::with(&NAMED, [$($crate::said::fact!($name $(, $fact)?)),*])
    }};
}

/// The fact of a name: what stands behind it, or the variable of that name.
macro_rules! fact {
    ($name:ident) => {
        $crate::said::AsFact::as_fact(&$name)
    };
    ($name:ident, $fact:expr) => {
        $crate::said::AsFact::as_fact(&$fact)
    };
}

pub(crate) use {fact, said};

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn facts_stand_where_their_names_do() {
        let (word, kinds) = ("rush-lamp", ["item", "tag"]);
        let nearest = Some(said!(", the nearest is `{nearest}`", nearest = "rush-light"));
        let told = said!("there is no {kinds} `{word}`{nearest}", kinds = either(kinds), word, nearest);
        assert_eq!(told.to_string(), "there is no item or tag `rush-lamp`, the nearest is `rush-light`");
        let facts: Vec<_> = told.facts().into_iter().map(|(name, _)| name).collect();
        assert_eq!(facts, ["kinds", "word", "nearest"]);
        assert!(told.names("rush-light") && told.names("tag") && !told.names("rush"));
    }

    #[test]
    fn words_in_backticks_stand_each_in_its_own() {
        let words = ["a", "b", "c"];
        assert_eq!(said!("`{words}` lack", words = all_of(words)).to_string(), "`a`, `b` and `c` lack");
        assert_eq!(said!("lacks {words}", words = listed(words)).to_string(), "lacks a, b, c");
        assert_eq!(said!("`{way}`", way = chain(words)).to_string(), "`a` → `b` → `c`");
        assert_eq!(said!("`{words}`", words = listed(["a"])).to_string(), "`a`");
    }

    #[test]
    fn a_brace_that_stands_twice_stands_for_itself() {
        let told = said!("use `set = {{ {field} = … }}` of {kind}", field = "cost", kind = one("item"));
        assert_eq!(told.to_string(), "use `set = { cost = … }` of an item");
        // what a fact holds is never a form
        assert_eq!(said!("`{word}`", word = "{field} }} {{").to_string(), "`{field} }} {{`");
    }

    #[test]
    fn what_is_not_there_says_nothing() {
        let unit: Option<Said> = None;
        let told = said!("{number}{unit}", number = 3usize, unit);
        assert_eq!((told.to_string(), told.facts().len()), ("3".to_owned(), 1));
    }
}
