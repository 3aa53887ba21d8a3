//! How the game takes up what a mod changes, by kind, as the rulebook says it.

use cognomen_core::LayerId;

use crate::session::Opened;

/// A kind of which a mod defines or amends something.
pub(crate) struct TouchedKind {
    pub(crate) name: String,
    /// How many of it.
    pub(crate) number: usize,
    /// When the game takes a change up.
    pub(crate) takes_up: Option<String>,
    /// How to look at it there.
    pub(crate) see: Option<String>,
}

/// The kinds of which a mod defines or amends something, with what its parts do.
pub(crate) fn touched_kinds(opened: &Opened, layer: LayerId) -> Vec<TouchedKind> {
    let catalog = opened.catalog();
    let layers = std::iter::once(layer).chain(catalog.parts_of(layer));
    let mut touched: Vec<_> = layers.flat_map(|layer| opened.world.touched_by(layer)).collect();
    touched.sort_unstable();
    touched.dedup();
    let mut out = Vec::new();
    for (id, kind) in catalog.rulebook().kinds() {
        let of_kind = touched.iter().filter(|address| catalog.kind_of(**address) == Some(id));
        let of_kind: Vec<&str> = of_kind.map(|address| catalog.id_of(*address)).collect();
        // the same one each time
        let Some(first) = of_kind.iter().min() else { continue };
        out.push(TouchedKind {
            name: kind.name().to_owned(),
            number: of_kind.len(),
            takes_up: kind.takes_up().map(str::to_owned),
            see: kind.see(first),
        });
    }
    out
}

/// The kinds of which the rulebook says it, each with when and how.
pub(crate) fn taken_up(kinds: &[TouchedKind]) -> Vec<(String, String)> {
    let said = kinds.iter().filter_map(|kind| {
        let see = kind.see.as_ref().map(|see| format!("; {see}")).unwrap_or_default();
        Some((kind.name.clone(), format!("{} changed: taken up {}{see}", kind.number, kind.takes_up.as_ref()?)))
    });
    said.collect()
}
