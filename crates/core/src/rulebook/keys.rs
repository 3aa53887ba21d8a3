//! The tables and keys of a rulebook: read by the loader, printed by the reference.
//!
//! Long because it is one list of descriptions, which the loader and the reference page share.

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
        key("reader", Takes::Table, "How strict the game's own reader is."),
        key("faults", Takes::Table, "What the game does with a fault, by the finding's code."),
        key("notations", Takes::Table, "How files are written that their endings do not tell, by name."),
        key("words", Takes::Table, "Vocabularies: words that fields declare and use, by name."),
        key("where", Takes::Tables, "Where the definitions stand; one table for each sort of file."),
        key(
            "scripts",
            Takes::Tables,
            "Ids that scripts declare and use, by patterns: also beside a block of definitions in the same file, and in the texts of definition files.",
        ),
        key(
            "captures",
            Takes::Tables,
            "Lines that the game writes to a log while somebody plays, and what becomes of them.",
        ),
        key("derived", Takes::Tables, "Files that follow from definitions, as an index: `build` writes them."),
        key("pack", Takes::Table, "How a mod is packed to be handed out."),
        key("severity", Takes::Tables, "How bad findings are in this game, where that is another than usual."),
        key("saved", Takes::Tables, "Where ids stand in saved games."),
        key("install", Takes::Table, "Where the game looks for mods, and what says that it loads them."),
        key("parts", Takes::Table, "Groups of fields that several kinds share, by name."),
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
        key("id", Takes::Text, "What stands for `{mod}` in ids of the base. Without it: `base`."),
        key("edition", Takes::Text, "The version of the game that the rulebook was written for."),
        key(
            "modes",
            Takes::Texts,
            "What players choose for a whole game, one at a time: modes, maps. Mods can have parts that apply only in one, `parts` of `[manifest]`.",
        ),
        key("about", Takes::Text, "A remark for readers of the rulebook."),
    ],
    example: "[game]\nname = \"Saltpans\"\nedition = \"1.2\"\n",
};

/// `[manifest]`.
pub(super) static MANIFEST: Table = Table {
    path: "manifest",
    about: "Each mod is a folder, as a rule with a manifest. These keys say which file that is and which of its fields mean what. Where manifests cannot say what a mod stands on, `stands_on` in `cognomen.toml` does. Paths are field paths; `[]` stands for each entry of a list.",
    keys: &[
        key(
            "notation",
            Takes::Text,
            "How it is written, where its name does not tell: a format, or the name of a `[notations.NAME]`.",
        ),
        key(
            "file",
            Takes::Text,
            "The manifest's name in the mod's folder. Without it, where `id` is `folder`, each folder among the mods is a mod.",
        ),
        key("optional", Takes::Boolean, "Whether a mod's folder may be without its manifest, where `id` is `folder`."),
        needed(
            "id",
            Takes::Text,
            "The field with the mod's id; `folder` where the name of its folder is the id (a field of that name is `\"folder\"`).",
        ),
        key("name", Takes::Text, "The field with the name that players see."),
        key("version", Takes::Text, "The field with the mod's version."),
        key("made_for", Takes::Text, "The field with the version of the game that the mod was made for."),
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
            "requires_version",
            Takes::Text,
            "Where the version of a required mod stands, beside its id in `requires` or `after`: `needs[].version` beside `needs[].id`, `needs{}` beside `needs{key}`.",
        ),
        key(
            "requires_as",
            Takes::Text,
            "How id and version are written where one text holds both: `{id} {version}`, `{id}@{version}`. A text without a version is the id alone.",
        ),
        key(
            "versions",
            Takes::Text,
            "How versions are compared: `plain` (what is taken without this entry: number by number; a version that stands alone is the least), or `semver` (semver.org; a version that stands alone is met by what is compatible with it).",
        ),
        key("excludes", Takes::Text, "The ids of mods that cannot be loaded together with this one."),
        key(
            "parts",
            Takes::Any,
            "Folders of a mod that apply only where another mod is loaded, too: `with-{mod}`. What lies in one may use and change what that mod defines; it loads behind both. Where there are other conditions, a table of them; see below.",
        ),
        key(
            "fields",
            Takes::Table,
            "The manifest's fields, described like those of a kind. Fields named above need no description of their own.",
        ),
    ],
    example: "[manifest]\nfile = \"mod.toml\"\nid = \"id\"\nname = \"title\"\nrequires = \"needs[]\"\n\n[manifest.fields]\n\"title\" = { type = \"text\" }\n\"pages\" = { type = \"integer\", min = 1, optional = true }\n",
};

/// `parts` of `[manifest]`.
pub(super) static MANIFEST_PARTS: Table = Table {
    path: "manifest.parts",
    about: "The folders of a mod that apply only under a condition. Each is a layer of its own behind its mod, checked where it applies.",
    keys: &[
        key(
            "with",
            Takes::Text,
            "Where another mod is loaded, too: `with-{mod}`. It may use and change what that mod defines.",
        ),
        key("without", Takes::Text, "Where another mod is not loaded: `without-{mod}`."),
        key("mode", Takes::Text, "In one of the game's `modes`: `in-{mode}`."),
    ],
    example: "[game]\nname = \"Saltpans\"\nmodes = [\"calm\", \"storm\"]\n\n[manifest]\nfile = \"mod.toml\"\nid = \"id\"\nparts = { with = \"with-{mod}\", without = \"without-{mod}\", mode = \"in-{mode}\" }\n",
};

