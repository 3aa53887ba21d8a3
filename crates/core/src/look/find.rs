//! Finding definitions by words, numbers and conditions, without naming a field.

use std::collections::BTreeMap;
use std::sync::{Mutex, PoisonError};

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use crate::catalog::{Address, Catalog, DefId, LayerId, Target};
use crate::document::{FieldPath, Node, NodeRef, Number, Shape, float};
use crate::effective::{EffectiveScope, Value, View, World};
use crate::expression::{Expression, ExpressionError, Outcome};
use crate::nearest::nearest;
use crate::rulebook::{KindId, TypeId};
use crate::said::said;
use crate::source::{FileId, Place};

/// What follows the text of a hit that is one's own remark.
pub const YOUR_NOTE: &str = " (your note)";

/// One thing that is looked for.
#[derive(Clone, PartialEq, Debug)]
enum Term {
    /// A word, in small letters.
    Word(String),
    /// A number, as typed.
    Number(String),
}

impl Term {
    fn new(text: &str) -> Term {
        let number = text.trim_end_matches('%').trim_end();
        match Number::parse(number) {
            Some(_) => Term::Number(number.to_owned()),
            None => Term::Word(text.to_lowercase()),
        }
    }
}

/// What to find.
#[derive(Clone, Debug, Default)]
pub struct FindOptions {
    /// Words and numbers; a definition must have all of them, in any place.
    pub terms: Vec<String>,
    /// Only this kind.
    pub kind: Option<KindId>,
    /// Only what this layer defines or amends.
    pub layer: Option<LayerId>,
    /// Fields and the values they must have, or that must be there.
    pub has: Vec<(FieldPath, Option<String>)>,
    /// An expression that must hold.
    pub condition: Option<String>,
}

/// Where a term was met.
#[derive(Clone, Debug)]
pub struct Hit {
    /// The place.
    pub place: Place,
    /// The field; nothing for an id or a readable name.
    pub path: Option<FieldPath>,
    /// What stands there.
    pub text: String,
}

/// A definition that was found.
#[derive(Clone, Debug)]
pub struct Found {
    /// Its address.
    pub address: Address,
    met: Vec<Met>,
    rank: u8,
}

impl Found {
    /// The best place of each term.
    pub fn hits(&self, catalog: &Catalog) -> Vec<Hit> {
        self.met.iter().map(|met| met.hit(catalog)).collect()
    }
}

/// A filter that took part, and what would have been found without it.
#[derive(Clone, Debug)]
pub struct Filter {
    /// As typed.
    pub shown: String,
    /// How many definitions would have been found without it.
    pub without: usize,
    /// Of a word or value that is nowhere: the nearest one that is.
    pub near: Option<String>,
}

/// What was found.
#[derive(Clone, Debug, Default)]
pub struct FindReport {
    /// The definitions, best first, then by kind and id.
    pub found: Vec<Found>,
    /// With an empty answer: what each filter hid.
    pub filters: Vec<Filter>,
    /// Definitions on which the condition could not be tried: how many, one of them, and why.
    pub untried: Option<(usize, Address, String)>,
}

/// Why nothing could be looked for.
#[derive(Debug, thiserror::Error)]
pub enum FindError {
    /// The condition is no good for any kind that is looked at.
    #[error(transparent)]
    Condition(#[from] ExpressionError),
    /// The condition could not be tried on any definition that came into question.
    #[error("the condition cannot be tried on {address}: {reason}")]
    Untried {
        /// One of the definitions.
        address: String,
        /// Why not.
        reason: String,
    },
    /// No kind has such a field.
    #[error("{} has {} field `{path}`{}", .kind.as_ref().map_or("no kind".to_owned(), |kind| format!("kind `{kind}`")),
        if .kind.is_some() { "no" } else { "a" },
        .near.as_ref().map(|near| format!("\n  help: the nearest known field is `{near}`")).unwrap_or_default())]
    NoField {
        /// The kind that was looked at, if one only.
        kind: Option<String>,
        /// As typed.
        path: String,
        /// The nearest known one.
        near: Option<String>,
    },
}

