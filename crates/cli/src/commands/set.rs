//! `set`.

mod many;

use cognomen_core::{
    Assignment, Changed, Draft, FileChange, MemorySource, Overlay, SetOptions, requirement_for, takes_matches,
    with_matches,
};

use super::{Done, Failure};
use crate::answers::{ChangedAnswer, SetAnswer, value_of};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, ID, dry, paint, say_dry, say_told, told_answers, value, visible};
use crate::session::Session;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen set item/lamp-oil burn_minutes=55 --why \"A lamp should last a winter night.\"
  cognomen set item/lamp-oil value*=1.5 tags+=fuel tags-=food
  cognomen set recipe/press-oil 'uses[what=flax-seed].amount=4'
  cognomen set item/lamp-oil 'value:=ceil(burn_minutes / 4)' --dry-run
  cognomen set recipe/press-oil \"minutes:=30 if ref(at).room > 2 else minutes\"

docs/EXPRESSIONS.md lists what an expression can say; docs/AMENDMENTS.md how one amendment changes every definition
for which one holds.

Many at once:
  cognomen set --kind item --where \"'fuel' in tags\" burn_minutes*=1.2    asks first
  cognomen set --kind item --tagged winter-store keeps_days=400 --yes
  cognomen find --kind recipe oil | cognomen set - minutes*=0.5 --yes
  cognomen find --kind item lamp | cognomen set stock/pedlar goods+=-        all that come in, into one list
  cognomen find --kind item lamp | cognomen set stock/pedlar 'goods+={\"what\": \"-\", \"amount\": 3}'

