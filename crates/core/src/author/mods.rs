//! `mods new` and `mods rename`: a mod's folder and manifest, and who names it.

use super::rename::{LeftUse, rename_with_mod};
use super::requirement::{made_with, writable};
use super::rewrites::{afterwards, layer_again};
use super::set::SetError;
use crate::catalog::{Address, Catalog, Definition, FileRole, LayerId, as_read, notation_of};
use crate::document::{Document, Draft, Edit, FieldPath, Notation, Shape, Step, edit, find, whole};
use crate::effective::World;
use crate::rulebook::{Condition, ManifestRule, Pattern, PatternStep, Reading};
use crate::source::{ChangeSet, FileChange, FileId, Source, file_named};
use crate::workspace::{ACCEPTED_FILE, WORKSPACE_FILE, read_manifest};

/// A mod to be made.
#[derive(Clone, Debug, Default)]
pub struct NewMod {
    /// Its id, and its folder's name.
    pub id: String,
    /// The name that players see.
    pub name: Option<String>,
    /// The mods it stands on.
    pub requires: Vec<String>,
    /// Further fields of the manifest, by path, and their texts.
    pub fields: Vec<(FieldPath, String)>,
    /// Whether it becomes the mod that is edited.
    pub edit: bool,
}

/// Plans a new mod. Nothing is written.
///
/// # Errors
/// The id is taken or no name for a folder, a requirement is not here, or the manifest needs more fields.
pub fn new_mod(world: &World, made: &NewMod) -> Result<ChangeSet, SetError> {
    let catalog = &world.catalog;
    let rule = manifest_rule(catalog)?;
    usable(catalog, &made.id)?;
    for required in &made.requires {
        if catalog.layer_named(required).is_none_or(|layer| catalog.layer(layer).is_base()) {
            return Err(SetError::Problem(format!("there is no mod `{required}` to require")));
        }
    }
    let Some(name) = &rule.file else {
        // a folder is there with what lies in it
        let path = format!("{}/{}/amendments/{}.toml", catalog.workspace.mods, made.id, made.id);
        let text = "amendments = 1\n".to_owned();
        return with_own_files(catalog, made, vec![FileChange::Create { path, text }]);
    };
    let mut draft = Draft::Table(Vec::new());
    if let Some(path) = &rule.id {
        draft.put_at(path.steps(), Draft::Text(made.id.clone()));
    }
    if let Some(path) = &rule.name {
        draft.put_at(path.steps(), Draft::Text(made.name.clone().unwrap_or_else(|| crate::names::readable(&made.id))));
    }
    if let Some(path) = &rule.version {
        draft.put_at(path.steps(), Draft::Text("0.1.0".to_owned()));
    }
    if let (Some(path), Some(edition)) = (&rule.made_for, catalog.edition()) {
        draft.put_at(path.steps(), Draft::Text(edition.to_owned()));
    }
    for (path, text) in &made.fields {
        let ty = catalog
            .rulebook
            .type_at(rule.root, path, &catalog.names)
            .map_err(|_| SetError::Problem(format!("the manifest has no field `{path}`")))?;
        let value = super::assign::typed(catalog, text, ty)?;
        draft.put_at(path.steps(), value);
    }
    if let Some(pattern) = rule.requires.as_ref().filter(|_| !made.requires.is_empty()) {
        let (list, entries) = requirements(pattern, &made.requires);
        draft.put_at(list.steps(), Draft::List(entries));
    }
    let Reading::Table(table) = &catalog.rulebook.field_type(rule.root).reading else {
        return Err(SetError::Problem("the rulebook does not describe the manifest".to_owned()));
    };
    for (at, (name, ty)) in table.fields.iter().enumerate() {
        let name = catalog.names.text(*name);
        if table.needs(at) && draft.get(name).is_none() {
            let takes = catalog.rulebook.describe(*ty);
            let message = format!("the manifest needs `{name}` as well: it takes {takes}\n  help: `{name}=…`");
            return Err(SetError::Problem(message));
        }
    }
    let path = format!("{}/{}/{name}", catalog.workspace.mods, made.id);
    let none = || SetError::Problem(format!("no notation is known in which `{name}` could be written"));
    let notation = notation_of(name, &FileRole::Manifest, &catalog.rulebook).ok_or_else(none)?;
    let models: Vec<&Document> = model(catalog).into_iter().collect();
    let text = whole(&notation, &models, &draft, &catalog.names)?;
    let required = if rule.requires.is_some() { &made.requires[..] } else { &[] };
    read_back(catalog, rule, notation, &text, &made.id, required)?;
    with_own_files(catalog, made, vec![FileChange::Create { path, text }])
}

