//! What translations were made of: the workspace's own table.

use std::collections::BTreeMap;

use anyhow::anyhow;
use cognomen_core::{FileChange, Originals, Source, TRANSLATIONS_FILE};

use crate::commands::Failure;
use crate::session::Opened;

/// The first row of the file: its number is that of its format.
const HEADER: [&str; 5] = ["translations 1", "language", "key", "original", "translation"];

/// What translations were made of, by mod: the workspace's own file.
pub(super) struct Kept {
    before: Option<String>,
    /// Mod, language, key; original and translation.
    all: BTreeMap<(String, String, String), (String, String)>,
}

impl Kept {
    pub(super) fn read(opened: &Opened) -> Result<Kept, Failure> {
        let before = opened.source.read(TRANSLATIONS_FILE).ok();
        let before = before.map(|bytes| String::from_utf8_lossy(&bytes).into_owned());
        let mut all = BTreeMap::new();
        let text = before.as_deref().unwrap_or("");
        let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(text.as_bytes());
        for (at, row) in reader.records().enumerate() {
            let cells: Vec<String> = row.map(|row| row.iter().map(str::to_owned).collect()).unwrap_or_default();
            match <[String; 5]>::try_from(cells) {
                Ok(cells) if at == 0 && cells == HEADER => {}
                Ok([layer, language, key, original, text]) if at > 0 => {
                    all.insert((layer, language, key), (original, text));
                }
                _ => {
                    let help = "`cognomen text done` writes it anew when the file is gone";
                    let line = at + 1;
                    return Err(anyhow!(
                        "{TRANSLATIONS_FILE}:{line} is no row that this version knows\n  help: {help}"
                    )
                    .into());
                }
            }
        }
        Ok(Kept { before, all })
    }

    pub(super) fn of(&self, layer: &str) -> Originals {
        let own = self.all.iter().filter(|((known, ..), _)| known == layer);
        own.map(|((_, language, key), made)| ((language.clone(), key.clone()), made.clone())).collect()
    }

    pub(super) fn keep(&mut self, layer: &str, language: &str, key: &str, (original, text): (&str, &str)) {
        let at = (layer.to_owned(), language.to_owned(), key.to_owned());
        self.all.insert(at, (original.to_owned(), text.to_owned()));
    }

    /// The file with what is kept now, if that is another.
    pub(super) fn change(&self) -> Result<Option<FileChange>, Failure> {
        let said = |error: csv::Error| anyhow!("{TRANSLATIONS_FILE} cannot be written: {error}");
        let mut writer = csv::Writer::from_writer(Vec::new());
        writer.write_record(HEADER).map_err(said)?;
        for ((layer, language, key), (original, text)) in &self.all {
            writer.write_record([layer, language, key, original, text]).map_err(said)?;
        }
        let bytes = writer.into_inner().map_err(|error| anyhow!("{TRANSLATIONS_FILE} cannot be written: {error}"))?;
        let text = String::from_utf8(bytes).map_err(anyhow::Error::from)?;
        let same = self.before.as_ref() == Some(&text) || (self.before.is_none() && self.all.is_empty());
        Ok((!same).then(|| FileChange::written(TRANSLATIONS_FILE, self.before.clone(), text)))
    }
}
