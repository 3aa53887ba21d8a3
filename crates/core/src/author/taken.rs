//! Texts of files that are taken into the world while a change is planned, and what they come to.

use super::set::{SetError, unread};
use crate::catalog::LayerId;
use crate::effective::World;
use crate::source::{ChangeSet, FileChange};

/// Files as they were before anything was taken in: those that were not there have no text.
#[derive(Default)]
pub(super) struct Taken {
    originals: Vec<(String, Option<String>)>,
}

impl Taken {
    /// Takes in texts of files of a layer, by their paths below the workspace.
    ///
    /// # Errors
    /// Nothing would read one of the files.
    pub(super) fn take_in(
        &mut self,
        world: &mut World,
        layer: LayerId,
        texts: &[(String, String)],
    ) -> Result<(), SetError> {
        if texts.is_empty() {
            return Ok(());
        }
        for (path, _) in texts {
            if !self.originals.iter().any(|(known, _)| known == path) {
                let before = world.catalog.file_named(path).map(|file| world.catalog.text(file).to_owned());
                self.originals.push((path.clone(), before));
            }
        }
        let texts: Vec<(&str, &str)> = texts.iter().map(|(path, text)| (path.as_str(), text.as_str())).collect();
        world.take_in_texts(layer, &texts).map_err(unread)?;
        Ok(())
    }

    /// As [`Taken::take_in`], of a planned change.
    ///
    /// # Errors
    /// Nothing would read one of the files.
    pub(super) fn take_in_changes(
        &mut self,
        world: &mut World,
        layer: LayerId,
        changes: &ChangeSet,
    ) -> Result<(), SetError> {
        let text = |change: &FileChange| (change.path().to_owned(), change.texts().1.to_owned());
        self.take_in(world, layer, &changes.files.iter().map(text).collect::<Vec<_>>())
    }

    /// Lets the files be as they were; those that were not there hold `nothing`.
    ///
    /// # Errors
    /// Nothing would read one of the files.
    pub(super) fn take_back(&self, world: &mut World, layer: LayerId, nothing: &str) -> Result<(), SetError> {
        let text = |(path, before): &'_ (String, Option<String>)| -> (String, String) {
            (path.clone(), before.clone().unwrap_or_else(|| nothing.to_owned()))
        };
        let texts: Vec<(String, String)> = self.originals.iter().map(text).collect();
        let texts: Vec<(&str, &str)> = texts.iter().map(|(path, text)| (path.as_str(), text.as_str())).collect();
        world.take_in_texts(layer, &texts).map_err(unread)?;
        Ok(())
    }

    /// What is to be written: not what was changed and changed back.
    pub(super) fn changes(self, world: &World) -> ChangeSet {
        let change = |(path, before): (String, Option<String>)| {
            let file = world.catalog.file_named(&path)?;
            let text = world.catalog.text(file).to_owned();
            (before.as_ref() != Some(&text)).then(|| FileChange::written(path, before, text))
        };
        self.originals.into_iter().filter_map(change).collect::<Vec<_>>().into()
    }
}
