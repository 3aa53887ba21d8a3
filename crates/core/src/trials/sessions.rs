//! A person's work by chance: what each command says it does shows when everything is read anew, nothing of the base is
//! touched, `check` takes what was written, and what is built shows what was meant.

mod said;

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;

use super::around::Texts;
use super::built_otherwise;
use super::by_hand::{take, texts_of, with_long_ends};
use super::dependent::{LINES, amiss};
use super::games::{Cut, Game, IDS, Named, shown_files};
use super::shapes::TO_SHAPES;
use super::{load, opened};
use crate::author::{
    Assignment, CopyOptions, DeleteError, DeleteOptions, Join, ManyOptions, MoveOptions, NewOptions, RenameOptions,
    Selection, SetOptions, Start, copy, delete, join_group, move_definitions, new_definition, rename, set, set_many,
};
use crate::catalog::{Address, LayerId};
use crate::check::check;
use crate::dice::Dice;
use crate::document::{Draft, FieldPath, Format, Step};
use crate::effective::{Membership, World};
use crate::rulebook::{KindId, Severity};
use crate::source::{ChangeSet, MemorySource};

/// A workspace in which a person works.
pub(super) struct Session {
    pub(super) game: Game,
    pub(super) source: MemorySource,
    /// Whether a person's editor ends lines as on Windows.
    pub(super) long: bool,
    /// The mod's own definitions.
    own: Vec<String>,
    log: Vec<String>,
    wrong: Vec<String>,
    pub(super) done: usize,
}

/// Assignments that people type.
fn assignment(game: &Game, dice: &mut Dice) -> String {
    const FLAT: [&str; 14] = [
        "pay=7",
        "pay+=2",
        "pay*=2",
        "pay-=1",
        "says=hello",
        "says=12",
        "says=a, b & c",
        "wet=true",
        "wet=false",
        "marks+=new",
        "marks-=old",
        "marks=bent,dry",
        "marks=dry",
        "says-",
    ];
    const DEEP: [&str; 26] = [
        "wants[what=ash].many=5",
        "wants[what=elm].many*=2",
        "wants-=elm",
        "wants+=oak,2",
        "wants=[[\"oak\", 2], [\"ash\", 1]]",
        "wants-=ash,3",
        "wants[0][1]=5",
        "wants=elm,4",
        "span=2-9",
        "span[1]=7",
        "at[0]=8",
        "at=[1, 2]",
        "costs.ash=3",
        "costs.elm=6",
        "costs.oak-",
        "note=cheap",
        "hull-",
        "holds-",
        "holds[what=salt].many*=2",
        "hull.length=3",
        "hull.of=elm",
        "holds[what=salt].many=5",
        "holds-=wool",
        "holds+=[{\"what\": \"hay\"}]",
        "hull.length*=2",
        "hull.of-",
    ];
    let mut all = if game.format == Format::Csv { FLAT.to_vec() } else { [&FLAT[..], &DEEP[..]].concat() };
    if game.depends {
        all.extend(LINES);
        all.extend(LINES);
    }
    dice.of(&all).to_owned()
}

/// Assignments that name another definition.
fn naming(game: &Game, id: &str, dice: &mut Dice) -> String {
    let key = FieldPath::key("feeds").with(Step::Key(id.to_owned()));
    let flat = [format!("near={id}"), format!("mix={id}*4"), format!("mix+={id}*3")];
    let deep = [
        format!("gives+={id}"),
        format!("gives-={id}"),
        format!("gives[what={id}].many=4"),
        format!("steps+={{\"with\": \"{id}\", \"long\": 3}}"),
        format!("steps[1].with={id}"),
    ];
    let mut all = flat.to_vec();
    if game.format != Format::Csv {
        all.extend(deep);
    }
    if game.keys_can_be_ids() {
        all.push(format!("{key}=5"));
    }
    let all: Vec<&str> = all.iter().map(String::as_str).collect();
    dice.of(&all).to_owned()
}

fn read(line: &str) -> Assignment {
    match line.strip_suffix('-') {
        Some(path) => Assignment::unset(path).unwrap(),
        None => Assignment::parse(line).unwrap(),
    }
}

