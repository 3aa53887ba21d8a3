//! What comparable definitions have in one field: how many, the quartiles, a histogram, the nearest ones.

use crate::catalog::{Address, Catalog};
use crate::document::{FieldPath, float};
use crate::effective::{Membership, View, World, reach};
use crate::nearest::nearest;
use crate::rulebook::{KindId, Pattern, Reading, TypeId};

/// Which definitions are comparable.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Among {
    /// The whole kind.
    All,
    /// Those that inherit from this one, and itself.
    Parent(Address),
    /// The members of this group, those of groups within it included.
    Group(Address),
    /// Those with this word in a field.
    Sort(FieldPath, String),
}

/// What to look at.
#[derive(Clone, Debug)]
pub struct SpreadOptions {
    /// The kind.
    pub kind: KindId,
    /// The field's pattern, as `kinds` lists it.
    pub field: String,
    /// Which definitions; without it, the nearest group of the marked one, otherwise the whole kind.
    pub among: Option<Among>,
    /// The definition that is to be placed among the others.
    pub mark: Option<Address>,
}

/// A number of one definition.
#[derive(Clone, Debug)]
pub struct Sample {
    /// The definition.
    pub address: Address,
    /// As written.
    pub word: String,
    /// Its value.
    pub value: f64,
}

/// One bar of a histogram, from its least number on up to that of the next.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Bin {
    /// The least number.
    pub from: f64,
    /// The number behind the greatest.
    pub to: f64,
    /// How many numbers are in it.
    pub count: usize,
}

/// The numbers of one field. A range has two of these.
#[derive(Clone, Debug)]
pub struct Series {
    /// The field's pattern.
    pub field: String,
    /// Its unit.
    pub unit: Option<String>,
    /// All numbers, from the least to the greatest.
    pub samples: Vec<Sample>,
    /// Least, lower quartile, median, upper quartile, greatest (linear interpolation between the nearest
    /// ranks: Hyndman and Fan 1996, definition 7).
    pub quartiles: [f64; 5],
    /// The bars.
    pub histogram: Vec<Bin>,
    /// How many comparable definitions state nothing there.
    pub absent: usize,
    /// The number of the marked definition.
    pub mark: Option<Sample>,
}

impl Series {
    /// The numbers next to the marked one: the nearest below and above, nearest first.
    pub fn neighbours(&self, count: usize) -> Vec<&Sample> {
        let Some(mark) = &self.mark else { return Vec::new() };
        let mut others: Vec<&Sample> = self.samples.iter().filter(|sample| sample.address != mark.address).collect();
        others.sort_by(|a, b| (a.value - mark.value).abs().total_cmp(&(b.value - mark.value).abs()));
        others.truncate(count);
        others
    }

    /// How many of the numbers lie below the marked one.
    pub fn below(&self) -> usize {
        let mark = self.mark.as_ref().map_or(f64::NEG_INFINITY, |mark| mark.value);
        self.samples.iter().filter(|sample| sample.value < mark).count()
    }
}

/// What came of it.
#[derive(Clone, Debug)]
pub struct SpreadReport {
    /// Which definitions were compared.
    pub among: Among,
    /// How many there are.
    pub count: usize,
    /// One series for a number, more for a range.
    pub series: Vec<Series>,
}

/// Why there is nothing to compare.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
pub enum SpreadError {
    /// The kind has no such field.
    #[error("{kind} has no field `{field}`{}", .near.as_ref().map(|near| format!("\n  help: the nearest known one is `{kind}.{near}`")).unwrap_or_default())]
    NoField {
        /// The kind.
        kind: String,
        /// As typed.
        field: String,
        /// The nearest known one.
        near: Option<String>,
    },
    /// The field holds no numbers.
    #[error("`{0}` holds no numbers: it takes {1}")]
    NoNumbers(String, String),
}

