//! `spread`.

use cognomen_core::{Among, FieldPath, Series, SpreadOptions, SpreadReport, spread as spread_of};

use super::{Done, Failure};
use crate::answers::{BinAnswer, SampleAnswer, SeriesAnswer, SpreadAnswer};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, HEAD, ID, count, paint, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen spread item.value                               what the base game's items cost
  cognomen spread item.value --mark item/long-wick         where mine stands, among its own sort
  cognomen spread item.burn_minutes --among tag/fuel       only the members of a tag
  cognomen spread unit.stats.bite --among traits=bold      only with a word in a field
  cognomen spread unit.stats.vigour --among all --mods     the mods' definitions as well

Comparable without being told: what has the same parent, sort or tag as the marked one, if there are at
least five of them; otherwise the whole kind. The first line says which.")]
pub(crate) struct SpreadArgs {
    /// The field: kind.field, as `cognomen kinds KIND` lists it
    field: String,
    /// The definition to be placed among the others
    #[arg(long, value_name = "ADDRESS")]
    mark: Option<String>,
    /// Which are comparable: all, a parent or tag (an address), or path=value
    #[arg(long, value_name = "WHICH")]
    among: Option<String>,
    /// The definitions of all mods, not of the base game alone
    #[arg(long)]
    mods: bool,
}

pub(crate) fn spread(args: &SpreadArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let Some((kind, field)) = args.field.split_once('.') else {
        return Err(Failure::Usage("which field? As in `cognomen spread item.value`".to_owned()));
    };
    let opened = session.open(global)?;
    let catalog = opened.catalog();
    let kind = opened.kind(kind)?;
    let mark = args.mark.as_deref().map(|text| opened.address(text)).transpose()?;
    if let Some(mark) = mark.filter(|mark| catalog.kind_of(*mark) != Some(kind)) {
        let name = catalog.rulebook().kind(kind).name();
        return Err(Failure::Usage(format!("`{}` is no {name}", catalog.show_address(mark))));
    }
    let among = args.among.as_deref().map(|text| among(&opened, text)).transpose()?;
    let view = match args.mods {
        true => opened.world.view(),
        false => opened.world.view().up_to(opened.catalog().last_base()),
    };
    let options = SpreadOptions { kind, field: field.to_owned(), among, mark };
    let report = spread_of(&opened.world, &view, &options).map_err(anyhow::Error::from)?;
    let words = report.among.words(catalog, kind);
    match global.json() {
        true => json(&opened, &report, &words, session),
        false => {
            let layers = if args.mods { "in all layers" } else { "of the base game" };
            session.say(format!("{}, {} {layers}", visible(&words), count(report.count, "definition", "definitions")));
            if let Some(note) = catalog.note_on_field(kind, field) {
                session.say(paint(FAINT, &format!("your note: {}", visible(note))));
            }
            for series in &report.series {
                human(&opened, series, report.series.len() > 1, session);
            }
        }
    }
    session.timings(global);
    Ok(Done::Well)
}

fn among(opened: &Opened, text: &str) -> Result<Among, Failure> {
    if text == "all" {
        return Ok(Among::All);
    }
    if let Some((path, word)) = text.split_once('=') {
        let path = FieldPath::parse(path).map_err(|error| Failure::Usage(error.to_string()))?;
        return Ok(Among::Sort(path, word.to_owned()));
    }
    let address = opened.address(text)?;
    let catalog = opened.catalog();
    let group = catalog.kind_of(address).is_some_and(|kind| catalog.rulebook().kind(kind).is_group());
    Ok(if group { Among::Group(address) } else { Among::Parent(address) })
}

/// A number without a long tail.
fn number(value: f64) -> String {
    let rounded = (value * 100.0).round() / 100.0;
    if rounded.is_finite() { rounded.to_string() } else { "–".to_owned() }
}

