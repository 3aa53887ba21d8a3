//! `repeats-inherited`.

use rayon::prelude::*;

use super::context::Context;
use super::finding::Finding;
use super::mend::Mend;
use super::registry::Check;
use crate::catalog::{Address, Definition};
use crate::document::{Draft, FieldPath, Node, Shape, Step};
use crate::effective::{Value, View, means_same, nodes_mean_same, same};
use crate::names::Sym;
use crate::rulebook::{Again, ListShape, Reading, Rulebook, Severity, TypeId};
use crate::said::said;
use crate::source::Place;

pub(super) static CHECK: Check = Check {
    code: "repeats-inherited",
    severity: Severity::Note,
    since: "0.1",
    summary: "a field that repeats what would show without it",
    finds: "A field of a mod’s definition that states the very value which the parent, or the definition that it changes, comes to already; or a key of a map, or an entry of a list that is joined with the parent’s.",
    matters: "Nothing is wrong now; but when the parent changes, this stays behind.",
    example: "\"bog-sow\": { \"kin\": \"marsh-boar\", \"traits\": [\"thick-hide\"] }      # the boar has them",
    mend: "Take the field out.",
    accept: "If the value is to stay whatever becomes of the parent.",
    run: |context, findings| {
        let own = context.written_by_own().map(|(_, definition)| definition);
        let all: Vec<&Definition> = own
            .filter(|made| !made.removes && !context.is_base(made.layer))
            .filter(|definition| definition.parent.is_some() || definition.below.is_some())
            .collect();
        let found: Vec<Finding> = all.par_iter().flat_map_iter(|definition| repeated(context, definition)).collect();
        findings.extend(found);
    },
};

fn repeated<'w>(context: &Context<'w>, definition: &'w Definition) -> Vec<Finding> {
    let catalog = context.catalog;
    let mut found = Vec::new();
    let Some(address) = catalog.address_of(definition) else { return found };
    let kind = context.rulebook.kind(definition.kind);
    // whatever layers are looked at besides, it is written over what its own stands on
    let view = context.world.with_ground(definition.layer);
    let new = view.is_new(definition);
    let changes = !new && definition.again == Again::Merge;
    if let Some(found) = plain(context, &view, definition, address) {
        return found;
    }
    // only what it states itself is compared
    let fields: Vec<Sym> = catalog.node(definition.at()).children().filter_map(|field| field.key()).collect();
    let below = match definition.parent.filter(|_| !definition.continues) {
        // what a changed definition inherits anyway is compared with what it is below
        _ if changes => context.world.ground(definition.layer).effective_of(address, &fields),
        Some(parent) if new => view.effective_of(view.parent(definition.kind, parent), &fields),
        _ => None,
    };
    let Some(below) = below else { return found };
    let own = Value::written(catalog, definition.at(), definition.layer);
    let mut repeats = Repeats { context, address, made: definition, found: &mut found };
    repeats.compare(&own, &below.value, kind.root, &FieldPath::default());
    found
}

/// As [`repeated`], looked up in what is written, where no amendment and no lower layer takes part: the usual
/// case, and many times faster than composing the parent.
fn plain(context: &Context<'_>, view: &View<'_>, definition: &Definition, address: Address) -> Option<Vec<Finding>> {
    let above = if view.is_new(definition) {
        let parent = view.parent(definition.kind, definition.parent.filter(|_| !definition.continues)?);
        context.written(parent)?.1
    } else {
        // what is changed stands in one place
        let changes = definition.again == Again::Merge;
        let (_, below) = changes.then(|| context.written_in(&context.world.ground(definition.layer), address))??;
        if below.len() == 1 { below } else { return None }
    };
    if !above.iter().all(|node| view.contains(context.layer_of(node.document().file()))) {
        return None;
    }
    let kind = context.rulebook.kind(definition.kind);
    let own = context.catalog.node(definition.at());
    // what changes come to is not written
    if let Some(operations) = &kind.operations {
        let changes = |node: &Node<'_>| operations.under.iter().any(|(key, _)| node.get(*key).is_some());
        if operations.marker.is_some() || changes(&own) || above.iter().any(changes) {
            return None;
        }
    }
    let mut found = Vec::new();
    let root = kind.root;
    in_written(context, address, own, &above, root, &FieldPath::default(), &mut found);
    Some(found)
}

