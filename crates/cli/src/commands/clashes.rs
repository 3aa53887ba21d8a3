//! `clashes`.

use cognomen_core::{
    Address, Change, ChangeOp, Clashes, Contradiction, Hanging, LayerId, Place, Stale, StaleWhat, Together, Undone,
    clashing,
};

use super::{Done, Failure};
use crate::answers::{
    ClashesAnswer, ContradictionAnswer, HangingAnswer, MovedAnswer, PartAnswer, SideAnswer, StaleAnswer,
    StaleWhatAnswer, TogetherAnswer, UndoneAnswer, value_of,
};
use crate::args::Global;
use crate::output::{
    CHANGE, FAINT, HEAD, ID, Places, Table, count, finding_answer, folded, paint, unshown, value, visible,
};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen clashes                  what goes wrong only because several mods are there
  cognomen clashes long-night       what of it concerns one mod
  cognomen clashes --all            all of it, where there are hundreds

Contradictions hang on the load order; undone changes are meant and do not show; those left hanging have nothing under
them; faults only together are in no mod by itself; stale copies were made for an older edition of the base.")]
pub(crate) struct ClashesArgs {
    /// Only what concerns this mod
    layer: Option<String>,
    /// All of it: without this, of each sort the first fifty where there are many
    #[arg(long)]
    all: bool,
}

