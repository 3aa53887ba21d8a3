//! All that one file gives: definitions, amendments, texts, mentions and faults of type.

use super::amendment::{Amendment, read_amendments};
use super::{CodedFault, File, TextEntry};
use crate::document::{Document, FieldPath, Node, NodeId, Notation, Shape, find};
use crate::names::{Names, Sym};
use crate::own::{self, OwnFault};
use crate::rulebook::{
    KindId, Mention, NameFrom, NumberRange, PatternStep, Reading, Rulebook, TypeFault, TypeId, Walk, Where, Which,
    read_definitions, read_whole,
};
use crate::source::{Place, Refusal};

/// Marks a mention or fault that belongs to an amendment, not to a definition.
pub(crate) const AMENDMENT: u32 = 1 << 31;

/// What the workspace reads a file as.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum FileRole {
    /// Workspace file or rulebook.
    Own,
    Manifest,
    /// Positions in the rulebook's places.
    Definitions(Vec<usize>),
    /// Texts; the language if the file's name tells it.
    Texts(Option<String>),
    Amendments,
    /// A picture or the like, named by fields.
    Asset,
    Ignored,
    /// Something that is never read: a symbolic link, or what leads out of an archive.
    Refused(Refusal),
    /// Nothing reads it.
    Unread,
}

impl FileRole {
    pub(crate) fn is_harvested(&self) -> bool {
        matches!(self, FileRole::Manifest | FileRole::Definitions(_) | FileRole::Texts(_) | FileRole::Amendments)
    }
}

/// A definition before it is numbered.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Harvested {
    pub(crate) node: NodeId,
    pub(crate) id: Option<Sym>,
    pub(crate) kind: KindId,
    pub(crate) parent: Option<Sym>,
}

/// What one file gives. Replaced whole when its text changes.
#[derive(Debug, Default)]
pub(crate) struct Harvest {
    pub(crate) definitions: Vec<Harvested>,
    pub(crate) amendments: Vec<Amendment>,
    pub(crate) texts: Vec<TextEntry>,
    pub(crate) mentions: Vec<Mention>,
    pub(crate) faults: Vec<TypeFault>,
    /// The numbers that definitions have, by type.
    pub(crate) ranges: Vec<(TypeId, NumberRange)>,
    pub(crate) own_faults: Vec<CodedFault>,
}

/// A document as the rulebook reads a file of this role.
pub(crate) fn as_read(document: Document, role: &FileRole, rulebook: &Rulebook, names: &Names) -> Document {
    let read = match role {
        FileRole::Definitions(places) => read_definitions(&document, places, rulebook, names),
        FileRole::Manifest => read_whole(&document, rulebook.manifest.as_ref().map(|rule| rule.root), rulebook, names),
        FileRole::Texts(_) | FileRole::Amendments => read_whole(&document, None, rulebook, names),
        _ => None,
    };
    read.unwrap_or(document)
}

/// How a file of a role is written: as the rulebook says, else as its name says.
pub(crate) fn notation_of(relative: &str, role: &FileRole, rulebook: &Rulebook) -> Option<Notation> {
    let said = match role {
        FileRole::Definitions(places) => {
            places.iter().find_map(|at| rulebook.places.get(*at).and_then(|place| place.notation.clone()))
        }
        _ => None,
    };
    said.map(|notation| notation.at(relative)).or_else(|| Notation::of(relative))
}

