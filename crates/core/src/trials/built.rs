//! What is built is what was meant: the built folder in the mod's place, read again.

use std::collections::BTreeMap;

use crate::catalog::{Address, Catalog, LayerId};
use crate::document::Draft;
use crate::effective::{World, same};
use crate::rulebook::{Again, TypeId};
use crate::ship::{BuildReport, build};
use crate::source::{Archives, MemorySource, Source};

/// A workspace with a mod's folder taken out and what was built put in its place.
pub(super) fn with_built(source: &dyn Source, folder: &str, built: &BuildReport) -> MemorySource {
    let below = format!("{folder}/");
    let mut after = MemorySource::default();
    for file in source.list("").unwrap().into_iter().filter(|file| file.refused.is_none()) {
        // what a mod brings along for the rulebook is not the game's
        let own = file.path.strip_prefix(&below).is_some_and(|path| path.starts_with("supplement/"));
        if own || !file.path.starts_with(&below) {
            after.put(&file.path, source.read(&file.path).unwrap());
        }
    }
    for file in &built.files {
        after.put(&format!("{below}{}", file.path), file.bytes.clone());
    }
    after
}

/// All that shows, by address.
fn shown(world: &World) -> BTreeMap<String, (Draft, TypeId)> {
    let (catalog, view) = (&world.catalog, world.view());
    let one = |at: Address| {
        let effective = view.effective(at)?;
        let root = catalog.rulebook.kind(effective.kind).root;
        Some((catalog.show_address(at), (effective.whole(catalog).draft(catalog), root)))
    };
    view.standing().into_iter().filter_map(one).collect()
}

/// A value without lists that have no entries: XML and lines of key and value have no notation for them.
fn without_empty(value: &Draft) -> Draft {
    match value {
        Draft::Table(entries) => {
            let said = entries.iter().filter(|(_, value)| !matches!(value, Draft::List(items) if items.is_empty()));
            Draft::Table(said.map(|(key, value)| (key.clone(), without_empty(value))).collect())
        }
        other => other.clone(),
    }
}

fn differing(before: &World, after: &World) -> Vec<String> {
    let (old, new) = (shown(before), shown(after));
    let catalog: &Catalog = &after.catalog;
    let such = catalog.definitions().any(|(_, made)| catalog.node(made.at()).document().notation().lists_by_entry());
    let alike =
        |value: &Draft, other: &Draft, ty| value == other || same(value, other, ty, &catalog.rulebook, &catalog.names);
    let mut out: Vec<String> = Vec::new();
    for (address, (value, ty)) in &old {
        match new.get(address) {
            None => out.push(format!("{address} is gone")),
            Some((other, _)) if alike(value, other, *ty) => {}
            Some((other, _)) if such && alike(&without_empty(value), &without_empty(other), *ty) => {}
            Some((other, _)) => out.push(format!("{address}: {} is {}", value.short(), other.short())),
        }
    }
    out.extend(new.keys().filter(|address| !old.contains_key(*address)).map(|address| format!("{address} is new")));
    let (old, new) = (variants(before), variants(after));
    let more = new.iter().filter(|(address, number)| old.get(*address) != Some(*number));
    out.extend(more.map(|(address, number)| format!("{address} counts {number} times")));
    out
}

/// How many definitions of an id count side by side.
fn variants(world: &World) -> BTreeMap<String, usize> {
    let view = world.view();
    let of = |at: &Address| view.top(*at).is_some_and(|(_, made)| made.again == Again::Variant);
    let standing = view.standing().into_iter().filter(of);
    standing.map(|at| (world.catalog.show_address(at), view.stack(at).count())).collect()
}

/// What is wrong with a mod's build: other bytes the second time, other values when it is read again, or other files
/// when what was built is built.
pub(crate) fn built_otherwise(meant: &World, source: &dyn Source, layer: LayerId) -> Vec<String> {
    let (id, folder) = (meant.catalog.layer(layer).id.clone(), meant.catalog.layer(layer).folder.clone());
    let built = match build(meant, source, layer) {
        Ok(built) => built,
        Err(error) => return vec![format!("not built: {error}")],
    };
    let again = build(meant, source, layer).unwrap();
    let bytes = |report: &BuildReport| -> BTreeMap<String, Vec<u8>> {
        report.files.iter().map(|file| (file.path.clone(), file.bytes.clone())).collect()
    };
    let mut wrong: Vec<String> = Vec::new();
    if bytes(&built) != bytes(&again) {
        wrong.push("built twice, other bytes".to_owned());
    }
    let replaced = Archives::new(with_built(source, &folder, &built));
    let after = World::load(&replaced).unwrap();
    wrong.extend(differing(meant, &after));
    if let Some(layer) = after.catalog.layer_named(&id) {
        let third = build(&after, &replaced, layer).unwrap();
        if bytes(&third) != bytes(&built) {
            wrong.push("what was built is built otherwise".to_owned());
        }
    }
    wrong
}
