//! What the rulebook says of one kind.

use super::groups::{Group, IdPolicy};
use super::naming::NameFrom;
use super::operations::Operations;
use super::pattern::Pattern;
use super::test::Test;
use super::types::{KindId, Rule, SpaceId, SupplementId, TypeId};
use crate::document::FieldPath;
use crate::names::Sym;
use crate::own::{self, OwnFault, Reading};
use crate::said::said;
use crate::source::Place;

/// A text that belongs to a definition.
#[derive(Clone, Debug)]
pub(crate) struct TextRule {
    pub(crate) role: String,
    pub(crate) template: String,
    pub(crate) optional: bool,
    pub(crate) tokens: Vec<String>,
}

/// A group of definitions, like a tag.
#[derive(Clone, Debug)]
pub(crate) struct Members {
    /// The field that lists them.
    pub(crate) field: Pattern,
    /// The field that tells their kind.
    pub(crate) are: Option<FieldPath>,
}

/// A field of a kind that brings what it names into the game.
#[derive(Clone, Debug)]
pub(crate) struct LedBy {
    pub(crate) kind: KindId,
    pub(crate) pattern: String,
    /// The mod that brings it along.
    pub(crate) from: Option<SupplementId>,
}

/// What a repeated id in a higher layer means.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Again {
    /// A fault.
    Fault,
    /// The higher definition counts alone.
    Replace,
    /// The higher definition's fields are laid over the lower one's.
    Merge,
    /// Both count side by side.
    Variant,
}

/// A record that gives definitions of a kind another id.
#[derive(Debug)]
pub(crate) struct Renames {
    pub(crate) from: FieldPath,
    pub(crate) to: FieldPath,
    pub(crate) kind: KindId,
}

/// Where a path begins that names a parent.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum PathStart {
    /// In a folder below the base or mod; with an empty one there itself.
    Folder(String),
    /// In the folder of the file that names it.
    File,
}

/// Reads `parent_paths`.
pub(super) fn path_starts(table: &Reading<'_, '_>, faults: &mut Vec<OwnFault>) -> Vec<PathStart> {
    let mut all = Vec::new();
    for (word, node) in table.texts("parent_paths") {
        let within = !word.starts_with('/') && !word.split('/').any(|part| part == "..");
        match word.as_str() {
            "root" => all.push(PathStart::Folder(String::new())),
            "file" => all.push(PathStart::File),
            folder if folder.ends_with('/') && within => all.push(PathStart::Folder(folder.to_owned())),
            _ => {
                let message = said!("`parent_paths` are `root`, `file` or a folder like `shared/`, not `{word}`", word);
                faults.push(own::fault(node.place(), message));
            }
        }
    }
    if all.is_empty() {
        all.push(PathStart::Folder(String::new()));
    }
    all
}

/// One kind.
#[derive(Debug)]
pub struct Kind {
    pub(crate) name: String,
    /// Where the rulebook names it.
    pub(crate) place: Place,
    /// The mod that brings the kind along.
    pub(crate) from: Option<SupplementId>,
    pub(crate) about: Option<String>,
    pub(crate) space: SpaceId,
    /// Whether other kinds share its ids.
    pub(crate) shared: bool,
    pub(crate) name_from: Vec<NameFrom>,
    /// The fields that hold the id alone, which is nobody else's.
    pub(crate) id_fields: Vec<Sym>,
    pub(crate) parent: Option<Sym>,
    /// The kinds of which a parent can be, in which it is looked for in turn; without them, the kind's own ids.
    pub(crate) parent_kinds: Vec<KindId>,
    /// Whether the parent field may name several.
    pub(crate) several_parents: bool,
    /// Whether the parent field holds a path: a kind of this id space is named by it.
    pub(crate) parent_by_path: bool,
    /// Where paths in the parent field begin, in turn.
    pub(crate) parent_paths: Vec<PathStart>,
    pub(crate) again: Again,
    /// What it means for definitions that a test tells apart; the first that holds counts.
    pub(crate) again_if: Vec<(Test, Again)>,
    /// Whether ids are looked for in the folder first, then in those around it.
    pub(crate) scoped: bool,
    /// Fields with further names.
    pub(crate) aliases: Vec<FieldPath>,
    /// Where it holds, the definition is only there to be inherited from.
    pub(crate) is_abstract: Option<Test>,
    /// Where it holds, the definition takes the one below away.
    pub(crate) removes: Option<Test>,
    pub(crate) renames: Option<Renames>,
    /// How the game writes changes of what is inherited.
    pub(crate) operations: Option<Operations>,
    /// Whether parents are those of the layers up to the child's.
    pub(crate) early: bool,
    /// Fields that hold the id once more.
    pub(crate) repeats_id: Vec<FieldPath>,
    pub(crate) label: Option<FieldPath>,
    pub(crate) texts: Vec<TextRule>,
    /// Files that a definition implies: role and template.
    pub(crate) files: Vec<(String, String)>,
    pub(crate) ids: Option<IdPolicy>,
    pub(crate) groups: Vec<Group>,
    pub(crate) retired: Option<Test>,
    /// Nothing can be added to it: what to do instead, or nothing.
    pub(crate) closed: Option<String>,
    pub(crate) members: Option<Members>,
    pub(crate) led_to: Vec<LedBy>,
    pub(crate) takes_up: Option<String>,
    pub(crate) see: Option<String>,
    pub(crate) root: TypeId,
    /// The names on the paths by which some fields exist or not.
    pub(crate) tested: Vec<String>,
    pub(crate) rules: Vec<Rule>,
}

impl Kind {
    /// Whether its fields depend on each other: some exist only under a condition, or are counted together.
    pub(crate) fn has_dependent_fields(&self) -> bool {
        !self.tested.is_empty() || !self.groups.is_empty()
    }

    /// Whether ids are made of the mod's id, so that they change with it.
    pub(crate) fn is_named_by_mod(&self) -> bool {
        self.name_from.iter().any(NameFrom::has_mod)
    }

    /// Whether a parent is looked for in several kinds or folders in turn, or in other kinds than its own.
    pub(crate) fn has_parents_in_turn(&self) -> bool {
        !self.parent_kinds.is_empty() || self.parent_paths.len() > 1
    }

    /// The kind's name, the first part of its addresses.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// What definitions of this kind are.
    pub fn about(&self) -> Option<&str> {
        self.about.as_deref()
    }

    /// What a repeated id means.
    pub fn again(&self) -> Again {
        self.again
    }

    /// The type of a whole definition.
    pub fn root(&self) -> TypeId {
        self.root
    }

    /// The rules of the kind.
    pub fn rules(&self) -> &[Rule] {
        &self.rules
    }

    /// Whether its definitions are groups of others, like tags.
    pub fn is_group(&self) -> bool {
        self.members.is_some()
    }

    /// How the game takes up a change of this kind.
    pub fn takes_up(&self) -> Option<&str> {
        self.takes_up.as_deref()
    }

    /// How to look at one in the game.
    pub fn see(&self, id: &str) -> Option<String> {
        self.see.as_ref().map(|see| see.replace("{id}", id))
    }

    pub(crate) fn text_key(&self, role: &str, id: &str) -> Option<String> {
        let rule = self.texts.iter().find(|rule| rule.role == role)?;
        Some(self.filled(&rule.template, id))
    }

    pub(crate) fn filled(&self, template: &str, id: &str) -> String {
        template.replace("{id}", id).replace("{kind}", &self.name)
    }
}