/// Reads a document as the file's role says.
pub(crate) fn harvest(document: &Document, file: &File, rulebook: &Rulebook, names: &Names) -> Harvest {
    let mut harvest = Harvest::default();
    match &file.role {
        FileRole::Definitions(places) => {
            let mut walk = Walk::new(rulebook);
            // a file without the block that is looked for has nothing to read
            let blank = document.notation().is_block() && document.root().shape() == Shape::Null;
            let places = if blank { &[][..] } else { places };
            let several = places.len() > 1;
            for place in places.iter().filter_map(|at| rulebook.places.get(*at)) {
                let (walk, harvest) = (&mut walk, &mut harvest);
                let mut cutter = Cutter { file, rulebook, names, place, several, walk, harvest };
                cutter.cut(document.root(), &place.cut.0);
            }
            let nothing = harvest.definitions.is_empty() && harvest.own_faults.is_empty() && !document.is_broken();
            if several && nothing && !document.root().is_empty() {
                let cuts = places.iter().filter_map(|at| rulebook.places.get(*at)).map(|place| place.cut.to_string());
                let looked = cuts.collect::<Vec<_>>().join("`, `");
                let place = Place { file: document.file(), span: own::first_line(document.root()) };
                let message = "nothing in this file stands where the game looks for definitions".to_owned();
                let help = Some(format!("it looks at `{looked}`"));
                let fault = OwnFault { place, message, help, second: None };
                harvest.own_faults.push(CodedFault { code: "file-not-read", fault });
            }
            let ways: Vec<&[PatternStep]> =
                places.iter().filter_map(|at| rulebook.places.get(*at)).map(|place| place.cut.0.as_slice()).collect();
            misspelt(document.root(), &ways, names, &mut harvest.own_faults);
            harvest.ranges = walk.ranges();
            (harvest.mentions, harvest.faults) = (walk.mentions, walk.faults);
        }
        FileRole::Texts(language) => texts(document, language.as_deref(), rulebook, names, &mut harvest),
        FileRole::Amendments => read_amendments(document, rulebook, names, &mut harvest),
        FileRole::Manifest => {
            if let Some(manifest) = &rulebook.manifest {
                let mut walk = Walk::new(rulebook);
                walk.value(document.root(), manifest.root);
                (harvest.mentions, harvest.faults) = (walk.mentions, walk.faults);
            }
        }
        _ => {}
    }
    harvest
}

/// Tables and lists beside those with the definitions, whose names are nearly the ones that the game looks for.
fn misspelt(node: Node<'_>, ways: &[&[PatternStep]], names: &Names, faults: &mut Vec<CodedFault>) {
    let key = |way: &&[PatternStep]| match way.first() {
        Some(PatternStep::Key(key)) => Some(key.clone()),
        _ => None,
    };
    let wanted: Vec<String> = ways.iter().filter_map(key).collect();
    if node.shape() != Shape::Table || wanted.len() < ways.len() || wanted.is_empty() {
        return;
    }
    for child in node.children().filter(|child| matches!(child.shape(), Shape::Table | Shape::List)) {
        let name = child.key().map_or("", |key| names.text(key));
        let below: Vec<&[PatternStep]> = ways
            .iter()
            .filter(|way| matches!(way.first(), Some(PatternStep::Key(key)) if key == name))
            .filter_map(|way| way.get(1..))
            .collect();
        if !below.is_empty() {
            misspelt(child, &below, names, faults);
        } else if let Some(near) = crate::nearest::nearest(name, wanted.iter().map(String::as_str)) {
            let place = Place { file: node.document().file(), span: child.key_span() };
            let message = format!("the game does not look at `{name}`");
            let help = Some(format!("`{near}` is where it looks for definitions"));
            let fault = OwnFault { place, message, help, second: None };
            faults.push(CodedFault { code: "file-not-read", fault });
        }
    }
}

struct Cutter<'h, 'r> {
    file: &'h File,
    rulebook: &'r Rulebook,
    names: &'h Names,
    place: &'r Where,
    /// Whether other places may find what this one does not.
    several: bool,
    walk: &'h mut Walk<'r>,
    harvest: &'h mut Harvest,
}

impl Cutter<'_, '_> {
    fn fault(&mut self, node: Node<'_>, message: String, help: Option<String>) {
        let place = Place { file: node.document().file(), span: own::first_line(node) };
        let fault = OwnFault { place, message, help, second: None };
        self.harvest.own_faults.push(CodedFault { code: "file-not-read", fault });
    }

    fn cut(&mut self, node: Node<'_>, steps: &[PatternStep]) {
        if node.shape() == Shape::Broken {
            return;
        }
        let Some((step, rest)) = steps.split_first() else { return self.definition(node) };
        let wanted = match step {
            PatternStep::Entries => Shape::List,
            _ => Shape::Table,
        };
        if node.shape() != wanted {
            let found = node.shape().words();
            let message = format!("here stands {found}, where the game reads {} of definitions", wanted.words());
            let help = format!("files like `{}` are cut at `{}`", self.place.patterns.join("`, `"), self.place.cut);
            return self.fault(node, message, Some(help));
        }
        match step {
            PatternStep::Key(key) => match node.get_named(key, self.names) {
                Some(next) => self.cut(next, rest),
                None if self.several => {}
                None => {
                    let message = format!(
                        "the field `{key}` with the definitions is missing, so the game reads none of this file"
                    );
                    let near = node.children().filter_map(|child| child.key()).map(|key| self.names.text(key));
                    let near = crate::nearest::nearest(key, near.collect::<Vec<_>>());
                    let help = near.map(|near| format!("`{near}` stands here; is that meant?"));
                    self.fault(node, message, help);
                }
            },
            _ => {
                for child in node.children() {
                    self.cut(child, rest);
                }
            }
        }
    }

