//! `init`.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use anyhow::anyhow;
use cognomen_core::{
    Archives, Bounds, Drafted, DraftedManifest, FileChange, FolderSource, Keep, LeftOut, MemorySource, Overlay,
    RawData, Source, Step, WORKSPACE_FILE, World, drafted_manifest, settled,
};

use super::{Done, Failure, unmade};
use crate::answers::InitAnswer;
use crate::args::Global;
use crate::output::{FAINT, HEAD, ID, Table, count, paint, visible};
use crate::session::Session;
use crate::tables::why;
use crate::written::commit;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen init --base ../the-game/data
  cognomen init my-workspace --base ../the-game/data --from-mod ../my-old-mod
  cognomen init my-workspace --base /games/saltpans/data --rulebook ../rulebooks/saltpans

A rulebook that is not there yet is drafted from the game's data: which files hold which kinds, what tells their
definitions apart, what their fields look like and which of them name others. docs/RULEBOOK.md says how it goes on.")]
pub(crate) struct InitArgs {
    /// The folder of the new workspace; without it, the current one
    folder: Option<PathBuf>,
    /// The folder with the game's own definitions, seen from where you are; it is only read. Without it, `base` in
    /// the workspace
    #[arg(long, value_name = "DIR")]
    base: Option<String>,
    /// A mod that is there already: it is copied into the mods' folder, and is the one that is edited. How it says what it is goes
    /// into the drafted rulebook
    #[arg(long, value_name = "DIR")]
    from_mod: Option<String>,
    /// The rulebook: a TOML file, or a folder of them, that is there, seen from where you are. What is not there yet is
    /// begun in the workspace
    #[arg(long, value_name = "PATH", default_value = "rulebook.toml")]
    rulebook: String,
    /// The folder of the mods
    #[arg(long, value_name = "DIR", default_value = "mods")]
    mods: String,
}

const RULEBOOK: &str = "rulebook = 1

[game]
name = \"The game's name\"

# How a mod says what it is.
[manifest]
file = \"mod.json\"
id = \"id\"
name = \"name\"
requires = \"requires[]\"

# Where definitions stand. One such table for each sort of file; `cut` is the way to the definitions in a
# file: \"{}\" each value of a table, \"[]\" each entry of a list, nothing for one definition a file.
[[where]]
files = \"items/**/*.json\"
cut = \"{}\"
kind = \"item\"

# What kinds there are, and what their fields may hold.
[kinds.item]
about = \"What it is.\"
again = \"merge\"
open = true                 # take this out once all fields are described

[kinds.item.fields]
# \"price\" = { type = \"integer\", min = 0 }
";