/// `[texts]`.
pub(super) static TEXTS: Table = Table {
    path: "texts",
    about: "Texts that players see, by key. A JSON or TOML file is a table of key and text. A gettext catalogue (`.po`) is texts by what they translate, a `.properties` file lines of key and text. A CSV file has a column with the key; `{language}` in `files` says that the file's name tells the language, otherwise each further column is a language. In XML, YAML and JSON the entries of a list are read as rows, too.",
    keys: &[
        key(
            "notation",
            Takes::Text,
            "How it is written, where its name does not tell: a format, or the name of a `[notations.NAME]`.",
        ),
        needed("files", Takes::Texts, "Patterns of the files; `{language}` stands for the language."),
        key(
            "cut",
            Takes::Text,
            "Where in a file the texts stand, where that is not the file itself: a table of key and text (`words`, or the element around all in XML), one for each language (`{}`), or entries with the key in a field of their own (`words.word[]`).",
        ),
        key(
            "nested",
            Takes::Text,
            "Of tables of key and text: they can stand in each other, and the keys on the way to a text are one with this mark between them. With `.`, `{ ware: { eel: Eel } }` has the text `ware.eel`.",
        ),
        key("key", Takes::Text, "The column or field with the key. Without it: `key`."),
        key(
            "text",
            Takes::Text,
            "The column or field with the text, where the file's name or the table around tells the language, or all is in the main one. Without it: `text`.",
        ),
        key("languages", Takes::Texts, "The languages that the game has. Without it, any may be there."),
        key("main", Takes::Text, "The language whose texts are shown as readable names. Without it: `en`."),
        key(
            "token",
            Takes::Text,
            "What a token looks like that the game fills in: a pattern with one group in parentheses for the token's name.",
        ),
    ],
    example: "[texts]\nfiles = \"texts/*.csv\"     # key,en,fr\nkey = \"key\"\nmain = \"en\"\ntoken = \"<([a-z]+)>\"\n\n[kinds.good]\ntexts = { name = \"good.{id}.name\", offer = { key = \"good.{id}.offer\", optional = true, tokens = [\"buyer\"] } }\n",
};

/// `[reader]`.
pub(super) static READER: Table = Table {
    path: "reader",
    about: "Cognomen reads more than most games do. What the game's own reader refuses is a finding. Without an entry nothing is said about it.",
    keys: &[
        key(
            "byte_order_mark",
            Takes::Boolean,
            "Whether the game reads files that begin with a byte order mark, as some editors write it. Without it: not where its JSON may have neither comments nor a comma behind the last entry, and nothing is said elsewhere.",
        ),
        key("comments", Takes::Boolean, "Whether the game reads JSON files with comments."),
        key(
            "comment_keys",
            Takes::Texts,
            "Keys that the game passes over as remarks; `*` stands for anything, as in `//*`. Before an attribute of XML stands `@`: `@note`.",
        ),
        key(
            "inert",
            Takes::Any,
            "A test, or several: an element of a file with definitions for which one holds is passed over, with all that is in it. It can be the whole file, what definitions stand in, a definition, or a table in one.",
        ),
        key("trailing_commas", Takes::Boolean, "Whether the game reads a comma behind the last entry."),
        key(
            "yaml",
            Takes::Text,
            "Which YAML the game reads: `1.2` (what is taken without this entry), or `1.1`, where `yes`, `no`, `on` and `off` without quotes are true and false.",
        ),
    ],
    example: "[reader]\ncomments = true\ntrailing_commas = false\n",
};

/// `[notations.NAME]`.
pub(super) static NOTATION: Table = Table {
    path: "notations.NAME",
    about: "How some files are written: a format with what is special in it. A `[[where]]` takes it over with `notation`.",
    keys: &[
        needed(
            "format",
            Takes::Text,
            "The format: `json`, `toml`, `yaml`, `xml`, `csv`, `described` for lines of key and value, or `records` for what patterns find in a text.",
        ),
        key("about", Takes::Text, "A remark for readers of the rulebook."),
        key(
            "block",
            Takes::Texts,
            "Two marks: only what stands between them is read, in a file that holds other things besides. Several blocks in one file are read as a list of them.",
        ),
        key("separator", Takes::Text, "Of `csv`: what stands between two cells, one character. Without it a comma."),
        key(
            "comment",
            Takes::Texts,
            "Of `csv`: what a line begins with that is a comment. Of `described`: what comments begin with, at the beginning of a line or behind a blank; without it `#`. With a blank in it, as `/* */`, what stands before and behind a comment, over several lines too; brackets, as `{ }`, may hold others: so the calls and definitions of a macro language are passed over.",
        ),
        key(
            "join",
            Takes::Text,
            "What stands between several values in one cell of `csv` or on one line of `described`, which are then a list.",
        ),
        key(
            "header",
            Takes::Integer,
            "Of `csv`: the row with the names of the columns, from 1. What stands above it is not read.",
        ),
        key(
            "record",
            Takes::Texts,
            "Of `records`: regular expressions that find records in the text of another language, by groups with names, which are the fields: `'add\\((?<id>\\w+), (?<price>\\d+)\\)'`. `^` and `$` are the ends of a line. The file is a list of them (`cut = \"[]\"`); they are read and checked, and never written.",
        ),
        key(
            "columns",
            Takes::Texts,
            "Of `csv`: the names of the columns, where no row holds them. With `[]` behind the last one it takes all cells that are left, as a list.",
        ),
        key(
            "rows",
            Takes::Text,
            "Of `csv` without a header: the file is one table, with its rows in this field; without `columns`, each row is the list of its cells.",
        ),
        key("skip", Takes::Integer, "Of `csv`: how many rows below the header are not read, as a row of units."),
        key(
            "assign",
            Takes::Text,
            "Of `described`: the mark between key and value; a space for any white space. Without it `=`.",
        ),
        key(
            "section",
            Takes::Texts,
            "Of `described`: the marks around the name of a section, as `[\"[\", \"]\"]`. A section is a table under its name.",
        ),
        key(
            "closing",
            Takes::Texts,
            "Of `described`: the marks around the name with which a section ends, as `[\"[/\", \"]\"]`. Sections can then stand in each other.",
        ),
        key("long", Takes::Boolean, "Of `described`: whether a text in double quotes can go on over several lines."),
        key(
            "indents",
            Takes::Boolean,
            "Of `described`: whether lines that are further in belong to the line above them.",
        ),
        key(
            "named",
            Takes::Text,
            "Of `described`: the field that holds what follows the first word of a section's name: with `named = \"id\"`, `[lamp brass]` is a `lamp` with the `id` `brass`; so is `lamp brass { … }` with `braces`, and `lamp brass` with lines below it with `indents`.",
        ),
        key(
            "braces",
            Takes::Boolean,
            "Of `described`: whether `{` and `}` hold entries of their own, or a list of words.",
        ),
        key(
            "headings",
            Takes::Texts,
            "Of `described`: the marks around a table whose first row is its headings, as `[\"{\", \"}\"]`: `needs = { \"what\", \"many\"`, a row on each further line, and `}`. It is a list of tables, whose cells stand under the headings; `join` parts them.",
        ),
        key(
            "tags",
            Takes::Text,
            "Of `yaml`: the field that holds the tag of a table: with `tags = \"type\"`, `!frost { amount: 3 }` has the `type` `frost`. Without it tags are left alone.",
        ),
        key("tag", Takes::Text, "Of `yaml`: what a tag begins with that `tags` reads; without it `!`."),
        key(
            "content",
            Takes::Text,
            "Of `yaml` with `tags`: the field that holds a value behind a tag that is no table. With `tags = \"do\"` and `content = \"#text\"`, `!more 5` is a table with `do` and `#text`, as an element of XML with a mark is (`changed_by`). Without it only tags of tables are read.",
        ),
        key(
            "include",
            Takes::Text,
            "Of `described`: the word of a line that takes in another file. What follows it is the value of a field of that name, which can be a kind's `parent`.",
        ),
        key(
            "bare",
            Takes::Boolean,
            "Of `described`: whether a key may stand alone on its line, as a flag (`yes = [\"\"]`).",
        ),
        key(
            "repeats",
            Takes::Text,
            "Of `described`: what several lines of one key are where the field takes one value: `list` (then it is a fault), or `last`, where the last counts.",
        ),
        key("any_case", Takes::Boolean, "Of `described`: whether keys are the same in capitals and small letters."),
    ],
    example: "[notations.ledger]\nformat = \"csv\"\nseparator = \";\"\ncomment = \"#\"\njoin = \"|\"\n\n[[where]]\nfiles = \"ledgers/*.txt\"\nnotation = \"ledger\"\ncut = \"[]\"\nkind = \"good\"\n",
};

