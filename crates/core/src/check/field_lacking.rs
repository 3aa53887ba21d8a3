//! `field-lacking`.

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::context::Context;
use super::finding::Finding;
use super::follows::{Cause, orphaned_by};
use super::registry::Check;
use super::told::way;
use crate::catalog::{AMENDMENT, Address, Catalog, FileRole, LayerId};
use crate::document::{Document, FieldPath, Node, NodeRef, Shape, Step, find};
use crate::effective::{Content, Value, lacking};
use crate::names::Sym;
use crate::rulebook::{Again, KindId, ListShape, Reading, Severity, TypeId, Wrong};
use crate::said::{Said, all_of, said};
use crate::source::Place;

pub(super) static CHECK: Check = Check {
    code: "field-lacking",
    severity: Severity::Error,
    since: "0.1",
    summary: "a field that must be there and is not",
    finds: "A definition, as the game would see it with its parents and all layers, without a field that the rulebook neither gives a default nor calls optional.",
    matters: "Games refuse such a definition, or fill in something surprising.",
    example: "\"eel-trap\": { \"weight\": 2 }      # an item needs a value, too",
    mend: "State the field, or inherit from a definition that has it. If the definition was meant to change another one, correct its id.",
    accept: "If the game does without it, the rulebook should say `optional = true`.",
    run: |context, findings| {
        local(context, findings);
        composed(context, findings);
        unnamed(context, findings);
    },
};

/// Of so many definitions of a layer it is told which one they may be meant to change: nobody reads more.
const HINTED: usize = 20;

fn list(fields: &[String]) -> Said {
    match fields {
        [one] => said!("the field `{lacking}`", lacking = one),
        _ => said!("the fields `{lacking}`", lacking = all_of(fields)),
    }
}

fn what_fields_take(context: &Context<'_>, table: TypeId, fields: &[String]) -> Option<Said> {
    let Reading::Table(table) = &context.rulebook.field_type(table).reading else { return None };
    let one = |field: &String| {
        let ty = table.get(context.catalog.names.get(field)?)?;
        Some(said!("`{field}` takes {wanted}", field, wanted = context.rulebook.describe(ty)))
    };
    let mut all = fields.iter().take(4).filter_map(one);
    let first = all.next()?;
    Some(all.fold(first, |all, one| said!("{all}; {one}", all, one)))
}

fn push(context: &Context<'_>, findings: &mut Vec<Finding>, lack: Lack) {
    let Lack { place, about, path, table, mut fields } = lack;
    if context.catalog.file(place.file).role == FileRole::Manifest && path.is_empty() {
        // a manifest without an id is told as that
        let id = context.rulebook.manifest.as_ref().and_then(|manifest| Some(manifest.id.as_ref()?.to_string()));
        fields.retain(|field| Some(field) != id.as_ref());
    }
    if let Some(address) = about {
        context.causes().without_misspelt_at(context, address, &path, &mut fields);
    }
    if fields.is_empty() || about.is_some_and(|address| context.is_abstract(address)) {
        return;
    }
    if let Some(cause) = about.and_then(|address| orphaned_by(context, address)) {
        context.causes().follow(cause);
        return;
    }
    // an amendment made a table of what is none
    if about.is_some_and(|address| !path.is_empty() && context.causes().is_unfit_at(context, address, &path)) {
        return;
    }
    let whose = match (about, path.is_empty()) {
        (Some(address), true) => said!("`{definition}`", definition = context.show(address)),
        (Some(address), false) => {
            said!("`{field}` of `{definition}`", field = path, definition = context.show(address))
        }
        (None, true) if context.catalog.file(place.file).role == FileRole::Manifest => "the manifest".into(),
        (None, true) => "this".into(),
        (None, false) => said!("`{field}`", field = path),
    };
    let message = said!("{whose} lacks {fields}", whose, fields = list(&fields));
    let mut help = what_fields_take(context, table, &fields);
    let top = path.is_empty();
    let mut finding = Finding::new(&CHECK, place, message).about(about).path(Some(path));
    // a partial definition of something misspelt lacks nearly everything
    let layer = context.layer_of(place.file);
    if let Some(address) =
        about.filter(|_| top && fields.len() > 1 && layer != LayerId::BASE && findings.len() < HINTED)
    {
        let id = context.catalog.names.text(address.id);
        let is_lower = |id: &&str| {
            let other = context.catalog.names.get(id).map(|id| Address { space: address.space, id });
            other.and_then(|other| context.view.first(other)).is_some_and(|(_, made)| made.layer < layer)
        };
        if let Some(near) = context.nearest_id(&context.view, address.space, id).map(|near| near.word).filter(is_lower)
        {
            let kind = context.view.kind_of(address).map_or("", |kind| context.rulebook.kind(kind).name());
            help = Some(said!(
                "if this was meant to change `{kind}/{nearest}`, correct the id; {lacking}",
                kind,
                nearest = near,
                lacking = help
            ));
            if let Some(kind) = context.rulebook.kind_named(kind)
                && let Some(near) = context.catalog.address(kind, near)
                && let Some((_, definition)) = context.view.first(near)
            {
                finding = finding.related(context.definition_place(definition.at()), "this is there");
            }
        }
    }
    findings.push(finding.help(help));
}

