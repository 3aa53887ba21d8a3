//! A build in the game's own folder: what is written there, what was there before, and the list that says what the
//! game loads. Only the folder of mods and that list are ever written to.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use serde::{Deserialize, Serialize};

use super::build::BuildReport;
use super::enabled::{self, Listed};
use super::output::present;
use super::pack::{Pack, PackError, archive};
use crate::catalog::{Catalog, Layer, LayerId};
use crate::document::{Document, Format};
use crate::effective::World;
use crate::rulebook::{EnabledRule, filled_in};
use crate::source::{
    Archives, ChangeSet, FileChange, FileId, MemorySource, Source, Stamp, file_named, packed, read_regular,
};
use crate::workspace::read_manifest;

/// What was installed into a folder of the game.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Installation {
    /// The mod's id then.
    pub id: String,
    /// The mod's folder in the workspace.
    pub folder: String,
    /// The game's folder, its links resolved.
    pub game: String,
    /// The mod's folder or archive, below the game's folder.
    pub at: String,
    /// Files below the game's folder, with the stamps of what was written.
    pub files: BTreeMap<String, BTreeSet<String>>,
    /// What the mod defined, as kind and id.
    pub defines: Vec<String>,
    /// Whether the mod came into the list of those that are loaded.
    pub listed: bool,
    /// What the list held before, if it was there, and after, as stamps; nothing where it was changed meanwhile.
    pub list: Option<(Option<String>, String)>,
    /// Under which name it is kept what was there before.
    pub kept: Option<String>,
}

impl Installation {
    /// The installation of a mod in a folder of the game: under its id; else of what lay in its folder, or has most of its files,
    /// under an id that no mod has any more.
    pub fn of<'r>(
        all: &'r [Installation],
        world: &World,
        layer: LayerId,
        game: &str,
        build: Option<&BuildReport>,
    ) -> Option<&'r Installation> {
        let own = world.catalog.layer(layer);
        let here = || all.iter().filter(|known| known.game == game);
        let gone = || here().filter(|known| world.catalog.layer_named(&known.id).is_none());
        let alike = |known: &&Installation| {
            let Some(build) = build else { return false };
            let names: BTreeSet<&str> = build.files.iter().map(|file| file.path.as_str()).collect();
            let below = |path: &str| {
                path.strip_prefix(known.at.as_str()).and_then(|path| path.strip_prefix('/')).map(str::to_owned)
            };
            let shared = known.files.keys().filter_map(|path| below(path)).filter(|path| names.contains(path.as_str()));
            // a manifest alone says nothing
            let shared = shared.count();
            shared > 1 && shared * 2 > names.len()
        };
        here()
            .find(|known| known.id == own.id)
            .or_else(|| gone().find(|known| known.folder == own.folder))
            .or_else(|| gone().find(alike))
    }
}

/// Files that were in the game's folder before a mod was installed over them.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Replaced(pub BTreeMap<String, Vec<u8>>);

impl Replaced {
    /// As one archive.
    ///
    /// # Errors
    /// It cannot be made.
    pub fn bytes(&self) -> Result<Vec<u8>, String> {
        let files: Vec<_> = self.0.iter().map(|(path, bytes)| (path.clone(), bytes.clone())).collect();
        packed(&files)
    }

    /// Out of such an archive; empty where it cannot be read.
    pub fn read(bytes: &[u8]) -> Replaced {
        let source = Archives::new(MemorySource::new([("kept.zip", bytes.to_vec())]));
        let listed = source.list("kept.zip").unwrap_or_default();
        let read = |path: String| Some((path.clone(), source.read(&format!("kept.zip/{path}")).ok()?));
        Replaced(listed.into_iter().filter_map(|file| read(file.path)).collect())
    }
}

/// What became of the list of the mods that are loaded.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Enabling {
    /// The game has none, as far as the rulebook says.
    None,
    /// The mod stands in it already.
    Already(String),
    /// The mod comes into it.
    Comes(String),
}

