//! What the value of a link means: which definitions it may name, and whether anything is looked for at all.

use std::borrow::Cow;

use rustc_hash::FxHashSet;

use super::{Address, Catalog, Harvest, LayerSet, Target, folder};
use crate::catalog::harvest::AMENDMENT;
use crate::document::{Document, FieldPath, Node, Shape, find};
use crate::rulebook::{FileSought, KindId, Mention, Reading, TypeId, fits};

/// What a link's value looks for.
pub(crate) struct Sought {
    /// Whether nothing need be there: the game knows the name itself, or it is not filled in.
    pub(crate) given: bool,
    /// The ids, without their decoration, each with its kind.
    pub(crate) ids: Vec<(KindId, String)>,
    /// The kinds that can be meant.
    pub(crate) kinds: Vec<KindId>,
    /// Whether `*` in the ids stands for anything.
    pub(crate) wildcards: bool,
    /// Whether the ids are looked for in folders, the nearest first.
    pub(super) scoped: bool,
}

impl Sought {
    /// The id as a person would look for it.
    pub(crate) fn word<'s>(&'s self, written: &'s str) -> &'s str {
        let id = if self.scoped { self.ids.last() } else { self.ids.first() };
        id.map_or(written, |(_, id)| id)
    }
}

/// The words of fields beside a link, or of its definition.
pub(crate) type Beside<'b> = &'b dyn Fn(&FieldPath) -> Option<String>;

/// Nothing is known of what stands beside.
pub(crate) const ALONE: Beside<'static> = &|_| None;

impl Catalog {
    /// What a value of a link looks for.
    pub(crate) fn sought(&self, word: &str, ty: TypeId, beside: Beside<'_>) -> Sought {
        let field = self.rulebook.field_type(ty);
        let kinds = self.rulebook.link_kinds(ty);
        let plain = |word: &str, kinds: &[KindId]| kinds.iter().map(|kind| (*kind, word.to_owned())).collect();
        let Some(link) = &field.link else {
            return Sought { given: false, ids: plain(word, &kinds), kinds, wildcards: false, scoped: false };
        };
        let given = |kinds| Sought { given: true, ids: Vec::new(), kinds, wildcards: false, scoped: false };
        let word = link.unsigned(word);
        if link.is_known(word) {
            return given(kinds);
        }
        let filled;
        let word = match link.fill.as_ref().map(|names| fill(word, names, beside)) {
            Some(None) => return given(kinds),
            Some(Some(text)) => {
                filled = text;
                filled.as_str()
            }
            None => word,
        };
        let told = link.kind_by.as_ref().and_then(|by| by.words.get(&beside(&by.field)?).copied());
        let kinds = told.map_or(kinds, |kind| vec![kind]);
        let mut ids = Vec::new();
        for form in &link.forms {
            let of_form: &[KindId] = form.kind.as_ref().map_or(&kinds, std::slice::from_ref);
            ids.extend(
                form.ids(word).into_iter().flat_map(|id| of_form.iter().map(move |kind| (*kind, id.to_owned()))),
            );
        }
        if link.forms.is_empty() {
            ids = plain(word, &kinds);
        }
        Sought { given: false, ids, kinds, wildcards: link.wildcards, scoped: false }
    }

    /// What a mention looks for, read in its place.
    pub(crate) fn sought_by(&self, document: &Document, harvest: &Harvest, mention: &Mention) -> Sought {
        self.in_folders(self.sought_plainly(document, harvest, mention), self.leads_from(document, harvest, mention))
    }

    /// The file, below its layer, from which a mention's words lead on: the one it stands in; for what an amendment
    /// states, that of the definition which it amends.
    pub(crate) fn leads_from<'h>(&'h self, document: &Document, harvest: &'h Harvest, mention: &Mention) -> &'h str {
        let amendment = match mention.from & AMENDMENT {
            0 => None,
            _ => harvest.amendments.get((mention.from & !AMENDMENT) as usize),
        };
        let amended = amendment.and_then(|amendment| match &amendment.target {
            Target::Of { id } => self.file_of(self.address(amendment.kind, id)?),
            Target::Which { .. } => None,
        });
        amended.unwrap_or(&self.file(document.file()).relative)
    }