/// Fields that are lacking in one table.
#[derive(Clone)]
struct Lack {
    place: Place,
    about: Option<Address>,
    path: FieldPath,
    table: TypeId,
    fields: Vec<String>,
}

/// Whether a fault may have hidden the rest of a file: not all readers find back into it.
fn ends_early(document: &Document) -> bool {
    document.is_broken() && document.format().needs_reading()
}

/// What is lacking in a table that nothing else completes.
fn local(context: &Context<'_>, findings: &mut Vec<Finding>) {
    let mut lacks: Vec<(NodeRef, Lack)> = Vec::new();
    // the faults of one definition follow each other
    let mut known: Option<(Option<Address>, bool)> = None;
    for local in context.locals() {
        let Wrong::Lacking { table, field } = local.fault.what else { continue };
        // of a file that ends in a fault nobody knows what would have come
        if ends_early(local.node.document()) || !context.view.has(local.file) {
            continue;
        }
        let definition = context.catalog.definition_of(local.file, local.fault.from).map(|(_, d)| d);
        let address = definition.and_then(|d| context.catalog.address_of(d));
        let plain = match known {
            Some((of, plain)) if of == address => plain,
            _ => address.is_none_or(|address| context.view.is_plain(address)),
        };
        known = Some((address, plain));
        if !plain && definition.is_some_and(|d| d.node == local.node.id()) {
            continue;
        }
        let name = context.catalog.names.text(field).to_owned();
        // the faults of one table follow each other
        if let Some((_, lack)) = lacks.last_mut().filter(|(at, _)| *at == local.node.at()) {
            lack.fields.push(name);
            continue;
        }
        let (about, path) = context.whose(local.file, local.fault.from, local.node);
        let in_list = path.steps().iter().any(|step| !matches!(step, Step::Key(_)));
        if !plain && !in_list && local.fault.from & AMENDMENT == 0 {
            continue;
        }
        if let Some(address) = about.filter(|_| !plain && in_list)
            && completed(context, address, definition.map(|made| context.catalog.node(made.at())), &path)
                .is_some_and(|entry| entry.get(context.catalog, field).is_some())
        {
            continue;
        }
        let place = context.definition_place(local.node.at());
        lacks.push((local.node.at(), Lack { place, about, path, table, fields: vec![name] }));
    }
    for (at, mut lack) in lacks {
        context.causes().without_misspelt(context.catalog.node(at), &mut lack.fields);
        push(context, findings, lack);
    }
}

