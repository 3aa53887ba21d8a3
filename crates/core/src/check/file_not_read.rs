//! `file-not-read`.

use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use super::context::Context;
use super::finding::Finding;
use super::mend::Mend;
use super::registry::Check;
use crate::catalog::is_data;
use crate::catalog::{FileRole, LayerId};
use crate::document::Notation;
use crate::nearest::{near, nearest};
use crate::rulebook::{Condition, FieldType, FileTemplate, Reading, Severity};
use crate::said::{Said, listed, said};
use crate::source::{FileId, Place, Refusal, Span, sheet_in};

pub(super) static CHECK: Check = Check {
    code: "file-not-read",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a file or folder that nothing reads",
    finds: "A file in the base or a mod that no place of the rulebook, text, picture or amendment accounts for; a file without the part that holds definitions; a symbolic link.",
    matters: "The game never looks at it: everything in it is simply not there.",
    example: "mods/first-steps/good/eel-trap.json      # the game reads goods/",
    mend: "Move or rename it to where the game looks. Files that are meant to lie there are named under `[files] ignore` in the rulebook.",
    accept: "For notes and sources that the game is not meant to read.",
    run: |context, findings| {
        context.own_faults(&CHECK, findings);
        // what stands where in a file that could not be read whole says nothing
        findings.retain(|finding| !context.causes().is_broken(finding.place.file));
        let read = context.catalog.files().filter(|(_, file)| file.role != FileRole::Unread);
        let books: FxHashSet<&str> = read.filter_map(|(_, file)| Some(sheet_in(&file.path)?.0)).collect();
        let mut named = Named::new(context);
        let mut folders: BTreeMap<(LayerId, String), Vec<FileId>> = BTreeMap::new();
        for (id, file) in context.catalog.files().filter(|(id, _)| context.is_own(*id)) {
            let place = Place { file: id, span: Span::default() };
            match (&file.role, file.layer) {
                (FileRole::Refused(refusal), _) => {
                    let (what, help) = match refusal {
                        Refusal::Link => ("is a symbolic link, which is not followed", "put the file itself there"),
                        Refusal::Outside => ("leads out of its archive, and is not read", "pack the archive anew"),
                        Refusal::Workbook => {
                            ("is no workbook that can be read", "open it in a spreadsheet program and save it anew")
                        }
                        Refusal::NoFile => ("is no ordinary file, and is not read", "take it out, or put a file there"),
                        Refusal::Unreadable => {
                            ("is a folder that cannot be looked into", "see to the rights to read it")
                        }
                        Refusal::TooDeep => {
                            ("lies too deep, and is not looked into", "folders are read to a depth of 64")
                        }
                    };
                    let message = said!("`{file}` {what}", file = file.path, what);
                    let help = Said::from(help);
                    findings.push(Finding::new(&CHECK, place, message).help(Some(help)));
                }
                // data that a field could name, and none does
                (FileRole::Asset, Some(layer)) if is_data(&file.relative) && !named.take(context, &file.relative) => {
                    let folder = file.folder().to_owned();
                    folders.entry((layer, folder)).or_default().push(id);
                }
                (FileRole::Unread, Some(layer)) => {
                    // notes and sums beside the tables of a workbook
                    if sheet_in(&file.path).is_some_and(|(book, _)| books.contains(book)) {
                        continue;
                    }
                    // pictures and sounds of the game itself are no slip; `kinds --coverage` counts them
                    if context.is_base(layer) && !is_data(&file.relative) {
                        continue;
                    }
                    let folder = file.folder().to_owned();
                    folders.entry((layer, folder)).or_default().push(id);
                }
                _ => {}
            }
        }
        // what a place takes, and nothing can read, is told of the place
        let told = |file: &FileId| {
            let relative = &context.catalog.file(*file).relative;
            let places =
                context.rulebook.places.iter().filter(|place| place.unreadable && place.files.is_match(relative));
            places.count() > 0 && Notation::of(relative).is_none()
        };
        for files in folders.values_mut() {
            files.retain(|file| !told(file));
        }
        folders.retain(|_, files| !files.is_empty());
        for ((layer, folder), files) in folders {
            findings.extend(unread(context, layer, &folder, &files));
        }
    },
};

