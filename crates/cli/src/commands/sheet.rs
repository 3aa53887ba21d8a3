//! `sheet`.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use anyhow::anyhow;
use cognomen_core::{
    Address, Assignment, ChangeSet, FileChange, KindId, LayerId, ManyOptions, NewOptions, Selection, SheetCell,
    SheetColumn, Writer, new_definitions, row_assignments, select, set_many, sheet_columns, sheet_row,
};

use super::copy::refused;
use super::{Done, Failure, check_next, not_selected};
use crate::answers::{SheetCellAnswer, SheetInAnswer, SheetOutAnswer};
use crate::args::Global;
use crate::output::{CHANGE, FAINT, GOOD, ID, Table, count, dry, paint, say_dry, visible};
use crate::session::{Opened, Session};
use crate::tables::{Cell, Column, ReadSheet, Sheet, bytes_of, put, read};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen sheet out items.xlsx --kind item                     every field that holds one value, or a list of them
  cognomen sheet out fuel.csv --kind item --fields value,tags --where \"'fuel' in tags\"
  cognomen sheet in items.xlsx --dry-run                        what would change, cell by cell
  cognomen sheet in items.xlsx
  cognomen sheet in prices.csv --kind item --by (name)=Ware --take value=Price    somebody else's table

The first column holds the ids, under the kind's name and a slash (`item/`); columns in parentheses are for reading only.
A cell that is emptied takes its value back; a new id is a new definition. What is changed in the mod and not in the table
meanwhile stays; what is changed in both is told, and left alone.")]
pub(crate) struct SheetArgs {
    #[command(subcommand)]
    what: What,
}

#[derive(clap::Subcommand, Debug)]
enum What {
    /// Write a kind as a table
    Out {
        /// The file: .csv, .tsv or .xlsx
        file: PathBuf,
        /// The kind
        #[arg(long)]
        kind: String,
        /// The fields; without it, all that hold one value or a list of such. `tags[]` is one column for each entry
        #[arg(long, value_name = "FIELD", value_delimiter = ',')]
        fields: Vec<String>,
        /// Only where this holds
        #[arg(long = "where", value_name = "EXPR")]
        condition: Option<String>,
        /// Only members of this group
        #[arg(long, value_name = "GROUP")]
        tagged: Option<String>,
        /// Only what the mod itself defines or changes
        #[arg(long)]
        own: bool,
        /// Write over a file that is there
        #[arg(long)]
        replace: bool,
    },
    /// Take a table back: changed cells become changes of the mod
    In {
        /// The file
        file: PathBuf,
        /// The kind, where the table does not name it
        #[arg(long)]
        kind: Option<String>,
        /// Of another table: the field, or `(name)`, and the column that has its value
        #[arg(long, value_name = "FIELD=COLUMN", requires = "kind")]
        by: Option<String>,
        /// Of another table: a field and the column that it is taken from; may be repeated
        #[arg(long, value_name = "FIELD=COLUMN", requires = "by")]
        take: Vec<String>,
        /// The reason, kept with amendments
        #[arg(long, value_name = "TEXT")]
        why: Option<String>,
        /// Also change what was changed in the mod meanwhile
        #[arg(long)]
        over: bool,
        /// Show the change, write nothing
        #[arg(long)]
        dry_run: bool,
    },
}

/// The heading of the column with readable names.
const NAME: &str = "(name)";

/// So many cells are shown; a program gets all.
const SHOWN: usize = 40;

pub(crate) fn sheet(args: &SheetArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    match &args.what {
        What::Out { file, kind, fields, condition, tagged, own, replace } => {
            let opened = session.open(global)?;
            let kind = opened.kind(kind)?;
            let group = tagged.as_deref().map(|text| opened.address(text)).transpose()?;
            let selection = Selection { kind: Some(kind), condition: condition.clone(), group, addresses: Vec::new() };
            out(&opened, file, (kind, fields), &selection, (*own, *replace), global, session)
        }
        What::In { .. } => take_in(&args.what, global, session),
    }
}

