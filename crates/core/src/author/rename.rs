//! `rename`: another id for a definition of a mod, and every place of the mod that names it.
//!
//! What a word means is asked of the rulebook, not guessed: a reference gets the word that leads to the new id as
//! its own led to the old one, whatever decoration, folder or beginning it has. All is read back: the same references
//! lead to the same definitions, under their new ids.

mod kept;
mod names;
mod same;
mod texts;

use std::collections::{BTreeMap, BTreeSet};

use self::kept::alias;
use self::names::Renamed;

use super::mods::{own_file, with_mod_called};
use super::requirement::writable;
use super::rewrites::{Rewrites, afterwards, layer_again};
use super::set::SetError;
use super::texts::entry_of_text;
use super::usable::usable_id;
use crate::catalog::{Address, Catalog, Harvest, LayerId, Target, folder, means_parent, parent_meant};
use crate::document::{Document, Draft, Edit, FieldPath, Node, Shape, Step, find};
use crate::effective::{View, World};
use crate::expression::quotes;
use crate::rulebook::{KindId, Mention, Reading};
use crate::source::{ChangeSet, FileId, Place, Source};
use crate::workspace::{ACCEPTED_FILE, NOTES_FILE};

/// Ids that are made of others change with them; so often it is looked at again.
const ROUNDS: usize = 8;

/// What to rename.
#[derive(Clone, Debug)]
pub struct RenameOptions {
    /// The mod that is written to.
    pub layer: LayerId,
    /// The definition.
    pub address: Address,
    /// Its new id.
    pub id: String,
    /// Whether the old id stays as a further name, where the game knows such.
    pub alias: bool,
}

/// Something that follows a renaming.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum Follows {
    /// The definition itself.
    Definition,
    /// A reference.
    Use,
    /// An amendment.
    Amendment,
    /// A formula, a condition or a rule that speaks of it.
    Expression,
    /// The key of a text.
    Text,
    /// A remark, or an accepted finding.
    Own,
}

/// A use that stays as it is.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct LeftUse {
    /// Where.
    pub place: Place,
    /// What it is, for a person.
    pub what: String,
}

/// What a renaming comes to.
#[derive(Default, Debug)]
pub struct RenameReport {
    /// The files to write.
    pub changes: ChangeSet,
    /// Old and new addresses: the definition's, and those of definitions whose ids are made of it.
    pub renamed: Vec<(String, String)>,
    /// What follows, by its place before.
    pub followed: Vec<(Follows, Place)>,
    /// Files that go elsewhere with it.
    pub moved: Vec<(String, String)>,
    /// Where the old id stays as a further name: in words.
    pub alias: Option<String>,
    /// Uses in other mods.
    pub elsewhere: Vec<LeftUse>,
    /// What has to be looked at by a person.
    pub by_hand: Vec<LeftUse>,
}

/// Plans a new id for a definition and reads it back. Nothing is written.
///
/// # Errors
/// The definition is not the mod's own, the id is taken or not as ids must be, or what would be written would not be
/// read as what was meant.
pub fn rename(source: &dyn Source, world: &World, options: &RenameOptions) -> Result<RenameReport, SetError> {
    let catalog = &world.catalog;
    let kind = of_the_mod(world, options.layer, options.address)?;
    let old = catalog.names.text(options.address.id).to_owned();
    let id = match old.rsplit_once('/').filter(|_| catalog.rulebook.kind(kind).scoped && !options.id.contains('/')) {
        Some((folder, _)) => format!("{folder}/{}", options.id),
        None => options.id.clone(),
    };
    if id == old {
        let shown = catalog.show_address(options.address);
        return Err(SetError::Problem(format!("`{shown}` is called so already")));
    }
    usable_id(world, options.layer, (kind, &id), false)?;
    let all = vec![Renamed { address: options.address, kind, old: old.clone(), new: id.clone(), follows: false }];
    let (mut report, after, turned) = together(source, world, options.layer, all, None)?;
    if options.alias && !turned {
        alias(after, options.layer, kind, (&old, &id), &mut report)?;
    }
    Ok(report)
}

