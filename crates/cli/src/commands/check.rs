//! `check`.

mod saved;
mod since;

use std::path::PathBuf;
use std::sync::Mutex;

use clap::ValueEnum;
use cognomen_core::{
    ACCEPTED_FILE, CHECKS, Catalog, CheckReport, FileChange, Finding, Mend, Mended, Severity, Source, SummedUp, Whose,
    accept as accepted_text, by_cause, mend, nearest, summed_up,
};

use super::{Done, Failure};
use crate::answers::{AcceptAnswer, CheckAnswer, FindingAnswer, FixAnswer, MendedAnswer, SummedUpAnswer};
use crate::args::Global;
use crate::output::{
    Drawing, FAINT, GOOD, HEAD, ID, Places, ReportForm, Table, count, dry, finding_answer, paint, report_in, say_dry,
    severity_style, summary, visible,
};
use crate::session::{Opened, Session};
use crate::tables::put;

#[derive(clap::Args, Debug)]
#[command(group(clap::ArgGroup::new("writes").args(["fix", "accept"]).multiple(true)))]
#[command(after_help = "Examples:
  cognomen check                          everything, the base included
  cognomen check --mod first-steps        what that mod's players get: all that is told of it
  cognomen check --code leads-nowhere     only one sort of finding
  cognomen check --format json            for scripts
  cognomen check --summary                how many of each code, kind and field, with one example each
  cognomen check --mod base --as-maker    the game's own data, with what otherwise only concerns mods
  cognomen check --fix                    mends what has one answer only: a name one letter off, a missing requirement
  cognomen check --fix --dry-run          shows that as a difference, and writes nothing
  cognomen check --report sarif=findings.sarif --report junit=findings.xml
  cognomen check --report github          as lines that a service shows beside the code (docs/CONTINUOUS.md)
  cognomen check --changed-since main     what is new since a revision, wherever it shows
  cognomen check --saved game/saves/evening.json
                                          which ids a saved game holds that nothing defines any more
  cognomen check --accept --code file-lacking --why \"still being painted\"
                                          these findings are known: keep them silent

Exit code: 0 without errors, 1 with at least one.")]
pub(crate) struct CheckArgs {
    /// Only findings with this code; may be repeated
    #[arg(long, value_name = "CODE", value_delimiter = ',')]
    code: Vec<String>,
    /// One line a finding
    #[arg(long)]
    short: bool,
    /// Every finding by itself, also where many have one cause, and however many there are
    #[arg(long)]
    all: bool,
    /// How many findings there are of each code, kind and field, the most frequent first, with one example each
    #[arg(long, conflicts_with_all = ["short", "all", "fix", "accept"])]
    summary: bool,
    /// Mend what has one answer only, in the edited mod; everything is read back before it is written
    #[arg(long, conflicts_with_all = ["accept", "as_maker"])]
    fix: bool,
    /// Keep the findings that are shown silent from now on, in accepted.toml
    #[arg(long)]
    accept: bool,
    /// With --accept: the reason
    #[arg(long, value_name = "TEXT", requires = "accept")]
    why: Option<String>,
    /// With --fix or --accept: show the change, write nothing
    #[arg(long, requires = "writes")]
    dry_run: bool,
    /// The base, too, with everything that otherwise only concerns mods: for those who make or describe it
    #[arg(long)]
    as_maker: bool,
    /// Only what was not there at a revision of the git repository that the workspace lies in
    #[arg(long, value_name = "REV")]
    changed_since: Option<String>,
    /// Which ids a saved game holds that the load order, or a mod with what it stands on, does not define any more
    #[arg(long, value_name = "FILE", conflicts_with_all = ["fix", "accept", "summary", "changed_since", "report", "code"])]
    saved: Option<PathBuf>,
    /// A report for continuous integration, into a file or in place of the answer: sarif, junit, github, azure or
    /// gitlab; may be repeated
    #[arg(long, value_name = "FORM[=FILE]", conflicts_with_all = ["fix", "accept"])]
    report: Vec<String>,
    /// How long each check took
    #[arg(long)]
    timings: bool,
}