impl Session {
    pub(super) fn new(game: Game, dice: &mut Dice) -> Session {
        let mut source = game.source(dice);
        let long = dice.chance(15);
        if long {
            source = with_long_ends(&source);
        }
        Session { game, source, long, own: Vec::new(), log: Vec::new(), wrong: Vec::new(), done: 0 }
    }

    /// One in a game of this seed, after some commands: `least`, and up to as many more as `more`, itself left out.
    pub(super) fn worked(seed: u64, (least, more): (u64, u64)) -> Session {
        let mut dice = Dice::seeded(seed);
        let mut session = Session::new(Game::roll(&mut dice), &mut dice);
        for _ in 0..dice.roll(more) + least {
            session.step(&mut dice);
        }
        session
    }

    /// The files as they are now.
    pub(super) fn source(&self) -> &MemorySource {
        &self.source
    }

    /// What is read of the files as they are now; the mod, and the kind.
    pub(super) fn world(&self) -> (World, LayerId, KindId) {
        let world = load(&self.source).unwrap();
        let layer = world.catalog().layer_named("yard").unwrap();
        let kind = world.catalog().rulebook().kind_named("good").unwrap();
        (world, layer, kind)
    }

    fn shows(world: &World, layer: LayerId, at: Address) -> Option<Draft> {
        let effective = world.with_ground(layer).effective(at)?;
        Some(effective.whole(world.catalog()).draft(world.catalog()))
    }

    /// What all of the base's and the mod's own show, by id.
    fn all_shown(&self) -> Vec<(String, Option<Draft>)> {
        let (world, layer, kind) = self.world();
        let ids = IDS.iter().map(|word| self.game.id(word)).chain(self.own.clone());
        let shown = |id: String| {
            let at = world.catalog().address(kind, &id);
            (id, at.and_then(|at| Self::shows(&world, layer, at)))
        };
        ids.map(shown).collect()
    }