pub(crate) fn clashes(args: &ClashesArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open_with_editions(global)?;
    let only = args.layer.as_deref().map(|id| opened.layer(id)).transpose()?;
    let (mut found, mut together) = clashing(&opened.world);
    if let Some(only) = only {
        together.retain(|fault| fault.parts.iter().any(|(layer, _)| *layer == only));
        found.stale.retain(|stale| stale.layer == only);
        found.contradictions.retain(|clash| clash.first.0 == only || clash.second.0 == only);
        found.undone.retain(|lost| lost.by.0 == only || lost.culprit.is_some_and(|(layer, _)| layer == only));
        found.hanging.retain(|lost| lost.by.0 == only || lost.gone.as_ref().is_some_and(|(layer, _)| *layer == only));
    }
    match global.json() {
        true => json(&opened, &found, &together, session),
        false => human(&opened, &found, &together, args, session),
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
        ChangeOp::Append(entries) => format!("appends {}", value(&cognomen_core::Draft::List(entries.clone()))),
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
        let defined = || catalog.defined_in(change.at, layer).map(|made| catalog.definition_place(made.at()));
        change.stated.or_else(defined)
    }

    fn row(&self, table: &mut Table, layer: LayerId, what: String, place_at: Option<Place>, more: &str) {
        table.row([
            (visible(&self.layer(layer)), ID),
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
        let words = format!("{} {}", visible(&address), visible(&path));
        table.head(format!("  {}", paint(HEAD, words.trim())));
    }

    fn contradictions(&self, all: &[Contradiction], session: &mut Session) {
        let mut table = Table::default();
        for clash in all {
            self.head(&mut table, clash.second.1.at, clash.second.1.path.to_string());
            self.change(&mut table, &clash.first, "");
            self.change(&mut table, &clash.second, "loads later and wins");
        }
        table.lines("    ").into_iter().for_each(|line| session.say(line));
    }

    fn undone(&self, all: &[Undone], session: &mut Session) {
        let mut table = Table::default();
        let shown = |draft: &Option<cognomen_core::Draft>| draft.as_ref().map_or("nothing".to_owned(), value);
        for lost in all {
            self.head(&mut table, lost.at, lost.path.to_string());
            let what = format!("{}, meant {}, shows {}", words(&lost.by.1), shown(&lost.meant), shown(&lost.shows));
            self.row(&mut table, lost.by.0, what, self.place_of(lost.by.0, &lost.by.1), "");
            if let Some((layer, at)) = lost.culprit {
                let what = if lost.reckons { "reckons without that" } else { "carries the old value along" };
                self.row(&mut table, layer, what.to_owned(), at, "");
            }
        }
        table.lines("    ").into_iter().for_each(|line| session.say(line));
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
        table.lines("    ").into_iter().for_each(|line| session.say(line));
    }
}

/// So many values of one copy are told.
const TOLD: usize = 6;

impl Drawing<'_> {
    fn together(&self, all: &[Together], session: &mut Session) {
        let mut table = Table::default();
        for fault in all {
            let finding = &fault.finding;
            let path = finding.path.as_ref().map(ToString::to_string).unwrap_or_default();
            if let Some(at) = finding.about {
                self.head(&mut table, at, path);
            }
            let what = format!("{} ({})", finding.message, finding.code);
            table.head(format!("    {}", paint(CHANGE, &visible(&what))));
            for (layer, place) in &fault.parts {
                self.row(&mut table, *layer, String::new(), *place, "");
            }
        }
        table.lines("    ").into_iter().for_each(|line| session.say(line));
    }

    fn stale(&self, all: &[Stale], session: &mut Session) {
        let catalog = self.opened.catalog();
        let now = catalog.edition().unwrap_or("the base");
        let shown = |draft: &Option<cognomen_core::Draft>| draft.as_ref().map_or("nothing".to_owned(), value);
        let mut table = Table::default();
        for stale in all {
            let made_for = self.opened.world.edition_of(stale.layer).unwrap_or_default();
            match &stale.what {
                StaleWhat::Values(at, moved) => {
                    self.head(&mut table, *at, String::new());
                    for moved in moved.iter().take(TOLD) {
                        let what = format!(
                            "{} {} of {made_for}, in {now} it is {}",
                            moved.path,
                            shown(&moved.carries),
                            shown(&moved.now)
                        );
                        let from = moved.from.map(|at| self.places.place(at));
                        self.row(&mut table, stale.layer, what, moved.place, &from.unwrap_or_default());
                    }
                    if moved.len() > TOLD {
                        self.row(&mut table, stale.layer, format!("and {} more", moved.len() - TOLD), None, "");
                    }
                }
                StaleWhat::Gone(at) => {
                    self.head(&mut table, *at, String::new());
                    let place = catalog.defined_in(*at, stale.layer).map(|made| catalog.definition_place(made.at()));
                    self.row(&mut table, stale.layer, format!("brings it back, {now} has given it up"), place, "");
                }
                StaleWhat::Hides(file, gone) => {
                    for at in gone.iter().take(TOLD) {
                        self.head(&mut table, *at, String::new());
                        let path = &catalog.file(*file).path;
                        self.row(&mut table, stale.layer, format!("{path} takes away what {now} has added"), None, "");
                    }
                }
            }
        }
        table.lines("    ").into_iter().for_each(|line| session.say(line));
    }
}

fn human(opened: &Opened, found: &Clashes, together: &[Together], args: &ClashesArgs, session: &mut Session) {
    let drawing = Drawing { opened, places: Places::new(opened.catalog()) };
    let counts = [
        (found.contradictions.len(), "contradiction", "contradictions"),
        (found.undone.len(), "change undone", "changes undone"),
        (found.hanging.len(), "change left hanging", "changes left hanging"),
        (together.len(), "fault only together", "faults only together"),
        (found.stale.len(), "stale copy", "stale copies"),
    ];
    let parts: Vec<String> =
        counts.iter().filter(|(many, ..)| *many > 0).map(|(many, one, more)| count(*many, one, more)).collect();
    if parts.is_empty() {
        session.say("no clashes: what each mod means is what shows");
        return;
    }
    session.say(parts.join(", "));
    section("contradictions: the order of the two decides", &found.contradictions, args, session, |all, session| {
        drawing.contradictions(all, session);
    });
    let title = "undone: a mod takes back another's change without meaning to";
    section(title, &found.undone, args, session, |all, session| drawing.undone(all, session));
    let title = "left hanging: what is changed is no longer there";
    section(title, &found.hanging, args, session, |all, session| drawing.hanging(all, session));
    let title = "only together: no mod has the fault by itself";
    section(title, together, args, session, |all, session| drawing.together(all, session));
    let title = "stale copies: made for an older edition, they undo the update";
    section(title, &found.stale, args, session, |all, session| drawing.stale(all, session));
}

/// What there is of one sort; of many the first, with how the others are seen.
fn section<T>(
    title: &str,
    all: &[T],
    args: &ClashesArgs,
    session: &mut Session,
    draw: impl FnOnce(&[T], &mut Session),
) {
    if all.is_empty() {
        return;
    }
    session.say("");
    session.say(paint(FAINT, title));
    let (shown, more) = folded(all, args.all);
    draw(shown, session);
    let one = if args.layer.is_none() { "`cognomen clashes MOD` shows those of one mod, " } else { "" };
    unshown(more, one).into_iter().for_each(|line| session.say(line));
}

fn json(opened: &Opened, found: &Clashes, together: &[Together], session: &mut Session) {
    let catalog = opened.catalog();
    let drawing = Drawing { opened, places: Places::new(opened.catalog()) };
    let places = Places::new(catalog);
    let full = |at: Option<Place>| at.map(|at| places.full(at));
    let side = |(layer, change): &(LayerId, Change)| SideAnswer {
        layer: drawing.layer(*layer).to_owned(),
        does: words(change),
        why: change.why.clone(),
        place: full(drawing.place_of(*layer, change)),
    };
    let part = |layer: LayerId, place: Option<Place>| PartAnswer {
        layer: drawing.layer(layer).to_owned(),
        place: full(place),
    };
    let contradiction = |clash: &Contradiction| ContradictionAnswer {
        address: catalog.show_address(clash.second.1.at),
        path: clash.second.1.path.to_string(),
        first: side(&clash.first),
        second: side(&clash.second),
    };
    let undone = |lost: &Undone| UndoneAnswer {
        address: catalog.show_address(lost.at),
        path: lost.path.to_string(),
        by: side(&lost.by),
        meant: lost.meant.as_ref().map(value_of),
        shows: lost.shows.as_ref().map(value_of),
        culprit: lost.culprit.map(|(layer, at)| part(layer, at)),
    };
    let hanging = |lost: &Hanging| HangingAnswer {
        address: catalog.show_address(lost.by.1.at),
        path: lost.by.1.path.to_string(),
        by: side(&lost.by),
        gone: lost.gone.as_ref().map(side),
    };
    let fault = |fault: &Together| TogetherAnswer {
        finding: finding_answer(catalog, &places, &fault.finding),
        parts: fault.parts.iter().map(|(layer, place)| part(*layer, *place)).collect(),
    };
    let stale = |stale: &Stale| {
        let value = |moved: &cognomen_core::MovedOn| MovedAnswer {
            path: moved.path.to_string(),
            carries: moved.carries.as_ref().map(value_of),
            now: moved.now.as_ref().map(value_of),
            place: full(moved.place),
            from: full(moved.from),
        };
        let what = match &stale.what {
            StaleWhat::Values(at, moved) => StaleWhatAnswer::Values {
                address: catalog.show_address(*at),
                values: moved.iter().map(value).collect(),
            },
            StaleWhat::Gone(at) => StaleWhatAnswer::Gone { address: catalog.show_address(*at), gone: true },
            StaleWhat::Hides(file, all) => StaleWhatAnswer::Hides {
                file: catalog.file(*file).path.clone(),
                hides: all.iter().map(|at| catalog.show_address(*at)).collect(),
            },
        };
        let made_for = opened.world.edition_of(stale.layer).map(str::to_owned);
        StaleAnswer { layer: drawing.layer(stale.layer).to_owned(), made_for, what }
    };
    session.json(&ClashesAnswer {
        together: together.iter().map(fault).collect(),
        stale: found.stale.iter().map(stale).collect(),
        contradictions: found.contradictions.iter().map(contradiction).collect(),
        undone: found.undone.iter().map(undone).collect(),
        hanging: found.hanging.iter().map(hanging).collect(),
    });
}
