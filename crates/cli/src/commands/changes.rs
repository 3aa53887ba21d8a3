//! `changes`.

use cognomen_core::{Catalog, ChangeLine, ChangedDefinition, ChangesReport, LayerId, changes as looked_up};

use super::{Done, Failure};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, HEAD, ID, Places, Table, count, draft_json, paint, place_json, value, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen changes long-night                        what the mod changes, adds and removes
  cognomen changes long-night --against tidegate     how two mods differ
  cognomen changes long-night --markdown             the same for a page")]
pub(crate) struct ChangesArgs {
    /// The mod; without it the one that is edited
    layer: Option<String>,
    /// Another mod to compare with, instead of what the mod stands on
    #[arg(long, value_name = "MOD|base")]
    against: Option<String>,
    /// As Markdown
    #[arg(long)]
    markdown: bool,
}

pub(crate) fn changes(args: &ChangesArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let layer = match &args.layer {
        Some(id) => opened.layer(id)?,
        None => opened.edited(global)?,
    };
    let catalog = opened.catalog();
    if catalog.layer(layer).is_base() {
        return Err(Failure::Usage("the base changes nothing; name a mod".to_owned()));
    }
    let against = args.against.as_deref().map(|id| opened.layer(id)).transpose()?;
    let against = against.filter(|other| !catalog.layer(*other).is_base());
    let report = looked_up(&opened.world, layer, against);
    match (global.json(), args.markdown) {
        (true, _) => json(&opened, layer, against, &report, session),
        (_, true) => markdown(&opened, layer, &report, session),
        _ => human(&opened, layer, against, &report, session),
    }
    session.timings(global);
    Ok(Done::Well)
}