/// What an installation comes to.
#[derive(Clone, Debug)]
pub struct InstallPlan {
    /// What changes below the game's folder.
    pub changes: ChangeSet,
    /// The folders and files below the game's that it may be written to.
    pub bounds: Vec<String>,
    /// What is written, below the game's folder.
    pub written: Vec<String>,
    /// What goes, since an older version of the mod brought it.
    pub removed: Vec<String>,
    /// What stays in the mod's folder although nothing of ours wrote it.
    pub foreign: Vec<String>,
    /// The earlier id, where it was installed under another one.
    pub was: Option<String>,
    /// The list of the mods that are loaded.
    pub enabling: Enabling,
    /// Mods that it requires and that this list does not have.
    pub lacks: Vec<String>,
    /// What is remembered before writing: old and new.
    pub during: Installation,
    /// What is remembered after it.
    pub after: Installation,
    /// What was there before any of ours.
    pub replaced: Replaced,
}

/// What taking an installation out comes to.
#[derive(Clone, Debug, Default)]
pub struct RemovePlan {
    /// What changes below the game's folder.
    pub changes: ChangeSet,
    /// The folders and files below the game's that it may be written to.
    pub bounds: Vec<String>,
    /// What goes.
    pub removed: Vec<String>,
    /// What was there before, and comes back.
    pub restored: Vec<String>,
    /// What was changed there since, and stays.
    pub foreign: Vec<String>,
    /// The list that the mod goes from.
    pub list: Option<String>,
}

/// Why nothing was installed.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
pub enum InstallError {
    /// The rulebook says nothing of it.
    #[error(
        "the rulebook does not say where the game looks for mods\n  help: `[install]` in the rulebook, as `mods = \"mods\"`"
    )]
    NoRule,
    /// There is no such folder.
    #[error("there is no folder `{0}`\n  help: `game` in cognomen.toml names the game's folder")]
    NoFolder(String),
    /// It is not the game's.
    #[error("`{folder}` is not the folder of {game}: it has no `{lacks}`\n  help: `game` in cognomen.toml names it")]
    NoGame {
        /// As it is named.
        folder: String,
        /// The game's name.
        game: String,
        /// What it lacks.
        lacks: String,
    },
    /// Something else is there.
    #[error(
        "`{at}` holds {what}\n  help: take it out of there; `--replace` puts the mod in its place, and keeps it for `install --remove`"
    )]
    Another {
        /// Below the game's folder.
        at: String,
        /// What it holds.
        what: String,
    },
    /// It was changed there.
    #[error(
        "`{0}` was changed there since it was installed\n  help: take over what is worth it; `--replace` writes over it"
    )]
    Changed(String),
    /// It cannot go there under this name.
    #[error(
        "`{name}` can be no name of a file on every system: {reason}\n  help: `name` in `[install]` of the rulebook"
    )]
    Name {
        /// The name.
        name: String,
        /// Why not.
        reason: String,
    },
    /// The list of mods that are loaded cannot be read or changed.
    #[error(
        "`{file}` cannot be changed: {reason}\n  help: nothing was installed; mend the file, or let the game write it anew"
    )]
    List {
        /// Below the game's folder.
        file: String,
        /// Why not.
        reason: String,
    },
    /// The archive cannot be made.
    #[error(transparent)]
    Pack(#[from] PackError),
    /// The system refuses.
    #[error("cannot read `{path}`: {reason}")]
    System {
        /// Below the game's folder.
        path: String,
        /// What it said.
        reason: String,
    },
}

/// Whether a folder is the game's, as the rulebook knows it.
///
/// # Errors
/// It is not, or the rulebook does not say where mods go.
pub fn game_folder(catalog: &Catalog, shown: &str, folder: &Path) -> Result<(), InstallError> {
    let rule = catalog.rulebook.install.as_ref().ok_or(InstallError::NoRule)?;
    if !folder.is_dir() {
        return Err(InstallError::NoFolder(shown.to_owned()));
    }
    match rule.known_by.iter().find(|file| !folder.join(file).exists()) {
        Some(lacks) => Err(InstallError::NoGame {
            folder: shown.to_owned(),
            game: catalog.rulebook.game.name.clone(),
            lacks: lacks.clone(),
        }),
        None => Ok(()),
    }
}

/// What a mod defines, as kind and id, sorted.
pub fn defines(catalog: &Catalog, layer: LayerId) -> Vec<String> {
    let own = catalog.definitions().filter(|(_, made)| made.layer == layer && !made.removes);
    let mut all: Vec<String> =
        own.filter_map(|(_, made)| Some(catalog.show_address(catalog.address_of(made)?))).collect();
    all.sort();
    all.dedup();
    all
}

