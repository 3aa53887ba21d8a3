//! Tries the readers and edits on real files: each is read, must come back byte for byte, and takes a set
//! and an insertion that are undone again.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use cognomen_core::{Document, Draft, Edit, EditError, FieldPath, FileId, Format, Names, Notation, Shape, Step, edit};

/// What to read.
#[derive(clap::Args)]
pub(crate) struct RealArgs {
    /// The folder with the files.
    folder: PathBuf,
    /// Name every file that has faults of notation, not only how many there are.
    #[arg(long)]
    faults: bool,
    /// At how many places each file is edited.
    #[arg(long, default_value_t = 1)]
    places: usize,
}

#[derive(Default)]
struct Tally {
    files: usize,
    bytes: usize,
    faulty: usize,
    edited: usize,
    unusual: usize,
    failed: usize,
}

pub(crate) fn real(args: &RealArgs) -> Result<()> {
    let mut tallies: BTreeMap<String, Tally> = BTreeMap::new();
    let mut other = 0usize;
    for entry in walkdir::WalkDir::new(&args.folder).sort_by_file_name() {
        let entry = entry.context("cannot walk the folder")?;
        let path = entry.path();
        let Some(notation) = path.to_str().and_then(Notation::of).filter(|_| entry.file_type().is_file()) else {
            continue;
        };
        let bytes = std::fs::read(path).with_context(|| format!("cannot read {}", path.display()))?;
        let Ok(text) = String::from_utf8(bytes) else {
            other += 1;
            continue;
        };
        let tally = tallies.entry(notation.format().name().to_owned()).or_default();
        tally.files += 1;
        tally.bytes += text.len();
        let mut tried = Ok(Tried::Nothing);
        for nth in 0..args.places {
            tried = try_one(&notation, &text, text.len() + nth * 7919);
            if !matches!(tried, Ok(Tried::Edited | Tried::Unusual(_))) {
                break;
            }
        }
        match tried {
            Ok(Tried::Edited) => tally.edited += 1,
            Ok(Tried::Unusual(why)) => {
                tally.unusual += 1;
                if args.faults {
                    println!("unusual: {}: {why}", path.display());
                }
            }
            Ok(Tried::Faulty(why)) => {
                tally.faulty += 1;
                if args.faults {
                    println!("fault: {}: {why}", path.display());
                }
            }
            Ok(Tried::Nothing) => {}
            Err(error) => {
                tally.failed += 1;
                println!("{}: {error:#}", shown(path));
            }
        }
    }
    let mut failed = 0;
    for (format, tally) in &tallies {
        failed += tally.failed;
        println!(
            "{format}: {} files, {:.1} MB; {} with faults of notation; {} edited and back; {} left alone as unusual; {} failed",
            tally.files,
            tally.bytes as f64 / 1e6,
            tally.faulty,
            tally.edited,
            tally.unusual,
            tally.failed
        );
    }
    println!("not UTF-8: {other}");
    if failed > 0 {
        bail!("{failed} files failed");
    }
    Ok(())
}

fn shown(path: &Path) -> String {
    path.display().to_string()
}

/// What came of one file.
enum Tried {
    Edited,
    /// Edits are refused with a reason.
    Unusual(String),
    Faulty(String),
    /// Nothing in it can be set.
    Nothing,
}

/// `pick` chooses the places that are edited.
fn try_one(notation: &Notation, text: &str, pick: usize) -> Result<Tried> {
    let names = Names::new();
    let parse = |text: &str| Document::parse(FileId::default(), notation.clone(), text.into(), &names);
    let document = parse(text);
    if &**document.text() != text {
        bail!("the text does not come back");
    }
    if let Some(fault) = document.faults().first() {
        return Ok(Tried::Faulty(fault.message.to_string()));
    }
    let tree = Draft::of(document.root(), &names);
    let mut scalars = Vec::new();
    paths(&tree, &FieldPath::default(), &mut scalars, false);
    let Some(at) = scalars.get(pick % scalars.len().max(1)).cloned() else { return Ok(Tried::Nothing) };
    let before = tree.at(&at).cloned().unwrap_or(Draft::Null);
    let other = Draft::Text("another value".to_owned());
    let changed = match edit(&document, &[Edit::Set { at: at.clone(), to: other.clone() }], &names) {
        Ok(changed) => changed,
        Err(error) => return refused(error, &at),
    };
    let after = parse(&changed);
    if after.is_broken() {
        bail!("setting `{at}` broke the file");
    }
    if let Some(different) = difference(&tree, &Draft::of(after.root(), &names), &FieldPath::default(), &at, &other) {
        bail!("setting `{at}` changed `{different}`");
    }
    match edit(&after, &[Edit::Set { at: at.clone(), to: before }], &names) {
        Ok(back) => {
            let back = parse(&back);
            if values(&Draft::of(back.root(), &names)) != values(&tree) {
                bail!("setting `{at}` back gives another tree");
            }
        }
        Err(error) => return refused(error, &at),
    }
    inserted(notation, &document, pick, &tree, &names)
}

