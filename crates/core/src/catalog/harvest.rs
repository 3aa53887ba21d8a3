//! All that one file gives: definitions, amendments, texts, mentions and faults of type.

use smallvec::{SmallVec, smallvec};

use super::amendment::{Amendment, read_amendments};
use super::file_texts::texts;
use super::language::language_in;
use super::parents::parent_meant;
use super::pieces::{Pieces, around, looks_past, misspelt};
use super::{CodedFault, File, TextEntry};
use crate::document::{Document, FieldPath, Format, Node, NodeId, Notation, ScriptWords, Shape, find};
use crate::names::{Names, Sym};
use crate::own::{self, OwnFault};
use crate::rulebook::{
    ANY_FOLDER, Again, Kind, KindId, Mention, NameFrom, NumberRange, PatternStep, Piece, Reading, Rulebook,
    SupplementId, Test, TypeFault, TypeId, Walk, Where, Which, read_definitions, read_whole,
};
use crate::said::{Said, listed, said};
use crate::source::{Place, Refusal};

/// Marks a mention or fault that belongs to an amendment, not to a definition.
pub(crate) const AMENDMENT: u32 = 1 << 31;

/// Marks a mention that belongs to no definition at all.
pub(crate) const NO_DEFINITION: u32 = u32::MAX;

/// The ids or parents of one definition: nearly always one.
type Syms = SmallVec<[Sym; 1]>;

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
    /// A script; the rulebook's patterns for it.
    Scripts(Vec<usize>),
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
        matches!(
            self,
            FileRole::Manifest
                | FileRole::Definitions(_)
                | FileRole::Texts(_)
                | FileRole::Amendments
                | FileRole::Scripts(_)
        )
    }
}

/// A definition before it is numbered.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Harvested {
    pub(crate) node: NodeId,
    pub(crate) id: Option<Sym>,
    pub(crate) kind: KindId,
    /// The strongest of its parents.
    pub(crate) parent: Option<Sym>,
    pub(crate) again: Again,
    /// Whether its parent is its own id: it continues what lies below it.
    pub(crate) continues: bool,
    /// Whether it takes away what lies below it.
    pub(crate) removes: bool,
    /// Whether it is only there to be inherited from.
    pub(crate) is_abstract: bool,
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
    /// Whether the file hides those at the same path in lower layers.
    pub(crate) shadows: bool,
    /// Places of the rulebook that take the same piece of it.
    pub(crate) taken_twice: Vec<(usize, usize)>,
    /// All parents of definitions that have several, by the definition's number in the file.
    pub(crate) parents: Vec<(u32, Vec<Sym>)>,
    /// Values, words and definitions of what mods bring along.
    pub(crate) brought: Vec<(u32, NodeId, SupplementId)>,
    /// Old ids and the new ones, by kind.
    pub(crate) renames: Vec<(KindId, Sym, Sym)>,
}

/// A document as the rulebook reads a file of this role.
pub(crate) fn as_read(
    document: Document,
    relative: &str,
    role: &FileRole,
    rulebook: &Rulebook,
    names: &Names,
) -> Document {
    let read = match role {
        FileRole::Definitions(places) => {
            let read = read_definitions(&document, relative, places, rulebook, names).unwrap_or(document);
            let patterns = scripts_of(relative, rulebook);
            return if patterns.is_empty() { read } else { read.with_words(&words_of(&patterns, rulebook), names) };
        }
        FileRole::Manifest => read_whole(&document, rulebook.manifest.as_ref().map(|rule| rule.root), rulebook, names),
        FileRole::Texts(_) => {
            read_whole(&document, rulebook.texts.as_ref().and_then(|rule| rule.root), rulebook, names)
        }
        FileRole::Amendments => read_whole(&document, None, rulebook, names),
        _ => None,
    };
    read.unwrap_or(document)
}

/// The patterns for ids in scripts that are looked for in a file, by its path below its layer.
fn scripts_of(relative: &str, rulebook: &Rulebook) -> Vec<usize> {
    let scripts = rulebook.scripts.iter().enumerate().filter(|(_, script)| script.files.is_match(relative));
    scripts.map(|(at, _)| at).collect()
}

