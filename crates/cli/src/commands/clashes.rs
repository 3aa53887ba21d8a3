//! `clashes`.

use cognomen_core::{
    Address, Change, ChangeOp, Clashes, Contradiction, Hanging, LayerId, Place, Undone, clashes as looked_up,
};

use super::{Done, Failure};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, HEAD, ID, Places, Table, count, draft_json, paint, place_json, value, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen clashes                  what goes wrong only because several mods are there
  cognomen clashes long-night       what of it concerns one mod")]
pub(crate) struct ClashesArgs {
    /// Only what concerns this mod
    layer: Option<String>,
}

pub(crate) fn clashes(args: &ClashesArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let only = args.layer.as_deref().map(|id| opened.layer(id)).transpose()?;
    let mut found = looked_up(&opened.world);
    if let Some(only) = only {
        found.contradictions.retain(|clash| clash.first.0 == only || clash.second.0 == only);
        found.undone.retain(|lost| lost.by.0 == only || lost.culprit.is_some_and(|(layer, _)| layer == only));
        found.hanging.retain(|lost| lost.by.0 == only || lost.gone.as_ref().is_some_and(|(layer, _)| *layer == only));
    }
    match global.json() {
        true => json(&opened, &found, session),
        false => human(&opened, &found, session),
    }
    session.timings(global);
    Ok(Done::Well)
}

/// A change in words: `sets 12`, `multiplies by 1.5`.
fn words(change: &Change) -> String {
    match &change.op {
        ChangeOp::Exists => "states it".to_owned(),
        ChangeOp::Define(_) => "defines it anew".to_owned(),
        ChangeOp::Delete => "removes it".to_owned(),
        ChangeOp::Set(draft) => format!("sets {}", value(draft)),
        ChangeOp::Unset => "takes it back".to_owned(),
        ChangeOp::Hide => "takes it away".to_owned(),
        ChangeOp::Join(draft) => format!("adds {}", value(draft)),
        ChangeOp::Part(draft) => format!("takes {} out", value(draft)),
        ChangeOp::Scale(by) => format!("multiplies by {by}"),
        ChangeOp::Shift(by) => format!("adds {by}"),
    }
}

struct Drawing<'o> {
    opened: &'o Opened,
    places: Places<'o>,
}