/// What an entry that a definition writes at a path comes to with the one that it is laid over, in a keyed list that is
/// joined; nothing where it is in none.
fn completed(context: &Context<'_>, address: Address, made: Option<Node<'_>>, path: &FieldPath) -> Option<Value> {
    let (catalog, rulebook) = (context.catalog, context.rulebook);
    let (mut node, mut ty) = (made?, rulebook.kind(context.view.kind_of(address)?).root);
    let mut keyed = false;
    let mut way: Vec<Step> = Vec::new();
    for step in path.steps() {
        let word = |key| node.get(key).map(|word| word.text().into_owned());
        let case = rulebook.case_of(ty, node.shape(), &word);
        let inner = match step {
            Step::Key(key) => node.get_named(key, &catalog.names)?,
            Step::Index(nth) => node.children().nth(*nth)?,
            Step::Match(_) => return None,
        };
        way.push(match (&rulebook.field_type(case).reading, step) {
            (Reading::List(list), Step::Index(_)) if list.join && list.shape == ListShape::Keyed => {
                keyed = true;
                let part =
                    |key: &Sym| Some((catalog.names.text(*key).to_owned(), inner.get(*key)?.text().into_owned()));
                Step::Match(list.by.iter().map(part).collect::<Option<_>>()?)
            }
            _ => step.clone(),
        });
        ty = rulebook.type_at(case, &vec![step.clone()].into(), &catalog.names).ok()?;
        node = inner;
    }
    let effective = context.view.effective(address).filter(|_| keyed)?;
    effective.value.at(catalog, &way.into())
}

/// Definitions without an id, where the fields of which it is made may be left out as fields.
fn unnamed(context: &Context<'_>, findings: &mut Vec<Finding>) {
    let names = &context.catalog.names;
    for (_, made) in context.definitions().filter(|(_, made)| made.id.is_none() && !made.removes) {
        let kind = context.rulebook.kind(made.kind);
        let Some(from) = kind.name_from.first() else { continue };
        let node = context.catalog.node(made.at());
        if ends_early(node.document()) {
            continue;
        }
        // a field that must be there anyway is told already
        let is_needed = |path: &FieldPath| match (&context.rulebook.field_type(kind.root).reading, path.steps()) {
            (Reading::Table(table), [Step::Key(key)]) => {
                let at = names.get(key).and_then(|key| table.index.get(&key));
                at.is_some_and(|at| table.needs(*at as usize))
            }
            _ => false,
        };
        let parts: Vec<&FieldPath> = from.fields().into_iter().filter(|(_, may)| !may).map(|(path, _)| path).collect();
        let lacking: Vec<&&FieldPath> = parts.iter().filter(|path| find(node, path, names).is_none()).collect();
        if lacking.is_empty() || lacking.iter().any(|path| is_needed(path)) {
            continue;
        }
        let mut fields: Vec<String> = lacking.iter().map(|path| path.to_string()).collect();
        context.causes().without_misspelt(node, &mut fields);
        if fields.is_empty() {
            continue;
        }
        let message =
            said!("this {kind} lacks {fields}, without which it has no id", kind = kind.name(), fields = list(&fields));
        let help = said!("its id is made of `{parts}`", parts = all_of(parts));
        let place = context.definition_place(made.at());
        findings.push(Finding::new(&CHECK, place, message).path(Some(FieldPath::default())).help(Some(help)));
    }
}

