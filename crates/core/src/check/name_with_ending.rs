//! `name-with-ending`.

use super::context::Context;
use super::finding::Finding;
use super::mend::Mend;
use super::registry::Check;
use crate::rulebook::{ANY_FOLDER, Reading, Severity};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "name-with-ending",
    severity: Severity::Error,
    since: "0.1",
    summary: "an ending or folder in a name that stands without",
    finds: "An id or the name of a file with an ending or a folder, where the game adds these itself.",
    matters: "The game looks for a file with two endings, or for an id that nothing has.",
    example: "\"icon\": \"art/icons/eel.png\"      # the game makes this of \"eel\"",
    mend: "Take the ending and the folder out.",
    accept: "Never.",
    run: |context, findings| {
        for astray in context.astray.iter().filter(|astray| astray.gone.is_none()) {
            let word = astray.word(context.catalog);
            let Reading::Link(kinds) = &context.rulebook.field_type(astray.mention.wants).reading else { continue };
            let there = |bare: &str| context.view.named(bare, kinds).is_some();
            if let Some(bare) = bare(&word, there) {
                let (about, path) = context.whose(astray.file, astray.mention.from, astray.node);
                let message = said!("`{word}` is no id; ids stand without folder and ending", word);
                let finding = Finding::new(&CHECK, astray.place(context), message).about(about).path(Some(path));
                let mend = astray.written(context, &word, &bare);
                findings.push(finding.help(Some(said!("write `{nearest}`", nearest = bare))).mend(mend));
            }
        }
        for lacking in context.lacking_files() {
            if let Some(bare) = named_file(context, &lacking.word, &lacking) {
                let message =
                    said!("`{word}` names the file with folder or ending, which the game adds", word = lacking.word);
                let finding = Finding::new(&CHECK, lacking.place, message);
                let finding = finding.about(lacking.about).path(Some(lacking.path.clone()));
                let file = lacking.template.fill(&bare);
                let help = match file.contains(ANY_FOLDER) {
                    true => said!("write `{nearest}`", nearest = bare),
                    false => said!("write `{nearest}`; the file is `{file}`", nearest = bare, file),
                };
                let mend = Mend::word(lacking.place, &lacking.word, &bare).filter(|_| !lacking.of_key);
                findings.push(finding.help(Some(help)).mend(mend));
            }
        }
    },
};

/// A name without its ending, its folders, or both, if that is known.
pub(super) fn bare(word: &str, there: impl Fn(&str) -> bool) -> Option<String> {
    let name = word.rsplit(['/', '\\']).next().unwrap_or(word);
    let stem = |word: &str| word.rsplit_once('.').map_or(word, |(stem, _)| stem).to_owned();
    [name.to_owned(), stem(word), stem(name)].into_iter().find(|bare| bare != word && !bare.is_empty() && there(bare))
}

/// As [`bare`], for the name of a file.
pub(super) fn named_file(context: &Context<'_>, word: &str, lacking: &super::files::LackingFile<'_>) -> Option<String> {
    bare(word, |bare| context.finds(lacking.layer, &lacking.template.fill(bare)))
}
