//! `file-lacking`.

use rustc_hash::FxHashSet;

use super::finding::Finding;
use super::registry::Check;
use crate::nearest::nearest;
use crate::rulebook::{Reading, Severity};

pub(super) static CHECK: Check = Check {
    code: "file-lacking",
    severity: Severity::Error,
    since: "0.1",
    summary: "a picture or other file that is named and not there",
    finds: "A field that names a file which neither the mod nor anything it stands on has.",
    matters: "The game shows a placeholder, or nothing.",
    example: "\"icon\": \"eel-trapp\"      # art/icons/eel-trap.png is there",
    mend: "Correct the name, or put the file where the finding says.",
    accept: "While the picture is still being painted.",
    run: |context, findings| {
        let catalog = context.catalog;
        let mut per_layer: Vec<FxHashSet<&str>> = vec![FxHashSet::default(); catalog.layers().count()];
        for (_, file) in catalog.files() {
            if let Some(set) = file.layer.and_then(|layer| per_layer.get_mut(layer.0 as usize)) {
                set.insert(file.relative.as_str());
            }
        }
        for (file, harvest, document) in context.harvests() {
            for mention in &harvest.mentions {
                let Reading::File(template) = &context.rulebook.field_type(mention.wants).reading else { continue };
                let node = document.node(mention.at);
                let wanted = template.fill(&node.text());
                let layer = context.layer_of(file);
                let Some(seen) = context.seen.get(layer.0 as usize) else { continue };
                let there =
                    |path: &str| seen.iter().any(|l| per_layer.get(l.0 as usize).is_some_and(|s| s.contains(path)));
                if there(&wanted) {
                    continue;
                }
                let (about, path) = context.whose(file, mention.from, node);
                let known = seen.iter().filter_map(|l| per_layer.get(l.0 as usize)).flatten();
                let known = known.filter_map(|path| path.strip_prefix(&template.before)?.strip_suffix(&template.after));
                let near = nearest(&node.text(), known);
                let help = match near {
                    Some(near) if near.to_lowercase() == node.text().to_lowercase() => {
                        format!("it is written `{near}`: capital and small letters count")
                    }
                    Some(near) => format!("the nearest file there is `{}`", template.fill(near)),
                    None => format!("put it at `{}/{wanted}`", catalog.layer(layer).folder),
                };
                let message = format!("there is no file `{wanted}`");
                findings
                    .push(Finding::new(&CHECK, node.place(), message).about(about).path(Some(path)).help(Some(help)));
            }
        }
    },
};
