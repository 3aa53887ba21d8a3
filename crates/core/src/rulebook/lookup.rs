//! What is looked up in a rulebook: kinds, types, vocabularies, places.

use super::naming::{NameFrom, Which};
use super::types::{
    FieldType, FileSought, FileTemplate, Game, Kind, KindId, Reading, Rulebook, SpaceId, SupplementId, TypeId,
    Vocabulary, Where,
};
use crate::document::{FieldPath, Notation, Step};
use crate::names::Names;
use crate::source::is_relative;

impl Rulebook {
    /// Whether a file of a mod, by its path below the mod's folder, is its manifest.
    pub(crate) fn is_manifest(&self, relative: &str) -> bool {
        self.manifest.as_ref().is_some_and(|manifest| manifest.file.as_deref() == Some(relative))
    }

    /// The id of the mod that brings a supplement along.
    pub(crate) fn brought_by(&self, from: SupplementId) -> Option<&str> {
        self.supplements.get(from.0 as usize).map(String::as_str)
    }

    /// The folder below the game's in which mods lie, where the rulebook says it.
    pub fn mods_folder(&self) -> Option<&str> {
        self.install.as_ref().map(|rule| rule.mods.as_str())
    }

    /// Whether one of its files has a fault of notation; then nothing of it is used.
    pub fn is_broken(&self) -> bool {
        self.broken
    }

    /// Whether it says what a mod's manifest is; without that no mod is read.
    pub fn has_manifest(&self) -> bool {
        self.manifest.is_some()
    }

    /// Whether some kind takes its parents as they are when the child is loaded.
    pub(crate) fn binds_early(&self) -> bool {
        self.kinds().any(|(_, kind)| kind.early)
    }

    /// The game.
    pub fn game(&self) -> &Game {
        &self.game
    }

    /// What lines of a log are called that mean something.
    pub fn captures(&self) -> Vec<&str> {
        self.captures.iter().map(|capture| capture.name.as_str()).collect()
    }

    /// All kinds in the order in which the rulebook describes them.
    pub fn kinds(&self) -> impl Iterator<Item = (KindId, &Kind)> {
        self.kinds.iter().zip(0u16..).map(|(kind, at)| (KindId(at), kind))
    }

    /// A kind.
    pub fn kind(&self, id: KindId) -> &Kind {
        self.kinds.get(id.0 as usize).expect("kind ids are made with the rulebook's own table")
    }

    /// Why an id can be none of a kind, whoever made it: nothing, control characters, or no name that a file can
    /// have, where files are named by it. Elsewhere an id is data like other.
    pub(crate) fn unfit_id(&self, kind: KindId, id: &str) -> Option<String> {
        if id.is_empty() {
            return Some("it is empty".to_owned());
        }
        if id.chars().any(char::is_control) {
            return Some("it holds control characters".to_owned());
        }
        // ids that are local to a folder have its path in front; most ids can name a file wherever they do
        let as_path = is_relative(id).err()?;
        let names = &self.kind(kind).name_from;
        let by_file = |from: &NameFrom| matches!(from, NameFrom::Stem | NameFrom::Folder | NameFrom::Path);
        let named_by = !names.is_empty() && names.iter().all(by_file);
        // where every id has a sign that no file's name has, that is a fault of the rulebook
        let told = names.iter().any(|from| from.sign_for_no_file().is_some());
        let of_kind = self.places.iter().filter(|place| !told && place.which.has(kind));
        let built = of_kind.filter_map(|place| place.built.as_ref()).filter(|built| built.contains("{id}"));
        let fault = named_by.then_some(as_path).or_else(|| {
            let mut paths = built.map(|built| built.replace("{mod}", "mod").replace("{id}", id));
            paths.find_map(|path| is_relative(&path).err())
        });
        fault.map(|fault| format!("a file is named by it, and {fault}"))
    }

    /// The place in which definitions of a kind can be written into a file, by its path below its layer.
    pub(crate) fn place_of(&self, kind: KindId, relative: &str) -> Option<&Where> {
        self.places.iter().find(|place| place.writes(kind) && place.files.is_match(relative))
    }

    /// Whether a word is one of a choice, or of flags.
    pub(crate) fn is_a_word(&self, word: &str) -> bool {
        self.types.iter().any(|ty| match &ty.reading {
            Reading::Choice(words) | Reading::Flags(words) => words.set.contains(word),
            _ => false,
        })
    }

    /// Whether a path begins with the key under which a definition of the kind changes what it inherits.
    pub(crate) fn changes_below(&self, kind: KindId, path: &FieldPath, names: &Names) -> bool {
        let key = path.steps().first().and_then(|step| match step {
            Step::Key(key) => names.get(key),
            _ => None,
        });
        let operations = self.kind(kind).operations.as_ref();
        operations.zip(key).is_some_and(|(operations, key)| operations.under(key).is_some())
    }

    /// Whether values of a type are lists that are joined with what they are laid over.
    pub(crate) fn is_joined(&self, ty: TypeId) -> bool {
        matches!(&self.field_type(ty).reading, Reading::List(list) if list.join)
    }

    /// The kind of a name.
    pub fn kind_named(&self, name: &str) -> Option<KindId> {
        self.by_name.get(name).copied()
    }

    /// A vocabulary.
    pub(crate) fn vocabulary(&self, of: usize) -> &Vocabulary {
        self.vocabularies.get(of).expect("vocabularies are numbered by the rulebook's own table")
    }

