//! Which ids a new definition can have.

use super::requirement::writable;
use super::set::SetError;
use crate::catalog::{Address, Catalog, LayerId};
use crate::effective::World;
use crate::rulebook::{Again, KindId, NameFrom};

/// Refuses an id that is taken, or that ids of mods cannot be. Where the command takes a name, too, what was meant as one is
/// told to be said so.
///
/// # Errors
/// Why it cannot be used.
pub fn usable_id(world: &World, layer: LayerId, (kind, id): (KindId, &str), takes_name: bool) -> Result<(), SetError> {
    let catalog = &world.catalog;
    writable(&world.catalog, layer)?;
    let described = catalog.rulebook.kind(kind);
    let shown = format!("{}/{id}", described.name());
    if id.is_empty() {
        return Err(SetError::Problem("an id is needed".to_owned()));
    }
    // what is made of other words is no path, and may have a colon
    let made = matches!(described.name_from.first(), Some(NameFrom::Template(_)));
    if let Some(reason) = leads_away(id, !made).map(str::to_owned).or_else(|| catalog.rulebook.unfit_id(kind, id)) {
        let kind = described.name();
        let article = crate::rulebook::article(kind);
        return Err(SetError::Problem(format!("`{id}` cannot be the id of {article} {kind}: {reason}")));
    }
    // what others define of some kinds stays beside it
    let beside = |at: Address| catalog.stack(at).all(|(_, made)| made.again == Again::Variant && made.layer != layer);
    let taken = catalog.address(kind, id).filter(|at| catalog.stacks.has(*at));
    if let Some(address) = taken.filter(|at| !beside(*at)) {
        let layer = catalog.stack(address).last().map(|(_, d)| catalog.layer(d.layer).id.clone()).unwrap_or_default();
        let help = format!("`cognomen set {shown} …` changes it");
        return Err(SetError::Problem(format!("`{shown}` is there already, from {layer}\n  help: {help}")));
    }
    if let Some(closed) = &described.closed {
        let message = format!("mods cannot add {} {}", crate::rulebook::article(described.name()), described.name());
        let help = if closed.is_empty() { String::new() } else { format!("\n  help: {closed}") };
        return Err(SetError::Problem(message + &help));
    }
    if let Some(policy) = &described.ids {
        let prefix = policy.prefix.as_ref().map(|prefix| prefix.replace("{mod}", &catalog.layer(layer).id));
        usable_form(catalog, kind, id, takes_name)?;
        if let Some(prefix) = prefix.filter(|prefix| !id.starts_with(prefix.as_str())) {
            let message = format!("ids of mods begin with `{prefix}`\n  help: write `{prefix}{id}`");
            return Err(SetError::Problem(message));
        }
    }
    Ok(())
}

/// Refuses an id that has not the form of its kind's ids; says one that has, made of the same words.
///
/// # Errors
/// Why it cannot be used.
pub fn usable_form(catalog: &Catalog, kind: KindId, id: &str, takes_name: bool) -> Result<(), SetError> {
    let described = catalog.rulebook.kind(kind);
    let form = described.ids.as_ref().and_then(|policy| policy.form.as_ref());
    let Some(form) = form.filter(|form| !form.fits(id)) else { return Ok(()) };
    let article = crate::rulebook::article(described.name());
    let fits = |at: &Address| catalog.kind_of(*at) == Some(kind) && form.fits(catalog.names.text(at.id));
    let known = catalog.addresses().into_iter().find(fits);
    let known = known.map(|at| format!(", as `{}`", catalog.names.text(at.id))).unwrap_or_default();
    let mut message =
        format!("`{id}` cannot be the id of {article} {}: ids look like `{}`{known}", described.name(), form.source);
    let words = |joint: &str| {
        let words = id.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty());
        words.map(str::to_lowercase).collect::<Vec<_>>().join(joint)
    };
    let fitting = ["-", "_", "", ".", ":"].iter().map(|joint| words(joint)).find(|id| form.fits(id));
    if let Some(fitting) = fitting {
        let readable = match takes_name && id.contains(' ') {
            true => format!(", with `--name \"{id}\"` for what players read"),
            false => String::new(),
        };
        message.push_str(&format!("\n  help: `{fitting}` fits{readable}"));
    }
    Err(SetError::Problem(message))
}

/// Why an id is like a path that leads somewhere else.
fn leads_away(id: &str, drives: bool) -> Option<&'static str> {
    let drive = id
        .split_once(':')
        .is_some_and(|(drive, _)| matches!(drive.as_bytes(), [letter] if letter.is_ascii_alphabetic()));
    match id {
        _ if id.contains('\\') => Some("it holds a backslash"),
        _ if id.starts_with('/') => Some("it starts at the top of a disk, as a path would"),
        _ if drive && drives => Some("it names a drive, as a path would"),
        _ if id.split(['/', ':']).any(|part| part == "..") => Some("`..` in it leads elsewhere, as in a path"),
        _ => None,
    }
}
