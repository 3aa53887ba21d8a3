//! `copy-leftover`.

use rustc_hash::FxHashMap;

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::{Address, Catalog};
use crate::document::{Node, NodeRef, Shape};
use crate::rulebook::{KindId, Reading, Severity, TypeId};
use crate::said::said;

pub(super) static CHECK: Check = Check {
    code: "copy-leftover",
    severity: Severity::Warning,
    since: "0.1",
    summary: "something of the copied original that is still in the copy",
    finds: "A new definition of a mod with the readable name, the picture or another id of the definition it was copied from; or a manifest with the name or id of another mod.",
    matters: "Players see two things that they cannot tell apart, or the wrong picture.",
    example: "item.salted-brick.name,Peat brick      # the name of item/peat-brick",
    mend: "Give the copy its own.",
    accept: "If both are meant to look alike.",
    run: |context, findings| {
        names(context, findings);
        own_names(context, findings);
        if context.together {
            manifests(context, findings);
        }
    },
};

/// A text of a definition.
pub(super) struct NameOf {
    address: Address,
    kind: KindId,
    role: String,
    at: NodeRef,
}

/// The texts that several definitions of a kind have, in whatever layers.
pub(super) fn said_twice(catalog: &Catalog) -> Vec<Vec<NameOf>> {
    let mut known: FxHashMap<(KindId, &str, &str, String), Vec<NameOf>> = FxHashMap::default();
    if catalog.texts.is_empty() {
        return Vec::new();
    }
    for (address, top) in catalog.stacks.all() {
        let kind = catalog.definition(top).kind;
        let described = catalog.rulebook.kind(kind);
        for text in &described.texts {
            let key = described.filled(&text.template, catalog.names.text(address.id));
            for (language, at) in catalog.texts.get(&key).into_iter().flatten() {
                let said = catalog.node(*at).text().into_owned();
                let one = NameOf { address, kind, role: text.role.clone(), at: *at };
                known.entry((kind, &text.role, language, said)).or_default().push(one);
            }
        }
    }
    let several =
        |all: &Vec<NameOf>| all.iter().any(|one| all.first().is_some_and(|first| first.address != one.address));
    known.into_values().filter(several).collect()
}

/// Readable names that a lower definition of the kind has, too.
fn names(context: &Context<'_>, findings: &mut Vec<Finding>) {
    let (catalog, view) = (context.catalog, &context.view);
    for all in context.shared.said_twice.get_or_init(|| said_twice(catalog)) {
        let seen = all.iter().filter(|said| view.has(said.at.file) && view.kind_of(said.address) == Some(said.kind));
        let mut seen: Vec<_> = seen.filter_map(|said| Some((view.top(said.address)?.0, said.at, said))).collect();
        seen.sort_unstable_by_key(|(top, at, _)| (*top, at.file, at.node));
        let Some((_, _, first)) = seen.first() else { continue };
        for (_, at, said) in seen.iter().filter(|(_, _, said)| said.address != first.address) {
            let node = catalog.node(*at);
            if !context.is_own(at.file) || context.is_base(context.layer_of(at.file)) || node.text().is_empty() {
                continue;
            }
            let (mine, theirs) = (context.show(said.address), context.show(first.address));
            let message = said!(
                "the {role} of `{definition}` is that of `{other}`: `{value}`",
                role = said.role,
                definition = mine,
                other = theirs,
                value = node.text()
            );
            findings.push(Finding::new(&CHECK, node.place(), message).about(Some(said.address)));
        }
    }
}

