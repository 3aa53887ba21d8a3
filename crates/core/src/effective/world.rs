//! A workspace, resolved: the catalog, what amendments come to, and the compiled rules.

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::builds::{Builds, Problem};
use super::view::View;
use crate::catalog::{Address, Catalog, CodedFault, LayerId, LayerSet, LoadError};
use crate::document::FieldPath;
use crate::expression::{Expression, ExpressionError};
use crate::own::{self, OwnFault};
use crate::rulebook::{DerivedRule, KindId, Rule};
use crate::said::said;
use crate::source::{ChangeSet, FileChange, FileId, Place, Source, Span};
use crate::workspace::{Edition, MadeFor};

/// A rule, ready to be tried.
#[derive(Debug)]
pub(crate) struct CompiledRule {
    /// The position in the kind's rules.
    pub(crate) nth: usize,
    pub(crate) require: Expression,
    pub(crate) when: Option<Expression>,
    /// The message, in its parts.
    pub(crate) message: Vec<MessagePart>,
}

/// A part of a rule's message.
#[derive(Debug)]
pub(crate) enum MessagePart {
    Text(String),
    /// What stands in a field.
    Field(FieldPath),
    /// What an expression gives.
    Calculated(Expression),
}

/// Everything that is known of a workspace.
#[derive(Debug)]
pub struct World {
    pub(crate) catalog: Catalog,
    pub(crate) builds: Builds,
    pub(crate) rules: Vec<Vec<CompiledRule>>,
    pub(crate) rule_faults: Vec<CodedFault>,
    /// The conditions of files that follow from definitions, by the number of their rule.
    pub(crate) derived: Vec<Option<Expression>>,
    /// The older editions for which mods were made, with these mods.
    editions: Vec<(String, World)>,
    /// The one of these that a mod was made for.
    made_on: FxHashMap<LayerId, usize>,
}

impl World {
    /// Reads and resolves a workspace, with the editions of the base that it keeps.
    ///
    /// # Errors
    /// As [`Catalog::load`].
    pub fn load(source: &dyn Source) -> Result<World, LoadError> {
        let mut world = World::new(Catalog::load(source)?);
        world.take_in_editions(source);
        Ok(world)
    }