/// What goes into the game's folder, and where.
pub(super) struct Shipped {
    /// The folder or archive.
    pub(super) at: String,
    /// Paths below the game's folder.
    pub(super) files: BTreeMap<String, Vec<u8>>,
    pub(super) archive: bool,
}

impl Shipped {
    pub(super) fn of(world: &World, layer: LayerId, build: &BuildReport) -> Result<Shipped, InstallError> {
        let catalog = &world.catalog;
        let rule = catalog.rulebook.install.as_ref().ok_or(InstallError::NoRule)?;
        let own = catalog.layer(layer);
        let version = own.manifest.as_ref().and_then(|manifest| manifest.version.clone()).unwrap_or_default();
        let filled = |text: &str| filled_in(text, &|word| if word == "id" { own.id.clone() } else { version.clone() });
        let named = rule.name.as_deref().map(filled);
        let checked = |name: String| match name.split('/').find_map(|part| file_named(part).err()) {
            Some(reason) => Err(InstallError::Name { name, reason: reason.to_string() }),
            None => Ok(format!("{}/{name}", rule.mods)),
        };
        if rule.archive {
            let Pack { name, bytes, .. } = archive(world, layer, build)?;
            let at = checked(named.unwrap_or(name))?;
            return Ok(Shipped { files: BTreeMap::from([(at.clone(), bytes)]), at, archive: true });
        }
        let at = checked(named.unwrap_or_else(|| own.id.clone()))?;
        let files = build.files.iter().map(|file| (format!("{at}/{}", file.path), file.bytes.clone()));
        let files: BTreeMap<String, Vec<u8>> = files.collect();
        // on some systems these would be one file
        let mut lower: BTreeMap<String, &String> = BTreeMap::new();
        for path in files.keys() {
            if let Some(other) = lower.insert(path.to_lowercase(), path) {
                return Err(PackError::Same(other.clone(), path.clone()).into());
            }
        }
        Ok(Shipped { at, archive: false, files })
    }
}

/// The files at a place below the game's folder: of a folder all in it, of an archive itself.
pub(super) fn there(game: &Path, at: &str) -> Result<BTreeMap<String, Option<Stamp>>, InstallError> {
    let path = game.join(at);
    let system = |reason: String| InstallError::System { path: at.to_owned(), reason };
    match path.symlink_metadata() {
        Err(_) => Ok(BTreeMap::new()),
        Ok(meta) if meta.is_dir() => {
            let found = present(&path, at).map_err(|error| system(error.to_string()))?;
            Ok(found.into_iter().map(|(path, stamp)| (format!("{at}/{path}"), stamp)).collect())
        }
        Ok(meta) => {
            let stamp =
                meta.is_file().then(|| read_regular(&path)).transpose().map_err(|error| system(error.to_string()))?;
            Ok(BTreeMap::from([(at.to_owned(), stamp.map(|bytes| Stamp::of(&bytes)))]))
        }
    }
}

/// The id that the manifest in a folder says, or the folder's name where that is the id.
pub(super) fn id_in(catalog: &Catalog, folder: &Path) -> Option<String> {
    let rule = catalog.rulebook.manifest.as_ref()?;
    let name = folder.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let bytes = rule.file.as_ref().and_then(|file| read_regular(&folder.join(file)).ok());
    let (Some(file), Some(bytes)) = (&rule.file, bytes) else {
        return rule.optional.then_some(name).filter(|name| !name.is_empty());
    };
    let text = String::from_utf8(bytes).ok()?;
    let notation = rule.notation.clone().or_else(|| Format::of(file).map(Into::into))?;
    let document = Document::parse(FileId(0), notation, text.into(), &catalog.names);
    let id = read_manifest(&document, rule, &name, &catalog.names).manifest.id;
    (!id.is_empty()).then_some(id)
}

