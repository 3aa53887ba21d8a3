//! The tables and keys of a rulebook: read by the loader, printed by the reference.

use crate::own::{Key, Table, Takes};

const fn key(name: &'static str, takes: Takes, about: &'static str) -> Key {
    Key { name, takes, needed: false, about }
}

const fn needed(name: &'static str, takes: Takes, about: &'static str) -> Key {
    Key { name, takes, needed: true, about }
}

/// The top of a rulebook.
pub(super) static TOP: Table = Table {
    path: "rulebook",
    about: "A rulebook is one TOML file, or a folder of them that are read as one. It describes one game: where its definitions stand, what kinds there are, and what their fields may hold. Every file begins with the format number.",
    keys: &[
        key("rulebook", Takes::Integer, "The number of this format: 1. Each file of a rulebook states it."),
        key("game", Takes::Table, "The game."),
        key("manifest", Takes::Table, "How a mod's manifest is read."),
        key("texts", Takes::Table, "Where the texts stand that players see."),
        key("files", Takes::Table, "Files that are no definitions."),
        key("where", Takes::Tables, "Where the definitions stand; one table for each sort of file."),
        key("kinds", Takes::Table, "The kinds of definition, by name."),
    ],
    example: "rulebook = 1\n\n[game]\nname = \"Saltpans\"\n\n[manifest]\nfile = \"mod.toml\"\nid = \"id\"\n\n[[where]]\nfiles = \"goods/*.json\"\ncut = \"{}\"\nkind = \"good\"\n\n[kinds.good]\nabout = \"Anything with a price.\"\nname = \"key\"\n\n[kinds.good.fields]\n\"price\" = { type = \"integer\", min = 0, unit = \"pence\" }\n",
};

/// `[game]`.
pub(super) static GAME: Table = Table {
    path: "game",
    about: "The game that is described.",
    keys: &[
        needed("name", Takes::Text, "The game's name."),
        key("edition", Takes::Text, "The version of the game that the rulebook was written for."),
        key("about", Takes::Text, "A remark for readers of the rulebook."),
    ],
    example: "[game]\nname = \"Saltpans\"\nedition = \"1.2\"\n",
};

/// `[manifest]`.
pub(super) static MANIFEST: Table = Table {
    path: "manifest",
    about: "Each mod is a folder with a manifest. These keys say which file it is and which of its fields mean what. Paths are field paths; `[]` stands for each entry of a list.",
    keys: &[
        needed("file", Takes::Text, "The manifest's name in the mod's folder."),
        needed("id", Takes::Text, "The field with the mod's id."),
        key("name", Takes::Text, "The field with the name that players see."),
        key("version", Takes::Text, "The field with the mod's version."),
        key(
            "requires",
            Takes::Text,
            "The ids of the mods that this one stands on: they load before it, and it may use and change what they define.",
        ),
        key(
            "after",
            Takes::Text,
            "The ids of mods that load before this one if they are there, without it standing on them.",
        ),
        key(
            "fields",
            Takes::Table,
            "The manifest's fields, described like those of a kind. Fields named above need no description of their own.",
        ),
    ],
    example: "[manifest]\nfile = \"mod.toml\"\nid = \"id\"\nname = \"title\"\nrequires = \"needs[]\"\n\n[manifest.fields]\n\"title\" = { type = \"text\" }\n\"pages\" = { type = \"integer\", min = 1, optional = true }\n",
};

/// `[texts]`.
pub(super) static TEXTS: Table = Table {
    path: "texts",
    about: "Texts that players see, by key. A JSON or TOML file is a table of key and text. A CSV file has a column with the key; `{language}` in `files` says that the file's name tells the language, otherwise each further column is a language.",
    keys: &[
        needed("files", Takes::Texts, "Patterns of the files; `{language}` stands for the language."),
        key("key", Takes::Text, "The CSV column with the key. Without it: `key`."),
        key(
            "text",
            Takes::Text,
            "The CSV column with the text, where the file's name tells the language. Without it: `text`.",
        ),
        key("main", Takes::Text, "The language whose texts are shown as readable names. Without it: `en`."),
    ],
    example: "[texts]\nfiles = \"texts/*.csv\"     # key,en,fr\nkey = \"key\"\nmain = \"en\"\n\n[kinds.good]\ntexts = { name = \"good.{id}.name\", about = \"good.{id}.about\" }\n",
};

