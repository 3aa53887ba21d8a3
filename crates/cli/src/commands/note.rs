//! `note`.

use anyhow::anyhow;
use cognomen_core::{Catalog, ChangeSet, FileChange, NOTES_FILE, Source, Subject, subject, write_notes};

use super::{Done, Failure};
use crate::answers::{NoteAnswer, NotedAnswer, NotesAnswer};
use crate::args::Global;
use crate::output::{FAINT, ID, Table, count, dry, paint, say_dry, visible};
use crate::session::{Opened, Session};

#[derive(clap::Args, Debug)]
#[command(after_help = "Examples:
  cognomen note                                        all notes
  cognomen note item/eel                               the note on one definition
  cognomen note item/eel \"sells best in autumn\"
  cognomen note unit.stats.flee_at \"0 means it never runs\"
  cognomen note item/eel --remove
  cognomen note --import ids.csv                       a table: what it is about, the note

Notes are kept in notes.toml beside cognomen.toml, and shown by find, show, links, spread and findings.")]
pub(crate) struct NoteArgs {
    /// A definition (kind/id) or a field (kind.field)
    about: Option<String>,
    /// The remark
    text: Option<String>,
    /// Take the remark out
    #[arg(long, conflicts_with = "text", requires = "about")]
    remove: bool,
    /// Take in remarks from a CSV file with two columns: what it is about, and the remark
    #[arg(long, value_name = "FILE", conflicts_with_all = ["about", "text"])]
    import: Option<std::path::PathBuf>,
    /// Show the change, write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(crate) fn note(args: &NoteArgs, global: &Global, session: &mut Session) -> Result<Done, Failure> {
    let writes = args.import.is_some() || args.text.is_some() || args.remove;
    let opened = session.open_for(global, "note", args.dry_run || !writes)?;
    let notes = if let Some(file) = &args.import {
        imported(&opened, &session.folder().join(file), session)?
    } else {
        let Some(about) = &args.about else {
            list(&opened, None, global, session);
            return Ok(Done::Well);
        };
        let about = name(&opened, about)?;
        match (&args.text, args.remove) {
            (None, false) => {
                list(&opened, Some(&about), global, session);
                return Ok(Done::Well);
            }
            (text, _) => vec![(about, text.clone())],
        }
    };
    let before = opened.source.read(NOTES_FILE).ok().map(|bytes| String::from_utf8_lossy(&bytes).into_owned());
    let text = write_notes(before.as_deref(), &notes).map_err(|message| anyhow!(message))?;
    let changes = ChangeSet::from(vec![FileChange::written(NOTES_FILE, before, text)]);
    let what = match notes.as_slice() {
        [(about, _)] => format!("note on {about}"),
        _ => count(notes.len(), "note", "notes"),
    };
    opened.carry_out(&changes, &what, args.dry_run)?;
    if global.json() {
        let files = vec![NOTES_FILE.to_owned()];
        session.json(&NotedAnswer { notes: notes.len(), files, dry: dry(&changes, args.dry_run) });
        return Ok(Done::Well);
    }
    if args.dry_run {
        say_dry(&changes, session);
        return Ok(Done::Well);
    }
    for (about, note) in notes.iter().take(8) {
        session.say(match note {
            Some(note) => format!("{}: {}", paint(ID, &visible(about)), visible(note)),
            None => format!("{}: taken out", paint(ID, &visible(about))),
        });
    }
    if notes.len() > 8 {
        session.say(format!("and {} more", notes.len() - 8));
    }
    session.say(paint(FAINT, &format!("written: {NOTES_FILE}")));
    Ok(Done::Well)
}

/// The name under which a remark is kept.
fn name(opened: &Opened, text: &str) -> Result<String, Failure> {
    let catalog = opened.catalog();
    match (opened.address(text), subject(catalog, text)) {
        (Ok(address), _) => Ok(catalog.show_address(address)),
        (_, Some(Subject::Field(kind, pattern))) => Ok(format!("{}.{pattern}", catalog.rulebook().kind(kind).name())),
        // a remark on something that is gone can still be taken out
        _ if catalog.notes().any(|(about, _)| about == text) => Ok(text.to_owned()),
        (Err(failure), _) => Err(failure),
    }
}

fn list(opened: &Opened, only: Option<&str>, global: &Global, session: &mut Session) {
    let catalog: &Catalog = opened.catalog();
    let notes: Vec<_> = catalog.notes().filter(|(about, _)| only.is_none_or(|only| only == *about)).collect();
    if global.json() {
        let one = |(about, note): &(&str, &cognomen_core::Note)| NoteAnswer {
            about: (*about).to_owned(),
            note: note.text.clone(),
        };
        session.json(&NotesAnswer { notes: notes.iter().map(one).collect() });
        return;
    }
    if notes.is_empty() {
        session.say(match only {
            Some(about) => format!("there is no note on `{}`", visible(about)),
            None => "there are no notes yet; `cognomen note item/eel \"...\"` writes one".to_owned(),
        });
        return;
    }
    let mut table = Table::default();
    for (about, note) in notes {
        table.row([(visible(about), ID), (visible(&note.text), anstyle::Style::new())]);
    }
    table.lines("").into_iter().for_each(|line| session.say(line));
}

/// The rows of a table of remarks. Rows about nothing that is known are said and left out.
fn imported(
    opened: &Opened,
    file: &std::path::Path,
    session: &mut Session,
) -> Result<Vec<(String, Option<String>)>, Failure> {
    let shown = file.display().to_string();
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .from_path(file)
        .map_err(|error| anyhow!("cannot read {}: {error}", visible(&shown)))?;
    let mut notes = Vec::new();
    for (at, row) in reader.records().enumerate() {
        let row = row.map_err(|error| anyhow!("{}: {error}", visible(&shown)))?;
        let (Some(about), Some(text)) = (row.get(0), row.get(1).filter(|text| !text.trim().is_empty())) else {
            continue;
        };
        match name(opened, about.trim()) {
            Ok(about) => notes.push((about, Some(text.to_owned()))),
            // the first row may be the columns' names
            Err(_) if at == 0 => {}
            Err(_) => session.remark(format!("row {}: there is no `{}`; left out", at + 1, visible(about))),
        }
    }
    match notes.is_empty() {
        true => Err(anyhow!("{} has no rows with something known and a note", visible(&shown)).into()),
        false => Ok(notes),
    }
}
