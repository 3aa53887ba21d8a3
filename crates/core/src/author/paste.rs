//! A fragment in the game's own notation, put where such definitions stand.

use super::assign::{Stands, leads, told};
use super::place::{New, model, new_file, path_of, path_of_one, put, says_where, uncut};
use super::read_back::Before;
use super::requirement::writable;
use super::set::{SetError, unread};
use super::usable::usable_form;
use crate::catalog::{ALONE, Catalog, File, FileRole, Harvest, Harvested, LayerId, as_read, harvest};
use crate::document::{Document, Draft, Fault, Format, Notation, Shape, json_line, whole};
use crate::effective::World;
use crate::names::Names;
use crate::rulebook::{KindId, PatternStep, TypeFault, Where, Wrong};
use crate::source::{ChangeSet, FileId};

/// What is wrong in a fragment.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct PasteFault {
    /// The line in the fragment, from 1; nothing where it is not known.
    pub line: Option<usize>,
    /// What is wrong.
    pub message: String,
    /// The nearest right answer.
    pub help: Option<String>,
}

/// Why nothing was pasted.
#[derive(Debug, thiserror::Error)]
pub enum PasteError {
    /// The fragment is at fault.
    #[error("the fragment is at fault")]
    Faults(Vec<PasteFault>),
    /// As of other changes.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// What came of it.
#[derive(Clone, Debug)]
pub struct PasteReport {
    /// The files to write.
    pub changes: ChangeSet,
    /// The definitions, by kind and id, and whether a lower layer has one with that id.
    pub made: Vec<(KindId, String, bool)>,
}

/// A fragment that was read as a file of its own would be.
struct Attempt {
    document: Document,
    harvest: Harvest,
    /// How many lines stand before the fragment's own; nothing where it was laid out anew.
    above: Option<usize>,
}

/// Reads a fragment as definitions of a kind, and plans that they stand in the mod. A fragment may be a whole file, what
/// stands in one, or a single definition, whose id is then given. Nothing is written to disk.
///
/// # Errors
/// What is wrong in the fragment, with its lines; or why it cannot stand there.
pub fn paste(
    world: &mut World,
    layer: LayerId,
    kind: KindId,
    id: Option<&str>,
    text: &str,
) -> Result<PasteReport, PasteError> {
    writable(&world.catalog, layer)?;
    let catalog = &world.catalog;
    let name = catalog.rulebook.kind(kind).name().to_owned();
    let places: Vec<(usize, &Where)> =
        catalog.rulebook.places.iter().enumerate().filter(|(_, place)| place.writes(kind)).collect();
    let mut best: Option<Attempt> = None;
    let worth = |attempt: &Attempt| {
        let made = attempt.harvest.definitions.iter().filter(|made| made.kind == kind).count();
        let (broken, faults) = (attempt.document.faults().len(), attempt.harvest.faults.len());
        // with its own lines, where that comes to the same
        (usize::MAX - broken, made.min(1), usize::MAX - faults, attempt.above.is_some(), made)
    };
    for (at, place) in places {
        for attempt in attempts(catalog, layer, (at, place), (kind, id), text) {
            if best.as_ref().is_none_or(|best| worth(&attempt) > worth(best)) {
                best = Some(attempt);
            }
        }
    }
    let Some(attempt) = best else {
        return Err(SetError::Problem(format!("the rulebook names no file in which a {name} could stand")).into());
    };
    let faults = match attempt.harvest.definitions.iter().any(|made| made.kind == kind) {
        true => faults(world, layer, &attempt),
        false if attempt.document.faults().is_empty() => Vec::new(),
        false => broken(&attempt),
    };
    if !faults.is_empty() {
        return Err(PasteError::Faults(faults));
    }
    let definitions = &attempt.harvest.definitions;
    if !definitions.iter().any(|made| made.kind == kind) {
        let message = format!("there is no {name} in the fragment");
        let help = format!("a single {name} that does not say its id needs it: `cognomen paste {name}/ID`");
        return Err(PasteError::Faults(vec![PasteFault { line: None, message, help: Some(help) }]));
    }
    let mut new: Vec<(KindId, Vec<New>)> = Vec::new();
    for made in definitions {
        let said = made.id.map(|id| catalog.names.text(id).to_owned());
        let known = match (id, said) {
            (Some(id), Some(said)) if definitions.len() == 1 && said != id && !said.contains(PASTED) => {
                let message = format!("the fragment says `{said}`, not `{id}`");
                return Err(PasteError::Faults(vec![PasteFault { line: None, message, help: None }]));
            }
            (Some(id), _) if definitions.len() == 1 => id.to_owned(),
            (_, Some(said)) if !said.contains(PASTED) => said,
            _ => {
                let message = format!("the fragment does not say the id of the {name}");
                let help = format!("`cognomen paste {name}/ID`");
                return Err(PasteError::Faults(vec![PasteFault { line: None, message, help: Some(help) }]));
            }
        };
        if let Some(address) = catalog.address(made.kind, &known)
            && let Some((_, own)) = catalog.stack(address).find(|(_, own)| own.layer == layer)
        {
            let shown = catalog.show_address(address);
            let place = catalog.line_of(catalog.definition_place(own.at()));
            let message = format!("`{shown}` is there already, at {place}");
            return Err(SetError::Problem(message).into());
        }
        usable_form(catalog, made.kind, &known, false)?;
        let draft = Draft::of(attempt.document.node(made.node), &catalog.names);
        let one = New { id: known, draft, original: None };
        match new.iter_mut().find(|(kind, _)| *kind == made.kind) {
            Some((_, all)) => all.push(one),
            None => new.push((made.kind, vec![one])),
        }
    }
    let below = |kind: KindId, id: &str| catalog.address(kind, id).is_some_and(|at| catalog.stack(at).next().is_some());
    let all = new.iter().flat_map(|(kind, all)| all.iter().map(|one| (*kind, one.id.clone())));
    let made: Vec<(KindId, String, bool)> = all.map(|(kind, id)| (kind, id.clone(), below(kind, &id))).collect();
    let state = Before::of(world, layer, None);
    let mut changes = ChangeSet::default();
    for (kind, all) in new {
        let more: ChangeSet = put(&world.catalog, layer, kind, &all)?.into();
        world.take_in(layer, &more).map_err(unread)?;
        changes = changes.then(more);
    }
    let ids: Vec<(KindId, &str)> = made.iter().map(|(kind, id, _)| (*kind, id.as_str())).collect();
    state.read_back(world, layer, &ids, &[])?;
    Ok(PasteReport { changes, made })
}

/// What a fragment's file is called.
const PASTED: &str = "pasted-fragment";

/// The ways to read a fragment as a file of a place.
fn attempts(
    catalog: &Catalog,
    layer: LayerId,
    (at, place): (usize, &Where),
    (kind, id): (KindId, Option<&str>),
    text: &str,
) -> Vec<Attempt> {
    let said = id.filter(|id| says_where(catalog, kind, id));
    let said = said.and_then(|id| new_file(catalog, place, kind, id, PASTED).ok());
    let relative = said.unwrap_or_else(|| match place.holds_one() {
        true => path_of_one(catalog, place, kind, id.unwrap_or(PASTED)),
        false => path_of(place, PASTED),
    });
    let Some(notation) = place.notation_of(&relative) else { return Vec::new() };
    let like = model(catalog, kind, &notation);
    let file = File {
        path: relative.clone(),
        relative,
        layer: None,
        owner: catalog.owner_id(layer),
        role: FileRole::Definitions(vec![at]),
        hidden_by: Vec::new(),
    };
    let read = |text: String, above: Option<usize>| {
        let document = Document::parse(FileId(u32::MAX), notation.clone(), text.into(), &catalog.names);
        let document = as_read(document, &file.relative, &file.role, &catalog.rulebook, &catalog.names);
        let harvest = harvest(&document, &file, &catalog.rulebook, &catalog.names);
        Attempt { document, harvest, above }
    };
    let mut out = Vec::new();
    for (text, above) in wrapped(&notation, like, (&place.cut.0, id), text) {
        let attempt = read(text, Some(above));
        if attempt.harvest.definitions.is_empty() && attempt.document.faults().is_empty() {
            // what stands in a file without what leads to it there
            let value = Draft::of(attempt.document.root(), &catalog.names);
            for value in nested(place, id, value) {
                let models: Vec<&Document> = like.into_iter().collect();
                if let Ok(text) = whole(&notation, &models, &value, &catalog.names) {
                    out.push(read(text, None));
                }
            }
        }
        out.push(attempt);
    }
    out
}

/// A fragment as a text of its own, with the marks around it that it may lack, and how many lines these are.
fn wrapped(
    notation: &Notation,
    like: Option<&Document>,
    (cut, id): (&[PatternStep], Option<&str>),
    text: &str,
) -> Vec<(String, usize)> {
    let bare = text.trim_end().trim_end_matches(',');
    let mut out = vec![(text.to_owned(), 0)];
    match notation.format() {
        Format::Json => {
            let key = |key: &str| format!("{{{}:", json_line(&Draft::Text(key.to_owned())));
            let (last, above) = match cut.split_last() {
                Some((last @ (PatternStep::Values | PatternStep::Entries), above)) => (Some(last), above),
                _ => (None, cut),
            };
            let opened: String = above
                .iter()
                .map(|step| match step {
                    PatternStep::Key(name) => key(name),
                    PatternStep::Entries => "[".to_owned(),
                    _ => key(PASTED),
                })
                .collect();
            let closed: String = opened
                .chars()
                .rev()
                .filter_map(|c| match c {
                    '{' => Some('}'),
                    '[' => Some(']'),
                    _ => None,
                })
                .collect();
            let mut form =
                |open: &str, close: &str| out.push((format!("{opened}{open}\n{bare}\n{close}{closed}\n"), 1));
            form("", "");
            match last {
                Some(PatternStep::Entries) => form("[", "]"),
                Some(_) => {
                    form("{", "}");
                    if let Some(id) = id {
                        form(&key(id), "}");
                    }
                }
                None => {}
            }
        }
        Format::Xml => {
            // within as many of the elements that lead to such definitions as it lacks
            let keys: Vec<&str> = cut
                .iter()
                .filter_map(|step| match step {
                    PatternStep::Key(key) => Some(key.as_str()),
                    _ => None,
                })
                .collect();
            for upto in (1..keys.len()).rev() {
                let around = keys.get(..upto).unwrap_or_default();
                let opened: String = around.iter().map(|key| format!("<{key}>")).collect();
                let closed: String = around.iter().rev().map(|key| format!("</{key}>")).collect();
                out.push((format!("{opened}\n{text}\n{closed}\n"), 1));
            }
        }
        Format::Csv => {
            let head = like.and_then(|like| like.text().lines().next());
            if let Some(head) = head.filter(|head| !names_columns(notation, head, text)) {
                out.push((format!("{head}\n{text}"), 1));
            }
        }
        _ => {}
    }
    out
}

/// Whether the first row of a fragment names columns, as that of a file does: most of its cells are names of columns there.
fn names_columns(notation: &Notation, head: &str, text: &str) -> bool {
    let cells = |row: &str| -> Vec<String> {
        let names = Names::default();
        // read below itself, each cell is under its own name
        let document = Document::parse(FileId(u32::MAX), notation.clone(), format!("{row}\n{row}\n").into(), &names);
        let row = document.root().children().next();
        row.into_iter().flat_map(|row| row.children()).map(|cell| cell.text().into_owned()).collect()
    };
    let (known, first) = (cells(head), cells(text.lines().next().unwrap_or_default()));
    2 * first.iter().filter(|cell| known.contains(cell)).count() > first.len()
}

/// What a file would hold in which a value stands as a definition, or as several.
fn nested(place: &Where, id: Option<&str>, value: Draft) -> Vec<Draft> {
    let cut = &place.cut.0;
    let named = |value: Draft| (id.unwrap_or(PASTED).to_owned(), value);
    let mut out = Vec::new();
    match (cut.last(), &value) {
        (Some(PatternStep::Values), Draft::Table(entries)) => {
            if entries.iter().all(|(_, entry)| entry.shape() == Shape::Table) {
                out.push(uncut(cut, entries));
            }
            if id.is_some() {
                out.push(uncut(cut, &[named(value.clone())]));
            }
        }
        (Some(PatternStep::Entries), Draft::List(items)) => {
            out.push(uncut(cut, &items.iter().cloned().map(named).collect::<Vec<_>>()));
        }
        _ => out.push(uncut(cut, &[named(value)])),
    }
    out
}

impl Attempt {
    /// The line of the fragment at an offset.
    fn line(&self, offset: u32) -> Option<usize> {
        let above = self.above?;
        let before = self.document.text().get(..offset as usize).unwrap_or("");
        Some((before.matches('\n').count() + 1).saturating_sub(above).max(1))
    }
}

/// What is wrong in a fragment's notation.
fn broken(attempt: &Attempt) -> Vec<PasteFault> {
    let faults = attempt.document.faults().iter();
    let one = |fault: &Fault| PasteFault {
        line: attempt.line(fault.span.start),
        message: fault.message.to_string(),
        help: None,
    };
    faults.map(one).collect()
}

/// What is wrong in a fragment: its notation, its values, what they name.
fn faults(world: &World, layer: LayerId, attempt: &Attempt) -> Vec<PasteFault> {
    let catalog = &world.catalog;
    let document = &attempt.document;
    let line = |offset: u32| attempt.line(offset);
    let mut out = broken(attempt);
    // what a parent or a lower layer may give is looked at when it stands
    let needs = |fault: &&TypeFault| {
        let made = attempt.harvest.definitions.get(fault.from as usize);
        let below = |made: &Harvested| {
            made.id.is_some_and(|id| {
                catalog.address(made.kind, catalog.names.text(id)).is_some_and(|at| catalog.stack(at).next().is_some())
            })
        };
        !matches!(fault.what, Wrong::Lacking { .. }) || !made.is_some_and(|made| made.parent.is_some() || below(made))
    };
    for fault in attempt.harvest.faults.iter().filter(needs) {
        let node = document.node(fault.at);
        let error = told(catalog, node, fault);
        out.push(PasteFault { line: line(node.span().start), message: error.message, help: error.help });
    }
    for coded in &attempt.harvest.own_faults {
        let place = coded.fault.place;
        let (message, help) = (coded.fault.message.to_string(), coded.fault.help.clone().map(String::from));
        out.push(PasteFault { line: line(place.span.start), message, help });
    }
    if !document.faults().is_empty() {
        return out;
    }
    // definitions of one fragment may name each other
    let own: Vec<&str> =
        attempt.harvest.definitions.iter().filter_map(|made| Some(catalog.names.text(made.id?))).collect();
    let seen = world.with_ground(layer);
    for mention in attempt.harvest.mentions.iter().filter(|mention| catalog.is_link(mention)) {
        let node = document.node(mention.at);
        let word = catalog.mentioned(document, mention);
        let sought = catalog.sought(&word, mention.wants, ALONE);
        if sought.given || sought.ids.iter().any(|(_, id)| own.contains(&id.as_str())) {
            continue;
        }
        let stands = Stands { seen: &seen, file: None, beside: ALONE };
        if let Err(error) = leads(catalog, document, mention, &stands) {
            out.push(PasteFault { line: line(node.span().start), message: error.message, help: error.help });
        }
    }
    out
}
