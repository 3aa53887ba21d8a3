//! `show`.

use anstyle::Style;
use cognomen_core::{Address, Draft, FieldPath, HistoryStep, How, LayerId, Row, Shown, ShownStep, Step, known_field};

use super::{Done, Failure};
use crate::answers::{HistoryAnswer, HistoryLine, RowAnswer, ShowAnswer, StepAnswer, TextAnswer, value_of};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, HEAD, ID, Places, Table, count, few, paint, place, value, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen show item/lamp-oil                      each value, its origin, what it replaced
  cognomen show item/lamp-oil --own                what each layer writes itself
  cognomen show item/lamp-oil --history burn_minutes   one value through the layers
  cognomen show item/lamp-oil --layer base         as the base alone has it
  cognomen show stock/ferryman --with tidegate     as players get it who have that mod and what it requires

Of long lists the first 24 entries are shown, and those that something changed; --all shows every one.")]
pub(crate) struct ShowArgs {
    /// The definition: kind/id, or the id alone where only one kind has it
    address: String,
    /// Only what each layer states itself, without what is inherited or by default
    #[arg(long)]
    own: bool,
    /// One value through the layers: who changed it, from what to what, where and why
    #[arg(long, value_name = "PATH", conflicts_with_all = ["own", "layer"])]
    history: Option<String>,
    /// As it shows with the layers up to and including this one
    #[arg(long, value_name = "ID")]
    layer: Option<String>,
    /// As players get it who have these mods and nothing else, with what they require and the parts that apply then
    /// (`base` for none); or in this mode of the game
    #[arg(long, value_name = "MODS|MODE", value_delimiter = ',', conflicts_with_all = ["history", "layer"])]
    with: Vec<String>,
    /// Every entry of long lists
    #[arg(long)]
    all: bool,
}

pub(crate) fn show(args: &ShowArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = match args.history {
        Some(_) => session.open_with_editions(global)?,
        None => session.open(global)?,
    };
    let address = opened.address(&args.address)?;
    if let Some(path) = &args.history {
        return history(&opened, address, path, global, session);
    }
    let layer = args.layer.as_deref().map(|id| opened.layer(id)).transpose()?;
    let (mods, mode) = opened.players_with(&args.with)?;
    let view = match layer {
        Some(layer) => opened.world.view().up_to(layer),
        None if args.with.is_empty() => opened.world.view(),
        None => opened.world.view_with(&mods, mode.as_deref()),
    };
    let Some(mut shown) = cognomen_core::show(&view, address) else {
        let message = opened.world.gone(&view, address).unwrap_or_else(|| {
            let address = opened.catalog().show_address(address);
            match layer.map(|layer| opened.catalog().layer(layer).id.as_str()) {
                Some(layer) => format!("no layer up to `{layer}` defines `{address}`"),
                None if args.with.is_empty() => {
                    format!(
                        "`{address}` is there only under a condition: `--with` says with which mods or in which mode"
                    )
                }
                None => format!("nothing with {} defines `{address}`", args.with.join(", ")),
            }
        });
        return Err(anyhow::anyhow!("{}", visible(&message)).into());
    };
    if args.own {
        shown.rows.retain(|row| row.now.from.is_none() && !matches!(row.now.how, How::Default(_)));
    }
    match global.json() {
        true => json(&opened, &shown, session),
        false => human(&opened, &shown, args.all, session),
    }
    session.timings(global);
    Ok(Done::Well)
}

