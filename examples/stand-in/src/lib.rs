//! Stands in for the game Peatlight, which nobody ever wrote: reads a game folder with its base, its list of mods and
//! the mods, and says what it loaded and what it passed over. It shares no code with Cognomen, so that both can be held
//! against each other.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use serde_json::{Map, Value};

/// What the game knows after it has started.
#[derive(Debug, Default)]
pub struct Village {
    /// Kinds, with their definitions by id.
    pub definitions: BTreeMap<String, BTreeMap<String, Value>>,
    /// The English texts.
    pub texts: BTreeMap<String, String>,
    /// What was loaded, in order: a folder and how many definitions it gave.
    pub loaded: Vec<(String, usize)>,
    /// What was passed over, and why.
    pub ignored: Vec<(String, String)>,
}

/// How a kind stands in its folder.
struct Sort {
    folder: &'static str,
    kind: &'static str,
    cut: Cut,
    /// Whether a later definition of the same id is laid over the earlier one.
    merges: bool,
    /// The field that names what it is made after.
    parent: Option<&'static str>,
    /// Lists that grow instead of being replaced, each with the field that tells its entries apart, if there is one.
    grows: &'static [(&'static str, Option<&'static str>)],
}

enum Cut {
    /// A table of definitions by id.
    Table,
    /// A list of definitions that say their id.
    List,
    /// One definition, called as its file.
    File,
}

const fn sort(folder: &'static str, kind: &'static str, cut: Cut, merges: bool) -> Sort {
    Sort { folder, kind, cut, merges, parent: None, grows: &[] }
}

const SORTS: [Sort; 10] = [
    Sort { parent: Some("based_on"), ..sort("goods", "item", Cut::Table, true) },
    Sort { grows: &[("members", None)], ..sort("tags", "tag", Cut::Table, true) },
    Sort { grows: &[("goods", Some("what")), ("also", None)], ..sort("stocks", "stock", Cut::Table, true) },
    sort("remedies", "remedy", Cut::Table, false),
    sort("kits", "kit", Cut::Table, false),
    sort("crafts", "recipe", Cut::List, false),
    sort("stations", "station", Cut::File, false),
    sort("traits", "trait", Cut::Table, false),
    Sort { parent: Some("kin"), ..sort("beasts", "unit", Cut::Table, true) },
    Sort { grows: &[("entries", None)], ..sort("spawns", "spawn", Cut::Table, true) },
];

fn table(path: &Path) -> Result<Map<String, Value>> {
    match json(path)? {
        Value::Object(table) => Ok(table),
        _ => bail!("{} is no table", path.display()),
    }
}

fn json(path: &Path) -> Result<Value> {
    let bytes = std::fs::read(path).with_context(|| format!("{} cannot be read", path.display()))?;
    serde_json::from_slice(&bytes).with_context(|| format!("{} is not read", path.display()))
}

/// The files below a folder with their paths in it, sorted.
fn files(folder: &Path, below: &str, out: &mut Vec<(String, PathBuf)>) -> Result<()> {
    let mut entries: Vec<_> = std::fs::read_dir(folder)?.collect::<std::io::Result<_>>()?;
    entries.sort_by_key(std::fs::DirEntry::file_name);
    for entry in entries {
        let name = format!("{below}{}", entry.file_name().to_string_lossy());
        match entry.file_type()?.is_dir() {
            true => files(&entry.path(), &format!("{name}/"), out)?,
            false => out.push((name, entry.path())),
        }
    }
    Ok(())
}

