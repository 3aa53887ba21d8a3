//! `move`: definitions go to other files of their mod, with the comments that stand with them.
//!
//! What is moved is first put there as a value, as `new` would; then its own text takes the place of that, re-indented,
//! if the file is read as the same then.

use std::collections::{BTreeMap, BTreeSet};

use super::delete::{entries_out, out_of_file};
use super::place::{Lead, insertions};
use super::read_back::Before;
use super::requirement::writable;
use super::rewrites::{Rewrites, afterwards, layer_again};
use super::set::SetError;
use super::stood::{as_it_stood, entries, own_texts, written_at};
use crate::catalog::{Address, Catalog, Definition, LayerId};
use crate::document::{Document, Draft, FieldPath, Format, apply, edit_like, line_break, whole};
use crate::effective::World;
use crate::rulebook::{NameFrom, Where};
use crate::source::{ChangeSet, FileChange, FileId, Source, file_named};

/// What to move.
#[derive(Clone, Debug)]
pub struct MoveOptions {
    /// The mod that is written to.
    pub layer: LayerId,
    /// The definitions.
    pub addresses: Vec<Address>,
    /// The file, below the mod's folder; `{field}` in it is filled in from each definition.
    pub to: String,
}

/// What a move comes to.
#[derive(Debug, Default)]
pub struct MoveReport {
    /// The files to write.
    pub changes: ChangeSet,
    /// The definitions that move, by the file that they go to.
    pub moved: Vec<(String, Vec<String>)>,
    /// Files that go, since nothing is left in them.
    pub emptied: Vec<String>,
}

/// Plans a move and reads it back. Nothing is written.
///
/// # Errors
/// A definition is not the mod's own, its id hangs on its file, the rulebook reads no such definition there, or what would be
/// written would be read as something else.
pub fn move_definitions(source: &dyn Source, world: &World, options: &MoveOptions) -> Result<MoveReport, SetError> {
    let catalog = &world.catalog;
    let layer = options.layer;
    writable(catalog, layer)?;
    let mut report = MoveReport::default();
    let mut into: BTreeMap<String, Vec<(Address, &Definition)>> = BTreeMap::new();
    for address in &options.addresses {
        let shown = catalog.show_address(*address);
        let own: Vec<&Definition> =
            catalog.stack(*address).map(|(_, made)| made).filter(|made| made.layer == layer).collect();
        let [made] = own.as_slice() else {
            let own_id = &catalog.layer(layer).id;
            let message = match own.is_empty() {
                true => format!("`{own_id}` does not define `{shown}`"),
                false => format!("`{own_id}` defines `{shown}` more than once"),
            };
            return Err(SetError::Problem(message));
        };
        let to = path_for(world, layer, *address, &options.to)?;
        if catalog.file(made.file).path != format!("{}/{to}", catalog.layer(layer).folder) {
            into.entry(to).or_default().push((*address, made));
        }
    }
    if into.is_empty() {
        return Err(SetError::Problem("all of it stands there already".to_owned()));
    }
    let sources: BTreeSet<&str> =
        into.values().flatten().map(|(_, made)| catalog.file(made.file).path.as_str()).collect();
    let both =
        into.keys().map(|to| format!("{}/{to}", catalog.layer(layer).folder)).find(|to| sources.contains(to.as_str()));
    if let Some(both) = both {
        let message = format!("definitions would go to `{both}`, and others out of it, at once");
        return Err(SetError::Problem(format!("{message}\n  help: move them in two steps")));
    }
    let mut rewrites = Rewrites::new(catalog);
    let mut taken: BTreeMap<FileId, BTreeSet<Address>> = BTreeMap::new();
    let mut files = Vec::new();
    for (to, all) in &into {
        // as they stand in their files
        let mut all = all.clone();
        all.sort_by_key(|(_, made)| catalog.definition_place(made.at()));
        files.push(put_into(catalog, layer, to, &all)?);
        let shown = all.iter().map(|(address, _)| catalog.show_address(*address)).collect();
        report.moved.push((format!("{}/{to}", catalog.layer(layer).folder), shown));
        for (address, made) in all {
            taken.entry(made.file).or_default().insert(address);
        }
    }
    for (file, addresses) in taken {
        out_of_file(catalog, file, &addresses, &mut rewrites)?;
        if rewrites.gone.contains(&file) && leaves_remarks(catalog, file, &addresses) {
            rewrites.gone.remove(&file);
            entries_out(catalog, file, &addresses, &mut rewrites)?;
        }
    }
    report.changes = rewrites.changes()?;
    for change in &report.changes.files {
        if let FileChange::Delete { path, .. } = change {
            report.emptied.push(path.clone());
        }
    }
    report.changes = std::mem::take(&mut report.changes).then(files.into());
    let id = catalog.layer(layer).id.clone();
    let after = afterwards(source, &id, &report.changes)?;
    let again = layer_again(&after, &id)?;
    Before::of(world, layer, None).read_back(&after, again, &[], &[])?;
    let shown = |world: &World, layer: LayerId| -> BTreeMap<String, Draft> {
        let view = world.with_ground(layer);
        let all = world.touched_by(layer).into_iter();
        let one = |at: Address| {
            Some((world.catalog.show_address(at), view.effective(at)?.whole(&world.catalog).draft(&world.catalog)))
        };
        all.filter_map(one).collect()
    };
    let (was, is) = (shown(world, layer), shown(&after, again));
    if let Some((address, _)) = was.iter().find(|(address, value)| is.get(*address) != Some(value)) {
        return Err(SetError::Problem(format!("`{address}` would show something else there")));
    }
    Ok(report)
}