/// `[files]`.
pub(super) static FILES: Table = Table {
    path: "files",
    about: "A file that no `where`, text, manifest, picture or amendment accounts for is a finding. Files that belong into a mod's folder though the game does not read them as definitions are named here.",
    keys: &[key("ignore", Takes::Texts, "Patterns of files that are passed over.")],
    example: "[files]\nignore = [\"*.md\", \"scripts/**\"]\n",
};

/// `[[where]]`.
pub(super) static WHERE: Table = Table {
    path: "where",
    about: "Where definitions stand, how a file falls into them, and which kind they are. Patterns are relative to the folder of the base or mod: `*` stands for part of a name, `**` for any folders.",
    keys: &[
        needed("files", Takes::Texts, "Patterns of the files."),
        key(
            "cut",
            Takes::Text,
            "The way to the definitions in a file: `{}` each value of the file's table, `[]` each entry of its list, `goods[]` each entry of the list under `goods`. Without it the whole file is one definition.",
        ),
        key("kind", Takes::Text, "The kind of all these definitions."),
        key("which", Takes::Text, "Instead of `kind`: the field whose value tells the kind."),
        key(
            "words",
            Takes::Table,
            "With `which`: kinds by the words that stand for them, where the words are not the kinds' own names.",
        ),
        key(
            "built",
            Takes::Text,
            "The file that `build` writes changes into, where an amended definition stands in no file of the mod: `{mod}` and `{id}` are filled in. Without it a name is made from the first pattern.",
        ),
    ],
    example: "[[where]]\nfiles = \"stock/**/*.json\"\ncut = \"entries[]\"\nwhich = \"sort\"\nwords = { ware = \"good\", boat = \"vessel\" }\n",
};

/// `[kinds.NAME]`.
pub(super) static KIND: Table = Table {
    path: "kinds.NAME",
    about: "A kind of definition. Its name is the first part of addresses, as in `good/salt`.",
    keys: &[
        key("about", Takes::Text, "What definitions of this kind are."),
        key(
            "name",
            Takes::Texts,
            "How a definition is named: `key` (its key in the file's table), `stem` (the file's name without ending), `path` (the file's path without ending), or the field that holds the id. Of several the first that is there. Without it: `key` where the cut ends with `{}`, `stem` where the whole file is the definition, otherwise the field `id`. A field that holds the id needs no description of its own.",
        ),
        key(
            "parent",
            Takes::Text,
            "The field that names the definition from which this one starts. What it does not state itself is taken from there. Parents are looked up after all mods are loaded.",
        ),
        key(
            "again",
            Takes::Text,
            "What the same id in a higher layer means: `replace` (the new definition counts alone), `merge` (its fields are laid over the old ones, tables field by field, lists as a whole unless the field has `join`), or `fault`. Without it: `fault`.",
        ),
        key(
            "label",
            Takes::Text,
            "The field with the name that players see, where it stands in the definition itself.",
        ),
        key(
            "texts",
            Takes::Table,
            "Templates of the text keys that belong to a definition, by role: `{id}` and `{kind}` are filled in. The role `name` is the readable name.",
        ),
        key("open", Takes::Boolean, "Whether fields that are not described are normal."),
        key("fields", Takes::Table, "The fields, by path pattern."),
        key("rules", Takes::Tables, "What must hold beyond types and limits."),
    ],
    example: "[kinds.good]\nabout = \"Anything with a price.\"\nname = \"key\"\nparent = \"like\"\nagain = \"merge\"\ntexts = { name = \"good.{id}\" }\n",
};

