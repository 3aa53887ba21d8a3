//! What is wrong with the mods that a workspace and manifests name: order, requirements, ids that are no mods.

use super::layers::Layer;
use super::load::{Found, Loader};
use crate::nearest::{near, nearest};
use crate::own::{self, OwnFault};
use crate::rulebook::{Condition, Rulebook};
use crate::said::{chain, said};
use crate::source::{Place, SourceError};
use crate::workspace::{MadeManifest, Manifest, OrderFault, WorkspaceFile, satisfies};

impl Loader<'_> {
    pub(super) fn order_faults(&mut self, faults: Vec<OrderFault>, mods: &[&Found]) {
        let id = |at: usize| mods.get(at).map_or(String::new(), |found| found.made.manifest.id.clone());
        // between mods that require each other nobody can say which one is first
        let circle = |fault: &OrderFault| match fault {
            OrderFault::Circle { mods } => Some(mods.iter().map(|(at, _)| id(*at)).collect::<Vec<String>>()),
            _ => None,
        };
        let circles: Vec<Vec<String>> = faults.iter().filter_map(circle).collect();
        let in_circle = |a: &String, b: &String| circles.iter().any(|circle| circle.contains(a) && circle.contains(b));
        for fault in faults {
            let (code, fault) = match fault {
                OrderFault::Contradicts { first, second, .. } if in_circle(&first, &second) => continue,
                OrderFault::Lacking { id, .. } if self.unloaded.contains(&id) => continue,
                OrderFault::Lacking { by, id: lacking, place } => {
                    let near = near(&lacking, mods.iter().map(|found| found.made.manifest.id.as_str()));
                    let help = match near {
                        Some(near) => said!("the nearest mod here is `{nearest}`", nearest = near.word),
                        None => "put it into the mods' folder, or take the requirement out".into(),
                    };
                    let message = said!("`{own}` requires `{lacking}`, which is not here", own = id(by), lacking);
                    let instead = near.and_then(|near| near.instead_of(&lacking));
                    ("requirement-lacking", own::fault(place, message).help(Some(help)).instead(instead))
                }
                OrderFault::Circle { mods: circle } => {
                    let Some((_, place)) = circle.first().copied() else { continue };
                    let way = circle.iter().chain(circle.first()).map(|(at, _)| id(*at));
                    let message = said!("mods require each other in a circle: `{circle}`", circle = chain(way));
                    let second =
                        circle.get(1).map(|(at, place)| (*place, said!("`{own}` requires back", own = id(*at))));
                    let help = Some("no load order satisfies this; take one requirement out");
                    ("requirement-circle", own::fault(place, message).help(help).second(second))
                }
                OrderFault::Contradicts { first, second, place } => {
                    let message = said!("`{first}` cannot load before `{second}`, which it requires", first, second);
                    let help =
                        Some(said!("`{second}` is loaded first all the same; list it before `{first}`", second, first));
                    ("workspace-fault", own::fault(place, message).help(help))
                }
            };
            self.push(code, vec![fault]);
        }
    }

    /// The parts of mods that apply only under a condition, as far as it can be: of a part that applies only with
    /// another mod, that this is here.
    pub(super) fn parts_of(&self, rulebook: &Rulebook, mods: &[Found]) -> Result<Vec<Found>, SourceError> {
        let Some(rule) = rulebook.manifest.as_ref().map(|rule| &rule.parts).filter(|rule| !rule.is_empty()) else {
            return Ok(Vec::new());
        };
        let is_here = |id: &String| mods.iter().any(|found| found.made.manifest.id == *id);
        let mut out = Vec::new();
        for found in mods {
            let own = &found.made.manifest.id;
            let can_be = |condition: &Condition| match condition {
                Condition::With(other) => other != own && is_here(other),
                Condition::Without(other) => other != own,
                Condition::In(mode) => rulebook.game.modes.contains(mode),
            };
            let mut conditions: Vec<Condition> = Vec::new();
            for file in self.source.list(&found.folder)? {
                let condition = rule.may_mean(&file.path).find(can_be);
                conditions.extend(condition.filter(|condition| !conditions.contains(condition)));
            }
            for condition in conditions {
                let Some(folder) = rule.folder(&condition) else { continue };
                let place = found.made.id_place.unwrap_or_default();
                let other = match &condition {
                    Condition::With(other) => Some(other),
                    Condition::Without(_) | Condition::In(_) => None,
                };
                let requires = std::iter::once(own).chain(other).map(|id| (id.clone(), place)).collect();
                let manifest = Manifest {
                    id: condition.part_of(own),
                    name: found.made.manifest.name.clone(),
                    version: found.made.manifest.version.clone(),
                    requires,
                    part_of: Some((own.clone(), condition)),
                    made_for: found.made.manifest.made_for.clone(),
                    ..Manifest::default()
                };
                let folder = format!("{}/{folder}", found.folder);
                out.push(Found { folder, file: None, made: MadeManifest { manifest, id_place: None } });
            }
        }
        Ok(out)
    }

    /// Versions that are required and are not here, and mods that cannot be loaded together.
    pub(super) fn requirement_faults(&mut self, workspace: &WorkspaceFile, rulebook: &Rulebook, mods: &[Found]) {
        let semver = rulebook.manifest.as_ref().is_some_and(|rule| rule.semver);
        let here = |id: &str| mods.iter().map(|found| &found.made.manifest).find(|other| other.id == id);
        let apart = |one: &str, other: &str| {
            let named = |list: &Vec<(String, Place)>, id: &str| list.iter().any(|(known, _)| known == id);
            workspace.alternatives.iter().any(|list| named(list, one) && named(list, other))
        };
        let mut found = Vec::new();
        for manifest in mods.iter().map(|found| &found.made.manifest) {
            let own = &manifest.id;
            for (id, required, place) in &manifest.versions {
                let Some(version) = here(id).and_then(|other| other.version.as_deref()) else { continue };
                let (message, help) = match satisfies(version, required, semver) {
                    Some(true) => continue,
                    Some(false) => (
                        format!("`{own}` requires `{id}` {required}, and {version} is here"),
                        format!("take a version of `{id}` that fits, or require one that is here"),
                    ),
                    None if satisfies("1.0", required, semver).is_none() => (
                        format!("`{required}` is no version that can be required of `{id}`"),
                        "as `1.2`, `>=1.2` or `>=1.2, <2`".to_owned(),
                    ),
                    None => (
                        format!("`{own}` requires `{id}` {required}, but its version `{version}` cannot be compared"),
                        format!("give `{id}` a version of numbers, as `1.2`"),
                    ),
                };
                let fault = own::fault(*place, message).help(Some(help));
                found.push(("requirement-version", fault));
            }
            for named in &manifest.excludes {
                let (id, place) = (&named.id, &named.place);
                let Some(other) = here(id).filter(|_| id != own && !apart(own, id)) else { continue };
                // of some versions only
                let version = other.version.as_deref().unwrap_or_default();
                let is_meant = |(range, _): &(String, Place)| satisfies(version, range, semver) == Some(true);
                if !named.version.as_ref().is_none_or(is_meant) {
                    continue;
                }
                let message = said!("`{own}` and `{id}` exclude each other, and both are here", own, id);
                let help = said!(
                    "take one of them out, or say in cognomen.toml that players have only one: `alternatives = [[\"{own}\", \"{id}\"]]`",
                    own,
                    id
                );
                let fault = own::fault(*place, message).help(Some(help));
                found.push(("mods-exclude", fault));
            }
        }
        for (code, fault) in found {
            self.push(code, vec![fault]);
        }
    }

    /// Names in the workspace file that are no mods.
    pub(super) fn names_of_mods(&mut self, workspace: &WorkspaceFile, layers: &[Layer]) {
        let known = |id: &str| layers.iter().any(|layer| layer.id == id && !layer.is_base());
        let told = |id: &String| self.unloaded.contains(id);
        let wrong = workspace
            .order
            .iter()
            .chain(&workspace.edit)
            .chain(workspace.alternatives.iter().flatten())
            .chain(workspace.stands_on.iter().map(|one| &one.mod_id))
            .filter(|(id, _)| !known(id) && !told(id));
        let faults: Vec<OwnFault> = wrong
            .map(|(id, place)| {
                let near = nearest(id, layers.iter().skip(1).map(|layer| layer.id.as_str()));
                own::fault(*place, said!("there is no mod `{id}` in `{mods}`", id, mods = workspace.mods))
                    .help(near.map(|near| said!("the nearest mod here is `{nearest}`", nearest = near)))
            })
            .collect();
        self.push("workspace-fault", faults);
    }
}

/// A load order in which each part comes right behind its mod, and the one that it needs.
pub(super) fn behind_both(order: Vec<usize>, mods: &[&Found]) -> Vec<usize> {
    let part = |at: &usize| mods.get(*at).and_then(|found| found.made.manifest.part_of.as_ref());
    let (parts, mut out): (Vec<usize>, Vec<usize>) = order.into_iter().partition(|at| part(at).is_some());
    for at in parts {
        let Some((own, condition)) = part(&at) else { continue };
        let other = match condition {
            Condition::With(other) => other,
            Condition::Without(_) | Condition::In(_) => own,
        };
        let is_one = |at: &usize| mods.get(*at).is_some_and(|found| [own, other].contains(&&found.made.manifest.id));
        let behind = out.iter().rposition(is_one).map_or(out.len(), |at| at + 1);
        // behind the parts that are there already
        let more = out.iter().skip(behind).take_while(|at| part(at).is_some()).count();
        out.insert(behind + more, at);
    }
    out
}
