//! Checks: what is wrong with a workspace, where, and what the nearest right answer is.
//!
//! One file per check; the registry is sorted by code. A check reads the resolved world and collects
//! findings; it prints nothing.

mod amendment_fault;
mod amends_nothing;
mod astray;
mod cannot_be_built;
mod context;
mod entry_twice;
mod field_lacking;
mod field_not_known;
mod file_broken;
mod file_lacking;
mod file_not_read;
mod finding;
mod id_twice;
mod key_twice;
mod leads_nowhere;
mod manifest_fault;
mod not_a_choice;
mod out_of_range;
mod parent_circle;
mod parent_lacking;
mod registry;
mod requirement_circle;
mod requirement_lacking;
mod requirement_undeclared;
mod rule_broken;
mod rulebook_fault;
mod type_mismatch;
mod workspace_fault;

#[cfg(test)]
mod tests;

pub use finding::{Finding, Related};
pub use registry::{CHECKS, Check, check, check_watched, findings_reference};