/// What is lacking in definitions that parents, layers and amendments make up together.
fn composed(context: &Context<'_>, findings: &mut Vec<Finding>) {
    let mut missing = Missing::default();
    look_up(context, context.standing(), &mut missing);
    let found: Vec<Vec<Lack>> = context
        .standing()
        .par_iter()
        .filter(|address| !context.view.is_plain(**address) || context.is_beside(**address))
        .filter_map(|address| {
            if missing.get(address) == Some(&Some(0)) {
                return None;
            }
            of_one(context, *address)
        })
        .collect();
    // what the parent lacks, its heirs lack with it
    let mut all: FxHashSet<(Address, String, String)> = FxHashSet::default();
    for lack in found.iter().flatten() {
        let about = lack.about.into_iter().flat_map(|about| lack.fields.iter().map(move |field| (about, field)));
        all.extend(about.map(|(about, field)| (about, way(&lack.path), field.clone())));
    }
    // what each parent lacks that has to be composed
    let mut nested: FxHashMap<Address, Vec<Lack>> = FxHashMap::default();
    for mut lack in found.into_iter().flatten() {
        if let Some(about) = lack.about {
            let above = inherited_from(context, about);
            look_up(context, &above, &mut missing);
            let table = &context.rulebook.field_type(lack.table).reading;
            let bit = |field: &String| match table {
                Reading::Table(table) => context.catalog.names.get(field).and_then(|field| table.index.get(&field)),
                _ => None,
            };
            // whether it is composed, or seen to lack as it is written
            let lacks = |at: &Address, field: &String| {
                let bits = missing.get(at).copied().flatten().filter(|_| lack.path.is_empty());
                let written = bits.zip(bit(field)).is_some_and(|(bits, bit)| *bit < 128 && bits & (1 << bit) != 0);
                written || all.contains(&(*at, way(&lack.path), field.clone()))
            };
            let number = lack.fields.len();
            let told = |field: &String| above.iter().find(|at| !context.is_abstract(**at) && lacks(at, field));
            let mut cause = lack.fields.iter().find_map(told).copied();
            lack.fields.retain(|field| told(field).is_none());
            // what is not seen as it is written is composed
            let unseen = |at: &Address| !lack.path.is_empty() || missing.get(at).copied().flatten().is_none();
            for at in above.iter().filter(|at| !context.is_abstract(**at) && unseen(at)) {
                let known = nested.entry(*at).or_insert_with(|| of_one(context, *at).unwrap_or_default());
                let at_path = |other: &&Lack| way(&other.path) == way(&lack.path);
                let others: Vec<&Lack> = known.iter().filter(at_path).collect();
                lack.fields.retain(|field| !others.iter().any(|other| other.fields.contains(field)));
                cause = cause.or(Some(*at).filter(|_| lack.fields.len() < number));
                if is_no_table(context, *at, &lack.path) {
                    lack.fields.clear();
                }
            }
            if let Some(cause) = cause.filter(|_| lack.fields.is_empty()) {
                context.causes().follow(Cause::Definition(cause));
            }
        }
        push(context, findings, lack);
    }
}

/// What one definition lacks, with all that it inherits.
fn of_one(context: &Context<'_>, address: Address) -> Option<Vec<Lack>> {
    let catalog = context.catalog;
    let (_, top) = context.view.top(address)?;
    if catalog.document(top.file).is_some_and(|document| ends_early(document)) {
        return None;
    }
    let place = context.definition_place(top.at());
    let mut lacks = Lacks { context, place, about: address, found: Vec::new() };
    if let Some((root, nodes)) = context.written(address) {
        lacks.in_written(&nodes, root, &FieldPath::default());
    } else {
        let effective = context.view.effective(address)?;
        let root = context.rulebook.kind(effective.kind).root;
        lacking(catalog, &effective.value, root, &FieldPath::default(), &mut |path, table, fields| {
            lacks.push(path, table, fields);
        });
    }
    (!lacks.found.is_empty()).then_some(lacks.found)
}

/// Whether something else than a table stands where one is needed: that is told by itself.
fn is_no_table(context: &Context<'_>, address: Address, path: &FieldPath) -> bool {
    let value = context.view.effective(address).and_then(|effective| effective.get(context.catalog, path));
    value.is_some_and(|value| !matches!(value.shape(context.catalog), Shape::Table | Shape::Null))
}