/// So many patterns of files that are read are told.
const SHOWN: usize = 12;

/// The files that fields name, looked up when first asked for; nothing where every field says where its files lie.
struct Named {
    is_open: bool,
    paths: Option<FxHashSet<String>>,
}

impl Named {
    fn new(context: &Context<'_>) -> Named {
        let open = |template: &FileTemplate| template.before.is_empty() && !template.after.contains('.');
        let is_open = |ty: &FieldType| matches!(&ty.reading, Reading::File(template) if template.all().any(open));
        Named { is_open: context.rulebook.types.iter().any(is_open), paths: None }
    }

    /// Whether a file is taken to be a field's: one names it, or all fields say where theirs lie.
    fn take(&mut self, context: &Context<'_>, path: &str) -> bool {
        let paths = || context.catalog.files_named(context.view.layers());
        !self.is_open || self.paths.get_or_insert_with(paths).contains(&path.to_lowercase())
    }
}

/// Of a file in a folder that applies only with another mod: that it is not here, and the nearest that is.
fn other_mod(context: &Context<'_>, relative: &str) -> Option<Said> {
    let condition = context.rulebook.manifest.as_ref()?.parts.may_mean(relative).next()?;
    let word = condition.word();
    if let Condition::In(mode) = &condition {
        let modes = || context.rulebook.game.modes.iter().map(String::as_str);
        let known = match nearest(mode, modes()) {
            Some(near) => said!("the nearest is `{nearest}`", nearest = near),
            None => {
                said!("there are `{modes}`", modes = listed(modes()))
            }
        };
        return Some(said!("it applies only in a mode `{mode}`, which the game does not have; {known}", mode, known));
    }
    let mods = context.catalog.layers().filter(|(_, layer)| !layer.is_base() && !layer.is_part());
    let here = mods.map(|(_, layer)| layer.id.as_str());
    Some(match nearest(word, here) {
        Some(near) => said!(
            "it applies only with a mod `{word}`, which is not here; the nearest is `{nearest}`",
            word,
            nearest = near
        ),
        None => said!(
            "it applies only with a mod `{word}`, which is not here: put that into the mods' folder to build and check it",
            word
        ),
    })
}

/// One finding for a folder of which nothing is read, one a file otherwise.
fn unread(context: &Context<'_>, layer: LayerId, folder: &str, files: &[FileId]) -> Vec<Finding> {
    let all = context.catalog.files();
    let below = format!("{folder}/");
    let read = all.into_iter().any(|(_, file)| {
        file.layer == Some(layer) && file.relative.starts_with(&below) && file.role != FileRole::Unread
    });
    let whole = !folder.is_empty() && !read && files.len() > 1;
    let one = |id: &FileId| {
        let file = context.catalog.file(*id);
        let message = if whole {
            said!("nothing reads the folder `{folder}` ({count} files)", folder, count = files.len())
        } else {
            said!("nothing reads the file `{file}`", file = file.relative)
        };
        // a whole kind that the game does not know is more than a file too much
        if let Some(by) = brought_by(context, &file.relative).filter(|_| !context.is_game(layer)) {
            let own = &context.catalog.layer(context.catalog.owner_of(layer)).id;
            let message = said!(
                "{message}: the mod `{by}` brings its place along, which `{own}` does not require",
                message,
                by,
                own
            );
            let other = context.catalog.owner_of(layer);
            let mend = Some(Mend::Require { layer: other, other: by.to_owned() });
            let finding = Finding::new(&CHECK, Place { file: *id, span: Span::default() }, message).mend(mend);
            return Finding { severity: Severity::Error, ..finding.help(Some(said!("require `{by}`", by))) };
        }
        let help = other_mod(context, &file.relative).or_else(|| near_place(context, &file.relative));
        let to = right_place(context, &file.relative).filter(|_| !whole);
        let mend = to.map(|to| Mend::Move { file: *id, to });
        Finding::new(&CHECK, Place { file: *id, span: Span::default() }, message).help(help).mend(mend)
    };
    files.iter().take(if whole { 1 } else { files.len() }).map(one).collect()
}

