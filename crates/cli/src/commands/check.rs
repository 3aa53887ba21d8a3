//! `check`.

use std::sync::Mutex;

use cognomen_core::{CHECKS, Finding, Severity, nearest};

use super::{Done, Failure};
use crate::args::Global;
use crate::output::{Drawing, GOOD, count, finding_json, paint, severity_style, summary, visible};
use crate::session::Session;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen check                          everything, the base included
  cognomen check --mod first-steps        only what lies in one mod
  cognomen check --code leads-nowhere     only one sort of finding
  cognomen check --format json            for scripts

Exit code: 0 without errors, 1 with at least one.")]
pub(crate) struct CheckArgs {
    /// Only findings with this code; may be repeated
    #[arg(long, value_name = "CODE")]
    code: Vec<String>,
    /// One line a finding
    #[arg(long)]
    short: bool,
    /// How long each check took
    #[arg(long)]
    timings: bool,
}

pub(crate) fn check(args: &CheckArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open_any(global)?;
    let catalog = opened.catalog();
    let layer = global.edited.as_deref().map(|id| opened.layer(id)).transpose()?;
    let own: Vec<&str> =
        catalog.rulebook().kinds().flat_map(|(_, kind)| kind.rules()).filter_map(|rule| rule.code()).collect();
    for code in &args.code {
        let known: Vec<&str> = CHECKS.iter().map(|check| check.code).chain(own.iter().copied()).collect();
        if !known.contains(&code.as_str()) {
            let help = nearest(code, known)
                .map_or("docs/FINDINGS.md lists them".to_owned(), |near| format!("the nearest is `{near}`"));
            return Err(Failure::Usage(format!("there is no code `{}`\n  help: {help}", visible(code))));
        }
    }
    let times: Mutex<Vec<(&'static str, std::time::Duration)>> = Mutex::default();
    let start = std::time::Instant::now();
    let findings = cognomen_core::check_watched(&opened.world, &|code, took| {
        times.lock().unwrap_or_else(std::sync::PoisonError::into_inner).push((code, took));
    });
    session.stage("checks", start.elapsed());
    if args.timings {
        let mut times = times.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner);
        times.sort_by_key(|(_, took)| std::cmp::Reverse(*took));
        for (code, took) in times {
            session.remark(format!("{:>9.1} ms  {code}", took.as_secs_f64() * 1e3));
        }
    }
    let wanted = |finding: &&Finding| {
        (layer.is_none() || finding.layer(catalog) == layer)
            && (args.code.is_empty() || args.code.contains(&finding.code))
    };
    let findings: Vec<&Finding> = findings.iter().filter(wanted).collect();
    let number = |severity| findings.iter().filter(|finding| finding.severity == severity).count();
    let errors = number(Severity::Error);
    if global.json() {
        let all: Vec<_> = findings.iter().map(|finding| finding_json(catalog, finding)).collect();
        session.json(&serde_json::json!({
            "format": 1,
            "findings": all,
            "errors": errors,
            "warnings": number(Severity::Warning),
            "notes": number(Severity::Note),
        }));
    } else {
        if !global.quiet {
            let mut drawing = Drawing::new(catalog, 120);
            for finding in &findings {
                if args.short {
                    let place = crate::output::place(catalog, finding.place);
                    let code = paint(severity_style(finding.severity), &finding.code);
                    session.say(format!("{place}: {code}: {}", visible(&finding.message)));
                } else {
                    session.say(drawing.draw(finding));
                    session.say("");
                }
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
        if findings.is_empty() {
            session.say(format!("{} in {looked}", paint(GOOD, "no findings")));
        } else {
            session.say(format!("{}; looked at {looked}", summary(&findings)));
            if !global.quiet
                && let Some(first) = findings.first()
            {
                session.remark(format!("`cognomen explain {}` says more about a code", first.code));
            }
        }
    }
    session.timings(global);
    Ok(if errors > 0 { Done::WithErrors } else { Done::Well })
}
