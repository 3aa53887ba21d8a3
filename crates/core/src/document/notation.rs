//! How a file is to be read: its format, and what the rulebook says is special in it.

use std::sync::Arc;

use crate::source::{Span, sheet_in};

/// The format of a file.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Format {
    /// JSON, also with comments and trailing commas.
    Json,
    /// TOML 1.0.
    Toml,
    /// YAML 1.2.
    Yaml,
    /// XML 1.0.
    Xml,
    /// Comma-separated values with a header row.
    Csv,
    /// Lines of key and value, described by a few marks.
    Described,
    /// Gettext catalogues.
    Po,
    /// Scripts, of which only some words are read.
    Script,
    /// Records in the text of another language, found by patterns.
    Records,
}

impl Format {
    /// All formats.
    pub(crate) const ALL: [Format; 8] = [
        Format::Json,
        Format::Toml,
        Format::Yaml,
        Format::Xml,
        Format::Csv,
        Format::Described,
        Format::Po,
        Format::Records,
    ];

    /// Whether it is known only by what a rulebook says of it under `[notations]`.
    pub(crate) fn is_described(self) -> bool {
        matches!(self, Format::Described | Format::Records)
    }

    /// The word for it in a rulebook.
    pub(crate) fn word(self) -> &'static str {
        match self {
            Format::Json => "json",
            Format::Toml => "toml",
            Format::Yaml => "yaml",
            Format::Xml => "xml",
            Format::Csv => "csv",
            Format::Described => "described",
            Format::Po => "po",
            Format::Script => "script",
            Format::Records => "records",
        }
    }

    /// The format that a rulebook's word stands for.
    pub(crate) fn named(word: &str) -> Option<Format> {
        Self::ALL.into_iter().find(|format| format.word() == word)
    }

    /// The format that a file's ending stands for.
    pub fn of(path: &str) -> Option<Format> {
        let ending = path.rsplit_once('.')?.1;
        match ending.to_ascii_lowercase().as_str() {
            "json" | "jsonc" | "json5" => Some(Format::Json),
            "toml" => Some(Format::Toml),
            "yaml" | "yml" => Some(Format::Yaml),
            "xml" => Some(Format::Xml),
            "csv" | "tsv" => Some(Format::Csv),
            "po" | "pot" => Some(Format::Po),
            _ => None,
        }
    }

    /// Whether what stands in a file is known only by the types of the fields.
    pub(crate) fn needs_reading(self) -> bool {
        !matches!(self, Format::Json | Format::Toml | Format::Po | Format::Script)
    }

    /// Whether a sign that lacks puts out what follows it: in other formats each line stands by itself.
    pub(crate) fn nests(self) -> bool {
        matches!(self, Format::Json | Format::Yaml | Format::Xml)
    }

    /// The format's name in messages.
    pub fn name(self) -> &'static str {
        match self {
            Format::Json => "JSON",
            Format::Toml => "TOML",
            Format::Yaml => "YAML",
            Format::Xml => "XML",
            Format::Csv => "CSV",
            Format::Described => "described text",
            Format::Po => "gettext catalogue",
            Format::Script => "script",
            Format::Records => "records found by patterns",
        }
    }
}

/// How rows of cells are written.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Rows {
    /// The byte between two cells.
    pub(crate) separator: u8,
    /// What a line begins with that is a comment.
    pub(crate) comment: Option<String>,
    /// What stands between several values in one cell.
    pub(crate) join: Option<String>,
    /// Which row holds the names of the columns, from 1. Those above are not read.
    pub(crate) header: usize,
    /// Rows below the header that are not read.
    pub(crate) skip: usize,
    /// The names of the columns where no row holds them; the last can end with `[]`: it takes all cells that are left.
    pub(crate) columns: Vec<String>,
    /// The file is a table with its rows in this field.
    pub(crate) rows: Option<String>,
    /// Whether it is a sheet of a workbook, whose rows are counted with the blank ones and never move.
    pub(crate) sheet: bool,
}

impl Rows {
    /// Commas, one header row.
    pub(crate) const PLAIN: Rows = Rows {
        separator: b',',
        comment: None,
        join: None,
        header: 1,
        skip: 0,
        columns: Vec::new(),
        rows: None,
        sheet: false,
    };

    /// Whether no row holds the names of the columns.
    pub(crate) fn is_bare(&self) -> bool {
        !self.columns.is_empty() || self.rows.is_some()
    }

    /// The field that takes the cells behind the other columns.
    pub(crate) fn rest(&self) -> Option<&str> {
        self.columns.last()?.strip_suffix("[]")
    }

