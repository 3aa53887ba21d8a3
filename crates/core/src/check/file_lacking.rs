//! `file-lacking`.

use std::collections::BTreeMap;

use super::context::Context;
use super::finding::Finding;
use super::lost::NAMED;
use super::mend::Mend;
use super::name_with_ending::named_file;
use super::registry::Check;
use crate::catalog::LayerId;
use crate::nearest::near;
use crate::rulebook::{ANY_FOLDER, Severity};
use crate::said::said;
use crate::source::{FileId, Place, Span};

pub(super) static CHECK: Check = Check {
    code: "file-lacking",
    severity: Severity::Error,
    since: "0.1",
    summary: "a picture or other file that is named or implied, and not there",
    finds: "A field that names a file which neither the mod nor anything it stands on has; or a definition that stands for a file by its id, which is not there.",
    matters: "The game shows a placeholder, or nothing.",
    example: "\"icon\": \"eel-trapp\"      # art/icons/eel-trap.png is there",
    mend: "Correct the name, or put the file where the finding says.",
    accept: "While the picture is still being painted.",
    run: |context, findings| {
        let mut told = 0;
        for lacking in context.lacking_files() {
            let wanted = lacking.wanted.clone();
            let other = context.other_case(lacking.layer, &wanted).is_some();
            if other || named_file(context, &lacking.word, &lacking).is_some() {
                continue;
            }
            let template = lacking.template;
            let known = context.files_seen(lacking.layer);
            let known = known.filter_map(|path| template.value_of(path));
            told += 1;
            let near = (told <= NAMED).then(|| near(&lacking.word, known)).flatten();
            let help = match near {
                Some(near) if wanted.contains(ANY_FOLDER) => {
                    said!("the nearest name there is `{nearest}`", nearest = near.word)
                }
                Some(near) => said!("the nearest file there is `{nearest}`", nearest = template.fill(near.word)),
                None if wanted.contains(ANY_FOLDER) => "its name counts, not its folder".into(),
                None => {
                    said!(
                        "put it at `{folder}/{file}`",
                        folder = context.catalog.layer(lacking.layer).folder,
                        file = wanted
                    )
                }
            };
            let (message, help) = match wanted.split_once(ANY_FOLDER) {
                Some(("", name)) => (said!("no folder has a file `{file}`", file = name), help),
                Some((root, name)) => (said!("no folder in `{root}` has a file `{file}`", root, file = name), help),
                None if wanted.starts_with("..") => {
                    (said!("there is no file `{file}`", file = wanted), "it leads out of the game's folder".into())
                }
                None if template.names_folder() => (
                    said!("there is no folder `{file}`, or nothing in it", file = wanted),
                    "a folder is named here".into(),
                ),
                None if wanted.contains('*') => (
                    said!("no file fits `{file}`", file = wanted),
                    "`*` stands for part of a name; one has to be there".into(),
                ),
                None => (said!("there is no file `{file}`", file = wanted), help),
            };
            let only = near.filter(|near| near.only && !lacking.of_key);
            let mend = only.and_then(|near| Mend::word(lacking.place, &lacking.word, near.word));
            let mut finding = Finding::new(&CHECK, lacking.place, message).help(Some(help)).mend(mend);
            finding.severity = lacking.severity;
            findings.push(finding.about(lacking.about).path(Some(lacking.path)));
        }
        findings.extend(needed(context));
        for implied in context.implied_files() {
            if context.other_case(implied.layer, &implied.path).is_some() {
                continue;
            }
            let message = said!(
                "`{definition}` needs the file `{file}` ({role})",
                definition = context.show(implied.address),
                file = implied.path,
                role = implied.role
            );
            let help = said!(
                "put it at `{folder}/{file}`",
                folder = context.catalog.layer(implied.layer).folder,
                file = implied.path
            );
            findings.push(Finding::new(&CHECK, implied.place, message).about(Some(implied.address)).help(Some(help)));
        }
    },
};

/// Files that each folder of some sort must have, told at the first file of the folder.
fn needed(context: &Context<'_>) -> Vec<Finding> {
    let catalog = context.catalog;
    let mut out = Vec::new();
    if context.rulebook.files_needed.is_empty() {
        return out;
    }
    let mut folders: BTreeMap<(LayerId, &str), FileId> = BTreeMap::new();
    for (file, found) in catalog.files().filter(|(file, _)| context.is_own(*file)) {
        let Some(layer) = found.layer else { continue };
        for (at, _) in found.relative.match_indices('/') {
            let folder = found.relative.get(..at).unwrap_or_default();
            folders.entry((layer, folder)).or_insert(file);
        }
    }
    for ((layer, folder), first) in folders {
        for needed in context.rulebook.files_needed.iter().filter(|needed| needed.folders.is_match(folder)) {
            let path = format!("{folder}/{}", needed.file);
            if context.has_file(layer, &path) {
                continue;
            }
            let place = Place { file: first, span: Span::default() };
            let message =
                said!("the folder `{folder}` has no `{file}`, which it must have", folder, file = needed.file);
            let help = match context.other_case(layer, &path) {
                Some(other) => said!("`{other}` is there; capitals count", other),
                None => said!("put it at `{folder}/{file}`", folder = catalog.layer(layer).folder, file = path),
            };
            let finding = Finding::new(&CHECK, place, message).help(Some(help));
            out.push(finding.related(needed.place, "the rulebook demands this"));
        }
    }
    out
}