/// The parts of a report with their words.
fn parts(report: &ChangesReport) -> [(&'static str, &[ChangedDefinition]); 4] {
    [
        ("changed", &report.changed),
        ("new", &report.added),
        ("removed", &report.removed),
        ("changed because they inherit", &report.inheriting),
    ]
}

fn sum(report: &ChangesReport) -> String {
    let values: usize = report.changed.iter().map(|one| one.lines.len()).sum();
    let mut parts = Vec::new();
    if !report.changed.is_empty() {
        let definitions = count(report.changed.len(), "definition", "definitions");
        parts.push(format!("changes {} in {definitions}", count(values, "value", "values")));
    }
    if !report.added.is_empty() {
        parts.push(format!("adds {}", count(report.added.len(), "definition", "definitions")));
    }
    if !report.removed.is_empty() {
        parts.push(format!("removes {}", count(report.removed.len(), "definition", "definitions")));
    }
    if parts.is_empty() {
        parts.push("changes nothing".to_owned());
    }
    if !report.inheriting.is_empty() {
        parts.push(format!("{} inherit from these", count(report.inheriting.len(), "other", "others")));
    }
    parts.join(", ")
}

/// What became of a value: `40 → 55`, `+ fuel`, `- food`.
fn became(catalog: &Catalog, line: &ChangeLine) -> String {
    let unit = line.ty.and_then(|ty| catalog.rulebook().field_type(ty).unit());
    let with_unit = |text: String| match unit {
        Some(unit) => format!("{text} {unit}"),
        None => text,
    };
    match (&line.before, &line.after, line.is_entry) {
        (None, Some(entry), true) => format!("+ {}", value(entry)),
        (Some(entry), _, true) => format!("- {}", value(entry)),
        (Some(before), Some(after), _) => with_unit(format!("{} → {}", value(before), value(after))),
        (None, Some(after), _) => with_unit(format!("nothing → {}", value(after))),
        (Some(before), None, _) => format!("{} → nothing", value(before)),
        (None, None, _) => String::new(),
    }
}

fn human(opened: &Opened, layer: LayerId, against: Option<LayerId>, report: &ChangesReport, session: &mut Session) {
    let catalog = opened.catalog();
    let places = Places::new(catalog);
    let id = |layer: LayerId| paint(ID, &visible(&catalog.layer(layer).id));
    let than = against.map(|other| format!(", against {}", id(other))).unwrap_or_default();
    session.say(format!("{}{than} {}", id(layer), sum(report)));
    if report.repeated > 0 {
        let values = count(report.repeated, "value", "values");
        session.say(paint(FAINT, &format!("  and states {values} as they are anyway")));
    }
    for (title, definitions) in parts(report).into_iter().filter(|(_, all)| !all.is_empty()) {
        session.say("");
        session.say(paint(FAINT, title));
        if title == "new" || title == "removed" {
            let mut table = Table::default();
            for one in definitions {
                let values = if title == "new" { count(one.lines.len(), "value", "values") } else { String::new() };
                let name = one.name.as_ref().map(|name| visible(name)).unwrap_or_default();
                table.row([(visible(&catalog.show_address(one.at)), ID), (name, HEAD), (values, FAINT)]);
            }
            table.lines("  ").into_iter().for_each(|line| session.say(line));
            continue;
        }
        // one table for all, so that the columns stand below each other; the definitions stand between its lines
        let mut table = Table::default();
        for line in definitions.iter().flat_map(|one| &one.lines) {
            table.row([
                (visible(&line.path.to_string()), HEAD),
                (visible(&became(catalog, line)), CHANGE),
                (line.place.map(|at| places.place(at)).unwrap_or_default(), FAINT),
            ]);
        }
        let mut rows = table.lines("    ").into_iter();
        for one in definitions {
            let name = one.name.as_ref().map(|name| format!("  {}", paint(HEAD, &visible(name)))).unwrap_or_default();
            session.say(format!("  {}{name}", paint(ID, &visible(&catalog.show_address(one.at)))));
            let mut told: Option<&String> = None;
            for (line, row) in one.lines.iter().zip(rows.by_ref()) {
                if let Some(why) = line.why.as_ref().filter(|why| told != Some(*why)) {
                    session.say(paint(FAINT, &format!("    {}", visible(why))));
                    told = Some(why);
                }
                session.say(row);
            }
        }
    }
}

fn markdown(opened: &Opened, layer: LayerId, report: &ChangesReport, session: &mut Session) {
    let catalog = opened.catalog();
    let found = catalog.layer(layer);
    let name = found.manifest.as_ref().and_then(|manifest| manifest.name.clone()).unwrap_or_else(|| found.id.clone());
    session.say(format!("## {name}\n"));
    let sum = sum(report);
    let mut letters = sum.chars();
    let first = letters.next().map(|letter| letter.to_uppercase().to_string()).unwrap_or_default();
    session.say(format!("{first}{}.", letters.as_str()));
    for (title, definitions) in parts(report).into_iter().filter(|(_, all)| !all.is_empty()) {
        let mut letters = title.chars();
        let first = letters.next().map(|letter| letter.to_uppercase().to_string()).unwrap_or_default();
        session.say(format!("\n### {first}{}\n", letters.as_str()));
        let mut kind = None;
        for one in definitions {
            if kind != Some(one.kind) && kind.is_some() {
                session.say("");
            }
            kind = Some(one.kind);
            let address = catalog.show_address(one.at);
            let name = one.name.as_ref().map_or_else(|| format!("`{address}`"), |name| format!("{name} (`{address}`)"));
            session.say(format!("- {name}"));
            for line in one.lines.iter().filter(|_| title.starts_with("changed")) {
                let why = line.why.as_ref().map(|why| format!(": {why}")).unwrap_or_default();
                session.say(format!("  - `{}` {}{why}", line.path, became(catalog, line)));
            }
        }
    }
}

fn json(opened: &Opened, layer: LayerId, against: Option<LayerId>, report: &ChangesReport, session: &mut Session) {
    let catalog = opened.catalog();
    let line = |line: &ChangeLine| {
        serde_json::json!({
            "path": line.path.to_string(), "entry": line.is_entry,
            "before": line.before.as_ref().map(draft_json), "after": line.after.as_ref().map(draft_json),
            "place": line.place.map(|at| place_json(catalog, at)), "why": line.why,
        })
    };
    let all = |definitions: &[ChangedDefinition]| -> Vec<serde_json::Value> {
        let one = |one: &ChangedDefinition| {
            serde_json::json!({
                "address": catalog.show_address(one.at), "kind": catalog.rulebook().kind(one.kind).name(), "name": one.name,
                "values": one.lines.iter().map(line).collect::<Vec<_>>(),
            })
        };
        definitions.iter().map(one).collect()
    };
    session.json(&serde_json::json!({
        "format": 1, "mod": catalog.layer(layer).id, "against": against.map(|other| catalog.layer(other).id.clone()),
        "changed": all(&report.changed), "added": all(&report.added), "removed": all(&report.removed),
        "inheriting": all(&report.inheriting), "repeated": report.repeated,
    }));
}