/// The files of a new mod, with what the workspace says of it.
fn with_own_files(catalog: &Catalog, made: &NewMod, mut files: Vec<FileChange>) -> Result<ChangeSet, SetError> {
    let mut edits = Vec::new();
    if !catalog.workspace.order.is_empty() {
        let value = Draft::Text(made.id.clone());
        edits.push(Edit::Insert { into: FieldPath::key("order"), before: None, key: None, value });
    }
    let sayable = catalog.rulebook.manifest.as_ref().is_some_and(|rule| rule.requires.is_some() && rule.file.is_some());
    if !made.requires.is_empty() && !sayable {
        let list = Draft::List(made.requires.iter().cloned().map(Draft::Text).collect());
        let at = FieldPath::key("stands_on").with(Step::Key(made.id.clone()));
        let document = catalog.file_named(WORKSPACE_FILE).and_then(|file| catalog.document(file));
        edits.extend(document.map(|document| made_with(document, at, list, &catalog.names)));
    }
    if made.edit {
        edits.push(Edit::Set { at: FieldPath::key("edit"), to: Draft::Text(made.id.clone()) });
    }
    files.extend(own_file(catalog, WORKSPACE_FILE, &edits)?);
    Ok(files.into())
}

/// What a renaming comes to.
#[derive(Clone, Debug, Default)]
pub struct RenamedMod {
    /// The files to move and to change.
    pub changes: ChangeSet,
    /// Mods whose requirements follow.
    pub followed: Vec<String>,
    /// Definitions whose ids begin with the old id, which stay as they are.
    pub ids: Vec<String>,
    /// Definitions that got other ids with it: old and new.
    pub renamed: Vec<(String, String)>,
    /// Uses of these in other mods, which stay.
    pub elsewhere: Vec<LeftUse>,
    /// What speaks of them and has to be looked at by a person.
    pub by_hand: Vec<LeftUse>,
}

impl From<ChangeSet> for RenamedMod {
    fn from(changes: ChangeSet) -> RenamedMod {
        RenamedMod { changes, ..RenamedMod::default() }
    }
}

/// Plans another id for a mod: its folder, its manifest, the manifests of others, the workspace's own files; and what
/// names definitions whose ids are made of the mod's. With `ids`, definitions whose ids begin with the old one get
/// others, too. Nothing is written.
///
/// # Errors
/// The id is taken or no name for a folder, and as of renaming these definitions.
pub fn rename_mod(
    source: &dyn Source,
    world: &World,
    layer: LayerId,
    id: &str,
    ids: bool,
) -> Result<RenamedMod, SetError> {
    let catalog = &world.catalog;
    let mut out = called_otherwise(world, layer, id)?;
    let old = catalog.layer(layer).id.clone();
    let begin: Vec<(Address, String)> = begin_with(catalog, layer, &old)
        .into_iter()
        .map(|address| {
            let rest = catalog.names.text(address.id).strip_prefix(&old).unwrap_or_default();
            (address, format!("{id}{rest}"))
        })
        .collect();
    let by_mod = catalog.definitions_of(layer).any(|(_, made)| catalog.rulebook.kind(made.kind).is_named_by_mod());
    match (begin.is_empty() || !ids, by_mod) {
        (true, false) => out.ids = begin.iter().map(|(address, _)| catalog.show_address(*address)).collect(),
        (stay, _) => {
            let report = rename_with_mod(source, world, layer, if stay { &[] } else { &begin }, id)?;
            let changed = |shown: &String| report.renamed.iter().any(|(old, _)| old == shown);
            let shown = begin.iter().map(|(address, _)| catalog.show_address(*address));
            out.ids = shown.filter(|shown| !changed(shown)).collect();
            (out.changes, out.renamed) = (report.changes, report.renamed);
            (out.elsewhere, out.by_hand) = (report.elsewhere, report.by_hand);
        }
    }
    Ok(out)
}