fn words_of(patterns: &[usize], rulebook: &Rulebook) -> ScriptWords {
    let words = patterns.iter().filter_map(|at| Some((*at, rulebook.scripts.get(*at)?.pattern.clone())));
    ScriptWords(words.collect())
}

/// How a file of a role is written: as the rulebook says, else as its name says.
pub(crate) fn notation_of(relative: &str, role: &FileRole, rulebook: &Rulebook) -> Option<Notation> {
    let said = match role {
        FileRole::Manifest => rulebook.manifest.as_ref().and_then(|rule| rule.notation.clone()),
        FileRole::Texts(_) => rulebook.texts.as_ref().and_then(|rule| rule.notation.clone()),
        FileRole::Scripts(patterns) => return Some(Notation::script(words_of(patterns, rulebook))),
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
            let mut pieces = Pieces::default();
            for (at, place) in places.iter().filter_map(|at| Some((*at, rulebook.places.get(*at)?))) {
                let whole = Piece { node: document.root(), relative: &file.relative, owner: &file.owner, names };
                harvest.shadows |= place.shadows.as_ref().is_some_and(|test| whole.passes(test));
                let (walk, harvest) = (&mut walk, &mut harvest);
                let pieces = &mut pieces;
                let mut cutter = Cutter { file, rulebook, names, at, place, several, walk, harvest, pieces };
                cutter.cut(document.root(), &place.cut.0);
            }
            pieces.left(document, places, (rulebook, names), &mut harvest);
            harvest.taken_twice = pieces.twice;
            let ways: Vec<&[PatternStep]> =
                places.iter().filter_map(|at| rulebook.places.get(*at)).map(|place| place.cut.0.as_slice()).collect();
            // in a manifest it is a field that is not known
            if !rulebook.is_manifest(&file.relative) {
                let mut told = Vec::new();
                misspelt(document.root(), &ways, names, &mut told);
                // that what is looked for is lacking follows from it
                if !told.is_empty() && harvest.definitions.is_empty() {
                    harvest.own_faults.clear();
                }
                harvest.own_faults.append(&mut told);
            }
            let nothing = harvest.definitions.is_empty() && harvest.own_faults.is_empty() && !document.is_broken();
            if several && nothing && !document.root().is_empty() {
                let cuts = places.iter().filter_map(|at| rulebook.places.get(*at)).map(|place| place.cut.to_string());
                let looked = cuts.collect::<Vec<_>>().join("`, `");
                let place = Place { file: document.file(), span: own::first_line(document.root()) };
                let message = "nothing in this file stands where the game looks for definitions".to_owned();
                let help = Some(said!("it looks at `{looked}`", looked));
                let fault = own::fault(place, message).help(help);
                harvest.own_faults.push(CodedFault { code: "file-not-read", fault });
            }
            harvest.ranges = walk.ranges();
            harvest.brought.append(&mut walk.brought);
            (harvest.mentions, harvest.faults) = (walk.mentions, walk.faults);
            if let Some(words) = document.words() {
                scripts(words, rulebook, names, &mut harvest);
            }
        }
        FileRole::Texts(language) => texts(document, language.as_deref(), rulebook, names, &mut harvest),
        FileRole::Amendments => read_amendments(document, rulebook, names, &mut harvest),
        FileRole::Scripts(_) => scripts(document.root(), rulebook, names, &mut harvest),
        FileRole::Manifest => {
            if let Some(manifest) = &rulebook.manifest {
                let mut walk = Walk::new(rulebook);
                // what is a definition as a whole is read as one
                let whole = |file: &String| rulebook.places.iter().any(|p| p.cut.0.is_empty() && p.names_file(file));
                let past = around(document.root(), manifest.root, rulebook, names).is_some();
                if !past && !manifest.file.as_ref().is_some_and(whole) {
                    walk.value(document.root(), manifest.root);
                }
                (harvest.mentions, harvest.faults) = (walk.mentions, walk.faults);
            }
        }
        _ => {}
    }
    harvest
}

struct Cutter<'h, 'r> {
    file: &'h File,
    rulebook: &'r Rulebook,
    names: &'h Names,
    /// The place, and its number.
    place: &'r Where,
    at: usize,
    pieces: &'h mut Pieces,
    /// Whether other places may find what this one does not.
    several: bool,
    walk: &'h mut Walk<'r>,
    harvest: &'h mut Harvest,
}

