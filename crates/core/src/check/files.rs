//! Files that definitions name or imply, looked up for all checks about them.

use rustc_hash::{FxHashMap, FxHashSet};

use super::context::Context;
use crate::catalog::{Address, Catalog, Definition, LayerId, LayerSet, folder};
use crate::document::FieldPath;
use crate::rulebook::{ANY_FOLDER, FileSought, FileTemplate, Reading, Severity, fits};
use crate::source::Place;

/// The files of each layer, by path and by path in small letters.
pub(crate) struct Files<'w> {
    per_layer: Vec<FxHashSet<&'w str>>,
    folded: FxHashMap<String, Vec<(LayerId, &'w str)>>,
}

impl<'w> Files<'w> {
    pub(super) fn new(catalog: &'w Catalog) -> Files<'w> {
        let mut files =
            Files { per_layer: vec![FxHashSet::default(); catalog.layers().count()], folded: FxHashMap::default() };
        let assets = catalog.rulebook.kinds().any(|(_, kind)| !kind.files.is_empty())
            || catalog.rulebook.types.iter().any(|ty| matches!(ty.reading, Reading::File(_)));
        for (_, file) in catalog.files().filter(|_| assets) {
            let Some(layer) = file.layer else { continue };
            if let Some(set) = files.per_layer.get_mut(layer.0 as usize) {
                set.insert(file.relative.as_str());
            }
            files.folded.entry(file.relative.to_lowercase()).or_default().push((layer, file.relative.as_str()));
        }
        files
    }
}

/// A file that a field names and that is not there.
pub(crate) struct LackingFile<'w> {
    pub(crate) layer: LayerId,
    pub(crate) place: Place,
    /// Whether the key of a map names it.
    pub(crate) of_key: bool,
    pub(crate) word: String,
    /// Where it was looked for first.
    pub(crate) wanted: String,
    pub(crate) severity: Severity,
    pub(crate) template: &'w FileTemplate,
    pub(crate) about: Option<Address>,
    pub(crate) path: FieldPath,
}

/// A file that a definition implies by its id and that is not there.
pub(crate) struct ImpliedFile {
    pub(crate) layer: LayerId,
    pub(crate) address: Address,
    pub(crate) role: String,
    pub(crate) path: String,
    pub(crate) place: Place,
}

impl<'w> Context<'w> {
    /// A layer and what it stands on; the parts of a base come together, and use each other.
    fn sees(&self, layer: LayerId) -> LayerSet {
        match self.is_game(layer) {
            true => self.catalog.base(),
            false => self.catalog.layer(layer).ground.with(layer),
        }
    }

    /// Whether a layer, or one that it stands on, has a file.
    pub(crate) fn has_file(&self, layer: LayerId, path: &str) -> bool {
        let seen = self.sees(layer);
        seen.iter().any(|l| self.shared.files.per_layer.get(l.0 as usize).is_some_and(|files| files.contains(path)))
    }

    /// Whether a file that a template leads to is there: `**/` is any folder.
    pub(crate) fn finds(&self, layer: LayerId, path: &str) -> bool {
        let same = |a: &str, b: &str| a == b || !self.rulebook.file_case && a.eq_ignore_ascii_case(b);
        match path.split_once(ANY_FOLDER) {
            Some((root, name)) => self.files_seen(layer).any(|path| {
                let Some((above, path)) = path.split_at_checked(root.len()) else { return false };
                let tail = path.len().checked_sub(name.len()).and_then(|at| path.split_at_checked(at));
                let fits = |(head, tail): (&str, &str)| (head.is_empty() || head.ends_with('/')) && same(tail, name);
                same(above, root) && tail.is_some_and(fits)
            }),
            None => self.has_file(layer, path) || !self.rulebook.file_case && self.other_case(layer, path).is_some(),
        }
    }

    /// Whether a file is there whose path fits a pattern with `*`.
    fn finds_fitting(&self, layer: LayerId, pattern: &str) -> bool {
        let fitting = |path: &str| match self.rulebook.file_case {
            true => fits(pattern, path),
            false => fits(&pattern.to_lowercase(), &path.to_lowercase()),
        };
        self.files_seen(layer).any(fitting)
    }

    /// The same file with other capital letters.
    pub(crate) fn other_case(&self, layer: LayerId, path: &str) -> Option<&'w str> {
        let seen = self.sees(layer);
        let twins = self.shared.files.folded.get(&path.to_lowercase())?;
        twins.iter().find(|(layer, _)| seen.contains(*layer)).map(|(_, path)| *path)
    }

    /// The paths that a layer sees.
    pub(crate) fn files_seen(&self, layer: LayerId) -> impl Iterator<Item = &'w str> {
        let seen: Vec<LayerId> = self.sees(layer).iter().collect();
        seen.into_iter().filter_map(|l| self.shared.files.per_layer.get(l.0 as usize)).flatten().copied()
    }

    /// Files that fields name and that are not there.
    pub(crate) fn lacking_files(&self) -> impl Iterator<Item = LackingFile<'w>> {
        self.harvests().flat_map(move |(file, harvest, document)| {
            harvest.mentions.iter().filter_map(move |mention| {
                let Reading::File(template) = &self.rulebook.field_type(mention.wants).reading else { return None };
                let node = document.node(mention.at);
                let layer = self.layer_of(file);
                let field = self.rulebook.field_type(mention.wants);
                let silent = field.link.as_ref().is_some_and(|link| link.lacking.is_none());
                let words = self.catalog.words_of(document, harvest, mention);
                let beside = folder(self.catalog.leads_from(document, harvest, mention));
                let there = |word: &String| {
                    template.all().any(|one| match self.rulebook.file_sought(mention.wants, one, word, beside) {
                        FileSought::At(path) => self.finds(layer, &path),
                        FileSought::Fitting(pattern) => self.finds_fitting(layer, &pattern),
                    })
                };
                if silent || words.is_empty() || words.iter().any(there) {
                    return None;
                }
                let word = words.into_iter().next()?;
                let wanted = self.rulebook.file_at(template, &word, beside);
                let (about, path) = self.whose(file, mention.from, node);
                let severity = field.link.as_ref().and_then(|link| link.lacking).unwrap_or(Severity::Error);
                let (place, of_key) = (field.place_at(node), field.is_of_keys());
                Some(LackingFile { layer, place, of_key, word, wanted, template, about, path, severity })
            })
        })
    }

    /// Files that definitions imply and that are not there. A higher layer may bring them.
    pub(crate) fn implied_files(&self) -> Vec<ImpliedFile> {
        let mut out = Vec::new();
        let real = |definition: &Definition| {
            self.own.contains(definition.layer) && !definition.is_abstract && self.view.is_new(definition)
        };
        for (_, definition) in self.definitions().filter(|(_, definition)| real(definition)) {
            let kind = self.rulebook.kind(definition.kind);
            let Some(address) = self.catalog.address_of(definition).filter(|_| !kind.files.is_empty()) else {
                continue;
            };
            for (role, template) in &kind.files {
                let path = kind.filled(template, self.catalog.names.text(address.id));
                if !self.has_file(definition.layer, &path) {
                    let place = self.definition_place(definition.at());
                    out.push(ImpliedFile { layer: definition.layer, address, role: role.clone(), path, place });
                }
            }
        }
        out
    }
}
