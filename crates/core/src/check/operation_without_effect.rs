//! `operation-without-effect`.

use rayon::prelude::*;

use super::context::Context;
use super::finding::Finding;
use super::follows::lacks_ground;
use super::registry::Check;
use crate::catalog::{Address, Definition};
use crate::document::{Draft, FieldPath, Node, Shape, Step, float};
use crate::effective::Value;
use crate::names::Sym;
use crate::rulebook::{Marker, Native, Operations, Reading, Severity, TypeId};
use crate::said::{Said, said};

pub(super) static CHECK: Check = Check {
    code: "operation-without-effect",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a change in the game’s own notation that changes nothing",
    finds: "An entry that is taken out and not inherited, or added and there already; a number that is added to or multiplied and not there; nothing added, or multiplied by one; a field taken away that is not there.",
    matters: "The game does it without a word, and nothing comes of it: most often the word is misspelt, or the parent is another one than was thought.",
    example: "\"salt-eel\": { \"like\": \"eel\", \"without\": { \"tags\": [\"frehs\"] } }      # the eel is `fresh`",
    mend: "Correct the word, the field or the parent, or take the change out.",
    accept: "If the change waits for what another mod may add.",
    run: |context, findings| {
        let with: Vec<&Definition> = context
            .written_by_own()
            .map(|(_, made)| made)
            .filter(|made| !made.removes && context.view.has(made.file) && has_some(context, made))
            .collect();
        let found: Vec<Finding> = with.par_iter().flat_map_iter(|made| of_definition(context, made)).collect();
        findings.extend(found);
    },
};

/// Whether its kind has a notation for changes, and it uses one.
fn has_some(context: &Context<'_>, made: &Definition) -> bool {
    let kind = context.rulebook.kind(made.kind);
    let node = context.catalog.node(made.at());
    let uses = |operations: &Operations| {
        let marker = operations.marker.as_ref();
        operations.under.iter().any(|(key, _)| node.get(*key).is_some())
            || marker.is_some_and(|marker| node.children().any(|child| is_marked(child, marker)))
    };
    kind.operations.as_ref().is_some_and(uses) || context.rulebook.marks_entries(kind.root)
}

/// Whether a mark stands anywhere in a field.
fn is_marked(node: Node<'_>, marker: &Marker) -> bool {
    marker.of(node).is_some()
        || matches!(node.shape(), Shape::Table | Shape::List) && node.children().any(|child| is_marked(child, marker))
}

/// What a definition changes in vain.
fn of_definition(context: &Context<'_>, made: &Definition) -> Vec<Finding> {
    let mut out = Vec::new();
    let catalog = context.catalog;
    let Some(address) = catalog.address_of(made) else { return out };
    // of what is there twice, or stands on nothing that it requires, nobody knows what it changes
    let twice = catalog.stack(address).filter(|(_, other)| other.layer == made.layer).count() > 1;
    if twice || lacks_ground(catalog, made.layer) {
        return out;
    }
    let kind = context.rulebook.kind(made.kind);
    let below = below(context, made, address);
    let node = catalog.node(made.at());
    let marker = kind.operations.as_ref().and_then(|operations| operations.marker.as_ref());
    let at = Looked { context, address, own: node, below, marker };
    for (key, native) in kind.operations.iter().flat_map(|operations| &operations.under) {
        let Some(changes) = node.get(*key) else { continue };
        match native {
            Native::Unset => at.unset(changes, &mut out),
            Native::Shift | Native::Multiply | Native::Add | Native::Remove => {
                at.changed(*native, changes, kind.root, &FieldPath::default(), &mut out);
            }
            // these are said of purpose, whatever is there
            Native::Replace | Native::Keep | Native::IfThere => {}
        }
    }
    at.marked(node, kind.root, &FieldPath::default(), &mut out);
    out
}

/// What a definition's changes start from: what it inherits, and what lies below it.
fn below(context: &Context<'_>, made: &Definition, address: Address) -> Option<Value> {
    let view = context.world.with_ground(made.layer);
    if !view.is_new(made) && made.again == crate::rulebook::Again::Merge {
        return context.world.ground(made.layer).effective(address).map(|effective| effective.value);
    }
    let id = made.parent.filter(|_| !made.continues)?;
    view.effective(view.parent(made.kind, id)).map(|effective| effective.value)
}

