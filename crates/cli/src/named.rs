//! What people name as they type it: mods, kinds, definitions.

use anyhow::anyhow;
use cognomen_core::{Address, KindId, LayerId, WORKSPACE_FILE, nearest, usable_form};

use crate::args::Global;
use crate::commands::Failure;
use crate::output::visible;
use crate::session::Opened;

impl Opened {
    /// The mod that is edited: as told, else as the workspace file says.
    pub(crate) fn edited(&self, global: &Global) -> Result<LayerId, Failure> {
        let workspace = self.catalog().workspace();
        match (&global.edited, &workspace.edit) {
            (Some(id), _) | (None, Some((id, _))) => self.layer(id),
            (None, None) => Err(Failure::Usage(format!(
                "which mod is meant? Say `--mod ID`, or name it under `edit` in {WORKSPACE_FILE}"
            ))),
        }
    }

    /// A layer by its id.
    pub(crate) fn layer(&self, id: &str) -> Result<LayerId, Failure> {
        let catalog = self.catalog();
        catalog.layer_named(id).ok_or_else(|| {
            let near = nearest(id, catalog.layers().map(|(_, layer)| layer.id.as_str()));
            let help = match near {
                Some(near) => format!("the nearest one is `{near}`"),
                None => self.unread(false).unwrap_or("`cognomen mods` lists them").to_owned(),
            };
            anyhow!("there is no mod `{}` here\n  help: {help}", visible(id)).into()
        })
    }

