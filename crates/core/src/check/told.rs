//! To whom findings belong: without whom they would not be there (`docs/INTENTS.md`).
//!
//! Of the base, all that its own view shows; of a mod, what its view shows beyond that of its ground, and all that
//! is in its files; of all mods together, what only the whole load order shows. A mod is looked at as far as it
//! reaches, so that many small mods cost little.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::{Duration, Instant};

use rayon::prelude::*;
use rustc_hash::FxHashSet;

use super::context::{Context, Shared, from_own};
use super::finding::{Finding, Related, Whose};
use super::reach::Reach;
use super::registry::{CHECKS, Check};
use super::requirement_undeclared::undeclared;
use super::together::{Together, together};
use super::{rulebook_fault, text_lacking};
use crate::catalog::{Address, AmendId, Catalog, LayerId, LayerSet, Target};
use crate::document::{FieldPath, Step};
use crate::effective::{Membership, World};
use crate::said::{Said, listed, said};
use crate::settle::family;
use crate::source::{FileId, Place};

/// Called with each check and how long it took.
pub(super) type Done<'d> = &'d (dyn Fn(&'static str, Duration) + Sync);

/// All findings, each with its owner, in no order; and those of them that exist only together.
#[derive(Default)]
pub(super) struct Told {
    pub(super) findings: Vec<Finding>,
    pub(super) together: Vec<Together>,
}

/// What one mod reaches, and who belongs to which group with it.
pub(super) struct Mod {
    pub(super) layer: LayerId,
    pub(super) reach: Reach,
}

pub(super) fn told(shared: &Shared<'_>, done: Done<'_>) -> Told {
    let world = shared.world;
    let catalog = &world.catalog;
    let mut out = Told { findings: faults(world), ..Told::default() };
    // with a rulebook that cannot be read, nothing else can be said
    if catalog.rulebook.broken {
        out.findings.retain(|finding| finding.code == rulebook_fault::CHECK.code);
        return out;
    }
    let begun = Instant::now();
    let base = Context::whole(shared, catalog.base()).with_astray();
    let mods: Vec<LayerId> = catalog.layers().filter(|(_, found)| !found.is_base()).map(|(id, _)| id).collect();
    let of_base = || run(&base, done);
    let reached = || {
        let reach = |layer: &LayerId| {
            let within = catalog.layer(*layer).ground.with(*layer);
            Mod { layer: *layer, reach: shared.users.reach(world, *layer, &within) }
        };
        mods.par_iter().map(reach).collect::<Vec<Mod>>()
    };
    // what goes wrong between mods takes long, and waits for nothing
    let editions = mods.iter().any(|layer| world.edition_of(*layer).is_some());
    let between = mods.len() > 1 || editions;
    let clashes = || between.then(|| shared.look_up_clashes());
    let ((mut of_base, mods), _) = rayon::join(|| rayon::join(of_base, reached), clashes);
    for finding in &mut of_base {
        finding.whose = finding.layer(catalog).map_or(Whose::Workspace, Whose::Layer);
    }
    let known: FxHashSet<Compared> = of_base.iter().map(said).collect();
    done("of the base", begun.elapsed());
    let begun = Instant::now();
    let views = Views { shared, membership: &base.membership, mods: &mods };
    let of_mods: Vec<Vec<Finding>> = mods.par_iter().map(|of| of_mod(&views, of, &known, done)).collect();
    done("of each mod", begun.elapsed());
    let begun = Instant::now();
    out.findings.extend(of_base);
    out.findings.extend(of_mods.into_iter().flatten());
    // with one mod, everything is its own
    if mods.len() > 1 {
        let mut spots: FxHashSet<Spot> = out.findings.iter().map(spot).collect();
        for (nth, layers) in catalog.orders(|| world.writers()).into_iter().enumerate() {
            let there = mods.iter().filter(|of| layers.contains(of.layer));
            let reaches: Vec<(LayerId, Reach)> = there.map(|of| (of.layer, of.reach.clone())).collect();
            let reach = shared.users.shared(world, &reaches);
            let all = views.context(layers, LayerSet::default(), reach);
            // what goes wrong between mods is looked up for all orders at once
            let all = if nth == 0 { all.all_together(undeclared(&out.findings)) } else { all };
            let mut found = run(&all.with_astray(), done);
            found.retain(|finding| !spots.contains(&spot(finding)));
            spots.extend(found.iter().map(spot));
            out.together.extend(together(&views, &mut found));
            out.findings.extend(found);
        }
    }
    done("of all together", begun.elapsed());
    // what a part of a mod does, its mod does
    for finding in &mut out.findings {
        match &mut finding.whose {
            Whose::Layer(layer) => *layer = catalog.owner_of(*layer),
            Whose::Together(all) => {
                let mut owners: Vec<LayerId> = all.iter().map(|layer| catalog.owner_of(*layer)).collect();
                owners.sort_unstable();
                owners.dedup();
                finding.whose = match owners.as_slice() {
                    [only] if all.len() > 1 => Whose::Layer(*only),
                    _ => Whose::Together(owners),
                };
            }
            Whose::Workspace => {}
        }
    }
    out
}

/// The views of some layers, and what is looked at in them.
pub(super) struct Views<'v, 'w> {
    pub(super) shared: &'w Shared<'w>,
    /// Who belongs to which group in the base.
    membership: &'v Arc<Membership>,
    pub(super) mods: &'v [Mod],
}

impl<'w> Views<'_, 'w> {
    /// What some layers show of what is reached, with the files of some of them.
    pub(super) fn context(&self, layers: LayerSet, own: LayerSet, reach: Reach) -> Context<'w> {
        let view = self.shared.world.view().of(layers);
        let there = self.mods.iter().filter(|of| view.contains(of.layer));
        let changed: FxHashSet<Address> = there.flat_map(|of| of.reach.addresses.iter().copied()).collect();
        let membership = self.membership.with(&view, &changed);
        Context::reaching(self.shared, view, own, reach, membership)
    }
}

