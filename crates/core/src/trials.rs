//! Trials of the whole core on games made by chance, in many notations: what is written is what was meant.

mod adopted;
mod alone;
mod around;
mod built;
mod by_hand;
mod dependent;
mod games;
mod linked;
mod meant;
mod naming;
mod pasted;
mod planted;
mod renamed;
mod sessions;
mod shapes;
mod typed;

pub(crate) use built::built_otherwise;
pub(crate) use by_hand::take;

use crate::effective::World;
use crate::source::{Archives, MemorySource};

/// Files in memory with their workbooks opened.
fn opened(source: &MemorySource) -> Archives<MemorySource> {
    Archives::new(source.clone())
}

/// What is read of files in memory.
fn load(source: &MemorySource) -> Result<World, crate::LoadError> {
    World::load(&opened(source))
}

/// The seeds to try: `COGNOMEN_START` and `COGNOMEN_COUNT` choose others than the usual ones.
pub(crate) fn seeds(usual: u64) -> std::ops::Range<u64> {
    let number = |name: &str, usual: u64| std::env::var(name).ok().and_then(|n| n.parse().ok()).unwrap_or(usual);
    let start = number("COGNOMEN_START", 1);
    start..start + number("COGNOMEN_COUNT", usual)
}
