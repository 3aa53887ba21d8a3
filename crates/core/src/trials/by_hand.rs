//! What a person does to files beside the commands: remarks, lines that end otherwise, what a command came to.

use std::collections::BTreeMap;

use super::games::Cut;
use super::opened;
use super::sessions::Session;
use crate::document::Format;
use crate::source::{ChangeSet, FileChange, MemorySource, Source, changed_workbook, new_workbook, sheet_in};

/// The same files with lines that end as on Windows.
pub(super) fn with_long_ends(source: &MemorySource) -> MemorySource {
    let mut out = MemorySource::default();
    for (path, bytes) in source.files() {
        match String::from_utf8(bytes.clone()) {
            Ok(text) => out.put(path, text.replace("\r\n", "\n").replace('\n', "\r\n")),
            Err(_) => out.put(path, bytes.clone()),
        }
    }
    out
}

/// What is read of each file and sheet.
pub(super) fn texts_of(source: &MemorySource) -> BTreeMap<String, Vec<u8>> {
    let source = opened(source);
    let paths = source.list("").unwrap().into_iter().map(|file| file.path);
    paths.map(|path| (path.clone(), source.read(&path).unwrap())).collect()
}

/// The same files with sheets in their workbooks.
pub(super) fn bound(mut source: MemorySource) -> MemorySource {
    let paths: Vec<String> = source.files().keys().cloned().collect();
    for path in paths {
        if let Some((book, sheet)) = sheet_in(&path) {
            let text = String::from_utf8(source.take(&path).unwrap()).unwrap();
            source.put(book, new_workbook(&[(sheet, &text)]).unwrap());
        }
    }
    source
}

/// Puts another text into a sheet of a workbook, which may be new.
pub(super) fn put_sheet(source: &mut MemorySource, (book, sheet): (&str, &str), (before, after): (&str, &str)) {
    let bytes = match source.take(book) {
        None => new_workbook(&[(sheet, after)]),
        Some(bytes) => changed_workbook(&bytes, &[(&format!("{book}/{sheet}"), before, after)]),
    };
    source.put(book, bytes.unwrap());
}

impl Session {
    /// How many remarks stand in the mod's files.
    pub(super) fn remarks(&self) -> usize {
        let own = self.source.files().iter().filter(|(path, _)| path.starts_with("mods/yard/"));
        own.map(|(_, bytes)| String::from_utf8_lossy(bytes).matches("~remark~").count()).sum()
    }

    /// A person writes a remark somewhere into the mod's files.
    pub(super) fn remark(&mut self) {
        let mark = match self.game.format {
            _ if self.game.cut == Cut::Block => return,
            Format::Json => "// ~remark~",
            Format::Yaml | Format::Toml => "# ~remark~",
            Format::Xml => "<!-- ~remark~ -->",
            _ => return,
        };
        let end = if self.long { "\r\n" } else { "\n" };
        let own = self.source.files().keys().filter(|path| path.starts_with("mods/yard/data/"));
        for path in own.cloned().collect::<Vec<_>>() {
            let text = String::from_utf8(self.source.take(&path).unwrap()).unwrap();
            let lines: Vec<&str> = text.split_inclusive('\n').collect();
            // before a line that the number of those before it picks
            let at = 1 + (self.done * 7 + lines.len()) % lines.len().max(1);
            let (before, after) = lines.split_at(at.min(lines.len().saturating_sub(1)));
            self.source.put(&path, format!("{}{mark}{end}{}", before.concat(), after.concat()));
        }
    }
}

/// Does to files what a command came to.
pub(crate) fn take(source: &mut MemorySource, changes: &ChangeSet) {
    for change in &changes.files {
        if let Some(there) = sheet_in(change.path()) {
            match change {
                FileChange::Delete { .. } => drop(source.take(there.0)),
                _ => put_sheet(source, there, change.texts()),
            }
            continue;
        }
        match change {
            FileChange::Delete { .. } => drop(source.take(change.path())),
            FileChange::Move { path, to } => {
                // a folder goes with all that is in it
                let below: Vec<String> = source.list(path).unwrap().into_iter().map(|file| file.path).collect();
                let pairs = below.iter().map(|file| (format!("{path}/{file}"), format!("{to}/{file}")));
                for (from, there) in pairs.chain(below.is_empty().then(|| (path.clone(), to.clone()))) {
                    let bytes = source.take(&from).unwrap();
                    source.put(&there, bytes);
                }
            }
            _ => source.put(change.path(), change.texts().1),
        }
    }
}
