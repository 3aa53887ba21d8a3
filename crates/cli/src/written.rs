//! What this process wrote, so that a panic can say it.

use std::sync::{Mutex, PoisonError};

use cognomen_core::{Bounds, ChangeSet, Keep, Writer};

use crate::commands::Failure;
use crate::output::{clean, visible};

/// Files written by this process, for the panic hook.
static WRITTEN: Mutex<Vec<String>> = Mutex::new(Vec::new());

/// Says on a panic what was written and what was not.
pub fn install_panic_hook() {
    std::panic::set_hook(Box::new(|panic| {
        let written = WRITTEN.lock().unwrap_or_else(PoisonError::into_inner);
        let place = panic.location().map(|place| format!(" at {}:{}", place.file(), place.line())).unwrap_or_default();
        let reason = panic.payload().downcast_ref::<&str>().map(|text| (*text).to_owned());
        let reason = reason.or_else(|| panic.payload().downcast_ref::<String>().cloned()).unwrap_or_default();
        eprintln!("cognomen stopped because of a fault of its own{place}: {}", clean(&reason));
        match written.as_slice() {
            [] => eprintln!("Nothing was written."),
            files => {
                eprintln!("Written completely before that: {}. Nothing else was written.", visible(&files.join(", ")))
            }
        }
        eprintln!("Please report this, with the command and the file that was read.");
        // as after any panic, also where none is unwound
        std::process::exit(101);
    }));
}

/// Writes a change, and keeps in mind what was written.
pub(crate) fn commit(
    writer: &Writer,
    changes: &ChangeSet,
    bounds: &Bounds,
    what: &str,
    keep: Keep,
) -> Result<(), Failure> {
    let written = writer.commit(changes, bounds, what, keep)?;
    WRITTEN.lock().unwrap_or_else(PoisonError::into_inner).extend(written.paths);
    Ok(())
}