/// The definitions that are a mod's alone and whose ids begin with a word, not made of the mod's.
fn begin_with(catalog: &Catalog, layer: LayerId, word: &str) -> Vec<Address> {
    let by_mod = |made: &Definition| catalog.rulebook.kind(made.kind).is_named_by_mod();
    let own = catalog.definitions_of(layer).filter(|(_, made)| made.below.is_none() && !by_mod(made));
    let ids = own.filter_map(|(_, definition)| catalog.address_of(definition));
    ids.filter(|address| catalog.names.text(address.id).starts_with(word)).collect()
}

/// Changes of a mod, and behind them those that give it another id.
///
/// # Errors
/// What it comes to cannot be read, and as of [`called_otherwise`].
pub(super) fn with_mod_called(
    source: &dyn Source,
    world: &World,
    layer: LayerId,
    changes: ChangeSet,
    id: &str,
) -> Result<ChangeSet, SetError> {
    if changes.files.is_empty() {
        return Ok(called_otherwise(world, layer, id)?.changes);
    }
    let own = &world.catalog.layer(layer).id;
    let by_then = afterwards(source, own, &changes)?;
    Ok(changes.then(called_otherwise(&by_then, layer_again(&by_then, own)?, id)?.changes))
}

/// Another id for a mod: its folder, its manifest, the manifests of others, the workspace's own files.
///
/// # Errors
/// The id is taken or no name for a folder.
fn called_otherwise(world: &World, layer: LayerId, id: &str) -> Result<RenamedMod, SetError> {
    let catalog = &world.catalog;
    let rule = manifest_rule(catalog)?;
    writable(catalog, layer)?;
    usable(catalog, id)?;
    let found = catalog.layer(layer);
    let old = found.id.clone();
    let folder = format!("{}/{id}", catalog.workspace.mods);
    let moves = found.folder.rsplit('/').next() == Some(&old);
    let mut out = RenamedMod::default();
    let (mut files, mut files_moved) = (Vec::new(), Vec::new());
    for (other, theirs) in catalog.layers().skip(1) {
        let Some((file, document)) = theirs.manifest_file.and_then(|file| Some((file, catalog.document(file)?))) else {
            continue;
        };
        let mut edits = Vec::new();
        if other == layer {
            let field = rule.id.clone().map(|at| Edit::Set { at, to: Draft::Text(id.to_owned()) });
            edits.extend(field);
        }
        for pattern in [&rule.requires, &rule.after, &rule.excludes].into_iter().flatten() {
            edits.extend(named_in(document, pattern, &old, id, catalog));
        }
        // a part that applies with it is called by it
        for condition in [Condition::With, Condition::Without].into_iter().filter(|_| other != layer) {
            let part = |id: &str| Some(format!("{}/{}", theirs.folder, rule.parts.folder(&condition(id.to_owned()))?));
            let files = |below: &str| catalog.files().any(|(_, file)| file.path.starts_with(&format!("{below}/")));
            if let (Some(path), Some(to)) = (part(&old).filter(|path| files(path)), part(id)) {
                files_moved.push(FileChange::Move { path, to });
            }
        }
        if edits.is_empty() {
            continue;
        }
        if other != layer {
            out.followed.push(theirs.id.clone());
        }
        let text = edit(document, &edits, &catalog.names)?;
        if other == layer {
            read_back(catalog, rule, document.notation().clone(), &text, id, &[])?;
        }
        let (path, before) = (catalog.file(file).path.clone(), document.text().to_string());
        let path = match &rule.file {
            Some(file) if other == layer && moves => format!("{folder}/{file}"),
            _ => path,
        };
        files.push(FileChange::edit(path, before, text));
    }
    files.extend(files_moved);
    if moves {
        // the folder goes first, with all that is in it
        files.insert(0, FileChange::Move { path: found.folder.clone(), to: folder.clone() });
    }
    let mut edits = Vec::new();
    for one in &catalog.workspace.stands_on {
        let (own, _) = &one.mod_id;
        let at = FieldPath::key("stands_on").with(Step::Key(own.clone()));
        let named = one.others.iter().enumerate().filter(|(_, (other, _))| *other == old);
        edits.extend(named.map(|(nth, _)| Edit::Set { at: at.with(Step::Index(nth)), to: Draft::Text(id.to_owned()) }));
        if *own == old {
            edits.push(Edit::Rename { at, to: id.to_owned() });
        }
    }
    for (at, (known, _)) in catalog.workspace.order.iter().enumerate() {
        if *known == old {
            let at = FieldPath::key("order").with(Step::Index(at));
            edits.push(Edit::Set { at, to: Draft::Text(id.to_owned()) });
        }
    }
    if catalog.workspace.edit.as_ref().is_some_and(|(known, _)| *known == old) {
        edits.push(Edit::Set { at: FieldPath::key("edit"), to: Draft::Text(id.to_owned()) });
    }
    files.extend(own_file(catalog, WORKSPACE_FILE, &edits)?);
    let mut edits = Vec::new();
    for (at, (acceptance, _)) in catalog.accepted.iter().enumerate().filter(|_| moves) {
        if let Some(rest) = acceptance.file.as_ref().and_then(|file| file.strip_prefix(&format!("{}/", found.folder))) {
            let at = FieldPath::key("accept").with(Step::Index(at)).with(Step::Key("file".to_owned()));
            edits.push(Edit::Set { at, to: Draft::Text(format!("{folder}/{rest}")) });
        }
    }
    files.extend(own_file(catalog, ACCEPTED_FILE, &edits)?);
    out.changes = files.into();
    Ok(out)
}