/// Reports that are wanted: each with its file, or in place of the answer.
fn wanted_reports(args: &CheckArgs) -> Result<Vec<(ReportForm, Option<PathBuf>)>, Failure> {
    let mut out: Vec<(ReportForm, Option<PathBuf>)> = Vec::new();
    for text in &args.report {
        let (form, file) = match text.split_once('=') {
            Some((form, file)) => (form, Some(PathBuf::from(file))),
            None => (text.as_str(), None),
        };
        let known = ReportForm::from_str(form, true).map_err(|_| {
            let all = ["sarif", "junit", "github", "azure", "gitlab"];
            let near = nearest(form, all)
                .map_or(format!("there are {}", all.join(", ")), |near| format!("the nearest is `{near}`"));
            Failure::Usage(format!("there is no report `{}`\n  help: {near}", visible(form)))
        })?;
        if file.is_none() && out.iter().any(|(_, file)| file.is_none()) {
            return Err(Failure::Usage(
                "only one report can take the place of the answer; name a file for the others".to_owned(),
            ));
        }
        out.push((known, file));
    }
    Ok(out)
}

/// Writes the reports; whether one took the place of the answer.
fn reports(
    wanted: &[(ReportForm, Option<PathBuf>)],
    opened: &Opened,
    findings: &[&Finding],
    session: &mut Session,
) -> Result<bool, Failure> {
    if wanted.is_empty() {
        return Ok(false);
    }
    let catalog = opened.catalog();
    let places = Places::new(catalog);
    let all: Vec<FindingAnswer> = findings.iter().map(|finding| finding_answer(catalog, &places, finding)).collect();
    let prefix = since::repository(&opened.root).map_or(String::new(), |(_, prefix)| prefix);
    let mut in_place = false;
    for (form, file) in wanted {
        let text = report_in(*form, &all, &prefix).map_err(anyhow::Error::from)?;
        match file {
            Some(file) => put((session.folder(), file), text.as_bytes(), true, &opened.bases())?,
            None => {
                in_place = true;
                session.say(text.trim_end_matches('\n'));
            }
        }
    }
    Ok(in_place)
}