/// `[kinds.NAME.fields]`.
pub(super) static FIELD: Table = Table {
    path: "kinds.NAME.fields.PATTERN",
    about: "A field, by path pattern: `a.b` is `b` in the table `a`, `a[]` each entry of the list `a`, `a{}` each value of the map `a`, `a{key}` its keys. Tables and lists on the way need no entry of their own. A field must be there unless it has a `default` or is `optional`; a table on the way is optional if all its fields are, or if it has an entry that says so. What stands on a pattern that ends with `[]` about the list (`list`, `by`, `join`, `optional`, a `default` that is a list) is said of the list.",
    keys: &[
        key(
            "type",
            Takes::Text,
            "`integer`, `number`, `boolean`, `text`, `choice` (one of `words`), `flags` (a list of `words`, each at most once), `list`, `table`, `map`, or `any`. Not needed beside `link` and `file`.",
        ),
        key("words", Takes::Texts, "The allowed words of a choice or of flags."),
        key("link", Takes::Texts, "The value is the id of a definition of this kind, or of one of these kinds."),
        key(
            "file",
            Takes::Text,
            "The value names a file: its place is found by putting the value in place of the `*`, as in `art/*.png`.",
        ),
        key(
            "list",
            Takes::Text,
            "How a list's entries count: `set` (each value once, order means nothing), `keyed` (an entry is known by the fields in `by`), `bag` (equal entries count, order means nothing), or `sequence` (order counts). Without it: `sequence`.",
        ),
        key("by", Takes::Texts, "The fields that tell the entries of a keyed list apart."),
        key(
            "join",
            Takes::Boolean,
            "Whether this list is joined with what parents and, in kinds that merge, lower layers state. Otherwise it takes their place.",
        ),
        key("min", Takes::Number, "The least number allowed."),
        key("max", Takes::Number, "The greatest number allowed."),
        key("default", Takes::Any, "What counts where nothing is stated."),
        key("optional", Takes::Boolean, "Whether it may be left out."),
        key("unit", Takes::Text, "The unit of a number, for people."),
        key("open", Takes::Boolean, "Whether a table may hold fields that are not described."),
        key("about", Takes::Text, "What the field means."),
    ],
    example: "[kinds.good.fields]\n\"price\"        = { type = \"integer\", min = 0, max = 900, default = 1, unit = \"pence\" }\n\"marks[]\"      = { link = \"mark\", list = \"set\", optional = true }\n\"parts[]\"      = { list = \"keyed\", by = \"what\", optional = true }\n\"parts[].what\" = { link = [\"good\", \"mark\"] }\n\"parts[].many\" = { type = \"integer\", min = 1, default = 1 }\n\"wear{key}\"    = { type = \"choice\", words = [\"rain\", \"frost\"] }\n\"wear{}\"       = { type = \"number\", min = 0, max = 1 }\n\"icon\"         = { file = \"art/*.png\", optional = true }\n",
};

/// `[[kinds.NAME.rules]]`.
pub(super) static RULE: Table = Table {
    path: "kinds.NAME.rules",
    about: "An expression that must hold for every definition of the kind, as the game would see it. The definition's fields are its variables; `id` and `kind` are there too. `ref(x).field` reads a field of the definition that `x` names. A rule that reads an optional field which is absent is not tried, unless it asks with `is defined`.",
    keys: &[
        key("code", Takes::Text, "The finding's code. Without it: `rule-broken`."),
        needed("require", Takes::Text, "What must hold, in the expression language."),
        key("when", Takes::Text, "Tried only where this holds."),
        needed(
            "message",
            Takes::Text,
            "What is wrong if it does not hold: a lower-case phrase. `{field}` is filled in.",
        ),
        key("severity", Takes::Text, "`error`, `warning` or `note`. Without it: `error`."),
    ],
    example: "[[kinds.vessel.rules]]\ncode = \"hold-too-small\"\nrequire = \"load <= hold\"\nmessage = \"a load of {load} does not fit a hold of {hold}\"\n",
};

/// All tables in the order of the reference.
pub(super) static TABLES: [&Table; 9] = [&TOP, &GAME, &MANIFEST, &TEXTS, &FILES, &WHERE, &KIND, &FIELD, &RULE];