    /// The path below a layer where a template looks for a name, as seen from a folder.
    pub(crate) fn file_at(&self, template: &FileTemplate, name: &str, beside: &str) -> String {
        let variable = self.folders.iter().find_map(|(word, folder)| Some((folder, name.strip_prefix(word.as_str())?)));
        let name = variable.map_or_else(|| name.to_owned(), |(folder, rest)| format!("{folder}{rest}"));
        let path = template.fill(&name.replace('\\', "/"));
        let path = match path.strip_prefix("./") {
            Some(rest) if !beside.is_empty() => format!("{beside}/{rest}"),
            Some(rest) => rest.to_owned(),
            None => path,
        };
        let mut parts: Vec<&str> = Vec::new();
        for part in path.split('/') {
            match part {
                "." | "" => {}
                ".." if parts.last().is_some_and(|last| *last != "..") => drop(parts.pop()),
                part => parts.push(part),
            }
        }
        parts.join("/")
    }

    /// Where a file has to be that a value of a field names, by one of the field's templates.
    pub(crate) fn file_sought(&self, ty: TypeId, template: &FileTemplate, name: &str, beside: &str) -> FileSought {
        let path = self.file_at(template, name, beside);
        let wildcards = self.field_type(ty).link.as_ref().is_some_and(|link| link.wildcards);
        match (template.names_folder(), wildcards && name.contains('*')) {
            (true, _) => FileSought::Fitting(format!("{path}/*")),
            (false, true) => FileSought::Fitting(path),
            (false, false) => FileSought::At(path),
        }
    }

    /// Whether a key is a remark that the game does not read.
    pub(crate) fn is_comment_key(&self, key: &str) -> bool {
        self.reader.comment_keys.iter().any(|pattern| super::link::fits(pattern, key))
    }

    /// Whether a field of a kind says which definition it is, and of what sort.
    pub(crate) fn tells_itself(&self, id: KindId, field: &str) -> bool {
        let kind = self.kind(id);
        let first = |path: &FieldPath| matches!(path.steps().first(), Some(Step::Key(key)) if key == field);
        let places = self.places.iter().filter(|place| place.which.has(id));
        let told = places.filter_map(|place| match &place.which {
            Which::By { from, .. } => Some(from),
            Which::Always(_) => None,
        });
        let of_places = self.places.iter().filter(|place| place.which.has(id));
        let of_places = of_places.filter_map(|place| place.test.as_ref());
        let tests = kind.again_if.iter().map(|(test, _)| test).chain(&kind.removes).chain(&kind.is_abstract);
        let tests = tests.chain(of_places);
        kind.name_from.iter().chain(told).any(|from| from.fields().into_iter().any(|(path, _)| first(path)))
            || tests.flat_map(|test| &test.0).any(|part| first(&part.path))
    }

    /// Whether fields of a type's own table mark the entries that they add or take out.
    pub(crate) fn marks_entries(&self, root: TypeId) -> bool {
        let super::types::Reading::Table(table) = &self.field_type(root).reading else { return false };
        table.fields.iter().any(|(_, ty)| {
            let written = self.field_type(*ty).written.as_ref();
            written.is_some_and(|written| !written.minus.is_empty() || !written.plus.is_empty())
        })
    }

    /// Whether ids of one of these kinds hold within a folder.
    pub(crate) fn any_scoped(&self, kinds: &[KindId]) -> bool {
        kinds.iter().any(|kind| self.kind(*kind).scoped)
    }

    /// Whether ids of a space are looked for in the folder first, then in those around it.
    pub(crate) fn is_scoped(&self, space: SpaceId) -> bool {
        self.kinds.iter().any(|kind| kind.space == space && kind.scoped)
    }

    /// What the field that names a kind's parents says of how it does so.
    pub(crate) fn link_of_parent(&self, kind: &super::Kind) -> Option<&super::Decoration> {
        let super::types::Reading::Table(table) = &self.field_type(kind.root).reading else { return None };
        let ty = self.field_type(table.get(kind.parent?)?);
        let one = match &ty.reading {
            super::types::Reading::List(list) => self.field_type(list.entry),
            _ => ty,
        };
        one.link.as_deref()
    }

    /// The kinds of which a kind's parents can be.
    pub(crate) fn parent_kinds(&self, kind: KindId) -> Vec<KindId> {
        match self.kind(kind).parent_kinds.as_slice() {
            [] => vec![kind],
            several => several.to_vec(),
        }
    }

    /// Whether a definition whose parent is called like itself continues what lies below it.
    pub(crate) fn continues_itself(&self, kind: &super::Kind) -> bool {
        kind.parent_kinds.first().is_none_or(|first| self.kind(*first).space == kind.space)
    }

    /// Whether definitions of a kind may have fields that are not described.
    pub(crate) fn is_open(&self, kind: KindId) -> bool {
        matches!(&self.field_type(self.kind(kind).root).reading, super::types::Reading::Table(table) if table.open)
    }

    /// The first kind of an id space.
    pub(crate) fn kind_in(&self, space: SpaceId) -> KindId {
        self.kinds().find(|(_, kind)| kind.space == space).map_or(KindId(0), |(id, _)| id)
    }

    /// A notation that the rulebook describes.
    pub fn notation(&self, name: &str) -> Option<&Notation> {
        self.notations.iter().find(|(known, _)| known == name).map(|(_, notation)| notation)
    }

    /// A type.
    pub fn field_type(&self, id: TypeId) -> &FieldType {
        self.types.get(id.0 as usize).expect("type ids are made with the rulebook's own table")
    }

    /// The patterns of the files where definitions of a kind stand.
    pub fn places_of(&self, kind: KindId) -> Vec<&str> {
        let places = self.places.iter().filter(|place| place.which.has(kind));
        places.flat_map(|place| place.patterns.iter().map(String::as_str)).collect()
    }
}