/// Plans another id for a mod and with it new ids for some of its definitions, as [`rename`]; those whose ids are made of
/// the mod's change with it anyway.
///
/// # Errors
/// As of [`rename`], and of giving the mod that id.
pub(super) fn rename_with_mod(
    source: &dyn Source,
    world: &World,
    layer: LayerId,
    ids: &[(Address, String)],
    id: &str,
) -> Result<RenameReport, SetError> {
    let mut all = Vec::new();
    for (address, id) in ids {
        let kind = of_the_mod(world, layer, *address)?;
        usable_id(world, layer, (kind, id), false)?;
        let old = world.catalog.names.text(address.id).to_owned();
        all.push(Renamed { address: *address, kind, old, new: id.clone(), follows: false });
    }
    let (report, ..) = together(source, world, layer, all, Some(id))?;
    Ok(report)
}

/// What becomes of definitions that get new ids, the workspace as it is then, and whether a record of the game was turned.
/// `mod_id`: what the mod is called then, where that changes, too.
fn together(
    source: &dyn Source,
    world: &World,
    layer: LayerId,
    mut all: Vec<Renamed>,
    mod_id: Option<&str>,
) -> Result<(RenameReport, World, bool), SetError> {
    let catalog = &world.catalog;
    let own = &catalog.layer(layer).id;
    let old = all.first().map_or_else(|| own.clone(), |one| one.old.clone());
    for _ in 0..ROUNDS {
        let mut plan = Plan::new(world, layer, &all);
        plan.all()?;
        let mut changes = plan.changes()?;
        if let Some(id) = mod_id {
            changes = with_mod_called(source, world, layer, changes, id)?;
        }
        let after = afterwards(source, own, &changes)?;
        let then = layer_again(&after, mod_id.unwrap_or(own))?;
        let moved = plan.moved(&after.catalog.layer(then).folder);
        let more = names::following(world, &after, layer, &moved, &all);
        if !more.is_empty() {
            all.extend(more);
            continue;
        }
        plan.read_back(&after, then, &moved)?;
        let (elsewhere, turned) = (plan.elsewhere(), plan.turned);
        let shown = |renamed: &Renamed, id: &str| format!("{}/{id}", catalog.rulebook.kind(renamed.kind).name());
        let report = RenameReport {
            renamed: all.iter().map(|one| (shown(one, &one.old), shown(one, &one.new))).collect(),
            followed: plan.followed.into_iter().collect(),
            moved: plan.rewrites.moved.clone().into_iter().collect(),
            elsewhere,
            by_hand: plan.by_hand,
            changes,
            alias: None,
        };
        return Ok((report, after, turned));
    }
    Err(SetError::Problem(format!("ids that are made of `{old}` go on changing each other")))
}

/// The kind of a definition, if it is the mod's own to rename, move or delete.
fn of_the_mod(world: &World, layer: LayerId, address: Address) -> Result<KindId, SetError> {
    let catalog = &world.catalog;
    writable(catalog, layer)?;
    let (shown, own) = (catalog.show_address(address), &catalog.layer(layer).id);
    let ground = world.ground(layer);
    if let Some((_, lower)) = ground.stack(address).next() {
        let lower = catalog.layer(lower.layer);
        let from = if lower.is_base() { "the base game".to_owned() } else { format!("the mod `{}`", lower.id) };
        let there = if lower.is_base() { String::new() } else { format!("`--mod {}` renames it there; ", lower.id) };
        let help = format!("{there}`cognomen copy {shown} NEW` makes one of `{own}`'s own, to be used instead");
        return Err(SetError::Problem(format!(
            "`{shown}` is from {from}, so `{own}` cannot rename it\n  help: {help}"
        )));
    }
    let mut mine = catalog.stack(address).filter(|(_, definition)| definition.layer == layer);
    match mine.next() {
        Some((_, definition)) => Ok(definition.kind),
        None => {
            let theirs = catalog.stack(address).next().map(|(_, definition)| &catalog.layer(definition.layer).id);
            let theirs = theirs.map(|id| format!(": it is from `{id}`\n  help: `--mod {id}` renames it there"));
            Err(SetError::Problem(format!("`{own}` does not define `{shown}`{}", theirs.unwrap_or_default())))
        }
    }
}

