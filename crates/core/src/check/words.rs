//! What references name, looked up once for all checks.

use std::borrow::Cow;
use std::ops::Range;

use rayon::prelude::*;

use super::reach::MentionAt;
use crate::catalog::{Catalog, Harvest};
use crate::document::Document;
use crate::names::Sym;
use crate::rulebook::{Decoration, FieldType, KindId, Reading, TypeId};
use crate::source::FileId;

/// What a reference names: the id, and the form in which it is written where that decides of which kind it is.
#[derive(Clone, Copy, Debug)]
pub(super) struct Word {
    /// `Sym::NONE` where nothing is called so, and where reading the reference takes more than looking its word up.
    pub(super) id: Sym,
    /// The form by its number, [`ANY`] where it decides nothing.
    form: u8,
}

const ANY: u8 = u8::MAX;

impl Word {
    const NONE: Word = Word { id: Sym::NONE, form: ANY };

    /// The kinds of which it is, of a link to some kinds.
    pub(super) fn kinds<'r>(&self, ty: &'r FieldType, kinds: &'r [KindId]) -> &'r [KindId] {
        let form = ty.link.as_ref().and_then(|link| link.forms.get(usize::from(self.form)));
        form.and_then(|form| form.kind.as_ref()).map_or(kinds, std::slice::from_ref)
    }
}

/// The words of all references, by file and the reference's number in it.
#[derive(Debug, Default)]
pub(crate) struct Words {
    files: Vec<OfFile>,
}

#[derive(Debug, Default)]
struct OfFile {
    ids: Vec<Sym>,
    /// The form of each; empty where none decides anything.
    forms: Vec<u8>,
}

/// How a type's references are read.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Form {
    /// The word is the id.
    Plain,
    /// The id stands in the word, and nothing beside it is needed to know it.
    Around,
    /// Otherwise, or it is no reference.
    Other,
}

impl Words {
    pub(super) fn new(catalog: &Catalog) -> Words {
        let files: Vec<FileId> = catalog.files().map(|(file, _)| file).collect();
        let types = 0..crate::source::to_u32(catalog.rulebook.types.len());
        let forms: Vec<Form> = types.map(|ty| form(catalog, TypeId(ty))).collect();
        let of_file = |file: &FileId| match (catalog.harvest_of(*file), catalog.document(*file)) {
            (Some(harvest), Some(document)) => of_file(catalog, &forms, harvest, document),
            _ => OfFile::default(),
        };
        Words { files: files.par_iter().map(of_file).collect() }
    }

    /// What a reference names.
    pub(super) fn of(&self, (file, nth): MentionAt) -> Word {
        let file = self.files.get(file.0 as usize);
        let found = file.and_then(|file| Some((file, *file.ids.get(nth as usize)?)));
        found.map_or(Word::NONE, |(file, id)| Word { id, form: file.forms.get(nth as usize).copied().unwrap_or(ANY) })
    }
}

fn form(catalog: &Catalog, ty: TypeId) -> Form {
    let ty = catalog.rulebook.field_type(ty);
    let Reading::Link(kinds) = &ty.reading else { return Form::Other };
    let apart = |link: &Decoration| link.kind_by.is_some() || link.fill.is_some() || link.wildcards;
    match &ty.link {
        _ if catalog.rulebook.any_scoped(kinds) => Form::Other,
        None => Form::Plain,
        Some(link) if apart(link) || link.forms.len() >= ANY.into() => Form::Other,
        Some(_) => Form::Around,
    }
}

/// A part of a reference's text.
struct Part<'d> {
    text: Cow<'d, str>,
    span: Range<usize>,
}

impl AsRef<str> for Part<'_> {
    fn as_ref(&self) -> &str {
        self.text.get(self.span.clone()).unwrap_or_default()
    }
}