A definition of the mod that is edited is changed in its file. One of the base or of a mod it stands
on gets an amendment. Values are read by the field's type: as the game writes them, or, lists and tables, as JSON or YAML
(`[moss, 3]`, `{what: moss, amount: 3}`). Nothing is written if one does not fit.")]
pub(crate) struct SetArgs {
    /// The definition: kind/id, or the id alone where only one kind has it; `-` for one in each line that comes in.
    /// Left out with --where, --kind or --tagged
    address: Option<String>,
    /// path=value, path:=EXPRESSION, path+=value, path-=value, path*=number
    assignments: Vec<String>,
    /// Take back what is stated at a path, so that the inherited or default value shows; may be repeated
    #[arg(long, value_name = "PATH")]
    unset: Vec<String>,
    /// All for which this expression holds
    #[arg(long = "where", value_name = "EXPR", help_heading = "Many at once")]
    condition: Option<String>,
    /// All of this kind
    #[arg(long, value_name = "KIND", help_heading = "Many at once")]
    kind: Option<String>,
    /// All that belong to this group
    #[arg(long, value_name = "ADDRESS", help_heading = "Many at once")]
    tagged: Option<String>,
    /// An amendment for each, instead of one for all
    #[arg(long, help_heading = "Many at once")]
    each: bool,
    /// Do not ask
    #[arg(long, short = 'y', help_heading = "Many at once")]
    yes: bool,
    /// The reason, kept with the amendment
    #[arg(long, value_name = "TEXT")]
    why: Option<String>,
    /// Add the mod that defines it to the requirements in the manifest, if it is not there
    #[arg(long)]
    require: bool,
    /// Change what stands at an alias (YAML) at its anchor, and so for every place that uses it
    #[arg(long)]
    at_anchor: bool,
    /// Put the value also into a cell of a workbook that holds a formula
    #[arg(long)]
    over_formula: bool,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn set(args: &SetArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let selects = args.condition.is_some() || args.kind.is_some() || args.tagged.is_some();
    let named = match &args.address {
        Some(address) if selects && address.contains('=') => None,
        Some(address) if selects && address != "-" => {
            let message = format!("either `{address}`, or all that are selected: not both");
            return Err(Failure::Usage(message));
        }
        address => address.as_deref(),
    };
    let first = args.address.iter().filter(|_| named.is_none());
    let mut assignments = Vec::new();
    for text in first.chain(&args.assignments) {
        assignments.push(Assignment::parse(text).map_err(|error| Failure::Usage(error.to_string()))?);
    }
    for path in &args.unset {
        assignments.push(Assignment::unset(path).map_err(|error| Failure::Usage(error.to_string()))?);
    }
    if assignments.is_empty() {
        return Err(Failure::Usage("what is to change? As in `cognomen set item/lamp-oil value=12`".to_owned()));
    }
    if selects || named == Some("-") {
        return many::many(args, assignments, named.is_some(), global, session);
    }
    let Some(named) = named else {
        return Err(Failure::Usage("which definition? As in `cognomen set item/lamp-oil value=12`".to_owned()));
    };
    let what = said(args);
    let mut opened = session.open_for(global, &what, args.dry_run)?;
    let layer = opened.edited(global)?;
    let own = opened.catalog().layer(layer).id.clone();
    let (kind, id) = opened.named(named)?;
    if assignments.iter().any(takes_matches) {
        let matches = opened.addresses_from_input()?;
        for assignment in assignments.iter_mut().filter(|assignment| takes_matches(assignment)) {
            *assignment = with_matches(&opened.world, layer, (kind, &id), assignment, &matches)
                .map_err(|error| anyhow::anyhow!("{error}\n  nothing was written"))?;
        }
    }
    let options =
        SetOptions { layer, kind, id: id.clone(), assignments, why: args.why.clone(), at_anchor: args.at_anchor };
    let mut first: Option<(String, FileChange)> = None;
    if args.require
        && let Some((other, change)) = requirement_for(&opened.world, layer, kind, &id).map_err(anyhow::Error::from)?
    {
        // with the requirement the mod stands on other ground, perhaps at another place in the order
        let above = MemorySource::new([(change.path().to_owned(), change.texts().1.as_bytes().to_vec())]);
        *opened.world = session.load(&Overlay::new(&opened.source, above), global)?;
        first = Some((other, change));
    }
    let options = SetOptions { layer: opened.layer(&own)?, ..options };
    let start = std::time::Instant::now();
    let mut report = cognomen_core::set(&mut opened.world, &options)
        .map_err(|error| anyhow::anyhow!("{error}\n  nothing was written"))?;
    session.stage("set", start.elapsed());
    let required = first.map(|(other, change)| {
        report.changes.files.insert(0, change);
        other
    });
    report.changes.over_formulas = args.over_formula;
    opened.carry_out(&report.changes, &what, args.dry_run)?;
    let address = format!("{}/{id}", opened.catalog().rulebook().kind(kind).name());
    let paths: Vec<&str> = report.changes.files.iter().map(FileChange::path).collect();
    if global.json() {
        let changed = report.changed.iter().map(|changed| ChangedAnswer {
            path: changed.path.to_string(),
            before: changed.before.as_ref().map(value_of),
            after: changed.after.as_ref().map(value_of),
        });
        session.json(&SetAnswer {
            address,
            layer: own,
            changed: changed.collect(),
            amended: report.amended,
            comes: report.comes.iter().map(|(path, _)| path.to_string()).collect(),
            required,
            files: paths.into_iter().map(str::to_owned).collect(),
            told: told_answers(&report.told, opened.catalog()),
            dry: dry(&report.changes, args.dry_run),
        });
    } else if paths.is_empty() {
        for changed in &report.changed {
            let path = visible(&changed.path.to_string());
            session.say(format!("{} {path}: {} already", paint(ID, &visible(&address)), shown(&changed.before)));
        }
        session.remark("nothing was written");
    } else {
        let view = opened.world.view();
        // a part that applies only under a condition is not in what all have
        let together = || opened.catalog().address(kind, &id).and_then(|at| view.effective(at));
        let all = if view.layers().contains(layer) { together() } else { None };
        for changed in &report.changed {
            let path = visible(&changed.path.to_string());
            let change = match (&changed.before, &changed.after) {
                (old, new) if old == new => format!("stays {}", with_unit(changed)),
                (Some(Draft::List(old)), Some(Draft::List(new))) if old.iter().chain(new).any(is_table) => {
                    entries(old, new)
                }
                (before, _) => format!("{} → {}", shown(before), paint(CHANGE, &with_unit(changed))),
            };
            session.say(format!("{} {path}: {change}", paint(ID, &visible(&address))));
            // the number was taken on what the mod stands on
            let together =
                all.as_ref().and_then(|all| Some(all.get(opened.catalog(), &changed.path)?.draft(opened.catalog())));
            let single = together.as_ref().is_some_and(|value| value.word().is_some());
            if single && together != changed.after {
                let together = shown(&together);
                session.say(paint(
                    FAINT,
                    &format!("  with all mods together it shows {together}: `cognomen show {address}`"),
                ));
            }
        }
        for (path, default) in &report.comes {
            let counts = default
                .as_ref()
                .map_or("may be stated".to_owned(), |value| format!("{} if left out", shown(&Some(value.clone()))));
            let path = visible(&path.to_string());
            session.say(format!("{} {path}: there is such a field now, {counts}", paint(ID, &visible(&address))));
        }
        if args.dry_run {
            say_dry(&report.changes, session);
            say_told(&report.told, session);
            session.timings(global);
            return Ok(Done::Well);
        }
        if let Some(other) = required {
            session.say(format!("`{own}` now requires `{other}`"));
        }
        session.written(&paths);
        say_told(&report.told, session);
        if let Some(takes_up) = opened.catalog().rulebook().kind(kind).takes_up().filter(|_| !global.quiet) {
            session.remark(paint(FAINT, &format!("the game takes this up {}", visible(takes_up))));
        }
    }
    session.timings(global);
    Ok(Done::Well)
}

/// The command, for `undo`.
fn said(args: &SetArgs) -> String {
    let quoted = |text: &String| match text.contains([' ', '"', '\'', '$', '*', ';', '|', '<', '>', '&', '(', ')']) {
        true if text.contains('"') => format!("'{text}'"),
        true => format!("\"{text}\""),
        false => text.clone(),
    };
    let mut words = vec!["set".to_owned()];
    words.extend(args.kind.iter().map(|kind| format!("--kind {kind}")));
    words.extend(args.condition.iter().map(|condition| format!("--where {}", quoted(condition))));
    words.extend(args.tagged.iter().map(|group| format!("--tagged {}", quoted(group))));
    words.extend(args.address.iter().chain(&args.assignments).map(quoted));
    words.extend(args.unset.iter().map(|path| format!("--unset {}", quoted(path))));
    words.join(" ")
}

/// What shows after a change, with its unit.
pub(super) fn with_unit(changed: &Changed) -> String {
    let after = shown(&changed.after);
    changed
        .unit
        .as_ref()
        .filter(|_| changed.after.is_some())
        .map_or(after.clone(), |unit| format!("{after} {}", visible(unit)))
}

pub(super) fn shown(draft: &Option<Draft>) -> String {
    match draft {
        // a text that looks like a number is told apart from the number
        Some(Draft::Text(text)) if cognomen_core::Number::parse(text).is_some() => format!("\"{text}\""),
        Some(draft) => value(draft),
        None => "nothing".to_owned(),
    }
}

fn is_table(draft: &Draft) -> bool {
    matches!(draft, Draft::Table(_))
}

/// A list of tables: only the entries that came and went.
fn entries(old: &[Draft], new: &[Draft]) -> String {
    let gone = old.iter().filter(|entry| !new.contains(entry)).map(|entry| format!("− {}", value(entry)));
    let come = new.iter().filter(|entry| !old.contains(entry)).map(|entry| format!("+ {}", value(entry)));
    let all: Vec<String> = gone.chain(come).map(|entry| paint(CHANGE, &entry)).collect();
    match all.is_empty() {
        true => "the same entries in another order".to_owned(),
        false => all.join("; "),
    }
}