fn json(opened: &Opened, report: &SpreadReport, words: &str, session: &mut Session) {
    let catalog = opened.catalog();
    let sample = |sample: &cognomen_core::Sample| SampleAnswer {
        address: catalog.show_address(sample.address),
        value: sample.value,
    };
    let series = report.series.iter().map(|series| {
        let [least, lower_quartile, median, upper_quartile, most] = series.quartiles;
        let bins = series.histogram.iter().map(|bin| BinAnswer { from: bin.from, to: bin.to, count: bin.count });
        SeriesAnswer {
            field: series.field.clone(),
            unit: series.unit.clone(),
            count: series.samples.len(),
            absent: series.absent,
            least,
            lower_quartile,
            median,
            upper_quartile,
            most,
            histogram: bins.collect(),
            mark: series.mark.as_ref().map(sample),
            below_mark: series.mark.as_ref().map(|_| series.below()),
            nearest: series.neighbours(4).into_iter().map(sample).collect(),
        }
    });
    session.json(&SpreadAnswer { among: words.to_owned(), definitions: report.count, series: series.collect() });
}

fn human(opened: &Opened, series: &Series, named: bool, session: &mut Session) {
    let catalog = opened.catalog();
    session.say("");
    if named {
        session.say(paint(HEAD, &visible(&series.field)));
    }
    let unit = series.unit.as_ref().map(|unit| format!(" {unit}")).unwrap_or_default();
    if series.samples.is_empty() {
        session.say("  none of them states a number there");
    } else {
        let [least, lower, median, upper, most] = series.quartiles.map(number);
        session.say(format!(
            "  half of them lie between {} and {}{unit}; median {}, least {least}, greatest {most}",
            paint(HEAD, &lower),
            paint(HEAD, &upper),
            paint(HEAD, &median)
        ));
        let absent = match series.absent {
            0 => String::new(),
            number => format!("; {number} state nothing there"),
        };
        session.say(paint(FAINT, &format!("  {}{absent}", count(series.samples.len(), "number", "numbers"))));
        session.say("");
        bars(series, session);
    }
    let Some(mark) = &series.mark else { return };
    session.say("");
    session.say(format!(
        "  {} has {}{unit}: {}",
        paint(ID, &visible(&catalog.show_address(mark.address))),
        paint(CHANGE, &mark.word),
        match (series.below(), series.samples.len()) {
            (_, 0) => "nothing to compare it with".to_owned(),
            (0, all) => format!("not more than any of {all}"),
            (below, all) if below == all => format!("more than all {all}"),
            (below, all) => format!("more than {below} of {all}"),
        }
    ));
    let nearest: Vec<String> = series
        .neighbours(4)
        .into_iter()
        .map(|sample| format!("{} {}", visible(&catalog.show_address(sample.address)), sample.word))
        .collect();
    if !nearest.is_empty() {
        session.say(paint(FAINT, &format!("  nearest: {}", nearest.join(", "))));
    }
}

/// The histogram; the marked one's bar says so.
fn bars(series: &Series, session: &mut Session) {
    const WIDTH: usize = 44;
    let most = series.histogram.iter().map(|bin| bin.count).max().unwrap_or(1).max(1);
    let labels: Vec<String> = series.histogram.iter().map(|bin| number(bin.from)).collect();
    let width = labels.iter().map(String::len).max().unwrap_or(0);
    let last = series.histogram.len().saturating_sub(1);
    for (at, (bin, label)) in series.histogram.iter().zip(&labels).enumerate() {
        let length = (bin.count * WIDTH).div_ceil(most);
        let mark = series.mark.as_ref().map(|mark| mark.value);
        // a value beyond all bars belongs to the outermost
        let here = mark.is_some_and(|mark| (mark >= bin.from || at == 0) && (mark < bin.to || at == last));
        let bar = "█".repeat(length);
        let word = series.mark.as_ref().map_or("", |mark| mark.word.as_str());
        let beyond = mark.is_some_and(|mark| mark < bin.from || mark > bin.to);
        let sign = match (here, beyond) {
            (true, true) => format!(" {}", paint(CHANGE, &format!("◄ {word}, beyond all of these"))),
            (true, false) => format!(" {}", paint(CHANGE, &format!("◄ {word}"))),
            (false, _) => String::new(),
        };
        session.say(format!("  {label:>width$} │{bar} {}{sign}", bin.count));
    }
}