/// Where the base puts a definition's own id, a mod's new definition has that of another one.
fn own_names(context: &Context<'_>, findings: &mut Vec<Finding>) {
    let catalog = context.catalog;
    // names of other definitions, in the few places where a leftover could be
    let mut candidates: Vec<(Address, TypeId, Node<'_>, Address)> = Vec::new();
    for (_, definition) in context.written_by_own() {
        let new = context.view.is_new(definition) && !context.is_base(definition.layer);
        let Some(address) = catalog.address_of(definition).filter(|_| new) else { continue };
        words(catalog, definition.kind, catalog.node(definition.at()), &mut |ty, node| {
            let original = context.view.named(&node.text(), &[definition.kind]).filter(|original| *original != address);
            candidates.extend(original.map(|original| (address, ty, node, original)));
        });
    }
    if candidates.is_empty() {
        return;
    }
    let habit = context.shared.habit.get_or_init(|| habit(catalog));
    for (address, ty, node, original) in candidates {
        let (own, other) = habit.get(&ty).copied().unwrap_or_default();
        if own < 3 || own < other * 4 {
            continue;
        }
        let field = &context.rulebook.field_type(ty).pattern;
        let message = said!(
            "`{field}` of `{definition}` is that of `{other}`",
            field,
            definition = context.show(address),
            other = context.show(original)
        );
        let help =
            said!("the game's own definitions have their own id there: `{id}`", id = catalog.names.text(address.id));
        let finding = Finding::new(&CHECK, node.place(), message).about(Some(address)).help(Some(help));
        findings.push(match context.view.first(original) {
            Some((_, definition)) => finding.related(context.definition_place(definition.at()), "the original"),
            None => finding,
        });
    }
}

/// Per field: how often the base has the own id there, and how often something else.
pub(super) fn habit(catalog: &Catalog) -> FxHashMap<TypeId, (usize, usize)> {
    let mut habit: FxHashMap<TypeId, (usize, usize)> = FxHashMap::default();
    for (_, definition) in catalog.seen_in(catalog.base()).definitions() {
        let Some(id) = definition.id.map(|id| catalog.names.text(id)) else { continue };
        words(catalog, definition.kind, catalog.node(definition.at()), &mut |ty, node| {
            let (own, other) = habit.entry(ty).or_default();
            *(if node.text() == id { own } else { other }) += 1;
        });
    }
    habit
}

/// Calls with every text of a definition's own fields that is no link.
fn words<'d>(catalog: &Catalog, kind: KindId, node: Node<'d>, call: &mut dyn FnMut(TypeId, Node<'d>)) {
    let rulebook = &catalog.rulebook;
    let Reading::Table(table) = &rulebook.field_type(rulebook.kind(kind).root).reading else { return };
    for entry in node.children() {
        let Some(ty) = entry.key().and_then(|key| table.get(key)) else { continue };
        let named = matches!(rulebook.field_type(ty).reading, Reading::Text | Reading::File(_));
        if named && entry.shape() == Shape::Text {
            call(ty, entry);
        }
    }
}

/// A manifest with the name or the id of another mod.
fn manifests(context: &Context<'_>, findings: &mut Vec<Finding>) {
    let catalog = context.catalog;
    let Some(rule) = &context.rulebook.manifest else { return };
    for (layer, found) in catalog.layers() {
        let (Some(manifest), Some(document)) =
            (&found.manifest, found.manifest_file.and_then(|file| catalog.document(file)))
        else {
            continue;
        };
        let name_field =
            rule.name.as_ref().and_then(|path| crate::document::find(document.root(), path, &catalog.names));
        for (other, theirs) in catalog.layers().filter(|(other, theirs)| *other != layer && !theirs.is_base()) {
            let twin = theirs.manifest.as_ref().and_then(|theirs| theirs.name.as_ref());
            if let Some(node) = name_field.filter(|node| other < layer && twin.is_some_and(|name| *name == node.text()))
            {
                let message = said!(
                    "`{own}` has the name of the mod `{other}`: `{value}`",
                    own = found.id,
                    other = theirs.id,
                    value = node.text()
                );
                findings.push(Finding::new(&CHECK, node.place(), message));
            }
            let required = |id: &str| {
                let requires = manifest.requires.iter().map(|(known, _)| known);
                let excludes = manifest.excludes.iter().map(|named| &named.id);
                requires.chain(&manifest.after).chain(excludes).any(|known| known == id)
            };
            for entry in document.root().children().filter(|entry| entry.shape() == Shape::Text) {
                let same_name = name_field.is_some_and(|node| node.id() == entry.id());
                let whole =
                    entry.text().split(|c: char| !c.is_alphanumeric() && c != '-' && c != '_').any(|w| w == theirs.id);
                if whole && !same_name && !required(&theirs.id) {
                    let message =
                        said!("the manifest of `{own}` speaks of the mod `{other}`", own = found.id, other = theirs.id);
                    let help = "left over from a copied folder? otherwise require it";
                    findings.push(Finding::new(&CHECK, entry.place(), message).help(Some(help)));
                }
            }
        }
    }
}
