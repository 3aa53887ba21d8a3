//! One file per command: arguments, checked options, one call into the core, one rendering.

mod adopt;
mod build;
mod capture;
mod changes;
mod check;
mod clashes;
mod compare;
mod completions;
mod copy;
mod delete;
mod demo;
mod explain;
mod find;
mod ids;
mod init;
mod install;
mod keep;
mod kinds;
mod links;
mod mods;
mod note;
mod pack;
mod paste;
mod players;
mod relocate;
mod rename;
mod set;
mod sheet;
mod show;
mod spread;
mod state;
mod tag;
mod takes_up;
mod text;
mod undo;
mod watch;

pub(crate) use adopt::{AdoptArgs, adopt};
pub(crate) use build::{BUILDING, BuildArgs, build};
pub(crate) use capture::{CaptureArgs, capture};
pub(crate) use changes::{ChangesArgs, changes};
pub(crate) use check::{CheckArgs, check};
pub(crate) use clashes::{ClashesArgs, clashes};
pub(crate) use compare::{CompareArgs, compare};
pub(crate) use completions::{CompletionsArgs, completions};
pub(crate) use copy::{CopyArgs, NewArgs, copy, new};
pub(crate) use delete::{DeleteArgs, delete};
pub(crate) use demo::{DemoArgs, demo};
pub(crate) use explain::{ExplainArgs, explain};
pub(crate) use find::{FindArgs, find};
pub(crate) use ids::{IdsArgs, ids};
pub(crate) use init::{InitArgs, init};
pub(crate) use install::{GameFolder, InstallArgs, game_folders, install, installations, installed_moved};
pub(crate) use keep::{KeepArgs, keep};
pub(crate) use kinds::{KindsArgs, kinds};
pub(crate) use links::{LinksArgs, links};
pub(crate) use mods::{ModsArgs, mods};
pub(crate) use note::{NoteArgs, note};
pub(crate) use pack::{LastPack, PackArgs, pack};
pub(crate) use paste::{PasteArgs, paste};
pub(crate) use relocate::{MoveArgs, relocate};
pub(crate) use rename::{RenameArgs, rename};
pub(crate) use set::{SetArgs, set};
pub(crate) use sheet::{SheetArgs, sheet};
pub(crate) use show::{ShowArgs, show};
pub(crate) use spread::{SpreadArgs, spread};
pub(crate) use state::{StateArgs, state};
pub(crate) use tag::{TagArgs, tag};
pub(crate) use text::{TextArgs, text};
pub(crate) use undo::{RedoArgs, UndoArgs, redo, undo};
pub(crate) use watch::{WatchArgs, watch};

use cognomen_core::{ExpressionError, Finding, LayerId, SelectError, Severity};

use crate::output::{count, visible};
use crate::session::{Opened, Session};

/// How a command ended.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Done {
    /// As wanted.
    Well,
    /// Done, and there are findings of severity error.
    WithErrors,
}

/// Why a command did not do what it was asked.
#[derive(Debug)]
pub(crate) enum Failure {
    /// It was asked in a wrong way.
    Usage(String),
    /// It could not be done; nothing was changed.
    Could(anyhow::Error),
}

impl Failure {
    /// The exit code.
    pub(crate) fn code(&self) -> u8 {
        match self {
            Failure::Usage(_) => 2,
            Failure::Could(_) => 3,
        }
    }
}

impl std::fmt::Display for Failure {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Failure::Usage(message) => f.write_str(message),
            Failure::Could(error) => f.write_str(&without_number(&format!("{error:#}"))),
        }
    }
}

/// A text without the numbers that operating systems give their errors.
fn without_number(text: &str) -> String {
    let mut parts = text.split(" (os error ");
    let mut out = parts.next().unwrap_or_default().to_owned();
    for part in parts {
        out.push_str(part.split_once(')').map_or(part, |(_, behind)| behind));
    }
    out
}

/// Why a file or folder could not be made.
pub(crate) fn unmade(path: &std::path::Path, error: &std::io::Error) -> anyhow::Error {
    anyhow::anyhow!("`{}` cannot be made: {error}", path.display())
}

impl From<anyhow::Error> for Failure {
    fn from(error: anyhow::Error) -> Self {
        Failure::Could(error)
    }
}

/// What was typed as an expression and is none.
fn no_expression(error: ExpressionError) -> Failure {
    let help = error.help.map(|help| format!("\n  help: {help}")).unwrap_or_default();
    Failure::Usage(format!("{}{help}", error.message))
}

/// Checks a workspace before a mod leaves it. Its errors, which stop it unless it goes `anyway`.
fn errors_of(
    opened: &Opened,
    layer: LayerId,
    anyway: bool,
    does: &str,
    session: &mut Session,
) -> Result<Vec<Finding>, Failure> {
    let findings = cognomen_core::check(&opened.world);
    crate::record::checked(opened, &findings, session);
    let own = findings.into_iter().filter(|finding| finding.is_told_of(layer) && finding.severity == Severity::Error);
    let own: Vec<Finding> = own.collect();
    if own.is_empty() || anyway {
        return Ok(own);
    }
    let shown = visible(&opened.catalog().layer(layer).id);
    let message = format!("`{shown}` has {}", count(own.len(), "error", "errors"));
    let help = format!("`cognomen check --mod {shown}` shows them; `--anyway` {does} it all the same");
    Err(anyhow::anyhow!("{message}\n  help: {help}").into())
}

/// Why definitions were not selected, or not changed.
fn not_selected(error: SelectError) -> Failure {
    match error {
        SelectError::Condition(error) => no_expression(error),
        error => copy::refused(error),
    }
}

/// Says what comes after a change of a mod.
fn check_next(opened: &Opened, layer: LayerId, session: &mut Session) {
    session.remark(format!("next: `cognomen check --mod {}`", opened.catalog().layer(layer).id));
}