fn of_file<'d>(catalog: &'d Catalog, forms: &[Form], harvest: &Harvest, document: &'d Document) -> OfFile {
    // what each may name, those of one reference behind each other
    let mut parts: Vec<Part<'d>> = Vec::with_capacity(harvest.mentions.len());
    let mut whose: Vec<(u32, u8)> = Vec::with_capacity(harvest.mentions.len());
    for (mention, nth) in harvest.mentions.iter().zip(0u32..) {
        let mut put = |text: &Cow<'d, str>, span, form| {
            parts.push(Part { text: text.clone(), span });
            whose.push((nth, form));
        };
        let form = forms.get(mention.wants.0 as usize).copied().unwrap_or(Form::Other);
        if form == Form::Other {
            continue;
        }
        let text = catalog.mentioned(document, mention);
        match &catalog.rulebook.field_type(mention.wants).link {
            Some(link) if form == Form::Around => may_stand_in(&text, link, &mut |span, form| put(&text, span, form)),
            _ => put(&text, 0..text.len(), ANY),
        }
    }
    let found = catalog.names.reader().get_all(&parts);
    let mut out = OfFile { ids: vec![Sym::NONE; harvest.mentions.len()], forms: Vec::new() };
    let mut several: Vec<u32> = Vec::new();
    for ((nth, form), id) in whose.into_iter().zip(found).filter(|(_, id)| *id != Sym::NONE) {
        let Some(at) = out.ids.get_mut(nth as usize) else { continue };
        if *at != Sym::NONE {
            several.push(nth);
        }
        *at = id;
        if form != ANY {
            out.forms.resize(harvest.mentions.len(), ANY);
            out.forms.get_mut(nth as usize).into_iter().for_each(|at| *at = form);
        }
    }
    // what can be read in two ways is read where it is needed
    for nth in several {
        out.ids.get_mut(nth as usize).into_iter().for_each(|at| *at = Sym::NONE);
    }
    out
}

/// Where in a decorated link the ids stand that it may name, each with the form if that decides the kind.
fn may_stand_in(written: &str, link: &Decoration, put: &mut dyn FnMut(Range<usize>, u8)) {
    let word = link.unsigned(written);
    if link.is_known(word) {
        return;
    }
    let sign = written.len() - word.len();
    if link.forms.is_empty() {
        put(sign..written.len(), ANY);
    }
    for (form, nth) in link.forms.iter().zip(0u8..) {
        let nth = if form.kind.is_some() { nth } else { ANY };
        form.spans(word).into_iter().for_each(|span| put(span.start + sign..span.end + sign, nth));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalog::Address;
    use crate::source::MemorySource;

    const RULEBOOK: &str = r##"
rulebook = 1
[[where]]
files = "all.json"
cut = "eels{}"
kind = "eel"
[[where]]
files = "all.json"
cut = "herbs{}"
kind = "herb"
[kinds.eel.fields]
"eats" = { optional = true }
"eats[]" = { link = ["eel", "herb"], form = { eel = "{id}", herb = "#{id}" }, known = ["nothing"], signs = ["-"] }
"any" = { optional = true }
"any[]" = { link = ["eel", "herb"], form = ["{id}", "{id}@*"] }
"plain" = { link = "herb", optional = true }
[kinds.herb]
open = true
"##;

    #[test]
    fn a_word_is_what_the_reference_is_read_as() {
        let source = MemorySource::new([
            ("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\n"),
            ("r.toml", RULEBOOK),
            (
                "base/all.json",
                r##"{ "eels": {
  "glass": { "eats": ["glass", "#mint", "-#mint", "mint", "nothing", "gone"], "any": ["mint@2", "glass", "a@b"], "plain": "mint" },
  "a@b": {}, "a": {}, "#mint": {} }, "herbs": { "mint": {}, "a": {} } }"##,
            ),
        ]);
        let catalog = Catalog::load(&source).expect("a workspace");
        let words = Words::new(&catalog);
        let mut seen = 0;
        for (file, _) in catalog.files() {
            let (Some(harvest), Some(document)) = (catalog.harvest_of(file), catalog.document(file)) else { continue };
            for (mention, nth) in harvest.mentions.iter().zip(0u32..) {
                let ty = catalog.rulebook.field_type(mention.wants);
                let Reading::Link(kinds) = &ty.reading else { continue };
                let word = words.of((file, nth));
                let sought = catalog.sought_by(document, harvest, mention);
                let meant: Vec<Address> =
                    sought.ids.iter().filter_map(|(kind, id)| catalog.address(*kind, id)).collect();
                let space = |kind: &KindId| catalog.rulebook.kind(*kind).space;
                let found: Vec<Address> =
                    word.kinds(ty, kinds).iter().map(|kind| Address { space: space(kind), id: word.id }).collect();
                match word.id == Sym::NONE {
                    // nothing is called so, or it can be read in two ways
                    true => assert!(meant.is_empty() || meant.len() > 1, "{:?}", document.node(mention.at).text()),
                    false => assert_eq!(found, meant, "{:?}", document.node(mention.at).text()),
                }
                seen += usize::from(word.id != Sym::NONE);
            }
        }
        assert!(seen >= 5, "{seen}");
    }
}
