//! What is wrong with the mods that a workspace and manifests name: order, requirements, ids that are no mods.

use super::layers::Layer;
use super::load::{Found, Loader};
use crate::nearest::{near, nearest};
use crate::own::OwnFault;
use crate::workspace::{OrderFault, WorkspaceFile};

impl Loader<'_> {
    pub(super) fn order_faults(&mut self, faults: Vec<OrderFault>, mods: &[Found]) {
        let id = |at: usize| mods.get(at).map_or(String::new(), |found| found.made.manifest.id.clone());
        for fault in faults {
            let (code, fault) = match fault {
                OrderFault::Lacking { id, .. } if self.unloaded.contains(&id) => continue,
                OrderFault::Lacking { by, id: lacking, place } => {
                    let near = near(&lacking, mods.iter().map(|found| found.made.manifest.id.as_str()));
                    let help = match near {
                        Some(near) => format!("the nearest mod here is `{}`", near.word),
                        None => "put it into the mods' folder, or take the requirement out".to_owned(),
                    };
                    let message = format!("`{}` requires `{lacking}`, which is not here", id(by));
                    let instead = near.and_then(|near| near.instead_of(&lacking));
                    ("requirement-lacking", OwnFault { place, message, help: Some(help), second: None, instead })
                }
                OrderFault::Circle { mods: circle } => {
                    let Some((_, place)) = circle.first().copied() else { continue };
                    let mut way: Vec<String> = circle.iter().map(|(at, _)| format!("`{}`", id(*at))).collect();
                    way.extend(way.first().cloned());
                    let message = format!("mods require each other in a circle: {}", way.join(" → "));
                    let second = circle.get(1).map(|(at, place)| (*place, format!("`{}` requires back", id(*at))));
                    let help = Some("no load order satisfies this; take one requirement out".to_owned());
                    ("requirement-circle", OwnFault { place, message, help, second, instead: None })
                }
                OrderFault::Contradicts { first, second, place } => {
                    let message = format!("`{first}` cannot load before `{second}`, which it requires");
                    let help = Some(format!("`{second}` is loaded first all the same; list it before `{first}`"));
                    ("workspace-fault", OwnFault { place, message, help, second: None, instead: None })
                }
            };
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
            .filter(|(id, _)| !known(id) && !told(id));
        let faults: Vec<OwnFault> = wrong
            .map(|(id, place)| {
                let near = nearest(id, layers.iter().skip(1).map(|layer| layer.id.as_str()));
                OwnFault {
                    place: *place,
                    message: format!("there is no mod `{id}` in `{}`", workspace.mods),
                    help: near.map(|near| format!("the nearest mod here is `{near}`")),
                    second: None,
                    instead: None,
                }
            })
            .collect();
        self.push("workspace-fault", faults);
    }
}