/// Other folders among the mods that hold the mod, or one of these ids.
pub(super) fn twins(catalog: &Catalog, game: &Path, ids: &[&str], but: &[&str]) -> Vec<String> {
    let Some(rule) = &catalog.rulebook.install else { return Vec::new() };
    let listed = std::fs::read_dir(game.join(&rule.mods)).into_iter().flatten().flatten();
    let named = listed.map(|entry| (format!("{}/{}", rule.mods, entry.file_name().to_string_lossy()), entry.path()));
    let same = |(at, path): (String, std::path::PathBuf)| {
        let id = (!but.contains(&at.as_str()) && path.is_dir()).then(|| id_in(catalog, &path)).flatten()?;
        ids.contains(&id.as_str()).then_some(at)
    };
    let mut out: Vec<String> = named.filter_map(same).collect();
    out.sort();
    out
}

/// The ids of the mods that load before and after one.
pub(super) fn around(catalog: &Catalog, layer: LayerId) -> (Vec<&str>, Vec<&str>) {
    let mods = || catalog.layers().filter(|(_, found)| !found.is_base());
    let earlier = mods().take_while(|(at, _)| *at != layer).map(|(_, found)| found.id.as_str());
    let later = mods().skip_while(|(at, _)| *at != layer).skip(1).map(|(_, found)| found.id.as_str());
    (earlier.collect(), later.collect())
}

pub(super) fn list_text(game: &Path, rule: &EnabledRule) -> Result<Option<String>, InstallError> {
    let path = game.join(&rule.file);
    if path.symlink_metadata().is_err() {
        return Ok(None);
    }
    let fail = |reason: String| InstallError::List { file: rule.file.clone(), reason };
    let bytes = read_regular(&path).map_err(|error| fail(error.to_string()))?;
    String::from_utf8(bytes).map(Some).map_err(|_| fail("it is not UTF-8".to_owned()))
}

