//! What the workspace remembers of checks between runs, in its folder `.cognomen`, for `state`. Losing it loses
//! nothing else.

use std::collections::BTreeMap;
use std::path::Path;

use cognomen_core::{Catalog, Finding, LayerId, Severity, Stamp, Writer};
use serde_json::{Value, json};

use crate::session::{Opened, Session};

const CHECKED: &str = "checked.json";

/// What a check found in one layer, and the files it saw.
#[derive(Debug, Default)]
pub(crate) struct Checked {
    pub(crate) errors: u64,
    pub(crate) warnings: u64,
    pub(crate) notes: u64,
    pub(crate) files: BTreeMap<String, String>,
}

/// A layer's files, each with a stamp of its text; of a picture and the like counts that it is there. Of what the
/// layer stands on, each layer has one stamp, by its folder.
pub(crate) fn stamps(catalog: &Catalog, layer: LayerId) -> BTreeMap<String, String> {
    let parts = catalog.parts_of(layer);
    let own = |of: LayerId| of == layer || parts.contains(&of);
    let files = catalog.files().filter(|(_, file)| file.layer.is_some_and(own));
    let text = |id| catalog.document(id).map(|document| format!("{:?}", Stamp::of(document.text().as_bytes())));
    let own = files.map(|(id, file)| (file.path.clone(), text(id).unwrap_or_else(|| "there".to_owned())));
    let mut out: BTreeMap<String, String> = own.collect();
    for (lower, found) in catalog.layers().filter(|(lower, _)| catalog.layer(layer).ground.contains(*lower)) {
        let files = catalog.files().filter(|(_, file)| file.layer == Some(lower));
        let mut all = String::new();
        for (id, file) in files {
            // its length tells a change of a file of many, at hardly any cost
            let length = catalog.document(id).map_or(0, |document| document.text().len());
            all.push_str(&format!("{} {length}\n", file.path));
        }
        out.insert(found.folder.clone(), format!("{:?}", Stamp::of(all.as_bytes())));
    }
    out
}

/// Remembers what a check of the whole workspace found in each mod.
pub(crate) fn checked(opened: &Opened, findings: &[Finding], session: &mut Session) {
    let catalog = opened.catalog();
    let mut mods = serde_json::Map::new();
    for (layer, found) in catalog.layers().skip(1) {
        let number = |severity| findings.iter().filter(|f| f.is_told_of(layer) && f.severity == severity).count();
        let (errors, warnings, notes) = (number(Severity::Error), number(Severity::Warning), number(Severity::Note));
        let files = stamps(catalog, layer);
        let found_here = json!({"errors": errors, "warnings": warnings, "notes": notes, "files": files});
        mods.insert(found.id.clone(), found_here);
    }
    let text = json!({"format": 1, "mods": mods}).to_string();
    // a workspace that cannot be written to still can be read and checked
    let _ = match opened.writer() {
        Some(writer) => writer.remember(CHECKED, text.as_bytes()),
        None => match session.lock_if_free(&opened.root, "check") {
            Some(writer) => writer.remember(CHECKED, text.as_bytes()),
            None => Ok(()),
        },
    };
}

/// What the last check found in a mod.
pub(crate) fn last_check(root: &Path, id: &str) -> Option<Checked> {
    let record: Value = serde_json::from_slice(&Writer::remembered(root, CHECKED)?).ok()?;
    let record = (record.get("format")? == 1).then_some(record)?;
    let found = record.get("mods")?.get(id)?;
    let number = |key: &str| found.get(key).and_then(Value::as_u64).unwrap_or(0);
    let files = found.get("files")?.as_object()?;
    let files = files.iter().filter_map(|(path, stamp)| Some((path.clone(), stamp.as_str()?.to_owned()))).collect();
    Some(Checked { errors: number("errors"), warnings: number("warnings"), notes: number("notes"), files })
}
