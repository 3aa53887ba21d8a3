//! Files that follow from definitions, as a mod has to have them.

use std::collections::BTreeMap;

use super::scope::EffectiveScope;
use super::view::Effective;
use super::world::World;
use crate::catalog::{Address, Catalog, LayerId};
use crate::document::{Document, Draft, FieldPath, Format, decimal, json_line, whole};
use crate::rulebook::{DerivedRule, filled_in};
use crate::source::FileId;

/// A file that follows from definitions.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Derived {
    /// Its path below the mod's folder.
    pub(crate) path: String,
    /// All of it.
    pub(crate) text: String,
    /// The lines of definitions, each with its definition.
    pub(crate) lines: Vec<(String, Address)>,
    /// The number of its rule.
    pub(crate) rule: usize,
}

/// The files that follow from what a mod defines, or from all that it sees, by the rulebook.
pub(crate) fn derived(world: &World, layer: LayerId) -> Vec<Derived> {
    let mut out = Vec::new();
    for (nth, rule) in world.catalog.rulebook.derived.iter().enumerate() {
        let mut folders: BTreeMap<String, Vec<(Address, Effective)>> = BTreeMap::new();
        for (address, effective, folder) in members(world, layer, nth, rule) {
            folders.entry(folder).or_default().push((address, effective));
        }
        // one file for all, also where nothing is in it
        if !rule.file.contains("{folder}") && (rule.whole || !folders.is_empty()) {
            folders.entry(String::new()).or_default();
        }
        for (folder, mut all) in folders {
            sort(&world.catalog, rule, &mut all);
            let lines: Vec<(String, Address)> =
                all.iter().map(|(at, effective)| (filled(&world.catalog, &rule.line, *at, effective), *at)).collect();
            let text = match rule.json {
                true => json(&world.catalog, rule, &all, &lines),
                false => {
                    let written = lines.iter().map(|(line, _)| line.as_str());
                    let all = rule.head.as_deref().into_iter().chain(written).chain(rule.foot.as_deref());
                    all.map(|line| format!("{line}\n")).collect()
                }
            };
            out.push(Derived { path: rule.file.replace("{folder}", &folder), text, lines, rule: nth });
        }
    }
    out
}

/// The definitions that a file is made of, each with the folder that it lies in where that counts.
fn members(world: &World, layer: LayerId, nth: usize, rule: &DerivedRule) -> Vec<(Address, Effective, String)> {
    let catalog = &world.catalog;
    let view = world.with_ground(layer);
    let condition = world.derived.get(nth).and_then(Option::as_ref);
    // a condition that is no good is a fault of the rulebook
    if rule.condition.is_some() && condition.is_none() {
        return Vec::new();
    }
    let mut all: Vec<Address> = match rule.whole {
        true => view.standing(),
        false => {
            let own = catalog.definitions_of(layer).filter(|(_, made)| !made.removes);
            own.filter_map(|(_, made)| catalog.address_of(made)).collect()
        }
    };
    all.sort_unstable();
    all.dedup();
    let mut out = Vec::new();
    for address in all.into_iter().filter(|address| view.kind_of(*address) == Some(rule.kind)) {
        let Some((_, top)) = view.top(address).filter(|(_, made)| !made.is_abstract) else { continue };
        let Some(effective) = view.effective(address) else { continue };
        let holds = condition
            .is_none_or(|condition| condition.eval(&EffectiveScope::new(&view, &effective)).truth() == Some(true));
        let relative = &catalog.file(top.file).relative;
        let folder = match rule.file.contains("{folder}") {
            true => relative.rsplit_once('/').map_or("", |(folder, _)| folder).to_owned(),
            false => String::new(),
        };
        if holds {
            out.push((address, effective, folder));
        }
    }
    out
}

fn word(catalog: &Catalog, effective: &Effective, path: &FieldPath) -> Option<String> {
    let stated = effective.get(catalog, path).map(|value| value.draft(catalog));
    let default = || {
        let ty = effective.type_at(catalog, path)?;
        catalog.rulebook.field_type(ty).default.clone()
    };
    stated.or_else(default).map(|value| value.word().unwrap_or_else(|| json_line(&value)))
}

fn sort(catalog: &Catalog, rule: &DerivedRule, all: &mut [(Address, Effective)]) {
    all.sort_by(|(a, left), (b, right)| {
        let ids = || catalog.names.text(a.id).cmp(catalog.names.text(b.id));
        let Some(by) = &rule.by else { return ids() };
        let (left, right) = (word(catalog, left, by), word(catalog, right, by));
        let numbers = left.as_deref().and_then(decimal).zip(right.as_deref().and_then(decimal));
        let order = numbers.map_or_else(|| left.cmp(&right), |(left, right)| left.cmp(&right));
        order.then_with(ids)
    });
}

/// A text with a definition's id, kind and fields filled in.
fn filled(catalog: &Catalog, text: &str, address: Address, effective: &Effective) -> String {
    filled_in(text, &|name| match name {
        "id" => catalog.names.text(address.id).to_owned(),
        "kind" => catalog.rulebook.kind(effective.kind).name().to_owned(),
        path => {
            let path = FieldPath::parse(path).ok();
            path.and_then(|path| word(catalog, effective, &path)).unwrap_or_default()
        }
    })
}

/// A list of what the lines give, or a table; what reads as a value of JSON is one.
fn json(catalog: &Catalog, rule: &DerivedRule, all: &[(Address, Effective)], lines: &[(String, Address)]) -> String {
    let value = |line: &str| {
        let document = Document::parse(FileId(u32::MAX), Format::Json, line.into(), &catalog.names);
        match document.faults().is_empty() {
            true => Draft::of(document.root(), &catalog.names),
            false => Draft::Text(line.to_owned()),
        }
    };
    let values = lines.iter().map(|(line, _)| value(line));
    let Some(key) = &rule.key else {
        // one on each line, as lists of ids are read best
        let values: Vec<String> = values.map(|value| format!("  {}", json_line(&value))).collect();
        return if values.is_empty() { "[]\n".to_owned() } else { format!("[\n{}\n]\n", values.join(",\n")) };
    };
    let keys = all.iter().map(|(address, effective)| filled(catalog, key, *address, effective));
    let draft = Draft::Table(keys.zip(values).collect());
    whole(&Format::Json.into(), &[], &draft, &catalog.names).unwrap_or_default()
}
