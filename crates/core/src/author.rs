//! Changing definitions: each operation returns a change set, and what it comes to.

mod assign;
mod read;
mod requirement;
mod set;

#[cfg(test)]
mod tests;

pub use assign::{Assignment, AssignmentError, Assigns};
pub use requirement::requirement_for;
pub use set::{Changed, SetError, SetOptions, SetReport, set};
