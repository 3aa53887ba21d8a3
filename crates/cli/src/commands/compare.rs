//! `compare`.

use anstyle::Style;
use cognomen_core::{ComparedRow, Row, compare as compared};

use super::{Done, Failure};
use crate::answers::{CompareAnswer, CompareRow, value_of};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, HEAD, ID, Table, count, paint, visible, with_unit};
use crate::session::Session;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen compare item/fen-lamp item/rush-light             side by side, differences first
  cognomen compare unit/marsh-boar unit/bog-sow --differences")]
pub(crate) struct CompareArgs {
    /// The first definition
    first: String,
    /// The second one
    second: String,
    /// Only what differs
    #[arg(long)]
    differences: bool,
}

pub(crate) fn compare(args: &CompareArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let catalog = opened.catalog();
    let (first, second) = (opened.address(&args.first)?, opened.address(&args.second)?);
    let rows = compared(&opened.world.view(), first, second)
        .ok_or_else(|| anyhow::anyhow!("one of the two is not there in the whole load order"))?;
    let same = rows.iter().filter(|row| row.same).count();
    let shown: Vec<&ComparedRow> = rows.iter().filter(|row| !(args.differences && row.same)).collect();
    let names = [first, second].map(|address| catalog.show_address(address));
    if global.json() {
        let side = |row: &Option<Row>| row.as_ref().map(|row| value_of(&row.now.value));
        let row = |row: &cognomen_core::ComparedRow| CompareRow {
            path: row.path.to_string(),
            first: side(&row.first),
            second: side(&row.second),
            same: row.same,
        };
        session.json(&CompareAnswer {
            first: names.first().cloned(),
            second: names.last().cloned(),
            rows: shown.into_iter().map(row).collect(),
        });
        session.timings(global);
        return Ok(Done::Well);
    }
    let differing = rows.len() - same;
    session.say(match differing {
        0 => format!("{} and {} have the same in all {}", names[0], names[1], count(same, "field", "fields")),
        number => format!("{} of {} differ", count(number, "field", "fields"), rows.len()),
    });
    session.say("");
    let mut table = Table::default();
    table.row([(String::new(), HEAD), (visible(&names[0]), ID), (visible(&names[1]), ID)]);
    let title = |address| (visible(&opened.world.view().readable_name(address).unwrap_or_default()), HEAD);
    table.row([(String::new(), HEAD), title(first), title(second)]);
    for row in shown {
        let ty = [&row.first, &row.second].into_iter().flatten().find_map(|row| row.ty);
        let field = ty.map(|ty| catalog.rulebook().field_type(ty));
        let side = |side: &Option<Row>| match side {
            Some(row) => with_unit(field, &row.now.value),
            None => "–".to_owned(),
        };
        let style = |here: &Option<Row>| match (row.same, here) {
            (true, _) | (_, None) => FAINT,
            _ => CHANGE,
        };
        let path = (visible(&row.path.to_string()), if row.same { Style::new() } else { HEAD });
        table.row([path, (side(&row.first), style(&row.first)), (side(&row.second), style(&row.second))]);
    }
    table.lines("  ").into_iter().for_each(|line| session.say(line));
    if args.differences && same > 0 {
        session.say(paint(FAINT, &format!("  and {} alike", count(same, "field", "fields"))));
    }
    session.timings(global);
    Ok(Done::Well)
}