fn in_written(
    context: &Context<'_>,
    address: Address,
    own: Node<'_>,
    above: &[Node<'_>],
    ty: TypeId,
    path: &FieldPath,
    found: &mut Vec<Finding>,
) {
    let (catalog, rulebook) = (context.catalog, context.rulebook);
    for node in own.children() {
        let Some((key, ty)) = node.key().and_then(|key| Some((key, below(rulebook, ty, key)?))) else { continue };
        if path.is_empty() && names_itself(context, address, key) {
            continue;
        }
        let Some(first) = above.iter().find_map(|above| above.get(key)) else { continue };
        let path = || path.with(Step::Key(catalog.names.text(key).to_owned()));
        let repeats = match &rulebook.field_type(ty).reading {
            Reading::Table(_) | Reading::Map { .. } if is_taken_apart(context, node, first, ty) => {
                let inner: Vec<Node<'_>> = above.iter().filter_map(|above| above.get(key)).collect();
                in_written(context, address, node, &inner, ty, &path(), found);
                false
            }
            Reading::List(list) if list.join => {
                if is_set(rulebook, ty) {
                    let adds = |item: &Node<'_>| item.shape() == Shape::Text && !takes_out(rulebook, ty, &item.text());
                    for item in node.children().filter(adds) {
                        let there = above.iter().filter_map(|above| above.get(key));
                        let other = there.flat_map(Node::children).find(|other| other.raw() == item.raw());
                        if let Some(other) = other {
                            found.push(entry(
                                context,
                                address,
                                &path(),
                                &item.text(),
                                (item.place(), Some(other.place())),
                            ));
                        }
                    }
                }
                false
            }
            Reading::Parent(_) => false,
            Reading::Text | Reading::Choice(_) | Reading::Boolean => node.raw() == first.raw(),
            _ if node.raw() == first.raw() => true,
            _ if node.shape() != first.shape() => false,
            _ => {
                let draft = |node| Draft::of(node, &catalog.names);
                let drafts = || same(&draft(node), &draft(first), ty, rulebook, &catalog.names);
                nodes_mean_same(node, first, ty, rulebook).unwrap_or_else(drafts)
            }
        };
        if repeats && node.shape() != Shape::Null {
            let path = path();
            let message = said!(
                "`{field}` repeats what `{definition}` has without it",
                field = path,
                definition = context.show(address)
            );
            let at = node.document().path_to(node.id(), &catalog.names);
            let definition = at.steps().len().saturating_sub(path.steps().len());
            let mend = Mend::TakeOut { file: node.document().file(), at, definition };
            let finding = Finding::new(&CHECK, node.place(), message).about(Some(address)).path(Some(path));
            let finding = finding.mend(Some(mend));
            found.push(finding.related(first.place(), "it stands here"));
        }
    }
}

/// The type of a field of a table, or of a map's values.
fn below(rulebook: &Rulebook, ty: TypeId, key: Sym) -> Option<TypeId> {
    match &rulebook.field_type(ty).reading {
        Reading::Table(table) => table.get(key),
        Reading::Map { value, .. } => Some(*value),
        _ => None,
    }
}

/// Whether a table is compared field by field: a map only where it is not the same as a whole.
fn is_taken_apart(context: &Context<'_>, node: Node<'_>, above: Node<'_>, ty: TypeId) -> bool {
    let (rulebook, names) = (context.rulebook, &context.catalog.names);
    let is_map = matches!(rulebook.field_type(ty).reading, Reading::Map { .. });
    let draft = |node| Draft::of(node, names);
    node.shape() == Shape::Table && !(is_map && same(&draft(node), &draft(above), ty, rulebook, names))
}

/// Whether the entries of a joined list count once however often they stand, without a mark that adds them.
fn is_set(rulebook: &Rulebook, ty: TypeId) -> bool {
    let field = rulebook.field_type(ty);
    let marked = field.written.as_ref().is_some_and(|written| !written.plus.is_empty());
    !marked && matches!(&field.reading, Reading::List(list) if list.shape == ListShape::Set)
}

/// Whether an entry takes the one like it out.
fn takes_out(rulebook: &Rulebook, ty: TypeId, word: &str) -> bool {
    let written = rulebook.field_type(ty).written.as_ref();
    written.is_some_and(|written| written.taken_out(word).is_some())
}

/// An entry of a joined list that is inherited already.
fn entry(context: &Context<'_>, address: Address, path: &FieldPath, word: &str, at: (Place, Option<Place>)) -> Finding {
    let message = said!(
        "`{word}` in `{field}` repeats what `{definition}` has without it",
        word,
        field = path,
        definition = context.show(address)
    );
    let finding = Finding::new(&CHECK, at.0, message).about(Some(address)).path(Some(path.clone()));
    match at.1 {
        Some(place) => finding.related(place, "it stands here"),
        None => finding,
    }
}

/// Whether a field says which definition this is, so that it has to be repeated.
fn names_itself(context: &Context<'_>, address: Address, key: Sym) -> bool {
    let name = context.catalog.names.text(key);
    // the kind that it has somewhere: what is taken away elsewhere is written here all the same
    context.catalog.kind_of(address).is_some_and(|kind| context.rulebook.tells_itself(kind, name))
}

struct Repeats<'r, 'w> {
    context: &'r Context<'w>,
    address: Address,
    made: &'w Definition,
    found: &'r mut Vec<Finding>,
}

impl Repeats<'_, '_> {
    fn compare(&mut self, own: &Value, below: &Value, ty: TypeId, path: &FieldPath) {
        let (catalog, rulebook) = (self.context.catalog, self.context.rulebook);
        for (key, value) in own.entries(catalog) {
            let (Some(ty), Some(there)) = (self::below(rulebook, ty, key), below.get(catalog, key)) else { continue };
            if path.is_empty() && names_itself(self.context, self.address, key) {
                continue;
            }
            let path = || path.with(Step::Key(catalog.names.text(key).to_owned()));
            match &rulebook.field_type(ty).reading {
                // a change is none of what it changes
                _ if self.is_marked(&value) => {}
                Reading::Table(_) if value.shape(catalog) == Shape::Table => self.compare(&value, &there, ty, &path()),
                // what is joined is one list in the end
                Reading::List(list) if list.join => {
                    if is_set(rulebook, ty) {
                        self.entries(&value, &there, ty, &path());
                    }
                }
                Reading::Parent(_) => {}
                reading => {
                    if !matches!(there.shape(catalog), Shape::Null | Shape::Broken)
                        && means_same(&value, &there, ty, catalog)
                    {
                        self.repeats(&value, &there, &path());
                    } else if matches!(reading, Reading::Map { .. }) && value.shape(catalog) == Shape::Table {
                        self.compare(&value, &there, ty, &path());
                    }
                }
            }
        }
    }

    /// Whether a mark in it says what becomes of what is inherited.
    fn is_marked(&self, value: &Value) -> bool {
        let catalog = self.context.catalog;
        let operations = self.context.rulebook.kind(self.made.kind).operations.as_ref();
        operations
            .and_then(|operations| operations.marker.as_ref())
            .is_some_and(|marker| marker.means(|key| value.get(catalog, key)?.word(catalog)).is_some())
    }

    /// Entries of a joined list that are inherited already.
    fn entries(&mut self, own: &Value, below: &Value, ty: TypeId, path: &FieldPath) {
        let catalog = self.context.catalog;
        let there = below.items(catalog);
        for item in own.items(catalog) {
            let Some((word, place)) = item.word(catalog).zip(item.origin().place) else { continue };
            if takes_out(self.context.rulebook, ty, &word) {
                continue;
            }
            if let Some(other) = there.iter().find(|other| other.word(catalog).as_ref() == Some(&word)) {
                self.found.push(entry(self.context, self.address, path, &word, (place, other.origin().place)));
            }
        }
    }

    fn repeats(&mut self, value: &Value, there: &Value, path: &FieldPath) {
        let Some(place) = value.origin().place else { return };
        let message = said!(
            "`{field}` repeats what `{definition}` has without it",
            field = path,
            definition = self.context.show(self.address)
        );
        let finding = Finding::new(&CHECK, place, message).about(Some(self.address)).path(Some(path.clone()));
        let document = self.context.catalog.document(self.made.file).filter(|_| place.file == self.made.file);
        let mend = document.map(|document| {
            let top = document.path_to(self.made.node, &self.context.catalog.names);
            Mend::TakeOut { file: self.made.file, at: top.join(path), definition: top.steps().len() }
        });
        let finding = finding.mend(mend);
        self.found.push(match there.origin().place {
            Some(place) => finding.related(place, "it stands here"),
            None => finding,
        });
    }
}
