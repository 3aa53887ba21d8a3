//! Where a definition's own id stands: its key, a field, its file's name, or a part of what makes it.

use std::collections::{BTreeMap, BTreeSet};

use super::Follows;
use crate::author::mods::names_a_file;
use crate::author::place::moved;
use crate::author::rewrites::Rewrites;
use crate::author::set::SetError;
use crate::catalog::{Address, Catalog, Definition, LayerId};
use crate::document::{FieldPath, Node, Shape, find};
use crate::effective::World;
use crate::rulebook::{KindId, NameFrom, Piece, Reading, Word};
use crate::source::Place;

/// A definition with another id.
#[derive(Clone, Debug)]
pub(super) struct Renamed {
    pub(super) address: Address,
    pub(super) kind: KindId,
    pub(super) old: String,
    pub(super) new: String,
    /// Whether its id is made of another one, and changes with it.
    pub(super) follows: bool,
}

/// Puts the new id where the definitions of a layer say the old one.
///
/// # Errors
/// The id is made of what it cannot be written into.
pub(super) fn own(
    catalog: &Catalog,
    layer: LayerId,
    renamed: &Renamed,
    rewrites: &mut Rewrites<'_>,
    followed: &mut BTreeSet<(Follows, Place)>,
) -> Result<(), SetError> {
    for (_, definition) in catalog.stack(renamed.address).filter(|(_, definition)| definition.layer == layer) {
        if !renamed.follows {
            one(catalog, definition, renamed, rewrites)?;
        }
        followed.insert((Follows::Definition, catalog.definition_place(definition.at())));
    }
    Ok(())
}

fn one(
    catalog: &Catalog,
    definition: &Definition,
    renamed: &Renamed,
    rewrites: &mut Rewrites<'_>,
) -> Result<(), SetError> {
    let kind = catalog.rulebook.kind(renamed.kind);
    let node = catalog.node(definition.at());
    let file = catalog.file(definition.file);
    let piece = Piece { node, relative: &file.relative, owner: &file.owner, names: &catalog.names };
    let folder = file.folder();
    let within = |id: &str| -> Option<String> {
        match kind.scoped && !folder.is_empty() {
            true => id.strip_prefix(folder)?.strip_prefix('/').map(str::to_owned),
            false => Some(id.to_owned()),
        }
    };
    let (Some(old), Some(new)) = (within(&renamed.old), within(&renamed.new)) else {
        let message = format!("`{}` is looked for in `{folder}`, where it stands", renamed.old);
        let help = format!("`{folder}/…` is an id that it can have there; otherwise its file goes to another folder");
        return Err(SetError::Problem(format!("{message}\n  help: {help}")));
    };
    let from = kind.name_from.iter().find(|from| !piece.words(from).is_empty());
    for path in &kind.repeats_id {
        field(catalog, node, path, (&old, &new), rewrites);
    }
    match from {
        // a script's own word
        None => rewrites.value(node, &old, &new),
        Some(NameFrom::Key) => rewrites.key(node, &new),
        Some(NameFrom::Field(path) | NameFrom::Fields(path)) => field(catalog, node, path, (&old, &new), rewrites),
        Some(NameFrom::Stem) => to_file(catalog, definition, &join(folder, &new), &new, rewrites)?,
        Some(NameFrom::Path) => to_file(catalog, definition, &new, &new, rewrites)?,
        Some(NameFrom::Folder) => {
            let message = format!("`{old}` is the name of the folder `{folder}`");
            let help = "give the folder another name, and see with `cognomen check` what named it";
            return Err(SetError::Problem(format!("{message}\n  help: {help}")));
        }
        Some(from @ NameFrom::Template(_)) => {
            if !words(catalog, definition, &piece, (&old, &new), renamed, rewrites) {
                part(catalog, &piece, renamed.kind, from, (&old, &new), rewrites)?;
            }
        }
        Some(NameFrom::Nothing | NameFrom::Head(_) | NameFrom::Mod) => {}
    }
    Ok(())
}

fn join(folder: &str, name: &str) -> String {
    if folder.is_empty() { name.to_owned() } else { format!("{folder}/{name}") }
}

/// The field that names a definition, or the entry of it that does.
fn field(catalog: &Catalog, node: Node<'_>, path: &FieldPath, (old, new): (&str, &str), rewrites: &mut Rewrites<'_>) {
    let Some(found) = find(node, path, &catalog.names) else { return };
    let mut todo = vec![found];
    while let Some(node) = todo.pop() {
        match node.shape() {
            Shape::List => todo.extend(node.children()),
            _ if node.text() == old => rewrites.value(node, old, new),
            _ => {}
        }
    }
}

/// A file that is called as its definition.
fn to_file(
    catalog: &Catalog,
    definition: &Definition,
    path: &str,
    id: &str,
    rewrites: &mut Rewrites<'_>,
) -> Result<(), SetError> {
    if !id.split('/').all(names_a_file) {
        let message = format!("`{id}` cannot name a file on every system: letters, digits, `-`, `_`");
        return Err(SetError::Problem(message));
    }
    let file = catalog.file(definition.file);
    let ending = file.relative.rsplit_once('.').map_or("", |(_, ending)| ending);
    let folder = file.path.strip_suffix(&*file.relative).unwrap_or("");
    rewrites.moved.insert(file.path.clone(), format!("{folder}{path}.{ending}"));
    Ok(())
}