    /// One command by chance.
    pub(super) fn step(&mut self, dice: &mut Dice) {
        self.remark();
        let (mut world, layer, kind) = self.world();
        let base = self.game.id(dice.of(&IDS));
        let own = (!self.own.is_empty()).then(|| self.own[dice.roll(self.own.len() as u64) as usize].clone());
        let id = own.clone().filter(|_| dice.chance(60)).unwrap_or(base);
        let line = match self.game.uses && dice.chance(40) {
            true => {
                let other = own.as_ref().filter(|_| dice.chance(80)).cloned();
                let other = other.map(|id| self.game.bare(&id)).unwrap_or_else(|| self.game.written(dice.of(&IDS)));
                naming(&self.game, &other, dice)
            }
            false if self.game.has_shapes() && dice.chance(40) => dice.of(&TO_SHAPES).to_owned(),
            false => assignment(&self.game, dice),
        };
        let name = dice.chance(50).then(|| "A new, \"odd\" one".to_owned());
        match dice.roll(15) {
            14 if self.game.groups => self.grouped(&id, dice),
            13 if self.game.texts != Texts::Nowhere => self.said(&id, dice),
            12 if !self.own.is_empty() => {
                let nth = dice.roll(self.own.len() as u64) as usize;
                self.moved(nth);
            }
            11 if self.game.removes && self.own.is_empty() && self.game.named != Named::Owned => {
                self.taken_away(&self.game.id(dice.of(&IDS)))
            }
            9 | 10 => self.many(&line, dice.of(&["pay > 5", "pay < 100", "says == 'true'"]), dice.chance(30)),
            8 if !self.own.is_empty() => {
                let nth = dice.roll(self.own.len() as u64) as usize;
                self.deleted(nth);
            }
            6 | 7 if !self.own.is_empty() => {
                let nth = dice.roll(self.own.len() as u64) as usize;
                self.renamed(nth, dice.chance(30));
            }
            0 if self.own.len() < 3 => {
                let word = format!("own{}", self.own.len());
                let new = self.game.id(&word);
                let original = world.catalog().address(kind, &id).unwrap();
                let start = dice.chance(50).then_some(Start::Whole);
                let assignments = if dice.chance(50) { vec![read(&line)] } else { Vec::new() };
                let options = CopyOptions {
                    layer,
                    original,
                    id: new.clone(),
                    start,
                    with: Vec::new(),
                    assignments,
                    name: name.clone(),
                };
                let said = format!("copy {id} {new} {start:?} {line}");
                if let Ok(report) = copy(&mut world, &options) {
                    self.take(&world, layer, &said, &report.changes);
                    self.own.push(new.clone());
                    self.same_as(&world, layer, (kind, &new), &said);
                }
            }
            1 if self.own.len() < 3 => {
                let new = self.game.id(&format!("own{}", self.own.len()));
                let assignments = if line.contains(['+', '*', '[']) || line.ends_with('-') || line.contains("-=") {
                    Vec::new()
                } else {
                    vec![read(&line)]
                };
                let said = format!("new {new} {line}");
                let options = NewOptions { layer, kind, id: new.clone(), assignments, like: None, name: name.clone() };
                if let Ok(report) = new_definition(&mut world, &options) {
                    self.take(&world, layer, &said, &report.changes);
                    self.own.push(new.clone());
                    self.same_as(&world, layer, (kind, &new), &said);
                }
            }
            _ => {
                let assignments = vec![read(&line)];
                let options = SetOptions { layer, kind, id: id.clone(), assignments, why: None, at_anchor: false };
                let said = format!("set {id} {line}");
                let before = amiss(&world, world.catalog().address(kind, &id).unwrap());
                if let Ok(report) = set(&mut world, &options) {
                    let mut now = amiss(&world, world.catalog().address(kind, &id).unwrap());
                    now.retain(|amiss| !before.contains(amiss));
                    self.wrong.extend(now.into_iter().map(|amiss| format!("{said}: {amiss}")));
                    self.take(&world, layer, &said, &report.changes);
                    self.same_as(&world, layer, (kind, &id), &said);
                    let (again, layer, kind) = self.world();
                    let at = again.catalog().address(kind, &id).unwrap();
                    let effective = again.with_ground(layer).effective(at);
                    for changed in &report.changed {
                        let value =
                            effective.as_ref().and_then(|effective| effective.get(again.catalog(), &changed.path));
                        let value = value.map(|value| value.draft(again.catalog()));
                        if value != changed.after {
                            self.wrong.push(format!("{said}: {:?} was announced, {value:?} shows", changed.after));
                        }
                    }
                }
            }
        }
    }

    /// Whom a group has, for the mod.
    fn members(&self, group: &str) -> BTreeSet<String> {
        let (world, layer, _) = self.world();
        let (view, catalog) = (world.with_ground(layer), world.catalog());
        let at = catalog.address(catalog.rulebook().kind_named("herd").unwrap(), group).unwrap();
        Membership::new(&view).members(at).iter().map(|one| catalog.show_address(*one)).collect()
    }

    /// Puts a definition into a group, or takes it out: it belongs to it then or does not, and nobody else comes or goes.
    fn grouped(&mut self, id: &str, dice: &mut Dice) {
        let group = dice.of(&["wet", "all"]);
        let join = if dice.chance(60) { Join::In } else { Join::Out };
        let (mut world, layer, kind) = self.world();
        let catalog = world.catalog();
        let Some(member) = catalog.address(kind, id).filter(|at| world.with_ground(layer).stands(*at)) else { return };
        let at = catalog.address(catalog.rulebook().kind_named("herd").unwrap(), group).unwrap();
        let mut wanted = self.members(group);
        let name = catalog.show_address(member);
        let said = format!("tag {join:?} {group} {name}");
        let options = match join_group(&world, layer, at, &[member], join) {
            Ok(options) => options,
            Err(error) => return self.wrong.push(format!("{said}: {error}")),
        };
        match set_many(&mut world, &options) {
            Ok(report) => self.take(&world, layer, &said, &report.changes),
            Err(error) if error.to_string().contains("no notation for this change") => return,
            Err(error) => return self.wrong.push(format!("{said}: {error}")),
        }
        match join {
            Join::In => wanted.insert(name),
            Join::Out => wanted.remove(&name),
        };
        let after = self.members(group);
        if wanted != after {
            self.wrong.push(format!("{said}: {wanted:?} was meant, {after:?} belongs"));
        }
    }