/// Reads a manifest that is about to be written, and compares it with what is about to be said of it.
fn read_back(
    catalog: &Catalog,
    rule: &ManifestRule,
    notation: Notation,
    text: &str,
    id: &str,
    requires: &[String],
) -> Result<(), SetError> {
    let document = Document::parse(FileId(u32::MAX), notation, text.into(), &catalog.names);
    let name = rule.file.as_deref().unwrap_or_default();
    let document = as_read(document, name, &FileRole::Manifest, &catalog.rulebook, &catalog.names);
    let read = read_manifest(&document, rule, id, &catalog.names).manifest;
    let lacking = requires.iter().find(|wanted| !read.requires.iter().any(|(known, _)| known == *wanted));
    if !document.is_broken() && read.id == id && lacking.is_none() {
        return Ok(());
    }
    let what = match lacking {
        Some(lacking) if read.id == id => format!("without its requirement `{lacking}`"),
        _ => format!("with the id `{}`", read.id),
    };
    let help = format!("write `{name}` by hand, and see with `cognomen check` what is read");
    Err(SetError::Problem(format!("the manifest of `{id}` would be read {what}\n  help: {help}")))
}

fn manifest_rule(catalog: &Catalog) -> Result<&ManifestRule, SetError> {
    let none = || SetError::Problem("the rulebook does not say what a mod's manifest is".to_owned());
    catalog.rulebook.manifest.as_ref().ok_or_else(none)
}

/// Whether a word can be the name of a file or folder on every system.
pub(super) fn names_a_file(word: &str) -> bool {
    let plain = |c: char| c.is_alphanumeric() || matches!(c, '-' | '_' | '.' | ' ');
    file_named(word).is_ok() && word.chars().all(plain) && !word.starts_with(['.', ' '])
}