/// Finds definitions.
///
/// # Errors
/// The condition is no expression, or a field is named that no kind has.
pub fn find_definitions(world: &World, options: &FindOptions) -> Result<FindReport, FindError> {
    let search = Search::new(world, options)?;
    let catalog = &world.catalog;
    let all = search.view.standing();
    let mut found: Vec<Found> = all.par_iter().filter_map(|address| search.found(*address, None)).collect();
    found.sort_by(|a, b| {
        let key = |found: &Found| (found.rank, found.address.space);
        let id = |found: &Found| catalog.names.text(found.address.id);
        key(a).cmp(&key(b)).then_with(|| id(a).cmp(id(b)))
    });
    let mut failed = std::mem::take(&mut *search.failed.lock().unwrap_or_else(PoisonError::into_inner));
    failed.sort();
    let untried = failed.first().cloned().map(|(address, reason)| (failed.len(), address, reason));
    if let (true, Some((_, address, reason))) = (found.is_empty(), &untried) {
        let address = format!("`{}`", catalog.show_address(*address));
        return Err(FindError::Untried { address, reason: reason.clone() });
    }
    let mut filters = Vec::new();
    if found.is_empty() {
        for (nth, shown) in search.filters.iter().enumerate() {
            let without = all.par_iter().filter(|address| search.found(**address, Some(nth)).is_some()).count();
            filters.push(Filter { shown: shown.clone(), without, near: search.near(nth, &all) });
        }
    }
    Ok(FindReport { found, filters, untried })
}

/// Whether a kind, or any, has a field.
///
/// # Errors
/// None has; the nearest field is named.
pub fn known_field(catalog: &Catalog, kind: Option<KindId>, path: &FieldPath) -> Result<(), FindError> {
    let rulebook = &catalog.rulebook;
    let kinds = rulebook.kinds().map(|(id, _)| id).filter(|id| kind.is_none_or(|kind| kind == *id));
    let roots: Vec<TypeId> = kinds.map(|id| rulebook.kind(id).root).collect();
    if roots.iter().any(|root| rulebook.type_at(*root, path, &catalog.names).is_ok()) {
        return Ok(());
    }
    let leaves = roots.into_iter().flat_map(|root| rulebook.leaves(root));
    let patterns: Vec<&str> = leaves.map(|leaf| rulebook.field_type(leaf).pattern.as_str()).collect();
    let near = nearest(&path.to_string(), patterns).map(str::to_owned);
    let kind = kind.map(|kind| rulebook.kind(kind).name().to_owned());
    Err(FindError::NoField { kind, path: path.to_string(), near })
}

/// A place where a term was met, before it is put into words.
#[derive(Clone, Debug)]
enum Met {
    Id(Address, Place),
    Text(Place, String),
    Value { top: NodeRef, at: NodeRef },
    Amended { path: FieldPath, at: NodeRef },
}

impl Met {
    fn hit(&self, catalog: &Catalog) -> Hit {
        match self {
            Met::Id(address, place) => {
                Hit { place: *place, path: None, text: catalog.names.text(address.id).to_owned() }
            }
            Met::Text(place, text) => Hit { place: *place, path: None, text: text.clone() },
            Met::Value { top, at } => {
                let node = catalog.node(*at);
                let above = node.document().path_to(top.node, &catalog.names);
                let path = node.document().path_to(at.node, &catalog.names).skip(above.steps().len());
                Hit { place: node.place(), path: Some(path), text: node.text().into_owned() }
            }
            Met::Amended { path, at } => {
                let node = catalog.node(*at);
                Hit { place: node.place(), path: Some(path.clone()), text: node.text().into_owned() }
            }
        }
    }
}

struct Search<'w> {
    catalog: &'w Catalog,
    view: View<'w>,
    options: &'w FindOptions,
    conditions: BTreeMap<KindId, Expression>,
    /// As typed: terms, kind, layer, has, condition.
    filters: Vec<String>,
    /// The best hit of each term by address.
    hits: Vec<FxHashMap<Address, (u8, Met)>>,
    /// Where the condition could not be tried.
    failed: Mutex<Vec<(Address, String)>>,
}

