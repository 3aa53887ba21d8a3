//! `ids`.

use anstyle::Style;
use anyhow::anyhow;
use cognomen_core::{
    Address, Claim, Claims, LayerId, Meets, NumberSpace, compared_with_claims, nearest, number_spaces,
};

use super::{Done, Failure};
use crate::answers::{ClaimMetAnswer, ClaimsAnswer, IdsAnswer, NumbersAllAnswer, NumbersAnswer};
use crate::args::Global;
use crate::output::{FAINT, GOOD, ID, Table, count, paint, visible};
use crate::session::{Opened, Session};
use crate::tables::read;

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen ids                          where things are known by numbers, and the next free one of each
  cognomen ids stock.shelf --count 5    the next five, free of the base, all mods here and what others claim
  cognomen ids --claims                 what the mod has in common with the tables that `claims` names in cognomen.toml")]
pub(crate) struct IdsArgs {
    /// A kind whose ids are numbers, or a field that no two definitions may share: kind.field
    about: Option<String>,
    /// How many
    #[arg(long, default_value_t = 1, value_name = "NUMBER", requires = "about")]
    count: u16,
    /// Compare the mod with what others claim: numbers, ids, and themes by their words
    #[arg(long, conflicts_with_all = ["about", "count"])]
    claims: bool,
}

pub(crate) fn ids(args: &IdsArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let opened = session.open(global)?;
    let layer = opened.edited(global)?;
    let spaces = number_spaces(&opened.world);
    if args.claims {
        return claims(&opened, layer, &spaces, global, session);
    }
    match &args.about {
        None => all(&opened, layer, &spaces, global, session),
        Some(about) => free(&opened, layer, &spaces, about, usize::from(args.count), global, session),
    }
}

/// What others claim of the numbers of a space, by the workspace's tables.
fn claimed(opened: &Opened, space: &str) -> Result<Vec<Claim>, Failure> {
    let mut out = Vec::new();
    for table in opened.catalog().workspace().claims.iter().filter(|table| table.kind == space) {
        out.extend(read_claims(opened, table)?);
    }
    Ok(out)
}

fn read_claims(opened: &Opened, claims: &Claims) -> Result<Vec<Claim>, Failure> {
    let shown = visible(&claims.file);
    let table = read(&opened.root.join(&claims.file))?;
    let column = |name: &Option<String>| {
        let Some(name) = name else { return Ok(None) };
        table.column(name).map(Some).ok_or_else(|| {
            let near = table.nearest(name).map_or(String::new(), |near| format!("\n  help: {near}"));
            Failure::from(anyhow!("{shown} has no column `{}`, as cognomen.toml says{near}", visible(name)))
        })
    };
    let (number, to, id) = (column(&claims.number)?, column(&claims.to)?, column(&claims.id)?);
    let (by, about) = (column(&claims.by)?, column(&claims.about)?);
    let one = |row: &Vec<String>| {
        let text = |at: Option<usize>| {
            at.and_then(|at| row.get(at)).map(|cell| cell.trim().to_owned()).filter(|cell| !cell.is_empty())
        };
        // one number, two in two columns, or both in one cell
        let first = text(number);
        let (low, high) = match first.as_deref().map(|cell| cell.split_once("..").or(cell.split_once('-'))) {
            Some(Some((low, high))) if !low.is_empty() => {
                (Some(low.trim().to_owned()), Some(high.trim_start_matches('.').trim().to_owned()))
            }
            _ => (first.clone(), text(to).or(first.clone())),
        };
        let number = |word: Option<String>| word.and_then(|word| word.parse::<i64>().ok());
        Claim { numbers: number(low).zip(number(high)), id: text(id), by: text(by), about: text(about) }
    };
    Ok(table.rows.iter().map(one).collect())
}

/// Whether somebody else claims a number.
fn is_claimed(opened: &Opened, layer: LayerId, claims: &[Claim], number: i64) -> bool {
    let own = &opened.catalog().layer(layer).id;
    let theirs = |claim: &&Claim| claim.by.as_ref().is_none_or(|by| !by.eq_ignore_ascii_case(own));
    claims.iter().filter(theirs).any(|claim| claim.numbers.is_some_and(|(low, high)| (low..=high).contains(&number)))
}

fn ranges(space: &NumberSpace) -> String {
    let one = |(low, high): &(i64, i64)| match *high {
        i64::MAX => format!("from {low}"),
        high if high == *low => low.to_string(),
        high => format!("{low} to {high}"),
    };
    let mut out = space.ranges.iter().map(one).collect::<Vec<_>>().join(", ");
    if !space.chosen.is_empty() {
        let chosen: Vec<String> = space.chosen.iter().map(one).collect();
        out.push_str(&format!("; the game gives {} itself", chosen.join(", ")));
    }
    out
}