/// `[faults]`.
pub(super) static FAULTS: Table = Table {
    path: "faults",
    about: "What the game does with a fault, by the finding's code, as a phrase. Findings repeat it.",
    keys: &[],
    example: "[faults]\nleads-nowhere = \"the entry is dropped when the game is loaded\"\nfield-not-known = \"the game reads past it\"\n",
};

/// `[parts.NAME]`.
pub(super) static PART: Table = Table {
    path: "parts.NAME",
    about: "A group of fields that stands inside several kinds. A field takes it over with `part`: the part's patterns then stand below that field's own.",
    keys: &[key("about", Takes::Text, "What it is."), key("fields", Takes::Table, "The fields, by path pattern.")],
    example: "[parts.portion.fields]\n\"what\" = { link = \"good\" }\n\"many\" = { type = \"integer\", min = 1, default = 1 }\n\n[kinds.meal.fields]\n\"of[]\" = { part = \"portion\", list = \"keyed\", by = \"what\" }\n",
};

/// `[files]`.
pub(super) static FILES: Table = Table {
    path: "files",
    about: "A file that no `where`, text, manifest, picture or amendment accounts for is a finding. Files that belong into a mod's folder though the game does not read them as definitions are named here.",
    keys: &[
        key(
            "any_case",
            Takes::Boolean,
            "Whether capital and small letters are the same in the names of files that fields name.",
        ),
        key(
            "variables",
            Takes::Table,
            "Words that stand for folders at the beginning of such names: `{ \"$ART\" = \"art\" }`.",
        ),
        key("ignore", Takes::Texts, "Patterns of files that are passed over."),
        key(
            "needed",
            Takes::Table,
            "For folders, by pattern, the file that each must have: `{ \"packs/*\" = \"pack.txt\" }`.",
        ),
    ],
    example: "[files]\nignore = [\"*.md\", \"scripts/**\"]\nneeded = { \"packs/*\" = \"pack.txt\" }\n",
};

/// `[[severity]]`.
pub(super) static SEVERITY: Table = Table {
    path: "severity",
    about: "How bad findings are in this game, where that is another than usual. Of several that fit a finding the last counts. What only one workspace accepts stands in its `accepted.toml`.",
    keys: &[
        needed("code", Takes::Text, "The findings' code."),
        needed("is", Takes::Text, "`error`, `warning`, `note`, or `silent`: they are not told."),
        key("kind", Takes::Texts, "Only those about definitions of this kind, or of these."),
        key("field", Takes::Texts, "Only those about this field and what is in it, as a pattern, or about these."),
        key("files", Takes::Texts, "Only those in these files, by patterns below the base or mod."),
        key("why", Takes::Text, "The reason, for people."),
    ],
    example: "[[severity]]\ncode = \"leads-nowhere\"\nkind = \"good\"\nfield = \"parts[].what\"\nis = \"note\"\nwhy = \"the game passes such entries over\"\n",
};

/// `[words.NAME]`.
pub(super) static WORDS: Table = Table {
    path: "words.NAME",
    about: "A vocabulary: words that are no definitions, but must be declared somewhere. Fields with `declares` declare them, fields with `word` use them.",
    keys: &[
        key("about", Takes::Text, "A remark for readers of the rulebook."),
        key("listed", Takes::Texts, "Words that the game itself knows; `*` stands for anything."),
        key(
            "within",
            Takes::Text,
            "`definition`: what a definition declares holds within it alone. Without it: `game`.",
        ),
        key(
            "lacking",
            Takes::Text,
            "How bad a word is that nothing declares: `error` (without this key), `warning`, `note` or `silent`.",
        ),
        key(
            "unused",
            Takes::Text,
            "How bad a word is that is declared and that nothing uses: `error`, `warning`, `note`, or `silent` (without this key).",
        ),
        key("once", Takes::Boolean, "Whether each word can be declared in one place only."),
    ],
    example: "[words.state]\nlisted = [\"always\", \"moon_*\"]\n\n[kinds.errand.fields]\n\"sets[]\" = { declares = \"state\", optional = true }\n\"needs[]\" = { word = \"state\", optional = true }\n",
};

