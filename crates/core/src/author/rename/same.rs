//! What was renamed, read anew and compared with what it was.

use std::collections::BTreeMap;

use super::names::Renamed;
use super::{Plan, files_of};
use crate::author::read_back::Before;
use crate::author::set::SetError;
use crate::catalog::{Address, DefId, LayerId};
use crate::effective::World;
use crate::source::Place;

impl Plan<'_> {
    /// Compares the mod afterwards, by the paths to which its files went: the same definitions under their new ids, the
    /// same references to them, the same texts, and nothing at fault that was not before.
    pub(super) fn read_back(
        &self,
        after: &World,
        layer: LayerId,
        moved: &BTreeMap<String, String>,
    ) -> Result<(), SetError> {
        let catalog = self.catalog;
        let mut before = Before::of(self.world, self.layer, None);
        for renamed in self.all {
            before.rename(renamed.kind, &renamed.old, &renamed.new);
        }
        before.read_back(after, layer, &[], &[])?;
        let ids = |address: Address| self.renamed(address).map(|renamed| renamed.new.as_str());
        let was = meant(self.world, self.layer, &ids, moved);
        let is = meant(after, layer, &|_| None, &BTreeMap::new());
        for (path, was) in &was {
            let is = is.get(path).map(Vec::as_slice).unwrap_or_default();
            let differs = was.iter().zip(is).find(|(was, is)| was.1 != is.1);
            if let Some((was, _)) = differs {
                let message = format!("{} would not lead to `{}` any more", catalog.line_of(was.0), was.1);
                return Err(SetError::Problem(format!("{message}\n  help: change it by hand first")));
            }
            if was.len() != is.len() {
                return Err(SetError::Problem(format!("{path} would be read otherwise")));
            }
        }
        let texts = |world: &World, layer: LayerId, id: &str, renamed: &Renamed| {
            let described = world.catalog.rulebook.kind(renamed.kind);
            let keys = described.texts.iter().map(|rule| described.filled(&rule.template, id));
            let all = keys.flat_map(|key| world.catalog.texts.get(&key).cloned().unwrap_or_default());
            all.filter(|(_, at)| world.catalog.file(at.file).layer == Some(layer)).count()
        };
        for renamed in self.all {
            let (was, is) =
                (texts(self.world, self.layer, &renamed.old, renamed), texts(after, layer, &renamed.new, renamed));
            if was > is {
                let message = format!("nothing would read the texts of `{}` where they would be written", renamed.new);
                return Err(SetError::Problem(message));
            }
        }
        Ok(())
    }
}

/// What a layer's files name, in the order in which it stands there: the place, and the addresses.
type Meant = BTreeMap<String, Vec<(Place, String)>>;

/// What each file of a layer names.
fn meant<'i>(
    world: &World,
    layer: LayerId,
    ids: &dyn Fn(Address) -> Option<&'i str>,
    moved: &BTreeMap<String, String>,
) -> Meant {
    let (catalog, view) = (&world.catalog, world.with_ground(layer));
    let shown = |address: &Address| {
        let kind = view.kind_of(*address).map_or("", |kind| catalog.rulebook.kind(kind).name());
        format!("{kind}/{}", ids(*address).unwrap_or(catalog.names.text(address.id)))
    };
    let mut out = Meant::new();
    for (file, harvest, document) in files_of(catalog, layer) {
        let path = &catalog.file(file).path;
        let mut all = Vec::new();
        for mention in harvest.mentions.iter().filter(|mention| catalog.is_link(mention)) {
            let node = document.node(mention.at);
            // what names several by a pattern is looked at by a person
            if node.text().contains('*') {
                continue;
            }
            let targets = view.targets_of(document, harvest, mention);
            all.push((node.place(), targets.iter().map(shown).collect::<Vec<_>>().join(", ")));
        }
        let (start, end) = catalog.starts.get(file.0 as usize).copied().unwrap_or_default();
        for id in (start..end).map(DefId) {
            let parents: Vec<String> = view.parents_at(id).iter().map(shown).collect();
            all.push((catalog.node(catalog.definition(id).at()).place(), parents.join(", ")));
        }
        out.insert(moved.get(path).unwrap_or(path).clone(), all);
    }
    out
}