/// The words that make an id, where each that becomes another one stands somewhere by itself; otherwise nothing.
fn words(
    catalog: &Catalog,
    definition: &Definition,
    piece: &Piece<'_>,
    (old, new): (&str, &str),
    renamed: &Renamed,
    rewrites: &mut Rewrites<'_>,
) -> bool {
    let Some(from) = catalog.rulebook.kind(definition.kind).name_from.first() else { return false };
    let (Some(was), Some(is)) = (from.words_of(old), from.words_of(new)) else { return false };
    let rulebook = &catalog.rulebook;
    let root = rulebook.kind(definition.kind).root;
    let same = |(one, other): (&(_, _), &(_, _))| one.0 == other.0;
    if was.len() != is.len() || !was.iter().zip(&is).all(same) {
        return false;
    }
    let changed: Vec<_> = was.iter().zip(&is).filter(|(was, is)| was.1 != is.1).map(|(_, is)| is).collect();
    let place = rulebook.places.iter().find(|place| place.files.is_match(piece.relative));
    let alone = place.is_some_and(|place| place.holds_one());
    // nothing is done before it is known that all can be
    let stands = |word: &Word| match &word.from {
        NameFrom::Key => true,
        NameFrom::Field(path) => {
            let ty = rulebook.type_at(root, path, piece.names);
            let link = ty.is_ok_and(|ty| matches!(rulebook.field_type(ty).reading, Reading::Link(_)));
            !link && find(piece.node, path, piece.names).is_some()
        }
        _ => word.is_of_path() && alone && moved(catalog, definition.kind, &renamed.new, piece.relative).is_some(),
    };
    if changed.is_empty() || !changed.iter().all(|(word, _)| stands(word)) {
        return false;
    }
    for (word, text) in changed {
        match &word.from {
            NameFrom::Key => rewrites.key(piece.node, text),
            NameFrom::Field(path) => {
                if let Some(node) = find(piece.node, path, piece.names) {
                    rewrites.value(node, &node.text(), text);
                }
            }
            _ => {
                let file = catalog.file(definition.file);
                let above = file.path.strip_suffix(piece.relative).unwrap_or("");
                if let Some(there) = moved(catalog, definition.kind, &renamed.new, piece.relative) {
                    rewrites.moved.insert(file.path.clone(), format!("{above}{there}"));
                }
            }
        }
    }
    true
}

/// One part of an id that several make: the one that alone can make it the new one, and means nothing else.
fn part(
    catalog: &Catalog,
    piece: &Piece<'_>,
    kind: KindId,
    from: &NameFrom,
    (old, new): (&str, &str),
    rewrites: &mut Rewrites<'_>,
) -> Result<(), SetError> {
    let rulebook = &catalog.rulebook;
    let root = rulebook.kind(kind).root;
    let mut links = Vec::new();
    let fields = from.fields();
    for (path, _) in fields.iter().rev() {
        let Some(node) = find(piece.node, path, piece.names) else { continue };
        let word = node.text().into_owned();
        let ty = rulebook.type_at(root, path, piece.names).ok();
        if ty.is_some_and(|ty| matches!(rulebook.field_type(ty).reading, Reading::Link(_))) {
            links.push(format!("`{path}`"));
            continue;
        }
        for (at, _) in old.match_indices(word.as_str()) {
            let (before, after) = (old.get(..at).unwrap_or(""), old.get(at + word.len()..).unwrap_or(""));
            let inner = new.strip_prefix(before).and_then(|rest| rest.strip_suffix(after));
            if let Some(inner) = inner.filter(|inner| !inner.is_empty()) {
                rewrites.value(node, &word, inner);
                return Ok(());
            }
        }
    }
    let parts: Vec<String> = fields.iter().map(|(path, _)| format!("`{path}`")).collect();
    let message = match parts.is_empty() {
        true => format!("`{old}` cannot become `{new}`: it is made of what it cannot change, as the mod's id"),
        false => format!("`{old}` is made of {}, none of which alone can make it `{new}`", parts.join(" and ")),
    };
    let help = match links.first() {
        Some(link) => format!("{link} says what it is about; `cognomen set` changes that, and the id with it"),
        None if parts.is_empty() => "keep those words of it, and change the others".to_owned(),
        None => "`cognomen set` changes these fields, and the id with them".to_owned(),
    };
    Err(SetError::Problem(format!("{message}\n  help: {help}")))
}

/// The definitions of a layer whose ids changed along with what they are made of.
pub(super) fn following(
    before: &World,
    after: &World,
    layer: LayerId,
    moved: &BTreeMap<String, String>,
    known: &[Renamed],
) -> Vec<Renamed> {
    let (was, is) = (&before.catalog, &after.catalog);
    let mut out: Vec<Renamed> = Vec::new();
    for (file, found) in was.files().filter(|(_, file)| file.layer == Some(layer)) {
        let path = moved.get(&found.path).unwrap_or(&found.path);
        let (Some(harvest), Some(again)) = (was.harvest_of(file), is.file_named(path)) else { continue };
        let Some(again) = is.harvest_of(again) else { continue };
        for (made, then) in harvest.definitions.iter().zip(&again.definitions) {
            let (Some(old), Some(new)) = (made.id, then.id) else { continue };
            let (old, new) = (was.names.text(old), is.names.text(new));
            let Some(address) = was.address(made.kind, old) else { continue };
            if old != new && !known.iter().chain(&out).any(|renamed| renamed.address == address) {
                let (old, new) = (old.to_owned(), new.to_owned());
                out.push(Renamed { address, kind: made.kind, old, new, follows: true });
            }
        }
    }
    out
}