    /// The names of the columns that no row holds.
    pub(crate) fn bare_columns(&self) -> impl Iterator<Item = &str> {
        self.columns.iter().map(|name| name.strip_suffix("[]").unwrap_or(name))
    }

    pub(crate) fn is_comment(&self, line: &str) -> bool {
        self.comment.as_ref().is_some_and(|mark| line.starts_with(mark.as_str()))
    }
}

/// The marks of a described text: lines of key and value, in sections or braces.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Marks {
    /// What stands between a key and its value; a space stands for any white space.
    pub(crate) assign: String,
    /// What a comment begins with.
    pub(crate) comments: Vec<String>,
    /// What stands before and behind a comment, over several lines too.
    pub(crate) blocks: Vec<(String, String)>,
    /// What stands around the name of a section, on a line of its own.
    pub(crate) section: Option<(String, String)>,
    /// What stands around the name of a section once more at its end; sections can then stand in each other.
    pub(crate) closing: Option<(String, String)>,
    /// The key of the second and further words of a section's name, of a block's, or of a line with others below it.
    pub(crate) named: Option<String>,
    /// Whether lines that are further in belong to the one above.
    pub(crate) indents: bool,
    /// Whether `{` and `}` hold entries.
    pub(crate) braces: bool,
    /// What stands around a table whose first row is its headings.
    pub(crate) headings: Option<(String, String)>,
    /// What stands between several values.
    pub(crate) join: Option<String>,
    /// The word of a line that takes in another file.
    pub(crate) include: Option<String>,
    /// Whether keys are the same in capitals and small letters.
    pub(crate) any_case: bool,
    /// Whether a key may stand alone.
    pub(crate) bare: bool,
    /// Whether a text in quotes can go on over several lines.
    pub(crate) long: bool,
    /// Whether of several lines of one key the last counts, where the field takes one value.
    pub(crate) last: bool,
}

impl Marks {
    /// `key = value` with `#` comments.
    pub(crate) fn plain() -> Marks {
        Marks {
            assign: "=".to_owned(),
            comments: vec!["#".to_owned()],
            blocks: Vec::new(),
            section: None,
            closing: None,
            indents: false,
            named: None,
            braces: false,
            headings: None,
            join: None,
            include: None,
            any_case: false,
            bare: false,
            long: false,
            last: false,
        }
    }
}

/// Tags of YAML that are the values of a field.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Tags {
    /// What they begin with: `!`, or more.
    pub(crate) mark: String,
    /// The field of a table that holds what follows.
    pub(crate) field: String,
    /// The field that holds a value behind a tag that is no table: the two are one. Without it tags of such are left alone.
    pub(crate) content: Option<String>,
}

/// A format with its dialect.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Notation {
    format: Format,
    rows: Option<Arc<Rows>>,
    described: Option<Arc<Marks>>,
    /// The marks between which the document stands, in a file that holds other things besides.
    block: Option<Arc<(String, String)>>,
    /// What is read of a script.
    words: Option<Arc<super::script::Words>>,
    /// What is read of records.
    records: Option<Arc<super::Records>>,
    /// What is read of tags.
    tags: Option<Arc<Tags>>,
}

impl Notation {
    /// Rows of cells in a dialect.
    pub(crate) fn rows_of(rows: Rows) -> Notation {
        Notation { rows: Some(Arc::new(rows)), ..Notation::from(Format::Csv) }
    }

    /// The same between two marks.
    pub(crate) fn between(self, begin: &str, end: &str) -> Notation {
        Notation { block: Some(Arc::new((begin.to_owned(), end.to_owned()))), ..self }
    }

    /// Whether a text without values of its own has a comment in it.
    pub(crate) fn has_comments(&self, text: &str) -> bool {
        let has = |marks: &[&str]| marks.iter().any(|mark| text.contains(mark));
        match self.format() {
            Format::Json => has(&["//", "/*"]),
            Format::Xml => has(&["<!--"]),
            Format::Yaml | Format::Toml | Format::Po => has(&["#"]),
            Format::Csv => self.rows().comment.as_ref().is_some_and(|mark| text.contains(mark.as_str())),
            Format::Described => {
                self.text_marks().is_some_and(|marks| has(&marks.comment_starts().collect::<Vec<_>>()))
            }
            Format::Script | Format::Records => false,
        }
    }

    /// Whether only blocks of the file are read.
    pub(crate) fn is_block(&self) -> bool {
        self.block.is_some()
    }