pub(crate) fn init(args: &InitArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let here = session.folder();
    let root = args.folder.as_ref().map_or_else(|| here.to_owned(), |folder| settled(&here.join(folder)));
    if root.join(WORKSPACE_FILE).exists() {
        let shown = visible(&root.to_string_lossy());
        let help = "to go on in it, `cognomen state` there; to change what it points at, edit that file";
        return Err(anyhow!("there is a workspace already in {shown}: {WORKSPACE_FILE}\n  help: {help}").into());
    }
    if root.is_file() {
        let shown = visible(&root.to_string_lossy());
        return Err(anyhow!("{shown} is a file, not a folder\n  help: name a folder, new or there").into());
    }
    let slashes = |path: &str| path.replace('\\', "/");
    // what is typed is seen from here, and written as seen from the workspace
    let seen_from = |path: &str| slashes(&relative_to(&settled(&root), &settled(&session.folder().join(path))));
    let base = args.base.as_deref().map_or_else(|| "base".to_owned(), seen_from);
    let there = session.folder().join(&args.rulebook).exists();
    let rulebook = if there { seen_from(&args.rulebook) } else { slashes(&args.rulebook) };
    let mods = slashes(&args.mods);
    let quoted = |path: &str| format!("\"{}\"", path.replace('"', "\\\""));
    let from = args.from_mod.as_deref().map(|typed| from_mod(typed, session)).transpose()?;
    let there_already = if from.is_none() { mods_in(&root, &mods) } else { Vec::new() };
    let manifest = from.as_ref().map(|from| &from.manifest).or(there_already.first());
    let only = from.is_some() || there_already.len() == 1;
    let edited = manifest.filter(|_| only).map_or_else(
        || "order = []\n".to_owned(),
        |manifest| format!("order = [{0}]\nedit = {0}\n", quoted(&manifest.id)),
    );
    let workspace = format!(
        "cognomen = 1\nrulebook = {}\nbase = {}\nmods = {}\n{edited}",
        quoted(&rulebook),
        quoted(&base),
        quoted(&mods)
    );
    let (here, game) = (settled(&root), settled(&root.join(&base)));
    let made = settled(&root.join(&mods));
    if here.starts_with(&game) || made.starts_with(&game) {
        let message = format!("`{base}` is or holds what is to be written to, and the base is never written to");
        return Err(anyhow!(
            "{message}\n  help: give the workspace a folder of its own, as in `cognomen init my-workspace --base DIR`"
        )
        .into());
    }
    std::fs::create_dir_all(&root).map_err(|error| unmade(&root, &error))?;
    let mut files = vec![FileChange::Create { path: WORKSPACE_FILE.to_owned(), text: workspace.clone() }];
    let there = root.join(&rulebook).exists();
    let plain = !rulebook.split('/').any(|part| part == "..") && !std::path::Path::new(&rulebook).is_absolute();
    let (mut begun, mut draft) = (None, None);
    if !there && plain {
        let path = if rulebook.ends_with(".toml") { rulebook.clone() } else { format!("{rulebook}/rulebook.toml") };
        begun = Some(path.clone());
        draft = drafted_from(&root, &base, manifest, (&workspace, &path));
        let text = draft.as_ref().map_or_else(|| RULEBOOK.to_owned(), |draft| draft.text.clone());
        files.push(FileChange::Create { path, text });
    }
    for (path, bytes) in from.iter().flat_map(|from| &from.files) {
        let (path, after) = (format!("{mods}/{path}"), Some(bytes.as_slice().into()));
        files.push(FileChange::Bytes { path, before: None, after });
    }
    let writer = session.lock(&root, "init")?;
    commit(&writer, &files.clone().into(), &Bounds::all(), "init", Keep::Nothing)?;
    std::fs::create_dir_all(root.join(&mods)).map_err(|error| unmade(&root.join(&mods), &error))?;
    let copied = from.as_ref().map_or(0, |from| from.files.len());
    let paths: Vec<&str> = files.iter().take(files.len() - copied).map(FileChange::path).collect();
    let base_there = root.join(&base).exists();
    if global.json() {
        let files = paths.into_iter().map(str::to_owned).collect();
        let kinds = draft.iter().flat_map(|draft| &draft.kinds).map(|(kind, number, _)| (kind.clone(), *number));
        let workspace = root.to_string_lossy().into_owned();
        session.json(&InitAnswer { workspace, files, base_there, kinds: kinds.collect() });
        return Ok(Done::Well);
    }
    session.say(format!("a workspace in {}", visible(&root.to_string_lossy())));
    session.written(&paths);
    if let Some(from) = &from {
        let (id, files) = (visible(&from.manifest.id), count(copied, "file", "files"));
        session.say(format!("copied the mod {}, which is edited now: {files} in {}", paint(ID, &id), visible(&mods)));
    }
    if let [only] = there_already.as_slice() {
        session.say(format!("the mod that is there is edited: {}", paint(ID, &visible(&only.id))));
    }
    if !base_there {
        session
            .say(format!("next: put the game's data at `{base}`, or name its folder under `base` in {WORKSPACE_FILE}"));
    }
    if let (Some(draft), Some(path)) = (&draft, &begun) {
        let all: usize = draft.kinds.iter().map(|(_, number, _)| number).sum();
        let (kinds, all) = (count(draft.kinds.len(), "kind", "kinds"), count(all, "definition", "definitions"));
        session.say(format!("drafted from the data: {kinds}, {all}"));
        let mut table = Table::default();
        for (kind, number, files) in draft.kinds.iter().take(KINDS) {
            table.row([
                (visible(kind), ID),
                (count(*number, "definition", "definitions"), HEAD),
                (format!("in {}", count(*files, "file", "files")), FAINT),
            ]);
        }
        if let Some((keys, files)) = draft.texts {
            let files = format!("in {}", count(files, "file", "files"));
            table.row([("texts".to_owned(), HEAD), (count(keys, "key", "keys"), HEAD), (files, FAINT)]);
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
        if let Some(rest) = draft.kinds.len().checked_sub(KINDS).filter(|rest| *rest > 0) {
            session.say(paint(FAINT, &format!("  and {}", count(rest, "more kind", "more kinds"))));
        }
        if draft.left > 0 {
            let left = count(draft.left, "file of data is", "files of data are");
            session.say(paint(FAINT, &format!("  {left} not described yet: `cognomen kinds --coverage`")));
        }
        session.say(format!("next: `cognomen check --mod base --as-maker --summary` says what that makes of the data; look {path} through"));
        return Ok(Done::Well);
    }
    if let Some(files) = files_of(&root, &base).filter(|_| base_there && begun.is_some()) {
        session.say(format!(
            "nothing could be drafted: {} not show where definitions stand; `[[where]]` says it, and `[notations.NAME]` how they are written",
            visible(&files)
        ));
    }
    match begun {
        Some(path) => session.say(format!("next: describe the game in {path}, then `cognomen check`")),
        None if !there => session.say(format!("next: put a rulebook at {rulebook}")),
        None => session.say("next: `cognomen check`"),
    }
    Ok(Done::Well)
}

/// What the mods that are there already say of themselves, by the names of their folders.
fn mods_in(root: &Path, mods: &str) -> Vec<DraftedManifest> {
    let source = Archives::new(FolderSource::new(root));
    let folders = std::fs::read_dir(root.join(mods)).into_iter().flatten().flatten();
    let mut names: Vec<String> = folders.map(|one| one.file_name().to_string_lossy().into_owned()).collect();
    names.sort();
    names.iter().filter_map(|name| drafted_manifest(&source, &format!("{mods}/{name}")).ok().flatten()).collect()
}

/// A mod that a workspace is started from.
struct FromMod {
    manifest: DraftedManifest,
    /// Paths below the mods' folder.
    files: Vec<(String, Vec<u8>)>,
}

/// Reads a mod's folder or archive, seen from where one is.
fn from_mod(typed: &str, session: &Session) -> Result<FromMod, Failure> {
    let (shown, folder) = (visible(typed), settled(&session.folder().join(typed)));
    let (Some(parent), Some(name)) = (folder.parent(), folder.file_name()) else {
        return Err(anyhow!("`{shown}` is no folder of a mod").into());
    };
    let name = name.to_string_lossy().into_owned();
    let source = Archives::new(FolderSource::new(parent));
    if !source.has_folder(&name) {
        return Err(anyhow!("there is no folder or archive `{shown}`").into());
    }
    let failed = |error: cognomen_core::SourceError| anyhow!("cannot read `{shown}`: {error}");
    let Some(manifest) = drafted_manifest(&source, &name).map_err(failed)? else {
        let message = format!("nothing at the top of `{shown}` says what the mod is called");
        let help = "copy it into the mods' folder, and say `[manifest]` in the rulebook";
        return Err(anyhow!("{message}\n  help: {help}").into());
    };
    // as they are: what lies packed in it stays packed
    let paths = match folder.is_dir() {
        true => {
            let listed = FolderSource::new(parent).list(&name).map_err(failed)?.into_iter();
            listed.filter(|file| file.refused.is_none()).map(|file| format!("{name}/{}", file.path)).collect()
        }
        false => vec![name],
    };
    let mut files = Vec::new();
    for path in paths {
        let bytes =
            std::fs::read(parent.join(&path)).map_err(|error| anyhow!("cannot read `{shown}`: {}", why(&error)))?;
        files.push((path, bytes));
    }
    Ok(FromMod { manifest, files })
}

/// What lies in the base, where nobody could tell what it holds: `40 files (.cfg 38, .dat 2) do`.
fn files_of(root: &Path, base: &str) -> Option<String> {
    let listed = Archives::new(FolderSource::new(root)).list(base).ok()?;
    let mut endings: BTreeMap<String, usize> = BTreeMap::new();
    for file in &listed {
        let name = file.path.rsplit('/').next().unwrap_or("");
        let ending = name.rsplit_once('.').map_or("without an ending".to_owned(), |(_, ending)| format!(".{ending}"));
        *endings.entry(ending).or_default() += 1;
    }
    let mut endings: Vec<(String, usize)> = endings.into_iter().collect();
    endings.sort_by_key(|(_, number)| std::cmp::Reverse(*number));
    let some: Vec<String> = endings.iter().take(4).map(|(ending, number)| format!("{ending} {number}")).collect();
    let files = count(listed.len(), "file", "files");
    let do_ = if listed.len() == 1 { "does" } else { "do" };
    (!listed.is_empty()).then(|| format!("{files} ({}) {do_}", some.join(", ")))
}

/// So many kinds of a draft are listed.
const KINDS: usize = 24;

/// So often what turns out to be otherwise is left out of a draft.
const ROUNDS: usize = 3;

/// A rulebook from the data of the base, if it is there and the draft reads without a fault. Fields that the data itself
/// gives the lie to are left out.
fn drafted_from(
    root: &Path,
    base: &str,
    manifest: Option<&DraftedManifest>,
    (workspace, path): (&str, &str),
) -> Option<Drafted> {
    let source = Archives::new(FolderSource::new(root));
    // the base may be a mod of the game's own
    let manifest = manifest.cloned().or_else(|| drafted_manifest(&source, base).ok().flatten());
    let data = RawData::read(&source, base, manifest).ok()?;
    let mut without = LeftOut::new();
    for round in 0.. {
        let draft = data.drafted(&without);
        if draft.kinds.is_empty() {
            return None;
        }
        let files = [(WORKSPACE_FILE, workspace.to_owned()), (path, draft.text.clone())];
        let world = World::load(&Overlay::new(&source, MemorySource::new(files))).ok()?;
        let findings = cognomen_core::check_watched(&world, true, &|_, _| {}).findings;
        if findings.iter().any(|finding| finding.code == "rulebook-fault") {
            return None;
        }
        let known = without.len();
        for finding in findings.iter().filter(|finding| MISTAKEN.contains(&&*finding.code)) {
            let (Some(about), Some(path)) = (finding.about, &finding.path) else { continue };
            let kind =
                world.catalog().kind_of(about).map(|kind| world.catalog().rulebook().kind(kind).name().to_owned());
            let names: Vec<&str> = path
                .steps()
                .iter()
                .filter_map(|step| match step {
                    Step::Key(key) => Some(key.as_str()),
                    Step::Index(_) | Step::Match(_) => None,
                })
                .collect();
            without.extend(kind.map(|kind| (kind, names.join("."))));
        }
        if round == ROUNDS || without.len() == known {
            return Some(draft);
        }
    }
    None
}

/// What is told of a field that a draft describes wrongly.
const MISTAKEN: [&str; 3] = ["shape-mismatch", "type-mismatch", "field-of-another-sort"];

/// A place as seen from a folder, as people write it; the place itself where nothing leads from one to the other.
fn relative_to(folder: &Path, place: &Path) -> String {
    let (from, to): (Vec<_>, Vec<_>) = (folder.components().collect(), place.components().collect());
    let same = from.iter().zip(&to).take_while(|(a, b)| a == b).count();
    if same == 0 {
        return place.to_string_lossy().into_owned();
    }
    let up = std::iter::repeat_n("..".into(), from.len() - same);
    let down = to.iter().skip(same).map(|part| part.as_os_str().to_string_lossy().into_owned());
    let all: Vec<String> = up.chain(down).collect();
    if all.is_empty() { ".".to_owned() } else { all.join("/") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_seen_from_folders() {
        for (folder, place, seen) in [
            ("/a/work", "/a/game/data", "../game/data"),
            ("/a/work", "/a/work/base", "base"),
            ("/a/b/c", "/a", "../.."),
            ("/a", "/a", "."),
        ] {
            assert_eq!(relative_to(Path::new(folder), Path::new(place)), seen);
        }
    }
}
