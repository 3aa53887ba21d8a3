//! `file-case`.

use std::collections::BTreeMap;

use super::context::Context;
use super::finding::Finding;
use super::mend::Mend;
use super::registry::Check;
use crate::catalog::Catalog;
use crate::rulebook::Severity;
use crate::said::said;
use crate::source::{FileId, Place, Span};

pub(super) static CHECK: Check = Check {
    code: "file-case",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a file that is there with other capital letters",
    finds: "A field or an id that stands for a file which is there, though with other capital and small letters.",
    matters: "It works on a system that does not tell them apart, and is missing on every other.",
    example: "\"icon\": \"Eel-Trap\"      # art/icons/eel-trap.png",
    mend: "Write it as the file is written, or rename the file.",
    accept: "Never; it breaks for some of your players.",
    run: |context, findings| {
        for lacking in context.lacking_files() {
            let wanted = lacking.wanted.clone();
            if let Some(there) = context.other_case(lacking.layer, &wanted) {
                let message = said!(
                    "there is no file `{file}`, but `{there}`: capital and small letters count",
                    file = wanted,
                    there
                );
                let name = there.strip_prefix(&lacking.template.before);
                let name = name.and_then(|name| name.strip_suffix(&lacking.template.after));
                let help = name.map(|name| said!("write `{nearest}`", nearest = name));
                let name = name.filter(|_| !lacking.of_key);
                let mend = name.and_then(|name| Mend::word(lacking.place, &lacking.word, name));
                let finding = Finding::new(&CHECK, lacking.place, message).help(help).mend(mend);
                findings.push(finding.about(lacking.about).path(Some(lacking.path.clone())));
            }
        }
        for implied in context.implied_files() {
            if let Some(there) = context.other_case(implied.layer, &implied.path) {
                let message = said!(
                    "`{definition}` stands for the file `{file}`, but it is written `{there}`",
                    definition = context.show(implied.address),
                    file = implied.path,
                    there
                );
                let help = said!("rename the file to `{file}`", file = implied.path);
                let path = format!("{}/{there}", context.catalog.layer(implied.layer).folder);
                let file = context.catalog.file_named(&path);
                let mend = file.map(|file| Mend::Move { file, to: implied.path.clone() });
                let finding = Finding::new(&CHECK, implied.place, message).about(Some(implied.address));
                findings.push(finding.help(Some(help)).mend(mend));
            }
        }
        twins(context, findings);
    },
};

/// Files of which some systems keep only one, since their names differ only in capital letters.
fn twins(context: &Context<'_>, findings: &mut Vec<Finding>) {
    let catalog = context.catalog;
    let all = context.shared.file_twins.get_or_init(|| file_twins(catalog));
    for twins in all {
        let seen: Vec<FileId> = twins.iter().copied().filter(|file| context.view.has(*file)).collect();
        let own = seen.iter().filter(|file| context.is_own(**file) && !context.is_base(context.layer_of(**file)));
        for file in own {
            let path = &catalog.file(*file).relative;
            let ending = |path: &str| path.rsplit_once('.').map(|(_, ending)| ending.to_owned());
            // an ending in capital letters is told where nothing reads the file
            let lower = seen.iter().filter(|other| {
                let other_path = &catalog.file(**other).relative;
                *other < file && other_path != path && ending(other_path) == ending(path)
            });
            let Some(other) = lower.map(|other| catalog.file(*other)).next() else { continue };
            let message =
                said!("`{file}` and `{other}` differ only in capital letters", file = path, other = other.path);
            let help = "where capital letters do not count, one takes the other's place: give it another name";
            let place = Place { file: *file, span: Span::default() };
            findings.push(Finding::new(&CHECK, place, message).help(Some(help)));
        }
    }
}

/// The files whose paths below their layers differ only in capital letters, in whatever layers.
pub(super) fn file_twins(catalog: &Catalog) -> Vec<Vec<FileId>> {
    let mut by: BTreeMap<String, Vec<FileId>> = BTreeMap::new();
    for (id, file) in catalog.files().filter(|(_, file)| file.layer.is_some()) {
        by.entry(file.relative.to_lowercase()).or_default().push(id);
    }
    let differ = |all: &Vec<FileId>| {
        let mut paths = all.iter().map(|file| &catalog.file(*file).relative);
        let first = paths.next();
        paths.any(|path| Some(path) != first)
    };
    by.into_values().filter(differ).collect()
}
