//! What of the data a rulebook describes, and what is left, by size: for the author of a rulebook.

use std::collections::BTreeMap;

use rustc_hash::{FxHashMap, FxHashSet};

use crate::catalog::{Catalog, FileRole, is_data};
use crate::document::{Format, Node, Shape};
use crate::rulebook::{KindId, Reading, TypeId, tag_on};
use crate::source::{Place, Span};

/// Something that no notion reads, or that reads nothing.
#[derive(Clone, Debug)]
pub struct Gap {
    /// What it is: a path pattern, a folder with an ending, a pattern of the rulebook.
    pub what: String,
    /// How many values or files.
    pub count: usize,
    /// One of them.
    pub example: Option<Place>,
}

/// What is described of one kind.
#[derive(Clone, Debug)]
pub struct KindCoverage {
    /// The kind.
    pub kind: KindId,
    /// Its definitions, in all layers.
    pub definitions: usize,
    /// Values with a type.
    pub described: usize,
    /// Values without one, by path; the most frequent first.
    pub left: Vec<Gap>,
    /// Fields that nothing states.
    pub unused: Vec<String>,
    /// Fields with links; those of which most lead nowhere first.
    pub links: Vec<LinkCoverage>,
}

/// Where the links of one field lead.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct LinkCoverage {
    /// The field's pattern.
    pub field: String,
    /// Those that lead to a definition.
    pub resolved: usize,
    /// Those that the game itself knows, or in which something is filled in that is not there.
    pub known: usize,
    /// Those that lead nowhere.
    pub lacking: usize,
    /// One that leads nowhere.
    pub example: Option<Place>,
}

/// What of all data is described.
#[derive(Clone, Debug, Default)]
pub struct Coverage {
    /// Kind by kind, in the order of the rulebook.
    pub kinds: Vec<KindCoverage>,
    /// Files that nothing reads, by folder and ending; the most frequent first.
    pub files: Vec<Gap>,
    /// Tags of YAML in definitions that nothing reads, with how often each stands; the most frequent first.
    pub tags: Vec<Gap>,
    /// Places of the rulebook whose patterns match no file, or that find no definition.
    pub idle: Vec<(Place, String)>,
}

impl Coverage {
    /// Values that are described, and all values.
    pub fn values(&self) -> (usize, usize) {
        let described: usize = self.kinds.iter().map(|kind| kind.described).sum();
        let left: usize = self.kinds.iter().flat_map(|kind| &kind.left).map(|gap| gap.count).sum();
        (described, described + left)
    }
}

/// Goes through all definitions of all layers.
pub fn coverage(catalog: &Catalog) -> Coverage {
    let rulebook = &catalog.rulebook;
    let mut kinds: Vec<(usize, Tally)> = rulebook.kinds().map(|_| Default::default()).collect();
    let mut seen: FxHashSet<crate::document::NodeRef> = FxHashSet::default();
    let view = catalog.seen();
    for (_, definition) in view.definitions() {
        let Some((count, tally)) = kinds.get_mut(definition.kind.0 as usize) else { continue };
        *count += 1;
        // a definition with several ids is one piece of data
        if seen.insert(definition.at()) {
            let root = rulebook.kind(definition.kind).root;
            let mut walk = Gaps { catalog, tally };
            walk.value(catalog.node(definition.at()), root);
        }
    }
    let mut out = Coverage::default();
    for ((kind, described), (definitions, tally)) in rulebook.kinds().zip(kinds) {
        let mut unused = Vec::new();
        // a field that several cases have is a type of each of them
        let met: FxHashSet<&str> = tally.met.iter().map(|ty| rulebook.field_type(*ty).pattern.as_str()).collect();
        for (_, field) in rulebook.fields_below(described.root) {
            let ty = rulebook.field_type(field);
            let leaf = !matches!(ty.reading, Reading::Table(_) | Reading::Parent(_)) && !ty.is_of_keys();
            if leaf && definitions > 0 && !met.contains(ty.pattern.as_str()) && !unused.contains(&ty.pattern) {
                unused.push(ty.pattern.clone());
            }
        }
        let left = by_count(tally.left);
        let links = Vec::new();
        out.kinds.push(KindCoverage { kind, definitions, described: tally.described, left, unused, links });
    }
    for (kind, link) in links(catalog) {
        if let Some(covered) = out.kinds.get_mut(kind.0 as usize) {
            covered.links.push(link);
        }
    }
    for covered in &mut out.kinds {
        covered.links.sort_by(|a, b| (b.lacking, b.resolved).cmp(&(a.lacking, a.resolved)).then(a.field.cmp(&b.field)));
    }
    out.files = files(catalog);
    out.tags = tags(catalog);
    out.idle = idle(catalog);
    out
}

