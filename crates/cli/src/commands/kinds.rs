//! `kinds`.

use anstyle::Style;
use cognomen_core::{Catalog, Coverage, Gap, KindCoverage, KindId, coverage, examples};

use super::{Done, Failure};
use crate::answers::{
    CoverageAnswer, CoveredKind, CoveredLinks, FieldAnswer, GapAnswer, IdleAnswer, KindAnswer, KindLine, KindsAnswer,
    value_of,
};
use crate::args::Global;
use crate::output::{FAINT, HEAD, ID, Places, Table, count, paint, place, value, visible};
use crate::session::Session;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen kinds            all kinds, with how many there are of each
  cognomen kinds item       the fields of a kind: types, limits, defaults, meaning
  cognomen kinds --coverage what of the data the rulebook describes, and what is left")]
pub(crate) struct KindsArgs {
    /// One kind, with its fields
    kind: Option<String>,
    /// How much of the data the rulebook describes, and what is left, largest first
    #[arg(long)]
    coverage: bool,
}

pub(crate) fn kinds(args: &KindsArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let catalog = opened.catalog();
    let rulebook = catalog.rulebook();
    let counted = catalog.seen().count_by_kind();
    let number = |kind: KindId| counted.get(&kind).copied().unwrap_or_default();
    if args.coverage {
        let only = args.kind.as_deref().map(|name| opened.kind(name)).transpose()?;
        say_coverage(&coverage(catalog), only, catalog, global, session);
        session.timings(global);
        return Ok(Done::Well);
    }
    let line = |id: KindId| KindLine {
        kind: rulebook.kind(id).name().to_owned(),
        about: rulebook.kind(id).about().map(str::to_owned),
        definitions: number(id),
        files: rulebook.places_of(id).into_iter().map(Into::into).collect(),
    };
    let Some(name) = &args.kind else {
        if global.json() {
            let kinds = rulebook.kinds().map(|(id, _)| line(id)).collect();
            session.json(&KindsAnswer { game: rulebook.game().name.clone(), kinds });
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
    let conditions = rulebook.conditions(kind.root(), catalog.names());
    let mut leaves = rulebook.leaves(kind.root());
    // what several cases of a table share is told once
    let mut told = std::collections::BTreeSet::new();
    leaves.retain(|leaf| {
        told.insert((rulebook.field_type(*leaf).pattern(), rulebook.describe(*leaf), conditions.get(leaf)))
    });
    let examples = examples(catalog, id);
    // where a new one would stand, in the mod that is edited
    let edited = opened.edited(global).ok().filter(|layer| !catalog.layer(*layer).is_base());
    let site = edited.map(|layer| {
        let path = cognomen_core::site(catalog, id, layer).map_err(|error| error.to_string())?;
        Ok(format!("{}/{path}", catalog.layer(layer).folder))
    });
    let site: Option<Result<String, String>> = site;
    if global.json() {
        let fields = leaves.iter().map(|leaf| {
            let field = rulebook.field_type(*leaf);
            FieldAnswer {
                path: field.pattern().to_owned(),
                takes: rulebook.describe(*leaf),
                unit: field.unit().map(str::to_owned),
                default: field.default().map(value_of),
                optional: field.optional(),
                condition: conditions.get(leaf).cloned(),
                about: field.about().map(str::to_owned),
                example: examples.get(leaf).cloned(),
            }
        });
        let (written, not_written) = match site {
            Some(Ok(path)) => (Some(path), None),
            Some(Err(reason)) => (None, Some(reason)),
            None => (None, None),
        };
        session.json(&KindAnswer { line: line(id), written, not_written, fields: fields.collect() });
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
        match &site {
            Some(Ok(path)) => session.say(paint(FAINT, &format!("A new one is written into {}.", visible(path)))),
            Some(Err(reason)) => session.say(paint(FAINT, &format!("None can be made: {}.", visible(reason)))),
            None => {}
        }
        session.say("");
        let mut table = Table::default();
        for leaf in leaves {
            let field = rulebook.field_type(leaf);
            let takes = match field.unit() {
                // units that are written beside the number are named there
                Some(unit) if !field.is_written_in(unit) => format!("{}, {unit}", rulebook.describe(leaf)),
                _ => rulebook.describe(leaf),
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
                (visible(&conditions.get(&leaf).map_or(needed.clone(), |there| format!("{needed} {there}"))), FAINT),
                (examples.get(&leaf).map_or_else(String::new, |example| format!("as {}", visible(example))), FAINT),
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

/// Gaps that are listed before the rest is only counted.
const LISTED: usize = 20;

fn say_coverage(found: &Coverage, only: Option<KindId>, catalog: &Catalog, global: &Global, session: &mut Session) {
    let rulebook = catalog.rulebook();
    let meant = |kind: KindId| only.is_none_or(|only| only == kind);
    let kinds: Vec<_> = found.kinds.iter().filter(|kind| meant(kind.kind)).collect();
    if global.json() {
        let places = Places::new(catalog);
        let gap = |gap: &Gap| GapAnswer {
            what: gap.what.clone(),
            count: gap.count,
            example: gap.example.map(|at| places.full(at)),
        };
        let links = |kind: &KindCoverage| {
            let covered = kind.links.iter().map(|link| CoveredLinks {
                field: link.field.clone(),
                resolved: link.resolved,
                known: link.known,
                lacking: link.lacking,
                example: link.example.map(|at| places.full(at)),
            });
            covered.collect()
        };
        let of_kind = |kind: &&KindCoverage| CoveredKind {
            kind: rulebook.kind(kind.kind).name().to_owned(),
            definitions: kind.definitions,
            described: kind.described,
            left: kind.left.iter().map(gap).collect(),
            unused: kind.unused.clone(),
            links: links(kind),
        };
        let idle = found.idle.iter().map(|(at, what)| IdleAnswer { what: what.clone(), place: places.full(*at) });
        session.json(&CoverageAnswer {
            kinds: kinds.iter().map(of_kind).collect(),
            files: found.files.iter().map(gap).collect(),
            idle: idle.collect(),
            tags: found.tags.iter().map(gap).collect(),
        });
        return;
    }
    let described: usize = kinds.iter().map(|kind| kind.described).sum();
    let mut left: Vec<(KindId, &Gap)> =
        kinds.iter().flat_map(|kind| kind.left.iter().map(|gap| (kind.kind, gap))).collect();
    left.sort_by_key(|(_, gap)| std::cmp::Reverse(gap.count));
    let missing: usize = left.iter().map(|(_, gap)| gap.count).sum();
    let share = (described * 100).checked_div(described + missing).unwrap_or(100);
    session.say(format!(
        "{} of {} described{}",
        paint(HEAD, &format!("{share} %")),
        count(described + missing, "value is", "values are"),
        if left.is_empty() { "" } else { "; left, largest first:" }
    ));
    let mut table = Table::default().right(&[0]);
    for (kind, gap) in left.iter().take(LISTED) {
        table.row([
            (gap.count.to_string(), HEAD),
            (format!("{}.{}", visible(rulebook.kind(*kind).name()), visible(&gap.what)), ID),
            (gap.example.map_or_else(String::new, |at| format!("as at {}", place(catalog, at))), FAINT),
        ]);
    }
    table.lines("  ").into_iter().for_each(|line| session.say(line));
    if left.len() > LISTED {
        session.say(format!("  and {} more paths; `--format json` lists them all", left.len() - LISTED));
    }
    if only.is_none() && !found.files.is_empty() {
        let number: usize = found.files.iter().map(|gap| gap.count).sum();
        session.say("");
        session.say(format!("{} read by nothing:", count(number, "file is", "files are")));
        let mut table = Table::default().right(&[0]);
        for gap in found.files.iter().take(LISTED) {
            table.row([(gap.count.to_string(), HEAD), (visible(&gap.what), ID)]);
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
    }
    if only.is_none() && !found.tags.is_empty() {
        session.say("");
        let number: usize = found.tags.iter().map(|gap| gap.count).sum();
        let tags = count(number, "tag of YAML is", "tags of YAML are");
        session.say(format!(
            "{tags} read by nothing (`tags = \"FIELD\"` under `[notations.NAME]` makes a field of them):"
        ));
        let mut table = Table::default().right(&[0]);
        for gap in found.tags.iter().take(LISTED) {
            let example = gap.example.map_or_else(String::new, |at| format!("as at {}", place(catalog, at)));
            table.row([(gap.count.to_string(), HEAD), (visible(&gap.what), ID), (example, FAINT)]);
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
    }
    if only.is_none() && !found.idle.is_empty() {
        session.say("");
        session.say("In the rulebook, without effect:");
        for (at, what) in &found.idle {
            session.say(format!("  {}  {}", paint(FAINT, &place(catalog, *at)), visible(what)));
        }
    }
    say_links(&kinds, catalog, session);
    let unused: Vec<_> = kinds.iter().filter(|kind| !kind.unused.is_empty()).collect();
    if !unused.is_empty() {
        session.say("");
        session.say("Described, and stated by no definition:");
        for kind in unused {
            let fields: Vec<String> = kind.unused.iter().map(visible).collect();
            session.say(format!("  {}  {}", paint(ID, rulebook.kind(kind.kind).name()), fields.join(", ")));
        }
    }
}

/// Where the links of each field lead; those that all lead somewhere are only counted.
fn say_links(kinds: &[&KindCoverage], catalog: &Catalog, session: &mut Session) {
    let all = || kinds.iter().flat_map(|kind| kind.links.iter().map(|link| (kind.kind, link)));
    let (fields, number) = all()
        .fold((0, 0), |(fields, number), (_, link)| (fields + 1, number + link.resolved + link.known + link.lacking));
    if fields == 0 {
        return;
    }
    session.say("");
    let told: Vec<_> = all().filter(|(_, link)| link.lacking + link.known > 0).collect();
    let rest = if told.is_empty() {
        ", all of which are there"
    } else {
        "; where something is lacking, or only known to the game:"
    };
    session.say(format!("{} in {}{rest}", count(number, "link", "links"), count(fields, "field", "fields")));
    let mut table = Table::default().right(&[1, 2, 3]);
    for (kind, link) in told.iter().take(LISTED) {
        let number = |number: usize, what: &str| match number {
            0 => String::new(),
            number => format!("{number} {what}"),
        };
        table.row([
            (format!("{}.{}", visible(catalog.rulebook().kind(*kind).name()), visible(&link.field)), ID),
            (number(link.resolved, "there"), FAINT),
            (number(link.known, "known"), FAINT),
            (number(link.lacking, "lacking"), HEAD),
            (link.example.map_or_else(String::new, |at| format!("as at {}", place(catalog, at))), FAINT),
        ]);
    }
    table.lines("  ").into_iter().for_each(|line| session.say(line));
    if told.len() > LISTED {
        session.say(format!("  and {} more fields; `--format json` lists them all", told.len() - LISTED));
    }
}