    fn kind(&mut self, node: Node<'_>) -> Option<KindId> {
        match &self.place.which {
            Which::Always(kind) => Some(*kind),
            Which::ByField { field, words } => {
                let word = find(node, field, self.names);
                let known = word.and_then(|word| words.get(&*word.text()));
                if known.is_none() {
                    let at = word.unwrap_or(node);
                    let message = match word {
                        Some(word) => format!("`{field}` is `{}`, which is no kind of definition", word.text()),
                        None => format!("the field `{field}`, which tells the kind, is missing"),
                    };
                    let mut all: Vec<&str> = words.keys().map(String::as_str).collect();
                    all.sort_unstable();
                    let near = word.and_then(|word| crate::nearest::nearest(&word.text(), all.iter().copied()));
                    let help = match near {
                        Some(near) => format!("the nearest known word is `{near}`"),
                        None => format!("known are {}", all.join(", ")),
                    };
                    self.fault(at, message, Some(help));
                }
                known.copied()
            }
        }
    }

    fn definition(&mut self, node: Node<'_>) {
        if node.shape() == Shape::Broken {
            return;
        }
        if node.shape() != Shape::Table {
            let message = format!("here stands {}, where a definition is read", node.shape().words());
            return self.fault(node, message, None);
        }
        let Some(kind_id) = self.kind(node) else { return };
        let kind = self.rulebook.kind(kind_id);
        let relative = self.file.relative.as_str();
        let without_ending = relative.rsplit_once('.').map_or(relative, |(path, _)| path);
        let id = kind.name_from.iter().find_map(|from| match from {
            NameFrom::Key => node.key(),
            NameFrom::Stem => {
                let stem = without_ending.rsplit_once('/').map_or(without_ending, |(_, name)| name);
                Some(self.names.intern(stem))
            }
            NameFrom::Path => Some(self.names.intern(without_ending)),
            NameFrom::Field(path) => self.word(node, path),
        });
        let parent = kind.parent.and_then(|key| node.get(key));
        let parent = parent.filter(|node| node.shape() == Shape::Text).map(|node| {
            let word = node.text();
            match kind.name_from.contains(&NameFrom::Path) {
                true => self.names.intern(&path_named(&word, relative, kind.parent_beside)),
                false => self.names.intern(&word),
            }
        });
        self.walk.from = crate::source::to_u32(self.harvest.definitions.len());
        self.harvest.definitions.push(Harvested { node: node.id(), id, kind: kind_id, parent });
        self.walk.value(node, kind.root);
    }

    fn word(&self, node: Node<'_>, path: &FieldPath) -> Option<Sym> {
        let node = find(node, path, self.names)?;
        matches!(node.shape(), Shape::Text | Shape::Number).then(|| self.names.intern(&node.text()))
    }
}

fn texts(document: &Document, language: Option<&str>, rulebook: &Rulebook, names: &Names, harvest: &mut Harvest) {
    let Some(rule) = &rulebook.texts else { return };
    let root = document.root();
    let mut push = |key: String, language: &str, node: Node<'_>| {
        harvest.texts.push(TextEntry { key, language: language.to_owned(), at: node.at() });
    };
    match (root.shape(), language) {
        (Shape::Table, _) => {
            for entry in root.children().filter(|entry| entry.shape() == Shape::Text) {
                let key = entry.key().map_or("", |key| names.text(key)).to_owned();
                push(key, language.unwrap_or(&rule.main), entry);
            }
        }
        (Shape::List, _) => {
            for row in root.children() {
                let Some(key) = row.get(rule.key).map(|node| node.text().into_owned()) else { continue };
                for cell in row.children() {
                    match (cell.key(), language) {
                        (Some(column), _) if column == rule.key => {}
                        (Some(column), Some(language)) if column == rule.text => push(key.clone(), language, cell),
                        (Some(column), None) => push(key.clone(), names.text(column), cell),
                        _ => {}
                    }
                }
            }
        }
        _ => {}
    }
}

