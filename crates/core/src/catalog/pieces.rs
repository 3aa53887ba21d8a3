//! The pieces of files that places of the rulebook cut out: those that none takes, those that two take, and tables
//! beside them that were meant to hold some.

use rustc_hash::FxHashMap;

use super::CodedFault;
use super::harvest::Harvest;
use crate::document::{Document, Node, NodeId, Shape, find};
use crate::names::Names;
use crate::own::{self, OwnFault};
use crate::rulebook::{Pattern, PatternStep, Rulebook, Test, TypeId, Wanted};
use crate::said::{listed, said};
use crate::source::Place;

/// Tables and lists beside those with the definitions, whose names are nearly the ones that the game looks for.
pub(super) fn misspelt(node: Node<'_>, ways: &[&[PatternStep]], names: &Names, faults: &mut Vec<CodedFault>) {
    let key = |way: &&[PatternStep]| match way.first() {
        Some(PatternStep::Key(key)) => Some(key.clone()),
        _ => None,
    };
    let wanted: Vec<String> = ways.iter().filter_map(key).collect();
    if node.shape() != Shape::Table || wanted.len() < ways.len() || wanted.is_empty() {
        return;
    }
    for child in node.children().filter(|child| matches!(child.shape(), Shape::Table | Shape::List)) {
        let name = child.key().map_or("", |key| names.text(key));
        let below: Vec<&[PatternStep]> = ways
            .iter()
            .filter(|way| matches!(way.first(), Some(PatternStep::Key(key)) if key == name))
            .filter_map(|way| way.get(1..))
            .collect();
        if !below.is_empty() {
            misspelt(child, &below, names, faults);
        } else if let Some((way, within)) = deeper(child, ways, names) {
            let way = Pattern([&[PatternStep::Key(name.to_owned())], way].concat());
            let help = Some(said!("where the rulebook is meant to look for it there: `cut = \"{way}\"`", way));
            let fault = OwnFault { help, ..looks_past(child, within, names) };
            faults.push(CodedFault { code: "file-not-read", fault });
        } else if let Some(near) = crate::nearest::nearest(name, wanted.iter().map(String::as_str)) {
            let place = Place { file: node.document().file(), span: child.key_span() };
            let message = said!("the game does not look at `{name}`", name);
            let help = Some(said!("`{nearest}` is where it looks for definitions", nearest = near));
            let fault = own::fault(place, message).help(help);
            faults.push(CodedFault { code: "file-not-read", fault });
        }
    }
}

/// The table around all of a document, and a field of a type that stands in it, where the type knows none such: as XML
/// has an element around all. What is nearly a field is one that is misspelt.
pub(super) fn around<'n>(
    root: Node<'n>,
    ty: TypeId,
    rulebook: &Rulebook,
    names: &Names,
) -> Option<(Node<'n>, Node<'n>)> {
    let known = |node: &Node<'_>| {
        let key = node.key();
        rulebook.tables_of(ty).any(|table| table.open || key.is_some_and(|key| table.get(key).is_some()))
    };
    let mut all = root.children();
    let only = all.next().filter(|only| only.shape() == Shape::Table && !known(only))?;
    let within = only.children().find(known)?;
    let fields = rulebook.tables_of(ty).flat_map(|table| &table.fields).map(|(name, _)| names.text(*name));
    let misspelt = || crate::nearest::nearest(only.key().map_or("", |key| names.text(key)), fields).is_some();
    (all.next().is_none() && !misspelt()).then_some((only, within))
}

/// What is said of a table into which the rulebook does not look, though what it looks for stands in it.
pub(super) fn looks_past(around: Node<'_>, within: Node<'_>, names: &Names) -> OwnFault {
    let word = |node: Node<'_>| node.key().map_or("", |key| names.text(key)).to_owned();
    let (name, key) = (word(around), word(within));
    let place = Place { file: around.document().file(), span: around.key_span() };
    let message = said!("the game does not look into `{name}`, and `{key}` stands in it", name, key);
    own::fault(place, message)
}

/// The way that would lead on in a table, were it begun one step further out: as XML has an element around all.
fn deeper<'w, 'n>(node: Node<'n>, ways: &[&'w [PatternStep]], names: &Names) -> Option<(&'w [PatternStep], Node<'n>)> {
    let mut leads = ways.iter().filter_map(|way| match way.first() {
        Some(PatternStep::Key(key)) => node.get_named(key, names).map(|within| (*way, within)),
        _ => None,
    });
    leads.next()
}

/// What becomes of the pieces of a file that places cut out.
#[derive(Default)]
pub(super) struct Pieces {
    /// Pieces that a place takes.
    pub(super) taken: FxHashMap<NodeId, usize>,
    /// Pieces that the test of a place leaves to others.
    pub(super) left: Vec<NodeId>,
    /// Places that take the same piece.
    pub(super) twice: Vec<(usize, usize)>,
}

impl Pieces {
    /// Tells the pieces that no place takes, where several share them out by their tests.
    pub(super) fn left(
        &self,
        document: &Document,
        places: &[usize],
        (rulebook, names): (&Rulebook, &Names),
        harvest: &mut Harvest,
    ) {
        let sharing = places.iter().filter_map(|at| rulebook.places.get(*at)).filter(|place| place.test.is_some());
        let tests: Vec<&Test> = sharing.filter_map(|place| place.test.as_ref()).collect();
        if tests.len() < 2 {
            return;
        }
        let mut left: Vec<NodeId> = self.left.iter().copied().filter(|node| !self.taken.contains_key(node)).collect();
        left.sort_unstable();
        left.dedup();
        let mut asked: Vec<String> =
            tests.iter().flat_map(|test| &test.0).map(|part| format!("`{}`", part.path)).collect();
        asked.sort_unstable();
        asked.dedup();
        let asked = asked.join(", ");
        for node in left.into_iter().map(|node| document.node(node)) {
            let place = match node.key() {
                Some(_) => Place { file: document.file(), span: node.key_span() },
                None => Place { file: document.file(), span: own::first_line(node) },
            };
            let name = if node.key().is_some() { format!("`{}`", node.key_text()) } else { "this".to_owned() };
            let message = said!("no place of the rulebook takes {name}, so the game reads nothing of it", name);
            // the word by which the places are told, and those that they ask for
            let told = tests.iter().flat_map(|test| &test.0).find_map(|part| {
                let word = find(node, &part.path, names)?.text().into_owned();
                let parts = tests.iter().flat_map(|test| &test.0).filter(|other| other.path == part.path);
                let words = parts.filter_map(|part| match &part.wanted {
                    Wanted::OneOf(words) => Some(words),
                    Wanted::There(_) => None,
                });
                let words: Vec<&str> = words.flatten().map(String::as_str).collect();
                (!words.is_empty()).then(|| (part.path.to_string(), word, words))
            });
            let help = match told {
                Some((path, word, words)) => match crate::nearest::nearest(&word, words.iter().copied()) {
                    Some(near) => said!(
                        "`{field}` is `{word}`; the nearest that a place asks for is `{nearest}`",
                        field = path,
                        word,
                        nearest = near
                    ),
                    None => said!(
                        "`{field}` is `{word}`; places ask for {words}",
                        field = path,
                        word,
                        words = listed(words)
                    ),
                },
                None => said!("places are told by {asked}", asked),
            };
            let help = Some(help);
            let fault = own::fault(place, message).help(help);
            harvest.own_faults.push(CodedFault { code: "file-not-read", fault });
        }
    }
}
