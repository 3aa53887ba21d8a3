//! The workspace: its file, the mods' manifests, the load order.

mod file;
mod manifest;
mod order;

pub use file::{WORKSPACE_FILE, WorkspaceFile, read_workspace_file, workspace_reference};
pub use manifest::Manifest;

pub(crate) use manifest::{MadeManifest, read_manifest};
pub(crate) use order::{OrderFault, Orderable, load_order};
