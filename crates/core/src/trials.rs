//! Trials of the whole core on games made by chance, in many notations: what is written is what was meant.

mod adopted;
mod built;
mod games;
mod naming;
mod pasted;
mod sessions;
mod shapes;

pub(crate) use built::built_otherwise;
