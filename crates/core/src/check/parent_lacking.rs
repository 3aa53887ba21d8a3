//! `parent-lacking`.

use super::context::{Context, has_slip};
use super::finding::Finding;
use super::lost::NAMED;
use super::mend::Mend;
use super::registry::Check;
use crate::catalog::{Address, DefId, Definition, IN_TURN, means_parent, parent_meant};
use crate::document::{Node, Shape};
use crate::names::Sym;
use crate::rulebook::{Again, Severity};
use crate::said::{one, said};

pub(super) static CHECK: Check = Check {
    code: "parent-lacking",
    severity: Severity::Error,
    since: "0.1",
    summary: "a parent that is not there",
    finds: "A definition that inherits from an id which no definition of its kind has, or continues one that no lower layer defines.",
    matters: "What was to be inherited is missing; most games drop the definition.",
    example: "\"eel-smoked\": { \"based_on\": \"eels\" }      # the item is eel",
    mend: "Correct the parent's id, or take the field out and state everything.",
    accept: "Never.",
    run: |context, findings| {
        let catalog = context.catalog;
        let view = &context.view;
        let mut told = 0;
        let all = context.definitions().filter(|(_, definition)| definition.parent.is_some());
        // what a higher layer replaces inherits nothing any more
        let named = all.filter(|(id, made)| catalog.address_of(made).is_none_or(|at| counts(context, at, *id)));
        for (definition, address) in
            named.flat_map(|(id, definition)| view.parents_at(id).into_iter().map(move |parent| (definition, parent)))
        {
            if has_slip(catalog.node(definition.at())) {
                continue;
            }
            let kind = context.rulebook.kind(definition.kind);
            let parent = address.id;
            let own = definition.id == Some(parent) && context.rulebook.continues_itself(kind);
            let stands = view.stands(address);
            if own && !view.is_new(definition) {
                continue;
            }
            if !own && stands {
                findings.extend(of_another_kind(context, definition, address));
                continue;
            }
            // an included file may hold definitions of its own instead of being one
            let holds = |path: &str| path.rsplit_once('.').is_some_and(|(path, _)| path == catalog.names.text(parent));
            if kind.parent_by_path && context.definition_files().any(holds) {
                continue;
            }
            let node = naming(context, definition, parent);
            let is_named = node.is_some();
            let place = node.map_or_else(|| context.definition_place(definition.at()), |node| node.place());
            let word = catalog.names.text(parent);
            // as it is written: with its form, without the folder in which it is looked for
            let written = node.filter(|node| node.shape() == Shape::Text).map(|node| node.text().into_owned());
            let written = written.unwrap_or_else(|| word.to_owned());
            let about = catalog.address_of(definition);
            if own {
                let message = said!("`{word}` continues itself, but no lower layer defines it", word);
                findings.push(Finding::new(&CHECK, place, message).about(about));
                continue;
            }
            // told as a requirement that is lacking
            if !context.is_base(definition.layer) && catalog.seen().stands(address) && view.remover(address).is_none() {
                continue;
            }
            if context.causes().may_define(catalog, word) {
                continue;
            }
            told += 1;
            let kinds = context.rulebook.parent_kinds(definition.kind);
            // of several places where it could be, the one where something like it is
            let relative = &catalog.file(definition.file).relative;
            let all = (kind.parent_paths.len() > 1).then(|| parent_meant(context.rulebook, kind, &written, relative));
            let lost_as = |word: &str| context.lost_among(view, word, &kinds, told <= NAMED);
            let known = all.iter().flat_map(|all| all.split(IN_TURN)).map(lost_as).find(|lost| lost.why.is_some());
            let lost = known.unwrap_or_else(|| lost_as(word));
            let called: Vec<&str> = kinds.iter().map(|kind| context.rulebook.kind(*kind).name()).collect();
            let called = called.join(" or ");
            let (mut help, there) = lost.help(word, &called);
            // an id without the form in which parents are named here
            let bare = catalog.names.get(&written).map(|id| Address { space: address.space, id });
            let right = bare.filter(|at| view.stands(*at)).and_then(|at| {
                let link = context.rulebook.link_of_parent(kind)?;
                link.decorated(view.kind_of(at)?, &written).filter(|right| *right != written)
            });
            if let Some(right) = &right {
                help = Some(said!(
                    "`{word}` is {kind}: write `{nearest}`",
                    word = written,
                    kind = one(kind.name()),
                    nearest = right
                ));
            }
            let message = said!("there is no {kind} `{word}` to inherit from", kind = called, word = written);
            let only = lost.only.as_deref().filter(|_| is_named);
            let mend = match &right {
                Some(right) => Mend::word(place, &written, right).filter(|_| is_named),
                None => only.and_then(|near| Mend::word(place, word, near)),
            };
            let mut finding = Finding::new(&CHECK, place, message).about(about).help(help).mend(mend);
            if let (Some(place), Some(there)) = (lost.place, there) {
                finding = finding.related(place, there);
            }
            findings.push(finding);
        }
    },
};

/// Where a definition names a parent.
fn naming<'w>(context: &Context<'w>, definition: &Definition, parent: Sym) -> Option<Node<'w>> {
    let catalog = context.catalog;
    let kind = context.rulebook.kind(definition.kind);
    let node = catalog.node(definition.at()).get(kind.parent?)?;
    let relative = &catalog.file(definition.file).relative;
    let means = |item: &Node<'_>| {
        means_parent(&parent_meant(context.rulebook, kind, &item.text(), relative), catalog.names.text(parent))
    };
    node.children().find(means).or(Some(node))
}

/// A parent that is there, and is named as one of another kind.
fn of_another_kind(context: &Context<'_>, definition: &Definition, address: Address) -> Option<Finding> {
    let kind = context.rulebook.kind(definition.kind);
    let link =
        context.rulebook.link_of_parent(kind).filter(|link| link.forms.iter().any(|form| form.kind.is_some()))?;
    let node = naming(context, definition, address.id).filter(|node| node.shape() == Shape::Text)?;
    let (written, there) = (node.text(), context.view.kind_of(address)?);
    let meant = link.kind_meant(&written).filter(|meant| *meant != there)?;
    let meant = context.rulebook.kind(meant).name();
    let message = said!(
        "`{word}` names {kind}, and `{definition}` is none",
        word = written,
        kind = one(meant),
        definition = context.show(address)
    );
    let right = link.decorated(there, context.catalog.names.text(address.id));
    let help = right.as_ref().map(|right| said!("to inherit from it write `{nearest}`", nearest = right));
    let mend = right.as_ref().and_then(|right| Mend::word(node.place(), &written, right));
    let about = context.catalog.address_of(definition);
    Some(Finding::new(&CHECK, node.place(), message).about(about).help(help).mend(mend))
}

/// Whether a definition has a part in what shows: none that is laid over it replaces it whole.
fn counts(context: &Context<'_>, address: Address, id: DefId) -> bool {
    for (other, made) in context.view.stack(address) {
        if other == id {
            return true;
        }
        if made.again != Again::Merge && !made.continues {
            return false;
        }
    }
    false
}
