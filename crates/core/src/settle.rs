//! What a layer means to change, as opposed to what it ships (docs/INTENTS.md).
//!
//! Everything is made from two operations: the [`difference`] of two states, and changes applied to a state.
//! A layer's *intents* are what it states, and for whole copies the smallest set of changes that gives what it
//! ships. The *meant* state is the base with all intents applied in load order.

mod apply;
mod cells;
mod change;
mod clash;
mod difference;
mod history;
mod intents;
mod report;
mod said;
mod stale;

#[cfg(test)]
mod tests;
#[cfg(test)]
mod worked;

pub use apply::State;
pub(crate) use cells::step_to;
pub use change::{Change, ChangeOp, commute};
pub(crate) use clash::family;
pub use clash::{Clashes, Contradiction, Hanging, Undone, clashes, meant};
pub use difference::difference;
pub use history::{HistoryStep, history};
pub use intents::intents;
pub use report::{Against, Beside, ChangeLine, ChangedDefinition, ChangesReport, changes};
pub use said::TextChange;
pub use stale::{MovedOn, Stale, StaleWhat};
#[cfg(test)]
pub(crate) use tests::LAWS;
