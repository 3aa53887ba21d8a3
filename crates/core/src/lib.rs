//! The core of Cognomen: what one game's definitions mean, and what a mod does to them.
//!
//! The flow, each room using only those before it: `source` (files) → `document` (trees with spans,
//! lossless edits) → `rulebook` (kinds, fields, rules) → `workspace` (manifests, load order) → `catalog`
//! (definitions of all layers) → `expression` (rules and filters) → `effective` (values as the game sees
//! them, with origins) → `settle` (what a layer means) → `check` (findings), `look` (find, show), `author` (changes), `ship` (builds).
//! Nothing here prints, or reads the clock for an answer, the environment or the working directory.
#![deny(missing_docs, unreachable_pub)]

mod author;
mod catalog;
mod check;
#[cfg(any(test, feature = "plant"))]
mod dice;
mod document;
mod effective;
mod expression;
mod look;
mod names;
mod nearest;
mod own;
#[cfg(any(test, feature = "plant"))]
mod plant;
mod rulebook;
mod said;
mod settle;
mod ship;
mod source;
#[cfg(test)]
mod trials;
mod workspace;

pub use author::{AdoptReport, adopt};
pub use author::{
    Assignment, AssignmentError, Assigns, Changed, CopyOptions, DeleteError, DeleteOptions, DeleteReport, EDITIONS,
    Follows, InsteadReport, Join, KeptEdition, LeftUse, MadeReport, ManyOptions, ManyReport, MendReport, Mended,
    MoveOptions, MoveReport, NewMod, NewOptions, NewText, RenameOptions, RenameReport, RenamedMod, SaidTexts,
    SelectError, Selection, SetError, SetOptions, SetReport, SheetCell, SheetColumn, Single, Start, StartingPoint,
    copy, delete, fits_field, group_instead, in_workspace_file, join_group, keep_edition, lacking_fields, linked_ids,
    mend, move_definitions, new_definition, new_definitions, new_group, new_mod, plan_copy, rename, rename_mod,
    requirement_for, row_assignments, say_texts, select, set, set_many, sheet_columns, sheet_row, site, takes_matches,
    usable_form, usable_id, with_matches,
};
pub use author::{CapturedLine, captured_assignments, captured_lines};
pub use author::{PasteError, PasteFault, PasteReport, paste, paste_entries};
pub use catalog::{
    Address, AmendId, Catalog, DefId, Definition, File, Layer, LayerId, LayerSet, LoadError, Seen, amendments_reference,
};
pub use check::{
    CHECKS, Check, CheckReport, Finding, Mend, Related, SummedUp, Together, Whose, by_cause, check, check_watched,
    clashing, findings_reference, summed_up,
};
pub use document::{
    DEPTH_LIMIT, Document, Draft, Edit, EditError, Fault, FieldPath, Format, Lenient, Node, NodeId, NodeRef, Notation,
    Number, PathError, SIZE_LIMIT, Shape, Splice, Step, edit, json_line, splice,
};
pub use effective::{Content, Effective, How, Joining, Mark, Origin, Value, View, World};
pub use expression::{Expression, ExpressionError, expressions_reference};
pub use look::{
    Alike, Among, Belonging, Bin, ComparedRow, Coverage, End, Filter, FindError, FindOptions, FindReport, Found, Gap,
    GroupsReport, Hit, KindCoverage, LanguageTexts, Link, LinkCoverage, LinkHow, LinksReport, ModTexts, Originals, Row,
    Sample, Series, Shown, ShownStep, SpreadError, SpreadOptions, SpreadReport, Subject, TRANSLATIONS_FILE, TextRow,
    TextState, Twin, YOUR_NOTE, all_groups, compare, coverage, examples, find_definitions, groups_around, known_field,
    links, mod_texts, nearest_subject, show, spread, subject, text_key, twins,
};
pub use look::{Claim, Meets, NumberSpace, compared_with_claims, number_spaces};
pub use look::{Lost, SavedError, SavedReport, Vanished, is_saved_game, saved, saved_game_folders, vanished};
pub use names::{Names, Sym, readable};
pub use nearest::nearest;
pub use own::OwnFault;
#[cfg(any(test, feature = "plant"))]
pub use plant::{Bed, Class, Planted, classes};
pub use rulebook::{
    Again, FieldType, Game, Kind, KindId, ListShape, Rule, Rulebook, Severity, SpaceId, TypeId, load_rulebook,
    rulebook_reference,
};
pub use rulebook::{Condition, Drafted, DraftedManifest, LeftOut, RawData, drafted_manifest};
pub use said::{Fact, Said};
pub use settle::{
    Against, Beside, Change, ChangeLine, ChangeOp, ChangedDefinition, ChangesReport, Clashes, Contradiction, Hanging,
    HistoryStep, MovedOn, Stale, StaleWhat, State, TextChange, Undone, changes, clashes, commute, difference, history,
    intents, meant,
};
pub use ship::{
    BuildError, BuildPlan, BuildRecord, BuildReport, BuiltFile, OutputError, build, build_with, plan_output,
};
pub use ship::{
    Enabling, InstallError, InstallPlan, Installation, RemovePlan, Replaced, Standing, defines, game_folder,
    plan_install, plan_removal, standing,
};
pub use ship::{Pack, PackError, archive, pack};
pub use source::{
    Archives, Bounds, ChangeSet, CutOff, Disk, FailingDisk, FileChange, FileId, FolderSource, Keep, Lines, Listed,
    MemorySource, Overlay, PathFault, Place, Position, RealDisk, Recorded, Refusal, RelPath, Source, SourceError, Span,
    Stamp, StepMade, Steps, WriteError, Writer, Written, cell_at, changed_workbook, entangled, settled, sheet_in,
    slashed,
};
pub use workspace::{
    ACCEPTED_FILE, Acceptance, Claims, Edition, Manifest, NOTES_FILE, NamedMod, Note, StandsOn, WORKSPACE_FILE,
    WorkspaceFile, accept, read_workspace_file, workspace_reference, write_notes,
};