    /// Changes all for which a condition holds: each shows what was announced, the others what they did.
    fn many(&mut self, line: &str, condition: &str, each: bool) {
        let (mut world, layer, kind) = self.world();
        let before = self.all_shown();
        let selection = Selection { kind: Some(kind), condition: Some(condition.to_owned()), ..Selection::default() };
        let options = ManyOptions { selection, assignments: vec![read(line)], each, ..ManyOptions::none(layer) };
        let said = format!("set --where \"{condition}\" {line} {each}");
        let Ok(report) = set_many(&mut world, &options) else { return };
        self.take(&world, layer, &said, &report.changes);
        let id = |address: &Address| world.catalog().names.text(address.id).to_owned();
        let (again, layer, kind) = self.world();
        for (address, changed) in &report.rows {
            let address = again.catalog().address(kind, &id(address)).unwrap();
            let effective = again.with_ground(layer).effective(address);
            for one in changed {
                let value = effective.as_ref().and_then(|effective| effective.get(again.catalog(), &one.path));
                let value = value.map(|value| value.draft(again.catalog()));
                if value != one.after {
                    self.wrong.push(format!("{said}: {:?} was announced, {value:?} shows", one.after));
                }
            }
        }
        let after = self.all_shown();
        for ((at, was), (_, is)) in before.iter().zip(&after).filter(|(was, is)| was != is) {
            if !report.rows.iter().any(|(address, _)| id(address) == *at) && !self.game.parent {
                self.wrong.push(format!("{said}: {was:?} was, {is:?} is"));
            }
        }
    }

    /// Gives one of the mod's own another id: the same shows under it, and with the old one again, all is as it was.
    fn renamed(&mut self, nth: usize, stays: bool) {
        let old = self.own[nth].clone();
        let new = self.game.id(&format!("called{}", self.done));
        let files = texts_of(&self.source);
        let (world, layer, kind) = self.world();
        let before = self.all_shown();
        let address = world.catalog().address(kind, &old).unwrap();
        let said = format!("rename {old} {new}");
        let texts_before = self.texts();
        match rename(&opened(&self.source), &world, &RenameOptions { layer, address, id: new.clone(), alias: true }) {
            Err(_) if self.game.named == Named::Template => return,
            Err(error) => return self.wrong.push(format!("{said}: {error}")),
            Ok(report) => self.take(&world, layer, &said, &report.changes),
        }
        self.own[nth] = new.clone();
        let texts: BTreeMap<(String, String), String> = self.texts();
        let moved = |((key, language), text): ((String, String), String)| {
            ((key.replace(&format!("good.{old}."), &format!("good.{new}.")), language), text)
        };
        let wanted: BTreeMap<_, _> = texts_before.into_iter().map(moved).collect();
        if wanted != texts {
            self.wrong.push(format!("{said}: {wanted:?} was meant, {texts:?} shows"));
        }
        let unnamed = |value: Option<Draft>| {
            let Some(Draft::Table(mut fields)) = value else { return None };
            fields.retain(|(key, _)| !["id", "@id", "fam", "var", "own"].contains(&key.as_str()));
            Some(Draft::Table(fields))
        };
        // whoever names it names the new one
        let (was, is) = (self.game.bare(&old), self.game.bare(&new));
        let followed = |value: Option<Draft>| format!("{:?}", unnamed(value)).replace(&was, &is);
        let after = self.all_shown();
        for ((id, before), (_, after)) in before.into_iter().zip(after) {
            if before.is_some() && after.is_none() || followed(before.clone()) != followed(after.clone()) {
                self.wrong.push(format!("{said}: {id}: {before:?} before, {after:?} after"));
            }
        }
        if stays || !self.wrong.is_empty() {
            return;
        }
        let (world, layer, kind) = self.world();
        let address = world.catalog().address(kind, &new).unwrap();
        match rename(&opened(&self.source), &world, &RenameOptions { layer, address, id: old.clone(), alias: true }) {
            Ok(report) => self.take(&world, layer, &format!("rename {new} {old}"), &report.changes),
            Err(error) => self.wrong.push(format!("{said} and back: {error}")),
        }
        self.own[nth] = old;
        if texts_of(&self.source) != files {
            self.wrong.push(format!("{said} and back: the files are otherwise"));
        }
    }

