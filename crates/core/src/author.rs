//! Changing definitions: each operation returns a change set, and what it comes to.

mod assign;
mod set;

pub use assign::{Assignment, AssignmentError, Assigns};
pub use set::{Changed, SetError, SetOptions, SetReport, requirement_for, set};