struct Looked<'l, 'w> {
    context: &'l Context<'w>,
    address: Address,
    own: Node<'w>,
    below: Option<Value>,
    marker: Option<&'w Marker>,
}

impl Looked<'_, '_> {
    /// What stands at a path below, or in the definition itself.
    fn there(&self, path: &FieldPath) -> Option<Value> {
        let catalog = self.context.catalog;
        self.below.as_ref().and_then(|below| below.at(catalog, path))
    }

    /// The entries that a list has below.
    fn words(&self, path: &FieldPath) -> Vec<String> {
        let catalog = self.context.catalog;
        let items = self.there(path).map(|list| list.items(catalog)).unwrap_or_default();
        items.iter().map(|item| item.draft(catalog).short()).collect()
    }

    fn states(&self, path: &FieldPath) -> bool {
        crate::document::find(self.own, path, &self.context.catalog.names).is_some()
    }

    fn tell(&self, node: Node<'_>, path: &FieldPath, message: Said, out: &mut Vec<Finding>) {
        // without what it inherits from, nobody can say
        if super::follows::orphaned_by(self.context, self.address).is_none() {
            let finding = Finding::new(&CHECK, node.place(), message).about(Some(self.address));
            out.push(finding.path(Some(path.clone())));
        }
    }

    fn unset(&self, changes: Node<'_>, out: &mut Vec<Finding>) {
        let names: Vec<Node<'_>> = match changes.shape() {
            Shape::List => changes.children().filter(|item| item.shape() == Shape::Text).collect(),
            Shape::Text => vec![changes],
            _ => return,
        };
        for node in names {
            let Ok(path) = FieldPath::parse(&node.text()) else { continue };
            self.taken_away(node, &path, out);
        }
    }

    /// A field that is taken away.
    fn taken_away(&self, node: Node<'_>, path: &FieldPath, out: &mut Vec<Finding>) {
        if self.there(path).is_none() {
            let message = said!("`{field}` is taken away, and nothing that is inherited has it", field = path);
            self.tell(node, path, message, out);
        }
    }

    /// Numbers that are calculated with, and lists whose entries come or go.
    fn changed(&self, native: Native, changes: Node<'_>, ty: TypeId, path: &FieldPath, out: &mut Vec<Finding>) {
        let (rulebook, catalog) = (self.context.rulebook, self.context.catalog);
        let Reading::Table(table) = &rulebook.field_type(ty).reading else { return };
        for node in changes.children() {
            let Some((key, ty)) = node.key().and_then(|key: Sym| Some((key, table.get(key)?))) else { continue };
            let path = path.with(Step::Key(catalog.names.text(key).to_owned()));
            let field = rulebook.field_type(ty);
            match (&field.reading, native) {
                (Reading::Table(_), _) => self.changed(native, node, ty, &path, out),
                (Reading::List(list), Native::Add | Native::Remove) => {
                    self.entries(native == Native::Add, (node, list.entry), &path, out);
                }
                (_, Native::Shift | Native::Multiply) if field.is_number() => {
                    let known = self.there(&path).is_some() || field.default.is_some() || self.states(&path);
                    self.number(native, (node, node), known, &path, out);
                }
                _ => {}
            }
        }
    }

    /// A number that is calculated with: where it is told, and what it says.
    fn number(&self, native: Native, at: (Node<'_>, Node<'_>), known: bool, path: &FieldPath, out: &mut Vec<Finding>) {
        let nothing = if native == Native::Shift { 0.0 } else { 1.0 };
        let what = if native == Native::Shift { "nothing is added to" } else { "it is multiplied by one:" };
        if !known {
            let message = said!("`{field}` is to change, and nothing that is inherited has it", field = path);
            self.tell(at.0, path, message, out);
        } else if float(&at.1.text()) == Some(nothing) {
            self.tell(at.0, path, said!("{what} `{field}`", what, field = path), out);
        }
    }

    /// Entries that are put into a list, or taken out of it.
    fn entries(&self, adds: bool, (node, ty): (Node<'_>, TypeId), path: &FieldPath, out: &mut Vec<Finding>) {
        let there = self.words(path);
        let entries: Vec<Node<'_>> = if node.shape() == Shape::List { node.children().collect() } else { vec![node] };
        for entry in entries.into_iter().filter(|entry| !matches!(entry.shape(), Shape::Table | Shape::List)) {
            let word = entry.text();
            self.entry(adds, (entry, &word, ty), &there, path, out);
        }
    }

    fn entry(
        &self,
        adds: bool,
        (node, word, ty): (Node<'_>, &str, TypeId),
        there: &[String],
        path: &FieldPath,
        out: &mut Vec<Finding>,
    ) {
        // a word that is none is told as that
        if !self.is_known(word, ty) {
            return;
        }
        let is_there = there.iter().any(|known| known == word);
        let message = match (adds, is_there) {
            (true, true) => said!("`{word}` is added to `{field}`, and is inherited already", word, field = path),
            (false, false) => said!("`{word}` is taken out of `{field}`, and is not inherited", word, field = path),
            _ => return,
        };
        let near = crate::nearest::nearest(word, there.iter().map(String::as_str)).filter(|_| !adds);
        let before = out.len();
        self.tell(node, path, message, out);
        if let Some(finding) = out.get_mut(before) {
            finding.help = near.map(|near| said!("the nearest that is inherited is `{nearest}`", nearest = near));
        }
    }

    /// Whether an entry is one that the field can have.
    fn is_known(&self, word: &str, ty: TypeId) -> bool {
        let rulebook = self.context.rulebook;
        match &rulebook.field_type(ty).reading {
            Reading::Choice(words) => words.set.contains(word),
            Reading::Link(_) => self.context.view.named_in(word, ty).is_some(),
            Reading::Word { of, .. } => rulebook.vocabulary(*of).lists(word),
            // of an entry with places the first, which has the sign
            Reading::Tuple { places, .. } => {
                let first = word.trim_start_matches('[').split([',', ']']).next().unwrap_or(word);
                places.first().is_none_or(|place| self.is_known(first, *place))
            }
            _ => true,
        }
    }

    /// Fields and entries with marks that say what becomes of them.
    fn marked(&self, node: Node<'_>, ty: TypeId, path: &FieldPath, out: &mut Vec<Finding>) {
        let (rulebook, catalog) = (self.context.rulebook, self.context.catalog);
        let Reading::Table(table) = &rulebook.field_type(ty).reading else { return };
        for child in node.children() {
            let Some((key, ty)) = child.key().and_then(|key: Sym| Some((key, table.get(key)?))) else { continue };
            let path = path.with(Step::Key(catalog.names.text(key).to_owned()));
            let field = rulebook.field_type(ty);
            match self.marker.and_then(|marker| Some((marker.of(child)?, child.get(marker.content)))) {
                Some((Native::Unset, _)) => {
                    self.taken_away(child, &path, out);
                    continue;
                }
                Some((native @ (Native::Shift | Native::Multiply), Some(content))) if field.is_number() => {
                    let known = self.there(&path).is_some() || field.default.is_some();
                    self.number(native, (child, content), known, &path, out);
                    continue;
                }
                Some((native @ (Native::Add | Native::Remove), Some(content))) => {
                    if let Reading::List(list) = &field.reading {
                        self.entries(native == Native::Add, (content, list.entry), &path, out);
                        continue;
                    }
                }
                _ => {}
            }
            match (&field.reading, &field.written) {
                (Reading::Table(_), _) => self.marked(child, ty, &path, out),
                (Reading::List(list), Some(written)) if !written.minus.is_empty() || !written.plus.is_empty() => {
                    let there = self.words(&path);
                    for entry in child.children() {
                        if let Some((added, named)) = written.signed(&Draft::of(entry, &catalog.names)) {
                            self.entry(added, (entry, &named.short(), list.entry), &there, &path, out);
                        }
                    }
                }
                _ => {}
            }
        }
    }
}