/// What each definition lacks by itself: the needed fields of its table as bits, and whether tables in it lack some.
pub(super) fn by_itself(catalog: &Catalog) -> Vec<(u128, bool)> {
    let mut out = vec![(0, false); catalog.definitions.len()];
    for (file, _) in catalog.files() {
        let Some(harvest) = catalog.harvest_of(file) else { continue };
        for fault in harvest.faults.iter().filter(|fault| fault.from & AMENDMENT == 0) {
            let Wrong::Lacking { table, field } = fault.what else { continue };
            let Some((id, made)) = catalog.definition_of(file, fault.from) else { continue };
            let Some((root, nested)) = out.get_mut(id.0 as usize) else { continue };
            let at = match &catalog.rulebook.field_type(table).reading {
                Reading::Table(table) => table.index.get(&field).copied(),
                _ => None,
            };
            match at.filter(|at| fault.at == made.node && *at < 128) {
                Some(at) => *root |= 1 << at,
                None => *nested = true,
            }
        }
    }
    out
}

/// What the definitions that are looked at lack, as they are written, with all that they inherit: `None` where that has
/// to be composed. Each is looked up once, however long the chains are.
type Missing = FxHashMap<Address, Option<u128>>;

fn look_up(context: &Context<'_>, starts: &[Address], out: &mut Missing) {
    let mut way: Vec<(Address, Written, usize)> = Vec::new();
    let mut open: FxHashSet<Address> = FxHashSet::default();
    for start in starts {
        let mut next = Some(*start);
        loop {
            if let Some(here) = next.take().filter(|here| !out.contains_key(here)) {
                match written(context, here) {
                    Some(found) => {
                        open.insert(here);
                        way.push((here, found, 0));
                    }
                    None => drop(out.insert(here, None)),
                }
            }
            let Some((here, found, seen)) = way.last_mut() else { break };
            if let Some(parent) = found.parents.get(*seen) {
                *seen += 1;
                match open.contains(parent) {
                    // what goes in a circle lacks what it lacks for that, and is told of that
                    true => found.missing = 0,
                    false => {
                        next = Some(*parent);
                        continue;
                    }
                }
            }
            if *seen < found.parents.len() {
                continue;
            }
            let mut of_parents = found.parents.iter().filter(|parent| !open.contains(*parent)).map(|parent| {
                // the fields of another kind are others
                let same = context.view.kind_of(*parent) == Some(found.kind);
                out.get(parent).copied().flatten().filter(|_| same)
            });
            let missing = of_parents.try_fold(found.missing, |missing, above| Some(missing & above?));
            open.remove(here);
            out.insert(*here, missing);
            way.pop();
        }
    }
}

/// What an address lacks, as it is written by itself.
struct Written {
    /// The needed fields that are not there, as bits.
    missing: u128,
    kind: KindId,
    parents: SmallVec<[Address; 1]>,
}

/// What an address lacks by itself, its kind and its parents, if nothing but what is written makes it up.
fn written(context: &Context<'_>, address: Address) -> Option<Written> {
    let catalog = context.catalog;
    let lacking = context.shared.lacking.get_or_init(|| by_itself(catalog));
    if !context.world.builds.of(address).is_empty() {
        return amended(context, address);
    }
    let (mut missing, mut kind) = (u128::MAX, None);
    let mut parents: SmallVec<[Address; 1]> = SmallVec::new();
    for (id, made) in context.view.stack(address) {
        let (root, nested) = lacking.get(id.0 as usize)?;
        let early = catalog.rulebook.kind(made.kind).early && made.parent.is_some();
        if *nested || early || *kind.get_or_insert(made.kind) != made.kind {
            return None;
        }
        missing &= root;
        if made.continues {
            // lies over what stands below it, whatever the kind's word is
            continue;
        }
        if let Some(parent) = made.parent.filter(|_| parents.is_empty()) {
            match catalog.parents.contains_key(&id) {
                true => parents.extend(context.view.parents_at(id)),
                false => parents.push(context.view.parent(made.kind, parent)),
            }
        }
        if made.again != Again::Merge {
            break;
        }
    }
    Some(Written { missing, kind: kind?, parents })
}