/// Starts the game that lies in a folder.
///
/// # Errors
/// The game itself is broken: its own file, its base, or the list of mods.
pub fn start(game: &Path) -> Result<Village> {
    let own = table(&game.join("peatlight.json"))?;
    let data = own.get("data").and_then(Value::as_str).context("peatlight.json says no `data`")?;
    let mut village = Village::default();
    village.take_in("base", &game.join(data))?;
    let list = table(&game.join("mods.json"))?;
    let list = list.get("loaded").and_then(Value::as_array).context("mods.json has no list `loaded`")?;
    let mut there: BTreeMap<String, PathBuf> = BTreeMap::new();
    let folders = game.join("mods");
    let mut listed: Vec<PathBuf> = match folders.is_dir() {
        true => std::fs::read_dir(&folders)?.map(|entry| Ok(entry?.path())).collect::<Result<_>>()?,
        false => Vec::new(),
    };
    listed.sort();
    for folder in listed {
        let name = format!("mods/{}", folder.file_name().unwrap_or_default().to_string_lossy());
        match table(&folder.join("mod.json"))
            .map(|manifest| manifest.get("id").and_then(Value::as_str).map(str::to_owned))
        {
            Ok(Some(id)) if there.contains_key(&id) => village.ignored.push((name, format!("`{id}` is there already"))),
            Ok(Some(id)) => drop(there.insert(id, folder)),
            Ok(None) => village.ignored.push((name, "its mod.json says no id".to_owned())),
            Err(error) => village.ignored.push((name, format!("{error:#}"))),
        }
    }
    let mut on: BTreeMap<String, PathBuf> = BTreeMap::new();
    for id in list.iter().filter_map(Value::as_str) {
        let Some(folder) = there.remove(id) else {
            village.ignored.push((format!("mods.json: {id}"), "there is no such mod".to_owned()));
            continue;
        };
        let manifest = table(&folder.join("mod.json"))?;
        let needs = manifest.get("needs").and_then(Value::as_array).into_iter().flatten().filter_map(Value::as_str);
        // a version may stand behind the id; this game does not look at it
        let mut needs = needs.filter_map(|needed| needed.split(' ').next());
        if let Some(lacks) = needs.find(|needed| !on.contains_key(*needed)) {
            village.ignored.push((id.to_owned(), format!("it needs `{lacks}`, which is not loaded before it")));
            continue;
        }
        village.take_in(id, &folder)?;
        // parts that apply only where two mods are loaded come behind the second of them
        for (other, theirs) in &on {
            for (name, part) in [(id, folder.join(format!("with-{other}"))), (other, theirs.join(format!("with-{id}")))]
            {
                if part.is_dir() {
                    village.take_in(&format!("{name} (part)"), &part)?;
                }
            }
        }
        on.insert(id.to_owned(), folder);
    }
    village.ignored.extend(there.into_keys().map(|id| (id, "it is not in mods.json".to_owned())));
    village.settle();
    Ok(village)
}

impl Village {
    /// Takes in the base or a mod.
    fn take_in(&mut self, name: &str, folder: &Path) -> Result<()> {
        let mut all = Vec::new();
        files(folder, "", &mut all).with_context(|| format!("{} cannot be read", folder.display()))?;
        let mut number = 0;
        for (path, file) in all {
            if path.starts_with("with-") {
                continue;
            }
            let shown = format!("{name}: {path}");
            match self.file(&path, &file) {
                Ok(Some(some)) => number += some,
                Ok(None) => self.ignored.push((shown, "the game reads no such file".to_owned())),
                Err(error) => self.ignored.push((shown, format!("{error:#}"))),
            }
        }
        self.loaded.push((name.to_owned(), number));
        Ok(())
    }

    /// Reads one file; nothing where the game does not look at it.
    fn file(&mut self, path: &str, file: &Path) -> Result<Option<usize>> {
        if path == "mod.json" || (path.starts_with("art/") && path.ends_with(".png")) {
            return Ok(Some(0));
        }
        let Some((folder, rest)) = path.split_once('/') else { return Ok(None) };
        if folder == "texts" && rest.ends_with(".csv") && !rest.contains('/') {
            self.read_texts(file)?;
            return Ok(Some(0));
        }
        // goods may lie in folders of their own
        let Some(sort) = SORTS.iter().find(|sort| sort.folder == folder) else { return Ok(None) };
        if !rest.ends_with(".json") || (rest.contains('/') && folder != "goods") {
            return Ok(None);
        }
        let made: Vec<(String, Value)> = match (&sort.cut, json(file)?) {
            (Cut::Table, Value::Object(all)) => all.into_iter().collect(),
            (Cut::List, Value::Array(all)) => {
                let named = |made: Value| Some((made.get("id")?.as_str()?.to_owned(), made));
                all.into_iter().filter_map(named).collect()
            }
            (Cut::File, made @ Value::Object(_)) => vec![(rest.trim_end_matches(".json").to_owned(), made)],
            _ => bail!("it is of another shape than the game reads"),
        };
        let number = made.len();
        let known = self.definitions.entry(sort.kind.to_owned()).or_default();
        for (id, made) in made {
            match known.get_mut(&id).filter(|_| sort.merges) {
                Some(earlier) => lay_over(earlier, made, sort.grows),
                None => drop(known.insert(id, made)),
            }
        }
        Ok(Some(number))
    }

