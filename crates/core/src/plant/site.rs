//! Where faults can be planted: the values of a layer's definitions with their types, and the ways to change them.

use crate::catalog::{Address, Catalog, Definition, FileRole, LayerId, Target};
use crate::dice::Dice;
use crate::document::{Document, Draft, Edit, Format, Node, Shape, edit};
use crate::effective::World;
use crate::rulebook::{FieldType, Kind, Reading, TypeId};
use crate::source::{FileId, Lines, Place, Source, sheet_in};

/// A layer in which faults are planted.
pub(crate) struct Ground<'w> {
    pub(super) source: &'w dyn Source,
    pub(super) world: &'w World,
    pub(super) catalog: &'w Catalog,
    pub(super) layer: LayerId,
    pub(super) id: String,
    pub(super) sites: Vec<Site<'w>>,
}

/// A value, or a key, of a definition, and its type.
#[derive(Clone, Copy)]
pub(super) struct Site<'w> {
    pub(super) node: Node<'w>,
    pub(super) ty: &'w FieldType,
    /// Whether it is the key, not the value.
    pub(super) of_key: bool,
    pub(super) definition: &'w Definition,
}

/// A fault that was made.
pub(crate) struct Made {
    pub(crate) files: Vec<(String, Vec<u8>)>,
    pub(crate) gone: Vec<String>,
    /// The file and the lines at which it is to be told.
    pub(crate) at: (String, u32, u32),
    /// What else may be told at that place.
    pub(crate) may_follow: &'static [&'static str],
}