/// As [`written`], of a definition that amendments change.
fn amended(context: &Context<'_>, address: Address) -> Option<Written> {
    let own = context.view.own(address)?;
    let kind = context.rulebook.kind(own.kind);
    let parents = context.view.parents_of(&own);
    let Reading::Table(table) = &context.rulebook.field_type(kind.root).reading else { return None };
    let (Content::Table(entries), true) = (own.value.content(), parents.len() < 2 && !parents.contains(&address))
    else {
        return None;
    };
    if kind.early || kind.operations.is_some() {
        return None;
    }
    let mut missing = table.needed;
    for (key, value) in entries {
        match value.content() {
            // it waits for what is inherited
            Content::Pending(_) | Content::Joining(_) => continue,
            _ if !value.is_settled() => return None,
            _ => {}
        }
        let Some(at) = table.index.get(key) else { continue };
        let mut whole = true;
        if let Some(ty) = table.get(*key).filter(|ty| context.rulebook.holds_tables(*ty)) {
            lacking(context.catalog, value, ty, &FieldPath::default(), &mut |_, _, _| whole = false);
        }
        if !whole {
            return None;
        }
        missing &= !1u128.checked_shl(*at).unwrap_or(0);
    }
    let there = |key: Sym| entries.iter().any(|(known, _)| *known == key);
    let found = Written { missing, kind: own.kind, parents: parents.into() };
    table.needed_behind().all(|(key, _)| there(*key)).then_some(found)
}

/// The definitions that one inherits from, directly or not, as it shows.
fn inherited_from(context: &Context<'_>, address: Address) -> Vec<Address> {
    let above = context.view.effective(address).map_or_else(Vec::new, |effective| effective.parents);
    above.into_iter().filter(|parent| *parent != address).collect()
}

/// Collects what one definition lacks.
struct Lacks<'l, 'w> {
    context: &'l Context<'w>,
    place: Place,
    about: Address,
    found: Vec<Lack>,
}

impl Lacks<'_, '_> {
    fn push(&mut self, path: &FieldPath, table: TypeId, fields: Vec<String>) {
        if !fields.is_empty() {
            self.found.push(Lack { place: self.place, about: Some(self.about), path: path.clone(), table, fields });
        }
    }

    fn name(&self, field: Sym) -> String {
        self.context.catalog.names.text(field).to_owned()
    }

    /// Over what several layers and parents write.
    fn in_written(&mut self, nodes: &[Node<'_>], ty: TypeId, path: &FieldPath) {
        let rulebook = self.context.rulebook;
        let word = |key| nodes.iter().find_map(|node| node.get(key)).map(|word| word.text().into_owned());
        let shape = nodes.first().map_or(Shape::Null, |node| node.shape());
        let ty = rulebook.case_of(ty, shape, &word);
        let Reading::Table(table) = &rulebook.field_type(ty).reading else { return };
        let mut there = 0u128;
        for entry in nodes.iter().flat_map(|node| node.children()) {
            let at = entry.key().and_then(|key| table.index.get(&key));
            there |= at.map_or(0, |at| 1u128.checked_shl(*at).unwrap_or(0));
        }
        let missing = table.needed & !there;
        let lacking = table.fields.iter().enumerate().take(128).filter(|(at, _)| missing & (1 << at) != 0);
        let lacks = |(field, _): &&(Sym, TypeId)| nodes.iter().all(|node| node.get(*field).is_none());
        let behind = table.needed_behind().filter(lacks).map(|(field, _)| self.name(*field));
        let lacking = lacking.map(|(_, (field, _))| self.name(*field)).chain(behind).collect();
        self.push(path, ty, lacking);
        for (field, ty) in &table.fields {
            if rulebook.holds_tables(*ty) {
                let inner: Vec<Node<'_>> = nodes.iter().filter_map(|node| node.get(*field)).collect();
                if !inner.is_empty() {
                    self.in_written(&inner, *ty, &path.with(Step::Key(self.name(*field))));
                }
            }
        }
    }
}