fn out(
    opened: &Opened,
    file: &Path,
    (kind, fields): (KindId, &[String]),
    selection: &Selection,
    (own, replace): (bool, bool),
    global: &Global,
    session: &mut Session,
) -> Result<Done, Failure> {
    let layer = opened.edited(global)?;
    let catalog = opened.catalog();
    let columns = sheet_columns(&opened.world, layer, kind, fields).map_err(anyhow::Error::from)?;
    let mut all = select(&opened.world, layer, selection).map_err(not_selected)?;
    if own {
        let touched = opened.world.touched_by(layer);
        all.retain(|address| touched.contains(address));
    }
    if all.is_empty() {
        return Err(anyhow!("there is no such {} to write", catalog.rulebook().kind(kind).name()).into());
    }
    let view = opened.world.with_ground(layer);
    let row = |address: &Address| {
        let name = view.readable_name(*address).unwrap_or_default();
        let cells = sheet_row(&view, *address, &columns).into_iter().map(cell);
        [Cell::Text(catalog.id_of(*address).to_owned()), Cell::Text(name)].into_iter().chain(cells).collect::<Vec<_>>()
    };
    let kind_name = catalog.rulebook().kind(kind).name();
    let mut heads = vec![
        Column { name: format!("{kind_name}/"), fixed: true, ..Column::default() },
        Column { name: NAME.to_owned(), about: "for reading only".to_owned(), fixed: true, ..Column::default() },
    ];
    heads.extend(columns.iter().map(|column| Column {
        name: column.path.to_string(),
        about: column.about.clone(),
        choices: column.choices.clone(),
        fixed: false,
    }));
    let rows: Vec<Vec<Cell>> = all.iter().map(row).collect();
    let name = kind_name.chars().filter(|c| !"[]:*?/\\'".contains(*c)).take(31).collect();
    let sheet = Sheet { name, columns: heads, rows };
    let bytes = bytes_of(&sheet, file)?;
    put((session.folder(), file), &bytes, replace, &opened.bases())?;
    remember(opened, file, &sheet, session);
    let shown = file.to_string_lossy().replace('\\', "/");
    if global.json() {
        let fields = columns.iter().map(|column| column.path.to_string()).collect();
        session.json(&SheetOutAnswer { file: shown, kind: kind_name.to_owned(), definitions: all.len(), fields });
        return Ok(Done::Well);
    }
    let (many, fields) = (count(all.len(), "definition", "definitions"), count(columns.len(), "field", "fields"));
    session.say(format!("{}: {many}, {fields}", paint(ID, &visible(&shown))));
    if !global.quiet {
        session.say(paint(FAINT, &format!("back: cognomen sheet in {}{}", visible(&shown), global.of_mod())));
    }
    Ok(Done::Well)
}

fn cell(cell: SheetCell) -> Cell {
    match (cell.text.is_empty(), cell.number) {
        (true, _) => Cell::Empty,
        (_, true) => Cell::Number(cell.text),
        (_, false) => Cell::Text(cell.text),
    }
}

/// Under which name it is remembered what went out into a file.
fn remembered_as(file: &Path) -> Option<String> {
    Some(format!("sheet-{}.csv", file.file_name()?.to_string_lossy()))
}

/// Remembers what went out, so that what changes meanwhile can be told. Losing it loses nothing else.
fn remember(opened: &Opened, file: &Path, sheet: &Sheet, session: &mut Session) {
    if let (Some(name), Ok(bytes)) = (remembered_as(file), bytes_of(sheet, Path::new("x.csv")))
        && let Some(writer) = session.lock_if_free(&opened.root, "sheet out")
    {
        let _ = writer.remember(&name, &bytes);
    }
}

/// What went out into a file: by id and column.
fn remembered(opened: &Opened, file: &Path) -> Option<BTreeMap<(String, String), String>> {
    let bytes = Writer::remembered(&opened.root, &remembered_as(file)?)?;
    let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(bytes.as_slice());
    let rows: Vec<csv::StringRecord> = reader.records().collect::<Result<_, _>>().ok()?;
    let (head, rows) = rows.split_first()?;
    let mut out = BTreeMap::new();
    for row in rows {
        for (column, cell) in head.iter().zip(row) {
            out.insert((row.get(0)?.to_owned(), column.to_owned()), cell.to_owned());
        }
    }
    Some(out)
}

/// What a table's columns mean.
struct Meaning {
    kind: KindId,
    /// The column with what names a definition.
    names: usize,
    /// The field whose value that is; nothing where it is the id.
    by: Option<String>,
    /// Columns and their fields.
    fields: Vec<(usize, SheetColumn)>,
}