impl<'w> Ground<'w> {
    /// One of some layers, chosen by chance.
    pub(super) fn new(
        source: &'w dyn Source,
        world: &'w World,
        layers: &[LayerId],
        dice: &mut Dice,
    ) -> Option<Ground<'w>> {
        let catalog = &world.catalog;
        let layer = *one(layers, dice)?;
        let sites = of_layer(world, layer);
        Some(Ground { source, world, catalog, layer, id: catalog.layer(layer).id.clone(), sites })
    }

    /// Some sites that fit, in an order of chance: the first that can be changed is.
    pub(super) fn at(
        &self,
        dice: &mut Dice,
        fits: impl Fn(&Site<'w>) -> bool,
        mut change: impl FnMut(&Site<'w>, &mut Dice) -> Option<Made>,
    ) -> Option<Made> {
        let fitting: Vec<Site<'w>> = self.sites.iter().filter(|site| fits(site)).copied().collect();
        (0..6).find_map(|_| change(one(&fitting, dice)?, dice))
    }

    /// The line at which something stands.
    pub(super) fn line(&self, place: Place) -> u32 {
        Lines::new(self.catalog.text(place.file)).position(place.span.start).line
    }

    pub(super) fn path(&self, file: FileId) -> String {
        self.catalog.file(file).path.clone()
    }

    /// A fault in one file, told on these lines.
    pub(super) fn made(&self, file: FileId, text: String, lines: (u32, u32)) -> Option<Made> {
        (text != **self.catalog.document(file)?.text()).then(|| Made {
            files: vec![(self.path(file), text.into_bytes())],
            gone: Vec::new(),
            at: (self.path(file), lines.0, lines.1),
            may_follow: &[],
        })
    }

    /// Another word where one stands, as it is written there.
    pub(super) fn rewritten(&self, site: &Site<'_>, word: &str, to: &str) -> Option<Made> {
        let document = site.node.document();
        let span = if site.of_key { site.node.key_span() } else { site.node.span() };
        let within = span.of(document.text());
        let mut found = within.match_indices(word);
        let (at, _) = found.next().filter(|_| !word.is_empty())?;
        if found.next().is_some() {
            return None;
        }
        let start = span.start as usize + at;
        let mut text = document.text().to_string();
        text.replace_range(start..start + word.len(), to);
        let line = self.line(Place { file: document.file(), span });
        self.made(document.file(), text, (line, line))
    }

    /// A change of the document, told at the line of a node.
    pub(super) fn edited(&self, node: Node<'_>, change: &Edit) -> Option<Made> {
        let document = node.document();
        let text = edit(document, std::slice::from_ref(change), &self.catalog.names).ok()?;
        // a value in blocks begins on the line below its key
        let line = self.line(node.place()).min(self.key_line(node));
        // what had a header may be a line further up now
        let same = document.text().lines().zip(text.lines()).take_while(|(a, b)| a == b).count();
        self.made(document.file(), text, (line.min(crate::source::to_u32(same) + 1), line + 1))
    }

    pub(super) fn key_line(&self, node: Node<'_>) -> u32 {
        self.line(Place { file: node.document().file(), span: node.key_span() })
    }

    /// Another value.
    pub(super) fn set(&self, site: &Site<'_>, to: Draft) -> Option<Made> {
        let document = site.node.document();
        if site.node.parent().is_some_and(|parent| parent.span() == site.node.span()) {
            return None;
        }
        let at = document.path_to(site.node.id(), &self.catalog.names);
        let made = self.edited(site.node, &Edit::Set { at, to })?;
        // what is read as a part of something else is written with it
        let before = document.text().as_bytes().get(..site.node.span().start as usize)?;
        let is_own = made.files.iter().all(|(_, bytes)| bytes.starts_with(before.trim_ascii_end()));
        is_own.then_some(made)
    }

    /// An entry more at the end of a list; told within the list.
    pub(super) fn with_entry(&self, site: &Site<'_>, value: Draft) -> Option<Made> {
        let into = site.node.document().path_to(site.node.id(), &self.catalog.names);
        let last = site.node.children().last()?;
        let mut made = self.edited(last, &Edit::Insert { into, before: None, key: None, value })?;
        made.at.1 = self.line(site.node.place());
        made.at.2 += 2;
        Some(made)
    }

    /// A value goes; told where its definition is named.
    pub(super) fn without(&self, site: &Site<'_>) -> Option<Made> {
        let names = &self.catalog.names;
        let at = site.node.document().path_to(site.node.id(), names);
        let mut made = self.edited(site.node, &Edit::Remove { at })?;
        let first = self.line(self.catalog.definition_place(site.definition.at()));
        made.at = (self.path(site.definition.file), first.saturating_sub(1).max(1), self.line(site.node.place()));
        Some(made)
    }

    /// All that is named somewhere: targets of references, parents, members.
    pub(super) fn is_named(&self, address: Address) -> bool {
        let view = self.world.view();
        self.catalog.files().any(|(file, _)| {
            let (Some(harvest), Some(document)) = (self.catalog.harvest_of(file), self.catalog.document(file)) else {
                return false;
            };
            harvest.mentions.iter().any(|mention| view.targets_of(document, harvest, mention).contains(&address))
        }) || self.is_parent(address)
            || self.catalog.layers().any(|(layer, _)| {
                let mut all = self.catalog.amendments_of(layer);
                all.any(|(_, amendment)| match &amendment.target {
                    Target::Of { id } => self.catalog.address(amendment.kind, id) == Some(address),
                    Target::Which { .. } => self.world.view().kind_of(address) == Some(amendment.kind),
                })
            })
    }

    /// Whether something inherits from it.
    pub(super) fn is_parent(&self, address: Address) -> bool {
        let view = self.world.view();
        self.catalog.definitions().any(|(id, _)| view.parents_at(id).contains(&address))
    }

    /// The layer's files of one role.
    pub(super) fn files(&self, fits: impl Fn(&FileRole) -> bool) -> Vec<(FileId, &'w Document)> {
        let own = self.catalog.files().filter(|(_, file)| file.layer == Some(self.layer) && fits(&file.role));
        let own = own.filter(|(_, file)| sheet_in(&file.path).is_none());
        own.filter_map(|(id, _)| Some((id, &**self.catalog.document(id)?))).collect()
    }
}

impl Site<'_> {
    /// What is written: the value, or the key.
    pub(super) fn word(&self) -> String {
        if self.of_key { self.node.key_text() } else { self.node.text().into_owned() }
    }

    /// Whether what is written in it leads to something that has to be led to.
    pub(super) fn leads(&self, ground: &Ground<'_>) -> bool {
        let rulebook = &ground.catalog.rulebook;
        let (file, span) = (self.definition.file, self.node.span());
        let (Some(harvest), Some(document)) = (ground.catalog.harvest_of(file), ground.catalog.document(file)) else {
            return false;
        };
        let within = harvest.mentions.iter().filter(|mention| span.contains(document.node(mention.at).span()));
        let mut kinds = within.flat_map(|mention| rulebook.link_kinds(mention.wants));
        kinds.any(|kind| !rulebook.kind(kind).led_to.is_empty() || rulebook.kind(kind).is_group())
    }

    /// Whether the format tells numbers from texts, and nothing else is said of how it is read.
    pub(super) fn is_typed(&self) -> bool {
        let format = self.node.document().format();
        matches!(format, Format::Json | Format::Yaml | Format::Toml) && self.ty.written.is_none() && !self.of_key
    }

    pub(super) fn is_number(&self) -> bool {
        let number = matches!(self.ty.reading, Reading::Integer | Reading::Number);
        number && !self.of_key && self.ty.written.is_none() && crate::document::float(&self.node.text()).is_some()
    }
}