/// One value through the layers.
fn history(
    opened: &Opened,
    address: Address,
    path: &str,
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let catalog = opened.catalog();
    let path = FieldPath::parse(path).map_err(|error| Failure::Usage(format!("`{path}` is no field path: {error}")))?;
    let steps = cognomen_core::history(&opened.world, address, &path);
    if steps.is_empty() {
        known_field(catalog, catalog.kind_of(address), &path).map_err(|error| Failure::Usage(error.to_string()))?;
    }
    if global.json() {
        let places = Places::new(catalog);
        let step = |step: &HistoryStep| HistoryLine {
            layer: catalog.layer(step.layer).id.clone(),
            before: step.before.as_ref().map(value_of),
            after: step.after.as_ref().map(value_of),
            why: step.why.clone(),
            meant: step.is_meant,
            from: step.from.map(|from| catalog.show_address(from)),
            undoes: step.undoes.map(|layer| catalog.layer(layer).id.clone()),
            place: step.place.map(|at| places.full(at)),
        };
        let steps = steps.iter().map(step).collect();
        session.json(&HistoryAnswer { address: catalog.show_address(address), path: path.to_string(), steps });
        return Ok(Done::Well);
    }
    let address = catalog.show_address(address);
    session.say(format!("{} {}", paint(ID, &visible(&address)), paint(HEAD, &visible(&path.to_string()))));
    if steps.is_empty() {
        session.say("  no layer states it");
    }
    let mut table = Table::default();
    for step in &steps {
        let shown = |draft: &Option<Draft>| draft.as_ref().map_or("nothing".to_owned(), value);
        let what = match (&step.before, &step.after) {
            (None, after) => shown(after),
            (before, after) if before == after => format!("stays {}", shown(after)),
            (before, after) => format!("{} → {}", shown(before), shown(after)),
        };
        let why = match (&step.why, step.is_meant) {
            (why, true) => {
                let from = step.from.map(|from| format!("inherited from {}", visible(&catalog.show_address(from))));
                let why = why.as_ref().map(visible);
                from.into_iter().chain(why).collect::<Vec<_>>().join(", ")
            }
            (Some(why), _) => visible(why),
            (None, false) => {
                let from = match opened.world.edition_of(step.layer) {
                    Some(edition) => format!("carried along from edition {}", visible(edition)),
                    None if step.is_copy => "carried along in a copy".to_owned(),
                    None => "carried along with what it changes".to_owned(),
                };
                match step.undoes {
                    Some(other) => format!("{from}, not meant: undoes {}", visible(&catalog.layer(other).id)),
                    None => format!("{from}, not meant"),
                }
            }
        };
        table.row([
            (visible(&catalog.layer(step.layer).id), ID),
            (visible(&what), if catalog.layer(step.layer).is_base() { Style::new() } else { CHANGE }),
            (step.place.map(|at| place(catalog, at)).unwrap_or_default(), FAINT),
            (why, FAINT),
        ]);
    }
    table.lines("  ").into_iter().for_each(|line| session.say(line));
    Ok(Done::Well)
}

/// How a value came to be, in words.
fn how(opened: &Opened, step: &ShownStep) -> String {
    let catalog = opened.catalog();
    let mut text = match (step.how, step.from) {
        (How::Default(_), _) => "default".to_owned(),
        (How::Amended(id), None) => match catalog.reason(id) {
            Some(why) => format!("amended: {}", visible(why)),
            None => "amended".to_owned(),
        },
        (How::Amended(_), Some(from)) => format!("inherited from {}, amended", catalog.show_address(from)),
        (How::Own, Some(from)) => format!("inherited from {}", catalog.show_address(from)),
        (How::Own, None) => String::new(),
    };
    if let Some(layer) = step.carried {
        let carried = format!("carried along by {}", catalog.layer(layer).id);
        text = if text.is_empty() { carried } else { format!("{text}, {carried}") };
    }
    text
}

fn step_answer(opened: &Opened, places: &Places<'_>, step: &ShownStep) -> StepAnswer {
    let catalog = opened.catalog();
    let how = match step.how {
        How::Default(_) => "default",
        How::Amended(_) => "amended",
        How::Own if step.from.is_some() => "inherited",
        How::Own => "own",
    };
    StepAnswer {
        value: value_of(&step.value),
        gone: step.gone,
        how,
        layer: (!matches!(step.how, How::Default(_))).then(|| catalog.layer(step.layer).id.clone()),
        from: step.from.map(|from| catalog.show_address(from)),
        why: match step.how {
            How::Amended(id) => catalog.reason(id).map(str::to_owned),
            _ => None,
        },
        carried_by: step.carried.map(|layer| catalog.layer(layer).id.clone()),
        place: step.place.map(|at| places.full(at)),
    }
}