    /// The marks around its blocks.
    pub(crate) fn marks(&self) -> Option<(&str, &str)> {
        self.block.as_ref().map(|marks| (marks.0.as_str(), marks.1.as_str()))
    }

    /// The notation inside a block.
    pub(crate) fn inside(&self) -> Notation {
        Notation { block: None, ..self.clone() }
    }

    /// The blocks of a file, without their marks; with them the opening mark that is never closed.
    pub(crate) fn blocks(&self, text: &str) -> (Vec<Span>, Option<Span>) {
        let mut out = Vec::new();
        let Some(marks) = &self.block else { return (out, None) };
        let (begin, end) = (&marks.0, &marks.1);
        let mut at = 0;
        while let Some(found) = text.get(at..).and_then(|rest| rest.find(begin.as_str())) {
            let start = at + found + begin.len();
            let Some(len) = text.get(start..).and_then(|rest| rest.find(end.as_str())) else {
                return (out, Some(Span::new(at + found, start)));
            };
            out.push(Span::new(start, start + len));
            at = start + len + end.len();
        }
        (out, None)
    }

    /// A text described by its marks.
    pub(crate) fn described(marks: Marks) -> Notation {
        Notation { described: Some(Arc::new(marks)), ..Notation::from(Format::Described) }
    }

    /// A script in which these words count.
    pub(crate) fn script(words: super::script::Words) -> Notation {
        Notation { words: Some(Arc::new(words)), ..Notation::from(Format::Script) }
    }

    /// Records that these patterns find.
    pub(crate) fn records(records: super::Records) -> Notation {
        Notation { records: Some(Arc::new(records)), ..Notation::from(Format::Records) }
    }

    /// YAML with tags that are values.
    pub(crate) fn tagged(tags: Tags) -> Notation {
        Notation { tags: Some(Arc::new(tags)), ..Notation::from(Format::Yaml) }
    }

    /// The tags that are values.
    pub(crate) fn tags(&self) -> Option<&Tags> {
        self.tags.as_deref()
    }

    /// The same, in which tags are none.
    pub(crate) fn without_tags(self) -> Notation {
        Notation { tags: None, ..self }
    }

    /// The patterns that find records.
    pub(crate) fn patterns(&self) -> Option<&super::Records> {
        self.records.as_deref()
    }

    /// Whether a list is its entries one by one, so that one without entries is not there.
    pub(crate) fn lists_by_entry(&self) -> bool {
        matches!(self.format, Format::Xml | Format::Described) || self.rows().rest().is_some()
    }

    /// Whether files are read only, and never written.
    pub(crate) fn is_read_only(&self) -> bool {
        matches!(self.format, Format::Script | Format::Records)
    }

    /// The words that count in a script.
    pub(crate) fn words(&self) -> Option<&super::script::Words> {
        self.words.as_deref()
    }

    /// The marks of a described text.
    pub(crate) fn text_marks(&self) -> Option<&Marks> {
        self.described.as_deref()
    }

    /// How its rows of cells are written.
    pub(crate) fn rows(&self) -> &Rows {
        static PLAIN: Rows = Rows::PLAIN;
        self.rows.as_deref().unwrap_or(&PLAIN)
    }

    /// The format.
    pub fn format(&self) -> Format {
        self.format
    }
}

impl Notation {
    /// The same for a file at a path: a sheet of a workbook has its rows and nothing of a text's dialect.
    pub(crate) fn at(self, path: &str) -> Notation {
        match self.format {
            Format::Csv if sheet_in(path).is_some() => {
                Notation::rows_of(Rows { separator: b',', sheet: true, ..self.rows().clone() })
            }
            _ => self,
        }
    }

    /// The notation that a file's ending stands for.
    pub fn of(path: &str) -> Option<Notation> {
        if sheet_in(path).is_some() {
            return Some(Notation::from(Format::Csv).at(path));
        }
        if path.rsplit_once('.').is_some_and(|(_, ending)| ending.eq_ignore_ascii_case("tsv")) {
            return Some(Notation::rows_of(Rows { separator: b'\t', ..Rows::PLAIN }));
        }
        // keys and texts, as Java's libraries read them
        if path.rsplit_once('.').is_some_and(|(_, ending)| ending.eq_ignore_ascii_case("properties")) {
            let comments = vec!["#".to_owned(), "!".to_owned()];
            return Some(Notation::described(Marks { comments, ..Marks::plain() }));
        }
        Format::of(path).map(Notation::from)
    }
}

impl From<Format> for Notation {
    fn from(format: Format) -> Notation {
        Notation { format, rows: None, described: None, block: None, words: None, records: None, tags: None }
    }
}