    /// As [`World::load`], telling which stage begins, and without older editions of the base.
    ///
    /// # Errors
    /// As [`Catalog::load`].
    pub fn load_watched(source: &dyn Source, stage: &(dyn Fn(&'static str) + Sync)) -> Result<World, LoadError> {
        let catalog = Catalog::load_watched(source, stage)?;
        stage("amendments");
        Ok(World::new(catalog))
    }

    /// Resolves a catalog.
    pub fn new(catalog: Catalog) -> World {
        let (rules, mut rule_faults) = compile(&catalog);
        let derived = catalog.rulebook.derived.iter().map(|rule| condition(&catalog, rule, &mut rule_faults)).collect();
        let builds = Builds::new(&catalog);
        World { catalog, builds, rules, rule_faults, derived, editions: Vec::new(), made_on: FxHashMap::default() }
    }

    /// Reads the kept editions of the base that mods were made for. One that cannot be read is a fault of the
    /// workspace file.
    pub fn take_in_editions(&mut self, source: &dyn Source) {
        let kept = self.catalog.workspace.editions.clone();
        if kept.is_empty() || self.catalog.rulebook.broken {
            return;
        }
        for (nth, edition) in kept.iter().enumerate() {
            let made_for =
                self.catalog.layers().filter(|(_, layer)| self.catalog.made_for(layer) == MadeFor::Kept(nth));
            let mods: Vec<LayerId> = made_for.map(|(layer, _)| layer).collect();
            match self.edition(source, edition, !mods.is_empty()) {
                Ok(Some(world)) => {
                    self.made_on.extend(mods.into_iter().map(|layer| (layer, self.editions.len())));
                    self.editions.push((edition.name.clone(), world));
                }
                Ok(None) => {}
                Err(reason) => {
                    let message = said!("the edition `{name}` {reason}", name = edition.name, reason);
                    let help = said!(
                        "`cognomen keep {name} --from DIR` packs a base that lies elsewhere",
                        name = edition.name
                    );
                    let fault = own::fault(edition.place, message).help(Some(help));
                    self.catalog.faults.push(CodedFault { code: "workspace-fault", fault });
                }
            }
        }
    }

    /// This world on an edition, if that is wanted; otherwise it is only looked whether it is there.
    fn edition(&self, source: &dyn Source, edition: &Edition, wanted: bool) -> Result<Option<World>, String> {
        if let Some(folder) = edition.base.iter().find(|folder| !source.has_folder(folder)) {
            return Err(match source.read(folder) {
                Ok(_) => {
                    let reason = source.list(folder).err().map(|error| error.reason).unwrap_or_default();
                    format!("cannot be read: `{folder}`: {reason}")
                }
                Err(_) => format!("is not there: `{folder}`"),
            });
        }
        let read = || self.with_base(source, &edition.base).map_err(|error| format!("cannot be read: {error}"));
        wanted.then(read).transpose()
    }

    /// This world on the edition of the base that a mod was made for, if that is kept; else itself.
    pub(crate) fn made_on(&self, layer: LayerId) -> &World {
        self.older_edition(layer).map_or(self, |(_, world)| world)
    }

    fn older_edition(&self, layer: LayerId) -> Option<&(String, World)> {
        self.editions.get(*self.made_on.get(&layer)?)
    }

    /// The older edition of the base against which a mod's intents are taken; nothing where it is the present one.
    pub fn edition_of(&self, layer: LayerId) -> Option<&str> {
        Some(self.older_edition(layer)?.0.as_str())
    }

    /// The edition that a mod was made for, if its intents cannot be taken against that: it is not kept, cannot be
    /// read, or is newer than the base.
    pub fn edition_lacking(&self, layer: LayerId) -> Option<&str> {
        let found = self.catalog.layer(layer);
        let said = found.manifest.as_ref()?.made_for.last()?;
        let lacks = self.catalog.made_for(found) != MadeFor::Present && self.edition_of(layer).is_none();
        lacks.then_some(said.as_str())
    }

    /// This world with another base: an older edition, or any other folder or archive.
    ///
    /// # Errors
    /// A folder or archive is not there, or cannot be read.
    pub fn with_base(&self, source: &dyn Source, folders: &[String]) -> Result<World, LoadError> {
        Ok(World::new(self.catalog.with_base(source, folders)?))
    }

    /// The folder of a mod: this one, or the only one in it, if there is a manifest or none is needed; of an archive,
    /// too.
    pub fn mod_folder(&self, source: &dyn Source, folder: &str) -> Option<String> {
        let rule = self.catalog.rulebook.manifest.as_ref()?;
        let listed = source.list(folder).ok()?;
        let here = || rule.optional.then(|| folder.to_owned());
        let Some(manifest) = &rule.file else { return here() };
        if listed.iter().any(|file| file.path == *manifest) {
            return Some(folder.to_owned());
        }
        let mut within = listed.iter().filter_map(|file| file.path.strip_suffix(manifest)?.strip_suffix('/'));
        let inner = within.next().filter(|inner| !inner.contains('/'));
        let inner = inner.filter(|_| within.next().is_none()).map(|inner| format!("{folder}/{inner}"));
        inner.or_else(here)
    }

    /// This world with another version of one mod.
    ///
    /// # Errors
    /// The folder or archive is not there, or cannot be read.
    pub fn with_mod(&self, source: &dyn Source, layer: LayerId, folder: &str) -> Result<World, LoadError> {
        Ok(World::new(self.catalog.with_mod(source, layer, folder)?))
    }

    /// This world with some of its layers only: what a view of them must be like.
    #[cfg(test)]
    pub(crate) fn only(&self, layers: &LayerSet) -> World {
        World::new(self.catalog.only(layers))
    }

    /// Takes in another text for one file; see [`Catalog::replace`].
    pub fn replace(&mut self, file: FileId, text: Arc<str>) -> bool {
        self.retake(&[(file, text)])
    }

    /// Takes in other texts for several files at once, as they are on disk now; see [`Catalog::replace`]. Returns whether
    /// they could be taken in so: all of them, or none.
    pub fn retake(&mut self, texts: &[(FileId, Arc<str>)]) -> bool {
        let done = self.catalog.retake(texts);
        if done {
            self.builds = Builds::new(&self.catalog);
            for (_, edition) in &mut self.editions {
                edition.retake(texts);
            }
        }
        done
    }

    /// Takes in other texts for files, and new files of a layer; see [`Catalog::take_in_texts`].
    pub(crate) fn take_in_texts(&mut self, layer: LayerId, texts: &[(&str, &str)]) -> Result<Vec<FileId>, String> {
        let files = self.catalog.take_in_texts(layer, texts)?;
        self.builds = Builds::new(&self.catalog);
        // what was read for them is older now
        self.editions.clear();
        self.made_on.clear();
        Ok(files)
    }

    /// Takes in the files of a change, as they will be on disk. What is no data (a manifest, an archive) stays as
    /// it was.
    ///
    /// Returns the files, or the first path that nothing reads so.
    pub(crate) fn take_in(&mut self, layer: LayerId, changes: &ChangeSet) -> Result<Vec<FileId>, String> {
        // a manifest is read only when all is
        let catalog = &self.catalog;
        let manifest = self.catalog.layer(layer).manifest_file;
        let is_manifest = |path: &str| manifest.is_some() && catalog.file_named(path) == manifest;
        let texts = changes.files.iter().filter_map(|change| match change {
            FileChange::Create { path, text } | FileChange::Edit { path, text, .. } => {
                Some((path.as_str(), text.as_str()))
            }
            _ => None,
        });
        let texts: Vec<(&str, &str)> = texts.filter(|(path, _)| !is_manifest(path)).collect();
        self.take_in_texts(layer, &texts)
    }

    /// The definitions of all layers.
    pub fn catalog(&self) -> &Catalog {
        &self.catalog
    }

    /// The definitions that a layer defines or amends, by kind and id.
    pub fn touched_by(&self, layer: LayerId) -> Vec<Address> {
        let catalog = &self.catalog;
        let defined = catalog.definitions().filter(|(_, definition)| definition.layer == layer);
        let mut touched: Vec<_> = defined.filter_map(|(_, definition)| catalog.address_of(definition)).collect();
        touched.extend(self.builds.of_layer(catalog, layer).into_iter().map(|(address, _)| address));
        touched.sort_unstable();
        touched.dedup();
        touched
    }

    /// The mods that define or amend each definition.
    pub(crate) fn writers(&self) -> FxHashMap<Address, LayerSet> {
        let catalog = &self.catalog;
        let mut by: FxHashMap<Address, LayerSet> = FxHashMap::default();
        let defined = catalog.definitions().map(|(_, made)| made).filter(|made| !catalog.layer(made.layer).is_base());
        let defined = defined.filter_map(|made| Some((catalog.address_of(made)?, made.layer)));
        let built =
            self.builds.addresses().flat_map(|at| self.builds.of(at).iter().map(move |(layer, _)| (at, *layer)));
        for (at, layer) in defined.chain(built) {
            by.entry(at).or_default().insert(layer);
        }
        by
    }

    /// What takes a definition away in a view, in words; nothing where it stands, or never was.
    pub fn gone(&self, view: &View<'_>, address: Address) -> Option<String> {
        let catalog = &self.catalog;
        let gone = view.remover(address)?;
        let place = catalog.definition_place(gone.at());
        let by = &catalog.layer(gone.layer).id;
        Some(format!("`{by}` takes `{}` away: {}", catalog.show_address(address), catalog.line_of(place)))
    }

    /// The view of all layers in load order.
    pub fn view(&self) -> View<'_> {
        View { seen: self.catalog.seen(), builds: &self.builds }
    }

    /// The view of what a layer stands on.
    pub fn ground(&self, layer: LayerId) -> View<'_> {
        self.view().of(self.catalog.layer(layer).ground.clone())
    }