struct Plan<'w> {
    world: &'w World,
    catalog: &'w Catalog,
    layer: LayerId,
    view: View<'w>,
    all: &'w [Renamed],
    rewrites: Rewrites<'w>,
    followed: BTreeSet<(Follows, Place)>,
    by_hand: Vec<LeftUse>,
    /// Keys of texts and paths below the layer, old and new, each with the ids that make them so.
    keys: Vec<Pair>,
    paths: Vec<Pair>,
    /// Edits of the workspace's own files.
    own: Vec<(&'static str, Edit)>,
    /// Whether a record of an old id now leads the other way.
    turned: bool,
}

/// What is made of an id, before and after, with the ids.
struct Pair {
    old: String,
    new: String,
    ids: (String, String),
}

impl<'w> Plan<'w> {
    fn new(world: &'w World, layer: LayerId, all: &'w [Renamed]) -> Plan<'w> {
        let catalog = &world.catalog;
        Plan {
            world,
            catalog,
            layer,
            view: world.with_ground(layer),
            all,
            rewrites: Rewrites::new(catalog),
            followed: BTreeSet::new(),
            by_hand: Vec::new(),
            keys: Vec::new(),
            paths: Vec::new(),
            own: Vec::new(),
            turned: false,
        }
    }

    fn all(&mut self) -> Result<(), SetError> {
        for renamed in self.all {
            names::own(self.catalog, self.layer, renamed, &mut self.rewrites, &mut self.followed)?;
            self.belongings(renamed);
            self.own_files(renamed);
        }
        for (file, harvest, document) in files_of(self.catalog, self.layer) {
            for mention in &harvest.mentions {
                self.mention(document, harvest, mention);
            }
            self.parents(file, document, harvest);
        }
        self.amendments();
        self.rules();
        self.records();
        Ok(())
    }

    fn changes(&self) -> Result<ChangeSet, SetError> {
        let mut changes = self.rewrites.changes()?;
        for path in [NOTES_FILE, ACCEPTED_FILE] {
            let edits: Vec<Edit> =
                self.own.iter().filter(|(file, _)| *file == path).map(|(_, edit)| edit.clone()).collect();
            changes.files.extend(own_file(self.catalog, path, &edits)?);
        }
        Ok(changes)
    }

    /// Where the mod's files go that go elsewhere: each by itself, or all with their folder.
    fn moved(&self, folder: &str) -> BTreeMap<String, String> {
        let moved = &self.rewrites.moved;
        let before = format!("{}/", self.catalog.layer(self.layer).folder);
        let files = self.catalog.files().filter(|(_, file)| file.layer == Some(self.layer));
        let there = files.filter_map(|(_, file)| {
            let path = moved.get(&file.path).unwrap_or(&file.path);
            let to = path.strip_prefix(&before).map_or_else(|| path.clone(), |below| format!("{folder}/{below}"));
            (to != file.path).then(|| (file.path.clone(), to))
        });
        there.collect()
    }

    /// The renamed definition that an address is.
    fn renamed(&self, address: Address) -> Option<&'w Renamed> {
        self.all.iter().find(|renamed| renamed.address == address)
    }

    /// Texts and files that belong to a definition by its id.
    fn belongings(&mut self, renamed: &Renamed) {
        let (catalog, layer) = (self.catalog, self.layer);
        let described = catalog.rulebook.kind(renamed.kind);
        let ids = || (renamed.old.clone(), renamed.new.clone());
        let of_it: Vec<String> =
            described.texts.iter().map(|rule| described.filled(&rule.template, &renamed.old)).collect();
        for rule in &described.texts {
            let (old, new) =
                (described.filled(&rule.template, &renamed.old), described.filled(&rule.template, &renamed.new));
            let own = catalog.texts.get(&old).into_iter().flatten().map(|(_, at)| *at);
            for at in own.filter(|at| catalog.file(at.file).layer == Some(layer)) {
                let node = catalog.node(at);
                match entry_of_text(catalog, node) {
                    (_, Some(key)) => self.rewrites.value(key, &old, &new),
                    (entry, None) => self.text_key(entry, (&old, &new), renamed, &of_it),
                }
                self.followed.insert((Follows::Text, node.place()));
            }
            self.keys.push(Pair { old, new, ids: ids() });
        }
        for (_, template) in &described.files {
            let (old, new) = (described.filled(template, &renamed.old), described.filled(template, &renamed.new));
            let folder = &catalog.layer(self.layer).folder;
            let from = format!("{folder}/{old}");
            if catalog.file_named(&from).is_some() {
                self.rewrites.moved.insert(from, format!("{folder}/{new}"));
                self.paths.push(Pair { old, new, ids: ids() });
            }
        }
    }

    /// Remarks and accepted findings.
    fn own_files(&mut self, renamed: &Renamed) {
        let catalog = self.catalog;
        let kind = catalog.rulebook.kind(renamed.kind).name();
        let (old, new) = (format!("{kind}/{}", renamed.old), format!("{kind}/{}", renamed.new));
        if let Some((about, note)) = catalog.notes().find(|(about, _)| *about == old) {
            let at = FieldPath::key("note").with(Step::Key(about.to_owned()));
            self.own.push((NOTES_FILE, Edit::Rename { at, to: new.clone() }));
            self.followed.insert((Follows::Own, note.place));
        }
        for (nth, (accepted, place)) in catalog.accepted.iter().enumerate() {
            if accepted.of.as_ref() == Some(&old) {
                let at = FieldPath::key("accept").with(Step::Index(nth)).with(Step::Key("of".to_owned()));
                self.own.push((ACCEPTED_FILE, Edit::Set { at, to: Draft::Text(new.clone()) }));
                self.followed.insert((Follows::Own, *place));
            }
        }
    }

    fn mention(&mut self, document: &Document, harvest: &Harvest, mention: &Mention) {
        let catalog = self.catalog;
        let rulebook = &catalog.rulebook;
        let ty = rulebook.field_type(mention.wants);
        let node = document.node(mention.at);
        match &ty.reading {
            Reading::Link(_) => {
                let targets = self.view.targets_of(document, harvest, mention);
                let Some(renamed) = targets.iter().find_map(|target| self.renamed(*target)) else { return };
                let by_key = ty.is_of_keys();
                let written = catalog.mentioned(document, mention).into_owned();
                let definition = harvest.definitions.get(mention.from as usize).map(|made| document.node(made.node));
                let beside = |path: &FieldPath| catalog.beside(node, definition, path);
                let file = catalog.leads_from(document, harvest, mention);
                let leads = |word: &str, id: &str| {
                    let sought = catalog.in_folders(catalog.sought(word, mention.wants, &beside), file);
                    let is_of = |kind: KindId| rulebook.kind(kind).space == renamed.address.space;
                    sought.ids.iter().any(|(kind, found)| is_of(*kind) && found == id)
                };
                if !leads(&written, &renamed.old) {
                    // by a further name, which stays; or for anything with such an id
                    if written.contains('*') && !leads(&written, &renamed.new) {
                        self.look_at(node.place(), format!("`{written}` speaks of several ids"));
                    }
                    return;
                }
                match reworded(&written, &renamed.old, &renamed.new, |word| leads(word, &renamed.new)) {
                    Some(word) if by_key => self.rewrites.key(node, &word),
                    Some(word) => self.rewrites.value(node, &written, &word),
                    None => {
                        let what = format!("`{written}` leads to `{}` by other words than its id", renamed.old);
                        return self.look_at(node.place(), what);
                    }
                }
                self.followed.insert((Follows::Use, node.place()));
            }
            Reading::File(template) => {
                let beside = folder(catalog.leads_from(document, harvest, mention));
                let written = node.text().into_owned();
                let of_word =
                    |word: &str, path: &str| template.all().any(|one| rulebook.file_at(one, word, beside) == path);
                let names = |text: &str, path: &str| ty.names_in(text).into_iter().any(|word| of_word(word, path));
                self.pair(node, &written, names, |plan| &plan.paths);
            }
            Reading::Key(template) => {
                let written = node.text().into_owned();
                let names =
                    |text: &str, key: &str| ty.names_in(text).into_iter().any(|word| template.fill(word) == key);
                self.pair(node, &written, names, |plan| &plan.keys);
            }
            Reading::Formula { .. } => self.expression(node.place(), &node.text()),
            _ => {}
        }
    }

    /// A value that names a text or a file that is called otherwise now.
    fn pair(
        &mut self,
        node: Node<'_>,
        written: &str,
        names: impl Fn(&str, &str) -> bool,
        pairs: for<'p> fn(&'p Plan<'w>) -> &'p Vec<Pair>,
    ) {
        let pair = pairs(self).iter().find(|pair| pair.old != pair.new && names(written, &pair.old));
        let Some((new, ids)) = pair.map(|pair| (pair.new.clone(), pair.ids.clone())) else { return };
        match reworded(written, &ids.0, &ids.1, |word| names(word, &new)) {
            Some(word) => {
                self.rewrites.value(node, written, &word);
                self.followed.insert((Follows::Use, node.place()));
            }
            None => self.look_at(node.place(), format!("`{written}` is called otherwise now: {new}")),
        }
    }

    /// The parents that definitions name in a way of their own.
    fn parents(&mut self, file: FileId, document: &Document, harvest: &Harvest) {
        let catalog = self.catalog;
        let Some((start, _)) = catalog.starts.get(file.0 as usize).copied() else { return };
        for (nth, made) in harvest.definitions.iter().enumerate() {
            let kind = catalog.rulebook.kind(made.kind);
            let definition = crate::catalog::DefId(start + crate::source::to_u32(nth));
            let (Some(key), Some(_)) = (kind.parent, made.parent) else { continue };
            let named = self.view.parents_at(definition).into_iter().filter_map(|parent| self.renamed(parent));
            for renamed in named.collect::<Vec<_>>() {
                let Some(node) = document.node(made.node).get(key) else { continue };
                let relative = &catalog.file(file).relative;
                let means =
                    |word: &str, id: &str| means_parent(&parent_meant(&catalog.rulebook, kind, word, relative), id);
                let single = std::iter::once(node).chain(node.children()).filter(|node| node.shape() != Shape::List);
                for node in single {
                    let written = node.text().into_owned();
                    if !means(&written, &renamed.old) || self.followed.contains(&(Follows::Use, node.place())) {
                        continue;
                    }
                    if let Some(word) = reworded(&written, &renamed.old, &renamed.new, |word| means(word, &renamed.new))
                    {
                        self.rewrites.value(node, &written, &word);
                        self.followed.insert((Follows::Use, node.place()));
                    }
                }
            }
        }
    }

    fn amendments(&mut self) {
        let catalog = self.catalog;
        for (_, amendment) in catalog.amendments_of(self.layer) {
            match &amendment.target {
                Target::Of { id } => {
                    let address = catalog.address(amendment.kind, id);
                    let Some(renamed) = address.and_then(|address| self.renamed(address)) else { continue };
                    if self.rewrites.word(amendment.target_place, &renamed.old, &renamed.new) {
                        self.followed.insert((Follows::Amendment, amendment.target_place));
                    }
                }
                Target::Which { condition: Some((text, place)) } => self.expression(*place, text),
                Target::Which { condition: None } => {}
            }
        }
    }

    /// A record that leads from the new id to the old one leads the other way round.
    fn records(&mut self) {
        let (catalog, renamed) = (self.catalog, self.all.first());
        let Some(renamed) = renamed else { return };
        let own = catalog.definitions().filter(|(_, made)| made.layer == self.layer);
        for (_, made) in own {
            let Some(renames) = &catalog.rulebook.kind(made.kind).renames else { continue };
            if renames.kind != renamed.kind {
                continue;
            }
            let node = catalog.node(made.at());
            let word = |path: &FieldPath| find(node, path, &catalog.names);
            if let (Some(from), Some(to)) = (word(&renames.from), word(&renames.to))
                && from.text() == renamed.new
                && to.text() == renamed.old
            {
                self.rewrites.value(from, &renamed.new, &renamed.old);
                self.turned = true;
            }
        }
    }

    /// The rules of the mod's own supplement to the rulebook.
    fn rules(&mut self) {
        let (catalog, layer) = (self.catalog, Some(self.layer));
        for (_, kind) in catalog.rulebook.kinds() {
            for rule in kind.rules().iter().filter(|rule| catalog.file(rule.place().file).layer == layer) {
                let said = format!("{}\n{}", rule.require(), rule.when().unwrap_or_default());
                self.expression(rule.place(), &said);
            }
        }
    }

    /// Words in quotation marks: changed where they can mean nothing else.
    fn expression(&mut self, place: Place, text: &str) {
        for renamed in self.all {
            if !quotes(text, &renamed.old) {
                continue;
            }
            if self.means_more(renamed) || self.rewrites.quoted(place, &renamed.old, &renamed.new) == 0 {
                self.look_at(place, format!("`{text}` speaks of `{}`", renamed.old));
            } else {
                self.followed.insert((Follows::Expression, place));
            }
        }
    }

    /// Whether an id is a word that means something else, too.
    fn means_more(&self, renamed: &Renamed) -> bool {
        let catalog = self.catalog;
        let other = catalog.names.get(&renamed.old).is_some_and(|id| {
            catalog.stacks.addresses().any(|other| other.id == id && other.space != renamed.address.space)
        });
        other || catalog.rulebook.is_a_word(&renamed.old)
    }

    fn look_at(&mut self, place: Place, what: String) {
        self.by_hand.push(LeftUse { place, what });
    }

    /// The uses in other mods, which stay.
    fn elsewhere(&self) -> Vec<LeftUse> {
        let catalog = self.catalog;
        let mut out = Vec::new();
        for (layer, _) in catalog.layers().skip(1).filter(|(layer, _)| *layer != self.layer) {
            let view = self.world.with_ground(layer);
            let shown =
                |address: Option<Address>| address.map_or("an amendment".to_owned(), |at| catalog.show_address(at));
            for (file, harvest, document) in files_of(catalog, layer) {
                for mention in &harvest.mentions {
                    let named = view.targets_of(document, harvest, mention);
                    if named.iter().any(|target| self.renamed(*target).is_some()) {
                        let about = catalog.definition_of(file, mention.from);
                        let what = shown(about.and_then(|(_, made)| catalog.address_of(made)));
                        out.push(LeftUse { place: document.node(mention.at).place(), what });
                    }
                }
            }
            for (_, amendment) in catalog.amendments_of(layer) {
                if let Target::Of { id } = &amendment.target
                    && catalog.address(amendment.kind, id).is_some_and(|at| self.renamed(at).is_some())
                {
                    out.push(LeftUse { place: amendment.target_place, what: "an amendment of it".to_owned() });
                }
            }
            let made = catalog.definitions().filter(|(_, made)| made.layer == layer);
            for (_, made) in made {
                if catalog.address_of(made).is_some_and(|at| self.renamed(at).is_some()) {
                    let place = catalog.definition_place(made.at());
                    out.push(LeftUse { place, what: "its own definition of it".to_owned() });
                }
            }
        }
        out.sort_by_key(|left| left.place);
        out.dedup();
        out
    }
}

