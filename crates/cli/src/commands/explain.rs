//! `explain`.

use cognomen_core::{CHECKS, nearest};

use super::{Done, Failure};
use crate::answers::{CodeAnswer, CodeLine, CodesAnswer, RuleAnswer};
use crate::args::Global;
use crate::output::{FAINT, HEAD, Table, paint, prose, severity_style, visible};
use crate::session::Session;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen explain leads-nowhere
  cognomen explain                 lists all codes")]
pub(crate) struct ExplainArgs {
    /// The code of a finding; without it, all are listed
    code: Option<String>,
}

fn line(check: &cognomen_core::Check) -> CodeLine {
    CodeLine { code: check.code, severity: check.severity.word(), summary: check.summary }
}

pub(crate) fn explain(args: &ExplainArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let Some(code) = &args.code else {
        if global.json() {
            session.json(&CodesAnswer { codes: CHECKS.iter().map(|check| line(check)).collect() });
            return Ok(Done::Well);
        }
        let mut table = Table::default();
        for check in CHECKS {
            table.row([
                (check.code.to_owned(), HEAD),
                (check.severity.word().to_owned(), severity_style(check.severity)),
                (check.summary.to_owned(), anstyle::Style::new()),
            ]);
        }
        table.lines("").into_iter().for_each(|line| session.say(line));
        return Ok(Done::Well);
    };
    if let Some(check) = CHECKS.iter().find(|check| check.code == code.as_str()) {
        if global.json() {
            session.json(&CodeAnswer {
                line: line(check),
                since: check.since,
                finds: check.finds,
                matters: check.matters,
                example: check.example,
                mend: check.mend,
                accept: check.accept,
            });
            return Ok(Done::Well);
        }
        let severity = paint(severity_style(check.severity), check.severity.word());
        session.say(format!("{}  {severity}  {}", paint(HEAD, check.code), check.summary));
        for (head, text) in [
            ("What it finds", check.finds),
            ("Why it matters", check.matters),
            ("Example", check.example),
            ("Mend", check.mend),
            ("When to leave it", check.accept),
        ] {
            session.say("");
            session.say(paint(HEAD, head));
            // an example stays as it is written
            for line in text.trim_end().lines() {
                let lines = if head == "Example" { vec![format!("  {line}")] } else { prose("  ", line) };
                lines.iter().for_each(|line| session.say(line));
            }
        }
        return Ok(Done::Well);
    }
    // a rule's own code: what the rulebook says of it
    let mut own = Vec::new();
    if let Ok(opened) = session.open(global) {
        let catalog = opened.catalog();
        for (_, kind) in catalog.rulebook().kinds() {
            if let Some(rule) = kind.rules().iter().find(|rule| rule.code() == Some(code)) {
                let place = crate::output::place(catalog, rule.place());
                if global.json() {
                    session.json(&RuleAnswer {
                        code: code.clone(),
                        kind: kind.name().to_owned(),
                        require: rule.require().to_owned(),
                        when: rule.when().map(str::to_owned),
                        message: rule.message().to_owned(),
                        place,
                    });
                    return Ok(Done::Well);
                }
                session.say(format!("{}  a rule of {} in this workspace's rulebook", paint(HEAD, code), kind.name()));
                session.say(format!("  it demands   {}", visible(rule.require())));
                if let Some(when) = rule.when() {
                    session.say(format!("  where        {}", visible(when)));
                }
                session.say(format!("  otherwise    {}", visible(rule.message())));
                session.say(paint(FAINT, &format!("  {place}")));
                return Ok(Done::Well);
            }
            own.extend(kind.rules().iter().filter_map(|rule| rule.code().map(str::to_owned)));
        }
    }
    let known = CHECKS.iter().map(|check| check.code).chain(own.iter().map(String::as_str));
    let help = match nearest(code, known) {
        Some(near) => format!("the nearest is `{near}`"),
        None => "`cognomen explain` lists all codes".to_owned(),
    };
    Err(Failure::Usage(format!("there is no code `{}`\n  help: {help}", visible(code))))
}
