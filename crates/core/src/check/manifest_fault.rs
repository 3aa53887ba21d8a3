//! `manifest-fault`.

use super::registry::Check;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "manifest-fault",
    severity: Severity::Error,
    since: "0.1",
    summary: "a mod's manifest that is missing or unusable",
    finds: "A folder among the mods without a manifest, a manifest without an id, two mods with one id.",
    matters: "The game does not load the mod.",
    example: "mods/first-steps/mod.jsn      # the manifest is mod.json",
    mend: "Put the manifest there under its right name, with an id that no other mod has.",
    accept: "For a folder that is no mod: move it elsewhere instead.",
    run: |context, findings| context.own_faults(&CHECK, findings),
};