/// The files of a layer that name something.
pub(super) fn files_of(catalog: &Catalog, layer: LayerId) -> impl Iterator<Item = (FileId, &Harvest, &Document)> {
    let own = catalog.files().filter(move |(_, file)| file.layer == Some(layer) && file.role.is_harvested());
    own.filter_map(|(file, _)| Some((file, &**catalog.harvest_of(file)?, &**catalog.document(file)?)))
}

/// A text that says the new id where it says the old one, or as much of its end as it says, so that it leads there.
pub(super) fn reworded(written: &str, old: &str, new: &str, leads: impl Fn(&str) -> bool) -> Option<String> {
    let (mut old, mut new) = (old, new);
    loop {
        for (at, _) in written.match_indices(old) {
            let (before, after) = (written.get(..at)?, written.get(at + old.len()..)?);
            let word = format!("{before}{new}{after}");
            if leads(&word) {
                return Some(word);
            }
        }
        // without a folder, or another beginning, that both have
        let next = |id: &str| id.find(['/', ':', '.']).and_then(|at| Some((id.get(..=at)?.len(), at)));
        let (cut, _) = next(old).filter(|(cut, _)| new.get(..*cut) == old.get(..*cut))?;
        (old, new) = (old.get(cut..)?, new.get(cut..)?);
    }
}
