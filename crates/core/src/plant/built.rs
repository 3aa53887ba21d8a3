//! What is built is what was meant, in every notation of the examples: changes of the base by chance, built, the built
//! folder in the mod's place, read again.

use std::path::Path;

use rayon::prelude::*;

use super::site::{Site, of_layer, one};
use crate::catalog::LayerId;
use crate::dice::Dice;
use crate::effective::World;
use crate::rulebook::Reading;
use crate::source::{Archives, FolderSource, MemorySource, Overlay};
use crate::trials::built_otherwise;

const EXAMPLES: [&str; 5] = ["kilnyard", "mulepost", "peatlight", "sporehall", "wrackline"];

/// Amendments of some values of the base, as a mod writes them.
fn amendments(world: &World, dice: &mut Dice) -> Option<String> {
    let catalog = &world.catalog;
    let sites = of_layer(world, LayerId::BASE);
    let keyed = |site: &&Site<'_>| site.node.key().is_some() && !site.of_key && site.definition.id.is_some();
    let all: Vec<&Site<'_>> = sites.iter().filter(keyed).collect();
    let mut out = "amendments = 1\n".to_owned();
    for _ in 0..40 {
        let site = *one(&all, dice)?;
        let document = site.node.document();
        let above = document.path_to(site.definition.node, &catalog.names).steps().len();
        let path = document.path_to(site.node.id(), &catalog.names).skip(above);
        let value = match &site.ty.reading {
            Reading::Integer if site.is_number() => {
                let now: i64 = site.word().parse().ok()?;
                let fits = |to: &i64| !site.ty.is_beyond(*to as f64);
                [now + 1, now - 1].into_iter().find(fits).map(|to| to.to_string())
            }
            // not the word that says how a value changes what is inherited
            Reading::Choice(words) if site.ty.written.is_none() && !site.ty.pattern.ends_with("do") => {
                let other = words.listed.iter().find(|word| **word != site.word());
                other.map(|word| format!("\"{word}\""))
            }
            _ => None,
        };
        let Some(value) = value.filter(|_| path.leading_keys() == path && !path.is_empty()) else { continue };
        let kind = catalog.rulebook.kind(site.definition.kind).name();
        let id = catalog.names.text(site.definition.id?);
        out.push_str(&format!("[[amend]]\nof = '{kind}/{id}'\nset = {{ '{path}' = {value} }}\n"));
        if out.matches("[[amend]]").count() == 3 {
            return Some(out);
        }
    }
    None
}

/// One trial; what went wrong, and nothing if the game has no notation for the changes.
fn tried(example: &Path, seed: u64) -> Option<Vec<String>> {
    let source = Archives::new(FolderSource::new(example));
    let world = World::load(&source).unwrap();
    let mut dice = Dice::seeded(seed);
    let faulty: Vec<LayerId> =
        crate::check::check(&world).iter().filter_map(|finding| finding.layer(&world.catalog)).collect();
    let mods = world.catalog.layers().filter(|(_, layer)| !layer.is_base() && !layer.is_packed());
    let clean: Vec<LayerId> = mods.map(|(id, _)| id).filter(|id| !faulty.contains(id)).collect();
    let layer = *one(&clean, &mut dice)?;
    let (id, own) = (world.catalog.layer(layer).id.clone(), world.catalog.layer(layer).folder.clone());
    let text = amendments(&world, &mut dice)?;
    let above = MemorySource::new([(format!("{own}/amendments/zzq.toml"), text.clone())]);
    let meant_source = Overlay::new(&source, above);
    let meant = World::load(&meant_source).unwrap();
    let layer = meant.catalog.layer_named(&id).unwrap();
    // what cannot be said in the game's notation, or is at fault for other reasons, is told and not built
    if crate::check::check(&meant)
        .iter()
        .any(|finding| finding.place.file == meant.catalog.file_named(&format!("{own}/amendments/zzq.toml")).unwrap())
    {
        return None;
    }
    let mut wrong = built_otherwise(&meant, &meant_source, layer);
    if !wrong.is_empty() {
        wrong.insert(0, format!("{seed} {} {id}\n{text}", example.display()));
    }
    Some(wrong)
}

#[test]
fn what_is_built_shows_what_was_meant_in_every_notation() {
    let seeds = crate::trials::seeds(60);
    let count = seeds.end - seeds.start;
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples");
    let found: Vec<Vec<String>> = seeds
        .into_par_iter()
        .filter_map(|seed| tried(&folder.join(EXAMPLES[usize::try_from(seed).unwrap() % EXAMPLES.len()]), seed))
        .collect();
    let wrong: Vec<String> = found.iter().filter(|lines| !lines.is_empty()).map(|lines| lines.join("\n  ")).collect();
    assert!(wrong.is_empty(), "{} of {}\n{}", wrong.len(), found.len(), wrong.join("\n"));
    assert!(found.len() as u64 > count / 4, "only {} could be built", found.len());
}