/// `[[where]]`.
pub(super) static WHERE: Table = Table {
    path: "where",
    about: "Where definitions stand, how a file falls into them, and which kind they are. Patterns are relative to the folder of the base or mod: `*` stands for part of a name, `**` for any folders. A sheet of a workbook is named as if the workbook were a folder: `tables/goods.xlsx/Prices`.",
    keys: &[
        needed("files", Takes::Texts, "Patterns of the files."),
        key(
            "cut",
            Takes::Text,
            "The way to the definitions in a file: `{}` each value of the file's table, `[]` each entry of its list, `goods[]` each entry of the list under `goods`. Without it the whole file is one definition.",
        ),
        key(
            "notation",
            Takes::Text,
            "How the files are written, where their endings do not tell: `json`, `toml`, `yaml`, `xml`, `csv`, or the name of a `[notations.NAME]`.",
        ),
        key("kind", Takes::Text, "The kind of all these definitions."),
        key(
            "shadows",
            Takes::Any,
            "Whether a file of a higher layer hides the one at the same path below it, with all its definitions: `true`, or a test of what stands in the file.",
        ),
        key(
            "if",
            Takes::Table,
            "A test: only the pieces for which it holds are definitions of this place. Another place can take the others.",
        ),
        key(
            "which",
            Takes::Text,
            "Instead of `kind`: what tells the kind: a field, or `key`, `stem`, `folder`, as `name` of a kind says it.",
        ),
        key(
            "words",
            Takes::Table,
            "With `which`: kinds by the words that stand for them, where the words are not the kinds' own names. `*` in a word stands for anything.",
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
    about: "A kind of definition. Its name is the first part of addresses, as in `good/salt`.\n\nThe words of a template for ids are `key`, `stem`, `path`, `folder` or a field, `mod` (the mod's id; of the base, the `id` of `[game]`), and a field of the file outside of the definitions, behind a `/`. A word can be changed, in turn, behind `|`: `{stem|lower}`, `upper`, `{title|spaces:_}` (what stands for spaces), `{path|after:goods/}` (what stands behind the first of these), `{key|before:@}` (what stands before it); a word in which that does not occur stays as it is. So `{mod}:{path|after:goods/}` is `salters:dry/salt` in `goods/dry/salt.json`, and `{/space}/{key}` begins with what `space` says at the top of the file.",
    keys: &[
        key("about", Takes::Text, "What definitions of this kind are."),
        key(
            "name",
            Takes::Texts,
            "How a definition is named: `key` (its key in the file's table), `stem` (the file's name without ending), `path` (the file's path without ending), `folder` (the folder's name), the field that holds the id, a template of several (`{result}[_{suffix}]`: what stands in brackets is left out where a word is not there; see below), or `none` for definitions without an id. Of several the first that is there. A field with a list gives the definition several ids. Without it: `key` where the cut ends with `{}`, `stem` where the whole file is the definition, otherwise the field `id`. A field that holds the id needs no description of its own.",
        ),
        key(
            "space",
            Takes::Text,
            "Kinds with the same word here share their ids: no two of their definitions may have the same, and parents may be of any of them.",
        ),
        key(
            "scope",
            Takes::Text,
            "`folder`: ids hold within a folder of files. A link looks in the folder of its own file first, then in those around it; in addresses the folder stands before the id.",
        ),
        key(
            "repeats_id",
            Takes::Texts,
            "Fields that hold the id once more, and must be the same. `new`, `copy` and `rename` write them.",
        ),
        key("aliases", Takes::Texts, "Fields with further names of a definition, such as those it had before."),
        key("changed_by", Takes::Table, "How the game writes changes of what is inherited."),
        key(
            "renames",
            Takes::Table,
            "Definitions of this kind are records that give those of another kind a new id: `{ kind = \"good\", from = \"old\", to = \"new\" }`.",
        ),
        key(
            "removes",
            Takes::Table,
            "A test: where it holds, the definition takes away what lower layers define under its id.",
        ),
        key(
            "outline",
            Takes::Table,
            "A test: where it holds, the definition is only there to be inherited from, and may lack what others need.",
        ),
        key(
            "parent",
            Takes::Text,
            "The field that names the definition from which this one starts, or several, which are laid over each other in their order. What it does not state itself is taken from there.",
        ),
        key(
            "binds",
            Takes::Text,
            "Which parents count: `late`, as they are after all mods are loaded (what is taken without this key), or `early`, as they are when the child's own mod is loaded.",
        ),
        key(
            "parent_paths",
            Takes::Texts,
            "Where paths in the parent field begin, for kinds named by their `path`: `root`, the folder of the base or mod (what is taken without this key), `file`, the folder of the file, or a folder like `shared/`; of several in turn. `./` and `../` always begin at the file; an ending counts for nothing.",
        ),
        key(
            "again",
            Takes::Any,
            "What the same id in a higher layer means: `replace` (the new definition counts alone), `merge` (its fields are laid over the old ones, tables field by field, lists as a whole unless the field has `join`), `variant` (both count side by side, also in one layer; a lower one cannot be changed, another is put beside it), or `fault`. Without it: `fault`. Where definitions say it themselves, a list of tests, of which the first that holds counts: `[{ if = { mode = \"add\" }, is = \"merge\" }, { is = \"replace\" }]`.",
        ),
        key(
            "label",
            Takes::Text,
            "The field with the name that players see, where it stands in the definition itself.",
        ),
        key(
            "texts",
            Takes::Table,
            "Templates of the text keys that belong to a definition, by role: `{id}` and `{kind}` are filled in. The role `name` is the readable name. Instead of the template a table: `key`, `optional` (it may be left out), `tokens` (those that the game fills in there).",
        ),
        key(
            "files",
            Takes::Table,
            "Templates of the files that a definition implies by its id though no field names them, by role: `{id}` is filled in.",
        ),
        key("ids", Takes::Table, "What ids look like."),
        key("groups", Takes::Tables, "Fields that depend on each other."),
        key(
            "retired",
            Takes::Table,
            "A test: where it holds, the definition is kept for old saved games only, and nothing should name or change it.",
        ),
        key(
            "members",
            Takes::Text,
            "The kind is a group of definitions, like a tag: the pattern of the field that lists its members. Members of the kind itself are groups within the group. Definitions can also join by a field of their own (`joins`).",
        ),
        key("members_are", Takes::Text, "In a group, the field that names the kind of its members."),
        key(
            "led_to",
            Takes::Texts,
            "A definition of this kind comes into the game only where another names it: the fields that do so, as `kind.pattern`. Groups that are named there lead to their members.",
        ),
        key(
            "closed",
            Takes::Text,
            "Mods can change definitions of this kind, and add none: what to do instead, as a phrase.",
        ),
        key("takes_up", Takes::Text, "How the game takes up a change: `at a new start`, `only in a new saved game`."),
        key("see", Takes::Text, "How to look at one in the game; `{id}` is filled in."),
        key(
            "open",
            Takes::Boolean,
            "Whether fields that are not described are normal. They can be set and amended as well, with any value; what looks like a slip of one that is described is not.",
        ),
        key(
            "part",
            Takes::Texts,
            "A part, or several, whose fields are fields of the kind. What `fields` says of the same ones counts.",
        ),
        key("fields", Takes::Table, "The fields, by path pattern."),
        key("rules", Takes::Tables, "What must hold beyond types and limits."),
    ],
    example: "[kinds.good]\nabout = \"Anything with a price.\"\nname = \"key\"\nparent = \"like\"\nagain = \"merge\"\ntexts = { name = \"good.{id}\" }\n",
};

/// `kinds.NAME.again`.
pub(super) static AGAIN: Table = Table {
    path: "kinds.NAME.again",
    about: "",
    keys: &[
        key("if", Takes::Table, "A test; without it the entry always holds."),
        key("is", Takes::Text, "`replace`, `merge`, `variant` or `fault`."),
    ],
    example: "",
};

/// `[[scripts]]`.
pub(super) static SCRIPTS: Table = Table {
    path: "scripts",
    about: "Script files that declare ids or use them. They are searched with regular expressions that have one group in parentheses, for the id; nothing else of them is read. What a script declares counts as a definition of which nothing is known but its id.",
    keys: &[
        needed("files", Takes::Texts, "Patterns of the files."),
        needed("kind", Takes::Text, "The kind of the ids."),
        key("declares", Takes::Texts, "Patterns of places where an id is declared."),
        key("uses", Takes::Texts, "Patterns of places where an id is used: it must lead somewhere."),
        key("form", Takes::Any, "How ids are written, as `form` of a field says it."),
        key("known", Takes::Texts, "Names that the game itself knows; `*` stands for anything."),
        key("lacking", Takes::Text, "How bad it is if nothing is found, as `lacking` of a field says it."),
    ],
    example: "[[scripts]]\nfiles = \"scripts/**/*.lua\"\nkind = \"good\"\ndeclares = 'add_good\\(\"([^\"]+)\"'\nuses = ['give\\(\"([^\"]+)\"', 'take\\(\"([^\"]+)\"']\n",
};

/// `[[derived]]`.
pub(super) static DERIVED: Table = Table {
    path: "derived",
    about: "A file that follows from definitions: an index, a list of numbers, an include list. `build` writes it, complete; shipped by hand and out of date, it is a finding.",
    keys: &[
        needed(
            "file",
            Takes::Text,
            "Its path below the mod's folder. `{folder}` stands for each folder in which such definitions lie: one file for each.",
        ),
        needed("of", Takes::Text, "The kind of the definitions."),
        key("where", Takes::Text, "An expression: only the definitions for which it holds."),
        needed("line", Takes::Text, "What is written for each: `{id}`, `{kind}` and `{field}` are filled in."),
        key("by", Takes::Text, "The field by which they are sorted, numbers by their size. Without it: by id."),
        key("head", Takes::Text, "What stands above them."),
        key("foot", Takes::Text, "What stands below them."),
        key("whole", Takes::Boolean, "Whether the game wants what the base and the mods below define in it, too."),
        key(
            "format",
            Takes::Text,
            "`lines` (what is taken without this entry), or `json`: a list of what `line` gives, or, with `key`, a table.",
        ),
        key("key", Takes::Text, "With `format = \"json\"`: the key of each, as `{id}`."),
        key("stale", Takes::Text, "What the game does with what is lacking in it."),
    ],
    example: "[[derived]]\nfile = \"goods/index.txt\"\nof = \"good\"\nwhere = \"price > 0\"\nline = \"{id} = {price}\"\nhead = \"# made by the build\"\nstale = \"goods that are not listed are not loaded\"\n",
};

/// `[pack]`.
pub(super) static PACK: Table = Table {
    path: "pack",
    about: "How `cognomen pack` lays out an archive. `{id}` and `{version}` are those of the mod.",
    keys: &[
        key("name", Takes::Text, "The archive's name. Without it: `{id}.zip`."),
        key("folder", Takes::Text, "The folder in the archive that the files lie in. Without it, they lie at its top."),
    ],
    example: "[pack]\nname = \"{id}-{version}.zip\"\nfolder = \"{id}\"\n",
};

/// `[install]`.
pub(super) static INSTALL: Table = Table {
    path: "install",
    about: "Where the game looks for mods, for `cognomen install`. The workspace file names the game's folder under `game`; paths are below it.",
    keys: &[
        needed("mods", Takes::Text, "The folder in which each mod has its own."),
        key(
            "as",
            Takes::Text,
            "`folder` (what is taken without this entry), or `archive`: one file, as `pack` makes it.",
        ),
        key(
            "name",
            Takes::Text,
            "The name of a mod's folder or archive; `{id}` and `{version}` are those of the mod. Without it: `{id}`, or the name that `[pack]` gives.",
        ),
        key("known_by", Takes::Texts, "Files or folders by which a folder is known to be the game's."),
        key("enabled", Takes::Table, "The list of the mods that the game loads. See below."),
    ],
    example: "[install]\nmods = \"mods\"\nknown_by = \"fen.bin\"\nenabled = { file = \"mods.json\", mods = \"loaded[].id\", with = { on = true }, ordered = true }\n",
};

/// `[install.enabled]`.
pub(super) static ENABLED: Table = Table {
    path: "install.enabled",
    about: "",
    keys: &[
        needed(
            "file",
            Takes::Text,
            "Its path below the game's folder: JSON, TOML, YAML, XML, a CSV table, or plain lines.",
        ),
        key(
            "mods",
            Takes::Text,
            "Where the ids stand: `enabled[]`, `mods[].id` (also of a table: `[].id`), or `mods{key}` where they are the keys of a table.",
        ),
        key("with", Takes::Table, "What else stands in the entry of a mod that is loaded: `{ on = true }`."),
        key("value", Takes::Any, "With `mods{key}`: the value of a mod that is loaded. Without it: `true`."),
        key("line", Takes::Text, "In plain lines: the line of a mod that is loaded, as `{id}` or `{id}=1`."),
        key("ordered", Takes::Boolean, "Whether the order of the list is the load order."),
    ],
    example: "",
};

/// `[[saved]]`.
pub(super) static SAVED: Table = Table {
    path: "saved",
    about: "Where ids stand in a saved game, for `cognomen check --saved FILE`: which of them nothing defines any more.",
    keys: &[
        needed("files", Takes::Texts, "Patterns of its files, below the game's folder."),
        needed("ids", Takes::Tables, "The places of the ids. See below."),
        key("format", Takes::Text, "`json`, `toml`, `yaml`, `xml` or `csv`, where the file's ending does not tell."),
        key("lost", Takes::Text, "What the game does with an id that it does not know, as a sentence for messages."),
    ],
    example: "[[saved]]\nfiles = \"saves/*.json\"\nids = [{ at = \"chests[].holds[].what\", kind = \"good\" }, { at = \"shelves{key}\", field = \"stock.shelf\" }]\nlost = \"it is gone when the save is loaded\"\n",
};

/// An entry of `ids` in `[[saved]]`.
pub(super) static SAVED_IDS: Table = Table {
    path: "saved.ids",
    about: "",
    keys: &[
        needed("at", Takes::Text, "A path pattern in the saved game; of a table in rows, `[].column`."),
        key("kind", Takes::Texts, "The kind of the ids, or several."),
        key("field", Takes::Text, "The field whose values these are, where it is not the id: `stock.shelf`."),
    ],
    example: "",
};

/// `[[captures]]`.
pub(super) static CAPTURES: Table = Table {
    path: "captures",
    about: "Lines that the game writes to a log while somebody plays: `cognomen capture` makes entries of lists or values of fields of them.",
    keys: &[
        needed("name", Takes::Text, "What one such line is called."),
        key("about", Takes::Text, "A remark for people."),
        needed("line", Takes::Text, "A regular expression for the line, with named groups: `(?<post>[a-z-]+)`."),
        key("session", Takes::Text, "A regular expression for the line with which a session begins."),
        key(
            "unfit",
            Takes::Table,
            "The game's own verdict: for a group the words, or a list of them, with which a line is refused.",
        ),
        needed(
            "into",
            Takes::Text,
            "The list that takes an entry for each line, `kind.list[]`; or the kind, where the lines give values of fields.",
        ),
        needed(
            "entry",
            Takes::Table,
            "For each field of the entry, or of the definition, the text that is read as its value: `{group}` is filled in.",
        ),
    ],
    example: "[[captures]]\nname = \"stop\"\nsession = '^-- journey begins'\nline = 'stopped at (?<post>[a-z-]+) for (?<time>[0-9.]+)h \\((?<said>\\w+)\\)'\nunfit = { said = \"flooded\" }\ninto = \"route.stops[]\"\nentry = { post = \"{post}\", hours = \"{time}\" }\n",
};

/// `[kinds.NAME.changed_by]`.
pub(super) static OPERATIONS: Table = Table {
    path: "kinds.NAME.changed_by",
    about: "How the game itself writes changes of what a definition inherits, from parents and, in kinds that merge, from lower layers. An operation is `shift` (add to a number), `multiply`, `add` (entries to a list), `remove` (entries from it), `replace` (nothing of what is inherited stays), `unset` (it is taken away), `keep` (only what is named stays) or `if_there` (it only counts where something is inherited).",
    keys: &[
        key(
            "under",
            Takes::Table,
            "Fields of the definition below which the changed fields stand, with the operation: under `unset` the names of fields.",
        ),
        key("marker", Takes::Text, "A field or attribute of any table in the definition that says what becomes of it."),
        key("words", Takes::Table, "The words that stand in the marker, with the operation."),
        key(
            "markers",
            Takes::Table,
            "Several such fields or attributes, each with its words: `{ \"@inherit\" = { no = \"replace\" }, \"@do\" = { more = \"shift\" } }`. On one element, what takes away all that is inherited counts before what changes it.",
        ),
        key(
            "content",
            Takes::Text,
            "Where what is marked is no table: the field with the value. Without it `#text`, the text of an XML element.",
        ),
    ],
    example: "[kinds.good.changed_by]\nunder = { more = \"shift\", times = \"multiply\", with = \"add\", without = \"remove\", not = \"unset\" }\n\n[kinds.vessel.changed_by]\nmarker = \"do\"              # <hull do=\"swap\">, <crew do=\"more\">2</crew>\nwords = { swap = \"replace\", more = \"shift\", drop = \"unset\" }\n",
};

/// `kinds.NAME.renames`.
pub(super) static RENAMES: Table = Table {
    path: "kinds.NAME.renames",
    about: "",
    keys: &[
        needed("kind", Takes::Text, "The kind whose definitions get another id."),
        needed("from", Takes::Text, "The field with the old id."),
        needed("to", Takes::Text, "The field with the new id."),
    ],
    example: "",
};

/// `[kinds.NAME.fields]`.
pub(super) static FIELD: Table = Table {
    path: "kinds.NAME.fields.PATTERN",
    about: "A field, by path pattern: `a.b` is `b` in the table `a`, `a[]` each entry of the list `a`, `a{}` each value of the map `a`, `a{key}` its keys (texts, choices, numbers, links, words or files). Tables and lists on the way need no entry of their own. A field must be there unless it has a `default` or is `optional`; a table on the way is optional if all its fields are, or if it has an entry that says so. What stands on a pattern that ends with `[]` about the list (`list`, `by`, `join`, `optional`, a `default` that is a list) is said of the list; `optional` on one that ends with `{}`, of the map.",
    keys: &[
        key(
            "type",
            Takes::Text,
            "`integer`, `number`, `boolean`, `text`, `choice` (one of `words`), `flags` (a list of `words`, each at most once), `formula` (a calculation with fields, written in a text), `tuple` (a list whose places have types of their own: `span[0]`, `span[1]`), `list`, `table`, `map`, or `any`. Not needed beside `link`, `file`, `text` and `part`.",
        ),
        key("words", Takes::Texts, "The allowed words of a choice or of flags."),
        key("declares", Takes::Text, "The value is a word of this vocabulary, which it declares."),
        key("word", Takes::Text, "The value is a word of this vocabulary, which something must declare."),
        key("link", Takes::Texts, "The value is the id of a definition of this kind, or of one of these kinds."),
        key(
            "file",
            Takes::Texts,
            "The value names a file: its place is found by putting the value in place of the `*`, as in `art/*.png`. Of several the first that is there. `./*` begins at the folder of the file that names it, `**/*.png` is anywhere, `art/**/*.png` anywhere below `art`.",
        ),
        key(
            "text",
            Takes::Text,
            "The value is the key of a text that players see, or part of it: the key is found by putting the value in place of the `*`, as in `good.*.name`. A bare `*` where the value is the key, or the text that catalogues translate. With `form`, values of other forms are texts themselves.",
        ),
        key(
            "part",
            Takes::Text,
            "The value is a table with the fields of this part, or a list of such tables. Beside `type`, `link` or `file`: a table with these fields, or a single value of that type.",
        ),
        key(
            "path_of",
            Takes::Texts,
            "The value is the path of a field of a definition of this kind, or of these kinds; with `{what}`, of the definition that the field `what` beside it names. With `form = \"{kind}.{path}\"` the value holds the kind as well. Where it holds an id and the path, it is a `link` with `form = \"{id}.{path}\"`.",
        ),
        key(
            "choose",
            Takes::Text,
            "The value is a table, and the word in this field of it tells which other fields there are; see `cases`.",
        ),
        key("cases", Takes::Table, "With `choose`: for each word the part with the fields."),
        key("one", Takes::Boolean, "Of a list: one value may stand for a list of one."),
        key(
            "split",
            Takes::Texts,
            "Of a list, tuple, range, flags or table with `places`: it is packed into one text, with this mark between the entries. A space means any white space, an empty mark that each letter is an entry.",
        ),
        key(
            "places",
            Takes::Texts,
            "Of a table: the fields whose values follow each other where it is written as a list, or with `split` as one text: `[\"what\", \"amount\"]` for `peat*2`. What a tuple says by number has a name so, and a list of them can be told apart by it (`by`). Those at the end may be left out where they are optional.",
        ),
        key(
            "units",
            Takes::Table,
            "Of a number: the units in which it may be written, and how much each is. `unit` is the one that a bare number has; without it a number needs its unit. Several may follow each other: `1 rod 2 ell`.",
        ),
        key("yes", Takes::Texts, "Of `boolean`: the words that mean true. An empty word: that it stands there at all."),
        key("no", Takes::Texts, "Of `boolean`: the words that mean false."),
        key("none", Takes::Texts, "Words that stand for nothing."),
        key(
            "minus",
            Takes::Texts,
            "Of a list with `join`: marks before an entry that is taken out of what parents and lower layers state, as in `-wet`.",
        ),
        key(
            "plus",
            Takes::Texts,
            "Of a list with `join`: marks before an entry that is added, as in `+dry`. A list in which no entry is marked then takes the place of what parents and lower layers state.",
        ),
        key("ends", Takes::Texts, "Of a range: its two fields, where it is written as a table."),
        key("down", Takes::Boolean, "Of a range: whether it may run downwards."),
        key(
            "form",
            Takes::Any,
            "Of a link or file: how ids are written, one form or several: `{id}` is the id, `*` is anything. As a table, forms by kind: `{ good = \"{id}\", mark = \"any {id}\" }`.",
        ),
        key("signs", Takes::Texts, "Of a link or a choice: marks before a word that do not belong to it."),
        key(
            "kind_by",
            Takes::Text,
            "Of a link to several kinds: the field beside it, otherwise of the definition, whose word tells the kind.",
        ),
        key("kind_words", Takes::Table, "With `kind_by`: kinds by word, where the words are not their names."),
        key("known", Takes::Texts, "Of a link: names that the game itself knows; `*` stands for anything."),
        key(
            "wildcards",
            Takes::Boolean,
            "Of a link, `word` or file: whether `*` in a value stands for part of the ids, words or files it means; one must be there.",
        ),
        key(
            "fill",
            Takes::Any,
            "Of a link or file: `{field}` in a value, also `{stats.size}`, is filled in from the definition. Where that field is not there, nothing is looked for. A table says which words stand for fields of other names: `{ size = \"stats.size\" }`.",
        ),
        key(
            "lacking",
            Takes::Text,
            "Of a link or file: how bad it is if nothing is found: `error` (without this key), `warning`, `note` or `silent`.",
        ),
        key("over", Takes::Text, "The kind whose fields a formula calculates with. Without it: the definition's own."),
        key("names", Takes::Texts, "Further names that the game gives a formula."),
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
        key("safe_min", Takes::Number, "Below this number the game takes the value, but not reliably."),
        key("safe_max", Takes::Number, "Above this number the game takes the value, but not reliably."),
        key("pattern", Takes::Text, "What a text must look like: a regular expression for the whole of it."),
        key("min_length", Takes::Integer, "The least number of letters of a text."),
        key("max_length", Takes::Integer, "The greatest number of letters of a text."),
        key("min_count", Takes::Integer, "The least number of entries of a list or map."),
        key("max_count", Takes::Integer, "The greatest number of entries of a list or map."),
        key("unique", Takes::Boolean, "Whether no two definitions of the kind may have the same value here."),
        key(
            "chosen",
            Takes::Texts,
            "Of a unique number that may be left out: the numbers among which the game then chooses one itself, as `\"500..599\"`. Mods' own keep clear of them.",
        ),
        key(
            "complete",
            Takes::Boolean,
            "Whether every word must be there: in `flags`, in a list of a choice, in a list `by` a choice, among the keys of a map.",
        ),
        key(
            "only",
            Takes::Table,
            "A test: the field exists only where it holds, and must be there only then. Paths are those of the table it stands in, otherwise of the definition.",
        ),
        key("target", Takes::Table, "A test that the definition which is named must pass."),
        key(
            "joins",
            Takes::Boolean,
            "The value names a group, and the definition becomes a member of it. See `members` of kinds.",
        ),
        key(
            "called",
            Takes::Table,
            "Of a number: special values and what they are called, `{ \"0\" = \"never\" }`. They may lie beyond the limits.",
        ),
        key(
            "tokens",
            Takes::Texts,
            "Of a text that stands in the definition, or of one that is named by its key: the tokens that the game fills in there (`token` of `[texts]` says what one looks like); `[]` for none. Without it nothing is said about them.",
        ),
        key(
            "picture",
            Takes::Table,
            "Of a file: how large the picture must be, `{ width = 32, height = 32 }`. See below.",
        ),
        key("retired", Takes::Text, "The field should not be used any more: what to use instead, as a phrase."),
        key("default", Takes::Any, "What counts where nothing is stated."),
        key("optional", Takes::Boolean, "Whether it may be left out."),
        key(
            "usual",
            Takes::Boolean,
            "Of a number: `false` where none is more usual than another, as of a place on a map, so that none is far outside.",
        ),
        key("unit", Takes::Text, "The unit of a number, for people."),
        key("open", Takes::Boolean, "Whether a table may hold fields that are not described."),
        key("about", Takes::Text, "What the field means."),
    ],
    example: "[kinds.good.fields]\n\"price\"        = { type = \"integer\", min = 0, max = 900, default = 1, unit = \"pence\" }\n\"marks[]\"      = { link = \"mark\", list = \"set\", optional = true }\n\"parts[]\"      = { list = \"keyed\", by = \"what\", optional = true }\n\"parts[].what\" = { link = [\"good\", \"mark\"] }\n\"parts[].many\" = { type = \"integer\", min = 1, default = 1 }\n\"wear{key}\"    = { type = \"choice\", words = [\"rain\", \"frost\"] }\n\"wear{}\"       = { type = \"number\", min = 0, max = 1 }\n\"icon\"         = { file = \"art/*.png\", optional = true }\n\"code\"         = { type = \"text\", pattern = \"[A-Z]{3}\", unique = true }\n\"seasons[]\"    = { type = \"choice\", words = [\"wet\", \"dry\"], list = \"set\", complete = true }\n\"span\"         = { type = \"tuple\", optional = true }\n\"span[0]\"      = { type = \"number\" }\n\"span[1]\"      = { type = \"number\", optional = true }\n\"fits\"         = { link = \"good\", target = { marks = \"small\" }, optional = true }\n\"edge\"         = { type = \"number\", only = { marks = \"blade\" } }\n\"wage\"         = { type = \"formula\", over = \"vessel\", names = [\"day\"], optional = true }\n",
};

/// `picture` of a field.
pub(super) static PICTURE: Table = Table {
    path: "kinds.NAME.fields.PATTERN.picture",
    about: "What pictures must be like that a field with `file` names, in pixels.",
    keys: &[
        key("width", Takes::Integer, "The width."),
        key("height", Takes::Integer, "The height."),
        key(
            "cells",
            Takes::Any,
            "The side of the cells into which it must fall whole, or their width and height, as `[16, 24]`.",
        ),
        key("ratio", Takes::Text, "Its width to its height, as `2:1`."),
    ],
    example: "[kinds.good.fields]\n\"icon\" = { file = \"art/*.png\", picture = { width = 32, height = 32 } }\n\"gait\" = { file = \"art/*.png\", picture = { cells = [16, 24] }, optional = true }\n",
};

/// A text of `[kinds.NAME.texts]`, as a table.
pub(super) static TEXT: Table = Table {
    path: "kinds.NAME.texts.ROLE",
    about: "",
    keys: &[
        needed("key", Takes::Text, "The template of the text's key."),
        key("optional", Takes::Boolean, "Whether it may be left out."),
        key("tokens", Takes::Texts, "The tokens that the game fills in there."),
    ],
    example: "",
};

/// `[kinds.NAME.ids]`.
pub(super) static IDS: Table = Table {
    path: "kinds.NAME.ids",
    about: "What the ids of a kind look like. `prefix` and `ranges` hold for what mods define anew, not for the base.",
    keys: &[
        key("pattern", Takes::Text, "A regular expression for the whole id."),
        key("prefix", Takes::Text, "How mods' own ids begin; `{mod}` is the mod's id."),
        key("ranges", Takes::Texts, "Numbers that mods may use, as `\"4000..4999\"`, both ends included."),
    ],
    example: "[kinds.good.ids]\npattern = \"[a-z-]+\"\nprefix = \"{mod}-\"\n",
};

/// `[[kinds.NAME.groups]]`.
pub(super) static GROUP: Table = Table {
    path: "kinds.NAME.groups",
    about: "Fields of one table that depend on each other.",
    keys: &[
        key("of", Takes::Text, "The pattern of the tables that it is about, as `parts[]`. Without it: the definition."),
        key("exactly_one", Takes::Texts, "Of these fields exactly one must be there."),
        key("at_most_one", Takes::Texts, "Of these fields at most one may be there."),
        key("at_least_one", Takes::Texts, "Of these fields at least one must be there."),
        key("if", Takes::Texts, "Where this field is there, those of `needs` must be."),
        key("needs", Takes::Texts, "What must be there with the field of `if`."),
        key(
            "range",
            Takes::Texts,
            "Two fields with numbers that are the ends of a range, the lower one first: `[\"least\", \"most\"]`.",
        ),
    ],
    example: "[[kinds.good.groups]]\nexactly_one = [\"price\", \"barter\"]\n\n[[kinds.good.groups]]\nof = \"parts[]\"\nif = \"worn\"\nneeds = \"many\"\n",
};

/// `[[kinds.NAME.rules]]`.
pub(super) static RULE: Table = Table {
    path: "kinds.NAME.rules",
    about: "An expression that must hold for every definition of the kind, as the game would see it (EXPRESSIONS.md). The definition's fields are its variables; `id` and `kind` are there too. `ref(x).field` reads a field of the definition that `x` names. Entries of a list or map are reached with `every(list, '...')`, `some(list, '...')`, `count(list, '...')` and `total(list, '...')`: the inner expression sees the entry's fields, the definition as `whole`, and an entry that is a single value as `entry`. A rule that reads an optional field which is absent is not tried, unless it asks with `is defined` or `is empty`.",
    keys: &[
        key("code", Takes::Text, "The finding's code. Without it: `rule-broken`."),
        needed("require", Takes::Text, "What must hold, in the expression language."),
        key("when", Takes::Text, "Tried only where this holds."),
        needed(
            "message",
            Takes::Text,
            "What is wrong if it does not hold: a lower-case phrase. `{field}` is filled in, and so is any expression; a brace that is meant is written twice.",
        ),
        key("severity", Takes::Text, "`error`, `warning` or `note`. Without it: `error`."),
    ],
    example: "[[kinds.vessel.rules]]\ncode = \"hold-too-small\"\nrequire = \"load <= hold\"\nmessage = \"a load of {load} does not fit a hold of {hold}\"\n\n[[kinds.vessel.rules]]\nrequire = \"total(cargo, 'many * ref(what).weight') <= hold and every(cargo, 'many <= whole.deck')\"\nmessage = \"the cargo does not fit\"\n",
};

/// All tables in the order of the reference.
pub(super) static TABLES: [&Table; 28] = [
    &TOP,
    &GAME,
    &MANIFEST,
    &MANIFEST_PARTS,
    &TEXTS,
    &FILES,
    &READER,
    &NOTATION,
    &FAULTS,
    &SEVERITY,
    &WORDS,
    &WHERE,
    &SCRIPTS,
    &CAPTURES,
    &DERIVED,
    &PACK,
    &INSTALL,
    &ENABLED,
    &SAVED,
    &SAVED_IDS,
    &PART,
    &KIND,
    &FIELD,
    &PICTURE,
    &IDS,
    &GROUP,
    &OPERATIONS,
    &RULE,
];