/// The spread of a field among comparable definitions. The numbers are those of `among` the view; the marked
/// one's come from the whole workspace.
///
/// # Errors
/// There is no such field, or it holds no numbers.
pub fn spread(world: &World, view: &View<'_>, options: &SpreadOptions) -> Result<SpreadReport, SpreadError> {
    let catalog = &world.catalog;
    let rulebook = &catalog.rulebook;
    let kind = rulebook.kind(options.kind);
    let fields = rulebook.fields_below(kind.root());
    let pattern_of = |ty: TypeId| rulebook.field_type(ty).pattern.as_str();
    let field = fields.iter().map(|(_, ty)| *ty).find(|ty| pattern_of(*ty) == options.field).ok_or_else(|| {
        let near = nearest(&options.field, fields.iter().map(|(_, ty)| pattern_of(*ty))).map(str::to_owned);
        SpreadError::NoField { kind: kind.name().to_owned(), field: options.field.clone(), near }
    })?;
    // a number, the places of a tuple, or the numbers of a table
    let mut numbers: Vec<TypeId> = vec![field];
    numbers.extend(rulebook.fields_below(field).into_iter().map(|(_, ty)| ty));
    numbers.retain(|ty| rulebook.field_type(*ty).is_number());
    if numbers.is_empty() {
        return Err(SpreadError::NoNumbers(options.field.clone(), rulebook.describe(field)));
    }
    let mut all: Vec<Address> = view.addresses();
    all.retain(|address| view.kind_of(*address) == Some(options.kind) && view.own(*address).is_some());
    let (among, members) = comparable(world, view, options, &all);
    let series = numbers.iter().map(|ty| series(world, view, *ty, &members, options.mark)).collect();
    Ok(SpreadReport { among, count: members.len(), series })
}

/// The definitions to compare with. Without being told: the nearest group of the marked one that has enough.
fn comparable(world: &World, view: &View<'_>, options: &SpreadOptions, all: &[Address]) -> (Among, Vec<Address>) {
    const ENOUGH: usize = 5;
    let catalog = &world.catalog;
    let chosen = |among: &Among| -> Vec<Address> {
        let membership = matches!(among, Among::Group(_)).then(|| Membership::new(view));
        let fits = |address: &Address| match among {
            Among::All => true,
            Among::Parent(parent) => {
                *address == *parent || view.effective(*address).is_some_and(|e| e.parents.contains(parent))
            }
            Among::Group(group) => membership.as_ref().is_some_and(|m| m.groups_of(*address).contains(group)),
            Among::Sort(path, word) => {
                let value = view.effective(*address).and_then(|e| e.get(catalog, path));
                value.is_some_and(|value| {
                    value.word(catalog).as_ref() == Some(word)
                        || value.items(catalog).iter().any(|item| item.word(catalog).as_ref() == Some(word))
                })
            }
        };
        all.iter().copied().filter(fits).collect()
    };
    if let Some(among) = &options.among {
        return (among.clone(), chosen(among));
    }
    let mut candidates: Vec<Among> = Vec::new();
    if let Some(mark) = options.mark
        && let Some(effective) = world.view().effective(mark)
    {
        candidates.extend(effective.parents.iter().map(|parent| Among::Parent(*parent)));
        let root = catalog.rulebook.kind(options.kind).root();
        if let Reading::Table(table) = &catalog.rulebook.field_type(root).reading {
            for (name, ty) in &table.fields {
                if !matches!(catalog.rulebook.field_type(*ty).reading, Reading::Choice(_)) {
                    continue;
                }
                let path = FieldPath::key(catalog.names.text(*name));
                let word = effective.get(catalog, &path).and_then(|value| value.word(catalog));
                candidates.extend(word.map(|word| Among::Sort(path, word)));
            }
        }
        candidates.extend(Membership::new(&world.view()).groups_of(mark).into_iter().map(Among::Group));
    }
    // the smallest that has enough
    let mut best: Option<(Among, Vec<Address>)> = None;
    for among in candidates {
        let members = chosen(&among);
        if members.len() >= ENOUGH && best.as_ref().is_none_or(|(_, known)| members.len() < known.len()) {
            best = Some((among, members));
        }
    }
    best.unwrap_or_else(|| (Among::All, all.to_vec()))
}