/// Refuses ids that are taken, or cannot be the name of a folder on every system.
fn usable(catalog: &Catalog, id: &str) -> Result<(), SetError> {
    if !names_a_file(id) {
        let message = format!("`{id}` cannot name a folder on every system: letters, digits, `-`, `_`");
        return Err(SetError::Problem(message));
    }
    let lower = id.to_lowercase();
    if let Some((_, known)) = catalog.layers().find(|(_, layer)| layer.id.to_lowercase() == lower) {
        return Err(SetError::Problem(format!("there is a mod `{}` already", known.id)));
    }
    let folder = format!("{}/{lower}/", catalog.workspace.mods);
    if catalog.files().any(|(_, file)| file.path.to_lowercase().starts_with(&folder)) {
        return Err(SetError::Problem(format!("there is a folder `{}/{id}` already", catalog.workspace.mods)));
    }
    Ok(())
}

/// The list of a pattern, and its entries.
fn requirements(pattern: &Pattern, ids: &[String]) -> (FieldPath, Vec<Draft>) {
    let key = |step: &PatternStep| match step {
        PatternStep::Key(key) => Some(Step::Key(key.clone())),
        _ => None,
    };
    let at = pattern.0.iter().position(|step| *step == PatternStep::Entries).unwrap_or(pattern.0.len());
    let list: Vec<Step> = pattern.0.iter().take(at).filter_map(key).collect();
    let inner: Vec<Step> = pattern.0.iter().skip(at + 1).filter_map(key).collect();
    let entry = |id: &String| {
        inner.iter().rev().fold(Draft::Text(id.clone()), |value, step| match step {
            Step::Key(key) => Draft::Table(vec![(key.clone(), value)]),
            _ => value,
        })
    };
    (FieldPath::from(list), ids.iter().map(entry).collect())
}

/// Edits that let every place of a pattern name the new id instead of the old one.
fn named_in(document: &Document, pattern: &Pattern, old: &str, new: &str, catalog: &Catalog) -> Vec<Edit> {
    let (list, _) = requirements(pattern, &[]);
    let Some(node) = find(document.root(), &list, &catalog.names) else { return Vec::new() };
    let written = catalog.rulebook.manifest.as_ref().and_then(|rule| rule.requires_as.as_ref());
    let between = written.map(|(between, _)| between.as_str());
    let mut edits = Vec::new();
    let mut todo = vec![node];
    while let Some(node) = todo.pop() {
        match node.shape() {
            Shape::Text => {
                let text = node.text();
                // a version may stand behind it
                let rest = text
                    .strip_prefix(old)
                    .filter(|rest| rest.is_empty() || between.is_some_and(|between| rest.starts_with(between)));
                if let Some(rest) = rest {
                    let at = document.path_to(node.id(), &catalog.names);
                    edits.push(Edit::Set { at, to: Draft::Text(format!("{new}{rest}")) });
                }
            }
            Shape::List | Shape::Table => todo.extend(node.children()),
            _ => {}
        }
    }
    edits
}

/// A key of the workspace file with another value; nothing where it has that already.
///
/// # Errors
/// The file cannot be edited.
pub fn in_workspace_file(catalog: &Catalog, key: &str, value: Draft) -> Result<ChangeSet, SetError> {
    let change = own_file(catalog, WORKSPACE_FILE, &[Edit::Set { at: FieldPath::key(key), to: value }])?;
    let change = change.filter(|change| change.texts().0 != change.texts().1);
    Ok(change.into_iter().collect::<Vec<_>>().into())
}

/// One of the workspace's own files with edits.
pub(super) fn own_file(catalog: &Catalog, path: &str, edits: &[Edit]) -> Result<Option<FileChange>, SetError> {
    let document = catalog.file_named(path).and_then(|file| catalog.document(file));
    let Some(document) = document.filter(|_| !edits.is_empty()) else { return Ok(None) };
    let text = edit(document, edits, &catalog.names)?;
    Ok(Some(FileChange::edit(path, &**document.text(), text)))
}

/// Another mod's manifest, whose layout is followed.
fn model(catalog: &Catalog) -> Option<&Document> {
    let manifests = catalog.layers().filter_map(|(_, layer)| layer.manifest_file);
    manifests.filter_map(|file| catalog.document(file)).map(|d| &**d).next()
}
