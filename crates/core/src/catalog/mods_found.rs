//! The mods that stand in the workspace, with what their manifests say.

use std::sync::Arc;

use super::FileRole;
use super::harvest::{as_read, notation_of};
use super::load::{Found, LoadError, Loader};
use crate::document::Document;
use crate::nearest::nearest;
use crate::own;
use crate::rulebook::Rulebook;
use crate::said::said;
use crate::source::{FileId, Place, Refusal, Span, file_named};
use crate::workspace::{MadeManifest, WorkspaceFile, read_manifest};

impl Loader<'_> {
    /// The mods' folders and manifests.
    pub(super) fn mods(&mut self, workspace: &WorkspaceFile, rulebook: &Rulebook) -> Result<Vec<Found>, LoadError> {
        let listed = match self.source.list(&workspace.mods) {
            Ok(listed) => listed,
            // a workspace without any mod yet
            Err(error) if error.lacking => return Ok(Vec::new()),
            Err(error) => {
                let message = said!("the mods' folder cannot be read: {reason}", reason = error.reason);
                self.push("workspace-fault", vec![own::fault(Place::default(), message)]);
                return Ok(Vec::new());
            }
        };
        let listed = self.with_archives(&workspace.mods, listed);
        for file in listed.iter().filter(|file| !file.path.contains('/')) {
            let what = match file.refused {
                Some(Refusal::Link) if self.source.has_folder(&format!("{}/{}", workspace.mods, file.path)) => {
                    "is a link to a folder, which is not followed, so no mod is read there"
                }
                Some(Refusal::Unreadable) => "cannot be looked into, so no mod is read there",
                _ => continue,
            };
            let message = said!("`{mods}/{file}` {what}", mods = workspace.mods, file = file.path, what);
            let help = Some("put the mod's folder itself there".to_owned());
            let place = Place::default();
            self.push("manifest-fault", vec![own::fault(place, message).help(help)]);
        }
        let mut folders: Vec<&str> =
            listed.iter().filter_map(|file| file.path.split_once('/').map(|(folder, _)| folder)).collect();
        folders.dedup();
        let Some(rule) = &rulebook.manifest else {
            // what is wrong with how it is described is told
            let untold = !rulebook.broken && !rulebook.manifest_meant;
            if let (Some(folder), Some(file)) = (folders.first().filter(|_| untold), self.files.get(1)) {
                let place = Place { file: FileId(1), span: Span::default() };
                let message = said!(
                    "the rulebook does not say what a mod's manifest is, so no mod is read (there is `{folder}`)",
                    folder
                );
                let help = Some(said!(
                    "describe it under `[manifest]` in {field}; where a mod is nothing but its folder, `id = \"folder\"` says so",
                    field = file.path
                ));
                self.push("rulebook-fault", vec![own::fault(place, message).help(help)]);
            }
            return Ok(Vec::new());
        };
        let mut mods: Vec<Found> = Vec::new();
        for folder in folders {
            let has = |folder: &str| {
                let path = rule.file.as_ref().map(|file| format!("{folder}/{file}"));
                path.is_some_and(|path| listed.iter().any(|listed| listed.path == path))
            };
            // an archive with one folder in it stands for that folder
            let inner = crate::source::is_archive(folder).then(|| {
                let within = listed.iter().filter_map(|file| file.path.strip_prefix(folder)?.strip_prefix('/'));
                within.filter_map(|file| file.split_once('/')).map(|(inner, _)| format!("{folder}/{inner}")).next()
            });
            let inner = inner.flatten().filter(|inner| !has(folder) && has(inner));
            let folder = inner.as_deref().unwrap_or(folder);
            let path = format!("{}/{folder}", workspace.mods);
            let name = folder.rsplit('/').next().unwrap_or(folder);
            let stem = name.rsplit_once('.').filter(|_| crate::source::is_archive(name)).map(|(stem, _)| stem);
            let name = stem.unwrap_or(name);
            let document = match rule.file.as_deref().filter(|_| has(folder)) {
                Some(file) => Some(self.manifest(&path, file, rulebook)),
                None if rule.optional => None,
                None => {
                    let named = rule.file.as_deref().unwrap_or_default();
                    let place = Place::default();
                    let near = listed.iter().filter_map(|l| l.path.strip_prefix(&format!("{folder}/")));
                    let near = nearest(named, near.collect::<Vec<_>>())
                        .map(|near| said!("`{nearest}` is there; is that meant?", nearest = near));
                    let help = Some(near.unwrap_or_else(|| said!("a mod's folder holds a `{named}`", named)));
                    let message = said!(
                        "the folder `{field}` has no manifest `{named}`, so the game does not load it",
                        field = path,
                        named
                    );
                    self.push("manifest-fault", vec![own::fault(place, message).help(help)]);
                    continue;
                }
            };
            let mut made = match &document {
                Some(document) => read_manifest(document, rule, name, &self.names.clone()),
                None => MadeManifest::of_folder(name),
            };
            let id = made.manifest.id.clone();
            let beside = workspace.stands_on.iter().filter(|one| one.mod_id.0 == id).flat_map(|one| &one.others);
            for other in beside {
                if !made.manifest.requires.iter().any(|(known, _)| *known == other.0) {
                    made.manifest.requires.push(other.clone());
                }
            }
            let broken = document.as_ref().is_some_and(|document| document.is_broken());
            let first = document
                .as_ref()
                .map(|document| Place { file: document.file(), span: own::first_line(document.root()) });
            let place = made.id_place.or(first).unwrap_or_default();
            let twin = mods.iter().find(|other| other.made.manifest.id == id);
            let fault = match twin {
                _ if broken => None,
                _ if id.is_empty() => Some(("this mod has no id, so the game does not load it".into(), None)),
                _ if id.chars().any(char::is_control) => {
                    Some((said!("the id `{id}` holds control characters", id), None))
                }
                _ if id == "base" => Some(("`base` is the game itself, so no mod can have this id".into(), None)),
                Some(twin) => {
                    let second = twin.made.id_place.map(|place| (place, "the other one".into()));
                    Some((said!("another mod has the id `{id}` already", id), second))
                }
                None => None,
            };
            let unusable = broken || fault.is_some();
            // a build's folder is called by it, and a mod's own folder as a rule
            if let (false, Err(reason)) = (unusable, file_named(&id)) {
                let message = said!("the id `{id}` cannot name a folder on every system: {reason}", id, reason);
                let help = Some("use letters, digits, `-` and `_`");
                self.push("manifest-fault", vec![own::fault(place, message).help(help)]);
            }
            if let Some((message, second)) = fault {
                let document = document.as_ref().filter(|_| id.is_empty());
                let around = document
                    .and_then(|document| super::pieces::around(document.root(), rule.root, rulebook, &self.names));
                let help = around.zip(rule.id.as_ref()).map(|((around, _), id)| {
                    let name = around.key().map_or("", |key| self.names.text(key));
                    said!(
                        "`{name}` stands around all of it: where the rulebook is meant to look there, `id = \"{name}.{id}\"`",
                        name,
                        id
                    )
                });
                self.push("manifest-fault", vec![own::fault(place, message).help(help).second(second)]);
            }
            if unusable {
                self.unloaded.extend([folder.to_owned(), id]);
            } else {
                mods.push(Found { folder: path, file: document.map(|document| document.file()), made });
            }
        }
        Ok(mods)
    }

    /// Reads the manifest in a mod's folder.
    fn manifest(&mut self, folder: &str, name: &str, rulebook: &Rulebook) -> Arc<Document> {
        let (path, role) = (format!("{folder}/{name}"), FileRole::Manifest);
        let notation = notation_of(&path, &role, rulebook);
        let document = self
            .read_now(&path, role.clone(), notation, |document, names| as_read(document, "", &role, rulebook, names));
        if let Some(known) = self.files.get_mut(document.file().0 as usize) {
            name.clone_into(&mut known.relative);
        }
        document
    }

    /// The files of the mods' folder, with those in archives that stand there. An archive that holds one
    /// folder with everything in it stands for that folder.
    fn with_archives(&mut self, top: &str, listed: Vec<crate::source::Listed>) -> Vec<crate::source::Listed> {
        let mut out = Vec::with_capacity(listed.len());
        for file in listed {
            if file.path.contains('/') || !crate::source::is_archive(&file.path) {
                out.push(file);
                continue;
            }
            match self.source.list(&format!("{top}/{}", file.path)) {
                Ok(members) => out.extend(members.into_iter().map(|member| crate::source::Listed {
                    path: format!("{}/{}", file.path, member.path),
                    refused: member.refused,
                })),
                Err(error) => {
                    let place = Place::default();
                    let message = said!(
                        "the archive `{field}` cannot be read: {reason}",
                        field = error.path,
                        reason = error.reason
                    );
                    self.push("manifest-fault", vec![own::fault(place, message)]);
                }
            }
        }
        out.sort_by(|a, b| a.path.as_bytes().cmp(b.path.as_bytes()));
        out
    }
}