impl<'w> Search<'w> {
    fn new(world: &'w World, options: &'w FindOptions) -> Result<Search<'w>, FindError> {
        let catalog = &world.catalog;
        let rulebook = &catalog.rulebook;
        let kinds: Vec<KindId> = match options.kind {
            Some(kind) => vec![kind],
            None => rulebook.kinds().map(|(kind, _)| kind).collect(),
        };
        for (path, _) in &options.has {
            known_field(catalog, options.kind, path)?;
        }
        let mut filters: Vec<String> = options.terms.iter().map(|term| format!("`{term}`")).collect();
        filters.extend(options.kind.map(|kind| format!("`--kind {}`", rulebook.kind(kind).name())));
        filters.extend(options.layer.map(|layer| format!("`--layer {}`", catalog.layer(layer).id)));
        filters.extend(options.has.iter().map(|(path, value)| match value {
            Some(value) => format!("`--has {path}={value}`"),
            None => format!("`--has {path}`"),
        }));
        filters.extend(options.condition.iter().map(|condition| format!("`--where \"{condition}\"`")));
        Ok(Search {
            catalog,
            view: world.view(),
            options,
            conditions: conditions(world, options, &kinds)?,
            filters,
            hits: options.terms.iter().map(|term| hits(catalog, &Term::new(term))).collect(),
            failed: Mutex::default(),
        })
    }

    /// The nearest word or value that there is, if that of a filter is nowhere.
    fn near(&self, nth: usize, all: &[Address]) -> Option<String> {
        let catalog = self.catalog;
        if let Some(term) = self.options.terms.get(nth) {
            if self.hits.get(nth).is_some_and(|hits| !hits.is_empty()) {
                return None;
            }
            let mut words: FxHashSet<String> = FxHashSet::default();
            let mut put = |text: &str| {
                words.insert(text.to_lowercase());
                words.extend(text.split(|c: char| !c.is_alphanumeric()).map(str::to_lowercase));
            };
            for address in all {
                put(catalog.names.text(address.id));
                self.view.readable_name(*address).iter().for_each(|name| put(name));
            }
            let mut words: Vec<&str> = words.iter().map(String::as_str).filter(|word| word.len() > 1).collect();
            words.sort_unstable();
            return nearest(&term.to_lowercase(), words).map(str::to_owned);
        }
        let before = self.filters.iter().position(|filter| filter.starts_with("`--has "))?;
        let (path, wanted) = self.options.has.get(nth.checked_sub(before)?)?;
        let values: Vec<Value> =
            all.iter().filter_map(|at| self.view.effective(*at)?.get(catalog, path)).take(20_000).collect();
        let mut words: Vec<String> = values
            .iter()
            .flat_map(|value| value.items(catalog).into_iter().chain([value.clone()]))
            .filter_map(|v| v.word(catalog))
            .collect();
        words.sort_unstable();
        words.dedup();
        let wanted = wanted.as_ref().filter(|wanted| !words.contains(wanted))?;
        nearest(wanted, words.iter().map(String::as_str)).map(str::to_owned)
    }

    /// The definition, if all filters but one let it through.
    fn found(&self, address: Address, without: Option<usize>) -> Option<Found> {
        let mut nth = 0;
        let mut applies = || {
            nth += 1;
            without != Some(nth - 1)
        };
        let mut found = Found { address, met: Vec::new(), rank: 0 };
        for hits in &self.hits {
            if applies() {
                let (rank, met) = hits.get(&address)?;
                found.rank = found.rank.max(*rank);
                found.met.push(met.clone());
            }
        }
        if let Some(kind) = self.options.kind
            && applies()
            && self.view.kind_of(address) != Some(kind)
        {
            return None;
        }
        if let Some(layer) = self.options.layer
            && applies()
        {
            let defined = self.view.stack(address).any(|(_, definition)| definition.layer == layer);
            let amended = self.view.builds.of(address).iter().any(|(built, _)| *built == layer);
            if !defined && !amended {
                return None;
            }
        }
        let has: Vec<_> = self.options.has.iter().filter(|_| applies()).collect();
        let conditional = self.options.condition.is_some() && applies();
        if has.is_empty() && !conditional {
            return Some(found);
        }
        let kind = self.view.kind_of(address)?;
        let condition = self.conditions.get(&kind).filter(|_| conditional);
        let mut fields = condition.map(Expression::fields).unwrap_or_default();
        fields.extend(has.iter().filter_map(|(path, _)| self.catalog.names.get(path.first_key()?)));
        let effective = self.view.effective_of(address, &fields)?;
        for (path, wanted) in has {
            let value = effective.get(self.catalog, path)?;
            let Some(wanted) = wanted else { continue };
            let equal = |word: Option<String>| {
                let same =
                    |word: &String| word == wanted || Number::compare(word, wanted) == Some(std::cmp::Ordering::Equal);
                word.as_ref().is_some_and(same)
            };
            let items = value.items(self.catalog);
            if !equal(value.word(self.catalog)) && !items.iter().any(|item| equal(item.word(self.catalog))) {
                return None;
            }
        }
        if conditional {
            let condition = self.conditions.get(&effective.kind)?;
            let outcome = condition.eval(&EffectiveScope::new(&self.view, &effective));
            if let Outcome::Failed(reason) = &outcome {
                let mut failed = self.failed.lock().unwrap_or_else(PoisonError::into_inner);
                failed.push((address, reason.clone()));
            }
            if outcome.truth() != Some(true) {
                return None;
            }
        }
        Some(found)
    }
}

