//! What a mod changes in the texts that players see.

use std::collections::BTreeSet;

use crate::catalog::LayerId;
use crate::effective::View;
use crate::source::Place;

/// A text that is another one, or one in a language in which nobody said it.
#[derive(Clone, Debug)]
pub struct TextChange {
    /// Its key.
    pub key: String,
    /// The language.
    pub language: String,
    /// What was said; nothing where nobody did.
    pub before: Option<String>,
    /// What is said; nothing where nobody does any more.
    pub after: Option<String>,
    /// Where it is said.
    pub place: Option<Place>,
}

/// The texts of `before` that `after` says otherwise, no longer, or in more languages, by language and key. Texts
/// that only belong to what is new are none of them. Only those are looked at that stand in files of these layers.
pub(super) fn texts(before: &View<'_>, after: &View<'_>, layers: &[LayerId]) -> Vec<TextChange> {
    let mut touched: BTreeSet<(&str, &str)> = BTreeSet::new();
    for view in [before, after] {
        let of = |file| view.catalog.file(file).layer.is_some_and(|layer| layers.contains(&layer));
        touched.extend(view.all_texts().filter(|(_, _, at)| of(at.file)).map(|(key, language, _)| (language, key)));
    }
    let said = |view: &View<'_>, key: &str, language: &str| {
        let text = view.text(key, language).map(|at| view.catalog.node(at));
        text.map(|node| (node.text().into_owned(), node.place())).filter(|(text, _)| !text.is_empty())
    };
    let mut out = Vec::new();
    for (language, key) in touched {
        let (old, new) = (said(before, key, language), said(after, key, language));
        let known = old.is_some() || before.texts(key).next().is_some();
        if !known || old.as_ref().map(|(text, _)| text) == new.as_ref().map(|(text, _)| text) {
            continue;
        }
        let (before, after) = (old.map(|(text, _)| text), new.as_ref().map(|(text, _)| text.clone()));
        let place = new.map(|(_, place)| place);
        out.push(TextChange { key: key.to_owned(), language: language.to_owned(), before, after, place });
    }
    out
}
