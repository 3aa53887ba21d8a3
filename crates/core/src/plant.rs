//! Faults planted by seed into any clean workspace, one at a time: the trial of all checks. Only for tests and chores.

mod amend;
#[cfg(test)]
mod built;
mod files;
mod names;
mod sense;
mod site;
mod values;

use std::collections::BTreeSet;

pub(crate) use self::site::Ground;
use self::site::Made;
use crate::catalog::{Catalog, LayerId};
use crate::check::{Finding, check_watched};
use crate::dice::Dice;
use crate::effective::World;
use crate::source::{Lines, MemorySource, Overlay, Source};

/// A class of faults.
pub struct Class {
    /// Its name.
    pub name: &'static str,
    /// The findings that may tell it.
    codes: &'static [&'static str],
    /// Makes one somewhere, if there is a place for it.
    plant: fn(&Ground<'_>, &mut Dice) -> Option<Made>,
}

/// All classes.
pub fn classes() -> impl Iterator<Item = &'static Class> {
    [values::CLASSES, names::CLASSES, files::CLASSES, amend::CLASSES, sense::CLASSES].into_iter().flatten()
}

/// A workspace in which faults are planted.
pub struct Bed<'s> {
    source: &'s dyn Source,
    world: World,
    known: BTreeSet<String>,
    /// The layers that can be written to and have hardly a finding.
    clean: Vec<LayerId>,
}

/// A planted fault, and what came of it.
#[derive(Debug)]
pub struct Planted {
    /// The class.
    pub class: &'static str,
    /// The layer that has it.
    pub layer: String,
    /// The files that are other than they were, each with its bytes.
    pub files: Vec<(String, Vec<u8>)>,
    /// The files that are gone.
    pub gone: Vec<String>,
    /// The file and the lines at which it is to be told; any file if it is `*`.
    pub at: (String, u32, u32),
    /// Whether it was told there, with one of the codes that are right for it.
    pub found: bool,
    /// Whether it was told of that layer.
    pub of_layer: bool,
    /// What else was told: findings that do not mark the place.
    pub also: Vec<String>,
}

impl Planted {
    /// What came of it, in words.
    pub fn outcome(&self) -> &'static str {
        match (self.found, self.of_layer) {
            (false, _) => "not told",
            (_, false) => "told to others",
            _ if self.also.is_empty() => "told",
            _ => "told with more",
        }
    }

    /// Whether it was told where it is, to whom it belongs, and nothing else was.
    pub fn is_well(&self) -> bool {
        self.found && self.of_layer && self.also.is_empty()
    }
}

impl<'s> Bed<'s> {
    /// Reads a workspace. Its mods with findings of their own are left alone.
    ///
    /// # Errors
    /// It cannot be read.
    pub fn new(source: &'s dyn Source) -> Result<Bed<'s>, crate::catalog::LoadError> {
        let world = World::load(source)?;
        let findings = check_watched(&world, false, &|_, _| {}).findings;
        let known = findings.iter().map(|finding| sign(&world.catalog, finding)).collect();
        let catalog = &world.catalog;
        let told = |layer: LayerId| findings.iter().filter(|finding| finding.layer(catalog) == Some(layer)).count();
        let all = catalog.layers().filter(|(id, layer)| !layer.is_packed() && told(*id) <= 2);
        let clean = all.map(|(id, _)| id).collect();
        Ok(Bed { source, known, clean, world })
    }

    /// Plants one fault; none if no class tried has a place here.
    pub fn plant(&self, seed: u64, class: Option<&str>) -> Option<Planted> {
        let mut dice = Dice::seeded(seed);
        for _ in 0..8 {
            dice.roll(2);
        }
        let ground = Ground::new(self.source, &self.world, &self.clean, &mut dice)?;
        let all: Vec<&Class> = classes().filter(|known| class.is_none_or(|name| name == known.name)).collect();
        for _ in 0..40 {
            let class = all.get(usize::try_from(dice.roll(all.len() as u64)).unwrap_or(0))?;
            if let Some(made) = (class.plant)(&ground, &mut dice) {
                return self.tried(class, &ground, made);
            }
        }
        None
    }

    fn tried(&self, class: &Class, ground: &Ground<'_>, made: Made) -> Option<Planted> {
        let mut above = MemorySource::default();
        for (path, bytes) in &made.files {
            above.put(path, bytes.clone());
        }
        let mut source = Overlay::new(self.source, above);
        for path in &made.gone {
            source = source.without(path);
        }
        let world = World::load(&source).ok()?;
        let catalog = &world.catalog;
        let report = check_watched(&world, false, &|_, _| {});
        let layer = catalog.layer_named(&ground.id);
        // where the game has no notation for it, that is all that is said of an amendment
        let unsaid = |finding: &Finding| finding.code == "cannot-be-built" && finding.layer(catalog) == layer;
        if class.codes != ["cannot-be-built"] && report.findings.iter().any(unsaid) {
            return None;
        }
        let (file, first, last) = &made.at;
        let mut planted = Planted {
            class: class.name,
            layer: ground.id.clone(),
            files: made.files,
            gone: made.gone,
            at: made.at.clone(),
            found: false,
            of_layer: false,
            also: Vec::new(),
        };
        for finding in report.findings.iter().filter(|finding| !self.known.contains(&sign(catalog, finding))) {
            let place = catalog.file(finding.place.file);
            let line = Lines::new(catalog.text(finding.place.file)).position(finding.place.span.start).line;
            let here = (file == "*" || place.path == *file) && (*first..=*last).contains(&line);
            if here && class.codes.contains(&&*finding.code) {
                planted.found = true;
                // a mod that is not read any more is nobody's, and told of whatever is asked for
                planted.of_layer |= layer.is_none_or(|layer| finding.is_told_of(catalog.owner_of(layer)));
            } else if finding.code == "far-outside" && finding.layer(catalog) != layer {
                // what the game uses is other with one number less
            } else if !here || !made.may_follow.contains(&&*finding.code) {
                planted.also.push(format!("{}:{line}: {}: {}", place.path, finding.code, finding.message));
            }
        }
        Some(planted)
    }
}

/// What makes a finding the same before and after: not its line, since lines move.
fn sign(catalog: &Catalog, finding: &Finding) -> String {
    let about = finding.about.map(|about| catalog.show_address(about)).unwrap_or_default();
    let path = finding.path.as_ref().map(ToString::to_string).unwrap_or_default();
    // how many there are elsewhere may change
    let message = finding.message.to_string().replace(|letter: char| letter.is_ascii_digit(), "");
    format!("{}\n{about}\n{path}\n{message}\n{}", finding.code, catalog.file(finding.place.file).path)
}

#[cfg(test)]
mod tests;