/// Faults of the workspace, the rulebook, the load order and the manifests.
fn faults(world: &World) -> Vec<Finding> {
    let catalog = &world.catalog;
    let all = catalog.faults.iter().chain(&world.rule_faults);
    let found = all.filter_map(|coded| {
        let check: &'static Check = CHECKS.iter().find(|check| check.code == coded.code)?;
        let mut finding = from_own(check, &coded.fault);
        let layer = finding.layer(catalog).filter(|layer| !catalog.layer(*layer).is_base());
        finding.whose = layer.map_or(Whose::Workspace, Whose::Layer);
        Some(finding)
    });
    found.chain(taken_twice(catalog)).collect()
}

/// Places of the rulebook that take the same pieces: nobody can say what these are.
fn taken_twice(catalog: &Catalog) -> Vec<Finding> {
    let mut found: BTreeMap<(usize, usize), FileId> = BTreeMap::new();
    for (file, _) in catalog.files() {
        for pair in catalog.harvest_of(file).into_iter().flat_map(|harvest| &harvest.taken_twice) {
            found.entry(*pair).or_insert(file);
        }
    }
    let places = &catalog.rulebook.places;
    let one = |((first, second), file): (&(usize, usize), &FileId)| {
        let (first, second) = (places.get(*first)?, places.get(*second)?);
        let path = &catalog.file(*file).relative;
        let kinds = |place: &crate::rulebook::Where| {
            let kinds = place.which.kinds().into_iter().map(|kind| catalog.rulebook.kind(kind).name());
            listed(kinds)
        };
        let (a, b) = (kinds(first), kinds(second));
        let message = said!("the places of {a} and of {b} take the same pieces, as in `{file}`", a, b, file = path);
        let help = "give each a test, other files or another cut";
        let finding = Finding::new(&rulebook_fault::CHECK, second.place, message).help(Some(help));
        Some(finding.related(first.place, "the other one is this"))
    };
    found.iter().filter_map(one).collect()
}

/// Runs all checks in one view.
pub(super) fn run(context: &Context<'_>, done: Done<'_>) -> Vec<Finding> {
    let found = CHECKS.par_iter().map(|check| {
        let start = Instant::now();
        let mut findings = Vec::new();
        (check.run)(context, &mut findings);
        done(check.code, start.elapsed());
        findings
    });
    let mut all = found.reduce(Vec::new, |mut all, more| {
        all.extend(more);
        all
    });
    context.causes().count(&mut all);
    all
}

