//! The old id as a further name, for what was saved with it.

use super::RenameReport;
use crate::author::assign::Assignment;
use crate::author::place::{New, put};
use crate::author::rewrites::layer_again;
use crate::author::set::{SetError, SetOptions, set, unread};
use crate::catalog::LayerId;
use crate::document::Draft;
use crate::effective::World;
use crate::rulebook::KindId;
use crate::source::ChangeSet;

/// Leaves the old id as a further name, in a field or a record, where the game knows such; a further name that is the
/// new id goes.
pub(super) fn alias(
    mut after: World,
    layer: LayerId,
    kind: KindId,
    (old, new): (&str, &str),
    report: &mut RenameReport,
) -> Result<(), SetError> {
    let id = after.catalog.layer(layer).id.clone();
    let layer = layer_again(&after, &id)?;
    if let Some(path) = after.catalog.rulebook.kind(kind).aliases.first().cloned() {
        let known = after.catalog.address(kind, new).and_then(|address| after.view().effective(address));
        let known = known.and_then(|effective| effective.get(&after.catalog, &path));
        let was_alias = known.is_some_and(|value| {
            let items = value.items(&after.catalog);
            items.iter().any(|item| item.word(&after.catalog).as_deref() == Some(new))
        });
        let sign = |text: &str, word: &str| Assignment::parse(&format!("{path}{text}{word}"));
        let mut assignments = vec![sign("+=", old)?];
        if was_alias {
            assignments.insert(0, sign("-=", new)?);
        }
        let (shown, path) = (new.to_owned(), path.to_string());
        let options = SetOptions { layer, kind, id: shown, assignments, why: None, at_anchor: false };
        let more = set(&mut after, &options)?.changes;
        report.changes = std::mem::take(&mut report.changes).then(more);
        report.alias = Some(format!("`{path}` keeps `{old}`, for what was saved with it"));
        return Ok(());
    }
    let record = after.catalog.rulebook.kinds().find_map(|(record, described)| {
        let renames = described.renames.as_ref().filter(|renames| renames.kind == kind)?;
        Some((record, described.name().to_owned(), renames.from.clone(), renames.to.clone()))
    });
    let Some((record, name, from, to)) = record else { return Ok(()) };
    let mut draft = Draft::Table(Vec::new());
    draft.lay_in(to.steps(), Draft::Text(new.to_owned()), true);
    draft.lay_in(from.steps(), Draft::Text(old.to_owned()), true);
    let written = put(&after.catalog, layer, record, &[New { id: String::new(), draft, original: None }]);
    let read = written.and_then(|files| {
        let changes: ChangeSet = files.into();
        after.take_in(layer, &changes).map_err(unread)?;
        let leads = after.catalog.address(kind, old).map(|address| after.view().current(address));
        match leads.is_some() && leads == after.catalog.address(kind, new) {
            true => Ok(changes),
            false => Err(SetError::Problem("nothing would read it where it would be written".to_owned())),
        }
    });
    report.alias = Some(match read {
        Ok(changes) => {
            report.changes = std::mem::take(&mut report.changes).then(changes);
            format!("a {name} leads from `{old}` to `{new}`, for what was saved with it")
        }
        // the id is another one all the same
        Err(error) => format!("no {name} was written for what was saved with `{old}`: {error}"),
    });
    Ok(())
}