/// The only path at which a file would be read, if a slip in its own is all that is wrong.
fn right_place(context: &Context<'_>, path: &str) -> Option<String> {
    let rulebook = context.rulebook;
    let split = |path: &str| path.rsplit_once('.').map(|(stem, ending)| (stem.to_owned(), ending.to_owned()));
    // a pattern with the file's own words where it leaves them open
    let filled = |pattern: &String| {
        let Some(open) = pattern.find(['*', '{', '?']) else { return Some(pattern.clone()) };
        let folder = pattern.get(..open).and_then(|before| before.rsplit_once('/')).map_or("", |(folder, _)| folder);
        let depth = folder.split('/').filter(|part| !part.is_empty()).count();
        let rest: Vec<&str> = path.split('/').skip(depth).collect();
        let name = rest.join("/");
        let (stem, ending) = split(&name)?;
        let ending =
            split(pattern).map(|(_, wanted)| wanted).filter(|wanted| !wanted.contains(['*', '{'])).unwrap_or(ending);
        Some(
            [folder, &format!("{stem}.{ending}")]
                .into_iter()
                .filter(|part| !part.is_empty())
                .collect::<Vec<_>>()
                .join("/"),
        )
    };
    let all: Vec<String> = rulebook.places.iter().flat_map(|place| &place.patterns).filter_map(filled).collect();
    let found = near(path, all.iter().map(String::as_str)).filter(|near| near.only)?.word;
    let read = rulebook.places.iter().any(|place| place.files.is_match(found));
    read.then(|| found.to_owned())
}

/// The mod that brings along the place in which a file lies that nothing reads: everything else that fits is read.
fn brought_by<'w>(context: &Context<'w>, path: &str) -> Option<&'w str> {
    let rulebook = context.rulebook;
    let brought = rulebook.places.iter().filter(|place| place.files.is_match(path)).find_map(|place| place.from);
    brought.and_then(|from| rulebook.brought_by(from))
}

/// Where a file would be read: the nearest folder, name or ending.
fn near_place(context: &Context<'_>, path: &str) -> Option<Said> {
    let rulebook = context.rulebook;
    let mut patterns: Vec<&str> = rulebook.places.iter().flat_map(|p| &p.patterns).map(String::as_str).collect();
    patterns.extend(rulebook.texts.iter().flat_map(|texts| &texts.files).map(|(_, pattern)| pattern.as_str()));
    patterns.push("amendments/*.toml");
    if let Some(manifest) = &rulebook.manifest
        && let Some(file) = &manifest.file
        && nearest(path, [file.as_str()]).is_some()
    {
        return Some(said!("the manifest is named `{wanted}`", wanted = file));
    }
    let folder = |path: &str| path.split_once('/').map_or(String::new(), |(folder, _)| folder.to_owned());
    let ending = |path: &str| path.rsplit_once('.').map_or(String::new(), |(_, ending)| ending.to_owned());
    let same_folder = patterns.iter().find(|pattern| !folder(path).is_empty() && folder(pattern) == folder(path));
    if let Some(pattern) = same_folder {
        return Some(if ending(pattern) == ending(path) {
            said!("there the game reads `{pattern}`", pattern)
        } else {
            said!("there the game reads `{pattern}`; this file ends with `.{ending}`", pattern, ending = ending(path))
        });
    }
    let folders: Vec<String> = patterns.iter().map(|pattern| folder(pattern)).collect();
    match nearest(&folder(path), folders.iter().map(String::as_str)) {
        Some(near) => {
            let pattern = patterns.iter().find(|pattern| folder(pattern) == near)?;
            Some(said!("the nearest folder that is read is `{nearest}`: `{pattern}`", nearest = near, pattern))
        }
        None => {
            patterns.sort_unstable();
            patterns.dedup();
            // where there are many, those that take several files say more
            if patterns.len() > SHOWN {
                patterns.sort_by_key(|pattern| !pattern.contains('*'));
            }
            let more = patterns.len().saturating_sub(SHOWN);
            let more = (more > 0).then(|| said!(" and {more} more", more));
            let some = patterns.into_iter().take(SHOWN);
            Some(said!("read are `{patterns}`{more}", patterns = listed(some), more))
        }
    }
}