/// The condition for each kind that has the fields it names.
fn conditions(
    world: &World,
    options: &FindOptions,
    kinds: &[KindId],
) -> Result<BTreeMap<KindId, Expression>, ExpressionError> {
    let mut conditions = BTreeMap::new();
    let Some(source) = &options.condition else { return Ok(conditions) };
    let mut first: Option<ExpressionError> = None;
    for kind in kinds {
        match Expression::new(source, *kind, &world.catalog.rulebook, &world.catalog.names, true) {
            Ok(expression) => {
                conditions.insert(*kind, expression);
            }
            Err(errors) => {
                // a slip, or a near miss in some kind, says more than a plain "no such field" in another
                let says_more = |error: &ExpressionError| !error.unknown_field || error.help.is_some();
                let error = errors.into_iter().next();
                if first.as_ref().is_none_or(|known| !says_more(known)) {
                    first = error.filter(|error| first.is_none() || says_more(error)).or(first);
                }
            }
        }
    }
    match first {
        Some(mut error) if conditions.is_empty() => {
            if error.unknown_field && options.kind.is_none() {
                let field =
                    error.message.facts().into_iter().find(|(name, _)| *name == "field").map(|(_, fact)| fact.clone());
                error.message = said!("no kind has a field `{field}`", field);
            }
            Err(error)
        }
        _ => Ok(conditions),
    }
}

/// The best place of a term for each address: ids first, then names, then values.
fn hits(catalog: &Catalog, term: &Term) -> FxHashMap<Address, (u8, Met)> {
    let mut best: FxHashMap<Address, (u8, Met)> = FxHashMap::default();
    let mut put = |address: Address, rank: u8, met: Met| {
        if best.get(&address).is_none_or(|(known, _)| rank < *known) {
            best.insert(address, (rank, met));
        }
    };
    let files: Vec<FileId> = catalog.files().map(|(id, _)| id).collect();
    let met: Vec<Vec<(Address, u8, Met)>> = files.par_iter().map(|file| in_file(catalog, *file, term)).collect();
    for (address, rank, met) in met.into_iter().flatten() {
        put(address, rank, met);
    }
    if let Term::Word(word) = term
        && !catalog.texts.is_empty()
    {
        let seen = catalog.seen();
        for address in catalog.stacks.addresses() {
            for (role, language, at) in seen.texts_of(address) {
                let node = catalog.node(at);
                let text = node.text();
                if text.to_lowercase().contains(word.as_str()) {
                    put(address, 1, Met::Text(node.place(), format!("{text} ({role}, {language})")));
                }
            }
        }
    }
    if let Term::Word(word) = term {
        for (about, note) in catalog.notes() {
            if let Some((kind, id)) = about.split_once('/')
                && let Some(kind) = catalog.rulebook.kind_named(kind)
                && let Some(address) = catalog.address(kind, id)
                && holds(&note.text, word)
            {
                put(address, 5, Met::Text(note.place, format!("{}{YOUR_NOTE}", note.text)));
            }
        }
    }
    best
}