/// A new key in a table, taken out again, must give the same tree.
fn inserted(notation: &Notation, document: &Document, pick: usize, tree: &Draft, names: &Names) -> Result<Tried> {
    let mut tables = Vec::new();
    paths(tree, &FieldPath::default(), &mut tables, true);
    // XML has one root element
    tables.retain(|path| !path.is_empty() || notation.format() != Format::Xml);
    let Some(into) = tables.get(pick % tables.len().max(1)).cloned() else { return Ok(Tried::Edited) };
    let key = "brand_new_key".to_owned();
    let at = into.with(Step::Key(key.clone()));
    let insert = Edit::Insert { into, before: None, key: Some(key), value: Draft::Text("word".to_owned()) };
    let changed = match edit(document, &[insert], names) {
        Ok(changed) => changed,
        Err(error) => return refused(error, &at),
    };
    let after = Document::parse(FileId::default(), notation.clone(), changed.as_str().into(), names);
    if Draft::of(after.root(), names).at(&at).and_then(Draft::word).as_deref() != Some("word") {
        bail!("`{at}` was inserted, but is not read");
    }
    let back = edit(&after, &[Edit::Remove { at: at.clone() }], names).map_err(|error| anyhow::anyhow!("{error}"))?;
    let again = Document::parse(FileId::default(), notation.clone(), back.as_str().into(), names);
    if values(&Draft::of(again.root(), names)) != values(tree) {
        bail!("`{at}` was inserted and removed, and the tree is another");
    }
    Ok(Tried::Edited)
}

fn refused(error: EditError, at: &FieldPath) -> Result<Tried> {
    match error {
        EditError::Unusual(_)
        | EditError::Alias { .. }
        | EditError::Anchored { .. }
        | EditError::NoNotation { .. }
        | EditError::Shape { .. } => Ok(Tried::Unusual(format!("{at}: {error}"))),
        error => bail!("`{at}` cannot be edited: {error}"),
    }
}

/// A tree whose scalars are words, and in which nothing and an empty text are the same.
fn values(tree: &Draft) -> Draft {
    match tree {
        Draft::List(items) => Draft::List(items.iter().map(values).collect()),
        Draft::Table(entries) => {
            let mut entries: Vec<(String, Draft)> =
                entries.iter().map(|(key, value)| (key.clone(), values(value))).collect();
            entries.retain(|(_, value)| !matches!(value, Draft::Text(text) if text.is_empty()));
            Draft::Table(entries)
        }
        Draft::Null => Draft::Text(String::new()),
        scalar => Draft::Text(scalar.word().unwrap_or_default()),
    }
}

/// The paths of all scalars, or of all tables.
fn paths(tree: &Draft, here: &FieldPath, out: &mut Vec<FieldPath>, tables: bool) {
    match tree {
        Draft::List(items) => {
            for (nth, item) in items.iter().enumerate() {
                paths(item, &here.with(Step::Index(nth)), out, tables);
            }
        }
        Draft::Table(entries) => {
            if tables {
                out.push(here.clone());
            }
            for (nth, (key, value)) in entries.iter().enumerate() {
                // of repeated keys the last one counts
                if !entries.iter().skip(nth + 1).take(64).any(|(other, _)| other == key) {
                    paths(value, &here.with(Step::Key(key.clone())), out, tables);
                }
            }
        }
        _ if tables || tree.shape() == Shape::Null => {}
        _ => out.push(here.clone()),
    }
}

/// Where two trees differ, but for one value that was set.
fn difference(old: &Draft, new: &Draft, here: &FieldPath, set: &FieldPath, to: &Draft) -> Option<FieldPath> {
    if here == set {
        return (new != to).then(|| here.clone());
    }
    match (old, new) {
        (Draft::List(a), Draft::List(b)) if a.len() == b.len() => {
            let pairs = a.iter().zip(b).enumerate();
            pairs.into_iter().find_map(|(nth, (a, b))| difference(a, b, &here.with(Step::Index(nth)), set, to))
        }
        (Draft::Table(a), Draft::Table(b)) if a.len() == b.len() => {
            a.iter().zip(b).find_map(|((key, a), (other, b))| match key == other {
                true => difference(a, b, &here.with(Step::Key(key.clone())), set, to),
                false => Some(here.with(Step::Key(key.clone()))),
            })
        }
        (old, new) => (old != new).then(|| here.clone()),
    }
}
