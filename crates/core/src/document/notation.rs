//! How a file is to be read: its format, and what the rulebook says is special in it.

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
}

impl Format {
    /// The format that a file's ending stands for.
    pub fn of(path: &str) -> Option<Format> {
        let ending = path.rsplit_once('.')?.1;
        match ending.to_ascii_lowercase().as_str() {
            "json" | "jsonc" | "json5" => Some(Format::Json),
            "toml" => Some(Format::Toml),
            "yaml" | "yml" => Some(Format::Yaml),
            "xml" => Some(Format::Xml),
            "csv" => Some(Format::Csv),
            _ => None,
        }
    }

    /// The format's name in messages.
    pub fn name(self) -> &'static str {
        match self {
            Format::Json => "JSON",
            Format::Toml => "TOML",
            Format::Yaml => "YAML",
            Format::Xml => "XML",
            Format::Csv => "CSV",
        }
    }
}

/// A format with its dialect.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Notation {
    format: Format,
}

impl Notation {
    /// The format.
    pub fn format(&self) -> Format {
        self.format
    }
}

impl From<Format> for Notation {
    fn from(format: Format) -> Notation {
        Notation { format }
    }
}
