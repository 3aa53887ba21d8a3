//! What players have: the mods and the mode that `--with` names.

use anyhow::anyhow;
use cognomen_core::{LayerId, LayerSet, nearest};

use super::Failure;
use crate::output::visible;
use crate::session::Opened;

impl Opened {
    /// What players have of whom `--with` tells mods and a mode: these mods, or all where only a mode is told; and the
    /// mode.
    pub(crate) fn players_with(&self, words: &[String]) -> Result<(LayerSet, Option<String>), Failure> {
        let catalog = self.catalog();
        let modes = &catalog.rulebook().game().modes;
        let (mut mods, mut mode) = (LayerSet::default(), None::<&String>);
        for word in words {
            match mode {
                _ if !modes.contains(word) || catalog.layer_named(word).is_some() => {
                    match nearest(word, modes.iter().map(String::as_str)) {
                        Some(near) if catalog.layer_named(word).is_none() => {
                            let word = visible(word);
                            return Err(anyhow!(
                                "there is neither a mod nor a mode `{word}`\n  help: the nearest mode is `{near}`"
                            )
                            .into());
                        }
                        _ => mods.insert(self.layer(word)?),
                    }
                }
                Some(first) if first != word => {
                    let message = format!("players are in one mode at a time, not in `{first}` and `{word}`");
                    return Err(Failure::Usage(message));
                }
                _ => mode = Some(word),
            }
        }
        if mods.is_empty() {
            mods = catalog.layers().filter(|(_, layer)| !layer.is_part()).map(|(id, _)| id).collect();
        }
        Ok((mods, mode.cloned()))
    }
}

/// What players have without a mod, and with it, who otherwise have what `--with` names.
pub(super) fn with_and_without(
    opened: &Opened,
    layer: LayerId,
    words: &[String],
) -> Result<(LayerSet, LayerSet), Failure> {
    let catalog = opened.catalog();
    let (others, mode) = opened.players_with(words)?;
    let id = &catalog.layer(layer).id;
    let named = words.iter().filter_map(|word| catalog.layer_named(word));
    if let Some(above) = named.into_iter().find(|other| catalog.layer(*other).ground.contains(layer)) {
        let above = &catalog.layer(above).id;
        return Err(Failure::Usage(format!("`{above}` stands on `{id}`: nobody has it without that")));
    }
    let is_its = |other: &LayerId| *other == layer || catalog.layer(*other).ground.contains(layer);
    let without: LayerSet = others.iter().filter(|other| !is_its(other)).collect();
    let mut below = without.clone();
    below.extend(&catalog.layer(layer).ground);
    let mode = mode.as_deref();
    Ok((catalog.applying(&below, mode), catalog.applying(&below.with(layer), mode)))
}