fn meaning(opened: &Opened, layer: LayerId, table: &ReadSheet, what: &What, shown: &str) -> Result<Meaning, Failure> {
    let What::In { kind, by, take, .. } = what else { return Err(anyhow!("no table").into()) };
    let first = table.columns.first().map(String::as_str).unwrap_or_default();
    let kind = match kind {
        Some(kind) => opened.kind(kind)?,
        None => match first.strip_suffix('/') {
            Some(name) => opened.kind(name)?,
            None => {
                let help = "`--kind` says it, and `--by` what names the definitions";
                let message =
                    format!("the first column of {shown} is `{}`, not the name of a kind and a slash", visible(first));
                return Err(anyhow!("{message}\n  help: {help}").into());
            }
        },
    };
    let column = |name: &str| {
        table.column(name).ok_or_else(|| {
            let near = table.nearest(name).map_or(String::new(), |near| format!("\n  help: {near}"));
            Failure::from(anyhow!("{shown} has no column `{}`{near}", visible(name)))
        })
    };
    let pair = |text: &str| {
        let pair = text.split_once('=').map(|(field, column)| (field.trim().to_owned(), column.trim().to_owned()));
        pair.ok_or_else(|| Failure::Usage(format!("`{}`: a field and a column, as in `value=Price`", visible(text))))
    };
    let of_field = |at: usize, field: &str| {
        let columns = sheet_columns(&opened.world, layer, kind, &[field.to_owned()]).map_err(anyhow::Error::from)?;
        Ok::<_, Failure>(columns.into_iter().next().map(|column| (at, column)))
    };
    let mut fields = Vec::new();
    if let Some(by) = by {
        let (field, named) = pair(by)?;
        let names = column(&named)?;
        if take.is_empty() {
            return Err(Failure::Usage("which columns are taken? As in `--take value=Price`".to_owned()));
        }
        for text in take {
            let (field, named) = pair(text)?;
            fields.extend(of_field(column(&named)?, &field)?);
        }
        return Ok(Meaning { kind, names, by: (field != "id").then_some(field), fields });
    }
    for (at, name) in table.columns.iter().enumerate().skip(1) {
        if !name.is_empty() && !name.starts_with('(') {
            fields.extend(of_field(at, name)?);
        }
    }
    Ok(Meaning { kind, names: 0, by: None, fields })
}

/// A cell that changes.
struct Changed {
    id: String,
    field: String,
    before: String,
    after: String,
}

/// What a table asks for.
#[derive(Default)]
struct Asked {
    cells: Vec<Changed>,
    /// Changed in the table and in the mod.
    meanwhile: Vec<(Changed, String)>,
    many: Vec<(Address, Vec<Assignment>)>,
    new: Vec<(String, Vec<Assignment>)>,
    /// In what went out, and not in the table any more.
    gone: Vec<String>,
    /// Rows that name nothing.
    odd: Vec<String>,
}

fn take_in(what: &What, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let What::In { file, why, over, dry_run, .. } = what else { return Ok(Done::Well) };
    let shown = visible(&file.to_string_lossy().replace('\\', "/"));
    let table = read(&session.folder().join(file))?;
    let said = format!("sheet in {shown}");
    let mut opened = session.open_for(global, &said, *dry_run)?;
    let layer = opened.edited(global)?;
    let meaning = meaning(&opened, layer, &table, what, &shown)?;
    let asked = asked(&opened, layer, &table, &meaning, remembered(&opened, file).filter(|_| !over))?;
    let mut options = ManyOptions { why: why.clone(), ..ManyOptions::none(layer) };
    asked.many.iter().for_each(|(address, assignments)| options.assign(*address, assignments.clone()));
    let mut changes = ChangeSet::default();
    if !options.selection.addresses.is_empty() {
        let report = set_many(&mut opened.world, &options).map_err(not_selected)?;
        changes = changes.then(report.changes);
    }
    let new = |(id, assignments): &(String, Vec<Assignment>)| {
        let (kind, assignments) = (meaning.kind, assignments.clone());
        NewOptions { layer, kind, id: id.clone(), assignments, like: None, name: None }
    };
    let new: Vec<NewOptions> = asked.new.iter().map(new).collect();
    changes = changes.then(new_definitions(&mut opened.world, &new).map_err(refused)?);
    opened.carry_out(&changes, &said, *dry_run)?;
    if !dry_run && !changes.files.is_empty() {
        forget_what_was(&opened, file, &asked);
    }
    match global.json() {
        true => json(&asked, &changes, *dry_run, session),
        false => human(opened.catalog().rulebook().kind(meaning.kind).name(), &asked, &changes, *dry_run, session),
    }
    if !dry_run && !global.json() && !changes.files.is_empty() {
        check_next(&opened, layer, session);
    }
    Ok(Done::Well)
}