fn json(opened: &Opened, shown: &Shown, session: &mut Session) {
    let catalog = opened.catalog();
    let places = Places::new(catalog);
    let row = |row: &cognomen_core::Row| RowAnswer {
        path: row.path.to_string(),
        now: step_answer(opened, &places, &row.now),
        earlier: row.earlier.iter().map(|step| step_answer(opened, &places, step)).collect(),
    };
    let texts = catalog.seen().texts_of(shown.address).into_iter().map(|(role, language, at)| TextAnswer {
        role: role.to_string(),
        language,
        text: catalog.node(at).text().into_owned(),
    });
    session.json(&ShowAnswer {
        address: catalog.show_address(shown.address),
        name: opened.world.view().readable_name(shown.address),
        note: catalog.note_on(shown.address).map(str::to_owned),
        layers: shown.layers.iter().map(|layer| catalog.layer(*layer).id.clone()).collect(),
        parents: shown.parents.iter().map(|parent| catalog.show_address(*parent)).collect(),
        beside: shown.beside.iter().map(|at| places.full(*at)).collect(),
        values: shown.rows.iter().map(row).collect(),
        texts: texts.collect(),
    });
}

fn human(opened: &Opened, shown: &Shown, all: bool, session: &mut Session) {
    let catalog = opened.catalog();
    let address = catalog.show_address(shown.address);
    let name =
        opened.world.view().readable_name(shown.address).map(|name| format!("  {}", paint(HEAD, &visible(&name))));
    session.say(format!("{}{}", paint(ID, &visible(&address)), name.unwrap_or_default()));
    let layers: Vec<String> = shown.layers.iter().map(|layer| layer_word(opened, *layer, shown.address)).collect();
    session.say(paint(FAINT, &format!("  {}", layers.join(", "))));
    if !shown.beside.is_empty() {
        let others: Vec<String> = shown.beside.iter().map(|at| place(catalog, *at)).collect();
        session.say(paint(FAINT, &format!("  counts beside what else has its id: {}", few(&others, 6))));
    }
    if let Some(note) = catalog.note_on(shown.address) {
        session.say(paint(FAINT, &format!("  your note: {}", visible(note))));
    }
    if !shown.parents.is_empty() {
        let parents: Vec<String> = shown.parents.iter().map(|parent| catalog.show_address(*parent)).collect();
        let between = if shown.several_parents { ", " } else { ", which inherits from " };
        session.say(paint(FAINT, &format!("  inherits from {}", parents.join(between))));
    }
    session.say("");
    let mut table = Table::default();
    let mut folds = Folds::default();
    for row in &shown.rows {
        if !all && folds.take(row) {
            continue;
        }
        folds.say(&mut table);
        let text = match &row.now.value {
            Draft::List(items) if !all && items.len() > Folds::LONG + 8 && !row.now.gone => {
                folds.any = true;
                let (first, rest) = items.split_at(Folds::LONG);
                format!("{}, … and {} more", value(&Draft::List(first.to_vec())), rest.len())
            }
            _ => entry_value(row, &row.now),
        };
        // with its name, where the game gives a value one, or its unit
        let meant = |text: String, value: &Draft| {
            let ty = row.ty.map(|ty| catalog.rulebook().field_type(ty));
            let called = ty.and_then(|ty| ty.called(&value.word()?));
            match (called, ty.and_then(|ty| ty.unit_of(value))) {
                (Some(name), _) => format!("{text} ({})", visible(name)),
                (None, Some(unit)) => format!("{text} {unit}"),
                (None, None) => text,
            }
        };
        let text = meant(text, &row.now.value);
        let style = if matches!(row.now.how, How::Default(_)) { FAINT } else { Style::new() };
        let changed = !catalog.layer(row.now.layer).is_base() && !matches!(row.now.how, How::Default(_));
        table.row([
            (visible(&row.path.to_string()), HEAD),
            (text, if changed { CHANGE } else { style }),
            (row.now.place.map(|at| place(catalog, at)).unwrap_or_else(|| how(opened, &row.now)), FAINT),
            (if row.now.place.is_some() { how(opened, &row.now) } else { String::new() }, FAINT),
        ]);
        if let Some(note) = catalog.note_at(shown.address, &row.path) {
            table.row([(String::new(), HEAD), (format!("your note: {}", visible(note)), FAINT)]);
        }
        let mut before = value(&row.now.value);
        for step in &row.earlier {
            let was = entry_value(row, step);
            // what one mod does in several steps is one change
            let same_layer =
                step.layer == row.now.layer && matches!(step.how, How::Amended(_)) && step.from == row.now.from;
            if was == before || same_layer {
                continue;
            }
            table.row([
                (String::new(), Style::new()),
                (format!("was {}", meant(was.clone(), &step.value)), FAINT),
                (step.place.map(|at| place(catalog, at)).unwrap_or_default(), FAINT),
                (how(opened, step), FAINT),
            ]);
            before = was;
        }
    }
    folds.say(&mut table);
    table.lines("  ").into_iter().for_each(|line| session.say(line));
    if folds.any {
        session.say(paint(FAINT, "  (`--all` shows every entry)"));
    }
    let texts = catalog.seen().texts_of(shown.address);
    if !texts.is_empty() {
        session.say("");
        let mut table = Table::default();
        for (role, language, at) in texts {
            table.row([
                (format!("{role} ({language})"), HEAD),
                (visible(&catalog.node(at).text()), Style::new()),
                (place(catalog, catalog.node(at).place()), FAINT),
            ]);
        }
        table.lines("  ").into_iter().for_each(|line| session.say(line));
    }
}