fn series(world: &World, view: &View<'_>, ty: TypeId, members: &[Address], mark: Option<Address>) -> Series {
    let catalog = &world.catalog;
    let field = catalog.rulebook.field_type(ty);
    let pattern = Pattern::parse(&field.pattern).unwrap_or_default();
    let of = |view: &View<'_>, address: Address| -> Vec<Sample> {
        let Some(effective) = view.effective(address) else { return Vec::new() };
        let values = reach(catalog, effective.value, &pattern.0);
        let sample = |word: String| Some(Sample { address, value: float(&word)?, word });
        values.into_iter().filter_map(|value| sample(value.word(catalog)?)).collect()
    };
    let mut samples: Vec<Sample> = Vec::new();
    let mut absent = 0;
    for address in members {
        let found = of(view, *address);
        absent += usize::from(found.is_empty());
        samples.extend(found);
    }
    samples.sort_by(|a, b| a.value.total_cmp(&b.value));
    let values: Vec<f64> = samples.iter().map(|sample| sample.value).collect();
    Series {
        field: field.pattern.clone(),
        unit: field.unit.clone(),
        quartiles: [0.0, 0.25, 0.5, 0.75, 1.0].map(|part| quantile(&values, part)),
        histogram: histogram(&values),
        mark: mark.and_then(|mark| of(&world.view(), mark).into_iter().next()),
        samples,
        absent,
    }
}

/// The value below which a part of sorted numbers lies (Hyndman and Fan 1996, definition 7).
fn quantile(sorted: &[f64], part: f64) -> f64 {
    let Some(last) = sorted.len().checked_sub(1) else { return f64::NAN };
    let at = part * last as f64;
    let low = at.floor() as usize;
    let (a, b) = (sorted.get(low).copied(), sorted.get((low + 1).min(last)).copied());
    let (a, b) = (a.unwrap_or(f64::NAN), b.unwrap_or(f64::NAN));
    a + (b - a) * (at - low as f64)
}

/// At most ten bars with round bounds.
fn histogram(sorted: &[f64]) -> Vec<Bin> {
    let (Some(least), Some(most)) = (sorted.first().copied(), sorted.last().copied()) else { return Vec::new() };
    if least == most {
        return vec![Bin { from: least, to: least, count: sorted.len() }];
    }
    let rough = (most - least) / 8.0;
    let unit = 10f64.powf(rough.log10().floor());
    let width = [1.0, 2.0, 5.0, 10.0].into_iter().map(|step| step * unit).find(|width| *width >= rough);
    let width = width.unwrap_or(unit * 10.0);
    let mut bins: Vec<Bin> = Vec::new();
    let mut at = (least / width).floor();
    while at * width <= most && bins.len() < 12 {
        let (from, to) = (at * width, (at + 1.0) * width);
        bins.push(Bin { from, to, count: sorted.iter().filter(|value| **value >= from && **value < to).count() });
        at += 1.0;
    }
    bins
}

impl Among {
    /// In words: `the members of tag/fuel`.
    pub fn words(&self, catalog: &Catalog, kind: KindId) -> String {
        let name = catalog.rulebook.kind(kind).name();
        match self {
            Among::All => format!("all of kind {name}"),
            Among::Parent(parent) => format!("{} and what inherits from it", catalog.show_address(*parent)),
            Among::Group(group) => format!("{name} in {}", catalog.show_address(*group)),
            Among::Sort(path, word) => format!("{name} whose {path} is {word}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quartiles_lie_between_the_nearest_ranks() {
        let values = [1.0, 2.0, 4.0, 8.0];
        let all = [0.0, 0.25, 0.5, 0.75, 1.0].map(|part| quantile(&values, part));
        assert_eq!(all, [1.0, 1.75, 3.0, 5.0, 8.0]);
        assert!(quantile(&[], 0.5).is_nan());
    }

    #[test]
    fn bars_have_round_bounds_and_hold_every_number() {
        for values in [vec![1.0, 2.0, 3.0, 55.0], vec![0.1, 0.12, 0.9], vec![-7.0, 0.0, 3.0], vec![5.0, 5.0]] {
            let mut sorted = values.clone();
            sorted.sort_by(f64::total_cmp);
            let bins = histogram(&sorted);
            assert_eq!(bins.iter().map(|bin| bin.count).sum::<usize>(), values.len(), "{values:?}: {bins:?}");
            assert!(bins.len() <= 12);
        }
        assert_eq!(histogram(&[1.0, 55.0]).first().map(|bin| (bin.from, bin.to)), Some((0.0, 10.0)));
    }
}