    /// Takes one of the mod's own out, if nothing inherits from it: all others show what they did.
    fn deleted(&mut self, nth: usize) {
        let gone = self.own[nth].clone();
        let (mut world, layer, kind) = self.world();
        let before = self.all_shown();
        let address = world.catalog().address(kind, &gone).unwrap();
        let options = DeleteOptions { layer, addresses: vec![address], cascade: true };
        let said = format!("delete {gone}");
        match delete(&opened(&self.source), &mut world, &options) {
            Ok(report) => self.take(&world, layer, &said, &report.changes),
            Err(DeleteError::Used(..)) => return,
            // what stands between other text
            Err(error) if self.game.cut == Cut::Block && error.to_string().contains("by hand") => return,
            Err(error) => return self.wrong.push(format!("{said}: {error}")),
        }
        let after = self.all_shown();
        let (world, layer, kind) = self.world();
        if world.catalog().address(kind, &gone).is_some_and(|at| world.with_ground(layer).stands(at)) {
            self.wrong.push(format!("{said}: it is there"));
        }
        self.others_alone(&gone, &said, &before, &after);
        if let Some((key, _)) = self.texts().keys().find(|(key, _)| key.contains(&format!("good.{gone}."))) {
            self.wrong.push(format!("{said}: its text `{key}` is left"));
        }
        self.own.remove(nth);
    }

    /// Moves one of the mod's own to another file: everything shows what it did.
    fn moved(&mut self, nth: usize) {
        let (world, layer, kind) = self.world();
        let before = self.all_shown();
        let id = self.own[nth].clone();
        let addresses = vec![world.catalog().address(kind, &id).unwrap()];
        let to = format!("data/moved.{}", self.game.ending());
        let said = format!("move {id} --to {to}");
        match move_definitions(&opened(&self.source), &world, &MoveOptions { layer, addresses, to }) {
            Ok(report) => self.take(&world, layer, &said, &report.changes),
            // what has a file of its own, or one that its id hangs on, or that must hide a lower one
            Err(_)
                if matches!(self.game.cut, Cut::Whole | Cut::Block)
                    || self.game.scoped
                    || self.game.shadows
                    || self.game.one_file =>
            {
                return;
            }
            Err(error) if error.to_string().contains("stands there already") => return,
            Err(error) => return self.wrong.push(format!("{said}: {error}")),
        }
        let after = self.all_shown();
        if before != after {
            self.wrong.push(format!("{said}: {before:?} before, {after:?} after"));
        }
    }

    /// Takes away what a lower layer defines: it does not stand any more, and all others show what they did.
    fn taken_away(&mut self, gone: &str) {
        let (mut world, layer, kind) = self.world();
        let before = self.all_shown();
        let Some(address) = world.catalog().address(kind, gone).filter(|at| world.with_ground(layer).stands(*at))
        else {
            return;
        };
        let said = format!("delete {gone}, which is the base's");
        match delete(
            &opened(&self.source),
            &mut world,
            &DeleteOptions { layer, addresses: vec![address], cascade: true },
        ) {
            Ok(report) => self.take(&world, layer, &said, &report.changes),
            Err(DeleteError::Used(..)) => return,
            // what comes along with a file that hides a lower one is not changed
            Err(error) if self.game.shadows && error.to_string().contains("would still be named") => return,
            // what merges with the base's cannot leave out what that states, and what counts beside it changes nothing
            Err(error)
                if (self.game.again != "replace" || self.game.groups_merge)
                    && error.to_string().contains("cannot do without it") =>
            {
                return;
            }
            Err(error) => return self.wrong.push(format!("{said}: {error}")),
        }
        let (world, layer, kind) = self.world();
        if world.catalog().address(kind, gone).is_some_and(|at| world.with_ground(layer).stands(at)) {
            self.wrong.push(format!("{said}: it is there"));
        }
        let after = self.all_shown();
        self.others_alone(gone, &said, &before, &after);
    }