fn in_file(catalog: &Catalog, file: FileId, term: &Term) -> Vec<(Address, u8, Met)> {
    let mut out = Vec::new();
    let (Some(harvest), Some(document)) = (catalog.harvest_of(file), catalog.document(file)) else { return out };
    let Some((start, _)) = catalog.starts.get(file.0 as usize) else { return out };
    for nth in 0..harvest.definitions.len() {
        let definition = catalog.definition(DefId(start + crate::source::to_u32(nth)));
        let Some(address) = catalog.address_of(definition) else { continue };
        let node = document.node(definition.node);
        let id = catalog.names.text(address.id);
        if let Term::Word(word) = term {
            let lower = id.to_lowercase();
            let whole = word.contains('/') && catalog.show_address(address) == *word;
            if whole || lower.contains(word.as_str()) {
                let place = Place { file, span: node.key_span() };
                out.push((address, u8::from(lower != *word && !whole), Met::Id(address, place)));
                continue;
            }
        }
        if may_hold(node.raw(), term) {
            let mut best = None;
            values(node, term, &mut best);
            out.extend(best.map(|(rank, at)| (address, rank, Met::Value { top: definition.at(), at })));
        }
    }
    for amendment in &harvest.amendments {
        let Target::Of { id } = &amendment.target else { continue };
        let Some(address) = catalog.address(amendment.kind, id) else { continue };
        for op in &amendment.ops {
            let node = document.node(op.value);
            if let Some(rank) = meets(node, term) {
                out.push((address, rank, Met::Amended { path: op.path.clone(), at: node.at() }));
            }
        }
    }
    out
}

/// A quick look at the bytes, so that most definitions need not be walked.
fn may_hold(raw: &str, term: &Term) -> bool {
    match term {
        Term::Word(word) if !raw.contains('\\') => holds(raw, word),
        _ => true,
    }
}

/// Whether a text holds a word in small letters, whatever its own letters are.
fn holds(text: &str, word: &str) -> bool {
    let Some(first) = word.as_bytes().first().filter(|_| word.is_ascii()) else {
        return text.to_lowercase().contains(word);
    };
    let bytes = text.as_bytes();
    let same = |at: usize| bytes.get(at..at + word.len()).is_some_and(|b| b.eq_ignore_ascii_case(word.as_bytes()));
    memchr::memchr2_iter(*first, first.to_ascii_uppercase(), bytes).any(same)
}

/// How well a scalar meets a term; the less the better.
fn meets(node: Node<'_>, term: &Term) -> Option<u8> {
    let shape = node.shape();
    if matches!(shape, Shape::List | Shape::Table | Shape::Broken) {
        return None;
    }
    let text = node.text();
    match term {
        Term::Word(word) => {
            let whole = text.len() == word.len();
            holds(&text, word).then_some(if whole { 2 } else { 3 })
        }
        Term::Number(number) if shape == Shape::Number => {
            let (value, wanted) = (float(&text)?, float(number)?);
            let equal = |a: f64, b: f64| (a - b).abs() <= 1e-9 * a.abs().max(b.abs());
            if equal(value, wanted) {
                return Some(2);
            }
            // what a menu shows as 150 may be written 1.5
            (wanted.abs() >= 1.0 && equal(value * 100.0, wanted)).then_some(4)
        }
        Term::Number(number) => {
            let digit = |c: Option<char>| c.is_some_and(|c| c.is_ascii_digit() || c == '.');
            let stands_alone = |(at, found): (usize, &str)| {
                let before = text.get(..at).and_then(|before| before.chars().next_back());
                let after = text.get(at + found.len()..).and_then(|after| after.chars().next());
                !digit(before) && !digit(after)
            };
            text.match_indices(number.as_str()).any(stands_alone).then_some(3)
        }
    }
}

/// The best value below a node, the first of equally good ones.
fn values(node: Node<'_>, term: &Term, best: &mut Option<(u8, NodeRef)>) {
    for child in node.children() {
        if let Some(rank) = meets(child, term)
            && best.is_none_or(|(known, _)| rank < known)
        {
            *best = Some((rank, child.at()));
        }
        values(child, term, best);
    }
}
