//! What the workspace remembers between runs, in its folder `.cognomen`: the last change, for `undo`, and
//! what was last checked, for `state`. Losing it loses nothing else.

use std::collections::BTreeMap;
use std::path::Path;

use cognomen_core::{Catalog, ChangeSet, FileChange, Finding, Formula, LayerId, Severity, Stamp, Written};
use serde_json::{Value, json};

use crate::session::Opened;

const FOLDER: &str = ".cognomen";

fn keep(root: &Path, name: &str, value: &Value) {
    // a workspace that cannot be written to still can be read and checked
    let folder = root.join(FOLDER);
    if std::fs::create_dir_all(&folder).is_err() {
        return;
    }
    // nothing of this is for anybody else
    let ignored = folder.join(".gitignore");
    if !ignored.exists() {
        let _ = std::fs::write(ignored, "*\n");
    }
    let text = serde_json::to_string_pretty(value).unwrap_or_default();
    if let Ok(mut file) = tempfile::NamedTempFile::new_in(&folder) {
        use std::io::Write;
        if file.write_all(text.as_bytes()).is_ok() {
            let _ = file.persist(folder.join(name));
        }
    }
}

fn kept(root: &Path, name: &str) -> Option<Value> {
    let text = std::fs::read_to_string(root.join(FOLDER).join(name)).ok()?;
    let value: Value = serde_json::from_str(&text).ok()?;
    (value.get("format")? == 1).then_some(value)
}

/// Remembers how a change is taken back.
pub(crate) fn wrote(root: &Path, changes: &ChangeSet, written: &Written, what: &str) {
    let Some(back) = changes.inverse() else {
        // what was last before that fits no more
        let _ = std::fs::remove_file(root.join(FOLDER).join("undo.json"));
        return;
    };
    let steps: Vec<Value> = back
        .files
        .iter()
        .map(|change| match change {
            FileChange::Create { path, text } => json!({"do": "create", "path": path, "text": text}),
            FileChange::Edit { path, before, text, .. } => {
                json!({"do": "edit", "path": path, "before": before, "text": text})
            }
            FileChange::Delete { path, before } => json!({"do": "delete", "path": path, "before": before}),
            FileChange::Move { path, to } => json!({"do": "move", "path": path, "to": to}),
            // archives are only ever taken out again
            FileChange::Pack { path, .. } => json!({"do": "pack", "path": path}),
            FileChange::Unpack { path, seen } => json!({"do": "unpack", "path": path, "seen": seen.word()}),
        })
        .collect();
    let formula = |f: &Formula| json!({"path": f.path, "cell": f.cell, "xml": f.xml});
    let formulas: Vec<Value> = written.formulas.iter().map(formula).collect();
    keep(root, "undo.json", &json!({"format": 1, "what": what, "steps": steps, "formulas": formulas}));
}

/// What was done last, and the changes that take it back.
pub(crate) fn last(root: &Path) -> Option<(String, ChangeSet)> {
    let record = kept(root, "undo.json")?;
    let what = record.get("what")?.as_str()?.to_owned();
    let mut files = Vec::new();
    for step in record.get("steps")?.as_array()? {
        let text = |key: &str| step.get(key).and_then(Value::as_str).map(str::to_owned);
        let path = text("path")?;
        files.push(match text("do")?.as_str() {
            "create" => FileChange::Create { path, text: text("text")? },
            "edit" => FileChange::edit(path, text("before")?, text("text")?),
            "delete" => FileChange::Delete { path, before: text("before")? },
            "move" => FileChange::Move { path, to: text("to")? },
            "unpack" => FileChange::Unpack { path, seen: Stamp::parse(&text("seen")?)? },
            _ => return None,
        });
    }
    let formula = |known: &Value| {
        let text = |key: &str| known.get(key).and_then(Value::as_str).map(str::to_owned);
        Some(Formula { path: text("path")?, cell: text("cell")?, xml: text("xml")? })
    };
    let formulas = record.get("formulas").and_then(Value::as_array).into_iter().flatten();
    let restored = formulas.filter_map(formula).collect();
    Some((what, ChangeSet { files, restored, over_formulas: true }))
}

/// What a check found in one layer, and the files it saw.
#[derive(Debug, Default)]
pub(crate) struct Checked {
    pub(crate) errors: u64,
    pub(crate) warnings: u64,
    pub(crate) notes: u64,
    pub(crate) files: BTreeMap<String, String>,
}

/// The texts of a layer's files, each with a stamp.
pub(crate) fn stamps(catalog: &Catalog, layer: LayerId) -> BTreeMap<String, String> {
    let files = catalog.files().filter(|(_, file)| file.layer == Some(layer));
    let stamp = |text: &str| format!("{:?}", Stamp::of(text.as_bytes()));
    files.filter_map(|(id, file)| Some((file.path.clone(), stamp(catalog.document(id)?.text())))).collect()
}

/// Remembers what a check of the whole workspace found in each mod.
pub(crate) fn checked(opened: &Opened, findings: &[Finding]) {
    let catalog = opened.catalog();
    let mut mods = serde_json::Map::new();
    for (layer, found) in catalog.layers().skip(1) {
        let number =
            |severity| findings.iter().filter(|f| f.layer(catalog) == Some(layer) && f.severity == severity).count();
        let (errors, warnings, notes) = (number(Severity::Error), number(Severity::Warning), number(Severity::Note));
        let files = stamps(catalog, layer);
        let found_here = json!({"errors": errors, "warnings": warnings, "notes": notes, "files": files});
        mods.insert(found.id.clone(), found_here);
    }
    keep(&opened.root, "checked.json", &json!({"format": 1, "mods": mods}));
}

/// What the last check found in a mod.
pub(crate) fn last_check(root: &Path, id: &str) -> Option<Checked> {
    let record = kept(root, "checked.json")?;
    let found = record.get("mods")?.get(id)?;
    let number = |key: &str| found.get(key).and_then(Value::as_u64).unwrap_or(0);
    let files = found.get("files")?.as_object()?;
    let files = files.iter().filter_map(|(path, stamp)| Some((path.clone(), stamp.as_str()?.to_owned()))).collect();
    Some(Checked { errors: number("errors"), warnings: number("warnings"), notes: number("notes"), files })
}
