//! `find`.

use anstyle::Style;
use cognomen_core::{
    Address, FieldPath, FindError, FindOptions, FindReport, LayerId, YOUR_NOTE, find_definitions, known_field,
};

use super::{Done, Failure, no_expression};
use crate::answers::{FilterAnswer, FindAnswer, FoundAnswer, HitAnswer, value_of};
use crate::args::Global;
use crate::output::{FAINT, HEAD, ID, Places, Table, count, paint, place, value, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen find lamp                          in ids, readable names and every value
  cognomen find 150                           also where it is written as 1.5 or inside a text
  cognomen find --kind item --has tags=fuel --columns value,burn_minutes
  cognomen find --where \"value > 20 and 'food' in tags\"
  cognomen find --kind recipe --where \"some(takes, 'what == \\\"eel\\\"')\"      a list has such an entry
  cognomen find --kind stock --where \"some(goods, 'ref(what).value > 40')\"  of what a field names

docs/RULEBOOK.md lists what an expression can say, under Expressions.")]
pub(crate) struct FindArgs {
    /// Words and numbers; a definition must have all of them, anywhere
    terms: Vec<String>,
    /// Only this kind
    #[arg(long, value_name = "KIND")]
    kind: Option<String>,
    /// Only where a field has this value (path=value), or is there (path); may be repeated
    #[arg(long, value_name = "PATH=VALUE")]
    has: Vec<String>,
    /// Only where this expression holds
    #[arg(long = "where", value_name = "EXPR")]
    condition: Option<String>,
    /// Only what this layer defines or amends: a mod's id, or `base`; columns show what its players get
    #[arg(long, value_name = "ID")]
    layer: Option<String>,
    /// Fields to show beside each definition
    #[arg(long, value_name = "PATHS", value_delimiter = ',')]
    columns: Vec<String>,
}

pub(crate) fn find(args: &FindArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let path = |text: &str| FieldPath::parse(text).map_err(|error| Failure::Usage(error.to_string()));
    let mut has = Vec::new();
    for text in &args.has {
        has.push(match text.split_once('=') {
            Some((before, wanted)) if !before.contains('[') => (path(before)?, Some(wanted.to_owned())),
            _ => (path(text)?, None),
        });
    }
    let columns: Vec<FieldPath> = args.columns.iter().map(|text| path(text.trim())).collect::<Result<_, _>>()?;
    let nothing = args.terms.is_empty() && has.is_empty() && args.condition.is_none();
    if nothing && args.kind.is_none() && args.layer.is_none() {
        return Err(Failure::Usage(
            "what is to be found? Give a word, a number or a filter; `cognomen find --help` has examples".to_owned(),
        ));
    }
    let opened = session.open(global)?;
    let options = FindOptions {
        terms: args.terms.clone(),
        kind: args.kind.as_deref().map(|name| opened.kind(name)).transpose()?,
        layer: args.layer.as_deref().map(|id| opened.layer(id)).transpose()?,
        has,
        condition: args.condition.clone(),
    };
    for column in &columns {
        known_field(opened.catalog(), options.kind, column).map_err(wrong)?;
    }
    let start = std::time::Instant::now();
    let report = find_definitions(&opened.world, &options).map_err(wrong)?;
    session.stage("find", start.elapsed());
    if let Some((number, address, reason)) = &report.untried {
        let shown = visible(&opened.catalog().show_address(*address));
        let number = count(*number, "definition", "definitions");
        session.remark(format!("the condition could not be tried on {number}, such as {shown}: {}", visible(reason)));
    }
    match global.json() {
        true => json(&opened, options.layer, &report, &columns, session),
        false => human(&opened, options.layer, &report, &columns, session),
    }
    session.timings(global);
    Ok(Done::Well)
}

/// What was typed wrong, or could not be tried.
fn wrong(error: FindError) -> Failure {
    match error {
        FindError::Condition(error) => no_expression(error),
        FindError::NoField { .. } => Failure::Usage(error.to_string()),
        FindError::Untried { .. } => anyhow::Error::from(error).into(),
    }
}

/// What shows in some fields; where only what a layer does is looked at, as it shows up to that layer.
fn cells(
    opened: &Opened,
    layer: Option<LayerId>,
    address: Address,
    columns: &[FieldPath],
) -> Vec<Option<cognomen_core::Draft>> {
    let catalog = opened.catalog();
    let view = layer.map_or_else(|| opened.world.view(), |layer| opened.world.with_ground(layer));
    let effective = view.effective(address);
    let cell = |path: &FieldPath| Some(effective.as_ref()?.get(catalog, path)?.draft(catalog));
    columns.iter().map(cell).collect()
}

fn json(opened: &Opened, layer: Option<LayerId>, report: &FindReport, columns: &[FieldPath], session: &mut Session) {
    let catalog = opened.catalog();
    let places = Places::new(catalog);
    let hit = |hit: &cognomen_core::Hit| HitAnswer {
        place: places.full(hit.place),
        path: hit.path.as_ref().map(ToString::to_string),
        text: hit.text.clone(),
    };
    let found = report.found.iter().map(|found| FoundAnswer {
        address: catalog.show_address(found.address),
        name: opened.world.view().readable_name(found.address),
        note: catalog.note_on(found.address).map(str::to_owned),
        hits: found.hits(catalog).iter().map(hit).collect(),
        columns: columns
            .iter()
            .zip(cells(opened, layer, found.address, columns))
            .map(|(path, cell)| (path.to_string(), cell.as_ref().map(value_of)))
            .collect(),
    });
    let filters = report.filters.iter().map(|filter| FilterAnswer {
        filter: filter.shown.clone(),
        without: filter.without,
        near: filter.near.clone(),
    });
    session.json(&FindAnswer { found: found.collect(), filters: filters.collect() });
}

fn human(opened: &Opened, layer: Option<LayerId>, report: &FindReport, columns: &[FieldPath], session: &mut Session) {
    let catalog = opened.catalog();
    if report.found.is_empty() {
        session.say("nothing was found");
        for filter in &report.filters {
            let without = match filter.without {
                0 => "nothing either".to_owned(),
                number => count(number, "definition", "definitions"),
            };
            let near = filter.near.as_ref().map(|near| format!(" (the nearest that there is: `{}`)", visible(near)));
            session.say(format!("  without {}: {without}{}", visible(&filter.shown), near.unwrap_or_default()));
        }
        return;
    }
    const SHOWN: usize = 60;
    let mut table = Table::default();
    if !columns.is_empty() {
        let heads = columns.iter().map(|path| (visible(&path.to_string()), HEAD));
        table.row([(String::new(), Style::new()), (String::new(), Style::new())].into_iter().chain(heads));
    }
    for found in report.found.iter().take(SHOWN) {
        let name = opened.world.view().readable_name(found.address).unwrap_or_default();
        let mut row = vec![(visible(&catalog.show_address(found.address)), ID), (visible(&name), HEAD)];
        if columns.is_empty() {
            let hits = found.hits(catalog);
            let met: Vec<String> =
                hits.iter().filter(|hit| hit.path.is_some() || hit.text.contains(" (")).map(met).collect();
            let at = hits.first().map(|hit| place(catalog, hit.place));
            let at = at.or_else(|| Some(place(catalog, opened.definition_place(found.address)?)));
            row.push((met.join("; "), Style::new()));
            row.push((at.unwrap_or_default(), FAINT));
        } else {
            let cells = cells(opened, layer, found.address, columns);
            row.extend(cells.iter().map(|cell| (cell.as_ref().map(value).unwrap_or_default(), Style::new())));
            let at = opened.definition_place(found.address).map(|at| place(catalog, at));
            row.push((at.unwrap_or_default(), FAINT));
        }
        table.row(row);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
    for found in report.found.iter().take(SHOWN) {
        let said = columns.is_empty() && found.hits(catalog).iter().any(|hit| hit.text.ends_with(YOUR_NOTE));
        if let Some(note) = catalog.note_on(found.address).filter(|_| !said) {
            let address = visible(&catalog.show_address(found.address));
            session.say(paint(FAINT, &format!("your note on {address}: {}", visible(note))));
        }
    }
    if report.found.len() > SHOWN {
        session
            .say(paint(FAINT, &format!("and {} more; a filter or `--format json` helps", report.found.len() - SHOWN)));
    }
}

fn met(hit: &cognomen_core::Hit) -> String {
    let mut text = visible(&hit.text);
    if text.chars().count() > 48 {
        text = text.chars().take(47).chain(['…']).collect();
    }
    match &hit.path {
        Some(path) => format!("{} {text}", visible(&path.to_string())),
        None => text,
    }
}
