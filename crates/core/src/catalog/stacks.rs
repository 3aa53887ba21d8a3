//! The highest definition at each address, by the number of its id: what is looked up most often in all of a catalog.

use rustc_hash::FxHashMap;

use super::{Address, DefId, LayerId};
use crate::names::Sym;
use crate::rulebook::SpaceId;

/// What has an id in one space.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
struct Top {
    space: SpaceId,
    /// The layer that the highest definition is of, or [`GONE`] where it takes away what lies below.
    layer: LayerId,
    id: DefId,
}

const GONE: LayerId = LayerId(u16::MAX);

/// Where nothing has an id.
const NOTHING: Top = Top { space: SpaceId(0), layer: GONE, id: DefId(u32::MAX) };

/// The highest definition of each address.
#[derive(Debug, Default)]
pub(crate) struct Stacks {
    /// By symbol, the first space in which something has that id, and what; [`NOTHING`] where none is.
    first: Vec<Top>,
    /// What has the same id in other spaces.
    others: FxHashMap<Address, DefId>,
}

impl Stacks {
    /// The highest definition at an address.
    #[inline]
    pub(crate) fn get(&self, at: Address) -> Option<DefId> {
        let slot = *self.first.get(at.id.0 as usize)?;
        match slot {
            NOTHING => None,
            top if top.space == at.space => Some(top.id),
            _ => self.others.get(&at).copied(),
        }
    }

    /// The layer whose definition is the highest at an address, if it is quickly told and takes nothing away.
    #[inline]
    pub(crate) fn highest(&self, at: Address) -> Option<LayerId> {
        let top = self.first.get(at.id.0 as usize)?;
        (top.space == at.space && top.layer != GONE).then_some(top.layer)
    }

    /// Whether anything stands at an address.
    pub(crate) fn has(&self, at: Address) -> bool {
        self.get(at).is_some()
    }

    /// Puts a definition of a layer, or none that takes away what lies below, on top of an address; what was the highest
    /// there.
    pub(crate) fn put(&mut self, at: Address, id: DefId, layer: Option<LayerId>) -> Option<DefId> {
        let nth = at.id.0 as usize;
        if nth >= self.first.len() {
            self.first.resize(nth + 1, NOTHING);
        }
        let top = Top { space: at.space, layer: layer.unwrap_or(GONE), id };
        match self.first.get_mut(nth)? {
            slot if *slot == NOTHING => {
                *slot = top;
                None
            }
            known if known.space == at.space => Some(std::mem::replace(known, top).id),
            _ => self.others.insert(at, id),
        }
    }

    /// All addresses, each with the highest definition there.
    pub(crate) fn all(&self) -> impl Iterator<Item = (Address, DefId)> {
        let known = self.first.iter().enumerate().filter(|(_, slot)| **slot != NOTHING);
        let first = known.map(|(nth, top)| (Address { space: top.space, id: Sym(crate::source::to_u32(nth)) }, top.id));
        first.chain(self.others.iter().map(|(at, id)| (*at, *id)))
    }

    /// All addresses.
    pub(crate) fn addresses(&self) -> impl Iterator<Item = Address> {
        self.all().map(|(at, _)| at)
    }
}

#[cfg(test)]
mod tests {
    use super::{Address, DefId, LayerId, Stacks, Sym};
    use crate::rulebook::SpaceId;

    #[test]
    fn one_id_in_several_spaces_is_kept_apart() {
        let at = |space, id| Address { space: SpaceId(space), id: Sym(id) };
        let mut stacks = Stacks::default();
        let layer = |nth| Some(LayerId(nth));
        assert_eq!(stacks.put(at(0, 7), DefId(1), layer(0)), None);
        assert_eq!(stacks.put(at(1, 7), DefId(2), layer(0)), None);
        assert_eq!(stacks.put(at(0, 7), DefId(3), layer(2)), Some(DefId(1)));
        assert_eq!(stacks.put(at(1, 7), DefId(4), layer(1)), Some(DefId(2)));
        assert_eq!((stacks.highest(at(0, 7)), stacks.highest(at(2, 7))), (layer(2), None));
        assert_eq!((stacks.get(at(0, 7)), stacks.get(at(1, 7))), (Some(DefId(3)), Some(DefId(4))));
        assert!(!stacks.has(at(2, 7)) && !stacks.has(at(0, 6)) && !stacks.has(at(0, 8)));
        assert_eq!(stacks.get(Address { space: SpaceId(0), id: Sym::NONE }), None);
        let mut all: Vec<_> = stacks.all().collect();
        all.sort_unstable();
        assert_eq!(all, [(at(0, 7), DefId(3)), (at(1, 7), DefId(4))]);
        // what takes away is none that stands
        assert_eq!(stacks.put(at(0, 7), DefId(5), None), Some(DefId(3)));
        assert_eq!((stacks.get(at(0, 7)), stacks.highest(at(0, 7))), (Some(DefId(5)), None));
    }
}
