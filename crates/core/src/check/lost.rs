//! Why an id leads nowhere: it is of another kind, a mod takes it away, another spelling is known.

use rustc_hash::FxHashMap;

use super::context::Context;
use crate::catalog::Address;
use crate::effective::View;
use crate::nearest::{Near, Words};
use crate::rulebook::{KindId, SpaceId};
use crate::said::{Said, one, said};
use crate::source::Place;

/// Of so many misses of one sort the nearest name is told: nobody reads more, and they take long.
pub(crate) const NAMED: usize = 100;

/// What is known about an id that leads nowhere.
pub(crate) struct Lost {
    pub(crate) why: Option<Why>,
    pub(crate) place: Option<Place>,
    /// The id that must be meant.
    pub(crate) only: Option<String>,
}

/// Why an id leads nowhere.
pub(crate) enum Why {
    /// It is the id of another kind.
    Kind(String),
    /// A mod takes it away, in this file.
    Gone(String, String),
    /// Another id of a kind is near.
    Near(String, String),
}

impl Lost {
    /// The help for a person, and what stands at the second place.
    pub(crate) fn help(&self, id: &str, kinds: &str) -> (Option<Said>, Option<Said>) {
        match &self.why {
            Some(Why::Kind(kind)) => {
                let help = crate::rulebook::of_another_kind(id, kind, kinds);
                (Some(help), Some(said!("{kind}", kind = one(kind))))
            }
            Some(Why::Gone(by, file)) => {
                (Some(said!("`{other}` takes it away in {file}", other = by, file)), Some("taken away here".into()))
            }
            Some(Why::Near(kind, near)) => {
                let case = near.to_lowercase() == id.to_lowercase();
                let help = if case {
                    said!("it is written `{nearest}`: capital and small letters count", nearest = near)
                } else {
                    said!("the nearest known {kind} is `{nearest}`", kind, nearest = near)
                };
                (Some(help), Some("defined here".into()))
            }
            None => (None, None),
        }
    }
}

impl<'w> Context<'w> {
    /// The nearest id of a space at which something stands in a view.
    pub(crate) fn nearest_id(&self, view: &View<'_>, space: SpaceId, id: &str) -> Option<Near<'w>> {
        let (catalog, shared) = (self.catalog, self.shared);
        let all = shared.ids.get_or_init(|| {
            let mut by_space: FxHashMap<SpaceId, Vec<&str>> = FxHashMap::default();
            for at in catalog.stacks.addresses() {
                by_space.entry(at.space).or_default().push(catalog.names.text(at.id));
            }
            by_space.into_iter().map(|(space, all)| (space, Words::new(all.into_iter()))).collect()
        });
        let stands = |id: &str| catalog.names.get(id).is_some_and(|id| view.stands(Address { space, id }));
        all.get(&space)?.near(id, &stands)
    }

    /// Why nothing of these kinds has an id in a view: another kind has it, a mod takes it away, another spelling
    /// is known.
    pub(crate) fn lost(&self, view: &View<'_>, id: &str, kinds: &[KindId]) -> Lost {
        self.lost_among(view, id, kinds, true)
    }

    /// As [`Context::lost`]; the nearest name is only looked for where that is wanted.
    pub(crate) fn lost_among(&self, view: &View<'_>, id: &str, kinds: &[KindId], near: bool) -> Lost {
        let catalog = self.catalog;
        let rulebook = self.rulebook;
        let first = |address: Address| view.first(address).map(|(_, made)| self.definition_place(made.at()));
        let lost = |why, place| Lost { why, place, only: None };
        let gone = kinds.iter().filter_map(|kind| view.remover(catalog.address(*kind, id)?)).next();
        if let Some(gone) = gone {
            let why = Some(Why::Gone(catalog.layer(gone.layer).id.clone(), catalog.file(gone.file).path.clone()));
            return lost(why, Some(self.definition_place(gone.at())));
        }
        let others = rulebook.kinds().filter(|(kind, _)| !kinds.contains(kind));
        for (kind, described) in others {
            let there = |address: &Address| view.kind_of(*address) == Some(kind);
            if let Some(address) = catalog.address(kind, id).filter(there) {
                return lost(Some(Why::Kind(described.name.clone())), first(address));
            }
        }
        // addresses are for people; in the game's files the id stands alone
        let bare = id.split_once('/').filter(|(kind, _)| rulebook.kind_named(kind).is_some()).map(|(_, id)| id);
        for kind in kinds.iter().filter(|_| near) {
            let space = rulebook.kind(*kind).space;
            let knows = |id: &&str| catalog.address(*kind, id).is_some_and(|address| view.stands(address));
            let bare = bare.filter(knows).map(|word| Near { word, only: true });
            if let Some(near) = bare.or_else(|| self.nearest_id(view, space, id)) {
                let place = catalog.address(*kind, near.word).and_then(first);
                let why = Why::Near(rulebook.kind(*kind).name.clone(), near.word.to_owned());
                // with several kinds, none of the others may have one that is near as well
                let mut others = kinds.iter().filter(|other| *other != kind).map(|other| rulebook.kind(*other).space);
                let only =
                    near.only && !others.any(|other| other != space && self.nearest_id(view, other, id).is_some());
                return Lost { only: only.then(|| near.word.to_owned()), ..lost(Some(why), place) };
            }
        }
        lost(None, None)
    }
}