/// Whether a file has remarks that stand with none of the definitions that go out of it.
fn leaves_remarks(catalog: &Catalog, file: FileId, gone: &BTreeSet<Address>) -> bool {
    let mut without = Rewrites::new(catalog);
    let Some(document) = catalog.document(file) else { return false };
    let changes = entries_out(catalog, file, gone, &mut without).and_then(|()| without.changes());
    let has = |change: &FileChange| document.notation().has_comments(change.texts().1);
    changes.is_ok_and(|changes| changes.files.iter().any(has))
}

/// The path that a definition goes to.
fn path_for(world: &World, layer: LayerId, address: Address, to: &str) -> Result<String, SetError> {
    let catalog = &world.catalog;
    let folder = format!("{}/", catalog.layer(layer).folder);
    let mut out = String::new();
    let mut rest = to.strip_prefix(&folder).unwrap_or(to);
    let view = world.with_ground(layer);
    while let Some((before, behind)) = rest.split_once('{') {
        let (field, after) = behind.split_once('}').ok_or_else(|| SetError::Problem(format!("`{to}` lacks a `}}`")))?;
        let path = FieldPath::parse(field).map_err(|error| SetError::Problem(error.to_string()))?;
        let value = view.effective(address).and_then(|effective| effective.get(catalog, &path));
        let word = value.and_then(|value| value.word(catalog)).ok_or_else(|| {
            SetError::Problem(format!("`{}` has no `{field}` to name a file by", catalog.show_address(address)))
        })?;
        out.push_str(before);
        out.push_str(&crate::source::path_for(&word));
        rest = after;
    }
    out.push_str(rest);
    let parts_fit = out.split('/').all(|part| file_named(part).is_ok() && !part.is_empty() && part != "..");
    match parts_fit {
        true => Ok(out),
        false => Err(SetError::Problem(format!("`{out}` cannot be a file of the mod"))),
    }
}

