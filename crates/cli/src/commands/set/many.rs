//! `set` of many definitions: what it comes to is shown, and asked about, before it is done.

use anyhow::anyhow;
use cognomen_core::{Assignment, FileChange, ManyOptions, ManyReport, Selection, set_many};

use super::{SetArgs, said, shown, with_unit};
use crate::answers::{ChangedAnswer, ManyAnswer, ManyRow, value_of};
use crate::args::Global;
use crate::commands::{Done, Failure, not_selected};
use crate::output::{CHANGE, FAINT, HEAD, ID, Table, count, dry, say_dry, say_told, told_answers, visible};
use crate::session::{Opened, Session};

/// So many definitions are shown; a program gets all.
const SHOWN: usize = 40;

pub(super) fn many(
    args: &SetArgs,
    assignments: Vec<Assignment>,
    piped: bool,
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let asks = !args.yes && !args.dry_run;
    let watched = session.asks() && !global.json();
    let what = said(args);
    // while a person is asked, others may write
    let mut opened = session.open_for(global, &what, args.dry_run || (asks && watched))?;
    let layer = opened.edited(global)?;
    let mut selection = Selection {
        kind: args.kind.as_deref().map(|name| opened.kind(name)).transpose()?,
        condition: args.condition.clone(),
        group: args.tagged.as_deref().map(|text| opened.address(text)).transpose()?,
        addresses: Vec::new(),
    };
    if piped {
        selection.addresses = opened.addresses_from_input()?;
    }
    let options = ManyOptions {
        layer,
        selection,
        assignments,
        single: Default::default(),
        why: args.why.clone(),
        each: args.each,
    };
    let start = std::time::Instant::now();
    let mut report = set_many(&mut opened.world, &options).map_err(not_selected)?;
    session.stage("set", start.elapsed());
    report.changes.over_formulas = args.over_formula;
    if report.rows.is_empty() {
        return Err(
            anyhow!("nothing is selected\n  help: `cognomen find` with the same options says what there is").into()
        );
    }
    let moved = report.rows.iter().filter(|(_, changed)| changed.iter().any(|one| one.before != one.after)).count();
    if !global.json() {
        table(&opened, &report, session);
    }
    if asks && moved > 1 {
        let number = count(moved, "definition", "definitions");
        match watched {
            true => {
                let answer = session.answer(&format!("Change {number}? [y/n] "));
                if !answer.is_some_and(|answer| answer.eq_ignore_ascii_case("y") || answer.eq_ignore_ascii_case("yes"))
                {
                    return Err(anyhow!("nothing was written").into());
                }
                opened.take_lock(session, &what)?;
            }
            false => {
                let message = format!("{number} would change; `--yes` does it, `--dry-run` shows it");
                return Err(Failure::Usage(message));
            }
        }
    } else if asks && watched {
        opened.take_lock(session, &what)?;
    }
    opened.carry_out(&report.changes, &what, args.dry_run)?;
    let paths: Vec<&str> = report.changes.files.iter().map(FileChange::path).collect();
    if global.json() {
        json(&opened, &report, args.dry_run, session);
        return Ok(Done::Well);
    }
    if args.dry_run {
        say_dry(&report.changes, session);
        say_told(&report.told, session);
        session.timings(global);
        return Ok(Done::Well);
    }
    if paths.is_empty() {
        session.remark("all of it stands so already; nothing was written");
        return Ok(Done::Well);
    }
    session.say(summary(&report, moved));
    session.written(&paths);
    say_told(&report.told, session);
    session.timings(global);
    Ok(Done::Well)
}

fn summary(report: &ManyReport, moved: usize) -> String {
    let number = count(moved, "definition changes", "definitions change");
    let lower = report.rows.len() - report.own;
    let mut parts = Vec::new();
    if let Some((many, _)) = &report.together {
        parts.push(format!("one amendment for {many}"));
    } else if lower > 0 {
        parts.push(count(lower, "by an amendment of its own", "by amendments of their own"));
    }
    if report.own > 0 {
        parts.push(count(report.own, "in the mod's own files", "in the mod's own files"));
    }
    format!("{number}: {}", parts.join(", "))
}

fn table(opened: &Opened, report: &ManyReport, session: &mut Session) {
    let catalog = opened.catalog();
    let mut table = Table::default();
    if let Some((_, changed)) = report.rows.first() {
        let heads = changed.iter().map(|one| (visible(&one.path.to_string()), HEAD));
        table.row([(String::new(), HEAD), (String::new(), HEAD)].into_iter().chain(heads));
    }
    for (address, changed) in report.rows.iter().take(SHOWN) {
        let name = opened.world.view().readable_name(*address).unwrap_or_default();
        let mut row = vec![(visible(&catalog.show_address(*address)), ID), (visible(&name), FAINT)];
        for one in changed {
            row.push(match one.before == one.after {
                true => (format!("stays {}", with_unit(one)), FAINT),
                false => (format!("{} → {}", shown(&one.before), with_unit(one)), CHANGE),
            });
        }
        table.row(row);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
    if report.rows.len() > SHOWN {
        session.say(format!("and {} more", report.rows.len() - SHOWN));
    }
}

fn json(opened: &Opened, report: &ManyReport, dry_run: bool, session: &mut Session) {
    let catalog = opened.catalog();
    let row = |(address, changed): &(cognomen_core::Address, Vec<cognomen_core::Changed>)| ManyRow {
        address: catalog.show_address(*address),
        changed: changed
            .iter()
            .map(|one| ChangedAnswer {
                path: one.path.to_string(),
                before: one.before.as_ref().map(value_of),
                after: one.after.as_ref().map(value_of),
            })
            .collect(),
    };
    session.json(&ManyAnswer {
        definitions: report.rows.iter().map(row).collect(),
        together: report.together.as_ref().map(|(many, _)| *many),
        files: report.changes.files.iter().map(|change| change.path().to_owned()).collect(),
        told: told_answers(&report.told, catalog),
        dry: dry(&report.changes, dry_run),
    });
}
