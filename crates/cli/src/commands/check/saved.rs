//! `check --saved`.

use std::path::Path;

use anyhow::anyhow;
use cognomen_core::{Lost, SavedReport, saved, settled};

use crate::answers::{LostAnswer, SavedAnswer};
use crate::args::Global;
use crate::commands::{Done, Failure, installations};
use crate::output::{CHANGE, FAINT, GOOD, HEAD, ID, Table, count, paint, visible};
use crate::session::{Opened, Session};
use crate::tables::why;

/// So many places of one id are told.
const PLACES: usize = 3;

/// What a saved game holds that nothing defines any more.
pub(super) fn check_saved(
    file: &Path,
    opened: &Opened,
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let shown = file.to_string_lossy().replace('\\', "/");
    let path = session.folder().join(file);
    let bytes = std::fs::read(&path).map_err(|error| anyhow!("cannot read {}: {}", visible(&shown), why(&error)))?;
    let text = String::from_utf8(bytes).map_err(|_| anyhow!("{} is not UTF-8", visible(&shown)))?;
    // below the game's folder, where it lies there
    let full = settled(&path);
    let below = super::super::game_folders(opened).into_iter().find_map(|game| {
        let within = full.strip_prefix(&game.full).ok()?;
        Some(within.to_string_lossy().replace('\\', "/"))
    });
    let view = match &global.edited {
        Some(id) => opened.world.with_ground(opened.layer(id)?),
        None => opened.world.view(),
    };
    let text = text.trim_start_matches('\u{feff}');
    let report = saved(&opened.world, &view, below.as_deref().unwrap_or(&shown), text).map_err(anyhow::Error::from)?;
    let was_of = |lost: &Lost| {
        let all = installations(&opened.root).into_iter();
        let mut of = all.filter(|known| known.defines.contains(&lost.what));
        of.next().map(|known| known.id)
    };
    let lost: Vec<LostAnswer> = report
        .lost
        .iter()
        .map(|lost| LostAnswer {
            what: lost.what.clone(),
            uses: lost.uses.clone(),
            was_of: was_of(lost),
            elsewhere: lost.elsewhere.clone(),
            likely: lost.likely.clone(),
            alias: lost.alias.clone(),
        })
        .collect();
    let done = if lost.is_empty() { Done::Well } else { Done::WithErrors };
    if global.json() {
        session.json(&SavedAnswer { saved: shown, ids: report.ids, lost, game_does: report.game_does });
    } else {
        said(&shown, &report, &lost, global, session);
    }
    Ok(done)
}

/// The mod that defines an id, or did.
fn whose(lost: &LostAnswer) -> String {
    match (&lost.elsewhere, &lost.was_of) {
        (Some(id), _) => format!("`{}` defines it", visible(id)),
        (None, Some(id)) => format!("`{}` defined it when it was installed", visible(id)),
        (None, None) => String::new(),
    }
}

fn said(shown: &str, report: &SavedReport, lost: &[LostAnswer], global: &Global, session: &mut Session) {
    let shown = visible(shown);
    let by = match &global.edited {
        Some(id) => format!("`{}` and what it stands on", visible(id)),
        None => "the load order".to_owned(),
    };
    if lost.is_empty() {
        let ids = count(report.ids, "id", "ids");
        return session.say(format!("{} {shown} loses nothing: {by} knows its {ids}", paint(GOOD, "well:")));
    }
    let gone = count(lost.len(), "id", "ids");
    let verb = if global.edited.is_some() { "do" } else { "does" };
    session.say(paint(CHANGE, &format!("{shown} holds {gone} that {by} {verb} not define")));
    let mut table = Table::default();
    for lost in lost {
        let places: Vec<String> =
            lost.uses.iter().take(PLACES).map(|(at, line)| format!("{} (line {line})", visible(at))).collect();
        let more = match lost.uses.len() {
            all if all > PLACES => format!(" and {} more", all - PLACES),
            _ => String::new(),
        };
        table.row([
            (visible(&lost.what), ID),
            (count(lost.uses.len(), "time", "times"), HEAD),
            (format!("{}{more}", places.join(", ")), FAINT),
            (whose(lost), FAINT),
        ]);
    }
    table.lines("  ").into_iter().for_each(|line| session.say(line));
    for lost in lost {
        let what = visible(&lost.what);
        match (&lost.likely, &lost.alias) {
            (Some(likely), Some(alias)) => {
                let old = visible(lost.what.split_once('/').map_or(lost.what.as_str(), |(_, id)| id));
                let likely = visible(likely);
                session.say(format!("  {what} is most likely `{likely}` now: `cognomen set {likely} {alias}+={old}` keeps the earlier id"));
            }
            (Some(likely), None) => {
                session.say(format!("  {what}: the nearest that there is is `{}`", visible(likely)))
            }
            (None, _) => {}
        }
    }
    if let Some(does) = &report.game_does {
        session.say(paint(FAINT, &format!("  what the game does: {}", visible(does))));
    }
}