/// What makes findings of two views the same: the code, what it is about, and what is said; not the place.
pub(super) type Compared = (Cow<'static, str>, Option<Address>, Option<String>, Said);

pub(super) fn said(finding: &Finding) -> Compared {
    (finding.code.clone(), finding.about, finding.path.as_ref().map(way), finding.message.clone())
}

/// As [`Compared`], whatever is said: numbers and words differ with what else is there.
pub(super) type Spot = (Cow<'static, str>, Option<Address>, Option<String>, Option<Said>);

pub(super) fn spot(finding: &Finding) -> Spot {
    // without a definition, what is said is all that tells them apart
    let alone = finding.about.is_none().then(|| finding.message.clone());
    (finding.code.clone(), finding.about, finding.path.as_ref().map(way), alone)
}

/// A path in which entries have no numbers: these differ between views.
pub(super) fn way(path: &FieldPath) -> String {
    let word = |step: &Step| match step {
        Step::Index(_) => "[]".to_owned(),
        Step::Key(key) => key.clone(),
        Step::Match(keys) => format!("{keys:?}"),
    };
    path.steps().iter().map(word).collect::<Vec<_>>().join(".")
}

fn of_mod(views: &Views<'_, '_>, of: &Mod, of_base: &FxHashSet<Compared>, done: Done<'_>) -> Vec<Finding> {
    let world = views.shared.world;
    let catalog = &world.catalog;
    let ground = &catalog.layer(of.layer).ground;
    let own: LayerSet = std::iter::once(of.layer).collect();
    let context = views.context(ground.with(of.layer), own, of.reach.clone()).with_astray();
    let found = run(&context, done);
    // a fault of the base that a mod of the ground has mended, and this one brings back, is its own
    let on_mods: Option<FxHashSet<Compared>> = (*ground != catalog.base()).then(|| {
        let lower = views.context(ground.clone(), LayerSet::default(), of.reach.clone()).with_astray();
        run(&lower, &|_, _| {}).iter().map(said).collect()
    });
    let below = on_mods.as_ref().unwrap_or(of_base);
    let new = found.into_iter().filter(|f| f.layer(catalog) == Some(of.layer) || !below.contains(&said(f)));
    new.map(|finding| Finding { whose: Whose::Layer(of.layer), ..placed(world, of.layer, finding) }).collect()
}

/// Puts a finding where its mod says what made it so; where it shows is then the second place.
fn placed(world: &World, layer: LayerId, mut finding: Finding) -> Finding {
    let catalog = &world.catalog;
    let is_own = |place: Place| catalog.file(place.file).layer == Some(layer);
    if is_own(finding.place) {
        return finding;
    }
    let related = finding.related.iter().position(|related| is_own(related.place));
    let whose =
        finding.about.map(|about| said!("`{definition}` shows it here", definition = catalog.show_address(about)));
    let shows = Related { place: finding.place, message: whose.unwrap_or_else(|| "it shows here".into()) };
    match related {
        Some(at) => {
            let own = finding.related.remove(at);
            finding.place = own.place;
            finding.related.insert(0, shows);
        }
        None => {
            let culprit = finding.about.and_then(|about| culprit(world, layer, about, &finding));
            let begun = || first_text(catalog, layer).filter(|_| finding.code == text_lacking::CHECK.code);
            if let Some(place) = culprit.or_else(begun) {
                finding.place = place;
                finding.related.insert(0, shows);
            }
        }
    }
    finding
}

/// The first text of a layer in the main language: where a mod begins with it, all that has no text lacks one.
fn first_text(catalog: &Catalog, layer: LayerId) -> Option<Place> {
    let main = &catalog.rulebook.texts.as_ref()?.main;
    let of_layer = catalog.files().filter(|(_, file)| file.layer == Some(layer));
    let mut texts = of_layer.filter_map(|(file, _)| catalog.harvest_of(file)).flat_map(|harvest| &harvest.texts);
    texts.find(|text| text.language == *main).map(|text| catalog.node(text.at).place())
}

/// Where a mod says something that a definition, what it inherits from or what it names, shows.
fn culprit(world: &World, layer: LayerId, about: Address, finding: &Finding) -> Option<Place> {
    let catalog = &world.catalog;
    let mut above = family(catalog, about);
    above.extend(world.with_ground(layer).effective(about).into_iter().flat_map(|effective| effective.parents));
    above.extend(finding.because);
    let mut above: Vec<Address> = above.into_iter().filter(|at| *at != about).collect();
    above.sort_unstable();
    let near = || std::iter::once(&about).chain(&above);
    let path = finding.path.as_ref();
    let at_path = path.and_then(|path| near().find_map(|at| said_at(world, layer, *at, path)));
    let named = |path: &FieldPath| finding.message.names(&path.to_string());
    let anywhere = || near().find_map(|at| said_of(world, layer, *at, &named));
    let of_named = || {
        let all = near().flat_map(|at| super::together::named_by(catalog, *at)).collect::<Vec<_>>();
        all.into_iter().find_map(|at| said_of(world, layer, at, &named))
    };
    at_path.or_else(anywhere).or_else(of_named)
}

/// The amendments of a layer that change a definition.
fn amending(world: &World, layer: LayerId, at: Address) -> impl Iterator<Item = (AmendId, &crate::catalog::Amendment)> {
    let catalog = &world.catalog;
    let built = world.builds.of(at).iter().find(|(by, _)| *by == layer).map(|(_, built)| built);
    catalog.amendments_of(layer).filter(move |(id, amendment)| match &amendment.target {
        Target::Of { id: word } => catalog.address(amendment.kind, word) == Some(at),
        Target::Which { .. } => built.is_some_and(|built| built.is_made_by(*id)),
    })
}

/// Where a layer states a field of a definition, or else says anything of it.
pub(super) fn said_about(world: &World, layer: LayerId, at: Address, path: &FieldPath) -> Option<Place> {
    said_at(world, layer, at, path).or_else(|| said_of(world, layer, at, &|other| other == path))
}

/// Where a layer states a field of a definition.
fn said_at(world: &World, layer: LayerId, at: Address, path: &FieldPath) -> Option<Place> {
    let catalog = &world.catalog;
    let touches = |op: &FieldPath| {
        let (a, b) = (op.leading_keys(), path.leading_keys());
        let short = a.steps().len().min(b.steps().len());
        short > 0 && a.steps().get(..short) == b.steps().get(..short)
    };
    for (id, amendment) in amending(world, layer, at) {
        if let Some(nth) = amendment.ops.iter().rposition(|op| touches(&op.path)) {
            return op_place(catalog, id, nth);
        }
    }
    let made = catalog.defined_in(at, layer).filter(|made| !made.removes)?;
    let keys = path.leading_keys();
    let node = crate::document::find(catalog.node(made.at()), &keys, &catalog.names)?;
    Some(if node.key().is_some() { Place { file: made.file, span: node.key_span() } } else { node.place() })
}

/// Where a layer says anything of a definition: amends it, defines it, or takes it away.
fn said_of(world: &World, layer: LayerId, at: Address, names: &dyn Fn(&FieldPath) -> bool) -> Option<Place> {
    let catalog = &world.catalog;
    // the operation on a field that is named, else the first
    let all = || {
        let amending = amending(world, layer, at);
        amending.flat_map(|(id, amendment)| amendment.ops.iter().zip(0usize..).map(move |(op, nth)| (id, nth, op)))
    };
    let named = all().find(|(_, _, op)| names(&op.path));
    let amended = named.or_else(|| all().next()).and_then(|(id, nth, _)| op_place(catalog, id, nth));
    amended.or_else(|| Some(catalog.definition_place(catalog.defined_in(at, layer)?.at())))
}

/// The place of an operation of an amendment.
pub(super) fn op_place(catalog: &Catalog, id: AmendId, nth: usize) -> Option<Place> {
    let (amendment, at) = catalog.amendment(id)?;
    let op = amendment.ops.get(nth)?;
    let node = catalog.node(crate::document::NodeRef { file: at.file, node: op.value });
    Some(match node.key() {
        Some(_) => Place { file: at.file, span: node.key_span() },
        None => node.place(),
    })
}