/// Where the links of each field lead, by kind.
fn links(catalog: &Catalog) -> Vec<(KindId, LinkCoverage)> {
    let view = catalog.seen();
    let mut all: FxHashMap<(KindId, TypeId), LinkCoverage> = FxHashMap::default();
    for (file, _) in catalog.files().filter(|(file, _)| view.has(*file)) {
        let (Some(harvest), Some(document)) = (catalog.harvest_of(file), catalog.document(file)) else { continue };
        for mention in harvest.mentions.iter().filter(|mention| catalog.is_link(mention)) {
            let Some((_, made)) = catalog.definition_of(file, mention.from) else { continue };
            let found = all.entry((made.kind, mention.wants)).or_default();
            if !view.targets_of(document, harvest, mention).is_empty() {
                found.resolved += 1;
            } else if catalog.sought_by(document, harvest, mention).given {
                found.known += 1;
            } else {
                found.lacking += 1;
                found.example = found.example.or(Some(document.node(mention.at).place()));
            }
        }
    }
    let named = |((kind, ty), link): ((KindId, TypeId), LinkCoverage)| {
        (kind, LinkCoverage { field: catalog.rulebook.field_type(ty).pattern.clone(), ..link })
    };
    all.into_iter().map(named).collect()
}

/// Tags in files of YAML whose notation does not say what they are.
fn tags(catalog: &Catalog) -> Vec<Gap> {
    let mut unread: BTreeMap<String, (usize, Option<Place>)> = BTreeMap::new();
    for (file, described) in catalog.files().filter(|(_, file)| matches!(file.role, FileRole::Definitions(_))) {
        let Some(document) = catalog.document(file) else { continue };
        if document.format() != Format::Yaml || document.notation().tags().is_some() || described.layer.is_none() {
            continue;
        }
        let mut start = 0;
        for line in document.text().split_inclusive('\n') {
            if let Some((at, tag)) = tag_on(line) {
                let span = Span::new(start + at, start + at + tag.len());
                unread.entry(tag.to_owned()).or_insert((0, Some(Place { file, span }))).0 += 1;
            }
            start += line.len();
        }
    }
    by_count(unread)
}

fn by_count(gaps: impl IntoIterator<Item = (String, (usize, Option<Place>))>) -> Vec<Gap> {
    let mut all: Vec<Gap> = gaps.into_iter().map(|(what, (count, example))| Gap { what, count, example }).collect();
    all.sort_by(|a, b| b.count.cmp(&a.count).then_with(|| a.what.cmp(&b.what)));
    all
}

#[derive(Default)]
struct Tally {
    described: usize,
    left: FxHashMap<String, (usize, Option<Place>)>,
    met: FxHashSet<TypeId>,
}

struct Gaps<'c, 't> {
    catalog: &'c Catalog,
    tally: &'t mut Tally,
}

