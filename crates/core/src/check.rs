//! Checks: what is wrong with a workspace, where, and what the nearest right answer is.
//!
//! One file per check; the registry is sorted by code. A check reads the resolved world and collects
//! findings; it prints nothing.

mod accepted_gone;
mod amendment_fault;
mod amendment_without_effect;
mod amends_nothing;
mod astray;
mod beyond_reliable;
mod cannot_be_built;
mod case_twin;
mod cause;
mod change_undone;
mod changed;
mod composed;
mod context;
mod contradicts_itself;
mod copy_leftover;
mod count_out_of_bounds;
mod derived_stale;
mod edition_lacking;
mod edition_newer;
mod entry_twice;
mod far_outside;
mod field_lacking;
mod field_not_known;
mod field_of_another_sort;
mod field_retired;
mod file_broken;
mod file_case;
mod file_lacking;
mod file_not_read;
mod files;
mod finding;
mod follows;
mod formula_broken;
mod id_not_allowed;
mod id_twice;
mod key_twice;
mod kind_closed;
mod leads_nowhere;
mod left_hanging;
mod lost;
mod manifest_fault;
mod member_circle;
mod member_of_another_kind;
mod mend;
mod mods_exclude;
mod name_with_ending;
mod needs_another;
mod not_a_choice;
mod nothing_leads_there;
mod one_of_several;
mod operation_without_effect;
mod out_of_range;
mod parent_circle;
mod parent_lacking;
mod range_reversed;
mod reach;
mod reader_refuses;
mod registry;
mod repeats_inherited;
mod requirement_circle;
mod requirement_lacking;
mod requirement_undeclared;
mod requirement_version;
mod retired_yet_used;
mod rule_broken;
mod rulebook_fault;
mod set_incomplete;
mod shape_mismatch;
mod stale_copy;
mod summed_up;
mod target_removed;
mod target_unfit;
mod text_lacking;
mod text_malformed;
mod together;
mod token_not_filled;
mod told;
mod type_mismatch;
mod value_not_unique;
mod word_not_known;
mod workspace_fault;

#[cfg(test)]
mod bounds;
#[cfg(test)]
pub(crate) mod tests;

pub use cause::by_cause;
pub(crate) use context::{Context, Shared};
pub use finding::{Finding, Related, Whose};
pub use mend::Mend;
pub use registry::{CHECKS, Check, CheckReport, check, check_watched, clashing, findings_reference};
pub use summed_up::{SummedUp, summed_up};
pub use together::Together;