    /// The file, below its layer, of the lowest definition with an address.
    pub(crate) fn file_of(&self, address: Address) -> Option<&str> {
        let (_, made) = self.stack(address).next()?;
        Some(&self.file(made.file).relative)
    }

    /// The word of a mention: a value, or the key of a map's entry.
    pub(crate) fn mentioned<'d>(&'d self, document: &'d Document, mention: &Mention) -> Cow<'d, str> {
        let node = document.node(mention.at);
        match self.rulebook.field_type(mention.wants).is_of_keys() {
            true => node.key().map_or("", |key| self.names.text(key)).into(),
            false => node.text(),
        }
    }

    /// Whether it depends on the folder which definitions are meant.
    pub(crate) fn is_scoped(&self, sought: &Sought) -> bool {
        self.rulebook.any_scoped(&sought.kinds)
    }

    /// What is looked for in a file's folder first and then in those around it, if its kinds are.
    pub(crate) fn in_folders(&self, mut sought: Sought, file: &str) -> Sought {
        if self.is_scoped(&sought) {
            sought.scoped = true;
            let plain = std::mem::take(&mut sought.ids);
            for (kind, id) in plain {
                let mut folder = file;
                while let Some((above, _)) = folder.rsplit_once('/').filter(|_| self.rulebook.kind(kind).scoped) {
                    sought.ids.push((kind, format!("{above}/{id}")));
                    folder = above;
                }
                sought.ids.push((kind, id));
            }
        }
        sought
    }

    fn sought_plainly(&self, document: &Document, harvest: &Harvest, mention: &Mention) -> Sought {
        let (node, word) = (document.node(mention.at), self.mentioned(document, mention));
        let definition = match mention.from & AMENDMENT {
            0 => harvest.definitions.get(mention.from as usize).map(|made| document.node(made.node)),
            _ => None,
        };
        self.sought(&word, mention.wants, &|path| self.beside(node, definition, path))
    }

    /// The word of a field beside a value, otherwise of the definition around it.
    pub(crate) fn beside(&self, node: Node<'_>, definition: Option<Node<'_>>, path: &FieldPath) -> Option<String> {
        let definition = definition?;
        let mut here = node;
        while here.id() != definition.id() {
            here = here.parent()?;
            if here.shape() == Shape::Table
                && let Some(found) = find(here, path, &self.names)
                && !matches!(found.shape(), Shape::Table | Shape::List)
            {
                return Some(found.text().into_owned());
            }
        }
        None
    }