/// The file to which definitions go, with them in it.
fn put_into(
    catalog: &Catalog,
    layer: LayerId,
    to: &str,
    all: &[(Address, &Definition)],
) -> Result<FileChange, SetError> {
    let path = format!("{}/{to}", catalog.layer(layer).folder);
    let rulebook = &catalog.rulebook;
    let Some((_, first)) = all.first() else { return Err(SetError::Problem("nothing moves".to_owned())) };
    for (address, made) in all {
        let by_file = |from: &NameFrom| matches!(from, NameFrom::Stem | NameFrom::Path | NameFrom::Folder);
        let kind = rulebook.kind(made.kind);
        if kind.scoped || kind.name_from.iter().any(by_file) {
            let shown = catalog.show_address(*address);
            let help = format!("`cognomen rename {shown} NEW` gives it another id, and so another file");
            return Err(SetError::Problem(format!("the id of `{shown}` comes from its file\n  help: {help}")));
        }
    }
    let fits = |place: &&Where| {
        place.files.is_match(to) && !place.holds_one() && all.iter().all(|(_, made)| place.writes(made.kind))
    };
    let place = rulebook.places.iter().find(fits).ok_or_else(|| {
        let name = rulebook.kind(first.kind).name();
        let known = rulebook.places.iter().filter(|place| place.writes(first.kind) && !place.holds_one());
        let known: Vec<String> = known.flat_map(|place| &place.patterns).map(|known| format!("`{known}`")).collect();
        let article = crate::rulebook::article(name);
        SetError::Problem(match known.is_empty() {
            true => format!("{article} {name} has a file of its own"),
            false => {
                format!("nothing reads {article} {name} from `{to}`\n  help: it is read from {}", known.join(", "))
            }
        })
    })?;
    let notation =
        place.notation_of(to).ok_or_else(|| SetError::Problem(format!("no notation is known for `{to}`")))?;
    let names = &catalog.names;
    let mut drafts: Vec<(String, Draft)> = Vec::new();
    for (_, made) in all {
        let document = catalog.document(made.file);
        if document.is_none_or(|document| document.notation() != &notation) {
            let from = &catalog.file(made.file).relative;
            return Err(SetError::Problem(format!("`{from}` and `{to}` are not written alike")));
        }
        let node = catalog.node(made.at());
        let draft = written_at(catalog, made.at()).map(|(_, node)| Draft::of(node, names));
        let key = node.key().map_or(String::new(), |key| names.text(key).to_owned());
        drafts.push((key, draft.unwrap_or(Draft::Null)));
    }
    let known = catalog.file_named(&path).and_then(|file| catalog.document(file));
    let text = match known {
        Some(document) => {
            let edits = insertions(document, place, &drafts, names, Lead::There)
                .ok_or_else(|| SetError::Problem(format!("`{path}` has no place for it")))?;
            edit_like(document, None, &edits, names)?
        }
        None => {
            let model = catalog.document(first.file).map(|document| &**document);
            let models: Vec<&Document> = model.into_iter().collect();
            whole(&notation, &models, &super::place::uncut(&place.cut.0, &drafts), names)?
        }
    };
    let before = known.map(|document| &**document.text());
    let text = as_they_stood(catalog, place, all, before, text);
    Ok(match before {
        Some(before) => FileChange::edit(path, before, text),
        None => FileChange::Create { path, text },
    })
}

/// A file in which definitions stand at the end of where a place finds them, with the text that they have in their own files
/// instead, as far as it is read as the same.
fn as_they_stood(
    catalog: &Catalog,
    place: &Where,
    all: &[(Address, &Definition)],
    before: Option<&str>,
    text: String,
) -> String {
    let names = &catalog.names;
    let Some(document) = all.first().and_then(|(_, made)| catalog.document(made.file)) else { return text };
    let parsed = |text: &str| Document::parse(FileId(0), document.notation().clone(), text.into(), names);
    let value = |text: &str| Draft::of(parsed(text).root(), names);
    let wanted = value(&text);
    if document.format() == Format::Toml {
        let line = line_break(document.text());
        let mut whole = before.unwrap_or("").to_owned();
        for entry in own_texts(catalog, &all.iter().map(|(_, made)| made.at()).collect::<Vec<_>>()) {
            let Some(entry) = entry else { return text };
            if !whole.is_empty() {
                whole = format!("{}{line}{line}", whole.trim_end());
            }
            whole.push_str(&entry);
            whole.push_str(line);
        }
        return if value(&whole) == wanted { whole } else { text };
    }
    let mut text = text;
    // all at once; where that reads otherwise, each half by itself
    let mut todo = vec![(0, all.len())];
    while let Some((start, end)) = todo.pop() {
        let now = parsed(&text);
        let children = entries(&now, place, names);
        let there = children.get(children.len().saturating_sub(all.len())..).unwrap_or_default();
        let pairs = all.iter().zip(there).take(end).skip(start);
        let splices =
            pairs.flat_map(|((_, made), there)| as_it_stood(catalog, made.at(), &text, *there)).collect::<Vec<_>>();
        let mut changed = text.clone();
        apply(&mut changed, &splices);
        let new = parsed(&changed);
        if !new.is_broken() && Draft::of(new.root(), names) == wanted {
            text = changed;
        } else if end - start > 1 {
            let middle = start.midpoint(end);
            todo.extend([(start, middle), (middle, end)]);
        }
    }
    text
}