/// What the workspace reads a file of a layer as.
pub(crate) fn role_of(relative: &str, is_mod: bool, rulebook: &Rulebook, assets: &globset::GlobSet) -> FileRole {
    if is_mod && rulebook.manifest.as_ref().is_some_and(|manifest| manifest.file == relative) {
        return FileRole::Manifest;
    }
    if is_mod
        && let Some(name) = relative.strip_prefix("amendments/")
        && !name.contains('/')
        && [".toml", ".json", ".yaml", ".yml"].iter().any(|ending| name.ends_with(ending))
    {
        return FileRole::Amendments;
    }
    if let Some(texts) = &rulebook.texts {
        for (glob, pattern) in &texts.files {
            if glob.is_match(relative) {
                return FileRole::Texts(language_in(pattern, relative));
            }
        }
    }
    let known = Notation::of(relative).is_some();
    let places = rulebook.places.iter().enumerate().filter(|(_, place)| place.files.is_match(relative));
    let places: Vec<usize> = places.filter(|(_, place)| known || place.notation.is_some()).map(|(at, _)| at).collect();
    if !places.is_empty() {
        return FileRole::Definitions(places);
    }
    if rulebook.ignore.is_match(relative) {
        return FileRole::Ignored;
    }
    if assets.is_match(relative) { FileRole::Asset } else { FileRole::Unread }
}

/// The id, a path without ending, of the definition that a path in a file names.
pub(crate) fn path_named(word: &str, file: &str, beside: bool) -> String {
    let word = word.replace('\\', "/");
    let dotted = word.starts_with("./") || word.starts_with("../");
    let mut parts: Vec<&str> = match file.rsplit_once('/') {
        Some((folder, _)) if beside || dotted => folder.split('/').collect(),
        _ => Vec::new(),
    };
    for part in word.split('/') {
        match part {
            "." | "" => {}
            ".." => {
                parts.pop();
            }
            part => parts.push(part),
        }
    }
    let path = parts.join("/");
    match path.rsplit_once('.') {
        Some((stem, ending)) if !ending.contains('/') && !stem.is_empty() => stem.to_owned(),
        _ => path,
    }
}

/// The part of a path that `{language}` stands for.
fn language_in(pattern: &str, path: &str) -> Option<String> {
    let (before, after) = pattern.split_once("{language}")?;
    let before = before.rsplit_once('/').map_or(before, |(_, name)| name);
    let after = after.split_once('/').map_or(after, |(name, _)| name);
    path.split('/').find_map(|part| {
        let language = part.strip_prefix(before)?.strip_suffix(after)?;
        (!language.is_empty()).then(|| language.to_owned())
    })
}

/// Patterns of all files that fields may name or definitions imply.
pub(crate) fn asset_globs(rulebook: &Rulebook) -> globset::GlobSet {
    let mut set = globset::GlobSetBuilder::new();
    for ty in &rulebook.types {
        if let Reading::File(template) = &ty.reading {
            let pattern = format!("{}*{}", globset::escape(&template.before), globset::escape(&template.after));
            if let Ok(glob) = globset::Glob::new(&pattern) {
                set.add(glob);
            }
        }
    }
    for (_, kind) in rulebook.kinds() {
        for (_, template) in &kind.files {
            let pattern = globset::escape(&kind.filled(template, "\u{1}")).replace('\u{1}', "*");
            if let Ok(glob) = globset::Glob::new(&pattern) {
                set.add(glob);
            }
        }
    }
    set.build().unwrap_or_else(|_| globset::GlobSet::empty())
}

#[cfg(test)]
mod tests {
    use super::path_named;

    #[test]
    fn a_path_names_a_definition_from_the_root_or_from_beside_the_file() {
        for (word, beside, id) in [
            ("lamps/base", false, "lamps/base"),
            ("lamps/base.txt", false, "lamps/base"),
            ("../lamps/base.txt", false, "lamps/base"),
            ("./base.txt", false, "oils/base"),
            ("base.txt", true, "oils/base"),
            ("..\\lamps\\base.txt", true, "lamps/base"),
            ("../../../away", true, "away"),
        ] {
            assert_eq!(path_named(word, "oils/eel.txt", beside), id, "{word}");
        }
    }
}