/// What was taken in is what went out from now on.
fn forget_what_was(opened: &Opened, file: &Path, asked: &Asked) {
    let (Some(name), Some(mut known)) = (remembered_as(file), remembered(opened, file)) else { return };
    for cell in &asked.cells {
        known.insert((cell.id.clone(), cell.field.clone()), cell.after.clone());
    }
    let ids: BTreeSet<&String> = known.keys().map(|(id, _)| id).collect();
    let columns: BTreeSet<&String> =
        known.keys().map(|(_, column)| column).filter(|column| !column.ends_with('/')).collect();
    let heads = std::iter::once("/".to_owned()).chain(columns.iter().map(|column| (*column).clone()));
    let heads = heads.map(|name| Column { name, ..Column::default() }).collect();
    let cell = |id: &String, column: &String| {
        Cell::Text(known.get(&(id.clone(), column.clone())).cloned().unwrap_or_default())
    };
    let row = |id: &&String| {
        std::iter::once(Cell::Text((*id).clone())).chain(columns.iter().map(|column| cell(id, column))).collect()
    };
    let sheet = Sheet { name: String::new(), columns: heads, rows: ids.iter().map(row).collect() };
    if let (Ok(bytes), Some(writer)) = (bytes_of(&sheet, Path::new("x.csv")), opened.writer()) {
        let _ = writer.remember(&name, &bytes);
    }
}

/// Compares a table with what shows.
fn asked(
    opened: &Opened,
    layer: LayerId,
    table: &ReadSheet,
    meaning: &Meaning,
    known: Option<BTreeMap<(String, String), String>>,
) -> Result<Asked, Failure> {
    let catalog = opened.catalog();
    let view = opened.world.with_ground(layer);
    let selection = Selection { kind: Some(meaning.kind), ..Selection::default() };
    let all = select(&opened.world, layer, &selection).map_err(|error| anyhow!("{error}"))?;
    let id_of = |address: &Address| catalog.id_of(*address).to_owned();
    // what a row names its definition by
    let by = match meaning.by.as_deref() {
        None => None,
        Some(NAME) => Some(None),
        Some(field) => Some(Some(
            sheet_columns(&opened.world, layer, meaning.kind, &[field.to_owned()]).map_err(anyhow::Error::from)?,
        )),
    };
    let mut named: BTreeMap<String, Vec<Address>> = BTreeMap::new();
    for address in &all {
        let name = match &by {
            None => id_of(address),
            Some(None) => view.readable_name(*address).unwrap_or_default(),
            Some(Some(columns)) => sheet_row(&view, *address, columns).into_iter().next().unwrap_or_default().text,
        };
        named.entry(name).or_default().push(*address);
    }
    let columns: Vec<SheetColumn> = meaning.fields.iter().map(|(_, column)| column.clone()).collect();
    let mut out = Asked::default();
    let mut seen: BTreeSet<String> = BTreeSet::new();
    for row in &table.rows {
        let text = |at: usize| row.get(at).map_or("", String::as_str);
        let name = text(meaning.names).trim().to_owned();
        if name.is_empty() {
            out.odd.push("a row without a name".to_owned());
            continue;
        }
        if !seen.insert(name.clone()) {
            return Err(anyhow!("`{}` has two rows", visible(&name)).into());
        }
        let Some(addresses) = named.get(&name) else {
            let cells: Vec<(&SheetColumn, &str)> =
                meaning.fields.iter().map(|(at, column)| (column, text(*at))).collect();
            let said: Vec<usize> =
                (0..cells.len()).filter(|at| cells.get(*at).is_some_and(|cell| !cell.1.is_empty())).collect();
            let assignments = row_assignments(catalog, meaning.kind, &cells, &said).map_err(anyhow::Error::from)?;
            match by.is_none() && !assignments.is_empty() {
                true => out.new.push((name, assignments)),
                false => out.odd.push(name),
            }
            continue;
        };
        let [address] = addresses.as_slice() else {
            return Err(anyhow!("`{}` is {} definitions", visible(&name), addresses.len()).into());
        };
        let id = id_of(address);
        let mut changed = Vec::new();
        let row = sheet_row(&view, *address, &columns);
        for (nth, ((at, column), now)) in meaning.fields.iter().zip(row).enumerate() {
            let (wanted, field) = (text(*at), column.path.to_string());
            let then = known.as_ref().and_then(|known| known.get(&(id.clone(), field.clone())));
            // another table's empty cell says nothing
            if is_same(wanted, &now) || (by.is_some() && wanted.is_empty()) {
                continue;
            }
            let cell = Changed { id: id.clone(), field, before: now.text.clone(), after: wanted.to_owned() };
            match then {
                Some(then) if then == wanted => {}
                Some(then) if *then != now.text => out.meanwhile.push((cell, then.clone())),
                _ => {
                    changed.push(nth);
                    out.cells.push(cell);
                }
            }
        }
        if !changed.is_empty() {
            let cells: Vec<(&SheetColumn, &str)> =
                meaning.fields.iter().map(|(at, column)| (column, text(*at))).collect();
            let assignments = row_assignments(catalog, meaning.kind, &cells, &changed).map_err(anyhow::Error::from)?;
            out.many.push((*address, assignments));
        }
    }
    if by.is_none() {
        let ids: BTreeSet<&String> = known.iter().flat_map(BTreeMap::keys).map(|(id, _)| id).collect();
        let there: BTreeSet<String> = all.iter().map(id_of).collect();
        out.gone = ids.into_iter().filter(|id| !seen.contains(*id) && there.contains(*id)).cloned().collect();
    }
    Ok(out)
}