    /// Why the rulebook lets nothing be read: no mods, or nothing at all.
    fn unread(&self, anything: bool) -> Option<&'static str> {
        let rulebook = self.catalog().rulebook();
        let kindless = || rulebook.kinds().next().is_none();
        if rulebook.is_broken() || anything && kindless() {
            return Some("the rulebook cannot be read as it is: `cognomen check` says what is wrong with it");
        }
        (!anything && !rulebook.has_manifest())
            .then_some("no mod is read, as the rulebook has no `[manifest]`: `cognomen check` says more")
    }

    /// A kind by its name.
    pub(crate) fn kind(&self, name: &str) -> Result<KindId, Failure> {
        let rulebook = self.catalog().rulebook();
        rulebook.kind_named(name).ok_or_else(|| {
            let near = nearest(name, rulebook.kinds().map(|(_, kind)| kind.name()));
            let help = match near {
                Some(near) => format!("the nearest one is `{near}`"),
                None => self.unread(true).unwrap_or("`cognomen kinds` lists them").to_owned(),
            };
            anyhow!("there is no kind `{}`\n  help: {help}", visible(name)).into()
        })
    }

    /// Kind and id of an address as typed; an id alone is enough where only one kind has it.
    pub(crate) fn named(&self, text: &str) -> Result<(KindId, String), Failure> {
        if let Some((kind, id)) = text.split_once('/')
            && let Some(kind) = self.catalog().rulebook().kind_named(kind)
        {
            return Ok((kind, id.to_owned()));
        }
        let catalog = self.catalog();
        let kinds = catalog.rulebook().kinds().map(|(kind, _)| kind);
        let there = |kind: &KindId| catalog.address(*kind, text).is_some_and(|a| catalog.stack(a).next().is_some());
        let found: Vec<KindId> = kinds.filter(there).collect();
        match found.as_slice() {
            [kind] => Ok((*kind, text.to_owned())),
            [] if text.contains('/') => {
                let kind = text.split('/').next().unwrap_or("");
                let near = nearest(kind, catalog.rulebook().kinds().map(|(_, kind)| kind.name()));
                // a mod, a folder or another word before an id that there is
                let bare = text.rsplit('/').next().unwrap_or(text);
                let same = |at: &Address| catalog.show_address(*at).rsplit('/').next() == Some(bare);
                let all: Vec<Address> = catalog.seen().addresses().into_iter().filter(same).collect();
                if let ([only], None) = (all.as_slice(), near) {
                    let (text, right) = (visible(text), visible(&catalog.show_address(*only)));
                    return Err(
                        anyhow!("there is no definition `{text}`\n  help: `{right}` is the only `{bare}`").into()
                    );
                }
                self.kind(kind)?;
                Err(anyhow!("there is no definition `{}`", visible(text)).into())
            }
            [] => {
                let ids: Vec<String> =
                    catalog.seen().addresses().into_iter().map(|a| catalog.show_address(a)).collect();
                let bare = ids.iter().map(|id| id.split_once('/').map_or(id.as_str(), |(_, id)| id));
                let near = nearest(text, bare).and_then(|near| ids.iter().find(|id| id.ends_with(&format!("/{near}"))));
                let help = match near {
                    Some(near) => format!("the nearest known one is `{near}`"),
                    None => match self.unread(true) {
                        Some(why) => why.to_owned(),
                        None => format!("`cognomen find {}` looks everywhere", visible(text)),
                    },
                };
                Err(anyhow!("there is no definition `{}`\n  help: {help}", visible(text)).into())
            }
            several => {
                let all = several.iter().map(|kind| format!("`{}/{text}`", catalog.rulebook().kind(*kind).name()));
                let all: Vec<_> = all.collect();
                Err(anyhow!("`{}` is the id of several definitions: {}", visible(text), all.join(", ")).into())
            }
        }
    }

    /// The id that is meant for a new definition of a kind: its kind may stand before it, as in an address.
    pub(crate) fn new_id(&self, kind: KindId, typed: &str) -> String {
        let before = format!("{}/", self.catalog().rulebook().kind(kind).name());
        let catalog = self.catalog();
        let such = || {
            let seen = catalog.seen();
            let all = seen.addresses().into_iter().filter(|at| catalog.kind_of(*at) == Some(kind));
            all.into_iter().any(|at| catalog.id_of(at).starts_with(&before))
        };
        let bare = typed.strip_prefix(&before).filter(|_| usable_form(catalog, kind, typed, false).is_err() || !such());
        bare.unwrap_or(typed).to_owned()
    }

    /// The addresses that come in, one a line, as `find` lists them.
    pub(crate) fn addresses_from_input(&self) -> Result<Vec<Address>, Failure> {
        let mut all = Vec::new();
        for line in std::io::BufRead::lines(std::io::stdin().lock()).map_while(Result::ok) {
            // the address comes first
            let Some(word) = line.split_whitespace().next() else { continue };
            match self.address(word) {
                Ok(address) => all.push(address),
                Err(_) if !word.contains('/') => {}
                Err(failure) => return Err(failure),
            }
        }
        match all.is_empty() {
            true => {
                Err(anyhow!("no address came in\n  help: `cognomen find --kind item lamp | cognomen set - …`").into())
            }
            false => Ok(all),
        }
    }

    /// The address of a definition that is there.
    pub(crate) fn address(&self, text: &str) -> Result<Address, Failure> {
        let catalog = self.catalog();
        let (kind, id) = self.named(text)?;
        let address = catalog.address(kind, &id).filter(|address| catalog.stack(*address).next().is_some());
        address.ok_or_else(|| {
            let name = catalog.rulebook().kind(kind).name();
            let ids: Vec<String> = catalog.seen().addresses().into_iter().map(|a| catalog.show_address(a)).collect();
            let own = ids.iter().filter_map(|shown| shown.strip_prefix(&format!("{name}/")));
            let help = match nearest(&id, own) {
                Some(near) => format!("the nearest known one is `{name}/{near}`"),
                None if catalog.has_rulebook_faults() => {
                    "the rulebook has faults, so that not all may be read: `cognomen check` shows them".to_owned()
                }
                None => format!("`cognomen find {}` looks everywhere", visible(&id)),
            };
            anyhow!("there is no {name} `{}`\n  help: {help}", visible(&id)).into()
        })
    }
}
