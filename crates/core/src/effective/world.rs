//! A workspace, resolved: the catalog, what amendments come to, and the compiled rules.

use std::sync::Arc;

use super::builds::Builds;
use super::view::View;
use crate::catalog::{Catalog, CodedFault, LayerId, LayerSet, LoadError};
use crate::document::FieldPath;
use crate::expression::{Expression, ExpressionError};
use crate::own::OwnFault;
use crate::rulebook::{KindId, Rule};
use crate::source::{FileId, Place, Source, Span};

/// A rule, ready to be tried.
#[derive(Debug)]
pub(crate) struct CompiledRule {
    /// The position in the kind's rules.
    pub(crate) nth: usize,
    pub(crate) require: Expression,
    pub(crate) when: Option<Expression>,
    /// The fields that the message fills in.
    pub(crate) filled: Vec<FieldPath>,
}

/// Everything that is known of a workspace.
#[derive(Debug)]
pub struct World {
    pub(crate) catalog: Catalog,
    pub(crate) builds: Builds,
    pub(crate) rules: Vec<Vec<CompiledRule>>,
    pub(crate) rule_faults: Vec<CodedFault>,
}

impl World {
    /// Reads and resolves a workspace.
    ///
    /// # Errors
    /// As [`Catalog::load`].
    pub fn load(source: &dyn Source) -> Result<World, LoadError> {
        Ok(World::new(Catalog::load(source)?))
    }

    /// As [`World::load`], telling which stage begins.
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
        let (rules, rule_faults) = compile(&catalog);
        let builds = Builds::new(&catalog);
        World { catalog, builds, rules, rule_faults }
    }

    /// Takes in another text for one file; see [`Catalog::replace`].
    pub fn replace(&mut self, file: FileId, text: Arc<str>) -> bool {
        let done = self.catalog.replace(file, text);
        if done {
            self.builds = Builds::new(&self.catalog);
        }
        done
    }

    pub(crate) fn add(&mut self, layer: LayerId, relative: &str, text: Arc<str>) {
        self.catalog.add(layer, relative, text);
        self.builds = Builds::new(&self.catalog);
    }

    /// The definitions of all layers.
    pub fn catalog(&self) -> &Catalog {
        &self.catalog
    }

    /// The definitions that a layer defines or amends, by kind and id.
    pub fn touched_by(&self, layer: LayerId) -> Vec<crate::catalog::Address> {
        let catalog = &self.catalog;
        let defined = catalog.definitions().filter(|(_, definition)| definition.layer == layer);
        let mut touched: Vec<_> = defined.filter_map(|(_, definition)| catalog.address_of(definition)).collect();
        touched.extend(self.builds.of_layer(catalog, layer).into_iter().map(|(address, _)| address));
        touched.sort_unstable();
        touched.dedup();
        touched
    }

    /// The view of all layers in load order.
    pub fn view(&self) -> View<'_> {
        View { catalog: &self.catalog, builds: &self.builds, layers: LayerSet::all(self.catalog.layers.len()) }
    }

    /// The view of what a layer stands on.
    pub fn ground(&self, layer: LayerId) -> View<'_> {
        self.view().of(self.catalog.layer(layer).ground.clone())
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
            let mut expression =
                |source: &str| match Expression::new(source, kind, &catalog.rulebook, &catalog.names, true) {
                    Ok(expression) => Some(expression),
                    Err(errors) => {
                        faults.extend(errors.into_iter().map(|error| rule_fault(catalog, rule, source, error)));
                        None
                    }
                };
            let require = expression(&rule.require);
            let when = rule.when.as_deref().map(&mut expression);
            let filled = fillings(&rule.message);
            let unknown = filled.iter().filter(|path| !known(catalog, kind, path)).map(|path| {
                let message = format!("the message fills in `{{{path}}}`, which is no field of `{}`", described.name);
                OwnFault { place: rule.place, message, help: None, second: None }
            });
            let unknown: Vec<_> = unknown.collect();
            faults.extend(unknown.into_iter().map(|fault| CodedFault { code: "rulebook-fault", fault }));
            if let (Some(require), None | Some(Some(_))) = (require, &when) {
                rules.push(CompiledRule { nth, require, when: when.flatten(), filled });
            }
        }
        all.push(rules);
    }
    (all, faults)
}

fn known(catalog: &Catalog, kind: KindId, path: &FieldPath) -> bool {
    let word = path.to_string();
    let root = catalog.rulebook.kind(kind).root;
    word == "id" || word == "kind" || catalog.rulebook.type_at(root, path, &catalog.names).is_ok()
}

fn rule_fault(catalog: &Catalog, rule: &Rule, source: &str, error: ExpressionError) -> CodedFault {
    // the place of the slip within the quoted expression, if nothing in it is escaped
    let raw = rule.place.span.of(catalog.text(rule.place.file));
    let place = match raw.find(source).filter(|_| source == rule.require) {
        Some(at) => {
            let start = rule.place.span.start as usize + at;
            let (from, to) = error.range;
            Place { file: rule.place.file, span: Span::new(start + from, start + to.max(from + 1)) }
        }
        None => rule.place,
    };
    let fault = OwnFault { place, message: error.message, help: error.help, second: None };
    CodedFault { code: "rulebook-fault", fault }
}

/// The `{field}`s of a message.
fn fillings(message: &str) -> Vec<FieldPath> {
    let parts = message.split('{').skip(1).filter_map(|part| part.split_once('}'));
    parts.filter_map(|(path, _)| FieldPath::parse(path).ok()).collect()
}
