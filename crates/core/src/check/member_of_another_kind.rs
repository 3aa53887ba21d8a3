//! `member-of-another-kind`.

use super::context::Context;
use super::finding::Finding;
use super::registry::Check;
use crate::catalog::Address;
use crate::rulebook::{Reading, Severity};
use crate::said::{either, said};

pub(super) static CHECK: Check = Check {
    code: "member-of-another-kind",
    severity: Severity::Error,
    since: "0.1",
    summary: "a group with a member of the wrong kind",
    finds: "A definition in a group, like a tag, that is for another kind of definition; or a group named where its members cannot stand.",
    matters: "The game reads past the member, or the recipe cannot be made.",
    example: "\"tags\": [\"marsh-beast\"]      # a tag for units, on an item",
    mend: "Choose a group for this kind, or make one.",
    accept: "If the game takes mixed groups, the rulebook should not say `members_are`.",
    run: |context, findings| {
        if context.rulebook.kinds().all(|(_, kind)| kind.members.as_ref().is_none_or(|m| m.are.is_none())) {
            return;
        }
        let kind_name = |address: Address| context.view.kind_of(address).map(|kind| context.rulebook.kind(kind).name());
        for (group, members) in context.membership.all() {
            if !context.reaches_group(group) {
                continue;
            }
            let Some((wanted, place)) = members_are(context, group) else { continue };
            for member in members {
                // a group within the group has members of the same kind
                let inner = members_are(context, *member).map(|(kind, _)| kind);
                let is = match inner.is_some() || context.view.kind_of(*member) == context.view.kind_of(group) {
                    true => inner,
                    false => kind_name(*member).map(str::to_owned),
                };
                if is.as_ref().is_none_or(|is| *is == wanted) {
                    continue;
                }
                let Some((at, by_member)) = context.membership.place(group, *member) else { continue };
                let message = match inner_of(context, *member, group) {
                    true => said!(
                        "`{definition}` groups {are}, but `{other}` is for {wanted}",
                        definition = context.show(*member),
                        are = is,
                        other = context.show(group),
                        wanted
                    ),
                    false => said!(
                        "`{definition}` cannot belong to `{other}`, which is for {wanted}",
                        definition = context.show(*member),
                        other = context.show(group),
                        wanted
                    ),
                };
                let about = if by_member { *member } else { group };
                let finding = Finding::new(&CHECK, at, message).about(Some(about));
                findings.push(match place {
                    Some(place) => finding.related(place, said!("it is for {wanted}", wanted)),
                    None => finding,
                });
            }
        }
        // a group where its members cannot stand
        for (file, harvest, document, mention) in context.mentions() {
            let ty = context.rulebook.field_type(mention.wants);
            let Reading::Link(kinds) = &ty.reading else { continue };
            let of_groups = |kind: &crate::rulebook::KindId| context.rulebook.kind(*kind).members.is_some();
            if kinds.iter().all(of_groups) || !kinds.iter().any(of_groups) {
                continue;
            }
            let Some(group) = context.view.target_of(document, harvest, mention) else { continue };
            let Some((are, place)) = members_are(context, group) else { continue };
            let names: Vec<&str> =
                kinds.iter().filter(|k| !of_groups(k)).map(|k| context.rulebook.kind(*k).name()).collect();
            if names.contains(&are.as_str()) {
                continue;
            }
            let node = document.node(mention.at);
            if !context.is_seen(file, mention, node) {
                continue;
            }
            let (about, path) = context.whose(file, mention.from, node);
            let message = said!(
                "`{definition}` is a group of {are}, where {kind} is needed",
                definition = context.show(group),
                are,
                kind = either(names)
            );
            let finding = Finding::new(&CHECK, node.place(), message).about(about).path(Some(path));
            findings.push(match place {
                Some(place) => finding.related(place, said!("it is for {are}", are)),
                None => finding,
            });
        }
    },
};

/// The kind of a group's members, and where it is said. What is no kind is told as that.
fn members_are(context: &Context<'_>, group: Address) -> Option<(String, Option<crate::source::Place>)> {
    let said = crate::effective::members_are(&context.view, group);
    said.filter(|(word, _)| context.rulebook.kind_named(word).is_some())
}

fn inner_of(context: &Context<'_>, member: Address, group: Address) -> bool {
    context.view.kind_of(member) == context.view.kind_of(group)
}