impl Gaps<'_, '_> {
    fn value(&mut self, node: Node<'_>, ty: TypeId) {
        let rulebook = &self.catalog.rulebook;
        let field = rulebook.field_type(ty);
        self.tally.met.insert(ty);
        let shape = node.shape();
        match &field.reading {
            Reading::Table(table) if shape == Shape::Table => {
                for entry in node.children() {
                    let Some(key) = entry.key() else { continue };
                    match table.get(key) {
                        Some(ty) => self.value(entry, ty),
                        None => {
                            let name = self.catalog.names.text(key);
                            let path = match field.pattern.as_str() {
                                "" => name.to_owned(),
                                above => format!("{above}.{name}"),
                            };
                            self.left(entry, path);
                        }
                    }
                }
            }
            Reading::Map { value, .. } if shape == Shape::Table => {
                node.children().for_each(|entry| self.value(entry, *value));
            }
            Reading::List(list) if shape == Shape::List => {
                node.children().for_each(|entry| self.value(entry, list.entry));
            }
            Reading::Tuple { places, .. } if shape == Shape::List => {
                node.children().zip(places).for_each(|(entry, ty)| self.value(entry, *ty));
            }
            Reading::Choose { .. } | Reading::Either { .. } => {
                let word = |by| node.get(by).map(|word| word.text().into_owned());
                match self.catalog.rulebook.case_of(ty, shape, &word) {
                    case if case != ty => self.value(node, case),
                    _ => self.tally.described += 1,
                }
            }
            Reading::Any => self.left(node, field.pattern.clone()),
            _ => self.tally.described += 1,
        }
    }

    /// A value that has no type, with all that is in it.
    fn left(&mut self, node: Node<'_>, path: String) {
        let place = Place { file: node.document().file(), span: node.key_span() };
        let entry = self.tally.left.entry(path).or_insert((0, Some(place)));
        entry.0 += single_values(node);
    }
}

/// The single values in a node.
fn single_values(node: Node<'_>) -> usize {
    match node.shape() {
        Shape::Table | Shape::List => node.children().map(single_values).sum::<usize>().max(1),
        _ => 1,
    }
}

fn files(catalog: &Catalog) -> Vec<Gap> {
    let mut unread: BTreeMap<String, (usize, Option<Place>)> = BTreeMap::new();
    for (id, file) in catalog.files().filter(|(_, file)| file.layer.is_some()) {
        // what may be named as a picture or a sound is data all the same by its ending
        if !(file.role == FileRole::Unread || file.role == FileRole::Asset && is_data(&file.relative)) {
            continue;
        }
        let (folder, name) =
            file.relative.rsplit_once('/').map_or(("", &*file.relative), |(folder, name)| (folder, name));
        let ending = name.rsplit_once('.').map_or("*".to_owned(), |(_, ending)| format!("*.{ending}"));
        let pattern = if folder.is_empty() { ending } else { format!("{folder}/{ending}") };
        let place = Place { file: id, span: crate::source::Span::default() };
        unread.entry(pattern).or_insert((0, Some(place))).0 += 1;
    }
    by_count(unread)
}

fn idle(catalog: &Catalog) -> Vec<(Place, String)> {
    let mut out = Vec::new();
    for place in &catalog.rulebook.places {
        let files: Vec<_> = catalog
            .files()
            .filter(|(_, file)| file.layer.is_some() && place.files.is_match(&file.relative))
            .map(|(id, _)| id)
            .collect();
        let patterns = place.patterns.join("`, `");
        if files.is_empty() {
            out.push((place.place, format!("`{patterns}` matches no file")));
            continue;
        }
        let kinds = place.which.kinds();
        let mut harvests = files.iter().filter_map(|id| catalog.harvest_of(*id));
        if !harvests.any(|harvest| harvest.definitions.iter().any(|made| kinds.contains(&made.kind))) {
            out.push((place.place, format!("nothing stands at `{}` in the files of `{patterns}`", place.cut)));
        }
    }
    for (kind, described) in catalog.rulebook.kinds() {
        if !catalog.rulebook.places.iter().any(|place| place.which.has(kind)) {
            out.push((described.place, format!("no `[[where]]` says where definitions of `{}` stand", described.name)));
        }
    }
    out
}
