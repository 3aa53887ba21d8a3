//! The workspace: its file, the mods' manifests, the load order.

mod accepted;
mod edition;
mod file;
mod manifest;
mod notes;
mod order;
mod version;

pub use accepted::{ACCEPTED_FILE, Acceptance, accept};
pub use edition::Edition;
pub use file::{Claims, StandsOn, WORKSPACE_FILE, WorkspaceFile, read_workspace_file, workspace_reference};
pub use manifest::{Manifest, NamedMod};
pub use notes::{NOTES_FILE, Note, write_notes};

pub(crate) use accepted::read_accepted;
pub(crate) use edition::{MadeFor, made_for};
pub(crate) use manifest::{MadeManifest, read_manifest};
pub(crate) use notes::read_notes;
pub(crate) use order::{OrderFault, Orderable, load_order};
pub(crate) use version::satisfies;
