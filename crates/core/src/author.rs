//! Changing definitions: each operation returns a change set, and what it comes to.

mod adopt;
mod assign;
mod capture;
mod copy;
mod delete;
mod differences;
mod emptied;
mod groups;
mod judged;
mod keep;
mod matches;
mod mend;
mod mods;
mod paste;
mod paste_entries;
mod place;
mod quantities;
mod read;
mod read_back;
mod relocate;
mod rename;
mod requirement;
mod rewrites;
mod set;
mod sheet;
mod stood;
mod taken;
mod texts;
mod usable;

#[cfg(test)]
mod tests;

pub use adopt::{AdoptReport, adopt};
pub use assign::{Assignment, AssignmentError, Assigns};
pub use capture::{CapturedLine, captured_assignments, captured_lines};
pub use copy::{
    CopyOptions, MadeReport, NewOptions, Start, StartingPoint, copy, fits_field, lacking_fields, linked_ids,
    new_definition, new_definitions, plan_copy,
};
pub use delete::{DeleteError, DeleteOptions, DeleteReport, delete};
pub(crate) use differences::differences;
pub use groups::{InsteadReport, Join, Single, group_instead, join_group, new_group};
pub use keep::{EDITIONS, KeptEdition, keep_edition};
pub use matches::{takes_matches, with_matches};
pub use mend::{MendReport, Mended, mend};
pub use mods::{NewMod, RenamedMod, in_workspace_file, new_mod, rename_mod};
pub use paste::{PasteError, PasteFault, PasteReport, paste};
pub use paste_entries::paste_entries;
pub use relocate::{MoveOptions, MoveReport, move_definitions};
pub use rename::{Follows, LeftUse, RenameOptions, RenameReport, rename};
#[cfg(any(test, feature = "plant"))]
pub(crate) use requirement::require;
pub use requirement::requirement_for;
pub use set::{
    Changed, ManyOptions, ManyReport, SelectError, Selection, SetError, SetOptions, SetReport, select, set, set_many,
};
pub use sheet::{SheetCell, SheetColumn, row_assignments, sheet_columns, sheet_row};
pub use texts::{NewText, SaidTexts, say_texts};

pub use place::site;
pub(crate) use place::{Lead, insertions, key_of, new_file, path_of, path_of_one, says_where, uncut, with_names};
pub use usable::{usable_form, usable_id};