    /// The view of players who have these mods and nothing else, in a mode of the game or in none: the mods, what they
    /// stand on, and the parts of them that apply then.
    pub fn view_with(&self, mods: &LayerSet, mode: Option<&str>) -> View<'_> {
        self.view().of(self.catalog.applying(mods, mode))
    }

    /// What a layer's amendments cannot do.
    pub(crate) fn problems_of(&self, layer: LayerId) -> impl Iterator<Item = &Problem> {
        let ours = move |problem: &&Problem| {
            self.catalog.amendment(problem.amendment).is_some_and(|(_, at)| at.layer == layer)
        };
        self.builds.problems.iter().filter(ours)
    }

    /// The view of what a layer stands on, and the layer itself.
    pub fn with_ground(&self, layer: LayerId) -> View<'_> {
        self.view().of(self.catalog.layer(layer).ground.with(layer))
    }
}

/// Compiles the rules of all kinds; their faults are the rulebook's.
fn compile(catalog: &Catalog) -> (Vec<Vec<CompiledRule>>, Vec<CodedFault>) {
    let mut all = Vec::new();
    let mut faults = Vec::new();
    for (kind, described) in catalog.rulebook.kinds() {
        let mut rules = Vec::new();
        for (nth, rule) in described.rules.iter().enumerate() {
            let mut expression = |source: &str, place: Place| match Expression::new(
                source,
                kind,
                &catalog.rulebook,
                &catalog.names,
                true,
            ) {
                Ok(expression) => Some(expression),
                Err(errors) => {
                    faults.extend(errors.into_iter().map(|error| rule_fault(catalog, place, source, error)));
                    None
                }
            };
            let require = expression(&rule.require, rule.place);
            let when = rule.when.as_deref().map(|when| expression(when, rule.when_place));
            let mut message = Vec::new();
            for part in parts(&rule.message) {
                let (text, braced) = match part {
                    Part::Text(text) => (text, false),
                    Part::Braced(text) => (text, true),
                };
                let path = FieldPath::parse(&text).ok().filter(|path| braced && path.to_string() == text);
                match path {
                    _ if !braced => message.push(MessagePart::Text(text)),
                    Some(path) if known(catalog, kind, &path) => message.push(MessagePart::Field(path)),
                    path => match Expression::new(&text, kind, &catalog.rulebook, &catalog.names, false) {
                        Ok(expression) => message.push(MessagePart::Calculated(expression)),
                        Err(errors) => {
                            let fault = match path {
                                Some(path) => unknown_filling(catalog, kind, rule, &path),
                                None => no_filling(rule, &text, errors.first()),
                            };
                            faults.push(CodedFault { code: "rulebook-fault", fault });
                        }
                    },
                }
            }
            if let (Some(require), None | Some(Some(_))) = (require, &when) {
                rules.push(CompiledRule { nth, require, when: when.flatten(), message });
            }
        }
        all.push(rules);
    }
    (all, faults)
}