fn all(
    opened: &Opened,
    layer: LayerId,
    spaces: &[NumberSpace],
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let catalog = opened.catalog();
    let mut rows = Vec::new();
    for space in spaces {
        let name = space.name(catalog);
        let claims = claimed(opened, &name)?;
        let next = space.free(layer, 1, &|number| is_claimed(opened, layer, &claims, number)).first().copied();
        rows.push(NumbersAnswer {
            of: name,
            ranges: space.ranges.iter().map(|(low, high)| [*low, *high]).collect(),
            taken: space.taken.len(),
            claims: claims.len(),
            next,
        });
    }
    if global.json() {
        session.json(&NumbersAllAnswer { numbers: rows });
        return Ok(Done::Well);
    }
    if rows.is_empty() {
        session.say("nothing is known by numbers here: no kind has `ranges` or ids that are all numbers, no integer field is `unique`");
        return Ok(Done::Well);
    }
    let mut table = Table::default();
    for (row, space) in rows.iter().zip(spaces) {
        let claims =
            if row.claims == 0 { String::new() } else { format!(", {}", count(row.claims, "claim", "claims")) };
        let next = row.next.map_or("none is free".to_owned(), |next| format!("next {next}"));
        table.row([
            (visible(&row.of), ID),
            (ranges(space), Style::new()),
            (format!("{} taken{claims}", row.taken), Style::new()),
            (next, if row.next.is_some() { GOOD } else { FAINT }),
        ]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
    Ok(Done::Well)
}

fn free(
    opened: &Opened,
    layer: LayerId,
    spaces: &[NumberSpace],
    about: &str,
    wanted: usize,
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let catalog = opened.catalog();
    let Some(space) = spaces.iter().find(|space| space.name(catalog) == about) else {
        let names: Vec<String> = spaces.iter().map(|space| space.name(catalog)).collect();
        let near = nearest(about, names.iter().map(String::as_str)).map(str::to_owned);
        let near = near.or_else(|| names.iter().find(|name| name.split('.').any(|part| part == about)).cloned());
        let help = match near {
            Some(near) => format!("the nearest is `{near}`"),
            None => "`cognomen ids` lists where".to_owned(),
        };
        return Err(anyhow!("`{}` is not known by numbers\n  help: {help}", visible(about)).into());
    };
    let claims = claimed(opened, about)?;
    let found = space.free(layer, wanted, &|number| is_claimed(opened, layer, &claims, number));
    if global.json() {
        session.json(&IdsAnswer { of: about.to_owned(), free: found.clone() });
        return Ok(Done::Well);
    }
    for number in &found {
        session.say(number.to_string());
    }
    if found.len() < wanted {
        let number = count(found.len(), "number is", "numbers are");
        return Err(anyhow!("only {number} free in {}", ranges(space)).into());
    }
    Ok(Done::Well)
}

fn claims(
    opened: &Opened,
    layer: LayerId,
    spaces: &[NumberSpace],
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let catalog = opened.catalog();
    let tables = &catalog.workspace().claims;
    if tables.is_empty() {
        let message = "the workspace names no tables of claims\n  help: in cognomen.toml: `[[claims]]` with `file`, `kind` and the columns (docs/WORKSPACE.md)";
        return Err(anyhow!(message).into());
    }
    let mut met = Vec::new();
    for table in tables {
        let kind = table.kind.split('.').next().unwrap_or_default();
        let kind = opened.kind(kind)?;
        let known = spaces.iter().find(|space| space.name(catalog) == table.kind).cloned();
        let space = known.unwrap_or(NumberSpace {
            kind,
            field: None,
            ranges: Vec::new(),
            chosen: Vec::new(),
            taken: Default::default(),
        });
        let all = read_claims(opened, table)?;
        for (nth, meets) in compared_with_claims(&opened.world, layer, &space, &all) {
            let Some(claim) = all.get(nth) else { continue };
            let (what, address, said) = told(opened, &meets);
            met.push(ClaimMetAnswer {
                of: table.kind.clone(),
                what: what.to_owned(),
                address,
                said,
                by: claim.by.clone(),
                about: claim.about.clone(),
            });
        }
    }
    if global.json() {
        session.json(&ClaimsAnswer { met });
        return Ok(Done::Well);
    }
    if met.is_empty() {
        session.say(format!("nothing that others claim meets `{}`", visible(&catalog.layer(layer).id)));
        return Ok(Done::Well);
    }
    let mut table = Table::default();
    for one in met {
        let by = one.by.map_or(String::new(), |by| format!("claimed by {}", visible(&by)));
        table.row([
            (visible(&one.address), ID),
            (format!("{} {}", one.what, visible(&one.said)), Style::new()),
            (by, Style::new()),
            (visible(&one.about.unwrap_or_default()), FAINT),
        ]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
    if !global.quiet && spaces.iter().any(|space| tables.iter().any(|table| table.kind == space.name(catalog))) {
        session.remark(paint(FAINT, "next: `cognomen ids` says which numbers are free"));
    }
    Ok(Done::Well)
}

fn told(opened: &Opened, meets: &Meets) -> (&'static str, String, String) {
    let catalog = opened.catalog();
    let show = |address: &Address| catalog.show_address(*address);
    match meets {
        Meets::Number(address, number) => ("number", show(address), number.to_string()),
        Meets::Id(address) => ("id", show(address), catalog.id_of(*address).to_owned()),
        Meets::Words(words) => {
            let said: Vec<&str> = words.iter().map(|(word, _)| word.as_str()).collect();
            ("words", words.first().map_or(String::new(), |(_, at)| show(at)), said.join(", "))
        }
    }
}
