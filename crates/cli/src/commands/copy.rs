//! `copy` and `new`: definitions that start from another one, or from what must be there.

use cognomen_core::{
    Address, Assignment, CopyOptions, Draft, FieldPath, FileChange, KindId, LayerId, MadeReport, NewOptions, Start,
    copy as copied, fits_field, lacking_fields, linked_ids, new_definition, plan_copy, usable_id,
};

use super::{Done, Failure, check_next};
use crate::answers::{MadeAnswer, MadeOne, SharedAnswer, StartAnswer, StartsAnswer};
use crate::args::Global;
use crate::output::{FAINT, GOOD, ID, count, dry, few, paint, say_dry, say_told, told_answers, value, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen copy item/fen-lamp storm-lamp value=48 --name \"Storm lamp\"
  cognomen copy item/eel-pie pike-pie --whole --dry-run
  cognomen copy unit/marsh-boar fen-king --with traits     its traits are copied along, as its own
  cognomen copy unit/bog-sow fen-queen --starts            what each starting point leaves to state

What inherits states only what differs; a whole copy states everything. What no two definitions may
share is left out. Texts are copied under the new id's keys.")]
pub(crate) struct CopyArgs {
    /// The definition to copy: kind/id, or the id alone where only one kind has it
    original: String,
    /// The new id
    id: String,
    /// What is to be different: path=value and so on, as for `set`
    assignments: Vec<String>,
    /// Inherit from the original (without either of these: where the kind can)
    #[arg(long, conflicts_with = "whole")]
    inherit: bool,
    /// State everything itself
    #[arg(long)]
    whole: bool,
    /// Copy what the original owns through this field, too, and name the copies; may be repeated
    #[arg(long, value_name = "FIELD")]
    with: Vec<String>,
    /// The readable name, in the main language
    #[arg(long, value_name = "TEXT")]
    name: Option<String>,
    /// Only show the chain of parents, and what each start leaves to state
    #[arg(long)]
    starts: bool,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen new item/storm-lamp value=48 weight=4 tags=tool,light --name \"Storm lamp\"
  cognomen new item/storm-lamp --like item/fen-lamp value=48
  cognomen new item/storm-lamp                    asks for what must be there, at the terminal")]
pub(crate) struct NewArgs {
    /// Kind and id of the new definition: kind/id
    address: String,
    /// Its values: path=value and so on, as for `set`
    assignments: Vec<String>,
    /// A definition of the kind that gives what must be there and is not said
    #[arg(long, value_name = "ADDRESS")]
    like: Option<String>,
    /// The readable name, in the main language
    #[arg(long, value_name = "TEXT")]
    name: Option<String>,
    /// Ask for what is missing even where no terminal is seen
    #[arg(long)]
    ask: bool,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

fn assignments(texts: &[String]) -> Result<Vec<Assignment>, Failure> {
    texts.iter().map(|text| Assignment::parse(text).map_err(|error| Failure::Usage(error.to_string()))).collect()
}

pub(crate) fn copy(args: &CopyArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let path = |text: &String| FieldPath::parse(text).map_err(|error| Failure::Usage(error.to_string()));
    let (assignments, with) =
        (assignments(&args.assignments)?, args.with.iter().map(path).collect::<Result<Vec<_>, _>>()?);
    let dry_run = args.dry_run || args.starts;
    let mut opened = session.open_for(global, &format!("copy {} {}", args.original, args.id), dry_run)?;
    let layer = opened.edited(global)?;
    let original = opened.address(&args.original)?;
    let id = match opened.catalog().kind_of(original) {
        Some(kind) => opened.new_id(kind, &args.id),
        None => args.id.clone(),
    };
    let options = CopyOptions {
        layer,
        original,
        id,
        start: match (args.inherit, args.whole) {
            (true, _) => Some(Start::Inherit),
            (_, true) => Some(Start::Whole),
            _ => None,
        },
        with,
        assignments,
        name: args.name.clone(),
    };
    if args.starts {
        starts(&opened, &plan_copy(&opened.world, &options).map_err(refused)?, global, session);
        return Ok(Done::Well);
    }
    let report = copied(&mut opened.world, &options).map_err(refused)?;
    let what = format!("copy {} {}", args.original, args.id);
    finish(&opened, layer, &report, &what, args.dry_run, global, session)
}

pub(crate) fn new(args: &NewArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let Some((kind, id)) = args.address.split_once('/') else {
        return Err(Failure::Usage("which kind? As in `cognomen new item/storm-lamp`".to_owned()));
    };
    let mut given = assignments(&args.assignments)?;
    // while a person is asked, others may write
    let asked = args.like.is_none() && (args.ask || session.asks()) && !global.json();
    let mut opened = session.open_for(global, &format!("new {}", args.address), args.dry_run || asked)?;
    let layer = opened.edited(global)?;
    let kind = opened.kind(kind)?;
    let like = args.like.as_deref().map(|text| opened.address(text)).transpose()?;
    usable_id(&opened.world, layer, (kind, id), true).map_err(refused)?;
    if asked {
        ask(&opened, layer, kind, &mut given, session)?;
        if !args.dry_run {
            opened.take_lock(session, &format!("new {}", args.address))?;
        }
    }
    let options = NewOptions { layer, kind, id: id.to_owned(), assignments: given, like, name: args.name.clone() };
    let report = new_definition(&mut opened.world, &options).map_err(refused)?;
    let what = format!("new {}", args.address);
    finish(&opened, layer, &report, &what, args.dry_run, global, session)
}

pub(super) fn refused(error: impl std::fmt::Display) -> Failure {
    anyhow::anyhow!("{error}\n  nothing was written").into()
}

/// Asks for each field that must be there and was not said.
fn ask(
    opened: &Opened,
    layer: LayerId,
    kind: KindId,
    given: &mut Vec<Assignment>,
    session: &mut Session,
) -> Result<(), Failure> {
    let catalog = opened.catalog();
    let rulebook = catalog.rulebook();
    for ty in lacking_fields(catalog, kind, &Draft::Table(Vec::new())) {
        let field = rulebook.field_type(ty);
        let pattern = field.pattern();
        if given.iter().any(|assignment| assignment.path.to_string() == pattern) {
            continue;
        }
        let unit = field.unit().map(|unit| format!(", {unit}")).unwrap_or_default();
        let about = field.about().map(|about| format!(" — {about}")).unwrap_or_default();
        session.remark(format!("{pattern}: {}{unit}{about}", rulebook.describe(ty)));
        let ids = linked_ids(catalog, layer, ty);
        if !ids.is_empty() {
            const SHOWN: usize = 16;
            session.remark(paint(FAINT, &format!("  there are {}", few(&ids, SHOWN))));
        }
        loop {
            let Some(answer) = session.answer(&format!("{pattern} = ")) else {
                return Err(anyhow::anyhow!("no answer for `{pattern}`\n  nothing was written").into());
            };
            let assignment = Assignment::parse(&format!("{pattern}={answer}"));
            let assignment = assignment.map_err(|error| Failure::Usage(error.to_string()))?;
            match fits_field(&opened.world, layer, kind, &assignment) {
                Ok(()) => {
                    given.push(assignment);
                    break;
                }
                // a slip is asked about again
                Err(error) => session.remark(format!("  {error}")),
            }
        }
    }
    Ok(())
}

/// Writes all, and says what was made.
fn finish(
    opened: &Opened,
    layer: LayerId,
    report: &MadeReport,
    what: &str,
    dry_run: bool,
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let changes = &report.changes;
    let catalog = opened.catalog();
    let own = catalog.layer(layer).id.clone();
    let paths: Vec<&str> = changes.files.iter().map(FileChange::path).collect();
    opened.carry_out(changes, what, dry_run)?;
    let named = |kind: KindId, id: &str| format!("{}/{id}", catalog.rulebook().kind(kind).name());
    if global.json() {
        let made = report.made.iter().map(|(kind, id, original)| MadeOne {
            address: named(*kind, id),
            original: original.map(|original| catalog.show_address(original)),
        });
        let shared = report
            .shared
            .iter()
            .map(|(path, target)| SharedAnswer { path: path.to_string(), address: catalog.show_address(*target) });
        session.json(&MadeAnswer {
            made: made.collect(),
            layer: own,
            files: paths.into_iter().map(str::to_owned).collect(),
            texts: report.texts.clone(),
            shared: shared.collect(),
            dropped: report.dropped.iter().map(ToString::to_string).collect(),
            told: told_answers(&report.told, catalog),
            dry: dry(changes, dry_run),
        });
        return Ok(Done::Well);
    }
    if dry_run {
        say_dry(changes, session);
        say_told(&report.told, session);
        return Ok(Done::Well);
    }
    for (kind, id, original) in &report.made {
        let from = original.map(|original| format!(", from {}", visible(&catalog.show_address(original))));
        session.say(format!(
            "{} {}{}",
            paint(GOOD, "made"),
            paint(ID, &visible(&named(*kind, id))),
            from.unwrap_or_default()
        ));
    }
    let chain: Vec<String> =
        report.starts.iter().skip(1).filter_map(|start| Some(catalog.show_address(start.parent?))).collect();
    if let (Some((.., Some(original))), false) = (report.made.first(), chain.is_empty()) {
        let original = visible(&catalog.show_address(*original));
        let chain = visible(&chain.join(", which inherits from "));
        session.say(format!("{original} inherits from {chain}; `--starts` compares these as starting points"));
    }
    if !report.dropped.is_empty() {
        let all: Vec<String> = report.dropped.iter().map(|path| format!("`{path}`")).collect();
        session.say(format!("left out, since no two may share it: {}", visible(&all.join(", "))));
    }
    shared(&report.shared, opened, session);
    if !report.texts.is_empty() {
        session.say(format!("{}: {}", count(report.texts.len(), "text", "texts"), visible(&report.texts.join(", "))));
    }
    session.written(&paths);
    say_told(&report.told, session);
    check_next(opened, layer, session);
    session.timings(global);
    Ok(Done::Well)
}

/// What a copy names together with its original, by field.
fn shared(shared: &[(FieldPath, Address)], opened: &Opened, session: &mut Session) {
    let mut by_field: Vec<(String, Vec<String>)> = Vec::new();
    for (path, target) in shared {
        let (path, target) = (path.to_string(), opened.catalog().show_address(*target));
        match by_field.iter_mut().find(|(known, _)| *known == path) {
            Some((_, all)) => all.push(target),
            None => by_field.push((path, vec![target])),
        }
    }
    for (path, targets) in by_field {
        session.say(format!("shared with the original by `{}`: {}", visible(&path), visible(&targets.join(", "))));
    }
}

/// The chain of parents, and what each start leaves to state.
fn starts(opened: &Opened, report: &MadeReport, global: &Global, session: &mut Session) {
    let catalog = opened.catalog();
    if global.json() {
        let starts = report.starts.iter().map(|start| StartAnswer {
            parent: start.parent.map(|parent| catalog.show_address(parent)),
            to_state: start.to_state.iter().map(ToString::to_string).collect(),
        });
        session.json(&StartsAnswer { starts: starts.collect() });
        return;
    }
    session.say("to be as the original is, a copy has to state:");
    for start in &report.starts {
        let how = match start.parent {
            Some(parent) => format!("inheriting from {}", paint(ID, &visible(&catalog.show_address(parent)))),
            None => "whole".to_owned(),
        };
        let fields: Vec<String> = start.to_state.iter().take(8).map(ToString::to_string).collect();
        let more = if start.to_state.len() > 8 { ", …" } else { "" };
        let all = match fields.as_slice() {
            [] => "nothing".to_owned(),
            fields => format!(
                "{}: {}{more}",
                count(start.to_state.len(), "field", "fields"),
                value(&Draft::List(fields.iter().map(|f| Draft::Text(f.clone())).collect()))
            ),
        };
        session.say(format!("  {how}: {all}"));
    }
}
