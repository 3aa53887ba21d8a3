//! Parts of definitions show as in the whole.

use rayon::prelude::*;

use super::load;
use super::seeds;
use super::sessions::Session;
use crate::document::FieldPath;
use crate::effective::Effective;

/// One field alone shows what it shows in the whole definition, wherever it comes from.
#[test]
fn a_field_alone_shows_as_in_the_whole() {
    let wrong: Vec<String> = seeds(50).into_par_iter().flat_map_iter(fields_alone).collect();
    assert!(wrong.is_empty(), "{}", wrong.iter().take(3).cloned().collect::<Vec<_>>().join("\n"));
}

fn fields_alone(seed: u64) -> Vec<String> {
    let session = Session::worked(seed, (4, 8));
    let world = load(session.source()).unwrap();
    let catalog = world.catalog();
    let mut wrong = Vec::new();
    for (layer, _) in catalog.layers() {
        let view = world.with_ground(layer);
        for address in view.standing() {
            let Some(whole) = view.effective(address) else { continue };
            for (key, _) in whole.value.entries(catalog) {
                let path = FieldPath::key(catalog.names.text(key));
                let shown = |of: &Effective| of.get(catalog, &path).map(|v| (v.draft(catalog), v.origin().place));
                let alone = view.effective_of(address, &[key]);
                if alone.as_ref().map(shown) != Some(shown(&whole)) {
                    wrong.push(format!("seed {seed}: {path} of {}", catalog.show_address(address)));
                }
            }
        }
    }
    wrong
}