    fn read_texts(&mut self, file: &Path) -> Result<()> {
        let mut reader = csv::Reader::from_path(file)?;
        let english = reader.headers()?.iter().position(|name| name == "en").context("it has no column `en`")?;
        for row in reader.records() {
            let row = row?;
            if let (Some(key), Some(text)) = (row.get(0), row.get(english)) {
                self.texts.insert(key.to_owned(), text.to_owned());
            }
        }
        Ok(())
    }

    /// Gives every definition what it is made after.
    fn settle(&mut self) {
        for sort in SORTS.iter() {
            let (Some(parent), Some(all)) = (sort.parent, self.definitions.get_mut(sort.kind)) else { continue };
            let written = all.clone();
            for (id, made) in all.iter_mut() {
                let mut chain = vec![made.clone()];
                let mut seen = BTreeSet::from([id.clone()]);
                while let Some(above) = chain.last().and_then(|made| made.get(parent)?.as_str()) {
                    // who is made after himself is made after nothing
                    let Some(found) = written.get(above).filter(|_| seen.insert(above.to_owned())) else { break };
                    chain.push(found.clone());
                }
                let mut whole = Value::Object(Map::new());
                for layer in chain.into_iter().rev() {
                    lay_over(&mut whole, layer, &[]);
                }
                *made = whole;
            }
        }
    }

    /// A definition by kind and id.
    pub fn definition(&self, kind: &str, id: &str) -> Option<&Value> {
        self.definitions.get(kind)?.get(id)
    }
}

/// Lays a definition over an earlier one: tables key by key, all else as a whole, but for lists that grow.
fn lay_over(under: &mut Value, over: Value, grows: &[(&str, Option<&str>)]) {
    let over = match (&mut *under, over) {
        (Value::Object(under), Value::Object(over)) => {
            for (key, value) in over {
                let growing = grows.iter().find(|(name, _)| *name == key);
                match (under.get_mut(&key), growing, value) {
                    (Some(Value::Array(known)), Some((_, by)), Value::Array(more)) => grow(known, more, *by),
                    (Some(known), _, value) => lay_over(known, value, &[]),
                    (None, _, value) => drop(under.insert(key, value)),
                }
            }
            return;
        }
        (_, over) => over,
    };
    *under = over;
}

fn grow(known: &mut Vec<Value>, more: Vec<Value>, by: Option<&str>) {
    for entry in more {
        let same = |other: &&mut Value| match by {
            Some(by) => other.get(by).is_some() && other.get(by) == entry.get(by),
            None => **other == entry && !entry.is_object(),
        };
        match known.iter_mut().find(same) {
            Some(other) => lay_over(other, entry, &[]),
            None => known.push(entry),
        }
    }
}

/// What a saved game would lose: the place in it, the kind and the id.
///
/// # Errors
/// It cannot be read.
pub fn lost(village: &Village, saved: &Path) -> Result<Vec<(String, &'static str, String)>> {
    let saved = json(saved)?;
    let mut out = Vec::new();
    let mut look = |place: String, kind: &'static str, id: Option<&Value>| {
        let Some(id) = id.and_then(Value::as_str) else { return };
        if village.definition(kind, id).is_none() {
            out.push((place, kind, id.to_owned()));
        }
    };
    let list = |name: &str| saved.get(name).and_then(Value::as_array).into_iter().flatten().enumerate();
    for (nth, chest) in list("chests") {
        for (at, thing) in chest.get("holds").and_then(Value::as_array).into_iter().flatten().enumerate() {
            look(format!("chests[{nth}].holds[{at}].what"), "item", thing.get("what"));
        }
    }
    for (nth, person) in list("people") {
        for (place, thing) in person.get("wears").and_then(Value::as_object).into_iter().flatten() {
            look(format!("people[{nth}].wears.{place}"), "item", Some(thing));
        }
        for (at, craft) in person.get("knows").and_then(Value::as_array).into_iter().flatten().enumerate() {
            look(format!("people[{nth}].knows[{at}]"), "recipe", Some(craft));
        }
    }
    for (nth, built) in list("built") {
        look(format!("built[{nth}].station"), "station", built.get("station"));
    }
    Ok(out)
}