/// All values of a layer's definitions.
pub(super) fn of_layer(world: &World, layer: LayerId) -> Vec<Site<'_>> {
    let catalog = &world.catalog;
    let mut sites = Vec::new();
    for (_, made) in catalog.definitions_of(layer) {
        let is_top = |at| world.view().top(at).is_some_and(|(_, top)| top.file == made.file);
        let top = catalog.address_of(made).is_none_or(is_top);
        let document = catalog.document(made.file).filter(|_| top && !made.removes);
        // scripts and workbooks are other programs' files
        let plain = document.filter(|document| document.format() != Format::Script && !document.text().contains(" &"));
        if plain.is_some() && sheet_in(&catalog.file(made.file).path).is_none() {
            let root = catalog.rulebook.kind(made.kind).root;
            gather(catalog, made, catalog.node(made.at()), root, &mut sites);
        }
    }
    sites
}

/// All values of a definition with their types.
fn gather<'w>(catalog: &'w Catalog, made: &'w Definition, node: Node<'w>, ty: TypeId, out: &mut Vec<Site<'w>>) {
    let rulebook = &catalog.rulebook;
    let kind: &Kind = rulebook.kind(made.kind);
    for child in node.children() {
        if child.shape() == Shape::Broken {
            continue;
        }
        let key = child.key();
        let types: Vec<TypeId> = match (&rulebook.field_type(ty).reading, key) {
            (Reading::Table(table), Some(key)) => table.get(key).into_iter().collect(),
            (Reading::Map { value, .. }, Some(_)) => vec![*value],
            (Reading::Choose { .. } | Reading::Either { .. }, Some(key)) => {
                rulebook.tables_of(ty).filter_map(|table| table.get(key)).collect()
            }
            (Reading::List(list), None) => vec![list.entry],
            (Reading::Tuple { places, .. }, None) => {
                let nth = node.children().position(|other| other.id() == child.id());
                nth.and_then(|nth| places.get(nth).copied()).into_iter().collect()
            }
            _ => Vec::new(),
        };
        // a record of another name is what somebody else's reference needs
        if kind.renames.is_some() {
            continue;
        }
        // what names or tells the definition is left alone
        let own =
            key.is_some_and(|key| node.id() == made.node && rulebook.tells_itself(made.kind, catalog.names.text(key)));
        let alias = key.is_some_and(|key| {
            let path = crate::document::FieldPath::key(catalog.names.text(key));
            node.id() == made.node && kind.aliases.contains(&path)
        });
        if own || alias || kind.operations.is_some() && types.is_empty() {
            continue;
        }
        if let Reading::Map { key: Some(key), .. } = &rulebook.field_type(ty).reading {
            out.push(Site { node: child, ty: rulebook.field_type(*key), of_key: true, definition: made });
        }
        let [ty] = types.as_slice() else { continue };
        out.push(Site { node: child, ty: rulebook.field_type(*ty), of_key: false, definition: made });
        gather(catalog, made, child, *ty, out);
    }
}

/// One of several, by chance.
pub(super) fn one<'t, T>(all: &'t [T], dice: &mut Dice) -> Option<&'t T> {
    (!all.is_empty()).then(|| all.get(usize::try_from(dice.roll(all.len() as u64)).unwrap_or(0))).flatten()
}

/// A slip of the pen in a word.
pub(super) fn misspelt(word: &str, dice: &mut Dice) -> Option<String> {
    let letters: Vec<char> = word.chars().collect();
    let inner: Vec<usize> =
        (1..letters.len()).filter(|at| letters.get(*at).is_some_and(char::is_ascii_alphabetic)).collect();
    let at = *one(&inner, dice)?;
    let mut out = letters.clone();
    match dice.roll(3) {
        0 => out.insert(at, *letters.get(at)?),
        1 if letters.len() > 3 => drop(out.remove(at)),
        _ => {
            let other = if *letters.get(at)? == 'q' { 'x' } else { 'q' };
            *out.get_mut(at)? = other;
        }
    }
    let out: String = out.into_iter().collect();
    (out != word).then_some(out)
}

/// The same word with one letter the other way about, capital or small.
pub(super) fn other_case(word: &str) -> Option<String> {
    let at = word.char_indices().find(|(_, letter)| letter.is_ascii_alphabetic())?.0;
    let mut out = word.to_owned();
    let letter = word.get(at..=at)?;
    let other =
        if letter.to_ascii_uppercase() == letter { letter.to_ascii_lowercase() } else { letter.to_ascii_uppercase() };
    out.replace_range(at..=at, &other);
    Some(out)
}