pub(crate) fn check(args: &CheckArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    if let Some(file) = &args.saved {
        let opened = session.open(global)?;
        return saved::check_saved(file, &opened, global, session);
    }
    let wanted_reports = wanted_reports(args)?;
    let who = if args.fix { "check --fix" } else { "check --accept" };
    let mut opened = session.open_broken(global, who, !(args.accept || args.fix) || args.dry_run)?;
    opened.take_in_editions(session);
    let catalog = opened.catalog();
    // of a mod with a broken manifest that is what is told
    let unloaded = global.edited.as_deref().is_some_and(|id| catalog.is_unloaded(id));
    let edited = global.edited.as_deref().filter(|_| !unloaded);
    let layer = edited.map(|id| opened.layer(id)).transpose()?;
    let own: Vec<&str> =
        catalog.rulebook().kinds().flat_map(|(_, kind)| kind.rules()).filter_map(|rule| rule.code()).collect();
    for code in &args.code {
        let known: Vec<&str> = CHECKS.iter().map(|check| check.code).chain(own.iter().copied()).collect();
        if !known.contains(&code.as_str()) {
            let help = nearest(code, known)
                .map_or("`cognomen explain` lists all codes".to_owned(), |near| format!("the nearest is `{near}`"));
            return Err(Failure::Usage(format!("there is no code `{}`\n  help: {help}", visible(code))));
        }
    }
    let times: Mutex<Vec<(&'static str, std::time::Duration)>> = Mutex::default();
    let start = std::time::Instant::now();
    let report = cognomen_core::check_watched(&opened.world, args.as_maker, &|code, took| {
        times.lock().unwrap_or_else(std::sync::PoisonError::into_inner).push((code, took));
    });
    // as the world, it is not taken apart piece by piece when the program ends
    let report = std::mem::ManuallyDrop::new(report);
    session.stage("checks", start.elapsed());
    if args.timings {
        let all = times.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner);
        let mut of_each = std::collections::BTreeMap::<&str, std::time::Duration>::new();
        all.into_iter().for_each(|(code, took)| *of_each.entry(code).or_default() += took);
        let mut times: Vec<_> = of_each.into_iter().collect();
        times.sort_by_key(|(_, took)| std::cmp::Reverse(*took));
        let all: f64 = times.iter().map(|(_, took)| took.as_secs_f64()).sum();
        for (code, took) in times {
            let share = took.as_secs_f64() / all.max(f64::MIN_POSITIVE) * 100.0;
            session.remark(format!("{:>9.1} ms {share:>4.0} %  {code}", took.as_secs_f64() * 1e3));
        }
    }
    let wanted = |finding: &&Finding| {
        layer.is_none_or(|layer| finding.is_told_of(layer))
            && (!unloaded || finding.whose == Whose::Workspace)
            && (args.code.is_empty() || args.code.iter().any(|code| finding.code == *code))
    };
    let mut findings: Vec<&Finding> = report.findings.iter().filter(wanted).collect();
    if let Some(revision) = &args.changed_since {
        findings = since::new_since(&opened, findings, (revision, args.as_maker), global, session)?;
    }
    crate::record::checked(&opened, &report.findings, session);
    if args.fix {
        return fix(args, &opened, &report, global, session);
    }
    if args.accept {
        return accept(args, &opened, &findings, global, session);
    }
    let causes: Vec<Vec<&Finding>> = match args.all {
        true => findings.iter().map(|finding| vec![*finding]).collect(),
        false => by_cause(catalog, &findings),
    };
    let accepted = report.accepted.iter().filter(wanted).count();
    let number = |severity| findings.iter().filter(|finding| finding.severity == severity).count();
    let errors = number(Severity::Error);
    if reports(&wanted_reports, &opened, &findings, session)? {
        session.timings(global);
        return Ok(if errors > 0 { Done::WithErrors } else { Done::Well });
    }
    if global.json() {
        // findings keep their order, each with the number of its cause
        let numbered = causes.iter().zip(1usize..).flat_map(|(cause, nth)| cause.iter().map(move |f| (*f, nth)));
        let mut numbers: Vec<(&Finding, usize)> = numbered.collect();
        numbers.sort_by_key(|(finding, _)| std::ptr::from_ref::<Finding>(finding));
        let places = Places::new(catalog);
        let all = numbers
            .into_iter()
            .map(|(finding, cause)| FindingAnswer { cause: Some(cause), ..finding_answer(catalog, &places, finding) });
        session.json(&CheckAnswer {
            findings: all.collect(),
            errors,
            warnings: number(Severity::Warning),
            notes: number(Severity::Note),
            causes: causes.len(),
            accepted,
            summary: args.summary.then(|| summary_answer(catalog, &findings)),
        });
    } else {
        if args.summary {
            in_numbers(catalog, &findings, session);
        } else if !global.quiet {
            let mut drawing = Drawing::new(catalog, 120);
            let places = Places::new(catalog);
            // one line a finding is as much as anybody asks for
            let most = if args.all || args.short { causes.len() } else { SHOWN };
            for cause in causes.iter().take(most) {
                let Some((finding, others)) = cause.split_first() else { continue };
                let more = also(&places, others);
                if args.short {
                    let place = places.place(finding.place);
                    let code = paint(severity_style(finding.severity), &finding.code);
                    session.say(format!("{place}: {code}: {}{more}", visible(&finding.message)));
                } else {
                    session.say(drawing.draw(finding));
                    if !more.is_empty() {
                        session.say(paint(FAINT, more.trim_start_matches([';', ' '])));
                    }
                    session.say("");
                }
            }
            if let Some(rest) = causes.len().checked_sub(most).filter(|rest| *rest > 0) {
                let rest = count(rest, "more cause", "more causes");
                session.say(format!(
                    "and {rest}: `--summary` sums them up, `--short` has a line each, `--all` shows each"
                ));
                session.say("");
            }
        }
        let definitions = match layer {
            Some(layer) => catalog.definitions().filter(|(_, definition)| definition.layer == layer).count(),
            None => catalog.definitions().count(),
        };
        let looked = match layer {
            Some(layer) => {
                format!("`{}` ({})", catalog.layer(layer).id, count(definitions, "definition", "definitions"))
            }
            None => format!(
                "{} in {}",
                count(definitions, "definition", "definitions"),
                count(catalog.layers().count(), "layer", "layers")
            ),
        };
        let new = args.changed_since.as_ref().map_or(String::new(), |rev| format!(" new since {}", visible(rev)));
        let accepted = match accepted {
            0 => String::new(),
            number => format!("; {number} accepted"),
        };
        let of_causes = match causes.len() {
            number if number == findings.len() => String::new(),
            number => format!(", of {}", count(number, "cause", "causes")),
        };
        if findings.is_empty() {
            session.say(format!("{}{new} in {looked}{accepted}", paint(GOOD, "no findings")));
        } else {
            session.say(format!("{}{new}{of_causes}; looked at {looked}{accepted}", summary(&findings)));
            if !global.quiet
                && !args.summary
                && let Some(first) = findings.first()
            {
                session.remark(format!("`cognomen explain {}` says more about a code", first.code));
                mendable(&opened, &findings, global, session);
            }
        }
    }
    session.timings(global);
    Ok(if errors > 0 { Done::WithErrors } else { Done::Well })
}

