//! Effective values: what the game sees of a definition, and where each value comes from.
//!
//! Everything is resolved in a *view*, a set of layers in load order. What a layer's amendments change is
//! first turned into what `build` would write for that layer from its own ground; the results are then laid
//! over each other, each kind in its own way; parents follow, defaults last.

mod builds;
mod derived;
mod lacking;
mod lay;
mod membership;
mod native;
mod operate;
mod same;
mod scope;
mod stated;
mod together;
mod value;
mod view;
mod whole;
mod world;

#[cfg(test)]
mod brute;
#[cfg(test)]
mod tests;

pub use native::{Joining, Mark};
pub(crate) use native::{Patch, notated, notated_entry};
pub use value::{Content, How, Origin, Value};
pub use view::{Effective, View};
pub use world::World;

pub(crate) use builds::{Built, Problem, ProblemKind};
pub(crate) use derived::{Derived, derived};
pub(crate) use lacking::lacking;
pub(crate) use lay::{Keep, lay};
pub(crate) use membership::{MemberField, Membership, members_are, reach};
pub(crate) use operate::{Obstacle, Operator};
pub(crate) use same::{means_same, nodes_mean_same, rounds, same, shows_as};
pub(crate) use scope::EffectiveScope;
pub(crate) use stated::{calculated, coming_and_going, joined_statement, made};
pub(crate) use together::{Amiss, Table};
pub(crate) use view::{Own, OwnStates, Taken};
pub(crate) use whole::value_words;
pub(crate) use world::{CompiledRule, MessagePart};