impl Drawing<'_> {
    fn layer(&self, layer: LayerId) -> String {
        self.opened.catalog().layer(layer).id.clone()
    }

    /// Where a change stands: where it is stated, else the layer's definition.
    fn place_of(&self, layer: LayerId, change: &Change) -> Option<Place> {
        let catalog = self.opened.catalog();
        let defined = || catalog.defined_in(change.at, layer).map(|made| catalog.node(made.at()).place());
        change.stated.or_else(defined)
    }

    fn row(&self, table: &mut Table, layer: LayerId, what: String, place_at: Option<Place>, more: &str) {
        table.row([
            (format!("  {}", visible(&self.layer(layer))), ID),
            (visible(&what), CHANGE),
            (place_at.map(|at| self.places.place(at)).unwrap_or_default(), FAINT),
            (more.to_owned(), FAINT),
        ]);
    }

    fn change(&self, table: &mut Table, (layer, change): &(LayerId, Change), more: &str) {
        self.row(table, *layer, words(change), self.place_of(*layer, change), more);
    }

    fn head(&self, table: &mut Table, at: Address, path: String) {
        let address = self.opened.catalog().show_address(at);
        table.row([(format!("{} {}", visible(&address), visible(&path)).trim().to_owned(), HEAD)]);
    }

    fn contradictions(&self, all: &[Contradiction], session: &mut Session) {
        let mut table = Table::default();
        for clash in all {
            self.head(&mut table, clash.second.1.at, clash.second.1.path.to_string());
            self.change(&mut table, &clash.first, "");
            self.change(&mut table, &clash.second, "loads later and wins");
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
    }

    fn undone(&self, all: &[Undone], session: &mut Session) {
        let mut table = Table::default();
        let shown = |draft: &Option<cognomen_core::Draft>| draft.as_ref().map_or("nothing".to_owned(), value);
        for lost in all {
            self.head(&mut table, lost.at, lost.path.to_string());
            let what = format!("{}, meant {}, shows {}", words(&lost.by.1), shown(&lost.meant), shown(&lost.shows));
            self.row(&mut table, lost.by.0, what, self.place_of(lost.by.0, &lost.by.1), "");
            if let Some((layer, at)) = lost.culprit {
                self.row(&mut table, layer, "carries the old value along".to_owned(), at, "");
            }
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
    }

    fn hanging(&self, all: &[Hanging], session: &mut Session) {
        let mut table = Table::default();
        for lost in all {
            self.head(&mut table, lost.by.1.at, lost.by.1.path.to_string());
            self.change(&mut table, &lost.by, "");
            if let Some(gone) = &lost.gone {
                self.change(&mut table, gone, "so there is nothing to change");
            }
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
    }
}

fn human(opened: &Opened, found: &Clashes, session: &mut Session) {
    let drawing = Drawing { opened, places: Places::new(opened.catalog()) };
    let parts = [
        count(found.contradictions.len(), "contradiction", "contradictions"),
        format!("{} undone", count(found.undone.len(), "change", "changes")),
        format!("{} left hanging", count(found.hanging.len(), "change", "changes")),
    ];
    let total = found.contradictions.len() + found.undone.len() + found.hanging.len();
    if total == 0 {
        session.say("no clashes: what each mod means is what shows");
        return;
    }
    session.say(parts.join(", "));
    if !found.contradictions.is_empty() {
        session.say("");
        session.say(paint(FAINT, "contradictions: the order of the two decides"));
        drawing.contradictions(&found.contradictions, session);
    }
    if !found.undone.is_empty() {
        session.say("");
        session.say(paint(FAINT, "undone: a mod takes back another's change without meaning to"));
        drawing.undone(&found.undone, session);
    }
    if !found.hanging.is_empty() {
        session.say("");
        session.say(paint(FAINT, "left hanging: what is changed is no longer there"));
        drawing.hanging(&found.hanging, session);
    }
}

fn json(opened: &Opened, found: &Clashes, session: &mut Session) {
    let catalog = opened.catalog();
    let drawing = Drawing { opened, places: Places::new(opened.catalog()) };
    let side = |(layer, change): &(LayerId, Change)| {
        serde_json::json!({
            "mod": drawing.layer(*layer), "does": words(change), "why": change.why,
            "place": drawing.place_of(*layer, change).map(|at| place_json(catalog, at)),
        })
    };
    let contradiction = |clash: &Contradiction| {
        serde_json::json!({
            "address": catalog.show_address(clash.second.1.at), "path": clash.second.1.path.to_string(),
            "first": side(&clash.first), "second": side(&clash.second),
        })
    };
    let undone = |lost: &Undone| {
        serde_json::json!({
            "address": catalog.show_address(lost.at), "path": lost.path.to_string(), "by": side(&lost.by),
            "meant": lost.meant.as_ref().map(draft_json), "shows": lost.shows.as_ref().map(draft_json),
            "culprit": lost.culprit.map(|(layer, at)| serde_json::json!({"mod": drawing.layer(layer), "place": at.map(|at| place_json(catalog, at))})),
        })
    };
    let hanging = |lost: &Hanging| {
        serde_json::json!({
            "address": catalog.show_address(lost.by.1.at), "path": lost.by.1.path.to_string(),
            "by": side(&lost.by), "gone": lost.gone.as_ref().map(side),
        })
    };
    session.json(&serde_json::json!({
        "format": 1,
        "contradictions": found.contradictions.iter().map(contradiction).collect::<Vec<_>>(),
        "undone": found.undone.iter().map(undone).collect::<Vec<_>>(),
        "hanging": found.hanging.iter().map(hanging).collect::<Vec<_>>(),
    }));
}