/// The condition of a file that follows from definitions.
fn condition(catalog: &Catalog, rule: &DerivedRule, faults: &mut Vec<CodedFault>) -> Option<Expression> {
    let (source, place) = rule.condition.as_ref()?;
    match Expression::new(source, rule.kind, &catalog.rulebook, &catalog.names, true) {
        Ok(expression) => Some(expression),
        Err(errors) => {
            let fault = |error: ExpressionError| own::fault(*place, error.message).help(error.help);
            faults.extend(errors.into_iter().map(|error| CodedFault { code: "rulebook-fault", fault: fault(error) }));
            None
        }
    }
}

fn known(catalog: &Catalog, kind: KindId, path: &FieldPath) -> bool {
    let word = path.to_string();
    let root = catalog.rulebook.kind(kind).root;
    word == "id" || word == "kind" || catalog.rulebook.type_at(root, path, &catalog.names).is_ok()
}

fn rule_fault(catalog: &Catalog, said: Place, source: &str, error: ExpressionError) -> CodedFault {
    // the place of the slip within the quoted expression, if nothing in it is escaped
    let raw = said.span.of(catalog.text(said.file));
    let place = match raw.find(source) {
        Some(at) => {
            let start = said.span.start as usize + at;
            let (from, to) = error.range;
            Place { file: said.file, span: Span::new(start + from, start + to.max(from + 1)) }
        }
        None => said,
    };
    let fault = own::fault(place, error.message).help(error.help);
    CodedFault { code: "rulebook-fault", fault }
}

/// A part of a message: a text, or what stands between braces.
enum Part {
    Text(String),
    Braced(String),
}

/// The parts of a message; two braces are one that is meant.
fn parts(message: &str) -> Vec<Part> {
    let mut out = Vec::new();
    let (mut text, mut rest) = (String::new(), message);
    while let Some(at) = rest.find(['{', '}']) {
        let (before, found) = rest.split_at(at);
        text.push_str(before);
        let sign = found.get(..1).unwrap_or_default();
        if let Some(behind) = found.strip_prefix("{{").or_else(|| found.strip_prefix("}}")) {
            text.push_str(sign);
            rest = behind;
        } else if let Some((inner, behind)) = found.strip_prefix('{').and_then(|inner| inner.split_once('}')) {
            out.push(Part::Text(std::mem::take(&mut text)));
            out.push(Part::Braced(inner.to_owned()));
            rest = behind;
        } else {
            text.push_str(sign);
            rest = found.get(1..).unwrap_or_default();
        }
    }
    out.push(Part::Text(text + rest));
    out
}

/// A message that fills in what is no field.
fn unknown_filling(catalog: &Catalog, kind: KindId, rule: &Rule, path: &FieldPath) -> OwnFault {
    let described = catalog.rulebook.kind(kind);
    let message =
        said!("the message fills in `{{{field}}}`, which is no field of `{name}`", field = path, name = described.name);
    let word = path.to_string();
    let fields = catalog.rulebook.fields_below(described.root).into_iter();
    let fields: Vec<&str> = fields.map(|(_, ty)| catalog.rulebook.field_type(ty).pattern.as_str()).collect();
    let near = crate::nearest::near(&word, fields.into_iter().chain(["id", "kind"]));
    let help = near.map(|near| said!("the nearest field is `{nearest}`", nearest = near.word));
    let instead = near.and_then(|near| near.instead_of(&word));
    own::fault(rule.message_place, message).help(help).instead(instead)
}

/// A message that fills in what cannot be calculated.
fn no_filling(rule: &Rule, text: &str, error: Option<&ExpressionError>) -> OwnFault {
    let why = error.map_or(String::new(), |error| format!(": {error}"));
    let message = said!("the message fills in `{{{text}}}`, which cannot be calculated{why}", text, why);
    let help = Some("a brace that is meant is written twice: `{{`".to_owned());
    own::fault(rule.message_place, message).help(help)
}
