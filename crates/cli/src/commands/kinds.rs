//! `kinds`.

use anstyle::Style;

use super::{Done, Failure};
use crate::args::Global;
use crate::output::{FAINT, HEAD, ID, Table, count, draft_json, paint, value, visible};
use crate::session::Session;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen kinds            all kinds, with how many there are of each
  cognomen kinds item       the fields of a kind: types, limits, defaults, meaning")]
pub(crate) struct KindsArgs {
    /// One kind, with its fields
    kind: Option<String>,
}

pub(crate) fn kinds(args: &KindsArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let catalog = opened.catalog();
    let rulebook = catalog.rulebook();
    let number = |kind| catalog.definitions().filter(|(_, definition)| definition.kind == kind).count();
    let Some(name) = &args.kind else {
        if global.json() {
            let all: Vec<_> = rulebook
                .kinds()
                .map(|(id, kind)| {
                    serde_json::json!({"kind": kind.name(), "about": kind.about(), "definitions": number(id), "files": rulebook.places_of(id)})
                })
                .collect();
            session.json(&serde_json::json!({"format": 1, "game": rulebook.game().name, "kinds": all}));
        } else {
            let mut table = Table::default().right(&[1]);
            for (id, kind) in rulebook.kinds() {
                table.row([
                    (visible(kind.name()), ID),
                    (number(id).to_string(), HEAD),
                    (visible(kind.about().unwrap_or("")), Style::new()),
                    (rulebook.places_of(id).join(", "), FAINT),
                ]);
            }
            table.lines("").into_iter().for_each(|line| session.say(line));
            session.remark("`cognomen kinds KIND` lists a kind's fields");
        }
        session.timings(global);
        return Ok(Done::Well);
    };
    let id = opened.kind(name)?;
    let kind = rulebook.kind(id);
    let leaves = rulebook.leaves(kind.root());
    if global.json() {
        let fields: Vec<_> = leaves
            .iter()
            .map(|leaf| {
                let field = rulebook.field_type(*leaf);
                serde_json::json!({
                    "path": field.pattern(), "takes": rulebook.describe(*leaf), "unit": field.unit(),
                    "default": field.default().map(draft_json), "optional": field.optional(), "about": field.about(),
                })
            })
            .collect();
        let all = serde_json::json!({
            "format": 1, "kind": kind.name(), "about": kind.about(), "definitions": number(id),
            "files": rulebook.places_of(id), "fields": fields,
        });
        session.json(&all);
    } else {
        let places = rulebook.places_of(id).join(", ");
        let head =
            format!("{}, {} in {places}", paint(ID, kind.name()), count(number(id), "definition", "definitions"));
        session.say(head);
        if let Some(about) = kind.about() {
            session.say(visible(about));
        }
        if let Some(takes_up) = kind.takes_up() {
            session.say(format!("The game takes up a change {}.", visible(takes_up)));
        }
        session.say("");
        let mut table = Table::default();
        for leaf in leaves {
            let field = rulebook.field_type(leaf);
            let takes = match field.unit() {
                Some(unit) => format!("{}, {unit}", rulebook.describe(leaf)),
                None => rulebook.describe(leaf),
            };
            let needed = match (field.default(), field.optional(), field.is_conditional()) {
                (Some(default), ..) => format!("or {}", value(default)),
                (None, true, _) => "optional".to_owned(),
                (None, false, true) => "needed there".to_owned(),
                (None, false, false) => "needed".to_owned(),
            };
            table.row([
                (visible(field.pattern()), HEAD),
                (visible(&takes), Style::new()),
                (visible(&needed), FAINT),
                (visible(field.about().unwrap_or("")), Style::new()),
            ]);
            if let Some(note) = catalog.note_on_field(id, field.pattern()) {
                table.row([(String::new(), HEAD), (format!("your note: {}", visible(note)), FAINT)]);
            }
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
    }
    session.timings(global);
    Ok(Done::Well)
}