/// Long lists, of which a person sees the first entries, and those that a mod changed.
#[derive(Default)]
struct Folds<'r> {
    list: &'r [Step],
    shown: usize,
    folded: usize,
    any: bool,
}

impl<'r> Folds<'r> {
    /// So many entries are shown whatever they are.
    const LONG: usize = 24;

    /// Whether a row is folded away.
    fn take(&mut self, row: &'r Row) -> bool {
        let steps = row.path.steps();
        let list = match steps.split_last() {
            Some((Step::Index(_) | Step::Match(_), list)) => list,
            _ => &[],
        };
        if list.is_empty() || list != self.list {
            // what was folded of the list before is said first
            (self.list, self.shown) = (list, 0);
            return false;
        }
        self.shown += 1;
        let plain = row.earlier.is_empty() && row.now.carried.is_none() && !matches!(row.now.how, How::Amended(_));
        let folded = plain && self.shown >= Folds::LONG;
        self.folded += usize::from(folded);
        folded
    }

    /// The line for what was folded away.
    fn say(&mut self, table: &mut Table) {
        let folded = std::mem::take(&mut self.folded);
        if folded > 0 {
            self.any = true;
            let text = format!("… and {}", count(folded, "more entry", "more entries"));
            table.row([(String::new(), HEAD), (text, FAINT)]);
        }
    }
}

/// The value of a row; what names an entry of a keyed list is not said again.
fn entry_value(row: &Row, step: &ShownStep) -> String {
    let named: Vec<&String> = match row.path.steps().last() {
        Some(Step::Match(parts)) => parts.iter().map(|(key, _)| key).collect(),
        _ => Vec::new(),
    };
    match &step.value {
        _ if step.gone => "(taken away)".to_owned(),
        Draft::Table(entries) if entries.len() > named.len() => {
            let rest = entries.iter().filter(|(key, _)| !named.contains(&key)).cloned().collect();
            value(&Draft::Table(rest))
        }
        other => value(other),
    }
}

fn layer_word(opened: &Opened, layer: LayerId, address: Address) -> String {
    let catalog = opened.catalog();
    let id = &catalog.layer(layer).id;
    let defines = catalog.stack(address).any(|(_, definition)| definition.layer == layer);
    match defines {
        true => format!("defined by {id}"),
        false => format!("amended by {id}"),
    }
}
