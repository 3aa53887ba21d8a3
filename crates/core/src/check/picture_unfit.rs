//! `picture-unfit`.

use rustc_hash::FxHashMap;

use super::finding::Finding;
use super::registry::Check;
use crate::catalog::{LayerId, folder};
use crate::rulebook::{Reading, Severity};
use crate::said::said;
use crate::source::FileId;

pub(super) static CHECK: Check = Check {
    code: "picture-unfit",
    severity: Severity::Warning,
    since: "0.2",
    summary: "a picture of another size than the game wants",
    finds: "A field with `picture` that names a picture of another width, height or proportion, or one that does not fall into whole cells.",
    matters: "The game stretches it, cuts it off, or shows the wrong piece of it.",
    example: "\"icon\": \"eel\"      # art/eel.png is 31 × 32",
    mend: "Bring the picture to the size that is named.",
    accept: "If it looks right in the game; then the rulebook is too narrow.",
    run: |context, findings| {
        let catalog = context.catalog;
        if catalog.pictures.is_empty() {
            return;
        }
        let mut by_path: FxHashMap<(LayerId, String), FileId> = FxHashMap::default();
        for file in catalog.pictures.keys().copied().filter(|file| context.view.has(*file)) {
            let found = catalog.file(file);
            let path = if context.rulebook.file_case { found.relative.clone() } else { found.relative.to_lowercase() };
            by_path.extend(found.layer.map(|layer| ((layer, path), file)));
        }
        for (file, harvest, document) in context.harvests() {
            for mention in &harvest.mentions {
                let field = context.rulebook.field_type(mention.wants);
                let Some(wanted) = field.demands().and_then(|demands| demands.picture.as_ref()) else { continue };
                let Reading::File(template) = &field.reading else { continue };
                let node = document.node(mention.at);
                let beside = folder(catalog.leads_from(document, harvest, mention));
                let words = catalog.words_of(document, harvest, mention);
                let paths = words
                    .iter()
                    .flat_map(|word| template.all().map(move |one| context.rulebook.file_at(one, word, beside)));
                let paths = paths.map(|path| if context.rulebook.file_case { path } else { path.to_lowercase() });
                // the highest layer's counts
                let picture =
                    paths.flat_map(|path| context.view.layers().iter().map(move |layer| (layer, path.clone())));
                let Some(picture) = picture.filter_map(|at| by_path.get(&at).copied()).max() else { continue };
                let Some((width, height)) = catalog.pictures.get(&picture).copied() else { continue };
                let Some(wrong) = wanted.wrong(width, height) else { continue };
                if !context.is_seen(file, mention, node) {
                    continue;
                }
                let (about, path) = context.whose(file, mention.from, node);
                let message = said!(
                    "`{file}` is {width} × {height}, {wrong}",
                    file = catalog.file(picture).relative,
                    width,
                    height,
                    wrong
                );
                findings.push(Finding::new(&CHECK, node.place(), message).about(about).path(Some(path)));
            }
        }
    },
};
