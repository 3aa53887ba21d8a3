//! The functions, filters and tests of the language, each with an example that is tried in the tests.

/// What a word of the language is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Sorted {
    Function,
    Filter,
    Test,
}

/// A word of the language.
struct Word {
    sort: Sorted,
    name: &'static str,
    about: &'static str,
    /// An expression, and what it gives for the boat of the reference.
    example: (&'static str, &'static str),
}

const fn word(
    sort: Sorted,
    name: &'static str,
    about: &'static str,
    example: &'static str,
    gives: &'static str,
) -> Word {
    Word { sort, name, about, example: (example, gives) }
}

/// The definition that the examples are about, and the quay at which it lies.
pub(super) const BOAT: &str = r#"{
  "boat": { "coot": {
    "load": 7, "hold": 6.5, "title": "The old coot", "marks": ["eel", "salt"], "berth": "north", "max-crew": 3, "lamps": [],
    "cargo": [{ "what": "peat", "many": 2, "days": [{ "n": 1 }, { "n": 4 }] }, { "what": "eel", "many": 5, "days": [] }],
    "costs": { "tar": 4, "rope": 9 }, "goes": ["north", 3] } },
  "quay": { "north": { "room": 9, "ships": [{ "long": 4 }, { "long": 8 }] } }
}"#;

const WORDS: [Word; 42] = {
    use Sorted::{Filter, Function, Test};
    [
        word(Function, "ceil", "the next whole number above", "ceil(hold)", "7"),
        word(Function, "floor", "the next whole number below", "floor(hold)", "6"),
        word(Function, "min", "the least of several numbers", "min(load, hold)", "6.5"),
        word(Function, "max", "the greatest of several numbers", "max(load, 9, hold)", "9"),
        word(
            Function,
            "ref",
            "a field of the definition that a field names; also of a place of a tuple",
            "ref(berth).room + ref(goes[0]).room",
            "18",
        ),
        word(
            Function,
            "every",
            "whether it holds for every entry of a list or map",
            "every(cargo, 'many < whole.load')",
            "true",
        ),
        word(
            Function,
            "some",
            "whether it holds for an entry at least; of a map, `entry` is the value and `key` its key",
            "some(costs, 'key == \"tar\" and entry > 3')",
            "true",
        ),
        word(
            Function,
            "count",
            "for how many entries it holds; such calls stand inside each other, too",
            "count(cargo, 'some(days, \"n > 3\")')",
            "1",
        ),
        word(
            Function,
            "total",
            "the sum of a number over all entries; also of a list of another definition",
            "total(ref(berth).ships, 'long')",
            "12",
        ),
        word(Filter, "abs", "a number without its sign", "(hold - load)|abs", "0.5"),
        word(Filter, "round", "a number rounded, to a whole one or to some places", "2.345|round(2)", "2.35"),
        word(Filter, "int", "a number or text as a whole number", "'12'|int", "12"),
        word(Filter, "float", "a number or text as a number", "'1.5'|float", "1.5"),
        word(Filter, "length", "how many entries or letters there are", "marks|length", "2"),
        word(Filter, "count", "as `length`", "title|count", "12"),
        word(Filter, "first", "the first entry", "marks|first", "eel"),
        word(Filter, "last", "the last entry", "marks|last", "salt"),
        word(Filter, "min", "the least entry", "[3, 1, 2]|min", "1"),
        word(Filter, "max", "the greatest entry", "[3, 1, 2]|max", "3"),
        word(Filter, "sum", "the sum of a list of numbers", "[3, 1, 2]|sum", "6"),
        word(Filter, "sort", "a list in order", "(marks|sort)|first", "eel"),
        word(Filter, "unique", "a list with each entry once", "([1, 1, 2]|unique)|length", "2"),
        word(Filter, "list", "the entries as a list; of a text, its letters", "('ab'|list)|length", "2"),
        word(Filter, "join", "a list as a text", "marks|join(' and ')", "eel and salt"),
        word(Filter, "lower", "a text in small letters", "title|lower", "the old coot"),
        word(Filter, "upper", "a text in capital letters", "title|upper", "THE OLD COOT"),
        word(
            Filter,
            "replace",
            "a text with something in place of a piece of it",
            "title|replace('old ', '')",
            "The coot",
        ),
        word(Filter, "trim", "a text without white space at its ends", "' eel '|trim", "eel"),
        word(Filter, "split", "the pieces of a text", "(title|split(' '))|list|length", "3"),
        word(Filter, "default", "what counts where nothing is stated", "oars|default(2)", "2"),
        word(Filter, "d", "as `default`", "oars|d(2)", "2"),
        word(Test, "defined", "whether something stands there, or by default", "load is defined", "true"),
        word(Test, "undefined", "whether nothing does", "oars is undefined", "true"),
        word(
            Test,
            "empty",
            "whether nothing stands there, or an empty list, map or text",
            "lamps is empty and oars is empty and marks is not empty",
            "true",
        ),
        word(Test, "none", "whether null stands there", "load is none", "false"),
        word(Test, "odd", "whether a whole number is odd", "load is odd", "true"),
        word(Test, "even", "whether it is even", "load is even", "false"),
        word(Test, "number", "whether it is a number", "load is number", "true"),
        word(Test, "string", "whether it is a text", "title is string", "true"),
        word(Test, "startingwith", "whether a text begins so", "title is startingwith('The')", "true"),
        word(Test, "endingwith", "whether a text ends so", "title is endingwith('coot')", "true"),
        word(
            Test,
            "in",
            "whether it is an entry of a list, a key of a map, or a piece of a text",
            "'eel' is in marks and 'tar' in costs and 'old' in title",
            "true",
        ),
    ]
};