/// Plans the installation of a build. Nothing is written.
///
/// `known`: what was installed of it before, and `kept`, what had been there before that. With `replace`, what others
/// put or changed there goes as well.
///
/// # Errors
/// Something else is in its place, or the list of mods that are loaded cannot be changed.
pub fn plan_install(
    world: &World,
    layer: LayerId,
    build: &BuildReport,
    game: &Path,
    known: Option<(&Installation, Replaced)>,
    replace: bool,
) -> Result<InstallPlan, InstallError> {
    let catalog = &world.catalog;
    let rule = catalog.rulebook.install.as_ref().ok_or(InstallError::NoRule)?;
    let own = catalog.layer(layer);
    let shipped = Shipped::of(world, layer, build)?;
    let (known, mut replaced) = known.map_or((None, Replaced::default()), |(known, kept)| (Some(known), kept));
    let ids: Vec<&str> = [own.id.as_str()].into_iter().chain(known.map(|known| known.id.as_str())).collect();
    let old_at = known.map(|known| known.at.as_str());
    let mut found = there(game, &shipped.at)?;
    if old_at != Some(shipped.at.as_str()) && !found.is_empty() && !replace {
        let what = match id_in(catalog, &game.join(&shipped.at)) {
            Some(id) if ids.contains(&id.as_str()) => None,
            Some(id) => Some(format!("another mod, `{id}`")),
            None if shipped.archive => Some("a file that no `install` wrote".to_owned()),
            None => Some("files that are no mod".to_owned()),
        };
        if let Some(what) = what {
            return Err(InstallError::Another { at: shipped.at, what });
        }
    }
    let doubled = twins(catalog, game, &ids, &[&shipped.at, old_at.unwrap_or("")]);
    if let (Some(twin), false) = (doubled.first(), replace) {
        return Err(InstallError::Another { at: twin.clone(), what: "the same mod under another name".to_owned() });
    }
    // what is not ours of these gives way
    let mut strangers: Vec<&str> = doubled.iter().map(String::as_str).collect();
    if old_at != Some(shipped.at.as_str()) {
        strangers.push(&shipped.at);
    }
    for at in doubled.iter().map(String::as_str).chain(old_at.filter(|at| *at != shipped.at)) {
        found.extend(there(game, at)?);
    }
    let ours = |path: &str, stamp: &Stamp| {
        known.is_some_and(|known| known.files.get(path).is_some_and(|all| all.contains(&stamp.word())))
    };
    let stranger = |path: &str| {
        let below = |at: &&&str| path == **at || path.strip_prefix(**at).is_some_and(|rest| rest.starts_with('/'));
        strangers.iter().any(|at| below(&at))
    };
    let mut after = Installation {
        id: own.id.clone(),
        folder: own.folder.clone(),
        game: crate::source::settled(game).to_string_lossy().into_owned(),
        at: shipped.at.clone(),
        defines: defines(catalog, layer),
        listed: known.is_some_and(|known| known.listed),
        ..Installation::default()
    };
    let mut during =
        Installation { files: known.map(|known| known.files.clone()).unwrap_or_default(), ..after.clone() };
    let (mut changes, mut written, mut removed, mut foreign) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    let mut keep = |path: &str| -> Result<(), InstallError> {
        let bytes = read_regular(&game.join(path))
            .map_err(|error| InstallError::System { path: path.to_owned(), reason: error.to_string() })?;
        replaced.0.entry(path.to_owned()).or_insert(bytes);
        Ok(())
    };
    for (path, bytes) in &shipped.files {
        let new = Stamp::of(bytes);
        for record in [&mut during, &mut after] {
            record.files.entry(path.clone()).or_default().insert(new.word());
        }
        let before = found.remove(path);
        match &before {
            Some(Some(stamp)) if *stamp == new => continue,
            Some(Some(stamp)) if ours(path, stamp) => {}
            Some(Some(_)) if stranger(path) => keep(path)?,
            Some(Some(_)) if replace => {}
            Some(_) => return Err(InstallError::Changed(path.clone())),
            None => {}
        }
        written.push(path.clone());
        let after = Some(bytes.as_slice().into());
        changes.push(FileChange::Bytes { path: path.clone(), before: before.flatten(), after });
    }
    for (path, stamp) in found {
        match stamp {
            Some(stamp) if ours(&path, &stamp) || stranger(&path) => {
                if !ours(&path, &stamp) {
                    keep(&path)?;
                }
                changes.push(FileChange::Bytes { path: path.clone(), before: Some(stamp), after: None });
                removed.push(path);
            }
            _ => foreign.push(path),
        }
    }
    let (mut enabling, mut lacks) = (Enabling::None, Vec::new());
    if let Some(list) = &rule.enabled {
        let fail = |reason: String| InstallError::List { file: list.file.clone(), reason };
        let before = list_text(game, list)?;
        let start = before.clone().or_else(|| enabled::empty(list));
        let start = start.ok_or_else(|| fail("it is not there yet; start the game once".to_owned()))?;
        let (earlier, later) = around(catalog, layer);
        // under its earlier id it is not loaded any more
        let mut text = start;
        if let Some(old) = known.filter(|known| known.id != own.id && known.listed) {
            text = enabled::disabled(list, &text, &old.id, &catalog.names).map_err(fail)?.unwrap_or(text);
        }
        let with = enabled::enabled(list, &text, &own.id, (&earlier, &later), &catalog.names).map_err(fail)?;
        enabling = match with {
            None => Enabling::Already(list.file.clone()),
            Some(_) => Enabling::Comes(list.file.clone()),
        };
        let listed_now = with.is_some();
        lacks = lacking(own, &enabled::listed(list, &text, &catalog.names).map_err(fail)?);
        let text = with.unwrap_or(text);
        let held = before.as_deref().map(|text| Stamp::of(text.as_bytes()));
        let before_any = match known.map(|known| &known.list) {
            // nobody touched it since
            Some(Some((first, last))) if held.as_ref().map(Stamp::word).as_deref() == Some(last) => Some(first.clone()),
            Some(_) => None,
            None => Some(held.as_ref().map(Stamp::word)),
        };
        if before.as_deref() != Some(text.as_str()) {
            if let (Some(before), true) = (&before, known.is_none()) {
                replaced.0.insert(list.file.clone(), before.clone().into_bytes());
            }
            let bytes = Some(text.as_bytes().into());
            changes.push(FileChange::Bytes { path: list.file.clone(), before: held, after: bytes });
        }
        after.listed |= listed_now;
        after.list = before_any.map(|first| (first, Stamp::of(text.as_bytes()).word()));
    }
    during.listed = after.listed;
    during.list.clone_from(&after.list);
    if !replaced.0.is_empty() {
        let name = format!("installed/{}.zip", Stamp::of(format!("{} {}", after.game, own.folder).as_bytes()).word());
        (during.kept, after.kept) = (Some(name.clone()), Some(name));
    }
    let was = known.map(|known| known.id.clone()).filter(|id| *id != own.id);
    let bounds = bounds(catalog);
    Ok(InstallPlan {
        changes: changes.into(),
        bounds,
        written,
        removed,
        foreign,
        was,
        enabling,
        lacks,
        during,
        after,
        replaced,
    })
}