    /// What did not name the one that is gone shows what it did.
    fn others_alone(
        &mut self,
        gone: &str,
        said: &str,
        before: &[(String, Option<Draft>)],
        after: &[(String, Option<Draft>)],
    ) {
        let named = self.game.bare(gone);
        for (was, is) in before.iter().zip(after).filter(|(was, is)| was != is) {
            if was.0 != gone && !format!("{:?}", was.1).contains(&named) {
                self.wrong.push(format!("{said}: {was:?} was, {is:?} is"));
            }
        }
    }

    /// Writes what a command came to, and looks at it anew.
    fn take(&mut self, _: &World, _: LayerId, said: &str, changes: &ChangeSet) {
        self.log.push(said.to_owned());
        self.done += 1;
        for change in &changes.files {
            if !change.path().starts_with("mods/yard/") {
                self.wrong.push(format!("{said}: writes {}", change.path()));
            }
            let (before, after) = change.texts();
            let lone = |text: &str| text.matches('\n').count() - text.matches("\r\n").count();
            if before.contains("\r\n") && lone(before) == 0 && lone(after) > 0 {
                self.wrong.push(format!("{said}: a line of {} ends otherwise: {after:?}", change.path()));
            }
        }
        let remarks = self.remarks();
        take(&mut self.source, changes);
        let plain = ["rename ", "move ", "text set "].iter().any(|what| said.starts_with(what))
            || [" pay", " says", " wet"].iter().any(|field| said.starts_with("set ") && said.contains(field));
        if plain && self.remarks() != remarks {
            let files: String = changes.files.iter().map(|change| format!("\n{}", change.texts().0)).collect();
            self.wrong.push(format!("{said}: {remarks} remarks were there, {} are; before:{files}", self.remarks()));
        }
        if self.long {
            self.source = with_long_ends(&self.source);
        }
        let (again, ..) = self.world();
        for finding in check(&again).into_iter().filter(|finding| finding.severity == Severity::Error) {
            self.wrong.push(format!("{said}: {}: {}", finding.code, finding.message));
        }
    }

    /// What the command's own world shows is what is read anew.
    fn same_as(&mut self, world: &World, layer: LayerId, (kind, id): (KindId, &str), said: &str) {
        let shown = |world: &World, layer| Self::shows(world, layer, world.catalog().address(kind, id)?);
        let (before, (again, anew, _)) = (shown(world, layer), self.world());
        let after = shown(&again, anew);
        if before != after {
            self.wrong.push(format!("{said}: {before:?} in memory, {after:?} on disk"));
        }
    }
}

fn tried(seed: u64) -> (usize, Option<String>) {
    let mut dice = Dice::seeded(seed);
    let game = Game::roll(&mut dice);
    let mut session = Session::new(game, &mut dice);
    for _ in 0..dice.roll(5) + 1 {
        if session.wrong.is_empty() {
            session.step(&mut dice);
        }
    }
    if session.wrong.is_empty() {
        let (world, layer, _) = session.world();
        session.wrong = built_otherwise(&world, &opened(&session.source), layer);
    }
    let wrong = (!session.wrong.is_empty()).then(|| {
        let files = shown_files(&session.source);
        format!(
            "seed {seed}\n{}\n  {}\n{:?}\n{files}",
            session.log.join("\n"),
            session.wrong.join("\n  "),
            session.game
        )
    });
    (session.done, wrong)
}

#[test]
fn what_is_written_and_built_is_what_was_meant() {
    let seeds = super::seeds(120);
    let count = seeds.end - seeds.start;
    let all: Vec<(usize, Option<String>)> = seeds.into_par_iter().map(tried).collect();
    let wrong: Vec<&String> = all.iter().filter_map(|(_, wrong)| wrong.as_ref()).collect();
    let first: Vec<&str> = wrong.iter().take(2).map(|wrong| wrong.as_str()).collect();
    assert!(wrong.is_empty(), "{} of {count}\n{}", wrong.len(), first.join("\n\n"));
    let done: usize = all.iter().map(|(done, _)| done).sum();
    assert!(done as u64 > count, "only {done} commands did something");
}