/// Whether a cell says what stands already: a spreadsheet may write a number in other digits, a line's end in another way.
fn is_same(text: &str, now: &SheetCell) -> bool {
    text == now.text
        || text.replace("\r\n", "\n") == now.text.replace("\r\n", "\n")
        || now.number && text.parse::<f64>().is_ok_and(|number| now.text.parse::<f64>() == Ok(number))
}

fn json(asked: &Asked, changes: &ChangeSet, dry_run: bool, session: &mut Session) {
    let cell = |cell: &Changed| SheetCellAnswer {
        id: cell.id.clone(),
        field: cell.field.clone(),
        before: cell.before.clone(),
        after: cell.after.clone(),
    };
    session.json(&SheetInAnswer {
        cells: asked.cells.iter().map(cell).collect(),
        meanwhile: asked.meanwhile.iter().map(|(changed, _)| cell(changed)).collect(),
        new: asked.new.iter().map(|(id, _)| id.clone()).collect(),
        gone: asked.gone.clone(),
        unknown: asked.odd.clone(),
        files: changes.files.iter().map(|change| change.path().to_owned()).collect(),
        dry: dry(changes, dry_run),
    });
}

fn human(kind: &str, asked: &Asked, changes: &ChangeSet, dry_run: bool, session: &mut Session) {
    let nothing = |text: &str| if text.is_empty() { "nothing".to_owned() } else { visible(text) };
    let mut table = Table::default();
    for cell in asked.cells.iter().take(SHOWN) {
        let change = format!("{} → {}", nothing(&cell.before), nothing(&cell.after));
        table.row([(visible(&cell.id), ID), (visible(&cell.field), FAINT), (change, CHANGE)]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
    if asked.cells.len() > SHOWN {
        session.say(format!("and {} more cells", asked.cells.len() - SHOWN));
    }
    for (id, _) in &asked.new {
        session.say(format!("{} {}", paint(GOOD, "new"), paint(ID, &visible(id))));
    }
    for (cell, then) in &asked.meanwhile {
        let (id, field) = (visible(&cell.id), visible(&cell.field));
        let (then, now, wanted) = (nothing(then), nothing(&cell.before), nothing(&cell.after));
        session.remark(format!(
            "{id} {field}: was {then}, is {now} now, the table has {wanted}; left alone (`--over` takes the table's)"
        ));
    }
    if !asked.gone.is_empty() {
        // by their kind, too: other kinds may have these ids
        let all: Vec<String> = asked.gone.iter().take(8).map(|id| format!("{kind}/{id}")).collect();
        let more = if asked.gone.len() > 8 { format!(" and {} more", asked.gone.len() - 8) } else { String::new() };
        let all = visible(&all.join(" "));
        session.remark(format!(
            "no longer in the table, and left as they are: {all}{more}\n  help: `cognomen delete {all}`"
        ));
    }
    for name in asked.odd.iter().take(8) {
        session.remark(format!("`{}` is nothing that is known; left out", visible(name)));
    }
    if asked.odd.len() > 8 {
        session.remark(format!("and {} rows more that are left out", asked.odd.len() - 8));
    }
    let paths: Vec<&str> = changes.files.iter().map(FileChange::path).collect();
    match (paths.is_empty(), dry_run) {
        (true, _) => session.say("the table says what stands already; nothing was written"),
        (false, true) => say_dry(changes, session),
        (false, false) => session.written(&paths),
    }
}
