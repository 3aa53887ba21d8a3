//! `reader-refuses`.

use super::finding::Finding;
use super::registry::Check;
use crate::document::{Format, Lenient};
use crate::rulebook::Severity;
use crate::said::said;
use crate::source::Place;

pub(super) static CHECK: Check = Check {
    code: "reader-refuses",
    severity: Severity::Error,
    since: "0.1",
    summary: "notation that the game’s own reader refuses",
    finds: "A comment or a comma behind the last entry in a JSON file, where the game’s reader takes neither.",
    matters: "The game reads none of the file, though Cognomen and many editors do.",
    example: "{ \"value\": 12, }      # the last comma is one too many",
    mend: "Take it out.",
    accept: "If the game does read it, the rulebook should say so under `[reader]`.",
    run: |context, findings| {
        let reader = &context.rulebook.reader;
        let refused = |lenient: &Lenient| match lenient {
            Lenient::Comment => reader.comments == Some(false),
            Lenient::TrailingComma => reader.trailing_commas == Some(false),
        };
        for (file, _, document) in context.harvests_once() {
            // amendments are for Cognomen only; of several in one file the first says it all
            let own = matches!(context.catalog.file(file).role, crate::catalog::FileRole::Amendments);
            let marked = document.text().starts_with('\u{feff}') && !own;
            if marked && reader.refuses_mark(document.format() == Format::Json) {
                let message =
                    "the game does not read the byte order mark with which this file begins, and so none of it";
                let help = "save it as UTF-8 without a byte order mark".to_owned();
                let place = Place { file, span: crate::source::Span { start: 0, end: 3 } };
                findings.push(Finding::new(&CHECK, place, message).help(Some(help)));
            }
            if document.format() != Format::Json || own {
                continue;
            }
            for sort in [Lenient::Comment, Lenient::TrailingComma].iter().filter(|sort| refused(sort)) {
                let mut all = document.lenient().iter().filter(|(_, lenient)| lenient == sort);
                let Some((span, _)) = all.next() else { continue };
                let message = match sort {
                    Lenient::Comment => "the game reads no comments, and so none of this file",
                    Lenient::TrailingComma => "the game takes no comma behind the last entry, and so none of this file",
                };
                let more = all.count();
                let help = (more > 0).then(|| said!("there are {more} more in this file", more));
                findings.push(Finding::new(&CHECK, Place { file, span: *span }, message).help(help));
            }
        }
    },
};