impl Cutter<'_, '_> {
    fn fault(&mut self, node: Node<'_>, message: Said, help: Option<Said>) {
        let place = Place { file: node.document().file(), span: own::first_line(node) };
        let fault = own::fault(place, message).help(help);
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
        // a single element is a list of one
        let single = *step == PatternStep::Entries && node.document().format().needs_reading();
        if single && node.shape() == Shape::Table {
            return self.cut(node, rest);
        }
        if node.shape() != wanted {
            let found = node.shape().words();
            let message = said!(
                "here stands {found}, where the game reads {wanted} of definitions",
                found,
                wanted = wanted.words()
            );
            let help = said!(
                "files like `{files}` are cut at `{cut}`",
                files = listed(&self.place.patterns),
                cut = self.place.cut
            );
            return self.fault(node, message, Some(help));
        }
        let by_entry = matches!(node.document().format(), Format::Xml | Format::Described);
        match step {
            PatternStep::Key(key) => match node.get_named(key, self.names) {
                Some(next) => self.cut(next, rest),
                None if self.several => {}
                // what is left out as a whole is meant to be
                None if node.is_empty() && !self.rulebook.reader.inert.is_empty() => {}
                // entries one by one: none of them is no fault
                None if by_entry && matches!(rest.first(), Some(PatternStep::Entries)) => {}
                None => {
                    let message = said!(
                        "the field `{field}` with the definitions is missing, so the game reads none of this file",
                        field = key
                    );
                    let near = node.children().filter_map(|child| child.key()).map(|key| self.names.text(key));
                    let near = crate::nearest::nearest(key, near.collect::<Vec<_>>());
                    let help = near.map(|near| said!("`{nearest}` stands here; is that meant?", nearest = near));
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

    fn kind(&mut self, piece: &Piece<'_>) -> Option<KindId> {
        let word = match self.place.kind_of(piece) {
            Ok(kind) => return Some(kind),
            Err(word) => word,
        };
        let Which::By { from, told, words, patterns } = &self.place.which else { return None };
        let at = match from {
            NameFrom::Field(path) | NameFrom::Fields(path) => find(piece.node, path, self.names).unwrap_or(piece.node),
            _ => piece.node,
        };
        let message = match &word {
            Some(word) => said!("`{told}` is `{word}`, which is no kind of definition", told, word),
            None => said!("the field `{told}`, which tells the kind, is missing", told),
        };
        let mut all: Vec<&str> =
            words.keys().chain(patterns.iter().map(|(word, _)| word)).map(String::as_str).collect();
        all.sort_unstable();
        let near = word.and_then(|word| crate::nearest::nearest(&word, all.iter().copied()));
        let help = match near {
            Some(near) => said!("the nearest known word is `{nearest}`", nearest = near),
            None => said!("known are {known}", known = listed(all)),
        };
        self.fault(at, message, Some(help));
        None
    }

    fn definition(&mut self, node: Node<'_>) {
        if node.shape() == Shape::Broken {
            return;
        }
        if node.shape() != Shape::Table {
            let message = said!("here stands {found}, where a definition is read", found = node.shape().words());
            let tables = node.shape() == Shape::List && node.children().all(|entry| entry.shape() == Shape::Table);
            let help =
                tables.then(|| said!("its entries are definitions with `cut = \"{cut}[]\"`", cut = self.place.cut));
            return self.fault(node, message, help);
        }
        let piece = Piece { node, relative: &self.file.relative, owner: &self.file.owner, names: self.names };
        if !self.place.takes(&piece) {
            if self.place.test.as_ref().is_some_and(|test| !piece.passes(test)) {
                self.pieces.left.push(node.id());
            }
            return;
        }
        if let Some(other) = self.pieces.taken.insert(node.id(), self.at).filter(|other| *other != self.at) {
            self.pieces.twice.push((other, self.at));
        }
        let Some(kind_id) = self.kind(&piece) else { return };
        let kind = self.rulebook.kind(kind_id);
        // a file that is one definition, with something around it
        if self.place.cut.0.is_empty()
            && let Some((around, within)) = around(node, kind.root, self.rulebook, self.names)
        {
            let name = around.key().map_or("", |key| self.names.text(key));
            let help = Some(said!("where the rulebook is meant to look for it there: `cut = \"{name}\"`", name));
            let fault = OwnFault { help, ..looks_past(around, within, self.names) };
            self.harvest.own_faults.push(CodedFault { code: "file-not-read", fault });
            return;
        }
        let ids = self.ids(&piece, kind);
        let parents = self.parents(&piece, kind);
        self.walk.from = crate::source::to_u32(self.harvest.definitions.len());
        self.renames(&piece, kind_id, ids.first().copied());
        let passes = |test: &Option<Test>| test.as_ref().is_some_and(|test| piece.passes(test));
        let (removes, is_abstract) = (passes(&kind.removes), passes(&kind.is_abstract));
        let again = kind.again_if.iter().find(|(test, _)| piece.passes(test)).map_or(kind.again, |(_, again)| *again);
        let (id, parent) = (ids.first().copied(), parents.last().copied());
        let continues = parent.is_some() && parent == id && self.rulebook.continues_itself(kind);
        let made = Harvested { node: node.id(), id, kind: kind_id, parent, again, continues, removes, is_abstract };
        self.harvest.definitions.push(made);
        for id in ids.into_iter().skip(1) {
            let continues = parent == Some(id) && self.rulebook.continues_itself(kind);
            self.harvest.definitions.push(Harvested { id: Some(id), continues, ..made });
        }
        if let Some(from) = kind.from {
            self.harvest.brought.push((self.walk.from, node.id(), from));
        }
        if parents.len() > 1 {
            self.harvest.parents.push((self.walk.from, parents.into_vec()));
        }
        if !removes {
            self.walk.value(node, kind.root);
        }
    }

    /// What a definition is called: several words where a field lists them.
    fn ids(&self, piece: &Piece<'_>, kind: &Kind) -> Syms {
        let folder = Some(self.file.folder()).filter(|folder| kind.scoped && !folder.is_empty());
        let intern = |word: &str| match folder {
            Some(folder) => self.names.intern(&format!("{folder}/{word}")),
            None => self.names.intern(word),
        };
        let ids = |from: &NameFrom| -> Syms {
            match (from, piece.node.key()) {
                // a key is a symbol already
                (NameFrom::Key, Some(key)) if folder.is_none() => smallvec![key],
                _ => piece.words(from).iter().map(|word| intern(word)).collect(),
            }
        };
        kind.name_from.iter().map(ids).find(|ids| !ids.is_empty()).unwrap_or_default()
    }

    /// The ids of a definition's parents, in the order in which they are laid over each other.
    fn parents(&self, piece: &Piece<'_>, kind: &Kind) -> Syms {
        let Some(node) = kind.parent.and_then(|key| piece.node.get(key)) else { return Syms::new() };
        let single =
            |node: Node<'_>| self.names.intern(&parent_meant(self.rulebook, kind, &node.text(), piece.relative));
        match node.shape() {
            Shape::Text => smallvec![single(node)],
            Shape::List => node.children().filter(|item| item.shape() == Shape::Text).map(single).collect(),
            _ => Syms::new(),
        }
    }

    /// Further names of a definition, and what a record renames.
    fn renames(&mut self, piece: &Piece<'_>, kind_id: KindId, id: Option<Sym>) {
        let kind = self.rulebook.kind(kind_id);
        for path in &kind.aliases {
            for word in piece.words(&NameFrom::Field(path.clone())) {
                let old = self.names.intern(&word);
                self.harvest.renames.extend(id.filter(|id| *id != old).map(|id| (kind_id, old, id)));
            }
        }
        if let Some(renames) = &kind.renames {
            let word = |path: &FieldPath| Some(self.names.intern(&piece.word(&NameFrom::Field(path.clone()))?));
            if let (Some(old), Some(new)) = (word(&renames.from), word(&renames.to)) {
                self.harvest.renames.push((renames.kind, old, new));
            }
        }
    }
}

/// Ids that a script declares and uses.
fn scripts(words: Node<'_>, rulebook: &Rulebook, names: &Names, harvest: &mut Harvest) {
    let mut declared: Vec<(KindId, Sym)> = Vec::new();
    for node in words.children() {
        let nth = node.key().and_then(|key| names.text(key).parse::<usize>().ok());
        let Some(script) = nth.and_then(|nth| rulebook.scripts.get(nth)) else { continue };
        if let Some(link) = script.link {
            harvest.mentions.push(Mention { from: NO_DEFINITION, at: node.id(), wants: link });
            continue;
        }
        let id = names.intern(&node.text());
        // a script may come back to what it has declared
        if declared.contains(&(script.kind, id)) {
            continue;
        }
        declared.push((script.kind, id));
        harvest.definitions.push(Harvested {
            node: node.id(),
            id: Some(id),
            kind: script.kind,
            parent: None,
            continues: false,
            again: rulebook.kind(script.kind).again,
            removes: false,
            is_abstract: true,
        });
    }
}

/// Whether a file's ending is one of those that hold definitions in many games.
pub(crate) fn is_data(path: &str) -> bool {
    const DATA: [&str; 12] = ["txt", "cfg", "ini", "conf", "def", "csv", "tsv", "json", "xml", "yaml", "yml", "toml"];
    path.rsplit_once('.').is_some_and(|(_, ending)| DATA.iter().any(|data| ending.eq_ignore_ascii_case(data)))
}

/// Whether a file of a mod is a part of the rulebook that it brings along.
pub(crate) fn is_supplement(relative: &str) -> bool {
    relative.strip_prefix("supplement/").is_some_and(|name| !name.contains('/') && name.ends_with(".toml"))
}

/// What the workspace reads a file of a layer as.
pub(crate) fn role_of(
    relative: &str,
    is_mod: bool,
    rulebook: &Rulebook,
    assets: &globset::GlobSet,
    stands_on: &dyn Fn(&str) -> bool,
) -> FileRole {
    if is_mod && is_supplement(relative) {
        return FileRole::Own;
    }
    if is_mod && rulebook.is_manifest(relative) {
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
    let places = places_of(relative, rulebook, stands_on);
    if !places.is_empty() {
        return FileRole::Definitions(places);
    }
    let scripts = scripts_of(relative, rulebook);
    if !scripts.is_empty() {
        return FileRole::Scripts(scripts);
    }
    // what follows from definitions is kept to be compared with them
    if rulebook.derived.iter().any(|rule| rule.files.is_match(relative)) {
        return if is_mod { FileRole::Scripts(Vec::new()) } else { FileRole::Ignored };
    }
    if rulebook.ignore.is_match(relative) {
        return FileRole::Ignored;
    }
    if assets.is_match(relative) { FileRole::Asset } else { FileRole::Unread }
}

/// The places of the rulebook that take a file, as those see it that stand on some mods.
pub(crate) fn places_of(relative: &str, rulebook: &Rulebook, stands_on: &dyn Fn(&str) -> bool) -> Vec<usize> {
    let known = Notation::of(relative).is_some();
    let brought = |from: SupplementId| rulebook.brought_by(from).is_some_and(stands_on);
    let places = rulebook.places.iter().enumerate().filter(|(_, place)| place.files.is_match(relative));
    let places = places.filter(|(_, place)| place.from.is_none_or(brought));
    places.filter(|(_, place)| known || place.notation.is_some()).map(|(at, _)| at).collect()
}

/// Patterns of all files that fields may name or definitions imply.
pub(crate) fn asset_globs(rulebook: &Rulebook) -> globset::GlobSet {
    let mut set = globset::GlobSetBuilder::new();
    for ty in &rulebook.types {
        let Reading::File(first) = &ty.reading else { continue };
        for template in first.all() {
            let beside = template.before.strip_prefix("./").map(|rest| ("", rest));
            let before = match beside.or_else(|| template.before.split_once(ANY_FOLDER)) {
                Some((root, rest)) => format!("{}{ANY_FOLDER}{}", globset::escape(root), globset::escape(rest)),
                None => globset::escape(&template.before),
            };
            let within = if template.names_folder() { "**" } else { "" };
            let pattern = format!("{before}*{}{within}", globset::escape(&template.after));
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