fn summary_answer(catalog: &Catalog, findings: &[&Finding]) -> Vec<SummedUpAnswer> {
    let places = Places::new(catalog);
    let one = |one: SummedUp<'_>| SummedUpAnswer {
        code: one.code.to_owned(),
        severity: one.severity.word().to_owned(),
        kind: one.kind,
        field: one.field,
        findings: one.findings,
        definitions: one.definitions,
        example: places.full(one.example.place),
        message: one.example.message.to_string(),
    };
    summed_up(catalog, findings).into_iter().map(one).collect()
}

/// So many findings are drawn; nobody reads more of them.
const SHOWN: usize = 100;

/// Findings in numbers, with an example each.
fn in_numbers(catalog: &Catalog, findings: &[&Finding], session: &mut Session) {
    let places = Places::new(catalog);
    let mut table = Table::default();
    for one in summed_up(catalog, findings) {
        let field = [one.kind.as_deref(), one.field.as_deref()].into_iter().flatten().collect::<Vec<_>>().join(".");
        let number = match one.definitions {
            0 | 1 => one.findings.to_string(),
            definitions if definitions == one.findings => one.findings.to_string(),
            definitions => format!("{} in {definitions}", one.findings),
        };
        let example = format!("{}: {}", places.place(one.example.place), one.example.message);
        table.row([
            (number, HEAD),
            (one.code.to_owned(), severity_style(one.severity)),
            (visible(&field), ID),
            (visible(&example), FAINT),
        ]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
    if !findings.is_empty() {
        session.say("");
    }
}

/// The places of further findings with the same cause.
fn also(places: &Places<'_>, others: &[&Finding]) -> String {
    if others.is_empty() {
        return String::new();
    }
    const SHOWN: usize = 4;
    let places: Vec<String> = others.iter().take(SHOWN).map(|finding| places.place(finding.place)).collect();
    let rest = match others.len() - places.len() {
        0 => String::new(),
        number => format!(" and {number} more; `--all` shows each"),
    };
    format!("; the same at {}{rest}", places.join(", "))
}

/// Says how many of the findings could be mended without asking.
fn mendable(opened: &Opened, findings: &[&Finding], global: &Global, session: &mut Session) {
    let Ok(layer) = opened.edited(global) else { return };
    let catalog = opened.catalog();
    let of_layer = |mend: &Mend| mend.layer(catalog) == Some(layer) && !catalog.layer(layer).is_base();
    let told = findings.iter().filter(|finding| finding.is_told_of(layer));
    let number = told.filter(|finding| finding.mend.as_deref().is_some_and(of_layer)).count();
    if number > 0 {
        let whose = global.edited.as_ref().map_or(String::new(), |id| format!(" --mod {}", visible(id)));
        let of_them = count(number, "of them has", "of them have");
        session.remark(format!("{of_them} one answer only: `cognomen check{whose} --fix` mends that"));
    }
}

/// Mends what has one answer only.
fn fix(
    args: &CheckArgs,
    opened: &Opened,
    report: &CheckReport,
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let layer = opened.edited(global)?;
    let id = opened.catalog().layer(layer).id.clone();
    let told = |catalog: &Catalog, finding: &Finding| {
        catalog.layer_named(&id).is_some_and(|layer| finding.is_told_of(layer))
            && (args.code.is_empty() || args.code.iter().any(|code| finding.code == *code))
    };
    let done = mend(&opened.source, &opened.world, report, layer, &told).map_err(anyhow::Error::from)?;
    let (world, report) = done.after.as_ref().map_or((&*opened.world, report), |(world, report)| (world, report));
    let left: Vec<&Finding> = report.findings.iter().filter(|finding| told(world.catalog(), finding)).collect();
    let number = |severity| left.iter().filter(|finding| finding.severity == severity).count();
    let errors = number(Severity::Error);
    let mended = count(done.mended.len(), "finding", "findings");
    if !done.mended.is_empty() {
        opened.carry_out(&done.changes, &format!("mend {mended} of {id}"), args.dry_run)?;
    }
    let exit = if errors > 0 { Done::WithErrors } else { Done::Well };
    if global.json() {
        let one = |mended: &Mended| MendedAnswer {
            code: mended.code.clone(),
            file: mended.path.clone(),
            line: mended.line,
            address: mended.address.clone(),
            message: mended.message.to_string(),
            what: mended.what.clone(),
        };
        session.json(&FixAnswer {
            mended: done.mended.iter().map(one).collect(),
            files: done.changes.files.iter().map(|file| file.path().to_owned()).collect(),
            errors,
            warnings: number(Severity::Warning),
            notes: number(Severity::Note),
            dry: dry(&done.changes, args.dry_run || done.mended.is_empty()),
        });
        return Ok(exit);
    }
    let verb = if args.dry_run { "would mend" } else { "mended" };
    session.say(match done.mended.is_empty() {
        true => format!("nothing in `{}` has only one answer", visible(&id)),
        false => format!("{} {mended} in `{}`", paint(GOOD, verb), visible(&id)),
    });
    for one in &done.mended {
        let place = format!("{}:{}", visible(&one.path), one.line);
        let code = paint(FAINT, &one.code);
        session.say(format!("  {place}  {}  {code}", visible(&one.what)));
    }
    if !left.is_empty() {
        session.say(format!("left for you: {}", summary(&left)));
    }
    if args.dry_run {
        say_dry(&done.changes, session);
    } else if !done.mended.is_empty() {
        let files: Vec<&str> = done.changes.files.iter().map(FileChange::path).collect();
        session.written(&files);
        session.remark("`cognomen undo` takes it back");
    }
    if !left.is_empty() {
        session.remark(format!("`cognomen check --mod {id}` shows what is left"));
    }
    Ok(exit)
}

/// Keeps findings silent from now on.
fn accept(
    args: &CheckArgs,
    opened: &Opened,
    findings: &[&Finding],
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let catalog = opened.catalog();
    let more: Vec<_> = findings.iter().map(|finding| finding.acceptance(catalog, args.why.clone())).collect();
    let before = opened.source.read(ACCEPTED_FILE).ok().map(|bytes| String::from_utf8_lossy(&bytes).into_owned());
    if more.is_empty() {
        if global.json() {
            let none = cognomen_core::ChangeSet::default();
            session.json(&AcceptAnswer { accepted: 0, files: Vec::new(), dry: dry(&none, args.dry_run) });
        } else {
            session.say("there is nothing to accept");
        }
        return Ok(Done::Well);
    }
    let text = accepted_text(before.as_deref(), &more).map_err(|message| anyhow::anyhow!(message))?;
    let changes = cognomen_core::ChangeSet::from(vec![FileChange::written(ACCEPTED_FILE, before, text)]);
    let what = format!("accept {}", count(more.len(), "finding", "findings"));
    opened.carry_out(&changes, &what, args.dry_run)?;
    if global.json() {
        let files = vec![ACCEPTED_FILE.to_owned()];
        session.json(&AcceptAnswer { accepted: more.len(), files, dry: dry(&changes, args.dry_run) });
        return Ok(Done::Well);
    }
    if args.dry_run {
        say_dry(&changes, session);
        return Ok(Done::Well);
    }
    session.say(format!("accepted {}; they stay silent from now on", count(more.len(), "finding", "findings")));
    session.say(paint(FAINT, &format!("written: {ACCEPTED_FILE}")));
    if args.why.is_none() {
        session.remark("`--why \"...\"` keeps the reason with them");
    }
    Ok(Done::Well)
}