    /// The word and the kinds of a link without decoration or folders: it names an id, and nothing else.
    pub(crate) fn plain_link<'d>(
        &self,
        document: &'d Document,
        mention: &Mention,
    ) -> Option<(Cow<'d, str>, &[KindId])> {
        let kinds = self.plain_kinds(mention.wants)?;
        Some((document.node(mention.at).text(), kinds))
    }

    /// The kinds of a link without decoration or folders.
    pub(crate) fn plain_kinds(&self, wants: TypeId) -> Option<&[KindId]> {
        let ty = self.rulebook.field_type(wants);
        let Reading::Link(kinds) = &ty.reading else { return None };
        let scoped = self.rulebook.any_scoped(kinds);
        let plain = ty.link.is_none() && !scoped && !ty.is_of_keys();
        plain.then_some(kinds.as_slice())
    }

    /// The files that fields of some layers' files name and that their definitions imply, as paths below a layer, in
    /// small letters.
    pub(crate) fn files_named(&self, layers: &LayerSet) -> FxHashSet<String> {
        let rulebook = &self.rulebook;
        let mut all = FxHashSet::default();
        // names with a `*` in them, and folders
        let mut several: Vec<String> = Vec::new();
        for (file, _) in self.files().filter(|(_, file)| file.layer.is_some_and(|layer| layers.contains(layer))) {
            let (Some(harvest), Some(document)) = (self.harvest_of(file), self.document(file)) else { continue };
            for mention in &harvest.mentions {
                let Reading::File(template) = &rulebook.field_type(mention.wants).reading else { continue };
                let beside = folder(self.leads_from(document, harvest, mention));
                for word in self.words_of(document, harvest, mention) {
                    for one in template.all() {
                        match rulebook.file_sought(mention.wants, one, &word, beside) {
                            FileSought::At(path) => drop(all.insert(path.to_lowercase())),
                            FileSought::Fitting(pattern) => several.push(pattern.to_lowercase()),
                        }
                    }
                }
            }
        }
        if !several.is_empty() {
            let known = self.files().map(|(_, file)| file.relative.to_lowercase());
            let fitting = known.filter(|path| several.iter().any(|pattern| fits(pattern, path)));
            all.extend(fitting.collect::<Vec<_>>());
        }
        for (_, made) in self.definitions().filter(|(_, made)| layers.contains(made.layer)) {
            let kind = rulebook.kind(made.kind);
            let Some(id) = made.id.filter(|_| !kind.files.is_empty()) else { continue };
            all.extend(kind.files.iter().map(|(_, file)| kind.filled(file, self.names.text(id)).to_lowercase()));
        }
        all
    }

    /// Whether a mention names definitions, not files, texts or words.
    pub(crate) fn is_link(&self, mention: &Mention) -> bool {
        matches!(self.rulebook.field_type(mention.wants).reading, Reading::Link(_))
    }

    /// As [`Catalog::words_of`] for keys of texts: a value of another form is a text itself, and names none.
    pub(crate) fn keys_named(&self, document: &Document, harvest: &Harvest, mention: &Mention) -> Vec<String> {
        let words = self.words_of(document, harvest, mention);
        let written = document.node(mention.at).text();
        let formed = self.rulebook.field_type(mention.wants).link.as_ref().filter(|link| !link.forms.is_empty());
        match formed {
            Some(link) if link.undecorated(link.unsigned(&written)).is_empty() => Vec::new(),
            _ => words,
        }
    }

    /// The names that a mention may mean, without their decoration; none where nothing is looked for.
    pub(crate) fn words_of(&self, document: &Document, harvest: &Harvest, mention: &Mention) -> Vec<String> {
        let (node, written) = (document.node(mention.at), self.mentioned(document, mention));
        let Some(link) = &self.rulebook.field_type(mention.wants).link else { return vec![written.into_owned()] };
        let word = link.unsigned(&written);
        let definition = harvest.definitions.get(mention.from as usize).map(|made| document.node(made.node));
        let filled = match &link.fill {
            Some(names) => fill(word, names, &|path| self.beside(node, definition, path)),
            None => Some(word.to_owned()),
        };
        let Some(word) = filled.filter(|word| !link.is_known(word)) else { return Vec::new() };
        let names: Vec<String> = link.undecorated(&word).into_iter().map(str::to_owned).collect();
        if names.is_empty() { vec![word] } else { names }
    }
}

/// A text with its `{field}`s filled in, some of them by other names; none where one is not there.
fn fill(text: &str, names: &[(String, FieldPath)], beside: Beside<'_>) -> Option<String> {
    let mut out = String::new();
    let mut rest = text;
    while let Some((before, behind)) = rest.split_once('{') {
        let (field, after) = behind.split_once('}')?;
        out.push_str(before);
        let path = match names.iter().find(|(name, _)| name == field) {
            Some((_, path)) => path.clone(),
            None => FieldPath::parse(field).ok()?,
        };
        out.push_str(&beside(&path)?);
        rest = after;
    }
    Some(out + rest)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_filled_in_from_what_stands_beside() {
        let beside = |path: &FieldPath| (path.to_string() == "size").then(|| "big".to_owned());
        assert_eq!(fill("eel_{size}", &[], &beside).as_deref(), Some("eel_big"));
        assert_eq!(fill("eel", &[], &beside).as_deref(), Some("eel"));
        assert_eq!(fill("eel_{age}", &[], &beside), None);
        let names = [("age".to_owned(), FieldPath::key("size"))];
        assert_eq!(fill("eel_{age}", &names, &beside).as_deref(), Some("eel_big"));
        assert_eq!(fill("eel_{size", &[], &beside), None);
    }
}
