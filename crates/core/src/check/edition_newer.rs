//! `edition-newer`.

use super::edition_lacking::of_mods;
use super::registry::Check;
use crate::rulebook::Severity;
use crate::workspace::MadeFor;

pub(super) static CHECK: Check = Check {
    code: "edition-newer",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a mod was made for a newer edition of the base than the one that is here",
    finds: "A mod whose manifest names a newer version of the game than the base here.",
    matters: "What it builds on may not be there yet, and findings about it may be wrong.",
    example: "# mod.json of a mod, where the base is 1.2\n\"made_for\": \"1.3\"",
    mend: "Point the workspace at the newer base and say its version under `edition` in `cognomen.toml`. `cognomen keep` keeps the older one first.",
    accept: "If the mod is known to work with the base that is here.",
    run: |context, findings| of_mods(context, MadeFor::Newer, &CHECK, findings),
};