/// The words of one sort.
pub(super) fn named(sort: Sorted) -> Vec<&'static str> {
    WORDS.iter().filter(|word| word.sort == sort).map(|word| word.name).collect()
}

/// The language's words as a table in Markdown.
pub fn expressions_reference() -> String {
    let mut out = format!(
        "The examples are about the boat in\n\n```json\n{BOAT}\n```\n\n| | | example | gives |\n|---|---|---|---|\n"
    );
    for word in &WORDS {
        let shown = match word.sort {
            Sorted::Function => format!("{}(…)", word.name),
            Sorted::Filter => format!("x\\|{}", word.name),
            Sorted::Test if word.name == "in" => "x in y".to_owned(),
            Sorted::Test => format!("x is {}", word.name),
        };
        let (example, gives) = word.example;
        let example = example.replace('|', "\\|");
        out.push_str(&format!("| `{shown}` | {} | `{example}` | `{gives}` |\n", word.about));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::effective::{EffectiveScope, World};
    use crate::expression::{Expression, Outcome, told};
    use crate::source::MemorySource;

    const RULEBOOK: &str = r#"
rulebook = 1
[[where]]
files = "all.json"
cut = "boat{}"
kind = "boat"
[[where]]
files = "all.json"
cut = "quay{}"
kind = "quay"
[kinds.boat]
[kinds.boat.fields]
"load" = { type = "integer" }
"hold" = { type = "number" }
"title" = { type = "text" }
"marks[]" = { type = "text" }
"berth" = { link = "quay" }
"max-crew" = { type = "integer" }
"lamps[]" = { type = "text" }
"oars" = { type = "integer", optional = true }
"cargo[].what" = { type = "text" }
"cargo[].many" = { type = "integer" }
"cargo[].days[].n" = { type = "integer" }
"costs{}" = { type = "integer" }
"goes" = { type = "tuple" }
"goes[0]" = { link = "quay" }
"goes[1]" = { type = "integer" }
[kinds.quay]
[kinds.quay.fields]
"room" = { type = "integer" }
"ships[].long" = { type = "integer" }
"#;

    fn evaluated(source: &str) -> Result<String, String> {
        let mut files = MemorySource::default();
        files.put("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\n");
        files.put("r.toml", RULEBOOK);
        files.put("base/all.json", BOAT);
        let world = World::load(&files).unwrap();
        let catalog = world.catalog();
        let kind = catalog.rulebook().kind_named("boat").unwrap();
        let view = world.view();
        let effective = view.effective(catalog.address(kind, "coot").unwrap()).unwrap();
        let expression = Expression::new(source, kind, catalog.rulebook(), catalog.names(), false);
        let expression = expression.map_err(|errors| errors[0].to_string())?;
        match expression.eval(&EffectiveScope::new(&view, &effective)) {
            Outcome::Value(value) => Ok(told(&value)),
            Outcome::Absent => Ok("absent".to_owned()),
            Outcome::Failed(reason) => Err(reason),
        }
    }

    #[test]
    fn each_example_of_the_reference_gives_what_it_says() {
        for word in &WORDS {
            let (example, gives) = word.example;
            assert_eq!(evaluated(example), Ok(gives.to_owned()), "{}", word.name);
            assert!(example.contains(word.name), "{example}");
        }
    }

    #[test]
    fn names_and_places_of_every_sort_are_read() {
        for (source, gives) in [
            ("this['max-crew'] + whole['max-crew']", "6"),
            ("this.load == load and whole.load == load", "true"),
            ("key == 'coot' and id == 'coot'", "true"),
            ("every(cargo, 'this.many > 1 and whole[\"max-crew\"] == 3')", "true"),
            ("count(cargo, 'count(days, \"n < whole.load\") == 2')", "1"),
            ("ref(goes[0]).room", "9"),
            ("some(ref(berth).ships, 'long > whole.load')", "true"),
            ("every(ref(goes[0]).ships, 'long > 7')", "false"),
            ("total(costs, 'entry')", "13"),
            ("costs.tar + costs['rope']", "13"),
            ("'tar' in costs and not 'oil' in costs", "true"),
            ("'old' in title and 'new' not in title", "true"),
            ("oars > 2", "absent"),
            ("oars is not empty", "false"),
            ("lamps is defined and lamps is empty", "true"),
            ("costs.oil is defined", "false"),
        ] {
            assert_eq!(evaluated(source), Ok(gives.to_owned()), "{source}");
        }
    }

    #[test]
    fn what_is_no_part_of_the_language_is_told_with_what_is() {
        for (source, told) in [
            ("max-crew > 2", "`this['max-crew']`"),
            ("title.startswith('The')", "`name is startingwith('a')` asks for a beginning"),
            ("title[:3] == 'The'", "`'a' in name` for a piece"),
            ("7 in title", "behind `in` stands a text, where a list is needed"),
            ("every(ref(berth).shops, 'long > 7')", "the nearest known field is `ships`"),
            ("every(ref(berth).ships, 'lang > 7')", "the nearest known field is `long`"),
            ("every(ref(berth).room, 'long > 7')", "this is a number, where a list is needed"),
            ("ref(goes[1]).room > 1", "`ref` takes a field that names a definition, not a number"),
            ("title is emty", "the nearest known one is `empty`"),
        ] {
            let got = evaluated(source).unwrap_err();
            assert!(got.contains(told), "{source}: {got}");
        }
    }
}