/// The mods that one requires and that a list does not have.
pub(super) fn lacking(own: &Layer, listed: &[Listed]) -> Vec<String> {
    let on = |id: &String| listed.iter().any(|entry| entry.on && entry.id == *id);
    let requires = own.manifest.iter().flat_map(|manifest| &manifest.requires).map(|(id, _)| id);
    requires.filter(|id| !on(id)).cloned().collect()
}

/// Where an installation may write, below the game's folder.
fn bounds(catalog: &Catalog) -> Vec<String> {
    let Some(rule) = &catalog.rulebook.install else { return Vec::new() };
    [rule.mods.clone()].into_iter().chain(rule.enabled.iter().map(|list| list.file.clone())).collect()
}

/// Plans taking an installation out: what it wrote goes, what was there before comes back.
///
/// # Errors
/// The list of mods that are loaded cannot be changed.
pub fn plan_removal(
    catalog: &Catalog,
    game: &Path,
    known: &Installation,
    kept: &Replaced,
) -> Result<RemovePlan, InstallError> {
    let rule = catalog.rulebook.install.as_ref().ok_or(InstallError::NoRule)?;
    let mut plan = RemovePlan { bounds: bounds(catalog), ..RemovePlan::default() };
    let list = rule.enabled.as_ref().map(|list| list.file.as_str());
    let mut found = there(game, &known.at)?;
    for (path, bytes) in kept.0.iter().filter(|(path, _)| Some(path.as_str()) != list) {
        let now = found.remove(path).or_else(|| there(game, path).ok()?.remove(path));
        let ours = |stamp: &Stamp| known.files.get(path).is_some_and(|all| all.contains(&stamp.word()));
        match now {
            Some(Some(stamp)) if stamp == Stamp::of(bytes) => {}
            Some(Some(stamp)) if ours(&stamp) => {
                let after = Some(bytes.as_slice().into());
                plan.changes.files.push(FileChange::Bytes { path: path.clone(), before: Some(stamp), after });
                plan.restored.push(path.clone());
            }
            None => {
                let after = Some(bytes.as_slice().into());
                plan.changes.files.push(FileChange::Bytes { path: path.clone(), before: None, after });
                plan.restored.push(path.clone());
            }
            Some(_) => plan.foreign.push(path.clone()),
        }
    }
    for (path, stamp) in found {
        let ours = |stamp: &Stamp| known.files.get(&path).is_some_and(|all| all.contains(&stamp.word()));
        match stamp {
            Some(stamp) if ours(&stamp) => {
                plan.changes.files.push(FileChange::Bytes { path: path.clone(), before: Some(stamp), after: None });
                plan.removed.push(path);
            }
            _ => plan.foreign.push(path),
        }
    }
    if let Some(list) = rule.enabled.as_ref().filter(|_| known.listed) {
        let fail = |reason: String| InstallError::List { file: list.file.clone(), reason };
        if let Some(now) = list_text(game, list)? {
            let stamp = Stamp::of(now.as_bytes());
            // as nobody touched it since, it becomes what it was
            let untouched = known.list.as_ref().filter(|(_, last)| *last == stamp.word());
            let back = untouched.and_then(|(first, _)| match first {
                None => Some(None),
                Some(_) => kept.0.get(&list.file).map(|bytes| Some(bytes.clone())),
            });
            let after = match back {
                Some(bytes) => Some(bytes),
                None => enabled::disabled(list, &now, &known.id, &catalog.names)
                    .map_err(fail)?
                    .map(|text| Some(text.into_bytes())),
            };
            if let Some(after) = after {
                let after = after.map(Into::into);
                plan.changes.files.push(FileChange::Bytes { path: list.file.clone(), before: Some(stamp), after });
                plan.list = Some(list.file.clone());
            }
        }
    }
    Ok(plan)
}
