//! Keys that authors try because other descriptions of data have them, and how the same is said here.

/// The tables, the keys that are tried there, and the help.
pub(crate) type Guess = (&'static [&'static str], &'static [&'static str], &'static str);

const FIELD: &[&str] = &["kinds.NAME.fields.PATTERN"];
const KIND: &[&str] = &["kinds.NAME"];
const WHERE: &[&str] = &["where"];

pub(crate) const GUESSES: &[Guess] = &[
    (FIELD, &["required", "mandatory", "needed"], "a field must be there unless it is `optional` or has a `default`"),
    (FIELD, &["packed", "separator", "delimiter", "sep"], "a list that is packed in a text is said with `split`"),
    (
        FIELD,
        &["keys", "key"],
        "the keys of a map have a pattern of their own, as in `\"prices{key}\" = { link = \"good\" }`",
    ),
    (
        FIELD,
        &["values", "value"],
        "the values of a map have a pattern of their own, as in `\"prices{}\" = { type = \"integer\" }`",
    ),
    (
        FIELD,
        &["items", "item", "entries", "entry", "elements", "of", "each"],
        "the entries of a list have a pattern of their own, as in `\"marks[]\" = { link = \"mark\" }`",
    ),
    (
        FIELD,
        &["columns"],
        "the places of a tuple have patterns of their own, as in `\"span[0]\" = { type = \"integer\" }`",
    ),
    (
        FIELD,
        &["fields", "properties"],
        "the fields of a table have patterns of their own, as in `\"size.width\" = { type = \"integer\" }`; what several have is a `part`",
    ),
    (
        FIELD,
        &["enum", "choices", "options", "allowed", "one_of"],
        "the words that may stand are `words`, with `type = \"choice\"`",
    ),
    (FIELD, &["ref", "reference", "references", "refers", "kind", "kinds"], "what it names is said with `link`"),
    (
        FIELD,
        &["minimum", "least", "from"],
        "the least number is `min`; of a list's entries `min_count`, of letters `min_length`",
    ),
    (
        FIELD,
        &["maximum", "most", "to"],
        "the largest number is `max`; of a list's entries `max_count`, of letters `max_length`",
    ),
    (FIELD, &["regex", "regexp", "match", "matches"], "what a text looks like is said with `pattern`"),
    (FIELD, &["description", "doc", "docs", "comment", "note"], "what it means is said with `about`"),
    (FIELD, &["deprecated", "obsolete"], "what the game knows no more is `retired`"),
    (FIELD, &["prefix", "suffix"], "what stands around the id is said with `form`, as in `form = \"any {id}\"`"),
    (FIELD, &["translated", "localized", "text_key"], "the key of a text that players see is said with `text`"),
    (FIELD, &["path", "folder"], "the file that it names is said with `file`"),
    (KIND, &["id", "key"], "where the id stands is said with `name`"),
    (KIND, &["parents", "inherits", "extends", "based_on"], "the field with the parent is said with `parent`"),
    (
        KIND,
        &["override", "overrides", "same_id", "merge", "merges", "duplicates"],
        "what becomes of an id that comes again is said with `again`",
    ),
    (KIND, &["properties", "field"], "its fields stand in `fields`"),
    (KIND, &["path", "file", "folder"], "where its definitions stand is said in `where`"),
    (WHERE, &["format"], "how a file is written that its name does not tell is said with `notation`"),
    (WHERE, &["path", "paths", "file", "folder", "glob"], "the files are said with `files`"),
    (
        WHERE,
        &["root", "at", "list", "items", "element", "elements"],
        "the way to the definitions in a file is said with `cut`",
    ),
    (&["kinds.NAME.rules"], &["if", "condition", "where"], "when the rule counts is said with `when`"),
    (
        &["kinds.NAME.rules"],
        &["check", "test", "assert", "that", "expression"],
        "what must hold is said with `require`",
    ),
    (&["kinds.NAME.rules"], &["text", "error", "say"], "what is told is said with `message`"),
    (
        &["texts"],
        &["language", "default", "default_language"],
        "the language whose texts are shown is `main`; `{language}` in `files` tells a file's",
    ),
    (&["texts"], &["path", "file", "folder"], "the files are said with `files`"),
    (
        &["manifest"],
        &["depends", "dependencies", "needs", "require"],
        "where the mods stand that a mod needs is said with `requires`",
    ),
    (
        &["manifest"],
        &["conflicts", "incompatible"],
        "where the mods stand that it cannot be with is said with `excludes`",
    ),
    (&["manifest"], &["path", "files"], "the manifest's name is said with `file`"),
    (
        &["words.NAME"],
        &["list", "words", "values"],
        "words that fields declare and use; those of one field stand with it: `{ type = \"choice\", words = […] }`",
    ),
];

/// The table, a key of it that is tried for something else in another shape, and the help.
pub(crate) const OTHER_SHAPES: &[(&str, &str, &str)] = &[
    ("rulebook", "game", "the game's name is said so: `[game]`, and `name` in it"),
    ("rulebook", "where", "each place is a table of its own: `[[where]]`, and `files` in it"),
    (
        "kinds.NAME",
        "files",
        "where its definitions stand is said in `where`; `files` here are those that go with an id",
    ),
    ("kinds.NAME", "rules", "each rule is a table of its own: `[[kinds.NAME.rules]]`, and `require` in it"),
    ("kinds.NAME.fields.PATTERN", "optional", "a field that may be left out is `optional = true`"),
];

/// How what a key of a table was tried for is said.
pub(super) fn meant(table: &str, key: &str) -> Option<&'static str> {
    GUESSES.iter().find(|(tables, keys, _)| tables.contains(&table) && keys.contains(&key)).map(|(.., help)| *help)
}

/// How what a key was tried for in another shape is said.
pub(super) fn in_other_shape(table: &str, key: &str) -> Option<&'static str> {
    OTHER_SHAPES.iter().find(|(of, tried, _)| *of == table && *tried == key).map(|(.., help)| *help)
}
