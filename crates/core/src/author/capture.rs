//! Lines that the game wrote to a log while somebody played become entries of lists and values of fields.

use super::assign::{Assignment, AssignmentError, Assigns, typed};
use crate::catalog::{Address, Catalog};
use crate::document::{Draft, FieldPath, Step, json_line};
use crate::effective::World;
use crate::rulebook::{Capture, filled_in};

/// A line that means something.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct CapturedLine {
    /// Its number in the log, from 1.
    pub line: usize,
    /// The number of its session, from 1.
    pub session: usize,
    /// What such a line is called.
    pub name: String,
    /// The fields that it gives, and their values as they are typed.
    pub values: Vec<(FieldPath, String)>,
    /// The word by which the game refuses it.
    pub unfit: Option<String>,
    /// Which of the rulebook's captures it is.
    capture: usize,
}

/// The lines of a log that the rulebook knows, with how many sessions there are.
pub fn captured_lines(catalog: &Catalog, log: &str) -> (Vec<CapturedLine>, usize) {
    let captures = &catalog.rulebook.captures;
    let mut out = Vec::new();
    let mut session = 1;
    let mut any = false;
    for (at, text) in log.lines().enumerate() {
        if captures.iter().any(|capture| capture.session.as_ref().is_some_and(|begins| begins.is_match(text))) {
            session += usize::from(any);
            any = true;
            continue;
        }
        for (nth, capture) in captures.iter().enumerate() {
            let Some(found) = capture.line.captures(text) else { continue };
            any = true;
            let group = |name: &str| found.name(name).map_or("", |group| group.as_str());
            let refuses = |(name, words): &(String, Vec<String>)| words.iter().any(|word| word == group(name));
            let unfit = capture.unfit.iter().find(|one| refuses(one)).map(|(name, _)| group(name).to_owned());
            let values = capture
                .entry
                .iter()
                .map(|(path, text)| (path.clone(), filled_in(text, &|name| group(name).to_owned())))
                .collect();
            out.push(CapturedLine { line: at + 1, session, name: capture.name.clone(), values, unfit, capture: nth });
            break;
        }
    }
    (out, session)
}

/// What lines assign to a definition: entries of a list, or values of its fields.
///
/// # Errors
/// The definition is of another kind; a value does not fit its field, with the line.
pub fn captured_assignments(
    world: &World,
    address: Address,
    lines: &[&CapturedLine],
) -> Result<Vec<Assignment>, AssignmentError> {
    let catalog = &world.catalog;
    let rulebook = &catalog.rulebook;
    let kind = world.view().kind_of(address);
    let mut lists: Vec<(FieldPath, Vec<Draft>)> = Vec::new();
    let mut out = Vec::new();
    for line in lines {
        let Some(capture) = rulebook.captures.get(line.capture) else { continue };
        if kind != Some(capture.kind) {
            let message = format!(
                "line {}: a {} goes into a {}, and `{}` is none",
                line.line,
                line.name,
                rulebook.kind(capture.kind).name(),
                catalog.show_address(address)
            );
            return Err(AssignmentError::new(message, None));
        }
        match &capture.list {
            None => out.extend(line.values.iter().map(|(path, value)| Assignment {
                path: path.clone(),
                assigns: Assigns::Set,
                value: value.clone(),
            })),
            Some(list) => {
                let entry = entry(catalog, capture, list, line)?;
                match lists.iter_mut().find(|(known, _)| known == list) {
                    Some((_, all)) => all.push(entry),
                    None => lists.push((list.clone(), vec![entry])),
                }
            }
        }
    }
    out.extend(lists.into_iter().map(|(path, entries)| Assignment {
        path,
        assigns: Assigns::Add,
        value: json_line(&Draft::List(entries)),
    }));
    Ok(out)
}

/// The entry that a line gives.
fn entry(
    catalog: &Catalog,
    capture: &Capture,
    list: &FieldPath,
    line: &CapturedLine,
) -> Result<Draft, AssignmentError> {
    let root = catalog.rulebook.kind(capture.kind).root;
    let mut entry = Draft::Table(Vec::new());
    for (path, value) in &line.values {
        let mut steps = list.steps().to_vec();
        steps.push(Step::Index(0));
        steps.extend(path.steps().iter().cloned());
        let told = |message: String| AssignmentError::new(format!("line {}: {message}", line.line), None);
        let ty = catalog.rulebook.type_at(root, &FieldPath::from(steps), &catalog.names);
        let ty = ty.map_err(|_| told(format!("there is no field `{path}`")))?;
        let value = typed(catalog, value, ty).map_err(|error| told(error.message))?;
        entry.lay_in(path.steps(), value, false);
    }
    Ok(entry)
}
